/** A search or changed logic that is given out to workers of other machines: what is asked, and what comes back by and by. */
import type { MutantResult } from '../mutate/mutate.js';
import type { Reach } from './reach.js';
import type { SearchState } from './search.js';

/** A worker that takes shares, as it is shown. */
export interface WorkerThere {
  /** The name of its machine. */ readonly machine: string;
  /** Shares it does at once. */ readonly cores: number;
}
/** Who is there to do shares. */
export interface WorkersThere {
  /** The address without name and password; undefined where none is set. */ readonly redis?: string;
  readonly workers: readonly WorkerThere[];
  /** Why the Redis that is set cannot be used now. */ readonly problem?: string;
}

export interface Campaign {
  readonly kind: 'search' | 'find' | 'mutate';
  readonly seed: number;
  readonly upsets: boolean;
  /** Scans of all lanes together. */ readonly scans: number;
  /** It ends when this time is over, ms, however far it is. */ readonly withinMs?: number;
  /** What is looked for instead of broken rules. */ readonly missing?: Pick<Reach, 'rungs' | 'steps' | 'branches'>;
}
/** Of a share of changed logic: how many were tried, of how many in all, and what fails without any change. */
export interface ChangesOfShare {
  readonly tried: number;
  readonly total: number;
  readonly failing: readonly string[];
}
/** One line of the answer: what a share gave and how many are done; the last one is `done` or `problem`. */
export type CampaignMessage =
  | { readonly kind: 'share'; readonly done: number; readonly of: number; readonly workers: number }
  | { readonly kind: 'search' | 'find'; readonly states: readonly (readonly [number, SearchState])[] }
  | ({ readonly kind: 'mutate'; readonly results: readonly (readonly [number, MutantResult])[] } & ChangesOfShare)
  | { readonly kind: 'done' }
  | { readonly kind: 'problem'; readonly message: string };
