/** The whole application with headless Chromium, for benchmarks of what a user waits for. */
import { mkdtempSync, rmSync } from 'node:fs';
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
