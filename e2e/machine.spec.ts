/** A machine assembled from nothing: devices, tags from their terminals, wires by name, moving on the bench. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { type Page, expect, test } from '@playwright/test';
import { emptyProject } from '@ferrule/core/document';
import { PORT, demoText, openDemo, openReport, root, toArea } from './ferrule.js';

test('from an empty project to a moving machine of three devices', async ({ page }) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.getByLabel('Name of the new project').fill(`Belt ${Date.now()}`);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await toArea(page, 'Machine');
  const add = async (kind: RegExp, name: string, made: string) => {
    await page.getByRole('button', { name: 'Add device' }).click();
    await page.getByRole('listbox', { name: 'Kinds of devices' }).getByRole('option', { name: kind }).click();
    const field = page.getByRole('textbox', { name: `Name of the device ${made}` });
    await field.fill(name);
    await field.press('Enter');
    await expect(page.getByRole('textbox', { name: `Name of the device ${name}` })).toBeVisible();
  };
  await add(/^Push Button/, 'Start', 'PushButton');
  await add(/^Conveyor/, 'Belt', 'Conveyor');
  await add(/^Motor/, 'Fan', 'Motor');
  await expect(page.getByRole('status').filter({ hasText: 'not wired' })).toBeVisible();
  await page.getByRole('button', { name: 'Make the missing tags' }).click();
  await expect(page.getByRole('combobox', { name: 'Wire of Start.NO' })).toHaveValue('StartPB');
  await expect(page.getByRole('combobox', { name: 'Wire of Belt.Run' })).toHaveValue('BeltRun');
  // Two rungs, and it moves.
  await toArea(page, 'Logic');
  await page.getByRole('application').focus();
  for (const line of ['StartPB | BeltRun -> BeltRun', 'BeltRun -> FanRun']) {
    await page.keyboard.press('Insert');
    await page.getByRole('combobox', { name: 'New rung as a line' }).fill(line);
    await page.keyboard.press('Enter');
  }
  await toArea(page, 'Machine');
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await page.waitForTimeout(200);
  await page.mouse.up();
  await page.getByRole('button', { name: /Belt: put/ }).click();
  await expect(page.getByRole('img', { name: 'The machine' })).toContainText('100 %');
  await expect(page.getByRole('row', { name: /^gives Total/ })).toContainText('1', { timeout: 60_000 });
});

test('a terminal is wired by a part of a tag’s name; a tag without an address is said, and gets one by a key', async ({
  page,
}) => {
  const tags = [
    { id: 'a', name: 'StartPB', type: 'BOOL', address: '%IX0.0' },
    { id: 'b', name: 'BasinFull', type: 'BOOL', description: 'Upper switch' },
    { id: 'c', name: 'FillValve', type: 'BOOL', address: '%QX0.0' },
    { id: 'd', name: 'BasinLevel', type: 'REAL', address: '%ID4' },
  ];
  const rungs = [{ id: 'r', line: 'StartPB & !BasinFull & BasinLevel < 90.0 -> FillValve' }];
  const devices = [
    { id: 'x', name: 'Basin', type: 'Tank', wires: {} },
    { id: 'y', name: 'Tap', type: 'Valve', wires: {} },
  ];
  await openDemo(
    page,
    'machine',
    PORT,
    JSON.stringify({
      ...emptyProject('Basin'),
      tags,
      pous: [{ id: 'm', name: 'Main', language: 'LD', kind: 'program', rungs }],
      machine: { devices },
    }),
  );
  await page.getByRole('combobox', { name: 'Wire of Basin.High' }).click();
  const offered = (terminal: string) =>
    page.getByRole('listbox', { name: `Choices for Wire of Basin.${terminal}` }).getByRole('option');
  // Of its type; what the logic switches is not offered for what the tank gives.
  await expect(offered('High')).toHaveText([/^StartPB/, /^BasinFull.*Upper switch/]);
  await page.keyboard.type('full');
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'Wire of Basin.High' })).toHaveValue('BasinFull');
  await page.getByRole('combobox', { name: 'Wire of Basin.Level' }).click();
  await expect(offered('Level')).toHaveText([/^BasinLevel/]);
  await page.keyboard.press('Escape');
  // What is wired already comes last, and says where.
  await page.getByRole('combobox', { name: 'Wire of Basin.LowOK' }).click();
  await expect(offered('LowOK').last()).toContainText('wired to Basin.High');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('button', { name: '1 problem' })).toBeVisible();
  await page.keyboard.press('F8');
  const details = page.getByRole('complementary', { name: 'Chosen tag' });
  await expect(details).toContainText(
    "'BasinFull' is wired to Basin.High and has no address: at a controller nothing sets it.",
  );
  await expect(details.getByRole('button', { name: 'Give BasinFull the address %IX0.1' })).toBeVisible();
  await page.keyboard.press('Control+.');
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
  await expect(page.getByLabel('Address of BasinFull')).toHaveValue('%IX0.1');
});

test('a tag driven by two terminals is marked; a parameter, a wrong one said; a device deleted and brought back', async ({
  page,
}) => {
  await openDemo(page, 'machine');
  await openWiring(page);
  const wire = page.getByRole('combobox', { name: 'Wire of Stop.NO' });
  await wire.fill('StartPB');
  await wire.press('Enter');
  await expect(page.getByText('another terminal drives this too').first()).toBeVisible();
  await page.keyboard.press('Control+z');
  await expect(page.getByText('another terminal drives this too')).toHaveCount(0);
  await page.getByRole('button', { name: 'more of Clamp', exact: true }).click();
  const travel = page.getByRole('textbox', { name: 'Travel of Clamp' });
  await travel.fill('fast');
  await travel.press('Enter');
  await expect(page.getByRole('button', { name: /problem/ }).first()).not.toHaveText(/^0 problems/);
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await page.getByRole('button', { name: 'Delete the device Track', exact: true }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the device Track', exact: true })).toBeHidden();
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('textbox', { name: 'Name of the device Track', exact: true })).toBeVisible();
});

test('every example that ships opens and runs', async ({ page }) => {
  const examples = (await (await page.request.get(`http://127.0.0.1:${PORT}/api/examples`)).json()) as {
    id: string;
    name: string;
  }[];
  expect(examples.length).toBeGreaterThanOrEqual(2);
  for (const x of examples) {
    await page.goto(`http://127.0.0.1:${PORT}/`);
    await page.getByRole('button', { name: `From the example ${x.name}` }).click();
    await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
    await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000');
    await toArea(page, 'Prove');
    await page.getByRole('button', { name: 'Run all' }).click();
    await expect(page.getByText(/^(\d+) of \1 pass$/)).toBeVisible();
    await expect(page.getByText(/^(\d+) of \1 hold$/)).toBeVisible();
  }
});

test('wires that match by name are made at once; checks and wires follow a device’s new name', async ({ page }) => {
  const text = JSON.parse(demoText) as { machine: { devices: { name: string; wires?: Record<string, string> }[] } };
  for (const d of text.machine.devices) if (d.name === 'Clamp') delete d.wires;
  await openDemo(page, 'machine', undefined, JSON.stringify(text));
  await openWiring(page);
  await page.getByRole('button', { name: /^Wire what matches/ }).click();
  await expect(page.getByRole('combobox', { name: 'Wire of Clamp.Out' })).toHaveValue('ClampClose');
  const name = page.getByRole('textbox', { name: 'Name of the device Start' });
  await name.fill('Go');
  await name.press('Enter');
  await toArea(page, 'Prove');
  await page.getByRole('button', { name: /Stop during crimp/ }).click();
  await expect(page.getByLabel('Do of row 1')).toHaveValue(/tap Go/);
  await expect(page.getByRole('button', { name: '0 problems' })).toBeVisible();
});

test('I/O checkout before there is any logic: inputs seen, outputs forced, what is wrong noted with name and time, and in the report', async ({
  page,
}) => {
  const text = JSON.parse(demoText) as { pous: { language: string; rungs?: unknown[] }[] };
  for (const p of text.pous) if (p.language === 'LD') p.rungs = [];
  await openDemo(page, 'machine', undefined, JSON.stringify(text));
  await page.getByRole('button', { name: 'I/O checkout' }).click();
  const list = page.getByRole('region', { name: 'I/O checkout' }),
    row = (name: string) => list.getByRole('row', { name, exact: true });
  await list.getByLabel('Tried by').fill('Ada');
  await expect(row('StartPB')).not.toContainText('has changed');
  const start = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Start', exact: true });
  await start.hover();
  await page.mouse.down();
  await expect(row('StartPB')).toContainText('1');
  await page.mouse.up();
  await expect(row('StartPB')).toContainText('has changed');
  await list.getByRole('checkbox', { name: 'StartPB is right' }).check();
  await row('ClampClose').getByRole('button', { name: 'On' }).click();
  await expect(row('ClampShut')).toContainText('1');
  await row('ClampClose').getByRole('button', { name: 'Release' }).click();
  await list.getByRole('combobox', { name: 'What was found at ClampOpen' }).selectOption('swapped');
  await list.getByRole('textbox', { name: 'Note on ClampOpen' }).fill('with ClampShut');
  await page.keyboard.press('Enter');
  await expect(list.getByRole('status')).toContainText(/1 of \d+ right · 1 wrong/);
  await expect(row('ClampOpen')).toContainText('Ada,');
  await page.reload();
  await expect(row('ClampOpen').getByRole('textbox')).toHaveValue('with ClampShut');
  await toArea(page, 'Prove');
  const report = await openReport(page);
  await expect(report.getByText('ClampOpen: swapped, with ClampShut')).toBeVisible();
  await expect(report.getByRole('row', { name: /^StartPB/ })).toContainText(/right.*Ada.*at the bench/);
});

test('upsets come at random with a seed, the same again for the same seed, until that is switched off', async ({
  page,
}) => {
  await openDemo(page, 'machine');
  await page.getByText('Upsets: make something go wrong').click();
  const on = page.getByRole('switch', { name: /:/, checked: true });
  const box = page.getByLabel('One at random about every');
  await page.getByLabel('Seconds between upsets').fill('4');
  await page.getByLabel('Seed of the upsets').fill('7');
  await box.click();
  // The first after a restart is the same each time.
  const first = async () => {
    await page
      .getByRole('button', { name: /Restart/ })
      .first()
      .click();
    await expect(on).toHaveCount(0);
    await expect(on).toHaveCount(1);
    return on.textContent();
  };
  const seen = await first();
  expect(await first()).toBe(seen);
  await box.click();
  await expect(on).toHaveCount(0);
});

const empty = async (page: Page) => {
  await page.goto(`http://127.0.0.1:${PORT}/`);
  await page.getByRole('button', { name: 'New project' }).click();
  await page.getByLabel('Name of the new project').fill(`Line ${Date.now()}`);
  await page.getByRole('button', { name: 'Create', exact: true }).click();
  await toArea(page, 'Machine');
};
const addDevice = async (page: Page, kind: RegExp) => {
  await page.getByRole('button', { name: 'Add device' }).click();
  await page.getByRole('listbox', { name: 'Kinds of devices' }).getByRole('option', { name: kind }).click();
};
const wiring = (page: Page) => page.getByRole('region', { name: 'Wiring' });
/** A machine that is wired is shown without its wiring; it opens by its button or key. */
const openWiring = (page: Page) => page.getByRole('button', { name: /^Wiring/ }).click();

test('devices snap to what they act on: a feed, a belt with its sensor and stop, a bin; parts go through', async ({
  page,
}) => {
  await empty(page);
  for (const kind of [/^Part Feed/, /^Conveyor/, /^Part Sensor/, /^Stopper/, /^Bin/]) await addDevice(page, kind);
  await expect(wiring(page).getByLabel('Link of Conveyor.In')).toHaveValue('PartFeed.Out');
  await expect(wiring(page).getByLabel('Link of PartFeed.Ahead')).toHaveValue('Conveyor.Full');
  await expect(wiring(page).getByLabel('Link of PartSensor.Line')).toHaveValue('Conveyor.Line');
  await expect(wiring(page).getByLabel('Link of Conveyor.Stop2')).toHaveValue('Stopper.Position');
  await expect(wiring(page).getByLabel('Link of Bin.In')).toHaveValue('Conveyor.Out');
  // Undone as one step, and done again.
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await expect(wiring(page).getByLabel('Link of Bin.In')).toBeHidden();
  await page.keyboard.press('Control+y');
  await page.getByRole('button', { name: 'Make the missing tags' }).click();
  const run = wiring(page).getByRole('combobox', { name: 'Wire of Conveyor.Run' });
  await expect(run).toHaveValue('ConveyorRun');
  await toArea(page, 'Logic');
  await page.getByRole('application').focus();
  await page.keyboard.press('Insert');
  await page.getByRole('combobox', { name: 'New rung as a line' }).fill('!StopperUp -> ConveyorRun');
  await page.keyboard.press('Enter');
  await toArea(page, 'Machine');
  await page.getByRole('button', { name: /^Speed/ }).click();
  await page.getByRole('menuitem', { name: '10×' }).click();
  await expect(
    page
      .getByRole('img', { name: 'The machine' })
      .locator('svg')
      .filter({ hasText: /^\d+.*Bin$/ }),
  ).toContainText(/^[1-9]/, { timeout: 60_000 });
});

test('a tag is dragged onto a terminal; a parameter out of range is said, a loop of signals too, and the rest works on', async ({
  page,
}) => {
  const text = JSON.parse(demoText) as {
    machine: { devices: { id: string; name: string; type?: string; wires?: Record<string, string> }[] };
  };
  for (const d of text.machine.devices) if (d.name === 'Clamp') delete d.wires!['Out'];
  text.machine.devices.push(
    { id: 'la', name: 'LoopA', type: 'AnalogSensor', wires: { Value: 'LoopB.Signal' } },
    { id: 'lb', name: 'LoopB', type: 'AnalogSensor', wires: { Value: 'LoopA.Signal' } },
  );
  await openDemo(page, 'machine', undefined, JSON.stringify(text));
  await openWiring(page);
  await expect(
    wiring(page).getByText(
      /The signals go round in a loop: LoopA.Signal → LoopB.Value|The signals go round in a loop: LoopB.Signal → LoopA.Value/,
    ),
  ).toBeVisible();
  const tag = (await page
    .getByRole('region', { name: 'Tags not wired' })
    .getByText('ClampClose', { exact: true })
    .boundingBox())!;
  const row = page.getByRole('row').filter({ has: page.getByRole('combobox', { name: 'Wire of Clamp.Out' }) });
  await row.scrollIntoViewIfNeeded();
  const from =
      (await page
        .getByRole('region', { name: 'Tags not wired' })
        .getByText('ClampClose', { exact: true })
        .boundingBox()) ?? tag,
    to = (await row.boundingBox())!;
  await page.mouse.move(from.x + 5, from.y + 5);
  await page.mouse.down();
  await page.mouse.move(to.x + 60, to.y + 8, { steps: 6 });
  await page.mouse.up();
  await expect(page.getByRole('combobox', { name: 'Wire of Clamp.Out' })).toHaveValue('ClampClose');
  await expect(page.getByRole('region', { name: 'Tags not wired' })).toBeHidden();
  await page.getByRole('button', { name: 'more of Clamp', exact: true }).click();
  const travel = page.getByRole('textbox', { name: 'Travel of Clamp' });
  await travel.fill('-3');
  await travel.press('Enter');
  await expect(page.getByText(/‘?'Travel' of 'Clamp' is -3.0 s; it must lie between/)).toBeVisible();
  // The bench works on with the logic and the machine as they are.
  await expect(page.getByLabel('Simulated time')).not.toHaveText('00:00:00.000');
});

test('a device of one’s own: text and picture, problems on their lines, put into the machine, worked, copied and deleted', async ({
  page,
}) => {
  await empty(page);
  await page.getByRole('button', { name: 'Own devices' }).click();
  await page.getByRole('button', { name: 'New device', exact: true }).click();
  const name = page.getByRole('textbox', { name: 'Name of the kind' });
  // What is made is named by what one types next.
  await expect(name).toBeFocused();
  await page.keyboard.type('Motor');
  await page.keyboard.press('Enter');
  await expect(page.getByText('There is a kind of device ‘Motor’ already.')).toBeVisible();
  // It is mended by what one types next, too.
  await expect(name).toBeFocused();
  await page.keyboard.type('Shuttle');
  await page.keyboard.press('Enter');
  const body = page.getByRole('region', { name: 'Behaviour' }),
    text = body.getByRole('textbox', { name: 'Behaviour' });
  await text.click();
  await page.keyboard.press('Control+End');
  await page.keyboard.type('AtEnd := Positon > 0.9;');
  await expect(body.getByText(/line 5: .*Positon/)).toBeVisible();
  const add = page.getByRole('region', { name: 'By hand' }).getByRole('textbox', { name: 'New in By hand' });
  await add.click();
  await page.keyboard.type('Push');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'How Push is worked' })).toBeVisible();
  // The next one is typed at once.
  await page.keyboard.type('Go');
  await page.keyboard.press('Enter');
  await expect(page.getByText('The device has a ‘Go’ already.')).toBeVisible();
  await page.keyboard.type('Hold');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('combobox', { name: 'How Hold is worked' })).toBeVisible();
  await expect(page.getByText('The device has a ‘Go’ already.')).toHaveCount(0);
  await page.getByRole('button', { name: 'Delete Hold' }).click();
  // A wrong type is said at its row, once, and the list of problems leads there.
  const type = page.getByRole('combobox', { name: 'Type of Travel' });
  await type.click();
  await page.keyboard.type('REALL');
  await page.keyboard.press('Enter');
  await expect(
    page.getByRole('region', { name: 'Parameters' }).getByText("There is no type 'REALL'. Did you mean 'REAL'?"),
  ).toBeVisible();
  await page.getByRole('button', { name: /\d problems/ }).click();
  await page.getByRole('button', { name: /Machine\/Shuttle There is no type/ }).click();
  await expect(page.getByRole('textbox', { name: 'Name of Travel' })).toBeFocused();
  await page.keyboard.press('Tab');
  await page.keyboard.type('REAL');
  await page.keyboard.press('Enter');
  await expect(page.getByText(/There is no type/)).toHaveCount(0);
  // To the line of the text too; what is named afterwards moves that line, and does not take the keys there again.
  await page.getByRole('button', { name: /\d problem/ }).click();
  await page.getByRole('button', { name: /Machine\/Shuttle.*Positon/ }).click();
  await expect(text).toBeFocused();
  const go = page.getByRole('textbox', { name: 'Name of Go', exact: true });
  await go.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('GoFarAway');
  await page.keyboard.press('Tab');
  await expect(page.getByRole('textbox', { name: 'Name of GoFarAway' })).toBeVisible();
  await page.waitForTimeout(300);
  await expect(page.getByRole('combobox', { name: 'Direction of GoFarAway' })).toBeFocused();
  const far = page.getByRole('textbox', { name: 'Name of GoFarAway' });
  await far.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Go');
  await page.keyboard.press('Enter');
  await expect(go).toBeVisible();
  await text.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.press('Delete');
  await page.keyboard.type(
    'IF Go OR Push THEN Position := MIN(1.0, Position + Dt / Travel); END_IF; AtEnd := Position > 0.9;',
  );
  // None at all: while there are two, asking for one that is hidden fails at once.
  await expect(body.getByText(/line \d/)).toHaveCount(0);
  // Its picture: a wrong expression is said at its shape, the right one follows the value.
  const x = page.getByRole('textbox', { name: 'x of shape 2' });
  await x.fill('10 * Wey');
  await x.press('Enter');
  await expect(page.getByText('x: The device has no variable ‘Wey’.')).toBeVisible();
  await x.fill('-40 + 80 * Position');
  await x.press('Enter');
  await expect(page.getByText(/has no variable/)).toHaveCount(0);
  await addDevice(page, /^Shuttle/);
  await expect(wiring(page).getByRole('combobox', { name: 'Wire of Shuttle.Go' })).toBeVisible();
  const box = page.getByRole('img', { name: 'The machine' }).locator('svg rect').first();
  const before = await box.getAttribute('transform');
  const push = page.getByRole('region', { name: 'Panel' }).getByRole('button', { name: 'Shuttle: push' });
  await push.hover();
  await page.mouse.down();
  await page.waitForTimeout(900);
  await page.mouse.up();
  await expect(box).toHaveAttribute('transform', 'translate(40,0)');
  expect(before).toBe('translate(-40,0)');
  // The bench runs what the text says now: the device that is there already comes home half as far.
  await page.getByRole('button', { name: 'Own devices' }).click();
  await text.click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('Position := 0.5; AtEnd := FALSE;');
  await expect(box).toHaveAttribute('transform', 'translate(0,0)');
  await page.getByRole('button', { name: 'Back to the wiring' }).last().click();
  await page.getByRole('button', { name: 'What a Shuttle does' }).click();
  await expect(page.getByRole('article', { name: 'Shuttle' }).getByRole('table', { name: 'Terminals' })).toContainText(
    'Drives it out',
  );
  await page.getByRole('button', { name: 'Close', exact: true }).click();
  await page.reload();
  await page.getByRole('button', { name: 'Own devices' }).click();
  await page.getByRole('button', { name: 'Copy' }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the kind' })).toHaveValue('Shuttle2');
  await page.getByRole('button', { name: 'Delete the kind Shuttle2' }).click();
  await page.getByRole('button', { name: 'Delete the kind Shuttle', exact: true }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'would do nothing' })).toBeVisible();
  await page.getByRole('button', { name: 'Keep it' }).click();
  await expect(page.getByRole('textbox', { name: 'Name of the kind' })).toHaveValue('Shuttle');
});

test('a device for parts: another name is followed into its text and picture; a contact bought closed turns its tag round', async ({
  page,
}) => {
  await openDemo(page, 'machine');
  await openWiring(page);
  await page.getByRole('button', { name: 'Own devices' }).click();
  await page.getByRole('button', { name: 'New device for parts' }).click();
  const body = page.getByRole('region', { name: 'Behaviour' }).getByRole('textbox', { name: 'Behaviour' });
  await expect(body).toContainText('Store.Count >= Holds');
  await page.getByRole('textbox', { name: 'Name of Store' }).fill('Shelf');
  await page.keyboard.press('Enter');
  await expect(body).toContainText('Shelf.Count >= Holds');
  await expect(page.getByRole('textbox', { name: 'times of shape 2' })).toHaveValue('Shelf.Count');
  // Its picture shows as many boxes as pieces are counted.
  const boxes = page.getByRole('img', { name: 'Picture of OwnDevice' }).locator('rect');
  await expect(boxes).toHaveCount(3);
  await page.getByRole('slider', { name: 'All values at' }).fill('0.6');
  await expect(boxes).toHaveCount(6);
  await page.getByRole('combobox', { name: 'Contact of HasPart' }).selectOption('closed at rest');
  await page.getByRole('button', { name: 'Back to the wiring' }).last().click();
  await expect(page.getByText('0 problems')).toBeVisible();
  // The end switch of the blade is bought closed: its tag is on while the blade is not there.
  const contact = page.getByRole('button', { name: 'Contact of Blade.AtEnd' }),
    row = wiring(page).getByRole('row').filter({ has: contact });
  await expect(contact).toHaveText('NO');
  await contact.click();
  await expect(contact).toHaveText('NC');
  await expect(row.getByRole('cell').last()).toHaveText('1');
  await contact.click();
  await expect(row.getByRole('cell').last()).toHaveText('0');
});

test('each device has a page in the help, with its terminals, parameters, upsets and a live example', async ({
  page,
}) => {
  await openDemo(page, 'machine');
  await openWiring(page);
  await page.getByRole('button', { name: 'What a Feeder does' }).click();
  const article = page.getByRole('article', { name: 'Feeder' });
  await expect(article.getByRole('table', { name: 'Parameters' })).toContainText('160.0 mm/s');
  await expect(article.getByRole('table', { name: 'Upsets' })).toContainText('It has no power');
  await expect(article.getByRole('img', { name: /^Timing chart: .*D\.Length/ })).toBeVisible();
  await page.getByRole('button', { name: 'Pick And Place' }).click();
  const arm = page.getByRole('article', { name: 'Pick And Place' });
  await expect(arm.getByRole('img', { name: 'The devices' })).toContainText('Box');
  await arm.getByRole('button', { name: 'Hold D.Down' }).hover();
  await page.mouse.down();
  await expect(arm.getByRole('img', { name: /^Now/ }).locator('rect').first()).toBeVisible();
  await page.mouse.up();
});

test('a device is dragged onto another and acts there; beside another it only changes its place', async ({ page }) => {
  await empty(page);
  for (const kind of [/^Part Feed/, /^Conveyor/, /^Part Sensor/, /^Conveyor/, /^Bin/]) await addDevice(page, kind);
  await expect(wiring(page).getByLabel('Link of PartSensor.Line')).toHaveValue('Conveyor.Line');
  const place = (name: string) => page.getByRole('img', { name: 'The machine' }).locator(`[data-device="${name}"]`);
  const drag = async (from: string, to: string, along: number, drop = true) => {
    const a = (await place(from).boundingBox())!,
      b = (await place(to).boundingBox())!;
    await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
    await page.mouse.down();
    await page.mouse.move(b.x + b.width * along, b.y + b.height * 0.6, { steps: 6 });
    if (drop) await page.mouse.up();
  };
  await drag('PartSensor', 'Conveyor2', 0.5, false);
  await expect(page.getByRole('status').filter({ hasText: 'PartSensor onto Conveyor2' })).toBeVisible();
  await page.mouse.up();
  await expect(wiring(page).getByLabel('Link of PartSensor.Line')).toHaveValue('Conveyor2.Line');
  // Between two devices: another order, the same links. Escape lets go.
  await drag('Bin', 'PartFeed', 0.1, false);
  await page.keyboard.press('Escape');
  await page.mouse.up();
  const order = () =>
    wiring(page)
      .getByRole('textbox', { name: /^Name of the device/ })
      .evaluateAll((all) => all.map((x) => (x as HTMLInputElement).value));
  expect(await order()).toEqual(['PartFeed', 'Conveyor', 'Conveyor2', 'PartSensor', 'Bin']);
  await drag('Bin', 'PartFeed', 0.1);
  await expect.poll(order).toEqual(['Bin', 'PartFeed', 'Conveyor', 'Conveyor2', 'PartSensor']);
  await expect(wiring(page).getByLabel('Link of Bin.In')).toHaveValue('Conveyor2.Out');
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Control+z');
  await expect.poll(order).toEqual(['PartFeed', 'Conveyor', 'Conveyor2', 'PartSensor', 'Bin']);
});

test('the machine is one picture: links only while wiring, whole in its pane, as large as the area; put above, turned, mirrored', async ({
  page,
}) => {
  await openDemo(page, 'machine', undefined, readFileSync(join(root, 'examples/dust-extractor.ferrule.json'), 'utf8'));
  const picture = page.getByRole('img', { name: 'The machine' });
  const place = (name: string) => picture.locator(`[data-device="${name}"]`);
  // Saws, gates and fan are drawn in the ducts, each once, and nothing else stands beside them.
  await expect(picture.locator('> div > svg[data-device]')).toHaveCount(1);
  for (const name of ['Saw1', 'Gate1', 'Fan', 'Air']) await expect(place(name)).toHaveCount(1);
  await expect(wiring(page)).toHaveCount(0);
  const small = (await place('Air').boundingBox())!;
  await page.getByRole('button', { name: 'Fill the area' }).click();
  await expect(page.getByRole('region', { name: 'Panel' })).toHaveCount(0);
  await expect.poll(async () => (await place('Air').boundingBox())!.width).toBeGreaterThanOrEqual(small.width);
  await page.getByRole('button', { name: 'With the panel' }).click();
  // A click on a gate opens its wiring; the key folds it away again.
  await place('Gate2').click();
  await expect(wiring(page).getByLabel('Name of the device Gate2')).toBeInViewport();
  await page.keyboard.press('Shift+F4');
  await expect(wiring(page)).toHaveCount(0);
  // From nothing: seven devices in a row are seen as a whole, with the links between them while they are wired.
  await empty(page);
  for (const kind of [/^Part Feed/, /^Conveyor/, /^Sorter/, /^Conveyor/, /^Conveyor/, /^Bin/, /^Bin/])
    await addDevice(page, kind);
  const pane = (await picture.boundingBox())!;
  for (const d of await picture.locator('> div > svg[data-device]').all()) {
    const b = (await d.boundingBox())!;
    expect(b.y + b.height).toBeLessThanOrEqual(pane.y + pane.height + 1);
    expect(b.x + b.width).toBeLessThanOrEqual(pane.x + pane.width + 1);
  }
  const links = picture.locator('svg[data-lines=links]'),
    chutes = picture.locator('svg[data-lines=chutes] line');
  await expect(links).toHaveCount(1);
  // The ways of the sorter are part of the machine.
  await expect(chutes).toHaveCount(2);
  await page.getByRole('button', { name: /Fold the wiring/ }).click();
  await expect(links).toHaveCount(0);
  // Larger now, in two rows: what goes on in the row below is at the left, and no slide leads back to there.
  await expect(chutes).toHaveCount(1);
  // By hand: let go at the upper edge of another it stands above that.
  const a = (await place('Bin').boundingBox())!,
    b = (await place('Sorter').boundingBox())!;
  await page.mouse.move(a.x + a.width / 2, a.y + a.height / 2);
  await page.mouse.down();
  await page.mouse.move(b.x + b.width / 2, b.y + b.height * 0.08, { steps: 6 });
  await expect(page.getByRole('status').filter({ hasText: 'Bin above Sorter' })).toBeVisible();
  await page.mouse.up();
  await expect(picture.locator('svg[data-device="Sorter"] [data-device="Bin"]')).toHaveCount(1);
  await page.getByRole('button', { name: /^Wiring/ }).click();
  await wiring(page).getByRole('button', { name: 'more of Bin', exact: true }).click();
  await expect(wiring(page).getByLabel('Where Bin is drawn')).toHaveValue('Sorter.Above');
  await wiring(page).getByLabel('Where Bin is drawn').selectOption({ label: 'below Conveyor' });
  await expect(picture.locator('svg[data-device="Conveyor"] [data-device="Bin"]')).toHaveCount(1);
  await wiring(page).getByRole('button', { name: 'more of Conveyor2', exact: true }).click();
  const flat = (await place('Conveyor2').boundingBox())!;
  await wiring(page).getByLabel('How Conveyor2 is turned').selectOption('90');
  await expect
    .poll(async () => {
      const box = (await place('Conveyor2').boundingBox())!;
      return box.height / box.width;
    })
    .toBeGreaterThan(flat.height / flat.width);
  await wiring(page).getByLabel('Conveyor2 is mirrored').check();
  // It still runs as it did: a place in the picture is no change of the logic.
  await expect(page.getByText('Nothing runs')).toHaveCount(0);
});

test('a switch with several places, a list of recipes, and digits pressed on a keypad', async ({ page }) => {
  const project = JSON.parse(demoText) as { machine: { devices: object[] } };
  project.machine.devices.push(
    { id: 'x1', name: 'Mode', type: 'PlaceSelector', parameters: { Names: "'Off, Slow, Fast, Clean'" } },
    { id: 'x2', name: 'Recipe', type: 'RecipePicker', parameters: { Names: "'Plain, Glazed'" } },
    { id: 'x3', name: 'StopIt', type: 'PushButton' },
  );
  await openDemo(page, 'machine', PORT, JSON.stringify(project));
  const panel = page.getByRole('region', { name: 'Panel' });
  await panel.getByRole('radio', { name: 'Mode Fast' }).click();
  await expect(panel.getByRole('radio', { name: 'Mode Fast' })).toBeChecked();
  await expect(panel.getByText('Mode · Fast')).toBeVisible();
  await page.keyboard.press('ArrowRight');
  await page.keyboard.press('ArrowRight');
  await expect(panel.getByRole('radio', { name: 'Mode Clean' })).toBeChecked();
  await panel.getByRole('combobox', { name: 'Recipe' }).selectOption('2 · Glazed');
  await expect(panel.getByRole('combobox', { name: 'Recipe' })).toHaveValue('2');
  const entry = panel.getByRole('textbox', { name: 'Limit N' });
  await panel.getByRole('button', { name: 'Keypad for Limit N' }).click();
  const pad = page.getByRole('dialog', { name: 'Keypad: Limit N' });
  for (const k of ['9', '9', '9']) await pad.getByRole('button', { name: k, exact: true }).click();
  await pad.getByRole('button', { name: 'Enter' }).click();
  await expect(page.getByRole('alert').filter({ hasText: 'A number from 5 to 150' })).toBeVisible();
  await pad.getByRole('button', { name: 'Delete the last' }).click();
  await pad.getByRole('button', { name: 'Enter' }).click();
  await expect(pad).toHaveCount(0);
  await expect(entry).toHaveValue('99');
});

test('a switch with three positions, a key for it, a meter, and an entry past its limits', async ({ page }) => {
  await empty(page);
  for (const kind of [/^Three Way Selector/, /^Meter/, /^Set Point/, /^Push Button/]) await addDevice(page, kind);
  const panel = page.getByRole('region', { name: 'Panel' }),
    mode = panel.getByRole('radiogroup', { name: 'ThreeWaySelector' });
  const at = (way: string) =>
    expect(mode.getByRole('radio', { name: `ThreeWaySelector ${way}` })).toHaveAttribute('aria-checked', 'true');
  await at('middle');
  await mode.getByRole('radio', { name: 'ThreeWaySelector right' }).click();
  await at('right');
  await page.keyboard.press('ArrowLeft');
  await at('middle');
  await wiring(page).getByRole('button', { name: 'more of ThreeWaySelector' }).click();
  const key = wiring(page).getByRole('textbox', { name: 'Key of ThreeWaySelector' });
  await key.fill('7');
  await key.press('Enter');
  await expect(page.getByRole('alert').filter({ hasText: 'is no key that can be bound' })).toBeVisible();
  await key.fill('q');
  await key.press('Enter');
  await page.getByLabel('Simulated time').click();
  await page.keyboard.press('Alt+q');
  await at('right');
  await page.keyboard.press('Alt+q');
  await at('left');
  // The same key twice is refused with who has it.
  await wiring(page).getByRole('button', { name: 'more of PushButton' }).click();
  const other = wiring(page).getByRole('textbox', { name: 'Key of PushButton' });
  await other.fill('Q');
  await other.press('Enter');
  await expect(page.getByRole('alert').filter({ hasText: 'Alt+Q works ThreeWaySelector already' })).toBeVisible();
  // Past its limits an entry stands with what they are; put right, it is taken.
  const entry = panel.getByRole('textbox', { name: 'SetPoint' });
  await entry.fill('5000');
  await entry.press('Enter');
  await expect(panel.getByRole('alert')).toHaveText('A number from 0 to 1000');
  await entry.fill('12.5');
  await entry.press('Enter');
  await expect(panel.getByRole('alert')).toBeHidden();
  await expect(entry).toHaveValue('12.5');
  await expect(panel.getByRole('status', { name: 'Meter' })).toContainText('0.0');
});
