/** Declarations: types (6.4), variables (6.5), program organization units (6.6), configuration (6.8). */
import { parseArguments, parseExpression, parsePostfix } from './parse-expression.js';
import { parseStatements } from './parse-statement.js';
import type { Span } from './source.js';
import type { TokenStream } from './token-stream.js';
import type {
  Access,
  AccessItem,
  BlockTask,
  ConfigItem,
  Configuration,
  Declaration,
  Expression,
  Initial,
  InstanceDecl,
  InterfaceDecl,
  MethodDecl,
  Name,
  NameContext,
  Pou,
  Section,
  Statement,
  TaskDecl,
  TypeDecl,
  TypeSpec,
  VariableBlock,
  VariableDecl,
} from './tree.js';

const SECTIONS = new Set(['VAR', 'VAR_INPUT', 'VAR_OUTPUT', 'VAR_IN_OUT', 'VAR_TEMP', 'VAR_GLOBAL', 'VAR_EXTERNAL']);
const MAX_TYPE_DEPTH = 100;
export const isSection = (s: TokenStream) => s.token.kind === 'name' && SECTIONS.has(s.token.text.toUpperCase());

const OPENERS = [
  'PROGRAM',
  'FUNCTION',
  'FUNCTION_BLOCK',
  'CLASS',
  'INTERFACE',
  'TYPE',
  'VAR_GLOBAL',
  'CONFIGURATION',
  'NAMESPACE',
  'USING',
];
const ROOT: NameContext = { namespace: '', using: [] };

export function parseDeclarations(s: TokenStream, outer: NameContext = ROOT): Declaration[] {
  const list: Declaration[] = [];
  let context = outer;
  const isNested = outer !== ROOT;
  while (!s.atEnd && !(isNested && s.isWord('END_NAMESPACE'))) {
    const before = s.mark;
    const word = s.token.kind === 'name' ? s.token.text.toUpperCase() : '';
    if (word === 'PROGRAM' || word === 'FUNCTION' || word === 'FUNCTION_BLOCK' || word === 'CLASS')
      list.push(parsePou(s, word, context));
    else if (word === 'INTERFACE') list.push(parseInterface(s, context));
    else if (word === 'TYPE') for (const t of parseTypes(s, context)) list.push(t);
    else if (word === 'VAR_GLOBAL') list.push({ kind: 'globals', block: parseVariables(s) });
    else if (word === 'CONFIGURATION') list.push(parseConfiguration(s));
    else if (word === 'NAMESPACE') for (const d of parseNamespace(s, context)) list.push(d);
    else if (word === 'USING') context = parseUsing(s, context);
    else if (!s.takeSign(';')) {
      s.fail('PROGRAM, FUNCTION, FUNCTION_BLOCK, CLASS, INTERFACE, TYPE, VAR_GLOBAL, NAMESPACE or CONFIGURATION');
      while (!s.atEnd && !s.isWord(...OPENERS) && !(isNested && s.isWord('END_NAMESPACE'))) s.next();
    }
    if (s.mark === before) s.next();
  }
  return list;
}

/** `A.B.C`: the name of a namespace, or of something in one. */
function qualifiedName(s: TokenStream, what: string): Name {
  const first = s.name(what);
  let text = first.text;
  while (text && s.isSign('.') && s.peek().kind === 'name') {
    s.next();
    text += `.${s.next().text}`;
  }
  return { text, at: s.from(first.at.start) };
}

function parseUsing(s: TokenStream, context: NameContext): NameContext {
  s.next();
  const using = [...context.using];
  do using.push(qualifiedName(s, 'the name of a namespace').text.toLowerCase());
  while (s.takeSign(','));
  s.expectSign(';', 'behind USING');
  return { ...context, using: using.filter(Boolean) };
}

function parseNamespace(s: TokenStream, outer: NameContext): Declaration[] {
  s.next();
  s.takeWord('INTERNAL');
  const name = qualifiedName(s, 'the name of the namespace');
  if (s.depth > MAX_TYPE_DEPTH) {
    s.problems.error('TOO_DEEP', `Namespaces are nested more than ${MAX_TYPE_DEPTH} levels deep.`, name.at);
    while (!s.atEnd) s.next();
    return [];
  }
  s.depth++;
  const list = parseDeclarations(s, {
    namespace: outer.namespace ? `${outer.namespace}.${name.text}` : name.text,
    using: outer.using,
  });
  s.depth--;
  s.expectWord('END_NAMESPACE', `to close NAMESPACE ${name.text}`);
  s.takeSign(';');
  return list;
}

function parsePou(s: TokenStream, word: Pou['pou'], context: NameContext): Pou {
  const start = s.token.start;
  s.next();
  const modifiers: ('ABSTRACT' | 'FINAL')[] = [];
  while (s.isWord('ABSTRACT', 'FINAL', 'INTERNAL', 'PUBLIC')) {
    const w = s.next().text.toUpperCase();
    if (w === 'ABSTRACT' || w === 'FINAL') modifiers.push(w);
  }
  const name = s.name(`the name of the ${word}`);
  const result = s.takeSign(':') ? parseTypeSpec(s) : undefined;
  const base = s.takeWord('EXTENDS') ? qualifiedName(s, 'what it extends') : undefined;
  const implemented: Name[] = [];
  if (s.takeWord('IMPLEMENTS'))
    do implemented.push(qualifiedName(s, 'an interface'));
    while (s.takeSign(','));
  s.takeSign(';');
  let inner = context;
  while (s.isWord('USING')) inner = parseUsing(s, inner);
  const blocks: VariableBlock[] = [];
  const methods: MethodDecl[] = [];
  const hasMethods = word === 'CLASS' || word === 'FUNCTION_BLOCK';
  const body: Statement[] = [];
  const parts = () => {
    while (isSection(s) || (hasMethods && s.isWord('METHOD'))) {
      if (isSection(s)) blocks.push(parseVariables(s));
      else methods.push(parseMethod(s, false));
      s.takeSign(';');
    }
  };
  parts();
  for (const x of parseStatements(s)) body.push(x);
  while (
    !s.atEnd &&
    !s.isWord(`END_${word}`) &&
    !s.isWord(
      'PROGRAM',
      'FUNCTION',
      'FUNCTION_BLOCK',
      'CLASS',
      'INTERFACE',
      'TYPE',
      'CONFIGURATION',
      'NAMESPACE',
      'END_NAMESPACE',
    )
  ) {
    if (hasMethods && s.isWord('METHOD')) {
      s.problems.error('MISPLACED', 'Methods are declared before the statements of the block.', s.at(s.token));
      methods.push(parseMethod(s, false));
    } else {
      s.fail(`a statement or END_${word}`);
      s.next();
    }
    for (const x of parseStatements(s)) body.push(x);
  }
  if (word === 'CLASS' && body.length)
    s.problems.error(
      'MISPLACED',
      'A class has methods and no statements of its own; put them into a method.',
      body[0]!.at,
    );
  s.expectWord(`END_${word}`, `to close ${word} ${name.text}`);
  const isCallable = word === 'FUNCTION' || word === 'FUNCTION_BLOCK';
  if (isCallable && /\bENO\b/i.test(s.source.text.slice(start, s.token.start))) declareEno(word, blocks, body);
  return {
    kind: 'pou',
    pou: word,
    name,
    context: inner,
    modifiers,
    ...(base ? { extends: base } : {}),
    implements: implemented,
    methods,
    ...(result ? { result } : {}),
    blocks,
    body,
    at: s.from(start),
  };
}

/**
 * ENO is there without being declared (6.6.1.5, table 18): where a body assigns it, it is an output that begins each
 * call as TRUE.
 */
function declareEno(word: 'FUNCTION' | 'FUNCTION_BLOCK', blocks: VariableBlock[], body: Statement[]): void {
  const isEno = (n: { readonly text: string }) => n.text.toUpperCase() === 'ENO';
  if (blocks.some((b) => b.variables.some((v) => v.names.some(isEno)))) return;
  const at = enoAssigned(body);
  if (!at) return;
  const yes = { kind: 'literal' as const, literal: { type: 'bool' as const, value: true }, at };
  blocks.push({
    section: 'VAR_OUTPUT',
    constant: false,
    retain: false,
    variables: [
      {
        names: [{ text: 'ENO', at }],
        type: { kind: 'named', name: { text: 'BOOL', at }, at },
        initial: { kind: 'value', value: yes, at },
      },
    ],
  });
  // A block remembers its outputs from call to call.
  if (word === 'FUNCTION_BLOCK')
    body.unshift({ kind: 'assign', target: { kind: 'name', name: 'ENO', at }, value: yes, at });
}
function enoAssigned(node: unknown): Span | undefined {
  if (Array.isArray(node)) {
    for (const n of node) {
      const at = enoAssigned(n);
      if (at) return at;
    }
    return undefined;
  }
  if (typeof node !== 'object' || node === null) return undefined;
  const n = node as { readonly kind?: string; readonly target?: Expression };
  if (n.kind === 'assign' && n.target?.kind === 'name' && n.target.name.toUpperCase() === 'ENO') return n.target.at;
  for (const [k, v] of Object.entries(n)) {
    if (k === 'at' || k === 'source') continue;
    const at = enoAssigned(v);
    if (at) return at;
  }
  return undefined;
}

/** `METHOD PUBLIC OVERRIDE Name : type … END_METHOD`; a prototype in an interface has no statements. */
function parseMethod(s: TokenStream, isPrototype: boolean): MethodDecl {
  const start = s.token.start;
  s.next();
  let access: Access | undefined;
  const modifiers: MethodDecl['modifiers'][number][] = [];
  for (;;) {
    if (s.isWord('PUBLIC', 'PROTECTED', 'PRIVATE', 'INTERNAL')) access = s.next().text.toUpperCase() as Access;
    else if (s.isWord('ABSTRACT', 'FINAL', 'OVERRIDE')) modifiers.push(s.next().text.toUpperCase() as 'FINAL');
    else break;
  }
  const name = s.name('the name of the METHOD');
  const result = s.takeSign(':') ? parseTypeSpec(s) : undefined;
  s.takeSign(';');
  const blocks: VariableBlock[] = [];
  while (isSection(s)) blocks.push(parseVariables(s));
  const body = parseStatements(s);
  if (isPrototype && body.length)
    s.problems.error('MISPLACED', 'An interface says what its methods are called with, not what they do.', body[0]!.at);
  s.expectWord('END_METHOD', `to close METHOD ${name.text}`);
  s.takeSign(';');
  return {
    name,
    ...(access ? { access } : {}),
    modifiers,
    ...(result ? { result } : {}),
    blocks,
    body,
    at: s.from(start),
  };
}

function parseInterface(s: TokenStream, context: NameContext): InterfaceDecl {
  s.next();
  s.takeWord('INTERNAL');
  const name = s.name('the name of the INTERFACE');
  const bases: Name[] = [];
  if (s.takeWord('EXTENDS'))
    do bases.push(qualifiedName(s, 'an interface'));
    while (s.takeSign(','));
  s.takeSign(';');
  const methods: MethodDecl[] = [];
  while (!s.atEnd && !s.isWord('END_INTERFACE') && !s.isWord(...OPENERS)) {
    if (s.isWord('METHOD')) {
      methods.push(parseMethod(s, true));
      continue;
    }
    s.fail('METHOD or END_INTERFACE');
    s.next();
  }
  s.expectWord('END_INTERFACE', `to close INTERFACE ${name.text}`);
  s.takeSign(';');
  return { kind: 'interface', name, context, extends: bases, methods };
}

export function parseVariables(s: TokenStream): VariableBlock {
  const { start } = s.token;
  const section = s.next().text.toUpperCase() as Section;
  let constant = false;
  let retain = false;
  let access: Access | undefined;
  for (;;) {
    if (s.takeWord('CONSTANT')) constant = true;
    else if (s.takeWord('RETAIN')) retain = true;
    else if (s.isWord('PUBLIC', 'PRIVATE', 'PROTECTED', 'INTERNAL')) access = s.next().text.toUpperCase() as Access;
    else if (!s.takeWord('NON_RETAIN')) break;
  }
  const refuse = (message: string) => s.problems.error('MISPLACED', message, s.from(start));
  if (constant && retain) refuse('A constant keeps its value anyway; write CONSTANT or RETAIN, not both.');
  if (retain && (section === 'VAR_TEMP' || section === 'VAR_IN_OUT' || section === 'VAR_EXTERNAL'))
    refuse(`${section} keeps nothing of its own, so it cannot be RETAIN.`);
  if (constant && (section === 'VAR_OUTPUT' || section === 'VAR_TEMP' || section === 'VAR_IN_OUT'))
    refuse(`${section} is there to be written, so it cannot be CONSTANT.`);
  const variables: VariableDecl[] = [];
  while (!s.atEnd && !s.isWord('END_VAR')) {
    const before = s.mark;
    if (s.token.kind === 'name' && (isSection(s) || s.token.text.toUpperCase().startsWith('END_'))) break;
    variables.push(parseVariable(s));
    if (s.mark === before) s.next();
  }
  s.expectWord('END_VAR', `to close ${section}`);
  s.takeSign(';');
  return { section, constant, retain, ...(access ? { access } : {}), variables };
}

/** `a, b AT %IX0.0 : BOOL := TRUE;` */
export function parseVariable(s: TokenStream): VariableDecl {
  const errors = s.problems.list.length;
  const names: Name[] = [];
  do names.push(s.name('the name of a variable'));
  while (s.takeSign(','));
  const address = s.takeWord('AT') ? parseAddressToken(s) : undefined;
  const type: TypeSpec = s.expectSign(':', 'behind the name')
    ? parseTypeSpec(s)
    : { kind: 'named', name: { text: '', at: s.at(s.token) }, at: s.at(s.token) };
  const edge = s.takeWord('R_EDGE') ? ('rising' as const) : s.takeWord('F_EDGE') ? ('falling' as const) : undefined;
  const initial = s.takeSign(':=') ? parseInitial(s) : undefined;
  if (!s.takeSign(';')) {
    if (s.problems.list.length === errors) s.fail("';'", 'behind the declaration');
    while (!s.atEnd && !s.isSign(';') && !s.isWord('END_VAR', 'END_STRUCT')) s.next();
    s.takeSign(';');
  }
  return {
    names: names.filter((n) => n.text),
    ...(address ? { address } : {}),
    type,
    ...(initial ? { initial } : {}),
    ...(edge ? { edge } : {}),
  };
}

export function parseTypeSpec(s: TokenStream): TypeSpec {
  if (s.depth > MAX_TYPE_DEPTH) {
    s.problems.error(
      'TOO_DEEP',
      `Types are nested more than ${MAX_TYPE_DEPTH} levels deep; give a part of it a name of its own.`,
      s.at(s.token),
    );
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
    let open = 0;
    do {
      if (s.takeSign('*')) {
        open++;
        continue;
      }
      const low = parseExpression(s, 5);
      s.expectSign('..', 'between the bounds');
      ranges.push({ low, high: parseExpression(s, 5) });
    } while (s.takeSign(','));
    s.expectSign(']', 'behind the bounds');
    s.expectWord('OF', 'before the element type');
    const element = parseTypeSpec(s);
    if (open && ranges.length)
      s.problems.error('SYNTAX', "Bounds are given for every dimension, or '*' for every one.", s.from(start));
    return { kind: 'array', ranges: open ? [] : ranges, dimensions: open || ranges.length, element, at: s.from(start) };
  }
  if (s.takeWord('STRUCT')) {
    const overlap = s.takeWord('OVERLAP');
    const members: VariableDecl[] = [];
    while (!s.atEnd && !s.isWord('END_STRUCT') && !s.isWord('END_TYPE', 'END_VAR')) {
      const before = s.mark;
      members.push(parseVariable(s));
      if (s.mark === before) s.next();
    }
    s.expectWord('END_STRUCT', 'to close STRUCT');
    return { kind: 'struct', overlap, members, at: s.from(start) };
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
  const name = qualifiedName(s, 'a type');
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
    const items: { count?: Expression; values: Initial[] }[] = [];
    if (!s.isSign(']')) {
      do {
        // `3(0)` repeats a value (table 14).
        if ((s.token.kind === 'int' || s.token.kind === 'name') && s.peek().kind === 'sign' && s.peek().text === '(') {
          const t = s.next();
          const count: Expression =
            t.kind === 'int'
              ? { kind: 'literal', literal: { type: 'int', value: t.value as bigint }, at: s.at(t) }
              : { kind: 'name', name: t.text, at: s.at(t) };
          s.next();
          const values: Initial[] = [];
          if (!s.isSign(')'))
            do values.push(parseInitial(s));
            while (s.takeSign(','));
          s.expectSign(')', 'behind the repeated values');
          items.push({ count, values });
        } else items.push({ values: [parseInitial(s)] });
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

function parseTypes(s: TokenStream, context: NameContext): TypeDecl[] {
  s.next();
  const list: TypeDecl[] = [];
  while (!s.atEnd && !s.isWord('END_TYPE')) {
    const before = s.mark;
    const errors = s.problems.list.length;
    const name = s.name('the name of a type');
    s.expectSign(':', 'behind the name');
    const spec = parseTypeSpec(s);
    const initial = s.takeSign(':=') ? parseInitial(s) : undefined;
    list.push({ kind: 'type', name, context, spec, ...(initial ? { initial } : {}) });
    if (!s.takeSign(';') && spec.kind !== 'struct') {
      if (s.problems.list.length === errors) s.fail("';'", 'behind the type');
      while (!s.atEnd && !s.isSign(';') && !s.isWord('END_TYPE')) s.next();
      s.takeSign(';');
    }
    if (
      s.isWord(
        'PROGRAM',
        'FUNCTION',
        'FUNCTION_BLOCK',
        'CONFIGURATION',
        'CLASS',
        'INTERFACE',
        'NAMESPACE',
        'END_NAMESPACE',
      )
    )
      break;
    if (s.mark === before) s.next();
  }
  s.expectWord('END_TYPE', 'to close TYPE');
  s.takeSign(';');
  return list;
}

function parseConfiguration(s: TokenStream): Configuration {
  s.next();
  const name = s.name('the name of the configuration');
  const resources: Name[] = [];
  const globals: VariableBlock[] = [];
  const tasks: TaskDecl[] = [];
  const instances: InstanceDecl[] = [];
  const config: ConfigItem[] = [];
  const access: AccessItem[] = [];
  const items = (end: string) => {
    while (!s.atEnd && !s.isWord(end)) {
      const before = s.mark;
      if (isSection(s)) globals.push(parseVariables(s));
      else if (s.isWord('VAR_CONFIG')) config.push(...parseConfigItems(s));
      else if (s.isWord('VAR_ACCESS')) access.push(...parseAccessItems(s));
      else if (s.takeWord('RESOURCE')) {
        resources.push(s.name('the name of the resource'));
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
  return { kind: 'configuration', name, resources, globals, tasks, instances, config, access };
}

/** Lines up to END_VAR; a broken one ends at its ';'. */
function lines<T>(s: TokenStream, what: string, parse: () => T): T[] {
  s.next();
  s.takeWord('RETAIN', 'NON_RETAIN', 'CONSTANT');
  const list: T[] = [];
  while (!s.atEnd && !s.isWord('END_VAR')) {
    const before = s.mark;
    const errors = s.problems.list.length;
    list.push(parse());
    if (!s.takeSign(';')) {
      if (s.problems.list.length === errors) s.fail("';'", 'behind the declaration');
      while (!s.atEnd && !s.isSign(';') && !s.isWord('END_VAR')) s.next();
      s.takeSign(';');
    }
    if (s.mark === before) s.next();
  }
  s.expectWord('END_VAR', `to close ${what}`);
  s.takeSign(';');
  return list;
}

function parseConfigItems(s: TokenStream): ConfigItem[] {
  return lines(s, 'VAR_CONFIG', () => {
    const path = parsePostfix(s);
    const address = s.takeWord('AT') ? parseAddressToken(s) : undefined;
    s.expectSign(':', 'before the type');
    const type = parseTypeSpec(s);
    const initial = s.takeSign(':=') ? parseInitial(s) : undefined;
    return { path, ...(address ? { address } : {}), type, ...(initial ? { initial } : {}) };
  });
}

function parseAccessItems(s: TokenStream): AccessItem[] {
  return lines(s, 'VAR_ACCESS', () => {
    const name = s.name('the name of the access path');
    s.expectSign(':', 'behind the name');
    const path = parsePostfix(s);
    s.expectSign(':', 'before the type');
    const type = parseTypeSpec(s);
    const writable = s.takeWord('READ_WRITE');
    if (!writable) s.takeWord('READ_ONLY');
    return { name, path, type, writable };
  });
}

function parseAddressToken(s: TokenStream): { text: string; at: Span } | undefined {
  if (s.token.kind === 'direct') {
    const t = s.next();
    return { text: t.text, at: s.at(t) };
  }
  s.fail('an address such as %IX0.0', 'behind AT');
  return undefined;
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
  const program = qualifiedName(s, 'the name of a program');
  const blocks: BlockTask[] = [];
  const blockTask = (): boolean => {
    const next = s.peek();
    if (s.token.kind !== 'name' || next.kind !== 'name' || next.text.toUpperCase() !== 'WITH') return false;
    const block = s.name('the name of a function block');
    s.takeWord('WITH');
    blocks.push({ block, task: s.name('the name of a task') });
    return true;
  };
  const connections = s.isSign('(') ? parseArguments(s, blockTask) : [];
  s.expectSign(';', 'behind the program instance');
  return { name, ...(task ? { task } : {}), program, connections, blocks };
}
