/**
 * `npm start` as a person sees it: one address, both processes, one clear sentence when it cannot, and nothing left
 * behind.
 */
import { type ChildProcess, spawn } from 'node:child_process';
import { chmodSync, existsSync, mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { WebSocket } from 'ws';
import { PORT, root } from './ferrule.js';

test.describe.configure({ mode: 'serial' });
const [web, stand] = [PORT + 1000, PORT + 1001];
let folder: string;
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-start-'));
});
test.afterAll(() => {
  chmodSync(folder, 0o755);
  rmSync(folder, { recursive: true, force: true });
});

interface Started {
  readonly child: ChildProcess;
  text(): string;
  readonly ended: Promise<number | null>;
}

const running = new Set<ChildProcess>();
// One that a test left behind would hold the ports of the next.
test.afterEach(async () => {
  await Promise.all(
    [...running].map(
      (child) =>
        new Promise((resolve) => {
          child.once('exit', resolve);
          child.kill('SIGTERM');
        }),
    ),
  );
});

function start(env: Record<string, string> = {}): Started {
  let text = '';
  const child = spawn(process.execPath, [join(root, 'scripts/start.mjs')], {
    env: {
      ...process.env,
      FERRULE_PORT: String(web),
      FERRULE_CONTROLLER_PORT: String(stand),
      FERRULE_CONTROLLER: `http://127.0.0.1:${stand}`,
      FERRULE_DATA: join(folder, 'data'),
      FERRULE_CONTROLLER_DATA: join(folder, 'stand'),
      ...env,
    },
  });
  running.add(child);
  child.once('exit', () => running.delete(child));
  child.stdout.on('data', (d) => {
    text += String(d);
  });
  child.stderr.on('data', (d) => {
    text += String(d);
  });
  return {
    child,
    text: () => text,
    ended: new Promise((r) => {
      child.once('exit', r);
    }),
  };
}
/** What the desk brings along to the stand-in. */
const keyed = () => ({
  authorization: `Bearer ${readFileSync(join(folder, 'stand/key'), 'utf8').trim()}`,
});
const answers = (port: number, path: string) =>
  fetch(`http://127.0.0.1:${port}${path}`, { headers: port === stand ? keyed() : {} }).then(
    (r) => r.ok,
    () => false,
  );

test('starts both processes, prints one address, loads the demo; Ctrl+C ends everything', async () => {
  const s = start();
  await expect.poll(() => s.text(), { timeout: 30_000 }).toContain(`Ferrule is at http://localhost:${web}`);
  expect(s.text().match(/http:\/\//g)).toHaveLength(1);
  expect([await answers(web, '/api/projects'), await answers(stand, '/status')]).toEqual([true, true]);
  const projects = (await (await fetch(`http://127.0.0.1:${web}/api/projects`)).json()) as { name: string }[];
  expect(projects.map((p) => p.name).sort()).toEqual([
    'Canal lock',
    'Ceramic kiln with cart lock',
    'Dust extractor for three saws',
    'Tile grading line',
    'Wire-end crimp cell',
  ]);
  s.child.kill('SIGINT');
  expect(await s.ended).toBe(0);
  expect([await answers(web, '/api/projects'), await answers(stand, '/status')]).toEqual([false, false]);
});

test('a second start changes nothing', async () => {
  const s = start();
  await expect.poll(() => s.text(), { timeout: 30_000 }).toContain('Ferrule is at');
  const projects = (await (await fetch(`http://127.0.0.1:${web}/api/projects`)).json()) as { revision: number }[];
  expect(projects.map((p) => p.revision)).toEqual([1, 1, 1, 1, 1]);
  s.child.kill('SIGTERM');
  await s.ended;
});

test('a taken port gets one sentence that says which and what to do', async () => {
  const s = start({ FERRULE_PORT: String(PORT) });
  expect(await s.ended).toBe(1);
  expect(s.text().trim()).toBe(`Port ${PORT} is taken; stop what uses it, or set FERRULE_PORT to another one.`);
  expect(await answers(stand, '/status')).toBe(false);
});

test('what is no port, and a folder that another server uses, get one sentence each', async () => {
  for (const [name, text] of [
    ['FERRULE_PORT', 'abc'],
    ['FERRULE_CONTROLLER_PORT', '70000'],
    ['FERRULE_MODBUS_PORT', '0'],
    ['FERRULE_OPCUA_PORT', '4840x'],
  ] as const) {
    const s = start({ [name]: text });
    expect(await s.ended).toBe(1);
    expect(s.text()).toContain(`${name} is '${text}', which is no port; give a number from 1 to 65535.`);
    expect(s.text()).not.toMatch(/\n\s+at /);
  }
  const first = start();
  await expect.poll(() => answers(web, '/api/projects').catch(() => false), { timeout: 60_000 }).toBe(true);
  const second = spawn(process.execPath, [join(root, 'packages/server/dist/main.mjs')], {
    env: { ...process.env, FERRULE_PORT: String(stand + 1), FERRULE_DATA: join(folder, 'data') },
  });
  let said = '';
  second.stderr.on('data', (d) => (said += String(d)));
  expect(await new Promise((r) => second.once('exit', r))).toBe(1);
  expect(said).toContain('Another Ferrule server uses the folder');
  first.child.kill('SIGTERM');
  await first.ended;
  // What was written last is in the file itself: a copy of it alone is whole.
  expect(existsSync(join(folder, 'data/ferrule.db-wal'))).toBe(false);
});

test('a folder that cannot be used gets one sentence', async () => {
  mkdirSync(join(folder, 'plain'));
  writeFileSync(join(folder, 'plain/file'), '');
  const s = start({ FERRULE_DATA: join(folder, 'plain/file/data') });
  expect(await s.ended).toBe(1);
  expect(s.text()).toContain("cannot be used for Ferrule's data");
  expect(s.text().trim().split('\n')).toHaveLength(1);
});

test('beyond this machine only with a password', async () => {
  const s = start({ FERRULE_HOST: '0.0.0.0' });
  expect(await s.ended).toBe(1);
  expect(s.text().trim()).toBe(
    'Ferrule listens beyond this machine only with a password: set FERRULE_PASSWORD, or leave FERRULE_HOST at 127.0.0.1.',
  );
});

test('beyond this machine everything goes over TLS, live view too, under a certificate whose fingerprint is said', async ({
  browser,
}) => {
  test.setTimeout(240_000);
  const alone = start({
    FERRULE_HOST: '0.0.0.0',
    FERRULE_PASSWORD: 'a password',
    FERRULE_TLS_CERT: join(folder, 'none.pem'),
  });
  expect(await alone.ended).toBe(1);
  expect(alone.text().trim()).toBe(
    'FERRULE_TLS_CERT and FERRULE_TLS_KEY name the certificate and its key; set both, or neither.',
  );

  const none = start({ FERRULE_TLS_CERT: join(folder, 'none.pem'), FERRULE_TLS_KEY: join(folder, 'none.pem') });
  expect(await none.ended).toBe(1);
  expect(none.text().trim()).toBe(
    `Ferrule cannot speak TLS: The certificate ${join(folder, 'none.pem')} cannot be read (ENOENT).`,
  );

  const s = start({ FERRULE_HOST: '0.0.0.0', FERRULE_PASSWORD: 'a password' });
  await expect.poll(() => s.text(), { timeout: 30_000 }).toContain('fingerprint is ');
  expect(s.text()).toContain(`Ferrule is at https://`);
  expect(s.text()).not.toContain('http://');
  const context = await browser.newContext({
      ignoreHTTPSErrors: true,
      httpCredentials: { username: 'any', password: 'a password' },
    }),
    page = await context.newPage();
  // Typed without it, as people do.
  await page.goto(`http://127.0.0.1:${web}/projects/wire-end-crimp-cell/controller`);
  expect(page.url()).toBe(`https://127.0.0.1:${web}/projects/wire-end-crimp-cell/controller`);
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified')).toBeVisible({ timeout: 30_000 });
  await expect(page.getByText(/^Live · scan \d+/)).toBeVisible();
  await context.close();
  s.child.kill('SIGTERM');
  expect(await s.ended).toBe(0);
  // One that is given is used on this machine too, without a password.
  const own = start({
    FERRULE_TLS_CERT: join(folder, 'data/tls/cert.pem'),
    FERRULE_TLS_KEY: join(folder, 'data/tls/key.pem'),
  });
  await expect.poll(() => own.text(), { timeout: 30_000 }).toContain(`Ferrule is at https://localhost:${web}`);
  expect(own.text()).not.toContain('fingerprint');
  const local = await (await browser.newContext({ ignoreHTTPSErrors: true })).newPage();
  await local.goto(`https://localhost:${web}/`);
  await expect(local.getByRole('button', { name: 'New project' })).toBeVisible();
  await local.context().close();
});

test('the command does long work in threads, with the words that it has without', async () => {
  test.setTimeout(120_000);
  const example = join(root, 'examples/dust-extractor.ferrule.json');
  let out = '';
  const child = spawn(
    process.execPath,
    [
      join(root, 'packages/cli/bin/ferrule.mjs'),
      'verify',
      example,
      '--changes',
      '--search',
      '0.2',
      '--only',
      'Never three at once',
    ],
    { env: process.env },
  );
  child.stdout.on('data', (d) => {
    out += String(d);
  });
  expect(
    await new Promise((r) => {
      child.once('exit', r);
    }),
  ).toBe(0);
  const lines = out.trimEnd().split('\n');
  expect(lines.find((l) => l.endsWith('changes noticed'))).toMatch(/^1[45]\d of 165 changes noticed$/);
  // In the order of the rungs, whichever thread tried them.
  const rungs = lines
    .filter((l) => l.startsWith('not noticed: Extraction rung '))
    .map((l) => Number(/rung (\d+)/.exec(l)![1]));
  expect(rungs).toEqual([...rungs].sort((a, b) => a - b));
  expect(lines.at(-2)).toMatch(
    /^ok rule Never three at once \(.*no counterexample in 20\d,\d{3} scans of search, depth/,
  );
});

/** Value of a tag at the stand-in, over its live link. */
const valueThere = (path: string): Promise<number> =>
  new Promise((resolve, reject) => {
    const ws = new WebSocket(`ws://127.0.0.1:${stand}/live`, { headers: keyed() });
    ws.onopen = () => ws.send(JSON.stringify({ paths: [path], rungs: [] }));
    ws.onerror = () => reject(new Error('no live link'));
    ws.onmessage = (m) => {
      const { values } = JSON.parse(String(m.data)) as { values: Record<string, unknown> };
      if (values[path] === undefined) return;
      ws.close();
      resolve(Number(values[path]));
    };
  });

test('a stand-in killed at any moment comes back with its program running and its retained values; the desk goes on', async () => {
  test.setTimeout(120_000);
  const s = start();
  await expect.poll(() => s.text(), { timeout: 30_000 }).toContain('Ferrule is at');
  const post = async (path: string, body: unknown) => {
    const r = await fetch(`http://127.0.0.1:${web}/api${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    return (await r.json()) as { id: string };
  };
  const { id } = await post('/projects', {
    file: JSON.stringify({
      format: 'ferrule-project',
      version: 1,
      name: 'Counting',
      tags: [{ id: 'k', name: 'Kept', type: 'DINT', retain: true }],
      types: [],
      tasks: [],
      machine: { devices: [] },
      pous: [
        {
          id: 'm',
          name: 'Main',
          language: 'ST',
          kind: 'program',
          text: 'PROGRAM Main\nKept := Kept + 1;\nEND_PROGRAM\n',
        },
      ],
      checks: [],
      rules: [],
      scope: [],
    }),
  });
  await post('/controller/download', { projectId: id, mode: 'restart', into: 'run' });
  const status = async () =>
    (await (await fetch(`http://127.0.0.1:${stand}/status`, { headers: keyed() })).json()) as {
      state: string;
      upMs: number;
    };
  await expect.poll(async () => (await status()).state, { timeout: 60_000 }).toBe('run');
  const pids = () =>
    readFileSync(`/proc/${s.child.pid}/task/${s.child.pid}/children`, 'utf8')
      .trim()
      .split(' ')
      .filter((p) => readFileSync(`/proc/${p}/cmdline`, 'utf8').includes('controller/dist/main.mjs'));
  for (let n = 0; n < 6; n++) {
    await new Promise((r) => setTimeout(r, 900 + n * 137));
    const before = await valueThere('Kept'),
      [pid] = pids();
    process.kill(Number(pid), 'SIGKILL');
    expect(await answers(web, '/api/projects')).toBe(true);
    await expect
      .poll(
        () =>
          status().then(
            (x) => x.state,
            () => 'gone',
          ),
        { timeout: 60_000 },
      )
      .toBe('run');
    // What was not on the disk yet is at most what half a second counts, and a little.
    expect(await valueThere('Kept')).toBeGreaterThan(before - 150);
  }
  expect(s.text().match(/The controller ended \(SIGKILL\); it is started again\./g)).toHaveLength(6);
  s.child.kill('SIGINT');
  expect(await s.ended).toBe(0);
});
