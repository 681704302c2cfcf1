/**
 * One scan of the logic as formulas: what every place in memory holds after it, from what it held before and from the
 * inputs; made from the intermediate representation, as code is. Where it cannot follow (text, arithmetic of reals, a computed
 * address) it says "anything": what is then proved holds all the more for what the program really does.
 *
 * Time is kept as an age. A place that takes the clock (`Since := NOW`) holds how long ago that was: 0 when it is
 * taken, a scan more at the end of each scan. So no clock runs through the states, and a proof covers every moment.
 * Ages stop at
 * 2^61 ns (73 years).
 */
import {
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type Variable,
  type Where,
  fixedAddress,
} from '../../checked/tree.js';
import type { FaultKind, Image, ImageTask } from '../../compile/image.js';
import { layOut } from '../../compile/layout.js';
import { ProgramFacts, lowerLoose, lowerPou } from '../../ir/lower.js';
import type { Place, Statement, Unit, Value } from '../../ir/tree.js';
import { usedTemps } from '../../ir/walk.js';
import type { Span } from '../../language/source.js';
import { retainedPlaces } from '../../runtime/transfer.js';
import {
  type Constant,
  type Type,
  defaultValue,
  elementCount,
  isBool,
  isReal,
  isScalar,
  sizeOf,
  stride,
} from '../../types/type.js';
import { SOLVER, sortOf as widthOf } from './operations.js';
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
  readonly at: Span;
  readonly when: Term;
}

/** Ages go no further: 2^61 ns. */
export const OLDEST = 1n << 61n;
const MOST_STATEMENTS = 600_000,
  MOST_PASSES = 1000,
  MOST_ELEMENTS = 256;

const sortOf = (t: Type): Sort => (isBool(t) ? 0 : sizeOf(t) * 8);
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

/**
 * One way that a place may be, where an index is computed: an address in the state, or in memory of its own (`space`)
 * for what is on its way.
 */
interface Spot {
  readonly when: Term;
  readonly address: number;
  readonly space?: string;
}
/** What a spot is known by, and its slot where it lies in the state. */
interface Cell {
  readonly key: string;
  readonly sort: Sort;
  readonly slot?: Slot;
}
/** The unit at hand: where its memory is, and what keeps its values apart from those of other calls. */
interface Frame {
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
interface Loop {
  readonly label: number;
  exit: Term;
  again: Term;
  /** Its end depends on what is not known before the run. */
  isOpen: boolean;
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
  private readonly facts: ProgramFacts;
  private readonly units = new Map<CheckedPou, { readonly unit: Unit; readonly used: ReadonlySet<number> }>();
  /** Conditions under which the bodies of the loops at hand were left. */
  private loops: Loop[] = [];
  /** Addresses that the next call of a block is given for its in-out parameters. */
  private handed = new Map<number, readonly Spot[]>();
  /** What is being followed, for whoever is told where it cannot be. */
  private here: Span = NOWHERE;
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
    this.facts = new ProgramFacts(program);
    this.where = layOut(program).where;
  }
  private readonly where: Where;

  run(conditions: readonly Checked[]): ScanSystem {
    const { terms: t, image, options } = this;
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
      this.leaves(s.type, 0, leaves);
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
        this.body(block.pou, [{ when: t.true, address: fixedAddress(block.place, this.where) }], new Map());
        return;
      }
      const instance = this.program.instances[n]!;
      if (instance.name === options.without) return;
      this.loose(lowerLoose(this.facts, instance.before));
      const address = this.where(this.program.instanceVariables[n]!);
      this.body(instance.pou, [{ when: t.true, address }], new Map());
      this.loose(lowerLoose(this.facts, instance.after));
    };
    for (const i of order) {
      const task = image.tasks[i]!;
      this.under(this.isDue(task, i, steps), () => {
        for (const n of task.programs) run(n);
      });
    }
    for (const n of image.free) run(n);
    const after = this.memory;
    this.scanned = true;
    // Conditions read the state as it is between two scans.
    this.memory = new Memory();
    const asked = conditions.map((c) => this.condition(c));
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
      now = this.condition(event),
      rise = t.and(now, t.not(was.state));
    steps.set(was.key, { initial: 0n, next: now });
    return interval === 0n ? rise : t.ite(now, rise, raster);
  }

  /** The scan ends here where `when` holds. */
  private fault(kind: FaultKind, at: Span, when: Term): void {
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

  private cell(s: Spot, p: { readonly type: Type; readonly bit?: number | undefined }): Cell | undefined {
    const sort = sortOf(p.type);
    if (s.space !== undefined) return { key: `${s.space} ${s.address}`, sort };
    const slot = this.slot(s.address, p.bit, p.type);
    return slot && { key: slot.key, sort, slot };
  }

  private outOfReach(what: string): OutOfReach {
    return new OutOfReach(what, this.here);
  }

  /** Where a place lies: one address, or several of which an index chooses. */
  private spots(p: Place, f: Frame): readonly Spot[] {
    let list = this.rootSpots(p, f);
    for (const step of p.steps)
      if (step.kind === 'member') list = list.map((s) => ({ ...s, address: s.address + step.offset }));
      else list = this.elements(step, list, f);
    return list;
  }
  private rootSpots(p: Place, f: Frame): readonly Spot[] {
    const { terms: t } = this,
      { root } = p;
    switch (root.kind) {
      case 'tag':
        return [{ when: t.true, address: this.where(root.variable) }];
      case 'local':
        if (root.variable.home.kind === 'frame') return [{ when: t.true, address: this.where(root.variable) }];
        return [{ when: t.true, address: 0, space: `l:${f.id}:${root.variable.name}` }];
      case 'given': {
        const known = f.given.get(root.variable);
        if (!known) throw this.outOfReach('an in-out parameter that is not connected');
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
  private pointer(v: Value, f: Frame): readonly Spot[] {
    if (v.kind === 'address') return this.spots(v.place, f);
    if (v.kind === 'temp') {
      const known = f.pointers.get(v.temp);
      if (known) return known;
    }
    if (v.kind === 'op' && v.op === 'select') {
      const [condition, on, off] = v.args as [Value, Value, Value],
        is = this.value(condition, f),
        among = (when: Term, of: Value): Spot[] =>
          when === this.terms.false
            ? []
            : this.pointer(of, f).map((s) => ({ ...s, when: this.terms.and(when, s.when) }));
      return [...among(is, on), ...among(this.terms.not(is), off)];
    }
    if (v.kind === 'load' && isInOut(v.place)) {
      const [spot, ...more] = this.spots(v.place, f),
        known = spot && !more.length && spot.space === undefined ? f.references.get(spot.address) : undefined;
      if (!known) throw this.outOfReach('an in-out parameter that is not connected');
      return known;
    }
    throw this.outOfReach('a reference');
  }

  /** The elements that an index may choose; it lies inside, which was looked at before. */
  private elements(
    step: Place['steps'][number] & { readonly kind: 'element' },
    bases: readonly Spot[],
    f: Frame,
  ): readonly Spot[] {
    const { terms: t } = this,
      { array } = step;
    if (array.open) throw this.outOfReach('an array of any length');
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
        throw this.outOfReach(`a computed index into ${count * ways.length * bases.length} elements`);
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

  private read(p: Place, f: Frame): Term {
    const { terms: t } = this,
      sort = sortOf(p.type),
      seen = { type: p.type, bit: bitOf(p) };
    const one = (s: Spot): Term => {
      const cell = this.cell(s, seen);
      if (!cell) return this.unknown(sort, 'memory that is used under two widths');
      // An age means something only against the clock.
      if (this.ages.has(cell.key)) return this.unknown(sort, 'the start of a timer used as a number');
      return this.memory.get(cell.key) ?? cell.slot?.state ?? this.unknown(sort, UNSET);
    };
    const spots = this.spots(p, f);
    return spots.slice(0, -1).reduceRight((rest, s) => t.ite(s.when, one(s), rest), one(spots[spots.length - 1]!));
  }

  private put(cell: Cell, value: Term, when: Term, isAge = false): void {
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

  private isClock(v: Value, f: Frame): boolean {
    return (v.kind === 'clock' && v.what === 'now') || (v.kind === 'temp' && f.clocks.has(v.temp));
  }
  /** The age that a value holds which is reckoned from the clock: NOW, or NOW less something. */
  private ageIn(v: Value, f: Frame): Term | undefined {
    if (this.isClock(v, f)) return this.terms.bits(0n, 64);
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
    const cell = this.cell(spot, { type: v.place.type, bit: bitOf(v.place) });
    return cell?.slot && this.ages.has(cell.key) && !this.wild.has(cell.key)
      ? (this.memory.get(cell.key) ?? cell.slot.state)
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

  private statements(list: readonly Statement[], f: Frame): void {
    for (const s of list) {
      if (this.live === this.terms.false) return;
      this.statement(s, f);
    }
  }

  private statement(s: Statement, f: Frame): void {
    const { terms: t } = this;
    if ('at' in s) this.here = s.at;
    if (++this.statements_ > MOST_STATEMENTS) throw this.outOfReach('more than can be followed in one scan');
    switch (s.kind) {
      case 'let':
        if (!f.used.has(s.temp)) return;
        if (s.value.type === 'pointer') f.pointers.set(s.temp, this.pointer(s.value, f));
        else if (this.isClock(s.value, f)) f.clocks.add(s.temp);
        else f.temps.set(s.temp, this.value(s.value, f));
        return;
      case 'store':
        this.store(s.place, s.value, f);
        return;
      case 'copy':
        this.copy(s.to.type, this.spots(s.to, f), this.spots(s.from, f));
        return;
      case 'fault':
        // What an address leads to is known here, or cannot be followed at all.
        if (s.fault !== 'NULL') this.fault(s.fault, s.at, this.value(s.when, f));
        else if (!leadsSomewhere(s.when, f)) throw this.outOfReach('a reference');
        return;
      case 'call':
        this.call(s, f);
        return;
      case 'if': {
        const condition = this.value(s.condition, f);
        const [only, ...more] = s.then;
        if (only?.kind === 'leave' && !more.length && condition.value === undefined) {
          const loop = this.loops.find((l) => l.label === only.label);
          if (loop && this.isAtEnd) loop.isOpen = true;
        }
        this.choose([
          { condition, run: () => this.statements(s.then, f) },
          { condition: t.true, run: () => this.statements(s.otherwise, f) },
        ]);
        return;
      }
      case 'loop':
        this.loop(s, f);
        return;
      case 'leave':
      case 'next': {
        const loop = this.loops.find((l) => l.label === s.label)!;
        if (s.kind === 'leave') loop.exit = t.or(loop.exit, this.live);
        else loop.again = t.or(loop.again, this.live);
        this.live = t.false;
        return;
      }
      case 'return':
        this.live = t.false;
        return;
      // Where something comes from, text, and what only those who watch look at.
      case 'note':
      case 'room':
      case 'text':
      case 'probe':
      case 'rungEnd':
      case 'taken':
        return;
    }
  }

  private store(place: Place, value: Value, f: Frame): void {
    if (value.type === 'pointer') {
      const [spot, ...more] = isInOut(place) ? this.spots(place, f) : [];
      if (!spot) throw this.outOfReach('a reference');
      if (more.length || spot.space !== undefined) throw this.outOfReach('an instance chosen by an index');
      this.handed.set(spot.address, this.pointer(value, f));
      return;
    }
    const isLocal = place.root.kind === 'local' && place.root.variable.home.kind === 'local';
    const age = value.type === 'time' && !isLocal ? this.ageIn(value, f) : undefined,
      term = age ?? this.value(value, f);
    for (const s of this.spots(place, f)) {
      const cell = this.cell(s, { type: place.type, bit: bitOf(place) });
      if (!cell) continue;
      const isAge = age !== undefined && cell.slot !== undefined;
      if (isAge) this.ages.add(cell.key);
      this.put(cell, age !== undefined && !isAge ? this.unknown(64, CLOCK) : term, s.when, isAge);
    }
  }

  /** Every scalar of a type at an offset. */
  private leaves(type: Type, offset: number, out: { type: Type; offset: number }[]): void {
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
  private copy(type: Type, to: readonly Spot[], from: readonly Spot[]): void {
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

  /** What follows decides whether a loop goes on. */
  private isAtEnd = false;
  private loop(s: Statement & { readonly kind: 'loop' }, f: Frame): void {
    const { terms: t } = this,
      before = this.live,
      outer = this.isAtEnd;
    const loop: Loop = { label: s.label, exit: t.false, again: t.false, isOpen: false };
    this.loops.push(loop);
    const end = (list: readonly Statement[]): void => {
      this.isAtEnd = true;
      this.statements(list, f);
      this.isAtEnd = false;
    };
    /** What the rest does is followed as if nobody had left, so that a count stays a number. */
    const amongThose = (rest: () => void): void => {
      const going = this.live,
        left = loop.exit;
      loop.exit = t.false;
      this.choose([
        {
          condition: going,
          run: () => {
            this.live = t.true;
            rest();
          },
        },
        { condition: t.true, run: () => (this.live = t.false) },
      ]);
      loop.exit = t.or(left, t.and(going, loop.exit));
    };
    const passes = (first: number): void => {
      for (let n = first; ; n++) {
        end(s.head);
        if (this.live === t.false) return;
        if (n >= MOST_PASSES || (n > 64 && loop.isOpen)) {
          this.here = s.at;
          throw this.outOfReach('a loop whose number of passes is not known');
        }
        const start = this.live;
        loop.again = t.false;
        this.statements(s.body, f);
        this.live = t.or(this.live, loop.again);
        if (this.live === t.false) return;
        if (this.live !== start) {
          amongThose(() => {
            end(s.tail);
            if (this.live !== t.false) passes(n + 1);
          });
          return;
        }
        end(s.tail);
        if (this.live === t.false) return;
      }
    };
    passes(0);
    this.isAtEnd = outer;
    this.loops.pop();
    this.live = t.and(before, t.or(this.live, loop.exit));
  }

  private unitOf(pou: CheckedPou): { readonly unit: Unit; readonly used: ReadonlySet<number> } {
    let known = this.units.get(pou);
    if (!known) {
      const unit = lowerPou(this.facts, pou);
      this.units.set(pou, (known = { unit, used: usedTemps(unit.body) }));
    }
    return known;
  }
  private frame(
    self: readonly Spot[],
    used: ReadonlySet<number>,
    rest: Partial<Pick<Frame, 'given' | 'references'>> = {},
  ): Frame {
    return {
      self,
      id: `${++this.calls}`,
      given: rest.given ?? new Map(),
      references: rest.references ?? new Map(),
      temps: new Map(),
      pointers: new Map(),
      clocks: new Set(),
      used,
    };
  }
  /** Statements that belong to no unit, and the value that comes with them. */
  private loose(l: { readonly body: readonly Statement[]; readonly value?: Value }): Term | undefined {
    const f = this.frame([], usedTemps(l.body, l.value));
    this.statements(l.body, f);
    return l.value && this.value(l.value, f);
  }
  private condition(c: Checked): Term {
    this.here = c.at;
    return this.loose(lowerLoose(this.facts, [], c))!;
  }

  /** The body of a program, block, function or method; what it leaves early it leaves alone. */
  private body(
    pou: CheckedPou,
    self: readonly Spot[],
    references: Frame['references'],
    given?: Frame['given'],
    before?: (f: Frame) => ReadonlySet<Variable>,
  ): Frame {
    const { live, loops, isAtEnd } = this,
      { unit, used } = this.unitOf(pou);
    this.loops = [];
    this.isAtEnd = false;
    const f = this.frame(self, used, { references, ...(given ? { given } : {}) });
    this.locals(pou, f, before?.(f) ?? new Set());
    this.statements(unit.body, f);
    this.live = live;
    this.loops = loops;
    this.isAtEnd = isAtEnd;
    if (pou.inheritsBody && pou.base) this.body(pou.base, self, references);
    return f;
  }

  private ownSpots(v: Variable, f: Frame): readonly Spot[] {
    return this.spots({ root: { kind: 'local', variable: v }, rootType: v.type, steps: [], type: v.type }, f);
  }
  private locals(pou: CheckedPou, f: Frame, given: ReadonlySet<Variable>): void {
    const { terms: t } = this;
    for (const v of pou.variables) {
      if (given.has(v) || v.section === 'hidden' || (v.home.kind !== 'local' && v.home.kind !== 'frame')) continue;
      const spots = this.ownSpots(v, f);
      if (v.template) {
        this.copy(v.type, spots, [{ when: t.true, address: this.where(v.template) }]);
        continue;
      }
      const leaves: { type: Type; offset: number }[] = [];
      this.leaves(v.type, 0, leaves);
      for (const l of leaves)
        for (const s of spots) {
          const cell = this.cell({ ...s, address: s.address + l.offset }, l);
          const value = isScalar(v.type) ? this.constant(v.initial ?? defaultValue(v.type), v.type) : undefined;
          if (cell) this.put(cell, value ?? t.bits(0n, cell.sort), t.true);
        }
    }
  }

  private call(s: Statement & { readonly kind: 'call' }, f: Frame): void {
    const { pou } = s,
      isBlock = pou.pou !== 'FUNCTION' && pou.pou !== 'METHOD';
    if (s.isVirtual) throw this.outOfReach(`a ${isBlock ? 'block' : 'method'} whose class is known only in the run`);
    const self = s.self ? this.pointer(s.self, f) : [];
    if (isBlock && self.length !== 1) throw this.outOfReach('an instance chosen by an index');
    const references = this.handed;
    this.handed = new Map();
    const values = s.args.map((a) => ({
      variable: a.variable,
      spots: a.value.type === 'pointer' ? this.pointer(a.value, f) : [],
      term: a.value.type === 'pointer' ? undefined : this.value(a.value, f),
    }));
    const given = new Map(
      values.flatMap(({ variable, spots }) =>
        variable.home.kind === 'localReference' ? [[variable, spots] as const] : [],
      ),
    );
    const inner = this.body(pou, self, references, given, (own) => {
      for (const { variable, spots, term } of values) {
        if (variable.home.kind === 'localReference') continue;
        const to = this.ownSpots(variable, own);
        if (!term) this.copy(variable.type, to, spots);
        else
          for (const spot of to) {
            const cell = this.cell(spot, variable);
            if (cell) this.put(cell, term, this.terms.true);
          }
      }
      return new Set(values.map((x) => x.variable));
    });
    for (const o of s.outputs) this.copy(o.variable.type, this.roomSpots(o.room, f), this.ownSpots(o.variable, inner));
    const { result } = pou;
    if (!s.result || !result) return;
    const from = this.ownSpots(result, inner);
    if ('room' in s.result) this.copy(result.type, this.roomSpots(s.result.room, f), from);
    else if (isScalar(result.type)) {
      const place: Place = {
        root: { kind: 'local', variable: result },
        rootType: result.type,
        steps: [],
        type: result.type,
      };
      f.temps.set(s.result.temp, this.read(place, inner));
    }
  }
  private roomSpots(room: number, f: Frame): readonly Spot[] {
    return [{ when: this.terms.true, address: 0, space: `r:${f.id}:${room}` }];
  }

  // ---- values

  private constant(value: Constant, type: Type): Term {
    const { terms: t } = this;
    if (typeof value === 'string' || typeof value === 'object') return this.unknown(sortOf(type), 'text');
    if (isReal(type)) return t.bits(bitsOfReal(Number(value), sizeOf(type) * 8), sizeOf(type) * 8);
    return t.bits(BigInt(value), sortOf(type));
  }

  private value(v: Value, f: Frame): Term {
    const { terms: t } = this,
      sort = widthOf(v.type);
    switch (v.kind) {
      case 'constant':
        return v.type === 'f32' || v.type === 'f64'
          ? t.bits(bitsOfReal(Number(v.value), sort), sort)
          : t.bits(BigInt(v.value), sort);
      case 'temp':
        if (f.clocks.has(v.temp)) return this.unknown(64, CLOCK);
        return f.temps.get(v.temp) ?? this.unknown(sort, 'text');
      case 'load':
        return isScalar(v.place.type) ? this.read(v.place, f) : this.unknown(sort, 'a reference');
      case 'op':
        return this.operation(v, f);
      case 'clock':
        return v.what === 'step' ? t.bits(this.options.stepNs, 64) : this.unknown(64, CLOCK);
      case 'address':
      case 'null':
        return this.unknown(sort, 'text');
    }
  }
  private operation(v: Value & { readonly kind: 'op' }, f: Frame): Term {
    const { terms: t } = this,
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
      (sort, why) => this.unknown(sort, why),
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
/** A parameter of a block that is handed over by its address. */
const isInOut = (p: Place): boolean => {
  const step = p.steps[p.steps.length - 1];
  return (
    step?.kind === 'member' &&
    step.of.kind === 'block' &&
    step.of.layout.members.some((m) => m.offset === step.offset && m.section === 'inout')
  );
};
/** Whether the address that is compared with NULL is known to lead somewhere. */
const leadsSomewhere = (when: Value, f: Frame): boolean => {
  const pointer = when.kind === 'op' ? when.args[0] : undefined;
  return pointer?.kind === 'address' || (pointer?.kind === 'temp' && f.pointers.has(pointer.temp));
};

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
          ? `the function ${t.name!.slice(1).replace(/!.*/, '')}`
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

const CLOCK = 'the clock used as a number',
  UNSET = 'local values before they are set';

const NOWHERE: Span = { source: { name: '', text: '', origin: { kind: 'library' } }, start: 0, end: 0 };
const bitOf = (p: Place): number | undefined =>
  p.root.kind === 'tag' && !p.steps.length ? p.root.variable.address?.bit : undefined;

/** What memory holds for a slot, as unsigned bits. */
export function bitsAt(memory: Uint8Array, s: Slot): bigint {
  if (s.address < 0) return 0n;
  if (s.bit !== undefined) return BigInt((memory[s.address]! >> s.bit) & 1);
  let v = 0n;
  for (let i = s.bytes - 1; i >= 0; i--) v = (v << 8n) | BigInt(memory[s.address + i]!);
  return s.sort === 0 ? (v ? 1n : 0n) : v;
}
const initialOf = (initial: Uint8Array, s: Slot): bigint => bitsAt(initial, s);
