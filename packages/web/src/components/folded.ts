/** What two texts have the same, left out where it is long. */

/** Lines kept beside a change, and the fewest that are left out between two. */
const KEPT = 3,
  WORTH_IT = 4;
/** The beginning and the end of what is the same, as far as it stands beside a change, and how many lines are between. */
export function folded(
  text: string,
  { isFirst, isLast }: { readonly isFirst: boolean; readonly isLast: boolean },
): { readonly head: string; readonly hidden: number; readonly tail: string } {
  const lines = text.split('\n');
  // What stands behind the last line's end is no line.
  if (isLast && lines.at(-1) === '') lines.pop();
  const head = isFirst ? 0 : KEPT,
    tail = isLast ? 0 : KEPT + 1,
    hidden = lines.length - head - tail;
  if (hidden < WORTH_IT) return { head: text, hidden: 0, tail: '' };
  return { head: lines.slice(0, head).join('\n'), hidden, tail: lines.slice(lines.length - tail).join('\n') };
}
