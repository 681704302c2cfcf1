import { isReal } from '../../types/type.js';
import type { Rule } from './rule.js';
import { eachExpressionOf } from '../../checked/walk.js';

/** A whole number divided by the constant 0: a fault as soon as it is reached. */
export const divisionByZero: Rule = {
  code: 'DIVISION_BY_ZERO',
  about: 'A whole number is divided by the constant 0.',
  help: {
    why: 'The division of whole numbers by zero is a run-time fault: the program stops there. (MOD by zero is 0, and reals give infinity.)',
    breaks: 'Rate := Count / 0;',
    holds: 'IF Hours > 0 THEN Rate := Count / Hours; END_IF;',
  },
  checkPou(pou, report) {
    eachExpressionOf(pou, (c) => {
      if (
        c.kind === 'binary' &&
        c.op === '/' &&
        !isReal(c.left.type) &&
        c.right.kind === 'constant' &&
        Number(c.right.value) === 0
      )
        report(c.right.at, 'This divides by zero: the program stops here with a fault.');
    });
  },
};
