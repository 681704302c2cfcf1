/**
 * Devices of one's own and their wiring: pieces that come and go, repeated shapes, other names, contacts closed at
 * rest, tags made for terminals.
 */
import { describe, expect, it } from 'vitest';
import {
  type Device,
  type Edit,
  type OwnKind,
  type Project,
  applyEdit,
  emptyProject,
  renamePiece,
} from '../document.js';
import { Engine } from '../bench.js';
import { compile, missingTags } from '../workspace.js';
import { kindOf, placeNames, readPicture, snapLinks } from '../machine.js';
import { planProof, prove } from '../verify.js';
import { machine, run, scansUntil } from '../../test/support.js';

const after = (p: Project, edit: Edit): Project => {
  const done = applyEdit(p, edit);
  if (!('project' in done)) throw new Error(done.refused);
  return done.project;
};

/** Keeps parts and hands one on at each drive. */
const STORE: OwnKind = {
  id: 'k1',
  type: 'Store',
  help: '',
  width: 120,
  terminals: [
    { name: 'Give', type: 'BOOL', direction: 'in', help: 'Hands one on' },
    { name: 'In', type: 'Machine_Part', direction: 'in', help: '', mechanical: true, snaps: ['Out', 'Kept'] },
    { name: 'Ahead', type: 'BOOL', direction: 'in', help: '', mechanical: true, back: true },
    { name: 'HasPart', type: 'BOOL', direction: 'out', help: 'A part lies there' },
    { name: 'Out', type: 'Machine_Part', direction: 'out', help: '', mechanical: true },
    { name: 'Full', type: 'BOOL', direction: 'out', help: '', mechanical: true },
    { name: 'Kept', type: 'Machine_Line', direction: 'out', help: '', mechanical: true },
  ],
  parameters: [{ name: 'Holds', type: 'INT', initial: '3', help: '' }],
  upsets: [{ name: 'Jam', help: '' }],
  handles: [],
  locals: 'None : Machine_Part; i : INT; WasGive : BOOL;',
  body: `Out := None;
IF In.Number <> 0 AND Kept.Count < Holds THEN Kept.Count := Kept.Count + 1; Kept.Part[Kept.Count] := In; END_IF;
IF Give AND NOT WasGive AND NOT Ahead AND NOT Jam AND Kept.Count > 0 THEN
  Out := Kept.Part[1];
  FOR i := 2 TO Kept.Count DO Kept.Part[i - 1] := Kept.Part[i]; END_FOR;
  Kept.Count := Kept.Count - 1;
END_IF;
WasGive := Give; Full := Kept.Count >= Holds; HasPart := Kept.Count > 0;`,
  picture: [
    { id: 's1', shape: 'box', x: '30 * ((Nth - 1) MOD 3)', y: '-18 * TRUNC((Nth - 1) / 3)', times: 'Kept.Count' },
    { id: 's2', shape: 'round', x: '0', y: '0', lit: 'Kept.Part[Nth].Sort = 2', times: '4' },
    { id: 's3', shape: 'text', x: '0', y: '30', text: 'Kept {Kept.Count} of {Holds}' },
  ],
};
const at = (devices: readonly Omit<Device, 'id'>[], kinds: readonly OwnKind[] = [STORE]): Project => ({
  ...emptyProject('P'),
  machine: { devices: devices.map((d, i) => ({ id: `d${i}`, ...d })), kinds },
});
const errors = (p: Project) =>
  compile([{ kind: 'project', name: 'p', project: p }]).diagnostics.filter((d) => d.severity === 'error');

describe('a device of one’s own that parts go through', () => {
  it('takes them from a feed and hands them on, numbered as they were', () => {
    const e = machine(
      [
        { name: 'F', type: 'PartFeed', parameters: { Every: '0.2' }, wires: { Ahead: 'S.Full' } },
        { name: 'S', type: 'Store', wires: { In: 'F.Out', Ahead: 'B.Full' } },
        { name: 'B', type: 'Conveyor', wires: { In: 'S.Out' } },
      ],
      emptyProject('M'),
      [STORE],
    );
    scansUntil(e, () => e.read('Machine.S.Full') === true);
    e.write('Machine.S.Give', true);
    run(e, 40);
    expect([e.read('Machine.B.Line.Part[1].Number'), e.read('Machine.S.HasPart')].map(String)).toEqual(['1', 'true']);
  });
  it('snaps to the terminals that it names', () => {
    const other: OwnKind = {
      ...STORE,
      id: 'k2',
      type: 'Taker',
      terminals: [{ name: 'Grab', type: 'Machine_Part', direction: 'in', help: '', mechanical: true, snaps: ['Out'] }],
      body: '',
      picture: [],
    };
    const device: Device = { id: 't', name: 'T', type: 'Taker' },
      store: Device = { id: 's', name: 'S', type: 'Store' };
    const wires = snapLinks({ machine: { devices: [store, device], kinds: [STORE, other] } }, device, [store]);
    expect(wires.get('T')).toEqual({ Grab: 'S.Out' });
  });
});

describe('shapes that are drawn several times', () => {
  const { shapes, problems, reads } = readPicture(STORE);
  const read = (values: Readonly<Record<string, number>>) => (v: string) => values[v] ?? 0;
  it('are told apart by Nth, in their places and in what they read', () => {
    expect(problems).toEqual([]);
    const [box, round] = shapes;
    expect(box!.times(read({ 'Kept.Count': 5 }))).toBe(5);
    expect([1, 2, 3, 4].map((Nth) => [box!.x(read({ Nth })), box!.y(read({ Nth })) + 0])).toEqual([
      [0, 0],
      [30, 0],
      [60, 0],
      [0, -18],
    ]);
    expect([1, 2].map((Nth) => round!.lit(read({ Nth, 'Kept.Part[2].Sort': 2 })))).toEqual([0, 1]);
    expect(reads).toContain('Kept.Part[12].Sort');
    expect(reads).not.toContain('Nth');
  });
  it('an index of anything else is said to be none', () => {
    const p = readPicture({ ...STORE, picture: [{ id: 's', shape: 'box', x: 'Kept.Front[Kept.Count]', y: '0' }] });
    expect(p.problems).toEqual([
      { shape: 's', field: 'x', message: 'An index is made of numbers and Nth only, the number of the repeat.' },
    ]);
  });
});

describe('another name for a terminal, parameter or upset', () => {
  const project: Project = {
    ...at([
      {
        name: 'S',
        type: 'Store',
        wires: { Give: 'GiveOut', In: 'F.Out' },
        parameters: { Holds: '5' },
        nc: ['HasPart'],
      },
      { name: 'F', type: 'PartFeed', wires: { Ahead: 'S.Full' } },
      { name: 'E', type: 'PartSensor', wires: { Line: 'S.Kept' } },
    ]),
    tags: [{ id: 't1', name: 'GiveOut', type: 'BOOL', address: '%QX0.0' }],
    checks: [
      {
        id: 'c',
        name: 'c',
        rows: [{ id: 'r', do: ['upset S.Jam', 'tap F.Put'], expect: ['Machine.S.Kept.Count = 1 within 2 s'] }],
      },
    ],
    rules: [{ id: 'i', name: 'n', sentence: 'always Machine.S.Kept.Count < 9' }],
    scope: ['Machine.S.Kept.Count', 'GiveOut'],
  };
  it('is followed into text, picture, links, checks, rules and scope; back again it is what it was', () => {
    expect(errors(project)).toEqual([]);
    const named = after(project, renamePiece(project, 'k1', 'Kept', 'Lying')),
      k = named.machine.kinds![0]!;
    expect(errors(named)).toEqual([]);
    expect(k.terminals.map((t) => t.name)).toContain('Lying');
    expect(k.body).toContain('Lying.Part[Lying.Count] := In');
    expect(k.picture.map((s) => s.times ?? s.text)).toEqual(['Lying.Count', '4', 'Kept {Lying.Count} of {Holds}']);
    expect(k.picture[1]!.lit).toBe('Lying.Part[Nth].Sort = 2');
    expect(named.machine.devices[2]!.wires).toEqual({ Line: 'S.Lying' });
    expect(named.checks[0]!.rows[0]!.expect).toEqual(['Machine.S.Lying.Count = 1 within 2 s']);
    expect(named.rules[0]!.sentence).toBe('always Machine.S.Lying.Count < 9');
    expect(named.scope).toEqual(['Machine.S.Lying.Count', 'GiveOut']);
    expect(after(named, renamePiece(named, 'k1', 'Lying', 'Kept'))).toEqual(project);
  });
  it('pins of blocks that its text calls, and members of structures, keep theirs', () => {
    const timed: Project = {
      ...project,
      machine: {
        ...project.machine,
        kinds: [
          {
            ...STORE,
            locals: `${STORE.locals} Late : TON;`,
            body: `${STORE.body}\nLate(IN := In.Number = 0, PT := T#1s);\nIF Late.Q THEN Out.Sort := 1; END_IF;`,
          },
        ],
      },
    };
    expect(errors(timed)).toEqual([]);
    const named = after(timed, renamePiece(timed, 'k1', 'In', 'Comes'));
    expect(named.machine.kinds![0]!.body).toContain('Late(IN := Comes.Number = 0, PT := T#1s)');
    expect(named.machine.devices[0]!.wires).toEqual({ Give: 'GiveOut', Comes: 'F.Out' });
    expect(errors(named)).toEqual([]);
  });
  it('an upset also where checks make it, a parameter at its devices, a contact where it was bought closed', () => {
    const jam = after(project, renamePiece(project, 'k1', 'Jam', 'Stuck')),
      holds = after(project, renamePiece(project, 'k1', 'Holds', 'Room')),
      has = after(project, renamePiece(project, 'k1', 'HasPart', 'Seen'));
    expect(jam.checks[0]!.rows[0]!.do).toEqual(['upset S.Stuck', 'tap F.Put']);
    expect(holds.machine.devices[0]!.parameters).toEqual({ Room: '5' });
    expect(has.machine.devices[0]!.nc).toEqual(['Seen']);
    expect([jam, holds, has].flatMap(errors)).toEqual([]);
  });
});

describe('contacts that are closed at rest', () => {
  const wired = (nc: readonly string[] | undefined): Project => ({
    ...at(
      [
        {
          name: 'V',
          type: 'Cylinder',
          parameters: { TravelOut: '0.2' },
          wires: { Out: 'Go', AtEnd: 'Far' },
          ...(nc ? { nc } : {}),
        },
      ],
      [],
    ),
    tags: [
      { id: 't1', name: 'Go', type: 'BOOL', address: '%QX0.0' },
      { id: 't2', name: 'Far', type: 'BOOL', address: '%IX0.3' },
    ],
  });
  it('reads the other way round at the tag, and only there', () => {
    const ends = (nc?: readonly string[]) => {
      const c = compile([{ kind: 'project', name: 'p', project: wired(nc) }]);
      expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
      const e = new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
      run(e, 20);
      const before = [e.read('Far'), e.read('Machine.V.AtEnd')];
      e.write('Go', true);
      run(e, 500);
      return [...before, e.read('Far'), e.read('Machine.V.AtEnd')];
    };
    expect(ends()).toEqual([false, false, true, true]);
    expect(ends(['AtEnd'])).toEqual([true, false, false, true]);
  });
  it('a name that is no contact of the device is told', () => {
    expect(errors(wired(['AtEn'])).map((d) => d.message)).toEqual([
      "'V' has no contact 'AtEn' that could be normally closed. Did you mean 'AtEnd'?",
    ]);
    expect(errors(wired(['Position']))).toHaveLength(1);
  });
});

describe('the missing tags', () => {
  const made = (devices: readonly Omit<Device, 'id'>[], kinds?: readonly OwnKind[]) => {
    const p = at(devices, kinds);
    let n = 0;
    return after(
      p,
      missingTags(p, () => `n${n++}`),
    );
  };
  it('get addresses and the wiring of their contacts, also of those bought closed', () => {
    const { tags } = made(
      [
        { name: 'Fan', type: 'Motor' },
        { name: 'Gate', type: 'Cylinder', nc: ['AtEnd'] },
        { name: 'Stop', type: 'PushButton' },
        { name: 'Go', type: 'PushButton' },
      ],
      [],
    );
    expect(tags.map((t) => [t.name, t.address, t.wiring])).toEqual([
      ['FanRun', '%QX0.0', undefined],
      ['FanRunning', '%IX0.0', 'NO'],
      ['FanOverloadOK', '%IX0.1', 'NC'],
      ['GateOut', '%QX0.1', undefined],
      ['GateIn', '%QX0.2', undefined],
      ['GateAtHome', '%IX0.2', 'NO'],
      ['GateAtEnd', '%IX0.3', 'NC'],
      ['StopOK', '%IX0.4', 'NC'],
      ['GoPB', '%IX0.5', 'NO'],
    ]);
  });
  it('name lamps and horns without a number', () => {
    expect(
      made(
        [
          { name: 'LampRun', type: 'Lamp' },
          { name: 'Horn', type: 'Buzzer' },
        ],
        [],
      ).tags.map((t) => t.name),
    ).toEqual(['LampRunOn', 'HornOn']);
  });
  it('of an own device, with the contact that it states', () => {
    const kind: OwnKind = {
      ...STORE,
      terminals: STORE.terminals.map((t) => (t.name === 'HasPart' ? { ...t, wiring: 'NC' as const } : t)),
    };
    const p = made([{ name: 'S', type: 'Store' }], [kind]);
    expect(p.tags.map((t) => [t.name, t.address, t.wiring])).toEqual([
      ['SGive', '%QX0.0', undefined],
      ['SHasPart', '%IX0.0', 'NC'],
    ]);
    expect(errors(p)).toEqual([]);
  });
});

describe('a switch with several places, and a list of recipes', () => {
  const made = () =>
    machine([
      { name: 'Mode', type: 'PlaceSelector', parameters: { Places: '6', Names: "'Off, Slow, Fast'" } },
      { name: 'Recipe', type: 'RecipePicker', parameters: { Names: "'Plain, Glazed'" } },
    ]);
  const seen = (e: Engine) =>
    [1, 2, 3, 4, 5, 6, 7, 8]
      .filter((n) => e.read(`Machine.Mode.At${n}`) === true)
      .concat(Number(e.read('Machine.Mode.Stands')));
  it('closes one contact at a time, and none past its last place', () => {
    const e = made();
    expect(seen(e)).toEqual([1, 1]);
    for (const [to, at] of [
      [3n, 3],
      [6n, 6],
      [8n, 6],
      [-2n, 1],
    ] as const) {
      e.write('Machine.Mode.Place', to);
      run(e, 20);
      expect(seen(e)).toEqual([at, at]);
    }
  });
  it('is worked by checks with its number, and named on the panel', () => {
    const p = at(
      [
        { name: 'Mode', type: 'PlaceSelector', parameters: { Names: "'Off, Slow'" }, wires: { At3: 'Third' } },
        { name: 'Recipe', type: 'RecipePicker', wires: { Number: 'Nr' } },
      ],
      [],
    );
    const project: Project = {
      ...p,
      tags: [
        { id: 't1', name: 'Third', type: 'BOOL', address: '%IX0.0' },
        { id: 't2', name: 'Nr', type: 'UINT', address: '%IW2' },
      ],
      checks: [
        {
          id: 'c',
          name: 'c',
          rows: [
            { id: 'a', do: ['enter 3 at Mode'], expect: ['Third is on within 2 scans', 'Nr = 1'] },
            { id: 'b', do: ['enter 2 at Recipe'], expect: ['Nr = 2 within 2 scans'] },
          ],
        },
      ],
    };
    const result = prove(planProof(project, 'p'), { stepNs: 10_000_000n });
    expect(result.checks.map((c) => c.ok)).toEqual([true]);
    expect(placeNames(p.machine.devices[0]!, kindOf({}, 'PlaceSelector'))).toEqual(['Off', 'Slow', '3', '4']);
    expect(placeNames(p.machine.devices[1]!, kindOf({}, 'RecipePicker'))).toEqual(['First', 'Second', 'Third']);
    // More than there are on the panel is not taken by the model either.
    const twelve: Device = { id: 'm', name: 'M', type: 'PlaceSelector', parameters: { Places: '12' } };
    expect(placeNames(twelve, kindOf({}, 'PlaceSelector'))).toHaveLength(4);
    // A device of one's own says it in the same way, or not at all.
    const own: OwnKind = { ...STORE, handles: [{ name: 'Program', type: 'place', help: '' }] },
      mine: Device = { id: 's', name: 'S', type: 'Store' };
    expect(placeNames(mine, own)).toEqual(['1', '2', '3', '4']);
    const named = { name: 'Names', type: 'STRING', initial: "'Long, Short'", help: '' };
    expect(placeNames(mine, { ...own, parameters: [named] })).toEqual(['Long', 'Short']);
    let n = 0;
    // Tags are made for the places that it has; one that is wired says that contacts are wanted, not all.
    const bare = after(
      at([{ name: 'Mode', type: 'PlaceSelector' }], []),
      missingTags(at([{ name: 'Mode', type: 'PlaceSelector' }], []), () => `n${n++}`),
    );
    expect(bare.tags.map((t) => t.name)).toEqual(['ModeAt1', 'ModeAt2', 'ModeAt3', 'ModeAt4']);
  });
});
