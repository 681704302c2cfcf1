/**
 * Structured text laid out evenly: lines stay lines and comments stay where they are; indentation follows the blocks,
 * one space stands around operators, keywords are in capitals, the colons of declarations below each other. Formatting
 * twice is formatting once, and the tokens are the same before and after (both held by property tests). A text that
 * cannot be read is laid out as far as its words go.
 */
import { type Token, lex } from './lexer.js';
import { RESERVED } from './token-stream.js';

const STEP = '  ';
const OPENERS = new Set([
  'VAR',
  'VAR_INPUT',
  'VAR_OUTPUT',
  'VAR_IN_OUT',
  'VAR_TEMP',
  'VAR_GLOBAL',
  'VAR_EXTERNAL',
  'VAR_ACCESS',
  'VAR_CONFIG',
  'STRUCT',
  'TYPE',
  'THEN',
  'DO',
  'REPEAT',
  'ELSE',
  'CONFIGURATION',
  'RESOURCE',
  'NAMESPACE',
]);
const HEADERS = new Set([
  'PROGRAM',
  'FUNCTION',
  'FUNCTION_BLOCK',
  'CLASS',
  'INTERFACE',
  'METHOD',
  'CONFIGURATION',
  'RESOURCE',
  'NAMESPACE',
  'VAR',
  'VAR_INPUT',
  'VAR_OUTPUT',
  'VAR_IN_OUT',
  'VAR_TEMP',
  'VAR_GLOBAL',
  'VAR_EXTERNAL',
  'VAR_ACCESS',
  'VAR_CONFIG',
]);
/** Blocks without a step of their own: what stands in them stands as far out as they do. */
const FLAT_ENDS = new Set([
  'END_PROGRAM',
  'END_FUNCTION',
  'END_FUNCTION_BLOCK',
  'END_CLASS',
  'END_INTERFACE',
  'END_METHOD',
]);
const OPERATORS = new Set([':=', '=>', '?=', '=', '<>', '<', '>', '<=', '>=', '+', '-', '*', '/', '**', '&', ':']);

interface Piece {
  readonly text: string;
  readonly start: number;
  readonly end: number;
  readonly isComment: boolean;
  readonly isError?: boolean;
}
interface Line {
  readonly pieces: readonly Piece[];
  readonly blankBefore: boolean;
  indent: number;
  /** In a section of declarations, which one. */ section?: number;
  /** The colon behind a label of a CASE. */ label?: Piece;
}

/** Lays a text out. Never throws. */
export function formatText(text: string): string {
  const lines = linesOf(text);
  indent(lines);
  const written = lines.map((l) => joined(l, text));
  alignColons(lines, written);
  return lines.map((l, i) => `${l.blankBefore && i ? '\n' : ''}${STEP.repeat(l.indent)}${written[i]!}\n`).join('');
}

/**
 * Beside which line before it a line stands, and how many steps further in, as `formatText` would lay both out: the
 * nearest that stands no further in itself. Undefined inside a comment, and where there is none. `line`: what it holds,
 * maybe nothing yet; `at` lies in the line that was found.
 */
export function standsLike(before: string, line: string): { readonly at: number; readonly steps: number } | undefined {
  const open = lex(before).comments.at(-1);
  if (open && open.end >= before.length && /^(\(\*|\/\*)/.test(before.slice(open.start))) {
    const whole = before.slice(open.start);
    if (whole.length < 4 || !/(\*\)|\*\/)$/.test(whole)) return undefined;
  }
  // Something that begins a statement stands for what is to come; behind CASE … OF that is a label.
  const lines = linesOf(`${before}\n${line.trim() || (/\bOF\s*$/i.test(before) ? 'x :' : 'x')}`);
  indent(lines);
  const own = lines.pop(),
    found = own && lines.findLast((l) => l.indent <= own.indent);
  return found && { at: found.pieces[0]!.start, steps: own.indent - found.indent };
}

function linesOf(text: string): Line[] {
  const { tokens, comments } = lex(text);
  const pieces: Piece[] = [
    ...tokens
      .filter((t) => t.kind !== 'end')
      .map((t) => ({
        text: spelled(text, t),
        start: t.start,
        end: t.end,
        isComment: false,
        isError: t.kind === 'error',
      })),
    ...comments.map((c) => ({
      text: text.slice(c.start, c.end).trimEnd(),
      start: c.start,
      end: c.end,
      isComment: true,
    })),
  ].sort((a, b) => a.start - b.start);
  const lines: { pieces: Piece[]; blankBefore: boolean; indent: number }[] = [];
  let end = 0;
  for (const p of pieces) {
    const breaks = text.slice(end, p.start).split('\n').length - 1;
    if (!lines.length || breaks > 0) lines.push({ pieces: [p], blankBefore: breaks > 1, indent: 0 });
    else lines.at(-1)!.pieces.push(p);
    end = p.end;
  }
  return lines;
}

function spelled(text: string, t: Token): string {
  const raw = text.slice(t.start, t.end);
  return t.kind === 'name' && RESERVED.has(raw.toUpperCase()) ? raw.toUpperCase() : raw;
}

function indent(lines: readonly Line[]): void {
  /** Open blocks: an opener's word, or CASE, whose arms stand one step further in than its labels. */
  const stack: string[] = [];
  let round = 0,
    casePending = 0,
    previous = ';',
    sections = 0;
  const comments: Line[] = [];
  const steps = () => stack.reduce((n, w) => n + (w === 'CASE' ? 2 : 1), 0);
  for (const line of lines) {
    const code = line.pieces.filter((p) => !p.isComment).map((p) => p.text);
    if (!code.length) {
      line.indent = steps() + (round ? 1 : 0);
      if (!round) comments.push(line);
      continue;
    }
    const first = code[0]!;
    const isCloser = /^END_/.test(first) || ['UNTIL', 'ELSE', 'ELSIF'].includes(first);
    const isLabel = stack.at(-1) === 'CASE' && labelled(code);
    if (isLabel) line.label = line.pieces.find((p) => p.text === ':' && !p.isComment)!;
    const goesOn = round > 0 || (!isCloser && !isLabel && !HEADERS.has(first) && !ends(previous));
    if (isCloser) close(first, stack);
    line.indent = Math.max(0, steps() - (isLabel ? 1 : 0) + (goesOn && first !== ')' && first !== ']' ? 1 : 0));
    // Comments stand as far in as what they stand above, unless that ends the block they are in.
    if (!isCloser) for (const c of comments) c.indent = line.indent;
    comments.length = 0;
    if (/^(VAR|STRUCT)/.test(stack.at(-1) ?? '') && !goesOn) line.section = sections;
    if (isCloser && first !== 'UNTIL') open(first, stack);
    code.forEach((word, i) => {
      if (word === '(' || word === '[') round++;
      else if (word === ')' || word === ']') round = Math.max(0, round - 1);
      if (i === 0 && isCloser) return;
      if (word === 'CASE') casePending++;
      else if (word === 'OF' && casePending) {
        casePending--;
        stack.push('CASE');
      } else if (/^END_/.test(word) || word === 'UNTIL' || word === 'ELSE' || word === 'ELSIF') {
        close(word, stack);
        open(word, stack);
      } else open(word, stack);
      if (OPENERS.has(word) || /^END_/.test(word)) sections++;
    });
    if (isCloser) sections++;
    // A header has no semicolon; it ends with its line.
    previous = HEADERS.has(first) && round === 0 ? ';' : isLabel && code.at(-1) === ':' ? ';' : code.at(-1)!;
  }
}

function open(word: string, stack: string[]): void {
  if (OPENERS.has(word)) stack.push(word);
}
function close(word: string, stack: string[]): void {
  if (FLAT_ENDS.has(word)) {
    stack.length = 0;
    return;
  }
  // UNTIL ends the statements of the loop; END_REPEAT behind it has nothing left to end.
  if (word === 'END_REPEAT' && stack.at(-1) !== 'REPEAT') return;
  if (word === 'ELSIF' || word === 'ELSE' || word === 'UNTIL' || /^END_/.test(word)) stack.pop();
}

const ends = (word: string): boolean =>
  word === ';' ||
  OPENERS.has(word) ||
  word === 'OF' ||
  word === 'ELSE' ||
  /^END_/.test(word) ||
  word === 'RETAIN' ||
  word === 'CONSTANT' ||
  word === 'NON_RETAIN';

/** `3:` or `A, B..C:` at the beginning of a line. */
function labelled(code: readonly string[]): boolean {
  const at = code.findIndex((w) => w === ':' || w === ':=' || w === ';' || w === '(');
  return code[at] === ':';
}

/** In a section of declarations the colons stand below each other. */
function alignColons(lines: readonly Line[], written: string[]): void {
  const groups = new Map<string, number[]>();
  let group = 0;
  lines.forEach((l, i) => {
    const colon = / : /.exec(written[i]!.replace(/'[^']*'|\(\*.*?\*\)/g, (m) => ' '.repeat(m.length)));
    if (l.section === undefined || !colon || l.pieces[0]!.isComment) {
      group++;
      return;
    }
    const key = `${l.section} ${group}`;
    groups.set(key, [...(groups.get(key) ?? []), i]);
  });
  for (const list of groups.values()) {
    const at = (i: number) => written[i]!.replace(/'[^']*'|\(\*.*?\*\)/g, (m) => ' '.repeat(m.length)).indexOf(' : ');
    const widest = Math.max(...list.map(at));
    for (const i of list) {
      const c = at(i);
      written[i] = written[i]!.slice(0, c) + ' '.repeat(widest - c) + written[i]!.slice(c);
    }
  }
}

function joined({ pieces, label }: Line, text: string): string {
  // What is no word stays as it stands, with what it stands beside.
  if (pieces.some((p) => p.isError))
    return text.slice(pieces[0]!.start, Math.max(...pieces.map((p) => p.end))).trimEnd();
  let s = '';
  pieces.forEach((p, i) => {
    s += i && p !== label && spaced(pieces, i) ? ` ${p.text}` : p.text;
  });
  return s;
}

function spaced(line: readonly Piece[], i: number): boolean {
  const a = line[i - 1]!,
    b = line[i]!;
  if (a.isComment || b.isComment) return true;
  // What stood together as one word with signs (`2..5`, `a.b`, `T^`) goes on doing so.
  if (['(', '[', '.', '..', '@'].includes(a.text) || [')', ']', ',', ';', '.', '..', '^', '@'].includes(b.text))
    return false;
  if (b.text === '(') return OPERATORS.has(a.text) || a.text === ',' || wordOperator(a.text);
  if (b.text === '[') return wordOperator(a.text) || OPERATORS.has(a.text);
  if ((a.text === '-' || a.text === '+') && isSign(line, i - 1)) return false;
  return true;
}
const wordOperator = (w: string): boolean =>
  RESERVED.has(w) && !['TRUE', 'FALSE', 'THIS', 'SUPER', 'NULL', 'ARRAY'].includes(w);
const isSign = (line: readonly Piece[], i: number): boolean => {
  const before = line[i - 1];
  return (
    !before ||
    before.isComment ||
    ['(', '[', ',', '..'].includes(before.text) ||
    OPERATORS.has(before.text) ||
    wordOperator(before.text)
  );
};
