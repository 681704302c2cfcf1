/** Rungs under their headings, and what belongs to each. */
import type { RungText } from '@ferrule/core/document';
import type { ProblemNote } from '../../bench/protocol.js';

/** Which rungs are shown: those under a folded heading are not, but for the heading itself. */
export function sectionsOf(
  rungs: readonly RungText[],
  folded: readonly string[],
): {
  readonly rows: readonly number[];
  /** Heading's rung → how many rungs it hides. */ readonly folded: ReadonlyMap<number, number>;
  readonly headOf: (rung: number) => string | undefined;
} {
  const rows: number[] = [];
  const hidden = new Map<number, number>();
  let head: number | undefined;
  rungs.forEach((r, i) => {
    if (r.heading) {
      head = i;
      rows.push(i);
      if (folded.includes(r.id)) hidden.set(i, 1);
      return;
    }
    if (head !== undefined && hidden.has(head)) hidden.set(head, hidden.get(head)! + 1);
    else rows.push(i);
  });
  return {
    rows,
    folded: hidden,
    headOf: (rung) => {
      for (let i = rung; i >= 0; i--) if (rungs[i]?.heading) return rungs[i]!.id;
      return undefined;
    },
  };
}

export function groupByRung(problems: readonly ProblemNote[]): Map<string, ProblemNote[]> {
  const map = new Map<string, ProblemNote[]>();
  for (const p of problems)
    if (p.origin.kind === 'rung') {
      const list = map.get(p.origin.rungId);
      if (list) list.push(p);
      else map.set(p.origin.rungId, [p]);
    }
  return map;
}
