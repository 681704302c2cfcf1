import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Wanted, waysTo } from './conditions.js';

interface Said {
  readonly text: string;
  readonly is: (v: ReadonlyMap<string, number>) => boolean;
}
const at = (v: ReadonlyMap<string, number>, name: string): number => v.get(name) ?? 0;
const leaf: fc.Arbitrary<Said> = fc.oneof(
  fc.constantFrom('A', 'B', 'Cell.Ready').map((n): Said => ({ text: n, is: (v) => at(v, n) === 1 })),
  fc
    .tuple(fc.constantFrom('N', 'M'), fc.constantFrom('<', '<=', '>', '>=', '=', '<>'), fc.integer({ min: -5, max: 5 }))
    .map(([n, op, k]): Said => ({
      text: `${n} ${op} ${k}`,
      is: (v) => {
        const x = at(v, n);
        return { '<': x < k, '<=': x <= k, '>': x > k, '>=': x >= k, '=': x === k, '<>': x !== k }[op]!;
      },
    })),
);
const { any } = fc.letrec<{ any: Said }>((tie) => ({
  any: fc.oneof(
    { maxDepth: 3 },
    leaf,
    tie('any').map((a): Said => ({ text: `NOT (${a.text})`, is: (v) => !a.is(v) })),
    fc.tuple(tie('any'), fc.constantFrom('AND', 'OR', 'XOR'), tie('any')).map(([a, op, b]): Said => ({
      text: `(${a.text}) ${op} (${b.text})`,
      is: (v) => (op === 'AND' ? a.is(v) && b.is(v) : op === 'OR' ? a.is(v) || b.is(v) : a.is(v) !== b.is(v)),
    })),
  ),
}));
const values = (w: readonly Wanted[]): ReadonlyMap<string, number> =>
  new Map(w.map((x) => [x.name, x.to === 'on' ? 1 : x.to === 'off' ? 0 : Number(x.to)]));

describe('what brings a condition about', () => {
  it('law: with these values, and any others, it is what was asked for', () => {
    fc.assert(
      fc.property(
        any,
        fc.boolean(),
        fc.record({
          A: fc.constantFrom(0, 1),
          B: fc.constantFrom(0, 1),
          N: fc.integer({ min: -9, max: 9 }),
          M: fc.integer({ min: -9, max: 9 }),
        }),
        (c, isOn, others) => {
          for (const way of waysTo(c.text, isOn)) {
            const v = new Map([...Object.entries(others), ...values(way)]);
            expect(c.is(v), `${c.text} ${isOn ? 'on' : 'off'} by ${JSON.stringify(way)}`).toBe(isOn);
          }
        },
      ),
      { numRuns: 400 },
    );
  });
  it.each<[string, boolean, readonly (readonly Wanted[])[]]>([
    ['', true, [[]]],
    ['', false, []],
    [
      'A AND NOT B',
      true,
      [
        [
          { name: 'A', to: 'on' },
          { name: 'B', to: 'off' },
        ],
      ],
    ],
    ['A AND NOT B', false, [[{ name: 'A', to: 'off' }], [{ name: 'B', to: 'on' }]]],
    ['Level > 3', true, [[{ name: 'Level', to: '4' }]]],
    ['3 > Level', true, [[{ name: 'Level', to: '2' }]]],
    ['Step = Fill', true, [[{ name: 'Step', to: 'Fill' }]]],
    ['A AND NOT A', true, []],
    ['ABS(Level) > 3', true, []],
    ['A is on', true, [[{ name: 'A', to: 'on' }]]],
    ['A AND', true, []],
  ])('%s, %s', (when, isOn, ways) => {
    expect(waysTo(when, isOn)).toEqual(ways);
  });
  it('a tag is compared with what another is at rest', () => {
    expect(waysTo('Level >= Wanted', true, (n) => (n === 'Wanted' ? 60 : undefined))).toEqual([
      [{ name: 'Level', to: '60' }],
    ]);
  });
});
