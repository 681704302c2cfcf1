/**
 * Proof by induction over scans. A system is variables with a first value, what they are after a scan, and what must
 * never hold after one. First facts are looked for that hold after every scan (all candidates are assumed, those a scan
 * can break are dropped, until none breaks); with them, "k scans without harm are followed by another without" is asked
 * of a solver. From the cold start the first scans are unrolled: what is broken there is broken, with inputs that do
 * it.
 *
 * The solver is any program that reads SMT-LIB 2.6. Its effort is bounded in steps of its own, not in seconds, so the
 * answer is the same everywhere.
 */
import { Printer, type Term, type Terms, sortText, variablesOf } from './term.js';

/** Reads SMT-LIB commands, keeps what they declare, and gives what they print. */
export interface Solver {
  run(commands: string): Promise<string>;
}

export interface Part {
  readonly state: Term;
  readonly next: Term;
  readonly initial: bigint;
  /** It keeps its value through a warm restart. */ readonly isRetained: boolean;
  /** It keeps its value through a warm restart, but what that value means afterwards is not followed. */
  readonly isLostWarm?: boolean;
}
export interface System {
  readonly terms: Terms;
  /** The part of a variable of state; other variables are inputs, anything anew in each scan. */
  part(v: Term): Part | undefined;
}

export interface Goal {
  readonly bad: Term;
  /** Hold after every scan, by assumption. */ readonly given: readonly Term[];
}

/** A run that breaks a goal: values of the inputs of each scan, by name. */
export type Break = readonly ReadonlyMap<string, bigint>[];
/** Under this name among the inputs of a scan: a warm restart came before it. */
export const WARM = 'warm restart';

export type Answer =
  | {
      readonly kind: 'proved';
      /** Scans looked back on. */ readonly scans: number;
      /** Facts that were found and used. */ readonly facts: number;
      /** States that were looked at, where all of them were. */ readonly states?: number;
      /** It also holds after a warm restart at any moment; otherwise from a cold start only. */ readonly warm: boolean;
    }
  | { readonly kind: 'broken'; readonly scans: number; readonly inputs: Break }
  /** Neither: no harm in the first scans, whatever the inputs are. */
  | { readonly kind: 'open'; readonly scans: number }
  | { readonly kind: 'contradiction' };

/** Parts that terms depend on, through however many scans. */
export function coneOf(system: System, roots: readonly Term[]): readonly Part[] {
  const found = new Map<Term, Part>(),
    seen = new Set<Term>();
  let open: readonly Term[] = roots;
  while (open.length) {
    const next: Term[] = [];
    for (const v of variablesOf(open, seen)) {
      const p = system.part(v);
      if (p && !found.has(v)) {
        found.set(v, p);
        next.push(p.next);
      }
    }
    open = next;
  }
  return [...found.values()];
}

const bits = (value: bigint, sort: number): string =>
  sort === 0 ? (value ? 'true' : 'false') : `(_ bv${value} ${sort})`;

/** Scans one after the other as SMT-LIB. */
class Unrolled {
  private readonly functions: Set<string>;
  private readonly printers: Printer[] = [];
  private readonly states: Map<Term, string>[] = [];
  readonly inputs: Map<string, { name: string; sort: number }>[] = [];
  /** From the cold start, from any state, or from a warm restart at the beginning of another run. */
  constructor(
    private readonly system: System,
    private readonly cone: readonly Part[],
    private readonly out: string[],
    private readonly tag: string,
    first: 'cold' | 'any' | Unrolled,
    functions = new Set<string>(),
  ) {
    this.functions = typeof first === 'object' ? first.functions : functions;
    const start = new Map<Term, string>();
    for (const p of cone) {
      if (typeof first === 'object' && p.isRetained) start.set(p.state, first.states[0]!.get(p.state)!);
      else if (first !== 'any') start.set(p.state, bits(p.initial, p.state.sort));
      else {
        const name = `${tag}s${p.state.id}`;
        out.push(`(declare-const ${name} ${sortText(p.state.sort)})`);
        start.set(p.state, name);
      }
    }
    this.states.push(start);
  }

  private printer(at: number): Printer {
    const known = this.printers[at];
    if (known) return known;
    const states = this.states[at]!,
      inputs = new Map<string, { name: string; sort: number }>();
    this.inputs[at] = inputs;
    return (this.printers[at] = new Printer(
      `${this.tag}${at}_`,
      (v) => {
        const held = states.get(v);
        if (held) return held;
        if (this.system.part(v)) throw new Error(`'${v.name}' is outside of what was asked for`);
        const name = `${this.tag}${at}x${v.id}`;
        this.out.push(`(declare-const ${name} ${sortText(v.sort)})`);
        inputs.set(v.name!, { name, sort: v.sort });
        return name;
      },
      this.functions,
    ));
  }

  /** One scan more. */
  advance(): void {
    const at = this.states.length - 1,
      printer = this.printer(at),
      next = new Map<Term, string>();
    for (const p of this.cone) next.set(p.state, printer.text(p.next, this.out));
    this.states.push(next);
  }

  /** A term of the state after scan `at` (0: before the first). */
  text(t: Term, at: number): string {
    // Terms of the state alone have no inputs of a scan, so the printer of the scan that follows serves.
    return this.printer(at).text(t, this.out);
  }
}

export interface Effort {
  /** Steps of the solver for one question. */ readonly steps: number;
  /** Scans from the cold start that are looked at. */ readonly depth: number;
  /** Scans that induction looks back on, at most. */ readonly back: number;
  readonly isCancelled?: () => boolean;
  /** Steps that there is time for. */
  readonly stepsLeft?: () => number;
}

export class Prover {
  /** Steps the solver has taken for this prover's questions. */
  used = 0;
  /** No question is asked beyond so many; the answer is then 'unknown'. */
  limit = Infinity;
  private counted = 0;

  constructor(
    private readonly system: System,
    private readonly solver: Solver,
    private readonly effort: Effort,
  ) {}

  private async ask(out: string[], what: string): Promise<string> {
    if (this.used >= this.limit || this.effort.isCancelled?.()) {
      out.length = 0;
      return 'unknown';
    }
    const fresh = out[0] === '(reset)';
    // A question that stands alone goes to the plain solver at once: what is tried before it by default costs a
    // thousand times more.
    out.push(fresh && !out.includes('(push)') ? '(check-sat-using smt)' : '(check-sat)', what, '(get-info :rlimit)');
    const text = out.join('\n'),
      whole = await this.solver.run(text),
      count = /\(:rlimit (\d+)\)\s*$/.exec(whole),
      answer = count ? whole.slice(0, count.index) : whole;
    out.length = 0;
    // The solver counts from its beginning.
    const steps = Number(count?.[1] ?? 0);
    this.used += steps - (fresh ? 0 : this.counted);
    this.counted = steps;
    // Values are asked for with every question; after `unsat` there are none.
    if (answer.split('\n').some((l) => l.startsWith('(error') && !l.includes('model is not available')))
      throw new Error(
        `The solver does not understand ${text.split('\n')[Number(/line (\d+)/.exec(answer)?.[1] ?? 0) - 2] ?? ''}: ${answer.slice(0, 300)}`,
      );
    return answer;
  }
  private begin(): string[] {
    return [
      '(reset)',
      `(set-option :rlimit ${Math.floor(Math.min(this.effort.steps, this.effort.stepsLeft?.() ?? Infinity))})`,
      '(set-option :produce-models true)',
    ];
  }

  /**
   * Facts among the candidates that hold after every scan, given what is given; with `warm` also after warm restarts.
   */
  async holding(candidates: readonly Term[], given: readonly Term[], warm: boolean): Promise<readonly Term[]> {
    const { system } = this,
      { terms } = system;
    let left = [...new Set(candidates)].filter((c) => c !== terms.true);
    const cone = coneOf(system, [...left, ...given]);
    const sift = async (from: 'cold' | 'any' | 'warm'): Promise<void> => {
      const out = this.begin(),
        before = new Unrolled(system, cone, out, 'h', from === 'cold' ? 'cold' : 'any'),
        run = from === 'warm' ? new Unrolled(system, cone, out, 'w', before) : before;
      const isAny = from !== 'cold';
      if (isAny) for (const g of given) out.push(`(assert ${before.text(g, 0)})`);
      const then = new Map(left.map((c) => [c, isAny ? before.text(c, 0) : '']));
      run.advance();
      for (const g of given) out.push(`(assert ${run.text(g, 1)})`);
      const after = new Map(left.map((c) => [c, run.text(c, 1)]));
      while (left.length) {
        if (this.effort.isCancelled?.()) {
          left = [];
          return;
        }
        out.push('(push)');
        if (isAny) for (const c of left) out.push(`(assert ${then.get(c)})`);
        out.push(`(assert (not (and ${left.map((c) => after.get(c)).join(' ')} true)))`);
        const names = left.map((c) => after.get(c)!);
        const answer = await this.ask(out, `(get-value (${names.join(' ')}))\n(pop)`);
        if (answer.startsWith('unsat')) return;
        // Out of steps: what is in doubt is no fact. Half of them at a time, so that some may be left.
        if (!answer.startsWith('sat')) {
          left = left.slice(0, left.length >> 1);
          continue;
        }
        const values = valuesIn(answer, names.length),
          kept = left.filter((_, i) => values[i] === 'true');
        if (kept.length === left.length) {
          left = [];
          return;
        }
        left = kept;
      }
    };
    await sift('cold');
    await sift('any');
    // What a warm restart takes away is missing as a ground for the others: they are asked again, until none is lost.
    for (let count = -1; warm && left.length && left.length !== count && !this.effort.isCancelled?.();) {
      count = left.length;
      await sift('warm');
      if (left.length !== count) await sift('any');
    }
    return left;
  }

  /** Whether what is given can hold at all for some scans from the cold start. */
  async isPossible(given: readonly Term[]): Promise<boolean> {
    if (!given.length) return true;
    const out = this.begin(),
      run = new Unrolled(this.system, coneOf(this.system, given), out, 'g', 'cold');
    for (let i = 1; i <= 5; i++) {
      run.advance();
      for (const g of given) out.push(`(assert ${run.text(g, i)})`);
    }
    return !(await this.ask(out, '')).startsWith('unsat');
  }

  /**
   * Proves a goal with the help of facts that hold after every scan (`warm`: after warm restarts too); undefined where
   * induction does not get there.
   */
  async induct(goal: Goal, facts: readonly Term[], warm: boolean): Promise<Answer | undefined> {
    const { system, effort } = this;
    if (goal.bad === system.terms.false) return { kind: 'proved', scans: 0, facts: 0, warm: true };
    const cone = coneOf(system, [goal.bad, ...goal.given]),
      inCone = new Set(cone.map((p) => p.state));
    const useful = facts.filter((x) => variablesOf([x]).every((v) => inCone.has(v)));
    for (let k = 1; k <= effort.back && !effort.isCancelled?.(); k++) {
      const out = this.begin(),
        any = new Unrolled(system, cone, out, 'i', 'any');
      for (let i = 0; i <= k; i++) {
        if (i) any.advance();
        for (const g of [...goal.given, ...useful]) out.push(`(assert ${any.text(g, i)})`);
        const bad = any.text(goal.bad, i);
        out.push(`(assert ${i < k ? `(not ${bad})` : bad})`);
      }
      if (!(await this.ask(out, '')).startsWith('unsat')) continue;
      // The first k scans must be free of harm too.
      const start = await this.look(goal, k);
      if (start.kind === 'open' && start.scans < k) return undefined;
      if (start.kind === 'broken') return start;
      return {
        kind: 'proved',
        scans: k,
        facts: useful.length,
        warm: warm && (await this.isFreeWarm(goal, cone, useful, k)),
      };
    }
    return undefined;
  }

  /** Whether the first scans after a warm restart, at any moment that the facts allow, are free of harm. */
  private async isFreeWarm(goal: Goal, cone: readonly Part[], facts: readonly Term[], scans: number): Promise<boolean> {
    if (cone.some((p) => p.isLostWarm)) return false;
    // Where nothing is retained a warm restart is a cold one.
    if (!cone.some((p) => p.isRetained)) return true;
    const out = this.begin(),
      any = new Unrolled(this.system, cone, out, 'b', 'any'),
      run = new Unrolled(this.system, cone, out, 'a', any);
    for (const g of [...goal.given, ...facts]) out.push(`(assert ${any.text(g, 0)})`);
    out.push(`(assert (not ${any.text(goal.bad, 0)}))`);
    const bads: string[] = [];
    for (let i = 1; i <= scans; i++) {
      run.advance();
      for (const g of goal.given) out.push(`(assert ${run.text(g, i)})`);
      bads.push(run.text(goal.bad, i));
    }
    out.push(`(assert (or ${bads.join(' ')} false))`);
    return (await this.ask(out, '')).startsWith('unsat');
  }

  /** Looks at the first scans from the cold start, one question for some of them together. */
  async look(goal: Goal, depth: number): Promise<Answer & { kind: 'broken' | 'open' }> {
    const cone = coneOf(this.system, [goal.bad, ...goal.given]),
      out = this.begin(),
      run = new Unrolled(this.system, cone, out, 'd', 'cold');
    let looked = 0;
    for (let group = 4; looked < depth; group = Math.min(16, group * 2)) {
      if (this.effort.isCancelled?.()) return { kind: 'open', scans: looked };
      const bads: string[] = [];
      const to = Math.min(depth, looked + group);
      for (let at = looked + 1; at <= to; at++) {
        run.advance();
        for (const g of goal.given) out.push(`(assert ${run.text(g, at)})`);
        bads.push(run.text(goal.bad, at));
      }
      out.push('(push)', `(assert (or ${bads.join(' ')} false))`);
      const names = Array.from({ length: to }, (_, i) => [
        ...(run.inputs[i] ?? new Map<string, { name: string; sort: number }>()),
      ]);
      const all = names.flatMap((l) => l.map(([, x]) => x.name));
      const answer = await this.ask(out, `(get-value (${[...bads, ...all].join(' ')}))\n(pop)`);
      if (answer.startsWith('sat')) {
        const values = valuesIn(answer, bads.length + all.length),
          first = values.slice(0, bads.length).indexOf('true');
        let k = bads.length;
        const inputs = names.map((l) => new Map(l.map(([name]) => [name, numberOf(values[k++] ?? '')])));
        const scans = looked + 1 + Math.max(0, first);
        return { kind: 'broken', scans, inputs: inputs.slice(0, scans) };
      }
      if (!answer.startsWith('unsat')) return { kind: 'open', scans: looked };
      out.push(...bads.map((b) => `(assert (not ${b}))`));
      looked = to;
    }
    return { kind: 'open', scans: looked };
  }
}

/** The values of a `get-value` answer, in the order asked for. */
export function valuesIn(answer: string, count: number): string[] {
  const values: string[] = [];
  // ((name value) (name value) …): a value is a word or one pair of parentheses.
  const text = answer.slice(answer.indexOf('((') + 1);
  for (let i = 0; i < text.length && values.length < count; i++) {
    if (text[i] !== '(') continue;
    let depth = 0,
      j = i,
      split = -1;
    for (; j < text.length; j++) {
      if (text[j] === '(') depth++;
      else if (text[j] === ')') {
        if (--depth === 0) break;
      } else if (/\s/.test(text[j]!) && depth === 1 && split < 0) split = j;
    }
    values.push(text.slice(split + 1, j).trim());
    i = j;
  }
  return values;
}
const numberOf = (v: string): bigint =>
  v === 'true'
    ? 1n
    : v === 'false' || v === ''
      ? 0n
      : v.startsWith('#x')
        ? BigInt(`0x${v.slice(2)}`)
        : v.startsWith('#b')
          ? BigInt(`0b${v.slice(2)}`)
          : BigInt(/bv(\d+)/.exec(v)?.[1] ?? '0');
