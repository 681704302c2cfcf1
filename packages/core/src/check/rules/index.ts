/** The lint rules as data, and their one runner. Order is the order of reports. */
import type { Diagnostic } from '../../language/diagnostic.js';
import type { CheckedPou, CheckedProgram } from '../../checked/tree.js';
import { constantCondition } from './constant-condition.js';
import { constantOverflow } from './constant-overflow.js';
import { divisionByZero } from './division-by-zero.js';
import { doubleCoil } from './double-coil.js';
import { loopBounds } from './loop-bounds.js';
import { neverWritten } from './never-written.js';
import { noAddress } from './no-address.js';
import { realEquality } from './real-equality.js';
import type { Level, Rule, WiredEnds } from './rule.js';
import { samePoint } from './same-point.js';
import { setWithoutReset } from './set-without-reset.js';
import { timerUnused } from './timer-unused.js';
import { unreachable } from './unreachable.js';
import { unusedTag } from './unused-tag.js';
import { ownPous } from '../../checked/walk.js';
import { watchdogRisk } from './watchdog-risk.js';
import { writeOrder } from './write-order.js';

export type { Level, Rule } from './rule.js';

export const LINT_RULES: readonly Rule[] = [
  doubleCoil,
  samePoint,
  setWithoutReset,
  timerUnused,
  writeOrder,
  unusedTag,
  neverWritten,
  noAddress,
  realEquality,
  unreachable,
  constantCondition,
  watchdogRisk,
  constantOverflow,
  divisionByZero,
  loopBounds,
];

/** What the rules that look at one POU said of it. */
const said = new WeakMap<CheckedPou, Map<Rule, Omit<Diagnostic, 'severity'>[]>>();

function ofPou(rule: Rule, pou: CheckedPou): readonly Omit<Diagnostic, 'severity'>[] {
  const known = said.get(pou) ?? new Map<Rule, Omit<Diagnostic, 'severity'>[]>();
  said.set(pou, known);
  let list = known.get(rule);
  if (!list) {
    const found: Omit<Diagnostic, 'severity'>[] = [];
    rule.checkPou!(pou, (at, message, related) =>
      found.push({ code: rule.code, message, at, ...(related ? { related } : {}) }),
    );
    known.set(rule, (list = found));
  }
  return list;
}

/**
 * Runs every rule that `levels` does not switch off; a report is a warning unless they say otherwise. `isWhole`:
 * nothing had to be left out for an error. `wires`: those of the machine model.
 */
export function lint(
  program: CheckedProgram,
  levels: Readonly<Record<string, Level>> = {},
  isWhole = true,
  wires: readonly WiredEnds[] = [],
): Diagnostic[] {
  const found: Diagnostic[] = [];
  for (const rule of LINT_RULES) {
    const severity = levels[rule.code] ?? 'warning';
    if (severity === 'off' || (rule.whole && !isWhole)) continue;
    rule.check?.(
      program,
      (at, message, related) => found.push({ severity, code: rule.code, message, at, ...(related ? { related } : {}) }),
      wires,
    );
    if (rule.checkPou)
      for (const pou of ownPous(program)) for (const d of ofPou(rule, pou)) found.push({ ...d, severity });
  }
  return found;
}
