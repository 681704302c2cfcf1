/** Values and places of the checked tree to the intermediate representation. */
import {
  type Checked,
  type CheckedPou,
  type Place as CheckedPlace,
  type StringBuiltin,
  type Variable,
  isPlace,
  MATH,
} from '../checked/tree.js';
import { eachExpression } from '../checked/walk.js';
import type { FaultKind } from '../compile/image.js';
import type { Span } from '../language/source.js';
import type { BinaryOp } from '../language/tree.js';
import { TEXT_MAX } from '../types/memory.js';
import {
  ELEMENTARY_NAMES,
  type ElementaryName,
  type StringType,
  type Type,
  baseOf,
  elementary,
  isDate,
  isReal,
  isTime,
  rangeOf,
  sizeOf,
  wrap,
} from '../types/type.js';
import { OPS, type OpName } from './ops.js';
import { MACHINES, type Machine, type Whole, machineOf } from './machine.js';
import type { Place, Statement, TextMaker, Value } from './tree.js';

export const wholeConstant = (type: Machine, value: bigint | number): Value => ({
  kind: 'constant',
  type,
  value: type === 'f32' || type === 'f64' ? Number(value) : BigInt(value),
});
export const bool = (value: boolean): Value => ({ kind: 'constant', type: 'bool', value: value ? 1n : 0n });
const i32 = (value: number): Value => wholeConstant('i32', value);
const i64 = (value: bigint): Value => wholeConstant('i64', value);

const isOn = (v: Value): boolean => v.kind === 'constant' && v.type === 'bool' && v.value === 1n;
const isOff = (v: Value): boolean => v.kind === 'constant' && v.type === 'bool' && v.value === 0n;

const LIMITS: Partial<Record<Machine, readonly [bigint, bigint]>> = Object.fromEntries(
  Object.entries(MACHINES).flatMap(([name, machine]) => {
    const { low, high } = rangeOf(name as ElementaryName);
    return machine === 'f32' || machine === 'f64' ? [] : [[machine, [low, high] as const]];
  }),
);
/** What a comparison with the lowest or highest value of a type always gives; undefined where it depends. */
function compared(name: OpName, type: Machine, to: bigint): boolean | undefined {
  const limits = LIMITS[type];
  if (!limits) return undefined;
  const [low, high] = limits;
  if (to === low && (name === 'ge' || name === 'lt')) return name === 'ge';
  if (to === high && (name === 'le' || name === 'gt')) return name === 'le';
  return undefined;
}

/** Comparisons with the sides exchanged. */
const TURNED: Partial<Record<OpName, OpName>> = { eq: 'eq', ne: 'ne', lt: 'gt', gt: 'lt', le: 'ge', ge: 'le' };

/** The value of an operation whose operands are all known. */
function fold(name: OpName, type: Machine, args: readonly Value[]): Value | undefined {
  if (args[0]!.kind !== 'constant') return undefined;
  const { fold: f } = OPS[name];
  if (f === 'memory') return undefined;
  const values: (bigint | number)[] = [];
  for (const a of args) {
    if (a.kind !== 'constant') return undefined;
    values.push(a.value);
  }
  // A check before it keeps a division by zero from being reached.
  if (name === 'div' && values[1] === 0n) return undefined;
  return { kind: 'constant', type, value: f(args[0]!.type, type, ...values) };
}

/** An operation on values; what a power rail makes plain (AND with on, OR with off) is left out. */
export function op(name: OpName, type: Machine, ...args: readonly Value[]): Value {
  const [a, b] = args as [Value, Value];
  if (type === 'bool') {
    if (name === 'and' && isOn(a)) return b;
    if (name === 'and' && isOn(b)) return a;
    if (name === 'or' && isOff(a)) return b;
    if (name === 'or' && isOff(b)) return a;
    if (name === 'not' && a.kind === 'op' && a.op === 'not') return a.args[0]!;
  }
  if (name === 'convert' && a.type === type) return a;
  const folded = fold(name, type, args);
  if (folded) return folded;
  if (name === 'select' && a.kind === 'constant') return a.value === 1n ? b : args[2]!;
  const turned = TURNED[name];
  if (turned && a.kind === 'constant' && b.kind !== 'constant') return op(turned, type, b, a);
  const always = b?.kind === 'constant' && typeof b.value === 'bigint' ? compared(name, a.type, b.value) : undefined;
  if (always !== undefined) return bool(always);
  // What is selected says the type, not what it is selected by.
  return { kind: 'op', op: name, type, from: name === 'select' ? type : a.type, args };
}

/** Whether working out an expression may write something. */
export function hasCall(c: Checked): boolean {
  let found = false;
  eachExpression(c, (e) => {
    if (e.kind === 'call' || e.kind === 'text' || (e.kind === 'builtin' && e.type.kind === 'string')) found = true;
  });
  return found;
}

const COMPARES: Partial<Record<BinaryOp, OpName>> = {
  '=': 'eq',
  '<>': 'ne',
  '<': 'lt',
  '<=': 'le',
  '>': 'gt',
  '>=': 'ge',
};
const ARITHMETIC: Partial<Record<BinaryOp, OpName>> = {
  '+': 'add',
  '-': 'sub',
  '*': 'mul',
  AND: 'and',
  OR: 'or',
  XOR: 'xor',
};

/** Where a value is written: a place, or bits of what is there. */
export interface Target {
  readonly place: Place;
  /** From the value that lies at the place inward: where the part begins, in bits, and its type. */
  readonly parts?: readonly { readonly shift: number; readonly type: Type }[];
}

const isWhole = (t: Type): boolean => t.kind === 'struct' || t.kind === 'array' || t.kind === 'block';
const isEffect = (s: Statement): boolean => ['call', 'store', 'copy', 'text', 'if', 'loop'].includes(s.kind);

export abstract class Lowering {
  list: Statement[] = [];
  readonly temps: { type: Machine; to?: Type }[] = [];
  private rooms = 0;

  constructor(
    private readonly isReentrant: (name: string) => boolean,
    private readonly pou: CheckedPou | undefined,
  ) {}

  /** Power on a wire of the rung at hand. */
  protected abstract power(wire: number): Value;

  protected add(s: Statement): void {
    this.list.push(s);
  }
  /** What is added meanwhile, as a list of its own. */
  protected apart(fill: () => void): Statement[] {
    const before = this.list;
    const own: Statement[] = (this.list = []);
    fill();
    this.list = before;
    return own;
  }

  /** Gives a value a name, so that it is worked out once and now. */
  protected keep(value: Value): Value {
    if (value.kind === 'constant' || value.kind === 'temp') return value;
    const { temp, let: statement } = this.named(value);
    this.add(statement);
    return temp;
  }
  private named(value: Value): { temp: Value; let: Statement } {
    const to = 'to' in value && value.to ? { to: value.to } : {};
    const temp = this.temps.push({ type: value.type, ...to }) - 1;
    return { temp: { kind: 'temp', type: value.type, temp, ...to }, let: { kind: 'let', temp, value } };
  }

  /** Works out operands from left to right: what a later one writes does not change what an earlier one has read. */
  protected sequence(makers: readonly (() => Value)[]): Value[] {
    const values: Value[] = [];
    for (const make of makers) {
      const mark = this.list.length;
      const value = make();
      if (this.list.slice(mark).some(isEffect))
        values.forEach((earlier, i) => {
          if (['constant', 'temp', 'address', 'null'].includes(earlier.kind)) return;
          const { temp, let: statement } = this.named(earlier);
          this.list.splice(mark, 0, statement);
          values[i] = temp;
        });
      values.push(value);
    }
    return values;
  }

  protected fault(when: Value, fault: FaultKind, at: Span, shown?: Value): void {
    this.add({ kind: 'fault', when, fault, at, ...(shown ? { shown } : {}) });
  }

  protected newRoom(type: Type): Place {
    const room = this.rooms++;
    this.add({ kind: 'room', room, type });
    return { root: { kind: 'room', room }, rootType: type, steps: [], type };
  }

  addressOf(place: Place, to: Type): Value {
    if (place.root.kind === 'target' && !place.steps.length) return place.root.pointer;
    return { kind: 'address', type: 'pointer', place, to };
  }
  /** Memory that an address leads to. */
  private behind(pointer: Value, type: Type): Place {
    if (pointer.kind === 'address' && pointer.to === type) return pointer.place;
    return { root: { kind: 'target', pointer }, rootType: type, steps: [], type };
  }
  protected memberOf(base: Place, offset: number, type: Type): Place {
    return { ...base, steps: [...base.steps, { kind: 'member', of: base.type, offset, type }], type };
  }
  /** The same place as something that holds an address. */
  protected pointerPlace(place: Place): Place {
    return { ...place, type: { kind: 'ref', target: place.type } };
  }

  /** A place that is found once, however often it is used afterwards. */
  protected fixed(place: Place): Place {
    const moves =
      (place.root.kind === 'target' && place.root.pointer.kind !== 'temp') ||
      place.steps.some((s) => s.kind === 'element' && s.index.kind !== 'constant');
    return moves ? this.behind(this.keep(this.addressOf(place, place.type)), place.type) : place;
  }

  place(p: CheckedPlace): Place {
    switch (p.kind) {
      case 'variable':
        return this.variable(p.variable, p.type);
      case 'member': {
        const base = this.place(p.base);
        if (!p.isReference) return this.memberOf(base, p.offset, p.type);
        const pointer = this.pointerPlace(this.memberOf(base, p.offset, p.type));
        return this.behind({ kind: 'load', type: 'pointer', place: pointer, to: p.type }, p.type);
      }
      case 'element':
        return this.element(p);
      case 'target': {
        const pointer = this.keep(this.value(p.reference));
        this.fault(isNull(pointer), 'NULL', p.at);
        return this.behind(pointer, p.type);
      }
      case 'part':
        throw new Error('a part has no address');
    }
  }

  private variable(v: Variable, type: Type): Place {
    const at = (root: Place['root']): Place => ({ root, rootType: v.type, steps: [], type });
    switch (v.home.kind) {
      case 'global':
        return at({ kind: 'tag', variable: v });
      case 'local':
      case 'frame':
        return at({ kind: 'local', variable: v });
      case 'localReference':
        return at({ kind: 'given', variable: v });
      case 'instance': {
        const own = this.own();
        if (v.name === 'THIS' && type.kind === 'block') return { ...own, type };
        return this.memberOf(own, v.home.offset, type);
      }
      case 'reference': {
        const pointer = this.pointerPlace(this.memberOf(this.own(), v.home.offset, type));
        return this.behind({ kind: 'load', type: 'pointer', place: pointer, to: type }, type);
      }
    }
  }
  /** The instance whose statements run. */
  private own(): Place {
    const pou = this.pou?.owner ?? this.pou;
    if (!pou) throw new Error('no instance runs here');
    const type: Type = { kind: 'block', name: pou.name, layout: pou.layout };
    return { root: { kind: 'self' }, rootType: type, steps: [], type };
  }

  private element(p: CheckedPlace & { kind: 'element' }): Place {
    const { array } = p;
    const finish = (base: Place, index: Value): Place => ({
      ...base,
      steps: [...base.steps, { kind: 'element', array, index }],
      type: p.type,
    });
    if (p.bounds) {
      // Bounds that came with the call; row by row, the last index fastest.
      let offset: Value = i64(0n);
      p.indices.forEach((index, i) => {
        const wide = (c: Checked): Value => op('convert', 'i64', this.value(c));
        const at = this.keep(wide(index)),
          low = wide(p.bounds![i]!.low),
          high = wide(p.bounds![i]!.high);
        this.fault(op('or', 'bool', op('lt', 'bool', at, low), op('gt', 'bool', at, high)), 'INDEX', index.at, at);
        const count = op('add', 'i64', op('sub', 'i64', high, low), i64(1n)),
          here = op('sub', 'i64', at, low);
        offset = i ? op('add', 'i64', op('mul', 'i64', offset, count), here) : here;
      });
      const index = this.keep(offset);
      return finish(this.place(p.base), index);
    }
    const base = this.place(p.base);
    // The last index is looked at first, as the bench does it: which of two faults is told depends on it.
    let known = 0,
      step = 1;
    const moving: Value[] = [];
    for (let i = p.indices.length - 1; i >= 0; i--) {
      const bound = array.bounds[i]!,
        index = p.indices[i]!;
      if (index.kind === 'constant') known += (Number(index.value) - bound.low) * step;
      else {
        const at = this.index(index, bound);
        const scaled = bound.low ? op('sub', at.type, at, wholeConstant(at.type, bound.low)) : at;
        moving.push(step === 1 ? scaled : op('mul', at.type, scaled, wholeConstant(at.type, step)));
      }
      step *= bound.high - bound.low + 1;
    }
    if (!moving.length) return finish(base, i32(known));
    const widest: Machine = moving.some((m) => m.type === 'i64') ? 'i64' : 'i32';
    const sum = moving.map((m) => op('convert', widest, m)).reduce((all, m) => op('add', widest, all, m));
    return finish(base, known ? op('add', widest, sum, wholeConstant(widest, known)) : sum);
  }
  /** An index that is inside its bounds, in 32 bits where it has no more. */
  private index(index: Checked, bound: { low: number; high: number }): Value {
    const arg = index.kind === 'convert' ? index.arg : index;
    const from = machineOf(arg.type);
    const narrow = index.kind === 'convert' && ['i8', 'u8', 'i16', 'u16', 'i32'].includes(from);
    const type: Whole = narrow ? 'i32' : 'i64';
    const at = this.keep(op('convert', type, this.value(narrow ? arg : index)));
    const range = narrow ? rangeOf(baseOf(arg.type)!) : undefined;
    const below = !range || range.low < BigInt(bound.low),
      above = !range || range.high > BigInt(bound.high);
    const outside = [
      ...(below ? [op('lt', 'bool', at, wholeConstant(type, bound.low))] : []),
      ...(above ? [op('gt', 'bool', at, wholeConstant(type, bound.high))] : []),
    ];
    if (outside.length)
      this.fault(
        outside.reduce((a, b) => op('or', 'bool', a, b)),
        'INDEX',
        index.at,
        at,
      );
    return at;
  }

  /** The value at a place; of what is larger than a value, its address. */
  protected load(place: Place): Value {
    const type = machineOf(place.type);
    if (type !== 'pointer') return { kind: 'load', type, place };
    if (place.type.kind === 'ref') return { kind: 'load', type, place, to: place.type.target };
    if (place.type.kind === 'interface') return { kind: 'load', type, place, to: place.type };
    return this.addressOf(place, place.type);
  }
  protected read(place: Place): Value {
    return this.load(place);
  }
  private readPart(p: CheckedPlace & { kind: 'part' }): Value {
    const base = p.base.kind === 'part' ? this.readPart(p.base) : this.load(this.place(p.base));
    return part(base, p.shift, p.type);
  }

  target(p: CheckedPlace): Target {
    if (p.kind !== 'part') return { place: this.place(p) };
    const base = this.target(p.base);
    return { place: base.place, parts: [...(base.parts ?? []), { shift: p.shift, type: p.type }] };
  }

  write(target: Target, value: Value): void {
    const { place, parts } = target;
    const { type } = place;
    if (parts) {
      const insert = (base: Value, level: number): Value => {
        const p = parts[level];
        if (!p) return value;
        return withPart(base, p.shift, p.type, insert(part(base, p.shift, p.type), level + 1));
      };
      this.add({ kind: 'store', place, value: insert(this.load(place), 0) });
    } else if (type.kind === 'string') this.make('assign', type, [this.addressOf(place, type), value]);
    else if (isWhole(type)) this.add({ kind: 'copy', to: place, from: this.behind(value, type) });
    else this.add({ kind: 'store', place, value });
  }
  private make(maker: TextMaker, type: StringType, args: readonly Value[]): void {
    this.add({ kind: 'text', maker, type, args });
  }

  /** A structure or array as a place. */
  protected whole(c: Checked): Place {
    return this.behind(this.value(c), c.type);
  }

  value(c: Checked): Value {
    switch (c.kind) {
      case 'constant':
        return this.constant(c);
      case 'read':
        return c.place.kind === 'part' ? this.readPart(c.place) : this.load(this.place(c.place));
      case 'power':
        return this.power(c.wire);
      case 'address':
        return this.addressOf(this.place(c.place), c.type.kind === 'ref' ? c.type.target : c.place.type);
      case 'notNull': {
        const pointer = this.keep(this.value(c.arg));
        this.fault(isNull(pointer), 'NULL', c.at);
        return pointer;
      }
      case 'attempt': {
        const pointer = this.keep(this.value(c.arg));
        const is = c.classes
          .map((n) => op('eq', 'bool', op('classOf', 'i32', pointer), i32(n)))
          .reduce((all, x) => op('or', 'bool', all, x), bool(false));
        const wanted = c.type.kind === 'ref' ? c.type.target : c.type;
        return {
          ...op(
            'select',
            'pointer',
            op('and', 'bool', op('not', 'bool', isNull(pointer)), is),
            pointer,
            noWhere(wanted),
          ),
        };
      }
      case 'not':
        return op('not', machineOf(c.type), this.value(c.arg));
      case 'negate':
        return op('neg', machineOf(c.type), this.value(c.arg));
      case 'binary':
        return this.binary(c.op, c.left, c.right, c.type, c.at);
      case 'convert': {
        const value = this.convert(c.arg, c.type, c.truncate ?? false);
        return c.type.kind === 'subrange' ? this.inRange(value, c.type, c.arg.type, c.at) : value;
      }
      case 'text':
        return this.textConversion(c.arg, c.type);
      case 'call':
        return this.call(c);
      case 'builtin':
        return this.builtin(c);
      case 'invalid':
        throw new Error('an expression with an error is not compiled');
    }
  }

  private constant(c: Checked & { kind: 'constant' }): Value {
    const type = machineOf(c.type);
    if (typeof c.value === 'string') {
      const text: Type = {
        kind: 'string',
        wide: c.type.kind === 'string' && c.type.wide,
        max: Math.max(c.value.length, 1),
      };
      return {
        kind: 'address',
        type: 'pointer',
        to: c.type,
        place: { root: { kind: 'text', text: c.value }, rootType: text, steps: [], type: text },
      };
    }
    if (type === 'pointer') return noWhere(c.type.kind === 'ref' ? c.type.target : c.type);
    if (typeof c.value === 'boolean') return type === 'bool' ? bool(c.value) : wholeConstant(type, c.value ? 1 : 0);
    if (type === 'f32' || type === 'f64') return { kind: 'constant', type, value: Number(c.value) };
    return wholeConstant(type, wrap(BigInt(c.value), baseOf(c.type)!));
  }

  private binary(sign: BinaryOp, left: Checked, right: Checked, resultType: Type, at: Span): Value {
    const t = left.type,
      type = machineOf(t);
    const [a, b] = this.sequence([() => this.value(left), () => this.value(right)]) as [Value, Value];
    const compares = COMPARES[sign];
    if (t.kind === 'string') return op(compares!, 'bool', op('textCompare', 'i32', width(t), a, b), i32(0));
    if (compares) return op(compares, 'bool', a, b);
    // Duration by a real factor: in LREAL nanoseconds, rounded.
    if ((sign === '*' || sign === '/') && !isReal(t) && isReal(right.type))
      return op('convert', type, op(sign === '*' ? 'mul' : 'div', 'f64', op('convert', 'f64', a), b));
    const result = machineOf(resultType);
    // Points in time and durations, and durations by whole numbers: in nanoseconds.
    if (result !== type || a.type !== b.type || (type === 'time' && sign !== '+' && sign !== '-')) {
      const wide = (v: Value): Value => op('convert', 'i64', v);
      return op('convert', result, this.arithmetic(sign, wide(a), wide(b), at));
    }
    return this.arithmetic(sign, a, b, at);
  }

  /** `+`, `-`, `*`, `/`, MOD and logic of two values of one type. */
  private arithmetic(sign: BinaryOp, a: Value, b: Value, at: Span): Value {
    const { type } = a;
    if (sign === 'MOD') return op('mod', type, a, b);
    if (sign === '/') {
      if (type === 'f32' || type === 'f64' || (b.kind === 'constant' && b.value !== 0n)) return op('div', type, a, b);
      const [number, divisor] = [this.keep(a), this.keep(b)];
      this.fault(op('eq', 'bool', divisor, wholeConstant(type, 0n)), 'DIVISION', at, number);
      return op('div', type, number, divisor);
    }
    return op(ARITHMETIC[sign]!, type, a, b);
  }

  /** What is assigned to a subrange must lie in it (choices.md), as an index must lie in its array. */
  private inRange(value: Value, to: Type & { kind: 'subrange' }, from: Type, at: Span): Value {
    if (from.kind === 'subrange' && from.low >= to.low && from.high <= to.high) return value;
    const type = machineOf(to),
      range = rangeOf(to.base),
      kept = this.keep(value);
    if (to.low > range.low) this.fault(op('lt', 'bool', kept, wholeConstant(type, to.low)), 'RANGE', at, kept);
    if (to.high < range.high) this.fault(op('gt', 'bool', kept, wholeConstant(type, to.high)), 'RANGE', at, kept);
    return kept;
  }

  /** Conversions (tables 22 to 27, choices.md): durations count in ms, points in time keep their bits. */
  private convert(arg: Checked, to: Type, truncate: boolean): Value {
    const value = this.value(arg),
      from = arg.type,
      type = machineOf(to);
    if (isTime(from) && isTime(to)) return value;
    if (isDate(from) || isDate(to)) return op('convert', type, value);
    if (isTime(from)) {
      if (!isReal(to)) return op('convert', type, op('div', 'i64', op('convert', 'i64', value), i64(1_000_000n)));
      return op('convert', type, op('div', 'f64', op('convert', 'f64', value), wholeConstant('f64', 1e6)));
    }
    if (isTime(to)) {
      if (!isReal(from)) return op('convert', 'time', op('mul', 'i64', op('convert', 'i64', value), i64(1_000_000n)));
      return op('convert', 'time', op('mul', 'f64', op('convert', 'f64', value), wholeConstant('f64', 1e6)));
    }
    return op(truncate && isReal(from) && !isReal(to) ? 'truncate' : 'convert', type, value);
  }

  private textConversion(arg: Checked, to: Type): Value {
    if (to.kind === 'string') {
      const value = this.value(arg),
        { type } = value;
      const bits =
        type === 'f32' || type === 'f64' ? op('bits', 'i64', op('convert', 'f64', value)) : op('convert', 'i64', value);
      const room = this.newRoom({ kind: 'string', wide: to.wide, max: TEXT_MAX });
      const address = this.addressOf(room, room.type);
      this.make('write', room.type as StringType, [address, i32(ELEMENTARY_NAMES.indexOf(baseOf(arg.type)!)), bits]);
      return address;
    }
    const type = machineOf(to);
    const read = op('textRead', 'i64', width(arg.type), i32(ELEMENTARY_NAMES.indexOf(baseOf(to)!)), this.value(arg));
    return type === 'f32' || type === 'f64' ? op('convert', type, op('bits', 'f64', read)) : op('convert', type, read);
  }

  private call(c: Checked & { kind: 'call' }): Value {
    const { call } = c,
      { pou } = call;
    const parameters = pou.variables.filter(
      (v) => v.section === 'input' || v.section === 'inout' || v.section === 'bound',
    );
    const makers = [
      ...(call.self ? [() => this.value(call.self!)] : []),
      ...call.inputs.map((input, i) => () => {
        if (!isPlace(input)) return this.value(input);
        const place = this.place(input);
        return this.addressOf(place, parameters[i]!.type);
      }),
    ];
    const values = this.sequence(makers);
    const self = call.self && values.shift();
    const outputs = pou.variables
      .filter((v) => v.section === 'output')
      .map((variable) => ({ variable, place: this.newRoom(variable.type) }));
    const type = pou.result?.type;
    const hasResult = type !== undefined && type.kind !== 'unknown';
    const isValue = hasResult && !isWhole(type) && type.kind !== 'string';
    const room = hasResult && !isValue ? this.newRoom(type) : undefined;
    const to = type?.kind === 'ref' ? { to: type.target } : type?.kind === 'interface' ? { to: type } : {};
    const temp = isValue ? this.temps.push({ type: machineOf(type), ...to }) - 1 : undefined;
    this.add({
      kind: 'call',
      pou,
      isVirtual: call.isVirtual === true,
      isReentrant: call.isVirtual === true && this.isReentrant(pou.name),
      ...(self ? { self } : {}),
      args: values.map((value, i) => ({ variable: parameters[i]!, value })),
      outputs: outputs.map(({ variable, place }) => ({
        variable,
        room: (place.root as { readonly room: number }).room,
      })),
      ...(temp !== undefined ? { result: { temp } } : {}),
      ...(room ? { result: { room: (room.root as { readonly room: number }).room } } : {}),
      at: c.at,
    });
    for (const o of call.outputs) {
      const { place } = outputs.find((x) => x.variable === o.from)!;
      const target = this.target(o.to);
      this.write(target, o.negated ? op('not', 'bool', this.load(place)) : this.load(place));
    }
    if (room) return this.addressOf(room, room.type);
    if (temp !== undefined) return { kind: 'temp', type: machineOf(type!), temp, ...to };
    return bool(false);
  }

  private builtin(c: Checked & { kind: 'builtin' }): Value {
    const { name } = c,
      type = machineOf(c.type);
    const all = (...order: readonly Checked[]): Value[] => this.sequence(order.map((a) => () => this.value(a)));
    if ((MATH as readonly string[]).includes(name)) return op(name as OpName, 'f64', ...all(...c.args));
    switch (name) {
      case 'NOW':
        return { kind: 'clock', type: 'time', what: 'now' };
      case 'STEP_NS':
        return { kind: 'clock', type: 'time', what: 'step' };
      case 'IS_BCD':
        return op('isBcd', 'bool', ...all(...c.args));
      case 'SWAP':
        return op('swap', type, ...all(...c.args));
      case 'DAYS':
        return op('days', 'i64', ...all(...c.args));
      case 'CIVIL':
        return op('civil', 'i64', ...all(...c.args));
      case 'FROM_BCD':
        return op('fromBcd', type, ...all(...c.args));
      case 'TO_BCD':
        return op('toBcd', type, ...all(...c.args));
      case 'SQRT':
        return op('sqrt', type, ...all(...c.args));
      case 'ABS': {
        const value = this.value(c.args[0]!);
        return type.startsWith('u') ? value : op('abs', type, value);
      }
      case 'MIN':
      case 'MAX': {
        const [a, b] = all(...c.args) as [Value, Value];
        if (c.type.kind !== 'string') return op(name === 'MIN' ? 'min' : 'max', type, a, b);
        const order = op('textCompare', 'i32', width(c.type), a, b);
        return op('select', 'pointer', op(name === 'MIN' ? 'le' : 'ge', 'bool', order, i32(0)), a, b);
      }
      case 'SEL': {
        const [on, off, by] = all(c.args[2]!, c.args[1]!, c.args[0]!) as [Value, Value, Value];
        return op('select', type, by, on, off);
      }
      case 'MUX': {
        // Past the last input the last one is taken.
        const inputs = c.args.slice(1);
        const [by, ...rest] = all(c.args[0]!, ...[...inputs].reverse()) as [Value, ...Value[]];
        const kept = this.keep(by);
        return rest
          .slice(1)
          .reduce<Value>(
            (other, value, i) =>
              op('select', type, op('eq', 'bool', kept, i64(BigInt(inputs.length - 2 - i))), value, other),
            rest[0]!,
          );
      }
      case 'SHL':
      case 'SHR':
      case 'ROL':
      case 'ROR': {
        const [value, by] = all(...c.args) as [Value, Value];
        return op(name.toLowerCase() as OpName, type, value, op('convert', 'i64', by));
      }
      default:
        return this.text(c, name as StringBuiltin);
    }
  }

  /** Functions of strings (table 34): what makes one puts it together in memory of its own, piece by piece. */
  private text(c: Checked & { kind: 'builtin' }, name: StringBuiltin): Value {
    const values = this.sequence(c.args.map((a) => () => this.value(a)));
    const [a] = values as [Value];
    const from = c.args[0]!.type;
    switch (name) {
      case 'LEN':
        return op('convert', machineOf(c.type), op('textLength', 'i32', a));
      case 'FIND':
        return op('convert', machineOf(c.type), op('textFind', 'i32', width(from), a, values[1]!));
      case 'TEXT_INT':
        return op('convert', machineOf(c.type), op('textToInt', 'i64', width(from), a));
      case 'TEXT_CHAR':
        return op('convert', machineOf(c.type), op('textFirst', 'i32', width(from), a));
      default:
    }
    const type = c.type as StringType;
    const max = name === 'CHAR_TEXT' ? 1 : name === 'INT_TEXT' ? 20 : type.max;
    const room = this.newRoom({ ...type, max }),
      address = this.addressOf(room, room.type);
    const make = (maker: TextMaker, ...args: readonly Value[]) => {
      this.make(maker, room.type as StringType, [address, ...args]);
    };
    if (name === 'CHAR_TEXT') make('fromChar', op('convert', 'i32', a));
    else if (name === 'INT_TEXT') make('fromInt', op('convert', 'i64', a), bool(a.type.startsWith('u')));
    else if (name === 'WIDTH') make('width', width(from), a);
    else {
      const counts = values.map((v, i) => (c.args[i]!.type.kind === 'string' ? v : op('convert', 'i32', v)));
      const piece = (text: number, at: Value, count: Value) => make('append', counts[text]!, at, count);
      const less = (v: Value, by: Value | number): Value => op('sub', 'i32', v, typeof by === 'number' ? i32(by) : by);
      const ALL = i32(0x7fffffff),
        START = i32(0);
      const behind = (length: number, position: number): Value =>
        less(op('add', 'i32', counts[length]!, counts[position]!), 1);
      switch (name) {
        case 'LEFT':
          piece(0, START, counts[1]!);
          break;
        case 'RIGHT':
          piece(0, less(op('textLength', 'i32', counts[0]!), counts[1]!), counts[1]!);
          break;
        case 'MID':
          piece(0, less(counts[2]!, 1), counts[1]!);
          break;
        case 'CONCAT':
          c.args.forEach((_, i) => piece(i, START, ALL));
          break;
        case 'INSERT':
          piece(0, START, counts[2]!);
          piece(1, START, ALL);
          piece(0, counts[2]!, ALL);
          break;
        case 'DELETE':
          piece(0, START, less(counts[2]!, 1));
          piece(0, behind(1, 2), ALL);
          break;
        case 'REPLACE':
          piece(0, START, less(counts[3]!, 1));
          piece(1, START, ALL);
          piece(0, behind(2, 3), ALL);
          break;
        default:
          throw new Error(`no pieces for ${name}`);
      }
    }
    return address;
  }
}

const width = (t: Type): Value => i32(t.kind === 'string' && t.wide ? 2 : 1);
const noWhere = (to: Type): Value => ({ kind: 'null', type: 'pointer', to });
const isNull = (pointer: Value): Value => op('eq', 'bool', pointer, noWhere(elementary('BOOL')));

const unsignedOf = (t: Machine): Machine =>
  t === 'bool' ? 'bool' : t === 'time' ? 'u64' : (`u${t.slice(1)}` as Machine);

/** Bits of a value from `shift` on. */
function part(base: Value, shift: number, type: Type): Value {
  const unsigned = unsignedOf(base.type),
    value = op('convert', unsigned, base);
  return op('convert', machineOf(type), shift ? op('shr', unsigned, value, i64(BigInt(shift))) : value);
}
/** The same value with other bits there. */
function withPart(base: Value, shift: number, type: Type, value: Value): Value {
  const unsigned = unsignedOf(base.type),
    bits = baseOf(type) === 'BOOL' ? 1 : sizeOf(type) * 8;
  const size = Number(unsigned.slice(1)),
    mask = BigInt.asUintN(size, ~(((1n << BigInt(bits)) - 1n) << BigInt(shift)));
  const moved = op('convert', unsigned, op('convert', unsignedOf(value.type), value));
  return op(
    'convert',
    base.type,
    op(
      'or',
      unsigned,
      op('and', unsigned, op('convert', unsigned, base), wholeConstant(unsigned, mask)),
      shift ? op('shl', unsigned, moved, i64(BigInt(shift))) : moved,
    ),
  );
}
