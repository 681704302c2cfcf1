import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { build } from '../back/wasm/build.js';
import { Engine } from '../bench.js';
import { compile } from '../workspace.js';
import { Lowered } from './inline.js';
import { ProgramFacts } from './lower.js';
import type { Statement } from './tree.js';
import { listsOf } from './walk.js';

const text = (body: string) => `
VAR_GLOBAL a : ARRAY [1..10] OF INT; grid : ARRAY [0..3, 0..4] OF INT; g : INT; n : INT := 20; r : REF_TO INT; s : STRING; over AT %MW0 : INT; w AT %MW0 : INT; more : Fb; END_VAR
FUNCTION Plus : INT VAR_IN_OUT x : INT; END_VAR x := x + 1; Plus := x; END_FUNCTION
FUNCTION Bare : INT VAR_INPUT x : INT; END_VAR Bare := x; END_FUNCTION
FUNCTION_BLOCK Fb VAR_INPUT x : INT; END_VAR VAR_EXTERNAL g : INT; END_VAR g := g + x; END_FUNCTION_BLOCK
PROGRAM Main VAR i : INT; j : INT; k : INT; fb : Fb; t : TON; c : CTU; END_VAR
${body}
END_PROGRAM`;
function program(source: string) {
  const compiled = compile([{ kind: 'text', name: 't.st', text: source }]);
  expect(
    compiled.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message),
    source,
  ).toEqual([]);
  return compiled.program;
}

/** Checks of an index that are left in Main. */
function checks(body: string): number {
  const of = program(text(body)),
    facts = new ProgramFacts(of),
    lowered = new Lowered(facts, { watched: false, optimized: true });
  const count = (list: readonly Statement[]): number =>
    list.reduce(
      (sum, s) =>
        sum + (s.kind === 'fault' && s.fault === 'INDEX' ? 1 : 0) + listsOf(s).reduce((n, l) => n + count(l), 0),
      0,
    );
  return count(lowered.unit(facts.pou('Main')).body);
}

describe('the check of an index is left out', () => {
  it.each([
    ['where FOR counts inside the array', 'FOR i := 1 TO 10 DO a[i] := i; END_FOR;', 0],
    ['downwards too', 'FOR i := 10 TO 1 BY -1 DO a[i] := i; END_FOR;', 0],
    ['of what is worked out of it', 'FOR i := 0 TO 9 DO a[i + 1] := a[10 - i]; END_FOR;', 0],
    ['twice as fast', 'FOR i := 1 TO 5 DO a[2 * i] := a[2 * i - 1]; END_FOR;', 0],
    ['in loops in loops', 'FOR i := 0 TO 3 DO FOR j := 0 TO 4 DO grid[i, j] := i; END_FOR; END_FOR;', 0],
    ['where other variables are written', 'FOR i := 1 TO 10 DO j := a[i]; g := j; s := s; a[i] := g; END_FOR;', 0],
    ['where a block of the library runs', 'FOR i := 1 TO 10 DO t(IN := a[i] > 0, PT := T#1s); END_FOR;', 0],
    ['of a variable of all programs', 'FOR g := 1 TO 10 DO a[g] := g; END_FOR;', 0],
  ])('%s', (_, body, left) => {
    expect(checks(body)).toBe(left);
  });
  it.each([
    ['where it counts past the end', 'FOR i := 1 TO 11 DO a[i] := i; END_FOR;', 1],
    ['before the start', 'FOR i := 1 TO 10 DO a[i - 1] := i; END_FOR;', 1],
    ['where an end is not known', 'FOR i := 1 TO n DO a[i] := i; END_FOR;', 1],
    ['behind the loop', 'FOR i := 1 TO 10 DO ; END_FOR; a[i] := 1;', 1],
    ['where a call may write it', 'FOR i := 1 TO 10 DO j := Bare(i); a[i] := j; END_FOR;', 1],
    ['where a block of the project may', 'FOR g := 1 TO 10 DO fb(x := g); a[g] := 1; END_FOR;', 1],
    ['where something is written by a reference', 'FOR i := 1 TO 10 DO r^ := 100; a[i] := g; END_FOR;', 1],
    ['where it lies over something else', 'FOR over := 1 TO 10 DO w := 17; a[over] := 1; END_FOR;', 1],
  ])('and stays %s', (_, body, left) => {
    expect(checks(body)).toBe(left);
  });
});

it('law: loops over arrays run the same with the checks left out, down to the fault', () => {
  const index = fc.constantFrom(
    'I',
    'I',
    'J',
    '11 - I',
    'I + 1',
    'I - 1',
    '2 * I',
    'I * J',
    'I - J',
    'I + J',
    'k',
    '7',
  );
  const statement = fc.oneof(
    { weight: 3, arbitrary: fc.tuple(index, index).map(([a, b]) => `a[${a}] := a[${b}] + I;`) },
    {
      weight: 2,
      arbitrary: fc.constantFrom(
        'k := k + 1;',
        'n := Plus(k);',
        'more(x := 40);',
        'fb(x := -20);',
        'r := REF(g);',
        'r^ := 40;',
        'r^ := -1;',
        'w := 90;',
        'c(CU := I > 2, PV := 3);',
        'IF I > 4 THEN CONTINUE; END_IF;',
        'k := Bare(k);',
      ),
    },
  );
  const list = fc.array(statement, { minLength: 1, maxLength: 3 }).map((s) => s.join(' '));
  const loop = (of: string, body: string, [from, to, by]: readonly [number, number, number]) =>
    `FOR ${of} := ${from} TO ${to} BY ${by} DO ${body} END_FOR;`;
  // Most stay inside the array, some leave it with their last pass.
  const ends = fc.constantFrom<readonly [number, number, number]>(
    [1, 10, 1],
    [10, 1, -1],
    [1, 9, 2],
    [2, 10, 1],
    [1, 5, 1],
    [1, 11, 1],
    [11, 1, -2],
    [9, -1, -2],
    [5, 1, 1],
  );
  // What counts lies in the program, in all of them, or over something else.
  const names = fc.constantFrom(['i', 'j'], ['g', 'i'], ['over', 'g'], ['i', 'over'], ['g', 'over']);
  fc.assert(
    fc.property(
      list,
      list,
      list,
      ends,
      ends,
      fc.boolean(),
      names,
      (first, inner, last, outerEnds, innerEnds, isNested, [i, j]) => {
        const own = loop(j!, inner, innerEnds),
          body = isNested ? `${first} ${own} ${last}` : `${first} ${last}`,
          all = `${loop(i!, body, outerEnds)} ${isNested ? '' : own}`.replace(/\bI\b/g, i!).replace(/\bJ\b/g, j!),
          source = text(`r := REF(g); k := 3; ${all}`),
          of = program(source);
        const [plain, optimized] = [false, true].map(
          (on) => new Engine(build(of, { watched: false, optimized: on }), { stepNs: 10_000_000n }),
        ) as [Engine, Engine];
        for (let n = 0; n < 2 && !plain.fault; n++) {
          plain.runScan();
          optimized.runScan();
          expect(optimized.fault ? optimized.faultLine() : '', source).toBe(plain.fault ? plain.faultLine() : '');
          const size = plain.image.stateSize;
          expect(Buffer.compare(plain.memory.slice(64, size), optimized.memory.slice(64, size)), source).toBe(0);
        }
      },
    ),
    { numRuns: 300 },
  );
}, 120_000);
