/** Devices drawn in others: every one once, where it acts or where somebody put it. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { Device, Project } from '@ferrule/core/document';
import lock from '../../../../../examples/canal-lock.ferrule.json?raw';
import crimp from '../../../../../examples/wire-end-crimp-cell.ferrule.json?raw';
import tiles from '../../../../../examples/tile-grading-line.ferrule.json?raw';
import ducts from '../../../../../examples/dust-extractor.ferrule.json?raw';
import kiln from '../../../../../examples/ceramic-kiln.ferrule.json?raw';
import { layOutFloor, floorLinks } from '@ferrule/core/machine';
import { chutesOf } from './chutes.js';
import { pictureOf } from './MachineView.js';
import { type Seated, STOREY, roomOf, seating, seatsFor } from './seating.js';

const EXAMPLES: Readonly<Record<string, string>> = { crimp, lock, kiln, ducts, tiles };
const machineOf = (name: string): readonly Device[] => (JSON.parse(EXAMPLES[name]!) as Project).machine.devices;
const tree = (inside: readonly Seated[]): unknown[] =>
  inside.map((s) => (s.inner.length ? [s.device.name, ...tree(s.inner)] : s.device.name));
const drawn = (devices: readonly Device[]) => {
  const s = seating(devices, undefined, pictureOf);
  return Object.fromEntries(s.stations.map((d) => [d.name, tree(s.inside.get(d.id) ?? [])]));
};
const device = (name: string, type: string, more: Partial<Device> = {}): Device => ({ id: name, name, type, ...more });

describe('the examples', () => {
  it('are machines: gates in their lock, doors and kiln at their track, saws and gates at their ducts', () => {
    expect(drawn(machineOf('lock'))).toEqual({ Chamber: ['SluiceDown', 'GateDown', 'GateUp', 'SluiceUp'] });
    expect(drawn(machineOf('kiln'))).toEqual({
      Track: ['DoorOut', 'DoorIn', 'LockBlower', ['Chamber', 'DamperFlap', 'HeatContactor', 'Blower']],
    });
    expect(drawn(machineOf('crimp'))).toEqual({ Piece: ['Feed', 'Clamp', 'Blade', 'Press', 'Track', 'Puller'] });
    expect(drawn(machineOf('ducts'))).toEqual({
      Air: ['Saw1', 'Saw2', 'Saw3', 'Gate1', 'Gate2', 'Gate3', 'Fan'],
    });
    expect(drawn(machineOf('tiles'))).toEqual({
      Feed: [],
      Infeed: [],
      Weigher: ['Gauge'],
      Sorter: [],
      ...Object.fromEntries(
        ['A', 'B', 'C'].flatMap((l) => [
          [`Rolls${l}`, []],
          [`Stacker${l}`, [`Magazine${l}`]],
          [`Gate${l}`, []],
        ]),
      ),
    });
  });
});

describe('seats', () => {
  it('a sensor and a stop are at their belt where their place is; what is linked to nothing stands along the flow', () => {
    expect(
      drawn([
        device('Belt', 'Conveyor', { wires: { Stop2: 'Stop.Position' } }),
        device('Eye', 'PartSensor', { wires: { Line: 'Belt.Line' } }),
        device('Stop', 'Stopper'),
        device('Pump', 'Pump'),
      ]),
    ).toEqual({ Belt: ['Eye', 'Stop'], Pump: [] });
  });
  it('a tester is in the machine whose piece it tries, though the wire leads from the tester; by hand it goes elsewhere', () => {
    const of = (more: Partial<Device>) => [
      device('Piece', 'WirePiece'),
      device('Pull', 'PullTester', { wires: { Holds: 'Piece.Holds' }, ...more }),
      device('Alone', 'PullTester'),
    ];
    expect(drawn(of({}))).toEqual({ Piece: ['Pull'], Alone: [] });
    expect(drawn(of({ sits: 'Alone.above' }))).toEqual({ Piece: [], Alone: ['Pull'] });
  });
  it('a reader is over what carries parts past it, a pusher where the part waits; each belt in its own measure', () => {
    const devices = [
        device('Belt', 'Conveyor', { parameters: { Length: '2.0', StopAt: '1.1' }, wires: { Take: 'Push.Take' } }),
        device('Rolls', 'RollerTrack', { parameters: { Length: '2.0' } }),
        device('Scale', 'WeighBelt', { parameters: { Length: '0.8' } }),
        device('Push', 'Pusher', { wires: { From: 'Belt.Waiting' } }),
        device('OnBelt', 'PartReader', { parameters: { Place: '1.0' }, wires: { Line: 'Belt.Line' } }),
        device('OnRolls', 'PartSensor', { parameters: { Place: '2.0' }, wires: { Line: 'Rolls.Line' } }),
        device('OnScale', 'PartReader', { parameters: { Place: '0.8' }, wires: { Line: 'Scale.Line' } }),
      ],
      { inside } = seating(devices, undefined, pictureOf),
      at = (host: string) => (inside.get(host) ?? []).map((s) => [s.device.name, Math.round(s.x)]);
    // The middle of the belt, the end of the rollers, the end of the shorter weigher.
    expect(at('Belt')).toEqual([
      ['Push', 0],
      ['OnBelt', 0],
    ]);
    expect(at('Rolls')).toEqual([['OnRolls', 78]]);
    expect(at('Scale')).toEqual([['OnScale', 38]]);
  });
  it('at the foot of a stacker only a magazine is one: a place for carts before it stands along the flow', () => {
    const stacker = (from: string) => device('S', 'Stacker', { wires: { CartIn: `${from}.CartOut` } });
    expect(drawn([device('M', 'CartMagazine'), stacker('M')])).toEqual({ S: ['M'] });
    expect(drawn([device('W', 'CartStand'), stacker('W')])).toEqual({ W: [], S: [] });
  });
  it('what says where it sits, sits there: above, below, in a seat of its own; else it stands along the flow', () => {
    const belt = device('Belt', 'Conveyor');
    expect(
      drawn([belt, device('Lift', 'Servo', { sits: 'Belt.Below' }), device('Arm', 'Servo', { sits: 'Belt.Above' })]),
    ).toEqual({
      Belt: ['Lift', 'Arm'],
    });
    expect(drawn([belt, device('Lift', 'Servo', { sits: 'Nobody.Below' })])).toEqual({ Belt: [], Lift: [] });
    expect(drawn([belt, device('Lift', 'Servo', { sits: 'Belt.Branch1' })])).toEqual({ Belt: [], Lift: [] });
    // One seat holds one.
    expect(
      drawn([
        device('Air', 'Duct'),
        device('A', 'Motor', { sits: 'Air.Branch1' }),
        device('B', 'Motor', { sits: 'air.branch1' }),
      ]),
    ).toEqual({ Air: ['A'], B: [] });
    expect(seatsFor(pictureOf('Duct', undefined)!, 'Motor')).toEqual([
      'branch1',
      'branch2',
      'branch3',
      'above',
      'below',
    ]);
    expect(seatsFor(pictureOf('Duct', undefined)!, 'Valve')).toEqual(['above', 'below']);
  });
  it('take room: storeys above and below, and as much as it is long for what is turned upright', () => {
    const picture = pictureOf('Conveyor', undefined)!;
    const devices = [
      device('Belt', 'Conveyor'),
      device('A', 'Servo', { sits: 'Belt.Above' }),
      device('B', 'Servo', { sits: 'Belt.Above' }),
      device('C', 'Servo', { sits: 'Belt.Below' }),
    ];
    const inside = seating(devices, undefined, pictureOf).inside.get('Belt')!;
    expect(inside.map((s) => s.y)).toEqual([-STOREY, -2 * STOREY, STOREY]);
    expect(roomOf(devices[0]!, picture, inside)).toMatchObject({ up: 2 * STOREY, down: STOREY });
    expect(roomOf({ ...devices[0]!, turn: 90 }, picture, []).width).toBeLessThan(picture.width);
  });
  it('law: whatever sits or is wired where, also in rings, every device with a picture is drawn exactly once', () => {
    const names = ['A', 'B', 'C', 'D', 'E'];
    fc.assert(
      fc.property(
        fc.array(
          fc.record({
            type: fc.constantFrom(
              'Conveyor',
              'Valve',
              'Motor',
              'LockChamber',
              'CartTrack',
              'KilnChamber',
              'Duct',
              'PartSensor',
              'Stopper',
              'Lamp',
            ),
            sits: fc.option(
              fc.tuple(
                fc.constantFrom(...names, 'X'),
                fc.constantFrom('Above', 'Below', 'Branch1', 'LockRoof', 'Nowhere', ''),
              ),
              { nil: undefined },
            ),
            wires: fc.dictionary(
              fc.constantFrom('Line', 'Stop2', 'Gate1', 'Fan', 'Outer', 'Inner', 'Heat', 'Damper', 'UpperGate'),
              fc.constantFrom(...names.map((n) => `${n}.Position`)),
            ),
          }),
          { minLength: 1, maxLength: 5 },
        ),
        (list) => {
          const devices = list.map((d, i) =>
            device(names[i]!, d.type, { wires: d.wires, ...(d.sits ? { sits: d.sits.join('.') } : {}) }),
          );
          const s = seating(devices, undefined, pictureOf),
            all: string[] = [];
          const walk = (inside: readonly Seated[]) => {
            for (const x of inside) {
              all.push(x.device.name);
              // Above and below are storeys of the flow only, where there is room for them.
              for (const y of x.inner) expect(y.seat).not.toMatch(/^(above|below)/);
              walk(x.inner);
            }
          };
          for (const d of s.stations) {
            all.push(d.name);
            walk(s.inside.get(d.id)!);
            expect(s.rootOf.get(d.id)).toBe(d.id);
          }
          expect(all.sort()).toEqual(
            devices
              .filter((d) => pictureOf(d.type, undefined))
              .map((d) => d.name)
              .sort(),
          );
        },
      ),
      { numRuns: 400 },
    );
  });
});

describe('chutes', () => {
  const chutes = (devices: readonly Device[]) => {
    const seats = seating(devices, undefined, pictureOf),
      picture = (d: Device) => pictureOf(d.type, undefined),
      floor = layOutFloor(
        seats.stations.map((d) => ({ id: d.id, width: picture(d)!.width })),
        floorLinks({ devices }),
        { fit: 700, row: 150, flow: 88, hasWays: false },
      );
    return { floor, chutes: chutesOf(devices, seats, floor, 80, picture) };
  };
  it('lead from each way of a sorter to the lane that takes its tiles, and say when it stands there', () => {
    const { floor, chutes: all } = chutes(machineOf('tiles'));
    expect(all.map((c) => `${c.device}.${c.terminal} while ${c.open}`)).toEqual([
      'Sorter.out1 while At1',
      'Sorter.out2 while At2',
      'Sorter.out3 while At3',
    ]);
    const at = (name: string) =>
      floor.places.find((p) => p.id === machineOf('tiles').find((d) => d.name === name)!.id)!;
    all.forEach((c, i) => {
      const [from, to] = [at('Sorter'), at(`Rolls${'ABC'[i]}`)];
      // It begins at the sorter's right, and ends at the left of the lane, at the height of the flow.
      expect(c.from[0]).toBeGreaterThan(from.x + from.width / 2);
      expect(c.from[0]).toBeLessThanOrEqual(from.x + from.width);
      expect(c.to![0]).toBeGreaterThanOrEqual(to.x);
      expect(c.to![0]).toBeLessThan(to.x + 10);
      expect(c.to![1] - to.y).toBe(93);
    });
  });
  it('turn and are mirrored with the machine that they leave; into what sits in another they lead there', () => {
    const straight = [device('S', 'Sorter'), device('Box', 'Bin', { wires: { In: 'S.OutAside' } })],
      of = (more: Partial<Device>) => {
        const { floor, chutes: all } = chutes([{ ...straight[0]!, ...more }, straight[1]!]),
          p = floor.places.find((x) => x.id === 'S')!;
        return [all[0]!.from[0] - p.x - p.width / 2, all[0]!.from[1] - p.y - 80];
      };
    expect(of({})).toEqual([10, 40]);
    expect(of({ mirrored: true })).toEqual([-10, 40]);
    expect(of({ turn: 90 })).toEqual([-40, 10]);
    expect(of({ turn: 180 })).toEqual([-10, -40]);
    expect(of({ turn: 270, mirrored: true })).toEqual([40, 10]);
    const below = chutes([straight[0]!, { ...straight[1]!, sits: 'S.Below' }]);
    expect(below.chutes[0]!.to![1] - below.floor.places[0]!.y).toBe(80 + STOREY);
    // A row of the picture that begins anew at the left is no slide back to there.
    const rows = chutes([
      ...['B1', 'B2', 'B3'].map((n) => device(n, 'Conveyor')),
      straight[0]!,
      device('B4', 'Conveyor', { wires: { In: 'S.Out' } }),
    ]);
    expect(rows.floor.places.at(-1)!.row).toBeGreaterThan(0);
    // The way leads somewhere all the same, and is drawn at the sorter.
    expect(rows.chutes).toMatchObject([{ terminal: 'out', to: undefined }]);
    // Linked to nothing, or to what is no way out.
    expect(chutes([straight[0]!, device('Box', 'Bin', { wires: { In: 'S.Position' } })]).chutes).toEqual([]);
  });
});
