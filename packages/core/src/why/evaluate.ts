/** What a checked expression was worth at a moment, and which values decided it. */
import { type Checked, type Place, fixedBit, isPlace } from '../checked/tree.js';
import type { Engine } from '../runtime/engine.js';
import { type Value, findPath, readLocation } from '../runtime/paths.js';
import { isBool } from '../types/type.js';
import { valueOf } from './meaning.js';

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

/**
 * The value of an expression at a moment, with the language's own meaning; undefined where it cannot be told from
 * memory alone. Of AND and OR one part may be enough.
 */
export function evaluate(e: Checked, root: Root, engine: Engine): Value | undefined {
  const of = (x: Checked) => evaluate(x, root, engine);
  const read = (place: Place): Value | undefined => {
    const path = pathOf(place, root, engine);
    const found = path === undefined ? undefined : findPath(engine.image, path);
    return found && 'location' in found ? readLocation(engine.view, found.location) : undefined;
  };
  switch (e.kind) {
    case 'constant':
      return e.value;
    case 'read':
      return read(e.place);
    case 'not': {
      const v = of(e.arg);
      if (typeof v === 'boolean') return !v;
      break;
    }
    case 'binary': {
      if (!isBool(e.type) || (e.op !== 'AND' && e.op !== 'OR')) break;
      const decides = e.op === 'OR',
        [a, b] = [of(e.left), of(e.right)];
      if (a === decides || b === decides) return decides;
      return a === undefined || b === undefined ? undefined : !decides;
    }
    default:
  }
  return valueOf(e, read, engine);
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

/**
 * The parts of a condition that make it what it is: of an AND that is off its off parts, of one that is on all of them.
 * Turned round together they turn the condition round; one alone that is named does so by itself.
 */
export function decidingParts(e: Checked, root: Root, engine: Engine): readonly Checked[] {
  if (e.kind === 'not') return decidingParts(e.arg, root, engine);
  if (e.kind === 'binary' && isBool(e.type) && (e.op === 'AND' || e.op === 'OR')) {
    const decides = e.op === 'OR',
      parts = [e.left, e.right];
    const alone = parts.filter((p) => evaluate(p, root, engine) === decides);
    return (alone.length ? alone : parts).flatMap((p) => decidingParts(p, root, engine));
  }
  return [e];
}
