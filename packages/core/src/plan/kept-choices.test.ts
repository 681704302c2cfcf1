/** What the standard leaves open, as decided: each line of the decisions that a program can see. */
import { describe, expect, it } from 'vitest';
import { Engine } from '../bench.js';
import { compile } from '../workspace.js';
import { diagnosticLine } from '../language.js';
import { engineOf } from '../../test/support.js';

const errorsOf = (text: string) =>
  compile([{ kind: 'text', name: 't.st', text }])
    .diagnostics.filter((d) => d.severity === 'error')
    .map((d) => diagnosticLine(d).replace(/^t\.st:/, ''));
/** Runs a program for some scans and tells the values, as the command line prints them. */
function valuesOf(text: string, names: readonly string[], scans = 1): string[] {
  const e = engineOf(text);
  for (let n = 0; n < scans; n++) e.runScan();
  return names.map((n) => e.text(e.locate(n)));
}

describe('operators as functions', () => {
  it.each([
    ['AND(TRUE, b, TRUE)', '1'],
    ['OR(FALSE, FALSE, NOT b)', '0'],
    ['XOR(b, b, b)', '1'],
    ['NOT(IN := b)', '0'],
    ['NOT(b) OR AND(b, b)', '1'],
    ['GT(3, 2, 1)', '1'],
    ['GE(3, 3, 4)', '0'],
    ['NE(3, 4)', '1'],
    ['MOD(i, 3) = 1 AND MOD(7, i) = 0', '1'],
  ])('%s', (expression, value) => {
    const text = `PROGRAM P VAR b : BOOL := TRUE; i : INT := 7; q : BOOL; END_VAR q := ${expression}; END_PROGRAM`;
    expect(valuesOf(text, ['P.q'])).toEqual([value]);
  });
  it('AND of bit strings, MOD as a value', () => {
    const text =
      'PROGRAM P VAR w : WORD; i : INT := 7; END_VAR w := AND(16#F0F0, 16#FF00, 16#3FFF); i := MOD(i, 4); END_PROGRAM';
    expect(valuesOf(text, ['P.w', 'P.i'])).toEqual([String(0x3000), '3']);
  });
  it('NE takes two', () => {
    expect(errorsOf('PROGRAM P VAR q : BOOL; END_VAR q := NE(1, 2, 3); END_PROGRAM')).toHaveLength(1);
  });
});

describe('calls', () => {
  const F =
    'FUNCTION F : INT VAR_INPUT a, b : INT; END_VAR VAR_OUTPUT o : BOOL; n : INT; END_VAR o := a > 0; n := a; F := a; END_FUNCTION ';
  it('NOT before an output turns it round, also inside an expression', () => {
    const text = `${F} PROGRAM P VAR i : INT; q, p : BOOL; END_VAR i := 1 + F(a := 2, NOT o => q); i := F(a := 2, o => p); END_PROGRAM`;
    expect(valuesOf(text, ['P.q', 'P.p'])).toEqual(['0', '1']);
    expect(errorsOf(`${F} PROGRAM P VAR i : INT; END_VAR i := F(a := 2, NOT n => i); END_PROGRAM`)[0]).toContain(
      "NOT stands before a BOOL output; 'n' is INT.",
    );
  });
  it('an equal sign between the brackets is told as the sign that it should be; one for the other way too', () => {
    const B = 'FUNCTION_BLOCK B VAR_INPUT a, c : INT; END_VAR VAR_OUTPUT o : INT; END_VAR o := a; END_FUNCTION_BLOCK ';
    const body = (call: string) => errorsOf(`${B} PROGRAM P VAR i : INT; b : B; END_VAR ${call} END_PROGRAM`);
    expect(body('b(a := 1, c = 2);')).toEqual([expect.stringMatching(/ An input is given with ':=': c := …$/)]);
    expect(body('b(a = 1, c = 2);')).toHaveLength(2);
    expect(body('b(a := 1, o = i);')).toEqual([expect.stringMatching(/ An output is taken with '=>': o => …$/)]);
    expect(body('b(a := 1, o := i);')).toEqual([
      expect.stringContaining("'B' has no input 'o'. It is an output: o => …"),
    ]);
    expect(body('b(a => i);')).toEqual([expect.stringContaining("'B' has no output 'a'. It is an input: a := …")]);
    // A variable of that name makes it the comparison that it reads as.
    const G = 'FUNCTION G : INT VAR_INPUT x : BOOL; END_VAR G := 1; END_FUNCTION ';
    expect(errorsOf(`${G} PROGRAM P VAR i, x : INT; END_VAR i := G(x = 2); END_PROGRAM`)).toEqual([]);
    expect(errorsOf(`${G} PROGRAM P VAR i : INT; END_VAR i := G(x = 2); END_PROGRAM`)).toHaveLength(1);
  });
  it('mixed arguments are told once; a function without a value says that', () => {
    expect(errorsOf(`${F} PROGRAM P VAR i : INT; END_VAR i := F(a := 1, 2); END_PROGRAM`)).toEqual([
      expect.stringContaining('either all by name or all in order'),
    ]);
    const no = 'FUNCTION N VAR_INPUT a : INT; END_VAR ; END_FUNCTION ';
    expect(errorsOf(`${no} PROGRAM P VAR i : INT; END_VAR i := 1 + N(a := 2); END_PROGRAM`)).toEqual([
      expect.stringContaining("'N' gives no value."),
    ]);
  });
  it('ENO is assigned in a body without being declared, and begins each call as TRUE', () => {
    const text = `FUNCTION_BLOCK B VAR_INPUT x : BOOL; END_VAR VAR n : INT; END_VAR n := n + 1; IF x THEN ENO := FALSE; END_IF; END_FUNCTION_BLOCK
      FUNCTION G : INT VAR_INPUT x : BOOL; END_VAR G := 1; IF x THEN ENO := FALSE; END_IF; END_FUNCTION
      PROGRAM P VAR b : B; s, t, u, v : BOOL; i : INT; END_VAR
      b(x := TRUE, ENO => s); b(x := FALSE, ENO => t); i := G(x := TRUE, ENO => u); i := G(x := FALSE, ENO => v); END_PROGRAM`;
    expect(valuesOf(text, ['P.s', 'P.t', 'P.u', 'P.v'])).toEqual(['0', '1', '0', '1']);
  });
});

describe('initial values and types', () => {
  it('elements begin with the initial value of their type, in arrays of arrays and structures too', () => {
    const text = `TYPE Level : INT := 4; Row : ARRAY [1..2] OF Level; S : STRUCT r : Row; x : Level; END_STRUCT; END_TYPE
      PROGRAM P VAR c : ARRAY [1..3] OF Level; d : ARRAY [1..2] OF ARRAY [1..2] OF Level; s : S; n : ARRAY [1..2] OF S; END_VAR ; END_PROGRAM`;
    expect(valuesOf(text, ['P.c[3]', 'P.d[2][1]', 'P.s.r[2]', 'P.s.x', 'P.n[2].r[1]'])).toEqual([
      '4',
      '4',
      '4',
      '4',
      '4',
    ]);
  });
  it('bounds may name a constant, wherever it is declared', () => {
    const text = `TYPE A : ARRAY [1..N * 2] OF INT; Pct : INT (0..Top); END_TYPE
      VAR_GLOBAL CONSTANT N : INT := 3; Top : INT := 50 + N; END_VAR
      PROGRAM P VAR a : A; p : Pct; END_VAR a[6] := 9; p := 53; END_PROGRAM`;
    expect(valuesOf(text, ['P.a[6]', 'P.p'])).toEqual(['9', '53']);
    expect(errorsOf(text.replace('p := 53', 'p := 54'))).toEqual([expect.stringContaining('54 is outside')]);
  });
  it('a value outside of a subrange is a fault at the assignment, also through inputs of blocks', () => {
    const text = `TYPE Pct : INT (0..100); END_TYPE
      FUNCTION_BLOCK B VAR_INPUT p : Pct; END_VAR ; END_FUNCTION_BLOCK
      PROGRAM P VAR q : INT; p : Pct; b : B; END_VAR q := q + 60; b(p := q - 20); p := q; END_PROGRAM`;
    const e = engineOf(text);
    expect([e.runScan(), e.runScan()]).toEqual([true, false]);
    expect(e.fault).toMatchObject({ kind: 'RANGE', message: expect.stringContaining("The value of 'q' is 120") });
    const d = engineOf(text.replace('q := q + 60', 'q := q - 1'));
    expect(d.runScan()).toBe(false);
    expect(d.fault!.message).toContain("'q - 20' is -21");
  });
  it.each([
    ['d : DATE := D#9999-12-31', 'is out of range: dates go from 1677-09-22 to 2262-04-11'],
    ['d : DATE := D#1677-09-21', 'is out of range'],
    ['d : DT := DT#2262-04-12-00:00:00', 'is out of range'],
    ['d : DATE := D#2023-02-29', 'There is no 2023-02-29 in the calendar'],
    ['t : TIME := T#200000d', 'it is too long'],
    ['r : REAL := 1.0E39', 'does not fit REAL'],
    ['r : LREAL := 1.0E400', 'is out of range'],
    ["s : STRING := '5 €'", "'€' does not fit into a STRING"],
    [`s : STRING := '${'x'.repeat(40_000)}'`, 'has at most 32767'],
    ['a : ARRAY [0..16_777_216] OF BYTE', 'must run upwards over at most'],
  ])('%s', (declaration, message) => {
    expect(errorsOf(`PROGRAM P VAR ${declaration}; END_VAR ; END_PROGRAM`)).toEqual([expect.stringContaining(message)]);
  });
  it('what lies at the limits is right', () => {
    const text = `PROGRAM P VAR a : DATE := D#2262-04-11; b : DATE := D#1677-09-22; t : TIME := T#106751d; r : REAL := 3.4E38; s : WSTRING := "5 €"; z : REAL := -0.0; END_VAR ; END_PROGRAM`;
    expect(valuesOf(text, ['P.a', 'P.b', 'P.z'])).toEqual(['2262-04-11', '1677-09-22', '-0']);
  });
  it('all that is kept has a limit, and what takes most is named', () => {
    const many = Array.from({ length: 6 }, (_, i) => `big${i} : ARRAY [1..15_000_000] OF BYTE;`).join(' ');
    expect(errorsOf(`VAR_GLOBAL ${many} small : INT; END_VAR PROGRAM P ; END_PROGRAM`)).toEqual([
      expect.stringMatching(
        /takes 90,000,\d{3} bytes; at most 67,108,864 are possible\. The largest: big0 \(15,000,000\)/,
      ),
    ]);
    const nested = Array.from({ length: 60 }, (_, i) => `S${i + 1} : STRUCT a, b : S${i}; END_STRUCT;`).join(' ');
    expect(
      errorsOf(
        `TYPE S0 : STRUCT a : INT; END_STRUCT; ${nested} END_TYPE VAR_GLOBAL t : S60; END_VAR PROGRAM P ; END_PROGRAM`,
      )[0],
    ).toContain("The structure 'S26' needs 134,217,728 bytes");
  });
});

describe('statements', () => {
  it.each([
    ["s : STRING := 'ab'", "CASE s OF 'aa': q := 1; 'ab': q := 2; ELSE q := 3; END_CASE;", '2'],
    ["s : STRING := 'm'", "CASE s OF 'a'..'l': q := 1; 'm'..'z': q := 2; END_CASE;", '2'],
    ['r : LREAL := 2.5', 'CASE r OF 0.0..1.0: q := 1; 2.5: q := 2; END_CASE;', '2'],
    ['b : BOOL := TRUE', 'CASE b OF FALSE: q := 1; TRUE: q := 2; END_CASE;', '2'],
    ['t : TIME := T#5s', 'CASE t OF T#0s..T#4s: q := 1; T#5s: q := 2; END_CASE;', '2'],
    ['d : DATE := D#2026-01-31', 'CASE d OF D#2026-01-31: q := 2; END_CASE;', '2'],
    ["c : CHAR := 'x'", "CASE c OF 'a'..'f': q := 1; 'x': q := 2; END_CASE;", '2'],
  ])('CASE over %s', (declaration, body, value) => {
    expect(valuesOf(`PROGRAM P VAR ${declaration}; q : INT; END_VAR ${body} END_PROGRAM`, ['P.q'])).toEqual([value]);
  });
  it('CASE: a range of what has no order, a label twice, a choice that changes something', () => {
    expect(errorsOf('PROGRAM P VAR b : BOOL; END_VAR CASE b OF FALSE..TRUE: ; END_CASE; END_PROGRAM')[0]).toContain(
      'BOOL has no order',
    );
    expect(errorsOf("PROGRAM P VAR s : STRING; END_VAR CASE s OF 'a': ; 'a': ; END_CASE; END_PROGRAM")[0]).toContain(
      "The label 'a' is here twice",
    );
    const F =
      'VAR_GLOBAL g : LREAL; END_VAR FUNCTION F : LREAL VAR_EXTERNAL g : LREAL; END_VAR g := g + 1.0; F := g; END_FUNCTION ';
    expect(errorsOf(`${F} PROGRAM P CASE F() OF 1.0: ; END_CASE; END_PROGRAM`)[0]).toContain("This changes 'g'");
  });
  it('FOR with a step of 0 has no pass, and leaves its initial value', () => {
    const text = (by: string) =>
      `PROGRAM P VAR i, n, z : INT; END_VAR FOR i := 3 TO 9 BY ${by} DO n := n + 1; END_FOR; END_PROGRAM`;
    for (const by of ['0', 'z']) expect(valuesOf(text(by), ['P.i', 'P.n'])).toEqual(['3', '0']);
  });
  it('CR alone ends a line', () => {
    expect(errorsOf('PROGRAM P\rVAR i : INT; END_VAR // one\ri := 1; // two\rj := 2;\rEND_PROGRAM\r')).toEqual([
      expect.stringMatching(/^4:1: /),
    ]);
  });
  it('problems come from top to bottom', () => {
    const lines = errorsOf('PROGRAM P VAR t : TIME; END_VAR\na := 1;\nt := T#300000d;\nb := 1;\nEND_PROGRAM').map(
      (l) => l[0],
    );
    expect(lines).toEqual(['2', '3', '4']);
  });
  it('an input placed by VAR_CONFIG is given by its name', () => {
    const e = engineOf(`PROGRAM P VAR x AT %I* : BOOL; n : INT; END_VAR IF x THEN n := n + 1; END_IF; END_PROGRAM
      CONFIGURATION C TASK T(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM A WITH T : P;
      VAR_CONFIG A.x AT %IX0.3 : BOOL; END_VAR END_CONFIGURATION`);
    e.write('A.x', true);
    e.runScan();
    e.runScan();
    expect(e.read('A.n')).toBe(2n);
  });
  it('a long chain of EXTENDS and a large nested structure are read in moments', () => {
    const chain = Array.from(
      { length: 1500 },
      (_, i) =>
        `FUNCTION_BLOCK B${i} ${i ? `EXTENDS B${i - 1}` : ''} VAR x${i} : INT; END_VAR x${i} := 1; END_FUNCTION_BLOCK`,
    ).join('\n');
    expect(errorsOf(`${chain} PROGRAM P VAR b : B1499; END_VAR b(); END_PROGRAM`)).toEqual([]);
    const nested = Array.from({ length: 20 }, (_, i) => `S${i + 1} : STRUCT a, b : S${i}; END_STRUCT;`).join(' ');
    const e = engineOf(
      `TYPE S0 : STRUCT a : INT; b : INT := 7; END_STRUCT; ${nested} END_TYPE VAR_GLOBAL t : S20; END_VAR PROGRAM P ; END_PROGRAM`,
    );
    expect(e.read(`t${'.b'.repeat(20)}.b`)).toBe(7n);
  });
});

describe('a block of a program with a task of its own', () => {
  const text = (tasks: string, more = '') => `
    FUNCTION_BLOCK Count VAR_INPUT Add : INT; END_VAR VAR_OUTPUT N, Seen : INT; END_VAR
      N := N + Add; Seen := Seen + 1; END_FUNCTION_BLOCK
    FUNCTION_BLOCK Shared VAR_IN_OUT x : INT; END_VAR x := x + 1; END_FUNCTION_BLOCK
    PROGRAM P VAR fb, other : Count; s : Shared; calls, got, n : INT; END_VAR
      calls := calls + 1; fb(Add := calls, N => got); other(Add := 1); s(x := n); END_PROGRAM
    CONFIGURATION C TASK Fast(INTERVAL := T#10ms, PRIORITY := 1); TASK Slow(INTERVAL := T#30ms, PRIORITY := 2);
      PROGRAM A WITH Fast : P(${tasks}); PROGRAM B WITH Fast : P; ${more} END_CONFIGURATION`;
  it('runs when that task is due; its call hands values over and takes them back', () => {
    // Slow is due in the scans at 0, 30 and 60 ms; it finds the input that the call before it gave.
    expect(valuesOf(text('fb WITH Slow'), ['A.fb.Seen', 'A.fb.N', 'A.got', 'A.other.N', 'A.n'], 8)).toEqual([
      '3',
      String(1 + 4 + 7),
      '12',
      '8',
      '8',
    ]);
  });
  it('of another instance of the same program it runs where it is called', () => {
    expect(valuesOf(text('fb WITH Slow'), ['B.fb.Seen', 'B.got'], 4)).toEqual(['4', '10']);
  });
  it('in the same task it runs behind its program', () => {
    expect(valuesOf(text('fb WITH Fast'), ['A.fb.N', 'A.got'], 3)).toEqual(['6', '3']);
  });
  it.each([
    ['fb WITH Slwo', "There is no task 'Slwo'. Did you mean 'Slow'?"],
    ['fx WITH Slow', "P has no function block 'fx'. Did you mean 'fb'?"],
    ['calls WITH Slow', "'calls' is INT; only a function block runs with a task of its own."],
    ['fb WITH Slow, fb WITH Fast', "'fb' has a task of its own already."],
    ['s WITH Slow', "Shared has the in-out 'x'"],
    ['fb WITH', "Expected the name of a task, found ')'."],
  ])('%s is told', (tasks, message) => {
    expect(errorsOf(text(tasks))).toEqual([expect.stringContaining(message)]);
  });
});

describe('a call that comes back through an interface', () => {
  const chain = (inside = 'VAR before : INT; END_VAR', more = '') => `
    INTERFACE IHandler METHOD Handle : BOOL VAR_INPUT Level : INT; END_VAR END_METHOD END_INTERFACE
    FUNCTION_BLOCK Link IMPLEMENTS IHandler
    VAR PUBLIC Next : IHandler; Limit, Hits, Sum : INT; END_VAR
    METHOD PUBLIC Handle : BOOL VAR_INPUT Level : INT; END_VAR ${inside}
      before := Level * 2;
      IF Level <= Limit THEN Hits := Hits + 1; Handle := TRUE;
      ELSIF Next <> NULL THEN Handle := Next.Handle(Level := Level); END_IF;
      ${more}
      Sum := Sum + before + Level;
    END_METHOD END_FUNCTION_BLOCK
    PROGRAM P VAR a, b, c : Link; n : INT; r, Ring : BOOL; END_VAR
      a.Limit := 1; b.Limit := 2; c.Limit := 3; a.Next := b; b.Next := c;
      IF Ring THEN c.Next := a; END_IF;
      n := n + 1; r := a.Handle(Level := n);
    END_PROGRAM`;
  it('is for another instance, with values of its own', () => {
    expect(valuesOf(chain(), ['P.a.Hits', 'P.b.Hits', 'P.c.Hits', 'P.r', 'P.a.Sum', 'P.b.Sum', 'P.c.Sum'], 4)).toEqual([
      ...['1', '1', '1', '0'],
      ...['30', '27', '21'],
    ]);
  });
  it.each([true, false])('deeper than 64 is a fault with its place; the next start runs (watched: %s)', (watched) => {
    const c = compile([{ kind: 'text', name: 't.st', text: chain() }]);
    expect(c.hasErrors).toBe(false);
    const e = new Engine(c.build(watched), { stepNs: 10_000_000n });
    for (let n = 0; n < 3; n++) expect(e.runScan()).toBe(true);
    e.write('P.Ring', true);
    expect(e.runScan()).toBe(false);
    expect(e.faultLine()).toContain("'Next.Handle(Level := Level)' has come back to itself more than 64 deep");
    if (watched) expect(e.fault!.path).toHaveLength(66);
    e.restart();
    for (let n = 0; n < 3; n++) expect(e.runScan()).toBe(true);
    expect(e.read('P.c.Hits')).toBe(1n);
  });
  // Each link puts its own mark on both sides of what the links behind it give: whatever calls shared would show.
  const marking = `
    TYPE Pair : STRUCT low, high : INT := 1; END_STRUCT; END_TYPE
    INTERFACE ILink
      METHOD Mark : STRING VAR_INPUT p : Pair; given : STRING; END_VAR VAR_IN_OUT far : Pair; END_VAR
        VAR_OUTPUT seen : Pair; list : ARRAY[1..3] OF INT; END_VAR END_METHOD
    END_INTERFACE
    FUNCTION_BLOCK Link IMPLEMENTS ILink
    VAR PUBLIC Next : ILink; Own : INT; Deep : Pair; END_VAR
    METHOD PUBLIC Mark : STRING
      VAR_INPUT p : Pair; given : STRING; END_VAR VAR_IN_OUT far : Pair; END_VAR
      VAR_OUTPUT seen : Pair; list : ARRAY[1..3] OF INT; END_VAR
      VAR mine : Pair; before : STRING; behind : STRING; theirs : ARRAY[1..3] OF INT; END_VAR
      before := CONCAT(given, INT_TO_STRING(Own));
      mine.low := p.low + Own; mine.high := mine.high * 10 + Own;
      far.high := far.high + Own;
      list[1] := Own;
      IF Next <> NULL THEN
        behind := CONCAT('(', CONCAT(Next.Mark(p := mine, given := before, far := mine, seen => Deep, list => theirs), ')'));
        list[2] := theirs[1]; list[3] := theirs[2];
      END_IF;
      seen.low := mine.low; seen.high := mine.high;
      Mark := CONCAT(before, CONCAT(behind, INT_TO_STRING(Own)));
    END_METHOD END_FUNCTION_BLOCK
    FUNCTION_BLOCK Last IMPLEMENTS ILink
    METHOD PUBLIC Mark : STRING
      VAR_INPUT p : Pair; given : STRING; END_VAR VAR_IN_OUT far : Pair; END_VAR
      VAR_OUTPUT seen : Pair; list : ARRAY[1..3] OF INT; END_VAR
      far.low := far.low + 1000; seen := p; list[1] := 99; Mark := '!';
    END_METHOD END_FUNCTION_BLOCK
    PROGRAM P VAR a, b, c : Link; z : Last; n : INT; s : STRING; p, far, seen : Pair; list : ARRAY[1..3] OF INT; END_VAR
      n := n + 1;
      a.Own := 1; b.Own := 2; c.Own := 3; a.Next := b; b.Next := c; c.Next := z;
      far.low := 0; far.high := 0; p.low := n;
      s := a.Mark(p := p, given := 'g', far := far, seen => seen, list => list);
    END_PROGRAM`;
  it.each([true, false])('each call has structures, arrays, texts and outputs of its own (watched: %s)', (watched) => {
    const c = compile([{ kind: 'text', name: 't.st', text: marking }]);
    expect(c.diagnostics.map((d) => d.message)).toEqual([]);
    const e = new Engine(c.build(watched), { stepNs: 10_000_000n });
    for (let n = 1; n <= 3; n++) {
      expect(e.runScan()).toBe(true);
      const at = (path: string) => e.read(`P.${path}`);
      expect(at('s')).toBe('g1(g12(g123(!)3)2)1');
      expect([at('list[1]'), at('list[2]'), at('list[3]')]).toEqual([1n, 2n, 3n]);
      // a's own: low n + 1, high 11, b adds its 2 to that.
      expect([at('seen.low'), at('seen.high'), at('far.low'), at('far.high')]).toEqual([BigInt(n + 1), 13n, 0n, 1n]);
      expect([at('a.Deep.low'), at('a.Deep.high')]).toEqual([BigInt(n + 3), 15n]);
      expect([at('b.Deep.low'), at('b.Deep.high')]).toEqual([BigInt(n + 6 + 1000), 13n]);
      expect([at('c.Deep.low'), at('c.Deep.high')]).toEqual([BigInt(n + 6), 13n]);
    }
  });
  it('a block called through its interface has temporaries of its own', () => {
    const text = `
      INTERFACE IStep METHOD Go : INT VAR_INPUT n : INT; END_VAR END_METHOD END_INTERFACE
      FUNCTION_BLOCK Body VAR_INPUT n : INT; END_VAR VAR_OUTPUT sum : INT; END_VAR VAR PUBLIC Next : IStep; END_VAR
        VAR_TEMP parts : ARRAY[1..2] OF INT; END_VAR
        parts[1] := n; parts[2] := 10 * n;
        IF Next <> NULL THEN sum := Next.Go(n := n + 1); ELSE sum := 0; END_IF;
        sum := sum + parts[1] + parts[2];
      END_FUNCTION_BLOCK
      FUNCTION_BLOCK Link IMPLEMENTS IStep VAR PUBLIC Inner : Body; END_VAR
        METHOD PUBLIC Go : INT VAR_INPUT n : INT; END_VAR Inner(n := n, sum => Go); END_METHOD
      END_FUNCTION_BLOCK
      PROGRAM P VAR a, b, c : Link; r : INT; END_VAR
        a.Inner.Next := b; b.Inner.Next := c; r := a.Go(n := 1);
      END_PROGRAM`;
    expect(valuesOf(text, ['P.r'], 2)).toEqual(['66']);
  });
  it('more than fits, 65 calls deep, is told with what takes it', () => {
    const text = chain('VAR before : INT; big : ARRAY[1..2000000] OF LINT; END_VAR');
    expect(errorsOf(text)).toEqual([
      expect.stringContaining("'big' of 'Link.Handle' takes most of it: keep it in the instance."),
    ]);
  });
  it('one that is certain to come back stays an error', () => {
    expect(
      errorsOf(
        'FUNCTION F : INT F := G(); END_FUNCTION FUNCTION G : INT G := F(); END_FUNCTION PROGRAM P ; END_PROGRAM',
      ),
    ).toEqual([expect.stringContaining("'F' calls itself, through 'G'")]);
  });
});
