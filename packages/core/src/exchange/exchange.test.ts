import { describe, expect, it } from 'vitest';
import { VcdWriter, csvLine, readStimulus } from '../files.js';
import { engineOf, imageOf, program } from '../../test/support.js';

const image = imageOf(program('a : BOOL; n : INT; t : TIME; r : REAL; m : ARRAY [0..1, 0..1] OF INT;', ';'));
const read = (text: string) => {
  const r = readStimulus(text, image);
  return 'error' in r
    ? r.error
    : r.rows.map((x) => [x.timeNs, ...x.writes.map((w) => `${w.location.path}=${String(w.value)}`)]);
};

describe('a stimulus', () => {
  it('reads rows in order of time; an empty cell leaves its tag alone', () => {
    expect(read('t_ms,P.a,n\n20,1,\n0,0,5\n10.5,,16#10\n')).toEqual([
      [0n, 'P.a=false', 'n=5'],
      [10_500_000n, 'n=16'],
      [20_000_000n, 'P.a=true'],
    ]);
  });
  it('takes a byte-order mark, CRLF, quotes, blank lines and durations', () => {
    expect(read('\ufefft_ms,t,"m[1,0]"\r\n"0",T#1s,7\r\n\r\n5,250,\r\n')).toEqual([
      [0n, 't=1000000000', 'm[1,0]=7'],
      [5_000_000n, 't=250000000'],
    ]);
  });
  it.each([
    ['time,a\n0,1', "must start with 't_ms'"],
    ['t_ms,a\n-5,1', "line 2: '-5' is not a time"],
    ['t_ms,a\n0,1,1', 'line 2: 3 cells, but the header has 2'],
    ['t_ms,a\n0,2', "line 2, a: '2' is not a BOOL"],
    ['t_ms,r\n0,x', "line 2, r: 'x' is not a number"],
    ['t_ms,m\n0,1', 'cannot be written as a whole'],
    ['t_ms,"a\n0,1', 'line'],
  ])('%j is refused with its line', (text, message) => {
    expect(read(text)).toContain(message);
  });
});

it('CSV cells are quoted where they must be', () => {
  expect(csvLine(['a', 'm[1,2]', 'say "x"', 'two\nlines', ''])).toBe('a,"m[1,2]","say ""x""","two\nlines",');
});

describe('VCD', () => {
  const e = engineOf(program('a : BOOL; n : INT := -2; r : REAL := 1.5;', ';'));
  const column = (name: string) => ({ name, location: e.locate(`P.${name}`) });
  it('declares each tag by its width and writes changes only', () => {
    const w = new VcdWriter([column('a'), column('n'), column('r')]);
    expect(w.header).toContain('$var wire 1 ! a $end\n$var wire 16 " n $end\n$var real 64 # r $end');
    expect(w.row(0n, [false, -2n, 1.5])).toBe('#0\n0!\nb1111111111111110 "\nr1.5 #\n');
    expect(w.row(10n, [false, -2n, 1.5])).toBe('');
    expect(w.row(20n, [true, -2n, 1.5])).toBe('#20\n1!\n');
  });
  it('has an identifier for any number of tags', () => {
    const ids = [
      ...new VcdWriter(Array.from({ length: 300 }, () => column('a'))).header.matchAll(/\$var wire 1 (\S+) a/g),
    ].map((m) => m[1]);
    expect(new Set(ids).size).toBe(300);
  });
});
