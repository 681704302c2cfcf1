/**
 * Long use: two windows on one project, worked by a script that edits, runs, goes back, looks around, downloads and
 * takes back, in an order of chance. Nothing is written to any log, memory stays flat, and at the end both windows and
 * the server hold the same. Here a minute of it; `FERRULE_SOAK=480` is eight hours, for the night.
 */
import { type ChildProcess, fork } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Page, expect, test } from '@playwright/test';
import { LINK_DESK, keepScopeOpen, demoText, element, root, toArea } from './ferrule.js';

const MINUTES = Number(process.env['FERRULE_SOAK'] ?? 1),
  port = LINK_DESK + 2,
  BASE = `http://127.0.0.1:${port}`;

interface Started {
  readonly child: ChildProcess;
  /** What it wrote to its error output. */ readonly wrote: () => string;
}
function start(name: 'server' | 'controller', env: Record<string, string>): Promise<Started> {
  const child = fork(join(root, `packages/${name}/dist/main.mjs`), {
    env: { ...process.env, FERRULE_LOG: 'warn', ...env },
    stdio: ['ignore', 'ignore', 'pipe', 'ipc'],
  });
  let text = '';
  child.stderr!.on('data', (d: Buffer) => (text += d.toString()));
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve({ child, wrote: () => text }));
    child.once('exit', (code) => reject(new Error(`${name} ended with ${code}: ${text}`)));
  });
}
async function end({ child }: Started): Promise<void> {
  child.removeAllListeners('exit');
  const gone = new Promise((r) => child.once('exit', r));
  child.kill('SIGTERM');
  await gone;
}

/** Resident memory of a process, MB. */
function residentOf(pid: number): number {
  const kb = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1];
  return Number(kb ?? 0) / 1024;
}
/** Of all pages of the browser that this process has started, with their workers, MB. */
function pagesResident(): number {
  let mb = 0;
  for (const pid of readdirSync('/proc').filter((d) => /^\d+$/.test(d)))
    try {
      const command = readFileSync(`/proc/${pid}/cmdline`, 'utf8');
      if (command.includes('--type=renderer') && isBelow(Number(pid), process.pid)) mb += residentOf(Number(pid));
    } catch {
      // It ended meanwhile.
    }
  return mb;
}
function isBelow(pid: number, above: number): boolean {
  for (let at = pid; at > 1;) {
    if (at === above) return true;
    at = Number(/^\d+ \(.*\) \S (\d+)/.exec(readFileSync(`/proc/${at}/stat`, 'utf8'))?.[1] ?? 0);
  }
  return false;
}

const median = (x: readonly number[]): number => [...x].sort((a, b) => a - b)[Math.floor(x.length / 2)]!;

test('long use in two windows: no error in any log, memory flat, both windows and the server hold the same at the end', async ({
  page,
  context,
}) => {
  test.setTimeout(MINUTES * 60_000 + 240_000);
  const data = mkdtempSync(join(tmpdir(), 'ferrule-soak-')),
    // The seventh of the row is nobody's.
    stand = await start('controller', {
      FERRULE_CONTROLLER_PORT: String(port + 4),
      FERRULE_CONTROLLER_DATA: join(data, 'controller'),
    }),
    server = await start('server', {
      FERRULE_PORT: String(port),
      FERRULE_DATA: data,
      FERRULE_CONTROLLER: `http://127.0.0.1:${port + 4}`,
      FERRULE_CONTROLLER_DATA: join(data, 'controller'),
    });
  const wrong: string[] = [];
  const heed = (p: Page, name: string) => {
    p.on('pageerror', (e) => wrong.push(`${name}: ${e.stack ?? e.message}`));
    p.on('console', (m) => {
      // An edit on an older revision is answered so; the window then puts its own on top of the other's.
      const isLater = m.text().includes('409 (Conflict)') && m.location().url.endsWith('/edits');
      if (m.type() === 'error' && !isLater) wrong.push(`${name}: ${m.text()} ${m.location().url}`);
    });
    p.on('response', (r) => r.status() >= 500 && wrong.push(`${name}: ${r.status()} ${r.url()}`));
  };
  let seed = Number(process.env['FERRULE_SEED']) || 20261130;
  const random = (below: number) => {
    seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0;
    return Math.floor((seed / 4294967296) * below);
  };
  const done = new Map<string, number>();
  try {
    const made = await page.request.post(`${BASE}/api/projects`, { data: { file: demoText } });
    const { id } = (await made.json()) as { id: string };
    const other = await context.newPage();
    for (const [p, name] of [
      [page, 'first'],
      [other, 'second'],
    ] as const) {
      heed(p, name);
      await keepScopeOpen(p);
      await p.goto(`${BASE}/projects/${id}/logic`);
      await expect(p.getByLabel('Simulated time')).not.toHaveText('00:00:00.000', { timeout: 60_000 });
    }
    for (const p of [page, other]) p.setDefaultTimeout(20_000);
    const areas = ['Plan', 'Tags', 'Logic', 'Machine', 'Prove', 'Timing', 'Controller'];
    const speed = async (p: Page, words: string) => {
      await p.getByRole('button', { name: 'Speed', exact: true }).click();
      await p.getByRole('menuitem', { name: words, exact: true }).click();
    };
    /** What a person does; each sees that it happened. */
    const doings: Record<string, (p: Page) => Promise<void>> = {
      'a rung is written and taken back': async (p) => {
        await toArea(p, 'Logic');
        await p.getByRole('application').focus();
        await p.keyboard.press('Insert');
        await p.keyboard.type('Running -> LampTrack');
        await p.keyboard.press('Enter');
        await expect(p.getByRole('button', { name: /^LampTrack, coil/ }).first()).toBeVisible();
        await p.keyboard.press('Escape');
        await p.keyboard.press('Control+z');
        await expect(p.getByRole('button', { name: /^LampTrack, coil/ })).toHaveCount(0);
      },
      'one scan back, one on': async (p) => {
        await toArea(p, 'Logic');
        for (const key of ['Shift+F6', 'Shift+F6', 'F6', 'F5']) await p.keyboard.press(key);
      },
      'another speed': async (p) => speed(p, ['1×', '10×', '100×', 'as fast as it goes'][random(4)]!),
      'the machine is started': async (p) => {
        await toArea(p, 'Logic');
        const b = p.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
        await b.click({ delay: 200 });
      },
      'another area': async (p) => {
        const area = areas[random(areas.length)]!;
        await toArea(p, area);
        await expect(p).toHaveURL(new RegExp(`/${area.toLowerCase()}`));
      },
      'all checks': async (p) => {
        await toArea(p, 'Prove');
        await p.keyboard.press('F9');
        await expect(p.getByRole('button', { name: /^Run all/ })).toBeEnabled({ timeout: 60_000 });
      },
      'a description': async (p) => {
        await toArea(p, 'Tags');
        const field = p.getByLabel('Description of StopOK'),
          words = `Seen ${random(1000)}`;
        await field.click();
        await p.keyboard.press('Control+a');
        await p.keyboard.type(words);
        await p.keyboard.press('Enter');
        await expect(field).toHaveValue(words);
      },
      'the page again': async (p) => {
        if (p !== other) return;
        await p.reload();
        await expect(p.getByLabel('Simulated time')).not.toHaveText('00:00:00.000', { timeout: 60_000 });
      },
      'a download': async (p) => {
        await toArea(p, 'Controller');
        const button = p.getByRole('button', { name: 'Download and restart' });
        await expect(button).toBeEnabled();
        await button.click();
        await expect(button).toBeEnabled({ timeout: 60_000 });
      },
    };
    const names = Object.keys(doings),
      samples: { readonly pages: number; readonly server: number; readonly stand: number }[] = [];
    const until = Date.now() + MINUTES * 60_000;
    while (Date.now() < until || done.size < names.length) {
      // Everything once, then what chance brings.
      const name = names.find((n) => !done.has(n)) ?? names[random(names.length)]!,
        p = name === 'the page again' || random(3) === 0 ? other : page;
      await p.bringToFront();
      // Both may have changed something at once.
      const mine = p.getByRole('button', { name: 'Put mine on top' });
      if (await mine.isVisible()) await mine.click();
      await test.step(name, () => doings[name]!(p));
      done.set(name, (done.get(name) ?? 0) + 1);
      samples.push({
        pages: pagesResident(),
        server: residentOf(server.child.pid!),
        stand: residentOf(stand.child.pid!),
      });
    }
    // Both windows hold what the server holds.
    await toArea(page, 'Logic');
    await page.bringToFront();
    await expect(element(page, 1, 'Running, coil')).toBeVisible();
    const described = async (p: Page) => {
      await p.bringToFront();
      await toArea(p, 'Tags');
      return p.getByLabel('Description of StopOK').inputValue();
    };
    const { document } = (await (await page.request.get(`${BASE}/api/projects/${id}`)).json()) as {
      document: { tags: { name: string; description?: string }[] };
    };
    const kept = document.tags.find((t) => t.name === 'StopOK')!.description;
    await expect.poll(() => described(page)).toBe(kept);
    await expect.poll(() => described(other)).toBe(kept);
    const third = Math.floor(samples.length / 3),
      over = (of: (s: (typeof samples)[number]) => number) =>
        [median(samples.slice(third, 2 * third).map(of)), median(samples.slice(-third).map(of))] as const;
    const [pages, servers, stands] = [over((s) => s.pages), over((s) => s.server), over((s) => s.stand)];
    test.info().annotations.push({
      type: 'memory, MB, in the second third and in the last',
      description: `pages ${pages.map(Math.round).join(' → ')}, server ${servers.map(Math.round).join(' → ')}, stand-in ${stands.map(Math.round).join(' → ')}; ${[...done].map(([n, c]) => `${n} ${c}`).join(', ')}`,
    });
    console.log(test.info().annotations.at(-1)!.description);
    expect(wrong).toEqual([]);
    expect(server.wrote()).toBe('');
    expect(stand.wrote()).toBe('');
    // A history may fill to its budget of 256 MB in each window, with its traces; beyond the first hour nothing grows.
    const isLong = MINUTES >= 60;
    expect(pages[1]).toBeLessThan(isLong ? pages[0] * 1.2 + 50 : 2500);
    expect(servers[1]).toBeLessThan(isLong ? servers[0] * 1.2 + 30 : 600);
    expect(stands[1]).toBeLessThan(isLong ? stands[0] * 1.2 + 30 : 600);
  } finally {
    await Promise.all([end(server), end(stand)]);
    rmSync(data, { recursive: true, force: true });
  }
});
