/** Laying structured text out: evenly, once and for all, with every token and comment kept. */
import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { OWN_BLOCKS, STANDARD_BLOCKS, formatText, standsLike } from '../language.js';
import { lex } from './lexer.js';
import { RESERVED } from './token-stream.js';
import { generateProgram, seeded } from '../../test/generate.js';

const words = (text: string) => {
  const l = lex(text);
  return {
    tokens: l.tokens.map((t) => (RESERVED.has(t.text.toUpperCase()) ? t.text.toUpperCase() : t.text)),
    comments: l.comments.map((c) => text.slice(c.start, c.end).trimEnd()),
  };
};
const holds = (text: string): void => {
  const once = formatText(text);
  expect(formatText(once)).toBe(once);
  expect(words(once)).toEqual(words(text));
};

const UNEVEN = `function_block Mixer
var_input Start:bool;(* by hand *)
    Level:  REAL:=-1.5;
end_var
VAR
T1:TON; Step :INT;
// what is counted
   LongName : ARRAY[1..3] of INT:=[1,2,3];
END_VAR
if Start and not(Step=3)then
T1(IN:=Start ,PT:=T#3s);
// first
case Step of
0:Step:=1;
1,2..5:
// waits
IF T1.Q THEN
Step:=Step+1;END_IF;


else
Step:=0;
end_case;
elsif Level>-2.0
  AND Level<=3.0 THEN
  Step := MAX(Step,
  2);
end_if;
repeat Step:=Step-1; until Step<0
end_repeat;
for Step:=1 to 3 do
LongName[Step]:=-Step;
end_for;
END_FUNCTION_BLOCK
`;

describe('a line that is being written', () => {
  /** Columns that it begins at, written below `before`. */
  const column = (before: string, line: string): number | undefined => {
    const like = standsLike(before, line);
    if (!like) return undefined;
    const from = before.lastIndexOf('\n', like.at - 1) + 1;
    return /^ */.exec(before.slice(from))![0].length + 2 * like.steps;
  };
  it('stands where laying out would put it: every line of texts that are laid out', () => {
    const texts = [
      UNEVEN,
      ...[...STANDARD_BLOCKS, ...OWN_BLOCKS].map((b) => b.text),
      ...Array.from({ length: 30 }, (_, seed) => generateProgram('P', seeded(seed))),
    ];
    let seen = 0;
    for (const text of texts) {
      const lines = formatText(text).split('\n');
      lines.forEach((line, i) => {
        // A comment stands like what comes below it, which is not written yet.
        if (!i || !line.trim() || /^\s*(\/\/|\(\*|\/\*)/.test(line)) return;
        const before = lines.slice(0, i).join('\n');
        expect([before, line, column(before, line)]).toEqual([before, line, /^ */.exec(line)![0].length]);
        seen++;
      });
    }
    expect(seen).toBeGreaterThan(1000);
  });
  it('goes in behind what opens a block, comes back with what ends it, however far in that stands', () => {
    expect(column('IF a THEN', '')).toBe(2);
    expect(column('    IF a THEN', '')).toBe(6);
    expect(column('    IF a THEN\n          x := 1;', '')).toBe(10);
    expect(column('    IF a THEN\n          x := 1;', 'END_')).toBe(4);
    expect(column('    IF a THEN\n          x := 1;', 'else')).toBe(4);
    expect(column('CASE a OF', '')).toBe(2);
    expect(column('CASE a OF\n  1:', '')).toBe(4);
    expect(column('x := 1 +', '')).toBe(2);
    expect(column('VAR\n  x : INT;', 'end_var')).toBe(0);
  });
  it('is left alone in a comment and at the start', () => {
    expect(standsLike('', 'x')).toBeUndefined();
    expect(standsLike('IF a THEN\n(* one', '')).toBeUndefined();
    expect(column('IF a THEN\n  (* one *)', '')).toBe(2);
  });
});

describe('formatting', () => {
  it('lays out blocks, arms, conditions that go on and declarations', () => {
    expect(formatText(UNEVEN)).toBe(`FUNCTION_BLOCK Mixer
VAR_INPUT Start : bool; (* by hand *)
  Level : REAL := -1.5;
END_VAR
VAR
  T1 : TON; Step : INT;
  // what is counted
  LongName : ARRAY[1..3] OF INT := [1, 2, 3];
END_VAR
IF Start AND NOT (Step = 3) THEN
  T1(IN := Start, PT := T#3s);
  // first
  CASE Step OF
    0: Step := 1;
    1, 2..5:
      // waits
      IF T1.Q THEN
        Step := Step + 1; END_IF;

  ELSE
    Step := 0;
  END_CASE;
ELSIF Level > -2.0
  AND Level <= 3.0 THEN
  Step := MAX(Step,
    2);
END_IF;
REPEAT Step := Step - 1; UNTIL Step < 0
END_REPEAT;
FOR Step := 1 TO 3 DO
  LongName[Step] := -Step;
END_FOR;
END_FUNCTION_BLOCK
`);
  });
  it('leaves what is even as it is', () => {
    const demo = JSON.parse(readFileSync('examples/wire-end-crimp-cell.ferrule.json', 'utf8')) as {
      pous: { language: string; text?: string }[];
    };
    const text = demo.pous.find((p) => p.language === 'ST')!.text!;
    expect(formatText(text)).toBe(text.endsWith('\n') ? text : `${text}\n`);
  });
  it('is idempotent and keeps every token and comment: library, cases, generated programs, broken texts', () => {
    for (const b of [...STANDARD_BLOCKS, ...OWN_BLOCKS]) holds(b.text);
    const folder = 'packages/cli/test/cases/check';
    for (const f of readdirSync(folder, { recursive: true }) as string[])
      if (f.endsWith('.st')) holds(readFileSync(join(folder, f), 'utf8'));
    for (let seed = 1; seed <= 60; seed++) holds(generateProgram('P', seeded(seed)));
    const base = UNEVEN;
    fc.assert(
      fc.property(fc.nat(base.length), fc.nat(base.length), (a, b) => {
        holds(base.slice(0, Math.min(a, b)) + base.slice(Math.max(a, b)));
      }),
      { numRuns: 300 },
    );
  });
});
