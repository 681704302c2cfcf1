/** Options and FILEs of a command line: where they are, whether they can be read and written. */
import { accessSync, constants, readFileSync, readdirSync, statSync } from 'node:fs';
import { dirname, join } from 'node:path';

/** The command cannot be carried out as written: exit 2 with one clear line. */
export class UsageError extends Error {}

const isFolder = (name: string): boolean => statSync(name, { throwIfNoEntry: false })?.isDirectory() ?? false;
/** Whether it is a project as a folder of text. */
export const isTextFolder = (name: string): boolean =>
  isFolder(name) && statSync(join(name, 'project.json'), { throwIfNoEntry: false }) !== undefined;

/** A file as it is; of a folder the project files in it, in the order of their names. */
export function projectsIn(name: string): readonly string[] {
  if (!statSync(name, { throwIfNoEntry: false })) throw new UsageError(`${name}: there is no such file.`);
  if (!isFolder(name) || isTextFolder(name)) return [name];
  const projects = readdirSync(name).filter((f) => f.endsWith('.ferrule.json'));
  if (!projects.length)
    throw new UsageError(`${name}: the folder holds no .ferrule.json project, nor is it one of text; name the file.`);
  return projects.sort().map((f) => join(name, f));
}

/** The project file of a folder that holds one, else the name as it is. Throws where that is not clear. */
export function locate(name: string): string {
  const projects = projectsIn(name);
  if (projects.length > 1) throw new UsageError(`${name}: the folder holds several projects; name the file.`);
  return projects[0]!;
}

export function readText(path: string): string {
  let bytes: Buffer;
  try {
    bytes = readFileSync(path);
  } catch (e) {
    throw new UsageError(`${path}: it cannot be read (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
  }
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    throw new UsageError(`${path}: it is not UTF-8 text; save it as UTF-8.`);
  }
}

/** Throws where a file could not be written there: said before anything is computed. */
export function willWrite(option: string, path: string | undefined): void {
  if (path === undefined) return;
  const cannot = (why: string) => new UsageError(`--${option}: ${path} cannot be written (${why}).`);
  const isThere = statSync(path, { throwIfNoEntry: false }) !== undefined;
  if (isFolder(path)) throw cannot('it is a folder');
  try {
    accessSync(isThere ? path : dirname(path), constants.W_OK);
  } catch (e) {
    throw cannot(isThere ? ((e as NodeJS.ErrnoException).code ?? 'error') : `no such folder, or it is read-only`);
  }
}

/** Splits options from files; behind `--` everything is a file. Options that take a value are named in `valued`. */
export function parseOptions(
  args: readonly string[],
  valued: readonly string[],
  flags: readonly string[],
  least = 1,
): { files: string[]; options: Map<string, string> } {
  const files: string[] = [];
  const options = new Map<string, string>();
  for (let i = 0; i < args.length; i++) {
    const a = args[i]!;
    if (a === '--') {
      files.push(...args.slice(i + 1));
      break;
    }
    if (!a.startsWith('-') || a === '-') {
      files.push(a);
      continue;
    }
    const [name, attached] = a.includes('=')
      ? [a.slice(2, a.indexOf('=')), a.slice(a.indexOf('=') + 1)]
      : [a.slice(2), undefined];
    if (flags.includes(name)) options.set(name, '');
    else if (valued.includes(name)) {
      const value = attached ?? args[++i];
      if (value === undefined) throw new UsageError(`--${name} needs a value.`);
      options.set(name, value);
    } else throw new UsageError(`there is no option ${a.startsWith('--') ? `--${name}` : a}.`);
  }
  if (files.length < least) throw new UsageError('name at least one file.');
  return { files, options };
}
