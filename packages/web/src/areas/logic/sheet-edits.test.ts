/** What the hands do on a sheet of rungs: text put in as it stands, parts taken out, drops. */
import { describe, expect, it } from 'vitest';
import fc from 'fast-check';
import { Problems, makeSource } from '@ferrule/core/language';
import { nodesOf, parseRungLine } from '@ferrule/core/ladder';
import { type Ladder, dropOn, lineAsTyped, lineProblem, takeOutEdit } from './sheet-edits.js';

const sheet = (...lines: string[]): Ladder => ({
  id: 'm',
  name: 'Main',
  language: 'LD',
  kind: 'program',
  rungs: lines.map((line, i) => ({ id: `r${i}`, line })),
});
const LINE = '(A | !B) & T1(PT := 2 s) -> C, set D';

describe('text that makes no rung yet', () => {
  it.each([
    ['insertAfter', 0, 'x >=', '(A & x >= | !B) & T1(PT := 2 s) -> C, set D'],
    ['insertBefore', 2, '(', '(A | !B) & ( & T1(PT := 2 s) -> C, set D'],
    ['replace', 2, 'T2(', '(A | !B) & T2( -> C, set D'],
    ['addLeg', 1, 'y =', '(A | (!B | y =)) & T1(PT := 2 s) -> C, set D'],
    ['addLeg', 3, '-> set', '(A | !B) & T1(PT := 2 s) -> C, set, set D'],
  ] as const)('%s at %i: %s', (where, element, text, line) => {
    expect(lineAsTyped(LINE, { element }, where, text)).toBe(line);
  });
  it('law: what stood there and what was typed are both in the line, wherever it was typed', () => {
    const count = nodesOf(parseRungLine(makeSource('', LINE), new Problems())!.rung).length;
    fc.assert(
      fc.property(
        fc.nat(count - 1),
        fc.constantFrom('insertAfter', 'insertBefore', 'addLeg'),
        fc.string({ minLength: 1 }).filter((t) => t.trim() !== '' && !t.trim().startsWith('->')),
        (element, where, text) => {
          const line = lineAsTyped(LINE, { element }, where, text);
          expect(line).toContain(text);
          for (const name of ['A', '!B', 'T1(PT := 2 s)', 'C', 'set D']) expect(line).toContain(name);
        },
      ),
    );
  });
});

describe('a part taken out', () => {
  it('closes the gap; the only output leaves the rung unfinished; the last thing takes the rung with it', () => {
    const pou = sheet(LINE, 'A & B -> C', '-> C');
    expect(takeOutEdit(pou, pou.rungs[0]!, { element: 4 })).toMatchObject({
      edit: { to: { line: '(A | !B) & T1(PT := 2 s) -> C' } },
      isUnfinished: false,
    });
    const left = takeOutEdit(pou, pou.rungs[1]!, { element: 2 });
    expect(left).toMatchObject({ edit: { to: { line: 'A & B' } }, isUnfinished: true });
    expect(lineProblem('A & B')).toBeDefined();
    expect(takeOutEdit(pou, pou.rungs[2]!, { element: 0 })).toMatchObject({ edit: { kind: 'removeRung' } });
  });
});

describe('drops', () => {
  const pou = sheet('A & B -> C', 'D -> E', 'F & ');
  const coil = { text: '-> C', tag: 'C', pou: 'm', rung: 'r0', cursor: { element: 2 } };
  it('the only coil goes to the outputs of another rung, let go on a contact or a coil; its own is unfinished', () => {
    for (const element of [0, 1])
      expect(dropOn(pou, pou.rungs[1]!, element, 'insertAfter', coil, false)).toMatchObject({
        line: 'D -> E, C',
        edits: [{ to: { line: 'D -> E, C' } }, { id: 'r0', to: { line: 'A & B' } }],
        leaves: 1,
      });
    expect(dropOn(pou, pou.rungs[1]!, 0, 'insertAfter', coil, true)).toMatchObject({ edits: [{ id: 'r1' }] });
  });
  it('an unfinished rung takes what makes it a rung, and else says why not', () => {
    const part = { text: 'A', pou: 'm', rung: 'r0', cursor: { element: 0 } };
    expect(
      dropOn(sheet('A -> B', 'D & E'), { id: 'r1', line: 'D & E' }, 0, 'insertAfter', { text: '-> X' }, false),
    ).toMatchObject({
      line: 'D & E -> X',
    });
    expect(dropOn(pou, pou.rungs[2]!, 0, 'insertAfter', part, false)).toEqual({
      refused: 'This rung is unfinished; mend its line first (Enter).',
    });
  });
  it('on itself nothing is moved, and that is said', () => {
    const part = { text: 'A', pou: 'm', rung: 'r0', cursor: { element: 0 } };
    expect(dropOn(pou, pou.rungs[0]!, 0, 'insertAfter', part, false)).toEqual({ refused: 'It is there already.' });
  });
});
