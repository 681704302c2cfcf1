/** A compiler that follows edits finds and makes what a new one would: any edits, one after the other. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Compiled, Compiler } from '../workspace.js';
import { type Edit, type Project, applyEdit } from '../document.js';
import { Engine } from '../bench.js';
import { diagnosticLine } from '../language.js';
import { ladderProject } from '../../test/support.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const compileWith = (c: Compiler, project: Project) => c.compile([{ kind: 'project', name: 'p', project }]);
const lines = (c: Compiled) => c.diagnostics.map(diagnosticLine).sort();

/** The state after some scans, byte by byte, of the watched and of the plain build. */
function states(c: Compiled): number[][] {
  return [true, false].map((watched) => {
    const e = new Engine(c.build(watched), { stepNs: 10_000_000n, wires: c.wires });
    for (let i = 0; i < 5; i++) e.runScan();
    return [...e.memory.subarray(0, e.image.stateSize)];
  });
}

const two: Project = {
  ...ladderProject(
    ['A AT %IX0.0 : BOOL', 'B : BOOL', 'C : BOOL', 'N : INT', 'T : TON'],
    ['A | B -> B', '-> { N := N + 1; }', 'A & T(PT := 20 ms) -> C'],
  ),
  tasks: [],
};
const project: Project = {
  ...two,
  pous: [
    ...two.pous,
    {
      id: 'p2',
      name: 'Other',
      language: 'LD',
      kind: 'program',
      rungs: [
        { id: 'q1', line: '^B & N > 2 -> set C' },
        { id: 'q2', line: 'Late:TON(PT := 30 ms) -> reset C' },
      ],
    },
    {
      id: 'p3',
      name: 'Text',
      language: 'ST',
      kind: 'program',
      text: 'PROGRAM Text\nVAR k : INT; e : (One, Two); END_VAR\nk := k + N;\nIF k > 20 THEN e := Two; END_IF;\nEND_PROGRAM',
    },
  ],
};

const LINES = [
  'A & !B -> C',
  'N > 3 -> B',
  'Missing -> B',
  '-> { N := N + 2; }',
  'A -> -> B',
  '^A & ^!B -> set C',
  'D -> C',
  'Fresh:TOF(PT := 10 ms) -> B',
  'A -> return',
  'E | D -> !B',
];
const change = fc.oneof(
  fc.record({
    kind: fc.constant('changeRung' as const),
    pou: fc.constantFrom('p1', 'p2'),
    id: fc.constantFrom('r1', 'r2', 'r3', 'q1', 'q2', 'n0', 'n1'),
    to: fc.constantFrom(...LINES).map((line) => ({ line })),
  }),
  fc.record({
    kind: fc.constant('addRung' as const),
    pou: fc.constantFrom('p1', 'p2'),
    at: fc.nat(2),
    rung: fc.record({ id: fc.constantFrom('n0', 'n1', 'n2'), line: fc.constantFrom(...LINES) }),
  }),
  fc.record({
    kind: fc.constant('removeRung' as const),
    pou: fc.constantFrom('p1', 'p2'),
    id: fc.constantFrom('r1', 'r2', 'q1', 'n0', 'n1'),
  }),
  fc.record({
    kind: fc.constant('addTag' as const),
    at: fc.nat(4),
    tag: fc.constantFrom(
      { id: 'tD', name: 'D', type: 'BOOL' },
      { id: 'tE', name: 'E', type: 'BOOL', initial: 'TRUE' },
      { id: 'tM', name: 'Missing', type: 'BOOL' },
      { id: 'tO', name: 'One', type: 'INT' },
      { id: 'tX', name: 'X', type: 'NOTYPE' },
    ),
  }),
  fc.record({ kind: fc.constant('removeTag' as const), id: fc.constantFrom('tD', 'tE', 'tM', 't2') }),
  fc.record({
    kind: fc.constant('changeTag' as const),
    id: fc.constantFrom('t3', 'tD'),
    to: fc.constantFrom({ type: 'DINT' }, { name: 'Count' }, { initial: '7' }),
  }),
  fc.constantFrom<Edit>(
    {
      kind: 'changeText',
      pou: 'p3',
      text: 'PROGRAM Text\nVAR k : INT; e : (One, Two); t : ARRAY [0..3] OF INT; END_VAR\nk := k - N; t[1] := k; e := Two;\nEND_PROGRAM',
    },
    { kind: 'changeText', pou: 'p3', text: 'PROGRAM Text\nVAR k : INT; END_VAR\nk := Nowhere;\nEND_PROGRAM' },
  ),
);

describe('a compiler that follows edits', () => {
  it('says what a new one says and runs as it runs, after every edit', () => {
    fc.assert(
      fc.property(fc.array(change, { minLength: 1, maxLength: 12 }), (edits) => {
        const follows = new Compiler();
        let now = project;
        compileWith(follows, now);
        for (const e of edits) {
          const applied = applyEdit(now, e as Edit);
          if ('refused' in applied) continue;
          now = applied.project;
          const mine = compileWith(follows, now),
            fresh = compileWith(new Compiler(), now);
          expect(lines(mine)).toEqual(lines(fresh));
          if (!fresh.hasErrors) expect(states(mine)).toEqual(states(fresh));
        }
      }),
      { numRuns: 150, seed: 77 },
    );
  }, 120_000);

  it('the demo: every rung changed and changed back', () => {
    const follows = new Compiler();
    compileWith(follows, demo);
    const before = states(compileWith(follows, demo));
    for (const pou of demo.pous) {
      if (pou.language !== 'LD') continue;
      for (const r of pou.rungs.slice(0, 6)) {
        const applied = applyEdit(demo, {
          kind: 'changeRung',
          pou: pou.id,
          id: r.id,
          to: { line: '-> { LastStep := LastStep; }' },
        });
        if ('refused' in applied) throw new Error(applied.refused);
        compileWith(follows, applied.project).build(true);
        expect(states(compileWith(follows, demo))).toEqual(before);
      }
    }
  });

  it('power is shown of the rungs as they are now', () => {
    const follows = new Compiler();
    compileWith(follows, project);
    compileWith(follows, project).build(true);
    const applied = applyEdit(project, { kind: 'changeRung', pou: 'p1', id: 'r1', to: { line: 'A | !B & !C -> B' } });
    if ('refused' in applied) throw new Error(applied.refused);
    const image = compileWith(follows, applied.project).build(true);
    expect(image.probes.get('r1')!.elements).toBe(4);
    expect(image.probes.get('q1')!.elements).toBe(3);
  });
});
