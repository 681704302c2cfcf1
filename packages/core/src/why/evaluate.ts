/** What a checked expression was worth at a moment, and which values decided it. */
import { type Checked, type Place, fixedBit, isPlace } from '../check/checked.js';
import type { Engine } from '../runtime/engine.js';
import { type Value, findPath, readLocation } from '../runtime/paths.js';

/** Where own variables of the code looked at are found: the path of its instance; undefined for a function's. */
export type Root = string | undefined;

/** The path of a place, where it can be told without running anything; indexes are read as they are at that moment. */
export function pathOf(p: Place, root: Root, engine?: Engine): string | undefined {
  switch (p.kind) {
    case 'variable': {
      const v = p.variable;
      if (v.section === 'global' || v.owner === undefined) return v.name;
      return root !== undefined && (v.home.kind === 'instance' || v.home.kind === 'global')
        ? `${root}.${v.name}`
        : undefined;
    }
    case 'member': {
      const base = pathOf(p.base, root, engine);
      const t = p.base.type;
      const members = t.kind === 'struct' ? t.members : t.kind === 'block' ? t.layout.members : [];
      const m = members.find((x) => x.offset === p.offset);
      return base !== undefined && m ? `${base}.${m.name}` : undefined;
    }
    case 'element': {
      const base = pathOf(p.base, root, engine);
      const at = p.indices.map((i) => (i.kind === 'constant' ? i.value : engine && evaluate(i, root, engine)));
      return base !== undefined && at.every((x) => x !== undefined) ? `${base}[${at.join(', ')}]` : undefined;
    }
    case 'part': {
      const base = pathOf(p.base, root, engine);
      return base !== undefined && fixedBit(p) !== undefined ? `${base}.${p.shift}` : undefined;
    }
    case 'target':
      return undefined;
  }
}

/** The value of an expression at a moment; undefined where it cannot be told from memory alone. */
export function evaluate(e: Checked, root: Root, engine: Engine): Value | undefined {
  const of = (x: Checked) => evaluate(x, root, engine);
  switch (e.kind) {
    case 'constant':
      return e.value;
    case 'read': {
      const path = pathOf(e.place, root, engine);
      const found = path === undefined ? undefined : findPath(engine.image, path);
      return found && 'location' in found ? readLocation(engine.view, found.location) : undefined;
    }
    case 'not': {
      const v = of(e.arg);
      return typeof v === 'boolean' ? !v : undefined;
    }
    case 'convert':
      return of(e.arg);
    case 'negate': {
      const v = of(e.arg);
      return typeof v === 'bigint' || typeof v === 'number' ? -v : undefined;
    }
    case 'binary': {
      const a = of(e.left),
        b = of(e.right);
      if (e.op === 'AND' && (a === false || b === false)) return false;
      if (e.op === 'OR' && (a === true || b === true)) return true;
      if (a === undefined || b === undefined) return undefined;
      return binary(e.op, a, b);
    }
    default:
      return undefined;
  }
}

function binary(op: string, a: Value, b: Value): Value | undefined {
  switch (op) {
    case 'AND':
      return a === true && b === true;
    case 'OR':
      return a === true || b === true;
    case 'XOR':
      return a !== b;
  }
  // A duration or count beside a REAL: the numbers are what is compared.
  const [x, y] = typeof a === typeof b ? [a, b] : [Number(a), Number(b)];
  switch (op) {
    case '=':
      return x === y;
    case '<>':
      return x !== y;
    case '<':
      return x < y;
    case '>':
      return x > y;
    case '<=':
      return x <= y;
    case '>=':
      return x >= y;
    case '+':
      return typeof x === 'bigint' && typeof y === 'bigint' ? x + y : Number(x) + Number(y);
    case '-':
      return typeof x === 'bigint' && typeof y === 'bigint' ? x - y : Number(x) - Number(y);
    case '*':
      return typeof x === 'bigint' && typeof y === 'bigint' ? x * y : Number(x) * Number(y);
    default:
      return undefined;
  }
}

/** Every value an expression looks at. */
export function readsOf(e: Checked, root: Root, engine?: Engine): readonly string[] {
  switch (e.kind) {
    case 'read': {
      const p = pathOf(e.place, root, engine);
      return p === undefined ? [] : [p];
    }
    case 'not':
    case 'negate':
    case 'convert':
    case 'text':
    case 'notNull':
    case 'attempt':
      return readsOf(e.arg, root, engine);
    case 'binary':
      return [...readsOf(e.left, root, engine), ...readsOf(e.right, root, engine)];
    case 'builtin':
      return e.args.flatMap((a) => readsOf(a, root, engine));
    case 'call':
      return e.call.inputs.flatMap((i) =>
        isPlace(i) ? [pathOf(i, root, engine) ?? []].flat() : readsOf(i, root, engine),
      );
    default:
      return [];
  }
}

/** The parts of a condition that make it what it is: of an AND that is off its off parts, of one that is on all of them. */
export function decidingParts(e: Checked, root: Root, engine: Engine): readonly Checked[] {
  if (e.kind === 'not') return decidingParts(e.arg, root, engine);
  if (e.kind === 'binary' && (e.op === 'AND' || e.op === 'OR')) {
    const decides = e.op === 'OR',
      parts = [e.left, e.right];
    const alone = parts.filter((p) => evaluate(p, root, engine) === decides);
    return (alone.length ? alone : parts).flatMap((p) => decidingParts(p, root, engine));
  }
  return [e];
}
