/**
 * Runs programs scan by scan in real time: its own clock is the only one in Ferrule that is not simulated. There is the
 * kept program, and at times one on trial beside it, which the machine obeys instead. In stop and after a fault the
 * logic rests, outputs are off, and the machine goes on.
 */
import {
  type BenchEvent,
  type Engine,
  OutsideInputs,
  type Snapshot,
  performOn,
  pulledForces,
  forcesAfter,
  transferBy,
} from '@ferrule/core/bench';
import { sizeOf } from '@ferrule/core/language';
import { Beside } from './beside.js';
import type { Mode } from './cabinet.js';
import { type Loaded, planOf } from './loaded.js';
import { Lateness } from './lateness.js';
import type { Measured } from './scan-messages.js';
import { Recorder, type Stretch } from './recorder.js';

/** A program that the machine obeys for a while. */
interface Trial {
  readonly program: Loaded;
  readonly sinceMs: number;
  /** Without a word from who tries it for so long, it is backed out. */ readonly graceMs: number;
  heardMs: number;
}

const MAX_CATCH_UP = 5;
/** Of the scan's interval that the kept program and a draft beside it may take together. */
const BESIDE_SHARE = 0.5;
/** A condition that comes and goes is recorded this often at most. */
const RECORD_REST_MS = 10_000;

export class Runner {
  private kept: Loaded | undefined;
  private onTrial: Trial | undefined;
  private mode: Mode = 'stop';
  private dueMs = 0;
  private measured = { usedMs: 0, worstMs: 0, missed: 0 };
  private late = new Lateness();
  /** Told when a trial ends by itself, and when the logic faults. */
  onBackOut: (why: string) => void = () => undefined;
  onBesideEnd: (why: string, of: Beside) => void = () => undefined;
  onRecord: (of: Loaded, run: Stretch) => void = () => undefined;
  onFault: (of: Loaded, run: Stretch | undefined) => void = () => undefined;
  private readonly recorder = new Recorder();
  /** What another program gives, where the program has inputs of it. */ readonly inputs = new OutsideInputs();

  /** `clockMs` is a monotonic clock in milliseconds. */
  constructor(private readonly clockMs: () => number) {}

  get program(): Loaded | undefined {
    return this.kept;
  }
  get trial(): Loaded | undefined {
    return this.onTrial?.program;
  }
  /** What the machine obeys. */
  get active(): Loaded | undefined {
    return this.onTrial?.program ?? this.kept;
  }
  get engine(): Engine | undefined {
    return this.active?.engine;
  }
  get state(): 'empty' | 'run' | 'stop' | 'fault' {
    return !this.active ? 'empty' : this.active.engine.fault ? 'fault' : this.mode;
  }
  get told(): Mode {
    return this.mode;
  }
  get figures(): Measured {
    const { late, engine, measured } = this;
    return {
      scanMs: engine ? Number(engine.stepNs) / 1e6 : 0,
      ...measured,
      jitterMs: late.worstMs,
      mostlyMs: late.percentile(99.9),
      measuredScans: late.scans,
    };
  }
  /** Milliseconds that a trial has run, and that are left to it without a word. */
  get trialMs(): { readonly ranMs: number; readonly leftMs: number } | undefined {
    const t = this.onTrial,
      now = this.clockMs();
    return t && { ranMs: now - t.sinceMs, leftMs: t.heardMs + t.graceMs - now };
  }

  /**
   * Takes a program between two scans, in place of all there is. `keep`: with every value that fits; `restart`: the
   * logic begins anew with its retained values (with the state `start` where nothing ran before), and the machine goes
   * on. Returns what was lost, in words.
   */
  take(next: Loaded, how: 'restart' | 'keep', mode: Mode, start?: Uint8Array): readonly string[] {
    const before = this.active;
    let lost: readonly string[] = [];
    if (before && how === 'keep') lost = carry(before, next, this.pulled);
    else restartLogic(next, before, this.pulled, start);
    this.onTrial = undefined;
    this.kept = next;
    this.measureAnew();
    this.mode = mode;
    this.record();
    this.dueMs = this.clockMs();
    return lost;
  }

  /** Figures count from here on. */
  measureAnew(): void {
    this.measured = { usedMs: this.measured.usedMs, worstMs: 0, missed: 0 };
    this.late = new Lateness();
  }

  /** Nothing is left in memory: the power is off. */
  clear(): void {
    this.beside = undefined;
    this.kept = this.onTrial = undefined;
    this.mode = 'stop';
  }

  /** The machine obeys `next` from the coming scan on, with every value that fits; the kept program waits. */
  try(next: Loaded, graceMs: number): readonly string[] {
    if (!this.kept) throw new Error('There is no program to try another one against; download it.');
    if (this.onTrial) throw new Error('A trial is running already: keep it or back out first.');
    const now = this.clockMs();
    const lost = carry(this.kept, next, this.pulled);
    this.onTrial = { program: next, sinceMs: now, heardMs: now, graceMs };
    this.record();
    return lost;
  }

  /** Who tries is still there. */
  heard(): void {
    if (this.onTrial) this.onTrial.heardMs = this.clockMs();
  }

  /**
   * The kept program again, with what the machine and the trial have done since; what only it has stays as it stood.
   */
  backOut(): void {
    const { onTrial: trial, kept } = this;
    if (!trial || !kept) return;
    carry(trial.program, kept, this.pulled, kept.engine.snapshot().bytes);
    this.onTrial = undefined;
    this.record();
  }

  /** The trial is what is kept from now on; it runs on as it is. Throws where it has ended. */
  keep(): void {
    if (!this.onTrial) throw new Error('There is no trial any more.');
    this.kept = this.onTrial.program;
    this.onTrial = undefined;
  }

  /** Run begins the logic anew with its retained values; a fault is left by it. */
  setMode(mode: Mode): void {
    if (mode === 'run' && !this.active) throw new Error('There is no program to run; download one first.');
    const isNew = mode === 'run' && (this.active!.engine.fault !== undefined || this.mode === 'stop');
    if (isNew) restartLogic(this.active!, this.active, this.pulled);
    this.mode = mode;
    if (isNew || mode === 'stop') this.record();
  }

  /** The same program made with another condition to record on: it goes on as it is. Throws where it cannot. */
  exchange(next: Loaded): void {
    const { kept } = this;
    if (!kept) throw new Error('There is no program.');
    if (this.onTrial) throw new Error('A trial is running: keep it or back out first.');
    if (kept.engine.fault) throw new Error('The logic has faulted: run it again first.');
    this.endBesideOf('what it ran beside changed');
    const here = kept.engine.snapshot();
    if (next.image.stateSize !== kept.image.stateSize) throw new Error('That is another program.');
    next.engine.restore(here);
    this.kept = next;
    this.recorder.goOn(next.engine);
  }

  /** Whether the condition to record on was so in the scan before, and when it was recorded last. */
  private wasSo = false;
  private recordedMs = -Infinity;
  private watchCondition(of: Loaded): void {
    if (!of.image.expressionCount) return;
    const isSo = of.engine.evaluate(0) !== 0,
      now = this.clockMs();
    if (isSo && !this.wasSo && now - this.recordedMs >= RECORD_REST_MS) {
      this.recordedMs = now;
      const run = this.recorder.take(of.engine.scan);
      if (run) this.onRecord(of, run);
    }
    this.wasSo = isSo;
  }

  /** A draft on the same inputs, its outputs going nowhere. */
  beside: Beside | undefined;
  runBeside(next: Loaded): void {
    if (!this.kept || this.state !== 'run') throw new Error('The kept program must run, for a draft to run beside it.');
    if (this.onTrial) throw new Error('A trial is running: keep it or back out first.');
    this.beside = new Beside(this.kept, next, this.clockMs());
    this.besideMs = 0;
  }
  endBeside(): void {
    this.beside = undefined;
  }
  /** Milliseconds since the draft runs beside. */
  get besideForMs(): number {
    return this.beside ? this.clockMs() - this.beside.sinceMs : 0;
  }
  /** Milliseconds that the draft's scan takes, the mean of late. */
  private besideMs = 0;
  private scanBeside(): void {
    const { beside } = this;
    if (!beside) return;
    const before = this.clockMs(),
      ok = beside.scan();
    this.besideMs += (this.clockMs() - before - this.besideMs) / 100;
    const why = !ok
      ? 'the draft faulted'
      : this.besideMs + this.measured.usedMs > (BESIDE_SHARE * Number(beside.engine.stepNs)) / 1e6
        ? 'both together would take more than half of the scan'
        : undefined;
    if (why === undefined) return;
    this.beside = undefined;
    this.onBesideEnd(why, beside);
  }

  private endBesideOf(why: string): void {
    const { beside } = this;
    this.beside = undefined;
    if (beside) this.onBesideEnd(why, beside);
  }

  /** A line of the recording begins here, or ends where the logic rests; a draft beside was of the line before. */
  private record(): void {
    this.endBesideOf('what it ran beside changed');
    this.wasSo = false;
    const { engine } = this;
    if (engine && this.mode === 'run' && !engine.fault) this.recorder.begin(engine);
    else this.recorder.pause();
  }

  /** The last scans of what runs, or of what ran last; at least so many where there are. */
  recorded(scans = Infinity): Stretch | undefined {
    return this.engine && this.recorder.take(this.lastScan, scans);
  }
  /** Scans done when the logic last ran. */
  private lastScan = 0;

  apply(event: BenchEvent): void {
    const { engine } = this;
    if (!engine) throw new Error('There is no program.');
    this.recorder.note(event);
    this.beside?.apply(event);
    performOn(engine, event);
  }

  /** Cards of the cabinet that are not in their places (ids of cards.ts), whatever the program. */
  private pulled: readonly string[] = [];
  setPulled(ids: readonly string[]): void {
    const { active } = this,
      before = this.pulled;
    this.pulled = ids;
    if (!active) return;
    const of = (all: readonly string[]) => pulledForces(active.image, all);
    for (const f of of(before.filter((id) => !ids.includes(id))))
      this.apply({ kind: 'force', path: f.path, by: 'card' });
    for (const f of of(ids.filter((id) => !before.includes(id)))) this.apply({ kind: 'force', ...f });
  }

  /** Whether the last `tick` ran a scan. */
  hasJustScanned = false;

  /** Runs the scans that are due. Gives the milliseconds until the next one, undefined where there is no program. */
  tick(): number | undefined {
    const { engine, measured: m } = this;
    this.hasJustScanned = false;
    if (!engine) return undefined;
    const stepMs = Number(engine.stepNs) / 1e6,
      start = this.clockMs();
    if (start < this.dueMs) return this.dueMs - start;
    this.late.add(start - this.dueMs);
    let behind = Math.floor((start - this.dueMs) / stepMs) + 1;
    if (behind > MAX_CATCH_UP) {
      m.missed += behind - MAX_CATCH_UP;
      this.dueMs += (behind - MAX_CATCH_UP) * stepMs;
      behind = MAX_CATCH_UP;
    }
    for (let i = 0; i < behind; i++) {
      const before = this.clockMs();
      this.scan();
      const used = this.clockMs() - before;
      m.usedMs += (used - m.usedMs) / 100;
      m.worstMs = Math.max(m.worstMs, used);
      this.dueMs += stepMs;
    }
    this.hasJustScanned = true;
    return Math.max(0, this.dueMs - this.clockMs());
  }

  /** One scan of what there is. */
  scan(): void {
    const left = this.trialMs;
    if (left && left.leftMs < 0) {
      this.backOut();
      this.onBackOut('who tried it was not heard of any more');
    }
    const { engine } = this;
    if (!engine) return;
    for (const e of this.inputs.due(engine, this.active!.outside)) this.apply(e);
    if (this.mode === 'stop' || engine.fault) {
      engine.runIdle();
      return;
    }
    const of = this.active!;
    if (engine.runScan()) {
      this.lastScan = engine.scan;
      this.recorder.scanned();
      this.watchCondition(of);
      this.scanBeside();
      return;
    }
    this.lastScan = engine.scan;
    this.onFault(of, this.recorder.take(engine.scan));
    this.recorder.pause();
    if (!this.onTrial) return;
    this.backOut();
    this.onBackOut('it faulted');
  }
}

/**
 * `to` goes on where `from` stands: its values by name and type, its forces, its time. `base`: what `to` held before.
 */
function carry(from: Loaded, to: Loaded, pulled: readonly string[], base?: Uint8Array): readonly string[] {
  const here = from.engine.snapshot(),
    moved = transferBy(planOf(from, to, 'all'), here.bytes, base ?? to.image.initial);
  to.engine.restore({
    scan: scanAt(to, from.engine.timeNs),
    bytes: moved.bytes,
    forces: keepable(to, forcesAfter(moved.renamed, here.forces), pulled),
  });
  return [...moved.lost, ...moved.gone];
}

/** The logic begins anew; what is retained, the forces, the machine and the time go on. */
function restartLogic(to: Loaded, from: Loaded | undefined, pulled: readonly string[], start?: Uint8Array): void {
  if (!from) {
    to.engine.restart(start);
    to.engine.setForces(pulledForces(to.image, pulled));
    return;
  }
  const here = from.engine.snapshot(),
    plan = planOf(from, to, 'retained'),
    bytes = transferBy(plan, here.bytes, to.image.initial).bytes,
    all = transferBy(planOf(from, to, 'all'), here.bytes, to.image.initial).bytes,
    index = to.image.machine,
    machine = index === undefined ? undefined : to.image.symbols.get(to.image.programs[index]!.toLowerCase());
  if (machine) bytes.set(all.subarray(machine.address, machine.address + sizeOf(machine.type)), machine.address);
  to.engine.restore({
    scan: rasterAfter(to, from.engine.timeNs),
    bytes,
    forces: keepable(to, forcesAfter(plan.renamed, here.forces), pulled),
  });
}

/** Forces of places that `to` has, and what stands in it for the cards that are pulled. */
const keepable = (to: Loaded, forces: Snapshot['forces'], pulled: readonly string[]): Snapshot['forces'] => [
  ...forces.filter((f) => {
    if (f.by) return false;
    try {
      to.engine.locate(f.path);
      return true;
    } catch {
      return false;
    }
  }),
  ...pulledForces(to.image, pulled).map((byCard) => forces.find((f) => f.by && f.path === byCard.path) ?? byCard),
];

const ceilDiv = (a: bigint, b: bigint): bigint => (a + b - 1n) / b;
const scanAt = (p: Loaded, timeNs: bigint): number => Number(ceilDiv(timeNs, p.engine.stepNs));

/**
 * The next scan at which all tasks are due, so that a start at any time is like one at time 0; without one within a
 * minute, the next scan.
 */
function rasterAfter(p: Loaded, timeNs: bigint): number {
  const gcd = (a: bigint, b: bigint): bigint => (b ? gcd(b, a % b) : a);
  const all = p.image.tasks
    .map((t) => t.intervalNs)
    .filter((n) => n > 0n)
    .reduce((a, b) => (a / gcd(a, b)) * b, p.engine.stepNs);
  return all > 60_000_000_000n ? scanAt(p, timeNs) : Number((ceilDiv(timeNs, all) * all) / p.engine.stepNs);
}
