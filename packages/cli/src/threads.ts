/** Shares of long work in threads of this machine. */
import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { Worker } from 'node:worker_threads';
import { type Done, type Pool, type Share, doShare } from '@ferrule/protocols/shares';

/** The built thread; from the sources there is none. */
const file = new URL('./worker.mjs', import.meta.url);
export const hasThreads = existsSync(file);

/** Does a share in a thread of its own, so that this one goes on; in this one from the sources. */
export function inThread(share: Share, signal?: AbortSignal): Promise<Done> {
  if (!hasThreads) return doShare(share);
  return new Promise((resolve, reject) => {
    const thread = new Worker(file, { workerData: share });
    const leave = () => {
      void thread.terminate();
      reject(signal!.reason as Error);
    };
    signal?.addEventListener('abort', leave, { once: true });
    const end = (f: () => void) => {
      signal?.removeEventListener('abort', leave);
      f();
    };
    thread.once('message', (done: Done) => end(() => resolve(done)));
    thread.once('error', (e) => end(() => reject(e)));
    thread.once('exit', (code) => end(() => reject(new Error(`its thread ended with ${code}`))));
  });
}

/** As many as there are cores. */
export const THREADS: Pool = {
  count: hasThreads ? availableParallelism() : 1,
  hasEachRule: false,
  run: (work, count, told, signal) =>
    Promise.all(
      Array.from({ length: count }, async (_, worker): Promise<Done> => {
        const share = { ...work, worker, workers: count } as Share,
          done = await (count === 1 ? doShare(share) : inThread(share, signal));
        told?.(done);
        return done;
      }),
    ),
};
