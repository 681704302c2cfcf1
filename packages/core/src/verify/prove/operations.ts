/**
 * Each operation as a term for the solver: the table's fourth column (`ir/ops`). Whole numbers are bit vectors, a BOOL is
 * one of logic. Of reals only comparisons are said; of what is not followed, that the same numbers give the same result
 * (`apply`), so a proof may fail for it and never holds wrongly.
 */
import type { Machine } from '../../ir/machine.js';
import { NAMES, type OpName } from '../../ir/ops/names.js';
import type { Sort, Term, Terms } from './term.js';

/** The result; `from` is the type of the operands, `to` that of the result. `unknown`: anything, and why. */
export type InTerms = (
  t: Terms,
  from: Machine,
  to: Machine,
  args: readonly Term[],
  unknown: (sort: Sort, why: string) => Term,
) => Term;

/** Width of a value in bits; 0 is a BOOL. */
export const sortOf = (m: Machine): Sort =>
  m === 'bool' ? 0 : m === 'time' ? 64 : m === 'pointer' ? 32 : Number(m.slice(1));
export const isSigned = (m: Machine): boolean => m.startsWith('i') || m === 'time';
const isReal = (m: Machine): boolean => m === 'f32' || m === 'f64';
/** Of these is known that equal operands give equal results. */
const same =
  (name: OpName): InTerms =>
  (t, from, to, args) =>
    t.apply(`b${NAMES[name].name}!${from}`, sortOf(to), args);
const text: InTerms = (_t, _from, to, _args, unknown) => unknown(sortOf(to), 'text');

const arithmetic =
  (name: OpName, op: 'bvadd' | 'bvsub' | 'bvmul'): InTerms =>
  (t, from, to, [a, b]) =>
    isReal(from) ? t.apply(`r${name}!${from}`, sortOf(to), [a!, b!]) : t.binary(op, a!, b!);
const logic =
  (bits: 'bvand' | 'bvor' | 'bvxor', bool: 'and' | 'or' | 'xor'): InTerms =>
  (t, from, _to, [a, b]) =>
    from === 'bool' ? t[bool](a!, b!) : t.binary(bits, a!, b!);
/** `a` before `b`, or not behind it. */
const order =
  (strict: boolean, turned: boolean): InTerms =>
  (t, from, _to, args) => {
    const [a, b] = (turned ? [args[1], args[0]] : args) as [Term, Term];
    if (from === 'bool') return strict ? t.and(t.not(a), b) : t.implies(a, b);
    if (isReal(from)) return t.real(strict ? 'fp.lt' : 'fp.leq', a, b);
    return t.compare(isSigned(from) ? (strict ? 'bvslt' : 'bvsle') : strict ? 'bvult' : 'bvule', a, b);
  };
const equal: InTerms = (t, from, _to, [a, b], unknown) =>
  from === 'pointer' ? unknown(0, 'references') : isReal(from) ? t.real('fp.eq', a!, b!) : t.eq(a!, b!);
const least =
  (name: 'min' | 'max'): InTerms =>
  (t, from, to, args, unknown) => {
    const [a, b] = args as [Term, Term];
    if (isReal(from)) return same(name)(t, from, to, args, unknown);
    return t.ite(order(false, name === 'max')(t, from, 'bool', args, unknown), a, b);
  };
/** By a number that is known before the run. A BOOL is the lowest bit of a byte. */
const shift =
  (name: 'shl' | 'shr'): InTerms =>
  (t, from, to, args, unknown) => {
    const [a, by] = args as [Term, Term],
      sort = sortOf(to);
    if (by.value === undefined) return same(name)(t, from, to, args, unknown);
    if (sort === 0) return by.value === 0n ? a : t.false;
    if (by.value >= BigInt(sort)) return t.bits(0n, sort);
    return t.binary(name === 'shl' ? 'bvshl' : 'bvlshr', a, t.bits(by.value, sort));
  };
const rotate =
  (name: 'rol' | 'ror'): InTerms =>
  (t, from, to, args, unknown) => {
    const [a, by] = args as [Term, Term],
      sort = sortOf(to);
    if (by.value === undefined) return same(name)(t, from, to, args, unknown);
    if (sort === 0) return by.value % 8n === 0n ? a : t.false;
    const n = Number(by.value % BigInt(sort)),
      left = name === 'rol' ? n : (sort - n) % sort;
    return left === 0 ? a : t.concat(t.extract(a, 0, sort - left), t.extract(a, sort - left, left));
  };
const convert =
  (name: 'convert' | 'truncate'): InTerms =>
  (t, from, to, [a]) => {
    if (isReal(from) || isReal(to)) return t.apply(`c${name}!${from}!${to}`, sortOf(to), [a!]);
    if (to === 'bool') return from === 'bool' ? a! : t.eq(t.extract(a!, 0, 1), t.bits(1n, 1));
    if (from === 'bool') return t.ite(a!, t.bits(1n, sortOf(to)), t.bits(0n, sortOf(to)));
    return t.resize(a!, sortOf(to), isSigned(from));
  };

export const SOLVER: Record<OpName, InTerms> = {
  add: arithmetic('add', 'bvadd'),
  sub: arithmetic('sub', 'bvsub'),
  mul: arithmetic('mul', 'bvmul'),
  div: (t, from, to, [a, b]) =>
    isReal(from)
      ? t.apply(`rdiv!${from}`, sortOf(to), [a!, b!])
      : t.binary(isSigned(from) ? 'bvsdiv' : 'bvudiv', a!, b!),
  // By zero it is 0 (choices.md).
  mod: (t, from, _to, [a, b]) =>
    t.ite(t.eq(b!, t.bits(0n, b!.sort)), t.bits(0n, a!.sort), t.binary(isSigned(from) ? 'bvsrem' : 'bvurem', a!, b!)),
  neg: (t, from, _to, [a]) => (isReal(from) ? t.apply(`rneg!${from}`, a!.sort, [a!]) : t.bvneg(a!)),
  abs: (t, from, to, args, unknown) => {
    const [a] = args as [Term];
    if (isReal(from)) return same('abs')(t, from, to, args, unknown);
    return isSigned(from) ? t.ite(t.compare('bvslt', a, t.bits(0n, a.sort)), t.bvneg(a), a) : a;
  },
  sqrt: same('sqrt'),
  and: logic('bvand', 'and'),
  or: logic('bvor', 'or'),
  xor: logic('bvxor', 'xor'),
  not: (t, from, _to, [a]) => (from === 'bool' ? t.not(a!) : t.bvnot(a!)),
  shl: shift('shl'),
  shr: shift('shr'),
  rol: rotate('rol'),
  ror: rotate('ror'),
  eq: equal,
  ne: (t, from, to, args, unknown) => t.not(equal(t, from, to, args, unknown)),
  lt: order(true, false),
  le: order(false, false),
  gt: order(true, true),
  ge: order(false, true),
  min: least('min'),
  max: least('max'),
  select: (t, _from, _to, [condition, on, off]) => t.ite(condition!, on!, off!),
  convert: convert('convert'),
  truncate: convert('truncate'),
  // A real is its bits here.
  bits: (_t, _from, _to, [a]) => a!,
  swap: same('swap'),
  isBcd: same('isBcd'),
  fromBcd: same('fromBcd'),
  toBcd: same('toBcd'),
  days: same('days'),
  civil: same('civil'),
  textLength: text,
  textCompare: text,
  textFind: text,
  textToInt: text,
  textFirst: text,
  textRead: text,
  classOf: (_t, _from, to, _args, unknown) => unknown(sortOf(to), 'the class of an instance'),
  sin: same('sin'),
  cos: same('cos'),
  tan: same('tan'),
  asin: same('asin'),
  acos: same('acos'),
  atan: same('atan'),
  exp: same('exp'),
  log: same('log'),
  log10: same('log10'),
  pow: same('pow'),
  atan2: same('atan2'),
};
