/**
 * How long steps last: the stretches over which a tag of steps kept each value, and the cycles they make. All times are
 * counts of scans; a value that stands "from scan n" is the value after n scans.
 */

/** A step, as long as it lasted. */
export interface StepSpan {
  readonly value: number;
  /** It stands after this scan. */ readonly from: number;
  /** Another value stands after this scan, or the stretch looked at ends there. */ readonly to: number;
  /** Whether its beginning was seen; else it began before the stretch looked at. */ readonly isBegun: boolean;
  /** Whether its end was seen. */ readonly isEnded: boolean;
}

/**
 * Spans of a course of exact changes (`Traces.courses` with a scan a column): four numbers a change, of which the
 * first is the scan and the last the value. What is not known yet (NaN) is in none of them.
 * @param start where the line of history begins: a value that stands there began there
 * @param to where the stretch ends, in scans
 */
export function spansOf(points: Float64Array, start: number, to: number): readonly StepSpan[] {
  const out: StepSpan[] = [];
  let value = NaN,
    from = 0,
    isBegun = false,
    wasKnown = true;
  // Whole days are told by this, so it makes one object a span and nothing else.
  for (let i = 0; i + 3 < points.length; i += 4) {
    const scan = points[i]!,
      next = points[i + 3]!;
    if (Object.is(value, next)) continue;
    if (!Number.isNaN(value) && scan > from) out.push({ value, from, to: scan, isBegun, isEnded: !Number.isNaN(next) });
    isBegun = wasKnown && (i > 0 || scan <= start);
    wasKnown = !Number.isNaN(next);
    value = next;
    from = scan;
  }
  if (!Number.isNaN(value) && to > from) out.push({ value, from, to, isBegun, isEnded: false });
  return out;
}

/** One way round, from the home step left to the home step entered again. */
export interface Cycle {
  /** Counted from 1 over the stretch looked at. */ readonly number: number;
  readonly from: number;
  readonly to: number;
  readonly pieces: readonly StepSpan[];
  /** Scans it had stood in the home step before; undefined where that began before the stretch. */
  readonly idle: number | undefined;
}

export interface Cycles {
  readonly closed: readonly Cycle[];
  /** The one that still runs at the end of the stretch. */ readonly open?: Omit<Cycle, 'number'>;
}

/** Cycles of spans that follow each other: home left, home entered again. One whose beginning was not seen is none. */
export function cyclesOf(spans: readonly StepSpan[], home: number): Cycles {
  const closed: Cycle[] = [];
  let pieces: StepSpan[] | undefined, idle: number | undefined;
  for (const s of spans) {
    const last = pieces?.at(-1);
    // A hole in what is known: nothing can be said of a cycle across it.
    if (last && last.to !== s.from) pieces = undefined;
    if (s.value !== home) {
      pieces?.push(s);
      continue;
    }
    if (pieces?.length) closed.push({ number: closed.length + 1, from: pieces[0]!.from, to: s.from, pieces, idle });
    pieces = s.isEnded ? [] : undefined;
    idle = s.isBegun ? s.to - s.from : undefined;
  }
  return pieces?.length ? { closed, open: { from: pieces[0]!.from, to: pieces.at(-1)!.to, pieces, idle } } : { closed };
}

/**
 * The step that cycles are best counted from: the first one, where it is come back to; else the one most often entered,
 * of several the one that lasts longest.
 * @param first value of the step where the sequence begins, where that is known
 */
export function homeOf(spans: readonly StepSpan[], first?: number): number | undefined {
  const entered = new Map<number, { times: number; scans: number }>();
  for (const s of spans) {
    let e = entered.get(s.value);
    if (!e) entered.set(s.value, (e = { times: 0, scans: 0 }));
    e.times++;
    e.scans += s.to - s.from;
  }
  const begin = first ?? spans[0]?.value;
  if (begin === undefined) return undefined;
  if ((entered.get(begin)?.times ?? 0) > 1 || first !== undefined) return begin;
  return [...entered].sort(([, a], [, b]) => b.times - a.times || b.scans - a.scans)[0]?.[0];
}

/**
 * How numbers are spread: the smallest, the quarters, the largest (between two numbers linearly; NIST/SEMATECH 7.1.6,
 * R7).
 */
export interface Spread {
  readonly count: number;
  readonly smallest: number;
  readonly lower: number;
  readonly median: number;
  readonly upper: number;
  readonly largest: number;
  readonly sum: number;
}

/** Undefined of no numbers. */
export function spreadOf(numbers: readonly number[]): Spread | undefined {
  if (!numbers.length) return undefined;
  const sorted = Float64Array.from(numbers).sort();
  const at = (share: number) => {
    const x = share * (sorted.length - 1),
      i = Math.floor(x);
    return sorted[i]! + (x - i) * ((sorted[i + 1] ?? sorted[i]!) - sorted[i]!);
  };
  return {
    count: sorted.length,
    smallest: sorted[0]!,
    lower: at(0.25),
    median: at(0.5),
    upper: at(0.75),
    largest: sorted[sorted.length - 1]!,
    sum: sorted.reduce((a, b) => a + b, 0),
  };
}

/** What a step takes, over several cycles. */
export interface StepTiming {
  readonly value: number;
  /** Time in it for each time it was entered, in scans. */ readonly spread: Spread;
  /** Its part of the cycles' time, 0 to 1. */ readonly share: number;
}

/** Each step of some cycles, in the order in which they are first entered. */
export function stepTimings(cycles: readonly Cycle[]): readonly StepTiming[] {
  const by = new Map<number, number[]>();
  let whole = 0;
  for (const c of cycles) {
    whole += c.to - c.from;
    for (const p of c.pieces) {
      const list = by.get(p.value);
      if (list) list.push(p.to - p.from);
      else by.set(p.value, [p.to - p.from]);
    }
  }
  return [...by].map(([value, scans]) => {
    const spread = spreadOf(scans)!;
    return { value, spread, share: whole ? spread.sum / whole : 0 };
  });
}
