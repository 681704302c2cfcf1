import { describe, expect, it } from 'vitest';
import { lex, parseDuration } from './lexer.js';

const values = (text: string) =>
  lex(text)
    .tokens.slice(0, -1)
    .map((t) => t.value ?? t.text);
const kinds = (text: string) =>
  lex(text)
    .tokens.slice(0, -1)
    .map((t) => t.kind);

describe('literals (tables 5 to 9)', () => {
  it('reads whole numbers in every base, with underscores', () => {
    expect(values('0 12_345 2#1010_0001 8#17 16#Ff')).toEqual([0n, 12345n, 161n, 15n, 255n]);
  });
  it('reads reals with fraction and exponent, and leaves a range alone', () => {
    expect(values('3.25 1.0E3 2e-2')).toEqual([3.25, 1000, 0.02]);
    expect(kinds('1..5')).toEqual(['int', 'sign', 'int']);
  });
  it('reads durations with all units, fractions and overflow of the first unit', () => {
    expect(values('T#1d2h3m4s5ms6us7ns TIME#-1.5s lt#90m T#25h_15m')).toEqual([
      93784005006007n,
      -1500000000n,
      5400000000000n,
      90900000000000n,
    ]);
  });
  it('says what is wrong with a duration', () => {
    expect(parseDuration('5ms1s')).toContain('comes too late');
    expect(parseDuration('1.5s20ms')).toContain('only the last unit');
    expect(parseDuration('5x')).toContain('is not a duration');
  });
  it('reads strings with escapes', () => {
    expect(values("'a$'b$41$N' \"x$00e4\"")).toEqual(["a'bA\n", 'xä']);
  });
  it('reads addresses', () => {
    expect(values('%IX0.3 %qw2 %MD4')).toEqual(['%IX0.3', '%QW2', '%MD4']);
  });
});

describe('comments', () => {
  it('nest, in both styles, and run to the end of the line', () => {
    expect(values('a (* x (* y *) z *) b /* c */ d // e\nf')).toEqual(['a', 'b', 'd', 'f']);
  });
  it('that never close are said so and end the text', () => {
    expect(lex('a (* b').tokens[1]!.message).toContain('never closed');
  });
});

it('never throws, whatever it reads', () => {
  let seed = 7;
  const random = (n: number) => {
    seed = (seed * 1103515245 + 12345) % 2 ** 31;
    return seed % n;
  };
  const signs = [
    '(*',
    '*)',
    '#',
    '$',
    "'",
    '"',
    'T#',
    '16#',
    '..',
    '%I',
    '\u{1F600}',
    '{',
    '\n',
    'a',
    '9',
    '_',
    'E',
    '.',
    ' ',
  ];
  for (let i = 0; i < 500; i++) {
    const text = Array.from({ length: random(30) }, () => signs[random(signs.length)]).join('');
    expect(lex(text).tokens.at(-1)!.kind).toBe('end');
  }
});
