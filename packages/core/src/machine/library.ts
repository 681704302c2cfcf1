/** The devices that ship, as data. */
import { actuator, feeder, ferruleTrack, pullTester, wirePiece } from './devices/crimping.js';
import { display, emergencyStop, lamp, pushButton, selector, setPoint } from './devices/operator.js';
import type { DeviceKind } from './device.js';

export const DEVICE_KINDS: readonly DeviceKind[] = [pushButton, selector, emergencyStop, lamp, setPoint, display, actuator, feeder, ferruleTrack, wirePiece, pullTester];

export const deviceKind = (type: string): DeviceKind | undefined => DEVICE_KINDS.find((k) => k.type.toLowerCase() === type.toLowerCase());
