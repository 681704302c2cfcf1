/** The stand-in over its real HTTP and WebSocket, with time in our hands. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { type Server, createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Project, projectHash, projectText } from '@ferrule/core';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { WebSocket } from 'ws';
import { type Cabinet, createApp } from './app.js';
import { attachLive } from './live.js';
import { ProgramStore } from './program-store.js';
import { Runner } from './runner.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
let folder: string,
  server: Server,
  base: string,
  runner: Runner,
  cabinet: Cabinet,
  endLive: () => void,
  store: ProgramStore;

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-'));
  runner = new Runner(() => performance.now());
  cabinet = { network: 'ok' };
  store = new ProgramStore(folder);
  server = createServer(
    createApp({ name: 'Cabinet A', runner, store, cabinet, startedMs: 0, clockMs: () => performance.now() }),
  );
  endLive = attachLive(server, runner, cabinet);
  await new Promise<void>((r) => {
    server.listen(0, '127.0.0.1', r);
  });
  base = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
});
afterEach(() => {
  endLive();
  runner.stop();
  server.close();
  server.closeAllConnections();
  rmSync(folder, { recursive: true });
});

async function call(
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; body: Record<string, never> }> {
  const raw = body instanceof Uint8Array;
  const r = await fetch(base + path, {
    method,
    ...(body === undefined
      ? {}
      : {
          body: (raw ? body : JSON.stringify(body)) as BodyInit,
          headers: { 'content-type': raw ? 'application/octet-stream' : 'application/json' },
        }),
  });
  return { status: r.status, body: (await r.json()) as Record<string, never> };
}

async function download(project: Project, mode = 'restart', upTo = Infinity, hash = projectHash(project)) {
  const bytes = new TextEncoder().encode(projectText(project));
  const { body } = await call('POST', '/downloads', { size: bytes.length, hash, revision: 7, mode });
  const size = Number(body['chunkSize']);
  for (let at = 0, n = 0; at < bytes.length && n < upTo; at += size, n++)
    await call('PUT', `/downloads/${body['id']}/${n}`, bytes.subarray(at, at + size));
  return call('POST', `/downloads/${body['id']}/commit`, {});
}
const rename = (p: Project, name: string): Project => ({ ...p, name });

describe('download', () => {
  it('takes a program whole, verified by its hash, and keeps it over a power cut', async () => {
    expect(await download(demo)).toEqual({ status: 200, body: { hash: projectHash(demo), lost: [] } });
    expect((await call('GET', '/status')).body).toMatchObject({
      state: 'stop',
      project: 'Wire-end crimp cell',
      revision: 7,
    });
    expect((await call('GET', '/program')).body['project']).toEqual(demo);
    const again = new Runner(() => 0);
    again.load(new ProgramStore(folder).read()!, 'restart');
    expect(again.program!.hash).toBe(projectHash(demo));
  });
  it('broken off in the middle leaves the old program running', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    expect((await download(rename(demo, 'New'), 'keep', 5)).status).toBe(409);
    cabinet.network = 'cut';
    await expect(call('GET', '/status')).rejects.toThrow();
    cabinet.network = 'ok';
    expect((await call('GET', '/status')).body).toMatchObject({ state: 'run', project: 'Wire-end crimp cell' });
    expect(new ProgramStore(folder).read()!.project.name).toBe('Wire-end crimp cell');
  });
  it('with another hash than announced, or with errors, is refused', async () => {
    expect((await download(demo, 'restart', Infinity, 'f'.repeat(64))).status).toBe(409);
    const broken = JSON.parse(JSON.stringify(demo).replace('-> Running"', '-> Runing"')) as Project;
    const r = await download(broken);
    expect(r.status).toBe(422);
    expect(String(r.body['message'])).toContain("There is no tag 'Runing'");
    expect((await call('GET', '/status')).body).toMatchObject({ state: 'empty' });
  });
  it('that keeps the state goes on with every value that fits', async () => {
    await download(demo);
    runner.engine!.write('GoodTotal', 17n);
    const r = await download(
      {
        ...demo,
        tags: demo.tags.map((t) => (t.name === 'LastPull' ? { ...t, type: 'LREAL' } : t)),
        pous: demo.pous.map((p) =>
          p.language === 'LD'
            ? { ...p, rungs: p.rungs.map((x) => ({ ...x, line: x.line.replace('LastPull := PullTest.Peak; ', '') })) }
            : p,
        ),
      },
      'keep',
    );
    expect(r.body['lost']).toEqual(['LastPull: was REAL, is LREAL']);
    expect(runner.engine!.read('GoodTotal')).toBe(17n);
  });
});

describe('running', () => {
  it('scans in real time, takes writes and forces, and says what is wrong with them', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    await call('POST', '/events', { kind: 'write', path: 'Machine.Start.Pressed', value: '1' });
    await call('POST', '/events', { kind: 'force', path: 'DieDown', value: '1' });
    const from = Number((await call('GET', '/status')).body['scan']);
    await new Promise((r) => setTimeout(r, 300));
    const status = (await call('GET', '/status')).body;
    expect(Number(status['scan']) - from).toBeGreaterThan(10);
    expect(status['forces']).toEqual([{ path: 'DieDown', value: 'true' }]);
    expect([runner.engine!.read('Running'), runner.engine!.read('DieDown')]).toEqual([true, true]);
    expect((await call('POST', '/events', { kind: 'write', path: 'Nope', value: '1' })).body['message']).toBe(
      "There is no tag 'Nope'.",
    );
    expect((await call('POST', '/events', { kind: 'write', path: 'Running', value: 'maybe' })).status).toBe(400);
    await call('POST', '/events', { kind: 'releaseAll' });
    expect((await call('GET', '/status')).body['forces']).toEqual([]);
  });
  it('without a program it cannot run', async () => {
    expect((await call('POST', '/mode', { mode: 'run' })).body['message']).toContain('download one first');
  });
  it('sends live values of just what is asked for, and the cut cable ends that', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    const ws = new WebSocket(`${base.replace('http', 'ws')}/live`);
    await new Promise((r) => ws.once('open', r));
    ws.send('nonsense');
    ws.send(JSON.stringify({ paths: ['StopOK', 'Step', 'Nope'], rungs: ['r1'] }));
    const frame = await new Promise<Record<string, Record<string, unknown>>>((r) =>
      ws.on('message', (m) => {
        const f = JSON.parse(String(m)) as Record<string, Record<string, unknown>>;
        if (f['power']!['r1'] && f['values']!['StopOK'] === true) r(f);
      }),
    );
    expect(frame['values']).toEqual({ StopOK: true, Step: 'Idle' });
    expect(frame['power']!['r1'] as number[]).toHaveLength(9);
    const closed = new Promise((r) => ws.once('close', r));
    cabinet.network = 'cut';
    await closed;
  });
});
