/** Steps that run beside each other: the longest chain through them, and who waits for whom. */
import type { StepSpan } from './steps.js';

export interface Track {
  readonly path: string;
  readonly spans: readonly StepSpan[];
}
/** A part of a step that the end of the whole had to wait for. Scans. */
export interface ChainLink {
  readonly path: string;
  readonly value: number;
  readonly from: number;
  readonly to: number;
}
export interface Waiting {
  readonly path: string;
  readonly value: number;
  /** The one it waited for. */ readonly forPath: string;
  /** From its step's beginning to the other's change, in scans. */ readonly scans: number;
  /** The scan in which it went on. */ readonly at: number;
}
/**
 * The change of another track that ended a step: its path and the scan of that change; undefined where it was none of
 * them.
 */
export type CauseOf = (path: string, scan: number) => { readonly path: string; readonly scan: number } | undefined;

/**
 * The longest chain from `from` to `to`, the earliest link first: goes back from the end of `path`'s last step there.
 * Where a step ended because another track went on, the chain crosses over to that one at that scan; what lies before
 * it in the step was waiting.
 */
export function longestChain(
  tracks: readonly Track[],
  path: string,
  from: number,
  to: number,
  causeOf: CauseOf,
): readonly ChainLink[] {
  const chain: ChainLink[] = [];
  let at = path,
    until = to;
  // Each turn goes back in time or over to another track; a ring of causes within one scan ends it.
  for (let turns = tracks.reduce((n, t) => n + t.spans.length, 0) + tracks.length; until > from && turns > 0; turns--) {
    const now = at,
      end = until,
      piece = tracks.find((t) => t.path === now)?.spans.findLast((s) => s.from < end && s.to >= end);
    if (!piece) break;
    const cause = piece.isEnded && piece.to === end ? causeOf(now, end) : undefined,
      isOther =
        cause !== undefined &&
        cause.path !== now &&
        cause.scan > piece.from &&
        cause.scan <= end &&
        tracks.some((t) => t.path === cause.path);
    const begin = Math.max(from, isOther ? cause.scan : piece.from);
    if (begin < end) chain.push({ path: now, value: piece.value, from: begin, to: end });
    else if (!isOther) break;
    at = isOther ? cause.path : now;
    until = begin;
  }
  return chain.reverse();
}

/** Steps that ended because another track went on, and how long each had waited for it. */
export function waitings(tracks: readonly Track[], from: number, to: number, causeOf: CauseOf): readonly Waiting[] {
  return tracks.flatMap((t) =>
    t.spans.flatMap((s): Waiting[] => {
      if (!s.isEnded || s.to <= from || s.to > to) return [];
      const cause = causeOf(t.path, s.to);
      return cause && cause.path !== t.path && cause.scan > s.from && cause.scan <= s.to
        ? [{ path: t.path, value: s.value, forPath: cause.path, scans: cause.scan - s.from, at: s.to }]
        : [];
    }),
  );
}
