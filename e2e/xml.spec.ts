/**
 * IEC 61131-10 XML out of a project and into the list: what others do not see, and what does not come in, is said
 * first.
 */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, test } from '@playwright/test';
import { PORT, openDemo, toArea } from './ferrule.js';

const temporary = mkdtempSync(join(tmpdir(), 'ferrule-xml-'));
test.afterAll(() => rmSync(temporary, { recursive: true }));

test('a project goes out as XML and comes back whole; a changed contact and what is not known are seen', async ({
  page,
}) => {
  await openDemo(page, 'logic');
  await page.getByRole('button', { name: 'Files' }).click();
  await page.getByRole('menuitem', { name: 'Save as IEC 61131-10 XML' }).click();
  const dialog = page.getByRole('dialog', { name: 'Save as IEC 61131-10 XML' });
  await expect(dialog).toContainText('Carried beside it, which others pass over');
  await expect(dialog).toContainText('8 checks');
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    dialog.getByRole('button', { name: 'Save wire-end-crimp-cell.xml' }).click(),
  ]);
  const text = readFileSync((await download.path())!, 'utf8');
  expect(text).toContain('<Project xmlns=');

  const open = async (name: string, content: string) => {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    const path = join(temporary, name);
    writeFileSync(path, content);
    const [chooser] = await Promise.all([
      page.waitForEvent('filechooser'),
      page.getByRole('button', { name: 'Open a file' }).click(),
    ]);
    await chooser.setFiles(path);
  };
  await open('back.xml', text.replace('operand="StartPB"', 'operand="ResetPB"'));
  await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000');
  await expect(page.getByRole('button', { name: /^0 problems/ }).first()).toBeVisible();
  await toArea(page, 'Prove');
  await expect(page.getByRole('complementary', { name: 'Checks and rules' })).toContainText('Good cycle');
  await open('other.xml', text.replace('<GlobalNamespace>', '<GlobalNamespace><Gadget name="G"/>'));
  const said = page.getByRole('status').filter({ hasText: 'can be made of the file' });
  await expect(said).toContainText(/Line \d+: ‘Gadget’ G is not known here; it is left out\./);
  await said.getByRole('button', { name: 'Make it and open it' }).click();
  await expect(page.getByLabel('Simulated time')).toBeVisible();
  await open('cut.xml', text.slice(0, 5000));
  await expect(page.getByRole('alert')).toContainText(
    /cut\.xml: Line \d+, column \d+: this is no XML that can be read/,
  );
});
