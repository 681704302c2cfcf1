import { expect, test } from '@playwright/test';
import { PORT, demoText, element, openDemo, pause, press, scanOf, toArea } from './ferrule.js';

test('the cell runs when Start is pressed: power, machine and counts follow', async ({ page }) => {
  await openDemo(page);
  await expect(element(page, 1, 'StopOK,')).toHaveAccessibleName(/closed, no power/);
  await press(page, 'Start');
  await expect(element(page, 1, 'Running, coil')).toHaveAccessibleName(/power$/);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
  await expect(page.getByRole('status', { name: 'Good', exact: true })).toContainText(/[12]/, { timeout: 60_000 });
  await press(page, 'Stop');
  await expect(page.getByRole('img', { name: 'Lamp Running dark' })).toBeVisible();
});

test('a key bound to a button presses it while it is held', async ({ page }) => {
  await openDemo(page);
  await page.keyboard.down('Alt');
  await page.keyboard.down('s');
  await expect(page.getByRole('button', { name: 'Start', exact: true })).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.up('s');
  await page.keyboard.up('Alt');
  await expect(page.getByRole('button', { name: 'Start', exact: true })).toHaveAttribute('aria-pressed', 'false');
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
});

test('time: pause, one scan forward, one back, speed', async ({ page }) => {
  await openDemo(page);
  await pause(page);
  const at = await scanOf(page);
  await page.getByRole('button', { name: 'One scan forward' }).click();
  await expect.poll(() => scanOf(page)).toBe(at + 1);
  await page.keyboard.press('Shift+F6');
  await expect.poll(() => scanOf(page)).toBe(at);
  await page.getByRole('button', { name: 'Speed' }).click();
  await page.getByRole('menuitem', { name: '50×' }).click();
  await page.keyboard.press('F5');
  await page.waitForTimeout(1000);
  await page.keyboard.press('F5');
  // 50 times real time: far more than 1.5 s of simulated time in a second.
  await expect.poll(() => scanOf(page)).toBeGreaterThan(at + 500);
  await page.getByRole('button', { name: 'Speed' }).click();
  await page.getByRole('menuitem', { name: '0.1×' }).click();
  const slow = await scanOf(page);
  await page.keyboard.press('F5');
  await page.waitForTimeout(1000);
  await page.keyboard.press('F5');
  expect((await scanOf(page)) - slow).toBeLessThan(60);
});

test('dragging the time line back shows that scan in rungs, machine and panel', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start', 200);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
  await page.waitForTimeout(1200);
  await pause(page);
  const end = await scanOf(page);
  const line = page.getByRole('slider', { name: 'Time line' });
  const box = (await line.boundingBox())!;
  await page.mouse.move(box.x + 500, box.y + 80);
  await page.mouse.down();
  await page.mouse.move(box.x + 4, box.y + 80, { steps: 5 });
  await page.mouse.up();
  await expect.poll(() => scanOf(page)).toBeLessThan(20);
  await expect(page.getByRole('img', { name: 'Lamp Running dark' })).toBeVisible();
  await expect(element(page, 1, 'Running, coil')).toHaveAccessibleName(/no power$/);
  // By keys to the end again: the same moment as before.
  await line.press('End');
  await expect.poll(() => scanOf(page)).toBe(end);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
});

test('letting go of the time line where a button was pressed presses and lets go of nothing', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start', 400);
  await page.waitForTimeout(600);
  await pause(page);
  const end = await scanOf(page);
  const box = (await page.getByRole('slider', { name: 'Time line' }).boundingBox())!;
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await page.mouse.move(box.x + box.width / 2, box.y + 60);
  await page.mouse.down();
  for (let x = box.width / 2; x > 4 && (await start.getAttribute('aria-pressed')) !== 'true'; x -= 3)
    await page.mouse.move(box.x + x, box.y + 60);
  await expect(start).toHaveAttribute('aria-pressed', 'true');
  await page.mouse.up();
  await page.getByRole('slider', { name: 'Time line' }).press('End');
  await expect.poll(() => scanOf(page)).toBe(end);
});

test('rungs are changed by keys, the bench takes them at once and keeps its state', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start', 200);
  await expect(element(page, 1, 'Running, coil')).toHaveAccessibleName(/power$/);
  const line = async () => {
    await page.keyboard.press(';');
    const text = await page.getByRole('combobox', { name: 'Rung as a line' }).inputValue();
    await page.keyboard.press('Escape');
    return text;
  };
  await element(page, 1, 'Fault,').click();
  // Type a contact in: its name completes.
  await page.keyboard.type('!Trac');
  await expect(page.getByRole('option', { name: /TrackLow/ })).toBeVisible();
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  expect(await line()).toBe(
    '(StartPB | Running) & StopOK & EStopOK & GuardShut & AutoMode & !Fault & !TrackLow & !BatchDone -> Running',
  );
  await expect(element(page, 1, 'TrackLow')).toHaveAccessibleName(/normally closed, closed, power/);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
  // NO to NC and back; a leg; delete.
  await page.keyboard.press('/');
  expect(await line()).toContain('& TrackLow &');
  await expect(page.getByRole('img', { name: 'Lamp Running dark' })).toBeVisible();
  await page.keyboard.press('|');
  await page.keyboard.type('Blink');
  await page.keyboard.press('Enter');
  expect(await line()).toContain('& (TrackLow | Blink) &');
  await page.keyboard.press('Delete');
  await page.keyboard.press('Control+z');
  expect(await line()).toContain('& (TrackLow | Blink) &');
  for (let i = 0; i < 3; i++) await page.keyboard.press('Control+z');
  expect(await line()).toBe(
    '(StartPB | Running) & StopOK & EStopOK & GuardShut & AutoMode & !Fault & !BatchDone -> Running',
  );
  await page.keyboard.press('Control+y');
  expect(await line()).toContain('!TrackLow');
  // A whole rung as a line.
  await page.keyboard.press('Insert');
  await page.keyboard.type('Running & !Fault -> LampTrack');
  await page.keyboard.press('Enter');
  await expect(element(page, 2, 'LampTrack, coil')).toBeVisible();
});

test('a line that is no rung says where, and keeps the text', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('application').focus();
  await page.keyboard.press('Insert');
  await page.keyboard.type('Running & -> LampTrack');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toHaveText(/Column 11: Expected a value, found '->'/);
  await expect(page.getByRole('combobox', { name: 'New rung as a line' })).toHaveValue('Running & -> LampTrack');
});

test('a wrong name is marked on the element, the last good logic runs on, F8 goes there', async ({ page }) => {
  await openDemo(page);
  await press(page, 'Start', 200);
  await element(page, 1, 'Fault,').click();
  await page.keyboard.type('Runing');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Enter');
  await page.getByRole('combobox', { name: 'Element' }).fill('!Fautl');
  await page.keyboard.press('Enter');
  await expect(element(page, 1, 'Fautl')).toHaveAccessibleName(
    /problem: There is no tag 'Fautl'. Did you mean 'Fault'\?/,
  );
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await expect(page.getByText('last good logic runs')).toBeVisible();
  const at = await scanOf(page);
  await expect.poll(() => scanOf(page)).toBeGreaterThan(at);
  await expect(page.getByRole('img', { name: 'Lamp Running lit' })).toBeVisible();
  await page.getByRole('tab', { name: /Stations/ }).click();
  await page.keyboard.press('F8');
  await expect(page.getByRole('tab', { name: /Cell/ })).toHaveAttribute('aria-selected', 'true');
  await expect(element(page, 1, 'Fautl')).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
});

test('forces show everywhere and are released all at once', async ({ page }) => {
  await openDemo(page);
  await element(page, 1, 'GuardShut').click();
  await page.keyboard.press('0');
  await expect(page.getByRole('button', { name: '1 forced' })).toBeVisible();
  await expect(element(page, 1, 'GuardShut')).toContainText('F=0');
  await expect(element(page, 1, 'GuardShut')).toHaveAccessibleName(/open/);
  await expect(page.getByRole('region', { name: 'Scope' }).getByText('F=0')).toBeVisible();
  await page.keyboard.press('1');
  await expect(element(page, 1, 'GuardShut')).toContainText('F=1');
  await toArea(page, 'Tags');
  await expect(page.getByRole('row', { name: 'GuardShut', exact: true })).toContainText('F=1');
  await page.getByRole('button', { name: '1 forced' }).click();
  await page.getByRole('button', { name: 'Release all' }).click();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: '0 forced' })).toBeVisible();
});

test('structured text is edited, its problems stand in the text', async ({ page }) => {
  await openDemo(page);
  await page.getByRole('tab', { name: /PullCheck/ }).click();
  const editor = page.getByRole('textbox', { name: 'Text of PullCheck' });
  await editor.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Home');
  await page.keyboard.type('Peek := 1.0;\n');
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await page.getByRole('button', { name: '1 problem' }).click();
  await expect(page.getByRole('dialog', { name: 'Problems' })).toContainText("There is no tag 'Peek'.");
});

test('an endless loop stops the bench with its place, the page stays alive', async ({ page }) => {
  const text = demoText.replace(
    '"-> { LastStep := Step; }"',
    '"-> { LastStep := Step; WHILE TRUE DO FaultCode := FaultCode; END_WHILE; }"',
  );
  const response = await page.request.post(`http://127.0.0.1:${PORT}/api/projects`, { data: { file: text } });
  const { id } = (await response.json()) as { id: string };
  await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/logic`);
  await expect(page.getByRole('alert')).toContainText('Cell/rung 26');
  await expect(page.getByRole('alert')).toContainText('watchdog');
  await page.getByRole('tab', { name: /Stations/ }).click();
  await expect(page.getByRole('group', { name: 'Rung 1', exact: true })).toBeVisible();
});

test('a rung looks the same at the first load, when the fonts are not there yet, and at every other', async ({
  page,
}) => {
  const places = () =>
    page
      .getByRole('group', { name: 'Rung 1', exact: true })
      .getByRole('button')
      .evaluateAll((list) =>
        list
          .map((e) => (e as SVGGElement).getBoundingClientRect())
          .map((r) => [Math.round(r.x), Math.round(r.y), Math.round(r.width)]),
      );
  // The font comes late, as over a slow line.
  await page.route('**/*inter-latin-wght*', async (route) => {
    await new Promise((r) => setTimeout(r, 600));
    await route.continue();
  });
  await openDemo(page);
  const first = await places();
  await page.unroute('**/*inter-latin-wght*');
  await page.reload();
  await expect(element(page, 1, 'StopOK,')).toBeVisible();
  expect(await places()).toEqual(first);
});
