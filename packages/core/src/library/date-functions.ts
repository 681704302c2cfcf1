/** Functions on durations and points in time (tables 35 and 36). */
import type { Span } from '../language/source.js';
import type { BinaryOp } from '../language/tree.js';
import { type ElementaryName, baseOf, elementary, isDate, typeText } from '../types/type.js';
import type { Checked } from '../check/checked.js';
import { combine, constant, invalid } from '../check/expressions.js';
import type { PouScope } from '../check/scope.js';

const DAY = 86_400_000_000_000n;

/** Named forms of the operators. */
const OPERATORS: Readonly<Record<string, BinaryOp>> = {
  ADD_TIME: '+', ADD_LTIME: '+', ADD_TOD_TIME: '+', ADD_LTOD_LTIME: '+', ADD_DT_TIME: '+', ADD_LDT_LTIME: '+', SUB_TIME: '-', SUB_LTIME: '-', SUB_DATE_DATE: '-', SUB_LDATE_LDATE: '-', SUB_TOD_TIME: '-', SUB_LTOD_LTIME: '-',
  SUB_TOD_TOD: '-', SUB_LTOD_LTOD: '-', SUB_DT_TIME: '-', SUB_LDT_LTIME: '-', SUB_DT_DT: '-', SUB_LDT_LDT: '-', MUL_TIME: '*', MUL_LTIME: '*', MULTIME: '*', DIV_TIME: '/', DIV_LTIME: '/', DIVTIME: '/',
};
const OTHERS = new Set(['CONCAT_DATE_TOD', 'CONCAT_DATE_LTOD', 'DAY_OF_WEEK']);
const PART = /^(?:L?DT|L?DATE_AND_TIME)_TO_(L?DATE|L?TOD|L?TIME_OF_DAY)$/;

export const isDateFunction = (name: string): boolean => name in OPERATORS || OTHERS.has(name) || PART.test(name);

/** Checks a call; `values` are its arguments in order, none of them invalid. */
export function checkDateFunction(scope: PouScope, name: string, values: readonly Checked[], at: Span): Checked {
  const { problems } = scope.project;
  const wanted = OPERATORS[name] || name.startsWith('CONCAT') ? 2 : 1;
  if (values.length !== wanted) {
    problems.error('WRONG_ARGUMENTS', `'${name}' takes ${wanted} argument${wanted > 1 ? 's' : ''}, but ${values.length} ${values.length === 1 ? 'is' : 'are'} given.`, at);
    return invalid(at);
  }
  const op = OPERATORS[name];
  if (op) return combine(scope, op, values[0]!, values[1]!, at, at);
  for (const v of values) {
    if (isDate(v.type)) continue;
    problems.error('TYPE_MISMATCH', `'${name}' needs a date here, but this is ${typeText(v.type)}.`, v.at);
    return invalid(at);
  }
  const [a, b] = values.map((v): Checked => ({ kind: 'convert', arg: v, type: elementary('LINT'), at })) as [Checked, Checked];
  const number = (n: bigint) => constant(n, elementary('LINT'), at);
  const binary = (o: BinaryOp, l: Checked, r: Checked): Checked => ({ kind: 'binary', op: o, left: l, right: r, type: elementary('LINT'), at });
  const to = (v: Checked, type: ElementaryName): Checked => ({ kind: 'convert', arg: v, type: elementary(type), at });
  // Days before 1970 count down: the remainder is made positive first.
  const inDay = (v: Checked) => binary('MOD', binary('+', binary('MOD', v, number(DAY)), number(DAY)), number(DAY));
  if (name === 'DAY_OF_WEEK') return to(binary('MOD', binary('+', binary('/', binary('-', a, inDay(a)), number(DAY)), number(700_000_004n)), number(7n)), 'INT');
  if (name.startsWith('CONCAT')) return to(binary('+', a, b), baseOf(values[0]!.type)!.startsWith('L') || name.endsWith('LTOD') ? 'LDT' : 'DT');
  const part = PART.exec(name)![1]!.replace('TIME_OF_DAY', 'TOD') as ElementaryName;
  return to(part.endsWith('DATE') ? binary('-', a, inDay(a)) : inDay(a), part);
}
