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
  type SearchState,
  failingAlready,
  goOn,
  lanesOf,
  mergeLanes,
  mutantsOf,
  planProof,
  scanStep,
  tryMutant,
} from '@ferrule/core';

/** Share `worker` of `workers`. A search ends after `ms` however far it is. */
export type Share = { readonly project: Project; readonly worker: number; readonly workers: number } & (
  | { readonly kind: 'search'; readonly options: LaneOptions; readonly ms: number }
  | { readonly kind: 'changes'; readonly ms: number }
);
/** Each with its number: of a lane, or of a change among all. */
type Done = readonly (readonly [number, SearchState | MutantResult])[];

/** Does a share, here and now. */
export function doShare(s: Share): Done {
  const until = performance.now() + s.ms,
    isOver = () => performance.now() >= until;
  const plan = planProof(s.project, s.project.name);
  if (s.kind === 'search') {
    const lanes = lanesOf(s.worker, s.workers).map((n) => new Lane(n, plan, s.project, s.options, isOver));
    while (!goOn(lanes) && !isOver());
    return lanes.map((l) => [l.number, l.state]);
  }
  const stepNs = scanStep(plan.image!),
    compiler = new Compiler(),
    failing = failingAlready(plan, stepNs);
  return mutantsOf(s.project).flatMap((m, i): Done => {
    const r = i % s.workers === s.worker && !isOver() ? tryMutant(s.project, m, stepNs, compiler, failing) : undefined;
    return r ? [[i, r]] : [];
  });
}

type Work = Share extends infer S ? (S extends unknown ? Omit<S, 'worker' | 'workers'> : never) : never;

/** All shares, in as many threads as there are cores, at most `most`; from the sources, without built threads, in this one. In the order of their numbers. */
async function doAll(work: Work, most: number): Promise<readonly (SearchState | MutantResult)[]> {
  const file = new URL('./worker.mjs', import.meta.url),
    workers = existsSync(file) ? Math.min(most, availableParallelism()) : 1;
  const done = await Promise.all(
    Array.from({ length: workers }, (_, worker): Promise<Done> => {
      const share = { ...work, worker, workers } as Share;
      if (workers === 1) return Promise.resolve(doShare(share));
      return new Promise((resolve, reject) => {
        const w = new Worker(file, { workerData: share });
        w.once('message', resolve);
        w.once('error', reject);
      });
    }),
  );
  return done
    .flat()
    .sort(([a], [b]) => a - b)
    .map(([, x]) => x);
}

/** A search for counterexamples to the rules, in all its lanes. */
export const searchAll = async (project: Project, options: LaneOptions, ms: number): Promise<SearchState> =>
  mergeLanes((await doAll({ kind: 'search', project, options, ms }, LANES)) as readonly SearchState[]);

/** Every small change to the logic, one at a time: which of them no check that passes notices. */
export async function tryChanges(project: Project, ms = Infinity): Promise<ChangesTried> {
  const tried = (await doAll({ kind: 'changes', project, ms }, Infinity)) as readonly MutantResult[];
  const notTried = mutantsOf(project).length - tried.length;
  return { tried: tried.length, missed: tried.filter((m) => !m.noticedBy), ...(notTried ? { notTried } : {}) };
}
