/**
 * The process that joins another program over OPC UA: told and telling over the channel to the one that started it, and
 * ending with it.
 */
import type { FromClient, ToClient } from './client-messages.js';
import { OpcuaClient, Trust, browse } from './opcua-client.js';

const tell = (m: FromClient): void => {
  if (process.connected) process.send!(m);
};
const trust = new Trust(tell);
let client: OpcuaClient | undefined;
process.on('message', (m: ToClient) => {
  switch (m.kind) {
    case 'join':
      client = new OpcuaClient(m.settings, m.points, m.scanMs, trust, tell);
      void trust.list(m.settings.folder);
      break;
    case 'put':
      client?.put(m.values);
      break;
    case 'trust':
      void trust.set(m.folder, m.thumbprint, m.isTrusted);
      break;
    case 'browse':
      browse(m.settings, trust).then(
        (found) => tell({ kind: 'browsed', found }),
        (e: Error) => tell({ kind: 'notBrowsed', why: e.message }),
      );
      break;
    case 'end':
      void (client?.end(m.last) ?? Promise.resolve()).finally(() => process.exit(0));
  }
});
// What another program sends that the library cannot read ends this process; the one that started it starts it again.
const trouble = (e: unknown): void => {
  tell({
    kind: 'away',
    why: e instanceof Error ? e.message.split('\n')[0]!.slice(0, 200) : 'it sent what cannot be read',
  });
  process.exit(1);
};
process.on('uncaughtException', trouble);
process.on('unhandledRejection', trouble);
process.on('disconnect', () => process.exit(0));
