/** The thread that makes a program ready, beside the scan. */
import 'reflect-metadata';
import { parentPort, workerData } from 'node:worker_threads';
import { make } from './make.js';
import { askFor } from './priority.js';

askFor('background');
const { text, hash, recordWhen } = workerData as {
  readonly text: string;
  readonly hash: string;
  readonly recordWhen?: string;
};
try {
  parentPort!.postMessage({ made: make(text, hash, recordWhen) });
} catch (e) {
  parentPort!.postMessage({ error: (e as Error).message });
}
