/** Rungs of two versions of a project that write a tag, in pairs by their ids. */
import type { Difference, Project, RungText } from '@ferrule/core/document';
import { modelOf, nodeText } from '../../components/ladder/rung-model.js';

const NO_TAGS = {};
/** Whether a coil stands for the tag, or an action or a block's output assigns to it. */
function writes(r: RungText, path: string): boolean {
  const name = path.toLowerCase();
  return modelOf(r, NO_TAGS, 580).nodes.some((n) => {
    if (n.kind === 'coil') return n.tag.toLowerCase() === name;
    const text = nodeText(r.line, n).toLowerCase();
    return [...text.matchAll(/([\w.]+)\s*:=|=>\s*([\w.]+)/g)].some(([, a, b]) => a === name || b === name);
  });
}

export function rungsWriting(path: string, kept: Project | undefined, draft: Project | undefined): Difference[] {
  const of = (p: Project | undefined) =>
    (p?.pous ?? []).flatMap((pou) =>
      pou.language === 'LD' ? pou.rungs.map((r, i) => ({ r, name: `${pou.name} · rung ${i + 1}` })) : [],
    );
  const before = new Map(of(kept).map((x) => [x.r.id, x])),
    after = new Map(of(draft).map((x) => [x.r.id, x]));
  return [...new Set([...after.keys(), ...before.keys()])].flatMap((id): Difference[] => {
    const [a, b] = [before.get(id), after.get(id)];
    if (![a, b].some((x) => x && writes(x.r, path))) return [];
    return [
      {
        key: id,
        what: (b ?? a)!.name,
        kind: 'rung',
        ...(a ? { before: a.r.line } : {}),
        ...(b ? { after: b.r.line } : {}),
        rungs: { ...(a ? { before: a.r } : {}), ...(b ? { after: b.r } : {}) },
      },
    ];
  });
}
