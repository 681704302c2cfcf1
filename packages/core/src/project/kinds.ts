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

/** Text of a parameter of type STRING, without its quotes. */
const textOf = (d: Device, parameter: string, kind: DeviceKind | undefined): string =>
  (d.parameters?.[parameter] ?? kind?.parameters.find((p) => p.name === parameter)?.initial ?? '')
    .replace(/^'|'$/g, '')
    .trim();
/** How many places a switch, or names a picker, has: as its parameters say. */
export const placesOf = (d: Device): number => placeNames(d).length;
/** What the places of a switch or the entries of a picker are called: by its names, else by their numbers. */
export function placeNames(d: Device): readonly string[] {
  const kind = shippedKind(d.type),
    names = textOf(d, 'Names', kind)
      .split(',')
      .map((n) => n.trim())
      .filter(Boolean),
    given = Number(
      d.parameters?.['Places'] ?? kind?.parameters.find((p) => p.name === 'Places')?.initial ?? names.length,
    ),
    n = Math.min(40, Math.max(1, Number.isFinite(given) ? given : names.length));
  return Array.from({ length: n }, (_, i) => names[i] ?? String(i + 1));
}
