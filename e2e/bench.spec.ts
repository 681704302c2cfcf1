/** The bench as a user works it: time, forces and inputs, scope, why, stops, changed logic, recordings. */
import { readFileSync } from 'node:fs';
import { type Page, expect, test } from '@playwright/test';
import { PORT, demoText, element, openDemo, pause, press, scanOf } from './ferrule.js';

const bench = (page: Page) => page.getByRole('region', { name: 'Bench' });
const tab = async (page: Page, name: string) => {
  await bench(page).getByRole('tab', { name }).click();
};
const scope = (page: Page) => page.getByRole('region', { name: 'Scope' });
const line = (page: Page) => page.getByRole('slider', { name: 'Time line' });
/** Goes to a scan along the time line by keys. */
async function goTo(page: Page, scan: number): Promise<void> {
  await line(page).press('Home');
  for (let n = Math.floor(scan / 50); n > 0; n--) await line(page).press('PageDown');
  for (let n = scan % 50; n > 0; n--) await line(page).press('ArrowRight');
  await expect.poll(() => scanOf(page)).toBe(scan);
}
const until = async (page: Page, text: string) => {
  await page.keyboard.press('Control+F5');
  const field = page.getByRole('textbox', { name: 'Run until' });
  await field.fill(text);
  await field.press('Enter');
};

test('rungs, statements and tasks are stepped inside a scan, and back again', async ({ page }) => {
  await openDemo(page);
  await pause(page);
  const scan = await scanOf(page);
  await page.getByRole('application').focus();
  await page.keyboard.press('Control+F6');
  await expect(page.getByTestId('scan')).toContainText(`scan ${scan}`);
  await expect(page.getByRole('group', { name: 'Bench time' })).toContainText('Cell rung 2');
  await page.keyboard.press('Control+F6');
  await expect(page.getByRole('group', { name: 'Bench time' })).toContainText('Cell rung 3');
  await page.keyboard.press('Control+Shift+F6');
  await expect(page.getByRole('group', { name: 'Bench time' })).toContainText('Cell rung 2');
  await page.keyboard.press('Alt+F6');
  await expect(page.getByRole('group', { name: 'Bench time' })).toContainText('10 ms');
  await expect.poll(() => scanOf(page)).toBe(scan + 1);
  await page.keyboard.press('Shift+F6');
  await expect.poll(() => scanOf(page)).toBe(scan);
});

test('run until a condition and for a time, as fast as it goes; a wrong condition is said', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'GoodTotal = 3');
  await expect(page.getByText('GoodTotal = 3 holds.')).toBeVisible();
  await tab(page, 'Watch');
  const at = await scanOf(page);
  expect(at).toBeGreaterThan(700);
  const back = page.getByRole('button', { name: /^One scan back/ }),
    place = await back.boundingBox();
  await until(page, '10 min');
  await expect(page.getByText('10 min done.')).toBeVisible();
  expect(await scanOf(page)).toBe(at + 60_000);
  // Two digits more, and the buttons are where they were.
  expect(await back.boundingBox()).toEqual(place);
  await until(page, 'GodTotal > 3');
  await expect(page.getByRole('dialog', { name: 'Run until' }).getByRole('alert')).toContainText('GodTotal');
});

test('going on from the past makes a second line; both are laid over each other, with where they first differ', async ({
  page,
}) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'Step is Crimping');
  await expect(page.getByText('Step is Crimping holds.')).toBeVisible();
  await until(page, '5 s');
  await expect(page.getByText('5 s done.')).toBeVisible();
  const end = await scanOf(page);
  await goTo(page, 200);
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await press(page, 'Stop', 150);
  await expect.poll(() => scanOf(page)).toBeGreaterThan(260);
  await pause(page);
  const lines = scope(page).getByRole('button', { name: 'Lines of history' });
  await expect(lines).toHaveText(/Line B of 2/);
  await lines.click();
  await page.getByRole('menuitem', { name: 'Lay line A over this one' }).click();
  await lines.click();
  const told = page.getByText(/They first differ after scan \d+/);
  await expect(told).toBeVisible();
  const differs = Number(/scan (\d+)/.exec((await told.textContent()) ?? '')![1]);
  expect(differs).toBeGreaterThanOrEqual(200);
  await page.getByRole('menuitem', { name: 'Go to where they first differ' }).click();
  await expect.poll(() => scanOf(page)).toBeLessThan(differs + 3);
  await lines.click();
  await page.getByRole('menuitem', { name: 'Go on with line A' }).click();
  await expect.poll(() => scanOf(page)).toBe(end);
  await expect(element(page, 1, 'Running, coil')).toHaveAccessibleName(/coil ?, power/);
});

test('why: from the coil back to the button, in place and time; why not: what keeps it off', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await expect(element(page, 1, 'Running,', 1)).toHaveAccessibleName(/coil ?, power/);
  await pause(page);
  await element(page, 1, 'Running,', 1).click();
  await page.keyboard.press('F4');
  const chain = bench(page).getByRole('list', { name: 'Chain of causes' });
  await expect(chain.getByRole('listitem').first()).toContainText(
    /Running came on in scan \d+: Cell rung 1, when StartPB came on/,
  );
  await expect(chain.getByRole('listitem').last()).toContainText(/Start was pressed before scan \d+/);
  await expect(element(page, 1, 'StartPB,')).toHaveAccessibleName(/the cause/);
  await chain.getByRole('listitem').nth(1).getByRole('button').click();
  await expect(page).toHaveURL(/machine\?device=/);
  const asked = Number(
    /scan ([\d,]+)/.exec((await chain.getByRole('listitem').nth(1).textContent()) ?? '')![1]!.replaceAll(',', ''),
  );
  await expect.poll(() => scanOf(page)).toBe(asked);
  await chain.getByRole('listitem').first().getByRole('button').click();
  await expect(page).toHaveURL(/logic\?pou=/);

  // Off, in the past: what it needs.
  await goTo(page, 5);
  await bench(page)
    .getByRole('button', { name: /Ask again/ })
    .click();
  await expect(bench(page).getByRole('list', { name: 'What it needs' })).toContainText('StartPB off');
  await expect(element(page, 1, 'StartPB,')).toHaveAccessibleName(/nearest to closing/);
});

test('why works in structured text: the statement, the branch and its line', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'PullTest.Done is on');
  await expect(page.getByText('PullTest.Done is on holds.')).toBeVisible();
  await page.getByRole('tab', { name: /PullCheck/ }).click();
  await page.getByText('Done := TRUE;').first().click();
  await page.keyboard.press('Home');
  await page.keyboard.press('F4');
  const chain = bench(page).getByRole('list', { name: 'Chain of causes' });
  await expect(chain.getByRole('listitem').first()).toContainText(
    // The second ferrule slips in the pull: on a busy machine that piece may be the one that is caught.
    /PullTest\.Done came on in scan \d+: PullCheck line \d+, when (Peak >= Limit|Slipped was on)/,
  );
});

test('several inputs are applied as one change; pulse, ramp, hold and a key; physical and logical state side by side', async ({
  page,
}) => {
  const project = JSON.parse(demoText) as { tags: object[] };
  project.tags.push(
    { id: 'x1', name: 'FreeA', type: 'BOOL', address: '%IX40.0', wiring: 'NO' },
    { id: 'x2', name: 'FreeB', type: 'BOOL', address: '%IX40.1', wiring: 'NC' },
    { id: 'x3', name: 'Level', type: 'REAL', address: '%ID44', range: '0..50' },
  );
  await openDemo(page, 'tags', PORT, JSON.stringify(project));
  await tab(page, 'Inputs');
  const row = (name: string) =>
    bench(page)
      .getByRole('listitem')
      .filter({ hasText: new RegExp(`^${name}`) });
  await expect(row('StopOK')).toContainText('Stop at rest · contact closed');
  await expect(row('StopOK')).toContainText('tag 1');
  await bench(page).getByRole('searchbox').fill('Free');
  await bench(page).getByRole('checkbox', { name: 'several as one change' }).check();
  await bench(page).getByRole('button', { name: 'Toggle FreeA' }).click();
  await bench(page).getByRole('button', { name: 'Toggle FreeB' }).click();
  await expect(row('FreeA')).toContainText('tag 0');
  await bench(page).getByRole('button', { name: 'Apply 2' }).click();
  await expect(row('FreeA')).toContainText('tag 1');
  await expect(row('FreeB')).toContainText('tag 1');
  await bench(page).getByRole('checkbox', { name: 'several as one change' }).uncheck();
  // A pulse ends by itself.
  await bench(page).getByRole('button', { name: 'Toggle FreeA' }).click();
  await expect(row('FreeA')).toContainText('tag 0');
  await bench(page).getByRole('button', { name: 'More for FreeA' }).click();
  const long = bench(page).getByRole('textbox', { name: 'Length in ms for FreeA' });
  await long.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('half');
  await expect(row('FreeA')).toContainText('The time goes from 1 to 3,600,000 ms.');
  await expect(bench(page).getByRole('button', { name: 'Pulse' })).toBeDisabled();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('1500');
  await bench(page).getByRole('button', { name: 'Pulse' }).click();
  await expect(row('FreeA')).toContainText('tag 1');
  await expect(row('FreeA')).toContainText('tag 0');
  // A key works it while it is down.
  await bench(page).getByRole('textbox', { name: 'Key for FreeA' }).fill('j');
  await page.getByLabel('Simulated time').click();
  await page.keyboard.down('Alt');
  await page.keyboard.down('j');
  await expect(row('FreeA')).toContainText('tag 1');
  await page.keyboard.up('j');
  await page.keyboard.up('Alt');
  await expect(row('FreeA')).toContainText('tag 0');
  // A ramp.
  await bench(page).getByRole('searchbox').fill('Level');
  await bench(page).getByRole('button', { name: 'More for Level' }).click();
  await bench(page).getByRole('button', { name: 'Ramp' }).click();
  await expect(bench(page).getByRole('textbox', { name: 'Value of Level' })).toHaveValue('50');
  // What the machine sends is replaced by a force, and the force is seen.
  await bench(page).getByRole('searchbox').fill('DieDown');
  await bench(page).getByRole('button', { name: 'Toggle DieDown' }).click();
  await expect(row('DieDown')).toContainText('F=1');
  await expect(page.getByRole('button', { name: '1 forced' })).toBeVisible();
});

test('watch lists: by drag and by name, members, number forms; kept with the project', async ({ page }) => {
  const id = await openDemo(page);
  await tab(page, 'Watch');
  await page.getByRole('tab', { name: 'Tags' }).click();
  const from = page.getByRole('region', { name: 'Tags to drag' }).getByText('StartPB', { exact: true });
  await from.hover();
  await page.mouse.down();
  const target = (await bench(page).boundingBox())!;
  await page.mouse.move(target.x + 80, target.y + 60, { steps: 6 });
  await page.mouse.up();
  const list = bench(page).getByRole('list', { name: 'Watched tags' });
  await expect(list).toContainText('StartPB');
  await bench(page).getByRole('button', { name: 'Tag', exact: true }).click();
  for (const name of ['BatchCount', 'Dwell']) {
    await page.keyboard.type(name);
    await expect(
      page.getByRole('listbox', { name: 'Tags for Tag to watch' }).getByRole('option').first(),
    ).toBeInViewport({ ratio: 1 });
    await page.keyboard.press('Enter');
    await expect(list).toContainText(name);
    await expect(bench(page).getByRole('combobox', { name: 'Tag to watch' })).toHaveValue('');
  }
  await page.keyboard.press('Escape');
  await expect(bench(page).getByRole('button', { name: 'Tag', exact: true })).toBeFocused();
  await bench(page).getByRole('combobox', { name: 'Form of BatchCount' }).selectOption('hex');
  await expect(bench(page).getByRole('textbox', { name: 'Value of BatchCount' })).toHaveValue('16#01F4');
  await bench(page).getByRole('combobox', { name: 'Form of BatchCount' }).selectOption('binary');
  await expect(bench(page).getByRole('textbox', { name: 'Value of BatchCount' })).toHaveValue('2#0000_0001_1111_0100');
  await bench(page).getByRole('button', { name: 'Members of Dwell' }).click();
  await expect(list).toContainText('.ET');
  // Nothing of this is a change of the logic: the run goes on on one line, from the start.
  await expect(page.getByRole('button', { name: 'Lines of history' })).toBeHidden();
  await expect
    .poll(
      async () =>
        (
          (await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}`, { maxRetries: 2 })).json()) as {
            document: { bench?: { watches?: { rows: object[] }[] } };
          }
        ).document.bench?.watches?.[0]?.rows,
    )
    .toEqual([{ path: 'StartPB' }, { path: 'BatchCount', format: 'binary' }, { path: 'Dwell' }]);
});

test('the scope: a tag dropped later has its past; cursors, zoom, trigger, VCD and CSV', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, '1 h');
  await expect(page.getByText('1 h done.')).toBeVisible({ timeout: 30_000 });
  await scope(page).getByRole('button', { name: 'Add tag' }).click();
  await page.getByRole('combobox', { name: 'Tag for the scope' }).fill('LastPull');
  await page.keyboard.press('Enter');
  await scope(page).getByRole('button', { name: 'All', exact: true }).click();
  await expect(scope(page).getByLabel('Span', { exact: true })).toHaveText('1.0 h');
  const box = (await line(page).boundingBox())!;
  await page.keyboard.down('Control');
  await page.mouse.click(box.x + box.width * 0.25, box.y + 30);
  await page.keyboard.down('Shift');
  await page.mouse.click(box.x + box.width * 0.75, box.y + 30);
  await page.keyboard.up('Shift');
  await page.keyboard.up('Control');
  await expect(scope(page).getByLabel('Between the cursors')).toContainText(/Δ (29|30) min/);
  await page.mouse.move(box.x + box.width / 2, box.y + 40);
  for (let i = 0; i < 12; i++) await page.mouse.wheel(0, -480);
  await expect(scope(page).getByLabel('Span', { exact: true })).toHaveText(/ms$/);
  await scope(page).getByRole('button', { name: 'Follow the end' }).click();
  await line(page).focus();
  await page.keyboard.press('Escape');

  await goTo(page, 0);
  await scope(page).getByRole('button', { name: 'Trigger' }).click();
  await page.getByRole('textbox', { name: 'When this comes true' }).fill('DieDown is on');
  await page.getByRole('button', { name: 'Next time after' }).click();
  await expect(page.getByText('DieDown is on came true.')).toBeVisible();
  const first = await scanOf(page);
  expect(first).toBeGreaterThan(50);
  await page.getByRole('button', { name: 'Next time after' }).click();
  await expect.poll(() => scanOf(page)).toBeGreaterThan(first);
  await page.getByRole('button', { name: 'Last time before' }).click();
  await expect.poll(() => scanOf(page)).toBe(first);
  await page.keyboard.press('Escape');
  // The focus goes back where it was before it is taken to the line.
  await expect(scope(page).getByRole('button', { name: 'Trigger' })).toBeFocused();

  await line(page).focus();
  await page.keyboard.press('a');
  for (let i = 0; i < 4; i++) await page.keyboard.press('PageDown');
  await expect.poll(() => scanOf(page)).toBe(first + 200);
  await page.keyboard.press('b');
  await expect(scope(page).getByLabel('Between the cursors')).toContainText('Δ 2');
  const download = async (item: string) => {
    await scope(page).getByRole('button', { name: 'Run', exact: true }).click();
    const [d] = await Promise.all([page.waitForEvent('download'), page.getByRole('menuitem', { name: item }).click()]);
    return readFileSync(await d.path(), 'utf8');
  };
  const vcd = await download('Traces as waveform file (VCD)');
  expect(vcd).toMatch(/\$timescale 1 ns \$end[^]*\$var wire 1 \S+ DieDown \$end[^]*\$enddefinitions[^]*#/);
  const csv = (await download('Traces as table (CSV)')).trim().split('\n');
  expect(csv[0]).toMatch(/^t_ms,Step,FeedMotor/);
  expect(csv).toHaveLength(202);
  expect(csv[1]).toMatch(new RegExp(`^${first * 10},Crimping,`));
});

test('a stretch becomes a sequence check, and it passes', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'GoodTotal = 1');
  await expect(page.getByText('GoodTotal = 1 holds.')).toBeVisible();
  await scope(page).getByRole('button', { name: 'Run', exact: true }).click();
  await page.getByRole('menuitem', { name: 'Save as sequence check' }).click();
  await expect(page).toHaveURL(/prove\?check=/);
  await expect(page.getByText(/tap Start for/)).toBeVisible();
  await page.keyboard.press('F9');
  await expect(
    page
      .getByRole('complementary', { name: 'Checks and rules' })
      .getByRole('button', { name: /Recorded \d+/ })
      .getByLabel('passed'),
  ).toBeVisible();
});

test('stops: before a rung only when something holds, at a line, on a change, on a condition', async ({ page }) => {
  await openDemo(page);
  await element(page, 2, 'ResetPB,').click();
  await page.keyboard.press('F7');
  await expect(page.getByText('Stopped before Cell rung 2.').first()).toBeVisible();
  await tab(page, 'Stops');
  await expect(bench(page)).toContainText('In the middle of the scan, before Cell rung 2');
  await bench(page)
    .getByRole('textbox', { name: /Only when/ })
    .fill('Running is on');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await expect(page.getByText('Stopped before Cell rung 2.').first()).toBeHidden();
  // The finger is on the button when the run stops, and comes up then: the bench stands where it stood, and says so.
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await expect(page.getByText('Stopped before Cell rung 2.').first()).toBeVisible();
  const stood = await scanOf(page);
  await page.mouse.up();
  await page.waitForTimeout(300);
  await expect(page.getByText('Stopped before Cell rung 2.').first()).toBeVisible();
  await expect(bench(page)).toContainText('In the middle of the scan, before Cell rung 2');
  expect(await scanOf(page)).toBe(stood);
  await bench(page)
    .getByRole('button', { name: /Remove the stop/ })
    .click();
  // It is let go for the scan after.
  await page.getByRole('group', { name: 'Bench time' }).getByRole('button', { name: 'One scan forward' }).click();
  await page.getByRole('group', { name: 'Bench time' }).getByRole('button', { name: 'One scan forward' }).click();
  await expect(start).toHaveAttribute('aria-pressed', 'false');

  await bench(page).getByRole('combobox', { name: 'Kind of stop' }).selectOption('change');
  await bench(page).getByRole('textbox', { name: 'Tag to stop at' }).fill('Step');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await expect(page.getByText('Step became Clamping.').first()).toBeVisible();
  await bench(page)
    .getByRole('button', { name: /Remove the stop/ })
    .click();

  await bench(page).getByRole('combobox', { name: 'Kind of stop' }).selectOption('condition');
  await bench(page).getByRole('textbox', { name: 'Condition to stop at' }).fill('Dwell.ET > T#200ms AND Nonsense');
  await page.keyboard.press('Enter');
  await expect(bench(page).getByRole('alert')).toContainText('Nonsense');
  await bench(page)
    .getByRole('button', { name: /Remove the stop/ })
    .click();
  await bench(page).getByRole('textbox', { name: 'Condition to stop at' }).fill('Dwell.ET > T#200ms');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await expect(page.getByText('Dwell.ET > T#200ms came true.').first()).toBeVisible();
  await bench(page)
    .getByRole('button', { name: /Remove the stop/ })
    .click();

  await page.getByRole('tab', { name: /PullCheck/ }).click();
  await page.getByText('Peak := MAX(Peak, Force);').click();
  await page.keyboard.press('F7');
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await expect(page.getByText(/Stopped before PullCheck line 30/).first()).toBeVisible();
  await expect(bench(page)).toContainText('called in Cell rung 14');
});

test('faults stop at the element with the call path, and the page stays alive', async ({ page }) => {
  const project = JSON.parse(demoText) as { tags: object[]; pous: { name: string; rungs?: object[] }[] };
  project.tags.push(
    { id: 'x1', name: 'List', type: 'ARRAY [1..3] OF INT' },
    { id: 'x2', name: 'Slot', type: 'INT', initial: '1' },
    { id: 'x3', name: 'Divisor', type: 'INT', initial: '1' },
  );
  project.pous.find((p) => p.name === 'Cell')!.rungs!.push({ id: 'f1', line: '-> { List[Slot] := 12 / Divisor; }' });
  await openDemo(page, 'tags', PORT, JSON.stringify(project));
  const write = async (name: string, value: string) => {
    const field = page.getByRole('textbox', { name: `Value of ${name}`, exact: true });
    await field.fill(value);
    await field.press('Enter');
  };
  await page.getByRole('searchbox').first().fill('Divisor');
  await write('Divisor', '0');
  await expect(page.getByText(/The bench stopped/)).toBeVisible();
  await expect(page.getByText(/Division by zero.*the number on the left is 12/).first()).toBeVisible();
  await page.getByRole('button', { name: 'Restart the bench' }).click();
  await expect(page.getByText(/The bench stopped/)).toBeHidden();
  await page.getByRole('button', { name: 'Run', exact: true }).first().click();
  await page.getByRole('searchbox').first().fill('Slot');
  await write('Slot', '7');
  await expect(page.getByText(/The index 'Slot' is 7, outside the array/).first()).toBeVisible();
});

test('logic changed while it runs: state is kept, what was before stays visible, a restart shows what it switches on', async ({
  page,
}) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'GoodTotal = 2');
  await expect(page.getByText('GoodTotal = 2 holds.')).toBeVisible();
  const before = await scanOf(page);
  await element(page, 2, 'ResetPB,').click();
  await page.keyboard.press('/');
  await expect.poll(async () => element(page, 2, 'ResetPB,').getAttribute('aria-label')).toMatch(/normally closed/);
  await tab(page, 'Watch');
  await bench(page).getByRole('button', { name: 'Tag', exact: true }).click();
  await bench(page).getByRole('combobox', { name: 'Tag to watch' }).fill('GoodTotal');
  await page.keyboard.press('Enter');
  await expect(bench(page).getByRole('textbox', { name: 'Value of GoodTotal' })).toHaveValue('2');
  await page.keyboard.press('F6');
  await expect.poll(() => scanOf(page)).toBe(before + 1);
  await goTo(page, 150);
  await expect(page.getByText('This scan was run by the logic before your change.')).toBeVisible();
  await page.getByRole('button', { name: 'Go on from here with the logic of now' }).click();
  await expect(page.getByText('This scan was run by the logic before your change.')).toBeHidden();
  await expect(page.getByRole('button', { name: 'Lines of history' })).toHaveText(/of 2/);
  await page.getByRole('button', { name: 'Ways to restart' }).click();
  await expect(page.getByRole('list', { name: 'First scans' })).toContainText('LampReady');
  await page.getByRole('button', { name: 'Restart cold' }).click();
  await expect.poll(() => scanOf(page)).toBeLessThan(150);
});

test('a run is saved, replayed to the same bytes, and kept with the project', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start');
  await until(page, 'GoodTotal = 1');
  await expect(page.getByText('GoodTotal = 1 holds.')).toBeVisible();
  const end = await scanOf(page);
  const menu = async () => scope(page).getByRole('button', { name: 'Run', exact: true }).click();
  await menu();
  const [d] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('menuitem', { name: 'Save this run as a file' }).click(),
  ]);
  const file = readFileSync(await d.path());
  expect(JSON.parse(file.toString())).toMatchObject({
    format: 'ferrule-recording',
    end,
    project: { name: 'Wire-end crimp cell' },
  });
  await page.getByRole('button', { name: 'Restart the bench' }).click();
  await page.getByLabel('Run to replay').setInputFiles({ name: 'r.json', mimeType: 'application/json', buffer: file });
  await expect(page.getByText(`${end.toLocaleString('en')} scans replayed: the same bytes as recorded.`)).toBeVisible();
  await page
    .getByLabel('Run to replay')
    .setInputFiles({ name: 'r.json', mimeType: 'application/json', buffer: Buffer.from('{"format":"something"}') });
  await expect(page.getByText(/This is not a recording of a run/)).toBeVisible();
  await menu();
  await page.getByRole('menuitem', { name: 'Keep this run with the project' }).click();
  await expect(page.getByText('Kept with the project.')).toBeVisible();
  await menu();
  await page.getByRole('menuitem', { name: /Replay Run 1/ }).click();
  await expect(page.getByText(/scans replayed: the same bytes/)).toBeVisible();
});

test('which rung costs what time', async ({ page }) => {
  await openDemo(page);
  await tab(page, 'Scan time');
  await bench(page).getByRole('button', { name: 'Measure this scan' }).click();
  await expect(bench(page).getByRole('row')).toHaveCount(40);
  await expect(bench(page)).toContainText(/Main [\d.]+ µs/);
});

test('a tab in the background goes on, and shows the present when it comes back', async ({ page, context }) => {
  await openDemo(page);
  const before = await scanOf(page);
  const other = await context.newPage();
  await other.goto('about:blank');
  await other.bringToFront();
  await other.waitForTimeout(4000);
  await page.bringToFront();
  await expect.poll(() => scanOf(page)).toBeGreaterThan(before + 300);
  await other.close();
});

test('a tap is seen by a scan however short it is, also while the bench is paused', async ({ page }) => {
  await openDemo(page);
  await pause(page);
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.click();
  for (let i = 0; i < 3; i++) await page.keyboard.press('F6');
  await expect(element(page, 1, 'Running, coil')).toHaveAccessibleName(/coil ?, power/);
  await expect(start).toHaveAttribute('aria-pressed', 'false');
});

test('a trigger waits for its condition and stands there; a line of history is forgotten; a warm restart keeps what is retained', async ({
  page,
}) => {
  await openDemo(page);
  await scope(page)
    .getByRole('button', { name: /^Trigger/ })
    .click();
  const dialog = page.getByRole('dialog', { name: 'Trigger' });
  await dialog.getByLabel('When this comes true').fill('GoodTotal = 1');
  await dialog.getByRole('button', { name: 'Wait for it' }).click();
  await page.keyboard.press('Escape');
  await press(page, 'Start');
  await until(page, '20 s');
  await expect(scope(page).getByRole('button', { name: /^Trigger: scan \d/ })).toBeVisible();
  await tab(page, 'Watch');
  await bench(page).getByRole('button', { name: 'Tag', exact: true }).click();
  await page.getByRole('combobox', { name: 'Tag to watch' }).fill('GoodTotal');
  await page.keyboard.press('Enter');
  const total = bench(page).getByRole('textbox', { name: 'Value of GoodTotal' });
  await expect(total).not.toHaveValue('0');
  const before = await total.inputValue();
  await page.getByRole('button', { name: 'Ways to restart' }).click();
  await page.getByRole('button', { name: 'Warm: retained kept' }).click();
  await page.getByRole('button', { name: 'Restart warm' }).click();
  await expect.poll(() => scanOf(page)).toBeLessThan(400);
  await expect(total).toHaveValue(before);
  const lines = scope(page).getByRole('button', { name: 'Lines of history' });
  await lines.click();
  await page.getByRole('menuitem', { name: /Forget line A/ }).click();
  await expect(lines).toBeHidden();
});

test('a stop that is switched off lets the run go on', async ({ page }) => {
  await openDemo(page);
  await tab(page, 'Stops');
  await bench(page).getByRole('textbox', { name: 'Condition to stop at' }).fill('Running');
  await page.keyboard.press('Enter');
  await bench(page).getByRole('checkbox', { name: 'Stop when Running comes true' }).uncheck();
  await press(page, 'Start');
  await expect(element(page, 1, 'Running,', 1)).toHaveAccessibleName(/coil ?, power/);
  const at = await scanOf(page);
  await expect.poll(() => scanOf(page)).toBeGreaterThan(at + 20);
  await press(page, 'Stop');
  await bench(page).getByRole('checkbox', { name: 'Stop when Running comes true' }).check();
  await press(page, 'Start');
  await expect(
    page.getByRole('group', { name: 'Bench time' }).getByRole('button', { name: 'Run', exact: true }),
  ).toBeVisible();
});

test('a button is held and an input slid from the list; a bit is forced from the watch list', async ({ page }) => {
  const analogue = demoText.replace(
    '"tags": [',
    '"tags": [{ "id": "lvl", "name": "AirPressure", "type": "INT", "address": "%IW40", "range": "0..10" },',
  );
  await openDemo(page, 'logic', undefined, analogue);
  await tab(page, 'Inputs');
  await bench(page).getByRole('button', { name: 'Hold StartPB' }).hover();
  await page.mouse.down();
  await expect(element(page, 1, 'StartPB,')).toHaveAccessibleName(/closed, power/);
  await page.mouse.up();
  await expect(element(page, 1, 'StartPB,')).toHaveAccessibleName(/open, no power/);
  await bench(page).getByRole('slider', { name: 'Slide AirPressure' }).fill('7');
  await expect(bench(page).getByRole('textbox', { name: 'Value of AirPressure' })).toHaveValue('7');
  // A whole number slides in whole steps.
  await bench(page).getByRole('slider', { name: 'Slide AirPressure' }).press('ArrowRight');
  await expect(bench(page).getByRole('textbox', { name: 'Value of AirPressure' })).toHaveValue('8');
  await bench(page).getByRole('slider', { name: 'Slide AirPressure' }).press('ArrowLeft');
  await expect(bench(page).getByRole('textbox', { name: 'Value of AirPressure' })).toHaveValue('7');
  await tab(page, 'Watch');
  await bench(page).getByRole('button', { name: 'Tag', exact: true }).click();
  await page.getByRole('combobox', { name: 'Tag to watch' }).fill('AirPressure.3');
  await page.keyboard.press('Enter');
  await bench(page).getByRole('button', { name: 'Force AirPressure.3' }).click();
  // In the moment in which the force is on its way: what is given then is meant for it.
  await bench(page).getByRole('button', { name: 'Toggle AirPressure.3' }).click();
  await expect(bench(page).getByRole('button', { name: 'Release AirPressure.3' })).toContainText('F=1');
  await tab(page, 'Inputs');
  await expect(bench(page).getByRole('textbox', { name: 'Value of AirPressure' })).toHaveValue('15');
  await tab(page, 'Watch');
  await bench(page).getByRole('button', { name: 'Release AirPressure.3' }).click();
  await expect(bench(page).getByRole('button', { name: 'Force AirPressure.3' })).toBeAttached();
});

test('with more tags on the scope than fit, its time axis and the bar of the whole run stay in sight', async ({
  page,
}) => {
  const file = JSON.parse(demoText) as { scope: string[]; tags: { name: string; type: string }[] };
  file.scope = file.tags.map((t) => t.name).slice(0, 14);
  await openDemo(page, 'logic', PORT, JSON.stringify(file));
  const axis = line(page).locator('canvas'),
    scroller = line(page).locator('..'),
    bottom = async (of: typeof axis) => {
      const box = (await of.boundingBox())!;
      return Math.round(box.y + box.height);
    };
  await expect.poll(async () => (await bottom(axis)) - (await bottom(scroller))).toBe(0);
  expect(await bottom(axis)).toBeLessThanOrEqual(800);
  await scroller.evaluate((e) => (e.scrollTop = e.scrollHeight));
  await expect(page.getByText(file.scope[13]!, { exact: true }).last()).toBeInViewport();
  await expect.poll(async () => (await bottom(axis)) - (await bottom(scroller))).toBe(0);
});
