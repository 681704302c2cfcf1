/** The controller as the page sees it: status, compare, download, run and stop, the cabinet's own switches. */
import { type Project, compareProjects, compile, programOf, projectHash } from '@ferrule/core';
import { Router } from 'express';
import { DownloadBody, ModeBody, NetworkBody, body } from './bodies.js';
import type { ControllerLink } from './controller-link.js';
import type { ProjectStore } from './db/projects.js';
import { problem } from './problem.js';

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
    const program = await link.request<{ project?: Project; revision?: number; hash?: string }>('GET', '/program');
    const hash = projectHash(document);
    response.json({
      same: program.hash === hash,
      hash,
      revision,
      controllerRevision: program.revision ?? null,
      differences: program.project ? compareProjects(programOf(program.project), programOf(document)) : null,
    });
  });
  router.post('/download', (request, response) => {
    const { projectId, mode } = body(DownloadBody, request.body);
    const { document, revision } = store.get(projectId);
    const compiled = compile([{ kind: 'project', name: document.name, project: document }]);
    if (compiled.hasErrors) throw problem('LOGIC_HAS_ERRORS', 'The logic has errors; mend them before a download.');
    response.status(202).json(link.startDownload(document, revision, mode));
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
  router.post('/cabinet/network', async (request, response) => {
    response.json(await link.request('POST', '/cabinet/network', body(NetworkBody, request.body)));
  });
  return router;
}
