/**
 * What the server does not have yet, kept in the browser's storage: each window under a name of its own, so that two of them
 * do not write over each other. A lock says that a window is there; what one left that is gone (closed, crashed) is taken by
 * the next that opens the project. Where a page has no locks (plain HTTP from another machine) all windows share one place.
 */
const WINDOW = 'ferrule.window';
const placeOf = (id: string, window: string): string => `ferrule.unsent.${id}${window ? `.${window}` : ''}`;

let own = '';
/** The place of this window; `findOwnPlace` has named it before. */
export const placeOfUnsent = (id: string): string => placeOf(id, own);

let named: Promise<void> | undefined;
/** Finds the name that this window had before it was loaded anew, or a new one where another window bears it. */
export function findOwnPlace(): Promise<void> {
  return (named ??= (async () => {
    if (!locks()) return;
    const before = sessionStorage.getItem(WINDOW);
    own = before !== null && (await isHeld(before)) ? before : newName();
    // Nobody else bears a new name: it is waited for, however busy the browser is, for without it another window would
    // take what this one has not sent.
    if (own !== before) await isHeld(own, false);
    sessionStorage.setItem(WINDOW, own);
  })());
}
const locks = (): LockManager | undefined => globalThis.navigator?.locks as LockManager | undefined;
const newName = (): string => crypto.getRandomValues(new Uint32Array(1))[0]!.toString(36);
/** A window that closes or is loaded anew holds its name for a moment more, longer where the browser is busy; ms. */
const LEAVING_MS = 2000;
/** Names that this window holds: its own, and those of windows that are gone. */
const holds = new Set<string>();
/** Holds the name until this window is gone; false where another window does, and does not leave. */
const isHeld = (name: string, ends = true): Promise<boolean> =>
  new Promise((resolve) => {
    // An attempt to open the project that failed may have taken it before.
    if (holds.has(name)) return resolve(true);
    const held = locks()!.request(`${WINDOW}.${name}`, ends ? { signal: AbortSignal.timeout(LEAVING_MS) } : {}, () => {
      holds.add(name);
      resolve(true);
      return new Promise(() => undefined);
    });
    held.catch(() => resolve(false));
  });

/** Places where windows that are gone left something of this project, held for this one; to be removed once it is kept here. */
export async function placesLeft(id: string): Promise<readonly string[]> {
  if (!locks()) return [];
  const shared = placeOf(id, '');
  const places = Object.keys(localStorage)
    .filter((k) => (k === shared || k.startsWith(`${shared}.`)) && k !== placeOfUnsent(id))
    .sort();
  const gone = await Promise.all(places.map((place) => isHeld(place.slice(shared.length + 1))));
  return places.filter((_, i) => gone[i]);
}
