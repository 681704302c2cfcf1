/** By the plan: what may end a step on the way to the one that followed it. */
import type { Sequence } from '../document/document.js';
import { splitAnd, stepName, wayWords } from '../document/step-names.js';
import { parseCondition, parseSpan } from '../sentences/sentences.js';

export interface Ending {
  readonly kind: 'way' | 'limit';
  /** `DieDown for 300 ms`, `the limit of 4 s`, `at once`. */ readonly said: string;
  /** Parts of the condition with AND between them, as Boolean expressions in structured text. */
  readonly parts: readonly string[];
}

/**
 * The ways and the limit by which a step goes on to another. A limit whose fault is all that it brings names no step:
 * it may stand behind any change.
 * @param from name of the step as its tag tells it, and `to` of the one that followed
 */
export function endingsOf(sequence: Sequence, from: string, to: string): readonly Ending[] {
  const named = (name: string) => sequence.steps.find((s) => stepName(s).toLowerCase() === name.toLowerCase());
  const step = named(from),
    next = named(to);
  if (!step || !next) return [];
  const ways = step.ways
    .filter((w) => w.to === next.id)
    .map((w): Ending => {
      const text = w.when ? parseCondition(w.when).text.trim() : '';
      return {
        kind: 'way',
        said: wayWords(w),
        parts: text ? splitAnd(text) : [],
      };
    });
  return step.limit && step.past?.to === next.id
    ? [...ways, { kind: 'limit', said: `the limit of ${step.limit}`, parts: [] }]
    : ways;
}

/** How long each step is meant to last, in ms, by its name in lower case; those without a time are left out. */
export function expectedMs(sequence: Sequence): ReadonlyMap<string, number> {
  return new Map(
    sequence.steps.flatMap((s): [string, number][] => {
      const span = s.expected ? parseSpan(s.expected) : undefined;
      return span && 'value' in span && 'ns' in span.value
        ? [[stepName(s).toLowerCase(), Number(span.value.ns) / 1e6]]
        : [];
    }),
  );
}
