/** The stand-in's network side (what the cable carries) and cabinet side (its own switches, worked by hand). */
import { createHash } from 'node:crypto';
import { type BenchEvent, findPath, parseValue } from '@ferrule/core';
import { parseProject } from '@ferrule/core/schema';
import express, { type Express, type Request, type Response } from 'express';
import type { ProgramStore } from './program-store.js';
import type { Runner } from './runner.js';

export type Network = 'ok' | 'slow' | 'cut';
export interface Cabinet {
  network: Network;
}

const CHUNK = 1024;
const SLOW_MS = 250;

interface Download {
  readonly size: number;
  readonly hash: string;
  readonly revision: number;
  readonly mode: 'restart' | 'keep';
  readonly chunks: Buffer[];
}

class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

export function createApp(options: {
  readonly name: string;
  readonly runner: Runner;
  readonly store: ProgramStore;
  readonly cabinet: Cabinet;
  readonly startedMs: number;
  readonly clockMs: () => number;
}): Express {
  const { runner, store, cabinet } = options;
  const app = express();
  app.disable('x-powered-by');
  // One download at a time: a new one takes the place of one that broke off.
  let download: { readonly id: string; readonly of: Download } | undefined;

  const onCabinet = (request: Request) => request.path.startsWith('/cabinet');
  app.use((request, response, next) => {
    if (onCabinet(request)) {
      next();
      return;
    }
    if (cabinet.network === 'cut') {
      request.socket.destroy();
      return;
    }
    if (cabinet.network === 'slow')
      setTimeout(() => {
        if (cabinet.network === 'cut') request.socket.destroy();
        else next();
      }, SLOW_MS);
    else next();
    void response;
  });
  app.use(express.json({ limit: '2mb' }));

  app.get('/status', (_, response) => {
    response.json({ name: options.name, ...runner.status(), upMs: options.clockMs() - options.startedMs });
  });
  app.get('/program', (_, response) => {
    const p = runner.program;
    response.json(p ? { project: p.project, revision: p.revision, hash: p.hash } : {});
  });
  app.post('/downloads', (request, response) => {
    const { size, hash, revision, mode } = request.body as Record<string, unknown>;
    if (
      !Number.isInteger(size) ||
      typeof hash !== 'string' ||
      !Number.isInteger(revision) ||
      (mode !== 'restart' && mode !== 'keep')
    )
      throw new Refusal(400, 'A download is announced with size, hash, revision and mode.');
    const id = createHash('sha256').update(`${hash}${options.clockMs()}`).digest('hex').slice(0, 12);
    download = { id, of: { size: size as number, hash, revision: revision as number, mode, chunks: [] } };
    response.status(201).json({ id, chunkSize: CHUNK });
  });
  app.put('/downloads/:id/:index', express.raw({ limit: CHUNK * 2 }), (request, response) => {
    const d = current(request.params['id'] as string);
    const index = Number(request.params['index']);
    if (index !== d.chunks.length) throw new Refusal(409, `Part ${d.chunks.length} is due, part ${index} came.`);
    d.chunks.push(request.body as Buffer);
    response.json({ received: d.chunks.length });
  });
  app.post('/downloads/:id/commit', (request, response) => {
    const d = current(request.params['id'] as string);
    const bytes = Buffer.concat(d.chunks);
    const hash = createHash('sha256').update(bytes).digest('hex');
    if (bytes.length !== d.size || hash !== d.hash)
      throw new Refusal(409, 'What arrived is not what was announced; send it again.');
    const parsed = parseProject(bytes.toString('utf8'));
    if ('problems' in parsed) throw new Refusal(422, parsed.problems[0]!);
    const lost = runner.load({ project: parsed.project, revision: d.revision, hash }, d.mode);
    store.write(runner.program!, runner.status().mode);
    download = undefined;
    response.json({ hash, lost });
  });
  app.post('/mode', (request, response) => {
    const { mode } = request.body as { mode?: string };
    if (mode !== 'run' && mode !== 'stop') throw new Refusal(400, "The mode is 'run' or 'stop'.");
    runner.setMode(mode);
    if (runner.program) store.write(runner.program, mode);
    response.json(runner.status());
  });
  app.post('/events', (request, response) => {
    runner.apply(readEvent(request.body as Record<string, unknown>, runner));
    response.json({ ok: true });
  });
  app.get('/cabinet', (_, response) => {
    response.json(cabinet);
  });
  app.post('/cabinet/network', (request, response) => {
    const { state } = request.body as { state?: Network };
    if (state !== 'ok' && state !== 'slow' && state !== 'cut')
      throw new Refusal(400, "The network is 'ok', 'slow' or 'cut'.");
    cabinet.network = state;
    response.json(cabinet);
  });
  app.use((error: Error, _: Request, response: Response, next: () => void) => {
    void next;
    response.status(error instanceof Refusal ? error.status : 422).json({ message: error.message });
  });
  return app;

  function current(id: string): Download {
    if (download?.id !== id) throw new Refusal(404, 'That download is over; start again.');
    return download.of;
  }
}

/** Values come as text and are read by the tag's type. */
export function readEvent(body: Record<string, unknown>, runner: Runner): BenchEvent {
  if (body['kind'] === 'releaseAll') return { kind: 'releaseAll' };
  const { kind, path, value } = body;
  if ((kind !== 'write' && kind !== 'force') || typeof path !== 'string')
    throw new Refusal(400, 'An event has a kind (write, force, releaseAll), a path and a value.');
  if (!runner.engine) throw new Refusal(409, 'There is no program.');
  const found = findPath(runner.engine.image, path);
  if ('error' in found) throw new Refusal(400, found.error);
  if (kind === 'force' && value === undefined) return { kind, path };
  const v = parseValue(found.location.type, String(value));
  if ('error' in v) throw new Refusal(400, v.error);
  return { kind, path, value: v.value };
}
