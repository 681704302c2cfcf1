/** The API as its callers see it: requests into the running application, whole answers compared. */
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { type Server, createServer } from 'node:http';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import pino from 'pino';
import { EDIT_FIELDS, type Edit, type Project, emptyProject } from '@ferrule/core/document';
import { createApp } from './app.js';
import { ControllerLink } from './controller-link.js';
import { openDatabase } from './db/open.js';
import { PasswordBrake } from './guards.js';
import { ProjectStore } from './db/projects.js';
import { proofAnswer } from './proof-answer.js';
import type { ProofMessage } from './prover.js';

const migrations = fileURLToPath(new URL('../drizzle', import.meta.url));
const demo = readFileSync(new URL('../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8');
let server: Server;
let base: string;
let now = 1000;
/** Stands for the worker threads: a proof that tells of its progress, a report that says which proof it was given. */
let ended = 0;
const provers = {
  proveRules: (_: unknown, only: readonly string[] | undefined, tell: (m: ProofMessage) => void) => {
    tell({ kind: 'progress', words: 'Looking', decided: 0, of: 1 });
    const t = setTimeout(
      () => tell({ kind: 'done', answer: { rules: [{ id: 'r1', strength: 'proved', words: only?.join() ?? 'all' }] } }),
      30,
    );
    return () => {
      ended++;
      clearTimeout(t);
    };
  },
  report: (p: { readonly name: string }, revision: number, proof: { readonly rules: unknown } | undefined) =>
    Promise.resolve(
      p.name === 'Wrong'
        ? { problem: 'The logic has errors; mend them first.' }
        : { html: `<p>rev ${revision} ${JSON.stringify(proof?.rules ?? 'no proof')}</p>` },
    ),
};

async function start(password?: string, pages?: string): Promise<void> {
  const store = new ProjectStore(openDatabase(':memory:', migrations), () => now++);
  const app = createApp({
    store,
    log: pino({ level: 'silent' }),
    controller: new ControllerLink('http://127.0.0.1:9', 300),
    prover: { prove: (p, only) => Promise.resolve(proofAnswer(p, only)), ...provers },
    hosts: ['127.0.0.1'],
    examples: fileURLToPath(new URL('../../../examples', import.meta.url)),
    ...(password ? { brake: new PasswordBrake(password) } : {}),
    ...(pages ? { pages } : {}),
  });
  server = createServer(app);
  await new Promise<void>((r) => {
    server.listen(0, '127.0.0.1', r);
  });
  base = `http://127.0.0.1:${(server.address() as { port: number }).port}`;
}
beforeEach(() => start());
afterEach(() => {
  server.close();
  server.closeAllConnections();
});

async function call(method: string, path: string, body?: unknown, headers: Record<string, string> = {}) {
  const r = await fetch(base + path, {
    method,
    headers: { ...(body === undefined ? {} : { 'content-type': 'application/json' }), ...headers },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const text = await r.text();
  return {
    status: r.status,
    type: r.headers.get('content-type') ?? '',
    body: (text.startsWith('{') || text.startsWith('[') ? JSON.parse(text) : text) as Record<string, never>,
    headers: r.headers,
  };
}
const create = async () =>
  (await call('POST', '/api/projects', { file: demo })).body as unknown as { id: string; revision: number };

describe('projects', () => {
  it('are made empty or from a file, listed, read, saved as a file, deleted and brought back', async () => {
    const made = await call('POST', '/api/projects', { name: 'Press' });
    expect(made.status).toBe(201);
    const { id } = made.body;
    expect((await call('GET', '/api/projects')).body).toMatchObject([{ id, name: 'Press', revision: 1 }]);
    const file = await call('GET', `/api/projects/${id}/file`);
    expect(file.headers.get('content-disposition')).toBe('attachment; filename=press.ferrule.json');
    expect((await call('POST', '/api/projects', { file: JSON.stringify(file.body) })).status).toBe(201);
    expect((await call('DELETE', `/api/projects/${id}`)).status).toBe(204);
    expect((await call('GET', `/api/projects/${id}`)).body).toMatchObject({ code: 'PROJECT_NOT_FOUND', status: 404 });
    expect((await call('GET', '/api/deleted')).body).toMatchObject([{ id, name: 'Press' }]);
    expect((await call('POST', `/api/projects/${id}/restore`)).body).toMatchObject({ id, document: { name: 'Press' } });
    expect((await call('GET', '/api/deleted')).body).toEqual([]);
  });
  it('a broken file is refused with every place, and nothing is made', async () => {
    const r = await call('POST', '/api/projects', {
      file: demo.replace('"wiring": "NO"', '"wiring": 5').replace('"version": 1', '"version": 1, "colour": 2'),
    });
    expect(r.status).toBe(400);
    expect(r.type).toContain('application/problem+json');
    expect(r.body['errors']).toEqual(
      expect.arrayContaining([expect.stringMatching(/^tags\.0\.wiring/), expect.stringMatching(/^colour/)]),
    );
    expect((await call('GET', '/api/projects')).body).toEqual([]);
  });
});

describe('edits', () => {
  it('are applied as a whole, and a second window on an older revision is told', async () => {
    const { id } = await create();
    const edits = [{ kind: 'changeTag', id: 't1', to: { description: 'Go' } }];
    expect((await call('POST', `/api/projects/${id}/edits`, { base: 1, edits })).body).toEqual({ revision: 2 });
    const late = await call('POST', `/api/projects/${id}/edits`, { base: 1, edits });
    expect(late.status).toBe(409);
    expect(late.body).toMatchObject({ code: 'REVISION_CONFLICT', revision: 2 });
  });
  it('a batch sent again after a lost answer counts once', async () => {
    const { id } = await create();
    const batch = { base: 1, batch: 'b1', edits: [{ kind: 'addTag', tag: { id: 'x', name: 'X', type: 'BOOL' } }] };
    expect((await call('POST', `/api/projects/${id}/edits`, batch)).body).toEqual({ revision: 2 });
    expect((await call('POST', `/api/projects/${id}/edits`, batch)).body).toEqual({ revision: 2 });
    const tags = (await call('GET', `/api/projects/${id}`)).body as unknown as { document: { tags: { id: string }[] } };
    expect(tags.document.tags.filter((t) => t.id === 'x')).toHaveLength(1);
  });
  it('one that does not fit refuses the whole batch', async () => {
    const { id } = await create();
    const r = await call('POST', `/api/projects/${id}/edits`, {
      base: 1,
      edits: [
        { kind: 'rename', name: 'New' },
        { kind: 'removeTag', id: 'nope' },
      ],
    });
    expect(r.body).toMatchObject({ code: 'EDIT_REFUSED', detail: 'edits.1: The tag is no longer there.' });
    expect((await call('GET', `/api/projects/${id}`)).body).toMatchObject({
      revision: 1,
      document: { name: 'Wire-end crimp cell' },
    });
  });
  it.each([
    [{}, 'base'],
    [{ base: 1, edits: [] }, 'edits'],
    [{ base: 'x', edits: [{}] }, 'base'],
    [{ base: 1, edits: [{ kind: 'explode' }] }, 'edits.0.kind'],
    [{ base: 1, edits: [{ kind: 'addTag', tag: { id: 'a', name: '', type: 'BOOL' } }] }, 'edits.0.tag.name'],
    [{ base: 1, edits: [{ kind: 'changeTag', id: 't1', to: { type: 7 } }] }, 'edits.0.to.type'],
    [
      { base: 1, edits: [{ kind: 'group', label: 'g', edits: [{ kind: 'addRung', pou: 'p1', at: -1, rung: {} }] }] },
      'edits.0.edits.0.rung.line',
    ],
    [{ base: 1, edits: [{ kind: 'changeRung', pou: 'p1', id: 'r1', to: { line: 5 } }] }, 'edits.0.to.line'],
    [{ base: 1, edits: [{ kind: 'changeRow', check: 'c1', id: 'k1', to: { when: 5 } }] }, 'edits.0.to.when'],
    [{ base: 1, edits: [{ kind: 'changeRow', check: 'c1', id: 'k1', to: { expect: 'x' } }] }, 'edits.0.to.expect'],
    [{ base: 1, edits: [{ kind: 'addRule', rule: { id: 'x', name: '', sentence: 's' }, at: 0 }] }, 'edits.0.rule.name'],
    [{ base: 1, edits: [{ kind: 'addRow', check: 'c1', row: { id: 'x', do: 'no' }, at: 0 }] }, 'edits.0.row.do'],
    [{ base: 1, edits: [{ kind: 'changeChecking', code: 'DOUBLE_COIL', to: 'loud' }] }, 'edits.0.to'],
    [{ base: 1, edits: [{ kind: 'changeScope', paths: { a: 1 } }] }, 'edits.0.paths'],
    [{ base: 1, edits: [{ kind: 'changeScope', paths: [5] }] }, 'edits.0.paths'],
    [{ base: 1, edits: [{ kind: 'rename', name: '' }] }, 'edits.0.name'],
  ])('%j is answered with 400 and the field', async (body, field) => {
    const { id } = await create();
    const r = await call('POST', `/api/projects/${id}/edits`, body);
    expect(r.status).toBe(400);
    expect((r.body['errors'] as unknown as { field: string }[])[0]!.field).toBe(field);
  });
});

describe('problems', () => {
  it('bodies that are no JSON or too large are said so', async () => {
    expect((await call('POST', '/api/projects', '{"name": ')).body).toMatchObject({
      code: 'INVALID_BODY',
      status: 400,
    });
    expect((await call('POST', '/api/projects', JSON.stringify({ name: 'x'.repeat(21_000_000) }))).body).toMatchObject({
      code: 'BODY_TOO_LARGE',
    });
    expect((await call('GET', '/api/nothing')).body).toMatchObject({ code: 'NOT_FOUND' });
  });
  it('an absent controller is said so', async () => {
    expect((await call('GET', '/api/controller/status')).body).toMatchObject({
      code: 'CONTROLLER_UNREACHABLE',
      status: 502,
    });
  });
});

describe('who may ask', () => {
  it('a foreign page or host name is refused', async () => {
    expect((await call('GET', '/api/projects', undefined, { origin: 'http://evil.example' })).body).toMatchObject({
      code: 'FORBIDDEN_ORIGIN',
    });
    expect((await call('GET', '/api/projects', undefined, { origin: base })).status).toBe(200);
  });
  it('with a password set, nothing without it', async () => {
    server.close();
    await start('copper');
    expect((await call('GET', '/api/projects')).status).toBe(401);
    expect(
      (
        await call('GET', '/api/projects', undefined, {
          authorization: `Basic ${Buffer.from('x:copper').toString('base64')}`,
        })
      ).status,
    ).toBe(200);
  });
  it('a part of the pages that is no more is not there, and is no page', async () => {
    const pages = mkdtempSync(join(tmpdir(), 'ferrule-pages-'));
    writeFileSync(join(pages, 'index.html'), '<!doctype html><title>Ferrule</title>');
    server.close();
    await start(undefined, pages);
    const [gone, page] = await Promise.all([fetch(`${base}/assets/Area-old.js`), fetch(`${base}/projects/a/logic`)]);
    expect([gone.status, gone.headers.get('content-type')]).toEqual([404, expect.stringContaining('json')]);
    expect([page.status, page.headers.get('content-type')]).toEqual([200, expect.stringContaining('html')]);
    rmSync(pages, { recursive: true });
  });
  it('pages get a strict content policy', async () => {
    expect((await call('GET', '/api/projects')).headers.get('content-security-policy')).toContain("default-src 'self'");
  });
});

it('runs checks and rules of a project', async () => {
  const { id } = await create();
  const r = await call('POST', `/api/projects/${id}/prove`, {});
  const checks = r.body['checks'] as unknown as { id: string; ok: boolean }[];
  expect([new Set(checks.map((c) => c.id)).size, checks.every((c) => c.ok)]).toEqual([8, true]);
});

describe('revisions', () => {
  const rename = (id: string, base: number, name: string) =>
    call('POST', `/api/projects/${id}/edits`, { base, edits: [{ kind: 'rename', name }] });
  it('any is rebuilt from the edits; named ones and the ends of stretches of work are listed', async () => {
    const { id } = await create();
    await rename(id, 1, 'Second');
    await rename(id, 2, 'Third');
    now += 20 * 60_000;
    await rename(id, 3, 'Fourth');
    const list = async () =>
      (await call('GET', `/api/projects/${id}/revisions`)).body as unknown as {
        revision: number;
        name?: string;
        edits: number;
      }[];
    expect((await list()).map((r) => [r.revision, r.edits])).toEqual([
      [4, 1],
      [3, 2],
      [1, 0],
    ]);
    expect((await call('PUT', `/api/projects/${id}/revisions/2/name`, { name: 'As delivered' })).status).toBe(200);
    expect((await list()).map((r) => [r.revision, r.name])).toEqual([
      [4, undefined],
      [3, undefined],
      [2, 'As delivered'],
      [1, undefined],
    ]);
    expect((await call('GET', `/api/projects/${id}/revisions/2`)).body).toMatchObject({
      revision: 2,
      document: { name: 'Second' },
    });
    expect((await call('GET', `/api/projects/${id}/revisions/1`)).body).toMatchObject({
      document: JSON.parse(demo) as object,
    });
    // What is said about it stays when only the name is given again, and goes with an empty text.
    const note = 'Dwell is longer.\nTried with Anna.';
    await call('PUT', `/api/projects/${id}/revisions/2/name`, { name: 'As delivered', note });
    await call('PUT', `/api/projects/${id}/revisions/2/name`, { name: 'Delivered' });
    expect((await list())[2]).toMatchObject({ revision: 2, name: 'Delivered', note });
    await call('PUT', `/api/projects/${id}/revisions/2/name`, { name: '', note: '' });
    expect((await list()).map((r) => r.revision)).toEqual([4, 3, 1]);
  });
  it('an old one is brought back by an edit', async () => {
    const { id } = await create();
    await rename(id, 1, 'Second');
    const old = (await call('GET', `/api/projects/${id}/revisions/1`)).body as unknown as { document: object };
    expect(
      (
        await call('POST', `/api/projects/${id}/edits`, {
          base: 2,
          edits: [{ kind: 'replace', project: old.document }],
        })
      ).status,
    ).toBe(200);
    expect((await call('GET', `/api/projects/${id}`)).body).toMatchObject({
      revision: 3,
      document: JSON.parse(demo) as object,
    });
    expect(
      (
        await call('POST', `/api/projects/${id}/edits`, {
          base: 3,
          edits: [{ kind: 'replace', project: { name: 'x' } }],
        })
      ).body,
    ).toMatchObject({ code: 'INVALID_BODY', detail: expect.stringContaining('edits.0.project') as unknown });
  });
  it('one that is not there is said so', async () => {
    const { id } = await create();
    for (const r of ['9', '0', 'x'])
      expect((await call('GET', `/api/projects/${id}/revisions/${r}`)).body).toMatchObject({
        code: 'REVISION_NOT_FOUND',
      });
    expect((await call('GET', '/api/projects/nothing/revisions')).status).toBe(404);
  });
  it('after a hundred revisions every one is still rebuilt', async () => {
    const { id } = await create();
    for (let i = 1; i <= 130; i++) await rename(id, i, `Name ${i + 1}`);
    for (const r of [2, 99, 100, 101, 131])
      expect((await call('GET', `/api/projects/${id}/revisions/${r}`)).body).toMatchObject({
        document: { name: `Name ${r}` },
      });
  });
});

describe('examples and the last proof', () => {
  it('an example becomes a project of one’s own; an unknown one is refused', async () => {
    const made = await call('POST', '/api/projects', { example: 'wire-end-crimp-cell' });
    expect(made.body).toMatchObject({ revision: 1, document: { name: 'Wire-end crimp cell' } });
    expect((await call('POST', '/api/projects', { example: 'nothing' })).body).toMatchObject({ code: 'NOT_FOUND' });
    expect((await call('POST', '/api/projects', { example: '../secret' })).body).toMatchObject({
      code: 'INVALID_BODY',
    });
  });
  it('the list tells what the checks gave, and on which revision', async () => {
    const { id } = await create();
    await call('POST', `/api/projects/${id}/prove`, {});
    const [first] = (await call('GET', '/api/projects')).body as unknown as {
      proof: { revision: number; count: number; failed: number };
    }[];
    expect(first!.proof).toEqual({ revision: 1, count: 13, failed: 0, open: 0 });
  });
});

describe('every kind of edit', () => {
  const id60 = (k: string) => k.padEnd(60, 'i'),
    name120 = (k: string) => k.padEnd(120, 'n'),
    name200 = (k: string) => k.padEnd(200, 'n');
  const kind = {
    id: id60('kind'),
    type: name120('Own'),
    help: '',
    terminals: [],
    parameters: [],
    upsets: [],
    handles: [],
    locals: '',
    body: '',
    width: 60,
    picture: [],
  };
  const rung = { id: id60('rung'), line: 'A -> B', comment: 'c'.repeat(5000), heading: 'h'.repeat(500) };
  const LONGEST: readonly Edit[] = [
    { kind: 'addTag', tag: { id: id60('tag'), name: name120('Tag'), type: 'BOOL' }, at: 0 },
    { kind: 'changeTag', id: id60('tag'), to: { name: name120('Other'), description: 'd'.repeat(2000) } },
    { kind: 'addType', type: { id: id60('type'), text: 'T : INT;' }, at: 0 },
    { kind: 'changeType', id: id60('type'), to: { text: `T : INT; // ${'x'.repeat(90_000)}` } },
    {
      kind: 'addPou',
      pou: { id: id60('pou'), name: name120('P'), language: 'LD', kind: 'functionBlock', rungs: [] },
      at: 0,
    },
    {
      kind: 'addPou',
      pou: { id: id60('st'), name: name120('S'), language: 'ST', kind: 'program', text: 'PROGRAM S END_PROGRAM' },
      at: 0,
    },
    {
      kind: 'changePou',
      id: id60('pou'),
      to: { name: name120('Q'), description: 'd'.repeat(5000), variables: 'VAR END_VAR' },
    },
    { kind: 'changeText', pou: id60('st'), text: `PROGRAM S END_PROGRAM // ${'x'.repeat(1_900_000)}` },
    { kind: 'addRung', pou: id60('pou'), rung, at: 0 },
    { kind: 'addRung', pou: id60('pou'), rung: { ...rung, id: id60('second') }, at: 1 },
    {
      kind: 'changeRung',
      pou: id60('pou'),
      id: rung.id,
      to: { line: `A & ${'B & '.repeat(20_000)}C -> D`, comment: null },
    },
    { kind: 'moveRung', pou: id60('pou'), id: rung.id, to: 1 },
    { kind: 'removeRung', pou: id60('pou'), id: rung.id },
    {
      kind: 'addTask',
      task: { id: id60('task'), name: name120('T'), interval: '10 ms', priority: 1, programs: [] },
      at: 0,
    },
    { kind: 'changeTask', id: id60('task'), to: { name: name120('U'), event: 'A', programs: [name120('S')] } },
    {
      kind: 'changeOutside',
      outside: {
        isOn: true,
        protocol: 'opcua',
        address: 'a'.repeat(500),
        user: 'u'.repeat(60),
        items: [{ path: 'p'.repeat(500), item: 'i'.repeat(500), fallback: 'f'.repeat(200) }],
      },
    },
    {
      kind: 'changeBoard',
      board: { target: 'avr', pins: [{ point: 'p'.repeat(500), pin: 'q'.repeat(200), how: 'h'.repeat(200) }] },
    },
    { kind: 'changeModules', modules: [{ id: id60('mod'), name: name120('M'), area: 'I', start: 0, bytes: 2 }] },
    { kind: 'addDevice', device: { id: id60('dev'), name: name120('D'), type: 'Lamp' }, at: 0 },
    {
      kind: 'changeDevice',
      id: id60('dev'),
      to: { name: name120('E'), label: name200('L'), wires: { Lit: 'A'.repeat(500) }, parameters: { P: '1' } },
    },
    { kind: 'addKind', of: kind, at: 0 },
    { kind: 'changeKind', id: kind.id, to: { help: 'h'.repeat(5000), body: '// '.padEnd(400_000, 'x') } },
    { kind: 'addCheck', check: { id: id60('check'), name: name200('C'), rows: [] }, at: 0 },
    { kind: 'changeCheck', id: id60('check'), to: { note: 'n'.repeat(5000) } },
    { kind: 'addRow', check: id60('check'), row: { id: id60('row'), when: 'after 1 s', do: ['tap A'] }, at: 0 },
    { kind: 'changeRow', check: id60('check'), id: id60('row'), to: { expect: ['e'.repeat(5000)], when: null } },
    { kind: 'addRule', rule: { id: id60('rule'), name: name200('R'), sentence: 'never A' }, at: 0 },
    { kind: 'changeRule', id: id60('rule'), to: { sentence: 's'.repeat(5000), assumed: true } },
    { kind: 'changeChecking', code: 'UNUSED', to: 'off' },
    { kind: 'changeScope', paths: ['p'.repeat(500)] },
    {
      kind: 'changeBench',
      to: { watches: [{ id: id60('w'), name: name200('W'), rows: [{ path: 'p'.repeat(500) }] }] },
    },
    {
      kind: 'changePlan',
      plan: {
        description: 'd'.repeat(20_000),
        sequences: [
          {
            id: id60('seq'),
            name: name200('Q'),
            steps: [
              {
                id: id60('step'),
                name: name200('S'),
                ways: [{ id: id60('way'), when: 'w'.repeat(1000), to: id60('step') }],
              },
            ],
          },
        ],
      },
    },
    { kind: 'rename', name: name200('N') },
    { kind: 'group', label: 'l'.repeat(1000), edits: [{ kind: 'rename', name: 'N' }] },
    { kind: 'removeRow', check: id60('check'), id: id60('row') },
    { kind: 'removeCheck', id: id60('check') },
    { kind: 'removeRule', id: id60('rule') },
    { kind: 'removeDevice', id: id60('dev') },
    { kind: 'removeKind', id: kind.id },
    { kind: 'removeTask', id: id60('task') },
    { kind: 'removePou', id: id60('pou') },
    { kind: 'removeType', id: id60('type') },
    { kind: 'removeTag', id: id60('tag') },
    { kind: 'replace', project: emptyProject(name200('Whole')) },
  ];

  it('is taken with ids, names and texts as long as the page can make them', async () => {
    const { id } = await create();
    expect([...new Set(LONGEST.map((e) => e.kind))].sort()).toEqual(Object.keys(EDIT_FIELDS).sort());
    for (const [i, edit] of LONGEST.entries()) {
      const r = await call('POST', `/api/projects/${id}/edits`, { base: i + 1, edits: [edit] });
      expect([edit.kind, r.status, r.body['detail']]).toEqual([edit.kind, 200, undefined]);
    }
  });

  it('that would leave a broken project is refused as a whole, with the place', async () => {
    const { id } = await create();
    const send = (edit: unknown) => call('POST', `/api/projects/${id}/edits`, { base: 1, edits: [edit] });
    const [tag, other] = (JSON.parse(demo) as { tags: { id: string }[] }).tags;
    expect(await send({ kind: 'changeTag', id: tag!.id, to: { name: null } })).toMatchObject({
      status: 400,
      body: { detail: 'edits.0.to.name: cannot be taken away.' },
    });
    expect(await send({ kind: 'changeTag', id: tag!.id, to: { id: other!.id } })).toMatchObject({ status: 400 });
    const main = (JSON.parse(demo) as Project).pous.find((p) => p.language === 'ST')!;
    expect(await send({ kind: 'changePou', id: main.id, to: { language: 'LD' } })).toMatchObject({ status: 400 });
    expect(await send({ kind: 'changePou', id: main.id, to: { variables: 'VAR END_VAR' } })).toMatchObject({
      status: 409,
      body: {
        code: 'EDIT_REFUSED',
        detail: expect.stringContaining('variables: a text declares its variables itself'),
      },
    });
    expect((await call('GET', `/api/projects/${id}`)).body).toMatchObject({ revision: 1 });
  });
});

describe('edits of programs, types and tasks', () => {
  it('are taken when they fit and refused with the field when not', async () => {
    const { id } = await create();
    const send = async (base: number, edit: unknown) =>
      (await call('POST', `/api/projects/${id}/edits`, { base, edits: [edit] })).body as unknown as {
        revision?: number;
        detail?: string;
      };
    expect(
      await send(1, {
        kind: 'addPou',
        at: 3,
        pou: { id: 'n', name: 'New', language: 'LD', kind: 'functionBlock', variables: 'VAR END_VAR', rungs: [] },
      }),
    ).toMatchObject({ revision: 2 });
    expect(await send(2, { kind: 'changePou', id: 'n', to: { name: 'Newer' } })).toMatchObject({ revision: 3 });
    expect(await send(3, { kind: 'addType', at: 0, type: { id: 'ty', text: 'T : INT;' } })).toMatchObject({
      revision: 4,
    });
    expect(
      await send(4, {
        kind: 'changeTask',
        id: (JSON.parse(demo) as { tasks: { id: string }[] }).tasks[0]!.id,
        to: { interval: '20 ms' },
      }),
    ).toMatchObject({ revision: 5 });
    expect(
      (await send(5, { kind: 'addPou', at: 0, pou: { id: 'm', name: 'M', language: 'XX', kind: 'program' } })).detail,
    ).toContain('edits.0.pou.language');
    expect(
      (await send(5, { kind: 'changeModules', modules: [{ id: 'm', name: 'M', area: 'X', start: 0, bytes: 2 }] }))
        .detail,
    ).toContain('edits.0.modules.0.area');
    expect((await send(5, { kind: 'removePou', id: 'gone' })).detail).toContain('no longer there');
  });
});

it('a proof tells its progress line by line; the report has it as long as the project is the same', async () => {
  const { id, revision } = await create();
  expect((await call('GET', `/api/projects/${id}/report`)).body).toContain('rev 1 "no proof"');
  const r = await fetch(`${base}/api/projects/${id}/proof`, { method: 'POST' });
  expect(r.headers.get('content-type')).toContain('application/x-ndjson');
  expect(
    (await r.text())
      .trim()
      .split('\n')
      .map((l) => (JSON.parse(l) as ProofMessage).kind),
  ).toEqual(['progress', 'done']);
  const report = await call('GET', `/api/projects/${id}/report`);
  expect(report.body).toContain('"strength":"proved"');
  expect(report.headers.get('content-security-policy')).toBe("default-src 'none'; style-src 'unsafe-inline'");
  await call('POST', `/api/projects/${id}/edits`, {
    base: revision,
    edits: [{ kind: 'rename', name: 'Other' }],
    batch: 'b1',
  });
  expect((await call('GET', `/api/projects/${id}/report`)).body).toContain('no proof');
  expect((await call('POST', `/api/projects/${id}/proof`, { only: 'r1' })).status).toBe(400);
});
it('a project with errors has no report, in words for a person', async () => {
  const { id } = (await call('POST', '/api/projects', { name: 'Wrong' })).body as unknown as { id: string };
  const r = await call('GET', `/api/projects/${id}/report`);
  expect([r.status, r.type]).toEqual([422, 'text/html; charset=utf-8']);
  expect(r.body).toContain('There is no report yet. The logic has errors');
});
it('a proof that nobody waits for any more is ended', async () => {
  const { id } = await create(),
    before = ended,
    stop = new AbortController();
  const r = await fetch(`${base}/api/projects/${id}/proof`, { method: 'POST', signal: stop.signal });
  expect(r.status).toBe(200);
  stop.abort();
  await expect.poll(() => ended).toBeGreaterThan(before);
});
