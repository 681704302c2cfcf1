/** Edits of programs and blocks, their rungs and text, and of tasks. */
import type { Project, ProjectPou } from '../document.js';
import { type AppliedOf, type Applies, type ListOf, addTo, changeIn, done, insert, refuse, takeFrom } from './apply.js';
import { changes, changesOf, index, text, whole } from './fields.js';

/** What can be changed of a program or block; its rungs and its text have edits of their own. */
interface PouHead {
  readonly id: string;
  readonly name: string;
  readonly description?: string;
  readonly variables?: string;
  readonly kind: ProjectPou['kind'];
}

export const logicFields = {
  addPou: { pou: whole('pou'), at: index },
  removePou: { id: text },
  changePou: { id: text, to: changesOf<PouHead>('pou', ['name', 'description', 'variables', 'kind']) },
  changeText: { pou: text, text },
  addRung: { pou: text, rung: whole('rung'), at: index },
  removeRung: { pou: text, id: text },
  changeRung: { pou: text, id: text, to: changes('rung') },
  moveRung: { pou: text, id: text, to: index },
  addTask: { task: whole('task'), at: index },
  removeTask: { id: text },
  changeTask: { id: text, to: changes('task') },
};

const pous = (p: Project): ListOf<'pou'> => ({
  thing: 'pou',
  what: 'program or block',
  items: p.pous,
  whole: (items) => ({ ...p, pous: items }),
});
const tasks = (p: Project): ListOf<'task'> => ({
  thing: 'task',
  what: 'task',
  items: p.tasks,
  whole: (items) => ({ ...p, tasks: items }),
});
/** Does something with the rungs of a ladder. */
function inLadder<E>(p: Project, id: string, change: (rungs: ListOf<'rung'>) => AppliedOf<E>): AppliedOf<E> {
  const pou = p.pous.find((x) => x.id === id);
  if (pou?.language !== 'LD') return refuse('The program is no longer there.');
  return change({
    thing: 'rung',
    what: 'rung',
    items: pou.rungs,
    whole: (rungs) => ({ ...p, pous: p.pous.map((x) => (x === pou ? { ...pou, rungs } : x)) }),
  });
}

export const logicEdits: Applies<typeof logicFields> = {
  addPou: (p, e) => addTo(pous(p), e.pou, e.at, { kind: 'removePou', id: e.pou.id }),
  removePou: (p, e) => takeFrom(pous(p), e.id, (pou, at) => ({ kind: 'addPou', pou, at })),
  changePou: (p, e) => changeIn(pous(p), e.id, e.to, (to) => ({ ...e, to: to as typeof e.to })),
  changeText: (p, e) => {
    const pou = p.pous.find((x) => x.id === e.pou);
    if (pou?.language !== 'ST') return refuse('The text is no longer there.');
    const pous = p.pous.map((x) => (x === pou ? { ...pou, text: e.text } : x));
    return done({ ...p, pous }, { ...e, text: pou.text });
  },
  addRung: (p, e) =>
    inLadder(p, e.pou, (rungs) => addTo(rungs, e.rung, e.at, { kind: 'removeRung', pou: e.pou, id: e.rung.id })),
  removeRung: (p, e) =>
    inLadder(p, e.pou, (rungs) => takeFrom(rungs, e.id, (rung, at) => ({ kind: 'addRung', pou: e.pou, rung, at }))),
  changeRung: (p, e) => inLadder(p, e.pou, (rungs) => changeIn(rungs, e.id, e.to, (to) => ({ ...e, to }))),
  moveRung: (p, e) =>
    inLadder(p, e.pou, ({ items, whole }) => {
      const at = items.findIndex((r) => r.id === e.id);
      if (at < 0) return refuse('The rung is no longer there.');
      const rest = items.filter((r) => r.id !== e.id);
      return done(whole(insert(rest, items[at]!, e.to)), { ...e, to: at });
    }),
  addTask: (p, e) => addTo(tasks(p), e.task, e.at, { kind: 'removeTask', id: e.task.id }),
  removeTask: (p, e) => takeFrom(tasks(p), e.id, (task, at) => ({ kind: 'addTask', task, at })),
  changeTask: (p, e) => changeIn(tasks(p), e.id, e.to, (to) => ({ ...e, to })),
};
