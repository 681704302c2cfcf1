/**
 * The functions of a module: one for each unit, and those that run programs, choose methods and give values.
 *
 * Objects (classes, blocks that extend, interfaces): a derived instance begins with the members of its base, so
 * methods of the base work on it; where methods or bodies can be chosen in the run, the first member is a class
 * number. A virtual call goes through a small function that compares that number and calls (`emitDispatch`); the world
 * is closed, so there are no tables of pointers. An interface or reference is an address; NULL is 0 and a fault.
 */
import {
  type BlockRun,
  type Checked,
  type CheckedPou,
  type Dispatch,
  type ProgramInstance,
  type Variable,
  fixedAddress,
} from '../../checked/tree.js';
import { Code, F32, F64, I32, I64, OP, type ValueType } from '../../compile/wasm.js';
import { machineOf } from '../../ir/machine.js';
import type { Lowered } from '../../ir/inline.js';
import { type ProgramFacts, lowerLoose } from '../../ir/lower.js';
import { hasSign, pushConstant, wasmOf } from '../../ir/ops/wasm.js';
import type { Place, Value } from '../../ir/tree.js';
import { type Constant, type Type, defaultValue, isScalar, sizeOf } from '../../types/type.js';
import type { Context } from './context.js';
import { UnitEmitter } from './unit.js';

/** Kept in one WebAssembly value. */
const isSingle = (t: Type): boolean => isScalar(t) || t.kind === 'ref' || t.kind === 'interface';
const valueType = (t: Type): ValueType => wasmOf(machineOf(t));

/** What a call of `pou` takes: the instance (blocks, methods), then its parameters (functions, methods). */
function signature(pou: CheckedPou): {
  parameters: Variable[];
  types: ValueType[];
  result: ValueType | undefined;
  hasSelf: boolean;
} {
  const isCalled = pou.pou === 'FUNCTION' || pou.pou === 'METHOD';
  const hasSelf = pou.pou !== 'FUNCTION';
  const parameters = isCalled
    ? pou.variables.filter((v) => v.section === 'input' || v.section === 'inout' || v.section === 'bound')
    : [];
  const byAddress = (v: Variable) => v.home.kind === 'localReference' || !isSingle(v.type);
  const types: ValueType[] = [
    ...(hasSelf ? [I32 as ValueType] : []),
    ...parameters.map((v): ValueType => (byAddress(v) ? I32 : valueType(v.type))),
  ];
  const result =
    isCalled && pou.result && pou.result.type.kind !== 'unknown'
      ? isSingle(pou.result.type)
        ? valueType(pou.result.type)
        : I32
      : undefined;
  return { parameters, types, result, hasSelf };
}

/** Statements in one piece of a long body. */
const PIECE = 100;

/**
 * A long body of a program or block in pieces, `(self) -> returned`: the engine compiles them in a third of the time
 * and runs them as fast. Undefined where it is short, or where temporary variables live in locals that all pieces would
 * need.
 */
export function emitPieces(context: Context, lowered: Lowered, pou: CheckedPou): Code[] | undefined {
  if (pou.body.length < PIECE * 1.5 || pou.locals.length || (pou.pou !== 'PROGRAM' && pou.pou !== 'FUNCTION_BLOCK'))
    return undefined;
  if (context.frameOf(pou)) return undefined;
  return Array.from({ length: Math.ceil(pou.body.length / PIECE) }, (_, i) => {
    const code = new Code([I32], I32);
    const unit = lowered.unit(pou, pou.body.slice(i * PIECE, (i + 1) * PIECE));
    new UnitEmitter(context, code, undefined, () => code.i32(1)).body(unit);
    return code.i32(0);
  });
}

/** The body that calls its pieces one after the other, up to one that returned. */
export function emitJoined(context: Context, pou: CheckedPou, pieces: readonly number[]): Code {
  const code = new Code([I32]);
  begin(new UnitEmitter(context, code, undefined, () => undefined), pou, [], 1);
  for (const p of pieces) {
    code.get(0).call(p).open(OP.if);
    code.op(OP.return).end();
  }
  if (pou.inheritsBody && pou.base) code.get(0).call(context.functionIndex(pou.base.name));
  return code;
}

/**
 * The code of one POU: `(self) -> ()` for programs and blocks, `(inputs…) -> result` for functions, both for methods.
 */
export function emitPou(context: Context, lowered: Lowered, pou: CheckedPou): Code {
  const { parameters, types, result, hasSelf } = signature(pou);
  const code = new Code(types, result);
  const first = hasSelf ? 1 : 0;
  const e: UnitEmitter = new UnitEmitter(context, code, context.frameOf(pou), () => finish());
  const finish = (): void => {
    const r = pou.result;
    if (r && code.result !== undefined) {
      const local = e.values.locals.get(r);
      if (local !== undefined && r.home.kind === 'local') code.get(local);
      else e.values.pushAddress(ownPlace(r));
    }
    e.leaveFrame();
  };
  parameters.forEach((v, i) => {
    if (v.home.kind === 'local' || v.home.kind === 'localReference') e.values.locals.set(v, first + i);
  });
  for (const v of pou.locals)
    if (v.home.kind === 'local' && !parameters.includes(v)) e.values.locals.set(v, code.local(valueType(v.type)));
  begin(e, pou, parameters, first);
  e.body(lowered.unit(pou));
  if (pou.inheritsBody && pou.base) code.get(0).call(context.functionIndex(pou.base.name));
  finish();
  e.close();
  return code;
}

/** A variable of the call at hand. */
const ownPlace = (v: Variable): Place => ({
  root: { kind: 'local', variable: v },
  rootType: v.type,
  steps: [],
  type: v.type,
});

/** Locals and frames start anew at each call (6.5.2, VAR_TEMP; functions keep nothing). */
function begin(e: UnitEmitter, pou: CheckedPou, parameters: readonly Variable[], first: number): void {
  const { code, values } = e;
  for (const v of pou.variables) {
    const { home } = v,
      parameter = parameters.indexOf(v);
    if (parameter >= 0) {
      if (home.kind !== 'frame') continue;
      values.pushAddress(ownPlace(v));
      if (v.type.kind === 'string')
        code
          .i32(v.type.max)
          .get(first + parameter)
          .call(values.context.helper(v.type.wide ? 'assign2' : 'assign1'));
      else
        code
          .get(first + parameter)
          .i32(sizeOf(v.type))
          .copyMemory();
    } else if (home.kind === 'local') {
      const value = v.initial ?? defaultValue(v.type);
      if (typeof value === 'object' || typeof value === 'string' || Number(value) === 0) continue;
      pushConstant(code, machineOf(v.type), numberOf(value));
      code.set(values.locals.get(v)!);
    } else if (home.kind === 'frame' && v.section !== 'hidden') {
      values.pushAddress(ownPlace(v));
      if (v.template?.home.kind === 'frame') {
        code.i32(values.context.where(v.template)).i32(sizeOf(v.type)).copyMemory();
        continue;
      }
      code.i32(0).i32(sizeOf(v.type)).op(0xfc, 0x0b, 0);
      const initial = v.initial ?? (isScalar(v.type) ? defaultValue(v.type) : undefined);
      if (typeof initial === 'string' && v.type.kind === 'string') {
        const text: Type = { kind: 'string', wide: v.type.wide, max: Math.max(initial.length, 1) };
        values.pushAddress(ownPlace(v));
        code.i32(v.type.max);
        values.pushAddress({ root: { kind: 'text', text: initial }, rootType: text, steps: [], type: text });
        code.call(values.context.helper(v.type.wide ? 'assign2' : 'assign1'));
      } else if (isScalar(v.type) && initial !== undefined && typeof initial !== 'object' && Number(initial) !== 0)
        values.store(ownPlace(v), constantOf(v.type, initial));
    }
  }
}
const numberOf = (value: Constant): bigint | number =>
  typeof value === 'boolean' ? (value ? 1n : 0n) : (value as bigint | number);
const constantOf = (type: Type, value: Constant): Value => ({
  kind: 'constant',
  type: machineOf(type),
  value: numberOf(value),
});

/**
 * Chooses the method (or body) by the class number of the instance; its outputs end up where the caller looks for them.
 */
export function emitDispatch(context: Context, d: Dispatch): Code {
  const { types, result } = signature(d.method);
  const code = new Code(types, result);
  const outputs = (p: CheckedPou) => p.variables.filter((v) => v.section === 'output');
  for (const t of d.targets) {
    code.get(0).memory(OP.i32Load, 0).i32(t.classNumber).op(OP.i32Eq).open(OP.if);
    types.forEach((_, i) => code.get(i));
    code.call(context.functionIndex(t.pou.name));
    // Of what may come back, the outputs lie where the call left them, first in its frame.
    if (!context.frameOf(d.method) && d.method.pou === 'METHOD' && t.pou !== d.method)
      outputs(d.method).forEach((to, i) => {
        const from = outputs(t.pou)[i];
        if (from?.home.kind === 'frame' && to.home.kind === 'frame')
          code.i32(context.where(to)).i32(context.where(from)).i32(sizeOf(to.type)).copyMemory();
      });
    code.op(OP.return).end();
  }
  return code.op(OP.unreachable);
}

/** One run of a program instance: its connections in, its body, its connections out. */
export function emitProgramRun(
  context: Context,
  facts: ProgramFacts,
  instance: ProgramInstance,
  address: number,
): Code {
  const code = new Code([]);
  // Statements of the configuration are no steps of the program.
  const connections = (list: ProgramInstance['before']): void => {
    if (list.length) new UnitEmitter(context, code, undefined, () => undefined).body(lowerLoose(facts, list));
  };
  connections(instance.before);
  code.i32(address).call(context.functionIndex(instance.pou.name));
  connections(instance.after);
  return code;
}

/** `() -> ()`: a function block that a task runs. */
export function emitBlockRun(context: Context, run: BlockRun): Code {
  return new Code([]).i32(fixedAddress(run.place, context.where)).call(context.functionIndex(run.pou.name));
}

/**
 * `() -> f64`: the value of a check's or rule's expression. BOOL gives 0 or 1, durations nanoseconds. `isWide`: `() ->
 * i64`, as it is.
 */
export function emitExpression(context: Context, facts: ProgramFacts, c: Checked, isWide = false): Code {
  const code = new Code([], isWide ? I64 : F64);
  const unit = lowerLoose(facts, [], c);
  new UnitEmitter(context, code, undefined, () => undefined).body(unit, unit.value);
  if (isWide) return code;
  const machine = machineOf(c.type),
    type = wasmOf(machine);
  if (type === I32) code.op(hasSign(machine) ? OP.f64ConvertI32S : OP.f64ConvertI32U);
  else if (type === I64) code.op(hasSign(machine) ? OP.f64ConvertI64S : OP.f64ConvertI64U);
  else if (type === F32) code.op(OP.f64PromoteF32);
  return code;
}
/** Whether the value of an expression takes 64 bits as a whole number. */
export const isWideValue = (c: Checked): boolean => valueType(c.type) === I64;
