/** A merge takes what one side changed, tells what both did, and loses neither: laws over edits of the shipped cell. */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { compareProjects, differencesText } from './compare.js';
import { compile } from '../workspace/compile.js';
import { type Project, projectText } from './document.js';
import { type Edit, applyEdit } from './edits/index.js';
import { chooseSide, conflictAsDifference, mergeProjects } from './merge.js';
import { parseProject } from './schema.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const ladder = demo.pous.find((p) => p.language === 'LD')!;
const rungs = ladder.language === 'LD' ? ladder.rungs : [];

function edited(p: Project, edits: readonly Edit[]): Project {
  let now = p;
  for (const e of edits) {
    const r = applyEdit(now, e);
    if ('project' in r) now = r.project;
  }
  return now;
}
/**
 * Any edit of tags, rungs, checks, devices and plan; `tag` marks what it writes, so that both sides write differently.
 */
const anyEdit = (mark: string): fc.Arbitrary<Edit> =>
  fc.oneof(
    fc
      .constantFrom(...demo.tags.slice(0, 6))
      .map((t): Edit => ({ kind: 'changeTag', id: t.id, to: { description: `${mark} says` } })),
    fc.constantFrom(...demo.tags.slice(0, 6)).map((t): Edit => ({ kind: 'changeTag', id: t.id, to: { unit: mark } })),
    fc.constantFrom(...demo.tags.slice(0, 6)).map((t): Edit => ({ kind: 'removeTag', id: t.id })),
    fc.nat(4).map((n): Edit => ({
      kind: 'addTag',
      tag: { id: `${mark}${n}`, name: `New${n}`, type: 'BOOL', description: mark },
    })),
    fc
      .constantFrom(...rungs.slice(0, 6))
      .map((r): Edit => ({ kind: 'changeRung', pou: ladder.id, id: r.id, to: { line: `${mark} -> X` } })),
    fc
      .constantFrom(...rungs.slice(0, 6))
      .map((r): Edit => ({ kind: 'changeRung', pou: ladder.id, id: r.id, to: { comment: mark } })),
    fc.constantFrom(...rungs.slice(0, 6)).map((r): Edit => ({ kind: 'removeRung', pou: ladder.id, id: r.id })),
    fc.nat(5).map((at): Edit => ({
      kind: 'addRung',
      pou: ladder.id,
      at,
      rung: { id: `${mark}r${at}`, line: `${mark} -> Y` },
    })),
    fc
      .tuple(fc.constantFrom(...rungs.slice(0, 6)), fc.nat(5))
      .map(([r, to]): Edit => ({ kind: 'moveRung', pou: ladder.id, id: r.id, to })),
    fc.constant<Edit>({ kind: 'changeScope', paths: [...demo.scope, mark] }),
  );
const side = (mark: string) => fc.array(anyEdit(mark), { maxLength: 5 }).map((e) => edited(demo, e));
const at = (p: Project, path: readonly string[]): unknown =>
  path.reduce<unknown>(
    (x, k) =>
      k.startsWith('#')
        ? (x as readonly { readonly id: string }[] | undefined)?.find((y) => `#${y.id}` === k)
        : (x as Record<string, unknown> | undefined)?.[k],
    p,
  );

describe('a merge', () => {
  it('law: with one side unchanged it is the other, with both the same it is that, and nothing is a conflict', () => {
    fc.assert(
      fc.property(side('mine'), (p) => {
        for (const m of [mergeProjects(demo, p, demo), mergeProjects(demo, demo, p), mergeProjects(demo, p, p)]) {
          expect(m.conflicts).toEqual([]);
          expect(projectText(m.project)).toBe(projectText(p));
        }
      }),
    );
  });
  it('law: what one side alone changed is in the result; each conflict holds both, and either can be chosen', () => {
    fc.assert(
      fc.property(side('mine'), side('other'), (mine, other) => {
        const { project, conflicts } = mergeProjects(demo, mine, other);
        // It is a project like any other, and keeps what is open in its file.
        const read = parseProject(projectText(project));
        expect('project' in read && projectText(read.project)).toBe(projectText(project));
        const isOpen = (path: readonly string[]) =>
          conflicts.some((c) => c.path.every((k, i) => path[i] === undefined || path[i] === k));
        for (const t of demo.tags) {
          const path = ['tags', `#${t.id}`],
            [a, b, now] = [mine, other, project].map((p) => at(p, path)) as (Record<string, unknown> | undefined)[];
          if (isOpen(path)) continue;
          expect(!now).toBe(!a || !b);
          for (const field of ['description', 'unit'])
            if (now)
              expect(now[field]).toBe(
                a![field] === (t as unknown as Record<string, unknown>)[field] ? b![field] : a![field],
              );
        }
        for (const c of conflicts.filter((x) => x.path.at(-1) !== 'order')) {
          expect(at(project, c.path)).toEqual(c.ours);
          expect(at(chooseSide(project, c.id, 'theirs'), c.path)).toEqual(c.theirs);
          expect(at(chooseSide(project, c.id, 'ours'), c.path)).toEqual(c.ours);
        }
        let chosen = project;
        for (const c of conflicts) chosen = chooseSide(chosen, c.id, 'theirs');
        expect(chosen.conflicts).toBe(undefined);
        expect(
          compile([{ kind: 'project', name: 'p', project }]).diagnostics.filter((d) => d.code === 'CONFLICT'),
        ).toHaveLength(conflicts.length);
      }),
      { numRuns: 60 },
    );
  });
  it('says in the words of the trade what both changed', () => {
    const tag = demo.tags[0]!,
      rung = rungs[2]!;
    const of = (mark: string): Project =>
      edited(demo, [
        { kind: 'changeTag', id: tag.id, to: { description: mark } },
        { kind: 'changeRung', pou: ladder.id, id: rung.id, to: { line: `${mark} -> X` } },
        ...(mark === 'a'
          ? ([{ kind: 'removeRung', pou: ladder.id, id: rungs[4]!.id }] as const)
          : ([{ kind: 'changeRung', pou: ladder.id, id: rungs[4]!.id, to: { comment: 'kept' } }] as const)),
      ]);
    expect(mergeProjects(demo, of('a'), of('b')).conflicts.map((c) => c.what)).toEqual([
      `Tag ${tag.name} · description`,
      `${ladder.name} · rung 3`,
      `${ladder.name} · rung 5`,
    ]);
  });
  it('follows things that were given other ids by their names, rungs by what they say', () => {
    const again = (p: Project, k: string): Project => ({
      ...p,
      tags: p.tags.map((t) => ({ ...t, id: `${k}${t.id}` })),
      pous: p.pous.map((x) =>
        x.language === 'LD' ? { ...x, id: `${k}${x.id}`, rungs: x.rungs.map((r) => ({ ...r, id: `${k}${r.id}` })) } : x,
      ),
    });
    const mine = edited(demo, [{ kind: 'changeTag', id: demo.tags[0]!.id, to: { description: 'mine' } }]),
      other = again(edited(demo, [{ kind: 'changeTag', id: demo.tags[1]!.id, to: { description: 'other' } }]), 'z'),
      { project, conflicts } = mergeProjects(demo, mine, other);
    expect(conflicts).toEqual([]);
    expect(project.tags.slice(0, 2).map((t) => t.description)).toEqual(['mine', 'other']);
    expect(compareProjects(mine, project).map((d) => d.what)).toEqual([`Tag ${demo.tags[1]!.name}`]);
    // Both gave the same new name: one tag, with what differs to be chosen.
    const both = mergeProjects(
      demo,
      edited(demo, [{ kind: 'addTag', tag: { id: 'a', name: 'Fresh', type: 'BOOL' } }]),
      edited(demo, [{ kind: 'addTag', tag: { id: 'b', name: 'fresh', type: 'INT' } }]),
    );
    expect(both.project.tags.filter((t) => /^fresh$/i.test(t.name))).toHaveLength(1);
    expect(both.conflicts.map((c) => c.what)).toEqual(['Tag Fresh · name', 'Tag Fresh · type']);
  });
  it('merges texts line by line, and where nobody knows what was before, asks for whatever differs', () => {
    const text = (t: string): Project => ({
      ...demo,
      pous: [{ id: 'p', name: 'T', language: 'ST', kind: 'program', text: t }],
      tasks: [],
    });
    const clean = mergeProjects(text('a\nb\nc\nd\ne'), text('A\nb\nc\nd\ne'), text('a\nb\nc\nd\nE'));
    expect([clean.project.pous[0], clean.conflicts]).toMatchObject([{ text: 'A\nb\nc\nd\nE' }, []]);
    const both = mergeProjects(text('a\nb\nc\nd\ne'), text('a\nb1\nc\nd\ne'), text('a\nb2\nc\nd\nE'));
    expect(both.conflicts.map((c) => [c.what, c.ours, c.theirs])).toEqual([
      ['T · text', 'a\nb1\nc\nd\nE', 'a\nb2\nc\nd\nE'],
    ]);
    expect(mergeProjects(undefined, text('a\nb'), text('a\nc')).conflicts.map((c) => c.what)).toEqual(['T · text']);
    expect(mergeProjects(undefined, demo, demo).conflicts).toEqual([]);
  });
  it('a check with another name is a difference, and taken', () => {
    const check = demo.checks[0]!,
      other = { ...demo, checks: demo.checks.map((c) => (c === check ? { ...c, name: 'Renamed' } : c)) };
    expect(compareProjects(demo, other)).toMatchObject([{ what: 'Check Renamed', kind: 'prove' }]);
    expect(compareProjects(demo, other)[0]!.before).toContain(check.name);
  });
  it('no field of a thing differs unseen: cap and key of a device, what a rule assumes, notes of steps, words about a program', () => {
    const changed: readonly Project[] = [
      {
        ...demo,
        machine: { ...demo.machine, devices: demo.machine.devices.map((d, i) => (i ? d : { ...d, key: 'q' })) },
      },
      { ...demo, rules: demo.rules.map((r, i) => (i ? r : { ...r, assumed: !r.assumed })) } as Project,
      {
        ...demo,
        plan: {
          ...demo.plan!,
          sequences: demo.plan!.sequences.map((s) => ({ ...s, steps: s.steps.map((x) => ({ ...x, note: 'new' })) })),
        },
      },
      { ...demo, pous: demo.pous.map((p, i) => (i ? p : { ...p, description: 'What it does' })) },
    ];
    for (const [i, p] of changed.entries()) {
      const found = compareProjects(demo, p);
      expect(
        found.map((d) => d.what),
        String(i),
      ).toHaveLength(1);
      expect(found[0]!.before).not.toBe(found[0]!.after);
    }
    expect(compareProjects(demo, { ...demo, plan: { ...demo.plan!, made: { a: 'b' } } })).toEqual([]);
  });
  it('a conflict over a list is told in words, as any difference is; so is one over an order', () => {
    const kind = {
      id: 'flap',
      type: 'Flap',
      help: '',
      terminals: [{ name: 'Lift', type: 'BOOL' as const, direction: 'in' as const, help: '' }],
      parameters: [],
      upsets: [],
      handles: [],
      locals: '',
      body: ';',
      width: 20,
      picture: [],
    };
    const of = (name: string): Project => ({
      ...demo,
      machine: { ...demo.machine!, kinds: [{ ...kind, terminals: [{ ...kind.terminals[0]!, name }] }] },
    });
    const { project, conflicts } = mergeProjects(of('Lift'), of('Raise'), of('Open'));
    expect(conflicts.map((c) => conflictAsDifference(project, c))).toMatchObject([
      { before: expect.stringContaining('takes Raise : BOOL'), after: expect.stringContaining('takes Open : BOOL') },
    ]);
    const by = (order: readonly number[]): Project => ({
        ...demo,
        tags: [...order.map((i) => demo.tags[i]!), ...demo.tags.slice(4)],
      }),
      moved = mergeProjects(demo, by([1, 0, 2, 3]), by([3, 2, 1, 0]));
    const [a, b, d, e] = demo.tags.map((t) => t.name);
    expect(moved.conflicts.map((c) => conflictAsDifference(moved.project, c))).toMatchObject([
      { what: 'order of tags', before: [b, a, d, e].join('\n'), after: [e, d, b, a].join('\n') },
    ]);
  });
  it('a conflict that holds anything is shown as data', () => {
    const path = ['pous', `#${ladder.id}`, 'rungs', `#${rungs[0]!.id}`],
      of = (ours: unknown, more: readonly string[] = []) => {
        const c = { id: 'c', what: 'x', path: [...path, ...more] },
          // What is merged holds ours.
          mine = chooseSide({ ...demo, conflicts: [{ ...c, theirs: ours }] }, 'c', 'theirs');
        return conflictAsDifference(mine, { ...c, ours, theirs: 'A -> B' });
      };
    const type = { id: 'c', what: 'x', path: ['types', `#${demo.types[0]!.id}`, 'text'], ours: demo.types[0]!.text },
      told = conflictAsDifference(demo, { ...type, theirs: { no: 'text' } });
    expect(told.after).toBe('{\n  "no": "text"\n}');
    expect([of({ line: 5 }).kind, of(7, ['line']).kind, of('A -> C', ['line']).kind]).toEqual([
      'settings',
      'settings',
      'rung',
    ]);
  });
  it('differences are told as text; of what no sentence speaks its place is', () => {
    expect(differencesText(demo, demo)).toBe('');
    expect(
      differencesText(
        demo,
        edited(demo, [{ kind: 'changeRung', pou: ladder.id, id: rungs[0]!.id, to: { line: 'A -> B' } }]),
      ),
    ).toMatch(new RegExp(`^${ladder.name} · rung 1\\n(- .*\\n)+(\\+ .*\\n)*\\+ A -> B\\n$`));
  });
});
