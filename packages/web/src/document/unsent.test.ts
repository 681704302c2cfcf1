/** Whose unsent edits are whose: a window holds its name by a lock, also where the browser takes its time to give it. */
import { afterEach, beforeEach, expect, it, vi } from 'vitest';

/** Names that are held, by whatever window; a lock is given after so long. */
const held = new Set<string>();
let delayMs = 0;
const locks = {
  request: (name: string, { signal }: { signal?: AbortSignal }, take: () => Promise<unknown>) =>
    new Promise((resolve, reject) => {
      const stop = () => reject(signal!.reason as Error);
      signal?.addEventListener('abort', stop);
      setTimeout(() => {
        if (signal?.aborted || held.has(name)) return;
        signal?.removeEventListener('abort', stop);
        held.add(name);
        void take().then(resolve);
      }, delayMs);
    }),
};
const storage = () => {
  const values = new Map<string, string>();
  return Object.assign(Object.create(null) as object, {
    getItem: (k: string) => values.get(k) ?? null,
    setItem: (k: string, v: string) => void values.set(k, v),
  });
};

beforeEach(() => {
  held.clear();
  vi.resetModules();
  vi.stubGlobal('navigator', { locks });
  vi.stubGlobal('sessionStorage', storage());
});
afterEach(() => vi.unstubAllGlobals());

it('its own name is held before it is used, however long the lock takes', async () => {
  delayMs = 2500;
  const { findOwnPlace, placeOfUnsent } = await import('./unsent.js');
  await findOwnPlace();
  const name = placeOfUnsent('p').split('.').at(-1)!;
  expect([...held]).toEqual([`ferrule.window.${name}`]);
});

it('loaded anew, it has the name that it had; where another window bears that, a new one', async () => {
  delayMs = 0;
  const first = await import('./unsent.js');
  await first.findOwnPlace();
  const place = first.placeOfUnsent('p');
  // The old page is gone, and its lock with it.
  held.clear();
  vi.resetModules();
  const again = await import('./unsent.js');
  await again.findOwnPlace();
  expect(again.placeOfUnsent('p')).toBe(place);
  // A copy of the window, with what it remembers, beside it.
  vi.resetModules();
  const copy = await import('./unsent.js');
  await copy.findOwnPlace();
  expect(copy.placeOfUnsent('p')).not.toBe(place);
});
