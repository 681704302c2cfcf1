/** The stand-in's network side (what the cable carries) and cabinet side (its own switches, worked by hand). */
import { createHash } from 'node:crypto';
import { type BenchEvent, findPath, formatValue, parseValue } from '@ferrule/core/bench';
import express, { type Express, type Request, type Response } from 'express';
import type { Access } from './access.js';
import type { Key, Network } from './cabinet.js';
import { type Controller, Refusal } from './controller.js';
import type { Program } from './prepare.js';
import type { OpenProtocols } from '@ferrule/protocols';
import type { OutsideIoOfController } from './outside-io.js';
import type { Scan } from './scan.js';

const CHUNK = 1024;
const SLOW_MS = 250;
/** The largest program that is taken, in bytes: what a project file may be. */
const MOST = 64 * 1024 * 1024;
/** Characters of a note with a download. */
const NOTE_MOST = 2000;

interface Transfer {
  readonly size: number;
  readonly hash: string;
  readonly revision: number;
  readonly note: string | undefined;
  received: number;
  readonly chunks: Buffer[];
}

export function createApp(
  controller: Controller,
  options: {
    readonly wallMs: () => number;
    readonly access: Access;
    readonly open: OpenProtocols;
    readonly outside: OutsideIoOfController;
  },
): Express {
  const app = express();
  app.disable('x-powered-by');
  // One transfer at a time: a new one takes the place of one that broke off.
  let transfer: { readonly id: string; readonly of: Transfer } | undefined;
  let transfers = 0;

  app.use((request, response, next) => {
    const refused = options.access.refuses(request);
    if (!refused) next();
    else setTimeout(() => response.status(refused.status).json({ message: refused.message }), options.access.delayMs);
  });
  app.use((request, _, next) => {
    if (request.path.startsWith('/cabinet')) {
      next();
      return;
    }
    const isGone = () => controller.network === 'cut' || !controller.isOn;
    if (isGone()) request.socket.destroy();
    else if (controller.network === 'slow')
      setTimeout(() => {
        if (isGone()) request.socket.destroy();
        else next();
      }, SLOW_MS);
    else next();
  });
  app.use(express.json({ limit: '2mb' }));

  app.get('/status', async (_, response) => {
    const { state, address } = options.outside.shown;
    response.json({
      ...(await controller.status()),
      ...(state === 'off' ? {} : { outside: { state, address } }),
    });
  });
  app.get('/program', (_, response) => {
    const { program: kept, trial, besideProgram: beside } = controller.scan;
    response
      .type('json')
      .send(
        `{${[...(kept ? [shown(kept)] : []), ...(trial ? [`"trial":{${shown(trial)}}`] : []), ...(beside ? [`"beside":{${shown(beside)}}`] : [])].join()}}`,
      );
  });
  /** The state between two scans, as it is now. */
  app.get('/state', async (_, response) => {
    await controller.scan.look();
    const { engine } = controller.scan;
    if (!engine) throw new Refusal(409, 'There is no program.');
    const { scan, bytes, forces } = engine.snapshot();
    response.json({
      scan,
      bytes: Buffer.from(bytes).toString('base64'),
      forces: forces.map((f) => ({
        path: f.path,
        value: formatValue(engine.locate(f.path).type, f.value),
        ...(f.by ? { by: f.by } : {}),
      })),
    });
  });
  app.get('/events', (request, response) => {
    const { limit = '200', after = '0' } = request.query as Record<string, string>;
    response.json({
      events: controller.events(Math.min(1000, Math.max(1, Number(limit) || 200)), Number(after) || 0),
      dropped: controller.droppedEvents,
    });
  });
  app.post('/downloads', (request, response) => {
    const { size, hash, revision, note } = fieldsOf(request);
    if (
      !isWhole(size, MOST) ||
      typeof hash !== 'string' ||
      !/^[0-9a-f]{64}$/.test(hash) ||
      !isWhole(revision, 1e9) ||
      (note !== undefined && (typeof note !== 'string' || note.length > NOTE_MOST))
    )
      throw new Refusal(
        400,
        `A download is announced with its size (up to ${MOST.toLocaleString('en')} bytes), hash and revision, and a note of at most ${NOTE_MOST} characters.`,
      );
    const id = createHash('sha256').update(`${hash}${transfers++}${options.wallMs()}`).digest('hex').slice(0, 12);
    transfer = { id, of: { size, hash, revision, note: note as string | undefined, received: 0, chunks: [] } };
    response.status(201).json({ id, chunkSize: CHUNK });
  });
  app.put('/downloads/:id/:index', express.raw({ limit: CHUNK * 2 }), (request, response) => {
    const d = current(request),
      index = Number(request.params['index']),
      part: unknown = request.body;
    if (index !== d.chunks.length) throw new Refusal(409, `Part ${d.chunks.length} is due, part ${index} came.`);
    if (!Buffer.isBuffer(part)) throw new Refusal(415, 'A part is sent as application/octet-stream.');
    if (d.received + part.length > d.size)
      throw new Refusal(409, `More came than the ${d.size} bytes that were announced; send it again.`);
    d.received += part.length;
    d.chunks.push(part);
    response.json({ received: d.chunks.length });
  });
  /** Takes what was sent in place of all there is. */
  app.post('/downloads/:id/commit', async (request, response) => {
    const { mode = 'restart', into } = fieldsOf(request);
    if (mode !== 'restart' && mode !== 'keep')
      throw new Refusal(400, "A download is taken with 'restart', or with 'keep' for keeping the state.");
    if (into !== undefined && into !== 'run' && into !== 'stop') throw new Refusal(400, "'into' is 'run' or 'stop'.");
    const program = arrived(request),
      lost = await controller.download(program, mode, into);
    transfer = undefined;
    response.json({ hash: program.hash, lost });
  });
  /** Tries what was sent against the kept program. */
  app.post('/downloads/:id/try', async (request, response) => {
    const { against, graceMs = 60_000, by = 'Somebody', ticket = '' } = fieldsOf(request);
    if (
      typeof against !== 'string' ||
      typeof graceMs !== 'number' ||
      typeof by !== 'string' ||
      by.length > 60 ||
      typeof ticket !== 'string'
    )
      throw new Refusal(400, 'A trial names the hash it was drafted against, its grace in ms, and who tries.');
    const program = arrived(request),
      lost = await controller.try(program, against, graceMs, by, ticket);
    transfer = undefined;
    response.json({ hash: program.hash, lost });
  });
  /** Runs what was sent beside the kept program. */
  app.post('/downloads/:id/beside', async (request, response) => {
    const { against } = fieldsOf(request);
    if (typeof against !== 'string') throw new Refusal(400, 'A run beside names the hash it was drafted against.');
    const program = arrived(request);
    await controller.beside(program, against, whoOf(request));
    transfer = undefined;
    response.json({ hash: program.hash, lost: [] });
  });
  app.post('/beside/end', async (request, response) => {
    await controller.endBeside(whoOf(request));
    response.json(await controller.status());
  });
  app.post('/trial/heard', async (request, response) => {
    const { ticket = '' } = fieldsOf(request);
    response.json({ trial: await controller.heard(String(ticket)) });
  });
  app.post('/trial/back-out', async (request, response) => {
    await controller.backOut(whoOf(request));
    response.json(await controller.status());
  });
  app.post('/trial/keep', async (request, response) => {
    await controller.keep(whoOf(request));
    response.json(await controller.status());
  });
  /** Load, lateness and missed scans count from here on. */
  app.post('/figures/anew', async (_, response) => {
    await controller.scan.measureAnew();
    response.json(await controller.status());
  });
  app.post('/mode', async (request, response) => {
    const { mode } = fieldsOf(request);
    if (mode !== 'run' && mode !== 'stop') throw new Refusal(400, "The mode is 'run' or 'stop'.");
    await controller.setMode(mode);
    response.json(await controller.status());
  });
  app.post('/events', async (request, response) => {
    await controller.apply(readEvent(fieldsOf(request), controller.scan));
    response.json({ ok: true });
  });
  app.get('/recordings', (_, response) => {
    response.json(controller.recordings.list());
  });
  app.get('/recordings/:id', (request, response) => {
    const run = controller.recordings.read(Number(request.params['id']));
    if (run === undefined) throw new Refusal(404, 'There is no such recording (any more).');
    response.type('json').send(run);
  });
  app.post('/recordings', async (request, response) => {
    const { ms = 300_000 } = fieldsOf(request);
    if (typeof ms !== 'number' || !(ms >= 1000 && ms <= 600_000))
      throw new Refusal(400, 'A recording holds between 1 s and 10 min.');
    response.status(201).json({ id: await controller.takeRun(ms) });
  });
  /** The condition on which what led to it is recorded: an expression, or nothing. */
  app.put('/recordings/when', async (request, response) => {
    const { when = '' } = fieldsOf(request);
    if (typeof when !== 'string' || when.length > 1000)
      throw new Refusal(400, 'A condition to record on is an expression of at most 1,000 characters.');
    await controller.recordWhen(when.trim() || undefined);
    response.json(await controller.status());
  });
  app.get('/open', async (_, response) => {
    response.json(await shownOpen());
  });
  /** Opens or closes a protocol; the answer says whether it could be. */
  app.put('/open/modbus', async (request, response) => {
    const { isOn, words } = fieldsOf(request);
    await options.open.setModbus(isOn, words);
    response.json(await shownOpen());
  });
  app.put('/open/opcua', async (request, response) => {
    options.open.setOpcua(fieldsOf(request));
    response.json(await shownOpen());
  });
  /** A certificate that was shown is trusted from now on, or is not any more. */
  app.put('/open/opcua/certificates/:thumbprint', async (request, response) => {
    options.open.opcua.trust(...trustIn(request));
    response.json(await shownOpen());
  });
  /** What the running program's link to another program needs: a password, or trust in a certificate. */
  app.put('/open/outside/password', async (request, response) => {
    options.outside.setPassword(fieldsOf(request)['password']);
    response.json(await shownOpen());
  });
  app.put('/open/outside/certificates/:thumbprint', async (request, response) => {
    options.outside.trust(...trustIn(request));
    response.json(await shownOpen());
  });
  app.get('/cabinet', (_, response) => {
    response.json(controller.cabinet);
  });
  app.post('/cabinet/:switch', async (request, response) => {
    const { state } = fieldsOf(request),
      of = (...all: readonly string[]): string => {
        if (typeof state !== 'string' || !all.includes(state))
          throw new Refusal(400, `This switch stands at ${all.join(', ')}.`);
        return state;
      };
    switch (request.params['switch']) {
      case 'network':
        controller.setNetwork(of('ok', 'slow', 'cut') as Network);
        break;
      case 'key':
        await controller.turnKey(of('run', 'stop', 'remote') as Key);
        break;
      case 'power':
        await controller.setPower(of('on', 'off') === 'on');
        break;
      case 'battery':
        controller.setBattery(of('ok', 'flat') === 'flat');
        break;
      case 'card':
        await controller.setCard(String(fieldsOf(request)['card']), of('in', 'pulled') === 'pulled');
        break;
      default:
        throw new Refusal(404, 'The cabinet has a network plug, a key, power, a battery and cards.');
    }
    response.json(controller.cabinet);
  });
  app.use((error: Error & { status?: number }, _: Request, response: Response, next: () => void) => {
    void next;
    response.status(error instanceof Refusal ? error.status : (error.status ?? 422)).json({ message: error.message });
  });
  return app;

  async function shownOpen() {
    return { ...(await options.open.shown()), outside: options.outside.shown };
  }

  function current(request: Request): Transfer {
    if (!transfer || transfer.id !== request.params['id'])
      throw new Refusal(404, 'That download is over; start again.');
    return transfer.of;
  }

  /** The whole program that was sent, as it was announced. */
  function arrived(request: Request): Omit<Program, 'name'> {
    const d = current(request),
      bytes = Buffer.concat(d.chunks),
      hash = createHash('sha256').update(bytes).digest('hex');
    if (bytes.length !== d.size || hash !== d.hash)
      throw new Refusal(409, 'What arrived is not what was announced; send it again.');
    return {
      text: bytes.toString('utf8'),
      revision: d.revision,
      hash,
      ...(d.note ? { note: d.note } : {}),
      takenAt: options.wallMs(),
    };
  }
}

/** Members of a program as JSON; the project's text is JSON already. */
const shown = ({ text, revision, hash, note, takenAt }: Program): string =>
  `"project":${text},${JSON.stringify({ revision, hash, note, takenAt }).slice(1, -1)}`;
const isWhole = (x: unknown, most: number): x is number =>
  Number.isInteger(x) && (x as number) >= 0 && (x as number) <= most;
const fieldsOf = (request: Request): Record<string, unknown> =>
  typeof request.body === 'object' && request.body !== null ? (request.body as Record<string, unknown>) : {};
const trustIn = (request: Request): [string, boolean] => {
  const { isTrusted } = fieldsOf(request),
    thumbprint = String(request.params['thumbprint']);
  if (typeof isTrusted !== 'boolean' || !/^[0-9a-f]{40}$/.test(thumbprint))
    throw new Refusal(400, "A certificate is named by its thumbprint; 'isTrusted' is true or false.");
  return [thumbprint, isTrusted];
};
const whoOf = (request: Request): string => {
  const { by } = fieldsOf(request);
  return typeof by === 'string' && by ? by.slice(0, 60) : 'Somebody';
};

/** Values come as text and are read by the tag's type. */
export function readEvent(body: Record<string, unknown>, { engine }: Scan): BenchEvent {
  if (body['kind'] === 'releaseAll') return { kind: 'releaseAll' };
  const { kind, path, value } = body;
  if ((kind !== 'write' && kind !== 'force') || typeof path !== 'string')
    throw new Refusal(400, 'An event has a kind (write, force, releaseAll), a path and a value.');
  if (!engine) throw new Refusal(409, 'There is no program.');
  const found = findPath(engine.image, path);
  if ('error' in found) throw new Refusal(400, found.error);
  if (kind === 'force' && value === undefined) return { kind, path };
  const v = parseValue(found.location.type, String(value));
  if ('error' in v) throw new Refusal(400, v.error);
  return { kind, path, value: v.value };
}
