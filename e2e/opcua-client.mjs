// A client in a process of its own: told what to do by lines of JSON, answers with a line for each, and prints changes as they come.
import { createInterface } from 'node:readline';
import {
  AttributeIds,
  BrowseDirection,
  DataType,
  MessageSecurityMode,
  OPCUAClient,
  SecurityPolicy,
  TimestampsToReturn,
  UserTokenType,
  Variant,
} from 'node-opcua-client';
import { OPCUACertificateManager } from 'node-opcua-certificate-manager';

let client, session, namespace, subscription;
const say = (x) => console.log(`> ${JSON.stringify(x)}`);
const nodeId = (path) => `ns=${namespace};s=${path}`;
const DO = {
  async connect({ url, encrypted, folder, user, name = 'Line model' }) {
    const own =
      folder && new OPCUACertificateManager({ rootFolder: folder, automaticallyAcceptUnknownCertificate: true });
    await own?.initialize();
    client = OPCUAClient.create({
      endpointMustExist: false,
      applicationName: name,
      applicationUri: 'urn:test:line-model',
      connectionStrategy: { maxRetry: 0 },
      ...(own ? { clientCertificateManager: own } : {}),
      ...(encrypted
        ? { securityMode: MessageSecurityMode.SignAndEncrypt, securityPolicy: SecurityPolicy.Basic256Sha256 }
        : {}),
    });
    client.on('connection_lost', () => say({ lost: true }));
    await client.connect(url);
    session = await client.createSession(user && { type: UserTokenType.UserName, ...user });
    namespace = (await session.readNamespaceArray()).indexOf('urn:ferrule:points');
    return 'connected';
  },
  async browse({ path }) {
    const { references } = await session.browse({
      nodeId: nodeId(path),
      browseDirection: BrowseDirection.Forward,
      includeSubtypes: true,
      referenceTypeId: 'HierarchicalReferences',
      resultMask: 63,
    });
    return references.map((r) => r.browseName.name);
  },
  async read({ path }) {
    const { value, statusCode } = await session.read({ nodeId: nodeId(path), attributeId: AttributeIds.Value });
    return { value: value.value, type: DataType[value.dataType], status: statusCode.name };
  },
  async write({ path, type, value }) {
    const status = await session.write({
      nodeId: nodeId(path),
      attributeId: AttributeIds.Value,
      value: { value: new Variant({ dataType: DataType[type], value }) },
    });
    return status.name;
  },
  async watch({ paths, everyMs = 10 }) {
    subscription ??= await session.createSubscription2({
      requestedPublishingInterval: everyMs,
      requestedLifetimeCount: 1000,
      requestedMaxKeepAliveCount: 50,
      maxNotificationsPerPublish: 0,
      publishingEnabled: true,
      priority: 1,
    });
    for (const path of paths) {
      const item = await subscription.monitor(
        { nodeId: nodeId(path), attributeId: AttributeIds.Value },
        { samplingInterval: everyMs, queueSize: 100, discardOldest: true },
        TimestampsToReturn.Both,
      );
      item.on('changed', (d) => say({ changed: path, value: d.value?.value, status: d.statusCode.name }));
    }
    return 'watching';
  },
  async end() {
    await session?.close();
    await client?.disconnect();
    setTimeout(() => process.exit(0), 10);
    return 'ended';
  },
};
let last = Promise.resolve();
const input = createInterface({ input: process.stdin });
// Without the one that tells it what to do it has nothing to do.
input.on('close', () => process.exit(0));
input.on('line', (line) => {
  const { do: what, ...args } = JSON.parse(line);
  last = last.then(async () => {
    try {
      say({ done: await DO[what](args) });
    } catch (e) {
      say({ failed: e.message });
    }
  });
});
