/** Stretches of the bench's time, what they are made of, and what is read from them. */
import type { Image, Location } from '../compile/image.js';
import { sizeOf } from '../types/type.js';
import type { Engine, EngineOptions, Snapshot } from './engine.js';
import { type Value, findPath, readLocation } from './paths.js';
import { Trace, kindOf, numberReader } from './trace.js';

/** Something from outside, applied before the scan it is filed under. Values as `parseValue` gives them. */
export type BenchEvent =
  | { readonly kind: 'write'; readonly path: string; readonly value: Value }
  /** `by`: a card is pulled (with a value) or put in again. */
  | { readonly kind: 'force'; readonly path: string; readonly value?: Value; readonly by?: 'card' }
  | { readonly kind: 'releaseAll' };

/** Why a stretch of time began. */
export type Beginning = 'start' | 'cold restart' | 'warm restart' | 'other inputs' | 'changed logic' | 'recording';

export interface Key extends Snapshot {
  /** One bit a byte: what changed since the key before; undefined where that was not followed. */ changed:
    Uint8Array | undefined;
}

/** What one program ran from one state on. */
export interface Stretch {
  readonly id: number;
  readonly image: Image;
  readonly options: EngineOptions;
  readonly from: number;
  readonly parent?: Stretch | undefined;
  readonly beginning: Beginning;
  keys: Key[];
  /** What changed up to each of 64 keys in a row, together; made when asked for. */
  readonly changedTogether: (Uint8Array | undefined)[];
  readonly events: Map<number, BenchEvent[]>;
  end: number;
  readonly traces: Map<string, Trace>;
  /** Whether every scan since the last key was followed by the comparison of states. */
  isFollowed: boolean;
}

export interface Course {
  readonly path: string;
  readonly kind: 'band' | 'ribbon' | 'trace';
  readonly points: Float64Array;
  /** Names of an enumeration's values. */ readonly names?: Readonly<Record<number, string>>;
}

/**
 * The course of a path from one moment to another as columns of scan, smallest, largest and last value. With `width`
 * scans to a pixel, changes within one pixel are one column; pixels lie on a raster that does not move with the window,
 * so the same change looks the same from frame to frame. A column of several values ends with its pixel (or with the
 * block it sums up); after it stands its last value. What is not known (not yet replayed) is NaN.
 */
export function courseOf(chain: readonly Stretch[], path: string, from: number, to: number, width: number): Course {
  const out: number[] = [];
  let kind: Course['kind'] = 'trace',
    names: Record<number, string> | undefined,
    until = -1;
  const pixelOf = (scan: number) => Math.floor(scan / width);
  /** Ends a column of several values that lies before `scan`. */
  const close = (scan: number) => {
    const n = out.length;
    if (n < 4 || out[n - 3] === out[n - 2] || Number.isNaN(out[n - 1]!)) return;
    const end = Math.max(until + 1, (pixelOf(out[n - 4]!) + 1) * width);
    if (end < scan) out.push(end, out[n - 1]!, out[n - 1]!, out[n - 1]!);
  };
  const put = (scan: number, low: number, high: number, last: number, end = scan) => {
    const n = out.length;
    if (n >= 4 && width > 1 && pixelOf(out[n - 4]!) === pixelOf(scan) && !Number.isNaN(low + out[n - 1]!)) {
      out[n - 3] = Math.min(low, out[n - 3]!);
      out[n - 2] = Math.max(high, out[n - 2]!);
      out[n - 1] = last;
    } else {
      close(scan);
      if (low === high && Object.is(out[out.length - 1], last) && out[out.length - 2] === out[out.length - 3]) return;
      out.push(scan, low, high, last);
    }
    // From the scan of a single value on, that value stands: it lengthens nothing.
    until = low === high ? scan - 1 : end;
  };
  chain.forEach((s, i) => {
    const t = s.traces.get(path.toLowerCase());
    if (!t) return;
    kind = kindOf(t.location);
    if (t.location.type.kind === 'enum')
      names = Object.fromEntries(t.location.type.values.map((v) => [Number(v.value), v.name]));
    const start = Math.max(from, s.from),
      limit = Math.min(to, chain[i + 1]?.from ?? s.end);
    const first = t.valueAt(start);
    if (first !== undefined) put(start, first, first, first);
    if (limit > start) t.columns(start, limit, width, put);
  });
  close(to);
  return { path, kind, points: Float64Array.from(out), ...(names ? { names } : {}) };
}

export function performOn(engine: Engine, e: BenchEvent): void {
  if (e.kind === 'write') engine.write(e.path, e.value);
  else if (e.kind === 'force') engine.force(e.path, e.value, e.by);
  else engine.releaseAll();
}

/** What came from outside in stretches of one line, in order, each up to where the next begins. */
export function eventsOf(chain: readonly Stretch[]): { scan: number; event: BenchEvent }[] {
  return chain.flatMap((s, i) =>
    [...s.events]
      .filter(([scan]) => scan < (chain[i + 1]?.from ?? Infinity))
      .sort((a, b) => a[0] - b[0])
      .flatMap(([scan, list]) => list.map((event) => ({ scan, event }))),
  );
}

export function addTrace(s: Stretch, path: string): void {
  const found = findPath(s.image, path);
  if ('error' in found) return;
  const first = numberIn(s.keys[0]!.bytes, found.location);
  if (first !== undefined) s.traces.set(path.toLowerCase(), new Trace(path, found.location, s.from, first));
}

const viewOf = (bytes: Uint8Array) => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
export const numberIn = (bytes: Uint8Array, l: Location): number => numberReader(viewOf(bytes), l)?.() ?? 0;
export function readPath(e: Engine, path: string): Value | undefined {
  const found = findPath(e.image, path);
  return 'location' in found ? readLocation(e.view, found.location) : undefined;
}

/** The marks of keys 64g to 64g + 63 as one; undefined where one is not known. Whole groups only. */
export function together(s: Stretch, g: number): Uint8Array | undefined {
  const known = s.changedTogether[g];
  if (known) return known;
  const group = s.keys.slice(64 * g, 64 * g + 64);
  if (group.length < 64 || group.some((k) => !k.changed)) return undefined;
  const sum = group[0]!.changed!.slice();
  for (const k of group)
    k.changed!.forEach((b, i) => {
      sum[i]! |= b;
    });
  return (s.changedTogether[g] = sum);
}

export function placeBytes(l: Location): number {
  return l.bit !== undefined ? 1 : sizeOf(l.type);
}
export function touches(changed: Uint8Array, address: number, size: number): boolean {
  for (let a = address; a < address + size; a++) if ((changed[a >> 3]! >> (a & 7)) & 1) return true;
  return false;
}

/** Index of the last key strictly before a moment; the first one where there is none. */
export function lastIndexBefore(keys: readonly Key[], scan: number): number {
  let low = 0,
    high = keys.length;
  while (low < high) {
    const mid = (low + high) >> 1;
    if (keys[mid]!.scan < scan) low = mid + 1;
    else high = mid;
  }
  return Math.max(0, low - 1);
}
export const lastBefore = (keys: readonly Key[], scan: number): Key => keys[lastIndexBefore(keys, scan)]!;

/** Brings an engine to a moment of a stretch, through the scan before it, so that power is that scan's. */
export function seek(engine: Engine, s: Stretch, target: number, isElsewhere: boolean): void {
  const key = lastBefore(s.keys, target);
  if (isElsewhere || engine.fault || !(engine.scan > key.scan && engine.scan < target)) engine.restore(key);
  while (engine.scan < target) {
    for (const e of s.events.get(engine.scan) ?? []) performOn(engine, e);
    if (!engine.runScan()) break;
  }
}
