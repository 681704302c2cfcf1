/**
 * The rung line (notation.md) to a rung. Precedence: `|` below `&` below comparisons; each side of a
 * comparison is any sum of structured text. Problems carry the column; nothing throws.
 */
import { Problems } from '../language/diagnostic.js';
import { lex } from '../language/lexer.js';
import { parseArguments, parseExpression, parsePostfix, SUM_LEVEL } from '../language/parse-expression.js';
import { parseStatements } from '../language/parse-statement.js';
import { type Source, makeSource } from '../language/source.js';
import { TokenStream } from '../language/token-stream.js';
import type { Argument, Expression, Name, Statement } from '../language/tree.js';
import { insteadOf } from './first-tries.js';
import {
  type CallArgument,
  type CoilMode,
  type ContactMode,
  type Element,
  type Output,
  type Part,
  type Rung,
  nodesOf,
  parallel,
  series,
} from './rung.js';

/** What lowering needs beside the structure: the parsed expressions of each element, by its start offset. */
export interface ElementCode {
  readonly expression?: Expression;
  readonly call?: Expression & { readonly kind: 'call' };
  readonly type?: Name;
  readonly inPin?: Name;
  readonly outPin?: Name;
  readonly statements?: readonly Statement[];
}

export interface ParsedRung {
  readonly rung: Rung;
  readonly code: ReadonlyMap<number, ElementCode>;
}

const COMPARISONS = new Set(['=', '<>', '<', '>', '<=', '>=']);
const MAX_DEPTH = 60;

/**
 * Parses a rung line. Undefined, with problems reported, when it cannot be read: what people write first is answered
 * with the line that does it.
 */
export function parseRungLine(source: Source, problems: Problems): ParsedRung | undefined {
  const { rung, code, own } = readLine(source);
  if (own.hasErrors) {
    const instead = insteadOf(source.text, (line) => !readLine(makeSource('', line)).own.hasErrors);
    const first = own.list.find((d) => d.severity === 'error')!;
    if (!instead) for (const d of own.list) problems.add(d);
    else
      problems.add({
        ...first,
        message: instead.line === undefined ? instead.why : `${instead.why} Write ${instead.line}`,
        ...(instead.line === undefined ? {} : { instead: instead.line }),
      });
    return undefined;
  }
  for (const d of own.list) problems.add(d);
  source.elements = nodesOf(rung).map((n) => ({ start: n.start, end: n.end }));
  return { rung, code };
}

function readLine(source: Source): ParsedRung & { readonly own: Problems } {
  const own = new Problems();
  const s = new TokenStream(source, lex(source.text, { rung: true }), own);
  s.isRung = true;
  const p = new RungParser(s);
  const rung = p.rung();
  return { rung, code: p.code, own };
}

class RungParser {
  readonly code = new Map<number, ElementCode>();
  constructor(private readonly s: TokenStream) {}

  rung(): Rung {
    const { s } = this;
    const logic = s.isSign('->') ? undefined : this.or(0);
    if (s.isSign(')')) s.problems.error('SYNTAX', "There is no '(' that this ')' closes.", s.at(s.token));
    s.expectSign('->', logic ? 'behind the conditions' : undefined);
    const outputs = this.outputs(0);
    if (!s.atEnd && !s.problems.hasErrors) s.fail("',' or the end of the rung");
    return { ...(logic ? { logic } : {}), outputs };
  }

  private or(depth: number): Part {
    const legs = [this.and(depth)];
    while (this.s.takeSign('|') || this.s.takeWord('OR')) legs.push(this.and(depth));
    return parallel(legs);
  }

  private and(depth: number): Part {
    const parts = [this.part(depth)];
    while (this.s.takeSign('&') || this.s.takeWord('AND')) parts.push(this.part(depth));
    return series(parts);
  }

  /** `( … )` is a group of elements unless what follows makes it a side of a comparison. */
  private part(depth: number): Part {
    const { s } = this;
    if (s.isSign('(') && !this.groupIsArithmetic()) {
      if (depth >= MAX_DEPTH) {
        s.problems.error(
          'TOO_DEEP',
          `Branches are nested more than ${MAX_DEPTH} levels deep; use a tag for a part of the rung.`,
          s.at(s.token),
        );
        while (!s.atEnd) s.next();
      }
      s.next();
      const inner = this.or(depth + 1);
      s.expectSign(')', 'to close the branch');
      return inner;
    }
    return this.element();
  }

  /** Looks behind the closing parenthesis: an operator there means `(A + B) > C`. */
  private groupIsArithmetic(): boolean {
    const { s } = this;
    let open = 0;
    for (let ahead = 0; ; ahead++) {
      const t = ahead ? s.peek(ahead) : s.token;
      if (t.kind === 'end') return false;
      if (t.kind !== 'sign') continue;
      if (t.text === '(') open++;
      if (t.text === ')' && --open === 0) {
        const after = s.peek(ahead + 1);
        return (
          (after.kind === 'sign' && (COMPARISONS.has(after.text) || ['+', '-', '*', '/', '**'].includes(after.text))) ||
          (after.kind === 'name' && after.text.toUpperCase() === 'MOD')
        );
      }
    }
  }

  private element(): Element {
    const { s } = this;
    const start = s.token.start;
    const rising = s.takeSign('^');
    const negated = s.takeSign('!') || (!rising && s.isWord('NOT') && s.takeWord('NOT'));
    if (rising || negated) return this.contact(start, rising ? (negated ? 'falling' : 'rising') : 'closed');
    const call = this.blockCall(start);
    if (call) return call;
    const left = parseExpression(s, SUM_LEVEL);
    const t = s.token;
    if (t.kind === 'sign' && COMPARISONS.has(t.text)) {
      s.next();
      const right = parseExpression(s, SUM_LEVEL);
      const end = s.previousEnd;
      this.code.set(start, {
        expression: {
          kind: 'binary',
          op: t.text as '=',
          left,
          right,
          opAt: s.at(t),
          at: { source: s.source, start, end },
        },
      });
      return {
        kind: 'compare',
        left: this.slice(start, t.start),
        op: t.text,
        right: this.slice(t.end, end),
        start,
        end,
      };
    }
    if (left.kind === 'call') {
      this.code.set(start, { call: left });
      return {
        kind: 'call',
        name: this.slice(left.callee.at.start, left.callee.at.end),
        args: this.argumentsOf(left.args),
        start,
        end: s.previousEnd,
      };
    }
    return this.contactFrom(start, left, 'open');
  }

  private contact(start: number, mode: ContactMode): Element {
    if (this.s.isSign('(')) {
      this.s.problems.error(
        'SYNTAX',
        "'!' and '^' stand before a tag; turn a group round with its own contacts.",
        this.s.at({ start, end: this.s.token.end }),
      );
    }
    return this.contactFrom(start, parsePostfix(this.s), mode);
  }

  private contactFrom(start: number, tag: Expression, mode: ContactMode): Element {
    const { s } = this;
    const end = s.previousEnd;
    if (!isPath(tag) && tag.kind !== 'missing')
      s.problems.error(
        'SYNTAX',
        'A contact is a tag; a value alone carries no power. Compare it with something.',
        s.at({ start, end }),
      );
    this.code.set(start, { expression: tag });
    return { kind: 'contact', tag: this.slice(tag.at.start, tag.at.end), mode, start, end };
  }

  /** `Inst@CD:CTUD(…).QD`; plain calls are read as expressions. */
  private blockCall(start: number): Element | undefined {
    const { s } = this;
    if (s.token.kind !== 'name') return undefined;
    const sign = s.peek();
    const isBlock =
      sign.kind === 'sign' && (sign.text === '@' || sign.text === ':' || (sign.text === '(' && this.outPinFollows()));
    if (!isBlock) return undefined;
    const t = s.next();
    const callee: Expression = { kind: 'name', name: t.text, at: s.at(t) };
    const inPin = s.takeSign('@') ? s.name('an input of the block') : undefined;
    const type = s.takeSign(':') ? s.name("the block's type") : undefined;
    const args = parseArguments(s);
    const call = { kind: 'call' as const, callee, args, at: s.from(start) };
    const outPin = s.takeSign('.') ? s.name('an output of the block') : undefined;
    this.code.set(start, {
      call,
      ...(type ? { type } : {}),
      ...(inPin ? { inPin } : {}),
      ...(outPin ? { outPin } : {}),
    });
    return {
      kind: 'call',
      name: t.text,
      ...(type ? { type: type.text } : {}),
      args: this.argumentsOf(args),
      ...(inPin ? { inPin: inPin.text } : {}),
      ...(outPin ? { outPin: outPin.text } : {}),
      start,
      end: s.previousEnd,
    };
  }

  private outPinFollows(): boolean {
    let open = 0;
    for (let ahead = 1; ; ahead++) {
      const t = this.s.peek(ahead);
      if (t.kind === 'end') return false;
      if (t.kind !== 'sign') continue;
      if (t.text === '(') open++;
      if (t.text === ')' && --open === 0)
        return this.s.peek(ahead + 1).kind === 'sign' && this.s.peek(ahead + 1).text === '.';
    }
  }

  private argumentsOf(args: readonly Argument[]): CallArgument[] {
    return args.map((a) => ({
      ...(a.name ? { pin: a.name.text } : {}),
      output: a.output,
      value: this.slice(a.value.at.start, a.value.at.end),
      start: a.value.at.start,
      end: a.value.at.end,
    }));
  }

  private outputs(depth: number): Output[] {
    const list = [this.output(depth)];
    while (this.s.takeSign(',')) list.push(this.output(depth));
    return list;
  }

  private output(depth: number): Output {
    const { s } = this;
    const start = s.token.start;
    if (s.isSign('(')) {
      if (depth >= MAX_DEPTH)
        s.problems.error('TOO_DEEP', `Outputs are nested more than ${MAX_DEPTH} levels deep.`, s.at(s.token));
      s.next();
      const logic = this.or(depth + 1);
      s.expectSign('->', 'behind the conditions');
      const outputs = depth < MAX_DEPTH ? this.outputs(depth + 1) : [];
      s.expectSign(')', 'to close the path');
      return { kind: 'path', logic, outputs, start, end: s.previousEnd };
    }
    const rising = s.takeSign('^');
    if (s.isSign('{')) return this.action(start, rising);
    if (!rising && s.takeWord('RETURN')) return { kind: 'return', start, end: s.previousEnd };
    let mode: CoilMode = rising ? (s.takeSign('!') ? 'falling' : 'rising') : s.takeSign('!') ? 'negated' : 'plain';
    const next = s.peek();
    if (mode === 'plain' && s.isWord('SET', 'RESET') && (next.kind === 'name' || next.kind === 'direct'))
      mode = s.next().text.toLowerCase() as 'set' | 'reset';
    const tag = parsePostfix(s);
    if (!isPath(tag) && tag.kind !== 'missing')
      s.problems.error('SYNTAX', 'A coil writes a tag; what is done otherwise stands in braces { }.', tag.at);
    this.code.set(start, { expression: tag });
    return { kind: 'coil', tag: this.slice(tag.at.start, tag.at.end), mode, start, end: s.previousEnd };
  }

  private action(start: number, once: boolean): Output {
    const { s } = this;
    const from = s.next().end;
    const statements = parseStatements(s);
    const to = s.token.start;
    s.expectSign('}', 'to close the action');
    this.code.set(start, { statements });
    const text = this.slice(from, to);
    return {
      kind: 'action',
      text,
      once,
      textStart: from + (s.source.text.slice(from, to).length - s.source.text.slice(from, to).trimStart().length),
      start,
      end: s.previousEnd,
    };
  }

  private slice(start: number, end: number): string {
    return this.s.source.text.slice(start, end).trim();
  }
}

function isPath(e: Expression): boolean {
  return (
    e.kind === 'name' ||
    e.kind === 'direct' ||
    ((e.kind === 'member' || e.kind === 'part' || e.kind === 'index') && isPath(e.base))
  );
}
