import type { Span } from '../../language/source.js';
import type { Place } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { writingsOf } from '../../checked/walk.js';

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
    const coils = new Map<string, { readonly at: Span; readonly name: string }[]>();
    for (const pou of program.pous)
      for (const { s, inRung, name } of writingsOf(pou)) {
        if (!inRung || s.kind !== 'assign' || !s.coil || s.coil.mode === 'set' || s.coil.mode === 'reset') continue;
        if (!name || (s.target.kind !== 'variable' && s.target.kind !== 'part')) continue;
        // Two names of one point are one wire.
        const key = pointOf(s.target) ?? name,
          places = coils.get(key);
        if (places) places.push({ at: s.at, name });
        else coils.set(key, [{ at: s.at, name }]);
      }
    for (const places of coils.values()) {
      const [first, ...others] = places;
      for (const { at, name } of others)
        report(
          at,
          name === first!.name
            ? `'${written(at)}' is driven by another coil already${rungNumber(first!.at)}; only the last one in the scan counts. Join the conditions in one rung, or use set and reset coils.`
            : `'${written(at)}' lies on the same point as '${written(first!.at)}', which is driven by another coil already${rungNumber(first!.at)}; only the last one in the scan counts. Give one of them another address.`,
          [{ message: 'the other coil', at: first!.at }],
        );
    }
  },
};

const written = (at: Span): string => at.source.text.slice(at.start, at.end).replace(/^[!^]+/, '');

/** The bit of an area that a coil drives, where it has an address; undefined for memory without one. */
function pointOf(p: Place): string | undefined {
  const shift = p.kind === 'part' ? p.shift : 0,
    root = p.kind === 'part' ? p.base : p;
  const a = root.kind === 'variable' ? root.variable.address : undefined;
  return a ? `${a.area}${a.byte * 8 + (a.bit ?? 0) + shift}` : undefined;
}

function rungNumber(at: Span): string {
  const o = at.source.origin;
  return o.kind === 'rung' ? ` in ${o.pou} rung ${o.number}` : '';
}
