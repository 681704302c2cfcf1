/**
 * Writing a program as a person does: rungs by keys and by mouse, branches, the clipboard, tags, text, problems mended
 * by a key.
 */
import { type Page, expect, test } from '@playwright/test';
import { PORT, element, openDemo } from './ferrule.js';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

const EMPTY = {
  format: 'ferrule-project',
  version: 1,
  name: 'New machine',
  tags: [],
  types: [],
  tasks: [{ id: 'k', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
  pous: [{ id: 'p', name: 'Main', language: 'LD', kind: 'program', rungs: [] }],
  machine: { devices: [] },
  checks: [],
  rules: [],
  scope: [],
};
const withRungs = (lines: readonly string[], tags: readonly string[] = []) =>
  JSON.stringify({
    ...EMPTY,
    tags: tags.map((t, i) => ({ id: `t${i}`, name: t.split(' ')[0], type: t.split(' ')[1] ?? 'BOOL' })),
    pous: [{ ...EMPTY.pous[0], rungs: lines.map((line, i) => ({ id: `r${i}`, line })) }],
  });
const stored = async (page: Page, id: string) => {
  // What was pressed last is drawn by then, and says that it is being saved.
  await page.evaluate(
    () => new Promise<void>((r) => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(r)))),
  );
  await expect(page.getByText(/saving/)).toBeHidden();
  return (
    (await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}`, { maxRetries: 2 })).json()) as {
      document: {
        tags: { name: string; type: string; address?: string }[];
        pous: {
          name: string;
          rungs?: { line: string; comment?: string; heading?: string }[];
          text?: string;
          variables?: string;
        }[];
      };
    }
  ).document;
};
const lines = async (page: Page, id: string, pou = 0) => (await stored(page, id)).pous[pou]!.rungs!.map((r) => r.line);
/** Every key press, counted. */
function typist(page: Page) {
  let count = 0;
  return {
    get count() {
      return count;
    },
    async press(...keys: string[]) {
      for (const k of keys) {
        await page.keyboard.press(k);
        count++;
      }
    },
    async type(text: string) {
      for (const c of text) {
        await page.keyboard.type(c);
        count++;
      }
    },
  };
}
/** The runner's `openDemo` waits for the clock; an empty program has one too. */
const open = (page: Page, text: string) => openDemo(page, 'logic', undefined, text);

test('a seal-in rung with its comment, from nothing, in no more presses than its line has characters plus ten', async ({
  page,
}) => {
  const id = await open(page, JSON.stringify(EMPTY));
  const line = '(StartPB | Running) & StopOK -> Running';
  const keys = typist(page);
  await keys.press('Insert');
  await keys.type(`${line} // seals in`);
  await expect(page.getByRole('group', { name: 'The rung as typed' })).toBeVisible();
  await expect(page.getByRole('note')).toContainText('StartPB : BOOL %IX0.0, Running : BOOL, StopOK : BOOL %IX0.1');
  await keys.press('Control+Enter');
  await expect(element(page, 1, 'Running, coil')).toBeVisible();
  expect(keys.count).toBeLessThanOrEqual(`${line} // seals in`.length + 10);
  const { tags, pous } = await stored(page, id);
  expect(pous[0]!.rungs).toMatchObject([{ line, comment: 'seals in' }]);
  expect(tags.map((t) => [t.name, t.type, t.address])).toEqual([
    ['StartPB', 'BOOL', '%IX0.0'],
    ['Running', 'BOOL', undefined],
    ['StopOK', 'BOOL', '%IX0.1'],
  ]);
});

test('thirty rungs written with keys only, one after the other; undone and done again', async ({ page }) => {
  test.slow();
  const id = await open(page, JSON.stringify(EMPTY));
  await page.keyboard.press('Insert');
  for (let i = 1; i <= 30; i++) {
    await page.keyboard.insertText(
      i % 3 ? `(In${i} | Out${i}) & !Stop -> Out${i}` : `Out${i - 1} & Wait${i}(PT := ${i}00 ms) -> set Done${i}`,
    );
    await page.keyboard.press(i < 30 ? 'Shift+Enter' : 'Enter');
  }
  await expect(page.getByRole('button', { name: 'Rung 30', exact: true })).toBeVisible();
  const all = await lines(page, id);
  expect(all).toHaveLength(30);
  expect(all[2]).toBe('Out2 & Wait3(PT := 300 ms) -> set Done3');
  // The cursor stands on the last rung; moving up and changing a contact works on what it stands on.
  await page.keyboard.press('ArrowUp');
  await page.keyboard.press('Home');
  await page.keyboard.press('/');
  await expect.poll(async () => (await lines(page, id))[28]).toBe('(!In29 | Out29) & !Stop -> Out29');
  for (let i = 0; i < 5; i++) await page.keyboard.press('Control+z');
  await expect.poll(async () => (await lines(page, id)).length).toBe(26);
  for (let i = 0; i < 5; i++) await page.keyboard.press('Control+y');
  await expect.poll(async () => (await lines(page, id)).length).toBe(30);
  await expect.poll(async () => (await lines(page, id))[28]).toBe('(!In29 | Out29) & !Stop -> Out29');
});

test('a whole rung typed at an element stands below its rung; an arrow too many is answered with the line', async ({
  page,
}) => {
  const id = await open(page, withRungs(['A -> B', 'C -> D'], ['A', 'B', 'C', 'D']));
  await element(page, 1, 'A,').click();
  await page.keyboard.type('B & !C -> E');
  await expect(page.getByRole('note').first()).toHaveText('A whole rung: ⏎ puts it below this one');
  await page.keyboard.press('Control+Enter');
  await expect(element(page, 2, 'E, coil')).toBeVisible();
  // The cursor went along, so the next one stands below it.
  await page.keyboard.type('E -> F:TON(PT := 2 s) -> D');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('alert')).toContainText('Write E & F:TON(PT := 2 s) -> D');
  await page.keyboard.press('Control+a');
  await page.keyboard.type('E -> set D');
  // Left for something else it is kept there too.
  await element(page, 1, 'A,').click();
  expect(await lines(page, id)).toEqual(['A -> B', 'B & !C -> E', 'E -> set D', 'C -> D']);
  expect((await stored(page, id)).tags.map((t) => t.name)).toContain('E');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await expect.poll(() => lines(page, id)).toEqual(['A -> B', 'C -> D']);
});

test('branches by keys: around a run, closed further along, a part moved into a leg and out again', async ({
  page,
}) => {
  const id = await open(page, withRungs(['A & B & C & D -> Q'], ['A', 'B', 'C', 'D', 'M', 'Q', 'R']));
  const now = async () => (await lines(page, id))[0];
  await element(page, 1, 'A,').click();
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('|');
  await page.keyboard.type('M');
  await page.keyboard.press('Enter');
  expect(await now()).toBe('(A & B | M) & C & D -> Q');
  await page.keyboard.press(']');
  expect(await now()).toBe('(A & B & C | M) & D -> Q');
  await page.keyboard.press('[');
  await page.keyboard.press('[');
  expect(await now()).toBe('(A | M) & B & C & D -> Q');
  // M is under the cursor still; it moves up into the first leg and down to its own again.
  await page.keyboard.press('Control+ArrowUp');
  expect(await now()).toBe('A & M & B & C & D -> Q');
  await page.keyboard.press('Control+ArrowDown');
  expect(await now()).toBe('(A | M) & B & C & D -> Q');
  await page.keyboard.press('Control+ArrowRight');
  expect(await now()).toBe('A & M & B & C & D -> Q');
  // Two outputs, then each with a rung of its own.
  await page.keyboard.press('End');
  await page.keyboard.press('|');
  await page.keyboard.type('set R');
  await page.keyboard.press('Enter');
  await page.keyboard.press(',');
  expect(await lines(page, id)).toEqual(['A & M & B & C & D -> Q', 'A & M & B & C & D -> set R']);
  await page.keyboard.press('Control+z');
  expect(await now()).toBe('A & M & B & C & D -> Q, set R');
  // Arrows go where things stand: down to the second output, up again.
  await element(page, 1, 'Q,').click();
  await page.keyboard.press('ArrowDown');
  await expect(element(page, 1, 'R,')).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('ArrowUp');
  await expect(element(page, 1, 'Q,')).toHaveAttribute('aria-pressed', 'true');
});

test('parts and rungs go over the clipboard as text, also between programs; only the tag; rungs move', async ({
  page,
}) => {
  const id = await open(page, withRungs(['(A | B) & C -> Q', 'C -> R'], ['A', 'B', 'C', 'Q', 'R']));
  await element(page, 1, 'A,').click();
  await page.keyboard.press('Shift+ArrowRight');
  await page.keyboard.press('Control+c');
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe('A | B');
  await element(page, 2, 'C,').click();
  await page.keyboard.press('Control+v');
  expect((await lines(page, id))[1]).toBe('C & (A | B) -> R');
  await element(page, 1, 'Q,').click();
  await page.keyboard.press('Control+c');
  await element(page, 2, 'C,').click();
  await page.keyboard.press('Control+Shift+V');
  await expect(element(page, 2, 'Q,')).toBeVisible();
  expect((await lines(page, id))[1]).toBe('Q & (A | B) -> R');
  // Whole rungs, into a program of their own.
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Control+c');
  expect(await page.evaluate(() => navigator.clipboard.readText())).toBe('(A | B) & C -> Q\n\nQ & (A | B) -> R\n');
  await page.getByRole('button', { name: 'New program or block' }).click();
  await page.getByRole('menuitem', { name: 'Program in ladder' }).click();
  await page.getByLabel('Name of Program1').fill('Copy');
  await page.keyboard.press('Enter');
  await page.getByRole('application', { name: 'Rungs of Copy' }).focus();
  await page.keyboard.press('Control+v');
  await expect(page.getByRole('group', { name: 'Rung 2', exact: true })).toBeVisible();
  await page.keyboard.press('Alt+ArrowDown');
  expect(await lines(page, id, 1)).toEqual(['Q & (A | B) -> R', '(A | B) & C -> Q']);
  const { pous } = await stored(page, id);
  expect(pous.map((p) => p.name)).toEqual(['Main', 'Copy']);
  await page.getByRole('tab', { name: /Main/ }).click();
  await expect(page.getByRole('application', { name: 'Rungs of Main' })).toBeVisible();
});

test('by mouse: tags dragged onto a rung, a part dragged to another, the result shown before the drop', async ({
  page,
}) => {
  const id = await open(page, withRungs(['A -> Q', 'B & C -> R'], ['A', 'B', 'C', 'Q', 'R', 'Extra']));
  await page.getByRole('tablist', { name: 'Beside the logic' }).getByRole('tab', { name: 'Tags' }).click();
  const dragTo = async (from: { x: number; y: number }, to: { x: number; y: number }, drop = true) => {
    await page.mouse.move(from.x, from.y);
    await page.mouse.down();
    await page.mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2, { steps: 4 });
    await page.mouse.move(to.x, to.y, { steps: 4 });
    if (drop) await page.mouse.up();
  };
  const centre = async (l: ReturnType<typeof element>) => {
    const b = (await l.boundingBox())!;
    return { x: b.x + b.width / 2, y: b.y + b.height / 2 - 4, right: b.x + b.width - 6, below: b.y + b.height - 4 };
  };
  const tag = (await page
    .getByRole('region', { name: 'Tags to drag' })
    .getByText('Extra', { exact: true })
    .boundingBox())!;
  const a = await centre(element(page, 1, 'A,'));
  await dragTo({ x: tag.x + 5, y: tag.y + 5 }, { x: a.right, y: a.y }, false);
  // Shown as it would be, and not yet done.
  await expect(element(page, 1, 'Extra,')).toBeVisible();
  expect((await lines(page, id))[0]).toBe('A -> Q');
  await page.mouse.up();
  expect((await lines(page, id))[0]).toBe('A & Extra -> Q');
  // Below an element it becomes a leg; a part of another rung goes there and leaves its place.
  const c = await centre(element(page, 2, 'C,'));
  const again = await centre(element(page, 1, 'A,'));
  await dragTo({ x: c.x, y: c.y }, { x: again.x, y: again.below });
  expect(await lines(page, id)).toEqual(['(A | C) & Extra -> Q', 'B -> R']);
  // Dropped anywhere else it does nothing.
  const b = await centre(element(page, 2, 'B,'));
  await dragTo({ x: b.x, y: b.y }, { x: 700, y: 700 });
  expect((await lines(page, id))[1]).toBe('B -> R');
  await page
    .getByRole('toolbar', { name: 'Rung editing' })
    .getByRole('button', { name: /NO \/ NC/ })
    .click();
  expect((await lines(page, id))[1]).toBe('!B -> R');
});

test('all that a program uses undeclared is declared at once from the list of problems; a likely slip is left', async ({
  page,
}) => {
  const id = await open(page, withRungs(['Running -> Lamp'], ['Running', 'Lamp']));
  await element(page, 1, 'Running,').click();
  for (const rung of [
    'Runing & Level > 2.5 & Fresh -> Motor',
    'Running & Fresh & !Jammed -> Lamp2',
    'Wait2(PT := 1 s) -> Fresh',
  ]) {
    await page.keyboard.press('Insert');
    await page.keyboard.type(rung);
    await page.keyboard.press('Enter');
  }
  await page.getByRole('button', { name: /\d+ problems/ }).click();
  const list = page.getByRole('dialog', { name: 'Problems' });
  await expect(list).toContainText('Not declared in Main: Level, Fresh, Motor, Jammed, Lamp2 and 1 more');
  await expect(list).toContainText('Left out, likely slips in Main: Runing (Running?)');
  await list.getByRole('button', { name: 'Declare all 6' }).click();
  await expect(list.getByRole('button', { name: /Declare/ })).toHaveCount(0);
  await expect(list.getByText('Fresh')).toHaveCount(0);
  expect((await stored(page, id)).tags.map((t) => t.name)).toEqual([
    'Running',
    'Lamp',
    'Level',
    'Fresh',
    'Motor',
    'Jammed',
    'Lamp2',
    'Wait2',
  ]);
  // One step back takes all of it back.
  await page.keyboard.press('Escape');
  await element(page, 1, 'Running,').click();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: /[7-9] problems/ })).toBeVisible();
  expect((await stored(page, id)).tags.map((t) => t.name)).toEqual(['Running', 'Lamp']);
});

test('an unknown name is declared, a slip mended, each by one key and taken back by one', async ({ page }) => {
  const id = await open(page, withRungs(['Running -> Lamp'], ['Running', 'Lamp']));
  await element(page, 1, 'Running,').click();
  await page.keyboard.type('Runing');
  await page.keyboard.press('Enter');
  await expect(element(page, 1, 'Runing')).toHaveAccessibleName(/problem/);
  // Declaring comes first; the slip is the other fix, and each says what it does before it is done.
  await expect(page.getByRole('button', { name: /^Declare Runing : BOOL Ctrl\+\./ })).toBeVisible();
  await expect(page.getByRole('button', { name: /^Write Running/ })).toBeVisible();
  await page.keyboard.press('Control+>');
  await expect(page.getByRole('status').filter({ hasText: 'Write Running' })).toBeVisible();
  expect((await lines(page, id))[0]).toBe('Running & Running -> Lamp');
  await page.keyboard.press('Control+z');
  expect((await lines(page, id))[0]).toBe('Running & Runing -> Lamp');
  await page.keyboard.press('Delete');
  await page.keyboard.type('!FaultSeen');
  await page.keyboard.press('Enter');
  await expect(element(page, 1, 'FaultSeen')).toHaveAccessibleName(/problem/);
  await page.keyboard.press('Control+.');
  await expect(page.getByRole('status').filter({ hasText: 'Declare FaultSeen' })).toBeVisible();
  expect((await stored(page, id)).tags.map((t) => t.name)).toEqual(['Running', 'Lamp', 'FaultSeen']);
  // Two coils of one tag become one rung.
  await page.keyboard.press('Insert');
  await page.keyboard.type('FaultSeen -> Lamp');
  await page.keyboard.press('Enter');
  await expect(element(page, 2, 'Lamp')).toHaveAccessibleName(/driven by another coil/);
  await page.keyboard.press('End');
  await page.keyboard.press('Control+.');
  await expect(page.getByText('Join both into one rung')).toBeVisible();
  expect(await lines(page, id)).toEqual(['Running & !FaultSeen | FaultSeen -> Lamp']);
});

test('headings fold, the outline and the search jump, where used comes back by Alt+Left, rename is everywhere', async ({
  page,
}) => {
  const id = await openDemo(page);
  const sheet = page.getByRole('application', { name: 'Rungs of Cell' });
  await sheet.focus();
  await page.keyboard.press('-');
  await expect(page.getByRole('group', { name: 'Rung 1', exact: true })).toBeHidden();
  await expect(page.getByText('5 rungs')).toBeVisible();
  await page.keyboard.press('-');
  await expect(page.getByRole('group', { name: 'Rung 1', exact: true })).toBeVisible();
  await page.keyboard.press('Control+-');
  await expect(page.getByRole('group', { name: /^Rung \d+$/ })).toHaveCount(0);
  // A search opens what is folded.
  await page.keyboard.press('Control+k');
  await page.getByRole('combobox', { name: /Command or anything/ }).fill('dwell');
  await page.getByRole('option', { name: /Cell rung 13/ }).click();
  await expect(page.getByRole('group', { name: 'Rung 13', exact: true })).toBeVisible();
  // Where used, from the sheet, and back with the cursor where it was.
  await element(page, 13, 'DieDown').click();
  await page.keyboard.press('Shift+F12');
  const uses = page.getByRole('region', { name: 'Uses of DieDown' });
  await expect(uses.getByRole('button')).toHaveCount(2);
  await uses.getByRole('button', { name: /Machine Press/ }).click();
  await expect(page).toHaveURL(/machine/);
  await page.keyboard.press('Alt+ArrowLeft');
  await expect(element(page, 13, 'DieDown')).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('F12');
  await expect(page).toHaveURL(/tags\?tag=/);
  await page.keyboard.press('Alt+ArrowLeft');
  await element(page, 13, 'DieDown').click();
  await page.keyboard.press('F2');
  await page.getByRole('combobox', { name: 'New name' }).fill('DieAtBottom');
  await page.keyboard.press('Enter');
  await expect(element(page, 13, 'DieAtBottom')).toBeVisible();
  const { tags, pous } = await stored(page, id);
  expect(tags.some((t) => t.name === 'DieAtBottom')).toBe(true);
  expect(JSON.stringify(pous)).not.toContain('DieDown');
  await page.getByRole('tablist', { name: 'Beside the logic' }).getByRole('tab', { name: 'Outline' }).click();
  await page.getByRole('navigation', { name: 'Outline' }).getByRole('button', { name: 'Lamps and displays' }).click();
  await expect(page.getByRole('application', { name: 'Rungs of Stations' })).toBeVisible();
});

test('a rung becomes text and text becomes rungs, in the ladder and from the text editor', async ({ page }) => {
  const id = await open(page, withRungs(['(A | B) & !C -> Q'], ['A', 'B', 'C', 'Q']));
  await element(page, 1, 'A,').click();
  await page.keyboard.press('=');
  await expect.poll(() => lines(page, id)).toEqual(['-> { Q := (A OR B) AND NOT C; }']);
  await page.keyboard.press('=');
  await expect.poll(() => lines(page, id)).toEqual(['(A | B) & !C -> Q']);
});

test('structured text typed without a look at what is offered: every line is there, and stands where it belongs', async ({
  page,
}) => {
  const id = await open(page, JSON.stringify(EMPTY));
  await page.getByRole('button', { name: 'New program or block' }).click();
  await page.getByRole('menuitem', { name: 'Program in structured text' }).click();
  await page.keyboard.type('Dose');
  await page.keyboard.press('Enter');
  const text = page.getByRole('textbox', { name: 'Text of Dose' });
  await text.click();
  await page.keyboard.press('Control+a');
  const offered = page.getByRole('listbox').filter({ has: page.getByRole('option') });
  const written = [
    'PROGRAM Dose',
    'VAR',
    '  n : INT;',
    'END_VAR',
    'IF n > 3 THEN',
    '  CASE n OF',
    '    4:',
    '      n := 5;',
    '  END_CASE;',
    'ELSE',
    '  n := n + 1;',
    'END_IF;',
    'END_PROGRAM',
  ];
  for (const [i, line] of written.entries()) {
    if (i) await page.keyboard.press('Enter');
    await page.keyboard.type(line.trim());
    // The list has come where a word was typed last that it holds.
    if (/[A-Z]$/.test(line)) await expect(offered).toBeVisible();
    await page.waitForTimeout(120);
  }
  expect((await stored(page, id)).pous[1]!.text).toBe(written.join('\n'));
  // What the arrows marked is taken, and what is not whole yet.
  await page.keyboard.press('Enter');
  await page.keyboard.type('PROG');
  await expect(offered).toBeVisible();
  await page.waitForTimeout(120);
  await page.keyboard.press('Enter');
  await expect.poll(async () => (await stored(page, id)).pous[1]!.text).toBe(`${written.join('\n')}\nPROGRAM`);
});

test('structured text: completion by type, rename, definition, layout, as a rung, values beside the lines', async ({
  page,
}) => {
  const id = await openDemo(page);
  await page.getByRole('tab', { name: /PullCheck/ }).click();
  const text = page.getByRole('textbox', { name: 'Text of PullCheck' });
  await expect(text).toContainText('Peak := MAX(Peak, Force);');
  // Values and the branch taken stand beside the lines while the bench runs.
  await expect(page.locator('.cm-live').filter({ hasText: 'Start 0' }).first()).toBeVisible();
  await expect(page.locator('.cm-taken').first()).toContainText('Testing := FALSE;');
  await text.getByText('Wait(IN', { exact: false }).click();
  await page.keyboard.press('End');
  await page.keyboard.type('\nWait.');
  await expect(page.getByRole('option', { name: /ET/ })).toBeVisible();
  await page.keyboard.type('E');
  await expect(page.getByRole('option', { name: /ET/ })).toBeVisible();
  await page.waitForTimeout(250);
  await page.keyboard.press('Tab');
  await expect(text).toContainText('Wait.ET');
  for (let i = 0; i < 3; i++) await page.keyboard.press('Control+z');
  await expect(text).not.toContainText('Wait.ET');
  // Rename a local variable, everywhere in the block.
  await text.getByText('Testing := FALSE;').click({ position: { x: 40, y: 8 } });
  await page.keyboard.press('F2');
  await page.getByRole('textbox', { name: /Rename Testing/ }).fill('Pulling2');
  await page.keyboard.press('Enter');
  await expect(text).toContainText('Pulling2 := FALSE;');
  expect((await stored(page, id)).pous[2]!.text).not.toContain('Testing');
  // Layout: idempotent, undone by one key.
  await text.getByText('Done := FALSE;').click();
  await page.keyboard.press('Home');
  await page.keyboard.type('        ');
  await page.getByRole('button', { name: /Lay out/ }).click();
  await page.getByRole('button', { name: /Lay out/ }).click();
  await expect(page.getByRole('status').filter({ hasText: 'laid out already' })).toBeVisible();
  // The assignment as a rung.
  await page.keyboard.press('Escape');
  await text.getByText('Passed := FALSE;').click();
  await page.keyboard.press('Control+Shift+Enter');
  await expect(page.getByText('has no shape on a rung')).toBeVisible();
});

test('what a block of one’s own names for the first time is its own variable; known tags are none of it', async ({
  page,
}) => {
  const id = await open(page, withRungs([], ['Go', 'Lamp']));
  await page.getByRole('button', { name: 'New program or block' }).click();
  await page.getByRole('menuitem', { name: 'Function block in ladder' }).click();
  await page.keyboard.type('Latch');
  await page.keyboard.press('Enter');
  const sheet = page.getByRole('application', { name: 'Rungs of Latch' });
  await expect(sheet).toBeFocused();
  await page.keyboard.press('Insert');
  await page.keyboard.type('Go & Fresh & N > 3 -> Made');
  await expect(page.getByText('New: Fresh : BOOL, N : INT, Made : BOOL')).toBeVisible();
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('button', { name: /Own variables/ })).toContainText('3');
  await expect
    .poll(async () => (await stored(page, id)).pous[1])
    .toMatchObject({ variables: 'VAR\n  Fresh : BOOL;\n  N : INT;\n  Made : BOOL;\nEND_VAR\n' });
  expect((await stored(page, id)).tags.map((t) => t.name)).toEqual(['Go', 'Lamp']);
  // And by its fix, as an input.
  await page.keyboard.press('Insert');
  await page.keyboard.type('Reset & N > 5 -> Fresh');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: /^Declare Reset : BOOL as its own variable Ctrl\+\./ })).toBeVisible();
  await page.keyboard.press('Control+>');
  await expect
    .poll(async () => (await stored(page, id)).pous[1])
    .toMatchObject({ variables: expect.stringContaining('VAR_INPUT\n  Reset : BOOL;\nEND_VAR') as unknown });
  await expect(sheet).toBeFocused();
});

test('a ladder block of one’s own with variables, called from the program', async ({ page }) => {
  const id = await open(page, withRungs([], ['Go', 'Lamp']));
  await page.getByRole('button', { name: 'New program or block' }).click();
  await page.getByRole('menuitem', { name: 'Function block in ladder' }).click();
  await page.getByLabel('Name of Block1').fill('Latch');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('application', { name: 'Rungs of Latch' })).toBeVisible();
  await page.getByRole('button', { name: /Own variables/ }).click();
  const own = page.getByRole('table', { name: 'Own variables of Latch' });
  await page.getByLabel('Name of a new own variable').click();
  for (const [what, line] of [
    ['input', 'In : BOOL'],
    ['input', 'Limit : INT'],
    ['output', 'Q : BOOL'],
    ['inside', 'n : BOOL'],
  ] as const) {
    await page.getByLabel('What a new variable is').selectOption(what);
    await page.getByLabel('Name of a new own variable').click();
    await page.keyboard.type(line);
    await page.keyboard.press('Enter');
  }
  await expect(own.getByRole('row')).toHaveCount(5);
  // The type is picked from the list.
  await page.getByLabel('Type of n', { exact: true }).click();
  await page.keyboard.type('in');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Type of n', { exact: true })).toHaveValue('INT');
  await page.getByRole('button', { name: /Own variables/ }).click();
  await page.getByRole('application', { name: 'Rungs of Latch' }).focus();
  await page.keyboard.press('Insert');
  await page.keyboard.insertText('^In -> { n := n + 1; }');
  await page.keyboard.press('Shift+Enter');
  await page.keyboard.insertText('n >= Limit -> Q');
  await page.keyboard.press('Enter');
  expect((await stored(page, id)).pous[1]!.rungs).toHaveLength(2);
  expect((await stored(page, id)).pous[1]).toMatchObject({
    name: 'Latch',
    variables: expect.stringContaining('Limit : INT') as unknown,
  });
  // The program has its own instance of it.
  await page.getByRole('tab', { name: /Main/ }).click();
  await expect(page.getByRole('application', { name: 'Rungs of Main' })).toBeVisible();
  await page.getByRole('button', { name: /Own variables/ }).click();
  await page.getByRole('button', { name: 'As text' }).click();
  await page.getByRole('textbox', { name: 'Text of Main' }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.insertText('VAR Mine : Latch; END_VAR\n');
  await page.getByRole('button', { name: /Own variables/ }).click();
  await page.getByRole('application', { name: 'Rungs of Main' }).focus();
  await page.keyboard.press('Insert');
  await page.keyboard.insertText('Go & Mine(Limit := 3) -> Lamp');
  await page.keyboard.press('Enter');
  for (let i = 0; i < 3; i++) {
    await element(page, 1, 'Go,').click();
    await page.keyboard.press('1');
    await page.waitForTimeout(120);
    await page.keyboard.press('0');
    await page.waitForTimeout(120);
  }
  await expect(element(page, 1, 'Lamp, coil')).toHaveAccessibleName(/, power$/);
});
