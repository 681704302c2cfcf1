/** Whether a check is being recorded from the bench, and of which project. */
import type { CheckRow, Project } from '@ferrule/core/document';
import { create } from 'zustand';
import { askBench, benchStore, tellBench } from '../bench/live.js';
import { newId, useDocument } from '../document/store.js';
import { numberedName } from './free-name.js';

export const useRecorder = create<{ readonly of: string | undefined }>(() => ({ of: undefined }));

/** From the cold start on, everything that is done at the bench becomes rows of a check. */
export function beginRecording(project: string): void {
  tellBench({ kind: 'restart' });
  tellBench({ kind: 'play', running: true });
  useRecorder.setState({ of: project });
}

/** Tags whose answers are proposed: those on the scope, steps, and outputs. */
function answering(project: Project): readonly string[] {
  const enums = new Set(
    project.types.flatMap((t) => /^\s*(\w+)\s*:\s*(?:\w+\s*)?\(/.exec(t.text)?.[1]?.toLowerCase() ?? []),
  );
  const tags = project.tags
      .filter(
        (t) =>
          !t.standsFor &&
          (enums.has(t.type.toLowerCase()) || (/^%Q/i.test(t.address ?? '') && t.type.toUpperCase() === 'BOOL')),
      )
      .map((t) => t.name),
    known = new Set(project.scope.map((p) => p.toLowerCase()));
  return [...project.scope, ...tags.filter((t) => !known.has(t.toLowerCase()))];
}

/** A stretch of the run as a new check of the project: its id, or what kept it from being made. */
export async function keepAsCheck(
  from: number,
  to: number,
): Promise<{ readonly id: string } | { readonly error: string }> {
  const { project, edit } = useDocument.getState();
  if (!project) return { error: 'No project is open.' };
  const made = await askBench('check', { from, to, paths: answering(project) });
  if ('error' in made) return made;
  const id = newId('c'),
    left = made.leftOut
      ? ` Left out: ${made.leftOut} thing${made.leftOut === 1 ? '' : 's'} done that changed nothing of what is expected.`
      : '';
  edit({
    kind: 'addCheck',
    at: project.checks.length,
    check: {
      id,
      name: numberedName(
        'Recorded ',
        project.checks.map((c) => c.name),
      ),
      note: `Recorded from the bench: read it, and strike out what does not matter.${left}`,
      rows: made.rows,
    },
  });
  return { id };
}

/** What may have gone wrong at a scan, as it is there. */
export async function saidThere(scan: number): Promise<readonly { readonly path: string; readonly said: string }[]> {
  const { project } = useDocument.getState();
  return project ? ((await askBench('saidAt', { scan, paths: answering(project) })) ?? []) : [];
}

/** The run up to a scan as a check that fails by how a tag is there: its id, or what kept it from being made. */
export async function keepAsWrong(
  to: number,
  path: string,
  said: string,
): Promise<{ readonly id: string } | { readonly error: string }> {
  const made = await askBench('wrong', { to, path });
  if ('error' in made) return made;
  return {
    id: keepRows(
      `Not so: ${said}`,
      `What went wrong on the bench: at the end of this ${said}, and must not be. It passes once the logic is mended.`,
      made.rows,
    ),
  };
}

/** What was recorded so far becomes a check. */
export async function endRecording(): ReturnType<typeof keepAsCheck> {
  const end = benchStore.getState().frame?.end ?? 0,
    made = await keepAsCheck(0, end);
  if ('id' in made) useRecorder.setState({ of: undefined });
  return made;
}

/** Rows that were found become a check of the project; its id. */
export function keepRows(name: string, note: string, rows: readonly CheckRow[]): string {
  const id = newId('c'),
    { project, edit } = useDocument.getState();
  edit({
    kind: 'addCheck',
    at: project?.checks.length ?? 0,
    check: { id, name, note, rows: rows.map((r) => ({ ...r, id: newId('k') })) },
  });
  return id;
}
