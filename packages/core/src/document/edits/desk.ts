/** Edits of the plan, the scope, what belongs to the bench, and of the project as a whole. */
import type { BenchDesk } from '../document.js';
import { ORDER, benchInOrder, inOrder, projectInOrder } from '../order.js';
import { type Applies, done } from './apply.js';
import { name, parts, texts, whole, wholeOrNothing } from './fields.js';

export const deskFields = {
  changePlan: { plan: wholeOrNothing('plan') },
  changeScope: { paths: texts },
  /** Parts that are given take the place of those there were. */
  changeBench: { to: parts('bench') },
  rename: { name },
  /** The whole project becomes another: an old revision brought back. */
  replace: { project: whole('project') },
};
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
