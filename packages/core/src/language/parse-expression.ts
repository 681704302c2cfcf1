/**
 * Expressions by precedence (table 71): parentheses, call, NOT and minus, **, * / MOD, + -, comparison, = <>, AND, XOR,
 * OR.
 */
import { parseDuration } from './lexer.js';
import { RESERVED, type TokenStream } from './token-stream.js';
import type { Argument, BinaryOp, Expression, Name } from './tree.js';

const LEVELS: readonly (readonly [string, BinaryOp][])[] = [
  [['OR', 'OR']],
  [['XOR', 'XOR']],
  [
    ['AND', 'AND'],
    ['&', 'AND'],
  ],
  [
    ['=', '='],
    ['<>', '<>'],
  ],
  [
    ['<', '<'],
    ['>', '>'],
    ['<=', '<='],
    ['>=', '>='],
  ],
  [
    ['+', '+'],
    ['-', '-'],
  ],
  [
    ['*', '*'],
    ['/', '/'],
    ['MOD', 'MOD'],
  ],
];
/** Levels from here up bind tighter than AND: one side of a comparison in a rung. */
export const COMPARISON_LEVEL = 3;
export const SUM_LEVEL = 5;

const MAX_DEPTH = 200;
/** Operators or steps in a row: each makes the tree one level deeper. */
const MAX_CHAIN = 1000;

export function parseExpression(s: TokenStream, level = 0): Expression {
  if (s.depth > MAX_DEPTH) return tooDeep(s);
  s.depth++;
  const e = parseLevel(s, level);
  s.depth--;
  return e;
}

function tooDeep(s: TokenStream): Expression {
  s.problems.error(
    'TOO_DEEP',
    `This is nested more than ${MAX_DEPTH} levels deep; use a variable for a part of it.`,
    s.at(s.token),
  );
  while (!s.atEnd && !s.isSign(';')) s.next();
  return { kind: 'missing', at: s.at(s.token) };
}

function tooLong(s: TokenStream): Expression {
  s.problems.error(
    'TOO_DEEP',
    `This has more than ${MAX_CHAIN} parts in a row; use a variable for a part of it.`,
    s.at(s.token),
  );
  while (!s.atEnd && !s.isSign(';')) s.next();
  return { kind: 'missing', at: s.at(s.token) };
}

function parseLevel(s: TokenStream, level: number): Expression {
  const ops = LEVELS[level];
  if (!ops) return parsePower(s);
  let left = parseLevel(s, level + 1);
  for (let length = 0; ; length++) {
    if (length > MAX_CHAIN) return tooLong(s);
    const t = s.token;
    const op =
      t.kind === 'sign'
        ? ops.find((o) => o[0] === t.text)
        : t.kind === 'name'
          ? ops.find((o) => o[0] === t.text.toUpperCase())
          : undefined;
    if (!op) return left;
    s.next();
    const right = parseLevel(s, level + 1);
    left = { kind: 'binary', op: op[1], left, right, opAt: s.at(t), at: s.from(left.at.start) };
  }
}

function parsePower(s: TokenStream): Expression {
  let left = parseUnary(s);
  for (let length = 0; s.isSign('**'); length++) {
    if (length > MAX_CHAIN) return tooLong(s);
    const t = s.next();
    const right = parseUnary(s);
    left = { kind: 'binary', op: '**', left, right, opAt: s.at(t), at: s.from(left.at.start) };
  }
  return left;
}

function parseUnary(s: TokenStream): Expression {
  const start = s.token.start;
  const op = s.isSign('-') ? '-' : s.isSign('+') ? '+' : s.isWord('NOT') && !isNamedCall(s) ? 'NOT' : undefined;
  if (!op) return parsePostfix(s);
  s.next();
  // `-5` is one literal, so that the lowest value of a type can be written.
  if (op === '-' && (s.token.kind === 'int' || s.token.kind === 'real') && !isUnit(s)) {
    const t = s.next();
    const literal =
      t.kind === 'int'
        ? { type: 'int' as const, value: -(t.value as bigint) }
        : { type: 'real' as const, value: -(t.value as number) };
    return { kind: 'literal', literal, at: s.from(start) };
  }
  if (s.depth > MAX_DEPTH) return tooDeep(s);
  s.depth++;
  const arg = parseUnary(s);
  s.depth--;
  return { kind: 'unary', op, arg, at: s.from(start) };
}

export function parsePostfix(s: TokenStream): Expression {
  let e = parsePrimary(s);
  for (let length = 0; ; length++) {
    if (length > MAX_CHAIN) return tooLong(s);
    if (s.isSign('.')) {
      s.next();
      const t = s.token;
      if (t.kind === 'int') {
        s.next();
        e = { kind: 'part', base: e, size: 'X', index: Number(t.value), at: s.from(e.at.start) };
      } else if (t.kind === 'direct' && /^%[XBWDL]\d+$/.test(t.text)) {
        s.next();
        e = { kind: 'part', base: e, size: t.text[1] as 'X', index: Number(t.text.slice(2)), at: s.from(e.at.start) };
      } else if (t.kind === 'typed' && e.kind !== 'literal') {
        // `Space.Colour#Red`: what stood in front was a namespace.
        const typed = parseTyped(s, s.source.text.slice(e.at.start, e.at.end));
        e = { ...typed, at: s.from(e.at.start) };
      } else if (t.kind === 'name') {
        s.next();
        e = { kind: 'member', base: e, name: { text: t.text, at: s.at(t) }, at: s.from(e.at.start) };
      } else {
        s.fail("a member's name or a bit number", "behind '.'");
        return e;
      }
    } else if (s.isSign('^') && e.kind !== 'literal') {
      s.next();
      e = { kind: 'dereference', base: e, at: s.from(e.at.start) };
    } else if (s.isSign('[')) {
      s.next();
      const indices = [parseExpression(s)];
      while (s.takeSign(',')) indices.push(parseExpression(s));
      s.expectSign(']', 'behind the index');
      e = { kind: 'index', base: e, indices, at: s.from(e.at.start) };
    } else if (
      s.isSign('(') &&
      (e.kind === 'name' || e.kind === 'member' || e.kind === 'index' || e.kind === 'dereference' || e.kind === 'super')
    ) {
      const args = parseArguments(s);
      e = { kind: 'call', callee: e, args, at: s.from(e.at.start) };
    } else return e;
  }
}

/** `(a, b)`, `(IN := a, Q => b)`, `()`. What `other` takes is no argument. */
export function parseArguments(s: TokenStream, other?: () => boolean): Argument[] {
  s.expectSign('(');
  const args: Argument[] = [];
  if (s.takeSign(')')) return args;
  do {
    if (other?.()) continue;
    const negated = s.isWord('NOT') && s.peek().kind === 'name' && s.peek(2).kind === 'sign' && s.peek(2).text === '=>';
    if (negated) s.next();
    const after = s.peek();
    if (s.token.kind === 'name' && after.kind === 'sign' && (after.text === ':=' || after.text === '=>')) {
      const t = s.next();
      s.next();
      args.push({
        name: { text: t.text, at: s.at(t) },
        output: after.text === '=>',
        ...(negated ? { negated } : {}),
        value: parseExpression(s),
      });
    } else args.push({ output: false, value: parseExpression(s) });
  } while (s.takeSign(','));
  s.expectSign(')', 'behind the arguments');
  return args;
}

/** Units people write behind a number, as in `300 ms` (notation.md). */
const PEOPLE_UNITS: Record<string, string> = { ms: 'ms', s: 's', min: 'm', h: 'h', d: 'd', us: 'us', ns: 'ns' };

function isUnit(s: TokenStream): boolean {
  const u = s.peek();
  return (
    (s.isRung || s.source.origin.kind !== 'file') &&
    u.kind === 'name' &&
    u.text.toLowerCase() in PEOPLE_UNITS &&
    (s.token.kind === 'int' || s.token.kind === 'real')
  );
}

/** Operators that are functions too where a value is wanted: `AND(a, b, c)` (tables 30, 33; `NOT(a)` is either). */
const OPERATOR_FUNCTIONS = new Set(['MOD', 'AND', 'OR', 'XOR', 'NOT']);
function isSignAt(s: TokenStream, ahead: number, sign: string): boolean {
  const t = s.peek(ahead);
  return t.kind === 'sign' && t.text === sign;
}
/** `NOT(IN := a)`: with a named input it is a call. */
const isNamedCall = (s: TokenStream): boolean =>
  isSignAt(s, 1, '(') && s.peek(2).kind === 'name' && isSignAt(s, 3, ':=');

function parsePrimary(s: TokenStream): Expression {
  const t = s.token;
  const at = s.at(t);
  switch (t.kind) {
    case 'int':
    case 'real': {
      if (isUnit(s)) {
        s.next();
        const unit = s.next();
        const value = parseDuration(t.text.replaceAll('_', '') + PEOPLE_UNITS[unit.text.toLowerCase()]!);
        if (typeof value === 'string') s.problems.error('SYNTAX', value, s.from(t.start));
        return {
          kind: 'literal',
          literal: { type: 'time', value: typeof value === 'bigint' ? value : 0n, long: false },
          at: s.from(t.start),
        };
      }
      s.next();
      return {
        kind: 'literal',
        literal:
          t.kind === 'int' ? { type: 'int', value: t.value as bigint } : { type: 'real', value: t.value as number },
        at,
      };
    }
    case 'time':
      s.next();
      return { kind: 'literal', literal: { type: 'time', value: t.value as bigint, long: t.text === 'LTIME' }, at };
    case 'date':
      s.next();
      return { kind: 'literal', literal: { type: 'date', kind: t.text, text: t.value as string }, at };
    case 'string':
    case 'wstring':
      s.next();
      return { kind: 'literal', literal: { type: 'string', value: t.value as string, wide: t.kind === 'wstring' }, at };
    case 'direct':
      s.next();
      return { kind: 'direct', address: t.text, at };
    case 'typed':
      return parseTyped(s);
    case 'name': {
      const word = t.text.toUpperCase();
      if (word === 'TRUE' || word === 'FALSE') {
        s.next();
        return { kind: 'literal', literal: { type: 'bool', value: word === 'TRUE' }, at };
      }
      if (word === 'NULL') {
        s.next();
        return { kind: 'null', at };
      }
      if (word === 'THIS' || word === 'SUPER') {
        s.next();
        return { kind: word === 'THIS' ? 'this' : 'super', at };
      }
      if (RESERVED.has(word) && !(OPERATOR_FUNCTIONS.has(word) && isSignAt(s, 1, '('))) break;
      s.next();
      return { kind: 'name', name: t.text, at };
    }
    case 'sign':
      if (t.text === '(') {
        s.next();
        const inner = parseExpression(s);
        s.expectSign(')', 'to close the parenthesis');
        return { ...inner, at: s.from(t.start) };
      }
      break;
    default:
  }
  s.fail('a value');
  return { kind: 'missing', at };
}

function parseTyped(s: TokenStream, space = ''): Expression {
  const t = s.next();
  const prefix: Name = {
    text: space ? `${space}.${t.text}` : t.text,
    at: { source: s.source, start: t.start, end: t.end - 1 },
  };
  const negative = s.isSign('-') && s.takeSign('-');
  const v = s.token;
  if (v.kind === 'int' || v.kind === 'real') {
    s.next();
    const literal =
      v.kind === 'int'
        ? { type: 'int' as const, value: negative ? -(v.value as bigint) : (v.value as bigint) }
        : { type: 'real' as const, value: negative ? -(v.value as number) : (v.value as number) };
    return { kind: 'literal', literal, prefix, at: s.from(t.start) };
  }
  if (v.kind === 'string' || v.kind === 'wstring') {
    s.next();
    return {
      kind: 'literal',
      literal: { type: 'string', value: v.value as string, wide: v.kind === 'wstring' },
      prefix,
      at: s.from(t.start),
    };
  }
  if (v.kind === 'name') {
    s.next();
    const word = v.text.toUpperCase();
    if (word === 'TRUE' || word === 'FALSE')
      return { kind: 'literal', literal: { type: 'bool', value: word === 'TRUE' }, prefix, at: s.from(t.start) };
    return { kind: 'typedName', prefix, name: { text: v.text, at: s.at(v) }, at: s.from(t.start) };
  }
  s.fail('a value', `behind '${t.text}#'`);
  return { kind: 'missing', at: s.from(t.start) };
}
