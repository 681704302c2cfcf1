/** Where windows keep what the server does not have yet, over the browser's locks. */
import { afterEach, beforeEach, expect, it, vi } from 'vitest';

/** The locks of a browser as all its windows see them: each name with who holds it. */
class Locks {
  readonly held = new Set<string>();
  request = (name: string, { signal }: { signal: AbortSignal }, taken: () => Promise<unknown>): Promise<unknown> => {
    if (!this.held.has(name)) {
      this.held.add(name);
      return taken();
    }
    return new Promise((_, reject) => signal.addEventListener('abort', () => reject(new Error('not free'))));
  };
}
class Storage {
  [key: string]: unknown;
  getItem(key: string): string | null {
    return (this[key] as string | undefined) ?? null;
  }
  setItem(key: string, value: string): void {
    this[key] = value;
  }
}

let locks: Locks, local: Storage;
/** A window: the module anew, with storage of its own beside that of the browser. */
const open = async (session = new Storage()) => {
  vi.resetModules();
  vi.stubGlobal('sessionStorage', session);
  const m = await import('./unsent.js');
  await m.findOwnPlace();
  return m;
};
beforeEach(() => {
  locks = new Locks();
  local = new Storage();
  vi.stubGlobal('navigator', { locks });
  vi.stubGlobal('localStorage', local);
});
afterEach(() => vi.unstubAllGlobals());

it('each window has a place of its own, also one that was opened as a copy of another; loaded anew it has the same', async () => {
  const session = new Storage();
  const first = (await open(session)).placeOfUnsent('p'),
    copy = (await open(Object.assign(new Storage(), session))).placeOfUnsent('p');
  expect(copy).not.toBe(first);
  // Loaded anew: its name is free again by then.
  locks.held.delete(`ferrule.window.${first.split('.').pop()}`);
  expect((await open(session)).placeOfUnsent('p')).toBe(first);
});

it('what a window that is gone left is found, as often as it is asked for; what one that is there has is not', async () => {
  const there = await open();
  local.setItem(there.placeOfUnsent('p'), 'mine');
  local.setItem('ferrule.unsent.p.gone', 'left');
  local.setItem('ferrule.unsent.other.gone', 'of another project');
  const next = await open();
  expect(await next.placesLeft('p')).toEqual(['ferrule.unsent.p.gone']);
  // The project could not be opened then; it is opened again.
  expect(await next.placesLeft('p')).toEqual(['ferrule.unsent.p.gone']);
  // A third finds nothing that the second has taken.
  expect(await (await open()).placesLeft('p')).toEqual([]);
});
