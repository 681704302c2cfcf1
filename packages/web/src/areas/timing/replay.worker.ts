/** A run played again by the logic of another revision: the same inputs at the same scans, away from page and bench. */
import { type BenchEvent, History, findPath, scanStep } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';

export interface ToReplay {
  readonly project: Project;
  readonly events: readonly { readonly scan: number; readonly event: BenchEvent }[];
  /** Scans to play. */ readonly end: number;
  readonly path: string;
}
export type FromReplay =
  | { readonly kind: 'going'; readonly scan: number }
  | {
      readonly kind: 'done';
      readonly points: Float64Array;
      readonly end: number;
      readonly stepMs: number;
      /** What was done to tags that this logic does not have. */ readonly leftOut: number;
    }
  | { readonly kind: 'problem'; readonly message: string };

/** Scans played between two words of how far it is. */
const TURN = 20_000;

self.onmessage = (m: MessageEvent<ToReplay>) => {
  const { project, events, end, path } = m.data;
  const say = (x: FromReplay) => postMessage(x);
  const compiled = compile([{ kind: 'project', name: project.name, project }]);
  if (!compiled.canRun)
    return say({ kind: 'problem', message: 'The logic of that revision has errors and does not run.' });
  const image = compiled.build(true);
  const history = new History(image, { stepNs: scanStep(image), wires: compiled.wires });
  if (!history.traces.follow(path)) return say({ kind: 'problem', message: `That revision has no steps in ${path}.` });
  let leftOut = 0,
    at = 0;
  const known = events.filter(({ event }) => {
    const isThere = event.kind === 'releaseAll' || 'location' in findPath(image, event.path);
    if (!isThere) leftOut++;
    return isThere;
  });
  try {
    while (history.now < end) {
      for (; at < known.length && known[at]!.scan <= history.now; at++) history.apply(known[at]!.event);
      const next = Math.min(end, known[at]?.scan ?? end, history.now + TURN);
      if (history.run(next - history.now) === 0) break;
      say({ kind: 'going', scan: history.now });
    }
  } catch (e) {
    return say({ kind: 'problem', message: e instanceof Error ? e.message : String(e) });
  }
  const { courses } = history.traces.courses(
    [path],
    history.start,
    history.end,
    Math.max(1, history.end - history.start),
    Infinity,
  );
  say({
    kind: 'done',
    points: courses[0]!.points,
    end: history.end,
    stepMs: Number(history.engine.stepNs) / 1e6,
    leftOut,
  });
};
