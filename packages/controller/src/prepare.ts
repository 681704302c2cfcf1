/**
 * A program made ready to run: read, checked, compiled and its code translated. That takes many scans' time, so it is done
 * in a thread of its own; what comes back only has to be put in place. From the sources, without built threads, it is done here.
 */
import { createHash } from 'node:crypto';
import { existsSync } from 'node:fs';
import { Worker } from 'node:worker_threads';
import { Engine, type Image, type Wire, compile, projectHash, scanStep } from '@ferrule/core';
import { parseProject } from '@ferrule/core/schema';

/** A program as it is kept and shown. */
export interface Program {
  /** The project file, as it was sent. */
  readonly text: string;
  readonly name: string;
  readonly revision: number;
  /** SHA-256 of the text, in hex. */
  readonly hash: string;
  /** What its author said of it. */ readonly note?: string;
  /** Wall clock at which it came, ms since 1970. */ readonly takenAt: number;
}
export interface Prepared extends Program {
  readonly image: Image;
  readonly engine: Engine;
  /** Tags that the machine's terminals are wired to. */ readonly wired: readonly string[];
}

/** What the thread gives back. */
export interface Made {
  readonly name: string;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly wires: readonly Wire[];
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
  return { name: project.name, image, module: new WebAssembly.Module(image.wasm), wires: compiled.wires };
}

const THREAD = new URL('./prepare-worker.mjs', import.meta.url);

export async function prepare(program: Omit<Program, 'name'>): Promise<Prepared> {
  const { text, hash } = program,
    { name, image, module, wires } = existsSync(THREAD) ? await inThread(text, hash) : make(text, hash),
    wired = wires.flatMap((w) => (w.kind === 'toTag' ? [w.to] : []));
  return { ...program, name, image, wired, engine: new Engine(image, { stepNs: scanStep(image), wires, module }) };
}

function inThread(text: string, hash: string): Promise<Made> {
  return new Promise((resolve, reject) => {
    const thread = new Worker(THREAD, { workerData: { text, hash } });
    thread.once('message', (m: { made: Made } | { error: string }) => {
      if ('made' in m) resolve(m.made);
      else reject(new Error(m.error));
    });
    thread.once('error', (e) => reject(new Error(`The program could not be made ready: ${e.message}`)));
    thread.once('exit', () => reject(new Error('The program could not be made ready: its thread ended.')));
  });
}
