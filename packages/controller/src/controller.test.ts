/** The stand-in over its real HTTP and WebSocket, with time in our hands. */
import fc from 'fast-check';
import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { type Server, createServer, get } from 'node:http';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Engine, History, frameBytes, type OpenShown, transferState } from '@ferrule/core/bench';
import { type Project, emptyProject, projectHash, projectText } from '@ferrule/core/document';
import { type RunRecording, playRecording, readRecording } from '@ferrule/core/files';
import { compile } from '@ferrule/core/workspace';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { WebSocket } from 'ws';
import { Access, keyIn } from './access.js';
import { createApp } from './app.js';
import { Controller } from './controller.js';
import { EventLog } from './event-log.js';
import { attachLive } from './live.js';
import { ImageStore } from './image-store.js';
import type { OpenProtocols } from '@ferrule/protocols';
import { OutsideIoOfController } from './outside-io.js';
import { otherPrograms } from './other-programs.js';
import { ProgramStore, UnsureError } from './program-store.js';
import { RecordingStore } from './recordings.js';
import { RetainedStore, putRetained, retainedCount, retainedOf } from './retained.js';
import { prepare } from './prepare.js';
import type { Runner } from './runner.js';
import { scanHere } from './scan.js';

const demo = JSON.parse(
  readFileSync(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const KEY = 'a key';
const KEYED = { authorization: `Bearer ${KEY}` };
/** The scan's side of each controller's. */
const sides = new WeakMap<object, ReturnType<typeof scanHere>>();
const stop = () => sides.get(controller.scan)!.stop();
let folder: string,
  server: Server,
  base: string,
  runner: Runner,
  controller: Controller,
  others: OpenProtocols,
  outside: OutsideIoOfController,
  endLive: () => void;

/** Time that passed without anybody waiting for it, in ms. */
let passedMs = 0;
const clockMs = () => performance.now() + passedMs;

/** A controller over a folder, as after its power came. */
async function powered(over: string): Promise<Controller> {
  const here = scanHere(clockMs);
  sides.set(here.scan, here);
  const c = new Controller(here.scan, {
    name: 'Cabinet A',
    programs: new ProgramStore(over),
    retained: new RetainedStore(over),
    images: new ImageStore(over),
    log: new EventLog(over),
    recordings: new RecordingStore(over),
    clockMs,
    wallMs: Date.now,
  });
  await c.start();
  return c;
}

const opened = (modbusPort: number, opcuaHost = '127.0.0.1'): OpenProtocols =>
  otherPrograms(controller, outside, {
    modbusPort,
    opcuaPort: 1,
    opcuaHost,
    folder: join(folder, 'opcua'),
    opcuaEntry: new URL('./none.mjs', import.meta.url),
    clockMs,
  });

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-'));
  controller = await powered(folder);
  runner = sides.get(controller.scan)!.server.runner;
  outside = new OutsideIoOfController(controller, {
    folder,
    entry: new URL('./none.mjs', import.meta.url),
    clockMs,
  });
  others = opened(0);
  server = createServer(createApp(controller, { wallMs: Date.now, access: new Access(KEY), open: others, outside }));
  endLive = attachLive(server, controller, new Access(KEY));
  await new Promise<void>((r) => {
    server.listen(0, '127.0.0.1', r);
  });
  base = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
});
afterEach(async () => {
  endLive();
  await others.stop();
  await outside.end();
  await controller.end();
  server.close();
  server.closeAllConnections();
  rmSync(folder, { recursive: true });
});

async function call(
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; body: Record<string, never> }> {
  const raw = body instanceof Uint8Array;
  const r = await fetch(base + path, {
    method,
    ...(body === undefined ? {} : { body: (raw ? body : JSON.stringify(body)) as BodyInit }),
    headers: { ...KEYED, 'content-type': raw ? 'application/octet-stream' : 'application/json' },
  });
  return { status: r.status, body: (await r.json()) as Record<string, never> };
}

async function send(project: Project, upTo = Infinity, hash = projectHash(project)): Promise<string> {
  const bytes = new TextEncoder().encode(projectText(project));
  const { body } = await call('POST', '/downloads', { size: bytes.length, hash, revision: 7, note: 'Longer dwell' });
  const size = Number(body['chunkSize']);
  for (let at = 0, n = 0; at < bytes.length && n < upTo; at += size, n++)
    await call('PUT', `/downloads/${body['id']}/${n}`, bytes.subarray(at, at + size));
  return String(body['id']);
}
const download = async (project: Project, mode = 'restart', upTo = Infinity, hash = projectHash(project)) =>
  call('POST', `/downloads/${await send(project, upTo, hash)}/commit`, { mode });
const words = () => controller.events(100, 0).map((e) => e.words);
const rename = (p: Project, name: string): Project => ({ ...p, name });

describe('download', () => {
  it('takes a program whole, verified by its hash, and keeps it over a power cut', async () => {
    expect(await download(demo)).toEqual({ status: 200, body: { hash: projectHash(demo), lost: [] } });
    expect((await call('GET', '/status')).body).toMatchObject({
      state: 'stop',
      project: 'Wire-end crimp cell',
      revision: 7,
    });
    expect((await call('GET', '/program')).body['project']).toEqual(demo);
    const again = await powered(folder);
    expect(again.scan.program!.hash).toBe(projectHash(demo));
    expect(await again.status()).toMatchObject({ state: 'stop', note: 'Longer dwell', retained: 2 });
    await again.end();
  });
  it('broken off in the middle leaves the old program running', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    expect((await download(rename(demo, 'New'), 'keep', 5)).status).toBe(409);
    controller.network = 'cut';
    await expect(call('GET', '/status')).rejects.toThrow();
    controller.network = 'ok';
    expect((await call('GET', '/status')).body).toMatchObject({ state: 'run', project: 'Wire-end crimp cell' });
    expect(new ProgramStore(folder).read()!.program!.hash).toBe(projectHash(demo));
  });
  it('with another hash than announced, or with errors, is refused', async () => {
    expect((await download(demo, 'restart', Infinity, 'f'.repeat(64))).status).toBe(409);
    const broken = JSON.parse(JSON.stringify(demo).replace('-> Running"', '-> Runing"')) as Project;
    const r = await download(broken);
    expect(r.status).toBe(422);
    expect(String(r.body['message'])).toContain("There is no tag 'Runing'");
    expect((await call('GET', '/status')).body).toMatchObject({ state: 'empty' });
  });
  it('that keeps the state goes on with every value that fits', async () => {
    await download(demo);
    runner.engine!.write('GoodTotal', 17n);
    const r = await download(
      {
        ...demo,
        tags: demo.tags.map((t) => (t.name === 'LastPull' ? { ...t, type: 'LREAL' } : t)),
        pous: demo.pous.map((p) =>
          p.language === 'LD'
            ? { ...p, rungs: p.rungs.map((x) => ({ ...x, line: x.line.replace('LastPull := PullTest.Peak; ', '') })) }
            : p,
        ),
      },
      'keep',
    );
    expect(r.body['lost']).toEqual(['LastPull: was REAL, is LREAL']);
    expect(runner.engine!.read('GoodTotal')).toBe(17n);
  });
});

describe('running', () => {
  it('scans in real time, takes writes and forces, and says what is wrong with them', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    await call('POST', '/events', { kind: 'write', path: 'Machine.Start.Pressed', value: '1' });
    await call('POST', '/events', { kind: 'force', path: 'DieDown', value: '1' });
    const from = Number((await call('GET', '/status')).body['scan']);
    await new Promise((r) => setTimeout(r, 300));
    const status = (await call('GET', '/status')).body;
    expect(Number(status['scan']) - from).toBeGreaterThan(10);
    expect(status['forces']).toEqual([{ path: 'DieDown', value: 'true' }]);
    expect([runner.engine!.read('Running'), runner.engine!.read('DieDown')]).toEqual([true, true]);
    expect((await call('POST', '/events', { kind: 'write', path: 'Nope', value: '1' })).body['message']).toBe(
      "There is no tag 'Nope'.",
    );
    expect((await call('POST', '/events', { kind: 'write', path: 'Running', value: 'maybe' })).status).toBe(400);
    await call('POST', '/events', { kind: 'releaseAll' });
    expect((await call('GET', '/status')).body['forces']).toEqual([]);
  });
  it('takes nothing that is asked for right before a scan, so that it does not come late for it', async () => {
    const { server } = sides.get(controller.scan)!;
    expect(server.hasRoom(undefined)).toBe(true);
    await running(counting(COUNT));
    stop();
    const stepMs = Number(runner.engine!.stepNs) / 1e6;
    const nowMs = performance.now() + 10 * stepMs,
      clock = vi.spyOn(performance, 'now').mockReturnValue(nowMs);
    try {
      server.tick();
      // Right behind a scan, however little is left to the next.
      expect([runner.hasJustScanned, server.hasRoom(0.1)]).toEqual([true, true]);
      server.tick();
      expect([runner.hasJustScanned, server.hasRoom(0.1), server.hasRoom(0.9 * stepMs)]).toEqual([false, false, true]);
    } finally {
      clock.mockRestore();
    }
  });
  it('without a program it cannot run', async () => {
    expect((await call('POST', '/mode', { mode: 'run' })).body['message']).toContain('download one first');
  });
  it('sends live values of just what is asked for, and the cut cable ends that', async () => {
    await download(demo);
    await call('POST', '/mode', { mode: 'run' });
    const ws = new WebSocket(`${base.replace('http', 'ws')}/live`, { headers: KEYED });
    await new Promise((r) => ws.once('open', r));
    ws.send('nonsense');
    ws.send(JSON.stringify({ paths: ['StopOK', 'Step', 'Nope'], rungs: ['r1'] }));
    const frame = await new Promise<Record<string, Record<string, unknown>>>((r) =>
      ws.on('message', (m) => {
        const f = JSON.parse(String(m)) as Record<string, Record<string, unknown>>;
        if (f['power']!['r1'] && f['values']!['StopOK'] === true) r(f);
      }),
    );
    expect((await call('GET', '/status')).body['views']).toBe(1);
    expect(frame['values']).toEqual({ StopOK: true, Step: 'Idle' });
    expect(frame['power']!['r1'] as number[]).toHaveLength(9);
    const closed = new Promise((r) => ws.once('close', r));
    controller.network = 'cut';
    await closed;
  });
});

/** A project of one text over an input, an output, and a count that is kept and one that is not. */
const counting = (body: string, more: Project['tags'] = []): Project => ({
  ...emptyProject('Counting'),
  tags: [
    { id: 'a', name: 'A', type: 'BOOL', address: '%IX0.0' },
    { id: 'q', name: 'Q', type: 'BOOL', address: '%QX0.0' },
    { id: 'k', name: 'Kept', type: 'DINT', retain: true },
    { id: 'n', name: 'Now', type: 'DINT' },
    ...more,
  ],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: ['Main'] }],
  pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: `PROGRAM Main\n${body}\nEND_PROGRAM\n` }],
});
const COUNT = 'Kept := Kept + 1; Now := Now + 1; Q := TRUE;';
const number = (path: string) => Number(runner.engine!.read(path));
async function running(project: Project): Promise<void> {
  expect((await download(project)).status).toBe(200);
  // From here on scans are made by hand.
  stop();
  expect((await call('POST', '/mode', { mode: 'run' })).status).toBe(200);
}
const scans = (n: number) => {
  for (let i = 0; i < n; i++) runner.scan();
};

describe('stop, key and power', () => {
  it('stop takes outputs off and the machine goes on; run begins anew with what is retained', async () => {
    await running(counting(COUNT));
    scans(167);
    expect([number('Kept'), number('Now'), runner.engine!.read('Q')]).toEqual([167, 167, true]);
    await call('POST', '/mode', { mode: 'stop' });
    const at = runner.engine!.scan;
    scans(3);
    expect([number('Kept'), runner.engine!.read('Q'), runner.engine!.scan]).toEqual([167, false, at + 3]);
    await call('POST', '/mode', { mode: 'run' });
    stop();
    scans(1);
    expect([number('Kept'), number('Now')]).toEqual([168, 1]);
  });
  it('an output that says so takes its value at stop in stop and after a fault; forces are above that', async () => {
    const held = counting(`${COUNT} V := 7; IF A THEN Now := 1 / (Now - Now); END_IF;`, [
      { id: 'v', name: 'V', type: 'INT', address: '%QW2', stop: '-3' },
    ]);
    await running({ ...held, tags: held.tags.map((t) => (t.name === 'Q' ? { ...t, stop: 'TRUE' } : t)) });
    scans(2);
    expect([number('V'), runner.engine!.read('Q')]).toEqual([7, true]);
    await call('POST', '/mode', { mode: 'stop' });
    scans(1);
    expect([number('V'), runner.engine!.read('Q')]).toEqual([-3, true]);
    await call('POST', '/mode', { mode: 'run' });
    scans(1);
    expect(number('V')).toBe(7);
    await call('POST', '/events', { kind: 'write', path: 'A', value: '1' });
    scans(2);
    expect(await controller.status()).toMatchObject({ state: 'fault' });
    expect(number('V')).toBe(-3);
  });
  it('the machine of the demo moves on through stop: what an output moved comes back', async () => {
    await running(demo);
    await call('POST', '/events', { kind: 'force', path: 'DieClose', value: '1' });
    scans(300);
    expect(runner.engine!.read('DieDown')).toBe(true);
    await call('POST', '/events', { kind: 'releaseAll' });
    await call('POST', '/mode', { mode: 'stop' });
    stop();
    scans(300);
    expect(runner.engine!.read('DieDown')).toBe(false);
  });
  it('a fault takes outputs off; the fault is told and logged, run leaves it', async () => {
    await running(counting(`${COUNT} IF A THEN Now := Now / 0 * Kept; END_IF;`.replace('/ 0', '/ (Now - Now)')));
    scans(2);
    await call('POST', '/events', { kind: 'write', path: 'A', value: '1' });
    scans(5);
    expect(await controller.status()).toMatchObject({
      state: 'fault',
      fault: expect.stringContaining('Division by zero'),
    });
    expect(runner.engine!.read('Q')).toBe(false);
    expect(words().some((w) => w.includes('Division by zero'))).toBe(true);
    await call('POST', '/events', { kind: 'write', path: 'A', value: '0' });
    await call('POST', '/mode', { mode: 'run' });
    expect((await controller.status()).state).toBe('run');
  });
  it('the key decides, whatever is told over the network, and over a power cut', async () => {
    await running(counting(COUNT));
    await call('POST', '/cabinet/key', { state: 'stop' });
    expect(await controller.status()).toMatchObject({ state: 'stop', mode: 'stop', key: 'stop' });
    expect((await call('POST', '/mode', { mode: 'run' })).body['message']).toContain(
      'The key switch at the cabinet stands at stop',
    );
    await call('POST', '/cabinet/power', { state: 'off' });
    await expect(call('GET', '/status')).rejects.toThrow();
    await call('POST', '/cabinet/power', { state: 'on' });
    expect(await controller.status()).toMatchObject({ state: 'stop', key: 'stop' });
    await call('POST', '/cabinet/key', { state: 'remote' });
    expect((await controller.status()).state).toBe('run');
  });
  it('retained values live through a power cut, not without a battery', async () => {
    await running(counting(COUNT));
    scans(40);
    await call('POST', '/cabinet/power', { state: 'off' });
    await call('POST', '/cabinet/power', { state: 'on' });
    stop();
    expect([number('Kept') >= 40, number('Now') <= 2]).toEqual([true, true]);
    await call('POST', '/cabinet/battery', { state: 'flat' });
    await call('POST', '/cabinet/power', { state: 'off' });
    await call('POST', '/cabinet/power', { state: 'on' });
    expect(number('Kept')).toBeLessThan(5);
    expect(words().some((w) => w.startsWith('The battery is flat: retained values'))).toBe(true);
  });
  it('retained values live through a download of the same layout, and through one that moves them', async () => {
    await running(counting(COUNT));
    scans(25);
    await download(counting(COUNT.replace('Q := TRUE', 'Q := FALSE')));
    stop();
    expect(number('Kept')).toBe(25);
    await download(counting(COUNT, [{ id: 'z', name: 'Zero', type: 'LREAL', retain: true }]));
    expect(number('Kept')).toBe(25);
    // Killed right after: what the disk holds is what was said to be kept.
    const again = await powered(folder);
    expect(Number(sides.get(again.scan)!.server.runner.engine!.read('Kept'))).toBe(25);
    await again.end();
  });
});

describe('a card pulled', () => {
  const turn = async (card: string, state: string) => call('POST', '/cabinet/card', { card, state });
  const pulledCards = () => controller.cabinet.cards.filter((c) => c.isPulled).map((c) => c.id);

  it('what lies on it reads 0 and is bad to other programs, what is written down; it stays out over stop, power and programs', async () => {
    const withSpare: Project = {
      ...demo,
      tags: [...demo.tags, { id: 'spare', name: 'Spare', type: 'BOOL', address: '%IX0.7' }],
    };
    await running(withSpare);
    await call('POST', '/events', { kind: 'write', path: 'Spare', value: '1' });
    scans(5);
    expect(controller.cabinet.cards.map((c) => `${c.words}: ${c.tags.length}`)).toContain(
      'Inputs %IX0.0 to %IX1.7: 15',
    );
    expect([runner.engine!.read('StopOK'), pulledCards()]).toEqual([true, []]);
    expect((await turn('IX0', 'pulled')).status).toBe(200);
    scans(2);
    expect(runner.engine!.read('StopOK')).toBe(false);
    expect(words()).toContain('The card Inputs %IX0.0 to %IX1.7 is pulled: what lies on it reads 0.');
    // Nobody forced anything.
    expect((await controller.status()).forces).toEqual([]);
    await call('POST', '/events', { kind: 'releaseAll' });
    scans(1);
    expect(runner.engine!.read('StopOK')).toBe(false);
    const state = (await call('GET', '/state')).body as unknown as { forces: { path: string; by?: string }[] };
    expect(state.forces).toEqual([
      { path: '%IB0', value: '0', by: 'card' },
      { path: '%IB1', value: '0', by: 'card' },
    ]);
    await call('POST', '/mode', { mode: 'stop' });
    scans(2);
    await call('POST', '/mode', { mode: 'run' });
    scans(2);
    expect(runner.engine!.read('StopOK')).toBe(false);
    expect((await download(rename(withSpare, 'Another'), 'keep')).status).toBe(200);
    scans(2);
    expect(['StopOK', 'Spare'].map((path) => runner.engine!.read(path))).toEqual([false, false]);
    // Nothing drives this one: its terminal is what it was set to, also with another program and while the card is out.
    await turn('IX0', 'in');
    scans(1);
    expect(['StopOK', 'Spare'].map((path) => runner.engine!.read(path))).toEqual([true, true]);
    await turn('IX0', 'pulled');
    scans(1);
    expect(runner.engine!.read('StopOK')).toBe(false);
    await call('POST', '/cabinet/power', { state: 'off' });
    expect(pulledCards()).toEqual(['IX0']);
    await call('POST', '/cabinet/power', { state: 'on' });
    expect(words()).toContain('Pulled: Inputs %IX0.0 to %IX1.7.');
    scans(2);
    expect(runner.engine!.read('StopOK')).toBe(false);
    await turn('IX0', 'in');
    scans(1);
    expect([runner.engine!.read('StopOK'), pulledCards()]).toEqual([true, []]);
    expect(words()).toContain('The card Inputs %IX0.0 to %IX1.7 is in again.');
  });

  it('through a trial and back; what led to it is recorded and plays again by the byte', async () => {
    await running(demo);
    await call('POST', '/events', { kind: 'write', path: 'Machine.Start.Pressed', value: '1' });
    scans(40);
    await turn('QX0', 'pulled');
    scans(40);
    const { body } = await call('POST', '/recordings', { ms: 10_000 }),
      r = readRecording(JSON.stringify((await call('GET', `/recordings/${body['id']}`)).body)) as RunRecording,
      compiled = compile([{ kind: 'project', name: r.project!.name, project: r.project! }]),
      image = compiled.build(true),
      history = new History(image, { stepNs: BigInt(r.stepNs), wires: compiled.wires });
    expect(playRecording(history, image, r)).toMatchObject({ isSame: true, dropped: [] });
    expect(history.engine.pulledCards.map((f) => f.path)).toEqual(['%QB0', '%QB1']);
    const id = await send(rename(demo, 'Tried'));
    await call('POST', `/downloads/${id}/try`, { against: controller.scan.program!.hash, graceMs: 60_000, by: 'Ada' });
    expect(controller.scan.trial?.name).toBe('Tried');
    scans(2);
    expect([runner.engine!.read('LampRunning'), runner.engine!.read('Machine.RunLamp.Power')]).toEqual([true, false]);
    await call('POST', '/trial/back-out', {});
    scans(2);
    expect(runner.engine!.read('Machine.RunLamp.Power')).toBe(false);
    await turn('QX0', 'in');
    scans(2);
    expect(runner.engine!.read('Machine.RunLamp.Power')).toBe(true);
  });

  it('one that is not there, or no place that it can be in', async () => {
    await download(demo);
    expect(await turn('QX40', 'pulled')).toMatchObject({
      status: 404,
      body: { message: "There is no card 'QX40' in the cabinet." },
    });
    expect((await turn('IX0', 'flat')).status).toBe(400);
    // A program that does not need it leaves it where it is: it can be put in.
    await turn('IB16', 'pulled');
    await download(counting(COUNT));
    expect(controller.cabinet.cards.map((c) => `${c.words} ${c.isPulled}`)).toEqual([
      'Inputs %IX0.0 to %IX1.7 false',
      'Outputs %QX0.0 to %QX1.7 false',
      'Inputs %IB16 to %IB23 true',
    ]);
    expect((await turn('IB16', 'in')).status).toBe(200);
    expect(pulledCards()).toEqual([]);
  });
});

describe('retained values on disk', () => {
  it('cut at any byte leave the last whole set', async () => {
    await running(counting(COUNT));
    const store = new RetainedStore(folder),
      { image, engine } = runner.active!,
      { layout } = retainedOf(image, engine.memory);
    const set = (n: bigint) => {
      engine.write('Kept', n);
      store.write(retainedOf(image, engine.memory));
    };
    set(1n);
    set(2n);
    const newest = ['retained-a.json', 'retained-b.json']
      .map((f) => join(folder, f))
      .sort((x, y) => statSync(y).mtimeMs - statSync(x).mtimeMs)
      .find((f) => {
        const state = image.initial.slice();
        const other = new RetainedStore(folder).read(layout)!;
        putRetained(image, state, other);
        return readFileSync(f, 'utf8').includes(Buffer.from(other.bytes).toString('base64'));
      })!;
    const whole = readFileSync(newest);
    for (let n = 0; n < whole.length; n++) {
      writeFileSync(newest, whole.subarray(0, n));
      const found = new RetainedStore(folder).read(layout)!,
        state = image.initial.slice();
      expect(putRetained(image, state, found)).toBe(true);
      expect(new DataView(state.buffer).getInt32(image.symbols.get('kept')!.address, true)).toBe(1);
    }
    expect(retainedCount(image)).toBe(1);
  });
});

describe('a trial', () => {
  const slower = counting(COUNT.replace('Now + 1', 'Now + 100'));
  const attempt = async (project: Project, more: object = {}) =>
    call('POST', `/downloads/${await send(project)}/try`, {
      against: controller.scan.program!.hash,
      by: 'Ada',
      ticket: 'mine',
      ...more,
    });
  it('is obeyed at once with every value; back out goes on with what it did; keep stays over a power cut', async () => {
    await running(counting(COUNT));
    scans(10);
    expect(await attempt(slower)).toMatchObject({ status: 200, body: { lost: [] } });
    scans(2);
    expect([number('Kept'), number('Now')]).toEqual([12, 210]);
    expect((await controller.status()).trial).toMatchObject({ by: 'Ada', hash: projectHash(slower) });
    await call('POST', '/trial/back-out', { by: 'Ada' });
    scans(1);
    expect([number('Kept'), number('Now'), (await controller.status()).trial]).toEqual([13, 211, undefined]);
    await attempt(slower);
    await call('POST', '/trial/keep', { by: 'Ada' });
    scans(1);
    expect([number('Now'), (await controller.status()).hash]).toEqual([311, projectHash(slower)]);
    const again = await powered(folder);
    expect(again.scan.program!.hash).toBe(projectHash(slower));
    await again.end();
    expect(words().some((w) => w.startsWith('Ada kept the trial'))).toBe(true);
  });
  it('that ends in the moment in which it is written is not kept, in memory or on the disk', async () => {
    await running(counting(COUNT));
    const real = ProgramStore.prototype.write,
      held = () => new ProgramStore(folder).read()!.program!.hash,
      old = projectHash(counting(COUNT));
    let isWell = true;
    const written = vi.spyOn(ProgramStore.prototype, 'write').mockImplementation(function (this: ProgramStore, kept) {
      if (kept.program!.hash === old && !isWell) throw new Error('the disk is gone');
      real.call(this, kept);
      // Written, and the logic faults before the scan is told.
      if (kept.program!.hash !== old) runner.backOut();
    });
    try {
      await attempt(slower);
      const { status, body } = await call('POST', '/trial/keep', { by: 'Ada' });
      expect([status, body['message']]).toEqual([409, 'The trial ended before it was kept; the kept program goes on.']);
      expect([held(), (await controller.status()).hash]).toEqual([old, old]);
      expect(words().some((w) => w.startsWith('Ada kept'))).toBe(false);
      isWell = false;
      await attempt(slower);
      const again = await call('POST', '/trial/keep', { by: 'Ada' });
      expect(again.status).toBe(507);
      expect(String(again.body['message'])).toMatch(/could not take it off its disk again \(the disk is gone\)/);
      expect([held(), (await controller.status()).hash]).toEqual([projectHash(slower), old]);
      isWell = true;
      await expect.poll(held, { timeout: 5000 }).toBe(old);
    } finally {
      written.mockRestore();
    }
  });
  it('does not run out while it is being kept', async () => {
    await running(counting(COUNT));
    await attempt(slower, { graceMs: 2000 });
    passedMs += 1900;
    const real = ProgramStore.prototype.write,
      slow = vi.spyOn(ProgramStore.prototype, 'write').mockImplementation(function (this: ProgramStore, kept) {
        const until = performance.now() + 300;
        while (performance.now() < until);
        real.call(this, kept);
        scans(1);
      });
    try {
      expect((await call('POST', '/trial/keep', { by: 'Ada' })).status).toBe(200);
      expect((await controller.status()).hash).toBe(projectHash(slower));
    } finally {
      slow.mockRestore();
    }
  });
  it('ends when who tries is not heard of, when it faults, and when the power goes', async () => {
    await running(counting(COUNT));
    await attempt(slower, { graceMs: 2000 });
    passedMs += 1200;
    // A word for another trial does not count.
    expect((await call('POST', '/trial/heard', { ticket: 'another' })).body).toEqual({ trial: false });
    expect((await call('POST', '/trial/heard', {})).body).toEqual({ trial: false });
    expect((await call('POST', '/trial/heard', { ticket: 'mine' })).body).toEqual({ trial: true });
    passedMs += 1200;
    scans(1);
    expect((await controller.status()).trial).toBeDefined();
    passedMs += 1000;
    scans(1);
    expect((await controller.status()).trial).toBeUndefined();
    expect((await call('POST', '/trial/heard', { ticket: 'mine' })).body).toEqual({ trial: false });
    await attempt(counting(`${COUNT} IF Now > 0 THEN Now := 1 / (Now - Now); END_IF;`));
    const before = number('Kept');
    scans(2);
    expect(await controller.status()).toMatchObject({ state: 'run', hash: projectHash(counting(COUNT)) });
    expect([(await controller.status()).trial, number('Kept')]).toEqual([undefined, before + 2]);
    expect(words()).toEqual(
      expect.arrayContaining([
        'The trial was backed out: it faulted. The kept program goes on.',
        'The trial was backed out: who tried it was not heard of any more. The kept program goes on.',
      ]),
    );
    await attempt(slower);
    await call('POST', '/cabinet/power', { state: 'off' });
    await call('POST', '/cabinet/power', { state: 'on' });
    expect(await controller.status()).toMatchObject({ hash: projectHash(counting(COUNT)) });
    expect((await controller.status()).trial).toBeUndefined();
  });
  it('against another program than is kept, a second one, or with errors, is refused; the machine runs on', async () => {
    await running(counting(COUNT));
    expect((await attempt(slower, { against: 'f'.repeat(64) })).body['message']).toContain(
      'The controller keeps another program than this was drafted against: rev 7',
    );
    expect((await attempt(counting('Nope := 1;'))).status).toBe(422);
    expect((await attempt(slower, { graceMs: 5 })).status).toBe(400);
    expect((await call('POST', '/trial/keep', {})).status).toBe(409);
    expect((await call('POST', '/trial/back-out', {})).status).toBe(409);
    await attempt(slower);
    expect((await attempt(counting(COUNT))).body['message']).toContain('A trial is running already');
    expect((await download(counting(COUNT))).body['message']).toContain('A trial is running');
    scans(1);
    expect((await controller.status()).state).toBe('run');
  });
  it('law: tried and backed out at any moment, what both programs know is as if the kept one had received it', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.tuple(fc.nat(20), fc.nat(20), fc.nat(20)),
        fc.record({
          step: fc.integer({ min: -5, max: 5 }),
          delay: fc.integer({ min: 1, max: 30 }),
          extra: fc.boolean(),
        }),
        fc.array(fc.boolean(), { minLength: 60, maxLength: 60 }),
        async ([before, during, after], change, inputs) => {
          const text = (step: number, delay: number) =>
            `VAR T : TON; END_VAR T(IN := A, PT := T#${delay}0ms); Kept := Kept + ${step}; Now := Now + 1; Q := T.Q;`;
          const kept = counting(text(1, 3)),
            trial = counting(text(change.step, change.delay), [
              ...(change.extra ? [{ id: 'x', name: 'Extra', type: 'DINT' }] : []),
            ]);
          await running(kept);
          /** The same as engines alone: three stretches, with the values carried between them. */
          const alone = (p: Project) =>
              prepare({ text: projectText(p), revision: 1, hash: projectHash(p), takenAt: 0 }),
            k = await alone(kept),
            t = await alone(trial);
          k.engine.restore({ ...runner.engine!.snapshot(), forces: [] });
          let i = 0;
          const both = (n: number, alone: Engine) => {
            for (let x = 0; x < n; x++) {
              const v = inputs[i++ % inputs.length]!;
              runner.engine!.write('A', v);
              alone.write('A', v);
              runner.scan();
              alone.runScan();
            }
          };
          both(before, k.engine);
          await attempt(trial);
          t.engine.restore({
            scan: k.engine.scan,
            bytes: transferState(k.image, k.engine.snapshot().bytes, t.image).bytes,
            forces: [],
          });
          both(during, t.engine);
          await call('POST', '/trial/back-out', {});
          k.engine.restore({
            scan: t.engine.scan,
            bytes: transferState(t.image, t.engine.snapshot().bytes, k.image).bytes,
            forces: [],
          });
          both(after, k.engine);
          expect(Buffer.from(runner.engine!.snapshot().bytes)).toEqual(Buffer.from(k.engine.snapshot().bytes));
        },
      ),
      { numRuns: 25 },
    );
  });
});

describe('bad input and bad luck', () => {
  it('each is a sentence, and the machine runs on', async () => {
    await running(counting(COUNT));
    const bytes = new TextEncoder().encode(projectText(counting(COUNT))),
      ok = { size: bytes.length, hash: projectHash(counting(COUNT)), revision: 1 };
    for (const wrong of [{}, { ...ok, size: -1 }, { ...ok, size: 1e12 }, { ...ok, hash: 'x' }, { ...ok, note: 5 }])
      expect((await call('POST', '/downloads', wrong)).status).toBe(400);
    const { body } = await call('POST', '/downloads', ok);
    expect((await call('PUT', `/downloads/${body['id']}/1`, bytes.subarray(0, 10))).status).toBe(409);
    expect((await call('PUT', `/downloads/${body['id']}/0`, { text: 'no bytes' })).status).toBe(415);
    for (let n = 0, at = 0; at < bytes.length; n++, at += 1024)
      await call('PUT', `/downloads/${body['id']}/${n}`, bytes.subarray(at, at + 1024));
    expect(
      (await call('PUT', `/downloads/${body['id']}/${Math.ceil(bytes.length / 1024)}`, bytes)).body['message'],
    ).toContain('More came than');
    expect((await call('POST', '/downloads/other/commit', {})).status).toBe(404);
    for (const path of ['key', 'power', 'battery', 'network', 'door'])
      expect((await call('POST', `/cabinet/${path}`, { state: 'sideways' })).status).toBeGreaterThanOrEqual(400);
    scans(1);
    expect((await controller.status()).state).toBe('run');
  });
  it('with a full disk nothing is said to be kept that is not, and nothing changes', async () => {
    await running(counting(COUNT));
    scans(5);
    const full = vi.spyOn(ProgramStore.prototype, 'write').mockImplementation(() => {
      throw Object.assign(new Error('no space'), { code: 'ENOSPC' });
    });
    try {
      const next = counting(COUNT.replace('Q := TRUE', 'Q := FALSE'));
      expect((await download(next)).body['message']).toContain('its disk is full');
      expect((await call('POST', '/mode', { mode: 'stop' })).status).toBe(507);
      await call('POST', `/downloads/${await send(next)}/try`, { against: controller.scan.program!.hash });
      expect((await call('POST', '/trial/keep', {})).status).toBe(507);
      expect((await controller.status()).trial).toBeDefined();
      await call('POST', '/trial/back-out', {});
    } finally {
      full.mockRestore();
    }
    scans(1);
    expect(await controller.status()).toMatchObject({ state: 'run', hash: projectHash(counting(COUNT)) });
    const again = await powered(folder);
    expect(await again.status()).toMatchObject({ state: 'run', hash: projectHash(counting(COUNT)) });
    await again.end();
  });
  it('where a disk takes something and then not even taking it back, that is said, and put right once the disk is well', async () => {
    await running(counting(COUNT));
    const real = ProgramStore.prototype.write;
    let isWell = false;
    const broken = vi.spyOn(ProgramStore.prototype, 'write').mockImplementation(function (this: ProgramStore, kept) {
      if (!isWell && kept.program!.hash === projectHash(counting(COUNT))) throw new Error('EIO');
      real.call(this, kept);
      if (!isWell) throw new UnsureError(Object.assign(new Error('no space left'), { code: 'ENOSPC' }));
    });
    const held = () => new ProgramStore(folder).read()!.program!.hash;
    try {
      const next = counting(COUNT.replace('Q := TRUE', 'Q := FALSE')),
        { status, body } = await download(next);
      expect(status).toBe(507);
      expect(String(body['message'])).toMatch(
        /its disk is full.* It goes on as it was; after a start either may be there/,
      );
      expect(held()).toBe(projectHash(next));
      expect(await controller.status()).toMatchObject({ state: 'run', hash: projectHash(counting(COUNT)) });
      isWell = true;
      await expect.poll(held, { timeout: 5000 }).toBe(projectHash(counting(COUNT)));
      expect(words()[0]).toBe('The disk is well again and holds what the controller keeps.');
    } finally {
      broken.mockRestore();
    }
  });
  it('with a read-only disk each thing that is written is refused in a sentence, or dropped and counted; it runs on', async () => {
    await running(counting(COUNT));
    scans(5);
    const readOnly = () => {
      throw Object.assign(new Error('read-only file system'), { code: 'EROFS' });
    };
    const spies = [
      vi.spyOn(ProgramStore.prototype, 'write').mockImplementation(readOnly),
      vi.spyOn(RetainedStore.prototype, 'write').mockImplementation(readOnly),
      vi.spyOn(RetainedStore.prototype, 'writeSoon').mockImplementation(async () => readOnly()),
      vi.spyOn(RecordingStore.prototype, 'add').mockImplementation(async () => readOnly()),
      vi.spyOn(ImageStore.prototype, 'write').mockImplementation(async () => undefined),
    ];
    try {
      const next = counting(COUNT.replace('Q := TRUE', 'Q := FALSE'));
      const refused = [
        await download(next),
        await call('POST', '/mode', { mode: 'stop' }),
        await call('POST', '/cabinet/key', { state: 'stop' }),
        await call('POST', '/cabinet/battery', { state: 'flat' }),
        await call('PUT', '/recordings/when', { when: 'A' }),
        await call('POST', '/recordings', { ms: 10_000 }),
      ];
      expect(refused.map((r) => r.status)).toEqual([507, 507, 507, 507, 507, 507]);
      for (const r of refused) expect(String(r.body['message'])).toMatch(/could not/);
      await new Promise((r) => setTimeout(r, 1200));
      expect(words().filter((w) => w.startsWith('Retained values cannot be written'))).toHaveLength(1);
      scans(3);
      expect(await controller.status()).toMatchObject({
        state: 'run',
        key: 'remote',
        hash: projectHash(counting(COUNT)),
      });
    } finally {
      for (const s of spies) s.mockRestore();
    }
    expect((await call('POST', '/mode', { mode: 'stop' })).status).toBe(200);
  });
  it('a trial is not kept where its retained values cannot be written; it runs on as a trial', async () => {
    await running(counting(COUNT));
    const next = counting(COUNT.replace('Q := TRUE', 'Q := FALSE'));
    await call('POST', `/downloads/${await send(next)}/try`, { against: controller.scan.program!.hash });
    const full = vi.spyOn(RetainedStore.prototype, 'write').mockImplementation(() => {
      throw new Error('no space');
    });
    try {
      const { status, body } = await call('POST', '/trial/keep', {});
      expect([status, body['message']]).toEqual([507, expect.stringContaining('could not write its retained values')]);
    } finally {
      full.mockRestore();
    }
    expect(await controller.status()).toMatchObject({
      hash: projectHash(counting(COUNT)),
      trial: { hash: projectHash(next) },
    });
  });
  it('a kept file that is none leaves it empty, and says so', async () => {
    const other = mkdtempSync(join(tmpdir(), 'ferrule-'));
    writeFileSync(join(other, 'program.json'), '{"program": {"project"');
    const c = await powered(other);
    expect((await c.status()).state).toBe('empty');
    expect(c.events(10, 0).some((e) => e.words.startsWith('The kept program cannot be read'))).toBe(true);
    await c.end();
    rmSync(other, { recursive: true });
  });
});

describe('a draft beside', () => {
  const beside = async (project: Project) =>
    call('POST', `/downloads/${await send(project)}/beside`, { against: controller.scan.program!.hash, by: 'Ada' });
  it('sees the same inputs, moves nothing, and tells which outputs differ, since when and how often', async () => {
    await running(counting('Now := Now + 1; Q := A;'));
    scans(5);
    expect((await beside(counting('Now := Now + 1; Q := A AND Now > 20;'))).status).toBe(200);
    scans(5);
    expect((await controller.status()).beside).toMatchObject({ scans: 5, differences: [] });
    await call('POST', '/events', { kind: 'write', path: 'A', value: '1' });
    const first = runner.engine!.scan + 1;
    scans(4);
    expect((await controller.status()).beside!.differences).toEqual([
      { path: 'Q', first, count: 4, isNow: true, kept: '1', draft: '0' },
    ]);
    scans(20);
    expect((await controller.status()).beside!.differences).toEqual([
      { path: 'Q', first, count: 10, isNow: false, kept: '1', draft: '0' },
    ]);
    expect((await call('POST', '/beside/end', { by: 'Ada' })).status).toBe(200);
    expect((await controller.status()).beside).toBeUndefined();
    expect((await call('POST', '/beside/end', {})).status).toBe(409);
  });
  it('is watched live by itself: its values, while those of what runs are watched too; nothing once it has ended', async () => {
    await running(counting('Now := Now + 1; Q := A;'));
    scans(5);
    const draft = counting('Now := Now + 100; Q := NOT A;');
    await beside(draft);
    expect((await call('GET', '/program')).body['beside']).toMatchObject({ hash: projectHash(draft) });
    const watch = async (path: string) => {
      const ws = new WebSocket(`${base.replace('http', 'ws')}${path}`, { headers: KEYED }),
        seen: Record<string, unknown>[] = [];
      await new Promise((r) => ws.once('open', r));
      ws.on('message', (m) => seen.push((JSON.parse(String(m)) as { values: Record<string, unknown> }).values));
      ws.send(JSON.stringify({ paths: ['Now', 'Q'], rungs: [] }));
      return { ws, seen, last: () => seen[seen.length - 1] };
    };
    const runs = await watch('/live'),
      drafted = await watch('/live?of=beside');
    scans(3);
    await expect.poll(runs.last).toEqual({ Now: 8, Q: false });
    await expect.poll(drafted.last).toEqual({ Now: 305, Q: true });
    // A page that watches both is one page.
    expect((await call('GET', '/status')).body['views']).toBe(1);
    await call('POST', '/beside/end', {});
    await new Promise((r) => setTimeout(r, 200));
    const count = drafted.seen.length;
    scans(3);
    await expect.poll(runs.last).toEqual({ Now: 11, Q: false });
    expect(drafted.seen).toHaveLength(count);
    for (const { ws } of [runs, drafted]) ws.terminate();
  });
  it('ends when it faults, and with what it ran beside; the machine runs on', async () => {
    await running(counting(COUNT));
    await beside(counting(`${COUNT} IF Now > 3 THEN Now := 1 / (Now - Now); END_IF;`));
    scans(6);
    expect(await controller.status()).toMatchObject({ state: 'run' });
    expect((await controller.status()).beside).toBeUndefined();
    expect(words().some((w) => w.startsWith('The run beside ended: the draft faulted'))).toBe(true);
    await beside(counting(COUNT));
    await call('POST', '/mode', { mode: 'stop' });
    expect((await controller.status()).beside).toBeUndefined();
    expect((await beside(counting(COUNT))).body['message']).toContain('The kept program must run');
    await call('POST', '/mode', { mode: 'run' });
    const slow = {
      ...counting(COUNT),
      tasks: [{ id: 't', name: 'Main', interval: '20 ms', priority: 1, programs: ['Main'] }],
    };
    expect((await beside(slow)).body['message']).toContain('cannot run scan for scan');
    expect((await beside(counting('Nope := 1;'))).status).toBe(422);
  });
  it('law: never changes a byte of what is kept, and beside itself differs in nothing', async () => {
    stop();
    const acts = ['Machine.Start.Pressed', 'Machine.Stop.Pressed', 'Machine.Reset.Pressed'];
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.tuple(fc.nat(2), fc.boolean(), fc.integer({ min: 1, max: 80 })), { minLength: 3, maxLength: 12 }),
        fc.nat(11),
        async (events, from) => {
          const run = async (withBeside: boolean): Promise<Buffer> => {
            await running(demo);
            scans(3);
            for (const [i, [which, on, length]] of events.entries()) {
              if (withBeside && i === from % events.length) expect((await beside(demo)).status).toBe(200);
              await call('POST', '/events', { kind: 'write', path: acts[which]!, value: on ? '1' : '0' });
              scans(length);
            }
            if (withBeside) expect((await controller.status()).beside!.differences).toEqual([]);
            const state = Buffer.from(runner.engine!.snapshot().bytes);
            await call('POST', '/cabinet/battery', { state: 'flat' });
            await call('POST', '/cabinet/power', { state: 'off' });
            rmSync(join(folder, 'program.json'));
            await call('POST', '/cabinet/power', { state: 'on' });
            return state;
          };
          expect(await run(true)).toEqual(await run(false));
        },
      ),
      { numRuns: 4 },
    );
  }, 180_000);
});

describe('the recorder', () => {
  const played = async (id: unknown) => {
    const { body } = await call('GET', `/recordings/${id}`),
      r = readRecording(JSON.stringify(body)) as RunRecording;
    const project = r.project!,
      compiled = compile([{ kind: 'project', name: project.name, project }]),
      image = compiled.build(true),
      history = new History(image, { stepNs: BigInt(r.stepNs), wires: compiled.wires });
    return { r, history, result: playRecording(history, image, r) };
  };
  it('a fault keeps what led to it; on the bench it ends before the fault, and the next scan faults again', async () => {
    await running(counting(`${COUNT} IF A THEN Now := 1 / (Now - Now); END_IF;`));
    scans(30);
    await call('POST', '/events', { kind: 'write', path: 'A', value: '1' });
    scans(2);
    const list = await waitFor(async () => {
      const { body } = await call('GET', '/recordings');
      return (body as unknown as { id: number; why: string; scans: number }[])[0];
    });
    expect(list.why).toContain('Division by zero');
    const { history, result, r } = await played(list.id);
    expect(result).toEqual({ isSame: true, scans: r.end, dropped: [] });
    expect([Number(history.engine.read('Kept')), history.engine.read('A')]).toEqual([30, true]);
    history.run(1);
    expect(history.engine.fault?.kind).toBe('DIVISION');
  });
  it('a condition that comes on keeps what led to it; it is refused where it does not fit, and lives through power and programs', async () => {
    await running(counting(COUNT));
    scans(20);
    const put = async (when: string) => call('PUT', '/recordings/when', { when });
    expect((await put('Nope > 3')).body['message']).toContain("There is no tag 'Nope'");
    expect((await put('Now')).body['message']).toContain('A condition is BOOL');
    expect((await put('A AND (')).status).toBe(422);
    const before = Buffer.from(runner.engine!.snapshot().bytes);
    expect((await put('A AND Now > 5')).body['recordWhen']).toBe('A AND Now > 5');
    // The same program with the condition beside it goes on as it was.
    expect(Buffer.from(runner.engine!.snapshot().bytes)).toEqual(before);
    scans(10);
    expect((await call('GET', '/recordings')).body).toEqual([]);
    await call('POST', '/events', { kind: 'write', path: 'A', value: '1' });
    scans(3);
    const [kept] = await waitFor(async () => {
      const { body } = await call('GET', '/recordings');
      const list = body as unknown as { id: number; why: string; scans: number }[];
      return list.length ? list : undefined;
    });
    expect(kept).toMatchObject({ why: 'A AND Now > 5 came on', scans: 31 });
    const { result, history } = await played(kept!.id);
    expect(result).toMatchObject({ isSame: true, dropped: [] });
    expect([Number(history.engine.read('Kept')), history.engine.read('A')]).toEqual([31, true]);
    // Another program that does not know the tag says so and runs; the first one again has it.
    const other = counting(COUNT.replace('Now := Now + 1;', ''));
    await download({ ...other, tags: other.tags.filter((t) => t.name !== 'Now') });
    expect((await controller.status()).noCondition).toContain("There is no tag 'Now'");
    await call('POST', '/cabinet/power', { state: 'off' });
    await call('POST', '/cabinet/power', { state: 'on' });
    expect(await controller.status()).toMatchObject({ recordWhen: 'A AND Now > 5' });
    expect((await put('')).body).not.toHaveProperty('message');
    expect((await controller.status()).recordWhen).toBeUndefined();
  });
  it('the last stretch is taken while it runs, by the byte, with what came from outside', async () => {
    await running(demo);
    scans(50);
    await call('POST', '/events', { kind: 'write', path: 'Machine.Start.Pressed', value: '1' });
    scans(20);
    await call('POST', '/events', { kind: 'force', path: 'DieDown', value: '1' });
    scans(2000);
    const before = Buffer.from(runner.engine!.snapshot().bytes);
    const { status, body } = await call('POST', '/recordings', { ms: 10_000 });
    expect(status).toBe(201);
    expect(Buffer.from(runner.engine!.snapshot().bytes)).toEqual(before);
    const { history, result, r } = await played(body['id']);
    expect(result).toMatchObject({ isSame: true, dropped: [] });
    expect(r.end - r.start!.scan).toBeGreaterThanOrEqual(1000);
    expect(Buffer.from(history.engine.snapshot().bytes).subarray(64)).toEqual(before.subarray(64));
  });
  it('holds the last ten minutes, at most', async () => {
    await running(counting(COUNT));
    scans(70_000);
    const r = runner.recorded()!;
    expect(r.end - r.first.scan).toBeGreaterThan(58_000);
    expect(r.end - r.first.scan).toBeLessThanOrEqual(61_000);
    await call('POST', '/mode', { mode: 'stop' });
    scans(10);
    expect(runner.recorded()!.end).toBe(r.end);
  });
  it('says what cannot be', async () => {
    expect((await call('POST', '/recordings', {})).body['message']).toContain('There is no program');
    expect((await call('POST', '/recordings', { ms: 5 })).status).toBe(400);
    expect((await call('GET', '/recordings/77')).status).toBe(404);
    expect((await call('GET', '/recordings/x')).status).toBe(404);
    await download(counting(COUNT));
    expect((await call('POST', '/recordings', {})).body['message']).toContain('has not run');
  });
});

describe('Modbus TCP', () => {
  const u16 = (n: number) => [n >> 8, n & 0xff];
  const COUNTED: Project = (() => {
    const p = counting('Now := Now + 1; Q := A;');
    const access = { a: 'write', q: 'read', k: 'write', n: 'read' } as const;
    return { ...p, tags: p.tags.map((t) => ({ ...t, access: access[t.id as 'a'] })) };
  })();
  /** A client that sends PDUs one by one. */
  async function client() {
    const socket = connect(others.modbus.port, '127.0.0.1');
    await new Promise((resolve, reject) => {
      socket.once('connect', resolve);
      socket.once('error', reject);
    });
    let n = 0;
    return {
      socket,
      ask: (...pdu: number[]) =>
        new Promise<number[]>((resolve, reject) => {
          if (socket.destroyed) reject(new Error('closed'));
          socket.once('close', () => reject(new Error('closed')));
          socket.once('data', (d) => {
            socket.removeAllListeners('close');
            resolve([...d.subarray(7)]);
          });
          socket.write(frameBytes({ transaction: ++n, unit: 1, pdu: Uint8Array.from(pdu) }));
        }),
    };
  }
  const open = async (isOn = true, words = 'high first') => (await call('PUT', '/open/modbus', { isOn, words })).body;

  it('is closed until it is opened; reads and writes what has access, between two scans; counts and names who is there', async () => {
    await running(COUNTED);
    expect(others.modbus.isOn).toBe(false);
    const told = (await open()) as unknown as OpenShown;
    expect(told).toMatchObject({ state: 'run', modbus: { isOn: true } });
    expect(told.points[0]).toMatchObject({ quality: 'good' });
    expect(told.modbus.rows.slice(1).map((r) => r.slice(0, 5))).toEqual([
      ['A', 'BOOL', 'coil', '0', ''],
      ['Q', 'BOOL', 'discrete input', '10000', ''],
      ['Kept', 'DINT', 'holding register', '30000', '2'],
      ['Now', 'DINT', 'input register', '30000', '2'],
    ]);
    const c = await client();
    scans(3);
    expect(await c.ask(4, ...u16(30_000), 0, 2)).toEqual([4, 4, 0, 0, 0, 3]);
    expect(await c.ask(5, 0, 0, 0xff, 0)).toEqual([5, 0, 0, 0xff, 0]);
    scans(1);
    expect(await c.ask(2, ...u16(10_000), 0, 1)).toEqual([2, 1, 1]);
    expect(await c.ask(16, ...u16(30_000), 0, 2, 4, 0, 0, 1, 0)).toEqual([16, ...u16(30_000), 0, 2]);
    expect(number('Kept')).toBe(256);
    expect(await c.ask(5, ...u16(10_000), 0xff, 0)).toEqual([0x85, 2]);
    expect(await c.ask(2, 0xff, 0xff, 0, 1)).toEqual([2, 1, 1]);
    await call('POST', '/mode', { mode: 'stop' });
    scans(1);
    expect(await c.ask(2, 0xff, 0xff, 0, 1)).toEqual([2, 1, 0]);
    const { clients } = ((await call('GET', '/open')).body as unknown as { modbus: { clients: unknown[] } }).modbus;
    expect(clients).toEqual([expect.objectContaining({ requests: 7, writes: 2, refused: 1 })]);
    expect(words()).toContain(
      'Modbus: function 5 of 127.0.0.1 was refused, exception 2: nothing is at that address, or others may not write it.',
    );
    // What came in is in the recording: the run replays without the other program.
    const run = runner.recorded();
    expect(run?.events.map((e) => e.event)).toEqual([
      { kind: 'write', path: 'A', value: true },
      { kind: 'write', path: 'Kept', value: 256n },
    ]);
    await open(false);
    await expect(c.ask(2, 0xff, 0xff, 0, 1)).rejects.toThrow();
    await expect(client()).rejects.toThrow();
  });
  it('OPC UA that was allowed on this machine is not opened to others by a setting alone', async () => {
    controller.setOpen({ opcua: { isOn: true, plain: true, anonymous: true } });
    const wide = opened(0, '0.0.0.0');
    await wide.start();
    expect((await wide.shown()).opcua).toMatchObject({
      state: 'off',
      error: expect.stringMatching(/^It would be open to other machines/),
    });
    expect(words()[0]).toMatch(/^OPC UA could not be opened: It would be open to other machines/);
    expect(() => wide.setOpcua({ isOn: true })).toThrow(/It would be open to other machines/);
    await wide.stop();
  });
  it('who looks at the end of the coming scan sees each one; at once where none comes', async () => {
    await controller.scan.lookAfterScan();
    expect(controller.scan.facts.state).toBe('empty');
    await running(COUNTED);
    await controller.scan.look();
    const { server: side } = sides.get(controller.scan)!,
      ahead = () => Number(controller.scan.engine!.read('Now')) - controller.scan.facts.scan,
      before = ahead();
    for (let i = 0; i < 3; i++) {
      const at = controller.scan.facts.scan,
        looked = controller.scan.lookAfterScan();
      // Another look meanwhile is of its own.
      await controller.scan.look();
      expect(controller.scan.facts.scan).toBe(at);
      while (runner.engine!.scan === at) {
        side.tick();
        await new Promise((r) => setTimeout(r, 2));
      }
      await looked;
      expect(controller.scan.facts.scan).toBeGreaterThan(at);
      expect(ahead()).toBe(before);
    }
  });
  it('without a program it answers that the device fails; the cut cable and the power end it; it is open again after a power cut', async () => {
    await open();
    const c = await client();
    expect(await c.ask(1, 0, 0, 0, 1)).toEqual([0x81, 4]);
    await download(COUNTED);
    expect(await c.ask(1, 0, 0, 0, 1)).toEqual([1, 1, 0]);
    await call('POST', '/cabinet/network', { state: 'cut' });
    await expect(c.ask(1, 0, 0, 0, 1)).rejects.toThrow();
    const d = await client();
    await expect(d.ask(1, 0, 0, 0, 1)).rejects.toThrow();
    await call('POST', '/cabinet/network', { state: 'slow' });
    const e = await client(),
      before = performance.now();
    expect(await e.ask(1, 0, 0, 0, 1)).toEqual([1, 1, 0]);
    expect(performance.now() - before).toBeGreaterThan(200);
    expect(new ProgramStore(folder).read()!.open).toEqual({ modbus: { isOn: true, words: 'high first' } });
    // The order of words is kept while it is closed too, and said once what changed.
    expect(await open(false, 'low first')).toMatchObject({ modbus: { isOn: false, words: 'low first' } });
    await open(false, 'high first');
    expect(words().filter((w) => w === 'Modbus TCP is closed.')).toHaveLength(1);
  });
  it('what is open is told that the power went, and that it came back', async () => {
    const seen: boolean[] = [];
    controller.onOpen = () => seen.push(controller.isOn);
    await controller.setPower(false);
    await controller.setPower(true);
    expect(seen).toEqual([false, true]);
  });
  it('a port that is taken is told, and never said to be open', async () => {
    const taken = opened((server.address() as { port: number }).port);
    const app = createServer(
      createApp(controller, { wallMs: Date.now, access: new Access(KEY), open: taken, outside }),
    );
    await new Promise<void>((r) => app.listen(0, '127.0.0.1', r));
    const answer = await fetch(`http://127.0.0.1:${(app.address() as { port: number }).port}/open/modbus`, {
      method: 'PUT',
      headers: { ...KEYED, 'content-type': 'application/json' },
      body: JSON.stringify({ isOn: true }),
    });
    expect(await answer.json()).toMatchObject({ modbus: { error: expect.stringMatching(/^Port \d+ is taken/) } });
    expect(words()[0]).toMatch(/^Modbus TCP could not be opened: Port/);
    expect(words()).not.toContain('Modbus TCP is open to other programs.');
    app.close();
    app.closeAllConnections();
  });
  it('hostile bytes, a thousand connections that say nothing, and floods: bounded, and the scan runs on', async () => {
    await download(COUNTED);
    await call('POST', '/mode', { mode: 'run' });
    await open();
    const at = runner.engine!.scan;
    const silent = Array.from({ length: 1000 }, () =>
      connect(others.modbus.port, '127.0.0.1').on('error', () => undefined),
    );
    await new Promise((r) => setTimeout(r, 300));
    expect(others.modbus.list().length).toBeLessThanOrEqual(32);
    for (const s of silent) s.destroy();
    await waitFor(async () => (others.modbus.list().length === 0 ? true : undefined));
    let seed = 7;
    const random = (n: number) => (seed = (Math.imul(seed, 1664525) + 1013904223) >>> 0) % n;
    for (let i = 0; i < 30; i++) {
      const s = connect(others.modbus.port, '127.0.0.1').on('error', () => undefined);
      s.write(Uint8Array.from({ length: 1 + random(600) }, () => random(256)));
      await new Promise((r) => setTimeout(r, 5));
      s.destroy();
    }
    // A flood that nobody reads the answers of.
    const flood = connect(others.modbus.port, '127.0.0.1').on('error', () => undefined);
    flood.pause();
    const frame = frameBytes({ transaction: 1, unit: 1, pdu: Uint8Array.from([1, 0, 0, 0, 1]) });
    for (let i = 0; i < 200; i++) flood.write(Buffer.concat(Array.from({ length: 50 }, () => frame)));
    await new Promise((r) => setTimeout(r, 200));
    const c = await client();
    expect(await c.ask(1, 0, 0, 0, 1)).toEqual([1, 1, 0]);
    flood.destroy();
    expect(runner.engine!.scan).toBeGreaterThan(at + 10);
  });
});

describe('access', () => {
  const status = async (path: string, headers: Record<string, string>, method = 'GET') =>
    (await fetch(base + path, { method, headers })).status;
  it('only with the key, and not from pages of a browser', async () => {
    for (const path of ['/status', '/program', '/cabinet', '/recordings']) {
      expect(await status(path, {})).toBe(401);
      expect(await status(path, { authorization: 'Bearer wrong' })).toBe(401);
      expect(await status(path, { authorization: KEY })).toBe(401);
      expect(await status(path, { ...KEYED, origin: 'http://evil.example' })).toBe(403);
      expect(await status(path, KEYED)).toBe(200);
    }
    expect(await status('/cabinet/power', {}, 'POST')).toBe(401);
    expect(controller.isOn).toBe(true);
    const ws = new WebSocket(`${base.replace('http', 'ws')}/live`);
    await new Promise((r) => ws.once('error', r));
  }, 30_000);
  it('under another host name it is refused', async () => {
    const { port } = server.address() as { port: number };
    const answer = await new Promise<number>((resolve) => {
      get({ port, host: '127.0.0.1', path: '/status', headers: { ...KEYED, host: 'evil.example' } }, (r) =>
        resolve(r.statusCode ?? 0),
      );
    });
    expect(answer).toBe(403);
  });
  it('wrong keys are answered ever more slowly, the right one at once', () => {
    const access = new Access(KEY),
      ask = (authorization: string) =>
        access.refuses({ headers: { host: 'localhost:1', authorization } } as unknown as Parameters<
          Access['refuses']
        >[0]);
    const waits = Array.from({ length: 12 }, () => (ask('Bearer no'), access.delayMs));
    expect(waits).toEqual([...waits].sort((a, b) => a - b));
    expect(waits.at(-1)).toBe(5000);
    expect(ask(`Bearer ${KEY}`)).toBeUndefined();
    expect(access.delayMs).toBeLessThan(100);
  });
  it('the key is made once, and only its owner reads it', () => {
    const key = keyIn(folder);
    expect(key).toMatch(/^[0-9a-f]{48}$/);
    expect(keyIn(folder)).toBe(key);
    expect(statSync(join(folder, 'key')).mode & 0o777).toBe(0o600);
  });
});

async function waitFor<T>(look: () => Promise<T | undefined>): Promise<T> {
  for (let n = 0; n < 200; n++) {
    const found = await look();
    if (found !== undefined) return found;
    await new Promise((r) => setTimeout(r, 25));
  }
  throw new Error('it did not come');
}
