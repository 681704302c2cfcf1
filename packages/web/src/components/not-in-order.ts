import { diffArrays } from 'diff';

/** Positions in either list of what the other does not have there, in the order of both. */
export function notInOrder(
  before: readonly string[],
  after: readonly string[],
): { readonly before: ReadonlySet<number>; readonly after: ReadonlySet<number> } {
  const found = { before: new Set<number>(), after: new Set<number>() };
  let b = 0,
    a = 0;
  for (const { value, added, removed } of diffArrays([...before], [...after]))
    for (const _ of value) {
      if (removed) found.before.add(b);
      if (added) found.after.add(a);
      if (!added) b++;
      if (!removed) a++;
    }
  return found;
}
