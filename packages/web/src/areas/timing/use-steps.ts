/** The exact changes of step tags of a line of history, brought up to date as it goes on. */
import { useEffect, useRef, useState } from 'react';
import type { StepTag } from '@ferrule/core/bench';
import { askBench, useBench } from '../../bench/live.js';

export interface Steps {
  readonly tags: readonly StepTag[];
  readonly line: number;
  readonly start: number;
  readonly end: number;
  /** Simulated time of a scan, ms. */ readonly stepMs: number;
  readonly generation: number;
  /** Four numbers a change, by path. */ readonly points: ReadonlyMap<string, Float64Array>;
  readonly isComplete: boolean;
}

/** How often a run that goes on is looked at again, ms. */
const AGAIN_MS = 600;
/** A tag that changes so often that its past cannot be kept is not filled in for ever. */
const MOST_TURNS = 400;

/** @param line another line of history than the one shown */
export function useSteps(paths: readonly string[], line?: number): Steps | undefined {
  const [steps, setSteps] = useState<Steps>();
  const key = `${paths.join('\n')}|${line ?? ''}`;
  const latest = useRef<{ key: string; steps: Steps } | undefined>(undefined);
  const end = useBench((s) => s.frame?.end ?? 0),
    generation = useBench((s) => s.frame?.generation ?? 0);
  const moved = useRef(0);
  moved.current = end + generation;
  useEffect(() => {
    let isOn = true,
      seen = -1,
      turns = 0;
    const turn = async () => {
      const now = moved.current;
      const before = latest.current?.key === key ? latest.current.steps : undefined;
      if (now !== seen || (before && !before.isComplete && turns < MOST_TURNS)) {
        turns = now === seen ? turns + 1 : 0;
        seen = now;
        const goesOn = before?.isComplete ? before : undefined;
        const about = (from?: number) => ({
          paths,
          ...(from === undefined ? {} : { from }),
          ...(line === undefined ? {} : { line }),
        });
        let a = await askBench('steps', about(goesOn?.end));
        const isSame =
          a &&
          goesOn &&
          a.line === goesOn.line &&
          a.generation === goesOn.generation &&
          a.start === goesOn.start &&
          a.end >= goesOn.end;
        if (a && goesOn && !isSame) a = await askBench('steps', about());
        if (!isOn) return;
        if (a) {
          const { courses, complete, ...rest } = a;
          const next: Steps = {
            ...rest,
            isComplete: complete,
            points: new Map(
              courses.map((c) => [c.path, isSame ? joined(goesOn.points.get(c.path), c.points) : c.points] as const),
            ),
          };
          latest.current = { key, steps: next };
          setSteps(next);
        }
      }
      if (isOn) timer = setTimeout(() => void turn(), before?.isComplete === false ? 50 : AGAIN_MS);
    };
    let timer = setTimeout(() => void turn(), 0);
    return () => {
      isOn = false;
      clearTimeout(timer);
    };
  }, [key]);
  return steps;
}

/** A course and how it goes on; that begins with the value that stands. */
function joined(a: Float64Array | undefined, b: Float64Array): Float64Array {
  if (!a?.length) return b;
  const skip = Object.is(a[a.length - 1], b[3]) ? 4 : 0;
  if (b.length <= skip) return a;
  const all = new Float64Array(a.length + b.length - skip);
  all.set(a);
  all.set(b.subarray(skip), a.length);
  return all;
}
