/** Edits of the plan, the scope, what belongs to the bench, and of the project as a whole. */
import type { BenchDesk } from '../document.js';
import { ORDER, benchInOrder, inOrder, projectInOrder } from '../order.js';
import { type Applies, done, inGroup, refuse } from './apply.js';
import { type Field, name, parts, text, texts, whole, wholeOrNothing } from './fields.js';
import { type Edit, applyEdit } from './index.js';

export const deskFields = {
  changePlan: { plan: wholeOrNothing('plan') },
  changeScope: { paths: texts },
  /** Parts that are given take the place of those there were. */
  changeBench: { to: parts('bench') },
  rename: { name },
  /** The whole project becomes another: an old revision brought back. */
  replace: { project: whole('project') },
};
/** Several edits as one, undone as one. Its edits are told to the compiler in `index`, which knows all kinds. */
export const groupFields = { label: text, edits: { is: 'edits' } as Field<unknown> };
/** Groups in groups go no deeper. */
export const DEEPEST_GROUP = 20;

export const deskEdits: Applies<typeof deskFields> = {
  changePlan: (p, e) => {
    const { plan: before, ...rest } = p;
    return done(inOrder('project', { ...rest, ...(e.plan ? { plan: inOrder('plan', e.plan) } : {}) }), {
      kind: 'changePlan',
      plan: before ?? null,
    });
  },
  changeScope: (p, e) => done({ ...p, scope: e.paths }, { kind: 'changeScope', paths: p.scope }),
  changeBench: (p, e) => {
    const { bench: before = {}, ...rest } = p,
      bench = benchInOrder({ ...before, ...e.to });
    const old = Object.fromEntries(
      (ORDER.bench as readonly (keyof BenchDesk)[]).flatMap((k) => (e.to[k] ? [[k, before[k] ?? []]] : [])),
    ) as BenchDesk;
    return done(inOrder('project', { ...rest, ...(bench ? { bench } : {}) }), { kind: 'changeBench', to: old });
  },
  rename: (p, e) => done({ ...p, name: e.name }, { kind: 'rename', name: p.name }),
  replace: (p, e) => done(projectInOrder(e.project), { kind: 'replace', project: p }),
};

export function applyGroup(
  p: Parameters<typeof applyEdit>[0],
  e: Edit & { kind: 'group' },
  depth: number,
): ReturnType<typeof applyEdit> {
  if (depth > DEEPEST_GROUP) return refuse(`Groups of changes lie more than ${DEEPEST_GROUP} deep in each other.`);
  return inGroup(() => {
    let project = p;
    const inverses: Edit[] = [];
    for (const x of e.edits) {
      const r = applyEdit(project, x, depth + 1);
      if ('refused' in r) return r;
      project = r.project;
      inverses.push(r.inverse);
    }
    return done(project, { kind: 'group', label: e.label, edits: inverses.reverse() });
  });
}
