/**
 * Parts on their way through the machine: carried, queued, pushed, sorted, lifted, worked on, counted and lost; and the
 * devices that measure them.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Device, type OwnKind, type Project, emptyProject } from '../document.js';
import type { Engine } from '../bench.js';
import { DEVICE_KINDS, PART, kindOf, limitsOf, linkEnds, readPicture, snapLinks } from '../machine.js';
import { compile } from '../workspace.js';
import { ladderProject, machine, run, scansUntil } from '../../test/support.js';

const set = (e: Engine, values: Readonly<Record<string, boolean | number>>) => {
  for (const [k, v] of Object.entries(values)) e.write(`Machine.${k}`, v);
};
const get = (e: Engine, ...paths: readonly string[]) =>
  paths.map((p) => {
    const v = e.read(`Machine.${p}`);
    return typeof v === 'bigint' ? Number(v) : v;
  });
const fronts = (e: Engine, belt: string) => {
  const [n] = get(e, `${belt}.Line.Count`);
  return Array.from({ length: Number(n) }, (_, i) => Number(get(e, `${belt}.Line.Front[${i + 1}]`)[0]));
};
const problems = (devices: readonly Omit<Device, 'id'>[], kinds?: readonly OwnKind[]) =>
  compile([
    {
      kind: 'project',
      name: 'm',
      project: {
        ...emptyProject('M'),
        machine: { devices: devices.map((d, i) => ({ id: `d${i}`, ...d })), ...(kinds ? { kinds } : {}) },
      },
    },
  ]);

describe('a conveyor', () => {
  it('carries a part past the sensor and off the end, in the time its speed says', () => {
    const e = machine([{ name: 'B', type: 'Conveyor', parameters: { Length: '1.0', Fast: '0.5', StopAt: '0.5' } }]);
    set(e, { 'B.Run': true, 'B.Put': true });
    run(e, 10);
    expect(scansUntil(e, () => get(e, 'B.AtStop')[0] === true)).toBeGreaterThan(85);
    expect(scansUntil(e, () => get(e, 'B.Total')[0] === 1)).toBeGreaterThan(90);
    expect(get(e, 'B.Line.Count', 'B.Lost')).toEqual([0, 0]);
  });
  it('queues parts at its stop, one behind the other, and lets them go', () => {
    const e = machine([
      { name: 'F', type: 'PartFeed', parameters: { Every: '1.0' }, wires: { Ahead: 'B.Full' } },
      {
        name: 'B',
        type: 'Conveyor',
        parameters: { Length: '2.0', Fast: '0.5', StopAt: '1.0' },
        wires: { In: 'F.Out' },
      },
    ]);
    set(e, { 'B.Run': true, 'B.Stop': true });
    run(e, 6000);
    fronts(e, 'B')
      .slice(0, 3)
      .forEach((x, i) => {
        expect(x).toBeCloseTo(1 - 0.2 * i, 2);
      });
    expect(get(e, 'B.AtStop', 'B.Total')).toEqual([true, 0]);
    set(e, { 'B.Stop': false });
    run(e, 4000);
    expect(get(e, 'B.Total')[0]).toBeGreaterThanOrEqual(3);
  });
  it('hands a part to the next belt with all that belongs to it, and waits while there is no room', () => {
    const e = machine([
      { name: 'F', type: 'PartFeed', parameters: { Every: '0.0', Sorts: '3', Weight: '2.5', Length: '0.3' } },
      {
        name: 'A',
        type: 'Conveyor',
        parameters: { Length: '0.5', Fast: '0.5' },
        wires: { In: 'F.Out', Ahead: 'B.Full' },
      },
      { name: 'B', type: 'Conveyor', parameters: { Length: '0.5' }, wires: { In: 'A.Out' } },
    ]);
    set(e, { 'A.Run': true, 'F.Put': true });
    run(e, 20);
    set(e, { 'F.Put': false });
    run(e, 1500);
    // The part came onto a belt that stands: it lies at its beginning and the next one has no room.
    expect(get(e, 'A.Total', 'B.Line.Count', 'B.Full', 'B.Line.Part[1].Sort', 'B.Line.Part[1].Number')).toEqual([
      1,
      1,
      true,
      1,
      1,
    ]);
    expect(get(e, 'B.Line.Part[1].Weight', 'B.Load')[0]).toBeCloseTo(2.5, 3);
    set(e, { 'F.Put': true });
    run(e, 3000);
    expect(get(e, 'A.Line.Count', 'A.Total')).toEqual([1, 1]);
    expect(fronts(e, 'A')[0]).toBeCloseTo(0.5, 3);
    set(e, { 'B.Run': true });
    run(e, 1200);
    expect(get(e, 'A.Total')).toEqual([2]);
  });
  it('without room a part that is put on is lost; by hand one is taken off', () => {
    const e = machine([{ name: 'B', type: 'Conveyor' }]);
    for (let i = 0; i < 2; i++) {
      set(e, { 'B.Put': true });
      run(e, 20);
      set(e, { 'B.Put': false });
      run(e, 20);
    }
    expect(get(e, 'B.Line.Count', 'B.Lost')).toEqual([1, 1]);
    set(e, { 'B.Grab': true });
    run(e, 20);
    expect(get(e, 'B.Line.Count')).toEqual([0]);
  });
  it('a jam holds the parts, it can be slow, and a stuck sensor lies', () => {
    const way = (upset: string | undefined) => {
      const e = machine([{ name: 'B', type: 'Conveyor' }]);
      set(e, { 'B.Run': true, 'B.Put': true, ...(upset ? { [`B.${upset}`]: true } : {}) });
      run(e, 2000);
      return [fronts(e, 'B')[0]!, ...get(e, 'B.AtStop')] as const;
    };
    expect(way('Jam')[0]).toBe(0);
    expect(way('Slow')[0]).toBeCloseTo(way(undefined)[0] / 3, 1);
    expect(way('StuckOn')[1]).toBe(true);
  });
  it('law: parts neither overlap nor change places, and none is lost while room is told', () => {
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            scans: fc.integer({ min: 1, max: 200 }),
            run: fc.boolean(),
            stop: fc.boolean(),
            run2: fc.boolean(),
            jam: fc.boolean(),
          }),
          { minLength: 2, maxLength: 12 },
        ),
        (turns) => {
          const e = machine([
            { name: 'F', type: 'PartFeed', parameters: { Every: '0.4', AtRandom: 'TRUE' }, wires: { Ahead: 'A.Full' } },
            { name: 'A', type: 'Conveyor', wires: { In: 'F.Out', Ahead: 'B.Full' } },
            {
              name: 'B',
              type: 'Conveyor',
              parameters: { Length: '0.9', Fast: '0.7' },
              wires: { In: 'A.Out', Ahead: 'C.Full' },
            },
            { name: 'C', type: 'Bin', parameters: { Holds: '4' }, wires: { In: 'B.Out' } },
          ]);
          for (const t of turns) {
            set(e, { 'A.Run': t.run, 'A.Stop': t.stop, 'B.Run': t.run2, 'B.Jam': t.jam });
            for (let i = 0; i < t.scans; i++) {
              e.runScan();
              for (const b of ['A', 'B'])
                fronts(e, b).reduce((ahead, x) => {
                  expect(ahead - x).toBeGreaterThanOrEqual(0.2 - 1e-4);
                  return x;
                }, 1e9);
            }
          }
          const [fed, a, b, bin, lost] = [
            get(e, 'F.Total')[0],
            get(e, 'A.Line.Count')[0],
            get(e, 'B.Line.Count')[0],
            get(e, 'C.Total')[0],
            Number(get(e, 'A.Lost')[0]) + Number(get(e, 'B.Lost')[0]),
          ];
          // One part may be on its way from one to the next in this very scan, at each of three places.
          const there = Number(a) + Number(b) + Number(bin);
          expect(lost).toBe(0);
          expect(Number(fed) - there).toBeGreaterThanOrEqual(0);
          expect(Number(fed) - there).toBeLessThanOrEqual(3);
          expect(Number(bin)).toBeLessThanOrEqual(5);
        },
      ),
      { numRuns: 25 },
    );
  });
});

describe('at a belt', () => {
  const belt: Omit<Device, 'id'> = {
    name: 'B',
    type: 'Conveyor',
    parameters: { Length: '2.0', Fast: '0.5', Stop2At: '0.8' },
    wires: { Stop2: 'S.Position' },
  };
  const sensor = (parameters: Device['parameters']): Omit<Device, 'id'> => ({
    name: 'E',
    type: 'PartSensor',
    parameters: parameters!,
    wires: { Line: 'B.Line' },
  });
  const stop: Omit<Device, 'id'> = { name: 'S', type: 'Stopper' };
  it('a sensor sees a part from its front edge to its end, as long as it takes to pass', () => {
    const e = machine([belt, stop, sensor({ Place: '0.6', Covers: '0.02' })]);
    set(e, { 'B.Run': true, 'B.Put': true });
    expect(scansUntil(e, () => get(e, 'E.Sees')[0] === true)).toBeGreaterThan(110);
    expect(fronts(e, 'B')[0]).toBeCloseTo(0.6, 1);
    expect(get(e, 'E.Clear')).toEqual([false]);
    // 0.2 m of part and 0.02 m of sight at 0.5 m/s.
    const scans = scansUntil(e, () => get(e, 'E.Sees')[0] === false);
    expect(scans).toBeGreaterThanOrEqual(42);
    expect(scans).toBeLessThanOrEqual(47);
  });
  it('for one sort of part it sees no other', () => {
    const seen = (only: string) => {
      const e = machine([
        { name: 'F', type: 'PartFeed', parameters: { Every: '1.5', Sorts: '2' } },
        { ...belt, wires: { In: 'F.Out' } },
        sensor({ Only: only }),
      ]);
      set(e, { 'B.Run': true });
      let n = 0,
        was = false;
      for (let i = 0; i < 900; i++) {
        e.runScan();
        const now = get(e, 'E.Sees')[0] === true;
        if (now && !was) n++;
        was = now;
      }
      return n;
    };
    expect(seen('1') + seen('2')).toBe(seen('0'));
    expect(seen('2')).toBeGreaterThan(1);
    expect(seen('3')).toBe(0);
  });
  it('its upsets lie, flicker, or leave both contacts open', () => {
    const e = machine([belt, stop, sensor({ Place: '0.0', Covers: '0.1' })]);
    const after = (upset: string) => {
      set(e, { [`E.${upset}`]: true });
      run(e, 100);
      const v = get(e, 'E.Sees', 'E.Clear');
      set(e, { [`E.${upset}`]: false });
      return v;
    };
    expect(after('StuckOn')).toEqual([true, false]);
    expect(after('BrokenWire')).toEqual([false, false]);
    set(e, { 'E.Bounces': true, 'B.Put': true });
    const seen = Array.from({ length: 12 }, () => {
      e.runScan();
      return get(e, 'E.Sees')[0];
    });
    expect(seen.filter((v, i) => i > 0 && v !== seen[i - 1]).length).toBeGreaterThan(3);
    expect(seen[11]).toBe(true);
    expect(after('StuckOff')).toEqual([false, true]);
  });
  it('a stop holds what comes while it is up, at its place', () => {
    const e = machine([belt, stop]);
    set(e, { 'B.Run': true, 'B.Put': true, 'S.Up': true });
    run(e, 3000);
    expect(fronts(e, 'B')[0]).toBeCloseTo(0.8, 3);
    expect(get(e, 'S.IsUp', 'S.IsDown')).toEqual([true, false]);
    set(e, { 'S.Up': false });
    run(e, 1000);
    expect(fronts(e, 'B')[0]).toBeGreaterThan(1);
  });
  it('an encoder counts the way of the belt, goes round, and loses some when it slips', () => {
    const counted = (upset: boolean, ms = 4000) => {
      const e = machine([
        { ...belt, wires: {} },
        { name: 'N', type: 'Encoder', parameters: { PerUnit: '1000.0' }, wires: { Speed: 'B.Speed' } },
      ]);
      set(e, { 'B.Run': true, 'N.Slips': upset });
      run(e, ms);
      return Number(get(e, 'N.Count')[0]);
    };
    // Four seconds at 0.5 m/s, less half of the run-up.
    expect(counted(false)).toBeGreaterThan(1950);
    expect(counted(false)).toBeLessThan(2000);
    expect(counted(true) / counted(false)).toBeCloseTo(0.9, 2);
    expect(counted(false, 140_000)).toBeLessThan(70_000 - 65_536);
  });
  it('a press works on the part that waits, and a blunt one does not', () => {
    const unworked = (blunt: boolean) => {
      const e = machine([
        { ...belt, wires: { Worked: 'P.Number' } },
        { name: 'P', type: 'WorkStation', wires: { From: 'B.Waiting' } },
        { name: 'C', type: 'Bin', wires: { In: 'B.Out' } },
      ]);
      set(e, { 'B.Run': true, 'B.Put': true, 'B.Stop': true, 'P.Blunt': blunt });
      run(e, 3000);
      expect(get(e, 'P.IsUp', 'P.Done')).toEqual([true, false]);
      set(e, { 'P.Work': true });
      expect(scansUntil(e, () => get(e, 'P.Done')[0] === true)).toBeGreaterThanOrEqual(79);
      set(e, { 'P.Work': false, 'B.Stop': false });
      run(e, 4000);
      return get(e, 'C.Total', 'C.Unworked');
    };
    expect(unworked(false)).toEqual([1, 0]);
    expect(unworked(true)).toEqual([1, 1]);
  });
});

describe('parts that change their way', () => {
  it('a sorter sends them straight on or aside, and loses what meets it on the move', () => {
    const e = machine([
      { name: 'F', type: 'PartFeed', parameters: { Every: '0.0' } },
      { name: 'S', type: 'Sorter', wires: { In: 'F.Out' } },
      { name: 'A', type: 'Bin', wires: { In: 'S.Out' } },
      { name: 'B', type: 'Bin', wires: { In: 'S.OutAside' } },
    ]);
    const put = () => {
      set(e, { 'F.Put': true });
      run(e, 30);
      set(e, { 'F.Put': false });
      run(e, 30);
      return get(e, 'A.Total', 'B.Total', 'S.Lost');
    };
    expect(put()).toEqual([1, 0, 0]);
    set(e, { 'S.Aside': true });
    run(e, 100);
    expect(put()).toEqual([1, 0, 1]);
    run(e, 500);
    expect(get(e, 'S.IsAside', 'S.IsStraight')).toEqual([true, false]);
    expect(put()).toEqual([1, 1, 1]);
  });
  it('an arm lifts a part off one belt and lays it on another; it drops what it lets go on the way', () => {
    const make = () =>
      machine([
        { name: 'A', type: 'Conveyor', parameters: { StopAt: '1.0' }, wires: { Take: 'P.Take' } },
        { name: 'P', type: 'PickAndPlace', wires: { From: 'A.Waiting', Ahead: 'B.Full' } },
        { name: 'B', type: 'Conveyor', wires: { In: 'P.Out' } },
      ]);
    const pick = (e: Engine) => {
      set(e, { 'A.Run': true, 'A.Stop': true, 'A.Put': true });
      run(e, 4000);
      set(e, { 'P.Down': true, 'P.Grip': true });
      run(e, 600);
      set(e, { 'P.Down': false });
      run(e, 400);
    };
    const e = make();
    pick(e);
    expect(get(e, 'P.Holds', 'A.Line.Count', 'P.IsUp', 'P.AtPick')).toEqual([true, 0, true, true]);
    set(e, { 'P.Along': true });
    run(e, 900);
    set(e, { 'P.Down': true });
    run(e, 400);
    set(e, { 'P.Grip': false });
    run(e, 300);
    expect(get(e, 'P.Holds', 'B.Line.Count', 'P.Lost', 'P.AtPlace')).toEqual([false, 1, 0, true]);
    expect(get(e, 'B.Line.Part[1].Number')[0]).toBeGreaterThan(0);
    const other = make();
    pick(other);
    set(other, { 'P.NoVacuum': true });
    run(other, 200);
    expect(get(other, 'P.Holds', 'P.Lost', 'B.Line.Count')).toEqual([false, 1, 0]);
  });
  it('a turntable takes parts from nest to nest, has them worked on, and lets them go', () => {
    const e = machine([
      { name: 'F', type: 'PartFeed', parameters: { Every: '0.0' }, wires: { Ahead: 'T.Full' } },
      { name: 'T', type: 'Turntable', parameters: { Every: '0.5' }, wires: { In: 'F.Out', Worked: 'P.Number' } },
      { name: 'P', type: 'WorkStation', wires: { From: 'T.Waiting' } },
      { name: 'C', type: 'Bin', wires: { In: 'T.Out' } },
    ]);
    set(e, { 'F.Put': true });
    run(e, 50);
    expect(get(e, 'T.InFirst', 'T.Full', 'T.Index')).toEqual([true, true, true]);
    // Let go halfway, the table stands between two nests: a logic that does not wait for the index sees that.
    set(e, { 'T.Turn': true });
    run(e, 250);
    set(e, { 'T.Turn': false });
    run(e, 300);
    expect(get(e, 'T.Index', 'T.InFirst')).toEqual([false, false]);
    set(e, { 'T.Turn': true });
    scansUntil(e, () => get(e, 'T.Index')[0] === true);
    set(e, { 'T.Turn': false });
    run(e, 50);
    expect(get(e, 'T.InFirst', 'T.InWork')).toEqual([false, true]);
    set(e, { 'P.Work': true });
    run(e, 1500);
    set(e, { 'P.Work': false, 'T.Turn': true });
    run(e, 100);
    scansUntil(e, () => get(e, 'T.Index')[0] === true);
    set(e, { 'T.Turn': false });
    run(e, 100);
    expect(get(e, 'C.Total', 'C.Unworked', 'T.InLast')).toEqual([1, 0, false]);
  });
  it('a feed gives sorts in turn, or the same chance for the same seed; empty it gives nothing', () => {
    const sorts = (parameters: Device['parameters']) => {
      const e = machine([{ name: 'F', type: 'PartFeed', parameters: { Every: '0.1', Sorts: '3', ...parameters } }]);
      const list: unknown[] = [];
      for (let i = 0; i < 200; i++) {
        e.runScan();
        const [n, s] = get(e, 'F.Out.Number', 'F.Out.Sort');
        if (n !== 0) list.push(s);
      }
      return list;
    };
    expect(sorts({}).slice(0, 6)).toEqual([1, 2, 3, 1, 2, 3]);
    expect(sorts({ AtRandom: 'TRUE' })).toEqual(sorts({ AtRandom: 'TRUE' }));
    expect(sorts({ AtRandom: 'TRUE', Seed: '8' })).not.toEqual(sorts({ AtRandom: 'TRUE' }));
    expect(new Set(sorts({ AtRandom: 'TRUE' }))).toEqual(new Set([1, 2, 3]));
    const e = machine([{ name: 'F', type: 'PartFeed', parameters: { Every: '0.1' } }]);
    set(e, { 'F.Empty': true });
    run(e, 1000);
    expect(get(e, 'F.Total')).toEqual([0]);
  });
});

describe('bulk and power', () => {
  it('a hopper fills the bin of a scale through its gate; the scale settles on what came', () => {
    const e = machine([
      { name: 'H', type: 'Hopper', parameters: { Rate: '5.0' } },
      { name: 'V', type: 'Valve', parameters: { Travel: '0.2' } },
      { name: 'W', type: 'Scale', parameters: { Noise: '0.0' }, wires: { FlowIn: 'H.Flow', Discharge: 'V.Position' } },
    ]);
    set(e, { 'H.Open': true });
    run(e, 2000);
    set(e, { 'H.Open': false });
    run(e, 4000);
    expect(get(e, 'H.IsShut', 'W.Stable')).toEqual([true, true]);
    expect(Number(get(e, 'W.Weight')[0])).toBeCloseTo(200 - Number(get(e, 'H.Content')[0]), 1);
    expect(Number(get(e, 'W.Weight')[0])).toBeCloseTo(10, 0);
    set(e, { 'H.Bridged': true, 'H.Open': true });
    run(e, 1000);
    expect(Number(get(e, 'H.Flow')[0])).toBe(0);
    set(e, { 'V.Open': true });
    expect(scansUntil(e, () => Number(get(e, 'W.Weight')[0]) < 0.1, 5000)).toBeLessThan(1500);
  });
  it('a double-acting cylinder stays where it is; its sensors overlap and bounce as told', () => {
    const e = machine([
      { name: 'C', type: 'Cylinder', parameters: { TravelOut: '0.5', Covers: '0.55', Bounce: '0.05' } },
    ]);
    set(e, { 'C.Out': true });
    run(e, 250);
    set(e, { 'C.Out': false });
    run(e, 500);
    expect(get(e, 'C.Position')[0]).toBeCloseTo(0.5, 1);
    expect(get(e, 'C.AtHome', 'C.AtEnd')).toEqual([true, true]);
    set(e, { 'C.Out': true });
    const seen = Array.from({ length: 20 }, () => {
      e.runScan();
      return get(e, 'C.AtHome')[0];
    });
    expect(seen.filter((v, i) => i > 0 && v !== seen[i - 1]).length).toBeGreaterThan(2);
    expect(seen[19]).toBe(false);
    set(e, { 'C.Out': true, 'C.In': true });
    const [at] = get(e, 'C.Position');
    run(e, 200);
    expect(get(e, 'C.Position')).toEqual([at]);
  });
  it('without its power a device does not hear what drives it; without the supply none does', () => {
    const e = machine(
      [
        { name: 'Mains', type: 'Supply' },
        { name: 'M', type: 'Motor', wires: { Run: 'Out' } },
        { name: 'L', type: 'Lamp', wires: { Power: 'Out' } },
      ],
      { ...ladderProject(['In : BOOL', 'Out AT %QX0.0 : BOOL'], ['In -> Out']) },
    );
    e.write('In', true);
    run(e, 50);
    expect(get(e, 'M.Running', 'L.Lit', 'Mains.OK')).toEqual([true, true, true]);
    set(e, { 'M.NoPower': true });
    run(e, 50);
    expect(get(e, 'M.Running', 'L.Lit')).toEqual([false, true]);
    set(e, { 'M.NoPower': false, 'Mains.PowerLoss': true });
    run(e, 50);
    expect([...get(e, 'M.Running', 'L.Lit', 'Mains.OK'), e.read('Out')]).toEqual([false, false, false, true]);
    set(e, { 'Mains.PowerLoss': false });
    run(e, 50);
    expect(get(e, 'M.Running', 'Mains.OK')).toEqual([true, true]);
  });
});

describe('putting a device into the flow', () => {
  const devices = (...list: readonly (readonly [string, string])[]): Device[] => {
    const all: Device[] = [];
    for (const [name, type] of list) {
      const device: Device = { id: name, name, type };
      const machineNow = { devices: [...all, device] };
      const wires = snapLinks({ machine: machineNow }, device, all);
      all.splice(
        0,
        all.length,
        ...machineNow.devices.map((d) => (wires.has(d.name) ? { ...d, wires: wires.get(d.name)! } : d)),
      );
    }
    return all;
  };
  const wiresOf = (all: readonly Device[]) =>
    Object.fromEntries(all.filter((d) => d.wires).map((d) => [d.name, d.wires]));
  it('finds what comes to it and what it gives back', () => {
    expect(
      wiresOf(
        devices(
          ['F', 'PartFeed'],
          ['A', 'Conveyor'],
          ['E', 'PartSensor'],
          ['S', 'Stopper'],
          ['N', 'Encoder'],
          ['B', 'Conveyor'],
          ['C', 'Bin'],
        ),
      ),
    ).toEqual({
      F: { Ahead: 'A.Full' },
      A: { In: 'F.Out', Stop2: 'S.Position', Ahead: 'B.Full' },
      E: { Line: 'A.Line' },
      N: { Speed: 'A.Speed' },
      B: { In: 'A.Out', Ahead: 'C.Full' },
      C: { In: 'B.Out' },
    });
  });
  it('an arm is linked to the belt it picks from and the one it lays on; a press to the part that waits', () => {
    expect(wiresOf(devices(['A', 'Conveyor'], ['P', 'WorkStation'], ['G', 'PickAndPlace'], ['B', 'Conveyor']))).toEqual(
      {
        A: { Worked: 'P.Number', Take: 'G.Take' },
        P: { From: 'A.Waiting' },
        G: { From: 'A.Waiting', Ahead: 'B.Full' },
        B: { In: 'G.Out' },
      },
    );
  });
  it('behind a sorter the second way goes aside', () => {
    expect(wiresOf(devices(['A', 'Conveyor'], ['S', 'Sorter'], ['X', 'Bin'], ['Y', 'Bin']))).toEqual({
      A: { Ahead: 'S.Full' },
      S: { In: 'A.Out', Ahead: 'X.Full', AheadAside: 'Y.Full' },
      X: { In: 'S.Out' },
      Y: { In: 'S.OutAside' },
    });
  });
  it('flows find each other, a tank drains by the valve behind it', () => {
    expect(wiresOf(devices(['P', 'Pump'], ['T', 'Tank'], ['V', 'Valve'], ['H', 'Hopper'], ['W', 'Scale']))).toEqual({
      T: { FlowIn: 'P.Flow', Drain: 'V.Position' },
      W: { FlowIn: 'H.Flow' },
    });
  });
  it('tells what a terminal can be linked to, the nearest before it first', () => {
    const all = devices(['A', 'Conveyor'], ['B', 'Conveyor'], ['E', 'PartSensor'], ['C', 'Conveyor']);
    expect(linkEnds({ machine: { devices: all } }, 'E', 'Line')).toEqual(['B.Line', 'A.Line', 'C.Line']);
    expect(linkEnds({ machine: { devices: all } }, 'E', 'Sees')).toEqual([]);
    // What is measured can act too: every link of the crimp cell can be chosen.
    const cell = [
      { id: '1', name: 'Reel', type: 'Feeder' },
      { id: '2', name: 'Jaw', type: 'Actuator' },
      { id: '3', name: 'Piece', type: 'WirePiece' },
    ];
    expect(linkEnds({ machine: { devices: cell } }, 'Piece', 'WireOut')).toEqual(['Jaw.Position', 'Reel.Length']);
    expect(linkEnds({ machine: { devices: all } }, 'X', 'Line')).toEqual([]);
  });
  it('law: whatever is put in whatever order, the project has no errors', () => {
    const kinds = [
      'PartFeed',
      'Conveyor',
      'PartSensor',
      'Stopper',
      'Sorter',
      'PickAndPlace',
      'Turntable',
      'WorkStation',
      'Bin',
      'Pump',
      'Tank',
      'Valve',
      'Hopper',
      'Scale',
      'Motor',
      'Encoder',
      'Cylinder',
      'Supply',
      'AnalogSensor',
      'Heater',
    ];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...kinds), { minLength: 1, maxLength: 12 }), (types) => {
        const all = devices(...types.map((t, i) => [`${t}${i}`, t] as const));
        expect(
          problems(all)
            .diagnostics.filter((d) => d.severity === 'error')
            .map((d) => d.message),
        ).toEqual([]);
      }),
      { numRuns: 60 },
    );
  });
});

describe('bad input at the machine', () => {
  it('a parameter out of range is told with its limits, and the device works with what its kind says', () => {
    const c = problems([
      { name: 'V', type: 'Valve', parameters: { Travel: '-2.0' } },
      { name: 'T', type: 'Tank', parameters: { HighAt: '120.0' } },
    ]);
    expect(c.diagnostics.map((d) => [d.severity, d.code, d.message])).toEqual([
      [
        'warning',
        'OUT_OF_RANGE',
        "'Travel' of 'V' is -2.0 s; it must lie between 0.001 and 86400 s. Until then it works with 1.0 s.",
      ],
      [
        'warning',
        'OUT_OF_RANGE',
        "'HighAt' of 'T' is 120.0 %; it must lie between 0 and 100 %. Until then it works with 90.0 %.",
      ],
    ]);
    const e = machine([{ name: 'V', type: 'Valve', parameters: { Travel: '-2.0' } }]);
    expect(Number(get(e, 'V.Travel')[0])).toBe(1);
  });
  it('every parameter of a shipped device has its initial value within its limits', () => {
    for (const { type } of DEVICE_KINDS)
      for (const p of kindOf({}, type)!.parameters) {
        const limits = limitsOf(p);
        if (limits) {
          expect(Number(p.initial), `${type}.${p.name}`).toBeGreaterThanOrEqual(limits[0]);
          expect(Number(p.initial)).toBeLessThanOrEqual(limits[1]);
        }
      }
  });
  it('a loop of signals is told once, with the way it goes; effects back close none', () => {
    const c = problems([
      { name: 'A', type: 'AnalogSensor', wires: { Value: 'B.Signal' } },
      { name: 'B', type: 'AnalogSensor', wires: { Value: 'A.Signal' } },
      { name: 'C', type: 'AnalogSensor', wires: { Value: 'B.Signal' } },
    ]);
    expect(c.diagnostics.map((d) => [d.code, d.severity])).toEqual([['SIGNAL_LOOP', 'warning']]);
    expect(c.diagnostics[0]!.message).toContain('A.Signal → B.Value, B.Signal → A.Value');
    expect(c.hasErrors).toBe(false);
    expect(
      problems([
        { name: 'A', type: 'Conveyor', wires: { Ahead: 'B.Full' } },
        { name: 'B', type: 'Conveyor', wires: { In: 'A.Out' } },
      ]).diagnostics,
    ).toEqual([]);
  });
  it('a part cannot be linked to a number, nor wired to a tag', () => {
    expect(
      problems([
        { name: 'A', type: 'Conveyor', wires: { In: 'B.Speed' } },
        { name: 'B', type: 'Conveyor' },
      ]).diagnostics.map((d) => d.code),
    ).toEqual(['TYPE_MISMATCH']);
  });
});

describe('a device of one’s own', () => {
  const shuttle: OwnKind = {
    id: 'k1',
    type: 'Shuttle',
    help: 'A shuttle that goes to and fro.',
    width: 120,
    terminals: [
      { name: 'Go', type: 'BOOL', direction: 'in', help: 'Drives it out' },
      { name: 'AtEnd', type: 'BOOL', direction: 'out', help: 'Sensor at the end' },
    ],
    parameters: [{ name: 'Travel', type: 'REAL', initial: '0.5', unit: 's', help: 'Time out' }],
    upsets: [{ name: 'Jam', help: 'It stands' }],
    handles: [{ name: 'Push', type: 'press', help: 'Pushes it' }],
    locals: '  Way : REAL; (* share; of the way *)\n  Seen : ARRAY [1..3] OF REAL;',
    body: '\nIF (Go OR Push) AND NOT Jam THEN Way := MIN(1.0, Way + Dt / Travel); ELSIF NOT Jam THEN Way := MAX(0.0, Way - Dt / Travel); END_IF;\nSeen[2] := Way;\nAtEnd := Way > 0.99;',
    picture: [
      { id: 'a', shape: 'box', x: '-40 + 80 * Way', y: '0', w: '20', h: '12', lit: 'Go' },
      { id: 'b', shape: 'lamp', x: '50', y: '-20', lit: 'AtEnd' },
      { id: 'c', shape: 'text', x: '0', y: '30', text: '{100 * Seen[2]:1} % of the way', show: 'NOT Jam' },
      { id: 'd', shape: 'bar', x: '0', y: '40', fill: 'LIMIT(0.0, Way, 1.0)' },
    ],
  };
  it('behaves as its text says, with its parameters, upsets, handles and power', () => {
    const e = machine([{ name: 'S', type: 'Shuttle', parameters: { Travel: '0.2' } }], emptyProject('M'), [shuttle]);
    set(e, { 'S.Go': true });
    expect(scansUntil(e, () => get(e, 'S.AtEnd')[0] === true)).toBeLessThan(22);
    set(e, { 'S.NoPower': true });
    run(e, 400);
    expect(get(e, 'S.AtEnd')).toEqual([false]);
    set(e, { 'S.Push': true });
    run(e, 400);
    expect(get(e, 'S.AtEnd')).toEqual([true]);
  });
  it('its picture follows its values', () => {
    const p = readPicture(shuttle);
    expect(p.problems).toEqual([]);
    expect([...p.reads].sort()).toEqual(['AtEnd', 'Go', 'Jam', 'Seen[2]', 'Way']);
    const read = (v: string) => ({ Way: 0.25, Go: 1, 'Seen[2]': 0.25, Jam: 0 })[v] ?? 0;
    expect(p.shapes[0]!.x(read)).toBe(-20);
    expect(p.shapes.map((s) => s.lit(read))).toEqual([1, 0, 0, 0]);
    expect(p.shapes[2]!.text(read)).toBe('25.0 % of the way');
    expect([p.shapes[2]!.show(read), p.shapes[3]!.fill(read)]).toEqual([1, 0.25]);
  });
  it.each([
    ['an unknown variable', { x: 'Wey' }, 'The device has no variable ‘Wey’.'],
    ['a slip in an expression', { x: '20 +' }, 'Expected'],
    ['a text', { x: "'left'" }, 'Only numbers'],
    ['another function', { x: 'Random(3)' }, 'Only these functions'],
    ['too few values', { x: 'LIMIT(1.0, Way)' }, 'LIMIT takes 3 values'],
    ['an index that moves', { x: 'Seen[Way]' }, 'An index is made of numbers'],
  ] as const)('%s in a picture is told at its shape, and the rest is drawn', (_, change, said) => {
    const p = readPicture({
      ...shuttle,
      picture: [{ ...shuttle.picture[0]!, ...change }, ...shuttle.picture.slice(1)],
    });
    expect(p.problems.map((x) => [x.shape, x.field])).toEqual([['a', 'x']]);
    expect(p.problems[0]!.message).toContain(said);
    expect(p.shapes).toHaveLength(4);
    expect(p.shapes[0]!.x(() => 1)).toBe(0);
  });
  it('problems in its text are told by their line in it; a name that is taken too', () => {
    const wrong = problems(
      [{ name: 'S', type: 'Shuttle' }],
      [{ ...shuttle, body: '\nAtEnd := Wey > 0.5;\n' }],
    ).diagnostics;
    expect(wrong.map((d) => d.at.source.origin)).toEqual([
      { kind: 'deviceKind', id: 'k1', name: 'Shuttle', head: expect.any(Number) as number },
    ]);
    expect(wrong[0]!.message).toContain('Wey');
    expect(problems([], [{ ...shuttle, type: 'Motor' }]).diagnostics.map((d) => d.code)).toEqual(['DUPLICATE_NAME']);
    expect(problems([], [shuttle, { ...shuttle, id: 'k2' }]).diagnostics.map((d) => d.code)).toEqual([
      'DUPLICATE_NAME',
    ]);
    expect(problems([{ name: 'S', type: 'Shutle' }], [shuttle]).diagnostics[0]!.message).toContain('Shuttle');
  });
  it('parts can pass through it', () => {
    const gate: OwnKind = {
      ...shuttle,
      type: 'Weigher',
      terminals: [
        { name: 'In', type: PART, direction: 'in', help: 'What comes', mechanical: true },
        { name: 'Out', type: PART, direction: 'out', help: 'What goes', mechanical: true },
      ],
      parameters: [],
      upsets: [],
      handles: [],
      locals: '',
      body: 'Out := In; IF Out.Number <> 0 THEN Out.Weight := Out.Weight * 2.0; END_IF;',
      picture: [],
    };
    const project: Project = { ...emptyProject('M'), machine: { devices: [], kinds: [gate] } };
    const e = machine(
      [
        { name: 'F', type: 'PartFeed', parameters: { Every: '1.0', Weight: '3.0' } },
        { name: 'W', type: 'Weigher', wires: { In: 'F.Out' } },
        { name: 'B', type: 'Bin', wires: { In: 'W.Out' } },
      ],
      project,
      [gate],
    );
    run(e, 1500);
    expect(Number(get(e, 'B.Weight')[0])).toBeCloseTo(6, 3);
  });
});
