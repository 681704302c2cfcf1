/**
 * Long work of `ferrule verify` in shares, one for each core: lanes of a search, every n-th change of the logic. Who does
 * which share makes no difference to what comes out.
 */
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import {
  type ChangesTried,
  Compiler,
  LANES,
  Lane,
  type LaneOptions,
  type MutantResult,
  type Project,
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
  scanStep,
  tryMutant,
} from '@ferrule/core';

/** Share `worker` of `workers`. A search ends after `ms` however far it is. */
export type Share = { readonly project: Project; readonly worker: number; readonly workers: number } & (
  | { readonly kind: 'search'; readonly options: LaneOptions; readonly ms: number }
  | { readonly kind: 'changes'; readonly ms: number }
  /** Of the rules of `only` every `workers`-th. */
  | { readonly kind: 'proof'; readonly only: readonly string[]; readonly ms: number }
  | { readonly kind: 'play'; readonly only?: string; readonly ms: number }
);
type Result = SearchState | MutantResult | ProofResult | RuleProof;
/** Each with its number: of a lane, or of a change among all; 0 of what is one. */
export type Done = readonly (readonly [number, Result])[];

/** Does a share, here and now. */
export async function doShare(s: Share): Promise<Done> {
  const until = performance.now() + s.ms,
    isOver = () => performance.now() >= until;
  const plan = planProof(s.project, s.project.name);
  if (s.kind === 'search') {
    const lanes = lanesOf(s.worker, s.workers).map((n) => new Lane(n, plan, s.project, s.options, isOver));
    while (!goOn(lanes) && !isOver());
    return lanes.map((l) => [l.number, l.state]);
  }
  if (s.kind === 'proof') {
    const solver = await (await import('@ferrule/core/solver')).loadSolver();
    try {
      const mine = s.only.filter((_, i) => i % s.workers === s.worker);
      const { rules } = await proveRules(s.project, plan, {
        stepNs: scanStep(plan.image!),
        solver,
        only: mine,
        isOver,
        msLeft: () => until - performance.now(),
      });
      return rules.map((r) => [s.only.indexOf(r.id), r]);
    } finally {
      await solver.close();
    }
  }
  if (s.kind === 'play')
    return [
      [0, prove(plan, { stepNs: scanStep(plan.image!), isOver, ...(s.only === undefined ? {} : { only: s.only }) })],
    ];
  const stepNs = scanStep(plan.image!),
    compiler = new Compiler(),
    failing = failingAlready(plan, stepNs);
  return mutantsOf(s.project).flatMap((m, i): Done => {
    const r = i % s.workers === s.worker && !isOver() ? tryMutant(s.project, m, stepNs, compiler, failing) : undefined;
    return r ? [[i, r]] : [];
  });
}

export type Work = Share extends infer S ? (S extends unknown ? Omit<S, 'worker' | 'workers'> : never) : never;

/** Who does shares: the threads of this machine, or workers on many. */
export interface Pool {
  /** Shares that are worth making of work that has many parts. */ readonly count: number;
  /** Does all shares of a work; what each gives, in any order. */
  run(work: Work, count: number): Promise<readonly Done[]>;
}
/** In threads of this machine, as many as there are cores; from the sources, without built threads, in this one. */
export const THREADS: Pool = {
  count: existsSync(new URL('./worker.mjs', import.meta.url)) ? availableParallelism() : 1,
  run: (work, count) =>
    Promise.all(
      Array.from({ length: count }, (_, worker): Promise<Done> => {
        const share = { ...work, worker, workers: count } as Share;
        if (count === 1) return doShare(share);
        return new Promise((resolve, reject) => {
          const w = new Worker(new URL('./worker.mjs', import.meta.url), { workerData: share });
          w.once('message', resolve);
          w.once('error', reject);
        });
      }),
    ),
};

/** All shares, in the order of what they were made of. */
async function doAll(work: Work, most: number, pool: Pool): Promise<readonly Result[]> {
  const done = await pool.run(work, Math.max(1, Math.min(most, pool.count)));
  return done
    .flat()
    .sort(([a], [b]) => a - b)
    .map(([, x]) => x);
}

/** A search for counterexamples to the rules, in all its lanes. */
export const searchAll = async (
  project: Project,
  options: LaneOptions,
  ms: number,
  pool: Pool = THREADS,
): Promise<SearchState> =>
  mergeLanes((await doAll({ kind: 'search', project, options, ms }, LANES, pool)) as readonly SearchState[]);

/** Rules proved for all inputs; on this machine together, since what is found for one serves the next, given out a rule each. */
export const proveAll = async (
  project: Project,
  only: readonly string[],
  ms: number,
  pool: Pool,
): Promise<readonly RuleProof[]> =>
  (await doAll({ kind: 'proof', project, only, ms }, pool === THREADS ? 1 : only.length, pool)) as readonly RuleProof[];

/** Checks and rules played, as one share. */
export const playAll = async (
  project: Project,
  only: string | undefined,
  ms: number,
  pool: Pool,
): Promise<ProofResult> =>
  (await doAll({ kind: 'play', project, ms, ...(only === undefined ? {} : { only }) }, 1, pool))[0] as ProofResult;

/** Every small change to the logic, one at a time: which of them no check that passes notices. */
export async function tryChanges(project: Project, ms = Infinity, pool: Pool = THREADS): Promise<ChangesTried> {
  const tried = (await doAll({ kind: 'changes', project, ms }, Infinity, pool)) as readonly MutantResult[];
  const notTried = mutantsOf(project).length - tried.length;
  return { tried: tried.length, missed: tried.filter((m) => !m.noticedBy), ...(notTried ? { notTried } : {}) };
}
