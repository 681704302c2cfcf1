/**
 * The controller around its runner: what it keeps on disk, its key switch, power, battery and network, and its log.
 * What changes what it runs is written first and then done, so that after a power cut it is as it was last said to be.
 *
 * The stand-in (`packages/controller`) has a network side, which the cable carries and which can be slow or cut, and a
 * cabinet side worked by hand: key switch, power, battery, cards. A card that is pulled (`core/runtime/cards.ts`; cards
 * follow from the program's addresses) is a force that the card puts in, kept apart from everybody's: so snapshots,
 * trials, recordings and replays carry it like any other. System tags that the controller sets
 * (`core/runtime/given.ts`: forces, link lost, card pulled) are inputs to a proof: anything may come of them. The scan
 * has a thread of its own (`scan-worker.ts`): it sleeps until a scan is due or something is asked, and nothing else
 * runs there; where the system allows it, it comes before every other thread (`priority.ts`). What is asked
 * (`scan-messages.ts`) is taken between two scans, one at a time and none right before a scan, by `ScanServer`; the
 * other side (`Scan`) hands programs over without what only tells where in the source something is, its symbols in
 * small lots, and looks at what runs in a copy of its memory in shared memory, through an engine of the same image that
 * never runs (`Engine.show`); a fault crosses as the record it is told from. Tests run the same two sides over the same
 * messages without a thread, with scans made by hand. A program is announced with size and hash (the bench desk stays
 * behind, so that a point ticked off in the I/O checkout makes no other program), sent in parts, and read, checked,
 * compiled and translated in another thread (`make.ts`); what it was made into lies beside it on disk
 * (`image-store.ts`), so that after a power cut it runs without being compiled. The runner knows the kept program and
 * at times one on trial, which the machine obeys instead; values go from one to the other by name and type
 * (`transferPlan`, worked out beside the scan; between two scans it is only copied), and back again with what the trial
 * and the machine have done since. A trial ends by itself without a word of the page that holds it, when it faults, and
 * with the power. In stop and after a fault outputs are off, or at the value that their tag has for it, and the machine
 * model goes on (`Engine.runIdle`); run begins the logic anew with its retained values, at a time at which all tasks
 * are due. What changes what it runs is written first and then done, one after the other (`controller.ts`): the kept
 * program in one file that is replaced whole (where a disk takes its new name, then neither brings it to the disk nor
 * takes it back, that is said, and written again until it does), retained values in two records written in turn with
 * checksums, each with the layout it belongs to; `e2e/kills.spec.ts` kills it at any moment of that. The recorder
 * (`recorder.ts`) keeps a snapshot every ten seconds and everything that came from outside; a stretch is kept on a
 * fault, by hand, or when a condition comes on (an expression, compiled beside the program and evaluated after each
 * scan), is played once more in a thread to know the bytes it ends in, and is then an ordinary recording of a run.
 * Event log and recordings are in SQLite. A draft beside (`beside.ts`) gets the kept program's inputs after each of its
 * scans and runs without machine and wires; outputs are compared by name, and it is watched live as what runs is
 * (`/live?of=beside`). Before a try the server runs both programs from the controller's state of that moment for ten
 * scans (`core/runtime/preview.ts`). Every request brings the controller's key (`access.ts`), made at the first start
 * in its folder; requests of a browser's pages, or under other host names, are refused. What differs between the open
 * project and what the controller keeps is shown where it stands (`web/components/at-controller.tsx`).
 */
import { type BenchEvent, type Card, cardWords, cardsOf, transferState } from '@ferrule/core/bench';
import { many } from '@ferrule/core/language';
import type { OutputDiffers } from './beside.js';
import type { Key, Mode, Network } from './cabinet.js';
import type { EventLog } from './event-log.js';
import type { Open } from '@ferrule/protocols';
import { type Kept, type ProgramStore, UnsureError } from './program-store.js';
import type { Stretch } from './recorder.js';
import type { ImageStore } from './image-store.js';
import type { RecordingStore } from './recordings.js';
import { type RetainedStore, putRetained, retainedCount, retainedOf } from './retained.js';
import { type Prepared, type Program, prepare } from './prepare.js';
import type { Scan } from './scan.js';
import type { Measured } from './scan-messages.js';

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
  /** The cards that the program's inputs and outputs lie on, and those that are pulled though it needs them not. */
  readonly cards: readonly CardShown[];
}
export interface CardShown extends Card {
  readonly isPulled: boolean;
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
  /** The condition to record on, and why it does not fit the program. */
  readonly recordWhen?: string;
  readonly noCondition?: string;
  /** Pages and programs that look at live values now. */ readonly views: number;
  readonly scan: number;
  readonly forces: readonly { readonly path: string; readonly value: string }[];
  /** Tags and variables whose values live through a power cut. */ readonly retained: number;
  readonly fault?: string;
  readonly upMs: number;
}

const RETAINED_MS = 500;
/** How often a disk is asked to take what it may not hold. */
const UNSURE_MS = 1000;
/** What a trial may ask for, in ms. */
const GRACE = { least: 2000, most: 3_600_000 };

export class Controller {
  network: Network = 'ok';
  /** Who looks at live values: told by the network's side. */
  views = 0;
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
    readonly scan: Scan,
    private readonly options: {
      readonly name: string;
      readonly programs: ProgramStore;
      readonly retained: RetainedStore;
      readonly images: ImageStore;
      readonly log: EventLog;
      readonly recordings: RecordingStore;
      readonly clockMs: () => number;
      readonly wallMs: () => number;
    },
  ) {
    this.startedMs = options.clockMs();
    scan.onBackOut = (why) => this.log('trial', `The trial was backed out: ${why}. The kept program goes on.`);
    scan.onBesideEnd = (why) => this.log('trial', `The run beside ended: ${why}.`);
    scan.onRecord = (of, run) =>
      void this.keepRun(of, run, `${this.kept.recordWhen ?? 'the condition'} came on`).catch(() => undefined);
    scan.onFault = (line, of, run) => {
      this.log('fault', line);
      if (run) void this.keepRun(of, run, line).catch(() => undefined);
    };
    this.timer = setInterval(() => void this.keepRetained().catch(() => undefined), RETAINED_MS);
  }

  get isOn(): boolean {
    return this.power;
  }
  get cabinet(): CabinetState {
    const { network, key, power, isBatteryFlat, cards } = this;
    return { network, key, power, isBatteryFlat, cards };
  }
  private readonly cardsKnown = new WeakMap<Prepared, readonly Card[]>();
  private get cards(): readonly CardShown[] {
    const { program } = this.scan,
      pulled = this.kept.pulled ?? [],
      cards = (program && (this.cardsKnown.get(program) ?? cardsOf(program.image))) ?? [];
    if (program) this.cardsKnown.set(program, cards);
    const needless = pulled.filter((id) => !cards.some((c) => c.id === id));
    return [
      ...cards.map((c) => ({ ...c, isPulled: pulled.includes(c.id) })),
      ...needless.map((id) => ({ id, words: cardWords(id), tags: [], isPulled: true })),
    ];
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
    this.onOpen();
    const time = ++this.switched;
    await this.goingOff;
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
    const pulled = kept?.pulled ?? [];
    await this.scan.pulled(pulled);
    if (pulled.length) this.log('link', `Pulled: ${pulled.map(cardWords).join('; ')}.`);
    if (this.isBatteryFlat) {
      this.options.retained.lose();
      this.log('memory', 'The battery is flat: retained values begin with their initial values.');
    }
    if (!kept?.program) return;
    let next: Prepared;
    try {
      next = await prepare(kept.program, kept.recordWhen, this.options.images);
    } catch (e) {
      this.log('memory', `The kept program cannot run: ${(e as Error).message} The controller is empty.`);
      return;
    }
    if (time !== this.switched) return;
    const state = next.image.initial.slice();
    this.recall(next, state);
    await this.scan.take(next, 'restart', this.effective, state);
    this.made(next);
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

  private async keepRetained(): Promise<void> {
    if (!this.scan.active || this.isBatteryFlat) return;
    await this.scan.look();
    const { active } = this.scan;
    if (!active || !this.power) return;
    try {
      await this.options.retained.writeSoon(retainedOf(active.image, active.engine.memory));
      this.couldKeep = true;
    } catch (e) {
      if (this.couldKeep) this.log('memory', `Retained values cannot be written: ${(e as Error).message}`);
      this.couldKeep = false;
    }
  }
  private couldKeep = true;

  /** Written first, then done: a full disk leaves everything as it was. */
  private write(change: Partial<Kept>, what: string): void {
    const next: Kept = { ...this.kept, mode: this.told, key: this.key, isBatteryFlat: this.isBatteryFlat, ...change };
    try {
      this.options.programs.write(next);
      this.kept = next;
      this.isSure();
    } catch (e) {
      const { code, message } = (e instanceof UnsureError ? e.cause : e) as NodeJS.ErrnoException;
      const why = code === 'ENOSPC' ? 'its disk is full' : code === 'EROFS' ? 'its disk is read-only' : message;
      if (e instanceof UnsureError) {
        this.log('memory', `${what} was not done, and the disk may hold it all the same (${why}).`);
        this.unsure ??= setInterval(() => this.makeSure(), UNSURE_MS);
        throw new Refusal(
          507,
          `The controller could not bring that to its disk (${why}), nor take it away again. It goes on as it was; after a start either may be there, until its disk is well.`,
        );
      }
      this.log('memory', `${what} was not done: it could not be written (${why}).`);
      throw new Refusal(507, `The controller could not write that down (${why}); it goes on as it was.`);
    }
  }

  /** What was written and then could not be done: the disk is to hold what was there before. */
  private takeBack(before: Partial<Kept>, what: string): void {
    this.kept = { ...this.kept, ...before };
    try {
      this.options.programs.write(this.kept);
      this.isSure();
    } catch (e) {
      const { message } = e as Error;
      this.log(
        'memory',
        `${what} was not done, and the disk holds it all the same: it cannot be taken back (${message}).`,
      );
      this.unsure ??= setInterval(() => this.makeSure(), UNSURE_MS);
      throw new Refusal(
        507,
        `${what} could not be done after it was written, and the controller could not take it off its disk again (${message}). It goes on as it was; after a start either may be there, until its disk is well.`,
      );
    }
  }

  /** Runs while the disk may hold something else than what is kept: that is written again until the disk takes it. */
  private unsure: NodeJS.Timeout | undefined;
  private makeSure(): void {
    if (!this.power) return;
    try {
      this.options.programs.write(this.kept);
      this.log('memory', 'The disk is well again and holds what the controller keeps.');
      this.isSure();
    } catch {
      // Once more after a while.
    }
  }
  private isSure(): void {
    clearInterval(this.unsure);
    this.unsure = undefined;
  }

  /** What is written and then done: one after the other, so that nothing comes between the two. */
  private alone<T>(work: () => Promise<T>): Promise<T> {
    const done = this.last.then(work);
    this.last = done.catch(() => undefined);
    return done;
  }
  private last: Promise<unknown> = Promise.resolve();

  private needsPower(): void {
    if (!this.power) throw new Refusal(503, 'The controller has no power.');
  }

  /** Takes a whole program. `into`: what it is told to do then; the key may say otherwise. */
  async download(program: Sent, how: 'restart' | 'keep', into?: Mode): Promise<readonly string[]> {
    this.needsPower();
    const isFree = () => {
      if (this.scan.trial) throw new Refusal(409, 'A trial is running: keep it or back out, then download.');
    };
    isFree();
    const next = await prepared(program, this.kept.recordWhen);
    this.needsPower();
    isFree();
    const lost = await this.alone(async () => {
      await this.scan.look();
      this.needsPower();
      isFree();
      const then = into ?? (how === 'keep' ? this.told : 'stop'),
        before = this.scan.active;
      // The values first, under the new layout too: whichever program is found after a cut finds its values.
      if (before) this.hold(next, carried(before, next, how));
      this.write({ program: next, mode: then }, 'The download');
      this.told = then;
      return this.scan.take(next, how, this.effective);
    });
    this.made(next);
    this.log(
      'download',
      `${programWords(next)} was downloaded ${how === 'keep' ? 'keeping state' : 'with restart'}${lost.length ? `; not kept: ${lost.join('; ')}` : ''}${program.note ? `. ${program.note}` : ''}`,
    );
    return lost;
  }

  /** It is what runs: the next start finds it made. */
  private made(program: Prepared): void {
    void this.options.images.write(program.hash, program, this.kept.recordWhen);
    if (program.noCondition)
      this.log('memory', `The condition to record on does not fit this program: ${program.noCondition}`);
  }

  /** From now on what led to it is recorded when this comes on; undefined: only faults are. */
  async recordWhen(text: string | undefined): Promise<void> {
    this.needsPower();
    const { program } = this.scan,
      next = program && (await prepared(program, text));
    if (next?.noCondition) throw new Refusal(422, next.noCondition);
    await this.alone(async () => {
      this.needsPower();
      if (next && this.scan.program !== program) throw new Refusal(409, 'The program changed meanwhile; say it again.');
      const { recordWhen: before } = this.kept;
      this.write({ recordWhen: text }, 'The condition to record on');
      try {
        if (next) await this.scan.exchange(next);
      } catch (e) {
        this.takeBack({ recordWhen: before }, 'The condition to record on');
        throw new Refusal(409, (e as Error).message);
      }
      if (next) this.made(next);
      this.log(
        'memory',
        text ? `What leads to '${text}' is recorded from now on.` : 'Only faults are recorded by themselves.',
      );
    });
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
      const { program: kept } = this.scan;
      if (!kept || against === kept.hash) return;
      throw new Refusal(
        409,
        `The controller keeps another program than this was drafted against: rev ${kept.revision}. Compare again, then try.`,
      );
    };
    isStill();
    const next = await prepared(program, this.kept.recordWhen);
    this.needsPower();
    isStill();
    return this.alone(async () => {
      this.needsPower();
      isStill();
      const before = { by: this.triedBy, ticket: this.ticket };
      this.triedBy = by;
      this.ticket = ticket;
      try {
        const lost = await this.scan.try(next, graceMs);
        this.log('trial', `${by} tries rev ${program.revision} against rev ${this.scan.program?.revision}.`);
        return lost;
      } catch (e) {
        this.triedBy = before.by;
        this.ticket = before.ticket;
        throw new Refusal(409, (e as Error).message);
      }
    });
  }

  /** The draft runs beside what is kept, its outputs going nowhere. */
  async beside(program: Sent, against: string, by: string): Promise<void> {
    this.needsPower();
    const next = await prepared(program, this.kept.recordWhen);
    this.needsPower();
    if (against !== this.scan.program?.hash)
      throw new Refusal(409, 'The controller keeps another program than this was drafted against. Compare again.');
    try {
      await this.scan.runBeside(next);
    } catch (e) {
      throw new Refusal(409, (e as Error).message);
    }
    this.log('trial', `${by} runs rev ${program.revision} beside rev ${this.scan.program?.revision}.`);
  }
  async endBeside(by: string): Promise<void> {
    if (!this.scan.besideProgram) throw new Refusal(409, 'Nothing runs beside.');
    await this.scan.endBeside();
    this.log('trial', `${by} ended the run beside.`);
  }

  /** Who tries is there. False when there is no such trial (any more). */
  async heard(ticket: string): Promise<boolean> {
    if (!this.scan.trial || ticket !== this.ticket) return false;
    await this.scan.heard();
    return this.scan.trial !== undefined;
  }

  async backOut(by: string): Promise<void> {
    this.needsPower();
    if (!this.scan.trial) throw new Refusal(409, 'There is no trial to back out of.');
    await this.scan.backOut();
    this.log('trial', `${by} backed out of the trial. The kept program goes on.`);
  }

  keep(by: string): Promise<void> {
    return this.alone(async () => {
      this.needsPower();
      // A word of who tries it: its time does not run out while it is written.
      await this.scan.heard();
      await this.scan.look();
      const { trial } = this.scan,
        { program: before } = this.kept;
      if (!trial) throw new Refusal(409, 'There is no trial to keep.');
      this.hold(trial, trial.engine.memory);
      this.write({ program: trial }, 'Keeping the trial');
      try {
        await this.scan.keep();
      } catch {
        // It faulted or was backed out while it was being written: what goes on is what is kept.
        this.takeBack(before ? { program: before } : {}, 'Keeping the trial');
        throw new Refusal(409, 'The trial ended before it was kept; the kept program goes on.');
      }
      this.made(trial);
      this.log('trial', `${by} kept the trial: ${programWords(trial)}.`);
    });
  }

  async setMode(mode: Mode): Promise<void> {
    this.needsPower();
    if (this.key !== 'remote')
      throw new Refusal(
        409,
        `The key switch at the cabinet stands at ${this.key}; turn it to remote to run and stop from here.`,
      );
    if (mode === 'run' && !this.scan.active) throw new Refusal(409, 'There is no program to run; download one first.');
    this.write({ mode }, mode === 'run' ? 'Run' : 'Stop');
    this.told = mode;
    await this.obey(`told over the network`);
  }

  /** The key is turned by hand; it works whatever the network does. */
  async turnKey(key: Key): Promise<void> {
    this.needsPower();
    this.write({ key }, 'Turning the key');
    this.key = key;
    this.log('mode', `The key switch was turned to ${key}.`);
    await this.obey('by the key switch');
  }

  private async obey(why: string): Promise<void> {
    await this.scan.look();
    const { active, facts } = this.scan;
    if (!active || (facts.told === this.effective && facts.state !== 'fault')) return;
    await this.scan.setMode(this.effective);
    this.log('mode', `${this.effective === 'run' ? 'Run' : 'Stop'}, ${why}.`);
  }

  private async keepRun(of: Prepared, run: Stretch, why: string): Promise<number> {
    try {
      const id = await this.options.recordings.add(of, run, why, this.options.wallMs());
      this.log('memory', `A recording was kept: ${many(run.end - run.first.scan, 'scan')} up to '${why}'.`);
      return id;
    } catch (e) {
      this.log('memory', `The recording could not be kept: ${(e as Error).message}`);
      throw new Refusal(507, `The recording could not be kept: ${(e as Error).message}`);
    }
  }

  /** Takes the last stretch of what runs, at least `ms` long where there is so much. The scan goes on meanwhile. */
  async takeRun(ms: number): Promise<number> {
    this.needsPower();
    const { active } = this.scan;
    if (!active) throw new Refusal(409, 'There is no program, so nothing was recorded.');
    const run = await this.scan.recorded(Math.ceil((ms * 1e6) / Number(active.engine.stepNs)));
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
    this.power = false;
    this.onOpen();
    this.switched++;
    this.goingOff = (async () => {
      await this.holdAtLast();
      this.log('power', this.scan.trial ? 'Power off, during a trial.' : 'Power off.');
      await this.scan.clear();
    })();
    await this.goingOff;
  }
  /** How often the power was switched, and what the last switching off is still at. */
  private switched = 0;
  private goingOff: Promise<void> = Promise.resolve();

  /** The last moment before the power is gone: what is retained is written as it is. */
  private async holdAtLast(): Promise<void> {
    await this.scan.look();
    const { active } = this.scan;
    if (!active || this.isBatteryFlat) return;
    try {
      this.options.retained.write(retainedOf(active.image, active.engine.memory));
    } catch {
      // The last whole set stays.
    }
  }

  setBattery(isFlat: boolean): void {
    this.write({ isBatteryFlat: isFlat }, 'Changing the battery');
    this.isBatteryFlat = isFlat;
    this.log('power', isFlat ? 'The battery is flat.' : 'A new battery.');
  }

  /** Pulls a card of the cabinet or puts it in: inputs on it read 0, outputs on it switch nothing. */
  async setCard(id: string, isPulled: boolean): Promise<void> {
    const card = this.cards.find((c) => c.id === id);
    if (!card) throw new Refusal(404, `There is no card '${id.slice(0, 20)}' in the cabinet.`);
    if (card.isPulled === isPulled) return;
    const before = this.kept.pulled ?? [],
      pulled = isPulled ? [...before, id] : before.filter((x) => x !== id);
    this.write({ pulled }, isPulled ? 'Pulling the card' : 'Putting in the card');
    await this.scan.pulled(pulled);
    this.log(
      'link',
      isPulled
        ? `The card ${card.words} is pulled: ${id.startsWith('I') ? 'what lies on it reads 0' : 'what lies on it switches nothing'}.`
        : `The card ${card.words} is in again.`,
    );
  }

  /** What is open to other programs. */
  get open(): Open {
    return this.kept.open ?? {};
  }
  /** What is to be open, where it is another now, kept over power; whoever opens it says whether that could be done. */
  setOpen(open: Open): void {
    this.needsPower();
    this.write({ open: { ...this.open, ...open } }, 'Opening to other programs');
  }
  /** Told when the cable or the power has changed. */
  onOpen: () => void = () => undefined;

  setNetwork(state: Network): void {
    this.network = state;
    this.onOpen();
    this.log('link', `The network is ${{ ok: 'on', slow: 'slow', cut: 'cut' }[state]}.`);
  }

  async apply(event: BenchEvent): Promise<void> {
    this.needsPower();
    if (!this.scan.active) throw new Refusal(409, 'There is no program.');
    await this.scan.apply(event);
    if (event.kind === 'releaseAll') this.log('force', 'All forces released.');
    else if (event.kind === 'force')
      this.log(
        'force',
        event.value === undefined ? `${event.path} released.` : `${event.path} forced to ${String(event.value)}.`,
      );
  }

  async status(): Promise<Status> {
    const { scan, options } = this;
    await scan.look();
    const { program, trial, engine, facts, besideProgram } = scan,
      { trialMs, beside } = facts;
    return {
      name: options.name,
      state: facts.state,
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
      ...(beside && besideProgram
        ? {
            beside: {
              revision: besideProgram.revision,
              hash: besideProgram.hash,
              ranMs: beside.ranMs,
              scans: beside.scans,
              differences: beside.differences,
            },
          }
        : {}),
      ...facts.figures,
      ...(this.kept.recordWhen ? { recordWhen: this.kept.recordWhen } : {}),
      ...(scan.active?.noCondition ? { noCondition: scan.active.noCondition } : {}),
      views: this.views,
      scan: facts.scan,
      forces: facts.forces.flatMap((f) => (f.by ? [] : [{ path: f.path, value: String(f.value) }])),
      retained: scan.active ? retainedCount(scan.active.image) : 0,
      ...(engine?.fault ? { fault: engine.faultLine() } : {}),
      upMs: options.clockMs() - this.startedMs,
    };
  }

  /** The process ends in order: a power cut that was foreseen. */
  async end(): Promise<void> {
    clearInterval(this.timer);
    this.isSure();
    await this.last;
    if (this.power) await this.holdAtLast();
    await this.scan.end();
    if (this.power) this.log('power', 'The stand-in was ended.');
    this.options.recordings.close();
    this.options.log.close();
  }

  /** Something that the network's side has to say. */
  note(kind: Parameters<EventLog['add']>[0], words: string): void {
    this.log(kind, words);
  }
  private log(kind: Parameters<EventLog['add']>[0], words: string): void {
    this.options.log.add(kind, words);
  }
}

type Sent = Omit<Program, 'name'>;
async function prepared(program: Sent, recordWhen: string | undefined): Promise<Prepared> {
  try {
    return await prepare(program, recordWhen);
  } catch (e) {
    throw new Refusal(422, (e as Error).message);
  }
}

const programWords = (p: Program): string => `${p.name}, rev ${p.revision}`;

/** The state that `to` would go on from where `from` stands. */
const carried = (from: Prepared, to: Prepared, how: 'restart' | 'keep'): Uint8Array =>
  transferState(from.image, from.engine.snapshot().bytes, to.image, how === 'keep' ? 'all' : 'retained').bytes;
