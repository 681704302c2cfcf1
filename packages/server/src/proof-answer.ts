import { type Project, placeText, planProof, prove } from '@ferrule/core';

/** What the page shows of a run: results as JSON (durations in ms, values of events as text). */
export function proofAnswer(project: Project, only?: string): unknown {
  const plan = planProof(project, project.name);
  const intervals = plan.image?.tasks.map((t) => t.intervalNs).filter((n) => n > 0n) ?? [];
  const stepNs = intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n;
  const result = prove(plan, { stepNs, ...(only ? { only } : {}) });
  return JSON.parse(JSON.stringify({
    ...result,
    problems: plan.diagnostics.map((d) => ({ origin: d.at.source.origin, message: d.message, place: placeText(d.at) })),
  }, (key, value: unknown) => (typeof value !== 'bigint' ? value : key === 'timeNs' ? Number(value) : value.toString())));
}
