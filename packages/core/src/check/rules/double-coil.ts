import type { Span } from '../../language/source.js';
import type { Rule } from './rule.js';
import { writingsOf } from './walk.js';

/** A tag driven by two plain coils: the last one in the scan wins, the first has no effect. */
export const doubleCoil: Rule = {
  code: 'DOUBLE_COIL',
  about: 'A tag is driven by two plain coils; the last one in the scan wins.',
  help: {
    why: 'Every scan runs through all rungs. The first coil writes the tag, the second writes it again, and what goes out is the second alone: the first rung looks as if it worked and does nothing.',
    breaks: 'Manual -> Motor\nAuto -> Motor',
    holds: 'Manual | Auto -> Motor',
  },
  check(program, report) {
    const coils = new Map<string, Span[]>();
    for (const pou of program.pous)
      for (const { s, inRung, name } of writingsOf(pou)) {
        if (!inRung || s.kind !== 'assign' || !s.coil || s.coil.mode === 'set' || s.coil.mode === 'reset') continue;
        if (!name || (s.target.kind !== 'variable' && s.target.kind !== 'part')) continue;
        const places = coils.get(name);
        if (places) places.push(s.at);
        else coils.set(name, [s.at]);
      }
    for (const places of coils.values()) {
      const [first, ...others] = places;
      for (const at of others)
        report(
          at,
          `'${at.source.text.slice(at.start, at.end).replace(/^[!^]+/, '')}' is driven by another coil already${rungNumber(first!)}; only the last one in the scan counts. Join the conditions in one rung, or use set and reset coils.`,
          [{ message: 'the other coil', at: first! }],
        );
    }
  },
};

function rungNumber(at: Span): string {
  const o = at.source.origin;
  return o.kind === 'rung' ? ` in ${o.pou} rung ${o.number}` : '';
}
