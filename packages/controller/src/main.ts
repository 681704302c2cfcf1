/** Starts the stand-in controller: its own process, its own real-time scan. */
import 'reflect-metadata';
import { createServer } from 'node:http';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import pino from 'pino';
import { type Cabinet, createApp } from './app.js';
import { attachLive } from './live.js';
import { ProgramStore } from './program-store.js';
import { Runner } from './runner.js';

const env = process.env;
const port = Number(env['FERRULE_CONTROLLER_PORT'] ?? 4871);
const data =
  env['FERRULE_CONTROLLER_DATA'] ?? join(dirname(fileURLToPath(import.meta.url)), '../../../data/controller');
const log = pino({ level: env['FERRULE_LOG'] ?? 'warn' }, pino.destination(2));

function stop(sentence: string): never {
  console.error(sentence);
  process.exit(1);
}

const clockMs = () => performance.now();
const runner = new Runner(clockMs);
const cabinet: Cabinet = { network: 'ok' };
let store: ProgramStore;
try {
  store = new ProgramStore(data);
} catch (e) {
  stop(
    `The folder ${data} cannot be used for the controller's program (${(e as NodeJS.ErrnoException).code ?? 'error'}); make it writable, or set FERRULE_CONTROLLER_DATA to another one.`,
  );
}
try {
  const kept = store.read();
  if (kept) {
    runner.load(kept, 'restart');
    if (kept.mode === 'run') runner.setMode('run');
  }
} catch (e) {
  log.error({ error: e }, 'the kept program could not be loaded; the controller starts empty');
}
const app = createApp({ name: 'Cabinet A', runner, store, cabinet, startedMs: clockMs(), clockMs });
const server = createServer(app);
const endLive = attachLive(server, runner, cabinet);
server.on('error', (e: NodeJS.ErrnoException) =>
  stop(
    e.code === 'EADDRINUSE'
      ? `Port ${port} is taken; stop what uses it, or set FERRULE_CONTROLLER_PORT to another one.`
      : `The controller cannot listen: ${e.message}`,
  ),
);
server.listen(port, '127.0.0.1', () => {
  process.send?.({ ready: true });
});
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    endLive();
    runner.stop();
    server.closeAllConnections();
    server.close(() => process.exit(0));
  });
