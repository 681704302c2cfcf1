/** What an answer to Why is made of, and words that all of it uses. */
import { type Checked } from '../checked/tree.js';
import { type Image } from '../compile/image.js';
import { type Span, positionOf } from '../language/source.js';
import { type CoilKind } from '../language/tree.js';
import { type Compiled } from '../workspace/compile.js';
import { type Project } from '../document/document.js';
import { type Engine } from '../runtime/engine.js';
import { type Past } from '../runtime/past.js';
import { type Value, findPath, readLocation } from '../runtime/paths.js';
import { type Root, pathOf } from './evaluate.js';
import { type Writer } from './writers.js';

export type WhyPlace =
  | { readonly kind: 'rung'; readonly pou: string; readonly rung: string; readonly element?: number }
  | { readonly kind: 'text'; readonly pou: string; readonly at: number; readonly end: number }
  | { readonly kind: 'device'; readonly id: string };

/** What an element has to do with the answer. */
export interface WhyMark {
  readonly rung: string;
  readonly element: number;
  readonly role: 'cause' | 'carries' | 'blocks' | 'nearest';
}

export interface WhyLink {
  readonly sentence: string;
  /** What the link speaks of, to ask on from there. */
  readonly path: string;
  /** The scan to go to: after it, it was so. */
  readonly scan: number;
  readonly place?: WhyPlace;
  /** `Cell rung 3`, `PullCheck line 12`, `Press on the machine`. */
  readonly where?: string;
  readonly marks: readonly WhyMark[];
  /** Where the chain ends: something from outside. */
  readonly isRoot?: boolean;
}

export interface WhyBlock extends WhyLink {
  readonly isNearest: boolean;
}

export interface WhyAnswer {
  readonly path: string;
  readonly scan: number;
  readonly title: string;
  /** What happened, the latest first. */
  readonly links: readonly WhyLink[];
  /** For what is off: what would have to change, for each place that could switch it on. */
  readonly blocks: readonly WhyBlock[];
  /** Of several that may write it, those that did in this scan, in their order: the last one decides. */
  readonly writers: readonly WhyWriter[];
}

export interface WhyWriter extends WhyLink {
  readonly decides: boolean;
}

export interface WhySource {
  readonly past: Past;
  /** The checked program that an image was built from. */ readonly compiled: (image: Image) => Compiled | undefined;
  readonly project: Project;
}

/** What made something so: words, and what to ask about next. */
export interface Reason {
  readonly words: string;
  readonly next?: { readonly path: string; readonly scan: number };
  readonly since: number;
  readonly marks: readonly WhyMark[];
}

export const isCoil = (w: Writer, ...modes: readonly CoilKind['mode'][]): boolean =>
  w.statement.kind === 'assign' ? w.statement.coil !== undefined && modes.includes(w.statement.coil.mode) : false;
/** `Keep4` of `Main.Keep4`. */
export const lastOf = (path: string): string => path.slice(path.lastIndexOf('.') + 1);
export const isPlain = (e: Checked): boolean => e.kind === 'read';
export function read(e: Engine, path: string): Value | undefined {
  const f = findPath(e.image, path);
  return 'location' in f &&
    f.location.type.kind !== 'block' &&
    f.location.type.kind !== 'struct' &&
    f.location.type.kind !== 'array'
    ? readLocation(e.view, f.location)
    : undefined;
}
export const spanText = (s: Span): string => {
  const t = s.source.text.slice(s.start, s.end).replace(/\s+/g, ' ');
  return t.length > 60 ? `${t.slice(0, 59)}…` : t;
};
export const path0 = (w: Writer, root: Root): string | undefined =>
  w.targets[0] ? pathOf(w.targets[0].place, root) : undefined;

export function whereOf(w: Writer): string {
  const { at } = w.statement,
    o = (w.rung?.at ?? at).source.origin;
  return o.kind === 'rung'
    ? `${o.pou} rung ${o.number}`
    : `${o.kind === 'pou' ? o.name : w.pou.name} line ${positionOf(at.source, at.start).line}`;
}
export function placeOf(w: Writer): { place?: WhyPlace } {
  const { at } = w.statement,
    o = (w.rung?.at ?? at).source.origin;
  if (o.kind === 'rung')
    return {
      place: { kind: 'rung', pou: o.pouId, rung: o.rungId, ...(w.element !== undefined ? { element: w.element } : {}) },
    };
  return o.kind === 'pou' ? { place: { kind: 'text', pou: o.id, at: at.start, end: at.end } } : {};
}
