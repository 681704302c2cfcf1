import { mkdtempSync, rmSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { type Project, emptyProject, projectHash, projectInOrder, projectText } from '@ferrule/core/document';
import { History, scanStep } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
import { playRecording, readRecording } from '@ferrule/core/files';
import { modbusMachine } from '../../protocols/src/outside/modbus-machine.testing.js';
import { Controller } from './controller.js';
import { EventLog } from './event-log.js';
import { ImageStore } from './image-store.js';
import { OutsideIoOfController } from './outside-io.js';
import { ProgramStore } from './program-store.js';
import { RecordingStore } from './recordings.js';
import { RetainedStore } from './retained.js';
import { scanHere } from './scan.js';

const project = (port: number, more: Partial<Project> = {}): Project => ({
  ...emptyProject('Line'),
  tags: [
    { id: '1', name: 'Closed', type: 'BOOL', address: '%IX0.0' },
    { id: '2', name: 'Speed', type: 'INT', address: '%IW2' },
    { id: '3', name: 'Motor', type: 'BOOL', address: '%QX0.0' },
    { id: '4', name: 'Lamp', type: 'BOOL', address: '%QX0.1', stop: '1' },
    { id: '5', name: 'Aim', type: 'INT', address: '%QW2' },
    { id: '6', name: 'Seen', type: 'DINT' },
  ],
  pous: [
    {
      id: 'm',
      name: 'Main',
      language: 'ST',
      kind: 'program',
      text: 'PROGRAM Main\nSeen := Seen + INT_TO_DINT(Speed);\nMotor := Closed AND NOT System.OutsideLost;\nAim := Speed;\nEND_PROGRAM\n',
    },
  ],
  outside: {
    isOn: true,
    protocol: 'modbus',
    address: `127.0.0.1:${port}`,
    items: [
      { path: 'Closed', item: 'discrete 0' },
      { path: 'Speed', item: 'input 1', fallback: '3' },
      { path: 'Motor', item: 'coil 0' },
      { path: 'Lamp', item: 'coil 1' },
      { path: 'Aim', item: 'holding 1' },
    ],
  },
  ...more,
});

let folder: string,
  controller: Controller,
  outside: OutsideIoOfController,
  machine: ReturnType<typeof modbusMachine>,
  port: number;
const engine = () => controller.scan.engine!;
const until = async (isSo: () => boolean, what: string): Promise<void> => {
  for (let i = 0; i < 400; i++) {
    await controller.scan.look();
    if (isSo()) return;
    await new Promise((r) => setTimeout(r, 20));
  }
  throw new Error(`It never came true: ${what}; ${JSON.stringify(outside.shown)}`);
};
const words = () => controller.events(100, 0).map((e) => e.words);
const take = async (sent: Project) => {
  const p = projectInOrder(sent);
  return controller.download({ text: projectText(p), hash: projectHash(p), revision: 1, takenAt: 0 }, 'restart', 'run');
};

beforeEach(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-outside-'));
  const probe = createServer();
  port = await new Promise<number>((r) => probe.listen(0, '127.0.0.1', () => r((probe.address() as AddressInfo).port)));
  await new Promise((r) => probe.close(r));
  machine = modbusMachine(port);
  machine.discrete.set(0, 1);
  machine.input.set(1, 1200);
  for (const n of [0, 1]) machine.coil.set(n, 0);
  machine.holding.set(1, 0);
  controller = new Controller(scanHere(() => performance.now()).scan, {
    name: 'Cabinet A',
    programs: new ProgramStore(folder),
    retained: new RetainedStore(folder),
    images: new ImageStore(folder),
    log: new EventLog(folder),
    recordings: new RecordingStore(folder),
    clockMs: () => performance.now(),
    wallMs: Date.now,
  });
  outside = new OutsideIoOfController(controller, {
    folder,
    entry: new URL('./none.mjs', import.meta.url),
    clockMs: () => performance.now(),
  });
  controller.onOpen = () => outside.cableChanged();
  await controller.start();
});
afterEach(async () => {
  await outside.end();
  await controller.end();
  await machine.stop();
  rmSync(folder, { recursive: true });
});

describe('inputs from another program', () => {
  it('are at their fallback from the first scan until it is there; then they and the outputs are its', async () => {
    await take(project(port));
    await until(() => engine().scan > 3, 'it runs');
    expect([engine().read('Closed'), engine().read('Speed'), engine().read('System.OutsideLost')]).toEqual([
      false,
      3n,
      true,
    ]);
    // No scan saw anything else.
    expect(engine().read('Seen')).toBe(3n * BigInt(engine().scan));
    await until(() => outside.shown.state === 'away', 'nothing is there');
    expect([...outside.bad()].sort()).toEqual(['closed', 'speed']);
    await machine.start();
    await until(() => engine().read('Speed') === 1200n && machine.coil.get(0) === 1, 'it is joined');
    await until(() => machine.holding.get(1) === 1200, 'outputs are there');
    expect(engine().read('System.OutsideLost')).toBe(false);
    expect(outside.bad().size).toBe(0);
    machine.input.set(1, 0xfffe);
    await until(() => engine().read('Speed') === -2n && machine.holding.get(1) === 0xfffe, 'a change');
    expect(words().filter((w) => w.startsWith('Outside I/O:'))).toEqual([
      `Outside I/O: 127.0.0.1:${port} is joined.`,
      `Outside I/O: 127.0.0.1:${port} is away: nothing listens at 127.0.0.1, port ${port}.`,
    ]);
  }, 20_000);
  it('forces are above what comes, and are what goes; stop and a cut network are seen on both sides', async () => {
    await machine.start();
    await take(project(port));
    await until(() => machine.coil.get(0) === 1, 'the motor runs');
    await controller.apply({ kind: 'force', path: 'Speed', value: 77n });
    await controller.apply({ kind: 'force', path: 'Motor', value: false });
    await until(() => machine.holding.get(1) === 77 && machine.coil.get(0) === 0, 'forced');
    await controller.apply({ kind: 'releaseAll' });
    await until(() => machine.holding.get(1) === 1200 && machine.coil.get(0) === 1, 'released');
    await controller.setMode('stop');
    await until(
      () => machine.coil.get(0) === 0 && machine.coil.get(1) === 1 && machine.holding.get(1) === 0,
      'stop values',
    );
    await controller.setMode('run');
    await until(() => machine.coil.get(0) === 1 && machine.coil.get(1) === 0, 'run again');
    controller.setNetwork('cut');
    await until(() => engine().read('Speed') === 3n, 'cut');
    expect(outside.shown.why).toBe('the network is cut');
    controller.setNetwork('ok');
    await until(() => engine().read('Speed') === 1200n, 'there again');
    await controller.setPower(false);
    await controller.setPower(true);
    await until(() => controller.scan.engine !== undefined && engine().read('Speed') === 1200n, 'after a power cut');
  }, 20_000);
  it('another program without them lets go of the machine, its outputs at rest', async () => {
    await machine.start();
    await take(project(port));
    await until(() => machine.coil.get(0) === 1, 'the motor runs');
    const { outside: of, ...rest } = project(port);
    expect(of).toBeDefined();
    await take({ ...rest, pous: [{ ...rest.pous[0]!, text: 'PROGRAM Main\n;\nEND_PROGRAM\n' } as Project['pous'][0]] });
    await until(
      () => outside.shown.state === 'off' && machine.coil.get(0) === 0 && machine.coil.get(1) === 1,
      'at rest',
    );
    expect(engine().listForces()).toEqual([]);
  });
  it('a recording holds what came: it runs again without the other program, to the same bytes', async () => {
    await machine.start();
    await take(project(port));
    await until(() => machine.coil.get(0) === 1, 'it runs');
    for (let i = 0; i < 20; i++) {
      machine.input.set(1, 100 + i * 7);
      machine.discrete.set(0, i & 1);
      await new Promise((r) => setTimeout(r, 15));
    }
    await controller.scan.look();
    const id = await controller.takeRun(60_000),
      run = readRecording(controller.recordings.read(id)!);
    if ('error' in run) throw new Error(run.error);
    const p = run.project!,
      compiled = compile([{ kind: 'project', name: 'p', project: p }]),
      image = compiled.build(true),
      history = new History(image, {
        stepNs: scanStep(image),
        wires: compiled.wires,
      });
    expect(playRecording(history, image, run)).toMatchObject({ isSame: true, dropped: [] });
    const speeds = new Set(run.events.filter((e) => e.path === 'Speed').map((e) => e.value));
    expect(speeds.size).toBeGreaterThan(5);
    expect(history.engine.read('Seen') as bigint).toBeGreaterThan(0n);
  }, 20_000);
});
