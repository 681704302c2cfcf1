/** Declares the variables of a POU, lays out its instance memory, checks its body. */
import { didYouMean } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type { MethodDecl, Pou, Section, Statement, VariableBlock } from '../language/tree.js';
import {
  BOOL,
  CLASS_NUMBER,
  UNKNOWN,
  type ArrayType,
  type BlockMember,
  type Constant,
  type Type,
  alignOf,
  baseOf,
  defaultValue,
  elementary,
  isScalar,
  roundUp,
  sameType,
  sizeOf,
  typeText,
} from '../types/type.js';
import type { CheckedPou, CheckedStatement, Home, Place, Variable } from '../checked/tree.js';
import { baseBlock, checkClass, findInterface, needsClassNumber } from './classes.js';
import { declareAddress } from './located.js';
import { Inherited, type PouScope, type ProjectScope, asleepName, fullName, key } from '../names/scope.js';
import { checkStatements } from './statements.js';
import { MAX_STATE, initialValue, resolveType } from './types.js';

const SECTIONS: Record<Section, Variable['section']> = {
  VAR: 'local',
  VAR_INPUT: 'input',
  VAR_OUTPUT: 'output',
  VAR_IN_OUT: 'inout',
  VAR_TEMP: 'temp',
  VAR_GLOBAL: 'global',
  VAR_EXTERNAL: 'global',
};

/** A function block, class or program, laid out; its body is checked later. Undefined on recursion. */
export function layoutBlock(project: ProjectScope, decl: Pou, at: Span): CheckedPou | undefined {
  const id = key(fullName(decl));
  const done = project.pous.get(id);
  if (done) return done;
  if (project.open.has(id)) {
    project.problems.error(
      'RECURSION',
      `'${decl.name.text}' uses itself, directly or through another block; state is laid out before the run, so that is not possible.`,
      at,
    );
    return undefined;
  }
  project.open.add(id);
  const scope: PouScope = { project, context: decl.context, variables: new Map() };
  const base = baseBlock(scope, decl);
  const interfaces = decl.implements.flatMap((n) => findInterface(scope, n) ?? []);
  const classNumber =
    project.extended.has(decl) || needsClassNumber(decl) ? { classNumber: project.classes.length + 1 } : {};
  const pou: CheckedPou = {
    ...emptyPou(fullName(decl), decl.pou, decl.at),
    ...(base ? { base } : {}),
    interfaces,
    isAbstract: decl.modifiers.includes('ABSTRACT'),
    ...classNumber,
    inheritsBody: base !== undefined && decl.body.length === 0,
  };
  if (pou.classNumber !== undefined) project.classes.push(pou);
  const inner: PouScope = { ...scope, pou, variables: new Inherited(base && visibleIn(base)) };
  layoutInstance(inner, decl, pou);
  const early = project.openLayouts.get(id);
  if (early) Object.assign(early, pou.layout);
  project.pous.set(id, pou);
  project.open.delete(id);
  project.ordered.push(pou);
  for (const m of decl.methods) {
    if (pou.methods.has(key(m.name.text)) || inner.variables.has(key(m.name.text))) {
      project.problems.error('DUPLICATE_NAME', `'${m.name.text}' is declared already in ${pou.name}.`, m.name.at);
      continue;
    }
    pou.methods.set(key(m.name.text), declareMethod(inner, pou, m, pou.name));
  }
  project.bodies.push(() => {
    fill(pou, checkStatements(inner, decl.body));
    if (pou.base || decl.methods.length || pou.interfaces.length) checkClass(project, pou, decl);
  });
  return pou;
}

/** One by one: a body may have more statements than a call takes arguments. */
function fill(pou: CheckedPou, body: readonly CheckedStatement[]): void {
  for (const s of body) pou.body.push(s);
}

function emptyPou(name: string, pou: CheckedPou['pou'], at: Span): CheckedPou {
  return {
    name,
    pou,
    at,
    variables: [],
    layout: { members: [], size: 0, align: 1 },
    body: [],
    locals: [],
    methods: new Map(),
    interfaces: [],
    isAbstract: false,
  };
}

/** A function: parameters and scalar variables in locals, the rest in fixed memory. */
export function layoutFunction(project: ProjectScope, decl: Pou): CheckedPou {
  const id = key(fullName(decl));
  const done = project.pous.get(id);
  if (done) return done;
  const pou = emptyPou(fullName(decl), 'FUNCTION', decl.at);
  project.pous.set(id, pou);
  const scope: PouScope = { project, context: decl.context, pou, variables: new Map() };
  layoutLocals(scope, decl, pou);
  project.ordered.push(pou);
  project.bodies.push(() => {
    fill(pou, checkStatements(scope, decl.body));
  });
  return pou;
}

/** A method: a function with the instance around it. `owner` is undefined for an interface's. */
export function declareMethod(
  outer: PouScope,
  owner: CheckedPou | undefined,
  decl: MethodDecl,
  ownerName: string,
): CheckedPou {
  const { project } = outer;
  const pou: CheckedPou = {
    ...emptyPou(`${ownerName}.${decl.name.text}`, 'METHOD', decl.at),
    method: decl,
    ...(owner ? { owner } : {}),
  };
  const scope: PouScope = { project, context: outer.context, pou, variables: new Map(), instance: outer.variables };
  layoutLocals(scope, decl, pou);
  project.ordered.push(pou);
  if (decl.modifiers.includes('ABSTRACT')) {
    if (decl.body.length)
      project.problems.error('ABSTRACT', `'${decl.name.text}' is ABSTRACT: it has no statements.`, decl.body[0]!.at);
    return pou;
  }
  project.bodies.push(() => {
    fill(pou, checkStatements(scope, decl.body));
  });
  return pou;
}

function layoutInstance(scope: PouScope, decl: Pou, pou: CheckedPou): void {
  const { layout, base } = pou;
  let offset = 0;
  const add = (
    name: string,
    type: Type,
    section: BlockMember['section'],
    retain: boolean,
    initial: Constant | undefined,
    access?: BlockMember['access'],
    id?: string,
  ): number => {
    const reference = section === 'inout' || (type.kind === 'array' && type.open === true);
    const align = reference ? 4 : alignOf(type);
    offset = roundUp(offset, align);
    const at = offset;
    layout.members.push({
      name,
      type,
      section,
      offset: at,
      retain,
      owner: pou.name,
      ...(access ? { access } : {}),
      ...(id !== undefined ? { id } : {}),
      ...(initial !== undefined ? { initial } : {}),
    });
    offset += reference ? 4 : sizeOf(type);
    layout.align = Math.max(layout.align, align);
    return at;
  };
  if (base) {
    inherit(pou, base);
    for (const name of base.layout.lost ?? []) scope.variables.set(key(name), unknownVariable(name, UNKNOWN, base.at));
  }
  offset = base ? base.layout.size : 0;
  if (pou.classNumber !== undefined && !base)
    add(CLASS_NUMBER, elementary('DINT'), 'hidden', false, BigInt(pou.classNumber));
  declareAll(scope, decl.blocks, (name, type, section, block, initial): Home => {
    if (section === 'temp') return tempHome(type);
    const member =
      section === 'inout' || section === 'input' || section === 'output'
        ? section
        : section === 'bound'
          ? 'hidden'
          : 'local';
    const at = add(name, type, member, block.retain, initial, block.access, deviceId(block, name));
    return section === 'inout' ? { kind: 'reference', offset: at } : { kind: 'instance', offset: at };
  });
  for (const d of decl.blocks.flatMap((b) => (b.section === 'VAR_INPUT' ? b.variables : [])))
    for (const n of d.edge ? d.names : []) edgeInput(scope, pou, n, d.edge === 'falling', add);
  for (const memory of edgeMemories(decl.body)) {
    const variable: Variable = {
      name: memory,
      type: BOOL,
      section: 'hidden',
      at: decl.at,
      isConstant: false,
      isRetained: false,
      owner: pou.name,
      home: { kind: 'instance', offset: add(memory, BOOL, 'hidden', false, undefined) },
    };
    scope.variables.set(key(memory), variable);
  }
  for (const m of decl.pou === 'PROGRAM' && scope.project.tasked.size ? [...layout.members] : []) {
    if (!scope.project.tasked.has(`${key(pou.name)}.${key(m.name)}`) || m.type.kind !== 'block') continue;
    const name = asleepName(m.name);
    scope.variables.set(key(name), {
      name,
      type: BOOL,
      section: 'hidden',
      at: decl.at,
      isConstant: false,
      isRetained: false,
      owner: pou.name,
      home: { kind: 'instance', offset: add(name, BOOL, 'hidden', false, undefined) },
    });
  }
  layout.size = Math.max(roundUp(offset, layout.align), 1);
  if (layout.size > MAX_STATE) {
    scope.project.problems.error(
      'OUT_OF_RANGE',
      `An instance of '${pou.name}' needs ${layout.size.toLocaleString('en')} bytes; all that a project keeps is at most ${MAX_STATE.toLocaleString('en')}.`,
      decl.name.at,
    );
    layout.size = 1;
  }
}

/** What a project knows a device of its machine model by; other variables have nothing like it. */
function deviceId(block: VariableBlock, name: string): string | undefined {
  if (block.variables[0]?.names[0]?.at.source.origin.kind !== 'device') return undefined;
  const origin = block.variables.flatMap((v) => v.names).find((n) => n.text === name)?.at.source.origin;
  return origin?.kind === 'device' ? `device ${origin.id}` : undefined;
}

/** The base's members come first, at the same places, so that its methods work on the derived instance too. */
function inherit(pou: CheckedPou, base: CheckedPou): void {
  const { members } = pou.layout;
  for (const m of base.layout.members) members.push(m);
  const at = members.findIndex((m) => m.name === CLASS_NUMBER);
  if (at >= 0) members[at] = { ...members[at]!, initial: BigInt(pou.classNumber!) };
  pou.layout.align = base.layout.align;
  pou.layout.size = base.layout.size;
  if (base.layout.lost) pou.layout.lost = [...base.layout.lost];
}

const visible = new WeakMap<CheckedPou, Inherited>();
/**
 * What a derived block sees of its base and of that one's bases: the nearest of each name, without what is private or
 * temporary.
 */
function visibleIn(pou: CheckedPou): Inherited {
  let known = visible.get(pou);
  if (!known) {
    const isPrivate = new Set(
      pou.layout.members
        .slice(pou.base?.layout.members.length ?? 0)
        .flatMap((m) => (m.access === 'PRIVATE' ? [key(m.name)] : [])),
    );
    const names = new Inherited(pou.base && visibleIn(pou.base));
    for (const v of pou.variables) if (v.section !== 'temp' && !isPrivate.has(key(v.name))) names.set(key(v.name), v);
    visible.set(pou, (known = names));
  }
  return known;
}

/** The block keeps what the input was and sees the edge in its place (table 41). */
function edgeInput(
  scope: PouScope,
  pou: CheckedPou,
  name: { readonly text: string; readonly at: Span },
  falling: boolean,
  add: (
    name: string,
    type: Type,
    section: BlockMember['section'],
    retain: boolean,
    initial: Constant | undefined,
  ) => number,
): void {
  const variable = scope.variables.get(key(name.text));
  if (!variable || baseOf(variable.type) !== 'BOOL') {
    scope.project.problems.error('TYPE_MISMATCH', `${falling ? 'F_EDGE' : 'R_EDGE'} needs a BOOL.`, name.at);
    return;
  }
  const at = add(`edge ${name.text}`, BOOL, 'hidden', false, undefined);
  const place = (v: Variable): Place => ({ kind: 'variable', variable: v, type: BOOL, at: name.at });
  const memory: Variable = {
    name: `edge ${name.text}`,
    type: BOOL,
    section: 'hidden',
    at: name.at,
    isConstant: false,
    isRetained: false,
    owner: pou.name,
    home: { kind: 'instance', offset: at },
  };
  pou.body.push({ kind: 'inputEdge', input: place(variable), memory: place(memory), falling, at: name.at });
}

function tempHome(type: Type): Home {
  return isSimple(type) ? { kind: 'local' } : { kind: 'frame' };
}

/** What fits a WebAssembly local. */
const isSimple = (type: Type): boolean => isScalar(type) || type.kind === 'ref' || type.kind === 'interface';

function layoutLocals(scope: PouScope, decl: Pou | MethodDecl, pou: CheckedPou): void {
  declareAll(scope, decl.blocks, (_name, type, section): Home => {
    if (section === 'inout' || (type.kind === 'array' && type.open)) return { kind: 'localReference' };
    return isSimple(type) && section !== 'output' ? { kind: 'local' } : { kind: 'frame' };
  });
  if (!decl.result) return;
  const type = resolveType(scope, decl.result);
  if (type.kind === 'block') {
    scope.project.problems.error('TYPE_MISMATCH', 'A function cannot give a function block.', decl.result.at);
    return;
  }
  if (type.kind === 'unknown') {
    pou.isResultLost = true;
    scope.variables.set(key(decl.name.text), unknownVariable(decl.name.text, type, decl.name.at));
    return;
  }
  const home: Home = isSimple(type) ? { kind: 'local' } : { kind: 'frame' };
  const template = templateOf(decl.name, type, undefined, 'result', home, pou);
  if (template) (pou.variables as Variable[]).push(template);
  const result: Variable = {
    name: decl.name.text,
    type,
    section: 'result',
    at: decl.name.at,
    isConstant: false,
    isRetained: false,
    initial: defaultValue(type),
    owner: pou.name,
    ...(template ? { template } : {}),
    home,
  };
  (pou as { result?: Variable }).result = result;
  (pou.variables as Variable[]).push(result);
  if (result.home.kind === 'local') pou.locals.push(result);
  scope.variables.set(key(result.name), result);
}

type HomeFor = (
  name: string,
  type: Type,
  section: Variable['section'],
  block: VariableBlock,
  initial: Constant | undefined,
) => Home;

/** Declares every variable of the blocks in order; the caller says where each one lives. */
function declareAll(scope: PouScope, blocks: readonly VariableBlock[], homeFor: HomeFor): void {
  const { project } = scope;
  const pou = scope.pou!;
  const isCalled = pou.pou === 'FUNCTION' || pou.pou === 'METHOD';
  const inputsFirst = [...blocks].sort((a, b) => Number(isParameter(b)) - Number(isParameter(a)));
  const add = (variable: Variable): void => {
    (pou.variables as Variable[]).push(variable);
    if (variable.home.kind === 'local' || variable.home.kind === 'localReference') pou.locals.push(variable);
    scope.variables.set(key(variable.name), variable);
  };
  for (const block of isCalled ? inputsFirst : blocks) {
    const section = SECTIONS[block.section];
    for (const d of block.variables) {
      if (block.section === 'VAR_EXTERNAL') {
        for (const n of d.names) external(scope, n.text, n.at, resolveType(scope, d.type), block.constant);
        continue;
      }
      const type = resolveType(scope, d.type, '', {
        isParameter: section === 'inout' || (isCalled && section === 'input'),
      });
      if (isCalled && type.kind === 'block' && section !== 'inout')
        project.problems.error(
          'TYPE_MISMATCH',
          `A ${pou.pou.toLowerCase()} keeps nothing between its calls, so it cannot hold the instance of a block; hand it over as VAR_IN_OUT.`,
          d.type.at,
        );
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? project.typeInitials.get(type);
      for (const n of d.names) {
        const before = scope.variables.get(key(n.text));
        if (before) {
          project.problems.error(
            'DUPLICATE_NAME',
            `'${n.text}' is declared already in ${before.owner ?? pou.name}.`,
            n.at,
            [{ message: 'declared here first', at: before.at }],
          );
          continue;
        }
        if (type.kind === 'unknown') {
          scope.variables.set(key(n.text), unknownVariable(n.text, type, n.at));
          (pou.layout.lost ??= []).push(n.text);
          continue;
        }
        const common = {
          name: n.text,
          type,
          section,
          at: n.at,
          isConstant: block.constant,
          isRetained: block.retain,
          owner: pou.name,
          ...(initial !== undefined ? { initial } : {}),
        };
        const open = d.address && /^%([IQM])[XBWDL]?\*$/i.exec(d.address.text);
        if (d.address && isCalled)
          project.problems.error(
            'BAD_ADDRESS',
            `A variable of a ${pou.pou.toLowerCase()} has no address.`,
            d.address.at,
          );
        const address = d.address && !open && !isCalled ? declareAddress(project, d.address, type) : undefined;
        if (address) {
          add({ ...common, address, home: { kind: 'global' } });
          continue;
        }
        const home = homeFor(n.text, type, section, block, initial);
        const bounds = type.kind === 'array' && type.open ? { bounds: boundsOf(pou, n, type, block, homeFor) } : {};
        const template = templateOf(n, type, initial, section, home, pou);
        if (template) (pou.variables as Variable[]).push(template);
        add({
          ...common,
          home,
          ...bounds,
          ...(template ? { template } : {}),
          ...(open ? { openAddress: open[1]!.toUpperCase() as 'I' } : {}),
        });
        for (const b of bounds.bounds ?? []) {
          add(b.low);
          add(b.high);
        }
      }
    }
  }
}

/**
 * What a composite local starts with at each call lies beside it; so does what an input is when a call leaves it out.
 */
function templateOf(
  name: { readonly text: string; readonly at: Span },
  type: Type,
  initial: Constant | undefined,
  section: Variable['section'],
  home: Home,
  pou: CheckedPou,
): Variable | undefined {
  if (home.kind !== 'frame' || type.kind === 'string' || isScalar(type)) return undefined;
  if (section !== 'input' && initial === undefined && startsAtZero(type)) return undefined;
  return {
    name: `start of ${name.text}`,
    type,
    section: 'hidden',
    at: name.at,
    isConstant: true,
    isRetained: false,
    owner: pou.name,
    initial: initial ?? defaultValue(type),
    home: { kind: 'frame' },
  };
}

/** Whether the start value of a type is nothing but zeros in memory. */
function startsAtZero(type: Type): boolean {
  switch (type.kind) {
    case 'array':
      return startsAtZero(type.element);
    case 'struct':
      return type.members.every((m) => m.initial === undefined && startsAtZero(m.type));
    case 'enum':
      return (type.values[0]?.value ?? 0n) === 0n;
    case 'subrange':
      return type.low <= 0n && type.high >= 0n;
    case 'block':
      return false;
    default:
      return true;
  }
}

/** Hidden parameters that carry the bounds of an ARRAY [*]. */
function boundsOf(
  pou: CheckedPou,
  name: { readonly text: string; readonly at: Span },
  type: ArrayType,
  block: VariableBlock,
  homeFor: HomeFor,
): NonNullable<Variable['bounds']> {
  const bound = (end: string, dimension: number): Variable => {
    const text = `${end} bound ${dimension + 1} of ${name.text}`;
    return {
      name: text,
      type: elementary('DINT'),
      section: 'bound',
      at: name.at,
      isConstant: false,
      isRetained: false,
      owner: pou.name,
      home: homeFor(text, elementary('DINT'), 'bound', block, undefined),
    };
  };
  return type.bounds.map((_, i) => ({ low: bound('lower', i), high: bound('upper', i) }));
}

const isParameter = (b: VariableBlock) => b.section === 'VAR_INPUT' || b.section === 'VAR_IN_OUT';
const unknownVariable = (name: string, type: Type, at: Span): Variable => ({
  name,
  type,
  section: 'local',
  at,
  isConstant: false,
  isRetained: false,
  home: { kind: 'global' },
});

function external(scope: PouScope, name: string, at: Span, type: Type, isConstant: boolean): void {
  const { problems, globals } = scope.project;
  const global = globals.get(key(name));
  if (!global) {
    problems.error(
      'UNKNOWN_NAME',
      `There is no global variable '${name}' for this VAR_EXTERNAL.${didYouMean(
        name,
        [...globals.values()].map((v) => v.name),
      )}`,
      at,
    );
    return;
  }
  if (type.kind !== 'unknown' && global.type.kind !== 'unknown' && !sameType(type, global.type))
    problems.error(
      'TYPE_MISMATCH',
      `The global variable '${name}' is ${typeText(global.type)}, not ${typeText(type)}.`,
      at,
      [{ message: 'declared here', at: global.at }],
    );
  if (global.isConstant && !isConstant)
    problems.error('TYPE_MISMATCH', `The global variable '${name}' is CONSTANT; write VAR_EXTERNAL CONSTANT.`, at, [
      { message: 'declared here', at: global.at },
    ]);
  scope.variables.set(key(name), global);
}

/** Names of the hidden variables that edge elements of the rungs need. */
function edgeMemories(body: readonly Statement[]): string[] {
  return body.flatMap((s): string[] =>
    s.kind === 'edge'
      ? [s.memory]
      : s.kind === 'rung'
        ? edgeMemories(s.body)
        : s.kind === 'if'
          ? s.branches.flatMap((b) => edgeMemories(b.body))
          : [],
  );
}
