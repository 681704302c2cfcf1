/**
 * Checks made from a plan are played before they are offered: away from page and bench, since that may take seconds.
 */
import { type PlannedChange, type Unreached, madeChecks, planChanges } from '@ferrule/core/plan';
import type { Project } from '@ferrule/core/document';

export interface MadeFromPlan {
  readonly changes: readonly PlannedChange[];
  readonly unreached: readonly Unreached[];
  readonly isAhead: boolean;
}
export type FromChecks =
  { readonly kind: 'tried'; readonly trials: number } | { readonly kind: 'made'; readonly made: MadeFromPlan };

/** Trials between two words of how far it is. */
const TURN = 20;

self.onmessage = (m: MessageEvent<Project>) => {
  const say = (x: FromChecks) => postMessage(x);
  const { checks, unreached, isAhead } = madeChecks(m.data, (trials) => {
    if (trials % TURN === 0) say({ kind: 'tried', trials });
  });
  say({ kind: 'made', made: { changes: planChanges(m.data, { checks }), unreached, isAhead } });
};
