import type { ProblemNote } from '../bench/protocol.js';

/** The page address that shows a problem. */
export function placeOf(p: ProblemNote, project: string): string {
  const base = `/projects/${project}`;
  switch (p.origin.kind) {
    case 'rung': return `${base}/logic?pou=${p.origin.pouId}&rung=${p.origin.rungId}${p.element !== undefined ? `&element=${p.element}` : ''}`;
    case 'pou': return `${base}/logic?pou=${p.origin.id}&at=${p.start}`;
    case 'tag': return `${base}/tags?tag=${p.origin.id}`;
    case 'device': return `${base}/machine?device=${p.origin.id}`;
    case 'cell': return `${base}/prove?${p.origin.owner}=${p.origin.id}`;
    default: return `${base}/logic`;
  }
}
