/** What the page computes by itself, without a browser. */
import type { Tag } from '@ferrule/core/document';
import { describe, expect, it } from 'vitest';
import { addressFor, guessTag, seriesTags } from '@ferrule/core/workspace';
import { completeTags } from '../complete.js';
import { blockLook, modelOf, presetOf } from './rung-model.js';
import { durationText, valueText } from '../values.js';
import { placeOf } from '../../shell/place.js';

const tags: Tag[] = [
  { id: '1', name: 'StartPB', type: 'BOOL', address: '%IX0.0', description: 'Start button' },
  { id: '2', name: 'Running', type: 'BOOL' },
  { id: '3', name: 'RunLamp', type: 'BOOL', address: '%QX0.0' },
  { id: '4', name: 'Level', type: 'REAL', address: '%ID4', description: 'Tank, running full' },
  { id: '5', name: 'Dwell', type: 'TON' },
];
const facts = {
  dwell: { type: 'TON', block: 'TON' },
  count: { type: 'CTU', block: 'CTU' },
  check: { type: 'Judge', block: 'Judge' },
};

describe('completion of tags', () => {
  const names = (typed: string) => completeTags(tags, typed).map((t) => t.name);
  it('finds by the beginning first, then any part, then description and address', () => {
    expect(names('run')).toEqual(['RunLamp', 'Running', 'Level']);
    expect(names('pb')).toEqual(['StartPB']);
    expect(names('%qx')).toEqual(['RunLamp']);
    expect(names('button')).toEqual(['StartPB']);
    expect(names('')).toEqual([]);
    expect(names('zzz')).toEqual([]);
  });
  it('an exact name comes before longer ones', () => {
    expect(completeTags([...tags, { id: '6', name: 'Run', type: 'BOOL' }], 'run')[0]!.name).toBe('Run');
  });
});

describe('what a name suggests', () => {
  it.each([
    ['ResetPB', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['GuardOK', { type: 'BOOL', address: '%IX0.1', wiring: 'NC' }],
    ['FeedMotor', { type: 'BOOL', address: '%QX0.1' }],
    ['LampReady', { type: 'BOOL', address: '%QX0.1' }],
    ['WaitTimer', { type: 'TON' }],
    ['GoodCounter', { type: 'CTU' }],
    ['GoodTotal', { type: 'INT' }],
    ['OilTemp', { type: 'REAL' }],
    ['Something', { type: 'BOOL' }],
    ['InA', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['BottleIn', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['OutA', { type: 'BOOL', address: '%QX0.1' }],
    ['PumpOn2', { type: 'BOOL', address: '%QX0.1' }],
    ['Belt_Motor_1', { type: 'BOOL', address: '%QX0.1' }],
    ['StartTaster', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['Starttaster', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['LuefterMotor', { type: 'BOOL', address: '%QX0.1' }],
    ['capteur_haut', { type: 'BOOL', address: '%IX0.1', wiring: 'NO' }],
    ['BombaAgua', { type: 'BOOL', address: '%QX0.1' }],
    ['InnerWeight', { type: 'REAL' }],
    ['Inside', { type: 'BOOL' }],
    ['Output', { type: 'BOOL', address: '%QX0.1' }],
  ])('%s', (name, wanted) => {
    expect(guessTag(name, tags)).toEqual(wanted);
  });
  it('the row above tells where only the number or the last letter differs; the machine’s wire goes before both', () => {
    const above: Tag[] = [{ id: 'a', name: 'B1', type: 'INT', address: '%IW2' }];
    expect(guessTag('B2', above)).toEqual({ type: 'INT', address: '%IW0' });
    expect(guessTag('Box', above)).toEqual({ type: 'BOOL' });
    expect(guessTag('Tim2', [{ id: 't', name: 'Tim1', type: 'TON' }])).toEqual({ type: 'TON' });
    expect(guessTag('ShutA', [{ id: 's', name: 'ShutB', type: 'BOOL', address: '%IX0.0', wiring: 'NC' }])).toEqual({
      type: 'BOOL',
      address: '%IX0.1',
      wiring: 'NC',
    });
    const machine = { devices: [{ id: 'd', name: 'Gate', type: 'Motor', wires: { Run: 'Somewhere' } }] };
    expect(guessTag('Somewhere', [], undefined, { machine })).toEqual({ type: 'BOOL', address: '%QX0.0' });
  });
  it.each([
    ['InD %I', { name: 'InD', type: 'BOOL', address: '%IX0.1' }],
    ['Speed : INT %QW', { name: 'Speed', type: 'INT', address: '%QW2' }],
    ['Level2 AT %IW8 : INT', { name: 'Level2', type: 'INT', address: '%IW8' }],
    ['Spare I0.3', { name: 'Spare', type: 'BOOL', address: '%IX0.3' }],
    ['Aim : REAL', { name: 'Aim', type: 'REAL' }],
    ['Word1 QW4', { name: 'Word1', type: 'INT', address: '%QW4' }],
  ])('a new tag is typed as %s', (text, wanted) => {
    expect((seriesTags(text, tags, () => 'n') as Tag[])[0]).toMatchObject(wanted);
  });
  it('a series goes on from bit to bit behind %Q; two of it at one place are refused', () => {
    expect((seriesTags('Xa1..3 %Q', tags, () => 'n') as Tag[]).map((t) => t.address)).toEqual([
      '%QX0.1',
      '%QX0.2',
      '%QX0.3',
    ]);
    expect(seriesTags('Xa1..3 %QX4.0', tags, () => 'n')).toMatchObject({
      refused: expect.stringContaining('Only one') as string,
    });
  });
  it.each([
    ['%IX0.9', 'BOOL', /a bit is 0 to 7/],
    ['%IW2', 'BOOL', /16 bits wide, and BOOL takes 1: write %IX0\.0, or %I for the next free one/],
    ['%IX0.0', 'INT', /1 bit wide, and INT takes 16: write %IW0, or %IW/],
    ['%Z4', 'BOOL', /is no address/],
    ['%I', 'TON', /has no address of its own/],
    ['%IW70000', 'INT', /There is no %IW70000/],
  ])('%s for a %s is refused with what to write', (text, type, words) => {
    expect(addressFor(text, type, [])).toMatchObject({ refused: expect.stringMatching(words) as string });
  });
  it('offers the next free bit, past words and double words', () => {
    const taken: Tag[] = [
      { id: 'a', name: 'a', type: 'DINT', address: '%ID0' },
      { id: 'b', name: 'b', type: 'BOOL', address: '%IX4.0' },
    ];
    expect(guessTag('DoorShut', taken).address).toBe('%IX4.1');
    expect(guessTag('DoorShut', []).address).toBe('%IX0.0');
  });
});

describe('values as people read them', () => {
  it.each([
    [true, undefined, '1'],
    [false, undefined, '0'],
    [12, 'INT', '12'],
    [2.5, 'REAL', '2.50'],
    [74.61, 'REAL', '74.6'],
    [180, 'TIME', '0.18 s'],
    ['Idle', 'Step', 'Idle'],
    [undefined, undefined, ''],
  ] as const)('%s of %s is %s', (v, type, text) => {
    expect(valueText(v, type)).toBe(text);
  });
  it('long durations in minutes', () => {
    expect([durationText(59_990), durationText(125_000)]).toEqual(['59.99 s', '2 min 5 s']);
  });
});

describe('a rung to draw', () => {
  const model = (line: string, width = 800) =>
    modelOf({ id: 'r', line }, facts, width, { textWidth: (t) => t.length * 7 });
  it('knows what it must look at', () => {
    expect(model('StartPB & !Batch.Flags.2 & Dwell(PT := 300 ms) & Count(R := A, PV := 3) -> Running').paths).toEqual([
      'StartPB',
      'Batch.Flags.2',
      'Dwell.ET',
      'Dwell.PT',
      'Count.CV',
      'Count.PV',
      'Count.R',
      'Running',
    ]);
  });
  it('draws a block with power through it as a block, a function as a contact', () => {
    expect(model('Dwell(PT := 1 s) & IsReady(x) -> Q').layout!.boxes.map((b) => b.kind)).toEqual([
      'block',
      'function',
      'coil',
    ]);
  });
  it('wraps when it is too wide, and says where it goes on', () => {
    const line = `${Array.from({ length: 12 }, (_, i) => `Contact_number_${i}`).join(' & ')} -> Q`;
    expect(model(line, 2400).layout!.breaks).toEqual([]);
    const narrow = model(line, 700).layout!;
    expect(narrow.breaks.length).toBeGreaterThan(1);
    expect(narrow.width).toBeLessThanOrEqual(700);
  });
  it('a line that cannot be read gives its message and place instead', () => {
    expect(model('A & -> B')).toMatchObject({ layout: undefined, problem: { at: 4 } });
  });
  it('on paper a box is as wide as what is written in it, and the preset is written', () => {
    const text = { id: 'r', line: 'A & Count:CTU(R := A, PV := BatchSize * LayersPerCart + SpareLayers) -> Q' };
    const box = (isWhole: boolean) => {
      const m = modelOf({ ...text }, {}, 900, { textWidth: (t) => t.length * 7, isWhole }),
        node = m.nodes[1]!;
      return { width: m.layout!.boxes[1]!.width, preset: presetOf(node as never, 'CTU').text };
    };
    const { preset } = box(true);
    expect(preset).toBe('PV := BatchSize * LayersPerCart + SpareLayers');
    expect(box(true).width).toBeGreaterThan(preset.length * 6.6);
    expect(box(false).width).toBeLessThan(preset.length * 6.6);
    const bare = modelOf({ id: 'r', line: 'A & Wait:TON() -> Q' }, {}, 900, { textWidth: (t) => t.length * 7 });
    expect(presetOf(bare.nodes[1] as never, 'TON').text).toBe('PT not given');
  });
  it('the preset stands in the progress line, the other pins are listed', () => {
    const m = modelOf({ id: 'r', line: 'Count:CTU(R := A, PV := 3) -> Q' }, {}, 900, {
      textWidth: (t) => t.length * 7,
    });
    expect(m.pinsOf(m.nodes[0] as never)).toEqual([{ text: 'R := A', path: 'Count.R' }]);
    expect(m.paths).toEqual(['Count.CV', 'Count.PV', 'Count.R', 'Q']);
    const own = modelOf({ id: 'r', line: 'A & Pull:PullCheck(Limit := 60) -> Q' }, {}, 900, {
      textWidth: (t) => t.length * 7,
      pins: (type) =>
        type === 'PullCheck'
          ? new Map(
              [
                ['Start', 'BOOL', 'VAR_INPUT'],
                ['Limit', 'REAL', 'VAR_INPUT'],
                ['Done', 'BOOL', 'VAR_OUTPUT'],
                ['Peak', 'REAL', 'VAR_OUTPUT'],
                ['Took', 'TIME', 'VAR_OUTPUT'],
              ].map(([name, type, section]) => [name!.toLowerCase(), { name: name!, type, section } as never]),
            )
          : undefined,
    });
    expect(own.pinsOf(own.nodes[1] as never)).toEqual([
      { text: 'Limit := 60', path: 'Pull.Limit' },
      { text: 'Peak', path: 'Pull.Peak' },
      { text: 'Took', path: 'Pull.Took', isTime: true },
    ]);
    expect(['TON', 'TP_LTIME', 'CTUD_DINT', 'Judge', 'TONIC'].map(blockLook)).toEqual([
      'timer',
      'timer',
      'counter',
      'plain',
      'plain',
    ]);
  });
});

it('a problem’s page is where it is', () => {
  const p = { severity: 'error', code: 'X', message: '', start: 7, end: 9, place: '' } as const;
  expect(
    placeOf({ ...p, element: 2, origin: { kind: 'rung', pouId: 'p1', pou: 'Cell', rungId: 'r4', number: 4 } }, 'x'),
  ).toBe('/projects/x/logic?pou=p1&rung=r4&element=2');
  expect(placeOf({ ...p, origin: { kind: 'pou', id: 'p3', name: 'F' } }, 'x')).toBe('/projects/x/logic?pou=p3&at=7');
  expect(placeOf({ ...p, origin: { kind: 'tag', id: 't', name: 'T' } }, 'x')).toBe('/projects/x/tags?tag=t');
  expect(placeOf({ ...p, origin: { kind: 'device', id: 'd', name: 'D' } }, 'x')).toBe('/projects/x/machine?device=d');
  expect(
    placeOf({ ...p, origin: { kind: 'cell', owner: 'rule', id: 'i', name: 'R', row: 0, cell: 'sentence' } }, 'x'),
  ).toBe('/projects/x/prove?rule=i');
});
