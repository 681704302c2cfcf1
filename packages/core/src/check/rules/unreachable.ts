import type { CheckedStatement } from '../checked.js';
import type { Rule } from './rule.js';
import { eachStatement, ownPous } from './walk.js';

/** What stands behind RETURN, EXIT or CONTINUE, behind an unconditional return of the rungs, or under a condition that is never met. */
export const unreachable: Rule = {
  code: 'UNREACHABLE',
  about: 'A statement or rung is never reached.',
  help: {
    why: 'It was written to do something and never does. Often a RETURN was left in from trying something out.',
    breaks: 'RETURN;\nMotor := TRUE;',
    holds: 'IF Stopped THEN RETURN; END_IF;\nMotor := TRUE;',
  },
  check(program, report) {
    for (const pou of ownPous(program)) {
      const reported = new Set<readonly CheckedStatement[]>();
      const list = (statements: readonly CheckedStatement[]): void => {
        const end = statements.findIndex(leaves);
        const next = statements[end + 1];
        if (end < 0 || !next || next.kind === 'probe' || reported.has(statements)) return;
        reported.add(statements);
        report(next.at, `${next.kind === 'rung' ? 'This rung' : 'This'} is never reached: what stands before it always leaves.`);
      };
      list(pou.body);
      eachStatement(pou.body, (s, around) => {
        list(around);
        if (s.kind === 'if') for (const b of s.branches) if (b.condition.kind === 'constant' && b.condition.value === false && b.body[0]) report(b.body[0].at, 'This is never reached: its condition is always FALSE.');
        if (s.kind === 'while' && s.condition.kind === 'constant' && s.condition.value === false && s.body[0]) report(s.body[0].at, 'This is never reached: the condition of the loop is always FALSE.');
      });
    }
  },
};

function leaves(s: CheckedStatement): boolean {
  if (s.kind === 'return' || s.kind === 'exit' || s.kind === 'continue') return true;
  if (s.kind !== 'rung') return false;
  // `-> return` on the left rail itself.
  const on = new Set(s.body.flatMap((x) => (x.kind === 'setPower' && x.value.kind === 'constant' && x.value.value === true ? [x.wire] : [])));
  return s.body.some((x) => x.kind === 'if' && x.branches[0]!.condition.kind === 'power' && on.has(x.branches[0]!.condition.wire) && x.branches[0]!.body[0]?.kind === 'return');
}
