/** Declares the variables of a POU, lays out its instance memory, checks its body. */
import type { Span } from '../language/source.js';
import type { Pou, Section, Statement, VariableBlock } from '../language/tree.js';
import { BOOL, type BlockMember, type Constant, type Type, alignOf, baseOf, defaultValue, isScalar, roundUp, sizeOf } from '../types/type.js';
import type { CheckedPou, Home, Place, Variable } from './checked.js';
import { declareAddress } from './located.js';
import { type PouScope, type ProjectScope, key } from './scope.js';
import { checkStatements } from './statements.js';
import { initialValue, resolveType } from './types.js';

const SECTIONS: Record<Section, Variable['section']> = {
  VAR: 'local', VAR_INPUT: 'input', VAR_OUTPUT: 'output', VAR_IN_OUT: 'inout', VAR_TEMP: 'temp', VAR_GLOBAL: 'global', VAR_EXTERNAL: 'global',
};

/** A function block or program, laid out; its body follows later (`checkBody`). Undefined on recursion. */
export function layoutBlock(project: ProjectScope, decl: Pou, at: Span): CheckedPou | undefined {
  return layout(project, decl, at, layoutInstance);
}

/** A function: parameters and scalar variables in locals, the rest in fixed memory. */
export function layoutFunction(project: ProjectScope, decl: Pou, at: Span): CheckedPou | undefined {
  return layout(project, decl, at, layoutLocals);
}

function layout(project: ProjectScope, decl: Pou, at: Span, place: (scope: PouScope, decl: Pou, pou: CheckedPou) => void): CheckedPou | undefined {
  const id = key(decl.name.text);
  const done = project.pous.get(id);
  if (done && !project.open.has(id)) return done;
  if (project.open.has(id)) {
    project.problems.error('RECURSION', `'${decl.name.text}' uses itself, directly or through another block; state is laid out before the run, so that is not possible.`, at);
    return undefined;
  }
  project.open.add(id);
  const variables: Variable[] = [];
  const pou: CheckedPou = { name: decl.name.text, pou: decl.pou, at: decl.at, variables, layout: { members: [], size: 0, align: 1 }, body: [], locals: [], index: -1 };
  project.pous.set(id, pou);
  const scope: PouScope = { project, pou, variables: new Map() };
  place(scope, decl, pou);
  // Checked while still open, so that a call back to it is seen as the recursion it is.
  pou.body.push(...checkStatements(scope, decl.body));
  project.open.delete(id);
  project.ordered.push(pou);
  return pou;
}

function layoutInstance(scope: PouScope, decl: Pou, pou: CheckedPou): void {
  let offset = 0;
  const { layout } = pou;
  const add = (name: string, type: Type, section: BlockMember['section'], retain: boolean, initial: Constant | undefined): number => {
    const reference = section === 'inout';
    const align = reference ? 4 : alignOf(type);
    offset = roundUp(offset, align);
    const at = offset;
    layout.members.push({ name, type, section, offset: at, retain, ...(initial !== undefined ? { initial } : {}) });
    offset += reference ? 4 : sizeOf(type);
    layout.align = Math.max(layout.align, align);
    return at;
  };
  declareAll(scope, decl.blocks, (name, type, section, block, initial): Home => {
    if (section === 'temp') return tempHome(type);
    const member = section === 'inout' || section === 'input' || section === 'output' ? section : 'local';
    const at = add(name, type, member, block.retain, initial);
    return section === 'inout' ? { kind: 'reference', offset: at } : { kind: 'instance', offset: at };
  });
  for (const d of decl.blocks.flatMap((b) => (b.section === 'VAR_INPUT' ? b.variables : []))) for (const n of d.edge ? d.names : []) edgeInput(scope, pou, n, d.edge === 'falling', add);
  for (const memory of edgeMemories(decl.body)) {
    const variable: Variable = { name: memory, type: BOOL, section: 'hidden', at: decl.at, isConstant: false, isRetained: false, owner: pou.name, home: { kind: 'instance', offset: add(memory, BOOL, 'hidden', false, undefined) } };
    scope.variables.set(key(memory), variable);
  }
  layout.size = Math.max(roundUp(offset, layout.align), 1);
}

/** The block keeps what the input was and sees the edge in its place (table 41). */
function edgeInput(scope: PouScope, pou: CheckedPou, name: { readonly text: string; readonly at: Span }, falling: boolean, add: (name: string, type: Type, section: BlockMember['section'], retain: boolean, initial: Constant | undefined) => number): void {
  const variable = scope.variables.get(key(name.text));
  if (!variable || baseOf(variable.type) !== 'BOOL') {
    scope.project.problems.error('TYPE_MISMATCH', `${falling ? 'F_EDGE' : 'R_EDGE'} needs a BOOL.`, name.at);
    return;
  }
  const at = add(`edge ${name.text}`, BOOL, 'hidden', false, undefined);
  const place = (v: Variable): Place => ({ kind: 'variable', variable: v, type: BOOL, at: name.at });
  const memory: Variable = { name: `edge ${name.text}`, type: BOOL, section: 'hidden', at: name.at, isConstant: false, isRetained: false, owner: pou.name, home: { kind: 'instance', offset: at } };
  pou.body.push({ kind: 'inputEdge', input: place(variable), memory: place(memory), falling, at: name.at });
}

function tempHome(type: Type): Home {
  return isSimple(type) ? { kind: 'local', index: -1 } : { kind: 'frame', address: -1 };
}

/** What fits a WebAssembly local. */
const isSimple = (type: Type): boolean => isScalar(type) || type.kind === 'ref';

function layoutLocals(scope: PouScope, decl: Pou, pou: CheckedPou): void {
  declareAll(scope, decl.blocks, (_name, type, section): Home => {
    if (section === 'inout') return { kind: 'localReference', index: -1 };
    return isSimple(type) && section !== 'output' ? { kind: 'local', index: -1 } : { kind: 'frame', address: -1 };
  });
  if (!decl.result) return;
  const type = resolveType(scope, decl.result);
  if (type.kind === 'block') {
    scope.project.problems.error('TYPE_MISMATCH', 'A function cannot give a function block.', decl.result.at);
    return;
  }
  const result: Variable = { name: decl.name.text, type, section: 'result', at: decl.name.at, isConstant: false, isRetained: false, initial: defaultValue(type), owner: pou.name, home: isSimple(type) ? { kind: 'local', index: -1 } : { kind: 'frame', address: -1 } };
  (pou as { result?: Variable }).result = result;
  (pou.variables as Variable[]).push(result);
  if (result.home.kind === 'local') pou.locals.push(result);
  scope.variables.set(key(result.name), result);
}

type HomeFor = (name: string, type: Type, section: Variable['section'], block: VariableBlock, initial: Constant | undefined) => Home;

/** Declares every variable of the blocks in order; the caller says where each one lives. */
function declareAll(scope: PouScope, blocks: readonly VariableBlock[], homeFor: HomeFor): void {
  const { project, pou } = scope;
  const inputsFirst = [...blocks].sort((a, b) => Number(isParameter(b)) - Number(isParameter(a)));
  for (const block of pou?.pou === 'FUNCTION' ? inputsFirst : blocks) {
    const section = SECTIONS[block.section];
    for (const d of block.variables) {
      const type = resolveType(scope, d.type);
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? project.typeInitials.get(type);
      for (const n of d.names) {
        if (block.section === 'VAR_EXTERNAL') { external(scope, n.text, n.at); continue; }
        const before = scope.variables.get(key(n.text));
        if (before) { project.problems.error('DUPLICATE_NAME', `'${n.text}' is declared already in ${pou!.name}.`, n.at, [{ message: 'declared here first', at: before.at }]); continue; }
        if (type.kind === 'unknown') { scope.variables.set(key(n.text), unknownVariable(n.text, type, n.at)); continue; }
        const address = d.address && declareAddress(project, d.address, type);
        const common = { name: n.text, type, section, at: n.at, isConstant: block.constant, isRetained: block.retain, owner: pou!.name, ...(initial !== undefined ? { initial } : {}) };
        const variable: Variable = address
          ? { ...common, address, home: { kind: 'global', address: -1 } }
          : { ...common, home: homeFor(n.text, type, section, block, initial) };
        (pou!.variables as Variable[]).push(variable);
        if (variable.home.kind === 'local' || variable.home.kind === 'localReference') pou!.locals.push(variable);
        scope.variables.set(key(n.text), variable);
      }
    }
  }
}

const isParameter = (b: VariableBlock) => b.section === 'VAR_INPUT' || b.section === 'VAR_IN_OUT';
const unknownVariable = (name: string, type: Type, at: Span): Variable => ({ name, type, section: 'local', at, isConstant: false, isRetained: false, home: { kind: 'global', address: -1 } });

function external(scope: PouScope, name: string, at: Span): void {
  const global = scope.project.globals.get(key(name));
  if (!global) scope.project.problems.error('UNKNOWN_NAME', `There is no global variable '${name}' for this VAR_EXTERNAL.`, at);
  else scope.variables.set(key(name), global);
}

/** Names of the hidden variables that edge elements of the rungs need. */
function edgeMemories(body: readonly Statement[]): string[] {
  return body.flatMap((s): string[] => (s.kind === 'edge' ? [s.memory] : s.kind === 'rung' ? edgeMemories(s.body) : s.kind === 'if' ? s.branches.flatMap((b) => edgeMemories(b.body)) : []));
}
