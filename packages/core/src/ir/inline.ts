/**
 * Short blocks of the library are taken in where they are called: a timer is a few instructions then, not a call, and
 * what goes in and comes out need not pass through memory twice. Nothing else changes: same values in the same places,
 * same steps, same faults.
 */
import type { CheckedPou, CheckedStatement, Variable } from '../checked/tree.js';
import { defaultValue } from '../types/type.js';
import { type ProgramFacts, lowerPou } from './lower.js';
import { withoutNeedless } from './bounds.js';
import { machineOf } from './machine.js';
import type { Place, Statement, Unit, Value } from './tree.js';
import { contains, listsOf } from './walk.js';

/** Statements that a block may have to be taken in. */
const SHORT = 24;
/**
 * Rungs and statements of a program up to which blocks are taken in: more code than the caches of a processor hold runs
 * slower than calls of code that stays in them (`npm run bench native` at 1,000 and 10,000 rungs).
 */
const SMALL = 3000;

const count = (list: readonly Statement[]): number =>
  list.reduce((sum, s) => sum + (s.kind === 'note' ? 0 : 1) + listsOf(s).reduce((n, l) => n + count(l), 0), 0);
const isPlain = (list: readonly Statement[]): boolean =>
  list.every((s) => !['call', 'return', 'room', 'text', 'loop'].includes(s.kind) && listsOf(s).every(isPlain));

/** Whether a block may be taken in, by its own code. */
export function isShort(unit: Unit): boolean {
  return (
    unit.pou.variables.every((v) => v.home.kind === 'instance' || v.home.kind === 'local') &&
    isPlain(unit.body) &&
    count(unit.body) <= SHORT
  );
}

/** Units of a program as they run: short blocks of the library taken in. */
export class Lowered {
  private readonly short = new Map<CheckedPou, Unit | undefined>();
  private readonly isSmall: boolean;

  constructor(
    readonly facts: ProgramFacts,
    private readonly options: {
      readonly watched: boolean;
      readonly optimized: boolean;
    },
  ) {
    this.isSmall = options.optimized && facts.program.pous.reduce((sum, p) => sum + p.body.length, 0) <= SMALL;
  }

  /** A unit, or some statements of its body. */
  unit(pou: CheckedPou, statements?: readonly CheckedStatement[]): Unit {
    const unit = lowerPou(this.facts, pou, this.options.watched, statements);
    const whole = this.isSmall ? takeIn(unit, (block) => this.shortOf(block)) : unit;
    return this.options.optimized ? withoutNeedless(whole, this.facts) : whole;
  }
  private shortOf(pou: CheckedPou): Unit | undefined {
    if (this.short.has(pou)) return this.short.get(pou);
    const unit = this.facts.isSelfContained(pou.name) ? lowerPou(this.facts, pou, this.options.watched) : undefined;
    const found = unit && isShort(unit) ? unit : undefined;
    this.short.set(pou, found);
    return found;
  }
}

/** The unit with the code of short blocks in place of their calls; `short` gives that, or nothing. */
export function takeIn(unit: Unit, short: (pou: CheckedPou) => Unit | undefined): Unit {
  const isTaken = (s: Statement): boolean => blockOf(s, short) !== undefined;
  if (!contains(unit.body, isTaken)) return unit;
  const temps = [...unit.temps];
  const statements = (list: readonly Statement[]): readonly Statement[] => list.flatMap(statement);
  const statement = (s: Statement): readonly Statement[] => {
    if (s.kind === 'if') return [{ ...s, then: statements(s.then), otherwise: statements(s.otherwise) }];
    if (s.kind === 'loop')
      return [{ ...s, head: statements(s.head), body: statements(s.body), tail: statements(s.tail) }];
    const block = blockOf(s, short);
    if (!block || s.kind !== 'call') return [s];
    const self = placeBehind(s.self!, s.pou);
    const first = temps.length;
    temps.push(...block.temps);
    const own = block.pou.locals.filter((v) => v.home.kind === 'local');
    return [...own.map(start), ...new Moved(self, first).statements(block.body)];
  };
  return { ...unit, body: statements(unit.body), temps };
}

/** The code of the short block that is called, where a statement is that. */
function blockOf(s: Statement, short: (pou: CheckedPou) => Unit | undefined): Unit | undefined {
  const isBlock = s.kind === 'call' && !s.isVirtual && s.self && !s.result && !s.args.length && !s.outputs.length;
  return isBlock ? short(s.pou) : undefined;
}

/** Variables of a call start anew with it (6.5.2). */
const start = (v: Variable): Statement => {
  const value = v.initial ?? defaultValue(v.type),
    type = machineOf(v.type);
  const constant = typeof value === 'boolean' ? (value ? 1n : 0n) : (value as bigint | number);
  return {
    kind: 'store',
    place: { root: { kind: 'local', variable: v }, rootType: v.type, steps: [], type: v.type },
    value: { kind: 'constant', type, value: type === 'f32' || type === 'f64' ? Number(constant) : BigInt(constant) },
  };
};
function placeBehind(self: Value, pou: CheckedPou): Place {
  if (self.kind === 'address') return self.place;
  const type = { kind: 'block', name: pou.name, layout: pou.layout } as const;
  return { root: { kind: 'target', pointer: self }, rootType: type, steps: [], type };
}

/** Statements of a block as they read from outside: of which instance, with other temps. */
class Moved {
  constructor(
    private readonly self: Place,
    private readonly first: number,
  ) {}

  statements(list: readonly Statement[]): Statement[] {
    return list.map((s) => this.statement(s));
  }
  private statement(s: Statement): Statement {
    switch (s.kind) {
      case 'let':
        return { ...s, temp: this.first + s.temp, value: this.value(s.value) };
      case 'store':
        return { ...s, place: this.place(s.place), value: this.value(s.value) };
      case 'copy':
        return { ...s, to: this.place(s.to), from: this.place(s.from) };
      case 'fault':
        return { ...s, when: this.value(s.when), ...(s.shown ? { shown: this.value(s.shown) } : {}) };
      case 'if':
        return {
          ...s,
          condition: this.value(s.condition),
          then: this.statements(s.then),
          otherwise: this.statements(s.otherwise),
        };
      default:
        return s;
    }
  }
  private value(v: Value): Value {
    switch (v.kind) {
      case 'temp':
        return { ...v, temp: this.first + v.temp };
      case 'load':
      case 'address':
        return { ...v, place: this.place(v.place) };
      case 'op':
        return { ...v, args: v.args.map((a) => this.value(a)) };
      default:
        return v;
    }
  }
  private place(p: Place): Place {
    const steps = p.steps.map((step) => (step.kind === 'element' ? { ...step, index: this.value(step.index) } : step));
    if (p.root.kind === 'self') {
      const { root, rootType } = this.self;
      return { ...p, root, rootType, steps: [...this.self.steps, ...steps] };
    }
    const root = p.root.kind === 'target' ? { ...p.root, pointer: this.value(p.root.pointer) } : p.root;
    return { ...p, root, steps };
  }
}
