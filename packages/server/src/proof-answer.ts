import type { Project } from '@ferrule/core/document';
import { placeText } from '@ferrule/core/language';
import { planProof, prove } from '@ferrule/core/verify';
import { scanStep } from '@ferrule/core/bench';

/** What the page shows of a run: results as JSON (durations in ms, values of events as text). */
export function proofAnswer(project: Project, only?: string): unknown {
  const plan = planProof(project, project.name);
  const result = prove(plan, { stepNs: plan.image ? scanStep(plan.image) : 10_000_000n, ...(only ? { only } : {}) });
  return JSON.parse(
    JSON.stringify(
      {
        ...result,
        problems: plan.diagnostics.map((d) => ({
          origin: d.at.source.origin,
          message: d.message,
          place: placeText(d.at),
        })),
      },
      (key, value: unknown) =>
        typeof value !== 'bigint' ? value : key === 'timeNs' ? Number(value) : value.toString(),
    ),
  );
}
