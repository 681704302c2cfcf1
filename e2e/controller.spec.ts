import { type Page, expect, test } from '@playwright/test';
import { emptyProject } from '@ferrule/core/document';
import { CONTROLLER_DESK as PORT, demoText, element, openDemo as openAt, toArea } from './ferrule.js';

/** On the desk of these tests. */
const openDemo = (page: Page, area?: string, text?: string) => openAt(page, area, PORT, text);

test.describe.configure({ mode: 'serial' });

const status = (page: Page) => page.getByRole('region', { name: 'Status' });
const network = (page: Page, name: string) => page.getByRole('radio', { name }).click();

test('connect, compare, download, run, and see live power', async ({ page }) => {
  await openDemo(page, 'controller');
  await expect(status(page)).toContainText('online');
  // A double click sends it once: from the first on nothing else can be sent until the answer is there.
  let sent = 0;
  page.on('request', (r) => {
    if (r.method() === 'POST' && r.url().endsWith('/controller/download')) sent++;
  });
  // What is said to be there and what is shown as kept are of the same moment.
  await page.evaluate(() => {
    const seen = () => {
      const text = document.querySelector('main')!.textContent!;
      if (text.includes('verified by its hash') && text.includes('No program')) document.body.dataset['both'] = 'yes';
    };
    new MutationObserver(seen).observe(document.body, { subtree: true, childList: true, characterData: true });
  });
  await page.getByRole('button', { name: 'Download and restart' }).dblclick();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible({ timeout: 25_000 });
  await expect(status(page)).not.toContainText('No program');
  expect(await page.evaluate(() => document.body.dataset['both'])).toBe(undefined);
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible();
  await expect(page.getByRole('alert')).toHaveCount(0);
  expect(sent).toBe(1);
  await page
    .getByRole('complementary', { name: 'Controller' })
    .getByRole('button', { name: 'Run', exact: true })
    .click();
  await expect(status(page)).toContainText('Run');
  await expect(status(page)).toContainText(/ms used.*Jitter99\.9 % within .*missed/);
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
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible();
  await page.getByText('I/O checkout at the controller').click();
  const list = page.getByRole('region', { name: 'I/O checkout' }),
    row = (name: string) => list.getByRole('row', { name, exact: true });
  await list.getByLabel('Tried by').fill('Grace');
  await expect(row('StartPB')).toContainText('0');
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  const across = async () => {
    const box = await list.getByRole('checkbox', { name: 'StartPB is right' }).boundingBox();
    return [box!.x, box!.width];
  };
  const before = await across();
  await start.hover();
  await page.mouse.down();
  await expect(row('StartPB')).toContainText('1');
  await page.mouse.up();
  await expect(row('StartPB')).toContainText('has changed');
  // What values need never moves what is to be pressed.
  expect(await across()).toEqual(before);
  await list.getByRole('checkbox', { name: 'StartPB is right' }).click();
  await expect(list.getByRole('checkbox', { name: 'StartPB is right' })).toBeChecked();
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
  await page.getByRole('tab', { name: /What differs/ }).click();
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
  ).toBeVisible({ timeout: 60_000 });
  await expect(status(page)).toContainText('offline');
  await network(page, 'Network on');
  await expect(status(page)).toContainText('online', { timeout: 60_000 });
  const after = (await (await page.request.get(`http://127.0.0.1:${PORT}/api/controller/status`)).json()) as {
    hash: string;
    state: string;
  };
  expect(after).toMatchObject({ hash: before.hash, state: 'run' });
  await page.getByRole('button', { name: 'Download, keep state' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
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

const SHORTER = demoText
  .replace(
    'Running & Step = Crimping & ClampShut & !FeedMotor -> DieClose',
    'Running & Step = Crimping & ClampShut -> DieClose',
  )
  .replace('GoodTotal >= BatchCount', 'GoodTotal > BatchCount');
const side = (page: Page) => page.getByRole('complementary', { name: 'Controller' });

test('what runs is live in its own rungs and text, whatever project is open; forces are listed and released', async ({
  page,
}) => {
  await openDemo(page, 'controller');
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByLabel('Note with the download').fill('First at the cabinet');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible({ timeout: 25_000 });
  await expect(status(page)).toContainText('First at the cabinet');
  await expect(status(page)).toContainText('Run');
  await openDemo(page, 'controller', SHORTER);
  await expect(page.getByText(/2 things differ from the open project/)).toBeVisible();
  const rung = page.getByRole('group', { name: 'Live rung 1' });
  await expect(rung.getByRole('button', { name: /^StopOK/ })).toHaveAccessibleName(/closed/);
  await page.request.post(`http://127.0.0.1:${PORT}/api/controller/events`, {
    data: { kind: 'force', path: 'LampTrack', value: '1' },
  });
  const forces = page.getByRole('region', { name: 'Forces at the controller' });
  await expect(forces).toContainText('LampTrack = 1');
  await expect(page.getByRole('link', { name: /Cabinet A.*1 forced/ })).toBeVisible();
  await forces.getByRole('button', { name: 'Release LampTrack' }).click();
  await expect(forces).toContainText('0 forced');
});

test('the panel is that of the program which runs, whatever is open; keys reach it only while it has the focus', async ({
  page,
}) => {
  await openDemo(page, 'controller', JSON.stringify(emptyProject('Something else')));
  await expect(status(page)).toContainText('Run');
  const panel = page.getByRole('region', { name: 'Panel' }),
    startPB = page.getByRole('group', { name: 'Live rung 1' }).getByRole('button', { name: /^StartPB/ });
  await expect(panel.getByRole('button', { name: 'Start', exact: true })).toBeVisible();
  const held = async (key: string) => {
    await page.keyboard.down(key);
    await page.waitForTimeout(500);
    const name = await startPB.getAttribute('aria-label');
    await page.keyboard.up(key);
    await page.waitForTimeout(300);
    return name;
  };
  await status(page).click();
  await page.keyboard.down('Alt');
  expect(await held('s')).toMatch(/open/);
  await page.keyboard.up('Alt');
  await panel.click({ position: { x: 6, y: 6 } });
  expect(await held('s')).toMatch(/closed, power/);
  await expect(startPB).toHaveAccessibleName(/open/);
  await page.getByText('Start', { exact: true }).first().hover();
  await expect(panel.getByTitle('S while this panel has the focus')).toBeVisible();
});

test('try two changes: both versions are seen, F10 backs out, part of them is tried and kept; the log tells it', async ({
  page,
}) => {
  await openDemo(page, 'controller', SHORTER);
  await page.getByRole('tab', { name: /What differs \(2\)/ }).click();
  const row = page.getByRole('region', { name: /Cell · rung 5/ });
  await expect(row.getByRole('button', { name: /^GoodTotal >= BatchCount/ })).toHaveAccessibleName(/power/);
  // What it would do is said before it is done.
  const before = page.getByLabel('Before a try');
  // How far it looks follows the timers that run there.
  await expect(before).toContainText(/Outputs in \d+ scansnone switched/);
  await expect(before).toContainText('Valuesall carried over');
  await expect(before).toContainText('Checks and rulesnot run');
  await page.getByRole('button', { name: 'Try', exact: true }).click();
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeVisible({ timeout: 60_000 });
  await expect(status(page)).toContainText('on trial');
  await expect(row.getByRole('button', { name: /^GoodTotal > BatchCount/ })).toHaveAccessibleName(/power/);
  await expect(page.getByRole('link', { name: /Cabinet A.*on trial/ })).toBeVisible();
  // In another area the key works as well.
  await toArea(page, 'Tags');
  await page.keyboard.press('F10');
  await expect(page.getByRole('link', { name: /Cabinet A/ })).not.toHaveText(/on trial/);
  await toArea(page, 'Controller');
  await page.getByRole('tab', { name: /What differs \(2\)/ }).click();
  await page.getByRole('checkbox', { name: /Try Stations/ }).uncheck();
  await page.getByRole('button', { name: 'Try 1 chosen' }).click();
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeVisible({ timeout: 60_000 });
  await page.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByText(/1 thing differs from the open project/)).toBeVisible();
  await page.getByRole('tab', { name: 'Event log' }).click();
  const log = page.getByRole('table', { name: 'Event log' });
  await expect(log).toContainText('Somebody backed out of the trial. The kept program goes on.');
  await expect(log).toContainText('Somebody kept the trial');
});

test('a trial whose page is closed is backed out by itself', async ({ page, context }) => {
  test.setTimeout(150_000);
  await openDemo(page, 'controller', SHORTER);
  // Over a reload it is still the page's own.
  await page.getByRole('combobox', { name: 'Backs out by itself after' }).selectOption('1 min');
  await page.getByRole('button', { name: 'Try', exact: true }).click();
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeVisible({ timeout: 60_000 });
  await page.reload();
  await expect(page.getByText(/this page says it every second/)).toBeVisible({ timeout: 60_000 });
  await page.keyboard.press('F10');
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeHidden();
  // Longer than the time that is set, as long as the page is there.
  await page.getByRole('combobox', { name: 'Backs out by itself after' }).selectOption('10 s');
  await page.getByRole('button', { name: 'Try', exact: true }).click();
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeVisible({ timeout: 60_000 });
  await page.waitForTimeout(12_000);
  await expect(page.getByRole('heading', { name: /On trial: rev/ })).toBeVisible();
  const other = await context.newPage();
  await page.close();
  await openDemo(other, 'controller');
  await other.getByRole('tab', { name: 'Event log' }).click();
  await expect(other.getByRole('table', { name: 'Event log' })).toContainText(
    'The trial was backed out: who tried it was not heard of any more.',
    { timeout: 60_000 },
  );
});

test('key, power and battery at the cabinet; upload into a new project', async ({ page }) => {
  await openDemo(page, 'controller');
  await page.getByRole('radio', { name: 'Key stop' }).click();
  await expect(status(page)).toContainText('Stop');
  await expect(side(page).getByText('The key switch stands at stop: it decides.')).toBeVisible();
  await expect(side(page).getByRole('button', { name: 'Run', exact: true })).toBeDisabled();
  await page.getByRole('radio', { name: 'Power off' }).click();
  await expect(status(page)).toContainText('offline');
  await expect(page.getByRole('radio', { name: 'Remote' })).toBeDisabled();
  await page.getByRole('radio', { name: 'Battery flat' }).click();
  await page.getByRole('radio', { name: 'Power on' }).click();
  await expect(status(page)).toContainText('online', { timeout: 60_000 });
  await page.getByRole('tab', { name: 'Event log' }).click();
  await expect(page.getByRole('table', { name: 'Event log' })).toContainText(
    'The battery is flat: retained values begin',
  );
  await page.getByRole('radio', { name: 'Battery good' }).click();
  await page.getByRole('radio', { name: 'Remote' }).click();
  await expect(status(page)).toContainText('Run');
  const before = page.url();
  await page.getByRole('button', { name: 'Upload into a new project' }).click();
  await expect(page).not.toHaveURL(before);
  await expect(element(page, 1, 'StartPB')).toBeVisible();
  await toArea(page, 'Controller');
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible();
});

test('a fault at the controller: its recording opens on the bench with the program that ran; the next scan faults there too', async ({
  page,
}) => {
  const bool = (name: string, address: string) => ({ id: name, name, type: 'BOOL', address });
  const text = JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Divider',
    tags: [bool('A', '%IX0.0'), bool('Q', '%QX0.0'), { id: 'n', name: 'N', type: 'INT' }],
    types: [],
    tasks: [],
    machine: { devices: [] },
    pous: [
      {
        id: 'm',
        name: 'Main',
        language: 'ST',
        kind: 'program',
        text: 'PROGRAM Main\nQ := NOT A;\nIF A THEN\n  N := 100 / (N - N);\nEND_IF;\nEND_PROGRAM\n',
      },
    ],
    checks: [],
    rules: [],
    scope: [],
  });
  await openDemo(page, 'controller', text);
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible({ timeout: 25_000 });
  // Its text is live there.
  await expect(page.getByRole('list', { name: 'Live text' })).toContainText('Q = 1');
  await page.waitForTimeout(500);
  await page.request.post(`http://127.0.0.1:${PORT}/api/controller/events`, {
    data: { kind: 'write', path: 'A', value: '1' },
  });
  await expect(status(page)).toContainText('Fault');
  await expect(page.getByRole('alert').first()).toContainText('Division by zero');
  // Somebody else's desk, with another project open.
  await openDemo(page, 'controller');
  await page.getByRole('tab', { name: 'Recordings' }).click();
  const row = page.getByRole('list', { name: 'Recordings' }).getByRole('listitem').first();
  await expect(row).toContainText('Division by zero');
  await row.getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page.getByText(/scans replayed: the same bytes as recorded\./)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByRole('banner')).toContainText('Divider');
  await page.keyboard.press('F6');
  await expect(page.getByRole('alert').first()).toContainText('The bench stopped.');
  await expect(page.getByRole('alert').first()).toContainText('Division by zero');
});

test('the last seconds of a running controller are taken without stopping it', async ({ page }) => {
  await openDemo(page, 'controller');
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  // The machine of the test before stands in the middle of its way: from its beginning it comes round.
  await page.getByRole('radio', { name: 'Power off' }).click();
  await expect(status(page)).toContainText('offline');
  await page.getByRole('radio', { name: 'Power on' }).click();
  await expect(status(page)).toContainText('Run', { timeout: 60_000 });
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await page.waitForTimeout(300);
  await page.mouse.up();
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
  // A way round and some more.
  await page.waitForTimeout(5000);
  await page.getByRole('tab', { name: 'Recordings' }).click();
  await page.getByRole('combobox', { name: 'How much to take' }).selectOption('the last 10 s');
  await page.getByRole('button', { name: 'Take', exact: true }).click();
  const row = page.getByRole('list', { name: 'Recordings' }).getByRole('listitem').first();
  await expect(row).toContainText('taken by hand', { timeout: 60_000 });
  await row.getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page).toHaveURL(/\/logic/);
  await expect(element(page, 1, 'Running', 1)).toHaveAccessibleName(/power/);
  // Its cycles are timed as the bench's are, and beside those.
  await toArea(page, 'Timing');
  await expect(page.getByRole('status').filter({ hasText: /\d cycles?: / })).toContainText('shortest');
  const against = page.getByRole('combobox', { name: 'Compared with' });
  await expect(against.getByRole('option', { name: /^line A, / })).toBeAttached();
  await against.selectOption({ index: 1 });
  await expect(page.getByRole('status').filter({ hasText: /\d cycles?: / })).toContainText(/compared with/);
});

test('a card pulled at the cabinet: what lies on it reads 0 and says so; in the recording too, where Why names it', async ({
  page,
}) => {
  test.setTimeout(120_000);
  // The program of the test before runs.
  await openDemo(page, 'controller');
  const stop = page.getByRole('group', { name: 'Live rung 1' }).getByRole('button', { name: /^StopOK/ });
  await expect(stop).toHaveAccessibleName(/closed/);
  await page.getByRole('button', { name: 'Cards 7, all in · pull one …' }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('menuitem', { name: 'Inputs %IX0.0 to %IX1.7' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(stop).toHaveAccessibleName(/StopOK.*its card pulled/);
  await expect(page.getByRole('group', { name: 'Cards' })).toContainText('Inputs %IX0.0 to %IX1.7 pulled');
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeHidden();
  await expect(side(page).getByText('0 forced')).toBeVisible();
  // Several at once, and each is put in by itself.
  await page.getByRole('button', { name: 'Pull another card …' }).click();
  await page.getByRole('menuitem', { name: 'Inputs %IB8 to %IB15' }).click();
  await expect(page.getByRole('group', { name: 'Cards' })).toContainText('Inputs %IB8 to %IB15 pulled');
  await page.getByRole('button', { name: 'Put in Inputs %IB8 to %IB15' }).click();
  await expect(page.getByRole('group', { name: 'Cards' })).not.toContainText('%IB8 to %IB15 pulled');
  await page.getByRole('tab', { name: 'Event log' }).click();
  await expect(page.getByRole('table', { name: 'Event log' })).toContainText(
    'The card Inputs %IX0.0 to %IX1.7 is pulled: what lies on it reads 0.',
  );
  await page.getByRole('tab', { name: 'Recordings' }).click();
  const rows = page.getByRole('list', { name: 'Recordings' }).getByRole('listitem');
  await expect(rows.first()).toContainText('taken by hand');
  const before = await rows.count();
  await page.getByRole('combobox', { name: 'How much to take' }).selectOption('the last 10 s');
  await page.getByRole('button', { name: 'Take', exact: true }).click();
  await expect(rows).toHaveCount(before + 1, { timeout: 60_000 });
  await page.getByRole('button', { name: 'Put in Inputs %IX0.0 to %IX1.7' }).click();
  await expect(page.getByRole('button', { name: 'Cards 7, all in · pull one …' })).toBeVisible();

  await rows.first().getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page).toHaveURL(/\/logic/);
  await expect(element(page, 1, 'StopOK')).toHaveAccessibleName(/its card pulled/);
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('F4');
  await expect(page.getByText(/The card of the controller that StopOK lies on is pulled since scan/)).toBeVisible();
  await page.getByRole('button', { name: '0 forced · card out' }).click();
  await page.getByRole('button', { name: 'Put it in' }).click();
  await page.keyboard.press('Escape');
  await page.keyboard.press('F6');
  await expect(element(page, 1, 'StopOK')).not.toHaveAccessibleName(/card pulled/);
  await expect(element(page, 1, 'StopOK')).toHaveAccessibleName(/closed/);
});

test('a draft runs beside: nothing moves, the output that differs is listed and opens on both rungs', async ({
  page,
}) => {
  // The lamp for Running would stay dark.
  const draft = demoText.replace('"Running -> LampRunning"', '"Running & Fault -> LampRunning"');
  expect(draft).not.toBe(demoText);
  await openDemo(page, 'controller', draft);
  await expect(status(page)).toContainText('Run');
  await page.getByRole('button', { name: 'Run beside', exact: true }).click();
  const beside = page.getByRole('region', { name: 'Run beside' });
  await expect(beside).toContainText(/for [\d,]+ scans/, { timeout: 60_000 });
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await page.waitForTimeout(300);
  await page.mouse.up();
  await expect(beside.getByRole('list', { name: 'Outputs that differ' })).toContainText('LampRunning', {
    timeout: 15_000,
  });
  await expect(beside).toContainText(/LampRunning is \d, would be \d|LampRunning the same now/);
  await beside.getByRole('button', { name: 'LampRunning' }).click();
  const both = page.getByRole('region', { name: 'What writes LampRunning' });
  await expect(both.getByText(/in effect/)).toBeVisible();
  await expect(both.getByText(/beside/)).toBeVisible();
  const coils = both.getByRole('button', { name: /^LampRunning, coil/ });
  await expect(coils).toHaveCount(2);
  // Each with its own power: what runs lights the lamp, the draft beside would not.
  await expect(coils.first()).toHaveAccessibleName(/no power$/);
  await expect(coils.last()).toHaveAccessibleName(/, power$/);
  // So do the differences below it.
  const dark = page
    .getByRole('region', { name: 'Stations · rung 9' })
    .getByRole('button', { name: /^LampRunning, coil.*no power$/ });
  await expect(dark).toHaveCount(2);
  await beside.getByRole('button', { name: 'End the run beside' }).click();
  await expect(beside).toBeHidden();
});

test('what differs from the controller is shown where it stands: rung, tag, text; which is in effect is said', async ({
  page,
}) => {
  const draft = demoText
    .replace('"Running -> LampRunning"', '"Running & Fault -> LampRunning"')
    .replace('"Start button"', '"Start button, lit"')
    .replace('FUNCTION_BLOCK PullCheck\\n', 'FUNCTION_BLOCK PullCheck (* twice *)\\n');
  await openDemo(page, 'controller');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  await openDemo(page, 'logic', draft);
  const strip = page.getByRole('status', { name: 'Differs from the controller' });
  await page.getByRole('tab', { name: /^Stations/ }).click();
  await expect(strip).toContainText('1 thing differs here from what Cabinet A keeps');
  await expect(strip).toContainText('in effect');
  await page.getByRole('tablist', { name: 'Beside the logic' }).getByRole('tab', { name: 'Outline' }).click();
  await page.getByRole('navigation', { name: 'Outline' }).getByRole('button', { name: 'Lamps and displays' }).click();
  const there = page.getByRole('region', { name: /rung \d+ at the controller$/ });
  await expect(there).toContainText(/Cabinet A keeps rev \d+ · in effect/);
  await expect(there.getByRole('button', { name: /^Running, contact/ })).toHaveCount(1);
  await expect(there.getByRole('button', { name: /^Fault, contact/ })).toHaveCount(0);
  await strip.getByRole('button', { name: 'Put away' }).click();
  await expect(there).toHaveCount(0);
  await strip.getByRole('button', { name: 'Show at its place' }).click();
  await expect(there).toHaveCount(1);
  await page.getByRole('tab', { name: /PullCheck/ }).click();
  await expect(strip).toContainText('differs here');
  await expect(page.locator('.cm-deletedChunk')).toContainText('FUNCTION_BLOCK PullCheck');
  await expect(page.locator('.cm-changedLine')).toContainText('(* twice *)');
  await page.getByRole('link', { name: 'Tags', exact: true }).click();
  await expect(strip).toContainText('1 thing differs in the tags');
  await page.getByRole('textbox', { name: 'Name of StartPB' }).click();
  await expect(page.getByRole('row', { name: 'StartPB', exact: true })).toContainText('differs');
  await expect(page.getByRole('region', { name: 'At the controller' })).toContainText('Start button, lit');
});

test('after the controller did not answer once, the page finds it again by itself', async ({ page }) => {
  let isGone = false;
  await page.route('**/api/controller/status', (route) => (isGone ? route.abort() : route.continue()));
  await openDemo(page, 'controller');
  await expect(status(page)).toContainText('online');
  isGone = true;
  await expect(status(page)).toContainText('offline');
  isGone = false;
  await expect(status(page)).toContainText('online');
});

test('a project without a machine: its inputs are set by hand there, held, switched, typed, and stay when it is read anew', async ({
  page,
}) => {
  const bare = {
    ...emptyProject('Bare'),
    tags: [
      { id: 't1', name: 'StartPB', type: 'BOOL', address: '%IX0.0', wiring: 'NO' },
      { id: 't2', name: 'Level', type: 'INT', address: '%IW2' },
      { id: 't3', name: 'Pump', type: 'BOOL', address: '%QX0.0' },
    ],
    pous: [
      {
        id: 'p1',
        name: 'Main',
        language: 'ST',
        kind: 'program',
        text: 'PROGRAM Main\nPump := StartPB OR Level > 50;\nEND_PROGRAM',
      },
    ],
    tasks: [{ id: 'k1', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
  };
  await openDemo(page, 'controller', JSON.stringify(bare));
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible({ timeout: 25_000 });
  const inputs = page.getByRole('region', { name: 'Inputs that no device gives' }),
    row = (name: string) => inputs.getByRole('listitem').filter({ hasText: name });
  await inputs.getByRole('button', { name: 'Hold StartPB' }).hover();
  await page.mouse.down();
  await expect(row('StartPB')).toContainText('1');
  await page.mouse.up();
  await expect(row('StartPB')).toContainText('0');
  await inputs.getByRole('button', { name: 'Toggle StartPB' }).press('Enter');
  await expect(row('StartPB')).toContainText('1');
  await inputs.getByLabel('Value of Level').click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('77');
  await page.keyboard.press('Enter');
  await page.reload();
  await expect(row('StartPB')).toContainText('1');
  await expect(inputs.getByLabel('Value of Level')).toHaveValue('77');
});

test('the preset of a timer that differs is seen: live where it runs, as it is written where it does not', async ({
  page,
}) => {
  const waits = (preset: string) =>
    JSON.stringify({
      ...emptyProject('Waits'),
      tags: [
        { id: 't1', name: 'Go', type: 'BOOL', address: '%IX0.0' },
        { id: 't2', name: 'Hold', type: 'TON' },
        { id: 't3', name: 'Lamp', type: 'BOOL', address: '%QX0.0' },
      ],
      pous: [
        {
          id: 'p1',
          name: 'Main',
          language: 'LD',
          kind: 'program',
          rungs: [{ id: 'r1', line: `Go & Hold(PT := ${preset}) -> Lamp` }],
        },
      ],
      tasks: [{ id: 'k1', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    });
  await openDemo(page, 'controller', waits('2 s'));
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText('Downloaded and verified by its hash.')).toBeVisible({ timeout: 25_000 });
  await openDemo(page, 'controller', waits('7 s'));
  await page.getByRole('tab', { name: /What differs/ }).click();
  const rung = page.getByRole('region', { name: /Main · rung 1/ });
  await expect(rung).toContainText('PT := 7 s');
  await expect(rung).toContainText('of 2.00 s');
  await expect(rung).not.toContainText('of 7.00 s');
});
