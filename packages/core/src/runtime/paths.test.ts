import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type ElementaryName, ELEMENTARY_NAMES, type Type, elementary, rangeOf } from '../types/type.js';
import { findPath, formatValue, nanosecondsAsMs, parseValue, readLocation, writeLocation } from './paths.js';
import { engineOf, imageOf, program } from '../../test/support.js';

const typed = (name: ElementaryName): Type => elementary(name);

describe('finding paths (cli.md, names)', () => {
  const image = imageOf(`
TYPE Valve : STRUCT Open : BOOL; Flow : REAL; END_STRUCT; END_TYPE
VAR_GLOBAL Bank : ARRAY [1..3] OF Valve; Grid : ARRAY [0..1, -1..1] OF INT; Word1 : WORD; Inp AT %IX1.3 : BOOL; END_VAR
PROGRAM A VAR Count : INT; Own : INT; Here AT %QX0.0 : BOOL; END_VAR END_PROGRAM
PROGRAM B VAR Count : INT; t : TON; END_VAR END_PROGRAM`);
  const at = (path: string) => {
    const r = findPath(image, path);
    return 'error' in r ? r.error : r.location;
  };
  it.each([
    'Bank[2].Open',
    'bank[3].flow',
    'Grid[1,-1]',
    'Grid[ 0 , 1 ]',
    'Word1.15',
    'A.Count',
    'own',
    't.ET',
    'B.t.Q',
    'A.Here',
    'Here',
    'Inp',
  ])('%s is there', (path) => {
    expect(at(path)).toHaveProperty('address');
  });
  it.each([
    ['Nope', "There is no tag 'Nope'."],
    ['Count', "'Count' is in several programs; write Program.Count."],
    ['Bank[4].Open', 'outside 1..3'],
    ['Bank[1]', undefined],
    ['Grid[1]', 'has 2 dimensions'],
    ['Bank[1].Shut', "has no member 'Shut'"],
    ['Word1.16', 'has no bit 16'],
    ['Word1[1]', 'has no elements'],
    ['a b', 'is not a name'],
    ['', 'is not a name'],
    ['Bank[x]', 'is not a name'],
    ['.Open', 'has no'],
  ])('%j: %s', (path, message) => {
    if (message === undefined) expect(at(path)).toHaveProperty('address');
    else if (path === '.Open') expect(typeof at(path)).toBe('string');
    else expect(at(path)).toContain(message);
  });
  it('elements of an array lie side by side, the last index fastest', () => {
    const address = (p: string) => (at(p) as { address: number }).address;
    expect([address('Grid[0,0]') - address('Grid[0,-1]'), address('Grid[1,-1]') - address('Grid[0,-1]')]).toEqual([
      2, 6,
    ]);
  });
  it('a located bit is found by its bit', () => {
    expect(at('Inp')).toMatchObject({ bit: 3, section: 'input' });
  });
});

describe('values as text', () => {
  it.each([
    ['BOOL', true, '1'],
    ['BOOL', false, '0'],
    ['INT', -5n, '-5'],
    ['REAL', Math.fround(0.1), '0.1'],
    ['REAL', Infinity, 'Infinity'],
    ['LREAL', 0.1 + 0.2, '0.30000000000000004'],
    ['REAL', NaN, 'NaN'],
    ['TIME', 1_500_000n, '1.5'],
    ['TIME', -20_000_000n, '-20'],
    ['LTIME', 1n, '0.000001'],
    ['LWORD', 2n ** 64n - 1n, '18446744073709551615'],
    ['REAL', Math.fround(16777216), '16777216'],
    ['REAL', Math.fround(1e10), '10000000000'],
  ] as const)('%s %s prints as %s', (name, value, text) => {
    expect(formatValue(typed(name), value)).toBe(text);
  });

  it.each([
    ['BOOL', 'TRUE', true],
    ['BOOL', 'off', false],
    ['INT', '16#FF', 255n],
    ['INT', '-1_000', -1000n],
    ['WORD', '2#1010', 10n],
    ['INT', 'INT#7', 7n],
    ['REAL', '1e3', 1000],
    ['REAL', '-Infinity', -Infinity],
    ['TIME', 'T#1m30s', 90_000_000_000n],
    ['TIME', '300 ms', 300_000_000n],
    ['TIME', '2 min', 120_000_000_000n],
    ['TIME', '12.5', 12_500_000n],
  ] as const)('%s reads %s', (name, text, value) => {
    expect(parseValue(typed(name), text)).toEqual({ value });
  });

  it.each([
    ['BOOL', '2'],
    ['INT', '40000'],
    ['INT', '1.5'],
    ['USINT', '-1'],
    ['REAL', 'much'],
    ['TIME', 'soon'],
    ['INT', '2#19'],
    ['INT', ''],
    ['REAL', ''],
  ] as const)('%s refuses %j with a reason', (name, text) => {
    expect(parseValue(typed(name), text)).toHaveProperty('error');
  });

  it('what is printed reads back to the same value', () => {
    const numbers = ELEMENTARY_NAMES.filter(
      (n) => !['BOOL', 'REAL', 'LREAL', 'DATE', 'LDATE', 'TOD', 'LTOD', 'DT', 'LDT', 'CHAR', 'WCHAR'].includes(n),
    );
    fc.assert(
      fc.property(fc.constantFrom(...numbers), fc.bigInt(), (name, raw) => {
        const { low, high } = rangeOf(name);
        const value = (((raw % (high - low + 1n)) + (high - low + 1n)) % (high - low + 1n)) + low;
        expect(parseValue(typed(name), formatValue(typed(name), value))).toEqual({ value });
      }),
    );
    fc.assert(
      fc.property(fc.float({ noNaN: true }), (f) => {
        expect(parseValue(typed('REAL'), formatValue(typed('REAL'), f))).toEqual({
          value: f === 0 ? expect.anything() : f,
        });
      }),
    );
    fc.assert(
      fc.property(fc.double({ noNaN: true, noDefaultInfinity: true }), (f) => {
        const r = parseValue(typed('LREAL'), formatValue(typed('LREAL'), f));
        expect('value' in r && Object.is(Math.abs(Number(r.value)), Math.abs(f))).toBe(true);
      }),
    );
  });

  it('milliseconds have as many decimals as needed', () => {
    expect([0n, 1n, 999_999n, 1_000_000n, -1_500_000n].map(nanosecondsAsMs)).toEqual([
      '0',
      '0.000001',
      '0.999999',
      '1',
      '-1.5',
    ]);
  });
});

it('what is written at a place is read there, and nowhere else', () => {
  const e = engineOf(program('a : BYTE; b : SINT; c : WORD; d : DINT; f : LREAL; g : BOOL; h : ULINT;', ';'));
  const all = ['a', 'b', 'c', 'd', 'g', 'h'];
  fc.assert(
    fc.property(fc.constantFrom(...all), fc.bigInt({ min: 0n, max: 127n }), (name, raw) => {
      const before = all.map((n) => e.read(`P.${n}`));
      const l = e.locate(`P.${name}`);
      const value = name === 'g' ? raw % 2n === 1n : raw;
      writeLocation(e.view, l, value);
      expect(readLocation(e.view, l)).toBe(value);
      all.forEach((n, i) => {
        if (n !== name) expect(e.read(`P.${n}`)).toBe(before[i]);
      });
    }),
  );
});
