/**
 * Which devices are drawn in others, as the thing they are there: gates in their lock, a sensor at its belt, a saw at
 * its duct.
 *
 * The machine's picture (`components/machine`) is composed, never drawn: `core/wiring/floor.ts` lays devices out
 * along the flow; `seating.ts` says which are drawn in others — by what they are linked to, or by a seat that somebody
 * chose (`Device.sits`) — and a picture (`pictures`, `part-pictures`, `site-pictures`) names its seats, each with how
 * what sits there looks. Law: every device with a picture is drawn exactly once, whatever is wired to whatever.
 */
import type { Device, OwnKind } from '@ferrule/core/document';
import { type FloorLink, kindOf } from '@ferrule/core/machine';
import type { Picture, Seat } from './drawing.js';
import { WEIGH } from './handling-pictures.js';
import { BELT, alongBelt } from './part-pictures.js';

export interface Seated {
  readonly device: Device;
  readonly seat: string;
  readonly x: number;
  readonly y: number;
  readonly picture: Picture;
  readonly hit: readonly [number, number, number, number];
  readonly behind: boolean;
  /** What sits in it again. */ readonly inner: readonly Seated[];
}
export interface Seating {
  /** Devices that stand along the flow. */ readonly stations: readonly Device[];
  /** What sits in each of them. */ readonly inside: ReadonlyMap<string, readonly Seated[]>;
  /** The station that each device is drawn at. */ readonly rootOf: ReadonlyMap<string, string>;
}

/** Two that stand above each other are so far apart, in units of the view. */
export const STOREY = 122;
const NEXT = ['above', 'below'] as const;

/** A parameter of a shipped device, as given or as its kind has it. */
const parameter = (d: Device, name: string): number =>
  Number(d.parameters?.[name] ?? kindOf({}, d.type)?.parameters.find((p) => p.name === name)?.initial ?? 0);

/** What carries parts along a stretch, and how long that is in its picture. */
const BELTS: Readonly<Record<string, number>> = { Conveyor: BELT, RollerTrack: BELT, WeighBelt: WEIGH };

export type PictureOf = (type: string, kinds: readonly OwnKind[] | undefined) => Picture | undefined;

/**
 * Seats of a device's picture that can be chosen by hand for a device of this kind: those of its own name, and beside
 * it above and below.
 */
export function seatsFor(host: Picture, type: string): readonly string[] {
  return [...Object.entries(host.seats ?? {}).flatMap(([name, s]) => (s.of?.includes(type) ? [name] : [])), ...NEXT];
}

/**
 * Where every device is drawn. One that says where it sits, sits there; else a sensor or stop at its belt, else in the
 * first machine that has a seat for what it is linked to. What would sit in itself stands along the flow.
 */
export function seating(
  devices: readonly Device[],
  kinds: readonly OwnKind[] | undefined,
  pictureOf: PictureOf,
): Seating {
  const named = (path: string | undefined) => {
    const n = path?.split('.')[0]?.toLowerCase();
    return n ? devices.find((d) => d.name.toLowerCase() === n) : undefined;
  };
  interface Place {
    readonly host: Device;
    readonly seat: string;
    readonly x: number;
    readonly y: number;
    readonly picture: Picture;
    readonly hit: Seat['hit'];
    readonly behind: boolean;
  }
  const places = new Map<string, Place>();
  const sitsIn = (d: Device, host: Device): boolean => {
    for (let at: Device | undefined = host; at; at = places.get(at.id)?.host) if (at === d) return true;
    return false;
  };
  const put = (d: Device, host: Device, seat: string, at: Omit<Place, 'host' | 'seat'>) => {
    if (!places.has(d.id) && !sitsIn(d, host)) places.set(d.id, { host, seat, ...at });
  };
  const inSeat = (s: Seat) => ({ x: s.x, y: s.y, picture: s.picture, hit: s.hit, behind: s.behind ?? false });
  const isTaken = (host: Device, seat: string) => [...places.values()].some((p) => p.host === host && p.seat === seat);
  // By hand first.
  for (const d of devices) {
    const host = named(d.sits),
      seat = d.sits?.split('.')[1]?.toLowerCase() ?? '',
      own = pictureOf(d.type, kinds),
      hosts = host && pictureOf(host.type, kinds);
    if (!host || !own || !hosts) continue;
    const s = hosts.seats?.[seat];
    if (s?.of?.includes(d.type) && !isTaken(host, seat)) put(d, host, seat, inSeat(s));
    else if (seat === 'above' || seat === 'below') {
      const n = 1 + [...places.values()].filter((p) => p.host === host && p.seat.startsWith(seat)).length;
      put(d, host, `${seat}${n}`, {
        x: 0,
        y: (seat === 'above' ? -1 : 1) * STOREY * n,
        picture: own,
        hit: [-own.width / 2, -70, own.width, 130],
        behind: false,
      });
    }
  }
  const atBelt = (d: Device, belt: Device | undefined, m: (belt: Device) => number) => {
    const picture = pictureOf(d.type, kinds);
    if (belt && BELTS[belt.type] && picture)
      put(d, belt, `place ${d.id}`, {
        x: alongBelt(m(belt), parameter(belt, 'Length'), BELTS[belt.type]),
        y: 0,
        picture,
        hit: d.type === 'Stopper' ? [-12, 20, 24, 40] : [-12, -54, 24, 50],
        behind: false,
      });
  };
  for (const d of devices) {
    if (d.type === 'PartSensor' || d.type === 'PartReader')
      atBelt(d, named(d.wires?.['Line']), () => parameter(d, 'Place'));
    if (d.type === 'Pusher')
      atBelt(d, named(d.wires?.['From']), (b) => parameter(b, b.type === 'Conveyor' ? 'StopAt' : 'Length') - 0.1);
    if (d.type === 'Conveyor') {
      const stop = named(d.wires?.['Stop2']);
      if (stop?.type === 'Stopper') atBelt(stop, d, (b) => parameter(b, 'Stop2At'));
    }
  }
  for (const host of devices)
    for (const [name, s] of Object.entries(pictureOf(host.type, kinds)?.seats ?? {})) {
      const wire = Object.entries(host.wires ?? {}).find(([k]) => k.toLowerCase() === name)?.[1],
        d = named(wire);
      // What is drawn there as one kind of thing is no other.
      if (d && s.of && !s.of.includes(d.type)) continue;
      if (d && d !== host && d.sits === undefined && pictureOf(d.type, kinds) && !isTaken(host, name))
        put(d, host, name, inSeat(s));
      const linked = s.by
        ? devices.find(
            (x) =>
              x.sits === undefined &&
              s.of?.includes(x.type) &&
              Object.entries(x.wires ?? {}).some(([k, w]) => k.toLowerCase() === s.by && named(w) === host),
          )
        : undefined;
      if (linked && !isTaken(host, name)) put(linked, host, name, inSeat(s));
    }
  // Storeys stand on what stands along the flow: what sits in another picture has no room of its own above it.
  for (const [id, p] of [...places]) if (/^(above|below)\d/.test(p.seat) && places.has(p.host.id)) places.delete(id);
  const inOf = (host: Device): readonly Seated[] =>
    devices.flatMap((d) => {
      const p = places.get(d.id);
      if (p?.host !== host) return [];
      const { host: _, ...rest } = p;
      // What is drawn as a part of another machine has the seats of that drawing.
      return [{ ...rest, device: d, inner: inOf(d) }];
    });
  const root = (d: Device): Device => {
    const p = places.get(d.id);
    return p ? root(p.host) : d;
  };
  const stations = devices.filter((d) => pictureOf(d.type, kinds) && !places.has(d.id));
  return {
    stations,
    inside: new Map(stations.map((d) => [d.id, inOf(d)])),
    rootOf: new Map(devices.map((d) => [d.id, root(d).id])),
  };
}

/** Room that a station takes, with what stands above and below it. */
export function roomOf(
  d: Device,
  picture: Picture,
  inside: readonly Seated[],
): { readonly width: number; readonly up: number; readonly down: number } {
  const isUpright = d.turn === 90 || d.turn === 270,
    storeys = (seat: 'above' | 'below') => inside.filter((s) => s.seat.startsWith(seat)).length;
  return {
    width: Math.max(
      isUpright ? 130 : picture.width,
      ...inside.filter((s) => /^(above|below)\d/.test(s.seat)).map((s) => s.picture.width),
    ),
    up: (isUpright ? Math.max(0, picture.width / 2 - 78) : (picture.up ?? 0)) + STOREY * storeys('above'),
    down: (isUpright ? Math.max(0, picture.width / 2 - 66) : (picture.down ?? 0)) + STOREY * storeys('below'),
  };
}

/** Links as the stations see them: those within one are part of its picture. */
export function linksBetween({ rootOf }: Seating, links: readonly FloorLink[]): readonly FloorLink[] {
  const seen = new Set<string>();
  return links.flatMap((l) => {
    const from = rootOf.get(l.from) ?? l.from,
      to = rootOf.get(l.to) ?? l.to,
      key = `${from} ${to}`;
    if (from === to || seen.has(key)) return [];
    seen.add(key);
    return [{ ...l, from, to }];
  });
}
