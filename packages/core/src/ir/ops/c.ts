/** How C says each operation. */
import type { Machine, Whole } from '../machine.js';
import type { OpName } from './names.js';

/** Operands as C text, in the order of the table; `t` is the type they have, `to` that of the result. */
export type InC = (t: Machine, to: Machine, ...args: readonly string[]) => string;

/** Whole numbers, and durations, which are some. */
const isWhole = (t: Machine): t is Whole => /^[iu]\d|^time/.test(t);
/** A function of the runtime with a form for each type. */
const each =
  (name: string): InC =>
  (t, _to, ...args) =>
    `${name}_${t}(${args.join(', ')})`;
/** A NOT on the left of another operator is taken for a slip without parentheses. */
const apart = (c: string): string => (c.startsWith('!') ? `(${c})` : c);
const infix =
  (sign: string): InC =>
  (_t, _to, a, b) =>
    `(${apart(a!)} ${sign} ${apart(b!)})`;
/** Arithmetic of whole numbers is a function that wraps, of reals an operator. */
const arithmetic =
  (name: string, sign: string): InC =>
  (t, to, a, b) =>
    isWhole(t) ? `${name}_${t}(${a}, ${b})` : infix(sign)(t, to, a!, b!);
const logic =
  (sign: string, bitwise: string): InC =>
  (t, _to, a, b) =>
    t === 'bool'
      ? sign === '!='
        ? a === b
          ? `ne_bool(${a}, ${b})`
          : `(${apart(a!)} ${sign} ${apart(b!)})`
        : `(${a} ${sign} ${b})`
      : `(${C_TYPES[t]})(${a} ${bitwise} ${b})`;
const math =
  (name: string): InC =>
  (_t, _to, ...args) =>
    `ferrule_${name}(${args.join(', ')})`;

export const C_TYPES: Record<Exclude<Machine, 'pointer'>, string> & { pointer: string } = {
  bool: 'bool',
  i8: 'int8_t',
  u8: 'uint8_t',
  i16: 'int16_t',
  u16: 'uint16_t',
  i32: 'int32_t',
  u32: 'uint32_t',
  i64: 'int64_t',
  u64: 'uint64_t',
  time: 'ferrule_time',
  f32: 'float',
  f64: 'double',
  pointer: 'void *',
};

/**
 * Whole to whole keeps the rightmost bits, real to whole rounds to nearest even (or cuts off) and stops at the ends of
 * 64 bits.
 */
const convert =
  (how: 'nearest' | 'cut'): InC =>
  (t, to, a) => {
    if (t === to) return a!;
    // Durations meet other numbers as nanoseconds.
    if (t === 'time') return convert(how)('i64', to, `time_ns(${a})`);
    if (to === 'time') return `ns_time(${convert(how)(t, 'i64', a!)})`;
    if (to === 'bool') return t === 'f32' || t === 'f64' ? `(bool)(${how}_i64(${a}) & 1)` : `(bool)(${a} & 1)`;
    if ((t === 'f32' || t === 'f64') && isWhole(to)) {
      const wide = `${how}_${to === 'u64' ? 'u64' : 'i64'}(${a})`;
      return to === 'u64' || to === 'i64' ? wide : `(${C_TYPES[to]})${wide}`;
    }
    return `(${C_TYPES[to]})${a}`;
  };

export const C: Record<OpName, InC> = {
  add: arithmetic('add', '+'),
  sub: arithmetic('sub', '-'),
  mul: arithmetic('mul', '*'),
  div: arithmetic('div', '/'),
  mod: each('mod'),
  neg: (t, _to, a) => (isWhole(t) ? `neg_${t}(${a})` : `(-${a})`),
  abs: each('abs'),
  sqrt: each('sqrt'),
  and: logic('&&', '&'),
  or: logic('||', '|'),
  xor: logic('!=', '^'),
  not: (t, _to, a) => (t === 'bool' ? `!${a}` : `not_${t}(${a})`),
  shl: each('shl'),
  shr: each('shr'),
  rol: each('rol'),
  ror: each('ror'),
  eq: infix('=='),
  ne: infix('!='),
  lt: infix('<'),
  le: infix('<='),
  gt: infix('>'),
  ge: infix('>='),
  min: each('min'),
  max: each('max'),
  select: (_t, _to, c, a, b) => `(${c} ? ${a} : ${b})`,
  convert: convert('nearest'),
  truncate: convert('cut'),
  bits: (t, to, a) => `bits_${t}_${to}(${a})`,
  swap: each('swap'),
  isBcd: (_t, _to, a) => `is_bcd(${a})`,
  fromBcd: (_t, _to, a) => `from_bcd(${a})`,
  toBcd: (_t, _to, a) => `to_bcd(${a})`,
  days: (_t, _to, ...args) => `days(${args.join(', ')})`,
  civil: (_t, _to, a) => `civil(${a})`,
  textLength: (_t, _to, a) => `text_length(${a})`,
  textCompare: (_t, _to, w, a, b) => `text_compare(${w}, ${a}, ${b})`,
  textFind: (_t, _to, w, a, b) => `text_find(${w}, ${a}, ${b})`,
  textToInt: (_t, _to, w, a) => `text_to_int(${w}, ${a})`,
  textFirst: (_t, _to, w, a) => `text_first(${w}, ${a})`,
  textRead: (_t, _to, w, k, a) => `text_read(${k}, ${w}, ${a})`,
  classOf: (_t, _to, a) => `class_of(${a})`,
  sin: math('sin'),
  cos: math('cos'),
  tan: math('tan'),
  asin: math('asin'),
  acos: math('acos'),
  atan: math('atan'),
  exp: math('exp'),
  log: math('log'),
  log10: math('log10'),
  pow: math('pow'),
  atan2: math('atan2'),
};
