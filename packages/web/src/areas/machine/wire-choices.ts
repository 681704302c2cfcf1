/** Tags that a terminal can be wired to, as choices of its field. */
import type { Project, Tag } from '@ferrule/core/document';
import type { Terminal } from '@ferrule/core/machine';
import type { Choice } from '../../components/ui.js';

const NONE: readonly Choice[] = [];
/** Rows of one project that are alike share their choices. */
const made = new WeakMap<Project, Map<string, readonly Choice[]>>();

/**
 * Those of the terminal's type, likeliest first: what is wired nowhere, inputs for what the device gives and outputs for
 * what it takes. Outputs are not offered for what it gives: the logic writes them.
 */
export function wireChoices(project: Project | undefined, terminal: Terminal): readonly Choice[] {
  if (!project) return NONE;
  let known = made.get(project);
  if (!known) made.set(project, (known = new Map<string, readonly Choice[]>()));
  const key = `${terminal.type} ${terminal.direction}`;
  let choices = known.get(key);
  if (!choices) known.set(key, (choices = choicesFor(project, terminal)));
  return choices;
}

function choicesFor(project: Project, { type, direction }: Terminal): readonly Choice[] {
  const wired = new Map(
    project.machine.devices.flatMap((d) =>
      Object.entries(d.wires ?? {}).map(([terminal, to]) => [to.toLowerCase(), `${d.name}.${terminal}`] as const),
    ),
  );
  const area = (t: Tag): 'I' | 'Q' | undefined =>
    /^%I/i.test(t.address ?? '') ? 'I' : /^%Q/i.test(t.address ?? '') ? 'Q' : undefined;
  const rank = (t: Tag): number =>
    (wired.has(t.name.toLowerCase()) ? 4 : 0) +
    (area(t) === (direction === 'out' ? 'I' : 'Q') ? 0 : area(t) === undefined ? 1 : 2);
  return project.tags
    .filter((t) => t.type.toLowerCase() === type.toLowerCase() && !t.constant)
    .filter((t) => direction === 'in' || area(t) !== 'Q')
    .map((t) => ({ t, r: rank(t) }))
    .sort((a, b) => a.r - b.r)
    .map(({ t }) => {
      const at = wired.get(t.name.toLowerCase());
      return { text: t.name, about: [t.description ?? t.address, at && `wired to ${at}`].filter(Boolean).join(' · ') };
    });
}
