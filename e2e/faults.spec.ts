/**
 * The web application over a disk that fills up, breaks or becomes read-only in the middle of a write, and killed at
 * any moment: what it has said to be stored is there after the next start, whole and once. Five hundred rounds take
 * about ten minutes: `FERRULE_FAULTS=500`.
 */
import { type ChildProcess, fork } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { type Edit, type Project, emptyProject, projectText } from '@ferrule/core/document';
import { Disk, FAULTS } from './disk.js';
import { CONTROLLER_DESK, root } from './ferrule.js';

const ROUNDS = Number(process.env['FERRULE_FAULTS'] ?? 20),
  port = CONTROLLER_DESK + 2,
  BASE = `http://127.0.0.1:${port}`;

test('a disk that fails at any write, and a kill at any moment: no edit that was answered is lost, none counts twice', async () => {
  test.setTimeout(60_000 + ROUNDS * 8000);
  const place = mkdtempSync(join(tmpdir(), 'ferrule-faults-')),
    data = join(place, 'data');
  mkdirSync(data);
  const disk = new Disk(place, data);
  let child: ChildProcess | undefined;
  const start = async () => {
    child = fork(join(root, 'packages/server/dist/main.mjs'), {
      env: {
        ...process.env,
        ...disk.env,
        FERRULE_LOG: 'silent',
        FERRULE_PORT: String(port),
        FERRULE_DATA: data,
        FERRULE_CONTROLLER: 'http://127.0.0.1:9',
      },
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
    });
    const begun = child;
    await new Promise<void>((resolve, reject) => {
      begun.once('message', () => resolve());
      begun.once('exit', (code) => reject(new Error(`it ended with ${code}`)));
    });
    begun.removeAllListeners('exit');
  };
  const kill = async () => {
    const gone = new Promise((r) => child!.once('exit', r));
    child!.kill('SIGKILL');
    await gone;
  };
  let seed = Number(process.env['FERRULE_SEED']) || 20261130;
  const random = (below: number) => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return Math.floor((seed / 4294967296) * below);
  };
  interface Answer {
    readonly status: number;
    readonly body: { readonly revision?: number; readonly detail?: string; readonly document?: Project; id?: string };
  }
  const call = async (method: string, path: string, payload?: unknown): Promise<Answer | undefined> => {
    try {
      const r = await fetch(`${BASE}/api${path}`, {
        method,
        ...(payload === undefined
          ? {}
          : { body: JSON.stringify(payload), headers: { 'content-type': 'application/json' } }),
      });
      return { status: r.status, body: (await r.json()) as Answer['body'] };
    } catch {
      // It was killed before it answered.
      return undefined;
    }
  };
  try {
    await start();
    const made = await call('POST', '/projects', { file: projectText(emptyProject('Faults')) }),
      id = made!.body.id!;
    /** Names of all tags whose edit was answered. */
    const stored: string[] = [];
    let revision = made!.body.revision ?? 1,
      refused = 0,
      kills = 0;
    for (let n = 1; n <= ROUNDS; n++) {
      const name = `Tag${n}`,
        edit: Edit = {
          kind: 'addTag',
          tag: { id: `t${n}`, name, type: 'BOOL', description: 'x'.repeat(random(2000)) },
        },
        batch = { base: revision, batch: `b${n}`, edits: [edit] },
        send = () => call('POST', `/projects/${id}/edits`, batch);
      const errno = [...FAULTS, 0][random(4)]!,
        isKilled = errno === 0 || random(3) === 0;
      if (errno) disk.break(errno, random(12), random(2) === 0);
      const sent = send();
      if (isKilled) {
        await new Promise((r) => setTimeout(r, random(25)));
        const early = await Promise.race([sent, Promise.resolve('not yet' as const)]);
        await kill();
        refused += disk.mend();
        await start();
        kills++;
        // What was answered before it was killed holds.
        const now = await call('GET', `/projects/${id}`);
        if (early !== 'not yet' && early?.status === 200) expect(now!.body.revision).toBe(batch.base + 1);
      } else {
        const answer = await sent;
        const hits = disk.mend();
        refused += hits;
        if (answer!.status !== 200) {
          expect(hits, `refused without cause: ${answer!.body.detail}`).toBeGreaterThan(0);
          expect([answer!.status, answer!.body.detail]).toEqual([
            507,
            expect.stringMatching(/^The (disk of the server|folder of the data|server could not)/),
          ]);
          expect((await call('GET', `/projects/${id}`))!.body.revision).toBe(batch.base);
        }
      }
      // As the page does, it is sent again until it is answered.
      const answer = await send();
      expect(answer, name).toMatchObject({ status: 200, body: { revision: batch.base + 1 } });
      revision = answer!.body.revision!;
      stored.push(name);
      const { document } = (await call('GET', `/projects/${id}`))!.body;
      expect(document!.tags.map((t) => t.name)).toEqual(stored);
    }
    // As the revisions tell it, each is the one before and its edit.
    await kill();
    await start();
    for (const at of [2, Math.ceil(ROUNDS / 2), ROUNDS + 1]) {
      const { document } = (await call('GET', `/projects/${id}/revisions/${at}`))!.body;
      expect(document!.tags.map((t) => t.name)).toEqual(stored.slice(0, at - 1));
    }
    // The disk was really in the way.
    expect(refused).toBeGreaterThan(ROUNDS / 4);
    expect(kills).toBeGreaterThan(ROUNDS / 5);
  } finally {
    await kill().catch(() => undefined);
    disk.close();
    rmSync(place, { recursive: true, force: true });
  }
});
