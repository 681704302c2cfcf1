import { expect, test } from '@playwright/test';
import { element, openDemo, toArea } from './ferrule.js';

test('tags are listed with type, address, description and value', async ({ page }) => {
  await openDemo(page, 'tags');
  const row = page.getByRole('row', { name: 'StopOK', exact: true });
  await expect(row.getByLabel('Type of StopOK')).toHaveValue('BOOL');
  await expect(row.getByLabel('Address of StopOK')).toHaveValue('%IX0.1');
  await expect(row.getByLabel('Description of StopOK')).toHaveValue('Stop button, closed at rest');
  await expect(row).toContainText('1');
  await expect(row).toContainText('closed');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('pull');
  await expect(page.getByText(/^\d of 57$/)).toBeVisible();
});

test('a name and Enter adds a tag, the rest is guessed', async ({ page }) => {
  await openDemo(page, 'tags');
  await page.getByLabel('Name of a new tag').fill('DoorClosed');
  await expect(page.getByText('guessed from the name')).toBeVisible();
  await page.keyboard.press('Enter');
  // Ready for the next name at once.
  await expect(page.getByLabel('Name of a new tag')).toBeFocused();
  await expect(page.getByLabel('Name of a new tag')).toHaveValue('');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('DoorClosed');
  await expect(page.getByLabel('Address of DoorClosed')).toHaveValue('%IX0.6');
  await page.getByLabel('Name of a new tag').fill('doorclosed');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText('There is a tag ‘doorclosed’ already');
});

test('a rename is everywhere at once, and undone as one', async ({ page }) => {
  await openDemo(page, 'tags');
  const name = page.getByLabel('Name of StopOK');
  await name.fill('StopClosed');
  await name.press('Enter');
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await toArea(page, 'Logic');
  await expect(element(page, 1, 'StopClosed,')).toBeVisible();
  await toArea(page, 'Machine');
  await page.getByRole('button', { name: /^Wiring/ }).click();
  await expect(page.getByLabel('Wire of Stop.NC')).toHaveValue('StopClosed');
  await toArea(page, 'Logic');
  await page.keyboard.press('Control+z');
  await expect(element(page, 1, 'StopOK,')).toBeVisible();
});

test('a tag that is renamed while the bench runs keeps its value and its force', async ({ page }) => {
  await openDemo(page, 'tags');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('GoodTotal');
  const value = page.getByLabel('Value of GoodTotal');
  await value.fill('41');
  await value.press('Enter');
  await expect(value).toHaveValue('41');
  await page.getByLabel('Name of GoodTotal').fill('GoodPieces');
  await page.keyboard.press('Enter');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('GoodPieces');
  await expect(page.getByLabel('Value of GoodPieces')).toHaveValue('41');
  await expect(page.getByText(/Not kept/)).toHaveCount(0);
});

test('Ctrl+A takes the tags that are shown, not the words of the page; Ctrl+C copies them as cells', async ({
  page,
  context,
}) => {
  await context.grantPermissions(['clipboard-read', 'clipboard-write']);
  await openDemo(page, 'tags');
  const find = page.getByRole('searchbox', { name: 'Find tags' });
  await find.fill('blade');
  await page.getByRole('row', { name: 'BladeUp', exact: true }).click({ position: { x: 8, y: 8 } });
  await page.keyboard.press('Control+a');
  const all = page.getByText('found tags: Ctrl+C copies them as cells');
  await expect(all).toBeVisible();
  expect(await page.evaluate(() => window.getSelection()?.toString())).toBe('');
  await page.keyboard.press('Control+c');
  const cells = (await page.evaluate(() => navigator.clipboard.readText())).split('\n').map((l) => l.split('\t'));
  expect(`All ${cells.length} found`).toBe((await all.innerText()).split(' tags')[0]);
  expect(cells).toContainEqual(['BladeUp', 'BOOL', '%IX1.3', expect.any(String)]);
  // In a field it marks what stands there, as everywhere.
  await find.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('die');
  await expect(find).toHaveValue('die');
});

test('deleting a used tag is refused with where it is used; an unused one goes', async ({ page }) => {
  await openDemo(page, 'tags');
  await page.getByRole('row', { name: 'GuardShut', exact: true }).getByLabel('Type of GuardShut').click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByRole('alert')).toContainText('‘GuardShut’ is used in 3 places');
  await page.getByRole('alert').getByRole('link', { name: 'Cell rung 1' }).click();
  await expect(element(page, 1, 'GuardShut')).toBeVisible();
  await toArea(page, 'Tags');
  await page.getByLabel('Name of a new tag').fill('Spare');
  await page.keyboard.press('Enter');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Spare');
  await page.getByLabel('Type of Spare').click();
  await page.getByRole('button', { name: 'Delete', exact: true }).click();
  await expect(page.getByRole('row', { name: 'Spare' })).toHaveCount(0);
});

test('a wrong type or address is marked on its row; the rest works on', async ({ page }) => {
  await openDemo(page, 'tags');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Running');
  const type = page.getByLabel('Type of Running', { exact: true });
  await type.fill('BOOOL');
  await type.press('Enter');
  await expect(page.getByRole('complementary', { name: 'Chosen tag' })).toContainText(
    "There is no type 'BOOOL'. Did you mean 'BOOL'?",
  );
  await expect(page.getByText('last good logic runs')).toBeVisible();
});

test('a value written takes effect at the next scan', async ({ page }) => {
  await openDemo(page, 'tags');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('GoodTotal');
  const value = page.getByLabel('Value of GoodTotal');
  await value.fill('41');
  await value.press('Enter');
  await expect(value).toHaveValue('41');
  await value.fill('-3');
  await value.press('Enter');
  await expect(page.getByRole('alert')).toContainText('-3 is outside UINT');
  await expect(value).toHaveValue('41');
});
