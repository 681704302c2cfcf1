/** Names to go on with where a condition or a list of outputs is typed. */
import type { Tag } from '@ferrule/core/document';
import { namesOfPlan } from '@ferrule/core/plan';
import { useDocument } from '../document/store.js';
import { completeTags } from './complete.js';

/** Tags, and what the plan speaks of that is no tag yet, for the word that `before` ends with. */
export function nameCompletion(before: string): readonly { readonly text: string; readonly about: string }[] {
  const { project } = useDocument.getState(),
    word = /[A-Za-z_]\w*$/.exec(before)?.[0];
  if (!project || !word || /[.#]\w*$/.test(before)) return [];
  const known = new Set(project.tags.map((t) => t.name.toLowerCase())),
    planned: readonly Tag[] = (project.plan ? namesOfPlan(project.plan) : [])
      .filter((n) => /^[A-Za-z_]\w*$/.test(n) && !known.has(n.toLowerCase()))
      .map((name) => ({ id: `plan ${name}`, name, type: '', description: 'in the plan' }));
  // A name that is whole needs nothing: what is typed next is another word.
  if (known.has(word.toLowerCase()) && project.tags.some((t) => t.name === word)) return [];
  return completeTags([...project.tags, ...planned], word)
    .filter((t) => t.name !== word)
    .map((t) => ({ text: t.name, about: t.description ?? t.address ?? t.type }));
}
