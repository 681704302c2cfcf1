/** Prove with a Redis: what is long is given out to workers of other machines, here processes of this one. */
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { expect, test } from '@playwright/test';
import { OUTSIDE_DESK, demoText, openDemo, startProcess } from './ferrule.js';

const command = fileURLToPath(new URL('../packages/cli/bin/ferrule.mjs', import.meta.url)),
  port = OUTSIDE_DESK + 2;
const freePort = () =>
  new Promise<number>((resolve) => {
    const s = createServer().listen(0, '127.0.0.1', () => {
      const { port: free } = s.address() as { port: number };
      s.close(() => resolve(free));
    });
  });
const heard = (child: ChildProcess, what: RegExp) =>
  new Promise<void>((resolve, reject) => {
    let said = '';
    child.stdout!.on('data', (d: Buffer) => what.test((said += d.toString())) && resolve());
    child.once('exit', (code) => reject(new Error(`it ended with ${code}: ${said}`)));
    child.once('error', reject);
  });
async function killed(child: ChildProcess): Promise<void> {
  if (child.exitCode !== null || child.signalCode) return;
  const gone = new Promise((r) => child.once('exit', r));
  child.kill('SIGKILL');
  await gone;
}

test('with a Redis: no worker, one that is killed in the middle, another; a search, changed logic and a proof say what they say here; a lost Redis is told', async ({
  page,
}) => {
  test.setTimeout(300_000);
  const data = mkdtempSync(join(tmpdir(), 'ferrule-redis-')),
    at = await freePort(),
    url = `redis://127.0.0.1:${at}`,
    children: ChildProcess[] = [];
  const started = async (program: string, args: string[], what: RegExp) => {
    const child = spawn(program, args, { cwd: data });
    children.push(child);
    await heard(child, what);
    return child;
  };
  const worker = () => started(process.execPath, [command, 'worker', '--redis', url, '--cores', '1'], /taking shares/);
  const redis = await started('redis-server', ['--port', String(at), '--save', '', '--appendonly', 'no'], /Ready to/);
  const server = await startProcess('server', {
    FERRULE_PORT: String(port),
    FERRULE_DATA: data,
    FERRULE_CONTROLLER: 'http://127.0.0.1:9',
    FERRULE_REDIS: url,
  });
  try {
    await openDemo(
      page,
      'prove',
      port,
      demoText.replace('Running & Step = Cutting & ClampShut -> BladeOut', 'Running & Step = Cutting -> BladeOut'),
    );
    const workers = page.getByRole('note', { name: 'Workers' }),
      shares = page.getByRole('status', { name: 'Given out' }),
      status = page.getByRole('status').filter({ hasText: 'different states' }),
      search = page.getByRole('button', { name: 'Search', exact: true });
    await page.getByRole('button', { name: 'Search for counterexamples' }).click();
    await expect(workers).toHaveText(
      `No worker is at ${url}. Searches are done in this browser until one comes (ferrule worker --redis ${url}).`,
    );
    await page.getByLabel('Million scans').fill('1');
    await search.click();
    await expect(search).toBeVisible({ timeout: 120_000 });
    const found = page.getByRole('listitem').filter({ hasText: 'Blade only into a held wire' });
    await expect(found.getByLabel('broken')).toBeVisible();
    const alone = [await found.textContent(), (await status.textContent())!.replace(/ · [\d,]+ scans a second/, '')];
    // A worker comes and is killed in the middle of its work; the next one does what it had.
    const first = await worker();
    await expect(workers).toContainText(/Searches are given out over redis:.* to 1 worker: .+ \(1 share at once\)\./);
    await search.click();
    await expect(shares).toHaveText(/^[1-7] of 8 shares done, 1 worker$/, { timeout: 60_000 });
    await killed(first);
    await worker();
    await worker();
    await expect(search).toBeVisible({ timeout: 120_000 });
    expect([await found.textContent(), (await status.textContent())!.replace(/ · [\d,]+ scans a second/, '')]).toEqual(
      alone,
    );
    await expect(workers).toContainText(/ to 2 workers: /);
    // A search that is stopped is not gone on with.
    await page.getByLabel('Million scans').fill('5000');
    await page.getByLabel('Seconds at most').fill('');
    await search.click();
    await expect(shares).toContainText(/^(Giving out|0 of 8)/);
    await page.waitForTimeout(1500);
    await page.getByRole('button', { name: 'Stop', exact: true }).click();
    await page.getByRole('button', { name: 'Proof for all inputs' }).click();
    await page.getByRole('button', { name: 'Prove', exact: true }).click();
    await expect(page.getByRole('status').filter({ hasText: /^\d+ of \d+ proved/ })).toBeVisible({ timeout: 120_000 });
    await page.getByRole('button', { name: 'What the checks notice' }).click();
    await page.getByRole('button', { name: 'Change the logic' }).click();
    await expect(page.getByRole('status').filter({ hasText: /% noticed: \d+ of \d+ changes$/ })).toBeVisible({
      timeout: 150_000,
    });
    await killed(redis);
    await expect(workers).toContainText(
      `The Redis at ${url} does not answer. Changed logic is done in this browser until it answers.`,
    );
  } finally {
    await server.kill('SIGTERM');
    await Promise.all(children.map(killed));
    rmSync(data, { recursive: true, force: true });
  }
});
