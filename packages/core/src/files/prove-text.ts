/**
 * Checks and rules as lines that people read and version control compares: one sentence a line, in the order in which a
 * check is played. Ids stand elsewhere. Reading back what was written gives equal checks and rules.
 *
 *     check Stop during crimp
 *       // Pressing stop lifts the die first.
 *       begins with Good cycle
 *       row
 *         when once DieDown is on
 *         do hold Stop
 *         expect DieClose is off within 2 scans
 *       values Batch,Length
 *         5,80
 *
 *     rule Die and feed never together
 *       never DieClose and FeedMotor together
 *
 * An assumption is headed `assumption` instead of `rule`. Within a line `\n` is a line break and `\\` a backslash.
 */
import Papa from 'papaparse';
import type { CheckRow, InterlockRule, SequenceCheck } from '../document/document.js';

/** The ids of what stands in the text, in its order. */
export interface ProveIds {
  readonly checks: readonly { readonly id: string; readonly rows: readonly string[] }[];
  readonly rules: readonly string[];
}

const code = (t: string): string => t.replace(/[\\\n\r]/g, (c) => ({ '\\': '\\\\', '\n': '\\n', '\r': '\\r' })[c]!);
const decode = (t: string): string => t.replace(/\\(.)/g, (_, c: string) => ({ n: '\n', r: '\r' })[c] ?? c);
const cells = (row: readonly string[]): string =>
  row.length ? Papa.unparse([row.map(code)], { quotes: row.map((c) => c === '' || /^\s|\s$/.test(c)) }) : '';
const uncells = (line: string): readonly string[] =>
  line === '' ? [] : (Papa.parse<string[]>(line, { delimiter: ',' }).data[0] ?? []).map(decode);
const WITH = 'begins with ';
/** A beginning is named; by its id only where the name would not do. */
const reference = (checks: readonly SequenceCheck[], id: string): string => {
  const c = checks.find((x) => x.id === id);
  return c && !c.name.startsWith('#') && checks.filter((x) => x.name === c.name).length === 1
    ? code(c.name)
    : `#${code(id)}`;
};

export function proveToText(
  checks: readonly SequenceCheck[],
  rules: readonly InterlockRule[],
): { readonly text: string; readonly ids: ProveIds } {
  const listed = (word: string, list: readonly string[] | undefined) =>
    list === undefined ? [] : list.length ? list.map((x) => `    ${word} ${code(x)}`) : [`    ${word}`];
  const blocks = [
    ...checks.map((c) => [
      `check ${code(c.name)}`,
      ...(c.note === undefined ? [] : [`  // ${code(c.note)}`]),
      ...(c.begins === undefined ? [] : [`  ${WITH}${reference(checks, c.begins)}`]),
      ...c.rows.flatMap((r) => [
        '  row',
        ...(r.when === undefined ? [] : [`    when ${code(r.when)}`]),
        ...listed('do', r.do),
        ...listed('expect', r.expect),
      ]),
      ...(c.table ? [`  values ${cells(c.table.columns)}`, ...c.table.rows.map((r) => `    ${cells(r)}`)] : []),
    ]),
    ...rules.map((r) => [`${r.assumed ? 'assumption' : 'rule'} ${code(r.name)}`, `  ${code(r.sentence)}`]),
  ];
  return {
    text: blocks.map((b) => `${b.join('\n')}\n`).join('\n'),
    ids: { checks: checks.map((c) => ({ id: c.id, rows: c.rows.map((r) => r.id) })), rules: rules.map((r) => r.id) },
  };
}

/** @throws Error with the line, counted from 1, of what cannot be read */
export function textToProve(
  text: string,
  ids: Partial<ProveIds> = {},
): { readonly checks: readonly SequenceCheck[]; readonly rules: readonly InterlockRule[] } {
  type Writable<T> = { -readonly [K in keyof T]: T[K] };
  const checks: (Writable<Omit<SequenceCheck, 'rows' | 'table'>> & {
      rows: Writable<CheckRow>[];
      table?: { columns: readonly string[]; rows: (readonly string[])[] };
    })[] = [],
    rules: Writable<InterlockRule>[] = [],
    begins: { at: number; check: number; of: string }[] = [];
  const wrong = (line: number, words: string): never => {
    throw new Error(`line ${line + 1}: ${words}`);
  };
  let inRule = false;
  // Where there is no id, one that nothing else has.
  const free = (taken: readonly string[], prefix: string, from: number): string => {
    let n = from;
    while (taken.includes(`${prefix}${n}`)) n++;
    return `${prefix}${n}`;
  };
  const known = { checks: ids.checks?.map((c) => c.id) ?? [], rules: ids.rules ?? [] };
  text
    .replace(/^\ufeff/, '')
    .split(/\r?\n/)
    .forEach((line, n) => {
      if (line === '') return;
      const head = /^(check|rule|assumption) (.*)$/.exec(line);
      if (head) {
        inRule = head[1] !== 'check';
        const name = decode(head[2]!);
        if (inRule)
          rules.push({
            id: ids.rules?.[rules.length] ?? free([...known.rules, ...rules.map((r) => r.id)], 'i', rules.length + 1),
            name,
            sentence: '',
            ...(head[1] === 'assumption' ? { assumed: true } : {}),
          });
        else
          checks.push({
            id:
              ids.checks?.[checks.length]?.id ??
              free([...known.checks, ...checks.map((c) => c.id)], 'c', checks.length + 1),
            name,
            rows: [],
          });
        return;
      }
      const check = checks.at(-1),
        rule = rules.at(-1);
      if (inRule && rule && line.startsWith('  ')) {
        if (rule.sentence !== '') wrong(n, 'a rule has one sentence.');
        rule.sentence = decode(line.slice(2));
        return;
      }
      if (!check || inRule || !line.startsWith('  '))
        return wrong(n, "expected 'check', 'rule' or 'assumption' with a name.");
      const row = check.rows.at(-1),
        inner = line.startsWith('    ') ? line.slice(4) : undefined;
      if (inner !== undefined && check.table) {
        check.table.rows.push(uncells(inner));
        return;
      }
      if (inner !== undefined && row) {
        const said = /^(when|do|expect)(?: (.*))?$/.exec(inner);
        if (!said) return wrong(n, "in a row a line begins with 'when', 'do' or 'expect'.");
        const what = said[1] as 'when' | 'do' | 'expect',
          words = said[2] === undefined ? undefined : decode(said[2]);
        if (what === 'when') row.when = words ?? '';
        else row[what] = [...(row[what] ?? []), ...(words === undefined ? [] : [words])];
        return;
      }
      const outer = line.slice(2);
      if (outer === 'row') {
        if (check.table) wrong(n, 'rows stand before the values.');
        const at = check.rows.length;
        check.rows.push({
          id:
            ids.checks?.[checks.length - 1]?.rows[at] ??
            free(
              check.rows.map((r) => r.id),
              `${check.id}k`,
              at + 1,
            ),
        });
        return;
      }
      if (outer.startsWith('// ') || outer === '//') check.note = decode(outer.slice(3));
      else if (outer.startsWith(WITH)) begins.push({ at: n, check: checks.length - 1, of: outer.slice(WITH.length) });
      else if (outer === 'values' || outer.startsWith('values '))
        check.table = { columns: uncells(outer.slice(7)), rows: [] };
      else wrong(n, "in a check a line is '// a note', 'begins with', 'row' or 'values'.");
    });
  for (const b of begins) {
    const found = b.of.startsWith('#') ? decode(b.of.slice(1)) : checks.find((c) => c.name === decode(b.of))?.id;
    if (found === undefined) wrong(b.at, `there is no check '${decode(b.of)}' to begin with.`);
    checks[b.check]!.begins = found!;
  }
  // In the order of a project file.
  return {
    rules,
    checks: checks.map(({ id, name, note, begins: of, rows, table }) => ({
      id,
      name,
      ...(note === undefined ? {} : { note }),
      ...(of === undefined ? {} : { begins: of }),
      rows,
      ...(table ? { table } : {}),
    })),
  };
}
