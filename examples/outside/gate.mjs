#!/usr/bin/env node
/**
 * Plays a gate for the project loading-gate.ferrule.json, over OPC UA: is told of the motor's outputs as they change, moves
 * the gate, and writes the limit switches, the light beam and the height. Type o to open, c to close, b to break the beam,
 * q to end.
 *
 *     node gate.mjs [address]            by hand
 *     node gate.mjs --once [address]     opens once by itself, and says how far it came
 *
 * The address is the controller's, opc.tcp://127.0.0.1:4840, or the bench's, with 4841. It runs from Ferrule's folder,
 * whose packages it uses.
 */
import { AttributeIds, DataType, OPCUAClient, TimestampsToReturn, Variant } from 'node-opcua-client';

const SPEED = 800; // mm a second
const FULL = 3000; // mm
const once = process.argv.includes('--once');
const address = process.argv.slice(2).find((a) => !a.startsWith('--')) ?? 'opc.tcp://127.0.0.1:4840';

async function main() {
  const client = OPCUAClient.create({
    endpointMustExist: false,
    applicationName: 'Loading gate',
    connectionStrategy: { maxRetry: 1 },
  });
  await client.connect(address);
  const session = await client.createSession();
  const namespace = (await session.readNamespaceArray()).indexOf('urn:ferrule:points');
  const nodeId = (name) => `ns=${namespace};s=${name}`;

  // The two outputs, told of as they change, and how far they can be trusted.
  const is = { GateUp: false, GateDown: false };
  let isGood = true;
  const subscription = await session.createSubscription2({
    requestedPublishingInterval: 10,
    requestedLifetimeCount: 1000,
    requestedMaxKeepAliveCount: 50,
    publishingEnabled: true,
  });
  for (const name of Object.keys(is)) {
    const item = await subscription.monitor(
      { nodeId: nodeId(name), attributeId: AttributeIds.Value },
      { samplingInterval: 10, queueSize: 10, discardOldest: true },
      TimestampsToReturn.Both,
    );
    item.on('changed', ({ value, statusCode }) => {
      isGood = statusCode.isGood();
      is[name] = isGood && value.value === true;
    });
  }

  /** Writes what is another value now. */
  const written = {};
  async function write(values) {
    const changed = Object.entries(values).filter(([name, v]) => written[name] !== v);
    if (!changed.length) return;
    const results = await session.write(
      changed.map(([name, value]) => ({
        nodeId: nodeId(name),
        attributeId: AttributeIds.Value,
        value: {
          value: new Variant(
            typeof value === 'boolean' ? { dataType: DataType.Boolean, value } : { dataType: DataType.Int16, value },
          ),
        },
      })),
    );
    results.forEach((status, i) => {
      if (!status.isGood()) throw new Error(`${changed[i][0]} could not be written: ${status.name}`);
    });
    Object.assign(written, Object.fromEntries(changed));
  }

  let height = 0,
    beamClear = true,
    pressed = once ? 'o' : '',
    until = performance.now() + 500,
    before = performance.now(),
    isOver = false;
  const began = before;
  if (!once) {
    console.log('o opens, c closes, b breaks the beam or clears it, q ends; Enter behind each.');
    process.stdin.on('data', (typed) => {
      const key = String(typed).trim().toLowerCase();
      if (key === 'q') isOver = true;
      if (key === 'b') beamClear = !beamClear;
      if (key === 'o' || key === 'c') [pressed, until] = [key, performance.now() + 500];
    });
  }
  while (!isOver) {
    const now = performance.now();
    height = Math.min(FULL, Math.max(0, height + ((is.GateUp - is.GateDown) * SPEED * (now - before)) / 1000));
    before = now;
    // By itself it holds the button until the gate moves, as a person would.
    if (now > until && (!once || height > 0)) pressed = '';
    await write({
      OpenPB: pressed === 'o',
      ClosePB: pressed === 'c',
      AtTop: height >= FULL,
      AtBottom: height <= 0,
      BeamClear: beamClear,
      Height: Math.trunc(height),
    });
    if (!once)
      process.stdout.write(
        `\r[${'#'.repeat(Math.round((30 * height) / FULL)).padEnd(30)}] ${Math.trunc(height)} mm ${is.GateUp ? 'up' : is.GateDown ? 'down' : ''} ${isGood ? '' : 'the controller does not run'}${beamClear ? '' : ' beam broken'}        `,
      );
    else if (height >= FULL || now - began > 20_000) {
      console.log(`height ${Math.trunc(height)} mm after ${((now - began) / 1000).toFixed(1)} s`);
      isOver = true;
    }
    await new Promise((r) => setTimeout(r, 20));
  }
  await session.close();
  await client.disconnect();
  process.exit(0);
}

main().catch((e) => {
  console.error(`${e.message}. Is OPC UA open in Controller, Other programs (or beside the bench's transport)?`);
  process.exit(1);
});
