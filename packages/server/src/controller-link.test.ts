/** The server's end of the cable: what it says of a controller that answers, refuses, is slow or gone. */
import { createHash } from 'node:crypto';
import { type IncomingMessage, type Server, type ServerResponse, createServer } from 'node:http';
import { type Project, emptyProject, projectHash } from '@ferrule/core/document';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { ControllerLink } from './controller-link.js';

type Answer = (request: IncomingMessage, response: ServerResponse) => void;
let server: Server;
let link: ControllerLink;
let answer: Answer;
const received: string[] = [];
const bodies: { readonly url: string; readonly body: Buffer }[] = [];

beforeEach(async () => {
  received.length = 0;
  bodies.length = 0;
  server = createServer((request, response) => {
    received.push(`${request.method} ${request.url}`);
    const parts: Buffer[] = [];
    request.on('data', (part: Buffer) => parts.push(part));
    request.on('end', () => {
      bodies.push({ url: request.url!, body: Buffer.concat(parts) });
      answer(request, response);
    });
  });
  await new Promise<void>((r) => {
    server.listen(0, '127.0.0.1', r);
  });
  link = new ControllerLink(`http://127.0.0.1:${(server.address() as { port: number }).port}`, 800);
});
afterEach(() => {
  server.close();
  server.closeAllConnections();
});

const json = (response: ServerResponse, status: number, body: unknown) => {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
};
const project: Project = emptyProject('Press');
const ended = async () => {
  while (link.downloadState.state === 'sending') await new Promise((r) => setTimeout(r, 10));
  return link.downloadState;
};
/** A stand-in that takes parts of 200 bytes; `until` says after how many it goes silent. */
const taking = (until = Infinity, hash = projectHash(project)): Answer => {
  let parts = 0;
  return (request, response) => {
    if (request.url === '/downloads') json(response, 201, { id: 'd1', chunkSize: 200 });
    else if (request.method === 'PUT') {
      if (++parts > until) response.destroy();
      else json(response, 200, { received: parts });
    } else json(response, 200, { hash, lost: ['Old: no longer there'] });
  };
};

describe('requests', () => {
  it('give the answer, or what the controller says against it', async () => {
    answer = (_, response) => json(response, 200, { state: 'run' });
    expect(await link.request('GET', '/status')).toEqual({ state: 'run' });
    answer = (_, response) => json(response, 409, { message: 'There is no program to run; download one first.' });
    await expect(link.request('POST', '/mode', { mode: 'run' })).rejects.toMatchObject({
      code: 'CONTROLLER_REFUSED',
      message: 'There is no program to run; download one first.',
    });
    answer = (_, response) => {
      response.writeHead(500).end('oops');
    };
    await expect(link.request('GET', '/status')).rejects.toMatchObject({ message: 'The controller answered 500.' });
  });
  it('a cut cable and a silent controller are one thing: it does not answer', async () => {
    answer = (_, response) => {
      response.destroy();
    };
    await expect(link.request('GET', '/status')).rejects.toMatchObject({ code: 'CONTROLLER_UNREACHABLE' });
    answer = () => undefined;
    await expect(link.request('GET', '/status')).rejects.toMatchObject({ code: 'CONTROLLER_UNREACHABLE' });
  });
  it('the live address is the same place by WebSocket', () => {
    expect(link.liveUrl).toMatch(/^ws:\/\/127\.0\.0\.1:\d+\/live$/);
  });
});

describe('a download', () => {
  it('sends what it announces, also from a project with a bench desk, which stays behind', async () => {
    const desk: Project = {
      ...project,
      bench: {
        watches: [{ id: 'w', name: 'Mine', rows: [{ path: 'A' }] }],
        points: [{ tag: 'A', found: 'right', by: 'Ada', at: '2026-01-01T00:00:00Z', where: 'controller' }],
      },
    };
    answer = taking();
    link.start(desk, 3, { what: 'download', ask: { mode: 'restart' } });
    expect((await ended()).state).toBe('done');
    const announced = JSON.parse(bodies.find((b) => b.url === '/downloads')!.body.toString()) as {
        size: number;
        hash: string;
      },
      sent = Buffer.concat(bodies.filter((b) => /^\/downloads\/d1\/\d+$/.test(b.url)).map((b) => b.body));
    expect([sent.length, createHash('sha256').update(sent).digest('hex')]).toEqual([announced.size, announced.hash]);
    expect(JSON.parse(sent.toString())).toEqual(project);
  });
  it('goes in parts, in order, and ends verified', async () => {
    answer = taking();
    const first = link.start(project, 3, { what: 'download', ask: { mode: 'restart' } });
    expect(first).toMatchObject({ state: 'sending', sent: 0 });
    const done = await ended();
    expect(done).toMatchObject({
      state: 'done',
      sent: first.total,
      total: first.total,
      lost: ['Old: no longer there'],
    });
    expect(received.slice(0, 3)).toEqual(['POST /downloads', 'PUT /downloads/d1/0', 'PUT /downloads/d1/1']);
    expect(received.at(-1)).toBe('POST /downloads/d1/commit');
    expect(received).toHaveLength(Math.ceil(first.total / 200) + 2);
  });
  it('broken off says how far it came and what runs now', async () => {
    answer = taking(2);
    const { total } = link.start(project, 3, { what: 'download', ask: { mode: 'keep' } });
    const end = await ended();
    expect(end.state).toBe('failed');
    expect(end.message).toContain(`broke off after 400 of ${total} bytes`);
    expect(end.message).toContain('The controller keeps the program it had.');
  });
  it('says that the controller keeps what it had only where that is known', async () => {
    const start = async (commit: Answer) => {
      const parts = taking();
      answer = (request, response) => (request.url?.endsWith('/commit') ? commit : parts)(request, response);
      link.start(project, 3, { what: 'download', ask: { mode: 'keep' } });
      return (await ended()).message;
    };
    // It refuses what does not check; what its disk does it says itself; gone in that moment, nobody knows.
    expect(await start((_, r) => json(r, 422, { message: 'The program has errors: no.' }))).toMatch(
      /has errors: no\. The controller keeps the program it had\.$/,
    );
    expect(await start((_, r) => json(r, 507, { message: 'After a start either may be there.' }))).toMatch(
      /: After a start either may be there\.$/,
    );
    expect(await start((request) => request.socket.destroy())).toMatch(
      /does not answer.* whether the controller took it is not known; what it keeps is shown once it answers\.$/,
    );
  });
  it('another hash at the end is no success', async () => {
    answer = taking(Infinity, 'f'.repeat(64));
    link.start(project, 3, { what: 'download', ask: { mode: 'restart' } });
    const { state, message } = await ended();
    expect(state).toBe('failed');
    expect(message).toMatch(/reports another hash/);
    expect(message).not.toMatch(/keeps the program it had/);
  });
  it('one at a time; after the end the next may start', async () => {
    answer = taking();
    link.start(project, 3, { what: 'download', ask: { mode: 'restart' } });
    expect(() => link.start(project, 3, { what: 'download', ask: { mode: 'restart' } })).toThrow(
      'Wait until what is being sent to the controller has arrived.',
    );
    await ended();
    expect(link.start(project, 4, { what: 'download', ask: { mode: 'restart' } }).state).toBe('sending');
    expect((await ended()).state).toBe('done');
  });
});
