/** Where a place lies, as narrow as is known before anything runs, and whether two places may be the same memory. */
import type { Variable } from '../checked/tree.js';
import { type Type, sizeOf, stride } from '../types/type.js';
import type { Place } from './tree.js';

/** Memory that a place surely lies in: bytes of a tag, or of the instance that runs. */
export interface Range {
  readonly of: Variable | 'self';
  readonly from: number;
  readonly to: number;
  /** A tag that holds an instance, which may be the one that runs. */
  readonly mayBeSelf: boolean;
}

const holdsBlock = (t: Type): boolean =>
  t.kind === 'block' ||
  (t.kind === 'array' && holdsBlock(t.element)) ||
  (t.kind === 'struct' && t.members.some((m) => holdsBlock(m.type)));

/** Undefined where an address leads to the place, or it is of the call alone. */
export function rangeOf(p: Place): Range | undefined {
  if (p.root.kind !== 'tag' && p.root.kind !== 'self') return undefined;
  const of = p.root.kind === 'tag' ? p.root.variable : 'self';
  return { of, ...bytesOf(p), mayBeSelf: of !== 'self' && holdsBlock(p.rootType) };
}
/** Bytes of its root that a place surely lies in. */
export function bytesOf(p: Place): { readonly from: number; readonly to: number } {
  let from = 0,
    size = sizeOf(p.rootType);
  for (const step of p.steps) {
    if (step.kind === 'member') {
      from += step.offset;
      size = sizeOf(step.type);
    } else if (step.index.kind === 'constant') {
      from += Number(step.index.value) * stride(step.array.element);
      size = sizeOf(step.array.element);
    } else break;
  }
  return { from, to: from + Math.max(size, 1) };
}
/** Whether they share a byte, as long as no two tags have addresses that do. */
export const overlap = (a: Range, b: Range): boolean => {
  if (a.of === b.of) return a.from < b.to && b.from < a.to;
  return (a.of === 'self' && b.mayBeSelf) || (b.of === 'self' && a.mayBeSelf);
};
