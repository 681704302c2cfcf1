/** What a newcomer writes first: answered with the line that does it. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Problems } from '../language/diagnostic.js';
import { makeSource } from '../language/source.js';
import { parseRungLine } from './parse.js';

const problemsOf = (line: string) => {
  const problems = new Problems();
  const rung = parseRungLine(makeSource('', line), problems);
  return { rung, list: problems.list };
};

describe('what is written first', () => {
  it.each([
    ['-> -Lb', '-> reset Lb'],
    ['-> +La', '-> set La'],
    ['A & B -> C, -D', 'A & B -> C, reset D'],
    ['A -> S Lamp', 'A -> set Lamp'],
    ['A -> (R) Lamp', 'A -> reset Lamp'],
    ['A => Lamp', 'A -> Lamp'],
    ['A -> Lamp;', 'A -> Lamp'],
    ['A -> (Lamp)', 'A -> Lamp'],
    ['/A -> Lamp', '!A -> Lamp'],
    ['A & -B -> Lamp', 'A & !B -> Lamp'],
    ['A B -> Lamp', 'A & B -> Lamp'],
    ['A B !C -> Lamp', 'A & B & !C -> Lamp'],
    ['A, B -> Lamp', 'A & B -> Lamp'],
    ['A -> N := N + 1', 'A -> { N := N + 1; }'],
    ['N := 3 -> Lamp', '-> Lamp, { N := 3; }'],
    ['A - > Lamp', 'A -> Lamp'],
    ['A → Lamp', 'A -> Lamp'],
    ['A —> Lamp', 'A -> Lamp'],
    ['A && B -> Lamp', 'A & B -> Lamp'],
    ['A || B -> Lamp', 'A | B -> Lamp'],
    ['A -> not Lamp', 'A -> !Lamp'],
    ['A -> B -> Lamp', 'A -> B, Lamp'],
    ['A -> B; Lamp', 'A -> B, Lamp'],
    ['A -> B & Lamp', 'A -> B, Lamp'],
    ['A -> set B Lamp', 'A -> set B, Lamp'],
    ['A -> T1:TON(PT := 20 s) -> Lamp', 'A & T1:TON(PT := 20 s) -> Lamp'],
    ['A | B -> T1(PT := 20 s) -> Lamp', '(A | B) & T1(PT := 20 s) -> Lamp'],
    ['A & T1(PT := 5 sec) -> Lamp', 'A & T1(PT := 5 s) -> Lamp'],
    ['A & T1(PT := 2 minutes) -> Lamp', 'A & T1(PT := 2 min) -> Lamp'],
    ['A -> T1:TON(PT := 20 sec) -> Lamp', 'A & T1:TON(PT := 20 s) -> Lamp'],
    ['/A B -> Lamp', '!A & B -> Lamp'],
    ['A XOR B -> Lamp', '(A & !B | !A & B) -> Lamp'],
    ['Lamp := A AND NOT B;', 'A AND !B -> Lamp'],
  ])('%s is answered with %s', (line, instead) => {
    const { rung, list } = problemsOf(line);
    expect(rung).toBeUndefined();
    expect(list.map((d) => d.instead)).toEqual([instead]);
    expect(list[0]!.message).toContain(`Write ${instead}`);
    expect(problemsOf(instead).list).toEqual([]);
  });
  it.each([
    ['OnPB', 'A rung needs an output behind an arrow, such as OnPB -> Lamp.'],
    ['OnPB & !Guard', 'A rung needs an output behind an arrow, such as OnPB & !Guard -> Lamp.'],
    ['A -> T1:TON(PT := 2 s)', 'A block stands before the output, such as A & T1:TON(PT := 2 s) -> Lamp.'],
    ['A | B -> T1(PT := 2 s)', 'A block stands before the output, such as (A | B) & T1(PT := 2 s) -> Lamp.'],
    ['A & B ->', 'Behind the arrow stands an output, such as A & B -> Lamp.'],
    [
      'IF A THEN Lamp := TRUE; END_IF',
      'A rung is one line of contacts and outputs, such as A & !B -> C. Statements stand in a program in structured text.',
    ],
    ['A | B) -> Lamp', "There is no '(' that this ')' closes."],
    ['', 'The rung is empty: write its contacts, an arrow and its output, such as A & !B -> C.'],
  ])('%s cannot be finished by anybody else, and an example shows how', (line, message) => {
    expect(problemsOf(line).list).toMatchObject([{ message }]);
    expect(problemsOf(line).list[0]!.instead).toBeUndefined();
  });
  it('law: what is offered is a rung, whatever was typed', () => {
    const piece = fc.constantFrom(
      'A',
      'B.1',
      '&',
      '|',
      '!',
      '->',
      '=>',
      '(',
      ')',
      '-',
      '+',
      '/',
      ';',
      ',',
      ':=',
      '3',
      'set',
      'S',
      'NOT',
      'XOR',
      '&&',
      '→',
      'T1(PT := 5 sec)',
      'T1:TON(PT := 1 s)',
      '{',
      '}',
      ' ',
      "'",
      '^',
    );
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 12 }), (pieces) => {
        const { rung, list } = problemsOf(pieces.join(' '));
        if (rung) return;
        expect(list.length).toBeGreaterThan(0);
        for (const d of list) if (d.instead !== undefined) expect(problemsOf(d.instead).rung).toBeDefined();
      }),
      { numRuns: 3000 },
    );
  });
});

it('a line of any length is answered at once, in the parser’s own words where it is long', () => {
  for (const line of [
    `${'Abc '.repeat(10_000)}`,
    `A ${' '.repeat(20_000)}->`,
    `A := ${'b + '.repeat(5_000)}`,
    'A, '.repeat(10_000),
  ]) {
    const { rung, list } = problemsOf(line);
    expect([rung, list.some((d) => d.instead !== undefined)]).toEqual([undefined, false]);
  }
});
