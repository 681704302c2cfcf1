/** The page that makes C for a board: the target, its pins, what it takes, the archive that builds, the wiring list. */
import { spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { expect, test } from '@playwright/test';
import { strFromU8, unzipSync } from 'fflate';
import { openDemo } from './ferrule.js';

test('pins are typed, a wrong one is told at its row, and what is saved builds for the board', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('button', { name: 'Files', exact: true }).click();
  await page.getByRole('menuitem', { name: 'C for a board' }).click();
  const result = page.getByRole('region', { name: 'What it takes' });
  await expect(result.getByText(/^\d+ of 2,048 bytes$/)).toBeVisible();
  await expect(result.getByText(/^about [\d,]+ of 32,256 bytes$/)).toBeVisible();
  await expect(result.getByRole('list', { name: 'What is dear' })).toContainText('32 bits of milliseconds');
  await expect(result).toContainText('Without a pin, and so neither read nor written: StartPB, StopOK');
  const pin = async (point: string, text: string) => {
    await page.getByLabel(`Pin of ${point}`, { exact: true }).click();
    await page.keyboard.type(text);
    await page.keyboard.press('Enter');
  };
  await pin('StartPB', 'PD2');
  await page.getByLabel('Pull-up at StartPB').check();
  await page.getByLabel('StartPB inverted').check();
  await pin('FeedMotor', 'pd2');
  await expect(page.getByRole('alert').filter({ hasText: "PD2 is the pin of 'StartPB' already." })).toBeVisible();
  await expect(result.getByRole('button', { name: 'Save the C as an archive' })).toBeDisabled();
  // Each wrong one is told, and what stands beside a pin does not move the columns.
  const column = page.getByLabel('Pin of WireOut', { exact: true }),
    place = (await column.boundingBox())!.x;
  await pin('WireOut', 'QQ');
  await expect(page.getByRole('alert').filter({ hasText: "'QQ' is no pin that is free on this board" })).toBeVisible();
  await expect(page.getByRole('alert').filter({ hasText: "PD2 is the pin of 'StartPB' already." })).toBeVisible();
  await expect(result.getByRole('alert')).toHaveText('2 pins are wrong; they are marked in the table.');
  expect((await column.boundingBox())!.x).toBe(place);
  await pin('FeedMotor', 'PB9');
  await expect(page.getByRole('alert').filter({ hasText: "'PB9' is no pin that is free on this board" })).toBeVisible();
  await pin('FeedMotor', 'PB5');
  await pin('WireOut', 'call:measure_wire');
  await expect(page.getByRole('alert')).toHaveCount(0);
  await expect(page.getByRole('region', { name: 'Wiring list' })).toContainText(
    /StartPB +%IX0\.0 +input +PD2 +4 +pull-up: connect to ground, inverted/,
  );
  // A tag without an address goes out at a pin too.
  await page.getByLabel('Another tag').fill('Running');
  await page.getByLabel('Its pin').fill('PB4');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('row', { name: /^Running output/ })).toBeVisible();

  const coming = page.waitForEvent('download');
  await result.getByRole('button', { name: 'Save the C as an archive' }).click();
  const download = await coming;
  expect(download.suggestedFilename()).toBe('wire-end-crimp-cell-avr.zip');
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-board-'));
  try {
    const files = unzipSync(new Uint8Array(readFileSync(await download.path())));
    for (const [name, bytes] of Object.entries(files)) {
      mkdirSync(dirname(join(folder, name)), { recursive: true });
      writeFileSync(join(folder, name), bytes);
    }
    expect(strFromU8(files['wire-end-crimp-cell-avr/logic.c']!)).toContain('/* Wire-end crimp cell: made by Ferrule');
    const made = spawnSync('make', ['-s', '-C', join(folder, 'wire-end-crimp-cell-avr')], { encoding: 'utf8' });
    expect([made.status, made.stderr]).toEqual([0, '']);
    expect(made.stdout).toMatch(/Program: +\d+ bytes/);
  } finally {
    rmSync(folder, { recursive: true });
  }

  // It is part of the project: undone like everything, and there after the page is opened again.
  await page.reload();
  await expect(page.getByLabel('Pin of FeedMotor', { exact: true })).toHaveValue('PB5');
  await page.getByRole('radio', { name: /Linux/ }).check();
  await expect(page.getByRole('region', { name: 'Points and pins' })).toContainText('--modbus host:port');
  await expect(result).toContainText('make trace the same offline');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('radio', { name: /8-bit board/ })).toBeChecked();
});

test('what a board cannot hold is said there, with its place', async ({ page }) => {
  const kiln = readFileSync(new URL('../examples/ceramic-kiln.ferrule.json', import.meta.url), 'utf8');
  await openDemo(page, 'board', undefined, kiln);
  await expect(page.getByRole('alert')).toContainText(/Firing:44:3: reals of 64 bits .* are not on this board/);
  await page.getByRole('radio', { name: /Cortex-M/ }).check();
  await expect(page.getByRole('button', { name: 'Save the C as an archive' })).toBeEnabled();
});
