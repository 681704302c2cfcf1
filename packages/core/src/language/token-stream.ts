import { Problems } from './diagnostic.js';
import type { Lexed, Token } from './lexer.js';
import type { Source, Span } from './source.js';
import type { Name } from './tree.js';

/** Reading position over the tokens of one source, with the parser's error reporting. */
export class TokenStream {
  private index = 0;
  depth = 0;
  /** In a rung line, where durations are written as people write them: `300 ms`. */
  isRung = false;
  /** Index of the token that was complained about last. */
  private failedAt = -1;

  constructor(
    readonly source: Source,
    private readonly lexed: Lexed,
    readonly problems: Problems,
  ) {
    this.skipErrors();
  }

  get token(): Token {
    return this.lexed.tokens[this.index]!;
  }
  get atEnd(): boolean {
    return this.token.kind === 'end';
  }
  peek(ahead = 1): Token {
    return this.lexed.tokens[Math.min(this.index + ahead, this.lexed.tokens.length - 1)]!;
  }
  get previousEnd(): number {
    return this.index > 0 ? this.lexed.tokens[this.index - 1]!.end : 0;
  }
  get mark(): number {
    return this.index;
  }

  next(): Token {
    const t = this.token;
    if (t.kind !== 'end') this.index++;
    this.skipErrors();
    return t;
  }

  private skipErrors(): void {
    while (this.token.kind === 'error') {
      this.problems.error('SYNTAX', this.token.message!, this.at(this.token));
      this.index++;
      // It stood for something: what is missing now was said already.
      this.failedAt = this.index;
    }
  }

  at(t: { start: number; end: number }): Span {
    return { source: this.source, start: t.start, end: t.end };
  }
  from(start: number): Span {
    return { source: this.source, start, end: Math.max(start, this.previousEnd) };
  }

  isSign(text: string): boolean {
    return this.token.kind === 'sign' && this.token.text === text;
  }
  isWord(...words: string[]): boolean {
    return this.token.kind === 'name' && words.includes(this.token.text.toUpperCase());
  }
  takeSign(text: string): boolean {
    if (!this.isSign(text)) return false;
    this.next();
    return true;
  }
  takeWord(...words: string[]): boolean {
    if (!this.isWord(...words)) return false;
    this.next();
    return true;
  }

  /** How the token reads in a message. */
  get found(): string {
    const t = this.token;
    if (t.kind === 'end') return 'the end of the text';
    return `'${t.text.length > 30 ? `${t.text.slice(0, 30)}…` : this.source.text.slice(t.start, Math.min(t.end, t.start + 30))}'`;
  }

  fail(expected: string, after?: string): void {
    // One complaint a token: what follows from it helps nobody.
    if (this.failedAt === this.index) return;
    this.failedAt = this.index;
    // A missing sign is marked behind the word it is missing after, where the eye looks for it.
    const t = this.token;
    const place = after !== undefined && this.index > 0 ? { start: this.previousEnd, end: this.previousEnd } : t;
    this.problems.error(
      'SYNTAX',
      `Expected ${expected}${after ? ` ${after}` : ''}, found ${this.found}.`,
      this.at(place),
    );
  }

  expectSign(text: string, after?: string): boolean {
    if (this.takeSign(text)) return true;
    this.fail(`'${text}'`, after);
    return false;
  }
  expectWord(word: string, after?: string): boolean {
    if (this.takeWord(word)) return true;
    this.fail(word, after);
    return false;
  }

  name(what: string): Name {
    if (this.token.kind === 'name' && !RESERVED.has(this.token.text.toUpperCase())) {
      const t = this.next();
      if (t.text.includes('__'))
        this.problems.error(
          'BAD_NAME',
          `'${t.text}' has two underscores in a row; one at a time is possible.`,
          this.at(t),
        );
      return { text: t.text, at: this.at(t) };
    }
    if (this.token.kind === 'name') {
      const t = this.token;
      this.problems.error('SYNTAX', `'${t.text}' is a word of the language and cannot be ${what}.`, this.at(t));
      const after = this.peek();
      if (after.kind === 'sign' && [':', ',', ':='].includes(after.text)) this.next();
      this.failedAt = this.index;
      return { text: '', at: this.at(t) };
    }
    this.fail(what);
    return { text: '', at: this.at(this.token) };
  }
}

/**
 * Words that cannot name anything. Type names are not here: they are looked up; ON, WITH and TASK mean something only
 * in a configuration.
 */
export const RESERVED = new Set(
  (
    'ARRAY OF AND OR XOR NOT MOD IF THEN ELSIF ELSE END_IF CASE END_CASE FOR TO BY DO END_FOR WHILE END_WHILE REPEAT UNTIL END_REPEAT ' +
    'RETURN EXIT CONTINUE TRUE FALSE FUNCTION END_FUNCTION FUNCTION_BLOCK END_FUNCTION_BLOCK PROGRAM END_PROGRAM TYPE END_TYPE STRUCT END_STRUCT ' +
    'VAR VAR_INPUT VAR_OUTPUT VAR_IN_OUT VAR_TEMP VAR_GLOBAL VAR_EXTERNAL VAR_ACCESS VAR_CONFIG END_VAR CONSTANT RETAIN NON_RETAIN AT ' +
    'CONFIGURATION END_CONFIGURATION RESOURCE END_RESOURCE NAMESPACE END_NAMESPACE USING CLASS END_CLASS INTERFACE END_INTERFACE ' +
    'METHOD END_METHOD EXTENDS IMPLEMENTS THIS SUPER ABSTRACT FINAL OVERRIDE PUBLIC PRIVATE PROTECTED INTERNAL REF_TO NULL'
  ).split(' '),
);
