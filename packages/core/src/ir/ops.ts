/**
 * The operations, one entry each: what the standard calls it and where it says what it does, and how C says it. All are
 * total: division by zero is kept away by a check before it, MOD by zero is 0, everything whole wraps (choices.md).
 */
import type { Machine, Whole } from './machine.js';

/** Operands as C text, in the order of the table; `t` is the type they have, `to` that of the result. */
export type InC = (t: Machine, to: Machine, ...args: readonly string[]) => string;
export interface Op {
  /** The standard's name, or ours for what conversions and parts of a value are made of. */
  readonly name: string;
  readonly clause: string;
  readonly c: InC;
}

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
const math = (name: string): Op => ({
  name: name.toUpperCase(),
  clause: 'table 28',
  c: (_t, _to, ...args) => `ferrule_${name}(${args.join(', ')})`,
});

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

export const OPS = {
  add: { name: 'ADD', clause: 'table 29', c: arithmetic('add', '+') },
  sub: { name: 'SUB', clause: 'table 29', c: arithmetic('sub', '-') },
  mul: { name: 'MUL', clause: 'table 29', c: arithmetic('mul', '*') },
  div: { name: 'DIV', clause: 'table 29', c: arithmetic('div', '/') },
  mod: { name: 'MOD', clause: 'table 29', c: each('mod') },
  neg: { name: '-', clause: 'table 71', c: (t, _to, a) => (isWhole(t) ? `neg_${t}(${a})` : `(-${a})`) },
  abs: { name: 'ABS', clause: 'table 28', c: each('abs') },
  sqrt: { name: 'SQRT', clause: 'table 28', c: each('sqrt') },
  and: { name: 'AND', clause: 'table 30', c: logic('&&', '&') },
  or: { name: 'OR', clause: 'table 30', c: logic('||', '|') },
  xor: { name: 'XOR', clause: 'table 30', c: logic('!=', '^') },
  not: { name: 'NOT', clause: 'table 30', c: (t, _to, a) => (t === 'bool' ? `!${a}` : `not_${t}(${a})`) },
  shl: { name: 'SHL', clause: 'table 30', c: each('shl') },
  shr: { name: 'SHR', clause: 'table 30', c: each('shr') },
  rol: { name: 'ROL', clause: 'table 30', c: each('rol') },
  ror: { name: 'ROR', clause: 'table 30', c: each('ror') },
  eq: { name: 'EQ', clause: 'table 33', c: infix('==') },
  ne: { name: 'NE', clause: 'table 33', c: infix('!=') },
  lt: { name: 'LT', clause: 'table 33', c: infix('<') },
  le: { name: 'LE', clause: 'table 33', c: infix('<=') },
  gt: { name: 'GT', clause: 'table 33', c: infix('>') },
  ge: { name: 'GE', clause: 'table 33', c: infix('>=') },
  min: { name: 'MIN', clause: 'table 31', c: each('min') },
  max: { name: 'MAX', clause: 'table 31', c: each('max') },
  /** Condition, value where it is on, value where it is off. */
  select: { name: 'SEL', clause: 'table 31', c: (_t, _to, c, a, b) => `(${c} ? ${a} : ${b})` },
  convert: { name: 'conversion', clause: 'tables 22 to 27', c: convert('nearest') },
  truncate: { name: 'TRUNC', clause: 'table 22', c: convert('cut') },
  /** Reals as their bits and back. */
  bits: {
    name: 'bits of a real',
    clause: 'choices.md',
    c: (t, to, a) => `bits_${t}_${to}(${a})`,
  },
  nearest: { name: 'rounding to nearest even', clause: 'choices.md', c: each('nearest') },
  swap: { name: 'SWAP', clause: 'table 30', c: each('swap') },
  isBcd: { name: 'IS_VALID_BCD', clause: 'table 39', c: (_t, _to, a) => `is_bcd(${a})` },
  fromBcd: { name: 'BCD_TO', clause: 'table 24', c: (_t, _to, a) => `from_bcd(${a})` },
  toBcd: { name: 'TO_BCD', clause: 'table 24', c: (_t, _to, a) => `to_bcd(${a})` },
  days: { name: 'CONCAT_DATE', clause: 'table 36', c: (_t, _to, ...args) => `days(${args.join(', ')})` },
  civil: { name: 'SPLIT_DATE', clause: 'table 36', c: (_t, _to, a) => `civil(${a})` },
  textLength: { name: 'LEN', clause: 'table 34', c: (_t, _to, a) => `text_length(${a})` },
  textCompare: {
    name: 'comparison of strings',
    clause: 'table 33',
    c: (_t, _to, w, a, b) => `text_compare(${w}, ${a}, ${b})`,
  },
  textFind: { name: 'FIND', clause: 'table 34', c: (_t, _to, w, a, b) => `text_find(${w}, ${a}, ${b})` },
  textToInt: { name: 'STRING_TO_INT', clause: 'table 22', c: (_t, _to, w, a) => `text_to_int(${w}, ${a})` },
  textFirst: { name: 'STRING_TO_CHAR', clause: 'table 22', c: (_t, _to, w, a) => `text_first(${w}, ${a})` },
  textRead: {
    name: 'conversion from a string',
    clause: 'table 22',
    c: (_t, _to, w, k, a) => `text_read(${k}, ${w}, ${a})`,
  },
  /** The class number of the instance an address leads to. */
  classOf: { name: 'class of an instance', clause: '6.6.5', c: (_t, _to, a) => `class_of(${a})` },
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
} as const satisfies Record<string, Op>;
export type OpName = keyof typeof OPS;
