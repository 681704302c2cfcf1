/**
 * A rung to the statements that text has, with power on numbered wires. Evaluation is left to right, top leg
 * first, and every element is evaluated whatever its power: the order on paper is the order of side effects.
 */
import type { Span } from '../language/source.js';
import type { Source } from '../language/source.js';
import type { BinaryOp, Expression, FlowStep, Statement, VariableBlock } from '../language/tree.js';
import type { ElementCode, ParsedRung } from './parse.js';
import { type CoilMode, type Element, type Output, type Part, nodesOf } from './rung.js';

export interface LoweredRung {
  readonly statement: Statement;
  /** Instances declared on the way (`Inst:TON(…)`). */ readonly declares: readonly VariableBlock[];
}

export function lowerRung(source: Source, rungId: string, parsed: ParsedRung): LoweredRung {
  const at: Span = { source, start: 0, end: source.text.length };
  const l = new Lowering(source, rungId, parsed.code);
  const left = l.newWire({ kind: 'literal', literal: { type: 'bool', value: true }, at }, at);
  l.flow.push({ kind: 'source', wire: left });
  const power = parsed.rung.logic ? l.part(parsed.rung.logic, left) : left;
  for (const o of parsed.rung.outputs) l.output(o, power);
  return {
    statement: { kind: 'rung', rungId, body: l.body, elements: nodesOf(parsed.rung).length, flow: l.flow, at },
    declares: l.declares,
  };
}

class Lowering {
  readonly body: Statement[] = [];
  readonly declares: VariableBlock[] = [];
  readonly flow: FlowStep[] = [];
  private wires = 0;
  private element = 0;
  private memories = 0;

  constructor(
    private readonly source: Source,
    private readonly rungId: string,
    private readonly code: ReadonlyMap<number, ElementCode>,
  ) {}

  newWire(value: Expression, at: Span): number {
    const wire = this.wires++;
    this.body.push({ kind: 'setPower', wire, value, at });
    return wire;
  }

  private span(x: { start: number; end: number }): Span {
    return { source: this.source, start: x.start, end: x.end };
  }
  private power(wire: number, at: Span): Expression {
    return { kind: 'power', wire, at };
  }
  private binary(op: BinaryOp, left: Expression, right: Expression, at: Span): Expression {
    return { kind: 'binary', op, left, right, at, opAt: at };
  }
  private memory(): string {
    return `edge ${this.rungId}.${++this.memories}`;
  }

  part(p: Part, input: number): number {
    if (p.kind === 'series') return p.parts.reduce((wire, x) => this.part(x, wire), input);
    if (p.kind === 'parallel') {
      const ends = p.legs.map((l) => this.part(l, input));
      const at = { source: this.source, start: 0, end: 0 };
      const to = this.newWire(
        ends
          .slice(1)
          .reduce<Expression>((e, w) => this.binary('OR', e, this.power(w, at), at), this.power(ends[0]!, at)),
        at,
      );
      this.flow.push({ kind: 'join', from: ends, to });
      return to;
    }
    return this.passElement(p, input);
  }

  private passElement(e: Element, input: number): number {
    const at = this.span(e);
    const element = this.element++;
    const code = this.code.get(e.start)!;
    const { output, closed } = this.elementOutput(e, code, input, at);
    this.body.push({ kind: 'probe', element, closed: this.power(closed, at), at });
    this.flow.push({ kind: e.kind === 'call' ? 'block' : 'contact', element, from: input, to: output });
    return output;
  }

  private elementOutput(e: Element, code: ElementCode, input: number, at: Span): { output: number; closed: number } {
    const and = (value: Expression) => {
      const closed = this.newWire(value, at);
      return {
        closed,
        output: this.newWire(this.binary('AND', this.power(input, at), this.power(closed, at), at), at),
      };
    };
    if (e.kind === 'call') {
      const output = this.wires++;
      if (code.type)
        this.declares.push({
          section: 'VAR',
          constant: false,
          retain: false,
          variables: [
            {
              names: [{ text: e.name, at: code.call!.callee.at }],
              type: { kind: 'named', name: code.type, at: code.type.at },
            },
          ],
        });
      this.body.push({
        kind: 'powerCall',
        call: code.call!,
        input,
        output,
        ...(code.inPin ? { inPin: code.inPin } : {}),
        ...(code.outPin ? { outPin: code.outPin } : {}),
        at,
      });
      return { output, closed: output };
    }
    const value = code.expression!;
    if (e.kind === 'compare' || e.mode === 'open') return and(value);
    if (e.mode === 'closed') return and({ kind: 'unary', op: 'NOT', arg: value, at: value.at });
    const wire = this.wires++;
    this.body.push({ kind: 'edge', wire, of: value, falling: e.mode === 'falling', memory: this.memory(), at });
    return and(this.power(wire, at));
  }

  output(o: Output, input: number): void {
    const at = this.span(o);
    if (o.kind === 'path') {
      const wire = this.part(o.logic, input);
      for (const x of o.outputs) this.output(x, wire);
      return;
    }
    const element = this.element++;
    const power = this.power(input, at);
    this.flow.push({ kind: 'sink', wire: input, element });
    const code = this.code.get(o.start);
    switch (o.kind) {
      case 'coil':
        this.coil(o.mode, code!.expression!, power, at);
        break;
      case 'return':
        this.when(power, [{ kind: 'return', at }], at);
        break;
      case 'action': {
        const gate = o.once ? this.edge(power, false, at) : power;
        this.when(gate, code!.statements!, at);
      }
    }
  }

  private when(condition: Expression, body: readonly Statement[], at: Span): void {
    this.body.push({ kind: 'if', branches: [{ condition, body }], at });
  }

  private edge(of: Expression, falling: boolean, at: Span): Expression {
    const wire = this.wires++;
    this.body.push({ kind: 'edge', wire, of, falling, memory: this.memory(), at });
    return this.power(wire, at);
  }

  private coil(mode: CoilMode, target: Expression, power: Expression, at: Span): void {
    const assign = (value: Expression, latches = false): Statement => ({
      kind: 'assign',
      target,
      value,
      coil: { mode, ...(latches ? { latches } : {}) },
      at,
    });
    switch (mode) {
      case 'plain':
        this.body.push(assign(power));
        break;
      case 'negated':
        this.body.push(assign({ kind: 'unary', op: 'NOT', arg: power, at }));
        break;
      case 'set':
      case 'reset':
        // Without a branch where the tag is there whatever happens; an index or a reference is looked at with power
        // only.
        if (isFixed(target)) this.body.push(assign(power, true));
        else this.when(power, [assign({ kind: 'literal', literal: { type: 'bool', value: mode === 'set' }, at })], at);
        break;
      case 'rising':
      case 'falling':
        this.body.push(assign(this.edge(power, mode === 'falling', at)));
        break;
    }
  }
}

const isFixed = (e: Expression): boolean =>
  e.kind === 'name' || e.kind === 'direct' || ((e.kind === 'member' || e.kind === 'part') && isFixed(e.base));
