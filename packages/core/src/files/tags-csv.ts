/** Tags as CSV and as rows of a spreadsheet (RFC 4180 through papaparse): written out, and read in with the fate of each row known before anything is taken over. */
import Papa from 'papaparse';
import { Problems } from '../language/diagnostic.js';
import { parseVariableText } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { TypeSpec } from '../language/tree.js';
import { OWN_BLOCKS } from '../library/own.js';
import { STANDARD_BLOCKS } from '../library/blocks.js';
import { elementaryByName } from '../types/type.js';
import type { Project, Tag } from '../project/document.js';
import type { Edit } from '../project/edits/index.js';
import { guessTag } from '../project/guess.js';
import { csvLine } from '../exchange/csv.js';

const COLUMNS = [
  'Name',
  'Type',
  'Address',
  'Initial',
  'Wiring',
  'Retain',
  'Constant',
  'Unit',
  'Range',
  'Access',
  'At stop',
  'Modbus',
  'Stands for',
  'Description',
] as const;
const FIELD: Partial<Record<string, keyof Tag>> = { 'Stands for': 'standsFor', 'At stop': 'stop' };
type Column = (typeof COLUMNS)[number];
const OTHER_WORDS: Readonly<Record<string, Column>> = {
  tag: 'Name',
  symbol: 'Name',
  variable: 'Name',
  'data type': 'Type',
  datatype: 'Type',
  comment: 'Description',
  text: 'Description',
  value: 'Initial',
  'initial value': 'Initial',
  start: 'Initial',
  at: 'Address',
  retained: 'Retain',
};
type Cells = Partial<Record<Column, string>>;

export function tagsToCsv(tags: readonly Tag[]): string {
  const rows = tags.map((t) => [
    t.name,
    t.type,
    t.address ?? '',
    t.initial ?? '',
    t.wiring ?? '',
    t.retain ? 'yes' : '',
    t.constant ? 'yes' : '',
    t.unit ?? '',
    t.range ?? '',
    t.access ?? '',
    t.stop ?? '',
    t.modbus ?? '',
    t.standsFor ?? '',
    t.description ?? '',
  ]);
  return `${[COLUMNS as readonly string[], ...rows].map(csvLine).join('\r\n')}\r\n`;
}

export interface TagRow {
  /** Line of the text, from 1. */
  readonly line: number;
  readonly fate: 'new' | 'changed' | 'same' | 'refused';
  readonly name: string;
  /** Why it is refused, or what changes. */
  readonly note?: string;
  readonly edit?: Edit;
}
export type TagRows =
  { readonly rows: readonly TagRow[]; readonly columns: readonly string[] } | { readonly error: string };

/** Reads tags from CSV or from cells pasted out of a spreadsheet, with or without a header; nothing is changed yet. */
export function readTags(text: string, project: Project, newId: () => string): TagRows {
  const clean = text.replace(/^\ufeff/, '');
  const parsed = Papa.parse<string[]>(clean, { skipEmptyLines: 'greedy', delimitersToGuess: ['\t', ',', ';', '|'] });
  const quoting = parsed.errors.find((e) => e.type === 'Quotes');
  if (quoting)
    return {
      error: `Line ${(quoting.row ?? 0) + 1}: a quoted cell is not closed; put a " at its end, and write " inside a cell as "".`,
    };
  const [first] = parsed.data;
  if (!first) return { error: 'There are no rows here.' };
  const named = first.map((h) => columnOf(h));
  const hasHeader = named.includes('Name') || named.filter(Boolean).length > 1;
  if (hasHeader && !named.includes('Name'))
    return {
      error: `Line 1: no column is called Name; there are ${first.map((h) => `‘${h.trim()}’`).join(', ')}. Call the column of the names Name.`,
    };
  const columns = hasHeader ? named : guessColumns(parsed.data);
  if (!columns.includes('Name'))
    return { error: `Line 1: no column holds names. Put a header above: ${COLUMNS.join(', ')}.` };
  const repeated = columns.find((c, i) => c && columns.indexOf(c) !== i);
  if (hasHeader && repeated) return { error: `Line 1: two columns are called ${repeated}.` };
  const body = hasHeader ? parsed.data.slice(1) : parsed.data;
  const known = knownTypes(project);
  const seen = new Map<string, number>();
  let tags = project.tags;
  const rows = body.map((cells, i): TagRow => {
    const line = i + (hasHeader ? 2 : 1);
    const row: Cells = {};
    columns.forEach((c, k) => {
      if (c && cells[k]?.trim()) row[c] = cells[k].trim();
    });
    const name = row.Name ?? '';
    const refuse = (note: string): TagRow => ({ line, fate: 'refused', name, note });
    if (!/^[A-Za-z_]\w*$/.test(name))
      return refuse(
        name ? `‘${name}’ is not a name: letters, digits and underscores, a letter first.` : 'There is no name.',
      );
    const before = seen.get(name.toLowerCase());
    if (before !== undefined) return refuse(`The name stands in line ${before} already.`);
    seen.set(name.toLowerCase(), line);
    const wrong = wrongCell(row, known);
    if (wrong) return refuse(wrong);
    const old = project.tags.find((t) => t.name.toLowerCase() === name.toLowerCase());
    if (old) return changeOf(old, row, columns, line, name);
    const tag: Tag = {
      id: newId(),
      name,
      ...(row.Type ? { type: row.Type } : guessTag(name, tags, undefined, project)),
      ...fields(row),
    };
    tags = [...tags, tag];
    return { line, fate: 'new', name, edit: { kind: 'addTag', tag } };
  });
  return { rows, columns: columns.map((c, i) => c ?? (hasHeader ? `${first[i]!.trim()} (not used)` : '(not used)')) };
}

function columnOf(header: string): Column | undefined {
  const h = header.trim().toLowerCase();
  return COLUMNS.find((c) => c.toLowerCase() === h) ?? OTHER_WORDS[h];
}

/** Without a header, the cells tell: what looks like addresses, types and names; the rest is the description. */
function guessColumns(data: readonly (readonly string[])[]): (Column | undefined)[] {
  const width = Math.max(...data.map((r) => r.length));
  const found: (Column | undefined)[] = Array.from({ length: width }, () => undefined);
  const most = (test: (cell: string) => boolean): number => {
    const share = found.map((c, i) => (c ? 0 : data.filter((r) => test((r[i] ?? '').trim())).length));
    const best = Math.max(...share);
    return best * 2 > data.length || best === data.length ? share.indexOf(best) : -1;
  };
  const take = (column: Column, test: (cell: string) => boolean) => {
    const i = most(test);
    if (i >= 0) found[i] = column;
  };
  take('Address', (c) => /^%[IQM]/i.test(c));
  take('Type', (c) => /^(ARRAY\b|STRING\b)/i.test(c) || elementaryByName(c) !== undefined);
  take('Wiring', (c) => /^(NO|NC)$/i.test(c));
  take('Name', (c) => /^[A-Za-z_]\w*$/.test(c));
  take('Description', (c) => /\s/.test(c));
  return found;
}

function wrongCell(row: Cells, known: (spec: TypeSpec) => string | undefined): string | undefined {
  if (row.Type) {
    const problems = new Problems();
    const v = parseVariableText(makeSource('', `x : ${row.Type};`, { kind: 'tag', id: '', name: '' }), problems);
    if (problems.hasErrors) return `‘${row.Type}’ is not a type.`;
    const unknown = known(v.type);
    if (unknown) return `There is no type ‘${unknown}’.`;
  }
  if (row.Address && !/^%[IQM](\*|[XBWDL]?\d+(\.\d+)*)$/i.test(row.Address))
    return `‘${row.Address}’ is not an address; write for example %IX0.3 or %QW2.`;
  if (row.Wiring && !/^(NO|NC)$/i.test(row.Wiring)) return `Wiring is NO or NC, not ‘${row.Wiring}’.`;
  if (row.Access && !/^(read|write|none)$/i.test(row.Access))
    return `Access is none, read or write, not ‘${row.Access}’.`;
  for (const c of ['Retain', 'Constant'] as const)
    if (row[c] && yes(row[c]) === undefined) return `${c} is yes or no, not ‘${row[c]}’.`;
  return undefined;
}

const yes = (text: string): boolean | undefined =>
  /^(yes|true|1|x)$/i.test(text) ? true : /^(no|false|0|)$/i.test(text) ? false : undefined;

/** The first named type inside that nothing declares. */
function knownTypes(project: Project): (spec: TypeSpec) => string | undefined {
  const own = new Set(
    [
      ...project.types.map((t) => /^\s*([A-Za-z_]\w*)/.exec(t.text)?.[1] ?? ''),
      ...project.pous.flatMap((p) => (p.kind === 'functionBlock' ? [p.name] : [])),
      ...STANDARD_BLOCKS.map((b) => b.name),
      ...OWN_BLOCKS.map((b) => b.name),
    ].map((n) => n.toUpperCase()),
  );
  const isKnown = (name: string) =>
    elementaryByName(name) !== undefined ||
    own.has(name.toUpperCase()) ||
    /^W?STRING$/i.test(name) ||
    [...own].some((o) => name.toUpperCase().startsWith(`${o}_`));
  const look = (spec: TypeSpec): string | undefined => {
    if (spec.kind === 'named') return isKnown(spec.name.text) ? undefined : spec.name.text;
    if (spec.kind === 'array') return look(spec.element);
    return undefined;
  };
  return look;
}

function fields(row: Cells): Partial<Tag> {
  return {
    ...(row.Address ? { address: row.Address.toUpperCase() } : {}),
    ...(row.Initial ? { initial: row.Initial } : {}),
    ...(row.Wiring ? { wiring: row.Wiring.toUpperCase() as 'NO' } : {}),
    ...(yes(row.Retain ?? '') ? { retain: true } : {}),
    ...(yes(row.Constant ?? '') ? { constant: true } : {}),
    ...(row.Unit ? { unit: row.Unit } : {}),
    ...(row.Range ? { range: row.Range } : {}),
    ...(/^(read|write)$/i.test(row.Access ?? '') ? { access: row.Access!.toLowerCase() as 'read' } : {}),
    ...(row['At stop'] ? { stop: row['At stop'] } : {}),
    ...(row.Modbus ? { modbus: row.Modbus } : {}),
    ...(row['Stands for'] ? { standsFor: row['Stands for'] } : {}),
    ...(row.Description ? { description: row.Description } : {}),
  };
}

/** Only columns that are there change something; an empty cell of such a column takes the field away. */
function changeOf(old: Tag, row: Cells, columns: readonly (Column | undefined)[], line: number, name: string): TagRow {
  const next = { ...fields(row), ...(row.Type ? { type: row.Type } : {}) } as Record<string, unknown>;
  const to: Record<string, unknown> = {};
  for (const c of columns) {
    if (!c || c === 'Name') continue;
    const field = FIELD[c] ?? (c.toLowerCase() as keyof Tag);
    if (field === 'type' && !row.Type) continue;
    if ((next[field] ?? undefined) !== (old[field] || undefined)) to[field] = next[field] ?? null;
  }
  const changes = Object.entries(to);
  if (!changes.length) return { line, fate: 'same', name };
  return {
    line,
    fate: 'changed',
    name,
    note: changes.map(([k, v]) => `${k}: ${String(old[k as keyof Tag] ?? '–')} → ${String(v ?? '–')}`).join(', '),
    edit: { kind: 'changeTag', id: old.id, to: to as Partial<Tag> },
  };
}
