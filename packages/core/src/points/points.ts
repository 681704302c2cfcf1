/**
 * The table of points: what of a project other programs may see and write, leaf by leaf. It stands between the engine and
 * every protocol; access is one switch a tag (`Tag.access`), and without it a tag is not there for anybody outside.
 */
import type { Location } from '../compile/image.js';
import type { Project, Tag } from '../project/document.js';
import { type Paths, findPath } from '../runtime/paths.js';
import { type Type, baseOf } from '../types/type.js';

export interface Point {
  /** `Batch.Count`, `Speed[2]`: how logic names it. */
  readonly path: string;
  readonly tag: Tag;
  readonly type: Type;
  readonly access: 'read' | 'write';
  readonly location: Location;
}

/** Points of one tag beyond which the rest is left out. */
const MOST = 10_000;

/** In the order of the tags; members and elements in the order they lie. Text and whatever has a value is a point; references are not. */
export function pointsOf(project: Project, image: Paths): Point[] {
  return project.tags.flatMap((tag) => {
    const { access } = tag;
    if (!access) return [];
    const found = findPath(image, tag.name);
    if ('error' in found) return [];
    const points: Point[] = [];
    const add = (path: string, type: Type): void => {
      if (points.length >= MOST) return;
      if (type.kind === 'struct') for (const m of type.members) add(`${path}.${m.name}`, m.type);
      else if (type.kind === 'block')
        for (const m of type.layout.members) {
          if (m.section !== 'hidden' && m.section !== 'inout') add(`${path}.${m.name}`, m.type);
        }
      else if (type.kind === 'array') {
        for (const indices of indicesOf(type.bounds)) add(`${path}[${indices.join()}]`, type.element);
      } else if (type.kind === 'string' || baseOf(type) !== undefined) {
        const at = findPath(image, path);
        if ('location' in at) points.push({ path, tag, type: at.location.type, access, location: at.location });
      }
    };
    add(tag.name, found.location.type);
    return points;
  });
}

/** All index lists of an array, the last index fastest. */
function* indicesOf(bounds: readonly { readonly low: number; readonly high: number }[]): Generator<number[]> {
  const [first, ...rest] = bounds;
  if (!first) {
    yield [];
    return;
  }
  for (let i = first.low; i <= first.high; i++) for (const more of indicesOf(rest)) yield [i, ...more];
}
