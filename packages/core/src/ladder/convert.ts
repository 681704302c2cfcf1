/**
 * A rung to structured text and back, with the same meaning (product.md 6.1). What has no equal on the other side is
 * refused with a sentence: an edge contact needs memory of its own, a block called in the middle of its own readings
 * would read something else in text.
 */
import { Problems } from '../language/diagnostic.js';
import { parseStatementsText } from '../language/parser.js';
import { type Source, type Span, makeSource } from '../language/source.js';
import type { Expression, Statement } from '../language/tree.js';
import { parseRungLine } from './parse.js';
import { printRung } from './print.js';
import { type Element, type Output, type Part, type Rung, isElement, nodesOf, parallel, series } from './rung.js';

export type Converted<T> = T | { readonly refused: string };
export interface ToTextOptions {
  /** Whether a call is one of a function block instance (with its first BOOL input and output), or a function. */
  readonly block: (
    e: Element & { readonly kind: 'call' },
  ) => { readonly inPin: string; readonly outPin: string } | undefined;
  /**
   * A BOOL variable to keep the power of a rung in, where it is asked for again after it may have changed; without it
   * such rungs are refused.
   */
  readonly temporary?: () => string;
}

const names = (text: string): Set<string> => new Set((text.match(/[A-Za-z_]\w*/g) ?? []).map((n) => n.toLowerCase()));

/** The statements that do what the rung does. */
export function rungToText(line: string, options: ToTextOptions): Converted<{ readonly text: string }> {
  const rung = parseRungLine(makeSource('', line), new Problems())?.rung;
  if (!rung) return { refused: 'This rung cannot be read yet; mend its line first.' };
  const writer = new TextWriter(options);
  try {
    writer.rung(rung);
  } catch (e) {
    if (e instanceof Refusal) return { refused: e.message };
    throw e;
  }
  return { text: writer.lines.join('\n') };
}

class Refusal extends Error {}

/** How strongly an expression binds: AND over OR over a comparison in text. */
interface Term {
  readonly text: string;
  readonly binds: 'or' | 'and' | 'one';
}
const TRUE: Term = { text: 'TRUE', binds: 'one' };
const within = (t: Term, outer: 'and' | 'or'): string => (t.binds === 'or' && outer === 'and' ? `(${t.text})` : t.text);
const and = (a: Term, b: Term): Term =>
  a === TRUE ? b : { text: `${within(a, 'and')} AND ${within(b, 'and')}`, binds: 'and' };

class TextWriter {
  readonly lines: string[] = [];
  /** What was read so far and is not evaluated yet: a block called now must not change it. */
  private pending = new Set<string>();

  constructor(private readonly options: ToTextOptions) {}

  rung(rung: Rung): void {
    const power = rung.logic ? this.part(rung.logic, TRUE) : TRUE;
    this.outputs(rung.outputs, power);
  }

  private part(p: Part, power: Term): Term {
    if (p.kind === 'series') return p.parts.reduce((t, x) => this.part(x, t), power);
    if (p.kind === 'parallel') {
      if (hasCall(p, this.options)) {
        const legs = p.legs.map((l) => this.part(l, power));
        return legs.some((l) => l === TRUE)
          ? TRUE
          : { text: legs.map((l) => within(l, 'or')).join(' OR '), binds: 'or' };
      }
      const legs = p.legs.map((l) => this.part(l, TRUE));
      return and(power, { text: legs.map((l) => l.text).join(' OR '), binds: 'or' });
    }
    return this.element(p, power);
  }

  private element(e: Element, power: Term): Term {
    const note = (text: string) => names(text).forEach((n) => this.pending.add(n));
    switch (e.kind) {
      case 'contact':
        if (e.mode === 'rising' || e.mode === 'falling')
          throw new Refusal(
            `The edge of '${e.tag}' needs a memory of its own; declare an R_TRIG or F_TRIG for it first.`,
          );
        note(e.tag);
        return and(power, { text: e.mode === 'closed' ? `NOT ${e.tag}` : e.tag, binds: 'one' });
      case 'compare':
        note(`${e.left} ${e.right}`);
        return and(power, { text: `(${e.left} ${e.op} ${e.right})`, binds: 'one' });
      case 'call':
        return this.call(e, power, note);
    }
  }

  private call(e: Element & { readonly kind: 'call' }, power: Term, note: (text: string) => void): Term {
    const block = this.options.block(e);
    if (!block) {
      if (e.args.some((a) => a.output))
        throw new Refusal(`'${e.name}' hands values to tags in the middle of the rung; write it as a statement.`);
      note(e.args.map((a) => a.value).join(' '));
      return and(power, {
        text: `${e.name}(${e.args.map((a) => (a.pin ? `${a.pin} := ${a.value}` : a.value)).join(', ')})`,
        binds: 'one',
      });
    }
    if (e.type) throw new Refusal(`'${e.name}' is declared on the rung; declare it as a tag first.`);
    if (/^en$/i.test(e.inPin ?? ''))
      throw new Refusal(`'${e.name}' is called with power only; write IF … THEN ${e.name}(…); END_IF.`);
    if (this.pending.has(e.name.toLowerCase()))
      throw new Refusal(`'${e.name}' is read before it is called on this rung; text would read it after.`);
    const inPin = e.inPin ?? block.inPin,
      outPin = e.outPin ?? block.outPin;
    const written = e.args.filter((a) => a.output).map((a) => a.value);
    if (written.some((w) => [...names(w)].some((n) => this.pending.has(n))))
      throw new Refusal(`'${e.name}' writes a tag that this rung has read before; text would read it after.`);
    this.lines.push(
      `${e.name}(${[`${inPin} := ${power.text}`, ...e.args.map((a) => `${a.pin ?? ''} ${a.output ? '=>' : ':='} ${a.value}`)].join(', ')});`,
    );
    note(e.name);
    return { text: `${e.name}.${outPin}`, binds: 'one' };
  }

  private outputs(outputs: readonly Output[], power: Term): void {
    const given = power;
    // Power is worked out once on a rung; in text it is worked out again for each output.
    const spoils = (o: Output) => {
      const written = writtenBy(o);
      return [...names(given.text)].some((n) => written.has(n));
    };
    const kept = this.options.temporary && outputs.slice(0, -1).some(spoils) ? this.options.temporary() : undefined;
    if (kept) {
      this.lines.push(`${kept} := ${given.text};`);
      power = { text: kept, binds: 'one' };
    }
    outputs.forEach((o, i) => {
      const later = outputs.slice(i + 1);
      this.output(o, power);
      if (later.length && !kept && spoils(o))
        throw new Refusal(
          'An output of this rung changes what the rung reads, and other outputs come behind it; give them rungs of their own first.',
        );
    });
  }

  private output(o: Output, power: Term): void {
    const when = (body: string) => {
      this.lines.push(power === TRUE ? body : `IF ${power.text} THEN ${body} END_IF;`);
    };
    switch (o.kind) {
      case 'coil':
        if (o.mode === 'plain') this.lines.push(`${o.tag} := ${power.text};`);
        else if (o.mode === 'negated')
          this.lines.push(`${o.tag} := NOT ${power.binds === 'one' ? power.text : `(${power.text})`};`);
        else if (o.mode === 'set') when(`${o.tag} := TRUE;`);
        else if (o.mode === 'reset') when(`${o.tag} := FALSE;`);
        else
          throw new Refusal(
            `The edge coil '${o.tag}' needs a memory of its own; declare an R_TRIG or F_TRIG for it first.`,
          );
        return;
      case 'action':
        if (o.once)
          throw new Refusal('What is done once per rise needs a memory of its own; declare an R_TRIG for it first.');
        when(/;\s*$/.test(o.text) ? o.text.trim() : `${o.text.trim()};`);
        return;
      case 'return':
        when('RETURN;');
        return;
      case 'path':
        this.outputs(o.outputs, this.part(o.logic, power));
    }
  }
}

function hasCall(p: Part, options: ToTextOptions): boolean {
  return isElement(p)
    ? p.kind === 'call' && options.block(p) !== undefined
    : (p.kind === 'series' ? p.parts : p.legs).some((x) => hasCall(x, options));
}
/** What an output may change: the names it writes, and whatever an action names. */
function writtenBy(o: Output): Set<string> {
  if (o.kind === 'coil') return names(o.tag);
  if (o.kind === 'action') return names(o.text);
  if (o.kind === 'path') return new Set(o.outputs.flatMap((x) => [...writtenBy(x)]));
  return new Set();
}

/**
 * The rungs that do what the statements do, as lines. `isReal` tells the tags whose comparisons can hold neither way
 * (NaN).
 */
export function textToRungs(
  text: string,
  isReal: (name: string) => boolean = () => false,
): Converted<{ readonly lines: readonly string[] }> {
  const problems = new Problems();
  const source = makeSource('', text, { kind: 'pou', id: '', name: '' });
  const statements = parseStatementsText(source, problems);
  if (problems.hasErrors) return { refused: `Offset ${problems.list[0]!.at.start + 1}: ${problems.list[0]!.message}` };
  if (!statements.length) return { refused: 'There is no statement here.' };
  try {
    const reader = new RungReader(source, isReal);
    return { lines: statements.map((s) => reader.rung(s)) };
  } catch (e) {
    if (e instanceof Refusal) return { refused: e.message };
    throw e;
  }
}

const slice = (at: Span): string => at.source.text.slice(at.start, at.end);
const checkedLine = (line: string): string => {
  const rung = parseRungLine(makeSource('', line), new Problems())?.rung;
  if (!rung) throw new Refusal('This has no shape that a rung can have.');
  return printRung(rung);
};

const literal = (e: Expression): boolean | undefined =>
  e.kind === 'literal' && e.literal.type === 'bool' ? e.literal.value : undefined;
const arrow = (p: Part | boolean): string => {
  if (p === false) throw new Refusal('A condition that is always off has no shape on a rung.');
  return p === true ? '-> ' : `${printRung({ logic: p, outputs: [] }).replace(/ ?-> $/, '')} -> `;
};

class RungReader {
  constructor(
    private readonly source: Source,
    private readonly isReal: (name: string) => boolean,
  ) {}

  rung(s: Statement): string {
    if (s.kind === 'assign') return checkedLine(`${arrow(this.partOf(s.value, false))}${slice(s.target.at)}`);
    if (s.kind === 'if') return this.ifRung(s);
    if (s.kind === 'return') return '-> return';
    return checkedLine(`-> { ${slice(s.at)} }`);
  }

  private ifRung(s: Statement & { readonly kind: 'if' }): string {
    const [branch, ...more] = s.branches;
    if (!branch || more.length) throw new Refusal('ELSIF has no shape on a rung; write one IF for each.');
    const front = arrow(this.partOf(branch.condition, false));
    const [only] = branch.body;
    const single = branch.body.length === 1 ? only : undefined;
    if (s.otherwise?.length) {
      const [other] = s.otherwise;
      if (
        single?.kind === 'assign' &&
        other?.kind === 'assign' &&
        s.otherwise.length === 1 &&
        slice(single.target.at).toLowerCase() === slice(other.target.at).toLowerCase() &&
        literal(single.value) !== undefined &&
        literal(other.value) === !literal(single.value)
      ) {
        return checkedLine(`${front}${literal(single.value) ? '' : '!'}${slice(single.target.at)}`);
      }
      throw new Refusal('ELSE has no shape on a rung unless both sides write one tag; write one IF for each.');
    }
    if (single?.kind === 'assign' && literal(single.value) !== undefined)
      return checkedLine(`${front}${literal(single.value) ? 'set' : 'reset'} ${slice(single.target.at)}`);
    if (single?.kind === 'return') return checkedLine(`${front}return`);
    if (!branch.body.length) throw new Refusal('This IF does nothing.');
    return checkedLine(`${front}{ ${this.source.text.slice(branch.body[0]!.at.start, branch.body.at(-1)!.at.end)} }`);
  }

  /** An expression as series and parallel parts; TRUE is a plain wire. NOT is carried down to the contacts. */
  private partOf(e: Expression, negated: boolean): Part | boolean {
    const known = literal(e);
    if (known !== undefined) return known !== negated;
    if (e.kind === 'unary' && e.op === 'NOT') return this.partOf(e.arg, !negated);
    if (e.kind === 'binary' && (e.op === 'AND' || e.op === 'OR')) {
      const a = this.partOf(e.left, negated),
        b = this.partOf(e.right, negated);
      const isSeries = (e.op === 'AND') !== negated;
      if (typeof a === 'boolean' || typeof b === 'boolean') {
        const [constant, other] = typeof a === 'boolean' ? [a, b] : [b as boolean, a];
        return constant === isSeries ? other : constant;
      }
      return isSeries ? series([a, b]) : parallel([a, b]);
    }
    if (e.kind === 'binary' && e.op === 'XOR') {
      const [a, na, b, nb] = [
        this.partOf(e.left, false),
        this.partOf(e.left, true),
        this.partOf(e.right, negated),
        this.partOf(e.right, !negated),
      ];
      if ([a, na, b, nb].some((x) => typeof x === 'boolean'))
        throw new Refusal('XOR with a constant has no shape on a rung.');
      return parallel([series([a as Part, nb as Part]), series([na as Part, b as Part])]);
    }
    if (e.kind === 'binary' && e.op in OPPOSITE) {
      // Beside a NaN neither `<` nor `>=` holds, so the opposite of an order is not the opposite order.
      const isOrder = e.op !== '=' && e.op !== '<>';
      if (negated && isOrder && [...names(slice(e.at))].some(this.isReal))
        return elementOf(`${enclosed(slice(e.at))} = FALSE`);
      return elementOf(
        `${operand(e.left)} ${negated ? OPPOSITE[e.op as keyof typeof OPPOSITE] : e.op} ${operand(e.right)}`,
      );
    }
    if (e.kind === 'call' && negated)
      throw new Refusal(`NOT before '${slice(e.at)}' has no shape on a rung; give its result a tag first.`);
    return elementOf(`${negated ? '!' : ''}${opened(slice(e.at))}`);
  }
}

const OPPOSITE = { '=': '<>', '<>': '=', '<': '>=', '>=': '<', '>': '<=', '<=': '>' } as const;
const operand = (e: Expression): string =>
  e.kind === 'binary' && /^(=|<>|<|>|<=|>=|AND|OR|XOR)$/.test(e.op) ? `(${slice(e.at)})` : slice(e.at);

function elementOf(text: string): Part {
  const rung = parseRungLine(makeSource('', `${text} -> x`), new Problems())?.rung;
  if (!rung?.logic) throw new Refusal(`'${text}' has no shape that an element can have.`);
  return rung.logic;
}

/** Without the parentheses around the whole of it. */
function opened(text: string): string {
  const t = text.trim();
  return t.startsWith('(') && enclosed(t) === t ? opened(t.slice(1, -1)) : t;
}

/** In parentheses, once. */
function enclosed(text: string): string {
  let depth = 0;
  const closes = [...text].findIndex((c) => {
    if (c === '(') depth++;
    else if (c === ')') depth--;
    return depth === 0;
  });
  return text.startsWith('(') && closes === text.length - 1 ? text : `(${text})`;
}

/** One rung for each output, with the same meaning, or why not. */
export function splitOutputs(line: string): Converted<{ readonly lines: readonly string[] }> {
  const rung = parseRungLine(makeSource('', line), new Problems())?.rung;
  if (!rung) return { refused: 'This rung cannot be read yet; mend its line first.' };
  if (rung.outputs.length < 2) return { refused: 'This rung has one output.' };
  const { logic } = rung;
  const isPlain =
    !logic ||
    nodesOf({ logic, outputs: [] }).every(
      (n) => n.kind === 'compare' || (n.kind === 'contact' && (n.mode === 'open' || n.mode === 'closed')),
    );
  const read = names(logic ? printRung({ logic, outputs: [] }) : '');
  const changes = (o: Output) => [...writtenBy(o)].some((n) => read.has(n)) || o.kind === 'return';
  const lineOf = (o: Output, front: Part | undefined): string =>
    printRung(
      o.kind === 'path'
        ? { logic: front ? series([front, o.logic]) : o.logic, outputs: o.outputs }
        : { ...(front ? { logic: front } : {}), outputs: [o] },
    );
  if (rung.outputs.some((o) => o.kind === 'path' && o.outputs.length > 1))
    return { refused: 'A path of this rung has several outputs of its own; take them apart first.' };
  if (isPlain && !rung.outputs.slice(0, -1).some(changes)) return { lines: rung.outputs.map((o) => lineOf(o, logic)) };
  // The conditions cannot be asked twice; where a plain coil comes first it holds the answer.
  const [first, ...rest] = rung.outputs;
  if (first?.kind === 'coil' && first.mode === 'plain') {
    const mine = names(first.tag);
    if (!rest.slice(0, -1).some((o) => [...writtenBy(o)].some((n) => mine.has(n)))) {
      const held: Part = { kind: 'contact', tag: first.tag, mode: 'open', start: 0, end: 0 };
      return { lines: [lineOf(first, logic), ...rest.map((o) => lineOf(o, held))] };
    }
  }
  return {
    refused: isPlain
      ? 'An output changes what the conditions read; split it by hand, with a tag for the conditions.'
      : 'The conditions hold an edge or a block and can be asked only once; put a plain coil first, or give them a tag.',
  };
}
