/** Cycles as a table for a spreadsheet (RFC 4180). */
import { csvLine } from '../exchange/csv.js';
import { type Cycle, stepTimings } from './steps.js';

/**
 * One row a cycle: its number, when it began and how long it took, how long it had stood before, and the time in each
 * step, all in seconds. A step entered more than once in a cycle counts all its times.
 * @param nameOf what a value is called
 */
export function cyclesToCsv(cycles: readonly Cycle[], stepMs: number, nameOf: (value: number) => string): string {
  const values = stepTimings(cycles).map((t) => t.value);
  const s = (scans: number) => String(Number(((scans * stepMs) / 1000).toFixed(6)));
  const rows = cycles.map((c) => [
    String(c.number),
    s(c.from),
    s(c.to - c.from),
    c.idle === undefined ? '' : s(c.idle),
    ...values.map((v) => {
      const mine = c.pieces.filter((p) => p.value === v);
      return mine.length ? s(mine.reduce((n, p) => n + p.to - p.from, 0)) : '';
    }),
  ]);
  return `${[['cycle', 'begins_s', 'takes_s', 'idle_before_s', ...values.map((v) => `${nameOf(v)}_s`)], ...rows].map(csvLine).join('\r\n')}\r\n`;
}
