/** What a page is shown of a moment: values of the paths and power of the rungs it looks at, nothing else. */
import { pulledTags } from './cards.js';
import { type Engine } from './engine.js';
import { type Value, findPath, formatValue, readLocation } from './paths.js';
import { baseOf, isChar, isDate, isTime } from '../types/type.js';
import { type Location, PROBE_BITS, type ProbeRange } from '../compile/image.js';

export interface FrameRequest {
  readonly paths: readonly string[];
  readonly rungs: readonly string[];
}

/** A value as JSON: durations in ms, enumerations by name, 64-bit integers as text when they are large. */
export type ShownValue = boolean | number | string;

export interface Frame {
  readonly scan: number;
  readonly timeMs: number;
  readonly values: Readonly<Record<string, ShownValue>>;
  /** One number an element: bit 0 power in, bit 1 power out, bit 2 closed (it would let power through). */
  readonly power: Readonly<Record<string, readonly number[]>>;
  readonly forces: Readonly<Record<string, ShownValue>>;
  /** Where a card of the controller is pulled: the bytes that it carries, and the tags in small letters. */
  readonly pulled?: { readonly bytes: readonly string[]; readonly tags: readonly string[] };
  readonly fault?: string;
}

export function frameOf(engine: Engine, request: FrameRequest): Frame {
  const values: Record<string, ShownValue> = {};
  for (const path of request.paths) {
    const found = findPath(engine.image, path);
    if ('location' in found && (baseOf(found.location.type) || found.location.type.kind === 'string'))
      values[path] = shown(found.location, readLocation(engine.view, found.location));
  }
  const power: Record<string, readonly number[]> = {};
  for (const id of request.rungs) {
    const range = engine.image.probes.get(id);
    // Before the first scan nothing has been evaluated.
    if (range && engine.scan > 0) power[id] = powerOf(engine.view, range);
  }
  const forces = Object.fromEntries(engine.listForces().map((f) => [f.path, shown(engine.locate(f.path), f.value)]));
  return {
    scan: engine.scan,
    timeMs: Number(engine.timeNs) / 1e6,
    values,
    power,
    forces,
    ...(engine.pulledCards.length
      ? {
          pulled: {
            bytes: engine.pulledCards.map((f) => f.path),
            tags: [...pulledTags(engine.image, engine.pulledCards)],
          },
        }
      : {}),
    ...(engine.fault ? { fault: [engine.faultLine(), engine.faultPath()].filter(Boolean).join(' — ') } : {}),
  };
}

/**
 * Power of each element of a rung: bit 0 in, bit 1 out, bit 2 closed. All zero when the rung was not evaluated in this
 * scan.
 */
export function powerOf(view: DataView, range: ProbeRange): number[] {
  const result = Array.from({ length: range.elements }, () => 0);
  const isSeen = view.getUint32(range.address, true) !== 0;
  if (!range.elements) return isSeen ? [1] : [];
  if (!isSeen) return result;
  let passed = 0;
  /** What the next contact or block let through; nothing where a stop in the middle kept it from being reached. */
  const closed = (): boolean => {
    const word = view.getUint32(range.address + 4 * Math.floor(passed / PROBE_BITS), true);
    const bit = 30 - Math.clz32(word) - (passed++ % PROBE_BITS);
    return bit >= 0 && ((word >>> bit) & 1) === 1;
  };
  const power: boolean[] = [];
  for (const f of range.flow) {
    if (f.kind === 'source') power[f.wire] = true;
    else if (f.kind === 'join') power[f.to] = f.from.some((w) => power[w]);
    else if (f.kind === 'sink') result[f.element] = power[f.wire] ? 7 : 0;
    else {
      const c = closed(),
        from = power[f.from] ?? false;
      const to = f.kind === 'block' ? c : from && c;
      power[f.to] = to;
      result[f.element] = (from ? 1 : 0) | (to ? 2 : 0) | (c ? 4 : 0);
    }
  }
  return result;
}

export function shown(l: Pick<Location, 'type'>, value: Value): ShownValue {
  if (typeof value === 'boolean' || typeof value === 'string') return value;
  if (isDate(l.type) || isChar(l.type)) return formatValue(l.type as Location['type'], value);
  if (l.type.kind === 'enum') return l.type.values.find((v) => v.value === value)?.name ?? String(value);
  if (isTime(l.type)) return Number(value) / 1e6;
  return typeof value === 'bigint'
    ? value <= Number.MAX_SAFE_INTEGER && value >= Number.MIN_SAFE_INTEGER
      ? Number(value)
      : String(value)
    : value;
}

/** A request from outside; undefined when it is none. */
export function parseFrameRequest(text: string): FrameRequest | undefined {
  try {
    const r = JSON.parse(text) as Partial<FrameRequest>;
    const strings = (x: unknown): x is string[] =>
      Array.isArray(x) && x.length <= 5000 && x.every((s) => typeof s === 'string');
    return strings(r.paths) && strings(r.rungs) ? { paths: r.paths, rungs: r.rungs } : undefined;
  } catch {
    return undefined;
  }
}
