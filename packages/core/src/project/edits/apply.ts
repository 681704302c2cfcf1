/** Tools of which edits are made: an answer, and what is done to lists of things with ids. */
import type { Project } from '../document.js';
import { type ThingName, type Things, inOrder } from '../order.js';
import type { Changes, EditWith, Fields } from './fields.js';
import type { Edit } from './index.js';

/** The project after an edit, and the edit that takes it back; or why it does not fit. */
export type Applied = { readonly project: Project; readonly inverse: Edit } | { readonly refused: string };
/** How each of some edits is done. */
export type Applies<F extends Readonly<Record<string, Fields>>> = {
  readonly [K in keyof F]: (p: Project, e: EditWith<K, F[K]>) => Applied;
};

export const refuse = (refused: string): Applied => ({ refused });
export const done = (project: Project, inverse: Edit): Applied => ({ project, inverse });
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

export function addTo<N extends ThingName>(
  list: ListOf<N>,
  item: Things[N] & Identified,
  at: number,
  inverse: Edit,
): Applied {
  return list.items.some((x) => x.id === item.id)
    ? refuse(`There is a ${list.what} with the id '${item.id}' already.`)
    : done(list.whole(insert(list.items, inOrder(list.thing, item) as typeof item, at)), inverse);
}

export function takeFrom<N extends ThingName>(
  list: ListOf<N>,
  id: string,
  inverse: (item: Things[N], at: number) => Edit,
): Applied {
  const at = list.items.findIndex((x) => x.id === id);
  return at < 0
    ? refuse(`The ${list.what} is no longer there.`)
    : done(list.whole(list.items.filter((x) => x.id !== id)), inverse(list.items[at]!, at));
}

/** Changes some fields of one thing in a list; null takes a field away. */
export function changeIn<N extends ThingName>(
  list: ListOf<N>,
  id: string,
  to: Changes<Things[N]>,
  inverse: (to: Changes<Things[N]>) => Edit,
): Applied {
  const before = list.items.find((x) => x.id === id);
  if (!before) return refuse(`The ${list.what} is no longer there.`);
  const old = Object.fromEntries(
    Object.keys(to).map((k) => [k, (before as unknown as Record<string, unknown>)[k] ?? null]),
  ) as unknown as Changes<Things[N]>;
  const after = inOrder(list.thing, { ...before, ...to, id } as Things[N]) as Things[N] & Identified;
  return done(list.whole(list.items.map((x) => (x === before ? after : x))), inverse(old));
}
