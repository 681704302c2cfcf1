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

/** The first of four free ports in a row, so that two runs on one machine never meet. */
async function freePorts(): Promise<number> {
  for (let port = 20_000 + (process.pid % 10_000); ; port += 4)
    if ((await Promise.all([port, port + 1, port + 2, port + 3].map(isFree))).every(Boolean)) return port;
}

/** One server and one stand-in for all tests but those that kill them. */
export default async function setup(): Promise<() => Promise<void>> {
  const port = await freePorts();
  process.env['FERRULE_E2E_PORT'] = String(port);
  const data = mkdtempSync(join(tmpdir(), 'ferrule-e2e-'));
  const controller = await startFrom(root, 'controller', {
    FERRULE_CONTROLLER_PORT: String(port + 1),
    FERRULE_MODBUS_PORT: String(port + 3),
    FERRULE_CONTROLLER_DATA: join(data, 'controller'),
  });
  const server = await startFrom(root, 'server', {
    FERRULE_PORT: String(port),
    FERRULE_DATA: data,
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
