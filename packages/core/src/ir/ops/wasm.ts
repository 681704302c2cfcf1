/**
 * Each operation in WebAssembly. Whole numbers below 32 bits live in i32, always extended by their sign or by zeros, so
 * whatever may leave their range is brought back into it.
 */
import type { Helper } from '../../compile/strings.js';
import { type Code, F32, F64, I32, I64, OP, type ValueType } from '../../compile/wasm.js';
import type { Machine } from '../machine.js';
import type { OpName } from './names.js';

/** An operand: what puts it on the stack, and its value where that is known. */
export interface Operand {
  push(): void;
  readonly constant?: bigint | number | undefined;
}
/** Where code is put, and the functions that it may call. */
export interface Around {
  readonly code: Code;
  helper(name: Helper): number;
  math(name: string): number;
}
/** Puts the result on the stack; `t` is the type of the operands, `to` that of the result. */
export type InWasm = (e: Around, t: Machine, to: Machine, ...args: Operand[]) => void;

/** What a value is kept in. Durations are 64 bits of nanoseconds, addresses 32. */
export const wasmOf = (t: Machine): ValueType =>
  t === 'f32' ? F32 : t === 'f64' ? F64 : t === 'i64' || t === 'u64' || t === 'time' ? I64 : I32;
export const hasSign = (t: Machine): boolean => t.startsWith('i') || t === 'time';
/** Bits that a whole number has; a BOOL takes a byte. */
export const bitsOf = (t: Machine): number =>
  t === 'bool' ? 8 : t === 'time' ? 64 : t === 'pointer' ? 32 : Number(t.slice(1));

/** Brings the i32 on the stack back into the range of a type. */
export function normalize(code: Code, t: Machine): void {
  if (t === 'bool') code.i32(1).op(OP.i32And);
  else if (t === 'i8') code.op(OP.i32Extend8S);
  else if (t === 'u8') code.i32(0xff).op(OP.i32And);
  else if (t === 'i16') code.op(OP.i32Extend16S);
  else if (t === 'u16') code.i32(0xffff).op(OP.i32And);
}

/** Pushes a number. */
export function pushConstant(code: Code, t: Machine, value: bigint | number): void {
  const v = wasmOf(t);
  if (v === F32) code.f32(Number(value));
  else if (v === F64) code.f64(Number(value));
  else if (v === I64) code.i64(BigInt(value));
  else code.i32(Number(BigInt.asIntN(32, BigInt(value))));
}

/** Opcodes by type: i32 signed and unsigned, i64 signed and unsigned, f32, f64. */
type Codes = readonly number[];
const at = (codes: Codes, t: Machine): number => {
  const v = wasmOf(t);
  const found = codes[v === F32 ? 4 : v === F64 ? 5 : (v === I64 ? 2 : 0) + (hasSign(t) ? 0 : 1)];
  if (found === undefined) throw new Error(`no code for this operation of ${t}`);
  return found;
};
const each = (e: Around, args: readonly Operand[]): Code => {
  for (const a of args) a.push();
  return e.code;
};
const plain =
  (...codes: Codes): InWasm =>
  (e, t, _to, ...args) => {
    each(e, args).op(at(codes, t));
  };
/** May leave the range of its type. */
const wrapping =
  (...codes: Codes): InWasm =>
  (e, t, _to, ...args) => {
    normalize(each(e, args).op(at(codes, t)), t);
  };
const SUB: Codes = [0x6b, 0x6b, 0x7d, 0x7d, 0x93, 0xa1];
const DIV: Codes = [0x6d, 0x6e, 0x7f, 0x80, 0x95, 0xa3];
const REM: Codes = [0x6f, 0x70, 0x81, 0x82];
const EQ: Codes = [0x46, 0x46, 0x51, 0x51, 0x5b, 0x61];
const LE: Codes = [0x4c, 0x4d, 0x57, 0x58, 0x5f, 0x65];
const GE: Codes = [0x4e, 0x4f, 0x59, 0x5a, 0x60, 0x66];

/** Uses a local for a moment. */
function held(e: Around, type: ValueType, use: (local: number) => void): void {
  const local = e.code.scratch(type);
  use(local);
  e.code.release(type, local);
}

/** The lowest value by -1 wraps: the hardware of 32 and 64 bits refuses it. */
const divide: InWasm = (e, t, _to, a, b) => {
  const { code } = e,
    v = wasmOf(t),
    wide = v === I64;
  if (v === F32 || v === F64 || !hasSign(t) || bitsOf(t) < 32 || (b!.constant !== undefined && b!.constant !== -1n)) {
    each(e, [a!, b!]).op(at(DIV, t));
    normalize(code, t);
    return;
  }
  held(e, v, (x) =>
    held(e, v, (y) => {
      each(e, [a!]).set(x);
      each(e, [b!]).tee(y);
      pushConstant(code, t, -1n);
      code.op(at(EQ, t)).open(OP.if, v);
      pushConstant(code, t, 0n);
      code.get(x).op(at(SUB, t)).else().get(x).get(y);
      code.op(wide ? OP.i64DivS : 0x6d).end();
    }),
  );
};
/** By zero it is 0 (choices.md). */
const remainder: InWasm = (e, t, _to, a, b) => {
  const { code } = e,
    v = wasmOf(t);
  if (b!.constant !== undefined && b!.constant !== 0n) {
    each(e, [a!, b!]).op(at(REM, t));
    return;
  }
  held(e, v, (x) =>
    held(e, v, (y) => {
      each(e, [a!]).set(x);
      each(e, [b!])
        .tee(y)
        .op(v === I64 ? OP.i64Eqz : OP.i32Eqz)
        .open(OP.if, v);
      pushConstant(code, t, 0n);
      code.else().get(x).get(y).op(at(REM, t)).end();
    }),
  );
};
const negate: InWasm = (e, t, _to, a) => {
  const { code } = e,
    v = wasmOf(t);
  if (v === F32 || v === F64) {
    each(e, [a!]).op(v === F32 ? OP.f32Neg : OP.f64Neg);
    return;
  }
  pushConstant(code, t, 0n);
  normalize(each(e, [a!]).op(at(SUB, t)), t);
};
const absolute: InWasm = (e, t, to, a) => {
  const { code } = e,
    v = wasmOf(t);
  if (v === F32 || v === F64) {
    each(e, [a!]).op(v === F32 ? OP.f32Abs : OP.f64Abs);
    return;
  }
  held(e, v, (x) => {
    each(e, [a!]).set(x);
    negate(e, t, to, { push: () => code.get(x) });
    code.get(x).get(x);
    pushConstant(code, t, 0n);
    code.op(v === I64 ? OP.i64LtS : OP.i32LtS, OP.select);
  });
};
const choose =
  (whole: Codes, f32: number, f64: number): InWasm =>
  (e, t, _to, a, b) => {
    const v = wasmOf(t);
    if (v === F32 || v === F64) {
      each(e, [a!, b!]).op(v === F32 ? f32 : f64);
      return;
    }
    held(e, v, (x) =>
      held(e, v, (y) => {
        each(e, [a!, b!]).set(y).set(x).get(x).get(y).get(x).get(y).op(at(whole, t), OP.select);
      }),
    );
  };
const not: InWasm = (e, t, _to, a) => {
  const code = each(e, [a!]);
  // A BOOL is 0 or 1: turning its bit costs one instruction, comparing it with 0 three.
  if (t === 'bool') code.i32(1).op(OP.i32Xor);
  else if (wasmOf(t) === I64) code.i64(-1n).op(OP.i64Xor);
  else normalize(code.i32(-1).op(OP.i32Xor), t);
};

/** Shifting by the width or more leaves zeros (table 30); how far is a number of 64 bits. */
const shift =
  (isLeft: boolean): InWasm =>
  (e, t, _to, a, by) => {
    const { code } = e,
      wide = wasmOf(t) === I64,
      width = BigInt(bitsOf(t));
    const op = wide ? (isLeft ? OP.i64Shl : OP.i64ShrU) : isLeft ? OP.i32Shl : OP.i32ShrU;
    const known = by!.constant === undefined ? undefined : BigInt.asUintN(64, BigInt(by!.constant));
    if (known !== undefined && known >= width) {
      pushConstant(code, t, 0n);
      return;
    }
    if (known !== undefined) {
      each(e, [a!]);
      pushConstant(code, t, known);
      code.op(op);
      if (isLeft) normalize(code, t);
      return;
    }
    held(e, I64, (n) => {
      each(e, [a!]);
      each(e, [by!]).set(n).get(n);
      if (!wide) code.op(OP.i32WrapI64);
      code.op(op);
      pushConstant(code, t, 0n);
      code.get(n).i64(width).op(OP.i64LtU, OP.select);
      if (isLeft) normalize(code, t);
    });
  };
/** Rotating counts modulo the width (table 30). */
const rotate =
  (isLeft: boolean): InWasm =>
  (e, t, _to, a, by) => {
    const { code } = e;
    if (bitsOf(t) === 64) {
      each(e, [a!, by!]).op(isLeft ? 0x89 : 0x8a);
      return;
    }
    if (bitsOf(t) === 32) {
      each(e, [a!, by!]).op(OP.i32WrapI64, isLeft ? 0x77 : 0x78);
      return;
    }
    // A narrower value stands twice in 32 bits (or four times), which then rotate as one.
    each(e, [a!]);
    for (let bits = bitsOf(t); bits < 32; bits *= 2)
      held(e, I32, (x) => code.tee(x).get(x).i32(bits).op(OP.i32Shl, OP.i32Or));
    each(e, [by!]).op(OP.i32WrapI64, isLeft ? 0x77 : 0x78);
    normalize(code, t);
  };

/** i64 on the stack to a narrower whole number. */
function narrow(code: Code, to: Machine): void {
  if (wasmOf(to) === I64) return;
  normalize(code.op(OP.i32WrapI64), to);
}
/**
 * Whole to whole keeps the rightmost bits, real to whole rounds to nearest even (or cuts off) and stops at the ends of
 * 64 bits (tables 22 to 27, choices.md).
 */
const convert =
  (isCut: boolean): InWasm =>
  (e, t, to, a) => {
    const code = each(e, [a!]),
      from = wasmOf(t),
      result = wasmOf(to),
      signed = hasSign(t);
    if (from === F32 || from === F64) {
      if (result === F32 || result === F64) {
        if (from !== result) code.op(result === F64 ? OP.f64PromoteF32 : OP.f32DemoteF64);
        return;
      }
      if (from === F32) code.op(OP.f64PromoteF32);
      code.op(isCut ? OP.f64Trunc : OP.f64Nearest).truncSat(to === 'u64');
      narrow(code, to);
    } else if (result === F32)
      code.op(
        from === I64
          ? signed
            ? OP.f32ConvertI64S
            : OP.f32ConvertI64U
          : signed
            ? OP.f32ConvertI32S
            : OP.f32ConvertI32U,
      );
    else if (result === F64)
      code.op(
        from === I64
          ? signed
            ? OP.f64ConvertI64S
            : OP.f64ConvertI64U
          : signed
            ? OP.f64ConvertI32S
            : OP.f64ConvertI32U,
      );
    else if (from === I64) narrow(code, to);
    else if (result === I64) code.op(signed ? OP.i64ExtendI32S : OP.i64ExtendI32U);
    else if (t !== to && (bitsOf(to) < bitsOf(t) || signed !== hasSign(to) || to === 'bool')) normalize(code, to);
  };

/** The bytes of a value in the opposite order. */
const swap: InWasm = (e, t, _to, a) => {
  const { code } = e,
    size = bitsOf(t) / 8,
    kept = wasmOf(t);
  each(e, [a!]);
  if (kept === F64) code.op(OP.i64ReinterpretF64);
  else if (kept === F32) code.op(OP.i32ReinterpretF32, OP.i64ExtendI32U);
  else if (kept === I32) code.op(OP.i64ExtendI32U);
  held(e, I64, (v) => {
    code.set(v).i64(0n);
    for (let i = 0; i < size; i++)
      code
        .get(v)
        .i64(BigInt(8 * i))
        .op(OP.i64ShrU)
        .i64(255n)
        .op(OP.i64And)
        .i64(BigInt(8 * (size - 1 - i)))
        .op(OP.i64Shl, OP.i64Or);
  });
  if (kept === F64) code.op(OP.f64ReinterpretI64);
  else if (kept === F32) code.op(OP.i32WrapI64, OP.f32ReinterpretI32);
  else if (kept === I32) normalize(code.op(OP.i32WrapI64), t);
};
/** Whether each of sixteen groups of four bits is a decimal digit. */
const isBcd: InWasm = (e, _t, _to, a) => {
  const { code } = e;
  each(e, [a!]);
  held(e, I64, (v) => {
    code.set(v).i64(0n);
    for (let i = 0n; i < 16n; i++)
      code
        .get(v)
        .i64(i * 4n)
        .op(OP.i64ShrU)
        .i64(15n)
        .op(OP.i64And)
        .i64(9n)
        .op(OP.i64GtS, OP.i64ExtendI32U, OP.i64Or);
    code.op(OP.i64Eqz);
  });
};
const BITS: Partial<Record<string, number>> = {
  'f64 i64': OP.i64ReinterpretF64,
  'i64 f64': OP.f64ReinterpretI64,
  'f32 i32': OP.i32ReinterpretF32,
  'i32 f32': OP.f32ReinterpretI32,
};
const bits: InWasm = (e, t, to, a) => {
  const code = BITS[`${t} ${to}`];
  if (code === undefined) throw new Error(`no bits of ${t} as ${to}`);
  each(e, [a!]).op(code);
};
const helper =
  (name: Helper): InWasm =>
  (e, _t, _to, ...args) => {
    each(e, args).call(e.helper(name));
  };
const math =
  (name: string): InWasm =>
  (e, _t, _to, ...args) => {
    each(e, args).call(e.math(name));
  };
/** A helper for characters of the width that is the first operand. */
const text =
  (name: 'compare' | 'find' | 'toInt'): InWasm =>
  (e, _t, _to, width, ...args) => {
    each(e, args).call(e.helper(`${name}${isWide(width!) ? 2 : 1}`));
  };
const isWide = (width: Operand): boolean => width.constant === 2n;

export const WASM: Record<OpName, InWasm> = {
  add: wrapping(0x6a, 0x6a, 0x7c, 0x7c, 0x92, 0xa0),
  sub: wrapping(...SUB),
  mul: wrapping(0x6c, 0x6c, 0x7e, 0x7e, 0x94, 0xa2),
  div: divide,
  mod: remainder,
  neg: negate,
  abs: absolute,
  sqrt: (e, t, _to, a) => {
    each(e, [a!]).op(t === 'f32' ? OP.f32Sqrt : OP.f64Sqrt);
  },
  and: plain(0x71, 0x71, 0x83, 0x83),
  or: plain(0x72, 0x72, 0x84, 0x84),
  xor: plain(0x73, 0x73, 0x85, 0x85),
  not,
  shl: shift(true),
  shr: shift(false),
  rol: rotate(true),
  ror: rotate(false),
  eq: plain(...EQ),
  ne: plain(0x47, 0x47, 0x52, 0x52, 0x5c, 0x62),
  lt: plain(0x48, 0x49, 0x53, 0x54, 0x5d, 0x63),
  le: plain(...LE),
  gt: plain(0x4a, 0x4b, 0x55, 0x56, 0x5e, 0x64),
  ge: plain(...GE),
  min: choose(LE, 0x96, 0xa4),
  max: choose(GE, 0x97, 0xa5),
  select: (e, _t, _to, condition, on, off) => {
    each(e, [on!, off!, condition!]).op(OP.select);
  },
  convert: convert(false),
  truncate: convert(true),
  bits,
  swap,
  isBcd,
  fromBcd: helper('fromBcd1'),
  toBcd: helper('toBcd1'),
  days: helper('days1'),
  civil: helper('civil1'),
  textLength: (e, _t, _to, a) => {
    each(e, [a!]).memory(OP.i32Load, 0);
  },
  textCompare: text('compare'),
  textFind: text('find'),
  textToInt: text('toInt'),
  textFirst: (e, _t, _to, width, a) => {
    held(e, I32, (x) => {
      each(e, [a!])
        .tee(x)
        .memory(isWide(width!) ? OP.i32Load16U : OP.i32Load8U, 4)
        .i32(0)
        .get(x)
        .memory(OP.i32Load, 0)
        .op(OP.select);
    });
  },
  textRead: (e, _t, _to, width, type, a) => {
    each(e, [type!]).i32(isWide(width!) ? 1 : 0);
    each(e, [a!]).call(e.math('read'));
  },
  classOf: (e, _t, _to, a) => {
    each(e, [a!]).memory(OP.i32Load, 0);
  },
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
