/**
 * The machine's floor: devices in rows along the flow, in the order of the list, with the links between them. Nobody
 * draws it; a device goes on behind what feeds it, and what branches off begins a row of its own below.
 */
import { LINE } from '../machine/device.js';
import type { Project } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { kindOf } from './kinds.js';
import { snapOnto } from './wiring.js';

/** What one device does to another: hands parts on, lets flow, or acts on it (a valve on a drain). */
export interface FloorLink {
  readonly from: string;
  readonly to: string;
  /** Acts on it, against or beside the flow. */ readonly acts: boolean;
}

/** Room that is told backwards is no link of its own: it goes with the parts. */
const ROOM = /^Ahead/i;

/** Links between devices by their ids, each pair once. A sensor's or a stop's link to its belt counts too. */
export function floorLinks(machine: Project['machine']): readonly FloorLink[] {
  const byName = new Map(machine.devices.map((d) => [d.name.toLowerCase(), d])),
    seen = new Set<string>();
  return machine.devices.flatMap((d) =>
    (kindOf(machine, d.type)?.terminals ?? []).flatMap((t): FloorLink[] => {
      if (t.direction !== 'in' || !t.mechanical || ROOM.test(t.name)) return [];
      const wire = Object.entries(d.wires ?? {}).find(([k]) => k.toLowerCase() === t.name.toLowerCase())?.[1],
        from = byName.get(wire?.split('.')[0]?.toLowerCase() ?? '');
      if (!from || from === d || seen.has(`${from.id} ${d.id}`)) return [];
      seen.add(`${from.id} ${d.id}`);
      return [{ from: from.id, to: d.id, acts: (t.back ?? false) || t.type === LINE }];
    }),
  );
}

export interface FloorItem {
  readonly id: string;
  readonly width: number;
  /** More room above and below than a row has. */ readonly up?: number;
  readonly down?: number;
}
export interface FloorPlace {
  readonly id: string;
  readonly row: number;
  readonly x: number;
  readonly y: number;
  readonly width: number;
}
/** `beside`: from a device to the one at its right, a step; else a way through the gaps between the rows. */
export interface FloorWay extends FloorLink {
  readonly beside: boolean;
  readonly points: readonly (readonly [number, number])[];
}
export interface Floor {
  readonly places: readonly FloorPlace[];
  readonly ways: readonly FloorWay[];
  readonly width: number;
  readonly height: number;
}

export interface FloorSize {
  /** Width to fit into. */ readonly fit: number;
  readonly row: number;
  /** Height at which the flow goes, from the top of a row. */ readonly flow: number;
  /** Whether links are to be drawn, and so have room of their own; they tell where devices stand either way. */
  readonly hasWays?: boolean;
}

/** Between two rows without ways; each way takes a lane more. */
const GAP = 6,
  LANE = 7,
  STUB = 5,
  INTO = 24,
  /* links in one passage; of more than so many some lie over each other */ BESIDE = 3,
  MOST_BESIDE = 5;

/** Where devices stand and how their links go, in the units of the widths. Equal input gives equal output. */
export function layOutFloor(
  items: readonly FloorItem[],
  links: readonly FloorLink[],
  { fit, row: rowHeight, flow, hasWays = true }: FloorSize,
): Floor {
  const known = new Set(items.map((i) => i.id)),
    mine = links.filter((l) => known.has(l.from) && known.has(l.to) && l.from !== l.to);
  const rows: FloorItem[][] = [],
    ends: number[] = [];
  const placed = new Map<string, { readonly row: number; readonly x: number; readonly width: number }>();
  for (const item of items) {
    const fed = mine.filter((l) => l.to === item.id && !l.acts && placed.has(l.from)).map((l) => placed.get(l.from)!),
      isRoom = (row: number) => ends[row]! + item.width <= fit,
      isEnd = (p: { readonly row: number; readonly x: number; readonly width: number }) =>
        p.x + p.width === ends[p.row];
    // It goes on behind what feeds it where that ends a row; else a branch goes on below where it leaves, as far as
    // there is room.
    const last = fed.find(isEnd),
      behind = last && isRoom(last.row) ? last.row : undefined;
    let row = behind ?? rows.length - 1;
    if (behind === undefined && (!rows.length || !isRoom(row) || fed.length > 0)) {
      const from = last ? undefined : fed[0];
      row = rows.push([]) - 1;
      ends.push(from ? Math.max(0, Math.min(from.x + from.width, fit - item.width)) : 0);
    }
    rows[row]!.push(item);
    placed.set(item.id, { row, x: ends[row]!, width: item.width });
    ends[row]! += item.width;
  }
  const at = (id: string) => placed.get(id)!,
    middle = (id: string) => at(id).x + at(id).width / 2;
  const isBeside = (l: FloorLink) =>
    at(l.from).row === at(l.to).row && Math.abs(at(l.from).x + at(l.from).width - at(l.to).x) < 0.5;
  const around = hasWays ? mine.filter((l) => !isBeside(l)) : [];
  // Several at one device stand beside each other; a device with links both ways keeps those that leave at its right.
  const spread = (id: string, l: FloorLink, out: boolean): number => {
    const all = around.filter((k) => (out ? k.from : k.to) === id),
      n = all.indexOf(l);
    return (n - (all.length - 1) / 2) * LANE;
  };
  /** Links that go down between the same two devices of a row in between, so far. */
  const through = new Map<number, number>();
  /** Where a link may pass the rows between: at an edge of a device in each of them, the nearest to where it goes. */
  const passage = (first: number, last: number, near: number): number => {
    const between = rows.slice(first, last + 1).map((r) => r.map((i) => at(i.id)));
    const edges = between.flatMap((r) => [0, ...r.map((p) => p.x + p.width)]),
      isFree = (e: number) => between.every((r) => r.every((p) => e <= p.x + 1 || e >= p.x + p.width - 1));
    const x = edges.filter(isFree).reduce((best, e) => (Math.abs(e - near) < Math.abs(best - near) ? e : best)),
      n = (through.get(x) ?? 0) % MOST_BESIDE;
    through.set(x, n + 1);
    return x + (x === 0 ? n + 1 : Math.ceil(n / 2) * (n % 2 ? 1 : -1)) * BESIDE;
  };
  interface Run {
    readonly gap: number;
    readonly from: number;
    readonly to: number;
  }
  // Each goes through the gap below its device when it goes on or down, above when it goes back up; past other rows,
  // through two.
  const plans = around.map((l) => {
    const a = at(l.from),
      b = at(l.to),
      isUp = b.row < a.row,
      first = isUp ? a.row - 1 : a.row,
      last = isUp ? b.row : b.row - 1;
    const xa = middle(l.from) + spread(l.from, l, true) + LANE / 2,
      xb = middle(l.to) + spread(l.to, l, false) - LANE / 2;
    if (a.row === b.row || first === last) return { l, runs: [{ gap: first, from: xa, to: xb }] as readonly Run[] };
    const x = isUp ? passage(last + 1, first, xb) : passage(first + 1, last, xb);
    return {
      l,
      runs: [
        { gap: first, from: xa, to: x },
        { gap: last, from: x, to: xb },
      ] as readonly Run[],
    };
  });
  const lane = new Map<Run, number>(),
    lanes: number[] = rows.map(() => 0);
  for (const gap of rows.keys()) {
    const taken: (readonly [number, number])[][] = [];
    for (const run of plans.flatMap((p) => p.runs).filter((r) => r.gap === gap)) {
      const span = [Math.min(run.from, run.to) - LANE, Math.max(run.from, run.to) + LANE] as const;
      let n = taken.findIndex((spans) => spans.every(([p, q]) => q < span[0] || p > span[1]));
      if (n < 0) n = taken.push([]) - 1;
      taken[n]!.push(span);
      lane.set(run, n);
    }
    lanes[gap] = taken.length;
  }
  const tops: number[] = [],
    most = (r: number, of: 'up' | 'down') => Math.max(0, ...rows[r]!.map((i) => i[of] ?? 0)),
    downs = rows.map((_, r) => most(r, 'down'));
  let y = 0;
  for (const r of rows.keys()) {
    y += most(r, 'up');
    tops.push(y);
    y += rowHeight + downs[r]! + (lanes[r]! ? GAP + LANE * lanes[r]! + STUB : r < rows.length - 1 ? GAP : 0);
  }
  const planned = new Map(plans.map((p) => [p.l, p.runs]));
  const ways = (hasWays ? mine : []).map((l): FloorWay => {
    const a = at(l.from),
      b = at(l.to);
    if (isBeside(l)) {
      const yy = tops[a.row]! + flow;
      return {
        ...l,
        beside: true,
        points: [
          [b.x - STUB, yy],
          [b.x + STUB, yy],
        ],
      };
    }
    const runs = planned.get(l)!,
      height = (r: Run) => tops[r.gap]! + rowHeight + downs[r.gap]! + GAP + LANE * lane.get(r)!;
    // From below a picture's words, to where a picture begins.
    const bottom = (r: number) => tops[r]! + rowHeight + downs[r]! - STUB,
      ya = b.row < a.row ? tops[a.row]! + INTO : bottom(a.row),
      yb = b.row > a.row ? tops[b.row]! + INTO : bottom(b.row);
    return {
      ...l,
      beside: false,
      points: [
        [runs[0]!.from, ya],
        ...runs.flatMap((r): (readonly [number, number])[] => [
          [r.from, height(r)],
          [r.to, height(r)],
        ]),
        [runs.at(-1)!.to, yb],
      ],
    };
  });
  const width = Math.max(
    0,
    ...rows.map((r) => Math.max(0, ...r.map((i) => at(i.id).x + i.width))),
    ...plans.flatMap((p) => p.runs.map((r) => r.from + BESIDE)),
  );
  return {
    places: items.map((i) => {
      const p = at(i.id);
      return { id: i.id, row: p.row, x: p.x, y: tops[p.row]!, width: i.width };
    }),
    ways,
    width,
    height: y,
  };
}

export type FloorSpot = 'before' | 'behind' | 'onto' | 'above' | 'below';
/**
 * Where a device goes that is let go over a station, by how far along and how far down it (0 to 1): its edges are
 * between and above or below it, its middle is the device itself.
 */
export const spotAt = (along: number, down = 0.5): FloorSpot =>
  along < 0.25 ? 'before' : along > 0.75 ? 'behind' : down < 0.2 ? 'above' : down > 0.85 ? 'below' : 'onto';

/**
 * The edit that puts a device beside another in the flow, above or below it, or onto it: then it is linked to that one.
 * Undefined where nothing would change.
 */
export function placeDevice(project: Project, id: string, target: string, spot: FloorSpot): Edit | undefined {
  const { devices } = project.machine,
    device = devices.find((d) => d.id === id),
    other = devices.find((d) => d.id === target);
  if (!device || !other || device === other) return undefined;
  if (spot === 'above' || spot === 'below') {
    const sits = `${other.name}.${spot === 'above' ? 'Above' : 'Below'}`;
    return device.sits === sits
      ? undefined
      : {
          kind: 'group',
          label: `Put ${device.name} ${spot} ${other.name}`,
          edits: [{ kind: 'changeDevice', id, to: { sits } }],
        };
  }
  const wires =
    spot === 'onto' ? snapOnto(project, device, other) : new Map<string, Readonly<Record<string, string>>>();
  if (spot === 'onto' && !wires.size) return undefined;
  const { sits, ...standing } = device,
    left = devices.filter((d) => d !== device),
    at = left.indexOf(other) + (spot === 'before' ? 0 : 1);
  if (devices[at] === device && !wires.size && sits === undefined) return undefined;
  const own = wires.get(device.name);
  return {
    kind: 'group',
    label: spot === 'onto' ? `Put ${device.name} onto ${other.name}` : `Move ${device.name}`,
    edits: [
      { kind: 'removeDevice', id },
      { kind: 'addDevice', at, device: own ? { ...standing, wires: own } : standing },
      ...left.flatMap((d): Edit[] => {
        const w = wires.get(d.name);
        return w ? [{ kind: 'changeDevice', id: d.id, to: { wires: w } }] : [];
      }),
    ],
  };
}
