/** Search over everything in a project: tags, rungs, texts, types, devices, checks, rules. */
import type { Project } from './document.js';

export type FoundPlace =
  | { readonly kind: 'tag'; readonly id: string }
  | { readonly kind: 'rung'; readonly pou: string; readonly id: string }
  | { readonly kind: 'text'; readonly pou: string; readonly at: number }
  | { readonly kind: 'pou'; readonly pou: string }
  | { readonly kind: 'type'; readonly id: string }
  | { readonly kind: 'device'; readonly id: string }
  | { readonly kind: 'outside' }
  | { readonly kind: 'check' | 'rule'; readonly id: string };

export interface Hit {
  readonly place: FoundPlace;
  /** Where, in words: `Tag StartPB`, `Cell rung 3`. */ readonly where: string;
  /** The line it was found in. */ readonly text: string;
  readonly score: number;
}

/**
 * Hits, the best first: names that begin so, then names that hold it, then everything else; every word of the query
 * must be there.
 */
export function findInProject(project: Project, query: string, most = 60): readonly Hit[] {
  const wanted = query.toLowerCase().split(/\s+/).filter(Boolean);
  if (!wanted.length) return [];
  const hits: Hit[] = [];
  const look = (place: FoundPlace, where: string, name: string, text: string) => {
    const n = name.toLowerCase(),
      all = `${n} ${text.toLowerCase()}`;
    if (!wanted.every((w) => all.includes(w))) return;
    const first = wanted[0]!;
    const score = n === query.toLowerCase() ? 0 : n.startsWith(first) ? 1 : n.includes(first) ? 2 : 4;
    hits.push({ place, where, text, score: score + (place.kind === 'tag' || place.kind === 'pou' ? 0 : 0.5) });
  };
  for (const t of project.tags)
    look(
      { kind: 'tag', id: t.id },
      `Tag ${t.name}`,
      t.name,
      [t.address, t.type, t.description].filter(Boolean).join(' · '),
    );
  for (const p of project.pous) {
    look({ kind: 'pou', pou: p.id }, `${p.name}`, p.name, p.description ?? '');
    if (p.language === 'LD')
      p.rungs.forEach((r, i) =>
        look(
          { kind: 'rung', pou: p.id, id: r.id },
          `${p.name} rung ${i + 1}`,
          r.heading ?? '',
          [r.comment, r.line].filter(Boolean).join(' · '),
        ),
      );
    else {
      let at = 0;
      p.text.split('\n').forEach((l, i) => {
        look(
          { kind: 'text', pou: p.id, at: at + (l.length - l.trimStart().length) },
          `${p.name} line ${i + 1}`,
          '',
          l.trim(),
        );
        at += l.length + 1;
      });
    }
  }
  for (const t of project.types)
    look({ kind: 'type', id: t.id }, 'Type', /^\s*(\w+)/.exec(t.text)?.[1] ?? '', t.text.replace(/\s+/g, ' '));
  for (const d of project.machine.devices)
    look(
      { kind: 'device', id: d.id },
      `Machine ${d.name}`,
      d.name,
      [d.type, d.label, ...Object.values(d.wires ?? {})].filter(Boolean).join(' · '),
    );
  for (const x of project.outside?.items ?? []) look({ kind: 'outside' }, 'Outside I/O', x.path, x.item);
  for (const c of project.checks)
    look(
      { kind: 'check', id: c.id },
      `Check ${c.name}`,
      c.name,
      [
        c.note,
        ...c.rows.flatMap((r) => [r.when, ...(r.do ?? []), ...(r.expect ?? [])]),
        ...(c.table ? [...c.table.columns, ...c.table.rows.flat()] : []),
      ]
        .filter(Boolean)
        .join(' · '),
    );
  for (const r of project.rules) look({ kind: 'rule', id: r.id }, `Rule ${r.name}`, r.name, r.sentence);
  return hits.sort((a, b) => a.score - b.score).slice(0, most);
}
