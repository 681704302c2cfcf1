/** Long and deep inputs: bodies cut into pieces, and what the front end says of input made to break it. */
import { describe, expect, it } from 'vitest';
import { compile } from '../../src/workspace.js';
import { engineOf, ladderEngine } from '../support.js';

describe('a body of hundreds of statements', () => {
  const text = (body: string) => `PROGRAM P VAR n : DINT; stop : BOOL; k : INT; END_VAR\n${body}\nEND_PROGRAM`;
  const many = Array.from({ length: 320 }, (_, i) =>
    i === 170
      ? 'IF stop THEN RETURN; END_IF;'
      : i % 40 === 7
        ? 'FOR k := 1 TO 3 DO n := n + 1; END_FOR;'
        : 'n := n + 1;',
  ).join('\n');
  it('does every statement once, up to a RETURN in any piece', () => {
    const e = engineOf(text(many));
    e.runScan();
    expect(e.read('P.n')).toBe(BigInt(320 - 1 - 8 + 24));
    e.restart();
    e.write('P.stop', true);
    e.runScan();
    expect(e.read('P.n')).toBe(BigInt(170 - 5 + 15));
  });
  it('stops before each of its steps, and counts them on through the pieces', () => {
    const e = engineOf(text(many), true);
    const start = e.snapshot();
    let last = -1n;
    for (let k = 0; ; k += 7) {
      e.restore(start);
      const { done } = e.runSteps(k);
      const n = e.read('P.n') as bigint;
      expect(n).toBeGreaterThanOrEqual(last);
      last = n;
      if (done) break;
    }
    expect(last).toBe(335n);
  });
  it('a return on a rung leaves the rungs in all later pieces alone', () => {
    const e = ladderEngine(
      ['Stop : BOOL', 'N : DINT'],
      Array.from({ length: 360 }, (_, i) => (i === 120 ? 'Stop -> return' : '-> { N := N + 1; }')),
    );
    e.runScan();
    expect(e.read('N')).toBe(359n);
    e.write('Stop', true);
    e.write('N', 0n);
    e.runScan();
    expect(e.read('N')).toBe(120n);
  });
});

describe('input made to break the front end ends in a sentence', () => {
  const P = (variables: string, body: string) => `PROGRAM P VAR ${variables} END_VAR ${body} END_PROGRAM`;
  it.each<[string, string, string]>([
    ['ten million brackets', P('a : INT;', `a := ${'('.repeat(10_000_000)};`), 'TOO_DEEP'],
    [
      'ten thousand IFs in each other',
      P('a : BOOL;', `${'IF a THEN '.repeat(10_000)}a := TRUE; ${'END_IF; '.repeat(10_000)}`),
      'TOO_DEEP',
    ],
    ['a line of one megabyte', P('a : INT;', `a := 1${' + 1'.repeat(250_000)};`), 'TOO_DEEP'],
    ['a million steps of a path', P('a : INT;', `a := a${'.b'.repeat(1_000_000)};`), 'TOO_DEEP'],
    ['a million NOTs', P('a : BOOL;', `a := ${'NOT '.repeat(1_000_000)}a;`), 'TOO_DEEP'],
    [
      'five thousand arrays of arrays',
      `PROGRAM P VAR a : ${'ARRAY [0..1] OF '.repeat(5000)}INT; END_VAR END_PROGRAM`,
      'TOO_DEEP',
    ],
    ['three million comments that open', '(*'.repeat(3_000_000), 'SYNTAX'],
    ['two hundred thousand broken statements', P('a : INT;', 'a := ;\n'.repeat(200_000)), 'SYNTAX'],
    ['a hundred thousand labels', P('a : INT;', `CASE a OF ${'1: '.repeat(100_000)} END_CASE;`), 'DUPLICATE_LABEL'],
    ['half a million arguments', P('a : INT;', `a := ADD(${'a, '.repeat(500_000)}a);`), 'WRONG_ARGUMENTS'],
    ['a thousand namespaces in each other', 'NAMESPACE N '.repeat(1000), 'TOO_DEEP'],
  ])(
    '%s',
    (_, text, code) => {
      const { diagnostics } = compile([{ kind: 'text', name: 't.st', text }]);
      expect(diagnostics.map((d) => d.code)).toContain(code);
      expect(diagnostics.length).toBeLessThanOrEqual(20_000);
    },
    60_000,
  );
  it('what fits is taken: 990 operators in a row', () => {
    const e = engineOf(P('a : LINT := 1;', `a := a${' + a'.repeat(990)};`));
    e.runScan();
    expect(e.read('P.a')).toBe(991n);
  });
});
