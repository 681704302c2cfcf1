/**
 * The bench's time: every scan since the start, on one line or on several. A line is made of stretches; a stretch is
 * what one program ran from one state on (`runtime/stretch.ts`), kept as key snapshots (every 256 scans, thinned when
 * the budget of 256 MB is reached) and the events of every scan, so that any scan is reached by replay (architecture.md,
 * engine point 8). Events applied at scan n happen before scan n runs. Knows no clock: the caller says how many scans
 * to run.
 *
 * Four parts: which stretches there are and what makes a line (`lines.ts`), the moment that is shown and running on
 * from it (here), questions to what was run (`past.ts`), courses of tags (`traces.ts`). Steps inside one scan stand in
 * `inside.ts`; a place to stop at is looked for only in scans whose probes say that it may have been reached.
 *
 * With each key goes one bit a byte: what changed since the key before. A few instructions of WebAssembly beside the
 * image (`runtime/companion.ts`, which also copies the wires) compare the state of each scan with the last for that. So
 * the last change of anything is found without replaying what was quiet, over a whole day in well under a millisecond.
 * Conditions typed at the bench are compiled beside the program; the image is exchanged, state and time line stay.
 */
import type { Image, Location } from '../compile/image.js';
import type { Span } from '../language/source.js';
import { Engine, type EngineOptions, type Force, type Halt, type Snapshot } from './engine.js';
import { type StepUnit, endsStep, placesOf, stepsBefore } from './inside.js';
import { HISTORY_BUDGET, type Line, Lines } from './lines.js';
import { Past } from './past.js';
import { findPath } from './paths.js';
import { type Beginning, type BenchEvent, type Stretch, eventsOf, performOn, seek } from './stretch.js';
import { Traces } from './traces.js';
import { forcesAfter } from './renamed.js';
import { type Transferred, transferState } from './transfer.js';

/** What stops a run: a place that the program reaches, or anything seen after a scan. */
export interface Stops {
  /** Whether a place to stop at may have been passed in the scan just run. */
  mayHave?(engine: Engine): boolean;
  /** Whether to stop before this statement or rung. */
  at?(halt: Halt, engine: Engine): boolean;
  /** Whether to stop after the scan just run. */
  after?(engine: Engine): boolean;
}

export class History {
  /** What was run, as stretches on lines. */
  private readonly tree: Lines;
  /** Questions to what was run; what is shown does not move. */
  readonly past: Past;
  /** Courses of paths, recorded and filled in. */
  readonly traces: Traces;
  /** The stretch whose scan is shown. */
  private at: Stretch;
  private readonly engines = new WeakMap<Image, Engine>();
  private pending: { readonly due: number; readonly since: number; readonly event: BenchEvent }[] = [];
  /** Steps done inside the scan that is shown. */
  step = 0;
  /** Where the program stands inside the scan. */
  halt: Halt | undefined;
  private scanStart: Snapshot | undefined;

  /** @param budgetBytes bytes of key snapshots up to which all are kept */
  constructor(image: Image, options: EngineOptions, budgetBytes = HISTORY_BUDGET) {
    const engine = this.engineFor(image, options);
    this.tree = new Lines(image, options, engine.snapshot(), budgetBytes);
    this.at = this.tree.leaf;
    this.past = new Past(this.tree);
    this.traces = new Traces(this.tree, this.past, () => {
      const { leaf } = this.tree,
        last = this.engineFor(leaf.image, leaf.options);
      return { engine: last, isAtEnd: this.at === leaf && last.scan === leaf.end };
    });
    engine.trackFrom();
  }

  private engineFor(image: Image, options: EngineOptions): Engine {
    let e = this.engines.get(image);
    if (!e) this.engines.set(image, (e = new Engine(image, { ...options, tracks: true })));
    return e;
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
    return this.tree.leaf.end;
  }
  /** The first moment that can be shown. */
  get start(): number {
    return this.tree.start;
  }
  /** The program that runs on from here. */
  get image(): Image {
    return this.tree.leaf.image;
  }
  /** Whether the moment shown was run by logic that has been changed since. */
  get isEarlierLogic(): boolean {
    return this.at.image !== this.tree.leaf.image;
  }

  // --- lines

  lines(): readonly Line[] {
    return this.tree.list();
  }
  /** The moments at which stretches of this line begin: where it is made of other logic or inputs. */
  seams(): readonly { readonly scan: number; readonly beginning: Beginning }[] {
    return this.tree.seams();
  }

  /** Goes on with another line, at its end or at a moment of it. False when it is no longer kept. */
  switchTo(id: number, scan?: number): boolean {
    const to = this.tree.line(id);
    if (!to) return false;
    this.leaveScan();
    this.tree.switchTo(to);
    this.pending = [];
    this.at = to;
    this.engine.restore(to.keys[0]!);
    this.traces.bind();
    return this.goTo(scan ?? to.end);
  }

  dropLine(id: number): void {
    this.tree.drop(id);
  }

  /** A new line from the moment shown, with the logic of today; what lay after it stays on the line before. */
  branch(beginning: Beginning = 'other inputs'): void {
    this.leaveScan();
    const here = this.engine.snapshot(),
      isSame = this.at.image === this.tree.leaf.image;
    const first = isSame
      ? here
      : { ...here, bytes: transferState(this.at.image, here.bytes, this.tree.leaf.image).bytes };
    const parent = this.at.from === here.scan && this.at.parent ? this.at.parent : this.at;
    this.begin(
      this.tree.make(this.tree.leaf.image, this.tree.leaf.options, first, beginning, parent, this.traces.followed),
      isSame,
    );
  }

  private begin(s: Stretch, standsThere: boolean): void {
    this.tree.begin(s);
    this.pending = this.pending.filter((p) => p.since <= s.from && p.due >= s.from);
    this.at = s;
    const engine = this.engineFor(s.image, s.options);
    if (!standsThere) engine.restore(s.keys[0]!);
    engine.takeMarks();
    engine.trackFrom();
    this.traces.bind();
  }

  /**
   * From the first scan on again, on a line of its own. Cold: initial values; warm: retained values are kept. Forces
   * stay, as they do in a cabinet.
   */
  restart(kind: 'cold' | 'warm' = 'cold'): void {
    this.leaveScan();
    const { image, options } = this.tree.leaf;
    const forces = this.engine.listForces();
    const retained =
      kind === 'warm' ? transferState(this.at.image, this.engine.snapshot().bytes, image, 'retained').bytes : undefined;
    const engine = this.engineFor(image, options);
    engine.restart(retained);
    engine.setForces(keepable(engine, forces));
    this.begin(
      this.tree.make(
        image,
        options,
        engine.snapshot(),
        kind === 'cold' ? 'cold restart' : 'warm restart',
        undefined,
        this.traces.followed,
      ),
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
      !this.tree.leaf.parent &&
      this.tree.leaf.end === 0 &&
      !this.tree.leaf.events.size &&
      this.tree.leaf.beginning === 'start';
    const engine = this.engineFor(image, options);
    const moved = isUntouched
      ? { bytes: engine.snapshot().bytes, kept: 0, lost: [], gone: [], renamed: [] }
      : transferState(before, here.bytes, image);
    const first = {
      scan: here.scan,
      bytes: moved.bytes,
      forces: keepable(engine, forcesAfter(moved.renamed, here.forces)),
    };
    // A version that ran nothing leaves no trace.
    const isEmpty = (s: Stretch) => s.from === s.end && !s.events.size && s === this.tree.leaf;
    const parent = isUntouched
      ? undefined
      : this.at.from === here.scan && (this.at.parent || isEmpty(this.at))
        ? this.at.parent
        : this.at;
    if (isEmpty(this.tree.leaf)) this.tree.forgetCurrent();
    this.begin(
      this.tree.make(image, options, first, isUntouched ? 'start' : 'changed logic', parent, this.traces.followed),
      false,
    );
    return moved;
  }

  /** The same program with other conditions compiled beside it: state and time line are as they were. */
  swapImage(image: Image): void {
    if (image.stateSize !== this.tree.leaf.image.stateSize) throw new Error('another program: replaceImage takes it');
    const { step, isInside } = this;
    this.leaveScan();
    const old = this.tree.leaf,
      here = this.now,
      wasHere = this.at === old;
    for (const s of this.tree.all()) if (s.image === old.image) (s as { image: Image }).image = image;
    this.engineFor(image, old.options);
    for (const s of this.tree.all())
      if (s.image === image)
        for (const t of s.traces.values())
          (t as { location: Location }).location = this.engineFor(image, s.options).locate(t.path);
    old.isFollowed = false;
    if (wasHere || this.at.image === image) {
      this.engine.restore(this.at.keys[0]!);
      this.goTo(here);
    }
    this.traces.bind();
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
    else if (this.at !== this.tree.leaf) {
      this.at = this.tree.leaf;
      this.engine.restore(this.tree.leaf.keys[0]!);
      this.engine.trackFrom();
    }
    for (const event of events) this.file(event);
  }

  private file(event: BenchEvent): void {
    const list = this.tree.leaf.events.get(this.now);
    if (list) list.push(event);
    else this.tree.leaf.events.set(this.now, [event]);
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
   * Runs up to `count` scans on from the present; inside a scan, its rest is the first. Stops early at a fault or where
   * `stops` says. Returns how many ran.
   */
  run(count: number, stops?: Stops): number {
    let done = 0;
    if (this.scanStart) {
      const resumed = this.resumeScan(stops);
      if (resumed.hasStopped) return resumed.ran;
      // The scan stood in is the first of those asked for.
      done = resumed.ran;
    }
    const looksInside = stops?.at !== undefined;
    while (done < count) {
      const scan = this.now,
        s = this.tree.after(scan);
      if (s !== this.at) this.enter(s);
      const isNew = s === this.tree.leaf && scan === this.tree.leaf.end;
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
    if (s === this.tree.leaf) this.traces.bind();
  }

  /** What follows a scan that was never run before. */
  private keep(engine: Engine): void {
    const s = this.tree.leaf;
    s.end = engine.scan;
    engine.track();
    this.traces.record(s.end);
    this.tree.keepKey(engine);
  }

  /** The moment after `scan` scans; false when it is not kept. */
  goTo(scan: number): boolean {
    this.leaveScan();
    const target = Math.min(scan, this.end);
    if (target < this.start) return false;
    const isFresh = this.tree.leaf.from === this.tree.leaf.end && target === this.end;
    const s = isFresh ? this.tree.leaf : this.tree.before(target);
    if (target === this.now && s === this.at && target !== this.end) return true;
    const moved = s !== this.at;
    this.at = s;
    seek(this.engine, s, target, moved);
    // At the end, what was applied since the last scan is in force already.
    if (target === this.end) {
      if (this.at === this.tree.leaf) this.performEvents(this.tree.leaf, target);
      this.traces.bind();
    }
    return true;
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
    seek(this.engine, this.at, scan, true);
    if (scan === this.end) this.performEvents(this.tree.leaf, scan);
  }

  /** The start of the scan that comes next, with what is applied before it. */
  private startOfScan(): Snapshot {
    if (this.scanStart) return this.scanStart;
    const scan = this.now,
      s = this.tree.after(scan);
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

  /**
   * One statement or rung on, or one task, or back. `over` passes calls of blocks as one step. Past the last step
   * of a scan lies the next scan's start.
   */
  stepInside(unit: StepUnit, direction: 1 | -1): void {
    const before = this.halt,
      had = this.step;
    if (direction > 0) {
      const start = this.startOfScan(),
        from = before ?? (unit === 'task' ? placesOf(this.engine, start, 0, () => true)[0]?.halt : undefined),
        found = placesOf(this.engine, start, had + 1, (h) => endsStep(unit, h, from)).at(-1);
      if (found && endsStep(unit, found.halt, from)) {
        this.stepTo(found.k, start);
        return;
      }
      // Through the rest of the scan, which is then kept like any other.
      this.scanStart = start;
      this.leaveScan(true);
      return;
    }
    if (before) {
      this.backFrom(this.scanStart!, had, (h) => endsStep(unit, h, before), unit);
      return;
    }
    if (this.now <= this.start) return;
    this.goTo(this.now - 1);
    const start = this.startOfScan();
    this.engine.restore(start);
    this.backFrom(start, this.engine.countSteps(), (h) => unit === 'into' || unit === 'task' || h.depth === 0, unit);
  }
  private backFrom(start: Snapshot, had: number, isStop: (h: Halt) => boolean, unit: StepUnit): void {
    const k = stepsBefore(this.engine, start, had, isStop, unit === 'task');
    if (k > 0) this.stepTo(k, start);
    else {
      this.scanStart = start;
      this.leaveScan();
    }
  }

  /** On from the middle of a scan to its end, or to another place to stop at before that. */
  private resumeScan(stops: Stops | undefined): { readonly hasStopped: boolean; readonly ran: number } {
    const start = this.scanStart!,
      from = this.step;
    if (stops?.at && this.stopInside(start, from, stops)) return { hasStopped: true, ran: 0 };
    this.scanStart = this.halt = undefined;
    this.step = 0;
    this.engine.restore(start);
    let hasStopped = false;
    const ran = this.run(1, { after: (e) => (hasStopped = stops?.after?.(e) ?? false) });
    return { hasStopped, ran };
  }

  /** Looks for the first place to stop at after step `from` of a scan, and stands there. */
  private stopInside(start: Snapshot, from: number, stops: Stops): boolean {
    const after = this.engine.snapshot();
    const found = placesOf(this.engine, start, from + 1, (h) => stops.at!(h, this.engine)).at(-1);
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

  // --- recordings

  /** Everything that came from outside since this line's logic began to run, to replay it elsewhere. */
  recording(): { scan: number; event: BenchEvent }[] {
    return eventsOf(this.tree.recorded());
  }
  /**
   * Everything that came from outside on this line, also before the logic was changed; what was forced at its start
   * comes first.
   */
  doneOutside(): { scan: number; event: BenchEvent }[] {
    return this.tree.doneOutside();
  }
  /** The state of a cold start of today's logic. */
  coldStart(): Uint8Array {
    return new Engine(this.tree.leaf.image, this.tree.leaf.options).snapshot().bytes;
  }
  /** The state that `recording` goes on from. */
  recordingStart(): Snapshot {
    return this.tree.recorded()[0]!.keys[0]!;
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
    const { image, options } = this.tree.leaf;
    const engine = this.engineFor(image, options);
    engine.restart();
    engine.setForces([]);
    if (first) engine.restore(first);
    this.begin(
      this.tree.make(image, options, first ?? engine.snapshot(), 'recording', undefined, this.traces.followed),
      true,
    );
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

  /** Bytes of key snapshots and marks, and of traces. */
  get memory(): { readonly keys: number; readonly traces: number } {
    return { keys: this.tree.keyBytes, traces: this.traces.size };
  }

  /** The innermost place the program stands at, and where each call on the way there was made. */
  callPath(): readonly Span[] {
    return this.halt ? [...this.engine.callPath(), ...(this.halt.at ? [this.halt.at] : [])] : [];
  }
}

const keepable = (engine: Engine, forces: readonly Force[]): readonly Force[] =>
  forces.filter((f) => 'location' in findPath(engine.image, f.path));
