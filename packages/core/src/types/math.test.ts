/** Our own mathematical functions against the host's, which are good to the last bit or nearly so. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as math from './math.js';

const view = new DataView(new ArrayBuffer(8));
/** Place of a number in the order of all numbers: neighbours differ by one. */
function place(x: number): bigint {
  view.setFloat64(0, x);
  const b = view.getBigInt64(0);
  return b < 0n ? -(b & 0x7fffffffffffffffn) : b;
}
/** How many numbers lie between two, as a bigint; 0 for two that are no number. */
const apart = (a: number, b: number): bigint =>
  Object.is(a, b) || (Number.isNaN(a) && Number.isNaN(b))
    ? 0n
    : Number.isNaN(a) || Number.isNaN(b)
      ? 1n << 62n
      : place(a) > place(b)
        ? place(a) - place(b)
        : place(b) - place(a);

const any = fc.double({ noNaN: false });
const usual = fc.double({ min: -1000, max: 1000, noNaN: true });
const unit = fc.double({ min: -1, max: 1, noNaN: true });

describe('within two units in the last place of the exact value', () => {
  it.each<[keyof typeof math, fc.Arbitrary<number>, bigint]>([
    ['sin', any, 2n],
    ['cos', any, 2n],
    ['tan', any, 4n],
    ['sin', usual, 2n],
    ['cos', usual, 2n],
    ['tan', usual, 4n],
    ['asin', unit, 2n],
    ['acos', unit, 2n],
    ['asin', any, 2n],
    ['atan', any, 2n],
    ['atan', usual, 2n],
    ['exp', usual, 2n],
    ['exp', unit, 2n],
    ['exp', any, 2n],
    ['log', any, 2n],
    ['log', usual, 2n],
    ['log10', any, 2n],
    ['log10', usual, 2n],
  ])('%s', (name, numbers, most) => {
    fc.assert(
      fc.property(numbers, (x) => {
        expect(apart((math[name] as (x: number) => number)(x), Math[name](x, 0))).toBeLessThanOrEqual(most);
      }),
      { numRuns: 3000 },
    );
  });
  it.each([
    ['usual', usual, usual],
    ['any', any, any],
    ['small whole powers', fc.double({ min: -50, max: 50, noNaN: true }), fc.integer({ min: -20, max: 20 })],
  ] as const)('pow of %s', (_, xs, ys) => {
    fc.assert(
      fc.property(xs, ys, (x, y) => {
        expect(apart(math.pow(x, y), x ** y)).toBeLessThanOrEqual(2n);
      }),
      { numRuns: 5000 },
    );
  });
  it('atan2', () => {
    fc.assert(
      fc.property(any, any, (y, x) => {
        expect(apart(math.atan2(y, x), Math.atan2(y, x))).toBeLessThanOrEqual(2n);
      }),
      { numRuns: 5000 },
    );
  });
});

describe('exactly', () => {
  it.each([
    [2, 10, 1024],
    [10, 2, 100],
    [10, 15, 1e15],
    [2, -3, 0.125],
    [-2, 3, -8],
    [9, 0.5, 3],
    [0, 0, 1],
    [-8, 1 / 3, NaN],
    [2, 1023, 8.98846567431158e307],
    [2, -1074, 5e-324],
    [2, 1024, Infinity],
  ])('pow(%s, %s) is %s', (x, y, wanted) => {
    expect(math.pow(x, y)).toBe(wanted);
  });
  it.each([1, 10, 100, 1000, 1e15, 1e22])('log10 of %s', (x) => {
    expect(math.log10(x)).toBe(Math.round(Math.log10(x)));
  });
  it('the ends of the ranges', () => {
    expect([
      math.exp(0),
      math.log(1),
      math.sin(0),
      math.cos(0),
      math.atan(Infinity),
      math.asin(1),
      math.acos(1),
      math.acos(-1),
    ]).toEqual([1, 0, 0, 1, Math.PI / 2, Math.PI / 2, 0, Math.PI]);
    expect([math.exp(710), math.exp(-746), math.log(0), math.log(-1), math.asin(2), math.sin(Infinity)]).toEqual([
      Infinity,
      0,
      -Infinity,
      NaN,
      NaN,
      NaN,
    ]);
    expect(math.exp(-745)).toBe(5e-324);
    expect(math.sin(1e22)).toBe(-0.8522008497671888);
  });
});
