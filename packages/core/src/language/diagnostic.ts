import { type Source, type Span, placeText } from './source.js';

export type Severity = 'error' | 'warning';

/** A problem in the user's program: data, never an exception. `code` is stable; `at` is where it is drawn. */
export interface Diagnostic {
  readonly severity: Severity;
  readonly code: string;
  readonly message: string;
  readonly at: Span;
  readonly related?: readonly { readonly message: string; readonly at: Span }[];
}

/** Collects problems; after `limit` errors the rest is only counted, so broken input cannot flood memory. */
export class Problems {
  readonly list: Diagnostic[] = [];
  private readonly seen = new Map<Source, Set<string>>();
  constructor(private readonly limit = 20_000) {}

  error(code: string, message: string, at: Span, related?: Diagnostic['related']): void {
    this.add({ severity: 'error', code, message, at, ...(related ? { related } : {}) });
  }

  add(diagnostic: Diagnostic): void {
    if (this.list.length >= this.limit) return;
    // One problem a place and code: a follow-up error on the same word helps nobody.
    const { source, start } = diagnostic.at;
    const key = `${diagnostic.code}|${start}`;
    const here = this.seen.get(source);
    if (here?.has(key)) return;
    if (here) here.add(key);
    else this.seen.set(source, new Set([key]));
    this.list.push(diagnostic);
  }

  /** From top to bottom in each source, the sources in the order in which they came. */
  inOrder(): readonly Diagnostic[] {
    const order = new Map<Source, number>();
    for (const d of this.list) if (!order.has(d.at.source)) order.set(d.at.source, order.size);
    return [...this.list].sort((a, b) => order.get(a.at.source)! - order.get(b.at.source)! || a.at.start - b.at.start);
  }

  get hasErrors(): boolean {
    return this.list.some((d) => d.severity === 'error');
  }
}

/** One line of `ferrule check` (cli.md). */
export function diagnosticLine(d: Diagnostic): string {
  return `${placeText(d.at)}: ${d.severity} ${d.code} ${d.message}`;
}

/** The last line of `ferrule check`: always plural (cli.md). */
export function summaryLine(list: readonly Diagnostic[]): string {
  const errors = list.filter((d) => d.severity === 'error').length;
  return `${errors} errors, ${list.length - errors} warnings`;
}

/** Up to `most` names nearest to `wrong`, for "did you mean"; a difference in case only counts as none. */
export function nearest(wrong: string, names: Iterable<string>, most = 1): string[] {
  const w = wrong.toLowerCase();
  const scored: [number, string][] = [];
  for (const name of names) {
    if (Math.abs(name.length - w.length) > 3) continue;
    const d = distance(w, name.toLowerCase());
    if (d <= Math.max(1, Math.round(w.length * 0.4))) scored.push([d, name]);
  }
  scored.sort((a, b) => a[0] - b[0] || a[1].localeCompare(b[1]));
  return scored.slice(0, most).map((s) => s[1]);
}

/** ` Did you mean X?` or nothing. */
export function didYouMean(wrong: string, names: Iterable<string>): string {
  const [best] = nearest(wrong, names);
  return best ? ` Did you mean '${best}'?` : '';
}

function distance(a: string, b: string): number {
  let previous = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    for (let j = 1; j <= b.length; j++) {
      row.push(Math.min(previous[j]! + 1, row[j - 1]! + 1, previous[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
    }
    previous = row;
  }
  return previous[b.length]!;
}
