/**
 * TLS of a server that listens beyond its own machine: with a certificate that is given, or with one of its own, made
 * at the first start and kept, so that who has compared its fingerprint once need not do it again.
 */
import { X509Certificate, createPrivateKey } from 'node:crypto';
import { chmodSync, existsSync, mkdirSync, readFileSync, renameSync, writeFileSync } from 'node:fs';
import { type RequestListener, createServer as createPlain } from 'node:http';
import { type Server, createServer } from 'node:https';
import { type Socket, isIP } from 'node:net';
import { hostname, networkInterfaces } from 'node:os';
import { join } from 'node:path';

export interface Identity {
  readonly cert: string;
  readonly key: string;
  /** SHA-256 of the certificate, as browsers show it. */ readonly fingerprint: string;
}

/**
 * Names and addresses under which `host` is reached from elsewhere: itself, or, where it stands for every address of
 * the machine, those that the machine has now and its name.
 */
export function addressesOf(host: string): readonly string[] {
  if (host !== '0.0.0.0' && host !== '::') return [host.toLowerCase()];
  const own = Object.values(networkInterfaces())
    .flatMap((all) => all ?? [])
    // An address of one link only is no name in a browser.
    .filter((a) => !a.internal && !a.address.startsWith('fe80') && (host === '::' || a.family === 'IPv4'));
  return [hostname().toLowerCase(), ...own.map((a) => a.address)];
}

const DAY_MS = 86_400_000;
/** So long a certificate of its own is good; longer ones are refused by some that trust it by hand. */
const DAYS = 820;
/** One that ends sooner is made anew at the start. */
const LEFT_DAYS = 30;

/**
 * The certificate and key in the two PEM files. Throws with a sentence where one cannot be read, the two do not belong
 * together, or the certificate is not good at `nowMs`.
 */
export function givenIdentity(certFile: string, keyFile: string, nowMs: number): Identity {
  const read = (file: string, what: string) => {
    try {
      return readFileSync(file, 'utf8');
    } catch (e) {
      throw new Error(`The ${what} ${file} cannot be read (${(e as NodeJS.ErrnoException).code ?? String(e)}).`);
    }
  };
  const cert = read(certFile, 'certificate'),
    key = read(keyFile, 'key');
  let x: X509Certificate, isPair: boolean;
  try {
    x = new X509Certificate(cert);
  } catch {
    throw new Error(`${certFile} holds no certificate in PEM.`);
  }
  try {
    isPair = x.checkPrivateKey(createPrivateKey(key));
  } catch {
    throw new Error(`${keyFile} holds no key in PEM that can be read without a password.`);
  }
  if (!isPair) throw new Error(`The key in ${keyFile} is not that of the certificate in ${certFile}.`);
  if (Date.parse(x.validTo) < nowMs) throw new Error(`The certificate in ${certFile} was good until ${x.validTo}.`);
  if (Date.parse(x.validFrom) > nowMs)
    throw new Error(`The certificate in ${certFile} is good from ${x.validFrom} on.`);
  return { cert, key, fingerprint: x.fingerprint256 };
}

/**
 * The server's own certificate in `folder`, for the names and addresses it answers to; made where there is none, and
 * anew where it is of other names or ends within a month. Throws where the folder cannot be written.
 */
export async function ownIdentity(folder: string, names: readonly string[], nowMs: number): Promise<Identity> {
  const certFile = join(folder, 'cert.pem'),
    keyFile = join(folder, 'key.pem');
  if (existsSync(certFile) && existsSync(keyFile))
    try {
      const kept = givenIdentity(certFile, keyFile, nowMs),
        x = new X509Certificate(kept.cert);
      const isGood = names.every((n) => (isIP(n) ? x.checkIP(n) : x.checkHost(n)));
      if (isGood && Date.parse(x.validTo) - nowMs > LEFT_DAYS * DAY_MS) return kept;
    } catch {
      // Cut short, or at its end: a new one takes its place.
    }
  // Only here: a desk on its own machine needs nothing of it.
  const { generate } = await import('selfsigned');
  const made = await generate([{ name: 'commonName', value: 'Ferrule' }], {
    keyType: 'ec',
    curve: 'P-256',
    algorithm: 'sha256',
    // A clock somewhat behind ours takes it too.
    notBeforeDate: new Date(nowMs - DAY_MS),
    notAfterDate: new Date(nowMs + DAYS * DAY_MS),
    extensions: [
      { name: 'basicConstraints', cA: false, critical: true },
      { name: 'keyUsage', digitalSignature: true, critical: true },
      { name: 'extKeyUsage', serverAuth: true },
      {
        name: 'subjectAltName',
        altNames: names.map((n) => (isIP(n) ? { type: 7 as const, ip: n } : { type: 2 as const, value: n })),
      },
    ],
  });
  mkdirSync(folder, { recursive: true, mode: 0o700 });
  // The key first: a certificate without its key is made anew, a key alone is too.
  for (const [file, text] of [
    [keyFile, made.private],
    [certFile, made.cert],
  ] as const) {
    writeFileSync(`${file}.new`, text, { mode: 0o600 });
    chmodSync(`${file}.new`, 0o600);
    renameSync(`${file}.new`, file);
  }
  return givenIdentity(certFile, keyFile, nowMs);
}

/** First byte of a TLS record that begins a handshake (RFC 8446, section 5.1). */
const HANDSHAKE = 22;
/** Who has connected and says nothing, or nothing whole without TLS, is let go. */
const SILENT_MS = 10_000;

/**
 * A server that speaks TLS only. Who comes to its port without is sent to the same address with it, before anything
 * else is read of what was asked.
 */
export function createTlsServer(identity: Identity, app: RequestListener): Server {
  const server = createServer({ cert: identity.cert, key: identity.key, minVersion: 'TLSv1.2' }, app),
    plain = createPlain((request, response) => {
      const host = request.headers.host;
      response.writeHead(host ? 308 : 400, {
        connection: 'close',
        ...(host ? { location: `https://${host}${request.url ?? '/'}` } : {}),
      });
      response.end('Ferrule is at this address with https.\n');
    });
  plain.on('upgrade', (_, socket: Socket) => socket.destroy());
  const secure = server.listeners('connection') as ((this: Server, socket: Socket) => void)[];
  server.removeAllListeners('connection');
  server.on('connection', (socket: Socket) => {
    const give = () => socket.destroy(),
      late = setTimeout(give, SILENT_MS);
    socket.once('close', () => clearTimeout(late));
    socket.once('error', give);
    socket.once('data', (first: Buffer) => {
      socket.pause();
      socket.unshift(first);
      socket.off('error', give);
      if (first[0] === HANDSHAKE) {
        clearTimeout(late);
        for (const take of secure) take.call(server, socket);
        return;
      }
      plain.emit('connection', socket);
      socket.resume();
    });
  });
  return server;
}
