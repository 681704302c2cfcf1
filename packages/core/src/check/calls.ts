/** Calls of functions and of function block instances (clause 6.6.1.4: formal and informal lists, defaults, `=>`). */
import { didYouMean } from '../language/diagnostic.js';
import type { Argument, Expression } from '../language/tree.js';
import { type BlockMember, type Type, UNKNOWN, baseOf, sameType, typeText } from '../types/type.js';
import { checkEnumConversion, checkStandardFunction, isStandardFunction } from '../library/functions.js';
import { type BlockCall, type Checked, type CheckedStatement, type Place, type Variable, rootOf } from './checked.js';
import { checkExpression, coerce, constant, invalid } from './expressions.js';
import { isWhole, noteUse, placeOf, writablePlace } from './places.js';
import { layoutFunction } from './pou.js';
import { type PouScope, findVariable, key } from './scope.js';

/** A call inside an expression: a function, standard or the project's own. */
export function checkFunctionCall(scope: PouScope, e: Expression & { kind: 'call' }, wanted?: Type): Checked {
  const { project } = scope;
  if (e.callee.kind !== 'name') {
    const place = placeOf(scope, e.callee);
    if (place) project.problems.error('NOT_CALLABLE', `A function block has no value of its own; call it in a statement and read its outputs.`, e.at);
    return invalid(e.at);
  }
  const name = e.callee.name;
  const v = findVariable(scope, name);
  if (v?.section === 'result') {
    project.problems.error('RECURSION', `'${name}' calls itself; state is laid out before the run, so that is not possible. Use a loop.`, e.callee.at);
    return invalid(e.at);
  }
  if (v) {
    project.problems.error('NOT_CALLABLE', v.type.kind === 'block' ? `'${name}' is a function block; call it in a statement and read an output, for example ${name}.${v.type.layout.members.find((m) => m.section === 'output')?.name ?? 'Q'}.` : `'${name}' is ${typeText(v.type)} and cannot be called.`, e.callee.at);
    return invalid(e.at);
  }
  const decl = project.pouDecls.get(key(name));
  if (!decl && key(name) === 'ref' && e.args.length === 1) return reference(scope, e);
  if (!decl) {
    const fromEnum = checkEnumConversion(scope, name, e.args, e.at);
    if (fromEnum) return fromEnum;
    if (isStandardFunction(name)) return checkStandardFunction(scope, name, e.args, e.at, wanted);
    const names = [...project.pouDecls.values()].filter((p) => p.pou === 'FUNCTION').map((p) => p.name.text);
    project.problems.error('UNKNOWN_NAME', `There is no function '${name}'.${didYouMean(name, names)}`, e.callee.at);
    for (const a of e.args) checkExpression(scope, a.value);
    return invalid(e.at);
  }
  if (decl.pou !== 'FUNCTION') {
    project.problems.error('NOT_CALLABLE', decl.pou === 'PROGRAM' ? `'${name}' is a program; programs are run by tasks.` : `'${name}' is a function block; declare an instance of it and call that.`, e.callee.at);
    return invalid(e.at);
  }
  const pou = layoutFunction(project, decl, e.callee.at);
  if (!pou) return invalid(e.at);
  const parameters = pou.variables.filter((x) => x.section === 'input' || x.section === 'inout');
  const given = new Map<Variable, Argument>();
  const outputs: { from: Variable; to: Place }[] = [];
  const ok = matchArguments(scope, e.args, parameters, pou.variables.filter((x) => x.section === 'output'), name, (p, a) => given.set(p, a), (p, a) => {
    const to = writablePlace(scope, a.value);
    if (to && !sameType(to.type, p.type)) project.problems.error('TYPE_MISMATCH', `The output '${p.name}' is ${typeText(p.type)}, but this is ${typeText(to.type)}.`, a.value.at);
    else if (to) outputs.push({ from: p, to });
  });
  const inputs = parameters.map((p): Checked | Place => {
    const a = given.get(p);
    if (p.section === 'inout') return referenceArgument(scope, a, p, e.at) ?? invalid(e.at);
    if (!a) return constant(typeof p.initial === 'object' || p.initial === undefined ? 0n : p.initial, p.type, e.at);
    return valueArgument(scope, a, p.type);
  });
  if (!ok || inputs.some((i) => i.kind === 'invalid')) return invalid(e.at);
  return { kind: 'call', call: { pou, inputs, outputs }, type: pou.result?.type ?? UNKNOWN, at: e.at };
}

/** REF(variable): it must be a variable with a place in memory that stays. */
function reference(scope: PouScope, e: Expression & { kind: 'call' }): Checked {
  const place = writablePlace(scope, e.args[0]!.value);
  if (!place) return invalid(e.at);
  const { home } = rootOf(place);
  const stays = home.kind !== 'local' && home.kind !== 'localReference' && place.kind !== 'part' && rootOf(place).address?.bit === undefined && rootOf(place).section !== 'temp';
  if (!stays) {
    scope.project.problems.error('TYPE_MISMATCH', 'A reference needs a variable that stays: no bit, no temporary variable, no variable of a function.', e.at);
    return invalid(e.at);
  }
  return { kind: 'address', place, type: { kind: 'ref', target: place.type }, at: e.at };
}

interface Parameter { readonly name: string; readonly type: Type }

/** Pairs arguments with parameters; reports unknown, repeated and surplus ones. */
function matchArguments<P extends Parameter>(scope: PouScope, args: readonly Argument[], inputs: readonly P[], outputs: readonly P[], callee: string, onInput: (p: P, a: Argument) => void, onOutput: (p: P, a: Argument) => void): boolean {
  const { problems } = scope.project;
  const used = new Set<P>();
  let ok = true;
  const fail = (code: string, message: string, a: Argument): void => {
    problems.error(code, message, a.name?.at ?? a.value.at);
    checkExpression(scope, a.value);
    ok = false;
  };
  let position = 0;
  for (const a of args) {
    const list = a.output ? outputs : inputs;
    const p = a.name ? list.find((x) => key(x.name) === key(a.name!.text)) : list[position++];
    if (!p) {
      if (!a.name) fail('WRONG_ARGUMENTS', `'${callee}' takes ${inputs.length} argument${inputs.length === 1 ? '' : 's'}, but more are given.`, a);
      else fail('UNKNOWN_MEMBER', `'${callee}' has no ${a.output ? 'output' : 'input'} '${a.name.text}'.${didYouMean(a.name.text, list.map((x) => x.name))}`, a);
    } else if (used.has(p)) fail('WRONG_ARGUMENTS', `'${p.name}' is given twice.`, a);
    else {
      used.add(p);
      if (a.output) onOutput(p, a); else onInput(p, a);
    }
  }
  return ok;
}

function valueArgument(scope: PouScope, a: Argument, type: Type): Checked | Place {
  if (!isWhole(type)) return coerce(scope, checkExpression(scope, a.value, type), type);
  const place = placeOf(scope, a.value);
  if (!place) return invalid(a.value.at);
  noteUse(scope, place, false);
  if (!sameType(place.type, type)) {
    scope.project.problems.error('TYPE_MISMATCH', `${typeText(type)} is wanted here, but this is ${typeText(place.type)}.`, a.value.at);
    return invalid(a.value.at);
  }
  return place;
}

function referenceArgument(scope: PouScope, a: Argument | undefined, p: Parameter, at: Expression['at']): Place | undefined {
  if (!a) {
    scope.project.problems.error('WRONG_ARGUMENTS', `'${p.name}' is an in-out variable and must be given.`, at);
    return undefined;
  }
  const place = writablePlace(scope, a.value);
  if (!place) return undefined;
  const bitLocated = place.kind === 'part' || rootOf(place).address?.bit !== undefined;
  if (!sameType(place.type, p.type) || bitLocated) {
    scope.project.problems.error('TYPE_MISMATCH', bitLocated ? `A single bit cannot be passed to the in-out variable '${p.name}'; copy it to a tag first.` : `The in-out variable '${p.name}' is ${typeText(p.type)}, but this is ${typeText(place.type)}.`, a.value.at);
    return undefined;
  }
  return place;
}

/** `Inst(IN := a, Q => b);` */
export function checkBlockCall(scope: PouScope, instance: Place, args: readonly Argument[], at: Expression['at'], power?: { pin: BlockMember; value: Checked }): CheckedStatement | undefined {
  if (instance.type.kind !== 'block') return undefined;
  const type = instance.type;
  noteUse(scope, instance, true);
  const { members } = type.layout;
  const inputs: BlockCall['inputs'][number][] = [];
  const outputs: BlockCall['outputs'][number][] = [];
  if (power) inputs.push({ offset: power.pin.offset, type: power.pin.type, value: power.value, isReference: false });
  const seen = new Set<BlockMember>();
  matchArguments(scope, args, members.filter((m) => (m.section === 'input' || m.section === 'inout') && m !== power?.pin), members.filter((m) => m.section === 'output'), type.name, (m, a) => {
    seen.add(m);
    if (m.section === 'inout') {
      const place = referenceArgument(scope, a, m, a.value.at);
      if (place) inputs.push({ offset: m.offset, type: m.type, value: place, isReference: true });
    } else {
      const value = valueArgument(scope, a, m.type);
      if (value.kind !== 'invalid') inputs.push({ offset: m.offset, type: m.type, value, isReference: false });
    }
  }, (m, a) => {
    const to = writablePlace(scope, a.value);
    if (!to) return;
    if (!sameType(to.type, m.type)) scope.project.problems.error('TYPE_MISMATCH', `The output '${m.name}' is ${typeText(m.type)}, but this is ${typeText(to.type)}.`, a.value.at);
    else outputs.push({ offset: m.offset, type: m.type, to, negated: a.negated ?? false });
  });
  for (const m of members) if (m.section === 'inout' && !seen.has(m)) referenceArgument(scope, undefined, m, at);
  return { kind: 'blockCall', call: { instance, type, inputs, outputs }, at };
}

/** The pin that power goes through: the named one, or the first BOOL of its kind (notation.md). */
export function powerPin(members: readonly BlockMember[], section: 'input' | 'output', name?: string): BlockMember | undefined {
  return members.find((m) => m.section === section && baseOf(m.type) === 'BOOL' && (!name || key(m.name) === key(name)));
}
