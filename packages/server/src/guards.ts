/** Who may talk to the server: pages it served itself, and with a password where it listens beyond this machine. */
import { timingSafeEqual } from 'node:crypto';
import type { RequestHandler } from 'express';
import { problem } from './problem.js';

const hostName = (host: string) =>
  host
    .replace(/:\d+$/, '')
    .replace(/^\[|\]$/g, '')
    .toLowerCase();

/** Host must be ours (DNS rebinding), and a foreign page's Origin is refused. */
export function isAllowed(hosts: readonly string[], host: string | undefined, origin: string | undefined): boolean {
  if (!host || !hosts.includes(hostName(host))) return false;
  if (origin === undefined) return true;
  try {
    return new URL(origin).host === host;
  } catch {
    return false;
  }
}

export function originGuard(hosts: readonly string[]): RequestHandler {
  return (request, _, next) => {
    if (!isAllowed(hosts, request.headers.host, request.headers.origin))
      throw problem('FORBIDDEN_ORIGIN', 'Open Ferrule at the address it printed when it started.');
    next();
  };
}

/** Whether a header (RFC 7617) brings the password, under any name. */
export function hasPassword(password: string, header: string | undefined): boolean {
  const given = Buffer.from(
    Buffer.from(/^Basic +([A-Za-z0-9+/=]+) *$/i.exec(header ?? '')?.[1] ?? '', 'base64')
      .toString()
      .replace(/^[^:]*:/, ''),
  );
  const wanted = Buffer.from(password);
  return given.length === wanted.length && timingSafeEqual(given, wanted);
}

const FIRST_MS = 250,
  LONGEST_MS = 10_000,
  FORGET_MS = 600_000,
  MOST_WAITING = 5,
  MOST_KNOWN = 1000;

/**
 * Slows down who tries passwords: each wrong one of an address is answered later than the one before, and while several
 * of its answers are out no further one is looked at, so that trying side by side is no faster.
 */
export class PasswordBrake {
  private readonly known = new Map<string, { failures: number; waiting: number; lastMs: number }>();
  constructor(
    private readonly password: string,
    private readonly clockMs: () => number = () => performance.now(),
  ) {}

  /** `right`; `busy` where it was not even looked at; or in how many ms a wrong one is answered. */
  try(address: string, header: string | undefined): 'right' | 'busy' | number {
    const now = this.clockMs(),
      of = this.known.get(address);
    if (of && now - of.lastMs > FORGET_MS && !of.waiting) this.known.delete(address);
    if (of && of.waiting >= MOST_WAITING) return 'busy';
    if (hasPassword(this.password, header)) {
      this.known.delete(address);
      return 'right';
    }
    // A browser asks without one first.
    if (header === undefined) return 0;
    const entry = this.known.get(address) ?? { failures: 0, waiting: 0, lastMs: now };
    this.known.delete(address);
    this.known.set(address, entry);
    if (this.known.size > MOST_KNOWN) this.known.delete(this.known.keys().next().value!);
    entry.lastMs = now;
    return Math.min(LONGEST_MS, FIRST_MS * 2 ** entry.failures++);
  }
  /** Answers a wrong one when its time has come. */
  later(address: string, ms: number, answer: () => void): void {
    const entry = this.known.get(address);
    if (!entry) {
      answer();
      return;
    }
    entry.waiting++;
    setTimeout(() => {
      entry.waiting--;
      answer();
    }, ms);
  }
}

export function passwordGuard(brake: PasswordBrake): RequestHandler {
  return (request, _, next) => {
    const address = request.socket.remoteAddress ?? '',
      found = brake.try(address, request.headers.authorization);
    if (found === 'right') next();
    else if (found === 'busy')
      next(problem('TOO_MANY_TRIES', 'Too many wrong passwords came from there; wait a moment.'));
    else
      brake.later(address, found, () =>
        next(problem('PASSWORD_NEEDED', 'Give the password that Ferrule was started with.')),
      );
  };
}
