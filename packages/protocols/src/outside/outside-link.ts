/**
 * The link of a controller or a bench to another program that gives inputs and takes outputs: kept up by itself, its
 * values handed on with how far they can be trusted, and shown.
 */
import { type LinkShown, type OpcuaCertificate, type Quality, type Value, formatValue } from '@ferrule/core/bench';
import type { OutsideIo } from '@ferrule/core/document';
import type { OutsidePoint } from '@ferrule/core/workspace';
import { typeText } from '@ferrule/core/language';
import { Cable } from '../cable.js';
import { type Driver, type DriverSide, type Got, type LinkTask, parseOutsideAddress } from './driver.js';
import { ModbusDriver } from './modbus-driver.js';
import { OpcuaDriver } from './opcua-driver.js';

/** What is to be joined, and with which points. */
export interface OutsideTask {
  readonly outside: OutsideIo;
  readonly points: readonly OutsidePoint[];
  readonly scanMs: number;
}
/** Of one point as it was heard of last. */
interface Heard {
  readonly value?: Value;
  readonly isUncertain?: boolean;
  readonly why?: string;
}

export class OutsideLink {
  private task: OutsideTask | undefined;
  private key = '';
  private state: LinkShown['state'] = 'off';
  private why: string | undefined;
  private sinceMs: number;
  private heard: Heard[] = [];
  private sent: (Value | undefined)[] = [];
  private driver: Driver | undefined;
  private cable: Cable | undefined;
  private certificates: readonly OpcuaCertificate[] = [];
  private turn = 0;
  private last: Promise<unknown> = Promise.resolve();

  constructor(
    private readonly options: {
      /** Certificates lie here. */ readonly folder: string;
      /** The built program that joins over OPC UA. */ readonly entry: URL;
      readonly clockMs: () => number;
      readonly cable: () => 'ok' | 'slow' | 'cut';
      /** Passwords by `passwordKey`, kept where only this machine's user reads them. */
      readonly password: (key: string) => string | undefined;
      /** What came; `isLost`: the link is away, and every value with it. */
      readonly inputs: (values: readonly (readonly [string, Value | undefined])[], isLost: boolean) => void;
      /** Outputs as they are to be now, in the order of the points; undefined of inputs, and where there is none. */
      readonly outputs: () => readonly (Value | undefined)[];
      readonly note: (words: string) => void;
    },
  ) {
    this.sinceMs = options.clockMs();
  }

  /** What to join; undefined: nothing. The same again changes nothing. */
  set(task: OutsideTask | undefined): void {
    const key = task ? keyOf(task) : '';
    if (key === this.key) return;
    this.key = key;
    this.again(task);
  }
  /** Joins anew: a password was told. */
  rejoin(): void {
    if (this.task) this.again(this.task);
  }

  private again(task: OutsideTask | undefined): void {
    const turn = ++this.turn,
      { driver, cable, task: before } = this;
    // What is left is left as it is to be at rest.
    const rest = (before?.points ?? []).flatMap((p, n) => (p.isInput ? [] : [[n, p.rest] as const]));
    this.driver = this.cable = undefined;
    this.task = task;
    this.heard = task?.points.map(() => ({})) ?? [];
    this.sent = task?.points.map(() => undefined) ?? [];
    this.become(task ? 'joining' : 'off');
    this.options.inputs([], true);
    this.last = this.last.then(async () => {
      await driver?.end(rest);
      await cable?.end();
      if (task && turn === this.turn) await this.open(task, turn);
    });
  }

  private async open(task: OutsideTask, turn: number): Promise<void> {
    const { outside, points, scanMs } = task,
      { folder, entry } = this.options,
      to = parseOutsideAddress(outside.protocol, outside.address);
    if (typeof to === 'string') {
      this.away(to, '');
      return;
    }
    const cable = new Cable(to);
    cable.state = this.options.cable();
    await cable.listen(0, '127.0.0.1');
    if (turn !== this.turn) {
      await cable.end();
      return;
    }
    this.cable = cable;
    const isNow = () => turn === this.turn,
      side: DriverSide = {
        up: () => isNow() && this.up(),
        away: (why) => isNow() && this.away(this.reason(why, to), outside.address),
        got: (all) => isNow() && this.got(all),
        certificates: (all) => {
          if (isNow()) this.certificates = all;
        },
      };
    const password = this.options.password(passwordKey(outside)),
      link: LinkTask = {
        outside,
        points,
        scanMs,
        port: cable.port,
        path: to.path,
        ...(password === undefined ? {} : { password }),
      };
    this.driver =
      outside.protocol === 'modbus' ? new ModbusDriver(link, side) : new OpcuaDriver(link, side, { folder, entry });
  }
  /** The way to the other side knows more than who is at this end of it. */
  private reason(why: string, to: { readonly host: string; readonly port: number }): string {
    if (this.options.cable() === 'cut') return 'the network is cut';
    return troubleWords(this.cable?.trouble, to) ?? why;
  }

  private become(state: LinkShown['state'], why?: string): void {
    if (state !== this.state) this.sinceMs = this.options.clockMs();
    this.state = state;
    this.why = why;
  }
  private up(): void {
    const { task } = this;
    this.become('on');
    this.options.note(`Outside I/O: ${task!.outside.address} is joined.`);
    this.sent = task!.points.map(() => undefined);
    this.options.inputs([], false);
    this.look();
  }
  private away(why: string, address: string): void {
    const isNews = this.state === 'on' || why !== this.why;
    this.become('away', why);
    this.heard = this.heard.map(() => ({}));
    this.options.inputs([], true);
    if (isNews)
      this.options.note(`Outside I/O: ${address ? `${address} is away: ` : ''}${why}${/[.!]$/.test(why) ? '' : '.'}`);
  }
  private got(all: readonly Got[]): void {
    const { points } = this.task!,
      inputs: [string, Value | undefined][] = [];
    for (const { n, ...heard } of all) {
      const p = points[n];
      if (!p) continue;
      this.heard[n] = heard;
      if (p.isInput) inputs.push([p.path, heard.value]);
    }
    if (inputs.length && this.state === 'on') this.options.inputs(inputs, false);
  }

  /** Sends outputs that have changed. */
  look(): void {
    if (this.state !== 'on' || !this.driver) return;
    const changed: [number, Value][] = [];
    for (const [n, value] of this.options.outputs().entries()) {
      if (value === undefined || this.task!.points[n]!.isInput || Object.is(value, this.sent[n])) continue;
      this.sent[n] = value;
      changed.push([n, value]);
    }
    if (changed.length) this.driver.put(changed);
  }
  get isOn(): boolean {
    return this.state === 'on';
  }
  /** The points in the order in which outputs are told. */
  get points(): readonly OutsidePoint[] {
    return this.task?.points ?? [];
  }

  /** The cable has changed. */
  cableChanged(): void {
    if (this.cable) this.cable.state = this.options.cable();
  }
  trust(thumbprint: string, isTrusted: boolean): void {
    this.driver?.trust(thumbprint, isTrusted);
  }
  end(): Promise<unknown> {
    this.set(undefined);
    return this.last;
  }

  /** Paths of inputs whose values are not what the other side says now. */
  bad(): ReadonlySet<string> {
    return new Set(
      this.points.flatMap((p, n) => (p.isInput && this.qualityOf(n) === 'bad' ? [p.path.toLowerCase()] : [])),
    );
  }
  private qualityOf(n: number): Quality {
    const h = this.heard[n];
    return this.state !== 'on' || h?.value === undefined ? 'bad' : h.isUncertain ? 'uncertain' : 'good';
  }

  get shown(): LinkShown {
    const { task, state, why } = this;
    return {
      state,
      ...(task ? { protocol: task.outside.protocol, address: task.outside.address } : {}),
      ...(why === undefined ? {} : { why }),
      forMs: this.options.clockMs() - this.sinceMs,
      needsPassword:
        task?.outside.protocol === 'opcua' &&
        task.outside.user !== undefined &&
        this.options.password(passwordKey(task.outside)) === undefined,
      points: (task?.points ?? []).map((p, n) => {
        const h = this.heard[n],
          value = h?.value ?? (p.isInput ? p.rest : undefined);
        return {
          path: p.path,
          item: p.item,
          type: typeText(p.type),
          isInput: p.isInput,
          value: value === undefined ? '' : formatValue(p.type, value),
          quality: this.qualityOf(n),
          ...(h?.why === undefined ? {} : { why: h.why }),
        };
      }),
      certificates: this.certificates,
    };
  }
}

/** What a password is kept under: of one user at one address. */
export const passwordKey = (o: Pick<OutsideIo, 'address' | 'user'>): string => `${o.user ?? ''} at ${o.address.trim()}`;

const keyOf = ({ outside: { items: _, isOn: __, ...how }, points, scanMs }: OutsideTask): string =>
  JSON.stringify([how, points.map((p) => ({ ...p, type: typeText(p.type) })), scanMs], (_, v: unknown) =>
    typeof v === 'bigint' ? `${v}n` : v,
  );

/** Why there is no way to a host, in words; undefined where there is one. */
export function troubleWords(
  e: NodeJS.ErrnoException | undefined,
  { host, port }: { readonly host: string; readonly port: number },
): string | undefined {
  switch (e?.code) {
    case undefined:
      return undefined;
    case 'ECONNREFUSED':
      return `nothing listens at ${host}, port ${port}`;
    case 'ENOTFOUND':
    case 'EAI_AGAIN':
      return `there is no machine called ${host}`;
    case 'EHOSTUNREACH':
    case 'ENETUNREACH':
    case 'ETIMEDOUT':
      return `there is no way to ${host}`;
    default:
      return undefined;
  }
}
