/**
 * Every way in, with input broken at random: text, rungs, project files, stimuli, checks, rules, options. Nothing may
 * end in an exception: an exit code of the contract and a sentence. `FERRULE_SEED=N` tries others than those of every
 * run.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterAll, describe, expect, it } from 'vitest';
import { main } from '../src/main.js';

const folder = mkdtempSync(join(tmpdir(), 'ferrule-fuzz-'));
afterAll(() => rmSync(folder, { recursive: true }));
const ASKED = process.env['FERRULE_SEED'] ?? '20261128',
  SEED = ASKED === 'free' ? Date.now() % 1e9 : Number(ASKED);

/** Random numbers from 0 to 1 that depend on the seed alone (mulberry32). */
function generator(seed: number): () => number {
  let a = seed >>> 0;
  return () => {
    a = (a + 0x6d2b79f5) >>> 0;
    let t = Math.imul(a ^ (a >>> 15), a | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}
async function ferrule(...args: string[]): Promise<{ code: number; text: string }> {
  let text = '';
  const take = (t: string) => {
    text += t;
  };
  return { code: await main(args, { out: take, error: take }), text };
}
function file(name: string, text: string): string {
  const path = join(folder, name);
  writeFileSync(path, text);
  return path;
}
const PIECES = [
  '',
  ' ',
  '\n',
  '\r',
  '\t',
  '(',
  ')',
  '[',
  ']',
  '{',
  '}',
  ';',
  ':',
  ':=',
  '=>',
  '..',
  '.',
  ',',
  '"',
  "'",
  '$',
  '#',
  '%',
  '^',
  '&',
  '|',
  '!',
  '->',
  '//',
  '(*',
  '*)',
  '0',
  '-1',
  '99999999999999999999',
  '1e999',
  '16#FFFF',
  'T#1s',
  'T#99999999d',
  'D#2026-02-30',
  '%IX0.9',
  '%QX99999999.0',
  'NaN',
  'null',
  '{}',
  '[]',
  'true',
  'IF',
  'END_IF',
  'FOR',
  'CASE',
  'PROGRAM',
  'END_PROGRAM',
  'FUNCTION_BLOCK',
  'EXTENDS',
  'ARRAY [0..1] OF',
  'STRUCT',
  'REF_TO',
  'TON',
  'never',
  'always',
  'within',
  'stays at least',
  'PREVIOUS(A, 5)',
  'PREVIOUS(',
  'in order',
  'tap',
  'force',
  'once',
  '\u0000',
  '\ud800',
  '€',
  '😀',
  '__proto__',
  'constructor',
  'toString',
];
/** A text with some pieces taken out, doubled, put in or exchanged. */
function broken(text: string, random: () => number): string {
  let t = text;
  for (let n = 1 + Math.floor(random() * 4); n > 0; n--) {
    const at = Math.floor(random() * (t.length + 1)),
      length = Math.floor(random() ** 3 * 40),
      piece = PIECES[Math.floor(random() * PIECES.length)]!;
    const way = Math.floor(random() * 4);
    if (way === 0) t = t.slice(0, at) + t.slice(at + length);
    else if (way === 1) t = t.slice(0, at) + t.slice(at, at + length) + t.slice(at);
    else if (way === 2) t = t.slice(0, at) + piece + t.slice(at);
    else t = t.slice(0, at) + piece + t.slice(at + length);
  }
  return t;
}
/** A document with some of its values exchanged for others, as a program that does not know it would write them. */
function brokenDocument(value: unknown, random: () => number, rate: number): unknown {
  if (random() < rate)
    return [null, 0, -1, 1.5, true, '', 'x'.repeat(3000), [], {}, { a: 1 }, [null], ...PIECES][
      Math.floor(random() * (11 + PIECES.length))
    ];
  if (Array.isArray(value)) return value.map((v) => brokenDocument(v, random, rate));
  if (typeof value === 'string') return random() < rate * 20 ? broken(value, random) : value;
  if (typeof value !== 'object' || value === null) return value;
  return Object.fromEntries(Object.entries(value).map(([k, v]) => [k, brokenDocument(v, random, rate)]));
}

const TEXT = `TYPE Steps : (Idle, Work); S : STRUCT a : INT := 3; b : ARRAY [0..2] OF BOOL; END_STRUCT; Pct : INT (0..100); END_TYPE
VAR_GLOBAL A AT %IX0.0 : BOOL; Q AT %QX0.0 : BOOL; N : INT; END_VAR
FUNCTION F : INT VAR_INPUT x : INT; END_VAR F := x * 2; END_FUNCTION
FUNCTION_BLOCK B VAR_INPUT i : BOOL; END_VAR VAR_OUTPUT q : BOOL; END_VAR VAR t : TON; END_VAR t(IN := i, PT := T#50ms); q := t.Q; END_FUNCTION_BLOCK
PROGRAM Main VAR b : B; s : S; e : Steps; p : Pct; r : REAL; w : STRING; END_VAR
b(i := A, q => Q); FOR N := 0 TO 2 DO s.b[N] := A; END_FOR;
CASE e OF Idle: IF A THEN e := Work; END_IF; Work: e := Idle; END_CASE;
r := SQRT(INT_TO_REAL(F(s.a))) / 2.0; w := CONCAT('a', w); p := LIMIT(0, N, 100); END_PROGRAM`;
const STIMULUS = 't_ms,A,N,Main.s.a\n0,0,,3\n20,1,5,\n40,,7,9\n';
const demo = JSON.parse(
  readFileSync(fileURLToPath(new URL('../../../examples/dust-extractor.ferrule.json', import.meta.url)), 'utf8'),
) as { checks: unknown[] };

/** What the contract allows, and never a trace of the inside. */
function isContract({ code, text }: { code: number; text: string }, input: string): void {
  expect([0, 1, 2, 3], input.slice(0, 2000)).toContain(code);
  expect(text, input.slice(0, 2000)).not.toMatch(
    /\n\s+at .*\.[jt]s:\d+|undefined is not|Cannot read prop|is not a function/,
  );
  if (code !== 0) expect(text.trim()).not.toBe('');
}

describe(`input broken at random (seed ${SEED})`, () => {
  it('text: check and run', async () => {
    const random = generator(SEED);
    for (let n = 0; n < 250; n++) {
      const text = broken(TEXT, random),
        path = file('t.st', text);
      isContract(await ferrule('check', path), text);
      isContract(
        await ferrule('run', path, '--for', '100ms', '--record', 'Q,N', '--out', '-', '--watchdog', '100000'),
        text,
      );
    }
  }, 120_000);
  it('stimuli and options', async () => {
    const random = generator(SEED + 1),
      path = file('s.st', TEXT);
    for (let n = 0; n < 300; n++) {
      const stimulus = broken(STIMULUS, random),
        options = ['--for', '60ms', '--scan', '10ms', '--record', 'Q,N,Main.s.b[1]', '--seed', '1'].map((x) =>
          random() < 0.15 ? broken(x, random) : x,
        );
      isContract(
        await ferrule('run', path, '--stimulus', file('s.csv', stimulus), '--out', '-', ...options),
        `${options.join(' ')}\n${stimulus}`,
      );
    }
  }, 120_000);
  it('project files: check and verify', async () => {
    const random = generator(SEED + 2);
    for (let n = 0; n < 120; n++) {
      const document = JSON.stringify(
        brokenDocument({ ...demo, checks: demo.checks.slice(0, 2) }, random, 0.0008 * (1 + (n % 4))),
      );
      const text = n % 5 === 0 ? broken(document, random) : document,
        path = file('p.ferrule.json', text);
      isContract(await ferrule('check', path), text);
      isContract(await ferrule('verify', path, '--within', '2'), text);
    }
  }, 180_000);
  it('checks and rules', async () => {
    const random = generator(SEED + 3);
    const rules = [
      'never Q and A together',
      'after A, Q within 100 ms',
      'Q stays at least 50 ms',
      'N between 0 and 5',
      'always NOT Q OR A',
      'Q requires PREVIOUS(A, 3)',
      'no output without A',
      'never faults',
    ];
    const rows = [
      { when: 'after 100 ms', do: ['force A on', 'set N to 3'], expect: ['Q is on within 1 s'] },
      {
        when: 'once Q is on within 2 s',
        do: ['ramp N from 0 to 5 in 100 ms', 'release A'],
        expect: ['Q is off', "keeps 'R0'", 'N = 5 ± 1'],
      },
      { when: 'at the same time', expect: ['in order: Q is on, Q is off within 1 s', 'never N > 9'] },
    ];
    for (let n = 0; n < 150; n++) {
      const word = (s: string) => (random() < 0.4 ? broken(s, random) : s);
      const project = {
        format: 'ferrule-project',
        version: 1,
        name: 'F',
        tags: [
          { id: 'a', name: 'A', type: 'BOOL', address: '%IX0.0' },
          { id: 'q', name: 'Q', type: 'BOOL', address: '%QX0.0' },
          { id: 'n', name: 'N', type: 'INT' },
        ],
        types: [],
        tasks: [],
        machine: { devices: [] },
        scope: [],
        pous: [
          {
            id: 'm',
            name: 'Main',
            language: 'LD',
            kind: 'program',
            rungs: ['A & T:TON(PT := 30 ms) -> Q', 'N > 3 & ^A -> { N := 0; }', '(A | !Q) & N <> 2 -> set M'].map(
              (line, i) => ({ id: `r${i}`, line: random() < 0.1 ? broken(line, random) : line }),
            ),
          },
        ],
        rules: rules.map((sentence, i) => ({ id: `x${i}`, name: `R${i}`, sentence: word(sentence) })),
        checks: [
          {
            id: 'c',
            name: 'C',
            rows: rows.map((r, i) => ({
              id: `k${i}`,
              when: word(r.when),
              ...(r.do ? { do: r.do.map(word) } : {}),
              expect: r.expect.map(word),
            })),
            ...(n % 3 ? {} : { table: { columns: ['X'], rows: [['1'], [word('2')]] } }),
          },
        ],
      };
      const text = JSON.stringify(project),
        path = file('c.ferrule.json', text);
      isContract(await ferrule('check', path), text);
      isContract(await ferrule('verify', path, '--within', '2', ...(n % 10 === 0 ? ['--search', '0.01'] : [])), text);
    }
  }, 180_000);
});
