/** Where tags are used. */
import { sameName } from '../language/words.js';
import { type Compiled } from '../workspace/compile.js';
import { type Project } from '../document/document.js';

/** One use of a tag, in words and with the place to jump to. */
export interface Use {
  readonly tag: string;
  readonly isWrite: boolean;
  /** `Cell rung 3`, `PullTest line 12`, `Machine Press`. */
  readonly place: string;
  readonly pouId?: string;
  readonly rungId?: string;
  readonly line?: number;
  /** Offset in a block's text. */
  readonly at?: number;
}

/** Uses of every global tag by lower-case name: in logic, on the machine, and on the scope's behalf nowhere. */
export function usesOf(project: Project, compiled: Compiled): Map<string, Use[]> {
  const uses = new Map<string, Use[]>();
  const add = (tag: string, use: Omit<Use, 'tag'>) => {
    const list = uses.get(tag.toLowerCase());
    if (list) list.push({ tag, ...use });
    else uses.set(tag.toLowerCase(), [{ tag, ...use }]);
  };
  for (const r of compiled.program.references)
    for (const of of r.alias ? [r.alias, r.variable.name] : [r.variable.name]) {
      if (r.variable.section !== 'global') continue;
      const o = r.at.source.origin;
      if (o.kind === 'rung')
        add(of, { isWrite: r.isWrite, place: `${o.pou} rung ${o.number}`, pouId: o.pouId, rungId: o.rungId });
      else if (o.kind === 'pou') {
        const line = r.at.source.text.slice(0, r.at.start).split('\n').length;
        add(of, { isWrite: r.isWrite, place: `${o.name} line ${line}`, pouId: o.id, line, at: r.at.start });
      }
    }
  for (const d of project.machine.devices)
    for (const [terminal, to] of Object.entries(d.wires ?? {})) {
      const root = to.split(/[.[]/)[0]!;
      if (project.tags.some((t) => sameName(t.name, root)))
        add(root, { isWrite: false, place: `Machine ${d.name}.${terminal}` });
    }
  for (const { path, item } of project.outside?.items ?? []) {
    const root = path.split(/[.[]/)[0]!;
    if (project.tags.some((t) => sameName(t.name, root))) add(root, { isWrite: false, place: `Outside ${item}` });
  }
  for (const { point, pin } of project.board?.pins ?? [])
    if (project.tags.some((t) => sameName(t.name, point))) add(point, { isWrite: false, place: `Board pin ${pin}` });
  return uses;
}

/**
 * Rungs that are typed but make no rung yet: nothing of the program speaks of them, the names in them stand all the
 * same.
 */
export function unfinishedRungs(
  project: Project,
  compiled: Compiled,
): readonly { readonly pou: string; readonly id: string; readonly line: string }[] {
  const ids = new Set(
    compiled.diagnostics.flatMap((d) => {
      const o = d.at.source.origin;
      return d.unfinished && d.code !== 'CONFLICT' && o.kind === 'rung' ? [o.rungId] : [];
    }),
  );
  return project.pous.flatMap((p) =>
    p.language === 'LD' ? p.rungs.filter((r) => ids.has(r.id)).map((r) => ({ pou: p.id, id: r.id, line: r.line })) : [],
  );
}
