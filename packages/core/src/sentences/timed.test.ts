import { describe, expect, it } from 'vitest';
import { timedCondition } from './timed.js';

describe('a condition that says its time', () => {
  it.each([
    ['after 20 s', '', '20 s'],
    ['20 s', '', '20 s'],
    ['wait for 1.5 s', '', '1.5 s'],
    ['After 300 ms', '', '300 ms'],
    ['TempOK for 5 s', 'TempOK', '5 s'],
    ['Level > 3 AND NOT Full for 2 min', 'Level > 3 AND NOT Full', '2 min'],
  ])('%s', (text, when, span) => expect(timedCondition(text)).toEqual({ when, for: span }));
  it.each(['TempOK', 'Level > 20', 'after', 'Ready for', 'WaitDone', 'A for B', '', '20'])('%s says none', (text) =>
    expect(timedCondition(text)).toBe(undefined),
  );
});
