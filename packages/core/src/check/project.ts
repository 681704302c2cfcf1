/**
 * Checks a whole project: declarations of all its sources in, the checked program out. Stages in order, each a function
 * below.
 */
import { type Diagnostic, Problems } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type { Declaration, Expression, Pou, VariableBlock } from '../language/tree.js';
import { BOOL, baseOf, elementaryByName, sizeOf, typeText } from '../types/type.js';
import { standardBlocks } from '../library/blocks.js';
import { isStandardFunction } from '../library/functions.js';
import {
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type Overflow,
  type ProgramInstance,
  type Reference,
} from '../checked/tree.js';
import { checkInterface } from './classes.js';
import { checkExpression } from './expressions.js';
import { settle } from '../names/values.js';
import { sideEffectOf } from './purity.js';
import { checkOverlaps, declareAddress } from './located.js';
import { declareMethod, layoutBlock, layoutFunction } from './pou.js';
import {
  type CallEdge,
  type Named,
  type PouScope,
  type Parts,
  type ProjectScope,
  ROOT,
  bareScope,
  findNamed,
  fullName,
  globalBlocks,
  key,
} from '../names/scope.js';
import { MAX_STATE, initialValue, resolveType } from './types.js';
import { checkRecursion, checkFrames, dispatches } from './recursion.js';
import { configure, instanceVariables } from './configuration.js';

/**
 * Of one program: what checking it found. Kept from one check to the next as long as its declaration is the same
 * object.
 */
interface Unit {
  readonly pou: CheckedPou | undefined;
  readonly found: readonly Diagnostic[];
  readonly references: readonly Reference[];
  readonly calls: readonly CallEdge[];
  readonly overflows: readonly Overflow[];
}

/** What a check leaves behind for the next one: everything that programs share, and each program by its declaration. */
export interface CheckState {
  readonly shared: ProjectScope;
  readonly outer: readonly Declaration[];
  readonly globals: readonly VariableBlock[];
  readonly units: ReadonlyMap<Pou, Unit>;
}

/**
 * Checks declarations; every problem goes to `problems`. `expressions` are checked beside the program, for checks and
 * rules. With the state of the check before, only programs whose declaration is another object are checked again, as
 * long as types, blocks and functions are the same objects and tags were at most added.
 */
export function checkProject(
  declarations: readonly Declaration[],
  problems: Problems,
  expressions: readonly Expression[] = [],
  before?: CheckState,
): { readonly program: CheckedProgram; readonly state: CheckState } {
  const isProgram = (d: Declaration): d is Pou => d.kind === 'pou' && d.pou === 'PROGRAM';
  const programs = declarations.filter(isProgram);
  const outer = declarations.filter(
    (d) => d.kind === 'type' || d.kind === 'interface' || (d.kind === 'pou' && d.pou !== 'PROGRAM'),
  );
  const globals = globalBlocks(declarations);
  // Programs make room for what a configuration says of their blocks: nothing of before is kept then.
  const hasTasked = declarations.some((d) => d.kind === 'configuration' && d.instances.some((i) => i.blocks.length));
  const reuse =
    before && !hasTasked && !before.shared.tasked.size && sameShared(before, programs, outer, globals)
      ? before
      : undefined;
  const shared = reuse?.shared ?? checkShared(declarations);
  const added = reuse ? addGlobals(reuse, programs, globals) : 0;
  const units = new Map<Pou, Unit>();
  for (const d of programs) {
    if (shared.names.get(key(fullName(d))) !== d) continue;
    const known = reuse?.units.get(d);
    // A new tag may be what an unknown name meant.
    units.set(
      d,
      known && !(added && known.found.some((x) => x.severity === 'error')) ? known : checkProgram(shared, d),
    );
  }
  const all = [...units.values()];
  const project: ProjectScope = {
    ...shared,
    problems,
    references: shared.references.concat(...all.map((u) => u.references)),
    calls: shared.calls.concat(...all.map((u) => u.calls)),
    overflows: shared.overflows.concat(...all.map((u) => u.overflows)),
  };
  for (const d of [...shared.problems.list, ...all.flatMap((u) => u.found)]) problems.add(d);
  const { tasks, instances, startValues, accessPaths, blockRuns } = configure(project, declarations);
  const { counted, reentrant } = checkRecursion(project);
  checkFrames(project, reentrant);
  const pous = [...project.ordered];
  checkOverlaps(project, [...project.globals.values(), ...pous.flatMap((p) => p.variables)]);
  checkStateSize(project, instances);
  const outside = instanceVariables(instances);
  const watched = expressions.map((e) =>
    onlyLooks(checkBeside({ project, context: ROOT, variables: outside }, e), problems),
  );
  const program: CheckedProgram = {
    globals: [...project.globals.values()],
    pous,
    dispatches: dispatches(project, counted),
    reentrant,
    startValues,
    accessPaths,
    tasks,
    instances,
    blockRuns,
    types: project.types,
    references: project.references,
    overflows: project.overflows,
    expressions: watched,
    instanceVariables: [...outside.values()],
  };
  return { program, state: { shared, outer, globals, units } };
}

/** Types, tags, functions, blocks, classes and interfaces: what programs see of each other's surroundings. */
function checkShared(declarations: readonly Declaration[]): ProjectScope {
  const project = collectNames(declarations, new Problems());
  // Bounds of types may name constants, so those that need no type of the project's come first.
  const blocks = globalBlocks(declarations),
    early = plainConstants(blocks);
  declareGlobals(
    project,
    blocks.filter((b) => early.has(b)),
  );
  resolveTypes(project);
  declareGlobals(
    project,
    blocks.filter((b) => !early.has(b)),
  );
  if (early.size) inOrderOf(project, blocks);
  for (const d of project.names.values()) {
    if (d.kind === 'pou' && d.pou !== 'PROGRAM') {
      if (d.pou === 'FUNCTION') layoutFunction(project, d);
      else layoutBlock(project, d, d.name.at);
    }
    if (d.kind === 'interface') checkInterface(project, d, d.name.at);
  }
  runBodies(project);
  return project;
}

/** A body may bring in a library block, whose own body then joins the end of the list. */
function runBodies(project: ProjectScope): void {
  for (let i = 0; i < project.bodies.length; i++) project.bodies[i]!();
  project.bodies.length = 0;
}

function checkProgram(shared: ProjectScope, decl: Pou): Unit {
  const own: ProjectScope = {
    ...shared,
    problems: new Problems(),
    references: [],
    calls: [],
    overflows: [],
    bodies: [],
    enumValues: new Map(shared.enumValues),
  };
  const id = key(fullName(decl));
  const old = shared.pous.get(id);
  shared.pous.delete(id);
  const pou = layoutBlock(own, decl, decl.name.at);
  runBodies(own);
  if (old && pou) {
    // In the place of the one before, so that the numbers of all others stay.
    shared.ordered.splice(shared.ordered.lastIndexOf(pou), 1);
    shared.ordered[shared.ordered.indexOf(old)] = pou;
  }
  return { pou, found: own.problems.list, references: own.references, calls: own.calls, overflows: own.overflows };
}

/** Whether all that programs share is as it was, apart from tags that came to it and programs that changed inside. */
function sameShared(
  before: CheckState,
  programs: readonly Pou[],
  outer: readonly Declaration[],
  globals: readonly VariableBlock[],
): boolean {
  if (before.outer.length !== outer.length || before.outer.some((d, i) => d !== outer[i])) return false;
  const old = [...before.units.keys()];
  if (old.length !== programs.length || old.some((d, i) => key(fullName(d)) !== key(fullName(programs[i]!))))
    return false;
  let at = 0;
  for (const b of globals) if (b === before.globals[at]) at++;
  if (at !== before.globals.length) return false;
  if (globals.length === before.globals.length) return true;
  // What a type lacked may be among the new tags.
  if (before.shared.problems.hasErrors) return false;
  // A new tag must not take a name that meant something else.
  const known = new Set(before.globals);
  return globals.every(
    (b) =>
      known.has(b) ||
      b.variables.every((v) =>
        v.names.every(
          (n) =>
            !before.shared.names.has(key(n.text)) &&
            !before.shared.enumValues.has(key(n.text)) &&
            !isStandardName(n.text),
        ),
      ),
  );
}

const isStandardName = (name: string): boolean => isStandardFunction(name) || standardBlocks().has(key(name));

/** Declares the tags that are new and brings all into the order of the declarations. How many came. */
function addGlobals(before: CheckState, programs: readonly Pou[], globals: readonly VariableBlock[]): number {
  const { shared } = before;
  for (const d of programs) shared.names.set(key(fullName(d)), d);
  if (globals.length === before.globals.length) return 0;
  const known = new Set(before.globals);
  const fresh = globals.filter((b) => !known.has(b));
  if (!fresh.length) return 0;
  declareGlobals(shared, fresh);
  runBodies(shared);
  inOrderOf(shared, globals);
  return fresh.length;
}

/** The tags in the order of their declarations. */
function inOrderOf(project: ProjectScope, blocks: readonly VariableBlock[]): void {
  const variables = new Map(project.globals);
  project.globals.clear();
  for (const b of blocks)
    for (const v of b.variables)
      for (const n of v.names) {
        const k = key(n.text),
          x = variables.get(k);
        if (x) {
          project.globals.set(k, x);
          variables.delete(k);
        }
      }
  variables.forEach((v, k) => project.globals.set(k, v));
}

/** Blocks of constants of elementary types that are made of literals and of such constants before them. */
function plainConstants(blocks: readonly VariableBlock[]): ReadonlySet<VariableBlock> {
  const early = new Set<VariableBlock>(),
    names = new Set<string>();
  const isPlain = (e: Expression): boolean =>
    e.kind === 'literal' ||
    (e.kind === 'name' && names.has(key(e.name))) ||
    (e.kind === 'unary' && isPlain(e.arg)) ||
    (e.kind === 'binary' && isPlain(e.left) && isPlain(e.right));
  for (const b of blocks) {
    const mine: string[] = [];
    const fits =
      b.constant &&
      b.variables.every((v) => {
        const fit =
          !v.standsFor &&
          v.type.kind === 'named' &&
          elementaryByName(v.type.name.text) !== undefined &&
          v.initial?.kind === 'value' &&
          isPlain(v.initial.value);
        // Those behind it may name it.
        if (fit) for (const n of v.names) mine.push(key(n.text));
        if (fit) mine.forEach((n) => names.add(n));
        return fit;
      });
    if (fits) early.add(b);
    else mine.forEach((n) => names.delete(n));
  }
  return early;
}

const PARTS: Parts = {
  expression: checkExpression,
  block: layoutBlock,
  function: layoutFunction,
  method: declareMethod,
};

function collectNames(declarations: readonly Declaration[], problems: Problems): ProjectScope {
  const names = new Map<string, Named>();
  const seen = new Map<string, Span>();
  for (const d of declarations) {
    if (d.kind !== 'pou' && d.kind !== 'type' && d.kind !== 'interface') continue;
    if (!d.name.text) continue;
    const id = key(fullName(d));
    const before = seen.get(id);
    if (before)
      problems.error('DUPLICATE_NAME', `'${d.name.text}' is declared already.`, d.name.at, [
        { message: 'declared here first', at: before },
      ]);
    else names.set(id, d);
    seen.set(id, before ?? d.name.at);
  }
  const extended = new Set<Pou>(),
    tasked = new Set<string>();
  const project: ProjectScope = {
    parts: PARTS,
    problems,
    names,
    types: new Map(),
    typeInitials: new Map(),
    interfaces: new Map(),
    pous: new Map(),
    ordered: [],
    open: new Set(),
    openLayouts: new Map(),
    bodies: [],
    calls: [],
    extended,
    classes: [],
    globals: new Map(),
    aliases: new Map(),
    enumValues: new Map(),
    references: [],
    overflows: [],
    library: standardBlocks(),
    tasked,
  };
  for (const name of taskedBlocks(project, declarations)) tasked.add(name);
  for (const d of names.values()) {
    const base = d.kind === 'pou' && d.extends ? findNamed(project, d.extends.text, d.context) : undefined;
    if (base?.kind === 'pou') extended.add(base);
  }
  return project;
}

/** `program.block` of each function block that a configuration gives a task of its own. */
function taskedBlocks(project: ProjectScope, declarations: readonly Declaration[]): string[] {
  return declarations.flatMap((d) =>
    d.kind !== 'configuration'
      ? []
      : d.instances.flatMap((i) => {
          const program = findNamed(project, i.program.text, ROOT);
          return program?.kind === 'pou' ? i.blocks.map((b) => `${key(fullName(program))}.${key(b.block.text)}`) : [];
        }),
  );
}

function resolveTypes(project: ProjectScope): void {
  for (const d of project.names.values())
    if (d.kind === 'type') resolveType(bareScope(project, d.context), { kind: 'named', name: d.name, at: d.name.at });
}

function declareGlobals(project: ProjectScope, blocks: readonly VariableBlock[]): void {
  const scope = bareScope(project);
  for (const block of blocks) {
    for (const d of block.variables) {
      if (d.standsFor) {
        for (const n of d.names) {
          if (project.globals.has(key(n.text)) || project.aliases.has(key(n.text)))
            project.problems.error('DUPLICATE_NAME', `The tag '${n.text}' is declared already.`, n.at);
          else project.aliases.set(key(n.text), { name: n.text, place: d.standsFor, at: n.at });
        }
        continue;
      }
      const type = resolveType(scope, d.type);
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? project.typeInitials.get(type);
      const address = d.address && type.kind !== 'unknown' ? declareAddress(project, d.address, type) : undefined;
      for (const n of d.names) {
        const before = project.globals.get(key(n.text));
        if (!before && project.aliases.has(key(n.text))) {
          project.problems.error('DUPLICATE_NAME', `The tag '${n.text}' is declared already.`, n.at);
          continue;
        }
        if (before) {
          project.problems.error('DUPLICATE_NAME', `The tag '${n.text}' is declared already.`, n.at, [
            { message: 'declared here first', at: before.at },
          ]);
          continue;
        }
        project.globals.set(key(n.text), {
          name: n.text,
          type,
          section: 'global',
          at: n.at,
          isConstant: block.constant,
          isRetained: block.retain,
          ...(initial !== undefined ? { initial } : {}),
          ...(address ? { address } : {}),
          home: { kind: 'global' },
        });
      }
    }
  }
}

/** All that is kept must fit (choices.md); what takes most is named. */
function checkStateSize(project: ProjectScope, instances: readonly ProgramInstance[]): void {
  const frames = project.ordered.flatMap((p) => p.variables.filter((v) => v.home.kind === 'frame'));
  let total = 0;
  for (const v of project.globals.values()) if (!v.address) total += sizeOf(v.type);
  for (const v of frames) total += sizeOf(v.type);
  for (const i of instances) total += i.pou.layout.size;
  if (total <= MAX_STATE) return;
  const kept = [...[...project.globals.values()].filter((v) => !v.address), ...frames].map((v) => ({
    name: v.name,
    at: v.at,
    bytes: sizeOf(v.type),
  }));
  for (const i of instances) kept.push({ name: i.name, at: i.pou.at, bytes: i.pou.layout.size });
  const largest = kept.sort((a, b) => b.bytes - a.bytes).slice(0, 3);
  project.problems.error(
    'OUT_OF_RANGE',
    `All that this project keeps takes ${total.toLocaleString('en')} bytes; at most ${MAX_STATE.toLocaleString('en')} are possible. The largest: ${largest.map((x) => `${x.name} (${x.bytes.toLocaleString('en')})`).join(', ')}.`,
    largest[0]!.at,
  );
}

/** An expression of a check or rule; undefined when it has an error. */
/** An expression beside the program that would change something is none: looking must leave the run as it is. */
function onlyLooks(e: Checked | undefined, problems: Problems): Checked | undefined {
  const changes = e && sideEffectOf(e);
  if (changes === undefined) return e;
  problems.error(
    'SIDE_EFFECT',
    `This would change '${changes}' by being looked at. A condition only looks: leave out the call, or call a function that changes nothing.`,
    e!.at,
  );
  return undefined;
}

function checkBeside(scope: PouScope, e: Expression): Checked | undefined {
  const checked = settle(scope, checkExpression(scope, e, BOOL));
  if (checked.kind === 'invalid') return undefined;
  if (baseOf(checked.type) !== undefined) return checked;
  scope.project.problems.error('TYPE_MISMATCH', `A value is wanted here, but this is ${typeText(checked.type)}.`, e.at);
  return undefined;
}
