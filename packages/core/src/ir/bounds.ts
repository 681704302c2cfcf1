/**
 * Checks of an index that its loop makes needless: where FOR counts between constants and nothing in its body writes
 * the variable, the variable keeps to them, and so does what is worked out of it. A check that can never fault is left
 * out. Nothing else changes: whatever may be written through an address, or in a call, counts as written.
 */
import type { Whole } from './machine.js';
import { bytesOf, overlap, rangeOf } from './reach.js';
import type { Place, Statement, Unit, Value } from './tree.js';
import { contains, listsOf } from './walk.js';

/** Of `ProgramFacts`. */
interface Facts {
  /** A block that touches nothing but its own memory, by its name. */
  isSelfContained(name: string): boolean;
}
interface Bounds {
  readonly low: bigint;
  readonly high: bigint;
}

/** The unit without them. */
export function withoutNeedless(unit: Unit, facts: Facts): Unit {
  const isCounting = (s: Statement) => s.kind === 'loop' && s.counter !== undefined,
    isCheck = (s: Statement) => s.kind === 'fault' && s.fault === 'INDEX';
  if (!contains(unit.body, (s) => isCounting(s) && contains([s], isCheck))) return unit;
  return { ...unit, body: new Narrowing(facts).statements(unit.body) };
}

class Narrowing {
  private readonly temps = new Map<number, Bounds>();
  /** Variables of the loops around, the inner last. */
  private readonly counters: { readonly place: Place; readonly bounds: Bounds }[] = [];

  constructor(private readonly facts: Facts) {}

  statements(list: readonly Statement[]): readonly Statement[] {
    return list.flatMap((s) => this.statement(s));
  }

  private statement(s: Statement): readonly Statement[] {
    switch (s.kind) {
      case 'let': {
        const bounds = this.of(s.value);
        if (bounds) this.temps.set(s.temp, bounds);
        return [s];
      }
      case 'fault':
        return this.of(s.when)?.high === 0n ? [] : [s];
      case 'if':
        return [{ ...s, then: this.statements(s.then), otherwise: this.statements(s.otherwise) }];
      case 'loop':
        return [this.loop(s)];
      default:
        return [s];
    }
  }

  private loop(s: Statement & { readonly kind: 'loop' }): Statement {
    const { counter } = s;
    // What an outer loop counts may be written in here; then the outer body as a whole writes it, and it is not known.
    const known = counter && canBeKnown(counter.place) && !this.mayWrite(s.body, counter.place);
    if (known) this.counters.push({ place: counter.place, bounds: counter });
    const body = this.statements(s.body);
    if (known) this.counters.pop();
    return { ...s, body };
  }

  private mayWrite(list: readonly Statement[], counter: Place): boolean {
    return list.some((s) => this.writes(s, counter) || listsOf(s).some((l) => this.mayWrite(l, counter)));
  }
  private writes(s: Statement, counter: Place): boolean {
    switch (s.kind) {
      case 'store':
        return mayBe(s.place, counter);
      case 'copy':
        return mayBe(s.to, counter);
      case 'text':
        return s.args[0]?.kind !== 'address' || mayBe(s.args[0].place, counter);
      case 'call':
        if (s.isVirtual || s.args.length || s.result || !this.facts.isSelfContained(s.pou.name)) return true;
        return s.self?.kind !== 'address' || mayBe(s.self.place, counter);
      default:
        return false;
    }
  }

  /** Bounds of a whole number, or of a BOOL as 0 and 1; undefined where they are those of its type, or not known. */
  private of(v: Value): Bounds | undefined {
    switch (v.kind) {
      case 'constant':
        return typeof v.value === 'bigint' ? { low: v.value, high: v.value } : undefined;
      case 'temp':
        return this.temps.get(v.temp);
      case 'load':
        return this.counters.findLast((c) => isSame(c.place, v.place))?.bounds;
      case 'op':
        return this.ofOp(v);
      default:
        return undefined;
    }
  }
  private ofOp(v: Value & { readonly kind: 'op' }): Bounds | undefined {
    const [a, b] = v.args.map((x) => this.of(x));
    switch (v.op) {
      case 'convert':
        return a && within(v.type, a);
      case 'add':
        return a && b && within(v.type, { low: a.low + b.low, high: a.high + b.high });
      case 'sub':
        return a && b && within(v.type, { low: a.low - b.high, high: a.high - b.low });
      case 'mul': {
        if (!a || !b) return undefined;
        const all = [a.low * b.low, a.low * b.high, a.high * b.low, a.high * b.high];
        return within(v.type, { low: least(all), high: -least(all.map((x) => -x)) });
      }
      case 'lt':
        return a && b && yesNo(a.high < b.low, a.low >= b.high);
      case 'gt':
        return a && b && yesNo(a.low > b.high, a.high <= b.low);
      case 'or':
        return v.type === 'bool' && a && b ? { low: a.low | b.low, high: a.high | b.high } : undefined;
      default:
        return undefined;
    }
  }
}

const least = (all: readonly bigint[]): bigint => all.reduce((m, x) => (x < m ? x : m));
const yesNo = (isSure: boolean, isNever: boolean): Bounds => ({ low: isSure ? 1n : 0n, high: isNever ? 0n : 1n });

/** What does not fit the type would wrap in it, and is not known then. */
function within(type: string, b: Bounds): Bounds | undefined {
  if (!/^[iu]\d/.test(type)) return undefined;
  const { low, high } = rangeOfWhole(type as Whole);
  return b.low >= low && b.high <= high ? b : undefined;
}
/** The smallest and the largest of a type of whole numbers. */
export function rangeOfWhole(type: Whole): Bounds {
  const bits = BigInt(type.slice(1));
  return type.startsWith('i')
    ? { low: -(1n << (bits - 1n)), high: (1n << (bits - 1n)) - 1n }
    : { low: 0n, high: (1n << bits) - 1n };
}

/** A variable with a place of its own: no other tag lies in it, and no address leads to it from here. */
function canBeKnown(p: Place): boolean {
  if (p.steps.some((step) => step.kind === 'element' || (step.of.kind === 'struct' && step.of.overlap))) return false;
  return p.root.kind === 'local' || p.root.kind === 'self' || (p.root.kind === 'tag' && !p.root.variable.address);
}
/** Whether writing the one may write the other. */
function mayBe(written: Place, counter: Place): boolean {
  const { root } = written;
  if (root.kind === 'target' || root.kind === 'given') return true;
  if (root.kind === 'local') {
    if (counter.root.kind !== 'local' || counter.root.variable !== root.variable) return false;
    const a = bytesOf(written),
      b = bytesOf(counter);
    return a.from < b.to && b.from < a.to;
  }
  const a = rangeOf(written),
    b = rangeOf(counter);
  return a !== undefined && b !== undefined && overlap(a, b);
}
/** Whether both are the one variable, whole. */
function isSame(a: Place, b: Place): boolean {
  const root =
    a.root.kind === 'self'
      ? b.root.kind === 'self'
      : (a.root.kind === 'tag' || a.root.kind === 'local') &&
        b.root.kind === a.root.kind &&
        a.root.variable === b.root.variable;
  if (!root || a.type !== b.type || b.steps.some((s) => s.kind === 'element')) return false;
  return bytesOf(a).from === bytesOf(b).from;
}
