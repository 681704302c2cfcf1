import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { request as requestPlain } from 'node:http';
import { request } from 'node:https';
import type { Server } from 'node:https';
import { type AddressInfo, connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { addressesOf, createTlsServer, givenIdentity, ownIdentity } from './tls.js';

const NOW = Date.UTC(2026, 10, 30),
  DAY_MS = 86_400_000,
  NAMES = ['cell-7', '192.0.2.7', '127.0.0.1', 'localhost', '::1'];
let folder: string;
beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-tls-'));
});
afterEach(() => {
  rmSync(folder, { recursive: true, force: true });
});

describe('The certificate of its own', () => {
  it('is made once and stays, so that its fingerprint need be compared once', async () => {
    const first = await ownIdentity(folder, NAMES, NOW);
    expect(first.fingerprint).toMatch(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/);
    expect(await ownIdentity(folder, NAMES, NOW + 300 * DAY_MS)).toEqual(first);
    expect(statSync(join(folder, 'key.pem')).mode & 0o077).toBe(0);
  });

  it('is made anew for a name that it is not of, before it ends, and where a file of it was cut', async () => {
    const first = await ownIdentity(folder, NAMES, NOW),
      named = await ownIdentity(folder, [...NAMES, 'cell-8'], NOW);
    expect(named.fingerprint).not.toBe(first.fingerprint);
    const late = await ownIdentity(folder, NAMES, NOW + 800 * DAY_MS);
    expect(late.fingerprint).not.toBe(named.fingerprint);
    writeFileSync(join(folder, 'cert.pem'), late.cert.slice(0, 200));
    const again = await ownIdentity(folder, NAMES, NOW + 800 * DAY_MS);
    expect(again.fingerprint).not.toBe(late.fingerprint);
    expect(readFileSync(join(folder, 'cert.pem'), 'utf8')).toBe(again.cert);
  });
});

describe('A certificate that is given', () => {
  it('is refused with a sentence that says which file is wrong', async () => {
    const { cert } = await ownIdentity(join(folder, 'a'), NAMES, NOW),
      { key } = await ownIdentity(join(folder, 'b'), NAMES, NOW);
    const file = (name: string, text: string) => {
      writeFileSync(join(folder, name), text);
      return join(folder, name);
    };
    const c = file('c.pem', cert),
      k = file('k.pem', key),
      own = join(folder, 'a/key.pem');
    expect(() => givenIdentity(join(folder, 'none.pem'), k, NOW)).toThrow('none.pem cannot be read (ENOENT).');
    expect(() => givenIdentity(k, own, NOW)).toThrow(`${k} holds no certificate in PEM.`);
    expect(() => givenIdentity(c, c, NOW)).toThrow(`${c} holds no key in PEM that can be read without a password.`);
    expect(() => givenIdentity(c, k, NOW)).toThrow(`The key in ${k} is not that of the certificate in ${c}.`);
    expect(() => givenIdentity(c, own, NOW + 900 * DAY_MS)).toThrow(`The certificate in ${c} was good until`);
    expect(() => givenIdentity(c, own, NOW - 9 * DAY_MS)).toThrow(`The certificate in ${c} is good from`);
    expect(givenIdentity(c, own, NOW).cert).toBe(cert);
  });
});

describe('The port', () => {
  let server: Server, port: number, ca: string;
  beforeEach(async () => {
    const identity = await ownIdentity(folder, NAMES, Date.now());
    ca = identity.cert;
    server = createTlsServer(identity, (_, response) => response.end('desk'));
    await new Promise<void>((r) => server.listen(0, '127.0.0.1', r));
    port = (server.address() as AddressInfo).port;
  });
  afterEach(async () => {
    server.closeAllConnections();
    await new Promise((r) => server.close(r));
  });

  it('speaks TLS as the name that was asked for, and no old version of it', async () => {
    const ask = (options: object) =>
      new Promise<string>((resolve, reject) => {
        const r = request({ host: '127.0.0.1', port, ca, ...options }, (response) => {
          response.setEncoding('utf8').once('data', resolve);
        });
        r.once('error', reject);
        r.end();
      });
    expect(await ask({})).toBe('desk');
    await expect(ask({ maxVersion: 'TLSv1.1' })).rejects.toThrow();
    await expect(ask({ servername: 'cell-9' })).rejects.toThrow(/cell-9/);
  });

  it('sends who comes without it to the same address with it', async () => {
    const found = await new Promise<[number | undefined, string | undefined]>((resolve, reject) => {
      const r = requestPlain({ host: '127.0.0.1', port, path: '/projects/a?b=c' }, (response) => {
        response.resume();
        resolve([response.statusCode, response.headers.location]);
      });
      r.once('error', reject);
      r.end();
    });
    expect(found).toEqual([308, `https://127.0.0.1:${port}/projects/a?b=c`]);
  });

  it('lives on under what is neither', async () => {
    for (const bytes of [
      Buffer.from([22, 3, 1, 255, 255, 0, 0, 0]),
      Buffer.from([0, 1, 2]),
      Buffer.from('GET\r\n\r\n'),
    ])
      await new Promise<void>((resolve) => {
        const s = connect(port, '127.0.0.1', () => s.write(bytes, () => s.end()));
        s.on('error', () => undefined);
        s.resume().once('close', () => {
          resolve();
        });
      });
    expect(server.listening).toBe(true);
  });
});

it('an address that stands for all of a machine is told as its name and what it has', () => {
  expect(addressesOf('10.0.0.5')).toEqual(['10.0.0.5']);
  expect(addressesOf('Cell-7')).toEqual(['cell-7']);
  expect(addressesOf('0.0.0.0')).not.toContain('0.0.0.0');
  expect(addressesOf('0.0.0.0').length).toBeGreaterThan(0);
});
