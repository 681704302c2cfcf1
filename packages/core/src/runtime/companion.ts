/**
 * Small code that stands beside an image and works in its memory: the wires between machine and tags as straight
 * loads and stores, and the comparison of one scan's state with the next. In WebAssembly, since both run in every scan.
 */
import { Code, I32, OP, encodeModule } from '../compile/wasm.js';

/** One wire: places in memory, whole bytes or single bits. */
export interface WirePlace {
  readonly from: { readonly address: number; readonly bit?: number };
  readonly to: { readonly address: number; readonly bit?: number };
  readonly size: number;
  /** Of a BOOL: what arrives is the opposite. */ readonly negated?: true;
}

export interface CompanionParts {
  readonly inputs: readonly WirePlace[];
  readonly outputs: readonly WirePlace[];
  readonly links: readonly WirePlace[];
  /**
   * Where the state before and the marks of change lie, and how many bytes of state are compared, from `first` on;
   * multiples of 32.
   */
  readonly compare?: {
    readonly first: number;
    readonly bytes: number;
    readonly before: number;
    readonly marks: number;
  };
}

/** WebAssembly with the functions `inputs`, `outputs`, `links` and `compare`; it imports `image.memory`. */
export function companionModule(parts: CompanionParts): Uint8Array<ArrayBuffer> {
  const functions = [
    wires(parts.inputs),
    wires(parts.outputs),
    wires(parts.links),
    parts.compare ? compare(parts.compare) : new Code([]),
  ];
  return encodeModule({
    functions,
    exports: ['inputs', 'outputs', 'links', 'compare'].map((name, i) => ({ name, function: i })),
    globals: [],
    importMemory: { module: 'image', name: 'memory' },
  });
}

const WIDEST = [
  [8, OP.i64Load, OP.i64Store],
  [4, OP.i32Load, OP.i32Store],
  [2, OP.i32Load16U, OP.i32Store16],
  [1, OP.i32Load8U, OP.i32Store8],
] as const;

function wires(list: readonly WirePlace[]): Code {
  const code = new Code([]);
  for (const w of list) {
    if (w.from.bit === undefined && w.to.bit === undefined && !w.negated) {
      let done = 0;
      for (const [bytes, load, store] of WIDEST) {
        for (; w.size - done >= bytes; done += bytes)
          code
            .i32(0)
            .i32(0)
            .memory(load, w.from.address + done)
            .memory(store, w.to.address + done);
      }
      continue;
    }
    const on = () => {
      code.i32(0).memory(OP.i32Load8U, w.from.address);
      if (w.from.bit === undefined) code.i32(0).op(OP.i32Ne);
      else code.i32(w.from.bit).op(OP.i32ShrU).i32(1).op(OP.i32And);
      if (w.negated) code.op(OP.i32Eqz);
    };
    code.i32(0);
    if (w.to.bit === undefined) on();
    else {
      code
        .i32(0)
        .memory(OP.i32Load8U, w.to.address)
        .i32(0xff & ~(1 << w.to.bit))
        .op(OP.i32And);
      on();
      code.i32(w.to.bit).op(OP.i32Shl, OP.i32Or);
    }
    code.memory(OP.i32Store8, w.to.address);
  }
  return code;
}

/** Four words at a time: nearly all of them are as they were. What changed is marked by its bits and remembered. */
function compare(c: NonNullable<CompanionParts['compare']>): Code {
  const code = new Code([]);
  const at = code.local(I32);
  const differs = (offset: number) =>
    code
      .get(at)
      .memory(OP.i64Load, c.first + offset)
      .get(at)
      .memory(OP.i64Load, c.before + offset)
      .op(OP.i64Xor);
  const done = code.open(OP.block),
    again = code.open(OP.loop);
  code.get(at).i32(c.bytes).op(OP.i32GeU).brIf(done);
  differs(0);
  differs(8);
  code.op(OP.i64Or);
  differs(16);
  code.op(OP.i64Or);
  differs(24);
  code.op(OP.i64Or);
  code.op(OP.i64Eqz, OP.i32Eqz).open(OP.if);
  for (const offset of [0, 8, 16, 24]) {
    code
      .get(at)
      .get(at)
      .memory(OP.i64Load, c.marks + offset);
    differs(offset);
    code.op(OP.i64Or).memory(OP.i64Store, c.marks + offset);
    code
      .get(at)
      .get(at)
      .memory(OP.i64Load, c.first + offset)
      .memory(OP.i64Store, c.before + offset);
  }
  code.end();
  code.get(at).i32(32).op(OP.i32Add).set(at).br(again).end().end();
  return code;
}
