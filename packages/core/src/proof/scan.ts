/**
 * One scan of the logic as formulas: what every place in memory holds after it, from what it held before and from the
 * inputs. Walks the checked tree as the compiler does. Where it cannot follow (text, arithmetic of reals, a computed
 * address) it says "anything": what is then proved holds all the more for what the program really does.
 *
 * Time is kept as an age. A place that takes the clock (`Since := NOW`) holds how long ago that was: 0 when it is
 * taken, a scan more at the end of each scan. So no clock runs through the states, and a proof covers every moment.
 * Ages stop at
 * 2^61 ns (73 years).
 */
import type { Span } from '../language/source.js';
import {
  type BlockCall,
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type CheckedStatement,
  type Place,
  type Variable,
  type Where,
  fixedAddress,
  isPlace,
} from '../check/checked.js';
import type { FaultKind, Image, ImageTask } from '../compile/image.js';
import { layOut } from '../compile/layout.js';
import {
  type Type,
  baseOf,
  defaultValue,
  isBool,
  isReal,
  isScalar,
  isSigned,
  isString,
  sizeOf,
  stride,
} from '../types/type.js';
import { retainedPlaces } from '../runtime/transfer.js';
import { type Sort, type Term, Terms, bitsOfReal } from './term.js';

/** The logic does something that cannot be followed; `message` says what, `at` where. */
export class OutOfReach extends Error {
  constructor(
    message: string,
    readonly at: CheckedStatement['at'],
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

export interface ScanSystem {
  readonly terms: Terms;
  readonly slots: ReadonlyMap<string, Slot>;
  /** Value of a slot before the first scan. */
  initial(s: Slot): bigint;
  /** Whether a slot keeps its value through a warm restart. */
  isRetained(s: Slot): boolean;
  /** Value of a slot after the scan. */
  next(s: Slot): Term;
  /** Slots that come from outside, anew in each scan. */
  readonly inputs: readonly { readonly slot: Slot; readonly input: Term }[];
  /** Conditions of rules on the state after a scan, in the order asked for. */
  readonly conditions: readonly Term[];
  readonly ages: ReadonlySet<string>;
  /** What is not followed in these terms, in words; what comes from outside does not count. */
  vagueIn(terms: readonly Term[]): readonly string[];
  /**
   * Places where the logic may fault, each with when it does: a term of the state before the scan and of its inputs.
   */
  readonly faults: readonly FaultSite[];
}
export interface FaultSite {
  readonly kind: FaultKind;
  readonly at: CheckedStatement['at'];
  readonly when: Term;
}

/** Ages go no further: 2^61 ns. */
export const OLDEST = 1n << 61n;
const MOST_STATEMENTS = 300_000,
  MOST_PASSES = 1000,
  MOST_ELEMENTS = 256;

const sortOf = (t: Type): Sort => (isBool(t) ? 0 : sizeOf(t) * 8);
const signedOf = (t: Type): boolean => {
  const b = baseOf(t);
  return b !== undefined && isSigned(b);
};
const isClock = (c: Checked): boolean => c.kind === 'builtin' && c.name === 'NOW';

/** What the places hold: changes over what was there before, so that branches cost what they change. */
class Memory {
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

/** One way that a place may be, where an index is computed. */
interface Spot {
  readonly when: Term;
  readonly address: number;
}
/** The block or function at hand: where its memory is, and what keeps its locals apart from those of other calls. */
interface Frame {
  readonly self: readonly Spot[];
  readonly locals: string;
  readonly references: Map<string, Place | readonly Spot[]>;
  readonly outer: Frame | undefined;
}

export interface ScanOptions {
  readonly stepNs: bigint;
  /** Address ranges that something outside the logic writes in every scan: the machine model's memory. */
  readonly outside: readonly { readonly from: number; readonly to: number }[];
  /** Places that the machine or the wiring gives anew in each scan, beside the input area: address and bit. */
  readonly driven: readonly { readonly address: number; readonly bit?: number; readonly type?: Type }[];
  /** Programs that are not part of the logic. */
  readonly without: string;
}

/** The scan of a program without errors. Throws `OutOfReach` where it cannot be followed. */
export function scanSystem(
  program: CheckedProgram,
  image: Image,
  options: ScanOptions,
  conditions: readonly Checked[],
): ScanSystem {
  // Places seen under two widths, and clocks that are read in another way than as an age, are found out on the way:
  // then anew, knowing them.
  const blurred = new Set<number>(),
    ages = new Set<string>(),
    wild = new Set<string>();
  // First what takes the clock as it is; only then what takes the clock less something that is no such place itself.
  let derived = false;
  for (let round = 0; ; round++) {
    const before = `${blurred.size} ${ages.size} ${wild.size}`;
    const scan = new Scan(program, image, options, blurred, ages, wild, derived);
    const system = scan.run(conditions);
    if (before === `${blurred.size} ${ages.size} ${wild.size}`) {
      if (derived) return system;
      derived = true;
    }
    if (round > 20) throw new Error('the places of the program do not settle');
  }
}

class Scan {
  private readonly terms = new Terms();
  private readonly slots = new Map<string, Slot>();
  private readonly owners = new Map<number, string>();
  private readonly root = new Memory();
  private memory = this.root;
  /** The scan is over: what is read now is the state. */
  private scanned = false;
  /** Under which condition what follows is done: a RETURN or EXIT may have been met. */
  private live: Term = this.terms.true;
  private unknowns = 0;
  private calls = 0;
  private statements_ = 0;
  private readonly inputs: { slot: Slot; input: Term }[] = [];
  private readonly pous = new Map<string, CheckedPou>();
  /** Conditions under which the body of the loop, or the block, at hand was left. */
  private exits: { exit: Term; again: Term }[] = [];
  private readonly faults: FaultSite[] = [];
  /** Why the value of an unknown is not known. */
  private readonly vague = new Map<string, string>();
  /** No fault has ended the scan yet. */
  private unhurt: Term = this.terms.true;
  /** Conditions of the branches that what follows stands in. */
  private path: Term = this.terms.true;

  constructor(
    private readonly program: CheckedProgram,
    private readonly image: Image,
    private readonly options: ScanOptions,
    private readonly blurred: Set<number>,
    private readonly ages: Set<string>,
    private readonly wild: Set<string>,
    private readonly derived: boolean,
  ) {
    for (const p of program.pous) this.pous.set(p.name.toLowerCase(), p);
    const layout = layOut(program);
    this.where = (v) => this.fixed.get(v) ?? layout.where(v);
  }
  private readonly where: Where;
  /** Addresses of places that stand for themselves. */
  private readonly fixed = new Map<Variable, number>();

  run(conditions: readonly Checked[]): ScanSystem {
    const { terms: t, image, options } = this;
    const top: Frame = { self: [], locals: '', references: new Map(), outer: undefined };
    // Inputs come from outside.
    for (const s of image.symbols.values()) {
      if (
        s.isView ||
        (s.section !== 'input' && !options.driven.some((d) => d.address === s.address && d.bit === s.bit))
      )
        continue;
      if (isScalar(s.type)) {
        this.input(this.slot(s.address, s.bit, s.type));
        continue;
      }
      const leaves: { type: Type; offset: number }[] = [];
      this.leaves(s.type, 0, leaves, NOWHERE);
      for (const l of leaves) this.input(this.slot(s.address + l.offset, undefined, l.type));
    }
    // A member of a tag says its type.
    for (const d of options.driven) if (d.type && isScalar(d.type)) this.input(this.slot(d.address, d.bit, d.type));
    const steps = new Map<string, { readonly initial: bigint; readonly next: Term }>();
    const order = image.tasks
      .map((_, i) => i)
      .sort((a, b) => image.tasks[a]!.priority - image.tasks[b]!.priority || a - b);
    const run = (n: number) => {
      const block = this.program.blockRuns[n - this.program.instances.length];
      if (block) {
        if (block.instance.name === options.without) return;
        const self = [{ when: t.true, address: fixedAddress(block.place, this.where) }];
        this.body(block.pou, { self, locals: `${++this.calls}`, references: new Map(), outer: undefined });
        return;
      }
      const instance = this.program.instances[n]!;
      if (instance.name === options.without) return;
      this.statements(instance.before, top);
      this.body(instance.pou, {
        self: [{ when: t.true, address: this.where(this.program.instanceVariables[n]!) }],
        locals: '',
        references: new Map(),
        outer: undefined,
      });
      this.statements(instance.after, top);
    };
    for (const i of order) {
      const task = image.tasks[i]!;
      this.under(this.isDue(task, i, top, steps), () => {
        for (const n of task.programs) run(n);
      });
    }
    for (const n of image.free) run(n);
    const after = this.memory;
    this.scanned = true;
    // Conditions read the state as it is between two scans.
    this.memory = new Memory();
    const asked = conditions.map((c) => this.value(c, top));
    const isOutside = (s: Slot) => options.outside.some((o) => s.address >= o.from && s.address < o.to);
    const retained = retainedPlaces(image),
      { I } = image.areas,
      isInput = (s: Slot) => s.address >= I.start && s.address < I.start + I.size;
    const nexts = new Map([...steps].map(([key, x]) => [key, x.next]));
    return {
      terms: t,
      slots: this.slots,
      inputs: this.inputs,
      conditions: asked,
      ages: this.ages,
      faults: this.faults,
      vagueIn: (roots) => vagueIn(roots, this.vague),
      isRetained: (s) =>
        retained.some((r) => s.address >= r.from && s.address < r.to && (r.bit === undefined || s.bit === r.bit)),
      initial: (s) => steps.get(s.key)?.initial ?? (this.ages.has(s.key) ? 0n : initialOf(image.initial, s)),
      next: (s) => {
        const known = nexts.get(s.key);
        if (known) return known;
        let value = after.get(s.key) ?? (isOutside(s) || isInput(s) ? this.unknown(s.sort, OUTSIDE) : s.state);
        if (this.ages.has(s.key))
          value = t.ite(
            t.compare('bvult', value, t.bits(OLDEST, 64)),
            t.binary('bvadd', value, t.bits(options.stepNs, 64)),
            t.bits(OLDEST, 64),
          );
        nexts.set(s.key, value);
        return value;
      },
    };
  }

  /** From outside: anything, anew in each scan. */
  private input(slot: Slot | undefined): void {
    if (!slot || this.root.own.has(slot.key)) return;
    const input = this.terms.variable(`i:${slot.key}`, slot.sort);
    this.inputs.push({ slot, input });
    this.root.own.set(slot.key, input);
  }

  /** Something that the engine remembers beside memory. */
  private remembered(name: string, sort: Sort): Slot {
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

  /** Whether a task runs in this scan, as the engine decides it: on its own raster, or on the rise of its event. */
  private isDue(
    task: ImageTask,
    number: number,
    top: Frame,
    steps: Map<string, { readonly initial: bigint; readonly next: Term }>,
  ): Term {
    const { terms: t } = this,
      { stepNs } = this.options,
      interval = task.intervalNs;
    let raster = t.true;
    if (interval > stepNs) {
      // Time since the raster's last mark, as it stands at the start of the scan; the raster begins at time 0.
      const since = this.remembered(`raster of task ${number}`, 64),
        later = t.binary('bvadd', since.state, t.bits(stepNs, 64)),
        mark = t.bits(interval, 64);
      raster = t.compare('bvult', since.state, t.bits(stepNs, 64));
      steps.set(since.key, {
        initial: 0n,
        next: t.ite(t.compare('bvult', later, mark), later, t.binary('bvsub', later, mark)),
      });
    }
    const event = this.program.tasks[number]?.single;
    if (!event) return raster;
    const was = this.remembered(`event of task ${number}`, 0),
      now = this.value(event, top),
      rise = t.and(now, t.not(was.state));
    steps.set(was.key, { initial: 0n, next: now });
    return interval === 0n ? rise : t.ite(now, rise, raster);
  }

  /** The scan ends here where `when` holds. */
  private fault(kind: FaultKind, at: CheckedStatement['at'], when: Term): void {
    const { terms: t } = this,
      happens = t.and(this.path, this.live, this.unhurt, when);
    if (happens === t.false || this.scanned) return;
    this.faults.push({ kind, at, when: happens });
    this.unhurt = t.and(this.unhurt, t.not(happens));
  }

  /** Anything: a value that nothing is known of, and what it is that is not followed. */
  private unknown(sort: Sort, why: string): Term {
    const name = `u:${this.unknowns++}`;
    this.vague.set(name, why);
    return this.terms.variable(name, sort);
  }

  // ---- places

  /** The slot of a scalar; undefined where the same bytes are seen under two widths. */
  private slot(address: number, bit: number | undefined, type: Type): Slot | undefined {
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

  /** Where a place lies: one address, or several of which an index chooses. */
  private spots(p: Place, f: Frame): readonly Spot[] {
    const { terms: t } = this;
    switch (p.kind) {
      case 'variable': {
        const h = p.variable.home;
        if (h.kind === 'global' || h.kind === 'frame') return [{ when: t.true, address: this.where(p.variable) }];
        if (h.kind === 'instance') return f.self.map((s) => ({ when: s.when, address: s.address + h.offset }));
        const known = f.references.get(referenceKey(p.variable));
        if (known) return isSpots(known) ? known : this.spots(known, f.outer ?? f);
        throw new OutOfReach('an in-out parameter that is not connected', p.at);
      }
      case 'member':
        if (p.isReference) {
          const known = f.references.get(`m${p.offset}`);
          if (known && isSpots(known)) return known;
          throw new OutOfReach('an address that is known only in the run', p.at);
        }
        return this.spots(p.base, f).map((s) => ({ when: s.when, address: s.address + p.offset }));
      case 'element': {
        if (p.bounds) throw new OutOfReach('an array of any length', p.at);
        let list = this.spots(p.base, f),
          step = stride(p.array.element);
        for (let i = p.indices.length - 1; i >= 0; i--) {
          const bound = p.array.bounds[i]!,
            count = bound.high - bound.low + 1,
            index = this.value(p.indices[i]!, f),
            by = step;
          if (index.value !== undefined) {
            const n = Number(BigInt.asIntN(index.sort, index.value)) - bound.low;
            list = list.map((s) => ({ when: s.when, address: s.address + n * by }));
          } else {
            const position = t.binary('bvsub', index, t.bits(BigInt(bound.low), index.sort));
            this.fault(
              'INDEX',
              p.indices[i]!.at,
              t.not(t.compare('bvult', position, t.bits(BigInt(count), index.sort))),
            );
            if (count * list.length > MOST_ELEMENTS)
              throw new OutOfReach(`a computed index into ${count * list.length} elements`, p.at);
            list = list.flatMap((s) =>
              Array.from({ length: count }, (_, n) => ({
                when: t.and(s.when, t.eq(index, t.bits(BigInt(n + bound.low), index.sort))),
                address: s.address + n * by,
              })),
            );
          }
          step *= count;
        }
        return list;
      }
      case 'target':
        throw new OutOfReach('a reference', p.at);
      case 'part':
        throw new OutOfReach('a part of a value handed on by its address', p.at);
    }
  }

  private static localKey(v: Variable, f: Frame): string {
    return `l:${f.locals}:${v.name}`;
  }

  private read(p: Place, f: Frame): Term {
    const { terms: t } = this,
      sort = sortOf(p.type);
    if (p.kind === 'part') {
      const base = this.read(p.base, f);
      return isBool(p.type) ? t.eq(t.extract(base, p.shift, 1), t.bits(1n, 1)) : t.extract(base, p.shift, sort);
    }
    if (!isScalar(p.type)) return this.unknown(32, 'whole structures in expressions');
    if (p.kind === 'variable' && p.variable.home.kind === 'local')
      return this.memory.get(Scan.localKey(p.variable, f)) ?? this.unknown(sort, 'local values before they are set');
    const spots = this.spots(p, f);
    const one = (address: number): Term => {
      const slot = this.slot(address, bitOf(p), p.type);
      if (!slot) return this.unknown(sort, 'memory that is used under two widths');
      // An age means something only against the clock.
      if (this.ages.has(slot.key)) return this.unknown(sort, 'the start of a timer used as a number');
      return this.memory.get(slot.key) ?? slot.state;
    };
    return spots
      .slice(0, -1)
      .reduceRight((rest, s) => t.ite(s.when, one(s.address), rest), one(spots[spots.length - 1]!.address));
  }

  private write(p: Place, value: Term, f: Frame): void {
    const { terms: t } = this;
    if (p.kind === 'part') {
      const base = this.read(p.base, f),
        width = isBool(p.type) ? 1 : value.sort,
        bits = isBool(p.type) ? t.ite(value, t.bits(1n, 1), t.bits(0n, 1)) : value;
      const low = p.shift ? t.concat(bits, t.extract(base, 0, p.shift)) : bits,
        above = base.sort - p.shift - width;
      this.write(p.base, above ? t.concat(t.extract(base, p.shift + width, above), low) : low, f);
      return;
    }
    if (!isScalar(p.type)) return;
    if (p.kind === 'variable' && p.variable.home.kind === 'local') {
      this.put(Scan.localKey(p.variable, f), value, t.true, sortOf(p.type));
      return;
    }
    for (const s of this.spots(p, f)) {
      const slot = this.slot(s.address, bitOf(p), p.type);
      if (!slot) continue;
      this.put(slot.key, value, s.when, slot.sort, slot);
    }
  }

  private put(key: string, value: Term, when: Term, sort: Sort, slot?: Slot, isAge = false): void {
    const { terms: t } = this,
      condition = t.and(this.live, when);
    if (condition === t.false) return;
    // Something else than the clock in a place that takes the clock: then it is no age, and unknown.
    if (!isAge && this.ages.has(key)) this.wild.add(key);
    const v = this.wild.has(key) ? this.unknown(sort, 'a timer whose start is set by hand') : value;
    this.memory.own.set(
      key,
      condition === t.true
        ? v
        : t.ite(
            condition,
            v,
            this.memory.get(key) ?? slot?.state ?? this.unknown(sort, 'local values before they are set'),
          ),
    );
  }

  /** The age that a value holds which is reckoned from the clock: NOW, or NOW less something. */
  private ageIn(c: Checked, f: Frame): Term | undefined {
    if (isClock(c)) return this.terms.bits(0n, 64);
    return this.derived &&
      c.kind === 'binary' &&
      c.op === '-' &&
      isClock(c.left) &&
      !isClock(c.right) &&
      !this.ageAt(c.right, f)
      ? this.value(c.right, f)
      : undefined;
  }
  /** The age at a place, where it is one. */
  private ageAt(c: Checked, f: Frame): Term | undefined {
    if (
      c.kind !== 'read' ||
      c.place.kind === 'part' ||
      !isScalar(c.place.type) ||
      (c.place.kind === 'variable' && c.place.variable.home.kind === 'local')
    )
      return undefined;
    const spots = this.spots(c.place, f);
    if (spots.length !== 1) return undefined;
    const slot = this.slot(spots[0]!.address, bitOf(c.place), c.place.type);
    return slot && this.ages.has(slot.key) && !this.wild.has(slot.key)
      ? (this.memory.get(slot.key) ?? slot.state)
      : undefined;
  }

  // ---- statements

  private under(condition: Term, run: () => void): void {
    this.choose([{ condition, run }]);
  }

  /** Branches of which the first whose condition holds is taken; memory afterwards is what that one left. */
  private choose(branches: readonly { readonly condition: Term; readonly run: () => void }[]): void {
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

  private statements(list: readonly CheckedStatement[], f: Frame): void {
    for (const s of list) {
      if (this.live === this.terms.false) return;
      this.statement(s, f);
    }
  }

  private statement(s: CheckedStatement, f: Frame): void {
    const { terms: t } = this;
    if (++this.statements_ > MOST_STATEMENTS) throw new OutOfReach('more than can be followed in one scan', s.at);
    switch (s.kind) {
      case 'assign':
        this.assign(s.target, s.value, f);
        return;
      case 'copy':
        this.copy(s.target, s.from, f);
        return;
      case 'evaluate':
        this.value(s.value, f);
        return;
      case 'blockCall':
        this.blockCall(s.call, f);
        return;
      case 'if': {
        // A condition is evaluated only where those before it did not hold.
        const from = (i: number): void => {
          const b = s.branches[i];
          if (!b) {
            this.statements(s.otherwise ?? [], f);
            return;
          }
          this.choose([
            { condition: this.value(b.condition, f), run: () => this.statements(b.body, f) },
            { condition: t.true, run: () => from(i + 1) },
          ]);
        };
        from(0);
        return;
      }
      case 'case': {
        const selector = this.value(s.selector, f),
          op = signedOf(s.selector.type) ? 'bvsle' : 'bvule';
        const fits = (l: { low: bigint; high: bigint }) =>
          l.low === l.high
            ? t.eq(selector, t.bits(l.low, selector.sort))
            : t.and(
                t.compare(op, t.bits(l.low, selector.sort), selector),
                t.compare(op, selector, t.bits(l.high, selector.sort)),
              );
        this.choose([
          ...s.arms.map((a) => ({ condition: t.or(...a.labels.map(fits)), run: () => this.statements(a.body, f) })),
          { condition: t.true, run: () => this.statements(s.otherwise ?? [], f) },
        ]);
        return;
      }
      case 'for':
        this.forLoop(s, f);
        return;
      case 'while':
        this.loop(
          () => this.value(s.condition, f),
          () => this.statements(s.body, f),
          () => t.false,
          s.at,
        );
        return;
      case 'repeat':
        this.loop(
          () => t.true,
          () => this.statements(s.body, f),
          () => this.value(s.until, f),
          s.at,
        );
        return;
      case 'exit': {
        const l = this.exits[this.exits.length - 1]!;
        l.exit = t.or(l.exit, this.live);
        this.live = t.false;
        return;
      }
      case 'continue': {
        const l = this.exits[this.exits.length - 1]!;
        l.again = t.or(l.again, this.live);
        this.live = t.false;
        return;
      }
      case 'return':
        this.live = t.false;
        return;
      case 'rung':
        this.statements(s.body, f);
        return;
      case 'setPower':
        this.put(`w:${f.locals}:${s.wire}`, this.value(s.value, f), t.true, 0);
        return;
      case 'probe':
        return;
      case 'inputEdge': {
        const now = this.read(s.input, f),
          was = this.read(s.memory, f);
        this.write(s.input, s.falling ? t.and(t.not(now), was) : t.and(now, t.not(was)), f);
        this.write(s.memory, now, f);
        return;
      }
      case 'edge': {
        const now = this.value(s.of, f),
          was = this.read(s.memory, f);
        this.put(`w:${f.locals}:${s.wire}`, s.falling ? t.and(t.not(now), was) : t.and(now, t.not(was)), t.true, 0);
        this.write(s.memory, now, f);
      }
    }
  }

  private assign(target: Place, value: Checked, f: Frame): void {
    if (!isScalar(target.type) && target.type.kind !== 'string') throw new OutOfReach('a reference', target.at);
    const age =
      target.kind === 'part' || !isScalar(target.type) || sizeOf(target.type) !== 8 ? undefined : this.ageIn(value, f);
    if (age && !(target.kind === 'variable' && target.variable.home.kind === 'local')) {
      for (const s of this.spots(target, f)) {
        const slot = this.slot(s.address, bitOf(target), target.type);
        if (!slot) continue;
        this.ages.add(slot.key);
        this.put(slot.key, age, s.when, slot.sort, slot, true);
      }
      return;
    }
    this.write(target, this.value(value, f), f);
  }

  /** Every scalar of a type at an offset. */
  private leaves(type: Type, offset: number, out: { type: Type; offset: number }[], at: CheckedStatement['at']): void {
    if (out.length > 5000) throw new OutOfReach('a copy of more than 5000 values', at);
    switch (type.kind) {
      case 'struct':
        for (const m of type.members) this.leaves(m.type, offset + m.offset, out, at);
        return;
      case 'block':
        for (const m of type.layout.members) this.leaves(m.type, offset + m.offset, out, at);
        return;
      case 'array': {
        const n = type.bounds.reduce((k, b) => k * (b.high - b.low + 1), 1);
        for (let i = 0; i < n; i++) this.leaves(type.element, offset + i * stride(type.element), out, at);
        return;
      }
      default:
        if (isScalar(type)) out.push({ type, offset });
    }
  }

  private copy(target: Place, from: Place | Checked, f: Frame): void {
    const { terms: t } = this,
      leaves: { type: Type; offset: number }[] = [];
    this.leaves(target.type, 0, leaves, target.at);
    const sources = isPlace(from) ? this.spots(from, f) : undefined;
    if (!sources) this.value(from as Checked, f);
    const values = leaves.map(
      (l) =>
        sources
          ?.slice(0, -1)
          .reduceRight(
            (rest, s) => t.ite(s.when, this.at(s.address + l.offset, l.type), rest),
            this.at(sources[sources.length - 1]!.address + l.offset, l.type),
          ) ?? this.unknown(sortOf(l.type), 'text and references'),
    );
    for (const s of this.spots(target, f))
      leaves.forEach((l, i) => {
        const slot = this.slot(s.address + l.offset, undefined, l.type);
        if (slot) this.put(slot.key, values[i]!, s.when, slot.sort, slot);
      });
  }
  /** A structure or array that came from a call: nothing is known of it. */
  private forget(target: Place, f: Frame): void {
    const leaves: { type: Type; offset: number }[] = [];
    this.leaves(target.type, 0, leaves, target.at);
    for (const s of this.spots(target, f))
      for (const l of leaves) {
        const slot = this.slot(s.address + l.offset, undefined, l.type);
        if (slot)
          this.put(slot.key, this.unknown(slot.sort, 'functions that give structures'), s.when, slot.sort, slot);
      }
  }
  private at(address: number, type: Type): Term {
    const slot = this.slot(address, undefined, type);
    return slot && !this.ages.has(slot.key)
      ? (this.memory.get(slot.key) ?? slot.state)
      : this.unknown(sortOf(type), 'memory that is used under two widths');
  }

  private loop(condition: () => Term, body: () => void, until: () => Term, at: CheckedStatement['at']): void {
    const { terms: t } = this,
      before = this.live;
    const left = { exit: t.false, again: t.false };
    this.exits.push(left);
    for (let n = 0; ; n++) {
      const c = condition();
      const going = t.and(this.live, c);
      if (going === t.false) break;
      if (n >= MOST_PASSES || (n > 64 && c.value === undefined))
        throw new OutOfReach('a loop whose number of passes is not known', at);
      // Those that do not go on have left at the top.
      left.exit = t.or(left.exit, t.and(this.live, t.not(c)));
      this.live = going;
      left.again = t.false;
      body();
      this.live = t.or(this.live, left.again);
      const ends = until();
      left.exit = t.or(left.exit, t.and(this.live, ends));
      this.live = t.and(this.live, t.not(ends));
    }
    this.exits.pop();
    this.live = t.and(before, t.or(this.live, left.exit));
  }

  /** FOR with limits known before the run; the variable ends at the first value past the limit (choices.md). */
  private forLoop(s: CheckedStatement & { kind: 'for' }, f: Frame): void {
    const { terms: t } = this,
      signed = signedOf(s.variable.type);
    const from = this.value(s.from, f),
      to = this.value(s.to, f),
      by = this.value(s.by, f);
    if (by.value === undefined) throw new OutOfReach('a FOR whose step is not known before the run', s.at);
    const up = !signed || BigInt.asIntN(by.sort, by.value) > 0n,
      le = signed ? 'bvsle' : 'bvule';
    this.write(s.variable, from, f);
    if (by.value === 0n) return;
    let last = t.false;
    this.loop(
      () => {
        const v = this.read(s.variable, f);
        return t.and(t.not(last), up ? t.compare(le, v, to) : t.compare(le, to, v));
      },
      () => this.statements(s.body, f),
      () => {
        const v = this.read(s.variable, f),
          left = up ? t.binary('bvsub', to, v) : t.binary('bvsub', v, to),
          step = up ? by : t.bvneg(by);
        last = t.compare('bvult', left, step);
        this.write(s.variable, t.binary('bvadd', v, by), f);
        return last;
      },
      s.at,
    );
  }

  private blockCall(call: BlockCall, f: Frame): void {
    if (call.isVirtual) throw new OutOfReach('a block whose class is known only in the run', call.instance.at);
    const pou = this.pous.get(call.type.name.toLowerCase());
    if (!pou) throw new OutOfReach(`the block '${call.type.name}'`, call.instance.at);
    const { terms: t } = this,
      self = this.spots(call.instance, f);
    if (self.length !== 1) throw new OutOfReach('an instance chosen by an index', call.instance.at);
    const base = self[0]!.address,
      references = new Map<string, Place | readonly Spot[]>();
    for (const i of call.inputs) {
      if (isPlace(i.value)) {
        const spots = this.spots(i.value, f);
        if (i.isReference) {
          references.set(`m${i.offset}`, spots);
          continue;
        }
        const leaves: { type: Type; offset: number }[] = [];
        this.leaves(i.type, 0, leaves, call.instance.at);
        for (const l of leaves) {
          const slot = this.slot(base + i.offset + l.offset, undefined, l.type);
          if (slot)
            this.put(
              slot.key,
              spots.length === 1
                ? this.at(spots[0]!.address + l.offset, l.type)
                : this.unknown(slot.sort, 'structures chosen by an index'),
              t.true,
              slot.sort,
              slot,
            );
        }
        continue;
      }
      const value = this.value(i.value, f);
      if (!isScalar(i.type)) {
        this.forget(this.fixedPlace(i.type, base + i.offset, call.instance.at), f);
        continue;
      }
      const slot = this.slot(base + i.offset, undefined, i.type);
      if (slot) this.put(slot.key, value, t.true, slot.sort, slot);
    }
    const run = () => this.body(pou, { self, locals: `${++this.calls}`, references, outer: f });
    // A block that a task runs: values are handed over only.
    if (call.asleep) this.under(t.not(this.read(call.asleep, f)), run);
    else run();
    for (const o of call.outputs) {
      if (!isScalar(o.type)) {
        this.copy(o.to, this.fixedPlace(o.type, base + o.offset, o.to.at), f);
        continue;
      }
      const v = this.at(base + o.offset, o.type);
      this.write(o.to, o.negated ? t.not(v) : v, f);
    }
  }

  /** The body of a program, block, function or method; what it leaves early it leaves alone. */
  private body(pou: CheckedPou, f: Frame): void {
    const live = this.live,
      exits = this.exits;
    this.exits = [];
    this.locals(pou, f, new Set());
    this.statements(pou.body, f);
    this.live = live;
    this.exits = exits;
    if (pou.inheritsBody && pou.base) this.body(pou.base, f);
  }

  private locals(pou: CheckedPou, f: Frame, given: ReadonlySet<Variable>): void {
    const { terms: t } = this;
    for (const v of pou.variables) {
      if (given.has(v)) continue;
      if (v.home.kind === 'local')
        this.put(
          Scan.localKey(v, f),
          this.constant(
            typeof v.initial === 'object' || v.initial === undefined ? simple(defaultValue(v.type)) : v.initial,
            v.type,
          ),
          t.true,
          sortOf(v.type),
        );
      else if (v.home.kind === 'frame' && v.section !== 'hidden') {
        const place: Place = { kind: 'variable', variable: v, type: v.type, at: v.at };
        if (v.template) {
          this.copy(place, { kind: 'variable', variable: v.template, type: v.type, at: v.at }, f);
          continue;
        }
        const leaves: { type: Type; offset: number }[] = [];
        this.leaves(v.type, 0, leaves, v.at);
        for (const l of leaves) {
          const slot = this.slot(this.where(v) + l.offset, undefined, l.type);
          if (slot)
            this.put(
              slot.key,
              l.offset === 0 && isScalar(v.type)
                ? this.constant(simple(v.initial ?? defaultValue(v.type)), v.type)
                : t.bits(0n, slot.sort),
              t.true,
              slot.sort,
              slot,
            );
        }
      }
    }
  }

  // ---- values

  private constant(value: bigint | number | boolean | string, type: Type): Term {
    const { terms: t } = this;
    if (typeof value === 'string') return this.unknown(32, 'text');
    if (isReal(type)) return t.bits(bitsOfReal(Number(value), sizeOf(type) * 8), sizeOf(type) * 8);
    return t.bits(BigInt(value), sortOf(type));
  }

  private value(c: Checked, f: Frame): Term {
    const { terms: t } = this;
    switch (c.kind) {
      case 'constant':
        return this.constant(c.value, c.type);
      case 'read':
        return this.read(c.place, f);
      case 'power':
        return this.memory.get(`w:${f.locals}:${c.wire}`) ?? t.true;
      case 'not': {
        const a = this.value(c.arg, f);
        return a.sort === 0 ? t.not(a) : t.bvnot(a);
      }
      case 'negate': {
        const a = this.value(c.arg, f);
        return isReal(c.type) ? t.apply('neg', a.sort, [a]) : t.bvneg(a);
      }
      case 'binary':
        return this.binary(c, f);
      case 'convert': {
        const v = this.convert(c, f);
        if (c.type.kind === 'subrange') this.rangeFault(c, v);
        return v;
      }
      case 'builtin':
        return this.builtin(c, f);
      case 'call':
        return this.call(c, f);
      case 'text':
        this.value(c.arg, f);
        return this.unknown(isScalar(c.type) ? sortOf(c.type) : 32, 'text');
      default:
        throw new OutOfReach('a reference', c.at);
    }
  }

  private binary(c: Checked & { kind: 'binary' }, f: Frame): Term {
    const { terms: t } = this,
      type = c.left.type;
    if (c.op === '-' && isClock(c.left)) {
      const age = this.ageAt(c.right, f);
      if (age) return age;
    }
    if (isString(type) || type.kind === 'ref' || type.kind === 'interface') {
      if (isString(type)) {
        this.value(c.left, f);
        this.value(c.right, f);
      }
      return this.unknown(0, 'text and references');
    }
    const a = this.value(c.left, f),
      b = this.value(c.right, f);
    if (isReal(type) || isReal(c.right.type)) {
      if (isReal(type) && a.sort === b.sort)
        switch (c.op) {
          case '<':
            return t.real('fp.lt', a, b);
          case '>':
            return t.real('fp.lt', b, a);
          case '<=':
            return t.real('fp.leq', a, b);
          case '>=':
            return t.real('fp.leq', b, a);
          case '=':
            return t.real('fp.eq', a, b);
          case '<>':
            return t.not(t.real('fp.eq', a, b));
        }
      // The same numbers give the same result; more is not said.
      return t.apply(`r${['+', '-', '*', '/', 'MOD', '**'].indexOf(c.op)}`, sortOf(c.type), [a, b]);
    }
    const signed = signedOf(type);
    if (a.sort === 0)
      switch (c.op) {
        case 'AND':
          return t.and(a, b);
        case 'OR':
          return t.or(a, b);
        case 'XOR':
        case '<>':
          return t.xor(a, b);
        case '=':
          return t.eq(a, b);
        case '<':
          return t.and(t.not(a), b);
        case '>':
          return t.and(a, t.not(b));
        case '<=':
          return t.implies(a, b);
        case '>=':
          return t.implies(b, a);
        default:
          return this.unknown(0, 'arithmetic of BOOL');
      }
    if (a.sort !== b.sort) {
      if (c.op === '/') this.fault('DIVISION', c.at, this.unknown(0, 'operands of different widths'));
      return this.unknown(sortOf(c.type), 'operands of different widths');
    }
    const [lt, le] = signed ? (['bvslt', 'bvsle'] as const) : (['bvult', 'bvule'] as const);
    switch (c.op) {
      case '+':
        return t.binary('bvadd', a, b);
      case '-':
        return t.binary('bvsub', a, b);
      case '*':
        return t.binary('bvmul', a, b);
      case '/':
        this.fault('DIVISION', c.at, t.eq(b, t.bits(0n, b.sort)));
        return t.binary(signed ? 'bvsdiv' : 'bvudiv', a, b);
      case 'MOD':
        return t.ite(t.eq(b, t.bits(0n, b.sort)), t.bits(0n, a.sort), t.binary(signed ? 'bvsrem' : 'bvurem', a, b));
      case 'AND':
        return t.binary('bvand', a, b);
      case 'OR':
        return t.binary('bvor', a, b);
      case 'XOR':
        return t.binary('bvxor', a, b);
      case '=':
        return t.eq(a, b);
      case '<>':
        return t.not(t.eq(a, b));
      case '<':
        return t.compare(lt, a, b);
      case '>':
        return t.compare(lt, b, a);
      case '<=':
        return t.compare(le, a, b);
      case '>=':
        return t.compare(le, b, a);
      default:
        return this.unknown(sortOf(c.type), `the operation ${c.op}`);
    }
  }

  private convert(c: Checked & { kind: 'convert' }, f: Frame): Term {
    const { terms: t } = this,
      from = c.arg.type,
      to = c.type,
      a = this.value(c.arg, f);
    if (!isScalar(from) || !isScalar(to)) return this.unknown(isScalar(to) ? sortOf(to) : 32, 'text');
    if (isReal(from) || isReal(to))
      return sortOf(from) === sortOf(to) && isReal(from) && isReal(to)
        ? a
        : t.apply(`c${baseOf(from)}${baseOf(to)}${c.truncate ? 't' : ''}`, sortOf(to), [a]);
    const [x, y] = [baseOf(from)!, baseOf(to)!],
      isDuration = (n: string) => n === 'TIME' || n === 'LTIME',
      isDay = (n: string) => !isDuration(n) && ['DATE', 'LDATE', 'TOD', 'LTOD', 'DT', 'LDT'].includes(n);
    const wide = a.sort === 0 ? t.ite(a, t.bits(1n, 64), t.bits(0n, 64)) : t.resize(a, 64, signedOf(from));
    if (isDuration(x) !== isDuration(y) && !isDay(x) && !isDay(y)) {
      // Durations count in milliseconds for whole numbers.
      const ms = t.bits(1_000_000n, 64),
        v = isDuration(x) ? t.binary('bvsdiv', a, ms) : t.binary('bvmul', wide, ms);
      return isBool(to) ? t.not(t.eq(t.extract(v, 0, 1), t.bits(0n, 1))) : t.resize(v, sortOf(to), false);
    }
    if (isBool(to)) return a.sort === 0 ? a : t.eq(t.extract(a, 0, 1), t.bits(1n, 1));
    return a.sort === 0 ? t.resize(wide, sortOf(to), false) : t.resize(a, sortOf(to), signedOf(from));
  }

  private rangeFault(c: Checked & { kind: 'convert' }, v: Term): void {
    if (c.type.kind !== 'subrange') return;
    const { terms: t } = this,
      { low, high } = c.type,
      le = signedOf(c.type) ? 'bvsle' : 'bvule';
    const inside = t.and(t.compare(le, t.bits(low, v.sort), v), t.compare(le, v, t.bits(high, v.sort)));
    this.fault('RANGE', c.at, t.not(inside));
  }

  private builtin(c: Checked & { kind: 'builtin' }, f: Frame): Term {
    const { terms: t } = this,
      sort = isScalar(c.type) ? sortOf(c.type) : 32;
    if (c.name === 'NOW') return this.unknown(64, 'the clock used as a number');
    if (c.name === 'STEP_NS') return t.bits(this.options.stepNs, 64);
    const args = c.args.map((a) => this.value(a, f));
    const isWhole = isScalar(c.type) && !isReal(c.type),
      [a, b] = args as [Term, Term];
    const le = signedOf(c.type) ? 'bvsle' : 'bvule';
    switch (c.name) {
      case 'ABS':
        if (isWhole) return signedOf(c.type) ? t.ite(t.compare('bvslt', a, t.bits(0n, sort)), t.bvneg(a), a) : a;
        break;
      case 'MIN':
        if (isWhole && sort) return t.ite(t.compare(le, a, b), a, b);
        break;
      case 'MAX':
        if (isWhole && sort) return t.ite(t.compare(le, b, a), a, b);
        break;
      case 'SEL':
        if (isScalar(c.type)) return t.ite(a, args[2]!, b);
        break;
      case 'MUX':
        if (isScalar(c.type)) {
          const inputs = args.slice(1);
          return inputs
            .slice(0, -1)
            .reduceRight(
              (rest, x, i) => t.ite(t.eq(a, t.bits(BigInt(i), a.sort)), x, rest),
              inputs[inputs.length - 1]!,
            );
        }
        break;
      case 'SHL':
      case 'SHR':
        if (isWhole && b.value !== undefined)
          return b.value >= BigInt(sort)
            ? t.bits(0n, sort)
            : t.binary(c.name === 'SHL' ? 'bvshl' : 'bvlshr', a, t.bits(b.value, sort));
        break;
      case 'ROL':
      case 'ROR':
        if (isWhole && b.value !== undefined) {
          const n = Number(b.value % BigInt(sort)),
            left = c.name === 'ROL' ? n : (sort - n) % sort;
          return left === 0 ? a : t.concat(t.extract(a, 0, sort - left), t.extract(a, sort - left, left));
        }
    }
    // Pure functions of numbers; of text nothing is known.
    return isScalar(c.type) && c.args.every((x) => isScalar(x.type))
      ? t.apply(`b${c.name}`, sort, args)
      : this.unknown(sort, `the function ${c.name}`);
  }

  private call(c: Checked & { kind: 'call' }, f: Frame): Term {
    const { call } = c,
      { pou } = call;
    if (call.isVirtual) throw new OutOfReach('a method whose class is known only in the run', c.at);
    const self = !call.self ? [] : call.self.kind === 'address' ? this.spots(call.self.place, f) : undefined;
    if (!self) throw new OutOfReach('an instance known only in the run', c.at);
    const parameters = pou.variables.filter(
      (v) => v.section === 'input' || v.section === 'inout' || v.section === 'bound',
    );
    const inner: Frame = { self, locals: `${++this.calls}`, references: new Map(), outer: f };
    const values = call.inputs.map((x) => (isPlace(x) ? undefined : this.value(x, f)));
    call.inputs.forEach((x, i) => {
      const v = parameters[i];
      if (!v) return;
      if (isPlace(x)) {
        if (v.home.kind === 'frame')
          this.copy({ kind: 'variable', variable: v, type: v.type, at: v.at }, this.asPlace(x, f), inner);
        else inner.references.set(referenceKey(v), this.spots(x, f));
      } else if (v.home.kind === 'local')
        this.put(Scan.localKey(v, inner), values[i]!, this.terms.true, sortOf(v.type));
      else if (v.home.kind === 'frame') {
        const place: Place = { kind: 'variable', variable: v, type: v.type, at: v.at };
        if (isScalar(v.type)) this.write(place, values[i]!, inner);
        else this.forget(place, inner);
      }
    });
    const live = this.live,
      exits = this.exits;
    this.exits = [];
    this.locals(pou, inner, new Set(parameters));
    this.statements(pou.body, inner);
    this.live = live;
    this.exits = exits;
    for (const o of call.outputs) {
      const from: Place = { kind: 'variable', variable: o.from, type: o.from.type, at: o.to.at };
      if (!isScalar(o.from.type)) {
        this.copy(o.to, this.asPlace(from, inner), f);
        continue;
      }
      const v = this.read(from, inner);
      this.write(o.to, o.negated ? this.terms.not(v) : v, f);
    }
    return pou.result && isScalar(pou.result.type)
      ? this.read({ kind: 'variable', variable: pou.result, type: pou.result.type, at: c.at }, inner)
      : this.unknown(32, 'functions that give structures or text');
  }

  /** A place of the caller under a fixed address, so that the callee can name it. */
  private asPlace(p: Place, f: Frame): Place {
    const spots = this.spots(p, f);
    if (spots.length !== 1) throw new OutOfReach('a structure chosen by an index', p.at);
    return this.fixedPlace(p.type, spots[0]!.address, p.at);
  }

  private fixedPlace(type: Type, address: number, at: Span): Place {
    const variable: Variable = {
      name: '',
      type,
      section: 'global',
      at,
      isConstant: false,
      isRetained: false,
      home: { kind: 'global' },
    };
    this.fixed.set(variable, address);
    return { kind: 'variable', type, at, variable };
  }
}

/**
 * Words for what terms do not follow: unknowns by their reason, functions of which only equality is known by their
 * name.
 */
function vagueIn(roots: readonly Term[], reasons: ReadonlyMap<string, string>): readonly string[] {
  const found = new Set<string>(),
    seen = new Set<Term>(),
    stack = [...roots];
  while (stack.length) {
    const t = stack.pop()!;
    if (seen.has(t)) continue;
    seen.add(t);
    stack.push(...t.args);
    if (t.op === 'apply')
      found.add(
        t.name!.startsWith('b')
          ? `the function ${t.name!.slice(1)}`
          : t.name!.startsWith('c')
            ? 'conversions of REAL'
            : 'arithmetic of REAL',
      );
    const why = t.op === 'var' ? reasons.get(t.name!) : undefined;
    if (why !== undefined && why !== OUTSIDE) found.add(why);
  }
  return [...found];
}
const OUTSIDE = 'what comes from outside';

const NOWHERE: CheckedStatement['at'] = {
  source: { name: '', text: '', origin: { kind: 'library' } },
  start: 0,
  end: 0,
};
const isSpots = (x: Place | readonly Spot[]): x is readonly Spot[] => Array.isArray(x);
/** In-out parameters of a block are known by where their address is kept, those of a function by their name. */
const referenceKey = (v: Variable): string =>
  v.home.kind === 'reference' || v.home.kind === 'instance' ? `m${v.home.offset}` : v.name.toLowerCase();
const bitOf = (p: Place): number | undefined =>
  p.kind === 'variable' && p.variable.home.kind === 'global' ? p.variable.address?.bit : undefined;
const simple = (v: ReturnType<typeof defaultValue>): bigint | number | boolean | string =>
  typeof v === 'object' ? 0n : v;

/** What memory holds for a slot, as unsigned bits. */
export function bitsAt(memory: Uint8Array, s: Slot): bigint {
  if (s.address < 0) return 0n;
  if (s.bit !== undefined) return BigInt((memory[s.address]! >> s.bit) & 1);
  let v = 0n;
  for (let i = s.bytes - 1; i >= 0; i--) v = (v << 8n) | BigInt(memory[s.address + i]!);
  return s.sort === 0 ? (v ? 1n : 0n) : v;
}
const initialOf = (initial: Uint8Array, s: Slot): bigint => bitsAt(initial, s);
