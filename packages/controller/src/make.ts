/** A program read, checked, compiled and its code translated. Takes many scans' time: never in a thread that others wait for. */
import { createHash } from 'node:crypto';
import { type Force, type Image, type Wire, compile, projectHash } from '@ferrule/core';
import { parseProject } from '@ferrule/core/schema';

/** What a program is made into. */
export interface Made {
  readonly name: string;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly wires: readonly Wire[];
  readonly stops: readonly Force[];
}

/** Throws with a sentence where the text is no project, or another than was announced, or does not compile. */
export function make(text: string, hash: string): Made {
  if (createHash('sha256').update(text).digest('hex') !== hash)
    throw new Error('What arrived is not what was announced; send it again.');
  const parsed = parseProject(text);
  if ('problems' in parsed) throw new Error(parsed.problems[0]);
  const { project } = parsed;
  if (projectHash(project) !== hash) throw new Error('What arrived does not have the hash it was announced with.');
  const compiled = compile([{ kind: 'project', name: project.name, project }]);
  if (compiled.hasErrors)
    throw new Error(`The program has errors: ${compiled.diagnostics.find((d) => d.severity === 'error')!.message}`);
  const image = compiled.build(true);
  return {
    name: project.name,
    image,
    module: new WebAssembly.Module(image.wasm),
    wires: compiled.wires,
    stops: compiled.stops,
  };
}
