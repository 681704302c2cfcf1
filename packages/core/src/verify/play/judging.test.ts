/**
 * What a check expects and what a rule says, held to their plain meaning over a whole run of signals, written down a
 * second time.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Project, emptyProject } from '../../document.js';
import { planProof, prove } from '../../verify.js';

const STEP = { stepNs: 10_000_000n };
/** Scans that a pattern lasts; afterwards all signals are off. */
const LONG = 60;
type Pattern = readonly boolean[];
/** Mostly still, with stretches on and off: what machines do. */
const pattern: fc.Arbitrary<Pattern> = fc
  .array(fc.tuple(fc.boolean(), fc.integer({ min: 1, max: 12 })), { minLength: 1, maxLength: 14 })
  .map((runs) => {
    const all = runs.flatMap(([v, n]) => Array.from({ length: n }, () => v));
    return Array.from({ length: LONG }, (_, i) => all[i] ?? false);
  });
const word = (p: Pattern): string =>
  `LWORD#16#${p.reduce((n, on, i) => (on ? n | (1n << BigInt(i)) : n), 0n).toString(16)}`;

/** Signals A, B and C that follow their patterns from the first scan on, with these rows and rules. */
function signals(
  patterns: Readonly<Record<'A' | 'B' | 'C', Pattern>>,
  expects: readonly string[],
  rules: readonly string[] = [],
): Project {
  const text = [
    'PROGRAM Main',
    'VAR n : INT; END_VAR',
    ...(['A', 'B', 'C'] as const).map(
      (s) => `${s} := n < ${LONG} AND (SHR(${word(patterns[s])}, n) AND LWORD#1) <> LWORD#0;`,
    ),
    'n := n + 1;',
    'END_PROGRAM',
    '',
  ].join('\n');
  return {
    ...emptyProject('Signals'),
    tags: ['A', 'B', 'C'].map((name) => ({ id: name, name, type: 'BOOL' })),
    pous: [{ id: 'p', name: 'Main', language: 'ST', kind: 'program', text }],
    // Judged to the end of the patterns and a little beyond, so that what is open is decided.
    checks: [
      {
        id: 'c',
        name: 'C',
        rows: [
          { id: 'r', expect: expects.length ? expects : ['A is on OR A is off', 'A OR NOT A'] },
          { id: 's', when: `after ${LONG + 20} scans`, expect: ['A is off'] },
        ],
      },
    ],
    rules: rules.map((sentence, i) => ({ id: `i${i}`, name: `Rule ${i}`, sentence })),
  };
}
const three = fc.record({ A: pattern, B: pattern, C: pattern }),
  scans = fc.integer({ min: 1, max: 25 });
/** Value after scan n, counted from 1. */
const at = (p: Pattern, n: number): boolean => p[n - 1] ?? false;
const some = (from: number, to: number, f: (n: number) => boolean): number | undefined => {
  for (let n = from; n <= to; n++) if (f(n)) return n;
  return undefined;
};

function holds(p: Parameters<typeof signals>[0], sentence: string): boolean {
  const r = prove(planProof(signals(p, [sentence]), 'p'), STEP).checks[0]!;
  if (r.failure?.row === 0 || r.failure?.row === 2) throw new Error(r.failure.seen);
  return r.ok;
}

describe('what a check expects', () => {
  const law = (
    words: (k: number, m: number) => string,
    means: (p: Parameters<typeof signals>[0], k: number, m: number) => boolean,
  ) => {
    fc.assert(
      fc.property(three, scans, scans, (p, k, m) => {
        expect(holds(p, words(k, m)), words(k, m)).toBe(means(p, k, m));
      }),
      { numRuns: 60 },
    );
  };
  it('is: in the next scan', () => {
    law(
      () => 'A is on',
      (p) => at(p.A, 1),
    );
  });
  it('within: in one of so many scans', () => {
    law(
      (k) => `A is on within ${k} scans`,
      (p, k) => some(1, k, (n) => at(p.A, n)) !== undefined,
    );
  });
  it('for: in each of so many scans', () => {
    law(
      (k) => `A is off for ${k} scans`,
      (p, k) => some(1, k, (n) => at(p.A, n)) === undefined,
    );
  });
  it('until: in each scan before the end comes, which does in time', () => {
    law(
      (k) => `A is on until B is on within ${k} scans`,
      (p, k) => {
        const end = some(1, k, (n) => at(p.B, n));
        return end !== undefined && some(1, end - 1, (n) => !at(p.A, n)) === undefined;
      },
    );
  });
  it('after with a tolerance: for the first time in that window', () => {
    law(
      (k, m) => `A is on between ${Math.min(k, m)} scans and ${Math.max(k, m)} scans`,
      (p, k, m) => {
        const first = some(1, LONG, (n) => at(p.A, n));
        return first !== undefined && first >= Math.min(k, m) && first <= Math.max(k, m);
      },
    );
  });
  it('lasts: the first stretch begins in time and is so long', () => {
    law(
      (k, m) => `A lasts ${k + m} scans ± ${k} scans within ${m} scans`,
      (p, k, m) => {
        const first = some(1, m, (n) => at(p.A, n));
        if (first === undefined) return false;
        const end = some(first, LONG + 1, (n) => !at(p.A, n))!;
        return end - first >= m && end - first <= 2 * k + m;
      },
    );
  });
  it('for with a tolerance: begins at once', () => {
    law(
      (k) => `A is on for ${k} scans ± ${k - 1} scans`,
      (p, k) => {
        const end = some(1, LONG + 1, (n) => !at(p.A, n))!;
        return end > 1 && end - 1 <= 2 * k - 1;
      },
    );
  });
  it('in order: each at once or later than the one before', () => {
    law(
      (k) => `in order: A is on, B is on, C is on within ${k} scans`,
      (p, k) => {
        const a = some(1, k, (n) => at(p.A, n)),
          b = a && some(a, k, (n) => at(p.B, n)),
          c = b && some(b, k, (n) => at(p.C, n));
        return c !== undefined;
      },
    );
  });
  it('never: in no scan to the end of the check', () => {
    fc.assert(
      fc.property(three, (p) => {
        const r = prove(planProof(signals(p, ['never A AND B']), 'p'), STEP).checks[0]!,
          first = some(1, LONG, (n) => at(p.A, n) && at(p.B, n));
        expect([r.ok, r.failure?.scan]).toEqual([first === undefined, first]);
      }),
      { numRuns: 60 },
    );
  });
});

describe('what a rule says', () => {
  /** Scans that the check takes: the first row with its one, the wait, and the one that the second row is judged on. */
  const END = 1 + (LONG + 20) + 1;
  const broken = (p: Parameters<typeof signals>[0], sentence: string): number | undefined => {
    const r = prove(planProof(signals(p, [], [sentence]), 'p'), STEP).rules[0]!;
    if (r.problem) throw new Error(r.problem);
    if (r.ok) expect(r.scans).toBe(END);
    return r.failure?.scan;
  };
  const law = (
    words: (k: number) => string,
    means: (p: Parameters<typeof signals>[0], k: number) => number | undefined,
  ) => {
    fc.assert(
      fc.property(three, scans, (p, k) => {
        expect(broken(p, words(k)), words(k)).toBe(means(p, k));
      }),
      { numRuns: 80 },
    );
  };
  it('never together, requires, only while', () => {
    law(
      () => 'never A and B together',
      (p) => some(1, END, (n) => at(p.A, n) && at(p.B, n)),
    );
    law(
      () => 'A requires B',
      (p) => some(1, END, (n) => at(p.A, n) && !at(p.B, n)),
    );
    law(
      () => 'A only while B',
      (p) => some(1, END, (n) => at(p.A, n) && !at(p.B, n)),
    );
    law(
      () => 'never A, B and C together',
      (p) => some(1, END, (n) => [p.A, p.B, p.C].filter((x) => at(x, n)).length > 1),
    );
  });
  it('follows within: each time it comes, also when it comes again while something is still waited for', () => {
    law(
      (k) => `after A, B within ${k} scans`,
      (p, k) => {
        // The earliest scan at which some coming of A has waited so long without B.
        const ends = Array.from({ length: Math.max(0, END - k) }, (_, i) => i + 1).flatMap((n) =>
          at(p.A, n) && !at(p.A, n - 1) && some(n, n + k, (m) => at(p.B, m)) === undefined ? [n + k] : [],
        );
        return ends.length ? Math.min(...ends) : undefined;
      },
    );
  });
  it('stays at least: no stretch is shorter', () => {
    law(
      (k) => `A stays at least ${k} scans`,
      (p, k) =>
        some(2, END, (n) => {
          if (at(p.A, n) || !at(p.A, n - 1)) return false;
          const before = some(
            1,
            n - 1,
            (m) => m === n - 1 || Array.from({ length: n - m }, (_, i) => at(p.A, m + i)).every(Boolean),
          )!;
          return n - before < k;
        }),
    );
  });
  it('over earlier scans', () => {
    law(
      () => 'always NOT A OR PREVIOUS(A) OR PREVIOUS(B)',
      (p) => some(2, END, (n) => at(p.A, n) && !at(p.A, n - 1) && !at(p.B, n - 1)) ?? undefined,
    );
  });
});
