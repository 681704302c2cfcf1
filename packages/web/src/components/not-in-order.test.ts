import fc from 'fast-check';
import { expect, it } from 'vitest';
import { notInOrder } from './not-in-order.js';

it('of two things with one name that is marked which changed, not its namesake', () => {
  const before = ['contact StartPB', 'contact Running', 'contact StopOK', 'coil Running'];
  expect(notInOrder(before, ['contact StartPB', 'contact !Running', 'contact StopOK', 'coil Running'])).toEqual({
    before: new Set([1]),
    after: new Set([1]),
  });
  expect(notInOrder(['contact A', 'contact B', 'contact A'], ['contact B', 'contact A']).before).toEqual(new Set([0]));
  // What stands at another place is another.
  expect(notInOrder(['contact A', 'contact B'], ['contact B', 'contact A']).after.size).toBe(1);
});

it('law: what is not marked is the same on both sides, in the same order', () => {
  const list = fc.array(fc.constantFrom('a', 'b', 'c', 'd'), { maxLength: 12 });
  fc.assert(
    fc.property(list, list, (before, after) => {
      const marks = notInOrder(before, after);
      expect(before.filter((_, i) => !marks.before.has(i))).toEqual(after.filter((_, i) => !marks.after.has(i)));
      if (before.join() === after.join()) expect(marks.before.size + marks.after.size).toBe(0);
    }),
  );
});
