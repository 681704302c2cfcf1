/** Other programs over Modbus TCP: opened in the page, then worked by two clients that are not ours. */
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type Page, expect, test } from '@playwright/test';
import { MODBUS_DESK as PORT, demoText, element, openDemo as openAt, toArea } from './ferrule.js';

/** On the desk of these tests. */
const openDemo = (page: Page, area?: string, text?: string) => openAt(page, area, PORT, text);

test.describe.configure({ mode: 'serial' });

const MODBUS = PORT + 3;
/** One call of mbpoll, references counted from 0 as on the wire. */
function mbpoll(...args: string[]): string {
  const { stdout, stderr } = spawnSync('/usr/bin/mbpoll', ['-0', '-1', '-p', String(MODBUS), '-m', 'tcp', ...args], {
    encoding: 'utf8',
    timeout: 20_000,
  });
  return `${stdout}${stderr}`;
}
function python(script: string): string {
  const { stdout, stderr } = spawnSync('/usr/bin/python3', ['-c', script], { encoding: 'utf8', timeout: 30_000 });
  return `${stdout}${stderr}`;
}

/** The demo with a tag that others may write and one that they read. */
const shared = (() => {
  const project = JSON.parse(demoText) as { tags: { name: string }[] };
  const access: Record<string, string> = { LampReady: 'read', GoodTotal: 'write' };
  return JSON.stringify({
    ...project,
    tags: project.tags.map((t) => ({ ...t, ...(access[t.name] ? { access: access[t.name] } : {}) })),
  });
})();

async function openPage(page: Page): Promise<void> {
  await openDemo(page, 'controller', shared);
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 20_000 });
  await page.getByRole('tab', { name: 'Other programs' }).click();
}

test('access given in Tags, the switch, the numbers; mbpoll and pymodbus read and write; what is refused is in the log', async ({
  page,
}) => {
  await openPage(page);
  const mapping = page.getByRole('region', { name: 'Modbus mapping' }),
    modbus = page.getByRole('region', { name: 'Modbus TCP' });
  expect(mbpoll('-t', '0', '-r', '0', '127.0.0.1')).toMatch(/refused|failed/i);
  await modbus.getByRole('switch', { name: /open to other programs/ }).click();
  await expect(modbus).toContainText(`127.0.0.1:${MODBUS}`);
  await expect(modbus).toContainText('Good: the scan runs.');
  const row = (name: string) => mapping.getByRole('row', { name: new RegExp(`^${name} `) });
  await expect(row('LampReady')).toContainText('discrete input');
  await expect(row('GoodTotal')).toContainText('holding register');
  const numberOf = async (name: string) => Number(await row(name).getByRole('textbox').inputValue());
  const [ready, total] = [await numberOf('LampReady'), await numberOf('GoodTotal')];
  expect(mbpoll('-t', '1', '-r', String(ready), '127.0.0.1')).toMatch(new RegExp(`\\[${ready}\\]:\\s+[01]`));
  const out = python(`
from pymodbus.client import ModbusTcpClient
c = ModbusTcpClient('127.0.0.1', port=${MODBUS})
c.connect()
print('write', c.write_registers(${total}, [1234]).isError())
print('value', c.read_holding_registers(${total}, 1).registers)
print('refused', c.write_coil(${ready}, True))
print('gap', c.read_holding_registers(9, 1))
c.close()
`);
  expect(out).toContain('write False');
  expect(out).toContain('value [1234]');
  expect(out).toMatch(/refused Exception Response\(133, 5, IllegalAddress\)/);
  expect(out).toMatch(/gap Exception Response\(131, 3, IllegalAddress\)/);
  // What another program wrote is what the machine's own display shows.
  await expect(page.getByRole('region', { name: 'Panel' })).toContainText('1234');
  await page.getByRole('tab', { name: 'Event log' }).click();
  await expect(page.getByText(/Modbus: function 5 of 127\.0\.0\.1 was refused/)).toBeVisible();
});

test('a number of its own, given in the mapping, is used after the next download; the cut cable ends it', async ({
  page,
}) => {
  await openPage(page);
  const field = page.getByRole('textbox', { name: 'Modbus number of GoodTotal' });
  await field.click();
  await field.press('Control+a');
  await page.keyboard.type('40');
  await page.keyboard.press('Enter');
  await expect(page.getByText('with the next download')).toBeVisible();
  await page.getByRole('button', { name: 'Download, keep state' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 20_000 });
  await expect(page.getByText('with the next download')).toBeHidden();
  expect(mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/\[40\]:\s+1234/);
  await page.getByRole('radio', { name: 'Cut', exact: true }).click();
  expect(mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/failed|reset|timed out/i);
  await page.getByRole('radio', { name: 'Network on' }).click();
  await toArea(page, 'Controller');
  expect(mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/\[40\]:\s+1234/);
});

test('the example of a machine that is another program: the gate goes up, the rungs see it, and the run replays without it', async ({
  page,
}) => {
  const folder = fileURLToPath(new URL('../examples/outside/', import.meta.url));
  await openDemo(page, 'controller', readFileSync(join(folder, 'loading-gate.ferrule.json'), 'utf8'));
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 20_000 });
  await page.getByRole('tab', { name: 'Other programs' }).click();
  const open = page.getByRole('switch', { name: /open to other programs/ });
  if (!(await open.isChecked())) await open.click();
  await expect(page.getByRole('region', { name: 'Modbus TCP' })).toContainText('Good: the scan runs.');
  const gate = spawn('/usr/bin/python3', [join(folder, 'gate.py'), '--once', '127.0.0.1', String(MODBUS)]);
  let said = '';
  gate.stdout.on('data', (d) => (said += String(d)));
  gate.stderr.on('data', (d) => (said += String(d)));
  const ended = new Promise((r) => gate.once('exit', r));
  await expect(page.getByRole('list', { name: 'Connected over Modbus' })).toContainText(/[\d,]+ values written/);
  await page.getByRole('tab', { name: 'Running' }).click();
  await expect(
    page.getByRole('group', { name: 'Live rung 1' }).getByRole('button', { name: /^GateUp, coil/ }),
  ).toHaveAccessibleName(/, power$/);
  await ended;
  expect(said).toMatch(/^height 3000 mm after/);
  await expect(
    page.getByRole('group', { name: 'Live rung 1' }).getByRole('button', { name: /^GateUp, coil/ }),
  ).not.toHaveAccessibleName(/, power$/);
  // What came in is in the recording.
  await page.getByRole('tab', { name: 'Recordings' }).click();
  await page.getByRole('button', { name: 'Take', exact: true }).click();
  const row = page.getByRole('list', { name: 'Recordings' }).getByRole('listitem').first();
  await expect(row).toContainText('taken by hand', { timeout: 15_000 });
  await row.getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page).toHaveURL(/\/logic/);
  await expect(element(page, 1, 'AtTop')).toHaveAccessibleName(/normally closed, open/);
});
