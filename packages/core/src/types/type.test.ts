import { describe, expect, it } from 'vitest';
import {
  ELEMENTARY_NAMES,
  type ElementaryName,
  alignOf,
  commonType,
  defaultValue,
  elementary,
  elementCount,
  rangeOf,
  sameType,
  sizeOf,
  stride,
  typeText,
  widensTo,
  wrap,
} from './type.js';
import { compile } from '../workspace.js';
import { imageOf } from '../../test/support.js';

describe('implicit conversions (figure 12)', () => {
  const yes: readonly [ElementaryName, ElementaryName][] = [
    ['SINT', 'LINT'],
    ['USINT', 'INT'],
    ['UINT', 'DINT'],
    ['UDINT', 'LINT'],
    ['INT', 'REAL'],
    ['UINT', 'REAL'],
    ['DINT', 'LREAL'],
    ['UDINT', 'LREAL'],
    ['REAL', 'LREAL'],
    ['BOOL', 'LWORD'],
    ['BYTE', 'WORD'],
    ['TIME', 'LTIME'],
  ];
  const no: readonly [ElementaryName, ElementaryName][] = [
    ['INT', 'SINT'],
    ['INT', 'UINT'],
    ['UINT', 'INT'],
    ['DINT', 'REAL'],
    ['LINT', 'LREAL'],
    ['LREAL', 'REAL'],
    ['WORD', 'UINT'],
    ['UINT', 'WORD'],
    ['LTIME', 'TIME'],
    ['TIME', 'DINT'],
    ['INT', 'BOOL'],
  ];
  it.each(yes)('%s to %s', (a, b) => {
    expect(widensTo(a, b)).toBe(true);
  });
  it.each(no)('not %s to %s', (a, b) => {
    expect(widensTo(a, b)).toBe(false);
  });
  it('are an order: to itself, and never both ways', () => {
    for (const a of ELEMENTARY_NAMES)
      for (const b of ELEMENTARY_NAMES) {
        expect(widensTo(a, a)).toBe(true);
        if (a !== b && widensTo(a, b)) expect(widensTo(b, a)).toBe(false);
        for (const c of ELEMENTARY_NAMES) if (widensTo(a, b) && widensTo(b, c)) expect(widensTo(a, c)).toBe(true);
      }
  });
  it('never lose a value of an integer', () => {
    for (const a of ELEMENTARY_NAMES)
      for (const b of ELEMENTARY_NAMES) {
        if (!widensTo(a, b) || [a, b].some((n) => n === 'REAL' || n === 'LREAL')) continue;
        const [x, y] = [rangeOf(a), rangeOf(b)];
        expect(x.low >= y.low && x.high <= y.high).toBe(true);
      }
  });
  it('two operands meet in the narrowest type both widen to', () => {
    expect([
      commonType('INT', 'DINT'),
      commonType('INT', 'UINT'),
      commonType('USINT', 'SINT'),
      commonType('DINT', 'REAL'),
      commonType('INT', 'WORD'),
      commonType('BOOL', 'BYTE'),
    ]).toEqual(['DINT', 'DINT', 'INT', 'LREAL', undefined, 'BYTE']);
  });
});

describe('layout in memory', () => {
  const symbol = (text: string, name: string) => imageOf(text).symbols.get(name)!;
  it('members stand at multiples of their size, the whole is padded', () => {
    const s = symbol(
      'TYPE R : STRUCT a : BOOL; b : DINT; c : BYTE; d : LREAL; e : BOOL; END_STRUCT; END_TYPE VAR_GLOBAL r : ARRAY [1..2] OF R; END_VAR',
      'r',
    ).type;
    expect(
      s.kind === 'array' && s.element.kind === 'struct' && s.element.members.map((m) => [m.name, m.offset]),
    ).toEqual([
      ['a', 0],
      ['b', 4],
      ['c', 8],
      ['d', 16],
      ['e', 24],
    ]);
    expect([sizeOf(s), alignOf(s)]).toEqual([64, 8]);
  });
  it('arrays count every dimension', () => {
    const t = symbol('VAR_GLOBAL g : ARRAY [-1..1, 0..3] OF INT; END_VAR', 'g').type;
    expect(t.kind === 'array' && [elementCount(t), stride(t.element), sizeOf(t)]).toEqual([12, 2, 24]);
    expect(typeText(t)).toBe('ARRAY [-1..1, 0..3] OF INT');
  });
  it('located tags share their bytes, others have their own', () => {
    const image = imageOf('VAR_GLOBAL w AT %MW2 : WORD; lo AT %MB2 : BYTE; x : INT; y : INT; END_VAR');
    const a = (n: string) => image.symbols.get(n)!.address;
    expect(a('lo')).toBe(a('w'));
    expect(a('x')).not.toBe(a('y'));
  });
  it('starts with the defaults of table 10', () => {
    const t = (text: string) => defaultValue(symbol(text, 'v').type);
    expect(t('VAR_GLOBAL v : INT (5..9); END_VAR')).toBe(5n);
    expect(t('VAR_GLOBAL v : INT (-5..9); END_VAR')).toBe(0n);
    expect(t('TYPE C : (A := 3, B); END_TYPE VAR_GLOBAL v : C; END_VAR')).toBe(3n);
  });
});

describe('values', () => {
  it('wrap modulo the width', () => {
    expect([wrap(128n, 'SINT'), wrap(-1n, 'USINT'), wrap(65536n + 7n, 'WORD'), wrap(2n ** 63n, 'LINT')]).toEqual([
      -128n,
      255n,
      7n,
      -(2n ** 63n),
    ]);
  });
  it('types are the same by structure, blocks and structures by name', () => {
    expect(sameType(elementary('INT'), elementary('INT'))).toBe(true);
    expect(
      sameType(
        { kind: 'array', bounds: [{ low: 0, high: 1 }], element: elementary('INT') },
        { kind: 'array', bounds: [{ low: 1, high: 2 }], element: elementary('INT') },
      ),
    ).toBe(false);
  });
});

it.each([
  ['TYPE A : ARRAY [1..0] OF INT; END_TYPE', 'OUT_OF_RANGE'],
  ['TYPE A : ARRAY [0..9999999] OF LREAL; END_TYPE', 'OUT_OF_RANGE'],
  ['TYPE S : SINT (0..300); END_TYPE', 'OUT_OF_RANGE'],
  ['TYPE A : STRUCT a : A; END_STRUCT; END_TYPE', 'RECURSION'],
  ['TYPE E : (A, B, a); END_TYPE', 'DUPLICATE_NAME'],
  ['TYPE S : STRUCT a : INT; A : BOOL; END_STRUCT; END_TYPE', 'DUPLICATE_NAME'],
  ['VAR_GLOBAL a : ARRAY [1..2] OF INT := [1, 2, 3]; END_VAR', 'OUT_OF_RANGE'],
  ['VAR_GLOBAL s : STRING[0]; END_VAR', 'OUT_OF_RANGE'],
  ['VAR_GLOBAL s : REF_TO Nothing; END_VAR', 'UNKNOWN_TYPE'],
  ['VAR_GLOBAL i : INT (1..5) := 9; END_VAR', 'OUT_OF_RANGE'],
])('%s is refused with %s', (text, code) => {
  expect(compile([{ kind: 'text', name: 't', text }]).diagnostics.map((d) => d.code)).toContain(code);
});
