/** How late scans start: counted in steps, so that any share of them can be told without keeping each. */
const STEP_MS = 0.02,
  STEPS = 5000;

export class Lateness {
  private readonly counts = new Uint32Array(STEPS + 1);
  private total = 0;
  worstMs = 0;

  /** How many scans were counted. */
  get scans(): number {
    return this.total;
  }

  add(ms: number): void {
    this.counts[Math.min(STEPS, Math.max(0, Math.floor(ms / STEP_MS)))]!++;
    this.total++;
    if (ms > this.worstMs) this.worstMs = ms;
  }

  /** Milliseconds that so many of a hundred scans were at most late, to the step above; 0 without any. */
  percentile(p: number): number {
    let left = Math.ceil((p / 100) * this.total);
    if (!left) return 0;
    for (let i = 0; i < STEPS; i++)
      if ((left -= this.counts[i]!) <= 0) return Math.min((i + 1) * STEP_MS, this.worstMs);
    return this.worstMs;
  }
}
