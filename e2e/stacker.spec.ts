/**
 * The tile stacker's machine from nothing, by hand: the steps of docs/stacker-by-hand.md, with keys and mouse where a
 * person would have them. How often it is clicked and typed is counted, for the time that the page says.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { PORT, root, toArea } from './ferrule.js';

test('the tile stacker is built from an empty project, as its page says: linked, wired, and tiles reach the plate', async ({
  page,
}) => {
  test.setTimeout(480_000);
  const work = { clicks: 0, keys: 0 };
  const click = async (role: 'button' | 'link', name: string | RegExp, exact = true) => {
    await page.getByRole(role, { name, exact }).click();
    work.clicks++;
  };
  const type = async (text: string) => {
    // As fast as a quick hand: a menu goes to what is typed a moment after the key.
    await page.keyboard.type(text, { delay: 30 });
    work.keys += text.length;
  };
  const press = async (key: string) => {
    await page.waitForTimeout(30);
    await page.keyboard.press(key);
    work.keys++;
  };
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await click('button', 'New project');
  await type('Stacker');
  await press('Enter');
  await expect(page).toHaveURL(/projects\/.*\/logic/);
  await click('link', 'Machine');

  /** Add device, the beginning of its kind, Enter; its name, Enter. */
  const add = async (kind: string, name: string) => {
    await click('button', 'Add device');
    await expect(page.getByRole('listbox', { name: 'Kinds of devices' })).toBeVisible();
    await type(kind);
    await press('Enter');
    await expect(page.getByRole('textbox', { name: /^Name of the device/ }).and(page.locator(':focus'))).toBeVisible();
    await type(name);
    await press('Enter');
    await expect(page.getByRole('textbox', { name: `Name of the device ${name}`, exact: true })).toBeAttached();
  };
  // The list in the page is what is typed here.
  const steps = [
    ...readFileSync(join(root, 'docs/stacker-by-hand.md'), 'utf8').matchAll(/^\| \d+ \| `([^`]+)` \| `([^`]+)` \|/gm),
  ];
  expect(steps).toHaveLength(27);
  for (const [, kind, name] of steps) await add(kind!, name!);

  // Everything that acts on each other is linked.
  const link = (of: string) => page.getByLabel(`Link of ${of}`, { exact: true });
  for (const [of, to] of [
    ['Infeed.In', 'Feed.Out'],
    ['Gauge.Line', 'Weigher.Line'],
    ['Sorter.In', 'Weigher.Out'],
    ['RollsA.In', 'Sorter.Out1'],
    ['RollsB.In', 'Sorter.Out2'],
    ['RollsC.In', 'Sorter.Out3'],
    ['StackerB.CartIn', 'MagazineB.CartOut'],
    ['StackerC.In', 'RollsC.Out'],
    ['GateA.CartIn', 'StackerA.CartOut'],
  ])
    await expect(link(of!)).toHaveValue(to!);
  await click('button', 'Make the missing tags');
  await expect(page.getByRole('status').filter({ hasText: 'Everything is wired.' })).toBeVisible();
  await press('Shift+F4');
  // The panel has its colours, and nothing leads nowhere.
  await expect(page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start' })).toBeVisible();
  test.info().annotations.push({ type: 'by hand', description: JSON.stringify(work) });
  const page_ = readFileSync(join(root, 'docs/stacker-by-hand.md'), 'utf8');
  expect(page_).toContain(`${work.clicks} clicks and ${work.keys} keys`);

  // It is a machine: a tile goes from the feed to the plate of the first stacker.
  await toArea(page, 'Logic');
  await page.getByRole('application').focus();
  for (const line of ['StopOK -> InfeedRun, WeigherRun, SorterRun, RollsARun, RollsARelease']) {
    await page.keyboard.press('Insert');
    await page.getByRole('combobox', { name: 'New rung as a line' }).fill(line);
    await page.keyboard.press('Enter');
  }
  await toArea(page, 'Tags');
  await page.getByRole('button', { name: /^Speed/ }).click();
  await page.getByRole('menuitem', { name: '10×' }).click();
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('StackerALayerFull');
  await expect(page.getByRole('row', { name: /StackerALayerFull/ })).toContainText('1why', { timeout: 60_000 });
});
