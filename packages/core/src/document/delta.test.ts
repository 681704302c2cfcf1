import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { deltaOf, patched, sharing } from './delta.js';
import { applyEdit } from './edits/index.js';
import { type Project, emptyProject } from './document.js';

const json = fc.jsonValue({ maxDepth: 4 });
const through = (v: unknown): unknown => structuredClone(v);

describe('what is handed over of a change', () => {
  it('law: the delta of two values, brought over to a copy of the first, makes the second of it', () => {
    fc.assert(
      fc.property(json, json, (before, after) => {
        const made = patched(through(before), through(deltaOf(before, after)) as never);
        // As text, so that the order of fields counts too.
        expect(JSON.stringify(made)).toBe(JSON.stringify(after));
      }),
      { numRuns: 2000 },
    );
  });

  it('law: lists with items taken out, put in and put in the place of others', () => {
    const item = fc.record({ id: fc.nat(9), line: fc.constantFrom('A -> B', 'C -> D') });
    const list = fc.array(item, { maxLength: 8 });
    fc.assert(
      fc.property(list, fc.nat(8), fc.nat(4), list, (before, at, out, put) => {
        const after = [...before.slice(0, at), ...put, ...before.slice(at + out)];
        const copy = through(before) as typeof before,
          made = patched(copy, through(deltaOf(before, after)) as never) as typeof before;
        expect(made).toEqual(after);
        // What was left alone is the object that it was.
        for (let i = 0; i < Math.min(at, before.length); i++) expect(made[i]).toBe(copy[i]);
        for (let i = at + out; i < before.length; i++) expect(made[i - out + put.length]).toBe(copy[i]);
      }),
      { numRuns: 2000 },
    );
  });

  it('law: what is worked out anew shares what holds the same; its delta says what changed and nothing else', () => {
    const map = fc.dictionary(
      fc.constantFrom('a', 'b', 'c', 'd'),
      fc.array(fc.record({ at: fc.nat(3) }), { maxLength: 3 }),
    );
    fc.assert(
      fc.property(map, map, (before, after) => {
        const made = sharing(before, after);
        expect(JSON.stringify(made)).toBe(JSON.stringify(after));
        for (const key of Object.keys(after))
          if (JSON.stringify(after[key]) === JSON.stringify(before[key])) expect(made[key]).toBe(before[key]);
        expect(JSON.stringify(patched(before, deltaOf(before, made)))).toBe(JSON.stringify(after));
        expect(sharing(before, through(before))).toBe(before);
      }),
      { numRuns: 2000 },
    );
    expect(sharing({ a: 1, b: 2 }, { b: 2, a: 1 })).not.toBe(undefined);
    expect(Object.keys(patched({ a: 1, b: 2 }, deltaOf({ a: 1, b: 2 }, { b: 2, a: 1 })) as object)).toEqual(['b', 'a']);
  });

  it('fields that are taken away go, and a field of any name is only a field', () => {
    const before = { a: 1, b: { c: 2 }, ['__proto__x']: 1 },
      after = JSON.parse('{"b":{"__proto__":{"x":1}},"constructor":2}') as object;
    const made = patched(before, deltaOf(before, after)) as object;
    expect(JSON.stringify(made)).toBe('{"b":{"__proto__":{"x":1}},"constructor":2}');
    expect(({} as Record<string, unknown>)['x']).toBeUndefined();
  });

  it('of one rung of thousands goes that rung, whatever else the project holds', () => {
    const project: Project = {
      ...emptyProject('Large'),
      pous: [
        {
          id: 'm',
          name: 'Main',
          language: 'LD',
          kind: 'program',
          rungs: Array.from({ length: 5000 }, (_, i) => ({ id: `r${i}`, line: `A${i} -> B${i}` })),
        },
      ],
    };
    const applied = applyEdit(project, { kind: 'changeRung', pou: 'm', id: 'r2500', to: { line: 'A -> B' } });
    if (!('project' in applied)) throw new Error(applied.refused);
    const after = applied.project;
    const delta = deltaOf(project, after);
    expect(JSON.stringify(delta).length).toBeLessThan(400);
    expect(patched(project, delta)).toEqual(after);
    expect(deltaOf(after, after)).toBeUndefined();
  });

  it('a delta of something else is refused, not guessed at', () => {
    expect(() => patched({}, deltaOf([1, 2], [1, 3]))).toThrow('another list');
    expect(() => patched([], deltaOf({ a: 1 }, { a: 2 }))).toThrow('another object');
  });
});
