/** Starts the web application. Settings come from the environment; the README lists them. */
import 'reflect-metadata';
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { createServer } from 'node:http';
import { isIPv6 } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { parseProject } from '@ferrule/core/schema';
import { Secrets } from '@ferrule/protocols';
import { portOf } from '@ferrule/protocols/port';
import { connectionOf } from '@ferrule/protocols/queue';
import pino from 'pino';
import { createApp } from './app.js';
import { BenchRelay } from './bench-relay.js';
import { ControllerLink } from './controller-link.js';
import { type Db, closeDatabase, holdFolder, openDatabase } from './db/open.js';
import { ProjectStore } from './db/projects.js';
import { rescue, rescueWords, stateOf } from './db/rescue.js';
import { PasswordBrake } from './guards.js';
import { attachLive } from './live.js';
import { workerProver } from './prover.js';
import { SharedWork } from './shared-work.js';
import { type Identity, addressesOf, createTlsServer, givenIdentity, ownIdentity } from './tls.js';

const here = dirname(fileURLToPath(import.meta.url));
const root = join(here, '../../..');
const env = process.env;
const LOCAL = ['127.0.0.1', 'localhost', '::1'];
const host = env['FERRULE_HOST'] ?? '127.0.0.1';
const data = env['FERRULE_DATA'] ?? join(root, 'data');
const password = env['FERRULE_PASSWORD'];
const log = pino({ level: env['FERRULE_LOG'] ?? 'warn' }, pino.destination(2));

function stop(sentence: string): never {
  console.error(sentence);
  process.exit(1);
}

const port = portOf(env, 'FERRULE_PORT', 4870, stop);
const isLocal = LOCAL.includes(host);
const names =
  env['FERRULE_NAMES']
    ?.split(',')
    .map((n) => n.trim().toLowerCase())
    .filter((n) => n) ?? [];
/** The names and addresses that it answers to, the one to open it at from elsewhere first. */
const hosts = [...new Set([...names, ...(isLocal ? [] : addressesOf(host)), ...LOCAL])];
if (!isLocal && !password)
  stop(
    `Ferrule listens beyond this machine only with a password: set FERRULE_PASSWORD, or leave FERRULE_HOST at 127.0.0.1.`,
  );

const certFile = env['FERRULE_TLS_CERT'],
  certKeyFile = env['FERRULE_TLS_KEY'];
if (!certFile !== !certKeyFile)
  stop('FERRULE_TLS_CERT and FERRULE_TLS_KEY name the certificate and its key; set both, or neither.');

/** Who the server is, to those who come over TLS. */
async function identityOf(): Promise<Identity> {
  try {
    return certFile && certKeyFile
      ? givenIdentity(certFile, certKeyFile, Date.now())
      : await ownIdentity(join(data, 'tls'), hosts, Date.now());
  } catch (e) {
    return stop(`Ferrule cannot speak TLS: ${(e as Error).message}`);
  }
}

/** The shipped examples become projects once; what the user makes of them stays. */
function loadExamples(store: ProjectStore): void {
  const folder = join(root, 'examples');
  for (const file of existsSync(folder) ? readdirSync(folder).filter((f) => f.endsWith('.ferrule.json')) : []) {
    const id = file.replace('.ferrule.json', '');
    if (store.has(id)) continue;
    const parsed = parseProject(readFileSync(join(folder, file), 'utf8'));
    if ('project' in parsed) store.create(parsed.project, id);
    else log.error({ file, problems: parsed.problems }, 'an example could not be read');
  }
}

let store: ProjectStore, database: Db;
try {
  if (!holdFolder(data))
    stop(`Another Ferrule server uses the folder ${data}; stop that one, or set FERRULE_DATA to another folder.`);
  const file = join(data, 'ferrule.db'),
    state = stateOf(file);
  if (state === 'foreign')
    stop(`${file} is the database of another program; move it away, or set FERRULE_DATA to another folder.`);
  const saved =
    state === 'damaged' ? rescue(file, new Date().toISOString().slice(0, 19).replaceAll(':', '')) : undefined;
  database = openDatabase(file, join(here, '../drizzle'));
  store = new ProjectStore(database, () => Date.now());
  if (saved) {
    store.bringOver(saved.projects);
    console.error(rescueWords(saved));
  }
  loadExamples(store);
} catch (e) {
  const code = (e as NodeJS.ErrnoException).code ?? '';
  stop(
    `The folder ${data} cannot be used for Ferrule's data (${code || (e as Error).message}); make it writable, or set FERRULE_DATA to another one.`,
  );
}

const keyFile = join(env['FERRULE_CONTROLLER_DATA'] ?? join(root, 'data/controller'), 'key');
/** Read anew each time: the controller makes it at its first start, which may come later. */
const key = (): string | undefined => {
  try {
    return env['FERRULE_CONTROLLER_KEY'] ?? readFileSync(keyFile, 'utf8').trim();
  } catch {
    return undefined;
  }
};
const controller = new ControllerLink(env['FERRULE_CONTROLLER'] ?? 'http://127.0.0.1:4871', 2000, key);
const outside = {
  folder: join(data, 'outside'),
  entry: new URL('../../protocols/dist/opcua-client-main.mjs', import.meta.url),
  secrets: new Secrets(join(data, 'outside-passwords.json')),
};
const brake = password ? new PasswordBrake(password) : undefined;
const redis = env['FERRULE_REDIS'];
if (redis)
  try {
    connectionOf(redis);
  } catch (e) {
    stop(`FERRULE_REDIS: ${(e as Error).message}`);
  }
const shared = redis ? new SharedWork(redis) : undefined,
  onThisMachine = workerProver({
    checks: new URL('./proof-worker.mjs', import.meta.url),
    rules: new URL('./rules-worker.mjs', import.meta.url),
    report: new URL('./report-worker.mjs', import.meta.url),
  });
const app = createApp({
  outside,
  store,
  log,
  controller,
  prover: shared?.over(onThisMachine) ?? onThisMachine,
  ...(shared ? { shared } : {}),
  examples: join(root, 'examples'),
  pages: join(root, 'packages/web/dist'),
  hosts,
  ...(brake ? { brake } : {}),
});
const bench = new BenchRelay({
  modbusPort: portOf(env, 'FERRULE_BENCH_MODBUS_PORT', 1503, stop),
  opcuaPort: portOf(env, 'FERRULE_BENCH_OPCUA_PORT', 4841, stop),
  opcuaEntry: new URL('../../protocols/dist/opcua-main.mjs', import.meta.url),
  folder: data,
  outside,
});
const identity = isLocal && !certFile ? undefined : await identityOf();
const server = identity ? createTlsServer(identity, app) : createServer(app);
attachLive(server, {
  bench,
  url: controller.liveUrl,
  headers: () => controller.headers,
  hosts,
  ...(brake ? { brake } : {}),
});
server.on('error', (e: NodeJS.ErrnoException) =>
  stop(
    e.code === 'EADDRINUSE'
      ? `Port ${port} is taken; stop what uses it, or set FERRULE_PORT to another one.`
      : `The server cannot listen: ${e.message}`,
  ),
);
// A page that asks every few seconds keeps its connection: one given up in the moment that it asks would lose the question.
server.keepAliveTimeout = 65_000;
server.listen(port, host, () => {
  process.send?.({ ready: true });
  if (!identity) console.log(`Ferrule is at http://localhost:${port}`);
  else {
    const url = (name: string) => `https://${isIPv6(name) ? `[${name}]` : name}:${port}`;
    const elsewhere = hosts.filter((n) => !LOCAL.includes(n));
    console.log(`Ferrule is at ${(elsewhere.length ? elsewhere : ['localhost']).map(url).join(' and ')}`);
    if (!certFile)
      console.log(
        `Its certificate is its own, so a browser asks before it opens Ferrule from elsewhere; it is the right one where its SHA-256 fingerprint is ${identity.fingerprint}. Another one is set by FERRULE_TLS_CERT and FERRULE_TLS_KEY.`,
      );
  }
});
for (const signal of ['SIGINT', 'SIGTERM'] as const)
  process.on(signal, () => {
    void bench.end();
    void shared?.close();
    server.closeAllConnections();
    server.close(() => {
      closeDatabase(database);
      process.exit(0);
    });
  });
