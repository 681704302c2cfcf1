import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  OWN_SECTIONS,
  type OwnRow,
  addOwn,
  changeOwn,
  isSameRows,
  mayKeep,
  moveOwn,
  readOwn,
  removeOwn,
} from './own-table.js';

const TEXT = `VAR_INPUT
  Go : BOOL; (* starts it *)
  A, B : INT := 3; // both
END_VAR
VAR RETAIN
  Total : ARRAY[1..3] OF INT := [1, 2, 3];
END_VAR
`;
const shown = (text: string) =>
  readOwn(text)?.map((r) => [r.section, r.keeps ?? '', r.name, r.type, r.initial ?? '', r.description ?? ''].join('|'));

describe('own variables as rows', () => {
  it('are read with section, type, value and comment; a name of several is a row of its own', () => {
    expect(shown(TEXT)).toEqual([
      'VAR_INPUT||Go|BOOL||starts it',
      'VAR_INPUT||A|INT|3|both',
      'VAR_INPUT||B|INT|3|both',
      'VAR|RETAIN|Total|ARRAY[1..3] OF INT|[1, 2, 3]|',
    ]);
    expect(TEXT.slice(readOwn(TEXT)![2]!.at).startsWith('B')).toBe(true);
  });
  it('what no row can show is left to the text', () => {
    for (const t of [
      'VAR A AT %MX0.0 : BOOL; END_VAR',
      'VAR A : BOOL END_VAR',
      'VAR A : STRUCT x : INT; END_STRUCT; END_VAR',
      'A : BOOL;',
      'VAR PUBLIC A : BOOL; END_VAR',
    ])
      expect(readOwn(t)).toBeUndefined();
    expect(readOwn('')).toEqual([]);
  });
  it('a change touches its own row only', () => {
    expect(changeOwn(TEXT, 0, { type: 'DINT', initial: '7' })).toBe(TEXT.replace('Go : BOOL;', 'Go : DINT := 7;'));
    expect(changeOwn(TEXT, 0, { description: '' })).toBe(TEXT.replace(' (* starts it *)', ''));
    expect(shown(changeOwn(TEXT, 2, { type: 'REAL', initial: '' }))!.slice(1, 3)).toEqual([
      'VAR_INPUT||A|INT|3|both',
      'VAR_INPUT||B|REAL||both',
    ]);
    expect(shown(changeOwn(TEXT, 1, { section: 'VAR_OUTPUT' }))).toEqual([
      'VAR_INPUT||Go|BOOL||starts it',
      'VAR_INPUT||B|INT|3|both',
      'VAR|RETAIN|Total|ARRAY[1..3] OF INT|[1, 2, 3]|',
      'VAR_OUTPUT||A|INT|3|both',
    ]);
    expect(shown(changeOwn(TEXT, 3, { keeps: '' }))!.at(-1)).toBe('VAR||Total|ARRAY[1..3] OF INT|[1, 2, 3]|');
  });
  it('rows are added, moved and taken out', () => {
    expect(shown(addOwn('', { section: 'VAR', name: 'N', type: 'TON' }))).toEqual(['VAR||N|TON||']);
    expect(shown(addOwn(TEXT, { section: 'VAR_INPUT', name: 'N', type: 'INT', initial: '1' }))![3]).toBe(
      'VAR_INPUT||N|INT|1|',
    );
    expect(removeOwn(TEXT, 0)).toBe(TEXT.replace('\n  Go : BOOL; (* starts it *)', ''));
    expect(readOwn(moveOwn(TEXT, 0, 1))!.map((r) => r.name)).toEqual(['A', 'Go', 'B', 'Total']);
    expect(moveOwn(TEXT, 2, 1)).toBe(TEXT);
    expect(moveOwn(TEXT, 0, -1)).toBe(TEXT);
  });
  it('what cannot be kept is not, a comment to the end of its line takes nothing with it, a cell holds one thing only', () => {
    expect(shown(changeOwn(TEXT, 3, { section: 'VAR_TEMP' }))!.at(-1)).toBe(
      'VAR_TEMP||Total|ARRAY[1..3] OF INT|[1, 2, 3]|',
    );
    expect(mayKeep('VAR_OUTPUT')).toEqual(['RETAIN']);
    const line = 'VAR A : INT; B : BOOL; // second\nEND_VAR\n';
    expect(shown(moveOwn(line, 0, 1))).toEqual(['VAR||B|BOOL||second', 'VAR||A|INT||']);
    for (const type of ['INT;', 'INT; x : BOOL', 'INT END_VAR', '(* '])
      expect(isSameRows(TEXT, changeOwn(TEXT, 0, { type }))).toBe(false);
    expect(isSameRows(TEXT, changeOwn(TEXT, 0, { type: 'STRING[20]', initial: "'a;b'" }))).toBe(true);
  });
  it('law: after any change every other row is what it was', () => {
    const name = fc.integer({ min: 0, max: 999 }).map((n) => `V${n}`);
    const row = fc.record({
      section: fc.constantFrom(...OWN_SECTIONS),
      type: fc.constantFrom('BOOL', 'ARRAY[0..4] OF INT', 'STRING[20]', 'TON'),
      initial: fc.constantFrom(undefined, '1', "'a;b'", '[1, 2(0)]'),
      description: fc.constantFrom(undefined, 'what it is', 'a; b : c'),
    });
    fc.assert(
      fc.property(
        fc
          .uniqueArray(name, { minLength: 1, maxLength: 6 })
          .chain((names) => fc.tuple(...names.map((n) => row.map((r) => ({ name: n, ...r }) as Omit<OwnRow, 'at'>)))),
        fc.nat(5),
        row,
        (rows, at, to) => {
          const text = rows.reduce(addOwn, '');
          const before = readOwn(text)!;
          expect(before.length).toBe(rows.length);
          const i = at % rows.length,
            strip = (list: readonly OwnRow[]) => list.map(({ at: _, ...r }) => JSON.stringify(r)).sort();
          const others = before.filter((_, k) => k !== i);
          const next = readOwn(
            changeOwn(text, i, {
              section: to.section,
              type: to.type,
              initial: to.initial ?? '',
              description: to.description ?? '',
            }),
          )!;
          const mine = next.find((r) => r.name === before[i]!.name)!;
          expect(strip(next.filter((r) => r !== mine))).toEqual(strip(others));
          expect([mine.section, mine.type, mine.initial, mine.description]).toEqual([
            to.section,
            to.type,
            to.initial,
            to.description,
          ]);
          expect(strip(readOwn(removeOwn(text, i))!)).toEqual(strip(others));
        },
      ),
      { numRuns: 200 },
    );
  });
});
