/**
 * Proofs of interlock rules over all inputs: the rules and assumptions of a project as goals for induction. The machine
 * model has no part in a proof: inputs, and whatever other programs may write, may be anything in any scan, unless an
 * assumption says what the machine never does. Warm restarts may come at any moment.
 *
 * A rule is decided in this order: what breaks it while nothing is done; random free inputs on the engine; every state,
 * where they are few; induction, first alone, then with facts. What inputs alone can break is then tried against the
 * machine model, by a search that is guided by those inputs: only what the machine gives has failed.
 *
 * Proof (`proof/`). `scan` walks the intermediate representation and gives each place in memory after a scan as a term
 * over what places held before and over the inputs; a test holds it to the engine, place by place, with random inputs.
 * Branches merge by choice, loops are unrolled, blocks inlined; tasks run on their rasters and events as the engine
 * runs them. What cannot be followed is "anything" with the reason kept for the verdict (text, real arithmetic) or
 * ends the attempt with its place (references, loops without a known end): a proof may fail for that, it never holds
 * wrongly. Time is kept as ages, so no clock runs through the states. What may be written from outside is an input.
 * Each place that may fault is a term too (`faults`): one rule of its own, and named in the verdict of all others
 * where it is not excluded. Rules over time have counters of their own beside the state (`rule-system`), judged as
 * `RuleJudge` judges. `prove-rules` decides each rule in this order: what breaks while nothing is done, then random
 * free inputs, on the engine (`Search` with `freeInputs`); every state (`explore`), where inputs are Booleans and
 * states few, ages kept only as far as something compares them; induction over one to three scans (`induction`), first
 * alone, then with facts (`facts`): candidates are single values and pairs of Booleans, steps and small numbers that
 * never failed in random runs, later also how far a rule has counted against a timer's age, and those that a scan can
 * break are dropped until none can. Warm restarts are steps of `explore`, and a base of their own in `induction`:
 * retained values as any state that the facts allow may have them, all else initial. What the solver calls broken is
 * replayed on the engine (`replay`) before it is said; what inputs alone break is then tried against the machine model
 * by a search that is guided by those inputs. The solver is given SMT-LIB text and bounded in its own steps, not in
 * time, so the answer is the same everywhere: so many for a question and so many for a rule, about a minute; what the
 * first two scans break, or seem to where arithmetic is not followed, is not worked at any further. It runs on the
 * server in a worker thread (its threads need memory that a page may not share); the command line uses the same code.
 */
import type { Checked } from '../../checked/tree.js';
import type { Image } from '../../compile/image.js';
import { placeText } from '../../language/source.js';
import { type CheckRow, type Project, MACHINE } from '../../document/document.js';
import type { Compiled } from '../../workspace/compile.js';
import { givenTags } from '../../runtime/given.js';
import { findPath, formatValue, readLocation } from '../../runtime/paths.js';
import { type Type, elementCount, isScalar, sizeOf, stride } from '../../types/type.js';
import { rowsThatExpect } from '../play/doing.js';
import type { PlannedRule, ProofPlan } from '../play/plan.js';
import type { Recorded } from '../play/play.js';
import { type Counterexample, Search } from '../search/search.js';
import type { ProofStrength } from '../play/verdict.js';
import { explore } from './explore.js';
import { candidateFacts } from './facts.js';
import { type Answer, type Effort, type Goal, Prover, type Solver, type System, coneOf } from './induction.js';
import { type Replayed, inLines, replay } from './replay.js';
import { RuleSystem } from './rule-system.js';
import { type ScanOptions, type ScanSystem, scanSystem } from './scan.js';
import { type FaultSite, OutOfReach } from './state.js';
import { type Term, variablesOf } from './term.js';

export interface RuleProof {
  readonly id: string;
  readonly name: string;
  readonly strength: ProofStrength;
  /** One sentence that says which strength was reached and within which bounds, and never more. */
  readonly words: string;
  readonly assumptions: readonly string[];
  /** Of a rule that breaks: what has to be done, and the scans after which it is broken. */
  readonly recording?: readonly Recorded[];
  readonly scan?: number;
  /** Scans before which a warm restart comes, where that is needed; all scans are counted over the whole run. */
  readonly warmAt?: readonly number[];
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
  /** Asked now and then; once it says so, what is not decided is open. */
  readonly isOver?: () => boolean;
  /** Milliseconds left until then: the solver's questions are made no longer than that. */
  readonly msLeft?: () => number;
  /** What is being done now, and rules decided of all. */
  readonly onProgress?: (words: string, decided: number, of: number) => void;
}

/**
 * What the logic of a project sees as coming from outside: the machine's memory, what wires bring from it, what may be
 * written, and what the controller sets.
 */
export function scanOptions(project: Project, compiled: Compiled, image: Image, stepNs: bigint): ScanOptions {
  const machine = image.symbols.get(MACHINE.toLowerCase());
  const given = [
    ...compiled.wires.flatMap((w) => (w.kind === 'toTag' ? [w.to] : [])),
    ...project.tags.flatMap((t) => (t.access === 'write' ? [t.name] : [])),
  ];
  const driven = given.flatMap((path) => {
    const to = findPath(image, path);
    return 'location' in to
      ? [{ address: to.location.address, ...(to.location.bit === undefined ? {} : { bit: to.location.bit }) }]
      : [];
  });
  return {
    stepNs,
    without: MACHINE,
    driven: [...driven, ...givenTags(image).map((g) => g.location)],
    outside: machine ? [{ from: machine.address, to: machine.address + sizeOf(machine.type) }] : [],
  };
}

/** random: random inputs on the engine; states: every state is looked at; induction: a solver. */
export type Way = 'random' | 'states' | 'induction';
const EFFORT: Effort = { steps: 15_000_000, depth: 20, back: 3 };
/** Steps of the solver for one rule, all questions together: about a minute. */
const STEPS_A_RULE = 40_000_000;
/** Steps of the solver in a millisecond, on a slow machine. */
const STEPS_A_MS = 400;
/** Scans of the random look before a proof. */
const FREE_SCANS = 200_000;
/** Scans of looking at every state, for one rule. */
const EXPLORED = 200_000;
/** Scans of the search that tries whether the machine gives what breaks a rule, for one rule. */
const GUIDED_SCANS = 400_000;

/** Proves every rule that is no assumption. `plan` is of the project as it is. */
export async function proveRules(project: Project, plan: ProofPlan, options: ProofOptions): Promise<ProofAnswer> {
  if (!plan.image) return { rules: [], problem: 'The logic has errors; mend them first.' };
  return new RuleProver(project, plan, plan.image, options).prove();
}

class RuleProver {
  private readonly asked: readonly PlannedRule[];
  private readonly targets: readonly PlannedRule[];
  private readonly assumed: readonly PlannedRule[];
  private readonly assumptions: readonly string[];
  private readonly decided = new Map<string, Answer>();
  private readonly foundFree = new Map<string, Counterexample>();
  /** Found while nothing was done. */
  private readonly atRest = new Map<string, Counterexample>();
  /** Rules that need none of what is assumed. */
  private readonly bare = new Set<string>();
  private readonly isOver: () => boolean;
  private wasOver = false;
  private faultsAtOnce: string | undefined;

  constructor(
    private readonly project: Project,
    private readonly plan: ProofPlan,
    private readonly image: Image,
    private readonly options: ProofOptions,
  ) {
    const isAssumed = new Set(project.rules.filter((r) => r.assumed).map((r) => r.id));
    this.asked = plan.rules.filter((r) => !isAssumed.has(r.id) && (!options.only || options.only.includes(r.id)));
    const sound = plan.rules.filter((r) => r.form && !r.problem);
    // Whether anything faults is asked in any case: it belongs to what is said of all others.
    this.targets = sound.filter(
      (r) => !isAssumed.has(r.id) && (this.asked.includes(r) || r.form!.kind === 'neverFaults'),
    );
    this.assumed = sound.filter((r) => isAssumed.has(r.id));
    this.assumptions = this.assumed.map((r) => r.name);
    this.isOver = () => {
      if (options.isOver?.() || options.effort?.isCancelled?.()) this.wasOver = true;
      return this.wasOver;
    };
  }

  private say(words: string): void {
    this.options.onProgress?.(words, this.foundFree.size + this.atRest.size + this.decided.size, this.asked.length);
  }
  private uses(way: Way): boolean {
    return !this.options.ways || this.options.ways.includes(way);
  }
  private left(): readonly PlannedRule[] {
    return this.targets.filter((r) => !this.atRest.has(r.id) && !this.foundFree.has(r.id) && !this.decided.has(r.id));
  }

  async prove(): Promise<ProofAnswer> {
    this.say('Trying random inputs');
    this.tryInputs();
    if (this.faultsAtOnce !== undefined) return this.answer((r) => this.brokenOr(r, this.deadWords()));
    let scan: ScanSystem;
    const wanted = [...this.targets, ...this.assumed].flatMap((r) =>
      [r.condition, r.trigger].flatMap((c) => (c ? [c.expression] : [])),
    );
    try {
      scan = scanSystem(
        this.plan.compiled.program,
        this.image,
        scanOptions(this.project, this.plan.compiled, this.image, this.options.stepNs),
        wanted.map((n) => this.plan.compiled.program.expressions[n] as Checked),
      );
    } catch (e) {
      if (!(e instanceof OutOfReach)) throw e;
      const words = `A proof cannot follow ${e.message} (${placeText(e.at).slice(e.at.source.name.length + 1)}).`;
      return this.answer((r) => this.brokenOr(r, words));
    }
    const conditions = new Map(wanted.map((n, i) => [n, scan.conditions[i]!]));
    const run = new GoalProver(this.project, this.plan, scan, conditions, this.targets, this.assumed, {
      ...this.options,
      isOver: this.isOver,
    });
    if (!(await run.isPossible())) return this.contradiction();
    await run.decideAll({
      left: () => this.left(),
      decide: (r, a, isBare) => {
        this.decided.set(r.id, a);
        if (isBare) this.bare.add(r.id);
      },
      uses: (way) => this.uses(way),
      say: (words) => this.say(words),
    });
    const said = await this.words(run);
    return this.answer((r) => said.get(r.id) ?? this.plain(r, 'unable', 'The rule cannot be read.'));
  }

  private answer(of: (r: PlannedRule) => RuleProof): ProofAnswer {
    return { rules: this.asked.map((r) => (r.problem ? this.plain(r, 'unable', r.problem) : of(r))) };
  }
  private plain(r: PlannedRule, strength: RuleProof['strength'], words: string): RuleProof {
    return { id: r.id, name: r.name, strength, words, assumptions: [] };
  }
  private contradiction(): ProofAnswer {
    const words = `The assumptions contradict each other: no run keeps ${this.assumptions.map((a) => `'${a}'`).join(' and ')}, so everything would be proved.`;
    return {
      contradiction: true,
      ...this.answer((r) => ({ ...this.plain(r, 'unable', words), assumptions: this.assumptions })),
    };
  }
  private deadWords(): string {
    return `Nothing can be proved: the first scan ends in a ${this.faultsAtOnce}`;
  }

  /**
   * What random inputs break needs no proof: it is found in a moment, however deep it lies. First nothing is done at
   * all.
   */
  private tryInputs(): void {
    const free = new Search(this.plan, this.project, {
      stepNs: this.options.stepNs,
      seed: 1,
      upsets: false,
      freeInputs: true,
      only: this.targets.map((r) => r.id),
      isOver: this.isOver,
    });
    for (let n = 0; n < FREE_SCANS && !free.isDone && !this.isOver(); n += 50_000)
      if (this.uses('random') || n === 0) free.run(this.uses('random') ? 50_000 : 1);
    this.faultsAtOnce = free.state.faultsAtOnce;
    for (const x of free.state.found) (x.recording.length ? this.foundFree : this.atRest).set(x.ruleId, x);
  }

  /** A rule that was broken before its logic could not be followed, else these words. */
  private brokenOr(r: PlannedRule, words: string): RuleProof {
    const rest = this.atRest.get(r.id),
      free = this.foundFree.get(r.id);
    return rest ? this.failedAtRest(r, rest) : free ? this.brokenBy(r, free) : this.plain(r, 'unable', words);
  }

  private failedAtRest(r: PlannedRule, x: Pick<Counterexample, 'scan' | 'seen'>): RuleProof {
    return {
      ...this.plain(r, 'failed', `Breaks without any input, at scan ${scanOf(r, x)}: ${x.seen}.`),
      recording: [],
      scan: x.scan,
      inputs: [],
      rows: this.rowsFor(r, [], x.scan),
    };
  }

  /** What inputs alone break is tried against the machine model: what it gives has failed, what it does not is open. */
  private brokenBy(r: PlannedRule, how: Pick<Counterexample, 'recording' | 'scan' | 'seen'>): RuleProof {
    const driven = new Set(this.plan.compiled.wires.flatMap((w) => (w.kind === 'toTag' ? [w.to.toLowerCase()] : [])));
    // What no device of the machine drives anybody may give.
    if (how.recording.every(({ event }) => event.kind === 'releaseAll' || !driven.has(event.path.toLowerCase())))
      return {
        ...this.plain(r, 'failed', `Free inputs break it within ${count(scanOf(r, how), 'scan')}: ${how.seen}.`),
        assumptions: this.assumptions,
        recording: how.recording,
        scan: how.scan,
        inputs: inLines(how.recording),
        rows: this.rowsFor(r, how.recording, how.scan),
      };
    const guide = new Map<string, NonNullable<Extract<Recorded['event'], { path: string }>['value']>>();
    for (const { event } of how.recording)
      if (event.kind !== 'releaseAll' && event.value !== undefined) guide.set(event.path, event.value);
    this.say(`Trying whether the machine breaks '${r.name}'`);
    const search = new Search(this.plan, this.project, {
      stepNs: this.options.stepNs,
      seed: 1,
      // The machine as it is when nothing goes wrong with it; upsets are for a search.
      upsets: false,
      only: [r.id],
      rest: 1,
      guide: [...guide].map(([path, value]) => ({ path, value })),
      isOver: this.isOver,
    });
    const { found, scans } = search.run(GUIDED_SCANS);
    const hit = found[0];
    if (hit)
      return {
        ...this.plain(
          r,
          'failed',
          `The machine model gives inputs that break it, at scan ${scanOf(r, hit)}: ${hit.seen}.`,
        ),
        recording: hit.recording,
        scan: hit.scan,
        inputs: hit.rows.map((x) => [x.when ?? 'at once', ...(x.do ?? [])].join(', ')),
        rows: hit.rows,
      };
    return {
      id: r.id,
      name: r.name,
      assumptions: this.assumptions,
      strength: 'broken',
      words: `Inputs alone can break it within ${count(scanOf(r, how), 'scan')}${this.assumptions.length ? ', also with what is assumed' : ''}; a search of ${count(scans, 'scan')} guided by them did not find the machine model to give them (without upsets). If the machine never does, an assumption can say so.`,
      recording: how.recording,
      scan: how.scan,
      inputs: inLines(how.recording),
      rows: this.rowsFor(r, how.recording, how.scan),
    };
  }

  private rowsFor(r: PlannedRule, recording: readonly Recorded[], scan: number): readonly CheckRow[] {
    return rowsThatExpect(
      this.project,
      this.image,
      recording,
      [`keeps '${r.name}'`],
      scan,
      Number(this.options.stepNs) / 1e6,
    );
  }

  /** What is said of each rule, once all are decided: whether anything faults belongs to all of them. */
  private async words(run: GoalProver): Promise<ReadonlyMap<string, RuleProof>> {
    const faults = this.targets.find((r) => r.form!.kind === 'neverFaults');
    const replayed = new Map<string, Replayed>();
    for (const [id, a] of this.decided)
      if (a.kind === 'broken') {
        const r = this.targets.find((x) => x.id === id)!,
          played = run.replay(r, a);
        if (played) replayed.set(id, played);
      }
    const isSafe = !faults || this.decided.get(faults.id)?.kind === 'proved';
    const unless = isSafe ? '' : await this.unlessFaults(run, faults, replayed.get(faults.id));
    const said = new Map<string, RuleProof>();
    for (const r of this.targets) {
      const rest = this.atRest.get(r.id),
        free = this.foundFree.get(r.id),
        answer = this.decided.get(r.id);
      if (rest) said.set(r.id, this.failedAtRest(r, rest));
      else if (free) said.set(r.id, this.brokenBy(r, free));
      else if (answer) said.set(r.id, this.said(run, r, answer, replayed.get(r.id), r === faults ? '' : unless));
      else
        said.set(
          r.id,
          this.plain(
            r,
            'open',
            this.wasOver ? 'Not proved: the time was up before there was an answer.' : 'Not proved.',
          ),
        );
    }
    return said;
  }

  private said(run: GoalProver, r: PlannedRule, a: Answer, played: Replayed | undefined, unless: string): RuleProof {
    const used = this.bare.has(r.id) ? [] : run.leansOn(r);
    const withThem = used.length
      ? ` with ${used.length === 1 ? 'the assumption' : 'the assumptions'} ${used.map((x) => `'${x}'`).join(', ')}`
      : '';
    const common = { id: r.id, name: r.name, assumptions: used };
    switch (a.kind) {
      case 'proved': {
        const how =
          a.states !== undefined
            ? `every one of ${count(a.states, 'state')}`
            : a.scans
              ? `induction over ${count(a.scans, 'scan')}`
              : 'whatever happens before';
        const staying = run.stayingIn(r);
        const scope = `${staying.length ? `, with ${list(staying, 3)}, which nothing writes` : ''}${unless}`;
        const all = `Proved${used.length ? `${withThem},` : ''} for all ${used.length ? 'other ' : ''}inputs from a cold start`;
        if (a.warm)
          return { ...common, strength: 'proved', words: `${all} and after a warm restart (${how})${scope}.` };
        const after = run.warmBreak(r),
          lost = run.lostWarm(r);
        return {
          ...common,
          strength: 'cold',
          words: `${all} (${how})${scope}; ${after ? afterWarm(after) : `not proved after a warm restart${lost.length ? `: ${list(lost, 3)} of a timer ${lost.length === 1 ? 'is' : 'are'} retained` : ', for what is retained'}`}.`,
          ...(after ? shownWarm(after) : {}),
        };
      }
      case 'contradiction':
        return { ...common, strength: 'unable', words: 'The assumptions contradict each other.' };
      case 'open':
        return {
          ...common,
          strength: 'open',
          words: this.wasOver
            ? 'Not proved: the time was up before there was an answer.'
            : a.scans === 0
              ? 'Not proved: out of reach of the solver.'
              : `Not proved. In the first ${count(a.scans, 'scan')} nothing breaks it, whatever the inputs are${withThem}.`,
        };
      case 'broken': {
        if (!played) {
          const vague = run.vagueIn(r);
          return {
            ...common,
            strength: 'open',
            words: vague.length
              ? `Not proved: a proof does not follow ${list(vague, 3)}, which it depends on.`
              : 'Not proved. What the proof found does not break the rule when it is played.',
          };
        }
        // No machine restarts by itself, and whether it breaks without that was not decided.
        if (played.warmAt.length)
          return { ...common, strength: 'open', words: `Not proved: ${afterWarm(played)}.`, ...shownWarm(played) };
        if (played.needsNoInput) return this.failedAtRest(r, played);
        return this.brokenBy(r, { recording: played.recording, scan: played.scan, seen: played.seen });
      }
    }
  }

  /** `, unless the logic faults: Main:3 can divide by zero`: places that are not proved never to fault. */
  private async unlessFaults(run: GoalProver, faults: PlannedRule, played: Replayed | undefined): Promise<string> {
    const known = this.atRest.get(faults.id) ?? this.foundFree.get(faults.id);
    const sites = await run.doubtfulSites();
    // The line is enough, and the element of a rung.
    const exact = (s: FaultSite) => placeText(s.at).slice(s.at.source.name.length + 1),
      place = (s: FaultSite) => exact(s).replace(/:\d+:\d+$/, (x) => x.slice(0, x.lastIndexOf(':')));
    const certain = (known?.seen ?? played?.seen ?? '') as string;
    const words = [
      ...new Set(sites.map((s) => `${place(s)} ${certain.includes(`${exact(s)}:`) ? 'can' : 'may'} ${DOES[s.kind]}`)),
    ].sort((a, b) => Number(b.includes(' can ')) - Number(a.includes(' can ')));
    return words.length ? `, unless the logic faults: ${list(words, 3)}` : '';
  }
}

const afterWarm = (x: Replayed): string =>
  `after a warm restart inputs can break it (scan ${x.scan - (x.warmAt.at(-1) ?? 0)} after it)`;
const shownWarm = ({ inputs, recording, scan, warmAt }: Replayed) => ({ inputs, recording, scan, warmAt });

const DOES: Readonly<Record<FaultSite['kind'], string>> = {
  DIVISION: 'divide by zero',
  INDEX: 'go outside of its array',
  NULL: 'meet a reference that is NULL',
  WATCHDOG: 'loop past the watchdog',
  RANGE: 'leave its subrange',
  DEPTH: 'call itself more than 64 deep',
};
/** The scan in which it breaks; one that faults is not counted as done. */
const scanOf = (r: PlannedRule, x: { readonly scan: number }): number =>
  r.form?.kind === 'neverFaults' ? x.scan + 1 : x.scan;
const count = (k: number, what: string): string => `${k.toLocaleString('en')} ${what}${k === 1 ? '' : 's'}`;
const list = (words: readonly string[], most: number): string => {
  const shown = words.slice(0, most),
    more = words.length - shown.length;
  return more ? `${shown.join(', ')} and ${more} more` : shown.join(shown.length > 2 ? ', ' : ' and ');
};

interface Deciding {
  left(): readonly PlannedRule[];
  decide(r: PlannedRule, a: Answer, isBare: boolean): void;
  uses(way: Way): boolean;
  say(words: string): void;
}

/** The goals of one project, and the ways to decide them. */
class GoalProver {
  private readonly rules: RuleSystem;
  private readonly prover: Prover;
  private readonly goals: ReadonlyMap<string, Term>;
  private readonly given: readonly Term[];
  private readonly effort: Effort;
  private readonly ages: ReadonlySet<Term>;
  /** That nothing has faulted, where something may. */
  private readonly unhurt: readonly Term[];
  /** How a rule that is proved from a cold start breaks after a warm restart. */
  private readonly warmBreaks = new Map<string, Answer & { kind: 'broken' }>();

  constructor(
    private readonly project: Project,
    private readonly plan: ProofPlan,
    private readonly scan: ScanSystem,
    conditions: ReadonlyMap<number, Term>,
    private readonly targets: readonly PlannedRule[],
    private readonly assumed: readonly PlannedRule[],
    private readonly options: ProofOptions & { readonly isOver: () => boolean },
  ) {
    this.rules = new RuleSystem(scan, options.stepNs);
    this.goals = new Map([...targets, ...assumed].map((r) => [r.id, this.rules.broken(r, conditions)]));
    this.given = assumed.map((r) => scan.terms.not(this.goals.get(r.id)!));
    this.unhurt = scan.faults.length ? [scan.terms.not(this.rules.faulted)] : [];
    const { msLeft } = options;
    this.effort = {
      ...EFFORT,
      ...options.effort,
      isCancelled: options.isOver,
      ...(msLeft ? { stepsLeft: () => Math.max(1000, msLeft() * STEPS_A_MS) } : {}),
    };
    this.prover = new Prover(this.rules, options.solver, this.effort);
    this.ages = new Set([...scan.slots.values()].filter((s) => scan.ages.has(s.key)).map((s) => s.state));
  }

  isPossible(): Promise<boolean> {
    return this.prover.isPossible(this.given);
  }

  /**
   * What may be taken for granted of a rule, from least to most: nothing, the assumptions, that nothing has faulted.
   */
  private stages(r: PlannedRule): readonly (readonly Term[])[] {
    const isFaults = r.form!.kind === 'neverFaults';
    const stages: (readonly Term[])[] = [[]];
    if (this.given.length) stages.push(this.given);
    if (this.unhurt.length && !isFaults) stages.push([...this.given, ...this.unhurt]);
    return stages;
  }
  private last(r: PlannedRule): readonly Term[] {
    return this.stages(r).at(-1)!;
  }

  async decideAll(d: Deciding): Promise<void> {
    d.say('Looking at every state');
    // Where little is at stake every state is looked at; only what is left is for the solver.
    if (d.uses('states')) for (const r of d.left()) this.exploreRule(r, d);
    if (d.uses('induction')) await this.inductAll(d);
    for (const r of d.left()) {
      if (this.options.isOver()) return;
      d.say('Looking at the first scans');
      this.prover.limit = this.prover.used + this.effort.steps;
      const answer = d.uses('induction')
        ? await this.prover.look({ bad: this.goals.get(r.id)!, given: this.last(r) }, this.effort.depth)
        : ({ kind: 'open', scans: 0 } as const);
      d.decide(r, answer, false);
    }
  }

  private exploreRule(r: PlannedRule, d: Deciding): void {
    const bad = this.goals.get(r.id)!;
    const look = (given: readonly Term[], warm: boolean) =>
      explore({ bad, given }, coneOf(this.rules, [bad, ...given]), this.ages, {
        scans: EXPLORED,
        work: 25_000_000,
        inputs: 4096,
        warm,
        isCancelled: this.options.isOver,
      });
    for (const given of this.stages(r)) {
      if (this.options.isOver()) return;
      const isLast = given === this.last(r) || given.length === this.last(r).length;
      const both = look(given, true);
      // Broken without what is granted says nothing about runs that keep it.
      if (!both || (both.kind !== 'proved' && !isLast)) continue;
      if (both.kind === 'proved') {
        d.decide(r, both, !given.length);
        return;
      }
      const cold = look(given, false);
      if (cold?.kind === 'proved') {
        this.warmBreaks.set(r.id, both);
        d.decide(r, { ...cold, warm: false }, !given.length);
      } else d.decide(r, cold ?? both, false);
      return;
    }
  }

  private async inductAll(d: Deciding): Promise<void> {
    const { prover, scan } = this;
    prover.limit = prover.used + STEPS_A_RULE * d.left().length;
    d.say('Proving by induction');
    // What the first scans break, or seem to because arithmetic is not followed, no fact can prove: it is not worked
    // at.
    for (const r of d.left()) {
      if (this.options.isOver()) return;
      const first = await prover.look({ bad: this.goals.get(r.id)!, given: this.last(r) }, 2);
      if (first.kind === 'broken') d.decide(r, first, false);
    }
    /** Rules stand by each other: what has been proved of one is a fact for the others. */
    const proved = new Map<string, boolean>();
    const induct = async (which: readonly PlannedRule[], stage: number, facts: readonly Term[], warm: boolean) => {
      for (const r of which) {
        if (this.options.isOver()) return;
        const given = this.stages(r)[stage];
        if (!given) continue;
        const a = await prover.induct({ bad: this.goals.get(r.id)!, given }, facts, warm);
        const isLast = stage === this.stages(r).length - 1;
        if (!a || (a.kind !== 'proved' && !isLast)) continue;
        // From a cold start only: perhaps with more facts after a warm restart too.
        if (a.kind === 'proved' && warm && !a.warm) {
          this.coldOnly.set(r.id, { answer: a, isBare: !stage });
          continue;
        }
        d.decide(r, a, !stage);
        if (a.kind === 'proved') proved.set(r.id, !stage);
        d.say('Proving by induction');
      }
    };
    const stages = Math.max(...this.targets.map((r) => this.stages(r).length), 1);
    // Without what is granted first: a proof that needs less says more.
    for (let stage = 0; stage < stages; stage++) await induct(d.left(), stage, [], true);
    for (const clocks of [false, true])
      for (let stage = 0; stage < stages; stage++) {
        const open = d.left().filter((r) => this.stages(r)[stage] && (!clocks || 'span' in r.form!));
        if (!open.length || this.options.isOver() || (clocks && stage < stages - 1)) continue;
        d.say(clocks ? 'Looking for facts about timers' : 'Looking for facts that always hold');
        const given = this.stages(open[0]!)[stage]!,
          harm = open.map((r) => this.goals.get(r.id)!);
        const known = [...proved].flatMap(([id, isBare]) =>
          stage || isBare ? [scan.terms.not(this.goals.get(id)!)] : [],
        );
        const candidates = candidateFacts(
          this.plan,
          scan,
          this.rules,
          harm,
          given,
          stage ? this.assumed : [],
          clocks ? this.options.stepNs : undefined,
          this.options.stepNs,
        );
        const all = [...harm.map((h) => scan.terms.not(h)), ...known, ...candidates];
        const isRetaining = coneOf(this.rules, [...harm, ...given]).some((p) => p.isRetained);
        const facts = await prover.holding(all, given, isRetaining);
        await induct(open, stage, facts, true);
        // What only a cold start gives is a ground for cold starts.
        const rest = open.filter((r) => d.left().includes(r) && !this.coldOnly.has(r.id));
        if (isRetaining && rest.length) await induct(rest, stage, await prover.holding(all, given, false), false);
      }
    for (const r of d.left()) {
      const cold = this.coldOnly.get(r.id);
      if (cold) d.decide(r, cold.answer, cold.isBare);
    }
  }
  private readonly coldOnly = new Map<string, { readonly answer: Answer; readonly isBare: boolean }>();

  replay(r: PlannedRule, a: Answer & { kind: 'broken' }): Replayed | undefined {
    return replay(this.plan, r, this.assumed, this.scan, a, this.options.stepNs);
  }
  /** How a rule proved from a cold start breaks after a warm restart, where that was found and happens. */
  warmBreak(r: PlannedRule): Replayed | undefined {
    const a = this.warmBreaks.get(r.id);
    return a && this.replay(r, a);
  }

  private cone(r: PlannedRule) {
    return coneOf(this.rules, [this.goals.get(r.id)!]);
  }

  /** Names of the assumptions that a proof of the rule could have leant on. */
  leansOn(r: PlannedRule): readonly string[] {
    return this.assumed.flatMap((x, i) => (leansOn(this.rules, this.goals.get(r.id)!, this.given[i]!) ? [x.name] : []));
  }

  /** What a proof does not follow and the rule depends on, in words. */
  vagueIn(r: PlannedRule): readonly string[] {
    return this.scan.vagueIn([this.goals.get(r.id)!, ...this.cone(r).map((p) => p.next)]);
  }

  /** `Hmi staying FALSE`: tags that the rule depends on and that nothing ever changes. */
  stayingIn(r: PlannedRule): readonly string[] {
    const { image } = this.plan;
    const view = new DataView(image!.initial.buffer, image!.initial.byteOffset, image!.initial.byteLength);
    const still = new Set(this.cone(r).flatMap((p) => (p.next === p.state ? [p.state] : [])));
    const keys = new Set([...still].flatMap((v) => this.rules.slotOf(v)?.key ?? []));
    const constants = new Set(this.project.tags.filter((t) => t.constant).map((t) => t.name.toLowerCase()));
    const isStill = (address: number, bit?: number) => keys.has(bit === undefined ? `${address}` : `${address}.${bit}`);
    const named = (path: string, type: Type, address: number, bit?: number): readonly string[] => {
      // Of what is made of several values only that it stays: they would fill the sentence.
      if (!isScalar(type))
        return placesIn(type).some((offset) => isStill(address + offset)) ? [`${path} staying as it begins`] : [];
      if (!isStill(address, bit)) return [];
      const location = { type, address, path, section: '', ...(bit === undefined ? {} : { bit }) };
      return [`${path} staying ${formatted(type, readLocation(view, location))}`];
    };
    return [...image!.symbols.values()].flatMap((s) => {
      if (s.isView || constants.has(s.name.toLowerCase()) || s.name.toLowerCase() === MACHINE.toLowerCase()) return [];
      const isProgram = image!.programs.some((p) => p.toLowerCase() === s.name.toLowerCase());
      return isProgram && s.type.kind === 'block'
        ? s.type.layout.members.flatMap((m) =>
            m.section === 'hidden' || m.type.kind === 'block'
              ? []
              : named(`${s.name}.${m.name}`, m.type, s.address + m.offset),
          )
        : s.type.kind === 'block'
          ? []
          : named(s.name, s.type, s.address, s.bit);
    });
  }

  /** Retained starts of timers in what the rule depends on: what they mean after a warm restart is not followed. */
  lostWarm(r: PlannedRule): readonly string[] {
    return this.cone(r).some((p) => p.isLostWarm) ? ['the start'] : [];
  }

  /** Places that may fault as far as is known: those that are not proved by themselves never to. */
  async doubtfulSites(): Promise<readonly FaultSite[]> {
    const doubtful: FaultSite[] = [];
    for (const site of this.scan.faults) {
      if (this.options.isOver()) {
        doubtful.push(site);
        continue;
      }
      this.prover.limit = this.prover.used + this.effort.steps;
      const a = await this.prover.induct({ bad: this.rules.faultedAt(site), given: this.given }, [], true);
      if (a?.kind !== 'proved') doubtful.push(site);
    }
    return doubtful;
  }
}

/** Offsets of the values in an array or structure; blocks in it keep their own counsel. */
function placesIn(type: Type, offset = 0, out: number[] = []): readonly number[] {
  if (out.length > 5000) return out;
  if (type.kind === 'struct') for (const m of type.members) placesIn(m.type, offset + m.offset, out);
  else if (type.kind === 'array')
    for (let i = 0; i < elementCount(type); i++) placesIn(type.element, offset + i * stride(type.element), out);
  else if (isScalar(type)) out.push(offset);
  return out;
}

const formatted = (type: Parameters<typeof formatValue>[0], value: Parameters<typeof formatValue>[1]): string =>
  typeof value === 'boolean' ? (value ? 'TRUE' : 'FALSE') : formatValue(type, value);

/** Whether an assumption speaks of something that the goal depends on. */
function leansOn(system: System, bad: Goal['bad'], assumption: Term): boolean {
  const inCone = new Set(coneOf(system, [bad]).flatMap((p) => [p.state, ...variablesOf([p.next])]));
  // An input is known by what it is after the scan: the goal may depend on that without looking at what it was before.
  return coneOf(system, [assumption]).some(
    (p) => inCone.has(p.state) || variablesOf([p.next]).some((v) => inCone.has(v)),
  );
}
