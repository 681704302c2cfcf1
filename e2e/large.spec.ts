/** Large and unusual projects: five hundred rungs, four hundred tags, names of sixty characters, nothing at all. */
import { expect, test } from '@playwright/test';
import { PORT, element, openDemo, scanOf, toArea } from './ferrule.js';

function generated(): string {
  const name = (i: number) =>
    i % 7 === 0 ? `Station_${'long_name_of_sixty_characters_for_a_tag_'.repeat(2).slice(0, 44)}_${i}` : `Tag${i}`;
  const tags = Array.from({ length: 400 }, (_, i) => ({
    id: `t${i}`,
    name: name(i),
    type: i % 5 === 4 ? 'TON' : i % 5 === 3 ? 'INT' : 'BOOL',
    description: `Number ${i}`,
  }));
  const of = (type: string) => tags.filter((t) => t.type === type).map((t) => t.name);
  const [b, n, t] = [of('BOOL'), of('INT'), of('TON')];
  const at = (list: string[], i: number) => list[i % list.length]!;
  const rungs = Array.from({ length: 500 }, (_, i) => ({
    id: `r${i}`,
    comment: `Rung ${i + 1}`,
    line: `(${at(b, i)} | ${at(b, i * 3 + 1)} & ${at(n, i)} > ${i % 9}) & !${at(b, i * 7 + 2)}${i % 6 ? '' : ` & ${at(t, i / 6)}(PT := ${100 + i} ms)`} -> set ${at(b, i * 11 + 3)}, { ${at(n, i + 1)} := ${at(n, i + 1)} + 1; }`,
  }));
  return JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Generated plant',
    tags,
    types: [],
    pous: [{ id: 'p1', name: 'Main', language: 'LD', kind: 'program', rungs }],
    tasks: [],
    machine: { devices: [] },
    checks: [],
    rules: [],
    checking: { SET_WITHOUT_RESET: 'off' },
    scope: ['Tag1'],
  });
}

test('500 rungs: only those in sight are drawn, and the last one is edited like the first', async ({ page }) => {
  await openDemo(page, 'logic', undefined, generated());
  const sheet = page.getByRole('application', { name: 'Rungs of Main' });
  await expect(page.getByRole('group', { name: 'Rung 1', exact: true })).toBeVisible();
  expect(await page.getByRole('group', { name: /^Rung \d+$/ }).count()).toBeLessThan(30);
  await sheet.evaluate((s) => {
    s.scrollTop = s.scrollHeight;
  });
  await sheet.evaluate((s) => {
    s.scrollTop = s.scrollHeight;
  });
  await expect(page.getByRole('group', { name: 'Rung 500', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Rung 500', exact: true }).click();
  await page.keyboard.press('/');
  await expect(page.getByText(/rev 2/).first()).toBeVisible();
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  const at = await scanOf(page);
  await expect.poll(() => scanOf(page)).toBeGreaterThan(at);
});

test('400 tags: found, scrolled and renamed with every use', async ({ page }) => {
  await openDemo(page, 'tags', undefined, generated());
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Tag1');
  const name = page.getByLabel('Name of Tag1', { exact: true });
  const link = page.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name: 'Logic' }),
    before = await link.boundingBox();
  await name.fill('FirstTag');
  await name.press('Enter');
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await expect(page.getByText('Not kept through the change')).toHaveCount(0);
  // What is told unasked takes nothing away from under the pointer.
  await page.getByLabel('Name of a new tag').fill('Spare');
  await page.keyboard.press('Enter');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Spare');
  const type = page.getByLabel('Type of Spare', { exact: true });
  await type.fill('LREAL');
  await type.press('Enter');
  await expect(page.getByText('Not kept through the change: Spare: was BOOL, is LREAL')).toBeVisible();
  expect(await link.boundingBox()).toEqual(before);
  await toArea(page, 'Logic');
  await expect(element(page, 1, 'FirstTag,')).toBeVisible();
});

test('an empty project says what to do in every area', async ({ page }) => {
  const empty = JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Empty',
    tags: [],
    types: [],
    pous: [{ id: 'p1', name: 'Main', language: 'LD', kind: 'program', rungs: [] }],
    tasks: [],
    machine: { devices: [] },
    checks: [],
    rules: [],
    scope: [],
  });
  await openDemo(page, 'logic', undefined, empty);
  await expect(page.getByText('No rungs yet.')).toBeVisible();
  await toArea(page, 'Tags');
  await expect(page.getByText('No tags yet. Type the first one below.')).toBeVisible();
  await toArea(page, 'Machine');
  await expect(page.getByText('This project has no machine model yet.')).toBeVisible();
  await toArea(page, 'Prove');
  await expect(page.getByRole('heading', { name: 'No checks yet' })).toBeVisible();
});

test('the help: keys, the rung line, the blocks with their text, and each rule of checking with how strict the project is about it', async ({
  page,
}) => {
  await openDemo(page, 'logic', undefined, generated().replace('"off"', '"warning"'));
  await expect(page.getByRole('button', { name: '500 problems' })).toBeVisible();
  await page.keyboard.press('?');
  const sheet = page.getByRole('dialog', { name: 'Help' });
  await expect(sheet).toContainText('normally open ↔ normally closed');
  await sheet.getByRole('tab', { name: 'The rung line' }).click();
  await expect(sheet).toContainText('Inst(PT := 300 ms)');
  await sheet.getByRole('tab', { name: 'Blocks' }).click();
  await sheet.getByRole('button', { name: 'TWO_HAND' }).click();
  await expect(sheet.getByLabel('Its text')).toContainText('FUNCTION_BLOCK TWO_HAND');
  await sheet.getByRole('button', { name: 'TON', exact: true }).click();
  await expect(sheet).toContainText('Q comes on when IN has been on for PT');
  await sheet.getByRole('tab', { name: 'Rules of checking' }).click();
  await sheet.getByRole('button', { name: /SET_WITHOUT_RESET/ }).click();
  await expect(sheet).toContainText('Found 500 times now');
  await sheet.getByRole('radio', { name: 'Off' }).check();
  await expect(sheet).toContainText('Found nowhere now');
  await page.keyboard.press('Escape');
  await expect(sheet).toBeHidden();
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: '500 problems' })).toBeVisible();
});

test('F1 is about what the cursor stands on: a problem, a block, an element', async ({ page }) => {
  await openDemo(page, 'logic', undefined, generated().replace('"off"', '"warning"'));
  await expect(page.getByRole('button', { name: '500 problems' })).toBeVisible();
  await element(page, 1, 'Tag5, coil').click();
  await page.keyboard.press('F1');
  const sheet = page.getByRole('dialog', { name: 'Help' });
  await expect(sheet.getByRole('heading', { name: /A tag is set and nothing ever resets it/ })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.press('?');
  await sheet.getByRole('tab', { name: 'Rules of checking' }).click();
  await sheet.getByRole('button', { name: /SET_WITHOUT_RESET/ }).click();
  await sheet.getByRole('radio', { name: 'Off' }).check();
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await element(page, 1, 'Tag4').click();
  await page.keyboard.press('F1');
  await expect(sheet.getByRole('heading', { name: 'TON' })).toBeVisible();
  await page.keyboard.press('Escape');
  await element(page, 1, 'Tag2').click();
  await page.keyboard.press('F1');
  await expect(sheet.getByRole('heading', { name: /^Contact, normally closed/ })).toBeVisible();
});

test('problems are those of the project that is open, from the first moment on', async ({ page }) => {
  await openDemo(page, 'logic', undefined, generated().replace('"off"', '"warning"'));
  await expect(page.getByRole('button', { name: '500 problems' })).toBeVisible();
  const other = generated().replace('Generated plant', 'A plant without problems');
  expect((await page.request.post(`http://127.0.0.1:${PORT}/api/projects`, { data: { file: other } })).status()).toBe(
    201,
  );
  await page.getByTitle('All projects').click();
  await page.evaluate(() => {
    new MutationObserver(() => {
      const title = document.querySelector('header [title="A plant without problems"]');
      if (title && document.querySelector('header')!.textContent!.includes('500 problems'))
        document.body.dataset['stale'] = 'yes';
    }).observe(document.body, { subtree: true, childList: true, characterData: true });
  });
  await page.getByText('A plant without problems').first().click();
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  expect(await page.evaluate(() => document.body.dataset['stale'])).toBe(undefined);
});

test('a project opened with an error says that nothing runs yet; mended, it runs', async ({ page }) => {
  const text = generated().replace('"off"', '"error"');
  const { id } = (await (
    await page.request.post(`http://127.0.0.1:${PORT}/api/projects`, { data: { file: text } })
  ).json()) as { id: string };
  await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/logic`);
  await expect(page.getByText('nothing runs yet')).toBeVisible();
  await page.keyboard.press('F8');
  await page.keyboard.press('F1');
  await page.getByRole('dialog', { name: 'Help' }).getByRole('radio', { name: 'Warning' }).check();
  await page.keyboard.press('Escape');
  await expect(page.getByText('nothing runs yet')).toBeHidden();
  await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000');
});

test('at 1024 pixels everything is still there', async ({ page }) => {
  await page.setViewportSize({ width: 1024, height: 700 });
  await openDemo(page, 'tags');
  const row = page.getByRole('row', { name: 'StopOK', exact: true });
  await expect(row.getByLabel('Description of StopOK')).toBeInViewport();
  await toArea(page, 'Logic');
  await expect(
    page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true }),
  ).toBeInViewport();
  const width = await page.evaluate(() => document.documentElement.scrollWidth);
  expect(width).toBeLessThanOrEqual(1024);
  // The whole of the top bar, to its last button.
  await expect(page.getByRole('button', { name: 'Help and shortcuts (?)' })).toBeInViewport({ ratio: 1 });
  await expect(page.getByRole('button', { name: 'Light or dark' })).toBeInViewport({ ratio: 1 });
});
