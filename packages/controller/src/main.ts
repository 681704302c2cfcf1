/** Starts the stand-in controller: its own process, its own real-time scan. */
import 'reflect-metadata';
import { createServer } from 'node:http';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Access, keyIn } from './access.js';
import { createApp } from './app.js';
import { Controller } from './controller.js';
import { EventLog } from './event-log.js';
import { attachLive } from './live.js';
import { askFor } from './priority.js';
import { ProgramStore } from './program-store.js';
import { RecordingStore } from './recordings.js';
import { RetainedStore } from './retained.js';
import { Runner } from './runner.js';

const env = process.env;
const port = Number(env['FERRULE_CONTROLLER_PORT'] ?? 4871);
const data =
  env['FERRULE_CONTROLLER_DATA'] ?? join(dirname(fileURLToPath(import.meta.url)), '../../../data/controller');

function stop(sentence: string): never {
  console.error(sentence);
  process.exit(1);
}

askFor('scan');
const clockMs = () => performance.now();
const runner = new Runner(clockMs);
let controller: Controller, access: Access;
try {
  controller = new Controller(runner, {
    name: 'Cabinet A',
    programs: new ProgramStore(data),
    retained: new RetainedStore(data),
    log: new EventLog(data),
    recordings: new RecordingStore(data),
    clockMs,
    wallMs: Date.now,
  });
  access = new Access(keyIn(data));
} catch (e) {
  stop(
    `The folder ${data} cannot be used for what the controller keeps (${(e as NodeJS.ErrnoException).code ?? (e as Error).message}); make it writable, or set FERRULE_CONTROLLER_DATA to another one.`,
  );
}
await controller.start();
const app = createApp(controller, { wallMs: Date.now, access });
const server = createServer(app);
const endLive = attachLive(server, controller, access);
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
    controller.end();
    server.closeAllConnections();
    server.close(() => process.exit(0));
  });
