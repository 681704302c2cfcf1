/** String functions (table 33): one or several strings in, a string or a place out. Places count from 1. */
import type { Span } from '../language/source.js';
import { type StringType, type Type, elementary, isChar, isInteger, isString, typeText } from '../types/type.js';
import type { Checked, StringBuiltin } from '../checked/tree.js';
import { coerce, invalid, settle } from '../names/values.js';
import type { PouScope } from '../names/scope.js';

/** Arguments in order: S a string, N a whole number; the result is a string, or a whole number for LEN and FIND. */
const SIGNATURES: Readonly<Record<string, { readonly args: string; readonly names: readonly string[] }>> = {
  LEN: { args: 'S', names: ['IN'] },
  LEFT: { args: 'SN', names: ['IN', 'L'] },
  RIGHT: { args: 'SN', names: ['IN', 'L'] },
  MID: { args: 'SNN', names: ['IN', 'L', 'P'] },
  CONCAT: { args: 'S*', names: [] },
  INSERT: { args: 'SSN', names: ['IN1', 'IN2', 'P'] },
  DELETE: { args: 'SNN', names: ['IN', 'L', 'P'] },
  REPLACE: { args: 'SSNN', names: ['IN1', 'IN2', 'L', 'P'] },
  FIND: { args: 'SS', names: ['IN1', 'IN2'] },
};
const LONGEST = 32767;

export const TEXT_FUNCTION_NAMES: readonly string[] = Object.keys(SIGNATURES);
export const isTextFunction = (name: string): boolean => name in SIGNATURES;
export const textArguments = (name: string): readonly string[] | undefined => SIGNATURES[name]?.names;

/** Checks a call; `values` are its arguments in order, none of them invalid. */
export function checkTextFunction(scope: PouScope, name: string, values: readonly Checked[], at: Span): Checked {
  const { problems } = scope.project;
  const signature = SIGNATURES[name]!;
  const open = signature.args === 'S*';
  if (open ? values.length < 2 : values.length !== signature.args.length) {
    problems.error(
      'WRONG_ARGUMENTS',
      `'${name}' takes ${open ? 'at least 2' : signature.args.length} argument${signature.args.length === 1 ? '' : 's'}, but ${values.length} ${values.length === 1 ? 'is' : 'are'} given.`,
      at,
    );
    return invalid(at);
  }
  // Literals take the width of the others; among themselves they keep their own.
  const fixed = values.filter((v) => v.kind !== 'constant');
  const wide = (fixed.length ? fixed : values).some(
    (v) => (isString(v.type) && v.type.wide) || (isChar(v.type) && typeText(v.type) === 'WCHAR'),
  );
  const string = (v: Checked): Checked => {
    const c = coerce(scope, v, { kind: 'string', wide, max: LONGEST }, true);
    if (c.kind === 'invalid')
      problems.error(
        'TYPE_MISMATCH',
        `'${name}' needs a ${wide ? 'W' : ''}STRING here, but this is ${typeText(v.type)}.`,
        v.at,
      );
    return c;
  };
  const number = (v: Checked): Checked => {
    const n = settle(scope, v);
    if (isInteger(n.type)) return { kind: 'convert', arg: n, type: elementary('DINT'), at: n.at };
    problems.error('TYPE_MISMATCH', `'${name}' needs a whole number here, but this is ${typeText(v.type)}.`, v.at);
    return invalid(v.at);
  };
  const args = values.map((v, i) => ((open ? 'S' : signature.args[i]) === 'S' ? string(v) : number(v)));
  if (args.some((a) => a.kind === 'invalid')) return invalid(at);
  const length = args.reduce((sum, a) => sum + (isString(a.type) ? a.type.max : 0), 0);
  const type: Type =
    name === 'LEN' || name === 'FIND'
      ? elementary('INT')
      : ({ kind: 'string', wide, max: Math.min(Math.max(length, 1), LONGEST) } satisfies StringType);
  return { kind: 'builtin', name: name as StringBuiltin, args, type, at };
}
