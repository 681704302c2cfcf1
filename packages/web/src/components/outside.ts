/** Which inputs and outputs are another program's. */
import { useMemo } from 'react';
import type { Project } from '@ferrule/core/document';
import { useDocument } from '../document/store.js';

/** How many inputs another program gives. */
export function givenOutside(project: Project | undefined): number {
  if (!project?.outside?.isOn) return 0;
  const inputs = new Set(project.tags.flatMap((t) => (/^%I/i.test(t.address ?? '') ? [t.name.toLowerCase()] : [])));
  return project.outside.items.filter((x) => inputs.has(x.path.split(/[.[]/)[0]!.toLowerCase())).length;
}

/** Items by the path of their point in lower case; none while all are the machine model's. */
export function useOutsideItems(): ReadonlyMap<string, string> {
  const outside = useDocument((s) => s.project?.outside);
  return useMemo(
    () => new Map((outside?.isOn ? outside.items : []).map((x) => [x.path.toLowerCase(), x.item])),
    [outside],
  );
}
