/** Values known before the run: folding, and the constants that declarations ask for. */
import type { BinaryOp } from '../language/tree.js';
import { MACHINES, type Machine } from '../ir/machine.js';
import type { OpName } from '../ir/ops/names.js';
import { FOLD, type Fold } from '../ir/ops/fold.js';
import { type ElementaryName, type Type, baseOf, rangeOf, wrap } from '../types/type.js';
import type { Checked } from '../checked/tree.js';

type Value = bigint | number | boolean | string;

const OPERATIONS: Partial<Record<BinaryOp, OpName>> = {
  '+': 'add',
  '-': 'sub',
  '*': 'mul',
  '/': 'div',
  MOD: 'mod',
  AND: 'and',
  OR: 'or',
  XOR: 'xor',
  '=': 'eq',
  '<>': 'ne',
  '<': 'lt',
  '>': 'gt',
  '<=': 'le',
  '>=': 'ge',
};
const COMPARES: Partial<Record<BinaryOp, (a: Value, b: Value) => boolean>> = {
  '=': (a, b) => a === b,
  '<>': (a, b) => a !== b,
  '<': (a, b) => a < b,
  '>': (a, b) => a > b,
  '<=': (a, b) => a <= b,
  '>=': (a, b) => a >= b,
};

/** The value of `left op right`, both of one type; undefined where only the run can tell (division by zero). */
export function foldBinary(op: BinaryOp, left: Value, right: Value, type: Type): Value | undefined {
  const compares = COMPARES[op];
  if (typeof left === 'boolean' && typeof right === 'boolean') {
    if (compares && op !== '=' && op !== '<>') return undefined;
    return apply(op, 'bool', left ? 1n : 0n, right ? 1n : 0n) === 1n;
  }
  // Characters, and literals whose type is still open: as they stand.
  if (compares) return compares(left, right);
  if (typeof left === 'string' || typeof right === 'string') return undefined;
  const base = baseOf(type);
  if (typeof left === 'number' || typeof right === 'number')
    return apply(op, base === 'REAL' ? 'f32' : 'f64', Number(left), Number(right));
  const [a, b] = [left as bigint, right as bigint];
  if (op === '/' && b === 0n) return undefined;
  if (op === '**') {
    const power = b >= 0n && b < 1024n ? a ** b : undefined;
    return power === undefined || !base ? power : wrap(power, base);
  }
  return base ? apply(op, MACHINES[base], a, b) : exactly(op, a, b);
}

/** What the run would give (`ir/ops`); undefined for what is no operation of this type. */
function apply(op: BinaryOp, type: Machine, a: bigint | number, b: bigint | number): Value | undefined {
  const name = op === '**' ? 'pow' : OPERATIONS[op],
    fold = name && FOLD[name];
  if (!fold || fold === 'memory') return undefined;
  const isReal = type === 'f32' || type === 'f64';
  if (isReal && !['add', 'sub', 'mul', 'div', 'pow'].includes(name)) return undefined;
  const result = fold(type, type, a, b);
  return type === 'f32' ? Math.fround(Number(result)) : result;
}
/** The opposite of a number, or all bits of one turned. */
export function foldUnary(name: 'neg' | 'not', value: Value, type: Type): Value {
  const base = baseOf(type);
  if (typeof value === 'number') return -value;
  if (typeof value === 'bigint' && !base) return name === 'neg' ? -value : ~value;
  const result = (FOLD[name] as Fold)(MACHINES[base ?? 'BOOL'], MACHINES[base ?? 'BOOL'], BigInt(value));
  return typeof value === 'boolean' ? result === 1n : result;
}

/** Arithmetic and logic of literals before a type cuts the result. */
export function exactly(op: BinaryOp, a: bigint, b: bigint): bigint | undefined {
  switch (op) {
    case '+':
      return a + b;
    case '-':
      return a - b;
    case '*':
      return a * b;
    case '/':
      return b ? a / b : undefined;
    case 'MOD':
      return b ? a % b : 0n;
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

export function constantOf(e: Checked): Value | undefined {
  return e.kind === 'constant' ? e.value : undefined;
}

/** Whether an integer fits the range of a type. */
export function fits(value: bigint, name: ElementaryName): boolean {
  const r = rangeOf(name);
  return value >= r.low && value <= r.high;
}
