import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Lateness } from './lateness.js';

describe('lateness', () => {
  it('law: a share is what sorting gives, to the step of 0.02 ms above; the worst is the worst', () => {
    fc.assert(
      fc.property(
        fc.array(fc.double({ min: 0, max: 90, noNaN: true }), { minLength: 1, maxLength: 300 }),
        fc.constantFrom(50, 90, 99, 99.9, 100),
        (all, p) => {
          const late = new Lateness();
          for (const x of all) late.add(x);
          const sorted = [...all].sort((a, b) => a - b),
            exact = sorted[Math.min(all.length - 1, Math.ceil((p / 100) * all.length) - 1)]!;
          expect(late.percentile(p) - exact).toBeGreaterThanOrEqual(-1e-9);
          expect(late.percentile(p) - exact).toBeLessThanOrEqual(0.02 + 1e-9);
          expect(late.worstMs).toBe(sorted.at(-1));
        },
      ),
    );
  });
  it('without any there is none; beyond what is counted it is the worst', () => {
    const late = new Lateness();
    expect([late.percentile(99), late.scans]).toEqual([0, 0]);
    late.add(5000);
    expect(late.scans).toBe(1);
    expect(late.percentile(50)).toBe(5000);
  });
});
