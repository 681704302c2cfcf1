import { rootOf } from '../checked.js';
import type { Rule } from './rule.js';
import { eachStatement } from './walk.js';

/** The variable of a FOR loop written inside the loop (7.3.3.4.2 forbids it). */
export const loopVariable: Rule = {
  code: 'LOOP_VARIABLE',
  about: 'The variable of a FOR loop is written inside the loop.',
  help: {
    why: 'The loop counts with this variable. Changing it on the way makes the number of passes hard to tell, and may never end.',
    breaks: 'FOR i := 1 TO 10 DO i := i + 1; END_FOR;',
    holds: 'FOR i := 1 TO 10 BY 2 DO Sum := Sum + i; END_FOR;',
  },
  checkPou(pou, report) {
    eachStatement(pou.body, (loop) => {
      if (loop.kind !== 'for' || loop.variable.kind !== 'variable') return;
      const { variable } = loop.variable;
      eachStatement(loop.body, (s) => {
        if (s.kind === 'assign' && s.target.kind === 'variable' && s.target.variable === variable)
          report(
            s.at,
            `'${variable.name}' counts the passes of this FOR loop and is written inside it; use another variable, or EXIT to leave early.`,
            [{ message: 'the loop', at: loop.at }],
          );
        if (s.kind === 'for' && rootOf(s.variable) === variable)
          report(
            s.at,
            `'${variable.name}' counts the passes of the loop around this one already; use another variable.`,
            [{ message: 'the loop around it', at: loop.at }],
          );
      });
    });
  },
};
