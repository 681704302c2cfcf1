/** Lanes of a search, in a thread of their own. */
import { parentPort, workerData } from 'node:worker_threads';
import { Lane, type LaneOptions, type Project, goOn, planProof } from '@ferrule/core';

const { project, lanes: numbers, options, ms } = workerData as { project: Project; lanes: readonly number[]; options: LaneOptions; ms: number };
const plan = planProof(project, project.name), lanes = numbers.map((n) => new Lane(n, plan, project, options)), until = performance.now() + ms;
while (!goOn(lanes) && performance.now() < until);
parentPort!.postMessage(lanes.map((l) => [l.number, l.state]));
