import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createInterface } from 'node:readline';
import { fileURLToPath } from 'node:url';
import fc from 'fast-check';
import { DataType } from 'node-opcua-client';
import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest';
import { type OutsideIo, type Project, emptyProject } from '@ferrule/core/document';
import { type OutsidePoint, compile } from '@ferrule/core/workspace';
import { type Value, parseModbusItem } from '@ferrule/core/bench';
import { convert } from '../opcua/carry.js';
import type { FromClient } from '../opcua/client-messages.js';
import { shapeOf } from '../opcua/model.js';
import { OpcuaClient, Trust, browse } from '../opcua/opcua-client.js';
import { type Got, parseOutsideAddress } from './driver.js';
import { lookOutside } from './look.js';
import { modbusMachine } from './modbus-machine.testing.js';
import { OutsideLink } from './outside-link.js';

const until = async (isSo: () => boolean, what: string): Promise<void> => {
  for (let i = 0; i < 500 && !isSo(); i++) await new Promise((r) => setTimeout(r, 20));
  if (!isSo()) throw new Error(`It never came true: ${what}`);
};
const freePort = async (): Promise<number> => {
  const probe = createServer(),
    port = await new Promise<number>((r) =>
      probe.listen(0, '127.0.0.1', () => r((probe.address() as AddressInfo).port)),
    );
  await new Promise((r) => probe.close(r));
  return port;
};

const project = (outside: Partial<OutsideIo> & Pick<OutsideIo, 'protocol' | 'items'>): Project => ({
  ...emptyProject('Line'),
  types: [{ id: 's', text: 'Percent : USINT (0..100);' }],
  tags: [
    { id: '1', name: 'Closed', type: 'BOOL', address: '%IX0.0' },
    { id: '2', name: 'Speed', type: 'INT', address: '%IW2' },
    { id: '3', name: 'Level', type: 'REAL', address: '%ID4' },
    { id: '4', name: 'Share', type: 'Percent', address: '%IB8' },
    { id: '5', name: 'Motor', type: 'BOOL', address: '%QX0.0' },
    { id: '6', name: 'Aim', type: 'INT', address: '%QW2' },
    { id: '7', name: 'Total', type: 'DINT', address: '%QD4', stop: '7' },
  ],
  outside: { isOn: true, address: '', ...outside },
});
const pointsOf = (p: Project): readonly OutsidePoint[] => compile([{ kind: 'project', name: 'p', project: p }]).outside;

/** A link, and what was told of it. */
function linked(p: Project, address: string, cable: () => 'ok' | 'slow' | 'cut' = () => 'ok') {
  const points = pointsOf(p),
    now = new Map<string, Value | undefined>(),
    notes: string[] = [],
    outputs: Record<string, Value> = {};
  const state = { isLost: true };
  const link = new OutsideLink({
    folder: '',
    entry: new URL('file:///none'),
    clockMs: () => performance.now(),
    cable,
    password: () => undefined,
    inputs: (values, isLost) => {
      state.isLost = isLost;
      if (isLost) now.clear();
      for (const [path, value] of values) now.set(path, value);
    },
    outputs: () => points.map((x) => (x.isInput ? undefined : (outputs[x.path] ?? x.rest))),
    note: (w) => notes.push(w),
  });
  link.set({ outside: { ...p.outside!, address }, points, scanMs: 10 });
  return { link, now, notes, outputs, state, points };
}

describe('an address', () => {
  it.each([
    ['opcua', 'opc.tcp://gate:4850/line', { host: 'gate', port: 4850, path: '/line' }],
    ['opcua', ' opc.tcp://10.0.0.1 ', { host: '10.0.0.1', port: 4840, path: '' }],
    ['modbus', '[::1]:1502', { host: '::1', port: 1502, path: '' }],
    ['modbus', 'gate', { host: 'gate', port: 502, path: '' }],
  ] as const)('%s: %s', (protocol, text, at) => expect(parseOutsideAddress(protocol, text)).toEqual(at));
  it.each([
    ['opcua', 'http://gate'],
    ['opcua', ''],
    ['modbus', 'gate:99999'],
    ['modbus', 'gate:0'],
    ['modbus', 'opc.tcp://gate'],
  ] as const)('%s: %s is none, and says what one is', (protocol, text) =>
    expect(parseOutsideAddress(protocol, text)).toContain('write for example'),
  );
  it('places of Modbus', () => {
    expect(
      ['holding 40.3', 'Coil 5', 'coil 5.1', 'input 1.16', 'holding 65536', 'register 3'].map(parseModbusItem),
    ).toEqual([
      { table: 'holding', number: 40, bit: 3 },
      { table: 'coil', number: 5 },
      undefined,
      undefined,
      undefined,
      undefined,
    ]);
  });
});

describe('a value of one data type as another', () => {
  const WHOLE = [DataType.SByte, DataType.Byte, DataType.Int16, DataType.UInt16, DataType.Int32, DataType.UInt32];
  it('law: what goes over into another type comes back as it was', () => {
    fc.assert(
      fc.property(
        fc.constantFrom(...WHOLE, DataType.Double),
        fc.constantFrom(...WHOLE, DataType.Int64, DataType.UInt64, DataType.Double),
        fc.oneof(fc.integer({ min: -300, max: 70_000 }), fc.integer()),
        (from, to, n) => {
          const here = convert(n, DataType.Double, from);
          if (here === undefined) return;
          const there = convert(here, from, to);
          if (there !== undefined) expect(convert(there, to, from)).toBe(here);
        },
      ),
    );
  });
  it('nothing is cut off or guessed', () => {
    expect([
      convert(3.5, DataType.Double, DataType.Int16),
      convert(40_000, DataType.Int32, DataType.Int16),
      convert(-1, DataType.Int16, DataType.UInt32),
      convert(2, DataType.Byte, DataType.Boolean),
      convert('1', DataType.String, DataType.Int16),
      convert(true, DataType.Boolean, DataType.Double),
      convert(NaN, DataType.Double, DataType.Int32),
    ]).toEqual(Array(7).fill(undefined));
    expect([
      convert(1, DataType.Byte, DataType.Boolean),
      convert(true, DataType.Boolean, DataType.Byte),
      convert(-2, DataType.Int16, DataType.Int64),
      convert([0xffffffff, 0xfffffffe], DataType.Int64, DataType.Int16),
      convert(7, DataType.Double, DataType.UInt16),
    ]).toEqual([true, 1, [0xffffffff, 0xfffffffe], -2, 7]);
  });
});

describe('a link over Modbus', () => {
  const ITEMS = [
    { path: 'Closed', item: 'discrete 3', fallback: '1' },
    { path: 'Speed', item: 'input 10' },
    { path: 'Level', item: 'input 11' },
    { path: 'Share', item: 'holding 40' },
    { path: 'Motor', item: 'coil 1' },
    { path: 'Aim', item: 'holding 50' },
    { path: 'Total', item: 'holding 51' },
  ];
  let server: ReturnType<typeof modbusMachine>, port: number;
  const links: OutsideLink[] = [];
  beforeAll(async () => {
    port = await freePort();
    server = modbusMachine(port);
    server.discrete.set(3, 1);
    for (const [n, v] of [
      [10, 0xfff6],
      [11, 0x42f6],
      [12, 0xe979],
    ] as const)
      server.input.set(n, v);
    for (const n of [40, 50, 51, 52]) server.holding.set(n, 0);
    server.coil.set(1, 0);
    await server.start();
  });
  afterEach(async () => {
    for (const l of links.splice(0)) await l.end();
  });
  afterAll(() => server.stop());
  const join = (items = ITEMS, more: Partial<OutsideIo> = {}, cable?: () => 'ok' | 'slow' | 'cut') => {
    const l = linked(project({ protocol: 'modbus', items, ...more }), `127.0.0.1:${port}`, cable);
    links.push(l.link);
    return l;
  };

  it('inputs come with their values, in as few questions as there are stretches, and outputs go', async () => {
    const { link, now, outputs, state } = join();
    await until(() => now.size === 4, 'all inputs came');
    expect(Object.fromEntries(now)).toEqual({ Closed: true, Speed: -10n, Level: Math.fround(123.456), Share: 0n });
    expect(state.isLost).toBe(false);
    outputs['Motor'] = true;
    outputs['Aim'] = -2n;
    outputs['Total'] = 0x12345678n;
    link.look();
    await until(() => server.holding.get(52) === 0x5678, 'outputs went');
    expect([server.coil.get(1), server.holding.get(50), server.holding.get(51)]).toEqual([1, 0xfffe, 0x1234]);
    expect(link.shown.points.map((p) => [p.path, p.value, p.quality])).toEqual([
      ['Closed', '1', 'good'],
      ['Speed', '-10', 'good'],
      ['Level', '123.456', 'good'],
      ['Share', '0', 'good'],
      ['Motor', '1', 'good'],
      ['Aim', '-2', 'good'],
      ['Total', '305419896', 'good'],
    ]);
    server.asked.length = 0;
    await new Promise((r) => setTimeout(r, 200));
    // Discrete input, input registers side by side, holding register: three a round.
    const rounds = server.asked.filter((c) => c === 2).length;
    expect(Math.abs(server.asked.length - 3 * rounds)).toBeLessThan(4);
  });
  it('when it is left, outputs are at their values of stop', async () => {
    const { link, outputs, now } = join();
    outputs['Motor'] = true;
    await until(() => now.size === 4 && server.coil.get(1) === 1, 'the motor runs');
    await link.end();
    expect([server.coil.get(1), server.holding.get(51), server.holding.get(52)]).toEqual([0, 0, 7]);
  });
  it('what is not there, or no value, is bad for that one alone, and says why', async () => {
    server.holding.set(40, 101);
    const { link, now } = join([
      { path: 'Closed', item: 'discrete 3' },
      { path: 'Speed', item: 'input 13' },
      { path: 'Level', item: 'input 11' },
      { path: 'Share', item: 'holding 40' },
      { path: 'Motor', item: 'coil 9' },
      { path: 'Aim', item: 'input 10' },
    ]);
    await until(
      () => link.shown.points[4]!.why !== undefined && link.shown.points[3]!.why !== undefined,
      'all is told',
    );
    expect(Object.fromEntries(now)).toEqual({
      Closed: true,
      Level: Math.fround(123.456),
      Speed: undefined,
      Share: undefined,
    });
    expect(link.shown.points.map((p) => p.why)).toEqual([
      undefined,
      'there is nothing at that number (exception 2)',
      undefined,
      '101 is no value of Percent',
      '0 was not taken: there is nothing at that number (exception 2)',
      'an input register cannot be written; an output goes to a coil or a holding register',
    ]);
    expect([...link.bad()].sort()).toEqual(['share', 'speed']);
    server.holding.set(40, 0);
  });
  it('a bit of a register, low word first, and another unit', async () => {
    server.input.set(20, 0b1000);
    const { now } = join(
      [
        { path: 'Closed', item: 'input 20.3' },
        { path: 'Level', item: 'input 11' },
      ],
      { words: 'low first', unit: 7 },
    );
    await until(() => now.size === 2, 'both came');
    const view = new DataView(new ArrayBuffer(4));
    view.setUint16(0, 0xe979);
    view.setUint16(2, 0x42f6);
    expect([now.get('Closed'), now.get('Level')]).toEqual([true, view.getFloat32(0)]);
  });
  it('a link that breaks, is mute or was never there is away with its reason, and comes back by itself', async () => {
    const { link, now, state, notes } = join();
    await until(() => now.size === 4, 'it stands');
    await server.stop();
    await until(() => state.isLost, 'it is away');
    await until(() => link.shown.why?.startsWith('nothing listens') === true, 'why');
    expect(link.shown).toMatchObject({ state: 'away', why: `nothing listens at 127.0.0.1, port ${port}` });
    expect(link.shown.points[0]).toMatchObject({ value: '1', quality: 'bad' });
    await server.start();
    await until(() => !state.isLost && now.size === 4, 'it stands again');
    server.mute(true);
    await until(() => state.isLost, 'it is mute');
    expect(link.shown.why).toBe('it did not answer within 2 s');
    server.mute(false);
    await until(() => !state.isLost, 'it speaks again');
    expect(notes.filter((n) => n.endsWith('is joined.'))).toHaveLength(3);
    expect(notes.filter((n) => n.includes('is away'))).toHaveLength(3);
  }, 20_000);
  it('the cable cut and slow', async () => {
    let cable: 'ok' | 'slow' | 'cut' = 'ok';
    const { link, now, state } = join(ITEMS, {}, () => cable);
    await until(() => now.size === 4, 'it stands');
    cable = 'cut';
    link.cableChanged();
    await until(() => state.isLost, 'cut');
    expect(link.shown.why).toBe('the network is cut');
    cable = 'slow';
    link.cableChanged();
    await until(() => !state.isLost && now.size === 4, 'slow, but there');
  });
  it('an address that is none says so, and nothing is tried', async () => {
    const { link } = linked(project({ protocol: 'modbus', items: ITEMS }), 'not an address');
    await until(() => link.shown.state === 'away', 'it is told');
    expect(link.shown.why).toContain("'not an address' is no address of a Modbus server");
    await link.end();
  });
  it('looks what is there, number by number where not all are', async () => {
    const look = (table: 'input' | 'coil', from: number, count: number) =>
      lookOutside(
        { protocol: 'modbus', address: `127.0.0.1:${port}` },
        { folder: '', entry: new URL('file:///none'), stretch: { table, from, count } },
      );
    expect((await look('input', 9, 4)).items.map((i) => [i.item, i.value])).toEqual([
      ['input 10', '65526'],
      ['input 11', '17142'],
      ['input 12', '59769'],
    ]);
    await server.stop();
    await expect(look('coil', 0, 1)).rejects.toThrow(`127.0.0.1:${port}: nothing listens at 127.0.0.1, port ${port}.`);
    await server.start();
  });
  it('hostile answers end the link, not the process', async () => {
    await server.stop();
    const wild = createServer((s) => {
      s.on('error', () => s.destroy());
      s.on('data', () => s.write(Buffer.from(Array.from({ length: 300 }, () => Math.floor(Math.random() * 256)))));
    });
    await new Promise<void>((r) => wild.listen(port, '127.0.0.1', r));
    const { state, link } = join();
    await new Promise((r) => setTimeout(r, 1500));
    expect(state.isLost).toBe(true);
    await link.end();
    await new Promise((r) => wild.close(r));
    await server.start();
  }, 15_000);
});

/** The test machine in a process of its own. */
class Machine {
  private readonly child: ChildProcess;
  private readonly waiting: ((x: { done?: unknown; failed?: string }) => void)[] = [];
  constructor() {
    this.child = spawn(
      process.execPath,
      [fileURLToPath(new URL('../../../../e2e/opcua-machine.mjs', import.meta.url))],
      {
        stdio: ['pipe', 'pipe', 'inherit'],
      },
    );
    createInterface({ input: this.child.stdout! }).on('line', (l) => {
      if (l.startsWith('> ')) this.waiting.shift()?.(JSON.parse(l.slice(2)) as { done?: unknown });
    });
  }
  do(what: string, args: object = {}): Promise<unknown> {
    this.child.stdin!.write(`${JSON.stringify({ do: what, ...args })}\n`);
    return new Promise((resolve, reject) =>
      this.waiting.push((x) => (x.failed === undefined ? resolve(x.done) : reject(new Error(x.failed)))),
    );
  }
  kill(): void {
    this.child.kill('SIGKILL');
  }
}

describe('a link over OPC UA', () => {
  let machine: Machine, port: number, folder: string;
  const MACHINE_ITEMS = {
    'Line.Gate.Closed': 'Boolean',
    'Line.Speed': 'Double',
    'Line.Motor': 'Boolean',
    'Line.Aim': 'UInt16',
    'Line.Only': 'Int32*',
    'Line.All': 'Float[]',
  };
  const start = async () => {
    machine = new Machine();
    await machine.do('start', { port, folder: join(folder, 'machine'), items: MACHINE_ITEMS });
  };
  beforeAll(async () => {
    folder = mkdtempSync(join(tmpdir(), 'ferrule-outside-'));
    port = await freePort();
    await start();
  }, 60_000);
  afterAll(() => {
    machine.kill();
    rmSync(folder, { recursive: true, force: true });
  });
  const settings = (security: 'plain' | 'signed' | 'encrypted' = 'plain') => ({
    url: `opc.tcp://127.0.0.1:${port}`,
    security,
    folder: join(folder, 'own'),
  });

  it('looks what is there: names on the way, types, what may be done; the server itself is left out', async () => {
    const found = await browse(settings(), new Trust(() => undefined));
    expect(found.items.map((i) => [i.name, i.type, i.canRead, i.canWrite])).toEqual([
      ['Line.Speed', 'Double', true, true],
      ['Line.Motor', 'Boolean', true, true],
      ['Line.Aim', 'UInt16', true, true],
      ['Line.Only', 'Int32', true, false],
      ['Line.Gate.Closed', 'Boolean', true, true],
    ]);
    expect([found.lists, found.isCut]).toEqual([1, false]);
  }, 30_000);

  it('inputs come as they change with their quality, outputs go as the type that is there; killed, it is away and comes back', async () => {
    const p = project({
        protocol: 'opcua',
        items: [
          { path: 'Closed', item: 'ns=1;s=Line.Gate.Closed' },
          { path: 'Speed', item: 'ns=1;s=Line.Speed' },
          { path: 'Level', item: 'ns=1;s=Line.All' },
          { path: 'Share', item: 'ns=1;s=Line.Nothing' },
          { path: 'Motor', item: 'ns=1;s=Line.Motor' },
          { path: 'Aim', item: 'ns=1;s=Line.Aim' },
          { path: 'Total', item: 'ns=1;s=Line.Only' },
        ],
      }),
      points = pointsOf(p),
      heard = new Map<string, Got>(),
      states: string[] = [];
    const client = new OpcuaClient(
      settings(),
      points.map((x) => ({ item: x.item, isInput: x.isInput, shape: shapeOf(x.type) })),
      10,
      new Trust(() => undefined),
      (m: FromClient) => {
        if (m.kind === 'up' || m.kind === 'away') states.push(m.kind);
        if (m.kind === 'got') for (const g of m.all) heard.set(points[g.n]!.path, g);
      },
    );
    const put = (path: string, value: Value) => client.put([[points.findIndex((x) => x.path === path), value]]);
    await until(() => states.includes('up') && heard.size === 4, 'the first values');
    expect([heard.get('Closed')?.value, heard.get('Speed')?.value]).toEqual([false, 0n]);
    expect([heard.get('Level')?.why, heard.get('Share')?.why]).toEqual([
      'it is a list of values',
      'there is no such item (BadNodeIdUnknown)',
    ]);
    await machine.do('set', { path: 'Line.Gate.Closed', value: true });
    await machine.do('set', { path: 'Line.Speed', value: 1200 });
    await until(() => heard.get('Closed')?.value === true && heard.get('Speed')?.value === 1200n, 'a change');
    await machine.do('set', { path: 'Line.Speed', value: 0.5 });
    await until(() => heard.get('Speed')?.why === 'Double 0.5 is no value of INT', 'no whole number');
    await machine.do('set', { path: 'Line.Speed', value: 3, status: 'UncertainLastUsableValue' });
    await until(() => heard.get('Speed')?.isUncertain === true && heard.get('Speed')?.value === 3n, 'uncertain');
    await machine.do('set', { path: 'Line.Speed', value: 3, status: 'BadDeviceFailure' });
    await until(() => heard.get('Speed')?.why === 'what feeds it has failed (BadDeviceFailure)', 'bad');
    put('Motor', true);
    put('Aim', 500n);
    put('Total', 1n);
    await until(() => heard.has('Total') && heard.get('Aim')?.value === 500n, 'outputs were answered');
    expect(await machine.do('get', { path: 'Line.Motor' })).toBe(true);
    expect(await machine.do('get', { path: 'Line.Aim' })).toBe(500);
    expect(heard.get('Total')?.why).toMatch(/^it may not be written|^this user/);
    put('Aim', -1n);
    await until(() => heard.get('Aim')?.why === '-1 cannot be written there as UInt16', 'too small for it');
    machine.kill();
    await until(() => states.at(-1) === 'away', 'it is away');
    await start();
    await until(() => states.at(-1) === 'up', 'it is back');
    put('Motor', true);
    await until(() => heard.get('Motor')?.value === true, 'outputs again');
    await client.end([[4, false]]);
    expect(await machine.do('get', { path: 'Line.Motor' })).toBe(false);
  }, 60_000);

  it('signed and encrypted, as soon as its certificate is trusted', async () => {
    let shown: FromClient & { kind: 'certificates' } = { kind: 'certificates', certificates: [] };
    const trust = new Trust((m) => {
      if (m.kind === 'certificates') shown = m;
    });
    await expect(browse(settings('encrypted'), trust)).rejects.toThrow('its certificate is not trusted yet');
    expect(shown.certificates).toHaveLength(1);
    await trust.set(settings().folder, shown.certificates[0]!.thumbprint, true);
    expect(shown.certificates[0]!.isTrusted).toBe(true);
    expect((await browse(settings('encrypted'), trust)).items).toHaveLength(5);
    expect((await browse(settings('signed'), trust)).items).toHaveLength(5);
  }, 60_000);
});
