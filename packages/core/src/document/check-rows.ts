/**
 * Checks as they are played: each row of a table a run of its own, with the rows that the check begins with in front.
 *
 * Runs of a check (`document/check-rows`): a check with a table of values is played once for each row, with the rows it begins
 * with (those of another check) in front; everything after that — planning, playing, results, reports — knows only
 * runs.
 */
import { sameName } from '../language/words.js';
import type { CheckRow, Project, SequenceCheck } from './document.js';

export interface RunRow {
  readonly row: CheckRow;
  /** Counted from 1 in the check it stands in. */ readonly number: number;
  /** The check it stands in. */ readonly of: SequenceCheck;
}
export interface CheckRun {
  readonly check: SequenceCheck;
  /** Which row of its table, from 0; undefined without a table. */
  readonly run?: number;
  /** The check's name, with the values that tell this run from the others. */
  readonly name: string;
  readonly rows: readonly RunRow[];
  /** Why it cannot be played. */
  readonly problem?: string;
}

/** A table has at most this many rows; each is a whole run. */
export const LONGEST_TABLE = 500;

/**
 * The runs of all checks, in the order of the project. A check whose beginning or table is wrong is one run with a
 * problem.
 */
export function checkRuns(project: Project): readonly CheckRun[] {
  const byId = new Map(project.checks.map((c) => [c.id, c]));
  return project.checks.flatMap((check): readonly CheckRun[] => {
    const wrong = (problem: string): readonly CheckRun[] => [{ check, name: check.name, rows: own(check), problem }];
    const begins: SequenceCheck[] = [];
    for (let at = check.begins; at !== undefined;) {
      const b = byId.get(at);
      if (!b) return wrong('The check it begins with is no longer there; choose another, or none.');
      if (b === check || begins.includes(b))
        return wrong(
          `It begins with '${begins[0]?.name ?? b.name}', which in the end begins with itself; choose another beginning.`,
        );
      if (b.table) return wrong(`It begins with '${b.name}', which has a table of values; a beginning has none.`);
      begins.unshift(b);
      at = b.begins;
    }
    const all = [...begins, check].flatMap(own),
      { table } = check;
    const placeholder = (rows: readonly RunRow[], known: readonly string[]) =>
      rows
        .flatMap(({ row }) => [...textOf(row).matchAll(PLACE)].map((m) => m[1]!.trim()))
        .find((n) => !known.some((k) => sameName(k, n)));
    if (!table) {
      const unknown = placeholder(all, []);
      return unknown === undefined
        ? [{ check, name: check.name, rows: all }]
        : wrong(`'{${unknown}}' stands for a value from a table, but the check has no table.`);
    }
    const unnamed = table.columns.findIndex((c) => !c.trim()),
      twice = table.columns.find((c, i) => table.columns.findIndex((d) => sameName(d, c)) !== i);
    if (unnamed >= 0) return wrong(`Column ${unnamed + 1} of its table has no name.`);
    if (twice !== undefined) return wrong(`Its table has two columns '${twice}'.`);
    const unknown = placeholder(all, table.columns);
    if (unknown !== undefined) return wrong(`'{${unknown}}' is no column of its table (${table.columns.join(', ')}).`);
    if (table.rows.length === 0) return wrong('Its table has no rows, so nothing would be played.');
    if (table.rows.length > LONGEST_TABLE)
      return wrong(`Its table has ${table.rows.length} rows; ${LONGEST_TABLE} is the most.`);
    const { columns: telling, isTold } = tellingColumns(table.columns.length, table.rows);
    return table.rows.map((values, run): CheckRun => {
      const empty = table.columns.findIndex((_, i) => !cellOf(values, i));
      const name = `${check.name} (${telling.map((i) => `${table.columns[i]!} ${cellOf(values, i) || '–'}`).join(', ')}${isTold ? '' : `, row ${run + 1}`})`;
      const put = (text: string): string => fillSentence(text, table.columns, values);
      return {
        check,
        run,
        name,
        rows: all.map((r) => ({ ...r, row: filled(r.row, put) })),
        ...(empty >= 0 ? { problem: `Row ${run + 1} of its table has no ${table.columns[empty]!}.` } : {}),
      };
    });
  });
}

const cellOf = (values: readonly string[], column: number): string => (values[column] ?? '').trim();

/**
 * Which columns a run is named by: the first that has another value in each row, else as many from the left as it
 * takes. `isTold` false: rows that are the same throughout.
 */
function tellingColumns(
  count: number,
  rows: readonly (readonly string[])[],
): { readonly columns: readonly number[]; readonly isTold: boolean } {
  const tells = (columns: readonly number[]) =>
    new Set(rows.map((r) => JSON.stringify(columns.map((c) => cellOf(r, c).toLowerCase())))).size === rows.length;
  const all = Array.from({ length: count }, (_, i) => i),
    one = all.find((c) => tells([c]));
  if (one !== undefined) return { columns: [one], isTold: true };
  const some = all.findIndex((c) => tells(all.slice(0, c + 1)));
  return { columns: some < 0 ? all : all.slice(0, some + 1), isTold: some >= 0 };
}

const PLACE = /\{([^{}]*)\}/g; /**
 * `at the same time as row 2` after rows of a check were put elsewhere, added or taken away: each When that has to name
 * another number, by its row.
 */
export function renumbered(
  before: readonly CheckRow[],
  after: readonly CheckRow[],
): readonly { readonly id: string; readonly when: string }[] {
  return after.flatMap((r) => {
    const m = /^(\s*at the same time as row )(\d+)/i.exec(r.when ?? ''),
      named = m ? before[Number(m[2]) - 1] : undefined,
      at = named ? after.findIndex((x) => x.id === named.id) + 1 : 0;
    return m && at > 0 && at !== Number(m[2]) ? [{ id: r.id, when: `${m[1]}${at}${r.when!.slice(m[0].length)}` }] : [];
  });
}

/** A sentence with the values of a row of a table in place of its braces. */
export const fillSentence = (text: string, columns: readonly string[], values: readonly string[]): string =>
  text.replace(PLACE, (_, n: string) => (values[columns.findIndex((c) => sameName(c, n.trim()))] ?? '').trim());

/**
 * The table of a check after a name in its sentences was changed: `mend` changes a whole sentence, `word` finds the
 * name. A cell is changed where the sentence it stands in is; undefined where none is.
 */
export function mendTable(
  check: SequenceCheck,
  rows: readonly CheckRow[],
  word: RegExp,
  to: string,
  mend: (sentence: string, of: 'when' | 'do' | 'expect', row: number) => string,
): SequenceCheck['table'] | undefined {
  const { table } = check;
  if (!table) return undefined;
  const sentences = rows
    .flatMap((r, i) => [
      ...(r.when ? [[r.when, 'when', i] as const] : []),
      ...(r.do ?? []).map((d) => [d, 'do', i] as const),
      ...(r.expect ?? []).map((e) => [e, 'expect', i] as const),
    ])
    .filter(([text]) => new RegExp(PLACE.source).test(text));
  const changed = table.rows.map((values) =>
    values.map((cell, at) => {
      const renamed = cell.replace(word, to);
      if (renamed === cell) return cell;
      return sentences.some(([text, of, i]) => {
        if (![...text.matchAll(PLACE)].some((m) => sameName(m[1]!.trim(), table.columns[at]!))) return false;
        const filled = fillSentence(text, table.columns, values),
          after = values.map((v, k) => (k === at ? renamed : v));
        return mend(filled, of, i) === fillSentence(text, table.columns, after) && mend(filled, of, i) !== filled;
      })
        ? renamed
        : cell;
    }),
  );
  return JSON.stringify(changed) === JSON.stringify(table.rows) ? undefined : { ...table, rows: changed };
}
const own = (of: SequenceCheck): RunRow[] => of.rows.map((row, i) => ({ row, number: i + 1, of }));
const textOf = (r: CheckRow): string => [r.when ?? '', ...(r.do ?? []), ...(r.expect ?? [])].join('\n');
const filled = (r: CheckRow, put: (text: string) => string): CheckRow => ({
  id: r.id,
  ...(r.when === undefined ? {} : { when: put(r.when) }),
  ...(r.do ? { do: r.do.map(put) } : {}),
  ...(r.expect ? { expect: r.expect.map(put) } : {}),
});
