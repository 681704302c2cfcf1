/**
 * Proofs of interlock rules over all inputs: the rules and assumptions of a project as goals for induction. The machine
 * model has no part in it: inputs may be anything in any scan, unless an assumption says what the machine never does.
 */
import type { Checked } from '../check/checked.js';
import type { Image, Symbol } from '../compile/image.js';
import { placeText } from '../language/source.js';
import type { CheckRow, Project } from '../project/document.js';
import type { Compiled } from '../project/compile.js';
import { MACHINE } from '../project/sources.js';
import { Engine } from '../runtime/engine.js';
import { findPath } from '../runtime/paths.js';
import { performOn } from '../runtime/stretch.js';
import { type Type, isBool, isInteger, sizeOf } from '../types/type.js';
import { rowsThatExpect } from '../prove/doing.js';
import type { PlannedRule, ProofPlan } from '../prove/plan.js';
import type { RuleForm } from '../prove/sentences.js';
import { type Recorded, RuleJudge, scansOf } from '../prove/play.js';
import { type Counterexample, Search, generator, shorten } from '../prove/search.js';
import {
  type Answer,
  type Effort,
  type Goal,
  Prover,
  type Part,
  type Solver,
  type System,
  coneOf,
} from './induction.js';
import { explore } from './explore.js';
import { OutOfReach, type ScanOptions, type ScanSystem, type Slot, bitsAt, scanSystem } from './scan.js';
import { type Term, variablesOf } from './term.js';

export interface RuleProof {
  readonly id: string;
  readonly name: string;
  /**
   * proved: for all inputs, or with the assumptions named. broken: these inputs break it. open: neither; `words` says how
   * far it was looked. unable: the logic does something a proof cannot follow.
   */
  readonly strength: 'proved' | 'broken' | 'open' | 'unable';
  /** One sentence that says which strength was reached, and never more. */
  readonly words: string;
  readonly assumptions: readonly string[];
  /** Of a broken rule: inputs as forces, and the scans after which it is broken. */
  readonly recording?: readonly Recorded[];
  readonly scan?: number;
  /** The same in words, scan by scan. */
  readonly inputs?: readonly string[];
  /** The same as rows of a check, which expects the rule to hold. */
  readonly rows?: readonly CheckRow[];
}

export interface ProofAnswer {
  readonly rules: readonly RuleProof[];
  readonly problem?: string;
  /** Assumptions that no run can keep: everything would be proved. */ readonly contradiction?: boolean;
}

export interface ProofOptions {
  readonly stepNs: bigint;
  readonly solver: Solver;
  readonly effort?: Partial<Effort>;
  readonly only?: readonly string[];
  /** Which ways of deciding are used, in this order; all without it. */
  readonly ways?: readonly Way[];
  /** What is being done now, and rules decided of all. */
  readonly onProgress?: (words: string, decided: number, of: number) => void;
}

/** What the logic of a project sees as coming from outside: the machine's memory, and what wires bring from it. */
export function scanOptions(compiled: Compiled, image: Image, stepNs: bigint): ScanOptions {
  const machine = image.symbols.get(MACHINE.toLowerCase());
  const driven = compiled.wires.flatMap((w) => {
    const to = w.kind === 'toTag' ? findPath(image, w.to) : undefined;
    return to && 'location' in to
      ? [{ address: to.location.address, ...(to.location.bit === undefined ? {} : { bit: to.location.bit }) }]
      : [];
  });
  return {
    stepNs,
    without: MACHINE,
    driven,
    outside: machine ? [{ from: machine.address, to: machine.address + sizeOf(machine.type) }] : [],
  };
}

/** random: random inputs on the engine; states: every state is looked at; induction: a solver. */
export type Way = 'random' | 'states' | 'induction';
const EFFORT: Effort = { steps: 15_000_000, depth: 20, back: 3 };
/** Steps of the solver for one rule, all questions together: about a minute. */
const STEPS_A_RULE = 40_000_000;
/** Scans of the random look before a proof. */
const FREE_SCANS = 400_000;
/** Scans of looking at every state, for one rule. */
const EXPLORED = 200_000;

/** Proves every rule that is no assumption. `plan` is of the project as it is. */
export async function proveRules(project: Project, plan: ProofPlan, options: ProofOptions): Promise<ProofAnswer> {
  if (!plan.image) return { rules: [], problem: 'The logic has errors; mend them first.' };
  const { image } = plan,
    isAssumed = new Set(project.rules.filter((r) => r.assumed).map((r) => r.id));
  const sound = plan.rules.filter((r) => r.form && r.condition && !r.problem);
  const asked = plan.rules.filter((r) => !isAssumed.has(r.id) && (!options.only || options.only.includes(r.id)));
  const unable = (words: string): ProofAnswer => ({
    rules: asked.map((r) => ({
      id: r.id,
      name: r.name,
      strength: 'unable',
      words: r.problem ?? words,
      assumptions: [],
    })),
  });
  let scan: ScanSystem;
  const wanted = sound.flatMap((r) => [r.condition!.expression, ...(r.trigger ? [r.trigger.expression] : [])]);
  try {
    scan = scanSystem(
      plan.compiled.program,
      image,
      scanOptions(plan.compiled, image, options.stepNs),
      wanted.map((n) => plan.compiled.program.expressions[n] as Checked),
    );
  } catch (e) {
    if (!(e instanceof OutOfReach)) throw e;
    return unable(`A proof cannot follow ${e.message} (${placeText(e.at).slice(e.at.source.name.length + 1)}).`);
  }
  const conditions = new Map(wanted.map((n, i) => [n, scan.conditions[i]!]));
  const rules = new RuleSystem(scan, options.stepNs);
  const goals = new Map(sound.map((r) => [r.id, rules.broken(r, conditions)]));
  const given = sound.filter((r) => isAssumed.has(r.id)).map((r) => scan.terms.not(goals.get(r.id)!));
  const assumptions = sound.filter((r) => isAssumed.has(r.id)).map((r) => r.name);
  const effort = { ...EFFORT, ...options.effort },
    prover = new Prover(rules, options.solver, effort);
  if (!(await prover.isPossible(given)))
    return {
      contradiction: true,
      rules: asked.map((r) => ({
        id: r.id,
        name: r.name,
        strength: 'unable',
        words: `The assumptions contradict each other: no run keeps ${assumptions.map((a) => `'${a}'`).join(' and ')}, so everything would be proved.`,
        assumptions,
      })),
    };
  const targets = asked.filter((r) => goals.has(r.id));
  // What random inputs break needs no proof: it is found in a moment, however deep it lies.
  const decided = new Map<string, Answer>();
  const say = (words: string) => options.onProgress?.(words, broken.size + decided.size, asked.length);
  let broken: ReadonlyMap<string, Counterexample> = new Map();
  say('Trying random inputs');
  const free = new Search(plan, project, {
    stepNs: options.stepNs,
    seed: 1,
    upsets: false,
    freeInputs: true,
    only: targets.map((r) => r.id),
  });
  const uses = (way: Way) => !options.ways || options.ways.includes(way);
  for (let n = 0; uses('random') && n < FREE_SCANS && !free.isDone && !options.effort?.isCancelled?.(); n += 50_000)
    free.run(50_000);
  broken = new Map(free.state.found.map((x) => [x.ruleId, x]));
  say('Looking at every state');
  // Where little is at stake every state is looked at; only what is left is for the solver.
  const ages = new Set([...scan.slots.values()].filter((s) => scan.ages.has(s.key)).map((s) => s.state));
  const left = () => targets.filter((r) => !broken.has(r.id) && !decided.has(r.id));
  /** Rules that need none of what is assumed. */
  const bare = new Set<string>();
  const decide = (r: PlannedRule, a: Answer | undefined, under: readonly Term[]) => {
    // Broken without what is assumed says nothing about runs that keep it.
    if (!a || (!under.length && given.length && a.kind !== 'proved')) return;
    decided.set(r.id, a);
    if (!under.length) bare.add(r.id);
  };
  for (const under of given.length ? [[], given] : [given])
    for (const r of uses('states') ? left() : []) {
      const goal = { bad: goals.get(r.id)!, given: under };
      decide(
        r,
        explore(goal, coneOf(rules, [goal.bad, ...under]), ages, {
          scans: EXPLORED,
          work: 25_000_000,
          inputs: 4096,
          ...(options.effort?.isCancelled ? { isCancelled: options.effort.isCancelled } : {}),
        }),
        under,
      );
    }
  prover.limit = prover.used + STEPS_A_RULE * left().length;
  const induct = async (facts: readonly Term[], which: readonly PlannedRule[], under: readonly Term[]) => {
    for (const r of which) {
      decide(r, await prover.induct({ bad: goals.get(r.id)!, given: under }, facts), under);
      say('Proving by induction');
    }
  };
  if (uses('induction')) {
    // Rules stand by each other: what has been proved of one is a fact for the others. First alone, then with facts that are looked for, from cheap ones to dear ones.
    say('Proving by induction');
    // What the first scans break, or seem to because arithmetic is not followed, no fact can prove: it is not worked at.
    for (const r of left()) {
      const first = await prover.look({ bad: goals.get(r.id)!, given }, 2);
      if (first.kind === 'broken') decided.set(r.id, first);
    }
    // Without what is assumed first: a proof that needs less says more.
    for (const under of given.length ? [[], given] : [given]) await induct([], left(), under);
    for (const { under, clocks } of [
      ...(given.length ? [{ under: [] as readonly Term[], clocks: false }] : []),
      { under: given, clocks: false },
      { under: given, clocks: true },
    ]) {
      const open = left().filter((r) => !clocks || 'span' in r.form!);
      if (!open.length) continue;
      say(clocks ? 'Looking for facts about timers' : 'Looking for facts that always hold');
      const harm = open.map((r) => goals.get(r.id)!),
        proved = [...decided].flatMap(([id, a]) =>
          a.kind === 'proved' && (under.length || bare.has(id)) ? [scan.terms.not(goals.get(id)!)] : [],
        );
      const candidates = candidateFacts(
        plan,
        scan,
        rules,
        harm,
        under,
        under.length ? sound.filter((r) => isAssumed.has(r.id)) : [],
        clocks ? options.stepNs : undefined,
        options.stepNs,
      );
      const facts = await prover.holding([...harm.map((h) => scan.terms.not(h)), ...proved, ...candidates], under);
      await induct(facts, open, under);
    }
    for (const r of left()) {
      say('Looking at the first scans');
      prover.limit = prover.used + effort.steps;
      decided.set(r.id, await prover.look({ bad: goals.get(r.id)!, given }, effort.depth));
    }
  }
  const results: RuleProof[] = [];
  for (const r of asked) {
    const bad = goals.get(r.id),
      hit = broken.get(r.id),
      answer = decided.get(r.id);
    const common = { id: r.id, name: r.name, assumptions };
    const done: RuleProof = hit
      ? brokenBy(r, { recording: hit.recording, scan: hit.scan, inputs: inLines(hit.recording) })
      : bad && answer
        ? said(answer, { bad, given }, r)
        : { ...common, strength: 'unable', words: r.problem ?? 'The rule cannot be read.' };
    results.push(done);
  }
  return { rules: results };

  function brokenBy(r: PlannedRule, how: Pick<RuleProof, 'recording' | 'scan' | 'inputs'>): RuleProof {
    return {
      id: r.id,
      name: r.name,
      assumptions,
      strength: 'broken',
      words: `Inputs can break it within ${how.scan} scan${how.scan === 1 ? '' : 's'}${assumptions.length ? ', also with what is assumed' : ''}. If the machine never gives them, an assumption can say so.`,
      ...how,
      rows: rowsThatExpect(
        project,
        plan.image!,
        how.recording!,
        [`keeps '${r.name}'`],
        how.scan!,
        Number(options.stepNs) / 1e6,
      ),
    };
  }

  function said(a: Answer, goal: Goal, r: PlannedRule): RuleProof {
    // Only what the proof could have leant on is named.
    const used = bare.has(r.id) ? [] : assumptions.filter((_, i) => leansOn(rules, goal, given[i]!));
    const common = { id: r.id, name: r.name, assumptions: used };
    const withThem = used.length
      ? ` with ${used.length === 1 ? 'the assumption' : 'the assumptions'} ${used.map((x) => `'${x}'`).join(', ')}`
      : '';
    const n = (k: number, what = 'scan') => `${k.toLocaleString('en')} ${what}${k === 1 ? '' : 's'}`;
    switch (a.kind) {
      case 'proved': {
        const how =
          a.states !== undefined
            ? `every one of ${n(a.states, 'state')}`
            : a.scans
              ? `induction over ${n(a.scans)}`
              : 'whatever happens before';
        return {
          ...common,
          strength: 'proved',
          words: `Proved${used.length ? `${withThem},` : ''} for all ${used.length ? 'other ' : ''}inputs from a cold start (${how}).`,
        };
      }
      case 'contradiction':
        return { ...common, strength: 'unable', words: 'The assumptions contradict each other.' };
      case 'open':
        return {
          ...common,
          strength: 'open',
          words:
            a.scans === 0
              ? 'Not proved: out of reach of the solver.'
              : `Not proved. In the first ${n(a.scans)} nothing breaks it, whatever the inputs are${withThem}.`,
        };
      case 'broken': {
        const replayed = replay(
          plan,
          r,
          sound.filter((x) => isAssumed.has(x.id)),
          scan,
          a,
          options.stepNs,
        );
        if (!replayed)
          return {
            ...common,
            strength: 'open',
            words: `Not proved. What the proof found does not happen in the real logic; it knows too little of arithmetic or text here.`,
          };
        return brokenBy(r, replayed);
      }
    }
  }
}

/** Whether an assumption speaks of something that the goal depends on. */
function leansOn(system: System, goal: Goal, assumption: Term): boolean {
  const inCone = new Set(coneOf(system, [goal.bad]).flatMap((p) => [p.state, ...variablesOf([p.next])]));
  // An input is known by what it is after the scan: the goal may depend on that without looking at what it was before.
  return coneOf(system, [assumption]).some(
    (p) => inCone.has(p.state) || variablesOf([p.next]).some((v) => inCone.has(v)),
  );
}

/** The scan with what rules remember between scans beside it. */
class RuleSystem implements System {
  readonly terms;
  private readonly extra = new Map<Term, Part>();
  private readonly cache = new Map<Term, Part>();
  private readonly byState = new Map<Term, Slot>();
  /** What rules over time count: scans, 0 when they count nothing. */
  readonly counters: Term[] = [];
  /** How what a rule remembers hangs together with its conditions: candidates for facts. */
  readonly related: Term[] = [];

  constructor(
    readonly scan: ScanSystem,
    private readonly stepNs: bigint,
  ) {
    this.terms = scan.terms;
    for (const s of scan.slots.values()) this.byState.set(s.state, s);
  }

  slotOf(v: Term): Slot | undefined {
    return this.byState.get(v);
  }

  part(v: Term): Part | undefined {
    const known = this.extra.get(v) ?? this.cache.get(v);
    if (known) return known;
    const slot = this.byState.get(v);
    if (!slot) return undefined;
    const made = { state: v, next: this.scan.next(slot), initial: this.scan.initial(slot) };
    this.cache.set(v, made);
    return made;
  }

  private add(name: string, sort: number, initial: bigint, next: (own: Term) => Term): Term {
    const state = this.terms.variable(`m:${name}`, sort);
    this.extra.set(state, { state, next: next(state), initial });
    return state;
  }
  /** A condition as it will be after the scan. */
  private after(condition: Term): Term {
    return this.terms.substitute(condition, (v) => this.part(v)?.next ?? v);
  }

  /** The rule is broken after this scan: a term of the state, with counters of its own for rules over time, as `RuleJudge` judges it. */
  broken(r: PlannedRule, conditions: ReadonlyMap<number, Term>): Term {
    const { terms: t } = this,
      form = r.form as RuleForm,
      holds = conditions.get(r.condition!.expression)!;
    if (!('span' in form)) return form.kind === 'never' ? holds : t.not(holds);
    const W = 32,
      one = t.bits(1n, W),
      zero = t.bits(0n, W),
      now = this.after(holds),
      span = BigInt(scansOf(form.span, this.stepNs));
    if (form.kind === 'follows') {
      const trigger = this.after(conditions.get(r.trigger!.expression)!);
      const was = this.add(`${r.id} was`, 0, 0n, () => trigger);
      // 0: nothing is waited for; else scans since the trigger came, and one.
      const waits = (own: Term) =>
        t.ite(
          now,
          zero,
          t.ite(
            t.eq(own, zero),
            t.ite(t.and(trigger, t.not(was)), one, zero),
            t.ite(t.compare('bvult', own, t.bits(span + 2n, W)), t.binary('bvadd', own, one), own),
          ),
        );
      const count = this.add(`${r.id} waits`, W, 0n, waits);
      this.counters.push(count);
      this.related.push(t.eq(was, conditions.get(r.trigger!.expression)!), t.or(t.eq(count, zero), t.not(holds)));
      return t.compare('bvult', t.bits(span, W), count);
    }
    const was = this.add(`${r.id} was`, 0, 0n, () => now);
    const lasted = this.add(`${r.id} lasted`, W, 0n, (own) =>
      t.ite(
        t.not(now),
        zero,
        t.ite(was, t.ite(t.compare('bvult', own, t.bits(span, W)), t.binary('bvadd', own, one), own), one),
      ),
    );
    this.counters.push(lasted);
    this.related.push(t.eq(was, holds), t.eq(holds, t.not(t.eq(lasted, zero))));
    return this.add(`${r.id} broken`, 0, 0n, () => t.and(t.not(now), was, t.compare('bvult', lasted, t.bits(span, W))));
  }
}

/** At most so many candidates for facts, and so many states looked at to choose them. */
const MOST_CANDIDATES = 2500,
  SAMPLES = 3000,
  LITERALS = 260;

interface Literal {
  readonly term: Term;
  readonly atom: number;
  readonly seen: Uint32Array;
}

/**
 * Facts worth asking for: of the Booleans, steps and small numbers that the goals depend on, those that never and those
 * pairs of which one always held in random runs. Whether they always hold is for the solver to say.
 */
function candidateFacts(
  plan: ProofPlan,
  scan: ScanSystem,
  system: RuleSystem,
  goals: readonly Term[],
  given: readonly Term[],
  assumed: readonly PlannedRule[],
  clockStep: bigint | undefined,
  stepNs: bigint,
): readonly Term[] {
  const { terms: t } = scan;
  const cone = coneOf(system, [...goals, ...given]),
    inCone = new Set(cone.map((p) => p.state));
  const slots = cone.flatMap((p) => {
    const s = system.slotOf(p.state);
    return s && s.address >= 0 ? [s] : [];
  });
  const samples = sampleStates(plan, scan, slots, assumed, stepNs);
  if (!samples.length) return [];
  const clocked = clockStep === undefined ? [] : clockFacts(scan, system, slots, goals, clockStep);
  const words = Math.ceil(samples.length / 32),
    all = new Uint32Array(words).fill(0xffffffff);
  if (samples.length % 32) all[words - 1] = (2 ** (samples.length % 32) - 1) >>> 0;
  const literals: Literal[] = [],
    facts: Term[] = [...clocked, ...system.related.filter((x) => variablesOf([x]).every((v) => inCone.has(v)))];
  const see = (test: (sample: readonly bigint[]) => boolean): Uint32Array => {
    const seen = new Uint32Array(words);
    samples.forEach((x, i) => {
      if (test(x)) seen[i >> 5]! |= 1 << (i & 31);
    });
    return seen;
  };
  const isNone = (a: Uint32Array) => a.every((x) => x === 0);
  slots.forEach((s, k) => {
    if (scan.ages.has(s.key)) return;
    const values = valuesWorth(s.type, samples, k);
    if (s.sort === 0) {
      const on = see((x) => x[k] === 1n),
        off = on.map((w, i) => (~w & all[i]!) >>> 0);
      if (isNone(on)) {
        facts.push(t.not(s.state));
        return;
      }
      if (isNone(off)) {
        facts.push(s.state);
        return;
      }
      literals.push({ term: s.state, atom: k, seen: on }, { term: t.not(s.state), atom: k, seen: off });
      return;
    }
    if (!values) return;
    const known = values.filter((v) => samples.some((x) => x[k] === v));
    facts.push(t.or(...known.map((v) => t.eq(s.state, t.bits(v, s.sort)))));
    if (known.length > 1)
      for (const v of known) {
        const on = see((x) => x[k] === v),
          term = t.eq(s.state, t.bits(v, s.sort));
        literals.push(
          { term, atom: k, seen: on },
          { term: t.not(term), atom: k, seen: on.map((w, i) => (~w & all[i]!) >>> 0) },
        );
      }
  });
  const some = literals.slice(0, LITERALS);
  for (let i = 0; i < some.length; i++)
    for (let j = i + 1; j < some.length; j++) {
      const a = some[i]!,
        b = some[j]!;
      if (a.atom === b.atom) continue;
      let holds = true;
      for (let w = 0; w < words && holds; w++) holds = ((a.seen[w]! | b.seen[w]!) & all[w]!) >>> 0 === all[w]! >>> 0;
      if (holds) facts.push(t.or(a.term, b.term));
      if (facts.length >= MOST_CANDIDATES) return facts;
    }
  return facts;
}

/** How far a rule has counted against the age that a timer keeps: candidates for each state of the timer's own Booleans. */
function clockFacts(
  scan: ScanSystem,
  system: RuleSystem,
  slots: readonly Slot[],
  goals: readonly Term[],
  stepNs: bigint,
): readonly Term[] {
  const { terms: t } = scan,
    facts: Term[] = [],
    step = t.bits(stepNs, 64);
  const counted = new Set(coneOf(system, goals).map((p) => p.state));
  for (const counter of system.counters.filter((c) => counted.has(c))) {
    const scans = t.binary('bvmul', t.resize(counter, 64, false), step);
    for (const age of slots.filter((s) => scan.ages.has(s.key)).slice(0, 12)) {
      const near = slots
        .filter((s) => s.sort === 0 && s.bit === undefined && Math.abs(s.address - age.address) <= 40)
        .slice(0, 4);
      for (const when of [
        t.true,
        ...near.flatMap((s) => [s.state, t.not(s.state)]),
        ...near.flatMap((a, i) =>
          near.slice(i + 1).flatMap((b) => [t.and(a.state, t.not(b.state)), t.and(t.not(a.state), b.state)]),
        ),
      ])
        for (const k of [0n, 1n, 2n]) {
          const more = t.bits(k * stepNs, 64);
          facts.push(
            t.implies(when, t.compare('bvule', age.state, t.binary('bvadd', scans, more))),
            t.implies(
              t.and(when, t.not(t.eq(counter, t.bits(0n, 32)))),
              t.compare('bvule', scans, t.binary('bvadd', age.state, more)),
            ),
          );
        }
      if (facts.length > 400) return facts;
    }
  }
  return facts;
}

/** Values of a number that are worth telling apart: an enumeration's, or the few that were seen. */
function valuesWorth(type: Type, samples: readonly (readonly bigint[])[], at: number): readonly bigint[] | undefined {
  if (type.kind === 'enum') return type.values.map((v) => BigInt.asUintN(sizeOf(type) * 8, v.value));
  const seen = new Set<bigint>();
  for (const s of samples) {
    seen.add(s[at]!);
    if (seen.size > (isInteger(type) ? 8 : 1)) return undefined;
  }
  return [...seen];
}

/** States after scans of random runs: some with inputs as they come, some with the machine. Only those that keep what is assumed. */
function sampleStates(
  plan: ProofPlan,
  scan: ScanSystem,
  slots: readonly Slot[],
  assumed: readonly PlannedRule[],
  stepNs: bigint,
): readonly (readonly bigint[])[] {
  const image = plan.image!,
    random = generator(7),
    found = new Map<string, bigint[]>();
  const take = (e: Engine) => {
    const state = slots.map((s) => bitsAt(e.memory, s));
    found.set(state.join(), state);
  };
  const free = new Engine(image, { stepNs });
  for (let run = 0; run < 30 && found.size < SAMPLES; run++) {
    free.restart();
    const judges = assumed.map((r) => new RuleJudge(r, stepNs)),
      calm = 0.02 + 0.3 * random();
    for (let n = 0; n < 600; n++) {
      const before = free.snapshot(),
        memories = judges.map((j) => j.memory);
      for (const { slot } of scan.inputs)
        if (n === 0 || random() < calm)
          poke(
            free,
            slot,
            isBool(slot.type) || slot.sort === 0 ? BigInt(random() < 0.5) : BigInt(Math.floor(random() * 100)),
          );
      if (!free.runScan()) break;
      for (const j of judges) j.judge(free, undefined, []);
      if (judges.some((j) => j.failure)) {
        free.restore(before);
        judges.forEach((j, i) => {
          j.failure = undefined;
          j.resume(memories[i]!);
        });
        continue;
      }
      take(free);
    }
  }
  // What the checks play reaches further than chance.
  const machine = new Engine(image, { stepNs, wires: plan.compiled.wires });
  for (const c of plan.checks.slice(0, 30)) {
    machine.restart();
    for (const row of c.rows) {
      for (const a of row.actions) performOn(machine, a.event);
      for (let n = 0; n < 150 && !machine.fault; n++) {
        if (!machine.runScan()) break;
        if (n % 3 === 0) take(machine);
      }
      for (const a of row.actions) for (const l of a.later ?? []) performOn(machine, l.event);
    }
  }
  return [...found.values()].slice(0, 2 * SAMPLES);
}

function poke(e: Engine, s: Slot, value: bigint): void {
  if (s.bit !== undefined) {
    e.memory[s.address] = (e.memory[s.address]! & ~(1 << s.bit)) | (Number(value) << s.bit);
    return;
  }
  for (let i = 0; i < s.bytes; i++) e.memory[s.address + i] = Number((value >> BigInt(8 * i)) & 255n);
}

/** Plays the inputs that a proof found on the real engine; undefined when they do not break the rule there. */
function replay(
  plan: ProofPlan,
  r: PlannedRule,
  assumed: readonly PlannedRule[],
  scan: ScanSystem,
  a: Answer & { kind: 'broken' },
  stepNs: bigint,
): { recording: readonly Recorded[]; scan: number; inputs: readonly string[] } | undefined {
  const image = plan.image!,
    names = new Map<string, Symbol>();
  for (const s of image.symbols.values())
    if (!s.isView) names.set(s.bit === undefined ? `${s.address}` : `${s.address}.${s.bit}`, s);
  const recording: Recorded[] = [],
    held = new Map<string, bigint>();
  a.inputs.forEach((values, n) => {
    for (const { slot, input } of scan.inputs) {
      const symbol = names.get(slot.key),
        value = values.get(input.name!) ?? held.get(slot.key) ?? 0n;
      if (!symbol || held.get(slot.key) === value) continue;
      held.set(slot.key, value);
      recording.push({
        scan: n,
        event: {
          kind: 'force',
          path: symbol.name,
          value: isBool(symbol.type) ? value !== 0n : fromBits(symbol.type, value),
        },
      });
    }
  });
  const engine = new Engine(image, { stepNs, wires: plan.compiled.wires });
  const breaks = (script: readonly Recorded[]): number | undefined => {
    engine.restart();
    const judge = new RuleJudge(r, stepNs),
      kept = assumed.map((x) => new RuleJudge(x, stepNs));
    let i = 0;
    for (let n = 0; n < a.scans; n++) {
      for (; i < script.length && script[i]!.scan <= n; i++) performOn(engine, script[i]!.event);
      if (!engine.runScan()) return undefined;
      for (const k of kept) k.judge(engine, undefined, []);
      if (kept.some((k) => k.failure)) return undefined;
      judge.judge(engine, undefined, []);
      if (judge.failure) return judge.failure.scan;
    }
    return undefined;
  };
  if (breaks(recording) === undefined) return undefined;
  const short = shorten(recording, (s) => breaks(s) !== undefined);
  const at = breaks(short)!;
  return { recording: short, scan: at, inputs: inLines(short) };
}

/** What the inputs are made, scan by scan, in words. */
function inLines(script: readonly Recorded[]): readonly string[] {
  const lines = new Map<number, string[]>();
  for (const x of script)
    if (x.event.kind === 'force')
      lines.set(x.scan, [
        ...(lines.get(x.scan) ?? []),
        `${x.event.path} ${x.event.value === true ? 'on' : x.event.value === false ? 'off' : `= ${String(x.event.value)}`}`,
      ]);
  return [...lines].map(([n, l]) => `before scan ${n + 1}: ${l.join(', ')}`);
}

function fromBits(type: Type, value: bigint): bigint | number {
  const width = sizeOf(type) * 8;
  if (type.kind === 'elementary' && (type.name === 'REAL' || type.name === 'LREAL')) {
    const v = new DataView(new ArrayBuffer(8));
    if (width === 32) {
      v.setUint32(0, Number(value));
      return v.getFloat32(0);
    }
    v.setBigUint64(0, value);
    return v.getFloat64(0);
  }
  return BigInt.asIntN(width, value);
}
