/** Tasks, program instances, connections and start values of a configuration (6.8). */

import {
  type Place,
  type Task,
  type ProgramInstance,
  type StartValue,
  type AccessPath,
  type BlockRun,
  type CheckedStatement,
  type Variable,
  rootOf,
} from '../checked/tree.js';
import { didYouMean } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type {
  Declaration,
  Configuration,
  Pou,
  Name,
  BlockTask,
  InstanceDecl,
  Expression,
  TypeSpec,
} from '../language/tree.js';
import { pouOf } from '../names/lineage.js';
import {
  type ProjectScope,
  type PouScope,
  bareScope,
  key,
  fullName,
  findNamed,
  ROOT,
  asleepName,
  findVariable,
} from '../names/scope.js';
import { coerce } from '../names/values.js';
import { typeText, type BlockMember, sameType, sizeOf, isTime } from '../types/type.js';
import { checkExpression } from './expressions.js';
import { declareAddress } from './located.js';
import { placeOf, writablePlace, isWhole } from './places.js';
import { resolveType, initialValue } from './types.js';

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
export function configure(project: ProjectScope, declarations: readonly Declaration[]): Configured {
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
export function instanceVariables(instances: readonly ProgramInstance[]): Map<string, Variable> {
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
