/** Completion of tag names. */
import type { Tag } from '@ferrule/core';

/** Tags that fit, most likely first: by the beginning of the name, then any part, then description and address. */
export function completeTags(tags: readonly Tag[], typed: string): readonly Tag[] {
  const t = typed.toLowerCase();
  if (!t) return [];
  const rank = (x: Tag): number => {
    const name = x.name.toLowerCase();
    if (name === t) return 0;
    if (name.startsWith(t)) return 1;
    if (name.includes(t)) return 2;
    return `${x.description ?? ''} ${x.address ?? ''}`.toLowerCase().includes(t) ? 3 : 9;
  };
  return tags.map((x) => ({ x, r: rank(x) })).filter((y) => y.r < 9).sort((a, b) => a.r - b.r || a.x.name.localeCompare(b.x.name)).slice(0, 8).map((y) => y.x);
}
