import { describe, expect, it } from 'vitest';
import { Problems } from './diagnostic.js';
import { parseExpressionText, parseFile } from './parser.js';
import { makeSource, positionOf } from './source.js';
import type { Expression } from './tree.js';

function parse(text: string) {
  const problems = new Problems();
  const declarations = parseFile(makeSource('t.st', text), problems);
  return { declarations, problems: problems.list };
}

/** An expression with its grouping made visible. */
function grouped(text: string): string {
  const show = (e: Expression): string =>
    e.kind === 'binary'
      ? `(${show(e.left)} ${e.op} ${show(e.right)})`
      : e.kind === 'unary'
        ? `${e.op}[${show(e.arg)}]`
        : e.at.source.text.slice(e.at.start, e.at.end);
  return show(parseExpressionText(makeSource('t', text), new Problems()));
}

describe('precedence (table 71)', () => {
  it.each([
    ['a OR b XOR c AND d', '(a OR (b XOR (c AND d)))'],
    ['a & b = c > d', '(a AND (b = (c > d)))'],
    ['1 + 2 * 3 ** 4', '(1 + (2 * (3 ** 4)))'],
    ['a - b - c', '((a - b) - c)'],
    ['NOT a AND b', '(NOT[a] AND b)'],
    ['-x * y MOD z', '((-[x] * y) MOD z)'],
  ])('%s', (text, wanted) => {
    expect(grouped(text)).toBe(wanted);
  });
});

describe('recovery', () => {
  it('reports every error of a text, not only the first', () => {
    const { problems } = parse(
      'PROGRAM P\nVAR a : INT; b ; c : INT; END_VAR\na := ;\nb = 3;\nIF a THEN c := 1 END_IF;\nc := 2;\nEND_PROGRAM',
    );
    expect(problems.map((p) => positionOf(p.at.source, p.at.start).line)).toEqual([2, 3, 4, 5]);
  });
  it('marks a missing semicolon behind what it is missing after', () => {
    const { problems } = parse('PROGRAM P\nVAR a : INT; END_VAR\na := 1\nEND_PROGRAM');
    expect(positionOf(problems[0]!.at.source, problems[0]!.at.start)).toEqual({ line: 3, column: 7 });
  });
  it('goes on with the next block after a broken one', () => {
    const { declarations } = parse('PROGRAM A\nxx yy zz\nPROGRAM B\nEND_PROGRAM');
    expect(declarations.map((d) => 'name' in d && d.name.text)).toEqual(['A', 'B']);
  });
});

describe('hostile text', () => {
  it.each([
    ['brackets', '('.repeat(1_000_000)],
    ['nested parentheses', `PROGRAM P x := ${'('.repeat(10_000)}1${')'.repeat(10_000)}; END_PROGRAM`],
    ['nested IF', `PROGRAM P ${'IF a THEN '.repeat(10_000)}`],
    ['nested minus', `PROGRAM P x := ${'-'.repeat(50_000)}1; END_PROGRAM`],
    ['nested arrays', `TYPE t : ${'ARRAY [0..1] OF '.repeat(3000)} INT; END_TYPE`],
  ])('%s end in an error, not in an exception', (_, text) => {
    expect(parse(text).problems.length).toBeGreaterThan(0);
  });

  it('cut off anywhere never throws', () => {
    const text =
      'TYPE C : (A, B); END_TYPE FUNCTION F : INT VAR_INPUT a : INT; END_VAR F := a * 2; END_FUNCTION PROGRAM P VAR x : ARRAY [1..3] OF INT := [1, 2(0)]; END_VAR FOR i := 1 TO 3 DO CASE x[i] OF 1, 2..3: x[i] := F(a := 1); ELSE EXIT; END_CASE; END_FOR; END_PROGRAM';
    for (let i = 0; i < text.length; i++) expect(() => parse(text.slice(0, i))).not.toThrow();
  });
});
