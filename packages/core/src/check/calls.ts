/** Calls of functions and of function block instances (clause 6.6.1.4: formal and informal lists, defaults, `=>`). */
import { didYouMean } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import type { Argument, Expression } from '../language/tree.js';
import {
  type BlockMember,
  type Type,
  UNKNOWN,
  baseOf,
  defaultValue,
  elementary,
  isBool,
  sameType,
  typeText,
} from '../types/type.js';
import {
  checkEnumConversion,
  checkStandardFunction,
  isStandardFunction,
  standardFunctionNames,
} from '../library/functions.js';
import {
  type BlockCall,
  type Checked,
  type CheckedPou,
  type CheckedStatement,
  type Place,
  type Variable,
  rootOf,
} from '../checked/tree.js';
import { findMethod, lineage, pouOf, standsFor } from '../names/lineage.js';
import { coerce, constant, invalid } from '../names/values.js';
import {
  isExact,
  isWhole,
  isWithin,
  noteUse,
  openBounds,
  placeOf,
  spaceOf,
  thisPlace,
  writablePlace,
} from './places.js';
import { type PouScope, asleepName, findNamed, findVariable, isKnown, key, namesOf } from '../names/scope.js';

/** What the callee of a call names. */
export type Callee =
  | { readonly kind: 'function'; readonly pou: CheckedPou }
  | { readonly kind: 'method'; readonly pou: CheckedPou; readonly self: Checked; readonly isVirtual: boolean }
  | { readonly kind: 'standard'; readonly name: string }
  /** An instance: of a function block, or something that cannot be called. */
  | { readonly kind: 'place'; readonly place: Place };

/** `A.B.C` where it is nothing but names. */
function dotted(e: Expression): string | undefined {
  if (e.kind === 'name') return e.name;
  const base = e.kind === 'member' ? dotted(e.base) : undefined;
  return base !== undefined && e.kind === 'member' ? `${base}.${e.name.text}` : undefined;
}

/** Finds out what is called; undefined, with a problem reported, when it is nothing. */
export function resolveCallee(scope: PouScope, e: Expression): Callee | undefined {
  const { project } = scope;
  const name = dotted(e);
  const first = name?.split('.')[0];
  if (
    name !== undefined &&
    first !== undefined &&
    (!isKnown(scope, first) || (name === first && findVariable(scope, first)?.section === 'result'))
  ) {
    const own = name === first ? findMethod(scope.pou?.owner ?? scope.pou, name) : undefined;
    if (own) {
      const self = thisPlace(scope, e.at);
      return self && methodOf(scope, own, self, e.at);
    }
    const decl = findNamed(project, name, scope.context);
    if (decl?.kind === 'pou') {
      if (decl.pou === 'FUNCTION') return { kind: 'function', pou: project.parts.function(project, decl) };
      project.problems.error(
        'NOT_CALLABLE',
        decl.pou === 'PROGRAM'
          ? `'${name}' is a program; programs are run by tasks.`
          : `'${name}' is a ${decl.pou === 'CLASS' ? 'class' : 'function block'}; declare an instance of it and call ${decl.pou === 'CLASS' ? 'a method of that' : 'that'}.`,
        e.at,
      );
      return undefined;
    }
    if (name === first || !isKnown(scope, first)) return { kind: 'standard', name };
  }
  if (e.kind === 'member') {
    const isSuper = e.base.kind === 'super';
    const base = isSuper ? thisPlace(scope, e.base.at, true) : placeOf(scope, e.base);
    if (!base) return undefined;
    const method =
      base.type.kind === 'interface'
        ? project.interfaces.get(key(base.type.name))?.methods.get(key(e.name.text))
        : findMethod(pouOf(project, base.type), e.name.text);
    if (method) return methodOf(scope, method, base, e.name.at, isSuper);
    if (base.type.kind === 'interface' || (isSuper && base.type.kind === 'block')) {
      const names =
        base.type.kind === 'interface'
          ? [...(project.interfaces.get(key(base.type.name))?.methods.values() ?? [])]
          : lineage(pouOf(project, base.type)).flatMap((p) => [...p.methods.values()]);
      project.problems.error(
        'UNKNOWN_MEMBER',
        `${typeText(base.type)} has no method '${e.name.text}'.${didYouMean(
          e.name.text,
          names.map((m) => m.method!.name.text),
        )}`,
        e.name.at,
      );
      return undefined;
    }
  }
  const place = placeOf(scope, e);
  return place && { kind: 'place', place };
}

function methodOf(
  scope: PouScope,
  pou: CheckedPou,
  base: Place,
  at: Expression['at'],
  isSuper = false,
): Callee | undefined {
  const { problems } = scope.project;
  const { access } = pou.method!;
  const owner = pou.owner?.name ?? '';
  const mayCall =
    !scope.pou ||
    access === 'PUBLIC' ||
    (access === 'INTERNAL'
      ? spaceOf(owner) === spaceOf((scope.pou.owner ?? scope.pou).name)
      : isWithin(scope, owner, access === 'PRIVATE'));
  if (!mayCall) {
    problems.error(
      'NOT_ACCESSIBLE',
      `The method '${pou.method!.name.text}' of ${owner} is ${access ?? 'PROTECTED, as methods are without another word'}; make it PUBLIC to call it from here.`,
      at,
      [{ message: 'declared here', at: pou.method!.name.at }],
    );
    return undefined;
  }
  if (isSuper && pou.method!.modifiers.includes('ABSTRACT')) {
    problems.error('ABSTRACT', `'${pou.method!.name.text}' is ABSTRACT in the base and has no statements to call.`, at);
    return undefined;
  }
  noteUse(scope, base, true);
  const isInterface = base.type.kind === 'interface';
  const self: Checked = isInterface
    ? {
        kind: 'notNull',
        arg: { kind: 'read', place: base, type: base.type, at: base.at },
        type: base.type,
        at: base.at,
      }
    : { kind: 'address', place: base, type: { kind: 'ref', target: base.type }, at: base.at };
  return { kind: 'method', pou, self, isVirtual: isInterface || (!isSuper && !isExact(base)) };
}

/** A call inside an expression: a function, standard or the project's own, or a method. */
export function checkFunctionCall(scope: PouScope, e: Expression & { kind: 'call' }, wanted?: Type): Checked {
  const { project } = scope;
  const callee = e.callee.kind === 'super' ? undefined : resolveCallee(scope, e.callee);
  if (e.callee.kind === 'super')
    project.problems.error('NOT_CALLABLE', 'SUPER() has no value; it is a statement of its own.', e.at);
  if (!callee) {
    for (const a of e.args) if (!a.output) scope.project.parts.expression(scope, a.value);
    return invalid(e.at);
  }
  switch (callee.kind) {
    case 'place': {
      const { type } = callee.place;
      const text = e.callee.at.source.text.slice(e.callee.at.start, e.callee.at.end);
      if (type.kind === 'block')
        project.problems.error(
          'NOT_CALLABLE',
          `'${text}' is a function block; call it in a statement and read an output, for example ${text}.${type.layout.members.find((m) => m.section === 'output')?.name ?? 'Q'}.`,
          e.callee.at,
        );
      else if (type.kind !== 'unknown')
        project.problems.error('NOT_CALLABLE', `'${text}' is ${typeText(type)} and cannot be called.`, e.callee.at);
      return invalid(e.at);
    }
    case 'standard':
      return standardCall(scope, callee.name, e, wanted);
    default:
      return checkCall(scope, callee, e);
  }
}

function standardCall(scope: PouScope, name: string, e: Expression & { kind: 'call' }, wanted?: Type): Checked {
  if (key(name) === 'ref' && e.args.length === 1) return reference(scope, e);
  if (/^(lower|upper)_bound$/i.test(name)) return arrayBound(scope, name, e);
  const fromEnum = checkEnumConversion(scope, name, e.args, e.at);
  if (fromEnum) return fromEnum;
  if (isStandardFunction(name)) return checkStandardFunction(scope, name, e.args, e.at, wanted);
  const { project } = scope;
  project.problems.error(
    'UNKNOWN_NAME',
    `There is no function '${name}'.${didYouMean(name, [...namesOf(project, (d) => d.kind === 'pou' && d.pou === 'FUNCTION'), ...standardFunctionNames()])}`,
    e.callee.at,
  );
  for (const a of e.args) if (!a.output) scope.project.parts.expression(scope, a.value);
  return invalid(e.at);
}

/** A call of a function or method of the project. */
function checkCall(
  scope: PouScope,
  callee: Callee & { kind: 'function' | 'method' },
  e: Expression & { kind: 'call' },
): Checked {
  const { project } = scope;
  const { pou } = callee;
  if (scope.pou)
    project.calls.push({
      from: scope.pou,
      to: pou,
      at: e.callee.at,
      isVirtual: callee.kind === 'method' && callee.isVirtual,
    });
  const parameters = pou.variables.filter((x) => x.section === 'input' || x.section === 'inout');
  const given = new Map<Variable, Argument>();
  const outputs: { from: Variable; to: Place; negated: boolean }[] = [];
  const ok = matchArguments(
    scope,
    e.args,
    parameters,
    pou.variables.filter((x) => x.section === 'output'),
    pou.name,
    pou.layout.lost,
    (p, a) => given.set(p, a),
    (p, a) => {
      const to = writablePlace(scope, a.value);
      if (to && !sameType(to.type, p.type))
        project.problems.error(
          'TYPE_MISMATCH',
          `The output '${p.name}' is ${typeText(p.type)}, but this is ${typeText(to.type)}.`,
          a.value.at,
        );
      else if (to && isNegatable(scope, a, p)) outputs.push({ from: p, to, negated: a.negated ?? false });
    },
  );
  const inputs = parameters.flatMap((p): (Checked | Place)[] => {
    const a = given.get(p);
    const isOpen = p.bounds !== undefined;
    if (p.section === 'inout' || isOpen) {
      const place = referenceArgument(scope, a, p, e.at);
      return place ? [place, ...boundArguments(p.bounds?.length ?? 0, place)] : [invalid(e.at)];
    }
    if (!a) return [defaultArgument(p, e.at)];
    return [valueArgument(scope, a, p.type)];
  });
  if (!ok || pou.isResultLost || inputs.some((i) => i.kind === 'invalid')) return invalid(e.at);
  return {
    kind: 'call',
    call: {
      pou,
      inputs,
      outputs,
      ...(callee.kind === 'method' ? { self: callee.self, isVirtual: callee.isVirtual } : {}),
    },
    type: pou.result?.type ?? UNKNOWN,
    at: e.at,
  };
}

/** What an input is when the call leaves it out: its start value, or that of its type. */
function defaultArgument(p: Variable, at: Expression['at']): Checked | Place {
  const value = p.initial ?? defaultValue(p.type);
  if (typeof value !== 'object') return constant(value, p.type, at);
  return { kind: 'variable', variable: p.template!, type: p.type, at };
}

/** The bounds that go with an array handed over as ARRAY [*]. */
function boundArguments(dimensions: number, place: Place): Checked[] {
  if (!dimensions || place.type.kind !== 'array') return [];
  const dint = elementary('DINT');
  if (place.type.open) return openBounds(place, place.at).flatMap((b) => [b.low, b.high]);
  return place.type.bounds.flatMap((b) => [
    constant(BigInt(b.low), dint, place.at),
    constant(BigInt(b.high), dint, place.at),
  ]);
}

/** LOWER_BOUND(array, dimension), UPPER_BOUND(array, dimension) (table 37). */
function arrayBound(scope: PouScope, name: string, e: Expression & { kind: 'call' }): Checked {
  const { problems } = scope.project;
  const byName = (n: string, i: number) =>
    e.args.find((a) => a.name?.text.toUpperCase() === n) ?? (e.args[i]?.name ? undefined : e.args[i]);
  const array = byName('ARR', 0),
    dimension = byName('DIM', 1);
  if (!array || !dimension || e.args.length !== 2) {
    problems.error('WRONG_ARGUMENTS', `'${name}' takes an array and the number of a dimension.`, e.at);
    return invalid(e.at);
  }
  const place = placeOf(scope, array.value);
  const d = scope.project.parts.expression(scope, dimension.value);
  if (!place || d.kind === 'invalid') return invalid(e.at);
  noteUse(scope, place, false);
  if (place.type.kind !== 'array') {
    problems.error('TYPE_MISMATCH', `'${name}' needs an array, but this is ${typeText(place.type)}.`, array.value.at);
    return invalid(e.at);
  }
  const upper = /^upper/i.test(name);
  const all: Checked[] = place.type.open
    ? openBounds(place, e.at).map((b) => (upper ? b.high : b.low))
    : place.type.bounds.map((b) => constant(BigInt(upper ? b.high : b.low), elementary('DINT'), e.at));
  if (d.kind === 'constant') {
    const one = all[Number(d.value) - 1];
    if (!one)
      problems.error(
        'OUT_OF_RANGE',
        `The array has ${all.length} dimension${all.length > 1 ? 's' : ''}, counted from 1.`,
        dimension.value.at,
      );
    return one ?? invalid(e.at);
  }
  const k = coerce(scope, d, elementary('LINT'));
  return k.kind === 'invalid'
    ? k
    : {
        kind: 'builtin',
        name: 'MUX',
        args: [
          {
            kind: 'binary',
            op: '-',
            left: k,
            right: constant(1n, elementary('LINT'), e.at),
            type: elementary('LINT'),
            at: e.at,
          },
          ...all,
        ],
        type: elementary('DINT'),
        at: e.at,
      };
}

/** REF(variable): it must be a variable with a place in memory that stays. */
function reference(scope: PouScope, e: Expression & { kind: 'call' }): Checked {
  const place = writablePlace(scope, e.args[0]!.value);
  if (!place) return invalid(e.at);
  const { home } = rootOf(place);
  const stays =
    home.kind !== 'local' &&
    home.kind !== 'localReference' &&
    place.kind !== 'part' &&
    rootOf(place).address?.bit === undefined &&
    rootOf(place).section !== 'temp';
  if (!stays) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      'A reference needs a variable that stays: no bit, no temporary variable, no variable of a function.',
      e.at,
    );
    return invalid(e.at);
  }
  return { kind: 'address', place, type: { kind: 'ref', target: place.type }, at: e.at };
}

interface Parameter {
  readonly name: string;
  readonly type: Type;
}

/**
 * Pairs arguments with parameters; reports unknown, repeated and surplus ones. `lost`: parameters whose type could not
 * be made out, which was told where they are declared.
 */
function matchArguments<P extends Parameter>(
  scope: PouScope,
  args: readonly Argument[],
  inputs: readonly P[],
  outputs: readonly P[],
  callee: string,
  lost: readonly string[] | undefined,
  onInput: (p: P, a: Argument) => void,
  onOutput: (p: P, a: Argument) => void,
): boolean {
  const { problems } = scope.project;
  const used = new Set<P>();
  let ok = true;
  const fail = (code: string, message: string, a: Argument): void => {
    const name = a.name?.text;
    if (!lost?.some((x) => name === undefined || key(x) === key(name)))
      problems.error(code, message, a.name?.at ?? a.value.at);
    scope.project.parts.expression(scope, a.value);
    ok = false;
  };
  const slips = args.flatMap((a) => equalSign(scope, a, inputs, outputs) ?? []);
  for (const { of, sign, value, at } of slips) {
    problems.error(
      'WRONG_ARGUMENTS',
      `${sign === ':=' ? 'An input is given' : 'An output is taken'} with '${sign}': ${of.name} ${sign} …`,
      at,
    );
    if (sign === ':=') scope.project.parts.expression(scope, value);
    used.add(of);
    ok = false;
  }
  const rest = args.filter((a) => !slips.some((s) => s.argument === a));
  const positional = rest.filter((a) => !a.name).length;
  const named = slips.length ? undefined : args.find((a) => a.name && !a.output);
  if (positional && named)
    fail('WRONG_ARGUMENTS', `Arguments of '${callee}' are given either all by name or all in order, not both.`, named);
  else if (positional && !slips.length && positional < inputs.length)
    fail(
      'WRONG_ARGUMENTS',
      `'${callee}' takes ${inputs.length} arguments in order (${inputs.map((p) => p.name).join(', ')}), but ${positional} ${positional === 1 ? 'is' : 'are'} given; name those you mean to give.`,
      args[0]!,
    );
  // Told once: which of them stands for which is not known.
  if (positional && named) {
    for (const a of args) if (a !== named) scope.project.parts.expression(scope, a.value);
    return false;
  }
  let position = 0;
  for (const a of rest) {
    const list = a.output ? outputs : inputs;
    const p = a.name ? list.find((x) => key(x.name) === key(a.name!.text)) : list[position++];
    if (!p) {
      if (!a.name)
        fail(
          'WRONG_ARGUMENTS',
          `'${callee}' takes ${inputs.length} argument${inputs.length === 1 ? '' : 's'}, but more are given.`,
          a,
        );
      else {
        const { text } = a.name,
          other = (a.output ? inputs : outputs).find((x) => key(x.name) === key(text));
        fail(
          'UNKNOWN_MEMBER',
          `'${callee}' has no ${a.output ? 'output' : 'input'} '${text}'.${
            other
              ? a.output
                ? ` It is an input: ${other.name} := …`
                : ` It is an output: ${other.name} => …`
              : didYouMean(
                  text,
                  list.map((x) => x.name),
                )
          }`,
          a,
        );
      }
    } else if (used.has(p)) fail('WRONG_ARGUMENTS', `'${p.name}' is given twice.`, a);
    else {
      used.add(p);
      if (a.output) onOutput(p, a);
      else onInput(p, a);
    }
  }
  return ok;
}

/**
 * `Rate = 0.1` between the brackets of a call, where `Rate` is a parameter and nothing else that is known: not the
 * comparison that it reads as, but a sign that was left out.
 */
function equalSign<P extends Parameter>(
  scope: PouScope,
  argument: Argument,
  inputs: readonly P[],
  outputs: readonly P[],
):
  | {
      readonly argument: Argument;
      readonly of: P;
      readonly sign: ':=' | '=>';
      readonly value: Expression;
      readonly at: Span;
    }
  | undefined {
  const { name, value: e } = argument;
  if (name || e.kind !== 'binary' || e.op !== '=' || e.left.kind !== 'name' || isKnown(scope, e.left.name))
    return undefined;
  const written = key(e.left.name),
    input = inputs.find((p) => key(p.name) === written),
    of = input ?? outputs.find((p) => key(p.name) === written);
  return of && { argument, of, sign: input ? ':=' : '=>', value: e.right, at: e.opAt };
}

/** `NOT out => x` turns a BOOL round; of others there is nothing to turn. */
function isNegatable(scope: PouScope, a: Argument, p: Parameter): boolean {
  if (!a.negated || isBool(p.type)) return true;
  scope.project.problems.error(
    'TYPE_MISMATCH',
    `NOT stands before a BOOL output; '${p.name}' is ${typeText(p.type)}. Take the output as it is and turn it round where it is used.`,
    a.name?.at ?? a.value.at,
  );
  return false;
}

function valueArgument(scope: PouScope, a: Argument, type: Type): Checked | Place {
  if (!isWhole(type)) return coerce(scope, scope.project.parts.expression(scope, a.value, type), type);
  const value = wholeValue(scope, a.value);
  if (!value) return invalid(a.value.at);
  if (!sameType(value.type, type)) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      `${typeText(type)} is wanted here, but this is ${typeText(value.type)}.`,
      a.value.at,
    );
    return invalid(a.value.at);
  }
  return value;
}

/** A structure or array as a whole: a place, or what a function gives. */
export function wholeValue(scope: PouScope, e: Expression): Place | Checked | undefined {
  if (e.kind === 'call') {
    const c = scope.project.parts.expression(scope, e);
    return c.kind === 'invalid' ? undefined : c;
  }
  const place = placeOf(scope, e);
  if (place) noteUse(scope, place, false);
  return place;
}

function referenceArgument(
  scope: PouScope,
  a: Argument | undefined,
  p: Parameter,
  at: Expression['at'],
): Place | undefined {
  if (!a) {
    scope.project.problems.error('WRONG_ARGUMENTS', `'${p.name}' is an in-out variable and must be given.`, at);
    return undefined;
  }
  // What is only read may be a constant or an input.
  const place = 'section' in p && p.section === 'input' ? placeOf(scope, a.value) : writablePlace(scope, a.value);
  if (!place) return undefined;
  const bitLocated = place.kind === 'part' || rootOf(place).address?.bit !== undefined;
  const open =
    p.type.kind === 'array' &&
    p.type.open &&
    place.type.kind === 'array' &&
    place.type.bounds.length === p.type.bounds.length &&
    sameType(place.type.element, p.type.element);
  const fitsType =
    open ||
    sameType(place.type, p.type) ||
    (p.type.kind === 'block' && standsFor(scope.project, place.type, p.type)) ||
    (p.type.kind === 'string' && place.type.kind === 'string' && place.type.wide === p.type.wide);
  if (!fitsType || bitLocated) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      bitLocated
        ? `A single bit cannot be passed to the in-out variable '${p.name}'; copy it to a tag first.`
        : `The in-out variable '${p.name}' is ${typeText(p.type)}, but this is ${typeText(place.type)}.`,
      a.value.at,
    );
    return undefined;
  }
  return place;
}

/** `Inst(IN := a, Q => b);` */
export function checkBlockCall(
  scope: PouScope,
  instance: Place,
  args: readonly Argument[],
  at: Expression['at'],
  power?: { pin: BlockMember; value: Checked },
): CheckedStatement | undefined {
  if (instance.type.kind !== 'block') return undefined;
  const type = instance.type;
  const callee = pouOf(scope.project, type);
  if (callee?.pou === 'CLASS') {
    scope.project.problems.error('NOT_CALLABLE', `${type.name} is a class; call one of its methods.`, at);
    return undefined;
  }
  const isVirtual = !isExact(instance) && callee?.classNumber !== undefined;
  if (callee && scope.pou) scope.project.calls.push({ from: scope.pou, to: callee, at, isVirtual });
  noteUse(scope, instance, true);
  const { members } = type.layout;
  const inputs: BlockCall['inputs'][number][] = [];
  const outputs: BlockCall['outputs'][number][] = [];
  if (power) inputs.push({ offset: power.pin.offset, type: power.pin.type, value: power.value, isReference: false });
  const seen = new Set<BlockMember>();
  matchArguments(
    scope,
    args,
    members.filter((m) => (m.section === 'input' || m.section === 'inout') && m !== power?.pin),
    members.filter((m) => m.section === 'output'),
    type.name,
    type.layout.lost,
    (m, a) => {
      seen.add(m);
      if (m.section === 'inout') {
        const place = referenceArgument(scope, a, m, a.value.at);
        if (!place) return;
        inputs.push({ offset: m.offset, type: m.type, value: place, isReference: true });
        if (m.type.kind !== 'array' || !m.type.open) return;
        const bounds = members.filter((x) => x.name.endsWith(` of ${m.name}`));
        boundArguments(m.type.bounds.length, place).forEach((value, i) =>
          inputs.push({ offset: bounds[i]!.offset, type: bounds[i]!.type, value, isReference: false }),
        );
      } else {
        const value = valueArgument(scope, a, m.type);
        if (value.kind !== 'invalid') inputs.push({ offset: m.offset, type: m.type, value, isReference: false });
      }
    },
    (m, a) => {
      const to = writablePlace(scope, a.value);
      if (!to) return;
      if (!sameType(to.type, m.type))
        scope.project.problems.error(
          'TYPE_MISMATCH',
          `The output '${m.name}' is ${typeText(m.type)}, but this is ${typeText(to.type)}.`,
          a.value.at,
        );
      else if (isNegatable(scope, a, m))
        outputs.push({ offset: m.offset, type: m.type, to, negated: a.negated ?? false });
    },
  );
  for (const m of members) if (m.section === 'inout' && !seen.has(m)) referenceArgument(scope, undefined, m, at);
  const own =
    instance.kind === 'variable' && scope.pou?.pou === 'PROGRAM'
      ? scope.variables.get(key(asleepName(instance.variable.name)))
      : undefined;
  const asleep: Place | undefined = own && { kind: 'variable', variable: own, type: own.type, at };
  return {
    kind: 'blockCall',
    call: { instance, type, inputs, outputs, ...(isVirtual ? { isVirtual } : {}), ...(asleep ? { asleep } : {}) },
    at,
  };
}

/** The pin that power goes through: the named one, or the first BOOL of its kind (notation.md). */
export function powerPin(
  members: readonly BlockMember[],
  section: 'input' | 'output',
  name?: string,
): BlockMember | undefined {
  return members.find(
    (m) => m.section === section && baseOf(m.type) === 'BOOL' && (!name || key(m.name) === key(name)),
  );
}
