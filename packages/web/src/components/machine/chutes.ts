/**
 * Where parts slide from a machine with several ways out to what takes them there: drawn, since the two do not stand
 * side by side and nobody would see else which way leads where.
 */
import type { Device } from '@ferrule/core/document';
import type { Floor, FloorPlace } from '@ferrule/core/machine';
import type { Picture } from './drawing.js';
import type { Seating } from './seating.js';

type Point = readonly [number, number];
export interface Chute {
  readonly from: Point;
  /** Undefined where the picture begins a new row at the left: the machine has no slide back to there. */
  readonly to: Point | undefined;
  /** The device that lets parts go there, by which terminal, and its variable that is on while it does. */
  readonly device: string;
  readonly terminal: string;
  readonly open: string;
}

/** A slide goes on along the flow, or falls; it goes back by so much at most. */
const MOST_BACK = 40;

/** A point of a device's picture as it stands there: mirrored first, then turned. */
function turn(d: Device, [x, y]: Point): Point {
  const mx = d.mirrored ? -x : x;
  switch (d.turn) {
    case 90:
      return [-y, mx];
    case 180:
      return [-mx, -y];
    case 270:
      return [y, -mx];
    default:
      return [mx, y];
  }
}

/**
 * The chutes between stations, in the units of the floor. `flow`: where the line of flow is, from the top of a row.
 * What stands in another picture has its way out there.
 */
export function chutesOf(
  devices: readonly Device[],
  { stations, inside }: Seating,
  floor: Floor,
  flow: number,
  pictureOf: (d: Device) => Picture | undefined,
): readonly Chute[] {
  const places = new Map(floor.places.map((p) => [p.id, p])),
    byName = new Map(stations.map((d) => [d.name.toLowerCase(), d]));
  const on = (p: FloorPlace, [x, y]: Point): Point => [p.x + p.width / 2 + x, p.y + flow + y];
  /** Where parts come onto a device: at the left end of its picture, into one that sits in another at its middle. */
  const entryOf = (d: Device): Point | undefined => {
    const picture = pictureOf(d),
      place = places.get(d.id);
    if (picture && place) return on(place, turn(d, [-picture.width / 2 + 4, 13]));
    for (const [root, seated] of inside) {
      const s = seated.find((x) => x.device === d),
        host = stations.find((x) => x.id === root),
        at = places.get(root);
      if (s && host && at) return on(at, turn(host, [s.x, s.y]));
    }
    return undefined;
  };
  return devices.flatMap((d) =>
    Object.values(d.wires ?? {}).flatMap((wire): Chute[] => {
      const [name, terminal] = wire.toLowerCase().split('.'),
        from = byName.get(name ?? ''),
        exit = from && pictureOf(from)?.exits?.[terminal ?? ''],
        place = from && places.get(from.id),
        to = exit && entryOf(d),
        start = exit && place && on(place, turn(from, exit.at));
      if (!exit || !start || !to) return [];
      const isSlide = to[0] > start[0] - MOST_BACK;
      return [{ from: start, to: isSlide ? to : undefined, device: from.name, terminal: terminal!, open: exit.open }];
    }),
  );
}
