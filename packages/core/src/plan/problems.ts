/** What is wrong with a plan, at the step or field it is wrong in. */
import type { Plan } from '../document/document.js';
import { isTime, unreadable } from '../sentences/sentences.js';
import { stepName } from '../document/step-names.js';
import { actionConflicts, actionsByTag, stepAction } from './actions.js';
import { choiceTag, optionsOf } from './choices.js';
import { modeTag } from './generate.js';

/** Of a mode, a choice group or memory: `mode`, `choice`, `memory` is its id, and `sequence` empty. */
export interface PlanProblem {
  readonly sequence: string;
  readonly mode?: string;
  readonly choice?: string;
  readonly memory?: string;
  readonly step?: string;
  readonly field: 'name' | 'on' | 'ways' | 'limit' | 'past' | 'run' | 'sequence' | 'modes' | 'choices' | 'memory';
  readonly message: string;
}

/** Structure, and whether conditions can be read; whether what they name fits is told by the logic made from them. */
export function planProblems(plan: Plan): readonly PlanProblem[] {
  const found: PlanProblem[] = [];
  const started = new Set(plan.sequences.flatMap((s) => s.steps.flatMap((x) => x.starts ?? [])));
  const modes = plan.modes ?? [];
  modes.forEach((m, i) => {
    const say = (message: string) => found.push({ sequence: '', mode: m.id, field: 'modes', message });
    if (!/[A-Za-z]/.test(m.name)) say('A mode needs a name with a letter in it.');
    else if (modes.some((o, k) => k < i && modeTag(o).toLowerCase() === modeTag(m).toLowerCase()))
      say(`There are two modes named ‘${m.name}’.`);
    else if (!m.when?.trim())
      say(
        `Nothing says when the machine is in the mode ‘${m.name}’: give a condition, such as the input of its switch.`,
      );
    else if (unreadable(m.when)) say(unreadable(m.when)!);
  });
  const { choices = [], memory = [] } = plan;
  const actions = actionsByTag(
    plan.sequences.flatMap((s) => s.steps),
    ['on', 'set', 'reset', 'count', 'store', 'start'],
  );
  choices.forEach((c, i) => {
    const say = (message: string) => found.push({ sequence: '', choice: c.id, field: 'choices', message }),
      { options } = c;
    if (!/[A-Za-z]/.test(c.name)) say('A choice needs a name with a letter in it, such as Product.');
    else if (choices.some((o, k) => k < i && o.name.trim().toLowerCase() === c.name.trim().toLowerCase()))
      say(`There are two choices named ‘${c.name}’.`);
    if (options.length < 2)
      say(
        `‘${c.name}’ has ${options.length ? 'one option' : 'no option'}: nothing can be chosen between. Give it ${options.length ? 'another' : 'two'}, or let a step set a tag.`,
      );
    for (const [k, o] of options.entries()) {
      const tag = choiceTag(c, o),
        same = options.find(
          (p, n) => n < k && p.when?.trim() && p.when.trim().toLowerCase() === o.when?.trim().toLowerCase(),
        );
      if (!/[A-Za-z0-9]/.test(o.name)) say(`An option of ‘${c.name}’ needs a name.`);
      else if (options.some((p, n) => n < k && choiceTag(c, p).toLowerCase() === tag.toLowerCase()))
        say(`‘${c.name}’ has two options named ‘${o.name}’.`);
      else if (!o.when?.trim()) say(`Nothing says what chooses ‘${o.name}’: give the input of its button.`);
      else if (unreadable(o.when)) say(unreadable(o.when)!);
      else if (same)
        say(
          `${o.when.trim()} chooses both ‘${same.name}’ and ‘${o.name}’: only the first of them would ever be chosen.`,
        );
      const other = actions
        .find((a) => a.tag.toLowerCase() === tag.toLowerCase())
        ?.of.find((a) => a.action.kind !== 'reset');
      if (other)
        say(
          `‘${other.step.name}’ works ${tag}, which the choice ‘${c.name}’ keeps: a step may only reset it, so that exactly one is chosen.`,
        );
    }
    const isEnded = actions.some(
      (a) =>
        a.of.some((x) => x.action.kind === 'reset') &&
        optionsOf(c).some((o) => o.tag.toLowerCase() === a.tag.toLowerCase()),
    );
    for (const why of [unreadable(c.reset), unreadable(c.locked)]) if (why) say(why);
    if (!c.reset?.trim() && !isEnded)
      say(`Nothing takes the choice ‘${c.name}’ back: give the button that does, or let a step reset its tags.`);
  });
  memory.forEach((m, i) => {
    const say = (message: string) => found.push({ sequence: '', memory: m.id, field: 'memory', message });
    if (!/^[A-Za-z_]\w*$/.test(m.name.trim()))
      say(`‘${m.name}’ is not a name: letters, digits and underscores, a letter first.`);
    else if (memory.some((o, k) => k < i && o.name.trim().toLowerCase() === m.name.trim().toLowerCase()))
      say(`There are two memories named ‘${m.name}’.`);
  });
  const unknown = (names: readonly string[] | undefined) =>
    (names ?? []).filter((n) => !modes.some((m) => m.name.trim().toLowerCase() === n.trim().toLowerCase()));
  for (const s of plan.sequences) {
    const say = (step: string | undefined, field: PlanProblem['field'], message: string) =>
      found.push({ sequence: s.id, ...(step ? { step } : {}), field, message });
    if (!s.name.trim()) say(undefined, 'sequence', 'This sequence needs a name.');
    if (plan.sequences.some((o) => o !== s && o.name.trim().toLowerCase() === s.name.trim().toLowerCase()))
      say(undefined, 'sequence', `There are two sequences named ‘${s.name}’.`);
    const why = unreadable(s.run);
    if (why) say(undefined, 'run', why);
    for (const n of unknown(s.modes)) say(undefined, 'modes', `There is no mode ‘${n}’ in this plan.`);
    const reached = new Set<string>();
    const go = (id: string | undefined) => {
      if (id === undefined || reached.has(id)) return;
      reached.add(id);
      const x = s.steps.find((y) => y.id === id);
      for (const w of x?.ways ?? []) go(w.to);
      go(x?.past?.to);
    };
    go(s.steps[0]?.id);
    const times = new Map<string, number>();
    for (const x of s.steps) {
      const n = stepName(x).toLowerCase();
      times.set(n, (times.get(n) ?? 0) + 1);
    }
    for (const x of s.steps) {
      if (!/[A-Za-z]/.test(x.name)) say(x.id, 'name', 'A step needs a name with a letter in it.');
      else if (times.get(stepName(x).toLowerCase())! > 1)
        say(x.id, 'name', `Two steps are named ‘${x.name}’; give one another name.`);
      if (!x.ways.length && !started.has(s.id))
        say(x.id, 'ways', `Nothing leads out of ‘${x.name}’: say when it ends and where it goes.`);
      if (!reached.has(x.id)) say(x.id, 'name', `No step leads to ‘${x.name}’.`);
      for (const w of x.ways) {
        if (!s.steps.some((y) => y.id === w.to)) say(x.id, 'ways', `‘${x.name}’ leads to a step that is not there.`);
        const why = unreadable(w.when);
        if (why) say(x.id, 'ways', why);
        if (w.for && !isTime(w.for))
          say(x.id, 'ways', `‘${w.for}’ is not a length of time; write for example 300 ms or 1.5 s.`);
      }
      if (x.expected && !isTime(x.expected))
        say(x.id, 'limit', `‘${x.expected}’ is not a length of time; write for example 1.5 s.`);
      if (x.limit && !isTime(x.limit))
        say(x.id, 'limit', `‘${x.limit}’ is not a length of time; write for example 4 s.`);
      if (x.limit && x.past?.fault === undefined && !x.past?.to)
        say(x.id, 'past', `‘${x.name}’ has a limit, but nothing happens past it: give a fault number or a step.`);
      if (!x.limit && (x.past?.fault !== undefined || x.past?.to))
        say(x.id, 'limit', `‘${x.name}’ says what happens past its limit, but has none.`);
      for (const n of unknown(x.modes)) say(x.id, 'modes', `There is no mode ‘${n}’ in this plan.`);
      for (const n of x.modes ?? [])
        if (s.modes?.length && !s.modes.some((o) => o.toLowerCase() === n.toLowerCase()) && !unknown([n]).length)
          say(x.id, 'modes', `‘${x.name}’ belongs to the mode ‘${n}’, its sequence does not: it would never go on.`);
      for (const o of x.on ?? []) {
        const action = stepAction(o);
        if (!action)
          say(
            x.id,
            'on',
            `‘${o}’ is neither the name of a tag nor something done: write for example Pump, set Lamp, reset Lamp, count Parts, Wanted := 5 or start Horn for 3 s.`,
          );
        else if (action.kind === 'start' && !isTime(action.span))
          say(x.id, 'on', `‘${action.span}’ is not a length of time; write for example 3 s.`);
      }
    }
  }
  for (const { step, message } of actionConflicts(plan)) {
    const s = plan.sequences.find((x) => x.steps.includes(step))!;
    found.push({ sequence: s.id, step: step.id, field: 'on', message });
  }
  return found;
}
