/** Statements (clause 7.3.3). Recovery: a broken statement ends at its ';' or before the next END_ or opening word. */
import { parseExpression, parsePostfix } from './parse-expression.js';
import type { TokenStream } from './token-stream.js';
import type { CaseLabel, Expression, Statement } from './tree.js';

/** Words that open the next declaration: recovery never runs past them. */
const OPENERS = new Set([
  'PROGRAM',
  'FUNCTION',
  'FUNCTION_BLOCK',
  'TYPE',
  'CONFIGURATION',
  'CLASS',
  'INTERFACE',
  'METHOD',
  'NAMESPACE',
]);
const STARTERS = new Set(['IF', 'CASE', 'FOR', 'WHILE', 'REPEAT', 'RETURN', 'EXIT', 'CONTINUE']);
const MAX_BLOCKS = 150;

function endsList(s: TokenStream, ends: readonly string[]): boolean {
  if (s.atEnd || s.isSign('}')) return true;
  if (s.token.kind !== 'name') return false;
  const w = s.token.text.toUpperCase();
  return ends.includes(w) || w.startsWith('END_') || w === 'ELSE' || w === 'ELSIF' || w === 'UNTIL' || OPENERS.has(w);
}

/** Statements up to (not including) a word that closes the list. */
export function parseStatements(s: TokenStream, stop?: () => boolean): Statement[] {
  const list: Statement[] = [];
  while (!endsList(s, []) && !stop?.()) {
    const before = s.mark;
    const st = parseStatement(s);
    if (st && st.kind !== 'empty') list.push(st);
    if (s.mark === before) s.next();
  }
  return list;
}

function recover(s: TokenStream): void {
  while (
    !s.atEnd &&
    !s.isSign(';') &&
    !s.isSign('}') &&
    !(
      s.token.kind === 'name' &&
      (STARTERS.has(s.token.text.toUpperCase()) ||
        OPENERS.has(s.token.text.toUpperCase()) ||
        s.token.text.toUpperCase().startsWith('END_'))
    )
  )
    s.next();
  s.takeSign(';');
}

function semicolon(s: TokenStream, after: string, errorsBefore: number): void {
  if (s.takeSign(';')) return;
  // In a rung's action the last statement may stand without one.
  if (s.isSign('}') || (s.atEnd && s.source.origin.kind !== 'file' && s.source.origin.kind !== 'pou')) return;
  if (s.problems.list.length === errorsBefore) {
    const next = s.token;
    const onNewLine = s.source.text.slice(s.previousEnd, next.start).includes('\n');
    s.fail("';'", after);
    // Only the sign is missing: the next line is a statement of its own.
    if (onNewLine && next.kind === 'name') return;
  }
  recover(s);
}

export function parseStatement(s: TokenStream): Statement | undefined {
  const start = s.token.start;
  const errors = s.problems.list.length;
  if (s.takeSign(';')) return { kind: 'empty', at: s.from(start) };
  if (s.token.kind === 'name' && STARTERS.has(s.token.text.toUpperCase())) {
    if (s.depth > MAX_BLOCKS) {
      s.problems.error(
        'TOO_DEEP',
        `Statements are nested more than ${MAX_BLOCKS} levels deep; move a part into a function.`,
        s.at(s.token),
      );
      while (!s.atEnd) s.next();
      return undefined;
    }
    s.depth++;
    const st = parseKeyword(s, start, errors);
    s.depth--;
    return st;
  }
  if (s.token.kind !== 'name' && s.token.kind !== 'direct') {
    s.fail('a statement');
    recover(s);
    return undefined;
  }
  const target = parsePostfix(s);
  if (target.kind === 'missing') {
    recover(s);
    return undefined;
  }
  const attempt = s.isSign('?=');
  if (s.takeSign(':=') || s.takeSign('?=')) {
    const value = parseExpression(s);
    const at = s.from(start);
    semicolon(s, 'behind the assignment', errors);
    return { kind: 'assign', target, value, at, ...(attempt ? { attempt } : {}) };
  }
  const at = s.from(start);
  if (target.kind === 'call') {
    semicolon(s, 'behind the call', errors);
    return { kind: 'call', call: target, at };
  }
  if (s.problems.list.length === errors) {
    if (s.isSign('=')) s.problems.error('SYNTAX', "An assignment is written ':='; '=' compares.", s.at(s.token));
    else s.fail("':=' or a call", `behind '${s.source.text.slice(at.start, Math.min(at.end, at.start + 40))}'`);
  }
  recover(s);
  return undefined;
}

function parseKeyword(s: TokenStream, start: number, errors: number): Statement {
  const word = s.next().text.toUpperCase();
  const finish = (end: string, st: (at: Statement['at']) => Statement): Statement => {
    errors = s.problems.list.length;
    if (end) s.expectWord(end, `to close the ${word}`);
    const result = st(s.from(start));
    semicolon(s, `behind ${end || word}`, errors);
    return result;
  };
  switch (word) {
    case 'IF': {
      const branches: { condition: Expression; body: Statement[] }[] = [];
      do {
        const condition = parseExpression(s);
        s.expectWord('THEN', 'behind the condition');
        branches.push({ condition, body: parseStatements(s) });
      } while (s.takeWord('ELSIF'));
      const otherwise = s.takeWord('ELSE') ? parseStatements(s) : undefined;
      return finish('END_IF', (at) => ({ kind: 'if', branches, ...(otherwise ? { otherwise } : {}), at }));
    }
    case 'CASE':
      return parseCase(s, finish);
    case 'FOR': {
      const variable = parsePostfix(s);
      s.expectSign(':=', 'behind the loop variable');
      const from = parseExpression(s);
      s.expectWord('TO', 'behind the first value');
      const to = parseExpression(s);
      const by = s.takeWord('BY') ? parseExpression(s) : undefined;
      s.expectWord('DO', 'behind the last value');
      const body = parseStatements(s);
      return finish('END_FOR', (at) => ({ kind: 'for', variable, from, to, ...(by ? { by } : {}), body, at }));
    }
    case 'WHILE': {
      const condition = parseExpression(s);
      s.expectWord('DO', 'behind the condition');
      const body = parseStatements(s);
      return finish('END_WHILE', (at) => ({ kind: 'while', condition, body, at }));
    }
    case 'REPEAT': {
      const body = parseStatements(s);
      s.expectWord('UNTIL', 'to close the REPEAT');
      const until = parseExpression(s);
      s.takeSign(';');
      return finish('END_REPEAT', (at) => ({ kind: 'repeat', body, until, at }));
    }
    default:
      return finish('', (at) => ({ kind: word.toLowerCase() as 'return', at }));
  }
}

function parseCase(
  s: TokenStream,
  finish: (end: string, st: (at: Statement['at']) => Statement) => Statement,
): Statement {
  const selector = parseExpression(s);
  s.expectWord('OF', 'behind the selector');
  const arms: { labels: CaseLabel[]; body: Statement[] }[] = [];
  while (!endsList(s, [])) {
    const before = s.mark;
    const labels: CaseLabel[] = [];
    do {
      const low = parseExpression(s, 1);
      labels.push(s.takeSign('..') ? { low, high: parseExpression(s, 1) } : { low });
    } while (s.takeSign(','));
    s.expectSign(':', 'behind the label');
    arms.push({ labels, body: parseStatements(s, () => isLabel(s)) });
    if (s.mark === before) s.next();
  }
  const otherwise = s.takeWord('ELSE') ? parseStatements(s) : undefined;
  return finish('END_CASE', (at) => ({ kind: 'case', selector, arms, ...(otherwise ? { otherwise } : {}), at }));
}

/** Whether a CASE label list starts here: tokens up to a ':' that hold nothing a statement would. */
function isLabel(s: TokenStream): boolean {
  for (let ahead = 0; ahead < 400; ahead++) {
    const t = ahead === 0 ? s.token : s.peek(ahead);
    if (t.kind === 'end') return false;
    if (t.kind === 'sign') {
      if (t.text === ':') return ahead > 0;
      if (!['..', ',', '-', '+', '.', '*', '/', '(', ')'].includes(t.text)) return false;
    }
    if (t.kind === 'name' && STARTERS.has(t.text.toUpperCase())) return false;
  }
  return false;
}
