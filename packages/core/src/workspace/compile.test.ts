/** What is compiled while a project is being written. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { planProof } from '../verify/play/plan.js';
import { Compiler, compile } from './compile.js';
import type { Project } from '../document/document.js';

const project = (...lines: string[]): Project => ({
  format: 'ferrule-project',
  version: 1,
  name: 'P',
  tags: ['A', 'B', 'C'].map((name) => ({ id: name, name, type: 'BOOL' })),
  types: [],
  pous: [
    {
      id: 'm',
      name: 'Main',
      language: 'LD',
      kind: 'program',
      rungs: lines.map((line, i) => ({ id: `r${line}${i}`, line })),
    },
  ],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
  machine: { devices: [] },
  checks: [{ id: 'c', name: 'C', rows: [{ id: 'x', when: 'at once', expect: ['Nothing is on'] }] }],
  rules: [],
  scope: [],
});
const file = (p: Project) => [{ kind: 'project' as const, name: 'p.json', project: p }];

describe('an unfinished rung', () => {
  it('is an error of the project, and all else is built without it', () => {
    const c = compile(file(project('A -> B', 'B & ', '!B -> C')));
    expect([c.hasErrors, c.canRun]).toEqual([true, true]);
    expect(c.diagnostics.filter((d) => d.unfinished)).toHaveLength(1);
    expect(c.build(true).stateSize).toBeGreaterThan(0);
  });
  it('does not hide another error, which nothing runs with', () => {
    expect(compile(file(project('A -> B', 'B & ', 'Unknown -> C'))).canRun).toBe(false);
    expect(compile(file(project('Unknown -> C'))).canRun).toBe(false);
  });
  it('nothing is judged by logic that is not whole, while sentences are read all the same', () => {
    const plan = planProof(project('A -> B', 'B & '), 'p.json');
    expect(plan.image).toBeUndefined();
    expect(plan.diagnostics.map((d) => d.at.source.origin.kind)).toEqual(['cell']);
  });
  it('law: the logic is byte for byte what it is without it, wherever it stands, also while it is typed', () => {
    const good = ['A -> B', '(A | B) & !C -> set C', 'B & T1:TON(PT := 1 s) -> reset C'];
    fc.assert(
      fc.property(
        fc.nat(good.length),
        fc.constantFrom('A &', 'A & (', '-> ', '-', 'A -> B,', 'x >= -> C', '{', 'A ->> B', "'", 'T2:TON(PT := 1 s'),
        (at, typed) => {
          const compiler = new Compiler();
          compiler.compile(file(project(...good)));
          const plain = compile(file(project(...good))).build(false);
          for (let n = 1; n <= typed.length; n++) {
            const lines = [...good.slice(0, at), typed.slice(0, n), ...good.slice(at)];
            const c = compiler.compile(file(project(...lines)));
            if (!c.diagnostics.some((d) => d.unfinished)) continue;
            expect(c.canRun).toBe(true);
            expect(c.build(false).wasm).toEqual(plain.wasm);
          }
        },
      ),
    );
  });
});
