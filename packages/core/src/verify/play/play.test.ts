import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { History } from '../../bench.js';
import { type Project, applyEdit, checkRuns, renameRule } from '../../document.js';
import { compile } from '../../workspace.js';
import {
  completeSentence,
  junitXml,
  planProof,
  proofLines,
  prove,
  checkMeaning,
  isMadeName,
  reportHtml,
} from '../../verify.js';
import { parseCondition, parseDo, parseExpect, parseRule, parseSpan, parseWhen } from '../../sentences/sentences.js';
import { reachOf } from '../search/reach.js';
import { ladderProject } from '../../../test/support.js';

/** When and with what a report is made. */
const MADE = { ferrule: '9.9.9', at: Date.UTC(2026, 10, 29, 15, 20) };

const demo = JSON.parse(
  readFileSync(new URL('../../../../../examples/wire-end-crimp-cell.ferrule.json', import.meta.url), 'utf8'),
) as Project;
const step = { stepNs: 10_000_000n };
const run = (p: Project) => prove(planProof(p, 'p'), step);
const breakRung = (p: Project, from: string, to: string): Project => {
  const text = JSON.stringify(p);
  expect(text).toContain(from);
  return JSON.parse(text.replace(from, to)) as Project;
};

describe('sentences', () => {
  it('When', () => {
    expect(parseWhen('after 1.5 s')).toEqual({ value: { kind: 'after', span: { ns: 1_500_000_000n } } });
    expect(parseWhen('')).toEqual({ value: { kind: 'atOnce' } });
    expect(parseWhen('once Step is Idle within 2 s')).toMatchObject({
      value: { kind: 'once', condition: { text: 'Step = Idle' }, limit: { ns: 2_000_000_000n } },
    });
    expect(parseWhen('after 3 scans')).toEqual({ value: { kind: 'after', span: { scans: 3 } } });
    expect(parseWhen('whenever')).toHaveProperty('error');
  });
  it('Do', () => {
    expect(parseDo('tap Start for 200 ms')).toMatchObject({
      value: { kind: 'tap', device: 'Start', span: { ns: 200_000_000n } },
    });
    expect(parseDo('let go of Stop')).toMatchObject({ value: { kind: 'hold', on: false } });
    expect(parseDo('set Total to 5')).toMatchObject({ value: { kind: 'set', path: 'Total', value: '5' } });
    expect(parseDo('upset Feed.Jam')).toMatchObject({ value: { kind: 'upset', upset: 'Jam', on: true } });
    expect(parseDo('dance')).toHaveProperty('error');
  });
  it('Expect', () => {
    expect(parseExpect('Running is off within 3 scans')).toMatchObject({
      value: { kind: 'within', condition: { text: 'NOT (Running)' }, span: { scans: 3 } },
    });
    expect(parseExpect('A is on until B is on within 2 s')).toMatchObject({
      value: { kind: 'until', end: { text: 'B' }, limit: { ns: 2_000_000_000n } },
    });
    expect(parseExpect('never A AND B')).toMatchObject({ value: { kind: 'never' } });
    expect(parseExpect('Level > 5.0')).toMatchObject({ value: { kind: 'now', condition: { text: 'Level > 5.0' } } });
  });
  it('conditions and rules', () => {
    expect(parseCondition('Door is not on').text).toBe('NOT (Door)');
    expect(parseCondition('Door is off AND Step is Idle or (Level > 2)').text).toBe(
      '(NOT (Door)) AND (Step = Idle) OR ((Level > 2))',
    );
    expect(parseCondition('A AND B OR C').text).toBe('A AND B OR C');
    // As on a rung, and as in other languages; what stands in quotes stays.
    expect(parseCondition('!A & (B | !C)')).toEqual({ text: 'NOT A AND (B OR NOT C)', said: '!A & (B | !C)' });
    expect(parseCondition("A && B || Name != 'a|b!' & N == 3").text).toBe("A AND B OR Name <> 'a|b!' AND N = 3");
    expect(parseCondition('Door is on & !Lid').text).toBe('(Door) AND (NOT Lid)');
    expect(parseRule('!A & B requires C | D')).toMatchObject({
      value: { condition: { text: 'NOT (NOT A AND B) OR (C OR D)' } },
    });
    // The same said in other orders, and what is left to guess is asked.
    const text = (rule: string) => {
      const r = parseRule(rule);
      return 'value' in r && 'condition' in r.value ? `${r.value.kind} ${r.value.condition.text}` : r;
    };
    const apart = text('never Heater and Drum together');
    expect(apart).toBe('never (Heater) AND (Drum)');
    for (const rule of [
      'Heater and Drum never together',
      'Heater and Drum are never on at the same time',
      'never both Heater and Drum',
      'never Heater and Drum at once',
      'Heater never while Drum',
      'Heater not when Drum',
      'never Heater while Drum',
    ])
      expect(text(rule), rule).toBe(apart);
    for (const rule of [
      'Heater needs Fan',
      'Heater only if Fan',
      'Heater never without Fan',
      'never Heater without Fan',
      'if Heater then Fan',
      'If Heater, Fan',
    ])
      expect(text(rule), rule).toBe('always NOT (Heater) OR (Fan)');
    expect(text('never Heater AND NOT Fan')).toBe('never Heater AND NOT Fan');
    expect(text('NOT (Heater AND Drum)')).toEqual({
      error:
        '‘NOT (Heater AND Drum)’ alone does not say when: write ‘always NOT (Heater AND Drum)’ or ‘never NOT (Heater AND Drum)’.',
    });
    expect(text('')).toEqual({ error: expect.stringMatching(/^Nothing is written yet; write for example/) as string });
    expect(parseRule('A requires B')).toMatchObject({
      value: { kind: 'always', condition: { text: 'NOT (A) OR (B)' } },
    });
    expect(parseRule('after A is off, B is on within 20 ms')).toMatchObject({
      value: { kind: 'follows', trigger: { text: 'NOT (A)' } },
    });
    expect(parseRule('Level between 0 and 100')).toMatchObject({
      value: { condition: { text: '(Level) >= 0 AND (Level) <= 100' } },
    });
    expect(parseRule('be nice')).toHaveProperty('error');
    expect(parseCondition('Level = 2.5 ± 0.1').text).toBe(
      '((Level) >= ((2.5) - (0.1))) AND ((Level) <= ((2.5) + (0.1)))',
    );
    expect(parseDo('force ramp Level from 0 to 10.5 in 2 s')).toEqual({
      value: { kind: 'ramp', path: 'Level', from: 0, to: 10.5, span: { ns: 2_000_000_000n }, forced: true },
    });
    expect(parseExpect('in order: A is on, B within 2 s')).toMatchObject({
      value: { kind: 'order', condition: { text: 'A' }, then: [{ text: 'B' }], limit: { ns: 2_000_000_000n } },
    });
    expect(parseExpect('in order: A')).toHaveProperty('error');
    expect(parseExpect('Step goes Feed, Clamping or Fault within 5 s')).toMatchObject({
      value: { kind: 'path', names: ['Feed', 'Clamping'], detours: [{ text: 'Step = Fault' }] },
    });
    expect(parseSpan('T#2m')).toEqual({ value: { ns: 120_000_000_000n } });
  });
});

describe('the demo', () => {
  it('passes all its checks and rules', () => {
    const r = run(demo);
    expect(proofLines(r).at(-1)).toBe('21 passed, 0 failed, 0 open');
    expect(r.rules.every((x) => x.scans > 1000)).toBe(true);
  });
  it.each([
    ['Feed jams', 'Step = Feed -> { FaultCode := 11; }', 'Step = Feed -> { FaultCode := 99; }'],
    ['Stop during crimp', ' | ClampClose & !DieUp) -> ClampClose', ') -> ClampClose'],
    ['Three weak crimps', 'PV := 3) -> set Fault', 'PV := 4) -> set Fault'],
    ['Good cycle', '!Rejected -> { GoodTotal := GoodTotal + 1; }', '!Rejected -> { GoodTotal := GoodTotal + 2; }'],
    [
      'Die never closes unclamped',
      'Running & Step = Crimping & ClampShut & !FeedMotor -> DieClose',
      'Running & (Step = Crimping | Step = Ejecting) & !FeedMotor -> DieClose',
    ],
    ['A fault stops the cell', 'AutoMode & !Fault & !BatchDone -> Running', 'AutoMode & !BatchDone -> Running'],
    [
      'Blade only into a held wire',
      'Running & Step = Cutting & ClampShut -> BladeOut',
      'Running & Step = Clamping -> BladeOut',
    ],
    [
      'Die and feed never together',
      'Running & Step = Crimping & ClampShut & !FeedMotor -> DieClose',
      'Running & (Step = Crimping | Step = Feed) -> DieClose',
    ],
  ])('%s notices its fault', (name, from, to) => {
    const broken = run(breakRung(demo, from, to));
    const failed = [...broken.checks, ...broken.rules].filter((x) => !x.ok).map((x) => x.name);
    expect(failed).toContain(name);
  });
  it('says row, scan, time, seen against expected, and the bench can stand there', () => {
    const plan = planProof(breakRung(demo, ' | ClampClose & !DieUp) -> ClampClose', ') -> ClampClose'), 'p');
    const f = prove(plan, step).checks.find((c) => c.name === 'Stop during crimp')!;
    expect(f.failure).toMatchObject({ row: 2, expected: 'ClampClose is on until DieUp is on' });
    expect(f.rows.map((r) => r.status)).toEqual(['ok', 'failed', 'notReached']);
    const h = new History(plan.compiled.build(true), { ...step, wires: plan.compiled.wires });
    h.load(f.recording, f.failure!.scan);
    expect([h.now, h.engine.read('ClampClose'), h.engine.read('DieUp')]).toEqual([f.failure!.scan, false, false]);
  });
});

describe('a failure says what the numbers, times, texts and steps of its sentence were', () => {
  const declared = [
    'A AT %IX0.0 : BOOL',
    'N : INT := 3',
    'X : REAL := 1.5',
    "Name : STRING := 'paint'",
    'T : TON',
    'Q : BOOL',
    'Step : (Rest, Work)',
    'List : ARRAY [1..3] OF INT := [5, 6, 7]',
  ];
  const p = (rows: Project['checks'][number]['rows'], rules: Project['rules'] = []): Project => ({
    ...ladderProject(declared, ['A & T(PT := 2 s) -> Q', 'A -> { N := 8; Step := Work; }']),
    checks: [{ id: 'c', name: 'C', rows }],
    rules,
  });
  it.each([
    ['N = 4', 'not so at 0.01 s; N = 3'],
    ['N = 4 within 50 ms', 'not so after 0.05 s; N = 3'],
    ['X > 2.0 AND NOT Q', 'not so at 0.01 s; X = 1.5'],
    ['Step is Work', 'not so at 0.01 s; Step = Rest'],
    ['List[2] > 6', 'not so at 0.01 s; List[2] = 6'],
    ['T.ET > T#1s', 'not so at 0.01 s; T.ET = 0s'],
    ["Name = 'wood'", "not so at 0.01 s; Name = 'paint'"],
    ['Q is on', 'not so at 0.01 s'],
    ['N > 3 AND X > 2.0 AND N < 9', 'not so at 0.01 s; N = 3, X = 1.5'],
  ])('%s: %s', (expect_, seen) => {
    expect(run(p([{ id: 'k', expect: [expect_] }])).checks[0]!.failure?.seen).toBe(seen);
  });
  it('where a row waits, where something never may be, and in a rule', () => {
    expect(run(p([{ id: 'k', when: 'once N = 9 within 100 ms' }])).checks[0]!.failure?.seen).toMatch(
      /^waited 0\.10 s for 'N = 9'; N = 3$/,
    );
    expect(
      run(
        p([
          { id: 'k', do: ['set A on'], expect: ['never N > 7'] },
          { id: 'l', when: 'after 50 ms' },
        ]),
      ).checks[0]!.failure?.seen,
    ).toMatch(/^'N > 7' at 0\.0\d s; N = 8$/);
    const r = run(
      p(
        [
          { id: 'k', do: ['set A on'] },
          { id: 'l', when: 'after 50 ms', expect: ['A is on'] },
        ],
        [{ id: 'r', name: 'R', sentence: 'always N < 8' }],
      ),
    );
    expect(r.rules[0]).toMatchObject({ ok: false });
    expect(r.rules[0]!.failure?.seen).toBe("'N < 8' did not hold; N = 8");
  });
});

describe('what is wrong in a sentence', () => {
  const p: Project = {
    ...ladderProject(['A AT %IX0.0 : BOOL', 'Q : BOOL'], ['A -> Q']),
    checks: [
      { id: 'c', name: 'One', rows: [{ id: 'k', do: ['set A on'], expect: ['Q is on'] }] },
      { id: 'd', name: 'Two', rows: [{ id: 'l', expect: ['Nothing is on'] }] },
    ],
    rules: [{ id: 'r', name: 'Rule', sentence: 'whatever' }],
  };
  it('is said in its cell, and the others run on', () => {
    const plan = planProof(p, 'p');
    expect(plan.diagnostics.map((d) => [d.code, d.at.source.origin.kind])).toEqual([
      ['SENTENCE', 'cell'],
      ['UNKNOWN_NAME', 'cell'],
    ]);
    const r = prove(plan, step);
    expect(r.checks.map((c) => c.ok)).toEqual([true, false]);
    expect(r.rules[0]).toMatchObject({ ok: false });
    expect(r.rules[0]!.problem).toContain('is not a rule');
  });
  it('a wait that never ends is ended', () => {
    const waits: Project = {
      ...p,
      checks: [{ id: 'c', name: 'One', rows: [{ id: 'k', when: 'once Q is on within 1 s' }] }],
      rules: [],
    };
    expect(run(waits).checks[0]!.failure!.seen).toBe("waited 1.00 s for 'Q is on'");
  });
  it('logic with errors gives no results, and says so', () => {
    expect(
      run({
        ...p,
        pous: [{ id: 'p1', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line: 'Nope -> Q' }] }],
      }).problem,
    ).toContain('errors');
  });
});

describe('rules over earlier scans', () => {
  const counter = (by: number): Project => ({
    ...ladderProject(
      ['Up AT %IX0.0 : BOOL', 'n : INT', 'Lamp AT %QX0.0 : BOOL'],
      [`Up -> { n := n + ${by}; }`, 'n > 3 -> Lamp'],
    ),
    checks: [
      {
        id: 'c',
        name: 'Count',
        rows: [
          { id: 'k', when: 'after 50 ms', do: ['set Up on'] },
          { id: 'l', when: 'after 100 ms', expect: ['n > PREVIOUS(n, 5)', 'n = PREVIOUS(n) + 1'] },
        ],
      },
    ],
    rules: [
      { id: 'r', name: 'Slow', sentence: 'always n <= PREVIOUS(n) + 1' },
      { id: 's', name: 'Stays', sentence: 'never PREVIOUS(Lamp) AND NOT Lamp' },
    ],
  });
  it('are judged on every scan, in rules and in checks', () => {
    const good = run(counter(1));
    expect([good.checks.map((c) => c.ok), good.rules.map((r) => r.ok)]).toEqual([[true], [true, true, true]]);
    const bad = run(counter(2));
    expect(bad.checks[0]!.failure!.expected).toBe('n = PREVIOUS(n) + 1');
    expect(bad.rules.map((r) => r.ok)).toEqual([false, true, true]);
    // The first scan in which it goes up: everything before was as it is.
    expect(bad.rules[0]!.failure!.scan).toBe(6);
  });
  it('looks back exactly so many scans, and at the beginning everything was always as it is', () => {
    const p: Project = {
      ...ladderProject(['n : INT := 7'], ['-> { n := n + 1; }']),
      checks: [
        {
          id: 'c',
          name: 'C',
          rows: [
            { id: 'a', when: 'after 1 scans', expect: ['n = 9', 'PREVIOUS(n) = 8', 'PREVIOUS(n, 3) = 8'] },
            { id: 'b', when: 'after 9 scans', expect: ['PREVIOUS(n, 10) = n - 10', 'PREVIOUS(n, 2) = n - 2'] },
          ],
        },
      ],
    };
    expect(run(p).checks.map((c) => c.failure)).toEqual([undefined]);
  });
  it.each([
    ['PREVIOUS(Nothing)', 'There is no'],
    ['PREVIOUS(n + 1)', 'takes the name of a tag'],
    ['PREVIOUS(n, 1000)', '1 to 100 scans'],
    ['PREVIOUS(n, 0)', '1 to 100 scans'],
    ['PREVIOUS(T)', 'made of several'],
  ])('%s: said in its cell, the others run on', (asks, said) => {
    const p: Project = {
      ...counter(1),
      tags: [...counter(1).tags, { id: 'tt', name: 'T', type: 'TON' }],
      rules: [{ id: 'x', name: 'Bad', sentence: `always ${asks} <= n` }, ...counter(1).rules],
    };
    const plan = planProof(p, 'p'),
      r = prove(plan, step);
    expect(plan.diagnostics.map((d) => d.at.source.origin)).toEqual([
      expect.objectContaining({ owner: 'rule', id: 'x' }),
    ]);
    expect(r.rules.map((x) => [x.ok, x.problem?.includes(said) ?? false])).toEqual([
      [false, true],
      [true, false],
      [true, false],
      [true, false],
    ]);
  });
  it('the program that remembers is not counted as reached logic', () => {
    const plan = planProof(counter(1), 'p');
    expect(reachOf(plan, step.stepNs).figures.branches.of).toBe(0);
    expect(compile([{ kind: 'project', name: 'p', project: counter(1) }]).program.pous.map((x) => x.name)).toEqual([
      'Main',
    ]);
  });
});

describe('an expression that would change something', () => {
  const f = (name: string, text: string) => ({
    id: name,
    name,
    language: 'ST' as const,
    kind: 'function' as const,
    text: `FUNCTION ${name} : INT\n${text}\nEND_FUNCTION`,
  });
  const base = ladderProject(
    ['A AT %IX0.0 : BOOL', 'Q : BOOL', 'n : INT', 'M : Counter', 'R : REF_TO INT'],
    ['A -> Q'],
  );
  const p = (sentence: string): Project => ({
    ...base,
    pous: [
      ...base.pous,
      f('Bump', 'VAR_EXTERNAL n : INT; END_VAR n := n + 1; Bump := n;'),
      f(
        'Peek',
        'VAR_EXTERNAL n : INT; END_VAR VAR i, k : INT; a : ARRAY [1..3] OF INT; END_VAR FOR i := 1 TO 3 DO a[i] := n; k := k + a[i]; END_FOR; Peek := k;',
      ),
      f('Deep', 'Deep := Bump() + 1;'),
      f(
        'Maybe',
        'VAR_INPUT x : INT; END_VAR VAR_EXTERNAL n : INT; END_VAR IF x > 5 THEN Maybe := 1; ELSE CASE x OF 1: WHILE n > 3 DO n := n - 1; END_WHILE; END_CASE; END_IF;',
      ),
      f('SetIt', 'VAR_IN_OUT x : INT; END_VAR x := x + 1; SetIt := x;'),
      f('Gives', 'VAR_OUTPUT o : INT; END_VAR o := 3; Gives := 1;'),
      f('ByRef', 'VAR_INPUT r : REF_TO INT; END_VAR r^ := 3; ByRef := 1;'),
      {
        id: 'g',
        name: 'Counter',
        language: 'ST',
        kind: 'functionBlock',
        text: 'FUNCTION_BLOCK Counter\nVAR k : INT; END_VAR\nMETHOD PUBLIC Step : INT\nk := k + 1; Step := k;\nEND_METHOD\nMETHOD PUBLIC Seen : INT\nSeen := k;\nEND_METHOD\nEND_FUNCTION_BLOCK',
      },
    ],
    checks: [{ id: 'c', name: 'C', rows: [{ id: 'r', when: 'after 100 ms', expect: ['n = 0'] }] }],
    rules: [{ id: 'x', name: 'R', sentence }],
  });
  it.each([
    ['always Bump() > 0', 'n'],
    ['always Deep() > 0', 'n'],
    ['always Maybe(1) >= 0', 'n'],
    ['always SetIt(n) > 0', 'x'],
    ['always Gives(o => n) > 0', 'n'],
    ['always ByRef(REF(n)) > 0', 'what a reference stands for'],
    ['always M.Step() > 0', 'k'],
  ])('%s is refused at its place, and the checks play as if it were not there', (sentence, what) => {
    const plan = planProof(p(sentence), 'p'),
      r = prove(plan, step);
    expect(plan.diagnostics.map((d) => [d.code, d.at.source.origin.kind])).toEqual([['SIDE_EFFECT', 'cell']]);
    expect(r.rules[0]).toMatchObject({ ok: false, problem: expect.stringContaining(`'${what}'`) as string });
    expect(r.checks[0]).toMatchObject({ ok: true });
  });
  it.each(['always Peek() >= 0', 'always M.Seen() >= 0', 'always ABS(n) >= 0'])('%s only looks', (sentence) => {
    const r = run(p(sentence));
    expect([r.rules[0]!.problem, r.rules[0]!.ok, r.checks[0]!.ok]).toEqual([undefined, true, true]);
  });
});

describe('no output without', () => {
  const p = (rung: string, sentence: string): Project => ({
    ...ladderProject(
      [
        'OK AT %IX0.0 : BOOL',
        'Go AT %IX0.1 : BOOL',
        'Motor AT %QX0.0 : BOOL',
        'Horn AT %QX0.1 : BOOL',
        'Level AT %QW2 : WORD',
      ],
      [rung, '!OK -> Horn'],
    ),
    checks: [
      {
        id: 'c',
        name: 'C',
        rows: [
          { id: 'k', do: ['set Go on'], expect: ['Go is on'] },
          { id: 'l', when: 'after 50 ms', do: ['set OK on'], expect: ['OK is on'] },
        ],
      },
    ],
    rules: [{ id: 'r', name: 'R', sentence }],
  });
  it('speaks of every output, but those it excepts', () => {
    expect(run(p('Go & OK -> Motor', 'no output without OK')).rules[0]!.ok).toBe(false);
    expect(run(p('Go & OK -> Motor', 'no output except Horn without OK')).rules[0]!.ok).toBe(true);
    expect(run(p('Go -> Motor', 'no output except Horn without OK')).rules[0]).toMatchObject({
      ok: false,
      failure: { scan: 1 },
    });
    expect(run(p('Go -> Motor', 'no Motor without OK')).rules[0]!.ok).toBe(false);
    expect(run(p('Go & OK -> Motor', 'no Motor, Horn without OK')).rules[0]!.ok).toBe(false);
  });
  it('says what it does not know', () => {
    expect(run(p('Go -> Motor', 'no output except Hrn without OK')).rules[0]!.problem).toContain(
      '‘Hrn’ is not one of the outputs',
    );
    expect(
      run({
        ...ladderProject(['A : BOOL'], ['A -> { A := FALSE; }']),
        rules: [{ id: 'r', name: 'R', sentence: 'no output without A' }],
      }).rules[0]!.problem,
    ).toContain('no output that this rule would speak of');
  });
});

it('reports as JUnit and HTML, failures first and escaped', () => {
  const r = run(breakRung(demo, 'AutoMode & !Fault & !BatchDone -> Running', 'AutoMode & !BatchDone -> Running'));
  const xml = junitXml([{ project: 'A <cell> & more', result: r }]);
  expect(xml).toContain('tests="5" failures="');
  expect(xml).toContain('A &lt;cell&gt; &amp; more');
  const project: Project = {
    ...demo,
    name: 'A "cell" </style>',
    checks: demo.checks.map((c, i) =>
      i ? c : { ...c, rows: [{ ...c.rows[0]!, do: ['force GuardShut on'] }, ...c.rows.slice(1)] },
    ),
    rules: demo.rules.map((x, i) => (i ? x : { ...x, assumed: true })),
  };
  const html = reportHtml(r, {
    project,
    hash: 'abc',
    ...MADE,
    hasProof: true,
    strengths: new Map([
      [
        demo.rules[1]!.id,
        { proof: { strength: 'open' as const, words: 'Not proved. In the first 20 scans nothing breaks it.' } },
      ],
      [demo.rules[2]!.id, { proof: { strength: 'proved' as const, words: 'Proved.' } }],
    ]),
  });
  expect(html.indexOf('FAILED')).toBeLessThan(html.indexOf('>passed<'));
  const first = html.slice(html.indexOf('class="first"'), html.indexOf('class="sign"'));
  expect(first).toContain('failed');
  expect(first).toContain(`${demo.checks[0]!.name} forces GuardShut`);
  expect(first).toContain(`${demo.rules[1]!.name}: Not proved. In the first 20 scans`);
  expect(first).not.toContain(`${demo.rules[2]!.name}: Not`);
  expect(first).toContain(`${demo.rules[0]!.name}: ${demo.rules[0]!.sentence}`);
  // Nothing that the user wrote ends the style sheet.
  expect(html.match(/<\/style>/g)).toHaveLength(1);
  expect(reportHtml(r, { project: demo, hash: 'abc', revision: 12, ...MADE })).toMatch(
    /revision 12, hash abc[^]*No proof was run on this revision/,
  );
  // Runs that were kept, with what the plan means each step to last.
  const timed: Project = {
    ...demo,
    bench: {
      timings: [
        {
          id: 'g',
          name: 'Step, 50 cycles',
          of: 'Step',
          at: '2026-11-29T18:40:00.000Z',
          revision: 12,
          cycles: 50,
          smallest: 2450,
          median: 2460,
          largest: 2820,
          steps: [
            { name: 'Feed', smallest: 550, median: 560, largest: 920, share: 0.23, expected: 500 },
            { name: 'Clamp <', smallest: 90, median: 90, largest: 90, share: 0.04 },
          ],
        },
      ],
    },
  };
  const timing = reportHtml(r, { project: timed, hash: 'abc', ...MADE });
  expect(timing).toMatch(
    /<h2>Timing<\/h2>[^]*kept 2026-11-29 18:40 UTC, revision 12[^]*50 cycles: 2\.45 s shortest, 2\.46 s median, 2\.82 s longest/,
  );
  expect(timing).toContain('<td class="bad">0.56 s</td><td>0.92 s</td>\n<td>0.50 s</td><td>23 %</td>');
  expect(timing).toContain('Clamp &lt;');
  expect(reportHtml(r, { project: demo, hash: 'abc', ...MADE })).not.toContain('id="timing"');
  // Who, for whom, with what and when; and what each check means.
  const facts: Project = {
    ...demo,
    bench: {
      facts: [
        { name: 'Customer', text: 'North <Works>' },
        { name: 'Machine', text: 'C-17' },
        { name: 'Order', text: '' },
      ],
    },
    checks: demo.checks.map((c, i) => (i ? c : { ...c, note: 'The cell starts with the guard shut only.' })),
  };
  const page = reportHtml(r, { project: facts, hash: 'abc', revision: 12, by: 'A. Berg', ...MADE });
  for (const [name, text] of [
    ['Customer', 'North &lt;Works&gt;'],
    ['Machine', 'C-17'],
    ['Made by', 'A. Berg'],
    ['Ferrule', 'version 9.9.9'],
    ['Checks played', '2026-11-29 15:20 UTC'],
    ['Rules proved', 'not on this revision'],
  ])
    expect(page).toContain(`<tr><th>${name}</th><td>${text}</td></tr>`);
  expect(page).not.toContain('<th>Order</th>');
  expect(page).toContain('<p>The cell starts with the guard shut only.</p>');
  expect(
    checkMeaning({
      rows: [
        { id: '1', do: ['tap Start'], expect: ['Running is on within 2 scans'] },
        { id: '2', when: 'after 1 s', expect: ['Lamp is on', 'Gate is off'] },
      ],
    }),
  ).toBe('Tap Start, then Running is on within 2 scans; after 1 s Lamp is on and Gate is off.');
  expect(['New check 2', 'Recorded 1', 'new rule', 'Starts'].map(isMadeName)).toEqual([true, true, true, false]);
  // What servers add up: figures of each suite are those of its cases, and of all.
  const [all, ...suites] = [
    ...xml.matchAll(/<testsuites?[^>]* tests="(\d+)" failures="(\d+)" errors="0" skipped="0" time="([\d.]+)"/g),
  ].map((m) => m.slice(1).map(Number));
  expect(suites).toHaveLength(2);
  all!.forEach((n, i) => {
    expect(suites.reduce((sum, x) => sum + x[i]!, 0)).toBeCloseTo(n, 2);
  });
  expect([xml.match(/<testcase /g)!.length, xml.match(/<failure /g)!.length]).toEqual([all![0], all![1]]);
});

describe('what a check expects over time', () => {
  const p: Project = {
    ...ladderProject(
      ['Level AT %ID4 : REAL', 'Count AT %IW8 : INT', 'High : BOOL', 'Higher : BOOL', 'Step : Steps', 'T : TON'],
      [
        'Level > 4.0 -> High',
        'Level > 6.0 -> Higher',
        'High & !Higher & Step = Low -> { Step := Middle; }',
        'Higher & Step = Middle -> { Step := Top; }',
      ],
    ),
    types: [{ id: 'y', text: 'Steps : (Low, Middle, Top, Fault);' }],
  };
  const said = (rows: Project['checks'][number]['rows']) => {
    const c = run({ ...p, checks: [{ id: 'c', name: 'One', rows }], rules: [] }).checks[0]!;
    return c.failure ? `${c.failure.expected}: ${c.failure.seen}` : 'ok';
  };
  const ramp = { id: '1', do: ['ramp Level from 0 to 10 in 1 s'] };
  it('a ramp goes up scan by scan, numbers whole where they must be', () => {
    expect(
      said([
        { ...ramp, expect: ['High is on within 450 ms', 'Higher is on within 650 ms'] },
        { id: '2', when: 'after 400 ms', expect: ['Level = 10 ± 0.01'] },
      ]),
    ).toBe('ok');
    expect(
      said([
        { id: '1', do: ['ramp Count from 10 to 0 in 200 ms'] },
        { id: '2', when: 'after 100 ms', expect: ['Count = 5 ± 1'] },
      ]),
    ).toBe('ok');
    expect(said([ramp, { id: '2', when: 'after 500 ms', expect: ['Level = 4 ± 0.5'] }])).toMatch(
      /^Level = 4 ± 0.5: not so at/,
    );
  });
  it('things in their order, and in no other', () => {
    expect(said([{ ...ramp, expect: ['in order: High is on, Higher is on within 1 s'] }])).toBe('ok');
    expect(said([{ ...ramp, expect: ['in order: Higher is on, High is off within 1 s'] }])).toMatch(
      /1 of 2 after 1.00 s; waited for 'High is off'/,
    );
  });
  it('a path of steps: every one, in order, no other but a detour', () => {
    expect(said([{ ...ramp, expect: ['Step goes Low, Middle, Top within 1 s'] }])).toBe('ok');
    expect(said([{ ...ramp, expect: ['Step goes Low, Top within 1 s'] }])).toMatch(/left the path after Low at 0.4/);
    expect(said([{ ...ramp, expect: ['Step goes Low, Top or Middle, Fault within 1 s'] }])).toBe('ok');
    expect(said([{ ...ramp, expect: ['Step goes Low, Nowhere within 1 s'] }])).toMatch(/Nowhere/);
  });
});

describe('a check that keeps a rule', () => {
  const p: Project = {
    ...ladderProject(['A AT %IX0.0 : BOOL', 'Q : BOOL', 'R : BOOL'], ['A -> Q', 'A -> R']),
    checks: [
      {
        id: 'c',
        name: 'One',
        rows: [
          { id: 'k', do: ['set A on'] },
          { id: 'l', when: 'after 100 ms', expect: ["keeps 'Not both'"] },
        ],
      },
      { id: 'd', name: 'Two', rows: [{ id: 'm', expect: ["keeps 'not BOTH'"] }] },
    ],
    rules: [{ id: 'r', name: 'Not both', sentence: 'never Q and R together' }],
  };
  it('fails in the scan in which the rule breaks, and only then', () => {
    const [one, two] = run(p).checks;
    expect(one).toMatchObject({
      ok: false,
      failure: { row: 2, scan: 1, expected: "keeps 'Not both'", seen: "'Q and R together' held" },
    });
    expect(two!.ok).toBe(true);
  });
  it('says which rule there is none of, and which is broken itself', () => {
    expect(run({ ...p, rules: [] }).checks[0]!.failure!.seen).toBe("There is no rule 'Not both'.");
    expect(run({ ...p, rules: [{ ...p.rules[0]!, sentence: 'never Nope' }] }).checks[0]!.failure!.seen).toBe(
      "The rule 'Not both' has a problem of its own.",
    );
  });
  it('goes with the rule when it gets another name, and back', () => {
    const r = applyEdit(p, renameRule(p, 'r', 'Apart'));
    if ('refused' in r) throw new Error(r.refused);
    expect(r.project.checks.map((c) => c.rows[c.rows.length - 1]!.expect)).toEqual([
      ["keeps 'Apart'"],
      ["keeps 'Apart'"],
    ]);
    expect(run(r.project).checks.map((c) => c.ok)).toEqual([false, true]);
    expect(applyEdit(r.project, r.inverse)).toMatchObject({ project: p });
  });
});

describe('a check that cannot fail', () => {
  const withRows = (rows: Project['checks'][number]['rows']): Project => ({
    ...demo,
    checks: [{ id: 'c', name: 'New', rows }],
  });
  it.each([
    ['has no rows', []],
    ['has an empty row', [{ id: 'k' }]],
    ['only does something', [{ id: 'k', do: ['tap Start'] }]],
  ])('is not counted as passed: it %s', (_, rows) => {
    const [check] = run(withRows(rows)).checks;
    expect(check!.ok).toBe(false);
    expect(check!.failure!.seen).toContain('No row expects anything yet');
  });
  it('waiting for something within a time is an expectation', () => {
    expect(run(withRows([{ id: 'k', when: 'once Running is off within 1 s' }])).checks[0]!.ok).toBe(true);
  });
});

describe('completing a sentence', () => {
  const on = (kind: Parameters<typeof completeSentence>[1], before: string) =>
    completeSentence(demo, kind, before).map((x) => x.text);
  it('offers verbs, then what the verb works on', () => {
    expect(on('do', 't')).toEqual(
      ['tap ', 'turn ', 'let go of ', 'enter ', 'set ', 'strike '].filter((x) => on('do', 't').includes(x)),
    );
    expect(on('do', 't').slice(0, 2)).toEqual(['tap ', 'turn ']);
    expect(on('do', 'tap St')).toEqual(['Start', 'Stop']);
    expect(on('do', 'tap Start; upset Feed.')).toContain('Feed.Jam');
    expect(on('do', 'turn Auto ')).toEqual(['right', 'left']);
    expect(on('do', 'enter 5 at ')).toContain('Batch');
  });
  it('offers tags, values of an enumeration, times and rules', () => {
    expect(on('expect', 'Die')).toContain('DieDown');
    expect(on('expect', 'Step is Cr')).toEqual(['Crimping']);
    expect(on('expect', 'Step goes Feed, Cl')).toEqual(['Clamping']);
    expect(on('expect', 'Running is o')).toEqual(['on', 'off']);
    expect(on('expect', 'Running is on wi')).toEqual(['within ']);
    expect(on('expect', 'Running is on within ')).toContain('500 ms');
    expect(on('expect', "keeps 'Die")).toEqual(["'Die and feed never together'", "'Die never closes unclamped'"]);
    expect(on('rule', 'DieClose req')).toEqual(['requires ']);
    expect(on('when', '')).toEqual(['at once', 'after ', 'once ', 'at the same time']);
  });
});

describe('a table of values and a shared beginning', () => {
  const counting: Project = {
    ...ladderProject(
      ['Go : BOOL', 'Running : BOOL', 'Pulse : BOOL', 'Done : BOOL', 'Wanted : INT := 9'],
      ['Go -> Running', 'Running & Pulse & Wanted <= 1 -> Done'],
    ),
    checks: [
      {
        id: 'go',
        name: 'Going',
        rows: [{ id: 'g1', do: ['set Go to TRUE'], expect: ['Running is on within 3 scans'] }],
      },
      {
        id: 'n',
        name: 'Counts',
        begins: 'go',
        table: {
          columns: ['Batch', 'Seen'],
          rows: [
            ['1', 'on'],
            ['2', 'off'],
          ],
        },
        rows: [
          { id: 'n1', do: ['set Wanted to {Batch}', 'set Pulse to TRUE'] },
          { id: 'n2', when: 'after 3 scans', expect: ['Done is {seen}'] },
        ],
      },
    ],
  };
  const of = (change: (c: Project['checks']) => Project['checks']): Project => ({
    ...counting,
    checks: change(counting.checks),
  });

  it('is played once for each row, after the rows it begins with', () => {
    const r = run(counting);
    expect(r.checks.map((c) => [c.name, c.run, c.ok])).toEqual([
      ['Going', undefined, true],
      ['Counts (Batch 1)', 0, true],
      ['Counts (Batch 2)', 1, true],
    ]);
    expect(r.checks[1]!.rows.map((x) => [x.id, x.of])).toEqual([
      ['g1', 'Going'],
      ['n1', undefined],
      ['n2', undefined],
    ]);
    expect(proofLines(r).at(-1)).toBe('4 passed, 0 failed, 0 open');
    expect(junitXml([{ project: 'p', result: r }])).toContain('name="Counts (Batch 2)"');
    expect(reportHtml(r, { project: counting, hash: 'h', ...MADE, controller: 'no answer' })).toContain(
      'The controller did not answer when this report was made.',
    );
    expect(
      reportHtml(r, {
        project: counting,
        hash: 'h',
        ...MADE,
        modbus: [
          ['Point', 'Number'],
          ['A<', '7'],
        ],
      }),
    ).toContain('<tr><th>Point</th><th>Number</th></tr><tr><td>A&lt;</td><td>7</td></tr>');
    const record = {
      name: 'Cabinet A',
      kept: { project: 'Other <b>', revision: 4, hash: 'f'.repeat(64) },
      events: [{ at: Date.UTC(2026, 0, 2, 3, 4, 5), kind: 'fault', words: 'Division <by> zero' }],
    };
    const told = reportHtml(r, { project: counting, hash: 'h', ...MADE, controller: record });
    expect(told).toContain('keeps another program than this: Other &lt;b&gt;, rev 4');
    expect(told).toContain('<td>2026-01-02 03:04:05</td><td>fault</td><td>Division &lt;by&gt; zero</td>');
    expect(
      reportHtml(r, {
        project: counting,
        hash: 'h',
        ...MADE,
        controller: { ...record, kept: { ...record.kept, hash: 'h' } },
      }),
    ).toContain('Cabinet A keeps this program, rev 4.');
    const page = reportHtml(r, { project: counting, hash: 'h', ...MADE });
    expect(page).toContain('set Wanted to 2; set Pulse to TRUE');
    expect(page).toContain('<small>Going</small> at once');
  });
  it('fails with the values and the row, and only with those', () => {
    const r = run(
      of(([go, n]) => [
        go!,
        {
          ...n!,
          table: {
            columns: ['Batch', 'Seen'],
            rows: [
              ['1', 'on'],
              ['2', 'on'],
            ],
          },
        },
      ]),
    );
    expect(r.checks.map((c) => c.ok)).toEqual([true, true, false]);
    expect(proofLines(r)[2]).toMatch(/^FAILED check Counts \(Batch 2\): row 2, scan \d+.*expected 'Done is on'/);
    expect(prove(planProof(counting, 'p'), { ...step, only: 'counts' }).checks).toHaveLength(2);
  });
  it.each<[string, string[], string[][], string[]]>([
    [
      'the first column that differs in each row',
      ['Side', 'Step', 'Code'],
      [
        ['a', 'Fill', '1'],
        ['a', 'Empty', '2'],
        ['b', 'Rest', '3'],
      ],
      ['Step Fill', 'Step Empty', 'Step Rest'],
    ],
    [
      'as many columns as it takes',
      ['Side', 'Step', 'Code'],
      [
        ['a', 'Fill', '1'],
        ['a', 'Empty', '1'],
        ['b', 'Fill', '1'],
      ],
      ['Side a, Step Fill', 'Side a, Step Empty', 'Side b, Step Fill'],
    ],
    [
      'all, and the row, where rows are the same',
      ['Side', 'Step'],
      [
        ['a', 'Fill'],
        ['a', 'Fill'],
      ],
      ['Side a, Step Fill, row 1', 'Side a, Step Fill, row 2'],
    ],
    ['what is missing by a dash', ['Side'], [['a'], ['']], ['Side a', 'Side –']],
  ])('a run is named by %s', (_, columns, rows, names) => {
    expect(
      checkRuns({ ...demo, checks: [{ id: 'c', name: 'C', rows: [], table: { columns, rows } }] }).map((r) => r.name),
    ).toEqual(names.map((n) => `C (${n})`));
  });
  it('a beginning that fails is named', () => {
    const r = run(breakRung(counting, 'Go -> Running', '!Go -> Running'));
    expect(proofLines(r)[1]).toContain("FAILED check Counts (Batch 1): row 1 of 'Going'");
    expect(r.checks[1]!.rows.map((x) => x.status)).toEqual(['failed', 'notReached', 'notReached']);
  });
  it.each<[string, (c: Project['checks']) => Project['checks'], string]>([
    [
      'a name that is no column',
      ([go, n]) => [go!, { ...n!, table: { columns: ['Batch'], rows: [['1']] } }],
      "'{seen}' is no column of its table (Batch).",
    ],
    [
      'a value where there is no table',
      ([go, n]) => [go!, { id: n!.id, name: n!.name, rows: n!.rows }],
      "'{Batch}' stands for a value from a table, but the check has no table.",
    ],
    [
      'an empty cell',
      ([go, n]) => [go!, { ...n!, table: { columns: ['Batch', 'Seen'], rows: [['1', '']] } }],
      'Row 1 of its table has no Seen.',
    ],
    [
      'no rows',
      ([go, n]) => [go!, { ...n!, table: { columns: ['Batch', 'Seen'], rows: [] } }],
      'Its table has no rows, so nothing would be played.',
    ],
    [
      'two columns of one name',
      ([go, n]) => [go!, { ...n!, table: { columns: ['Batch', 'batch'], rows: [['1', '2']] } }],
      "Its table has two columns 'batch'.",
    ],
    [
      'a beginning that is gone',
      ([, n]) => [n!],
      'The check it begins with is no longer there; choose another, or none.',
    ],
    ['a loop', ([go, n]) => [{ ...go!, begins: 'go' }, n!], 'which in the end begins with itself'],
    [
      'a beginning with a table',
      ([go, n]) => [{ ...go!, table: { columns: ['X'], rows: [['1']] } }, n!],
      "It begins with 'Going', which has a table of values; a beginning has none.",
    ],
  ])('%s is said, and the rest is played', (_, change, message) => {
    const project = of(change),
      plan = planProof(project, 'p'),
      said = plan.diagnostics.map((d) => d.message).join('\n');
    expect(said).toContain(message);
    const r = prove(plan, step);
    expect(r.checks.some((c) => !c.ok && c.failure!.seen.includes(message))).toBe(true);
  });
  it('one value that is wrong takes only its own run out, and is said at its sentence once', () => {
    const plan = planProof(
      of(([go, n]) => [
        go!,
        {
          ...n!,
          table: {
            columns: ['Batch', 'Seen'],
            rows: [
              ['1', 'on'],
              ['many', 'off'],
              ['many', 'off'],
            ],
          },
        },
      ]),
      'p',
    );
    expect(plan.diagnostics).toHaveLength(1);
    expect(plan.diagnostics[0]!.at.source.origin).toMatchObject({ kind: 'cell', id: 'n', row: 1, cell: 'do' });
    expect(prove(plan, step).checks.map((c) => c.ok)).toEqual([true, true, false, false]);
  });
  it('a wrong sentence of a beginning is said once, where it stands', () => {
    const plan = planProof(
      of(([go, n]) => [{ ...go!, rows: [{ id: 'g1', expect: ['Runing is on'] }] }, n!]),
      'p',
    );
    expect(plan.diagnostics.map((d) => d.at.source.origin)).toEqual([expect.objectContaining({ id: 'go', row: 1 })]);
    expect(prove(plan, step).checks.every((c) => !c.ok)).toBe(true);
  });
});
