/**
 * `ferrule diff` and `ferrule merge`: what differs between projects, and two of them made one. Both serve git as its
 * drivers.
 */
import {
  type Project,
  compareProjects,
  differencesText,
  emptyProject,
  mergeProjects,
  projectText,
} from '@ferrule/core/document';
import { many } from '@ferrule/core/language';
import type { Console } from './console.js';
import { UsageError, isTextFolder, locate, parseOptions, willWrite } from './files.js';
import { readProject, writeProject } from './projects.js';

/** What git names where a file is not there. */
const NOTHING = '/dev/null';
const read = (name: string): Project => (name === NOTHING ? emptyProject('New') : readProject(name));

/**
 * `ferrule diff A B`; `--git` takes what git gives its external diff (path, old file, hash, mode, new file, …) and ends
 * with 0.
 */
export function diff(args: readonly string[], io: Console): number {
  const { files, options } = parseOptions(args, [], ['git']),
    isGit = options.has('git');
  if (isGit ? files.length < 7 : files.length !== 2)
    throw new UsageError(
      isGit ? 'diff --git is for git: it gives a path and both files with hash and mode.' : 'diff takes two projects.',
    );
  const [before, after] = isGit ? [files[1]!, files[4]!] : [files[0]!, files[1]!];
  const text = differencesText(read(before), read(after));
  if (isGit) io.out(`${files[0]!}\n${text ? `${text}\n` : 'No differences in the project.\n'}`);
  else io.out(text || 'No differences.\n');
  return text && !isGit ? 1 : 0;
}

/** `ferrule merge BASE OURS THEIRS`: the result takes the place of OURS, or goes to `--out`. */
export function merge(args: readonly string[], io: Console): number {
  const { files, options } = parseOptions(args, ['out'], []);
  if (files.length !== 3) throw new UsageError('merge takes three projects: what both began with, ours, theirs.');
  const [base, ours, theirs] = files.map(read) as [Project, Project, Project],
    out = options.get('out') ?? locate(files[1]!);
  if (out.endsWith('.xml'))
    throw new UsageError(`${out}: a merge is written as a project or a folder of text; say where with --out.`);
  if (out !== '-' && !isTextFolder(out) && !out.endsWith('/')) willWrite('out', out);
  const { project, conflicts } = mergeProjects(base, ours, theirs),
    taken = compareProjects(ours, project).length;
  if (out === '-') io.out(projectText(project));
  else
    try {
      writeProject(out, project);
    } catch (e) {
      throw new UsageError(`${out}: it cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
    }
  for (const c of conflicts) io.error(`conflict: ${c.what}\n`);
  io.error(
    conflicts.length
      ? `${many(taken, 'part')} taken from theirs, ${many(conflicts.length, 'conflict')}: ours stands there until one is chosen, in Revisions of the project.\n`
      : `${many(taken, 'part')} taken from theirs, no conflicts\n`,
  );
  return conflicts.length ? 1 : 0;
}
