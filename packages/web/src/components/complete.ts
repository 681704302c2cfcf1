/** Completion of tag names. */
import type { Tag } from '@ferrule/core/document';

export interface CompletionContext {
  /** What is wanted where it is typed: a coil is an output first, a contact an input or what is on inside. */
  readonly place?: 'contact' | 'coil';
  readonly recent?: readonly string[];
  /** Lower-case names of tags the machine drives or obeys. */
  readonly wired?: ReadonlySet<string>;
}

/**
 * Tags that fit, most likely first: by the beginning of the name, then any part, then description and address; among
 * these by type, direction, use and wiring.
 */
export function completeTags(tags: readonly Tag[], typed: string, context: CompletionContext = {}): readonly Tag[] {
  const t = typed.toLowerCase();
  if (!t) return [];
  const rank = (x: Tag): number => {
    const name = x.name.toLowerCase();
    if (name === t) return 0;
    if (name.startsWith(t)) return 1;
    if (name.includes(t)) return 2;
    return `${x.description ?? ''} ${x.address ?? ''}`.toLowerCase().includes(t) ? 3 : 9;
  };
  const likely = (x: Tag): number => {
    let score = 0;
    if (context.place)
      score += x.type === 'BOOL' ? 4 : /^(TON|TOF|TP|CT)/.test(x.type) && context.place === 'contact' ? 2 : 0;
    if (context.place === 'coil') score += x.address?.startsWith('%Q') ? 3 : x.address?.startsWith('%I') ? -3 : 0;
    if (context.place === 'contact' && x.address?.startsWith('%I')) score += 1;
    const used = context.recent?.indexOf(x.name) ?? -1;
    if (used >= 0) score += used < 8 ? 3 : 1;
    if (context.wired?.has(x.name.toLowerCase())) score += 1;
    return score;
  };
  return tags
    .map((x) => ({ x, r: rank(x), s: likely(x) }))
    .filter((y) => y.r < 9)
    .sort((a, b) => a.r - b.r || b.s - a.s || a.x.name.localeCompare(b.x.name))
    .slice(0, 8)
    .map((y) => y.x);
}
