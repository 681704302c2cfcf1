/** What timing is compared with: another line of history, or the same inputs given to another revision's logic. */
import { useEffect, useState } from 'react';
import { failureOf } from '../../components/outdated.js';
import { useParams } from 'react-router';
import type { Project } from '@ferrule/core/document';
import { many } from '@ferrule/core/language';
import { api, messageOf } from '../../api.js';
import { askBench } from '../../bench/live.js';
import type { FromReplay, ToReplay } from './replay.worker.js';
import { useSteps } from './use-steps.js';

export type With =
  { readonly kind: 'line'; readonly line: number } | { readonly kind: 'revision'; readonly revision: number };
export interface Compared {
  readonly points: Float64Array;
  readonly start: number;
  readonly end: number;
  readonly stepMs: number;
  /** What is to be said of it: how far it is, what was left out, why it could not be. */ readonly words?: string;
}

const NONE: readonly string[] = [];

export function useComparison(
  path: string | undefined,
  what: With | undefined,
): Compared | { readonly words: string } | undefined {
  const line = useSteps(what?.kind === 'line' && path ? [path] : NONE, what?.kind === 'line' ? what.line : undefined);
  const [replayed, setReplayed] = useState<Compared | { readonly words: string }>();
  const { id } = useParams();
  const revision = what?.kind === 'revision' ? what.revision : undefined;
  useEffect(() => {
    setReplayed(undefined);
    if (revision === undefined || !path) return undefined;
    const worker = new Worker(new URL('./replay.worker.ts', import.meta.url), { type: 'module' });
    let isOn = true;
    worker.onerror = (e) => setReplayed({ words: `It could not be run: ${failureOf(e)}.` });
    const go = async () => {
      const [stored, given] = await Promise.all([
        api<{ readonly document: Project }>('GET', `/projects/${id}/revisions/${revision}`),
        askBench('given', {}),
      ]);
      if (!isOn) return;
      if (!given) return setReplayed({ words: 'Nothing runs yet: mend the logic first.' });
      worker.onmessage = (m: MessageEvent<FromReplay>) => {
        const a = m.data;
        if (a.kind === 'going')
          setReplayed({
            words: `rev ${revision} runs with the same inputs: ${Math.floor((100 * a.scan) / given.end)} %`,
          });
        else if (a.kind === 'problem') setReplayed({ words: a.message });
        else
          setReplayed({
            points: a.points,
            start: 0,
            end: a.end,
            stepMs: a.stepMs,
            ...(a.end < given.end
              ? {
                  words: `rev ${revision} faulted after ${a.end.toLocaleString('en')} of ${given.end.toLocaleString('en')} scans`,
                }
              : a.leftOut
                ? {
                    words: `left out, for rev ${revision} does not have what they are about: ${many(a.leftOut, 'input')}`,
                  }
                : {}),
          });
      };
      worker.postMessage({ project: stored.document, events: given.events, end: given.end, path } satisfies ToReplay);
    };
    go().catch((e: unknown) => {
      if (isOn) setReplayed({ words: messageOf(e) });
    });
    return () => {
      isOn = false;
      worker.terminate();
    };
  }, [id, path, revision]);
  if (what?.kind === 'line' && path && line) {
    const points = line.points.get(path);
    return points && { points, start: line.start, end: line.end, stepMs: line.stepMs };
  }
  return replayed;
}
