/**
 * The stand-in measured while others are busy with it: how late its scans start, idle and under live views, while a
 * program is made ready, swapped, uploaded, and a recording taken; what the recorder and a draft beside cost.
 *
 * `npm run bench controller` prints, on a shared two-core machine: 1,000 mixed rungs every 10 ms start within 0.6 ms
 * in 999 of 1,000 scans when idle (0.2 to 1.0 over five rounds), 0.4 ms (0.3 to 0.7) under eight live views of 2,000
 * points each, 0.4 ms (0.2 to 8.2) while programs are made ready, tried and backed out as well, 1.0 ms (0.4 to 2.2)
 * with uploads beside that, 0.3 ms (0.2 to 0.9) with recordings taken; no scan was missed in any round. Beyond idle of
 * the same round that is -0.1 ms for the views, 0.1 ms (-0.7 to 7.6) for programs, 0.3 ms (0.0 to 1.6) for uploads and
 * -0.1 ms for recordings (aim 1). On a machine whose host takes the cores away nothing helps: what it took is printed,
 * and a phase in which that was more than 20 ms is measured again (13 times here). Two runs on the same day that did
 * not measure again had medians of -0.2 to 0.6 ms beyond idle, single rounds up to 115 ms where the host took 2 s, and
 * seven scans missed there. Without the right to real-time priority the figures are those of a thread that shares the
 * cores: 3.4 ms idle, 4 to 6 ms beyond it under load. 500 Modbus requests of 124 registers a second are answered in
 * 1.1 ms (99 % within 6.3 ms). OPC UA opens in 5.3 s (3.3 to 5.3 over three runs), its process takes 167 MB; of 1,000
 * points subscribed at 10 ms those 20 that change in every scan are seen after 7 ms (99 % within 14 ms), all 1,000
 * changing after 54 ms (99 % within 96 ms; 32,000 changes a second arrive, each the newest), with no scan missed in
 * either. Killed, the first scan comes 0.63 s (0.57 to 0.77) after the next start; the recorder takes -1.4 % of the
 * scan (-46 to 18: within the noise) and 0.2 MB for ten minutes of the kiln; values are carried over in 2.8 ms (1.6 to
 * 13), an engine is put in place in 0.2 ms.
 */
import { type ChildProcess, spawn } from 'node:child_process';
import { connect } from 'node:net';
import { existsSync, mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { type Project, emptyProject, projectHash, projectText } from '@ferrule/core/document';
import { Engine, frameBytes, modbusFrames, scanStep, transferState } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
import { Recorder } from '../packages/controller/src/recorder.js';
import { line, median, percentile } from './measure.js';
import { workload } from './workload.js';

const PORT = 4993,
  MODBUS_PORT = 4994,
  OPCUA_PORT = 4995,
  BASE = `http://127.0.0.1:${PORT}`,
  /** Each phase is measured so long, so often. */ PHASE_MS = 6_000,
  ROUNDS = 5,
  /** A phase in which the host took more than this of the cores is measured again, this often at most. */
  TAKEN_MS = 20,
  AGAIN = 4;
let key = '';

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  const isRaw = body instanceof Uint8Array,
    response = await fetch(BASE + path, {
      method,
      headers: {
        authorization: `Bearer ${key}`,
        'content-type': isRaw ? 'application/octet-stream' : 'application/json',
      },
      ...(body === undefined ? {} : { body: (isRaw ? body : JSON.stringify(body)) as BodyInit }),
    });
  const answer = (await response.json()) as T & { message?: string };
  if (!response.ok) throw new Error(answer.message ?? String(response.status));
  return answer;
}

async function send(project: Project, then: string, ask: object): Promise<void> {
  const bytes = new TextEncoder().encode(projectText(project));
  const { id, chunkSize } = await call<{ id: string; chunkSize: number }>('POST', '/downloads', {
    size: bytes.length,
    hash: projectHash(project),
    revision: 1,
  });
  for (let at = 0, n = 0; at < bytes.length; at += chunkSize, n++)
    await call('PUT', `/downloads/${id}/${n}`, bytes.subarray(at, at + chunkSize));
  await call('POST', `/downloads/${id}/${then}`, ask);
}

interface Figures {
  readonly state: string;
  readonly usedMs: number;
  readonly worstMs: number;
  readonly jitterMs: number;
  readonly mostlyMs: number;
  readonly missed: number;
  readonly scan: number;
  readonly upMs: number;
}

/** Looks like pages do: so many, each at so many points, in a thread of their own. */
function views(count: number, paths: readonly string[]): Worker {
  return new Worker(
    `const { workerData: d } = require('node:worker_threads');
     for (let i = 0; i < d.count; i++) {
       const ws = new (require(d.ws).WebSocket)(d.url, { headers: { authorization: 'Bearer ' + d.key } });
       ws.on('open', () => ws.send(JSON.stringify({ paths: d.paths, rungs: [] })));
       ws.on('message', () => undefined);
       ws.on('error', () => undefined);
     }`,
    {
      eval: true,
      workerData: {
        count,
        paths,
        key,
        url: `${BASE.replace('http', 'ws')}/live`,
        ws: join(process.cwd(), 'node_modules/ws'),
      },
    },
  );
}

/** One phase: what the stand-in says of itself after it. */
async function measured(work?: () => Promise<void>): Promise<Figures & { readonly stolenMs: number }> {
  const stolen = stolenMs();
  await call('POST', '/figures/anew');
  const until = performance.now() + PHASE_MS;
  while (performance.now() < until) {
    if (work) await work();
    else await new Promise((r) => setTimeout(r, 200));
  }
  return { ...(await call<Figures>('GET', '/status')), stolenMs: stolenMs() - stolen };
}

/** Milliseconds of all cores that a virtual machine's host gave to others, since the start: nobody here can help that. */
function stolenMs(): number {
  const [, , , , , , , , steal] = readFileSync('/proc/stat', 'utf8').split(/\s+/);
  return Number(steal) * 10;
}

export default async function run(root: string): Promise<void> {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-bench-'));
  let child: ChildProcess | undefined;
  try {
    child = spawn(process.execPath, [join(root, 'packages/controller/dist/main.mjs')], {
      env: {
        ...process.env,
        FERRULE_CONTROLLER_PORT: String(PORT),
        FERRULE_CONTROLLER_DATA: folder,
        FERRULE_MODBUS_PORT: String(MODBUS_PORT),
        FERRULE_OPCUA_PORT: String(OPCUA_PORT),
      },
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    await new Promise((r) => child!.once('message', r));
    key = readFileSync(join(folder, 'key'), 'utf8').trim();
    const { project } = workload('mixed', 1000),
      // 2,000 tags to look at, each its own.
      more = Array.from({ length: 2000 }, (_, i) => ({
        id: `look${i}`,
        name: `Look${i}`,
        type: 'DINT',
        access: 'read' as const,
      })),
      kept = { ...project, tags: [...project.tags, ...more] },
      draft = (n: number): Project => ({
        ...kept,
        tags: [...kept.tags, { id: `extra${n}`, name: `Extra${n}`, type: 'DINT' }],
      });
    await send(kept, 'commit', { mode: 'restart', into: 'run' });
    const first = await call<Figures>('GET', '/status');
    console.log(`1,000 mixed rungs and 2,000 tags more, every 10 ms; one scan takes ${first.usedMs.toFixed(2)} ms`);
    const against = { against: projectHash(kept), graceMs: 60_000, by: 'Bench', ticket: 'b' };
    let n = 0;
    const phases: readonly (readonly [string, boolean, (() => Promise<void>)?])[] = [
      ['idle', false],
      ['8 live views of 2,000 points each', true],
      [
        'the same, and programs made ready, tried, backed out',
        true,
        async () => {
          await send(draft(n++), 'try', against);
          await call('POST', '/trial/back-out', { by: 'Bench' });
        },
      ],
      ['the same, and uploads', true, () => call('GET', '/program')],
      ['the same, and recordings taken', true, () => call('POST', '/recordings', { ms: 300_000 })],
    ];
    const found = phases.map(() => [] as Awaited<ReturnType<typeof measured>>[]);
    let again = 0;
    for (let round = 0; round < ROUNDS; round++) {
      let looking: Worker | undefined;
      for (const [i, [, isViewed, work]] of phases.entries()) {
        if (isViewed)
          looking ??= views(
            8,
            more.map((t) => t.name),
          );
        let least = await measured(work);
        for (let n = 0; n < AGAIN && least.stolenMs > TAKEN_MS; n++) {
          again++;
          const next = await measured(work);
          if (next.stolenMs < least.stolenMs) least = next;
        }
        found[i]!.push(least);
      }
      await looking?.terminate();
    }
    phases.forEach(([name], i) => {
      line(
        `${name}: 999 of 1000 scans within`,
        found[i]!.map((f) => f.mostlyMs),
        'ms',
      );
      line(
        '  the latest',
        found[i]!.map((f) => f.jitterMs),
        'ms',
      );
      line(
        '  of both cores, taken by the host meanwhile',
        found[i]!.map((f) => f.stolenMs),
        'ms',
      );
    });
    console.log(`  phases measured again for what the host took: ${again}`);
    console.log(`  missed scans, round by round: ${found.map((of) => of.map((f) => f.missed).join(' ')).join(' | ')}`);
    phases.slice(1).forEach(([name], i) =>
      line(
        `${name}: beyond idle of its round`,
        found[i + 1]!.map((f, r) => f.mostlyMs - found[0]![r]!.mostlyMs),
        'ms',
      ),
    );
    await modbusTimes(child);
    await opcuaTimes(root);
    await startTimes(root, folder, child);
    child = undefined;
  } finally {
    child?.kill('SIGKILL');
    rmSync(folder, { recursive: true, force: true });
  }
  recorderCost(root);
  besideCost();
}

/** Five hundred requests a second over Modbus TCP: how long each takes, and what the scan makes of it. */
async function modbusTimes(child: ChildProcess): Promise<void> {
  const memory = () => /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${child.pid}/status`, 'utf8'))?.[1] ?? '0';
  const before = Number(memory()),
    asked = performance.now();
  await call('PUT', '/open/modbus', { isOn: true, words: 'high first' });
  console.log(`Modbus TCP opened in ${(performance.now() - asked).toFixed(0)} ms`);
  const socket = connect(MODBUS_PORT, '127.0.0.1').setNoDelay(true);
  await new Promise((r) => socket.once('connect', r));
  const sent = new Map<number, number>(),
    took: number[] = [];
  let rest: Uint8Array = new Uint8Array(0),
    n = 0;
  socket.on('data', (d) => {
    const r = modbusFrames(Buffer.concat([rest, d]));
    rest = r.rest;
    for (const f of r.frames) {
      took.push(performance.now() - sent.get(f.transaction)!);
      sent.delete(f.transaction);
    }
  });
  await call('POST', '/figures/anew');
  const from = performance.now();
  while (performance.now() - from < PHASE_MS) {
    const due = Math.floor((performance.now() - from) / 2);
    while (n < due && sent.size < 16) {
      n++;
      sent.set(n % 65_536, performance.now());
      // 124 registers: 62 of the 2,000 tags.
      socket.write(frameBytes({ transaction: n % 65_536, unit: 1, pdu: Uint8Array.from([4, 0x75, 0x30, 0, 124]) }));
    }
    await new Promise((r) => setTimeout(r, 1));
  }
  const f = await call<Figures>('GET', '/status');
  socket.destroy();
  console.log(
    `Modbus: ${Math.round(took.length / (PHASE_MS / 1000))} requests of 124 registers a second, each answered in ${median(took).toFixed(2)} ms (99 % within ${percentile(took, 99).toFixed(2)} ms); scans 99.9 % within ${f.mostlyMs.toFixed(2)} ms, ${f.missed} missed; ${((Number(memory()) - before) / 1024).toFixed(0)} MB more`,
  );
}

interface OpcuaShown {
  readonly opcua: { readonly state: string; readonly error?: string };
}
/** A thousand points subscribed every 10 ms over OPC UA: how late a change is seen, and what the scan makes of it. */
async function opcuaTimes(root: string): Promise<void> {
  await call('PUT', '/open/modbus', { isOn: false, words: 'high first' });
  const asked = performance.now();
  await call('PUT', '/open/opcua', { isOn: true });
  for (;;) {
    const { opcua } = await call<OpcuaShown>('GET', '/open');
    if (opcua.state === 'on') break;
    if (opcua.error) throw new Error(opcua.error);
    await new Promise((r) => setTimeout(r, 50));
  }
  const took = performance.now() - asked,
    server = readdirSync('/proc')
      .filter((n) => /^\d+$/.test(n))
      .find(
        (n) => existsSync(`/proc/${n}/cmdline`) && readFileSync(`/proc/${n}/cmdline`, 'utf8').includes('opcua-main'),
      ),
    memory = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${server}/status`, 'utf8'))?.[1] ?? '0';
  console.log(
    `OPC UA opened in ${(took / 1000).toFixed(1)} s, its process takes ${(Number(memory) / 1024).toFixed(0)} MB`,
  );
  for (const changing of [20, 1000]) {
    await send(changingProject(changing), 'commit', { mode: 'restart', into: 'run' });
    const load = spawn(
      process.execPath,
      [join(root, 'bench/opcua-load.mjs'), `opc.tcp://127.0.0.1:${OPCUA_PORT}`, '1000', String(PHASE_MS)],
      { stdio: ['ignore', 'pipe', 'inherit'] },
    );
    let said = '';
    load.stdout.on('data', (d) => (said += String(d)));
    const over = new Promise((r) => load.once('exit', r));
    // While it joins, keys and certificates are at work.
    await new Promise((r) => setTimeout(r, 5000));
    await call('POST', '/figures/anew');
    await over;
    const f = await call<Figures>('GET', '/status'),
      found = JSON.parse(/> (.+)/.exec(said)![1]!) as { changes: number; median: number; most: number; worst: number };
    console.log(
      `OPC UA: 1,000 points subscribed at 10 ms, ${changing} change in every scan: ${Math.round(found.changes / (PHASE_MS / 1000))} changes a second arrive, after ${found.median} ms (99 % within ${found.most} ms, worst ${found.worst}); scans 99.9 % within ${f.mostlyMs.toFixed(2)} ms, ${f.missed} missed`,
    );
  }
  await call('PUT', '/open/opcua', { isOn: false });
}
/** A thousand points, so many of which change in every scan. */
function changingProject(changing: number): Project {
  const tags = Array.from({ length: 1000 }, (_, i) => ({
    id: `look${i}`,
    name: `Look${i}`,
    type: 'DINT',
    access: 'read' as const,
  }));
  const lines = tags.slice(0, changing).map((t) => `${t.name} := ${t.name} + 1;`);
  return {
    ...emptyProject('Changing'),
    tags,
    pous: [
      {
        id: 'm',
        name: 'Main',
        language: 'ST',
        kind: 'program',
        text: `PROGRAM Main\n${lines.join('\n')}\nEND_PROGRAM\n`,
      },
    ],
  };
}

/** From power (the process begins) to the first scan of the kept program. */
async function startTimes(root: string, folder: string, running: ChildProcess): Promise<void> {
  const times: number[] = [];
  let child = running;
  for (let i = 0; i < 5; i++) {
    child.kill('SIGKILL');
    await new Promise((r) => child.once('exit', r));
    const before = performance.now();
    child = spawn(process.execPath, [join(root, 'packages/controller/dist/main.mjs')], {
      env: {
        ...process.env,
        FERRULE_CONTROLLER_PORT: String(PORT),
        FERRULE_CONTROLLER_DATA: folder,
        FERRULE_MODBUS_PORT: String(MODBUS_PORT),
        FERRULE_OPCUA_PORT: String(OPCUA_PORT),
      },
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    });
    await new Promise((r) => child.once('message', r));
    for (;;) {
      const f = await call<Figures>('GET', '/status');
      if (f.state === 'run' && f.scan > 0) {
        times.push(performance.now() - before - f.scan * 10);
        break;
      }
      await new Promise((r) => setTimeout(r, 5));
    }
  }
  child.kill('SIGKILL');
  line('killed, started: to the first scan of 1,000 rungs', times, 'ms');
}

/** Ten minutes of the kiln with and without the recorder, one after the other. */
function recorderCost(root: string): void {
  const project = JSON.parse(readFileSync(join(root, 'examples/ceramic-kiln.ferrule.json'), 'utf8')) as Project,
    compiled = compile([{ kind: 'project', name: project.name, project }]),
    image = compiled.build(true),
    stepNs = scanStep(image),
    scans = Number(600_000_000_000n / stepNs);
  const time = (withRecorder: boolean): number => {
    const engine = new Engine(image, { stepNs, wires: compiled.wires }),
      recorder = new Recorder();
    if (withRecorder) recorder.begin(engine);
    const before = performance.now();
    for (let i = 0; i < scans; i++) {
      engine.runScan();
      if (withRecorder) recorder.scanned();
    }
    return performance.now() - before;
  };
  time(true);
  const pairs = Array.from({ length: 7 }, () => [time(false), time(true)] as const),
    shares = pairs.map(([a, b]) => (100 * (b - a)) / a);
  line('the recorder, of the scan: ten minutes of the kiln', shares, '%');
  console.log(`  its snapshots take ${((61 * image.stateSize) / 1e6).toFixed(1)} MB`);
}

/** A draft beside, against the draft's scan alone. */
function besideCost(): void {
  const { project } = workload('mixed', 1000),
    compiled = compile([{ kind: 'project', name: project.name, project }]),
    image = compiled.build(true),
    stepNs = scanStep(image);
  const engine = new Engine(image, { stepNs });
  const transfers = Array.from({ length: 15 }, () => {
    const before = performance.now();
    transferState(image, engine.snapshot().bytes, image);
    return performance.now() - before;
  });
  line('values carried over, 1,000 mixed rungs', transfers.slice(5), 'ms');
  const module = new WebAssembly.Module(image.wasm);
  const made = Array.from({ length: 15 }, () => {
    const before = performance.now();
    new Engine(image, { stepNs, module });
    return performance.now() - before;
  });
  line('an engine put in place, 1,000 mixed rungs', made.slice(5), 'ms');
}
