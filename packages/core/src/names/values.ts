/** Checked values made of others: operators, conversions of types, literals in the type of their place (6.6.1.6, table 71). */

import type { Checked } from '../checked/tree.js';
import type { Span } from '../language/source.js';
import {
  type Type,
  type ElementaryName,
  typeText,
  sameType,
  isTime,
  isReal,
  isInteger,
  baseOf,
  sizeOf,
  isBool,
  rangeOf,
  UNKNOWN,
  elementary,
  BOOL,
  isString,
  isChar,
  isDate,
  isNumeric,
  isBitString,
  commonType,
  widensTo,
  isScalar,
  isBits,
} from '../types/type.js';
import type { BinaryOp } from '../language/tree.js';
import { foldBinary, exactly, fits } from './constants.js';
import { standsFor } from './lineage.js';
import { type PouScope, findNamed, key, fullName } from './scope.js';

export const invalid = (at: Span): Checked => ({ kind: 'invalid', type: UNKNOWN, at });

export const constant = (value: bigint | number | boolean | string, type: Type, at: Span): Checked => ({
  kind: 'constant',
  value,
  type,
  at,
});

/** A declared type by its name, as seen from here. */
export function typeNamed(scope: PouScope, name: string): Type | undefined {
  const decl = findNamed(scope.project, name, scope.context);
  return decl?.kind === 'type' ? scope.project.types.get(key(fullName(decl))) : undefined;
}

/** Arithmetic on a subrange gives its base type. */
export const plain = (t: Type): Type => (t.kind === 'subrange' ? elementary(t.base) : t);

export const COMPARISONS = new Set<BinaryOp>(['=', '<>', '<', '>', '<=', '>=']);

const LOGIC = new Set<BinaryOp>(['AND', 'OR', 'XOR']);

/** `left op right` of any two checked values: finds the common type, converts, folds. */
export function combine(scope: PouScope, op: BinaryOp, left: Checked, right: Checked, at: Span, opAt: Span): Checked {
  const { problems } = scope.project;
  const l = left.type,
    r = right.type;
  const refuse = (): Checked => {
    problems.error('TYPE_MISMATCH', `'${op}' cannot join ${typeText(l)} and ${typeText(r)}.${bridge(l, r)}`, opAt);
    return invalid(at);
  };
  const refers = (t: Type) => t.kind === 'ref' || t.kind === 'interface';
  if (refers(l) && refers(r))
    return (op === '=' || op === '<>') &&
      (sameType(l, r) ||
        isNull(left) ||
        isNull(right) ||
        standsFor(scope.project, l, r) ||
        standsFor(scope.project, r, l))
      ? { kind: 'binary', op, left, right, type: BOOL, at }
      : refuse();
  if (isString(l) || isString(r) || isChar(l) || isChar(r)) return compareText(scope, op, left, right, at, refuse);
  if (isDate(l) || isDate(r)) return dateArithmetic(op, left, right, at) ?? refuse();
  if (isTime(l) || isTime(r)) {
    const special = timeArithmetic(scope, op, left, right, at);
    if (special) return special;
  }
  if (op === '**') {
    if (!isNumeric(l) || !isNumeric(r)) return refuse();
    if (left.kind === 'constant' && right.kind === 'constant') {
      const v = foldBinary('**', left.value, right.value, l);
      if (v !== undefined) return constant(v, l, at);
    }
    return power(scope, left, right, at) ?? refuse();
  }
  const common = widerForLiteral(left, right) ?? join(l, r);
  if (!common) return refuse();
  if (LOGIC.has(op) && !isBitString(common) && !(common.kind === 'anyInt')) return refuse();
  if (!LOGIC.has(op) && !COMPARISONS.has(op) && !isNumeric(common) && !isTime(common)) return refuse();
  if (op === 'MOD' && isReal(common)) return refuse();
  if ((op === '*' || op === '/' || op === 'MOD') && isTime(common)) return refuse();
  const a = coerce(scope, left, common),
    b = coerce(scope, right, common);
  if (a.kind === 'invalid' || b.kind === 'invalid') return invalid(at);
  const type = COMPARISONS.has(op) ? BOOL : plain(common);
  if (a.kind === 'constant' && b.kind === 'constant') {
    const v = foldBinary(op, a.value, b.value, plain(common));
    if (typeof v === 'bigint' && typeof a.value === 'bigint' && typeof b.value === 'bigint' && isInteger(common)) {
      const exact = '+-*'.includes(op) ? exactly(op, a.value, b.value) : undefined;
      if (exact !== undefined && exact !== v)
        scope.project.overflows.push({
          at,
          text: `${a.value} ${op} ${b.value} = ${exact}`,
          type: typeText(plain(common)),
          wrapped: v,
        });
    }
    if (v !== undefined) return constant(v, type, at);
    // Only the run can tell (division by zero): two literals meet in the type they would have alone.
    if (common.kind === 'anyInt')
      return { kind: 'binary', op, left: settle(scope, a), right: settle(scope, b), type: settle(scope, a).type, at };
  }
  return { kind: 'binary', op, left: a, right: b, type, at };
}

export const isNull = (c: Checked): boolean => c.kind === 'constant' && c.type.kind === 'ref';

/** EXPT (table 29): a real base to any number; the result has the base's type. */
function power(scope: PouScope, left: Checked, right: Checked, at: Span): Checked | undefined {
  const base = isReal(left.type) ? left : coerce(scope, left, elementary('LREAL'), true);
  const wide = base.type.kind === 'anyReal' ? coerce(scope, base, elementary('LREAL')) : base;
  const exponent =
    right.type.kind === 'anyInt' || right.type.kind === 'anyReal'
      ? coerce(scope, right, elementary('LREAL'))
      : { kind: 'convert' as const, arg: right, type: elementary('LREAL'), at: right.at };
  if (wide.kind === 'invalid' || exponent.kind === 'invalid') return undefined;
  const long: Checked =
    baseOf(wide.type) === 'REAL' ? { kind: 'convert', arg: wide, type: elementary('LREAL'), at: wide.at } : wide;
  const result: Checked = { kind: 'builtin', name: 'pow', args: [long, exponent], type: elementary('LREAL'), at };
  return baseOf(wide.type) === 'REAL' ? { kind: 'convert', arg: result, type: wide.type, at } : result;
}

/** Comparisons of strings and characters: character by character, the shorter one first (table 34). */
function compareText(
  scope: PouScope,
  op: BinaryOp,
  left: Checked,
  right: Checked,
  at: Span,
  refuse: () => Checked,
): Checked {
  if (!COMPARISONS.has(op)) return refuse();
  const type =
    isString(left.type) && left.kind !== 'constant'
      ? left.type
      : isString(right.type) && right.kind !== 'constant'
        ? right.type
        : isChar(left.type)
          ? left.type
          : isChar(right.type)
            ? right.type
            : left.type;
  const a = coerce(scope, left, type, true),
    b = coerce(scope, right, type, true);
  if (a.kind === 'invalid' || b.kind === 'invalid') return refuse();
  return { kind: 'binary', op, left: a, right: b, type: BOOL, at };
}

/** Points in time: compared, their difference is a duration, a duration is added (table 35). */
function dateArithmetic(op: BinaryOp, left: Checked, right: Checked, at: Span): Checked | undefined {
  const a = baseOf(left.type),
    b = baseOf(right.type);
  if (!a || !b) return undefined;
  const kind = (n: string) => n.replace(/^L/, '');
  if (kind(a) === kind(b) && (COMPARISONS.has(op) || op === '-')) {
    if (left.kind === 'constant' && right.kind === 'constant') {
      const v = foldBinary(op, left.value, right.value, left.type);
      if (v !== undefined) return constant(v, COMPARISONS.has(op) ? BOOL : elementary('TIME'), at);
    }
    return {
      kind: 'binary',
      op,
      left,
      right,
      type: COMPARISONS.has(op) ? BOOL : elementary(a.startsWith('L') || b.startsWith('L') ? 'LTIME' : 'TIME'),
      at,
    };
  }
  if (isDate(left.type) && isTime(right.type) && (op === '+' || op === '-') && kind(a) !== 'DATE')
    return { kind: 'binary', op, left, right, type: left.type, at };
  return undefined;
}

/** TIME * number, TIME / number (table 35). */
function timeArithmetic(scope: PouScope, op: BinaryOp, left: Checked, right: Checked, at: Span): Checked | undefined {
  if ((op === '*' || op === '/') && isTime(left.type) && isNumeric(right.type)) {
    const other = coerce(
      scope,
      right,
      isReal(right.type) || right.type.kind === 'anyReal' ? elementary('LREAL') : elementary('LINT'),
      true,
    );
    return { kind: 'binary', op, left, right: other, type: left.type, at };
  }
  if (op === '*' && isNumeric(left.type) && isTime(right.type)) return timeArithmetic(scope, op, right, left, at);
  return undefined;
}

/**
 * A literal that does not fit its neighbour's type has the type it needs, and the two meet there: `anInt + 70000` is a
 * DINT.
 */
function widerForLiteral(left: Checked, right: Checked): Type | undefined {
  const [lit, other] = left.type.kind === 'anyInt' ? [left, right] : [right, left];
  const base = baseOf(other.type);
  if (
    lit.type.kind !== 'anyInt' ||
    lit.kind !== 'constant' ||
    !base ||
    !isInteger(other.type) ||
    fits(lit.value as bigint, base)
  )
    return undefined;
  const needed = (['INT', 'DINT', 'LINT', 'ULINT'] as const).find((n) => fits(lit.value as bigint, n));
  const common = needed && commonType(base, needed);
  return common ? elementary(common) : undefined;
}

/** The type two operands meet in. */
function join(l: Type, r: Type): Type | undefined {
  if (l.kind === 'anyInt' && r.kind === 'anyInt') return l;
  if (l.kind === 'anyReal' || r.kind === 'anyReal') {
    const other = l.kind === 'anyReal' ? r : l;
    if (other.kind === 'anyReal' || other.kind === 'anyInt') return { kind: 'anyReal' };
    return isReal(other)
      ? other
      : isInteger(other)
        ? widensTo(baseOf(other)!, 'REAL')
          ? elementary('REAL')
          : widensTo(baseOf(other)!, 'LREAL')
            ? elementary('LREAL')
            : undefined
        : undefined;
  }
  if (l.kind === 'anyInt' || r.kind === 'anyInt') {
    const other = l.kind === 'anyInt' ? r : l;
    if (other.kind === 'enum' || isTime(other) || !isScalar(other)) return undefined;
    return plain(other);
  }
  if (l.kind === 'enum' || r.kind === 'enum') return sameType(l, r) ? l : undefined;
  const a = baseOf(l),
    b = baseOf(r);
  const c = a && b && commonType(a, b);
  return c ? elementary(c) : undefined;
}

const BITS_OF: Record<number, string> = { 1: 'BYTE', 2: 'WORD', 4: 'DWORD', 8: 'LWORD' };

const INTEGER_OF: Record<number, string> = { 1: 'USINT', 2: 'UINT', 4: 'UDINT', 8: 'ULINT' };

/** How the message says which conversion to write. */
function bridge(from: Type, to: Type): string {
  const a = baseOf(from),
    b = baseOf(to);
  if (!a || !b || from.kind === 'enum' || to.kind === 'enum') return '';
  if (a === b)
    return isInteger(from)
      ? ` Bits are joined as BYTE, WORD, DWORD or LWORD: ${a}_TO_${BITS_OF[sizeOf(from)]}(…).`
      : isBitString(from) && !isBool(from)
        ? ` Numbers are wanted: ${a}_TO_${INTEGER_OF[sizeOf(from)]}(…).`
        : '';
  return ` Convert one side, for example with ${a}_TO_${b}(…).`;
}

/**
 * A value as `type` wants it: literals take the type if they fit, others widen implicitly (figure 12);
 * anything else is an error that names the conversion. `quiet` leaves the error to the caller.
 */
export function coerce(scope: PouScope, c: Checked, type: Type, quiet = false): Checked {
  const { problems } = scope.project;
  if (c.kind === 'invalid' || type.kind === 'unknown') return c;
  const from = c.type;
  const reference = asReference(scope, c, type);
  if (reference) return reference;
  if (sameType(from, type) || (from.kind === 'anyReal' && type.kind === 'anyReal')) return c;
  const to = baseOf(type);
  if (typeof (c.kind === 'constant' ? c.value : undefined) === 'string' && (isChar(type) || isString(type))) {
    // A literal fits either width; a character is a literal of one.
    const text = (c as { value: string }).value;
    if (isString(type)) return constant(text, { kind: 'string', wide: type.wide, max: Math.max(text.length, 1) }, c.at);
    if (text.length === 1) return constant(BigInt(text.charCodeAt(0)), type, c.at);
  }
  if (
    isString(type) &&
    to === undefined &&
    ((from.kind === 'elementary' && from.name === 'CHAR' && !type.wide) ||
      (from.kind === 'elementary' && from.name === 'WCHAR' && type.wide))
  )
    return {
      kind: 'builtin',
      name: 'CHAR_TEXT',
      args: [c],
      type: { kind: 'string', wide: type.wide, max: 1 },
      at: c.at,
    };
  if (c.kind === 'constant' && (from.kind === 'anyInt' || from.kind === 'anyReal')) {
    if (type.kind === 'anyReal') return constant(Number(c.value), type, c.at);
    const adapted = adaptLiteral(c.value as bigint | number, from.kind === 'anyInt', type, to);
    if (
      adapted !== undefined &&
      to === 'REAL' &&
      isFinite(Number(c.value)) &&
      !isFinite(Math.fround(Number(adapted)))
    ) {
      problems.error(
        'OUT_OF_RANGE',
        `${c.value} does not fit REAL (at most about 3.4E38 either way); use LREAL.`,
        c.at,
      );
      return invalid(c.at);
    }
    if (adapted !== undefined) return inSubrange(scope, constant(adapted, type, c.at), quiet);
    if (!quiet) {
      if (from.kind === 'anyInt' && to && type.kind !== 'enum' && (isInteger(type) || isBits(type))) {
        const r = rangeOf(to);
        problems.error('OUT_OF_RANGE', `${c.value} does not fit ${typeText(type)} (${r.low} to ${r.high}).`, c.at);
      } else
        problems.error(
          'TYPE_MISMATCH',
          `${typeText(type)} is wanted here, but this is ${typeText(from)}.${isTime(type) ? ` Write a duration, for example T#${c.value}ms.` : ''}`,
          c.at,
        );
    }
    return invalid(c.at);
  }
  if (c.kind !== 'constant' && (from.kind === 'anyInt' || from.kind === 'anyReal'))
    return { kind: 'convert', arg: c, type, at: c.at };
  const source = baseOf(from);
  const enumClash = from.kind === 'enum' || type.kind === 'enum';
  if (source && to && !enumClash && widensTo(source, to)) {
    if (c.kind === 'constant') {
      const v = isReal(type)
        ? Number(c.value)
        : typeof c.value === 'boolean' && !isBool(type)
          ? c.value
            ? 1n
            : 0n
          : c.value;
      return inSubrange(scope, constant(v, type, c.at), quiet);
    }
    return { kind: 'convert', arg: c, type, at: c.at };
  }
  if (!quiet && c.kind === 'call' && from.kind === 'unknown') {
    problems.error('TYPE_MISMATCH', `'${c.call.pou.name}' gives no value.`, c.at);
    return invalid(c.at);
  }
  if (!quiet) {
    const hint = source && to && !enumClash ? ` Use ${source}_TO_${to}(…).` : '';
    problems.error('TYPE_MISMATCH', `${typeText(type)} is wanted here, but this is ${typeText(from)}.${hint}`, c.at);
  }
  return invalid(c.at);
}

/** An instance where an interface is wanted, NULL, and references to something derived (6.6.6.5). */
function asReference(scope: PouScope, c: Checked, type: Type): Checked | undefined {
  const from = c.type;
  if (type.kind === 'interface') {
    if (isNull(c)) return constant(0n, type, c.at);
    if (from.kind === 'interface' && (from.name === type.name || standsFor(scope.project, from, type)))
      return { ...c, type };
    if (c.kind === 'read' && from.kind === 'block' && standsFor(scope.project, from, type))
      return { kind: 'address', place: c.place, type, at: c.at };
    return from.kind === 'ref' && standsFor(scope.project, from.target, type) ? { ...c, type } : undefined;
  }
  if (
    type.kind === 'ref' &&
    from.kind === 'ref' &&
    from.target.kind === 'block' &&
    standsFor(scope.project, from.target, type.target)
  )
    return { ...c, type };
  return undefined;
}

function adaptLiteral(
  value: bigint | number,
  isInt: boolean,
  type: Type,
  to: ElementaryName | undefined,
): bigint | number | boolean | undefined {
  if (!to || type.kind === 'enum') return undefined;
  if (isReal(type)) return to === 'REAL' ? Math.fround(Number(value)) : Number(value);
  if (!isInt || isTime(type)) return undefined;
  const v = value as bigint;
  if (isBool(type)) return v === 0n ? false : v === 1n ? true : undefined;
  return fits(v, to) ? v : undefined;
}

/** A constant that lies outside of the subrange it is for is an error before the run. */
function inSubrange(scope: PouScope, c: Checked, quiet: boolean): Checked {
  const { type } = c;
  if (c.kind !== 'constant' || type.kind !== 'subrange' || typeof c.value !== 'bigint') return c;
  if (c.value >= type.low && c.value <= type.high) return c;
  if (!quiet)
    scope.project.problems.error(
      'OUT_OF_RANGE',
      `${c.value} is outside ${typeText(type)} (${type.low}..${type.high}).`,
      c.at,
    );
  return invalid(c.at);
}

/** A literal as its place wants it: a number of that kind if it fits, else as `settle` says. */
export function settleAs(scope: PouScope, c: Checked, wanted: Type | undefined): Checked {
  const suits =
    wanted &&
    ((c.type.kind === 'anyInt' && (isInteger(wanted) || isReal(wanted))) ||
      (c.type.kind === 'anyReal' && isReal(wanted)));
  const fit = suits ? coerce(scope, c, elementary(baseOf(wanted)!), true) : c;
  return fit.kind === 'invalid' ? settle(scope, c) : settle(scope, fit);
}

/** A literal that nothing gave a type: DINT (LINT when it must be), LREAL. */
export function settle(scope: PouScope, c: Checked): Checked {
  if (c.type.kind === 'anyReal') return coerce(scope, c, elementary('LREAL'));
  if (c.type.kind === 'anyInt')
    return coerce(scope, c, elementary(c.kind === 'constant' && !fits(c.value as bigint, 'DINT') ? 'LINT' : 'DINT'));
  return c;
}
