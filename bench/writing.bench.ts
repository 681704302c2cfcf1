/** Writing in a large project: 500 rungs, 400 tags, 2,000 lines of text, the bench running; in headless Chromium. */
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { chromium } from '@playwright/test';
import { emptyProject } from '@ferrule/core/document';
import { startFrom } from '../e2e/process.js';
import { keyToPaint } from './browser.js';
import { line } from './measure.js';
import { random } from './workload.js';

function project(): string {
  const next = random(7);
  const bools = 300,
    ints = 60,
    timers = 40;
  const tags = [
    ...Array.from({ length: bools }, (_, i) => ({
      id: `b${i}`,
      name: `Signal${i}`,
      type: 'BOOL',
      description: `Signal number ${i}`,
      ...(i < 64 ? { address: `%IX${i >> 3}.${i & 7}` } : {}),
    })),
    ...Array.from({ length: ints }, (_, i) => ({ id: `n${i}`, name: `Count${i}`, type: 'INT' })),
    ...Array.from({ length: timers }, (_, i) => ({ id: `w${i}`, name: `Wait${i}`, type: 'TON' })),
  ];
  const b = () => `Signal${64 + next(bools - 64)}`;
  const rungs = Array.from({ length: 500 }, (_, i) => ({
    id: `r${i}`,
    comment: `What rung ${i + 1} is there for`,
    ...(i % 25 ? {} : { heading: `Section ${i / 25 + 1}` }),
    line: `(Signal${i % 64} | ${b()} & Count${i % ints} > ${i % 9}) & !${b()}${i % 12 ? '' : ` & Wait${(i / 12) % timers}(PT := ${100 + i} ms)`} -> ${i % 3 ? 'set' : 'reset'} Signal${64 + (i % (bools - 64))}`,
  }));
  const text = `PROGRAM Numbers\nVAR\n  i : INT;\nEND_VAR\n${Array.from({ length: 490 }, (_, i) => `IF Signal${i % bools} AND NOT Signal${(i * 7) % bools} THEN\n  Count${i % ints} := (Count${(i * 3) % ints} + ${i % 50}) MOD 1000;\n  i := i + 1;\nEND_IF;\n`).join('')}END_PROGRAM\n`;
  const empty = emptyProject('Large');
  return JSON.stringify({
    ...empty,
    tags,
    pous: [
      { id: 'p', name: 'Main', language: 'LD', kind: 'program', rungs },
      { id: 's', name: 'Numbers', language: 'ST', kind: 'program', text },
    ],
    tasks: [{ id: 'k', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main', 'Numbers'] }],
    checking: { SET_WITHOUT_RESET: 'off', WRITE_ORDER: 'off', NEVER_WRITTEN: 'off' },
  });
}

export default async function run(root: string): Promise<void> {
  const html = readFileSync(join(root, 'packages/web/dist/index.html'), 'utf8');
  const first = [...html.matchAll(/(?:src|href)="(\/assets\/[^"]+\.js)"/g)].map(
    (m) => gzipSync(readFileSync(join(root, 'packages/web/dist', m[1]!))).length,
  );
  line('initial script, compressed', [first.reduce((a, n) => a + n, 0) / 1024], 'kB');
  const data = mkdtempSync(join(tmpdir(), 'ferrule-bench-'));
  const port = 4980;
  const server = await startFrom(root, 'server', {
    FERRULE_PORT: String(port),
    FERRULE_DATA: data,
    FERRULE_CONTROLLER: 'http://127.0.0.1:9',
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
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    const { id } = (await (
      await page.request.post(`http://127.0.0.1:${port}/api/projects`, { data: { file: project() } })
    ).json()) as { id: string };
    const opened: number[] = [];
    for (let i = 0; i < 6; i++) {
      const before = performance.now();
      await page.goto(`http://127.0.0.1:${port}/projects/${id}/logic`, { waitUntil: 'commit' });
      await page.getByRole('group', { name: 'Rung 1', exact: true }).getByRole('button').first().waitFor();
      opened.push(performance.now() - before);
    }
    line('opening the project, to the first rung', opened.slice(1), 'ms');
    await page.getByLabel('Simulated time').filter({ hasNotText: '00:00:00.000' }).waitFor();

    const keys: number[] = [],
      checks: number[] = [];
    for (let i = 0; i < 60; i++) {
      await page.keyboard.press(i % 5 ? 'ArrowDown' : 'PageDown');
      keys.push(await keyToPaint(page));
      await page.waitForTimeout(250);
      checks.push(
        Number(
          /Checked in ([\d.]+) ms/.exec(
            (await page.getByRole('button', { name: /problems?$/ }).getAttribute('title')) ?? '',
          )?.[1] ?? NaN,
        ),
      );
    }
    line('key press to painted rung', keys, 'ms');
    line('… at the 95th percentile', [[...keys].sort((a, b) => a - b)[Math.ceil(keys.length * 0.95) - 1]!], 'ms');
    line(
      'change to checked',
      checks.filter((c) => !Number.isNaN(c)),
      'ms',
    );

    const frames: number[] = [];
    for (let i = 0; i < 5; i++) {
      frames.push(
        await page.evaluate(
          () =>
            new Promise<number>((resolve) => {
              const sheet = document.querySelector<HTMLElement>('[role="application"]')!;
              sheet.scrollTop = 0;
              let n = 0;
              const start = performance.now();
              const frame = () => {
                n++;
                sheet.scrollTop += 60;
                if (performance.now() - start < 3000) requestAnimationFrame(frame);
                else resolve((n * 1000) / (performance.now() - start));
              };
              requestAnimationFrame(frame);
            }),
        ),
      );
    }
    line('scrolling the sheet', frames, 'fps');

    await page.getByRole('tab', { name: /Numbers/ }).click();
    await page.getByRole('textbox', { name: 'Text of Numbers' }).click();
    const typed: number[] = [];
    for (let i = 0; i < 30; i++) {
      typed.push(
        await page.evaluate(
          () =>
            new Promise<number>((resolve) => {
              const before = performance.now();
              document.execCommand('insertText', false, ' ');
              const c = new MessageChannel();
              c.port1.onmessage = () => resolve(performance.now() - before);
              requestAnimationFrame(() => c.port2.postMessage(0));
            }),
        ),
      );
      await page.waitForTimeout(60);
    }
    line('a letter in 2,000 lines of text, to the frame', typed, 'ms');
  } finally {
    await browser.close();
    await server.kill('SIGTERM');
    rmSync(data, { recursive: true, force: true });
  }
}
