/**
 * Runs of elements in a rung: from one element to another in reading order, widened to whole parts where it crosses
 * them.
 */
import { type Output, type Part, type Rung, countElements, isElement, parallel, series } from './rung.js';

/**
 * Replaces the run from element `from` to `to` (counted from 0 in reading order); nothing in its place closes the gap.
 */
export function replaceRun(rung: Rung, from: number, to: number, change: (run: Part) => Part | undefined): Rung {
  return mapLogic(rung, (p, first) =>
    from >= first && from < first + countElements(p)
      ? inPart(p, first, from, Math.min(to, first + countElements(p) - 1), change)
      : p,
  );
}

/**
 * Changes each stretch of conditions of a rung: that of the rung itself and those of its output paths; `first` is the
 * number of its first element.
 */
export function mapLogic(rung: Rung, change: (logic: Part, first: number) => Part | undefined): Rung {
  let n = 0;
  const part = (p: Part): Part | undefined => {
    const first = n;
    n += countElements(p);
    return change(p, first);
  };
  const output = (o: Output): Output[] => {
    if (o.kind !== 'path') {
      n++;
      return [o];
    }
    const logic = part(o.logic);
    const outputs = o.outputs.flatMap(output);
    return logic ? [{ ...o, logic, outputs }] : outputs;
  };
  const logic = rung.logic && part(rung.logic);
  const outputs = rung.outputs.flatMap(output);
  return { ...(logic ? { logic } : {}), outputs };
}

export const partsOf = (p: Part): readonly Part[] =>
  p.kind === 'series' ? p.parts : p.kind === 'parallel' ? p.legs : [];

function inPart(
  p: Part,
  first: number,
  from: number,
  to: number,
  change: (run: Part) => Part | undefined,
): Part | undefined {
  if (isElement(p)) return change(p);
  const children = partsOf(p);
  let n = first;
  const at = children.map((c) => {
    const start = n;
    n += countElements(c);
    return start;
  });
  const holds = (i: number, e: number) => e >= at[i]! && e < at[i]! + countElements(children[i]!);
  const i = children.findIndex((_, k) => holds(k, from)),
    j = children.findIndex((_, k) => holds(k, to));
  if (i === j) {
    const inner = inPart(children[i]!, at[i]!, from, to, change);
    return rebuild(p, [...children.slice(0, i), ...(inner ? [inner] : []), ...children.slice(i + 1)]);
  }
  if (i === 0 && j === children.length - 1) return change(p);
  if (p.kind === 'parallel') {
    const run = change(parallel(children.slice(i, j + 1)));
    return rebuild(p, [...children.slice(0, i), ...(run ? [run] : []), ...children.slice(j + 1)]);
  }
  const run = change(series(children.slice(i, j + 1)));
  return rebuild(p, [...children.slice(0, i), ...(run ? [run] : []), ...children.slice(j + 1)]);
}

/** The same series or parallel with other parts; one alone stands for itself, none is nothing. */
export function rebuild(p: Part, parts: readonly Part[]): Part | undefined {
  return !parts.length ? undefined : p.kind === 'series' ? series(parts) : parallel(parts);
}

/** Replaces an output wherever it stands; a path left without outputs goes. */
export function replaceOutput(rung: Rung, target: Output, change: (o: Output) => Output[]): Output[] {
  const output = (o: Output): Output[] => {
    if (
      o === target ||
      (o.kind !== 'path' && o.start === target.start && o.end === target.end && o.kind === target.kind)
    )
      return change(o);
    if (o.kind !== 'path') return [o];
    const outputs = o.outputs.flatMap(output);
    return outputs.length ? [{ ...o, outputs }] : [];
  };
  return rung.outputs.flatMap(output);
}
