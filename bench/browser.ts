/** The whole application with headless Chromium, for benchmarks of what a user waits for. */
import { mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Page, chromium } from '@playwright/test';
import { startFrom } from '../e2e/process.js';

/** Starts Ferrule with a browser, gives both to `work`, ends them. */
export async function withPage(
  root: string,
  port: number,
  work: (page: Page, url: string) => Promise<void>,
): Promise<void> {
  const data = mkdtempSync(join(tmpdir(), 'ferrule-bench-'));
  const controller = await startFrom(root, 'controller', {
    FERRULE_CONTROLLER_PORT: String(port + 1),
    FERRULE_CONTROLLER_DATA: join(data, 'c'),
  });
  const server = await startFrom(root, 'server', {
    FERRULE_PORT: String(port),
    FERRULE_DATA: data,
    FERRULE_CONTROLLER: `http://127.0.0.1:${port + 1}`,
  });
  const browser = await chromium.launch({
    executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium',
    args: [
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
  try {
    await work(await browser.newPage({ viewport: { width: 1280, height: 800 } }), `http://127.0.0.1:${port}`);
  } finally {
    await browser.close();
    await server.kill('SIGTERM');
    await controller.kill('SIGTERM');
    rmSync(data, { recursive: true, force: true });
  }
}

/** Ticks of the clock that Linux counts processes with, a second. */
const TICKS = 100;
/** User and system time of a process or thread, s; whose child it is. */
function timesOf(stat: string): { readonly seconds: number; readonly parent: number } | undefined {
  try {
    const text = readFileSync(stat, 'utf8'),
      rest = text.slice(text.lastIndexOf(')') + 2).split(' ');
    return {
      seconds: (Number(rest[11]) + Number(rest[12])) / TICKS,
      parent: Number(rest[1]),
    };
  } catch {
    // It ended meanwhile.
    return undefined;
  }
}
/**
 * How much of a core the browser takes with all its processes, over two seconds each, and of that its pages with their
 * workers.
 */
export async function coresOf(page: Page, times: number): Promise<{ readonly all: number[]; readonly page: number[] }> {
  const look = () => {
    const parents = new Map<number, number>(),
      used = new Map<number, number>();
    let pages = 0;
    for (const d of readdirSync('/proc').filter((n) => /^\d+$/.test(n))) {
      const t = timesOf(`/proc/${d}/stat`);
      if (!t) continue;
      parents.set(Number(d), t.parent);
      used.set(Number(d), t.seconds);
    }
    const isBelow = (pid: number): boolean => {
      for (let at = parents.get(pid); at; at = parents.get(at)) if (at === process.pid) return true;
      return false;
    };
    let all = 0;
    for (const [pid, seconds] of used) {
      const command = commandOf(pid);
      if (!/chrom/.test(command) || !isBelow(pid)) continue;
      all += seconds;
      if (command.includes('--type=renderer')) pages += seconds;
    }
    return { all, pages };
  };
  const all: number[] = [],
    own: number[] = [];
  for (let i = 0; i < times; i++) {
    const [a, at] = [look(), performance.now()];
    await page.waitForTimeout(2000);
    const [b, seconds] = [look(), (performance.now() - at) / 1000];
    all.push((b.all - a.all) / seconds);
    own.push((b.pages - a.pages) / seconds);
  }
  return { all, page: own };
}
function commandOf(pid: number): string {
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8');
  } catch {
    return '';
  }
}

/** Frames a second of the page as it is, several times over two seconds. */
export async function framesOf(page: Page): Promise<number[]> {
  const frames: number[] = [];
  for (let i = 0; i < 5; i++) {
    frames.push(
      await page.evaluate(
        () =>
          new Promise<number>((resolve) => {
            let n = 0;
            const start = performance.now();
            const frame = () => {
              n++;
              if (performance.now() - start < 2000) requestAnimationFrame(frame);
              else resolve((n * 1000) / (performance.now() - start));
            };
            requestAnimationFrame(frame);
          }),
      ),
    );
  }
  return frames;
}

/** From a key that changes the element under the cursor to the frame after it was drawn. */
export const keyToPaint = (page: Page): Promise<number> =>
  page.evaluate(
    () =>
      new Promise<number>((resolve) => {
        const sheet = document.querySelector<HTMLElement>('[role="application"]')!;
        sheet.focus();
        const before = performance.now();
        const chosen = () =>
          sheet.querySelector('[aria-pressed="true"][data-element]')?.getAttribute('aria-label') ?? '';
        const was = chosen().split(',')[1];
        sheet.dispatchEvent(new KeyboardEvent('keydown', { key: '/', bubbles: true, cancelable: true }));
        const look = () => {
          if (chosen().split(',')[1] !== was) {
            const c = new MessageChannel();
            c.port1.onmessage = () => resolve(performance.now() - before);
            c.port2.postMessage(0);
          } else requestAnimationFrame(look);
        };
        // Inside a frame's callback the change is drawn by that frame; the message comes once it is.
        requestAnimationFrame(look);
      }),
  );
