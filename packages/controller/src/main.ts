/** Starts the stand-in controller: its own process, its own real-time scan. */
import { createServer } from 'node:http';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { Access, keyIn } from './access.js';
import { Controller } from './controller.js';
import { EventLog } from './event-log.js';
import { clockMs } from './clock.js';
import { ImageStore } from './image-store.js';
import { ProgramStore } from './program-store.js';
import { RecordingStore } from './recordings.js';
import { RetainedStore } from './retained.js';
import { portOf } from '@ferrule/protocols/port';
import { scanInThread } from './scan.js';

const env = process.env;
const data =
  env['FERRULE_CONTROLLER_DATA'] ?? join(dirname(fileURLToPath(import.meta.url)), '../../../data/controller');

function stop(sentence: string): never {
  console.error(sentence);
  process.exit(1);
}

const port = portOf(env, 'FERRULE_CONTROLLER_PORT', 4871, stop),
  modbusPort = portOf(env, 'FERRULE_MODBUS_PORT', 1502, stop),
  opcuaPort = portOf(env, 'FERRULE_OPCUA_PORT', 4840, stop);
const scan = scanInThread((why) => stop(`The controller's scan ended: ${why}.`));
let controller: Controller, access: Access;
try {
  controller = new Controller(scan, {
    name: 'Cabinet A',
    programs: new ProgramStore(data),
    retained: new RetainedStore(data),
    images: new ImageStore(data),
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
// The machine first: what the network needs is loaded while the program is made ready.
const started = controller.start(),
  [{ createApp }, { attachLive }, { otherPrograms }, { OutsideIoOfController }] = await Promise.all([
    import('./app.js'),
    import('./live.js'),
    import('./other-programs.js'),
    import('./outside-io.js'),
  ]);
await started;
const outside = new OutsideIoOfController(controller, {
  folder: data,
  entry: new URL('../../protocols/dist/opcua-client-main.mjs', import.meta.url),
  clockMs,
});
const open = otherPrograms(controller, outside, {
  modbusPort,
  opcuaPort,
  opcuaHost: env['FERRULE_OPCUA_HOST'] ?? '127.0.0.1',
  folder: join(data, 'opcua'),
  opcuaEntry: new URL('../../protocols/dist/opcua-main.mjs', import.meta.url),
  clockMs,
});
await open.start();
const app = createApp(controller, { wallMs: Date.now, access, open, outside });
const server = createServer(app);
const endLive = attachLive(server, controller, access);
server.on('error', (e: NodeJS.ErrnoException) =>
  stop(
    e.code === 'EADDRINUSE'
      ? `Port ${port} is taken; stop what uses it, or set FERRULE_CONTROLLER_PORT to another one.`
      : `The controller cannot listen: ${e.message}`,
  ),
);
// A desk that asks every few seconds keeps its connection; one given up in the moment of a question would lose it.
server.keepAliveTimeout = 65_000;
server.listen(port, '127.0.0.1', () => {
  process.send?.({ ready: true });
});
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    endLive();
    server.closeAllConnections();
    server.close();
    void Promise.all([open.stop(), outside.end()])
      .then(() => controller.end())
      .finally(() => process.exit(0));
  });
