/** Tools of which edits are made: an answer, and what is done to lists of things with ids. */
import type { Project } from '../document.js';
import { type ThingName, type Things, inOrder } from '../order.js';
import type { Changes, EditWith, Fields } from './fields.js';

/** The project after an edit, and the edit (one of `E`) that takes it back; or why it does not fit. */
export type AppliedOf<E> = { readonly project: Project; readonly inverse: E } | { readonly refused: string };
type Kinds = Readonly<Record<string, Fields>>;
/** Edits of some kinds, by their fields. */
export type EditsWith<F extends Kinds> = { [K in keyof F]: EditWith<K, F[K]> }[keyof F];
/** How each of some edits is done; what takes one back is one of them too. */
export type Applies<F extends Kinds> = {
  readonly [K in keyof F]: (p: Project, e: EditWith<K, F[K]>) => AppliedOf<EditsWith<F>>;
};

export const refuse = (refused: string): { readonly refused: string } => ({ refused });
export const done = <E>(project: Project, inverse: E): AppliedOf<E> => ({ project, inverse });
export const insert = <T>(list: readonly T[], item: T, at: number): T[] => [
  ...list.slice(0, at),
  item,
  ...list.slice(at),
];

/** A list of a project: what its things are, how it is called in a sentence, and the project with another list. */
export interface ListOf<N extends ThingName> {
  readonly thing: N;
  readonly what: string;
  readonly items: readonly (Things[N] & Identified)[];
  readonly whole: (items: (Things[N] & Identified)[]) => Project;
}
interface Identified {
  readonly id: string;
}

/**
 * Lists that a group of changes has made and nobody else holds: they are changed in place, so that a group of thousands
 * does not copy a list thousands of times. What a list was before the group is never touched.
 */
type Owned = WeakMap<object, { readonly ids: Set<string>; near: number }>;
let owned: Owned | undefined;

/** Does the changes of a group; groups within are of the same. */
export function inGroup<T>(work: () => T): T {
  if (owned) return work();
  owned = new WeakMap();
  try {
    return work();
  } finally {
    owned = undefined;
  }
}

interface Held<N extends ThingName> {
  readonly items: (Things[N] & Identified)[];
  has(id: string): boolean;
  /** Where the one of that id is; -1 where it is not. */
  at(id: string): number;
  put(at: number, item: Things[N] & Identified): void;
  take(at: number): void;
  exchange(at: number, item: Things[N] & Identified): void;
}
/** A list to be changed: its own copy, or within a group the group's. */
function held<N extends ThingName>({ items: given }: ListOf<N>): Held<N> {
  const mine = owned?.get(given),
    items = (mine ? given : [...given]) as (Things[N] & Identified)[];
  let facts = mine;
  if (owned && !facts) owned.set(items, (facts = { ids: new Set(items.map((x) => x.id)), near: 0 }));
  const place = (id: string): number => {
    if (!facts) return items.findIndex((x) => x.id === id);
    if (!facts.ids.has(id)) return -1;
    // Changes of a group mostly go along the list: it is looked for from where the last one was.
    for (let d = 0; d <= items.length; d++) {
      if (items[facts.near - d]?.id === id) return (facts.near -= d);
      if (items[facts.near + d]?.id === id) return (facts.near += d);
    }
    return -1;
  };
  return {
    items,
    has: (id) => (facts ? facts.ids.has(id) : items.some((x) => x.id === id)),
    at: place,
    put: (at, item) => {
      items.splice(at, 0, item);
      facts?.ids.add(item.id);
      if (facts) facts.near = Math.min(at, items.length - 1);
    },
    take: (at) => {
      facts?.ids.delete(items[at]!.id);
      items.splice(at, 1);
    },
    exchange: (at, item) => (items[at] = item),
  };
}

export function addTo<N extends ThingName, E>(
  list: ListOf<N>,
  item: Things[N] & Identified,
  at: number,
  inverse: E,
): AppliedOf<E> {
  const own = held(list);
  if (own.has(item.id)) return refuse(`There is a ${list.what} with the id '${item.id}' already.`);
  own.put(at, inOrder(list.thing, item) as typeof item);
  return done(list.whole(own.items), inverse);
}

export function takeFrom<N extends ThingName, E>(
  list: ListOf<N>,
  id: string,
  inverse: (item: Things[N], at: number) => E,
): AppliedOf<E> {
  const own = held(list),
    at = own.at(id);
  if (at < 0) return refuse(`The ${list.what} is no longer there.`);
  const item = own.items[at]!;
  own.take(at);
  return done(list.whole(own.items), inverse(item, at));
}

/** Changes some fields of one thing in a list; null takes a field away. */
export function changeIn<N extends ThingName, E>(
  list: ListOf<N>,
  id: string,
  to: Changes<Things[N]>,
  inverse: (to: Changes<Things[N]>) => E,
): AppliedOf<E> {
  const own = held(list),
    at = own.at(id),
    before = own.items[at];
  if (!before) return refuse(`The ${list.what} is no longer there.`);
  const old = Object.fromEntries(
    Object.keys(to).map((k) => [k, (before as unknown as Record<string, unknown>)[k] ?? null]),
  ) as unknown as Changes<Things[N]>;
  own.exchange(at, inOrder(list.thing, { ...before, ...to, id } as Things[N]) as Things[N] & Identified);
  return done(list.whole(own.items), inverse(old));
}
