/**
 * What one tag was, scan by scan, kept small: blocks of 256 scans, of which a quiet one is a single number, one with
 * few changes a list of them, and a restless one smallest, largest and last value of every 32 scans. Blocks that were
 * never recorded are filled in by whoever can replay them.
 *
 * Traces (`runtime/trace.ts`) are blocks of 256 scans: a quiet one is a number, one with few changes a list, a
 * restless one smallest, largest and last value of every 32 scans; blocks never recorded are filled in by replay when
 * they are looked at.
 */
import type { Location } from '../compile/image.js';
import { baseOf, isBool, isTime } from '../types/type.js';

export const BLOCK = 256;
const PART = 32,
  PARTS = BLOCK / PART;
/** Changes in a block up to which each is kept for ever. */
const FEW = 48;
/** Restless blocks whose every value is kept; older ones keep their parts. */
const DENSE_KEPT = 1024;

const enum State {
  missing,
  quiet,
  exact,
  parts,
}

/** Reads a scalar as a number: BOOL 0 or 1, durations in ms; undefined for what is none. */
export function numberReader(view: DataView, l: Location): (() => number) | undefined {
  const { address, bit } = l;
  if (bit !== undefined) return () => (view.getUint8(address) >> bit) & 1;
  switch (baseOf(l.type)) {
    case 'BOOL':
    case 'BYTE':
    case 'USINT':
    case 'CHAR':
      return () => view.getUint8(address);
    case 'SINT':
      return () => view.getInt8(address);
    case 'INT':
      return () => view.getInt16(address, true);
    case 'UINT':
    case 'WORD':
    case 'WCHAR':
      return () => view.getUint16(address, true);
    case 'DINT':
      return () => view.getInt32(address, true);
    case 'UDINT':
    case 'DWORD':
      return () => view.getUint32(address, true);
    case 'REAL':
      return () => view.getFloat32(address, true);
    case 'LREAL':
      return () => view.getFloat64(address, true);
    case undefined:
      return undefined;
    default: {
      const scale = isTime(l.type) ? 1e6 : 1;
      return () => (view.getInt32(address + 4, true) * 2 ** 32 + view.getUint32(address, true)) / scale;
    }
  }
}

export type TraceKind = 'band' | 'ribbon' | 'trace';
export const kindOf = (l: Location): TraceKind =>
  isBool(l.type) ? 'band' : l.type.kind === 'enum' ? 'ribbon' : 'trace';

/** The block that the value after `scan` scans stands in. */
export const blockOf = (scan: number): number => (scan - 1) >> 8;

export class Trace {
  private states = new Uint8Array(64);
  /** Smallest, largest and last value of each block. */
  private sums = new Float64Array(64 * 3);
  /** Value at the start of the block, then scan and value of each change. */
  private readonly details = new Map<number, Float64Array>();
  private readonly parts = new Map<number, Float32Array>();
  private readonly dense: number[] = [];
  /** The block being recorded: its number, the value it begins with, its changes, and the scan recorded last. */
  private open = -1;
  private start: number;
  private points: number[] = [];
  private until: number;
  private last: number;

  /** `first` is the value at `from`, before the first scan of the stretch. */
  constructor(
    readonly path: string,
    readonly location: Location,
    readonly from: number,
    readonly first: number,
  ) {
    this.last = this.start = first;
    this.until = from;
  }

  /** The value after a scan; scans come in order. */
  record(scan: number, value: number): void {
    const block = blockOf(scan);
    if (block !== this.open) {
      this.close();
      this.open = block;
      this.points = [];
      this.start = this.last;
    }
    this.until = scan;
    if (!Object.is(value, this.last)) {
      this.points.push(scan, value);
      this.last = value;
    }
  }

  /** Recording goes on after `scan`, where the value is this; what is known of the block up to there stays. */
  startAt(scan: number, value: number): void {
    if (this.until === scan && this.last === value && this.open >= 0) return;
    this.close();
    const block = blockOf(scan + 1),
      known = this.details.get(block);
    this.open = block;
    this.start = known ? known[0]! : value;
    this.points = known ? [...known.subarray(1)].filter((_, i, all) => all[i & ~1]! <= scan) : [];
    this.until = scan;
    this.last = value;
  }

  /** Keeps the block being recorded, as far as it came. */
  close(): void {
    if (this.open >= 0 && this.until > this.open * BLOCK) this.store(this.open, this.start, this.points);
    this.open = -1;
  }

  private store(block: number, start: number, points: readonly number[]): void {
    let low = start,
      high = start;
    for (let i = 1; i < points.length; i += 2) {
      const v = points[i]!;
      if (v < low) low = v;
      if (v > high) high = v;
    }
    this.put(
      block,
      points.length ? State.exact : State.quiet,
      low,
      high,
      points.length ? points[points.length - 1]! : start,
    );
    if (!points.length) return;
    this.details.set(block, Float64Array.from([start, ...points]));
    if (points.length <= 2 * FEW) return;
    const parts = new Float32Array(PARTS * 3);
    let i = 0,
      now = start;
    for (let p = 0; p < PARTS; p++) {
      const end = block * BLOCK + (p + 1) * PART;
      let a = now,
        b = now;
      for (; i < points.length && points[i]! <= end; i += 2) {
        now = points[i + 1]!;
        a = Math.min(a, now);
        b = Math.max(b, now);
      }
      parts[3 * p] = a;
      parts[3 * p + 1] = b;
      parts[3 * p + 2] = now;
    }
    this.parts.set(block, parts);
    this.dense.push(block);
    if (this.dense.length <= DENSE_KEPT) return;
    const old = this.dense.shift()!;
    if (this.details.delete(old)) this.states[old - this.base] = State.parts;
  }

  private get base(): number {
    return blockOf(this.from + 1);
  }

  private put(block: number, state: State, low: number, high: number, last: number): void {
    const i = block - this.base;
    while (i >= this.states.length) {
      const states = new Uint8Array(this.states.length * 2),
        sums = new Float64Array(this.sums.length * 2);
      states.set(this.states);
      sums.set(this.sums);
      this.states = states;
      this.sums = sums;
    }
    this.states[i] = state;
    this.sums.set([low, high, last], 3 * i);
  }

  private stateOf(block: number): State {
    return this.states[block - this.base] ?? State.missing;
  }
  /** Whether a block has been recorded at all. */
  has(block: number): boolean {
    return block === this.open || this.stateOf(block) !== State.missing;
  }
  /** Whether every value of a block can be told. */
  isExact(block: number): boolean {
    return block === this.open || (this.has(block) && this.stateOf(block) !== State.parts);
  }

  /** A block in which nothing changed. */
  fillQuiet(block: number, value: number): void {
    this.put(block, State.quiet, value, value, value);
  }

  /** A block replayed: the value before it, and scan and value of each change. */
  fill(block: number, start: number, points: readonly number[]): void {
    if (block !== this.open) this.store(block, start, points);
  }

  /**
   * Hands over the course from `from` (exclusive) to `to` in columns: scan it begins at, smallest, largest and last
   * value, and the last scan it speaks of. Where columns are narrow and every change is known, a column is a change.
   * A block that was never recorded is NaN.
   */
  columns(
    from: number,
    to: number,
    width: number,
    put: (scan: number, low: number, high: number, last: number, end?: number) => void,
  ): void {
    const changes = (points: ArrayLike<number>, k: number) => {
      for (; k < points.length; k += 2)
        if (points[k]! > from && points[k]! <= to) put(points[k]!, points[k + 1]!, points[k + 1]!, points[k + 1]!);
    };
    for (let b = blockOf(from + 1); b <= blockOf(to); b++) {
      if (b === this.open) {
        // What the block began with is long past where only its end is asked for.
        if (b * BLOCK + 1 > from) put(b * BLOCK + 1, this.start, this.start, this.start);
        changes(this.points, 0);
        continue;
      }
      const i = b - this.base,
        first = b * BLOCK + 1,
        detail = this.details.get(b),
        parts = this.parts.get(b);
      if (this.stateOf(b) === State.missing) {
        put(Math.max(first, from + 1), NaN, NaN, NaN);
        continue;
      }
      if (this.stateOf(b) === State.quiet || width >= BLOCK)
        put(
          Math.max(first, from + 1),
          this.sums[3 * i]!,
          this.sums[3 * i + 1]!,
          this.sums[3 * i + 2]!,
          first + BLOCK - 1,
        );
      else if (detail && (width < PART || !parts)) {
        if (first > from) put(first, detail[0]!, detail[0]!, detail[0]!);
        changes(detail, 1);
      } else if (parts) {
        for (let p = 0; p < PARTS; p++) {
          const at = first + p * PART;
          if (at + PART > from && at <= to)
            put(Math.max(at, from + 1), parts[3 * p]!, parts[3 * p + 1]!, parts[3 * p + 2]!, at + PART - 1);
        }
      }
    }
  }

  /** The value after `scan` scans, where it is known. */
  valueAt(scan: number): number | undefined {
    if (scan <= this.from) return this.first;
    const b = blockOf(scan);
    const isOpen = b === this.open,
      detail = this.details.get(b);
    if (!isOpen && !detail) return this.stateOf(b) === State.quiet ? this.sums[3 * (b - this.base) + 2] : undefined;
    const points = isOpen ? this.points : detail!;
    let v = isOpen ? this.start : detail![0]!;
    for (let k = isOpen ? 0 : 1; k < points.length && points[k]! <= scan; k += 2) v = points[k + 1]!;
    return v;
  }

  /** Bytes this takes, about. */
  get size(): number {
    return (
      this.states.length * 25 +
      this.parts.size * 160 +
      [...this.details.values()].reduce((n, d) => n + d.byteLength + 100, 0)
    );
  }
}
