/** Fixes for a problem, each tried by the bench: what is offered takes the problem away. */
import { useEffect, useState } from 'react';
import type { Fix } from '@ferrule/core/workspace';
import { askBench, benchStore } from '../bench/live.js';
import type { ProblemNote } from '../bench/protocol.js';

const NONE: readonly Fix[] = [];

export async function fixesOf(problem: ProblemNote): Promise<readonly Fix[]> {
  const at = benchStore.getState().checked?.problems.indexOf(problem) ?? -1;
  return at < 0 ? NONE : ((await askBench('fixes', { problem: at })) ?? NONE);
}

/** The same for what is on the screen; nothing until the bench has answered. */
export function useFixes(problem: ProblemNote | undefined): readonly Fix[] {
  const [found, setFound] = useState<{ readonly of: ProblemNote; readonly fixes: readonly Fix[] }>();
  useEffect(() => {
    if (!problem) return undefined;
    let isOn = true;
    void fixesOf(problem).then((fixes) => {
      if (isOn) setFound({ of: problem, fixes });
    });
    return () => {
      isOn = false;
    };
  }, [problem]);
  return found && found.of === problem ? found.fixes : NONE;
}
