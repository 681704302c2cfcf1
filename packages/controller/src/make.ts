/**
 * A program read, checked, compiled and its code translated. Takes many scans' time: never in a thread that others wait
 * for.
 */
import { createHash } from 'node:crypto';
import { type Compiled, type OutsidePoint, compile } from '@ferrule/core/workspace';
import type { Force, Image, Wire } from '@ferrule/core/bench';
import { type Project, projectHash } from '@ferrule/core/document';
import { baseOf, makeSource } from '@ferrule/core/language';
import { parseProject } from '@ferrule/core/schema';

/** What a program is made into. */
export interface Made {
  readonly name: string;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly wires: readonly Wire[];
  readonly stops: readonly Force[];
  /** Inputs and outputs that are connected to another program. */
  readonly outside: readonly OutsidePoint[];
  /** Why the condition to record on does not fit. */ readonly noCondition?: string;
}

/**
 * Throws with a sentence where the text is no project, or another than was announced, or does not compile.
 * `recordWhen`: a condition on which what led to it is recorded; where it does not fit the program, `noCondition` says
 * why.
 */
export function make(text: string, hash: string, recordWhen?: string): Made {
  if (createHash('sha256').update(text).digest('hex') !== hash)
    throw new Error('What arrived is not what was announced; send it again.');
  const parsed = parseProject(text);
  if ('problems' in parsed) throw new Error(parsed.problems[0]);
  const { project } = parsed;
  if (projectHash(project) !== hash) throw new Error('What arrived does not have the hash it was announced with.');
  const compiled = compile([{ kind: 'project', name: project.name, project }]);
  if (compiled.hasErrors)
    throw new Error(`The program has errors: ${compiled.diagnostics.find((d) => d.severity === 'error')!.message}`);
  const watched = recordWhen === undefined ? undefined : withCondition(project, recordWhen),
    image = (watched && 'compiled' in watched ? watched.compiled : compiled).build(true);
  return {
    ...(watched && 'error' in watched ? { noCondition: watched.error } : {}),
    name: project.name,
    image,
    module: new WebAssembly.Module(image.wasm),
    wires: compiled.wires,
    stops: compiled.stops,
    outside: compiled.outside,
  };
}

/** The program with the condition beside it: state and code of the program are the same. */
function withCondition(project: Project, text: string): { readonly compiled: Compiled } | { readonly error: string } {
  const source = makeSource('the condition to record on', text),
    compiled = compile([{ kind: 'project', name: project.name, project }], { expressions: [source] }),
    problem = compiled.diagnostics.find((d) => d.severity === 'error'),
    [condition] = compiled.program.expressions;
  if (problem) return { error: problem.message };
  return condition && baseOf(condition.type) === 'BOOL'
    ? { compiled }
    : { error: 'A condition is BOOL, for example: Fault AND NOT Running.' };
}
