/** What the page says of the controller is no more than was measured there. */
import { expect, it } from 'vitest';
import { rowsOf } from './Facts.js';
import type { Status } from './status.js';

const AT_REST = {
  name: 'Cabinet A',
  scanMs: 10,
  usedMs: 0.04,
  jitterMs: 0,
  mostlyMs: 0,
  missed: 0,
  measuredScans: 0,
  retained: 0,
  views: 1,
  upMs: 0,
};
const status = (more: Partial<Status>) => ({ ...AT_REST, ...more }) as Status;
const said = (more: Partial<Status>) =>
  Object.fromEntries(rowsOf(status(more)).filter(([what]) => ['Scan', 'Jitter', 'Worst'].includes(what)));

it('figures of scans are told where scans were measured, and not before', () => {
  expect(said({ state: 'empty', scanMs: 0 })).toEqual({ Scan: '–', Jitter: '–', Worst: '–' });
  expect(said({ state: 'run' })).toEqual({ Scan: '10 ms', Jitter: '–', Worst: '–' });
  expect(said({ state: 'run', measuredScans: 3, jitterMs: 0.26, mostlyMs: 0.24, missed: 1 })).toEqual({
    Scan: '10 ms · 0.04 ms used, 0.4 %',
    Jitter: '99.9 % within 0.2 ms',
    Worst: '0.3 ms · 1 missed',
  });
});
