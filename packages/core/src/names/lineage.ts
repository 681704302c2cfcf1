/** What stands for what: bases of blocks, and interfaces that they implement (6.6.5, 6.6.6). */

import type { CheckedPou, CheckedInterface } from '../checked/tree.js';
import type { InterfaceType, Type } from '../types/type.js';
import { type ProjectScope, key } from './scope.js';

/** The block behind a block type. */
export const pouOf = (project: ProjectScope, t: Type): CheckedPou | undefined =>
  t.kind === 'block' ? project.pous.get(key(t.name)) : undefined;

/** A block and its bases, itself first. */
export function lineage(pou: CheckedPou | undefined): readonly CheckedPou[] {
  const list: CheckedPou[] = [];
  for (let p = pou; p; p = p.base) list.push(p);
  return list;
}

export function isDerivedFrom(pou: CheckedPou | undefined, base: CheckedPou): boolean {
  let p = pou;
  while (p && p !== base) p = p.base;
  return p !== undefined;
}

/** A method by name, the most derived one first. */
export function findMethod(pou: CheckedPou | undefined, name: string): CheckedPou | undefined {
  for (let p = pou; p; p = p.base) {
    const m = p.methods.get(key(name));
    if (m) return m;
  }
  return undefined;
}

const knownInterfaces = new WeakMap<CheckedPou, readonly CheckedInterface[]>();

/** What a block implements, its own interfaces and those of its bases. */
export function interfacesOf(pou: CheckedPou): readonly CheckedInterface[] {
  const known = knownInterfaces.get(pou);
  if (known) return known;
  const above = pou.base ? interfacesOf(pou.base) : [];
  const all = pou.interfaces.length ? withBases([...pou.interfaces, ...above]) : above;
  knownInterfaces.set(pou, all);
  return all;
}

function withBases(interfaces: readonly CheckedInterface[]): CheckedInterface[] {
  const found = new Set<CheckedInterface>();
  const add = (i: CheckedInterface) => {
    if (!found.has(i)) {
      found.add(i);
      i.bases.forEach(add);
    }
  };
  interfaces.forEach(add);
  return [...found];
}

const isInterfaceOf = (project: ProjectScope, from: InterfaceType, to: InterfaceType): boolean => {
  const seek = (i: CheckedInterface | undefined): boolean =>
    i !== undefined && (key(i.name) === key(to.name) || i.bases.some(seek));
  return seek(project.interfaces.get(key(from.name)));
};

/**
 * Whether an instance (or interface) of type `from` may stand where `to` is wanted: a derived block for its base, an
 * implementation for its interface.
 */
export function standsFor(project: ProjectScope, from: Type, to: Type): boolean {
  if (to.kind === 'interface') {
    if (from.kind === 'interface') return isInterfaceOf(project, from, to);
    const pou = pouOf(project, from);
    return pou !== undefined && interfacesOf(pou).some((i) => key(i.name) === key(to.name));
  }
  const base = pouOf(project, to);
  return base !== undefined && isDerivedFrom(pouOf(project, from), base);
}
