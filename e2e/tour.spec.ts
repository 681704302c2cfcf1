import { expect, test } from '@playwright/test';
import { PORT, element } from './ferrule.js';

test('the first-hour tour is done by doing: it sees each thing and goes on by itself', async ({ page }) => {
  test.setTimeout(90_000);
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'First-hour tour' }).click();
  const tour = page.getByRole('region', { name: 'Tour' });
  const at = (n: number, title: string) => expect(tour).toContainText(`${n} of 15${title}`, { timeout: 60_000 });
  const panel = page.getByRole('region', { name: 'Panel' });
  await at(1, 'Press something');
  await expect(panel.getByRole('img', { name: 'Lamp Ready lit' })).toBeVisible();
  await panel.getByRole('switch', { name: 'Saw 1', exact: true }).click();
  await at(3, 'Stop time');
  await page.keyboard.press('F5');
  await at(4, 'Go back in it');
  // By the keys of the scope, as the time line is dragged.
  for (let i = 0; i < 4; i++) await page.keyboard.press('Shift+F6');
  await page.evaluate(() => undefined);
  const line = page.getByRole('slider', { name: /time line/i });
  await line.focus();
  await line.press('Home');
  await at(5, 'Ask why');
  await element(page, 6, 'Saw1Motor').click();
  await page.keyboard.press('F4');
  await at(6, 'Go on');
  await line.press('End');
  await page.keyboard.press('F5');
  await panel.getByRole('switch', { name: 'Saw 1', exact: true }).click();
  await at(7, 'Change it while it runs');
  await element(page, 4, 'FanRunOn').dblclick();
  const input = page.getByRole('combobox', { name: 'Element' });
  await input.fill((await input.inputValue()).replace(/PT := 8 s/, 'PT := 12 s'));
  await input.press('Enter');
  await at(8, 'Write a rung');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Insert');
  await page.getByLabel('New rung as a line').fill('Saw1Motor | Saw2Motor | Saw3Motor -> LampBusy');
  await page.getByLabel('New rung as a line').press('Enter');
  await at(9, 'Declare what is new');
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+.');
  await at(10, 'Force an input');
  await element(page, 8, 'Gate2Open').click();
  await page.keyboard.press('1');
  await at(11, 'Release it');
  await page.keyboard.press('.');
  await at(12, 'Make something go wrong');
  await tour.getByRole('button', { name: 'Go there' }).click();
  await page.getByText('Upsets: make something go wrong').click();
  await page.getByRole('switch', { name: /Gate 1: jam/i }).click();
  await panel.getByRole('switch', { name: 'Saw 1', exact: true }).click();
  await at(13, 'Run the checks');
  await tour.getByRole('button', { name: 'Go there' }).click();
  await expect(page.getByRole('button', { name: 'Run all' })).toBeVisible();
  await page.keyboard.press('F9');
  await at(14, 'Say what you want now');
  const cell = page.getByLabel('Expect of row 3', { exact: true });
  await cell.fill((await cell.inputValue()).replace('7500 ms', '11500 ms'));
  await cell.press('Enter');
  await page.keyboard.press('F9');
  await at(15, 'Prove it');
  await page.getByRole('button', { name: 'Proof for all inputs' }).click();
  await page
    .getByRole('button', { name: /^Prove/ })
    .last()
    .click();
  await expect(tour).toContainText('That was the hour', { timeout: 60_000 });
  await tour.getByRole('button', { name: 'End the tour' }).click();
  await expect(tour).toHaveCount(0);
});

test('the tour can be skipped through, gone back in, and ended; it stays where it was', async ({ page }) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'First-hour tour' }).click();
  const tour = page.getByRole('region', { name: 'Tour' });
  await tour.getByRole('button', { name: 'Skip' }).click();
  await expect(tour).toContainText('2 of 15');
  await page.reload();
  await expect(tour).toContainText('2 of 15');
  await tour.getByRole('button', { name: 'Back' }).click();
  await expect(tour).toContainText('1 of 15');
  await tour.getByRole('button', { name: 'End the tour' }).click();
  await expect(tour).toHaveCount(0);
  await page.reload();
  await expect(page.getByLabel('Simulated time')).toBeVisible();
  await expect(tour).toHaveCount(0);
});
