/**
 * The same conditions with fewer elements: doubled elements go, legs that say less than another go, what legs share is
 * written once.
 */
import { printPart } from './print.js';
import { mapLogic } from './run.js';
import { type Part, type Rung, isElement, parallel, series } from './rung.js';

/**
 * Simplifies every stretch of conditions. Meaning is kept: only contacts without edges and comparisons are merged;
 * edges and blocks have a memory of their own each.
 */
export function simplifyRung(rung: Rung): Rung {
  return mapLogic(rung, (p) => simplifyPart(p));
}

/** Whether evaluating it once or twice is the same. */
function isPure(p: Part): boolean {
  if (!isElement(p)) return (p.kind === 'series' ? p.parts : p.legs).every(isPure);
  return (p.kind === 'contact' && (p.mode === 'open' || p.mode === 'closed')) || p.kind === 'compare';
}
const text = (p: Part): string => printPart(p).replace(/\s+/g, '').toLowerCase();
const factors = (p: Part): readonly Part[] => (p.kind === 'series' ? p.parts : [p]);

export function simplifyPart(part: Part): Part {
  let now = part;
  for (;;) {
    const next = once(now);
    if (text(next) === text(now)) return next;
    now = next;
  }
}

function once(p: Part): Part {
  if (isElement(p)) return p;
  if (p.kind === 'series') {
    const parts = series(p.parts.map(once));
    return series(unique(factors(parts)));
  }
  const legs = parallel(p.legs.map(once));
  if (legs.kind !== 'parallel') return legs;
  const kept = unique(legs.legs).filter(
    (l, i, all) =>
      !all.some(
        (other, j) => j !== i && isPure(l) && isPure(other) && saysMore(l, other) && !(saysMore(other, l) && i < j),
      ),
  );
  return kept.length === 1 ? kept[0]! : shared(kept);
}

/** Each pure part once, the first of them. */
function unique(parts: readonly Part[]): Part[] {
  const seen = new Set<string>();
  return parts.filter((p) => {
    if (!isPure(p)) return true;
    const t = text(p);
    const is = !seen.has(t);
    seen.add(t);
    return is;
  });
}

/** `a & b` is on only when `a` is: beside a leg `a`, it adds nothing. */
function saysMore(leg: Part, other: Part): boolean {
  const mine = new Set(factors(leg).map(text));
  return factors(other).every((f) => mine.has(text(f)));
}

/**
 * `a & b | a & c` is `a & (b | c)`: for all legs together, from the front and from the back, where everything is pure.
 */
function shared(legs: readonly Part[]): Part {
  if (!legs.every(isPure)) return parallel(legs);
  const lists = legs.map(factors);
  const common = lists[0]!.filter((f) => lists.every((l) => l.some((x) => text(x) === text(f))));
  if (!common.length) return parallel(legs);
  const names = new Set(common.map(text));
  const rest = lists.map((l) => l.filter((f) => !names.has(text(f))));
  // A leg that says only what all share makes the others say nothing more; `saysMore` took them already.
  if (rest.some((r) => !r.length)) return series(common);
  const isFront = text(lists[0]![0]!) === text(common[0]!);
  const inner = parallel(rest.map((r) => series(r)));
  return series(isFront ? [...common, inner] : [inner, ...common]);
}
