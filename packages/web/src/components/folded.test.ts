import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { folded } from './folded.js';

const lines = (n: number) => Array.from({ length: n }, (_, i) => `${i + 1}\n`).join('');
describe('what is the same between two changes', () => {
  it('keeps three lines beside each change, and says how many it leaves out', () => {
    expect(folded(lines(20), { isFirst: false, isLast: false })).toEqual({
      head: '1\n2\n3',
      hidden: 14,
      tail: '18\n19\n20\n',
    });
    expect(folded(lines(20), { isFirst: true, isLast: false })).toEqual({ head: '', hidden: 17, tail: '18\n19\n20\n' });
    expect(folded(lines(20), { isFirst: false, isLast: true })).toEqual({ head: '1\n2\n3', hidden: 17, tail: '' });
    // A few lines are not worth it.
    expect(folded(lines(9), { isFirst: false, isLast: false })).toEqual({ head: lines(9), hidden: 0, tail: '' });
  });
  it('law: no line is lost', () => {
    fc.assert(
      fc.property(
        fc.array(fc.stringMatching(/^[a-z ]*$/), { maxLength: 40 }),
        fc.boolean(),
        fc.boolean(),
        (all, isFirst, isLast) => {
          const text = all.join('\n'),
            f = folded(text, { isFirst, isLast }),
            count = (t: string) => (t === '' ? 0 : t.split('\n').length);
          expect(text.startsWith(f.head) && text.endsWith(f.tail)).toBe(true);
          if (!f.hidden) {
            expect(f.head).toBe(text);
            return;
          }
          // Lines of the head, of the tail and those left out are all there are.
          const kept = (isFirst ? 0 : 3) + (isLast ? 0 : 4);
          expect(f.hidden + kept).toBe(count(text) - (isLast && all.at(-1) === '' ? 1 : 0));
        },
      ),
    );
  });
});
