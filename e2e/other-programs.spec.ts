/** Other programs over Modbus TCP and OPC UA: opened in the page, then worked by clients in processes of their own. */
import { spawn, spawnSync } from 'node:child_process';
import { readFileSync, readdirSync } from 'node:fs';
import { type Socket, connect } from 'node:net';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { type Page, expect, test } from '@playwright/test';
import { OUTSIDE_DESK as PORT, demoText, element, openDemo as openAt, pause, scanOf, toArea } from './ferrule.js';

/** On the desk of these tests. */
const openDemo = (page: Page, area?: string, text?: string) => openAt(page, area, PORT, text);

/** The controller's own side of the page. */
const side = (page: Page) => page.getByRole('complementary', { name: 'Controller', exact: true });

test.describe.configure({ mode: 'serial' });
// A second try begins as the first one did: with nothing open.
test.beforeAll(async ({ request }) => {
  const open = `http://127.0.0.1:${PORT}/api/controller/open`;
  await request.put(`${open}/modbus`, { data: { isOn: false, words: 'high first' } });
  await request.put(`${open}/opcua`, { data: { isOn: false } });
});

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
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  await page.getByRole('tab', { name: 'Other programs' }).click();
}

test('access given in Tags, the switch, the numbers; mbpoll and pymodbus read and write; what is refused is in the log', async ({
  page,
}) => {
  await openPage(page);
  const mapping = page.getByRole('region', { name: 'Points' }),
    modbus = page.getByRole('region', { name: 'Modbus TCP' });
  expect(mbpoll('-t', '0', '-r', '0', '127.0.0.1')).toMatch(/refused|failed/i);
  await modbus.getByRole('switch', { name: /open to other programs/ }).click();
  await expect(modbus).toContainText(`127.0.0.1:${MODBUS}`);
  await expect(page.getByText('Values are good: the scan runs.')).toBeVisible();
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
  // A second try finds the first one's line too.
  await expect(page.getByText(/Modbus: function 5 of 127\.0\.0\.1 was refused/).first()).toBeVisible();
});

test('a number of its own, given in the mapping, is used after the next download; the cut cable ends it', async ({
  page,
}) => {
  await openPage(page);
  const field = page.getByRole('textbox', { name: 'Modbus number of GoodTotal' });
  await field.click();
  await field.press('Control+a');
  await page.keyboard.type('seventy');
  await page.keyboard.press('Enter');
  await expect(page.getByText('‘seventy’ is no Modbus number: write 0 to 65535')).toBeVisible();
  await field.click();
  await field.press('Control+a');
  await page.keyboard.type('40');
  await page.keyboard.press('Enter');
  await expect(page.getByText('with the next download')).toBeVisible();
  await page.getByRole('button', { name: 'Download, keep state' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  await expect(page.getByText('with the next download')).toBeHidden();
  expect(mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/\[40\]:\s+1234/);
  await page.getByRole('radio', { name: 'Cut', exact: true }).click();
  // The page's word reaches the cabinet in its own time.
  await expect.poll(() => mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/failed|reset|timed out/i);
  await page.getByRole('radio', { name: 'Network on' }).click();
  await toArea(page, 'Controller');
  await expect.poll(() => mbpoll('-t', '4', '-r', '40', '127.0.0.1')).toMatch(/\[40\]:\s+1234/);
});

test('the example of a machine that is another program: the gate goes up, the rungs see it, and the run replays without it', async ({
  page,
}) => {
  const folder = fileURLToPath(new URL('../examples/outside/', import.meta.url));
  await openDemo(page, 'controller', readFileSync(join(folder, 'loading-gate.ferrule.json'), 'utf8'));
  await page.getByRole('combobox', { name: 'After the restart' }).selectOption('run');
  await page.getByRole('button', { name: 'Download and restart' }).click();
  await expect(page.getByText(/The controller keeps exactly this project/)).toBeVisible({ timeout: 60_000 });
  await page.getByRole('tab', { name: 'Other programs' }).click();
  const open = page.getByRole('switch', { name: 'Modbus TCP is open to other programs' });
  if (!(await open.isChecked())) await open.click();
  await expect(page.getByRole('region', { name: 'Modbus TCP' })).toContainText(`127.0.0.1:${MODBUS}`);
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
  await expect(row).toContainText('taken by hand', { timeout: 60_000 });
  await row.getByRole('button', { name: 'Open on the bench' }).click();
  await expect(page).toHaveURL(/\/logic/);
  await expect(element(page, 1, 'AtTop')).toHaveAccessibleName(/normally closed, open/);
});

/** The OPC UA library's own client, in a process of its own. */
function opcuaClient() {
  const child = spawn(process.execPath, [fileURLToPath(new URL('./opcua-client.mjs', import.meta.url))]),
    answers: unknown[] = [],
    changes: { changed: string; value: unknown; status: string }[] = [];
  let rest = '',
    waiting: (() => void) | undefined,
    isLost = false;
  child.stdout.on('data', (d) => {
    const lines = `${rest}${String(d)}`.split('\n');
    rest = lines.pop()!;
    for (const line of lines.filter((l) => l.startsWith('> '))) {
      const said = JSON.parse(line.slice(2)) as Record<string, unknown>;
      if ('changed' in said) changes.push(said as (typeof changes)[number]);
      else if ('lost' in said) isLost = true;
      else answers.push(said);
    }
    waiting?.();
  });
  const until = async (isSo: () => boolean) => {
    const over = performance.now() + 20_000;
    while (!isSo()) {
      if (performance.now() > over) throw new Error(`It did not come: ${isSo}; ${JSON.stringify(changes.slice(-4))}`);
      await new Promise<void>((r) => {
        waiting = r;
        setTimeout(r, 500);
      });
    }
  };
  return {
    changes,
    until,
    get isLost() {
      return isLost;
    },
    /** What it answers; a sentence where it could not. */
    async ask(what: string, args: object = {}): Promise<unknown> {
      const before = answers.length;
      child.stdin.write(`${JSON.stringify({ do: what, ...args })}\n`);
      await until(() => answers.length > before);
      const said = answers[before] as { done?: unknown; failed?: string };
      return 'done' in said ? said.done : `failed: ${said.failed}`;
    },
    kill: () => child.kill(),
  };
}
const OPCUA = `opc.tcp://127.0.0.1:${PORT + 4}`;

test('OPC UA: switched on, browsed, read, subscribed and written by a client of its own; quality through stop; what is refused is in the log', async ({
  page,
}) => {
  test.slow();
  await openPage(page);
  const opcua = page.getByRole('region', { name: 'OPC UA' });
  await opcua.getByRole('switch', { name: 'OPC UA is open to other programs' }).click();
  await expect(opcua).toContainText(OPCUA, { timeout: 80_000 });
  const client = opcuaClient();
  try {
    expect(await client.ask('connect', { url: OPCUA })).toBe('connected');
    expect(await client.ask('browse', { path: 'Tags' })).toEqual(['LampReady', 'GoodTotal']);
    expect(await client.ask('write', { path: 'GoodTotal', type: 'UInt16', value: 77 })).toBe('Good');
    expect(await client.ask('read', { path: 'GoodTotal' })).toEqual({ value: 77, type: 'UInt16', status: 'Good' });
    await expect(page.getByRole('region', { name: 'Panel' })).toContainText('77');
    expect(await client.ask('write', { path: 'LampReady', type: 'Boolean', value: true })).toBe('BadNotWritable');
    expect(await client.ask('watch', { paths: ['LampReady', 'GoodTotal'] })).toBe('watching');
    await expect(page.getByRole('list', { name: 'Connected over OPC UA' })).toContainText(
      /Line model.*without a name, plain.*2 subscribed.*1 written · 1 refused/,
    );
    await client.until(() => client.changes.some((c) => c.changed === 'LampReady' && c.status === 'Good'));
    // In stop the client sees that the values are bad, and so does the page.
    await side(page).getByRole('button', { name: 'Stop', exact: true }).click();
    await client.until(() => client.changes.at(-1)?.status === 'BadOutOfService');
    await expect(page.getByRole('row', { name: /^GoodTotal / })).toContainText('bad');
    await expect(page.getByText(/Values are bad: the controller is in stop/)).toBeVisible();
    await side(page).getByRole('button', { name: 'Run', exact: true }).click();
    await client.until(() => client.changes.at(-1)?.status === 'Good');
    // Nobody passes a cut cable; the page goes over the same one.
    await page.getByRole('radio', { name: 'Cut', exact: true }).click();
    await client.until(() => client.isLost);
    const other = opcuaClient();
    expect(await other.ask('connect', { url: OPCUA })).toMatch(/^failed/);
    other.kill();
    await page.getByRole('radio', { name: 'Network on' }).click();
    await page.getByRole('tab', { name: 'Event log' }).click();
    await expect(page.getByText(/Line model was refused over OPC UA: LampReady may not be written/)).toBeVisible();
    await expect(page.getByText('OPC UA is open to other programs.')).toBeVisible();
  } finally {
    client.kill();
  }
});

test('OPC UA: hostile bytes, messages without an end and a thousand silent connections: who is there reads on, the scan runs on', async ({
  page,
}) => {
  test.slow();
  await openPage(page);
  const opcua = page.getByRole('region', { name: 'OPC UA' }),
    open = opcua.getByRole('switch', { name: 'OPC UA is open to other programs' });
  if (!(await open.isChecked())) await open.click();
  await expect(opcua).toContainText(OPCUA, { timeout: 40_000 });
  const client = opcuaClient();
  const reads = async () =>
    expect(await client.ask('read', { path: 'GoodTotal' })).toMatchObject({ type: 'UInt16', status: 'Good' });
  const socket = () => connect(PORT + 4, '127.0.0.1').on('error', () => undefined);
  const closed = (s: Socket) =>
    s.destroyed ? Promise.resolve() : new Promise<void>((r) => s.once('close', () => r()));
  try {
    expect(await client.ask('connect', { url: OPCUA })).toBe('connected');
    await reads();
    // Headers of OPC 10000-6 (7.1.2): type, chunk, length; with lengths that are none, and any bytes behind them.
    let seed = 20_261_129;
    const random = (below: number) => (seed = (Math.imul(seed, 1_664_525) + 1_013_904_223) >>> 0) % below;
    for (let i = 0; i < 150; i++) {
      const bytes = Buffer.from(Array.from({ length: random(200) }, () => random(256)));
      if (random(4)) {
        const head = Buffer.from(
          `${['HEL', 'OPN', 'MSG', 'CLO', 'ACK', 'ZZZ'][random(6)]}${'FCA?'[random(4)]}\0\0\0\0`,
        );
        head.writeUInt32LE([0, 7, bytes.length + 8, 0x7fff_ffff, 0xffff_ffff][random(5)]!, 4);
        await hurt(Buffer.concat([head, bytes]), random(2) === 1);
      } else await hurt(bytes, random(2) === 1);
    }
    // A message announced at 2 GB, sent piece by piece without an end.
    const flood = socket(),
      endless = Buffer.from('OPNC\0\0\0\0');
    endless.writeUInt32LE(0x7fff_ffff, 4);
    flood.write(HELLO);
    flood.write(endless);
    for (let i = 0; i < 100 && !flood.destroyed; i++) {
      flood.write(Buffer.alloc(1 << 20));
      await new Promise((r) => setTimeout(r, 5));
    }
    flood.destroy();
    await reads();
    const silent = Array.from({ length: 1000 }, socket);
    await expect.poll(() => silent.filter((s) => !s.destroyed).length, { timeout: 60_000 }).toBeLessThanOrEqual(64);
    await reads();
    await Promise.all(silent.map(closed));
    // Others come in again.
    const other = opcuaClient();
    expect(await other.ask('connect', { url: OPCUA, name: 'Second' })).toBe('connected');
    other.kill();
    await reads();
    const memory = opcuaMemoryMb();
    expect(memory.length).toBeGreaterThan(0);
    for (const mb of memory) expect(mb).toBeLessThan(600);
    await expect(page.getByText('Values are good: the scan runs.')).toBeVisible();
  } finally {
    client.kill();
  }

  async function hurt(bytes: Uint8Array, withHello: boolean): Promise<void> {
    const s = socket();
    if (withHello) s.write(HELLO);
    s.write(bytes);
    await new Promise((r) => setTimeout(r, 5));
    s.destroy();
    await closed(s);
  }
});
const HELLO = (() => {
  const to = Buffer.from('opc.tcp://127.0.0.1'),
    body = Buffer.alloc(24),
    head = Buffer.from('HELF\0\0\0\0');
  [0, 65_535, 65_535, 0, 0, to.length].forEach((v, i) => body.writeUInt32LE(v, 4 * i));
  head.writeUInt32LE(32 + to.length, 4);
  return Buffer.concat([head, body, to]);
})();
/** What each OPC UA server's process of this machine holds. */
const opcuaMemoryMb = (): number[] =>
  readdirSync('/proc')
    .filter((n) => /^\d+$/.test(n))
    .flatMap((n) => {
      try {
        return readFileSync(`/proc/${n}/cmdline`, 'utf8').includes('opcua-main')
          ? [Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${n}/status`, 'utf8'))![1]) / 1024]
          : [];
      } catch {
        // It has ended meanwhile.
        return [];
      }
    });

test('OPC UA: an unknown certificate is listed and trusted by hand; a name and a password are asked for', async ({
  page,
}, testInfo) => {
  test.slow();
  await openPage(page);
  const opcua = page.getByRole('region', { name: 'OPC UA' }),
    open = opcua.getByRole('switch', { name: 'OPC UA is open to other programs' });
  if (!(await open.isChecked())) await open.click();
  await expect(opcua).toContainText(OPCUA, { timeout: 40_000 });
  const own = testInfo.outputPath('certificates'),
    secure = { url: OPCUA, encrypted: true, folder: own, name: 'Operator screen' };
  const refused = opcuaClient();
  expect(await refused.ask('connect', secure)).toMatch(/^failed/);
  refused.kill();
  const shown = page.getByRole('list', { name: 'Certificates' });
  await expect(shown).toContainText(/Operator screen.*not trusted/);
  await shown.getByRole('button', { name: /^Trust Operator screen/ }).click();
  await expect(shown).not.toContainText('not trusted');
  // From here on only by name, over encrypted messages.
  await page.getByRole('textbox', { name: 'User name for OPC UA' }).click();
  await page.keyboard.type('operator');
  await page.keyboard.press('Tab');
  await page.keyboard.type('short');
  await page.keyboard.press('Enter');
  await expect(page.getByText('A password has at least 8 characters.')).toBeVisible();
  await page.getByLabel('Password for OPC UA').click();
  await page.keyboard.press('Control+a');
  await page.keyboard.type('a long password');
  await page.keyboard.press('Enter');
  await expect(opcua.getByRole('button', { name: 'Remove' })).toBeVisible();
  await opcua.getByRole('checkbox', { name: 'without a name' }).click();
  await expect(opcua.getByRole('checkbox', { name: 'without a name' })).not.toBeChecked();
  await opcua.getByRole('checkbox', { name: 'plain messages too' }).click();
  await expect(opcua.getByRole('checkbox', { name: 'plain messages too' })).not.toBeChecked();
  await expect(opcua).toContainText(OPCUA, { timeout: 40_000 });
  const nameless = opcuaClient();
  expect(await nameless.ask('connect', secure)).toMatch(/^failed/);
  nameless.kill();
  const wrong = opcuaClient();
  expect(await wrong.ask('connect', { ...secure, user: { userName: 'operator', password: 'guessed it' } })).toMatch(
    /^failed/,
  );
  wrong.kill();
  const client = opcuaClient();
  expect(await client.ask('connect', { ...secure, user: { userName: 'operator', password: 'a long password' } })).toBe(
    'connected',
  );
  expect(await client.ask('read', { path: 'LampReady' })).toMatchObject({ type: 'Boolean', status: 'Good' });
  await expect(page.getByRole('list', { name: 'Connected over OPC UA' })).toContainText(
    /Operator screen.*as operator, signed and encrypted/,
  );
  await client.ask('end');
  await open.click();
  await expect(open).not.toBeChecked();
  await page.getByRole('tab', { name: 'Event log' }).click();
  await expect(page.getByText("A wrong name or password was given over OPC UA, as 'operator'.")).toBeVisible();
  await expect(page.getByText('OPC UA is closed.')).toBeVisible();
});

test('the bench open to other programs: written over OPC UA and Modbus, uncertain while paused, bad when the page is gone', async ({
  page,
}) => {
  test.slow();
  await openDemo(page, 'logic', shared);
  await page.getByRole('button', { name: 'Open to other programs …' }).click();
  const dialog = page.getByRole('dialog', { name: 'The bench open to other programs' });
  await expect(dialog).toContainText('Values are good: the bench runs.');
  await expect(dialog.getByRole('row', { name: /^GoodTotal / })).toContainText('good');
  await dialog.getByRole('switch', { name: 'Modbus TCP is open to other programs' }).click();
  await expect(dialog).toContainText(`127.0.0.1:${PORT + 5}`);
  await dialog.getByRole('switch', { name: 'OPC UA is open to other programs' }).click();
  const url = `opc.tcp://127.0.0.1:${PORT + 6}`;
  await expect(dialog).toContainText(url, { timeout: 40_000 });
  const client = opcuaClient();
  try {
    expect(await client.ask('connect', { url })).toBe('connected');
    expect(await client.ask('browse', { path: 'Tags' })).toEqual(['LampReady', 'GoodTotal']);
    expect(await client.ask('watch', { paths: ['GoodTotal'] })).toBe('watching');
    expect(await client.ask('write', { path: 'GoodTotal', type: 'UInt16', value: 345 })).toBe('Good');
    await client.until(() => client.changes.at(-1)?.value === 345);
    await expect(dialog.getByRole('row', { name: /^GoodTotal / })).toContainText('345');
    await expect(dialog.getByRole('list', { name: 'Connected over OPC UA' })).toContainText('Line model');
    const number = await dialog
      .getByRole('row', { name: /^GoodTotal / })
      .getByRole('textbox')
      .inputValue();
    const bench = spawnSync(
      '/usr/bin/mbpoll',
      ['-0', '-1', '-p', String(PORT + 5), '-m', 'tcp', '-t', '4', '-r', number, '127.0.0.1'],
      { encoding: 'utf8', timeout: 20_000 },
    );
    expect(bench.stdout).toMatch(new RegExp(`\\[${number}\\]:\\s+345`));
    await page.keyboard.press('Escape');
    // Closed, it stays open to others; the past is not written to.
    await expect(page.getByRole('button', { name: 'Open to other programs, 1 connected' })).toBeVisible();
    await page.keyboard.press('F5');
    await client.until(() => client.changes.at(-1)?.status === 'UncertainLastUsableValue');
    expect(await client.ask('write', { path: 'GoodTotal', type: 'UInt16', value: 346 })).toBe('Good');
    await page.keyboard.press('Shift+F6');
    expect(await client.ask('write', { path: 'GoodTotal', type: 'UInt16', value: 347 })).toBe('BadDeviceFailure');
    await page.keyboard.press('F5');
    await client.until(() => client.changes.at(-1)?.status === 'Good');
    await page.close();
    await client.until(() => client.changes.at(-1)?.status === 'BadNoCommunication');
    expect(await client.ask('read', { path: 'GoodTotal' })).toMatchObject({ status: 'BadNoCommunication' });
  } finally {
    client.kill();
  }
});

test('the example plays its gate over OPC UA against the bench; what came in is in the history, which replays without it', async ({
  page,
}) => {
  test.slow();
  const folder = fileURLToPath(new URL('../examples/outside/', import.meta.url));
  await openDemo(page, 'logic', readFileSync(join(folder, 'loading-gate.ferrule.json'), 'utf8'));
  await page.getByRole('button', { name: /^Open to other programs/ }).click();
  const dialog = page.getByRole('dialog', { name: 'The bench open to other programs' }),
    open = dialog.getByRole('switch', { name: 'OPC UA is open to other programs' });
  await expect(open).not.toBeChecked();
  await open.click();
  const url = `opc.tcp://127.0.0.1:${PORT + 6}`;
  await expect(dialog).toContainText(url, { timeout: 40_000 });
  await page.keyboard.press('Escape');
  const gate = spawn(process.execPath, [join(folder, 'gate.mjs'), '--once', url]);
  let said = '';
  gate.stdout.on('data', (d) => (said += String(d)));
  gate.stderr.on('data', (d) => (said += String(d)));
  const ended = new Promise((r) => gate.once('exit', r));
  await expect(element(page, 1, 'GateUp, coil')).toHaveAccessibleName(/, power$/, { timeout: 60_000 });
  const at = await scanOf(page);
  await ended;
  expect(said).toMatch(/height 3000 mm after/);
  await expect(element(page, 1, 'GateUp, coil')).not.toHaveAccessibleName(/, power$/);
  await expect(element(page, 1, 'AtTop')).toHaveAccessibleName(/normally closed, open/);
  // Back in the middle of it, with nobody there.
  await pause(page);
  await page.getByRole('button', { name: 'One scan back' }).click();
  await expect(element(page, 1, 'GateUp, coil')).not.toHaveAccessibleName(/, power$/);
  // How long ago that is depends on how long the gate's program took to end.
  for (let i = 0; i < 6_000 && (await scanOf(page)) > at + 40; i += 20)
    for (let k = 0; k < 20; k++) await page.keyboard.press('Shift+F6');
  await expect(element(page, 1, 'GateUp, coil')).toHaveAccessibleName(/, power$/);
});

test('the bench of one window at a time is open to others: the last one that wants to is', async ({
  page,
  context,
}) => {
  await openDemo(page, 'logic', shared);
  await page.getByRole('button', { name: 'Open to other programs …' }).click();
  const dialog = page.getByRole('dialog', { name: 'The bench open to other programs' });
  await dialog.getByRole('switch', { name: 'Modbus TCP is open to other programs' }).click();
  await expect(dialog).toContainText(`127.0.0.1:${PORT + 5}`);
  const second = await context.newPage();
  await openDemo(second, 'logic', shared);
  await second.getByRole('button', { name: /^Open to other programs/ }).click();
  await expect(
    second.getByRole('dialog', { name: 'The bench open to other programs' }).getByRole('row', { name: /^LampReady / }),
  ).toBeVisible();
  await expect(dialog).toContainText('The bench of another window is open to other programs now.');
  // What was open of the one is not open of the other.
  const open = second.getByRole('switch', { name: 'Modbus TCP is open to other programs' });
  await expect(open).not.toBeChecked();
  await open.click();
  await expect(open).toBeChecked();
  // Nor of another project in the same window; there no tag has access, and it says where that is given.
  await second.keyboard.press('Escape');
  await second.getByRole('link', { name: 'Ferrule' }).click();
  await second
    .getByRole('link', { name: /Dust extractor/ })
    .first()
    .click();
  await second.getByRole('button', { name: /^Open to other programs/ }).click();
  await expect(open).not.toBeChecked();
  await expect(
    second.getByText('Nothing: no tag has access from outside. Give it in Tags, under Access.', { exact: true }),
  ).toBeVisible();
});
