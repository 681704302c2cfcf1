/** A short play for each kind of device: worked by hand in the help, and played once for its timing chart. */
import { type Device, type DeviceKind, DEVICE_KINDS, type OwnKind } from '@ferrule/core';
import type { Example } from './examples.js';

type Play = Example['play'][number];
const hold = (path: string, from: number, to: number): Play[] => [
  [from, `Machine.${path}`, '1'],
  [to, `Machine.${path}`, '0'],
];
interface Given {
  readonly devices?: readonly Omit<Device, 'id'>[];
  readonly press?: readonly string[];
  readonly set?: readonly string[];
  readonly watch: readonly string[];
  readonly play: readonly Play[];
  readonly ms: number;
}
const at = (name: string) => `Machine.${name}`;
const feed: Omit<Device, 'id'> = { name: 'Feed', type: 'PartFeed', parameters: { Every: '1.5' } };

/** Kinds that show what they do only with others, or in a time of their own. */
const GIVEN: Readonly<Record<string, Given>> = {
  PartFeed: {
    devices: [
      { name: 'D', type: 'PartFeed', parameters: { Every: '1.2', Sorts: '2' }, wires: { Ahead: 'Belt.Full' } },
      { name: 'Belt', type: 'Conveyor', wires: { In: 'D.Out' } },
    ],
    press: ['D.Put', 'Belt.Run'],
    watch: ['D.Total', 'Belt.Line.Count', 'Belt.Full'],
    play: [...hold('Belt.Run', 200, 5800)],
    ms: 6000,
  },
  Conveyor: {
    devices: [
      { ...feed, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'Conveyor', parameters: { Fast: '0.8' }, wires: { In: 'Feed.Out' } },
    ],
    press: ['D.Run', 'D.Stop', 'D.Put'],
    watch: ['D.Run', 'D.Stop', 'D.AtStop', 'D.AtEnd', 'D.Line.Count', 'D.Total'],
    play: [...hold('D.Run', 200, 9800), ...hold('D.Stop', 2500, 6500)],
    ms: 10_000,
  },
  PartSensor: {
    devices: [
      { ...feed, wires: { Ahead: 'Belt.Full' } },
      { name: 'Belt', type: 'Conveyor', parameters: { Fast: '0.8' }, wires: { In: 'Feed.Out' } },
      { name: 'D', type: 'PartSensor', parameters: { Place: '0.5' }, wires: { Line: 'Belt.Line' } },
    ],
    press: ['Belt.Run', 'D.Bounces'],
    watch: ['D.Sees', 'D.Clear'],
    play: [...hold('Belt.Run', 0, 5900), ...hold('D.Bounces', 3000, 6000)],
    ms: 6000,
  },
  Stopper: {
    devices: [
      { ...feed, wires: { Ahead: 'Belt.Full' } },
      { name: 'Belt', type: 'Conveyor', parameters: { Fast: '0.8' }, wires: { In: 'Feed.Out', Stop2: 'D.Position' } },
      { name: 'D', type: 'Stopper' },
    ],
    press: ['Belt.Run', 'D.Up'],
    watch: ['D.Up', 'D.IsUp', 'D.IsDown', 'Belt.Line.Front[1]'],
    play: [...hold('Belt.Run', 0, 5900), ...hold('D.Up', 1000, 4000)],
    ms: 6000,
  },
  Sorter: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.8' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'Sorter', wires: { In: 'Feed.Out', Ahead: 'Left.Full', AheadAside: 'Right.Full' } },
      { name: 'Left', type: 'Bin', wires: { In: 'D.Out' } },
      { name: 'Right', type: 'Bin', wires: { In: 'D.OutAside' } },
    ],
    press: ['D.Aside'],
    watch: ['D.Aside', 'D.IsStraight', 'D.IsAside', 'Left.Total', 'Right.Total'],
    play: [...hold('D.Aside', 2200, 4500)],
    ms: 6000,
  },
  PickAndPlace: {
    devices: [
      { name: 'Belt', type: 'Conveyor', parameters: { Fast: '0.8', StopAt: '1.9' }, wires: { Take: 'D.Take' } },
      { name: 'D', type: 'PickAndPlace', wires: { From: 'Belt.Waiting' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['Belt.Put', 'Belt.Run', 'Belt.Stop', 'D.Along', 'D.Down', 'D.Grip'],
    watch: ['D.Along', 'D.Down', 'D.Grip', 'D.Holds', 'D.AtPlace', 'Box.Total'],
    play: [
      ...hold('Belt.Run', 0, 7900),
      ...hold('Belt.Stop', 0, 7900),
      ...hold('Belt.Put', 100, 200),
      ...hold('D.Down', 3200, 3900),
      ...hold('D.Grip', 3300, 6200),
      ...hold('D.Along', 4300, 7000),
      ...hold('D.Down', 5400, 6600),
    ],
    ms: 8000,
  },
  Turntable: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '1.0' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'Turntable', wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Turn'],
    watch: ['D.Turn', 'D.Index', 'D.InFirst', 'D.InWork', 'D.InLast', 'Box.Total'],
    play: [...hold('D.Turn', 1500, 2500), ...hold('D.Turn', 3500, 4500), ...hold('D.Turn', 5500, 6500)],
    ms: 8000,
  },
  WorkStation: {
    devices: [
      { name: 'Belt', type: 'Conveyor', parameters: { Fast: '0.8', StopAt: '1.0' }, wires: { Worked: 'D.Number' } },
      { name: 'D', type: 'WorkStation', wires: { From: 'Belt.Waiting' } },
    ],
    press: ['Belt.Put', 'Belt.Run', 'Belt.Stop', 'D.Work'],
    watch: ['D.Work', 'D.IsUp', 'D.IsDown', 'D.Done'],
    play: [
      ...hold('Belt.Run', 0, 5900),
      ...hold('Belt.Stop', 0, 4500),
      ...hold('Belt.Put', 100, 200),
      ...hold('D.Work', 2200, 3800),
    ],
    ms: 6000,
  },
  Bin: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.7' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'Bin', parameters: { Holds: '4' }, wires: { In: 'Feed.Out' } },
    ],
    press: ['D.Empty'],
    watch: ['D.Total', 'D.IsFull', 'D.Empty'],
    play: [...hold('D.Empty', 4200, 4400)],
    ms: 6000,
  },
  Encoder: {
    devices: [
      { name: 'Belt', type: 'Conveyor' },
      { name: 'D', type: 'Encoder', parameters: { PerUnit: '20.0', PerTurn: '10' }, wires: { Speed: 'Belt.Speed' } },
    ],
    press: ['Belt.Run'],
    watch: ['Belt.Speed', 'D.Count', 'D.Track', 'D.Zero'],
    play: [...hold('Belt.Run', 300, 3500)],
    ms: 4000,
  },
  Hopper: {
    press: ['D.Open', 'D.Bridged', 'D.Refill'],
    watch: ['D.Open', 'D.IsShut', 'D.Flow', 'D.Content'],
    play: [...hold('D.Open', 500, 4500), ...hold('D.Bridged', 2200, 3200)],
    ms: 6000,
  },
  Scale: {
    devices: [
      { name: 'Hopper', type: 'Hopper' },
      { name: 'D', type: 'Scale', wires: { FlowIn: 'Hopper.Flow' } },
    ],
    press: ['Hopper.Open'],
    watch: ['Hopper.Open', 'D.Weight', 'D.Stable'],
    play: [...hold('Hopper.Open', 500, 2000), ...hold('Hopper.Open', 4200, 4600)],
    ms: 7000,
  },
  Tank: {
    devices: [
      { name: 'Pump', type: 'Pump', parameters: { Rate: '20.0' } },
      {
        name: 'D',
        type: 'Tank',
        parameters: { DrainRate: '25.0' },
        wires: { FlowIn: 'Pump.Flow', Drain: 'Drain.Position' },
      },
      { name: 'Drain', type: 'Valve' },
    ],
    press: ['Pump.Run', 'Drain.Open'],
    watch: ['Pump.Run', 'Drain.Open', 'D.Level', 'D.High', 'D.LowOK'],
    play: [...hold('Pump.Run', 300, 5500), ...hold('Drain.Open', 6500, 12_000)],
    ms: 14_000,
  },
  AnalogSensor: {
    devices: [
      { name: 'Pump', type: 'Pump' },
      { name: 'D', type: 'AnalogSensor', parameters: { Lag: '0.4', Noise: '0.03' }, wires: { Value: 'Pump.Flow' } },
    ],
    press: ['Pump.Run', 'D.BrokenWire', 'D.Noisy'],
    watch: ['Pump.Flow', 'D.Signal'],
    play: [...hold('Pump.Run', 500, 3500), ...hold('D.Noisy', 2000, 2800)],
    ms: 6000,
  },
  Heater: {
    press: ['D.On', 'D.DoorOpen'],
    watch: ['D.On', 'D.Temperature', 'D.DoorOpen'],
    play: [...hold('D.On', 1000, 12_000), ...hold('D.DoorOpen', 14_000, 18_000)],
    ms: 20_000,
  },
  Servo: {
    press: ['D.Enable', 'D.Jam'],
    set: ['D.Target'],
    watch: ['D.Target', 'D.Position', 'D.InPosition'],
    play: [
      [0, at('D.Enable'), '1'],
      [500, at('D.Target'), '300'],
      [3000, at('D.Target'), '50'],
    ],
    ms: 5000,
  },
  SetPoint: {
    set: ['D.Entry'],
    watch: ['D.Entry', 'D.Value'],
    play: [
      [500, at('D.Entry'), '400'],
      [1500, at('D.Entry'), '2500'],
      [3000, at('D.Entry'), '20'],
    ],
    ms: 4000,
  },
  KeySelector: {
    press: ['D.Key', 'D.Turned'],
    watch: ['D.Key', 'D.Turned', 'D.Right'],
    play: [...hold('D.Turned', 300, 900), ...hold('D.Key', 1400, 3400), ...hold('D.Turned', 1900, 3800)],
    ms: 5000,
  },
  LockChamber: {
    press: ['D.Below', 'D.Above', 'D.EnterBelow'],
    set: ['D.UpperSluice', 'D.LowerSluice', 'D.LowerGate', 'D.UpperGate'],
    watch: ['D.UpperSluice', 'D.LowerSluice', 'D.Level', 'D.WaitsBelow', 'D.Inside'],
    play: [
      ...hold('D.Below', 300, 500),
      ...hold('D.LowerGate', 400, 8000),
      ...hold('D.EnterBelow', 600, 2000),
      ...hold('D.UpperSluice', 9000, 24_000),
      ...hold('D.LowerSluice', 26_000, 38_000),
    ],
    ms: 40_000,
  },
  KilnChamber: {
    set: ['D.Power1', 'D.Power2', 'D.Power3', 'D.Supply', 'D.Damper'],
    watch: ['D.Supply', 'D.Zone1', 'D.Zone2', 'D.Zone3', 'D.Damper'],
    play: [
      [0, at('D.Power1'), '1'],
      [0, at('D.Power2'), '0.9'],
      [0, at('D.Power3'), '0.8'],
      ...hold('D.Supply', 3000, 90_000),
      ...hold('D.Damper', 95_000, 118_000),
    ],
    ms: 120_000,
  },
  CartTrack: {
    press: ['D.Load', 'D.Forward', 'D.Backward', 'D.Unload'],
    set: ['D.Outer', 'D.Inner'],
    watch: ['D.Forward', 'D.Outer', 'D.Place', 'D.AtTable', 'D.InLock', 'D.OuterWay'],
    play: [...hold('D.Load', 300, 500), ...hold('D.Forward', 1000, 9000), [3000, at('D.Outer'), '1']],
    ms: 10_000,
  },
  Duct: {
    set: ['D.Fan', 'D.Gate1', 'D.Gate2', 'D.Gate3'],
    press: ['D.Clogged', 'D.Shake'],
    watch: ['D.Fan', 'D.Gate1', 'D.Gate2', 'D.Draught', 'D.FilterDrop'],
    play: [...hold('D.Fan', 300, 5700), ...hold('D.Gate1', 800, 5700), ...hold('D.Gate2', 2500, 4500)],
    ms: 6000,
  },
  FerruleTrack: {
    press: ['D.Release', 'D.Taken', 'D.Blocked'],
    watch: ['D.Release', 'D.InPlace', 'D.Taken'],
    play: [...hold('D.Release', 300, 600), ...hold('D.Taken', 1500, 1600), ...hold('D.Release', 2200, 2500)],
    ms: 4000,
  },
  WirePiece: {
    press: ['D.FerruleIn', 'D.Chute'],
    set: ['D.WireOut', 'D.Clamp', 'D.Blade', 'D.Press'],
    watch: ['D.Blade', 'D.Cut', 'D.Press', 'D.Holds', 'D.Dropped', 'D.Good'],
    play: [
      [0, at('D.WireOut'), '80'],
      [0, at('D.FerruleIn'), '1'],
      [300, at('D.Clamp'), '1'],
      ...hold('D.Blade', 800, 1300),
      ...hold('D.Press', 2000, 2600),
      [3200, at('D.Clamp'), '0'],
      ...hold('D.Chute', 3500, 4200),
    ],
    ms: 5000,
  },
  PullTester: {
    press: ['D.Pull'],
    set: ['D.Holds'],
    watch: ['D.Pull', 'D.Force', 'D.Slipped'],
    play: [[0, at('D.Holds'), '80'], ...hold('D.Pull', 400, 700), ...hold('D.Pull', 1500, 2500)],
    ms: 3500,
  },
};

/** What a kind shows by itself: everything that drives it or that a person does is held in turn, all it gives is seen. */
function byItself(k: DeviceKind): Given {
  const work = [
    ...k.terminals.filter((t) => t.direction === 'in' && t.type === 'BOOL'),
    ...k.handles.filter((h) => h.type !== 'number'),
  ].map((x) => `D.${x.name}`);
  const numbers = [
    ...k.terminals.filter((t) => t.direction === 'in' && t.type !== 'BOOL'),
    ...k.handles.filter((h) => h.type === 'number'),
  ]
    .map((x) => `D.${x.name}`)
    .filter((n) => !/Machine_/.test(n));
  const gives = k.terminals
    .filter(
      (t) => t.direction === 'out' && (t.type === 'BOOL' || t.type === 'REAL' || t.type === 'UINT' || t.type === 'INT'),
    )
    .map((t) => `D.${t.name}`);
  const each = 3000,
    all = [...work, ...numbers].slice(0, 4);
  return {
    press: [...work, ...k.upsets.slice(0, 2).map((u) => `D.${u.name}`)],
    set: numbers,
    watch: [...all, ...gives].slice(0, 7),
    play: all.flatMap((p, i) => hold(p, 500 + i * each, 2000 + i * each)),
    ms: Math.max(4000, all.length * each),
  };
}

/** The example of a kind; `own` are the project's kinds when it is one of them. */
export function deviceExample(k: DeviceKind, own?: readonly OwnKind[]): Example {
  const given = (own ? undefined : GIVEN[k.type]) ?? byItself(k);
  return {
    tags: [],
    text: '',
    devices: given.devices ?? [{ name: 'D', type: k.type }],
    ...(own ? { kinds: own } : {}),
    press: (given.press ?? []).map(at),
    set: (given.set ?? []).map(at),
    watch: given.watch.map(at),
    play: given.play,
    ms: given.ms,
  };
}

export const DEVICE_EXAMPLES: Readonly<Record<string, Example>> = Object.fromEntries(
  DEVICE_KINDS.map((k) => [k.type, deviceExample(k)]),
);
