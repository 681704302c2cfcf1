/** One lane of a search, in a thread of its own. */
import { parentPort, workerData } from 'node:worker_threads';
import { Lane, type Project, planProof } from '@ferrule/core';

const { project, lane, options } = workerData as { project: Project; lane: number; options: ConstructorParameters<typeof Lane>[3] };
const one = new Lane(lane, planProof(project, project.name), project, options);
while (!one.isDone) one.run(1_000_000);
parentPort!.postMessage(one.state);
