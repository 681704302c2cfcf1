/**
 * Search, reach and mutation on the examples: what is broken is found, what is sound is not, the same seed says the
 * same.
 */
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { Compiler, compile } from '../../workspace.js';
import {
  LANES,
  Lane,
  Search,
  failingAlready,
  goOn,
  lanesOf,
  lookedWords,
  mergeLanes,
  neverReached,
  mutantsOf,
  mutated,
  planProof,
  prove,
  reachOf,
  tryMutant,
  unreachedTargets,
} from '../../verify.js';
import type { Project } from '../../document.js';
import { shorten } from './search.js';
import { ladderProject } from '../../../test/support.js';

const load = (name: string) =>
  JSON.parse(readFileSync(new URL(`../../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8')) as Project;
const cell = load('wire-end-crimp-cell'),
  dust = load('dust-extractor');
/** The saws at work and nothing that goes wrong. */
const few: Project = {
  ...dust,
  checks: dust.checks.filter((c) => ['One saw', 'The third saw waits'].includes(c.name)),
};
const step = { stepNs: 10_000_000n };
const broken = (p: Project, from: string, to: string): Project => {
  const next = {
    ...p,
    pous: p.pous.map((x) =>
      x.language === 'LD' ? { ...x, rungs: x.rungs.map((r) => ({ ...r, line: r.line.replace(from, to) })) } : x,
    ),
  };
  if (JSON.stringify(next) === JSON.stringify(p)) throw new Error(`nothing to break: ${from}`);
  return next;
};
/** Goes on until something is found, or so many scans are done. */
const search = (p: Project, scans: number, seed = 1, wanted?: string) => {
  const s = new Search(planProof(p, 'p'), p, { ...step, seed, upsets: true });
  do s.run(100_000);
  while (!s.isDone && s.state.scans < scans && !s.state.found.some((f) => f.rule === wanted));
  return s.state;
};

describe('search', () => {
  it.each([
    [
      'the die closing unclamped',
      cell,
      'Step = Placing | Step = Crimping | Step = Pulling) |',
      'Step = Placing | Step = Pulling) |',
      'Die never closes unclamped',
    ],
    [
      'the blade without the clamp',
      cell,
      'Step = Cutting & ClampShut -> BladeOut',
      'Step = Cutting -> BladeOut',
      'Blade only into a held wire',
    ],
    [
      'a saw without its gate',
      dust,
      'Saw1Sel & Gate1Valve & Gate1Open & FanReady',
      'Saw1Sel & Gate1Valve & FanReady',
      'No saw without its gate',
    ],
    ['three saws', dust, ' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve', 'Never three at once'],
    [
      'the emergency stop',
      dust,
      ' & EStopOK & FanLoadOK & !Fault & !Locked -> FanMotor',
      ' & FanLoadOK & !Fault -> FanMotor',
      'The emergency stop stops',
    ],
  ])('finds %s', (_, project, from, to, rule) => {
    const p = broken(project, from, to);
    const r = search({ ...p, checks: [] }, 3_000_000, 1, rule);
    const found = r.found.find((f) => f.rule === rule);
    expect(found, `${r.scans} scans, ${r.states} states, open: ${r.open.join()}`).toBeTruthy();
    // Short enough to read, and nothing in it can be left out: that is what shortening means.
    expect(found!.recording.length).toBeLessThanOrEqual(8);
    // Kept as a check it fails on this logic, in the scan in which the rule breaks, and passes on the sound one.
    const kept = [{ id: 'kept', name: 'Kept', rows: found!.rows }];
    const failed = prove(planProof({ ...p, checks: kept }, 'p'), { ...step, only: 'Kept' }).checks[0]!;
    expect([failed.failure?.scan, failed.failure?.expected, failed.failure?.seen]).toEqual([
      found!.scan,
      `keeps '${rule}'`,
      found!.seen,
    ]);
    const passed = prove(planProof({ ...project, checks: kept }, 'p'), { ...step, only: 'Kept' }).checks[0]!;
    expect([passed.ok, passed.failure]).toEqual([true, undefined]);
  });
  it('finds what comes long after the last thing done', () => {
    const p: Project = {
      ...ladderProject(
        ['A AT %IX0.0 : BOOL', 'B : BOOL', 'C : BOOL', 'D : BOOL', 'T1 : TON', 'T2 : TON', 'T3 : TON'],
        ['T1(PT := 10 s) -> set B', 'B & T2(PT := 10 s) -> set C', 'C & T3(PT := 10 s) -> set D'],
      ),
      rules: [
        { id: 'r', name: 'No D', sentence: 'never D' },
        { id: 's', name: 'D only with A', sentence: 'D requires A' },
      ],
    };
    const {
      found: [found, other],
    } = search(p, 500_000, 1, 'D only with A');
    // Both in one scan.
    expect(other?.scan ?? found!.scan).toBe(found!.scan);
    expect([found!.recording, found!.scan]).toEqual([[], 3001]);
    expect(found!.rows.map((r) => [r.when, r.expect])).toEqual([['after 30.01 s', ["keeps 'No D'"]]]);
  });
  it('finds inputs that reach what the checks have not reached; kept as a check they do reach it', () => {
    const plan = planProof(few, 'p'),
      reach = reachOf(plan, step.stepNs),
      image = plan.compiled.build(true),
      targets = unreachedTargets(plan, reach, image);
    expect(targets.map((t) => t.name)).toContain('Extraction rung 12 element 2 open');
    const s = new Search(plan, few, { ...step, seed: 1, upsets: true, targets }, image);
    s.run(600_000);
    expect(s.state.found.length).toBeGreaterThan(0);
    const kept = {
        ...few,
        checks: [...few.checks, ...s.state.found.map((f, i) => ({ id: `f${i}`, name: f.rule, rows: f.rows }))],
      },
      again = reachOf(planProof(kept, 'p'), step.stepNs);
    expect(again.result.checks.filter((c) => !c.ok).map((c) => c.failure)).toEqual([]);
    expect(unreachedTargets(plan, again, image).map((t) => t.id)).toEqual(
      targets.map((t) => t.id).filter((id) => !s.state.found.some((f) => f.ruleId === id)),
    );
  });
  it('finds nothing in sound logic, and says how far it looked', () => {
    const r = search(dust, 400_000);
    expect(r.found).toEqual([]);
    expect(r.scans).toBeGreaterThanOrEqual(400_000);
    expect(r.states).toBeGreaterThan(20);
  });
  it('in lanes: what is found does not hang on how many go at a time', () => {
    const p = broken(cell, 'Step = Cutting & ClampShut -> BladeOut', 'Step = Cutting -> BladeOut'),
      plan = planProof(p, 'p'),
      options = { seed: 3, upsets: true, scans: 400_000 };
    const lanes = () => Array.from({ length: LANES }, (_, n) => new Lane(n, plan, p, options));
    const one = lanes(),
      all = lanes();
    for (const l of one) while (!l.isDone) l.run(1_000_000);
    while (all.some((l) => !l.isDone)) for (const l of [...all].reverse()) l.run(30_000);
    const [a, b] = [one, all].map((x) => mergeLanes(x.map((l) => l.state)));
    expect(b!.found).toEqual(a!.found);
    expect(a!.found.map((f) => f.rule)).toContain('Blade only into a held wire');
    expect(a!.open).not.toContain('Blade only into a held wire');
  });
  it('lanes look for what the checks did not reach too, and what they find plays as a check', () => {
    const plan = planProof(few, 'p'),
      missing = reachOf(plan, step.stepNs),
      options = { seed: 1, upsets: true, scans: 400_000, missing };
    const lanes = Array.from({ length: LANES }, (_, n) => new Lane(n, plan, few, options));
    for (const l of lanes) while (!l.isDone) l.run(50_000);
    const all = mergeLanes(lanes.map((l) => l.state));
    expect(all.found.length).toBeGreaterThan(0);
    expect(all.found.length + all.open.length).toBe(unreachedTargets(plan, missing, plan.compiled.build(true)).length);
    const kept: Project = {
      ...few,
      rules: [],
      checks: all.found
        .filter((f) => f.rows.at(-1)!.expect?.length)
        .map((f, i) => ({ id: `k${i}`, name: f.rule, rows: f.rows })),
    };
    expect(
      prove(planProof(kept, 'p'), step)
        .checks.filter((c) => !c.ok)
        .map((c) => c.name),
    ).toEqual([]);
  });
  it('says the same for the same seed', () => {
    const p = { ...broken(dust, ' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve'), checks: [] };
    expect(search(p, 300_000, 5)).toEqual(search(p, 300_000, 5));
  });
  it('works free inputs where there is no machine', () => {
    const p: Project = {
      ...ladderProject(
        ['A AT %IX0.0 : BOOL', 'B AT %IX0.1 : BOOL', 'Q : BOOL', 'R : BOOL', 'T : TON'],
        ['A & T(PT := 500 ms) -> Q', 'B -> R'],
      ),
      rules: [{ id: 'r', name: 'Apart', sentence: 'never Q and R together' }],
    };
    const r = search(p, 200_000);
    expect(r.found[0]?.recording.map((e) => e.event)).toEqual(
      expect.arrayContaining([
        { kind: 'write', path: 'A', value: true },
        { kind: 'write', path: 'B', value: true },
      ]),
    );
    expect(r.found[0]!.recording).toHaveLength(2);
  });
  it('works free inputs that are numbers, with the values that the logic speaks of and within what they are meant to hold', () => {
    const declared = [
      'Level AT %IW0 : INT',
      'Flow AT %ID4 : REAL',
      'Mode AT %IB9 : USINT',
      'Cold AT %IW10 : INT',
      'Q : BOOL',
      'V : BOOL',
      'R : BOOL',
      'S : BOOL',
    ];
    const p: Project = {
      ...ladderProject(declared, [
        'Level > 4711 & Level < 4713 -> Q',
        'Flow > 80.5 & Flow < 82.0 -> R',
        'Mode = 7 & Flow > 1000.0 -> S',
        'Cold < -321 & Cold > -323 -> V',
      ]),
      rules: [
        { id: 'q', name: 'No Q', sentence: 'never Q' },
        { id: 'r', name: 'No R', sentence: 'never R' },
        { id: 's', name: 'No S', sentence: 'never S' },
        { id: 'v', name: 'No V', sentence: 'never V' },
      ],
    };
    const found = (x: Project) =>
      search(x, 100_000).found.map((f) => [
        f.rule,
        f.recording.map((e) => 'path' in e.event && [e.event.path, e.event.value]),
      ]);
    expect(found(p).sort()).toEqual([
      ['No Q', [['Level', 4712n]]],
      ['No R', [['Flow', expect.closeTo(81.2, 0)]]],
      ['No S', expect.arrayContaining([['Mode', 7n]])],
      ['No V', [['Cold', -322n]]],
    ]);
    // What a tag is not meant to hold is not tried.
    const within = {
      ...p,
      tags: p.tags.map((t) =>
        t.name === 'Level' ? { ...t, range: '0..4000' } : t.name === 'Flow' ? { ...t, range: '0..100' } : t,
      ),
    };
    expect(
      found(within)
        .map(([name]) => name)
        .sort(),
    ).toEqual(['No R', 'No V']);
  });
  it('ends when its time is over with what it has by then: the beginning of what it would have found', () => {
    const p = { ...broken(dust, ' & (!Gate1Valve | !Gate2Valve) -> Gate3Valve', ' -> Gate3Valve'), checks: [] },
      plan = planProof(p, 'p'),
      options = { seed: 5, upsets: true, scans: 400_000 };
    const lanes = lanesOf(1, 3).map((n) => new Lane(n, plan, p, options));
    expect(lanes.map((l) => l.number)).toEqual([1, 4, 7]);
    expect(goOn(lanes)).toBe(false);
    const early = mergeLanes(lanes.map((l) => l.state));
    while (!goOn(lanes));
    const whole = mergeLanes(lanes.map((l) => l.state));
    expect(early.scans).toBeLessThan(whole.scans);
    expect(whole.found.map((f) => f.rule)).toEqual(expect.arrayContaining(early.found.map((f) => f.rule)));
    expect(lookedWords({ scans: 4_200_000, deepest: 600 })).toBe(
      'no counterexample in 4,200,000 scans of search, depth 600',
    );
    // Each lane is some worker's, once.
    for (const workers of [1, 2, 3, 8])
      expect(
        Array.from({ length: workers }, (_, i) => lanesOf(i, workers))
          .flat()
          .sort((a, b) => a - b),
      ).toEqual(Array.from({ length: LANES }, (_, n) => n));
  });
  it('a shortened script still holds and can lose nothing', () => {
    const script = Array.from({ length: 40 }, (_, i) => ({
      scan: i * 37,
      event: { kind: 'write' as const, path: `X${i}`, value: true },
    }));
    const needs = ['X7', 'X20', 'X33'];
    const holds = (s: readonly { event: { path?: string } }[]) => needs.every((n) => s.some((e) => e.event.path === n));
    const short = shorten(script, holds as never);
    expect(short.map((e) => 'path' in e.event && e.event.path)).toEqual(needs);
    expect(short.map((e) => e.scan)).toEqual([0, 0, 0]);
  });
});

describe('reach', () => {
  it('counts contacts seen both ways, rungs powered, steps entered, branches taken', () => {
    const r = reachOf(planProof(cell, 'p'), 10_000_000n);
    expect(r.figures.steps).toEqual({ reached: 16, of: 16 });
    expect(r.figures.rungs.reached).toBeGreaterThan(30);
    expect(r.figures.contacts.reached / r.figures.contacts.of).toBeGreaterThan(0.5);
    const blink = r.rungs.find((x) => x.pou === 'Cell' && x.number === 1)!;
    expect(blink).toMatchObject({ powered: true });
    // Nothing but three lines: what a check does not do is not reached.
    const small: Project = {
      ...ladderProject(
        ['A AT %IX0.0 : BOOL', 'B AT %IX0.1 : BOOL', 'Q : BOOL'],
        ['A & B -> Q', 'B -> { Q := FALSE; }'],
      ),
      checks: [{ id: 'c', name: 'C', rows: [{ id: 'k', do: ['set A to 1'], expect: ['Q is off'] }] }],
    };
    const s = reachOf(planProof(small, 'p'), 10_000_000n);
    expect(s.rungs.map((x) => [x.powered, x.elements.map((e) => [e.closed, e.open])])).toEqual([
      [
        false,
        [
          [true, false],
          [false, true],
        ],
      ],
      [false, [[false, true]]],
    ]);
    expect(s.figures).toMatchObject({ contacts: { reached: 0, of: 3 }, rungs: { reached: 0, of: 2 } });
    expect(s.rungs.map(neverReached)).toEqual([
      'never powered; A never open; B never closed',
      'never powered; B never closed',
    ]);
  });
});

describe('mutation', () => {
  it('changes one thing at a time, and tells what nobody noticed', () => {
    const p: Project = {
      ...ladderProject(
        ['A AT %IX0.0 : BOOL', 'B AT %IX0.1 : BOOL', 'Q : BOOL', 'Lamp : BOOL'],
        ['A & !B -> Q', 'Q -> Lamp'],
      ),
      checks: [{ id: 'c', name: 'On', rows: [{ id: 'k', do: ['set A to 1'], expect: ['Q is on within 2 scans'] }] }],
    };
    const all = mutantsOf(p);
    expect(all.map((m) => [m.place.kind === 'rung' && m.place.number, m.what, m.after])).toEqual([
      [1, 'A inverted', '!A & !B -> Q'],
      [1, 'A left out', '!B -> Q'],
      [1, 'B inverted', 'A & B -> Q'],
      [1, 'B left out', 'A -> Q'],
      [1, 'Q negated', 'A & !B -> !Q'],
      [1, 'Q set instead', 'A & !B -> set Q'],
      [2, 'Q inverted', '!Q -> Lamp'],
      [2, 'Q left out', '-> Lamp'],
      [2, 'Lamp negated', 'Q -> !Lamp'],
      [2, 'Lamp set instead', 'Q -> set Lamp'],
    ]);
    const results = all.map((m) => tryMutant(p, m, 10_000_000n)!);
    expect(results.filter((r) => !r.noticedBy).map((r) => r.what)).toEqual([
      'A left out',
      'B left out',
      'Q set instead',
      'Q inverted',
      'Q left out',
      'Lamp negated',
      'Lamp set instead',
    ]);
    expect(results.find((r) => r.what === 'A inverted')!.noticedBy).toBe('On');
  });
  it('takes legs and outputs away, forgets edges, changes presets and what actions do', () => {
    const lines = [
      '(A | B & !C) & ^D -> Q, (E -> Lamp)',
      'A & T1(PT := 300 ms) -> set Q',
      '^A & N1(PV := 3) -> { n := n + 1; }',
      '(n > 2) -> Lamp, Q',
    ];
    const p = ladderProject(
      [
        'A : BOOL',
        'B : BOOL',
        'C : BOOL',
        'D : BOOL',
        'E : BOOL',
        'Q : BOOL',
        'Lamp : BOOL',
        'n : INT',
        'T1 : TON',
        'N1 : CTU',
      ],
      lines,
    );
    const of = (k: number) =>
      mutantsOf(p)
        .filter((m) => m.place.kind === 'rung' && m.place.number === k)
        .map((m) => `${m.what}: ${m.after}`);
    expect(of(1)).toEqual(
      expect.arrayContaining([
        'A left out: B & !C & ^D -> Q, (E -> Lamp)',
        'the leg with B taken away: A & ^D -> Q, (E -> Lamp)',
        'D without its edge: (A | B & !C) & D -> Q, (E -> Lamp)',
        'the output Q taken away: (A | B & !C) & ^D -> (E -> Lamp)',
      ]),
    );
    expect(of(2)).toEqual(
      expect.arrayContaining([
        'T1 twice as long: A & T1(PT := 600 ms) -> set Q',
        'T1 half as long: A & T1(PT := 150 ms) -> set Q',
        'Q no longer held: A & T1(PT := 300 ms) -> Q',
      ]),
    );
    expect(of(3)).toEqual(
      expect.arrayContaining([
        'N1 PV one more: ^A & N1(PV := 4) -> { n := n + 1; }',
        '1 one more: ^A & N1(PV := 3) -> { n := n + 2; }',
        'n := n + 1 left out: ^A & N1(PV := 3) -> { ; }',
      ]),
    );
    expect(of(4)).toEqual(expect.arrayContaining(['the output Q taken away: n > 2 -> Lamp']));
    // Each is logic that can be run, and differs from what it was.
    for (const m of mutantsOf(p))
      expect([
        m.what,
        m.after === m.before,
        compile([{ kind: 'project', name: 'p', project: mutated(p, m) }]).hasErrors,
      ]).toEqual([m.what, false, false]);
  });
  it('changes text: conditions, comparisons, AND and OR, assignments, numbers and times', () => {
    const text = [
      'PROGRAM Main',
      'VAR t : TON; END_VAR',
      'IF NOT A AND n >= 2 THEN',
      '  Q := TRUE;',
      'ELSIF B OR (n = 0) THEN',
      '  r := r + 1.5;',
      'END_IF;',
      't(IN := B, PT := T#2s);',
      'END_PROGRAM',
      '',
    ].join('\n');
    const p: Project = {
      ...ladderProject(['A : BOOL', 'B : BOOL', 'Q : BOOL', 'n : INT', 'r : REAL'], []),
      pous: [{ id: 'p', name: 'Main', language: 'ST', kind: 'program', text }],
    };
    const all = mutantsOf(p),
      line = (m: (typeof all)[number]) => m.after.split('\n')[(m.place as { line: number }).line - 1]!.trim();
    expect(all.map((m) => [m.what, line(m)])).toEqual([
      ['NOT A AND n >= 2 negated', 'IF NOT (NOT A AND n >= 2) THEN'],
      ['OR instead of AND in NOT A AND n >= 2', 'IF NOT A OR n >= 2 THEN'],
      ['NOT A without its NOT', 'IF  A AND n >= 2 THEN'],
      ['n >= 2 turned round', 'IF NOT A AND n < 2 THEN'],
      ['2 one more', 'IF NOT A AND n >= 3 THEN'],
      ['Q := TRUE left out', ';'],
      ['TRUE turned round', 'Q := FALSE;'],
      ['B OR (n = 0) negated', 'ELSIF NOT (B OR (n = 0)) THEN'],
      ['AND instead of OR in B OR (n = 0)', 'ELSIF B AND (n = 0) THEN'],
      ['(n = 0) turned round', 'ELSIF B OR (n <> 0) THEN'],
      ['0 one more', 'ELSIF B OR (n = 1) THEN'],
      ['r := r + 1.5 left out', ';'],
      ['1.5 a tenth more', 'r := r + 1.65;'],
      ['T#2s twice as long', 't(IN := B, PT := T#4s);'],
      ['T#2s half as long', 't(IN := B, PT := T#1s);'],
    ]);
    for (const m of all)
      expect([
        m.what,
        compile([{ kind: 'project', name: 'p', project: mutated(p, m) }])
          .diagnostics.filter((d) => d.severity === 'error')
          .map((d) => d.message),
      ]).toEqual([m.what, []]);
  });
  it('a check that fails without any change notices none', () => {
    const p: Project = {
      ...ladderProject(['A AT %IX0.0 : BOOL', 'Q : BOOL'], ['A -> Q']),
      checks: [
        { id: 'bad', name: 'Never right', rows: [{ id: 'a', expect: ['Q is on'] }] },
        { id: 'c', name: 'On', rows: [{ id: 'k', do: ['set A to 1'], expect: ['Q is on within 2 scans'] }] },
      ],
    };
    const failing = failingAlready(planProof(p, 'p'), 10_000_000n),
      all = mutantsOf(p);
    expect(failing.names).toEqual(['Never right']);
    expect(all.map((m) => [m.what, tryMutant(p, m, 10_000_000n, undefined, failing)!.noticedBy])).toEqual([
      ['A inverted', 'On'],
      ['A left out', undefined],
      ['Q negated', 'On'],
      ['Q set instead', undefined],
    ]);
  });
  it('a compiler that is kept from one change to the next gives the same results', () => {
    const all = mutantsOf(dust).filter((_, i) => i % 9 === 0),
      compiler = new Compiler();
    for (const m of all)
      expect(tryMutant(dust, m, 10_000_000n, compiler)?.noticedBy).toBe(tryMutant(dust, m, 10_000_000n)?.noticedBy);
  });
  it('the checks of the dust extractor notice most of what is done to it', () => {
    const all = mutantsOf(dust);
    const results = all.flatMap((m) => tryMutant(dust, m, 10_000_000n) ?? []);
    const noticed = results.filter((r) => r.noticedBy).length;
    expect(all.length).toBeGreaterThan(80);
    expect(noticed / results.length).toBeGreaterThan(0.5);
  });
});

it('in the canal lock an interlock left out is found, and the sound one stands a million scans', () => {
  const lock = load('canal-lock');
  expect(search(lock, 1_000_000).found).toEqual([]);
  const r = search(
    { ...broken(lock, ' & LowerOpen -> GreenBelow', ' -> GreenBelow'), checks: [] },
    2_000_000,
    1,
    'Green only with the gates open',
  );
  expect(r.found.map((f) => f.rule)).toContain('Green only with the gates open');
});
