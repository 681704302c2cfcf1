/** Values as text. */
import type { ShownValue } from '@ferrule/core';

/** A value as people read it; durations come in ms. */
export function valueText(value: ShownValue | undefined, type?: string): string {
  if (value === undefined) return '';
  if (typeof value === 'boolean') return value ? '1' : '0';
  if (typeof value === 'number' && (type === 'TIME' || type === 'LTIME')) return durationText(value);
  if (typeof value === 'number' && !Number.isInteger(value)) return value.toFixed(Math.abs(value) < 10 ? 2 : 1);
  return String(value);
}

export function durationText(ms: number): string {
  return ms < 60_000 ? `${(ms / 1000).toFixed(2)} s` : `${Math.floor(ms / 60_000)} min ${((ms % 60_000) / 1000).toFixed(0)} s`;
}
