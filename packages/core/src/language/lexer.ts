/**
 * Text to tokens: IEC 61131-3 (third edition), clause 6.1 and 6.3 (tables 1 to 9), plus the few signs
 * the rung line adds (`->`, `!`, `|`). One pass, never throws; what it cannot read becomes an `error`
 * token with a message, and the parser goes on behind it.
 */
export type TokenKind =
  | 'name'
  | 'int'
  | 'real'
  | 'time'
  | 'string'
  | 'wstring'
  | 'typed'
  | 'date'
  | 'direct'
  | 'sign'
  | 'pragma'
  | 'error'
  | 'end';

export interface Token {
  readonly kind: TokenKind;
  readonly start: number;
  readonly end: number;
  /** Text as written, except: a name or sign in upper case, for comparing without case. */
  readonly text: string;
  /** int: its value; real: a number; time: nanoseconds; error: unused. */
  readonly value?: bigint | number | string;
  readonly message?: string;
}

export interface Comment {
  readonly start: number;
  readonly end: number;
}
export interface Lexed {
  readonly tokens: Token[];
  readonly comments: Comment[];
}

const SIGNS = [
  '**',
  ':=',
  '=>',
  '<=',
  '>=',
  '<>',
  '..',
  '->',
  '?=',
  '(',
  ')',
  '[',
  ']',
  ',',
  ';',
  ':',
  '.',
  '+',
  '-',
  '*',
  '/',
  '<',
  '>',
  '=',
  '&',
  '|',
  '!',
  '^',
  '@',
  '{',
  '}',
];
const SIGNS_BY_FIRST = new Map<string, string[]>();
for (const s of SIGNS)
  SIGNS_BY_FIRST.set(
    s[0]!,
    [...(SIGNS_BY_FIRST.get(s[0]!) ?? []), s].sort((a, b) => b.length - a.length),
  );

const isDigit = (c: number) => c >= 48 && c <= 57;
const isNameStart = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || c > 0xbf;
const isNamePart = (c: number) => isNameStart(c) || isDigit(c);

const TIME_PREFIXES = new Set(['T', 'TIME', 'LT', 'LTIME']);
const DATE_PREFIXES = new Map([
  ['D', 'DATE'],
  ['DATE', 'DATE'],
  ['LD', 'LDATE'],
  ['LDATE', 'LDATE'],
  ['TOD', 'TOD'],
  ['TIME_OF_DAY', 'TOD'],
  ['LTOD', 'LTOD'],
  ['LTIME_OF_DAY', 'LTOD'],
  ['DT', 'DT'],
  ['DATE_AND_TIME', 'DT'],
  ['LDT', 'LDT'],
  ['LDATE_AND_TIME', 'LDT'],
]);

export interface LexOptions {
  /** In a rung line braces hold an action; elsewhere they hold a pragma. */
  readonly rung?: boolean;
}

/** Cuts `text` into tokens; the last one is `end`. */
export function lex(text: string, options: LexOptions = {}): Lexed {
  const tokens: Token[] = [];
  const comments: Comment[] = [];
  const n = text.length;
  let i = text.charCodeAt(0) === 0xfeff ? 1 : 0;
  const error = (start: number, end: number, message: string) =>
    tokens.push({ kind: 'error', start, end, text: text.slice(start, end), message });

  while (i < n) {
    const c = text.charCodeAt(i);
    if (c === 32 || c === 9 || c === 10 || c === 13 || c === 12 || c === 0xa0) {
      i++;
      continue;
    }
    const start = i;
    const two = text.substr(i, 2);
    if (two === '//') {
      while (i < n && text.charCodeAt(i) !== 10 && text.charCodeAt(i) !== 13) i++;
      comments.push({ start, end: i });
      continue;
    }
    if (two === '(*' || two === '/*') {
      i = skipComment(text, i, two === '(*' ? '(*' : '/*', two === '(*' ? '*)' : '*/');
      if (i < 0) {
        error(start, start + 2, `This comment is never closed; put ${two === '(*' ? "'*)'" : "'*/'"} behind it.`);
        i = n;
      }
      comments.push({ start, end: i });
      continue;
    }
    if (c === 123 && !options.rung) {
      const end = text.indexOf('}', i);
      if (end < 0) {
        error(start, start + 1, "This pragma is never closed; put '}' behind it.");
        i = n;
        continue;
      }
      i = end + 1;
      comments.push({ start, end: i });
      continue;
    }
    if (isNameStart(c)) {
      i++;
      while (i < n && isNamePart(text.charCodeAt(i))) i++;
      const word = text.slice(start, i);
      if (text[i] === '#') {
        const upper = word.toUpperCase();
        if (TIME_PREFIXES.has(upper)) {
          i = lexTime(text, start, i + 1, upper, tokens, error);
          continue;
        }
        const dateType = DATE_PREFIXES.get(upper);
        if (dateType) {
          i = lexDate(text, start, i + 1, dateType, tokens, error);
          continue;
        }
        i++;
        tokens.push({ kind: 'typed', start, end: i, text: word });
        continue;
      }
      tokens.push({ kind: 'name', start, end: i, text: word });
      continue;
    }
    if (isDigit(c)) {
      i = lexNumber(text, i, tokens, error);
      continue;
    }
    if (c === 37) {
      const m = /^%([IQM])([XBWDL]?)(\*|\d+(?:\.\d+)*)/i.exec(text.slice(i, i + 40));
      const part = /^%([XBWDL])(\d+(?:\.[0-7](?!\d))?)/i.exec(text.slice(i, i + 12));
      if (m) {
        i += m[0].length;
        tokens.push({ kind: 'direct', start, end: i, text: m[0].toUpperCase() });
        continue;
      }
      if (part) {
        i += part[0].length;
        tokens.push({ kind: 'direct', start, end: i, text: part[0].toUpperCase() });
        continue;
      }
      i++;
      while (i < n && (isNamePart(text.charCodeAt(i)) || text[i] === '.')) i++;
      error(start, i, `'${text.slice(start, i)}' is not an address; write for example %IX0.0, %QW2 or %MD4.`);
      continue;
    }
    if (c === 39 || c === 34) {
      i = lexString(text, i, tokens, error);
      continue;
    }
    const sign = SIGNS_BY_FIRST.get(text[i]!)?.find((s) => text.startsWith(s, i));
    if (sign) {
      i += sign.length;
      tokens.push({ kind: 'sign', start, end: i, text: sign });
      continue;
    }
    i += c >= 0xd800 && c < 0xdc00 ? 2 : 1;
    error(start, i, `The sign '${text.slice(start, i)}' has no meaning here.`);
  }
  tokens.push({ kind: 'end', start: n, end: n, text: '' });
  return { tokens, comments };
}

/** Comments nest (table 3, ed. 3). Returns the offset behind the comment, or -1 when it is never closed. */
function skipComment(text: string, from: number, open: string, close: string): number {
  let depth = 0;
  let i = from;
  while (i < text.length) {
    if (text.startsWith(open, i)) {
      depth++;
      i += 2;
    } else if (text.startsWith(close, i)) {
      i += 2;
      if (--depth === 0) return i;
    } else i++;
  }
  return -1;
}

type ErrorAt = (start: number, end: number, message: string) => void;

function lexNumber(text: string, start: number, tokens: Token[], error: ErrorAt): number {
  const based = /^(\d[\d_]*)#(-?[0-9A-Za-z_]+)/.exec(text.slice(start, start + 160));
  if (based) {
    const end = start + based[0].length;
    const radix = Number(based[1]!.replaceAll('_', ''));
    const value = parseRadix(based[2]!.replaceAll('_', ''), radix);
    if (value === undefined)
      error(start, end, `'${based[0]}' is not a number to the base ${radix}; bases are 2, 8, 10 and 16.`);
    else tokens.push({ kind: 'int', start, end, text: based[0], value });
    return end;
  }
  let i = start;
  const digits = () => {
    while (i < text.length && (isDigit(text.charCodeAt(i)) || text[i] === '_')) i++;
  };
  digits();
  let real = false;
  if (text[i] === '.' && isDigit(text.charCodeAt(i + 1))) {
    real = true;
    i++;
    digits();
  }
  const exponent = /^[eE][+-]?\d+/.exec(text.slice(i, i + 40));
  if (exponent) {
    real = true;
    i += exponent[0].length;
  }
  const word = text.slice(start, i);
  const clean = word.replaceAll('_', '');
  if (word.endsWith('_') || word.includes('__')) error(start, i, `'${word}': an underscore stands between two digits.`);
  else
    tokens.push(
      real
        ? { kind: 'real', start, end: i, text: word, value: finite(Number(clean), start, i, word, error) }
        : { kind: 'int', start, end: i, text: word, value: BigInt(clean) },
    );
  return i;
}

/** A real literal is a number (choices.md); one past the largest LREAL would be infinite. */
function finite(value: number, start: number, end: number, word: string, error: ErrorAt): number {
  if (Number.isFinite(value)) return value;
  error(start, end, `'${word}' is out of range; the largest LREAL is about 1.8E308.`);
  return 0;
}

function parseRadix(digits: string, radix: number): bigint | undefined {
  if (![2, 8, 10, 16].includes(radix)) return undefined;
  let value = 0n;
  for (const d of digits) {
    const v = parseInt(d, 36);
    if (!(v < radix)) return undefined;
    value = value * BigInt(radix) + BigInt(v);
  }
  return digits.length ? value : undefined;
}

const UNIT_NS: Record<string, bigint> = {
  d: 86_400_000_000_000n,
  h: 3_600_000_000_000n,
  m: 60_000_000_000n,
  s: 1_000_000_000n,
  ms: 1_000_000n,
  us: 1_000n,
  ns: 1n,
};

/**
 * A duration such as `1d_2h3.5s` (without its prefix) in nanoseconds, or a message what is wrong.
 * Table 8: units in falling order, only the last may have a fraction, the first may overflow.
 */
export function parseDuration(body: string): bigint | string {
  const negative = body.startsWith('-');
  let rest = body.slice(negative || body.startsWith('+') ? 1 : 0);
  let total = 0n;
  let last = 1n << 62n;
  while (rest) {
    const m = /^(\d[\d_]*)(?:\.(\d[\d_]*))?(ms|us|ns|d|h|m|s)_?/i.exec(rest);
    if (!m) return `'${rest}' is not a duration; write for example 1h30m, 1.5s or 300ms.`;
    const unit = UNIT_NS[m[3]!.toLowerCase()]!;
    if (unit >= last) return `the unit '${m[3]}' comes too late; units go from d to ns.`;
    last = unit;
    rest = rest.slice(m[0].length);
    const fraction = m[2]?.replaceAll('_', '');
    if (fraction !== undefined && rest) return 'only the last unit may have a fraction.';
    total += BigInt(m[1]!.replaceAll('_', '')) * unit;
    if (fraction) total += (BigInt(fraction) * unit) / 10n ** BigInt(fraction.length);
  }
  const value = negative ? -total : total;
  return value === BigInt.asIntN(64, value)
    ? value
    : `it is too long; a duration is at most ${LONGEST_DAYS} days (64 bits of nanoseconds).`;
}
const LONGEST_DAYS = '106751';

function lexTime(text: string, start: number, from: number, prefix: string, tokens: Token[], error: ErrorAt): number {
  const m = /^[+-]?[0-9][0-9A-Za-z_.]*/.exec(text.slice(from, from + 80));
  let body = m?.[0] ?? '';
  // `T#1s..T#2s`: the range dots are not part of the literal.
  const dots = body.indexOf('..');
  if (dots >= 0) body = body.slice(0, dots);
  body = body.replace(/\.$/, '');
  const end = from + body.length;
  const value = body ? parseDuration(body) : `write a duration behind '${prefix}#', for example ${prefix}#300ms.`;
  if (typeof value === 'string')
    error(start, Math.max(end, from), `${text.slice(start, Math.max(end, from))}: ${value}`);
  else tokens.push({ kind: 'time', start, end, text: prefix.startsWith('L') ? 'LTIME' : 'TIME', value });
  return Math.max(end, from);
}

function lexDate(text: string, start: number, from: number, type: string, tokens: Token[], error: ErrorAt): number {
  // The colon behind a CASE label and the dots of a range are no part of it.
  const m = /^[0-9][0-9:.-]*?(?=\.\.|[:.-]*(?:[^0-9:.-]|$))/.exec(text.slice(from, from + 60));
  const end = from + (m?.[0].length ?? 0);
  if (!m) error(start, from, `Write a ${type} behind '${text.slice(start, from)}', for example D#2026-01-31.`);
  else tokens.push({ kind: 'date', start, end, text: type, value: m[0] });
  return Math.max(end, from);
}

/** Characters of a literal (choices.md), as many as a STRING can have. */
const TEXT_LITERAL_MAX = 32_767;
const ESCAPES: Record<string, string> = { $: '$', "'": "'", '"': '"', L: '\n', N: '\n', P: '\f', R: '\r', T: '\t' };

function lexString(text: string, start: number, tokens: Token[], error: ErrorAt): number {
  const quote = text[start]!;
  const width = quote === '"' ? 4 : 2;
  let value = '';
  let i = start + 1;
  while (i < text.length && text[i] !== quote && text[i] !== '\n' && text[i] !== '\r') {
    if (text[i] !== '$') {
      const code = text.codePointAt(i)!,
        sign = String.fromCodePoint(code);
      if (quote === "'" && code > 0xff)
        error(
          i,
          i + sign.length,
          `'${sign}' does not fit into a STRING, whose characters have 8 bits; write a WSTRING in double quotes: "${sign}".`,
        );
      value += sign;
      i += sign.length;
      continue;
    }
    const hex = new RegExp(`^\\$([0-9A-Fa-f]{${width}})`).exec(text.slice(i, i + width + 1));
    const escape = ESCAPES[(text[i + 1] ?? '').toUpperCase()];
    if (hex) {
      value += String.fromCharCode(parseInt(hex[1]!, 16));
      i += width + 1;
    } else if (escape !== undefined) {
      value += escape;
      i += 2;
    } else {
      error(i, i + 2, `'${text.slice(i, i + 2)}' is not an escape; a dollar sign itself is written '$$'.`);
      i += 1;
    }
  }
  if (text[i] !== quote) {
    error(start, i, `This string is never closed; put ${quote} behind it.`);
    return i;
  }
  if (value.length > TEXT_LITERAL_MAX)
    error(
      start,
      i + 1,
      `This literal has ${value.length} characters; a string literal has at most ${TEXT_LITERAL_MAX}.`,
    );
  tokens.push({ kind: quote === '"' ? 'wstring' : 'string', start, end: i + 1, text: text.slice(start, i + 1), value });
  return i + 1;
}
