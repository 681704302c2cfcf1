/**
 * What goes by another name in new logic and is the same thing to its project (architecture.md, engine point 9).
 *
 * Values go over by path; but a tag, a program or a device that got another name is still what it was: a project knows
 * it by its id (`Symbol.id`), and its value goes over too. A name counts before an id: only what would otherwise be lost
 * is looked for.
 */
import type { Image } from '../compile/image.js';
import type { Type } from '../types/type.js';
import type { Force } from './engine.js';

/** A path of the old program, and what the same place is called in the new one. */
export interface Renamed {
  readonly from: string;
  readonly to: string;
}

/** A name that leads to a place. */
interface Named {
  readonly name: string;
  readonly id?: string;
  readonly type: Type;
  readonly isView?: boolean;
}
type Names = ReadonlyMap<string, Named>;

/**
 * Tags, programs and devices of `from` that have another name in `to`.
 *
 * Two projects may use the same ids for different things, where somebody wrote them by hand. So nothing counts as
 * renamed where more of what has the same id is called differently than alike.
 */
export function renamedIn(from: Image, to: Image): readonly Renamed[] {
  const found = renamedAmong(from.symbols, to.symbols);
  const places: (readonly [Names, Names])[] = [[from.symbols, to.symbols]];
  // Only the machine model's program has members with an id of their own.
  for (const [name, now] of to.symbols) {
    const old = from.symbols.get(name);
    if (old?.type.kind !== 'block' || now.type.kind !== 'block' || old.type.layout === now.type.layout) continue;
    if (!now.type.layout.members.some((m) => m.id !== undefined)) continue;
    const members = [byName(old.type.layout.members), byName(now.type.layout.members)] as const;
    places.push(members);
    for (const r of renamedAmong(...members)) found.push({ from: `${old.name}.${r.from}`, to: `${now.name}.${r.to}` });
  }
  if (!found.length) return found;
  const alike = places.reduce((n, [old, now]) => n + alikeAmong(old, now), 0);
  return alike < found.length ? [] : found;
}

function renamedAmong(old: Names, now: Names): Renamed[] {
  const isGone = (n: Named): boolean => n.id !== undefined && !n.isView && !now.has(n.name.toLowerCase());
  const isNew = [...now.values()].filter((n) => n.id !== undefined && !n.isView && !old.has(n.name.toLowerCase()));
  if (!isNew.length) return [];
  const gone = new Map<string, Named | undefined>();
  // An id that two have tells neither.
  for (const n of old.values()) if (isGone(n)) gone.set(n.id!, gone.has(n.id!) ? undefined : n);
  const times = new Map<string, number>();
  for (const n of isNew) times.set(n.id!, (times.get(n.id!) ?? 0) + 1);
  return isNew.flatMap((n) => {
    const was = gone.get(n.id!);
    return was && times.get(n.id!) === 1 ? [{ from: was.name, to: n.name }] : [];
  });
}

function alikeAmong(old: Names, now: Names): number {
  let alike = 0;
  for (const [name, n] of now) if (n.id !== undefined && old.get(name)?.id === n.id) alike++;
  return alike;
}

/** What a path of the old program is in the new one. */
export function pathAfter(renamed: readonly Renamed[], path: string): string {
  const lower = path.toLowerCase();
  for (const r of renamed) {
    if (!lower.startsWith(r.from.toLowerCase())) continue;
    const rest = path.slice(r.from.length);
    if (rest === '' || rest.startsWith('.') || rest.startsWith('[')) return r.to + rest;
  }
  return path;
}

/** Forces of the old program as the new one names what they hold. */
export const forcesAfter = (renamed: readonly Renamed[], forces: readonly Force[]): readonly Force[] =>
  renamed.length ? forces.map((f) => ({ ...f, path: pathAfter(renamed, f.path) })) : forces;

/** In words, for those who changed it: `ResetPB → ResetButton`. */
export const renamedText = (renamed: readonly Renamed[]): string =>
  renamed.map((r) => `${r.from} → ${r.to}`).join(', ');

const byName = (list: readonly Named[]): Names => new Map(list.map((n) => [n.name.toLowerCase(), n]));
