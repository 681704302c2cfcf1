/** A merged project is checked and its checks are played before it is kept: away from page and bench. */
import type { Project } from '@ferrule/core/document';
import { checkVerdict, planProof, prove, ruleVerdict } from '@ferrule/core/verify';
import { scanStep } from '@ferrule/core/bench';

export interface Tried {
  readonly errors: readonly string[];
  readonly warnings: number;
  /** Checks and rules with their verdict, those that failed first; undefined where the logic has errors. */
  readonly told?: readonly { readonly name: string; readonly word: string; readonly words: string }[];
}

self.onmessage = ({ data }: MessageEvent<Project>) => {
  // What is still to be chosen is said beside this; it is played with what stands there.
  const { conflicts: _, ...project } = data;
  const plan = planProof(project, project.name),
    all = [...plan.compiled.diagnostics, ...plan.diagnostics],
    errors = all.flatMap((d) => (d.severity === 'error' ? [d.message] : [])),
    warnings = all.filter((d) => d.severity === 'warning').length;
  if (!plan.image) return postMessage({ errors, warnings } satisfies Tried);
  const played = prove(plan, { stepNs: scanStep(plan.image) });
  const told = [
    ...played.checks.map((c) => ({ name: c.name, ...checkVerdict(c) })),
    ...played.rules.map((r) => ({ name: r.name, ...ruleVerdict(r) })),
  ].map(({ name, word, words }) => ({ name, word, words }));
  const failed = told.filter((t) => t.word === 'FAILED');
  postMessage({ errors, warnings, told: [...failed, ...told.filter((t) => t.word !== 'FAILED')] } satisfies Tried);
};
