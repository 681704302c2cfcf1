import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { PORT, startProcess } from './ferrule.js';

/** One server and one stand-in for all tests but those that kill them. */
export default async function setup(): Promise<() => Promise<void>> {
  const data = mkdtempSync(join(tmpdir(), 'ferrule-e2e-'));
  const controller = await startProcess('controller', { FERRULE_CONTROLLER_PORT: String(PORT + 1), FERRULE_CONTROLLER_DATA: join(data, 'controller') });
  const server = await startProcess('server', { FERRULE_PORT: String(PORT), FERRULE_DATA: data, FERRULE_CONTROLLER: `http://127.0.0.1:${PORT + 1}` });
  return async () => {
    await Promise.all([server.kill('SIGTERM'), controller.kill('SIGTERM')]);
    rmSync(data, { recursive: true, force: true });
  };
}
