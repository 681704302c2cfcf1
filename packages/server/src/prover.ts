/** Runs checks, rules and proofs in worker threads, so that the server keeps answering. */
import { Worker } from 'node:worker_threads';
import type { Project, ReportFacts } from '@ferrule/core';

/** A message of a proof on its way: `progress` as often as something was decided, `done` at the end. */
export type ProofMessage =
  | { readonly kind: 'progress'; readonly words: string; readonly decided: number; readonly of: number }
  | { readonly kind: 'done'; readonly answer: unknown }
  | { readonly kind: 'failed'; readonly message: string };

export interface Prover {
  prove(project: Project, only?: string): Promise<unknown>;
  /** The report as HTML, with what a proof of this very project said, and what its controller tells. */
  report(
    project: Project,
    revision: number,
    proofs: unknown,
    controller?: ReportFacts['controller'],
  ): Promise<{ readonly html: string } | { readonly problem: string }>;
  /** Proves rules for all inputs; `tell` gets every message, the last one is `done` or `failed`. The result ends it early. */
  proveRules(project: Project, only: readonly string[] | undefined, tell: (m: ProofMessage) => void): () => void;
}

/** The built workers, and how long a run of the checks and a proof may take in real time. */
export interface ProverFiles {
  readonly checks: URL;
  readonly rules: URL;
  readonly report: URL;
  readonly limitMs?: number;
  readonly proofLimitMs?: number;
}

export function workerProver({
  checks,
  rules,
  report,
  limitMs = 120_000,
  proofLimitMs = 900_000,
}: ProverFiles): Prover {
  /** The one message of a worker. */
  const ask = <T>(file: URL, workerData: unknown) =>
    new Promise<T>((resolve, reject) => {
      const worker = new Worker(file, { workerData });
      const timer = setTimeout(() => {
        void worker.terminate();
        reject(new Error('the checks took too long'));
      }, limitMs);
      worker.once('message', (m: T) => {
        clearTimeout(timer);
        resolve(m);
      });
      worker.once('error', (e) => {
        clearTimeout(timer);
        reject(e);
      });
      worker.once('exit', (code) => {
        if (code) {
          clearTimeout(timer);
          reject(new Error(`the worker ended with ${code}`));
        }
      });
    });
  return {
    prove: (project, only) => ask(checks, { project, only }),
    report: (project, revision, proofs, controller) => ask(report, { project, revision, proofs, controller }),
    proveRules: (project, only, tell) => {
      const worker = new Worker(rules, { workerData: { project, only } });
      let isOver = false;
      const end = (m?: ProofMessage) => {
        if (isOver) return;
        isOver = true;
        clearTimeout(timer);
        if (m) tell(m);
        void worker.terminate();
      };
      const timer = setTimeout(
        () =>
          end({
            kind: 'failed',
            message: `The proof took longer than ${proofLimitMs / 60_000} minutes and was ended.`,
          }),
        proofLimitMs,
      );
      worker.on('message', (m: ProofMessage) => {
        if (m.kind === 'done') end(m);
        else if (!isOver) tell(m);
      });
      worker.once('error', (e) => end({ kind: 'failed', message: `The proof stopped: ${e.message}` }));
      worker.once('exit', () => end({ kind: 'failed', message: 'The proof ended without an answer.' }));
      return () => end();
    },
  };
}
