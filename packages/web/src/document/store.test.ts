/** The document store: edits at once, sent soon, kept until the server has them, undone by their inverses. */
import { type Edit, type Project, applyEdit, emptyProject } from '@ferrule/core/document';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';

/** A server of one project, as the real one answers. */
class Server {
  revision = 1;
  document: Project = { ...emptyProject('Cell'), tags: [{ id: 't1', name: 'A', type: 'BOOL' }] };
  lastBatch: string | undefined;
  down = false;
  /** The answer of the next save is lost on its way. */
  loseAnswer = false;
  /** Edits that this server will not have, with its words. */
  refuses: (e: Edit) => string | undefined = () => undefined;
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
    let document = this.document;
    for (const e of edits) {
      const words = this.refuses(e);
      if (words) return answer(400, { code: 'INVALID_BODY', detail: words });
      const r = applyEdit(document, e);
      if ('refused' in r) return answer(409, { code: 'EDIT_REFUSED', detail: r.refused });
      document = r.project;
    }
    this.document = document;
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
  const { useDocument } = await import('./store.js');
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
  it('what the server refuses is told in its words and set aside; all else is saved', async () => {
    const d = await openPage();
    server.refuses = (e) => (e.kind === 'addCheck' ? 'edits.0.check.rows.1.id: is too long' : undefined);
    d.getState().edit(rename('B'));
    d.getState().edit({ kind: 'addCheck', at: 0, check: { id: 'c', name: 'Fill', rows: [] } });
    d.getState().edit({ kind: 'changeCheck', id: 'c', to: { note: 'of the tank' } });
    d.getState().edit({ kind: 'addTag', tag: { id: 'x', name: 'X', type: 'BOOL' } });
    await vi.advanceTimersByTimeAsync(2000);
    expect(server.document.tags.map((t) => t.name)).toEqual(['B', 'X']);
    expect(d.getState()).toMatchObject({ saving: 'saved', trouble: undefined });
    expect(d.getState().refusals.map((r) => [r.edit.kind, r.words])).toEqual([
      ['addCheck', 'edits.0.check.rows.1.id: is too long'],
      // What was built on it cannot be saved either.
      ['changeCheck', 'The check is no longer there.'],
    ]);
    // Later work is saved, and the page can be closed meanwhile: what was refused is still there.
    d.getState().edit(rename('C'));
    await vi.advanceTimersByTimeAsync(2000);
    expect(server.document.tags[0]!.name).toBe('C');
    const again = await openPage();
    expect(again.getState().project!.checks[0]).toMatchObject({ name: 'Fill', note: 'of the tank' });
    expect(again.getState().refusals).toHaveLength(2);
    await expect(again.getState().flush()).rejects.toThrow('A change was refused and is not saved');
    // Mended and sent again as it is now.
    server.refuses = () => undefined;
    await again.getState().sendRefused();
    expect(server.document.checks[0]).toMatchObject({ name: 'Fill', note: 'of the tank' });
    expect(again.getState()).toMatchObject({ refusals: [], saving: 'saved' });
    expect(storage.items.size).toBe(0);
  });

  it('what was refused is taken back alone; sent again in vain it stays set aside', async () => {
    const d = await openPage();
    server.refuses = (e) => (e.kind === 'addRule' || e.kind === 'replace' ? 'no such rules here' : undefined);
    d.getState().edit({ kind: 'addRule', at: 0, rule: { id: 'r', name: 'R', sentence: 'never A' } });
    await vi.advanceTimersByTimeAsync(2000);
    const sent = d.getState().sendRefused();
    d.getState().edit(rename('B'));
    await sent;
    await vi.advanceTimersByTimeAsync(2000);
    expect(d.getState().refusals).toHaveLength(1);
    expect(server.document.tags[0]!.name).toBe('B');
    await d.getState().dropRefused();
    await vi.advanceTimersByTimeAsync(2000);
    expect(d.getState()).toMatchObject({ refusals: [], saving: 'saved' });
    expect(d.getState().project).toEqual(server.document);
    expect(server.document.rules).toEqual([]);
  });

  it('what the server would refuse does not get into the project', async () => {
    const d = await openPage(),
      long = 'x'.repeat(61);
    expect(d.getState().edit({ kind: 'addTag', tag: { id: long, name: 'X', type: 'BOOL' } })).toBe(false);
    expect(d.getState().refused).toMatch(/^That was not taken: tag\.id must be shorter/);
    expect(d.getState().edit(rename('y'.repeat(121)))).toBe(false);
    expect(d.getState().project).toEqual(server.document);
    await vi.advanceTimersByTimeAsync(2000);
    expect(server.saves).toEqual([]);
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
  it('changes made on a revision long gone are neither forced in nor lost: whose goes on top is asked', async () => {
    const keeps = () =>
      storage.setItem('ferrule.unsent.p', JSON.stringify({ base: 1, batch: 'b', sent: 0, edits: [rename('Old')] }));
    keeps();
    server.revision = 9;
    const d = await openPage();
    expect([tagName(d), d.getState().saving, storage.items.size]).toEqual(['A', 'conflict', 1]);
    await d.getState().takeTheirs();
    expect([tagName(d), d.getState().saving, storage.items.size]).toEqual(['A', 'saved', 0]);
    keeps();
    const again = await openPage();
    await again.getState().keepMine();
    await vi.advanceTimersByTimeAsync(1000);
    expect([server.document.tags[0]!.name, again.getState().saving]).toEqual(['Old', 'saved']);
  });
});

describe('two windows', () => {
  it('a batch that never arrived is not taken for saved because another window saved one', async () => {
    const d = await openPage();
    server.down = true;
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    d.getState().close();
    server.down = false;
    server.document = { ...server.document, name: 'Changed elsewhere' };
    server.revision = 2;
    server.lastBatch = 'theirs';
    const again = await openPage();
    expect(again.getState().saving).toBe('conflict');
    await again.getState().keepMine();
    await vi.advanceTimersByTimeAsync(1000);
    expect([server.document.name, server.document.tags[0]!.name]).toEqual(['Changed elsewhere', 'B']);
  });
  it('what is changed while it is asked whose goes on top waits for that word too, after a reload as well', async () => {
    const d = await openPage();
    server.document = { ...server.document, name: 'Changed elsewhere' };
    server.revision = 2;
    d.getState().edit(rename('B'));
    await vi.advanceTimersByTimeAsync(300);
    const again = await openPage();
    expect(again.getState().saving).toBe('conflict');
    again.getState().edit({ kind: 'rename', name: 'Mine' });
    const third = await openPage();
    await vi.advanceTimersByTimeAsync(1000);
    expect([third.getState().saving, third.getState().project!.name, server.revision]).toEqual([
      'conflict',
      'Changed elsewhere',
      2,
    ]);
    await third.getState().keepMine();
    await vi.advanceTimersByTimeAsync(1000);
    expect([server.document.name, server.document.tags[0]!.name]).toEqual(['Mine', 'B']);
  });
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

describe('following another window', () => {
  it('takes what was saved; not where something is being typed when the answer comes, nor over what is unsent', async () => {
    const d = await openPage();
    server.document = { ...server.document, name: 'Other' };
    server.revision = 2;
    await d.getState().follow(() => false);
    expect([d.getState().revision, d.getState().project!.name]).toEqual([1, 'Cell']);
    await d.getState().follow(() => true);
    expect([d.getState().revision, d.getState().project!.name]).toEqual([2, 'Other']);
    server.revision = 3;
    const asked = d.getState().follow(() => true);
    d.getState().edit(rename('B'));
    await asked;
    expect([d.getState().revision, tagName(d)]).toEqual([2, 'B']);
  });
});
