import type { Rule } from './rule.js';

/** Arithmetic of constants that does not fit its type: it wraps (choices.md), which is hardly ever meant. */
export const constantOverflow: Rule = {
  code: 'CONSTANT_OVERFLOW',
  about: 'Arithmetic of constants does not fit its type and wraps round.',
  help: {
    why: 'INT * INT is INT, even if the result is assigned to a DINT. What does not fit wraps round to the other end of the type.',
    breaks: 'Total := INT#300 * INT#300;',
    holds: 'Total := DINT#300 * DINT#300;',
  },
  check(program, report) {
    for (const o of program.overflows)
      report(o.at, `${o.text} does not fit ${o.type} and becomes ${o.wrapped}; convert an operand to a wider type.`);
  },
};
