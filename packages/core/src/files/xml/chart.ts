/** A sequential function chart as steps of the plan with their actions; what has no place in a plan is told. */
import type { PlanStep, Sequence, Way } from '../../document/document.js';
import { type Say, kindOfElement } from './declarations.js';
import { type XmlElement, childOf, childrenOf } from './element.js';

/** Objects that only lead on. */
const JOINTS = new Set(['SelectionDivergence', 'SelectionConvergence', 'Connector', 'Continuation']);

/** @returns nothing where there is no step */
export function chartToSequence(
  body: XmlElement,
  name: string,
  newId: (prefix: string) => string,
  say: Say,
): Sequence | undefined {
  const objects = body.children.flatMap((c) => (c.name === 'Network' ? c.children : [c]));
  const kindOf = (e: XmlElement) => kindOfElement(e) || e.name;
  const idsOut = (e: XmlElement) =>
    childrenOf(e, 'ConnectionPointOut').map((o) => o.attributes['connectionPointOutId'] ?? '');
  const idsIn = (e: XmlElement) =>
    childrenOf(e, 'ConnectionPointIn').flatMap((i) =>
      childrenOf(i, 'Connection').map((c) => c.attributes['refConnectionPointOutId'] ?? ''),
    );
  const from = new Map(objects.flatMap((e) => idsOut(e).map((id) => [id, e] as const))),
    to = new Map<string, XmlElement[]>();
  for (const e of objects) for (const id of idsIn(e)) to.set(id, [...(to.get(id) ?? []), e]);

  const steps = objects.filter((e) => kindOf(e) === 'Step');
  if (!steps.length) return undefined;
  const ids = new Map(steps.map((s) => [s, newId('s')]));
  const byName = (n: string | undefined) =>
    steps.find((s) => s.attributes['name']?.toLowerCase() === n?.trim().toLowerCase());

  /** Steps that lead to an object, through what only leads on. */
  const before = (e: XmlElement, seen = new Set<XmlElement>()): readonly XmlElement[] =>
    idsIn(e).flatMap((id): readonly XmlElement[] => {
      const o = from.get(id);
      if (!o || seen.has(o)) return [];
      seen.add(o);
      if (kindOf(o) === 'Step') return [o];
      if (JOINTS.has(kindOf(o))) return before(o, seen);
      if (/^Simultaneous/.test(kindOf(o)))
        say(o, `${name}: sections beside each other are to be drawn as a sequence of their own.`);
      return [];
    });
  const after = (e: XmlElement, seen = new Set<XmlElement>()): readonly XmlElement[] =>
    idsOut(e)
      .flatMap((id) => to.get(id) ?? [])
      .flatMap((o): readonly XmlElement[] => {
        if (seen.has(o)) return [];
        seen.add(o);
        if (kindOf(o) === 'Step') return [o];
        if (kindOf(o) === 'JumpStep') {
          const target = byName(o.attributes['targetName']);
          if (!target) say(o, `${name}: it jumps to ‘${o.attributes['targetName'] ?? ''}’, which is no step.`);
          return target ? [target] : [];
        }
        if (JOINTS.has(kindOf(o))) return after(o, seen);
        if (/^Simultaneous/.test(kindOf(o)))
          say(o, `${name}: sections beside each other are to be drawn as a sequence of their own.`);
        return [];
      });

  const ways = new Map<XmlElement, Way[]>();
  for (const t of objects.filter((e) => kindOf(e) === 'Transition')) {
    const when = conditionOf(t),
      [target] = after(t),
      sources = before(t);
    if (!target || !sources.length)
      say(t, `${name}: a transition leads ${target ? 'from' : 'to'} no step; it is left out.`);
    else
      for (const s of sources)
        ways.set(s, [...(ways.get(s) ?? []), { id: newId('w'), ...(when ? { when } : {}), to: ids.get(target)! }]);
  }

  const actions = new Map<XmlElement, string[]>();
  for (const block of objects.filter((e) => kindOf(e) === 'ActionBlock'))
    for (const step of before(block))
      for (const a of childrenOf(block, 'Action')) {
        const said = actionText(a);
        if (said === undefined)
          say(
            a,
            `${step.attributes['name'] ?? ''}: the action ${a.attributes['qualifier'] ?? 'N'} ${a.attributes['actionName'] ?? a.attributes['variable'] ?? ''} has no place in a plan.`,
          );
        else actions.set(step, [...(actions.get(step) ?? []), said]);
      }
  // The initial step is the first of a sequence.
  const isInitial = (s: XmlElement) =>
    s.attributes['initialStep'] === 'true' || s.attributes['isInitialStep'] === 'true';
  const ordered = [...steps].sort((a, b) => Number(isInitial(b)) - Number(isInitial(a)));
  return {
    id: newId('q'),
    name,
    steps: ordered.map((s): PlanStep => {
      const on = actions.get(s);
      return {
        id: ids.get(s)!,
        name: s.attributes['name'] || `Step ${steps.indexOf(s) + 1}`,
        ...(on ? { on } : {}),
        ways: ways.get(s) ?? [],
      };
    }),
  };
}

const conditionOf = (t: XmlElement): string => {
  const c = childOf(t, 'Condition');
  const text = childOf(c, 'ST')?.text ?? childOf(c, 'Inline', 'ST')?.text ?? c?.attributes['operand'] ?? c?.text ?? '';
  return text.trim().replace(/;$/, '').replace(/\s+/g, ' ');
};
/**
 * `Pump` while in the step (N), `set Pump` (S), `reset Pump` (R); a time-limited one from its beginning (P with a span
 * is none).
 */
function actionText(a: XmlElement): string | undefined {
  const name = a.attributes['variable'] ?? a.attributes['actionName'];
  if (!name || !/^[A-Za-z_][\w.[\]]*$/.test(name) || childOf(a, 'Body')) return undefined;
  switch ((a.attributes['qualifier'] ?? 'N').toUpperCase()) {
    case 'N':
      return name;
    case 'S':
      return `set ${name}`;
    case 'R':
      return `reset ${name}`;
    default:
      return undefined;
  }
}
