/**
 * The statements of one unit as C, from the intermediate representation. Nothing is decided here: it is written down.
 */
import type { CheckedPou, Variable } from '../../checked/tree.js';
import { FAULTS } from '../../compile/image.js';
import { C_TYPES, OPS } from '../../ir/ops.js';
import { type Machine, machineOf } from '../../ir/machine.js';
import type { Place, Statement, Unit, Value } from '../../ir/tree.js';
import { contains, usedTemps } from '../../ir/walk.js';
import { type Span, placeText, positionOf } from '../../language/source.js';
import { type Constant, type Type, defaultValue, isScalar, sizeOf, stride, typeText } from '../../types/type.js';
import { NotInC, blockType, isOpen } from './types.js';
import { Names } from './names.js';
import { initialStatements } from './initial.js';
import { type Spot, type Surroundings, bare, dot, literal } from './surroundings.js';

export class UnitPrinter {
  private readonly names: Names;
  private readonly lines: string[] = [];
  private depth = 1;
  private usedTemps: ReadonlySet<number>;
  private readonly usedVariables = new Set<Variable>();
  private readonly known = new Map<Variable, string>();
  private readonly temps: Unit['temps'];
  private readonly jumps = new Set<number>();
  private noted = '';

  constructor(
    private readonly around: Surroundings,
    private readonly unit: {
      readonly pou?: CheckedPou;
      readonly body: readonly Statement[];
      readonly temps: Unit['temps'];
    },
  ) {
    this.names = new Names(around.globals);
    this.temps = unit.temps;
    this.usedTemps = usedTemps(unit.body);
  }

  /** `static void Main(struct Main *self)` */
  static signature(around: Surroundings, pou: CheckedPou, name: string): string {
    return new UnitPrinter(around, { pou, body: [], temps: [] }).head(name);
  }
  private head(name: string): string {
    const { types } = this.around,
      pou = this.unit.pou!;
    const isCalled = pou.pou === 'FUNCTION' || pou.pou === 'METHOD';
    const parameters: string[] = [];
    if (pou.pou !== 'FUNCTION') parameters.push(selfPointer(this.around, pou));
    if (isCalled) {
      for (const v of pou.variables)
        if (v.section === 'input' || v.section === 'inout' || v.section === 'bound')
          parameters.push(
            this.isByAddress(v) ? types.pointer(v.type, this.parameter(v)) : types.declare(v.type, this.name(v)),
          );
      for (const v of pou.variables) if (v.section === 'output') parameters.push(types.pointer(v.type, this.name(v)));
      const result = pou.result;
      if (result && isLarge(result.type)) parameters.push(types.pointer(result.type, this.name(result)));
    }
    const type = isCalled && pou.result && pou.result.type.kind !== 'unknown' ? pou.result.type : undefined;
    const head = `${name}(${parameters.join(', ') || 'void'})`;
    return type && !isLarge(type) ? types.declare(type, head) : `void ${head}`;
  }
  /** Handed over by its address: in-outs, and what is too large for a value. */
  private isByAddress(v: Variable): boolean {
    return v.home.kind === 'localReference' || isLarge(v.type);
  }
  /** A large input is copied at the start: its parameter has a name of its own. */
  private parameter(v: Variable): string {
    return v.home.kind === 'localReference' ? this.name(v) : this.names.of(`given ${v.name}`, `given_${v.name}`);
  }
  private name(v: Variable): string {
    let name = this.known.get(v);
    if (!name) this.known.set(v, (name = this.names.of(v, v.name)));
    return name;
  }

  /** The whole function. */
  print(name: string): string {
    const pou = this.unit.pou!;
    const head = this.head(name);
    this.statements(this.unit.body);
    if (pou.inheritsBody && pou.base) this.line(`${this.around.functionName(pou.base, false)}(&self->base);`);
    const { result } = pou;
    if (result && result.type.kind !== 'unknown' && !isLarge(result.type)) {
      this.usedVariables.add(result);
      this.line(`return ${this.name(result)};`);
    }
    const body = this.lines.splice(0);
    this.opening(pou);
    return `${head} {\n${[...this.lines, ...body].join('\n')}\n}\n`;
  }
  /** Statements alone, for a function that is made elsewhere. */
  printLoose(value?: Value): string[] {
    this.usedTemps = usedTemps(this.unit.body, value);
    this.statements(this.unit.body);
    return this.lines;
  }
  loose(value: Value): string {
    return bare(this.value(value));
  }

  /** Locals start anew at each call (6.5.2, VAR_TEMP; functions keep nothing). */
  private opening(pou: CheckedPou): void {
    const { types } = this.around;
    const isCalled = pou.pou === 'FUNCTION' || pou.pou === 'METHOD';
    if (pou.pou !== 'FUNCTION' && !this.usesSelf) this.line('(void)self;');
    for (const v of pou.variables) {
      if (
        v.section === 'hidden' ||
        (v.home.kind !== 'local' && v.home.kind !== 'frame' && v.home.kind !== 'localReference')
      )
        continue;
      const isUsed = this.usedVariables.has(v);
      const isParameter = isCalled && (v.section === 'input' || v.section === 'inout' || v.section === 'bound');
      const name = this.name(v);
      if (isParameter) {
        if (!this.isByAddress(v) || v.home.kind === 'localReference') {
          if (!isUsed) this.line(`(void)${name};`);
          continue;
        }
        if (!isUsed) {
          this.line(`(void)${this.parameter(v)};`);
          continue;
        }
        this.line(`${types.declare(v.type, name)};`);
        if (v.type.kind === 'string')
          this.line(`text_assign(&${name}, ${v.type.max}, ${widthOf(v.type)}, ${this.parameter(v)});`);
        else this.line(`memcpy(&${name}, ${this.parameter(v)}, sizeof ${name});`);
        continue;
      }
      const isPointer = v.section === 'output' || (v === pou.result && isLarge(v.type));
      if (isPointer) {
        this.start(v, `(*${name})`);
        continue;
      }
      if (!isUsed) continue;
      const initial = v.initial ?? (isScalar(v.type) ? defaultValue(v.type) : undefined);
      if (isScalar(v.type) && initial !== undefined)
        this.line(`${types.declare(v.type, name)} = ${bare(literal(machineOf(v.type), asNumber(initial)))};`);
      else if (v.type.kind === 'ref' || v.type.kind === 'interface') this.line(`${types.declare(v.type, name)} = 0;`);
      else {
        this.line(`${types.declare(v.type, name)};`);
        this.start(v, name);
      }
      if (!this.readVariables.has(v)) this.line(`(void)${name};`);
    }
  }
  /** Start value of a local that lies in memory, or of an output. */
  private start(v: Variable, c: string): void {
    const value = v.initial ?? v.template?.initial ?? (isScalar(v.type) ? defaultValue(v.type) : undefined);
    if (isScalar(v.type) && value !== undefined) {
      this.line(`${bare(c)} = ${bare(literal(machineOf(v.type), asNumber(value)))};`);
      return;
    }
    if (v.type.kind === 'ref' || v.type.kind === 'interface') {
      this.line(`${bare(c)} = 0;`);
      return;
    }
    if (c.startsWith('(*') && v.type.kind === 'string') {
      this.line(`text_clear(${bare(c).slice(1)});`);
      if (typeof value === 'string' && value !== '')
        this.line(
          `text_assign(${bare(c).slice(1)}, ${v.type.max}, ${widthOf(v.type)}, ${this.around.text(value, v.type.wide)});`,
        );
      return;
    }
    this.line(`memset(&${c}, 0, sizeof ${c});`);
    if (value !== undefined)
      this.lines.push(...initialStatements(this.around, v.type, value, c, this.indent, { c, type: v.type }));
  }

  private get indent(): string {
    return '  '.repeat(this.depth);
  }
  private line(c: string): void {
    this.lines.push(`${this.indent}${c}`);
  }
  private block(list: readonly Statement[]): void {
    this.depth++;
    this.statements(list);
    this.depth--;
  }
  private statements(list: readonly Statement[]): void {
    for (const s of list) this.statement(s);
  }

  private statement(s: Statement): void {
    switch (s.kind) {
      case 'note':
        this.note(s.at);
        return;
      case 'let': {
        if (!this.usedTemps.has(s.temp)) return;
        this.line(`${this.declareTemp(s.temp)} = ${bare(this.value(s.value))};`);
        return;
      }
      case 'room':
        this.line(`${this.around.types.declare(s.type, `r${s.room}`)};`);
        if (s.type.kind === 'string') this.line(`text_clear(&r${s.room});`);
        return;
      case 'store':
        this.store(
          this.spot(s.place),
          s.place.type,
          s.value.type === 'pointer'
            ? bare(this.pointerTo(s.value, s.place.type.kind === 'ref' ? s.place.type.target : s.place.type))
            : bare(this.value(s.value)),
        );
        return;
      case 'copy':
        this.copy(s.to, s.from);
        return;
      case 'fault':
        this.line(`if (${bare(this.value(s.when))})`);
        this.line(
          `  ferrule_fault(${FAULTS.indexOf(s.fault)}, ${this.around.locate(s.at, s.shown !== undefined && (s.shown.type === 'u32' || s.shown.type === 'u64'))}, ${s.shown ? this.shown(s.shown) : '0'}); /* ${s.fault} */`,
        );
        return;
      case 'call':
        this.call(s);
        return;
      case 'text': {
        const [to, ...rest] = s.args.map((a) => bare(this.value(a)));
        this.line(`text_${SNAKE[s.maker] ?? s.maker}(${[to, s.type.max, widthOf(s.type), ...rest].join(', ')});`);
        return;
      }
      case 'if':
        this.ifStatement(s, '');
        return;
      case 'loop':
        this.line('for (;;) {');
        this.depth++;
        this.line('if (--ferrule.budget == 0)');
        this.line(
          `  ferrule_fault(${FAULTS.indexOf('WATCHDOG')}, ${this.around.locate(s.at, false)}, 0); /* WATCHDOG */`,
        );
        this.statements(s.head);
        this.loopBody(s);
        this.statements(s.tail);
        this.depth--;
        this.line('}');
        return;
      case 'leave':
        this.line('break;');
        return;
      case 'next':
        this.jumps.add(s.label);
        this.line(`goto next_${s.label};`);
        return;
      // Nobody watches a board's rungs.
      case 'probe':
      case 'rungEnd':
      case 'taken':
        return;
      case 'return': {
        const result = this.unit.pou?.result;
        const isValue = result && result.type.kind !== 'unknown' && !isLarge(result.type);
        if (isValue) {
          this.usedVariables.add(result);
          this.readVariables.add(result);
        }
        this.line(isValue ? `return ${this.name(result)};` : 'return;');
        return;
      }
    }
  }

  private loopBody(s: Statement & { kind: 'loop' }): void {
    const hasNext = contains(s.body, (x) => x.kind === 'next' && x.label === s.label);
    if (!hasNext) {
      this.statements(s.body);
      return;
    }
    this.line('{');
    this.block(s.body);
    this.line('}');
    this.lines.push(`${'  '.repeat(Math.max(this.depth - 1, 0))}next_${s.label}:;`);
  }

  private ifStatement(s: Statement & { kind: 'if' }, before: string): void {
    this.line(`${before}if (${bare(this.value(s.condition))}) {`);
    this.block(s.then);
    const [only, ...more] = s.otherwise;
    if (only?.kind === 'if' && !more.length) {
      this.ifStatement(only, '} else ');
      return;
    }
    if (only) {
      this.line('} else {');
      this.block(s.otherwise);
    }
    this.line('}');
  }

  private call(s: Statement & { kind: 'call' }): void {
    const args: string[] = [];
    if (s.self) args.push(this.pointerTo(s.self, s.pou.owner ? ownerType(s.pou) : blockType(s.pou)));
    for (const a of s.args) args.push(this.argument(a.variable, a.value));
    for (const o of s.outputs) args.push(isOpen(o.variable.type) ? `r${o.room}` : `&r${o.room}`);
    if (s.result && 'room' in s.result) args.push(`&r${s.result.room}`);
    const call = `${this.around.functionName(s.pou, s.isVirtual)}(${args.join(', ')});`;
    if (s.isReentrant) this.line(`ferrule_enter(${this.around.locate(s.at, false)});`);
    if (s.result && 'temp' in s.result && this.usedTemps.has(s.result.temp))
      this.line(`${this.declareTemp(s.result.temp)} = ${call}`);
    else this.line(call);
    if (s.isReentrant) this.line('ferrule_leave();');
  }
  private argument(v: Variable, value: Value): string {
    return value.type === 'pointer' && (this.isByAddress(v) || v.type.kind === 'ref' || v.type.kind === 'interface')
      ? this.pointerTo(value, v.type.kind === 'ref' ? v.type.target : v.type)
      : bare(this.value(value));
  }

  private declareTemp(temp: number): string {
    const { type, to } = this.temps[temp]!;
    if (type === 'pointer') return this.around.types.pointer(to ?? { kind: 'unknown' }, `t${temp}`);
    return `const ${C_TYPES[type]} t${temp}`;
  }

  private shown(v: Value): string {
    const c = this.value(v);
    return v.type === 'i64' ? bare(c) : `(int64_t)${c}`;
  }

  /** Where a place is, as C says it. */
  private spot(p: Place): Spot {
    let at = this.root(p);
    for (const step of p.steps) {
      if (step.kind === 'member') {
        const of = step.of;
        if (of.kind !== 'struct' && of.kind !== 'block') throw new NotInC(`${typeText(of)} has no members`);
        if (at.kind === 'bytes') at = { kind: 'bytes', c: `${at.c} + ${step.offset}`, type: step.type };
        else if (of.kind === 'struct' && of.overlap)
          at = { kind: 'bytes', c: `${dot(at.c)}bytes + ${step.offset}`, type: step.type };
        else {
          const member = this.around.types.member(of, step.offset, step.type);
          at = { kind: 'variable', c: `${dot(at.c)}${member.path}`, type: member.type };
        }
        continue;
      }
      const { element } = step.array,
        index = bare(this.value(step.index));
      if (at.kind === 'bytes') at = { kind: 'bytes', c: `${at.c} + ${stride(element)} * (${index})`, type: element };
      else at = { kind: 'variable', c: `${at.c}[${index}]`, type: element };
    }
    return at;
  }
  private root(p: Place): Spot {
    const at = (c: string): Spot => ({ kind: 'variable', c, type: p.rootType });
    const { root } = p;
    switch (root.kind) {
      case 'tag':
        return this.around.tag(root.variable);
      case 'local': {
        this.usedVariables.add(root.variable);
        const v = root.variable,
          name = this.name(v);
        return at(v.section === 'output' || (v === this.unit.pou?.result && isLarge(v.type)) ? `(*${name})` : name);
      }
      case 'given': {
        this.usedVariables.add(root.variable);
        const name = this.name(root.variable);
        return at(isOpen(root.variable.type) ? name : `(*${name})`);
      }
      case 'self':
        this.usesSelf = true;
        return at('(*self)');
      case 'target': {
        const to = p.rootType;
        const c = this.pointerTo(root.pointer, to);
        return at(isOpen(to) ? c : `(*${c})`);
      }
      case 'room':
        return at(`r${root.room}`);
      case 'text':
        return at(`(*(struct text *)${this.around.text(root.text, p.rootType.kind === 'string' && p.rootType.wide)})`);
    }
  }
  private usesSelf = false;
  private readonly readVariables = new Set<Variable>();
  private read(p: Place): void {
    if (p.root.kind === 'local') this.readVariables.add(p.root.variable);
  }

  private store(at: Spot, type: Type, value: string): void {
    if (at.kind === 'variable') {
      const c = bare(at.c);
      // What a statement gives to itself changes nothing, and compilers take it for a slip.
      if (c !== value) this.line(`${c} = ${value};`);
    } else if (at.bit !== undefined) this.line(`put_bit(${at.c}, ${at.bit}, ${value});`);
    else this.line(`put_${machineOf(type)}(${at.c}, ${value});`);
  }
  private load(p: Place, type: Machine): string {
    this.read(p);
    const at = this.spot(p);
    if (at.kind === 'variable') return bare(at.c).startsWith('*') ? `(${bare(at.c)})` : bare(at.c);
    if (type === 'pointer') throw new NotInC('a reference that lies over other values');
    return at.bit !== undefined ? `get_bit(${at.c}, ${at.bit})` : `get_${type}(${at.c})`;
  }

  private copy(to: Place, from: Place): void {
    this.read(from);
    const target = this.spot(to),
      source = this.spot(from);
    if (target.kind === 'variable' && source.kind === 'variable') {
      const [a, b] = [bare(target.c), bare(source.c)];
      if (a === b) return;
      if (to.type.kind === 'array' || from.type.kind === 'array' || !this.isSame(target.type, source.type))
        this.line(`memmove(&${target.c}, &${source.c}, sizeof ${target.c});`);
      else this.line(`${a} = ${b};`);
    } else if (target.kind === 'bytes' && source.kind === 'bytes')
      this.line(`memmove(${target.c}, ${source.c}, ${sizeOf(to.type)});`);
    else
      throw new NotInC(
        `${typeText(to.type)} as a whole where it shares its memory with others: copy its members one by one`,
      );
  }
  private isSame(a: Type, b: Type): boolean {
    return a.kind === b.kind && 'name' in a && 'name' in b && a.name === b.name;
  }

  /**
   * An address as the type that is wanted: of a derived instance where one of its base is, without a type where only
   * that it is one counts.
   */
  private pointerTo(v: Value, to: Type): string {
    const { types } = this.around;
    const has = v.kind === 'address' ? this.spotType(v.place) : 'to' in v ? v.to : undefined;
    const c = this.value(v);
    if (!has || v.kind === 'null') return v.kind === 'op' ? `(${types.castTo(to)}${c})` : c;
    const want = types.pointer(to, ''),
      got = types.pointer(has, '');
    return want === got || want.trim() === 'void *' ? c : `(${types.castTo(to)}${c})`;
  }
  private spotType(p: Place): Type {
    return this.spot(p).type;
  }
  private address(p: Place): string {
    this.read(p);
    const at = this.spot(p);
    if (p.root.kind === 'text') return this.around.text(p.root.text, p.rootType.kind === 'string' && p.rootType.wide);
    if (at.kind === 'bytes')
      throw new NotInC(
        `the address of ${typeText(p.type)} where it shares its memory with others: use a tag of its own`,
      );
    if (isOpen(at.type)) return bare(at.c);
    const c = bare(at.c);
    return c.startsWith('*') && !c.includes('->') && !/[[\].]/.test(c) ? c.slice(1) : `&${at.c}`;
  }

  value(v: Value): string {
    switch (v.kind) {
      case 'constant':
        return literal(v.type, v.value);
      case 'temp':
        return `t${v.temp}`;
      case 'load':
        return this.load(v.place, v.type);
      case 'null':
        return 'NULL';
      case 'clock':
        return `ferrule.${v.what}`;
      case 'address':
        return this.address(v.place);
      case 'op':
        return this.operation(v);
    }
  }
  private operation(v: Value & { kind: 'op' }): string {
    const args = v.args.map((a) => {
      const c = this.value(a);
      // `a && b && c` reads better than with parentheses inside.
      const isChain = (v.op === 'and' || v.op === 'or') && v.type === 'bool' && a.kind === 'op' && a.op === v.op;
      return isChain ? bare(c) : c;
    });
    if (COMPARES.has(v.op)) {
      // Compilers take a comparison of a thing with itself for a slip: said by a function.
      const known = v.args.some((a) => a.kind === 'constant'),
        worked = v.args.some((a) => a.kind === 'op');
      // So for one whose outcome the range of its parts decides.
      if (args[0] === args[1] || (known && worked && v.from !== 'bool')) return `${v.op}_${v.from}(${args.join(', ')})`;
      if (v.from === 'pointer') return `((void *)${args[0]} ${v.op === 'eq' ? '==' : '!='} (void *)${args[1]})`;
    }
    if (v.op === 'select' && v.type === 'pointer') return `(${args[0]} ? (void *)${args[1]} : (void *)${args[2]})`;
    return OPS[v.op].c(v.from, v.type, ...args);
  }

  /** Where the following comes from: a line of the text, or a rung. */
  private note(at: Span): void {
    const { source } = at;
    const text =
      source.origin.kind === 'rung' ? source.text : (source.text.slice(at.start).split(/[\r\n]/, 1)[0] ?? '');
    const key = `${placeOf(at)}`;
    if (key === this.noted) return;
    this.noted = key;
    if (source.origin.kind === 'library') return;
    this.line(`/* ${placeOf(at)}: ${comment(text.trim())} */`);
  }
}

const SNAKE: Record<string, string> = { fromInt: 'from_int', fromChar: 'from_char' };
const COMPARES = new Set<string>(['eq', 'ne', 'lt', 'le', 'gt', 'ge']);

/** The place of a statement, without its column. */
const placeOf = (at: Span): string => {
  const { source } = at;
  if (source.origin.kind === 'rung')
    return placeText({ ...at, start: at.start, end: at.end }).replace(/\/element \d+$/, '');
  return placeText(at).replace(/:\d+$/, '') || `${positionOf(source, at.start).line}`;
};

/** Text that may stand in a comment of C. */
export const comment = (text: string): string =>
  (text.length > 100 ? `${text.slice(0, 97)}...` : text)
    .replace(/\*\//g, '* /')
    .replace(/\/\*/g, '/ *')
    .replace(/\\$/, '')
    .replace(/\?\?/g, '? ?')
    .replace(/[^\x20-\x7e\u00a0-\uffff]/g, ' ');

export const isLarge = (t: Type): boolean => !isScalar(t) && t.kind !== 'ref' && t.kind !== 'interface';
const widthOf = (t: Type): number => (t.kind === 'string' && t.wide ? 2 : 1);
const asNumber = (c: Constant): bigint | number => (typeof c === 'boolean' ? (c ? 1n : 0n) : (c as bigint | number));
const ownerType = (pou: CheckedPou): Type => blockType(pou.owner!);

/** The parameter for the instance of a block or of a method; an interface's method takes any. */
export function selfPointer(around: Surroundings, pou: CheckedPou): string {
  const own = pou.pou === 'METHOD' ? pou.owner : pou;
  return own ? around.types.pointer(blockType(own), 'self') : 'void *self';
}
