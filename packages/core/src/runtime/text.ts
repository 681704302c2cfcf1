/** Conversions between values and characters that a running module asks its host for (choices.md, table 22). */
import { parseDuration } from '../language/lexer.js';
import { dateText, parseDate } from '../types/date.js';
import { TEXT_MAX, readText, writeText } from '../types/memory.js';
import {
  ELEMENTARY_NAMES,
  type ElementaryName,
  elementary,
  isBits,
  isDate,
  isReal,
  isTime,
  wrap,
} from '../types/type.js';
import { formatValue } from './paths.js';

const bits = new DataView(new ArrayBuffer(8));

/** The functions `text.write` and `text.read` over a module's memory. */
export function textImports(memory: () => DataView): Record<string, (...args: never[]) => unknown> {
  return {
    write: (kind: number, wide: number, value: bigint, address: number) => {
      writeText(
        memory(),
        address,
        { kind: 'string', wide: wide !== 0, max: TEXT_MAX },
        valueText(ELEMENTARY_NAMES[kind]!, value),
      );
    },
    read: (kind: number, wide: number, address: number): bigint =>
      textValue(ELEMENTARY_NAMES[kind]!, readText(memory(), address, { kind: 'string', wide: wide !== 0, max: 32767 })),
  };
}

/** Bits of a value to its text: as the trace prints it, with the prefix its literal has where that says what it is. */
export function valueText(name: ElementaryName, value: bigint): string {
  const type = elementary(name);
  if (name === 'BOOL') return value ? 'TRUE' : 'FALSE';
  if (isReal(type)) {
    bits.setBigInt64(0, value, true);
    return formatValue(type, bits.getFloat64(0, true));
  }
  if (isTime(type)) return `${name === 'LTIME' ? 'LT' : 'T'}#${durationText(value)}`;
  if (isDate(type))
    return `${({ DATE: 'D', LDATE: 'LD' } as Record<string, string>)[name] ?? name}#${dateText(name, value).replace('T', '-')}`;
  if (isBits(type)) return `16#${wrap(value, name).toString(16).toUpperCase()}`;
  return String(wrap(value, name));
}

const UNITS = [
  ['d', 86_400_000_000_000n],
  ['h', 3_600_000_000_000n],
  ['m', 60_000_000_000n],
  ['s', 1_000_000_000n],
  ['ms', 1_000_000n],
  ['us', 1_000n],
  ['ns', 1n],
] as const;

/** `1d2h3m4s5ms`, `0s` for nothing. */
export function durationText(ns: bigint): string {
  let rest = ns < 0n ? -ns : ns;
  let text = '';
  for (const [unit, size] of UNITS) {
    if (rest >= size) text += `${rest / size}${unit}`;
    rest %= size;
  }
  return `${ns < 0n ? '-' : ''}${text || '0s'}`;
}

/** Text to the bits of a value; 0 where it is none, as a number's digits end at the first sign that is no digit. */
export function textValue(name: ElementaryName, text: string): bigint {
  const type = elementary(name);
  const t = text.trim();
  const behind = t.slice(t.indexOf('#') + 1);
  if (name === 'BOOL') return /^(TRUE|1|BOOL#TRUE|BOOL#1)$/i.test(t) ? 1n : 0n;
  if (isReal(type)) {
    const special = { infinity: Infinity, '-infinity': -Infinity, nan: NaN }[t.toLowerCase()];
    const n = special ?? Number.parseFloat((/^[A-Z]+#/i.test(t) ? behind : t).replaceAll('_', ''));
    bits.setFloat64(0, special === undefined && Number.isNaN(n) ? 0 : n, true);
    return bits.getBigInt64(0, true);
  }
  if (isTime(type)) {
    const v = parseDuration(behind);
    return typeof v === 'bigint' ? v : 0n;
  }
  if (isDate(type)) {
    const v = parseDate(name, behind);
    return typeof v === 'bigint' ? v : 0n;
  }
  const based = /^(?:[A-Z]+#)?(2|8|10|16)#([0-9A-F_]+)/i.exec(t);
  const digits = based
    ? based[2]!.replaceAll('_', '')
    : (/^[+-]?\d+/.exec(/^[A-Z]+#/i.test(t) ? behind : t)?.[0] ?? '0');
  if (!based) return wrap(BigInt(digits.replace('+', '')), name);
  let v = 0n;
  for (const d of digits) {
    const x = parseInt(d, 36);
    if (!(x < Number(based[1]))) break;
    v = v * BigInt(based[1]!) + BigInt(x);
  }
  return wrap(v, name);
}
