/** What a swap would do is what it does: the preview against the two programs run by hand. */
import { expect, it } from 'vitest';
import { Engine, previewSwap, scanStep, transferPlan } from '../bench.js';
import { compile } from '../workspace.js';

function side(body: string, more = '') {
  const c = compile([
    {
      kind: 'text',
      name: 't.st',
      text: `VAR_GLOBAL A AT %IX0.0 : BOOL; Q AT %QX0.0 : BOOL; R AT %QX0.1 : BOOL; N : DINT; ${more} END_VAR PROGRAM P ${body} END_PROGRAM`,
    },
  ]);
  expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  const image = c.build(true);
  return { image, stepNs: scanStep(image), wires: c.wires };
}

it('names each output that would be otherwise, when first, and what is not carried over; nothing is changed by looking', () => {
  const kept = side('N := N + 1; Q := A; R := N > 100;', 'Old : INT;'),
    draft = side('N := N + 1; Q := A AND N < 25; R := N > 22;', 'Old : REAL;');
  const e = new Engine(kept.image, kept);
  e.write('A', true);
  for (let n = 0; n < 20; n++) e.runScan();
  const state = e.snapshot(),
    before = state.bytes.slice();
  expect(previewSwap(kept, draft, state)).toEqual({
    lost: ['Old: was INT, is REAL'],
    renamed: [],
    switched: [
      { path: 'R', scan: 3, kept: '0', draft: '1' },
      { path: 'Q', scan: 5, kept: '1', draft: '0' },
    ],
    scans: 10,
  });
  expect(state.bytes).toEqual(before);
  expect(previewSwap(kept, kept, state)).toEqual({ lost: [], renamed: [], switched: [], scans: 10 });
});

it('a draft that would fault says so, and when', () => {
  const kept = side('N := N + 1;'),
    draft = side('N := N + 1; IF N > 3 THEN N := 1 / (N - N); END_IF;');
  const state = new Engine(kept.image, kept).snapshot();
  expect(previewSwap(kept, draft, state)).toMatchObject({
    scans: 4,
    fault: expect.stringContaining('Division by zero'),
  });
});

it('an output that the kept program does not have is told, and forces go along', () => {
  const kept = side('N := N + 1; Q := A;'),
    draft = side('N := N + 1; Q := A; S := TRUE;', 'S AT %QX0.2 : BOOL;');
  const e = new Engine(kept.image, kept);
  e.force('A', true);
  for (let n = 0; n < 3; n++) e.runScan();
  expect(previewSwap(kept, draft, e.snapshot()).switched).toEqual([
    { path: 'S', scan: 1, kept: 'not there', draft: '1' },
  ]);
});

it('a variable inside of a program that goes is among what is not carried over; at the bench, where it was taken away by hand, it is not', () => {
  const kept = side('VAR Made : INT; Off : TON; END_VAR Made := Made + 1; Off(IN := A, PT := T#1s);'),
    draft = side('VAR Off : TON; END_VAR Off(IN := A, PT := T#1s);');
  const e = new Engine(kept.image, kept);
  e.runScan();
  expect(previewSwap(kept, draft, e.snapshot()).lost).toEqual(['P.Made: no longer there']);
  expect(transferPlan(kept.image, draft.image)).toMatchObject({ lost: [], gone: ['P.Made: no longer there'] });
});

it('a member of a structure that goes is said once for all elements of an array', () => {
  const withType = (members: string) => {
    const c = compile([
      {
        kind: 'text',
        name: 't.st',
        text: `TYPE Row : STRUCT ${members} END_STRUCT; END_TYPE VAR_GLOBAL Rows : ARRAY [1..500] OF Row; END_VAR PROGRAM P Rows[1].A := 1; END_PROGRAM`,
      },
    ]);
    return c.build(true);
  };
  expect(transferPlan(withType('A : INT; B : INT;'), withType('A : INT;'))).toMatchObject({
    lost: [],
    gone: ['Rows[..].B: no longer there'],
  });
});
