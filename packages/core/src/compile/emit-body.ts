/**
 * Statements to WebAssembly. The watched build adds probes and a step counter; otherwise both builds are the same code.
 */
import {
  type BlockCall,
  type BlockRun,
  type Checked,
  type CheckedPou,
  type CheckedStatement,
  type Dispatch,
  type Place,
  type ProgramInstance,
  type Variable,
  fixedAddress,
  isPlace,
} from '../check/checked.js';
import { defaultValue, isScalar, isSigned, roundUp, sizeOf } from '../types/type.js';
import { type FlowStep, assertNever } from '../language/tree.js';
import type { Span } from '../language/source.js';
import {
  type Emitter,
  baseName,
  dispatchName,
  emitAddress,
  emitConstant,
  emitFault,
  emitRead,
  emitValue,
  emitWrite,
  forget,
  isSingle,
  normalize,
  valueType,
  wireLocal,
} from './emit-value.js';
import type { MathName } from '../check/checked.js';
import type { Helper } from './strings.js';
import { MAX_NESTED, PROBE_BITS, branchProbe } from './image.js';
import { FRAME_ALIGN, type Frame, type Room } from './frame.js';
import { BUDGET, DEPTH, LEFT, NESTED, STACK, STEP_AT } from './globals.js';
import { Code, I32, I64, OP, type ValueType } from './wasm.js';

export interface BodyContext {
  readonly watched: boolean;
  locate(at: Span): number;
  functionIndex(name: string): number;
  /** Where the watched build notes from where the block or function at hand was called, one place a level. */
  readonly callPath: number;
  /** A block that touches nothing but its own memory: those of the library. */
  isSelfContained(name: string): boolean;
  /** Whether a call of this method or block, its class known only in the run, may come back to where it was made. */
  isReentrant(name: string): boolean;
  helper(name: Helper): number;
  math(name: MathName | 'write' | 'read'): number;
  /** Fixed memory outside the state. */
  temporary(bytes: number): number;
  /** The frame of what may come back to itself; undefined for everything else, which has fixed memory. */
  frameOf(pou: CheckedPou): Frame | undefined;
  probeAddress(rungId: string, elements: number, flow: readonly FlowStep[]): number;
}

interface Loop {
  readonly exit: number;
  readonly again: number;
}

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
export function emitPieces(context: BodyContext, pou: CheckedPou): Code[] | undefined {
  if (pou.body.length < PIECE * 1.5 || pou.locals.length || (pou.pou !== 'PROGRAM' && pou.pou !== 'FUNCTION_BLOCK'))
    return undefined;
  if (context.frameOf(pou)) return undefined;
  return Array.from({ length: Math.ceil(pou.body.length / PIECE) }, (_, i) => {
    const code = new Code([I32], I32);
    const b = new BodyEmitter(context, code, 0, undefined, pou.body.slice(i * PIECE, (i + 1) * PIECE));
    b.begin();
    b.statements(pou.body.slice(i * PIECE, (i + 1) * PIECE));
    b.end();
    code.i32(0);
    return code;
  });
}

/** The body that calls its pieces one after the other, up to one that returned. */
export function emitJoined(context: BodyContext, pou: CheckedPou, pieces: readonly number[]): Code {
  const code = new Code([I32]);
  const b = new BodyEmitter(context, code, 0, pou);
  b.initializeLocals([], 1);
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
export function emitPou(context: BodyContext, pou: CheckedPou): Code {
  const { parameters, types, result, hasSelf } = signature(pou);
  const code = new Code(types, result);
  const first = hasSelf ? 1 : 0;
  parameters.forEach((v, i) => {
    if (v.home.kind === 'local' || v.home.kind === 'localReference') v.home.index = first + i;
  });
  for (const v of pou.locals)
    if (v.home.kind === 'local' && !parameters.includes(v)) v.home.index = code.local(valueType(v.type));
  const b = new BodyEmitter(context, code, hasSelf ? 0 : -1, pou);
  b.begin();
  b.initializeLocals(parameters, first);
  b.statements(pou.body);
  b.end();
  if (pou.inheritsBody && pou.base) code.get(0).call(context.functionIndex(pou.base.name));
  b.result();
  b.close();
  return code;
}

/**
 * Chooses the method (or body) by the class number of the instance; its outputs end up where the caller looks for them.
 */
export function emitDispatch(context: BodyContext, d: Dispatch): Code {
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
          code.i32(to.home.address).i32(from.home.address).i32(sizeOf(to.type)).copyMemory();
      });
    code.op(OP.return).end();
  }
  return code.op(OP.unreachable);
}

/** One run of a program instance: its connections in, its body, its connections out. */
export function emitProgramRun(context: BodyContext, instance: ProgramInstance, address: number): Code {
  const code = new Code([]);
  const b = new BodyEmitter(context, code, -1, undefined);
  b.connections(instance.before);
  code.i32(address).call(context.functionIndex(instance.pou.name));
  b.connections(instance.after);
  return code;
}

/** `() -> ()`: a function block that a task runs. */
export function emitBlockRun(context: BodyContext, run: BlockRun): Code {
  return new Code([]).i32(fixedAddress(run.place)).call(context.functionIndex(run.pou.name));
}

/**
 * `() -> f64`: the value of a check's or rule's expression. BOOL gives 0 or 1, durations nanoseconds. `isWide`: `() ->
 * i64`, as it is.
 */
export function emitExpression(context: BodyContext, c: Checked, isWide = false): Code {
  const code = new Code([], isWide ? I64 : 0x7c);
  const b = new BodyEmitter(context, code, -1, undefined);
  emitValue(b.emitter, c);
  if (isWide) return code;
  const t = valueType(c.type);
  if (t === I32) code.op(isSigned(baseName(c.type)) ? OP.f64ConvertI32S : OP.f64ConvertI32U);
  else if (t === I64) code.op(isSigned(baseName(c.type)) ? OP.f64ConvertI64S : OP.f64ConvertI64U);
  else if (t === 0x7d) code.op(OP.f64PromoteF32);
  return code;
}

class BodyEmitter {
  readonly emitter: Emitter;
  private loops: Loop[] = [];
  private inRung = false;
  /** The rung being emitted in the watched build: where its words are, and which of them waits in a local. */
  private probes: { readonly address: number; word: number; count: number; readonly local: number } | undefined;
  /** Local copies of the counters in globals, -1 where there is none; a call sees and changes the globals. */
  private left = -1;
  private budget = -1;
  /** Steps since `left` was last brought up to date. */
  private pending = 0;
  /** The frame of this call, where it may come back to itself; `end` counts the room for text behind its variables. */
  private readonly frame:
    { readonly base: number; readonly of: Frame; end: number; setBytes(n: number): void } | undefined;

  constructor(
    private readonly context: BodyContext,
    private readonly code: Code,
    self: number,
    private readonly pou: CheckedPou | undefined,
    private readonly piece?: readonly CheckedStatement[],
  ) {
    const frame = pou && context.frameOf(pou);
    if (frame) {
      const base = code.local(I32);
      code.globalGet(STACK).tee(base);
      const setBytes = code.i32Later();
      code.op(OP.i32Add).globalSet(STACK);
      this.frame = { base, of: frame, end: frame.bytes, setBytes };
    }
    this.emitter = {
      code,
      beforeCall: (at, method) => {
        this.store();
        this.enter(at);
        if (method !== undefined && context.isReentrant(method)) this.enterAgain(at);
      },
      afterCall: (method) => {
        if (method !== undefined && context.isReentrant(method)) this.leaveAgain();
        this.leave();
        this.load();
      },
      self,
      watched: context.watched,
      wires: new Map(),
      on: new Set(),
      known: new Map(),
      keeps: false,
      locate: context.locate,
      functionIndex: context.functionIndex,
      helper: context.helper,
      math: context.math,
      temporary: (bytes) => this.room(bytes),
      frame: this.frame && { base: this.frame.base, offsets: this.frame.of.offsets },
      frameOf: context.frameOf,
    };
  }

  private room(bytes: number): Room {
    const { frame } = this;
    if (!frame) return { base: undefined, offset: this.context.temporary(bytes) };
    const offset = roundUp(frame.end, 4);
    frame.end = offset + bytes;
    return { base: frame.base, offset };
  }

  /** Pushes where a variable of the frame lies. */
  private pushFrame(v: Variable): Code {
    const offset = emitAddress(this.emitter, { kind: 'variable', variable: v, type: v.type, at: v.at });
    return offset ? this.code.i32(offset).op(OP.i32Add) : this.code;
  }

  /** Locals and frames start anew at each call (6.5.2, VAR_TEMP; functions keep nothing). */
  initializeLocals(parameters: readonly Variable[], first: number): void {
    for (const v of this.pou!.variables) {
      const parameter = parameters.indexOf(v);
      if (parameter >= 0) {
        if (v.home.kind === 'frame' && v.type.kind === 'string')
          this.pushFrame(v)
            .i32(v.type.max)
            .get(first + parameter)
            .call(this.emitter.helper(v.type.wide ? 'assign2' : 'assign1'));
        else if (v.home.kind === 'frame')
          this.pushFrame(v)
            .get(first + parameter)
            .i32(sizeOf(v.type))
            .copyMemory();
        continue;
      }
      if (v.home.kind === 'local') {
        const value = v.initial ?? defaultValue(v.type);
        if (typeof value !== 'object' && typeof value !== 'string' && Number(value) !== 0) {
          emitConstant(this.code, v.type, value);
          this.code.set(v.home.index);
        }
      } else if (v.home.kind === 'frame' && v.section !== 'hidden') {
        if (v.template?.home.kind === 'frame') {
          this.pushFrame(v).i32(v.template.home.address).i32(sizeOf(v.type)).copyMemory();
          continue;
        }
        this.pushFrame(v).i32(0).i32(sizeOf(v.type)).op(0xfc, 0x0b, 0);
        const initial = v.initial ?? (isScalar(v.type) ? defaultValue(v.type) : undefined);
        if (typeof initial === 'string')
          emitWrite(this.emitter, { kind: 'variable', variable: v, type: v.type, at: v.at }, () =>
            emitValue(this.emitter, { kind: 'constant', value: initial, type: v.type, at: v.at }),
          );
        else if (isScalar(v.type) && typeof initial !== 'object' && initial !== undefined && Number(initial) !== 0)
          emitWrite(this.emitter, { kind: 'variable', variable: v, type: v.type, at: v.at }, () =>
            emitConstant(this.code, v.type, initial),
          );
      }
    }
  }

  /** Statements of the configuration: no steps of the program. */
  connections(list: readonly CheckedStatement[]): void {
    for (const s of list) this.statement(s);
  }

  result(): void {
    const r = this.pou?.result;
    if (r && r.home.kind === 'local' && this.code.result !== undefined) this.code.get(r.home.index);
    else if (r && r.home.kind === 'frame' && this.code.result !== undefined) this.pushFrame(r);
    if (this.frame) this.code.get(this.frame.base).globalSet(STACK);
  }

  /** The last of a body: what its frame takes is known. */
  close(): void {
    if (!this.frame) return;
    this.code.frameBytes = roundUp(this.frame.end, FRAME_ALIGN);
    this.frame.setBytes(this.code.frameBytes);
  }

  /** Counters come into locals: a rung then costs a comparison and no memory. */
  begin(): void {
    if (this.context.watched) this.left = this.code.local(I32);
    if (hasLoop(this.piece ?? this.pou?.body ?? [])) this.budget = this.code.local(I32);
    this.load();
  }
  end(): void {
    this.store();
  }

  private load(): void {
    if (this.left >= 0) this.code.globalGet(LEFT).set(this.left);
    if (this.budget >= 0) this.code.globalGet(BUDGET).set(this.budget);
  }
  private store(): void {
    this.settleSteps();
    if (this.left >= 0) this.code.get(this.left).globalSet(LEFT);
    if (this.budget >= 0) this.code.get(this.budget).globalSet(BUDGET);
  }

  /** Notes the place of a call, so that a fault inside can say how it came there. */
  private enter(at: Span): void {
    if (!this.context.watched) return;
    const { code } = this;
    code.globalGet(DEPTH).i32(2).op(OP.i32Shl).i32(this.context.locate(at)).memory(OP.i32Store, this.context.callPath);
    code.globalGet(DEPTH).i32(1).op(OP.i32Add).globalSet(DEPTH);
  }
  private leave(): void {
    if (this.context.watched) this.code.globalGet(DEPTH).i32(1).op(OP.i32Sub).globalSet(DEPTH);
  }

  /** Before a call that may come back to where it is made: deeper than the limit is a fault. */
  private enterAgain(at: Span): void {
    const { code } = this;
    code.globalGet(NESTED).i32(MAX_NESTED).op(OP.i32GeU).open(OP.if);
    emitFault(this.emitter, 'DEPTH', at);
    code.end();
    code.globalGet(NESTED).i32(1).op(OP.i32Add).globalSet(NESTED);
  }
  private leaveAgain(): void {
    this.code.globalGet(NESTED).i32(1).op(OP.i32Sub).globalSet(NESTED);
  }

  /** Before control flow parts or meets: every way there must have counted alike. */
  private settleSteps(): void {
    if (this.left >= 0 && this.pending) this.code.get(this.left).i32(this.pending).op(OP.i32Sub).set(this.left);
    this.pending = 0;
  }

  statements(list: readonly CheckedStatement[]): void {
    for (const s of list) {
      if (!this.inRung) this.step(s.at);
      if (s.kind !== 'rung') forget(this.emitter);
      this.statement(s);
    }
  }

  /** Statements in a branch of their own. */
  private branch(list: readonly CheckedStatement[]): void {
    const o = list[0]?.at.source.origin;
    // The watched build notes which branches of a text were taken in this scan.
    if (this.context.watched && o?.kind === 'pou')
      this.code
        .i32(0)
        .i32(1)
        .memory(OP.i32Store, this.context.probeAddress(branchProbe(o.id, list[0]!.at.start), 0, []));
    this.statements(list);
    this.settleSteps();
  }

  /** Counts one step and stops before the k-th (architecture.md, engine point 7). */
  private step(at: Span): void {
    if (this.left < 0) return;
    const { code } = this;
    code.get(this.left);
    if (this.pending) code.i32(this.pending).op(OP.i32Eq);
    else code.op(OP.i32Eqz);
    code.open(OP.if);
    code.i32(this.context.locate(at)).globalSet(STEP_AT).op(OP.unreachable).end();
    this.pending++;
  }

  /** The word of the rung that waits in the local goes to memory: before anything that may end or leave the rung. */
  private keepProbes(): void {
    const p = this.probes;
    if (p)
      this.code
        .i32(0)
        .get(p.local)
        .memory(OP.i32Store, p.address + 4 * p.word);
  }

  /**
   * One element more in the word: what was there moves up a bit, which together with the new bit is one instruction.
   */
  private probe(closed: Checked): void {
    const p = this.probes;
    if (!p) return;
    const { code } = this;
    if (p.count === PROBE_BITS) {
      this.keepProbes();
      p.word++;
      p.count = 0;
      code.i32(1).set(p.local);
    }
    p.count++;
    code.get(p.local).i32(1).op(OP.i32Shl);
    emitValue(this.emitter, closed);
    code.op(OP.i32Add).set(p.local);
  }

  private rung(s: CheckedStatement & { kind: 'rung' }): void {
    const { code } = this;
    if (this.context.watched) {
      this.probes = {
        address: this.context.probeAddress(s.rungId, s.elements, s.flow),
        word: 0,
        count: 0,
        local: code.scratch(I32),
      };
      code.i32(1).set(this.probes.local);
    }
    this.inRung = true;
    for (const x of s.body) {
      this.emitter.keeps =
        x.kind === 'setPower' ||
        x.kind === 'probe' ||
        x.kind === 'assign' ||
        x.kind === 'edge' ||
        (x.kind === 'blockCall' && !x.call.isVirtual && this.context.isSelfContained(x.call.type.name));
      if (!this.emitter.keeps) forget(this.emitter);
      this.statement(x);
      if (x.kind === 'assign' && mayReach(x.target)) forget(this.emitter);
    }
    this.emitter.keeps = false;
    this.inRung = false;
    this.keepProbes();
    if (this.probes) code.release(I32, this.probes.local);
    this.probes = undefined;
    this.emitter.on.clear();
  }

  private statement(s: CheckedStatement): void {
    const { code, emitter: e } = this;
    switch (s.kind) {
      case 'assign':
        emitWrite(e, s.target, () => emitValue(e, s.value));
        return;
      case 'copy':
        this.copy(s.target, s.from, s.size);
        return;
      case 'evaluate':
        emitValue(e, s.value);
        if (s.value.type.kind !== 'unknown') code.op(OP.drop);
        return;
      case 'blockCall':
        this.blockCall(s.call);
        return;
      case 'if':
        this.ifStatement(s);
        return;
      case 'case':
        this.caseStatement(s);
        return;
      case 'for':
        this.forStatement(s);
        return;
      case 'while':
        this.settleSteps();
        this.loop(
          (l) => {
            emitValue(e, s.condition);
            code.op(OP.i32Eqz).brIf(l.exit);
          },
          s.body,
          s.at,
        );
        return;
      case 'repeat':
        this.settleSteps();
        this.loop(
          () => undefined,
          s.body,
          s.at,
          (l) => {
            emitValue(e, s.until);
            code.brIf(l.exit);
          },
        );
        return;
      case 'exit':
        this.settleSteps();
        code.br(this.loops[this.loops.length - 1]!.exit);
        return;
      case 'continue':
        this.settleSteps();
        code.br(this.loops[this.loops.length - 1]!.again);
        return;
      case 'return':
        this.keepProbes();
        this.store();
        if (this.piece) code.i32(1);
        else this.result();
        code.op(OP.return);
        return;
      case 'rung':
        this.rung(s);
        return;
      case 'setPower':
        // The left rail is on: what follows it needs no AND.
        if (s.value.kind === 'constant' && s.value.value === true) {
          e.on.add(s.wire);
          return;
        }
        emitValue(e, s.value);
        code.set(wireLocal(e, s.wire));
        return;
      case 'probe':
        this.probe(s.closed);
        return;
      case 'inputEdge': {
        const now = code.scratch(I32);
        emitRead(e, s.input);
        code.set(now);
        emitWrite(e, s.input, () => {
          code.get(now);
          if (s.falling) code.op(OP.i32Eqz);
          emitRead(e, s.memory);
          if (!s.falling) code.op(OP.i32Eqz);
          code.op(OP.i32And);
        });
        emitWrite(e, s.memory, () => code.get(now));
        code.release(I32, now);
        return;
      }
      case 'edge': {
        const now = code.scratch(I32);
        emitValue(e, s.of);
        code.set(now).get(now);
        if (s.falling) code.op(OP.i32Eqz);
        emitRead(e, s.memory);
        if (!s.falling) code.op(OP.i32Eqz);
        code.op(OP.i32And).set(wireLocal(e, s.wire));
        emitWrite(e, s.memory, () => code.get(now));
        code.release(I32, now);
        return;
      }
      default:
        assertNever(s);
    }
  }

  private copy(target: Place, from: Place | Checked, size: number): void {
    const { code, emitter: e } = this;
    for (const p of [target, from]) {
      if (!isPlace(p)) {
        emitValue(e, p);
        continue;
      }
      const offset = emitAddress(e, p);
      if (offset) code.i32(offset).op(OP.i32Add);
    }
    code.i32(size).copyMemory();
  }

  private blockCall(call: BlockCall): void {
    const { code, emitter: e } = this;
    const self = code.scratch(I32);
    const offset = emitAddress(e, call.instance);
    if (offset) code.i32(offset).op(OP.i32Add);
    code.set(self);
    const view: Emitter = e;
    for (const i of call.inputs) {
      if (isPlace(i.value)) {
        code.get(self).i32(i.offset).op(OP.i32Add);
        if (i.isReference) {
          const at = emitAddress(view, i.value);
          if (at) code.i32(at).op(OP.i32Add);
          code.memory(OP.i32Store, 0);
        } else {
          const at = emitAddress(view, i.value);
          if (at) code.i32(at).op(OP.i32Add);
          code.i32(sizeOf(i.type)).copyMemory();
        }
      } else {
        const value = i.value;
        this.storeMember(self, i.offset, i.type, () => emitValue(view, value));
      }
    }
    this.keepProbes();
    this.store();
    if (call.asleep) {
      emitRead(e, call.asleep);
      code.op(OP.i32Eqz).open(OP.if);
    }
    // The blocks of the library cannot fault.
    const isOwn = call.isVirtual || !this.context.isSelfContained(call.type.name);
    if (isOwn) this.enter(call.instance.at);
    const isReentrant = call.isVirtual && this.context.isReentrant(call.type.name);
    if (isReentrant) this.enterAgain(call.instance.at);
    code.get(self).call(this.context.functionIndex(call.isVirtual ? dispatchName(call.type.name) : call.type.name));
    if (isReentrant) this.leaveAgain();
    if (isOwn) this.leave();
    if (call.asleep) code.end();
    this.load();
    for (const o of call.outputs) {
      emitWrite(e, o.to, () => {
        this.loadMember(self, o.offset, o.type);
        if (o.negated) code.op(OP.i32Eqz);
      });
    }
    code.release(I32, self);
  }

  /** A member of the instance whose address is in a local, written like every other place. */
  private storeMember(
    self: number,
    offset: number,
    type: CheckedPou['variables'][number]['type'],
    push: () => void,
  ): void {
    emitWrite({ ...this.emitter, self }, memberOf(offset, type), push);
  }
  private loadMember(self: number, offset: number, type: CheckedPou['variables'][number]['type']): void {
    emitRead({ ...this.emitter, self }, memberOf(offset, type));
  }

  private ifStatement(s: CheckedStatement & { kind: 'if' }): void {
    const { code, emitter: e } = this;
    this.settleSteps();
    if (this.inRung) this.keepProbes();
    let open = 0;
    for (const b of s.branches) {
      emitValue(e, b.condition);
      code.open(OP.if);
      open++;
      this.branch(b.body);
      if (b !== s.branches[s.branches.length - 1] || s.otherwise) code.else();
    }
    if (s.otherwise) this.branch(s.otherwise);
    for (; open; open--) code.end();
  }

  private caseStatement(s: CheckedStatement & { kind: 'case' }): void {
    const { code, emitter: e } = this;
    const t = s.selector.type,
      v = valueType(t);
    const selector = code.scratch(v);
    emitValue(e, s.selector);
    code.set(selector);
    this.settleSteps();
    let open = 0;
    for (const arm of s.arms) {
      code.i32(0);
      for (const l of arm.labels) {
        code.get(selector);
        emitConstant(code, t, l.low);
        if (l.low === l.high) code.op(v === I64 ? OP.i64Eq : OP.i32Eq, OP.i32Or);
        else {
          const signed = isSigned(baseName(t));
          code.op(v === I64 ? (signed ? 0x59 : 0x5a) : signed ? 0x4e : 0x4f).get(selector);
          emitConstant(code, t, l.high);
          code.op(v === I64 ? (signed ? 0x57 : 0x58) : signed ? 0x4c : 0x4d, OP.i32And, OP.i32Or);
        }
      }
      code.open(OP.if);
      open++;
      this.branch(arm.body);
      code.else();
    }
    if (s.otherwise) this.branch(s.otherwise);
    for (; open; open--) code.end();
    code.release(v, selector);
  }

  /** `before` may leave at the top, `after` at the bottom; every pass costs one of the watchdog's budget. */
  private loop(
    before: (l: Loop) => void,
    body: readonly CheckedStatement[],
    at: Span,
    after?: (l: Loop) => void,
  ): void {
    const { code } = this;
    const exit = code.open(OP.block);
    const top = code.open(OP.loop);
    code.get(this.budget).i32(1).op(OP.i32Sub).tee(this.budget).op(OP.i32Eqz).open(OP.if);
    emitFault(this.emitter, 'WATCHDOG', at);
    code.end();
    before({ exit, again: top });
    const again = code.open(OP.block);
    this.loops.push({ exit, again });
    this.branch(body);
    this.loops.pop();
    code.end();
    after?.({ exit, again: top });
    code.br(top).end().end();
  }

  /**
   * FOR: limit and step are evaluated once (7.3.3.4.2). The variable ends at the first value past the limit;
   * the pass count is bounded before adding, so a loop up to the type's last value ends (choices.md).
   */
  private forStatement(s: CheckedStatement & { kind: 'for' }): void {
    const { code, emitter: e } = this;
    const t = s.by.type,
      v = valueType(t);
    const wide = v === I64,
      signed = isSigned(baseName(t));
    const to = code.local(v),
      by = code.local(v);
    this.settleSteps();
    emitWrite(e, s.variable, () => emitValue(e, s.from));
    emitValue(e, s.to);
    code.set(to);
    emitValue(e, s.by);
    code.set(by);
    const known = s.by.kind === 'constant' ? (s.by.value as bigint) : undefined;
    const past = (up: boolean) => {
      emitRead(e, s.variable);
      code
        .get(to)
        .op(
          wide
            ? up
              ? signed
                ? 0x55
                : 0x56
              : signed
                ? 0x53
                : 0x54
            : up
              ? signed
                ? 0x4a
                : 0x4b
              : signed
                ? 0x48
                : 0x49,
        );
    };
    const direction = (emit: (up: boolean) => void) => {
      if (known !== undefined || !signed) {
        emit(known === undefined || known > 0n);
        return;
      }
      code.get(by);
      emitConstant(code, t, 0n);
      code.op(wide ? OP.i64GtS : 0x4a).open(OP.if, I32);
      emit(true);
      code.else();
      emit(false);
      code.end();
    };
    /** The last pass: what is left to the limit is less than a step (as unsigned numbers, so nothing overflows). */
    const last = (up: boolean) => {
      const sub = wide ? OP.i64Sub : OP.i32Sub;
      if (up) {
        code.get(to);
        emitRead(e, s.variable);
        code.op(sub).get(by);
      } else {
        emitRead(e, s.variable);
        code.get(to).op(sub);
        emitConstant(code, t, 0n);
        code.get(by).op(sub);
      }
      code.op(wide ? OP.i64LtU : OP.i32LtU);
    };
    const advance = () =>
      emitWrite(e, s.variable, () => {
        emitRead(e, s.variable);
        code.get(by).op(wide ? OP.i64Add : OP.i32Add);
        if (!wide) normalize(code, t);
      });
    // A step of nothing has no pass (choices.md).
    if (known === 0n) return;
    this.loop(
      (l) => {
        if (known === undefined) {
          code.get(by).op(wide ? OP.i64Eqz : OP.i32Eqz);
          code.brIf(l.exit);
        }
        direction(past);
        code.brIf(l.exit);
      },
      s.body,
      s.at,
      (l) => {
        direction(last);
        advanceKeepingCondition(code, advance);
        code.brIf(l.exit);
      },
    );
  }
}

/** Whether writing there can write a tag under another name: through a reference or an in-out variable. */
function mayReach(p: Place): boolean {
  if (p.kind === 'variable') return p.variable.home.kind === 'reference' || p.variable.home.kind === 'localReference';
  return p.kind === 'target' || (p.kind === 'member' && p.isReference === true) || mayReach(p.base);
}

function hasLoop(list: readonly CheckedStatement[]): boolean {
  return list.some(
    (s) =>
      s.kind === 'for' ||
      s.kind === 'while' ||
      s.kind === 'repeat' ||
      (s.kind === 'rung' && hasLoop(s.body)) ||
      (s.kind === 'if' && (s.branches.some((b) => hasLoop(b.body)) || hasLoop(s.otherwise ?? []))) ||
      (s.kind === 'case' && (s.arms.some((a) => hasLoop(a.body)) || hasLoop(s.otherwise ?? []))),
  );
}

/** Runs `advance` under a condition that waits on the stack. */
function advanceKeepingCondition(code: Code, advance: () => void): void {
  const c = code.scratch(I32);
  code.set(c);
  advance();
  code.get(c);
  code.release(I32, c);
}

function memberOf(offset: number, type: CheckedPou['variables'][number]['type']): Place {
  const at: Span = { source: { name: '', text: '', origin: { kind: 'library' } }, start: 0, end: 0 };
  return {
    kind: 'variable',
    type,
    at,
    variable: {
      name: '',
      type,
      section: 'local',
      at,
      isConstant: false,
      isRetained: false,
      home: { kind: 'instance', offset },
    },
  };
}
