/** Who may write what, by path. */
import { type CheckedPou } from '../checked/tree.js';
import { type Compiled } from '../workspace/compile.js';
import { instancesOf } from '../editor/services.js';
import { type Root, pathOf } from './evaluate.js';
import { type Writer, Writers } from './writers.js';

const indexes = new WeakMap<Compiled, Index>();
export class Index {
  readonly writers: Writers;
  private readonly byPath = new Map<string, { writer: Writer; root: Root }[]>();
  private readonly dynamic: { base: string; writer: Writer; root: Root }[] = [];
  readonly roots = new Map<CheckedPou, readonly Root[]>();

  constructor(readonly compiled: Compiled) {
    this.writers = new Writers(compiled.program);
    for (const w of this.writers.all)
      for (const root of this.rootsOf(w.pou))
        for (const t of w.targets) {
          const path = pathOf(t.place, root);
          if (path !== undefined) {
            const k = path.toLowerCase(),
              list = this.byPath.get(k);
            if (list) list.push({ writer: w, root });
            else this.byPath.set(k, [{ writer: w, root }]);
          } else if (t.place.kind === 'element' || t.place.kind === 'member' || t.place.kind === 'part') {
            let base = t.place.base;
            while (base.kind !== 'variable' && pathOf(base, root) === undefined && base.kind !== 'target')
              base = base.base;
            const known = pathOf(base, root);
            if (known !== undefined) this.dynamic.push({ base: known.toLowerCase(), writer: w, root });
          }
        }
  }

  rootsOf(pou: CheckedPou): readonly Root[] {
    let roots = this.roots.get(pou);
    if (!roots) {
      const programs = this.compiled.program.instances.filter((i) => i.pou === pou).map((i) => i.name);
      this.roots.set(
        pou,
        (roots =
          pou.pou === 'PROGRAM'
            ? programs
            : pou.pou === 'FUNCTION'
              ? [undefined]
              : instancesOf(this.compiled, pou.name)),
      );
    }
    return roots;
  }

  /** Statements that may write a path: itself, what it is part of, or a part of it. */
  of(path: string): readonly { writer: Writer; root: Root }[] {
    const k = path.toLowerCase();
    const found: { writer: Writer; root: Root }[] = [];
    for (const [p, list] of this.byPath)
      if (p === k || k.startsWith(`${p}.`) || k.startsWith(`${p}[`) || p.startsWith(`${k}.`) || p.startsWith(`${k}[`))
        found.push(...list);
    for (const d of this.dynamic)
      if (k === d.base || k.startsWith(`${d.base}[`) || k.startsWith(`${d.base}.`)) found.push(d);
    return found;
  }

  callsOf(instance: string): readonly { writer: Writer; root: Root }[] {
    const k = instance.toLowerCase();
    return this.writers.all
      .filter((w) => w.call)
      .flatMap((writer) =>
        this.rootsOf(writer.pou)
          .filter((root) => pathOf(writer.call!.instance, root)?.toLowerCase() === k)
          .map((root) => ({ writer, root })),
      );
  }
}

/** The writers of a checked project; made once for each. */
export function indexOf(compiled: Compiled): Index {
  let i = indexes.get(compiled);
  if (!i) indexes.set(compiled, (i = new Index(compiled)));
  return i;
}
