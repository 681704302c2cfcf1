/** Each lint rule: what breaks it, with code and place, and what does not. */
import { describe, expect, it } from 'vitest';
import { type Tag, emptyProject } from '../../document.js';
import { LINT_RULES, placeText } from '../../language.js';
import { compile } from '../../workspace.js';
import { ladderProject } from '../../../test/support.js';

const warnings = (tags: string[], lines: string[]) =>
  compile([{ kind: 'project', name: 'p', project: ladderProject(tags, lines) }]).diagnostics.map(
    (d) => `${d.severity} ${d.code} ${placeText(d.at)}`,
  );
const I = ['A AT %IX0.0 : BOOL', 'B AT %IX0.1 : BOOL'];

describe('DOUBLE_COIL', () => {
  it('two plain coils of one tag, in any rungs', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> Q'])).toEqual([
      'warning DOUBLE_COIL p:Main/rung 2/element 2',
    ]);
  });
  it('one of them negated', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> !Q'])).toHaveLength(1);
  });
  it('three of them: every one but the first', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> Q', 'A & B -> Q'])).toHaveLength(2);
  });
  it('two bits of one word are two tags', () => {
    expect(warnings([...I, 'W AT %QW2 : WORD'], ['A -> W.0', 'B -> W.1'])).toEqual([]);
    expect(warnings([...I, 'W AT %QW2 : WORD'], ['A -> W.0', 'B -> W.0'])).toHaveLength(1);
  });
  it('set and reset are meant to be two', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> set Q', 'B -> reset Q'])).toEqual([]);
  });
});

describe('UNUSED_TAG', () => {
  it('an internal tag that nothing names', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL', 'Spare : INT'], ['A & B -> Q'])).toEqual([
      'warning UNUSED_TAG p:Tags/Spare',
    ]);
  });
  it('an input may be wired for later', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q'])).toEqual([]);
  });
});

describe('NEVER_WRITTEN', () => {
  it('read, never written, without an initial value', () => {
    expect(warnings(['Q AT %QX0.0 : BOOL', 'Flag : BOOL'], ['Flag -> Q'])).toEqual([
      'warning NEVER_WRITTEN p:Tags/Flag',
    ]);
  });
  it('an initial value makes it a setting', () => {
    expect(warnings(['Q AT %QX0.0 : BOOL', 'Flag : BOOL := TRUE'], ['Flag -> Q'])).toEqual([]);
  });
  it('written anywhere is written', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL', 'Flag : BOOL'], ['Flag -> Q', 'A -> { Flag := TRUE; }'])).toEqual([]);
  });
});

describe('NO_ADDRESS', () => {
  const wired = (tags: readonly Tag[], wires: Readonly<Record<string, string>>) =>
    compile([
      {
        kind: 'project',
        name: 'p',
        project: {
          ...emptyProject('P'),
          tags,
          pous: [
            { id: 'p', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line: 'Full -> Fill' }] },
          ],
          machine: {
            devices: [
              { id: 't', name: 'Basin', type: 'Tank', wires: { High: 'Full' } },
              { id: 'v', name: 'Tap', type: 'Valve', wires },
            ],
          },
        },
      },
    ]).diagnostics.map((d) => `${d.code} ${d.message}`);
  const full: Tag = { id: 'a', name: 'Full', type: 'BOOL' },
    fill: Tag = { id: 'b', name: 'Fill', type: 'BOOL' };
  it('what the model sets or obeys and a controller has no point for; it is not said to be never written', () => {
    expect(wired([full, fill], { Open: 'Fill' })).toEqual([
      "NO_ADDRESS 'Full' is wired to Basin.High and has no address: at a controller nothing sets it. Give it an input address (%I).",
      "NO_ADDRESS 'Fill' is wired to Tap.Open and has no address: at a controller it switches nothing. Give it an output address (%Q).",
    ]);
  });
  it('memory is no point of the I/O', () => {
    expect(
      wired(
        [
          { ...full, address: '%MX0.0' },
          { ...fill, address: '%QX0.0' },
        ],
        { Open: 'Fill' },
      ),
    ).toEqual([
      "NO_ADDRESS 'Full' is wired to Basin.High and lies in memory (%MX0.0): at a controller nothing sets it. Give it an input address (%I).",
    ]);
  });
  it('with addresses, or not wired, nothing is said', () => {
    expect(
      wired(
        [
          { ...full, address: '%IX0.0' },
          { ...fill, address: '%QX0.0' },
        ],
        { Open: 'Fill' },
      ),
    ).toEqual([]);
    expect(wired([{ ...full, address: '%IX0.0' }, fill], {})).toEqual([]);
  });
});

describe('REAL_EQUALITY', () => {
  it('in a comparison of a rung', () => {
    expect(warnings(['L AT %ID0 : REAL', 'Q AT %QX0.0 : BOOL'], ['L = 5.0 -> Q'])).toEqual([
      'warning REAL_EQUALITY p:Main/rung 1/element 1',
    ]);
  });
  it('not for whole numbers, not for other comparisons', () => {
    expect(warnings(['L AT %ID0 : REAL', 'N AT %IW6 : INT', 'Q AT %QX0.0 : BOOL'], ['L >= 5.0 & N = 3 -> Q'])).toEqual(
      [],
    );
  });
});

it('every rule has its own code and a sentence for the help', () => {
  expect(new Set(LINT_RULES.map((r) => r.code)).size).toBe(LINT_RULES.length);
  for (const r of LINT_RULES) {
    expect(r.about).toMatch(/\.$/);
    expect(r.help.why.length).toBeGreaterThan(40);
    expect(r.help.breaks).not.toBe(r.help.holds);
  }
});

const textCodes = (text: string) => compile([{ kind: 'text', name: 't.st', text }]).diagnostics.map((d) => d.code);
const P = (variables: string, body: string) => `PROGRAM P VAR ${variables} END_VAR ${body} END_PROGRAM`;

describe('SET_WITHOUT_RESET', () => {
  it('a tag that is only ever set', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> set Q', 'B -> set Q'])).toEqual([
      'warning SET_WITHOUT_RESET p:Main/rung 1/element 2',
      'warning SET_WITHOUT_RESET p:Main/rung 2/element 2',
    ]);
  });
  it('a tag that is only ever reset', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A & B -> reset Q'])).toHaveLength(1);
  });
  it('an action or an output pin may do the other half', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> set Q', 'B -> { Q := FALSE; }'])).toEqual([]);
  });
});

describe('TIMER_UNUSED', () => {
  it('called, and nobody looks at it', () => {
    expect(textCodes(P('t : TON; a AT %IX0.0 : BOOL;', 't(IN := a, PT := T#1s);'))).toEqual(['TIMER_UNUSED']);
  });
  it('its ET, its Q or an output pin is use enough', () => {
    for (const use of ['b := t.Q;', 'e := t.ET;'])
      expect(
        textCodes(
          P('t : TON; a AT %IX0.0 : BOOL; b AT %QX0.0 : BOOL; e AT %ML0 : TIME;', `t(IN := a, PT := T#1s); ${use}`),
        ),
      ).toEqual([]);
    expect(textCodes(P('t : TON; a AT %IX0.0 : BOOL; b AT %QX0.0 : BOOL;', 't(IN := a, PT := T#1s, Q => b);'))).toEqual(
      [],
    );
  });
  it('in a rung power goes on behind it', () => {
    expect(warnings([...I, 'T : TON', 'Q AT %QX0.0 : BOOL'], ['A & T(PT := 1 s) -> Q'])).toEqual([]);
  });
});

describe('WRITE_ORDER', () => {
  const two = (a: string, b: string) =>
    `VAR_GLOBAL M AT %QX0.0 : BOOL; W AT %QW2 : WORD; X AT %IX0.0 : BOOL; END_VAR PROGRAM A ${a} END_PROGRAM PROGRAM B ${b} END_PROGRAM`;
  it('an output written by two programs', () => {
    expect(textCodes(two('M := X;', 'M := NOT X;'))).toEqual(['WRITE_ORDER']);
  });
  it('two bits of one word may come from two', () => {
    expect(textCodes(two('W.0 := X;', 'W.1 := X;'))).toEqual([]);
  });
});

describe('UNREACHABLE', () => {
  it.each([
    ['behind RETURN', 'a := 1; RETURN; a := 2;'],
    ['behind EXIT', 'FOR i := 1 TO 3 DO EXIT; a := 2; END_FOR;'],
    ['under FALSE', 'IF FALSE THEN a := 1; END_IF;'],
  ])('%s', (_, body) => {
    expect(textCodes(P('a, i : INT;', body))).toContain('UNREACHABLE');
  });
  it('a rung behind a return on the rail', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['-> return', 'A & B -> Q'])).toEqual([
      'warning UNREACHABLE p:Main/rung 2/element 1',
    ]);
  });
  it('not behind a return that has a condition', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A -> return', 'B -> Q'])).toEqual([]);
  });
});

describe('CONSTANT_CONDITION', () => {
  it.each([
    'IF TRUE THEN a := 1; END_IF;',
    'IF 1 = 1 THEN a := 1; END_IF;',
    'REPEAT a := 1; UNTIL TRUE END_REPEAT;',
    'CASE 3 OF 3: a := 1; END_CASE;',
  ])('%s', (body) => {
    expect(textCodes(P('a : INT;', body))).toContain('CONSTANT_CONDITION');
  });
  it('a contact of a constant', () => {
    expect(warnings([...I, 'Q AT %QX0.0 : BOOL'], ['A & B & 1 = 1 -> Q'])).toEqual([
      'warning CONSTANT_CONDITION p:Main/rung 1/element 3',
    ]);
  });
  it('the left rail is no contact', () => {
    expect(warnings([...I, 'N AT %QW2 : INT'], ['-> { N := N + 1; }', 'A & B -> { N := 0; }'])).toEqual([]);
  });
});

describe('WATCHDOG_RISK', () => {
  it('waits for an input', () => {
    expect(textCodes(P('s AT %IX0.0 : BOOL; a : INT;', 'WHILE NOT s DO a := a + 1; END_WHILE;'))).toEqual([
      'WATCHDOG_RISK',
    ]);
  });
  it('WHILE TRUE without a way out', () => {
    expect(textCodes(P('a : INT;', 'WHILE TRUE DO a := a + 1; END_WHILE;'))).toEqual(['WATCHDOG_RISK']);
  });
  it('WHILE TRUE with EXIT', () => {
    expect(textCodes(P('a : INT;', 'WHILE TRUE DO a := a + 1; IF a > 3 THEN EXIT; END_IF; END_WHILE;'))).toEqual([]);
  });
  it('too many passes, nested ones multiplied', () => {
    expect(
      textCodes(P('i, j, a : DINT;', 'FOR i := 1 TO 10000 DO FOR j := 1 TO 2000 DO a := a + 1; END_FOR; END_FOR;')),
    ).toEqual(['WATCHDOG_RISK']);
  });
  it('a loop that changes what it asks', () => {
    expect(textCodes(P('a : INT;', 'WHILE a < 10 DO a := a + 1; END_WHILE;'))).toEqual([]);
  });
});

describe('arithmetic of constants', () => {
  it('that wraps', () => {
    expect(textCodes(P('a : INT; b : DINT;', 'a := INT#30000 + INT#30000; b := INT#300 * INT#300;'))).toEqual([
      'CONSTANT_OVERFLOW',
      'CONSTANT_OVERFLOW',
    ]);
  });
  it('that fits', () => {
    expect(textCodes(P('a : DINT;', 'a := DINT#300 * DINT#300;'))).toEqual([]);
  });
  it('a division by zero is said, and still a fault of the run', () => {
    expect(textCodes(P('a : INT;', 'a := a / 0;'))).toEqual(['DIVISION_BY_ZERO']);
  });
  it('MOD by zero is 0', () => {
    expect(textCodes(P('a : INT;', 'a := a MOD 0;'))).toEqual([]);
  });
});

describe('LOOP_VARIABLE', () => {
  it('written inside its loop, or used by a loop inside', () => {
    expect(textCodes(P('i : INT;', 'FOR i := 1 TO 3 DO i := 5; END_FOR;'))).toEqual(['LOOP_VARIABLE']);
    expect(textCodes(P('i : INT;', 'FOR i := 1 TO 3 DO FOR i := 1 TO 2 DO ; END_FOR; END_FOR;'))).toEqual([
      'LOOP_VARIABLE',
    ]);
  });
  it('written before and behind', () => {
    expect(textCodes(P('i, s : INT;', 'i := 1; FOR i := 1 TO 3 DO s := s + i; END_FOR; i := 0;'))).toEqual([]);
  });
  it('is an error, also by a call that takes it as in-out or gives an output into it', () => {
    const F = 'FUNCTION F : INT VAR_IN_OUT p : INT; END_VAR VAR_OUTPUT o : INT; END_VAR p := 1; F := 2; END_FUNCTION ';
    const of = (call: string) =>
      compile([{ kind: 'text', name: 't.st', text: F + P('i, s : INT;', `FOR i := 1 TO 3 DO s := ${call}; END_FOR;`) }])
        .diagnostics.filter((d) => d.severity === 'error')
        .map((d) => d.code);
    expect(of('F(p := i)')).toEqual(['LOOP_VARIABLE']);
    expect(of('F(p := s, o => i)')).toEqual(['LOOP_VARIABLE']);
    expect(of('F(p := s)')).toEqual([]);
  });
});

describe('LOOP_BOUNDS', () => {
  const a = 'i, s : INT; f : ARRAY [0..9] OF INT; g : ARRAY [1..3, 0..4] OF INT;';
  it.each([
    ['FOR i := 0 TO 10 DO s := f[i]; END_FOR;', 1],
    ['FOR i := 0 TO 9 DO f[i + 1] := s; END_FOR;', 1],
    ['FOR i := 10 TO 0 BY -1 DO s := f[i - 1]; END_FOR;', 1],
    ['FOR i := 0 TO 9 DO s := f[i]; END_FOR;', 0],
    ['FOR i := 0 TO 10 BY 3 DO s := f[i]; END_FOR;', 0],
    ['FOR i := 0 TO 4 DO s := g[1, i]; END_FOR;', 0],
    ['FOR i := 0 TO 4 DO s := g[i, 0]; END_FOR;', 1],
    ['FOR i := 5 TO 1 DO s := f[i + 20]; END_FOR;', 0],
    ['FOR i := 0 TO s DO s := f[i]; END_FOR;', 0],
  ])('%s', (body, count) => {
    expect(textCodes(P(a, body)).filter((c) => c === 'LOOP_BOUNDS')).toHaveLength(count);
  });
});

describe('SAME_POINT', () => {
  it('two tags on one input or output; two coils on it are one written twice', () => {
    const tags = [...I, 'Motor AT %QX0.0 : BOOL', 'Valve AT %QX0.0 : BOOL', 'Copy AT %IX0.1 : BOOL'];
    expect(warnings(tags, ['A -> Motor', 'B & Copy -> Valve'])).toEqual([
      'warning DOUBLE_COIL p:Main/rung 2/element 3',
      'warning SAME_POINT p:Tags/Valve',
      'warning SAME_POINT p:Tags/Copy',
    ]);
    expect(warnings([...I, 'W AT %QB0 : BYTE', 'Bit AT %QX0.3 : BOOL'], ['A -> W.3', 'B -> Bit'])).toEqual([
      'warning DOUBLE_COIL p:Main/rung 2/element 2',
    ]);
  });
});

describe('how strict a project is', () => {
  const project = { ...ladderProject([...I, 'Q AT %QX0.0 : BOOL'], ['A -> Q', 'B -> Q']) };
  const severities = (checking: Record<string, 'error' | 'warning' | 'off'>) =>
    compile([{ kind: 'project', name: 'p', project: { ...project, checking } }]).diagnostics.map((d) => d.severity);
  it('a rule can be an error or off', () => {
    expect(severities({ DOUBLE_COIL: 'error' })).toEqual(['error']);
    expect(severities({ DOUBLE_COIL: 'off' })).toEqual([]);
    expect(severities({})).toEqual(['warning']);
  });
  it('an error of a rule keeps the project from running', () => {
    expect(
      compile([{ kind: 'project', name: 'p', project: { ...project, checking: { DOUBLE_COIL: 'error' } } }]).hasErrors,
    ).toBe(true);
  });
});
