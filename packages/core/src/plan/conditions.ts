/**
 * What brings a condition of a plan about, or keeps it from coming: values of the tags that it names, in every way
 * there is.
 */
import { Problems } from '../language/diagnostic.js';
import { parseExpressionText } from '../language/parser.js';
import { makeSource } from '../language/source.js';
import type { Expression } from '../language/tree.js';
import { parseCondition } from '../sentences/sentences.js';

/** A tag and the value that is asked of it: `on`, `off`, a number, or the name of a value. */
export interface Wanted {
  readonly name: string;
  readonly to: string;
}
/** So many ways to one condition are followed at most. */
const MOST_WAYS = 12;
const TURNED: Readonly<Record<string, string>> = { '=': '<>', '<>': '=', '<': '>=', '>=': '<', '>': '<=', '<=': '>' },
  MIRRORED: Readonly<Record<string, string>> = { '<': '>', '>': '<', '<=': '>=', '>=': '<=' };

function pathOf(e: Expression): string | undefined {
  if (e.kind === 'name') return e.name;
  if (e.kind === 'member') {
    const base = pathOf(e.base);
    return base && `${base}.${e.name.text}`;
  }
  return undefined;
}

/**
 * The ways in which a condition comes to be `isOn`, those that ask for least first; none where it holds what is neither
 * a tag nor a comparison with one. The empty condition is always there.
 * @param read the value that a tag has at rest, for comparisons of two tags; undefined where nobody knows
 */
export function waysTo(
  when: string | undefined,
  isOn: boolean,
  read: (name: string) => number | undefined = () => undefined,
): readonly (readonly Wanted[])[] {
  const text = parseCondition(when ?? '').text.trim();
  if (!text) return isOn ? [[]] : [];
  const found = new Problems(),
    e = parseExpressionText(makeSource('', text, { kind: 'library' }), found);
  if (found.list.length) return [];
  const all = (a: readonly (readonly Wanted[])[], b: readonly (readonly Wanted[])[]): readonly (readonly Wanted[])[] =>
    a
      .flatMap((x) =>
        b.flatMap((y) => {
          const other = y.filter((w) => !x.some((v) => v.name.toLowerCase() === w.name.toLowerCase()));
          // The same tag cannot be asked for two values.
          return y.some((w) => x.some((v) => v.name.toLowerCase() === w.name.toLowerCase() && v.to !== w.to))
            ? []
            : [[...x, ...other]];
        }),
      )
      .slice(0, MOST_WAYS);
  const compare = (name: string, op: string, value: number | string): readonly (readonly Wanted[])[] => {
    if (typeof value === 'string')
      return op === '='
        ? [[{ name, to: value }]]
        : op === '<>' && /^(TRUE|FALSE)$/i.test(value)
          ? [[{ name, to: /^TRUE$/i.test(value) ? 'off' : 'on' }]]
          : [];
    const to = { '=': value, '<>': value + 1, '<': value - 1, '<=': value, '>': value + 1, '>=': value }[op];
    return to === undefined ? [] : [[{ name, to: String(to) }]];
  };
  const solve = (x: Expression, want: boolean): readonly (readonly Wanted[])[] => {
    const path = pathOf(x);
    if (path !== undefined) return [[{ name: path, to: want ? 'on' : 'off' }]];
    if (x.kind === 'literal') {
      const v = 'value' in x.literal ? x.literal.value : undefined;
      return v === want ? [[]] : [];
    }
    if (x.kind === 'unary' && x.op === 'NOT') return solve(x.arg, !want);
    if (x.kind !== 'binary') return [];
    const { op } = x;
    if (op === 'AND' || op === 'OR')
      return (op === 'OR') === want
        ? [...solve(x.left, want), ...solve(x.right, want)].slice(0, MOST_WAYS)
        : all(solve(x.left, want), solve(x.right, want));
    if (op === 'XOR')
      return [
        ...all(solve(x.left, true), solve(x.right, !want)),
        ...all(solve(x.left, false), solve(x.right, want)),
      ].slice(0, MOST_WAYS);
    if (!(op in TURNED)) return [];
    const [left, right] = [pathOf(x.left), pathOf(x.right)],
      asked = want ? op : TURNED[op]!,
      constant = (c: Expression): number | undefined => {
        if (c.kind === 'unary' && c.op === '-') {
          const n = constant(c.arg);
          return n === undefined ? undefined : -n;
        }
        const v = c.kind === 'literal' && 'value' in c.literal ? c.literal.value : undefined;
        return typeof v === 'number' || typeof v === 'bigint' ? Number(v) : undefined;
      };
    if (left !== undefined) {
      const n = constant(x.right) ?? (right === undefined ? undefined : read(right));
      if (n !== undefined) return compare(left, asked, n);
      // A name that is no tag is the name of a value.
      return right !== undefined ? compare(left, asked, right) : [];
    }
    if (right !== undefined) {
      const n = constant(x.left);
      if (n !== undefined) return compare(right, MIRRORED[asked] ?? asked, n);
    }
    return [];
  };
  return [...solve(e, isOn)].sort((a, b) => a.length - b.length);
}
