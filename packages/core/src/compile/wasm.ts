/** WebAssembly by small constructors; the byte encoding is all here (WebAssembly core specification, chapter 5). */
export const I32 = 0x7f,
  I64 = 0x7e,
  F32 = 0x7d,
  F64 = 0x7c;
export type ValueType = typeof I32 | typeof I64 | typeof F32 | typeof F64;

export const OP = {
  unreachable: 0x00,
  block: 0x02,
  loop: 0x03,
  if: 0x04,
  else: 0x05,
  end: 0x0b,
  br: 0x0c,
  brIf: 0x0d,
  return: 0x0f,
  call: 0x10,
  drop: 0x1a,
  select: 0x1b,
  localGet: 0x20,
  localSet: 0x21,
  localTee: 0x22,
  globalGet: 0x23,
  globalSet: 0x24,
  i32Load: 0x28,
  i64Load: 0x29,
  f32Load: 0x2a,
  f64Load: 0x2b,
  i32Load8S: 0x2c,
  i32Load8U: 0x2d,
  i32Load16S: 0x2e,
  i32Load16U: 0x2f,
  i32Store: 0x36,
  i64Store: 0x37,
  f32Store: 0x38,
  f64Store: 0x39,
  i32Store8: 0x3a,
  i32Store16: 0x3b,
  i32Const: 0x41,
  i64Const: 0x42,
  f32Const: 0x43,
  f64Const: 0x44,
  i32Eqz: 0x45,
  i64Eqz: 0x50,
  i32And: 0x71,
  i32Or: 0x72,
  i32Xor: 0x73,
  i32Shl: 0x74,
  i32ShrS: 0x75,
  i32ShrU: 0x76,
  i32Add: 0x6a,
  i32Sub: 0x6b,
  i32Mul: 0x6c,
  i32LtS: 0x48,
  i32LtU: 0x49,
  i32GeU: 0x4f,
  i32Eq: 0x46,
  i32Ne: 0x47,
  i64Eq: 0x51,
  i64GeU: 0x5a,
  i64LtU: 0x54,
  i64LtS: 0x53,
  i64GtS: 0x55,
  i64Add: 0x7c,
  i64Sub: 0x7d,
  i64Mul: 0x7e,
  i64DivS: 0x7f,
  i64And: 0x83,
  i64Or: 0x84,
  i64Xor: 0x85,
  i64Shl: 0x86,
  i64ShrU: 0x88,
  i32WrapI64: 0xa7,
  i64ExtendI32S: 0xac,
  i64ExtendI32U: 0xad,
  f32ConvertI32S: 0xb2,
  f32ConvertI32U: 0xb3,
  f32ConvertI64S: 0xb4,
  f32ConvertI64U: 0xb5,
  f32DemoteF64: 0xb6,
  f64ConvertI32S: 0xb7,
  f64ConvertI32U: 0xb8,
  f64ConvertI64S: 0xb9,
  f64ConvertI64U: 0xba,
  f64PromoteF32: 0xbb,
  i64ReinterpretF64: 0xbd,
  f64ReinterpretI64: 0xbf,
  i32ReinterpretF32: 0xbc,
  f32ReinterpretI32: 0xbe,
  i32Extend8S: 0xc0,
  i32Extend16S: 0xc1,
  f32Abs: 0x8b,
  f32Neg: 0x8c,
  f32Sqrt: 0x91,
  f32Nearest: 0x90,
  f32Trunc: 0x8f,
  f64Abs: 0x99,
  f64Neg: 0x9a,
  f64Sqrt: 0x9f,
  f64Nearest: 0x9e,
  f64Trunc: 0x9d,
} as const;

/** Bytes that grow, with LEB128 numbers. */
export class Bytes {
  private buffer = new Uint8Array(256);
  length = 0;

  byte(...values: number[]): this {
    for (const v of values) {
      if (this.length === this.buffer.length) this.grow(1);
      this.buffer[this.length++] = v;
    }
    return this;
  }
  set(at: number, value: number): void {
    this.buffer[at] = value;
  }
  private grow(by: number): void {
    const bigger = new Uint8Array(Math.max(this.buffer.length * 2, this.length + by));
    bigger.set(this.buffer);
    this.buffer = bigger;
  }
  u32(value: number): this {
    let v = value >>> 0;
    while (v >= 0x80) {
      this.byte((v & 0x7f) | 0x80);
      v >>>= 7;
    }
    return this.byte(v);
  }
  s32(value: number): this {
    let v = value | 0;
    for (;;) {
      const b = v & 0x7f;
      v >>= 7;
      if ((v === 0 && !(b & 0x40)) || (v === -1 && b & 0x40)) return this.byte(b);
      this.byte(b | 0x80);
    }
  }
  s64(value: bigint): this {
    let v = BigInt.asIntN(64, value);
    for (;;) {
      const b = Number(v & 0x7fn);
      v >>= 7n;
      if ((v === 0n && !(b & 0x40)) || (v === -1n && b & 0x40)) return this.byte(b);
      this.byte(b | 0x80);
    }
  }
  text(value: string): this {
    const bytes = [...value].map((c) => c.charCodeAt(0));
    return this.u32(bytes.length).byte(...bytes);
  }
  append(other: Bytes): this {
    if (this.length + other.length > this.buffer.length) this.grow(other.length);
    this.buffer.set(other.buffer.subarray(0, other.length), this.length);
    this.length += other.length;
    return this;
  }
  take(): Uint8Array<ArrayBuffer> {
    return this.buffer.slice(0, this.length);
  }
}

const REAL = new DataView(new ArrayBuffer(8));

/** One function's code under construction: locals by type, and blocks with labels that count themselves. */
export class Code {
  readonly bytes = new Bytes();
  private readonly locals: ValueType[] = [];
  private readonly free = new Map<ValueType, number[]>();
  private depth = 0;
  /** Bytes that a call takes on the stack of frames. */
  frameBytes = 0;

  constructor(
    readonly parameters: readonly ValueType[],
    readonly result?: ValueType,
  ) {}

  local(type: ValueType): number {
    return this.parameters.length + this.locals.push(type) - 1;
  }
  /** A local to use for a moment; give it back with `release`. */
  scratch(type: ValueType): number {
    return this.free.get(type)?.pop() ?? this.local(type);
  }
  release(type: ValueType, index: number): void {
    const list = this.free.get(type);
    if (list) list.push(index);
    else this.free.set(type, [index]);
  }

  op(...codes: number[]): this {
    this.bytes.byte(...codes);
    return this;
  }
  get(index: number): this {
    this.bytes.byte(OP.localGet).u32(index);
    return this;
  }
  set(index: number): this {
    this.bytes.byte(OP.localSet).u32(index);
    return this;
  }
  tee(index: number): this {
    this.bytes.byte(OP.localTee).u32(index);
    return this;
  }
  globalGet(index: number): this {
    this.bytes.byte(OP.globalGet).u32(index);
    return this;
  }
  globalSet(index: number): this {
    this.bytes.byte(OP.globalSet).u32(index);
    return this;
  }
  i32(value: number): this {
    this.bytes.byte(OP.i32Const).s32(value);
    return this;
  }
  /** A number that is not known yet, of five bytes whatever it is; what comes back sets it. */
  i32Later(): (value: number) => void {
    this.bytes.byte(OP.i32Const);
    const at = this.bytes.length;
    this.bytes.byte(0x80, 0x80, 0x80, 0x80, 0x00);
    return (value) => {
      for (let i = 0; i < 5; i++)
        this.bytes.set(at + i, i < 4 ? ((value >> (7 * i)) & 0x7f) | 0x80 : (value >> 28) & 0x7f);
    };
  }
  i64(value: bigint): this {
    this.bytes.byte(OP.i64Const).s64(value);
    return this;
  }
  f32(value: number): this {
    REAL.setFloat32(0, value, true);
    this.bytes.byte(OP.f32Const);
    for (let i = 0; i < 4; i++) this.bytes.byte(REAL.getUint8(i));
    return this;
  }
  f64(value: number): this {
    REAL.setFloat64(0, value, true);
    this.bytes.byte(OP.f64Const);
    for (let i = 0; i < 8; i++) this.bytes.byte(REAL.getUint8(i));
    return this;
  }
  memory(op: number, offset: number): this {
    this.bytes.byte(op, 0).u32(offset);
    return this;
  }
  call(index: number): this {
    this.bytes.byte(OP.call).u32(index);
    return this;
  }
  /** memory.copy: destination, source and length are on the stack. */
  copyMemory(): this {
    this.bytes.byte(0xfc, 0x0a, 0, 0);
    return this;
  }
  /** i64.trunc_sat_f64_s and _u: never trap. */
  truncSat(unsigned = false): this {
    this.bytes.byte(0xfc, unsigned ? 7 : 6);
    return this;
  }

  /** Opens a block, loop or if; returns its label for `br`. */
  open(op: typeof OP.block | typeof OP.loop | typeof OP.if, result?: ValueType): number {
    this.bytes.byte(op, result ?? 0x40);
    return ++this.depth;
  }
  else(): this {
    return this.op(OP.else);
  }
  end(): this {
    this.depth--;
    return this.op(OP.end);
  }
  br(label: number): this {
    this.bytes.byte(OP.br).u32(this.depth - label);
    return this;
  }
  brIf(label: number): this {
    this.bytes.byte(OP.brIf).u32(this.depth - label);
    return this;
  }

  body(): Bytes {
    const out = new Bytes();
    const runs: [number, ValueType][] = [];
    for (const t of this.locals) {
      const last = runs[runs.length - 1];
      if (last && last[1] === t) last[0]++;
      else runs.push([1, t]);
    }
    out.u32(runs.length);
    for (const [n, t] of runs) out.u32(n).byte(t);
    out.append(this.bytes).byte(OP.end);
    return new Bytes().u32(out.length).append(out);
  }
}

export interface ModuleParts {
  readonly functions: readonly Code[];
  readonly exports: readonly { readonly name: string; readonly function: number }[];
  /** Mutable i32 globals, exported by name, all zero at first. */
  readonly globals: readonly string[];
  readonly memoryBytes?: number;
  /** Works in the memory of another module instead of one of its own. */
  readonly importMemory?: { readonly module: string; readonly name: string };
  /** Imported functions, numbered from 0. */
  readonly imports?: readonly {
    readonly module: string;
    readonly name: string;
    readonly parameters: readonly ValueType[];
    readonly result?: ValueType;
  }[];
}

/** The module's bytes: pure functions imported, one memory `memory`, the functions and globals named. */
export function encodeModule(parts: ModuleParts): Uint8Array<ArrayBuffer> {
  const out = new Bytes().byte(0, 0x61, 0x73, 0x6d, 1, 0, 0, 0);
  const section = (id: number, content: Bytes) => out.byte(id).u32(content.length).append(content);
  const signatures: string[] = [];
  const typeOf = (c: Code): number => {
    const text = `${c.parameters.join()}:${c.result ?? ''}`;
    const at = signatures.indexOf(text);
    return at >= 0 ? at : signatures.push(text) - 1;
  };
  const imports = parts.imports ?? [];
  const importTypes = imports.map((i) => typeOf(new Code(i.parameters, i.result)));
  const typeIndices = parts.functions.map(typeOf);
  const types = new Bytes().u32(signatures.length);
  for (const s of signatures) {
    const [p, r] = s.split(':') as [string, string];
    const parameters = p ? p.split(',').map(Number) : [];
    types
      .byte(0x60)
      .u32(parameters.length)
      .byte(...parameters)
      .byte(...(r ? [1, Number(r)] : [0]));
  }
  section(1, types);
  const lent = parts.importMemory;
  if (imports.length || lent) {
    const list = new Bytes().u32(imports.length + (lent ? 1 : 0));
    imports.forEach((i, n) => list.text(i.module).text(i.name).byte(0).u32(importTypes[n]!));
    if (lent) list.text(lent.module).text(lent.name).byte(2, 0).u32(1);
    section(2, list);
  }
  const functions = new Bytes().u32(typeIndices.length);
  for (const t of typeIndices) functions.u32(t);
  section(3, functions);
  if (!lent) section(5, new Bytes().byte(1, 0).u32(Math.ceil((parts.memoryBytes ?? 1) / 65536)));
  const globals = new Bytes().u32(parts.globals.length);
  for (const _ of parts.globals) globals.byte(I32, 1, OP.i32Const, 0, OP.end);
  section(6, globals);
  const exports = new Bytes().u32(parts.exports.length + parts.globals.length + (lent ? 0 : 1));
  if (!lent) exports.text('memory').byte(2, 0);
  for (const e of parts.exports) exports.text(e.name).byte(0).u32(e.function);
  parts.globals.forEach((g, i) => exports.text(g).byte(3).u32(i));
  section(7, exports);
  const code = new Bytes().u32(parts.functions.length);
  for (const f of parts.functions) code.append(f.body());
  section(10, code);
  return out.take();
}
