/** Declarations: types (6.4), variables (6.5), program organization units (6.6), configuration (6.8). */
import { parseExpression } from './parse-expression.js';
import { parseStatements } from './parse-statement.js';
import type { TokenStream } from './token-stream.js';
import type { Configuration, Declaration, Expression, Initial, InstanceDecl, Name, Pou, Section, TaskDecl, TypeDecl, TypeSpec, VariableBlock, VariableDecl } from './tree.js';

const SECTIONS = new Set(['VAR', 'VAR_INPUT', 'VAR_OUTPUT', 'VAR_IN_OUT', 'VAR_TEMP', 'VAR_GLOBAL', 'VAR_EXTERNAL']);
const MAX_TYPE_DEPTH = 100;
const isSection = (s: TokenStream) => s.token.kind === 'name' && SECTIONS.has(s.token.text.toUpperCase());

export function parseDeclarations(s: TokenStream): Declaration[] {
  const list: Declaration[] = [];
  while (!s.atEnd) {
    const before = s.mark;
    const word = s.token.kind === 'name' ? s.token.text.toUpperCase() : '';
    if (word === 'PROGRAM' || word === 'FUNCTION' || word === 'FUNCTION_BLOCK') list.push(parsePou(s, word));
    else if (word === 'TYPE') list.push(...parseTypes(s));
    else if (word === 'VAR_GLOBAL') list.push({ kind: 'globals', block: parseVariables(s) });
    else if (word === 'CONFIGURATION') list.push(parseConfiguration(s));
    else if (!s.takeSign(';')) {
      s.fail('PROGRAM, FUNCTION, FUNCTION_BLOCK, TYPE, VAR_GLOBAL or CONFIGURATION');
      while (!s.atEnd && !s.isWord('PROGRAM', 'FUNCTION', 'FUNCTION_BLOCK', 'TYPE', 'VAR_GLOBAL', 'CONFIGURATION')) s.next();
    }
    if (s.mark === before) s.next();
  }
  return list;
}

function parsePou(s: TokenStream, word: Pou['pou']): Pou {
  const start = s.token.start;
  s.next();
  const name = s.name(`the name of the ${word}`);
  const result = s.takeSign(':') ? parseTypeSpec(s) : undefined;
  if (word === 'FUNCTION_BLOCK') s.takeSign(';');
  const blocks: VariableBlock[] = [];
  while (isSection(s)) blocks.push(parseVariables(s));
  const body = parseStatements(s);
  while (!s.atEnd && !s.isWord(`END_${word}`) && !s.isWord('PROGRAM', 'FUNCTION', 'FUNCTION_BLOCK', 'TYPE', 'CONFIGURATION')) {
    s.fail(`a statement or END_${word}`);
    s.next();
    body.push(...parseStatements(s));
  }
  s.expectWord(`END_${word}`, `to close ${word} ${name.text}`);
  return { kind: 'pou', pou: word, name, ...(result ? { result } : {}), blocks, body, at: s.from(start) };
}

export function parseVariables(s: TokenStream): VariableBlock {
  const section = s.next().text.toUpperCase() as Section;
  let constant = false;
  let retain = false;
  for (;;) {
    if (s.takeWord('CONSTANT')) constant = true;
    else if (s.takeWord('RETAIN')) retain = true;
    else if (!s.takeWord('NON_RETAIN', 'PUBLIC', 'PRIVATE', 'PROTECTED', 'INTERNAL')) break;
  }
  const variables: VariableDecl[] = [];
  while (!s.atEnd && !s.isWord('END_VAR')) {
    const before = s.mark;
    if (s.token.kind === 'name' && (isSection(s) || s.token.text.toUpperCase().startsWith('END_'))) break;
    variables.push(parseVariable(s));
    if (s.mark === before) s.next();
  }
  s.expectWord('END_VAR', `to close ${section}`);
  s.takeSign(';');
  return { section, constant, retain, variables };
}

/** `a, b AT %IX0.0 : BOOL := TRUE;` */
export function parseVariable(s: TokenStream): VariableDecl {
  const errors = s.problems.list.length;
  const names: Name[] = [];
  do names.push(s.name('the name of a variable')); while (s.takeSign(','));
  let address: VariableDecl['address'];
  if (s.takeWord('AT')) {
    if (s.token.kind === 'direct') { const t = s.next(); address = { text: t.text, at: s.at(t) }; }
    else s.fail('an address such as %IX0.0', 'behind AT');
  }
  const type: TypeSpec = s.expectSign(':', 'behind the name') ? parseTypeSpec(s) : { kind: 'named', name: { text: '', at: s.at(s.token) }, at: s.at(s.token) };
  const edge = s.takeWord('R_EDGE') ? ('rising' as const) : s.takeWord('F_EDGE') ? ('falling' as const) : undefined;
  const initial = s.takeSign(':=') ? parseInitial(s) : undefined;
  if (!s.takeSign(';')) {
    if (s.problems.list.length === errors) s.fail("';'", 'behind the declaration');
    while (!s.atEnd && !s.isSign(';') && !s.isWord('END_VAR', 'END_STRUCT')) s.next();
    s.takeSign(';');
  }
  return { names: names.filter((n) => n.text), ...(address ? { address } : {}), type, ...(initial ? { initial } : {}), ...(edge ? { edge } : {}) };
}

export function parseTypeSpec(s: TokenStream): TypeSpec {
  if (s.depth > MAX_TYPE_DEPTH) {
    s.problems.error('TOO_DEEP', `Types are nested more than ${MAX_TYPE_DEPTH} levels deep; give a part of it a name of its own.`, s.at(s.token));
    while (!s.atEnd && !s.isSign(';')) s.next();
    return { kind: 'named', name: { text: '', at: s.at(s.token) }, at: s.at(s.token) };
  }
  s.depth++;
  const spec = typeSpec(s);
  s.depth--;
  return spec;
}

function typeSpec(s: TokenStream): TypeSpec {
  const start = s.token.start;
  if (s.takeWord('ARRAY')) {
    s.expectSign('[', 'behind ARRAY');
    const ranges: { low: Expression; high: Expression }[] = [];
    do {
      const low = parseExpression(s, 5);
      s.expectSign('..', 'between the bounds');
      ranges.push({ low, high: parseExpression(s, 5) });
    } while (s.takeSign(','));
    s.expectSign(']', 'behind the bounds');
    s.expectWord('OF', 'before the element type');
    const element = parseTypeSpec(s);
    return { kind: 'array', ranges, element, at: s.from(start) };
  }
  if (s.takeWord('STRUCT')) {
    s.takeWord('OVERLAP');
    const members: VariableDecl[] = [];
    while (!s.atEnd && !s.isWord('END_STRUCT') && !s.isWord('END_TYPE', 'END_VAR')) {
      const before = s.mark;
      members.push(parseVariable(s));
      if (s.mark === before) s.next();
    }
    s.expectWord('END_STRUCT', 'to close STRUCT');
    return { kind: 'struct', members, at: s.from(start) };
  }
  if (s.isSign('(')) return parseEnum(s, start, undefined);
  if (s.takeWord('REF_TO')) return { kind: 'ref', target: parseTypeSpec(s), at: s.from(start) };
  if (s.isWord('STRING', 'WSTRING')) {
    const wide = s.next().text.toUpperCase() === 'WSTRING';
    const bracket = s.isSign('[') ? ']' : s.isSign('(') ? ')' : undefined;
    if (!bracket) return { kind: 'string', wide, at: s.from(start) };
    s.next();
    const length = parseExpression(s);
    s.expectSign(bracket, 'behind the length');
    return { kind: 'string', wide, length, at: s.from(start) };
  }
  const name = s.name('a type');
  if (s.isSign('(')) {
    // `INT (0..10)` is a subrange, `INT (Red, Green)` an enumeration with a base type.
    if (isSubrange(s)) {
      s.next();
      const low = parseExpression(s, 5);
      s.expectSign('..', 'between the limits');
      const high = parseExpression(s, 5);
      s.expectSign(')', 'behind the limits');
      return { kind: 'subrange', base: name, low, high, at: s.from(start) };
    }
    return parseEnum(s, start, name);
  }
  return { kind: 'named', name, at: s.from(start) };
}

function isSubrange(s: TokenStream): boolean {
  for (let ahead = 1; ahead < 40; ahead++) {
    const t = s.peek(ahead);
    if (t.kind === 'end' || (t.kind === 'sign' && [')', ';', ',', ':='].includes(t.text))) return false;
    if (t.kind === 'sign' && t.text === '..') return true;
  }
  return false;
}

function parseEnum(s: TokenStream, start: number, base: Name | undefined): TypeSpec {
  s.expectSign('(');
  const values: { name: Name; value?: Expression }[] = [];
  do {
    const name = s.name('the name of a value');
    const value = s.takeSign(':=') ? parseExpression(s) : undefined;
    values.push(value ? { name, value } : { name });
  } while (s.takeSign(','));
  s.expectSign(')', 'behind the values');
  return { kind: 'enum', ...(base ? { base } : {}), values, at: s.from(start) };
}

export function parseInitial(s: TokenStream): Initial {
  const start = s.token.start;
  if (s.takeSign('[')) {
    const items: { count?: Expression; value?: Initial }[] = [];
    if (!s.isSign(']')) {
      do {
        // `3(0)` repeats a value (table 14).
        if ((s.token.kind === 'int' || s.token.kind === 'name') && s.peek().kind === 'sign' && s.peek().text === '(') {
          const t = s.next();
          const count: Expression = t.kind === 'int' ? { kind: 'literal', literal: { type: 'int', value: t.value as bigint }, at: s.at(t) } : { kind: 'name', name: t.text, at: s.at(t) };
          s.next();
          const value = s.isSign(')') ? undefined : parseInitial(s);
          s.expectSign(')', 'behind the repeated value');
          items.push(value ? { count, value } : { count });
        } else items.push({ value: parseInitial(s) });
      } while (s.takeSign(','));
    }
    s.expectSign(']', 'behind the values');
    return { kind: 'array', items, at: s.from(start) };
  }
  if (s.isSign('(') && s.peek().kind === 'name' && s.peek(2).kind === 'sign' && s.peek(2).text === ':=') {
    s.next();
    const members: { name: Name; value: Initial }[] = [];
    do {
      const name = s.name("a member's name");
      s.expectSign(':=', "behind the member's name");
      members.push({ name, value: parseInitial(s) });
    } while (s.takeSign(','));
    s.expectSign(')', 'behind the members');
    return { kind: 'struct', members, at: s.from(start) };
  }
  const value = parseExpression(s);
  return { kind: 'value', value, at: value.at };
}

function parseTypes(s: TokenStream): TypeDecl[] {
  s.next();
  const list: TypeDecl[] = [];
  while (!s.atEnd && !s.isWord('END_TYPE')) {
    const before = s.mark;
    const errors = s.problems.list.length;
    const name = s.name('the name of a type');
    s.expectSign(':', 'behind the name');
    const spec = parseTypeSpec(s);
    const initial = s.takeSign(':=') ? parseInitial(s) : undefined;
    list.push({ kind: 'type', name, spec, ...(initial ? { initial } : {}) });
    if (!s.takeSign(';') && spec.kind !== 'struct') {
      if (s.problems.list.length === errors) s.fail("';'", 'behind the type');
      while (!s.atEnd && !s.isSign(';') && !s.isWord('END_TYPE')) s.next();
      s.takeSign(';');
    }
    if (s.isWord('PROGRAM', 'FUNCTION', 'FUNCTION_BLOCK', 'CONFIGURATION')) break;
    if (s.mark === before) s.next();
  }
  s.expectWord('END_TYPE', 'to close TYPE');
  s.takeSign(';');
  return list;
}

function parseConfiguration(s: TokenStream): Configuration {
  s.next();
  const name = s.name('the name of the configuration');
  const globals: VariableBlock[] = [];
  const tasks: TaskDecl[] = [];
  const instances: InstanceDecl[] = [];
  const items = (end: string) => {
    while (!s.atEnd && !s.isWord(end)) {
      const before = s.mark;
      if (isSection(s)) globals.push(parseVariables(s));
      else if (s.takeWord('RESOURCE')) {
        s.name('the name of the resource');
        if (s.takeWord('ON')) s.name('the type of the resource');
        items('END_RESOURCE');
        s.expectWord('END_RESOURCE', 'to close RESOURCE');
        s.takeSign(';');
      } else if (s.takeWord('TASK')) tasks.push(parseTask(s));
      else if (s.takeWord('PROGRAM')) instances.push(parseInstance(s));
      else if (!s.takeSign(';')) {
        s.fail('VAR_GLOBAL, RESOURCE, TASK, PROGRAM or END_CONFIGURATION');
        s.next();
      }
      if (s.mark === before) s.next();
    }
  };
  items('END_CONFIGURATION');
  s.expectWord('END_CONFIGURATION', 'to close CONFIGURATION');
  s.takeSign(';');
  return { kind: 'configuration', name, globals, tasks, instances };
}

function parseTask(s: TokenStream): TaskDecl {
  const name = s.name('the name of the task');
  const found: Record<string, Expression> = {};
  if (s.expectSign('(', 'behind the name of the task')) {
    do {
      const key = s.name('INTERVAL, PRIORITY or SINGLE');
      s.expectSign(':=', `behind ${key.text}`);
      const value = parseExpression(s);
      if (['INTERVAL', 'PRIORITY', 'SINGLE'].includes(key.text.toUpperCase())) found[key.text.toLowerCase()] = value;
      else s.problems.error('UNKNOWN_NAME', `A task has INTERVAL, PRIORITY and SINGLE, not '${key.text}'.`, key.at);
    } while (s.takeSign(','));
    s.expectSign(')', 'behind the task');
  }
  s.expectSign(';', 'behind the task');
  return { name, ...found };
}

function parseInstance(s: TokenStream): InstanceDecl {
  s.takeWord('RETAIN', 'NON_RETAIN');
  const name = s.name('the name of the program instance');
  const task = s.takeWord('WITH') ? s.name('the name of a task') : undefined;
  s.expectSign(':', 'before the program');
  const program = s.name('the name of a program');
  if (s.isSign('(')) {
    s.problems.error('UNSUPPORTED', 'Connections in a program instance are not taken over yet; assign them in a program.', s.at(s.token));
    while (!s.atEnd && !s.isSign(';')) s.next();
  }
  s.expectSign(';', 'behind the program instance');
  return { name, ...(task ? { task } : {}), program };
}
