import { parentPort, workerData } from 'node:worker_threads';
import type { Project } from '@ferrule/core/document';
import { proofAnswer } from './proof-answer.js';

const { project, only } = workerData as { project: Project; only?: string };
parentPort!.postMessage(proofAnswer(project, only));
