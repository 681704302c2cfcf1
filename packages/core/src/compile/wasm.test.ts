import { describe, expect, it } from 'vitest';
import { Bytes, Code, F64, I32, I64, OP, encodeModule } from './wasm.js';

const bytes = (b: Bytes) => [...b.take()];

describe('numbers in LEB128', () => {
  it.each([
    [0, [0]],
    [127, [127]],
    [128, [128, 1]],
    [624485, [0xe5, 0x8e, 0x26]],
    [0xffffffff, [255, 255, 255, 255, 15]],
  ])('u32 %d', (n, wanted) => {
    expect(bytes(new Bytes().u32(n))).toEqual(wanted);
  });
  it.each([
    [0, [0]],
    [63, [63]],
    [64, [0xc0, 0]],
    [-1, [0x7f]],
    [-64, [0x40]],
    [-65, [0xbf, 0x7f]],
    [-123456, [0xc0, 0xbb, 0x78]],
  ])('s32 %d', (n, wanted) => {
    expect(bytes(new Bytes().s32(n))).toEqual(wanted);
  });
  it('s64 takes the whole range', () => {
    for (const v of [0n, -1n, 2n ** 63n - 1n, -(2n ** 63n), 123456789012345n]) {
      const code = new Code([], I64);
      code.i64(v);
      const m = encodeModule({ functions: [code], exports: [{ name: 'f', function: 0 }], globals: [], memoryBytes: 1 });
      expect((new WebAssembly.Instance(new WebAssembly.Module(m)).exports['f'] as () => bigint)()).toBe(v);
    }
  });
});

describe('a module', () => {
  it('has functions of several signatures, locals, blocks and branches', () => {
    // Sum of 1..n by a loop.
    const sum = new Code([I32], I32);
    const total = sum.local(I32);
    const exit = sum.open(OP.block),
      top = sum.open(OP.loop);
    sum
      .get(0)
      .op(OP.i32Eqz)
      .brIf(exit)
      .get(total)
      .get(0)
      .op(OP.i32Add)
      .set(total)
      .get(0)
      .i32(1)
      .op(OP.i32Sub)
      .set(0)
      .br(top)
      .end()
      .end()
      .get(total);
    const half = new Code([F64], F64);
    half.get(0).f64(2).op(0xa3);
    const m = encodeModule({
      functions: [sum, half],
      exports: [
        { name: 'sum', function: 0 },
        { name: 'half', function: 1 },
      ],
      globals: ['a', 'b'],
      memoryBytes: 70_000,
    });
    expect(WebAssembly.validate(m)).toBe(true);
    const x = new WebAssembly.Instance(new WebAssembly.Module(m)).exports as Record<string, unknown>;
    expect((x['sum'] as (n: number) => number)(100)).toBe(5050);
    expect((x['half'] as (n: number) => number)(5)).toBe(2.5);
    expect((x['memory'] as WebAssembly.Memory).buffer.byteLength).toBe(131_072);
    expect((x['b'] as WebAssembly.Global).value).toBe(0);
  });
  it('scratch locals are used again', () => {
    const c = new Code([]);
    const a = c.scratch(I32);
    c.release(I32, a);
    expect(c.scratch(I32)).toBe(a);
    expect(c.scratch(I32)).not.toBe(a);
    expect(c.scratch(I64)).not.toBe(a);
  });
  it('bytes grow past any first guess', () => {
    const b = new Bytes();
    for (let i = 0; i < 10_000; i++) b.byte(i & 255);
    b.append(new Bytes().text('end'));
    expect([b.length, ...b.take().slice(-4)]).toEqual([10_004, 3, 101, 110, 100]);
  });
});
