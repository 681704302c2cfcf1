/**
 * A type that is not known is told once, where it is written: not again in every line that uses what has it. Each type
 * of every example's tags, variables, parameters and structures is misspelt in turn.
 */
import { readFileSync, readdirSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import type { Project } from '../../src/document.js';
import { Compiler } from '../../src/workspace.js';

const folder = new URL('../../../../examples/', import.meta.url);
const projects = readdirSync(folder)
  .filter((f) => f.endsWith('.ferrule.json'))
  .map((f) => [f, JSON.parse(readFileSync(new URL(f, folder), 'utf8')) as Project] as const);
const WRONG = 'Nonesuch';

/** Every error with its code. One compiler checks them all, as one does while a project is edited. */
function errors(sources: Parameters<Compiler['compile']>[0], compiler = new Compiler()): readonly string[] {
  return compiler
    .compile(sources)
    .diagnostics.filter((d) => d.severity === 'error')
    .map((d) => `${d.code} ${d.message}`);
}

/** The project with each of its types misspelt, one after the other. */
function* misspelt(project: Project): Generator<readonly [string, Project]> {
  for (const [i, tag] of project.tags.entries())
    yield [tag.name, { ...project, tags: project.tags.map((t, k) => (k === i ? { ...t, type: WRONG } : t)) }];
  for (const [i, pou] of project.pous.entries()) {
    const texts = ('text' in pou ? ['text'] : ['locals']) as ('text' | 'locals')[];
    for (const which of texts) {
      const text = (pou as unknown as Record<string, string>)[which] ?? '';
      for (const m of text.matchAll(/^\s*[A-Za-z_][\w, ]* : ([A-Za-z_]\w*)(?= *(?:;|:=))/dgm)) {
        const [from, to] = m.indices![1]!;
        yield [
          `${pou.name}: ${m[0].trim()}`,
          {
            ...project,
            pous: project.pous.map((p, k) =>
              k === i ? { ...p, [which]: text.slice(0, from) + WRONG + text.slice(to) } : p,
            ),
          },
        ];
      }
    }
  }
}

describe.each(projects)('%s', (_, project) => {
  it('tells a misspelt type once', () => {
    const compiler = new Compiler();
    const told = [...misspelt(project)].map(([what, wrong]) => ({
      what,
      errors: errors([{ kind: 'project', name: 'p', project: wrong }], compiler),
    }));
    expect(told.length).toBeGreaterThan(20);
    expect(told.filter((t) => t.errors.length !== 1 || !t.errors[0]!.startsWith('UNKNOWN_TYPE'))).toEqual([]);
  });
});

describe('in a text', () => {
  it.each([
    ['a variable', 'PROGRAM M VAR x : Wrong; y : BOOL; END_VAR y := x > 3; y := NOT x; y := x AND y; END_PROGRAM'],
    ['an array', 'PROGRAM M VAR x : ARRAY [1..2] OF Wrong; y : INT; END_VAR y := x[1] + 1; y := x[y].A; END_PROGRAM'],
    ['a reference', 'PROGRAM M VAR p : REF_TO Wrong; y : INT; END_VAR y := p^ + 1; p := NULL; END_PROGRAM'],
    ['a timer', 'PROGRAM M VAR t : Wrong; y : BOOL; END_VAR t(IN := y, PT := T#1s); y := t.Q; END_PROGRAM'],
    [
      'a global',
      'VAR_GLOBAL g : Wrong; END_VAR PROGRAM M VAR y : INT; END_VAR y := g; CASE g OF 1: y := 2; END_CASE; END_PROGRAM',
    ],
    [
      'a member',
      'TYPE S : STRUCT a : Wrong; b : INT; END_STRUCT; END_TYPE PROGRAM M VAR s : S; y : INT; END_VAR y := s.a + s.b; s.a := 3; END_PROGRAM',
    ],
    [
      'a result',
      'FUNCTION F : Wrong VAR_INPUT a : INT; END_VAR F := a; END_FUNCTION PROGRAM M VAR y : INT; END_VAR y := F(3) + 1; F(2); END_PROGRAM',
    ],
    [
      'an input of a function',
      'FUNCTION F : INT VAR_INPUT a : Wrong; b : INT; END_VAR F := b + a; END_FUNCTION PROGRAM M VAR y : INT; END_VAR y := F(3, 4); y := F(a := 3, b := 2); END_PROGRAM',
    ],
    [
      'an input of a block',
      'FUNCTION_BLOCK B VAR_INPUT a : Wrong; b : INT; END_VAR VAR_OUTPUT q : BOOL; END_VAR q := a > b; END_FUNCTION_BLOCK PROGRAM M VAR y : BOOL; f : B; END_VAR f(a := 3, b := 2); y := f.q OR f.a = 3; END_PROGRAM',
    ],
    [
      'an output of a block',
      'FUNCTION_BLOCK B VAR_OUTPUT q : Wrong; END_VAR q := 3; END_FUNCTION_BLOCK PROGRAM M VAR y : INT; f : B; END_VAR f(q => y); y := f.q; END_PROGRAM',
    ],
    [
      'an inherited one',
      'FUNCTION_BLOCK B VAR_INPUT a : Wrong; END_VAR END_FUNCTION_BLOCK FUNCTION_BLOCK C EXTENDS B VAR_OUTPUT q : BOOL; END_VAR q := a; END_FUNCTION_BLOCK PROGRAM M VAR f : C; END_VAR f(a := 3); f.a := 4; END_PROGRAM',
    ],
    [
      'one that a method uses',
      'FUNCTION_BLOCK B VAR a : Wrong; END_VAR METHOD PUBLIC Work : INT Work := a + 1; a := 3; END_METHOD END_FUNCTION_BLOCK PROGRAM M VAR f : B; y : INT; END_VAR y := f.Work(); END_PROGRAM',
    ],
    [
      'an inherited one that a method uses',
      'FUNCTION_BLOCK A VAR_INPUT a : Wrong; END_VAR END_FUNCTION_BLOCK FUNCTION_BLOCK B EXTENDS A METHOD PUBLIC Work : INT Work := a + 1; THIS.a := 3; END_METHOD END_FUNCTION_BLOCK PROGRAM M VAR f : B; y : INT; END_VAR y := f.Work(); END_PROGRAM',
    ],
    [
      'one that two share',
      'PROGRAM M VAR x, z : Wrong; y : INT; END_VAR y := x + z; FOR y := x TO z DO z := y; END_FOR; RETURN; END_PROGRAM',
    ],
    [
      'of what is given by reference',
      'FUNCTION_BLOCK B VAR_IN_OUT a : Wrong; END_VAR a := 3; END_FUNCTION_BLOCK PROGRAM M VAR f : B; y : INT; END_VAR f(a := y); f(); END_PROGRAM',
    ],
    ['a type of a type', 'TYPE T : Wrong; END_TYPE PROGRAM M VAR x : T; y : INT; END_VAR y := x; END_PROGRAM'],
    [
      'a method',
      'FUNCTION_BLOCK B METHOD PUBLIC Work : Wrong VAR_INPUT a : INT; END_VAR Work := a; END_METHOD END_FUNCTION_BLOCK PROGRAM M VAR f : B; y : INT; END_VAR y := f.Work(3); END_PROGRAM',
    ],
  ])('%s', (_, text) => {
    expect(errors([{ kind: 'text', name: 't.st', text }])).toEqual([
      expect.stringMatching(/^UNKNOWN_TYPE There is no type 'Wrong'/),
    ]);
  });
  it('beside others that are wrong in themselves', () => {
    const text = 'PROGRAM M VAR x : Wrong; y : INT; END_VAR y := x + nothing; y := TRUE; END_PROGRAM';
    expect(errors([{ kind: 'text', name: 't.st', text }])).toHaveLength(3);
  });
});
