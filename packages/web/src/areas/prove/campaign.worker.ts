/**
 * Campaigns run here, away from page and bench: search, reach, changed logic. Each goes in slices, so that it can be
 * stopped.
 */
import { Compiler } from '@ferrule/core/workspace';
import {
  type Counterexample,
  Lane,
  type MutantResult,
  type Reach,
  type SearchState,
  failingAlready,
  goOn,
  mutantsOf,
  planProof,
  reachOf,
  tryMutant,
} from '@ferrule/core/verify';
import { Engine, scanStep } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';

/** `find` looks for what the checks did not reach, with the same lanes. */
export type ToCampaign =
  | {
      readonly kind: 'search' | 'find';
      readonly project: Project;
      readonly seed: number;
      readonly upsets: boolean;
      readonly scans: number;
      /** It ends when this time is over, ms, however far it is. */ readonly withinMs?: number;
      readonly missing?: Pick<Reach, 'rungs' | 'steps' | 'branches'>;
      /** Which lanes this worker goes. */ readonly lanes: readonly number[];
      /** Comes back with every answer, so that those of a search that was stopped are told apart. */
      readonly of: number;
    }
  | { readonly kind: 'reach'; readonly project: Project }
  | {
      readonly kind: 'mutate';
      readonly project: Project;
      /** Of so many workers it is this one, and takes its share. */ readonly worker: number;
      readonly workers: number;
      readonly of: number;
    }
  | { readonly kind: 'stop' };
export type FromCampaign =
  | {
      readonly kind: 'search' | 'find';
      readonly of: number;
      readonly states: readonly (readonly [number, SearchState])[];
      readonly done: boolean;
    }
  | { readonly kind: 'reach'; readonly reach: Omit<Reach, 'result'> }
  /** Results since the last answer, each with its number among all changes. */
  | {
      readonly kind: 'mutate';
      readonly of: number;
      readonly results: readonly (readonly [number, MutantResult])[];
      readonly tried: number;
      readonly total: number;
      /** Names of checks and rules that fail without any change. */ readonly failing: readonly string[];
      readonly done: boolean;
    }
  | { readonly kind: 'problem'; readonly message: string };
export type { Counterexample };

let turn = 0;
const post = (m: FromCampaign) => postMessage(m);
const later = (f: () => void) => setTimeout(f, 0);

onmessage = (m: MessageEvent<ToCampaign>) => {
  const mine = ++turn,
    c = m.data;
  if (c.kind === 'stop') return;
  const plan = planProof(c.project, c.project.name);
  if (!plan.image) {
    post({ kind: 'problem', message: 'The logic has errors; mend them first.' });
    return;
  }
  const stepNs = scanStep(plan.image);
  try {
    // Whatever the image needs is there, or it is said now.
    new Engine(plan.image, { stepNs, wires: plan.compiled.wires });
    if (c.kind === 'reach') {
      const { result: _, ...reach } = reachOf(plan, stepNs);
      post({ kind: 'reach', reach });
      return;
    }
    if ('lanes' in c) {
      const lanes = c.lanes.map((n) => new Lane(n, plan, c.project, c));
      const say = (done: boolean) =>
        post({ kind: c.kind, of: c.of, states: lanes.map((l) => [l.number, l.state]), done });
      const until = performance.now() + (c.withinMs ?? Infinity);
      const go = () => {
        if (mine !== turn) {
          say(true);
          return;
        }
        const done = goOn(lanes) || performance.now() >= until;
        say(done);
        if (!done) later(go);
      };
      go();
      return;
    }
    const all = mutantsOf(c.project),
      compiler = new Compiler(),
      failing = failingAlready(plan, stepNs);
    let at = c.worker,
      tried = 0;
    const go = () => {
      const until = performance.now() + 200,
        results: [number, MutantResult][] = [];
      for (; at < all.length && performance.now() < until; at += c.workers, tried++) {
        const r = tryMutant(c.project, all[at]!, stepNs, compiler, failing);
        if (r) results.push([at, r]);
      }
      const done = at >= all.length || mine !== turn;
      post({ kind: 'mutate', of: c.of, results, tried, total: all.length, failing: failing.names, done });
      if (!done) later(go);
    };
    go();
  } catch (e) {
    post({ kind: 'problem', message: (e as Error).message });
  }
};
