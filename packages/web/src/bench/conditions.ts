/**
 * Conditions that people type at the bench — where to stop, until when to run, what to look for — compiled beside the
 * program.
 */
import type { Compiled, Compiler } from '@ferrule/core/workspace';
import type { Project } from '@ferrule/core/document';
import { makeSource } from '@ferrule/core/language';
import { parseCondition } from '@ferrule/core/verify';

/** What is wrong with each text that cannot be compiled, and the number of the expression of each that can. */
export interface Conditions {
  readonly compiled: Compiled;
  readonly numbers: ReadonlyMap<string, number>;
  readonly problems: ReadonlyMap<string, string>;
}

/** `Running is on`, `Step is Idle`, or any Boolean expression. The project itself must be without errors. */
export function compileConditions(compiler: Compiler, project: Project, texts: readonly string[]): Conditions {
  const file = { kind: 'project' as const, name: project.name, project };
  const all = [...new Set(texts)];
  const sources = all.map((t, i) =>
    makeSource(project.name, parseCondition(t).text, {
      kind: 'cell',
      owner: 'check',
      id: `condition ${i}`,
      name: '',
      row: 0,
      cell: 'condition',
    }),
  );
  const first = compiler.compile([file], { expressions: sources });
  const problems = new Map<string, string>();
  for (const d of first.diagnostics) {
    const o = d.at.source.origin;
    if (o.kind === 'cell' && d.severity === 'error') problems.set(all[Number(o.id.split(' ')[1])]!, d.message);
  }
  const good = all.filter((t) => !problems.has(t));
  const compiled = problems.size
    ? compiler.compile([file], { expressions: sources.filter((_, i) => good.includes(all[i]!)) })
    : first;
  return { compiled, numbers: new Map(good.map((t, i) => [t, i])), problems };
}
