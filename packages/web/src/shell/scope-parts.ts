/** What the parts of the scope share. */
import { type Course, type Line } from '@ferrule/core/bench';

export interface View {
  /** Undefined: goes with the time line. */ readonly from: number | undefined;
  readonly span: number;
}

export const spanText = (ms: number) =>
  ms < 1000
    ? `${Math.round(ms)} ms`
    : ms < 60_000
      ? `${(ms / 1000).toFixed(ms < 10_000 && ms % 1000 ? 1 : 0)} s`
      : ms < 3_600_000
        ? `${(ms / 60_000).toFixed(1)} min`
        : `${(ms / 3_600_000).toFixed(1)} h`;

export const menuButton =
  'flex h-6 shrink-0 items-center gap-0.5 rounded px-1.5 text-soft hover:bg-sunk hover:text-ink';

export const NO_PATHS: readonly string[] = [],
  NO_LINES: readonly Line[] = [],
  NO_COURSES: readonly Course[] = [],
  NO_SEAMS: readonly { scan: number }[] = [];
