/** The controller as the page sees it: status, compare, download, run and stop, the cabinet's own switches. */
import { type Project, compareProjects, programOf, projectHash, withChosen } from '@ferrule/core/document';
import { compile, factsOf, watchText, type TagFacts, type TextWatch } from '@ferrule/core/workspace';
import { findPath, parseValue, previewSwap, scanStep } from '@ferrule/core/bench';
import { placeText } from '@ferrule/core/language';
import { Router } from 'express';
import {
  ByBody,
  DownloadBody,
  ModeBody,
  OpenModbusBody,
  OpenOpcuaBody,
  PasswordBody,
  TrustBody,
  PreviewBody,
  RecordingBody,
  SwitchBody,
  TryBody,
  WhenBody,
  body,
} from './bodies.js';
import type { ControllerLink } from './controller-link.js';
import type { ProjectStore } from './db/projects.js';
import { problem } from './problem.js';

/** How long a look ahead may hold up everything else, in ms; how many scans it came is in its answer. */
const MOST_PREVIEW_MS = 300;

export function controllerRoutes(link: ControllerLink, store: ProjectStore): Router {
  const router = Router();
  router.get('/status', async (_, response) => {
    response.json({ ...(await link.request<object>('GET', '/status')), download: link.downloadState });
  });
  router.get('/download', (_, response) => {
    response.json(link.downloadState);
  });
  router.get('/compare/:projectId', async (request, response) => {
    const { document, revision } = store.get(request.params.projectId);
    const { kept, trial } = await programsOf(link);
    const hash = projectHash(document);
    response.json({
      same: kept?.hash === hash,
      hash,
      revision,
      controllerRevision: kept?.revision ?? null,
      controllerHash: kept?.hash ?? null,
      differences: kept ? compareProjects(programOf(kept.project), programOf(document)) : null,
      // What is on trial, where it is another one than this project.
      trialSame: trial ? trial.hash === hash : null,
    });
  });
  /** What the machine obeys, with what its page needs to draw it. */
  router.get('/program', async (_, response) => {
    const { kept, trial } = await programsOf(link),
      active = trial ?? kept;
    response.json(active ? { ...active, ...shownFacts(active) } : {});
  });
  /** The draft that runs beside, and where it differs from what is kept; nothing where none does. */
  router.get('/beside', async (_, response) => {
    const { kept, beside } = await programsOf(link);
    response.json(
      kept && beside
        ? { ...beside, differences: compareProjects(programOf(kept.project), programOf(beside.project)) }
        : {},
    );
  });
  /** What it keeps, whatever is on trial. */
  router.get('/kept', async (_, response) => {
    const { kept } = await programsOf(link);
    response.json(kept ?? {});
  });
  router.post('/upload', async (_, response) => {
    const { kept } = await programsOf(link);
    if (!kept) throw problem('NOTHING_TO_UPLOAD', 'The controller has no program.');
    response.status(201).json(store.create(kept.project));
  });
  router.post('/download', (request, response) => {
    const { projectId, mode, into, note } = body(DownloadBody, request.body);
    const { document, revision } = store.get(projectId);
    mustCheck(document, 'The logic has errors; mend them before a download.');
    response.status(202).json(
      link.start(document, revision, {
        what: 'download',
        ask: { mode, ...(into ? { into } : {}) },
        ...(note ? { note } : {}),
      }),
    );
  });
  /** What a try would do, before it is done; the machine model answers both programs, nothing real moves. */
  router.post('/preview', async (request, response) => {
    const { projectId, only } = body(PreviewBody, request.body);
    const { document } = store.get(projectId);
    const { kept } = await programsOf(link);
    if (!kept) throw problem('NOTHING_KEPT', 'The controller has no program to try against; download one.');
    const draft = only ? withChosen(programOf(kept.project), programOf(document), only) : document;
    mustCheck(draft, only ? ONLY_THESE : 'The logic has errors; mend them before a try.');
    const [a, b] = [kept.project, draft].map(sideOf),
      state = await link.request<{
        scan: number;
        bytes: string;
        forces: { path: string; value: string; by?: 'card' }[];
      }>('GET', '/state');
    const bytes = new Uint8Array(Buffer.from(state.bytes, 'base64')),
      until = performance.now() + MOST_PREVIEW_MS;
    if (bytes.length !== a!.image.stateSize)
      throw problem('CONTROLLER_REFUSED', 'A trial is running there, so its state is of another program.');
    response.json(
      previewSwap(
        a!,
        b!,
        {
          scan: state.scan,
          bytes,
          forces: state.forces.flatMap((f) => {
            const found = findPath(a!.image, f.path),
              v = 'location' in found ? parseValue(found.location.type, f.value) : undefined;
            return v && 'value' in v ? [{ path: f.path, value: v.value, ...(f.by ? { by: f.by } : {}) }] : [];
          }),
        },
        () => performance.now() > until,
      ),
    );
  });
  router.post('/try', async (request, response) => {
    const { projectId, only, what, ...ask } = body(TryBody, request.body);
    const { document, revision } = store.get(projectId);
    const { kept } = await programsOf(link);
    if (!kept) throw problem('NOTHING_KEPT', 'The controller has no program to try against; download one.');
    const draft = only ? withChosen(programOf(kept.project), programOf(document), only) : document;
    mustCheck(draft, only ? ONLY_THESE : 'The logic has errors; mend them before a try.');
    response.status(202).json(link.start(draft, revision, { what, ask }));
  });
  router.post('/trial/:verb', async (request, response) => {
    const { verb } = request.params;
    if (verb !== 'heard' && verb !== 'back-out' && verb !== 'keep')
      throw problem('NOT_FOUND', 'A trial is kept, backed out of, or heard of.');
    response.json(await link.request('POST', `/trial/${verb}`, body(ByBody, request.body ?? {})));
  });
  router.post('/beside/end', async (request, response) => {
    response.json(await link.request('POST', '/beside/end', body(ByBody, request.body ?? {})));
  });
  router.get('/events', async (request, response) => {
    const { limit, after } = request.query;
    response.json(await link.request('GET', `/events?limit=${Number(limit) || 200}&after=${Number(after) || 0}`));
  });
  router.get('/recordings', async (_, response) => {
    response.json(await link.request('GET', '/recordings'));
  });
  router.get('/recordings/:id', async (request, response) => {
    response.json(await link.request('GET', `/recordings/${encodeURIComponent(request.params.id)}`));
  });
  router.post('/recordings', async (request, response) => {
    response
      .status(201)
      .json(await link.request('POST', '/recordings', body(RecordingBody, request.body), undefined, 15_000));
  });
  router.put('/recordings/when', async (request, response) => {
    const { when } = body(WhenBody, request.body);
    response.json(await link.request('PUT', '/recordings/when', { when }, undefined, 30_000));
  });
  router.post('/figures/anew', async (_, response) => {
    response.json(await link.request('POST', '/figures/anew', {}));
  });
  router.get('/open', async (_, response) => {
    response.json(await link.request('GET', '/open'));
  });
  router.put('/open/modbus', async (request, response) => {
    response.json(await link.request('PUT', '/open/modbus', body(OpenModbusBody, request.body)));
  });
  router.put('/open/opcua', async (request, response) => {
    response.json(await link.request('PUT', '/open/opcua', body(OpenOpcuaBody, request.body)));
  });
  router.put('/open/opcua/certificates/:thumbprint', async (request, response) => {
    const { thumbprint } = request.params;
    response.json(
      await link.request(
        'PUT',
        `/open/opcua/certificates/${encodeURIComponent(thumbprint)}`,
        body(TrustBody, request.body),
      ),
    );
  });
  router.put('/open/outside/password', async (request, response) => {
    response.json(await link.request('PUT', '/open/outside/password', body(PasswordBody, request.body)));
  });
  router.put('/open/outside/certificates/:thumbprint', async (request, response) => {
    const { thumbprint } = request.params;
    response.json(
      await link.request(
        'PUT',
        `/open/outside/certificates/${encodeURIComponent(thumbprint)}`,
        body(TrustBody, request.body),
      ),
    );
  });
  router.post('/mode', async (request, response) => {
    response.json(await link.request('POST', '/mode', body(ModeBody, request.body)));
  });
  router.post('/events', async (request, response) => {
    response.json(await link.request('POST', '/events', request.body));
  });
  // The cabinet's own switches are worked by hand, whatever the network does.
  router.get('/cabinet', async (_, response) => {
    response.json(await link.request('GET', '/cabinet'));
  });
  router.post('/cabinet/:switch', async (request, response) => {
    const path = `/cabinet/${encodeURIComponent(request.params.switch)}`;
    response.json(await link.request('POST', path, body(SwitchBody, request.body)));
  });
  return router;
}

const ONLY_THESE = 'The kept program with only these changes has errors; choose what belongs to them too';

const sides = new Map<string, ReturnType<typeof compiledSide>>();
/** A project compiled as the stand-in does; of the last four asked for it is kept. */
function sideOf(project: Project) {
  const hash = projectHash(project),
    side = sides.get(hash) ?? compiledSide(project);
  sides.delete(hash);
  sides.set(hash, side);
  if (sides.size > 4) sides.delete(sides.keys().next().value!);
  return side;
}
function compiledSide(project: Project) {
  const compiled = compile([{ kind: 'project', name: project.name, project }]),
    image = compiled.build(true);
  return { image, stepNs: scanStep(image), wires: compiled.wires };
}

interface Sent {
  readonly project: Project;
  readonly revision: number;
  readonly hash: string;
  readonly note?: string;
  readonly takenAt?: number;
}
/** What the controller keeps, what it tries, and what runs beside. */
async function programsOf(
  link: ControllerLink,
): Promise<{ readonly kept?: Sent; readonly trial?: Sent; readonly beside?: Sent }> {
  const { trial, beside, ...kept } = await link.request<Partial<Sent> & { trial?: Sent; beside?: Sent }>(
    'GET',
    '/program',
  );
  return {
    ...(kept.project ? { kept: kept as Sent } : {}),
    ...(trial ? { trial } : {}),
    ...(beside ? { beside } : {}),
  };
}

interface ShownFacts {
  readonly tags: Readonly<Record<string, TagFacts>>;
  /** Of each text by its id: the values beside its lines. */
  readonly texts: Readonly<Record<string, TextWatch['lines']>>;
}
let known: { readonly hash: string; readonly facts: ShownFacts } | undefined;
/** What is shown of a program beside its project; of the last one asked for it is kept. */
function shownFacts(p: Sent): ShownFacts {
  if (known?.hash === p.hash) return known.facts;
  const compiled = compile([{ kind: 'project', name: p.project.name, project: p.project }]),
    image = compiled.build(true);
  const facts = {
    tags: factsOf(compiled.program.globals),
    texts: Object.fromEntries(
      p.project.pous.flatMap((pou) =>
        pou.language === 'ST' ? [[pou.id, watchText(compiled, image, pou.id, pou.name).lines]] : [],
      ),
    ),
  };
  known = { hash: p.hash, facts };
  return facts;
}

/** Throws with the first error, and where it is. */
function mustCheck(document: Project, words: string): void {
  const { hasErrors, diagnostics } = compile([{ kind: 'project', name: document.name, project: document }]);
  if (!hasErrors) return;
  const first = diagnostics.find((d) => d.severity === 'error')!;
  throw problem(
    'LOGIC_HAS_ERRORS',
    words.endsWith('.') ? words : `${words}: ${placeText(first.at).slice(document.name.length + 1)}: ${first.message}`,
  );
}
