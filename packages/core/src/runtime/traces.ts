/**
 * The courses of paths over a line of history, recorded as it runs and filled in by replay where nobody recorded. What
 * one trace is made of stands in `runtime/trace.ts`.
 */
import type { Engine } from './engine.js';
import type { Lines } from './lines.js';
import type { Past } from './past.js';
import { findPath } from './paths.js';
import {
  type Course,
  type Stretch,
  addTrace,
  courseOf,
  lastIndexBefore,
  numberIn,
  performOn,
  placeBytes,
  touches,
} from './stretch.js';
import { BLOCK, type Trace, blockOf, numberReader } from './trace.js';

/** A value and the scans it stood: after scan `from` up to scan `to`; whether its beginning and its end were seen. */
export interface ValueSpan {
  readonly value: number;
  readonly from: number;
  readonly to: number;
  readonly isBegun: boolean;
  readonly isEnded: boolean;
}

/** The engine of the current line, and whether it stands where that line ends. */
export interface Present {
  readonly engine: Engine;
  readonly isAtEnd: boolean;
}

export class Traces {
  /** Paths that are recorded, in small letters. */
  readonly followed = new Set<string>();
  private recorders: readonly { readonly trace: Trace; readonly read: () => number }[] = [];

  constructor(
    private readonly lines: Lines,
    private readonly past: Past,
    private readonly present: () => Present,
  ) {}

  /**
   * Records a path from now on; what happened before is filled in as it is looked at. False for what cannot be drawn.
   */
  follow(path: string): boolean {
    const k = path.toLowerCase();
    const found = findPath(this.lines.leaf.image, path);
    if ('error' in found || !numberReader(this.present().engine.view, found.location)) return false;
    if (this.followed.has(k)) return true;
    this.followed.add(k);
    for (const s of this.lines.all()) addTrace(s, path);
    this.bind();
    return true;
  }
  /** Records a path no longer, and forgets what was recorded of it. */
  forget(path: string): void {
    this.followed.delete(path.toLowerCase());
    for (const s of this.lines.all()) s.traces.delete(path.toLowerCase());
    this.bind();
  }

  /** Goes on recording from where the current line ends; to be called when what is shown went elsewhere. */
  bind(): void {
    const { leaf } = this.lines,
      { engine, isAtEnd } = this.present();
    this.recorders = [...leaf.traces.values()].flatMap((trace) => {
      const read = numberReader(engine.view, trace.location);
      if (!read) return [];
      if (isAtEnd && leaf.end % BLOCK && !trace.has(blockOf(leaf.end + 1)))
        this.fillBlocks(leaf, [trace], blockOf(leaf.end + 1), blockOf(leaf.end + 1));
      return [{ trace, read }];
    });
    if (isAtEnd) for (const r of this.recorders) r.trace.startAt(leaf.end, r.read());
  }
  /** What stands after a scan that was never run before. */
  record(scan: number): void {
    for (const r of this.recorders) r.trace.record(scan, r.read());
  }
  /** Bytes of all traces. */
  get size(): number {
    return [...this.lines.all()].reduce((n, s) => n + [...s.traces.values()].reduce((m, t) => m + t.size, 0), 0);
  }

  /** Replays blocks of a stretch for traces that miss them; blocks in which nothing changed are told by the marks. */
  private fillBlocks(s: Stretch, traces: readonly Trace[], first: number, last: number, exact = false): number {
    const lacks = (t: Trace, b: number) => (exact ? !t.isExact(b) : !t.has(b));
    let replayed = 0;
    for (let b = first; b <= last; b++) {
      const missing = traces.filter((t) => lacks(t, b));
      if (!missing.length) continue;
      const from = Math.max(s.from, b * BLOCK),
        to = Math.min(s.end, (b + 1) * BLOCK);
      if (to <= from) continue;
      const i = lastIndexBefore(s.keys, from + 1),
        next = s.keys[i + 1];
      const still = missing.filter((t) => {
        if (!next?.changed || touches(next.changed, t.location.address, placeBytes(t.location))) return true;
        t.fillQuiet(b, numberIn(s.keys[i]!.bytes, t.location));
        return false;
      });
      if (!still.length) continue;
      const engine = this.past.engineIn(s, from);
      const columns = still.map((t) => {
        const read = numberReader(engine.view, t.location)!,
          start = read();
        return { t, read, start, last: start, points: [] as number[] };
      });
      while (engine.scan < to) {
        for (const e of s.events.get(engine.scan) ?? []) performOn(engine, e);
        if (!engine.runScan()) break;
        for (const c of columns) {
          const v = c.read();
          if (!Object.is(v, c.last)) {
            c.points.push(engine.scan, v);
            c.last = v;
          }
        }
      }
      for (const c of columns) c.t.fill(b, c.start, c.points);
      replayed += to - from;
    }
    return replayed;
  }

  /**
   * The course of traced paths from one moment to another, in about `pixels` columns: scan, smallest, largest, last,
   * four numbers a column. Replays at most `most` scans to fill in what is missing; `complete` says whether that was
   * enough.
   */
  courses(
    paths: readonly string[],
    from: number,
    to: number,
    pixels: number,
    most: number,
    line = this.lines.leaf.id,
  ): { readonly courses: readonly Course[]; readonly complete: boolean } {
    const leaf = this.lines.line(line) ?? this.lines.leaf;
    const chain = this.lines.chain(leaf).filter((s, i, all) => s.from < to && (all[i + 1]?.from ?? Infinity) > from);
    const width = Math.max(1, (to - from) / Math.max(1, pixels));
    let left = most,
      complete = true;
    for (const s of [...chain].reverse()) {
      const traces = paths.flatMap((p) => s.traces.get(p.toLowerCase()) ?? []);
      const limit = chain[chain.indexOf(s) + 1]?.from ?? s.end;
      // Newest first: that is where people look. The value that stands at `from` may be the last one of a block before.
      for (let b = blockOf(Math.min(limit, to)); b >= blockOf(Math.max(s.from + 1, from)); b--) {
        const exact = width < 32 && traces.some((t) => !t.isExact(b));
        if (!exact && traces.every((t) => t.has(b))) continue;
        if (left <= 0) {
          complete = false;
          break;
        }
        left -= this.fillBlocks(s, traces, b, b, exact);
      }
    }
    return { complete, courses: paths.map((p) => courseOf(chain, p, from, to, width)) };
  }

  /**
   * The stretch of scans around `scan` over which a traced path kept its value: the shortest one that `within` scans to
   * either side touch, so that a pulse narrower than a pixel is found. Scans outside of [from, to] were not looked at.
   */
  spanAt(path: string, scan: number, within: number, most: number, line = this.lines.leaf.id): ValueSpan | undefined {
    const from = Math.max(this.lines.start, Math.floor(scan - within) - most / 2),
      to = Math.min(this.lines.end, Math.ceil(scan + within) + most / 2);
    if (to < from || !this.followed.has(path.toLowerCase())) return undefined;
    const { courses } = this.courses([path], from, Math.max(to, from + 1), to - from + 1, 4 * most, line);
    const points = courses[0]!.points,
      count = points.length / 4;
    let best: ValueSpan | undefined;
    for (let i = 0; i < count; i++) {
      const begin = points[4 * i]!,
        end = i + 1 < count ? points[4 * i + 4]! : to;
      // A value stands from after its scan until the next one.
      if (begin > scan + within || end <= scan - within || Number.isNaN(points[4 * i + 3]!)) continue;
      if (best && end - begin >= best.to - best.from) continue;
      best = {
        value: points[4 * i + 3]!,
        from: begin,
        to: end,
        isBegun: i > 0 || begin === this.lines.start,
        isEnded: i + 1 < count,
      };
    }
    return best;
  }
}
