/**
 * Standard functions (clause 6.6.2.5), those that ordinary programs use. Each is checked here and either
 * rewritten to an operator or conversion, or left as a builtin the compiler knows.
 */
import type { Argument, BinaryOp, Expression } from '../language/tree.js';
import type { Span } from '../language/source.js';
import {
  BOOL, type ElementaryName, type Type, baseOf, commonType, elementary, elementaryByName, isBitString, isBits, isInteger, isNumeric, isReal, isScalar, isTime, sameType, typeText,
} from '../types/type.js';
import type { Builtin, Checked } from '../check/checked.js';
import { checkExpression, coerce, combine, constant, invalid, settle } from '../check/expressions.js';
import type { PouScope } from '../check/scope.js';

const OPERATORS: Record<string, BinaryOp> = {
  ADD: '+', SUB: '-', MUL: '*', DIV: '/', MOD: 'MOD', EXPT: '**', AND: 'AND', OR: 'OR', XOR: 'XOR', GT: '>', GE: '>=', EQ: '=', LE: '<=', LT: '<', NE: '<>',
};
const EXTENSIBLE = new Set(['ADD', 'MUL', 'AND', 'OR', 'XOR']);
const OTHERS = new Set(['ABS', 'SQRT', 'MIN', 'MAX', 'LIMIT', 'SEL', 'MUX', 'MOVE', 'TRUNC', 'SHL', 'SHR', 'ROL', 'ROR', 'NOT', '__NOW', '__STEP']);
const CONVERSION = /^(?:([A-Z]+)_)?(TO|TRUNC)_([A-Z]+)$/;

function conversion(name: string): { from?: ElementaryName; to: ElementaryName; truncate: boolean } | undefined {
  const m = CONVERSION.exec(name.toUpperCase());
  const to = m && elementaryByName(m[3]!);
  const from = m?.[1] ? elementaryByName(m[1]) : undefined;
  if (!m || !to || (m[1] && !from)) return undefined;
  return { ...(from ? { from: from.name } : {}), to: to.name, truncate: m[2] === 'TRUNC' };
}

export function isStandardFunction(name: string): boolean {
  const upper = name.toUpperCase();
  return upper in OPERATORS || OTHERS.has(upper) || conversion(upper) !== undefined;
}

/** Parameter names of the standard's formal calls, in order; extensible inputs are IN1, IN2, …. */
const FORMAL: Record<string, string[]> = { LIMIT: ['MN', 'IN', 'MX'], SEL: ['G', 'IN0', 'IN1'], SHL: ['IN', 'N'], SHR: ['IN', 'N'], ROL: ['IN', 'N'], ROR: ['IN', 'N'], MUX: ['K'] };

/** Checks a call of a standard function. `at` is the whole call. */
export function checkStandardFunction(scope: PouScope, name: string, args: readonly Argument[], at: Span, wanted?: Type): Checked {
  const { problems } = scope.project;
  const upper = name.toUpperCase();
  const ordered = inOrder(upper, args);
  const values = ordered.map((e) => checkExpression(scope, e, wanted));
  if (values.some((v) => v.kind === 'invalid')) return invalid(at);
  const need = (least: number, most = least): boolean => {
    if (values.length >= least && values.length <= most) return true;
    problems.error('WRONG_ARGUMENTS', `'${upper}' takes ${least === most ? least : `at least ${least}`} argument${least === 1 ? '' : 's'}, but ${values.length} ${values.length === 1 ? 'is' : 'are'} given.`, at);
    return false;
  };
  const refuse = (message: string, where = at): Checked => { problems.error('TYPE_MISMATCH', message, where); return invalid(at); };
  const op = OPERATORS[upper];
  if (op) {
    const compares = ['>', '>=', '=', '<=', '<', '<>'].includes(op);
    if (!need(2, EXTENSIBLE.has(upper) || compares ? 100 : 2)) return invalid(at);
    if (!compares) return values.slice(1).reduce((sum, v) => (sum.kind === 'invalid' ? sum : combine(scope, op, sum, v, at, at)), values[0]!);
    // GT(a, b, c) is a > b AND b > c (table 32).
    const pairs = values.slice(1).map((v, i) => combine(scope, op, values[i]!, v, at, at));
    return pairs.reduce((all, p) => (all.kind === 'invalid' || p.kind === 'invalid' ? invalid(at) : combine(scope, 'AND', all, p, at, at)));
  }
  const to = conversion(upper);
  if (to) return need(1) ? convert(scope, values[0]!, to, at) : invalid(at);
  switch (upper) {
    case '__NOW': return { kind: 'builtin', name: 'NOW', args: [], type: elementary('TIME'), at };
    case '__STEP': return { kind: 'builtin', name: 'STEP_NS', args: [], type: elementary('TIME'), at };
    case 'MOVE': return need(1) ? values[0]! : invalid(at);
    case 'NOT': {
      if (!need(1)) return invalid(at);
      const v = values[0]!;
      return isBitString(v.type) ? { kind: 'not', arg: v, type: v.type, at } : refuse(`NOT needs a BOOL or a bit string, but this is ${typeText(v.type)}.`);
    }
    case 'TRUNC': return need(1) ? convert(scope, values[0]!, { to: 'DINT', truncate: true }, at) : invalid(at);
    case 'ABS': case 'SQRT': {
      if (!need(1)) return invalid(at);
      const v = upper === 'SQRT' && !isReal(values[0]!.type) ? coerce(scope, values[0]!, elementary('LREAL'), true) : settle(scope, values[0]!);
      if (v.kind === 'invalid' || !isNumeric(v.type)) return refuse(`'${upper}' needs a ${upper === 'SQRT' ? 'REAL or LREAL' : 'number'}, but this is ${typeText(values[0]!.type)}.`);
      return builtin(upper, [v], v.type, at);
    }
    case 'MIN': case 'MAX': {
      if (!need(2, 100)) return invalid(at);
      const same = unify(scope, values, at, wanted);
      return same ? same.slice(1).reduce((a, v) => builtin(upper, [a, v], v.type, at), same[0]!) : invalid(at);
    }
    case 'LIMIT': {
      if (!need(3)) return invalid(at);
      const same = unify(scope, values, at, wanted);
      return same ? builtin('MIN', [builtin('MAX', [same[1]!, same[0]!], same[0]!.type, at), same[2]!], same[0]!.type, at) : invalid(at);
    }
    case 'SEL': {
      if (!need(3)) return invalid(at);
      const g = coerce(scope, values[0]!, BOOL);
      const same = unify(scope, values.slice(1), at, wanted);
      return same && g.kind !== 'invalid' ? builtin('SEL', [g, ...same], same[0]!.type, at) : invalid(at);
    }
    case 'MUX': {
      if (!need(2, 100)) return invalid(at);
      const k = coerce(scope, settle(scope, values[0]!), elementary('LINT'));
      const same = unify(scope, values.slice(1), at, wanted);
      return same && k.kind !== 'invalid' ? builtin('MUX', [k, ...same], same[0]!.type, at) : invalid(at);
    }
    default: {
      if (!need(2)) return invalid(at);
      const v = values[0]!;
      const n = coerce(scope, settle(scope, values[1]!), elementary('LINT'));
      if (!isBits(v.type)) return refuse(`'${upper}' shifts BYTE, WORD, DWORD or LWORD, but this is ${typeText(v.type)}.`);
      return n.kind === 'invalid' ? n : builtin(upper as Builtin, [v, n], v.type, at);
    }
  }
}

const builtin = (name: Builtin, args: readonly Checked[], type: Type, at: Span): Checked => ({ kind: 'builtin', name, args, type, at });

function inOrder(name: string, args: readonly Argument[]): Expression[] {
  if (!args.some((a) => a.name)) return args.map((a) => a.value);
  const names = FORMAL[name] ?? [];
  const rank = (a: Argument): number => {
    const n = a.name?.text.toUpperCase() ?? '';
    const at = names.indexOf(n);
    return at >= 0 ? at : names.length + Number(/\d+$/.exec(n)?.[0] ?? 0);
  };
  return [...args].sort((a, b) => rank(a) - rank(b)).map((a) => a.value);
}

/** All values in their common type; reports when there is none. */
function unify(scope: PouScope, values: readonly Checked[], at: Span, wanted?: Type): Checked[] | undefined {
  const typed = values.filter((v) => v.type.kind !== 'anyInt' && v.type.kind !== 'anyReal');
  let type: Type | undefined = typed[0]?.type;
  for (const v of typed.slice(1)) {
    if (!type || sameType(type, v.type)) continue;
    const c = isScalar(type) && isScalar(v.type) && type.kind !== 'enum' && v.type.kind !== 'enum' ? commonType(baseOf(type)!, baseOf(v.type)!) : undefined;
    type = c ? elementary(c) : undefined;
  }
  if (!typed.length) type = wanted && isNumeric(wanted) && isScalar(wanted) ? wanted : settle(scope, values.find((v) => v.type.kind === 'anyReal') ?? values[0]!).type;
  if (!type) {
    scope.project.problems.error('TYPE_MISMATCH', `These values have no common type: ${values.map((v) => typeText(v.type)).join(', ')}.`, at);
    return undefined;
  }
  if (isInteger(type) && values.some((v) => v.type.kind === 'anyReal')) type = elementary('REAL');
  const result = values.map((v) => coerce(scope, v, type));
  return result.some((v) => v.kind === 'invalid') ? undefined : result;
}

/** `A_TO_B`, `TO_B`, `A_TRUNC_B` (tables 22 to 27): rounding to nearest even, narrowing keeps the rightmost bits, durations in milliseconds. */
function convert(scope: PouScope, value: Checked, c: { from?: ElementaryName; to: ElementaryName; truncate: boolean }, at: Span): Checked {
  const { problems } = scope.project;
  let v = settle(scope, value.type.kind === 'anyInt' && c.from && !isReal(elementary(c.from)) ? coerce(scope, value, elementary(c.from)) : value);
  if (c.from && v.kind !== 'invalid') {
    const from = elementary(c.from);
    v = v.type.kind === 'enum' && baseOf(v.type) === c.from ? v : coerce(scope, v.type.kind === 'subrange' ? { ...v, type: elementary(v.type.base) } : v, from);
  }
  if (v.kind === 'invalid') return invalid(at);
  const to = elementary(c.to);
  if (!isScalar(v.type)) { problems.error('TYPE_MISMATCH', `A conversion needs an elementary value, but this is ${typeText(v.type)}.`, at); return invalid(at); }
  if (isTime(to) && isBitString(v.type)) { problems.error('TYPE_MISMATCH', `There is no conversion from ${typeText(v.type)} to ${c.to}.`, at); return invalid(at); }
  if (v.kind === 'constant' && typeof v.value === 'bigint' && isReal(to) && !isTime(v.type)) return constant(Number(v.value), to, at);
  return { kind: 'convert', arg: v, type: to, at, ...(c.truncate ? { truncate: true } : {}) };
}
