/** The scan's side of the cable to the network's: takes what is asked between two scans, and answers. */
import { Engine, type Symbol } from '@ferrule/core/bench';
import type { Answer, Ask, Asked, BesideFacts, Facts, Said } from './scan-messages.js';
import type { Loaded } from './loaded.js';
import { Runner } from './runner.js';

/** What is asked may take so long; of a short scan interval, half. */
const ROOM_MS = 6;

export class ScanServer {
  readonly runner: Runner;
  private readonly loaded = new Map<number, Loaded>();
  /** Of programs that are being loaded. */
  private readonly symbols = new Map<number, Map<string, Symbol>>();
  /**
   * What runs, copied for the other side when it looks: one place for each kind of look, for one may be read while the
   * other is written.
   */
  private readonly shared = new Map<
    'look' | 'afterScan' | 'beside',
    { buffer: SharedArrayBuffer; bytes: Uint8Array }
  >();
  private isOver = false;

  /** `clockMs` is a monotonic clock in milliseconds; `post` sends to the other side. */
  constructor(
    clockMs: () => number,
    private readonly post: (message: Answer | Said) => void,
  ) {
    this.runner = new Runner(clockMs);
    this.runner.onBackOut = (why) => post({ said: 'backOut', why });
    this.runner.onBesideEnd = (why, of) => {
      const fault = of.engine.faultRecord();
      post({ said: 'besideEnd', why, of: of.program.id, ...(fault ? { fault } : {}) });
    };
    this.runner.onRecord = (of, run) => post({ said: 'record', of: of.id, run });
    this.runner.onFault = (of, run) =>
      post({ said: 'fault', of: of.id, fault: of.engine.faultRecord()!, ...(run ? { run } : {}) });
  }

  get hasEnded(): boolean {
    return this.isOver;
  }

  /** Who looks at the end of the coming scan (one at a time), and the scan that was over then. */
  private waiting: { readonly n: number; readonly of: Engine | undefined; readonly scan: number } | undefined;

  /** Runs the scans that are due. Gives the milliseconds until the next one, undefined where there is no program. */
  tick(): number | undefined {
    const wait = this.runner.tick();
    this.answerWaiting();
    return wait;
  }
  /**
   * Whether something asked may be taken now, `waitMs` before the next scan (undefined where none comes): taking a
   * program in takes some milliseconds, which must not make that scan late. Right behind a scan there always is.
   */
  hasRoom(waitMs: number | undefined): boolean {
    return waitMs === undefined || this.runner.hasJustScanned || waitMs > this.roomMs;
  }
  /** So much before a scan nothing is taken any more, in ms. */
  get roomMs(): number {
    const { engine } = this.runner;
    return engine ? Math.min(ROOM_MS, Number(engine.stepNs) / 2e6) : 0;
  }
  private answerWaiting(): void {
    const { waiting: w, runner } = this,
      { engine } = runner;
    if (!w || (engine && w.of === engine && w.scan === engine.scan)) return;
    this.waiting = undefined;
    this.post({ n: w.n, value: this.look('afterScan') });
  }

  take({ n, ask }: Asked): void {
    if (ask.kind === 'lookAfterScan') {
      const { engine } = this.runner;
      this.waiting = { n, of: engine, scan: engine?.scan ?? 0 };
      this.answerWaiting();
      return;
    }
    let answer: Answer;
    try {
      answer = { n, value: this.do(ask) };
    } catch (e) {
      answer = { n, error: (e as Error).message };
    }
    this.post(answer);
    this.answerWaiting();
  }

  private do(ask: Exclude<Ask, { readonly kind: 'lookAfterScan' }>): unknown {
    const { runner } = this;
    switch (ask.kind) {
      case 'symbols': {
        const all = this.symbols.get(ask.id) ?? new Map<string, Symbol>();
        for (const [name, symbol] of ask.symbols) all.set(name, symbol);
        this.symbols.set(ask.id, all);
        return undefined;
      }
      case 'load': {
        const { id, module, stepNs, wires, stops, wired, outside } = ask.program,
          image = { ...ask.program.image, symbols: this.symbols.get(id) ?? new Map<string, Symbol>() };
        this.symbols.delete(id);
        this.loaded.set(id, {
          id,
          image,
          module,
          wired,
          outside,
          plans: new Map(),
          engine: new Engine(image, { stepNs, wires, stops, module }),
        });
        return undefined;
      }
      case 'plans':
        // One that is gone by now needs none.
        this.loaded.get(ask.to)?.plans.set(ask.from, ask.plans);
        return undefined;
      case 'drop':
        this.loaded.delete(ask.id);
        for (const { plans } of this.loaded.values()) plans.delete(ask.id);
        return undefined;
      case 'take':
        return runner.take(this.program(ask.id), ask.how, ask.mode, ask.start);
      case 'try':
        return runner.try(this.program(ask.id), ask.graceMs);
      case 'exchange':
        runner.exchange(this.program(ask.id));
        return undefined;
      case 'beside':
        runner.runBeside(this.program(ask.id));
        return undefined;
      case 'mode':
        runner.setMode(ask.mode);
        return undefined;
      case 'apply':
        runner.apply(ask.event);
        return undefined;
      case 'pulled':
        runner.setPulled(ask.ids);
        return undefined;
      case 'inputs':
        runner.inputs.take(ask.values, ask.isLost);
        return undefined;
      case 'recorded':
        return runner.recorded(ask.scans);
      case 'look':
        return this.look('look');
      case 'lookBeside':
        return this.lookBeside();
      case 'end':
        this.isOver = true;
        return undefined;
      default:
        runner[ask.kind]();
        return undefined;
    }
  }

  private program(id: number): Loaded {
    const found = this.loaded.get(id);
    if (!found) throw new Error('That program is not there any more; send it again.');
    return found;
  }

  /** Copies what runs to where the other side reads it: it reads no more of it until it is answered. */
  private look(kind: 'look' | 'afterScan'): Facts {
    const { runner } = this,
      { active, trialMs, beside } = runner,
      engine = active?.engine;
    const copied = active && this.copy(kind, active.engine.memory, active.image.stack);
    const fault = engine?.faultRecord();
    return {
      state: runner.state,
      told: runner.told,
      ...(runner.program ? { kept: runner.program.id } : {}),
      ...(runner.trial ? { trial: runner.trial.id } : {}),
      ...(trialMs ? { trialMs } : {}),
      ...(beside
        ? {
            beside: {
              id: beside.program.id,
              ranMs: runner.besideForMs,
              scans: beside.scans,
              differences: beside.differences,
            },
          }
        : {}),
      figures: runner.figures,
      scan: engine?.scan ?? 0,
      forces: engine?.allForces() ?? [],
      ...(fault ? { fault } : {}),
      ...copied,
    };
  }
  private lookBeside(): BesideFacts | undefined {
    const { beside } = this.runner;
    if (!beside) return undefined;
    const { engine, program } = beside,
      fault = engine.faultRecord();
    return {
      id: program.id,
      scan: engine.scan,
      forces: engine.allForces(),
      ...(fault ? { fault } : {}),
      ...this.copy('beside', engine.memory, program.image.stack),
    };
  }
  /** Memory up to `stack` (what lies behind is of calls that are over); where that is, if it is another place than before. */
  private copy(kind: 'look' | 'afterScan' | 'beside', memory: Uint8Array, stack: number): Pick<Facts, 'memory'> {
    let shared = this.shared.get(kind);
    const isNew = !shared || shared.bytes.length < stack;
    if (!shared || isNew) {
      const buffer = new SharedArrayBuffer(stack);
      this.shared.set(kind, (shared = { buffer, bytes: new Uint8Array(buffer) }));
    }
    shared.bytes.set(memory.subarray(0, stack));
    return isNew ? { memory: shared.buffer } : {};
  }
}
