/**
 * Joins an OPC UA server as its client: subscribes to inputs, writes outputs, and looks what is there. Runs in a
 * process of its own (`opcua-client-main`), as the server does.
 */
import { mkdirSync } from 'node:fs';
import { hostname } from 'node:os';
import { OPCUACertificateManager } from 'node-opcua-certificate-manager';
import {
  AttributeIds,
  BrowseDirection,
  type ClientSession,
  type ClientSubscription,
  DataTypeIds,
  MessageSecurityMode,
  NodeClass,
  NodeId,
  OPCUAClient,
  SecurityPolicy,
  TimestampsToReturn,
  UserTokenType,
  coerceNodeId,
} from 'node-opcua-client';
import type { DataValue } from 'node-opcua-data-value';
import { DataType, Variant, VariantArrayType } from 'node-opcua-variant';
import type { FoundItem } from '@ferrule/core/workspace';
import type { Value } from '@ferrule/core/bench';
import { AGAIN_MS, ANSWER_MS, type Got } from '../outside/driver.js';
import { carriedAs, carry, convert, uncarry } from './carry.js';
import { shownCertificates, trustShown } from './certificates.js';
import type { Browsed, FromClient, JoinPoint, JoinSettings } from './client-messages.js';
import type { Shape } from './model.js';

/** Items of one request. */
const AT_ONCE = 500,
  /** So long nothing may come, not even a sign of life, in ms. */ SILENCE_MS = 3000,
  /** A sign of life at least so often, in ms. */ LIFE_MS = 500,
  MOST_FOUND = 10_000,
  DEEPEST = 16;
/** The strongest that the other side offers is taken. */
const POLICIES = [
  SecurityPolicy.Aes256_Sha256_RsaPss,
  SecurityPolicy.Aes128_Sha256_RsaOaep,
  SecurityPolicy.Basic256Sha256,
] as const;
const MODES = {
  plain: MessageSecurityMode.None,
  signed: MessageSecurityMode.Sign,
  encrypted: MessageSecurityMode.SignAndEncrypt,
} as const;
const MODE_WORDS = { plain: 'plain', signed: 'signed', encrypted: 'signed and encrypted' } as const;

/** The certificates of a folder; made there at first. */
export class Trust {
  private readonly managers = new Map<string, Promise<OPCUACertificateManager>>();
  constructor(private readonly tell: (m: FromClient) => void) {}

  at(folder: string): Promise<OPCUACertificateManager> {
    let found = this.managers.get(folder);
    if (!found) {
      mkdirSync(folder, { recursive: true });
      const manager = new OPCUACertificateManager({
        rootFolder: folder,
        automaticallyAcceptUnknownCertificate: false,
        disableFileWatchers: true,
      });
      found = manager.initialize().then(() => manager);
      this.managers.set(folder, found);
    }
    return found;
  }
  async list(folder: string): Promise<void> {
    this.tell({ kind: 'certificates', certificates: shownCertificates(await this.at(folder)) });
  }
  async set(folder: string, thumbprint: string, isTrusted: boolean): Promise<void> {
    await trustShown(await this.at(folder), thumbprint, isTrusted);
    await this.list(folder);
  }
}

/** A session with another program. Rejects with a sentence. */
async function join(
  s: JoinSettings,
  trust: Trust,
): Promise<{ readonly client: OPCUAClient; readonly session: ClientSession }> {
  const certificates = await trust.at(s.folder);
  const common = {
    applicationName: 'Ferrule',
    applicationUri: `urn:${hostname()}:ferrule`,
    endpointMustExist: false,
    connectionStrategy: { maxRetry: 0, initialDelay: 100, maxDelay: 100 },
    transportTimeout: 2 * ANSWER_MS,
    clientCertificateManager: certificates,
  };
  const isPlain = s.security === 'plain';
  let secured = {};
  if (!isPlain) {
    const asking = OPCUAClient.create(common);
    try {
      await asking.connect(s.url);
      const all = (await asking.getEndpoints()).filter((e) => e.securityMode === MODES[s.security]),
        policy = POLICIES.find((p) => all.some((e) => (e.securityPolicyUri as SecurityPolicy) === p)),
        offer = all.find((e) => (e.securityPolicyUri as SecurityPolicy) === policy);
      if (!policy || !offer) throw new Error(`it offers no ${MODE_WORDS[s.security]} messages`);
      const shown = await certificates.checkCertificate(offer.serverCertificate);
      await trust.list(s.folder);
      if (shown.isNotGood())
        throw new Error(
          shown.name === 'BadCertificateUntrusted'
            ? 'its certificate is not trusted yet; look at it below, and trust it if it is the right one'
            : `its certificate is not accepted (${shown.name})`,
        );
      secured = {
        securityMode: MODES[s.security],
        securityPolicy: policy,
        serverCertificate: offer.serverCertificate,
      };
    } finally {
      await asking.disconnect();
    }
  }
  const client = OPCUAClient.create({ ...common, ...secured, requestedSessionTimeout: 30_000 });
  try {
    await client.connect(s.url);
    const session = await client.createSession(
      s.user
        ? { type: UserTokenType.UserName, userName: s.user, password: s.password ?? '' }
        : { type: UserTokenType.Anonymous },
    );
    return { client, session };
  } catch (e) {
    await client.disconnect().catch(() => undefined);
    throw new Error(joinWords((e as Error).message, s));
  }
}

/** What the library says of a failure, as a sentence about the other side. */
function joinWords(said: string, s: JoinSettings): string {
  if (/BadIdentityTokenRejected|BadUserAccessDenied|BadIdentityTokenInvalid/.test(said))
    return s.user ? 'it does not take this name and password' : 'it takes nobody without a name';
  if (/token policy/i.test(said)) return s.user ? 'it takes no names' : 'it takes nobody without a name';
  if (/BadSecurityModeRejected|BadSecurityPolicyRejected|Cannot find|End ?point must exist/i.test(said))
    return `it offers no ${MODE_WORDS[s.security]} messages`;
  if (
    s.security !== 'plain' &&
    /BadSecurityChecksFailed|BadCertificate|closed by remote|abruptly|disconnected/i.test(said)
  )
    return 'it has closed the connection; it may not trust Ferrule’s certificate yet';
  return said.split('\n')[0]!.slice(0, 200);
}

export class OpcuaClient {
  private isOver = false;
  private session: ClientSession | undefined;
  private readonly wanted = new Map<number, Value>();
  private types: readonly (DataType | undefined)[] = [];
  private wake: () => void = () => undefined;
  private readonly loop: Promise<void>;

  constructor(
    private readonly settings: JoinSettings,
    private readonly points: readonly JoinPoint[],
    private readonly scanMs: number,
    private readonly trust: Trust,
    private readonly tell: (m: FromClient) => void,
  ) {
    this.loop = this.run();
  }

  put(values: readonly (readonly [number, Value])[]): void {
    for (const [n, value] of values) this.wanted.set(n, value);
    void this.write();
  }
  async end(last: readonly (readonly [number, Value])[]): Promise<void> {
    this.put(last);
    this.isOver = true;
    await this.writing;
    this.wake();
    await this.loop;
  }

  private async run(): Promise<void> {
    while (!this.isOver) {
      try {
        await this.once();
      } catch (e) {
        if (!this.isOver) this.tell({ kind: 'away', why: (e as Error).message });
      }
      if (!this.isOver) await new Promise<void>((r) => ((this.wake = r), setTimeout(r, AGAIN_MS)));
    }
  }

  /** From joining until the link breaks. */
  private async once(): Promise<void> {
    const { client, session } = await join(this.settings, this.trust);
    let heardMs = performance.now(),
      silenceMs = 2 * SILENCE_MS,
      life: NodeJS.Timeout | undefined;
    try {
      const broken = new Promise<never>((_, reject) => {
        client.once('connection_lost', () => reject(new Error('the connection broke')));
        client.once('close', () => reject(new Error('the connection broke')));
        session.once('session_closed', () => reject(new Error('it has ended the session')));
        life = setInterval(() => {
          if (performance.now() - heardMs > silenceMs)
            reject(new Error(`nothing came for ${Math.round(silenceMs / 1000)} s, not even a sign of life`));
        }, LIFE_MS);
      });
      broken.catch(() => undefined);
      const heard = () => (heardMs = performance.now());
      this.session = session;
      this.wanted.clear();
      this.types = await Promise.race([this.typesOf(session), broken]);
      const first: Got[] = [];
      const { publishingInterval, maxKeepAliveCount } = await Promise.race([
        this.subscribe(session, heard, first),
        broken,
      ]);
      // As the server grants them, which may be more than was asked for.
      silenceMs = Math.max(SILENCE_MS, 3 * publishingInterval * maxKeepAliveCount);
      heard();
      this.tell({ kind: 'up' });
      if (first.length) this.tell({ kind: 'got', all: first });
      await Promise.race([broken, new Promise<void>((r) => (this.wake = r))]);
    } finally {
      clearInterval(life);
      this.session = undefined;
      client.removeAllListeners('close');
      await Promise.race([
        session.close(true).then(
          () => client.disconnect(),
          () => client.disconnect(),
        ),
        new Promise((r) => setTimeout(r, ANSWER_MS)),
      ]).catch(() => undefined);
    }
  }

  /** The data types that outputs are written as. */
  private async typesOf(session: ClientSession): Promise<(DataType | undefined)[]> {
    const types: (DataType | undefined)[] = [];
    for (const p of this.points) {
      if (p.isInput) types.push(undefined);
      else types.push(await session.getBuiltInDataType(nodeOf(p.item) ?? NodeId.nullNodeId).catch(() => undefined));
    }
    return types;
  }

  private async subscribe(session: ClientSession, heard: () => void, first: Got[]): Promise<ClientSubscription> {
    const everyMs = Math.max(1, this.scanMs);
    const subscription = await session.createSubscription2({
      requestedPublishingInterval: everyMs,
      requestedLifetimeCount: Math.ceil((10 * SILENCE_MS) / everyMs),
      // Many a server publishes no faster than every 50 ms.
      requestedMaxKeepAliveCount: Math.max(1, Math.round(LIFE_MS / Math.max(50, everyMs))),
      maxNotificationsPerPublish: 0,
      publishingEnabled: true,
      priority: 1,
    });
    subscription.on('keepalive', heard);
    const inputs = this.points.flatMap((p, n) => (p.isInput ? [{ ...p, n, nodeId: nodeOf(p.item) }] : []));
    for (const p of inputs) if (!p.nodeId) first.push({ n: p.n, why: nodeWords(p.item) });
    for (const p of this.points.keys())
      if (!this.points[p]!.isInput && !nodeOf(this.points[p]!.item))
        first.push({ n: p, why: nodeWords(this.points[p]!.item) });
    const named = inputs.filter((p) => p.nodeId);
    let news: Got[] = [],
      isWaiting = false;
    // What comes in one message goes on in one.
    const got = (g: Got) => {
      news.push(g);
      if (isWaiting) return;
      isWaiting = true;
      setImmediate(() => {
        isWaiting = false;
        this.tell({ kind: 'got', all: news });
        news = [];
      });
    };
    for (let at = 0; at < named.length; at += AT_ONCE) {
      const some = named.slice(at, at + AT_ONCE),
        group = await subscription.monitorItems(
          some.map((p) => ({ nodeId: p.nodeId!, attributeId: AttributeIds.Value })),
          { samplingInterval: everyMs, queueSize: 1, discardOldest: true },
          TimestampsToReturn.Neither,
        );
      for (const [i, item] of group.monitoredItems.entries())
        if (item.statusCode.isNotGood()) first.push({ n: some[i]!.n, why: statusWords(item.statusCode.name) });
      group.on('changed', (_, value, index) => {
        heard();
        got(gotOf(some[index]!.n, some[index]!.shape, value));
      });
    }
    return subscription;
  }

  private writing: Promise<void> | undefined;
  /** One request at a time: what changes meanwhile goes with the next. */
  private write(): Promise<void> {
    this.writing ??= this.writeAll().finally(() => (this.writing = undefined));
    return this.writing;
  }
  private async writeAll(): Promise<void> {
    while (this.wanted.size && this.session) {
      const { session } = this,
        due = [...this.wanted].slice(0, AT_ONCE),
        all: Got[] = [],
        sent: { readonly n: number; readonly value: Value; readonly nodeId: NodeId; readonly variant: Variant }[] = [];
      for (const [n, value] of due) {
        this.wanted.delete(n);
        const { item, shape } = this.points[n]!,
          nodeId = nodeOf(item),
          type = this.types[n];
        if (!nodeId) continue;
        const carried = type === undefined ? undefined : convert(carry(shape, value), carriedAs(shape).as, type);
        if (carried === undefined)
          all.push({
            n,
            why:
              type === undefined
                ? 'there is no such item, or it does not say its type'
                : `${String(value)} cannot be written there as ${DataType[type]}`,
          });
        else sent.push({ n, value, nodeId, variant: new Variant({ dataType: type!, value: carried }) });
      }
      try {
        const statuses = sent.length
          ? await session.write(
              sent.map((x) => ({ nodeId: x.nodeId, attributeId: AttributeIds.Value, value: { value: x.variant } })),
            )
          : [];
        for (const [i, status] of statuses.entries())
          all.push(
            status.isGood()
              ? { n: sent[i]!.n, value: sent[i]!.value }
              : { n: sent[i]!.n, why: statusWords(status.name) },
          );
      } catch (e) {
        // The link is about to break, and then everything is told anew.
        for (const x of sent) all.push({ n: x.n, why: (e as Error).message.slice(0, 120) });
      }
      this.tell({ kind: 'got', all });
    }
  }
}

function gotOf(n: number, shape: Shape, { value, statusCode }: DataValue): Got {
  if (statusCode.isBad()) return { n, why: statusWords(statusCode.name) };
  const { dataType, arrayType, value: raw } = value as Variant & { readonly value: unknown };
  if (arrayType !== VariantArrayType.Scalar) return { n, why: 'it is a list of values' };
  const carried = raw === null || raw === undefined ? undefined : convert(raw, dataType, carriedAs(shape).as),
    fits = carried === undefined ? undefined : uncarry(shape, carried);
  if (fits === undefined)
    return {
      n,
      why: `${DataType[dataType]} ${String(raw).slice(0, 40)} is no value of ${shape.enumeration ?? shape.base}`,
    };
  return { n, value: fits, ...(statusCode.isGood() ? {} : { isUncertain: true }) };
}

const STATUS_WORDS: Readonly<Record<string, string>> = {
  BadNodeIdUnknown: 'there is no such item',
  BadNodeIdInvalid: 'that names no item',
  BadNotReadable: 'it may not be read',
  BadNotWritable: 'it may not be written',
  BadUserAccessDenied: 'this user may not do that',
  BadTypeMismatch: 'it is of another type',
  BadOutOfRange: 'it does not take that value',
  BadWaitingForInitialData: 'it has no value yet',
  BadNoCommunication: 'there is no way to what feeds it',
  BadOutOfService: 'what feeds it is stopped',
  BadDeviceFailure: 'what feeds it has failed',
};
const statusWords = (name: string): string => (STATUS_WORDS[name] ? `${STATUS_WORDS[name]} (${name})` : name);
const nodeWords = (item: string): string => `'${item}' names no node; write for example ns=2;s=Gate.IsOpen`;

function nodeOf(item: string): NodeId | undefined {
  try {
    return /[=]/.test(item) ? coerceNodeId(item.trim()) : undefined;
  } catch {
    return undefined;
  }
}

/** Everything with a value below Objects, but what the server tells of itself. */
export async function browse(settings: JoinSettings, trust: Trust): Promise<Browsed> {
  const { client, session } = await join(settings, trust);
  try {
    const found: { readonly nodeId: NodeId; readonly name: string }[] = [],
      seen = new Set<string>();
    let isCut = false,
      level: { readonly nodeId: NodeId; readonly name: string }[] = [{ nodeId: coerceNodeId('i=85'), name: '' }];
    for (let depth = 0; level.length && !isCut; depth++) {
      isCut = depth > DEEPEST;
      const next: typeof level = [];
      for (let at = 0; at < level.length && !isCut; at += 50) {
        const some = level.slice(at, at + 50);
        for (const [i, references] of (
          await referencesOf(
            session,
            some.map((x) => x.nodeId),
          )
        ).entries())
          for (const r of references) {
            const key = r.nodeId.toString();
            // What the server tells of itself, and what is seen on another way, too.
            if (key === 'ns=0;i=2253' || seen.has(key) || r.referenceTypeId.toString() === 'ns=0;i=46') continue;
            seen.add(key);
            const own = r.browseName.name ?? '',
              name = some[i]!.name ? `${some[i]!.name}.${own}` : own;
            if (r.nodeClass === NodeClass.Variable) found.push({ nodeId: r.nodeId, name });
            next.push({ nodeId: r.nodeId, name });
          }
        isCut = isCut || found.length > MOST_FOUND;
      }
      level = next;
    }
    const items: FoundItem[] = [];
    let lists = 0;
    for (let at = 0; at < found.length && items.length < MOST_FOUND; at += AT_ONCE) {
      const some = found.slice(at, at + AT_ONCE),
        facts = await session.read(
          some.flatMap(({ nodeId }) =>
            [AttributeIds.DataType, AttributeIds.ValueRank, AttributeIds.UserAccessLevel].map((attributeId) => ({
              nodeId,
              attributeId,
            })),
          ),
        );
      for (const [i, { nodeId, name }] of some.entries()) {
        const [type, rank, access] = facts.slice(3 * i, 3 * i + 3).map((d) => d.value.value as unknown),
          bits = Number(access ?? 0);
        if (Number(rank) > 0) lists++;
        else
          items.push({
            item: nodeId.toString(),
            name,
            type: await typeName(session, type as NodeId | null),
            canRead: (bits & 1) !== 0,
            canWrite: (bits & 2) !== 0,
          });
      }
    }
    return { items, lists, isCut };
  } finally {
    await session.close(true).catch(() => undefined);
    await client.disconnect().catch(() => undefined);
  }
}

const names = new WeakMap<ClientSession, Map<string, Promise<string>>>();
/** Of OPC UA itself by its name; of the server's own as it calls it. */
function typeName(session: ClientSession, of: NodeId | null): Promise<string> {
  if (!of) return Promise.resolve('');
  const key = of.toString(),
    own = of.namespace === 0 ? DataTypeIds[of.value as number] : undefined;
  if (own !== undefined) return Promise.resolve(own);
  let known = names.get(session);
  if (!known) names.set(session, (known = new Map()));
  let found = known.get(key);
  if (!found) {
    found = session
      .read({ nodeId: of, attributeId: AttributeIds.BrowseName })
      .then((d) => (d.value.value as { name?: string } | null)?.name ?? key);
    known.set(key, found);
  }
  return found;
}

async function referencesOf(session: ClientSession, nodes: readonly NodeId[]) {
  const results = await session.browse(
    nodes.map((nodeId) => ({
      nodeId,
      browseDirection: BrowseDirection.Forward,
      includeSubtypes: true,
      referenceTypeId: 'HierarchicalReferences',
      nodeClassMask: NodeClass.Object | NodeClass.Variable,
      resultMask: 63,
    })),
  );
  return Promise.all(
    results.map(async (r) => {
      const all = [...(r.references ?? [])];
      for (let point = r.continuationPoint; point?.length;) {
        const more = await session.browseNext(point, false);
        all.push(...(more.references ?? []));
        point = more.continuationPoint;
      }
      return all;
    }),
  );
}
