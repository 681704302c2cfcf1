/** The file of a recorded stretch: its program is compiled and played to find the bytes that it ends in. */
import { recordedStretch } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';
import type { Stretch } from './recorder.js';

export type Work = { readonly text: string; readonly stretch: Stretch; readonly why: string };

/** As text: what crosses between threads is not taken apart and put together there. */
export interface RunFile {
  readonly text: string;
  readonly scanMs: number;
}

/** Done in a thread of its own, so that nobody waits for it. Throws with a sentence where the project is none. */
export function makeRun({ text: project, stretch, why }: Work): RunFile {
  const parsed = parseProject(project);
  if ('problems' in parsed) throw new Error(parsed.problems[0]);
  const run = recordedStretch(parsed.project, stretch, why);
  return { text: JSON.stringify(run), scanMs: Number(run.stepNs) / 1e6 };
}
