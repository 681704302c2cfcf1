/** F8: from one problem to the next, wherever it is. */
import { useCallback, useRef } from 'react';
import { useNavigate, useParams } from 'react-router';
import { benchStore } from '../bench/live.js';
import type { ProblemNote } from '../bench/protocol.js';

export function useProblemWalk(): (by: 1 | -1) => void {
  const navigate = useNavigate();
  const { id } = useParams();
  const at = useRef(-1);
  return useCallback((by) => {
    const problems = benchStore.getState().checked?.problems ?? [];
    if (!problems.length) return;
    at.current = (at.current + by + problems.length) % problems.length;
    void navigate(placeOf(problems[at.current]!, id ?? ''));
  }, [navigate, id]);
}

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
