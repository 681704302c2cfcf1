/**
 * What a step does, as it is written in "On while in it": an output, or something that stays when the step is over.
 * `Pump` · `set Lamp` · `reset Lamp` · `count Parts` · `Wanted := 5` · `start Horn for 3 s`
 */
import type { Plan, PlanStep } from '../document/document.js';

export type StepAction =
  /** On while in the step, and off again. */
  | { readonly kind: 'on'; readonly tag: string }
  /** Stays on, or off, until something says otherwise. */
  | { readonly kind: 'set' | 'reset'; readonly tag: string }
  /** One more, once as the step begins. */
  | { readonly kind: 'count'; readonly tag: string }
  /** A value, once as the step begins. */
  | { readonly kind: 'store'; readonly tag: string; readonly value: string }
  /** On for a time from the step's beginning on, whatever comes after. */
  | { readonly kind: 'start'; readonly tag: string; readonly span: string };

const TAG = '[A-Za-z_][\\w.[\\]]*';
/** Reads one action; undefined where it is none. */
export function stepAction(text: string): StepAction | undefined {
  const t = text.trim();
  const word = new RegExp(`^(set|reset|count)\\s+(${TAG})$`, 'i').exec(t);
  if (word) return { kind: word[1]!.toLowerCase() as 'set', tag: word[2]! };
  const start = new RegExp(`^start\\s+(${TAG})\\s+for\\s+(.+)$`, 'i').exec(t);
  if (start) return { kind: 'start', tag: start[1]!, span: start[2]!.trim() };
  const store = new RegExp(`^(${TAG})\\s*:=\\s*(.+)$`, 's').exec(t);
  if (store) return { kind: 'store', tag: store[1]!, value: store[2]!.trim() };
  return new RegExp(`^${TAG}$`).test(t) ? { kind: 'on', tag: t } : undefined;
}

/** The actions of a step that can be read. */
export const actionsOf = (x: PlanStep): readonly StepAction[] => (x.on ?? []).flatMap((o) => stepAction(o) ?? []);

export interface TagActions {
  readonly tag: string;
  readonly of: readonly { readonly step: PlanStep; readonly action: StepAction }[];
}
/** Actions of these kinds in some steps, by their tag, in the order in which they are first said. */
export function actionsByTag(steps: readonly PlanStep[], kinds: readonly StepAction['kind'][]): readonly TagActions[] {
  const found = new Map<string, { tag: string; of: { step: PlanStep; action: StepAction }[] }>();
  for (const step of steps)
    for (const action of actionsOf(step)) {
      if (!kinds.includes(action.kind)) continue;
      const key = action.tag.toLowerCase(),
        known = found.get(key) ?? { tag: action.tag, of: [] };
      known.of.push({ step, action });
      found.set(key, known);
    }
  return [...found.values()];
}

/** Tags that are worked in ways that undo each other, in a sentence each, with the step that says it second. */
export function actionConflicts(plan: Plan): readonly { readonly step: PlanStep; readonly message: string }[] {
  const all = actionsByTag(
    plan.sequences.flatMap((s) => s.steps),
    ['on', 'set', 'reset', 'count', 'store', 'start'],
  );
  const family = (a: StepAction) =>
    a.kind === 'set' || a.kind === 'reset' ? 'kept' : a.kind === 'count' || a.kind === 'store' ? 'number' : a.kind;
  const said: Readonly<Record<StepAction['kind'], string>> = {
    on: 'on while in',
    set: 'set in',
    reset: 'reset in',
    count: 'counted in',
    store: 'given a value in',
    start: 'started in',
  };
  return all.flatMap(({ tag, of }) => {
    const first = of[0]!,
      other = of.find((x) => family(x.action) !== family(first.action));
    if (other)
      return [
        {
          step: other.step,
          message: `‘${tag}’ is ${said[first.action.kind]} ‘${first.step.name}’ and ${said[other.action.kind]} ‘${other.step.name}’: one would undo the other.`,
        },
      ];
    const spans = of.flatMap((x) => (x.action.kind === 'start' ? [{ ...x, span: x.action.span }] : [])),
      longer = spans.find((x) => x.span.replace(/\s+/g, '') !== spans[0]!.span.replace(/\s+/g, ''));
    return longer
      ? [
          {
            step: longer.step,
            message: `‘${tag}’ is started for ${spans[0]!.span} in ‘${spans[0]!.step.name}’ and for ${longer.span} in ‘${longer.step.name}’: it has one time.`,
          },
        ]
      : [];
  });
}
