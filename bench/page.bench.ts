/** What a user waits for, in headless Chromium: opening, a typed change, frames while the cell runs. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { startFrom } from '../e2e/process.js';
import { line } from './measure.js';

export default async function run(root: string): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'ferrule-bench-'));
  const port = 4990;
  const controller = await startFrom(root, 'controller', { FERRULE_CONTROLLER_PORT: String(port + 1), FERRULE_CONTROLLER_DATA: join(data, 'c') });
  const server = await startFrom(root, 'server', { FERRULE_PORT: String(port), FERRULE_DATA: data, FERRULE_CONTROLLER: `http://127.0.0.1:${port + 1}` });
  const browser = await chromium.launch({ executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run', '--disable-background-networking', '--disable-component-update', '--disable-sync'] });
  try {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const url = `http://127.0.0.1:${port}/projects/wire-end-crimp-cell/logic`;
    const opened: number[] = [];
    for (let i = 0; i < 8; i++) {
      const before = performance.now();
      await page.goto(url, { waitUntil: 'commit' });
      await page.getByRole('button', { name: /^StopOK, contact normally open, closed, power/ }).or(page.getByRole('button', { name: /^StopOK, contact normally open, closed/ })).first().waitFor();
      opened.push(performance.now() - before);
    }
    line('page load to the first live rung', opened.slice(1), 'ms');

    // A change typed: from the key that keeps it to the new element live in the rung.
    const changed: number[] = [];
    for (let i = 0; i < 15; i++) {
      await page.getByRole('button', { name: /^GuardShut/ }).first().click();
      await page.keyboard.type('!TrackLow');
      changed.push(await page.evaluate(() => new Promise<number>((resolve) => {
        const input = document.querySelector<HTMLInputElement>('input[aria-label="New element"]')!;
        const before = performance.now();
        const look = () => { if ([...document.querySelectorAll('[aria-label^="TrackLow, contact normally closed, closed"]')].length) resolve(performance.now() - before); else requestAnimationFrame(look); };
        input.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }));
        look();
      })));
      await page.keyboard.press('Control+z');
      await page.getByRole('button', { name: /^TrackLow/ }).first().waitFor({ state: 'detached' });
    }
    line('a typed change to the bench running it, on screen', changed, 'ms');

    await page.getByRole('button', { name: 'Start', exact: true }).hover();
    await page.mouse.down();
    await page.waitForTimeout(200);
    await page.mouse.up();
    const frames: number[] = [];
    for (let i = 0; i < 5; i++) {
      frames.push(await page.evaluate(() => new Promise<number>((resolve) => {
        let n = 0;
        const start = performance.now();
        const frame = () => { n++; if (performance.now() - start < 2000) requestAnimationFrame(frame); else resolve((n * 1000) / (performance.now() - start)); };
        requestAnimationFrame(frame);
      })));
    }
    line('frames a second while the cell runs', frames, 'fps');
  } finally {
    await browser.close();
    await server.kill('SIGTERM');
    await controller.kill('SIGTERM');
    rmSync(data, { recursive: true, force: true });
  }
}
