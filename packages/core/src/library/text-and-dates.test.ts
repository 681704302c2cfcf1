/** Strings, characters, points in time and numeric functions: tables 28, 33, 35 and 36, and choices.md. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compile } from '../workspace.js';
import { formatValue, type Value } from '../bench.js';
import { dateText, parseDate } from '../types/date.js';
import { codesOf, engineOf, program } from '../../test/support.js';

function after(variables: string, body: string, path = 'a', prelude = ''): Value {
  const e = engineOf(prelude + program(variables, body));
  e.runScan();
  if (e.fault) throw new Error(e.faultLine());
  return e.read(path);
}
const shown = (variables: string, body: string): string => {
  const e = engineOf(program(variables, body));
  e.runScan();
  const l = e.locate('P.a');
  return formatValue(l.type, e.read('P.a'));
};

describe('string functions (table 33)', () => {
  it.each([
    ["LEFT('ASTR', 3)", 'AST'],
    ["RIGHT('ASTR', 3)", 'STR'],
    ["MID('ASTR', 2, 2)", 'ST'],
    ["CONCAT('AB', 'CD', 'E')", 'ABCDE'],
    ["INSERT('ABC', 'XY', 2)", 'ABXYC'],
    ["DELETE('ABXYC', 2, 3)", 'ABC'],
    ["REPLACE('ABCDE', 'X', 2, 3)", 'ABXE'],
    ["LEFT('AB', 9)", 'AB'],
    ["RIGHT('AB', 9)", 'AB'],
    ["MID('AB', 9, 2)", 'B'],
    ["MID('AB', 1, 5)", ''],
    ["LEFT('AB', 0)", ''],
    ["LEFT('AB', -1)", ''],
    ["INSERT('ABC', 'XY', 0)", 'XYABC'],
    ["INSERT('ABC', 'XY', 9)", 'ABCXY'],
    ["DELETE('ABC', 9, 2)", 'A'],
    ["LEFT(IN := 'ASTR', L := 2)", 'AS'],
    ["MID(L := 1, P := 3, IN := 'ASTR')", 'T'],
    ["CONCAT(LEFT('ABC', 1), RIGHT('XYZ', 1))", 'AZ'],
  ])('%s is %s', (text, wanted) => {
    expect(after('a : STRING;', `a := ${text};`)).toBe(wanted);
  });
  it.each([
    ["LEN('ASTRING')", 7n],
    ["LEN('')", 0n],
    ["FIND('ABCBC', 'BC')", 2n],
    ["FIND('ABC', 'X')", 0n],
    ["FIND('AB', 'ABC')", 0n],
    ["FIND('AAAB', 'AAB')", 2n],
  ])('%s is %s', (text, wanted) => {
    expect(after('a : INT;', `a := ${text};`)).toBe(wanted);
  });

  it('agree with plain strings for any arguments, in both widths', () => {
    const word = fc.string({ maxLength: 12 }).map((s) => s.replace(/[^ -~]|[$'"]/g, 'x'));
    const n = fc.integer({ min: 0, max: 15 });
    fc.assert(
      fc.property(word, word, n, n, fc.boolean(), (s, t, l, p, wide) => {
        const q = wide ? '"' : "'";
        const type = wide ? 'WSTRING' : 'STRING';
        const e = engineOf(
          program(
            `s : ${type} := ${q}${s}${q}; t : ${type} := ${q}${t}${q}; l : INT := ${l}; p : INT := ${p}; le : ${type}; ri : ${type}; mi : ${type}; co : ${type}; ins : ${type}; del : ${type}; rep : ${type}; fi : INT; lt : BOOL; eq : BOOL;`,
            'le := LEFT(s, l); ri := RIGHT(s, l); mi := MID(s, l, p); co := CONCAT(s, t); ins := INSERT(s, t, p); del := DELETE(s, l, p); rep := REPLACE(s, t, l, p); fi := FIND(s, t); lt := s < t; eq := s = t;',
          ),
        );
        e.runScan();
        const read = (x: string) => e.read(`P.${x}`);
        expect([read('le'), read('ri'), read('co'), read('ins')]).toEqual([
          s.slice(0, l),
          l ? s.slice(-l) : '',
          s + t,
          s.slice(0, p) + t + s.slice(p),
        ]);
        if (p > 0)
          expect([read('mi'), read('del'), read('rep')]).toEqual([
            s.slice(p - 1, p - 1 + l),
            s.slice(0, p - 1) + s.slice(p - 1 + l),
            s.slice(0, p - 1) + t + s.slice(p - 1 + l),
          ]);
        expect(read('fi')).toBe(t ? BigInt(s.indexOf(t) + 1) : 0n);
        expect([read('lt'), read('eq')]).toEqual([s < t, s === t]);
      }),
      { numRuns: 200 },
    );
  });
});

describe('strings as values', () => {
  it('an assignment that is too long keeps the left part', () => {
    expect(after("a : STRING[3]; b : STRING := 'ABCDE';", 'a := b;')).toBe('ABC');
    expect(after("a : STRING[3] := 'ABCDE';", ';')).toBe('ABC');
  });
  it('live in structures, arrays, blocks and functions', () => {
    const prelude =
      "TYPE R : STRUCT Name : STRING[8] := 'none'; END_STRUCT; END_TYPE FUNCTION Greet : STRING VAR_INPUT who : STRING[4]; END_VAR Greet := CONCAT('Hi ', who); END_FUNCTION FUNCTION_BLOCK Keep VAR_INPUT s : STRING; END_VAR VAR_OUTPUT last : STRING; END_VAR last := s; END_FUNCTION_BLOCK\n";
    expect(
      after(
        'r : ARRAY [1..2] OF R; a : STRING;',
        "r[2].Name := 'two'; a := CONCAT(r[1].Name, r[2].Name);",
        'a',
        prelude,
      ),
    ).toBe('nonetwo');
    expect(after('a : STRING;', "a := Greet('Anthony');", 'a', prelude)).toBe('Hi Anth');
    expect(after('k : Keep; a : STRING;', "k(s := LEFT('ABCD', 2), last => a);", 'a', prelude)).toBe('AB');
  });
  it('escapes and single characters', () => {
    expect(after('a : STRING;', "a := 'a$'b$41$$';")).toBe("a'bA$");
    expect(after("a : BOOL; c : CHAR := 'x';", "a := c = 'x' AND c <> 'y';")).toBe(true);
    expect(after("a : STRING; c : CHAR := 'x';", "a := CONCAT(c, 'yz');")).toBe('xyz');
    expect(after('a : CHAR;', "a := STRING_TO_CHAR('Q');")).toBe(81n);
    expect(after('a : WSTRING;', 'a := CONCAT("ä", "€");')).toBe('ä€');
  });
  it('convert to and from whole numbers', () => {
    expect(after('a : STRING; n : INT := -32768;', 'a := INT_TO_STRING(n);')).toBe('-32768');
    expect(after('a : STRING; n : ULINT := 18446744073709551615;', 'a := TO_STRING(n);')).toBe('18446744073709551615');
    expect(after('a : STRING;', 'a := DINT_TO_STRING(0);')).toBe('0');
    expect(after('a : INT;', "a := STRING_TO_INT('-123');")).toBe(-123n);
    expect(after('a : LINT;', "a := STRING_TO_LINT('42 pieces');")).toBe(42n);
    expect(
      after('a : BOOL; n : LINT := -9223372036854775808;', "a := LINT_TO_STRING(n) = '-9223372036854775808';"),
    ).toBe(true);
  });
  it('choose and compare', () => {
    expect(after('a : STRING; g : BOOL := TRUE;', "a := SEL(g, 'no', 'yes');")).toBe('yes');
    expect(after('a : BOOL;', "a := 'AB' < 'ABC' AND 'B' > 'AB' AND '' = '';")).toBe(true);
  });
  it('keep through snapshots and changed logic', () => {
    const e = engineOf(program('a : STRING; n : INT;', "n := n + 1; a := CONCAT(a, 'x');"));
    for (let i = 0; i < 5; i++) e.runScan();
    const s = e.snapshot();
    e.runScan();
    e.restore(s);
    expect(e.read('P.a')).toBe('xxxxx');
  });
  it.each([
    [program('a : STRING;', 'a := 5;'), 'TYPE_MISMATCH'],
    [program('a : INT;', "a := 'x';"), 'TYPE_MISMATCH'],
    [program('a : STRING; b : WSTRING;', 'a := b;'), 'TYPE_MISMATCH'],
    [program('a : STRING;', "a := LEFT('A');"), 'WRONG_ARGUMENTS'],
    [program('a : STRING;', "a := LEFT('A', 'B');"), 'TYPE_MISMATCH'],
    [program('a : STRING;', "a := 'x' + 'y';"), 'TYPE_MISMATCH'],
  ])('%s is refused', (text, code) => {
    expect(codesOf(text)).toContain(code);
  });
});

describe('points in time', () => {
  it.each([
    ['a : DATE := D#2026-02-28;', ';', '2026-02-28'],
    ['a : TOD := TOD#13:05:07.250;', ';', '13:05:07.25'],
    ['a : DT := DT#2024-02-29-23:59:59;', ';', '2024-02-29T23:59:59'],
    ['a : DATE;', ';', '1970-01-01'],
    ['a : LDT := LDT#1969-12-31-23:00:00;', ';', '1969-12-31T23:00:00'],
    ['a : DT := DT#2026-12-31-23:00:00;', 'a := a + T#2h;', '2027-01-01T01:00:00'],
    ['a : TOD := TOD#10:00:00;', 'a := a - T#30m;', '09:30:00'],
    ['a : TIME; d : DATE := D#2026-03-01;', 'a := d - D#2026-02-27;', '172800000'],
    ['a : DATE; t : DT := DT#2026-07-04-12:30:00;', 'a := DT_TO_DATE(t);', '2026-07-04'],
    ['a : TOD; t : DT := DT#2026-07-04-12:30:00;', 'a := DT_TO_TOD(t);', '12:30:00'],
    [
      'a : DT; d : DATE := D#2026-07-04; t : TOD := TOD#08:15:00;',
      'a := CONCAT_DATE_TOD(d, t);',
      '2026-07-04T08:15:00',
    ],
    ['a : BOOL;', 'a := D#2026-01-02 > D#2026-01-01;', '1'],
    ['a : INT; d : DATE := D#2026-11-23;', 'a := DAY_OF_WEEK(d);', '1'],
    ['a : DT; t : DT := DT#2026-01-01-00:00:00;', 'a := ADD_DT_TIME(t, T#1d);', '2026-01-02T00:00:00'],
    ['a : LDATE; d : DATE := D#2026-05-05;', 'a := d;', '2026-05-05'],
  ])('%s %s gives %s', (variables, body, wanted) => {
    expect(shown(variables, body)).toBe(wanted);
  });
  it.each(['D#2026-02-30', 'D#2026-13-01', 'TOD#25:00:00', 'DT#2026-01-01', 'D#tomorrow'])(
    '%s is refused',
    (literal) => {
      expect(codesOf(program('a : DATE;', `a := ${literal};`))).toContain('SYNTAX');
    },
  );
  it('what is printed reads back', () => {
    fc.assert(
      fc.property(fc.bigInt({ min: -2_000_000_000_000_000_000n, max: 4_000_000_000_000_000_000n }), (ns) => {
        expect(parseDate('LDT', dateText('LDT', ns))).toBe(ns);
      }),
    );
    fc.assert(
      fc.property(fc.bigInt({ min: 0n, max: 86_399_999_999_999n }), (ns) => {
        expect(parseDate('TOD', dateText('TOD', ns))).toBe(ns);
      }),
    );
  });
  it('what has no meaning is refused', () => {
    expect(codesOf(program('a : DATE; b : DATE;', 'a := a + b;'))).toContain('TYPE_MISMATCH');
    expect(codesOf(program('a : DATE; b : TOD; c : BOOL;', 'c := a = b;'))).toContain('TYPE_MISMATCH');
  });
});

describe('numeric functions (table 28)', () => {
  it.each([
    ['SIN', 0.5],
    ['COS', 0.5],
    ['TAN', 0.5],
    ['ASIN', 0.5],
    ['ACOS', 0.5],
    ['ATAN', 0.5],
    ['EXP', 0.5],
    ['LN', 0.5],
    ['LOG', 0.5],
    ['SQRT', 0.5],
  ] as const)('%s of LREAL and of REAL', (name, x) => {
    const exact = (
      {
        SIN: Math.sin,
        COS: Math.cos,
        TAN: Math.tan,
        ASIN: Math.asin,
        ACOS: Math.acos,
        ATAN: Math.atan,
        EXP: Math.exp,
        LN: Math.log,
        LOG: Math.log10,
        SQRT: Math.sqrt,
      } as const
    )[name](x);
    expect(after('a : LREAL; x : LREAL := 0.5;', `a := ${name}(x);`)).toBe(exact);
    expect(after('a : REAL; x : REAL := 0.5;', `a := ${name}(x);`)).toBe(Math.fround(exact));
  });
  it('powers', () => {
    expect(after('a : LREAL; x : LREAL := 2.0; n : INT := 10;', 'a := x ** n;')).toBe(1024);
    expect(after('a : REAL; x : REAL := 2.0;', 'a := EXPT(x, 0.5);')).toBe(Math.fround(Math.SQRT2));
    expect(after('a : INT;', 'a := 2 ** 10;')).toBe(1024n);
    expect(after('a : LREAL; y : LREAL := 1.0;', 'a := ATAN2(y, -1.0);')).toBe(Math.atan2(1, -1));
  });
  it('need a real number', () => {
    expect(
      compile([{ kind: 'text', name: 't', text: program('a : REAL; b : BOOL;', 'a := SIN(b);') }]).diagnostics[0]!
        .message,
    ).toContain("'SIN' needs a REAL or LREAL");
  });
});

describe('what functions give', () => {
  const T = 'TYPE Pair : STRUCT low : INT; high : INT := 7; END_STRUCT; END_TYPE ';
  const own =
    T +
    `FUNCTION Name : STRING VAR_INPUT n : INT; END_VAR Name := INT_TO_STRING(n); END_FUNCTION
    FUNCTION Turned : STRING VAR_INPUT a, b : STRING; END_VAR Turned := CONCAT(b, a); END_FUNCTION
    FUNCTION PairOf : Pair VAR_INPUT n : INT; END_VAR PairOf.low := n; END_FUNCTION
    FUNCTION Both : INT VAR_INPUT a, b : Pair; END_VAR Both := a.low * 100 + b.low * 10 + a.high; END_FUNCTION
    FUNCTION Parts : INT VAR_INPUT n : INT; END_VAR VAR_OUTPUT p : Pair; l : ARRAY[1..2] OF INT; s : STRING; END_VAR
      p.low := n; l[2] := n; s := 'x'; Parts := n; END_FUNCTION
    FUNCTION_BLOCK Fb VAR_INPUT n : INT; END_VAR VAR_OUTPUT p : Pair; l : ARRAY[1..2] OF INT; s : STRING; END_VAR
      p.low := n; l[2] := n; s := 'x'; END_FUNCTION_BLOCK `;
  it.each<[string, string, string, Value]>([
    ['a : STRING', 'a := CONCAT(Name(1), Name(2))', 'P.a', '12'],
    ['a : STRING', 'a := Turned(Name(1), Name(2))', 'P.a', '21'],
    ['a : STRING', "a := Turned(Turned('a', 'b'), Turned('c', 'd'))", 'P.a', 'dcba'],
    ['a : BOOL', 'a := Name(1) = Name(2)', 'P.a', false],
    ['a : STRING', 'a := SEL(TRUE, Name(1), Name(2))', 'P.a', '2'],
    ['a : INT', 'a := Both(PairOf(1), PairOf(2))', 'P.a', 127n],
    ['p : Pair', 'p := PairOf(1)', 'P.p.high', 7n],
    ['a : INT; p : Pair', 'a := Parts(n := 3, p => p)', 'P.p.low', 3n],
    ['a : INT; l : ARRAY[1..2] OF INT', 'a := Parts(n := 3, l => l)', 'P.l[2]', 3n],
    ['a : INT; s : STRING', 'a := Parts(n := 3, s => s)', 'P.s', 'x'],
    ['f : Fb; p : Pair', 'f(n := 3, p => p)', 'P.p.low', 3n],
    ['f : Fb; p : Pair', 'f(n := 3, p => p)', 'P.p.high', 7n],
    ['f : Fb; l : ARRAY[1..2] OF INT', 'f(n := 3, l => l)', 'P.l[2]', 3n],
  ])('%s; %s', (variables, statement, path, value) => {
    expect(after(`${variables};`, `${statement};`, path, own)).toEqual(value);
  });
});
