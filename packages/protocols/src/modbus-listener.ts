/**
 * Modbus TCP: listens while it is switched on, answers from the points of what runs, and writes between two scans.
 * Connections, frames on their way and time without a word are bounded.
 */
import { type Server, type Socket, createServer } from 'node:net';
import {
  EXCEPTION,
  type ModbusClient,
  type ModbusFrame,
  type ModbusMap,
  ModbusServer,
  type WordOrder,
  frameBytes,
  modbusFrames,
  modbusMap,
} from '@ferrule/core/bench';
import { type PointSource, SLOW_MS, type SourcePoints } from './source.js';

const MOST_CLIENTS = 32,
  /** Frames of one client that wait for their answer; beyond that it is not read from. */ MOST_WAITING = 16,
  IDLE_MS = 300_000,
  /** A state looked at so lately answers too: a scan is longer. */ FRESH_MS = 2,
  /** A client that is refused again and again is in the log this often. */ LOG_MS = 60_000;

interface Client {
  readonly socket: Socket;
  readonly sinceMs: number;
  requests: number;
  writes: number;
  refused: number;
  loggedMs: number;
  rest: Uint8Array;
  waiting: number;
  last: Promise<void>;
}

export class ModbusListener {
  private server: Server | undefined;
  private readonly clients = new Set<Client>();
  private readonly made = new WeakMap<
    SourcePoints,
    Map<WordOrder, { readonly map: ModbusMap; readonly server: ModbusServer }>
  >();
  private lookedMs = -Infinity;
  /** Why it does not listen though it should. */ error: string | undefined;

  constructor(
    private readonly source: PointSource,
    private readonly options: {
      readonly port: number;
      /** The setting that chooses it. */ readonly portName: string;
      readonly host: string;
      readonly words: () => WordOrder;
      readonly clockMs: () => number;
    },
  ) {}

  get isOn(): boolean {
    return this.server?.listening === true;
  }
  get port(): number {
    const at = this.server?.address();
    return typeof at === 'object' && at ? at.port : this.options.port;
  }

  /** Listens. What stands in the way is in `error`. */
  async start(): Promise<void> {
    if (this.server) return;
    this.error = undefined;
    const server = createServer((socket) => this.connected(socket));
    this.server = server;
    await new Promise<void>((resolve) => {
      server.once('error', (e: NodeJS.ErrnoException) => {
        this.error =
          e.code === 'EADDRINUSE'
            ? `Port ${this.options.port} is taken; stop what uses it, or set ${this.options.portName} to another one.`
            : `It cannot listen: ${e.message}`;
        this.server = undefined;
        resolve();
      });
      server.listen(this.options.port, this.options.host, resolve);
    });
  }
  async stop(): Promise<void> {
    const { server } = this;
    this.error = undefined;
    this.server = undefined;
    for (const c of this.clients) c.socket.destroy();
    if (server?.listening) await new Promise((r) => server.close(r));
  }

  /** The cable is cut, or the power gone: nobody is connected any more. */
  cut(): void {
    for (const c of this.clients) c.socket.destroy();
  }

  list(): ModbusClient[] {
    const now = this.options.clockMs();
    return [...this.clients].map((c) => ({
      address: `${c.socket.remoteAddress ?? ''}:${c.socket.remotePort ?? ''}`,
      forMs: now - c.sinceMs,
      requests: c.requests,
      writes: c.writes,
      refused: c.refused,
    }));
  }

  /** The mapping of what the machine obeys; undefined without a program. */
  map(): ModbusMap | undefined {
    return this.answering()?.map;
  }

  private answering(): { readonly map: ModbusMap; readonly server: ModbusServer } | undefined {
    const { points } = this.source,
      order = this.options.words();
    if (!points) return undefined;
    let of = this.made.get(points);
    if (!of) this.made.set(points, (of = new Map()));
    let found = of.get(order);
    if (!found) {
      const map = modbusMap(points.values.points),
        numbers = new Map(points.values.points.map((p, i) => [p, i]));
      found = {
        map,
        server: new ModbusServer({
          map,
          order,
          read: (m) => points.values.values[numbers.get(m.point)!]!,
          isGood: () => this.source.state === 'run',
        }),
      };
      of.set(order, found);
    }
    return found;
  }

  private isGone(): boolean {
    return this.source.cable === 'cut';
  }

  private connected(socket: Socket): void {
    if (this.isGone() || this.clients.size >= MOST_CLIENTS) {
      socket.destroy();
      return;
    }
    const client: Client = {
      socket,
      sinceMs: this.options.clockMs(),
      requests: 0,
      writes: 0,
      refused: 0,
      loggedMs: -Infinity,
      rest: new Uint8Array(0),
      waiting: 0,
      last: Promise.resolve(),
    };
    this.clients.add(client);
    socket.setNoDelay(true);
    socket.setTimeout(IDLE_MS, () => socket.destroy());
    socket.on('error', () => socket.destroy());
    socket.on('close', () => this.clients.delete(client));
    socket.on('data', (data) => this.came(client, data));
  }

  private came(client: Client, data: Uint8Array): void {
    const { frames, rest, bad } = modbusFrames(Buffer.concat([client.rest, data]));
    client.rest = rest;
    for (const frame of frames) {
      client.waiting++;
      client.last = client.last.then(
        () => this.answer(client, frame),
        () => undefined,
      );
    }
    if (client.waiting > MOST_WAITING) client.socket.pause();
    // There is no telling where the next frame would begin.
    if (bad) void client.last.finally(() => client.socket.destroy());
  }

  private async answer(client: Client, frame: ModbusFrame): Promise<void> {
    const { source } = this;
    try {
      if (source.cable === 'slow') await new Promise((r) => setTimeout(r, SLOW_MS));
      if (this.isGone() || client.socket.destroyed) {
        client.socket.destroy();
        return;
      }
      const now = this.options.clockMs();
      if (now - this.lookedMs >= FRESH_MS) {
        await source.look();
        this.lookedMs = this.options.clockMs();
      }
      client.requests++;
      const to = this.answering();
      if (!to) {
        client.socket.write(failed(frame, EXCEPTION.device));
        return;
      }
      const { pdu, writes, exception } = to.server.answer(frame.pdu);
      for (const w of writes) await source.write(w.path, w.value);
      if (writes.length) {
        client.writes += writes.length;
        // What is read next is as it was written.
        this.lookedMs = -Infinity;
      }
      if (exception !== undefined) this.refused(client, frame.pdu[0] ?? 0, exception);
      client.socket.write(frameBytes({ ...frame, pdu }));
    } catch {
      client.socket.write(failed(frame, EXCEPTION.device));
    } finally {
      if (--client.waiting <= MOST_WAITING && client.socket.isPaused()) client.socket.resume();
    }
  }

  private refused(client: Client, code: number, exception: number): void {
    client.refused++;
    const now = this.options.clockMs();
    if (now - client.loggedMs < LOG_MS) return;
    client.loggedMs = now;
    this.source.note(
      `Modbus: function ${code} of ${client.socket.remoteAddress ?? 'a client'} was refused, ${REASONS[exception] ?? `exception ${exception}`}.`,
    );
  }
}

const REASONS: Readonly<Record<number, string>> = {
  [EXCEPTION.function]: 'exception 1: there is no such function',
  [EXCEPTION.address]: 'exception 2: nothing is at that address, or others may not write it',
  [EXCEPTION.value]: 'exception 3: a count, length or value that cannot be',
};

const failed = (frame: ModbusFrame, exception: number): Uint8Array =>
  frameBytes({ ...frame, pdu: Uint8Array.of((frame.pdu[0] ?? 0) | 0x80, exception) });
