import type { CheckedStatement } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { eachStatement } from '../../checked/walk.js';

/**
 * What stands behind RETURN, EXIT or CONTINUE, behind an unconditional return of the rungs, or under a condition that
 * is never met.
 */
export const unreachable: Rule = {
  code: 'UNREACHABLE',
  about: 'A statement or rung is never reached.',
  help: {
    why: 'It was written to do something and never does. Often a RETURN was left in from trying something out.',
    breaks: 'RETURN;\nMotor := TRUE;',
    holds: 'IF Stopped THEN RETURN; END_IF;\nMotor := TRUE;',
  },
  checkPou(pou, report) {
    eachStatement(pou.body, (s, around) => {
      if (s === around[0]) {
        const next = around[around.findIndex(leaves) + 1];
        if (next && next !== s && next.kind !== 'probe')
          report(
            next.at,
            `${next.kind === 'rung' ? 'This rung' : 'This'} is never reached: what stands before it always leaves.`,
          );
      }
      if (s.kind === 'if')
        for (const b of s.branches)
          if (b.condition.kind === 'constant' && b.condition.value === false && b.body[0])
            report(b.body[0].at, 'This is never reached: its condition is always FALSE.');
      if (s.kind === 'while' && s.condition.kind === 'constant' && s.condition.value === false && s.body[0])
        report(s.body[0].at, 'This is never reached: the condition of the loop is always FALSE.');
    });
  },
};

function leaves(s: CheckedStatement): boolean {
  if (s.kind === 'return' || s.kind === 'exit' || s.kind === 'continue') return true;
  if (s.kind !== 'rung') return false;
  // `-> return` on the left rail itself.
  const back = s.body.find((x) => x.kind === 'if' && x.branches[0]!.body[0]?.kind === 'return');
  if (back?.kind !== 'if') return false;
  const { condition } = back.branches[0]!;
  return (
    condition.kind === 'power' &&
    s.body.some(
      (x) =>
        x.kind === 'setPower' && x.wire === condition.wire && x.value.kind === 'constant' && x.value.value === true,
    )
  );
}
