/** Functions on durations and points in time (tables 35 and 36). */
import type { Span } from '../language/source.js';
import type { BinaryOp } from '../language/tree.js';
import { type ElementaryName, baseOf, elementary, isDate, isInteger, typeText } from '../types/type.js';
import type { Checked } from '../checked/tree.js';
import { combine, constant, invalid, settle } from '../names/values.js';
import type { PouScope } from '../names/scope.js';

const DAY = 86_400_000_000_000n;

/** Named forms of the operators. */
const OPERATORS: Readonly<Record<string, BinaryOp>> = {
  ADD_TIME: '+',
  ADD_LTIME: '+',
  ADD_TOD_TIME: '+',
  ADD_LTOD_LTIME: '+',
  ADD_DT_TIME: '+',
  ADD_LDT_LTIME: '+',
  SUB_TIME: '-',
  SUB_LTIME: '-',
  SUB_DATE_DATE: '-',
  SUB_LDATE_LDATE: '-',
  SUB_TOD_TIME: '-',
  SUB_LTOD_LTIME: '-',
  SUB_TOD_TOD: '-',
  SUB_LTOD_LTOD: '-',
  SUB_DT_TIME: '-',
  SUB_LDT_LTIME: '-',
  SUB_DT_DT: '-',
  SUB_LDT_LDT: '-',
  MUL_TIME: '*',
  MUL_LTIME: '*',
  MULTIME: '*',
  DIV_TIME: '/',
  DIV_LTIME: '/',
  DIVTIME: '/',
};
const OTHERS = new Set(['CONCAT_DATE_TOD', 'CONCAT_DATE_LTOD', 'DAY_OF_WEEK']);
/** Put together from whole numbers: year, month, day; hour, minute, second, millisecond (table 36). */
const FROM_NUMBERS: Readonly<
  Record<string, { readonly to: ElementaryName; readonly date: boolean; readonly time: boolean }>
> = {
  CONCAT_DATE: { to: 'DATE', date: true, time: false },
  CONCAT_TOD: { to: 'TOD', date: false, time: true },
  CONCAT_LTOD: { to: 'LTOD', date: false, time: true },
  CONCAT_DT: { to: 'DT', date: true, time: true },
  CONCAT_LDT: { to: 'LDT', date: true, time: true },
};
const NAMES_OF_PARTS = ['YEAR', 'MONTH', 'DAY', 'HOUR', 'MINUTE', 'SECOND', 'MILLISECOND'];
const PART = /^(?:L?DT|L?DATE_AND_TIME)_TO_(L?DATE|L?TOD|L?TIME_OF_DAY)$/;

export const isDateFunction = (name: string): boolean =>
  name in OPERATORS || name in FROM_NUMBERS || OTHERS.has(name) || PART.test(name);
export const DATE_FUNCTION_NAMES: readonly string[] = [
  ...Object.keys(OPERATORS),
  ...Object.keys(FROM_NUMBERS),
  ...OTHERS,
];

/** Names of the inputs in a formal call, in order. */
export function dateArguments(name: string): readonly string[] | undefined {
  const numbers = FROM_NUMBERS[name];
  if (numbers) return NAMES_OF_PARTS.filter((_, i) => (i < 3 ? numbers.date : numbers.time));
  return name.startsWith('CONCAT') ? [name.split('_')[1]!, name.split('_')[2]!] : undefined;
}

/** Checks a call; `values` are its arguments in order, none of them invalid. */
export function checkDateFunction(scope: PouScope, name: string, values: readonly Checked[], at: Span): Checked {
  const { problems } = scope.project;
  if (FROM_NUMBERS[name]) return fromNumbers(scope, name, values, at);
  const wanted = OPERATORS[name] || name.startsWith('CONCAT') ? 2 : 1;
  if (values.length !== wanted) {
    problems.error(
      'WRONG_ARGUMENTS',
      `'${name}' takes ${wanted} argument${wanted > 1 ? 's' : ''}, but ${values.length} ${values.length === 1 ? 'is' : 'are'} given.`,
      at,
    );
    return invalid(at);
  }
  const op = OPERATORS[name];
  if (op) return combine(scope, op, values[0]!, values[1]!, at, at);
  for (const v of values) {
    if (isDate(v.type)) continue;
    problems.error('TYPE_MISMATCH', `'${name}' needs a date here, but this is ${typeText(v.type)}.`, v.at);
    return invalid(at);
  }
  const [a, b] = values.map((v): Checked => ({ kind: 'convert', arg: v, type: elementary('LINT'), at })) as [
    Checked,
    Checked,
  ];
  const number = (n: bigint) => constant(n, elementary('LINT'), at);
  const binary = (o: BinaryOp, l: Checked, r: Checked): Checked => ({
    kind: 'binary',
    op: o,
    left: l,
    right: r,
    type: elementary('LINT'),
    at,
  });
  const to = (v: Checked, type: ElementaryName): Checked => ({ kind: 'convert', arg: v, type: elementary(type), at });
  // Days before 1970 count down: the remainder is made positive first.
  const inDay = (v: Checked) => binary('MOD', binary('+', binary('MOD', v, number(DAY)), number(DAY)), number(DAY));
  if (name === 'DAY_OF_WEEK')
    return to(
      binary('MOD', binary('+', binary('/', binary('-', a, inDay(a)), number(DAY)), number(700_000_004n)), number(7n)),
      'INT',
    );
  if (name.startsWith('CONCAT'))
    return to(binary('+', a, b), baseOf(values[0]!.type)!.startsWith('L') || name.endsWith('LTOD') ? 'LDT' : 'DT');
  const part = PART.exec(name)![1]!.replace('TIME_OF_DAY', 'TOD') as ElementaryName;
  return to(part.endsWith('DATE') ? binary('-', a, inDay(a)) : inDay(a), part);
}

const lint = (n: bigint, at: Span) => constant(n, elementary('LINT'), at);
const calculate = (op: BinaryOp, l: Checked, r: Checked): Checked => ({
  kind: 'binary',
  op,
  left: l,
  right: r,
  type: elementary('LINT'),
  at: l.at,
});

function fromNumbers(scope: PouScope, name: string, values: readonly Checked[], at: Span): Checked {
  const { problems } = scope.project;
  const { to, date, time } = FROM_NUMBERS[name]!;
  const names = dateArguments(name)!;
  // The milliseconds may be left out.
  if (values.length < names.length - (time ? 1 : 0) || values.length > names.length) {
    problems.error(
      'WRONG_ARGUMENTS',
      `'${name}' takes ${names.join(', ')}, but ${values.length} ${values.length === 1 ? 'value is' : 'values are'} given.`,
      at,
    );
    return invalid(at);
  }
  const wide = values.map((v): Checked => {
    const n = settle(scope, v);
    if (isInteger(n.type)) return { kind: 'convert', arg: n, type: elementary('LINT'), at: n.at };
    problems.error('TYPE_MISMATCH', `'${name}' needs whole numbers, but this is ${typeText(v.type)}.`, v.at);
    return invalid(v.at);
  });
  if (wide.some((v) => v.kind === 'invalid')) return invalid(at);
  const factors = [3_600_000_000_000n, 60_000_000_000n, 1_000_000_000n, 1_000_000n];
  const clock = wide.slice(date ? 3 : 0).map((v, i) => calculate('*', v, lint(factors[i]!, at)));
  const day: Checked[] = date
    ? [
        calculate(
          '*',
          { kind: 'builtin', name: 'DAYS', args: wide.slice(0, 3), type: elementary('LINT'), at },
          lint(DAY, at),
        ),
      ]
    : [];
  return {
    kind: 'convert',
    arg: [...day, ...clock].reduce((sum, v) => calculate('+', sum, v)),
    type: elementary(to),
    at,
  };
}

export interface SplitPart {
  readonly name: string;
  readonly of: (scope: PouScope, value: Checked, at: Span) => Checked;
}

/** The outputs of SPLIT_DATE, SPLIT_TOD, SPLIT_DT and their long forms (table 36); undefined for any other name. */
export function splitParts(name: string): SplitPart[] | undefined {
  const m = /^SPLIT_(L?)(DATE|TOD|DT)$/i.exec(name);
  if (!m) return undefined;
  const kind = m[2]!.toUpperCase();
  const number = (v: Checked): Checked => ({ kind: 'convert', arg: v, type: elementary('LINT'), at: v.at });
  const inDay = (v: Checked, at: Span) =>
    calculate('MOD', calculate('+', calculate('MOD', number(v), lint(DAY, at)), lint(DAY, at)), lint(DAY, at));
  const civil = (v: Checked, at: Span): Checked => ({
    kind: 'builtin',
    name: 'CIVIL',
    args: [calculate('/', calculate('-', number(v), inDay(v, at)), lint(DAY, at))],
    type: elementary('LINT'),
    at,
  });
  const dates: SplitPart[] = [
    { name: 'YEAR', of: (_, v, at) => calculate('/', civil(v, at), lint(10_000n, at)) },
    { name: 'MONTH', of: (_, v, at) => calculate('MOD', calculate('/', civil(v, at), lint(100n, at)), lint(100n, at)) },
    { name: 'DAY', of: (_, v, at) => calculate('MOD', civil(v, at), lint(100n, at)) },
  ];
  const clock = (unit: bigint, of: bigint) => (_: PouScope, v: Checked, at: Span) =>
    calculate('MOD', calculate('/', inDay(v, at), lint(unit, at)), lint(of, at));
  const times: SplitPart[] = [
    { name: 'HOUR', of: clock(3_600_000_000_000n, 24n) },
    { name: 'MINUTE', of: clock(60_000_000_000n, 60n) },
    { name: 'SECOND', of: clock(1_000_000_000n, 60n) },
    { name: 'MILLISECOND', of: clock(1_000_000n, 1000n) },
  ];
  return kind === 'DATE' ? dates : kind === 'TOD' ? times : [...dates, ...times];
}
