/** Edits as they come from outside, checked field by field against what `edits` says of each kind. */
import { DEEPEST_GROUP, EDIT_FIELDS, type Edit } from './edits/index.js';
import type { Field } from './edits/fields.js';
import { changeProblems, thingProblems } from './schema.js';

/** A field that does not fit: where it stands (`edits.3.to.name`), and why. */
export interface FieldProblem {
  readonly field: string;
  readonly message: string;
}
export type EditsOrProblem = { readonly edits: readonly Edit[] } | { readonly problem: FieldProblem };

/** Reads a list of edits; the first thing that does not fit ends it. */
export function readEdits(value: unknown, place = 'edits', depth = 0): EditsOrProblem {
  if (!Array.isArray(value)) return { problem: { field: place, message: 'must be an array' } };
  if (depth > DEEPEST_GROUP)
    return { problem: { field: place, message: `groups lie more than ${DEEPEST_GROUP} deep in each other` } };
  for (const [i, e] of value.entries()) {
    const problem = editProblem(e, `${place}.${i}`, depth);
    if (problem) return { problem };
  }
  return { edits: value as Edit[] };
}

function editProblem(value: unknown, place: string, depth: number): FieldProblem | undefined {
  const e = value as Record<string, unknown> | null;
  const kind = typeof e === 'object' && e !== null ? e['kind'] : undefined;
  if (!e || typeof kind !== 'string' || !Object.hasOwn(EDIT_FIELDS, kind))
    return { field: `${place}.kind`, message: `must be one of ${Object.keys(EDIT_FIELDS).join(', ')}` };
  const fields = EDIT_FIELDS[kind as Edit['kind']];
  for (const key of Object.keys(e))
    if (key !== 'kind' && !Object.hasOwn(fields, key))
      return { field: `${place}.${key}`, message: `is no part of '${kind}'` };
  for (const [name, field] of Object.entries(fields)) {
    const at = `${place}.${name}`;
    if (field.isOptional && e[name] === undefined) continue;
    const problem = fieldProblem(field, e[name], at, depth);
    if (problem) return problem;
  }
  return undefined;
}

function fieldProblem(field: Field<unknown>, v: unknown, at: string, depth: number): FieldProblem | undefined {
  const must = (fits: boolean, message: string) => (fits ? undefined : { field: at, message });
  const first = (lines: readonly string[], of = at): FieldProblem | undefined => {
    const line = lines[0];
    if (line === undefined) return undefined;
    const colon = line.search(/: /);
    return colon < 0 || /\s/.test(line.slice(0, colon))
      ? { field: of, message: line }
      : { field: `${of}.${line.slice(0, colon)}`, message: line.slice(colon + 2) };
  };
  const isObject = typeof v === 'object' && v !== null && !Array.isArray(v);
  switch (field.is) {
    case 'text':
      return must(typeof v === 'string', 'must be a string');
    case 'name':
      return must(typeof v === 'string' && v.length >= 1 && v.length <= 200, 'must be a string of 1 to 200 characters');
    case 'index':
      return must(Number.isSafeInteger(v) && (v as number) >= 0, 'must be a whole number from 0');
    case 'level':
      return must(['error', 'warning', 'off'].includes(v as string), 'must be one of error, warning, off');
    case 'texts':
      return must(Array.isArray(v) && v.every((x) => typeof x === 'string'), 'must be an array of strings');
    case 'edits': {
      const read = readEdits(v, at, depth + 1);
      return 'problem' in read ? read.problem : undefined;
    }
    case 'whole':
    case 'parts':
      return isObject ? first(thingProblems(field.thing, v)) : must(false, 'must be an object');
    case 'wholeOrNothing':
      return v === null || isObject
        ? v === null
          ? undefined
          : first(thingProblems(field.thing, v))
        : must(false, 'must be an object or null');
    case 'list': {
      if (!Array.isArray(v)) return must(false, 'must be an array');
      for (const [i, x] of v.entries()) {
        const problem = first(thingProblems(field.thing, x), `${at}.${i}`);
        if (problem) return problem;
      }
      return undefined;
    }
    case 'changes':
      return isObject ? first(changeProblems(field.thing, v, field.fields)) : must(false, 'must be an object');
  }
}
