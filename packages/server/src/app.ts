/**
 * The Express application; it does not listen (main.ts does), so that tests can send requests into it.
 *
 * The server is `createApp(options)` with Express; routes validate at the door (class-validator shapes, one check a
 * field for edits), call the store or the core, and answer failures as problem details (RFC 9457) from one catalogue.
 * SQLite in WAL mode through Drizzle, migrations in `packages/server/drizzle`. An edit batch names the revision it was
 * made on; a batch sent again after a lost answer is recognised by its name and counts once. Checks, reports and
 * proofs run in worker threads, one fewer at once than there are cores, checks and proofs each in a line of their own
 * (`work-queue.ts`): twenty more wait their turn and are told how many are before them, beyond that it is refused; who
 * leaves ends the thread that worked for them, one that dies is said. What the caller did wrong is 4xx with what it
 * is; what broke in Ferrule itself is 500 with the name of the request, under which the log has cause and stack. A
 * batch holds up to 50,000 edits, those in groups counted; a group changes the lists that it has made itself in place
 * (`edits/apply.ts`), so that its time grows with its number. A full or read-only disk is 507 with what to do, and the
 * page keeps its changes; a database that is damaged at the start is set aside, and what is whole in it (each project
 * as it was last whole, named revisions) goes into a new one (`db/rescue.ts`); another program's is left alone. The
 * server refuses foreign Host and Origin headers, sets a strict content policy, and listens beyond this machine only
 * with a password; wrong ones are answered ever later, by address, and not looked at while several wait for their
 * answer. Beyond its own machine it speaks TLS only (`tls.ts`): with a certificate that is given, or with its own,
 * made at the first start and kept; who comes without TLS is sent to the same address with it.
 */
import { existsSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { type ProofResult, type VerdictWord, type WorkersThere, checkVerdict, ruleVerdict } from '@ferrule/core/verify';
import { emptyProject, projectHash, projectText, type ProjectAbout, aboutProject } from '@ferrule/core/document';
import { parseProject } from '@ferrule/core/schema';
import express, { type Express, type Response } from 'express';
import helmet from 'helmet';
import type { Logger } from 'pino';
import {
  CampaignBody,
  ExampleBody,
  NameBody,
  NewProjectBody,
  EditsBody,
  ProveBody,
  RulesBody,
  body,
  editsOf,
} from './bodies.js';
import { type ControllerLink, recordOf } from './controller-link.js';
import { controllerRoutes } from './controller-routes.js';
import type { ProjectStore } from './db/projects.js';
import { type PasswordBrake, originGuard, passwordGuard } from './guards.js';
import { problem, problemHandler, requestId } from './problem.js';
import { type OutsideFiles, outsideRoutes } from './outside-routes.js';
import type { Prover } from './prover.js';
import type { SharedWork } from './shared-work.js';

export interface AppOptions {
  readonly store: ProjectStore;
  readonly log: Logger;
  readonly controller: ControllerLink;
  readonly prover: Prover;
  /** Where a Redis is set: who does long work on other machines. */ readonly shared?: SharedWork;
  readonly outside?: OutsideFiles;
  /** Folder of the examples that ship. */
  readonly examples?: string;
  /** Folder of the built pages; undefined in tests of the API. */
  readonly pages?: string;
  /** Where a password is asked for. */ readonly brake?: PasswordBrake;
  /** Host names the server answers to, without port. */
  readonly hosts: readonly string[];
}

export function createApp(options: AppOptions): Express {
  const { store } = options;
  /** The last proof of each project and what it was a proof of, for its report. */
  const proofs = new Map<string, { readonly hash: string; readonly rules: unknown; readonly at: number }>();
  const app = express();
  app.disable('x-powered-by');
  app.use(
    helmet({
      contentSecurityPolicy: {
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'data:'],
          connectSrc: ["'self'", 'ws:'],
          workerSrc: ["'self'"],
          fontSrc: ["'self'", 'data:'],
          upgradeInsecureRequests: null,
        },
      },
      strictTransportSecurity: false,
    }),
  );
  app.use(requestId);
  app.use(originGuard(options.hosts));
  if (options.brake) app.use(passwordGuard(options.brake));
  app.use('/api', express.json({ limit: '20mb' }));

  app.get('/api/projects', (_, response) => {
    response.json(store.list());
  });
  app.get('/api/deleted', (_, response) => {
    response.json(store.deleted());
  });
  app.post('/api/projects', (request, response) => {
    const given = request.body as Record<string, unknown>;
    if (typeof given === 'object' && given !== null && 'file' in given) {
      const parsed = parseProject(String(given['file']));
      if ('problems' in parsed) throw problem('INVALID_PROJECT', parsed.problems[0]!, { errors: parsed.problems });
      response.status(201).json(store.create(parsed.project));
      return;
    }
    if (typeof given === 'object' && given !== null && 'example' in given) {
      const path = join(options.examples ?? '', `${body(ExampleBody, given).example}.ferrule.json`);
      const parsed = options.examples && existsSync(path) ? parseProject(readFileSync(path, 'utf8')) : undefined;
      if (!parsed || 'problems' in parsed)
        throw problem('NOT_FOUND', `There is no example '${String(given['example'])}'.`);
      response.status(201).json(store.create(parsed.project));
      return;
    }
    response.status(201).json(store.create(emptyProject(body(NewProjectBody, given).name)));
  });
  app.get('/api/examples', (_, response) => {
    response.json(examplesIn(options.examples));
  });
  app.get('/api/projects/:id', (request, response) => {
    response.json(store.get(request.params.id));
  });
  app.get('/api/projects/:id/about', (request, response) => {
    response.json(store.about(request.params.id));
  });
  app.get('/api/projects/:id/file', (request, response) => {
    const { document } = store.get(request.params.id);
    response
      .attachment(
        `${
          document.name
            .toLowerCase()
            .replace(/[^a-z0-9]+/g, '-')
            .replace(/^-|-$/g, '') || 'project'
        }.ferrule.json`,
      )
      .type('application/json')
      .send(projectText(document));
  });
  app.post('/api/projects/:id/edits', (request, response) => {
    const { base, edits, batch } = body(EditsBody, request.body);
    response.json(store.edit(request.params.id, base, editsOf(edits), batch));
  });
  app.get('/api/projects/:id/revisions', (request, response) => {
    response.json(store.revisions(request.params.id));
  });
  app.get('/api/projects/:id/revisions/:revision', (request, response) => {
    response.json(store.revision(request.params.id, wholeNumber(request.params.revision)));
  });
  app.put('/api/projects/:id/revisions/:revision/name', (request, response) => {
    const { name, note } = body(NameBody, request.body);
    store.nameRevision(request.params.id, wholeNumber(request.params.revision), name.trim(), note?.trim());
    response.json(store.revisions(request.params.id));
  });
  app.delete('/api/projects/:id', (request, response) => {
    store.remove(request.params.id);
    response.status(204).end();
  });
  app.post('/api/projects/:id/restore', (request, response) => {
    response.json(store.restore(request.params.id));
  });
  app.post('/api/projects/:id/prove', async (request, response) => {
    const { only, revision: on } = body(ProveBody, request.body ?? {});
    const now = store.get(request.params.id);
    const { revision } = now,
      document =
        on === undefined
          ? now.document
          : {
              ...store.revision(request.params.id, on).document,
              checks: now.document.checks,
              rules: now.document.rules,
            };
    const answer = (await options.prover.prove(document, only, goneFrom(response))) as Partial<ProofResult>;
    if (only === undefined && on === undefined && answer.checks && answer.rules) {
      // A check with a table of values counts once, however often it is played.
      const words = [
        ...answer.checks.map((c) => [c.id, checkVerdict(c).word] as const),
        ...answer.rules.map((r) => [r.id, ruleVerdict(r).word] as const),
      ];
      const ids = (word?: VerdictWord) => new Set(words.filter(([, w]) => !word || w === word).map(([id]) => id)).size;
      store.noteProof(request.params.id, { revision, count: ids(), failed: ids('FAILED'), open: ids('OPEN') });
    }
    response.json(answer);
  });
  // One line of JSON a message; a request that is given up ends the proof.
  app.post('/api/projects/:id/proof', (request, response) => {
    const { only } = body(RulesBody, request.body ?? {});
    const { document } = store.get(request.params.id);
    response.type('application/x-ndjson').setHeader('Cache-Control', 'no-store');
    const end = options.prover.proveRules(document, only, (m) => {
      if (m.kind === 'done' && !only) {
        proofs.set(request.params.id, {
          hash: projectHash(document),
          rules: (m.answer as { rules: unknown }).rules,
          at: Date.now(),
        });
        if (proofs.size > 50) proofs.delete(proofs.keys().next().value!);
      }
      response.write(`${JSON.stringify(m)}\n`);
      if (m.kind !== 'progress') response.end();
    });
    response.on('close', end);
  });
  app.get('/api/workers', async (_, response) => {
    response.json((await options.shared?.there()) ?? ({ workers: [] } satisfies WorkersThere));
  });
  // As a proof: a line a message, and a request that is given up ends it.
  app.post('/api/projects/:id/campaign', async (request, response) => {
    const asked = body(CampaignBody, request.body ?? {}),
      { document } = store.get(request.params.id);
    if (!options.shared) throw problem('NO_WORKERS', 'No Redis is set (FERRULE_REDIS), so nothing can be given out.');
    response.type('application/x-ndjson').setHeader('Cache-Control', 'no-store');
    await options.shared.campaign(
      document,
      asked,
      (m) =>
        response.write(
          `${JSON.stringify(m, (_, v: unknown) => (typeof v === 'bigint' ? { $bigint: v.toString() } : v))}\n`,
        ),
      goneFrom(response),
    );
    response.end();
  });
  app.get('/api/projects/:id/report', async (request, response) => {
    const { document, revision } = store.get(request.params.id),
      { by } = request.query,
      proof = proofs.get(request.params.id);
    const answer = await options.prover.report(
      document,
      revision,
      proof?.hash === projectHash(document) ? proof : undefined,
      {
        controller: await recordOf(options.controller),
        ...(typeof by === 'string' && by.trim() ? { by: by.trim().slice(0, 200) } : {}),
      },
      goneFrom(response),
    );
    // A page of its own that runs nothing; also what keeps it from being made is read by a person.
    response.setHeader('Content-Security-Policy', "default-src 'none'; style-src 'unsafe-inline'");
    if ('problem' in answer)
      response
        .status(422)
        .type('html')
        .send(
          `<!doctype html><html lang="en"><meta charset="utf-8"><title>No report</title><p>There is no report yet. ${answer.problem}</p></html>`,
        );
    else response.type('html').send(answer.html);
  });
  if (options.outside) app.use('/api/outside', outsideRoutes(options.outside));
  app.use('/api/controller', controllerRoutes(options.controller, store));
  app.use('/api', (request) => {
    throw problem('NOT_FOUND', `There is no ${request.method} ${request.originalUrl}.`);
  });

  if (options.pages && existsSync(options.pages)) {
    const pages = options.pages;
    app.use(
      express.static(pages, {
        index: false,
        maxAge: '1h',
        setHeaders: (r, path) => {
          if (path.includes('/assets/')) r.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
        },
      }),
    );
    // A page of an earlier version asks for a part that is no more: it can say so and be loaded anew.
    app.use('/assets', (request) => {
      throw problem('NOT_FOUND', `There is no ${request.originalUrl}; load the page again.`);
    });
    app.get('/{*path}', (_, response) => {
      response.setHeader('Cache-Control', 'no-cache');
      response.sendFile(join(pages, 'index.html'));
    });
  }
  app.use(problemHandler(options.log));
  return app;
}

/** Comes when who asked has left before the answer. */
function goneFrom(response: Response): AbortSignal {
  const gone = new AbortController();
  response.once('close', () => {
    if (!response.writableEnded) gone.abort(problem('BAD_REQUEST', 'Who asked has left.'));
  });
  return gone.signal;
}

function wholeNumber(text: string): number {
  if (!/^\d{1,9}$/.test(text)) throw problem('REVISION_NOT_FOUND', `'${text}' is not the number of a revision.`);
  return Number(text);
}

/** Name and description of every example that ships. */
function examplesIn(
  folder: string | undefined,
): readonly ({ readonly id: string; readonly name: string } & ProjectAbout)[] {
  const files = folder && existsSync(folder) ? readdirSync(folder).filter((f) => f.endsWith('.ferrule.json')) : [];
  return files.flatMap((f) => {
    const parsed = parseProject(readFileSync(join(folder!, f), 'utf8'));
    return 'problems' in parsed
      ? []
      : [
          {
            id: f.replace('.ferrule.json', ''),
            name: parsed.project.name,
            ...aboutProject(parsed.project),
          },
        ];
  });
}
