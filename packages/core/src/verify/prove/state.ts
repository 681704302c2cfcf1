/**
 * What memory holds while a scan is followed: a term for each place that the program touches, as slots of the state or
 * as cells of its own; under which condition what follows is done; what came from outside, and what is not known.
 */
import type { FaultKind, Image } from '../../compile/image.js';
import type { Span } from '../../language/source.js';
import { type Constant, type Type, elementCount, isBool, isReal, isScalar, sizeOf, stride } from '../../types/type.js';
import { type Sort, type Term, Terms, bitsOfReal } from './term.js';

/** The logic does something that cannot be followed; `message` says what, `at` where. */
export class OutOfReach extends Error {
  constructor(
    message: string,
    readonly at: Span,
  ) {
    super(message);
  }
}

/** A value in memory of its own: a byte or more at an address, or one bit. */
export interface Slot {
  readonly key: string;
  readonly address: number;
  readonly bit?: number;
  readonly bytes: number;
  readonly sort: Sort;
  readonly type: Type;
  /** As it is before a scan: a variable of the terms. */ readonly state: Term;
}

export interface FaultSite {
  readonly kind: FaultKind;
  readonly at: Span;
  readonly when: Term;
}

export const OUTSIDE = 'what comes from outside';

export const CLOCK = 'the clock used as a number',
  UNSET = 'local values before they are set';

export const NOWHERE: Span = { source: { name: '', text: '', origin: { kind: 'library' } }, start: 0, end: 0 };
export const sortOf = (t: Type): Sort => (isBool(t) ? 0 : sizeOf(t) * 8);
/** What the places hold: changes over what was there before, so that branches cost what they change. */
export class Memory {
  readonly own = new Map<string, Term>();
  constructor(readonly before?: Memory) {}
  get(key: string): Term | undefined {
    for (let m: Memory | undefined = this as Memory; m; m = m.before) {
      const t = m.own.get(key);
      if (t) return t;
    }
    return undefined;
  }
}

/**
 * One way that a place may be, where an index is computed: an address in the state, or in memory of its own (`space`)
 * for what is on its way.
 */
export interface Spot {
  readonly when: Term;
  readonly address: number;
  readonly space?: string;
}
/** What a spot is known by, and its slot where it lies in the state. */
export interface Cell {
  readonly key: string;
  readonly sort: Sort;
  readonly slot?: Slot;
}
export class State {
  /**
   * @param blurred addresses seen under two widths: what lies there is unknown
   * @param ages places that take the clock
   * @param wild of those the ones that something else is put into
   */
  constructor(
    private readonly image: Image,
    private readonly blurred: Set<number>,
    readonly ages: Set<string>,
    readonly wild: Set<string>,
  ) {}

  readonly terms = new Terms();
  readonly slots = new Map<string, Slot>();
  private readonly owners = new Map<number, string>();
  private readonly root = new Memory();
  memory = this.root;
  /** The scan is over: what is read now is the state. */
  scanned = false;
  /** Under which condition what follows is done: a RETURN or EXIT may have been met. */
  live: Term = this.terms.true;
  private unknowns = 0;
  readonly inputs: { slot: Slot; input: Term }[] = [];
  /** What is being followed, for whoever is told where it cannot be. */
  here: Span = NOWHERE;
  readonly faults: FaultSite[] = [];
  /** Why the value of an unknown is not known. */
  readonly vague = new Map<string, string>();
  /** No fault has ended the scan yet. */
  private unhurt: Term = this.terms.true;
  /** Conditions of the branches that what follows stands in. */
  private path: Term = this.terms.true;

  /** From outside: anything, anew in each scan. */
  input(slot: Slot | undefined): void {
    if (!slot || this.root.own.has(slot.key)) return;
    const input = this.terms.variable(`i:${slot.key}`, slot.sort);
    this.inputs.push({ slot, input });
    this.root.own.set(slot.key, input);
  }

  /** Something that the engine remembers beside memory. */
  remembered(name: string, sort: Sort): Slot {
    const slot: Slot = {
      key: name,
      address: -1,
      bytes: 0,
      sort,
      type: { kind: 'elementary', name: sort === 0 ? 'BOOL' : 'ULINT' },
      state: this.terms.variable(`s:${name}`, sort),
    };
    this.slots.set(name, slot);
    return slot;
  }

  /** The scan ends here where `when` holds. */
  fault(kind: FaultKind, at: Span, when: Term): void {
    const { terms: t } = this,
      happens = t.and(this.path, this.live, this.unhurt, when);
    if (happens === t.false || this.scanned) return;
    this.faults.push({ kind, at, when: happens });
    this.unhurt = t.and(this.unhurt, t.not(happens));
  }

  /** Anything: a value that nothing is known of, and what it is that is not followed. */
  unknown(sort: Sort, why: string): Term {
    const name = `u:${this.unknowns++}`;
    this.vague.set(name, why);
    return this.terms.variable(name, sort);
  }

  // ---- places

  /** The slot of a scalar; undefined where the same bytes are seen under two widths. */
  slot(address: number, bit: number | undefined, type: Type): Slot | undefined {
    const key = bit === undefined ? `${address}` : `${address}.${bit}`,
      bytes = bit === undefined ? sizeOf(type) : 1;
    for (let i = 0; i < bytes; i++) if (this.blurred.has(address + i)) return undefined;
    const known = this.slots.get(key);
    if (known && known.bytes === bytes && known.sort === sortOf(type)) return known;
    let clash = known !== undefined;
    for (let i = 0; i < bytes; i++) {
      const owner = this.owners.get(address + i),
        mine = bit === undefined ? key : 'bits';
      if (owner !== undefined && owner !== mine) clash = true;
      this.owners.set(address + i, mine);
    }
    if (clash) {
      // All that touches these bytes is unknown from now on.
      for (const s of [...this.slots.values(), { address, bytes }])
        if (s.address < address + bytes && s.address + s.bytes > address)
          for (let i = 0; i < s.bytes; i++) this.blurred.add(s.address + i);
      return undefined;
    }
    const slot: Slot = {
      key,
      address,
      ...(bit === undefined ? {} : { bit }),
      bytes,
      sort: sortOf(type),
      type,
      state: this.terms.variable(`s:${key}`, sortOf(type)),
    };
    this.slots.set(key, slot);
    // A place in the input area that no tag names comes from outside too.
    const { I } = this.image.areas;
    if (!this.scanned && address >= I.start && address < I.start + I.size) this.input(slot);
    return slot;
  }

  cell(s: Spot, p: { readonly type: Type; readonly bit?: number | undefined }): Cell | undefined {
    const sort = sortOf(p.type);
    if (s.space !== undefined) return { key: `${s.space} ${s.address}`, sort };
    const slot = this.slot(s.address, p.bit, p.type);
    return slot && { key: slot.key, sort, slot };
  }

  outOfReach(what: string): OutOfReach {
    return new OutOfReach(what, this.here);
  }

  put(cell: Cell, value: Term, when: Term, isAge = false): void {
    const { terms: t } = this,
      { key, sort, slot } = cell,
      condition = t.and(this.live, when);
    if (condition === t.false) return;
    // Something else than the clock in a place that takes the clock: then it is no age, and unknown.
    if (!isAge && this.ages.has(key)) this.wild.add(key);
    const v = this.wild.has(key) ? this.unknown(sort, 'a timer whose start is set by hand') : value;
    this.memory.own.set(
      key,
      condition === t.true ? v : t.ite(condition, v, this.memory.get(key) ?? slot?.state ?? this.unknown(sort, UNSET)),
    );
  }

  // ---- statements

  under(condition: Term, run: () => void): void {
    this.choose([{ condition, run }]);
  }

  /** Branches of which the first whose condition holds is taken; memory afterwards is what that one left. */
  choose(branches: readonly { readonly condition: Term; readonly run: () => void }[]): void {
    const { terms: t } = this,
      before = this.memory,
      live = this.live,
      path = this.path;
    const done: { condition: Term; memory: Memory; live: Term }[] = [];
    let others = t.true;
    for (const b of branches) {
      if (b.condition === t.false) continue;
      this.memory = new Memory(before);
      this.live = live;
      this.path = t.and(path, others, b.condition);
      b.run();
      done.push({ condition: b.condition, memory: this.memory, live: this.live });
      others = t.and(others, t.not(b.condition));
      if (b.condition === t.true) break;
    }
    this.memory = before;
    this.live = live;
    this.path = path;
    const keys = new Set(done.flatMap((d) => [...d.memory.own.keys()]));
    for (const key of keys) {
      const old = before.get(key) ?? this.slots.get(key)?.state;
      let value: Term | undefined = old;
      for (const d of [...done].reverse()) {
        const mine = d.memory.own.get(key) ?? old;
        // A local that only one branch has set is read only there.
        value = mine === undefined ? value : value === undefined ? mine : t.ite(d.condition, mine, value);
      }
      if (value) before.own.set(key, value);
    }
    this.live = done.reduceRight((rest, d) => t.ite(d.condition, d.live, rest), live);
  }

  /** Every scalar of a type at an offset. */
  leaves(type: Type, offset: number, out: { type: Type; offset: number }[]): void {
    if (out.length > 5000) throw this.outOfReach('a copy of more than 5000 values');
    switch (type.kind) {
      case 'struct':
        for (const m of type.members) this.leaves(m.type, offset + m.offset, out);
        return;
      case 'block':
        for (const m of type.layout.members) this.leaves(m.type, offset + m.offset, out);
        return;
      case 'array': {
        const n = elementCount(type);
        for (let i = 0; i < n; i++) this.leaves(type.element, offset + i * stride(type.element), out);
        return;
      }
      default:
        if (isScalar(type)) out.push({ type, offset });
    }
  }
  copy(type: Type, to: readonly Spot[], from: readonly Spot[]): void {
    const { terms: t } = this,
      leaves: { type: Type; offset: number }[] = [];
    this.leaves(type, 0, leaves);
    const values = leaves.map((l) => {
      const one = (s: Spot): Term => {
        const cell = this.cell({ ...s, address: s.address + l.offset }, l);
        return cell && !this.ages.has(cell.key)
          ? (this.memory.get(cell.key) ?? cell.slot?.state ?? this.unknown(cell.sort, UNSET))
          : this.unknown(sortOf(l.type), 'memory that is used under two widths');
      };
      return from.slice(0, -1).reduceRight((rest, s) => t.ite(s.when, one(s), rest), one(from[from.length - 1]!));
    });
    for (const s of to)
      leaves.forEach((l, i) => {
        const cell = this.cell({ ...s, address: s.address + l.offset }, l);
        if (cell) this.put(cell, values[i]!, s.when);
      });
  }

  // ---- values

  constant(value: Constant, type: Type): Term {
    const { terms: t } = this;
    if (typeof value === 'string' || typeof value === 'object') return this.unknown(sortOf(type), 'text');
    if (isReal(type)) return t.bits(bitsOfReal(Number(value), sizeOf(type) * 8), sizeOf(type) * 8);
    return t.bits(BigInt(value), sortOf(type));
  }
}
