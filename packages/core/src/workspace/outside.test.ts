import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type BenchEvent, Engine, History, OutsideInputs, type Value } from '@ferrule/core/bench';
import {
  type OutsideIo,
  type Project,
  type SequenceCheck,
  applyEdit,
  compareProjects,
  emptyProject,
  findInProject,
  projectInOrder,
  projectText,
  withChosen,
} from '@ferrule/core/document';
import { compile, ioPoints, matchByName, renameTag, usesOf } from '@ferrule/core/workspace';
import { folderToDocument, playRecording, projectToFolder, readItems, recordRun } from '@ferrule/core/files';
import { planProof, prove } from '@ferrule/core/verify';
import { parseProject } from '@ferrule/core/schema';

const line = (outside?: Partial<OutsideIo>, text = 'Motor := Closed;'): Project =>
  projectInOrder({
    ...emptyProject('Line'),
    types: [{ id: 'r', text: 'Pair : STRUCT A : INT; B : BOOL; END_STRUCT;' }],
    tags: [
      { id: '1', name: 'Closed', type: 'BOOL', address: '%IX0.0' },
      { id: '2', name: 'Level', type: 'REAL', address: '%ID4' },
      { id: '3', name: 'Speed', type: 'INT', address: '%IW2' },
      { id: '4', name: 'Motor', type: 'BOOL', address: '%QX0.0', stop: '1' },
      { id: '5', name: 'Inner', type: 'INT' },
      { id: '6', name: 'Both', type: 'ARRAY[1..2] OF INT', address: '%IW10' },
      { id: '7', name: 'Second', type: 'BOOL', standsFor: 'Closed' },
    ],
    pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: `PROGRAM Main\n${text}\nEND_PROGRAM\n` }],
    tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    machine: {
      devices: [{ id: 'd', name: 'Gate', type: 'PushButton', wires: { NO: 'Closed' } }],
    },
    ...(outside ? { outside: { isOn: true, protocol: 'modbus', address: 'line:502', items: [], ...outside } } : {}),
  });
const compiled = (p: Project) => compile([{ kind: 'project', name: 'p', project: p }]);
const ITEMS = [
  { path: 'Closed', item: 'coil 1', fallback: '1' },
  { path: 'Speed', item: 'holding 5' },
  { path: 'Level', item: 'input 7' },
  { path: 'Both[2]', item: 'input 9' },
  { path: 'Motor', item: 'coil 2' },
];

describe('what is connected to another program', () => {
  it('is each input and output with its item, its fallback, or its value at stop', () => {
    expect(compiled(line({ items: ITEMS })).outside.map((p) => [p.path, p.item, p.isInput, p.rest])).toEqual([
      ['Closed', 'coil 1', true, true],
      ['Speed', 'holding 5', true, 0n],
      ['Level', 'input 7', true, 0],
      ['Both[2]', 'input 9', true, 0n],
      ['Motor', 'coil 2', false, true],
    ]);
    expect(compiled(line({ items: ITEMS, isOn: false })).outside).toEqual([]);
  });
  it('what does not hold is told and left out; the logic runs', () => {
    const c = compiled(
      line({
        items: [
          { path: 'Gone', item: 'coil 1' },
          { path: 'Inner', item: 'holding 1' },
          { path: 'Both', item: 'holding 1' },
          { path: 'Closed', item: 'somewhere' },
          { path: 'Speed', item: 'holding 5', fallback: '40000' },
          { path: 'speed', item: 'holding 6' },
        ],
      }),
    );
    expect(c.hasErrors).toBe(false);
    expect(c.diagnostics.filter((d) => d.code === 'OUTSIDE').map((d) => d.message)).toEqual([
      "There is no tag 'Gone'.",
      "'Inner' is neither input nor output; give its tag an address (%I… or %Q…).",
      "'Both' has several values; connect its members.",
      "'Closed': 'somewhere' is no place; write for example coil 12, holding 40 or holding 40.3.",
      "The fallback of 'Speed': 40000 is outside INT (-32768 to 32767).",
      "'speed' is connected twice.",
    ]);
    expect(c.outside.map((p) => [p.path, p.rest])).toEqual([['Speed', 0n]]);
    const nodes = compiled(line({ protocol: 'opcua', items: [{ path: 'Closed', item: 'coil 1' }] }));
    expect(nodes.diagnostics.find((d) => d.code === 'OUTSIDE')!.message).toBe(
      "'Closed': 'coil 1' names no node; write for example ns=2;s=Gate.IsOpen.",
    );
  });
  it('a wired input that another program gives has no wire of the machine model, wherever the program runs', () => {
    const of = (isOn: boolean) => compiled(line({ items: ITEMS, isOn })).wires.map((w) => w.to);
    expect(of(false)).toContain('Closed');
    expect(of(true)).not.toContain('Closed');
    // A check has it as it sets it; its button moves nothing.
    const p = line({ items: ITEMS }),
      check = (rows: SequenceCheck['rows']) =>
        prove(planProof({ ...p, checks: [{ id: 'c', name: 'c', rows }] }, 'p'), { stepNs: 10_000_000n }).checks[0]!.ok;
    expect(
      check([
        { id: '1', do: ['set Closed to 1'] },
        { id: '2', when: 'after 50 ms', expect: ['Motor is on'] },
      ]),
    ).toBe(true);
    expect(
      check([
        { id: '1', do: ['hold Gate'] },
        { id: '2', when: 'after 50 ms', expect: ['Motor is off'] },
      ]),
    ).toBe(true);
  });
  it('inputs and outputs value by value, second names and inner tags left out', () => {
    const p = line();
    expect(ioPoints(p, compiled(p).build(true)).map((x) => x.path)).toEqual([
      'Closed',
      'Level',
      'Speed',
      'Motor',
      'Both[1]',
      'Both[2]',
    ]);
  });
  it('follows a new name of its tag, is among its uses, is found, compared, chosen, and taken back', () => {
    const p = line({ items: ITEMS }),
      c = compiled(p),
      renamed = applyEdit(
        p,
        renameTag(
          p,
          c,
          p.tags.find((t) => t.name === 'Both')!,
          'Pressures',
        ),
      );
    expect('project' in renamed && renamed.project.outside!.items[3]!.path).toBe('Pressures[2]');
    expect(usesOf(p, c).get('speed')).toContainEqual({ tag: 'Speed', isWrite: false, place: 'Outside holding 5' });
    expect(findInProject(p, 'holding 5')[0]).toMatchObject({ place: { kind: 'outside' }, where: 'Outside I/O' });
    const other = line({ items: ITEMS.slice(1), words: 'low first' }),
      [difference] = compareProjects(p, other);
    expect(difference).toMatchObject({ key: 'outside', what: 'Outside I/O' });
    expect(difference!.after).toContain('Modbus TCP, line:502, low word first');
    expect(projectText(withChosen(p, other, ['outside']))).toBe(projectText(other));
    expect(projectText(withChosen(p, { ...other, name: 'X' }, ['name']))).toBe(projectText({ ...p, name: 'X' }));
    const edited = applyEdit(p, { kind: 'changeOutside', outside: null });
    if ('refused' in edited) throw new Error(edited.refused);
    expect(edited.project.outside).toBeUndefined();
    const back = applyEdit(edited.project, edited.inverse);
    expect('project' in back && projectText(back.project)).toBe(projectText(p));
  });
  it('goes into a folder and a file, and back by the byte; what is none says where', () => {
    const p = line({ items: ITEMS, unit: 3 }),
      read = folderToDocument(projectToFolder(p));
    expect('document' in read && projectText(read.document as Project)).toBe(projectText(p));
    expect(parseProject(projectText(p))).toEqual({ project: p });
    const bad = parseProject(
      JSON.stringify({ ...p, outside: { ...p.outside, unit: 256, items: [{ path: 'Closed' }, 'x'] } }),
    );
    expect('problems' in bad && bad.problems.some((l) => l.includes('outside.unit'))).toBe(true);
    expect('problems' in bad && bad.problems.some((l) => l.includes('outside.items'))).toBe(true);
  });
});

describe('the system tag of a link', () => {
  const sizeOf = (p: Project) => compiled(p).build(false).stateSize;
  it('is there where inputs come from another program, or something asks for it; otherwise the state lies as it did', () => {
    const asks = line(undefined, 'Motor := System.FirstScan;');
    expect(compiled(line(undefined, 'Motor := System.OutsideLost;')).hasErrors).toBe(false);
    expect(
      new Engine(compiled(line({ items: ITEMS })).build(true), { stepNs: 10_000_000n }).read('System.OutsideLost'),
    ).toBe(false);
    expect(compiled(asks).build(true).symbols.get('system')!.type).toMatchObject({ kind: 'block' });
    expect(sizeOf({ ...asks, outside: { isOn: false, protocol: 'modbus', address: '', items: ITEMS } })).toBe(
      sizeOf(asks),
    );
  });
});

describe('inputs as another program gives them', () => {
  const project = line({ items: ITEMS }),
    c = compiled(project),
    image = c.build(true),
    inputs = c.outside.filter((p) => p.isInput),
    options = { stepNs: 10_000_000n, wires: c.wires };
  const put = (e: Engine, due: readonly BenchEvent[]) => {
    for (const x of due) if (x.kind === 'write') e.write(x.path, x.value);
  };
  it('before anything came, and while the link is away, each is at its fallback, and the system tag says so', () => {
    const e = new Engine(image, options),
      given = new OutsideInputs();
    put(e, given.due(e, inputs));
    expect([e.read('Closed'), e.read('Speed'), e.read('System.OutsideLost')]).toEqual([true, 0n, true]);
    given.take(
      [
        ['Closed', false],
        ['Speed', 12n],
        ['Level', undefined],
      ],
      false,
    );
    put(e, given.due(e, inputs));
    expect([e.read('Closed'), e.read('Speed'), e.read('Level'), e.read('System.OutsideLost')]).toEqual([
      false,
      12n,
      0,
      false,
    ]);
    expect(given.due(e, inputs)).toEqual([]);
    given.take([], true);
    put(e, given.due(e, inputs));
    expect([e.read('Closed'), e.read('Speed'), e.read('System.OutsideLost')]).toEqual([true, 0n, true]);
    // What came before the link broke does not come back with it.
    given.take([], false);
    put(e, given.due(e, inputs));
    expect(e.read('Speed')).toBe(0n);
  });
  it('a forced one is left alone, and is what came as soon as it is released', () => {
    const e = new Engine(image, options),
      given = new OutsideInputs();
    given.take([['Speed', 5n]], false);
    e.force('Speed', 99n);
    for (let i = 0; i < 3; i++) {
      expect(given.due(e, inputs).some((x) => x.kind === 'write' && x.path === 'Speed')).toBe(false);
      e.runScan();
    }
    expect(e.read('Speed')).toBe(99n);
    e.force('Speed', undefined);
    put(e, given.due(e, inputs));
    e.runScan();
    expect(e.read('Speed')).toBe(5n);
  });
  it('law: what was run with another program runs again without it, to the same bytes, over restarts too', () => {
    const value = fc.record({
      closed: fc.option(fc.boolean(), { nil: undefined }),
      speed: fc.option(fc.integer({ min: -32_768, max: 32_767 }), { nil: undefined }),
      level: fc.float({ noNaN: true }),
      isLost: fc.boolean(),
      scans: fc.integer({ min: 1, max: 5 }),
      restart: fc.constantFrom(false, false, false, true),
    });
    fc.assert(
      fc.property(fc.array(value, { maxLength: 20 }), (all) => {
        const history = new History(image, options),
          given = new OutsideInputs();
        for (const x of all) {
          if (x.restart) history.restart('warm');
          given.take(
            [
              ['Closed', x.closed],
              ['Speed', x.speed === undefined ? undefined : BigInt(x.speed)],
              ['Level', x.level],
            ] as [string, Value | undefined][],
            x.isLost,
          );
          history.applyAll(given.due(history.engine, inputs));
          history.run(x.scans);
          expect(history.engine.read('System.OutsideLost')).toBe(x.isLost);
          expect(history.engine.read('Closed')).toBe(x.isLost ? true : (x.closed ?? true));
        }
        const run = recordRun(history, project, 'run'),
          again = playRecording(new History(image, options), image, run);
        expect(again).toMatchObject({ isSame: true, dropped: [] });
      }),
    );
  });
});

describe('items that have the name of a point', () => {
  const item = (name: string, more: object = {}) => ({
    item: `s=${name}`,
    name,
    type: '',
    canRead: true,
    canWrite: true,
    ...more,
  });
  const match = (paths: readonly string[], names: readonly (string | object)[], isInput = true) =>
    matchByName(
      paths.map((path) => ({ path, isInput })),
      names.map((n) => (typeof n === 'string' ? item(n) : (n as ReturnType<typeof item>))),
    );
  it('by the end of its names, or by its letters alone; never where several have it', () => {
    expect(match(['Gate.Open', 'Speed', 'StartPB'], ['Line.Gate.Open', 'Line.speed', 'Panel.Start-PB'])).toEqual({
      matched: [
        { path: 'Gate.Open', item: 's=Line.Gate.Open' },
        { path: 'Speed', item: 's=Line.speed' },
        { path: 'StartPB', item: 's=Panel.Start-PB' },
      ],
      unclear: [],
    });
    expect(match(['Open'], ['A.Open', 'B.Open'])).toEqual({ matched: [], unclear: ['Open'] });
    expect(match(['pen'], ['A.Open'])).toEqual({ matched: [], unclear: [] });
    expect(match(['Motor'], [item('Motor', { canWrite: false })], false).matched).toEqual([]);
    expect(match(['Motor'], [item('Motor', { canWrite: false })], true).matched).toHaveLength(1);
  });
  it('a list of them is read; the mapping that Ferrule saves is one', () => {
    expect(
      readItems(
        'Point,Type,Table,Number,Registers,Access\nGo,BOOL,coil,3,,read and write\nTotal,INT,input register,7,1,read\n',
        'modbus',
      ),
    ).toEqual([
      { item: 'coil 3', name: 'Go', type: 'BOOL', canRead: true, canWrite: true },
      { item: 'input 7', name: 'Total', type: 'INT', canRead: true, canWrite: false },
    ]);
    expect(readItems('Name;Item\nGo;ns=2;s=x\n', 'opcua')).toBe(
      "Line 2: 'ns=2' names no node; write for example ns=2;s=Gate.IsOpen, in quotes where semicolons part the columns.",
    );
    expect(readItems('Name;Item\nGo;"ns=2;s=x"\n', 'opcua')).toMatchObject([{ item: 'ns=2;s=x' }]);
    expect(readItems('Name\tItem\nGo\tns=2;s=x\n', 'opcua')).toMatchObject([{ item: 'ns=2;s=x' }]);
    expect(readItems('a,b\n1,2\n', 'modbus')).toContain('The first line must name the columns');
    expect(readItems('Point,Table,Number\nGo,relay,3\n', 'modbus')).toBe(
      "Line 2: 'relay 3' is no place; write for example coil 12 or holding 40.",
    );
    expect(readItems('', 'modbus')).toContain('The first line');
  });
});
