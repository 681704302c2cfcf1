/** The lint rules as data, and their one runner. Order is the order of reports. */
import type { Diagnostic } from '../../language/diagnostic.js';
import type { CheckedProgram } from '../checked.js';
import { doubleCoil } from './double-coil.js';
import { neverWritten } from './never-written.js';
import { realEquality } from './real-equality.js';
import type { Rule } from './rule.js';
import { unusedTag } from './unused-tag.js';

export const LINT_RULES: readonly Rule[] = [doubleCoil, unusedTag, neverWritten, realEquality];

/** Runs every rule; each report is a warning. */
export function lint(program: CheckedProgram): Diagnostic[] {
  const found: Diagnostic[] = [];
  for (const rule of LINT_RULES) {
    rule.check(program, (at, message, related) => found.push({ severity: 'warning', code: rule.code, message, at, ...(related ? { related } : {}) }));
  }
  return found;
}
