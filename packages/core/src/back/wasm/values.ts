/** Values and places of the intermediate representation to WebAssembly. */
import type { Variable } from '../../checked/tree.js';
import { HEADER } from '../../compile/image.js';
import { type Frame, type Room, pushBase, pushRoom } from '../../compile/frame.js';
import { type Code, F32, F64, I64, OP } from '../../compile/wasm.js';
import { type Machine, machineOf } from '../../ir/machine.js';
import { OPS } from '../../ir/ops.js';
import { type Around, type Operand, bitsOf, hasSign, pushConstant, wasmOf } from '../../ir/ops/wasm.js';
import type { Place, Value } from '../../ir/tree.js';
import { sizeOf, stride } from '../../types/type.js';
import type { Context } from './context.js';
import { Known } from './known.js';

function loadOp(t: Machine): number {
  switch (wasmOf(t)) {
    case F32:
      return OP.f32Load;
    case F64:
      return OP.f64Load;
    case I64:
      return OP.i64Load;
    default:
      if (bitsOf(t) === 8) return hasSign(t) ? OP.i32Load8S : OP.i32Load8U;
      if (bitsOf(t) === 16) return hasSign(t) ? OP.i32Load16S : OP.i32Load16U;
      return OP.i32Load;
  }
}
function storeOp(t: Machine): number {
  switch (wasmOf(t)) {
    case F32:
      return OP.f32Store;
    case F64:
      return OP.f64Store;
    case I64:
      return OP.i64Store;
    default:
      return bitsOf(t) === 8 ? OP.i32Store8 : bitsOf(t) === 16 ? OP.i32Store16 : OP.i32Store;
  }
}
/** The bit of its byte that a BOOL with an address is. */
const bitOf = (p: Place): number | undefined =>
  p.root.kind === 'tag' && !p.steps.length ? p.root.variable.address?.bit : undefined;
/** Whether something else than a BOOL may have written this byte: everywhere else a BOOL is 0 or 1. */
const isOverlapped = (p: Place): boolean =>
  p.steps.some((s) => s.kind === 'member' && s.of.kind === 'struct' && s.of.overlap === true);

export class Values {
  readonly known: Known;
  private readonly around: Around;
  /** Locals of temps, and of variables that live in one. */
  readonly temps = new Map<number, number>();
  readonly locals = new Map<Variable, number>();
  readonly rooms = new Map<number, Room>();
  /** Of what may come back to itself: the local that holds where the frame of this call begins. */
  frame: { readonly base: number; readonly of: Frame } | undefined;

  constructor(
    readonly context: Context,
    readonly code: Code,
    /** Memory outside the state, fixed or in the frame of the call at hand. */
    private readonly room: (bytes: number) => Room,
  ) {
    this.known = new Known(code, context);
    this.around = { code, helper: context.helper, math: context.math };
  }

  push(v: Value): void {
    const { code } = this;
    switch (v.kind) {
      case 'constant':
        pushConstant(code, v.type, v.value);
        return;
      case 'temp':
        code.get(this.temps.get(v.temp)!);
        return;
      case 'load':
        this.load(v.place);
        return;
      case 'op':
        OPS[v.op].wasm(this.around, v.from, v.type, ...v.args.map((a) => this.operand(a)));
        return;
      case 'address':
        this.pushAddress(v.place);
        return;
      case 'null':
        code.i32(0);
        return;
      case 'clock':
        code.i32(0).memory(OP.i64Load, v.what === 'now' ? HEADER.now : HEADER.step);
        return;
    }
  }
  private operand(v: Value): Operand {
    return { push: () => this.push(v), constant: v.kind === 'constant' ? v.value : undefined };
  }

  /** Pushes a whole address. */
  pushAddress(p: Place): void {
    if (p.root.kind === 'text') {
      this.pushText(p);
      return;
    }
    const offset = this.address(p);
    if (offset) this.code.i32(offset).op(OP.i32Add);
  }
  /** Pushes an address and returns the constant offset that goes with it. */
  address(p: Place): number {
    const { code } = this;
    let { isPushed, offset } = this.root(p);
    for (const step of p.steps) {
      if (step.kind === 'member') {
        offset += step.offset;
        continue;
      }
      const size = stride(step.array.element);
      let { index } = step;
      // What is taken away for the first index lies in the offset, where that does not fall below zero.
      if (index.kind === 'op' && index.op === 'sub' && index.args[1]!.kind === 'constant') {
        const less = Number(index.args[1]!.value) * size;
        if (less > 0 && less <= offset) {
          offset -= less;
          index = index.args[0]!;
        }
      }
      if (index.kind === 'constant') {
        offset += Number(index.value) * size;
        continue;
      }
      this.push(index);
      if (wasmOf(index.type) === I64) code.op(OP.i32WrapI64);
      if (size !== 1) code.i32(size).op(OP.i32Mul);
      if (isPushed) code.op(OP.i32Add);
      isPushed = true;
    }
    if (!isPushed) code.i32(0);
    return offset;
  }
  private root(p: Place): { isPushed: boolean; offset: number } {
    const { code } = this,
      { root } = p;
    const fixed = (v: Variable): { isPushed: boolean; offset: number } => ({
      isPushed: false,
      offset: this.context.where(v),
    });
    switch (root.kind) {
      case 'tag':
        return fixed(root.variable);
      case 'local': {
        const inFrame = this.frame?.of.offsets.get(root.variable);
        if (inFrame === undefined) return fixed(root.variable);
        code.get(this.frame!.base);
        return { isPushed: true, offset: inFrame };
      }
      case 'given':
        code.get(this.locals.get(root.variable)!);
        return { isPushed: true, offset: 0 };
      case 'self':
        code.get(0);
        return { isPushed: true, offset: 0 };
      case 'target':
        if (root.pointer.kind === 'address' && root.pointer.place.root.kind !== 'text')
          return { isPushed: true, offset: this.address(root.pointer.place) };
        this.push(root.pointer);
        return { isPushed: true, offset: 0 };
      case 'room': {
        const room = this.rooms.get(root.room)!;
        if (room.base !== undefined) code.get(room.base);
        return { isPushed: room.base !== undefined, offset: room.offset };
      }
      case 'text':
        this.pushText(p);
        return { isPushed: true, offset: 0 };
    }
  }
  /** Writes characters that never change into their own memory and pushes the address. */
  private pushText(p: Place): void {
    const { code } = this;
    if (p.root.kind !== 'text' || p.rootType.kind !== 'string') throw new Error('characters were expected');
    const { text } = p.root,
      width = p.rootType.wide ? 2 : 1;
    const bytes = new DataView(new ArrayBuffer(4 + Math.ceil((text.length * width) / 4) * 4));
    bytes.setInt32(0, text.length, true);
    for (let i = 0; i < text.length; i++)
      if (width === 2) bytes.setUint16(4 + 2 * i, text.charCodeAt(i), true);
      else bytes.setUint8(4 + i, text.charCodeAt(i));
    const room = this.room(bytes.byteLength);
    for (let at = 0; at < bytes.byteLength; at += 4)
      pushBase(code, room)
        .i32(bytes.getInt32(at, true))
        .memory(OP.i32Store, room.offset + at);
    pushRoom(code, room);
  }

  /** The local of a variable that lives in one. */
  private localOf(p: Place): number | undefined {
    if (p.root.kind !== 'local' || p.steps.length || p.root.variable.home.kind !== 'local') return undefined;
    const { variable } = p.root;
    let local = this.locals.get(variable);
    // Of a block that was taken in.
    if (local === undefined) this.locals.set(variable, (local = this.code.local(wasmOf(machineOf(variable.type)))));
    return local;
  }
  private load(p: Place): void {
    const { code } = this,
      local = this.localOf(p);
    if (local !== undefined) {
      code.get(local);
      return;
    }
    const key = this.known.key(p),
      known = key === undefined ? undefined : this.known.local(key);
    if (known !== undefined) {
      code.get(known);
      return;
    }
    const type = machineOf(p.type),
      bit = bitOf(p),
      offset = this.address(p);
    code.memory(bit === undefined ? loadOp(type) : OP.i32Load8U, offset);
    if (bit !== undefined) {
      if (bit) code.i32(bit).op(OP.i32ShrU);
      code.i32(1).op(OP.i32And);
    } else if (type === 'bool' && isOverlapped(p)) code.i32(0).op(OP.i32Ne);
    if (key !== undefined) code.tee(this.known.learn(key, p));
  }

  store(p: Place, value: Value): void {
    const { code } = this,
      local = this.localOf(p);
    if (local !== undefined) {
      this.push(value);
      code.set(local);
      return;
    }
    const key = this.known.key(p),
      bit = bitOf(p);
    const keep = (): void => {
      if (key !== undefined) code.tee(this.known.learn(key, p));
    };
    const offset = this.address(p);
    if (bit === undefined) {
      this.push(value);
      keep();
      code.memory(storeOp(machineOf(p.type)), offset);
    } else {
      this.push(value);
      keep();
      if (bit) code.i32(bit).op(OP.i32Shl);
      this.address(p);
      code
        .memory(OP.i32Load8U, offset)
        .i32(0xff & ~(1 << bit))
        .op(OP.i32And, OP.i32Or)
        .memory(OP.i32Store8, offset);
    }
    this.known.afterWrite(this.known.written({ kind: 'store', place: p, value }), key);
  }
  copy(to: Place, from: Place): void {
    this.pushAddress(to);
    this.pushAddress(from);
    this.code.i32(sizeOf(to.type)).copyMemory();
  }
}
