/**
 * The cable between other programs and a server that knows of none: listens where they connect, and passes on what
 * comes; late where it is slow, nothing where it is cut. Connections, and time until the first word, are bounded.
 */
import { type AddressInfo, type Server, type Socket, connect, createServer } from 'node:net';
import { SLOW_MS } from './source.js';

const MOST = 64,
  FIRST_WORD_MS = 5000;

export class Cable {
  private server: Server | undefined;
  private readonly open = new Map<Socket, Socket>();
  private now: 'ok' | 'slow' | 'cut' = 'ok';

  /** Why the last one could not be passed on to the other end. */
  trouble: NodeJS.ErrnoException | undefined;

  /** `to`: where the server is; a port is on this machine. */
  constructor(private readonly to: number | { readonly host: string; readonly port: number }) {}

  /** Rejects where it cannot listen. */
  listen(port: number, host: string): Promise<void> {
    const server = createServer((outside) => this.connected(outside));
    this.server = server;
    return new Promise((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, host, resolve);
    });
  }
  /** Where it listens. */
  get port(): number {
    return (this.server!.address() as AddressInfo).port;
  }
  get state(): 'ok' | 'slow' | 'cut' {
    return this.now;
  }
  set state(state: 'ok' | 'slow' | 'cut') {
    this.now = state;
    if (state === 'cut') this.endAll();
  }

  /** Where the one really is whose connection comes from `port` of this machine. */
  peer(port: number | undefined): string | undefined {
    for (const [outside, inside] of this.open)
      if (inside.localPort === port) return `${outside.remoteAddress ?? ''}:${outside.remotePort ?? ''}`;
    return undefined;
  }

  private connected(outside: Socket): void {
    outside.on('error', () => outside.destroy());
    if (this.now === 'cut' || this.open.size >= MOST) {
      outside.destroy();
      return;
    }
    const inside = connect(typeof this.to === 'number' ? { host: '127.0.0.1', port: this.to } : this.to);
    inside.once('connect', () => (this.trouble = undefined));
    this.open.set(outside, inside);
    outside.setNoDelay(true);
    inside.setNoDelay(true);
    const first = setTimeout(() => outside.destroy(), FIRST_WORD_MS);
    outside.once('data', () => clearTimeout(first));
    inside.on('error', (e) => {
      this.trouble = e;
      outside.destroy();
    });
    inside.on('close', () => outside.destroy());
    outside.on('close', () => {
      clearTimeout(first);
      inside.destroy();
      this.open.delete(outside);
    });
    this.pass(outside, inside);
    this.pass(inside, outside);
  }

  /** In order, and no more on its way than the other end takes. */
  private pass(from: Socket, to: Socket): void {
    let last = Promise.resolve();
    from.on('data', (data) => {
      const put = () => {
        if (to.destroyed || to.write(data)) from.resume();
        else to.once('drain', () => from.resume());
      };
      from.pause();
      if (this.now !== 'slow') {
        void last.then(put);
        return;
      }
      const at = new Promise<void>((r) => setTimeout(r, SLOW_MS));
      last = last.then(() => at).then(put);
    });
  }

  private endAll(): void {
    for (const s of this.open.keys()) s.destroy();
  }
  async end(): Promise<void> {
    this.endAll();
    const { server } = this;
    if (server?.listening) await new Promise((r) => server.close(r));
  }
}
