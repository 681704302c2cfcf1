/** Kinds of devices that a project knows: those that ship, and its own. */
import { type DeviceKind, type Terminal, wholeKind } from '../machine/device.js';
import { shippedKind } from '../machine/library.js';
import type { Device, OwnKind, Project } from './document.js';

const whole = new WeakMap<OwnKind, OwnKind>();
/** An own kind with what every kind has. */
export function ownKind(k: OwnKind): OwnKind {
  let w = whole.get(k);
  if (!w) whole.set(k, (w = wholeKind(k)));
  return w;
}

/** The kind of a device by its name, in any case; a shipped one goes before one of the project's own. */
export function kindOf(machine: Pick<Project['machine'], 'kinds'>, type: string): DeviceKind | undefined {
  const shipped = shippedKind(type);
  if (shipped) return shipped;
  const own = machine.kinds?.find((k) => k.type.toLowerCase() === type.toLowerCase());
  return own && ownKind(own);
}

/** Whether a contact of a device was bought closed at rest: only one that gives a BOOL to a wire can be. */
export const isBoughtClosed = (d: Device, t: Terminal): boolean =>
  t.direction === 'out' &&
  t.type === 'BOOL' &&
  !t.mechanical &&
  (d.nc?.some((n) => n.toLowerCase() === t.name.toLowerCase()) ?? false);
