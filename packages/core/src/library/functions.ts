/**
 * Standard functions (clause 6.6.2.5), those that ordinary programs use. Each is checked here and either
 * rewritten to an operator or conversion, or left as a builtin the compiler knows.
 */
import type { Argument, BinaryOp, Expression } from '../language/tree.js';
import type { Span } from '../language/source.js';
import {
  BOOL,
  type ElementaryName,
  type StringType,
  type Type,
  baseOf,
  commonType,
  elementary,
  elementaryByName,
  isBitString,
  isBits,
  isBool,
  isChar,
  isInteger,
  isNumeric,
  isReal,
  isScalar,
  isString,
  isTime,
  sameType,
  typeText,
} from '../types/type.js';
import type { Builtin, Checked, MathName } from '../checked/tree.js';
import { TEXT_MAX } from '../types/memory.js';
import { DATE_FUNCTION_NAMES, checkDateFunction, dateArguments, isDateFunction } from './date-functions.js';
import { TEXT_FUNCTION_NAMES, checkTextFunction, isTextFunction, textArguments } from './text-functions.js';
import { coerce, combine, constant, invalid, settle, settleAs, typeNamed } from '../names/values.js';
import type { PouScope } from '../names/scope.js';

const OPERATORS: Record<string, BinaryOp> = {
  ADD: '+',
  SUB: '-',
  MUL: '*',
  DIV: '/',
  MOD: 'MOD',
  EXPT: '**',
  AND: 'AND',
  OR: 'OR',
  XOR: 'XOR',
  GT: '>',
  GE: '>=',
  EQ: '=',
  LE: '<=',
  LT: '<',
  NE: '<>',
};
/** Inputs of an extensible function; each makes the code one level deeper. */
const MOST = 500;
const EXTENSIBLE = new Set(['ADD', 'MUL', 'AND', 'OR', 'XOR']);
/** Numeric functions of one real number (table 28), by the name of the function that computes them. */
const REAL_FUNCTIONS: Record<string, MathName> = {
  SIN: 'sin',
  COS: 'cos',
  TAN: 'tan',
  ASIN: 'asin',
  ACOS: 'acos',
  ATAN: 'atan',
  EXP: 'exp',
  LN: 'log',
  LOG: 'log10',
};
const OTHERS = new Set([
  'ATAN2',
  'ABS',
  'SQRT',
  'MIN',
  'MAX',
  'LIMIT',
  'SEL',
  'MUX',
  'MOVE',
  'TRUNC',
  'SHL',
  'SHR',
  'ROL',
  'ROR',
  'NOT',
  'IS_VALID',
  'IS_VALID_BCD',
  'TO_BIG_ENDIAN',
  'TO_LITTLE_ENDIAN',
  'FROM_BIG_ENDIAN',
  'FROM_LITTLE_ENDIAN',
  '__NOW',
  '__STEP',
]);
/** Typed forms name the type of their values behind the function: ADD_INT, MAX_REAL (6.6.1.7). */
const TYPED = new Set([
  'ADD',
  'SUB',
  'MUL',
  'DIV',
  'MOD',
  'EXPT',
  'AND',
  'OR',
  'XOR',
  'NOT',
  'GT',
  'GE',
  'EQ',
  'LE',
  'LT',
  'NE',
  'ABS',
  'SQRT',
  'LN',
  'LOG',
  'EXP',
  'SIN',
  'COS',
  'TAN',
  'ASIN',
  'ACOS',
  'ATAN',
  'ATAN2',
  'MIN',
  'MAX',
  'LIMIT',
  'SEL',
  'MUX',
  'MOVE',
  'SHL',
  'SHR',
  'ROL',
  'ROR',
]);
/** Arguments that are not of the named type: selectors and shift counts. */
const FREE_ARGUMENT: Readonly<Record<string, number>> = { SEL: 0, MUX: 0, SHL: 1, SHR: 1, ROL: 1, ROR: 1, EXPT: 1 };

/** Names for "did you mean". */
export const standardFunctionNames = (): string[] =>
  [
    ...Object.keys(OPERATORS),
    ...Object.keys(REAL_FUNCTIONS),
    ...OTHERS,
    ...TEXT_FUNCTION_NAMES,
    ...DATE_FUNCTION_NAMES,
    'LOWER_BOUND',
    'UPPER_BOUND',
    'REF',
  ].filter((n) => !n.startsWith('__'));

function typedForm(name: string): { readonly name: string; readonly type: ElementaryName } | undefined {
  const m = /^([A-Z0-9]+)_([A-Z]+)$/.exec(name);
  const type = m && elementaryByName(m[2]!);
  return m && type && TYPED.has(m[1]!) ? { name: m[1]!, type: type.name } : undefined;
}
const CONVERSION = /^(?:([A-Z_]+?)_)?(TO|TRUNC)_([A-Z_]+)$/;

function conversion(name: string): { from?: ElementaryName; to: ElementaryName; truncate: boolean } | undefined {
  const m = CONVERSION.exec(name.toUpperCase());
  const to = m && elementaryByName(m[3]!);
  const from = m?.[1] ? elementaryByName(m[1]) : undefined;
  if (!m || !to || (m[1] && !from)) return undefined;
  return { ...(from ? { from: from.name } : {}), to: to.name, truncate: m[2] === 'TRUNC' };
}

export function isStandardFunction(name: string): boolean {
  const upper = name.toUpperCase();
  return (
    upper in OPERATORS ||
    upper in REAL_FUNCTIONS ||
    OTHERS.has(upper) ||
    isTextFunction(upper) ||
    isDateFunction(upper) ||
    conversion(upper) !== undefined ||
    bcdConversion(upper) !== undefined ||
    textConversion(upper) !== undefined ||
    (typedForm(upper) !== undefined && !isDateFunction(upper))
  );
}

/** `INT_TO_STRING`, `STRING_TO_INT`, `TO_STRING`, `CHAR_TO_STRING`, `STRING_TO_CHAR` and their wide forms. */
function textConversion(name: string): { readonly from: string | undefined; readonly to: string } | undefined {
  const m = /^(?:([A-Z_]+?)_)?TO_([A-Z_]+)$/.exec(name);
  if (!m) return undefined;
  const text = (n: string | undefined) => n === 'STRING' || n === 'WSTRING';
  return text(m[1]) || text(m[2]) ? { from: m[1], to: m[2]! } : undefined;
}

/** `Colour_TO_INT`: the value behind a name of an enumeration; its type must be one. */
export function checkEnumConversion(
  scope: PouScope,
  name: string,
  args: readonly Argument[],
  at: Span,
): Checked | undefined {
  const m = /^(\w+)_TO_([A-Z]+)$/i.exec(name);
  const type = m && typeNamed(scope, m[1]!);
  const to = m && elementaryByName(m[2]!);
  if (type?.kind !== 'enum' || !to || args.length !== 1) return undefined;
  const v = coerce(scope, scope.project.parts.expression(scope, args[0]!.value, type), type);
  return v.kind === 'invalid' ? v : { kind: 'convert', arg: v, type: to, at };
}

/** Parameter names of the standard's formal calls, in order; extensible inputs are IN1, IN2, …. */
const FORMAL: Record<string, string[]> = {
  ATAN2: ['Y', 'X'],
  LIMIT: ['MN', 'IN', 'MX'],
  SEL: ['G', 'IN0', 'IN1'],
  SHL: ['IN', 'N'],
  SHR: ['IN', 'N'],
  ROL: ['IN', 'N'],
  ROR: ['IN', 'N'],
  MUX: ['K'],
};

/** Checks a call of a standard function. `at` is the whole call. */
export function checkStandardFunction(
  scope: PouScope,
  name: string,
  args: readonly Argument[],
  at: Span,
  wanted?: Type,
): Checked {
  const { problems } = scope.project;
  const upper = name.toUpperCase();
  const typed = isDateFunction(upper) ? undefined : typedForm(upper);
  const ordered = inOrder(typed?.name ?? upper, args);
  const misnamed = args.find((a) => a.name && !isFormal(typed?.name ?? upper, a.name.text.toUpperCase()));
  if (misnamed) {
    problems.error('UNKNOWN_MEMBER', `'${upper}' has no input '${misnamed.name!.text}'.`, misnamed.name!.at);
    return invalid(at);
  }
  // A comparison's or selector's result says nothing about its inputs.
  const hint = wanted && !isBool(wanted) ? wanted : undefined;
  const checked = ordered.map((e) =>
    scope.project.parts.expression(
      scope,
      e,
      typed ? elementary(typed.type) : (hint ?? (EITHER.has(upper) ? wanted : undefined)),
    ),
  );
  const values = typed
    ? checked.map((v, i) =>
        i === FREE_ARGUMENT[typed.name] || (typed.type === 'TIME' && i === 1)
          ? v
          : coerce(scope, v, elementary(typed.type)),
      )
    : checked;
  if (values.some((v) => v.kind === 'invalid')) return invalid(at);
  if (typed) return standard(scope, typed.name, values, at, elementary(typed.type));
  return standard(scope, upper, values, at, wanted);
}

/** Functions whose arguments have the type of the result. */
const EITHER = new Set(['SEL', 'MUX', 'MIN', 'MAX', 'LIMIT', 'MOVE', 'AND', 'OR', 'XOR', 'NOT', 'EQ', 'NE']);

function isFormal(name: string, argument: string): boolean {
  const names = FORMAL[name] ?? textArguments(name) ?? dateArguments(name);
  if (/^IN\d*$/.test(argument)) return !names || names.length === 0 || names.includes(argument) || name === 'MUX';
  return names ? names.includes(argument) : ['X', 'Y', 'N', 'G'].includes(argument);
}

function standard(scope: PouScope, upper: string, values: readonly Checked[], at: Span, wanted?: Type): Checked {
  const { problems } = scope.project;
  const need = (least: number, most = least): boolean => {
    if (values.length >= least && values.length <= most) return true;
    problems.error(
      'WRONG_ARGUMENTS',
      `'${upper}' takes ${least === most ? least : `${least} to ${most}`} argument${least === 1 ? '' : 's'}, but ${values.length} ${values.length === 1 ? 'is' : 'are'} given.`,
      at,
    );
    return false;
  };
  const refuse = (message: string, where = at): Checked => {
    problems.error('TYPE_MISMATCH', message, where);
    return invalid(at);
  };
  const op = OPERATORS[upper];
  if (op) {
    const compares = ['>', '>=', '=', '<=', '<', '<>'].includes(op);
    // NE takes two inputs (table 33), the other comparisons any number.
    if (!need(2, EXTENSIBLE.has(upper) || (compares && upper !== 'NE') ? MOST : 2)) return invalid(at);
    if (!compares)
      return values
        .slice(1)
        .reduce((sum, v) => (sum.kind === 'invalid' ? sum : combine(scope, op, sum, v, at, at)), values[0]!);
    // GT(a, b, c) is a > b AND b > c (table 32).
    const pairs = values.slice(1).map((v, i) => combine(scope, op, values[i]!, v, at, at));
    return pairs.reduce((all, p) =>
      all.kind === 'invalid' || p.kind === 'invalid' ? invalid(at) : combine(scope, 'AND', all, p, at, at),
    );
  }
  if (isTextFunction(upper)) return checkTextFunction(scope, upper, values, at);
  if (isDateFunction(upper)) return checkDateFunction(scope, upper, values, at);
  const text = textConversion(upper);
  if (text) return need(1) ? convertText(scope, upper, values[0]!, text, at) : invalid(at);
  const real = REAL_FUNCTIONS[upper];
  if (real) return need(1) ? realFunction(scope, upper, real, values, at, wanted) : invalid(at);
  if (upper === 'ATAN2') return need(2) ? realFunction(scope, upper, 'atan2', values, at, wanted) : invalid(at);
  const packed = bcdConversion(upper);
  if (packed) return need(1) ? convertBcd(scope, upper, packed, values[0]!, at) : invalid(at);
  const to = conversion(upper);
  if (to) return need(1) ? convert(scope, values[0]!, to, at) : invalid(at);
  switch (upper) {
    case '__NOW':
      return { kind: 'builtin', name: 'NOW', args: [], type: elementary('TIME'), at };
    case '__STEP':
      return { kind: 'builtin', name: 'STEP_NS', args: [], type: elementary('TIME'), at };
    case 'IS_VALID': {
      if (!need(1)) return invalid(at);
      const v = settle(scope, values[0]!);
      // What is not a number differs from itself; infinity minus itself is not a number.
      return isReal(v.type)
        ? combine(
            scope,
            '=',
            { kind: 'binary', op: '-', left: v, right: v, type: v.type, at },
            constant(0, v.type, at),
            at,
            at,
          )
        : refuse(`'IS_VALID' needs a REAL or LREAL, but this is ${typeText(v.type)}.`);
    }
    case 'IS_VALID_BCD': {
      if (!need(1)) return invalid(at);
      const v = values[0]!;
      return isBits(v.type)
        ? builtin('IS_BCD', [coerce(scope, v, elementary('LWORD'))], BOOL, at)
        : refuse(`'IS_VALID_BCD' needs a bit string, but this is ${typeText(v.type)}.`);
    }
    case 'TO_BIG_ENDIAN':
    case 'FROM_BIG_ENDIAN':
    case 'TO_LITTLE_ENDIAN':
    case 'FROM_LITTLE_ENDIAN': {
      if (!need(1)) return invalid(at);
      const v = settle(scope, values[0]!);
      if (!isScalar(v.type)) return refuse(`'${upper}' needs an elementary value, but this is ${typeText(v.type)}.`);
      // Memory is little-endian (choices.md).
      return upper.includes('LITTLE') || isBool(v.type) ? v : builtin('SWAP', [v], v.type, at);
    }
    case 'MOVE':
      return need(1) ? values[0]! : invalid(at);
    case 'NOT': {
      if (!need(1)) return invalid(at);
      const v = values[0]!;
      return isBitString(v.type)
        ? { kind: 'not', arg: v, type: v.type, at }
        : refuse(`NOT needs a BOOL or a bit string, but this is ${typeText(v.type)}.`);
    }
    case 'TRUNC':
      return need(1)
        ? convert(scope, values[0]!, { to: wanted && isInteger(wanted) ? baseOf(wanted)! : 'DINT', truncate: true }, at)
        : invalid(at);
    case 'ABS':
    case 'SQRT': {
      if (!need(1)) return invalid(at);
      const typed = settleAs(
        scope,
        values[0]!,
        upper === 'SQRT' && !(wanted && isReal(wanted)) ? elementary('LREAL') : wanted,
      );
      const v = upper === 'SQRT' && !isReal(typed.type) ? coerce(scope, typed, elementary('LREAL'), true) : typed;
      if (v.kind === 'invalid' || !isNumeric(v.type))
        return refuse(
          `'${upper}' needs a ${upper === 'SQRT' ? 'REAL or LREAL' : 'number'}, but this is ${typeText(values[0]!.type)}.`,
        );
      return builtin(upper, [v], v.type, at);
    }
    case 'MIN':
    case 'MAX': {
      if (!need(2, MOST)) return invalid(at);
      const same = unify(scope, values, at, wanted);
      return same ? same.slice(1).reduce((a, v) => builtin(upper, [a, v], v.type, at), same[0]!) : invalid(at);
    }
    case 'LIMIT': {
      if (!need(3)) return invalid(at);
      const same = unify(scope, values, at, wanted);
      return same
        ? builtin('MIN', [builtin('MAX', [same[1]!, same[0]!], same[0]!.type, at), same[2]!], same[0]!.type, at)
        : invalid(at);
    }
    case 'SEL': {
      if (!need(3)) return invalid(at);
      const g = coerce(scope, values[0]!, BOOL);
      const same = unify(scope, values.slice(1), at, wanted);
      return same && g.kind !== 'invalid' ? builtin('SEL', [g, ...same], same[0]!.type, at) : invalid(at);
    }
    case 'MUX': {
      if (!need(2, MOST)) return invalid(at);
      const k = coerce(scope, settle(scope, values[0]!), elementary('LINT'));
      const same = unify(scope, values.slice(1), at, wanted);
      return same && k.kind !== 'invalid' ? builtin('MUX', [k, ...same], same[0]!.type, at) : invalid(at);
    }
    default: {
      if (!need(2)) return invalid(at);
      const v = values[0]!;
      const n = coerce(scope, settle(scope, values[1]!), elementary('LINT'));
      if (!isBits(v.type))
        return refuse(`'${upper}' shifts BYTE, WORD, DWORD or LWORD, but this is ${typeText(v.type)}.`);
      return n.kind === 'invalid' ? n : builtin(upper as Builtin, [v, n], v.type, at);
    }
  }
}

const builtin = (name: Builtin, args: readonly Checked[], type: Type, at: Span): Checked => ({
  kind: 'builtin',
  name,
  args,
  type,
  at,
});

function inOrder(name: string, args: readonly Argument[]): Expression[] {
  if (!args.some((a) => a.name)) return args.map((a) => a.value);
  const names = FORMAL[name] ?? textArguments(name) ?? dateArguments(name) ?? [];
  const rank = (a: Argument): number => {
    const n = a.name?.text.toUpperCase() ?? '';
    const at = names.indexOf(n);
    return at >= 0 ? at : names.length + Number(/\d+$/.exec(n)?.[0] ?? 0);
  };
  return [...args].sort((a, b) => rank(a) - rank(b)).map((a) => a.value);
}

/** Computed in LREAL; the result has the type of the argument. */
function realFunction(
  scope: PouScope,
  name: string,
  math: MathName,
  values: readonly Checked[],
  at: Span,
  wanted?: Type,
): Checked {
  const long = elementary('LREAL');
  const same =
    values.length > 1
      ? unify(scope, values, at, wanted)
      : [settleAs(scope, values[0]!, wanted && isReal(wanted) ? wanted : long)];
  const type = same?.[0]?.type;
  if (!same || !type || !isReal(type)) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      `'${name}' needs a REAL or LREAL, but this is ${typeText(values[0]!.type)}.`,
      at,
    );
    return invalid(at);
  }
  const single = baseOf(type) === 'REAL';
  const result = builtin(
    math,
    same.map((v): Checked => (single ? { kind: 'convert', arg: v, type: long, at: v.at } : v)),
    long,
    at,
  );
  return single ? { kind: 'convert', arg: result, type, at } : result;
}

/**
 * Between strings and elementary values (choices.md: decimal digits, minus sign, no padding), and between the widths of
 * strings (table 27).
 */
function convertText(
  scope: PouScope,
  name: string,
  value: Checked,
  c: { readonly from: string | undefined; readonly to: string },
  at: Span,
): Checked {
  const { problems } = scope.project;
  const target = elementaryByName(c.to);
  const refuse = (message: string): Checked => {
    problems.error('TYPE_MISMATCH', message, value.at);
    return invalid(at);
  };
  if (!target) {
    const wide = c.to === 'WSTRING';
    if (isString(value.type))
      return c.from === undefined || isString(value.type)
        ? { kind: 'builtin', name: 'WIDTH', args: [value], type: { kind: 'string', wide, max: value.type.max }, at }
        : value;
    const from = c.from ? elementaryByName(c.from) : undefined;
    const v = from ? coerce(scope, value, from) : settle(scope, value);
    if (v.kind === 'invalid') return v;
    if (isInteger(v.type)) return builtin('INT_TEXT', [v], { kind: 'string', wide, max: 24 }, at);
    if (isChar(v.type))
      return coerce(
        scope,
        baseOf(v.type) === (wide ? 'WCHAR' : 'CHAR')
          ? v
          : { kind: 'convert', arg: v, type: elementary(wide ? 'WCHAR' : 'CHAR'), at },
        { kind: 'string', wide, max: 1 },
      );
    return isScalar(v.type) && v.type.kind !== 'enum'
      ? { kind: 'text', arg: v, type: { kind: 'string', wide, max: TEXT_MAX }, at }
      : refuse(`There is no conversion from ${typeText(value.type)} to ${c.to}.`);
  }
  if (!isString(value.type))
    return refuse(`'${name}' needs a ${c.from ?? 'STRING'}, but this is ${typeText(value.type)}.`);
  if (isInteger(target))
    return { kind: 'convert', arg: builtin('TEXT_INT', [value], elementary('LINT'), at), type: target, at };
  if (isChar(target)) {
    const char = builtin('TEXT_CHAR', [value], elementary(value.type.wide ? 'WCHAR' : 'CHAR'), at);
    return sameType(char.type, target) ? char : { kind: 'convert', arg: char, type: target, at };
  }
  return { kind: 'text', arg: value, type: target, at };
}

/** `WORD_BCD_TO_UINT`, `BCD_TO_UINT`, `UINT_TO_BCD_WORD`, `TO_BCD_WORD` (table 26). */
function bcdConversion(
  name: string,
): { readonly from?: ElementaryName; readonly to: ElementaryName; readonly packs: boolean } | undefined {
  const m = /^(?:([A-Z]+)_)?(BCD_TO|TO_BCD)_([A-Z]+)$/.exec(name);
  const from = m?.[1] ? elementaryByName(m[1]) : undefined,
    to = m && elementaryByName(m[3]!);
  if (!m || !to || (m[1] && !from)) return undefined;
  const packs = m[2] === 'TO_BCD';
  if (packs ? !isBits(to) : !isInteger(to)) return undefined;
  return { ...(from ? { from: from.name } : {}), to: to.name, packs };
}

function convertBcd(
  scope: PouScope,
  name: string,
  c: { readonly from?: ElementaryName; readonly to: ElementaryName; readonly packs: boolean },
  value: Checked,
  at: Span,
): Checked {
  const given = c.from
    ? coerce(scope, value, elementary(c.from))
    : c.packs
      ? settle(scope, value)
      : value.type.kind === 'anyInt'
        ? coerce(scope, value, elementary('LWORD'))
        : value;
  if (given.kind === 'invalid') return given;
  if (c.packs ? !isInteger(given.type) : !isBits(given.type)) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      `'${name}' needs ${c.packs ? 'a whole number' : 'a bit string'}, but this is ${typeText(given.type)}.`,
      value.at,
    );
    return invalid(at);
  }
  const wide = elementary(c.packs ? 'ULINT' : 'LWORD');
  const long: Checked = sameType(given.type, wide) ? given : { kind: 'convert', arg: given, type: wide, at };
  return {
    kind: 'convert',
    arg: builtin(c.packs ? 'TO_BCD' : 'FROM_BCD', [long], elementary(c.packs ? 'LWORD' : 'ULINT'), at),
    type: elementary(c.to),
    at,
  };
}

/** All values in their common type; reports when there is none. */
function unify(scope: PouScope, values: readonly Checked[], at: Span, wanted?: Type): Checked[] | undefined {
  const typed = values.filter((v) => v.type.kind !== 'anyInt' && v.type.kind !== 'anyReal');
  let type: Type | undefined = typed[0]?.type;
  if (typed.some((v) => isString(v.type)) && typed.every((v) => isString(v.type) || isChar(v.type))) {
    const strings = typed.filter((v) => isString(v.type)) as (Checked & { type: StringType })[];
    const fixed = strings.filter((v) => v.kind !== 'constant');
    type = {
      kind: 'string',
      wide: (fixed[0] ?? strings[0]!).type.wide,
      max: Math.max(...strings.map((v) => v.type.max)),
    };
    const same = typed.map((v) => coerce(scope, v, type!));
    // Whichever is chosen, the result is as long as the longest can be.
    return same.some((v) => v.kind === 'invalid') ? undefined : same.map((v) => ({ ...v, type: type! }));
  }
  for (const v of typed.slice(1)) {
    if (!type || sameType(type, v.type)) continue;
    const c =
      isScalar(type) && isScalar(v.type) && type.kind !== 'enum' && v.type.kind !== 'enum'
        ? commonType(baseOf(type)!, baseOf(v.type)!)
        : undefined;
    type = c ? elementary(c) : undefined;
  }
  if (!typed.length)
    type =
      wanted && isNumeric(wanted) && isScalar(wanted)
        ? wanted
        : settle(scope, values.find((v) => v.type.kind === 'anyReal') ?? values[0]!).type;
  if (!type) {
    scope.project.problems.error(
      'TYPE_MISMATCH',
      `These values have no common type: ${values.map((v) => typeText(v.type)).join(', ')}.`,
      at,
    );
    return undefined;
  }
  if (isInteger(type) && values.some((v) => v.type.kind === 'anyReal')) type = elementary('REAL');
  const result = values.map((v) => coerce(scope, v, type));
  return result.some((v) => v.kind === 'invalid') ? undefined : result;
}

/**
 * `A_TO_B`, `TO_B`, `A_TRUNC_B` (tables 22 to 27): rounding to nearest even, narrowing keeps the rightmost bits,
 * durations in milliseconds.
 */
function convert(
  scope: PouScope,
  value: Checked,
  c: { from?: ElementaryName; to: ElementaryName; truncate: boolean },
  at: Span,
): Checked {
  const { problems } = scope.project;
  let v =
    value.kind === 'constant' && (value.type.kind === 'anyInt' || value.type.kind === 'anyReal') && c.from
      ? coerce(scope, value, elementary(c.from))
      : settle(scope, value);
  if (c.from && v.kind !== 'invalid') {
    const from = elementary(c.from);
    v =
      v.type.kind === 'enum' && baseOf(v.type) === c.from
        ? v
        : coerce(scope, v.type.kind === 'subrange' ? { ...v, type: elementary(v.type.base) } : v, from);
  }
  if (v.kind === 'invalid') return invalid(at);
  const to = elementary(c.to);
  if (!isScalar(v.type)) {
    problems.error('TYPE_MISMATCH', `A conversion needs an elementary value, but this is ${typeText(v.type)}.`, at);
    return invalid(at);
  }
  if (isTime(to) && isBitString(v.type)) {
    problems.error('TYPE_MISMATCH', `There is no conversion from ${typeText(v.type)} to ${c.to}.`, at);
    return invalid(at);
  }
  if (v.kind === 'constant' && typeof v.value === 'bigint' && isReal(to) && !isTime(v.type))
    return constant(Number(v.value), to, at);
  return { kind: 'convert', arg: v, type: to, at, ...(c.truncate ? { truncate: true } : {}) };
}
