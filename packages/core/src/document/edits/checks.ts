/** Edits of sequence checks, their rows, interlock rules, and how strict the rules of checking are. */
import type { Project } from '../document.js';
import { checkingInOrder, inOrder } from '../order.js';
import { type AppliedOf, type Applies, type ListOf, addTo, changeIn, done, refuse, takeFrom } from './apply.js';
import { changes, index, level, name, text, whole } from './fields.js';

export const checkFields = {
  addCheck: { check: whole('check'), at: index },
  removeCheck: { id: text },
  changeCheck: { id: text, to: changes('check') },
  addRow: { check: text, row: whole('row'), at: index },
  removeRow: { check: text, id: text },
  changeRow: { check: text, id: text, to: changes('row') },
  addRule: { rule: whole('rule'), at: index },
  removeRule: { id: text },
  changeRule: { id: text, to: changes('rule') },
  /** How strict a rule of checking is; 'warning' is what it is by itself. */
  changeChecking: { code: name, to: level },
};

const checks = (p: Project): ListOf<'check'> => ({
  thing: 'check',
  what: 'check',
  items: p.checks,
  whole: (items) => ({ ...p, checks: items }),
});
const rules = (p: Project): ListOf<'rule'> => ({
  thing: 'rule',
  what: 'rule',
  items: p.rules,
  whole: (items) => ({ ...p, rules: items }),
});
function inCheck<E>(p: Project, id: string, change: (rows: ListOf<'row'>) => AppliedOf<E>): AppliedOf<E> {
  const check = p.checks.find((c) => c.id === id);
  if (!check) return refuse('The check is no longer there.');
  return change({
    thing: 'row',
    what: 'row',
    items: check.rows,
    whole: (rows) => ({ ...p, checks: p.checks.map((c) => (c === check ? { ...c, rows } : c)) }),
  });
}

export const checkEdits: Applies<typeof checkFields> = {
  addCheck: (p, e) => addTo(checks(p), e.check, e.at, { kind: 'removeCheck', id: e.check.id }),
  removeCheck: (p, e) => takeFrom(checks(p), e.id, (check, at) => ({ kind: 'addCheck', check, at })),
  changeCheck: (p, e) => changeIn(checks(p), e.id, e.to, (to) => ({ ...e, to })),
  addRow: (p, e) =>
    inCheck(p, e.check, (rows) => addTo(rows, e.row, e.at, { kind: 'removeRow', check: e.check, id: e.row.id })),
  removeRow: (p, e) =>
    inCheck(p, e.check, (rows) => takeFrom(rows, e.id, (row, at) => ({ kind: 'addRow', check: e.check, row, at }))),
  changeRow: (p, e) => inCheck(p, e.check, (rows) => changeIn(rows, e.id, e.to, (to) => ({ ...e, to }))),
  addRule: (p, e) => addTo(rules(p), e.rule, e.at, { kind: 'removeRule', id: e.rule.id }),
  removeRule: (p, e) => takeFrom(rules(p), e.id, (rule, at) => ({ kind: 'addRule', rule, at })),
  changeRule: (p, e) => changeIn(rules(p), e.id, e.to, (to) => ({ ...e, to })),
  changeChecking: (p, e) => {
    const { checking: before = {}, ...rest } = p,
      checking = checkingInOrder({ ...before, [e.code]: e.to });
    return done(inOrder('project', { ...rest, ...(checking ? { checking } : {}) }), {
      ...e,
      to: Object.hasOwn(before, e.code) ? before[e.code]! : 'warning',
    });
  },
};
