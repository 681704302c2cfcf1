/** What names mean: the project's types, blocks and global variables, and one POU's own variables. */
import type { Problems } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type {
  Declaration,
  Expression,
  InterfaceDecl,
  MethodDecl,
  NameContext,
  Pou,
  TypeDecl,
  VariableBlock,
} from '../language/tree.js';
import type { BlockLayout, Constant, Type } from '../types/type.js';
import type { Checked, CheckedInterface, CheckedPou, Overflow, Reference, Variable } from '../checked/tree.js';

export const key = (name: string): string => name.toLowerCase();
export const ROOT: NameContext = { namespace: '', using: [] };

export type Named = Pou | TypeDecl | InterfaceDecl;

/** One call: the caller, what it calls, and where. `isVirtual` reaches every method that overrides it too. */
export interface CallEdge {
  readonly from: CheckedPou;
  readonly to: CheckedPou;
  readonly at: Span;
  readonly isVirtual: boolean;
}

/** Parts of the checker that need each other: they meet here instead of importing each other in a circle. */
export interface Parts {
  /** Checks an expression; `wanted` is the type that its place has. */
  expression(scope: PouScope, e: Expression, wanted?: Type): Checked;
  /** Lays out a block or program, unless it is being laid out. */
  block(project: ProjectScope, decl: Pou, at: Span): CheckedPou | undefined;
  function(project: ProjectScope, decl: Pou): CheckedPou;
  method(scope: PouScope, owner: CheckedPou | undefined, decl: MethodDecl, of: string): CheckedPou;
}

export interface ProjectScope {
  readonly parts: Parts;
  readonly problems: Problems;
  /** Declarations by full name, `namespace.name`. */
  readonly names: Map<string, Named>;
  readonly types: Map<string, Type>;
  readonly typeInitials: Map<Type, Constant>;
  readonly interfaces: Map<string, CheckedInterface>;
  readonly pous: Map<string, CheckedPou>;
  /** Everything that has code, in the order it was laid out. */
  readonly ordered: CheckedPou[];
  /** Being laid out now: meeting one again is a block that contains itself. */
  readonly open: Set<string>;
  /** Layouts that references to a block still being laid out point at. */
  readonly openLayouts: Map<string, BlockLayout>;
  /** Bodies still to be checked: after everything is laid out, so that they may name each other. */
  readonly bodies: (() => void)[];
  /** Blocks that another one extends. */
  readonly extended: ReadonlySet<Pou>;
  /** Blocks with a class number, in the order of their numbers (from 1). */
  readonly classes: CheckedPou[];
  readonly calls: CallEdge[];
  readonly globals: Map<string, Variable>;
  readonly enumValues: Map<string, { type: Type; value: bigint }[]>;
  readonly references: Reference[];
  readonly overflows: Overflow[];
  /** Second names of places, by lower-case name. */
  readonly aliases: Map<string, Alias>;
  readonly library: ReadonlyMap<string, Pou>;
  /** Function blocks of programs that have a task of their own, as `program.block`. */
  readonly tasked: ReadonlySet<string>;
}

export interface Alias {
  readonly name: string;
  readonly place: Expression;
  readonly at: Span;
}

/** Variables by lower-case name; a Map is one. */
export interface Variables {
  get(name: string): Variable | undefined;
  has(name: string): boolean;
  set(name: string, v: Variable): unknown;
  values(): Iterable<Variable>;
}
/** Variables of a block in front of those that it has from its base: nothing is copied, however long the chain. */
export class Inherited implements Variables {
  readonly own = new Map<string, Variable>();
  constructor(readonly base: Inherited | undefined) {}
  get(name: string): Variable | undefined {
    for (const level of levelsOf(this)) {
      const v = level.own.get(name);
      if (v) return v;
    }
    return undefined;
  }
  has(name: string): boolean {
    return this.get(name) !== undefined;
  }
  set(name: string, v: Variable): void {
    this.own.set(name, v);
  }
  values(): Iterable<Variable> {
    const all = new Map<string, Variable>();
    for (const level of levelsOf(this)) for (const [name, v] of level.own) if (!all.has(name)) all.set(name, v);
    return all.values();
  }
}
/** A block's own variables, its base's, and so on. */
function* levelsOf(first: Inherited): Iterable<Inherited> {
  for (let level: Inherited | undefined = first; level; level = level.base) yield level;
}

/** What a POU's body sees. */
export interface PouScope {
  readonly project: ProjectScope;
  readonly context: NameContext;
  readonly pou?: CheckedPou;
  readonly variables: Variables;
  /** Variables of the instance around a method. */
  readonly instance?: Variables;
}

export const bareScope = (project: ProjectScope, context: NameContext = ROOT): PouScope => ({
  project,
  context,
  variables: new Map(),
});

export function globalBlocks(declarations: readonly Declaration[]): VariableBlock[] {
  const blocks: VariableBlock[] = [];
  for (const d of declarations)
    if (d.kind === 'globals') blocks.push(d.block);
    else if (d.kind === 'configuration') blocks.push(...d.globals);
  return blocks;
}

/** Name of the hidden variable that says whether a task runs a block of a program: no text can name it. */
export const asleepName = (block: string): string => `task of ${key(block)}`;

export function findVariable(scope: PouScope, name: string): Variable | undefined {
  const k = key(name);
  return scope.variables.get(k) ?? scope.instance?.get(k) ?? scope.project.globals.get(k);
}

/** Whether a name is that of a variable or a second name of one. */
export const isKnown = (scope: PouScope, name: string): boolean =>
  findVariable(scope, name) !== undefined || scope.project.aliases.has(key(name));

/** `namespace.name` of a declaration. */
export const fullName = (d: { readonly name: { readonly text: string }; readonly context: NameContext }): string =>
  d.context.namespace ? `${d.context.namespace}.${d.name.text}` : d.name.text;

/**
 * The full names a name can stand for, nearest first: the namespaces around it from the inside out, then those opened
 * by USING (6.9).
 */
function candidates(name: string, context: NameContext): string[] {
  const k = key(name);
  const list: string[] = [];
  for (
    let space = key(context.namespace);
    space;
    space = space.includes('.') ? space.slice(0, space.lastIndexOf('.')) : ''
  )
    list.push(`${space}.${k}`);
  list.push(k, ...context.using.map((u) => `${u}.${k}`));
  return list;
}

/** What a name is declared as, looked up from `context`; library blocks last. */
export function findNamed(project: ProjectScope, name: string, context: NameContext): Named | undefined {
  for (const c of candidates(name, context)) {
    const found = project.names.get(c);
    if (found) return found;
  }
  return project.library.get(key(name));
}

/** All names that a declaration of one of these kinds has, for "did you mean". */
export function namesOf(project: ProjectScope, fits: (d: Named) => boolean): string[] {
  return [...project.names.values()].filter(fits).map(fullName);
}
