/** A short play for each kind of device: worked by hand in the help, and played once for its timing chart. */
import type { Device, OwnKind } from '@ferrule/core/document';
import { type DeviceKind, DEVICE_KINDS } from '@ferrule/core/machine';
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
  RollerTrack: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.9' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'RollerTrack', parameters: { Fast: '0.8' }, wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Run', 'D.Release', 'D.Grab'],
    watch: ['D.Run', 'D.Release', 'D.AtEnd', 'D.Line.Count', 'Box.Total'],
    play: [...hold('D.Run', 200, 9800), ...hold('D.Release', 6000, 8000)],
    ms: 10_000,
  },
  WaySorter: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '1.0' }, wires: { Ahead: 'D.Full' } },
      {
        name: 'D',
        type: 'WaySorter',
        wires: { In: 'Feed.Out', Ahead1: 'One.Full', Ahead2: 'Two.Full', Ahead3: 'Three.Full' },
      },
      { name: 'One', type: 'Bin', wires: { In: 'D.Out1' } },
      { name: 'Two', type: 'Bin', wires: { In: 'D.Out2' } },
      { name: 'Three', type: 'Bin', wires: { In: 'D.Out3' } },
    ],
    press: ['D.Run', 'D.Way2', 'D.Way3'],
    watch: ['D.Way2', 'D.Way3', 'D.Position', 'One.Total', 'Two.Total', 'Three.Total'],
    play: [...hold('D.Run', 100, 9900), ...hold('D.Way2', 3000, 6000), ...hold('D.Way3', 6000, 9000)],
    ms: 10_000,
  },
  Pusher: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '3.0' }, wires: { Ahead: 'Belt.Full' } },
      {
        name: 'Belt',
        type: 'Conveyor',
        parameters: { Fast: '0.8' },
        wires: { In: 'Feed.Out', Take: 'D.Take', Ahead: 'End.Full' },
      },
      { name: 'D', type: 'Pusher', wires: { From: 'Belt.Waiting', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
      { name: 'End', type: 'Bin', wires: { In: 'Belt.Out' } },
    ],
    press: ['Belt.Run', 'Belt.Stop', 'D.Push'],
    watch: ['Belt.Stop', 'Belt.AtStop', 'D.Push', 'D.IsOut', 'D.IsBack', 'Box.Total'],
    play: [...hold('Belt.Run', 0, 9900), ...hold('Belt.Stop', 0, 9900), ...hold('D.Push', 5200, 6200)],
    ms: 10_000,
  },
  RowFormer: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.6' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'RowFormer', wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Push'],
    watch: ['D.Push', 'D.RowFull', 'D.IsBack', 'D.IsOut', 'D.Row.Count', 'Box.Total'],
    play: [...hold('D.Push', 2600, 3600), ...hold('D.Push', 6600, 7600)],
    ms: 9000,
  },
  Lift: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '1.0' }, wires: { Ahead: 'D.Full' } },
      { name: 'D', type: 'Lift', wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Up', 'D.Down', 'D.Roll'],
    watch: ['D.Up', 'D.Down', 'D.Roll', 'D.Loaded', 'D.AtTop', 'Box.Total'],
    play: [...hold('D.Up', 2200, 5500), ...hold('D.Roll', 4000, 5200), ...hold('D.Down', 5700, 7600)],
    ms: 9000,
  },
  Gantry: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '3.0' }, wires: { Ahead: 'Belt.Full' } },
      { name: 'Belt', type: 'RollerTrack', parameters: { Fast: '1.5' }, wires: { In: 'Feed.Out', Take: 'D.Take' } },
      { name: 'D', type: 'Gantry', wires: { From: 'Belt.Waiting', Ahead1: 'One.Full', Ahead2: 'Two.Full' } },
      { name: 'One', type: 'Bin', wires: { In: 'D.Out1' } },
      { name: 'Two', type: 'Bin', wires: { In: 'D.Out2' } },
    ],
    press: ['Belt.Run', 'D.Enable', 'D.Down', 'D.Grip'],
    set: ['D.Target'],
    watch: ['D.Position', 'D.Down', 'D.Grip', 'D.Holds', 'One.Total', 'Two.Total'],
    play: [
      ...hold('Belt.Run', 0, 11_900),
      [0, at('D.Enable'), '1'],
      ...hold('D.Down', 5200, 6000),
      ...hold('D.Grip', 5400, 8600),
      [6400, at('D.Target'), '800'],
      ...hold('D.Down', 8000, 9000),
      [9500, at('D.Target'), '0'],
    ],
    ms: 12_000,
  },
  WeighBelt: {
    devices: [
      {
        name: 'Feed',
        type: 'PartFeed',
        parameters: { Every: '2.5', Weight: '1.8', Scatter: '0.3' },
        wires: { Ahead: 'D.Full' },
      },
      { name: 'D', type: 'WeighBelt', wires: { In: 'Feed.Out', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Run', 'D.Drifts', 'D.Unsteady'],
    watch: ['D.Run', 'D.Present', 'D.Stable', 'D.Weight'],
    play: [...hold('D.Run', 100, 9900)],
    ms: 10_000,
  },
  PartReader: {
    devices: [
      {
        name: 'Feed',
        type: 'PartFeed',
        parameters: { Every: '1.5', Sorts: '3', Height: '0.012', HeightScatter: '0.8' },
        wires: { Ahead: 'Belt.Full' },
      },
      { name: 'Belt', type: 'Conveyor', parameters: { Fast: '0.8' }, wires: { In: 'Feed.Out' } },
      { name: 'D', type: 'PartReader', parameters: { Place: '1.0' }, wires: { Line: 'Belt.Line' } },
    ],
    press: ['Belt.Run', 'D.NoRead'],
    watch: ['D.Sees', 'D.Valid', 'D.Number', 'D.Sort', 'D.Height'],
    play: [...hold('Belt.Run', 0, 9900)],
    ms: 10_000,
  },
  CartMagazine: {
    devices: [
      { name: 'D', type: 'CartMagazine', parameters: { Holds: '4' }, wires: { CartAhead: 'Stand.CartFull' } },
      { name: 'Stand', type: 'CartStand', wires: { CartIn: 'D.CartOut', CartAhead: 'Gone.CartFull' } },
      { name: 'Gone', type: 'CartExit', wires: { CartIn: 'Stand.CartOut' } },
    ],
    press: ['D.Give', 'Stand.Go', 'D.Fill'],
    watch: ['D.Give', 'D.Total', 'D.Low', 'D.IsEmpty', 'Stand.CartThere'],
    play: [...hold('D.Give', 200, 9000), ...hold('Stand.Go', 3500, 9500)],
    ms: 10_000,
  },
  CartStand: {
    devices: [
      { name: 'Carts', type: 'CartMagazine', wires: { CartAhead: 'D.CartFull' } },
      { name: 'D', type: 'CartStand', wires: { CartIn: 'Carts.CartOut', CartAhead: 'Next.CartFull' } },
      { name: 'Next', type: 'CartStand', wires: { CartIn: 'D.CartOut' } },
    ],
    press: ['Carts.Give', 'D.Go', 'Next.Go'],
    watch: ['Carts.Give', 'D.CartThere', 'D.Go', 'Next.CartThere'],
    play: [...hold('Carts.Give', 200, 9000), ...hold('D.Go', 4000, 9000)],
    ms: 10_000,
  },
  Stacker: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.6' }, wires: { Ahead: 'D.Full' } },
      { name: 'Carts', type: 'CartMagazine', wires: { CartAhead: 'D.CartFull' } },
      {
        name: 'D',
        type: 'Stacker',
        parameters: { Across: '2', Deep: '1', Travel: '1.0' },
        wires: { In: 'Feed.Out', CartIn: 'Carts.CartOut', CartAhead: 'Gone.CartFull' },
      },
      { name: 'Gone', type: 'CartExit', wires: { CartIn: 'D.CartOut' } },
    ],
    press: ['Carts.Give', 'D.Lower', 'D.Open', 'D.Go'],
    watch: ['D.LayerFull', 'D.Lower', 'D.IsDown', 'D.Open', 'D.IsUp', 'D.Load.Layers'],
    play: [
      ...hold('Carts.Give', 200, 1500),
      ...hold('D.Lower', 3000, 5000),
      ...hold('D.Open', 4400, 6300),
      ...hold('D.Lower', 8200, 10_000),
      ...hold('D.Open', 9400, 11_200),
      ...hold('D.Go', 11_500, 14_500),
    ],
    ms: 15_000,
  },
  Unstacker: {
    devices: [
      { name: 'Feed', type: 'PartFeed', parameters: { Every: '0.4' }, wires: { Ahead: 'Stack.Full' } },
      { name: 'Carts', type: 'CartMagazine', wires: { CartAhead: 'Stack.CartFull' } },
      {
        name: 'Stack',
        type: 'Stacker',
        parameters: { Across: '3', Deep: '1', Travel: '1.0' },
        wires: { In: 'Feed.Out', CartIn: 'Carts.CartOut', CartAhead: 'D.CartFull' },
      },
      { name: 'D', type: 'Unstacker', wires: { CartIn: 'Stack.CartOut', Ahead: 'Box.Full' } },
      { name: 'Box', type: 'Bin', wires: { In: 'D.Out' } },
    ],
    press: ['D.Lower', 'D.Grip', 'D.Run', 'D.Go'],
    watch: ['D.CartThere', 'D.Lower', 'D.Grip', 'D.Holds', 'D.Run', 'Box.Total'],
    play: [
      ...hold('Carts.Give', 200, 1500),
      ...hold('Stack.Lower', 3000, 5000),
      ...hold('Stack.Open', 4400, 6300),
      ...hold('Stack.Go', 6500, 9000),
      ...hold('D.Lower', 10_000, 12_000),
      ...hold('D.Grip', 11_500, 17_500),
      ...hold('D.Run', 13_500, 17_000),
    ],
    ms: 18_000,
  },
  TransferCar: {
    devices: [
      { name: 'First', type: 'CartMagazine', wires: { CartAhead: 'D.CartFull1' } },
      { name: 'Third', type: 'CartMagazine', wires: { CartAhead: 'D.CartFull3' } },
      {
        name: 'D',
        type: 'TransferCar',
        wires: { CartIn1: 'First.CartOut', CartIn3: 'Third.CartOut', CartAhead: 'Gone.CartFull' },
      },
      { name: 'Gone', type: 'CartExit', wires: { CartIn: 'D.CartOut' } },
    ],
    press: ['D.TakeOn', 'D.GiveOff', 'D.Left', 'D.Right'],
    watch: ['D.TakeOn', 'D.Loaded', 'D.Right', 'D.At2', 'D.GiveOff', 'Gone.Carts'],
    play: [
      ...hold('First.Give', 0, 3000),
      ...hold('D.TakeOn', 500, 3000),
      ...hold('D.Right', 4000, 5500),
      ...hold('D.GiveOff', 6000, 8500),
    ],
    ms: 9000,
  },
  CartExit: {
    devices: [
      { name: 'Carts', type: 'CartMagazine', wires: { CartAhead: 'Stand.CartFull' } },
      { name: 'Stand', type: 'CartStand', wires: { CartIn: 'Carts.CartOut', CartAhead: 'D.CartFull' } },
      { name: 'D', type: 'CartExit', wires: { CartIn: 'Stand.CartOut' } },
    ],
    press: ['Carts.Give', 'Stand.Go', 'D.Blocked'],
    watch: ['Stand.CartThere', 'D.Carts', 'D.Pieces', 'D.Blocked'],
    play: [...hold('Carts.Give', 0, 9000), ...hold('Stand.Go', 0, 9000), ...hold('D.Blocked', 6000, 9000)],
    ms: 10_000,
  },
  PlaceSelector: {
    set: ['D.Place'],
    watch: ['D.Stands', 'D.At1', 'D.At2', 'D.At3', 'D.At4'],
    play: [
      [1000, at('D.Place'), '2'],
      [2000, at('D.Place'), '3'],
      [3000, at('D.Place'), '4'],
      [4000, at('D.Place'), '1'],
    ],
    ms: 5000,
  },
  RecipePicker: {
    set: ['D.Choice'],
    watch: ['D.Number', 'D.Changed'],
    play: [
      [1000, at('D.Choice'), '2'],
      [3000, at('D.Choice'), '3'],
    ],
    ms: 5000,
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

/**
 * What a kind shows by itself: everything that drives it or that a person does is held in turn, all it gives is seen.
 */
function byItself(k: DeviceKind): Given {
  const work = [
    ...k.terminals.filter((t) => t.direction === 'in' && t.type === 'BOOL'),
    ...k.handles.filter((h) => h.type !== 'number' && h.type !== 'place'),
  ].map((x) => `D.${x.name}`);
  const numbers = [
    ...k.terminals.filter((t) => t.direction === 'in' && t.type !== 'BOOL'),
    ...k.handles.filter((h) => h.type === 'number' || h.type === 'place'),
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
