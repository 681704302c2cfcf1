/** The OPC UA server's process: told and telling over the channel to the one that started it, and ending with it. */
import type { FromOpcua, ToOpcua } from './messages.js';
import { OpcuaServer } from './opcua-server.js';

const tell = (m: FromOpcua): void => {
  if (process.connected) process.send!(m);
};
let writes = 0;
const waiting = new Map<number, (why: string | undefined) => void>();
const server = new OpcuaServer({
  write: (all) =>
    new Promise((resolve) => {
      const n = ++writes;
      waiting.set(n, resolve);
      tell({ kind: 'write', n, writes: all });
    }),
  log: (words) => tell({ kind: 'log', words }),
  certificates: (certificates) => tell({ kind: 'certificates', certificates }),
  clients: (clients, sessions) => tell({ kind: 'clients', clients, sessions }),
});
process.on('message', (m: ToOpcua) => {
  switch (m.kind) {
    case 'start':
      server.start(m.settings).then(
        (thumbprint) => tell({ kind: 'ready', thumbprint }),
        (e: NodeJS.ErrnoException) => tell({ kind: 'failed', message: e.code === 'EADDRINUSE' ? 'taken' : e.message }),
      );
      break;
    case 'written':
      waiting.get(m.n)?.(m.error);
      waiting.delete(m.n);
      break;
    case 'end':
      void server.end().finally(() => process.exit(0));
      break;
    default:
      server.take(m);
      if (m.kind === 'values') tell({ kind: 'taken' });
  }
});
/** What a message of one client brings the library to does not end the others; what goes wrong again and again does. */
const MOST_TROUBLES = 200,
  TROUBLES_MS = 60_000;
let troubles: number[] = [];
const trouble = (e: unknown): void => {
  const now = Date.now();
  troubles = [...troubles.filter((t) => now - t < TROUBLES_MS), now];
  if (troubles.length === 1)
    tell({
      kind: 'log',
      words: `The OPC UA server met what it could not read (${e instanceof Error ? e.message.slice(0, 120) : 'no reason given'}); it goes on.`,
    });
  if (troubles.length > MOST_TROUBLES) process.exit(1);
};
process.on('uncaughtException', trouble);
process.on('unhandledRejection', trouble);
// Without the one that started it there is nothing to serve.
process.on('disconnect', () => process.exit(0));
