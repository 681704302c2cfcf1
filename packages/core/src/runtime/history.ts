/**
 * The bench's time line: key snapshots now and then plus the events of every scan; any scan is reached by
 * replay from the nearest key (architecture.md, engine point 8). What was thinned out or never kept is
 * answered with "not kept", never nearly. Knows no clock: the caller says how many scans to run.
 */
import type { Image } from '../compile/image.js';
import { Engine, type EngineOptions, type Force, type Snapshot } from './engine.js';
import { type Value, readLocation } from './paths.js';
import type { Location } from '../compile/image.js';
import { type Transferred, transferState } from './transfer.js';

/** Something from outside, applied before the scan it is filed under. Values as `parseValue` gives them. */
export type BenchEvent =
  | { readonly kind: 'write'; readonly path: string; readonly value: Value }
  | { readonly kind: 'force'; readonly path: string; readonly value?: Value }
  | { readonly kind: 'releaseAll' };

/** One recorded tag: a point per change, found by bisection. */
export interface Trace { readonly path: string; readonly location: Location; readonly scans: number[]; readonly values: Value[] }

const FIRST_KEY_DISTANCE = 250;

export class History {
  engine: Engine;
  /** Last scan count reached; the present may be before it. */
  end = 0;
  private keys: Snapshot[] = [];
  private keyDistance = FIRST_KEY_DISTANCE;
  private events = new Map<number, BenchEvent[]>();
  readonly traces = new Map<string, Trace>();

  constructor(image: Image, private readonly options: EngineOptions, private readonly budgetBytes = 64 * 1024 * 1024) {
    this.engine = new Engine(image, options);
    this.keys.push(this.engine.snapshot());
  }

  /** Scans done at the moment shown. */
  get now(): number { return this.engine.scan; }
  /** The first moment that can be shown. */
  get start(): number { return this.keys[0]!.scan; }

  restart(): void {
    this.engine.restart();
    this.forget(0);
    this.events.clear();
    this.end = 0;
    this.keys = [this.engine.snapshot()];
    this.keyDistance = FIRST_KEY_DISTANCE;
    this.clearTraces();
  }

  private clearTraces(): void {
    for (const t of this.traces.values()) { t.scans.length = 0; t.values.length = 0; }
  }

  /** Applies an event at the present moment; what lay after it is given up, since time goes on differently from here. */
  apply(event: BenchEvent): void {
    // From the past, the events filed here belong to the future that is given up.
    if (this.now < this.end) this.events.delete(this.now);
    this.forget(this.now);
    this.events.set(this.now, [...(this.events.get(this.now) ?? []), event]);
    this.perform(event);
  }

  /** Runs up to `count` scans on from the present. Stops early at a fault or when `until` holds. Returns how many ran. */
  run(count: number, until?: () => boolean): number {
    // Past scans are replayed with the events they had; new ones have none.
    let done = 0;
    while (done < count) {
      const replaying = this.now < this.end;
      if (replaying) this.performEvents(this.now);
      if (!this.engine.runScan()) break;
      done++;
      if (!replaying) { this.end = this.now; this.record(); this.keepKey(); }
      if (until?.()) break;
    }
    return done;
  }

  /** The moment after `scan` scans; false when it is not kept. */
  goTo(scan: number): boolean {
    const target = Math.min(scan, this.end);
    if (target < this.start) return false;
    if (target === this.now && target !== this.end) return true;
    // Strictly before the target, so that one scan runs and the probes are those of that scan.
    const key = [...this.keys].reverse().find((k) => k.scan < target) ?? this.keys[0]!;
    if (!(this.now > key.scan && this.now < target)) this.engine.restore(key);
    while (this.now < target) {
      this.performEvents(this.now);
      if (!this.engine.runScan()) break;
    }
    // At the end, what was applied since the last scan is in force already.
    if (this.now === this.end) this.performEvents(this.now);
    return true;
  }

  /** Takes new logic and keeps the values that fit; the time line starts anew here. */
  replaceImage(image: Image, options: EngineOptions): Transferred {
    const before = this.engine;
    const moved = transferState(before.image, before.snapshot().bytes, image);
    this.engine = new Engine(image, options);
    const forces = before.listForces().filter((f) => { try { this.engine.locate(f.path); return true; } catch { return false; } });
    this.forget(this.now);
    this.engine.restore({ scan: before.scan, bytes: moved.bytes, forces });
    this.events.clear();
    this.end = before.scan;
    this.keys = [this.engine.snapshot()];
    for (const [k, t] of this.traces) {
      try { this.traces.set(k, { ...t, location: this.engine.locate(t.path) }); } catch { this.traces.delete(k); }
    }
    return moved;
  }

  forces(): readonly Force[] { return this.engine.listForces(); }
  /** Everything that came from outside, to replay this run elsewhere. */
  recording(): { scan: number; event: BenchEvent }[] {
    return [...this.events].sort((a, b) => a[0] - b[0]).flatMap(([scan, list]) => list.map((event) => ({ scan, event })));
  }

  /** Replays a recording from a cold start up to `scan`. */
  load(recording: readonly { scan: number; event: BenchEvent }[], scan: number): void {
    this.restart();
    let i = 0;
    for (;;) {
      for (; i < recording.length && recording[i]!.scan <= this.now; i++) this.apply(recording[i]!.event);
      if (this.now >= scan) break;
      const next = recording[i] ? Math.min(recording[i]!.scan, scan) : scan;
      if (this.run(next - this.now) === 0) break;
    }
  }

  /** Starts to record a tag; what happened before is played again to fill it in. */
  trace(path: string): Trace {
    const known = this.traces.get(path.toLowerCase());
    if (known) return known;
    const trace: Trace = { path, location: this.engine.locate(path), scans: [], values: [] };
    this.traces.set(path.toLowerCase(), trace);
    const here = this.now;
    const again = new Engine(this.engine.image, this.options);
    again.restore(this.keys[0]!);
    push(trace, again.scan, readLocation(again.view, trace.location));
    while (again.scan < this.end) {
      for (const e of this.events.get(again.scan) ?? []) performOn(again, e);
      if (!again.runScan()) break;
      push(trace, again.scan, readLocation(again.view, trace.location));
    }
    if (here !== this.now) throw new Error('filling a trace moved the bench');
    return trace;
  }
  untrace(path: string): void { this.traces.delete(path.toLowerCase()); }

  private record(): void {
    for (const t of this.traces.values()) push(t, this.now, readLocation(this.engine.view, t.location));
  }

  private keepKey(): void {
    const last = this.keys[this.keys.length - 1]!;
    if (this.now - last.scan < this.keyDistance) return;
    this.keys.push(this.engine.snapshot());
    if (this.keys.length * this.engine.image.stateSize > this.budgetBytes) {
      this.keys = this.keys.filter((_, i) => i % 2 === 0);
      this.keyDistance *= 2;
    }
  }

  /** Drops everything after a moment. */
  private forget(after: number): void {
    this.end = Math.min(this.end, after);
    this.keys = this.keys.filter((k) => k.scan <= after);
    for (const scan of [...this.events.keys()]) if (scan > after) this.events.delete(scan);
    for (const t of this.traces.values()) {
      let n = t.scans.length;
      while (n > 0 && t.scans[n - 1]! > after) n--;
      t.scans.length = n;
      t.values.length = n;
    }
  }

  private performEvents(scan: number): void {
    for (const e of this.events.get(scan) ?? []) this.perform(e);
  }
  private perform(e: BenchEvent): void { performOn(this.engine, e); }
}

function performOn(engine: Engine, e: BenchEvent): void {
  if (e.kind === 'write') engine.write(e.path, e.value);
  else if (e.kind === 'force') engine.force(e.path, e.value);
  else engine.setForces([]);
}

function push(t: Trace, scan: number, value: Value): void {
  if (t.values.length && t.values[t.values.length - 1] === value) return;
  t.scans.push(scan);
  t.values.push(value);
}
