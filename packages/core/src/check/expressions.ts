/**
 * Types and conversions of expressions (clause 6.6.1.6 and table 71). An expression with an error becomes `invalid`,
 * silently accepted above.
 */
import { didYouMean } from '../language/diagnostic.js';
import { type Expression, type Literal, assertNever } from '../language/tree.js';
import type { Span } from '../language/source.js';
import {
  BOOL,
  type ElementaryName,
  type Type,
  UNKNOWN,
  elementary,
  elementaryByName,
  isBitString,
  isBool,
  isNumeric,
  isScalar,
  isTime,
  sameType,
  typeText,
} from '../types/type.js';
import { checkFunctionCall } from './calls.js';
import type { Checked } from '../checked/tree.js';
import { parseDate } from '../types/date.js';
import { foldUnary } from '../names/constants.js';
import { placeOf, readsAsValue } from './places.js';
import { type PouScope, findVariable, key, namesOf } from '../names/scope.js';
import { invalid, constant, typeNamed, coerce, plain, COMPARISONS, combine } from '../names/values.js';

/** Checks an expression. `wanted` is the type its place has; only enumeration names and literals look at it. */
export function checkExpression(scope: PouScope, e: Expression, wanted?: Type): Checked {
  switch (e.kind) {
    case 'missing':
      return invalid(e.at);
    case 'power':
      return { kind: 'power', wire: e.wire, type: BOOL, at: e.at };
    case 'literal':
      return literal(scope, e.literal, e.at, e.prefix?.text, e.prefix?.at);
    case 'typedName':
      return typedName(scope, e);
    case 'null':
      return constant(0n, { kind: 'ref', target: UNKNOWN }, e.at);
    case 'name':
    case 'direct':
    case 'member':
    case 'part':
    case 'index':
    case 'dereference':
    case 'this':
    case 'super': {
      // A program or block is no value: beside an enumeration the value of that name is meant.
      const variable = e.kind === 'name' ? findVariable(scope, e.name) : undefined,
        isOther = wanted?.kind === 'enum' && variable?.type.kind === 'block';
      if (e.kind === 'name' && (!variable || isOther) && !scope.project.aliases.has(key(e.name))) {
        const value = enumValue(scope, e.name, e.at, wanted);
        if (value && (!isOther || value.kind !== 'invalid')) return value;
      }
      const place = placeOf(scope, e);
      if (!place) return invalid(e.at);
      return readsAsValue(scope, place);
    }
    case 'call':
      return checkFunctionCall(scope, e, wanted);
    case 'unary':
      return unary(scope, e, wanted);
    case 'binary':
      return binary(scope, e, wanted);
    default:
      return assertNever(e);
  }
}

function literal(scope: PouScope, l: Literal, at: Span, prefix?: string, prefixAt?: Span): Checked {
  const { problems } = scope.project;
  if (l.type === 'date') {
    const value = parseDate(l.kind, l.text);
    if (typeof value === 'bigint') return constant(value, elementary(l.kind as ElementaryName), at);
    problems.error('SYNTAX', value, at);
    return invalid(at);
  }
  if (l.type === 'string') return stringLiteral(scope, l.value, l.wide, at, prefix);
  const bare: Checked =
    l.type === 'bool'
      ? constant(l.value, BOOL, at)
      : l.type === 'time'
        ? constant(l.value, elementary(l.long ? 'LTIME' : 'TIME'), at)
        : l.type === 'int'
          ? constant(l.value, { kind: 'anyInt' }, at)
          : constant(l.value, { kind: 'anyReal' }, at);
  if (!prefix) return bare;
  const type = elementaryByName(prefix) ?? typeNamed(scope, prefix);
  if (!type || !isScalar(type)) {
    problems.error('UNKNOWN_TYPE', `There is no elementary type '${prefix}' for this literal.`, prefixAt ?? at);
    return invalid(at);
  }
  return coerce(scope, bare, type);
}

function stringLiteral(scope: PouScope, value: string, wide: boolean, at: Span, prefix?: string): Checked {
  const bare = constant(value, { kind: 'string', wide, max: Math.max(value.length, 1) }, at);
  if (!prefix || /^W?STRING$/i.test(prefix))
    return prefix
      ? { ...bare, type: { kind: 'string', wide: /^W/i.test(prefix), max: Math.max(value.length, 1) } }
      : bare;
  return coerce(scope, bare, elementaryByName(prefix) ?? UNKNOWN);
}

function typedName(scope: PouScope, e: Expression & { kind: 'typedName' }): Checked {
  const { project } = scope;
  const type = typeNamed(scope, e.prefix.text);
  if (type?.kind !== 'enum') {
    project.problems.error(
      'UNKNOWN_TYPE',
      `'${e.prefix.text}' is not an enumeration.${didYouMean(
        e.prefix.text,
        namesOf(project, (d) => d.kind === 'type'),
      )}`,
      e.prefix.at,
    );
    return invalid(e.at);
  }
  const value = type.values.find((v) => key(v.name) === key(e.name.text));
  if (!value) {
    project.problems.error(
      'UNKNOWN_NAME',
      `${type.name} has no value '${e.name.text}'.${didYouMean(
        e.name.text,
        type.values.map((v) => v.name),
      )}`,
      e.name.at,
    );
    return invalid(e.at);
  }
  return constant(value.value, type, e.at);
}

function enumValue(scope: PouScope, name: string, at: Span, wanted?: Type): Checked | undefined {
  const found = scope.project.enumValues.get(key(name));
  if (!found) return undefined;
  const hit = (wanted && found.find((f) => sameType(f.type, wanted))) ?? (found.length === 1 ? found[0] : undefined);
  if (hit) return constant(hit.value, hit.type, at);
  scope.project.problems.error(
    'AMBIGUOUS_NAME',
    `'${name}' is a value of ${found.map((f) => typeText(f.type)).join(' and ')}; write ${typeText(found[0]!.type)}#${name}.`,
    at,
  );
  return invalid(at);
}

function unary(scope: PouScope, e: Expression & { kind: 'unary' }, wanted?: Type): Checked {
  const arg = checkExpression(scope, e.arg, wanted);
  if (arg.kind === 'invalid') return arg;
  const { problems } = scope.project;
  if (e.op === 'NOT') {
    // A bare number takes the width its neighbour has: `w AND NOT 16#00FF`.
    const given = arg.type.kind === 'anyInt' && wanted && isBitString(wanted) ? coerce(scope, arg, wanted) : arg;
    if (given !== arg)
      return given.kind === 'constant' && typeof given.value === 'bigint'
        ? constant(foldUnary('not', given.value, given.type), given.type, e.at)
        : given;
    if (!isBitString(arg.type)) {
      problems.error('TYPE_MISMATCH', `NOT needs a BOOL or a bit string, but this is ${typeText(arg.type)}.`, e.arg.at);
      return invalid(e.at);
    }
    return arg.kind === 'constant' && typeof arg.value === 'boolean'
      ? constant(foldUnary('not', arg.value, arg.type), arg.type, e.at)
      : { kind: 'not', arg, type: arg.type, at: e.at };
  }
  if (!isNumeric(arg.type) && !isTime(arg.type)) {
    problems.error(
      'TYPE_MISMATCH',
      `'${e.op}' needs a number or a duration, but this is ${typeText(arg.type)}.`,
      e.arg.at,
    );
    return invalid(e.at);
  }
  if (e.op === '+') return arg;
  // The lowest value of a type has no opposite: it wraps, as in the run.
  if (arg.kind === 'constant' && (typeof arg.value === 'number' || typeof arg.value === 'bigint'))
    return constant(foldUnary('neg', arg.value, arg.type), plain(arg.type), e.at);
  return { kind: 'negate', arg, type: plain(arg.type), at: e.at };
}

function binary(scope: PouScope, e: Expression & { kind: 'binary' }, wanted?: Type): Checked {
  const hint = COMPARISONS.has(e.op) ? undefined : wanted;
  const left = checkExpression(scope, e.left, hint);
  const right = checkExpression(
    scope,
    e.right,
    left.kind === 'invalid' || left.type.kind === 'anyInt' ? hint : left.type,
  );
  if (left.kind === 'invalid' || right.kind === 'invalid') return invalid(e.at);
  for (const side of [left, right])
    if (side.kind === 'call' && side.type.kind === 'unknown') {
      scope.project.problems.error('TYPE_MISMATCH', `'${side.call.pou.name}' gives no value.`, side.at);
      return invalid(e.at);
    }
  return combine(scope, e.op, left, right, e.at, e.opAt);
}

/** An expression that must give a BOOL (conditions, contacts). */
export function checkCondition(scope: PouScope, e: Expression): Checked {
  const c = checkExpression(scope, e, BOOL);
  if (c.kind === 'invalid' || isBool(c.type)) return c;
  scope.project.problems.error('TYPE_MISMATCH', `A condition must be BOOL, but this is ${typeText(c.type)}.`, e.at);
  return invalid(e.at);
}
