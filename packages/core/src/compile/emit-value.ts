/** Values, places and conversions to WebAssembly. Integers below 32 bits live in i32, always sign- or zero-extended. */
import { type Checked, type CheckedPou, type Place, type Variable, isPlace } from '../check/checked.js';
import {
  type ElementaryName,
  type Type,
  baseOf,
  isDate,
  isReal,
  isScalar,
  isSigned,
  sizeOf,
  stride,
  rangeOf,
} from '../types/type.js';
import type { BinaryOp } from '../language/tree.js';
import type { Span } from '../language/source.js';
import type { MathName } from '../check/checked.js';
import { emitBuiltin } from './emit-builtin.js';
import { emitText, emitTextConversion, textHelper } from './emit-text.js';
import { type Frame, type Room, pushRoom } from './frame.js';
import { STACK } from './globals.js';
import type { Helper } from './strings.js';
import { type Code, F32, F64, I32, I64, OP, type ValueType } from './wasm.js';
import { HEADER, FAULTS, type FaultKind } from './image.js';

/** What emitting a body needs to know about the whole. */
export interface Emitter {
  readonly code: Code;
  /** Local that holds the instance's address; -1 where there is none. */
  readonly self: number;
  readonly watched: boolean;
  readonly wires: Map<number, number>;
  /** Wires of the rung at hand that always have power: the left rail. */
  readonly on: Set<number>;
  /** Counters go out to where a called function sees them, and come back. */
  /** BOOL tags whose value is in a local as well as in memory, by address; only within one rung after another. */
  readonly known: Map<number, number>;
  /** Whether values are being kept now. */
  keeps: boolean;
  /** `method` names what is called where its class is known only in the run. */
  beforeCall(at: Span, method: string | undefined): void;
  afterCall(method: string | undefined): void;
  locate(at: Span): number;
  functionIndex(name: string): number;
  helper(name: Helper): number;
  math(name: MathName | 'write' | 'read'): number;
  /** Bytes outside the state, for strings and structures on their way. */
  temporary(bytes: number): Room;
  /** Where the call at hand has its values, when calls of it may come back to themselves. */
  readonly frame: { readonly base: number; readonly offsets: ReadonlyMap<Variable, number> } | undefined;
  /** The frame of what may come back to itself; undefined for everything else, which has fixed memory. */
  frameOf(pou: CheckedPou): Frame | undefined;
}

export const baseName = (t: Type): ElementaryName => {
  const b = baseOf(t);
  if (!b) throw new Error(`no elementary value in ${t.kind}`);
  return b;
};

export function valueType(t: Type): ValueType {
  // A string is handed on by its address.
  if (t.kind === 'string' || t.kind === 'ref' || t.kind === 'interface') return I32;
  const b = baseName(t);
  if (b === 'REAL') return F32;
  if (b === 'LREAL') return F64;
  return sizeOf(t) === 8 ? I64 : I32;
}

/** Brings the i32 on the stack back into the range of a type after arithmetic. */
export function normalize(code: Code, t: Type): void {
  const size = sizeOf(t),
    signed = isSigned(baseName(t));
  if (size === 1) {
    if (signed) code.op(OP.i32Extend8S);
    else code.i32(baseName(t) === 'BOOL' ? 1 : 0xff).op(OP.i32And);
  } else if (size === 2) {
    if (signed) code.op(OP.i32Extend16S);
    else code.i32(0xffff).op(OP.i32And);
  }
}

export function emitConstant(code: Code, t: Type, value: bigint | number | boolean): void {
  switch (valueType(t)) {
    case F32:
      code.f32(Number(value));
      break;
    case F64:
      code.f64(Number(value));
      break;
    case I64:
      code.i64(BigInt(value));
      break;
    default:
      code.i32(Number(typeof value === 'bigint' ? BigInt.asIntN(32, value) : value));
  }
}

function loadOp(t: Type): number {
  switch (valueType(t)) {
    case F32:
      return OP.f32Load;
    case F64:
      return OP.f64Load;
    case I64:
      return OP.i64Load;
    default: {
      if (t.kind === 'ref' || t.kind === 'interface') return OP.i32Load;
      const signed = isSigned(baseName(t));
      return sizeOf(t) === 1
        ? signed
          ? OP.i32Load8S
          : OP.i32Load8U
        : sizeOf(t) === 2
          ? signed
            ? OP.i32Load16S
            : OP.i32Load16U
          : OP.i32Load;
    }
  }
}
function storeOp(t: Type): number {
  switch (valueType(t)) {
    case F32:
      return OP.f32Store;
    case F64:
      return OP.f64Store;
    case I64:
      return OP.i64Store;
    default:
      return sizeOf(t) === 1 ? OP.i32Store8 : sizeOf(t) === 2 ? OP.i32Store16 : OP.i32Store;
  }
}

/** Writes the fault record and stops; memory keeps what it holds at this point. `value` is a local, if any. */
export function emitFault(
  e: Emitter,
  kind: FaultKind,
  at: Span,
  value?: { local: number; type: ValueType; isUnsigned?: boolean },
): void {
  const { code } = e;
  code.i32(0).i32(FAULTS.indexOf(kind)).memory(OP.i32Store, HEADER.faultKind);
  code.i32(0).i32(e.locate(at)).memory(OP.i32Store, HEADER.faultLocation);
  if (value) {
    code.i32(0).get(value.local);
    if (value.type === I32) code.op(value.isUnsigned ? OP.i64ExtendI32U : OP.i64ExtendI32S);
    code.memory(OP.i64Store, HEADER.faultA);
    code
      .i32(0)
      .i64(value.isUnsigned ? 1n : 0n)
      .memory(OP.i64Store, HEADER.faultB);
  }
  code.op(OP.unreachable);
}

/** Pushes an address and returns the constant offset that goes with it. */
export function emitAddress(e: Emitter, p: Place): number {
  const { code } = e;
  switch (p.kind) {
    case 'variable': {
      const h = p.variable.home;
      switch (h.kind) {
        case 'frame': {
          const offset = e.frame?.offsets.get(p.variable);
          if (offset === undefined) break;
          code.get(e.frame!.base);
          return offset;
        }
        case 'global':
          break;
        case 'instance':
          code.get(e.self);
          return h.offset;
        case 'reference':
          code.get(e.self).memory(OP.i32Load, h.offset);
          return 0;
        case 'localReference':
          code.get(h.index);
          return 0;
        case 'local':
          throw new Error('a local has no address');
      }
      code.i32(0);
      return h.address;
    }
    case 'member': {
      const offset = emitAddress(e, p.base) + p.offset;
      if (!p.isReference) return offset;
      code.memory(OP.i32Load, offset);
      return 0;
    }
    case 'element': {
      if (p.bounds) {
        emitOpenElement(e, p, p.bounds);
        return 0;
      }
      let offset = emitAddress(e, p.base);
      let step = stride(p.array.element);
      for (let i = p.indices.length - 1; i >= 0; i--) {
        const bound = p.array.bounds[i]!;
        const index = p.indices[i]!;
        if (index.kind === 'constant') offset += (Number(index.value) - bound.low) * step;
        else emitIndex(e, index, bound, step);
        step *= bound.high - bound.low + 1;
      }
      return offset;
    }
    case 'target': {
      const pointer = code.scratch(I32);
      emitValue(e, p.reference);
      code.tee(pointer).op(OP.i32Eqz).open(OP.if);
      emitFault(e, 'NULL', p.at);
      code.end().get(pointer);
      code.release(I32, pointer);
      return 0;
    }
    case 'part':
      throw new Error('a part has no address');
  }
  throw new Error('unreachable');
}

/** Adds a checked index times `step` to the address on the stack. */
function emitIndex(e: Emitter, index: Checked, bound: { low: number; high: number }, step: number): void {
  const { code } = e;
  // An unsigned index of 32 bits is wider than a signed one.
  const isNarrow = (t: Type) => valueType(t) === I32 && (sizeOf(t) < 4 || isSigned(baseName(t)));
  const narrow = index.kind === 'convert' && isNarrow(index.arg.type) ? index.arg : undefined;
  const type = narrow ? I32 : I64;
  const local = code.scratch(type);
  const count = bound.high - bound.low + 1;
  emitValue(e, narrow ?? index);
  code.tee(local);
  if (narrow) code.i32(bound.low).op(OP.i32Sub).i32(count).op(OP.i32GeU);
  else code.i64(BigInt(bound.low)).op(OP.i64Sub).i64(BigInt(count)).op(OP.i64GeU);
  code.open(OP.if);
  emitFault(e, 'INDEX', index.at, { local, type });
  code.end();
  code.get(local);
  if (!narrow) code.op(OP.i32WrapI64);
  code.i32(bound.low).op(OP.i32Sub).i32(step).op(OP.i32Mul).op(OP.i32Add);
  code.release(type, local);
}

/** An element of an ARRAY [*]: bounds are values; row by row, the last index fastest. */
function emitOpenElement(
  e: Emitter,
  p: Place & { kind: 'element' },
  bounds: readonly { readonly low: Checked; readonly high: Checked }[],
): void {
  const { code } = e;
  const at = code.scratch(I64),
    offset = code.scratch(I64);
  const wide = (c: Checked) => {
    emitValue(e, c);
    if (valueType(c.type) === I32) code.op(OP.i64ExtendI32S);
  };
  code.i64(0n).set(offset);
  p.indices.forEach((index, i) => {
    const b = bounds[i]!;
    wide(index);
    code.tee(at);
    wide(b.low);
    code.op(OP.i64LtS).get(at);
    wide(b.high);
    code.op(OP.i64GtS, OP.i32Or).open(OP.if);
    emitFault(e, 'INDEX', index.at, { local: at, type: I64 });
    code.end().get(offset);
    wide(b.high);
    wide(b.low);
    code.op(OP.i64Sub).i64(1n).op(OP.i64Add, OP.i64Mul).get(at);
    wide(b.low);
    code.op(OP.i64Sub, OP.i64Add).set(offset);
  });
  const fixed = emitAddress(e, p.base);
  if (fixed) code.i32(fixed).op(OP.i32Add);
  code.get(offset).op(OP.i32WrapI64).i32(stride(p.array.element)).op(OP.i32Mul, OP.i32Add);
  code.release(I64, at);
  code.release(I64, offset);
}

export function emitRead(e: Emitter, p: Place): void {
  const { code } = e;
  if (p.kind === 'variable' && p.variable.home.kind === 'local') {
    code.get(p.variable.home.index);
    return;
  }
  if (p.kind === 'part') {
    emitRead(e, p.base);
    const wide = valueType(p.base.type) === I64;
    if (wide) {
      if (p.shift) code.i64(BigInt(p.shift)).op(OP.i64ShrU);
      if (valueType(p.type) === I32) code.op(OP.i32WrapI64);
    } else if (p.shift) code.i32(p.shift).op(OP.i32ShrU);
    normalize(code, p.type);
    return;
  }
  const cached = knownAddress(e, p);
  if (cached !== undefined) {
    const local = e.known.get(cached);
    if (local !== undefined) {
      code.get(local);
      return;
    }
    code.i32(0).memory(OP.i32Load8U, cached).tee(know(e, cached));
    return;
  }
  const offset = emitAddress(e, p);
  // Strings, structures and arrays are handed on by their address.
  if (['string', 'struct', 'array', 'block'].includes(p.type.kind)) {
    if (offset) code.i32(offset).op(OP.i32Add);
    return;
  }
  const bit = p.kind === 'variable' && p.variable.home.kind === 'global' ? p.variable.home.bit : undefined;
  code.memory(bit === undefined ? loadOp(p.type) : OP.i32Load8U, offset);
  if (bit !== undefined) {
    if (bit) code.i32(bit).op(OP.i32ShrU);
    code.i32(1).op(OP.i32And);
  } else if (baseOf(p.type) === 'BOOL' && isOverlapped(p)) code.i32(0).op(OP.i32Ne);
}

/** Whether something else than a BOOL may have written this byte: everywhere else a BOOL is 0 or 1. */
function isOverlapped(p: Place): boolean {
  return (
    (p.kind === 'member' || p.kind === 'element') &&
    ((p.base.type.kind === 'struct' && p.base.type.overlap === true) || isOverlapped(p.base))
  );
}

const KNOWN = 20;
/** The address of a BOOL tag that nothing else overlaps, while values are being kept. */
function knownAddress(e: Emitter, p: Place): number | undefined {
  if (
    !e.keeps ||
    p.kind !== 'variable' ||
    p.variable.home.kind !== 'global' ||
    p.variable.home.bit !== undefined ||
    p.variable.address ||
    p.type.kind !== 'elementary' ||
    p.type.name !== 'BOOL'
  )
    return undefined;
  return p.variable.home.address;
}
/** A local for the value at an address; the one known longest makes room. */
function know(e: Emitter, address: number): number {
  const old = e.known.size >= KNOWN ? e.known.entries().next().value : undefined;
  if (old) e.known.delete(old[0]);
  const local = old ? old[1] : e.code.scratch(I32);
  e.known.set(address, local);
  return local;
}
/** Forgets what is in locals: something else may have written. */
export function forget(e: Emitter): void {
  for (const local of e.known.values()) e.code.release(I32, local);
  e.known.clear();
}

/** Writes a value; `push` puts it on the stack. */
export function emitWrite(e: Emitter, p: Place, push: () => void): void {
  const { code } = e;
  if (p.kind === 'variable' && p.variable.home.kind === 'local') {
    push();
    code.set(p.variable.home.index);
    return;
  }
  if (p.kind === 'part') {
    emitWritePart(e, p, push);
    return;
  }
  const cached = knownAddress(e, p);
  if (cached !== undefined) {
    code.i32(0);
    push();
    const local = e.known.get(cached) ?? know(e, cached);
    code.tee(local).memory(OP.i32Store8, cached);
    return;
  }
  if (p.type.kind === 'string') {
    const offset = emitAddress(e, p);
    if (offset) code.i32(offset).op(OP.i32Add);
    code.i32(p.type.max);
    push();
    code.call(e.helper(textHelper('assign', p.type)));
    return;
  }
  if (!isSingle(p.type)) {
    // Structures and arrays are handed on by their address.
    const offset = emitAddress(e, p);
    if (offset) code.i32(offset).op(OP.i32Add);
    push();
    code.i32(sizeOf(p.type)).copyMemory();
    return;
  }
  const bit = p.kind === 'variable' && p.variable.home.kind === 'global' ? p.variable.home.bit : undefined;
  const offset = emitAddress(e, p);
  if (bit === undefined) {
    push();
    code.memory(storeOp(p.type), offset);
    return;
  }
  // The value first: working it out may write other bits of the byte.
  push();
  if (bit) code.i32(bit).op(OP.i32Shl);
  emitAddress(e, p);
  code
    .memory(OP.i32Load8U, offset)
    .i32(0xff & ~(1 << bit))
    .op(OP.i32And, OP.i32Or)
    .memory(OP.i32Store8, offset);
}

function emitWritePart(e: Emitter, p: Place & { kind: 'part' }, push: () => void): void {
  const { code } = e;
  const wide = valueType(p.base.type) === I64;
  const bits = baseName(p.type) === 'BOOL' ? 1 : sizeOf(p.type) * 8;
  const mask = ((1n << BigInt(bits)) - 1n) << BigInt(p.shift);
  emitWrite(e, p.base, () => {
    // The value first: working it out may write other bits of the same word.
    push();
    if (wide) {
      if (valueType(p.type) === I32) code.op(OP.i64ExtendI32U);
      code.i64(BigInt(p.shift)).op(OP.i64Shl);
      emitRead(e, p.base);
      code.i64(BigInt.asIntN(64, ~mask)).op(OP.i64And, OP.i64Or);
    } else {
      code.i32(p.shift).op(OP.i32Shl);
      emitRead(e, p.base);
      code.i32(Number(BigInt.asIntN(32, ~mask))).op(OP.i32And, OP.i32Or);
      normalize(code, p.base.type);
    }
  });
}

/** Pushes the value of an expression. */
export function emitValue(e: Emitter, c: Checked): void {
  const { code } = e;
  switch (c.kind) {
    case 'constant':
      if (typeof c.value === 'string') emitText(e, c.value, c.type);
      else emitConstant(code, c.type, c.value);
      return;
    case 'read':
      emitRead(e, c.place);
      return;
    case 'power':
      if (e.on.has(c.wire)) code.i32(1);
      else code.get(wireLocal(e, c.wire));
      return;
    case 'address': {
      const offset = emitAddress(e, c.place);
      if (offset) code.i32(offset).op(OP.i32Add);
      return;
    }
    case 'notNull': {
      const pointer = code.scratch(I32);
      emitValue(e, c.arg);
      code.tee(pointer).op(OP.i32Eqz).open(OP.if);
      emitFault(e, 'NULL', c.at);
      code.end().get(pointer);
      code.release(I32, pointer);
      return;
    }
    case 'attempt': {
      const pointer = code.scratch(I32);
      emitValue(e, c.arg);
      code.set(pointer).get(pointer).i32(0).i32(0);
      // NULL looks at the header's first bytes instead; the class is then asked for and not found.
      for (const n of c.classes) code.get(pointer).memory(OP.i32Load, 0).i32(n).op(OP.i32Eq, OP.i32Or);
      code.get(pointer).i32(0).op(OP.i32Ne, OP.i32And, OP.select);
      code.release(I32, pointer);
      return;
    }
    case 'not':
      emitValue(e, c.arg);
      if (baseName(c.type) === 'BOOL') code.i32(1).op(OP.i32Xor);
      else if (valueType(c.type) === I64) code.i64(-1n).op(OP.i64Xor);
      else {
        code.i32(-1).op(OP.i32Xor);
        normalize(code, c.type);
      }
      return;
    case 'negate':
      emitNegate(e, c);
      return;
    case 'binary':
      emitBinary(e, c.op, c.left, c.right, c.at);
      return;
    case 'convert':
      emitConvert(e, c.arg, c.type, c.truncate ?? false);
      if (c.type.kind === 'subrange') emitRangeCheck(e, c.type, c.arg.type, c.at);
      return;
    case 'text':
      emitTextConversion(e, c.arg, c.type);
      return;
    case 'call':
      emitFunctionCall(e, c.call, c.at);
      return;
    case 'builtin':
      emitBuiltin(e, c);
      return;
    case 'invalid':
      throw new Error('an expression with an error is not compiled');
  }
}

export function wireLocal(e: Emitter, wire: number): number {
  let local = e.wires.get(wire);
  if (local === undefined) {
    local = e.code.local(I32);
    e.wires.set(wire, local);
  }
  return local;
}

function emitNegate(e: Emitter, c: Checked & { kind: 'negate' }): void {
  const { code } = e;
  const t = valueType(c.type);
  if (t === F32 || t === F64) {
    emitValue(e, c.arg);
    code.op(t === F32 ? OP.f32Neg : OP.f64Neg);
    return;
  }
  if (t === I64) {
    code.i64(0n);
    emitValue(e, c.arg);
    code.op(OP.i64Sub);
    return;
  }
  code.i32(0);
  emitValue(e, c.arg);
  code.op(OP.i32Sub);
  normalize(code, c.type);
}

/** Opcode of each operator by value type: [i32 signed, i32 unsigned, i64 signed, i64 unsigned, f32, f64]. */
const BINARY: Partial<Record<BinaryOp, readonly number[]>> = {
  '+': [0x6a, 0x6a, 0x7c, 0x7c, 0x92, 0xa0],
  '-': [0x6b, 0x6b, 0x7d, 0x7d, 0x93, 0xa1],
  '*': [0x6c, 0x6c, 0x7e, 0x7e, 0x94, 0xa2],
  '/': [0x6d, 0x6e, 0x7f, 0x80, 0x95, 0xa3],
  MOD: [0x6f, 0x70, 0x81, 0x82],
  AND: [0x71, 0x71, 0x83, 0x83],
  OR: [0x72, 0x72, 0x84, 0x84],
  XOR: [0x73, 0x73, 0x85, 0x85],
  '=': [0x46, 0x46, 0x51, 0x51, 0x5b, 0x61],
  '<>': [0x47, 0x47, 0x52, 0x52, 0x5c, 0x62],
  '<': [0x48, 0x49, 0x53, 0x54, 0x5d, 0x63],
  '>': [0x4a, 0x4b, 0x55, 0x56, 0x5e, 0x64],
  '<=': [0x4c, 0x4d, 0x57, 0x58, 0x5f, 0x65],
  '>=': [0x4e, 0x4f, 0x59, 0x5a, 0x60, 0x66],
};

export function opcode(op: BinaryOp, t: Type): number {
  const v = valueType(t);
  const signed = isSigned(baseName(t));
  const at = v === F32 ? 4 : v === F64 ? 5 : v === I64 ? (signed ? 2 : 3) : signed ? 0 : 1;
  const code = BINARY[op]?.[at];
  if (code === undefined) throw new Error(`no code for ${op} of ${baseName(t)}`);
  return code;
}

/** A BOOL that is surely on. */
const isOn = (e: Emitter, c: Checked): boolean =>
  c.kind === 'power' ? e.on.has(c.wire) : c.kind === 'constant' && c.value === true;

function emitBinary(e: Emitter, op: BinaryOp, left: Checked, right: Checked, at: Span): void {
  const { code } = e;
  const t = left.type;
  if (t.kind === 'ref' || t.kind === 'interface') {
    emitValue(e, left);
    emitValue(e, right);
    code.op(op === '=' ? OP.i32Eq : OP.i32Ne);
    return;
  }
  if (t.kind === 'string') {
    emitValue(e, left);
    emitValue(e, right);
    code
      .call(e.helper(textHelper('compare', t)))
      .i32(0)
      .op(BINARY[op]![0]!);
    return;
  }
  if ((op === '*' || op === '/') && !isReal(t) && isReal(right.type)) {
    // Duration by a real factor: in LREAL nanoseconds, rounded.
    emitValue(e, left);
    code.op(OP.f64ConvertI64S);
    emitValue(e, right);
    code.op(op === '*' ? 0xa2 : 0xa3, OP.f64Nearest).truncSat();
    return;
  }
  if (op === 'AND' && isOn(e, left)) {
    emitValue(e, right);
    return;
  }
  if (op === 'AND' && isOn(e, right)) {
    emitValue(e, left);
    return;
  }
  if ((op === '/' || op === 'MOD') && !isReal(t)) {
    emitDivision(e, op, left, right, at);
    return;
  }
  emitValue(e, left);
  emitValue(e, right);
  code.op(opcode(op, t));
  if (valueType(t) === I32 && (op === '+' || op === '-' || op === '*')) normalize(code, t);
}

/** Integer `/` and MOD: division by zero is a fault, MOD by zero is 0 (choices.md); the lowest value by -1 wraps. */
function emitDivision(e: Emitter, op: '/' | 'MOD', left: Checked, right: Checked, at: Span): void {
  const { code } = e;
  const t = left.type,
    v = valueType(t);
  const eqz = v === I64 ? OP.i64Eqz : OP.i32Eqz;
  const known = right.kind === 'constant' ? BigInt(right.value as bigint) : undefined;
  if (known !== undefined && known !== 0n && known !== -1n) {
    emitValue(e, left);
    emitValue(e, right);
    code.op(opcode(op, t));
    return;
  }
  const a = code.scratch(v),
    b = code.scratch(v);
  emitValue(e, left);
  code.set(a);
  emitValue(e, right);
  code.tee(b).op(eqz);
  if (op === 'MOD') {
    code.open(OP.if, v);
    emitConstant(code, t, 0n);
    code.else().get(a).get(b).op(opcode(op, t)).end();
  } else {
    code.open(OP.if);
    emitFault(e, 'DIVISION', at, { local: a, type: v, isUnsigned: !isSigned(baseName(t)) });
    code.end();
    if (isSigned(baseName(t))) {
      code.get(b);
      emitConstant(code, t, -1n);
      code.op(v === I64 ? OP.i64Eq : OP.i32Eq).open(OP.if, v);
      emitConstant(code, t, 0n);
      code
        .get(a)
        .op(v === I64 ? OP.i64Sub : OP.i32Sub)
        .else()
        .get(a)
        .get(b)
        .op(opcode('/', t))
        .end();
      if (v === I32) normalize(code, t);
    } else code.get(a).get(b).op(opcode('/', t));
  }
  code.release(v, a);
  code.release(v, b);
}

/**
 * Conversions (tables 22 to 27, choices.md): reals round to nearest even, narrowing keeps the rightmost bits, durations
 * count in ms.
 */
/** What is assigned to a subrange must lie in it (choices.md), as an index must lie in its array. */
function emitRangeCheck(e: Emitter, to: Type & { kind: 'subrange' }, from: Type, at: Span): void {
  if (from.kind === 'subrange' && from.low >= to.low && from.high <= to.high) return;
  const { code } = e,
    type = valueType(to),
    wide = type === I64,
    signed = isSigned(to.base),
    range = rangeOf(to.base),
    local = code.scratch(type);
  code.set(local);
  const outside = (limit: bigint, below: boolean) => {
    code.get(local);
    emitConstant(code, to, limit);
    code.op(
      below
        ? signed
          ? wide
            ? OP.i64LtS
            : 0x48
          : wide
            ? OP.i64LtU
            : OP.i32LtU
        : signed
          ? wide
            ? OP.i64GtS
            : 0x4a
          : wide
            ? 0x56
            : 0x4b,
    );
    code.open(OP.if);
    emitFault(e, 'RANGE', at, { local, type, isUnsigned: !signed });
    code.end();
  };
  if (to.low > range.low) outside(to.low, true);
  if (to.high < range.high) outside(to.high, false);
  code.get(local);
  code.release(type, local);
}

function emitConvert(e: Emitter, arg: Checked, to: Type, truncate: boolean): void {
  const { code } = e;
  const from = arg.type;
  emitValue(e, arg);
  const a = baseName(from),
    b = baseName(to);
  const timeFrom = a === 'TIME' || a === 'LTIME',
    timeTo = b === 'TIME' || b === 'LTIME';
  if (timeFrom && timeTo) return;
  // Points in time are nanoseconds like durations and whole numbers of 64 bits: the bits stay.
  if (isDate(from) || isDate(to)) return;
  if (timeFrom) {
    if (isReal(to)) {
      code.op(OP.f64ConvertI64S).f64(1e6).op(0xa3);
      if (valueType(to) === F32) code.op(OP.f32DemoteF64);
      return;
    }
    code.i64(1_000_000n).op(OP.i64DivS);
    narrowFrom64(code, to);
    return;
  }
  if (timeTo) {
    if (isReal(from)) {
      if (valueType(from) === F32) code.op(OP.f64PromoteF32);
      code.f64(1e6).op(0xa2, OP.f64Nearest).truncSat();
      return;
    }
    widenTo64(code, from);
    code.i64(1_000_000n).op(OP.i64Mul);
    return;
  }
  const vf = valueType(from),
    vt = valueType(to);
  const signedFrom = isSigned(a);
  if (isReal(from)) {
    if (isReal(to)) {
      if (vf !== vt) code.op(vt === F64 ? OP.f64PromoteF32 : OP.f32DemoteF64);
      return;
    }
    if (vf === F32) code.op(OP.f64PromoteF32);
    code.op(truncate ? OP.f64Trunc : OP.f64Nearest).truncSat(b === 'ULINT' || b === 'LWORD');
    narrowFrom64(code, to);
    return;
  }
  if (isReal(to)) {
    if (vf === I64)
      code.op(
        vt === F32
          ? signedFrom
            ? OP.f32ConvertI64S
            : OP.f32ConvertI64U
          : signedFrom
            ? OP.f64ConvertI64S
            : OP.f64ConvertI64U,
      );
    else
      code.op(
        vt === F32
          ? signedFrom
            ? OP.f32ConvertI32S
            : OP.f32ConvertI32U
          : signedFrom
            ? OP.f64ConvertI32S
            : OP.f64ConvertI32U,
      );
    return;
  }
  if (vf === I64) {
    if (vt === I32) narrowFrom64(code, to);
    return;
  }
  if (vt === I64) {
    widenTo64(code, from);
    return;
  }
  if (a !== b && (sizeOf(to) < sizeOf(from) || signedFrom !== isSigned(b) || b === 'BOOL')) normalize(code, to);
}

function narrowFrom64(code: Code, to: Type): void {
  if (valueType(to) === I64) return;
  code.op(OP.i32WrapI64);
  normalize(code, to);
}
function widenTo64(code: Code, from: Type): void {
  if (valueType(from) === I32) code.op(isSigned(baseName(from)) ? OP.i64ExtendI32S : OP.i64ExtendI32U);
}

/** Name of the function that chooses a method, or a block's body, by the class of the instance. */
export const dispatchName = (method: string): string => `any ${method}`.toLowerCase();

function emitFunctionCall(e: Emitter, call: Extract<Checked, { kind: 'call' }>['call'], at: Span): void {
  const { code } = e;
  if (call.self) emitValue(e, call.self);
  for (const input of call.inputs) {
    if (!isPlace(input)) {
      emitValue(e, input);
      continue;
    }
    const offset = emitAddress(e, input);
    if (offset) code.i32(offset).op(OP.i32Add);
  }
  const method = call.isVirtual ? call.pou.name : undefined,
    frame = e.frameOf(call.pou);
  e.beforeCall(at, method);
  code.call(e.functionIndex(call.isVirtual ? dispatchName(call.pou.name) : call.pou.name));
  e.afterCall(method);
  forget(e);
  const result = call.pou.result?.type;
  if (result && !isSingle(result) && result.kind !== 'unknown') emitKeep(e, result);
  if (!call.outputs.length) return;
  // What the call left above the stack is covered while its outputs are handed on: where they go may be found by a
  // call.
  const base = frame && code.scratch(I32);
  if (base !== undefined) code.globalGet(STACK).tee(base).i32(frame!.outputBytes).op(OP.i32Add).globalSet(STACK);
  const from: Emitter = base === undefined ? e : { ...e, frame: { base, offsets: frame!.offsets } };
  for (const o of call.outputs)
    emitWrite(e, o.to, () => {
      emitRead(from, { kind: 'variable', variable: o.from, type: o.from.type, at: o.to.at });
      if (o.negated) code.op(OP.i32Eqz);
    });
  if (base === undefined) return;
  code.get(base).globalSet(STACK);
  code.release(I32, base);
}

/** Kept in one WebAssembly value. */
export const isSingle = (t: Type): boolean => isScalar(t) || t.kind === 'ref' || t.kind === 'interface';

/**
 * The text or structure whose address is on the stack, in memory of this place: the next call of what gave it would
 * write over it.
 */
function emitKeep(e: Emitter, type: Type): void {
  const { code } = e;
  const from = code.scratch(I32),
    room = e.temporary(sizeOf(type));
  code.set(from);
  pushRoom(code, room);
  if (type.kind === 'string')
    code
      .i32(type.max)
      .get(from)
      .call(e.helper(type.wide ? 'assign2' : 'assign1'));
  else code.get(from).i32(sizeOf(type)).copyMemory();
  pushRoom(code, room);
  code.release(I32, from);
}
