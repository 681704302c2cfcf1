/** The devices that ship, as data. */
import { actuator, feeder, ferruleTrack, pullTester, wirePiece } from './devices/crimping.js';
import { cartTrack, contactor, kilnChamber } from './devices/kiln.js';
import { lockChamber } from './devices/lock.js';
import { buzzer, display, emergencyStop, keySelector, lamp, pushButton, selector, setPoint } from './devices/operator.js';
import { analogSensor, duct, heater, pump, tank, valve } from './devices/process.js';
import { conveyor, motor, scale, servo } from './devices/transport.js';
import type { DeviceKind } from './device.js';

export const DEVICE_KINDS: readonly DeviceKind[] = [pushButton, selector, keySelector, emergencyStop, lamp, buzzer, setPoint, display, motor, contactor, actuator, servo, conveyor, valve, pump, tank, heater, analogSensor, scale, duct, lockChamber, kilnChamber, cartTrack, feeder, ferruleTrack, wirePiece, pullTester];

/** Kinds by what they are for, in the order in which they are offered. */
export const DEVICE_GROUPS: readonly { readonly name: string; readonly kinds: readonly DeviceKind[] }[] = [
  { name: 'Panel', kinds: [pushButton, selector, keySelector, emergencyStop, lamp, buzzer, setPoint, display] },
  { name: 'Drives', kinds: [motor, contactor, actuator, servo] },
  { name: 'Transport', kinds: [conveyor, scale] },
  { name: 'Flow and heat', kinds: [valve, pump, tank, heater, duct, lockChamber, kilnChamber, cartTrack] },
  { name: 'Measuring', kinds: [analogSensor] },
  { name: 'Wire ends', kinds: [feeder, ferruleTrack, wirePiece, pullTester] },
];

export const deviceKind = (type: string): DeviceKind | undefined => DEVICE_KINDS.find((k) => k.type.toLowerCase() === type.toLowerCase());
