/**
 * Around the logic: rows of tags, types, revisions, files, help, the palette, two windows; every view by axe, by
 * keyboard, at 200 %.
 */
import { readFileSync } from 'node:fs';
import AxeBuilder from '@axe-core/playwright';
import { type Locator, type Page, expect, test } from '@playwright/test';
import { PORT, demoText, element, openDemo, toArea } from './ferrule.js';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

interface Doc {
  readonly tags: {
    name: string;
    type: string;
    address?: string;
    description?: string;
    retain?: boolean;
    unit?: string;
  }[];
  readonly types: { text: string }[];
  readonly pous: { name: string; language: string; rungs?: { line: string }[] }[];
  readonly tasks: { interval: string; programs: string[] }[];
}
const stored = async (page: Page, id: string): Promise<Doc> => {
  await expect(page.getByText(/saving/)).toBeHidden();
  return (
    (await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}`, { maxRetries: 2 })).json()) as {
      document: Doc;
    }
  ).document;
};

test('two hundred rows from a spreadsheet: pasted, their fate shown, taken over as one and undone as one', async ({
  page,
}) => {
  const id = await openDemo(page, 'tags');
  const rows = [
    ...Array.from(
      { length: 197 },
      (_, i) => `Valve${String(i + 1).padStart(3, '0')}\tBOOL\t%QX${10 + (i >> 3)}.${i & 7}\tvalve ${i + 1}`,
    ),
    'StartPB\tBOOL\t%IX0.0\tThe start button',
    '9lives\tBOOL\t\t',
    'Valve001\tINT\t\t',
  ].join('\n');
  await page.evaluate((t) => navigator.clipboard.writeText(t), rows);
  await page.getByRole('row', { name: 'StartPB' }).click();
  await page.keyboard.press('Escape');
  await page.getByRole('textbox', { name: 'Name of a new tag' }).focus();
  await page.keyboard.press('Control+v');
  const dialog = page.getByRole('dialog', { name: 'Tags from rows' });
  await expect(dialog.getByRole('status')).toContainText(
    '200 rows: 197 new, 1 changes a tag, 0 as they are, 2 left out',
  );
  await expect(dialog).toContainText('9lives');
  await expect(dialog).toContainText('‘9lives’ is not a name');
  await expect(dialog).toContainText('The name stands in line 1 already.');
  await expect(dialog).toContainText('description: Start button → The start button');
  expect((await stored(page, id)).tags.some((t) => t.name === 'Valve001')).toBe(false);
  await dialog.getByRole('button', { name: 'Take 198 over' }).click();
  const { tags } = await stored(page, id);
  expect(tags.filter((t) => t.name.startsWith('Valve'))).toHaveLength(197);
  expect(tags[0]!.description).toBe('The start button');
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Valve197');
  await expect(page.getByRole('row', { name: 'Valve197' })).toBeVisible();
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('');
  await page.locator('body').click({ position: { x: 700, y: 70 } });
  await page.keyboard.press('Control+z');
  expect((await stored(page, id)).tags.filter((t) => t.name.startsWith('Valve'))).toHaveLength(0);
});

test('tags: a wrong file says where, a series, members down to bits, facts, what is saved as CSV', async ({ page }) => {
  const id = await openDemo(page, 'tags');
  await page.getByRole('button', { name: 'Import rows' }).click();
  const dialog = page.getByRole('dialog', { name: 'Tags from rows' });
  await dialog.getByRole('textbox', { name: 'Rows' }).click();
  await page.keyboard.insertText('12,BOOL\n13,BOOL');
  await expect(dialog.getByRole('alert')).toContainText('No column holds the names yet');
  // A list from elsewhere: its headers are understood, a column is said by hand, names are repaired.
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText(
    'Bezeichner\tDatentyp\tAdresse\tKlemme\nBottle present\tBOOL\tI9.0\tX1.1\nIF\tBOOL\tI9.1\tX1.2\nCount9\tCTU\t\t',
  );
  await expect(dialog.getByLabel('Column 3 holds')).toHaveValue('Address');
  await expect(dialog.getByLabel('Column 4 holds')).toHaveValue('');
  await dialog.getByLabel('Column 4 holds').selectOption('Description');
  await dialog.getByRole('button', { name: 'Take as BottlePresent' }).click();
  await dialog.getByRole('button', { name: 'Repair the name' }).click();
  await dialog.getByRole('button', { name: 'Take 3 over' }).click();
  // The first of them is shown, however far down the list it stands.
  await expect(page.getByRole('row', { name: 'BottlePresent' })).toBeInViewport();
  expect((await stored(page, id)).tags.slice(-3)).toMatchObject([
    { name: 'BottlePresent', type: 'BOOL', address: '%IX9.0', description: 'X1.1' },
    { name: 'IF1', type: 'BOOL', address: '%IX9.1', description: 'X1.2' },
    { name: 'Count9', type: 'CTU' },
  ]);
  const field = page.getByRole('textbox', { name: 'Name of a new tag' });
  await field.fill('Heater01..03');
  await field.press('Enter');
  await field.fill('Recipe[1..5]');
  await field.press('Enter');
  await field.fill('Status');
  await field.press('Enter');
  expect((await stored(page, id)).tags.slice(-5).map((t) => [t.name, t.type])).toEqual([
    ['Heater01', 'BOOL'],
    ['Heater02', 'BOOL'],
    ['Heater03', 'BOOL'],
    ['Recipe', 'ARRAY[1..5] OF BOOL'],
    ['Status', 'BOOL'],
  ]);
  await page.getByRole('searchbox', { name: 'Find tags' }).fill('Status');
  const type = page.getByRole('combobox', { name: 'Type of Status' });
  await type.fill('WORD');
  await type.press('Enter');
  await page.getByRole('button', { name: 'Members of Status' }).click();
  const bit = page.getByRole('row', { name: 'Status.3', exact: true });
  await bit.getByRole('button', { name: 'Force Status.3 on' }).click();
  await expect(page.getByRole('button', { name: '1 forced' })).toBeVisible();
  await expect(page.getByRole('textbox', { name: 'Value of Status' })).toHaveValue('8');
  await page.getByRole('row', { name: 'Status', exact: true }).click({ position: { x: 4, y: 8 } });
  await page.getByRole('textbox', { name: 'Unit of Status' }).fill('flags');
  await page.keyboard.press('Enter');
  await page.getByRole('checkbox', { name: 'retained' }).check();
  expect((await stored(page, id)).tags.at(-1)).toMatchObject({
    name: 'Status',
    type: 'WORD',
    unit: 'flags',
    retain: true,
  });
  const download = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Save as CSV' }).click();
  expect(readFileSync(await (await download).path(), 'utf8')).toContain('Status,WORD,,,,yes,,flags,,,,');
});

test('types as tables: members with their place and padding, values in order; the memory map', async ({ page }) => {
  const id = await openDemo(page, 'tags?view=types');
  await page.getByRole('button', { name: '+ Structure' }).click();
  const set = async (label: string, text: string) => {
    const f = page.getByLabel(label, { exact: true });
    await f.fill(text);
    await f.press('Enter');
  };
  await set('Type of member a', 'BOOL');
  await page.getByRole('button', { name: 'Member', exact: true }).click();
  await set('Type of member m2', 'DINT');
  await set('Description of member m2', 'pieces made');
  await expect(page.getByText('8 bytes, 3 of them padding')).toBeVisible();
  await expect(page.getByText('+3 pad')).toBeVisible();
  await page.getByRole('button', { name: 'm2 up' }).click();
  expect((await stored(page, id)).types.at(-1)!.text).toBe(
    'Structure1 : STRUCT\n  m2 : DINT; // pieces made\n  a : BOOL;\nEND_STRUCT;',
  );
  await page
    .getByRole('list', { name: 'Types' })
    .getByRole('button', { name: /CellStep/ })
    .click();
  await page.getByRole('button', { name: 'Value', exact: true }).click();
  await set('Name of value Value9', 'Cleaning');
  expect((await stored(page, id)).types[0]!.text).toContain('Ejecting, Cleaning)');
  await set('Name of type CellStep', 'Stage');
  const { types, tags } = await stored(page, id);
  expect([types[0]!.text.startsWith('Stage : ('), tags.find((t) => t.name === 'Step')!.type]).toEqual([true, 'Stage']);
  await page.getByRole('tab', { name: 'Memory map' }).click();
  const inputs = page.getByRole('region', { name: 'Inputs' });
  await expect(inputs.getByRole('link', { name: 'StartPB' })).toBeVisible();
  await inputs.getByRole('button', { name: '+ Module' }).click();
  await set('Bytes of Inputs 1', '3');
  await expect(inputs.getByRole('note')).toContainText('On no module: WireOut');
  await set('Bytes of Inputs 1', '0');
  await expect(page.getByRole('alert')).toContainText('at least one byte');
});

test('revisions: named, compared with what changed marked, an old one brought back and that undone', async ({
  page,
}) => {
  const id = await openDemo(page);
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('/');
  await page.getByRole('link', { name: /^rev / }).click();
  await page.getByRole('button', { name: 'Name this one' }).click();
  // Nothing is named before somebody names it.
  await expect(page.getByRole('textbox', { name: /Name of revision 2/ })).toHaveCount(0);
  await page.keyboard.type('Stop turned round');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('textbox', { name: /Name of revision 2/ })).toHaveValue('Stop turned round');
  await expect(page.getByText('1 difference from rev 1 to Now, rev 2')).toBeVisible();
  const row = page.getByRole('region', { name: 'Cell · rung 1' });
  await expect(row.getByRole('group')).toHaveCount(2);
  await expect(row.getByRole('button', { name: /^StopOK, contact normally open/ })).toBeVisible();
  await expect(row.getByRole('button', { name: /^StopOK, contact normally closed/ })).toBeVisible();
  await page.getByRole('button', { name: 'Bring rev 1 back' }).click();
  await expect(element(page, 1, 'StopOK')).toHaveAccessibleName(/normally open/);
  await page.keyboard.press('Control+z');
  await expect(element(page, 1, 'StopOK')).toHaveAccessibleName(/normally closed/);
  await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/revisions`);
  await expect(page.getByRole('textbox', { name: /Name of revision 2/ })).toHaveValue('Stop turned round');
});

test('files: the folder of text and back, structured text out and in, what is broken changes nothing', async ({
  page,
}) => {
  const id = await openDemo(page);
  const save = async (item: string) => {
    await page.getByRole('button', { name: 'Files' }).click();
    const d = page.waitForEvent('download');
    await page.getByRole('menuitem', { name: item }).click();
    return (await d).path();
  };
  const zip = await save('Save as a folder of text');
  await page.getByRole('button', { name: 'Files' }).click();
  await page.getByRole('menuitem', { name: 'Save as structured text' }).click();
  const out = page.getByRole('dialog', { name: 'Save as structured text' });
  await expect(out).toContainText('The machine with its');
  await expect(out.getByLabel('The text')).toContainText('FUNCTION_BLOCK PullCheck');
  const d = page.waitForEvent('download');
  await out.getByRole('button', { name: /^Save / }).click();
  const text = readFileSync(await (await d).path(), 'utf8');
  // Text with an error comes in with it; a name that is a ladder stays out.
  await page.getByLabel('Structured text file').setInputFiles({
    name: 'more.st',
    mimeType: 'text/plain',
    buffer: Buffer.from(
      'FUNCTION Twice : INT\nVAR_INPUT x : INT; END_VAR\nTwice := x * ;\nEND_FUNCTION\nPROGRAM Cell END_PROGRAM',
    ),
  });
  const dialog = page.getByRole('dialog', { name: 'Take more.st in' });
  await expect(dialog).toContainText('FUNCTION Twice');
  await expect(dialog).toContainText('PROGRAM Cell: there is a ladder of that name');
  await expect(dialog).toContainText('Line 3:');
  await dialog.getByRole('button', { name: 'Take it in' }).click();
  // What came in is what is shown.
  await expect(page.getByRole('tab', { name: /Twice/ })).toHaveAttribute('aria-selected', 'true');
  expect((await stored(page, id)).pous.map((p) => p.name)).toEqual(['Cell', 'Stations', 'PullCheck', 'Twice']);
  expect(text).toContain('Running := (StartPB OR Running) AND StopOK');
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await expect(page.getByRole('heading', { name: 'Ferrule' })).toBeVisible();
  const input = page.getByLabel('Project file');
  await input.setInputFiles({
    name: 'broken.zip',
    mimeType: 'application/zip',
    buffer: readFileSync(zip).subarray(0, 900),
  });
  await expect(page.getByRole('alert')).toContainText('broken.zip cannot be unpacked');
  // Other tests make projects at the same time: what counts is that this page made and opened none.
  const made: string[] = [];
  page.on('response', (r) => {
    if (r.request().method() === 'POST' && r.status() === 201) made.push(r.url());
  });
  await input.setInputFiles({
    name: 'newer.json',
    mimeType: 'application/json',
    buffer: Buffer.from('{"format":"ferrule-project","version":99}'),
  });
  await expect(page.getByRole('alert')).toContainText('open it with a newer Ferrule');
  expect(made).toEqual([]);
  await expect(page).toHaveURL(/:\d+\/$/);
  await input.setInputFiles({ name: 'cell.zip', mimeType: 'application/zip', buffer: readFileSync(zip) });
  await expect(page).toHaveURL(/logic$/);
  const copy = /projects\/([^/]+)/.exec(page.url())![1]!;
  const original = JSON.parse(readFileSync('examples/wire-end-crimp-cell.ferrule.json', 'utf8')) as unknown;
  expect(await stored(page, copy)).toEqual(original);
});

/** What a file manager does when a file is let go over a part of the page; whether the page took it. */
const dropFile = (where: Locator, name: string, text: string): Promise<boolean> =>
  where.evaluate(
    (element, [name, text]) => {
      const dataTransfer = new DataTransfer();
      dataTransfer.items.add(new File([text!], name!));
      const sent = (type: string) =>
        element.dispatchEvent(new DragEvent(type, { bubbles: true, cancelable: true, dataTransfer }));
      return !sent('dragover') && !sent('drop');
    },
    [name, text],
  );

test('a file dropped anywhere is taken in or told about, and does not make the browser leave', async ({ page }) => {
  const id = await openDemo(page);
  const sheet = page.getByRole('main');
  expect(await dropFile(sheet, 'photo.png', 'x')).toBe(true);
  await expect(page.getByText(/‘photo.png’ cannot be dropped here/)).toBeVisible();
  expect(await dropFile(sheet, 'twice.st', 'FUNCTION Twice : INT\nVAR_INPUT x : INT; END_VAR\nTwice := x * 2;')).toBe(
    true,
  );
  await expect(page.getByRole('dialog', { name: 'Take twice.st in' })).toContainText('FUNCTION Twice');
  await page.keyboard.press('Escape');
  await toArea(page, 'Plan');
  await page.getByRole('button', { name: 'Steps from a table' }).click();
  const steps = page.getByRole('dialog', { name: 'Steps from a table' });
  expect(await dropFile(steps, 'steps.csv', 'Step;On;Until\nFill;Valve;Full')).toBe(true);
  await expect(steps.getByLabel('Table of steps')).toHaveValue(/Fill;Valve;Full/);
  // The dialog took it: it is not told about as dropped elsewhere.
  await expect(page.getByText('‘steps.csv’')).toHaveCount(0);
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await expect(page.getByRole('heading', { name: 'Ferrule' })).toBeVisible();
  expect(await dropFile(page.getByRole('heading', { name: 'Ferrule' }), 'broken.json', '{')).toBe(true);
  await expect(page.getByRole('alert')).toContainText('This is not JSON: line 1, column 2');
  expect(await dropFile(page.getByRole('heading', { name: 'Ferrule' }), 'cell.json', demoText)).toBe(true);
  await expect(page).toHaveURL(/logic$/);
  expect(page.url()).not.toContain(id);
});

test('help: an element and a block with their charts, worked by hand on the engine; the palette finds commands', async ({
  page,
}) => {
  await openDemo(page);
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('F1');
  const help = page.getByRole('dialog', { name: 'Help' });
  await expect(help.getByRole('heading', { name: /Contact, normally open/ })).toBeVisible();
  await help.getByRole('button', { name: 'Set coil', exact: true }).click();
  await expect(help.getByRole('img', { name: /Timing chart: A, B, Q/ })).toBeVisible();
  const q = help.getByRole('button', { name: /^Q, coil/ }).first();
  await expect(q).toHaveAccessibleName(/no power/);
  const hold = help.getByRole('button', { name: 'Hold A' });
  await hold.hover();
  await page.mouse.down();
  await expect(q).toHaveAccessibleName(/set, power/);
  await page.mouse.up();
  await help.getByRole('tab', { name: 'Blocks' }).click();
  await help.getByRole('button', { name: 'TOF', exact: true }).click();
  await expect(help.getByRole('img', { name: /Timing chart: In, Timer.ET, Lamp/ })).toBeVisible();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+k');
  const palette = page.getByRole('combobox', { name: /Command or anything/ });
  await palette.fill('memory');
  await palette.press('Enter');
  await expect(page).toHaveURL(/view=memory/);
});

test('About lists every package with its licence, and its text', async ({ page }) => {
  await openDemo(page, 'logic');
  await page.keyboard.press('?');
  await page.getByRole('tab', { name: 'About' }).click();
  await expect(
    page.getByText(/under the MIT licence\. It is made with \d{3} packages of others: \d+ MIT/),
  ).toBeVisible();
  await page.getByLabel('Search packages and licences').click();
  await page.keyboard.type('fast-png');
  const list = page.getByRole('list', { name: 'Packages and their licences' });
  await expect(list.getByRole('listitem')).toHaveCount(0);
  await page.keyboard.press('Control+a');
  await page.keyboard.type('papaparse');
  await expect(list.getByRole('listitem')).toHaveCount(1);
  await list.getByText('papaparse').click();
  await expect(list).toContainText('Permission is hereby granted, free of charge');
});

test('two windows on one project: the second is told, and nobody’s work is lost', async ({ page, context }) => {
  const id = await openDemo(page);
  const other = await context.newPage();
  await other.goto(`http://127.0.0.1:${PORT}/projects/${id}/logic`);
  await expect(element(other, 1, 'StopOK')).toBeVisible();
  // The second one cannot save for a while, and holds a change of its own.
  await other.route('**/edits', (route) => route.abort());
  await element(other, 2, 'ResetPB').click();
  await other.keyboard.press('/');
  await expect(other.getByRole('alert')).toContainText('Not saved yet.');
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('/');
  await expect(page.getByRole('link', { name: 'rev 2' })).toBeVisible();
  await other.unroute('**/edits');
  await expect(other.getByRole('alert')).toContainText('changed in another window');
  await other.getByRole('button', { name: 'Put mine on top' }).click();
  await expect(other.getByRole('link', { name: 'rev 3' })).toBeVisible();
  const { pous } = await stored(other, id);
  expect([pous[0]!.rungs![0]!.line.includes('!StopOK'), pous[0]!.rungs![1]!.line.startsWith('!ResetPB')]).toEqual([
    true,
    true,
  ]);
});

test('two windows on one project: one that holds nothing of its own follows the other, not while a field is typed in', async ({
  page,
  context,
}) => {
  const id = await openDemo(page);
  const other = await context.newPage();
  await other.goto(`http://127.0.0.1:${PORT}/projects/${id}/logic`);
  await expect(element(other, 1, 'StopOK')).toBeVisible();
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('/');
  await expect(element(other, 1, 'StopOK')).toHaveAccessibleName(/normally closed/);
  await expect(other.getByRole('link', { name: 'rev 2' })).toBeVisible();
  await expect(other.getByRole('button', { name: '0 problems' })).toBeVisible();
  // Both ways, and what was done before is taken back on top of it.
  await element(other, 2, 'ResetPB').click();
  await other.keyboard.press('/');
  await expect(element(page, 2, 'ResetPB')).toHaveAccessibleName(/normally closed/);
  await page.keyboard.press('Control+z');
  await expect(element(page, 1, 'StopOK')).not.toHaveAccessibleName(/normally closed/);
  await expect(element(other, 1, 'StopOK')).not.toHaveAccessibleName(/normally closed/);
  await expect(element(other, 2, 'ResetPB')).toHaveAccessibleName(/normally closed/);
  // What is being typed is not disturbed; what the other did comes when it is left.
  await other.bringToFront();
  await other.getByLabel('Comment of rung 2').click();
  await other.keyboard.type('Only after ');
  await page.bringToFront();
  await element(page, 1, 'StopOK').click();
  await page.keyboard.press('/');
  await expect(page.getByRole('link', { name: 'rev 5' })).toBeVisible();
  await other.bringToFront();
  await other.waitForTimeout(500);
  await expect(other.getByRole('link', { name: 'rev 4' })).toBeVisible();
  await expect(other.getByLabel('Comment of rung 2')).toHaveValue(/Only after $/);
  await other.keyboard.press('Escape');
  await element(other, 3, '').first().focus();
  await expect(other.getByRole('link', { name: 'rev 5' })).toBeVisible();
  await expect(element(other, 1, 'StopOK')).toHaveAccessibleName(/normally closed/);
});

test('what another window saved does not take the text out of a field that is being typed in, though it was asked for before', async ({
  page,
  context,
}) => {
  const id = await openDemo(page, 'tags');
  const other = await context.newPage();
  await other.goto(`http://127.0.0.1:${PORT}/projects/${id}/tags`);
  const field = (p: Page) => p.getByLabel('Description of StopOK');
  await expect(field(other)).toBeVisible();
  let isAsked = false;
  await other.route(`**/api/projects/${id}`, async (route) => {
    isAsked = true;
    await new Promise((r) => setTimeout(r, 3000));
    await route.continue();
  });
  await page.bringToFront();
  await field(page).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Seen 414');
  await page.keyboard.press('Enter');
  await expect.poll(() => isAsked).toBe(true);
  await field(other).click();
  await other.keyboard.press('Control+a');
  await other.keyboard.type('Seen 92');
  await other.waitForTimeout(4000);
  await expect(field(other)).toHaveValue('Seen 92');
  await expect(field(other)).toBeFocused();
  await other.keyboard.press('Enter');
  await expect(field(other)).toHaveValue('Seen 92');
  // Both changed it: that is asked.
  await expect(other.getByRole('alert')).toContainText('changed in another window');
});

const VIEWS = [
  'plan',
  'logic',
  'logic?pou=PULL',
  'tags',
  'tags?view=types',
  'tags?view=memory',
  'machine',
  'prove',
  'controller',
  'revisions',
  'print',
];

for (const theme of ['light', 'dark'] as const) {
  test(`no serious accessibility findings in any view, ${theme}`, async ({ page }) => {
    // Fourteen views, each looked through whole; on a busy machine that takes its time.
    test.setTimeout(360_000);
    await page.emulateMedia({ colorScheme: theme });
    const id = await openDemo(page);
    const pull = (
      (await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}`)).json()) as {
        document: { pous: { id: string; language: string }[] };
      }
    ).document.pous.find((p) => p.language === 'ST')!.id;
    const check = async (what: string) => {
      const { violations } = await new AxeBuilder({ page }).analyze();
      expect(
        violations
          .filter((v) => v.impact === 'serious' || v.impact === 'critical')
          .map(
            (v) =>
              `${what}: ${v.id}: ${v.nodes
                .slice(0, 3)
                .map((n) => `${n.target.join(' ')} ${n.failureSummary?.split('\n')[1] ?? ''}`)
                .join(' | ')}`,
          ),
      ).toEqual([]);
    };
    for (const view of VIEWS) {
      await page.goto(`http://127.0.0.1:${PORT}/projects/${id}/${view.replace('PULL', pull)}`);
      await expect(page.getByRole('main')).toBeVisible();
      await page.waitForTimeout(700);
      await check(view);
    }
    await page.keyboard.press('F1');
    await page.waitForTimeout(500);
    await check('help');
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await expect(page.getByRole('heading', { name: 'Ferrule' })).toBeVisible();
    await check('projects');
  });
}

test('at 200 % everything is still reached', async ({ page }) => {
  // A screen of 1280x800 at 200 % is one of 640x400.
  await page.setViewportSize({ width: 640, height: 400 });
  await openDemo(page);
  await element(page, 1, 'StartPB').click();
  await page.keyboard.press('/');
  await expect(element(page, 1, 'StartPB')).toHaveAccessibleName(/normally closed/);
  for (const area of ['Tags', 'Machine', 'Prove', 'Controller']) {
    await page.getByRole('navigation', { name: 'Areas' }).getByRole('link', { name: area }).click();
    await expect(page.getByRole('main')).toBeVisible();
    expect(await page.evaluate(() => document.documentElement.scrollWidth <= window.innerWidth + 1)).toBe(true);
  }
  await page.keyboard.press('?');
  const box = (await page.getByRole('dialog', { name: 'Help' }).boundingBox())!;
  expect(box.x >= 0 && box.y >= 0 && box.x + box.width <= 640 && box.y + box.height <= 400).toBe(true);
});

test('by keyboard through a view: the focus is always seen', async ({ page }) => {
  await openDemo(page, 'tags');
  const seen = new Set<string>();
  for (let i = 0; i < 40; i++) {
    await page.keyboard.press('Tab');
    const at = await page.evaluate(() => {
      const e = document.activeElement as HTMLElement;
      const s = getComputedStyle(e);
      return {
        what: `${e.tagName} ${e.getAttribute('aria-label') ?? e.textContent?.slice(0, 20)}`,
        shown:
          e === document.body ||
          s.outlineStyle !== 'none' ||
          s.boxShadow !== 'none' ||
          s.borderColor.includes('181, 82, 26'),
      };
    });
    expect(at).toMatchObject({ shown: true });
    seen.add(at.what);
  }
  expect(seen.size).toBeGreaterThan(30);
});

test('a text file opened from the list of projects becomes a project; what is wrong with one is said before', async ({
  page,
}) => {
  const open = async (name: string, text: string) => {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await page.getByLabel('Project file').setInputFiles({ name, mimeType: 'text/plain', buffer: Buffer.from(text) });
  };
  await open('Mixing plant.st', 'PROGRAM Mixing VAR Runs : BOOL; END_VAR Runs := TRUE; END_PROGRAM');
  await expect(page).toHaveURL(/\/logic$/);
  await expect(page.getByRole('tab', { name: /^Mixing/ })).toBeVisible();
  await expect(page.getByText('0 problems')).toBeVisible();
  await open('Half.st', 'PROGRAM Half VAR Runs : BOOL; END_VAR Runs := ; END_PROGRAM');
  await expect(page.getByText('‘Half’ can be made of the file.')).toBeVisible();
  await expect(page.getByText(/^Line 1: /)).toBeVisible();
  await page.getByRole('button', { name: 'Make it and open it' }).click();
  await expect(page).toHaveURL(/\/logic$/);
  await open('letter.txt', 'Dear all, see you on Monday.');
  await expect(page.getByRole('alert')).toContainText('nothing was changed');
});

test('a new project asked for twice in a row is one project', async ({ page }) => {
  const made: string[] = [];
  page.on('request', (r) => {
    if (r.method() === 'POST' && r.url().endsWith('/api/projects')) made.push(r.url());
  });
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.keyboard.type('Twice');
  await page.getByRole('button', { name: 'Create', exact: true }).dblclick();
  await expect(page).toHaveURL(/\/logic$/);
  expect(made).toHaveLength(1);
});

test('deleted projects are kept: several, and after the page was loaded anew, each is brought back from the list', async ({
  page,
}) => {
  const home = `http://127.0.0.1:${PORT}/`,
    stamp = Date.now(),
    names = [`Gone A ${stamp}`, `Gone B ${stamp}`];
  for (const name of names) await page.request.post(`${home}api/projects`, { data: { name } });
  await page.goto(home);
  const list = page.getByRole('list', { name: 'Projects', exact: true });
  for (const name of names) {
    await list.getByRole('button', { name: `Delete ${name}` }).click();
    await page.getByRole('button', { name: `Yes, delete ${name}` }).click();
    await expect(page.getByText(`‘${name}’ is deleted.`)).toBeVisible();
  }
  await page.reload();
  await page.getByText(/^\d+ deleted projects?$/).click();
  const deleted = page.getByRole('list', { name: 'Deleted projects' });
  for (const name of names) await deleted.getByRole('button', { name: `Bring ${name} back` }).click();
  for (const name of names) {
    await expect(list.getByRole('link', { name, exact: true })).toBeVisible();
    await expect(deleted.getByText(name)).toHaveCount(0);
  }
});
