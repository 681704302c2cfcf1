import { mkdtempSync, rmSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import {
  AttributeIds,
  BrowseDirection,
  type ClientSession,
  DataType,
  MessageSecurityMode,
  OPCUAClient,
  SecurityPolicy,
  StatusCodes,
  TimestampsToReturn,
  UserTokenType,
  Variant,
  VariantArrayType,
} from 'node-opcua-client';
import { OPCUACertificateManager } from 'node-opcua-certificate-manager';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { ElementaryName } from '@ferrule/core/language';
import { type OpcuaCertificate, type OpcuaClient, type Value, pointTree, pointsBelow } from '@ferrule/core/bench';
import { type Project, emptyProject } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { carriedAs, carry, uncarry } from './carry.js';
import { type Model, type Shape, modelOf } from './model.js';
import { OpcuaServer } from './opcua-server.js';
import { hashed } from './secret.js';

const project: Project = {
  ...emptyProject('Points'),
  types: [
    { id: 'r', text: 'Recipe : STRUCT Speed : REAL; Parts : ARRAY[1..3] OF INT; Note : STRING[8]; END_STRUCT;' },
    { id: 'e', text: 'Colour : (Red, Green := 5, Blue);' },
    { id: 's', text: 'Percent : USINT (0..100);' },
  ],
  tags: [
    { id: '1', name: 'Start', type: 'BOOL', address: '%IX1.3', access: 'write', description: 'The green button' },
    { id: '2', name: 'Motor', type: 'BOOL', address: '%QX0.0', access: 'read' },
    { id: '3', name: 'Level', type: 'REAL', access: 'read', unit: 'mm', range: '0..250' },
    { id: '4', name: 'Now', type: 'Recipe', access: 'write' },
    { id: '5', name: 'Shade', type: 'Colour', access: 'write' },
    { id: '6', name: 'Share', type: 'Percent', access: 'write', unit: '%' },
    { id: '7', name: 'Wait', type: 'TIME', access: 'write' },
    { id: '8', name: 'Grid', type: 'ARRAY[0..1, 1..2] OF DINT', access: 'write' },
    { id: '9', name: 'Pumps', type: 'ARRAY[1..2] OF Recipe', access: 'read' },
    { id: 'a', name: 'Hidden', type: 'INT' },
    { id: 'b', name: 'Delay', type: 'TON', access: 'read' },
  ],
  pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text: 'PROGRAM Main\n;\nEND_PROGRAM\n' }],
};
const built = (p: Project) => pointTree(p, compile([{ kind: 'project', name: 'p', project: p }]).build(true));
const tree = built(project),
  paths = tree.flatMap((t) => pointsBelow(t.node)).map((p) => p.path);

let folder: string, server: OpcuaServer, port: number;
let clients: readonly OpcuaClient[] = [],
  certificates: readonly OpcuaCertificate[] = [],
  refuse: string | undefined;
const written: (readonly [string, Value])[] = [],
  log: string[] = [];
const url = () => `opc.tcp://127.0.0.1:${port}`;
/** What stands at a path now, as the source would tell. */
const tell = (values: Readonly<Record<string, Value>>, state: 'run' | 'paused' | 'stop' | 'fault' = 'run', ms = 1000) =>
  server.take({
    kind: 'values',
    changes: Object.entries(values).map(([path, v]) => [paths.indexOf(path), v, ms]),
    state,
  });
const INITIAL: Readonly<Record<string, Value>> = Object.fromEntries(
  tree.flatMap((t) =>
    pointsBelow(t.node).map((p): [string, Value] => [
      p.path,
      p.type.kind === 'string'
        ? ''
        : p.path === 'Start' || p.path === 'Motor' || /\.(IN|Q)$/.test(p.path)
          ? false
          : /Speed|Level/.test(p.path)
            ? 0
            : 0n,
    ]),
  ),
);

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'ferrule-opcua-'));
  const probe = createServer();
  port = await new Promise((r) => probe.listen(0, '127.0.0.1', () => r((probe.address() as AddressInfo).port)));
  await new Promise((r) => probe.close(r));
  server = new OpcuaServer({
    write: async (all) => {
      if (refuse === undefined) written.push(...all);
      return refuse;
    },
    log: (w) => log.push(w),
    certificates: (c) => (certificates = c),
    clients: (c) => (clients = c),
  });
  await server.start({
    port,
    host: '127.0.0.1',
    folder: join(folder, 'own'),
    name: 'Ferrule test',
    scanMs: 10,
    plain: true,
    anonymous: true,
    user: { name: 'operator', secret: hashed('a long password') },
  });
  server.take({ kind: 'model', model: modelOf(tree), scanMs: 10 });
  tell(INITIAL);
});
afterAll(async () => {
  await server.end();
  rmSync(folder, { recursive: true });
});

const NAMED = 'urn:ferrule:points';
async function joined<T>(
  doing: (session: ClientSession, node: (path: string) => string) => Promise<T>,
  options: Parameters<typeof OPCUAClient.create>[0] = {},
  user?: { userName: string; password: string },
): Promise<T> {
  const client = OPCUAClient.create({ endpointMustExist: false, connectionStrategy: { maxRetry: 0 }, ...options });
  try {
    await client.connect(url());
    const session = await client.createSession(user && { type: UserTokenType.UserName, ...user });
    try {
      const at = (await session.readNamespaceArray()).indexOf(NAMED);
      return await doing(session, (path) => `ns=${at};s=${path}`);
    } finally {
      await session.close();
    }
  } finally {
    await client.disconnect();
  }
}
const valueOf = async (session: ClientSession, nodeId: string) =>
  session.read({ nodeId, attributeId: AttributeIds.Value });
const until = async (isSo: () => boolean): Promise<void> => {
  for (let i = 0; i < 200 && !isSo(); i++) await new Promise((r) => setTimeout(r, 20));
  expect(isSo()).toBe(true);
};
const scalar = (dataType: DataType, value: unknown) => ({ value: new Variant({ dataType, value }) });

describe('what a client browses', () => {
  it('is a node for each tag with access; structures and instances are objects of their members', async () => {
    await joined(async (session, node) => {
      const below = async (of: string) =>
        (
          await session.browse({
            nodeId: of,
            browseDirection: BrowseDirection.Forward,
            includeSubtypes: true,
            referenceTypeId: 'HierarchicalReferences',
            resultMask: 63,
          })
        ).references!.map((r) => r.browseName.name!);
      expect(await below(node('Tags'))).toEqual(project.tags.filter((t) => t.access).map((t) => t.name));
      expect(await below(node('Now'))).toEqual(expect.arrayContaining(['Speed', 'Parts', 'Note']));
      expect(await below(node('Pumps'))).toEqual(expect.arrayContaining(['[1]', '[2]']));
      expect(await below(node('Delay'))).toEqual(expect.arrayContaining(['IN', 'PT', 'Q', 'ET']));
    });
  });
  it('tells types, enumerations by name, units, ranges and descriptions', async () => {
    await joined(async (session, node) => {
      const read = async (nodeId: string, attributeId: AttributeIds) =>
        (await session.read({ nodeId, attributeId })).value.value as unknown;
      const typeOf = async (path: string) => {
        const type = await read(node(path), AttributeIds.DataType);
        return ((await read(String(type), AttributeIds.BrowseName)) as { name: string }).name;
      };
      expect(await typeOf('Start')).toBe('Boolean');
      expect(await typeOf('Level')).toBe('Float');
      expect(await typeOf('Wait')).toBe('Duration');
      expect(await typeOf('Shade')).toBe('Colour');
      expect(await read(node('Start'), AttributeIds.Description)).toMatchObject({ text: 'The green button' });
      expect(await read(node('Level EURange'), AttributeIds.Value)).toMatchObject({ low: 0, high: 250 });
      expect(await read(node('Level EngineeringUnits'), AttributeIds.Value)).toMatchObject({
        displayName: { text: 'mm' },
      });
      expect(await read(node('Grid'), AttributeIds.ArrayDimensions)).toEqual(new Uint32Array([2, 2]));
      const colour = String(await read(node('Shade'), AttributeIds.DataType));
      const { references } = await session.browse({
        nodeId: colour,
        browseDirection: BrowseDirection.Forward,
        referenceTypeId: 'HasProperty',
        resultMask: 63,
      });
      const names = (await read(references![0]!.nodeId.toString(), AttributeIds.Value)) as {
        displayName: { text: string };
      }[];
      expect(names.map((n) => n.displayName.text)).toEqual(['Red', 'Green', 'Blue']);
    });
  });
});

describe('values', () => {
  it('carry when they changed and how far they can be trusted', async () => {
    await joined(async (session, node) => {
      tell({ Level: 12.5, 'Now.Parts[2]': 7n, 'Grid[1,1]': -3n, Shade: 5n, Wait: 1_500_000_000n }, 'run', 86_400_000);
      const level = await valueOf(session, node('Level'));
      expect(level.value).toMatchObject({ dataType: DataType.Float, value: 12.5 });
      expect(level.statusCode).toBe(StatusCodes.Good);
      expect(level.sourceTimestamp).toEqual(new Date(86_400_000));
      expect((await valueOf(session, node('Now.Parts'))).value.value).toEqual(new Int16Array([0, 7, 0]));
      const grid = (await valueOf(session, node('Grid'))).value;
      expect(grid).toMatchObject({ arrayType: VariantArrayType.Matrix, dimensions: [2, 2] });
      expect([...(grid.value as Int32Array)]).toEqual([0, 0, -3, 0]);
      expect((await valueOf(session, node('Shade'))).value).toMatchObject({ dataType: DataType.Int32, value: 5 });
      expect((await valueOf(session, node('Wait'))).value.value).toBe(1500);
      tell({}, 'paused');
      expect((await valueOf(session, node('Level'))).statusCode).toBe(StatusCodes.UncertainLastUsableValue);
      tell({}, 'stop');
      expect((await valueOf(session, node('Level'))).statusCode).toBe(StatusCodes.BadOutOfService);
      tell({}, 'fault');
      const bad = await valueOf(session, node('Level'));
      expect(bad.statusCode).toBe(StatusCodes.BadDeviceFailure);
      expect(bad.value.value).toBe(12.5);
      tell({}, 'run');
    });
  });
  it('are told to who subscribed, each change in turn, and its quality', async () => {
    await joined(async (session, node) => {
      const subscription = await session.createSubscription2({
        requestedPublishingInterval: 10,
        requestedLifetimeCount: 1000,
        requestedMaxKeepAliveCount: 100,
        publishingEnabled: true,
        maxNotificationsPerPublish: 0,
        priority: 1,
      });
      expect(subscription.publishingInterval).toBe(10);
      const seen: [unknown, string][] = [];
      const item = await subscription.monitor(
        { nodeId: node('Level'), attributeId: AttributeIds.Value },
        { samplingInterval: 10, queueSize: 100, discardOldest: true },
        TimestampsToReturn.Both,
      );
      item.on('changed', (d: { value: Variant; statusCode: { name: string } }) =>
        seen.push([d.value.value, d.statusCode.name]),
      );
      // The value as it is may come more than once.
      await until(() => seen.length > 0);
      await new Promise((r) => setTimeout(r, 100));
      seen.length = 0;
      for (let i = 1; i <= 20; i++) tell({ Level: i });
      tell({}, 'paused');
      await until(() => seen.length === 21);
      expect(seen).toEqual([
        ...Array.from({ length: 20 }, (_, i) => [i + 1, 'Good']),
        [20, 'UncertainLastUsableValue'],
      ]);
      tell({}, 'run');
      await until(() => clients[0]?.subscribed === 1);
      expect(clients[0]).toMatchObject({ user: 'anonymous', security: 'plain' });
    });
  });
  it('are written before the coming scan; what cannot be is refused by status and logged', async () => {
    await joined(async (session, node) => {
      const write = async (path: string, dataType: DataType, value: unknown) =>
        session.write({
          nodeId: node(path),
          attributeId: AttributeIds.Value,
          value: scalar(dataType, value),
        });
      written.length = 0;
      expect(await write('Start', DataType.Boolean, true)).toBe(StatusCodes.Good);
      expect(await write('Shade', DataType.Int32, 6)).toBe(StatusCodes.Good);
      expect(await write('Wait', DataType.Double, 2.5)).toBe(StatusCodes.Good);
      expect(await write('Now.Note', DataType.String, 'hot')).toBe(StatusCodes.Good);
      expect(written).toEqual([
        ['Start', true],
        ['Shade', 6n],
        ['Wait', 2_500_000n],
        ['Now.Note', 'hot'],
      ]);
      expect((await valueOf(session, node('Start'))).value.value).toBe(true);
      expect(await write('Motor', DataType.Boolean, true)).toBe(StatusCodes.BadNotWritable);
      expect(log.at(-1)).toMatch(/was refused over OPC UA: Motor may not be written\.$/);
      expect(await write('Shade', DataType.Int32, 2)).toBe(StatusCodes.BadOutOfRange);
      expect(await write('Share', DataType.Byte, 101)).toBe(StatusCodes.BadOutOfRange);
      expect(await write('Now.Note', DataType.String, 'too long for it')).toBe(StatusCodes.BadOutOfRange);
      expect(await write('Start', DataType.Int32, 1)).toBe(StatusCodes.BadTypeMismatch);
      refuse = 'There is no program.';
      expect(await write('Start', DataType.Boolean, false)).toBe(StatusCodes.BadDeviceFailure);
      refuse = undefined;
      expect(written).toHaveLength(4);
      await until(() => clients.some((c) => c.refused === 6 && c.writes === 4));
    });
  });
  it('of an array are written as a whole or in part', async () => {
    await joined(async (session, node) => {
      tell({
        'Now.Parts[1]': 1n,
        'Now.Parts[2]': 2n,
        'Now.Parts[3]': 3n,
        'Grid[0,1]': 1n,
        'Grid[0,2]': 2n,
        'Grid[1,1]': 3n,
        'Grid[1,2]': 4n,
      });
      written.length = 0;
      const array = (dataType: DataType, value: number[]) => ({
        value: new Variant({ dataType, arrayType: VariantArrayType.Array, value }),
      });
      const put = async (path: string, value: { value: Variant }, indexRange?: string) =>
        session.write({
          nodeId: node(path),
          attributeId: AttributeIds.Value,
          value,
          ...(indexRange === undefined ? {} : { indexRange: indexRange as never }),
        });
      expect(await put('Now.Parts', array(DataType.Int16, [1, 9, 3]))).toBe(StatusCodes.Good);
      expect(await put('Now.Parts', array(DataType.Int16, [8]), '2')).toBe(StatusCodes.Good);
      expect(written).toEqual([
        ['Now.Parts[2]', 9n],
        ['Now.Parts[3]', 8n],
      ]);
      expect([...((await valueOf(session, node('Now.Parts'))).value.value as Int16Array)]).toEqual([1, 9, 8]);
      expect(await put('Now.Parts', array(DataType.Int16, [1, 2]))).not.toBe(StatusCodes.Good);
      expect(await put('Now.Parts', array(DataType.Int16, [1]), '7')).not.toBe(StatusCodes.Good);
      written.length = 0;
      const matrix = {
        value: new Variant({
          dataType: DataType.Int32,
          arrayType: VariantArrayType.Matrix,
          dimensions: [2, 2],
          value: [1, 2, 3, 40],
        }),
      };
      expect(await put('Grid', matrix)).toBe(StatusCodes.Good);
      expect(written).toEqual([['Grid[1,2]', 40n]]);
    });
  });
});

describe('another program', () => {
  it('keeps what is the same, with who subscribed to it', async () => {
    await joined(async (session, node) => {
      const subscription = await session.createSubscription2({
        requestedPublishingInterval: 10,
        requestedLifetimeCount: 1000,
        requestedMaxKeepAliveCount: 100,
        publishingEnabled: true,
        maxNotificationsPerPublish: 0,
        priority: 1,
      });
      const seen: unknown[] = [],
        gone: string[] = [];
      const watch = async (path: string, on: (d: { value: Variant; statusCode: { name: string } }) => void) => {
        const item = await subscription.monitor(
          { nodeId: node(path), attributeId: AttributeIds.Value },
          { samplingInterval: 0, queueSize: 100, discardOldest: true },
          TimestampsToReturn.Both,
        );
        item.on('changed', on);
      };
      await watch('Level', (d) => seen.push(d.value.value));
      await watch('Motor', (d) => gone.push(d.statusCode.name));
      await until(() => seen.length > 0 && gone.length > 0);
      const other = built({
        ...project,
        tags: [
          { id: 'n', name: 'New', type: 'INT', access: 'read' },
          ...project.tags.filter((t) => t.name !== 'Motor').map((t) => (t.name === 'Wait' ? { ...t, type: 'INT' } : t)),
        ],
      });
      const model: Model = modelOf(other),
        now = other.flatMap((t) => pointsBelow(t.node)).map((p) => p.path);
      server.take({ kind: 'model', model, scanMs: 10 });
      server.take({
        kind: 'values',
        changes: [
          [now.indexOf('Level'), 77, 5],
          [now.indexOf('Wait'), 4n, 5],
          [0, 3n, 5],
        ],
        state: 'run',
      });
      await until(() => seen.at(-1) === 77 && gone.at(-1) === 'BadNodeIdInvalid');
      expect((await valueOf(session, node('New'))).value.value).toBe(3);
      expect((await valueOf(session, node('Wait'))).value.dataType).toBe(DataType.Int16);
      expect((await valueOf(session, node('Motor'))).statusCode).toBe(StatusCodes.BadNodeIdUnknown);
      server.take({ kind: 'model', model: modelOf(tree), scanMs: 10 });
      expect((await valueOf(session, node('Motor'))).statusCode).toBe(StatusCodes.BadWaitingForInitialData);
      tell(INITIAL);
      expect((await valueOf(session, node('Motor'))).value.value).toBe(false);
    });
  });
});

describe('who may join', () => {
  it('by name and password; a wrong one is refused, ever more slowly', async () => {
    const as = (password: string) =>
      joined(async () => clients.map((c) => c.user), {}, { userName: 'operator', password });
    await as('a long password');
    await expect(as('something else')).rejects.toThrow(/UserAccessDenied|IdentityToken/);
    expect(log).toContain("A wrong name or password was given over OPC UA, as 'operator'.");
    const began = performance.now();
    await expect(as('once more')).rejects.toThrow();
    expect(performance.now() - began).toBeGreaterThan(400);
  });
  it('signed, or signed and encrypted, with each policy, once its certificate is trusted by hand', async () => {
    const own = new OPCUACertificateManager({
      rootFolder: join(folder, 'client'),
      automaticallyAcceptUnknownCertificate: true,
    });
    await own.initialize();
    const secure = {
      securityMode: MessageSecurityMode.SignAndEncrypt,
      securityPolicy: SecurityPolicy.Basic256Sha256,
      clientCertificateManager: own,
      applicationName: 'Operator screen',
      applicationUri: 'urn:test:screen',
    };
    await expect(joined(async () => undefined, secure)).rejects.toThrow();
    await until(() => certificates.length === 1);
    expect(certificates[0]).toMatchObject({ isTrusted: false });
    expect(log.some((w) => w.startsWith('A certificate that is not trusted was shown'))).toBe(true);
    server.take({ kind: 'trust', thumbprint: certificates[0]!.thumbprint, isTrusted: true });
    await until(() => certificates[0]!.isTrusted);
    const security = await joined(async (session, node) => {
      expect((await valueOf(session, node('Level'))).statusCode).toBe(StatusCodes.Good);
      await until(() => clients.length > 0);
      return clients.map((c) => [c.name, c.security]);
    }, secure);
    expect(security).toEqual([['Operator screen', 'encrypted']]);
    expect(log).toContain('Operator screen has joined over OPC UA, signed and encrypted.');
    // Each way that is offered is taken, and told as what it is.
    for (const policy of [
      SecurityPolicy.Basic256Sha256,
      SecurityPolicy.Aes128_Sha256_RsaOaep,
      SecurityPolicy.Aes256_Sha256_RsaPss,
    ])
      for (const [mode, words] of [
        [MessageSecurityMode.Sign, 'signed'],
        [MessageSecurityMode.SignAndEncrypt, 'encrypted'],
      ] as const) {
        const seen = await joined(
          async (session, node) => {
            expect((await valueOf(session, node('Level'))).statusCode).toBe(StatusCodes.Good);
            await until(() => clients.length > 0);
            return clients.map((c) => c.security);
          },
          { ...secure, securityMode: mode, securityPolicy: policy },
        );
        expect([policy, ...seen]).toEqual([policy, words]);
        await until(() => clients.length === 0);
      }
    server.take({ kind: 'trust', thumbprint: certificates[0]!.thumbprint, isTrusted: false });
    await until(() => !certificates[0]!.isTrusted);
    await expect(joined(async () => undefined, secure)).rejects.toThrow();
    await own.dispose();
  });
  it('nobody while the cable is cut; who was there is gone', async () => {
    const client = OPCUAClient.create({ endpointMustExist: false, connectionStrategy: { maxRetry: 0 } });
    await client.connect(url());
    let isLost = false;
    client.on('connection_lost', () => (isLost = true));
    client.on('close', () => (isLost = true));
    server.take({ kind: 'cable', state: 'cut' });
    await until(() => isLost);
    await client.disconnect();
    await expect(joined(async () => undefined)).rejects.toThrow();
    server.take({ kind: 'cable', state: 'ok' });
    await joined(async (session, node) => {
      server.take({ kind: 'cable', state: 'slow' });
      const began = performance.now();
      expect((await valueOf(session, node('Level'))).statusCode).toBe(StatusCodes.Good);
      expect(performance.now() - began).toBeGreaterThan(450);
      server.take({ kind: 'cable', state: 'ok' });
    });
  });
});

describe('values are carried and come back', () => {
  const whole = (low: bigint, high: bigint) => fc.bigInt({ min: low, max: high });
  const BITS: readonly [ElementaryName, fc.Arbitrary<Value>][] = [
    ['BOOL', fc.boolean()],
    ['BYTE', whole(0n, 255n)],
    ['SINT', whole(-128n, 127n)],
    ['USINT', whole(0n, 255n)],
    ['INT', whole(-32768n, 32767n)],
    ['WORD', whole(0n, 65535n)],
    ['DINT', whole(-(1n << 31n), (1n << 31n) - 1n)],
    ['DWORD', whole(0n, (1n << 32n) - 1n)],
    ['LINT', whole(-(1n << 63n), (1n << 63n) - 1n)],
    ['ULINT', whole(0n, (1n << 64n) - 1n)],
    ['REAL', fc.float({ noNaN: true })],
    ['LREAL', fc.double({ noNaN: true })],
    // Whole microseconds up to ten days; of dates whole milliseconds.
    ['TIME', whole(-864_000_000_000n, 864_000_000_000n).map((us) => us * 1000n)],
    ['DT', whole(-9_000_000_000_000n, 9_000_000_000_000n).map((ms) => ms * 1_000_000n)],
    ['CHAR', whole(0n, 255n)],
  ];
  it.each(BITS)('%s', (base, values) => {
    const shape: Shape = { base };
    fc.assert(
      fc.property(values, (v) => {
        const variant = new Variant({
          dataType: carriedAs(shape).as,
          arrayType: VariantArrayType.Scalar,
          value: carry(shape, v),
        });
        expect(uncarry(shape, variant.value)).toEqual(v);
      }),
    );
  });
  it('what a point cannot hold is nothing', () => {
    expect(uncarry({ base: 'USINT', low: 0n, high: 100n }, 101)).toBeUndefined();
    expect(uncarry({ base: 'TIME' }, Infinity)).toBeUndefined();
    expect(uncarry({ base: 'TIME' }, 1e300)).toBeUndefined();
    expect(uncarry({ base: 'DT' }, new Date(NaN))).toBeUndefined();
    expect(uncarry({ base: 'CHAR' }, '')).toBeUndefined();
    expect(uncarry({ base: 'STRING', max: 3 }, 'abcd')).toBeUndefined();
    expect(uncarry({ base: 'STRING', max: 3 }, '\u4e00')).toBeUndefined();
  });
});
