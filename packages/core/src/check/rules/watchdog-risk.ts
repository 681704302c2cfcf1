import { type Checked, type CheckedStatement, type Variable, rootOf } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { bodiesOf, eachExpression, eachStatement, expressionsOf } from '../../checked/walk.js';

const MOST = 10_000_000;

/** A loop that cannot end by itself, or that needs more passes than the watchdog allows in one scan. */
export const watchdogRisk: Rule = {
  code: 'WATCHDOG_RISK',
  about: 'A loop may run into the watchdog: nothing in it changes its condition, or it has too many passes.',
  help: {
    why: 'A loop runs to its end within one scan. Waiting for an input in a loop never ends: inputs are read once, before the scan. The watchdog then stops the program with a fault.',
    breaks: 'WHILE NOT Sensor DO Motor := TRUE; END_WHILE;',
    holds: 'Motor := NOT Sensor;',
  },
  checkPou(pou, report) {
    eachStatement(pou.body, (s) => {
      if (s.kind === 'for') {
        const passes = nestedPasses(s);
        if (passes > MOST)
          report(
            s.at,
            `This loop makes ${passes.toLocaleString('en')} passes in one scan; the watchdog stops at ${MOST.toLocaleString('en')}. Spread the work over several scans.`,
          );
      }
      if (s.kind !== 'while' && s.kind !== 'repeat') return;
      const condition = s.kind === 'while' ? s.condition : s.until;
      if ((condition.kind === 'constant' && condition.value === (s.kind === 'repeat')) || canLeave(s.body)) return;
      const read = variablesOf(condition);
      if (read && !writes(s.body, read))
        report(
          condition.at,
          'Nothing in this loop changes its condition, so it ends at the watchdog. Inputs do not change within a scan.',
        );
    });
  },
};

function nestedPasses(s: CheckedStatement & { kind: 'for' }): number {
  const n = (c: Checked) => (c.kind === 'constant' ? Number(c.value) : undefined);
  const from = n(s.from),
    to = n(s.to),
    by = n(s.by);
  if (from === undefined || to === undefined || !by || canLeave(s.body)) return 0;
  const own = Math.max(0, Math.floor((to - from) / by) + 1);
  const inner = s.body.reduce((most, x) => Math.max(most, x.kind === 'for' ? nestedPasses(x) : 0), 0);
  return own * Math.max(1, inner);
}

const canLeave = (list: readonly CheckedStatement[]): boolean =>
  list.some((s) => s.kind === 'exit' || s.kind === 'return' || bodiesOf(s).some(canLeave));

/** The variables a condition reads; undefined where it depends on what a call does. */
function variablesOf(c: Checked): Set<Variable> | undefined {
  const found = new Set<Variable>();
  let calls = false;
  eachExpression(c, (e) => {
    if (e.kind === 'read') found.add(rootOf(e.place));
    if (e.kind === 'call') calls = true;
  });
  return calls ? undefined : found;
}

function writes(list: readonly CheckedStatement[], what: ReadonlySet<Variable>): boolean {
  let hit = false;
  eachStatement(list, (s) => {
    // A call may change globals and what it is given; nothing is said then.
    if (s.kind === 'blockCall' || s.kind === 'evaluate') hit = true;
    if ((s.kind === 'assign' || s.kind === 'copy') && (what.has(rootOf(s.target)) || s.target.kind === 'target'))
      hit = true;
    if (s.kind === 'for' && what.has(rootOf(s.variable))) hit = true;
    for (const e of expressionsOf(s))
      eachExpression(e, (c) => {
        if (c.kind === 'call') hit = true;
      });
  });
  return hit;
}
