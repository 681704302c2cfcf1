/**
 * A search in lanes: searches of their own from seeds of their own, each with its share of the scans. How many of them
 * run at a time, and on how many cores, makes no difference to what they find.
 */
import { many } from '../../language/words.js';
import type { Project } from '../../document/document.js';
import { scanStep } from '../../compile/image.js';
import type { ProofPlan } from '../play/plan.js';
import { type Reach, unreachedTargets } from './reach.js';
import { type Counterexample, Search, type SearchState } from './search.js';

/** As many cores as this can be busy with one search; each lane is long enough to get somewhere. */
export const LANES = 8;

export interface LaneOptions {
  readonly seed: number;
  readonly upsets: boolean;
  /** Scans of all lanes together. */ readonly scans: number;
  readonly only?: readonly string[];
  /** What is looked for instead of broken rules: all that these checks did not reach. */ readonly missing?: Pick<
    Reach,
    'rungs' | 'steps' | 'branches'
  >;
}

/** One of the lanes, from 0; it is over when it has done its share. */
export class Lane {
  private readonly search: Search;
  private readonly share: number;
  constructor(
    readonly number: number,
    plan: ProofPlan,
    project: Project,
    options: LaneOptions,
    isOver?: () => boolean,
  ) {
    // What has power is seen on the watched build only.
    const watched = options.missing && plan.compiled.build(true);
    this.search = new Search(
      plan,
      project,
      {
        stepNs: scanStep(plan.image!),
        seed: options.seed * LANES + number,
        upsets: options.upsets,
        // What happens when nothing is done need be seen once.
        ...(number ? { rest: 1 } : {}),
        ...(isOver ? { isOver } : {}),
        ...(options.only ? { only: options.only } : {}),
        ...(options.missing && watched ? { targets: unreachedTargets(plan, options.missing, watched) } : {}),
      },
      watched,
    );
    this.share = Math.ceil(options.scans / LANES);
  }
  get isDone(): boolean {
    return this.search.isDone || this.search.state.scans >= this.share;
  }
  get state(): SearchState {
    return this.search.state;
  }
  run(scans: number): SearchState {
    return this.isDone ? this.state : this.search.run(Math.min(scans, this.share - this.state.scans));
  }
}

/**
 * Lanes of one of several workers: all have as much to do, and what it finds does not hang on how many workers there
 * are.
 */
export const lanesOf = (worker: number, workers: number): readonly number[] =>
  Array.from({ length: LANES }, (_, n) => n).filter((n) => n % workers === worker);

/** Scans that the lanes of a worker go between two looks at the clock and at what was asked meanwhile. */
const SLICE = 60_000;
/** All of a worker's lanes go on for a moment; true when there is no more to do. */
export function goOn(lanes: readonly Lane[]): boolean {
  for (const l of lanes) l.run(SLICE / lanes.length);
  return lanes.every((l) => l.isDone);
}

/** What a search says of a rule that it did not break: how far it looked, never more than that. */
export const lookedWords = (s: Pick<SearchState, 'scans' | 'deepest' | 'faultsAtOnce'>): string =>
  s.faultsAtOnce !== undefined
    ? `there is nothing to search: the first scan ends in a ${s.faultsAtOnce}`
    : `no counterexample in ${many(s.scans, 'scan')} of search, depth ${s.deepest.toLocaleString('en')}`;

/**
 * What lanes have found together, in the order of their numbers: of several ways to break a rule the one with least to
 * do.
 */
export function mergeLanes(states: readonly SearchState[]): SearchState {
  const best = new Map<string, Counterexample>();
  for (const s of states)
    for (const f of s.found) {
      const b = best.get(f.ruleId);
      if (
        !b ||
        f.recording.length < b.recording.length ||
        (f.recording.length === b.recording.length && f.scan < b.scan)
      )
        best.set(f.ruleId, f);
    }
  return {
    scans: states.reduce((n, s) => n + s.scans, 0),
    states: Math.max(0, ...states.map((s) => s.states)),
    deepest: Math.max(0, ...states.map((s) => s.deepest)),
    found: [...best.values()],
    ...(states[0]?.faultsAtOnce === undefined ? {} : { faultsAtOnce: states[0].faultsAtOnce }),
    open: [...new Set(states.flatMap((s) => s.open))].filter(
      (name) => ![...best.values()].some((f) => f.rule === name),
    ),
  };
}
