/** "Did you mean": what is skipped for speed is only what could not be near. */
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { nearest } from './diagnostic.js';
import { byName } from './words.js';

/** The definition, letter by letter. */
function steps(a: string, b: string): number {
  if (!a.length || !b.length) return a.length + b.length;
  const other = steps(a.slice(1), b.slice(1)) + (a[0] === b[0] ? 0 : 1);
  return a[0] === b[0] ? other : Math.min(other, 1 + steps(a.slice(1), b), 1 + steps(a, b.slice(1)));
}

it('the nearest names are those fewest steps away, of names at most two letters in five away', () => {
  const name = fc.string({ unit: fc.constantFrom('a', 'B', 'b', 'c', '1', '_', 'Z'), minLength: 1, maxLength: 6 });
  fc.assert(
    fc.property(name, fc.array(name, { maxLength: 8 }), fc.integer({ min: 1, max: 3 }), (wrong, names, most) => {
      const w = wrong.toLowerCase();
      const by = names
        .filter((n) => Math.abs(n.length - w.length) <= 3)
        .map((n) => [steps(w, n.toLowerCase()), n] as const)
        .filter(([d]) => d <= Math.max(1, Math.round(w.length * 0.4)))
        .sort((a, b) => a[0] - b[0] || byName(a[1], b[1]));
      expect(nearest(wrong, names, most)).toEqual(by.slice(0, most).map(([, n]) => n));
    }),
    { numRuns: 300 },
  );
});
