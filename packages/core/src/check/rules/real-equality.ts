import { isReal } from '../../types/type.js';
import type { Rule } from './rule.js';
import { eachExpression, eachStatement, expressionsOf } from './walk.js';

/** `=` or `<>` between REAL values: rounding makes them differ where they look equal. */
export const realEquality: Rule = {
  code: 'REAL_EQUALITY',
  about: 'REAL values are compared for equality.',
  check(program, report) {
    for (const pou of program.pous) {
      if (pou.at.source.origin.kind === 'library') continue;
      eachStatement(pou.body, (s) => expressionsOf(s).forEach((e) => eachExpression(e, (c) => {
        if (c.kind === 'binary' && (c.op === '=' || c.op === '<>') && isReal(c.left.type)) report(c.at, 'REAL values are rarely exactly equal; compare with a tolerance, for example ABS(a - b) < 0.01.');
      })));
    }
  },
};
