/**
 * Programs broken at random: the front end reports and never throws, and what it accepts compiles to a valid
 * module and runs. Words are taken out, doubled, swapped or replaced by others of the text.
 */
import { expect, it } from 'vitest';
import { Engine } from '../../src/bench.js';
import type { Project } from '../../src/document.js';
import { compile } from '../../src/workspace.js';
import { lex } from '../../src/language/lexer.js';
import { ladderProject } from '../support.js';

const TEXT = `
TYPE Mode : (Off, Hand, Auto := 5); Small : INT (1..9) := 3; Point : STRUCT x : REAL := 1.5; y : REAL; flags : WORD; name : STRING[8] := 'p'; END_STRUCT; Line : ARRAY [1..3] OF Point; END_TYPE
FUNCTION Scale : REAL VAR_INPUT raw : INT; k : REAL := 0.5; END_VAR VAR_OUTPUT over : BOOL; END_VAR VAR t : REAL; END_VAR t := INT_TO_REAL(raw) * k; over := t > 100.0; Scale := LIMIT(0.0, t, 100.0); END_FUNCTION
FUNCTION_BLOCK Pump VAR_INPUT run : BOOL; level : REAL; END_VAR VAR_OUTPUT on : BOOL; hours : UDINT; END_VAR VAR_IN_OUT total : LINT; END_VAR VAR delay : TON; edge : R_TRIG; END_VAR
delay(IN := run AND level > 2.5, PT := T#1s500ms); edge(CLK := delay.Q); on := delay.Q; IF edge.Q THEN hours := hours + 1; total := total + 1; END_IF; END_FUNCTION_BLOCK
VAR_GLOBAL Start AT %IX0.0 : BOOL; Speed AT %QW2 : WORD; Limits : Line := [(x := 1.0, flags := 16#F), 2((y := 2.0))]; m : Mode := Hand; END_VAR
PROGRAM Main VAR p : ARRAY [0..1] OF Pump; sum : LINT; i : INT; w : WORD; s : STRING; d : DT := DT#2026-01-01-00:00:00; over : BOOL; r : REAL; q : Small; END_VAR
FOR i := 0 TO 1 DO p[i](run := Start OR m = Auto, level := Limits[i + 1].x, total := sum); END_FOR;
CASE m OF Off: w := 0; Hand: w := SHL(w OR 1, 1); Mode#Auto: w.3 := TRUE; ELSE EXIT; END_CASE;
WHILE i < 5 DO i := i + 1; IF i = 3 THEN CONTINUE; END_IF; END_WHILE;
REPEAT r := r + Scale(raw := i, over => over); UNTIL r > 3.0 END_REPEAT;
s := CONCAT(s, MID(s, 1, 1), 'ab'); d := d + T#1s; Speed := w AND NOT 16#00FF; Limits[2] := Limits[1]; q := ABS(-3);
END_PROGRAM
CONFIGURATION C RESOURCE R ON Any TASK T(INTERVAL := T#20ms, PRIORITY := 1); PROGRAM main WITH T : Main; END_RESOURCE END_CONFIGURATION`;

const LINES = [
  '(A | ^B & N > 3) & T1(PT := 300 ms) -> Q, set A, (C -> { N := N + 1; })',
  '!A & Cnt(R := B, PV := N).Q -> reset Q, ^{ N := 0; }',
  'Run:TOF(PT := 1 s) & W.3 & Arr[N] -> return',
  '-> { IF A THEN N := N / 2; END_IF; }',
];
const TAGS = [
  'A : BOOL',
  'B : BOOL',
  'C : BOOL',
  'N : INT',
  'W : WORD',
  'Arr : ARRAY [0..9] OF BOOL',
  'T1 : TON',
  'Cnt : CTU',
  'Q : BOOL',
];

function random(seed: number): (n: number) => number {
  let s = seed;
  return (n) => {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    return s % n;
  };
}

/** Changes one or two words of a text. */
function mutate(text: string, next: (n: number) => number, rung = false): string {
  let out = text;
  for (let k = next(2); k >= 0; k--) {
    const words = lex(out, { rung }).tokens.filter((t) => t.kind !== 'end');
    if (words.length < 2) return out;
    const w = words[next(words.length)]!,
      other = words[next(words.length)]!;
    const other_ = out.slice(other.start, other.end);
    const replacement = [
      '',
      `${out.slice(w.start, w.end)} ${out.slice(w.start, w.end)}`,
      other_,
      ['(', ')', ';', ':=', 'END_IF', '5', '-1', 'T#1s', "'x'", '.', '[', 'NOT', '1.5', 'TRUE'][next(14)]!,
    ][next(4)]!;
    out = out.slice(0, w.start) + replacement + out.slice(w.end);
  }
  return out;
}

function runs(c: ReturnType<typeof compile>): void {
  for (const d of c.diagnostics) expect(d.message.length).toBeGreaterThan(5);
  if (c.hasErrors) return;
  for (const watched of [true, false]) {
    const image = c.build(watched);
    expect(WebAssembly.validate(image.wasm)).toBe(true);
    const e = new Engine(image, { stepNs: 10_000_000n, watchdog: 10_000 });
    for (let i = 0; i < 4; i++) e.runScan();
    expect(e.fault?.kind ?? 'none').not.toBe('INTERNAL');
  }
}

it('the text they are made from is right', () => {
  // EXIT outside a loop is the one mistake, so that it is mutated too.
  expect(
    compile([{ kind: 'text', name: 't', text: TEXT }])
      .diagnostics.filter((d) => d.severity === 'error')
      .map((d) => d.code),
  ).toEqual(['MISPLACED']);
});

it('1,500 broken texts', () => {
  const right = TEXT.replace('ELSE EXIT;', 'ELSE w := 1;');
  let accepted = 0;
  for (let seed = 1; seed <= 1500; seed++) {
    const text = mutate(right, random(seed));
    try {
      const c = compile([{ kind: 'text', name: 't', text }]);
      if (!c.hasErrors) accepted++;
      runs(c);
    } catch (e) {
      throw new Error(`seed ${seed}: ${(e as Error).stack}\n${text}`);
    }
  }
  expect(accepted).toBeGreaterThan(20);
}, 120_000);

it('1,000 broken rungs', () => {
  for (let seed = 1; seed <= 1000; seed++) {
    const next = random(seed);
    const project: Project = ladderProject(
      TAGS,
      LINES.map((l) => (next(2) ? mutate(l, next, true) : l)),
    );
    try {
      runs(compile([{ kind: 'project', name: 'p', project }]));
    } catch (e) {
      throw new Error(`seed ${seed}: ${(e as Error).stack}\n${JSON.stringify(project.pous)}`);
    }
  }
}, 120_000);

const OBJECTS = `
NAMESPACE Plant.Cells
TYPE State : (Idle, Busy := 4, Done); Node : STRUCT v : INT; next : REF_TO Node; END_STRUCT; END_TYPE
INTERFACE Mover METHOD Go : BOOL VAR_INPUT goal : INT; END_VAR VAR_OUTPUT left : INT; END_VAR END_METHOD END_INTERFACE
CLASS ABSTRACT Base VAR PROTECTED pos : INT; END_VAR VAR PUBLIC count : DINT; END_VAR METHOD PUBLIC ABSTRACT Step END_METHOD METHOD PUBLIC Where : INT Where := pos; END_METHOD END_CLASS
CLASS Axis EXTENDS Base IMPLEMENTS Mover METHOD PUBLIC OVERRIDE Step pos := pos + 1; count := count + 1; END_METHOD
METHOD PUBLIC Go : BOOL VAR_INPUT goal : INT; END_VAR VAR_OUTPUT left : INT; END_VAR THIS.Step(); left := goal - THIS.Where(); Go := left <= 0; END_METHOD END_CLASS
CLASS Slow EXTENDS Axis METHOD PUBLIC OVERRIDE Step IF count MOD DINT#2 = 0 THEN SUPER.Step(); ELSE count := count + 1; END_IF; END_METHOD END_CLASS
FUNCTION Sum : DINT VAR_IN_OUT a : ARRAY [*] OF INT; END_VAR VAR i : DINT; END_VAR FOR i := LOWER_BOUND(a, 1) TO UPPER_BOUND(a, 1) DO Sum := Sum + a[i]; END_FOR; END_FUNCTION
END_NAMESPACE
FUNCTION_BLOCK Gate VAR_INPUT open : BOOL; END_VAR VAR_OUTPUT n : INT; END_VAR IF open THEN n := n + 1; END_IF; END_FUNCTION_BLOCK
FUNCTION_BLOCK Wide EXTENDS Gate VAR_INPUT more : INT := 2; END_VAR SUPER(); n := n + more; END_FUNCTION_BLOCK
PROGRAM Main USING Plant.Cells; VAR x : Axis; y : Slow; m : Mover; a : Node; b : Node; r : REF_TO Node; f : ARRAY [0..2] OF INT := [3, 2(4)]; d : DINT; g : Wide; ok : BOOL; left : INT; s : State := State#Busy; t : STRING; END_VAR
m := x; ok := m.Go(goal := 3, left => left); m ?= y; IF m <> NULL THEN ok := m.Go(5); END_IF;
r := REF(a); r^.next := REF(b); r^.next^.v := 7; d := Sum(a := f) + Plant.Cells.Sum(f); g(open := ok); SPLIT_DATE(D#2026-01-31, DAY => left); t := CONCAT(REAL_TO_STRING(1.5), TIME_TO_STRING(T#2s)); x.Step(); d := d + y.count;
END_PROGRAM
CONFIGURATION C VAR_GLOBAL Out : INT; END_VAR RESOURCE R ON Any TASK T(INTERVAL := T#10ms, PRIORITY := 1); PROGRAM main WITH T : Main; END_RESOURCE END_CONFIGURATION`;

it('classes, interfaces and namespaces broken at random', () => {
  expect(
    compile([{ kind: 'text', name: 't', text: OBJECTS }])
      .diagnostics.filter((d) => d.severity === 'error')
      .map((d) => d.message),
  ).toEqual([]);
  const next = random(4711);
  for (let i = 0; i < 500; i++) runs(compile([{ kind: 'text', name: 't', text: mutate(OBJECTS, next) }]));
}, 120_000);

it('texts cut off anywhere, and texts of random signs', () => {
  for (const text of [TEXT, OBJECTS])
    for (let k = 0; k < text.length; k += 13) compile([{ kind: 'text', name: 't', text: text.slice(0, k) }]);
  const next = random(99);
  const signs = [
    "'",
    '"',
    '$',
    '(*',
    '*)',
    '/*',
    '//',
    '{',
    '}',
    '%',
    '%IX',
    '#',
    '16#',
    'T#',
    'D#',
    '.',
    '..',
    ':=',
    '=>',
    '?=',
    '^',
    '\n',
    '\t',
    '\r',
    '\0',
    '\ufeff',
    'é',
    '😀',
    'END_',
    'PROGRAM',
    'METHOD',
    'VAR',
    '1',
    'e5',
    '_',
    ' ',
    ';',
  ];
  for (let i = 0; i < 1500; i++) {
    const { diagnostics } = compile([
      {
        kind: 'text',
        name: 't',
        text: Array.from({ length: 1 + next(60) }, () => signs[next(signs.length)]!).join(''),
      },
    ]);
    for (const d of diagnostics) expect(d.at.start).toBeGreaterThanOrEqual(0);
  }
}, 120_000);
