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
import type { Image, ImageTask } from '../../compile/image.js';
import { layOut } from '../../compile/layout.js';
import { ProgramFacts, lowerLoose, lowerPou } from '../../ir/lower.js';
import type { Place, Statement, Unit, Value } from '../../ir/tree.js';
import { usedTemps } from '../../ir/walk.js';
import { retainedPlaces } from '../../runtime/transfer.js';
import { type Type, defaultValue, isScalar } from '../../types/type.js';
import { CLOCK, type FaultSite, Memory, OUTSIDE, type Slot, type Spot, State } from './state.js';
import type { Term, Terms } from './term.js';
import { type Frame, Values, bitOf, isInOut } from './values.js';

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
/** Ages go no further: 2^61 ns. */
export const OLDEST = 1n << 61n;
const MOST_STATEMENTS = 600_000,
  MOST_PASSES = 1000;

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
  private readonly state: State;
  private readonly values: Values;
  private readonly where: Where;

  private calls = 0;
  private statements_ = 0;
  private readonly facts: ProgramFacts;
  private readonly units = new Map<CheckedPou, { readonly unit: Unit; readonly used: ReadonlySet<number> }>();
  /** Conditions under which the bodies of the loops at hand were left. */
  private loops: Loop[] = [];
  /** Addresses that the next call of a block is given for its in-out parameters. */
  private handed = new Map<number, readonly Spot[]>();

  constructor(
    private readonly program: CheckedProgram,
    private readonly image: Image,
    private readonly options: ScanOptions,
    blurred: Set<number>,
    ages: Set<string>,
    wild: Set<string>,
    derived: boolean,
  ) {
    this.facts = new ProgramFacts(program);
    this.where = layOut(program).where;
    this.state = new State(image, blurred, ages, wild);
    this.values = new Values(this.state, this.where, options.stepNs, derived);
  }

  run(conditions: readonly Checked[]): ScanSystem {
    const { options } = this,
      { terms: t } = this.state,
      { image } = this;
    // Inputs come from outside.
    for (const s of image.symbols.values()) {
      if (
        s.isView ||
        (s.section !== 'input' && !options.driven.some((d) => d.address === s.address && d.bit === s.bit))
      )
        continue;
      if (isScalar(s.type)) {
        this.state.input(this.state.slot(s.address, s.bit, s.type));
        continue;
      }
      const leaves: { type: Type; offset: number }[] = [];
      this.state.leaves(s.type, 0, leaves);
      for (const l of leaves) this.state.input(this.state.slot(s.address + l.offset, undefined, l.type));
    }
    // A member of a tag says its type.
    for (const d of options.driven)
      if (d.type && isScalar(d.type)) this.state.input(this.state.slot(d.address, d.bit, d.type));
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
      this.state.under(this.isDue(task, i, steps), () => {
        for (const n of task.programs) run(n);
      });
    }
    for (const n of image.free) run(n);
    const after = this.state.memory;
    this.state.scanned = true;
    // Conditions read the state as it is between two scans.
    this.state.memory = new Memory();
    const asked = conditions.map((c) => this.condition(c));
    const isOutside = (s: Slot) => options.outside.some((o) => s.address >= o.from && s.address < o.to);
    const retained = retainedPlaces(image),
      { I } = image.areas,
      isInput = (s: Slot) => s.address >= I.start && s.address < I.start + I.size;
    const nexts = new Map([...steps].map(([key, x]) => [key, x.next]));
    return {
      terms: t,
      slots: this.state.slots,
      inputs: this.state.inputs,
      conditions: asked,
      ages: this.state.ages,
      faults: this.state.faults,
      vagueIn: (roots) => vagueIn(roots, this.state.vague),
      isRetained: (s) =>
        retained.some((r) => s.address >= r.from && s.address < r.to && (r.bit === undefined || s.bit === r.bit)),
      initial: (s) => steps.get(s.key)?.initial ?? (this.state.ages.has(s.key) ? 0n : initialOf(image.initial, s)),
      next: (s) => {
        const known = nexts.get(s.key);
        if (known) return known;
        let value = after.get(s.key) ?? (isOutside(s) || isInput(s) ? this.state.unknown(s.sort, OUTSIDE) : s.state);
        if (this.state.ages.has(s.key))
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

  /** Whether a task runs in this scan, as the engine decides it: on its own raster, or on the rise of its event. */
  private isDue(
    task: ImageTask,
    number: number,
    steps: Map<string, { readonly initial: bigint; readonly next: Term }>,
  ): Term {
    const { terms: t } = this.state,
      { stepNs } = this.options,
      interval = task.intervalNs;
    let raster = t.true;
    if (interval > stepNs) {
      // Time since the raster's last mark, as it stands at the start of the scan; the raster begins at time 0.
      const since = this.state.remembered(`raster of task ${number}`, 64),
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
    const was = this.state.remembered(`event of task ${number}`, 0),
      now = this.condition(event),
      rise = t.and(now, t.not(was.state));
    steps.set(was.key, { initial: 0n, next: now });
    return interval === 0n ? rise : t.ite(now, rise, raster);
  }

  private statements(list: readonly Statement[], f: Frame): void {
    for (const s of list) {
      if (this.state.live === this.state.terms.false) return;
      this.statement(s, f);
    }
  }

  private statement(s: Statement, f: Frame): void {
    const { terms: t } = this.state;
    if ('at' in s) this.state.here = s.at;
    if (++this.statements_ > MOST_STATEMENTS) throw this.state.outOfReach('more than can be followed in one scan');
    switch (s.kind) {
      case 'let':
        if (!f.used.has(s.temp)) return;
        if (s.value.type === 'pointer') f.pointers.set(s.temp, this.values.pointer(s.value, f));
        else if (this.values.isClock(s.value, f)) f.clocks.add(s.temp);
        else f.temps.set(s.temp, this.values.value(s.value, f));
        return;
      case 'store':
        this.store(s.place, s.value, f);
        return;
      case 'copy':
        this.state.copy(s.to.type, this.values.spots(s.to, f), this.values.spots(s.from, f));
        return;
      case 'fault':
        // What an address leads to is known here, or cannot be followed at all.
        if (s.fault !== 'NULL') this.state.fault(s.fault, s.at, this.values.value(s.when, f));
        else if (!leadsSomewhere(s.when, f)) throw this.state.outOfReach('a reference');
        return;
      case 'call':
        this.call(s, f);
        return;
      case 'if': {
        const condition = this.values.value(s.condition, f);
        const [only, ...more] = s.then;
        if (only?.kind === 'leave' && !more.length && condition.value === undefined) {
          const loop = this.loops.find((l) => l.label === only.label);
          if (loop && this.isAtEnd) loop.isOpen = true;
        }
        this.state.choose([
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
        if (s.kind === 'leave') loop.exit = t.or(loop.exit, this.state.live);
        else loop.again = t.or(loop.again, this.state.live);
        this.state.live = t.false;
        return;
      }
      case 'return':
        this.state.live = t.false;
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
      const [spot, ...more] = isInOut(place) ? this.values.spots(place, f) : [];
      if (!spot) throw this.state.outOfReach('a reference');
      if (more.length || spot.space !== undefined) throw this.state.outOfReach('an instance chosen by an index');
      this.handed.set(spot.address, this.values.pointer(value, f));
      return;
    }
    const isLocal = place.root.kind === 'local' && place.root.variable.home.kind === 'local';
    const age = value.type === 'time' && !isLocal ? this.values.ageIn(value, f) : undefined,
      term = age ?? this.values.value(value, f);
    for (const s of this.values.spots(place, f)) {
      const cell = this.state.cell(s, { type: place.type, bit: bitOf(place) });
      if (!cell) continue;
      const isAge = age !== undefined && cell.slot !== undefined;
      if (isAge) this.state.ages.add(cell.key);
      this.state.put(cell, age !== undefined && !isAge ? this.state.unknown(64, CLOCK) : term, s.when, isAge);
    }
  }

  /** What follows decides whether a loop goes on. */
  private isAtEnd = false;
  private loop(s: Statement & { readonly kind: 'loop' }, f: Frame): void {
    const { terms: t } = this.state,
      before = this.state.live,
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
      const going = this.state.live,
        left = loop.exit;
      loop.exit = t.false;
      this.state.choose([
        {
          condition: going,
          run: () => {
            this.state.live = t.true;
            rest();
          },
        },
        { condition: t.true, run: () => (this.state.live = t.false) },
      ]);
      loop.exit = t.or(left, t.and(going, loop.exit));
    };
    const passes = (first: number): void => {
      for (let n = first; ; n++) {
        end(s.head);
        if (this.state.live === t.false) return;
        if (n >= MOST_PASSES || (n > 64 && loop.isOpen)) {
          this.state.here = s.at;
          throw this.state.outOfReach('a loop whose number of passes is not known');
        }
        const start = this.state.live;
        loop.again = t.false;
        this.statements(s.body, f);
        this.state.live = t.or(this.state.live, loop.again);
        if (this.state.live === t.false) return;
        if (this.state.live !== start) {
          amongThose(() => {
            end(s.tail);
            if (this.state.live !== t.false) passes(n + 1);
          });
          return;
        }
        end(s.tail);
        if (this.state.live === t.false) return;
      }
    };
    passes(0);
    this.isAtEnd = outer;
    this.loops.pop();
    this.state.live = t.and(before, t.or(this.state.live, loop.exit));
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
    return l.value && this.values.value(l.value, f);
  }
  private condition(c: Checked): Term {
    this.state.here = c.at;
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
    const { loops, isAtEnd } = this,
      { live } = this.state,
      { unit, used } = this.unitOf(pou);
    this.loops = [];
    this.isAtEnd = false;
    const f = this.frame(self, used, { references, ...(given ? { given } : {}) });
    this.locals(pou, f, before?.(f) ?? new Set());
    this.statements(unit.body, f);
    this.state.live = live;
    this.loops = loops;
    this.isAtEnd = isAtEnd;
    if (pou.inheritsBody && pou.base) this.body(pou.base, self, references);
    return f;
  }
  private locals(pou: CheckedPou, f: Frame, given: ReadonlySet<Variable>): void {
    const { terms: t } = this.state;
    for (const v of pou.variables) {
      if (given.has(v) || v.section === 'hidden' || (v.home.kind !== 'local' && v.home.kind !== 'frame')) continue;
      const spots = this.values.ownSpots(v, f);
      if (v.template) {
        this.state.copy(v.type, spots, [{ when: t.true, address: this.where(v.template) }]);
        continue;
      }
      const leaves: { type: Type; offset: number }[] = [];
      this.state.leaves(v.type, 0, leaves);
      for (const l of leaves)
        for (const s of spots) {
          const cell = this.state.cell({ ...s, address: s.address + l.offset }, l);
          const value = isScalar(v.type) ? this.state.constant(v.initial ?? defaultValue(v.type), v.type) : undefined;
          if (cell) this.state.put(cell, value ?? t.bits(0n, cell.sort), t.true);
        }
    }
  }

  private call(s: Statement & { readonly kind: 'call' }, f: Frame): void {
    const { pou } = s,
      isBlock = pou.pou !== 'FUNCTION' && pou.pou !== 'METHOD';
    if (s.isVirtual)
      throw this.state.outOfReach(`a ${isBlock ? 'block' : 'method'} whose class is known only in the run`);
    const self = s.self ? this.values.pointer(s.self, f) : [];
    if (isBlock && self.length !== 1) throw this.state.outOfReach('an instance chosen by an index');
    const references = this.handed;
    this.handed = new Map();
    const values = s.args.map((a) => ({
      variable: a.variable,
      spots: a.value.type === 'pointer' ? this.values.pointer(a.value, f) : [],
      term: a.value.type === 'pointer' ? undefined : this.values.value(a.value, f),
    }));
    const given = new Map(
      values.flatMap(({ variable, spots }) =>
        variable.home.kind === 'localReference' ? [[variable, spots] as const] : [],
      ),
    );
    const inner = this.body(pou, self, references, given, (own) => {
      for (const { variable, spots, term } of values) {
        if (variable.home.kind === 'localReference') continue;
        const to = this.values.ownSpots(variable, own);
        if (!term) this.state.copy(variable.type, to, spots);
        else
          for (const spot of to) {
            const cell = this.state.cell(spot, variable);
            if (cell) this.state.put(cell, term, this.state.terms.true);
          }
      }
      return new Set(values.map((x) => x.variable));
    });
    for (const o of s.outputs)
      this.state.copy(o.variable.type, this.values.roomSpots(o.room, f), this.values.ownSpots(o.variable, inner));
    const { result } = pou;
    if (!s.result || !result) return;
    const from = this.values.ownSpots(result, inner);
    if ('room' in s.result) this.state.copy(result.type, this.values.roomSpots(s.result.room, f), from);
    else if (isScalar(result.type)) {
      const place: Place = {
        root: { kind: 'local', variable: result },
        rootType: result.type,
        steps: [],
        type: result.type,
      };
      f.temps.set(s.result.temp, this.values.read(place, inner));
    }
  }
}

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
/** What memory holds for a slot, as unsigned bits. */
export function bitsAt(memory: Uint8Array, s: Slot): bigint {
  if (s.address < 0) return 0n;
  if (s.bit !== undefined) return BigInt((memory[s.address]! >> s.bit) & 1);
  let v = 0n;
  for (let i = s.bytes - 1; i >= 0; i--) v = (v << 8n) | BigInt(memory[s.address + i]!);
  return s.sort === 0 ? (v ? 1n : 0n) : v;
}
const initialOf = (initial: Uint8Array, s: Slot): bigint => bitsAt(initial, s);
