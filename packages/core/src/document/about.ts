/** What a project is, told in a list beside others: its words, how much there is of it, and the machine to draw. */
import type { Project } from './document.js';

export interface ProjectAbout {
  readonly description: string;
  readonly programs: number;
  readonly rungs: number;
  readonly texts: number;
  readonly tags: number;
  readonly checks: number;
  readonly rules: number;
  readonly machine: Project['machine'];
}

/** Its own description, or the first sentence of its plan. */
export function aboutProject(p: Project): ProjectAbout {
  const planned = p.plan?.description?.trim() ?? '';
  return {
    description: p.description?.trim() || (/^[^]*?[.!?](?=\s|$)/.exec(planned)?.[0] ?? planned),
    programs: p.pous.length,
    rungs: p.pous.reduce((n, x) => n + (x.language === 'LD' ? x.rungs.length : 0), 0),
    texts: p.pous.filter((x) => x.language === 'ST').length,
    tags: p.tags.length,
    checks: p.checks.length,
    rules: p.rules.length,
    machine: p.machine,
  };
}
