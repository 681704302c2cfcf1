/**
 * The scan as the network's side sees it: programs are handed to its thread, what is told is awaited, and what runs is
 * looked at in a copy. The engines here never run: they show what the scan's hold, each of the same image.
 */
import { existsSync } from 'node:fs';
import { MessageChannel, type MessagePort, Worker } from 'node:worker_threads';
import { type BenchEvent, type Engine, type Value, transferPlan } from '@ferrule/core/bench';
import { Bell } from './bell.js';
import type { Mode } from './cabinet.js';
import { clockMs } from './clock.js';
import type { Prepared } from './prepare.js';
import type { Stretch } from './recorder.js';
import type { Answer, Ask, Asked, BesideFacts, Facts, Said } from './scan-messages.js';
import { ScanServer } from './scan-server.js';

/** Of so many the scan's thread makes its own in far less than the time of a scan. */
const SYMBOLS_AT_ONCE = 200;

const NOTHING: Facts = {
  state: 'empty',
  told: 'stop',
  figures: { scanMs: 0, usedMs: 0, worstMs: 0, jitterMs: 0, mostlyMs: 0, missed: 0, measuredScans: 0 },
  scan: 0,
  forces: [],
};

export class Scan {
  /** As last looked at. */
  facts: Facts = NOTHING;
  /**
   * Told when a trial ends by itself, when a run beside does, when the condition to record on comes on, and when the
   * logic faults.
   */
  onBackOut: (why: string) => void = () => undefined;
  onBesideEnd: (why: string) => void = () => undefined;
  onRecord: (of: Prepared, run: Stretch) => void = () => undefined;
  onFault: (line: string, of: Prepared, run: Stretch | undefined) => void = () => undefined;
  private readonly programs = new Map<number, Prepared>();
  private readonly open = new Map<number, { resolve(x: unknown): void; reject(e: Error): void }>();
  private asked = 0;
  private loads = 0;
  private readonly memory: Record<'look' | 'afterScan' | 'beside', Uint8Array> = {
    beside: new Uint8Array(0),
    look: new Uint8Array(0),
    afterScan: new Uint8Array(0),
  };

  constructor(
    private readonly port: MessagePort,
    private readonly wake: () => void,
  ) {
    port.on('message', (m: Answer | Said) => {
      if ('said' in m) this.hear(m);
      else this.answered(m);
    });
  }

  private answered(m: Answer): void {
    const waiting = this.open.get(m.n);
    this.open.delete(m.n);
    if ('error' in m) waiting?.reject(new Error(m.error));
    else waiting?.resolve(m.value);
  }

  private hear(m: Said): void {
    if (m.said === 'backOut') {
      const { trial: _, trialMs: __, ...rest } = this.facts;
      this.facts = rest;
      this.onBackOut(m.why);
      return;
    }
    const of = this.programs.get(m.of),
      line = of && 'fault' in m && m.fault ? of.engine.faultLineOf(m.fault) : undefined;
    if (m.said === 'record') {
      if (of) this.onRecord(of, m.run);
      return;
    }
    if (m.said === 'fault') {
      if (of) this.onFault(line!, of, m.run);
    } else this.onBesideEnd(line ? `the draft faulted: ${line}` : m.why);
  }

  private ask(ask: Ask, transfer: readonly ArrayBuffer[] = []): Promise<unknown> {
    return new Promise((resolve, reject) => {
      const n = ++this.asked;
      this.open.set(n, { resolve, reject });
      this.port.postMessage({ n, ask } satisfies Asked, [...transfer]);
      this.wake();
    });
  }

  get program(): Prepared | undefined {
    return this.facts.kept === undefined ? undefined : this.programs.get(this.facts.kept);
  }
  get trial(): Prepared | undefined {
    return this.facts.trial === undefined ? undefined : this.programs.get(this.facts.trial);
  }
  /** What the machine obeys. */
  get active(): Prepared | undefined {
    return this.trial ?? this.program;
  }
  get besideProgram(): Prepared | undefined {
    return this.facts.beside && this.programs.get(this.facts.beside.id);
  }
  /** Shows what runs, as last looked at. */
  get engine(): Engine | undefined {
    return this.active?.engine;
  }

  private looking: Promise<void> | undefined;
  /** Looks how things stand between two scans. Those who look while one does see the same. */
  look(): Promise<void> {
    this.looking ??= this.lookNow().finally(() => (this.looking = undefined));
    return this.looking;
  }
  private async lookNow(): Promise<void> {
    this.show('look', (await this.ask({ kind: 'look' })) as Facts);
  }
  private lookingAfter: Promise<void> | undefined;
  /** The same at the end of the coming scan; at once where none comes. */
  lookAfterScan(): Promise<void> {
    this.lookingAfter ??= this.ask({ kind: 'lookAfterScan' })
      .then((facts) => this.show('afterScan', facts as Facts))
      .finally(() => (this.lookingAfter = undefined));
    return this.lookingAfter;
  }
  private show(kind: 'look' | 'afterScan', facts: Facts): void {
    this.facts = facts;
    this.showIn(this.active, kind, facts);
  }
  /** The draft that runs beside as it stands now; undefined where none does. Its engine only shows what it holds. */
  async lookBeside(): Promise<Engine | undefined> {
    const facts = (await this.ask({ kind: 'lookBeside' })) as BesideFacts | undefined,
      draft = facts && this.programs.get(facts.id);
    if (facts) this.showIn(draft, 'beside', facts);
    return draft?.engine;
  }
  private showIn(
    program: Prepared | undefined,
    kind: 'look' | 'afterScan' | 'beside',
    facts: Pick<Facts, 'scan' | 'forces' | 'fault' | 'memory'>,
  ): void {
    if (facts.memory) this.memory[kind] = new Uint8Array(facts.memory);
    program?.engine.show({
      scan: facts.scan,
      forces: facts.forces,
      memory: this.memory[kind].subarray(0, program.image.stack),
      ...(facts.fault ? { fault: facts.fault } : {}),
    });
  }

  /** Tells the scan something that changes how things stand, and looks. */
  private async tell(ask: Ask): Promise<unknown> {
    const value = await this.ask(ask);
    // One that began before may have seen how it was.
    await this.looking;
    await this.look();
    this.dropUnused();
    return value;
  }

  private async load(id: number, program: Prepared): Promise<void> {
    const { module, wires, stops, wired, engine } = program,
      outside = program.outside.flatMap(({ path, isInput, rest }) => (isInput ? [{ path, rest }] : []));
    const all = [...program.image.symbols];
    for (let at = 0; at < all.length; at += SYMBOLS_AT_ONCE)
      await this.ask({ kind: 'symbols', id, symbols: all.slice(at, at + SYMBOLS_AT_ONCE) });
    // The scan tells where a fault was by a number; the places behind the numbers, and the rungs, stay here.
    const image = { ...program.image, wasm: new Uint8Array(0), symbols: new Map(), locations: [], probes: new Map() };
    await this.ask({
      kind: 'load',
      program: { id, image, module, stepNs: engine.stepNs, wires, stops, wired, outside },
    });
    this.programs.set(id, program);
  }
  private dropUnused(): void {
    const { kept, trial, beside } = this.facts;
    for (const id of this.programs.keys())
      if (id !== kept && id !== trial && id !== beside?.id && !this.coming.has(id)) {
        this.programs.delete(id);
        void this.ask({ kind: 'drop', id }).catch(() => undefined);
      }
  }
  /** Works out what goes over from what runs, and back again: between two scans it is only copied. */
  private async plan(id: number, program: Prepared): Promise<void> {
    const { trial, kept } = this.facts,
      other = trial ?? kept,
      { active } = this;
    if (other === undefined || !active) return;
    const tell = (from: number, of: Prepared, to: number, into: Prepared) =>
      this.ask({
        kind: 'plans',
        from,
        to,
        plans: { all: transferPlan(of.image, into.image), retained: transferPlan(of.image, into.image, 'retained') },
      });
    await tell(other, active, id, program);
    await tell(id, program, other, active);
  }
  /** Programs on their way to be told to run. */
  private readonly coming = new Set<number>();
  private async with<T>(program: Prepared, tell: (id: number) => Promise<T>): Promise<T> {
    const id = ++this.loads;
    this.coming.add(id);
    try {
      await this.load(id, program);
      await this.plan(id, program);
      return await tell(id);
    } finally {
      this.coming.delete(id);
      this.dropUnused();
    }
  }

  /**
   * Takes a program between two scans, in place of all there is. `keep`: with every value that fits; `restart`: the
   * logic begins anew with its retained values (with the state `start` where nothing ran before), and the machine goes
   * on. Returns what was lost, in words.
   */
  async take(program: Prepared, how: 'restart' | 'keep', mode: Mode, start?: Uint8Array): Promise<readonly string[]> {
    return this.with(
      program,
      (id) => this.tell({ kind: 'take', id, how, mode, ...(start ? { start } : {}) }) as Promise<readonly string[]>,
    );
  }
  /** The machine obeys `program` from the coming scan on, with every value that fits; the kept one waits. */
  async try(program: Prepared, graceMs: number): Promise<readonly string[]> {
    return this.with(program, (id) => this.tell({ kind: 'try', id, graceMs }) as Promise<readonly string[]>);
  }
  /** The same program made with another condition to record on: it goes on as it is. */
  async exchange(program: Prepared): Promise<void> {
    await this.with(program, (id) => this.tell({ kind: 'exchange', id }));
  }
  /** A draft on the same inputs, its outputs going nowhere. */
  async runBeside(program: Prepared): Promise<void> {
    await this.with(program, (id) => this.tell({ kind: 'beside', id }));
  }
  async endBeside(): Promise<void> {
    await this.tell({ kind: 'endBeside' });
  }
  /** Who tries is still there. */
  async heard(): Promise<void> {
    await this.ask({ kind: 'heard' });
  }
  async backOut(): Promise<void> {
    await this.tell({ kind: 'backOut' });
  }
  async keep(): Promise<void> {
    await this.tell({ kind: 'keep' });
  }
  async setMode(mode: Mode): Promise<void> {
    await this.tell({ kind: 'mode', mode });
  }
  /** Figures count from here on. */
  async measureAnew(): Promise<void> {
    await this.tell({ kind: 'measureAnew' });
  }
  /** Nothing is left in memory: the power is off. */
  async clear(): Promise<void> {
    await this.tell({ kind: 'clear' });
  }
  async apply(event: BenchEvent): Promise<void> {
    await this.ask({ kind: 'apply', event });
  }
  /** Cards of the cabinet that are pulled from now on, all of them (ids of `cardsOf`). */
  async pulled(ids: readonly string[]): Promise<void> {
    await this.tell({ kind: 'pulled', ids });
  }
  /** What another program gave since; see `OutsideInputs`. */
  async inputs(values: readonly (readonly [string, Value | undefined])[], isLost: boolean): Promise<void> {
    await this.ask({ kind: 'inputs', values, isLost });
  }
  /** The last scans of what runs, or of what ran last; at least so many where there are. */
  async recorded(scans: number): Promise<Stretch | undefined> {
    return (await this.ask({ kind: 'recorded', scans })) as Stretch | undefined;
  }
  /** Told when it is about to end because that was asked. */
  onEnd: () => void = () => undefined;
  async end(): Promise<void> {
    this.onEnd();
    await this.ask({ kind: 'end' });
    this.port.close();
  }
}

const THREAD = new URL('./scan-worker.mjs', import.meta.url);

/** The scan in a thread of its own. `onEnd` is told when that ends, which it does not by itself. */
export function scanInThread(onEnd: (why: string) => void): Scan {
  let isOver = false;
  if (!existsSync(THREAD)) return scanHere(clockMs).scan;
  const { port1, port2 } = new MessageChannel(),
    bell = new Bell(),
    thread = new Worker(THREAD, { workerData: { port: port2, bell: bell.shared }, transferList: [port2] });
  thread.once('error', (e) => onEnd(e.message));
  thread.once('exit', (code) => {
    if (!isOver) onEnd(`its thread ended with ${code}`);
  });
  const scan = new Scan(port1, () => bell.ring());
  scan.onEnd = () => (isOver = true);
  return scan;
}

/** The same without a thread: for tests, which hold the clock and the scans in their hands. */
export function scanHere(now: () => number): { readonly scan: Scan; readonly server: ScanServer; stop(): void } {
  const { port1, port2 } = new MessageChannel();
  let timer: NodeJS.Timeout | undefined,
    isStopped = false;
  const server = new ScanServer(now, (m) => port2.postMessage(m));
  const run = () => {
    clearTimeout(timer);
    if (server.hasEnded) port2.close();
    else if (!isStopped) {
      const wait = server.tick();
      if (wait !== undefined) timer = setTimeout(run, wait);
    }
  };
  port2.on('message', (m: Asked) => {
    server.take(m);
    run();
  });
  return {
    scan: new Scan(port1, () => undefined),
    server,
    /** No scan by itself from here on. */
    stop: () => {
      isStopped = true;
      clearTimeout(timer);
    },
  };
}
