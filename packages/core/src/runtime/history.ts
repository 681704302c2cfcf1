/**
 * The bench's time: every scan since the start, on one line or on several. A line is made of stretches; a stretch is
 * what one program ran from one state on, kept as key snapshots now and then plus the events of every scan, so that
 * any scan is reached by replay (architecture.md, engine point 8). Going on from the past with another input, and
 * changed logic, begin a new stretch; the old one stays. Knows no clock: the caller says how many scans to run.
 *
 * History (`runtime/history.ts`): a line of history is a chain of stretches (`runtime/stretch.ts`); a stretch is what
 * one program ran from one state on, kept as key snapshots (every 256 scans, thinned when the budget of 256 MB is
 * reached) and the events of every scan; any scan is reached by replay. Events applied at scan n happen before scan n
 * runs. Going on from the past with another input, a restart and changed logic each begin a stretch; what lay after it
 * stays on a line of its own (five are kept, with up to twelve versions of the logic). With each key goes one bit a
 * byte: what changed since the key before. A few instructions of WebAssembly beside the image (`runtime/companion.ts`,
 * which also copies the wires) compare the state of each scan with the last for that. So the last change of anything
 * is found without replaying what was quiet, over a whole day in well under a millisecond.
 *
 * Inside a scan the moment shown is the start of the scan and a number of steps; `stepInside` runs it again from
 * there. A place to stop at is looked for that way too, only in scans whose probes say that it may have been reached.
 * Conditions typed at the bench are compiled beside the program; the image is exchanged, state and time line stay.
 */
import type { Image, Location } from '../compile/image.js';
import type { Span } from '../language/source.js';
import { Engine, type EngineOptions, type Force, type Halt, type Snapshot } from './engine.js';
import { type Value, findPath } from './paths.js';
import {
  type Beginning,
  type BenchEvent,
  type Course,
  type Key,
  type Stretch,
  addTrace,
  courseOf,
  eventsOf,
  lastBefore,
  lastIndexBefore,
  numberIn,
  performOn,
  placeBytes,
  readPath,
  together,
  touches,
} from './stretch.js';
import { BLOCK, type Trace, blockOf, numberReader } from './trace.js';
import { type Transferred, transferState } from './transfer.js';

/** A line of history as people see it. */
export interface Line {
  readonly id: number;
  readonly beginning: Beginning;
  /** Where it leaves the line before it; 0 for one from the start. */ readonly from: number;
  readonly end: number;
  readonly isCurrent: boolean;
}

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

/** What stops a run: a place that the program reaches, or anything seen after a scan. */
export interface Stops {
  /** Whether a place to stop at may have been passed in the scan just run. */
  mayHave?(engine: Engine): boolean;
  /** Whether to stop before this statement or rung. */
  at?(halt: Halt, engine: Engine): boolean;
  /** Whether to stop after the scan just run. */
  after?(engine: Engine): boolean;
}

const FIRST_KEY_DISTANCE = BLOCK;
const MOST_LINES = 5,
  MOST_IMAGES = 12;
export const HISTORY_BUDGET = 256 * 1024 * 1024;

export class History {
  private leaf: Stretch;
  /** The stretch whose scan is shown. */
  private at: Stretch;
  /** Lines that are kept, the current one among them, oldest first. */
  private leaves: Stretch[];
  private keyDistance = FIRST_KEY_DISTANCE;
  private counter = 0;
  private keyBytes = 0;
  private readonly engines = new WeakMap<Image, Engine>();
  private readonly others = new WeakMap<Image, { engine: Engine; stretch: Stretch | undefined }>();
  private pending: { readonly due: number; readonly since: number; readonly event: BenchEvent }[] = [];
  private traced = new Set<string>();
  private readers: readonly { readonly trace: Trace; readonly read: () => number }[] = [];
  /** Steps done inside the scan that is shown. */
  step = 0;
  /** Where the program stands inside the scan. */
  halt: Halt | undefined;
  private scanStart: Snapshot | undefined;

  constructor(
    image: Image,
    options: EngineOptions,
    private readonly budgetBytes = HISTORY_BUDGET,
  ) {
    const engine = this.engineFor(image, options);
    this.leaf = this.at = this.newStretch(image, options, engine.snapshot(), 'start', undefined);
    this.leaves = [this.leaf];
    engine.trackFrom();
  }

  private engineFor(image: Image, options: EngineOptions): Engine {
    let e = this.engines.get(image);
    if (!e) this.engines.set(image, (e = new Engine(image, { ...options, tracks: true })));
    return e;
  }

  private newStretch(
    image: Image,
    options: EngineOptions,
    first: Snapshot,
    beginning: Beginning,
    parent: Stretch | undefined,
  ): Stretch {
    const s: Stretch = {
      id: ++this.counter,
      image,
      options,
      from: first.scan,
      parent,
      beginning,
      keys: [{ ...first, changed: undefined }],
      changedTogether: [],
      events: new Map(),
      end: first.scan,
      traces: new Map(),
      isFollowed: true,
    };
    this.keyBytes += first.bytes.length;
    for (const p of this.traced) addTrace(s, p);
    return s;
  }

  get engine(): Engine {
    return this.engineFor(this.at.image, this.at.options);
  }
  /** Scans done at the moment shown. */
  get now(): number {
    return this.scanStart ? this.scanStart.scan : this.engine.scan;
  }
  /** Whether the moment shown lies inside a scan, not between two. */
  get isInside(): boolean {
    return this.scanStart !== undefined;
  }
  /** Scans done on this line in all. */
  get end(): number {
    return this.leaf.end;
  }
  /** The first moment that can be shown. */
  get start(): number {
    return this.chain()[0]!.from;
  }
  /** The program that runs on from here. */
  get image(): Image {
    return this.leaf.image;
  }
  /** Whether the moment shown was run by logic that has been changed since. */
  get isEarlierLogic(): boolean {
    return this.at.image !== this.leaf.image;
  }

  /** Stretches of the current line, oldest first. */
  private chain(leaf = this.leaf): Stretch[] {
    const list: Stretch[] = [];
    for (let s: Stretch | undefined = leaf; s; s = s.parent) list.unshift(s);
    return list;
  }
  /** The stretch that ran the scan before this moment. */
  private stretchBefore(scan: number, leaf = this.leaf): Stretch {
    let s = leaf;
    while (s.from >= scan && s.parent) s = s.parent;
    return s;
  }
  /** The stretch that runs the scan after this moment. */
  private stretchAfter(scan: number): Stretch {
    let s = this.leaf;
    while (s.from > scan && s.parent) s = s.parent;
    return s;
  }

  // --- lines

  lines(): readonly Line[] {
    return this.leaves.map((l) => {
      const own = this.chain(l);
      // The stretch where the line leaves what other lines share with it.
      const first = [...own].reverse().find((s) => s.beginning !== 'changed logic') ?? own[0]!;
      return { id: l.id, beginning: first.beginning, from: first.from, end: l.end, isCurrent: l === this.leaf };
    });
  }

  /** Goes on with another line, at its end or at a moment of it. False when it is no longer kept. */
  switchTo(id: number, scan?: number): boolean {
    const to = this.leaves.find((l) => l.id === id);
    if (!to) return false;
    this.leaveScan();
    this.leaf.isFollowed = false;
    this.leaf = to;
    this.leaf.isFollowed = false;
    this.pending = [];
    this.at = to;
    this.engine.restore(to.keys[0]!);
    this.bindReaders();
    return this.goTo(scan ?? to.end);
  }

  dropLine(id: number): void {
    if (id === this.leaf.id) return;
    this.leaves = this.leaves.filter((l) => l.id !== id);
    this.recount();
  }

  /** A new line from the moment shown, with the logic of today; what lay after it stays on the line before. */
  branch(beginning: Beginning = 'other inputs'): void {
    this.leaveScan();
    const here = this.engine.snapshot(),
      isSame = this.at.image === this.leaf.image;
    const first = isSame ? here : { ...here, bytes: transferState(this.at.image, here.bytes, this.leaf.image).bytes };
    const parent = this.at.from === here.scan && this.at.parent ? this.at.parent : this.at;
    this.begin(this.newStretch(this.leaf.image, this.leaf.options, first, beginning, parent), isSame);
  }

  private begin(s: Stretch, standsThere: boolean): void {
    const old = this.leaf;
    old.isFollowed = false;
    // A line of which the whole stays in the new one's past needs no place of its own.
    const isPast = s.parent === old && s.from === old.end;
    this.leaves = [...this.leaves.filter((l) => l !== old || (!isPast && l.end > l.from)), s];
    while (this.leaves.length > MOST_LINES) this.leaves.shift();
    this.pending = this.pending.filter((p) => p.since <= s.from && p.due >= s.from);
    this.leaf = this.at = s;
    const engine = this.engineFor(s.image, s.options);
    if (!standsThere) engine.restore(s.keys[0]!);
    engine.takeMarks();
    engine.trackFrom();
    this.dropOldImages();
    this.recount();
    this.bindReaders();
  }

  /** Only so many versions of the logic are kept: what the oldest ran can no longer be shown. */
  private dropOldImages(): void {
    const chain = this.chain();
    const images = [...new Set(chain.map((s) => s.image))];
    if (images.length <= MOST_IMAGES) return;
    const gone = new Set(images.slice(0, images.length - MOST_IMAGES));
    for (const s of chain)
      if (s.parent && gone.has(s.parent.image) && !gone.has(s.image))
        (s as { parent?: Stretch | undefined }).parent = undefined;
  }

  private all(): Set<Stretch> {
    return new Set(this.leaves.flatMap((l) => this.chain(l)));
  }
  private recount(): void {
    this.keyBytes = [...this.all()].reduce(
      (n, s) => n + s.keys.reduce((m, k) => m + k.bytes.length + (k.changed?.length ?? 0), 0),
      0,
    );
  }

  /**
   * From the first scan on again, on a line of its own. Cold: initial values; warm: retained values are kept. Forces
   * stay, as they do in a cabinet.
   */
  restart(kind: 'cold' | 'warm' = 'cold'): void {
    this.leaveScan();
    const { image, options } = this.leaf;
    const forces = this.engine.listForces();
    const retained =
      kind === 'warm' ? transferState(this.at.image, this.engine.snapshot().bytes, image, 'retained').bytes : undefined;
    const engine = this.engineFor(image, options);
    engine.restart(retained);
    engine.setForces(keepable(engine, forces));
    this.begin(
      this.newStretch(image, options, engine.snapshot(), kind === 'cold' ? 'cold restart' : 'warm restart', undefined),
      true,
    );
    this.pending = [];
  }

  /** Takes new logic from the moment shown on and keeps the values that fit; the past stays as it was run. */
  replaceImage(image: Image, options: EngineOptions): Transferred {
    this.leaveScan();
    const here = this.engine.snapshot(),
      before = this.at.image;
    const isUntouched =
      here.scan === 0 &&
      !this.leaf.parent &&
      this.leaf.end === 0 &&
      !this.leaf.events.size &&
      this.leaf.beginning === 'start';
    const engine = this.engineFor(image, options);
    const moved = isUntouched
      ? { bytes: engine.snapshot().bytes, kept: 0, lost: [] }
      : transferState(before, here.bytes, image);
    const first = { scan: here.scan, bytes: moved.bytes, forces: keepable(engine, here.forces) };
    // A version that ran nothing leaves no trace.
    const isEmpty = (s: Stretch) => s.from === s.end && !s.events.size && s === this.leaf;
    const parent = isUntouched
      ? undefined
      : this.at.from === here.scan && (this.at.parent || isEmpty(this.at))
        ? this.at.parent
        : this.at;
    if (isEmpty(this.leaf)) this.leaves = this.leaves.filter((l) => l !== this.leaf);
    this.begin(this.newStretch(image, options, first, isUntouched ? 'start' : 'changed logic', parent), false);
    return moved;
  }

  /** The same program with other conditions compiled beside it: state and time line are as they were. */
  swapImage(image: Image): void {
    if (image.stateSize !== this.leaf.image.stateSize) throw new Error('another program: replaceImage takes it');
    const { step, isInside } = this;
    this.leaveScan();
    const old = this.leaf,
      here = this.now,
      wasHere = this.at === old;
    for (const s of this.all()) if (s.image === old.image) (s as { image: Image }).image = image;
    this.engineFor(image, old.options);
    for (const s of this.all())
      if (s.image === image)
        for (const t of s.traces.values())
          (t as { location: Location }).location = this.engineFor(image, s.options).locate(t.path);
    old.isFollowed = false;
    if (wasHere || this.at.image === image) {
      this.engine.restore(this.at.keys[0]!);
      this.goTo(here);
    }
    this.bindReaders();
    if (isInside) this.stepTo(step);
  }

  // --- events

  /** Applies an event at the present moment. In the past it begins a new line. */
  apply(event: BenchEvent): void {
    this.applyAll([event]);
  }

  /** Applies several as one change: before the same scan. */
  applyAll(events: readonly BenchEvent[]): void {
    this.leaveScan(true);
    if (this.now < this.end) this.branch();
    else if (this.at !== this.leaf) {
      this.at = this.leaf;
      this.engine.restore(this.leaf.keys[0]!);
      this.engine.trackFrom();
    }
    for (const event of events) this.file(event);
  }

  private file(event: BenchEvent): void {
    const list = this.leaf.events.get(this.now);
    if (list) list.push(event);
    else this.leaf.events.set(this.now, [event]);
    performOn(this.engine, event);
    this.engine.track();
  }

  /** Files an event for a later scan: the end of a pulse, the steps of a ramp. */
  schedule(inScans: number, event: BenchEvent): void {
    this.pending.push({ due: this.now + Math.max(0, inScans), since: this.now, event });
  }

  private applyPending(): void {
    const now = this.now;
    const due = this.pending.filter((p) => p.due <= now);
    if (!due.length) return;
    this.pending = this.pending.filter((p) => p.due > now);
    for (const p of due) this.file(p.event);
  }

  // --- running

  /**
   * Runs up to `count` scans on from the present. Stops early at a fault or where `stops` says. Returns how many ran.
   */
  run(count: number, stops?: Stops): number {
    if (this.scanStart && this.resumeScan(stops)) return 0;
    let done = 0;
    const looksInside = stops?.at !== undefined;
    while (done < count) {
      const scan = this.now,
        s = this.stretchAfter(scan);
      if (s !== this.at) this.enter(s);
      const isNew = s === this.leaf && scan === this.leaf.end;
      const { engine } = this;
      // At the end too: whoever came here by replay has not seen what was applied here. Twice is as good as once.
      this.performEvents(s, scan);
      if (isNew && this.pending.length) this.applyPending();
      const start = looksInside ? engine.snapshot() : undefined;
      if (!engine.runScan()) break;
      done++;
      if (isNew) this.keep(engine);
      if (start && stops!.mayHave!(engine) && this.stopInside(start, -1, stops!)) break;
      if (stops?.after?.(engine)) break;
    }
    return done;
  }

  private enter(s: Stretch): void {
    this.at = s;
    this.engine.restore(s.keys[0]!);
    if (s === this.leaf) this.bindReaders();
  }

  /** What follows a scan that was never run before. */
  private keep(engine: Engine): void {
    const s = this.leaf;
    s.end = engine.scan;
    engine.track();
    for (const r of this.readers) r.trace.record(s.end, r.read());
    if (s.end % this.keyDistance) return;
    const changed = engine.takeMarks();
    s.keys.push({ ...engine.snapshot(), changed: s.isFollowed ? changed : undefined });
    s.isFollowed = true;
    this.keyBytes += engine.image.stateSize + changed.length;
    if (this.keyBytes > this.budgetBytes) this.thin();
  }

  /** Half of the key snapshots go; what changed between those that stay is kept together. */
  private thin(): void {
    this.keyDistance *= 2;
    for (const s of this.all()) {
      const keys: Key[] = [s.keys[0]!];
      let changed: Uint8Array | undefined,
        isFollowed = true;
      for (const k of s.keys.slice(1)) {
        if (!k.changed) isFollowed = false;
        else if (changed) {
          const sum: Uint8Array = changed;
          k.changed.forEach((b, i) => {
            sum[i]! |= b;
          });
        } else changed = k.changed.slice();
        if (k.scan % this.keyDistance) continue;
        keys.push({ ...k, changed: isFollowed ? changed : undefined });
        changed = undefined;
        isFollowed = true;
      }
      if (changed || !isFollowed) s.isFollowed = false;
      s.keys = keys;
      s.changedTogether.length = 0;
    }
    this.recount();
  }

  /** The moment after `scan` scans; false when it is not kept. */
  goTo(scan: number): boolean {
    this.leaveScan();
    const target = Math.min(scan, this.end);
    if (target < this.start) return false;
    const isFresh = this.leaf.from === this.leaf.end && target === this.end;
    const s = isFresh ? this.leaf : this.stretchBefore(target);
    if (target === this.now && s === this.at && target !== this.end) return true;
    const moved = s !== this.at;
    this.at = s;
    this.seek(this.engine, s, target, moved);
    // At the end, what was applied since the last scan is in force already.
    if (target === this.end) {
      if (this.at === this.leaf) this.performEvents(this.leaf, target);
      this.bindReaders();
    }
    return true;
  }

  /** Brings an engine to a moment of a stretch, through the scan before it, so that power is that scan's. */
  private seek(engine: Engine, s: Stretch, target: number, isElsewhere: boolean): void {
    const key = lastBefore(s.keys, target);
    if (isElsewhere || engine.fault || !(engine.scan > key.scan && engine.scan < target)) engine.restore(key);
    while (engine.scan < target) {
      for (const e of s.events.get(engine.scan) ?? []) performOn(engine, e);
      if (!engine.runScan()) break;
    }
  }

  private performEvents(s: Stretch, scan: number): void {
    const list = s.events.get(scan);
    if (list) for (const e of list) performOn(this.engine, e);
  }

  // --- inside a scan

  /** Back to where no scan is half done: its start, or with `finish` its end. */
  private leaveScan(finish = false): void {
    const start = this.scanStart;
    if (!start) return;
    this.scanStart = undefined;
    this.step = 0;
    this.halt = undefined;
    this.engine.restore(start);
    if (!finish) {
      if (start.scan > this.at.from) this.seekAgain(start.scan);
      return;
    }
    this.run(1);
  }
  /** The power of the scan before is shown again. */
  private seekAgain(scan: number): void {
    this.seek(this.engine, this.at, scan, true);
    if (scan === this.end) this.performEvents(this.leaf, scan);
  }

  /** The start of the scan that comes next, with what is applied before it. */
  private startOfScan(): Snapshot {
    if (this.scanStart) return this.scanStart;
    const scan = this.now,
      s = this.stretchAfter(scan);
    if (s !== this.at) this.enter(s);
    if (scan < this.end) this.performEvents(s, scan);
    else this.applyPending();
    return this.engine.snapshot();
  }

  /** Stands behind the first k steps of the scan that starts here; false when it has no more. */
  private stepTo(k: number, start = this.startOfScan()): boolean {
    this.engine.restore(start);
    const halt = this.engine.runSteps(k);
    if (halt.done) {
      this.engine.restore(start);
      return false;
    }
    this.scanStart = start;
    this.step = k;
    this.halt = halt;
    return true;
  }

  private static isProgram(h: Halt, image: Image): boolean {
    return (
      h.at?.source.origin.kind !== 'library' &&
      h.at?.source.origin.kind !== 'device' &&
      h.at?.source.origin.kind !== 'deviceKind' &&
      h.program !== image.machine
    );
  }

  /**
   * Where the scan that starts here stands behind each of its steps, from the `from`-th on; only places of the program
   * itself.
   */
  private stepsOf(start: Snapshot, from: number, stop?: (h: Halt) => boolean): { k: number; halt: Halt }[] {
    const { engine } = this,
      list: { k: number; halt: Halt }[] = [];
    for (let k = from; ; k++) {
      engine.restore(start);
      const halt = engine.runSteps(k);
      if (halt.done || halt.program === engine.image.machine) break;
      if (!History.isProgram(halt, engine.image)) continue;
      list.push({ k, halt });
      if (stop?.(halt)) break;
    }
    return list;
  }

  /**
   * One statement or rung on, or one task, or back. `over` passes calls of blocks as one step. Past the last step
   * of a scan lies the next scan's start.
   */
  stepInside(unit: 'over' | 'into' | 'out' | 'task', direction: 1 | -1): void {
    const before = this.halt,
      had = this.step;
    const isStop = (h: Halt, from: Halt | undefined) =>
      unit === 'into'
        ? true
        : unit === 'task'
          ? h.task !== from?.task || (h.task < 0 && h.program !== from.program)
          : h.depth <= (unit === 'out' ? Math.max(0, (from?.depth ?? 0) - 1) : (from?.depth ?? 0));
    if (direction > 0) {
      const start = this.startOfScan();
      const from = before ?? (unit === 'task' ? this.stepsOf(start, 0, () => true)[0]?.halt : undefined);
      const found = this.stepsOf(start, had + 1, (h) => isStop(h, from)).at(-1);
      if (found && isStop(found.halt, from)) {
        this.stepTo(found.k, start);
        return;
      }
      // Through the rest of the scan, which is then kept like any other.
      this.scanStart = start;
      this.leaveScan(true);
      return;
    }
    if (!before) {
      if (this.now <= this.start) return;
      this.goTo(this.now - 1);
      const start = this.startOfScan();
      this.engine.restore(start);
      this.backFrom(
        start,
        this.engine.countSteps(),
        (h) => unit === 'into' || unit === 'task' || h.depth === 0,
        unit === 'task',
      );
      return;
    }
    this.backFrom(this.scanStart!, had, (h) => isStop(h, before), unit === 'task');
  }

  /**
   * To the last place before step `had` that is one to stop at, or to the beginning of its task; else to the start of
   * the scan.
   */
  private backFrom(start: Snapshot, had: number, isStop: (h: Halt) => boolean, wholeTask: boolean): void {
    const { engine } = this;
    let k = had - 1,
      found: Halt | undefined;
    for (; k > 0; k--) {
      engine.restore(start);
      const h = engine.runSteps(k);
      if (h.done || !History.isProgram(h, engine.image) || (!found && !isStop(h))) continue;
      if (!wholeTask) break;
      if (found && (h.task !== found.task || (h.task < 0 && h.program !== found.program))) {
        k++;
        break;
      }
      found ??= h;
    }
    // A task that begins with the scan begins at its start.
    if (k > 0) this.stepTo(k, start);
    else {
      this.scanStart = start;
      this.leaveScan();
    }
  }

  /** On from the middle of a scan: true when another place to stop at comes before its end. */
  private resumeScan(stops: Stops | undefined): boolean {
    const start = this.scanStart!,
      from = this.step;
    if (stops?.at && this.stopInside(start, from, stops)) return true;
    this.scanStart = this.halt = undefined;
    this.step = 0;
    this.engine.restore(start);
    let hit = false;
    this.run(1, { after: (e) => (hit = stops?.after?.(e) ?? false) });
    return hit;
  }

  /** Looks for the first place to stop at after step `from` of a scan, and stands there. */
  private stopInside(start: Snapshot, from: number, stops: Stops): boolean {
    const after = this.engine.snapshot();
    const found = this.stepsOf(start, from + 1, (h) => stops.at!(h, this.engine)).at(-1);
    this.engine.restore(start);
    if (found && this.engine.runSteps(found.k) && stops.at!(found.halt, this.engine))
      return this.stepTo(found.k, start);
    this.engine.restore(start);
    this.engine.runScan();
    if (this.engine.scan !== after.scan) this.engine.restore(after);
    return false;
  }

  forces(): readonly Force[] {
    return this.engine.listForces();
  }

  // --- looking back

  /** An engine of its own at a moment of this line: what is shown does not move. Only to read. */
  engineAt(scan: number, leaf = this.leaf): Engine {
    const s = scan === leaf.from && leaf.from === leaf.end ? leaf : this.stretchBefore(Math.min(scan, leaf.end), leaf);
    return this.other(s, Math.min(scan, leaf.end));
  }

  private other(s: Stretch, scan: number): Engine {
    let o = this.others.get(s.image);
    if (!o) this.others.set(s.image, (o = { engine: new Engine(s.image, s.options), stretch: undefined }));
    if (o.stretch !== s || o.engine.scan !== scan || o.engine.fault) this.seek(o.engine, s, scan, o.stretch !== s);
    o.stretch = s;
    return o.engine;
  }

  /**
   * The steps of the scan that led to a moment, one by one: place, and an engine that stands before it; returns it
   * where it came to stand. Only to read.
   */
  walkScan(scan: number, visit: (halt: Halt, engine: Engine) => boolean | void): Engine {
    const s = this.stretchBefore(scan);
    const engine = this.other(s, scan - 1);
    for (const e of s.events.get(scan - 1) ?? []) performOn(engine, e);
    const start = engine.snapshot();
    for (let k = 0; ; k++) {
      engine.restore(start);
      const halt = engine.runSteps(k);
      if (halt.done || visit(halt, engine)) break;
    }
    this.others.get(s.image)!.stretch = undefined;
    return engine;
  }

  /** The scan before which something was last applied that fits, up to a moment. */
  lastEvent(scan: number, fits: (e: BenchEvent) => boolean): number | undefined {
    for (let s: Stretch | undefined = this.stretchBefore(scan), until = scan; s; until = s.from, s = s.parent) {
      const at = [...s.events].filter(([n, list]) => n <= until && list.some(fits)).map(([n]) => n);
      if (at.length) return Math.max(...at);
    }
    return undefined;
  }

  /** Events applied right before the scan that led to a moment. */
  eventsBefore(scan: number): readonly BenchEvent[] {
    return this.stretchBefore(scan).events.get(scan - 1) ?? [];
  }
  /** The logic that ran the scan that led to a moment. */
  imageAt(scan: number): Image {
    return this.stretchBefore(scan).image;
  }

  /**
   * The last scan, up to `scan`, in which the value of a path changed; undefined when it has been so since the start.
   */
  lastChange(path: string, scan: number): Change | undefined {
    const there = findPath(this.stretchBefore(scan).image, path);
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
    for (let s: Stretch | undefined = this.stretchBefore(scan); s; until = s.from, s = s.parent) {
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
            left -= 64 * this.keyDistance;
            i -= 63;
            continue;
          }
        }
        if (next?.changed && !places.some((l) => touches(next.changed!, l.address, placeBytes(l)))) continue;
        const hit = this.lastChangeBetween(s, key.scan, Math.min(until, next?.scan ?? s.end), read);
        if (hit) return hit;
        left -= this.keyDistance;
      }
      if (!s.parent || left <= 0) return undefined;
      const old = read(this.other(s.parent, s.from)),
        first = read(this.other(s, s.from));
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
    const engine = this.other(s, from);
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
      last = direction > 0 ? Math.min(this.end, scan + most) : scan - 1;
    let was: boolean | undefined, hit: number | undefined;
    // It begins at `first` where it was not so a scan earlier.
    for (let n = Math.max(this.start, direction > 0 ? first : first - 1); n <= last; n++) {
      const e = this.engineAt(n),
        is = e.image === this.leaf.image ? holds(e) : undefined;
      if (is && was === false) {
        hit = n;
        if (direction > 0) break;
      }
      was = is;
    }
    if (hit !== undefined) return { found: hit };
    if (direction > 0) return last < this.end ? { next: last } : {};
    return first > this.start && this.stretchBefore(first).image === this.leaf.image ? { next: first } : {};
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
    const other = this.leaves.find((l) => l.id === id);
    if (!other) return undefined;
    const mine = this.chain(),
      theirs = new Set(this.chain(other));
    const shared = mine.findLast((s) => theirs.has(s));
    const last = Math.min(this.end, other.end);
    const fork = shared
      ? Math.min(...[...mine, ...theirs].filter((s) => s.parent === shared).map((s) => s.from), last)
      : Math.max(this.start, this.chain(other)[0]!.from);
    const at: (number | undefined)[] = paths.map(() => undefined),
      first = Math.max(fork, from),
      limit = Math.min(last + 1, first + most);
    let n = first;
    for (; n < limit && at.includes(undefined); n++) {
      const a = this.engineAt(n),
        b = this.twin(other, n);
      paths.forEach((p, i) => {
        if (at[i] === undefined && !Object.is(readPath(a, p), readPath(b, p))) at[i] = n;
      });
    }
    return { at, next: n, isAll: n > last || !at.includes(undefined) };
  }
  private twinEngine: { engine: Engine; stretch: Stretch; image: Image } | undefined;
  private twin(leaf: Stretch, scan: number): Engine {
    const s = this.stretchBefore(scan, leaf);
    if (this.twinEngine?.image !== s.image)
      this.twinEngine = { engine: new Engine(s.image, s.options), stretch: s, image: s.image };
    this.seek(this.twinEngine.engine, s, scan, this.twinEngine.stretch !== s || this.twinEngine.engine.scan === 0);
    this.twinEngine.stretch = s;
    return this.twinEngine.engine;
  }

  // --- recordings

  /** Everything that came from outside since this line's logic began to run, to replay it elsewhere. */
  recording(): { scan: number; event: BenchEvent }[] {
    return eventsOf(this.recordedStretches());
  }
  /**
   * Everything that came from outside on this line, also before the logic was changed; what was forced at its start
   * comes first.
   */
  doneOutside(): { scan: number; event: BenchEvent }[] {
    const chain = this.chain();
    return [
      ...chain[0]!.keys[0]!.forces.map((f) => ({
        scan: chain[0]!.from,
        event: { kind: 'force' as const, ...f },
      })),
      ...eventsOf(chain),
    ];
  }
  private recordedStretches(): Stretch[] {
    const chain = this.chain();
    const from = chain.findLastIndex((s) => s.beginning === 'changed logic' || s.image !== this.leaf.image);
    return chain.slice(from < 0 ? 0 : chain[from]!.image === this.leaf.image ? from : from + 1);
  }
  /** The state of a cold start of today's logic. */
  coldStart(): Uint8Array {
    return new Engine(this.leaf.image, this.leaf.options).snapshot().bytes;
  }
  /** The state that `recording` goes on from. */
  recordingStart(): Snapshot {
    return this.recordedStretches()[0]!.keys[0]!;
  }

  /**
   * Replays a recording up to `scan`, on a line of its own: from a cold start, or from a state given. A warm restart
   * comes before each scan of `warmAt`, and begins a line of its own; all scans are counted over the whole recording.
   */
  load(
    recording: readonly { scan: number; event: BenchEvent }[],
    scan: number,
    first?: Snapshot,
    warmAt: readonly number[] = [],
  ): void {
    this.leaveScan();
    const { image, options } = this.leaf;
    const engine = this.engineFor(image, options);
    engine.restart();
    engine.setForces([]);
    if (first) engine.restore(first);
    this.begin(this.newStretch(image, options, first ?? engine.snapshot(), 'recording', undefined), true);
    this.pending = [];
    let i = 0;
    /** Scans before the last warm restart. */
    let before = 0;
    for (const end of [...warmAt.filter((n) => n <= scan), scan + 1]) {
      const last = Math.min(end, scan);
      for (;;) {
        const now = before + this.now;
        for (; i < recording.length && recording[i]!.scan <= now && recording[i]!.scan < end; i++)
          this.file(recording[i]!.event);
        if (now >= last) break;
        const next = recording[i] ? Math.min(recording[i]!.scan, last) : last;
        if (this.run(next - now) === 0) return;
      }
      if (end > scan) break;
      before = end;
      this.restart('warm');
    }
  }

  // --- traces

  /**
   * Records a path from now on; what happened before is filled in as it is looked at. False for what cannot be drawn.
   */
  trace(path: string): boolean {
    const k = path.toLowerCase();
    const found = findPath(this.leaf.image, path);
    if ('error' in found || !numberReader(this.engine.view, found.location)) return false;
    if (this.traced.has(k)) return true;
    this.traced.add(k);
    for (const s of this.all()) addTrace(s, path);
    this.bindReaders();
    return true;
  }
  untrace(path: string): void {
    this.traced.delete(path.toLowerCase());
    for (const s of this.all()) s.traces.delete(path.toLowerCase());
    this.bindReaders();
  }

  /** Traces go on from where the line ends. */
  private bindReaders(): void {
    const engine = this.engineFor(this.leaf.image, this.leaf.options);
    const isThere = this.at === this.leaf && engine.scan === this.leaf.end;
    this.readers = [...this.leaf.traces.values()].flatMap((trace) => {
      const read = numberReader(engine.view, trace.location);
      if (!read) return [];
      if (isThere && this.leaf.end % BLOCK && !trace.has(blockOf(this.leaf.end + 1)))
        this.fillBlocks(this.leaf, [trace], blockOf(this.leaf.end + 1), blockOf(this.leaf.end + 1));
      return [{ trace, read }];
    });
    if (isThere) for (const r of this.readers) r.trace.startAt(this.leaf.end, r.read());
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
      const engine = this.other(s, from);
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
    line = this.leaf.id,
  ): { readonly courses: readonly Course[]; readonly complete: boolean } {
    const leaf = this.leaves.find((l) => l.id === line) ?? this.leaf;
    const chain = this.chain(leaf).filter((s, i, all) => s.from < to && (all[i + 1]?.from ?? Infinity) > from);
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
  spanAt(path: string, scan: number, within: number, most: number, line = this.leaf.id): ValueSpan | undefined {
    const from = Math.max(this.start, Math.floor(scan - within) - most / 2),
      to = Math.min(this.end, Math.ceil(scan + within) + most / 2);
    if (to < from || !this.traced.has(path.toLowerCase())) return undefined;
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
        isBegun: i > 0 || begin === this.start,
        isEnded: i + 1 < count,
      };
    }
    return best;
  }

  /** Where the time line is made of other logic or inputs: the moments at which stretches of this line begin. */
  seams(): readonly { readonly scan: number; readonly beginning: Beginning }[] {
    return this.chain()
      .slice(1)
      .map((s) => ({ scan: s.from, beginning: s.beginning }));
  }

  /** Bytes of key snapshots and marks, and of traces. */
  get memory(): { readonly keys: number; readonly traces: number } {
    return {
      keys: this.keyBytes,
      traces: [...this.all()].reduce((n, s) => n + [...s.traces.values()].reduce((m, t) => m + t.size, 0), 0),
    };
  }

  /** The innermost place the program stands at, and where each call on the way there was made. */
  callPath(): readonly Span[] {
    return this.halt ? [...this.engine.callPath(), ...(this.halt.at ? [this.halt.at] : [])] : [];
  }
}

/** A value and the scans it stood: after scan `from` up to scan `to`; whether its beginning and its end were seen. */
export interface ValueSpan {
  readonly value: number;
  readonly from: number;
  readonly to: number;
  readonly isBegun: boolean;
  readonly isEnded: boolean;
}

const keepable = (engine: Engine, forces: readonly Force[]): readonly Force[] =>
  forces.filter((f) => 'location' in findPath(engine.image, f.path));
