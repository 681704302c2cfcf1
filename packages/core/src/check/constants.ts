/** Values known before the run: folding, and the constants that declarations ask for. */
import type { BinaryOp } from '../language/tree.js';
import { type ElementaryName, type Type, baseOf, isReal, rangeOf, wrap } from '../types/type.js';
import { pow } from '../types/math.js';
import type { Checked } from './checked.js';

type Value = bigint | number | boolean | string;

/** The value of `left op right`, both of one type; undefined where only the run can tell (division by zero). */
export function foldBinary(op: BinaryOp, left: Value, right: Value, type: Type): Value | undefined {
  if (typeof left === 'boolean' && typeof right === 'boolean') {
    switch (op) {
      case 'AND':
        return left && right;
      case 'OR':
        return left || right;
      case 'XOR':
      case '<>':
        return left !== right;
      case '=':
        return left === right;
      default:
        return undefined;
    }
  }
  const compared = compare(op, left, right);
  if (compared !== undefined) return compared;
  if (typeof left === 'string' || typeof right === 'string') return undefined;
  if (typeof left === 'number' || typeof right === 'number') {
    const a = Number(left),
      b = Number(right);
    const r =
      op === '+'
        ? a + b
        : op === '-'
          ? a - b
          : op === '*'
            ? a * b
            : op === '/'
              ? a / b
              : op === '**'
                ? pow(a, b)
                : undefined;
    return r === undefined ? undefined : isReal(type) && baseOf(type) === 'REAL' ? Math.fround(r) : r;
  }
  const r = foldInteger(op, left as bigint, right as bigint);
  return r === undefined ? undefined : wrapTo(r, type);
}

function compare(op: BinaryOp, a: Value, b: Value): boolean | undefined {
  switch (op) {
    case '=':
      return a === b;
    case '<>':
      return a !== b;
    case '<':
      return a < b;
    case '>':
      return a > b;
    case '<=':
      return a <= b;
    case '>=':
      return a >= b;
    default:
      return undefined;
  }
}

/** The result of `+`, `-` and `*` before it is brought into a type. */
export const exactly = (op: BinaryOp, a: bigint, b: bigint): bigint | undefined =>
  op === '+' || op === '-' || op === '*' ? foldInteger(op, a, b) : undefined;

function foldInteger(op: BinaryOp, a: bigint, b: bigint): bigint | undefined {
  switch (op) {
    case '+':
      return a + b;
    case '-':
      return a - b;
    case '*':
      return a * b;
    case '/':
      return b === 0n ? undefined : a / b;
    case 'MOD':
      return b === 0n ? 0n : a % b;
    case '**':
      return b >= 0n && b < 1024n ? a ** b : undefined;
    case 'AND':
      return a & b;
    case 'OR':
      return a | b;
    case 'XOR':
      return a ^ b;
    default:
      return undefined;
  }
}

function wrapTo(value: bigint, type: Type): bigint {
  const base = baseOf(type);
  return base ? wrap(value, base) : value;
}

export function constantOf(e: Checked): Value | undefined {
  return e.kind === 'constant' ? e.value : undefined;
}

/** Whether an integer fits the range of a type. */
export function fits(value: bigint, name: ElementaryName): boolean {
  const r = rangeOf(name);
  return value >= r.low && value <= r.high;
}
