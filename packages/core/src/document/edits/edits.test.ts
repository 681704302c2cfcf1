/**
 * Laws of the edits: whatever is accepted leaves a document that can be read, checked and taken back, byte for byte.
 */
import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import {
  EDIT_FIELDS,
  type Edit,
  ORDER,
  type Plan,
  type Project,
  applyEdit,
  emptyProject,
  projectText,
} from '../../document.js';
import { compile } from '../../workspace.js';
import { madeChecks, planChanges, takeChanges } from '../../plan.js';
import { planProof } from '../../verify.js';
import type { Field } from './fields.js';
import { LONGEST_ID, shortened } from '../short.js';
import { documentProblems, parseProject, readEdits, thingProblems } from '../../schema.js';

const example = (name: string): Project => {
  const r = parseProject(
    readFileSync(new URL(`../../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8'),
  );
  if ('problems' in r) throw new Error(r.problems.join());
  return r.project;
};
const extractor = example('dust-extractor');
const base: Project = {
  ...extractor,
  checks: extractor.checks.slice(0, 2),
  bench: { watches: [{ id: 'w', name: 'W', rows: [{ path: 'A' }] }], keys: [{ path: 'A', key: 'k' }] },
};

/** Texts as people and programs send them: names, sentences, nothing, what breaks things elsewhere. */
const textArb = fc.oneof(
  fc.constantFrom(
    '',
    'A',
    'Fan',
    'BOOL',
    'INT',
    '%IX0.0',
    '%QX0.0',
    '10 ms',
    'A -> B',
    'A & (B | !C) -> set D, { X := 1; }',
  ),
  fc.constantFrom(
    'never A',
    'A is on within 1 s',
    '__proto__',
    'constructor',
    '<img src=x>',
    'END_VAR',
    '(*',
    "'",
    'a\u0000b',
    '\ud800',
    '😀',
  ),
  fc.constantFrom(
    'X : STRUCT A : INT; END_STRUCT;',
    'ARRAY[1..3] OF X',
    'ARRAY[1..99999999] OF LREAL',
    'VAR x : INT; END_VAR',
    'T#99999999999d',
  ),
  fc.string({ maxLength: 30 }),
);
const lists = (['tags', 'types', 'pous', 'tasks', 'checks', 'rules'] as const).map((k) =>
  base[k].slice(0, 3).map((x) => x.id),
);
const ids = lists
  .flat()
  .concat(base.pous.flatMap((p) => (p.language === 'LD' ? p.rungs.slice(0, 2).map((r) => r.id) : [])))
  .concat(base.machine.devices.slice(0, 2).map((d) => d.id))
  .concat(base.checks.flatMap((c) => c.rows.slice(0, 2).map((r) => r.id)));
const idArb = fc.oneof(fc.constantFrom(...ids), fc.constantFrom('new1', 'new2', 'x'.repeat(60)), textArb);
const looseArb: fc.Arbitrary<unknown> = fc.oneof(
  textArb,
  fc.constantFrom(
    null,
    true,
    false,
    0,
    1,
    -1,
    1.5,
    70_000,
    'NO',
    'NC',
    'read',
    'LD',
    'ST',
    'program',
    'function',
    'functionBlock',
  ),
  fc.array(textArb, { maxLength: 3 }),
  fc.dictionary(textArb, textArb, { maxKeys: 2 }),
);
/** A thing of the project as it is, or with some fields made otherwise. */
const thingArb = (thing: keyof typeof ORDER): fc.Arbitrary<unknown> => {
  const have: Record<string, readonly unknown[]> = {
    tag: base.tags.slice(0, 4),
    type: base.types,
    pou: base.pous,
    rung: base.pous.flatMap((p) => (p.language === 'LD' ? p.rungs.slice(0, 2) : [])),
    task: base.tasks,
    device: base.machine.devices.slice(0, 3),
    check: base.checks,
    row: base.checks.flatMap((c) => c.rows.slice(0, 2)),
    rule: base.rules,
    plan: base.plan ? [base.plan] : [],
    project: [base, emptyProject('Other')],
    bench: [{}, { watches: [] }, base.bench],
  };
  const known = have[thing]?.length
    ? fc.constantFrom(...have[thing]!)
    : fc.constant({ id: 'm', name: 'M', area: 'I', start: 0, bytes: 2 });
  const fields = fc.dictionary(fc.constantFrom(...ORDER[thing], 'colour'), looseArb, { maxKeys: 2 });
  return fc.tuple(known, fc.option(idArb), fc.option(fields, { freq: 1 })).map(([k, id, f]) => ({
    ...(k as object),
    ...(id !== null && 'id' in (k as object) ? { id } : {}),
    ...f,
  }));
};
function fieldArb(field: Field<unknown>): fc.Arbitrary<unknown> {
  switch (field.is) {
    case 'text':
    case 'name':
      return fc.oneof(idArb, textArb);
    case 'index':
      return fc.constantFrom<unknown>(0, 1, 2, 1000, -1, 0.5, 'x');
    case 'level':
      return fc.constantFrom<unknown>('error', 'warning', 'off', 'loud');
    case 'texts':
      // Several of one list too: an inverse has to know what each of them was.
      return fc.oneof(
        fc.array(fc.oneof(idArb, textArb), { maxLength: 3 }),
        fc.constantFrom(...lists).chain((l) => fc.subarray(l)),
      );
    case 'whole':
    case 'parts':
      return thingArb(field.thing);
    case 'wholeOrNothing':
      return fc.oneof(fc.constant(null), thingArb(field.thing));
    case 'list':
      return fc.array(thingArb(field.thing), { maxLength: 2 });
    case 'changes':
      return fc.dictionary(fc.constantFrom(...(field.fields ?? ORDER[field.thing]), 'id', 'colour'), looseArb, {
        maxKeys: 3,
      });
    case 'edits':
      return fc.constant([]);
  }
}
const plainArb = fc
  .constantFrom(...(Object.keys(EDIT_FIELDS) as Edit['kind'][]).filter((k) => k !== 'group'))
  .chain((kind) =>
    fc.record({
      kind: fc.constant(kind),
      ...Object.fromEntries(Object.entries(EDIT_FIELDS[kind]).map(([k, f]) => [k, fieldArb(f)])),
    }),
  );
const batchArb = fc.array(
  fc.oneof(
    { weight: 5, arbitrary: plainArb },
    {
      weight: 1,
      arbitrary: fc.array(plainArb, { maxLength: 3 }).map((edits) => ({ kind: 'group', label: 'G', edits })),
    },
  ),
  { minLength: 1, maxLength: 4 },
);

describe('edits from outside', () => {
  it('what is accepted leaves a document that is read, checked without a crash, and taken back byte for byte', () => {
    let accepted = 0;
    fc.assert(
      fc.property(batchArb, (batch) => {
        const read = readEdits(batch);
        if ('problem' in read) {
          expect(read.problem.field).toMatch(/^edits/);
          expect(read.problem.message).not.toBe('');
          return;
        }
        let p = base;
        const inverses: Edit[] = [];
        for (const e of read.edits) {
          const r = applyEdit(p, e);
          if ('refused' in r) return;
          p = r.project;
          inverses.unshift(r.inverse);
        }
        expect(documentProblems(p, base)).toEqual(documentProblems(p));
        if (documentProblems(p, base).length) return;
        accepted++;
        const again = parseProject(projectText(p));
        expect('project' in again && projectText(again.project)).toBe(projectText(p));
        compile([{ kind: 'project', name: 'p', project: p }]);
        planProof(p, 'p');
        for (const e of inverses) {
          expect(readEdits([e])).toEqual({ edits: [e] });
          const r = applyEdit(p, e);
          if ('refused' in r) throw new Error(r.refused);
          p = r.project;
        }
        expect(projectText(p)).toBe(projectText(base));
      }),
      { numRuns: 1500 },
    );
    expect(accepted).toBeGreaterThan(60);
  });

  it('law: a group does what its edits do one by one, leaves the document before it alone, and is taken back as one', () => {
    const frozen = (x: unknown): void => {
      if (typeof x !== 'object' || x === null || Object.isFrozen(x)) return;
      Object.freeze(x);
      Object.values(x).forEach(frozen);
    };
    frozen(base);
    let done = 0;
    fc.assert(
      fc.property(batchArb, (batch) => {
        const read = readEdits(batch);
        if ('problem' in read) return;
        const { edits } = read;
        let p: Project | undefined = base;
        for (const e of edits) {
          const one: ReturnType<typeof applyEdit> | undefined = p && applyEdit(p, e);
          p = one && 'project' in one ? one.project : undefined;
        }
        const r = applyEdit(base, { kind: 'group', label: 'G', edits });
        expect('project' in r).toBe(p !== undefined);
        if (!p || !('project' in r)) return;
        done++;
        expect(projectText(r.project)).toBe(projectText(p));
        // What came out is whole: nothing that is done to it later is seen in what it came from.
        const back = applyEdit(r.project, r.inverse);
        expect('project' in back && projectText(back.project)).toBe(projectText(base));
        expect(projectText(r.project)).toBe(projectText(p));
      }),
      { numRuns: 1500 },
    );
    expect(done).toBeGreaterThan(60);
  });

  it.each([
    [{ kind: 'changeTag', id: 't1', to: { name: null } }, 'edits.0.to.name', 'cannot be taken away.'],
    [{ kind: 'changeTag', id: 't1', to: { id: 't2' } }, 'edits.0.to.id', 'cannot be changed'],
    [
      { kind: 'changePou', id: 'p', to: { language: 'ST' } },
      'edits.0.to.language',
      'a change names name, description, variables, kind.',
    ],
    [{ kind: 'changePou', id: 'p', to: { rungs: [] } }, 'edits.0.to.rungs', 'cannot be changed'],
    [{ kind: 'changeTag', id: 't1', to: { unit: 5 } }, 'edits.0.to.unit', 'must be'],
    [{ kind: 'addTag', tag: { id: 'x' } }, 'edits.0.tag.name', 'must be'],
    [
      { kind: 'addTag', tag: { id: 'x', name: 'X', type: 'BOOL' }, where: 1 },
      'edits.0.where',
      "is no part of 'addTag'",
    ],
    [{ kind: 'toString' }, 'edits.0.kind', 'must be one of'],
    [{ kind: 'addRung', pou: 'p', rung: { id: 'r', line: '' }, at: -1 }, 'edits.0.at', 'whole number from 0'],
  ])('%j is refused at its field', (edit, field, message) => {
    const read = readEdits([edit]);
    expect('problem' in read && read.problem.field).toBe(field);
    expect('problem' in read && read.problem.message).toContain(message);
  });

  it('groups and values that lie too deep in each other are refused, not followed', () => {
    let deep: unknown = { kind: 'rename', name: 'X' };
    for (let i = 0; i < 5000; i++) deep = { kind: 'group', label: '', edits: [deep] };
    expect(readEdits([deep])).toMatchObject({ problem: { message: expect.stringContaining('deep in each other') } });
    let value: unknown = 'x';
    for (let i = 0; i < 50_000; i++) value = { a: value };
    expect(thingProblems('device', { id: 'd', name: 'D', type: 'Lamp', wires: value })[0]).toContain(
      'deep in each other',
    );
  });

  it('the order of fields is that of the shapes', () => {
    for (const [thing, keys] of Object.entries(ORDER)) {
      const unknown = thingProblems(thing as keyof typeof ORDER, Object.fromEntries(keys.map((k) => [k, null]))).filter(
        (l) => l.includes('should not exist'),
      );
      expect(unknown).toEqual([]);
    }
  });
});

describe('what a plan makes', () => {
  it('shortens an id only where it must, and differently for different ids', () => {
    expect(shortened('plan-a', LONGEST_ID)).toBe('plan-a');
    const long = 'plan-'.padEnd(300, 'x');
    expect(shortened(long, LONGEST_ID)).toHaveLength(LONGEST_ID);
    expect(shortened(long, LONGEST_ID)).not.toBe(shortened(`${long}y`, LONGEST_ID));
  });
  it.each([
    ['short ids and names', 4, 8],
    ['ids and names as long as they may be', 60, 200],
  ])('is taken with %s: several ways out, parallel sections, limits', (_, idLength, nameLength) => {
    let n = 0;
    const id = (k: string) => `${k}${n++}-`.padEnd(idLength, 'i');
    const named = (k: string) => `${k} ${n} `.padEnd(nameLength, 'long words ').slice(0, nameLength);
    const steps = Array.from({ length: 6 }, (_, i) => ({ id: id('s'), name: named(`Step${i}`) }));
    const side = Array.from({ length: 2 }, (_, i) => ({ id: id('t'), name: named(`Side${i}`) }));
    const sideId = id('q');
    const plan: Plan = {
      modes: [{ id: id('m'), name: 'Auto', when: 'AutoOn' }],
      sequences: [
        {
          id: id('q'),
          name: named('Main'),
          modes: ['Auto'],
          run: 'Running',
          steps: steps.map((s, i) => ({
            ...s,
            on: [`Out${i}`, 'Valve'],
            limit: '5 s',
            past: { fault: i + 1 },
            ...(i === 1 ? { starts: [sideId] } : {}),
            ways: steps
              .slice(0, i === 0 ? 5 : 3)
              .map((to, k) => ({ id: id('w'), when: `In${i}${k}`, to: to.id, ...(k ? { for: '300 ms' } : {}) })),
          })),
        },
        {
          id: sideId,
          name: named('Beside'),
          steps: side.map((s, i) => ({ ...s, ways: [{ id: id('w'), when: `B${i}`, to: side[1 - i]!.id }] })),
        },
      ],
    };
    let p: Project = { ...emptyProject('P'), plan };
    expect(documentProblems(p)).toEqual([]);
    for (const what of [{ logic: 'LD' as const }, { checks: madeChecks(p).checks }]) {
      const edit = takeChanges(p, planChanges(p, what));
      expect(readEdits([edit])).toEqual({ edits: [edit] });
      const r = applyEdit(p, edit);
      if ('refused' in r) throw new Error(r.refused);
      p = r.project;
      expect(documentProblems(p)).toEqual([]);
    }
    expect(p.checks.length).toBeGreaterThan(3);
    expect(
      compile([{ kind: 'project', name: 'p', project: p }]).diagnostics.filter((d) => d.severity === 'error'),
    ).toEqual([]);
    // Made again, nothing is new.
    expect(planChanges(p, { logic: 'LD', checks: madeChecks(p).checks }).filter((c) => c.kind === 'new')).toEqual([]);
  });
});
