import fc from 'fast-check';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import {
  type Edit,
  type Project,
  applyEdit,
  compareProjects,
  emptyProject,
  projectHash,
  projectText,
  renameDevice,
  withChosen,
  renameKind,
  type OwnKind,
  type Tag,
} from '../document.js';
import { compile, renameAt, renameTag, usesOf } from '../workspace.js';
import { planProof } from '../verify.js';
import { folderToDocument, projectToFolder, readTags, tagsToCsv } from '../files.js';
import { parseProject } from './schema.js';
import { ladderProject } from '../../test/support.js';

const text = readFileSync(new URL('../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8');
const demo = JSON.parse(text) as Project;
const problemsOf = (t: string) => {
  const r = parseProject(t);
  return 'problems' in r ? r.problems : [];
};

describe('a project file', () => {
  it('reads and writes to the same text', () => {
    const r = parseProject(text);
    expect('project' in r && projectText(r.project)).toBe(text);
    expect(projectHash(demo)).toMatch(/^[0-9a-f]{64}$/);
    // A point ticked off, a tag watched: the same program; a rung changed: another.
    expect(
      projectHash({
        ...demo,
        bench: {
          points: [{ tag: 'StartPB', found: 'right', by: 'Ada', at: '2026-01-01T00:00:00Z', where: 'controller' }],
        },
      }),
    ).toBe(projectHash({ ...demo, bench: {} }));
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
  ])('that is %s is refused with the place', (_, broken, message) => {
    expect(broken).not.toBe(text);
    expect(problemsOf(broken)[0]).toMatch(message);
  });
  it.each([
    ['a task that runs nothing known', text.replace('"Stations"\n', '"Station"\n'), /'Station'/],
    ['a wire to nothing', text.replace('"NO": "StartPB"', '"NO": "StartButton"'), /'StartButton'/],
  ])('with %s opens, and the checker tells it', (_, broken, message) => {
    const r = parseProject(broken);
    if (!('project' in r)) throw new Error(r.problems.join());
    const errors = compile([{ kind: 'project', name: 'p', project: r.project }]).diagnostics;
    expect(errors.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([
      expect.stringMatching(message),
    ]);
  });
  it.each([
    ['a ladder that is a function', 'Main', { kind: 'function' }, /^pous\.0\.kind: a ladder is a program/],
    ['a ladder with a text', 'Main', { text: 'A := B;' }, /^pous\.0\.text: a ladder has rungs/],
    ['a wire that is a number', '', {}, /^machine\.devices\.0\.wires: each value must be a text/],
  ])('with %s is refused', (_, pou, to, message) => {
    const p = emptyProject('X');
    const broken = pou
      ? { ...p, pous: p.pous.map((x) => ({ ...x, ...to })) }
      : { ...p, machine: { devices: [{ id: 'd', name: 'D', type: 'Lamp', wires: { Lit: 5 } }] } };
    expect(problemsOf(JSON.stringify(broken))[0]).toMatch(message);
  });
  it('is put in order as it is read, so that equal projects are equal files', () => {
    const p = { ...emptyProject('X'), modules: [], bench: { watches: [] }, checking: { UNUSED: 'warning' } };
    const r = parseProject(JSON.stringify(Object.fromEntries(Object.entries(p).reverse())));
    expect('project' in r && projectText(r.project)).toBe(projectText(emptyProject('X')));
  });
});

const flap: OwnKind = {
  id: 'flap',
  type: 'Flap',
  help: 'A flap.',
  width: 60,
  terminals: [
    { name: 'Open', type: 'BOOL', direction: 'in', help: 'Opens it' },
    { name: 'Position', type: 'REAL', direction: 'out', help: 'How far', mechanical: true },
  ],
  parameters: [{ name: 'Travel', type: 'REAL', initial: '1.0', unit: 's', min: 0.1, max: 9, help: 'Time' }],
  upsets: [{ name: 'Jam', help: 'It stands' }],
  handles: [{ name: 'Push', type: 'press', help: 'Pushes it' }],
  locals: 'Way : REAL;',
  body: 'Position := Way;',
  picture: [{ id: 's1', shape: 'bar', x: '0', y: '-10', fill: 'Way', text: '' }],
};

describe('own kinds of devices in a project', () => {
  const withFlap: Project = {
    ...demo,
    machine: { devices: [...demo.machine.devices, { id: 'f', name: 'TopFlap', type: 'Flap' }], kinds: [flap] },
  };
  it('go into the file and the folder and come back', () => {
    expect(problemsOf(projectText(withFlap))).toEqual([]);
    const r = parseProject(projectText(withFlap));
    expect('project' in r && r.project).toEqual(withFlap);
    const folder = projectToFolder(withFlap),
      back = folderToDocument(folder);
    expect('document' in back && back.document).toEqual(withFlap);
    expect([folder.get('devices/Flap.st'), folder.get('devices/Flap.var.st')]).toEqual([
      'Position := Way;',
      'Way : REAL;',
    ]);
    expect(folderToDocument(new Map([...folder].filter(([f]) => f !== 'devices/Flap.st')))).toEqual({
      problem: 'devices/Flap.st: machine.json names it, but it is not there.',
    });
  });
  it.each([
    ['a kind without a name', { type: '' }, /^machine\.kinds\.0\.type: /],
    ['a name with a blank', { type: 'Big flap' }, /^machine\.kinds\.0\.type: must be a name/],
    [
      'a terminal of another type',
      { terminals: [{ name: 'X', type: 'STRING', direction: 'in', help: '' }] },
      /^machine\.kinds\.0\.terminals\.0\.type: /,
    ],
    [
      'a way to be worked that there is not',
      { handles: [{ name: 'X', type: 'shake', help: '' }] },
      /^machine\.kinds\.0\.handles\.0\.type: /,
    ],
    [
      'a shape that there is not',
      { picture: [{ id: 's', shape: 'star', x: '0', y: '0' }] },
      /^machine\.kinds\.0\.picture\.0\.shape: /,
    ],
    ['no room', { width: 3 }, /^machine\.kinds\.0\.width: /],
    [
      'a limit that is no number',
      { parameters: [{ name: 'T', type: 'REAL', initial: '1', help: '', min: 'low' }] },
      /^machine\.kinds\.0\.parameters\.0\.min: /,
    ],
  ])('%s is refused with the place', (_, change, message) => {
    expect(
      problemsOf(JSON.stringify({ ...withFlap, machine: { ...withFlap.machine, kinds: [{ ...flap, ...change }] } }))[0],
    ).toMatch(message);
  });
  it('are compared, and renamed with their devices in one step', () => {
    const r = applyEdit(withFlap, renameKind(withFlap, 'flap', 'Hatch'));
    if ('refused' in r) throw new Error(r.refused);
    expect([r.project.machine.kinds![0]!.type, r.project.machine.devices.at(-1)!.type]).toEqual(['Hatch', 'Hatch']);
    expect(compareProjects(withFlap, r.project).map((d) => d.what)).toEqual([
      'Kind of device Hatch',
      'Machine TopFlap',
    ]);
    const back = applyEdit(r.project, r.inverse);
    expect('project' in back && back.project).toEqual(withFlap);
  });
  it('are compared part by part, in words', () => {
    const changed = {
      ...withFlap,
      machine: {
        devices: withFlap.machine.devices.map((d) =>
          d.name === 'TopFlap' ? { ...d, wires: { ...d.wires, Go: 'Elsewhere' }, label: 'Upper flap' } : d,
        ),
        kinds: [
          {
            ...flap,
            terminals: [
              ...flap.terminals,
              {
                name: 'Shut',
                type: 'BOOL' as const,
                direction: 'out' as const,
                help: 'Is shut',
                wiring: 'NC' as const,
              },
            ],
            body: `${flap.body}\nShut := TRUE;`,
          },
        ],
      },
    };
    const found = compareProjects(withFlap, changed),
      of = (what: string) => found.find((d) => d.what.startsWith(what));
    expect(of('Kind of device')).toMatchObject({
      before: 'Terminals\nBehaviour',
      after: 'Terminals\ngives Shut : BOOL, closed at rest (Is shut)\nBehaviour\nShut := TRUE;',
    });
    expect(of('Machine TopFlap')!.after).toMatch(/^Flap, labelled ‘Upper flap’/);
    expect(of('Machine TopFlap')!.after).toContain('Go — Elsewhere');
    // Whatever differs in them, there is a line of it on one side at least, and none of it is data.
    for (const d of found) {
      expect(`${d.before ?? ''}${d.after ?? ''}`).not.toBe('');
      expect(`${d.before ?? ''}${d.after ?? ''}`).not.toMatch(/[{}[\]"]/);
    }
    const spaced = { ...withFlap, machine: { ...withFlap.machine, kinds: [{ ...flap, body: `${flap.body}\n` }] } };
    expect(compareProjects(withFlap, spaced)).toMatchObject([{ before: 'Behaviour', after: 'Behaviour\n' }]);
    expect(compareProjects(withFlap, { ...withFlap, machine: { ...withFlap.machine, kinds: [] } })).toEqual([
      expect.objectContaining({ what: 'Kind of device Flap', before: expect.stringContaining('Behaviour') }),
    ]);
  });
});

describe('edits', () => {
  const rungIds = demo.pous[0]!.language === 'LD' ? demo.pous[0]!.rungs.map((r) => r.id) : [];
  const edit: fc.Arbitrary<Edit> = fc.oneof(
    fc.record({
      kind: fc.constant('changeTag' as const),
      id: fc.constantFrom(...demo.tags.map((t) => t.id)),
      to: fc.record(
        { description: fc.string(), address: fc.constant(null as unknown as string) },
        { requiredKeys: [] },
      ),
    }),
    fc.record({ kind: fc.constant('removeTag' as const), id: fc.constantFrom(...demo.tags.map((t) => t.id)) }),
    fc.record({
      kind: fc.constant('changeRung' as const),
      pou: fc.constant('p1'),
      id: fc.constantFrom(...rungIds),
      to: fc.record({ line: fc.string(), comment: fc.string() }, { requiredKeys: ['line'] }),
    }),
    fc.record({ kind: fc.constant('removeRung' as const), pou: fc.constant('p1'), id: fc.constantFrom(...rungIds) }),
    fc.record({
      kind: fc.constant('moveRung' as const),
      pou: fc.constant('p1'),
      id: fc.constantFrom(...rungIds),
      to: fc.nat(5),
    }),
    fc.nat(10).map((at): Edit => ({ kind: 'addRung', pou: 'p1', at, rung: { id: `new${at}`, line: 'A -> B' } })),
    fc.string().map((t): Edit => ({ kind: 'changeText', pou: 'p3', text: t })),
    fc.constant<Edit>({ kind: 'changeScope', paths: ['Step'] }),
    fc.record({
      kind: fc.constant('changeChecking' as const),
      code: fc.constantFrom('DOUBLE_COIL', 'UNUSED_TAG'),
      to: fc.constantFrom('error' as const, 'warning' as const, 'off' as const),
    }),
    fc.string({ minLength: 1 }).map((name): Edit => ({ kind: 'rename', name })),
    fc.nat(3).map((at): Edit => ({ kind: 'addCheck', at, check: { id: `nc${at}`, name: 'New', rows: [] } })),
    fc.constantFrom('c1', 'c2', 'nc1').map((id): Edit => ({ kind: 'removeCheck', id })),
    fc.nat(2).map((at): Edit => ({ kind: 'addRow', check: 'c1', at, row: { id: `nk${at}`, do: ['tap Start'] } })),
    fc.constantFrom('k1', 'nk1').map((id): Edit => ({ kind: 'removeRow', check: 'c1', id })),
    fc
      .nat(2)
      .map((at): Edit => ({ kind: 'addRule', at, rule: { id: `ni${at}`, name: 'New', sentence: 'always TRUE' } })),
    fc.constantFrom('i1', 'ni1').map((id): Edit => ({ kind: 'removeRule', id })),
    fc.constant<Edit>({ kind: 'changeRow', check: 'c1', id: 'k1', to: { when: 'at once' } }),
    fc.constant<Edit>({ kind: 'changeRule', id: 'i1', to: { sentence: 'always TRUE' } }),
    fc.constant<Edit>({ kind: 'changeDevice', id: 'd1', to: { wires: {} } }),
    fc.nat(2).map((at): Edit => ({ kind: 'addKind', at, of: { ...flap, id: `kind${at}`, type: `Flap${at}` } })),
    fc.nat(2).map((n): Edit => ({ kind: 'removeKind', id: `kind${n}` })),
    fc.record({
      kind: fc.constant('changeKind' as const),
      id: fc.constantFrom('kind0', 'kind1'),
      to: fc.record({ body: fc.string(), width: fc.integer({ min: 20, max: 600 }) }, { requiredKeys: [] }),
    }),
    fc
      .nat(2)
      .map((at): Edit => ({ kind: 'addDevice', at, device: { id: `nd${at}`, name: `New${at}`, type: 'Motor' } })),
    fc.nat(2).map((n): Edit => ({ kind: 'removeDevice', id: `nd${n}` })),
    fc.subarray(['Auto', 'Hand']).map((modes): Edit => ({
      kind: 'changePlan',
      plan: modes.length ? { modes: modes.map((name) => ({ id: name, name, when: 'A' })), sequences: [] } : null,
    })),
  );
  it('doing and then the inverse gives back an equal document', () => {
    fc.assert(
      fc.property(fc.array(edit, { minLength: 1, maxLength: 6 }), (edits) => {
        let p = demo;
        const inverses: Edit[] = [];
        for (const e of [...edits, { kind: 'group' as const, label: 'g', edits }]) {
          const r = applyEdit(p, e);
          if ('refused' in r) continue;
          p = r.project;
          inverses.unshift(r.inverse);
        }
        for (const i of inverses) {
          const r = applyEdit(p, i);
          if ('refused' in r) throw new Error(r.refused);
          p = r.project;
        }
        expect(projectText({ ...p })).toEqual(projectText(JSON.parse(projectText(p)) as Project));
        expect(sorted(p)).toEqual(sorted(demo));
      }),
      { numRuns: 200 },
    );
  });
  it('that do not fit are refused and change nothing', () => {
    expect(applyEdit(demo, { kind: 'removeTag', id: 'nope' })).toEqual({ refused: 'The tag is no longer there.' });
    expect(
      applyEdit(demo, {
        kind: 'group',
        label: '',
        edits: [
          { kind: 'rename', name: 'X' },
          { kind: 'removeRung', pou: 'p3', id: 'r1' },
        ],
      }),
    ).toHaveProperty('refused');
  });
});
const sorted = (p: Project) =>
  JSON.stringify(p, (_, v: unknown) =>
    v && typeof v === 'object' && !Array.isArray(v) ? Object.fromEntries(Object.entries(v).sort()) : v,
  );

describe('uses and rename', () => {
  const compiled = compile([{ kind: 'project', name: 'demo', project: demo }]);
  it('finds reads, writes and wires', () => {
    const uses = usesOf(demo, compiled).get('running')!;
    expect(uses.filter((u) => u.isWrite).map((u) => u.place)).toEqual(['Cell rung 1']);
    expect(
      usesOf(demo, compiled)
        .get('stopok')!
        .map((u) => u.place),
    ).toContain('Machine Stop.NC');
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
  it('a board and its pins are part of the project: followed by a new name, compared, chosen, saved as text, taken back', () => {
    const put = applyEdit(demo, {
      kind: 'changeBoard',
      board: { pins: [{ how: 'inverted', point: 'DieClose', pin: 'PB1' }], target: 'avr' },
    });
    if ('refused' in put) throw new Error(put.refused);
    const p = put.project;
    expect(Object.keys(p.board!)).toEqual(['target', 'pins']);
    expect(compareProjects(demo, p)).toEqual([
      { key: 'board', what: 'Board', kind: 'machine', before: '', after: 'Target avr\nDieClose, PB1, inverted' },
    ]);
    expect(projectText(withChosen(demo, p, ['board']))).toBe(projectText(p));
    expect(projectText(withChosen(demo, { ...p, name: 'X' }, ['name']))).toBe(projectText({ ...demo, name: 'X' }));
    expect(folderToDocument(projectToFolder(p))).toEqual({ document: p });
    const renamed = applyEdit(
      p,
      renameTag(
        p,
        compiled,
        p.tags.find((t) => t.name === 'DieClose')!,
        'PressDown',
      ),
    );
    expect('project' in renamed && renamed.project.board!.pins[0]!.point).toBe('PressDown');
    expect(usesOf(p, compiled).get('dieclose')).toContainEqual(
      expect.objectContaining({ isWrite: false, place: 'Board pin PB1' }),
    );
    const back = applyEdit(p, put.inverse);
    expect('project' in back && projectText(back.project)).toBe(projectText(demo));
  });
  it('renames a device in what checks do with it, in wires to it and where its values are named; one undo brings all back', () => {
    const p: Project = {
      ...demo,
      scope: [...demo.scope, 'Machine.Feed.Jam'],
      rules: [...demo.rules, { id: 'r9', name: 'No jam', sentence: 'never Machine.Feed.Jam' }],
    };
    const device = p.machine.devices.find((d) => d.name === 'Feed')!,
      r = applyEdit(p, renameDevice(p, device.id, 'Tap'));
    if ('refused' in r) throw new Error(r.refused);
    const after = projectText(r.project);
    expect(after).toContain('upset Tap.Jam');
    expect(after).not.toMatch(/upset Feed|Machine\.Feed|"Feed\./);
    expect(after).toContain('never Machine.Tap.Jam');
    // A name that is also a verb is followed all the same; the verb stays.
    const again = applyEdit(
      r.project,
      renameDevice(r.project, r.project.machine.devices.find((d) => d.name === 'Start')!.id, 'Hold'),
    );
    expect('refused' in again ? again.refused : projectText(again.project)).toContain('tap Hold for 200 ms');
    const back = applyEdit(r.project, r.inverse);
    expect('refused' in back ? back.refused : projectText(back.project)).toBe(projectText(p));
    expect(planProof(r.project, 'p').diagnostics).toEqual([]);
    // In a table of values too: as a device, and not where the same word is a step.
    expect(r.project.checks.find((c) => c.id === 'c6')!.table!.rows[0]).toEqual(['Tap.Jam', 'Feed', '11']);
    const stop = applyEdit(p, renameDevice(p, p.machine.devices.find((d) => d.name === 'Stop')!.id, 'Halt'));
    expect('refused' in stop ? [] : stop.project.checks.find((c) => c.id === 'c5')!.table!.rows[0]).toEqual([
      'Clamping',
      'hold Halt',
      'let go of Halt',
    ]);
  });
  it('reaches the names of rungs that are typed but make no rung yet, of tags and of own variables', () => {
    const base = emptyProject('T');
    const project: Project = {
      ...base,
      tags: [
        { id: 'a', name: 'Caps', type: 'BOOL' },
        { id: 'q', name: 'Q', type: 'BOOL' },
      ],
      pous: [
        {
          id: 'm',
          name: 'Main',
          language: 'LD',
          kind: 'program',
          variables: 'VAR Own : BOOL; END_VAR\n',
          rungs: [
            { id: 'r1', line: 'Caps & Own -> Q' },
            { id: 'r2', line: 'Caps & !Own & (Own | ' },
          ],
        },
      ],
    };
    const compiled = compile([{ kind: 'project', name: 'p', project }]);
    const lines = (edit: Edit) => {
      const r = applyEdit(project, edit);
      if ('refused' in r) throw new Error(r.refused);
      const [pou] = r.project.pous;
      return pou!.language === 'LD' ? pou!.rungs.map((x) => x.line) : [];
    };
    expect(lines(renameTag(project, compiled, project.tags[0]!, 'Lids'))).toEqual([
      'Lids & Own -> Q',
      'Lids & !Own & (Own | ',
    ]);
    const own = renameAt(project, compiled, { kind: 'pou', id: 'm' }, 4, 'Mine');
    if ('refused' in own) throw new Error(own.refused);
    expect(lines(own)).toEqual(['Caps & Mine -> Q', 'Caps & !Mine & (Mine | ']);
  });
  it('renames a tag in tables of values, where it stands for one', () => {
    const check = {
      id: 'tt',
      name: 'T',
      rows: [{ id: 'a', do: ['force {Tag} on', 'tap {Button}'], expect: ['{Seen} within 3 scans'] }],
      table: {
        columns: ['Tag', 'Button', 'Seen'],
        rows: [
          ['DieDown', 'Start', 'DieDown is on'],
          ['DieUp', 'DieDown', 'DieUp is on'],
        ],
      },
    };
    const p: Project = { ...demo, checks: [...demo.checks, check] },
      c = compile([{ kind: 'project', name: 'p', project: p }]);
    const r = applyEdit(
      p,
      renameTag(
        p,
        c,
        p.tags.find((t) => t.name === 'DieDown')!,
        'PressDown',
      ),
    );
    // A button of that name is no tag.
    expect('refused' in r ? r.refused : r.project.checks.at(-1)!.table!.rows).toEqual([
      ['PressDown', 'Start', 'PressDown is on'],
      ['DieUp', 'DieDown', 'DieUp is on'],
    ]);
  });
});

describe('compare', () => {
  it('lists tags, rungs and text that differ, with both sides', () => {
    const changed = JSON.parse(
      text
        .replace('GoodTotal >= BatchCount -> BatchDone', 'GoodTotal > BatchCount -> BatchDone')
        .replace('Peak := 0.0;', 'Peak := 1.0;')
        .replace('"address": "%IX0.0"', '"address": "%IX3.0"'),
    ) as Project;
    expect(compareProjects(demo, demo)).toEqual([]);
    expect(compareProjects(demo, changed).map((d) => [d.what, d.kind])).toEqual([
      ['Tag StartPB', 'tag'],
      ['Cell · rung 5', 'rung'],
      ['PullCheck · line 27', 'text'],
    ]);
  });
});

it('a list in the place of any thing of a project is refused, and so is one among things', () => {
  const seen = new Set<string>();
  for (const name of ['wire-end-crimp-cell', 'dust-extractor', 'ceramic-kiln', 'canal-lock']) {
    const file = new URL(`../../../../examples/${name}.ferrule.json`, import.meta.url),
      whole = JSON.parse(readFileSync(file, 'utf8')) as object;
    const visit = (parent: Record<string, unknown>, path: string): void => {
      for (const [key, v] of Object.entries(parent)) {
        if (typeof v !== 'object' || v === null) continue;
        const here = Array.isArray(parent) ? `${path}[]` : `${path}.${key}`;
        if (!Array.isArray(v) && !seen.has(here)) {
          seen.add(here);
          parent[key] = [];
          expect([here, 'problems' in parseProject(JSON.stringify(whole))]).toEqual([here, true]);
          parent[key] = v;
        }
        visit(v as Record<string, unknown>, here);
      }
    };
    visit(whole as Record<string, unknown>, '');
  }
  expect(seen.size).toBeGreaterThan(15);
});

describe('the value of an output at stop', () => {
  const errors = (tag: Partial<Tag>) =>
    compile([
      {
        kind: 'project',
        name: 'p',
        project: {
          ...ladderProject([], ['A -> A']),
          tags: [{ id: 't', name: 'A', type: 'BOOL', address: '%QX0.0', ...tag }],
        },
      },
    ]).diagnostics.flatMap((d) => (d.severity === 'error' ? [d.message] : []));
  it.each<[Partial<Tag>, string | undefined]>([
    [{ stop: 'TRUE' }, undefined],
    [{ stop: '0' }, undefined],
    [{ stop: 'maybe' }, "The value of 'A' at stop: "],
    [{ stop: 'TRUE', address: '%IX0.0' }, "'A' is no output (AT %Q…), so it has no value at stop"],
  ])('%j', (tag, message) => {
    expect(errors(tag)).toEqual(message ? [expect.stringContaining(message)] : []);
  });
  it('goes out to CSV and comes back', () => {
    const tags: Tag[] = [{ id: 't', name: 'A', type: 'BOOL', address: '%QX0.0', stop: 'TRUE' }];
    expect(tagsToCsv(tags)).toContain('At stop');
    const plan = readTags(tagsToCsv(tags), emptyProject('x'), () => 'n');
    expect(JSON.stringify(plan)).toContain('"stop":"TRUE"');
  });
});
