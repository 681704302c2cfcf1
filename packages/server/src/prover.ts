/**
 * Runs checks, rules and proofs in worker threads, so that the server keeps answering; so many at once, the rest in
 * turn.
 */
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import type { Project } from '@ferrule/core/document';
import type { ReportFacts } from '@ferrule/core/verify';
import { Problem, problem } from './problem.js';
import { WorkQueue } from './work-queue.js';

/** A message of a proof on its way: `progress` as often as something was decided, `done` at the end. */
export type ProofMessage =
  | { readonly kind: 'progress'; readonly words: string; readonly decided: number; readonly of: number }
  | { readonly kind: 'done'; readonly answer: unknown }
  | { readonly kind: 'failed'; readonly message: string };

export interface Prover {
  /** `signal`: who asked has left, and nobody needs the answer. */
  prove(project: Project, only?: string, signal?: AbortSignal): Promise<unknown>;
  /** The report as HTML, with what a proof of this very project said, and what its controller tells. */
  report(
    project: Project,
    revision: number,
    proof: { readonly rules: unknown; readonly at: number } | undefined,
    facts?: Pick<ReportFacts, 'controller' | 'by'>,
    signal?: AbortSignal,
  ): Promise<{ readonly html: string } | { readonly problem: string }>;
  /**
   * Proves rules for all inputs; `tell` gets every message, the last one is `done` or `failed`. The result ends it
   * early.
   */
  proveRules(project: Project, only: readonly string[] | undefined, tell: (m: ProofMessage) => void): () => void;
}

/** The built workers, and how long a run of the checks and a proof may take in real time. */
export interface ProverFiles {
  readonly checks: URL;
  readonly rules: URL;
  readonly report: URL;
  readonly limitMs?: number;
  readonly proofLimitMs?: number;
  /** Threads at once, for checks and for proofs; a core is left for the server where there are several. */
  readonly atOnce?: number;
}

/** What waits for its turn, at most. */
const MOST_WAITING = 20;

export function workerProver({
  checks,
  rules,
  report,
  limitMs = 120_000,
  proofLimitMs = 900_000,
  atOnce = Math.max(1, availableParallelism() - 1),
}: ProverFiles): Prover {
  const short = new WorkQueue(atOnce, MOST_WAITING),
    long = new WorkQueue(atOnce, MOST_WAITING);
  /** The one message of a worker. */
  const ask = <T>(file: URL, workerData: unknown, what: string, signal?: AbortSignal) =>
    short.run(
      () =>
        new Promise<T>((resolve, reject) => {
          const worker = new Worker(file, { workerData });
          const end = () => {
            clearTimeout(timer);
            signal?.removeEventListener('abort', leave);
          };
          const stop = (why: string) => {
            end();
            void worker.terminate();
            reject(problem('WORK_STOPPED', `${what} ${why}.`));
          };
          const leave = () => {
            end();
            void worker.terminate();
            reject(signal!.reason as Error);
          };
          const timer = setTimeout(() => stop(`took longer than ${limitMs / 1000} s and was ended`), limitMs);
          signal?.addEventListener('abort', leave, { once: true });
          worker.once('message', (m: T) => {
            end();
            resolve(m);
          });
          worker.once('error', (e) => stop(`stopped (${e.message}); try it again`));
          worker.once('exit', (code) => {
            if (code) stop(`ended without an answer (${code}); try it again`);
          });
        }),
      signal,
    );
  return {
    prove: (project, only, signal) => ask(checks, { project, only }, 'The run of the checks', signal),
    report: (project, revision, proof, facts, signal) =>
      ask(report, { project, revision, proofs: proof?.rules, proofAt: proof?.at, ...facts }, 'The report', signal),
    proveRules: (project, only, tell) => {
      const gone = new AbortController();
      void long
        .run(
          () => proveInWorker(rules, { project, only }, proofLimitMs, tell, gone.signal),
          gone.signal,
          (before) =>
            tell({
              kind: 'progress',
              words: `Waits for ${before} other proof${before === 1 ? '' : 's'}`,
              decided: 0,
              of: 0,
            }),
        )
        .catch((e: unknown) => {
          if (!gone.signal.aborted)
            tell({ kind: 'failed', message: e instanceof Problem ? e.message : `The proof stopped: ${String(e)}` });
        });
      return () => gone.abort();
    },
  };
}

/** Over when its last message was told, or when nobody listens any more. */
function proveInWorker(
  file: URL,
  workerData: unknown,
  limitMs: number,
  tell: (m: ProofMessage) => void,
  signal: AbortSignal,
): Promise<void> {
  return new Promise((resolve) => {
    const worker = new Worker(file, { workerData });
    let isOver = false;
    const end = (m?: ProofMessage) => {
      if (isOver) return;
      isOver = true;
      clearTimeout(timer);
      signal.removeEventListener('abort', leave);
      if (m) tell(m);
      void worker.terminate();
      resolve();
    };
    const leave = () => end();
    const timer = setTimeout(
      () => end({ kind: 'failed', message: `The proof took longer than ${limitMs / 60_000} minutes and was ended.` }),
      limitMs,
    );
    signal.addEventListener('abort', leave, { once: true });
    worker.on('message', (m: ProofMessage) => {
      if (m.kind === 'done') end(m);
      else if (!isOver) tell(m);
    });
    worker.once('error', (e) => end({ kind: 'failed', message: `The proof stopped: ${e.message}` }));
    worker.once('exit', () => end({ kind: 'failed', message: 'The proof ended without an answer.' }));
  });
}
