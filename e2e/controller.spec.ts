import { type Page, expect, test } from '@playwright/test';
import { PORT, element, openDemo, toArea } from './ferrule.js';

test.describe.configure({ mode: 'serial' });

const status = (page: Page) => page.getByRole('region', { name: 'Status' });
const network = (page: Page, name: string) => page.getByRole('radio', { name }).click();

test('connect, compare, download, run, and see live power', async ({ page }) => {
  await openDemo(page, 'controller');
  await expect(status(page)).toContainText('online');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible();
  await expect(page.getByText(/The controller runs exactly this project/)).toBeVisible();
  await page
    .getByRole('complementary', { name: 'Controller' })
    .getByRole('button', { name: 'Run', exact: true })
    .click();
  await expect(status(page)).toContainText('Run');
  const rung = page.getByRole('group', { name: 'Live rung 1' });
  await expect(rung.getByRole('button', { name: /^StopOK/ })).toHaveAccessibleName(/closed/);
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await expect(rung.getByRole('button', { name: /^StartPB/ })).toHaveAccessibleName(/closed, power/);
  await page.mouse.up();
  await expect(rung.getByRole('button', { name: /^Running, coil/ })).toHaveAccessibleName(/, power$/);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
});

test('I/O checkout at the controller: an input worked, an output forced there, ticked off with name and place', async ({
  page,
}) => {
  // The first test's project runs on the controller; a copy of it has the same hash.
  await openDemo(page, 'controller');
  await expect(page.getByText(/The controller runs exactly this project/)).toBeVisible();
  await page.getByText('I/O checkout at the controller').click();
  const list = page.getByRole('region', { name: 'I/O checkout' }),
    row = (name: string) => list.getByRole('row', { name, exact: true });
  await list.getByLabel('Tried by').fill('Grace');
  await expect(row('StartPB')).toContainText('0');
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await expect(row('StartPB')).toContainText('1');
  await page.mouse.up();
  await expect(row('StartPB')).toContainText('has changed');
  await list.getByRole('checkbox', { name: 'StartPB is right' }).check();
  await expect(row('StartPB')).toContainText(/Grace,.*controller/);
  // The machine at the controller answers to a forced output, and to its release.
  await row('ChuteOpen').getByRole('button', { name: 'On' }).click();
  await expect(row('ChuteOpen').getByRole('button', { name: 'Release' })).toBeVisible();
  await expect(row('ChuteOpen')).toContainText('1');
  await row('ChuteOpen').getByRole('button', { name: 'Release' }).click();
  await expect(row('ChuteOpen').getByRole('button', { name: 'Release' })).toBeHidden();
});

test('what differs is shown rung by rung; the cable cut in the middle leaves the old program running', async ({
  page,
}) => {
  // The first test's project runs on the controller; this one differs from it.
  await openDemo(page, 'logic');
  await element(page, 5, 'GoodTotal >= BatchCount').click();
  await page.keyboard.press('Enter');
  await page.getByRole('combobox', { name: 'Element' }).fill('GoodTotal > BatchCount');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/rev 2/).first()).toBeVisible();
  await page.goto(page.url().replace(/\/logic.*/, '/controller'));
  const row = page.getByRole('region', { name: /Cell · rung 5/ });
  await expect(row.getByRole('button', { name: /^GoodTotal >= BatchCount, comparison/ })).toBeVisible();
  await expect(row.getByRole('button', { name: /^GoodTotal > BatchCount, comparison/ })).toBeVisible();
  const before = (await (await page.request.get(`http://127.0.0.1:${PORT}/api/controller/status`)).json()) as {
    hash: string;
  };
  await network(page, 'Slow');
  await page.getByRole('button', { name: 'Download, keep state' }).click();
  await expect(page.getByText(/of \d+ bytes\. The old program runs on/)).toBeVisible();
  await network(page, 'Cut');
  await expect(
    page.getByText(/The download broke off after \d+ of \d+ bytes.*The controller keeps the program it had/),
  ).toBeVisible({ timeout: 15_000 });
  await expect(status(page)).toContainText('offline');
  await network(page, 'Network on');
  await expect(status(page)).toContainText('online', { timeout: 15_000 });
  const after = (await (await page.request.get(`http://127.0.0.1:${PORT}/api/controller/status`)).json()) as {
    hash: string;
    state: string;
  };
  expect(after).toMatchObject({ hash: before.hash, state: 'run' });
  await page.getByRole('button', { name: 'Download, keep state' }).click();
  await expect(page.getByText(/The controller runs exactly this project/)).toBeVisible({ timeout: 15_000 });
  await expect(status(page)).toContainText('Run');
});

test('logic with errors is not downloaded', async ({ page }) => {
  await openDemo(page, 'logic');
  await page.getByRole('application').focus();
  await page.keyboard.press('Insert');
  await page.keyboard.type('Nope -> set LampTrack');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await toArea(page, 'Controller');
  await expect(page.getByText('1 error in the logic')).toBeVisible();
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByRole('alert').first()).toContainText('The logic has errors');
});
