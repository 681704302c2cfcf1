/**
 * The edits: small named operations on the document, each with its inverse. Undo, saving and the revision history all
 * use these and nothing else. An edit that does not fit the document is refused with a reason. Each is defined once, in
 * the file of what it changes: its fields (from which its type and the reader's checks come) and how it is applied.
 *
 * Edits (`project/edits`): each is defined once, in the file of what it changes: its fields, from which its type and
 * the checks of the reader (`read-edits`) come, and how it is done, which gives the inverse. Fields stand in one order
 * (`project/order`), so an inverse brings back the same bytes. The page refuses what the server would refuse, with the
 * same code; should the server refuse all the same, the edit at fault is set aside, told and kept, and all else is
 * saved (`web/document/store`).
 */
import type { Project } from '../document.js';
import type { Applied, Applies } from './apply.js';
import { checkEdits, checkFields } from './checks.js';
import { applyGroup, deskEdits, deskFields, groupFields } from './desk.js';
import type { EditWith, Fields } from './fields.js';
import { logicEdits, logicFields } from './logic.js';
import { machineEdits, machineFields } from './machine.js';
import { tagEdits, tagFields } from './tags.js';

type PlainFields = typeof tagFields &
  typeof logicFields &
  typeof machineFields &
  typeof checkFields &
  typeof deskFields;
type PlainEdit = { [K in keyof PlainFields]: EditWith<K, PlainFields[K]> }[keyof PlainFields];
export type Edit = PlainEdit | { readonly kind: 'group'; readonly label: string; readonly edits: readonly Edit[] };

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
export type { Applied } from './apply.js';
export type { Changes } from './fields.js';
