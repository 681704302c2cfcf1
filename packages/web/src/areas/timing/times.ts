/** Times as Timing shows them. */
import { parseSpan } from '@ferrule/core/verify';

/** `0.26 s`, `12.40 s`, `2 min 5.0 s`, `80 ms`: from ms. */
export function seconds(ms: number): string {
  if (ms < 0) return `−${seconds(-ms)}`;
  if (ms < 100 && ms > 0) return `${Number(ms.toFixed(1))} ms`;
  if (ms < 60_000) return `${(ms / 1000).toFixed(2)} s`;
  if (ms < 3_600_000) return `${Math.floor(ms / 60_000)} min ${((ms % 60_000) / 1000).toFixed(1)} s`;
  return `${Math.floor(ms / 3_600_000)} h ${Math.floor((ms % 3_600_000) / 60_000)} min`;
}

/** `1:30`, `00:01:47.320`, `90 s`, `2 min` as ms; the string is what is wrong. */
export function readTime(text: string): number | string {
  const clock = /^\s*(?:(\d+):)?(\d+):(\d+(?:\.\d+)?)\s*$/.exec(text);
  if (clock) return (Number(clock[1] ?? 0) * 3600 + Number(clock[2]) * 60 + Number(clock[3])) * 1000;
  const bare = /^\s*(\d+(?:\.\d+)?)\s*$/.exec(text);
  if (bare) return Number(bare[1]) * 1000;
  const span = parseSpan(text);
  return 'value' in span && 'ns' in span.value
    ? Number(span.value.ns) / 1e6
    : `‘${text.trim()}’ is no time of the run: write 90 s, 1:30 or 00:01:47.320.`;
}
