import { isReal } from '../../types/type.js';
import type { Rule } from './rule.js';
import { eachExpressionOf } from '../../checked/walk.js';

/** `=` or `<>` between REAL values: rounding makes them differ where they look equal. */
export const realEquality: Rule = {
  code: 'REAL_EQUALITY',
  about: 'REAL values are compared for equality.',
  help: {
    why: 'REAL values are rounded at each step. Two ways to the same number rarely end at exactly the same bits, so = may never become true.',
    breaks: 'Level = 5.0 -> Full',
    holds: 'Level >= 5.0 -> Full',
  },
  checkPou(pou, report) {
    eachExpressionOf(pou, (c) => {
      if (c.kind === 'binary' && (c.op === '=' || c.op === '<>') && isReal(c.left.type) && c.left.kind !== 'constant')
        report(c.at, 'REAL values are rarely exactly equal; compare with a tolerance, for example ABS(a - b) < 0.01.');
    });
  },
};
