/** Plays everything for a report: results and reach, as pages to sign. */
import { parentPort, workerData } from 'node:worker_threads';
import { version } from '../../../package.json';
import { modbusMap, modbusRows, pointsOf, scanStep } from '@ferrule/core/bench';
import { type Project, projectHash } from '@ferrule/core/document';
import { type ReportFacts, type RuleProof, planProof, reachOf, reportHtml } from '@ferrule/core/verify';

const { project, revision, proofs, proofAt, by, controller } = workerData as {
  project: Project;
  revision: number;
  proofs?: readonly RuleProof[];
  proofAt?: number;
  by?: string;
  controller?: ReportFacts['controller'];
};
const plan = planProof(project, project.name);
if (!plan.image) parentPort!.postMessage({ problem: 'The logic has errors; mend them first.' });
else {
  const { result, ...reach } = reachOf(plan, scanStep(plan.image));
  parentPort!.postMessage({
    html: reportHtml(result, {
      project,
      hash: projectHash(project),
      revision,
      reach,
      ferrule: version,
      at: Date.now(),
      ...(proofAt === undefined ? {} : { proofAt }),
      ...(by ? { by } : {}),
      hasProof: proofs !== undefined,
      modbus: modbusRows(modbusMap(pointsOf(project, plan.image)), undefined),
      ...(controller ? { controller } : {}),
      strengths: new Map((proofs ?? []).map((x) => [x.id, { proof: x }])),
    }),
  });
}
