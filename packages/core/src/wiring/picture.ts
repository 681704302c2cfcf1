/** The picture of an own device: shapes whose numbers are expressions over the device's variables. */
import { Problems } from '../language/diagnostic.js';
import { parseExpressionText } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { Expression } from '../language/tree.js';
import type { OwnKind, PictureShape } from '../document/document.js';

/** Reads a variable of the device as a number; BOOL is 0 or 1. */
export type ReadVariable = (variable: string) => number;
type Value = (read: ReadVariable) => number;

export interface DrawnShape {
  readonly id: string;
  readonly shape: PictureShape['shape'];
  readonly x: Value;
  readonly y: Value;
  readonly w: Value;
  readonly h: Value;
  readonly turn: Value;
  readonly lit: Value;
  readonly show: Value;
  readonly fill: Value;
  readonly text: (read: ReadVariable) => string;
  /** How often it is drawn, 0 to `MOST_TIMES`; `Nth` is read as the number of the one that is drawn. */
  readonly times: Value;
}
/** A shape is drawn so often at most. */
export const MOST_TIMES = 40;
/** The number of the repeat, from 1. */
export const NTH = 'Nth';
export interface PictureProblem {
  readonly shape: string;
  readonly field: string;
  readonly message: string;
}
export interface ReadPicture {
  readonly shapes: readonly DrawnShape[];
  readonly reads: readonly string[];
  readonly problems: readonly PictureProblem[];
}

const BINARY: Readonly<Record<string, (a: number, b: number) => number>> = {
  '+': (a, b) => a + b,
  '-': (a, b) => a - b,
  '*': (a, b) => a * b,
  '/': (a, b) => (b === 0 ? 0 : a / b),
  MOD: (a, b) => (b === 0 ? 0 : a % b),
  '**': (a, b) => a ** b,
  '=': (a, b) => Number(a === b),
  '<>': (a, b) => Number(a !== b),
  '<': (a, b) => Number(a < b),
  '<=': (a, b) => Number(a <= b),
  '>': (a, b) => Number(a > b),
  '>=': (a, b) => Number(a >= b),
  AND: (a, b) => Number(a !== 0 && b !== 0),
  '&': (a, b) => Number(a !== 0 && b !== 0),
  OR: (a, b) => Number(a !== 0 || b !== 0),
  XOR: (a, b) => Number((a !== 0) !== (b !== 0)),
};
const FUNCTIONS: Readonly<Record<string, readonly [number, (...a: number[]) => number]>> = {
  ABS: [1, Math.abs],
  SQRT: [1, (a) => Math.sqrt(Math.max(0, a))],
  SIN: [1, Math.sin],
  COS: [1, Math.cos],
  MIN: [2, Math.min],
  MAX: [2, Math.max],
  LIMIT: [3, (low, x, high) => Math.min(Math.max(low, x), high)],
  SEL: [3, (g, a, b) => (g !== 0 ? b : a)],
  TRUNC: [1, Math.trunc],
};

class NoPicture extends Error {}

/** Names of everything an expression of the picture may read. */
export function variablesOf(k: OwnKind): ReadonlySet<string> {
  const locals = k.locals
    .replace(/\(\*[\s\S]*?\*\)|\/\/.*$/gm, '')
    .split(';')
    .flatMap((d) =>
      (d.split(':')[0] ?? '')
        .split(',')
        .map((n) => n.trim())
        .filter((n) => /^[A-Za-z_]\w*$/.test(n)),
    );
  return new Set(
    [...k.terminals, ...k.parameters, ...k.upsets, ...k.handles]
      .map((x) => x.name.toLowerCase())
      .concat(locals.map((n) => n.toLowerCase())),
  );
}

/** `Place[1]`, `Held.Number`: the path of what is read, or nothing when it is no path. */
function pathText(e: Expression): string | undefined {
  if (e.kind === 'name') return e.name;
  if (e.kind === 'member') {
    const base = pathText(e.base);
    return base && `${base}.${e.name.text}`;
  }
  if (e.kind === 'index') {
    const base = pathText(e.base),
      at = e.indices.map((i) => (i.kind === 'literal' && 'value' in i.literal ? String(i.literal.value) : undefined));
    return base && at.every((i) => i !== undefined) ? `${base}[${at.join(', ')}]` : undefined;
  }
  return undefined;
}
/** The path of an element whose index is worked out of `Nth` and numbers, by the number of the repeat. */
function pathByNth(
  e: Expression,
  index: (e: Expression) => (nth: number) => number,
): ((nth: number) => string) | undefined {
  if (e.kind === 'name') return () => e.name;
  if (e.kind === 'member') {
    const base = pathByNth(e.base, index);
    return base && ((n) => `${base(n)}.${e.name.text}`);
  }
  if (e.kind === 'index') {
    const base = pathByNth(e.base, index),
      at = e.indices.map(index);
    return base && ((n) => `${base(n)}[${at.map((f) => Math.trunc(f(n))).join(', ')}]`);
  }
  return undefined;
}

/**
 * Reads the shapes of a picture. What cannot be read is a problem at its shape and field, and that field counts as 0
 * (a shape that cannot say whether it is shown is shown).
 */
export function readPicture(k: OwnKind): ReadPicture {
  const known = variablesOf(k),
    reads = new Set<string>(),
    problems: PictureProblem[] = [];
  /** An index: of numbers and the number of the repeat only, so that what is read can be listed. */
  const index = (e: Expression): ((nth: number) => number) => {
    const before = new Set(reads),
      f = build(e),
      asked = [...reads].find((r) => !before.has(r));
    if (asked !== undefined) {
      reads.delete(asked);
      throw new NoPicture(`An index is made of numbers and ${NTH} only, the number of the repeat.`);
    }
    return (nth) => f((v) => (v === NTH ? nth : 0));
  };
  const build = (e: Expression): Value => {
    switch (e.kind) {
      case 'literal': {
        const v = 'value' in e.literal ? e.literal.value : undefined;
        if (typeof v !== 'number' && typeof v !== 'bigint' && typeof v !== 'boolean')
          throw new NoPicture('Only numbers and TRUE or FALSE can stand here.');
        const n = Number(v);
        return () => n;
      }
      case 'name':
      case 'member':
      case 'index': {
        if (e.kind === 'name' && e.name.toLowerCase() === NTH.toLowerCase() && !known.has(NTH.toLowerCase()))
          return (read) => read(NTH);
        const path = pathText(e),
          byNth = path === undefined ? pathByNth(e, index) : undefined;
        if (path === undefined && !byNth) throw new NoPicture('An index must be a number here.');
        const root = (path ?? byNth!(1)).split(/[.[]/)[0]!;
        if (!known.has(root.toLowerCase())) throw new NoPicture(`The device has no variable ‘${root}’.`);
        if (byNth) {
          for (let n = 1; n <= MOST_TIMES; n++) reads.add(byNth(n));
          return (read) => read(byNth(read(NTH)));
        }
        reads.add(path!);
        return (read) => read(path!);
      }
      case 'unary': {
        const arg = build(e.arg);
        return e.op === 'NOT' ? (read) => Number(arg(read) === 0) : e.op === '-' ? (read) => -arg(read) : arg;
      }
      case 'binary': {
        const [a, b, op] = [build(e.left), build(e.right), BINARY[e.op]];
        if (!op) throw new NoPicture(`‘${e.op}’ cannot stand here.`);
        return (read) => op(a(read), b(read));
      }
      case 'call': {
        const name = e.callee.kind === 'name' ? e.callee.name.toUpperCase() : '',
          f = FUNCTIONS[name];
        if (!f || f[0] !== e.args.length)
          throw new NoPicture(
            `Only these functions can be used here: ${Object.keys(FUNCTIONS).join(', ')}; ${f ? `${name} takes ${f[0]} value${f[0] === 1 ? '' : 's'}` : 'with their values in order'}.`,
          );
        const args = e.args.map((a) => {
          if (!a.value) throw new NoPicture('A value is missing.');
          return build(a.value);
        });
        return (read) => f[1](...args.map((a) => a(read)));
      }
      default:
        throw new NoPicture('Write a number or an expression over the device’s variables.');
    }
  };
  const value = (shape: PictureShape, field: string, text: string | undefined, missing: number): Value => {
    if (!text?.trim()) return () => missing;
    const found = new Problems();
    const e = parseExpressionText(makeSource(k.type, text, { kind: 'library' }), found);
    const fail = (message: string): Value => {
      problems.push({ shape: shape.id, field, message });
      return () => missing;
    };
    if (found.list.length) return fail(found.list[0]!.message);
    try {
      return build(e);
    } catch (wrong) {
      if (wrong instanceof NoPicture) return fail(wrong.message);
      throw wrong;
    }
  };
  const words = (shape: PictureShape): DrawnShape['text'] => {
    const parts = (shape.text ?? '').split(/(\{[^}]*\})/).map((p): DrawnShape['text'] => {
      const m = /^\{(.*?)(?::(\d))?\}$/.exec(p);
      if (!m) return () => p;
      const v = value(shape, 'text', m[1], 0),
        digits = Number(m[2] ?? 0);
      return (read) => v(read).toFixed(digits);
    });
    return (read) => parts.map((p) => p(read)).join('');
  };
  const shapes = k.picture.map((s): DrawnShape => ({
    id: s.id,
    shape: s.shape,
    x: value(s, 'x', s.x, 0),
    y: value(s, 'y', s.y, 0),
    w: value(s, 'w', s.w, s.shape === 'lamp' ? 8 : 20),
    h: value(s, 'h', s.h, s.shape === 'line' ? 0 : 20),
    turn: value(s, 'turn', s.turn, 0),
    lit: value(s, 'lit', s.lit, 0),
    show: value(s, 'show', s.show, 1),
    fill: value(s, 'fill', s.fill, 0),
    text: words(s),
    times: value(s, 'times', s.times, 1),
  }));
  return { shapes, reads: [...reads], problems };
}
