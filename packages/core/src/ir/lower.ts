/** Statements of the checked tree to the intermediate representation (architecture.md, "One meaning"). */
import {
  type BlockCall,
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type CheckedStatement,
  isPlace,
} from '../checked/tree.js';
import { eachExpression, eachStatement, expressionsOf } from '../checked/walk.js';
import { assertNever } from '../language/tree.js';
import type { Type } from '../types/type.js';
import { rangeOfWhole } from './bounds.js';
import { Lowering, hasCall, op, wholeConstant } from './lower-value.js';
import { type Whole, machineOf } from './machine.js';
import type { Place, Statement, Unit, Value } from './tree.js';

/** What lowering needs to know about the whole program. */
export class ProgramFacts {
  private readonly reentrant: ReadonlySet<string>;
  private readonly pous: ReadonlyMap<string, CheckedPou>;
  private readonly selfContained: ReadonlySet<string>;

  constructor(readonly program: CheckedProgram) {
    this.reentrant = new Set(program.dispatches.flatMap((d) => (d.isReentrant ? [d.method.name.toLowerCase()] : [])));
    this.pous = new Map(program.pous.map((p) => [p.name.toLowerCase(), p]));
    this.selfContained = new Set(
      program.pous
        .filter((p) => p.at.source.origin.kind === 'library' && !p.layout.members.some((m) => m.section === 'inout'))
        .map((p) => p.name.toLowerCase()),
    );
  }
  /** The block, class, function or method of that full name. */
  pou(name: string): CheckedPou {
    const found = this.pous.get(name.toLowerCase());
    if (!found) throw new Error(`'${name}' was never declared`);
    return found;
  }
  /** A block that touches nothing but its own memory: those of the library. */
  isSelfContained(name: string): boolean {
    return this.selfContained.has(name.toLowerCase());
  }
  /** Whether a call of this method or block, its class known only in the run, may come back to where it was made. */
  isReentrant(name: string): boolean {
    return this.reentrant.has(name.toLowerCase());
  }
}

/**
 * One function, method, block or program; `statements` where only a piece of its body is wanted. Watched: with probes
 * of rungs and of the branches of a text.
 */
export function lowerPou(
  facts: ProgramFacts,
  pou: CheckedPou,
  watched = false,
  statements: readonly CheckedStatement[] = pou.body,
): Unit {
  const body = new BodyLowering(facts, pou, watched);
  body.statements(statements);
  return { pou, body: body.list, temps: body.temps };
}

/**
 * Statements that belong to no unit: connections of the configuration, or the condition of a task, whose value comes
 * with them.
 */
export function lowerLoose(
  facts: ProgramFacts,
  statements: readonly CheckedStatement[],
  value?: Checked,
): { body: readonly Statement[]; temps: Unit['temps']; value?: Value } {
  const body = new BodyLowering(facts, undefined);
  body.statements(statements, false);
  const lowered = value && body.value(value);
  return { body: body.list, temps: body.temps, ...(lowered ? { value: lowered } : {}) };
}

class BodyLowering extends Lowering {
  private loops: number[] = [];
  private labels = 0;
  /** Wires of the rung at hand whose value is not worked out yet, and how often each is still asked for. */
  private waiting = new Map<number, Value>();
  private asked = new Map<number, number>();
  private wires = new Map<number, Value>();

  constructor(
    private readonly facts: ProgramFacts,
    pou: CheckedPou | undefined,
    private readonly watched = false,
  ) {
    super((name) => facts.isReentrant(name), pou);
  }

  /** `notes`: whether each statement says where it comes from. */
  statements(list: readonly CheckedStatement[], notes = true): void {
    for (const s of list) {
      if (notes && s.kind !== 'rung' && !this.inRung) this.add({ kind: 'note', at: s.at });
      this.statement(s);
    }
  }
  private inRung = false;

  /** Statements of a branch, as a list of their own. */
  private branch(list: readonly CheckedStatement[]): Statement[] {
    return this.apart(() => this.way(list));
  }
  /** One way of several: whoever watches a text sees that it was taken. */
  private way(list: readonly CheckedStatement[]): void {
    const origin = list[0]?.at.source.origin;
    if (this.watched && origin?.kind === 'pou') this.add({ kind: 'taken', pou: origin.id, offset: list[0]!.at.start });
    this.statements(list);
  }

  private statement(s: CheckedStatement): void {
    // What a call writes must not change what was read before it.
    if (this.waiting.size && expressionsOf(s).some(hasCall)) this.settle();
    switch (s.kind) {
      case 'assign': {
        // The place first, then the value: what its indices find wrong comes before what the value does.
        const target = this.target(s.target);
        const value = this.value(s.value);
        this.settle();
        this.write(target, value);
        return;
      }
      case 'copy': {
        const to = this.place(s.target),
          from = isPlace(s.from) ? this.place(s.from) : this.whole(s.from);
        this.settle();
        this.add({ kind: 'copy', to, from });
        return;
      }
      case 'evaluate': {
        const value = this.value(s.value);
        this.settle();
        // What it gives is not asked for; calls on the way have been made.
        void value;
        return;
      }
      case 'blockCall':
        this.blockCall(s.call);
        return;
      case 'if':
        this.ifStatement(s.branches, s.otherwise);
        return;
      case 'case':
        this.caseStatement(s);
        return;
      case 'for':
        this.forStatement(s);
        return;
      case 'while':
        this.loop(s, (leave) => {
          const condition = this.value(s.condition);
          leave(op('not', 'bool', condition));
        });
        return;
      case 'repeat':
        this.loop(
          s,
          () => undefined,
          (leave) => leave(this.value(s.until)),
        );
        return;
      case 'exit':
        this.add({ kind: 'leave', label: this.loops[this.loops.length - 1]! });
        return;
      case 'continue':
        this.add({ kind: 'next', label: this.loops[this.loops.length - 1]! });
        return;
      case 'return':
        this.add({ kind: 'return' });
        return;
      case 'rung':
        this.rung(s);
        return;
      case 'setPower':
        this.waiting.set(s.wire, this.value(s.value));
        return;
      case 'probe':
        if (this.watched) this.add({ kind: 'probe', closed: this.value(s.closed) });
        return;
      case 'inputEdge': {
        const input = this.place(s.input),
          memory = this.place(s.memory);
        const now = this.keep(this.load(input)),
          before = this.load(memory);
        this.add({ kind: 'store', place: input, value: edgeOf(now, before, s.falling) });
        this.add({ kind: 'store', place: memory, value: now });
        return;
      }
      case 'edge': {
        const memory = this.place(s.memory);
        const now = this.keep(this.value(s.of));
        this.settle();
        this.wires.set(s.wire, this.keep(edgeOf(now, this.load(memory), s.falling)));
        this.add({ kind: 'store', place: memory, value: now });
        return;
      }
      default:
        assertNever(s);
    }
  }

  /** Power on the wires of a rung is worked out where it is asked for, as long as nothing was written in between. */
  private rung(s: CheckedStatement & { kind: 'rung' }): void {
    this.add({ kind: 'note', at: s.at, rung: { id: s.rungId, elements: s.elements, flow: s.flow } });
    this.inRung = true;
    this.asked.clear();
    this.waiting.clear();
    this.wires.clear();
    const count = (c: Checked) =>
      eachExpression(c, (e) => {
        if (e.kind === 'power') this.asked.set(e.wire, (this.asked.get(e.wire) ?? 0) + 1);
      });
    eachStatement(s.body, (x) => {
      if (this.watched || x.kind !== 'probe') expressionsOf(x).forEach(count);
    });
    this.statements(s.body);
    this.settle();
    this.inRung = false;
    if (this.watched) this.add({ kind: 'rungEnd' });
  }

  protected override power(wire: number): Value {
    const left = (this.asked.get(wire) ?? 1) - 1;
    this.asked.set(wire, left);
    const known = this.wires.get(wire);
    if (known) return known;
    const value = this.waiting.get(wire);
    if (!value) throw new Error('power on a wire that has none');
    if (left > 0 && isPlain(value)) return value;
    this.waiting.delete(wire);
    if (left === 0) return value;
    const kept = this.keep(value);
    this.wires.set(wire, kept);
    return kept;
  }

  /** Works out the wires that are still asked for: something is written next. */
  private settle(): void {
    for (const [wire, value] of this.waiting)
      if (this.asked.get(wire)) this.wires.set(wire, value.kind === 'constant' ? value : this.keep(value));
    this.waiting.clear();
  }

  private blockCall(call: BlockCall): void {
    const at = this.fixed(this.place(call.instance));
    const member = (offset: number, type: Type): Place => this.memberOf(at, offset, type);
    for (const i of call.inputs) {
      const place = member(i.offset, i.type);
      if (!isPlace(i.value)) {
        const value = this.value(i.value);
        this.settle();
        this.write({ place }, value);
      } else if (i.isReference) {
        const given = this.place(i.value);
        this.settle();
        this.add({ kind: 'store', place: this.pointerPlace(place), value: this.addressOf(given, i.type) });
      } else {
        const from = this.place(i.value);
        this.settle();
        this.add({ kind: 'copy', to: place, from });
      }
    }
    this.settle();
    const run = (): void =>
      this.add({
        kind: 'call',
        pou: this.facts.pou(call.type.name),
        isVirtual: call.isVirtual === true,
        isReentrant: call.isVirtual === true && this.facts.isReentrant(call.type.name),
        self: this.addressOf(at, call.type),
        args: [],
        outputs: [],
        at: call.instance.at,
      });
    if (call.asleep) {
      const condition = op('not', 'bool', this.load(this.place(call.asleep)));
      this.add({ kind: 'if', condition, then: this.apart(run), otherwise: [] });
    } else run();
    for (const o of call.outputs) {
      const target = this.target(o.to);
      const place = member(o.offset, o.type);
      if (
        target.place.type.kind === 'struct' ||
        target.place.type.kind === 'array' ||
        target.place.type.kind === 'block'
      )
        this.add({ kind: 'copy', to: target.place, from: place });
      else this.write(target, o.negated ? op('not', 'bool', this.read(place)) : this.read(place));
    }
  }

  private ifStatement(
    branches: readonly { readonly condition: Checked; readonly body: readonly CheckedStatement[] }[],
    otherwise: readonly CheckedStatement[] | undefined,
  ): void {
    const [first, ...rest] = branches;
    if (!first) {
      if (otherwise) this.way(otherwise);
      return;
    }
    const condition = this.value(first.condition);
    this.settle();
    this.add({
      kind: 'if',
      condition,
      then: this.branch(first.body),
      otherwise: this.apart(() => this.ifStatement(rest, otherwise)),
    });
  }

  private caseStatement(s: CheckedStatement & { kind: 'case' }): void {
    const type = machineOf(s.selector.type);
    const selector = this.keep(this.value(s.selector));
    const arm = (n: number): void => {
      const one = s.arms[n];
      if (!one) {
        if (s.otherwise) this.way(s.otherwise);
        return;
      }
      const condition = one.labels
        .map((l): Value => {
          const low = wholeConstant(type, l.low);
          if (l.low === l.high) return op('eq', 'bool', selector, low);
          return op(
            'and',
            'bool',
            op('ge', 'bool', selector, low),
            op('le', 'bool', selector, wholeConstant(type, l.high)),
          );
        })
        .reduce((all, x) => op('or', 'bool', all, x));
      this.add({ kind: 'if', condition, then: this.branch(one.body), otherwise: this.apart(() => arm(n + 1)) });
    };
    arm(0);
  }

  private loop(
    s: CheckedStatement & { kind: 'while' | 'repeat' | 'for' },
    head: (leave: (when: Value) => void) => void,
    tail?: (leave: (when: Value) => void) => void,
    counter?: (Statement & { readonly kind: 'loop' })['counter'],
  ): void {
    const label = this.labels++;
    const leave = (when: Value): void =>
      this.add({ kind: 'if', condition: when, then: [{ kind: 'leave', label }], otherwise: [] });
    const before = this.apart(() => head(leave));
    this.loops.push(label);
    const body = this.branch(s.body);
    this.loops.pop();
    const after = this.apart(() => tail?.(leave));
    this.add({ kind: 'loop', label, head: before, body, tail: after, ...(counter ? { counter } : {}), at: s.at });
  }

  /**
   * FOR: limit and step are evaluated once (7.3.3.4.2). The variable ends at the first value past the limit; how much
   * is left to it is compared before adding, so a loop up to the type's last value ends (choices.md).
   */
  private forStatement(s: CheckedStatement & { kind: 'for' }): void {
    const type = machineOf(s.by.type) as Whole;
    const isSigned = type.startsWith('i'),
      unsigned = `u${type.slice(1)}` as Whole;
    const variable = this.target(s.variable);
    this.write(variable, this.value(s.from));
    const to = this.keep(this.value(s.to)),
      by = this.keep(this.value(s.by));
    const known = s.by.kind === 'constant' ? (s.by.value as bigint) : undefined;
    if (known === 0n) return;
    const now = (): Value => this.load(this.place(s.variable));
    const direction = (up: (isUp: boolean) => Value): Value =>
      known !== undefined || !isSigned
        ? up(known === undefined || known > 0n)
        : op('select', 'bool', op('gt', 'bool', by, wholeConstant(type, 0n)), up(true), up(false));
    const asUnsigned = (v: Value): Value => op('convert', unsigned, v);
    this.loop(
      s,
      (leave) => {
        if (known === undefined) leave(op('eq', 'bool', by, wholeConstant(type, 0n)));
        const at = now();
        leave(direction((isUp) => op(isUp ? 'gt' : 'lt', 'bool', at, to)));
      },
      (leave) => {
        const at = now();
        const last = this.keep(
          direction((isUp) =>
            isUp
              ? op('lt', 'bool', asUnsigned(op('sub', type, to, at)), asUnsigned(by))
              : op('lt', 'bool', asUnsigned(op('sub', type, at, to)), asUnsigned(op('neg', type, by))),
          ),
        );
        const place = this.target(s.variable);
        this.write(place, op('add', type, this.load(place.place), by));
        leave(last);
      },
      this.counter(s, variable.place),
    );
  }

  /** Between what FOR counts; where one end is no constant, it is that of the type. */
  private counter(s: CheckedStatement & { kind: 'for' }, place: Place): (Statement & { kind: 'loop' })['counter'] {
    const whole = (c: Checked) => (c.kind === 'constant' && typeof c.value === 'bigint' ? c.value : undefined),
      by = whole(s.by);
    if (by === undefined || place.steps.some((step) => step.kind === 'element')) return undefined;
    const { low, high } = rangeOfWhole(machineOf(s.by.type) as Whole);
    return by > 0n
      ? { place, low: whole(s.from) ?? low, high: whole(s.to) ?? high }
      : { place, low: whole(s.to) ?? low, high: whole(s.from) ?? high };
  }
}

/** Power for one scan where a BOOL rises or falls. */
const edgeOf = (now: Value, before: Value, falling: boolean): Value =>
  falling ? op('and', 'bool', op('not', 'bool', now), before) : op('and', 'bool', now, op('not', 'bool', before));

/** As short as the name that it could be kept under. */
const isPlain = (v: Value): boolean =>
  v.kind === 'constant' ||
  v.kind === 'temp' ||
  (v.kind === 'load' && !v.place.steps.some((step) => step.kind === 'element' && step.index.kind !== 'constant'));
