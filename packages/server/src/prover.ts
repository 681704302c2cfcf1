/** Runs checks and rules in a worker thread, so that the server keeps answering. */
import { Worker } from 'node:worker_threads';
import type { Project } from '@ferrule/core';

export interface Prover { prove(project: Project, only?: string): Promise<unknown> }

/** `file` is the built worker, `limitMs` how long a run may take in real time. */
export function workerProver(file: URL, limitMs = 120_000): Prover {
  return {
    prove: (project, only) => new Promise((resolve, reject) => {
      const worker = new Worker(file, { workerData: { project, only } });
      const timer = setTimeout(() => { void worker.terminate(); reject(new Error('the checks took too long')); }, limitMs);
      worker.once('message', (m) => { clearTimeout(timer); resolve(m); });
      worker.once('error', (e) => { clearTimeout(timer); reject(e); });
      worker.once('exit', (code) => { if (code) { clearTimeout(timer); reject(new Error(`the worker ended with ${code}`)); } });
    }),
  };
}
