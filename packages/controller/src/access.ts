/**
 * Who may talk to the controller: whoever has its key, made at the first start and shared with the desk by file.
 * Requests of a browser's pages and to foreign host names are refused whatever they bring; wrong keys are answered ever
 * more slowly.
 */
import { randomBytes, timingSafeEqual } from 'node:crypto';
import { chmodSync, existsSync, readFileSync } from 'node:fs';
import type { IncomingMessage } from 'node:http';
import { join } from 'node:path';
import { writeWhole } from './program-store.js';

/** The key in a folder; made where there is none. */
export function keyIn(folder: string): string {
  const file = join(folder, 'key');
  if (!existsSync(file)) {
    writeWhole(file, folder, `${randomBytes(24).toString('hex')}\n`);
    chmodSync(file, 0o600);
  }
  return readFileSync(file, 'utf8').trim();
}

const HOSTS = ['127.0.0.1', 'localhost', '[::1]'];

export class Access {
  private failures = 0;
  constructor(private readonly key: string) {}

  /** Why a request is refused, or undefined. */
  refuses(request: IncomingMessage): { readonly status: number; readonly message: string } | undefined {
    const { host = '', origin, authorization = '' } = request.headers;
    if (origin !== undefined || !HOSTS.includes(host.replace(/:\d+$/, '').toLowerCase()))
      return {
        status: 403,
        message: 'The controller talks to the desk, not to pages of a browser or under other names.',
      };
    const given = Buffer.from(authorization.replace(/^Bearer /, '')),
      wanted = Buffer.from(this.key);
    if (authorization.startsWith('Bearer ') && given.length === wanted.length && timingSafeEqual(given, wanted)) {
      this.failures = 0;
      return undefined;
    }
    this.failures++;
    return {
      status: 401,
      message: "The controller's key is missing or wrong; it lies in the controller's folder, in the file 'key'.",
    };
  }

  /** How long a refused request waits for its answer, in ms. */
  get delayMs(): number {
    return Math.min(5000, 50 * 2 ** Math.min(10, this.failures));
  }
}
