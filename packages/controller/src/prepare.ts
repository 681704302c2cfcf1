/**
 * A program made ready to run: read, checked, compiled and its code translated. That takes many scans' time, so it is
 * done in a thread of its own; what comes back only has to be put in place. From the sources, without built threads, it
 * is done here.
 */
import { existsSync } from 'node:fs';
import { Worker } from 'node:worker_threads';
import { Engine, type Force, type Image, type Wire, scanStep } from '@ferrule/core/bench';
import type { OutsidePoint } from '@ferrule/core/workspace';
import type { ImageStore } from './image-store.js';
import type { Made } from './make.js';

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
  /** Shows what the scan's engine of this program holds. */
  readonly engine: Engine;
  readonly module: WebAssembly.Module;
  readonly wires: readonly Wire[];
  readonly stops: readonly Force[];
  /** Inputs and outputs that are connected to another program. */
  readonly outside: readonly OutsidePoint[];
  /** Why the condition to record on does not fit it. */ readonly noCondition?: string;
  /** Tags that the machine's terminals are wired to. */ readonly wired: readonly string[];
}

const THREAD = new URL('./prepare-worker.mjs', import.meta.url);

/** Throws with a sentence where it cannot be made ready. `recordWhen`: see `make`. `known`: where it may lie ready. */
export async function prepare(
  program: Omit<Program, 'name'>,
  recordWhen?: string,
  known?: ImageStore,
): Promise<Prepared> {
  // What is handed in may have been made before, with another condition.
  const { text, hash, revision, note, takenAt } = program,
    { name, image, module, wires, stops, outside, noCondition } =
      known?.read(hash, recordWhen) ??
      (existsSync(THREAD)
        ? await inThread(text, hash, recordWhen)
        : (await import('./make.js')).make(text, hash, recordWhen)),
    wired = wires.flatMap((w) => (w.kind === 'toTag' ? [w.to] : []));
  return {
    text,
    hash,
    revision,
    takenAt,
    ...(note ? { note } : {}),
    name,
    image,
    wired,
    module,
    wires,
    stops,
    outside,
    ...(noCondition ? { noCondition } : {}),
    engine: new Engine(image, { stepNs: scanStep(image), wires, module }),
  };
}

function inThread(text: string, hash: string, recordWhen: string | undefined): Promise<Made> {
  return new Promise((resolve, reject) => {
    const thread = new Worker(THREAD, { workerData: { text, hash, recordWhen } });
    thread.once('message', (m: { made: Made } | { error: string }) => {
      if ('made' in m) resolve(m.made);
      else reject(new Error(m.error));
    });
    thread.once('error', (e) => reject(new Error(`The program could not be made ready: ${e.message}`)));
    thread.once('exit', () => reject(new Error('The program could not be made ready: its thread ended.')));
  });
}
