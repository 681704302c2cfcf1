/** An edit in a few words, for a message: `a new check ‘Fill’`. */
import type { Edit } from './index.js';

const VERBS: Readonly<Record<string, string>> = {
  add: 'a new ',
  remove: 'the removal of a ',
  change: 'a change of the ',
  move: 'a move of a ',
};
const NOUNS: Readonly<Record<string, string>> = {
  pou: 'program or block',
  kind: 'kind of device',
  outside: 'outside I/O',
};

/** What an edit does, in a few words. */
export function editText(e: Edit): string {
  if (e.kind === 'group') return e.label.trim() ? `‘${e.label}’` : editText(e.edits[0] ?? { kind: 'rename', name: '' });
  if (e.kind === 'rename') return 'another name of the project';
  if (e.kind === 'replace') return 'the whole project';
  const [, verb, noun] = /^(add|remove|change|move)(.+)$/.exec(e.kind)!;
  const low = noun!.toLowerCase(),
    thing = Object.values(e).find((v): v is { name: string } => typeof v === 'object' && v !== null && 'name' in v);
  const name =
    typeof thing?.name === 'string' ? ` ‘${thing.name.length > 60 ? `${thing.name.slice(0, 59)}…` : thing.name}’` : '';
  return `${VERBS[verb!]}${NOUNS[low] ?? low}${name}`;
}
