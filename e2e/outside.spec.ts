/**
 * Outside I/O: the bench and the stand-in joined to other programs that have a machine in them, over OPC UA and Modbus
 * TCP.
 */
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import { type Page, expect, test } from '@playwright/test';
import { LINK_DESK as PORT, openDemo as openAt, pause, scanOf, toArea } from './ferrule.js';

test.describe.configure({ mode: 'serial' });

const freePort = async (): Promise<number> => {
  const probe = createServer(),
    port = await new Promise<number>((r) =>
      probe.listen(0, '127.0.0.1', () => r((probe.address() as AddressInfo).port)),
    );
  await new Promise((r) => probe.close(r));
  return port;
};
const here = (file: string) => fileURLToPath(new URL(file, import.meta.url));

/** The OPC UA library's own server with a machine in it, in a process of its own. */
function opcuaMachine() {
  const child = spawn(process.execPath, [here('./opcua-machine.mjs')], { stdio: ['pipe', 'pipe', 'inherit'] }),
    waiting: ((x: { done?: unknown; failed?: string }) => void)[] = [];
  createInterface({ input: child.stdout }).on('line', (l) => {
    if (l.startsWith('> ')) waiting.shift()?.(JSON.parse(l.slice(2)) as { done?: unknown });
  });
  return {
    do: (what: string, args: object = {}): Promise<unknown> => {
      child.stdin.write(`${JSON.stringify({ do: what, ...args })}\n`);
      return new Promise((resolve, reject) =>
        waiting.push((x) => (x.failed === undefined ? resolve(x.done) : reject(new Error(x.failed)))),
      );
    },
    kill: () => child.kill('SIGKILL'),
  };
}
const ITEMS = {
  'Line.Gate.At top': 'Boolean',
  'Line.Gate.Height': 'Double',
  'Line.Gate.Up': 'Boolean',
  'Line.Gate.Pace': 'UInt16',
  'Line.Only read': 'Int32*',
};

/** Logic for a gate, and no machine. */
const gate = (outside?: object) =>
  JSON.stringify({
    format: 'ferrule-project',
    version: 1,
    name: 'Gate elsewhere',
    tags: [
      { id: '1', name: 'AtTop', type: 'BOOL', address: '%IX0.0' },
      { id: '2', name: 'Height', type: 'INT', address: '%IW2' },
      { id: '3', name: 'OpenPB', type: 'BOOL', address: '%IX0.1' },
      { id: '4', name: 'Up', type: 'BOOL', address: '%QX0.0' },
      { id: '5', name: 'Pace', type: 'INT', address: '%QW2' },
      { id: '6', name: 'Trouble', type: 'BOOL' },
    ],
    types: [],
    pous: [
      {
        id: 'm',
        name: 'Main',
        language: 'LD',
        kind: 'program',
        rungs: [
          { id: 'r1', line: 'OpenPB & !AtTop & !System.OutsideLost -> Up, { Pace := 500; }' },
          { id: 'r2', line: 'System.OutsideLost -> Trouble' },
        ],
      },
    ],
    tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
    machine: { devices: [] },
    ...(outside ? { outside } : {}),
    checks: [],
    rules: [],
    scope: ['AtTop', 'Height', 'Up', 'Trouble'],
  });

let folder: string;
const children: ChildProcess[] = [];
test.beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-link-'));
});
test.afterAll(() => {
  for (const c of children) c.kill('SIGKILL');
  rmSync(folder, { recursive: true, force: true });
});

const panel = (page: Page) => page.getByRole('region', { name: 'Outside I/O' });
const row = (page: Page, tag: string) => panel(page).getByRole('row', { name: new RegExp(`^${tag}\\b`) });
async function typeInto(page: Page, label: string, text: string): Promise<void> {
  await panel(page).getByLabel(label, { exact: true }).click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type(text);
  await page.keyboard.press('Enter');
}
/** The input of the bench by hand. */
async function setInput(page: Page, tag: string): Promise<void> {
  await page.getByRole('tab', { name: 'Inputs', exact: true }).click();
  await page.getByRole('button', { name: `Toggle ${tag}` }).click();
}

const scopeRow = (page: Page, tag: string) =>
  page.getByRole('region', { name: 'Scope' }).getByRole('listitem').filter({ hasText: tag });
/** Goes back to when that came true last. */
async function lastTime(page: Page, condition: string): Promise<void> {
  await page.getByRole('button', { name: 'Trigger', exact: true }).click();
  await page.getByLabel('When this comes true').fill(condition);
  await page.getByRole('button', { name: 'Last time before' }).click();
  await page.keyboard.press('Escape');
}

test('OPC UA from the bench: looked at, connected by name, joined; away it is seen in the logic and on the scope; the run is there without it', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const port = await freePort();
  let machine = opcuaMachine();
  await machine.do('start', { port, folder: join(folder, 'a'), items: ITEMS });
  await openAt(page, 'machine', PORT, gate());
  await page.getByRole('button', { name: 'Outside I/O' }).click();
  await expect(panel(page).getByRole('button', { name: 'Look what is there' })).toBeDisabled();
  await typeInto(page, 'Address of the other program', 'gate');
  await panel(page).getByRole('button', { name: 'Look what is there' }).click();
  await expect(panel(page).getByRole('alert')).toContainText(
    "'gate' is no address of an OPC UA server; write for example",
  );
  await typeInto(page, 'Address of the other program', `opc.tcp://127.0.0.1:${await freePort()}`);
  await panel(page).getByRole('button', { name: 'Look what is there' }).click();
  await expect(panel(page).getByRole('alert')).toContainText('nothing listens at 127.0.0.1', { timeout: 40_000 });
  await typeInto(page, 'Address of the other program', `opc.tcp://127.0.0.1:${port}`);
  await panel(page).getByRole('button', { name: 'Look what is there' }).click();
  await expect(panel(page).getByText('5 items found there.')).toBeVisible({ timeout: 40_000 });
  await panel(page).getByRole('button', { name: 'Connect what has the same name · 4' }).click();
  await expect(panel(page).getByText('4 of 5 inputs and outputs connected')).toBeVisible();
  // Connected and not switched on, they are the machine model's still.
  await expect(page.getByRole('link', { name: /^Outside I\/O/ })).toHaveCount(0);
  await panel(page).getByLabel('another program’s').check();
  await typeInto(page, 'Fallback of Height', '40000');
  await expect(row(page, 'Height')).toContainText('40000 is outside INT');
  await typeInto(page, 'Fallback of Height', '7');
  await expect(page.getByRole('link', { name: 'Outside I/O, not joined' })).toBeVisible();
  await setInput(page, 'OpenPB');
  await panel(page).getByRole('button', { name: 'Join it from the bench' }).click();
  await expect(panel(page)).toContainText('4 of 4 points good', { timeout: 40_000 });
  await expect.poll(() => machine.do('get', { path: 'Line.Gate.Up' })).toBe(true);
  expect(await machine.do('get', { path: 'Line.Gate.Pace' })).toBe(500);
  await machine.do('set', { path: 'Line.Gate.Height', value: 640 });
  await expect(row(page, 'Height')).toContainText('640');
  await machine.do('set', { path: 'Line.Gate.Height', value: 1.5 });
  await expect(row(page, 'Height')).toContainText('Double 1.5 is no value of INT');
  await expect(row(page, 'Height')).toContainText('bad');
  await machine.do('set', { path: 'Line.Gate.Height', value: 900, status: 'UncertainLastUsableValue' });
  await expect(row(page, 'Height')).toContainText('uncertain');
  await expect(page.getByRole('list', { name: 'Inputs' })).toContainText(
    'comes from ns=1;s=Line.Gate.Height · uncertain',
  );
  await machine.do('set', { path: 'Line.Gate.At top', value: true });
  await expect.poll(() => machine.do('get', { path: 'Line.Gate.Up' })).toBe(false);
  const before = await scanOf(page);
  machine.kill();
  await expect(panel(page)).toContainText('is away: ', { timeout: 60_000 });
  await expect(page.getByRole('link', { name: 'Outside I/O, away' })).toBeVisible();
  await expect(row(page, 'Height')).toContainText('7');
  await expect(
    page
      .getByRole('listitem', { name: /Trouble/ })
      .or(page.getByText('Trouble'))
      .first(),
  ).toBeVisible();
  machine = opcuaMachine();
  await machine.do('start', { port, folder: join(folder, 'a'), items: ITEMS });
  await expect(panel(page)).toContainText('4 of 4 points good', { timeout: 40_000 });
  await panel(page).getByRole('button', { name: 'Leave it' }).click();
  await expect.poll(() => machine.do('get', { path: 'Line.Gate.Up' })).toBe(false);
  machine.kill();
  // What was run is there, scan by scan, though nothing is joined.
  await pause(page);
  await lastTime(page, 'Height = 640');
  await expect(scopeRow(page, 'Height')).toContainText('640');
  expect(await scanOf(page)).toBeLessThan(before);
});

test('Modbus from the stand-in against pymodbus: joined with the download, the gate goes up; cut, it is at its fallback; the recording holds it', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const port = await freePort(),
    lines: string[] = [];
  const child = spawn('/usr/bin/python3', [here('./modbus-machine.py'), String(port)]);
  children.push(child);
  createInterface({ input: child.stdout }).on('line', (l) => lines.push(l));
  await openAt(
    page,
    'machine',
    PORT,
    gate({ isOn: true, protocol: 'modbus', address: `127.0.0.1:${port}`, items: [] }),
  );
  await page.getByRole('link', { name: 'Outside I/O, not joined' }).click();
  await panel(page).getByLabel('Table to look at').selectOption('input');
  await panel(page).getByLabel('so many').fill('3');
  await expect(async () => {
    await panel(page).getByRole('button', { name: 'Look what is there' }).click();
    await expect(panel(page).getByText('3 items found there.')).toBeVisible({ timeout: 5000 });
  }).toPass({ timeout: 30_000 });
  await typeInto(page, 'Item of AtTop', 'relay 0');
  await expect(row(page, 'AtTop')).toContainText("'relay 0' is no place; write for example coil 12");
  await typeInto(page, 'Item of AtTop', 'discrete 0');
  await typeInto(page, 'Item of Height', 'input 0');
  await typeInto(page, 'Item of Up', 'coil 0');
  await typeInto(page, 'Item of Pace', 'holding 0');
  await expect(panel(page).getByText('4 of 5 inputs and outputs connected')).toBeVisible();
  await toArea(page, 'Controller');
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  const side = page.getByRole('complementary', { name: 'Controller', exact: true });
  await expect(side).toContainText(`127.0.0.1:${port} joined`, { timeout: 60_000 });
  await page.getByRole('tab', { name: 'Other programs' }).click();
  await expect(panel(page)).toContainText('4 of 4 points good');
  const events = `http://127.0.0.1:${PORT}/api/controller/events`;
  await page.request.post(events, { data: { kind: 'write', path: 'OpenPB', value: '1' } });
  await expect.poll(() => lines.at(-1), { timeout: 60_000 }).toMatch(/^0 500 (1000|9\d\d)$/);
  expect(lines.some((l) => /^1 500 [1-9]\d\d$/.test(l))).toBe(true);
  await expect(row(page, 'AtTop')).toContainText('good');
  await page.getByRole('radio', { name: 'Cut', exact: true }).click();
  await page.waitForTimeout(3000);
  await page.getByRole('radio', { name: 'Network on' }).click();
  await page.getByRole('tab', { name: 'Event log' }).click();
  await expect(page.getByText(`Outside I/O: 127.0.0.1:${port} is away: the network is cut.`)).toBeVisible({
    timeout: 20_000,
  });
  await page.getByRole('tab', { name: 'Recordings' }).click();
  await page.getByRole('button', { name: 'Take', exact: true }).click();
  const kept = page.getByRole('list', { name: 'Recordings' }).getByRole('listitem').first();
  await expect(kept).toContainText('taken by hand', { timeout: 60_000 });
  child.kill('SIGKILL');
  await page.getByRole('tab', { name: 'Other programs' }).click();
  await expect(panel(page)).toContainText('is away: ', { timeout: 60_000 });
  // Without the other program the run is on the bench as it was, what came in with it, and where it was away.
  await page.getByRole('tab', { name: 'Recordings' }).click();
  await kept.getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page).toHaveURL(/\/logic/);
  await lastTime(page, 'Height > 900');
  await expect(scopeRow(page, 'Height')).toContainText(/9\d\d|1000/);
  await lastTime(page, 'System.OutsideLost');
  await expect(scopeRow(page, 'Trouble')).toContainText('1');
});

test('signed and encrypted with a name: an unknown certificate is listed, trusted by hand, and the password is no part of the project', async ({
  page,
}) => {
  test.setTimeout(120_000);
  const port = await freePort(),
    machine = opcuaMachine();
  await machine.do('start', {
    port,
    folder: join(folder, 'b'),
    items: ITEMS,
    secure: true,
    user: { name: 'line', password: 'open sesame' },
  });
  const id = await openAt(page, 'machine', PORT, gate());
  await page.getByRole('button', { name: 'Outside I/O' }).click();
  await typeInto(page, 'Address of the other program', `opc.tcp://127.0.0.1:${port}`);
  const look = async (words: string | RegExp) => {
    await panel(page).getByRole('button', { name: 'Look what is there' }).click();
    await expect(panel(page).getByRole('alert').or(panel(page).getByText('items found there')).first()).toContainText(
      words,
      { timeout: 40_000 },
    );
  };
  await look('it offers no plain messages');
  await panel(page).getByLabel('Messages').selectOption('encrypted');
  await look('its certificate is not trusted yet');
  await panel(page)
    .getByRole('button', { name: /^Trust / })
    .click();
  await expect(panel(page).getByText('trusted', { exact: true })).toBeVisible({ timeout: 60_000 });
  await look('it takes nobody without a name');
  await typeInto(page, 'User name there', 'line');
  await look('it does not take this name and password');
  await panel(page).getByLabel('Password there').click();
  await page.keyboard.type('open sesame');
  await page.keyboard.press('Enter');
  await expect(panel(page).getByText('kept at this server, not in the project')).toBeVisible();
  await look('5 items found there');
  await panel(page).getByLabel('another program’s').check();
  await panel(page)
    .getByRole('button', { name: /Connect what has the same name/ })
    .click();
  await panel(page).getByRole('button', { name: 'Join it from the bench' }).click();
  await expect(panel(page)).toContainText('4 of 4 points good', { timeout: 40_000 });
  const file = await (await page.request.get(`http://127.0.0.1:${PORT}/api/projects/${id}/file`)).text();
  expect(file).toContain('"user": "line"');
  expect(file).not.toContain('sesame');
  machine.kill();
});
