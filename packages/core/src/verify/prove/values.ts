/** Where a place lies and what a value is, as terms: the expressions of the intermediate representation. */
import type { Variable, Where } from '../../checked/tree.js';
import type { Place, Value } from '../../ir/tree.js';
import { elementCount, isScalar, stride } from '../../types/type.js';
import { SOLVER, sortOf as widthOf } from './operations.js';
import { CLOCK, type Spot, type State, UNSET, sortOf } from './state.js';
import { type Term, bitsOfReal } from './term.js';

const MOST_ELEMENTS = 256;

/** The unit at hand: where its memory is, and what keeps its values apart from those of other calls. */
export interface Frame {
  readonly self: readonly Spot[];
  readonly id: string;
  /** What stands for in-out parameters: of a function by the variable, of a block by where the address is kept. */
  readonly given: ReadonlyMap<Variable, readonly Spot[]>;
  readonly references: ReadonlyMap<number, readonly Spot[]>;
  readonly temps: Map<number, Term>;
  readonly pointers: Map<number, readonly Spot[]>;
  /** Temps that hold the clock. */
  readonly clocks: Set<number>;
  readonly used: ReadonlySet<number>;
}
/** A parameter of a block that is handed over by its address. */
export const isInOut = (p: Place): boolean => {
  const step = p.steps[p.steps.length - 1];
  return (
    step?.kind === 'member' &&
    step.of.kind === 'block' &&
    step.of.layout.members.some((m) => m.offset === step.offset && m.section === 'inout')
  );
};
export const bitOf = (p: Place): number | undefined =>
  p.root.kind === 'tag' && !p.steps.length ? p.root.variable.address?.bit : undefined;

export class Values {
  /** @param derived whether the clock less something is an age too */
  constructor(
    private readonly state: State,
    private readonly where: Where,
    private readonly stepNs: bigint,
    private readonly derived: boolean,
  ) {}

  /** Where a place lies: one address, or several of which an index chooses. */
  spots(p: Place, f: Frame): readonly Spot[] {
    let list = this.rootSpots(p, f);
    for (const step of p.steps)
      if (step.kind === 'member') list = list.map((s) => ({ ...s, address: s.address + step.offset }));
      else list = this.elements(step, list, f);
    return list;
  }
  private rootSpots(p: Place, f: Frame): readonly Spot[] {
    const { terms: t } = this.state,
      { root } = p;
    switch (root.kind) {
      case 'tag':
        return [{ when: t.true, address: this.where(root.variable) }];
      case 'local':
        if (root.variable.home.kind === 'frame') return [{ when: t.true, address: this.where(root.variable) }];
        return [{ when: t.true, address: 0, space: `l:${f.id}:${root.variable.name}` }];
      case 'given': {
        const known = f.given.get(root.variable);
        if (!known) throw this.state.outOfReach('an in-out parameter that is not connected');
        return known;
      }
      case 'self':
        return f.self;
      case 'target':
        return this.pointer(root.pointer, f);
      case 'room':
        return [{ when: t.true, address: 0, space: `r:${f.id}:${root.room}` }];
      case 'text':
        return [{ when: t.true, address: 0, space: 'text' }];
    }
  }
  /** What an address leads to. */
  pointer(v: Value, f: Frame): readonly Spot[] {
    if (v.kind === 'address') return this.spots(v.place, f);
    if (v.kind === 'temp') {
      const known = f.pointers.get(v.temp);
      if (known) return known;
    }
    if (v.kind === 'op' && v.op === 'select') {
      const [condition, on, off] = v.args as [Value, Value, Value],
        is = this.value(condition, f),
        among = (when: Term, of: Value): Spot[] =>
          when === this.state.terms.false
            ? []
            : this.pointer(of, f).map((s) => ({ ...s, when: this.state.terms.and(when, s.when) }));
      return [...among(is, on), ...among(this.state.terms.not(is), off)];
    }
    if (v.kind === 'load' && isInOut(v.place)) {
      const [spot, ...more] = this.spots(v.place, f),
        known = spot && !more.length && spot.space === undefined ? f.references.get(spot.address) : undefined;
      if (!known) throw this.state.outOfReach('an in-out parameter that is not connected');
      return known;
    }
    throw this.state.outOfReach('a reference');
  }

  /** The elements that an index may choose; it lies inside, which was looked at before. */
  private elements(
    step: Place['steps'][number] & { readonly kind: 'element' },
    bases: readonly Spot[],
    f: Frame,
  ): readonly Spot[] {
    const { terms: t } = this.state,
      { array } = step;
    if (array.open) throw this.state.outOfReach('an array of any length');
    const size = stride(array.element),
      total = elementCount(array);
    const { terms, known } = parts(step.index);
    let ways: { readonly when: Term; readonly at: number }[] = [{ when: t.true, at: known }];
    for (const { value, by, less } of terms) {
      const index = this.value(value, f),
        // Row by row, each runs below the next larger step; a dimension of one element has that of the one beside it.
        above = terms.reduce((least, x) => (x.by > by ? Math.min(least, x.by) : least), total),
        count = Math.ceil(above / by);
      if (index.value !== undefined) {
        const n = Number(BigInt.asIntN(index.sort, index.value)) - less;
        ways = ways.map((w) => ({ when: w.when, at: w.at + n * by }));
        continue;
      }
      if (count * ways.length * bases.length > MOST_ELEMENTS)
        throw this.state.outOfReach(`a computed index into ${count * ways.length * bases.length} elements`);
      ways = ways.flatMap((w) =>
        Array.from({ length: count }, (_, n) => ({
          when: t.and(w.when, t.eq(index, t.bits(BigInt(n + less), index.sort))),
          at: w.at + n * by,
        })),
      );
    }
    const inside = ways.filter((w) => w.at >= 0 && w.at < total);
    return bases.flatMap((s) =>
      (inside.length ? inside : [{ when: t.true, at: 0 }]).map((w) => ({
        ...s,
        when: t.and(s.when, w.when),
        address: s.address + w.at * size,
      })),
    );
  }

  read(p: Place, f: Frame): Term {
    const { terms: t } = this.state,
      sort = sortOf(p.type),
      seen = { type: p.type, bit: bitOf(p) };
    const one = (s: Spot): Term => {
      const cell = this.state.cell(s, seen);
      if (!cell) return this.state.unknown(sort, 'memory that is used under two widths');
      // An age means something only against the clock.
      if (this.state.ages.has(cell.key)) return this.state.unknown(sort, 'the start of a timer used as a number');
      return this.state.memory.get(cell.key) ?? cell.slot?.state ?? this.state.unknown(sort, UNSET);
    };
    const spots = this.spots(p, f);
    return spots.slice(0, -1).reduceRight((rest, s) => t.ite(s.when, one(s), rest), one(spots[spots.length - 1]!));
  }

  isClock(v: Value, f: Frame): boolean {
    return (v.kind === 'clock' && v.what === 'now') || (v.kind === 'temp' && f.clocks.has(v.temp));
  }
  /** The age that a value holds which is reckoned from the clock: NOW, or NOW less something. */
  ageIn(v: Value, f: Frame): Term | undefined {
    if (this.isClock(v, f)) return this.state.terms.bits(0n, 64);
    if (!this.derived || v.kind !== 'op' || v.op !== 'sub') return undefined;
    const [a, b] = v.args as [Value, Value];
    return this.isClock(a, f) && !this.isClock(b, f) && !this.ageAt(b, f) ? this.value(b, f) : undefined;
  }
  /** The age at a place, where it is one. */
  private ageAt(v: Value, f: Frame): Term | undefined {
    if (v.kind !== 'load' || (v.place.root.kind === 'local' && v.place.root.variable.home.kind === 'local'))
      return undefined;
    const [spot, ...more] = this.spots(v.place, f);
    if (!spot || more.length) return undefined;
    const cell = this.state.cell(spot, { type: v.place.type, bit: bitOf(v.place) });
    return cell?.slot && this.state.ages.has(cell.key) && !this.state.wild.has(cell.key)
      ? (this.state.memory.get(cell.key) ?? cell.slot.state)
      : undefined;
  }

  ownSpots(v: Variable, f: Frame): readonly Spot[] {
    return this.spots({ root: { kind: 'local', variable: v }, rootType: v.type, steps: [], type: v.type }, f);
  }
  roomSpots(room: number, f: Frame): readonly Spot[] {
    return [{ when: this.state.terms.true, address: 0, space: `r:${f.id}:${room}` }];
  }

  value(v: Value, f: Frame): Term {
    const { terms: t } = this.state,
      sort = widthOf(v.type);
    switch (v.kind) {
      case 'constant':
        return v.type === 'f32' || v.type === 'f64'
          ? t.bits(bitsOfReal(Number(v.value), sort), sort)
          : t.bits(BigInt(v.value), sort);
      case 'temp':
        if (f.clocks.has(v.temp)) return this.state.unknown(64, CLOCK);
        return f.temps.get(v.temp) ?? this.state.unknown(sort, 'text');
      case 'load':
        return isScalar(v.place.type) ? this.read(v.place, f) : this.state.unknown(sort, 'a reference');
      case 'op':
        return this.operation(v, f);
      case 'clock':
        return v.what === 'step' ? t.bits(this.stepNs, 64) : this.state.unknown(64, CLOCK);
      case 'address':
      case 'null':
        return this.state.unknown(sort, 'text');
    }
  }
  private operation(v: Value & { readonly kind: 'op' }, f: Frame): Term {
    const { terms: t } = this.state,
      [a, b] = v.args as [Value, Value];
    if (v.op === 'sub' && this.isClock(a, f)) {
      const age = this.ageAt(b, f);
      if (age) return age;
    }
    // Some bits of a wider value, and a bit put into one, are said as what they are.
    if (v.op === 'convert' && a.kind === 'op' && a.op === 'shr' && a.args[1]!.kind === 'constant') {
      const whole = this.value(a.args[0]!, f),
        low = Number(a.args[1]!.value),
        width = v.type === 'bool' ? 1 : widthOf(v.type);
      if (low + width <= whole.sort) {
        const bits = t.extract(whole, low, width);
        return v.type === 'bool' ? t.eq(bits, t.bits(1n, 1)) : bits;
      }
    }
    return SOLVER[v.op](
      t,
      v.from,
      v.type,
      v.args.map((x) => this.value(x, f)),
      (sort, why) => this.state.unknown(sort, why),
    );
  }
}

/** What an index is the sum of: values with the steps that they count in and where they begin, and what is known. */
function parts(index: Value): { terms: { value: Value; by: number; less: number }[]; known: number } {
  const terms: { value: Value; by: number; less: number }[] = [];
  let known = 0;
  const add = (v: Value, by: number): void => {
    if (v.kind === 'constant') known += Number(v.value) * by;
    else if (v.kind === 'op' && v.op === 'convert' && v.type.startsWith('i') && v.from.startsWith('i'))
      add(v.args[0]!, by);
    else if (v.kind === 'op' && v.op === 'add') for (const a of v.args) add(a, by);
    else if (v.kind === 'op' && v.op === 'mul' && v.args[1]!.kind === 'constant')
      add(v.args[0]!, by * Number(v.args[1]!.value));
    else if (v.kind === 'op' && v.op === 'sub' && v.args[1]!.kind === 'constant')
      terms.push({ value: v.args[0]!, by, less: Number(v.args[1]!.value) });
    else terms.push({ value: v, by, less: 0 });
  };
  add(index, 1);
  return { terms, known };
}
