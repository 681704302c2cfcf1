/** Values and lengths of time as people read them. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { durationText, formatted, numberIn, valueText } from './values.js';

describe('a number that is typed', () => {
  it.each([
    ['3', 3],
    [' 2,5 ', 2.5],
    ['1e2', 100],
    ['0', undefined],
    ['101', undefined],
    ['', undefined],
    [' ', undefined],
    ['abc', undefined],
    ['3 s', undefined],
    ['NaN', undefined],
    ['Infinity', undefined],
  ])('‘%s’ between 1 and 100 is %s', (text, n) => {
    expect(numberIn(text, 1, 100)).toBe(n);
  });
});

describe('lengths of time', () => {
  it.each([
    [0, '0.00 s'],
    [10, '0.01 s'],
    [1234, '1.23 s'],
    [59_990, '59.99 s'],
    [59_999, '1 min 0 s'],
    [60_000, '1 min 0 s'],
    [119_800, '2 min 0 s'],
    [90_499, '1 min 30 s'],
    [3_599_400, '59 min 59 s'],
    [3_600_000, '1 h 0 min'],
    [9_000_000, '2 h 30 min'],
    [-1500, '-1.50 s'],
  ])('%d ms is %s', (ms, text) => {
    expect(durationText(ms)).toBe(text);
  });
  it('law: never sixty seconds or sixty minutes, and never out by more than it shows', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 400_000_000 }), (ms) => {
        const text = durationText(ms),
          of = (unit: string) => Number(new RegExp(`([\\d.]+) ${unit}\\b`).exec(text)?.[1] ?? 0);
        const [h, min, s] = [of('h'), of('min'), of('s')];
        expect(min < 60 && s < 60).toBe(true);
        expect(Math.abs(h * 3_600_000 + min * 60_000 + s * 1000 - ms)).toBeLessThanOrEqual(h ? 60_000 : min ? 500 : 5);
      }),
    );
  });
});

describe('values', () => {
  it.each([
    // Nothing, in the places that are shown, has no sign.
    [-0.003, 'REAL', '0.00'],
    [-0.01, 'REAL', '-0.01'],
    [true, 'BOOL', '1'],
    [false, 'BOOL', '0'],
    [undefined, 'INT', ''],
    [12, 'INT', '12'],
    [1.23456, 'REAL', '1.23'],
    [12.3456, 'REAL', '12.3'],
    [-0.5, 'REAL', '-0.50'],
    [300, 'TIME', '0.30 s'],
    ['Feed', 'Step', 'Feed'],
    [12, undefined, '12'],
  ] as const)('%s of type %s reads %s', (value, type, text) => {
    expect(valueText(value, type)).toBe(text);
  });
  it.each([
    [255, 'BYTE', 'hex', '16#FF'],
    [1, 'WORD', 'hex', '16#0001'],
    [-1, 'INT', 'hex', '16#FFFF'],
    [-1, 'SINT', 'binary', '2#1111_1111'],
    [5, 'BYTE', 'binary', '2#0000_0101'],
    [0x4142, 'WORD', 'text', "'BA'"],
    [7, 'BYTE', 'text', "'·'"],
    [1500, 'DINT', 'time', '1.50 s'],
    [1.5, 'REAL', 'decimal', '1.5'],
    [true, 'BOOL', 'hex', '1'],
    [undefined, 'INT', 'hex', ''],
  ] as const)('%s of type %s as %s', (value, type, format, text) => {
    expect(formatted(value, type, format as 'hex')).toBe(text);
  });
  it('law: hexadecimal and binary read back to the same bits', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(['SINT', 8], ['INT', 16], ['DINT', 32]) as fc.Arbitrary<[string, number]>,
        fc.integer({ min: -(2 ** 31), max: 2 ** 31 - 1 }),
        ([type, bits], raw) => {
          const value = Number(BigInt.asIntN(bits, BigInt(raw)));
          const back = (text: string, radix: string) =>
            Number(BigInt.asIntN(bits, BigInt(`${radix}${text.split('#')[1]!.replaceAll('_', '')}`)));
          expect([back(formatted(value, type, 'hex'), '0x'), back(formatted(value, type, 'binary'), '0b')]).toEqual([
            value,
            value,
          ]);
        },
      ),
    );
  });
});
