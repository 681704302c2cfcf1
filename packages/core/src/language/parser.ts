/**
 * Entry points of the parser: a file, one declaration, one expression, the statements of an action. None of them
 * throws.
 */
import { Problems } from './diagnostic.js';
import { lex } from './lexer.js';
import { isSection, parseDeclarations, parseVariable, parseVariables } from './parse-declaration.js';
import { parseExpression as expression } from './parse-expression.js';
import { parseStatements } from './parse-statement.js';
import type { Source } from './source.js';
import { TokenStream } from './token-stream.js';
import type { Declaration, Expression, Statement, VariableBlock, VariableDecl } from './tree.js';

/** All declarations of an IEC 61131-3 text; problems go to `problems`, every one of them. */
export function parseFile(source: Source, problems: Problems): Declaration[] {
  return parseDeclarations(new TokenStream(source, lex(source.text), problems));
}

/** `name AT address : type := initial;` */
export function parseVariableText(source: Source, problems: Problems): VariableDecl {
  return parseVariable(new TokenStream(source, lex(source.text), problems));
}

/** `VAR … END_VAR` sections that must fill the whole text. */
export function parseVariableSections(source: Source, problems: Problems): VariableBlock[] {
  const s = new TokenStream(source, lex(source.text), problems);
  const blocks: VariableBlock[] = [];
  while (!s.atEnd) {
    if (isSection(s)) {
      blocks.push(parseVariables(s));
      continue;
    }
    s.fail('VAR, VAR_INPUT, VAR_OUTPUT, VAR_IN_OUT, VAR_TEMP or VAR_EXTERNAL');
    while (!s.atEnd && !isSection(s)) s.next();
  }
  return blocks;
}

/** One expression that must fill the whole text. */
export function parseExpressionText(source: Source, problems: Problems): Expression {
  const s = new TokenStream(source, lex(source.text), problems);
  const e = expression(s);
  if (!s.atEnd && !problems.hasErrors) s.fail('the end of the expression');
  return e;
}

/** Statements that must fill the whole text. */
export function parseStatementsText(source: Source, problems: Problems): Statement[] {
  const s = new TokenStream(source, lex(source.text), problems);
  const list = parseStatements(s);
  if (!s.atEnd) s.fail('a statement');
  return list;
}
