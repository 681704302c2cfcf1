/**
 * A rung as a structure of series and parallel parts. What is kept in a project is its line (notation.md);
 * the structure is parsed from it and printed back to it exactly, so nothing can dangle. Elements are
 * counted in reading order; tags and expressions keep their text as written.
 */
export type ContactMode = 'open' | 'closed' | 'rising' | 'falling';
export type CoilMode = 'plain' | 'negated' | 'set' | 'reset' | 'rising' | 'falling';

interface Placed {
  readonly start: number;
  readonly end: number;
}

export type Element = Placed &
  (
    | { readonly kind: 'contact'; readonly tag: string; readonly mode: ContactMode }
    | { readonly kind: 'compare'; readonly left: string; readonly op: string; readonly right: string }
    /** A block with power through it, or a Boolean function as a contact: which one only the declarations tell. */
    | {
        readonly kind: 'call';
        readonly name: string;
        readonly type?: string;
        readonly args: readonly CallArgument[];
        readonly inPin?: string;
        readonly outPin?: string;
      }
  );

export interface CallArgument {
  readonly pin?: string;
  readonly output: boolean;
  readonly value: string;
  readonly start: number;
  readonly end: number;
}

export type Part =
  | Element
  | { readonly kind: 'series'; readonly parts: readonly Part[] }
  | { readonly kind: 'parallel'; readonly legs: readonly Part[] };

export type Output = Placed &
  (
    | { readonly kind: 'coil'; readonly tag: string; readonly mode: CoilMode }
    | { readonly kind: 'action'; readonly text: string; readonly once: boolean; readonly textStart: number }
    | { readonly kind: 'return' }
    | { readonly kind: 'path'; readonly logic: Part; readonly outputs: readonly Output[] }
  );

export interface Rung {
  readonly logic?: Part;
  readonly outputs: readonly Output[];
}

/** What a path step or index names: the n-th part of a series or leg of a parallel. */
export type Path = readonly number[];

export const isElement = (p: Part): p is Element => p.kind !== 'series' && p.kind !== 'parallel';

/** A series without nesting; one part stands alone. */
export function series(parts: readonly Part[]): Part {
  const flat = parts.flatMap((p) => (p.kind === 'series' ? p.parts : [p]));
  return flat.length === 1 ? flat[0]! : { kind: 'series', parts: flat };
}

/** Parallel legs without nesting: a branch around a branch is one branch. */
export function parallel(legs: readonly Part[]): Part {
  const flat = legs.flatMap((p) => (p.kind === 'parallel' ? p.legs : [p]));
  return flat.length === 1 ? flat[0]! : { kind: 'parallel', legs: flat };
}

export type Node = Element | Exclude<Output, { kind: 'path' }>;

/** Everything with a place of its own, in reading order: element n of a rung is the n-th of these. */
export function nodesOf(rung: Rung): Node[] {
  const list: Node[] = [];
  const part = (p: Part): void => {
    if (p.kind === 'series') p.parts.forEach(part);
    else if (p.kind === 'parallel') p.legs.forEach(part);
    else list.push(p);
  };
  const output = (o: Output): void => {
    if (o.kind !== 'path') list.push(o);
    else {
      part(o.logic);
      o.outputs.forEach(output);
    }
  };
  if (rung.logic) part(rung.logic);
  rung.outputs.forEach(output);
  return list;
}

export const isOutput = (n: Node): n is Exclude<Output, { kind: 'path' }> =>
  n.kind === 'coil' || n.kind === 'action' || n.kind === 'return';

export function countElements(p: Part): number {
  return isElement(p) ? 1 : (p.kind === 'series' ? p.parts : p.legs).reduce((n, x) => n + countElements(x), 0);
}
