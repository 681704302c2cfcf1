/**
 * The statements of one unit to WebAssembly, from the intermediate representation. The watched build is the same code
 * with probes and a step counter.
 *
 * Faults are data: emitted code writes kind, place and value into the header and hits `unreachable`; memory keeps that
 * moment. Loops count against a budget, indexes and integer divisions are checked. The watched build also notes the
 * place of each call on the way, so a fault says how it came there.
 *
 * Stopping inside a scan uses the same trap: the watched build counts steps down and stops before the k-th; the scan
 * is run again from its start snapshot to go further or back.
 */
import { FRAME_ALIGN, type Frame, type Room, pushBase, pushRoom } from '../../compile/frame.js';
import { BUDGET, DEPTH, LEFT, NESTED, STACK, STEP_AT } from '../../compile/globals.js';
import { FAULTS, type FaultKind, HEADER, MAX_NESTED, PROBE_BITS, branchProbe } from '../../compile/image.js';
import { type Code, I32, OP } from '../../compile/wasm.js';
import { hasSign, wasmOf } from '../../ir/ops/wasm.js';
import type { Rung, Statement, Unit, Value } from '../../ir/tree.js';
import { contains, lastUses, usedTemps } from '../../ir/walk.js';
import type { Span } from '../../language/source.js';
import { assertNever } from '../../language/tree.js';
import { roundUp, sizeOf } from '../../types/type.js';
import { type Context, dispatchName } from './context.js';
import { Values } from './values.js';

type Call = Statement & { readonly kind: 'call' };
interface Loop {
  readonly exit: number;
  readonly again: number;
}

export class UnitEmitter {
  readonly values: Values;
  private readonly loops = new Map<number, Loop>();
  private used: ReadonlySet<number> = new Set();
  private ends: ReadonlyMap<Statement, readonly number[]> = new Map();
  private temps: Unit['temps'] = [];
  /** The rung being emitted in the watched build: where its words are, and which of them waits in a local. */
  private probes: { readonly address: number; word: number; count: number; readonly local: number } | undefined;
  /** Local copies of the counters in globals, -1 where there is none; a call sees and changes the globals. */
  private left = -1;
  private budget = -1;
  /** Steps since `left` was last brought up to date. */
  private pending = 0;
  /** The frame of this call, where it may come back to itself; `end` counts the room for text behind its variables. */
  private readonly frame: { readonly base: number; end: number; setBytes(n: number): void } | undefined;

  constructor(
    private readonly context: Context,
    readonly code: Code,
    frame: Frame | undefined,
    /** What `return` leaves on the stack. */
    private readonly onReturn: () => void,
  ) {
    this.values = new Values(context, code, (bytes) => this.room(bytes));
    if (!frame) return;
    const base = code.local(I32);
    code.globalGet(STACK).tee(base);
    const setBytes = code.i32Later();
    code.op(OP.i32Add).globalSet(STACK);
    this.frame = { base, end: frame.bytes, setBytes };
    this.values.frame = { base, of: frame };
  }

  private room(bytes: number): Room {
    const { frame } = this;
    if (!frame) return { base: undefined, offset: this.context.temporary(bytes) };
    const offset = roundUp(frame.end, 4);
    frame.end = offset + bytes;
    return { base: frame.base, offset };
  }

  /** The whole of a body, without what stands before and behind it. `also`: a value that is asked for afterwards. */
  body(unit: Pick<Unit, 'body' | 'temps'>, also?: Value): void {
    this.temps = unit.temps;
    if (unit.temps.length) {
      this.used = usedTemps(unit.body, also);
      this.ends = lastUses(unit.body, this.used, also);
    }
    if (this.context.watched && unit.body.some((s) => s.kind === 'note')) this.left = this.code.local(I32);
    if (contains(unit.body, (s) => s.kind === 'loop')) this.budget = this.code.local(I32);
    this.fetch();
    this.statements(unit.body);
    this.store();
    if (also) this.values.push(also);
  }
  /** The frame goes back. */
  leaveFrame(): void {
    if (this.frame) this.code.get(this.frame.base).globalSet(STACK);
  }
  /** The last of a body: what its frame takes is known. */
  close(): void {
    if (!this.frame) return;
    this.code.frameBytes = roundUp(this.frame.end, FRAME_ALIGN);
    this.frame.setBytes(this.code.frameBytes);
  }

  /** Counters come into locals: a step then costs a comparison and no memory. */
  private fetch(): void {
    if (this.left >= 0) this.code.globalGet(LEFT).set(this.left);
    if (this.budget >= 0) this.code.globalGet(BUDGET).set(this.budget);
  }
  private store(): void {
    this.settleSteps();
    if (this.left >= 0) this.code.get(this.left).globalSet(LEFT);
    if (this.budget >= 0) this.code.get(this.budget).globalSet(BUDGET);
  }
  /** Before control flow parts or meets: every way there must have counted alike. */
  private settleSteps(): void {
    if (this.left >= 0 && this.pending) this.code.get(this.left).i32(this.pending).op(OP.i32Sub).set(this.left);
    this.pending = 0;
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

  private statements(list: readonly Statement[]): void {
    for (const s of list) {
      this.statement(s);
      for (const temp of this.ends.get(s) ?? []) {
        const local = this.values.temps.get(temp);
        if (local !== undefined) this.code.release(wasmOf(this.temps[temp]!.type), local);
        this.values.temps.delete(temp);
      }
    }
  }
  private name(temp: number): number {
    const local = this.code.scratch(wasmOf(this.temps[temp]!.type));
    this.values.temps.set(temp, local);
    return local;
  }

  private statement(s: Statement): void {
    const { code, values } = this;
    switch (s.kind) {
      case 'note':
        this.step(s.at);
        if (s.rung && this.context.watched) this.beginProbes(s.rung);
        return;
      case 'probe':
        this.probe(s.closed);
        return;
      case 'rungEnd':
        this.keepProbes();
        if (this.probes) code.release(I32, this.probes.local);
        this.probes = undefined;
        return;
      case 'taken':
        code
          .i32(0)
          .i32(1)
          .memory(OP.i32Store, this.context.probeAddress(branchProbe(s.pou, s.offset), 0, []));
        return;
      case 'let':
        if (!this.used.has(s.temp)) return;
        values.push(s.value);
        code.set(this.name(s.temp));
        return;
      case 'room': {
        const room = this.room(sizeOf(s.type));
        values.rooms.set(s.room, room);
        if (s.type.kind === 'string') pushBase(code, room).i32(0).memory(OP.i32Store, room.offset);
        return;
      }
      case 'store':
        values.store(s.place, s.value);
        return;
      case 'copy':
        values.copy(s.to, s.from);
        values.known.afterWrite(values.known.written(s));
        return;
      case 'fault':
        values.push(s.when);
        code.open(OP.if);
        this.fault(s.fault, s.at, s.shown);
        code.end();
        return;
      case 'call':
        this.call(s);
        return;
      case 'text':
        this.text(s);
        values.known.afterWrite(values.known.written(s));
        return;
      case 'if':
        this.ifStatement(s);
        return;
      case 'loop':
        this.loop(s);
        return;
      case 'leave':
      case 'next': {
        this.settleSteps();
        const loop = this.loops.get(s.label)!;
        code.br(s.kind === 'leave' ? loop.exit : loop.again);
        return;
      }
      case 'return':
        this.keepProbes();
        this.store();
        this.onReturn();
        code.op(OP.return);
        return;
      default:
        assertNever(s);
    }
  }

  /** Writes the fault record and stops; memory keeps what it holds at this point. */
  private fault(kind: FaultKind, at: Span, shown?: Value): void {
    const { code } = this;
    code.i32(0).i32(FAULTS.indexOf(kind)).memory(OP.i32Store, HEADER.faultKind);
    code.i32(0).i32(this.context.locate(at)).memory(OP.i32Store, HEADER.faultLocation);
    if (shown) {
      code.i32(0);
      this.values.push(shown);
      if (wasmOf(shown.type) === I32) code.op(hasSign(shown.type) ? OP.i64ExtendI32S : OP.i64ExtendI32U);
      code.memory(OP.i64Store, HEADER.faultA);
      code
        .i32(0)
        .i64(hasSign(shown.type) ? 0n : 1n)
        .memory(OP.i64Store, HEADER.faultB);
    }
    code.op(OP.unreachable);
  }

  private beginProbes(rung: Rung): void {
    this.probes = {
      address: this.context.probeAddress(rung.id, rung.elements, rung.flow),
      word: 0,
      count: 0,
      local: this.code.scratch(I32),
    };
    this.code.i32(1).set(this.probes.local);
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
  private probe(closed: Value): void {
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
    this.values.push(closed);
    code.op(OP.i32Add).set(p.local);
  }

  private ifStatement(s: Statement & { readonly kind: 'if' }): void {
    const { code, values } = this;
    const [first] = s.then;
    this.settleSteps();
    this.keepProbes();
    values.push(s.condition);
    if (s.then.length === 1 && first?.kind === 'leave' && !s.otherwise.length) {
      code.brIf(this.loops.get(first.label)!.exit);
      return;
    }
    code.open(OP.if);
    values.known.ways([
      () => {
        this.statements(s.then);
        this.settleSteps();
      },
      () => {
        if (!s.otherwise.length) return;
        code.else();
        this.statements(s.otherwise);
        this.settleSteps();
      },
    ]);
    code.end();
  }

  private loop(s: Statement & { readonly kind: 'loop' }): void {
    const { code } = this;
    this.settleSteps();
    this.values.known.repeated([s], () => {
      const exit = code.open(OP.block),
        top = code.open(OP.loop);
      code.get(this.budget).i32(1).op(OP.i32Sub).tee(this.budget).op(OP.i32Eqz).open(OP.if);
      this.fault('WATCHDOG', s.at);
      code.end();
      // In the head and behind the body only the way out is open.
      this.loops.set(s.label, { exit, again: top });
      this.statements(s.head);
      const again = code.open(OP.block);
      this.loops.set(s.label, { exit, again });
      this.values.known.ways([
        () => {
          this.statements(s.body);
          this.settleSteps();
        },
        // Whoever goes on early has not seen the rest.
        () => undefined,
      ]);
      code.end();
      this.loops.set(s.label, { exit, again: top });
      this.statements(s.tail);
      this.settleSteps();
      code.br(top).end().end();
    });
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

  private call(s: Call): void {
    const { code, values, context } = this;
    const name = s.pou.name;
    // The blocks of the library cannot fault.
    const isOwn = s.isVirtual || !context.isSelfContained(name);
    if (s.self) values.push(s.self);
    for (const a of s.args) values.push(a.value);
    this.keepProbes();
    this.store();
    if (isOwn) this.enter(s.at);
    if (s.isReentrant) {
      // Deeper than the limit is a fault.
      code.globalGet(NESTED).i32(MAX_NESTED).op(OP.i32GeU).open(OP.if);
      this.fault('DEPTH', s.at);
      code.end();
      code.globalGet(NESTED).i32(1).op(OP.i32Add).globalSet(NESTED);
    }
    code.call(context.functionIndex(s.isVirtual ? dispatchName(name) : name));
    if (s.isReentrant) code.globalGet(NESTED).i32(1).op(OP.i32Sub).globalSet(NESTED);
    if (isOwn) this.leave();
    this.fetch();
    values.known.afterWrite(values.known.written(s));
    this.result(s);
    const frame = context.frameOf(s.pou);
    for (const { variable, room } of s.outputs) {
      // Where the call left it: at its fixed place, or first in the frame that it just gave back.
      const to = values.rooms.get(room)!,
        offset = frame?.offsets.get(variable);
      pushRoom(code, to);
      if (offset !== undefined) code.globalGet(STACK).i32(offset).op(OP.i32Add);
      else code.i32(context.where(variable));
      code.i32(sizeOf(variable.type)).copyMemory();
    }
  }
  /** What a function gives: a value, or the address of what the next call of it would write over. */
  private result(s: Call): void {
    const { code, values } = this;
    const type = s.pou.result?.type;
    if (!type || type.kind === 'unknown' || (s.pou.pou !== 'FUNCTION' && s.pou.pou !== 'METHOD')) return;
    if (!s.result || ('temp' in s.result && !this.used.has(s.result.temp))) {
      code.op(OP.drop);
      return;
    }
    if ('temp' in s.result) {
      code.set(this.name(s.result.temp));
      return;
    }
    const from = code.scratch(I32);
    code.set(from);
    pushRoom(code, values.rooms.get(s.result.room)!).get(from).i32(sizeOf(type)).copyMemory();
    code.release(I32, from);
  }

  /** Makers of text: the first operand is the room that they fill. */
  private text(s: Statement & { readonly kind: 'text' }): void {
    const { code, values, context } = this;
    const wide = s.type.wide,
      [to, a, b, c] = s.args as [Value, Value, Value, Value];
    values.push(to);
    switch (s.maker) {
      case 'assign':
        code.i32(s.type.max);
        values.push(a);
        code.call(context.helper(wide ? 'assign2' : 'assign1'));
        return;
      case 'append':
        code.i32(s.type.max);
        for (const v of [a, b, c]) values.push(v);
        code.call(context.helper(wide ? 'append2' : 'append1'));
        return;
      case 'fromInt':
        for (const v of [a, b]) values.push(v);
        code.call(context.helper(wide ? 'fromInt2' : 'fromInt1'));
        return;
      case 'fromChar':
        code.i32(1).memory(OP.i32Store, 0);
        values.push(to);
        values.push(a);
        code.memory(wide ? OP.i32Store16 : OP.i32Store8, 4);
        return;
      case 'width':
        // Characters of the other width, one by one; what does not fit a byte keeps its lower half.
        code.i32(s.type.max);
        values.push(b);
        code.call(context.helper(wide ? 'widen2' : 'widen1'));
        return;
      case 'write': {
        const address = code.scratch(I32);
        code.set(address);
        values.push(a);
        code.i32(wide ? 1 : 0);
        values.push(b);
        code.get(address).call(context.math('write'));
        code.release(I32, address);
        return;
      }
      default:
        assertNever(s.maker);
    }
  }
}
