/** Reads and writes whole projects: a project file, an exchange file, or a folder of text. */
import { mkdirSync, readdirSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, dirname, join } from 'node:path';
import { type Project, projectText } from '@ferrule/core/document';
import { folderToDocument, projectFromXml, projectToFolder } from '@ferrule/core/files';
import { parseProject } from '@ferrule/core/schema';
import { UsageError, isTextFolder, locate, readText } from './files.js';

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

/**
 * A project as it is kept in version control: a project file under whatever name, or a folder of text.
 * @param tell what of a file did not come in, a line each
 */
export function readProject(name: string, tell: (line: string) => void = () => undefined): Project {
  if (isTextFolder(name)) return readFolder(name);
  const path = locate(name);
  return path.endsWith('.xml') ? fromXml(path, readText(path), tell) : projectOf(path, readText(path));
}

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
