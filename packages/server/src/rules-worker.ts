/** Proves the rules of a project in a thread of its own: messages with what is being done, then the answer. */
import { parentPort, workerData } from 'node:worker_threads';
import type { Project } from '@ferrule/core/document';
import { type RuleProof, planProof, proveRules } from '@ferrule/core/verify';
import { scanStep } from '@ferrule/core/bench';
import { loadSolver } from '@ferrule/core/solver';

const { project, only } = workerData as { project: Project; only?: readonly string[] };
const plan = planProof(project, project.name);
const solver = await loadSolver();
const answer = await proveRules(project, plan, {
  solver,
  stepNs: plan.image ? scanStep(plan.image) : 10_000_000n,
  ...(only ? { only } : {}),
  onProgress: (words, decided, of) => parentPort!.postMessage({ kind: 'progress', words, decided, of }),
});
parentPort!.postMessage({
  kind: 'done',
  answer: JSON.parse(JSON.stringify(answer, (_, v: unknown) => (typeof v === 'bigint' ? v.toString() : v))) as {
    rules: readonly RuleProof[];
  },
});
await solver.close();
