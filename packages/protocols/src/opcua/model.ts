/** The points as they cross to the OPC UA server's process: what a client browses. */
import type { Bound, PointNode, TagNode } from '@ferrule/core/bench';
import { type ElementaryName, type Type, baseOf, rangeOf } from '@ferrule/core/language';

/** How values of a type are carried. */
export interface Shape {
  readonly base: ElementaryName | 'STRING' | 'WSTRING';
  /** Characters at most, of a text. */ readonly max?: number;
  /** The type's own bounds: a subrange's. */ readonly low?: bigint;
  readonly high?: bigint;
  /** Of an enumeration whose values fit the 32 bits that OPC UA gives one: its type's name. */
  readonly enumeration?: string;
  /** What it may hold, of an enumeration. */ readonly only?: readonly bigint[];
}
export type ModelNode = { readonly name: string; readonly path: string } & (
  | { readonly kind: 'value'; readonly shape: Shape }
  | { readonly kind: 'array'; readonly shape: Shape; readonly bounds: readonly Bound[] }
  | { readonly kind: 'group'; readonly of?: string; readonly nodes: readonly ModelNode[] }
);
export interface ModelTag {
  readonly description?: string;
  readonly unit?: string;
  readonly range?: { readonly low: number; readonly high: number };
  readonly canWrite: boolean;
  readonly node: ModelNode;
}
export interface Enumeration {
  readonly name: string;
  readonly values: readonly { readonly name: string; readonly value: number }[];
}
/** Points are numbered in the order of the tags, members and elements. */
export interface Model {
  readonly tags: readonly ModelTag[];
  readonly enumerations: readonly Enumeration[];
}

const INT32 = rangeOf('DINT');

/** How values of a type that has one are carried. An enumeration is noted in `enumerations`. */
export function shapeOf(type: Type, enumerations?: Map<string, Enumeration>): Shape {
  if (type.kind === 'string') return { base: type.wide ? 'WSTRING' : 'STRING', max: type.max };
  const base = baseOf(type)!;
  if (type.kind === 'subrange') return { base, low: type.low, high: type.high };
  if (type.kind !== 'enum') return { base };
  const only = type.values.map((v) => v.value);
  if (!only.every((v) => v >= INT32.low && v <= INT32.high)) return { base, only };
  enumerations?.set(type.name, {
    name: type.name,
    values: type.values.map((v) => ({ name: v.name, value: Number(v.value) })),
  });
  return { base, only, enumeration: type.name };
}

export function modelOf(tree: readonly TagNode[]): Model {
  const enumerations = new Map<string, Enumeration>();
  const nodeOf = (n: PointNode): ModelNode => {
    const { name, path } = n;
    switch (n.kind) {
      case 'value':
        return { name, path, kind: 'value', shape: shapeOf(n.type, enumerations) };
      case 'array':
        return {
          name,
          path,
          kind: 'array',
          bounds: n.bounds,
          shape: shapeOf(n.type.kind === 'array' ? n.type.element : n.type, enumerations),
        };
      case 'group':
        return {
          name,
          path,
          kind: 'group',
          ...('name' in n.type ? { of: n.type.name } : {}),
          nodes: n.nodes.map(nodeOf),
        };
    }
  };
  const tags = tree.map(({ tag, access, node }): ModelTag => {
    const range = /^\s*(-?[\d.]+)\s*\.\.\s*(-?[\d.]+)\s*$/.exec(tag.range ?? '');
    return {
      ...(tag.description ? { description: tag.description } : {}),
      ...(tag.unit ? { unit: tag.unit } : {}),
      ...(range ? { range: { low: Number(range[1]), high: Number(range[2]) } } : {}),
      canWrite: access === 'write',
      node: nodeOf(node),
    };
  });
  return { tags, enumerations: [...enumerations.values()] };
}

/** Elements of an array with these bounds. */
export const countOf = (bounds: readonly Bound[]): number => bounds.reduce((n, b) => n * (b.high - b.low + 1), 1);
