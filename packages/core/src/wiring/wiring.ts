/**
 * Wiring a machine: which tag a terminal is meant for by its name, and which terminals are left over or driven twice.
 */
import type { Device, Project, Tag } from '../document/document.js';
import { type DeviceKind, type Terminal, isHandedOn } from '../machine/device.js';
import { kindOf, placeNames } from './kinds.js';

/** What a tag of this terminal would be called: `ClampOpen` for the terminal `IsOpen` of `Clamp`. */
export function tagNameFor(device: string, terminal: string): string {
  return `${device}${terminal.replace(/^Is|^(NO|NC|Power)$/, '')}`;
}

const plain = (s: string): string => s.toLowerCase().replace(/[^a-z0-9]/g, '');

/** The tag that a terminal matches by name and type; one that is free, or none. */
function matchingTag(d: Device, t: Terminal, tags: readonly Tag[], taken: ReadonlySet<string>): Tag | undefined {
  if (t.mechanical) return undefined;
  const fits = (x: Tag) =>
    x.type.toUpperCase() === t.type &&
    (t.direction === 'out'
      ? !taken.has(x.name.toLowerCase()) && !/^%Q/i.test(x.address ?? '')
      : !/^%I/i.test(x.address ?? '')) &&
    !x.standsFor;
  const wanted = [
    tagNameFor(d.name, t.name),
    `${d.name}${t.name}`,
    ...(/^(NO|NC)$/.test(t.name) ? [`${d.name}PB`, `${d.name}${t.name === 'NC' ? 'OK' : 'PB'}`] : []),
    ...(t.name === 'Power' ? [`Lamp${d.name.replace(/Lamp$/, '')}`, d.name] : []),
    ...(t.name === 'Run' ? [`${d.name}Motor`, d.name, `${d.name}On`] : []),
    ...(t.name === 'Open' || t.name === 'Out' ? [d.name, `${d.name}Valve`, `${d.name}Open`, `${d.name}Close`] : []),
  ].map(plain);
  // A stop or emergency stop is wired by its closed contact, a start by its open one.
  if (t.name === 'NO' && /stop|emergency/i.test(d.name)) return undefined;
  if (t.name === 'NC' && !/stop|emergency|guard/i.test(d.name)) return undefined;
  for (const w of wanted) {
    const hit = tags.find((x) => fits(x) && plain(x.name) === w);
    if (hit) return hit;
  }
  return undefined;
}

/** Wires for every terminal that has none and matches a tag by name, by device. */
export function wiresThatMatch(
  project: Project,
): readonly { readonly device: Device; readonly wires: Readonly<Record<string, string>> }[] {
  const taken = new Set(
    project.machine.devices.flatMap((d) =>
      Object.entries(d.wires ?? {}).flatMap(([t, to]) =>
        kindOf(project.machine, d.type)?.terminals.find((x) => x.name.toLowerCase() === t.toLowerCase())?.direction ===
        'out'
          ? [to.toLowerCase()]
          : [],
      ),
    ),
  );
  return project.machine.devices.flatMap((device) => {
    const found: Record<string, string> = {};
    for (const t of kindOf(project.machine, device.type)?.terminals ?? []) {
      if (Object.keys(device.wires ?? {}).some((k) => k.toLowerCase() === t.name.toLowerCase())) continue;
      const tag = matchingTag(device, t, project.tags, taken);
      if (!tag) continue;
      found[t.name] = tag.name;
      if (t.direction === 'out') taken.add(tag.name.toLowerCase());
    }
    return Object.keys(found).length ? [{ device, wires: { ...device.wires, ...found } }] : [];
  });
}

export interface Loose {
  readonly device: string;
  readonly terminal: string;
  readonly what: 'unwired' | 'twice';
}

/** Electrical terminals without a wire, and tags that two terminals drive. Mechanical terminals are left alone. */
export function looseEnds(project: Project): readonly Loose[] {
  const drivers = new Map<string, Loose[]>();
  const loose: Loose[] = [];
  for (const d of project.machine.devices)
    for (const t of kindOf(project.machine, d.type)?.terminals ?? []) {
      const to = Object.entries(d.wires ?? {}).find(([k]) => k.toLowerCase() === t.name.toLowerCase())?.[1];
      const end = { device: d.name, terminal: t.name };
      if (to === undefined) {
        if (isWanted(project, d, t, kindOf(project.machine, d.type)!)) loose.push({ ...end, what: 'unwired' });
        continue;
      }
      if (t.direction === 'out') {
        const k = to.toLowerCase();
        drivers.set(k, [...(drivers.get(k) ?? []), { ...end, what: 'twice' }]);
      }
    }
  return [...loose, ...[...drivers.values()].filter((l) => l.length > 1).flat()];
}

/** Contacts of a switch for places that it has; its number is asked instead where it is coded. */
const isPlaceOf = (d: Device, t: Terminal, kind: DeviceKind): boolean =>
  Number(/^At(\d)$/.exec(t.name)?.[1] ?? Infinity) <= placeNames(d, kind).length;

/** Of a sorter's ways those are driven and told that lead somewhere, where any does. */
function isIdleWay(project: Project, d: Device, t: Terminal): boolean {
  const way = /^(?:Way|At)(\d)$/.exec(t.name)?.[1],
    led = project.machine.devices.flatMap((x) =>
      Object.values(x.wires ?? {}).flatMap((w) => {
        const [device, out] = w.toLowerCase().split('.out');
        return out && device === d.name.toLowerCase() ? [out] : [];
      }),
    );
  return way !== undefined && led.length > 0 && !led.includes(way);
}

/** A belt of which other sensors are wired, but not the one at its own stop, has no stop there. */
function isWithoutStop(d: Device, t: Terminal): boolean {
  const wired = Object.keys(d.wires ?? {}).map((k) => k.toLowerCase());
  return t.name === 'Stop' && wired.includes('atend') && !wired.includes('atstop');
}

/** A device of which one output is wired may have others that nobody asks for. */
function isWanted(project: Project, d: Device, t: Terminal, kind: DeviceKind): boolean {
  if (kind.type === 'PlaceSelector' && !isPlaceOf(d, t, kind)) return false;
  if (kind.type === 'WaySorter' && isIdleWay(project, d, t)) return false;
  if (kind.type === 'Conveyor' && isWithoutStop(d, t)) return false;
  if (t.direction === 'in' || t.mechanical) return !t.mechanical;
  return (
    !kind.terminals.some(
      (x) =>
        x.direction === 'out' &&
        !x.mechanical &&
        Object.keys(d.wires ?? {}).some((k) => k.toLowerCase() === x.name.toLowerCase()),
    ) && !(kind.terminals.some((x) => x.direction === 'in') && t.type !== 'BOOL')
  );
}

/**
 * What a device's mechanical input can be linked to: outputs of the same type of other devices, nearest before it in
 * the flow first; behind the mechanical ones those that are wired too, for what a device measures can act on another
 * (the length that was fed, a ferrule in its place).
 */
export function linkEnds(project: Pick<Project, 'machine'>, device: string, terminal: string): readonly string[] {
  const { devices } = project.machine,
    at = devices.findIndex((d) => d.name.toLowerCase() === device.toLowerCase());
  const t =
    at < 0
      ? undefined
      : kindOf(project.machine, devices[at]!.type)?.terminals.find(
          (x) => x.name.toLowerCase() === terminal.toLowerCase(),
        );
  if (!t || t.direction !== 'in') return [];
  const near = devices
    .map((d, i) => ({ d, far: i < at ? at - i : 1000 + i - at }))
    .filter((x) => x.d !== devices[at])
    .sort((a, b) => a.far - b.far);
  const ends = (isMechanical: boolean) =>
    near.flatMap(({ d }) =>
      (kindOf(project.machine, d.type)?.terminals ?? [])
        .filter((x) => x.direction === 'out' && x.type === t.type && (x.mechanical ?? false) === isMechanical)
        .map((x) => `${d.name}.${x.name}`),
    );
  return t.mechanical ? [...ends(true), ...ends(false)] : ends(false);
}

/**
 * Effects by their name at the device that has them and at the one that feels them: these find each other by
 * themselves.
 */
const JOINS: Readonly<Record<string, readonly string[]>> = {
  In: ['Out'],
  CartIn: ['CartOut'],
  CartAhead: ['CartFull'],
  From: ['Waiting'],
  Line: ['Line'],
  FlowIn: ['Flow'],
  Load: ['Load'],
  Speed: ['Speed'],
  Ahead: ['Full'],
  Take: ['Take'],
  Worked: ['Number'],
  Stop2: ['Position'],
  Drain: ['Position'],
  Discharge: ['Position'],
  Value: ['Level', 'Temperature', 'Speed', 'Flow'],
};
/** Joins that only devices of these kinds have with each other: a stop's position is no valve's. */
const ONLY: Readonly<Record<string, readonly string[]>> = {
  Stop2: ['Stopper'],
  Drain: ['Valve'],
  Discharge: ['Valve'],
};

/** `Ahead3` and `OutAside` are one of several; they are told apart by what stands behind their names. */
const SEVERAL = /^(In|Out|Ahead|Full|CartIn|CartOut|CartAhead|CartFull)(\d|Aside)?$/;
const familyOf = (terminal: string): string => SEVERAL.exec(terminal)?.[1] ?? terminal;
const memberOf = (terminal: string): string => SEVERAL.exec(terminal)?.[2] ?? '';

/**
 * Links of a device that is put into the flow after `before`, or at the beginning: what comes to it from the nearest
 * device before it that has what it feels, and what it gives back to that one. Links that there are stay.
 * @returns new wires by device name, the device's own among them
 */
export function snapLinks(
  project: Pick<Project, 'machine'>,
  device: Device,
  before: readonly Device[],
): ReadonlyMap<string, Readonly<Record<string, string>>> {
  const wires = new Map<string, Record<string, string>>();
  const linked = new Set(
    project.machine.devices.flatMap((d) => Object.values(d.wires ?? {}).map((w) => w.toLowerCase())),
  );
  const of = (d: Device) => wires.get(d.name) ?? { ...d.wires };
  const has = (d: Device, t: string) => Object.keys(of(d)).some((k) => k.toLowerCase() === t.toLowerCase());
  const kind = kindOf(project.machine, device.type);
  if (!kind) return wires;
  // A part goes one way: what already hands on to another has nothing for this one.
  const endFor = (t: Terminal, from: Device): string | undefined =>
    kindOf(project.machine, from.type)?.terminals.find(
      (x) =>
        x.direction === 'out' &&
        x.mechanical &&
        x.type === t.type &&
        (t.snaps ?? JOINS[familyOf(t.name)])?.some(
          (n) => n.toLowerCase() === familyOf(x.name).toLowerCase() || n.toLowerCase() === x.name.toLowerCase(),
        ) &&
        !(isHandedOn(x) && linked.has(`${from.name}.${x.name}`.toLowerCase())),
    )?.name;
  const put = (to: Device, terminal: string, end: string) => {
    wires.set(to.name, { ...of(to), [terminal]: end });
    linked.add(end.toLowerCase());
  };
  /** What comes to `to` from `from`. Of several equal inputs one is taken for each. */
  const feed = (to: Device, from: Device): void => {
    const done = new Set<string>();
    for (const t of kindOf(project.machine, to.type)?.terminals ?? []) {
      if (t.direction !== 'in' || !t.mechanical || t.back || has(to, t.name)) continue;
      if (memberOf(t.name) && done.has(familyOf(t.name))) continue;
      if (ONLY[t.name] && !ONLY[t.name]!.includes(from.type)) continue;
      const end = endFor(t, from);
      if (!end) continue;
      put(to, t.name, `${from.name}.${end}`);
      done.add(familyOf(t.name));
    }
  };
  /** What `from` feels of `to`, which it feeds or which stands at it: no room, a stop, a part that was taken. */
  const giveBack = (to: Device, from: Device): void => {
    const theirs = kindOf(project.machine, to.type)?.terminals ?? [];
    for (const t of kindOf(project.machine, from.type)?.terminals ?? []) {
      if (t.direction !== 'in' || !t.mechanical || !t.back || has(from, t.name)) continue;
      if (ONLY[t.name] && !ONLY[t.name]!.includes(to.type)) continue;
      const family = familyOf(t.name);
      if (family !== 'Ahead' && family !== 'CartAhead') {
        const end = endFor(t, to);
        if (end) put(from, t.name, `${to.name}.${end}`);
        continue;
      }
      // Room is told only along the way of the parts: by the way in which what leaves here comes in there.
      const [out, into, room] = family === 'Ahead' ? ['Out', 'In', 'Full'] : ['CartOut', 'CartIn', 'CartFull'],
        wire = `${from.name}.${out}${memberOf(t.name)}`,
        entry = Object.entries(of(to)).find(([k, w]) => familyOf(k) === into && w === wire)?.[0],
        end = entry && theirs.find((x) => x.name === `${room}${memberOf(entry)}`);
      if (end) put(from, t.name, `${to.name}.${end.name}`);
    }
  };
  // Several equal inputs are filled in the order of the flow, each from a device of its own.
  const isSeveral = kind.terminals.some((t) => t.direction === 'in' && !t.back && memberOf(t.name) !== '');
  for (const from of isSeveral ? before : [...before].reverse()) {
    const mine = Object.keys(of(device)).length;
    feed(device, from);
    if (Object.keys(of(device)).length > mine || kind.terminals.some((t) => t.direction === 'out' && t.mechanical))
      giveBack(device, from);
  }
  for (const [name, w] of wires)
    if (
      Object.keys(w).length ===
      Object.keys((name === device.name ? device : project.machine.devices.find((d) => d.name === name))?.wires ?? {})
        .length
    )
      wires.delete(name);
  return wires;
}

const linksTo = (wire: string, name: string): boolean => wire.split('.')[0]!.toLowerCase() === name.toLowerCase();
const without = (
  d: Device,
  gone: (terminal: Terminal, wire: string) => boolean,
  kind: DeviceKind | undefined,
): Device => {
  const wires = Object.fromEntries(
    Object.entries(d.wires ?? {}).filter(([k, w]) => {
      const t = kind?.terminals.find((x) => x.name.toLowerCase() === k.toLowerCase());
      return !(t?.mechanical && t.direction === 'in' && gone(t, w));
    }),
  );
  return Object.keys(wires).length === Object.keys(d.wires ?? {}).length ? d : { ...d, wires };
};

/**
 * What changes when a device is put onto another: it takes leave of what it acted on where the other has the same for
 * it, and is linked to the other as if it had been added behind it.
 * @returns new wires by device name; empty when the two have nothing for each other
 */
export function snapOnto(
  project: Pick<Project, 'machine'>,
  device: Device,
  target: Device,
): ReadonlyMap<string, Readonly<Record<string, string>>> {
  const { machine } = project,
    kind = kindOf(machine, device.type);
  // Without its links to any device, so that those to the target can be made.
  const loose = machine.devices.map((d) =>
    d.id === device.id
      ? without(d, () => true, kind)
      : without(d, (_, w) => linksTo(w, device.name), kindOf(machine, d.type)),
  );
  const [freed, onto] = [loose.find((d) => d.id === device.id)!, loose.find((d) => d.id === target.id)!];
  const now = { machine: { ...machine, devices: loose } },
    behind = snapLinks(now, freed, [onto]);
  // What has nothing for a device that it stands behind may be what feeds it: a magazine that is put onto a stacker.
  const made = behind.size ? behind : snapLinks(now, onto, [freed]);
  const changed = new Map<string, Readonly<Record<string, string>>>();
  if (!made.size) return changed;
  // The device keeps what it has beside the new links; others lose only what it now gives the target instead.
  const given = new Set([...made.values()].flatMap((w) => Object.values(w)).map((w) => w.toLowerCase()));
  for (const d of machine.devices) {
    const before = d.wires ?? {},
      now = made.get(d.name);
    const wires =
      d.id === device.id
        ? { ...before, ...now }
        : (now ??
          without(d, (_, w) => linksTo(w, device.name) && given.has(w.toLowerCase()), kindOf(machine, d.type)).wires ??
          {});
    if (JSON.stringify(wires) !== JSON.stringify(before)) changed.set(d.name, wires);
  }
  return changed;
}
