/**
 * Long work in shares, one for each core of one machine or of many: lanes of a search, every n-th change of the logic,
 * a rule to be proved. Who does which share makes no difference to what comes out.
 */
import {
  type ChangesOfShare,
  type ChangesTried,
  LANES,
  Lane,
  type LaneOptions,
  type MutantResult,
  type ProofAnswer,
  type ProofResult,
  type RuleProof,
  type SearchState,
  failingAlready,
  goOn,
  lanesOf,
  mergeLanes,
  mutantsOf,
  planProof,
  prove,
  proveRules,
  tryMutant,
} from '@ferrule/core/verify';
import { Compiler } from '@ferrule/core/workspace';
import type { Project } from '@ferrule/core/document';
import { scanStep } from '@ferrule/core/bench';

/** Share `worker` of `workers`. A search ends after `ms` however far it is. */
export type Share = { readonly project: Project; readonly worker: number; readonly workers: number } & (
  | { readonly kind: 'search'; readonly options: LaneOptions; readonly ms: number }
  | { readonly kind: 'changes'; readonly ms: number }
  /** Of the rules of `only` every `workers`-th. */
  | { readonly kind: 'proof'; readonly only: readonly string[]; readonly ms: number }
  | { readonly kind: 'play'; readonly only?: string; readonly ms: number }
);
type Result = SearchState | MutantResult | ProofResult | RuleProof;
export interface Done {
  /** Each with its number: of a lane, or of a change among all; 0 of what is one. */
  readonly results: readonly (readonly [number, Result])[];
  /** Of changed logic. */ readonly changes?: ChangesOfShare;
  /** Of a proof: what keeps it from being one. */
  readonly proof?: Omit<ProofAnswer, 'rules'>;
}

/** Does a share, here and now. */
export async function doShare(s: Share): Promise<Done> {
  const until = performance.now() + s.ms,
    isOver = () => performance.now() >= until;
  const plan = planProof(s.project, s.project.name);
  if (!plan.image && s.kind !== 'proof') throw new QueueProblem('the logic has errors; mend them first');
  if (s.kind === 'search') {
    const lanes = lanesOf(s.worker, s.workers).map((n) => new Lane(n, plan, s.project, s.options, isOver));
    while (!goOn(lanes) && !isOver());
    return { results: lanes.map((l) => [l.number, l.state]) };
  }
  if (s.kind === 'proof') {
    const solver = await (await import('@ferrule/core/solver')).loadSolver();
    try {
      const mine = s.only.filter((_, i) => i % s.workers === s.worker);
      const { rules, ...proof } = await proveRules(s.project, plan, {
        stepNs: plan.image ? scanStep(plan.image) : 10_000_000n,
        solver,
        only: mine,
        isOver,
        msLeft: () => until - performance.now(),
      });
      return { results: rules.map((r) => [s.only.indexOf(r.id), r]), proof };
    } finally {
      await solver.close();
    }
  }
  if (s.kind === 'play')
    return {
      results: [
        [0, prove(plan, { stepNs: scanStep(plan.image!), isOver, ...(s.only === undefined ? {} : { only: s.only }) })],
      ],
    };
  const stepNs = scanStep(plan.image!),
    compiler = new Compiler(),
    failing = failingAlready(plan, stepNs),
    all = mutantsOf(s.project),
    results: [number, MutantResult][] = [];
  let tried = 0;
  for (let i = s.worker; i < all.length && !isOver(); i += s.workers, tried++) {
    const r = tryMutant(s.project, all[i]!, stepNs, compiler, failing);
    // A change that is no logic any more counts for nothing.
    if (r) results.push([i, r]);
  }
  return { results, changes: { tried, total: all.length, failing: failing.names } };
}

export type Work = Share extends infer S ? (S extends unknown ? Omit<S, 'worker' | 'workers'> : never) : never;

/** Why shares cannot be given out, taken or waited for, in a sentence. */
export class QueueProblem extends Error {}

/** Who does shares: the threads of this machine, or workers on many. */
export interface Pool {
  /** Shares that are worth making of work that has many parts. */ readonly count: number;
  /** Of rules each by itself is a share; else they are proved together, since what is found for one serves the next. */
  readonly hasEachRule: boolean;
  /**
   * Does all shares of a work; what each gives, in any order. `told` hears of each as it is done. Rejects with a
   * sentence where they cannot be done, or with the signal's reason.
   */
  run(work: Work, count: number, told?: (done: Done) => void, signal?: AbortSignal): Promise<readonly Done[]>;
}
/** Of what a whole is told while its shares are done, and what ends it. */
export interface Watch {
  /** Into how many shares it is cut. */ readonly begun?: (of: number) => void;
  /** How many of the shares are done, and what the last one gave. */
  readonly told?: (done: Done, count: number, of: number) => void;
  readonly signal?: AbortSignal;
}

/** All shares, in the order of what they were made of. */
async function doAll(work: Work, most: number, pool: Pool, watch: Watch = {}): Promise<readonly Result[]> {
  const of = Math.max(1, Math.min(most, pool.count));
  let count = 0;
  watch.begun?.(of);
  const done = await pool.run(work, of, (d) => watch.told?.(d, ++count, of), watch.signal);
  return done
    .flatMap((d) => d.results)
    .sort(([a], [b]) => a - b)
    .map(([, x]) => x);
}

/** A search for counterexamples to the rules, in all its lanes; it ends after `ms` however far it is. */
export const searchAll = async (
  project: Project,
  options: LaneOptions,
  ms: number,
  pool: Pool,
  watch?: Watch,
): Promise<SearchState> =>
  mergeLanes((await doAll({ kind: 'search', project, options, ms }, LANES, pool, watch)) as readonly SearchState[]);

/** Rules proved for all inputs, by their ids. */
export const proveAll = async (
  project: Project,
  only: readonly string[],
  ms: number,
  pool: Pool,
  watch?: Watch,
): Promise<readonly RuleProof[]> =>
  (await doAll(
    { kind: 'proof', project, only, ms },
    pool.hasEachRule ? only.length : 1,
    pool,
    watch,
  )) as readonly RuleProof[];

/** Checks and rules played, as one share. */
export const playAll = async (
  project: Project,
  only: string | undefined,
  ms: number,
  pool: Pool,
): Promise<ProofResult> =>
  (await doAll({ kind: 'play', project, ms, ...(only === undefined ? {} : { only }) }, 1, pool))[0] as ProofResult;

/** Every small change to the logic, one at a time: which of them no check that passes notices. */
export async function tryChanges(project: Project, ms: number, pool: Pool, watch?: Watch): Promise<ChangesTried> {
  const tried = (await doAll({ kind: 'changes', project, ms }, Infinity, pool, watch)) as readonly MutantResult[];
  const notTried = mutantsOf(project).length - tried.length;
  return { tried: tried.length, missed: tried.filter((m) => !m.noticedBy), ...(notTried ? { notTried } : {}) };
}
