/** Checks made from a plan are played before they are offered: away from page and bench, since that may take seconds. */
import { type PlannedChange, type Project, type Unreached, madeChecks, planChanges } from '@ferrule/core';

export interface MadeFromPlan {
  readonly changes: readonly PlannedChange[];
  readonly unreached: readonly Unreached[];
  readonly isAhead: boolean;
}

self.onmessage = (m: MessageEvent<Project>) => {
  const { checks, unreached, isAhead } = madeChecks(m.data);
  postMessage({ changes: planChanges(m.data, { checks }), unreached, isAhead } satisfies MadeFromPlan);
};
