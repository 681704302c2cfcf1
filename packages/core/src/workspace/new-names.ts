/**
 * Names that a rung or a text uses and nothing declares, each with the type that its place asks for: BOOL for contacts,
 * coils and conditions, the pin's type at a block (the standard's, Ferrule's and the project's own), the type of the
 * other side of a comparison or an assignment. An instance has the block that its pins point to.
 */
import { Problems } from '../language/diagnostic.js';
import { parseFile, parseVariableSections } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import { RESERVED } from '../language/token-stream.js';
import type { Argument, Expression, Statement, TypeSpec, VariableBlock } from '../language/tree.js';
import { type ParsedRung, parseRungLine } from '../ladder/parse.js';
import { nodesOf } from '../ladder/rung.js';
import { standardBlocks } from '../library/blocks.js';
import { isStandardFunction } from '../library/functions.js';
import { SYSTEM } from '../library/system.js';
import type { Project, ProjectPou } from '../document/document.js';
import { guessTag } from './guess.js';

export interface NewName {
  readonly name: string;
  /** Undefined where nothing asks for one. */ readonly type: string | undefined;
}

/** Types of names that are declared in the program itself, by lower-case name. */
export type OwnTypes = ReadonlyMap<string, string>;

/**
 * Names on a rung line that nothing declares and whose type is known. `known` holds lower-case names declared
 * elsewhere. A line that cannot be read has none.
 */
export function newNames(
  project: Project,
  line: string,
  known: (name: string) => boolean,
  own: OwnTypes = new Map(),
): readonly NewName[] {
  const parsed = parseRungLine(makeSource('', line), new Problems());
  if (!parsed) return [];
  return inferNames(project, known, own, (n) => n.rung(parsed)).filter((x) => x.type !== undefined);
}

/** The same of a program, block or function in structured text; names whose type nothing asks for are among them. */
export function newNamesOfText(
  project: Project,
  text: string,
  known: (name: string) => boolean,
  own: OwnTypes,
): readonly NewName[] {
  const bodies = parseFile(makeSource('', text), new Problems()).flatMap((d) =>
    d.kind === 'pou' ? [d.body, ...d.methods.map((m) => m.body)] : [],
  );
  return inferNames(project, known, own, (n) => {
    for (const b of bodies) n.statements(b);
  });
}

/** What one place says of a type another may need: the walk is done again until it finds nothing more. */
function inferNames(
  project: Project,
  known: (name: string) => boolean,
  own: OwnTypes,
  walk: (n: NameTypes) => void,
): readonly NewName[] {
  const n = new NameTypes(project, known, own);
  for (let round = 0, before = -1; round < 5 && before !== n.count; round++) {
    before = n.count;
    walk(n);
  }
  return n.list();
}

const PASSES_ON = /^(ABS|MIN|MAX|LIMIT|MOVE|ADD|SUB|MUL|DIV)$/i,
  COMPARES = /^(GT|GE|EQ|LE|LT|NE)$/i,
  COMPARISON = /^(=|<>|<|>|<=|>=)$/;

class NameTypes {
  private readonly found = new Map<string, { name: string; type: string | undefined }>();
  private readonly tags: ReadonlyMap<string, string>;
  private readonly values: ReadonlyMap<string, string>;

  constructor(
    private readonly project: Project,
    private readonly known: (name: string) => boolean,
    private readonly own: OwnTypes,
  ) {
    this.tags = new Map(project.tags.map((t) => [t.name.toLowerCase(), t.type]));
    this.values = enumerationValues(project);
  }

  /** Names with a type so far. */
  get count(): number {
    return [...this.found.values()].filter((x) => x.type).length;
  }
  list(): readonly NewName[] {
    return [...this.found.values()];
  }

  private add(name: string, type: string | undefined): void {
    const key = name.toLowerCase();
    const before = this.found.get(key);
    if (before) {
      before.type ??= type;
      return;
    }
    if (
      key === SYSTEM.toLowerCase() ||
      this.known(key) ||
      this.own.has(key) ||
      this.values.has(key) ||
      isStandardFunction(name) ||
      RESERVED.has(name.toUpperCase())
    )
      return;
    this.found.set(key, { name, type });
  }

  rung(parsed: ParsedRung): void {
    for (const n of nodesOf(parsed.rung)) {
      const code = parsed.code.get(n.start);
      if (!code) continue;
      if (code.statements) this.statements(code.statements);
      else if (code.call)
        this.call(code.call, 'BOOL', {
          ...(code.type ? { type: code.type.text } : {}),
          pins: [code.inPin?.text, code.outPin?.text].filter((p) => p !== undefined),
        });
      else if (code.expression) this.expression(code.expression, n.kind === 'compare' ? undefined : 'BOOL');
    }
  }

  statements(list: readonly Statement[]): void {
    for (const s of list) this.statement(s);
  }

  private statement(s: Statement): void {
    switch (s.kind) {
      case 'assign': {
        const type = this.typeOf(s.target) ?? this.typeOf(s.value) ?? this.guessedNumber(s.target);
        this.expression(s.target, type);
        this.expression(s.value, type);
        return;
      }
      case 'call':
        this.expression(s.call, undefined);
        return;
      case 'if':
        for (const b of s.branches) {
          this.expression(b.condition, 'BOOL');
          this.statements(b.body);
        }
        this.statements(s.otherwise ?? []);
        return;
      case 'case': {
        const labels = s.arms.flatMap((a) => a.labels.flatMap((l) => [l.low, ...(l.high ? [l.high] : [])]));
        const type = this.typeOf(s.selector) ?? labels.map((l) => this.typeOf(l)).find((t) => t !== undefined) ?? 'INT';
        this.expression(s.selector, type);
        for (const l of labels) this.expression(l, type);
        for (const a of s.arms) this.statements(a.body);
        this.statements(s.otherwise ?? []);
        return;
      }
      case 'for':
        for (const e of [s.variable, s.from, s.to, ...(s.by ? [s.by] : [])])
          this.expression(e, this.typeOf(s.variable) ?? 'INT');
        this.statements(s.body);
        return;
      case 'while':
        this.expression(s.condition, 'BOOL');
        this.statements(s.body);
        return;
      case 'repeat':
        this.statements(s.body);
        this.expression(s.until, 'BOOL');
        return;
      default:
    }
  }

  private expression(e: Expression, wanted: string | undefined): void {
    switch (e.kind) {
      case 'name':
        this.add(e.name, wanted);
        return;
      case 'member':
        if (e.base.kind === 'name')
          this.add(e.base.name, /^ET$|^Q$/i.test(e.name.text) ? 'TON' : /^CV$/i.test(e.name.text) ? 'CTU' : undefined);
        else this.expression(e.base, undefined);
        return;
      case 'part':
      case 'dereference':
        this.expression(e.base, undefined);
        return;
      case 'index':
        this.expression(e.base, undefined);
        for (const i of e.indices) this.expression(i, 'INT');
        return;
      case 'unary':
        this.expression(e.arg, e.op === 'NOT' ? (wanted ?? 'BOOL') : wanted);
        return;
      case 'binary':
        this.binary(e, wanted);
        return;
      case 'call':
        this.call(e, wanted, { pins: [] });
        return;
      default:
    }
  }

  private binary(e: Expression & { readonly kind: 'binary' }, wanted: string | undefined): void {
    const either = this.typeOf(e.left) ?? this.typeOf(e.right),
      guessed = this.guessedNumber(e.left) ?? this.guessedNumber(e.right);
    const type = COMPARISON.test(e.op)
      ? (either ?? guessed ?? 'INT')
      : /^(AND|OR|XOR)$/.test(e.op)
        ? (wanted ?? either ?? 'BOOL')
        : (wanted ?? either ?? guessed ?? 'INT');
    this.expression(e.left, type);
    // A time is so many times as long, and no time squared.
    this.expression(e.right, /^L?TIME$/i.test(type) && /^[*/]$/.test(e.op) ? 'INT' : type);
  }

  private call(
    e: Expression & { readonly kind: 'call' },
    wanted: string | undefined,
    said: { readonly type?: string; readonly pins: readonly string[] },
  ): void {
    const name = e.callee.kind === 'name' ? e.callee.name : undefined;
    if (name && isStandardFunction(name)) {
      this.functionArguments(name, e.args, wanted);
      return;
    }
    const fun = name
      ? this.project.pous.find((p) => p.kind === 'function' && p.name.toLowerCase() === name.toLowerCase())
      : undefined;
    if (fun) {
      const inputs = [...pinsOf(this.project, fun.name)].filter(([, p]) => p.section === 'VAR_INPUT');
      e.args.forEach((a, i) =>
        this.expression(
          a.value,
          (a.name ? pinsOf(this.project, fun.name).get(key(a.name.text)) : inputs[i]?.[1])?.type,
        ),
      );
      return;
    }
    const pins = [...said.pins, ...e.args.flatMap((a) => (a.name ? [a.name.text] : []))];
    const type = said.type ?? (name ? this.typeOfName(name) : this.typeOf(e.callee)) ?? blockOfPins(this.project, pins);
    if (name && !said.type) this.add(name, type);
    const declared = type === undefined ? undefined : pinsOf(this.project, type);
    for (const a of e.args) this.expression(a.value, a.name ? declared?.get(key(a.name.text))?.type : undefined);
  }

  /** What a function of the standard asks of its inputs, where that follows from its name or from the other inputs. */
  private functionArguments(name: string, args: readonly Argument[], wanted: string | undefined): void {
    const converts = /^([A-Z]+)_TO_[A-Z]+$/i.exec(name)?.[1];
    const either = args.map((a) => this.typeOf(a.value)).find((t) => t !== undefined);
    args.forEach((a, i) => {
      const type =
        converts ??
        (/^SEL$/i.test(name) && i === 0
          ? 'BOOL'
          : COMPARES.test(name)
            ? (either ?? 'INT')
            : PASSES_ON.test(name) || /^SEL$/i.test(name)
              ? (wanted ?? either)
              : /^(AND|OR|XOR|NOT)$/i.test(name)
                ? (wanted ?? 'BOOL')
                : undefined);
      this.expression(a.value, type?.toUpperCase() === 'BOOL' ? 'BOOL' : type);
    });
  }

  private typeOfName(name: string): string | undefined {
    const k = key(name);
    return this.own.get(k) ?? this.tags.get(k) ?? this.values.get(k) ?? this.found.get(k)?.type;
  }

  private typeOf(e: Expression): string | undefined {
    switch (e.kind) {
      case 'literal':
        return e.prefix?.text ?? LITERAL[e.literal.type];
      case 'typedName':
        return e.prefix.text;
      case 'name':
        return this.typeOfName(e.name);
      case 'member': {
        const base = this.typeOf(e.base);
        return base === undefined ? undefined : pinsOf(this.project, base).get(key(e.name.text))?.type;
      }
      case 'part':
        return e.size === 'X' ? 'BOOL' : undefined;
      case 'unary':
        return this.typeOf(e.arg);
      case 'binary':
        return COMPARISON.test(e.op) ? 'BOOL' : (this.typeOf(e.left) ?? this.typeOf(e.right));
      case 'call': {
        const name = e.callee.kind === 'name' ? e.callee.name : '';
        const to = /^[A-Z]+_TO_([A-Z]+)$/i.exec(name)?.[1];
        return to ?? (COMPARES.test(name) ? 'BOOL' : undefined);
      }
      default:
        return undefined;
    }
  }

  /** A name that says by itself what it is: a level, a count. */
  private guessedNumber(e: Expression): string | undefined {
    if (e.kind !== 'name') return undefined;
    const { type } = guessTag(e.name, []);
    return /^(INT|REAL)$/.test(type) ? type : undefined;
  }
}

const key = (name: string): string => name.toLowerCase();
const LITERAL: Readonly<Record<string, string | undefined>> = {
  int: 'INT',
  real: 'REAL',
  bool: 'BOOL',
  time: 'TIME',
  string: 'STRING',
};

/** Values of the project's enumerations in lower case, each with its type. */
function enumerationValues(project: Project): ReadonlyMap<string, string> {
  return new Map([
    ...project.types.flatMap((t) => valuesIn(t, `TYPE ${t.text}\nEND_TYPE`)),
    ...project.pous.flatMap((p) => (p.language === 'ST' && /\bTYPE\b/i.test(p.text) ? valuesIn(p, p.text) : [])),
  ]);
}
type Values = readonly (readonly [string, string])[];
const valuesKept = new WeakMap<object, Values>();
/** Lower-case names of values in a text, each with its type; the text is that of `of`. */
function valuesIn(of: object, text: string): Values {
  let values = valuesKept.get(of);
  if (!values) {
    values = parseFile(makeSource('', text), new Problems()).flatMap((d) =>
      d.kind === 'type' && d.spec.kind === 'enum'
        ? d.spec.values.map((v) => [v.name.text.toLowerCase(), d.name.text] as const)
        : [],
    );
    valuesKept.set(of, values);
  }
  return values;
}

interface Pin {
  readonly name: string;
  readonly type: string | undefined;
  readonly section: VariableBlock['section'];
}
export type Pins = ReadonlyMap<string, Pin>;
const NONE: Pins = new Map();
const kept = new WeakMap<ProjectPou, Pins>();

/**
 * Inputs, outputs and in-outs of a block or function by lower-case name, of the project or of the library; none where
 * there is no such type.
 */
export function pinsOf(project: Project, type: string): Pins {
  const pou = project.pous.find((p) => p.kind !== 'program' && key(p.name) === key(type));
  if (!pou) {
    const block = standardBlocks().get(key(type));
    return block ? pinsIn(block.blocks) : NONE;
  }
  let pins = kept.get(pou);
  if (!pins) {
    const problems = new Problems();
    const blocks =
      pou.language === 'LD'
        ? parseVariableSections(makeSource('', pou.variables ?? ''), problems)
        : parseFile(makeSource('', pou.text), problems).flatMap((d) => (d.kind === 'pou' ? d.blocks : []));
    kept.set(pou, (pins = pinsIn(blocks)));
  }
  return pins;
}

function pinsIn(blocks: readonly VariableBlock[]): Pins {
  return new Map(
    blocks
      .filter((b) => /^VAR_(INPUT|OUTPUT|IN_OUT)$/.test(b.section))
      .flatMap((b) =>
        b.variables.flatMap((v) =>
          v.names.map((n): [string, Pin] => [
            key(n.text),
            { name: n.text, type: typeOfSpec(v.type), section: b.section },
          ]),
        ),
      ),
  );
}
/** The type as it is written; undefined where a tag could not be declared so (a type without a name of its own). */
const typeOfSpec = (t: TypeSpec): string | undefined =>
  t.kind === 'named' || t.kind === 'string' || t.kind === 'array'
    ? t.at.source.text.slice(t.at.start, t.at.end).trim() || undefined
    : undefined;

/**
 * The likeliest first: a timer before all, what only has a reset before a counter that nothing limits; then the
 * project's own, then Ferrule's.
 */
const LIKELY = ['TON', 'SR', 'RS', 'CTU', 'CTD', 'CTUD', 'R_TRIG'];

/** The block that has all of these pins; undefined where there are none to tell by, or no block has them. */
export function blockOfPins(project: Project, pins: readonly string[]): string | undefined {
  if (!pins.length) return undefined;
  const names = [
    ...LIKELY,
    ...project.pous.filter((p) => p.kind === 'functionBlock').map((p) => p.name),
    ...[...standardBlocks().values()].map((p) => p.name.text),
  ];
  return names.find((n) => {
    const has = pinsOf(project, n);
    return pins.every((p) => has.has(key(p)));
  });
}
