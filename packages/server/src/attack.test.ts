/** The API in hostile hands: whatever comes is answered with what is wrong with it, and the server goes on. */
import { type Server, createServer } from 'node:http';
import { fileURLToPath } from 'node:url';
import { gzipSync } from 'node:zlib';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import fc from 'fast-check';
import pino from 'pino';
import { type Edit, emptyProject } from '@ferrule/core/document';
import { createApp } from './app.js';
import { ControllerLink } from './controller-link.js';
import { type Db, openDatabase } from './db/open.js';
import { ProjectStore } from './db/projects.js';
import { PasswordBrake, hasPassword } from './guards.js';

const migrations = fileURLToPath(new URL('../drizzle', import.meta.url));
let server: Server,
  base: string,
  store: ProjectStore,
  db: Db,
  logged: string[] = [];

async function start(password?: string): Promise<void> {
  db = openDatabase(':memory:', migrations);
  store = new ProjectStore(db, () => 1000);
  logged = [];
  const app = createApp({
    store,
    log: pino({ level: 'error' }, { write: (line: string) => void logged.push(line) }),
    controller: new ControllerLink('http://127.0.0.1:9', 300),
    prover: {
      prove: () => Promise.resolve({}),
      proveRules: (_, __, tell) => {
        tell({ kind: 'done', answer: {} });
        return () => undefined;
      },
      report: () => Promise.resolve({ html: '' }),
    },
    hosts: ['127.0.0.1'],
    ...(password ? { brake: new PasswordBrake(password) } : {}),
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

async function send(
  method: string,
  path: string,
  body?: string | Uint8Array,
  headers: Record<string, string> = { 'content-type': 'application/json' },
) {
  const r = await fetch(base + path, { method, headers, ...(body === undefined ? {} : { body: body as BodyInit }) });
  const text = await r.text();
  return { status: r.status, text, body: (text.startsWith('{') ? JSON.parse(text) : {}) as Record<string, string> };
}
const JSON_TYPE = { 'content-type': 'application/json' };

describe('requests that are none', () => {
  it.each<[string, string, string, string | Uint8Array | undefined, Record<string, string>, number]>([
    ['a percent sign that encodes nothing', 'GET', '/api/projects/%E0%A4%A', undefined, {}, 400],
    ['a percent sign in a revision', 'GET', '/api/projects/x/revisions/%', undefined, {}, 400],
    ['bytes that are no gzip', 'POST', '/api/projects', 'nothing', { ...JSON_TYPE, 'content-encoding': 'gzip' }, 400],
    [
      'an encoding that nobody knows',
      'POST',
      '/api/projects',
      '{}',
      { ...JSON_TYPE, 'content-encoding': 'knots' },
      415,
    ],
    [
      'a charset that nobody knows',
      'POST',
      '/api/projects',
      '{}',
      { 'content-type': 'application/json; charset=utf-99' },
      415,
    ],
    ['half a text', 'POST', '/api/projects', '{"name": "', JSON_TYPE, 400],
    ['lists in lists without an end', 'POST', '/api/projects', '['.repeat(200_000), JSON_TYPE, 400],
    [
      'lists in lists, whole',
      'POST',
      '/api/projects',
      `{"name":${'['.repeat(50_000)}${']'.repeat(50_000)}}`,
      JSON_TYPE,
      400,
    ],
    [
      'too much, packed small',
      'POST',
      '/api/projects',
      gzipSync(Buffer.alloc(30_000_000, 32)),
      { ...JSON_TYPE, 'content-encoding': 'gzip' },
      413,
    ],
    ['a name of every object', 'POST', '/api/projects', '{"__proto__": {"name": "x"}}', JSON_TYPE, 400],
    ['an example of that name', 'POST', '/api/projects', '{"example": "__proto__"}', JSON_TYPE, 400],
    ['a way up out of the folder', 'POST', '/api/projects', '{"example": "../package"}', JSON_TYPE, 400],
  ])('%s', async (_, method, path, body, headers, status) => {
    const r = await send(method, path, body, headers);
    expect([r.status, r.body['code']]).toEqual([status, expect.any(String)]);
    expect(r.body['detail']!.length).toBeGreaterThan(10);
    expect(r.text).not.toMatch(/node_modules|at .*\(|\.ts:/);
    expect(logged).toEqual([]);
  });

  it('law: no body that is JSON breaks any way in', async () => {
    const { id } = store.create(emptyProject('P'));
    const ways = [
      ['POST', '/api/projects'],
      ['POST', `/api/projects/${id}/edits`],
      ['PUT', `/api/projects/${id}/revisions/1/name`],
      ['POST', `/api/projects/${id}/prove`],
      ['POST', `/api/projects/${id}/proof`],
      ['POST', '/api/controller/download'],
      ['POST', '/api/controller/mode'],
      ['POST', '/api/controller/events'],
      ['PUT', '/api/controller/open/opcua'],
      ['POST', '/api/controller/cabinet/power'],
    ] as const;
    const key = fc.constantFrom(
        'kind',
        'edits',
        'base',
        'name',
        'file',
        'example',
        'only',
        'to',
        '__proto__',
        'constructor',
        'id',
        'tag',
        'mode',
        'isOn',
        'user',
      ),
      value = fc.letrec((tie) => ({
        any: fc.oneof(
          { depthSize: 'small' },
          fc.constantFrom(null, true, 0, -1, 1e308, '', 'x', 'constructor', '__proto__', 'addTag', 'group', id),
          fc.array(tie('any'), { maxLength: 3 }),
          fc.dictionary(key, tie('any'), { maxKeys: 4, noNullPrototype: true }),
        ),
      })).any;
    await fc.assert(
      fc.asyncProperty(fc.constantFrom(...ways), value, async ([method, path], body) => {
        const r = await send(method, path, JSON.stringify(body));
        expect(r.status, `${method} ${path} ${JSON.stringify(body)}: ${r.text}`).not.toBe(500);
      }),
      { numRuns: 400 },
    );
    expect(logged).toEqual([]);
    expect(store.get(id).document.name).toBe('P');
  });
});

describe('very many changes at once', () => {
  const adds = (n: number, from = 0): Edit[] =>
    Array.from({ length: n }, (_, i) => ({
      kind: 'addTag',
      tag: { id: `t${from + i}`, name: `T${from + i}`, type: 'BOOL' },
      at: from + i,
    }));
  const edit = (id: string, base: number, edits: readonly unknown[]) =>
    send('POST', `/api/projects/${id}/edits`, JSON.stringify({ base, edits }));
  it('in a group are taken, and taken back, in a time that grows with their number', async () => {
    const { id } = store.create(emptyProject('P')),
      group: Edit = { kind: 'group', label: 'Many', edits: adds(20_000) };
    expect((await edit(id, 1, [group])).status).toBe(200);
    expect(store.get(id).document.tags).toHaveLength(20_000);
    const undo: Edit = {
      kind: 'group',
      label: 'Many',
      edits: adds(20_000)
        .map((e): Edit => ({ kind: 'removeTag', id: (e as { tag: { id: string } }).tag.id }))
        .reverse(),
    };
    expect((await edit(id, 2, [undo])).status).toBe(200);
    expect(store.get(id).document.tags).toEqual([]);
  }, 60_000);
  it('that are too many are refused, however deep they lie; nothing is changed', async () => {
    const { id } = store.create(emptyProject('P')),
      half: Edit = { kind: 'group', label: 'x', edits: adds(30_000) };
    const r = await edit(id, 1, [
      half,
      { ...half, edits: [{ kind: 'group', label: 'y', edits: adds(20_001, 30_000) }] },
    ]);
    expect(r.status).toBe(400);
    expect(r.body['detail']).toContain('more than the 50,000 that go at once');
    expect(store.get(id).revision).toBe(1);
  });
});

describe('a disk that does not take it', () => {
  const rename = (id: string, base: number, name: string) =>
    send('POST', `/api/projects/${id}/edits`, JSON.stringify({ base, edits: [{ kind: 'rename', name }] }));
  it('full: said, nothing is acknowledged or half done, and it goes on when there is room', async () => {
    const { id } = store.create(emptyProject('P'));
    const [{ page_count: pages }] = db.$client.pragma('page_count') as [{ page_count: number }];
    db.$client.pragma(`max_page_count = ${pages}`);
    let full = await rename(id, 1, 'A');
    for (let base = 2; full.status === 200 && base < 500; base++) full = await rename(id, base, 'n'.repeat(200));
    expect([full.status, full.body['code']]).toEqual([507, 'NOT_STORED']);
    expect(full.body['detail']).toContain('The disk of the server is full: nothing was stored.');
    const { revision } = store.get(id);
    db.$client.pragma('max_page_count = 100000');
    expect(await rename(id, revision, 'There is room')).toMatchObject({ status: 200 });
    expect(store.get(id)).toMatchObject({ revision: revision + 1, document: { name: 'There is room' } });
  });
  it('that may not be written: said, and read on', async () => {
    const { id } = store.create(emptyProject('P'));
    db.$client.pragma('query_only = ON');
    const r = await rename(id, 1, 'A');
    expect([r.status, r.body['detail']]).toEqual([507, expect.stringContaining('may not write to its data folder')]);
    expect((await send('GET', `/api/projects/${id}`)).status).toBe(200);
    expect(logged).toEqual([]);
  });
});

describe('what breaks in Ferrule itself', () => {
  it('is answered with the name of the request, and the log holds the cause under that name', async () => {
    store.list = () => {
      throw new Error('the ink ran out');
    };
    const r = await send('GET', '/api/projects');
    expect([r.status, r.body['code']]).toEqual([500, 'INTERNAL']);
    expect(r.body['request']).toMatch(/^[0-9a-f]{8}$/);
    expect(r.body['detail']).toBe(
      `The server could not finish this; its log says more, under request ${r.body['request']}.`,
    );
    expect(r.text).not.toContain('ink');
    const line = JSON.parse(logged[0]!) as { request: string; path: string; err: { message: string; stack: string } };
    expect(line).toMatchObject({ request: r.body['request'], method: 'GET', path: '/api/projects' });
    expect(line.err.message).toBe('the ink ran out');
    expect(line.err.stack).toContain('attack.test');
  });
});

describe('a password', () => {
  const basic = (password: string) => `Basic ${Buffer.from(`me:${password}`).toString('base64')}`;
  it('is taken under the scheme that the standard names, and no other', () => {
    const right = basic('open').slice(6);
    expect(hasPassword('open', `Basic ${right}`)).toBe(true);
    expect(hasPassword('open', `basic  ${right}`)).toBe(true);
    expect(
      [right, `Bearer ${right}`, `Basic${right}`, `x Basic ${right}`, '', undefined].map((h) => hasPassword('open', h)),
    ).toEqual(Array(6).fill(false));
    expect(hasPassword('open', basic('opened'))).toBe(false);
  });
  it('wrong is answered ever later, by address; side by side is no faster; the right one is taken at once', () => {
    let now = 0;
    const brake = new PasswordBrake('open', () => now);
    expect(brake.try('a', undefined)).toBe(0);
    expect([1, 2, 3, 4, 5, 6, 7, 8].map(() => brake.try('a', basic('x')))).toEqual([
      250, 500, 1000, 2000, 4000, 8000, 10_000, 10_000,
    ]);
    expect(brake.try('b', basic('x'))).toBe(250);
    expect(brake.try('a', basic('open'))).toBe('right');
    expect(brake.try('a', basic('x'))).toBe(250);
    for (let i = 0; i < 5; i++) brake.later('b', 1e6, () => undefined);
    expect([brake.try('b', basic('x')), brake.try('b', basic('open'))]).toEqual(['busy', 'busy']);
    expect(brake.try('a', basic('open'))).toBe('right');
    brake.try('c', basic('x'));
    now = 700_000;
    expect(brake.try('c', basic('x'))).toBe(250);
    // Many addresses are not remembered for ever.
    for (let i = 0; i < 5000; i++) brake.try(`n${i}`, basic('x'));
    expect(brake.try('c', basic('x'))).toBe(250);
  });
  it('over the way in: asked for, slowed, too many at once', async () => {
    server.close();
    server.closeAllConnections();
    await start('open');
    const ask = (authorization?: string) =>
      send('GET', '/api/projects', undefined, authorization ? { authorization } : {});
    expect((await ask()).status).toBe(401);
    const before = performance.now();
    expect((await ask(basic('x'))).status).toBe(401);
    expect(performance.now() - before).toBeGreaterThan(240);
    const all = await Promise.all(
      Array.from({ length: 12 }, () => ask(basic('x'))).map((p) =>
        Promise.race([
          p,
          new Promise<{ status: number; body: Record<string, string> }>((r) =>
            setTimeout(() => r({ status: 0, body: {} }), 600),
          ),
        ]),
      ),
    );
    expect(all.filter((r) => r.status === 429).length).toBeGreaterThan(4);
    expect(all.find((r) => r.status === 429)!.body['detail']).toBe(
      'Too many wrong passwords came from there; wait a moment.',
    );
  });
});
