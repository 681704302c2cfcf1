/** The document store: edits at once, sent soon, kept until the server has them, undone by their inverses. */
import { type Edit, type Project, applyEdit, emptyProject } from '@ferrule/core';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

/** A server of one project, as the real one answers. */
class Server {
  revision = 1;
  document: Project = { ...emptyProject('Cell'), tags: [{ id: 't1', name: 'A', type: 'BOOL' }] };
  lastBatch: string | undefined;
  down = false;
  /** The answer of the next save is lost on its way. */
  loseAnswer = false;
  saves: { base: number; edits: Edit[]; keepalive: boolean }[] = [];

  fetch = (url: string, init: RequestInit = {}): Promise<Response> => {
    if (this.down) return Promise.reject(new TypeError('offline'));
    const answer = (status: number, body: unknown) => Promise.resolve(new Response(JSON.stringify(body), { status }));
    if (init.method === 'GET') return answer(200, { id: 'p', revision: this.revision, document: this.document });
    expect(url).toBe('/api/projects/p/edits');
    const { base, batch, edits } = JSON.parse(String(init.body)) as { base: number; batch: string; edits: Edit[] };
    if (batch === this.lastBatch && base + 1 === this.revision) return answer(200, { revision: this.revision });
    if (base !== this.revision)
      return answer(409, { code: 'REVISION_CONFLICT', detail: 'changed elsewhere', revision: this.revision });
    for (const e of edits) {
      const r = applyEdit(this.document, e);
      if ('refused' in r) return answer(409, { code: 'EDIT_REFUSED', detail: r.refused });
      this.document = r.project;
    }
    this.revision++;
    this.lastBatch = batch;
    this.saves.push({ base, edits, keepalive: init.keepalive ?? false });
    if (this.loseAnswer) {
      this.loseAnswer = false;
      return Promise.reject(new TypeError('lost'));
    }
    return answer(200, { revision: this.revision });
  };
}

class Storage {
  readonly items = new Map<string, string>();
  getItem = (k: string) => this.items.get(k) ?? null;
  setItem = (k: string, v: string) => {
    this.items.set(k, v);
  };
  removeItem = (k: string) => {
    this.items.delete(k);
  };
}

let server: Server;
let storage: Storage;

/** A page: the module anew, with the storage of the browser. */
async function openPage() {
  vi.resetModules();
  const { useDocument } = await import('../src/document/store.js');
  await useDocument.getState().open('p');
  return useDocument;
}
const rename = (name: string): Edit => ({ kind: 'changeTag', id: 't1', to: { name } });
const tagName = (d: { getState(): { project: Project | undefined } }) => d.getState().project!.tags[0]!.name;

beforeEach(() => {
  vi.useFakeTimers();
  server = new Server();
  storage = new Storage();
  vi.stubGlobal('fetch', server.fetch);
  vi.stubGlobal('localStorage', storage);
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

describe('saving', () => {
  it('a change shows at once and is sent within a quarter of a second, several as one batch', async () => {
    const d = await openPage();
    d.getState().edit(rename('B'));
    d.getState().edit(rename('C'));
    expect([tagName(d), server.saves.length, d.getState().saving]).toEqual(['C', 0, 'saving']);
    await vi.advanceTimersByTimeAsync(260);
    expect(server.saves.map((s) => s.edits.length)).toEqual([2]);
    expect([d.getState().revision, d.getState().saving, storage.items.size]).toEqual([2, 'saved', 0]);
  });
  it('what is typed while a batch is under way follows on the next revision', async () => {
    const d = await openPage();
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(250);
    d.getState().edit(rename('C'));
    await vi.advanceTimersByTimeAsync(600);
    expect(server.saves.map((s) => s.base)).toEqual([1, 2]);
    expect(server.document.tags[0]!.name).toBe('C');
  });
  it('without a server the changes are kept and sent when it is back', async () => {
    const d = await openPage();
    server.down = true;
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    expect(d.getState().saving).toBe('offline');
    d.getState().edit(rename('C'));
    server.down = false;
    await vi.advanceTimersByTimeAsync(4000);
    expect([d.getState().saving, server.document.tags[0]!.name]).toEqual(['saved', 'C']);
  });
  it('a refused edit changes nothing and says why', async () => {
    const d = await openPage();
    expect(d.getState().edit({ kind: 'removeTag', id: 'nope' })).toBe(false);
    expect(d.getState().refused).toBe('The tag is no longer there.');
    await vi.advanceTimersByTimeAsync(500);
    expect(server.saves).toEqual([]);
  });
  it('flush resolves when the server has everything, and fails when it cannot', async () => {
    const d = await openPage();
    d.getState().edit(rename('B'));
    await d.getState().flush();
    expect(server.document.tags[0]!.name).toBe('B');
    server.down = true;
    d.getState().edit(rename('C'));
    await expect(d.getState().flush()).rejects.toThrow('does not answer');
  });
});

describe('after a crash or a reload', () => {
  it('what was not sent yet is there again and is sent', async () => {
    const first = await openPage();
    server.down = true;
    first.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    server.down = false;
    const second = await openPage();
    expect(tagName(second)).toBe('B');
    await vi.advanceTimersByTimeAsync(2000);
    expect(server.document.tags[0]!.name).toBe('B');
    expect(storage.items.size).toBe(0);
  });
  it('a batch whose answer was lost is not applied twice', async () => {
    const first = await openPage();
    server.loseAnswer = true;
    first.getState().edit({ kind: 'addTag', tag: { id: 'x', name: 'X', type: 'BOOL' } });
    await vi.advanceTimersByTimeAsync(260);
    expect(first.getState().saving).toBe('offline');
    await vi.advanceTimersByTimeAsync(3000);
    expect(first.getState().saving).toBe('saved');
    expect(server.document.tags.filter((t) => t.id === 'x')).toHaveLength(1);
    expect(server.revision).toBe(2);
  });
  it('nor when the page was reloaded before the answer, and what came after it is kept', async () => {
    const first = await openPage();
    server.loseAnswer = true;
    first.getState().edit({ kind: 'addTag', tag: { id: 'x', name: 'X', type: 'BOOL' } });
    await vi.advanceTimersByTimeAsync(255);
    first.getState().edit(rename('B'));
    const second = await openPage();
    await vi.advanceTimersByTimeAsync(3000);
    expect(server.document.tags.map((t) => t.name)).toEqual(['B', 'X']);
    expect(second.getState().project!.tags.map((t) => t.name)).toEqual(['B', 'X']);
  });
  it('changes made on a revision long gone are given up, not forced in', async () => {
    storage.setItem('ferrule.unsent.p', JSON.stringify({ base: 1, batch: 'b', sent: 0, edits: [rename('Old')] }));
    server.revision = 9;
    const d = await openPage();
    expect([tagName(d), storage.items.size]).toEqual(['A', 0]);
  });
});

describe('two windows', () => {
  it('the second is told, and puts its own on top or takes theirs', async () => {
    const d = await openPage();
    server.document = { ...server.document, name: 'Changed elsewhere' };
    server.revision = 2;
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    expect(d.getState().saving).toBe('conflict');
    d.getState().edit(rename('C'));
    await d.getState().keepMine();
    await vi.advanceTimersByTimeAsync(1000);
    expect([server.document.name, server.document.tags[0]!.name, d.getState().saving]).toEqual([
      'Changed elsewhere',
      'C',
      'saved',
    ]);
    server.document = { ...server.document, name: 'Again' };
    server.revision++;
    d.getState().edit(rename('D'));
    await vi.advanceTimersByTimeAsync(300);
    await d.getState().takeTheirs();
    expect([d.getState().project!.name, tagName(d), d.getState().saving]).toEqual(['Again', 'C', 'saved']);
  });
});

describe('undo', () => {
  it('takes back in one order whatever was changed, and redoes it', async () => {
    const d = await openPage();
    const { edit, undo, redo } = d.getState();
    edit(rename('B'));
    edit({ kind: 'addRung', pou: 'pou1', at: 0, rung: { id: 'r', line: 'A -> B' } });
    edit({ kind: 'rename', name: 'Press' });
    undo();
    undo();
    expect([d.getState().project!.name, tagName(d), d.getState().project!.pous[0]]).toMatchObject([
      'Cell',
      'B',
      { rungs: [] },
    ]);
    undo();
    undo();
    expect(tagName(d)).toBe('A');
    redo();
    redo();
    redo();
    redo();
    expect([d.getState().project!.name, tagName(d)]).toEqual(['Press', 'B']);
    undo();
    edit(rename('C'));
    redo();
    expect([d.getState().project!.name, tagName(d)]).toEqual(['Cell', 'C']);
  });
  it('is saved like any other change', async () => {
    const d = await openPage();
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    d.getState().undo();
    await vi.advanceTimersByTimeAsync(300);
    expect([server.document.tags[0]!.name, server.revision]).toEqual(['A', 3]);
  });
});
