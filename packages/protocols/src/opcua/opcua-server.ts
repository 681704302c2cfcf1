/**
 * An OPC UA server over points. Runs in a process of its own (`opcua-main`): the library is large, and what clients ask
 * for takes its time from nobody else. It listens on this machine only, behind a cable that others reach.
 */
import { X509Certificate } from 'node:crypto';
import { mkdirSync } from 'node:fs';
import { type AddressInfo, createServer } from 'node:net';
import { OPCUACertificateManager } from 'node-opcua-certificate-manager';
import { MessageSecurityMode, SecurityPolicy } from 'node-opcua-secure-channel';
import { MonitoredItem, OPCUAServer, type ServerSession, Subscription } from 'node-opcua-server';
import { StatusCodes } from 'node-opcua-status-code';
import {
  CreateMonitoredItemsRequest,
  ModifyMonitoredItemsRequest,
  ReadRequest,
  WriteRequest,
  WriteResponse,
} from 'node-opcua-types';
import type { OpcuaCertificate, OpcuaClient, Value } from '@ferrule/core/bench';
import { Cable } from '../cable.js';
import { shownCertificates, thumbprintOf, trustShown } from './certificates.js';
import type { OpcuaSettings, ToOpcua } from './messages.js';
import { PointNodes } from './nodes.js';
import { shownHost } from '../source.js';
import { isPassword } from './secret.js';

/** What it needs to be told, and tells. */
export interface OpcuaSide {
  /** Takes values before the coming scan; answers why it could not. */
  write(writes: readonly (readonly [string, Value])[]): Promise<string | undefined>;
  log(words: string): void;
  certificates(all: readonly OpcuaCertificate[]): void;
  clients(all: readonly OpcuaClient[], sessions: number): void;
}

const MOST_SESSIONS = 20,
  MOST_ITEMS = 20_000,
  /** Bytes and pieces of one message, at most. */ MESSAGE = 16 * 1024 * 1024,
  CHUNKS = 300,
  CHUNK = 65_535,
  /** A wrong password is answered after so long, and ever later. */ SLOW_DOWN_MS = 250,
  LOGS_A_MINUTE = 30,
  /** A subscription at most so fast is told of each change, for values change with scans only. */ EACH_CHANGE_MS = 50;

interface Counts {
  reads: number;
  writes: number;
  refused: number;
}

export class OpcuaServer {
  private server: OPCUAServer | undefined;
  private certificates: OPCUACertificateManager | undefined;
  private nodes: PointNodes | undefined;
  private cable: Cable | undefined;
  private timer: NodeJS.Timeout | undefined;
  private failures = 0;
  private readonly joined = new WeakSet<ServerSession>();
  private readonly counts = new WeakMap<object, Counts>();
  private readonly asked = new Map<string, WriteRequest>();

  constructor(private readonly side: OpcuaSide) {}

  /** Starts it. Rejects where the port is taken. Gives the thumbprint of its own certificate. */
  async start(s: OpcuaSettings): Promise<string> {
    mkdirSync(s.folder, { recursive: true });
    const inner = await freePort(),
      cable = new Cable(inner);
    this.cable = cable;
    // First what may fail, and at once.
    await cable.listen(s.port, s.host);
    MonitoredItem.minimumSamplingInterval = s.scanMs;
    Subscription.minimumPublishingInterval = s.scanMs;
    const certificates = new OPCUACertificateManager({
      rootFolder: s.folder,
      automaticallyAcceptUnknownCertificate: false,
      disableFileWatchers: true,
    });
    this.certificates = certificates;
    await certificates.initialize();
    const server = new OPCUAServer({
      host: '127.0.0.1',
      port: inner,
      hostname: '127.0.0.1',
      advertisedEndpoints: `opc.tcp://${shownHost(s.host)}:${s.port}`,
      serverCertificateManager: certificates,
      userCertificateManager: certificates,
      serverInfo: {
        applicationUri: `urn:ferrule:${s.name.toLowerCase().replace(/[^a-z0-9]+/g, '-')}`,
        applicationName: { text: s.name },
        productUri: 'urn:ferrule',
      },
      buildInfo: { productName: 'Ferrule', manufacturerName: 'Ferrule' },
      securityModes: [
        ...(s.plain ? [MessageSecurityMode.None] : []),
        MessageSecurityMode.Sign,
        MessageSecurityMode.SignAndEncrypt,
      ],
      securityPolicies: [
        ...(s.plain ? [SecurityPolicy.None] : []),
        SecurityPolicy.Basic256Sha256,
        SecurityPolicy.Aes128_Sha256_RsaOaep,
        SecurityPolicy.Aes256_Sha256_RsaPss,
      ],
      allowAnonymous: s.anonymous,
      userManager: {
        isValidUserAsync: (name, password, done) => {
          const isRight = s.user !== undefined && name === s.user.name && isPassword(password, s.user.secret);
          if (isRight) this.failures = 0;
          else this.log(`A wrong name or password was given over OPC UA, as '${name.slice(0, 40)}'.`);
          setTimeout(() => done(null, isRight), isRight ? 0 : Math.min(10_000, SLOW_DOWN_MS * 2 ** this.failures++));
        },
      },
      maxConnectionsPerEndpoint: MOST_SESSIONS + 10,
      transportSettings: {
        adjustTransportLimits: (hello) => ({
          receiveBufferSize: Math.min(CHUNK, Math.max(8192, hello.receiveBufferSize)),
          sendBufferSize: Math.min(CHUNK, Math.max(8192, hello.sendBufferSize)),
          maxMessageSize: Math.min(MESSAGE, hello.maxMessageSize || MESSAGE),
          maxChunkCount: Math.min(CHUNKS, hello.maxChunkCount || CHUNKS),
        }),
      },
      serverCapabilities: {
        maxSessions: MOST_SESSIONS,
        maxMonitoredItemsPerSubscription: MOST_ITEMS,
        minSupportedSampleRate: 0,
        operationLimits: { maxNodesPerRead: 10_000, maxNodesPerWrite: 10_000, maxMonitoredItemsPerCall: 10_000 },
      },
    });
    this.server = server;
    await server.initialize();
    this.nodes = new PointNodes(server.engine.addressSpace!, (w) => this.side.write(w));
    this.listen(server);
    await server.start();
    this.timer = setInterval(() => {
      this.tellClients();
      this.lookForCertificates();
    }, 1000);
    this.told = new Set(this.list().map((c) => c.thumbprint));
    this.lookForCertificates();
    return thumbprintOf(new X509Certificate(server.getCertificate()));
  }

  private listen(server: OPCUAServer): void {
    server.on('request', (request, channel) => {
      if (request instanceof CreateMonitoredItemsRequest)
        for (const i of request.itemsToCreate ?? []) toEachChange(i.requestedParameters);
      if (request instanceof ModifyMonitoredItemsRequest)
        for (const i of request.itemsToModify ?? []) toEachChange(i.requestedParameters);
      const counts = this.countsOf(channel);
      if (request instanceof ReadRequest) counts.reads += request.nodesToRead?.length ?? 0;
      if (request instanceof WriteRequest)
        this.asked.set(`${channel.channelId}:${request.requestHeader.requestHandle}`, request);
    });
    server.on('response', (response, channel) => {
      if (!(response instanceof WriteResponse)) return;
      const key = `${channel.channelId}:${response.responseHeader.requestHandle}`,
        request = this.asked.get(key),
        counts = this.countsOf(channel);
      this.asked.delete(key);
      for (const [i, status] of (response.results ?? []).entries()) {
        if (status.isGood()) {
          counts.writes++;
          continue;
        }
        counts.refused++;
        const node = request?.nodesToWrite?.[i]?.nodeId.value ?? 'a node';
        this.log(
          `${this.whoOf(channel)} was refused over OPC UA: ${String(node)} ${
            status.equals(StatusCodes.BadNotWritable) ? 'may not be written' : `could not be written, ${status.name}`
          }.`,
        );
      }
    });
    server.on('create_session', () => this.tellClients());
    server.on('session_activated', (session) => {
      if (this.joined.has(session)) return;
      this.joined.add(session);
      this.tellClients();
      this.log(`${nameOf(session)} has joined over OPC UA, ${SECURITY_WORDS[securityOf(session)]}.`);
    });
    server.on('session_closed', (session) => {
      if (this.joined.delete(session)) this.log(`${nameOf(session)} has left.`);
    });
    server.on('closeChannel', (channel) => {
      for (const key of this.asked.keys()) if (key.startsWith(`${channel.channelId}:`)) this.asked.delete(key);
    });
  }
  /** What is not known is put aside by the library, which does not say so. */
  private lookForCertificates(): void {
    const all = this.list(),
      key = all.map((c) => `${c.thumbprint} ${c.isTrusted}`).join();
    if (key === this.toldCertificates) return;
    this.toldCertificates = key;
    for (const c of all)
      if (!c.isTrusted && !this.told.has(c.thumbprint)) {
        this.told.add(c.thumbprint);
        this.log(`A certificate that is not trusted was shown over OPC UA: ${c.subject}.`);
      }
    this.side.certificates(all);
  }
  private toldCertificates = '';
  private told = new Set<string>();

  /** By the channel while it has no session. */
  private countsOf(channel: object): Counts {
    const session = this.server?.engine.getSessions().find((s) => s.channel === channel),
      key = session ?? channel;
    let found = this.counts.get(key);
    if (!found) this.counts.set(key, (found = { reads: 0, writes: 0, refused: 0 }));
    return found;
  }
  private whoOf(channel: object): string {
    const session = this.server?.engine.getSessions().find((s) => s.channel === channel);
    return session ? nameOf(session) : 'Somebody';
  }

  private logged = { sinceMs: 0, count: 0 };
  private log(words: string): void {
    const now = performance.now();
    if (now - this.logged.sinceMs > 60_000) this.logged = { sinceMs: now, count: 0 };
    if (this.logged.count++ < LOGS_A_MINUTE) this.side.log(words);
  }

  take(m: Extract<ToOpcua, { kind: 'model' | 'values' | 'cable' | 'trust' }>): void {
    switch (m.kind) {
      case 'model':
        MonitoredItem.minimumSamplingInterval = m.scanMs;
        Subscription.minimumPublishingInterval = m.scanMs;
        this.nodes?.show(m.model);
        break;
      case 'values':
        this.nodes?.take(m.changes, m.state, m.bad);
        break;
      case 'cable':
        if (this.cable) this.cable.state = m.state;
        break;
      case 'trust':
        void this.trust(m.thumbprint, m.isTrusted);
    }
  }

  private tellClients(): void {
    this.side.clients(this.clients(), this.server?.engine.getSessions().length ?? 0);
  }
  private clients(): OpcuaClient[] {
    return (this.server?.engine.getSessions() ?? [])
      .filter((s) => s.status === 'active')
      .map((s) => ({
        name: nameOf(s),
        address: this.cable?.peer(s.channel?.remotePort) ?? '',
        user: userOf(s),
        security: securityOf(s),
        forMs: Date.now() - s.creationDate.getTime(),
        subscribed: s.currentMonitoredItemCount,
        ...(this.counts.get(s) ?? { reads: 0, writes: 0, refused: 0 }),
      }));
  }

  /** Those that were shown by clients. */
  list(): OpcuaCertificate[] {
    return this.certificates ? shownCertificates(this.certificates) : [];
  }
  private async trust(thumbprint: string, isTrusted: boolean): Promise<void> {
    if (this.certificates) await trustShown(this.certificates, thumbprint, isTrusted);
    this.lookForCertificates();
  }

  async end(): Promise<void> {
    clearInterval(this.timer);
    await this.cable?.end();
    await this.server?.shutdown(0);
    await this.certificates?.dispose();
  }
}

/** What samples as fast as scans come is told of changes as they come. */
function toEachChange(p: { samplingInterval: number }): void {
  if (p.samplingInterval >= 0 && p.samplingInterval <= EACH_CHANGE_MS) p.samplingInterval = 0;
}

const SECURITY_WORDS = {
  plain: 'neither signed nor encrypted',
  signed: 'signed',
  encrypted: 'signed and encrypted',
} as const;
const securityOf = (s: ServerSession): OpcuaClient['security'] =>
  s.channel?.securityMode === MessageSecurityMode.SignAndEncrypt
    ? 'encrypted'
    : s.channel?.securityMode === MessageSecurityMode.Sign
      ? 'signed'
      : 'plain';
const nameOf = (s: ServerSession): string =>
  (s.clientDescription?.applicationName.text ?? s.sessionName ?? 'A program').slice(0, 60);
const userOf = (s: ServerSession): string =>
  s.userIdentityToken && 'userName' in s.userIdentityToken ? String(s.userIdentityToken.userName) : 'anonymous';

function freePort(): Promise<number> {
  return new Promise((resolve, reject) => {
    const probe = createServer();
    probe.once('error', reject);
    probe.listen(0, '127.0.0.1', () => {
      const { port } = probe.address() as AddressInfo;
      probe.close(() => resolve(port));
    });
  });
}
