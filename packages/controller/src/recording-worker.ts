/** The thread that makes the file of a recording, beside the scan. */
import 'reflect-metadata';
import { parentPort, workerData } from 'node:worker_threads';
import { askFor } from './priority.js';
import { makeRun } from './make-run.js';

askFor('background');
try {
  parentPort!.postMessage({ run: makeRun(workerData as Parameters<typeof makeRun>[0]) });
} catch (e) {
  parentPort!.postMessage({ error: (e as Error).message });
}
