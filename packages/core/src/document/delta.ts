/**
 * What is another in a later form of a value that was changed by making anew only what changed (as edits do): handed
 * over between threads in place of the whole, so that a change costs what changed and what did not is the same object
 * on the other side too.
 */

/** `value`: another value altogether; `fields`: an object with some fields another or gone; `items`: a list. */
export type Delta =
  | { readonly kind: 'value'; readonly value: unknown }
  | { readonly kind: 'fields'; readonly fields: Readonly<Record<string, Delta>>; readonly gone: readonly string[] }
  | {
      readonly kind: 'items';
      /** So many stay at the head and at the end. */
      readonly head: number;
      readonly tail: number;
      /** What is between: items that take the place of others where as many were, new ones otherwise. */
      readonly between: readonly (Delta | undefined)[];
    };

const isRecord = (v: unknown): v is Record<string, unknown> => typeof v === 'object' && v !== null && !Array.isArray(v);

/** From one value to a later one; undefined where they are the same. Both consist of plain data. */
export function deltaOf(before: unknown, after: unknown): Delta | undefined {
  if (Object.is(before, after)) return undefined;
  if (Array.isArray(before) && Array.isArray(after)) {
    const least = Math.min(before.length, after.length);
    let head = 0,
      tail = 0;
    while (head < least && Object.is(before[head], after[head])) head++;
    while (tail < least - head && Object.is(before[before.length - 1 - tail], after[after.length - 1 - tail])) tail++;
    const isInPlace = before.length === after.length;
    const between = after
      .slice(head, after.length - tail)
      .map((item, i) => (isInPlace ? deltaOf(before[head + i], item) : ({ kind: 'value', value: item } as const)));
    return { kind: 'items', head, tail, between };
  }
  if (isRecord(before) && isRecord(after)) {
    const fields: Record<string, Delta> = {};
    for (const [key, value] of Object.entries(after)) {
      const d = Object.hasOwn(before, key) ? deltaOf(before[key], value) : ({ kind: 'value', value } as const);
      if (d) define(fields, key, d);
    }
    const was = Object.keys(before),
      gone = was.filter((key) => !Object.hasOwn(after, key)),
      stays = was.filter((key) => Object.hasOwn(after, key)),
      now = Object.keys(after);
    // Fields of a map stand in an order, too.
    if (stays.every((key, i) => key === now[i])) return { kind: 'fields', fields, gone };
  }
  return { kind: 'value', value: after };
}

/**
 * The later value made of the parts of the one before wherever they hold the same; the one before where all do. For what
 * is worked out anew each time, so that a delta of it is of what changed. Both consist of plain data.
 */
export function sharing<T>(before: unknown, after: T): T {
  if (Object.is(before, after)) return after;
  const isSame = (b: unknown, a: unknown): boolean => Object.is(sharing(b, a), b);
  if (Array.isArray(before) && Array.isArray(after)) {
    const least = Math.min(before.length, after.length);
    let head = 0,
      tail = 0;
    while (head < least && isSame(before[head], after[head])) head++;
    while (tail < least - head && isSame(before[before.length - 1 - tail], after[after.length - 1 - tail])) tail++;
    if (head === before.length && head === after.length) return before as T;
    const isInPlace = before.length === after.length;
    return [
      ...(before as unknown[]).slice(0, head),
      ...after
        .slice(head, after.length - tail)
        .map((item: unknown, i) => (isInPlace ? sharing(before[head + i], item) : item)),
      ...(before as unknown[]).slice(before.length - tail),
    ] as T;
  }
  if (isRecord(before) && isRecord(after)) {
    const made: Record<string, unknown> = {},
      keys = Object.keys(after);
    for (const key of keys)
      define(made, key, Object.hasOwn(before, key) ? sharing(before[key], after[key]) : after[key]);
    const was = Object.keys(before);
    const isAll =
      was.length === keys.length && was.every((key, i) => key === keys[i] && Object.is(before[key], made[key]));
    return (isAll ? before : made) as T;
  }
  return after;
}

/** The later value; what did not change is the object that it was. Throws where the delta is of another value. */
export function patched(before: unknown, delta: Delta | undefined): unknown {
  if (!delta) return before;
  if (delta.kind === 'value') return delta.value;
  if (delta.kind === 'items') {
    if (!Array.isArray(before) || before.length < delta.head + delta.tail)
      throw new TypeError('a delta of another list');
    const { head, tail, between } = delta;
    return [
      ...(before as unknown[]).slice(0, head),
      ...between.map((d, i) => patched(before[head + i], d)),
      ...(before as unknown[]).slice(before.length - tail),
    ];
  }
  if (!isRecord(before)) throw new TypeError('a delta of another object');
  const after: Record<string, unknown> = { ...before };
  for (const key of delta.gone) delete after[key];
  for (const [key, d] of Object.entries(delta.fields)) define(after, key, patched(before[key], d));
  return after;
}

/** Sets a field of any name: `__proto__` too is only a name here. */
function define<T>(of: Record<string, T>, key: string, value: T): void {
  Object.defineProperty(of, key, { value, enumerable: true, configurable: true, writable: true });
}
