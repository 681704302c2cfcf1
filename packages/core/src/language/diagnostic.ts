import { byName } from './words.js';
import { type Source, type Span, placeText } from './source.js';

export type Severity = 'error' | 'warning';

/** A problem in the user's program: data, never an exception. `code` is stable; `at` is where it is drawn. */
export interface Diagnostic {
  readonly severity: Severity;
  readonly code: string;
  readonly message: string;
  readonly at: Span;
  readonly related?: readonly { readonly message: string; readonly at: Span }[];
  /** The text of the whole source that would do what was meant. */
  readonly instead?: string;
  /** It stands in a rung that cannot be read yet: the rung is left out, and all else runs without it. */
  readonly unfinished?: true;
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

  /** Whether what was read can run: there are no errors but in rungs that are left out. */
  get canRun(): boolean {
    return this.list.every((d) => d.severity !== 'error' || d.unfinished);
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
  const w = formOf(wrong),
    limit = Math.max(1, Math.round(w.text.length * 0.4));
  const scored: [number, string][] = [];
  for (const name of names) {
    if (Math.abs(name.length - w.text.length) > Math.min(3, limit)) continue;
    const n = formOf(name);
    // Each letter that the other has not costs a step at least: most names are out by that alone.
    if (bits(w.letters & ~n.letters) > limit || bits(n.letters & ~w.letters) > limit) continue;
    const d = distance(w.text, n.text, limit);
    if (d <= limit) scored.push([d, name]);
  }
  scored.sort((a, b) => a[0] - b[0] || byName(a[1], b[1]));
  return scored.slice(0, most).map((s) => s[1]);
}

/** The words a name is made of: `PumpOn2` is Pump, On, 2. */
const wordsOf = (name: string): readonly string[] => name.match(/[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+/g) ?? [name];
/**
 * Letters that a word must have before two letters exchanged, one too few or many, or another one are likelier a slip
 * than another word.
 */
const EXCHANGED_LETTERS = 4,
  MISSING_LETTERS = 5,
  OTHER_LETTERS = 6;

/**
 * Whether nothing but a slip of the fingers explains `wrong` where `name` was meant: one letter too many, missing or
 * other, or two exchanged, inside a word of some length. Names that differ in a number, in a word's last letter or in a
 * letter that stands alone (Valve1 and Valve2, LampA and LampB) are different names: that is the habit of the trade.
 */
export function isSlip(wrong: string, name: string): boolean {
  const a = wordsOf(wrong),
    b = wordsOf(name);
  // A slip may take the capital that begins a word; then the words cannot be told apart, and the names are compared
  // whole.
  const [w, n] = a.length === b.length ? wordThatDiffers(a, b) : [wrong, name];
  if (w === undefined || n === undefined) return false;
  const x = w.toLowerCase(),
    y = n.toLowerCase();
  const letters = Math.min(x.length, y.length);
  if (x === y || digitsOf(wrong) !== digitsOf(name)) return false;
  if (isExchanged(x, y)) return letters >= EXCHANGED_LETTERS;
  if (x[0] !== y[0] || x.at(-1) !== y.at(-1) || distance(x, y, 1) !== 1) return false;
  // Missing or too many at the end of a word: a plural, a second one.
  return x.length === y.length ? letters >= OTHER_LETTERS : letters >= MISSING_LETTERS;
}
const digitsOf = (name: string): string => name.replace(/\D+/g, ' ').trim();
const wordThatDiffers = (a: readonly string[], b: readonly string[]): readonly (string | undefined)[] => {
  const at = a.flatMap((w, i) => (w.toLowerCase() === b[i]!.toLowerCase() ? [] : [i]));
  return at.length === 1 ? [a[at[0]!], b[at[0]!]] : [];
};
/** Two letters beside each other changed places. */
function isExchanged(a: string, b: string): boolean {
  if (a.length !== b.length) return false;
  const at = [...a].flatMap((c, i) => (c === b[i] ? [] : [i]));
  return at.length === 2 && at[1] === at[0]! + 1 && a[at[0]!] === b[at[1]!] && a[at[1]!] === b[at[0]!];
}

/** The same for names that people make up: only a slip asks whether another was meant. */
export function slipText(wrong: string, names: Iterable<string>): string {
  for (const name of names) if (isSlip(wrong, name)) return ` Did you mean '${name}'?`;
  return '';
}

/** ` Did you mean X?` or nothing. */
export function didYouMean(wrong: string, names: Iterable<string>): string {
  const [best] = nearest(wrong, names);
  return best ? ` Did you mean '${best}'?` : '';
}

interface Form {
  readonly text: string;
  /** A bit for each kind of letter in it. */ readonly letters: number;
}
const forms = new Map<string, Form>();
/** A name in lower case and its letters; kept, since thousands of problems are compared with the same names. */
function formOf(name: string): Form {
  const known = forms.get(name);
  if (known) return known;
  const text = name.toLowerCase();
  let letters = 0;
  for (let i = 0; i < text.length; i++) letters |= 1 << (text.charCodeAt(i) & 31);
  const form = { text, letters };
  if (forms.size >= 50_000) forms.clear();
  forms.set(name, form);
  return form;
}
function bits(n: number): number {
  let count = 0;
  for (; n; n &= n - 1) count++;
  return count;
}

/** Letters more, less or other between two texts; more than `limit` is told as `limit` + 1. */
function distance(a: string, b: string, limit: number): number {
  let previous = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const row = [i];
    let least = i;
    for (let j = 1; j <= b.length; j++) {
      const d = Math.min(previous[j]! + 1, row[j - 1]! + 1, previous[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1));
      row.push(d);
      if (d < least) least = d;
    }
    if (least > limit) return limit + 1;
    previous = row;
  }
  return previous[b.length]!;
}
