/** Values as text. */
import type { NumberFormat } from '@ferrule/core/document';
import type { ShownValue } from '@ferrule/core/bench';

/** A value as people read it; durations come in ms. */
export function valueText(value: ShownValue | undefined, type?: string): string {
  if (value === undefined) return '';
  if (typeof value === 'boolean') return value ? '1' : '0';
  if (typeof value === 'number' && (type === 'TIME' || type === 'LTIME')) return durationText(value);
  // What is nothing in the places that are shown has no sign.
  if (typeof value === 'number' && !Number.isInteger(value))
    return value.toFixed(Math.abs(value) < 10 ? 2 : 1).replace(/^-(?=0\.0+$)/, '');
  return String(value);
}

/** A value in the form somebody asked for; durations count in ms. */
export function formatted(
  value: ShownValue | undefined,
  type: string | undefined,
  format: NumberFormat | undefined,
): string {
  if (value === undefined || typeof value === 'boolean' || !format || format === 'decimal')
    return format === 'decimal' && typeof value === 'number' ? String(value) : valueText(value, type);
  const n = typeof value === 'number' ? value : Number(value);
  if (!Number.isFinite(n)) return String(value);
  const bits = BITS[type ?? ''] ?? 32,
    whole = BigInt.asUintN(bits, BigInt(Math.trunc(n)));
  switch (format) {
    case 'hex':
      return `16#${whole
        .toString(16)
        .toUpperCase()
        .padStart(bits / 4, '0')}`;
    case 'binary':
      return `2#${whole
        .toString(2)
        .padStart(bits, '0')
        .replace(/(?<=\d)(?=(\d{4})+$)/g, '_')}`;
    case 'time':
      return durationText(n);
    case 'text':
      return `'${Array.from({ length: bits / 8 }, (_, i) => Number((whole >> BigInt(8 * i)) & 0xffn))
        .map((c) => (c >= 32 && c < 127 ? String.fromCharCode(c) : c ? '·' : ''))
        .join('')}'`;
  }
}
const BITS: Readonly<Record<string, number>> = {
  SINT: 8,
  USINT: 8,
  BYTE: 8,
  CHAR: 8,
  INT: 16,
  UINT: 16,
  WORD: 16,
  DINT: 32,
  UDINT: 32,
  DWORD: 32,
  LINT: 64,
  ULINT: 64,
  LWORD: 64,
};

/** A length of time as people read it: hundredths up to a minute, seconds up to an hour, then minutes. */
export function durationText(ms: number): string {
  if (Math.abs(ms) < 59_995) return `${(ms / 1000).toFixed(2)} s`;
  const seconds = Math.round(ms / 1000),
    minutes = Math.trunc(seconds / 60);
  return Math.abs(minutes) < 60
    ? `${minutes} min ${Math.abs(seconds % 60)} s`
    : `${Math.trunc(minutes / 60)} h ${Math.abs(minutes % 60)} min`;
}

/**
 * The number that a text is, between two limits; a comma is a point. Undefined where it is none of these: nothing is put
 * in its place.
 */
export function numberIn(text: string, least: number, most: number): number | undefined {
  const n = Number(text.trim().replace(',', '.'));
  return text.trim() && n >= least && n <= most ? n : undefined;
}
