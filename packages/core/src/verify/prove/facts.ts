/** Candidates for facts that induction may lean on: what never failed in runs of the logic. */
import type { PlannedRule, ProofPlan } from '../play/plan.js';
import { RuleJudge } from '../play/play.js';
import { generator } from '../search/search.js';
import { Engine } from '../../runtime/engine.js';
import { performOn } from '../../runtime/stretch.js';
import { type Type, isBool, isInteger, sizeOf } from '../../types/type.js';
import { coneOf } from './induction.js';
import type { RuleSystem } from './rule-system.js';
import { type ScanSystem, bitsAt } from './scan.js';
import { type Slot } from './state.js';
import { type Term, variablesOf } from './term.js';

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
export function candidateFacts(
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

/**
 * How far a rule has counted against the age that a timer keeps: candidates for each state of the timer's own Booleans.
 */
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

/**
 * States after scans of random runs: some with inputs as they come, some with the machine. Only those that keep what is
 * assumed.
 */
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
