/**
 * Checks a whole project: declarations of all its sources in, the checked program out. Stages in order, each a function
 * below.
 */
import { type Diagnostic, Problems, didYouMean } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type {
  BlockTask,
  Configuration,
  Declaration,
  Expression,
  InstanceDecl,
  Name,
  Pou,
  TypeSpec,
  VariableBlock,
} from '../language/tree.js';
import { BOOL, type BlockMember, baseOf, elementaryByName, isTime, sameType, sizeOf, typeText } from '../types/type.js';
import { standardBlocks } from '../library/blocks.js';
import { isStandardFunction } from '../library/functions.js';
import {
  type AccessPath,
  type BlockRun,
  type Checked,
  type CheckedPou,
  type CheckedProgram,
  type CheckedStatement,
  type Dispatch,
  type Overflow,
  type Place,
  type ProgramInstance,
  type Reference,
  type StartValue,
  type Task,
  type Variable,
  rootOf,
  MAX_NESTED,
} from '../checked/checked.js';
import { checkInterface, implementations } from './classes.js';
import { interfacesOf, isDerivedFrom, pouOf } from '../scope/lineage.js';
import { checkExpression } from './expressions.js';
import { coerce, settle } from '../scope/values.js';
import { sideEffectOf } from './purity.js';
import { checkOverlaps, declareAddress } from './located.js';
import { isWhole, placeOf, writablePlace } from './places.js';
import { declareMethod, layoutBlock, layoutFunction } from './pou.js';
import {
  type CallEdge,
  type Named,
  type PouScope,
  type Parts,
  type ProjectScope,
  ROOT,
  asleepName,
  bareScope,
  findNamed,
  findVariable,
  fullName,
  globalBlocks,
  key,
} from '../scope/scope.js';
import { MAX_STATE, initialValue, resolveType } from './types.js';

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

function dispatches(project: ProjectScope, counted: ReadonlySet<CheckedPou>): Dispatch[] {
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
function checkRecursion(project: ProjectScope): {
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
function checkFrames(project: ProjectScope, reentrant: ReadonlySet<CheckedPou>): void {
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

/** Whether a place is the same all the time. */
const isFixed = (p: Place): boolean =>
  p.kind === 'variable' ||
  (p.kind !== 'target' && isFixed(p.base) && (p.kind !== 'element' || p.indices.every((i) => i.kind === 'constant')));

interface Configured {
  readonly tasks: Task[];
  readonly instances: ProgramInstance[];
  readonly startValues: StartValue[];
  readonly accessPaths: AccessPath[];
  readonly blockRuns: BlockRun[];
}

/**
 * Tasks and program instances; without a CONFIGURATION the default of cli.md: every program once, in one cyclic task of
 * 10 ms.
 */
function configure(project: ProjectScope, declarations: readonly Declaration[]): Configured {
  const configurations = declarations.filter((d): d is Configuration => d.kind === 'configuration');
  const result: Configured = { tasks: [], instances: [], startValues: [], accessPaths: [], blockRuns: [] };
  const { tasks, instances } = result;
  for (const a of project.aliases.values()) {
    // A second name of a second name is not looked through: each says itself what it stands for.
    const place = placeOf({ ...bareScope({ ...project, aliases: new Map() }) }, a.place);
    if (place && !isFixed(place))
      project.problems.error('NOT_CONSTANT', `'${a.name}' must stand for one place: an index is a number here.`, a.at);
    else if (place) result.accessPaths.push({ name: a.name, place, writable: true });
  }
  const programs = [...project.names.values()].filter((d): d is Pou => d.kind === 'pou' && d.pou === 'PROGRAM');
  if (!configurations.length) {
    if (programs.length) tasks.push({ name: 'Main', intervalNs: 10_000_000n, priority: 0 });
    for (const p of programs) {
      const pou = project.pous.get(key(fullName(p)));
      if (pou) instances.push({ name: p.name.text, pou, task: 'Main', before: [], after: [] });
    }
    return result;
  }
  const scope = bareScope(project);
  const connected: (() => void)[] = [];
  for (const c of configurations) {
    for (const t of c.tasks) {
      if (tasks.some((x) => key(x.name) === key(t.name.text)))
        project.problems.error('DUPLICATE_NAME', `There is a task '${t.name.text}' already.`, t.name.at);
      else tasks.push(task(scope, t));
    }
    for (const i of c.instances) {
      const decl = findNamed(project, i.program.text, ROOT);
      const pou = decl?.kind === 'pou' && decl.pou === 'PROGRAM' ? project.pous.get(key(fullName(decl))) : undefined;
      if (!pou) {
        project.problems.error(
          'UNKNOWN_NAME',
          `There is no program '${i.program.text}'.${didYouMean(
            i.program.text,
            programs.map((p) => p.name.text),
          )}`,
          i.program.at,
        );
        continue;
      }
      const isTask = (name: Name): boolean => {
        if (!name.text || c.tasks.some((t) => key(t.name.text) === key(name.text))) return name.text !== '';
        project.problems.error(
          'UNKNOWN_NAME',
          `There is no task '${name.text}'.${didYouMean(
            name.text,
            c.tasks.map((t) => t.name.text),
          )}`,
          name.at,
        );
        return false;
      };
      if (i.task && !isTask(i.task)) continue;
      if (instances.some((x) => key(x.name) === key(i.name.text))) {
        project.problems.error('DUPLICATE_NAME', `There is a program instance '${i.name.text}' already.`, i.name.at);
        continue;
      }
      const instance = {
        name: i.name.text,
        pou,
        ...(i.task ? { task: i.task.text } : {}),
        before: [] as CheckedStatement[],
        after: [] as CheckedStatement[],
      };
      instances.push(instance);
      connected.push(() => {
        connect(scope, instance, i);
        for (const b of i.blocks) if (isTask(b.task)) blockTask(project, instance, b, result);
      });
    }
  }
  const variables = instanceVariables(instances);
  for (const f of connected) f();
  for (const c of configurations) settings({ project, context: ROOT, variables }, c, result);
  return result;
}

/**
 * `block WITH task`: the task runs the block; where the program calls it, values are handed over and taken back only.
 */
function blockTask(project: ProjectScope, instance: ProgramInstance, decl: BlockTask, result: Configured): void {
  const { problems } = project,
    { members } = instance.pou.layout,
    name = decl.block.text;
  const m = members.find((x) => key(x.name) === key(name)),
    asleep = members.find((x) => x.name === asleepName(name));
  if (m?.type.kind !== 'block' || !asleep) {
    const blocks = members.flatMap((x) => (x.type.kind === 'block' && x.section !== 'inout' ? [x.name] : []));
    problems.error(
      'UNKNOWN_MEMBER',
      m
        ? `'${m.name}' is ${typeText(m.type)}; only a function block runs with a task of its own.`
        : `${instance.pou.name} has no function block '${name}'.${didYouMean(name, blocks)}`,
      decl.block.at,
    );
    return;
  }
  const block = pouOf(project, m.type);
  if (!block || block.pou === 'CLASS') {
    problems.error(
      'NOT_CALLABLE',
      `${m.type.name} is a class; only a function block runs with a task of its own.`,
      decl.block.at,
    );
    return;
  }
  const reference = m.type.layout.members.find((x) => x.section === 'inout');
  if (reference) {
    problems.error(
      'NOT_CALLABLE',
      `${m.type.name} has the in-out '${reference.name}', which stands for a variable only while the block is called; it cannot run with a task of its own. Make it an input or an output, or call the block in a program of that task.`,
      decl.block.at,
    );
    return;
  }
  if (result.blockRuns.some((r) => r.instance === instance && key(r.name) === key(`${instance.name}.${m.name}`))) {
    problems.error('DUPLICATE_NAME', `'${m.name}' has a task of its own already.`, decl.block.at);
    return;
  }
  const variable = instanceVariable(instance),
    base: Place = { kind: 'variable', variable, type: variable.type, at: decl.block.at },
    memberOf = (x: BlockMember): Place => ({ kind: 'member', base, offset: x.offset, type: x.type, at: decl.block.at });
  result.startValues.push({ place: memberOf(asleep), value: true });
  result.blockRuns.push({
    name: `${instance.name}.${m.name}`,
    instance,
    task: decl.task.text,
    place: memberOf(m),
    pou: block,
  });
}

/** `Program(in := source, out => sink)`: copied at the edges of each run of the program (6.8.2). */
function connect(scope: PouScope, instance: ProgramInstance, decl: InstanceDecl): void {
  const { problems } = scope.project;
  const variable = instanceVariable(instance);
  const base: Place = { kind: 'variable', variable, type: variable.type, at: decl.name.at };
  for (const a of decl.connections) {
    const m =
      a.name &&
      instance.pou.layout.members.find(
        (x) => key(x.name) === key(a.name!.text) && x.section === (a.output ? 'output' : 'input'),
      );
    if (!a.name || !m) {
      problems.error(
        'UNKNOWN_MEMBER',
        a.name
          ? `${instance.pou.name} has no ${a.output ? 'output' : 'input'} '${a.name.text}'.${didYouMean(
              a.name.text,
              instance.pou.layout.members.map((x) => x.name),
            )}`
          : 'A connection names the variable of the program: Name := source, Name => sink.',
        a.name?.at ?? a.value.at,
      );
      continue;
    }
    const own: Place = { kind: 'member', base, offset: m.offset, type: m.type, at: a.name.at };
    const other = a.output ? writablePlace(scope, a.value) : undefined;
    if (a.output && other) (instance.after as CheckedStatement[]).push(...transferTo(scope, other, own, a.value.at));
    if (!a.output) (instance.before as CheckedStatement[]).push(...assignTo(scope, own, a.value));
  }
}

function assignTo(scope: PouScope, target: Place, value: Expression): CheckedStatement[] {
  if (isWhole(target.type)) {
    const from = placeOf(scope, value);
    return from ? transferTo(scope, target, from, value.at) : [];
  }
  const v = coerce(scope, checkExpression(scope, value, target.type), target.type);
  return v.kind === 'invalid' ? [] : [{ kind: 'assign', target, value: v, at: value.at }];
}

function transferTo(scope: PouScope, target: Place, from: Place, at: Span): CheckedStatement[] {
  if (isWhole(target.type)) {
    if (sameType(target.type, from.type)) return [{ kind: 'copy', target, from, size: sizeOf(target.type), at }];
    scope.project.problems.error(
      'TYPE_MISMATCH',
      `${typeText(target.type)} is wanted here, but this is ${typeText(from.type)}.`,
      at,
    );
    return [];
  }
  const v = coerce(scope, { kind: 'read', place: from, type: from.type, at }, target.type);
  return v.kind === 'invalid' ? [] : [{ kind: 'assign', target, value: v, at }];
}

/**
 * VAR_CONFIG gives addresses and start values, VAR_ACCESS names for others (6.8.1). Paths start with an instance, its
 * resource or a global.
 */
function settings(scope: PouScope, c: Configuration, result: Configured): void {
  const { problems } = scope.project;
  const resources = new Set([c.name, ...c.resources].map((n) => key(n.text)));
  /** `Resource.Instance.x` without the resource. */
  const strip = (e: Expression): Expression => {
    if (e.kind === 'member' || e.kind === 'index' || e.kind === 'part') {
      if (
        e.kind === 'member' &&
        e.base.kind === 'name' &&
        resources.has(key(e.base.name)) &&
        !findVariable(scope, e.base.name)
      )
        return { kind: 'name', name: e.name.text, at: e.at };
      return { ...e, base: strip(e.base) } as Expression;
    }
    return e;
  };
  const find = (e: Expression, type: TypeSpec): Place | undefined => {
    const place = placeOf(scope, strip(e));
    const given = resolveType(scope, type);
    if (!place || given.kind === 'unknown') return undefined;
    if (sameType(place.type, given)) return place;
    problems.error('TYPE_MISMATCH', `This variable is ${typeText(place.type)}, not ${typeText(given)}.`, type.at);
    return undefined;
  };
  for (const item of c.config) {
    const place = find(item.path, item.type);
    if (!place) continue;
    const value = item.initial && initialValue(scope, item.initial, place.type);
    if (value !== undefined) result.startValues.push({ place, value });
    if (!item.address) continue;
    const address = declareAddress(scope.project, item.address, place.type);
    const root = rootOf(place);
    const instance = result.instances.find((i) => key(i.name) === key(root.name));
    if (!address || !instance) continue;
    // The address is an image of its own: read before the program runs, or written after it.
    const text = item.address.text;
    const located: Variable = {
      name: `${text} of ${instance.name}`,
      type: place.type,
      section: 'hidden',
      at: item.address.at,
      isConstant: false,
      isRetained: false,
      address,
      home: { kind: 'global' },
    };
    scope.project.globals.set(key(located.name), located);
    const outside: Place = { kind: 'variable', variable: located, type: place.type, at: item.address.at };
    // What is written to an input by its name is written where the input comes from.
    if (address.area === 'I' && place.kind === 'member' && place.base.kind === 'variable') {
      const path = strip(item.path);
      if (path.kind === 'member')
        result.accessPaths.push({ name: `${instance.name}.${path.name.text}`, place: outside, writable: true });
    }
    if (address.area !== 'Q')
      (instance.before as CheckedStatement[]).push(...transferTo(scope, place, outside, item.address.at));
    if (address.area !== 'I')
      (instance.after as CheckedStatement[]).push(...transferTo(scope, outside, place, item.address.at));
  }
  for (const item of c.access) {
    const place = find(item.path, item.type);
    if (place) result.accessPaths.push({ name: item.name.text, place, writable: item.writable });
  }
}

function task(scope: PouScope, t: Configuration['tasks'][number]): Task {
  const { problems } = scope.project;
  const constantOf = (e: Expression | undefined) => {
    if (!e) return undefined;
    const c = checkExpression(scope, e);
    if (c.kind === 'constant') return c;
    if (c.kind !== 'invalid') problems.error('NOT_CONSTANT', 'This must be known before the run.', e.at);
    return undefined;
  };
  const interval = constantOf(t.interval);
  if (interval && (!isTime(interval.type) || (interval.value as bigint) <= 0n))
    problems.error('TYPE_MISMATCH', 'An interval is a duration above zero, for example T#10ms.', t.interval!.at);
  const priority = constantOf(t.priority);
  const single = t.single ? checkExpression(scope, t.single) : undefined;
  return {
    name: t.name.text,
    intervalNs: interval && isTime(interval.type) && (interval.value as bigint) > 0n ? (interval.value as bigint) : 0n,
    priority: priority && typeof priority.value === 'bigint' ? Number(priority.value) : 0,
    ...(single && single.kind !== 'invalid' ? { single } : {}),
  };
}

/**
 * Programs as if they were variables of block type, for `Program.variable` from outside (checks, rules, expressions).
 */
function instanceVariables(instances: readonly ProgramInstance[]): Map<string, Variable> {
  return new Map(instances.map((i) => [key(i.name), instanceVariable(i)]));
}

const known = new WeakMap<ProgramInstance, Variable>();
function instanceVariable(i: ProgramInstance): Variable {
  let v = known.get(i);
  if (!v) {
    v = {
      name: i.name,
      type: { kind: 'block', name: i.pou.name, layout: i.pou.layout },
      section: 'global',
      at: i.pou.at,
      isConstant: false,
      isRetained: false,
      home: { kind: 'global' },
    };
    known.set(i, v);
  }
  return v;
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
