import type { Span } from '../../language/source.js';
import { rootOf } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { ownPous, writingsOf } from '../../checked/walk.js';

const TIMER = /^(TON|TOF|TP)(_L?TIME)?$/i;

/** A timer that runs and whose Q and ET nobody looks at. */
export const timerUnused: Rule = {
  code: 'TIMER_UNUSED',
  about: 'A timer runs, but nothing uses its Q or its ET.',
  help: {
    why: 'The timer was meant to delay something; nothing waits for it. Often its Q was forgotten in a condition, or another timer is looked at by mistake.',
    breaks: 'Delay(IN := Start, PT := T#2s);\nMotor := Start;',
    holds: 'Delay(IN := Start, PT := T#2s);\nMotor := Delay.Q;',
  },
  whole: true,
  check(program, report) {
    let looked: Set<string> | undefined;
    const lookedAt = () =>
      (looked ??= new Set(
        program.references.filter((r) => /\.\s*(q|et)\b/i.test(r.path)).map((r) => r.variable.name.toLowerCase()),
      ));
    for (const pou of ownPous(program)) {
      const calls = new Map<string, Span>();
      const used = new Set<string>();
      for (const { s, inRung } of writingsOf(pou)) {
        if (s.kind !== 'blockCall' || s.call.instance.kind !== 'variable' || !TIMER.test(s.call.type.name)) continue;
        const name = rootOf(s.call.instance).name.toLowerCase();
        // In a rung, power goes on behind the block: that is its Q.
        if (inRung || s.call.outputs.length) used.add(name);
        if (!calls.has(name)) calls.set(name, s.at);
      }
      for (const [name, at] of calls)
        if (!used.has(name) && !lookedAt().has(name))
          report(
            at,
            `Nothing uses the Q or the ET of '${at.source.text.slice(at.start, at.start + name.length)}'; use it in a condition, or delete the timer.`,
          );
    }
  },
};
