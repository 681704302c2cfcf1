/**
 * The side of a controller or server to its OPC UA server's process: starts it when it is switched on, tells it what
 * changed at each scan's end while somebody is there, takes what clients write, and starts it again should it end.
 */
import { type ChildProcess, fork } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { FeedState, OpcuaCertificate, OpcuaClient, OpcuaState } from '@ferrule/core/bench';
import { type PointSource, type SourcePoints, shownHost } from '../source.js';
import type { FromOpcua, OpcuaRules, ToOpcua } from './messages.js';
import { modelOf } from './model.js';

/** While nobody is there, and at least so often. */
const IDLE_MS = 250,
  START_MS = 60_000,
  /** So long it may take to end. */ END_MS = 2000,
  AGAIN_MS = 1000,
  AGAIN_AT_MOST_MS = 30_000;

export class OpcuaHost {
  private child: ChildProcess | undefined;
  private state: OpcuaState['state'] = 'off';
  private error: string | undefined;
  private thumbprint: string | undefined;
  private clients: readonly OpcuaClient[] = [];
  private sessions = 0;
  private certificates: readonly OpcuaCertificate[] = [];
  private again: NodeJS.Timeout | undefined;
  private againMs = AGAIN_MS;

  constructor(
    private readonly source: PointSource,
    private readonly options: {
      /** Its built program. */ readonly entry: URL;
      readonly port: number;
      /** The setting that chooses it. */ readonly portName: string;
      readonly host: string;
      readonly folder: string;
      readonly name: string;
    },
  ) {}

  get shown(): OpcuaState {
    return {
      state: this.state,
      port: this.options.port,
      address: `opc.tcp://${shownHost(this.options.host)}:${this.options.port}`,
      ...(this.error ? { error: this.error } : {}),
      ...(this.thumbprint ? { thumbprint: this.thumbprint } : {}),
      clients: this.clients,
      certificates: this.certificates,
    };
  }

  /** Opens it, or opens it anew under other rules. What stands in the way is in `shown`. */
  start(rules: OpcuaRules): Promise<void> {
    return this.inTurn(() => this.open(rules));
  }
  stop(): Promise<void> {
    return this.inTurn(async () => undefined);
  }

  /** What is told last counts: what is open or opening is ended, and what was told in between is left out. */
  private inTurn(doing: () => Promise<void>): Promise<void> {
    const turn = ++this.turns,
      before = this.last;
    clearTimeout(this.again);
    this.end();
    return (this.last = before.then(async () => {
      await this.ending;
      if (turn === this.turns) await doing();
    }));
  }
  private turns = 0;
  private last: Promise<void> = Promise.resolve();
  private ending: Promise<unknown> = Promise.resolve();
  private end(): void {
    const { child } = this;
    this.child = undefined;
    this.state = 'off';
    this.error = undefined;
    this.clients = [];
    this.sessions = 0;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const hard = setTimeout(() => child.kill('SIGKILL'), END_MS);
    this.ending = new Promise((r) => child.once('exit', r)).finally(() => clearTimeout(hard));
    if (child.connected) child.send({ kind: 'end' } satisfies ToOpcua);
  }

  private async open(rules: OpcuaRules): Promise<void> {
    this.state = 'starting';
    const child = fork(fileURLToPath(this.options.entry), [], {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
      execArgv: [],
    });
    this.child = child;
    let lastWords = '';
    // Unheard, a process that cannot be made or a channel that has just closed would end this one.
    child.on('error', (e) => (lastWords = e.message));
    child.stderr?.on('data', (d: Buffer) => (lastWords = `${lastWords}${d.toString()}`.slice(-2000)));
    const isReady = new Promise<void>((resolve) => {
      const giveUp = setTimeout(() => {
        if (child === this.child) this.error = `It did not start within ${START_MS / 1000} s.`;
        child.kill();
      }, START_MS);
      child.on('message', (m: FromOpcua) => {
        if (child !== this.child) return;
        if (m.kind === 'ready' || m.kind === 'failed') {
          clearTimeout(giveUp);
          this.started(m);
          resolve();
        } else this.hear(m);
      });
      child.on('exit', () => {
        clearTimeout(giveUp);
        if (child === this.child) this.ended(rules, lastWords);
        resolve();
      });
    });
    this.tell({ kind: 'start', settings: { ...rules, ...this.settings, scanMs: this.source.scanMs } });
    await isReady;
  }
  private get settings() {
    const { port, host, folder, name } = this.options;
    return { port, host, folder, name };
  }

  private started(m: Extract<FromOpcua, { kind: 'ready' | 'failed' }>): void {
    if (m.kind === 'failed') {
      this.error =
        m.message === 'taken'
          ? `Port ${this.options.port} is taken; stop what uses it, or set ${this.options.portName} to another one.`
          : `It could not be opened: ${m.message}`;
      this.state = 'off';
      const { child } = this;
      this.child = undefined;
      child?.kill();
      return;
    }
    this.thumbprint = m.thumbprint;
    this.state = 'on';
    this.againMs = AGAIN_MS;
    this.tell({ kind: 'cable', state: this.source.cable });
    void this.feed(this.child!);
  }

  private ended(rules: OpcuaRules, lastWords: string): void {
    this.child = undefined;
    this.state = 'off';
    this.clients = [];
    this.sessions = 0;
    const line = lastWords.trim().split('\n').at(-1) ?? '';
    this.error ??= `Its process ended${line ? `: ${line.slice(0, 200)}` : ''}; it is started again.`;
    this.source.note(`The OPC UA server's process ended; it is started again in ${Math.round(this.againMs / 1000)} s.`);
    this.again = setTimeout(() => void this.start(rules), this.againMs);
    this.againMs = Math.min(AGAIN_AT_MOST_MS, 2 * this.againMs);
  }

  /** It is not opened, for this reason. */
  refuse(why: string): void {
    this.error = why;
  }

  /** The cable has changed. */
  cableChanged(): void {
    this.tell({ kind: 'cable', state: this.source.cable });
  }
  trust(thumbprint: string, isTrusted: boolean): void {
    this.tell({ kind: 'trust', thumbprint, isTrusted });
  }

  private tell(m: ToOpcua): void {
    if (this.child?.connected) this.child.send(m);
  }

  private hear(m: FromOpcua): void {
    switch (m.kind) {
      case 'taken':
        this.isBusy = false;
        break;
      case 'write':
        void this.write(m.writes).then((error) =>
          this.tell({ kind: 'written', n: m.n, ...(error === undefined ? {} : { error }) }),
        );
        break;
      case 'clients':
        this.clients = m.clients;
        this.sessions = m.sessions;
        this.wake();
        break;
      case 'certificates':
        this.certificates = m.certificates;
        break;
      case 'log':
        this.source.note(m.words);
    }
  }

  private async write(all: readonly (readonly [string, Parameters<PointSource['write']>[1]])[]) {
    try {
      for (const [path, value] of all) await this.source.write(path, value);
      return undefined;
    } catch (e) {
      return (e as Error).message;
    }
  }

  /** It has not taken yet what it was told last: what changes meanwhile is told together, so nothing queues up. */
  private isBusy = false;
  private wake: () => void = () => undefined;
  private sleep(): Promise<void> {
    return new Promise((resolve) => {
      const over = setTimeout(resolve, IDLE_MS);
      this.wake = () => {
        clearTimeout(over);
        resolve();
      };
    });
  }
  /** Waits for what is to be told next: a scan's end while somebody is there, now and then otherwise. */
  private async nextLook(isFirst: boolean): Promise<void> {
    const { source } = this;
    try {
      if (!isFirst && this.sessions && source.state === 'run')
        await Promise.race([source.lookAfterScan(), this.sleep()]);
      else {
        if (!isFirst) await this.sleep();
        await source.look();
      }
    } catch {
      await this.sleep();
    } finally {
      this.wake();
    }
  }
  private async feed(child: ChildProcess): Promise<void> {
    const { source } = this;
    let sent: SourcePoints | undefined,
      looks = 0,
      told: FeedState | undefined,
      toldBad = '';
    this.isBusy = false;
    for (let isFirst = true; child === this.child && child.connected; isFirst = false) {
      await this.nextLook(isFirst);
      if (this.isBusy || child !== this.child) continue;
      const { points, state } = source;
      if (points !== sent) {
        sent = points;
        looks = 0;
        toldBad = '';
        this.tell({ kind: 'model', model: modelOf(points?.tree ?? []), scanMs: source.scanMs });
      }
      const of = sent?.values,
        changes = (of?.changedSince(looks) ?? []).map((i) => [i, of!.values[i]!, of!.changedMs[i]!] as const);
      if (of) looks = of.looks;
      const bad = badOf(source, sent),
        key = bad.join();
      if (!changes.length && told === state && key === toldBad) continue;
      const isOther = key !== toldBad;
      told = state;
      toldBad = key;
      this.isBusy = true;
      this.tell({ kind: 'values', changes, state, ...(isOther ? { bad } : {}) });
    }
  }
}

/** Numbers of the points that are bad though the scan runs. */
function badOf({ bad }: PointSource, of: SourcePoints | undefined): number[] {
  if (!bad?.size || !of) return [];
  return of.values.points.flatMap((p, i) => (bad.has(p.path.toLowerCase()) ? [i] : []));
}
