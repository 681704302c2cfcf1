/**
 * The controller around its runner: what it keeps on disk, its key switch, power, battery and network, and its log. What
 * changes what it runs is written first and then done, so that after a power cut it is as it was last said to be.
 */
import type { BenchEvent } from '@ferrule/core';
import type { OutputDiffers } from './beside.js';
import type { Key, Mode, Network } from './cabinet.js';
import type { EventLog } from './event-log.js';
import type { Kept, ProgramStore } from './program-store.js';
import type { Stretch } from './recorder.js';
import type { RecordingStore } from './recordings.js';
import { type RetainedStore, putRetained, retainedCount, retainedOf } from './retained.js';
import { type Prepared, type Program, prepare } from './prepare.js';
import { type Measured, type Runner, carried } from './runner.js';

/** Why something was not done, with its HTTP status. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

export interface CabinetState {
  readonly network: Network;
  readonly key: Key;
  readonly power: boolean;
  readonly isBatteryFlat: boolean;
}

export interface Status extends Measured {
  readonly name: string;
  readonly state: 'empty' | 'run' | 'stop' | 'fault';
  readonly mode: Mode;
  readonly key: Key;
  readonly project?: string;
  readonly revision?: number;
  readonly hash?: string;
  readonly note?: string;
  /** Wall clock, ms since 1970: when the kept program came. */ readonly takenAt?: number;
  readonly trial?: {
    readonly revision: number;
    readonly hash: string;
    readonly by: string;
    readonly ranMs: number;
    readonly leftMs: number;
  };
  readonly beside?: {
    readonly revision: number;
    readonly hash: string;
    readonly ranMs: number;
    readonly scans: number;
    readonly differences: readonly OutputDiffers[];
  };
  readonly scan: number;
  readonly forces: readonly { readonly path: string; readonly value: string }[];
  /** Tags and variables whose values live through a power cut. */ readonly retained: number;
  readonly fault?: string;
  readonly upMs: number;
}

const RETAINED_MS = 500;
/** What a trial may ask for, in ms. */
const GRACE = { least: 2000, most: 3_600_000 };

export class Controller {
  network: Network = 'ok';
  private key: Key = 'remote';
  /** Run or stop as told over the network. */
  private told: Mode = 'stop';
  private power = true;
  private isBatteryFlat = false;
  private startedMs: number;
  private triedBy = '';
  /** Names the trial for who began it: only a word with this ticket keeps it alive. */ private ticket = '';
  /** What is on the disk. */
  private kept: Kept = { mode: 'stop', key: 'remote', isBatteryFlat: false };
  private timer: NodeJS.Timeout | undefined;

  constructor(
    readonly runner: Runner,
    private readonly options: {
      readonly name: string;
      readonly programs: ProgramStore;
      readonly retained: RetainedStore;
      readonly log: EventLog;
      readonly recordings: RecordingStore;
      readonly clockMs: () => number;
      readonly wallMs: () => number;
    },
  ) {
    this.startedMs = options.clockMs();
    runner.onBackOut = (why) => this.log('trial', `The trial was backed out: ${why}. The kept program goes on.`);
    runner.onBesideEnd = (why) => this.log('trial', `The run beside ended: ${why}.`);
    runner.onFault = (line, of, run) => {
      this.log('fault', line);
      if (run) void this.keepRun(of, run, line).catch(() => undefined);
    };
    this.timer = setInterval(() => this.keepRetained(), RETAINED_MS);
  }

  get isOn(): boolean {
    return this.power;
  }
  get cabinet(): CabinetState {
    return { network: this.network, key: this.key, power: this.power, isBatteryFlat: this.isBatteryFlat };
  }
  events(limit: number, after: number) {
    return this.options.log.list(limit, after);
  }
  get droppedEvents(): number {
    return this.options.log.missed;
  }

  /** Power comes: what is on the disk is what it is. */
  async start(): Promise<void> {
    this.power = true;
    this.startedMs = this.options.clockMs();
    let kept: Kept | undefined;
    try {
      kept = this.options.programs.read();
      if (kept) this.kept = kept;
    } catch (e) {
      this.log('memory', `The kept program cannot be read (${(e as Error).message}); the controller is empty.`);
    }
    this.key = kept?.key ?? 'remote';
    this.told = kept?.mode ?? 'stop';
    this.isBatteryFlat = kept?.isBatteryFlat ?? false;
    this.log('power', `Power on. The key switch stands at ${this.key}.`);
    if (this.isBatteryFlat) {
      this.options.retained.lose();
      this.log('memory', 'The battery is flat: retained values begin with their initial values.');
    }
    if (!kept?.program) return;
    let next: Prepared;
    try {
      next = await prepare(kept.program);
    } catch (e) {
      this.log('memory', `The kept program cannot run: ${(e as Error).message} The controller is empty.`);
      return;
    }
    if (!this.power) return;
    this.runner.take(next, 'restart', this.effective, (state) => this.recall(next, state));
    this.log('mode', `${programWords(next)} ${this.effective === 'run' ? 'runs' : 'is stopped'}.`);
  }

  /** Run or stop: the key decides, or what was told where it stands at remote. */
  private get effective(): Mode {
    return this.key === 'remote' ? this.told : this.key;
  }

  /** Retained values from before the power went; what is of another program is not put into this one. */
  private recall(next: Prepared, state: Uint8Array): void {
    if (this.isBatteryFlat || !retainedCount(next.image)) return;
    const { layout } = retainedOf(next.image, state),
      found = this.options.retained.read(layout);
    if (found && putRetained(next.image, state, found)) return;
    this.log('memory', 'There are no whole retained values of this program: they begin with their initial values.');
  }

  private keepRetained(): void {
    const { active } = this.runner;
    if (!active || this.isBatteryFlat) return;
    this.options.retained
      .writeSoon(retainedOf(active.image, active.engine.memory))
      .then(() => {
        this.couldKeep = true;
      })
      .catch((e: Error) => {
        if (this.couldKeep) this.log('memory', `Retained values cannot be written: ${e.message}`);
        this.couldKeep = false;
      });
  }
  private couldKeep = true;

  /** Written first, then done: a full disk leaves everything as it was. */
  private write(change: Partial<Kept>, what: string): void {
    const next = { ...this.kept, mode: this.told, key: this.key, isBatteryFlat: this.isBatteryFlat, ...change };
    try {
      this.options.programs.write(next);
      this.kept = next;
    } catch (e) {
      const { code, message } = e as NodeJS.ErrnoException;
      const why = code === 'ENOSPC' ? 'its disk is full' : code === 'EROFS' ? 'its disk is read-only' : message;
      this.log('memory', `${what} was not done: it could not be written (${why}).`);
      throw new Refusal(507, `The controller could not write that down (${why}); it goes on as it was.`);
    }
  }

  private needsPower(): void {
    if (!this.power) throw new Refusal(503, 'The controller has no power.');
  }

  /** Takes a whole program. `into`: what it is told to do then; the key may say otherwise. */
  async download(program: Sent, how: 'restart' | 'keep', into?: Mode): Promise<readonly string[]> {
    this.needsPower();
    const isFree = () => {
      if (this.runner.trial) throw new Refusal(409, 'A trial is running: keep it or back out, then download.');
    };
    isFree();
    const next = await prepared(program);
    this.needsPower();
    isFree();
    const then = into ?? (how === 'keep' ? this.told : 'stop'),
      before = this.runner.active;
    // The values first, under the new layout too: whichever program is found after a cut finds its values.
    if (before) this.hold(next, carried(before, next, how));
    this.write({ program: next, mode: then }, 'The download');
    this.told = then;
    const lost = this.runner.take(next, how, this.effective);
    this.log(
      'download',
      `${programWords(next)} was downloaded ${how === 'keep' ? 'keeping state' : 'with restart'}${lost.length ? `; not kept: ${lost.join('; ')}` : ''}${program.note ? `. ${program.note}` : ''}`,
    );
    return lost;
  }

  /** Retained values as they will be under a program to come, on disk before it is. */
  private hold(next: Prepared, state: Uint8Array): void {
    if (this.isBatteryFlat) return;
    try {
      this.options.retained.write(retainedOf(next.image, state));
    } catch (e) {
      throw new Refusal(
        507,
        `The controller could not write its retained values (${(e as Error).message}); it goes on as it was.`,
      );
    }
  }

  async try(program: Sent, against: string, graceMs: number, by: string, ticket: string): Promise<readonly string[]> {
    this.needsPower();
    if (!Number.isFinite(graceMs) || graceMs < GRACE.least || graceMs > GRACE.most)
      throw new Refusal(400, 'A trial waits between 2 s and 1 h for a word of who tries it.');
    const isStill = () => {
      if (!this.runner.program || against === this.runner.program.hash) return;
      throw new Refusal(
        409,
        `The controller keeps another program than this was drafted against: rev ${this.runner.program.revision}. Compare again, then try.`,
      );
    };
    isStill();
    const next = await prepared(program);
    this.needsPower();
    isStill();
    let lost: readonly string[];
    try {
      lost = this.runner.try(next, graceMs);
    } catch (e) {
      throw new Refusal(409, (e as Error).message);
    }
    this.triedBy = by;
    this.ticket = ticket;
    this.log('trial', `${by} tries rev ${program.revision} against rev ${this.runner.program!.revision}.`);
    return lost;
  }

  /** The draft runs beside what is kept, its outputs going nowhere. */
  async beside(program: Sent, against: string, by: string): Promise<void> {
    this.needsPower();
    const next = await prepared(program);
    this.needsPower();
    if (against !== this.runner.program?.hash)
      throw new Refusal(409, 'The controller keeps another program than this was drafted against. Compare again.');
    try {
      this.runner.runBeside(next);
    } catch (e) {
      throw new Refusal(409, (e as Error).message);
    }
    this.log('trial', `${by} runs rev ${program.revision} beside rev ${this.runner.program.revision}.`);
  }
  endBeside(by: string): void {
    if (!this.runner.beside) throw new Refusal(409, 'Nothing runs beside.');
    this.runner.endBeside();
    this.log('trial', `${by} ended the run beside.`);
  }

  /** Who tries is there. False when there is no such trial (any more). */
  heard(ticket: string): boolean {
    if (!this.runner.trial || ticket !== this.ticket) return false;
    this.runner.heard();
    return true;
  }

  backOut(by: string): void {
    this.needsPower();
    if (!this.runner.trial) throw new Refusal(409, 'There is no trial to back out of.');
    this.runner.backOut();
    this.log('trial', `${by} backed out of the trial. The kept program goes on.`);
  }

  keep(by: string): void {
    this.needsPower();
    const { trial } = this.runner;
    if (!trial) throw new Refusal(409, 'There is no trial to keep.');
    this.hold(trial, trial.engine.memory);
    this.write({ program: trial }, 'Keeping the trial');
    this.runner.keep();
    this.log('trial', `${by} kept the trial: ${programWords(trial)}.`);
  }

  setMode(mode: Mode): void {
    this.needsPower();
    if (this.key !== 'remote')
      throw new Refusal(
        409,
        `The key switch at the cabinet stands at ${this.key}; turn it to remote to run and stop from here.`,
      );
    if (mode === 'run' && !this.runner.active)
      throw new Refusal(409, 'There is no program to run; download one first.');
    this.write({ mode }, mode === 'run' ? 'Run' : 'Stop');
    this.told = mode;
    this.obey(`told over the network`);
  }

  /** The key is turned by hand; it works whatever the network does. */
  turnKey(key: Key): void {
    this.needsPower();
    this.write({ key }, 'Turning the key');
    this.key = key;
    this.log('mode', `The key switch was turned to ${key}.`);
    this.obey('by the key switch');
  }

  private obey(why: string): void {
    if (!this.runner.active || (this.runner.told === this.effective && this.runner.state !== 'fault')) return;
    this.runner.setMode(this.effective);
    this.log('mode', `${this.effective === 'run' ? 'Run' : 'Stop'}, ${why}.`);
  }

  private async keepRun(of: Prepared, run: Stretch, why: string): Promise<number> {
    try {
      const id = await this.options.recordings.add(of, run, why, this.options.wallMs());
      this.log(
        'memory',
        `A recording was kept: ${(run.end - run.first.scan).toLocaleString('en')} scans up to '${why}'.`,
      );
      return id;
    } catch (e) {
      this.log('memory', `The recording could not be kept: ${(e as Error).message}`);
      throw new Refusal(507, `The recording could not be kept: ${(e as Error).message}`);
    }
  }

  /** Takes the last stretch of what runs, at least `ms` long where there is so much. The scan goes on meanwhile. */
  async takeRun(ms: number): Promise<number> {
    this.needsPower();
    const { active } = this.runner;
    if (!active) throw new Refusal(409, 'There is no program, so nothing was recorded.');
    const run = this.runner.recorded(Math.ceil((ms * 1e6) / Number(active.engine.stepNs)));
    if (!run || run.end === run.first.scan)
      throw new Refusal(409, 'Nothing was recorded yet: the logic has not run since it began.');
    return this.keepRun(active, run, 'taken by hand');
  }
  get recordings(): RecordingStore {
    return this.options.recordings;
  }

  /** Off: all that is not on disk is gone. On: as it was kept. */
  async setPower(on: boolean): Promise<void> {
    if (on === this.power) return;
    if (on) return this.start();
    const { active } = this.runner;
    if (active && !this.isBatteryFlat) {
      try {
        this.options.retained.write(retainedOf(active.image, active.engine.memory));
      } catch {
        // The last whole set stays.
      }
    }
    this.log('power', this.runner.trial ? 'Power off, during a trial.' : 'Power off.');
    this.runner.clear();
    this.power = false;
  }

  setBattery(isFlat: boolean): void {
    this.write({ isBatteryFlat: isFlat }, 'Changing the battery');
    this.isBatteryFlat = isFlat;
    this.log('power', isFlat ? 'The battery is flat.' : 'A new battery.');
  }

  setNetwork(state: Network): void {
    this.network = state;
    this.log('link', `The network is ${{ ok: 'on', slow: 'slow', cut: 'cut' }[state]}.`);
  }

  apply(event: BenchEvent): void {
    this.needsPower();
    this.runner.apply(event);
    if (event.kind === 'releaseAll') this.log('force', 'All forces released.');
    else if (event.kind === 'force')
      this.log(
        'force',
        event.value === undefined ? `${event.path} released.` : `${event.path} forced to ${String(event.value)}.`,
      );
  }

  status(): Status {
    const { runner, options } = this,
      { program, trial, engine, trialMs } = runner;
    return {
      name: options.name,
      state: runner.state,
      mode: this.effective,
      key: this.key,
      ...(program
        ? {
            project: program.name,
            revision: program.revision,
            hash: program.hash,
            takenAt: program.takenAt,
            ...(program.note ? { note: program.note } : {}),
          }
        : {}),
      ...(trial && trialMs
        ? { trial: { revision: trial.revision, hash: trial.hash, by: this.triedBy, ...trialMs } }
        : {}),
      ...(runner.beside
        ? {
            beside: {
              revision: runner.beside.program.revision,
              hash: runner.beside.program.hash,
              ranMs: runner.besideForMs,
              scans: runner.beside.scans,
              differences: runner.beside.differences,
            },
          }
        : {}),
      ...runner.figures,
      scan: engine?.scan ?? 0,
      forces: engine?.listForces().map((f) => ({ path: f.path, value: String(f.value) })) ?? [],
      retained: runner.active ? retainedCount(runner.active.image) : 0,
      ...(engine?.fault ? { fault: engine.faultLine() } : {}),
      upMs: options.clockMs() - this.startedMs,
    };
  }

  /** The process ends in order: a power cut that was foreseen. */
  end(): void {
    clearInterval(this.timer);
    const { active } = this.runner;
    if (active && !this.isBatteryFlat) {
      try {
        this.options.retained.write(retainedOf(active.image, active.engine.memory));
      } catch {
        // The last whole set stays.
      }
    }
    this.runner.stop();
    if (this.power) this.log('power', 'The stand-in was ended.');
    this.options.recordings.close();
    this.options.log.close();
  }

  private log(kind: Parameters<EventLog['add']>[0], words: string): void {
    this.options.log.add(kind, words);
  }
}

type Sent = Omit<Program, 'name'>;
async function prepared(program: Sent): Promise<Prepared> {
  try {
    return await prepare(program);
  } catch (e) {
    throw new Refusal(422, (e as Error).message);
  }
}

const programWords = (p: Program): string => `${p.name}, rev ${p.revision}`;
