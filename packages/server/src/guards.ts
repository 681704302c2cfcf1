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

export function hasPassword(password: string, header: string | undefined): boolean {
  const given = Buffer.from(
    Buffer.from(header?.replace(/^Basic /, '') ?? '', 'base64')
      .toString()
      .replace(/^[^:]*:/, ''),
  );
  const wanted = Buffer.from(password);
  return given.length === wanted.length && timingSafeEqual(given, wanted);
}

export function passwordGuard(password: string): RequestHandler {
  return (request, _, next) => {
    if (!hasPassword(password, request.headers.authorization))
      throw problem('PASSWORD_NEEDED', 'Give the password that Ferrule was started with.');
    next();
  };
}
