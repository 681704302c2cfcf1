/** Kinds of devices by what is typed. */
import type { DeviceKind } from '@ferrule/core/machine';

/** `PartFeed` as one reads it. */
export const wordsOf = (type: string): string => type.replace(/([a-z])([A-Z])/g, '$1 $2');

/**
 * Kinds that fit what is typed: all of them in their groups, or, the likeliest first, those whose name begins so, has
 * it, or whose help speaks of it.
 */
export function kindsFor(
  groups: readonly { readonly name: string; readonly kinds: readonly DeviceKind[] }[],
  typed: string,
): readonly { readonly kind: DeviceKind; readonly group: string; readonly rank: number }[] {
  const wanted = typed.toLowerCase().split(/\s+/).filter(Boolean),
    all = wanted.join(' ');
  const rank = (k: DeviceKind): number => {
    const name = wordsOf(k.type).toLowerCase();
    if (name === all) return -1;
    if (name.startsWith(all) || k.type.toLowerCase().startsWith(all)) return 0;
    if (wanted.every((w) => name.includes(w))) return 1;
    const terminals = k.terminals.map((t) => `${t.name} ${t.help}`).join(' ');
    if (wanted.every((w) => `${name} ${k.help}`.toLowerCase().includes(w))) return 2;
    return wanted.every((w) => `${name} ${k.help} ${terminals}`.toLowerCase().includes(w)) ? 3 : 9;
  };
  const found = groups.flatMap((g) => g.kinds.map((kind) => ({ kind, group: g.name, rank: rank(kind) })));
  return wanted.length ? found.filter((x) => x.rank < 9).sort((a, b) => a.rank - b.rank) : found;
}
