/**
 * Terms of quantifier-free logic over Booleans and bit vectors: what a scan computes, as formulas. Equal terms are one
 * object, constants are folded as they are made, and a term prints as SMT-LIB 2.6, the open format of solvers.
 */

/** Width in bits; 0 is a Boolean. */
export type Sort = number;

export type Op =
  | 'const'
  | 'var'
  | 'not'
  | 'and'
  | 'or'
  | 'xor'
  | 'eq'
  | 'ite'
  | 'bvadd'
  | 'bvsub'
  | 'bvmul'
  | 'bvsdiv'
  | 'bvudiv'
  | 'bvsrem'
  | 'bvurem'
  | 'bvand'
  | 'bvor'
  | 'bvxor'
  | 'bvnot'
  | 'bvneg'
  | 'bvshl'
  | 'bvlshr'
  | 'bvashr'
  | 'bvslt'
  | 'bvsle'
  | 'bvult'
  | 'bvule'
  | 'extract'
  | 'concat'
  | 'sext'
  | 'zext'
  | 'fp.lt'
  | 'fp.leq'
  | 'fp.eq'
  | 'apply';

export interface Term {
  readonly id: number;
  readonly op: Op;
  readonly sort: Sort;
  readonly args: readonly Term[];
  /** Of a constant: its bits, unsigned. */
  readonly value?: bigint;
  /**
   * Name of a variable or of a function that is only known to give equal results for equal arguments; bounds of an
   * extract.
   */
  readonly name?: string;
}

const mask = (w: number): bigint => (1n << BigInt(w)) - 1n;
const signed = (v: bigint, w: number): bigint => BigInt.asIntN(w, v);

/** Makes terms; each of its terms belongs to it alone. */
export class Terms {
  private readonly table = new Map<string, Term>();
  private next = 0;
  readonly true = this.make('const', 0, [], 1n);
  readonly false = this.make('const', 0, [], 0n);

  private make(op: Op, sort: Sort, args: readonly Term[], value?: bigint, name?: string): Term {
    const key = `${op} ${sort} ${args.map((a) => a.id).join()} ${value ?? ''} ${name ?? ''}`;
    const known = this.table.get(key);
    if (known) return known;
    const t: Term = {
      id: this.next++,
      op,
      sort,
      args,
      ...(value === undefined ? {} : { value }),
      ...(name === undefined ? {} : { name }),
    };
    this.table.set(key, t);
    return t;
  }

  bool(b: boolean): Term {
    return b ? this.true : this.false;
  }
  bits(value: bigint, width: number): Term {
    return width === 0 ? this.bool(value !== 0n) : this.make('const', width, [], BigInt.asUintN(width, value));
  }
  variable(name: string, sort: Sort): Term {
    return this.make('var', sort, [], undefined, name);
  }
  /** A function of which nothing is known but that it is one. */
  apply(name: string, sort: Sort, args: readonly Term[]): Term {
    return this.make('apply', sort, args, undefined, name);
  }

  not(a: Term): Term {
    if (a.value !== undefined) return this.bool(a.value === 0n);
    return a.op === 'not' ? a.args[0]! : this.make('not', 0, [a]);
  }
  and(...list: readonly Term[]): Term {
    return this.junction('and', list, this.true, this.false);
  }
  or(...list: readonly Term[]): Term {
    return this.junction('or', list, this.false, this.true);
  }
  private junction(op: 'and' | 'or', list: readonly Term[], unit: Term, zero: Term): Term {
    const parts = new Set<Term>();
    for (const a of list)
      for (const x of a.op === op ? a.args : [a]) {
        if (x === zero || parts.has(this.not(x))) return zero;
        if (x !== unit) parts.add(x);
      }
    const args = [...parts].sort((a, b) => a.id - b.id);
    return args.length === 0 ? unit : args.length === 1 ? args[0]! : this.make(op, 0, args);
  }
  xor(a: Term, b: Term): Term {
    return this.not(this.eq(a, b));
  }
  implies(a: Term, b: Term): Term {
    return this.or(this.not(a), b);
  }

  eq(a: Term, b: Term): Term {
    if (a === b) return this.true;
    if (a.value !== undefined && b.value !== undefined) return this.bool(a.value === b.value);
    if (a.sort === 0) {
      if (a.value !== undefined) return a.value ? b : this.not(b);
      if (b.value !== undefined) return b.value ? a : this.not(a);
    }
    // A choice between constants compared with a constant: what says which it is.
    const choice = a.op === 'ite' && b.value !== undefined ? a : undefined;
    if (choice && (choice.args[1]!.value !== undefined || choice.args[2]!.value !== undefined))
      return this.ite(choice.args[0]!, this.eq(choice.args[1]!, b), this.eq(choice.args[2]!, b));
    if (b.op === 'ite' && a.value !== undefined) return this.eq(b, a);
    return a.id < b.id ? this.make('eq', 0, [a, b]) : this.make('eq', 0, [b, a]);
  }

  ite(c: Term, a: Term, b: Term): Term {
    if (c.value !== undefined) return c.value ? a : b;
    if (a === b) return a;
    if (c.op === 'not') return this.ite(c.args[0]!, b, a);
    if (a.sort === 0) {
      if (a === this.true) return this.or(c, b);
      if (a === this.false) return this.and(this.not(c), b);
      if (b === this.true) return this.or(this.not(c), a);
      if (b === this.false) return this.and(c, a);
    }
    if (a.op === 'ite' && a.args[0] === c) return this.ite(c, a.args[1]!, b);
    if (b.op === 'ite' && b.args[0] === c) return this.ite(c, a, b.args[2]!);
    return this.make('ite', a.sort, [c, a, b]);
  }

  /** Arithmetic and bit operations on two vectors of one width. */
  binary(
    op:
      | 'bvadd'
      | 'bvsub'
      | 'bvmul'
      | 'bvsdiv'
      | 'bvudiv'
      | 'bvsrem'
      | 'bvurem'
      | 'bvand'
      | 'bvor'
      | 'bvxor'
      | 'bvshl'
      | 'bvlshr'
      | 'bvashr',
    a: Term,
    b: Term,
  ): Term {
    if (a.value !== undefined && b.value !== undefined) return this.bits(fold(op, a.value, b.value, a.sort), a.sort);
    if (b.value === 0n && ['bvadd', 'bvsub', 'bvor', 'bvxor', 'bvshl', 'bvlshr', 'bvashr'].includes(op)) return a;
    if (a.value === 0n && (op === 'bvadd' || op === 'bvor' || op === 'bvxor')) return b;
    return this.make(op, a.sort, [a, b]);
  }
  compare(op: 'bvslt' | 'bvsle' | 'bvult' | 'bvule', a: Term, b: Term): Term {
    if (a === b) return this.bool(op === 'bvsle' || op === 'bvule');
    if (a.value !== undefined && b.value !== undefined) return this.bool(folded(op, a.value, b.value, a.sort));
    return this.make(op, 0, [a, b]);
  }
  /** Comparison of two IEEE 754 numbers given by their bits. */
  real(op: 'fp.lt' | 'fp.leq' | 'fp.eq', a: Term, b: Term): Term {
    if (a.value !== undefined && b.value !== undefined) {
      const [x, y] = [realOf(a.value, a.sort), realOf(b.value, b.sort)];
      return this.bool(op === 'fp.lt' ? x < y : op === 'fp.leq' ? x <= y : x === y);
    }
    return this.make(op, 0, [a, b]);
  }
  bvnot(a: Term): Term {
    return a.value !== undefined ? this.bits(~a.value, a.sort) : this.make('bvnot', a.sort, [a]);
  }
  bvneg(a: Term): Term {
    return a.value !== undefined ? this.bits(-a.value, a.sort) : this.make('bvneg', a.sort, [a]);
  }
  /** Bits `low` and up, as many as `width`. */
  extract(a: Term, low: number, width: number): Term {
    if (low === 0 && width === a.sort) return a;
    if (a.value !== undefined) return this.bits(a.value >> BigInt(low), width);
    if (a.op === 'ite' && a.args[1]!.value !== undefined && a.args[2]!.value !== undefined)
      return this.ite(a.args[0]!, this.extract(a.args[1]!, low, width), this.extract(a.args[2]!, low, width));
    return this.make('extract', width, [a], undefined, `${low + width - 1} ${low}`);
  }
  concat(high: Term, low: Term): Term {
    if (high.value !== undefined && low.value !== undefined)
      return this.bits((high.value << BigInt(low.sort)) | low.value, high.sort + low.sort);
    return this.make('concat', high.sort + low.sort, [high, low]);
  }
  /** The same operation on other terms. */
  rebuild(t: Term, args: readonly Term[]): Term {
    const [a, b, c] = args as [Term, Term, Term];
    switch (t.op) {
      case 'const':
      case 'var':
        return t;
      case 'not':
        return this.not(a);
      case 'and':
        return this.and(...args);
      case 'or':
        return this.or(...args);
      case 'xor':
        return this.xor(a, b);
      case 'eq':
        return this.eq(a, b);
      case 'ite':
        return this.ite(a, b, c);
      case 'bvnot':
        return this.bvnot(a);
      case 'bvneg':
        return this.bvneg(a);
      case 'bvslt':
      case 'bvsle':
      case 'bvult':
      case 'bvule':
        return this.compare(t.op, a, b);
      case 'fp.lt':
      case 'fp.leq':
      case 'fp.eq':
        return this.real(t.op, a, b);
      case 'extract':
        return this.extract(a, Number(t.name!.split(' ')[1]), t.sort);
      case 'concat':
        return this.concat(a, b);
      case 'sext':
      case 'zext':
        return this.resize(a, t.sort, t.op === 'sext');
      case 'apply':
        return this.apply(t.name!, t.sort, args);
      default:
        return this.binary(t.op, a, b);
    }
  }

  /** The term with other terms in place of its variables. */
  substitute(t: Term, by: (variable: Term) => Term, known = new Map<Term, Term>()): Term {
    const stack: Term[] = [t];
    while (stack.length) {
      const x = stack[stack.length - 1]!;
      if (known.has(x)) {
        stack.pop();
        continue;
      }
      if (x.op === 'var') {
        known.set(x, by(x));
        stack.pop();
        continue;
      }
      const open = x.args.filter((a) => !known.has(a));
      if (open.length) {
        stack.push(...open);
        continue;
      }
      known.set(
        x,
        x.args.length
          ? this.rebuild(
              x,
              x.args.map((a) => known.get(a)!),
            )
          : x,
      );
      stack.pop();
    }
    return known.get(t)!;
  }

  /** The same number in more bits, or its lowest bits. */
  resize(a: Term, width: number, isSigned: boolean): Term {
    if (width === a.sort) return a;
    if (width < a.sort) return this.extract(a, 0, width);
    if (a.value !== undefined) return this.bits(isSigned ? signed(a.value, a.sort) : a.value, width);
    return this.make(isSigned ? 'sext' : 'zext', width, [a], undefined, String(width - a.sort));
  }
}

function fold(op: string, a: bigint, b: bigint, w: number): bigint {
  const [x, y] = [signed(a, w), signed(b, w)];
  switch (op) {
    case 'bvadd':
      return a + b;
    case 'bvsub':
      return a - b;
    case 'bvmul':
      return a * b;
    case 'bvand':
      return a & b;
    case 'bvor':
      return a | b;
    case 'bvxor':
      return a ^ b;
    // Division by zero as SMT-LIB has it; what a program makes of it is said where the term is made.
    case 'bvudiv':
      return b === 0n ? mask(w) : a / b;
    case 'bvurem':
      return b === 0n ? a : a % b;
    case 'bvsdiv':
      return y === 0n ? (x < 0n ? 1n : -1n) : x / y;
    case 'bvsrem':
      return y === 0n ? x : x % y;
    case 'bvshl':
      return b >= BigInt(w) ? 0n : a << b;
    case 'bvlshr':
      return b >= BigInt(w) ? 0n : a >> b;
    case 'bvashr':
      return x >> (b >= BigInt(w) ? BigInt(w) : b);
  }
  throw new Error(`no such operation: ${op}`);
}
function folded(op: string, a: bigint, b: bigint, w: number): boolean {
  const [x, y] = [signed(a, w), signed(b, w)];
  return op === 'bvslt' ? x < y : op === 'bvsle' ? x <= y : op === 'bvult' ? a < b : a <= b;
}

/** The number whose bits these are. */
export function realOf(bits: bigint, width: number): number {
  const v = new DataView(new ArrayBuffer(8));
  if (width === 32) {
    v.setUint32(0, Number(bits));
    return v.getFloat32(0);
  }
  v.setBigUint64(0, bits);
  return v.getFloat64(0);
}
/** The bits of a number. */
export function bitsOfReal(value: number, width: number): bigint {
  const v = new DataView(new ArrayBuffer(8));
  if (width === 32) {
    v.setFloat32(0, value);
    return BigInt(v.getUint32(0));
  }
  v.setFloat64(0, value);
  return v.getBigUint64(0);
}

/**
 * Values of terms under values of their variables, given by place: `index` says which of them a variable is. The
 * function gives nothing where one of the terms hangs on something unknown.
 */
export function evaluator(
  terms: readonly Term[],
  index: ReadonlyMap<Term, number>,
): ((values: readonly bigint[]) => bigint[] | undefined) & { readonly size: number } {
  // Arguments before what uses them, each once.
  const order: Term[] = [],
    at = new Map<Term, number>(),
    stack = [...terms].reverse();
  while (stack.length) {
    const t = stack[stack.length - 1]!;
    if (at.has(t)) {
      stack.pop();
      continue;
    }
    const open = t.args.filter((a) => !at.has(a));
    if (open.length) {
      stack.push(...open);
      continue;
    }
    at.set(t, order.length);
    order.push(t);
    stack.pop();
  }
  const inputs = order.map((t) => t.args.map((a) => at.get(a)!)),
    slots = order.map((t) => (t.op === 'var' ? index.get(t) : undefined));
  const results = terms.map((t) => at.get(t)!);
  const held: (bigint | undefined)[] = new Array<bigint | undefined>(order.length);
  const evaluate = (values: readonly bigint[]): bigint[] | undefined => {
    for (let i = 0; i < order.length; i++) {
      const t = order[i]!,
        slot = slots[i];
      held[i] = slot !== undefined ? values[slot] : t.op === 'var' ? undefined : apply(t, inputs[i]!, held);
    }
    const out = results.map((r) => held[r]);
    return out.every((v) => v !== undefined) ? (out as bigint[]) : undefined;
  };
  return Object.assign(evaluate, { size: order.length });
}

function apply(t: Term, inputs: readonly number[], held: readonly (bigint | undefined)[]): bigint | undefined {
  if (t.value !== undefined) return t.value;
  const a = held[inputs[0]!],
    b = held[inputs[1]!],
    truth = (x: boolean) => (x ? 1n : 0n);
  switch (t.op) {
    case 'apply':
      return undefined;
    case 'ite':
      return a === undefined ? undefined : a ? b : held[inputs[2]!];
    case 'and':
    case 'or': {
      const zero = t.op === 'and' ? 0n : 1n;
      let known = true;
      for (const i of inputs) {
        if (held[i] === zero) return zero;
        if (held[i] === undefined) known = false;
      }
      return known ? 1n - zero : undefined;
    }
  }
  if (a === undefined || (inputs.length > 1 && b === undefined)) return undefined;
  const w = t.args[0]!.sort;
  switch (t.op) {
    case 'not':
      return truth(a === 0n);
    case 'eq':
      return truth(a === b);
    case 'xor':
      return truth(a !== b);
    case 'bvnot':
      return BigInt.asUintN(w, ~a);
    case 'bvneg':
      return BigInt.asUintN(w, -a);
    case 'bvslt':
    case 'bvsle':
    case 'bvult':
    case 'bvule':
      return truth(folded(t.op, a, b!, w));
    case 'fp.lt':
      return truth(realOf(a, w) < realOf(b!, w));
    case 'fp.leq':
      return truth(realOf(a, w) <= realOf(b!, w));
    case 'fp.eq':
      return truth(realOf(a, w) === realOf(b!, w));
    case 'extract':
      return BigInt.asUintN(t.sort, a >> BigInt(t.name!.split(' ')[1]!));
    case 'concat':
      return (a << BigInt(t.args[1]!.sort)) | b!;
    case 'sext':
      return BigInt.asUintN(t.sort, signed(a, w));
    case 'zext':
      return a;
    default:
      return BigInt.asUintN(t.sort, fold(t.op, a, b!, w));
  }
}

/** Variables that terms depend on. */
export function variablesOf(terms: Iterable<Term>, seen = new Set<Term>()): Term[] {
  const found: Term[] = [];
  const stack = [...terms];
  while (stack.length) {
    const t = stack.pop()!;
    if (seen.has(t)) continue;
    seen.add(t);
    if (t.op === 'var') found.push(t);
    stack.push(...t.args);
  }
  return found;
}

export const sortText = (s: Sort): string => (s === 0 ? 'Bool' : `(_ BitVec ${s})`);
const FLOAT: Readonly<Record<number, string>> = { 32: '(_ to_fp 8 24)', 64: '(_ to_fp 11 53)' };

/**
 * Prints terms of one moment of an unrolled run: each shared term becomes a definition of its own, so the text grows
 * with the number of terms and not with their unfolding.
 */
export class Printer {
  private readonly names = new Map<Term, string>();
  /** `bind` gives the text for a variable at this moment. */
  constructor(
    private readonly prefix: string,
    private readonly bind: (t: Term) => string,
    private readonly functions: Set<string>,
  ) {}

  /** The text that stands for a term; what has to be defined before is added to `out`. */
  text(t: Term, out: string[]): string {
    const known = this.names.get(t);
    if (known) return known;
    // Without recursion: a long program is a deep term.
    const stack: Term[] = [t];
    while (stack.length) {
      const x = stack[stack.length - 1]!;
      if (this.names.has(x)) {
        stack.pop();
        continue;
      }
      const open = x.args.filter((a) => !this.names.has(a));
      if (open.length) {
        stack.push(...open);
        continue;
      }
      stack.pop();
      this.names.set(x, this.define(x, out));
    }
    return this.names.get(t)!;
  }

  private define(t: Term, out: string[]): string {
    if (t.op === 'const') return t.sort === 0 ? (t.value ? 'true' : 'false') : `(_ bv${t.value} ${t.sort})`;
    if (t.op === 'var') return this.bind(t);
    const args = t.args.map((a) => this.names.get(a)!);
    const text = this.plain(t, args, out);
    if (t.op === 'not') return text;
    const name = `${this.prefix}${t.id}`;
    out.push(`(define-fun ${name} () ${sortText(t.sort)} ${text})`);
    return name;
  }

  private plain(t: Term, args: readonly string[], out: string[]): string {
    switch (t.op) {
      case 'eq':
        return `(= ${args.join(' ')})`;
      case 'extract':
        return `((_ extract ${t.name}) ${args[0]})`;
      case 'sext':
        return `((_ sign_extend ${t.name}) ${args[0]})`;
      case 'zext':
        return `((_ zero_extend ${t.name}) ${args[0]})`;
      case 'fp.lt':
      case 'fp.leq':
      case 'fp.eq': {
        const f = FLOAT[t.args[0]!.sort]!;
        return `(${t.op} ${args.map((a) => `(${f} ${a})`).join(' ')})`;
      }
      case 'apply': {
        const f = `f_${t.name}_${t.args.map((a) => a.sort).join('_')}_${t.sort}`;
        if (!this.functions.has(f)) {
          this.functions.add(f);
          out.push(`(declare-fun ${f} (${t.args.map((a) => sortText(a.sort)).join(' ')}) ${sortText(t.sort)})`);
        }
        return args.length ? `(${f} ${args.join(' ')})` : f;
      }
      default:
        return `(${t.op} ${args.join(' ')})`;
    }
  }
}
