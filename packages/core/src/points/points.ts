/**
 * The table of points: what of a project other programs may see and write, leaf by leaf. It stands between the engine
 * and every protocol; access is one switch a tag (`Tag.access`), and without it a tag is not there for anybody outside.
 */
import type { Location } from '../compile/image.js';
import type { Project, Tag } from '../document/document.js';
import { type Paths, type Value, findPath } from '../runtime/paths.js';
import { type Type, baseOf } from '../types/type.js';

export interface Point {
  /** `Batch.Count`, `Speed[2]`: how logic names it. */
  readonly path: string;
  readonly tag: Tag;
  readonly type: Type;
  readonly access: 'read' | 'write';
  readonly location: Location;
}

/**
 * How a tag with access is made of points: a value, an array of values, or members and elements that are made of more.
 */
export type PointNode = {
  /** `Count`, `[2]`: within what it is of. */ readonly name: string;
  readonly path: string;
  readonly type: Type;
} & (
  | { readonly kind: 'value'; readonly point: Point }
  | {
      readonly kind: 'array';
      readonly bounds: readonly Bound[];
      /** The last index fastest. */ readonly points: readonly Point[];
    }
  | { readonly kind: 'group'; readonly nodes: readonly PointNode[] }
);
export interface Bound {
  readonly low: number;
  readonly high: number;
}
export interface TagNode {
  readonly tag: Tag;
  readonly access: 'read' | 'write';
  readonly node: PointNode;
  /** It has more values than are points. */ readonly isCut?: true;
}

/** Points of one tag beyond which the rest is left out. */
export const MOST_POINTS = 10_000;

/**
 * Tags with access in their order; members and elements in the order they lie. Text and whatever has a value is a
 * point; references are not.
 */
export function pointTree(project: Project, image: Paths): TagNode[] {
  return project.tags.flatMap((tag) => {
    const { access } = tag;
    if (!access) return [];
    const found = findPath(image, tag.name);
    if ('error' in found) return [];
    let left = MOST_POINTS,
      isCut = false;
    const point = (path: string): Point[] => {
      const at = left > 0 ? findPath(image, path) : undefined;
      isCut ||= left <= 0;
      if (!at || !('location' in at)) return [];
      left--;
      return [{ path, tag, type: at.location.type, access, location: at.location }];
    };
    const node = (name: string, path: string, type: Type): PointNode[] => {
      const group = (nodes: readonly PointNode[]): PointNode[] =>
        nodes.length ? [{ name, path, type, kind: 'group', nodes }] : [];
      switch (type.kind) {
        case 'struct':
          return group(type.members.flatMap((m) => node(m.name, `${path}.${m.name}`, m.type)));
        case 'block':
          return group(
            type.layout.members
              .filter((m) => m.section !== 'hidden' && m.section !== 'inout')
              .flatMap((m) => node(m.name, `${path}.${m.name}`, m.type)),
          );
        case 'array': {
          const places = [...indicesOf(type.bounds)].map((i) => `[${i.join()}]`);
          if (!hasValue(type.element)) return group(places.flatMap((p) => node(p, path + p, type.element)));
          const points = places.flatMap((p) => point(path + p));
          return points.length === places.length
            ? [{ name, path, type, kind: 'array', bounds: type.bounds, points }]
            : group(points.map((p) => ({ ...valueOf(p), name: p.path.slice(path.length) })));
        }
        default:
          return hasValue(type) ? point(path).map((p) => ({ ...valueOf(p), name })) : [];
      }
    };
    return node(tag.name, tag.name, found.location.type).map((n) => ({
      tag,
      access,
      node: n,
      ...(isCut ? { isCut } : {}),
    }));
  });
}
const valueOf = (p: Point) => ({ kind: 'value', path: p.path, type: p.type, point: p }) as const;
const hasValue = (t: Type): boolean => t.kind === 'string' || baseOf(t) !== undefined;

/** The points below a node, in the order they lie. */
export function pointsBelow(node: PointNode): readonly Point[] {
  return node.kind === 'value' ? [node.point] : node.kind === 'array' ? node.points : node.nodes.flatMap(pointsBelow);
}

/** All points of a project. */
export function pointsOf(project: Project, image: Paths): Point[] {
  return pointTree(project, image).flatMap((t) => pointsBelow(t.node));
}

/** All index lists of an array, the last index fastest. */
function* indicesOf(bounds: readonly Bound[]): Generator<number[]> {
  const [first, ...rest] = bounds;
  if (!first) {
    yield [];
    return;
  }
  for (let i = first.low; i <= first.high; i++) for (const more of indicesOf(rest)) yield [i, ...more];
}

/**
 * Whether a point of that type may hold a value: within a subrange, one of an enumeration's. The value is of its kind.
 */
export function mayHold(type: Type, value: Value): boolean {
  if (type.kind === 'subrange') return (value as bigint) >= type.low && (value as bigint) <= type.high;
  if (type.kind === 'enum') return type.values.some((v) => v.value === value);
  return true;
}

/**
 * Of what feeds the points: the scan of a controller or bench runs, is paused, stands, has faulted, or nobody hears of
 * it.
 */
export type FeedState = 'run' | 'paused' | 'stop' | 'fault' | 'gone';
/** How far a value may be trusted. */
export type Quality = 'good' | 'uncertain' | 'bad';
export const qualityOf = (state: FeedState): Quality =>
  state === 'run' ? 'good' : state === 'paused' ? 'uncertain' : 'bad';
