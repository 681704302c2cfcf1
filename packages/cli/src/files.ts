/** Reads the FILEs of a command line: `.st` text, a project, or a folder that holds one. */
import { accessSync, constants, mkdirSync, readFileSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import type { InputFile } from '@ferrule/core/workspace';
import { type Project, projectText } from '@ferrule/core/document';
import { folderToDocument, projectFromXml, projectToFolder } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';

/** The command cannot be carried out as written: exit 2 with one clear line. */
export class UsageError extends Error {}

/** @param tell what of a file did not come in, a line each */
export function readInput(name: string, tell: (line: string) => void = () => undefined): InputFile {
  if (isTextFolder(name)) return { kind: 'project', name, project: readFolder(name) };
  const path = locate(name);
  const text = readText(path);
  if (!path.endsWith('.json')) {
    return path.endsWith('.xml')
      ? { kind: 'project', name: path, project: fromXml(path, text, tell) }
      : { kind: 'text', name: path, text };
  }
  return { kind: 'project', name: path, project: projectOf(path, text) };
}

function fromXml(path: string, text: string, tell: (line: string) => void): Project {
  let n = 0;
  const read = projectFromXml(text, basename(path).replace(/\.xml$/, ''), (prefix) => `${prefix}${++n}`);
  if (!read.project) throw new UsageError(`${path}: ${read.problem}`);
  for (const l of read.left) tell(`${path}: ${l}`);
  return projectOf(path, JSON.stringify(read.project));
}

function projectOf(path: string, text: string): Project {
  const parsed = parseProject(text);
  if ('problems' in parsed) throw new UsageError(parsed.problems.map((p) => `${path}: ${p}`).join('\n'));
  return parsed.project;
}

/** A project as it is kept in version control: a project file under whatever name, or a folder of text. */
export function readProject(name: string): Project {
  if (isTextFolder(name)) return readFolder(name);
  const path = locate(name);
  return path.endsWith('.xml') ? fromXml(path, readText(path), () => undefined) : projectOf(path, readText(path));
}

const isFolder = (name: string): boolean => statSync(name, { throwIfNoEntry: false })?.isDirectory() ?? false;
/** Whether it is a project as a folder of text. */
export const isTextFolder = (name: string): boolean =>
  isFolder(name) && statSync(join(name, 'project.json'), { throwIfNoEntry: false }) !== undefined;

/** Files and bytes of a folder of text that are read at most. */
const MOST_FILES = 5000,
  MOST_BYTES = 64 * 1024 * 1024;
function readFolder(name: string): Project {
  const files = new Map<string, string>();
  let bytes = 0;
  for (const path of filesOf(name)) {
    if (files.size >= MOST_FILES)
      throw new UsageError(`${name}: the folder holds more than ${MOST_FILES} files; a project folder has fewer.`);
    bytes += statSync(join(name, path)).size;
    if (bytes > MOST_BYTES)
      throw new UsageError(`${name}: the folder holds more than 64 MB; a project folder is smaller.`);
    files.set(path, readText(join(name, path)));
  }
  const read = folderToDocument(files);
  if ('problem' in read) throw new UsageError(`${join(name, read.problem)}`);
  return projectOf(name, JSON.stringify(read.document));
}
/**
 * Files below a folder that may belong to a project, by their paths in it; links lead nowhere, hidden ones are passed
 * over.
 */
function filesOf(folder: string, below = ''): string[] {
  return readdirSync(join(folder, below), { withFileTypes: true }).flatMap((f) => {
    const path = below ? `${below}/${f.name}` : f.name;
    if (f.name.startsWith('.') || f.name === 'node_modules') return [];
    return f.isDirectory() ? filesOf(folder, path) : f.isFile() && /\.(csv|st|ld|json|txt)$/.test(f.name) ? [path] : [];
  });
}
/** Writes a project where it was read from, or anywhere: a folder of text where there is one or the name ends so. */
export function writeProject(name: string, project: Project): void {
  if (!isTextFolder(name) && !name.endsWith('/')) {
    writeFileSync(name, projectText(project));
    return;
  }
  const files = projectToFolder(project),
    before = isTextFolder(name) ? filesOf(name) : [];
  for (const [path, text] of files) {
    mkdirSync(dirname(join(name, path)), { recursive: true });
    writeFileSync(join(name, path), text);
  }
  // Of what Ferrule writes, what is no longer part of the project goes.
  for (const path of before) if (!files.has(path) && /^(logic|devices)\//.test(path)) rmSync(join(name, path));
}

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
