import { mkdtempSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { startFrom } from './process.js';

const root = join(fileURLToPath(import.meta.url), '../..');

const isFree = (port: number): Promise<boolean> =>
  new Promise((resolve) => {
    const s = createServer();
    s.once('error', () => resolve(false));
    s.listen(port, '127.0.0.1', () => s.close(() => resolve(true)));
  });

/** Four desks, each with a stand-in: seven ports in a row for each (`ferrule.ts`). */
const DESKS = 4,
  EACH = 7;

/** The first of so many free ports in a row, so that two runs on one machine never meet. */
async function freePorts(): Promise<number> {
  const many = DESKS * EACH;
  for (let port = 20_000 + (process.pid % 10_000); ; port += many)
    if ((await Promise.all(Array.from({ length: many }, (_, i) => isFree(port + i)))).every(Boolean)) return port;
}

/** A web application and its stand-in over a folder of their own. */
async function desk(port: number): Promise<() => Promise<void>> {
  const data = mkdtempSync(join(tmpdir(), 'ferrule-e2e-'));
  const controller = await startFrom(root, 'controller', {
    FERRULE_CONTROLLER_PORT: String(port + 1),
    FERRULE_MODBUS_PORT: String(port + 3),
    FERRULE_OPCUA_PORT: String(port + 4),
    FERRULE_CONTROLLER_DATA: join(data, 'controller'),
  });
  const server = await startFrom(root, 'server', {
    FERRULE_PORT: String(port),
    FERRULE_DATA: data,
    FERRULE_BENCH_MODBUS_PORT: String(port + 5),
    FERRULE_BENCH_OPCUA_PORT: String(port + 6),
    FERRULE_CONTROLLER: `http://127.0.0.1:${port + 1}`,
    FERRULE_CONTROLLER_DATA: join(data, 'controller'),
  }).catch(async (e: unknown) => {
    await controller.kill('SIGTERM');
    throw e;
  });
  return async () => {
    await Promise.all([server.kill('SIGTERM'), controller.kill('SIGTERM')]);
    rmSync(data, { recursive: true, force: true });
  };
}

/**
 * One desk for all tests but those that kill it, and one each for those that download: what a stand-in keeps is seen on
 * every page.
 */
export default async function setup(): Promise<() => Promise<void>> {
  const port = await freePorts();
  process.env['FERRULE_E2E_PORT'] = String(port);
  const ends: (() => Promise<void>)[] = [];
  try {
    for (let i = 0; i < DESKS; i++) ends.push(await desk(port + i * EACH));
  } catch (e) {
    await Promise.all(ends.map((end) => end()));
    throw e;
  }
  return async () => {
    await Promise.all(ends.map((end) => end()));
  };
}
