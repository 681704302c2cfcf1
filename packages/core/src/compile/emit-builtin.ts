/** The standard functions that are neither an operator nor a conversion, to WebAssembly. */
import { type Builtin, type Checked, MATH, type MathName } from '../check/checked.js';
import { type Type, isSigned, sizeOf } from '../types/type.js';
import { emitTextBuiltin, isTextBuiltin, textHelper } from './emit-text.js';
import { type Emitter, baseName, emitConstant, emitValue, normalize, opcode, valueType } from './emit-value.js';
import { HEADER } from './image.js';
import { F32, F64, I32, I64, OP } from './wasm.js';

/** Handed on by its address. */
const isAddressed = (t: Type): boolean => t.kind === 'struct' || t.kind === 'array';
const isMath = (name: Builtin): name is MathName => (MATH as readonly string[]).includes(name);

export function emitBuiltin(e: Emitter, c: Checked & { kind: 'builtin' }): void {
  const { code } = e;
  if (isMath(c.name)) {
    for (const a of c.args) emitValue(e, a);
    code.call(e.math(c.name));
    return;
  }
  if (isTextBuiltin(c.name)) {
    emitTextBuiltin(e, c, c.name);
    return;
  }
  const [a, b] = c.args as [Checked, Checked];
  const t = c.name === 'NOW' || c.name === 'STEP_NS' ? I64 : isAddressed(c.type) ? I32 : valueType(c.type);
  switch (c.name) {
    case 'NOW':
      code.i32(0).memory(OP.i64Load, HEADER.now);
      return;
    case 'STEP_NS':
      code.i32(0).memory(OP.i64Load, HEADER.step);
      return;
    case 'IS_BCD': {
      const v = code.scratch(I64);
      emitValue(e, a);
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
      code.release(I64, v);
      return;
    }
    case 'SWAP': {
      const size = sizeOf(c.type);
      const v = code.scratch(I64);
      emitValue(e, a);
      if (valueType(c.type) === F64) code.op(OP.i64ReinterpretF64);
      else if (valueType(c.type) === F32) code.op(OP.i32ReinterpretF32, OP.i64ExtendI32U);
      else if (valueType(c.type) === I32) code.op(OP.i64ExtendI32U);
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
      if (valueType(c.type) === F64) code.op(OP.f64ReinterpretI64);
      else if (valueType(c.type) === F32) code.op(OP.i32WrapI64, 0xbe);
      else if (valueType(c.type) === I32) {
        code.op(OP.i32WrapI64);
        normalize(code, c.type);
      }
      code.release(I64, v);
      return;
    }
    case 'DAYS':
    case 'CIVIL':
      for (const x of c.args) emitValue(e, x);
      code.call(e.helper(c.name === 'DAYS' ? 'days1' : 'civil1'));
      return;
    case 'FROM_BCD':
    case 'TO_BCD':
      emitValue(e, a);
      code.call(e.helper(c.name === 'FROM_BCD' ? 'fromBcd1' : 'toBcd1'));
      return;
    case 'SQRT':
      emitValue(e, a);
      code.op(t === F32 ? OP.f32Sqrt : OP.f64Sqrt);
      return;
    case 'ABS': {
      emitValue(e, a);
      if (t === F32 || t === F64) {
        code.op(t === F32 ? OP.f32Abs : OP.f64Abs);
        return;
      }
      if (!isSigned(baseName(c.type))) return;
      const v = code.scratch(t);
      code.set(v);
      emitConstant(code, c.type, 0n);
      code.get(v).op(t === I64 ? OP.i64Sub : OP.i32Sub);
      if (t === I32) normalize(code, c.type);
      code.get(v).get(v);
      emitConstant(code, c.type, 0n);
      code.op(t === I64 ? OP.i64LtS : OP.i32LtS, OP.select);
      code.release(t, v);
      return;
    }
    case 'MIN':
    case 'MAX': {
      if (c.type.kind === 'string') {
        const x = code.scratch(I32),
          y = code.scratch(I32);
        emitValue(e, a);
        code.set(x);
        emitValue(e, b);
        code.set(y);
        code
          .get(x)
          .get(y)
          .get(x)
          .get(y)
          .call(e.helper(textHelper('compare', c.type)))
          .i32(0)
          .op(c.name === 'MIN' ? 0x4c : 0x4e, OP.select);
        code.release(I32, x);
        code.release(I32, y);
        return;
      }
      emitValue(e, a);
      emitValue(e, b);
      if (t === F32 || t === F64) {
        code.op(c.name === 'MIN' ? (t === F32 ? 0x96 : 0xa4) : t === F32 ? 0x97 : 0xa5);
        return;
      }
      const x = code.scratch(t),
        y = code.scratch(t);
      code
        .set(y)
        .set(x)
        .get(x)
        .get(y)
        .get(x)
        .get(y)
        .op(opcode(c.name === 'MIN' ? '<=' : '>=', c.type), OP.select);
      code.release(t, x);
      code.release(t, y);
      return;
    }
    case 'SEL':
      emitValue(e, c.args[2]!);
      emitValue(e, b);
      emitValue(e, a);
      code.op(OP.select);
      return;
    case 'MUX': {
      // Past the last input the last one is taken.
      const k = code.scratch(I64);
      emitValue(e, a);
      code.set(k);
      emitValue(e, c.args[c.args.length - 1]!);
      for (let i = c.args.length - 2; i >= 1; i--) {
        const rest = code.scratch(t);
        code.set(rest);
        emitValue(e, c.args[i]!);
        code
          .get(rest)
          .get(k)
          .i64(BigInt(i - 1))
          .op(OP.i64Eq, OP.select);
        code.release(t, rest);
      }
      code.release(I64, k);
      return;
    }
    case 'SHL':
    case 'SHR':
    case 'ROL':
    case 'ROR':
      emitShift(e, c.name, a, b, c.type);
  }
}

/**
 * SHL, SHR, ROL, ROR on bit strings (table 30); shifting by the width or more leaves zeros, rotating counts modulo the
 * width.
 */
function emitShift(e: Emitter, name: 'SHL' | 'SHR' | 'ROL' | 'ROR', value: Checked, by: Checked, type: Type): void {
  const { code } = e;
  const width = BigInt(sizeOf(type) * 8);
  const v = code.scratch(I64),
    n = code.scratch(I64);
  emitValue(e, value);
  if (valueType(type) === I32) code.op(OP.i64ExtendI32U);
  code.set(v);
  emitValue(e, by);
  code.set(n);
  if (name === 'SHL' || name === 'SHR') {
    code
      .get(v)
      .get(n)
      .op(name === 'SHL' ? OP.i64Shl : OP.i64ShrU)
      .i64(0n)
      .get(n)
      .i64(width)
      .op(OP.i64LtU, OP.select);
  } else {
    code
      .get(n)
      .i64(width - 1n)
      .op(OP.i64And)
      .set(n);
    const left = name === 'ROL';
    code
      .get(v)
      .get(n)
      .op(left ? OP.i64Shl : OP.i64ShrU);
    code
      .get(v)
      .i64(width)
      .get(n)
      .op(OP.i64Sub)
      .i64(63n)
      .op(OP.i64And, left ? OP.i64ShrU : OP.i64Shl)
      .op(OP.i64Or);
    // By 0 the second half would be shifted by the width: take the value itself.
    const r = code.scratch(I64);
    code.set(r).get(v).get(r).get(n).op(OP.i64Eqz, OP.select);
    code.release(I64, r);
  }
  if (valueType(type) === I32) {
    code.op(OP.i32WrapI64);
    normalize(code, type);
  }
  code.release(I64, v);
  code.release(I64, n);
}
