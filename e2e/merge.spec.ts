/**
 * A colleague's version taken in: what they alone changed, what both did to choose, checked and played before it is
 * kept; and what git left.
 */
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { expect, test } from '@playwright/test';
import { type Project, mergeProjects, projectText } from '@ferrule/core/document';
import { projectToFolder } from '@ferrule/core/files';
import { demoText, openDemo, toArea } from './ferrule.js';

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-take-'));
test.afterAll(() => rmSync(temporary, { recursive: true, force: true }));
const demo = JSON.parse(demoText) as Project;
const ladder = demo.pous.find((p) => p.language === 'LD')!;
const tag = demo.tags.find((t) => t.address?.startsWith('%I'))!;
const theirs = (line: string): Project => ({
  ...demo,
  tags: demo.tags.map((t) => (t === tag ? { ...t, description: 'theirs says' } : t)),
  pous: demo.pous.map((p) =>
    p === ladder && p.language === 'LD'
      ? {
          ...p,
          rungs: p.rungs.map((r, i) =>
            i === 2 ? { ...r, line } : i === 4 ? { ...r, comment: 'Theirs, rung five.' } : r,
          ),
        }
      : p,
  ),
});

test('a colleague’s file is taken in: theirs by itself, both to be chosen, checked and played, kept, and undone', async ({
  page,
}) => {
  await openDemo(page, 'plan');
  const field = page.getByRole('textbox', { name: `Description of ${tag.name}` });
  await field.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('ours says');
  await page.keyboard.press('Enter');
  await page.getByRole('link', { name: /^rev \d+$/ }).click();
  const path = join(temporary, 'colleague.ferrule.json');
  writeFileSync(path, projectText(theirs(ladder.language === 'LD' ? ladder.rungs[2]!.line : '')));
  await page.getByRole('button', { name: 'Take in …' }).click();
  const [chooser] = await Promise.all([
    page.waitForEvent('filechooser'),
    page.getByRole('menuitem', { name: /colleague’s file/ }).click(),
  ]);
  await chooser.setFiles(path);
  const taken = page.getByRole('region', { name: 'Taken in' });
  await expect(taken.getByRole('status')).toContainText(
    '1 part would change here; both changed 1 place, 1 still to choose (ours stands there).',
  );
  await expect(taken.getByRole('status')).toContainText(/0 errors, \d+ warnings?; played: \d+ passed, 0 failed/);
  const both = taken.getByRole('region', { name: 'Changed by both' });
  await expect(both).toContainText('ours says');
  await expect(both).toContainText('theirs says');
  await expect(taken.getByRole('region', { name: 'What would change' })).toContainText('Theirs, rung five.');
  await both.getByRole('radio', { name: 'Take theirs' }).click();
  await expect(taken.getByRole('status')).toContainText('2 parts would change here; both changed 1 place, all chosen.');
  await taken.getByRole('button', { name: 'Keep', exact: true }).click();
  await expect(page.getByRole('region', { name: 'Compared' })).toBeVisible();
  await toArea(page, 'Plan');
  await expect(field).toHaveValue('theirs says');
  await page.keyboard.press('Control+z');
  await expect(field).toHaveValue('ours says');
});

test('a folder that breaks the logic says so before it is kept; what is no project is refused with why', async ({
  page,
}) => {
  await openDemo(page, 'revisions');
  const folder = join(temporary, 'theirs');
  for (const [path, text] of projectToFolder(theirs('Missing & -> X'))) {
    mkdirSync(dirname(join(folder, path)), { recursive: true });
    writeFileSync(join(folder, path), text);
  }
  const choose = async (item: RegExp, path: string) => {
    await page.getByRole('button', { name: 'Take in …' }).click();
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('menuitem', { name: item }).click(),
    ]);
    await chooser.setFiles(path);
  };
  await choose(/folder of text/, folder);
  const taken = page.getByRole('region', { name: 'Taken in' });
  await expect(taken.getByRole('status')).toContainText(/[1-9]\d* errors?/);
  await expect(taken.getByRole('list', { name: 'What is wrong with it' })).toBeVisible();
  await taken.getByRole('button', { name: 'Leave' }).click();
  const broken = join(temporary, 'broken.ferrule.json');
  writeFileSync(broken, projectText(demo).slice(0, 500));
  await choose(/colleague’s file/, broken);
  await expect(page.getByRole('alert')).toContainText('broken.ferrule.json: This is not JSON: line 7');
  const newer = join(temporary, 'newer.ferrule.json');
  writeFileSync(newer, projectText(demo).replace('"version": 1', '"version": 99'));
  await choose(/colleague’s file/, newer);
  await expect(page.getByRole('alert')).toContainText('open it with a newer Ferrule');
});

test('what a merge left is a problem wherever the project is opened, until each place is chosen in Revisions', async ({
  page,
}) => {
  const of = (mark: string, comment: string): Project => ({
    ...demo,
    tags: demo.tags.map((t) => (t === tag ? { ...t, description: mark } : t)),
    pous: demo.pous.map((p) =>
      p === ladder && p.language === 'LD'
        ? { ...p, rungs: p.rungs.map((r, i) => (i === 0 ? { ...r, comment } : r)) }
        : p,
    ),
  });
  const { project } = mergeProjects(demo, of('ours says', 'ours'), of('theirs says', 'theirs'));
  await openDemo(page, 'revisions', undefined, projectText(project));
  await expect(page.getByRole('button', { name: /^2 problems/ }).first()).toBeVisible();
  const left = page.getByRole('region', { name: 'Left by a merge' });
  await expect(left).toContainText('A merge left 2 places that both sides changed.');
  await left
    .getByRole('radiogroup', { name: new RegExp(`Tag ${tag.name}`) })
    .getByRole('radio', { name: 'Take theirs' })
    .click();
  await expect(left).toContainText('A merge left 1 place');
  await left.getByRole('radio', { name: 'Keep ours' }).click();
  await expect(left).toHaveCount(0);
  await expect(page.getByRole('button', { name: /^0 problems/ }).first()).toBeVisible();
});
