import { writeFileSync } from 'node:fs';
import { diagnosticLine, junitXml, planProof, projectHash, proofLines, prove, reportHtml, scanStep, summaryLine } from '@ferrule/core';
import { UsageError, parseOptions, readInput } from './files.js';
import type { Console } from './main.js';

/** `ferrule verify PROJECT` */
export function verify(args: readonly string[], io: Console): number {
  const { files, options } = parseOptions(args, ['only', 'junit', 'report'], []);
  if (files.length > 1) throw new UsageError('verify takes one project.');
  const input = readInput(files[0]!);
  if (input.kind !== 'project') throw new UsageError(`${files[0]}: checks and rules live in a project (.ferrule.json).`);
  const { project } = input;
  const plan = planProof(project, input.name);
  if (!plan.image) {
    for (const d of plan.compiled.diagnostics) io.out(`${diagnosticLine(d)}\n`);
    io.out(`${summaryLine(plan.compiled.diagnostics)}\n`);
    return 1;
  }
  for (const d of plan.diagnostics) io.error(`${diagnosticLine(d)}\n`);
  const only = options.get('only');
  if (only && ![...project.checks, ...project.rules].some((x) => x.name.toLowerCase() === only.toLowerCase())) throw new UsageError(`there is no check or rule '${only}'.`);
  const stepNs = scanStep(plan.image);
  const result = prove(plan, { stepNs, ...(only ? { only } : {}) });
  for (const line of proofLines(result)) io.out(`${line}\n`);
  const save = (name: string, text: string) => {
    const path = options.get(name);
    if (!path) return;
    try { writeFileSync(path, text); } catch (e) { throw new UsageError(`${path}: it cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`); }
  };
  save('junit', junitXml(result, project.name));
  save('report', reportHtml(result, { project: project.name, hash: projectHash(project) }));
  return [...result.checks, ...result.rules].every((x) => x.ok) ? 0 : 1;
}
