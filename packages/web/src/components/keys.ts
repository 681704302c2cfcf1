/**
 * Keys and what they do, by tables; `tinykeys` reads and compares them. A table names a key as it does, with two
 * additions: `Mod` is Ctrl or the command key, and a sign (`/`, `?`, `1`) is meant however the keyboard makes it.
 */
import { matchKeyBindingPress, parseKeybinding } from 'tinykeys';

/** What of an event tells its key; React's own events and the browser's have it. */
type Pressed = Pick<KeyboardEvent, 'key' | 'code' | 'getModifierState'>;

/** A sign stands behind Shift or AltGr on many keyboards; systems tell AltGr as itself or as Ctrl and Alt. */
const BEHIND = ['', 'Shift+', 'Control+Alt+', 'Control+Alt+Shift+'];

/** A key of a table in each of the ways that `tinykeys` knows it by. */
export function spellings(key: string): string[] {
  const [, modifiers = '', name = ''] = /^((?:[A-Za-z]+\+)*)(.+)$/.exec(key) ?? [];
  const isSign = name.length === 1 && !/[A-Za-z]/.test(name);
  const shifts = !isSign ? [''] : modifiers ? ['', 'Shift+'] : BEHIND;
  return (modifiers.includes('Mod+') ? ['Control+', 'Meta+'] : ['']).flatMap((mod) =>
    shifts.map((shift) => mod + modifiers.replace('Mod+', '') + shift + name),
  );
}

/** Finds what a press means in a table: the first that fits, undefined where nothing does. */
export function keyTable<T>(entries: Iterable<readonly [key: string, meaning: T]>): (e: Pressed) => T | undefined {
  const presses = [...entries].flatMap(([key, meaning]) =>
    spellings(key).map((s) => [parseKeybinding(s)[0]!, meaning] as const),
  );
  return (e) => presses.find(([press]) => matchKeyBindingPress(e as KeyboardEvent, press))?.[1];
}

/** Does what a key of the page asks for; `false` where it is not meant here, and goes on its way. */
export type KeyAction = (e: KeyboardEvent) => boolean | void;

/** Listens to keys of the whole page, `isFirst`: before whatever has the focus, which does not get them then. */
export function onPageKeys(
  entries: Iterable<readonly [key: string, action: KeyAction]>,
  { isFirst = false }: { readonly isFirst?: boolean } = {},
): () => void {
  const actionOf = keyTable(entries);
  const onKey = (e: KeyboardEvent) => {
    const act = actionOf(e);
    if (!act || act(e) === false) return;
    e.preventDefault();
    if (isFirst) e.stopPropagation();
  };
  window.addEventListener('keydown', onKey, isFirst);
  return () => window.removeEventListener('keydown', onKey, isFirst);
}
