/**
 * The side of a controller or server to the process that joins another program over OPC UA; and looking what is there.
 */
import { type ChildProcess, fork } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Value, OpcuaCertificate } from '@ferrule/core/bench';
import type { Browsed, FromClient, JoinSettings, ToClient } from '../opcua/client-messages.js';
import { shapeOf } from '../opcua/model.js';
import { AGAIN_MS, type Driver, type DriverSide, type LinkTask } from './driver.js';

/** So long it may take to leave. */
const END_MS = 4000,
  /** So long it may take to look what is there. */ BROWSE_MS = 30_000;

const settingsOf = (t: Pick<LinkTask, 'outside' | 'password' | 'port' | 'path'>, folder: string): JoinSettings => ({
  url: `opc.tcp://127.0.0.1:${t.port}${t.path}`,
  security: t.outside.security ?? 'plain',
  folder,
  ...(t.outside.user ? { user: t.outside.user, password: t.password ?? '' } : {}),
});

const start = (entry: URL): ChildProcess =>
  fork(fileURLToPath(entry), [], { serialization: 'advanced', stdio: 'ignore', execArgv: [] });

export class OpcuaDriver implements Driver {
  private child: ChildProcess | undefined;
  private isOver = false;
  private again: NodeJS.Timeout | undefined;
  private readonly folder: string;

  constructor(
    private readonly task: LinkTask,
    private readonly side: DriverSide,
    private readonly options: { readonly folder: string; readonly entry: URL },
  ) {
    this.folder = options.folder;
    this.open();
  }

  private open(): void {
    const child = start(this.options.entry);
    this.child = child;
    child.on('error', () => undefined);
    child.on('message', (m: FromClient) => {
      if (!this.isOver) this.hear(m);
    });
    child.on('exit', () => {
      if (this.isOver) return;
      this.side.away('the process that joins it ended; it is started again');
      this.again = setTimeout(() => this.open(), AGAIN_MS);
    });
    const { points, scanMs } = this.task;
    this.tell({
      kind: 'join',
      scanMs,
      settings: settingsOf(this.task, this.folder),
      points: points.map((p) => ({ item: p.item, isInput: p.isInput, shape: shapeOf(p.type) })),
    });
  }
  private tell(m: ToClient): void {
    if (this.child?.connected) this.child.send(m);
  }
  private hear(m: FromClient): void {
    if (m.kind === 'up') this.side.up();
    else if (m.kind === 'away') this.side.away(m.why);
    else if (m.kind === 'got') this.side.got(m.all);
    else if (m.kind === 'certificates') this.side.certificates(m.certificates);
  }

  put(values: readonly (readonly [number, Value])[]): void {
    this.tell({ kind: 'put', values });
  }
  trust(thumbprint: string, isTrusted: boolean): void {
    this.tell({ kind: 'trust', folder: this.folder, thumbprint, isTrusted });
  }
  async end(last: readonly (readonly [number, Value])[]): Promise<void> {
    this.isOver = true;
    clearTimeout(this.again);
    const { child } = this;
    if (!child || child.exitCode !== null || child.signalCode !== null) return;
    const hard = setTimeout(() => child.kill('SIGKILL'), END_MS),
      gone = new Promise((r) => child.once('exit', r));
    this.tell({ kind: 'end', last });
    await gone;
    clearTimeout(hard);
  }
}

/** What there is at a server; `certificates` are those that were shown. Rejects with a sentence. */
export async function browseOpcua(
  task: Pick<LinkTask, 'outside' | 'password' | 'port' | 'path'>,
  options: {
    readonly folder: string;
    readonly entry: URL;
    readonly certificates: (all: readonly OpcuaCertificate[]) => void;
  },
): Promise<Browsed> {
  const child = start(options.entry);
  try {
    return await new Promise<Browsed>((resolve, reject) => {
      const over = setTimeout(() => reject(new Error(`It did not answer within ${BROWSE_MS / 1000} s.`)), BROWSE_MS);
      child.on('error', reject);
      child.on('exit', () => {
        clearTimeout(over);
        reject(new Error('The process that looks there ended.'));
      });
      child.on('message', (m: FromClient) => {
        if (m.kind === 'certificates') options.certificates(m.certificates);
        else if (m.kind === 'browsed') resolve(m.found);
        else if (m.kind === 'notBrowsed') reject(new Error(m.why));
      });
      child.send({ kind: 'browse', settings: settingsOf(task, options.folder) } satisfies ToClient);
    });
  } finally {
    child.removeAllListeners('exit');
    child.kill();
  }
}

/** Trusts a certificate that was shown, or does not any more, where nothing is joined. */
export async function trustOpcua(
  options: { readonly folder: string; readonly entry: URL },
  thumbprint: string,
  isTrusted: boolean,
): Promise<readonly OpcuaCertificate[]> {
  const child = start(options.entry);
  try {
    return await new Promise((resolve, reject) => {
      child.on('error', reject);
      child.on('exit', () => reject(new Error('The process that keeps certificates ended.')));
      child.on('message', (m: FromClient) => {
        if (m.kind === 'certificates') resolve(m.certificates);
      });
      child.send({ kind: 'trust', folder: options.folder, thumbprint, isTrusted } satisfies ToClient);
    });
  } finally {
    child.removeAllListeners('exit');
    child.kill();
  }
}
