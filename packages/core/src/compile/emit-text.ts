/** Strings on the way through an expression: each place that makes one has memory of its own outside the state. */
import type { Builtin, Checked, StringBuiltin } from '../check/checked.js';
import { TEXT_MAX } from '../types/memory.js';
import { ELEMENTARY_NAMES, type StringType, type Type, baseOf, isSigned } from '../types/type.js';
import { type Emitter, baseName, emitValue, valueType } from './emit-value.js';
import { pushBase, pushRoom } from './frame.js';
import type { Helper } from './strings.js';
import { F32, F64, I32, I64, OP } from './wasm.js';

const TEXT: readonly string[] = [
  'LEN',
  'LEFT',
  'RIGHT',
  'MID',
  'CONCAT',
  'INSERT',
  'DELETE',
  'REPLACE',
  'FIND',
  'INT_TEXT',
  'TEXT_INT',
  'CHAR_TEXT',
  'TEXT_CHAR',
  'WIDTH',
];
export const isTextBuiltin = (name: Builtin): name is StringBuiltin => TEXT.includes(name);
export const textHelper = (
  name: 'assign' | 'append' | 'compare' | 'find' | 'fromInt' | 'toInt',
  t: StringType,
): Helper => `${name}${t.wide ? 2 : 1}` as Helper;

const asString = (t: Type): StringType => {
  if (t.kind !== 'string') throw new Error('a string was expected');
  return t;
};

/** Writes a literal into its own memory and pushes the address. */
export function emitText(e: Emitter, text: string, type: Type): void {
  const { code } = e;
  const wide = asString(type).wide;
  const room = e.temporary(4 + Math.max(text.length, 1) * (wide ? 2 : 1));
  pushBase(code, room).i32(text.length).memory(OP.i32Store, room.offset);
  for (let i = 0; i < text.length; i++)
    pushBase(code, room)
      .i32(text.charCodeAt(i))
      .memory(wide ? OP.i32Store16 : OP.i32Store8, room.offset + 4 + i * (wide ? 2 : 1));
  pushRoom(code, room);
}

export function emitTextBuiltin(e: Emitter, c: Checked & { kind: 'builtin' }, name: StringBuiltin): void {
  const { code } = e;
  const [a, b] = c.args as [Checked, Checked];
  switch (name) {
    case 'LEN':
      emitValue(e, a);
      code.memory(OP.i32Load, 0);
      return;
    case 'FIND':
      emitValue(e, a);
      emitValue(e, b);
      code.call(e.helper(textHelper('find', asString(a.type))));
      return;
    case 'TEXT_INT':
      emitValue(e, a);
      code.call(e.helper(textHelper('toInt', asString(a.type))));
      return;
    case 'TEXT_CHAR': {
      const at = code.scratch(I32);
      const wide = asString(a.type).wide;
      emitValue(e, a);
      code
        .set(at)
        .get(at)
        .memory(wide ? OP.i32Load16U : OP.i32Load8U, 4)
        .i32(0)
        .get(at)
        .memory(OP.i32Load, 0)
        .op(OP.select);
      code.release(I32, at);
      return;
    }
    case 'CHAR_TEXT': {
      const wide = asString(c.type).wide;
      const room = e.temporary(8);
      pushBase(code, room);
      emitValue(e, a);
      code.memory(wide ? OP.i32Store16 : OP.i32Store8, room.offset + 4);
      pushBase(code, room).i32(1).memory(OP.i32Store, room.offset);
      pushRoom(code, room);
      return;
    }
    case 'INT_TEXT': {
      const room = e.temporary(4 + 24 * 2);
      const signed = isSigned(baseName(a.type));
      pushRoom(code, room);
      emitValue(e, a);
      if (valueType(a.type) !== I64) code.op(signed ? OP.i64ExtendI32S : OP.i64ExtendI32U);
      code.i32(signed ? 0 : 1).call(e.helper(textHelper('fromInt', asString(c.type))));
      pushRoom(code, room);
      return;
    }
    case 'WIDTH': {
      // Characters of the other width, one by one; what does not fit a byte keeps its lower half.
      const to = asString(c.type),
        from = asString(a.type);
      const room = e.temporary(4 + to.max * (to.wide ? 2 : 1));
      const source = code.scratch(I32),
        i = code.scratch(I32);
      emitValue(e, a);
      code.set(source);
      pushBase(code, room).get(source).memory(OP.i32Load, 0).memory(OP.i32Store, room.offset).i32(0).set(i);
      const end = code.open(OP.block),
        top = code.open(OP.loop);
      code.get(i).get(source).memory(OP.i32Load, 0).op(0x4e).brIf(end);
      pushBase(code, room)
        .get(i)
        .i32(to.wide ? 1 : 0)
        .op(OP.i32Shl, OP.i32Add);
      code
        .get(source)
        .get(i)
        .i32(from.wide ? 1 : 0)
        .op(OP.i32Shl, OP.i32Add)
        .memory(from.wide ? OP.i32Load16U : OP.i32Load8U, 4);
      code
        .memory(to.wide ? OP.i32Store16 : OP.i32Store8, room.offset + 4)
        .get(i)
        .i32(1)
        .op(OP.i32Add)
        .set(i)
        .br(top)
        .end()
        .end();
      pushRoom(code, room);
      code.release(I32, source);
      code.release(I32, i);
      return;
    }
    default:
      emitPieces(e, c, name);
  }
}

/** LEFT, RIGHT, MID, CONCAT, INSERT, DELETE and REPLACE are pieces of their arguments, one behind the other. */
function emitPieces(e: Emitter, c: Checked & { kind: 'builtin' }, name: StringBuiltin): void {
  const { code } = e;
  const type = asString(c.type);
  const room = e.temporary(4 + type.max * (type.wide ? 2 : 1));
  const locals = c.args.map((x) => {
    const local = code.scratch(I32);
    emitValue(e, x);
    if (baseOf(x.type) !== undefined && valueType(x.type) === I64) code.op(OP.i32WrapI64);
    code.set(local);
    return local;
  });
  const get = (i: number) => () => {
    code.get(locals[i]!);
  };
  const all = () => {
    code.i32(0x7fffffff);
  };
  const zero = () => {
    code.i32(0);
  };
  pushBase(code, room).i32(0).memory(OP.i32Store, room.offset);
  const piece = (from: number, at: () => void, count: () => void) => {
    pushRoom(code, room).i32(type.max).get(locals[from]!);
    at();
    count();
    code.call(e.helper(textHelper('append', type)));
  };
  /** Places count from 1; `less` more characters are left out. */
  const place =
    (i: number, less = 1) =>
    () => {
      code.get(locals[i]!).i32(less).op(OP.i32Sub);
    };
  const behind = (length: number, p: number) => () => {
    code.get(locals[length]!).get(locals[p]!).op(OP.i32Add).i32(1).op(OP.i32Sub);
  };
  switch (name) {
    case 'LEFT':
      piece(0, zero, get(1));
      break;
    case 'RIGHT':
      piece(
        0,
        () => {
          code.get(locals[0]!).memory(OP.i32Load, 0).get(locals[1]!).op(OP.i32Sub);
        },
        get(1),
      );
      break;
    case 'MID':
      piece(0, place(2), get(1));
      break;
    case 'CONCAT':
      c.args.forEach((_, i) => piece(i, zero, all));
      break;
    case 'INSERT':
      piece(0, zero, get(2));
      piece(1, zero, all);
      piece(0, get(2), all);
      break;
    case 'DELETE':
      piece(0, zero, place(2));
      piece(0, behind(1, 2), all);
      break;
    case 'REPLACE':
      piece(0, zero, place(3));
      piece(1, zero, all);
      piece(0, behind(2, 3), all);
      break;
    default:
      throw new Error(`no pieces for ${name}`);
  }
  pushRoom(code, room);
  for (const l of locals) code.release(I32, l);
}

/** Any elementary value to characters and back; the host knows how each is written. */
export function emitTextConversion(e: Emitter, arg: Checked, to: Type): void {
  const { code } = e;
  if (to.kind === 'string') {
    const room = e.temporary(4 + TEXT_MAX * (to.wide ? 2 : 1));
    code.i32(ELEMENTARY_NAMES.indexOf(baseName(arg.type))).i32(to.wide ? 1 : 0);
    emitValue(e, arg);
    const v = valueType(arg.type);
    if (v === F32) code.op(OP.f64PromoteF32);
    if (v === F32 || v === F64) code.op(OP.i64ReinterpretF64);
    else if (v === I32) code.op(isSigned(baseName(arg.type)) ? OP.i64ExtendI32S : OP.i64ExtendI32U);
    pushRoom(code, room).call(e.math('write'));
    pushRoom(code, room);
    return;
  }
  code.i32(ELEMENTARY_NAMES.indexOf(baseName(to))).i32(asString(arg.type).wide ? 1 : 0);
  emitValue(e, arg);
  code.call(e.math('read'));
  const v = valueType(to);
  if (v === F32 || v === F64) code.op(OP.f64ReinterpretI64);
  if (v === F32) code.op(OP.f32DemoteF64);
  if (v === I32) code.op(OP.i32WrapI64);
}
