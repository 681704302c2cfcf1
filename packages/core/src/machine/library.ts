/**
 * The devices that ship, as data.
 *
 * Kinds of devices are data (`DeviceKind`): those that ship in `machine/devices`, a project's own in `machine.kinds`,
 * found by `kindOf`. An own kind becomes a function block of its own origin, so a slip in it is shown at its line in
 * the editor; its picture (`wiring/picture`) is shapes whose numbers are expressions, read by the same parser and
 * evaluated in the page. A parameter outside its limits is told and left at the kind's own value. Parts and carts are
 * structures (`PART`, `LINE`, `LOAD` in `machine/device`) that are handed on in one scan and seen in the next: who
 * gives asks for room as it was a scan before, so nobody gives in two scans running, who takes always has room for
 * what is on its way, and a belt stops offering a part a scan before it lets it go (law in
 * `core/machine/handling.test.ts`).
 */
import { cartExit, cartMagazine, cartStand, stacker, transferCar, unstacker } from './devices/carts.js';
import { actuator, feeder, ferruleTrack, pullTester, wirePiece } from './devices/crimping.js';
import { gantry, lift, partReader, pusher, rollerTrack, rowFormer, waySorter, weighBelt } from './devices/handling.js';
import { cartTrack, contactor, kilnChamber } from './devices/kiln.js';
import { lockChamber } from './devices/lock.js';
import {
  buzzer,
  display,
  emergencyStop,
  keySelector,
  lamp,
  meter,
  placeSelector,
  pushButton,
  recipePicker,
  selector,
  setPoint,
  threeWaySelector,
} from './devices/operator.js';
import {
  bin,
  conveyor,
  partFeed,
  partSensor,
  pickAndPlace,
  sorter,
  stopper,
  turntable,
  workStation,
} from './devices/parts.js';
import { analogSensor, duct, heater, pump, tank, valve } from './devices/process.js';
import { cylinder, encoder, hopper, motor, scale, servo, supply } from './devices/transport.js';
import { type DeviceKind, wholeKind } from './device.js';

/** Kinds by what they are for, in the order in which they are offered. */
export const DEVICE_GROUPS: readonly { readonly name: string; readonly kinds: readonly DeviceKind[] }[] = [
  {
    name: 'Panel',
    kinds: [
      pushButton,
      selector,
      threeWaySelector,
      placeSelector,
      keySelector,
      emergencyStop,
      lamp,
      buzzer,
      setPoint,
      recipePicker,
      display,
      meter,
    ],
  },
  { name: 'Drives', kinds: [supply, motor, contactor, actuator, cylinder, servo] },
  {
    name: 'Parts on their way',
    kinds: [
      partFeed,
      conveyor,
      rollerTrack,
      stopper,
      sorter,
      waySorter,
      pusher,
      rowFormer,
      lift,
      pickAndPlace,
      gantry,
      turntable,
      workStation,
      bin,
    ],
  },
  { name: 'Carts and layers', kinds: [cartMagazine, cartStand, stacker, unstacker, transferCar, cartExit] },
  { name: 'Flow and heat', kinds: [valve, pump, tank, hopper, heater, duct, lockChamber, kilnChamber, cartTrack] },
  { name: 'Measuring', kinds: [partSensor, partReader, weighBelt, encoder, scale, analogSensor] },
  { name: 'Wire ends', kinds: [feeder, ferruleTrack, wirePiece, pullTester] },
].map((g) => ({ ...g, kinds: g.kinds.map(wholeKind) }));
export const DEVICE_KINDS: readonly DeviceKind[] = DEVICE_GROUPS.flatMap((g) => g.kinds);
const SHIPPED = new Map(DEVICE_KINDS.map((k) => [k.type.toLowerCase(), k]));
/** A shipped kind by its name, in any case. */
export const shippedKind = (type: string): DeviceKind | undefined => SHIPPED.get(type.toLowerCase());
