/** Changes the logic by itself, one small thing at a time, and sees whether the checks notice: an honest figure of how good they are. */
import { editRung } from '../ladder/edit.js';
import { parseRungLine } from '../ladder/parse.js';
import { nodesOf } from '../ladder/rung.js';
import { Problems } from '../language/diagnostic.js';
import { makeSource } from '../language/source.js';
import { Compiler } from '../project/compile.js';
import type { Project } from '../project/document.js';
import { planProof } from './plan.js';
import { prove } from './play.js';

export interface Mutant { readonly pou: string; readonly pouId: string; readonly rung: string; readonly number: number; readonly element: number; /** `StopOK inverted`. */ readonly what: string; readonly before: string; readonly after: string }
export interface MutantResult extends Mutant { /** The check or rule that noticed; undefined when none did. */ readonly noticedBy?: string }

/** Every small change that is tried: contacts inverted or bridged, coils that no longer hold or negate, presets doubled. */
export function mutantsOf(project: Project): readonly Mutant[] {
  return project.pous.flatMap((p) => (p.language !== 'LD' ? [] : p.rungs.flatMap((r, i): Mutant[] => {
    const parsed = parseRungLine(makeSource('', r.line, { kind: 'rung', pouId: p.id, pou: p.name, rungId: r.id, number: i + 1 }), new Problems());
    if (!parsed) return [];
    const common = { pou: p.name, pouId: p.id, rung: r.id, number: i + 1, before: r.line };
    return nodesOf(parsed.rung).flatMap((n, element): Mutant[] => {
      const put = (text: string): string => r.line.slice(0, n.start) + text + r.line.slice(n.end);
      const mine = (what: string, after: string | undefined): Mutant[] => (after === undefined || after === r.line ? [] : [{ ...common, element, what, after }]);
      const edited = (kind: 'negate' | 'delete') => { const e = editRung(r.line, { element }, { kind }); return 'line' in e ? e.line : undefined; };
      switch (n.kind) {
        case 'contact': return n.mode === 'open' || n.mode === 'closed' ? [...mine(`${n.tag} inverted`, edited('negate')), ...mine(`${n.tag} left out`, edited('delete'))] : [];
        case 'compare': { const turned = { '>=': '<', '>': '<=', '<=': '>', '<': '>=', '=': '<>', '<>': '=' }[n.op]; return turned ? mine(`${n.left} ${n.op} turned round`, put(`${n.left} ${turned} ${n.right}`)) : []; }
        case 'coil': return n.mode === 'set' ? mine(`${n.tag} no longer held`, put(n.tag)) : n.mode === 'plain' ? mine(`${n.tag} negated`, put(`!${n.tag}`)) : [];
        case 'call': { const m = /PT\s*:=\s*([\d.]+)\s*(ms|s|min|h)\b/.exec(r.line.slice(n.start, n.end)); return m ? mine(`${n.name} twice as long`, put(r.line.slice(n.start, n.end).replace(m[0], `PT := ${Number(m[1]) * 2} ${m[2]}`))) : []; }
        default: return [];
      }
    });
  })));
}

/** Plays the checks on a changed project until one notices. A change that is no logic any more counts for nothing: undefined. */
export function tryMutant(project: Project, m: Mutant, stepNs: bigint, compiler = new Compiler()): MutantResult | undefined {
  const changed: Project = { ...project, pous: project.pous.map((p) => (p.id === m.pouId && p.language === 'LD' ? { ...p, rungs: p.rungs.map((r) => (r.id === m.rung ? { ...r, line: m.after } : r)) } : p)) };
  const plan = planProof(changed, project.name, compiler);
  if (!plan.image) return undefined;
  const r = prove(plan, { stepNs, stopAtFirst: true });
  const failed = [...r.checks, ...r.rules].find((x) => !x.ok);
  return { ...m, ...(failed ? { noticedBy: failed.name } : {}) };
}
