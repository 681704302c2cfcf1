/** What programs mean, run on the engine. Expectations come from the standard and choices.md. */
import { describe, expect, it } from 'vitest';
import { codesOf, engineOf, program } from '../../test/support.js';
import { compile } from '../workspace.js';

/** Runs one scan of statements and gives the value of `path`. */
function after(variables: string, body: string, path = 'a', prelude = '') {
  const e = engineOf(prelude + program(variables, body));
  e.runScan();
  if (e.fault) throw new Error(e.faultLine());
  return e.read(path);
}

describe('arithmetic', () => {
  it.each([
    ['a : INT := 32767;', 'a := a + 1;', -32768n],
    ['a : USINT := 200;', 'a := a + 100;', 44n],
    ['a : SINT := -128;', 'a := -a;', -128n],
    ['a : INT := -7;', 'a := a / 2;', -3n],
    ['a : INT := -7;', 'a := a MOD 3;', -1n],
    ['a : INT := 7; z : INT;', 'a := a MOD z;', 0n],
    ['a : DINT := -2147483648; m : DINT := -1;', 'a := a / m;', -2147483648n],
    ['a : LINT := 9223372036854775807;', 'a := a + 1;', -9223372036854775808n],
    ['a : ULINT := 18446744073709551615;', 'a := a / 3;', 6148914691236517205n],
    ['a : UDINT := 4000000000;', 'a := a / 7;', 571428571n],
    ['a : DINT; i : INT := 300; j : INT := 300;', 'a := i * j;', 24464n],
    ['a : DINT; i : INT := 300; j : INT := 300;', 'a := INT_TO_DINT(i) * j;', 90000n],
    ['a : WORD := 16#0FF0;', 'a := NOT a AND 16#FF00;', 0xf000n],
  ])('%s %s', (variables, body, wanted) => {
    expect(after(variables, body, 'a')).toBe(wanted);
  });

  it('computes reals in their own width', () => {
    expect(after('a : REAL := 0.1;', 'a := a + 0.2;', 'a')).toBe(Math.fround(Math.fround(0.1) + Math.fround(0.2)));
    expect(after('a : LREAL := 0.1;', 'a := a + 0.2;', 'a')).toBe(0.1 + 0.2);
    expect(after('a : REAL; z : REAL;', 'a := 1.0 / z;', 'a')).toBe(Infinity);
  });
});

describe('conversions (tables 22 to 27)', () => {
  it.each([
    ['a : INT; r : REAL := 2.5;', 'a := REAL_TO_INT(r);', 2n],
    ['a : INT; r : REAL := 3.5;', 'a := REAL_TO_INT(r);', 4n],
    ['a : DINT; r : REAL := -1.7;', 'a := TRUNC(r);', -1n],
    ['a : SINT; r : INT := 16#1F0;', 'a := INT_TO_SINT(r);', -16n],
    ['a : UINT; r : INT := -1;', 'a := INT_TO_UINT(r);', 65535n],
    ['a : DINT; r : TIME := T#1m2s3ms;', 'a := TIME_TO_DINT(r);', 62003n],
    ['a : TIME; r : DINT := 1500;', 'a := DINT_TO_TIME(r);', 1500000000n],
    ['a : BYTE; r : BOOL := TRUE;', 'a := r;', 1n],
    ['a : LINT; r : UDINT := 4294967295;', 'a := r;', 4294967295n],
  ])('%s %s', (variables, body, wanted) => {
    expect(after(variables, body, 'a')).toBe(wanted);
  });

  it('refuses what is not implicit and names the conversion', () => {
    const c = compile([{ kind: 'text', name: 't', text: program('a : INT; b : DINT;', 'a := b;') }]);
    expect(c.diagnostics[0]!.code).toBe('TYPE_MISMATCH');
    expect(c.diagnostics[0]!.message).toContain('DINT_TO_INT');
  });
});

describe('standard functions', () => {
  it.each([
    ['a : INT;', 'a := MAX(3, 9, 4);', 9n],
    ['a : INT;', 'a := LIMIT(0, 12, 10);', 10n],
    ['a : INT; k : INT := 1;', 'a := MUX(k, 10, 20, 30);', 20n],
    ['a : INT; g : BOOL := TRUE;', 'a := SEL(g, 10, 20);', 20n],
    ['a : INT := -5;', 'a := ABS(a);', 5n],
    ['a : BYTE := 16#81;', 'a := ROL(a, 1);', 3n],
    ['a : WORD := 16#8001;', 'a := ROR(a, 17);', 0xc000n],
    ['a : BYTE := 16#81;', 'a := SHL(a, 9);', 0n],
    ['a : BOOL;', 'a := GT(5, 4, 3);', true],
    ['a : INT;', 'a := ADD(1, 2, 3);', 6n],
  ])('%s %s', (variables, body, wanted) => {
    expect(after(variables, body, 'a')).toBe(wanted);
  });
});

describe('statements', () => {
  it('FOR ends one past the limit, and at the type’s last value', () => {
    expect(after('i : INT; a : INT;', 'FOR i := 1 TO 5 DO a := a + i; END_FOR;', 'i')).toBe(6n);
    expect(after('i : USINT; a : INT;', 'FOR i := 250 TO 255 DO a := a + 1; END_FOR;', 'a')).toBe(6n);
    expect(after('i : INT; a : INT;', 'FOR i := 5 TO 1 BY -2 DO a := a * 10 + i; END_FOR;', 'a')).toBe(531n);
    expect(after('i : INT := 9; a : INT;', 'FOR i := 3 TO 1 DO a := 1; END_FOR;', 'i')).toBe(3n);
    expect(after('i : INT; n : INT := -3; a : INT;', 'FOR i := 9 TO 1 BY n DO a := a * 10 + i; END_FOR;', 'a')).toBe(
      963n,
    );
  });
  it('EXIT and CONTINUE leave the right loop', () => {
    expect(
      after(
        'i : INT; j : INT; a : INT;',
        'FOR i := 1 TO 3 DO FOR j := 1 TO 9 DO IF j = 2 THEN CONTINUE; END_IF; IF j > 3 THEN EXIT; END_IF; a := a * 10 + j; END_FOR; END_FOR;',
        'a',
      ),
    ).toBe(BigInt.asIntN(16, 131313n));
  });
  it('CASE takes the first that fits, with ranges and ELSE', () => {
    const body = 'CASE s OF 1: a := 10; 2..5: a := 20; 7, 9: a := 30; ELSE a := 40; END_CASE;';
    for (const [s, a] of [
      [1, 10n],
      [4, 20n],
      [9, 30n],
      [6, 40n],
    ] as const)
      expect(after(`s : INT := ${s}; a : INT;`, body, 'a')).toBe(a);
  });
  it('WHILE, REPEAT and RETURN', () => {
    expect(after('a : INT;', 'WHILE a < 7 DO a := a + 2; END_WHILE;', 'a')).toBe(8n);
    expect(after('a : INT;', 'REPEAT a := a + 1; UNTIL a >= 3 END_REPEAT;', 'a')).toBe(3n);
    expect(after('a : INT;', 'a := 1; RETURN; a := 2;', 'a')).toBe(1n);
  });
});

describe('types', () => {
  it('arrays of several dimensions, structures and their initial values', () => {
    const prelude = 'TYPE Point : STRUCT x : INT := 3; y : INT; END_STRUCT; END_TYPE\n';
    expect(
      after('m : ARRAY [1..2, 0..2] OF INT := [1, 2, 3, 3(9)]; a : INT;', 'a := m[1, 2] * 100 + m[2, 1];', 'a'),
    ).toBe(309n);
    expect(
      after('p : ARRAY [0..1] OF Point := [(x := 1, y := 2)]; a : INT;', 'a := p[0].y * 10 + p[1].x;', 'a', prelude),
    ).toBe(23n);
    expect(after('p : Point; q : Point; a : INT;', 'p.y := 7; q := p; a := q.y;', 'a', prelude)).toBe(7n);
  });
  it('enumerations by name and with their type in front', () => {
    const prelude = 'TYPE Colour : (Red, Green := 5, Blue); END_TYPE\n';
    expect(after('c : Colour; a : BOOL;', 'c := Colour#Blue; a := c = Blue;', 'a', prelude)).toBe(true);
    expect(after('c : Colour := Green;', ';', 'c', prelude)).toBe(5n);
  });
  it('bits and parts of a word are read and written', () => {
    expect(after('w : WORD := 16#00F0; a : BOOL;', 'a := w.4; w.0 := TRUE; w.7 := FALSE;', 'w')).toBe(0x71n);
    expect(after('w : DWORD := 16#11223344;', 'w.%B1 := 16#AA;', 'w')).toBe(0x1122aa44n);
  });
  it('located variables view the same bytes, little-endian', () => {
    expect(
      after('b0 AT %MB0 : BYTE := 16#34; b1 AT %MB1 : BYTE := 16#12; w AT %MW0 : WORD; a : WORD;', 'a := w;', 'a'),
    ).toBe(0x1234n);
    expect(after('w AT %QW0 : WORD; x AT %QX1.2 : BOOL;', 'x := TRUE;', 'w')).toBe(0x0400n);
  });
});

describe('functions and blocks', () => {
  const f =
    'FUNCTION Twice : INT VAR_INPUT n : INT; factor : INT := 2; END_VAR VAR_OUTPUT odd : BOOL; END_VAR VAR_IN_OUT calls : INT; END_VAR calls := calls + 1; odd := n MOD 2 = 1; Twice := n * factor; END_FUNCTION\n';
  it('takes formal and informal arguments, defaults, outputs and in-outs', () => {
    expect(
      after('a : INT; o : BOOL; c : INT;', 'a := Twice(n := 5, calls := c, odd => o) + Twice(4, 3, c);', 'a', f),
    ).toBe(22n);
    expect(
      after('a : INT; o : BOOL; c : INT;', 'a := Twice(n := 5, calls := c, odd => o); a := Twice(1, 1, c);', 'c', f),
    ).toBe(2n);
  });
  it('keeps the memory of each instance apart', () => {
    const b =
      'FUNCTION_BLOCK Sum VAR_INPUT n : INT; END_VAR VAR_OUTPUT s : INT; END_VAR s := s + n; END_FUNCTION_BLOCK\n';
    const e = engineOf(b + program('x : Sum; y : Sum;', 'x(n := 1); y(n := 10); x(n := 2);'));
    e.runScan();
    e.runScan();
    expect([e.read('P.x.s'), e.read('P.y.s')]).toEqual([6n, 20n]);
  });
  it('passes structures through VAR_IN_OUT of a block', () => {
    const b =
      'TYPE R : STRUCT n : INT; END_STRUCT; END_TYPE FUNCTION_BLOCK Inc VAR_IN_OUT r : R; END_VAR r.n := r.n + 1; END_FUNCTION_BLOCK\n';
    expect(after('i : Inc; r : R; a : INT;', 'i(r := r); i(r := r); a := r.n;', 'a', b)).toBe(2n);
  });
});

describe('errors', () => {
  it.each([
    ['UNKNOWN_NAME', program('', 'x := 1;')],
    ['UNKNOWN_TYPE', program('x : Foo;', ';')],
    ['TYPE_MISMATCH', program('x : BOOL;', 'x := 5;')],
    ['OUT_OF_RANGE', program('x : SINT;', 'x := 200;')],
    ['NOT_WRITABLE', 'PROGRAM P VAR CONSTANT c : INT := 3; END_VAR c := 4; END_PROGRAM'],
    ['NOT_WRITABLE', program('t : TON;', 't.Q := TRUE;')],
    ['NOT_WRITABLE', 'FUNCTION_BLOCK F VAR_INPUT i : INT; END_VAR i := 1; END_FUNCTION_BLOCK'],
    ['DUPLICATE_NAME', program('x : INT; X : INT;', ';')],
    ['UNKNOWN_MEMBER', program('t : TON;', 't(XX := TRUE);')],
    ['WRONG_ARGUMENTS', program('x : INT;', 'x := ABS(1, 2);')],
    ['OUT_OF_RANGE', program('x : ARRAY [1..3] OF INT;', 'x[4] := 1;')],
    ['RECURSION', 'FUNCTION F : INT VAR_INPUT n : INT; END_VAR F := F(n); END_FUNCTION'],
    [
      'RECURSION',
      'FUNCTION_BLOCK A VAR b : B; END_VAR END_FUNCTION_BLOCK FUNCTION_BLOCK B VAR a : A; END_VAR END_FUNCTION_BLOCK',
    ],
    ['DUPLICATE_LABEL', program('x : INT;', 'CASE x OF 1: ; 1: ; END_CASE;')],
    ['OVERLAP', program('a AT %MW0 : WORD; b AT %MW1 : WORD;', ';')],
    ['BAD_ADDRESS', program('a AT %MX0.9 : BOOL;', ';')],
    ['MISPLACED', program('', 'EXIT;')],
    ['NOT_CONSTANT', program('n : INT; a : ARRAY [0..n] OF INT;', ';')],
  ])('%s', (code, text) => {
    expect(codesOf(text)).toContain(code);
  });

  it('offers the nearest name', () => {
    const c = compile([{ kind: 'text', name: 't', text: program('Running : BOOL;', 'Runing := TRUE;') }]);
    expect(c.diagnostics[0]!.message).toContain("Did you mean 'Running'?");
  });
});

describe('calls with EN and ENO (6.6.1.5)', () => {
  const text =
    'FUNCTION F : INT VAR_INPUT a : INT; END_VAR F := a * 2; END_FUNCTION\n' +
    program(
      'n : INT; x : INT := -1; ok : BOOL; y : INT; c : CTU; cok : BOOL := TRUE;',
      'n := n + 1; x := F(EN := n > 1, a := n, ENO => ok); y := ADD(EN := x > 5, IN1 := x, IN2 := 4); c(EN := n > 2, CU := TRUE, PV := 1, ENO => cok);',
    );
  it('without EN nothing is called, assigned or counted, and ENO is off', () => {
    const e = engineOf(text);
    const rows = [1, 2, 3].map(() => {
      e.runScan();
      return ['x', 'ok', 'y', 'c.CV', 'cok'].map((p) => e.read(`P.${p}`));
    });
    expect(rows).toEqual([
      [-1n, false, 0n, 0n, false],
      [4n, true, 0n, 0n, false],
      [6n, true, 10n, 1n, true],
    ]);
  });
  it('a block with an EN of its own keeps it', () => {
    expect(
      after(
        'b : Own; a : BOOL;',
        'b(EN := TRUE); a := b.q;',
        'a',
        'FUNCTION_BLOCK Own VAR_INPUT EN : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := EN; END_FUNCTION_BLOCK\n',
      ),
    ).toBe(true);
  });
});

describe('edges, whole values and literals where they stand', () => {
  it('R_EDGE and F_EDGE inputs are on for the call in which they change (table 41)', () => {
    const e = engineOf(
      'FUNCTION_BLOCK E VAR_INPUT up : BOOL R_EDGE; down : BOOL F_EDGE; END_VAR VAR_OUTPUT n : INT; m : INT; END_VAR IF up THEN n := n + 1; END_IF; IF down THEN m := m + 1; END_IF; END_FUNCTION_BLOCK\n' +
        program('e : E; x : BOOL;', 'e(up := x, down := x);'),
    );
    const rows = [true, true, false, false, true].map((x) => {
      e.write('P.x', x);
      e.runScan();
      return [e.read('P.e.n'), e.read('P.e.m')];
    });
    expect(rows.map((r) => r.map(Number))).toEqual([
      [1, 0],
      [1, 0],
      [1, 1],
      [1, 1],
      [2, 1],
    ]);
    expect(codesOf('FUNCTION_BLOCK E VAR_INPUT n : INT R_EDGE; END_VAR END_FUNCTION_BLOCK')).toContain('TYPE_MISMATCH');
  });
  it('a function gives a structure or an array', () => {
    const prelude =
      'TYPE S : STRUCT a : INT; b : REAL; END_STRUCT; V : ARRAY [0..2] OF INT; END_TYPE FUNCTION Make : S VAR_INPUT n : INT; END_VAR Make.a := n; Make.b := 2.5; END_FUNCTION FUNCTION Ramp : V VAR i : INT; END_VAR FOR i := 0 TO 2 DO Ramp[i] := i * 10; END_FOR; END_FUNCTION\n';
    expect(after('s : S; v : V; a : INT;', 's := Make(7); v := Ramp(); a := s.a + v[2];', 'a', prelude)).toBe(27n);
    expect(codesOf(`${prelude}${program('v : V;', 'v := Make(1);')}`)).toContain('TYPE_MISMATCH');
  });
  it.each([
    ['e : DINT; i : INT := 5;', 'e := i + 70000;', 'e', 70005n],
    ['b : BOOL; i : INT := 5;', 'b := i < 70000;', 'b', true],
    ['i : INT;', 'i := TRUNC(3.7);', 'i', 3n],
    ['r : REAL;', 'r := SQRT(2.25) + ABS(-0.5);', 'r', 2],
    ['i : INT;', 'i := REAL_TO_INT(2.5);', 'i', 2n],
    ['w : WORD := 16#FFFF;', 'w := w AND NOT 16#00FF;', 'w', 0xff00n],
    ['r : REAL;', 'r := SIN(0.0) + COS(0.0);', 'r', 1],
    ['t : TIME;', 't := T#1s * 2 + T#6s / 3;', 't', 4_000_000_000n],
  ] as const)('%s %s', (variables, body, path, wanted) => {
    expect(after(variables, body, path)).toBe(wanted);
  });
  it('an enumeration converts to whole numbers', () => {
    expect(
      after(
        'c : Colour := Blue; a : INT;',
        'a := COLOUR_TO_INT(c) + Colour_TO_INT(Red);',
        'a',
        'TYPE Colour : (Red := 2, Blue := 40); END_TYPE\n',
      ),
    ).toBe(42n);
  });
});

describe('references (6.4.4.10)', () => {
  it('stand for a variable: read, written, moved to another, passed on', () => {
    expect(
      after(
        'a : INT := 5; b : INT := 9; r : REF_TO INT; s : REF_TO INT;',
        'r := REF(a); r^ := r^ + 1; s := r; s^ := s^ * 10; r := REF(b); r^ := 1;',
        'a',
      ),
    ).toBe(60n);
    expect(after('v : ARRAY [1..3] OF INT := [7, 8, 9]; r : REF_TO INT; a : INT;', 'r := REF(v[2]); a := r^;')).toBe(
      8n,
    );
    const prelude =
      'TYPE Node : STRUCT value : INT; next : REF_TO INT; END_STRUCT; END_TYPE FUNCTION Twice VAR_INPUT r : REF_TO INT; END_VAR r^ := r^ * 2; END_FUNCTION\n';
    expect(
      after(
        'n : Node; p : REF_TO Node; a : INT;',
        'n.value := 4; p := REF(n); p^.value := p^.value + 1; a := n.value;',
        'a',
        prelude,
      ),
    ).toBe(5n);
    expect(after('a : INT := 21; r : REF_TO INT;', 'r := REF(a); Twice(r);', 'a', prelude)).toBe(42n);
  });
  it('are NULL at first, and compare', () => {
    expect(after('r : REF_TO INT; a : BOOL;', 'a := r = NULL;')).toBe(true);
    expect(
      after(
        'x : INT; r : REF_TO INT; s : REF_TO INT; a : BOOL;',
        'r := REF(x); s := REF(x); a := r = s AND r <> NULL; r := NULL;',
      ),
    ).toBe(true);
  });
  it('a NULL reference is a fault with its place', () => {
    const e = engineOf(program('r : REF_TO INT; a : INT;', 'a := r^;'));
    e.runScan();
    expect(e.faultLine()).toBe("fault: t.st:3:6: The reference in 'r^' is NULL: it stands for nothing yet. (t_ms=0)");
  });
  it.each([
    ['r : REF_TO INT; x : REAL;', 'r := REF(x);'],
    ['r : REF_TO INT;', 'r := 5;'],
    ['a : INT;', 'a^ := 1;'],
    ['r : REF_TO BOOL; w : WORD;', 'r := REF(w.1);'],
  ])('%s %s is refused', (variables, body) => {
    expect(codesOf(program(variables, body))).toContain('TYPE_MISMATCH');
  });
});

describe('packed decimal (table 26)', () => {
  it.each([
    ['a : UINT; w : WORD := 16#1234;', 'a := WORD_BCD_TO_UINT(w);', 1234n],
    ['a : WORD; n : UINT := 9876;', 'a := UINT_TO_BCD_WORD(n);', 0x9876n],
    ['a : USINT;', 'a := BYTE_BCD_TO_USINT(16#99);', 99n],
    ['a : ULINT;', 'a := BCD_TO_ULINT(LWORD#16#1234_5678_9012_3456);', 1234567890123456n],
    ['a : BYTE; n : USINT := 7;', 'a := TO_BCD_BYTE(n);', 7n],
    ['a : DWORD; n : UDINT;', 'a := UDINT_TO_BCD_DWORD(n);', 0n],
  ])('%s %s', (variables, body, wanted) => {
    expect(after(variables, body)).toBe(wanted);
  });
  it('there and back is the same number', () => {
    const e = engineOf(
      program('n : UDINT; w : DWORD; m : UDINT;', 'w := UDINT_TO_BCD_DWORD(n); m := DWORD_BCD_TO_UDINT(w);'),
    );
    for (const n of [0n, 1n, 9n, 10n, 99n, 12345678n, 99999999n]) {
      e.write('P.n', n);
      e.runScan();
      expect([e.read('P.m'), e.read('P.w')]).toEqual([n, BigInt(`0x${n}`)]);
    }
  });
  it('needs the right kinds', () => {
    expect(codesOf(program('a : UINT; r : REAL;', 'a := BCD_TO_UINT(r);'))).toContain('TYPE_MISMATCH');
    expect(codesOf(program('a : UINT; w : WORD;', 'a := UINT_TO_BCD_UINT(w);'))).toContain('UNKNOWN_NAME');
  });
});

it('a BOOL that lies over other members is TRUE for every byte but 0, and its opposite is the other', () => {
  const e = engineOf(
    'TYPE S : STRUCT OVERLAP y : BYTE; f : BOOL; l : ARRAY [0..1] OF BOOL; END_STRUCT; END_TYPE PROGRAM P VAR s : S; a, b, c : BOOL; n : INT; END_VAR s.y := 16#34; a := s.f; b := NOT s.f; c := NOT s.l[0]; n := BOOL_TO_INT(s.f); END_PROGRAM',
  );
  e.runScan();
  expect([e.read('P.a'), e.read('P.b'), e.read('P.c'), e.read('P.n')]).toEqual([true, false, false, 1n]);
});

describe('bits beside each other', () => {
  const prelude = `
VAR_GLOBAL First AT %QX0.0 : BOOL; Second AT %QX0.1 : BOOL; Word : WORD; END_VAR
FUNCTION SetsOthers : BOOL VAR_EXTERNAL Second : BOOL; Word : WORD; END_VAR Second := TRUE; Word.3 := TRUE; SetsOthers := TRUE; END_FUNCTION
`;
  it('keep what working out the value has written', () => {
    const bits = program('VAR_EXTERNAL_HERE : BOOL;', 'First := SetsOthers();').replace(
      'VAR VAR_EXTERNAL_HERE : BOOL;',
      'VAR_EXTERNAL First : BOOL; END_VAR VAR x : BOOL;',
    );
    const e = engineOf(prelude + bits);
    e.runScan();
    expect([e.read('First'), e.read('Second')]).toEqual([true, true]);
    const part = program('x : BOOL;', 'Word.0 := SetsOthers();').replace(
      'VAR x',
      'VAR_EXTERNAL Word : WORD; END_VAR VAR x',
    );
    const f = engineOf(prelude + part);
    f.runScan();
    expect(f.read('Word')).toBe(0b1001n);
  });
});

describe('numbers without a sign in faults', () => {
  it('are told as they are', () => {
    const faultOf = (variables: string, body: string) => {
      const e = engineOf(program(variables, body));
      e.runScan();
      return e.fault?.message;
    };
    expect(faultOf('a : UDINT := 4000000000; z : UDINT;', 'a := a / z;')).toContain(
      'the number on the left is 4000000000',
    );
    expect(faultOf('a : ULINT := 18446744073709551615; z : ULINT;', 'a := a / z;')).toContain(
      'the number on the left is 18446744073709551615',
    );
    expect(faultOf('a : ARRAY [-1..3] OF INT; i : UDINT := 4294967295;', 'a[i] := 1;')).toContain(
      "The index 'i' is 4294967295",
    );
  });
});
