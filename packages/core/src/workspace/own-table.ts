/**
 * The own variables of a ladder as rows of a table. They are kept as the text the standard writes (6.5, `VAR …
 * END_VAR`); every change is made in that text, so what a row does not show (comments, order, spaces) stays as it is.
 */
import { lex } from '../language/lexer.js';

export const OWN_SECTIONS = ['VAR', 'VAR_INPUT', 'VAR_OUTPUT', 'VAR_IN_OUT', 'VAR_TEMP', 'VAR_EXTERNAL'] as const;
export type OwnSection = (typeof OWN_SECTIONS)[number];

export interface OwnRow {
  readonly section: OwnSection;
  readonly keeps?: 'RETAIN' | 'CONSTANT';
  readonly name: string;
  readonly type: string;
  readonly initial?: string;
  readonly description?: string;
  /** Where its name stands in the text. */ readonly at: number;
}
export type OwnChange = Partial<Record<'type' | 'initial' | 'description', string>> & {
  readonly section?: OwnSection;
  /** An empty text: neither. */ readonly keeps?: 'RETAIN' | 'CONSTANT' | '';
};

interface Span {
  readonly start: number;
  readonly end: number;
}
interface Declared {
  readonly section: number;
  readonly names: readonly Span[];
  readonly type: Span;
  readonly initial?: Span;
  /** Behind the last character of the type or value, where another part would begin. */ readonly head: number;
  readonly semicolon: Span;
  readonly comment?: Span;
}
interface Section extends Span {
  readonly kind: OwnSection;
  readonly keeps?: 'RETAIN' | 'CONSTANT';
  /** Where END_VAR begins. */ readonly close: number;
}

interface Taken {
  readonly sections: readonly Section[];
  readonly declared: readonly Declared[];
}

/**
 * Takes the text apart; undefined where there is something that no row can show (addresses, access words, what is
 * unfinished).
 */
function take(text: string): Taken | undefined {
  const { tokens, comments } = lex(text),
    raw = (i: number) => (tokens[i] ? text.slice(tokens[i].start, tokens[i].end) : ''),
    word = (i: number) => raw(i).toUpperCase();
  const sections: Section[] = [],
    declared: Declared[] = [];
  let i = 0;
  while (raw(i) !== '') {
    const kind = OWN_SECTIONS.find((s) => s === word(i));
    if (!kind) return undefined;
    const { start } = tokens[i]!;
    let keeps: Section['keeps'];
    for (i++; ['RETAIN', 'CONSTANT', 'NON_RETAIN'].includes(word(i)); i++)
      if (word(i) !== 'NON_RETAIN') keeps = word(i) as 'RETAIN';
    while (word(i) !== 'END_VAR') {
      const names: Span[] = [];
      for (;;) {
        if (tokens[i]?.kind !== 'name') return undefined;
        names.push({ start: tokens[i]!.start, end: tokens[i]!.end });
        i++;
        if (raw(i) !== ',') break;
        i++;
      }
      if (raw(i) !== ':') return undefined;
      const first = ++i;
      let assign = -1,
        depth = 0;
      for (; raw(i) !== '' && (depth > 0 || raw(i) !== ';'); i++) {
        if (raw(i) === '(' || raw(i) === '[') depth++;
        if (raw(i) === ')' || raw(i) === ']') depth--;
        if (depth === 0 && raw(i) === ':=' && assign < 0) assign = i;
        if (['END_VAR', 'STRUCT'].includes(word(i))) return undefined;
      }
      const typeEnd = (assign < 0 ? i : assign) - 1;
      if (raw(i) !== ';' || typeEnd < first || (assign >= 0 && assign + 1 > i - 1)) return undefined;
      const semicolon = { start: tokens[i]!.start, end: tokens[i]!.end };
      i++;
      const line = text.indexOf('\n', semicolon.end),
        comment = comments.find(
          (c) => c.start >= semicolon.end && (line < 0 || c.start < line) && c.start < (tokens[i]?.start ?? Infinity),
        );
      declared.push({
        section: sections.length,
        names,
        type: { start: tokens[first]!.start, end: tokens[typeEnd]!.end },
        ...(assign < 0 ? {} : { initial: { start: tokens[assign + 1]!.start, end: tokens[i - 2]!.end } }),
        head: tokens[i - 2]!.end,
        semicolon,
        ...(comment ? { comment } : {}),
      });
    }
    sections.push({ kind, ...(keeps ? { keeps } : {}), start, close: tokens[i]!.start, end: tokens[i]!.end });
    i++;
    if (raw(i) === ';') i++;
  }
  return { sections, declared };
}

const commentText = (c: string): string => c.replace(/^\(\*|\*\)$|^\/\/|^\/\*|\*\/$/g, '').trim();

/** The rows of a text; undefined where it holds what no row can show, and is edited as text. */
export function readOwn(text: string): readonly OwnRow[] | undefined {
  const taken = take(text);
  return taken?.declared.flatMap((d) => {
    const s = taken.sections[d.section]!;
    return d.names.map((n): OwnRow => ({
      section: s.kind,
      ...(s.keeps ? { keeps: s.keeps } : {}),
      name: text.slice(n.start, n.end),
      type: text.slice(d.type.start, d.type.end),
      ...(d.initial ? { initial: text.slice(d.initial.start, d.initial.end) } : {}),
      ...(d.comment ? { description: commentText(text.slice(d.comment.start, d.comment.end)) } : {}),
      at: n.start,
    }));
  });
}

/** The declaration that a row stands in, as one of its own: `a, b : INT;` is two lines then. */
function alone(
  text: string,
  row: number,
): { readonly text: string; readonly taken: Taken; readonly index: number } | undefined {
  const taken = take(text);
  let left = row;
  const at = taken?.declared.findIndex((d) => (left < d.names.length ? true : ((left -= d.names.length), false))) ?? -1;
  const d = taken?.declared[at];
  if (!taken || !d) return undefined;
  if (d.names.length === 1) return { text, taken, index: at };
  const rest = text.slice(d.names.at(-1)!.end, d.comment?.end ?? d.semicolon.end),
    indent = /(?:^|\n)([ \t]*)[^\n]*$/.exec(text.slice(0, d.names[0]!.start))![1]!;
  const lines = d.names.map((n) => text.slice(n.start, n.end) + rest).join(`\n${indent}`);
  const next = text.slice(0, d.names[0]!.start) + lines + text.slice(d.comment?.end ?? d.semicolon.end);
  return { text: next, taken: take(next)!, index: at + left };
}

const splice = (text: string, s: Span, by: string): string => text.slice(0, s.start) + by + text.slice(s.end);
const line = (r: Pick<OwnRow, 'name' | 'type' | 'initial' | 'description'>): string =>
  `${r.name} : ${r.type}${r.initial ? ` := ${r.initial}` : ''};${r.description ? ` (* ${r.description.replaceAll('*)', '* )')} *)` : ''}`;

/**
 * What a variable of a section can be besides (6.5.1): what is not there from call to call keeps nothing, what is
 * written is no constant.
 */
export const mayKeep = (section: OwnSection): readonly ('RETAIN' | 'CONSTANT')[] =>
  section === 'VAR' || section === 'VAR_INPUT' ? ['RETAIN', 'CONSTANT'] : section === 'VAR_OUTPUT' ? ['RETAIN'] : [];

/**
 * Whether a changed text still declares what `before` did, with nothing more: a cell such as `INT; x : BOOL` would not.
 */
export function isSameRows(before: string, after: string): boolean {
  const names = (text: string) =>
    readOwn(text)
      ?.map((r) => r.name)
      .sort()
      .join();
  return names(before) === names(after);
}

/** The text with a row changed. The text stays as it is where there is no such row. */
export function changeOwn(text: string, row: number, to: OwnChange): string {
  const rows = readOwn(text),
    old = rows?.[row];
  if (!old) return text;
  if (
    (to.section !== undefined && to.section !== old.section) ||
    (to.keeps !== undefined && to.keeps !== (old.keeps ?? ''))
  ) {
    const { section = old.section, keeps = old.keeps ?? '' } = to;
    return addOwn(removeOwn(text, row), {
      ...old,
      ...(to as Partial<OwnRow>),
      keeps: keeps && mayKeep(section).includes(keeps) ? keeps : undefined,
    } as OwnRow);
  }
  const a = alone(text, row);
  if (!a) return text;
  const d = a.taken.declared[a.index]!;
  let next = a.text;
  // From the back to the front, so that places in front stay.
  if (to.description !== undefined) {
    const comment = to.description ? ` (* ${to.description.replaceAll('*)', '* )')} *)` : '';
    next = d.comment
      ? splice(next, { start: d.semicolon.end, end: d.comment.end }, comment)
      : splice(next, { start: d.semicolon.end, end: d.semicolon.end }, comment);
  }
  if (to.initial !== undefined)
    next = splice(next, { start: d.type.end, end: d.head }, to.initial ? ` := ${to.initial}` : '');
  if (to.type) next = splice(next, d.type, to.type);
  return next;
}

/** The text with one more variable, behind the others of its section; a section is made where there is none. */
export function addOwn(text: string, row: Omit<OwnRow, 'at'>): string {
  const taken = take(text);
  if (!taken) return text;
  const s = taken.sections.findLast((x) => x.kind === row.section && x.keeps === row.keeps);
  if (!s) {
    const before = text.trimEnd();
    return `${before}${before ? '\n' : ''}${row.section}${row.keeps ? ` ${row.keeps}` : ''}\n  ${line(row)}\nEND_VAR\n`;
  }
  const before = text.slice(0, s.close).trimEnd();
  return `${before}\n  ${line(row)}\n${text.slice(s.close)}`;
}

/** The text without a row; an empty section stays. */
export function removeOwn(text: string, row: number): string {
  const a = alone(text, row);
  if (!a) return text;
  const d = a.taken.declared[a.index]!,
    end = d.comment?.end ?? d.semicolon.end;
  let from = d.names[0]!.start;
  while (/[ \t]/.test(a.text[from - 1] ?? '')) from--;
  // A line of its own goes as a whole.
  const isLine = a.text[from - 1] === '\n' && /^[ \t]*(\n|$)/.test(a.text.slice(end));
  return a.text.slice(0, isLine ? from - 1 : from) + a.text.slice(end);
}

/**
 * The text with a row and its neighbour in the same section in each other's place: the order of pins is how a block is
 * called.
 */
export function moveOwn(text: string, row: number, by: -1 | 1): string {
  const rows = readOwn(text);
  if (!rows?.[row] || rows[row + by]?.section !== rows[row].section || rows[row + by]?.keeps !== rows[row].keeps)
    return text;
  // Both on lines of their own, the later one first.
  const apart = alone(alone(text, Math.max(row, row + by))?.text ?? text, Math.min(row, row + by));
  const later = apart && alone(apart.text, Math.max(row, row + by));
  if (!later) return text;
  const spanOf = (d: Declared): Span => ({ start: d.names[0]!.start, end: d.comment?.end ?? d.semicolon.end });
  const [a, b] = [spanOf(later.taken.declared[later.index - 1]!), spanOf(later.taken.declared[later.index]!)];
  if (later.taken.declared[later.index - 1]!.section !== later.taken.declared[later.index]!.section) return text;
  const { text: t } = later,
    between = t.slice(a.end, b.start);
  // What comes in front may end in a comment up to the end of its line.
  return (
    t.slice(0, a.start) +
    t.slice(b.start, b.end) +
    (between.includes('\n') ? between : '\n  ') +
    t.slice(a.start, a.end) +
    t.slice(b.end)
  );
}
