/**
 * The edits: small named operations on the document, each with its inverse. Undo, saving and the revision history all
 * use these and nothing else. An edit that does not fit the document is refused with a reason. Each is defined once, in
 * the file of what it changes: its fields (from which its type and the reader's checks come) and how it is applied.
 *
 * Edits (`document/edits`): each is defined once, in the file of what it changes: its fields, from which its type and
 * the checks of the reader (`read-edits`) come, and how it is done, which gives the inverse. Fields stand in one order
 * (`document/order`), so an inverse brings back the same bytes. The page refuses what the server would refuse, with the
 * same code; should the server refuse all the same, the edit at fault is set aside, told and kept, and all else is
 * saved (`web/document/store`).
 */
import type { Project } from '../document.js';
import { type AppliedOf, type Applies, type EditsWith, done, inGroup, refuse } from './apply.js';
import { checkEdits, checkFields } from './checks.js';
import { deskEdits, deskFields } from './desk.js';
import { type Field, type Fields, text } from './fields.js';
import { logicEdits, logicFields } from './logic.js';
import { machineEdits, machineFields } from './machine.js';
import { tagEdits, tagFields } from './tags.js';

type PlainFields = typeof tagFields &
  typeof logicFields &
  typeof machineFields &
  typeof checkFields &
  typeof deskFields;
type PlainEdit = EditsWith<PlainFields>;
/** What changes a project; several are done and undone as one in a `group`. */
export type Edit = PlainEdit | { readonly kind: 'group'; readonly label: string; readonly edits: readonly Edit[] };

export type Applied = AppliedOf<Edit>;

const groupFields = { label: text, edits: { is: 'edits' } as Field<unknown> };
/** Groups in groups go no deeper. */
export const DEEPEST_GROUP = 20;

/** The fields of each kind of edit, for whoever reads edits from outside. */
export const EDIT_FIELDS: Readonly<Record<Edit['kind'], Fields>> = {
  ...tagFields,
  ...logicFields,
  ...machineFields,
  ...checkFields,
  ...deskFields,
  group: groupFields,
};

const APPLY: Applies<PlainFields> = { ...tagEdits, ...logicEdits, ...machineEdits, ...checkEdits, ...deskEdits };

/** Applies an edit. The inverse, applied to the result, gives back an equal document. `depth`: of groups around it. */
export function applyEdit(p: Project, e: Edit, depth = 0): Applied {
  if (e.kind === 'group') return applyGroup(p, e, depth);
  return (APPLY[e.kind] as (p: Project, e: PlainEdit) => Applied)(p, e);
}
function applyGroup(p: Project, e: Edit & { kind: 'group' }, depth: number): Applied {
  if (depth > DEEPEST_GROUP) return refuse(`Groups of changes lie more than ${DEEPEST_GROUP} deep in each other.`);
  return inGroup(() => {
    let project = p;
    const inverses: Edit[] = [];
    for (const x of e.edits) {
      const r = applyEdit(project, x, depth + 1);
      if ('refused' in r) return r;
      project = r.project;
      inverses.push(r.inverse);
    }
    return done(project, { kind: 'group', label: e.label, edits: inverses.reverse() });
  });
}
export type { Changes } from './fields.js';
