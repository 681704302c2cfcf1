/**
 * The bench as other programs see it: it runs in a page, which tells over its socket what its points are and how they
 * change, and takes what is written to them; the protocols are the same as a controller's. One page at a time is open
 * to others; the last one that wants to is.
 */
import { readFileSync, renameSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Compiled, compile } from '@ferrule/core/workspace';
import {
  type FeedState,
  PointValues,
  type Value,
  formatValue,
  parseValue,
  pointTree,
  pointsBelow,
} from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { parseProject } from '@ferrule/core/schema';
import { type Open, OpenProtocols, OutsideLink, type PointSource, type SourcePoints } from '@ferrule/protocols';
import type { WebSocket } from 'ws';
import type { OutsideFiles } from './outside-routes.js';

/** What a page says. Values cross as the text that the bench shows. */
export type FromPage =
  /** First of all: which page it is, so that one whose socket broke goes on as it was. */
  | { readonly kind: 'page'; readonly token: string }
  /** Its points are those of this project from now on. */
  | { readonly kind: 'points'; readonly project: unknown; readonly scanMs: number }
  | { readonly kind: 'values'; readonly state: FeedState; readonly changes: readonly (readonly [number, string])[] }
  | { readonly kind: 'written'; readonly n: number; readonly error?: string }
  | { readonly kind: 'modbus' | 'opcua'; readonly fields: Readonly<Record<string, unknown>> }
  | { readonly kind: 'trust' | 'trustOutside'; readonly thumbprint: string; readonly isTrusted: boolean }
  /** Inputs come from where this project says, and outputs go there; undefined: not any more. */
  | { readonly kind: 'link'; readonly project?: unknown; readonly scanMs: number }
  /** Joins anew: a password was told. */
  | { readonly kind: 'rejoin' }
  /** Outputs that have changed. */
  | { readonly kind: 'outputs'; readonly values: readonly (readonly [string, string])[] };
export type ToPage =
  | { readonly kind: 'shown'; readonly shown: object; readonly log: readonly string[] }
  | { readonly kind: 'write'; readonly n: number; readonly path: string; readonly value: string }
  /** What came: undefined for a value that cannot be trusted. `isLost`: the link is away, and every value with it. */
  | { readonly kind: 'inputs'; readonly values: readonly (readonly [string, string?])[]; readonly isLost: boolean }
  | { readonly kind: 'refused'; readonly message: string }
  /** Another page is the bench that others see. */
  | { readonly kind: 'elsewhere' };

/** So long a write waits for the page. */
const WRITE_MS = 3000,
  SHOW_MS = 1000,
  /** A page that is gone may come back: so long clients stay, with values that are bad. */ STAY_MS = 30_000,
  MOST_LOGGED = 50;
const STATES: readonly string[] = ['run', 'paused', 'stop', 'fault', 'gone'];

const fieldsOf = (m: { readonly fields: unknown }): Readonly<Record<string, unknown>> =>
  typeof m.fields === 'object' && m.fields !== null ? (m.fields as Record<string, unknown>) : {};

class BenchPoints implements PointSource {
  points: SourcePoints | undefined;
  state: FeedState = 'gone';
  scanMs = 10;
  readonly cable = 'ok';
  /** Inputs that another program should give and does not. */ bad: ReadonlySet<string> = new Set();
  readonly log: string[] = [];
  /** Sends a write to the page. */
  send: ((m: Extract<ToPage, { kind: 'write' }>) => void) | undefined;
  private writes = 0;
  private readonly waiting = new Map<number, { resolve(): void; reject(e: Error): void }>();
  private told: (() => void)[] = [];

  async look(): Promise<void> {
    // The page tells by itself.
  }
  lookAfterScan(): Promise<void> {
    return new Promise((r) => this.told.push(r));
  }
  take(m: Extract<FromPage, { kind: 'values' }>): void {
    this.state = m.state;
    const of = this.points?.values;
    if (of)
      of.take(
        m.changes.flatMap(([i, text]) => {
          const point = of.points[i],
            value = point && parseValue(point.type, text);
          return value && 'value' in value ? [[i, value.value] as const] : [];
        }),
        Date.now(),
      );
    for (const r of this.told.splice(0)) r();
  }
  write(path: string, value: Value): Promise<void> {
    const point = this.points?.values.points.find((p) => p.path === path);
    if (!point || !this.send) return Promise.reject(new Error('The bench is gone.'));
    const n = ++this.writes;
    this.send({ kind: 'write', n, path, value: formatValue(point.type, value) });
    return new Promise((resolve, reject) => {
      const over = setTimeout(() => this.written(n, 'The page with the bench did not answer.'), WRITE_MS);
      this.waiting.set(n, {
        resolve: () => {
          clearTimeout(over);
          resolve();
        },
        reject: (e) => {
          clearTimeout(over);
          reject(e);
        },
      });
    });
  }
  written(n: number, error: string | undefined): void {
    const w = this.waiting.get(n);
    this.waiting.delete(n);
    if (error === undefined) w?.resolve();
    else w?.reject(new Error(error));
  }
  gone(): void {
    this.state = 'gone';
    this.send = undefined;
    for (const n of [...this.waiting.keys()]) this.written(n, 'The bench is gone.');
    for (const r of this.told.splice(0)) r();
  }
  note(words: string): void {
    this.log.push(words);
    if (this.log.length > MOST_LOGGED) this.log.shift();
  }
}

export class BenchRelay {
  private readonly source = new BenchPoints();
  private readonly open: OpenProtocols;
  private page: WebSocket | undefined;
  private kept: Open;
  private token: string | undefined;
  private closing: NodeJS.Timeout | undefined;
  private readonly showing: NodeJS.Timeout;
  private readonly link: OutsideLink;
  private outputs = new Map<string, Value>();

  constructor(
    private readonly options: {
      readonly modbusPort: number;
      readonly opcuaPort: number;
      readonly opcuaEntry: URL;
      /** Certificates and rules lie here. */ readonly folder: string;
      readonly outside: OutsideFiles;
    },
  ) {
    this.kept = this.readKept();
    this.open = new OpenProtocols(this.source, {
      ...options,
      opcuaHost: '127.0.0.1',
      folder: join(options.folder, 'bench-opcua'),
      name: 'Ferrule bench',
      portNames: { modbus: 'FERRULE_BENCH_MODBUS_PORT', opcua: 'FERRULE_BENCH_OPCUA_PORT' },
      clockMs: () => performance.now(),
      kept: () => this.kept,
      keep: (change) => this.keep(change),
    });
    this.link = new OutsideLink({
      folder: options.outside.folder,
      entry: options.outside.entry,
      clockMs: () => performance.now(),
      cable: () => 'ok',
      password: (key) => options.outside.secrets.get(key),
      inputs: (values, isLost) => this.tellInputs(values, isLost),
      outputs: () => this.link.points.map((p) => (p.isInput ? undefined : this.outputs.get(p.path))),
      note: (words) => this.source.note(words),
    });
    this.showing = setInterval(() => void this.show(), SHOW_MS);
    this.showing.unref();
  }

  private get file(): string {
    return join(this.options.folder, 'bench-open.json');
  }
  /** Rules live through a restart; what is open does not: there is no bench without a page. */
  private readKept(): Open {
    try {
      const { modbus, opcua } = JSON.parse(readFileSync(this.file, 'utf8')) as Open;
      return {
        ...(modbus ? { modbus: { ...modbus, isOn: false } } : {}),
        ...(opcua ? { opcua: { ...opcua, isOn: false } } : {}),
      };
    } catch {
      return {};
    }
  }
  private keep(change: Open): void {
    const next = { ...this.kept, ...change };
    writeFileSync(`${this.file}.new`, JSON.stringify(next), { mode: 0o600 });
    renameSync(`${this.file}.new`, this.file);
    this.kept = next;
  }

  /** A page wants to be the bench that others see. */
  attach(page: WebSocket): void {
    if (this.page) {
      this.say(this.page, { kind: 'elsewhere' });
      this.page.close();
      this.left();
    }
    clearTimeout(this.closing);
    this.page = page;
    this.source.send = (m) => this.say(page, m);
    page.on('message', (m) => {
      if (page !== this.page) return;
      try {
        this.hear(JSON.parse(String(m)) as FromPage);
      } catch (e) {
        this.say(page, { kind: 'refused', message: (e as Error).message });
      }
    });
    page.on('error', () => page.close());
    page.on('close', () => {
      if (page !== this.page) return;
      this.page = undefined;
      this.left();
      this.closing = setTimeout(() => void this.closeAll(), STAY_MS);
      this.closing.unref();
    });
  }
  /** Nothing of one bench is open for another. */
  private async isPage(token: string): Promise<void> {
    if (token !== this.token) await this.closeAll();
    this.token = token;
    await this.show();
  }
  private left(): void {
    this.source.gone();
    this.leave();
  }
  private async closeAll(): Promise<void> {
    this.kept = this.readKept();
    this.source.points = undefined;
    this.source.log.length = 0;
    await this.open.stop();
  }

  private hear(m: FromPage): void {
    switch (m.kind) {
      case 'page':
        void this.isPage(String(m.token));
        break;
      case 'points':
        this.takePoints(m);
        break;
      case 'values':
        if (STATES.includes(m.state) && Array.isArray(m.changes)) this.source.take(m);
        break;
      case 'written':
        this.source.written(m.n, m.error);
        break;
      case 'modbus':
        void this.open.setModbus(fieldsOf(m)['isOn'], fieldsOf(m)['words']).then(
          () => this.show(),
          (e: Error) => this.refuse(e.message),
        );
        break;
      case 'opcua':
        this.open.setOpcua(fieldsOf(m));
        void this.show();
        break;
      case 'trust':
      case 'trustOutside':
        if (typeof m.isTrusted !== 'boolean' || !/^[0-9a-f]{40}$/.test(m.thumbprint)) break;
        if (m.kind === 'trust') this.open.opcua.trust(m.thumbprint, m.isTrusted);
        else this.link.trust(m.thumbprint, m.isTrusted);
        break;
      case 'link':
        this.join(m);
        void this.show();
        break;
      case 'rejoin':
        this.link.rejoin();
        break;
      case 'outputs':
        if (Array.isArray(m.values)) this.takeOutputs(m.values);
    }
  }

  /** Another program gives inputs and takes outputs from now on. */
  private join({ project: sent, scanMs }: Extract<FromPage, { kind: 'link' }>): void {
    if (sent === undefined) {
      this.leave();
      return;
    }
    const { project, compiled } = compiledOf(sent),
      { outside } = project;
    if (!outside?.isOn || !compiled.outside.length)
      throw new Error('Nothing of this project is connected to another program.');
    const known = new Set(compiled.outside.map((p) => p.path));
    for (const path of this.outputs.keys()) if (!known.has(path)) this.outputs.delete(path);
    this.link.set({ outside, points: compiled.outside, scanMs: sensible(scanMs) ?? 10 });
  }
  private leave(): void {
    this.outputs.clear();
    this.link.set(undefined);
  }
  private takeOutputs(values: readonly (readonly [string, string])[]): void {
    for (const [path, text] of values) {
      const point = this.link.points.find((p) => p.path === path),
        value = point && !point.isInput && typeof text === 'string' && parseValue(point.type, text);
      if (value && 'value' in value) this.outputs.set(path, value.value);
    }
    this.link.look();
  }
  private tellInputs(values: readonly (readonly [string, Value | undefined])[], isLost: boolean): void {
    this.source.bad = this.link.bad();
    const { page } = this;
    if (!page) return;
    const types = new Map(this.link.points.map((p) => [p.path, p.type]));
    this.say(page, {
      kind: 'inputs',
      isLost,
      values: values.map(([path, value]) =>
        value === undefined ? ([path] as const) : ([path, formatValue(types.get(path)!, value)] as const),
      ),
    });
  }
  private takePoints({ project: sent, scanMs }: Extract<FromPage, { kind: 'points' }>): void {
    const { project, compiled } = compiledOf(sent),
      tree = pointTree(project, compiled.build(true));
    this.source.scanMs = sensible(scanMs) ?? this.source.scanMs;
    this.source.points = { tree, values: new PointValues(tree.flatMap((t) => pointsBelow(t.node))) };
  }

  private async show(): Promise<void> {
    const { page } = this;
    this.source.bad = this.link.bad();
    if (page)
      this.say(page, {
        kind: 'shown',
        shown: { ...(await this.open.shown()), outside: this.link.shown },
        log: this.source.log,
      });
  }
  private refuse(message: string): void {
    if (this.page) this.say(this.page, { kind: 'refused', message });
  }
  private say(page: WebSocket, m: ToPage): void {
    if (page.readyState === page.OPEN) page.send(JSON.stringify(m));
  }

  async end(): Promise<void> {
    clearInterval(this.showing);
    clearTimeout(this.closing);
    this.page?.terminate();
    await Promise.all([this.open.stop(), this.link.end()]);
  }
}

/**
 * Throws with a sentence where it is no project or does not compile. The last one is kept: points and link are of the
 * same.
 */
function compiledOf(sent: unknown): Taken {
  const text = JSON.stringify(sent);
  if (text === last?.text) return last;
  const parsed = parseProject(text);
  if ('problems' in parsed) throw new Error(parsed.problems[0]);
  const { project } = parsed,
    compiled = compile([{ kind: 'project', name: project.name, project }]);
  if (!compiled.canRun) throw new Error('The logic of the bench has errors.');
  return (last = { text, project, compiled });
}
interface Taken {
  readonly text: string;
  readonly project: Project;
  readonly compiled: Compiled;
}
let last: Taken | undefined;
const sensible = (scanMs: unknown): number | undefined =>
  typeof scanMs === 'number' && scanMs > 0 ? Math.min(60_000, Math.max(1, scanMs)) : undefined;
