/**
 * Values that are in a local as well as in memory, so that reading them again costs nothing. Memory always holds them
 * too: a fault, a call or whoever looks from outside finds everything in its place.
 */
import type { Code, ValueType } from '../../compile/wasm.js';
import { wasmOf } from '../../ir/ops/wasm.js';
import { machineOf } from '../../ir/machine.js';
import { type Range, overlap, rangeOf } from '../../ir/reach.js';
import type { Place, Statement, Value } from '../../ir/tree.js';
import { listsOf } from '../../ir/walk.js';
import type { Context } from './context.js';
import { isScalar, stride } from '../../types/type.js';

/** As many as a processor may keep at hand, and a few more. */
const MOST = 24;

interface Entry {
  readonly range: Range;
  readonly type: ValueType;
  readonly local: number;
  /** How deep in branches it was learned. */
  readonly depth: number;
}
/** What a statement may write: anything, or these bytes. */
type Written = 'anything' | Range | undefined;

export class Known {
  private readonly entries = new Map<number, Entry>();
  private depth = 0;
  /** What this way through a branch forgot of what was known before: the other ways still count on its locals. */
  private forgotten: [number, Entry][] = [];

  constructor(
    private readonly code: Code,
    private readonly context: Context,
  ) {}

  /** What a value goes by here, by its address in bits or how far into the instance it lies; undefined where it may be written under another name, or is no single value. */
  key(p: Place): number | undefined {
    if (!this.context.optimized || !isScalar(p.type)) return undefined;
    let offset = 0;
    for (const step of p.steps) {
      if (step.kind === 'member') {
        if (step.of.kind === 'struct' && step.of.overlap) return undefined;
        offset += step.offset;
      } else if (step.index.kind === 'constant') offset += Number(step.index.value) * stride(step.array.element);
      else return undefined;
    }
    if (p.root.kind === 'self') return -1 - offset;
    if (p.root.kind !== 'tag' || !this.context.isAlone(p.root.variable)) return undefined;
    return (this.context.where(p.root.variable) + offset) * 8 + (p.root.variable.address?.bit ?? 0);
  }
  /** The local that holds the value; undefined where it is in memory alone. */
  local(key: number): number | undefined {
    return this.entries.get(key)?.local;
  }
  /** A local for the value of a place, which whoever asks fills at once. */
  learn(key: number, p: Place): number {
    const known = this.entries.get(key);
    if (known) return known.local;
    if (this.entries.size >= MOST) {
      this.drop(this.entries.keys().next().value!);
    }
    const type = wasmOf(machineOf(p.type)),
      local = this.code.scratch(type);
    this.entries.set(key, { range: rangeOf(p)!, type, local, depth: this.depth });
    return local;
  }
  private drop(key: number): void {
    const e = this.entries.get(key)!;
    this.entries.delete(key);
    if (e.depth < this.depth) this.forgotten.push([key, e]);
    else this.code.release(e.type, e.local);
  }

  /** Forgets what a statement may write; `but` is the value that it writes itself. */
  afterWrite(written: Written, but?: number): void {
    if (!written) return;
    for (const [key, e] of this.entries)
      if (key !== but && (written === 'anything' || overlap(e.range, written))) this.drop(key);
  }
  written(s: Statement): Written {
    switch (s.kind) {
      case 'store':
        return this.at(s.place);
      case 'copy':
        return this.at(s.to);
      case 'text':
        return this.behind(s.args[0]);
      case 'call':
        if (s.isVirtual || !this.context.isSelfContained(s.pou.name) || s.result || s.args.length) return 'anything';
        return this.behind(s.self);
      default:
        return undefined;
    }
  }
  private at(p: Place): Written {
    const { kind } = p.root;
    // Variables of a call and what is on its way are nobody else's.
    if (kind === 'local' || kind === 'room' || kind === 'text') return undefined;
    return rangeOf(p) ?? 'anything';
  }
  private behind(pointer: Value | undefined): Written {
    if (pointer?.kind === 'temp') return 'anything';
    return pointer?.kind === 'address' ? this.at(pointer.place) : 'anything';
  }

  /** Ways that part and meet again: afterwards is known what is known at the end of each. */
  ways(each: readonly (() => void)[]): void {
    const lost = each.flatMap((way) => this.apart(way));
    for (const key of lost) if (this.entries.has(key)) this.drop(key);
  }
  /** Statements that may run any number of times: known is what none of them writes. */
  repeated(list: readonly Statement[], run: () => void): void {
    const forget = (some: readonly Statement[]): void => {
      for (const s of some) {
        this.afterWrite(this.written(s));
        for (const l of listsOf(s)) forget(l);
      }
    };
    forget(list);
    this.apart(run);
  }
  /** Afterwards everything is as before; gives what was forgotten of it on the way. */
  private apart(way: () => void): number[] {
    const outer = this.forgotten;
    this.forgotten = [];
    this.depth++;
    way();
    for (const [key, e] of this.entries) if (e.depth === this.depth) this.drop(key);
    this.depth--;
    const { forgotten } = this;
    for (const [key, e] of forgotten) this.entries.set(key, e);
    this.forgotten = outer;
    return forgotten.map(([key]) => key);
  }
}
