/**
 * Edits that move parts of a rung about: legs that span more or less, parts that wander along the rung and between
 * legs.
 */
import { mapLogic, partsOf, rebuild, replaceOutput, replaceRun } from './run.js';
import {
  type Node,
  type Output,
  type Part,
  type Rung,
  countElements,
  isElement,
  nodesOf,
  parallel,
  series,
} from './rung.js';

/** A changed rung and where the cursor goes, or a sentence why not. */
export type Changed = { readonly rung: Rung; readonly element: number } | { readonly refused: string };

/**
 * The way from a part down to an element: the child taken at each level, and the number of the child's first element.
 */
interface Level {
  readonly part: Part;
  readonly child: number;
  readonly first: number;
}

function wayTo(p: Part, first: number, element: number): Level[] {
  if (isElement(p)) return [];
  let n = first;
  for (const [child, c] of partsOf(p).entries()) {
    const count = countElements(c);
    if (element < n + count) return [{ part: p, child, first }, ...wayTo(c, n, element)];
    n += count;
  }
  return [];
}

/**
 * Applies a change to the stretch of conditions that holds the element; the element keeps its identity, so the cursor
 * can follow it.
 */
function inLogic(rung: Rung, element: number, change: (logic: Part, way: readonly Level[]) => Part | string): Changed {
  const followed = nodesOf(rung)[element];
  let refused = 'Stand on a contact or block first.';
  let done = false;
  const result = mapLogic(rung, (p, first) => {
    if (element < first || element >= first + countElements(p)) return p;
    const r = change(p, wayTo(p, first, element));
    if (typeof r === 'string') {
      refused = r;
      return p;
    }
    done = true;
    return r;
  });
  return done ? { rung: result, element: Math.max(0, nodesOf(result).indexOf(followed!)) } : { refused };
}

/** Puts `part` in the place that `levels` leads to; nothing closes the gap. */
function putBack(levels: readonly Level[], part: Part | undefined): Part | undefined {
  return levels.reduceRight<Part | undefined>((inner, l) => {
    const parts = partsOf(l.part);
    return rebuild(l.part, [...parts.slice(0, l.child), ...(inner ? [inner] : []), ...parts.slice(l.child + 1)]);
  }, part);
}

/** The leg under the cursor spans one part more or less than it did, at one of its ends. */
export function stretchLeg(
  rung: Rung,
  element: number,
  kind: 'closeFurther' | 'closeNearer' | 'openEarlier' | 'openLater',
): Changed {
  return inLogic(rung, element, (_, way) => {
    const at = way.map((l) => l.part.kind).lastIndexOf('parallel');
    const branch = way[at];
    if (branch?.part.kind !== 'parallel') return 'There is no branch around this element; make one with |.';
    const { legs } = branch.part;
    // From the first leg it is all the others that stretch.
    const mine = branch.child === 0 ? parallel(legs.slice(1)) : legs[branch.child]!;
    const others = branch.child === 0 ? legs[0]! : parallel(legs.filter((_l, i) => i !== branch.child));
    const outer = way.slice(0, at);
    const home = outer.at(-1);
    const isRight = kind === 'closeFurther' || kind === 'closeNearer';
    if (kind === 'closeFurther' || kind === 'openEarlier') {
      const neighbours = home?.part.kind === 'series' ? home.part.parts : [];
      const next = neighbours[(home?.child ?? 0) + (isRight ? 1 : -1)];
      if (!next || !home)
        return isRight ? 'The branch closes at the end already.' : 'The branch opens at the beginning already.';
      const span = parallel([series(isRight ? [others, next] : [next, others]), mine]);
      const from = isRight ? home.child : home.child - 1;
      return putBack(outer.slice(0, -1), series([...neighbours.slice(0, from), span, ...neighbours.slice(from + 2)]))!;
    }
    if (others.kind !== 'series') return 'The branch spans one part already.';
    const inner = isRight ? others.parts.slice(0, -1) : others.parts.slice(1);
    const out = isRight ? others.parts.at(-1)! : others.parts[0]!;
    const span = parallel([series(inner), mine]);
    return putBack(outer, series(isRight ? [span, out] : [out, span]))!;
  });
}

/** Moves a run: along its series past the neighbour or into it, out of its leg at the ends, from leg to leg. */
export function movePart(
  rung: Rung,
  from: number,
  to: number,
  kind: 'moveLeft' | 'moveRight' | 'moveUp' | 'moveDown',
): Changed {
  // The run is made one part first, so that it moves as one.
  let run: Part | undefined;
  replaceRun(rung, from, to, (p) => {
    run = p;
    return p;
  });
  if (!run) return { refused: 'Stand on a contact or block first.' };
  const moved = run;
  const length = countElements(moved);
  return inLogic(rung, from, (logic, way) => {
    const level = [...way].reverse().find((l) => l.part.kind === 'series' && spanOf(l, moved));
    const last = way.at(-1);
    if (!level && logic !== moved && !(last?.part.kind === 'parallel' && last.part.legs[last.child] === moved))
      return 'Choose whole legs, or parts that stand in one leg.';
    const seriesAt = level ? way.indexOf(level) : way.length;
    const outer = way.slice(0, seriesAt);
    const parts = level?.part.kind === 'series' ? level.part.parts : [moved];
    const start = level ? level.child : 0;
    const count = level ? widthOf(level, length) : 1;
    if (kind === 'moveUp' || kind === 'moveDown') return moveAcross(outer, parts, start, count, kind);
    const isRight = kind === 'moveRight';
    const neighbour = parts[isRight ? start + count : start - 1];
    const rest = [...parts.slice(0, start), ...parts.slice(start + count)];
    if (neighbour) {
      const entered =
        neighbour.kind === 'parallel'
          ? parallel([
              isRight ? series([moved, neighbour.legs[0]!]) : series([neighbour.legs[0]!, moved]),
              ...neighbour.legs.slice(1),
            ])
          : undefined;
      const at = rest.indexOf(neighbour);
      const next = entered
        ? rest.map((p) => (p === neighbour ? entered : p))
        : [...rest.slice(0, isRight ? at + 1 : at), moved, ...rest.slice(isRight ? at + 1 : at)];
      return putBack(outer, series(next))!;
    }
    const branchAt = outer.map((l) => l.part.kind).lastIndexOf('parallel');
    if (branchAt < 0) return isRight ? 'It stands at the end already.' : 'It stands at the beginning already.';
    if (!rest.length && partsOf(outer[branchAt]!.part).length === 1) return 'There is nothing left beside it.';
    const left = putBack(outer.slice(branchAt), rest.length ? series(rest) : undefined);
    const joined = left ? series(isRight ? [left, moved] : [moved, left]) : moved;
    return putBack(outer.slice(0, branchAt), joined)!;
  });
}

/** Whether the run is made of whole parts of this series. */
function spanOf(l: Level, run: Part): boolean {
  const parts = partsOf(l.part);
  const wanted = run.kind === 'series' ? run.parts : [run];
  return wanted.every((p, i) => parts[l.child + i] === p);
}
function widthOf(l: Level, elements: number): number {
  let n = 0,
    count = 0;
  for (const p of partsOf(l.part).slice(l.child)) {
    if (n >= elements) break;
    n += countElements(p);
    count++;
  }
  return count;
}

function moveAcross(
  outer: readonly Level[],
  parts: readonly Part[],
  start: number,
  count: number,
  kind: 'moveUp' | 'moveDown',
): Part | string {
  const moved = series(parts.slice(start, start + count));
  const rest = [...parts.slice(0, start), ...parts.slice(start + count)];
  const branchAt = outer.map((l) => l.part.kind).lastIndexOf('parallel');
  const branch = outer[branchAt];
  if (branch?.part.kind === 'parallel' && branchAt === outer.length - 1) {
    const { legs } = branch.part;
    const target = branch.child + (kind === 'moveUp' ? -1 : 1);
    if (legs[target]) {
      const next = legs.flatMap((l, i): Part[] =>
        i === branch.child ? (rest.length ? [series(rest)] : []) : i === target ? [series([l, moved])] : [l],
      );
      return putBack(outer.slice(0, branchAt), parallel(next))!;
    }
    if (!rest.length) return kind === 'moveUp' ? 'It is the top leg already.' : 'It is the lowest leg already.';
    const left = legs.map((l, i) => (i === branch.child ? series(rest) : l));
    return putBack(outer.slice(0, branchAt), parallel(kind === 'moveUp' ? [moved, ...left] : [...left, moved]))!;
  }
  // In the open: it becomes a leg of the part before it, or of the one behind where there is none.
  if (!rest.length) return 'There is nothing beside it to be parallel to.';
  const at = Math.max(0, start - 1);
  const partner = rest[at]!;
  const legs = kind === 'moveDown' ? [partner, moved] : [moved, partner];
  return putBack(outer, series([...rest.slice(0, at), parallel(legs), ...rest.slice(at + 1)]))!;
}

/** Outputs change places among those they stand in parallel with. */
export function moveOutput(
  rung: Rung,
  node: Node & Output,
  kind: 'moveLeft' | 'moveRight' | 'moveUp' | 'moveDown',
): Changed {
  if (kind === 'moveLeft' || kind === 'moveRight')
    return { refused: 'Outputs stand at the end; they move up and down.' };
  const by = kind === 'moveUp' ? -1 : 1;
  let moved = false;
  const inList = (list: readonly Output[]): readonly Output[] => {
    const at = list.indexOf(node);
    if (at < 0) return list.map((o) => (o.kind === 'path' ? { ...o, outputs: inList(o.outputs) } : o));
    if (!list[at + by]) return list;
    moved = true;
    const next = [...list];
    [next[at], next[at + by]] = [next[at + by]!, next[at]!];
    return next;
  };
  const result = { ...rung, outputs: inList(rung.outputs) };
  return moved
    ? { rung: result, element: nodesOf(result).indexOf(node) }
    : { refused: kind === 'moveUp' ? 'It is the top output already.' : 'It is the lowest output already.' };
}

/** Only the tag of a contact or coil: its form stays. */
export function retag(rung: Rung, element: number, node: Node, tag: string): Changed {
  if (!/^(%?[A-Za-z_][\w.]*(\[[^\]]*\])?[\w.]*)$/.test(tag)) return { refused: `‘${tag}’ is not a tag.` };
  if (node.kind === 'coil')
    return { rung: { ...rung, outputs: replaceOutput(rung, node, (o) => [{ ...(o as typeof node), tag }]) }, element };
  if (node.kind !== 'contact') return { refused: 'Only a contact or a coil takes a tag alone.' };
  return { rung: replaceRun(rung, element, element, (p) => ({ ...(p as typeof node), tag })), element };
}
