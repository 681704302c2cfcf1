/** Reads the FILEs of a command line: `.st` text, a project, or a folder that holds one. */
import type { InputFile } from '@ferrule/core/workspace';
import { isTextFolder, locate, readText } from './files.js';

/**
 * A FILE of a command line. What reads projects is loaded only for one: it takes longer than the check of a small text.
 * @param tell what of a file did not come in, a line each
 */
async function readInput(name: string, tell?: (line: string) => void): Promise<InputFile> {
  const isText = isTextFolder(name),
    path = isText ? name : locate(name);
  if (isText || /\.(json|xml)$/.test(path))
    return { kind: 'project', name: path, project: (await import('./projects.js')).readProject(path, tell) };
  return { kind: 'text', name: path, text: readText(path) };
}

/** Several FILEs, in their order. */
export async function readInputs(names: readonly string[], tell?: (line: string) => void): Promise<InputFile[]> {
  const inputs: InputFile[] = [];
  for (const name of names) inputs.push(await readInput(name, tell));
  return inputs;
}
