/** A share of a search or of the changed logic, in a thread of its own. */
import { parentPort, workerData } from 'node:worker_threads';
import { type Share, doShare } from '@ferrule/protocols/shares';

parentPort!.postMessage(await doShare(workerData as Share));
