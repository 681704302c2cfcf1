// A client in a process of its own: subscribes to so many points and says how late changes came (ms), as one line of JSON.
import { AttributeIds, ClientMonitoredItemGroup, OPCUAClient, TimestampsToReturn } from 'node-opcua-client';

const [url, points, forMs] = [process.argv[2], Number(process.argv[3]), Number(process.argv[4])];
const client = OPCUAClient.create({ endpointMustExist: false });
await client.connect(url);
const session = await client.createSession();
const namespace = (await session.readNamespaceArray()).indexOf('urn:ferrule:points');
const subscription = await session.createSubscription2({
  requestedPublishingInterval: 10,
  requestedLifetimeCount: 1000,
  requestedMaxKeepAliveCount: 10,
  maxNotificationsPerPublish: 0,
  publishingEnabled: true,
  priority: 1,
});
const group = ClientMonitoredItemGroup.create(
  subscription,
  Array.from({ length: points }, (_, i) => ({
    nodeId: `ns=${namespace};s=Look${i}`,
    attributeId: AttributeIds.Value,
  })),
  { samplingInterval: 10, queueSize: 10, discardOldest: true },
  TimestampsToReturn.Both,
);
const late = [];
let isOn = false;
group.on('changed', (_, d) => {
  if (isOn) late.push(Date.now() - d.sourceTimestamp.getTime());
});
await new Promise((r) => group.on('initialized', r));
await new Promise((r) => setTimeout(r, 2000));
isOn = true;
await new Promise((r) => setTimeout(r, forMs));
late.sort((a, b) => a - b);
console.log(
  `> ${JSON.stringify({
    changes: late.length,
    median: late[late.length >> 1],
    most: late[Math.floor(late.length * 0.99)],
    worst: late.at(-1),
  })}`,
);
process.exit(0);
