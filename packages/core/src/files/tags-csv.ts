/**
 * Tags as CSV and as rows of a spreadsheet (RFC 4180 through papaparse): written out, and read in with the fate of each
 * row known before anything is taken over.
 */
import Papa from 'papaparse';
import { Problems } from '../language/diagnostic.js';
import { parseVariableText } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { TypeSpec } from '../language/tree.js';
import { OWN_BLOCKS } from '../library/own.js';
import { STANDARD_BLOCKS } from '../library/blocks.js';
import { elementaryByName } from '../types/type.js';
import type { Project, Tag } from '../document/document.js';
import type { Edit } from '../document/edits/index.js';
import { addressFor, guessTag } from '../workspace/guess.js';
import { RESERVED } from '../language/token-stream.js';
import { csvLine } from '../exchange/csv.js';

export const TAG_COLUMNS = [
  'Name',
  'Type',
  'Address',
  'Initial',
  'Wiring',
  'Retain',
  'Constant',
  'Unit',
  'Range',
  'Value names',
  'Access',
  'At stop',
  'Modbus',
  'Stands for',
  'Description',
] as const;
const FIELD: Partial<Record<string, keyof Tag>> = {
  'Stands for': 'standsFor',
  'At stop': 'stop',
  'Value names': 'valueNames',
};
export type TagColumn = (typeof TAG_COLUMNS)[number];
/**
 * What people head such columns with, in the languages of their lists: lower case, without accents. One word may stand
 * alone or with others ("Datentyp", "Typ der Daten").
 */
const HEADER_WORDS: Readonly<Partial<Record<TagColumn, string>>> = {
  Name: 'name tag tagname symbol variable variablenname bezeichner signal signalname nom nombre nome naam nazwa namn navn nimi nazev nev etykieta zmienna variabele variabile',
  Type: 'type typ datatype datentyp datatyp tipo typus dato danych gegevenstype tyyppi tipus',
  Address: 'address adresse addr at direccion indirizzo adres adress endereco osoite adresa cim',
  Initial:
    'initial value start startwert startvalue anfangswert initialwert wert valeur valor valore beginwaarde startvarde poczatkowa inicial initiale',
  Wiring: 'wiring contact kontakt kontaktart contatto contacto styk',
  Retain: 'retain retained retentive remanent remanenz remanente',
  Constant: 'constant konstant konstante constante costante stala',
  Unit: 'unit einheit unite unidad unita eenheid jednostka enhet unidade yksikko jednotka',
  Range: 'range bereich wertebereich plage rango campo bereik zakres',
  Description:
    'description comment comments kommentar bemerkung beschreibung text commentaire designation comentario descripcion descricao descrizione commento omschrijving opmerking opis komentarz beskrivning beskrivelse popis kuvaus leiras function funktion meaning bedeutung',
};
/** Of words that stand in several headers ("Startwert Text"), the first of these decides. */
const HEADER_ORDER = Object.keys(HEADER_WORDS) as TagColumn[];
const plainWords = (header: string): readonly string[] =>
  header
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .split(/[^a-z]+/)
    .filter(Boolean);
type Cells = Partial<Record<TagColumn, string>>;

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
    t.valueNames ?? '',
    t.access ?? '',
    t.stop ?? '',
    t.modbus ?? '',
    t.standsFor ?? '',
    t.description ?? '',
  ]);
  return `${[TAG_COLUMNS as readonly string[], ...rows].map(csvLine).join('\r\n')}\r\n`;
}

export interface TagRow {
  /** Line of the text, from 1. */
  readonly line: number;
  readonly fate: 'new' | 'changed' | 'same' | 'refused';
  readonly name: string;
  /** Why it is refused, or what changes. */
  readonly note?: string;
  /** What no cell says and the name made likely: `type BOOL`, `address %QX0.1`. */
  readonly guessed?: string;
  /** A name that it could have instead, where its own cannot be one. */
  readonly repair?: string;
  readonly edit?: Edit;
}
/** How a column came to be what it is. */
export type ColumnBy = 'header' | 'cells' | 'hand' | 'none';
export interface TagTable {
  readonly rows: readonly TagRow[];
  /** What each column holds, and how that is known; undefined where it is not used. */
  readonly columns: readonly { readonly is: TagColumn | undefined; readonly by: ColumnBy }[];
  /** The header as it stands there; undefined without one. */
  readonly header?: readonly string[];
  /** The first rows as they stand there. */
  readonly sample: readonly (readonly string[])[];
  /** Why no row can be taken: what to do about the columns. */
  readonly problem?: string;
}
export type TagRows = TagTable | { readonly error: string };

/** What is said by hand about rows. */
export interface TagReading {
  /** What a column holds, by its number; '' is not used. */ readonly columns?: Readonly<
    Record<number, TagColumn | ''>
  >;
  readonly hasHeader?: boolean;
  /** Rows that a project was written into: what it holds as a problem comes back as such. */
  readonly isStored?: boolean;
  /** Whether the name of a line that cannot be one is repaired. */ readonly repairs?: (line: number) => boolean;
}

/** Reads tags from CSV or from cells pasted out of a spreadsheet, with or without a header; nothing is changed yet. */
export function readTags(
  text: string,
  project: Project,
  newId: () => string,
  { columns: byHand = {}, hasHeader: saidHeader, repairs = () => false, isStored = false }: TagReading = {},
): TagRows {
  const clean = text.replace(/^\ufeff/, '');
  const parsed = Papa.parse<string[]>(clean, { skipEmptyLines: 'greedy', delimitersToGuess: ['\t', ',', ';', '|'] });
  const quoting = parsed.errors.find((e) => e.type === 'Quotes');
  if (quoting)
    return {
      error: `Line ${(quoting.row ?? 0) + 1}: a quoted cell is not closed; put a " at its end, and write " inside a cell as "".`,
    };
  const [first] = parsed.data;
  if (!first) return { error: 'There are no rows here.' };
  const known = knownTypes(project);
  const named = headerColumns(first, known);
  // One word alone may be a name ("Start"); over a column of types or addresses it is a header.
  const heads = (c: TagColumn, test: (cell: string) => boolean): boolean => {
    const i = named.indexOf(c),
      below = parsed.data.slice(1).map((r) => (r[i] ?? '').trim());
    return i >= 0 && below.some(test) && below.every((x) => !x || test(x));
  };
  const nameAt = named.indexOf('Name');
  const hasHeader =
    saidHeader ??
    ((nameAt >= 0 && (named.filter(Boolean).length > 1 || plainWords(first[nameAt]!).length === 1)) ||
      ((named.includes('Type') || named.includes('Address')) && named.filter(Boolean).length > 1) ||
      heads('Type', (c) => isType(c, known)) ||
      heads('Address', isAddress));
  const body = hasHeader ? parsed.data.slice(1) : parsed.data;
  const width = parsed.data.reduce((n, r) => Math.max(n, r.length), 0);
  const columns = columnsOf(body, width, hasHeader ? named : [], byHand, known);
  const uses = (c: TagColumn) => columns.some((x) => x.is === c);
  const repeated = columns.find((c, i) => c.is && columns.findIndex((x) => x.is === c.is) !== i)?.is;
  const problem = !uses('Name')
    ? `No column holds the names yet: say above which one does${hasHeader ? '' : ', or put a header over the rows'}.`
    : repeated
      ? `Two columns are said to hold ${repeated}; say of one that it is not used.`
      : undefined;
  const table = {
    columns,
    ...(hasHeader ? { header: first.map((h) => h.trim()) } : {}),
    sample: body.slice(0, 3),
  };
  if (problem) return { ...table, rows: [], problem };
  const seen = new Map<string, number>();
  const names = new Set(project.tags.map((t) => t.name.toLowerCase()));
  let tags = project.tags;
  const rows = body.map((cells, i): TagRow => {
    const line = i + (hasHeader ? 2 : 1);
    const row: Cells = {};
    columns.forEach(({ is }, k) => {
      if (is && cells[k]?.trim()) row[is] = cells[k].trim();
    });
    const said = row.Name ?? '';
    const wrongName = isStored && /^[A-Za-z_]\w*$/.test(said) ? undefined : problemOfName(said);
    const repair = wrongName === undefined ? undefined : repairedName(said, (n) => seen.has(n) || names.has(n));
    const name = repair !== undefined && repairs(line) ? repair : said;
    const refuse = (note: string): TagRow => ({
      line,
      fate: 'refused',
      name: said,
      note,
      ...(repair === undefined ? {} : { repair }),
    });
    if (wrongName !== undefined && name === said) return refuse(wrongName);
    const before = seen.get(name.toLowerCase());
    if (before !== undefined) return refuse(`The name stands in line ${before} already.`);
    seen.set(name.toLowerCase(), line);
    const wrong = wrongCell(row, known);
    if (wrong) return refuse(wrong);
    if (row.Address && !row.Address.startsWith('%')) {
      const at = addressFor(row.Address, undefined, []);
      if ('refused' in at) return refuse(at.refused);
      row.Address = at.address;
    }
    const old = project.tags.find((t) => t.name.toLowerCase() === name.toLowerCase());
    if (old)
      return changeOf(
        old,
        row,
        columns.map((c) => c.is),
        line,
        name,
      );
    // An address in the row says how wide the tag is.
    const wide = row.Address && !row.Type ? addressFor(row.Address, undefined, []) : undefined;
    const type = row.Type ?? (wide && 'type' in wide ? wide.type : undefined);
    // A column of addresses says of an empty cell that there is none.
    const guess = guessTag(name, tags, type, project);
    const fromName: Partial<Tag> = row.Type
      ? {}
      : {
          type: type ?? guess.type,
          ...(uses('Address') || guess.address === undefined ? {} : { address: guess.address }),
          ...(uses('Wiring') || guess.wiring === undefined || (uses('Address') && !row.Address?.startsWith('%I'))
            ? {}
            : { wiring: guess.wiring }),
        };
    const given = fields(row);
    const tag: Tag = { id: newId(), name, type: row.Type ?? guess.type, ...fromName, ...given };
    tags = [...tags, tag];
    const guessed = (['type', 'address', 'wiring'] as const)
      .filter((f) => f in fromName && !(f in given) && !(f === 'type' && type !== undefined))
      .map((f) => `${f} ${String(fromName[f])}`);
    return {
      line,
      fate: 'new',
      name,
      ...(wrongName === undefined ? {} : { repair: name, note: `was ‘${said}’` }),
      ...(guessed.length ? { guessed: guessed.join(', ') } : {}),
      edit: { kind: 'addTag', tag },
    };
  });
  return { ...table, rows };
}

/** Why a text cannot be the name of a tag; undefined where it can. */
function problemOfName(name: string): string | undefined {
  if (!name) return 'There is no name.';
  if (!/^[A-Za-z_]\w*$/.test(name)) return `‘${name}’ is not a name: letters, digits and underscores, a letter first.`;
  return RESERVED.has(name.toUpperCase()) ? `‘${name}’ is a word of the language and cannot be a name.` : undefined;
}

/** `Bottle present` as `BottlePresent`, `IF` as `IF1`, `3-way` as `_3_way`; undefined where nothing is left of it. */
function repairedName(text: string, isTaken: (lower: string) => boolean): string | undefined {
  const plain = text
    .replace(/[äöüÄÖÜ]/g, (c) => ({ ä: 'ae', ö: 'oe', ü: 'ue', Ä: 'Ae', Ö: 'Oe', Ü: 'Ue' })[c]!)
    .replace(/ß/g, 'ss')
    .normalize('NFD')
    .replace(/\p{M}/gu, '');
  const words = plain.trim().split(/\s+/);
  const joined = words.map((w, i) => (i || words.length > 1 ? w.charAt(0).toUpperCase() + w.slice(1) : w)).join('');
  const safe = joined
    .replace(/\W+/g, '_')
    .replace(/_+/g, '_')
    .replace(/(?<=.)_$/, '');
  if (!/[A-Za-z0-9]/.test(safe)) return undefined;
  const base = /^\d/.test(safe) ? `_${safe}` : safe;
  if (!RESERVED.has(base.toUpperCase()) && !isTaken(base.toLowerCase())) return base;
  for (let n = 1; ; n++) if (!isTaken(`${base}${n}`.toLowerCase())) return `${base}${n}`;
}

/** Words of the longest header: `Type de données`, `Tipo di dato`. */
const MOST_HEADER_WORDS = 3;

/** What the words of a header say, each column once: the whole header first, then any word of it. */
function headerColumns(
  header: readonly string[],
  known: (spec: TypeSpec) => string | undefined,
): (TagColumn | undefined)[] {
  const found: (TagColumn | undefined)[] = header.map((h) =>
    TAG_COLUMNS.find((c) => c.toLowerCase() === h.trim().toLowerCase()),
  );
  // A row with a type or an address in it is no header, but for one that calls a column Name.
  const isData = !found.includes('Name') && header.some((h) => isAddress(h.trim()) || isType(h.trim(), known));
  header.forEach((h, i) => {
    // `Signal1` is a name, and a sentence that speaks of a signal a description.
    if (found[i] || isData || /\d/.test(h) || plainWords(h).length > MOST_HEADER_WORDS) return;
    const words = plainWords(h);
    found[i] = HEADER_ORDER.find(
      (c) => !found.includes(c) && words.some((w) => HEADER_WORDS[c]!.split(' ').includes(w)),
    );
  });
  return found;
}

const isAddress = (c: string): boolean => /^(%[IQM]|[IQM][XBWDL]?\d+\.\d+$|[IQM][XBWDL]\d+$)/i.test(c);
function isType(c: string, known: (spec: TypeSpec) => string | undefined): boolean {
  if (!/^(ARRAY\b|W?STRING\b|[A-Za-z_]\w*$)/i.test(c)) return false;
  const problems = new Problems();
  const v = parseVariableText(makeSource('', `x : ${c};`, { kind: 'tag', id: '', name: '' }), problems);
  return !problems.hasErrors && known(v.type) === undefined;
}

/** What each column holds: as said by hand, by the header, or by what its cells look like; the rest is not used. */
function columnsOf(
  body: readonly (readonly string[])[],
  width: number,
  named: readonly (TagColumn | undefined)[],
  byHand: Readonly<Record<number, TagColumn | ''>>,
  known: (spec: TypeSpec) => string | undefined,
): TagTable['columns'] {
  const columns = Array.from({ length: width }, (_, i): { is: TagColumn | undefined; by: ColumnBy } =>
    i in byHand
      ? { is: byHand[i] || undefined, by: 'hand' }
      : named[i] && !Object.values(byHand).includes(named[i])
        ? { is: named[i], by: 'header' }
        : { is: undefined, by: 'none' },
  );
  // Every cell that is not empty must look like it: one that does not would be lost or wrong.
  const take = (column: TagColumn, test: (cell: string) => boolean, share = 1) => {
    if (columns.some((c) => c.is === column)) return;
    const fit = columns.map((c, i) => {
      if (c.by !== 'none') return 0;
      const cells = body.map((r) => (r[i] ?? '').trim()).filter(Boolean),
        good = cells.filter(test).length;
      return good && good >= cells.length * share ? good : 0;
    });
    const best = Math.max(0, ...fit);
    if (best) columns[fit.indexOf(best)] = { is: column, by: 'cells' };
  };
  take('Address', isAddress);
  take('Type', (c) => isType(c, known));
  take('Wiring', (c) => /^(NO|NC)$/i.test(c));
  // Names that must be repaired are names all the same.
  take('Name', (c) => problemOfName(c) === undefined, 0.5);
  take('Description', (c) => /\p{L}.*\s/u.test(c), 0.5);
  return columns;
}

function wrongCell(row: Cells, known: (spec: TypeSpec) => string | undefined): string | undefined {
  if (row.Type) {
    const problems = new Problems();
    const v = parseVariableText(makeSource('', `x : ${row.Type};`, { kind: 'tag', id: '', name: '' }), problems);
    if (problems.hasErrors) return `‘${row.Type}’ is not a type.`;
    const unknown = known(v.type);
    if (unknown) return `There is no type ‘${unknown}’.`;
  }
  if (row.Address && !/^%?[IQM](\*|[XBWDL]?\d+(\.\d+)*)$/i.test(row.Address))
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

/** A spreadsheet writes `1,5` in many languages; a value of the standard has a point. */
const withPoint = (value: string, type = ''): string =>
  /^L?REAL$/i.test(type) && /^[+-]?\d+,\d+$/.test(value) ? value.replace(',', '.') : value;

function fields(row: Cells): Partial<Tag> {
  return {
    ...(row.Address ? { address: row.Address.toUpperCase() } : {}),
    ...(row.Initial ? { initial: withPoint(row.Initial, row.Type) } : {}),
    ...(row.Wiring ? { wiring: row.Wiring.toUpperCase() as 'NO' } : {}),
    ...(yes(row.Retain ?? '') ? { retain: true } : {}),
    ...(yes(row.Constant ?? '') ? { constant: true } : {}),
    ...(row.Unit ? { unit: row.Unit } : {}),
    ...(row.Range ? { range: row.Range } : {}),
    ...(row['Value names'] ? { valueNames: row['Value names'] } : {}),
    ...(/^(read|write)$/i.test(row.Access ?? '') ? { access: row.Access!.toLowerCase() as 'read' } : {}),
    ...(row['At stop'] ? { stop: row['At stop'] } : {}),
    ...(row.Modbus ? { modbus: row.Modbus } : {}),
    ...(row['Stands for'] ? { standsFor: row['Stands for'] } : {}),
    ...(row.Description ? { description: row.Description } : {}),
  };
}

/** Only columns that are there change something; an empty cell of such a column takes the field away. */
function changeOf(
  old: Tag,
  row: Cells,
  columns: readonly (TagColumn | undefined)[],
  line: number,
  name: string,
): TagRow {
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
