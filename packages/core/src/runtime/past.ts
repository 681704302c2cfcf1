/**
 * Questions to what was run: what stood when, when it last changed, what differs between two lines. Answered by engines
 * of their own, so that what is shown does not move.
 */
import type { Image } from '../compile/image.js';
import { Engine, type Halt } from './engine.js';
import type { Lines } from './lines.js';
import { type Value, findPath } from './paths.js';
import {
  type BenchEvent,
  type Stretch,
  lastIndexBefore,
  performOn,
  placeBytes,
  readPath,
  seek,
  together,
  touches,
} from './stretch.js';

/** When and how a value came to be what it is. */
export interface Change {
  /** The scan (from 1) after which the value was first seen. */
  readonly scan: number;
  readonly before: Value;
  readonly after: Value;
  /** Not by a scan but because the logic was changed here. */
  readonly byChange?: boolean;
  /** There was nothing of that name before. */
  readonly isNew?: boolean;
}

/** An engine that is moved about by reading, and the stretch it stands in. */
interface Reader {
  readonly engine: Engine;
  stretch: Stretch | undefined;
}

export class Past {
  private readonly readers = new WeakMap<Image, Reader>();
  /** For the other of two lines that are compared. */
  private twin: { readonly image: Image; readonly reader: Reader } | undefined;

  constructor(private readonly lines: Lines) {}

  /** The first moment that can be asked about. */
  get start(): number {
    return this.lines.start;
  }
  /** The last. */
  get end(): number {
    return this.lines.end;
  }

  /** An engine of its own at a moment of this line: what is shown does not move. Only to read. */
  engineAt(scan: number, leaf = this.lines.leaf): Engine {
    const s = scan === leaf.from && leaf.from === leaf.end ? leaf : this.lines.before(Math.min(scan, leaf.end), leaf);
    return this.engineIn(s, Math.min(scan, leaf.end));
  }

  /** An engine that stands at a moment of a stretch. Only to read. */
  engineIn(s: Stretch, scan: number): Engine {
    let reader = this.readers.get(s.image);
    if (!reader) this.readers.set(s.image, (reader = { engine: new Engine(s.image, s.options), stretch: undefined }));
    return moved(reader, s, scan);
  }

  /**
   * The steps of the scan that led to a moment, one by one: place, and an engine that stands before it; returns it
   * where it came to stand. Only to read.
   */
  walkScan(scan: number, visit: (halt: Halt, engine: Engine) => boolean | void): Engine {
    const s = this.lines.before(scan);
    const engine = this.engineIn(s, scan - 1);
    for (const e of s.events.get(scan - 1) ?? []) performOn(engine, e);
    const start = engine.snapshot();
    for (let k = 0; ; k++) {
      engine.restore(start);
      const halt = engine.runSteps(k);
      if (halt.done || visit(halt, engine)) break;
    }
    this.readers.get(s.image)!.stretch = undefined;
    return engine;
  }

  /** The scan before which something was last applied that fits, up to a moment. */
  lastEvent(scan: number, fits: (e: BenchEvent) => boolean): number | undefined {
    for (let s: Stretch | undefined = this.lines.before(scan), until = scan; s; until = s.from, s = s.parent) {
      const at = [...s.events].filter(([n, list]) => n <= until && list.some(fits)).map(([n]) => n);
      if (at.length) return Math.max(...at);
    }
    return undefined;
  }

  /** Events applied right before the scan that led to a moment. */
  eventsBefore(scan: number): readonly BenchEvent[] {
    return this.lines.before(scan).events.get(scan - 1) ?? [];
  }
  /** The logic that ran the scan that led to a moment. */
  imageAt(scan: number): Image {
    return this.lines.before(scan).image;
  }

  /**
   * The last scan, up to `scan`, in which the value of a path changed; undefined when it has been so since the start.
   */
  lastChange(path: string, scan: number): Change | undefined {
    const there = findPath(this.lines.before(scan).image, path);
    if ('error' in there) return undefined;
    return this.lastChangeOf(scan, [path], (e) => readPath(e, path));
  }

  /**
   * The same for anything that follows from values alone: `read` gives it, `paths` are the values it follows from.
   * Looks at no more than `most` scans; undefined then too.
   */
  lastChangeOf<T extends Value | undefined>(
    scan: number,
    paths: readonly string[],
    read: (e: Engine) => T,
    most = Infinity,
  ): Change | undefined {
    let until = scan,
      left = most;
    for (let s: Stretch | undefined = this.lines.before(scan); s; until = s.from, s = s.parent) {
      const places = paths.flatMap((p) => {
        const f = findPath(s!.image, p);
        return 'location' in f ? [f.location] : [];
      });
      for (let i = lastIndexBefore(s.keys, until); i >= 0 && left > 0; i--) {
        const key = s.keys[i]!,
          next = s.keys[i + 1];
        if (key.scan >= until) continue;
        if ((i & 63) === 62) {
          const many = together(s, i >> 6);
          if (many && !places.some((l) => touches(many, l.address, placeBytes(l)))) {
            left -= 64 * this.lines.keyDistance;
            i -= 63;
            continue;
          }
        }
        if (next?.changed && !places.some((l) => touches(next.changed!, l.address, placeBytes(l)))) continue;
        const hit = this.lastChangeBetween(s, key.scan, Math.min(until, next?.scan ?? s.end), read);
        if (hit) return hit;
        left -= this.lines.keyDistance;
      }
      if (!s.parent || left <= 0) return undefined;
      const old = read(this.engineIn(s.parent, s.from)),
        first = read(this.engineIn(s, s.from));
      if (!Object.is(old, first) && first !== undefined)
        return {
          scan: s.from,
          before: old ?? first,
          after: first,
          byChange: true,
          ...(old === undefined ? { isNew: true } : {}),
        };
    }
    return undefined;
  }

  private lastChangeBetween(
    s: Stretch,
    from: number,
    to: number,
    read: (e: Engine) => Value | undefined,
  ): Change | undefined {
    const engine = this.engineIn(s, from);
    let value = read(engine),
      hit: Change | undefined;
    for (let n = from; n < to; n++) {
      for (const e of s.events.get(n) ?? []) performOn(engine, e);
      if (!engine.runScan()) break;
      const next = read(engine);
      if (!Object.is(next, value)) {
        hit = { scan: n + 1, before: value!, after: next! };
        value = next;
      }
    }
    return hit;
  }

  /**
   * The nearest scan, from `scan` backwards or onwards (exclusive), after which `holds` begins to be so; only where
   * today's logic ran. Looks at `most` scans, backwards at 4096 at most; `next` says where to go on when it has not
   * found one, undefined when there is nothing further.
   */
  find(
    scan: number,
    direction: 1 | -1,
    holds: (e: Engine) => boolean,
    most: number,
  ): { readonly found?: number; readonly next?: number } {
    const first = direction > 0 ? scan : Math.max(this.start, scan - Math.max(1, Math.min(4096, most))),
      last = direction > 0 ? Math.min(this.lines.end, scan + most) : scan - 1;
    let was: boolean | undefined, hit: number | undefined;
    // It begins at `first` where it was not so a scan earlier.
    for (let n = Math.max(this.start, direction > 0 ? first : first - 1); n <= last; n++) {
      const e = this.engineAt(n),
        is = e.image === this.lines.leaf.image ? holds(e) : undefined;
      if (is && was === false) {
        hit = n;
        if (direction > 0) break;
      }
      was = is;
    }
    if (hit !== undefined) return { found: hit };
    if (direction > 0) return last < this.lines.end ? { next: last } : {};
    return first > this.start && this.lines.before(first).image === this.lines.leaf.image ? { next: first } : {};
  }

  /**
   * For each path the first scan after which this line and another differ in it, as far as both go. Looks at `most`
   * scans from `from` on (from where they part when left out); `next` is where to go on, `isAll` whether that was all
   * there is today. Undefined when the other line is no longer kept.
   */
  differences(
    id: number,
    paths: readonly string[],
    most: number,
    from = 0,
  ): { readonly at: readonly (number | undefined)[]; readonly next: number; readonly isAll: boolean } | undefined {
    const other = this.lines.line(id);
    if (!other) return undefined;
    const mine = this.lines.chain(),
      theirs = new Set(this.lines.chain(other));
    const shared = mine.findLast((s) => theirs.has(s));
    const last = Math.min(this.lines.end, other.end);
    const fork = shared
      ? Math.min(...[...mine, ...theirs].filter((s) => s.parent === shared).map((s) => s.from), last)
      : Math.max(this.start, this.lines.chain(other)[0]!.from);
    const at: (number | undefined)[] = paths.map(() => undefined),
      first = Math.max(fork, from),
      limit = Math.min(last + 1, first + most);
    let n = first;
    for (; n < limit && at.includes(undefined); n++) {
      const a = this.engineAt(n),
        b = this.twinAt(other, n);
      paths.forEach((p, i) => {
        if (at[i] === undefined && !Object.is(readPath(a, p), readPath(b, p))) at[i] = n;
      });
    }
    return { at, next: n, isAll: n > last || !at.includes(undefined) };
  }
  private twinAt(leaf: Stretch, scan: number): Engine {
    const s = this.lines.before(scan, leaf);
    if (this.twin?.image !== s.image)
      this.twin = { image: s.image, reader: { engine: new Engine(s.image, s.options), stretch: undefined } };
    return moved(this.twin.reader, s, scan);
  }
}

function moved(reader: Reader, s: Stretch, scan: number): Engine {
  const { engine } = reader;
  if (reader.stretch !== s || engine.scan !== scan || engine.fault) seek(engine, s, scan, reader.stretch !== s);
  reader.stretch = s;
  return engine;
}
