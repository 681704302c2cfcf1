/** What each operation gives, as a value: the plainest way to say what it means. */
import * as math from '../../types/math.js';
import type { Machine } from '../machine.js';
import type { OpName } from './names.js';

/** Whole numbers, BOOLs (0 and 1) and durations as bigint, reals as number. */
export type Folded = bigint | number;
/** The result from the operands; `t` is their type, `to` that of the result. */
export type Fold = (t: Machine, to: Machine, ...args: readonly Folded[]) => Folded;
/** What lies in memory is not known before the run. */
export type FoldColumn = Record<OpName, Fold | 'memory'>;

const width = (t: Machine): number =>
  t === 'bool' ? 1 : t === 'time' ? 64 : t === 'pointer' ? 32 : Number(t.slice(1));
const isSigned = (t: Machine): boolean => t.startsWith('i') || t === 'time';
const isReal = (t: Machine): boolean => t === 'f32' || t === 'f64';
/** The rightmost bits, as many as the type has. */
export const wrapTo = (t: Machine, value: bigint): bigint =>
  isSigned(t) ? BigInt.asIntN(width(t), value) : BigInt.asUintN(width(t), value);
const round = (t: Machine, value: number): number => (t === 'f32' ? Math.fround(value) : value);

const arithmetic =
  (whole: (a: bigint, b: bigint) => bigint, real: (a: number, b: number) => number): Fold =>
  (t, _to, a, b) =>
    isReal(t) ? round(t, real(Number(a), Number(b))) : wrapTo(t, whole(BigInt(a!), BigInt(b!)));
const whole =
  (f: (a: bigint, b: bigint) => bigint): Fold =>
  (t, _to, a, b) =>
    wrapTo(t, f(BigInt(a!), BigInt(b!)));
const compare =
  (f: (a: Folded, b: Folded) => boolean): Fold =>
  (_t, _to, a, b) =>
    f(a!, b!) ? 1n : 0n;
const math1 =
  (f: (a: number) => number): Fold =>
  (_t, _to, a) =>
    f(Number(a));
const math2 =
  (f: (a: number, b: number) => number): Fold =>
  (_t, _to, a, b) =>
    f(Number(a), Number(b));

/** Halves go to the even neighbour (IEC 60559). */
function toEven(x: number): number {
  const low = Math.floor(x),
    rest = x - low;
  if (rest !== 0.5) return rest < 0.5 ? low : low + 1;
  return low % 2 === 0 ? low : low + 1;
}
/** A whole number of 64 bits: it stops at the ends, what is no number is 0. */
function saturate(value: number, unsigned: boolean): bigint {
  if (Number.isNaN(value)) return 0n;
  const [low, high] = unsigned ? [0n, (1n << 64n) - 1n] : [-(1n << 63n), (1n << 63n) - 1n];
  if (value <= Number(low)) return low;
  return value >= Number(high) ? high : BigInt(value);
}
const convert =
  (toWhole: (x: number) => number): Fold =>
  (t, to, a) => {
    if (isReal(t)) return isReal(to) ? round(to, Number(a)) : wrapTo(to, saturate(toWhole(Number(a)), to === 'u64'));
    if (!isReal(to)) return wrapTo(to, BigInt(a!));
    return to === 'f32' ? nearestReal(BigInt(a!)) : Number(a);
  };
/** The REAL nearest to a whole number, rounded once. */
function nearestReal(value: bigint): number {
  const size = value < 0n ? -value : value;
  let shift = 0n;
  while (size >> shift >= 1n << 24n) shift++;
  let top = size >> shift;
  const rest = size - (top << shift),
    half = shift ? 1n << (shift - 1n) : 0n;
  if (shift && (rest > half || (rest === half && top & 1n))) top++;
  return Number(value < 0n ? -(top << shift) : top << shift);
}

const shiftBits = (t: Machine): bigint => (t === 'bool' ? 8n : BigInt(width(t)));
const shifted =
  (f: (value: bigint, by: bigint) => bigint): Fold =>
  (t, _to, a, by) => {
    const n = BigInt.asUintN(64, BigInt(by!));
    return n >= shiftBits(t) ? 0n : wrapTo(t, f(BigInt(a!), n));
  };
const rotated =
  (isLeft: boolean): Fold =>
  (t, _to, a, by) => {
    const bits = shiftBits(t),
      n = BigInt.asUintN(64, BigInt(by!)) % bits,
      left = isLeft ? n : (bits - n) % bits;
    const value = BigInt.asUintN(Number(bits), BigInt(a!));
    return wrapTo(t, (value << left) | (value >> (bits - left)));
  };

/** The bytes that a value has in memory, lowest first. */
function bytesOf(t: Machine, value: Folded): DataView {
  const view = new DataView(new ArrayBuffer(Math.max(1, width(t) >> 3)));
  if (t === 'f32') view.setFloat32(0, Number(value), true);
  else if (t === 'f64') view.setFloat64(0, Number(value), true);
  else for (let i = 0; i < view.byteLength; i++) view.setUint8(i, Number((BigInt(value) >> BigInt(8 * i)) & 255n));
  return view;
}
function fromBytes(t: Machine, view: DataView): Folded {
  if (t === 'f32') return view.getFloat32(0, true);
  if (t === 'f64') return view.getFloat64(0, true);
  let value = 0n;
  for (let i = view.byteLength - 1; i >= 0; i--) value = (value << 8n) | BigInt(view.getUint8(i));
  return wrapTo(t, value);
}
const swap: Fold = (t, _to, a) => {
  const view = bytesOf(t, a!);
  new Uint8Array(view.buffer).reverse();
  return fromBytes(t, view);
};
/** Digits to one base read as digits to the other. */
const digits =
  (from: bigint, to: bigint): Fold =>
  (_t, _to, a) => {
    let result = 0n,
      weight = 1n;
    for (let rest = BigInt.asUintN(64, BigInt(a!)); rest; rest /= from) {
      result += (rest % from) * weight;
      weight *= to;
    }
    return wrapTo(_to, BigInt.asUintN(64, result));
  };

const wide = (value: bigint): bigint => BigInt.asIntN(64, value);
const floorDivide = (a: bigint, by: bigint): bigint => (a - (((a % by) + by) % by)) / by;
/** Days since 1970-01-01 in the Gregorian calendar; years are counted from March. */
const days: Fold = (_t, _to, year, month, day) => {
  const m = BigInt(month!),
    y = BigInt(year!) - (m > 2n ? 0n : 1n),
    era = floorDivide(y, 400n),
    ofEra = y - era * 400n;
  const ofYear = (((m + 9n) % 12n) * 153n + 2n) / 5n + BigInt(day!) - 1n;
  return wide(era * 146097n + ofEra * 365n + ofEra / 4n - ofEra / 100n + ofYear - 719468n);
};
/** Year × 10,000 + month × 100 + day. */
const civil: Fold = (_t, _to, a) => {
  const shiftedDays = BigInt(a!) + 719468n,
    era = floorDivide(shiftedDays, 146097n),
    ofEra = shiftedDays - era * 146097n;
  const year = (ofEra - ofEra / 1460n + ofEra / 36524n - ofEra / 146096n) / 365n;
  const ofYear = ofEra - (365n * year + year / 4n - year / 100n);
  const march = (5n * ofYear + 2n) / 153n,
    day = ofYear - (153n * march + 2n) / 5n + 1n,
    month = march < 10n ? march + 3n : march - 9n;
  return wide((year + era * 400n + (month > 2n ? 0n : 1n)) * 10000n + month * 100n + day);
};

const least =
  (isLeast: boolean): Fold =>
  (t, _to, a, b) =>
    isReal(t) ? (isLeast ? Math.min : Math.max)(Number(a), Number(b)) : BigInt(a!) < BigInt(b!) === isLeast ? a! : b!;

export const FOLD: FoldColumn = {
  add: arithmetic(
    (a, b) => a + b,
    (a, b) => a + b,
  ),
  sub: arithmetic(
    (a, b) => a - b,
    (a, b) => a - b,
  ),
  mul: arithmetic(
    (a, b) => a * b,
    (a, b) => a * b,
  ),
  div: arithmetic(
    (a, b) => a / b,
    (a, b) => a / b,
  ),
  mod: whole((a, b) => (b ? a % b : 0n)),
  neg: (t, _to, a) => (isReal(t) ? -Number(a) : wrapTo(t, -BigInt(a!))),
  abs: (t, _to, a) => (isReal(t) ? Math.abs(Number(a)) : wrapTo(t, BigInt(a!) < 0n ? -BigInt(a!) : BigInt(a!))),
  sqrt: (t, _to, a) => round(t, Math.sqrt(Number(a))),
  and: whole((a, b) => a & b),
  or: whole((a, b) => a | b),
  xor: whole((a, b) => a ^ b),
  not: (t, _to, a) => wrapTo(t, ~BigInt(a!)),
  shl: shifted((a, n) => a << n),
  shr: shifted((a, n) => a >> n),
  rol: rotated(true),
  ror: rotated(false),
  eq: compare((a, b) => a === b),
  ne: compare((a, b) => a !== b),
  lt: compare((a, b) => a < b),
  le: compare((a, b) => a <= b),
  gt: compare((a, b) => a > b),
  ge: compare((a, b) => a >= b),
  min: least(true),
  max: least(false),
  select: (_t, _to, condition, on, off) => (condition ? on! : off!),
  convert: convert(toEven),
  truncate: convert(Math.trunc),
  bits: (t, to, a) => fromBytes(to, bytesOf(t, a!)),
  swap,
  isBcd: (_t, _to, a) => (BigInt.asUintN(64, BigInt(a!)).toString(16).match(/[a-f]/) ? 0n : 1n),
  fromBcd: digits(16n, 10n),
  toBcd: digits(10n, 16n),
  days,
  civil,
  textLength: 'memory',
  textCompare: 'memory',
  textFind: 'memory',
  textToInt: 'memory',
  textFirst: 'memory',
  textRead: 'memory',
  classOf: 'memory',
  sin: math1(math.sin),
  cos: math1(math.cos),
  tan: math1(math.tan),
  asin: math1(math.asin),
  acos: math1(math.acos),
  atan: math1(math.atan),
  exp: math1(math.exp),
  log: math1(math.log),
  log10: math1(math.log10),
  pow: math2(math.pow),
  atan2: math2(math.atan2),
};
