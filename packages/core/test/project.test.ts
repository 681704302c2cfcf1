import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { type Edit, type Project, applyEdit, compareProjects, compile, emptyProject, planProof, projectHash, projectText, renameDevice, renameTag, usesOf } from '../src/index.js';
import { parseProject } from '../src/project/schema.js';

const text = readFileSync(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8');
const demo = JSON.parse(text) as Project;
const problemsOf = (t: string) => { const r = parseProject(t); return 'problems' in r ? r.problems : []; };

describe('a project file', () => {
  it('reads and writes to the same text', () => {
    const r = parseProject(text);
    expect('project' in r && projectText(r.project)).toBe(text);
    expect(projectHash(demo)).toMatch(/^[0-9a-f]{64}$/);
    // A point ticked off, a tag watched: the same program; a rung changed: another.
    expect(projectHash({ ...demo, bench: { points: [{ tag: 'StartPB', found: 'right', by: 'Ada', at: '2026-01-01T00:00:00Z', where: 'controller' }] } })).toBe(projectHash({ ...demo, bench: {} }));
    expect(projectHash({ ...demo, pous: demo.pous.slice(1) })).not.toBe(projectHash(demo));
    expect(problemsOf(projectText(emptyProject('New')))).toEqual([]);
  });
  it.each([
    ['not JSON', text.slice(0, 400), /^This is not JSON/],
    ['something else', '{"a": 1}', /^format: this is not a Ferrule project/],
    ['a newer version', text.replace('"version": 1', '"version": 2'), /^version: the project is of version 2/],
    ['a tag without a name', text.replace('"name": "StartPB",', ''), /^tags\.0\.name: /],
    ['a wrong wiring', text.replace('"wiring": "NO"', '"wiring": "XX"'), /^tags\.0\.wiring: must be one of/],
    ['an unknown key', text.replace('"wiring": "NO"', '"colour": "blue"'), /^tags\.0\.colour: /],
    ['a repeated id', text.replace('"id": "t2"', '"id": "t1"'), /^tags\.1\.id: 't1' is used twice/],
    ['a task that runs nothing known', text.replace('"Stations"\n', '"Station"\n'), /^tasks\.0\.programs\.1: there is no program 'Station'/],
    ['a wire to nothing', text.replace('"NO": "StartPB"', '"NO": "StartButton"'), /^machine\.devices\.0\.wires\.NO: there is no tag or device/],
  ])('that is %s is refused with the place', (_, broken, message) => {
    expect(broken).not.toBe(text);
    expect(problemsOf(broken)[0]).toMatch(message);
  });
});

describe('edits', () => {
  const rungIds = demo.pous[0]!.language === 'LD' ? demo.pous[0]!.rungs.map((r) => r.id) : [];
  const edit: fc.Arbitrary<Edit> = fc.oneof(
    fc.record({ kind: fc.constant('changeTag' as const), id: fc.constantFrom(...demo.tags.map((t) => t.id)), to: fc.record({ description: fc.string(), address: fc.constant(null as unknown as string) }, { requiredKeys: [] }) }),
    fc.record({ kind: fc.constant('removeTag' as const), id: fc.constantFrom(...demo.tags.map((t) => t.id)) }),
    fc.record({ kind: fc.constant('changeRung' as const), pou: fc.constant('p1'), id: fc.constantFrom(...rungIds), to: fc.record({ line: fc.string(), comment: fc.string() }, { requiredKeys: ['line'] }) }),
    fc.record({ kind: fc.constant('removeRung' as const), pou: fc.constant('p1'), id: fc.constantFrom(...rungIds) }),
    fc.record({ kind: fc.constant('moveRung' as const), pou: fc.constant('p1'), id: fc.constantFrom(...rungIds), to: fc.nat(5) }),
    fc.nat(10).map((at): Edit => ({ kind: 'addRung', pou: 'p1', at, rung: { id: `new${at}`, line: 'A -> B' } })),
    fc.string().map((t): Edit => ({ kind: 'changeText', pou: 'p3', text: t })),
    fc.constant<Edit>({ kind: 'changeScope', paths: ['Step'] }),
    fc.record({ kind: fc.constant('changeChecking' as const), code: fc.constantFrom('DOUBLE_COIL', 'UNUSED_TAG'), to: fc.constantFrom('error' as const, 'warning' as const, 'off' as const) }),
    fc.string({ minLength: 1 }).map((name): Edit => ({ kind: 'rename', name })),
    fc.nat(3).map((at): Edit => ({ kind: 'addCheck', at, check: { id: `nc${at}`, name: 'New', rows: [] } })), fc.constantFrom('c1', 'c2', 'nc1').map((id): Edit => ({ kind: 'removeCheck', id })),
    fc.nat(2).map((at): Edit => ({ kind: 'addRow', check: 'c1', at, row: { id: `nk${at}`, do: ['tap Start'] } })), fc.constantFrom('k1', 'nk1').map((id): Edit => ({ kind: 'removeRow', check: 'c1', id })),
    fc.nat(2).map((at): Edit => ({ kind: 'addRule', at, rule: { id: `ni${at}`, name: 'New', sentence: 'always TRUE' } })), fc.constantFrom('i1', 'ni1').map((id): Edit => ({ kind: 'removeRule', id })),
    fc.constant<Edit>({ kind: 'changeRow', check: 'c1', id: 'k1', to: { when: 'at once' } }),
    fc.constant<Edit>({ kind: 'changeRule', id: 'i1', to: { sentence: 'always TRUE' } }),
    fc.constant<Edit>({ kind: 'changeDevice', id: 'd1', to: { wires: {} } }),
  );
  it('doing and then the inverse gives back an equal document', () => {
    fc.assert(fc.property(fc.array(edit, { minLength: 1, maxLength: 6 }), (edits) => {
      let p = demo;
      const inverses: Edit[] = [];
      for (const e of [...edits, { kind: 'group' as const, label: 'g', edits }]) {
        const r = applyEdit(p, e);
        if ('refused' in r) continue;
        p = r.project;
        inverses.unshift(r.inverse);
      }
      for (const i of inverses) { const r = applyEdit(p, i); if ('refused' in r) throw new Error(r.refused); p = r.project; }
      expect(projectText({ ...p })).toEqual(projectText(JSON.parse(projectText(p)) as Project));
      expect(sorted(p)).toEqual(sorted(demo));
    }), { numRuns: 200 });
  });
  it('that do not fit are refused and change nothing', () => {
    expect(applyEdit(demo, { kind: 'removeTag', id: 'nope' })).toEqual({ refused: 'The tag is no longer there.' });
    expect(applyEdit(demo, { kind: 'group', label: '', edits: [{ kind: 'rename', name: 'X' }, { kind: 'removeRung', pou: 'p3', id: 'r1' }] })).toHaveProperty('refused');
  });
});
const sorted = (p: Project) => JSON.stringify(p, (_, v: unknown) => (v && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).sort()) : v));

describe('uses and rename', () => {
  const compiled = compile([{ kind: 'project', name: 'demo', project: demo }]);
  it('finds reads, writes and wires', () => {
    const uses = usesOf(demo, compiled).get('running')!;
    expect(uses.filter((u) => u.isWrite).map((u) => u.place)).toEqual(['Cell rung 1']);
    expect(usesOf(demo, compiled).get('stopok')!.map((u) => u.place)).toContain('Machine Stop.NC');
  });
  it('renames a tag in rungs, wires, checks, rules and on the scope, and nothing else', () => {
    const tag = demo.tags.find((t) => t.name === 'DieClose')!;
    const r = applyEdit(demo, renameTag(demo, compiled, tag, 'PressDown'));
    if ('refused' in r) throw new Error(r.refused);
    const after = projectText(r.project);
    expect(after).not.toMatch(/\bDieClose\b/);
    expect(after.split('PressDown').length).toBe(text.split(/\bDieClose\b/).length);
    expect(compile([{ kind: 'project', name: 'p', project: r.project }]).hasErrors).toBe(false);
  });
  it('renames a device in what checks do with it, in wires to it and where its values are named; one undo brings all back', () => {
    const p: Project = { ...demo, scope: [...demo.scope, 'Machine.Feed.Jam'], rules: [...demo.rules, { id: 'r9', name: 'No jam', sentence: 'never Machine.Feed.Jam' }] };
    const device = p.machine.devices.find((d) => d.name === 'Feed')!, r = applyEdit(p, renameDevice(p, device.id, 'Tap'));
    if ('refused' in r) throw new Error(r.refused);
    const after = projectText(r.project);
    expect(after).toContain('upset Tap.Jam');
    expect(after).not.toMatch(/upset Feed|Machine\.Feed|"Feed\./);
    expect(after).toContain('never Machine.Tap.Jam');
    // A name that is also a verb is followed all the same; the verb stays.
    const again = applyEdit(r.project, renameDevice(r.project, r.project.machine.devices.find((d) => d.name === 'Start')!.id, 'Hold'));
    expect('refused' in again ? again.refused : projectText(again.project)).toContain('tap Hold for 200 ms');
    const back = applyEdit(r.project, r.inverse);
    expect('refused' in back ? back.refused : projectText(back.project)).toBe(projectText(p));
    expect(planProof(r.project, 'p').diagnostics).toEqual([]);
  });
});

describe('compare', () => {
  it('lists tags, rungs and text that differ, with both sides', () => {
    const changed = JSON.parse(text.replace('GoodTotal >= BatchCount -> BatchDone', 'GoodTotal > BatchCount -> BatchDone').replace('Peak := 0.0;', 'Peak := 1.0;').replace('"address": "%IX0.0"', '"address": "%IX3.0"')) as Project;
    expect(compareProjects(demo, demo)).toEqual([]);
    expect(compareProjects(demo, changed).map((d) => [d.what, d.kind])).toEqual([['Tag StartPB', 'tag'], ['Cell · rung 5', 'rung'], ['PullCheck · line 27', 'text']]);
  });
});
