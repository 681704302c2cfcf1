/**
 * The stand-in, killed at any moment of what it writes, on a disk that at times does not take it: after the next start
 * it is what it was last said to be, and what it refused has changed nothing.
 */
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';
import { type Project, emptyProject, projectHash, projectText } from '@ferrule/core/document';
import { WebSocket } from 'ws';
import { Disk, FAULTS } from './disk.js';

const ROOT = join(dirname(fileURLToPath(import.meta.url)), '..'),
  PORT = 4996,
  BASE = `http://127.0.0.1:${PORT}`,
  /** Two hundred take about five minutes: `FERRULE_KILLS=200`. */
  KILLS = Number(process.env['FERRULE_KILLS'] ?? 25);
let key = '';

/** Counts in ones and in twos: a set of retained values that is not whole does not agree with itself. */
const variant = (n: number): Project => ({
  ...emptyProject('Killed'),
  tags: [
    { id: 'a', name: 'Ones', type: 'DINT', retain: true },
    { id: 'b', name: 'Twos', type: 'DINT', retain: true },
  ],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
  pous: [
    {
      id: 'm',
      name: 'Main',
      language: 'ST',
      kind: 'program',
      text: `PROGRAM Main\n(* ${n} *)\nOnes := Ones + 1; Twos := Twos + 2;\nEND_PROGRAM\n`,
    },
  ],
});

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const isRaw = body instanceof Uint8Array,
    r = await fetch(BASE + path, {
      method,
      headers: {
        authorization: `Bearer ${key}`,
        'content-type': isRaw ? 'application/octet-stream' : 'application/json',
      },
      ...(body === undefined ? {} : { body: (isRaw ? body : JSON.stringify(body)) as BodyInit }),
    });
  const answer = (await r.json()) as T & { message?: string };
  if (!r.ok) throw new Error(answer.message);
  return answer;
}
async function send(p: Project): Promise<string> {
  const bytes = new TextEncoder().encode(projectText(p));
  const { id, chunkSize } = await call<{ id: string; chunkSize: number }>('POST', '/downloads', {
    size: bytes.length,
    hash: projectHash(p),
    revision: 1,
  });
  for (let at = 0, n = 0; at < bytes.length; at += chunkSize, n++)
    await call('PUT', `/downloads/${id}/${n}`, bytes.subarray(at, at + chunkSize));
  return id;
}
/** Values of one frame. */
async function counts(): Promise<{ Ones: number; Twos: number }> {
  const ws = new WebSocket(`${BASE.replace('http', 'ws')}/live`, { headers: { authorization: `Bearer ${key}` } });
  try {
    return await new Promise((resolve, reject) => {
      ws.on('open', () => ws.send(JSON.stringify({ paths: ['Ones', 'Twos'], rungs: [] })));
      ws.on('error', reject);
      ws.on('message', (m) => {
        const { values } = JSON.parse(String(m)) as { values: { Ones?: number; Twos?: number } };
        if (values.Ones !== undefined) resolve(values as { Ones: number; Twos: number });
      });
    });
  } finally {
    ws.terminate();
  }
}

test('killed at any moment of download, try, keep and retained values: what was last said to be kept is there, and whole', async () => {
  test.setTimeout(60_000 + KILLS * 5000);
  const place = mkdtempSync(join(tmpdir(), 'ferrule-kill-')),
    folder = join(place, 'data');
  mkdirSync(folder);
  const disk = new Disk(place, folder);
  let child: ChildProcess | undefined;
  const start = async () => {
    child = spawn(process.execPath, [join(ROOT, 'packages/controller/dist/main.mjs')], {
      env: { ...process.env, ...disk.env, FERRULE_CONTROLLER_PORT: String(PORT), FERRULE_CONTROLLER_DATA: folder },
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    const process_ = child;
    await new Promise<void>((resolve, reject) => {
      process_.once('message', () => resolve());
      process_.once('exit', (code) => reject(new Error(`it ended with ${code}`)));
    });
    key = readFileSync(join(folder, 'key'), 'utf8').trim();
  };
  const kill = async () => {
    const process_ = child!;
    process_.removeAllListeners('exit');
    process_.kill('SIGKILL');
    await new Promise((r) => process_.once('exit', r));
  };
  let seed = Number(process.env['FERRULE_SEED']) || 20261129;
  const random = (below: number) => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return Math.floor((seed / 4294967296) * below);
  };
  try {
    await start();
    let kept = variant(0);
    await call('POST', `/downloads/${await send(kept)}/commit`, { mode: 'restart', into: 'run' });
    let seen = await counts(),
      refused = 0;
    for (let n = 1; n <= KILLS; n++) {
      const next = variant(n),
        what = random(4);
      /** What may be there, where the answer did not come before it was killed. */
      let maybe: Project | undefined;
      const id = what < 3 ? await send(next) : '';
      if (what === 1)
        await call('POST', `/downloads/${id}/try`, { against: projectHash(kept), by: 'Ada', ticket: 't' });
      seen = await counts();
      if (what < 2) maybe = next;
      const isBroken = random(2) === 0;
      if (isBroken) disk.break(FAULTS[random(3)]!, random(10), random(2) === 0);
      let isRefused = false;
      const asked =
        what === 0
          ? call('POST', `/downloads/${id}/commit`, { mode: 'keep' })
          : what === 1
            ? call('POST', '/trial/keep', { by: 'Ada' })
            : what === 2
              ? // A trial alone changes nothing that is kept.
                call('POST', `/downloads/${id}/try`, { against: projectHash(kept), by: 'Ada', ticket: 't' })
              : new Promise((r) => setTimeout(r, 700));
      let isSaid = false;
      const done = asked.then(
        () => (isSaid = true),
        (e: unknown) => {
          // Its own word, not that it is gone; nor that it cannot tell, where the disk took the name and then nothing more.
          if (/could not write that down/.test(String(e))) isRefused = true;
        },
      );
      await new Promise((r) => setTimeout(r, what === 3 ? 400 + random(400) : random(what === 1 ? 30 : 120)));
      // On a disk that fails each is waited for at times: what it then says must be so.
      if (isBroken && what < 2 && random(2) === 0) await done;
      const [wasSaid, wasRefused] = [isSaid, isRefused];
      await kill();
      await done;
      if (disk.mend()) refused++;
      await start();
      const { hash, state } = await call<{ hash: string; state: string }>('GET', '/status'),
        now = await counts();
      const kind = ['download', 'keep', 'try', 'retained values'][what];
      expect(state, kind).toBe('run');
      if (maybe && wasSaid) kept = maybe;
      // What it refused is not there; without an answer either may be.
      if (maybe && !wasRefused && hash === projectHash(maybe)) kept = maybe;
      expect(hash, `${kind}: the program`).toBe(projectHash(kept));
      expect(now.Twos, `${kind}: a whole set`).toBe(2 * now.Ones);
      // Written every half second, and once more with a download or a keep; not on a disk that does not take it.
      if (!isBroken) expect(now.Ones, `${kind}: the last set`).toBeGreaterThanOrEqual(seen.Ones - 120);
    }
    expect(refused).toBeGreaterThan(KILLS / 8);
  } finally {
    if (child) await kill().catch(() => undefined);
    disk.close();
    rmSync(place, { recursive: true, force: true });
  }
});
