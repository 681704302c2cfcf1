/** Statements, and what ladder lowering adds to them. */
import type { Diagnostic } from '../language/diagnostic.js';
import type { Span } from '../language/source.js';
import { type Expression, type Statement, assertNever } from '../language/tree.js';
import {
  BOOL,
  type BlockMember,
  type Type,
  baseOf,
  elementary,
  isBool,
  isInteger,
  isReal,
  isString,
  sameType,
  sizeOf,
  typeText,
} from '../types/type.js';
import { splitParts } from '../library/date-functions.js';
import { checkBlockCall, powerPin, resolveCallee, wholeValue } from './calls.js';
import { type Checked, type CheckedStatement, type Place, type Variable, rootOf } from '../checked/tree.js';
import { standsFor } from '../names/lineage.js';
import { checkCondition, checkExpression } from './expressions.js';
import { coerce, combine, constant, invalid, isNull, settle } from '../names/values.js';
import { sideEffectOf } from './purity.js';
import { eachStatement, writtenByCalls } from '../checked/walk.js';
import { isWhole, placeOf, thisPlace, writablePlace } from './places.js';
import { type PouScope, findNamed, findVariable, key } from '../names/scope.js';

export function checkStatements(scope: PouScope, list: readonly Statement[], loops = 0): CheckedStatement[] {
  return list.flatMap((s) => checkStatement(scope, s, loops) ?? []);
}

function checkStatement(
  scope: PouScope,
  s: Statement,
  loops: number,
): CheckedStatement | CheckedStatement[] | undefined {
  const { problems } = scope.project;
  switch (s.kind) {
    case 'empty':
      return undefined;
    case 'assign':
      return enabled(scope, s.value, (call) => assignment(scope, { ...s, value: call })) ?? assignment(scope, s);
    case 'call':
      return enabled(scope, s.call, (call) => callStatement(scope, call)) ?? callStatement(scope, s.call);
    case 'if':
      return {
        kind: 'if',
        at: s.at,
        branches: s.branches.map((b) => ({
          condition: checkCondition(scope, b.condition),
          body: checkStatements(scope, b.body, loops),
        })),
        ...(s.otherwise ? { otherwise: checkStatements(scope, s.otherwise, loops) } : {}),
      };
    case 'case':
      return caseStatement(scope, s, loops);
    case 'for':
      return forStatement(scope, s, loops);
    case 'while':
      return {
        kind: 'while',
        at: s.at,
        condition: checkCondition(scope, s.condition),
        body: checkStatements(scope, s.body, loops + 1),
      };
    case 'repeat': {
      const body = checkStatements(scope, s.body, loops + 1);
      return { kind: 'repeat', at: s.at, body, until: checkCondition(scope, s.until) };
    }
    case 'exit':
    case 'continue':
      if (loops === 0) {
        problems.error('MISPLACED', `${s.kind.toUpperCase()} has a meaning only inside FOR, WHILE or REPEAT.`, s.at);
        return undefined;
      }
      return { kind: s.kind, at: s.at };
    case 'return':
      return { kind: 'return', at: s.at };
    case 'rung':
      return {
        kind: 'rung',
        rungId: s.rungId,
        elements: s.elements,
        flow: s.flow,
        body: checkStatements(scope, s.body),
        at: s.at,
      };
    case 'setPower':
      return { kind: 'setPower', wire: s.wire, value: checkCondition(scope, s.value), at: s.at };
    case 'probe':
      return { kind: 'probe', element: s.element, closed: checkCondition(scope, s.closed), at: s.at };
    case 'edge': {
      const of = checkCondition(scope, s.of);
      const memory = findVariable(scope, s.memory);
      return (
        memory && {
          kind: 'edge',
          wire: s.wire,
          of,
          falling: s.falling,
          memory: { kind: 'variable', variable: memory, type: BOOL, at: s.at },
          at: s.at,
        }
      );
    }
    case 'powerCall':
      return powerCall(scope, s);
    default:
      return assertNever(s);
  }
}

/**
 * EN and ENO of a call (6.6.1.5): without EN the call is not made, an assignment of its value neither, and ENO is
 * off. Undefined for a call that has neither. An EN or ENO that the callee declares itself is handed over as well.
 */
function enabled(
  scope: PouScope,
  e: Expression,
  check: (call: Expression) => CheckedStatement | CheckedStatement[] | undefined,
): CheckedStatement | undefined {
  if (e.kind !== 'call') return undefined;
  const named = (name: string, output: boolean) =>
    e.args.find((a) => a.name?.text.toUpperCase() === name && a.output === output);
  const en = named('EN', false),
    eno = named('ENO', true);
  if (!en && !eno) return undefined;
  const own = declaredPins(scope, e.callee);
  const condition = en ? checkCondition(scope, en.value) : constant(true, BOOL, e.at);
  const body = [
    check({ ...e, args: e.args.filter((a) => (a !== en || own.has('en')) && (a !== eno || own.has('eno'))) }) ?? [],
  ].flat();
  const target = eno && writablePlace(scope, eno.value);
  if (target && baseOf(target.type) !== 'BOOL')
    scope.project.problems.error('TYPE_MISMATCH', `ENO is BOOL, but this is ${typeText(target.type)}.`, eno.value.at);
  const say = (value: boolean): CheckedStatement[] =>
    target ? [{ kind: 'assign', target, value: constant(value, BOOL, e.at), at: e.at }] : [];
  return {
    kind: 'if',
    branches: [{ condition, body: own.has('eno') ? body : [...body, ...say(true)] }],
    otherwise: say(false),
    at: e.at,
  };
}

/** Names of the inputs and outputs that a callee declares. */
function declaredPins(scope: PouScope, callee: Expression): ReadonlySet<string> {
  const v = callee.kind === 'name' ? findVariable(scope, callee.name) : undefined;
  if (v?.type.kind === 'block')
    return new Set(
      v.type.layout.members.filter((m) => m.section === 'input' || m.section === 'output').map((m) => key(m.name)),
    );
  const decl = callee.kind === 'name' ? findNamed(scope.project, callee.name, scope.context) : undefined;
  if (decl?.kind !== 'pou') return new Set();
  return new Set(
    decl.blocks
      .filter((b) => b.section === 'VAR_INPUT' || b.section === 'VAR_OUTPUT')
      .flatMap((b) => b.variables.flatMap((d) => d.names.map((n) => key(n.text)))),
  );
}

function assignment(scope: PouScope, s: Statement & { kind: 'assign' }): CheckedStatement | undefined {
  const target = writablePlace(scope, s.target);
  if (!target) {
    checkExpression(scope, s.value);
    return undefined;
  }
  if (s.attempt) return attempt(scope, target, s);
  if (isWhole(target.type)) {
    const from = wholeValue(scope, s.value);
    if (!from) return undefined;
    if (target.type.kind === 'block' || !sameType(target.type, from.type)) {
      scope.project.problems.error(
        'TYPE_MISMATCH',
        target.type.kind === 'block'
          ? 'A function block instance cannot be assigned as a whole.'
          : `${typeText(target.type)} is wanted here, but this is ${typeText(from.type)}.`,
        s.value.at,
      );
      return undefined;
    }
    if (target.type.kind === 'array' && target.type.open) {
      scope.project.problems.error('TYPE_MISMATCH', 'An array of any length is assigned element by element.', s.at);
      return undefined;
    }
    return { kind: 'copy', target, from, size: sizeOf(target.type), at: s.at };
  }
  const value = coerce(scope, checkExpression(scope, s.value, target.type), target.type);
  if (value.kind === 'invalid') return undefined;
  if (
    target.type.kind === 'subrange' &&
    value.kind === 'constant' &&
    ((value.value as bigint) < target.type.low || (value.value as bigint) > target.type.high)
  ) {
    scope.project.problems.error(
      'OUT_OF_RANGE',
      `${value.value} is outside ${typeText(target.type)} (${target.type.low}..${target.type.high}).`,
      s.value.at,
    );
  }
  const kept: Checked = { kind: 'read', place: target, type: target.type, at: s.at };
  const latched: Checked = !s.coil?.latches
    ? value
    : s.coil.mode === 'set'
      ? { kind: 'binary', op: 'OR', left: kept, right: value, type: BOOL, at: s.at }
      : {
          kind: 'binary',
          op: 'AND',
          left: kept,
          right: { kind: 'not', arg: value, type: BOOL, at: s.at },
          type: BOOL,
          at: s.at,
        };
  return { kind: 'assign', target, value: latched, at: s.at, ...(s.coil ? { coil: s.coil } : {}) };
}

/** `target ?= value`: NULL where the instance behind the value is not of the target's type (6.6.6.7). */
function attempt(scope: PouScope, target: Place, s: Statement & { kind: 'assign' }): CheckedStatement | undefined {
  const { project } = scope;
  const wanted = target.type.kind === 'ref' ? target.type.target : target.type;
  const value = checkExpression(scope, s.value);
  if (value.kind === 'invalid') return undefined;
  const behind = value.type.kind === 'ref' ? value.type.target : value.type;
  if (
    (target.type.kind !== 'ref' && target.type.kind !== 'interface') ||
    !['block', 'interface', 'unknown'].includes(behind.kind)
  ) {
    project.problems.error(
      'TYPE_MISMATCH',
      `'?=' takes an interface or a reference to an instance on both sides; these are ${typeText(target.type)} and ${typeText(value.type)}.`,
      s.at,
    );
    return undefined;
  }
  const address: Checked =
    value.kind === 'read' && value.type.kind === 'block'
      ? { kind: 'address', place: value.place, type: target.type, at: value.at }
      : value;
  const classes = project.classes
    .filter((c) => standsFor(project, { kind: 'block', name: c.name, layout: c.layout }, wanted))
    .map((c) => c.classNumber!);
  return {
    kind: 'assign',
    target,
    value: isNull(value)
      ? constant(0n, target.type, s.at)
      : { kind: 'attempt', arg: address, classes, type: target.type, at: s.at },
    at: s.at,
  };
}

function callStatement(scope: PouScope, e: Expression): CheckedStatement | CheckedStatement[] | undefined {
  if (e.kind !== 'call') return undefined;
  if (e.callee.kind === 'super') {
    const base = thisPlace(scope, e.callee.at, true);
    if (e.args.length)
      scope.project.problems.error(
        'WRONG_ARGUMENTS',
        'SUPER() takes no arguments; it works on the inputs as they are.',
        e.at,
      );
    return (
      base &&
      checkBlockCall(
        scope,
        {
          ...base,
          ...(base.kind === 'variable' ? { variable: { ...base.variable, section: 'local' as const } } : {}),
        } as Place,
        [],
        e.at,
      )
    );
  }
  const split = splitCall(scope, e);
  if (split) return split;
  const callee = resolveCallee(scope, e.callee);
  if (callee?.kind === 'place' && callee.place.type.kind === 'block')
    return checkBlockCall(scope, callee.place, e.args, e.at);
  if (!callee) {
    for (const a of e.args) if (!a.output) checkExpression(scope, a.value);
    return undefined;
  }
  const value = checkExpression(scope, e);
  return value.kind === 'invalid' ? undefined : { kind: 'evaluate', value, at: e.at };
}

/** SPLIT_DATE and its like give several outputs (table 36): each becomes an assignment. */
function splitCall(scope: PouScope, e: Expression & { kind: 'call' }): CheckedStatement[] | undefined {
  const parts =
    e.callee.kind === 'name' && !findNamed(scope.project, e.callee.name, scope.context)
      ? splitParts(e.callee.name)
      : undefined;
  if (!parts) return undefined;
  const inputs = e.args.filter((a) => !a.output && (!a.name || a.name.text.toUpperCase() === 'IN'));
  const positional = e.args.filter((a) => !a.name).slice(1);
  const source = inputs[0];
  if (!source) {
    scope.project.problems.error(
      'WRONG_ARGUMENTS',
      `'${(e.callee as { name: string }).name}' takes IN and gives ${parts.map((p) => p.name).join(', ')}.`,
      e.at,
    );
    return [];
  }
  const value = checkExpression(scope, source.value);
  if (value.kind === 'invalid') return [];
  const wanted = [
    ...positional.map((a, i) => ({ a, part: parts[i] })),
    ...e.args
      .filter((a) => a.output)
      .map((a) => ({ a, part: parts.find((p) => p.name === a.name?.text.toUpperCase()) })),
  ];
  return wanted.flatMap(({ a, part }): CheckedStatement[] => {
    if (!part) {
      scope.project.problems.error(
        'UNKNOWN_MEMBER',
        `'${(e.callee as { name: string }).name}' has no output '${a.name?.text ?? ''}'; it gives ${parts.map((p) => p.name).join(', ')}.`,
        a.name?.at ?? a.value.at,
      );
      return [];
    }
    const target = writablePlace(scope, a.value);
    const number = part.of(scope, value, e.at);
    const result =
      target && coerce(scope, { kind: 'convert', arg: number, type: elementary('INT'), at: e.at }, target.type);
    return target && result && result.kind !== 'invalid'
      ? [{ kind: 'assign', target, value: result, at: a.value.at }]
      : [];
  });
}

/** What CASE chooses by: any elementary type (choices.md). */
function caseStatement(scope: PouScope, s: Statement & { kind: 'case' }, loops: number): CheckedStatement {
  const { problems } = scope.project;
  let selector = settle(scope, checkExpression(scope, s.selector));
  const { type } = selector;
  if (selector.kind !== 'invalid' && baseOf(type) === undefined && !isString(type)) {
    problems.error(
      'TYPE_MISMATCH',
      `CASE chooses by one value: a number, a bit string, a time, a date, text or an enumeration, but this is ${typeText(type)}.`,
      s.selector.at,
    );
    selector = invalid(s.selector.at);
  }
  if (selector.kind !== 'invalid' && (isReal(type) || isString(type)))
    return caseByComparison(scope, s, selector, loops);
  const isYesNo = selector.kind !== 'invalid' && isBool(type);
  const single = new Map<bigint, Expression>();
  const label = (e: Expression): bigint | undefined => {
    const c = coerce(scope, checkExpression(scope, e, type), type);
    if (c.kind === 'constant' && (typeof c.value === 'bigint' || typeof c.value === 'boolean')) return BigInt(c.value);
    if (c.kind !== 'invalid') problems.error('NOT_CONSTANT', 'A CASE label must be known before the run.', e.at);
    return undefined;
  };
  const arms = s.arms.map((arm) => ({
    labels: arm.labels.flatMap((l) => {
      if (l.high && isYesNo) return unordered(scope, l, type);
      const low = label(l.low);
      const high = l.high ? label(l.high) : low;
      if (low === undefined || high === undefined) return [];
      if (!l.high && single.has(low)) repeatedLabel(scope, l.low, single.get(low)!);
      else if (!l.high) single.set(low, l.low);
      return [{ low, high }];
    }),
    body: checkStatements(scope, arm.body, loops),
  }));
  return {
    kind: 'case',
    selector: isYesNo ? { kind: 'convert', arg: selector, type: elementary('USINT'), at: selector.at } : selector,
    arms,
    ...(s.otherwise ? { otherwise: checkStatements(scope, s.otherwise, loops) } : {}),
    at: s.at,
  };
}

function unordered(scope: PouScope, l: { readonly low: Expression; readonly high?: Expression }, type: Type): [] {
  scope.project.problems.error(
    'TYPE_MISMATCH',
    `${typeText(type)} has no order, so there is no range of it; name its values.`,
    spanOver(l.low.at, l.high!.at),
  );
  return [];
}
const spanOver = (a: Span, b: Span): Span => ({ source: a.source, start: a.start, end: b.end });
function repeatedLabel(scope: PouScope, label: Expression, first: Expression): void {
  scope.project.problems.error(
    'DUPLICATE_LABEL',
    `The label ${textOf(label.at)} is here twice; the second one is never reached.`,
    label.at,
    [{ message: 'the first one', at: first.at }],
  );
}
const textOf = (at: Span): string => at.source.text.slice(at.start, at.end);

/**
 * Reals and texts are compared one after the other; what is chosen by is looked at again each time, so it must change
 * nothing.
 */
function caseByComparison(
  scope: PouScope,
  s: Statement & { kind: 'case' },
  selector: Checked,
  loops: number,
): CheckedStatement {
  const { problems } = scope.project;
  const changes = sideEffectOf(selector);
  if (changes !== undefined)
    problems.error(
      'MISPLACED',
      `This changes '${changes}' while it is looked at; assign it to a variable and choose by that.`,
      s.selector.at,
    );
  const single = new Map<string, Expression>();
  const label = (e: Expression): Checked | undefined => {
    const c = coerce(scope, checkExpression(scope, e, selector.type), selector.type);
    if (c.kind === 'constant') return c;
    if (c.kind !== 'invalid') problems.error('NOT_CONSTANT', 'A CASE label must be known before the run.', e.at);
    return undefined;
  };
  const branches = s.arms.map((arm) => {
    const fits = arm.labels.flatMap((l): Checked[] => {
      const low = label(l.low),
        high = l.high ? label(l.high) : undefined;
      if (!low || (l.high && !high)) return [];
      if (high)
        return [
          combine(
            scope,
            'AND',
            combine(scope, '>=', selector, low, l.low.at, l.low.at),
            combine(scope, '<=', selector, high, l.high!.at, l.high!.at),
            l.low.at,
            l.low.at,
          ),
        ];
      const value = String((low as { value: unknown }).value);
      if (single.has(value)) repeatedLabel(scope, l.low, single.get(value)!);
      else single.set(value, l.low);
      return [combine(scope, '=', selector, low, l.low.at, l.low.at)];
    });
    return {
      condition: fits.reduce<Checked>(
        (all, f) => combine(scope, 'OR', all, f, f.at, f.at),
        constant(false, BOOL, s.at),
      ),
      body: checkStatements(scope, arm.body, loops),
    };
  });
  return {
    kind: 'if',
    branches,
    ...(s.otherwise ? { otherwise: checkStatements(scope, s.otherwise, loops) } : {}),
    at: s.at,
  };
}

function forStatement(scope: PouScope, s: Statement & { kind: 'for' }, loops: number): CheckedStatement | undefined {
  const { problems } = scope.project;
  const variable = writablePlace(scope, s.variable);
  const type: Type =
    variable?.type.kind === 'subrange' ? elementary(variable.type.base) : (variable?.type ?? elementary('DINT'));
  if (variable && !isInteger(type)) {
    if (variable.type.kind !== 'unknown')
      problems.error(
        'TYPE_MISMATCH',
        `A FOR variable is a whole number, but this is ${typeText(variable.type)}.`,
        s.variable.at,
      );
    return undefined;
  }
  const value = (e: Expression) => coerce(scope, checkExpression(scope, e, type), type);
  const from = value(s.from),
    to = value(s.to);
  const by = s.by ? value(s.by) : constant(1n, type, s.at);
  if (by.kind === 'constant' && by.value === 0n)
    problems.add({
      severity: 'warning',
      code: 'OUT_OF_RANGE',
      message: 'With a step of 0 this loop has no pass.',
      at: s.by!.at,
    });
  const body = checkStatements(scope, s.body, loops + 1);
  if (variable?.kind === 'variable') loopVariableStays(scope, variable.variable, body, s.at);
  return variable && { kind: 'for', variable, from, to, by, body, at: s.at };
}

/**
 * The variable of a FOR loop must not be changed inside of it (7.3.3.4.2): not by an assignment, another loop or a
 * call.
 */
function loopVariableStays(scope: PouScope, variable: Variable, body: readonly CheckedStatement[], loop: Span): void {
  const say = (at: Span, message: string) =>
    scope.project.problems.error('LOOP_VARIABLE', message, at, [{ message: 'the loop', at: loop }]);
  const is = (p: Place) => rootOf(p) === variable && p.kind !== 'target';
  const name = `'${variable.name}'`;
  eachStatement(body, (s) => {
    if ((s.kind === 'assign' || s.kind === 'copy') && is(s.target))
      say(
        s.at,
        `${name} counts the passes of this FOR loop and is written inside it; use another variable, or EXIT to leave early.`,
      );
    if (s.kind === 'for' && is(s.variable))
      say(s.at, `${name} counts the passes of the loop around this one already; use another variable.`);
    for (const p of writtenByCalls(s))
      if (is(p))
        say(
          s.at,
          `${name} counts the passes of this FOR loop and is handed to a call that may write it; hand over a copy.`,
        );
  });
}

/** A block or function in a rung: power goes into its first BOOL input and comes out of its first BOOL output. */
function powerCall(scope: PouScope, s: Statement & { kind: 'powerCall' }): CheckedStatement[] | undefined {
  const { problems } = scope.project;
  const power: Checked = { kind: 'power', wire: s.input, type: BOOL, at: s.at };
  const { callee, args } = s.call;
  const isVariable = callee.kind !== 'name' || findVariable(scope, callee.name) !== undefined;
  if (!isVariable) return powerFunction(scope, s, power);
  const place: Place | undefined = placeOf(scope, callee);
  if (!place) {
    for (const a of args) checkExpression(scope, a.value);
    return undefined;
  }
  if (place.type.kind !== 'block') {
    if (place.type.kind !== 'unknown')
      problems.error(
        'NOT_CALLABLE',
        `'${callee.at.source.text.slice(callee.at.start, callee.at.end)}' is ${typeText(place.type)}; only a function block or a function takes arguments.`,
        callee.at,
      );
    return undefined;
  }
  const { members } = place.type.layout;
  const has = (name: string) => members.some((m) => key(m.name) === name);
  const outPin = (input: BlockMember | undefined) =>
    powerPin(
      members.filter((m) => m !== input),
      'output',
      s.outPin?.text,
    );
  if (s.inPin && key(s.inPin.text) === 'en' && !has('en')) {
    // Power into EN: the call is made with power only. ENO then is the power itself.
    const call = checkBlockCall(scope, place, args, s.at);
    const isEno = !s.outPin || (key(s.outPin.text) === 'eno' && !has('eno'));
    const output = isEno ? undefined : outPin(undefined);
    if (!isEno && !output) {
      problems.error(
        'UNKNOWN_MEMBER',
        `${typeText(place.type)} has no BOOL output '${s.outPin!.text}' for power to go through.`,
        s.outPin!.at,
      );
      return undefined;
    }
    const through: Checked = output
      ? combine(
          scope,
          'AND',
          power,
          {
            kind: 'read',
            place: { kind: 'member', base: place, offset: output.offset, type: BOOL, at: s.at },
            type: BOOL,
            at: s.at,
          },
          s.at,
          s.at,
        )
      : power;
    return (
      call && [
        { kind: 'if', branches: [{ condition: power, body: [call] }], at: s.at },
        { kind: 'setPower', wire: s.output, value: through, at: s.at },
      ]
    );
  }
  // Which of its pins is the first is not known where one of them has no known type.
  if (place.type.layout.lost) {
    for (const a of args) checkExpression(scope, a.value);
    return undefined;
  }
  const input = powerPin(members, 'input', s.inPin?.text);
  const output = powerPin(members, 'output', s.outPin?.text);
  if (!input || !output) {
    const missing = !input ? s.inPin : s.outPin;
    problems.error(
      'UNKNOWN_MEMBER',
      `${typeText(place.type)} has no BOOL ${!input ? 'input' : 'output'}${missing ? ` '${missing.text}'` : ''} for power to go through.`,
      missing?.at ?? s.call.at,
    );
    return undefined;
  }
  const fed = args.find((a) => a.name && !a.output && key(a.name.text) === key(input.name));
  if (fed) {
    for (const a of args) checkExpression(scope, a.value);
    problems.add(fedByRung(s, typeText(place.type), fed, input.name));
    return undefined;
  }
  const call = checkBlockCall(scope, place, args, s.at, { pin: input, value: power });
  if (!call) return undefined;
  const result: Checked = {
    kind: 'read',
    place: { kind: 'member', base: place, offset: output.offset, type: BOOL, at: s.at },
    type: BOOL,
    at: s.at,
  };
  return [call, { kind: 'setPower', wire: s.output, value: result, at: s.at }];
}

/** The pin that the rung feeds is given a value of its own: what was meant stands in front of the block. */
function fedByRung(
  s: Statement & { kind: 'powerCall' },
  type: string,
  fed: { readonly value: Expression; readonly name?: { readonly at: Span } },
  pin: string,
): Diagnostic {
  const { source } = s.at,
    { text } = source;
  const textOf = (at: Span) => text.slice(at.start, at.end);
  const { value } = fed,
    front =
      value.kind === 'unary' && value.op === 'NOT' && value.arg.kind === 'name'
        ? `!${textOf(value.arg.at)}`
        : value.kind === 'binary'
          ? `(${textOf(value.at)})`
          : textOf(value.at);
  const open = text.indexOf('(', s.call.callee.at.end),
    rest = s.call.args
      .filter((a) => a !== fed)
      .map((a) => `${a.name ? `${a.name.text} ${a.output ? '=>' : ':='} ` : ''}${textOf(a.value.at)}`)
      .join(', ');
  const block = `${text.slice(s.at.start, open + 1)}${rest})${text.slice(s.call.at.end, s.at.end)}`;
  const instead =
    value.kind === 'literal' ? undefined : `${text.slice(0, s.at.start)}${front} & ${block}${text.slice(s.at.end)}`;
  return {
    severity: 'error',
    code: 'WRONG_ARGUMENTS',
    message: `The rung feeds ${pin} of ${type}: what switches it stands in front of the block.${instead === undefined ? '' : ` Write ${instead}`}`,
    at: fed.name?.at ?? value.at,
    ...(instead === undefined ? {} : { instead }),
  };
}

/**
 * A function in a rung: a BOOL one is a contact; any other works on power (EN), gives its value to `OUT =>`, and lets
 * power on (ENO).
 */
function powerFunction(
  scope: PouScope,
  s: Statement & { kind: 'powerCall' },
  power: Checked,
): CheckedStatement[] | undefined {
  const { problems } = scope.project;
  const { args } = s.call;
  const name = s.call.callee.kind === 'name' ? s.call.callee.name : '';
  const isResult = (a: (typeof args)[number]) =>
    a.output && a.name !== undefined && (key(a.name.text) === 'out' || key(a.name.text) === key(name));
  const target = declaredPins(scope, s.call.callee).has('out') ? undefined : args.find(isResult);
  if (target) {
    const call: Expression = { ...s.call, args: args.filter((a) => a !== target) };
    const st = assignment(scope, { kind: 'assign', target: target.value, value: call, at: s.at });
    return (
      st && [
        { kind: 'if', branches: [{ condition: power, body: [st] }], at: s.at },
        { kind: 'setPower', wire: s.output, value: power, at: s.at },
      ]
    );
  }
  const value = checkExpression(scope, s.call);
  if (value.kind === 'invalid') return undefined;
  if (baseOf(value.type) !== 'BOOL') {
    problems.error(
      'TYPE_MISMATCH',
      `A function in a rung gives BOOL, or its value to a tag: ${name}(…, OUT => Tag). This one gives ${typeText(value.type)}.`,
      s.call.at,
    );
    return undefined;
  }
  return [{ kind: 'setPower', wire: s.output, value: combine(scope, 'AND', power, value, s.at, s.at), at: s.at }];
}
