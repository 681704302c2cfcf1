/**
 * A plain evaluator of structured text, a test aid: it walks the syntax tree and knows nothing of the checker or the
 * compiler. Written from the standard (clause 7.3, tables 28 to 34) and choices.md. Values carry their type with them.
 */
import { parseFile } from '../src/language/parser.js';
import { makeSource } from '../src/language/source.js';
import { Problems } from '../src/language/diagnostic.js';
import type { Argument, Declaration, Expression, Initial, Pou, Statement, TypeSpec } from '../src/language/tree.js';

export class Fault extends Error {
  constructor(readonly kind: 'INDEX' | 'DIVISION') {
    super(kind);
  }
}

const BITS: Record<string, number> = {
  SINT: 8,
  INT: 16,
  DINT: 32,
  LINT: 64,
  USINT: 8,
  UINT: 16,
  UDINT: 32,
  ULINT: 64,
  BYTE: 8,
  WORD: 16,
  DWORD: 32,
  LWORD: 64,
  TIME: 64,
};
const SIGNED = new Set(['SINT', 'INT', 'DINT', 'LINT', 'TIME']);
/** Figure 12: what widens to what, nearest first. */
const WIDER: Record<string, string[]> = {
  SINT: ['INT', 'DINT', 'LINT', 'REAL', 'LREAL'],
  INT: ['DINT', 'LINT', 'REAL', 'LREAL'],
  DINT: ['LINT', 'LREAL'],
  LINT: [],
  USINT: ['UINT', 'INT', 'UDINT', 'DINT', 'ULINT', 'LINT', 'REAL', 'LREAL'],
  UINT: ['UDINT', 'DINT', 'ULINT', 'LINT', 'REAL', 'LREAL'],
  UDINT: ['ULINT', 'LINT', 'LREAL'],
  ULINT: [],
  REAL: ['LREAL'],
  LREAL: [],
  BOOL: ['BYTE', 'WORD', 'DWORD', 'LWORD'],
  BYTE: ['WORD', 'DWORD', 'LWORD'],
  WORD: ['DWORD', 'LWORD'],
  DWORD: ['LWORD'],
  LWORD: [],
  TIME: [],
};

export type Scalar = bigint | number | boolean | string;
type Type =
  | { readonly kind: 'plain'; readonly name: string }
  | { readonly kind: 'string'; readonly max: number }
  | { readonly kind: 'enum'; readonly name: string; readonly values: readonly string[] }
  | { readonly kind: 'array'; readonly bounds: readonly (readonly [number, number])[]; readonly element: Type }
  | {
      readonly kind: 'struct';
      readonly members: readonly { readonly name: string; readonly type: Type; readonly initial?: Initial }[];
    }
  | { readonly kind: 'block'; readonly pou: Pou };
interface Value {
  readonly type: Type;
  readonly v: Scalar;
}
/** A variable: one cell for a scalar, cells below it for anything else. */
interface Cell {
  type: Type;
  v: Scalar;
  parts: Cell[];
  names: Map<string, Cell>;
}

const plain = (name: string): Type => ({ kind: 'plain', name });
const BOOL = plain('BOOL');
const nameOf = (t: Type): string => (t.kind === 'plain' ? t.name : t.kind);
const low = (s: string) => s.toLowerCase();
const isReal = (n: string) => n === 'REAL' || n === 'LREAL';

export function wrap(name: string, v: bigint): bigint {
  return SIGNED.has(name) ? BigInt.asIntN(BITS[name]!, v) : BigInt.asUintN(BITS[name]!, v);
}

/** To the nearest whole number, halves to the even one (table 22). */
export function roundHalfEven(x: number): bigint {
  const down = Math.floor(x),
    rest = x - down;
  return BigInt(rest < 0.5 ? down : rest > 0.5 ? down + 1 : down % 2 === 0 ? down : down + 1);
}

class Exit extends Error {}
class Continue extends Error {}
class Return extends Error {}

export class Evaluator {
  private readonly types = new Map<string, { spec: TypeSpec; initial?: Initial }>();
  private readonly pous = new Map<string, Pou>();
  private readonly enumValues = new Map<string, Type & { kind: 'enum' }>();
  readonly programs: { readonly name: string; readonly cell: Cell }[] = [];
  private now = 0n;

  constructor(text: string) {
    const problems = new Problems();
    const list: Declaration[] = parseFile(makeSource('t.st', text), problems);
    if (problems.hasErrors) throw new Error(problems.list[0]!.message);
    for (const d of list) {
      if (d.kind === 'type')
        this.types.set(low(d.name.text), { spec: d.spec, ...(d.initial ? { initial: d.initial } : {}) });
      if (d.kind === 'pou') this.pous.set(low(d.name.text), d);
    }
    for (const [name, t] of this.types)
      if (t.spec.kind === 'enum') {
        const type = this.typeOf({ kind: 'named', name: { text: name, at: t.spec.at }, at: t.spec.at }) as Type & {
          kind: 'enum';
        };
        for (const v of type.values) this.enumValues.set(v, type);
      }
    for (const p of this.pous.values())
      if (p.pou === 'PROGRAM') this.programs.push({ name: p.name.text, cell: this.make({ kind: 'block', pou: p }) });
  }

  /** One scan at this simulated time, in ns. */
  scan(now: bigint): void {
    this.now = now;
    for (const p of this.programs) this.runBlock(p.cell);
  }

  /** Every scalar of a program with its path, in the order of declaration. */
  *values(cell: Cell, path: string): Generator<readonly [string, Scalar]> {
    if (cell.type.kind === 'array') {
      const { bounds } = cell.type;
      for (const [i, part] of cell.parts.entries()) {
        let rest = i;
        const index = [...bounds]
          .reverse()
          .map(([a, b]) => {
            const n = b - a + 1;
            const at = (rest % n) + a;
            rest = Math.floor(rest / n);
            return at;
          })
          .reverse();
        yield* this.values(part, `${path}[${index.join(',')}]`);
      }
    } else if (cell.type.kind === 'block') {
      // Of the standard's blocks only what is seen from outside; temporary variables belong to a call.
      const hidden = this.isStandard(cell.type.pou) ? ['VAR', 'VAR_TEMP'] : ['VAR_TEMP'];
      for (const b of cell.type.pou.blocks)
        if (!hidden.includes(b.section))
          for (const d of b.variables)
            for (const n of d.names) yield* this.values(cell.names.get(low(n.text))!, `${path}.${low(n.text)}`);
    } else if (cell.names.size) for (const [name, part] of cell.names) yield* this.values(part, `${path}.${name}`);
    else yield [path, cell.v];
  }
  private isStandard(p: Pou): boolean {
    return p.at.source.name === 'standard';
  }

  private typeOf(spec: TypeSpec): Type {
    switch (spec.kind) {
      case 'named': {
        const n = low(spec.name.text);
        const declared = this.types.get(n);
        if (declared)
          return declared.spec.kind === 'enum'
            ? { kind: 'enum', name: n, values: declared.spec.values.map((v) => low(v.name.text)) }
            : this.typeOf(declared.spec);
        const pou = this.pous.get(n) ?? STANDARD.get(n);
        return pou ? { kind: 'block', pou } : plain(spec.name.text.toUpperCase());
      }
      case 'string':
        return { kind: 'string', max: Number(this.constant(spec.length!)) };
      case 'array':
        return {
          kind: 'array',
          bounds: spec.ranges.map((r) => [Number(this.constant(r.low)), Number(this.constant(r.high))] as const),
          element: this.typeOf(spec.element),
        };
      case 'struct':
        return {
          kind: 'struct',
          members: spec.members.flatMap((m) =>
            m.names.map((x) => ({
              name: low(x.text),
              type: this.typeOf(m.type),
              ...(m.initial ? { initial: m.initial } : {}),
            })),
          ),
        };
      default:
        throw new Error(`no ${spec.kind} here`);
    }
  }
  private constant(e: Expression): Scalar {
    return this.value(e, { names: new Map() }).v;
  }

  private make(type: Type, initial?: Initial): Cell {
    const cell: Cell = { type, v: false, parts: [], names: new Map() };
    switch (type.kind) {
      case 'array': {
        const count = type.bounds.reduce((n, [a, b]) => n * (b - a + 1), 1);
        const given =
          initial?.kind === 'array'
            ? initial.items.flatMap((i) =>
                Array.from({ length: i.count ? Number(this.constant(i.count)) : 1 }, () => i.values).flat(),
              )
            : [];
        for (let i = 0; i < count; i++) cell.parts.push(this.make(type.element, given[i]));
        break;
      }
      case 'struct':
        for (const m of type.members)
          cell.names.set(
            m.name,
            this.make(
              m.type,
              initial?.kind === 'struct'
                ? (initial.members.find((x) => low(x.name.text) === m.name)?.value ?? m.initial)
                : m.initial,
            ),
          );
        break;
      case 'block':
        for (const b of type.pou.blocks)
          for (const d of b.variables)
            for (const n of d.names)
              if (b.section !== 'VAR_IN_OUT') cell.names.set(low(n.text), this.make(this.typeOf(d.type), d.initial));
        break;
      case 'enum':
        cell.v = initial?.kind === 'value' ? this.constant(initial.value) : type.values[0]!;
        break;
      case 'string':
        cell.v = initial?.kind === 'value' ? String(this.constant(initial.value)) : '';
        break;
      default:
        cell.v =
          initial?.kind === 'value'
            ? this.convert(this.value(initial.value, { names: new Map() }, type), type).v
            : type.name === 'BOOL'
              ? false
              : isReal(type.name)
                ? 0
                : 0n;
    }
    return cell;
  }

  private runBlock(cell: Cell): void {
    if (cell.type.kind !== 'block') throw new Error('no block');
    const { pou } = cell.type;
    for (const b of pou.blocks)
      if (b.section === 'VAR_TEMP')
        for (const d of b.variables)
          for (const n of d.names) cell.names.set(low(n.text), this.make(this.typeOf(d.type), d.initial));
    try {
      this.run(pou.body, { names: cell.names });
    } catch (e) {
      if (!(e instanceof Return)) throw e;
    }
  }

  private callFunction(pou: Pou, args: readonly Argument[], scope: Scope): Value {
    const names = new Map<string, Cell>();
    const parameters = pou.blocks
      .filter((b) => b.section === 'VAR_INPUT' || b.section === 'VAR_IN_OUT')
      .flatMap((b) =>
        b.variables.flatMap((d) =>
          d.names.map((n) => ({ n: low(n.text), d, isReference: b.section === 'VAR_IN_OUT' })),
        ),
      );
    parameters.forEach((p, i) => {
      const a = args.find((x) => x.name && low(x.name.text) === p.n) ?? (args[i]?.name ? undefined : args[i]);
      const type = this.typeOf(p.d.type);
      if (p.isReference) {
        names.set(p.n, this.cell(a!.value, scope));
        return;
      }
      const cell = this.make(type, p.d.initial);
      if (a) cell.v = this.convert(this.value(a.value, scope, type), type).v;
      names.set(p.n, cell);
    });
    for (const b of pou.blocks)
      if (b.section !== 'VAR_INPUT' && b.section !== 'VAR_IN_OUT')
        for (const d of b.variables)
          for (const n of d.names) names.set(low(n.text), this.make(this.typeOf(d.type), d.initial));
    const result = this.make(this.typeOf(pou.result!));
    names.set(low(pou.name.text), result);
    try {
      this.run(pou.body, { names });
    } catch (e) {
      if (!(e instanceof Return)) throw e;
    }
    return { type: result.type, v: result.v };
  }

  private run(list: readonly Statement[], scope: Scope): void {
    for (const s of list) this.statement(s, scope);
  }

  private loop(body: readonly Statement[], scope: Scope): boolean {
    try {
      this.run(body, scope);
    } catch (e) {
      if (e instanceof Exit) return false;
      if (!(e instanceof Continue)) throw e;
    }
    return true;
  }

  private statement(s: Statement, scope: Scope): void {
    switch (s.kind) {
      case 'assign': {
        if (s.target.kind === 'part') {
          this.assignPart(s.target, s.value, scope);
          return;
        }
        const target = this.cell(s.target, scope);
        if (target.type.kind === 'array' || target.type.kind === 'struct') {
          copy(target, this.cell(s.value, scope));
          return;
        }
        target.v = this.convert(this.value(s.value, scope, target.type), target.type).v;
        return;
      }
      case 'call':
        this.callStatement(s.call, scope);
        return;
      case 'if': {
        for (const b of s.branches)
          if (this.value(b.condition, scope).v) {
            this.run(b.body, scope);
            return;
          }
        this.run(s.otherwise ?? [], scope);
        return;
      }
      case 'case': {
        const x = this.value(s.selector, scope);
        const label = (e: Expression) => this.convert(this.value(e, scope, x.type), x.type).v;
        const arm = s.arms.find((a) =>
          a.labels.some((l) => (l.high ? x.v >= label(l.low) && x.v <= label(l.high) : x.v === label(l.low))),
        );
        this.run(arm?.body ?? s.otherwise ?? [], scope);
        return;
      }
      case 'for': {
        const i = this.cell(s.variable, scope),
          name = nameOf(i.type);
        const to = this.convert(this.value(s.to, scope, i.type), i.type).v as bigint,
          by = s.by ? (this.convert(this.value(s.by, scope, i.type), i.type).v as bigint) : 1n;
        i.v = this.convert(this.value(s.from, scope, i.type), i.type).v;
        if (by === 0n) return;
        while (by > 0n ? (i.v as bigint) <= to : (i.v as bigint) >= to) {
          if (!this.loop(s.body, scope)) return;
          const next = (i.v as bigint) + by;
          i.v = wrap(name, next);
          // Up to the type's last value the loop ends (choices.md).
          if (i.v !== next) return;
        }
        return;
      }
      case 'while':
        while (this.value(s.condition, scope).v) if (!this.loop(s.body, scope)) return;
        return;
      case 'repeat':
        do {
          if (!this.loop(s.body, scope)) return;
        } while (!this.value(s.until, scope).v);
        return;
      case 'exit':
        throw new Exit();
      case 'continue':
        throw new Continue();
      case 'return':
        throw new Return();
      default:
        throw new Error(`no ${s.kind} here`);
    }
  }

  private callStatement(e: Expression, scope: Scope): void {
    if (e.kind !== 'call') return;
    const f = e.callee.kind === 'name' ? this.pous.get(low(e.callee.name)) : undefined;
    if (f?.pou === 'FUNCTION') {
      this.callFunction(f, e.args, scope);
      return;
    }
    const block = this.cell(e.callee, scope);
    for (const a of e.args)
      if (!a.output) {
        const pin = block.names.get(low(a.name!.text))!;
        pin.v = this.convert(this.value(a.value, scope, pin.type), pin.type).v;
      }
    this.runBlock(block);
    for (const a of e.args)
      if (a.output) {
        const target = this.cell(a.value, scope);
        const pin = block.names.get(low(a.name!.text))!;
        target.v = a.negated ? !pin.v : pin.v;
      }
  }

  private cell(e: Expression, scope: Scope): Cell {
    switch (e.kind) {
      case 'name': {
        const c = scope.names.get(low(e.name));
        if (!c) throw new Error(`no ${e.name}`);
        return c;
      }
      case 'member':
        return this.cell(e.base, scope).names.get(low(e.name.text))!;
      case 'index': {
        const base = this.cell(e.base, scope);
        if (base.type.kind !== 'array') throw new Error('no array');
        let at = 0;
        for (const [i, b] of base.type.bounds.entries()) {
          const n = this.value(e.indices[i]!, scope).v as bigint;
          if (n < BigInt(b[0]) || n > BigInt(b[1])) throw new Fault('INDEX');
          at = at * (b[1] - b[0] + 1) + Number(n) - b[0];
        }
        return base.parts[at]!;
      }
      default:
        throw new Error(`no place: ${e.kind}`);
    }
  }

  private assignPart(target: Expression & { kind: 'part' }, value: Expression, scope: Scope): void {
    const cell = this.cell(target.base, scope);
    const bits = { X: 1, B: 8, W: 16, D: 32, L: 64 }[target.size];
    const v = this.value(value, scope).v;
    const shift = BigInt(target.index * bits),
      mask = ((1n << BigInt(bits)) - 1n) << shift;
    const now = BigInt.asUintN(64, cell.v as bigint);
    cell.v = wrap(nameOf(cell.type), (now & ~mask) | (BigInt(v as bigint | boolean) << shift));
  }

  /** Implicitly: as the place wants it; a literal takes the type of its place. */
  private convert(x: Value, to: Type): Value {
    if (to.kind === 'string') return { type: to, v: String(x.v).slice(0, to.max) };
    if (to.kind !== 'plain' || x.type.kind !== 'plain' || x.type.name === to.name) return { type: to, v: x.v };
    return { type: to, v: explicit(x.type.name, to.name, x.v) };
  }

  private common(a: Value, b: Value): Type {
    if (a.type.kind === 'string' && b.type.kind === 'string') return a.type.max > b.type.max ? a.type : b.type;
    const x = nameOf(a.type),
      y = nameOf(b.type);
    if (x === y || a.type.kind !== 'plain' || b.type.kind !== 'plain') return a.type;
    if (WIDER[x]!.includes(y)) return b.type;
    if (WIDER[y]!.includes(x)) return a.type;
    return plain(WIDER[x]!.find((t) => WIDER[y]!.includes(t))!);
  }

  value(e: Expression, scope: Scope, wanted?: Type): Value {
    switch (e.kind) {
      case 'literal': {
        const l = e.literal;
        if (l.type === 'bool') return { type: BOOL, v: l.value };
        if (l.type === 'time') return { type: plain('TIME'), v: l.value };
        if (l.type === 'string') return { type: { kind: 'string', max: l.value.length }, v: l.value };
        if (l.type === 'date') throw new Error('no dates here');
        const name =
          e.prefix?.text.toUpperCase() ??
          (wanted?.kind === 'plain' && (BITS[wanted.name] || isReal(wanted.name))
            ? wanted.name
            : l.type === 'int'
              ? 'DINT'
              : 'LREAL');
        return {
          type: plain(name),
          v: isReal(name) ? (name === 'REAL' ? Math.fround(Number(l.value)) : Number(l.value)) : l.value,
        };
      }
      case 'typedName':
        return { type: this.enumValues.get(low(e.name.text))!, v: low(e.name.text) };
      case 'name': {
        const c = scope.names.get(low(e.name));
        if (c) return { type: c.type, v: c.v };
        return { type: this.enumValues.get(low(e.name))!, v: low(e.name) };
      }
      case 'member':
      case 'index': {
        const c = this.cell(e, scope);
        return { type: c.type, v: c.v };
      }
      case 'part': {
        const x = this.value(e.base, scope);
        const bits = { X: 1, B: 8, W: 16, D: 32, L: 64 }[e.size];
        const v = (BigInt.asUintN(64, x.v as bigint) >> BigInt(e.index * bits)) & ((1n << BigInt(bits)) - 1n);
        return bits === 1
          ? { type: BOOL, v: v === 1n }
          : { type: plain({ 8: 'BYTE', 16: 'WORD', 32: 'DWORD', 64: 'LWORD' }[bits]!), v };
      }
      case 'unary': {
        const x = this.value(e.arg, scope, wanted),
          n = nameOf(x.type);
        if (e.op === 'NOT') return { type: x.type, v: typeof x.v === 'boolean' ? !x.v : wrap(n, ~(x.v as bigint)) };
        if (e.op === '+') return x;
        return { type: x.type, v: typeof x.v === 'number' ? -x.v : wrap(n, -(x.v as bigint)) };
      }
      case 'binary':
        return this.binary(e.op, this.value(e.left, scope), this.value(e.right, scope));
      case 'call':
        return this.call(e, scope);
      default:
        throw new Error(`no ${e.kind} here`);
    }
  }

  private binary(op: string, left: Value, right: Value): Value {
    if (
      left.type.kind === 'plain' &&
      left.type.name === 'TIME' &&
      (op === '*' || op === '/') &&
      nameOf(right.type) !== 'TIME'
    ) {
      const by = right.v as bigint;
      if (op === '/' && by === 0n) throw new Fault('DIVISION');
      return { type: left.type, v: wrap('TIME', op === '*' ? (left.v as bigint) * by : (left.v as bigint) / by) };
    }
    const type = this.common(left, right),
      n = nameOf(type);
    const a = this.convert(left, type).v,
      b = this.convert(right, type).v;
    switch (op) {
      case '=':
        return { type: BOOL, v: a === b };
      case '<>':
        return { type: BOOL, v: a !== b };
      case '<':
        return { type: BOOL, v: a < b };
      case '>':
        return { type: BOOL, v: a > b };
      case '<=':
        return { type: BOOL, v: a <= b };
      case '>=':
        return { type: BOOL, v: a >= b };
      case 'AND':
        return { type, v: typeof a === 'boolean' ? a && (b as boolean) : (a as bigint) & (b as bigint) };
      case 'OR':
        return { type, v: typeof a === 'boolean' ? a || (b as boolean) : (a as bigint) | (b as bigint) };
      case 'XOR':
        return { type, v: typeof a === 'boolean' ? a !== b : (a as bigint) ^ (b as bigint) };
    }
    if (typeof a === 'number' && typeof b === 'number') {
      const v = op === '+' ? a + b : op === '-' ? a - b : op === '*' ? a * b : a / b;
      return { type, v: n === 'REAL' ? Math.fround(v) : v };
    }
    const x = a as bigint,
      y = b as bigint;
    if (op === '/' && y === 0n) throw new Fault('DIVISION');
    const v = op === '+' ? x + y : op === '-' ? x - y : op === '*' ? x * y : op === '/' ? x / y : y === 0n ? 0n : x % y;
    return { type, v: wrap(n, v) };
  }

  private call(e: Expression & { kind: 'call' }, scope: Scope): Value {
    const name = (e.callee as { name: string }).name.toUpperCase();
    if (name === '__NOW') return { type: plain('TIME'), v: this.now };
    const own = this.pous.get(low(name));
    if (own) return this.callFunction(own, e.args, scope);
    const x = e.args.map((a) => this.value(a.value, scope));
    const conversion = /^(?:([A-Z]+)_)?(TO|TRUNC)_([A-Z]+)$/.exec(name);
    if (conversion) {
      const from = nameOf(x[0]!.type),
        to = conversion[3]!;
      return {
        type: plain(to),
        v: conversion[2] === 'TRUNC' ? wrap(to, BigInt(Math.trunc(x[0]!.v as number))) : explicit(from, to, x[0]!.v),
      };
    }
    const together = (values: readonly Value[]): Value[] => {
      const type = values.reduce((t, v) => this.common({ type: t, v: 0n }, v), values[0]!.type);
      return values.map((v) => this.convert(v, type));
    };
    switch (name) {
      case 'ABS':
        return {
          type: x[0]!.type,
          v:
            typeof x[0]!.v === 'number'
              ? Math.abs(x[0]!.v)
              : wrap(nameOf(x[0]!.type), (x[0]!.v as bigint) < 0n ? -(x[0]!.v as bigint) : (x[0]!.v as bigint)),
        };
      case 'SQRT':
        return {
          type: x[0]!.type,
          v: nameOf(x[0]!.type) === 'REAL' ? Math.fround(Math.sqrt(x[0]!.v as number)) : Math.sqrt(x[0]!.v as number),
        };
      case 'MIN':
      case 'MAX':
        return together(x).reduce((a, b) => ((name === 'MIN' ? b.v < a.v : b.v > a.v) ? b : a));
      case 'LIMIT': {
        const [mn, v, mx] = together(x) as [Value, Value, Value];
        const up = mn.v > v.v ? mn : v;
        return up.v > mx.v ? mx : up;
      }
      case 'SEL': {
        const [a, b] = together(x.slice(1)) as [Value, Value];
        return x[0]!.v ? b : a;
      }
      case 'MUX':
        return together(x.slice(1))[Number(x[0]!.v)]!;
      case 'SHL':
      case 'SHR':
      case 'ROL':
      case 'ROR':
        return { type: x[0]!.type, v: shift(name, nameOf(x[0]!.type), x[0]!.v as bigint, x[1]!.v as bigint) };
      case 'LEN':
        return { type: plain('INT'), v: BigInt((x[0]!.v as string).length) };
      case 'CONCAT':
        return { type: { kind: 'string', max: 32767 }, v: x.map((s) => s.v as string).join('') };
      case 'LEFT':
        return { type: { kind: 'string', max: 32767 }, v: (x[0]!.v as string).slice(0, Math.max(0, Number(x[1]!.v))) };
      case 'RIGHT': {
        const s = x[0]!.v as string,
          n = Math.max(0, Number(x[1]!.v));
        return { type: { kind: 'string', max: 32767 }, v: n === 0 ? '' : s.slice(-n) };
      }
      case 'FIND':
        return {
          type: plain('INT'),
          v: x[1]!.v === '' ? 0n : BigInt((x[0]!.v as string).indexOf(x[1]!.v as string) + 1),
        };
      default:
        throw new Error(`no function ${name} here`);
    }
  }
}

interface Scope {
  readonly names: Map<string, Cell>;
}

function copy(to: Cell, from: Cell): void {
  to.v = from.v;
  from.parts.forEach((p, i) => copy(to.parts[i]!, p));
  for (const [n, c] of from.names) copy(to.names.get(n)!, c);
}

function shift(name: string, type: string, v: bigint, by: bigint): bigint {
  const width = BigInt(BITS[type]!);
  if (name === 'SHL') return by >= width ? 0n : wrap(type, v << by);
  if (name === 'SHR') return by >= width ? 0n : v >> by;
  const n = name === 'ROL' ? by % width : (width - (by % width)) % width;
  return wrap(type, (v << n) | (v >> (width - n)));
}

/**
 * A conversion by name (tables 22 to 27): narrowing keeps the rightmost bits, reals round to nearest even, durations
 * count milliseconds.
 */
function explicit(from: string, to: string, v: Scalar): Scalar {
  if (from === to) return v;
  if (typeof v === 'boolean') return isReal(to) ? Number(v) : BigInt(v);
  if (to === 'BOOL') return ((typeof v === 'number' ? roundHalfEven(v) : (v as bigint)) & 1n) === 1n;
  if (from === 'TIME' && to !== 'TIME')
    return isReal(to) ? Number(v as bigint) / 1e6 : wrap(to, (v as bigint) / 1_000_000n);
  if (to === 'TIME') return wrap('TIME', (v as bigint) * 1_000_000n);
  if (isReal(to)) return to === 'REAL' ? Math.fround(Number(v)) : Number(v);
  return wrap(to, typeof v === 'number' ? roundHalfEven(v) : (v as bigint));
}

/** The standard's bodies of the blocks that generated programs use, as its tables 43 to 46 give them. */
const STANDARD = (() => {
  const text = `
FUNCTION_BLOCK R_TRIG VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR M : BOOL; END_VAR Q := CLK AND NOT M; M := CLK; END_FUNCTION_BLOCK
FUNCTION_BLOCK F_TRIG VAR_INPUT CLK : BOOL; END_VAR VAR_OUTPUT Q : BOOL; END_VAR VAR M : BOOL; END_VAR Q := NOT CLK AND NOT M; M := NOT CLK; END_FUNCTION_BLOCK
FUNCTION_BLOCK SR VAR_INPUT S1, R : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR Q1 := S1 OR (NOT R AND Q1); END_FUNCTION_BLOCK
FUNCTION_BLOCK RS VAR_INPUT S, R1 : BOOL; END_VAR VAR_OUTPUT Q1 : BOOL; END_VAR Q1 := NOT R1 AND (S OR Q1); END_FUNCTION_BLOCK
FUNCTION_BLOCK CTU VAR_INPUT CU, R : BOOL; PV : INT; END_VAR VAR_OUTPUT Q : BOOL; CV : INT; END_VAR VAR was : BOOL; END_VAR
IF R THEN CV := 0; ELSIF CU AND NOT was AND CV < 32767 THEN CV := CV + 1; END_IF; was := CU; Q := CV >= PV; END_FUNCTION_BLOCK
FUNCTION_BLOCK TON VAR_INPUT IN : BOOL; PT : TIME; END_VAR VAR_OUTPUT Q : BOOL; ET : TIME; END_VAR VAR since : TIME; was : BOOL; END_VAR
IF NOT IN THEN Q := FALSE; ET := T#0s; ELSE IF NOT was THEN since := __NOW(); END_IF; ET := __NOW() - since; IF ET >= PT THEN Q := TRUE; ET := PT; ELSE Q := FALSE; END_IF; END_IF; was := IN; END_FUNCTION_BLOCK`;
  return new Map(
    parseFile(makeSource('standard', text, { kind: 'library' }), new Problems()).flatMap((d) =>
      d.kind === 'pou' ? [[low(d.name.text), d] as const] : [],
    ),
  );
})();
