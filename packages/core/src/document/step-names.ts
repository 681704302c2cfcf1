/** What the steps of a plan are called in logic, and the parts of what they wait for. */
import { shortened } from './short.js';
import type { PlanStep, Sequence, Way } from './document.js';

/** Names made of words are as long as this at most, so that those made of several still fit. */
const LONGEST_NAME = 48;
export const word = (text: string): string =>
  shortened(
    text
      .replace(/[^A-Za-z0-9_]+/g, ' ')
      .trim()
      .split(' ')
      .map((w, i) => (i ? w.charAt(0).toUpperCase() + w.slice(1) : w))
      .join('')
      .replace(/^(\d)/, '_$1') || 'Step',
    LONGEST_NAME,
    '_',
  );
const names = new WeakMap<PlanStep, string>();
/** The name of a step as an identifier. Asked for again and again, so it is kept. */
export const stepName = (s: PlanStep): string => {
  let n = names.get(s);
  if (n === undefined) names.set(s, (n = word(s.name)));
  return n;
};
/** The tag that holds a sequence's step: the one it names, else one made from its name. */
export const stepTagOf = (s: Sequence, all: readonly Sequence[]): string =>
  s.stepTag || (all.indexOf(s) ? `${word(s.name)}Step` : 'Step');
/** What leads on, in words: `DieDown for 300 ms`, `after 20 s`, `at once`. */
export function wayWords({ when, for: span }: Way): string {
  const asked = when?.trim();
  if (asked) return span ? `${asked} for ${span}` : asked;
  return span ? `after ${span}` : 'at once';
}
/** Parts of an AND outside parentheses. */
export function splitAnd(t: string): string[] {
  const parts: string[] = [];
  let depth = 0,
    start = 0;
  for (let i = 0; i < t.length; i++) {
    if (t[i] === '(') depth++;
    else if (t[i] === ')') depth--;
    else if (depth === 0 && /^\s(AND|&)\s/i.test(t.slice(i))) {
      parts.push(t.slice(start, i));
      i += t.slice(i).search(/[A&]/i) + (/^\sAND/i.test(t.slice(i)) ? 3 : 1) - 1;
      start = i + 1;
    }
    if (depth === 0 && /^\sX?OR\s/i.test(t.slice(i))) return [t];
  }
  return [...parts, t.slice(start)].map((p) => p.trim()).filter(Boolean);
}
