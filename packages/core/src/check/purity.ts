/**
 * What an expression would change by being looked at: expressions of checks, rules and conditions must change nothing.
 */
import type { Checked, CheckedPou, CheckedStatement, FunctionCall, Place } from '../checked/tree.js';

/** The variable at the root of a place that outlives a call; undefined for what belongs to the call alone. */
function lasting(p: Place): string | undefined {
  switch (p.kind) {
    case 'variable':
      return p.variable.home.kind === 'local' || p.variable.home.kind === 'frame' ? undefined : p.variable.name;
    case 'target':
      return 'what a reference stands for';
    default:
      return lasting(p.base);
  }
}

const known = new WeakMap<CheckedPou, { readonly changes: string | undefined }>();

/** What a function or method changes beyond its own variables; undefined when nothing. */
function changesOf(pou: CheckedPou, open: ReadonlySet<CheckedPou>): string | undefined {
  const before = known.get(pou);
  if (before) return before.changes;
  // Recursion is an error of its own.
  if (open.has(pou)) return undefined;
  const changes = inStatements(pou.body, new Set([...open, pou]));
  known.set(pou, { changes });
  return changes;
}

function inCall(call: FunctionCall, open: ReadonlySet<CheckedPou>): string | undefined {
  const out = call.outputs.map((o) => lasting(o.to)).find((x) => x !== undefined);
  if (out !== undefined) return out;
  if (call.isVirtual) return 'something that is known only in the run';
  return changesOf(call.pou, open);
}

/** The first change found anywhere in a part of the tree; names, types and places in the text are no part of it. */
function within(node: unknown, open: ReadonlySet<CheckedPou>): string | undefined {
  if (Array.isArray(node)) {
    for (const n of node) {
      const c = within(n, open);
      if (c !== undefined) return c;
    }
    return undefined;
  }
  if (typeof node !== 'object' || node === null) return undefined;
  const n = node as Record<string, unknown>;
  if (n['kind'] === 'call' && n['call']) {
    const c = inCall(n['call'] as FunctionCall, open);
    if (c !== undefined) return c;
  }
  for (const [k, v] of Object.entries(n)) {
    if (k === 'at' || k === 'type' || k === 'variable' || k === 'pou') continue;
    const c = within(v, open);
    if (c !== undefined) return c;
  }
  return undefined;
}

function inStatements(body: readonly CheckedStatement[], open: ReadonlySet<CheckedPou>): string | undefined {
  for (const s of body) {
    const own =
      s.kind === 'assign' || s.kind === 'copy'
        ? lasting(s.target)
        : s.kind === 'blockCall'
          ? (lasting(s.call.instance) ?? s.call.outputs.map((o) => lasting(o.to)).find((x) => x !== undefined))
          : s.kind === 'for'
            ? lasting(s.variable)
            : undefined;
    if (own !== undefined) return own;
    const nested =
      s.kind === 'if'
        ? [...s.branches.map((b) => b.body), s.otherwise ?? []]
        : s.kind === 'case'
          ? [...s.arms.map((a) => a.body), s.otherwise ?? []]
          : s.kind === 'for' || s.kind === 'while' || s.kind === 'repeat' || s.kind === 'rung'
            ? [s.body]
            : [];
    const { body: _, branches, arms: __, otherwise: ___, ...values } = s as Record<string, unknown>;
    const found =
      nested.map((b) => inStatements(b, open)).find((x) => x !== undefined) ??
      within([values, s.kind === 'if' ? (branches as { condition: unknown }[]).map((b) => b.condition) : []], open);
    if (found !== undefined) return found;
  }
  return undefined;
}

/** Name of something that the expression changes, or undefined: then it only looks. */
export const sideEffectOf = (e: Checked): string | undefined => within(e, new Set());
