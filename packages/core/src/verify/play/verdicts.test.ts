/**
 * Logic and rules whose truth is known, judged the whole way: proof, search, verdict. `true`: no run of the logic
 * breaks the rule. `false`: some run does. A verdict may be less than the truth (OPEN), never other than it; where the
 * plainest statements are concerned (`must`), it is the truth.
 */
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { type Project, type ProjectPou, type Tag, emptyProject } from '../../document.js';
import { type RuleProof, planProof, prove, proveRules, ruleVerdict } from '../../verify.js';
import { scanStep } from '../../bench.js';
import { type LoadedSolver, loadSolver } from '../prove/z3.js';

let solver: LoadedSolver;
beforeAll(async () => {
  solver = await loadSolver();
});
afterAll(() => solver.close());

/** `A %IX0.0 : BOOL := TRUE retain write`: a tag in a line. */
function tagOf(line: string, n: number): Tag {
  const m = /^(\w+)(?:\s+(%\S+))?\s*:\s*([^:]+?)(?:\s*:=\s*(.+?))?((?:\s+(?:retain|write))*)$/.exec(line)!;
  return {
    id: `t${n}`,
    name: m[1]!,
    type: m[3]!.trim(),
    ...(m[2] ? { address: m[2] } : {}),
    ...(m[4] ? { initial: m[4].trim() } : {}),
    ...(m[5]!.includes('retain') ? { retain: true } : {}),
    ...(m[5]!.includes('write') ? { access: 'write' as const } : {}),
  };
}
const INPUTS = ['A %IX0.0 : BOOL', 'B %IX0.1 : BOOL', 'Q %QX0.0 : BOOL', 'P %QX0.1 : BOOL'];
interface Case {
  readonly tags?: string;
  readonly types?: string;
  /** Functions and function blocks of its own, by name. */
  readonly own?: Readonly<Record<string, string>>;
  readonly logic: string;
  /** Of further programs, each in a task of its own. */
  readonly more?: readonly {
    readonly interval?: string;
    readonly event?: string;
    readonly priority: number;
    readonly logic: string;
  }[];
  readonly rule: string;
  readonly assumed?: string;
}
function projectOf(c: Case): Project {
  const pou = (name: string, logic: string): ProjectPou => ({
    id: name,
    name,
    language: 'ST',
    kind: 'program',
    text: `PROGRAM ${name}\n${logic}\nEND_PROGRAM`,
  });
  const own = Object.entries(c.own ?? {}).map(([name, text]): ProjectPou => ({
    id: name,
    name,
    language: 'ST',
    kind: text.startsWith('FUNCTION_BLOCK') ? 'functionBlock' : 'function',
    text,
  }));
  const more = c.more ?? [];
  return {
    ...emptyProject('case'),
    tags: [...INPUTS, ...(c.tags?.split(/\s*;\s*/).filter(Boolean) ?? [])].map(tagOf),
    types: c.types ? [{ id: 'ty', text: c.types }] : [],
    pous: [...own, pou('Main', c.logic), ...more.map((m, i) => pou(`More${i}`, m.logic))],
    tasks: [
      { id: 'k', name: 'K', interval: '10 ms', priority: 1, programs: ['Main'] },
      ...more.map((m, i) => ({
        id: `k${i}`,
        name: `K${i}`,
        interval: m.interval ?? '0 ms',
        ...(m.event ? { event: m.event } : {}),
        priority: m.priority,
        programs: [`More${i}`],
      })),
    ],
    rules: [
      { id: 'r', name: 'R', sentence: c.rule },
      ...(c.assumed ? [{ id: 'a', name: 'Assumed', sentence: c.assumed, assumed: true }] : []),
    ],
  };
}
async function judge(c: Case): Promise<{ word: string; words: string; proof: RuleProof }> {
  const project = projectOf(c),
    plan = planProof(project, 'case');
  expect(plan.compiled.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
  expect(plan.diagnostics.map((d) => d.message)).toEqual([]);
  const stepNs = scanStep(plan.image!);
  const answer = await proveRules(project, plan, { stepNs, solver });
  const proof = answer.rules.find((r) => r.id === 'r')!,
    rule = prove(plan, { stepNs }).rules.find((r) => r.id === 'r')!;
  return { ...ruleVerdict(rule, { proof }), proof };
}

const VAR = (text: string) => `VAR ${text} END_VAR\n`;
type Row = readonly [why: string, truth: boolean, c: Case, must?: boolean];
const CASES: readonly Row[] = [
  // --- what is written from outside
  [
    'what may be written from outside is free',
    false,
    { tags: 'Hmi : BOOL write', logic: 'Q := A AND Hmi;', rule: 'never Q' },
    true,
  ],
  ['what nothing writes stays as it is', true, { tags: 'Hmi : BOOL', logic: 'Q := A AND Hmi;', rule: 'never Q' }, true],
  [
    'a set-point from outside may leave its range',
    false,
    { tags: 'Sp : INT := 5 write', logic: 'Q := Sp > 100;', rule: 'never Q' },
    true,
  ],
  [
    'what is written from outside and then overwritten is not free',
    true,
    { tags: 'Hmi : BOOL write', logic: 'Hmi := FALSE; Q := A AND Hmi;', rule: 'never Q' },
    true,
  ],
  // --- without any input
  [
    'a counter that runs by itself gets there',
    false,
    { tags: 'C : INT', logic: 'IF C < 200 THEN C := C + 1; END_IF; Q := C >= 200;', rule: 'never Q' },
    true,
  ],
  [
    'the first scan alone',
    false,
    { tags: 'Done : BOOL', logic: 'Q := NOT Done; Done := TRUE;', rule: 'never Q' },
    true,
  ],
  [
    'after the first scan never again',
    true,
    {
      tags: 'Done : BOOL; Q2 : BOOL',
      logic: 'Q2 := Done AND Q; Q := NOT Done; Done := TRUE;',
      rule: 'never Q2 and Q together',
    },
  ],
  // --- timers
  [
    'TP lasts as long as its preset',
    true,
    { logic: `${VAR('Tp1 : TP;')}Tp1(IN := A, PT := T#500ms); Q := Tp1.Q;`, rule: 'Q stays at least 500 ms' },
    true,
  ],
  [
    'TP does not last longer',
    false,
    { logic: `${VAR('Tp1 : TP;')}Tp1(IN := A, PT := T#500ms); Q := Tp1.Q;`, rule: 'Q stays at least 510 ms' },
    true,
  ],
  [
    'TON only while its input is on',
    true,
    { logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#200ms); Q := Ton1.Q;`, rule: 'Q requires A' },
    true,
  ],
  [
    'TON does come on',
    false,
    { logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#200ms); Q := Ton1.Q;`, rule: 'never Q' },
    true,
  ],
  [
    'TON keeps ET within PT',
    true,
    {
      logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#200ms); Q := Ton1.Q;`,
      rule: 'always Main.Ton1.ET <= T#200ms',
    },
    true,
  ],
  [
    'TON is on exactly when ET has come to PT',
    true,
    {
      logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#200ms);`,
      rule: 'always Main.Ton1.Q = (Main.Ton1.ET >= T#200ms)',
    },
    true,
  ],
  [
    'TOF stays on for its preset',
    true,
    { logic: `${VAR('Tof1 : TOF;')}Tof1(IN := A, PT := T#300ms); Q := Tof1.Q;`, rule: 'Q stays at least 300 ms' },
    true,
  ],
  [
    'TOF goes off',
    true,
    { logic: `${VAR('Tof1 : TOF;')}Tof1(IN := FALSE, PT := T#300ms); Q := Tof1.Q;`, rule: 'never Q' },
    true,
  ],
  [
    'TOF is on while its input is',
    true,
    { logic: `${VAR('Tof1 : TOF;')}Tof1(IN := A, PT := T#300ms); Q := Tof1.Q;`, rule: 'A requires Q' },
    true,
  ],
  [
    'a preset of nothing passes at once',
    false,
    { logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#0s); Q := Ton1.Q;`, rule: 'never Q' },
    true,
  ],
  [
    'a TON that is reset by itself pulses for one scan',
    true,
    {
      logic: `${VAR('Ton1 : TON;')}Ton1(IN := NOT Ton1.Q, PT := T#100ms); P := Q; Q := Ton1.Q;`,
      rule: 'never P and Q together',
    },
    true,
  ],
  [
    'what follows a timer follows within its time',
    true,
    {
      logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#50ms); Q := Ton1.Q OR NOT A;`,
      rule: 'after A, Q within 60 ms',
    },
    true,
  ],
  [
    'and not sooner',
    false,
    { logic: `${VAR('Ton1 : TON;')}Ton1(IN := A, PT := T#50ms); Q := Ton1.Q;`, rule: 'after A, Q within 30 ms' },
    true,
  ],
  [
    'two timers in a row',
    true,
    {
      logic: `${VAR('T1, T2 : TON;')}T1(IN := A, PT := T#30ms); T2(IN := T1.Q, PT := T#30ms); Q := T2.Q;`,
      rule: 'Q requires Main.T1.Q',
    },
    true,
  ],
  // --- counters, edges, bistables
  [
    'CTU counts no further than it is reset',
    true,
    { logic: `${VAR('C1 : CTU;')}C1(CU := A, R := C1.Q, PV := 3); Q := C1.CV > 3;`, rule: 'never Q' },
    true,
  ],
  [
    'CTU reaches its preset',
    false,
    { logic: `${VAR('C1 : CTU;')}C1(CU := A, R := B, PV := 3); Q := C1.Q;`, rule: 'never Q' },
    true,
  ],
  [
    'CTU stands at the end of its type',
    true,
    { tags: 'W : INT', logic: `${VAR('C1 : CTU;')}C1(CU := A, PV := 3); Q := C1.CV < 0;`, rule: 'never Q' },
    true,
  ],
  [
    'CTD is done at zero',
    true,
    { logic: `${VAR('C1 : CTD;')}C1(CD := A, LD := B, PV := 2); Q := C1.Q <> (C1.CV <= 0);`, rule: 'never Q' },
    true,
  ],
  [
    'CTUD with both edges stays',
    true,
    {
      logic: `${VAR('C1 : CTUD; Old : INT;')}Old := C1.CV; C1(CU := A, CD := A, PV := 3); Q := C1.CV <> Old;`,
      rule: 'never Q',
    },
    true,
  ],
  [
    'R_TRIG is on for one scan',
    true,
    { logic: `${VAR('E : R_TRIG;')}P := Q; E(CLK := A); Q := E.Q;`, rule: 'never P and Q together' },
    true,
  ],
  [
    'F_TRIG called first with CLK off is on',
    false,
    { logic: `${VAR('E : F_TRIG; First : BOOL := TRUE;')}E(CLK := FALSE); Q := E.Q;`, rule: 'never Q' },
    true,
  ],
  ['SR: set wins', true, { logic: `${VAR('F : SR;')}F(S1 := A, R := B); Q := F.Q1;`, rule: 'A requires Q' }, true],
  [
    'RS: reset wins',
    true,
    { logic: `${VAR('F : RS;')}F(S := A, R1 := B); Q := F.Q1;`, rule: 'never Q and B together' },
    true,
  ],
  ['RS remembers', false, { logic: `${VAR('F : RS;')}F(S := A, R1 := B); Q := F.Q1;`, rule: 'Q requires A' }, true],
  // --- arithmetic
  [
    'an INT wraps',
    false,
    { tags: 'C : INT := 32760', logic: 'IF A THEN C := C + 1; END_IF; Q := C < 0;', rule: 'never Q' },
    true,
  ],
  ['a USINT wraps', false, { tags: 'C : USINT := 250', logic: 'C := C + 1; Q := C = 0;', rule: 'never Q' }, true],
  [
    'unsigned numbers are never negative',
    true,
    { tags: 'C : UINT', logic: 'IF A THEN C := C - 1; END_IF; Q := UINT_TO_DINT(C) < 0;', rule: 'never Q' },
    true,
  ],
  [
    'the difference of signed numbers overflows',
    false,
    { tags: 'X %IW2 : INT; Y %IW4 : INT', logic: 'Q := (X - Y > 0) AND (X < Y);', rule: 'never Q' },
    true,
  ],
  [
    'NaN is equal to nothing',
    false,
    { tags: 'R : REAL', logic: 'R := (R - R) / (R - R); Q := R <> R;', rule: 'never Q' },
    true,
  ],
  [
    'a REAL that may be NaN is not always within its limits',
    false,
    { tags: 'R %ID4 : REAL', logic: 'Q := NOT (R >= 0.0) AND NOT (R < 0.0);', rule: 'never Q' },
  ],
  [
    'MOD keeps the sign of the left',
    false,
    { tags: 'X %IW2 : INT', logic: 'Q := X MOD 3 < 0;', rule: 'never Q' },
    true,
  ],
  ['MOD by zero is zero', true, { tags: 'X %IW2 : INT; Z : INT', logic: 'Q := X MOD Z <> 0;', rule: 'never Q' }, true],
  [
    'LIMIT keeps within',
    true,
    { tags: 'X %IW2 : INT; Y : INT', logic: 'Y := LIMIT(0, X, 100);', rule: 'Y between 0 and 100' },
    true,
  ],
  ['ABS of the lowest number is negative', false, { tags: 'X %IW2 : INT', logic: 'Q := ABS(X) < 0;', rule: 'never Q' }],
  [
    'a shift past the width is zero',
    true,
    { tags: 'W %IB8 : BYTE; V : BYTE', logic: 'V := SHL(W, 8);', rule: 'always V = 0' },
    true,
  ],
  // --- retained
  [
    'a warm restart keeps one and not the other',
    false,
    {
      tags: 'Rt : BOOL retain; Nr : BOOL',
      logic: 'IF A THEN Rt := TRUE; Nr := TRUE; END_IF;',
      rule: 'always NOT Rt OR Nr',
    },
    true,
  ],
  [
    'both retained go together',
    true,
    {
      tags: 'Rt : BOOL retain; Nr : BOOL retain',
      logic: 'IF A THEN Rt := TRUE; Nr := TRUE; END_IF;',
      rule: 'always NOT Rt OR Nr',
    },
    true,
  ],
  [
    'retained in a block',
    false,
    {
      logic: `${VAR('Nr : BOOL;')}VAR RETAIN Rt : BOOL; END_VAR\nIF A THEN Rt := TRUE; Nr := TRUE; END_IF;`,
      rule: 'always NOT Main.Rt OR Main.Nr',
    },
    true,
  ],
  [
    'a retained number that only grows',
    true,
    { tags: 'C : UINT retain', logic: 'IF A AND C < 10 THEN C := C + 1; END_IF;', rule: 'always C <= 10' },
    true,
  ],
  [
    'the first scan comes again after a warm restart',
    false,
    {
      tags: 'Count : USINT retain; Begun : BOOL',
      logic: 'IF NOT Begun THEN Begun := TRUE; IF Count < 5 THEN Count := Count + 1; END_IF; END_IF; Q := Count > 1;',
      rule: 'never Q',
    },
    true,
  ],
  // --- faults
  [
    'cut off in the middle of a scan',
    false,
    {
      tags: 'Ix %IW2 : INT; V : INT',
      logic: 'Q := TRUE; IF Ix > 5 THEN V := 100 / (Ix - 7); END_IF; Q := FALSE;',
      rule: 'never faults',
    },
    true,
  ],
  [
    'a division that is guarded',
    true,
    { tags: 'Ix %IW2 : INT; V : INT', logic: 'IF Ix <> 0 THEN V := 100 / Ix; END_IF;', rule: 'never faults' },
    true,
  ],
  [
    'an index that is not',
    false,
    { tags: 'Ix %IW2 : INT; V : INT; F : ARRAY[0..9] OF INT', logic: 'V := F[Ix];', rule: 'never faults' },
    true,
  ],
  [
    'an index that is limited',
    true,
    { tags: 'Ix %IW2 : INT; V : INT; F : ARRAY[0..9] OF INT', logic: 'V := F[LIMIT(0, Ix, 9)];', rule: 'never faults' },
    true,
  ],
  ['a fault in the first scan', false, { tags: 'Z : INT; V : INT', logic: 'V := 1 / Z;', rule: 'never faults' }, true],
  [
    'a fault that takes a while',
    false,
    { tags: 'C : INT := 50; V : INT', logic: 'C := C - 1; V := 1 / C;', rule: 'never faults' },
    true,
  ],
  [
    'a division by a number that is never zero',
    true,
    {
      tags: 'C : INT := 1; V : INT',
      logic: 'IF A THEN C := 2; ELSE C := 1; END_IF; V := 10 / C;',
      rule: 'never faults',
    },
    true,
  ],
  // --- tasks
  [
    'two tasks with one flag: the later one decides',
    true,
    {
      tags: 'F : BOOL',
      logic: 'F := TRUE;',
      more: [{ interval: '10 ms', priority: 2, logic: 'F := FALSE; Q := F;' }],
      rule: 'never Q',
    },
    true,
  ],
  [
    'priority, not order, decides',
    true,
    {
      tags: 'F : BOOL',
      logic: 'Q := F;',
      more: [{ interval: '10 ms', priority: 0, logic: 'F := FALSE;' }],
      rule: 'never Q',
    },
    true,
  ],
  [
    'a slow task runs every second scan',
    true,
    {
      tags: 'N : USINT',
      logic: 'N := N + 1; Q := N > 2;',
      more: [{ interval: '20 ms', priority: 0, logic: 'N := 0;' }],
      rule: 'never Q',
    },
    true,
  ],
  [
    'and not in each',
    false,
    {
      tags: 'N : USINT',
      logic: 'N := N + 1; Q := N > 1;',
      more: [{ interval: '20 ms', priority: 0, logic: 'N := 0;' }],
      rule: 'never Q',
    },
    true,
  ],
  [
    'a raster that is no multiple',
    false,
    {
      tags: 'N : USINT',
      logic: 'N := N + 1; Q := N > 2;',
      more: [{ interval: '25 ms', priority: 0, logic: 'N := 0;' }],
      rule: 'never Q',
    },
    true,
  ],
  [
    'an event runs on the rise only',
    true,
    {
      tags: 'N : BOOL',
      logic: 'Q := N AND NOT A; N := FALSE;',
      more: [{ event: 'A', priority: 0, logic: 'N := TRUE;' }],
      rule: 'never Q',
    },
    true,
  ],
  // --- memory, structures, text
  [
    'a word over its bytes',
    false,
    {
      tags: 'W %MW0 : WORD; L %MB0 : BYTE',
      logic: 'IF A THEN W := 16#0100; ELSE W := 1; END_IF; Q := L = 0;',
      rule: 'never Q',
    },
  ],
  ['a bit of a word', true, { tags: 'W : WORD', logic: 'W.3 := A; Q := W.3 <> A;', rule: 'never Q' }, true],
  [
    'an array is as it was written',
    true,
    { tags: 'F : ARRAY[1..3] OF BOOL', logic: 'F[2] := A; Q := F[2] <> A;', rule: 'never Q' },
    true,
  ],
  [
    'a computed element',
    true,
    {
      tags: 'F : ARRAY[0..1] OF BOOL; I : INT',
      logic: 'I := BOOL_TO_INT(B); F[I] := A; Q := F[I] <> A;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'a structure',
    true,
    {
      types: 'S : STRUCT X : BOOL; Y : BOOL; END_STRUCT;',
      tags: 'V : S; U : S',
      logic: 'V.X := A; U := V; Q := U.X <> A;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'text is not followed, and not guessed at',
    true,
    { tags: 'T : STRING', logic: "T := 'abc'; Q := LEN(T) > 3;", rule: 'never Q' },
  ],
  [
    'text that does come',
    false,
    { tags: 'T : STRING', logic: "IF A THEN T := CONCAT(T, 'x'); END_IF; Q := LEN(T) > 3;", rule: 'never Q' },
    true,
  ],
  // --- enumerations, steps
  [
    'a step chain comes round',
    false,
    {
      types: 'Steps : (Idle, Work, Done);',
      tags: 'S : Steps',
      logic:
        'CASE S OF Idle: IF A THEN S := Work; END_IF; Work: IF B THEN S := Done; END_IF; Done: S := Idle; END_CASE; Q := S = Done;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'a step that no way leads to',
    true,
    {
      types: 'Steps : (Idle, Work, Done);',
      tags: 'S : Steps',
      logic: 'CASE S OF Idle: IF A THEN S := Work; END_IF; Work: S := Idle; Done: S := Idle; END_CASE; Q := S = Done;',
      rule: 'never Q',
    },
    true,
  ],
  // --- PREVIOUS, assumptions
  [
    'PREVIOUS of what only grows',
    true,
    { tags: 'C : UDINT', logic: 'IF A AND C < 1000 THEN C := C + 1; END_IF;', rule: 'always C >= PREVIOUS(C)' },
    true,
  ],
  ['PREVIOUS of an input', false, { logic: 'Q := A;', rule: 'always Q = PREVIOUS(Q)' }, true],
  [
    'an assumption makes it so',
    true,
    { logic: 'Q := A AND B;', rule: 'never Q', assumed: 'never A and B together' },
    true,
  ],
  ['and another does not', false, { logic: 'Q := A;', rule: 'never Q', assumed: 'never B' }, true],
  // --- functions and blocks that give structures
  [
    'an output that is a structure is handed on whole',
    false,
    {
      types: 'Pair : STRUCT low, high : BOOL; END_STRUCT;',
      own: {
        F: 'FUNCTION F : BOOL VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT p : Pair; END_VAR p.high := x; F := FALSE; END_FUNCTION',
      },
      logic: VAR('p : Pair;') + 'Q := F(x := A, p => p); Q := Q OR p.high;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'and that of a block',
    false,
    {
      types: 'Pair : STRUCT low, high : BOOL; END_STRUCT;',
      own: {
        Fb: 'FUNCTION_BLOCK Fb VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT p : Pair; END_VAR p.high := x; END_FUNCTION_BLOCK',
      },
      logic: VAR('p : Pair; f : Fb;') + 'f(x := A, p => p); Q := p.high;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'of two members each is its own',
    true,
    {
      types: 'Pair : STRUCT low, high : BOOL; END_STRUCT;',
      own: {
        Fb: 'FUNCTION_BLOCK Fb VAR_INPUT x : BOOL; END_VAR VAR_OUTPUT p : Pair; END_VAR p.high := x; p.low := NOT x; END_FUNCTION_BLOCK',
      },
      logic: VAR('p : Pair; f : Fb;') + 'f(x := A, p => p); Q := p.high AND p.low;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'a structure that a function gives is handed to another',
    false,
    {
      types: 'Pair : STRUCT low, high : BOOL; END_STRUCT;',
      own: {
        Mk: 'FUNCTION Mk : Pair VAR_INPUT x : BOOL; END_VAR Mk.high := x; END_FUNCTION',
        Hi: 'FUNCTION Hi : BOOL VAR_INPUT p : Pair; END_VAR Hi := p.high; END_FUNCTION',
      },
      logic: 'Q := Hi(Mk(A));',
      rule: 'never Q',
    },
  ],
  [
    'and to a block',
    false,
    {
      types: 'Pair : STRUCT low, high : BOOL; END_STRUCT;',
      own: {
        Mk: 'FUNCTION Mk : Pair VAR_INPUT x : BOOL; END_VAR Mk.high := x; END_FUNCTION',
        Hi: 'FUNCTION_BLOCK Hi VAR_INPUT p : Pair; END_VAR VAR_OUTPUT h : BOOL; END_VAR h := p.high; END_FUNCTION_BLOCK',
      },
      logic: VAR('h : Hi;') + 'h(p := Mk(A)); Q := h.h;',
      rule: 'never Q',
    },
  ],
  [
    'the initial value of a structure is in what a function gives',
    true,
    {
      types: 'Pair : STRUCT low, high : BOOL := TRUE; END_STRUCT;',
      own: {
        Fb: 'FUNCTION_BLOCK Fb VAR_OUTPUT p : Pair; END_VAR p.low := FALSE; END_FUNCTION_BLOCK',
      },
      logic: VAR('p : Pair; f : Fb;') + 'f(p => p); Q := NOT p.high;',
      rule: 'never Q',
    },
    true,
  ],
  [
    'texts that two calls give differ',
    false,
    {
      own: {
        Name: 'FUNCTION Name : STRING VAR_INPUT n : INT; END_VAR Name := INT_TO_STRING(n); END_FUNCTION',
      },
      logic: 'Q := Name(1) <> Name(2);',
      rule: 'never Q',
    },
  ],
  // --- system tags
  [
    'first scan once',
    true,
    { tags: 'N : USINT', logic: 'IF System.FirstScan AND N < 9 THEN N := N + 1; END_IF; Q := N > 1;', rule: 'never Q' },
  ],
  ['the clock pulses change', false, { logic: 'Q := System.Pulse1s;', rule: 'never Q' }],
  // What the controller sets, nobody's logic keeps from coming.
  ['a card may be pulled', false, { logic: 'Q := System.CardPulled;', rule: 'never Q' }],
  ['the link may be lost', false, { logic: 'Q := System.OutsideLost;', rule: 'never Q' }],
  ['something may be forced', false, { logic: 'Q := System.ForcesPresent;', rule: 'never Q' }],
  [
    'a card pulled is seen in its scan',
    true,
    { logic: 'Q := System.CardPulled;', rule: 'never Q <> System.CardPulled' },
  ],
];

describe('verdicts on logic whose truth is known', () => {
  it('are sixty and more, true and false', () => {
    expect(CASES.length).toBeGreaterThanOrEqual(60);
    expect(CASES.filter(([, truth]) => truth).length).toBeGreaterThan(25);
    expect(CASES.filter(([, truth]) => !truth).length).toBeGreaterThan(25);
  });
  it.each(CASES.map(([why, truth, c, must]) => ({ why, truth, c, must })))(
    '$why: $c.rule',
    async ({ truth, c, must }) => {
      const v = await judge(c);
      const said = `${v.word}: ${v.words}`;
      expect(v.word === (truth ? 'FAILED' : 'ok') ? said : 'not the contrary').toBe('not the contrary');
      if (must && truth) expect(said).toMatch(/^ok: proved/);
      // What only a warm restart breaks is open: no machine restarts by itself.
      if (must && !truth) expect(said).toMatch(/^FAILED|^OPEN: .*(after a warm restart inputs can break it)/);
    },
  );
});
