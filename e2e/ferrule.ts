/** Starts Ferrule as `npm start` does, on ports and a data folder of its own; and what every test needs. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type Page, expect } from '@playwright/test';
import { type Process, startFrom } from './process.js';

export const root = join(fileURLToPath(import.meta.url), '../..');
export const demoText = readFileSync(join(root, 'examples/wire-end-crimp-cell.ferrule.json'), 'utf8');
/**
 * Free ports in a row that `setup.ts` has found: web application, stand-in, a second web application, Modbus and OPC UA
 * of the stand-in, then of the bench.
 */
export const PORT = Number(process.env['FERRULE_E2E_PORT']);
/** The same of the desks of those tests that download. */
export const CONTROLLER_DESK = PORT + 7,
  OUTSIDE_DESK = PORT + 14,
  LINK_DESK = PORT + 21;

export const startProcess = (name: 'server' | 'controller', env: Record<string, string>): Promise<Process> =>
  startFrom(root, name, env);

/** The desk as somebody has it who keeps the scope open over the rungs: a low page folds it there at first. */
export async function keepScopeOpen(page: Page): Promise<void> {
  await page.addInitScript(() => {
    if (localStorage.getItem('ferrule.desk') === null)
      localStorage.setItem(
        'ferrule.desk',
        JSON.stringify({ state: { folds: { logic: { bottom: false } } }, version: 0 }),
      );
  });
}

/** A fresh copy of the demo, open in an area. */
export async function openDemo(page: Page, area = 'logic', port = PORT, text = demoText): Promise<string> {
  const response = await page.request.post(`http://127.0.0.1:${port}/api/projects`, { data: { file: text } });
  expect(response.status(), await response.text()).toBe(201);
  const { id } = (await response.json()) as { id: string };
  await keepScopeOpen(page);
  await page.goto(`http://127.0.0.1:${port}/projects/${id}/${area}`);
  // The first page of a run waits for everything that starts beside it.
  await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000', { timeout: 25_000 });
  return id;
}

/** To another area by its link at the left; a page that is just being opened has it in a moment. */
export const toArea = (page: Page, name: string): Promise<void> =>
  page.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name }).click();

export const scanOf = async (page: Page): Promise<number> =>
  Number(/scan ([\d\u2009]+)/.exec((await page.getByTestId('scan').textContent()) ?? '')![1]!.replaceAll('\u2009', ''));
export const pause = async (page: Page) => {
  await page.getByRole('button', { name: 'Pause', exact: true }).click();
  await expect(
    page.getByRole('group', { name: 'Bench time' }).getByRole('button', { name: 'Run', exact: true }),
  ).toBeVisible();
};

/** Holds a button of the panel for a while, as a finger does. */
export async function press(page: Page, name: string, ms = 150): Promise<void> {
  const button = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name, exact: true });
  await button.hover();
  await page.mouse.down();
  await page.waitForTimeout(ms);
  await page.mouse.up();
}

/** An element of a rung by the beginning of its accessible name. */
export const element = (page: Page, rung: number, start: string, nth = 0) =>
  page
    .getByRole('group', { name: `Rung ${rung}`, exact: true })
    .getByRole('button', { name: new RegExp(`^${start}`) })
    .nth(nth);

/** The report, by way of what is asked before it goes out. */
export async function openReport(page: Page): Promise<Page> {
  await page.getByRole('button', { name: 'Report', exact: true }).click();
  const [report] = await Promise.all([
    page.waitForEvent('popup'),
    page.getByRole('button', { name: 'Open the report' }).click(),
  ]);
  return report;
}
