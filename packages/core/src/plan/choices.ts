/**
 * A choice that is kept: exactly one of several by buttons, interlocked, taken back by a reset until the work has
 * begun. Of several buttons pressed in one scan the first of the group wins.
 */
import type { Plan, PlanChoice, PlanOption } from '../document/document.js';
import { word } from '../document/step-names.js';

/** The tag that is on while an option is chosen. */
export const choiceTag = (c: Pick<PlanChoice, 'name'>, o: Pick<PlanOption, 'name'>): string =>
  word(`${c.name} ${o.name}`);

/** Options that say what chooses them, with their tags; only of groups from which something can be chosen. */
export interface Choosable {
  readonly option: PlanOption;
  readonly when: string;
  readonly tag: string;
}
export const optionsOf = (c: PlanChoice): readonly Choosable[] =>
  c.options.flatMap((option) =>
    c.name.trim() && option.name.trim() && option.when?.trim()
      ? [{ option, when: option.when.trim(), tag: choiceTag(c, option) }]
      : [],
  );
export const choicesOf = (
  plan: Plan,
): readonly { readonly choice: PlanChoice; readonly options: readonly Choosable[] }[] =>
  (plan.choices ?? []).flatMap((choice) => {
    const options = optionsOf(choice);
    return options.length ? [{ choice, options }] : [];
  });

/** The option that a tag stands for. */
export function optionOf(plan: Plan, tag: string): { readonly choice: PlanChoice; readonly of: Choosable } | undefined {
  for (const { choice, options } of choicesOf(plan))
    for (const of of options) if (of.tag.toLowerCase() === tag.toLowerCase()) return { choice, of };
  return undefined;
}
