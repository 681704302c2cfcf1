/** From a path such as `Batch.Flags.2` or `Valve[3].Open` to its place in memory, and values in and out of it. */
import { parseAddress } from '../types/address.js';
import {
  type Type,
  BOOL,
  baseOf,
  elementary,
  isBits,
  isChar,
  isDate,
  isInteger,
  isReal,
  isTime,
  sizeOf,
  stride,
  typeText,
} from '../types/type.js';
import { readScalar, readText, writeScalar, writeText } from '../types/memory.js';
import { dateText, parseDate } from '../types/date.js';
import { parseDuration } from '../language/lexer.js';
import { many } from '../language/words.js';
import type { Image, Location, Symbol } from '../compile/image.js';

/** What finding a path needs of an image. */
export type Paths = Pick<Image, 'symbols' | 'programs' | 'areas'>;

type Found = { readonly location: Location } | { readonly error: string };

/** What was found before, by image: the bench asks for the same paths scan after scan. */
const found = new WeakMap<Paths['symbols'], Map<string, Found>>();
const MOST_FOUND = 20_000;

/** Finds a path (cli.md, names): a global, `Program.variable`, or a program's variable bare where only one fits. */
export function findPath(image: Paths, path: string): Found {
  let known = found.get(image.symbols);
  if (!known) found.set(image.symbols, (known = new Map()));
  let f = known.get(path);
  if (!f) {
    if (known.size > MOST_FOUND) known.clear();
    known.set(path, (f = lookUp(image, path)));
  }
  return f;
}

function lookUp(image: Paths, path: string): Found {
  const parts = splitPath(path);
  if (!parts) return { error: `'${path}' is not a name; write for example Batch.Flags.2 or Valve[3].Open.` };
  const start = rootSymbol(image, parts);
  if (typeof start === 'string') return { error: start };
  let location: Location = {
    type: start.symbol.type,
    address: start.symbol.address,
    path,
    section: start.symbol.section,
    ...(start.symbol.bit !== undefined ? { bit: start.symbol.bit } : {}),
  };
  for (const p of parts.slice(start.used)) {
    const next = stepInto(location, p);
    if (typeof next === 'string') return { error: `'${path}': ${next}` };
    location = { ...next, path };
  }
  return { location };
}

type Step = { readonly name: string } | { readonly indices: readonly number[] };

function splitPath(path: string): Step[] | undefined {
  const steps: Step[] = [];
  const pattern =
    /\.?(%[IQM][XBWDL]?\d+(?:\.\d+)*|[A-Za-z_\u00c0-\uffff][\w\u00c0-\uffff]*|\d+)|\[\s*(-?\d+(?:\s*,\s*-?\d+)*)\s*\]/gy;
  let end = 0;
  for (let m = pattern.exec(path.trim()); m; m = pattern.exec(path.trim())) {
    steps.push(m[1] !== undefined ? { name: m[1] } : { indices: m[2]!.split(',').map(Number) });
    end = pattern.lastIndex;
  }
  return end === path.trim().length && steps.length && 'name' in steps[0]! ? steps : undefined;
}

function rootSymbol(image: Paths, parts: readonly Step[]): { symbol: Symbol; used: number } | string {
  const name = (i: number) => {
    const p = parts[i];
    return p && 'name' in p ? p.name.toLowerCase() : undefined;
  };
  const dotted = name(1) !== undefined && image.symbols.get(`${name(0)}.${name(1)}`);
  if (dotted) return { symbol: dotted, used: 2 };
  const direct = image.symbols.get(name(0)!);
  if (direct) return { symbol: direct, used: 1 };
  const located = addressSymbol(image, name(0)!);
  if (located) return { symbol: located, used: 1 };
  const inside = image.programs.flatMap((p) => {
    const program = image.symbols.get(p.toLowerCase());
    const located = image.symbols.get(`${p.toLowerCase()}.${name(0)}`);
    if (located) return [located];
    const m =
      program?.type.kind === 'block'
        ? program.type.layout.members.find((x) => x.name.toLowerCase() === name(0))
        : undefined;
    return m
      ? [
          {
            name: m.name,
            type: m.type,
            address: program!.address + m.offset,
            section: m.section,
            isRetained: m.retain,
          } satisfies Symbol,
        ]
      : [];
  });
  if (inside.length === 1) return { symbol: inside[0]!, used: 1 };
  const written = (parts[0] as { name: string }).name;
  return inside.length
    ? `'${written}' is in several programs; write Program.${written}.`
    : `There is no tag '${written}'.`;
}

/** `%QX0.3` where that byte is in use by something. */
function addressSymbol(image: Paths, text: string): Symbol | undefined {
  const a = text.startsWith('%') ? parseAddress(text) : undefined;
  if (!a || a.byte + a.size > image.areas[a.area].size) return undefined;
  return {
    name: text.toUpperCase(),
    type: elementary(a.width),
    address: image.areas[a.area].start + a.byte,
    section: a.area === 'I' ? 'input' : a.area === 'Q' ? 'output' : 'global',
    isRetained: false,
    ...(a.bit !== undefined ? { bit: a.bit } : {}),
  };
}

function stepInto(l: Location, step: Step): Omit<Location, 'path'> | string {
  const { type, section } = l;
  if ('indices' in step) {
    if (type.kind !== 'array') return `${typeText(type)} has no elements.`;
    if (step.indices.length !== type.bounds.length) return `this array has ${many(type.bounds.length, 'dimension')}.`;
    let offset = 0;
    for (const [i, b] of type.bounds.entries()) {
      const n = step.indices[i]!;
      if (n < b.low || n > b.high) return `the index ${n} is outside ${b.low}..${b.high}.`;
      offset = offset * (b.high - b.low + 1) + n - b.low;
    }
    return { type: type.element, address: l.address + offset * stride(type.element), section };
  }
  if (/^\d+$/.test(step.name)) {
    const bit = Number(step.name);
    if ((!isBits(type) && !isInteger(type)) || bit >= sizeOf(type) * 8) return `${typeText(type)} has no bit ${bit}.`;
    return { type: BOOL, address: l.address + (bit >> 3), bit: bit & 7, section };
  }
  const members = type.kind === 'struct' ? type.members : type.kind === 'block' ? type.layout.members : undefined;
  const m = members?.find((x) => x.name.toLowerCase() === step.name.toLowerCase());
  if (!m) return `${typeText(type)} has no member '${step.name}'.`;
  if ('section' in m && m.section === 'inout')
    return `'${m.name}' is an in-out variable; look at the tag it stands for.`;
  return { type: m.type, address: l.address + m.offset, section };
}

export type Value = bigint | number | boolean | string;

/** What is off: 0 of its kind. */
export const offValue = (type: Type): Value =>
  type.kind === 'string' ? '' : baseOf(type) === 'BOOL' ? false : /REAL$/.test(baseOf(type) ?? '') ? 0 : 0n;

/** The value at a location. Durations are nanoseconds. */
export function readLocation(view: DataView, l: Location): Value {
  if (l.bit !== undefined) return ((view.getUint8(l.address) >> l.bit) & 1) === 1;
  return l.type.kind === 'string' ? readText(view, l.address, l.type) : readScalar(view, l.address, l.type);
}

export function writeLocation(view: DataView, l: Location, value: Value): void {
  if (l.type.kind === 'string' || typeof value === 'string') {
    writeText(view, l.address, l.type, String(value));
    return;
  }
  if (l.bit !== undefined) {
    const byte = view.getUint8(l.address);
    view.setUint8(l.address, value ? byte | (1 << l.bit) : byte & ~(1 << l.bit));
  } else writeScalar(view, l.address, l.type, value);
}

/** A value as the command line prints it (cli.md, output CSV). */
export function formatValue(type: Type, value: Value): string {
  if (typeof value === 'string') return value;
  if (typeof value === 'boolean') return value ? '1' : '0';
  if (isDate(type)) return dateText(baseOf(type)!, value as bigint);
  if (isChar(type)) return String.fromCharCode(Number(value));
  if (type.kind === 'enum') return type.values.find((v) => v.value === value)?.name ?? String(value);
  if (isReal(type)) return shortestReal(Number(value), baseOf(type) === 'REAL');
  if (isTime(type)) return nanosecondsAsMs(value as bigint);
  return String(value);
}

function shortestReal(value: number, single: boolean): string {
  if (Object.is(value, -0)) return '-0';
  if (!single || !Number.isFinite(value)) return String(value);
  for (let digits = 1; digits <= 9; digits++) {
    const text = value.toPrecision(digits);
    if (Math.fround(Number(text)) === value) return String(Number(text));
  }
  return String(value);
}

/** Milliseconds with as many decimals as needed. */
export function nanosecondsAsMs(ns: bigint): string {
  const negative = ns < 0n;
  const abs = negative ? -ns : ns;
  const fraction = (abs % 1_000_000n).toString().padStart(6, '0').replace(/0+$/, '');
  return `${negative ? '-' : ''}${abs / 1_000_000n}${fraction ? `.${fraction}` : ''}`;
}

/**
 * Reads what people and files write: 0/1, TRUE, numbers, 16#FF, names of an enumeration, `T#3s`, `300 ms`,
 * milliseconds. A string is the reason why not.
 */
export function parseValue(type: Type, text: string): { value: Value } | { error: string } {
  const t = text.trim();
  const base = baseOf(type);
  if (type.kind === 'string') {
    const quoted = /^(['"])([\s\S]*)\1$/.exec(text);
    const value = quoted ? quoted[2]! : text;
    return value.length > type.max
      ? { error: `'${text.slice(0, 20)}…' has ${value.length} characters; ${typeText(type)} holds ${type.max}.` }
      : { value };
  }
  if (base && isDate(type)) {
    const ns = parseDate(base, t.replace(/^[A-Za-z_]+#/, ''));
    return typeof ns === 'bigint' ? { value: ns } : { error: ns };
  }
  if (base && isChar(type)) {
    const c = /^(['"])(.)\1$/.exec(t)?.[2] ?? text;
    return c.length === 1 ? { value: BigInt(c.charCodeAt(0)) } : { error: `'${t}' is not one character.` };
  }
  if (!base) return { error: `${typeText(type)} cannot be written as a whole; write its members.` };
  const upper = t.toUpperCase();
  if (base === 'BOOL') {
    if (['1', 'TRUE', 'ON', 'BOOL#1', 'BOOL#TRUE'].includes(upper)) return { value: true };
    if (['0', 'FALSE', 'OFF', 'BOOL#0', 'BOOL#FALSE'].includes(upper)) return { value: false };
    return { error: `'${t}' is not a BOOL; write 0 or 1.` };
  }
  if (type.kind === 'enum') {
    const name = upper.includes('#') ? upper.slice(upper.indexOf('#') + 1) : upper;
    const hit = type.values.find((v) => v.name.toUpperCase() === name);
    if (hit) return { value: hit.value };
  }
  if (isTime(type)) {
    const literal =
      /^(?:L?TIME|L?T)#(.*)$/i.exec(t)?.[1] ??
      (/[a-z]/i.test(t) ? t.replace(/\s+/g, '').replace(/min$/i, 'm') : undefined);
    if (literal !== undefined) {
      const ns = parseDuration(literal);
      return typeof ns === 'bigint' ? { value: ns } : { error: ns };
    }
    const m = /^(-?)(\d+)(?:\.(\d{1,6}))?$/.exec(t);
    if (!m) return { error: `'${t}' is not a duration; write for example 300 ms or T#3s.` };
    const ns = BigInt(m[2]!) * 1_000_000n + BigInt((m[3] ?? '').padEnd(6, '0'));
    return { value: m[1] ? -ns : ns };
  }
  const plain = t.replace(/^[A-Za-z]+#(?=.)/, '');
  if (isReal(type)) {
    const special = { INFINITY: Infinity, '-INFINITY': -Infinity, NAN: NaN }[upper];
    const n = special ?? Number(plain.replaceAll('_', ''));
    if (special === undefined && (plain === '' || Number.isNaN(n))) return { error: `'${t}' is not a number.` };
    return { value: base === 'REAL' ? Math.fround(n) : n };
  }
  const based = /^(-?)(2|8|10|16)#([0-9A-Fa-f_]+)$/.exec(plain);
  const digits = based ? based[3]!.replaceAll('_', '').toLowerCase() : '';
  const radix = based ? Number(based[2]) : 10;
  let v: bigint | undefined;
  if (based && [...digits].every((d) => parseInt(d, 36) < radix))
    v = [...digits].reduce((n, d) => n * BigInt(radix) + BigInt(parseInt(d, 36)), 0n) * (based[1] ? -1n : 1n);
  else if (/^[+-]?\d[\d_]*$/.test(plain)) v = BigInt(plain.replaceAll('_', '').replace(/^\+/, ''));
  if (v === undefined)
    return {
      error: `'${t}' is not ${type.kind === 'enum' ? `a value of ${type.name}` : `a whole number for ${typeText(type)}`}.`,
    };
  const bits = BigInt(sizeOf(type) * 8);
  const unsigned = !['SINT', 'INT', 'DINT', 'LINT'].includes(base);
  const low = type.kind === 'subrange' ? type.low : unsigned ? 0n : -(1n << (bits - 1n));
  const high = type.kind === 'subrange' ? type.high : unsigned ? (1n << bits) - 1n : (1n << (bits - 1n)) - 1n;
  if (v < low || v > high) return { error: `${v} is outside ${typeText(type)} (${low} to ${high}).` };
  return { value: v };
}
