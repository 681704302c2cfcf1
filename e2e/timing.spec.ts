/**
 * Timing as a user: cycles and steps of a run, the scan behind each piece, what ended it, comparing, keeping, values.
 */
import { type Page, expect, test } from '@playwright/test';
import { type Project, emptyProject } from '@ferrule/core/document';
import { demoText, element, openDemo, openReport, press, scanOf, toArea } from './ferrule.js';

const until = async (page: Page, text: string) => {
  await page.keyboard.press('Control+F5');
  const field = page.getByRole('textbox', { name: 'Run until' });
  await field.fill(text);
  await field.press('Enter');
  await expect(page.getByRole('dialog', { name: 'Run until' })).toHaveCount(0);
};
const summary = (page: Page) => page.getByRole('main').getByRole('status').first();
const steps = (page: Page) => page.getByRole('region', { name: 'Steps of the cycle' });

test('fifty cycles of the crimp cell: each step, the slowest cycle, and one click to its scan', async ({ page }) => {
  await openDemo(page, 'machine');
  await press(page, 'Start');
  await until(page, 'GoodTotal + RejectTotal >= 20');
  await expect(page.getByText('holds.')).toBeVisible();
  // A longer wire from here on: the later cycles are the slow ones.
  await page
    .getByRole('region', { name: 'Panel' })
    .getByLabel(/^Length mm/)
    .click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('140');
  await page.keyboard.press('Enter');
  await until(page, 'GoodTotal + RejectTotal >= 51');
  await expect(page.getByText('51 holds.')).toBeVisible();
  await page.keyboard.press('Alt+7');
  await expect(summary(page)).toContainText(/5\d cycles/);
  await expect(summary(page)).toContainText('in Idle between them');
  const slowest = page.getByRole('button', { name: /longest, cycle \d+/ });
  const number = Number(/cycle (\d+)/.exec((await slowest.textContent())!)![1]);
  expect(number).toBeGreaterThan(20);
  const end = await scanOf(page);
  await slowest.click();
  await expect.poll(() => scanOf(page)).toBeLessThan(end);
  await expect(page.getByRole('region', { name: 'The cycle over time' })).toContainText(`Cycle ${number}, the slowest`);
  const at = await scanOf(page);
  await expect(page.getByRole('region', { name: 'Scope' })).toContainText('Feed');
  // The table of the cycle: each step with its time, the median, and what ended it by the plan.
  await expect(steps(page).getByRole('row')).toHaveCount(8);
  await expect(steps(page).getByRole('row', { name: /Feed/ })).toContainText('WireOut >= WantLength: came with it');
  await expect(steps(page).getByRole('row', { name: /Cutting/ })).toContainText(
    /BladeDown for 100 ms: 0\.1\d? s before/,
  );
  // A step of it, by its name.
  await steps(page).getByRole('button', { name: 'Clamping', exact: true }).click();
  await expect.poll(() => scanOf(page)).toBeGreaterThan(at);
  const clamping = await scanOf(page);
  // A piece of a bar: the first one of the first bar begins where the first cycle does.
  const chart = page.getByRole('img', { name: /A bar for each of/ }),
    box = (await chart.boundingBox())!;
  await expect(async () => {
    await chart.click({ position: { x: 54, y: box.height - 34 } });
    await expect(page.getByRole('region', { name: 'The cycle over time' })).toContainText('Cycle 1 ', {
      timeout: 1000,
    });
  }).toPass();
  expect(await scanOf(page)).toBeLessThan(clamping);
  // By keys: the next one, and its scan.
  await page.getByRole('region', { name: 'Cycles', exact: true }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(page.getByRole('region', { name: 'The cycle over time' })).toContainText('Cycle 2 ');
  await page.keyboard.press('End');
  await expect(page.getByRole('region', { name: 'The cycle over time' })).toContainText(/Cycle 5\d/);
  const before = await scanOf(page);
  await page.keyboard.press('Enter');
  await expect.poll(() => scanOf(page)).toBeGreaterThan(before);
  // Why a step ended, in the run itself.
  await steps(page).getByRole('button', { name: 'Why did Feed end?' }).click();
  await expect(page.getByText(/became Clamping/).first()).toBeVisible();
  // Over the last ten only, and over a stretch; what is no time is said.
  await page.getByLabel('Over', { exact: true }).selectOption('the last 10 cycles');
  await expect(summary(page)).toContainText('10 cycles');
  await page.getByLabel('Over', { exact: true }).selectOption('a stretch …');
  await page.getByLabel('Cycles to').click();
  await page.keyboard.type('0:1O');
  await expect(page.getByRole('alert')).toContainText('‘0:1O’ is no time of the run');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('0:20');
  await expect(summary(page)).toContainText(/^\d cycles/);
  await page.keyboard.press('Control+a');
  await page.keyboard.type('1 s');
  await expect(summary(page)).toContainText('lies as a whole between these times');
  await page.getByLabel('Over', { exact: true }).selectOption('the whole run');
  // As a file.
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'CSV' }).click()]);
  const csv = await (await file.createReadStream()).toArray();
  const rows = Buffer.concat(csv as Buffer[])
    .toString()
    .trim()
    .split('\r\n');
  expect(rows[0]).toBe(
    'cycle,begins_s,takes_s,idle_before_s,Feed_s,Clamping_s,Cutting_s,Placing_s,Crimping_s,Pulling_s,Ejecting_s',
  );
  expect(rows.length).toBeGreaterThan(50);
  const cells = rows[5]!.split(',').map(Number);
  expect(cells.slice(4).reduce((a, b) => a + b, 0)).toBeCloseTo(cells[2]!);
  // What steps are meant to take stands in the plan, and what is longer is marked.
  await page.getByLabel('Meant time of Feed').click();
  await page.keyboard.type('0.3 s');
  await page.keyboard.press('Enter');
  await expect(steps(page).getByRole('row', { name: /Feed/ }).getByRole('cell').nth(1)).toHaveClass(/text-bad/);
  await page.getByRole('button', { name: /Keep for the report/ }).click();
  await expect(page.getByRole('button', { name: /Keep for the report · 1 kept/ })).toBeVisible();
  await toArea(page, 'Plan');
  await expect(page.getByLabel('Expected time of Feed')).toHaveValue('0.3 s');
  await toArea(page, 'Prove');
  const report = await openReport(page);
  await expect(report.locator('#timing')).toContainText(/5\d cycles: \d\.\d\d s shortest/);
  await expect(report.locator('#timing tr', { hasText: 'Feed' })).toContainText('0.30 s');
});

test('the same inputs given to an earlier revision, and another line of history, are compared', async ({ page }) => {
  await openDemo(page, 'logic');
  // The die stays down longer.
  const dwell = element(page, 13, 'Dwell\\(PT');
  const cell = (JSON.parse(demoText) as Project).pous.find((p) => p.name === 'Cell')!;
  const rung = cell.language === 'LD' ? cell.rungs.find((r) => r.line.includes('Dwell(PT := 300 ms)'))! : undefined;
  await page.goto(`${page.url()}?pou=${cell.id}&rung=${rung!.id}`);
  await dwell.click();
  await page.keyboard.press('Enter');
  await page.getByRole('combobox', { name: 'Element' }).fill('Dwell(PT := 800 ms)');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/rev 2/).first()).toBeVisible();
  await toArea(page, 'Machine');
  await press(page, 'Start');
  await until(page, 'GoodTotal + RejectTotal >= 6');
  await expect(page.getByText('6 holds.')).toBeVisible();
  await page.keyboard.press('Alt+7');
  await expect(summary(page)).toContainText(/[56] cycles/);
  await page.getByLabel('Compared with').selectOption({ label: 'rev 1, same inputs' });
  await expect(summary(page)).toContainText(/compared with \d cycles, median 2\.4\d s \(0\.50 s longer now\)/);
  await expect(steps(page).getByRole('columnheader', { name: 'compared' })).toBeVisible();
  await expect(steps(page).getByRole('row', { name: /Crimping/ })).toContainText('0.50 s');
  // Another line: from an earlier moment with a longer wire.
  await page.getByRole('region', { name: 'Cycles', exact: true }).focus();
  await page.keyboard.press('Home');
  await page.keyboard.press('Enter');
  await toArea(page, 'Machine');
  await page
    .getByRole('region', { name: 'Panel' })
    .getByLabel(/^Length mm/)
    .click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('140');
  await page.keyboard.press('Enter');
  await until(page, 'GoodTotal + RejectTotal >= 4');
  await expect(page.getByText('4 holds.')).toBeVisible();
  await page.keyboard.press('Alt+7');
  const lineA = page.getByLabel('Compared with').locator('option', { hasText: /^line A/ });
  await page.getByLabel('Compared with').selectOption((await lineA.getAttribute('value'))!);
  await expect(summary(page)).toContainText(/compared with [56] cycles, median \d\.\d\d s \(\d\.\d\d s longer now\)/);
});

test('values over time and one against another, by tag, stretch and click', async ({ page }) => {
  await openDemo(page, 'machine');
  await press(page, 'Start');
  await until(page, 'GoodTotal >= 3');
  await toArea(page, 'Timing');
  await page.getByRole('button', { name: 'Values' }).click();
  await expect(page.getByRole('img', { name: 'WireOut, PullForce over time' })).toBeVisible();
  // While the run goes on, the picture goes on with it.
  const shownEnd = async () =>
    Number(
      /to ([\d.]+) s/.exec(
        (await page.getByRole('status').filter({ hasText: 'a click puts' }).textContent()) ?? '',
      )?.[1],
    );
  const before = await shownEnd();
  await page.keyboard.press('F5');
  await expect.poll(shownEnd).toBeGreaterThan(before + 1);
  await page.keyboard.press('F5');
  await page.getByRole('button', { name: 'Add a tag' }).click();
  await page.keyboard.type('GoodTot');
  await page.keyboard.press('Enter');
  const chart = page.getByRole('img', { name: /over time/ });
  await expect(chart).toHaveAccessibleName('WireOut, PullForce, GoodTotal over time');
  const end = await scanOf(page),
    box = (await chart.boundingBox())!;
  await chart.click({ position: { x: box.width / 2, y: box.height / 2 } });
  await expect.poll(async () => Math.abs((await scanOf(page)) / end - 0.5)).toBeLessThan(0.1);
  await page.getByLabel('Over', { exact: true }).selectOption('WireOut');
  await expect(page.getByRole('img', { name: 'PullForce, GoodTotal against WireOut' })).toBeVisible();
  await page.getByLabel('Values to').click();
  await page.keyboard.type('late');
  await expect(page.getByRole('alert')).toContainText('‘late’ is no time of the run');
  const [file] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'CSV' }).click()]);
  const rows = Buffer.concat((await (await file.createReadStream()).toArray()) as Buffer[]).toString();
  expect(rows.split('\r\n')[0]).toBe('t_ms,WireOut,PullForce,GoodTotal');
});

test('a project without steps says what would be looked at', async ({ page }) => {
  await openDemo(page, 'timing', undefined, JSON.stringify(emptyProject('Nothing yet')));
  await expect(page.getByRole('status').filter({ hasText: 'No tag of this project holds steps' })).toBeVisible();
});

test('a whole number that nobody calls a step is named, and is one from then on', async ({ page }) => {
  const text = [
    'PROGRAM Main',
    'VAR Step, For10 : INT; END_VAR',
    'For10 := For10 + 1;',
    'IF For10 >= 5 THEN For10 := 0; Step := (Step + 1) MOD 4; END_IF;',
    'END_PROGRAM',
  ].join('\n');
  await openDemo(
    page,
    'timing',
    undefined,
    JSON.stringify({
      ...emptyProject('Numbers'),
      pous: [{ id: 'm', name: 'Main', kind: 'program', language: 'ST', text }],
    }),
  );
  const field = page.getByRole('combobox', { name: 'Another whole number' });
  await field.click();
  await page.keyboard.type('Stepp');
  await page.keyboard.press('Enter');
  await expect(page.getByText('The program has no whole number ‘Stepp’.')).toBeVisible();
  await expect(field).toBeFocused();
  await page.keyboard.type('step');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'Steps of' })).toHaveValue('Main.Step');
  await expect(summary(page)).toContainText(/\d+ cycles?: 0\.15 s shortest/);
  // Another one than that.
  await page.getByRole('combobox', { name: 'Steps of' }).selectOption('another whole number …');
  await expect(field).toBeFocused();
  await page.keyboard.type('Main.For10');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'Steps of' })).toHaveValue('Main.For10');
});

test('steps that never come round: where it stands, since when, one click to its scan', async ({ page }) => {
  const text = [
    'PROGRAM Main',
    'For10 := For10 + 1;',
    'IF For10 >= 20 THEN',
    '  For10 := 0;',
    '  IF Step < Heat THEN Step := SEL(Step = Idle, Heat, Fill); END_IF;',
    'END_IF;',
    'END_PROGRAM',
  ].join('\n');
  await openDemo(
    page,
    'timing',
    undefined,
    JSON.stringify({
      ...emptyProject('Never round'),
      types: [{ id: 'y', text: 'Steps : (Idle, Fill, Heat);' }],
      tags: [
        { id: 't1', name: 'Step', type: 'Steps' },
        { id: 't2', name: 'For10', type: 'INT' },
      ],
      pous: [{ id: 'm', name: 'Main', kind: 'program', language: 'ST', text }],
      scope: ['Step'],
    }),
  );
  const said = page.getByRole('status').filter({ hasText: 'No cycle has closed yet' });
  await expect(said).toContainText(/It stands in Heat for \d/);
  await said.getByRole('button', { name: /^Heat for/ }).click();
  // Two times twenty scans.
  await expect.poll(() => scanOf(page)).toBe(40);
});

/**
 * A press that waits for its feeder, both on the clock of a counter; the feeder is a number whose values have names.
 */
const pressAndFeeder = (): string => {
  const text = [
    'PROGRAM Main',
    'FeedFor := FeedFor + 1;',
    'PressFor := PressFor + 1;',
    'CASE Feed OF',
    '  0: IF Go AND NOT PieceThere AND FeedFor >= 20 THEN Feed := 10; FeedFor := 0; END_IF;',
    '  10: IF FeedFor >= 60 THEN Feed := 20; FeedFor := 0; PieceThere := TRUE; END_IF;',
    '  20: IF FeedFor >= 10 THEN Feed := 0; FeedFor := 0; END_IF;',
    'END_CASE;',
    'CASE Press OF',
    '  Up: IF PieceThere AND PressFor >= 5 THEN Press := Down; PressFor := 0; END_IF;',
    '  Down: IF PressFor >= 30 THEN Press := Back; PressFor := 0; PieceThere := FALSE; END_IF;',
    '  Back: IF PressFor >= 15 THEN Press := Ready; PressFor := 0; END_IF;',
    '  Ready: IF Feed = 20 OR PieceThere THEN Press := Up; PressFor := 0; END_IF;',
    'END_CASE;',
    'END_PROGRAM',
  ].join('\n');
  return JSON.stringify({
    ...emptyProject('Press and feeder'),
    types: [{ id: 'y', text: 'PressStep : (Up, Down, Back, Ready);' }],
    tags: [
      { id: 't1', name: 'Go', type: 'BOOL', initial: 'TRUE' },
      { id: 't2', name: 'Press', type: 'PressStep' },
      { id: 't3', name: 'Feed', type: 'INT', valueNames: '0 Waiting, 10 Feeding, 20 Returning' },
      { id: 't4', name: 'FeedFor', type: 'INT' },
      { id: 't5', name: 'PressFor', type: 'INT' },
      { id: 't6', name: 'PieceThere', type: 'BOOL' },
    ],
    pous: [{ id: 'm', name: 'Main', kind: 'program', language: 'ST', text }],
    scope: ['Press', 'Feed'],
  });
};

test('steps that run beside each other: the longest chain, who waits for whom, and a number with names', async ({
  page,
}) => {
  await openDemo(page, 'timing', undefined, pressAndFeeder());
  await until(page, '20 s');
  await page.getByLabel('Steps of', { exact: true }).selectOption('Press');
  await expect(summary(page)).toContainText(/\d+ cycles: 0\.\d\d s shortest/);
  await page.getByLabel('Steps shown beside it').selectOption('Feed');
  const over = page.getByRole('region', { name: 'The cycle over time' });
  await expect(over).toContainText(/Press waited 0\.\d+ s in Ready for Feed/);
  await expect(over).toContainText('The longest chain is framed.');
  await expect(over.getByText('Feeding')).toBeVisible();
  // To the scan at which it went on.
  const before = await scanOf(page);
  await over
    .getByRole('button', { name: /Press waited/ })
    .first()
    .click();
  await expect.poll(() => scanOf(page)).not.toBe(before);
  // The number's own cycles, by its names; without a plan there is nothing it was meant to take.
  await page.getByLabel('Steps of', { exact: true }).selectOption('Feed');
  await expect(page.getByLabel('Counted from').locator('option')).toContainText(['Waiting', 'Feeding', 'Returning']);
  await expect(steps(page).getByRole('row', { name: /Feeding/ })).toContainText('0.60 s');
  await expect(steps(page).getByRole('columnheader', { name: 'meant' })).toHaveCount(0);
  await expect(steps(page).getByRole('row', { name: /Feeding/ })).toContainText(/Main line 6/);
  await expect(page.getByRole('region', { name: 'Scope' })).toContainText(/Feeding|Waiting|Returning/);
  await page.getByLabel('Counted from').selectOption({ label: 'Returning' });
  await expect(steps(page).getByRole('row', { name: /Waiting/ })).toBeVisible();
  await expect(steps(page).getByRole('row', { name: /Returning/ })).toHaveCount(0);
});
