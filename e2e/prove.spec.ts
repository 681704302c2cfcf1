import { expect, test } from '@playwright/test';
import { PORT, demoText, element, openDemo, openReport, press, scanOf, toArea } from './ferrule.js';

test('all checks and rules run and pass', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'Run all' }).click();
  await expect(page.getByText('8 of 8 pass')).toBeVisible();
  await expect(page.getByText('5 of 5 hold')).toBeVisible();
  await page.getByRole('button', { name: /Die and feed never together/ }).click();
  await expect(
    page.getByText(/Held on the [\d,]+ scans the checks played\. That is not a proof for all inputs/),
  ).toBeVisible();
});

test('a broken rung: row, scan, time, seen against expected, and the bench stands there', async ({ page }) => {
  await openDemo(
    page,
    'prove',
    undefined,
    demoText.replace(' | ClampClose & !DieUp) -> ClampClose', ') -> ClampClose'),
  );
  // A key is heard once the area is there.
  await expect(page.getByRole('button', { name: /Run all/ })).toBeVisible();
  await page.keyboard.press('F9');
  await expect(page.getByText('6 of 8 pass')).toBeVisible();
  await page.getByRole('button', { name: /Stop during crimp/ }).click();
  await expect(page.getByRole('row', { name: 'Row 2' })).toContainText('ended at');
  await expect(page.getByRole('row', { name: 'Row 3' })).toContainText('not reached');
  const failure = page.getByRole('note', { name: 'Failure' });
  await expect(failure).toContainText('expected ClampClose is on until DieUp is on');
  const scan = Number(/scan (\d+)/.exec((await failure.textContent())!)![1]);
  await failure.getByRole('button', { name: /Show on bench at/ }).click();
  await expect.poll(() => scanOf(page)).toBe(scan);
  // The causes of what was expected, at the scan it failed in, with a link to the rung.
  await failure.getByRole('button', { name: 'Why ClampClose?' }).click();
  const chain = page.getByRole('list', { name: 'Chain of causes' });
  await expect(chain).toContainText('ClampClose');
  await chain.getByRole('button').first().click();
  await expect(page).toHaveURL(/logic\?pou=.*rung=/);
  // One key goes to the rung, one stands there on the bench.
  await toArea(page, 'Prove');
  await page.getByRole('button', { name: /Stop during crimp/ }).click();
  await expect(failure).toBeVisible();
  await page.keyboard.press('Control+F9');
  await expect(page).toHaveURL(/logic\?pou=.*rung=/);
  await toArea(page, 'Prove');
  await page.getByRole('button', { name: /Stop during crimp/ }).click();
  await expect(failure).toBeVisible();
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await page.keyboard.press('Shift+F9');
  await expect.poll(() => scanOf(page)).toBe(scan);
  await toArea(page, 'Tags');
  await expect(page.getByRole('row', { name: 'StopOK', exact: true })).toContainText('0');
  await expect(page.getByRole('row', { name: 'DieUp', exact: true })).toContainText('0');
});

test('a sentence with a mistake is marked in its cell', async ({ page }) => {
  await openDemo(page, 'prove');
  const cell = page.getByLabel('Expect of row 2');
  await cell.fill('Runing is on within 2 scans');
  await cell.press('Enter');
  await expect(page.getByRole('row', { name: 'Row 2' })).toContainText(
    "There is no tag 'Runing'. Did you mean 'Running'?",
  );
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await page.getByRole('button', { name: 'Run all' }).click();
  await expect(page.getByText('7 of 8 pass')).toBeVisible();
});

test('what is made is named next, and Enter goes on to its first words; what is wrong stands below its sentence', async ({
  page,
}) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'New check' }).click();
  await expect(page.getByLabel('Name of the check')).toBeFocused();
  await page.keyboard.type('Typed at once');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Name of the check')).toHaveValue('Typed at once');
  await expect(page.getByLabel('When of row 1')).toBeFocused();
  await page.keyboard.press('Tab');
  await page.keyboard.type('push Start');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Running is on within 1 s');
  await page.keyboard.press('Enter');
  const cells = page.getByRole('row', { name: 'Row 1' }).getByRole('cell');
  await expect(cells.nth(2)).toContainText("'push Start' is not a Do");
  await expect(cells.nth(3)).not.toContainText('is not a Do');
  await page.getByRole('button', { name: 'New rule' }).click();
  await expect(page.getByLabel('Name of the rule')).toBeFocused();
  await page.keyboard.type('Never both');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Rule', { exact: true })).toBeFocused();
  await page.keyboard.type('never DieClose and FeedMotor together');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Name of the rule')).toHaveValue('Never both');
  // Named once: the name of one that is there is changed without going anywhere.
  await page.getByLabel('Name of the rule').click();
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Rule', { exact: true })).not.toBeFocused();
});

test('a check and a rule are made from nothing, run, and taken away again', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'New check' }).click();
  await expect(page.getByLabel('Name of the check')).toHaveValue('New check');
  await page.getByLabel('Name of the check').fill('Start alone does it');
  await page.getByLabel('Name of the check').press('Enter');
  // As long as it expects nothing it is not counted as passed.
  await page.getByRole('button', { name: 'Run all' }).click();
  await expect(page.getByText('8 of 9 pass')).toBeVisible();
  await expect(page.getByRole('note', { name: 'Failure' })).toContainText('No row expects anything yet');
  await page.getByLabel('Do of row 1').fill('tap Start');
  await page.getByLabel('Do of row 1').press('Enter');
  await page.getByLabel('Expect of row 1').fill('Running is on within 500 ms');
  await page.getByLabel('Expect of row 1').press('Enter');
  await page.getByRole('button', { name: 'New row', exact: true }).click();
  await page.getByLabel('When of row 2').fill('after 200 ms');
  await page.getByLabel('When of row 2').press('Enter');
  await page.getByLabel('Expect of row 2').fill('Running is on');
  await page.getByLabel('Expect of row 2').press('Enter');
  await page.getByRole('button', { name: 'New rule' }).click();
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await page.getByLabel('Rule', { exact: true }).fill('never DieClose and FeedMotor together');
  await page.getByLabel('Rule', { exact: true }).press('Enter');
  await page.getByRole('button', { name: 'Run all' }).click();
  const list = page.getByRole('complementary', { name: 'Checks and rules' });
  await expect(list.getByRole('button', { name: /passed Start alone does it/ })).toBeVisible();
  await expect(list.getByRole('button', { name: /passed New rule/ })).toBeVisible();
  // Taken away, and brought back.
  await page.getByRole('button', { name: 'Delete rule' }).click();
  await expect(list.getByText('New rule', { exact: true })).toHaveCount(1);
  await list.getByRole('button', { name: /Start alone does it/ }).click();
  await page.getByRole('button', { name: 'Delete row 2' }).click();
  await expect(page.getByLabel('Do of row 2')).toBeHidden();
  await page.getByRole('button', { name: 'Delete check' }).click();
  await expect(list.getByText('Start alone does it')).toBeHidden();
  await page.keyboard.press('Control+z');
  await expect(list.getByText('Start alone does it')).toBeVisible();
});

test('search finds what no check plays, shortened, shown on the bench and kept as a check', async ({ page }) => {
  await openDemo(
    page,
    'prove',
    undefined,
    demoText.replace('Running & Step = Cutting & ClampShut -> BladeOut', 'Running & Step = Cutting -> BladeOut'),
  );
  await page.getByRole('button', { name: 'Search for counterexamples' }).click();
  await page.getByRole('button', { name: 'Search', exact: true }).click();
  const found = page.getByRole('listitem').filter({ hasText: 'Blade only into a held wire' });
  await expect(found.getByLabel('broken')).toBeVisible({ timeout: 60_000 });
  await expect(found).toContainText(/shortened from \d+ to \d thing/);
  await expect(page.getByRole('status').filter({ hasText: 'different states' })).toContainText(/scans deep/);
  // As long as it goes on, a shorter one may take the place of the one found.
  await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeVisible({ timeout: 60_000 });
  const scan = Number(/scan ([\d,]+)/.exec((await found.textContent())!)![1]!.replaceAll(',', ''));
  await found.getByRole('button', { name: 'Keep as a check' }).click();
  await expect(page).toHaveURL(/prove\?check=/);
  await page.keyboard.press('F9');
  await expect(
    page
      .getByRole('complementary', { name: 'Checks and rules' })
      .getByRole('button', { name: /Against: Blade only/ })
      .getByLabel('failed'),
  ).toBeVisible();
  await page.getByRole('button', { name: 'Search for counterexamples' }).click();
  await found.getByRole('button', { name: 'Show on bench' }).click();
  await expect.poll(() => scanOf(page)).toBe(scan);
});

test('what the checks reach, and what they notice of changed logic', async ({ page }) => {
  test.setTimeout(180_000);
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'What the checks reach' }).click();
  await expect(page.getByText(/^16 of 16$/)).toBeVisible();
  const never = page.getByRole('list', { name: 'Never exercised' });
  await expect(never.getByRole('listitem').first()).toContainText(/rung \d+/);
  await page.getByRole('button', { name: 'What the checks notice' }).click();
  await page.getByRole('button', { name: 'Change the logic' }).click();
  // To the end, on all cores: what nobody noticed is drawn as it is and as it would be.
  await expect(page.getByRole('status').filter({ hasText: /% noticed: \d+ of \d+ changes$/ })).toBeVisible({
    timeout: 150_000,
  });
  const missed = page.getByRole('list', { name: 'Changes that no check notices' }),
    first = missed.getByRole('listitem').first();
  await expect(first).toContainText('Cell rung 3: Running left out');
  await expect(first.getByRole('region', { name: 'Cell rung 3' }).getByRole('group')).toHaveCount(2);
  // A change of the text is shown by its lines.
  const text = missed.getByRole('listitem').filter({ hasText: /^PullCheck line \d+: NOT Done without its NOT/ });
  await text.getByRole('button').first().click();
  await expect(text.getByRole('region')).toContainText('NOT Done');
  await first.getByRole('button', { name: 'Go there' }).click();
  await expect(page).toHaveURL(/logic\?pou=.*element=/);
});

test('a check is recorded from the bench: what was done for nothing is left out, and it passes', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'Record a check' }).click();
  await expect(page).toHaveURL(/machine$/);
  const bar = page.getByRole('region', { name: 'Recording' });
  await expect(bar).toContainText('Work the panel');
  await press(page, 'Reset', 100);
  await expect(bar.getByRole('status')).toContainText('tap Reset');
  await press(page, 'Start', 200);
  await expect(bar.getByRole('status')).toContainText(/tap Reset.*tap Start/);
  await expect.poll(() => scanOf(page)).toBeGreaterThan(320);
  await bar.getByRole('button', { name: 'Make the check' }).click();
  await expect(page).toHaveURL(/prove\?check=/);
  await expect(bar).toBeHidden();
  await expect(page.getByLabel('Do of row 1', { exact: true })).toHaveValue(/^tap Start for \d+ ms$/);
  await expect(page.getByLabel('Note of the check')).toHaveValue(/Left out: 1 thing done that changed nothing/);
  await expect(page.getByLabel('When of row 2', { exact: true })).toHaveValue(/^once Step is Feed within/);
  await page.keyboard.press('F9');
  await expect(page.getByText('9 of 9 pass')).toBeVisible();
  // Begun again and given up, nothing comes of it.
  await page.getByRole('button', { name: 'Record a check' }).click();
  await bar.getByRole('button', { name: 'Give up' }).click();
  await expect(bar).toBeHidden();
  await toArea(page, 'Prove');
  await expect(page.getByRole('complementary', { name: 'Checks and rules' }).getByText(/^Recorded/)).toHaveCount(1);
});

test('rows are put between others, moved, and played beside each other', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'New check' }).click();
  const cell = (name: string) => page.getByRole('combobox', { name, exact: true }),
    set = async (name: string, text: string) => {
      await cell(name).fill(text);
      await cell(name).press('Enter');
    };
  await set('Do of row 1', 'tap Start for 200 ms');
  await set('Expect of row 1', 'Step is Clamping within 2 s');
  // By keys: below, and above.
  await cell('Expect of row 1').focus();
  await page.keyboard.press('Control+Enter');
  await expect(cell('When of row 2')).toBeFocused();
  await page.keyboard.type('at the same time as row 1');
  await page.keyboard.press('Enter');
  await set('Expect of row 2', 'LampRunning is on between 0 ms and 100 ms; FeedMotor lasts 550 ms ± 100 ms');
  await cell('When of row 1').focus();
  await page.keyboard.press('Shift+Insert');
  await expect(cell('Do of row 2')).toHaveValue('tap Start for 200 ms');
  await expect(cell('When of row 1')).toBeFocused();
  await page.keyboard.type('after 300 ms');
  await page.keyboard.press('Enter');
  // The row that names another by its number goes with it.
  await expect(cell('When of row 3')).toHaveValue('at the same time as row 2');
  await page.keyboard.press('F9');
  const list = page.getByRole('complementary', { name: 'Checks and rules' });
  await expect(list.getByRole('button', { name: /passed New check/ })).toBeVisible();
  await expect(page.getByRole('row', { name: 'Row 3' })).toContainText(/lasted 0\.5\d s/);
  // Moved: a row that would run beside none says so at its place, and goes back by one key.
  await set('When of row 3', 'at the same time');
  await cell('When of row 3').focus();
  await page.keyboard.press('Alt+ArrowUp');
  await expect(cell('When of row 2')).toHaveValue('at the same time');
  await page.keyboard.press('Alt+ArrowUp');
  await expect(cell('When of row 1')).toHaveValue('at the same time');
  await expect(page.getByRole('row', { name: 'Row 1' })).toContainText('No row stands above this one');
  // What is still being typed goes with its row.
  await cell('Do of row 2').fill('hold Feed');
  await page.keyboard.press('Alt+ArrowDown');
  await expect(cell('Do of row 3')).toHaveValue('hold Feed');
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await expect(cell('Do of row 2')).toHaveValue('hold Feed');
  await page.keyboard.press('Control+z');
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await expect(cell('When of row 2')).toHaveValue('at the same time');
});

test('with nothing to prove yet, what can be begun with is there: each way leads on', async ({ page }) => {
  const bare = JSON.stringify({ ...JSON.parse(demoText), checks: [], rules: [] });
  await openDemo(page, 'prove', PORT, bare);
  const ways = page.getByRole('list', { name: 'How to begin' });
  await expect(ways.getByRole('listitem')).toHaveCount(4);
  await ways.getByRole('button', { name: 'State a rule' }).click();
  await expect(page.getByLabel('Name of the rule')).toHaveValue('New rule');
  await expect(ways).toHaveCount(0);
  await page.getByRole('button', { name: 'Delete rule' }).click();
  await ways.getByRole('button', { name: 'Write a check' }).click();
  await expect(page.getByLabel('When of row 1', { exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Delete check' }).click();
  await ways.getByRole('button', { name: 'Go to the plan' }).click();
  await expect(page).toHaveURL(/\/plan$/);
  await page.goBack();
  await ways.getByRole('button', { name: 'Record one' }).click();
  await expect(page).toHaveURL(/\/machine/);
  // Without a machine and a plan there is nothing to record and nothing to generate from.
  const { plan: _, ...rest } = JSON.parse(demoText) as { plan: unknown };
  await openDemo(page, 'prove', PORT, JSON.stringify({ ...rest, checks: [], rules: [], machine: { devices: [] } }));
  await expect(ways.getByRole('listitem')).toHaveCount(2);
  await toArea(page, 'Machine');
  await expect(page.getByText('This project has no machine model yet.')).toBeVisible();
  await expect(page.getByRole('region', { name: 'Panel' })).toHaveCount(0);
});

test('a search is stopped; F1 in a check opens the sentences', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'Search for counterexamples' }).click();
  await page.getByLabel('Million scans').fill('500');
  await page.getByRole('button', { name: 'Search', exact: true }).click();
  await expect(page.getByRole('status').filter({ hasText: 'different states' })).toBeVisible();
  await page.getByRole('button', { name: 'Stop', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeEnabled();
  // Begun anew at once: nothing of the one before comes into it.
  await page.getByLabel('Million scans').fill('0.2');
  await page.getByRole('button', { name: 'Search', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeEnabled();
  await expect(page.getByRole('status').filter({ hasText: 'different states' })).toContainText(/^20\d,\d{3} scans/);
  // It ends by itself when its time is over.
  await page.getByLabel('Million scans').fill('500');
  await page.getByLabel('Seconds at most').fill('1');
  await page.getByRole('button', { name: 'Search', exact: true }).click();
  await expect(page.getByRole('button', { name: 'Stop', exact: true })).toBeVisible();
  await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeEnabled();
  // What is no number is said at once, and nothing is begun with something else instead.
  for (const [field, words] of [
    ['Seconds at most', 'At most: ‘abc’ is no number of seconds; leave it empty for no limit.'],
    ['Million scans', 'For: ‘abc’ is no number of million scans.'],
    ['Seed', 'Seed: ‘abc’ is no whole number.'],
  ] as const) {
    const before = await page.getByLabel(field, { exact: true }).inputValue();
    await page.getByLabel(field, { exact: true }).fill('abc');
    await expect(page.getByRole('alert').filter({ hasText: words })).toBeVisible();
    await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeDisabled();
    await page.getByLabel(field, { exact: true }).fill(before);
  }
  await page.getByLabel('Seconds at most').fill('');
  await expect(page.getByRole('button', { name: 'Search', exact: true })).toBeEnabled();
  await page.getByRole('button', { name: /Good cycle/ }).click();
  await page.getByLabel('Do of row 1').click();
  await page.keyboard.press('F1');
  await expect(page.getByRole('tabpanel', { name: 'Checks' })).toContainText('keeps');
});

test('rules are proved for all inputs; a broken one shows the inputs on the bench; an assumption makes it hold', async ({
  page,
}) => {
  test.setTimeout(300_000);
  const text = demoText
    .replace(
      'Running & Step = Crimping & ClampShut & !FeedMotor -> DieClose',
      'Running & Step = Crimping & ClampShut -> DieClose',
    )
    .replace('"sentence": "DieClose requires ClampClose"', '"sentence": "never ClampOpen and ClampShut together"');
  await openDemo(page, 'prove', undefined, text);
  await page.getByRole('button', { name: 'Proof for all inputs' }).click();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText(/^\d of 5$/)).toBeVisible({ timeout: 150_000 });
  const broken = page.getByRole('main').getByRole('listitem').filter({ hasText: 'Die never closes unclamped' });
  await expect(broken.getByLabel('inputs alone break it')).toBeVisible();
  await expect(broken).toContainText('before scan 1: ClampShut on');
  await broken.getByRole('button', { name: /Show on bench/ }).click();
  await expect(page.getByRole('button', { name: '1 forced' })).toBeVisible();
  // What the machine never does is said once, and judged like a rule from then on.
  await toArea(page, 'Prove');
  await page.getByRole('button', { name: /Die never closes unclamped/ }).click();
  await page.getByRole('checkbox', { name: /An assumption/ }).check();
  await page.getByRole('button', { name: 'Proof for all inputs' }).click();
  await expect(page.getByText('The project has changed since.')).toBeVisible();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  await expect(page.getByText(/^4 of 4$/)).toBeVisible({ timeout: 150_000 });
  // No check has run: the list speaks from what is proved.
  const list = page.getByRole('complementary', { name: 'Checks and rules' });
  await expect(list.getByRole('button', { name: /never faults/ }).getByLabel('passed')).toBeVisible();
  const report = await openReport(page);
  await expect(report.getByText('Every rule is proved, each within these bounds')).toBeVisible();
  await expect(report.getByText('Die never closes unclamped: never ClampOpen and ClampShut together')).toBeVisible();
});

test('inputs are found that reach what no check has reached', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'What the checks reach' }).click();
  await page.getByRole('button', { name: 'Find inputs that reach it' }).click();
  const found = page
    .getByRole('list', { name: 'Reached by search' })
    .getByRole('listitem')
    .filter({ has: page.getByLabel('reached') });
  await expect(found.first()).toBeVisible({ timeout: 30_000 });
  await page
    .getByRole('button', { name: 'Stop', exact: true })
    .or(page.getByRole('button', { name: 'Find inputs that reach it' }))
    .click();
  await found.first().getByRole('button', { name: 'Keep as a check' }).click();
  await page.keyboard.press('F9');
  await expect(
    page.getByRole('complementary', { name: 'Checks and rules' }).getByRole('button', { name: /passed Reaches:/ }),
  ).toBeVisible();
});

test('a sentence is completed while it is typed: verb, device, tag, value', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'New check' }).click();
  const doing = page.getByLabel('Do of row 1', { exact: true });
  await doing.click();
  await page.keyboard.type('ta');
  await page.keyboard.press('Tab');
  await page.keyboard.type('Sta');
  await expect(page.getByRole('option', { name: 'Start Start' })).toBeVisible();
  await page.keyboard.press('Tab');
  await expect(doing).toHaveValue('tap Start');
  await page.keyboard.press('Enter');
  const expected = page.getByLabel('Expect of row 1', { exact: true });
  await expected.click();
  await page.keyboard.type('Step is Cr');
  await page.getByRole('option', { name: 'Crimping' }).click();
  await page.keyboard.type(' within 5 s');
  await page.keyboard.press('Enter');
  await expect(expected).toHaveValue('Step is Crimping within 5 s');
  await page.keyboard.press('F9');
  await expect(page.getByText('9 of 9 pass')).toBeVisible();
  // In the last row of a long check too: no pane cuts the list off.
  for (let row = 2; row <= 16; row++) {
    await page.getByRole('button', { name: 'New row', exact: true }).click();
    await expect(page.getByLabel(`When of row ${row}`, { exact: true })).toBeFocused();
  }
  await page.getByLabel('Expect of row 16', { exact: true }).click();
  await page.keyboard.type('Die');
  const offered = page.getByRole('listbox', { name: 'Ways to go on in Expect of row 16' }).getByRole('option');
  await expect(offered.nth(2)).toBeInViewport({ ratio: 1 });
  await offered.nth(2).click();
  await expect(page.getByLabel('Expect of row 16', { exact: true })).toHaveValue(/^Die./);
});

test('a check begins with another and is played with a table of values, pasted from a spreadsheet', async ({
  page,
}) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'New check' }).click();
  await expect(page.getByLabel('Name of the check')).toHaveValue('New check');
  await page.getByLabel('Name of the check').fill('Any batch');
  await page.getByLabel('Name of the check').press('Enter');
  await page.getByLabel('Begins with').selectOption({ index: 1 });
  await page.getByRole('button', { name: 'Play it with several values' }).click();
  await page.getByLabel('Name of column 1').fill('Batch');
  await page.getByLabel('Name of column 1').press('Enter');
  await page.getByLabel('Do of row 1', { exact: true }).fill('set GoodTotal to {Ba');
  await expect(page.getByRole('option', { name: 'Batch} a value of the table' })).toBeVisible();
  await page.getByLabel('Do of row 1', { exact: true }).press('Tab');
  await page.getByLabel('Do of row 1', { exact: true }).press('Enter');
  await expect(page.getByLabel('Do of row 1', { exact: true })).toHaveValue('set GoodTotal to {Batch}');
  await page.getByLabel('Expect of row 1').fill('GoodTotal is {Batch}; GoodTotal < 30');
  await page.getByLabel('Expect of row 1').press('Enter');
  const cell = page.getByLabel('Batch in row 1');
  await cell.focus();
  await page.evaluate(() => {
    const d = new DataTransfer();
    d.setData('text/plain', '5\n20\n40');
    document.activeElement!.dispatchEvent(
      new ClipboardEvent('paste', { clipboardData: d, bubbles: true, cancelable: true }),
    );
  });
  await expect(page.getByLabel('Batch in row 3')).toHaveValue('40');
  await page.keyboard.press('F9');
  await expect(page.getByText('8 of 9 pass')).toBeVisible();
  await expect(page.getByRole('button', { name: /Any batch/ })).toContainText('2 of 3');
  await expect(page.getByRole('row', { name: 'Values 3' })).toContainText('row 1');
  await expect(page.getByRole('note', { name: 'Failure' })).toContainText('expected GoodTotal < 30');
  await page.getByRole('button', { name: 'Show the run with row 1' }).click();
  await expect(page.getByRole('row', { name: 'Row 1', exact: true }).getByLabel('passed')).toBeVisible();
  await expect(page.getByRole('note', { name: 'Failure' })).toHaveCount(0);
  // An empty cell: said at the check, and nothing is lost.
  await page.getByLabel('Batch in row 2').fill('');
  await page.getByLabel('Batch in row 2').press('Enter');
  await expect(page.getByText('Row 2 of its table has no Batch.')).toBeVisible();
});

test('what the checks do not reach is shown on the rungs until it is put away', async ({ page }) => {
  await openDemo(page, 'prove');
  await page.getByRole('button', { name: 'What the checks reach' }).click();
  await page.getByRole('button', { name: 'Show it on the rungs' }).click();
  await expect(page.getByRole('status', { name: 'Reach' })).toContainText('Contacts both ways');
  const gap = page.getByRole('button', { name: /never (open|closed|powered) by the checks/ }).first();
  await expect(gap).toBeVisible();
  await page.getByRole('status', { name: 'Reach' }).getByRole('button', { name: 'Put away' }).click();
  await expect(gap).toHaveCount(0);
});

test('what a warm restart breaks is shown on the bench, on the line after the restart', async ({ page }) => {
  test.setTimeout(120_000);
  const bool = (name: string, more: object = {}) => ({ id: name, name, type: 'BOOL', ...more });
  const text = JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Kept',
    tags: [
      bool('A', { address: '%IX0.0' }),
      bool('Done', { retain: true }),
      bool('Seen'),
      bool('Lamp', { address: '%QX0.0' }),
    ],
    types: [],
    tasks: [],
    machine: { devices: [] },
    pous: [
      {
        id: 'm',
        name: 'Main',
        language: 'LD',
        kind: 'program',
        rungs: ['A -> set Done, set Seen', 'Done & !Seen -> Lamp'].map((line, i) => ({ id: `r${i}`, line })),
      },
    ],
    checks: [],
    rules: [{ id: 'k', name: 'Lamp stays dark', sentence: 'never Lamp' }],
    scope: [],
  });
  await openDemo(page, 'prove', undefined, text);
  await page.getByRole('button', { name: 'Proof for all inputs' }).click();
  await page.getByRole('button', { name: 'Prove', exact: true }).click();
  const rule = page.getByRole('main').getByRole('listitem').filter({ hasText: 'Lamp stays dark' });
  await expect(rule).toContainText('after a warm restart inputs can break it (scan 1 after it)', { timeout: 60_000 });
  await expect(rule).toContainText('a warm restart');
  await rule.getByRole('button', { name: /Show on bench/ }).click();
  await expect(element(page, 2, 'Lamp')).toHaveAccessibleName('Lamp, coil, power');
  expect(await scanOf(page)).toBe(1);
});
