/** Kinds of devices that a project knows: those that ship, and its own. */
import { type DeviceKind, type Terminal, limitsOf, wholeKind } from '../machine/device.js';
import { shippedKind } from '../machine/library.js';
import type { Device, OwnKind, Project } from '../document/document.js';

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

/** What a parameter of a device is: as given, else as its kind has it. */
const given = (d: Device, kind: DeviceKind | undefined, parameter: string): string | undefined =>
  d.parameters?.[parameter] ?? kind?.parameters.find((p) => p.name === parameter)?.initial;
/** Places that nothing says more of. */
const SOME_PLACES = 4,
  MOST_PLACES = 40;
/**
 * What can be chosen at a handle of the type `place`, in order: by the parameter `Names` of its kind (a text with
 * commas), as many as its parameter `Places` says; numbers where names are missing. A number of places outside its
 * limits is not taken, as the model does not take it.
 */
export function placeNames(d: Device, kind: DeviceKind | undefined): readonly string[] {
  const names = (given(d, kind, 'Names') ?? '')
      .replace(/^\s*'|'\s*$/g, '')
      .split(',')
      .map((n) => n.trim())
      .filter(Boolean),
    parameter = kind?.parameters.find((p) => p.name === 'Places'),
    limits = parameter && limitsOf(parameter),
    asked = Number(given(d, kind, 'Places') ?? NaN),
    isFine = Number.isInteger(asked) && (!limits || (asked >= limits[0] && asked <= limits[1])),
    count = isFine ? asked : parameter ? Number(parameter.initial) : names.length || SOME_PLACES;
  return Array.from(
    { length: Math.min(MOST_PLACES, Math.max(1, count || SOME_PLACES)) },
    (_, i) => names[i] ?? String(i + 1),
  );
}
