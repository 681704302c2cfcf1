/** A machine assembled from nothing: devices, tags from their terminals, wires by name, moving on the bench. */
import { expect, test } from '@playwright/test';
import { PORT, demoText, openDemo } from './ferrule.js';

test('from an empty project to a moving machine of three devices', async ({ page }) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.getByLabel('Name of the new project').fill(`Belt ${Date.now()}`);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await page.getByRole('link', { name: 'Machine' }).click();
  const add = async (kind: RegExp, name: string, made: string) => {
    await page.getByRole('button', { name: 'Add device' }).click();
    await page.getByRole('menuitem', { name: kind }).click();
    const field = page.getByRole('textbox', { name: `Name of the device ${made}` });
    await field.fill(name);
    await field.press('Enter');
    await expect(page.getByRole('textbox', { name: `Name of the device ${name}` })).toBeVisible();
  };
  await add(/^Push Button/, 'Start', 'PushButton');
  await add(/^Conveyor/, 'Belt', 'Conveyor');
  await add(/^Motor/, 'Fan', 'Motor');
  await expect(page.getByRole('status').filter({ hasText: 'not wired' })).toBeVisible();
  await page.getByRole('button', { name: 'Make the missing tags' }).click();
  await expect(page.getByRole('textbox', { name: 'Wire of Start.NO' })).toHaveValue('StartPB');
  await expect(page.getByRole('textbox', { name: 'Wire of Belt.Run' })).toHaveValue('BeltRun');
  // Two rungs, and it moves.
  await page.getByRole('link', { name: 'Logic' }).click();
  await page.getByRole('application').focus();
  for (const line of ['StartPB | BeltRun -> BeltRun', 'BeltRun -> FanRun']) {
    await page.keyboard.press('Insert');
    await page.getByRole('combobox', { name: 'New rung as a line' }).fill(line);
    await page.keyboard.press('Enter');
  }
  await page.getByRole('link', { name: 'Machine' }).click();
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await page.waitForTimeout(200);
  await page.mouse.up();
  await page.getByRole('button', { name: /Belt: put/ }).click();
  await expect(page.getByRole('img', { name: 'The machine' })).toContainText('100 %');
  await expect(page.getByRole('row', { name: /^gives Total/ })).toContainText('1', { timeout: 15_000 });
});

test('a tag driven by two terminals is marked; a parameter, a wrong one said; a device deleted and brought back', async ({ page }) => {
  await openDemo(page, 'machine');
  const wire = page.getByRole('textbox', { name: 'Wire of Stop.NO' });
  await wire.fill('StartPB');
  await wire.press('Enter');
  await expect(page.getByText('another terminal drives this too').first()).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('another terminal drives this too')).toBeHidden();
  await page.getByRole('button', { name: 'more of Clamp', exact: true }).click();
  const travel = page.getByRole('textbox', { name: 'Travel of Clamp' });
  await travel.fill('fast');
  await travel.press('Enter');
  await expect(page.getByRole('button', { name: /problem/ }).first()).not.toHaveText(/^0 problems/);
  await page.getByRole('heading', { name: 'Scope' }).click();
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: 'Delete the device Track', exact: true }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the device Track', exact: true })).toBeHidden();
  await page.getByRole('heading', { name: 'Scope' }).click();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('textbox', { name: 'Name of the device Track', exact: true })).toBeVisible();
});

test('every example that ships opens and runs', async ({ page }) => {
  const examples = (await (await page.request.get(`http://127.0.0.1:${PORT}/api/examples`)).json()) as { id: string; name: string }[];
  expect(examples.length).toBeGreaterThanOrEqual(2);
  for (const x of examples) {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await page.getByRole('button', { name: 'From an example' }).click();
    await page.getByRole('menuitem', { name: new RegExp(`^${x.name}`) }).click();
    await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
    await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000');
    await page.getByRole('link', { name: 'Prove' }).click();
    await page.getByRole('button', { name: 'Run all' }).click();
    await expect(page.getByText(/^(\d+) of \1 pass$/)).toBeVisible();
    await expect(page.getByText(/^(\d+) of \1 hold$/)).toBeVisible();
  }
});

test('wires that match by name are made at once; checks and wires follow a device’s new name', async ({ page }) => {
  const text = JSON.parse(demoText) as { machine: { devices: { name: string; wires?: Record<string, string> }[] } };
  for (const d of text.machine.devices) if (d.name === 'Clamp') delete d.wires;
  await openDemo(page, 'machine', undefined, JSON.stringify(text));
  await page.getByRole('button', { name: /^Wire what matches/ }).click();
  await expect(page.getByRole('textbox', { name: 'Wire of Clamp.Out' })).toHaveValue('ClampClose');
  const name = page.getByRole('textbox', { name: 'Name of the device Start' });
  await name.fill('Go');
  await name.press('Enter');
  await page.getByRole('link', { name: 'Prove' }).click();
  await page.getByRole('button', { name: /Stop during crimp/ }).click();
  await expect(page.getByLabel('Do of row 1')).toHaveValue(/tap Go/);
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
});

test('I/O checkout before there is any logic: inputs seen, outputs forced, what is wrong noted with name and time, and in the report', async ({ page }) => {
  const text = JSON.parse(demoText) as { pous: { language: string; rungs?: unknown[] }[] };
  for (const p of text.pous) if (p.language === 'LD') p.rungs = [];
  await openDemo(page, 'machine', undefined, JSON.stringify(text));
  await page.getByRole('button', { name: 'I/O checkout' }).click();
  const list = page.getByRole('region', { name: 'I/O checkout' }), row = (name: string) => list.getByRole('row', { name, exact: true });
  await list.getByLabel('Tried by').fill('Ada');
  await expect(row('StartPB')).not.toContainText('has changed');
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await expect(row('StartPB')).toContainText('1');
  await page.mouse.up();
  await expect(row('StartPB')).toContainText('has changed');
  await list.getByRole('checkbox', { name: 'StartPB is right' }).check();
  await row('ClampClose').getByRole('button', { name: 'On' }).click();
  await expect(row('ClampShut')).toContainText('1');
  await row('ClampClose').getByRole('button', { name: 'Release' }).click();
  await list.getByRole('combobox', { name: 'What was found at ClampOpen' }).selectOption('swapped');
  await list.getByRole('textbox', { name: 'Note on ClampOpen' }).fill('with ClampShut');
  await page.keyboard.press('Enter');
  await expect(list.getByRole('status')).toContainText(/1 of \d+ right · 1 wrong/);
  await expect(row('ClampOpen')).toContainText('Ada,');
  await page.reload();
  await expect(row('ClampOpen').getByRole('textbox')).toHaveValue('with ClampShut');
  await page.getByRole('link', { name: 'Prove' }).click();
  const [report] = await Promise.all([page.waitForEvent('popup'), page.getByRole('link', { name: 'Report' }).click()]);
  await expect(report.getByText('ClampOpen: swapped, with ClampShut')).toBeVisible();
  await expect(report.getByRole('row', { name: /^StartPB/ })).toContainText(/right.*Ada.*at the bench/);
});

test('upsets come at random with a seed, the same again for the same seed, until that is switched off', async ({ page }) => {
  await openDemo(page, 'machine');
  await page.getByText('Upsets: make something go wrong').click();
  const on = page.getByRole('switch', { name: /:/, checked: true });
  const box = page.getByLabel('One at random about every');
  await page.getByLabel('Seconds between upsets').fill('4');
  await page.getByLabel('Seed of the upsets').fill('7');
  await box.click();
  // The first after a restart is the same each time.
  const first = async () => { await page.getByRole('button', { name: /Restart/ }).first().click(); await expect(on).toHaveCount(0); await expect(on).toHaveCount(1); return on.textContent(); };
  const seen = await first();
  expect(await first()).toBe(seen);
  await box.click();
  await expect(on).toHaveCount(0);
});
