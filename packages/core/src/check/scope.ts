/** What names mean: the project's types, blocks and global variables, and one POU's own variables. */
import type { Problems } from '../language/diagnostic.js';
import type { Declaration, Pou, TypeDecl, VariableBlock } from '../language/tree.js';
import type { Constant, Type } from '../types/type.js';
import type { CheckedPou, Reference, Variable } from './checked.js';

export const key = (name: string): string => name.toLowerCase();

export interface ProjectScope {
  readonly problems: Problems;
  readonly typeDecls: Map<string, TypeDecl>;
  readonly types: Map<string, Type>;
  readonly typeInitials: Map<Type, Constant>;
  readonly pouDecls: Map<string, Pou>;
  readonly pous: Map<string, CheckedPou>;
  /** Blocks in order of use, so that callees come before callers. */
  readonly ordered: CheckedPou[];
  /** Being laid out now: meeting one again is recursion. */
  readonly open: Set<string>;
  readonly globals: Map<string, Variable>;
  readonly enumValues: Map<string, { type: Type; value: bigint }[]>;
  readonly references: Reference[];
  readonly library: ReadonlyMap<string, Pou>;
}

/** What a POU's body sees. */
export interface PouScope {
  readonly project: ProjectScope;
  readonly pou?: CheckedPou;
  readonly variables: Map<string, Variable>;
}

export function globalBlocks(declarations: readonly Declaration[]): VariableBlock[] {
  return declarations.flatMap((d) => (d.kind === 'globals' ? [d.block] : d.kind === 'configuration' ? [...d.globals] : []));
}

export function findVariable(scope: PouScope, name: string): Variable | undefined {
  return scope.variables.get(key(name)) ?? scope.project.globals.get(key(name));
}
