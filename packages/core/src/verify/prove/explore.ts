/**
 * Proof by looking at every state: where what a rule depends on is small, all states that any inputs can lead to are
 * visited, in breadth, so a rule that is broken is broken by the fewest scans.
 *
 * Ages of timers have no end; one that is past everything it is compared with is kept as just past it, which no
 * comparison can tell apart. Where an age is used in another way there is no end, and the answer is that there is none.
 */
import { type Answer, type Break, type Goal, type Part, WARM } from './induction.js';
import { OLDEST } from './scan.js';
import { type Term, evaluator, variablesOf } from './term.js';

export interface ExploreBudget {
  /** Scans tried at most, and terms worked out in them. */ readonly scans: number;
  readonly work: number;
  /** Different inputs of one scan at most. */ readonly inputs: number;
  /** Whether warm restarts, at any moment, are part of what may happen. */ readonly warm: boolean;
  readonly isCancelled?: () => boolean;
}

/** Undefined where the states are too many, or cannot be counted. */
export function explore(
  goal: Goal,
  cone: readonly Part[],
  ages: ReadonlySet<Term>,
  budget: ExploreBudget,
): (Answer & { kind: 'proved' | 'broken' }) | undefined {
  const parts = new Map(cone.map((p) => [p.state, p]));
  const free = variablesOf(cone.map((p) => p.next)).filter((v) => !parts.has(v));
  // Numbers from outside have too many values to try; a Boolean has two.
  if (free.some((v) => v.sort !== 0) || 2 ** free.length > budget.inputs) return undefined;
  const caps = capsOf(goal, cone, ages);
  if (!caps) return undefined;
  const index = new Map<Term, number>();
  cone.forEach((p, i) => index.set(p.state, i));
  free.forEach((v, i) => index.set(v, cone.length + i));
  const step = evaluator(
      cone.map((p) => p.next),
      index,
    ),
    judge = evaluator([goal.bad, ...goal.given], index);
  const retained = cone.map((p) => p.isRetained),
    initial = cone.map((p) => p.initial),
    // Where nothing is retained a warm restart is a cold one.
    restarts = budget.warm && retained.some(Boolean);
  const most = Math.min(budget.scans, Math.floor(budget.work / step.size));
  const limits = cone.map((p) => caps.get(p.state));
  interface Seen {
    readonly state: readonly bigint[];
    readonly before: Seen | undefined;
    /** The inputs of the scan that led here; -1 for a warm restart. */
    readonly inputs: number;
    readonly depth: number;
  }
  const first: Seen = { state: initial, before: undefined, inputs: 0, depth: 0 };
  const known = new Set<string>(),
    queue: Seen[] = [first];
  let scans = 0;
  for (let at = 0; at < queue.length; at++) {
    const here = queue[at]!;
    for (let inputs = 0; inputs < 2 ** free.length; inputs++) {
      if (++scans > most || ((scans & 1023) === 0 && budget.isCancelled?.())) return undefined;
      const values = [...here.state, ...free.map((_, i) => BigInt((inputs >> i) & 1))];
      const state = step(values);
      if (!state) return undefined;
      for (let i = 0; i < state.length; i++) {
        const cap = limits[i];
        if (cap !== undefined && state[i]! > cap) state[i] = cap;
      }
      const said = judge([...state, ...free.map(() => 0n)]);
      if (!said) return undefined;
      // Outside of what is assumed: no run goes there.
      if (said.slice(1).some((x) => x === 0n)) continue;
      const next: Seen = { state, before: here, inputs, depth: here.depth + 1 };
      if (said[0]) return { kind: 'broken', scans: next.depth, inputs: pathTo(next, free) };
      const key = state.join();
      if (known.has(key)) continue;
      known.add(key);
      queue.push(next);
      if (!restarts) continue;
      const again = next.state.map((v, i) => (retained[i] ? v : initial[i]!)),
        againKey = `warm ${again.join()}`;
      if (known.has(againKey)) continue;
      known.add(againKey);
      queue.push({ state: again, before: next, inputs: -1, depth: next.depth });
    }
  }
  return {
    kind: 'proved',
    scans: 0,
    facts: 0,
    states: known.size,
    warm: budget.warm && !cone.some((p) => p.isLostWarm),
  };

  function pathTo(end: Seen, inputs: readonly Term[]): Break {
    const list: Map<string, bigint>[] = [];
    for (let s: Seen = end; s.before; s = s.before)
      if (s.inputs < 0) list[0]?.set(WARM, 1n);
      else list.unshift(new Map(inputs.map((v, i) => [v.name!, BigInt((s.inputs >> i) & 1)])));
    return list;
  }
}

/**
 * Past which value an age makes no difference any more; undefined where an age is used in a way that cannot be bounded.
 */
function capsOf(goal: Goal, cone: readonly Part[], ages: ReadonlySet<Term>): ReadonlyMap<Term, bigint> | undefined {
  const parents = new Map<Term, Set<Term>>(),
    seen = new Set<Term>();
  const stack: Term[] = [goal.bad, ...goal.given, ...cone.map((p) => p.next)];
  while (stack.length) {
    const t = stack.pop()!;
    if (seen.has(t)) continue;
    seen.add(t);
    for (const a of t.args) {
      let set = parents.get(a);
      if (!set) parents.set(a, (set = new Set()));
      set.add(t);
      stack.push(a);
    }
  }
  const nexts = new Map<Term, Part[]>();
  for (const p of cone) nexts.set(p.next, [...(nexts.get(p.next) ?? []), p]);
  const caps = new Map<Term, bigint>();
  for (const p of cone) {
    if (!ages.has(p.state)) continue;
    let most = 0n,
      offset = 0n;
    const flows: Term[] = [p.state],
      done = new Set<Term>();
    while (flows.length) {
      const x = flows.pop()!;
      if (done.has(x)) continue;
      done.add(x);
      // Into itself or into another age: that one has a cap of its own, taken together below.
      if (nexts.get(x)?.some((q) => !ages.has(q.state))) return undefined;
      for (const u of parents.get(x) ?? []) {
        const other = u.args.find((a) => a !== x && u.op !== 'ite');
        if (u.op === 'bvadd' && other?.value !== undefined) {
          offset += other.value;
          flows.push(u);
          continue;
        }
        if (u.op === 'eq' || u.op === 'bvslt' || u.op === 'bvsle' || u.op === 'bvult' || u.op === 'bvule') {
          if (other?.value === undefined) return undefined;
          if (other.value < OLDEST && other.value > most) most = other.value;
          continue;
        }
        if (u.op === 'ite' && u.args[0] !== x) {
          // An age that is passed on only up to a constant goes no further than that.
          const c = u.args[0]!,
            rest = u.args[u.args[1] === x ? 2 : 1]!;
          const bound = boundIn(c, x, u.args[1] === x);
          if (bound !== undefined && rest.value !== undefined && rest.value < OLDEST) {
            for (const v of [bound, rest.value]) if (v > most) most = v;
            continue;
          }
          flows.push(u);
          continue;
        }
        return undefined;
      }
    }
    caps.set(p.state, most + offset + 1n);
  }
  // Ages that pass into one another share the highest cap.
  const highest = [...caps.values()].reduce((a, b) => (b > a ? b : a), 0n);
  for (const k of caps.keys()) caps.set(k, highest);
  return caps;
}

/** The constant up to which `x` can be where a condition holds, or does not; undefined where it sets no limit. */
function boundIn(condition: Term, x: Term, holds: boolean): bigint | undefined {
  if (condition.op === 'not') return boundIn(condition.args[0]!, x, !holds);
  const isOrder = ['bvsle', 'bvslt', 'bvule', 'bvult'].includes(condition.op);
  if (!isOrder) return undefined;
  const [a, b] = condition.args as [Term, Term],
    constant = (holds ? (a === x ? b : undefined) : b === x ? a : undefined)?.value;
  return constant !== undefined && constant < OLDEST ? constant : undefined;
}
