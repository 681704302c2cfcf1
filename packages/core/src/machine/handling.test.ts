/**
 * Handling of single parts, and carts with layers: what each device does, and that no part is ever lost untold, doubled
 * or in two places.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Device, type Project, emptyProject } from '../document.js';
import { Engine } from '../bench.js';
import { compile } from '../workspace.js';
import { kindOf, placeDevice, snapLinks } from '../machine.js';
import { generator } from '../verify/search/search.js';
import { machine, run, scansUntil } from '../../test/support.js';

type Made = Omit<Device, 'id'>;
const set = (e: Engine, values: Readonly<Record<string, boolean | number | bigint>>) => {
  for (const [k, v] of Object.entries(values)) e.write(`Machine.${k}`, v);
};
const get = (e: Engine, path: string): number => {
  const v = e.read(`Machine.${path}`);
  return typeof v === 'bigint' ? Number(v) : typeof v === 'boolean' ? Number(v) : (v as number);
};
const is = (e: Engine, path: string): boolean => get(e, path) === 1;
/** One press of a handle or drive: on for two scans. */
const press = (e: Engine, path: string) => {
  set(e, { [path]: true });
  run(e, 20);
  set(e, { [path]: false });
  run(e, 20);
};
const feed = (parameters: Readonly<Record<string, string>> = {}, to = 'D.Full'): Made => ({
  name: 'Feed',
  type: 'PartFeed',
  parameters: { Every: '0.0', ...parameters },
  wires: { Ahead: to },
});

describe('a pusher', () => {
  const pushing = () => {
    const e = machine([
      { name: 'Belt', type: 'Conveyor', parameters: { StopAt: '1.0' }, wires: { Take: 'D.Take' } },
      { name: 'D', type: 'Pusher', wires: { From: 'Belt.Waiting', Ahead: 'Side.Full' } },
      { name: 'Side', type: 'Conveyor', wires: { In: 'D.Out' } },
    ]);
    set(e, { 'Belt.Run': true, 'Belt.Stop': true });
    press(e, 'Belt.Put');
    scansUntil(e, () => get(e, 'Belt.Waiting.Number') > 0);
    return e;
  };
  it('pushes the part that waits off its belt, and goes back', () => {
    const e = pushing();
    set(e, { 'D.Push': true });
    scansUntil(e, () => is(e, 'D.IsOut'));
    run(e, 30);
    expect([get(e, 'Belt.Line.Count'), get(e, 'Side.Line.Count')]).toEqual([0, 1]);
    set(e, { 'D.Push': false });
    scansUntil(e, () => is(e, 'D.IsBack'));
  });
  it('stands with the part before it where there is no room, and gives it once there is', () => {
    const e = pushing();
    press(e, 'Side.Put');
    set(e, { 'D.Push': true });
    run(e, 3000);
    expect([is(e, 'D.IsOut'), get(e, 'Side.Line.Count'), get(e, 'D.Held.Number') > 0]).toEqual([false, 1, true]);
    set(e, { 'Side.Run': true });
    run(e, 3000);
    expect([is(e, 'D.IsOut'), get(e, 'D.Pushed')]).toEqual([true, 1]);
  });
});

describe('a former of rows', () => {
  it('collects a row, takes no more, and pushes it on whole', () => {
    const e = machine([
      feed({ Every: '0.3' }),
      { name: 'D', type: 'RowFormer', parameters: { Count: '3' }, wires: { In: 'Feed.Out' } },
    ]);
    run(e, 4000);
    expect([get(e, 'D.Row.Count'), is(e, 'D.RowFull'), get(e, 'Feed.Total')]).toEqual([3, true, 3]);
    set(e, { 'D.Push': true });
    scansUntil(e, () => is(e, 'D.IsOut'));
    run(e, 100);
    expect([get(e, 'D.Row.Count'), get(e, 'D.Total'), get(e, 'D.Lost')]).toEqual([0, 1, 0]);
  });
});

describe('a roller track', () => {
  it('collects with a gap, without pressing, and lets one go at a time', () => {
    const e = machine([
      feed({ Every: '0.8', Length: '0.3' }),
      { name: 'D', type: 'RollerTrack', parameters: { Gap: '0.1' }, wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ]);
    set(e, { 'D.Run': true });
    run(e, 12_000);
    expect([1, 2, 3].map((i) => get(e, `D.Line.Front[${i}]`).toFixed(2))).toEqual(['2.00', '1.60', '1.20']);
    expect([is(e, 'D.AtEnd'), is(e, 'D.Filled'), get(e, 'D.Total')]).toEqual([true, true, 0]);
    set(e, { 'D.Release': true });
    scansUntil(e, () => get(e, 'Box.Total') === 1);
    set(e, { 'D.Release': false });
    run(e, 5000);
    expect([get(e, 'Box.Total'), get(e, 'D.Lost')]).toEqual([1, 0]);
  });
});

describe('a lift', () => {
  it('takes at the bottom only, and hands on at the top while it is told to', () => {
    const e = machine([
      feed({ Every: '0.5' }),
      { name: 'D', type: 'Lift', wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ]);
    scansUntil(e, () => is(e, 'D.Loaded'));
    set(e, { 'D.Up': true, 'D.Roll': true });
    run(e, 800);
    expect([get(e, 'Box.Total'), is(e, 'D.AtTop')]).toEqual([0, false]);
    scansUntil(e, () => get(e, 'Box.Total') === 1);
    run(e, 3000);
    // At the top nothing comes on.
    expect([get(e, 'Feed.Total'), is(e, 'D.Loaded')]).toEqual([1, false]);
    set(e, { 'D.Up': false, 'D.Down': true });
    scansUntil(e, () => is(e, 'D.Loaded'));
    expect(is(e, 'D.AtBottom')).toBe(true);
  });
  it('the other way round where it descends', () => {
    const e = machine([
      feed({ Every: '0.5' }),
      { name: 'D', type: 'Lift', parameters: { Descends: 'TRUE' }, wires: { In: 'Feed.Out' } },
    ]);
    run(e, 2000);
    expect(is(e, 'D.Loaded')).toBe(false);
    set(e, { 'D.Up': true });
    scansUntil(e, () => is(e, 'D.Loaded'));
    expect(is(e, 'D.AtTop')).toBe(true);
  });
});

describe('a weigh belt and a reader', () => {
  const line = () =>
    machine([
      feed({ Every: '0.0', Weight: '1.84', Length: '0.3', Height: '0.0121', Sorts: '3' }),
      { name: 'D', type: 'WeighBelt', wires: { In: 'Feed.Out' } },
      { name: 'R', type: 'PartReader', parameters: { Place: '0.3' }, wires: { Line: 'D.Line' } },
    ]);
  it('weighs a part that is all on it, and says when the value is steady', () => {
    const e = line();
    set(e, { 'D.Run': true });
    press(e, 'Feed.Put');
    scansUntil(e, () => is(e, 'D.Present'));
    expect(is(e, 'D.Stable')).toBe(false);
    scansUntil(e, () => is(e, 'D.Stable'));
    expect(get(e, 'D.Weight')).toBeCloseTo(1.84, 1);
    set(e, { 'D.Drifts': true });
    run(e, 20);
    expect(get(e, 'D.Weight')).toBeCloseTo(2.02, 1);
    scansUntil(e, () => get(e, 'D.Line.Count') === 0);
    run(e, 500);
    expect([is(e, 'D.Stable'), Math.abs(get(e, 'D.Weight')) < 0.01]).toEqual([false, true]);
  });
  it('takes one at a time', () => {
    const e = line();
    press(e, 'Feed.Put');
    press(e, 'Feed.Put');
    expect([get(e, 'D.Line.Count'), get(e, 'Feed.Total')]).toEqual([1, 1]);
    expect(get(e, 'D.Lost')).toBe(0);
  });
  it("reads the part's own data once it has had its time, and keeps it", () => {
    const e = line();
    set(e, { 'D.Run': true });
    press(e, 'Feed.Put');
    scansUntil(e, () => is(e, 'R.Sees'));
    expect(is(e, 'R.Valid')).toBe(false);
    scansUntil(e, () => is(e, 'R.Valid'));
    expect([get(e, 'R.Number'), get(e, 'R.Sort')]).toEqual([1, 1]);
    expect(get(e, 'R.Height')).toBeCloseTo(12.1, 0);
    expect(get(e, 'R.Length')).toBeCloseTo(300, 0);
    scansUntil(e, () => !is(e, 'R.Sees'));
    expect([get(e, 'R.Number'), is(e, 'R.Valid')]).toEqual([1, false]);
  });
});

describe('a sorter with several ways', () => {
  const sorting = () => {
    const e = machine([
      feed(),
      {
        name: 'D',
        type: 'WaySorter',
        wires: { In: 'Feed.Out', Ahead1: 'A.Full', Ahead2: 'B.Full', Ahead3: 'C.Full', Ahead4: 'F.Full' },
      },
      { name: 'A', type: 'Bin', wires: { In: 'D.Out1' } },
      { name: 'B', type: 'Bin', wires: { In: 'D.Out2' } },
      { name: 'C', type: 'Bin', wires: { In: 'D.Out3' } },
      { name: 'F', type: 'Bin', wires: { In: 'D.Out4' } },
    ]);
    set(e, { 'D.Run': true });
    run(e, 50);
    return e;
  };
  it.each([
    ['A', {}, 'At1'],
    ['B', { 'D.Way2': true }, 'At2'],
    ['C', { 'D.Way3': true }, 'At3'],
    ['F', { 'D.Way4': true }, 'At4'],
  ] as const)('sends parts to %s', (box, drive, at) => {
    const e = sorting();
    set(e, drive);
    scansUntil(e, () => is(e, `D.${at}`));
    run(e, 50);
    press(e, 'Feed.Put');
    scansUntil(e, () => get(e, `${box}.Total`) === 1);
  });
  it('carries a part along when it swings meanwhile, and loses none', () => {
    const e = sorting();
    press(e, 'Feed.Put');
    set(e, { 'D.Way4': true });
    scansUntil(e, () => get(e, 'F.Total') === 1);
    expect(get(e, 'D.Lost')).toBe(0);
  });
});

describe('a gantry', () => {
  it('picks at one place and lays down at the one it was sent to; elsewhere what it lets go falls', () => {
    const e = machine([
      { name: 'Belt', type: 'Conveyor', parameters: { StopAt: '1.0' }, wires: { Take: 'D.Take' } },
      { name: 'D', type: 'Gantry', wires: { From: 'Belt.Waiting', Ahead1: 'A.Full', Ahead2: 'B.Full' } },
      { name: 'A', type: 'Bin', wires: { In: 'D.Out1' } },
      { name: 'B', type: 'Bin', wires: { In: 'D.Out2' } },
    ]);
    set(e, { 'Belt.Run': true, 'Belt.Stop': true, 'D.Enable': true });
    const lay = (mm: number) => {
      press(e, 'Belt.Put');
      scansUntil(e, () => get(e, 'Belt.Waiting.Number') > 0);
      set(e, { 'D.Target': 0 });
      scansUntil(e, () => is(e, 'D.InPosition'));
      set(e, { 'D.Down': true, 'D.Grip': true });
      scansUntil(e, () => is(e, 'D.Holds'));
      set(e, { 'D.Down': false, 'D.Target': mm });
      run(e, 20);
      scansUntil(e, () => is(e, 'D.InPosition') && is(e, 'D.IsUp'));
      set(e, { 'D.Down': true });
      scansUntil(e, () => is(e, 'D.IsDown'));
      set(e, { 'D.Grip': false });
      run(e, 300);
      set(e, { 'D.Down': false });
      run(e, 400);
      return [get(e, 'A.Total'), get(e, 'B.Total'), get(e, 'D.Lost'), get(e, 'Belt.Line.Count')];
    };
    expect(lay(800)).toEqual([0, 1, 0, 0]);
    expect(lay(400)).toEqual([1, 1, 0, 0]);
    expect(lay(600)).toEqual([1, 1, 1, 0]);
  });
});

/** A cart under a stacker that is fed. */
const stacking = (parameters: Readonly<Record<string, string>> = {}) => {
  const e = machine([
    feed({ Every: '0.2', Height: '0.05' }, 'S.Full'),
    { name: 'M', type: 'CartMagazine', wires: { CartAhead: 'S.CartFull' } },
    {
      name: 'S',
      type: 'Stacker',
      parameters,
      wires: { In: 'Feed.Out', CartIn: 'M.CartOut', CartAhead: 'X.CartFull' },
    },
    { name: 'X', type: 'CartStand', wires: { CartIn: 'S.CartOut', CartAhead: 'E.CartFull' } },
    { name: 'E', type: 'CartExit', wires: { CartIn: 'X.CartOut' } },
  ]);
  set(e, { 'M.Give': true });
  scansUntil(e, () => is(e, 'S.CartThere'));
  return e;
};
const layLayer = (e: Engine) => {
  scansUntil(e, () => is(e, 'S.LayerFull'));
  set(e, { 'S.Lower': true });
  scansUntil(e, () => is(e, 'S.IsDown'));
  set(e, { 'S.Open': true });
  scansUntil(e, () => is(e, 'S.IsOpen'));
  set(e, { 'S.Lower': false });
  scansUntil(e, () => is(e, 'S.IsUp'));
  set(e, { 'S.Open': false });
  scansUntil(e, () => is(e, 'S.IsShut'));
};

describe('a stacker', () => {
  it('lays whole layers on the cart, every second one turned, and lets the cart go with them', () => {
    const e = stacking({ Across: '2', Deep: '3' });
    for (let layer = 1; layer <= 3; layer++) layLayer(e);
    expect([1, 2, 3].map((i) => get(e, `S.Load.InLayer[${i}]`))).toEqual([6, 6, 6]);
    expect([1, 2, 3].map((i) => get(e, `S.Load.Seen[${i}]`))).toEqual([2, 3, 2]);
    expect(get(e, 'S.Load.Height')).toBeCloseTo(0.15, 3);
    expect(get(e, 'S.Load.Part[1].Number')).toBe(1);
    set(e, { 'S.Go': true });
    scansUntil(e, () => is(e, 'X.CartThere'));
    expect([get(e, 'X.Load.Count'), is(e, 'X.Loaded'), get(e, 'X.Load.Cart')]).toEqual([18, true, 1]);
    set(e, { 'X.Go': true });
    scansUntil(e, () => get(e, 'E.Carts') === 1);
    expect([get(e, 'E.Pieces'), get(e, 'S.Lost')]).toEqual([18, 0]);
    expect(get(e, 'E.Weight')).toBeCloseTo(18, 2);
  });
  it('the plate goes less deep with each layer', () => {
    const e = stacking({ Across: '1', Deep: '1' });
    const depth = () => {
      scansUntil(e, () => is(e, 'S.LayerFull'));
      set(e, { 'S.Lower': true });
      scansUntil(e, () => is(e, 'S.IsDown'));
      const at = get(e, 'S.Position');
      set(e, { 'S.Lower': false });
      layLayer(e);
      return at;
    };
    const first = depth();
    expect(first).toBeCloseTo(1, 1);
    expect(first - depth()).toBeCloseTo(0.05, 2);
  });
  it('what it lets go in the air, or with no cart below, has fallen and is counted as lost', () => {
    const e = stacking({ Across: '2', Deep: '1' });
    scansUntil(e, () => is(e, 'S.LayerFull'));
    set(e, { 'S.Open': true });
    run(e, 500);
    expect([get(e, 'S.Lost'), get(e, 'S.Load.Count'), get(e, 'S.Plate.Count')]).toEqual([2, 0, 0]);
  });
  it('a cart does not roll against the plate that is down', () => {
    const e = stacking();
    layLayer(e);
    scansUntil(e, () => is(e, 'S.LayerFull'));
    set(e, { 'S.Lower': true });
    scansUntil(e, () => is(e, 'S.IsDown'));
    set(e, { 'S.Go': true });
    run(e, 3000);
    expect([is(e, 'S.Crash'), is(e, 'S.CartThere')]).toEqual([true, true]);
  });
});

describe('an unstacker', () => {
  it('takes the topmost layer, hands its parts on one by one, and leaves an empty cart in the end', () => {
    const e = machine([
      feed({ Every: '0.2' }, 'S.Full'),
      { name: 'M', type: 'CartMagazine', wires: { CartAhead: 'S.CartFull' } },
      {
        name: 'S',
        type: 'Stacker',
        parameters: { Across: '2', Deep: '2' },
        wires: { In: 'Feed.Out', CartIn: 'M.CartOut', CartAhead: 'U.CartFull' },
      },
      { name: 'U', type: 'Unstacker', wires: { CartIn: 'S.CartOut', Ahead: 'B.Full' } },
      { name: 'B', type: 'Bin', wires: { In: 'U.Out' } },
    ]);
    set(e, { 'M.Give': true });
    scansUntil(e, () => is(e, 'S.CartThere'));
    layLayer(e);
    layLayer(e);
    set(e, { 'S.Go': true });
    scansUntil(e, () => is(e, 'U.CartThere'));
    for (const left of [4, 0]) {
      set(e, { 'U.Lower': true, 'U.Grip': true, 'U.Run': false });
      scansUntil(e, () => is(e, 'U.Holds'));
      expect(get(e, 'U.Load.Count')).toBe(left);
      set(e, { 'U.Lower': false, 'U.Run': true });
      scansUntil(e, () => !is(e, 'U.Holds'));
      set(e, { 'U.Grip': false });
      run(e, 500);
    }
    run(e, 50);
    expect([get(e, 'B.Total'), is(e, 'U.CartEmpty'), get(e, 'U.Lost')]).toEqual([8, true, 0]);
  });
});

describe('a transfer car', () => {
  it('takes a cart where it stands only, and hands it on at its place', () => {
    const e = machine([
      { name: 'M1', type: 'CartMagazine', wires: { CartAhead: 'T.CartFull1' } },
      { name: 'M3', type: 'CartMagazine', wires: { CartAhead: 'T.CartFull3' } },
      {
        name: 'T',
        type: 'TransferCar',
        wires: { CartIn1: 'M1.CartOut', CartIn3: 'M3.CartOut', CartAhead: 'E.CartFull' },
      },
      { name: 'E', type: 'CartExit', wires: { CartIn: 'T.CartOut' } },
    ]);
    set(e, { 'M1.Give': true, 'M3.Give': true });
    run(e, 2000);
    expect([get(e, 'M1.Total'), get(e, 'M3.Total')]).toEqual([0, 0]);
    set(e, { 'T.Right': true });
    scansUntil(e, () => is(e, 'T.At3'));
    set(e, { 'T.Right': false, 'T.TakeOn': true });
    scansUntil(e, () => is(e, 'T.Loaded'));
    expect([get(e, 'M1.Total'), get(e, 'M3.Total')]).toEqual([0, 1]);
    set(e, { 'T.TakeOn': false, 'T.GiveOff': true, 'T.Left': true });
    run(e, 500);
    expect(get(e, 'E.Carts')).toBe(0);
    scansUntil(e, () => is(e, 'T.At2'));
    set(e, { 'T.Left': false });
    scansUntil(e, () => get(e, 'E.Carts') === 1);
  });
});

/** Each put behind the ones before, as a person would. */
const lineOf = (made: readonly Made[]): readonly Device[] => {
  let all: readonly Device[] = [];
  for (const [i, m] of made.entries()) {
    const device: Device = { id: `d${i}`, ...m };
    const wires = snapLinks({ machine: { devices: [...all, device] } }, device, all);
    all = [...all, device].map((d) => (wires.has(d.name) ? { ...d, wires: wires.get(d.name)! } : d));
  }
  return all;
};
const tileLine = (): readonly Device[] =>
  lineOf([
    { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.5' } },
    { name: 'Weigher', type: 'WeighBelt', parameters: { Fast: '1.0' } },
    { name: 'Sorter', type: 'WaySorter', parameters: { Passes: '0.2', Swing: '0.2' } },
    ...['A', 'B', 'C'].flatMap((n): Made[] => [
      { name: `Carts${n}`, type: 'CartMagazine', parameters: { Holds: '60000', Takes: '0.3' } },
      { name: `Lane${n}`, type: 'RollerTrack', parameters: { Length: '1.0', Fast: '1.0' } },
      {
        name: `Stack${n}`,
        type: 'Stacker',
        parameters: { Across: '2', Deep: '1', Travel: '0.3', Opens: '0.1', CartTime: '0.3' },
      },
    ]),
    { name: 'Car', type: 'TransferCar', parameters: { Travel: '0.4', CartTime: '0.2' } },
    { name: 'Yard', type: 'CartExit' },
  ]);

describe('put behind each other', () => {
  it('a line with three lanes, three stackers, a car and an exit is linked without a word', () => {
    const wires = Object.fromEntries(tileLine().map((d) => [d.name, d.wires ?? {}]));
    expect(wires['Sorter']).toEqual({
      In: 'Weigher.Out',
      Ahead1: 'LaneA.Full',
      Ahead2: 'LaneB.Full',
      Ahead3: 'LaneC.Full',
    });
    expect(wires['LaneB']).toEqual({ In: 'Sorter.Out2', Ahead: 'StackB.Full' });
    expect(wires['StackB']).toEqual({ In: 'LaneB.Out', CartIn: 'CartsB.CartOut', CartAhead: 'Car.CartFull2' });
    expect(wires['Car']).toEqual({
      CartIn1: 'StackA.CartOut',
      CartIn2: 'StackB.CartOut',
      CartIn3: 'StackC.CartOut',
      CartAhead: 'Yard.CartFull',
    });
    expect(wires['CartsC']).toEqual({ CartAhead: 'StackC.CartFull' });
  });
  it('a magazine that is put onto a stacker feeds it', () => {
    const devices = [
      { id: 's', name: 'S', type: 'Stacker' },
      { id: 'm', name: 'M', type: 'CartMagazine' },
    ];
    const edit = placeDevice({ ...emptyProject('P'), machine: { devices } }, 'm', 's', 'onto');
    expect(JSON.stringify(edit)).toContain('"CartIn":"M.CartOut"');
    expect(JSON.stringify(edit)).toContain('"CartAhead":"S.CartFull"');
  });
});

describe('what cannot be on its way', () => {
  const said = (devices: readonly Made[]) =>
    compile([
      {
        kind: 'project',
        name: 'p',
        project: { ...emptyProject('P'), machine: { devices: devices.map((d, i) => ({ id: `d${i}`, ...d })) } },
      },
    ]).diagnostics.map((d) => [d.severity, d.message]);
  it('parts that would go to two devices are told at the second', () => {
    expect(
      said([
        { name: 'F', type: 'PartFeed' },
        { name: 'A', type: 'Bin', wires: { In: 'F.Out' } },
        { name: 'B', type: 'Bin', wires: { In: 'F.Out' } },
      ]),
    ).toEqual([
      [
        'error',
        "What leaves at 'F.Out' would go to 'A.In' and to 'B.In', and be in two places. Take one of these links away, or put a sorter between.",
      ],
    ]);
  });
  it('so are carts; what only looks at parts may do so with others', () => {
    expect(
      said([
        { name: 'M', type: 'CartMagazine' },
        { name: 'A', type: 'CartStand', wires: { CartIn: 'M.CartOut' } },
        { name: 'B', type: 'CartStand', wires: { CartIn: 'M.CartOut' } },
      ]),
    ).toHaveLength(1);
    expect(
      said([
        { name: 'B', type: 'Conveyor' },
        { name: 'E1', type: 'PartSensor', wires: { Line: 'B.Line' } },
        { name: 'E2', type: 'PartReader', wires: { Line: 'B.Line' } },
      ]),
    ).toEqual([]);
  });
  it('a part that is longer than what takes it is told there, also further down the line', () => {
    expect(
      said([
        { name: 'F', type: 'PartFeed', parameters: { Length: '0.8' } },
        { name: 'B', type: 'Conveyor', wires: { In: 'F.Out' } },
        { name: 'W', type: 'WeighBelt', wires: { In: 'B.Out' } },
      ]),
    ).toEqual([
      [
        'warning',
        "Parts of 'F' are 0.8 m long and 'W' is 0.6 m: none is ever all on it. Make 'W' longer, or the parts shorter.",
      ],
    ]);
  });
  it('devices in a ring are told, and the parts in it go round', () => {
    const ring: readonly Made[] = [
      { name: 'A', type: 'Conveyor', wires: { In: 'B.Out', Ahead: 'B.Full' } },
      { name: 'B', type: 'Conveyor', wires: { In: 'A.Out', Ahead: 'A.Full' } },
    ];
    expect(said(ring).map(([s]) => s)).toEqual(['warning']);
    const e = machine(ring);
    set(e, { 'A.Run': true, 'B.Run': true });
    press(e, 'A.Put');
    run(e, 30_000);
    expect([get(e, 'A.Line.Count') + get(e, 'B.Line.Count'), get(e, 'A.Lost') + get(e, 'B.Lost')]).toEqual([1, 0]);
    expect(get(e, 'B.Total')).toBeGreaterThan(1);
  });
});

/** Where parts lie in each kind: single ones, lines, carts. */
const HOLDS: Readonly<Record<string, { one?: readonly string[]; line?: readonly string[]; cart?: readonly string[] }>> =
  {
    PartFeed: { one: ['Out'] },
    Conveyor: { one: ['Out'], line: ['Line'] },
    RollerTrack: { one: ['Out'], line: ['Line'] },
    WeighBelt: { one: ['Out'], line: ['Line'] },
    Sorter: { one: ['Out', 'OutAside'] },
    WaySorter: { one: ['Held', 'Out1', 'Out2', 'Out3', 'Out4'] },
    Pusher: { one: ['Held', 'Out'] },
    RowFormer: { one: ['Out'], line: ['Row'] },
    Lift: { one: ['Held', 'Out'] },
    PickAndPlace: { one: ['Held', 'Out'] },
    Gantry: { one: ['Held', 'Out1', 'Out2', 'Out3'] },
    Turntable: { one: ['Out', 'Nest[1]', 'Nest[2]', 'Nest[3]', 'Nest[4]'] },
    Stacker: { line: ['Plate'], cart: ['Load', 'CartOut'] },
    Unstacker: { one: ['Out'], line: ['Held'], cart: ['Load', 'CartOut'] },
    CartStand: { cart: ['Load', 'CartOut'] },
    TransferCar: { cart: ['Load', 'CartOut'] },
    CartMagazine: { cart: ['CartOut'] },
  };

/** Follows every part, scan by scan: where each is, what has left, what has fallen. */
class Book {
  private readonly gone: number[] = [];
  constructor(
    private readonly e: Engine,
    private readonly devices: readonly Device[],
  ) {}
  /** Throws where a part is missing, or in two places. */
  look(): void {
    const { e, devices } = this,
      here: number[] = [],
      carts: number[] = [];
    // What a device has just taken still lies on its belt until the belt hears of it in the next scan.
    const taken = new Set(
      devices
        .filter((d) => ['Pusher', 'Gantry', 'PickAndPlace'].includes(d.type))
        .map((d) => get(e, `${d.name}.Take`))
        .filter((n) => n > 0),
    );
    const add = (path: string) => {
      const n = get(e, `${path}.Number`);
      if (n > 0) here.push(n);
    };
    let lost = 0;
    for (const { name, type } of devices) {
      const h = HOLDS[type] ?? {};
      for (const o of h.one ?? [])
        if (!(type === 'Turntable' && taken.has(get(e, `${name}.${o}.Number`)))) add(`${name}.${o}`);
      for (const l of h.line ?? [])
        for (let i = 1; i <= get(e, `${name}.${l}.Count`); i++) {
          const n = get(e, `${name}.${l}.Part[${i}].Number`);
          if (!(l === 'Line' && taken.has(n))) here.push(n);
        }
      for (const c of h.cart ?? []) {
        const cart = get(e, `${name}.${c}.Cart`),
          count = get(e, `${name}.${c}.Count`);
        if (cart > 0) carts.push(cart);
        expect(cart > 0 || count === 0, `${name}.${c}: parts on no cart`).toBe(true);
        for (let i = 1; i <= count; i++) here.push(get(e, `${name}.${c}.Part[${i}].Number`));
      }
      if (kindOf({}, type)!.locals.includes('Lost : UINT')) lost += get(e, `${name}.Lost`);
      if (type === 'Bin' && get(e, `${name}.In.Number`) > 0) this.gone.push(get(e, `${name}.In.Number`));
      if (type === 'CartExit' && get(e, `${name}.CartIn.Cart`) > 0)
        for (let i = 1; i <= get(e, `${name}.CartIn.Count`); i++)
          this.gone.push(get(e, `${name}.CartIn.Part[${i}].Number`));
    }
    const all = [...here, ...this.gone],
      come = get(e, 'Feed.Total');
    expect(new Set(all).size, `a part in two places: ${all.join(' ')}`).toBe(all.length);
    expect(all.length + lost, `${come} have come`).toBe(come);
    expect(all.every((n) => n > 0 && n <= come)).toBe(true);
  }
}
const engineOf = (devices: readonly Device[]): Engine => {
  const project: Project = { ...emptyProject('M'), machine: { devices } },
    c = compile([{ kind: 'project', name: 'm', project }]);
  expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
  return new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
};
/** Everything that drives, upsets or holds: at random, mostly so that the line goes on. */
function play(
  devices: readonly Device[],
  seed: number,
  scans: number,
  also: (e: Engine, random: () => number) => void = () => undefined,
): Engine {
  const e = engineOf(devices),
    random = generator(seed),
    book = new Book(e, devices);
  const knobs = devices.flatMap((d) => {
    const k = kindOf({}, d.type)!;
    return [
      ...k.terminals
        .filter((t) => t.direction === 'in' && !t.mechanical && t.type === 'BOOL')
        .map((t) => t.name)
        // Nothing stands at the fourth way.
        .filter((n) => n !== 'Way4'),
      ...k.upsets.map((u) => u.name),
    ].map((n) => ({ path: `${d.name}.${n}`, isUpset: k.upsets.some((u) => u.name === n) }));
  });
  const targets = devices.filter((d) => d.type === 'Gantry').map((d) => `${d.name}.Target`);
  // Plates are mostly shut and carts stand for long, else hardly a layer would ever lie on one.
  const share = (path: string): number => (path.endsWith('.Open') ? 0.15 : path.endsWith('.Go') ? 0.3 : 0.65);
  for (const k of knobs) if (!k.isUpset) set(e, { [k.path]: random() < share(k.path) });
  for (let n = 0; n < scans; n++) {
    while (random() < 0.1) {
      const k = knobs[Math.floor(random() * knobs.length)]!;
      set(e, { [k.path]: k.isUpset ? random() < 0.05 : random() < share(k.path) });
    }
    if (random() < 0.02) for (const t of targets) set(e, { [t]: [0, 400, 800, 1200][Math.floor(random() * 4)]! });
    also(e, random);
    if (!e.runScan()) throw new Error(e.faultLine());
    book.look();
  }
  return e;
}

/**
 * Works stackers and the car as a sequence would, now and then, so that carts do leave while the rest is driven at
 * random.
 */
function workCarts(e: Engine, random: () => number): void {
  for (const s of ['StackA', 'StackB', 'StackC']) {
    if (random() > 0.2) continue;
    const hasAll = is(e, `${s}.LayerFull`) && is(e, `${s}.CartThere`);
    set(e, {
      [`${s}.Lower`]: hasAll && !is(e, `${s}.IsOpen`),
      [`${s}.Open`]: (hasAll && is(e, `${s}.IsDown`)) || (is(e, `${s}.IsOpen`) && !is(e, `${s}.IsUp`)),
      [`${s}.Go`]: get(e, `${s}.Load.Layers`) > 1,
    });
  }
  if (random() > 0.2) return;
  const isLoaded = is(e, 'Car.Loaded'),
    place = get(e, 'Car.Position'),
    to = isLoaded ? 2 : 1 + Math.floor(random() * 3);
  set(e, {
    'Car.TakeOn': !isLoaded,
    'Car.GiveOff': isLoaded && is(e, 'Car.At2'),
    'Car.Right': place < to - 0.03 && random() < 0.7,
    'Car.Left': place > to + 0.03,
  });
}

describe('law: whatever is driven, stopped, jammed and swung, and whenever, every part is in exactly one place or told as lost', () => {
  const SPEEDS = {
    Conveyor: { Length: '0.6', Fast: '1.0', StopAt: '0.4' },
    RollerTrack: { Length: '0.6', Fast: '1.0' },
    WeighBelt: { Fast: '1.0' },
    Lift: { Travel: '0.2', RollOn: '0.1' },
    RowFormer: { Count: '2', Travel: '0.1' },
    Turntable: { Every: '0.1' },
    Pusher: { Travel: '0.1' },
    PickAndPlace: { Travel: '0.1', Stroke: '0.05', Vacuum: '0.02' },
    Gantry: { Speed: '20000.0', Stroke: '0.03', Close: '0.02' },
    Unstacker: { Travel: '0.2', Close: '0.05', Every: '0.05', CartTime: '0.1' },
  } as const;
  const make = (type: keyof typeof SPEEDS, i: number): Made => ({
    name: `${type}${i}`,
    type,
    parameters: SPEEDS[type],
  });
  it('on lines of any devices that hand on', () => {
    const middle = fc.array(
      fc.constantFrom('Conveyor', 'RollerTrack', 'WeighBelt', 'Lift', 'RowFormer', 'Turntable', 'PickAndPlace'),
      { minLength: 1, maxLength: 4 },
    );
    fc.assert(
      fc.property(middle, fc.constantFrom('0.3', '0.001'), fc.nat(1_000_000), (types, every, seed) => {
        const line = lineOf([
          { name: 'Feed', type: 'PartFeed', parameters: { Every: every } },
          // An arm takes from a belt.
          ...types.flatMap((t, i) => [...(t === 'PickAndPlace' ? [make('Conveyor', i)] : []), make(t, i)]),
          { name: 'Box', type: 'Bin' },
          // What no arm takes runs off the end of its belt.
          ...types.flatMap((t, i): Made[] => (t === 'PickAndPlace' ? [{ name: `End${i}`, type: 'Bin' }] : [])),
        ]);
        play(line, seed, 700);
      }),
      { numRuns: 30 },
    );
  });
  it('where parts are taken off belts, roller tracks and tables while these run on', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('Conveyor', 'RollerTrack', 'Turntable'),
        fc.constantFrom('Pusher', 'PickAndPlace', 'Gantry'),
        fc.nat(1_000_000),
        (host, taker, seed) => {
          const line = lineOf([
            { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.1' } },
            make(host, 1),
            make(taker, 2),
            ...(taker === 'Gantry' ? ['A', 'B', 'C'] : ['A']).map((n): Made => ({ name: `Box${n}`, type: 'Bin' })),
            { name: 'End', type: 'Bin' },
          ]);
          expect(line[1]!.wires).toMatchObject({ Take: `${taker}2.Take` });
          play(line, seed, 700);
        },
      ),
      { numRuns: 30 },
    );
  });
  it('on the line with three stackers, carts and a car', () => {
    let pieces = 0;
    fc.assert(
      fc.property(fc.nat(1_000_000), (seed) => {
        const e = play(tileLine(), seed, 2500, workCarts);
        for (const on of [
          'StackA.Load.Count',
          'StackB.Load.Count',
          'StackC.Load.Count',
          'Car.Load.Count',
          'Yard.Pieces',
        ])
          pieces += get(e, on);
      }),
      { numRuns: 6 },
    );
    expect(pieces).toBeGreaterThan(0);
  });
  it('stacked and unstacked again', () => {
    fc.assert(
      fc.property(fc.nat(1_000_000), (seed) => {
        play(
          lineOf([
            { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.1' } },
            { name: 'Carts', type: 'CartMagazine', parameters: { Takes: '0.1', Holds: '60000' } },
            {
              name: 'Stack',
              type: 'Stacker',
              parameters: { Across: '2', Deep: '1', Travel: '0.1', Opens: '0.05', CartTime: '0.1' },
            },
            { name: 'Wait', type: 'CartStand', parameters: { CartTime: '0.1' } },
            make('Unstacker', 1),
            { name: 'Box', type: 'Bin' },
            { name: 'Yard', type: 'CartExit' },
          ]),
          seed,
          1500,
        );
      }),
      { numRuns: 10 },
    );
  });
});
