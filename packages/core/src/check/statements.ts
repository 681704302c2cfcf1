/** Statements, and what ladder lowering adds to them. */
import type { Expression, Statement } from '../language/tree.js';
import { assertNever } from '../language/tree.js';
import { BOOL, type Type, baseOf, elementary, isInteger, isScalar, sameType, sizeOf, typeText } from '../types/type.js';
import { checkBlockCall, powerPin } from './calls.js';
import { type Checked, type CheckedStatement, type Place, isPlace } from './checked.js';
import { checkCondition, checkExpression, coerce, combine, constant, invalid, settle } from './expressions.js';
import { isWhole, noteUse, placeOf, writablePlace } from './places.js';
import { type PouScope, findVariable } from './scope.js';

export function checkStatements(scope: PouScope, list: readonly Statement[], loops = 0): CheckedStatement[] {
  return list.flatMap((s) => checkStatement(scope, s, loops) ?? []);
}

function checkStatement(scope: PouScope, s: Statement, loops: number): CheckedStatement | CheckedStatement[] | undefined {
  const { problems } = scope.project;
  switch (s.kind) {
    case 'empty': return undefined;
    case 'assign': return enabled(scope, s.value, (call) => assignment(scope, { ...s, value: call })) ?? assignment(scope, s);
    case 'call': return enabled(scope, s.call, (call) => callStatement(scope, call)) ?? callStatement(scope, s.call);
    case 'if': return {
      kind: 'if', at: s.at,
      branches: s.branches.map((b) => ({ condition: checkCondition(scope, b.condition), body: checkStatements(scope, b.body, loops) })),
      ...(s.otherwise ? { otherwise: checkStatements(scope, s.otherwise, loops) } : {}),
    };
    case 'case': return caseStatement(scope, s, loops);
    case 'for': return forStatement(scope, s, loops);
    case 'while': return { kind: 'while', at: s.at, condition: checkCondition(scope, s.condition), body: checkStatements(scope, s.body, loops + 1) };
    case 'repeat': { const body = checkStatements(scope, s.body, loops + 1); return { kind: 'repeat', at: s.at, body, until: checkCondition(scope, s.until) }; }
    case 'exit': case 'continue':
      if (loops === 0) { problems.error('MISPLACED', `${s.kind.toUpperCase()} has a meaning only inside FOR, WHILE or REPEAT.`, s.at); return undefined; }
      return { kind: s.kind, at: s.at };
    case 'return': return { kind: 'return', at: s.at };
    case 'rung': return { kind: 'rung', rungId: s.rungId, elements: s.elements, body: checkStatements(scope, s.body), at: s.at };
    case 'setPower': return { kind: 'setPower', wire: s.wire, value: checkCondition(scope, s.value), at: s.at };
    case 'probe': return { kind: 'probe', element: s.element, input: checkCondition(scope, s.input), output: checkCondition(scope, s.output), closed: checkCondition(scope, s.closed), at: s.at };
    case 'edge': {
      const of = checkCondition(scope, s.of);
      const memory = findVariable(scope, s.memory);
      return memory && { kind: 'edge', wire: s.wire, of, falling: s.falling, memory: { kind: 'variable', variable: memory, type: BOOL, at: s.at }, at: s.at };
    }
    case 'powerCall': return powerCall(scope, s);
    default: return assertNever(s);
  }
}

/**
 * EN and ENO of a call (6.6.1.5): without EN the call is not made, an assignment of its value neither, and ENO is
 * off. Undefined for a call that has neither. A block that has an EN of its own keeps it.
 */
function enabled(scope: PouScope, e: Expression, check: (call: Expression) => CheckedStatement | CheckedStatement[] | undefined): CheckedStatement | undefined {
  if (e.kind !== 'call') return undefined;
  const named = (name: string, output: boolean) => e.args.find((a) => a.name?.text.toUpperCase() === name && a.output === output);
  const en = named('EN', false), eno = named('ENO', true);
  if ((!en && !eno) || hasOwnEnable(scope, e.callee)) return undefined;
  const condition = en ? checkCondition(scope, en.value) : constant(true, BOOL, e.at);
  const body = [check({ ...e, args: e.args.filter((a) => a !== en && a !== eno) }) ?? []].flat();
  const target = eno && writablePlace(scope, eno.value);
  if (target && baseOf(target.type) !== 'BOOL') scope.project.problems.error('TYPE_MISMATCH', `ENO is BOOL, but this is ${typeText(target.type)}.`, eno.value.at);
  const say = (value: boolean): CheckedStatement[] => (target ? [{ kind: 'assign', target, value: constant(value, BOOL, e.at), at: e.at }] : []);
  return { kind: 'if', branches: [{ condition, body: [...body, ...say(true)] }], otherwise: say(false), at: e.at };
}

function hasOwnEnable(scope: PouScope, callee: Expression): boolean {
  const v = callee.kind === 'name' ? findVariable(scope, callee.name) : undefined;
  return v?.type.kind === 'block' && v.type.layout.members.some((m) => m.name.toUpperCase() === 'EN');
}

function assignment(scope: PouScope, s: Statement & { kind: 'assign' }): CheckedStatement | undefined {
  const target = writablePlace(scope, s.target);
  if (!target) { checkExpression(scope, s.value); return undefined; }
  if (isWhole(target.type)) {
    const isCall = s.value.kind === 'call';
    const from: Place | Checked | undefined = isCall ? checkExpression(scope, s.value) : placeOf(scope, s.value);
    if (!from || from.kind === 'invalid') return undefined;
    if (isPlace(from)) noteUse(scope, from, false);
    if (target.type.kind === 'block' || !sameType(target.type, from.type)) {
      scope.project.problems.error('TYPE_MISMATCH', target.type.kind === 'block' ? 'A function block instance cannot be assigned as a whole.' : `${typeText(target.type)} is wanted here, but this is ${typeText(from.type)}.`, s.value.at);
      return undefined;
    }
    return { kind: 'copy', target, from, size: sizeOf(target.type), at: s.at };
  }
  const value = coerce(scope, checkExpression(scope, s.value, target.type), target.type);
  if (value.kind === 'invalid') return undefined;
  if (target.type.kind === 'subrange' && value.kind === 'constant' && ((value.value as bigint) < target.type.low || (value.value as bigint) > target.type.high)) {
    scope.project.problems.error('OUT_OF_RANGE', `${value.value} is outside ${typeText(target.type)} (${target.type.low}..${target.type.high}).`, s.value.at);
  }
  return { kind: 'assign', target, value, at: s.at };
}

function callStatement(scope: PouScope, e: Expression): CheckedStatement | undefined {
  if (e.kind !== 'call') return undefined;
  const v = e.callee.kind === 'name' ? findVariable(scope, e.callee.name) : undefined;
  if (v || e.callee.kind !== 'name') {
    const place = placeOf(scope, e.callee);
    if (!place) return undefined;
    if (place.type.kind === 'block') return checkBlockCall(scope, place, e.args, e.at);
    if (place.type.kind !== 'unknown') scope.project.problems.error('NOT_CALLABLE', `'${e.callee.at.source.text.slice(e.callee.at.start, e.callee.at.end)}' is ${typeText(place.type)} and cannot be called.`, e.callee.at);
    return undefined;
  }
  const value = checkExpression(scope, e);
  return value.kind === 'invalid' ? undefined : { kind: 'evaluate', value, at: e.at };
}

function caseStatement(scope: PouScope, s: Statement & { kind: 'case' }, loops: number): CheckedStatement {
  const { problems } = scope.project;
  let selector = settle(scope, checkExpression(scope, s.selector));
  if (selector.kind !== 'invalid' && !isInteger(selector.type) && selector.type.kind !== 'enum' && !(isScalar(selector.type) && ['BYTE', 'WORD', 'DWORD', 'LWORD'].includes(baseOf(selector.type)!))) {
    problems.error('TYPE_MISMATCH', `CASE chooses by a whole number, a bit string or an enumeration, but this is ${typeText(selector.type)}.`, s.selector.at);
    selector = invalid(s.selector.at);
  }
  const single = new Set<bigint>();
  const label = (e: Expression): bigint | undefined => {
    const c = coerce(scope, checkExpression(scope, e, selector.type), selector.type);
    if (c.kind === 'constant' && typeof c.value === 'bigint') return c.value;
    if (c.kind !== 'invalid') problems.error('NOT_CONSTANT', 'A CASE label must be known before the run.', e.at);
    return undefined;
  };
  const arms = s.arms.map((arm) => ({
    labels: arm.labels.flatMap((l) => {
      const low = label(l.low);
      const high = l.high ? label(l.high) : low;
      if (low === undefined || high === undefined) return [];
      if (!l.high && single.has(low)) problems.error('DUPLICATE_LABEL', `The label ${low} is here twice; the second one is never reached.`, l.low.at);
      if (!l.high) single.add(low);
      return [{ low, high }];
    }),
    body: checkStatements(scope, arm.body, loops),
  }));
  return { kind: 'case', selector, arms, ...(s.otherwise ? { otherwise: checkStatements(scope, s.otherwise, loops) } : {}), at: s.at };
}

function forStatement(scope: PouScope, s: Statement & { kind: 'for' }, loops: number): CheckedStatement | undefined {
  const variable = writablePlace(scope, s.variable);
  const type: Type = variable?.type.kind === 'subrange' ? elementary(variable.type.base) : (variable?.type ?? elementary('DINT'));
  if (variable && !isInteger(type)) {
    if (variable.type.kind !== 'unknown') scope.project.problems.error('TYPE_MISMATCH', `A FOR variable is a whole number, but this is ${typeText(variable.type)}.`, s.variable.at);
    return undefined;
  }
  const value = (e: Expression) => coerce(scope, checkExpression(scope, e, type), type);
  const from = value(s.from), to = value(s.to);
  const by = s.by ? value(s.by) : constant(1n, type, s.at);
  if (by.kind === 'constant' && by.value === 0n) scope.project.problems.error('OUT_OF_RANGE', 'A step of 0 never ends.', s.by!.at);
  const body = checkStatements(scope, s.body, loops + 1);
  return variable && { kind: 'for', variable, from, to, by, body, at: s.at };
}

/** A block or function in a rung: power goes into its first BOOL input and comes out of its first BOOL output. */
function powerCall(scope: PouScope, s: Statement & { kind: 'powerCall' }): CheckedStatement[] | undefined {
  const { problems } = scope.project;
  const power: Checked = { kind: 'power', wire: s.input, type: BOOL, at: s.at };
  const { callee, args } = s.call;
  const isVariable = callee.kind !== 'name' || findVariable(scope, callee.name) !== undefined;
  if (!isVariable) {
    const value = checkExpression(scope, s.call);
    if (value.kind === 'invalid') return undefined;
    if (baseOf(value.type) !== 'BOOL') {
      problems.error('TYPE_MISMATCH', `A function in a rung must give BOOL, but this one gives ${typeText(value.type)}.`, s.call.at);
      return undefined;
    }
    return [{ kind: 'setPower', wire: s.output, value: combine(scope, 'AND', power, value, s.at, s.at), at: s.at }];
  }
  const place: Place | undefined = placeOf(scope, callee);
  if (!place) { for (const a of args) checkExpression(scope, a.value); return undefined; }
  if (place.type.kind !== 'block') {
    if (place.type.kind !== 'unknown') problems.error('NOT_CALLABLE', `'${callee.at.source.text.slice(callee.at.start, callee.at.end)}' is ${typeText(place.type)}; only a function block or a function takes arguments.`, callee.at);
    return undefined;
  }
  const { members } = place.type.layout;
  const input = powerPin(members, 'input', s.inPin?.text);
  const output = powerPin(members, 'output', s.outPin?.text);
  if (!input || !output) {
    const missing = !input ? s.inPin : s.outPin;
    problems.error('UNKNOWN_MEMBER', `${typeText(place.type)} has no BOOL ${!input ? 'input' : 'output'}${missing ? ` '${missing.text}'` : ''} for power to go through.`, missing?.at ?? s.call.at);
    return undefined;
  }
  const call = checkBlockCall(scope, place, args, s.at, { pin: input, value: power });
  if (!call) return undefined;
  const result: Checked = { kind: 'read', place: { kind: 'member', base: place, offset: output.offset, type: BOOL, at: s.at }, type: BOOL, at: s.at };
  return [call, { kind: 'setPower', wire: s.output, value: result, at: s.at }];
}
