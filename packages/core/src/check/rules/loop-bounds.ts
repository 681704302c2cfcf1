import { type Checked, type Place, type Variable, rootOf } from '../../checked/tree.js';
import type { Rule } from './rule.js';
import { eachStatement } from '../../checked/walk.js';

/** A FOR loop whose variable goes past the bounds of an array that is indexed by it: a fault in that pass. */
export const loopBounds: Rule = {
  code: 'LOOP_BOUNDS',
  about: 'A FOR loop goes past the bounds of an array that it indexes.',
  help: {
    why: 'The pass in which the index leaves the array is a run-time fault: the program stops there. It is often one pass too many: an array [0..9] has ten elements, the last is 9.',
    breaks: 'FOR i := 0 TO 10 DO Sum := Sum + Values[i]; END_FOR;  // Values : ARRAY [0..9] OF INT',
    holds: 'FOR i := 0 TO 9 DO Sum := Sum + Values[i]; END_FOR;',
  },
  checkPou(pou, report) {
    eachStatement(pou.body, (s) => {
      if (s.kind !== 'for' || s.variable.kind !== 'variable') return;
      const ends = [s.from, s.to].map((e) => (e.kind === 'constant' ? Number(e.value) : undefined)),
        by = s.by.kind === 'constant' ? Number(s.by.value) : undefined;
      const [from, to] = ends;
      if (from === undefined || to === undefined || !by || (by > 0 ? from > to : from < to)) return;
      // The last value is the last one that a step leads to.
      const last = from + Math.trunc((to - from) / by) * by;
      const { variable } = s.variable;
      for (const place of elementsIn(s.body))
        place.indices.forEach((index, i) => {
          const bound = place.array.bounds[i]!,
            shift = distanceFrom(index, variable);
          if (shift === undefined || place.bounds) return;
          const [low, high] = [Math.min(from, last) + shift, Math.max(from, last) + shift];
          if (low >= bound.low && high <= bound.high) return;
          const name = rootOf(place)?.name ?? 'the array';
          report(
            index.at,
            `In this loop '${index.at.source.text.slice(index.at.start, index.at.end)}' goes from ${low} to ${high}, but '${name}' has the elements ${bound.low} to ${bound.high}: the program stops there with a fault.`,
            [{ message: 'the loop', at: s.at }],
          );
        });
    });
  },
};

type ElementPlace = Place & { readonly kind: 'element' };

/** All places in a part of the tree that are elements of arrays. */
function elementsIn(node: unknown, found: ElementPlace[] = []): readonly ElementPlace[] {
  if (Array.isArray(node)) for (const n of node) elementsIn(n, found);
  else if (typeof node === 'object' && node !== null) {
    if ((node as { kind?: unknown }).kind === 'element' && 'indices' in node) found.push(node as ElementPlace);
    for (const [k, v] of Object.entries(node))
      if (k !== 'at' && k !== 'type' && k !== 'variable' && k !== 'pou' && k !== 'array') elementsIn(v, found);
  }
  return found;
}

/** How far an index is from a variable: 0 for the variable itself, 2 for `i + 2`; undefined for anything else. */
function distanceFrom(index: Checked, variable: Variable): number | undefined {
  switch (index.kind) {
    case 'convert':
      return distanceFrom(index.arg, variable);
    case 'read':
      return index.place.kind === 'variable' && index.place.variable === variable ? 0 : undefined;
    case 'binary': {
      if (index.op !== '+' && index.op !== '-') return undefined;
      const left = distanceFrom(index.left, variable);
      if (left === undefined || index.right.kind !== 'constant') return undefined;
      return index.op === '+' ? left + Number(index.right.value) : left - Number(index.right.value);
    }
    default:
      return undefined;
  }
}
