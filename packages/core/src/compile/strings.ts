/**
 * Helpers on strings that every module carries: a length (i32), then the characters. `w` is the bytes a
 * character takes. Past the end they take what is there (choices.md), so nothing here can fault.
 */
import { Code, I32, I64, OP } from './wasm.js';

export const HELPERS = [
  'assign1',
  'assign2',
  'append1',
  'append2',
  'compare1',
  'compare2',
  'find1',
  'find2',
  'fromInt1',
  'fromInt2',
  'toInt1',
  'toInt2',
  'fromBcd1',
  'toBcd1',
  'days1',
  'civil1',
  'widen1',
  'widen2',
] as const;
export type Helper = (typeof HELPERS)[number];

export function helperCode(name: Helper): Code {
  const w = name.endsWith('2') ? 2 : 1;
  switch (name.slice(0, -1)) {
    case 'assign':
      return assign(w);
    case 'append':
      return append(w);
    case 'compare':
      return compare(w);
    case 'find':
      return find(w);
    case 'fromInt':
      return fromInt(w);
    case 'fromBcd':
      return bcd(16n, 10n);
    case 'toBcd':
      return bcd(10n, 16n);
    case 'days':
      return days();
    case 'civil':
      return civil();
    case 'widen':
      return widen(w);
    default:
      return toInt(w);
  }
}

const loadChar = (c: Code, w: number) => c.memory(w === 2 ? OP.i32Load16U : OP.i32Load8U, 4);
const scale = (c: Code, w: number) => {
  if (w === 2) c.i32(1).op(OP.i32Shl);
  return c;
};
const length = (c: Code, local: number) => c.get(local).memory(OP.i32Load, 0);
/** The smaller of a local and what `push` gives, back into the local. */
function atMost(c: Code, local: number, push: () => void): void {
  c.get(local);
  push();
  c.op(0x4a).open(OP.if);
  push();
  c.set(local).end();
}

/** (to, max, from): as much as fits; the left part stays. */
function assign(w: number): Code {
  const c = new Code([I32, I32, I32]);
  const n = c.local(I32);
  length(c, 2).set(n);
  atMost(c, n, () => c.get(1));
  c.get(0).i32(4).op(OP.i32Add).get(2).i32(4).op(OP.i32Add);
  scale(c.get(n), w).copyMemory();
  c.get(0).get(n).memory(OP.i32Store, 0);
  return c;
}

/** (to, max, from): characters of the other width one by one, as many as fit; a byte keeps the lower half. */
function widen(w: number): Code {
  const c = new Code([I32, I32, I32]);
  const n = c.local(I32),
    i = c.local(I32);
  length(c, 2).set(n);
  atMost(c, n, () => c.get(1));
  c.get(0).get(n).memory(OP.i32Store, 0);
  const end = c.open(OP.block),
    top = c.open(OP.loop);
  c.get(i).get(n).op(0x4e).brIf(end);
  index(c, 0, w, () => c.get(i));
  loadChar(
    index(c, 2, 3 - w, () => c.get(i)),
    3 - w,
  );
  c.memory(w === 2 ? OP.i32Store16 : OP.i32Store8, 4);
  return c.get(i).i32(1).op(OP.i32Add).set(i).br(top).end().end();
}

/** (to, max, from, at, count): appends characters at `at` (from 0), as far as there are any and they fit. */
function append(w: number): Code {
  const c = new Code([I32, I32, I32, I32, I32]);
  const used = c.local(I32);
  length(c, 0).set(used);
  // In front of the beginning there is nothing.
  c.get(3).i32(0).op(OP.i32LtS).open(OP.if);
  c.get(4).get(3).op(OP.i32Add).set(4).i32(0).set(3).end();
  atMost(c, 4, () => length(c, 2).get(3).op(OP.i32Sub));
  atMost(c, 4, () => c.get(1).get(used).op(OP.i32Sub));
  c.get(4).i32(0).op(0x4a).open(OP.if);
  scale(c.get(0).i32(4).op(OP.i32Add).get(used), w).op(OP.i32Add);
  scale(c.get(2).i32(4).op(OP.i32Add).get(3), w).op(OP.i32Add);
  scale(c.get(4), w).copyMemory();
  c.get(0).get(used).get(4).op(OP.i32Add).memory(OP.i32Store, 0).end();
  return c;
}

/** (a, b): below, at or above 0. */
function compare(w: number): Code {
  const c = new Code([I32, I32], I32);
  const i = c.local(I32),
    n = c.local(I32),
    d = c.local(I32);
  length(c, 0).set(n);
  atMost(c, n, () => length(c, 1));
  const end = c.open(OP.block),
    top = c.open(OP.loop);
  c.get(i).get(n).op(0x4e).brIf(end);
  loadChar(scale(c.get(0).get(i), w).op(OP.i32Add), w);
  loadChar(scale(c.get(1).get(i), w).op(OP.i32Add), w);
  c.op(OP.i32Sub).tee(d).open(OP.if);
  c.get(d).op(OP.return).end();
  c.get(i).i32(1).op(OP.i32Add).set(i).br(top).end().end();
  length(c, 0);
  length(c, 1).op(OP.i32Sub);
  return c;
}

/** (in, what): place of the first occurrence from 1, 0 without one. */
function find(w: number): Code {
  const c = new Code([I32, I32], I32);
  const i = c.local(I32),
    j = c.local(I32);
  length(c, 1).op(OP.i32Eqz).open(OP.if);
  c.i32(0).op(OP.return).end();
  const none = c.open(OP.block),
    top = c.open(OP.loop);
  c.get(i);
  length(c, 1).op(OP.i32Add);
  length(c, 0).op(0x4a).brIf(none);
  c.i32(0).set(j);
  const differs = c.open(OP.block),
    inner = c.open(OP.loop);
  c.get(j);
  length(c, 1).op(0x4e).open(OP.if);
  c.get(i).i32(1).op(OP.i32Add, OP.return).end();
  loadChar(
    index(c, 0, w, () => c.get(i).get(j).op(OP.i32Add)),
    w,
  );
  loadChar(
    index(c, 1, w, () => c.get(j)),
    w,
  );
  c.op(OP.i32Ne).brIf(differs).get(j).i32(1).op(OP.i32Add).set(j).br(inner).end().end();
  c.get(i).i32(1).op(OP.i32Add).set(i).br(top).end().end();
  c.i32(0);
  return c;
}

/** Pushes the address of a character, less the 4 bytes of the length. */
function index(c: Code, base: number, w: number, push: () => void): Code {
  c.get(base);
  push();
  return scale(c, w).op(OP.i32Add);
}

/** (value): its digits to one base read as digits to the other; 16 to 10 and back for packed decimal. */
function bcd(from: bigint, to: bigint): Code {
  const c = new Code([I64], I64);
  const result = c.local(I64),
    weight = c.local(I64);
  c.i64(1n).set(weight);
  const end = c.open(OP.block),
    top = c.open(OP.loop);
  c.get(0).op(OP.i64Eqz).brIf(end);
  c.get(result).get(0).i64(from).op(0x82).get(weight).op(OP.i64Mul, OP.i64Add).set(result);
  c.get(0).i64(from).op(0x80).set(0).get(weight).i64(to).op(OP.i64Mul).set(weight).br(top).end().end();
  c.get(result);
  return c;
}

/** floor(a / b) of two i64 on the stack with b a positive constant; `v` is scratch. */
function floorDivide(c: Code, v: number, by: bigint): Code {
  c.tee(v).get(v).i64(0n).op(OP.i64LtS).open(OP.if, I64);
  return c
    .i64(by - 1n)
    .else()
    .i64(0n)
    .end()
    .op(OP.i64Sub)
    .i64(by)
    .op(OP.i64DivS);
}

/**
 * (year, month, day): days since 1970-01-01 in the Gregorian calendar. Years are counted from March, so that the
 * leap day is the last one; 400 years have 146,097 days.
 */
function days(): Code {
  const c = new Code([I64, I64, I64], I64);
  const era = c.local(I64),
    v = c.local(I64),
    doy = c.local(I64);
  c.get(0).get(1).i64(2n).op(OP.i64GtS, OP.i32Eqz, OP.i64ExtendI32U, OP.i64Sub).set(0);
  floorDivide(c.get(0), v, 400n).set(era);
  c.get(0).get(era).i64(400n).op(OP.i64Mul, OP.i64Sub).set(0);
  c.get(1)
    .i64(9n)
    .op(OP.i64Add)
    .i64(12n)
    .op(0x81)
    .i64(153n)
    .op(OP.i64Mul)
    .i64(2n)
    .op(OP.i64Add)
    .i64(5n)
    .op(OP.i64DivS)
    .get(2)
    .op(OP.i64Add)
    .i64(1n)
    .op(OP.i64Sub)
    .set(doy);
  return c
    .get(era)
    .i64(146097n)
    .op(OP.i64Mul)
    .get(0)
    .i64(365n)
    .op(OP.i64Mul)
    .get(0)
    .i64(4n)
    .op(OP.i64DivS, OP.i64Add)
    .get(0)
    .i64(100n)
    .op(OP.i64DivS, OP.i64Sub)
    .get(doy)
    .op(OP.i64Add, OP.i64Add)
    .i64(719468n)
    .op(OP.i64Sub);
}

/** (days since 1970-01-01): year × 10,000 + month × 100 + day. */
function civil(): Code {
  const c = new Code([I64], I64);
  const era = c.local(I64),
    v = c.local(I64),
    doe = c.local(I64),
    yoe = c.local(I64),
    mp = c.local(I64);
  c.get(0).i64(719468n).op(OP.i64Add).set(0);
  floorDivide(c.get(0), v, 146097n).set(era);
  c.get(0).get(era).i64(146097n).op(OP.i64Mul, OP.i64Sub).set(doe);
  c.get(doe)
    .get(doe)
    .i64(1460n)
    .op(OP.i64DivS, OP.i64Sub)
    .get(doe)
    .i64(36524n)
    .op(OP.i64DivS, OP.i64Add)
    .get(doe)
    .i64(146096n)
    .op(OP.i64DivS, OP.i64Sub)
    .i64(365n)
    .op(OP.i64DivS)
    .set(yoe);
  c.get(doe)
    .get(yoe)
    .i64(365n)
    .op(OP.i64Mul)
    .get(yoe)
    .i64(4n)
    .op(OP.i64DivS, OP.i64Add)
    .get(yoe)
    .i64(100n)
    .op(OP.i64DivS, OP.i64Sub)
    .op(OP.i64Sub)
    .set(doe);
  c.get(doe).i64(5n).op(OP.i64Mul).i64(2n).op(OP.i64Add).i64(153n).op(OP.i64DivS).set(mp);
  // Day of the month, then the month counted from January, then the year it lies in.
  c.get(doe)
    .get(mp)
    .i64(153n)
    .op(OP.i64Mul)
    .i64(2n)
    .op(OP.i64Add)
    .i64(5n)
    .op(OP.i64DivS, OP.i64Sub)
    .i64(1n)
    .op(OP.i64Add);
  c.get(mp).i64(10n).op(OP.i64LtS).open(OP.if, I64);
  c.get(mp).i64(3n).op(OP.i64Add).else().get(mp).i64(9n).op(OP.i64Sub).end().tee(v).i64(100n).op(OP.i64Mul, OP.i64Add);
  return c
    .get(yoe)
    .get(era)
    .i64(400n)
    .op(OP.i64Mul, OP.i64Add)
    .get(v)
    .i64(2n)
    .op(OP.i64GtS, OP.i32Eqz, OP.i64ExtendI32U, OP.i64Add)
    .i64(10000n)
    .op(OP.i64Mul, OP.i64Add);
}

/** (to, value): decimal digits, minus sign, no padding. `to` has room for 20 characters. */
function fromInt(w: number): Code {
  const c = new Code([I32, I64, I32]);
  const v = c.local(I64),
    n = c.local(I32),
    at = c.local(I32);
  // A signed value below zero is written as its opposite behind a minus; parameter 2 says "unsigned".
  c.get(1).set(v).get(2).op(OP.i32Eqz).get(1).i64(0n).op(OP.i64LtS, OP.i32And).open(OP.if);
  c.i64(0n).get(1).op(OP.i64Sub).set(v).i32(1).set(n).end();
  const count = c.local(I64);
  c.get(v).set(count);
  let top = c.open(OP.loop);
  c.get(n).i32(1).op(OP.i32Add).set(n).get(count).i64(10n).op(0x80).tee(count).op(OP.i64Eqz, OP.i32Eqz).brIf(top).end();
  c.get(0).get(n).memory(OP.i32Store, 0).get(n).set(at);
  top = c.open(OP.loop);
  c.get(at).i32(1).op(OP.i32Sub).set(at);
  index(c, 0, w, () => c.get(at))
    .get(v)
    .i64(10n)
    .op(0x82, OP.i32WrapI64)
    .i32(48)
    .op(OP.i32Add)
    .memory(w === 2 ? OP.i32Store16 : OP.i32Store8, 4);
  c.get(v).i64(10n).op(0x80).tee(v).op(OP.i64Eqz, OP.i32Eqz).brIf(top).end();
  c.get(at).open(OP.if);
  c.get(0)
    .i32(45)
    .memory(w === 2 ? OP.i32Store16 : OP.i32Store8, 4)
    .end();
  return c;
}

/** (from): the number its digits say, up to the first sign that is none. */
function toInt(w: number): Code {
  const c = new Code([I32], I64);
  const v = c.local(I64),
    i = c.local(I32),
    d = c.local(I32),
    negative = c.local(I32);
  length(c, 0).i32(0).op(0x4a).open(OP.if);
  loadChar(c.get(0), w).tee(d).i32(45).op(OP.i32Eq).set(negative);
  c.get(negative).get(d).i32(43).op(OP.i32Eq, OP.i32Or).set(i).end();
  const end = c.open(OP.block),
    top = c.open(OP.loop);
  c.get(i);
  length(c, 0).op(0x4e).brIf(end);
  loadChar(
    index(c, 0, w, () => c.get(i)),
    w,
  )
    .i32(48)
    .op(OP.i32Sub)
    .tee(d)
    .i32(10)
    .op(OP.i32GeU)
    .brIf(end);
  c.get(v)
    .i64(10n)
    .op(OP.i64Mul)
    .get(d)
    .op(OP.i64ExtendI32U, OP.i64Add)
    .set(v)
    .get(i)
    .i32(1)
    .op(OP.i32Add)
    .set(i)
    .br(top)
    .end()
    .end();
  c.i64(0n).get(v).op(OP.i64Sub).get(v).get(negative).op(OP.select);
  return c;
}
