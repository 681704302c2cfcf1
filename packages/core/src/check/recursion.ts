/** Which calls may come back to where they began, and what that costs. */

import { type CheckedPou, type Dispatch, MAX_NESTED } from '../checked/tree.js';
import { isDerivedFrom, interfacesOf } from '../names/lineage.js';
import type { ProjectScope, CallEdge } from '../names/scope.js';
import { sizeOf } from '../types/type.js';
import { implementations } from './classes.js';
import { MAX_STATE } from './types.js';

/** Blocks that a call reaches: the callee, and where the class is known only in the run what overrides it. */
function reached(project: ProjectScope, e: CallEdge): CheckedPou[] {
  const body = (p: CheckedPou): CheckedPou => (p.inheritsBody && p.base ? body(p.base) : p);
  if (!e.isVirtual) return [body(e.to)];
  return [...new Set([e.to, ...targetsOf(project, e.to).values()].map(body))];
}

/** What runs for each class of the project when `method` (or the body of a block) is called on an instance of it. */
function targetsOf(project: ProjectScope, method: CheckedPou): Map<CheckedPou, CheckedPou> {
  if (method.pou !== 'METHOD')
    return new Map(project.classes.filter((c) => isDerivedFrom(c, method)).map((c) => [c, c]));
  const { owner } = method;
  return implementations(project.classes, method, (c) =>
    owner ? isDerivedFrom(c, owner) : interfacesOf(c).some((i) => [...i.methods.values()].includes(method)),
  );
}

export function dispatches(project: ProjectScope, counted: ReadonlySet<CheckedPou>): Dispatch[] {
  const methods = new Set(project.calls.filter((c) => c.isVirtual).map((c) => c.to));
  return [...methods].map((method) => ({
    method,
    isReentrant: counted.has(method),
    targets: [...targetsOf(project, method)].map(([c, pou]) => ({ classNumber: c.classNumber!, pou })),
  }));
}

/**
 * State is laid out before the run, so no call may come back to where it started (choices.md), but through an interface
 * or a base, where it may be for another instance. Gives the methods and blocks whose calls are counted for that
 * (`counted`), and all that may be running more than once at a time (`reentrant`).
 */
export function checkRecursion(project: ProjectScope): {
  readonly counted: ReadonlySet<CheckedPou>;
  readonly reentrant: ReadonlySet<CheckedPou>;
} {
  const edges = new Map<CheckedPou, { readonly e: CallEdge; readonly to: CheckedPou }[]>();
  for (const e of project.calls)
    for (const to of reached(project, e)) {
      const list = edges.get(e.from);
      if (list) list.push({ e, to });
      else edges.set(e.from, [{ e, to }]);
    }
  // A derived block without statements runs those of its base.
  for (const pou of project.ordered)
    if (pou.inheritsBody && pou.base && !edges.has(pou))
      edges.set(pou, [{ e: { from: pou, to: pou.base, isVirtual: false, at: pou.at }, to: pou.base }]);
  const state = new Map<CheckedPou, 'open' | 'done'>();
  const visit = (pou: CheckedPou): void => {
    state.set(pou, 'open');
    for (const { e, to } of edges.get(pou) ?? []) {
      if (e.isVirtual) continue;
      if (state.get(to) === 'open')
        project.problems.error(
          'RECURSION',
          `'${to.name}' calls itself${to === pou ? '' : `, through '${pou.name}'`}; state is laid out before the run, so that is not possible. Use a loop.`,
          e.at,
        );
      else if (!state.has(to)) visit(to);
    }
    state.set(pou, 'done');
  };
  for (const pou of project.ordered) if (!state.has(pou)) visit(pou);
  const counted = new Set<CheckedPou>(),
    reentrant = new Set<CheckedPou>();
  const circles = circlesOf(project.ordered, (pou) => (edges.get(pou) ?? []).map((x) => x.to));
  for (const circle of circles) {
    const inside = new Set(circle);
    const back = circle.flatMap((pou) => (edges.get(pou) ?? []).filter((x) => x.e.isVirtual && inside.has(x.to)));
    for (const { e } of back) counted.add(e.to);
    if (back.length) for (const pou of circle) reentrant.add(pou);
  }
  // Whatever a call can turn out to be keeps its values in the same way.
  const virtual = [...new Set(project.calls.filter((c) => c.isVirtual).map((c) => c.to))].map((method) => [
    method,
    ...targetsOf(project, method).values(),
  ]);
  for (let before = -1; before !== reentrant.size;) {
    before = reentrant.size;
    for (const group of virtual)
      if (group.some((pou) => reentrant.has(pou))) for (const pou of group) reentrant.add(pou);
  }
  return { counted, reentrant };
}

/**
 * What calls that come back need for their values must fit, as deep as they may go (choices.md); what takes most is
 * named.
 */
export function checkFrames(project: ProjectScope, reentrant: ReadonlySet<CheckedPou>): void {
  const kept = [...reentrant].flatMap((p) =>
    p.variables
      .filter((v) => v.home.kind === 'frame' && v.section !== 'hidden')
      .map((v) => ({ p, v, bytes: sizeOf(v.type) })),
  );
  const bytes = (MAX_NESTED + 1) * kept.reduce((sum, k) => sum + k.bytes, 0);
  if (bytes <= MAX_STATE) return;
  const most = kept.reduce((a, b) => (b.bytes > a.bytes ? b : a));
  project.problems.error(
    'OUT_OF_RANGE',
    `Calls that may come back through an interface need ${bytes.toLocaleString('en')} bytes for their values, ${MAX_NESTED + 1} deep; at most ${MAX_STATE.toLocaleString('en')} are possible. '${most.v.name}' of '${most.p.name}' takes most of it: keep it in the instance.`,
    most.v.at,
  );
}

/**
 * Groups whose members all reach each other, and each that reaches itself (strongly connected components, by Tarjan).
 */
function circlesOf<T>(all: readonly T[], next: (x: T) => readonly T[]): T[][] {
  const number = new Map<T, number>(),
    low = new Map<T, number>(),
    open: T[] = [],
    isOpen = new Set<T>(),
    found: T[][] = [];
  const visit = (x: T): void => {
    number.set(x, number.size);
    low.set(x, number.get(x)!);
    open.push(x);
    isOpen.add(x);
    for (const to of next(x)) {
      if (!number.has(to)) visit(to);
      if (isOpen.has(to)) low.set(x, Math.min(low.get(x)!, low.get(to)!));
    }
    if (low.get(x) !== number.get(x)) return;
    const circle = open.splice(open.indexOf(x));
    for (const y of circle) isOpen.delete(y);
    if (circle.length > 1 || next(x).includes(x)) found.push(circle);
  };
  for (const x of all) if (!number.has(x)) visit(x);
  return found;
}
