/** Checks a whole project: declarations of all its sources in, the checked program out. Stages in order, each a function below. */
import { Problems, didYouMean } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type { Configuration, Declaration, Expression } from '../language/tree.js';
import { BOOL, baseOf, isTime, typeText } from '../types/type.js';
import { standardBlocks } from '../library/blocks.js';
import type { Checked, CheckedProgram, ProgramInstance, Task, Variable } from './checked.js';
import { checkExpression, settle } from './expressions.js';
import { checkOverlaps, declareAddress } from './located.js';
import { layoutBlock, layoutFunction } from './pou.js';
import { type PouScope, type ProjectScope, globalBlocks, key } from './scope.js';
import { initialValue, resolveType } from './types.js';

/** Checks declarations; every problem goes to `problems`. `expressions` are checked beside the program, for checks and rules. */
export function checkProject(declarations: readonly Declaration[], problems: Problems, expressions: readonly Expression[] = []): CheckedProgram {
  const project = collectNames(declarations, problems);
  resolveTypes(project);
  declareGlobals(project, declarations);
  for (const pou of project.pouDecls.values()) (pou.pou === 'FUNCTION' ? layoutFunction : layoutBlock)(project, pou, pou.name.at);
  const pous = project.ordered;
  const variables = [...project.globals.values(), ...pous.flatMap((p) => p.variables)];
  checkOverlaps(project, variables);
  const { tasks, instances } = configure(project, declarations);
  const programs = instanceVariables(instances);
  const watched = expressions.map((e) => checkBeside({ project, variables: programs }, e));
  return { globals: [...project.globals.values()], pous, tasks, instances, types: project.types, references: project.references, expressions: watched, instanceVariables: [...programs.values()] };
}

function collectNames(declarations: readonly Declaration[], problems: Problems): ProjectScope {
  const project: ProjectScope = {
    problems, typeDecls: new Map(), types: new Map(), typeInitials: new Map(), pouDecls: new Map(), pous: new Map(), ordered: [], open: new Set(),
    globals: new Map(), enumValues: new Map(), references: [], library: standardBlocks(),
  };
  const seen = new Map<string, Span>();
  for (const d of declarations) {
    if (d.kind !== 'pou' && d.kind !== 'type') continue;
    const id = key(d.name.text);
    if (!id) continue;
    const before = seen.get(id);
    if (before) problems.error('DUPLICATE_NAME', `'${d.name.text}' is declared already.`, d.name.at, [{ message: 'declared here first', at: before }]);
    else if (d.kind === 'pou') project.pouDecls.set(id, d);
    else project.typeDecls.set(id, d);
    seen.set(id, before ?? d.name.at);
  }
  return project;
}

function resolveTypes(project: ProjectScope): void {
  const scope: PouScope = { project, variables: new Map() };
  for (const d of project.typeDecls.values()) resolveType(scope, { kind: 'named', name: d.name, at: d.name.at });
}

function declareGlobals(project: ProjectScope, declarations: readonly Declaration[]): void {
  const scope: PouScope = { project, variables: new Map() };
  for (const block of globalBlocks(declarations)) {
    for (const d of block.variables) {
      const type = resolveType(scope, d.type);
      const initial = (d.initial && initialValue(scope, d.initial, type)) ?? project.typeInitials.get(type);
      const address = d.address && type.kind !== 'unknown' ? declareAddress(project, d.address, type) : undefined;
      for (const n of d.names) {
        const before = project.globals.get(key(n.text));
        if (before) { project.problems.error('DUPLICATE_NAME', `The tag '${n.text}' is declared already.`, n.at, [{ message: 'declared here first', at: before.at }]); continue; }
        project.globals.set(key(n.text), {
          name: n.text, type, section: 'global', at: n.at, isConstant: block.constant, isRetained: block.retain,
          ...(initial !== undefined ? { initial } : {}), ...(address ? { address } : {}), home: { kind: 'global', address: -1 },
        });
      }
    }
  }
}

/** Tasks and program instances; without a CONFIGURATION the default of cli.md: every program once, in one cyclic task of 10 ms. */
function configure(project: ProjectScope, declarations: readonly Declaration[]): { tasks: Task[]; instances: ProgramInstance[] } {
  const configurations = declarations.filter((d): d is Configuration => d.kind === 'configuration');
  const tasks: Task[] = [];
  const instances: ProgramInstance[] = [];
  if (!configurations.length) {
    const programs = [...project.pouDecls.values()].filter((p) => p.pou === 'PROGRAM');
    if (programs.length) tasks.push({ name: 'Main', intervalNs: 10_000_000n, priority: 0 });
    for (const p of programs) {
      const pou = project.pous.get(key(p.name.text));
      if (pou) instances.push({ name: p.name.text, pou, task: 'Main' });
    }
    return { tasks, instances };
  }
  const scope: PouScope = { project, variables: new Map() };
  for (const c of configurations) {
    for (const t of c.tasks) tasks.push(task(scope, t));
    for (const i of c.instances) {
      const decl = project.pouDecls.get(key(i.program.text));
      const pou = project.pous.get(key(i.program.text));
      if (decl?.pou !== 'PROGRAM' || !pou) {
        project.problems.error('UNKNOWN_NAME', `There is no program '${i.program.text}'.${didYouMean(i.program.text, [...project.pouDecls.values()].filter((p) => p.pou === 'PROGRAM').map((p) => p.name.text))}`, i.program.at);
        continue;
      }
      if (i.task && !c.tasks.some((t) => key(t.name.text) === key(i.task!.text))) {
        project.problems.error('UNKNOWN_NAME', `There is no task '${i.task.text}'.${didYouMean(i.task.text, c.tasks.map((t) => t.name.text))}`, i.task.at);
        continue;
      }
      if (instances.some((x) => key(x.name) === key(i.name.text))) { project.problems.error('DUPLICATE_NAME', `There is a program instance '${i.name.text}' already.`, i.name.at); continue; }
      instances.push({ name: i.name.text, pou, ...(i.task ? { task: i.task.text } : {}) });
    }
  }
  return { tasks, instances };
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
  if (interval && (!isTime(interval.type) || (interval.value as bigint) <= 0n)) problems.error('TYPE_MISMATCH', 'An interval is a duration above zero, for example T#10ms.', t.interval!.at);
  const priority = constantOf(t.priority);
  const single = t.single ? checkExpression(scope, t.single) : undefined;
  return {
    name: t.name.text, intervalNs: interval && isTime(interval.type) && (interval.value as bigint) > 0n ? (interval.value as bigint) : 0n,
    priority: priority && typeof priority.value === 'bigint' ? Number(priority.value) : 0, ...(single && single.kind !== 'invalid' ? { single } : {}),
  };
}

/** Programs as if they were variables of block type, for `Program.variable` from outside (checks, rules, expressions). */
function instanceVariables(instances: readonly ProgramInstance[]): Map<string, Variable> {
  return new Map(instances.map((i) => [key(i.name), {
    name: i.name, type: { kind: 'block', name: i.pou.name, layout: i.pou.layout }, section: 'global', at: i.pou.at, isConstant: false, isRetained: false, home: { kind: 'global', address: -1 },
  }]));
}

/** An expression of a check or rule; undefined when it has an error. */
function checkBeside(scope: PouScope, e: Expression): Checked | undefined {
  const checked = settle(scope, checkExpression(scope, e, BOOL));
  if (checked.kind === 'invalid') return undefined;
  if (baseOf(checked.type) !== undefined) return checked;
  scope.project.problems.error('TYPE_MISMATCH', `A value is wanted here, but this is ${typeText(checked.type)}.`, e.at);
  return undefined;
}
