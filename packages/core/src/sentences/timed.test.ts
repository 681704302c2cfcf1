import { describe, expect, it } from 'vitest';
import { isTime, parseExpect, parseSpan, parseWhen, shortTimes } from './sentences.js';
import { timedCondition } from './timed.js';

describe('a condition that says its time', () => {
  it.each([
    ['after 20 s', '', '20 s'],
    ['20 s', '', '20 s'],
    ['wait for 1.5 s', '', '1.5 s'],
    ['After 300 ms', '', '300 ms'],
    ['TempOK for 5 s', 'TempOK', '5 s'],
    ['after 20 seconds', '', '20 s'],
    ['TempOK for 2 minutes', 'TempOK', '2 min'],
    ['wait 1 h 30 min', '', '1 h 30 min'],
    ['Level > 3 AND NOT Full for 2 min', 'Level > 3 AND NOT Full', '2 min'],
  ])('%s', (text, when, span) => expect(timedCondition(text)).toEqual({ when, for: span }));
  it.each(['TempOK', 'for 3 scans', 'for -5 s', 'Level > 20', 'after', 'Ready for', 'WaitDone', 'A for B', '', '20'])(
    '%s says none',
    (text) => expect(timedCondition(text)).toBe(undefined),
  );
});

describe('units written out', () => {
  it('are the short ones, in a length of time and in a sentence', () => {
    const minutes = (n: number) => ({ value: { ns: BigInt(n) * 60_000_000_000n } });
    expect(parseSpan('2 minutes')).toEqual(minutes(2));
    expect(parseSpan('1 hour 30 mins')).toEqual(minutes(90));
    expect(parseSpan('1 h 30 min')).toEqual(minutes(90));
    expect(parseSpan('T#2m')).toEqual(minutes(2));
    expect(parseSpan('90 secs')).toEqual({ value: { ns: 90_000_000_000n } });
    expect(parseWhen('after 2 seconds')).toEqual(parseWhen('after 2 s'));
    expect(parseExpect('Motor is on within 300 milliseconds')).toEqual(parseExpect('Motor is on within 300 ms'));
  });
  it('names and numbers that only look like them stay', () => {
    for (const text of ['Minutes > 2', 'Speed2 seconds', 'Level = 2 AND Seconds > 3', 'T#2m', 'x.1 second'])
      expect(shortTimes(text)).toBe(text);
  });
  it('a timer has no number of scans and no time below nothing', () => {
    expect(['3 scans', '-5 s', 'soon', '20'].filter(isTime)).toEqual([]);
    expect(['0 s', '1.5 s', '20 seconds', 'T#1h30m'].filter(isTime).length).toBe(4);
  });
});
