import { isTime, shortTimes } from './sentences.js';

/**
 * A condition that says itself how long it must hold, as people write it: `after 20 s` and `20 s` (nothing but the
 * time), `TempOK for 5 s`. Undefined where no time stands there.
 */
export function timedCondition(text: string): { readonly when: string; readonly for: string } | undefined {
  const said = shortTimes(text.trim());
  const alone = /^(?:(?:after|for|wait(?:\s+for)?)\s+)?(\S.*)$/i.exec(said)?.[1];
  if (alone !== undefined && isTime(alone)) return { when: '', for: alone };
  const [, when, span] = /^(\S.*?)\s+for\s+(\S.*)$/i.exec(said) ?? [];
  return when !== undefined && span !== undefined && isTime(span) ? { when, for: span } : undefined;
}
