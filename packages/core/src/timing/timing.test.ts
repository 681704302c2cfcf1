/**
 * Timing: steps and cycles of a run, how they are spread, the longest chain through steps that run beside each other.
 */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type CheckRow, type Project, emptyProject } from '../document.js';
import {
  History,
  type StepSpan,
  cyclesOf,
  cyclesToCsv,
  endingsOf,
  homeOf,
  longestChain,
  readValueNames,
  spansOf,
  spreadOf,
  stepTags,
  wholeNumbers,
  stepTimings,
  waitings,
} from '../bench.js';
import { compile } from '../workspace.js';
import { completeSentence, planProof, prove } from '../verify.js';

const spans = (list: readonly (readonly [value: number, scans: number])[]): readonly StepSpan[] => {
  let at = 0;
  return list.map(([value, scans], i) => {
    const from = at;
    at += scans;
    return { value, from, to: at, isBegun: i > 0, isEnded: i + 1 < list.length };
  });
};
const points = (list: readonly StepSpan[]) =>
  Float64Array.from(list.flatMap((s) => [s.from, s.value, s.value, s.value]));

describe('spans and cycles', () => {
  it('are found by themselves, from a step left to the same step entered again', () => {
    const s = spans([
      [0, 10],
      [1, 5],
      [2, 7],
      [0, 3],
      [1, 6],
      [2, 7],
      [0, 1],
      [1, 4],
    ]);
    const { closed, open } = cyclesOf(s, 0);
    expect(closed.map((c) => [c.number, c.from, c.to, c.idle])).toEqual([
      [1, 10, 22, undefined],
      [2, 25, 38, 3],
    ]);
    expect(open).toMatchObject({ from: 39, to: 43, idle: 1 });
    expect(stepTimings(closed)).toMatchObject([
      { value: 1, share: 11 / 25, spread: { count: 2, smallest: 5, median: 5.5, largest: 6 } },
      { value: 2, share: 14 / 25, spread: { count: 2, smallest: 7, median: 7, largest: 7 } },
    ]);
    expect(cyclesToCsv(closed, 10, (v) => `Step${v}`)).toBe(
      'cycle,begins_s,takes_s,idle_before_s,Step1_s,Step2_s\r\n1,0.1,0.12,,0.05,0.07\r\n2,0.25,0.13,0.03,0.06,0.07\r\n',
    );
  });
  it('say nothing of what is not known, nor of a cycle whose beginning was not seen', () => {
    const hole = Float64Array.from([0, 1, 1, 1, 5, 0, 0, 0, 9, NaN, NaN, NaN, 20, 2, 2, 2, 25, 0, 0, 0]);
    expect(spansOf(hole, 0, 30)).toEqual([
      { value: 1, from: 0, to: 5, isBegun: true, isEnded: true },
      { value: 0, from: 5, to: 9, isBegun: true, isEnded: false },
      { value: 2, from: 20, to: 25, isBegun: false, isEnded: true },
      { value: 0, from: 25, to: 30, isBegun: true, isEnded: false },
    ]);
    expect(cyclesOf(spansOf(hole, 0, 30), 0).closed).toEqual([]);
    // From the middle of a line its first value is not where it began.
    expect(spansOf(Float64Array.from([100, 3, 3, 3]), 0, 120)).toEqual([
      { value: 3, from: 100, to: 120, isBegun: false, isEnded: false },
    ]);
  });
  it('law: spans and cycles add up to what they were made from', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 0, max: 4 }), fc.integer({ min: 1, max: 50 })), { maxLength: 60 }),
        fc.integer({ min: 0, max: 4 }),
        (list, home) => {
          const joined = list.filter(([v], i) => i === 0 || v !== list[i - 1]![0]);
          const s = spans(joined),
            end = s.at(-1)?.to ?? 0;
          expect(spansOf(points(s), 0, end)).toEqual(s.map((x, i) => (i ? x : { ...x, isBegun: true })));
          const { closed, open } = cyclesOf(s, home);
          // A cycle is its pieces without a gap, holds no home, and lies between two of them.
          for (const c of closed) {
            expect(c.pieces.reduce((n, p) => n + p.to - p.from, 0)).toBe(c.to - c.from);
            expect(c.pieces.every((p) => p.value !== home)).toBe(true);
            expect(s.some((x) => x.value === home && x.to === c.from)).toBe(true);
            expect(s.some((x) => x.value === home && x.from === c.to)).toBe(true);
          }
          const homes = s.filter((x) => x.value === home).length;
          expect(closed.length).toBe(Math.max(0, homes - 1));
          expect(open !== undefined).toBe(homes > 0 && s.at(-1)!.value !== home);
          const timings = stepTimings(closed),
            whole = closed.reduce((n, c) => n + c.to - c.from, 0);
          expect(timings.reduce((n, t) => n + t.spread.sum, 0)).toBe(whole);
          if (whole) expect(timings.reduce((n, t) => n + t.share, 0)).toBeCloseTo(1);
        },
      ),
    );
  });
  it('law: of a spread the quarters lie in order, and each has its share of the numbers on its side', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 0, max: 1000 }), { minLength: 1, maxLength: 80 }), (list) => {
        const s = spreadOf(list)!;
        const order = [s.smallest, s.lower, s.median, s.upper, s.largest];
        expect([...order].sort((a, b) => a - b)).toEqual(order);
        expect(list.filter((x) => x <= s.median).length * 2).toBeGreaterThanOrEqual(list.length);
        expect(list.filter((x) => x >= s.median).length * 2).toBeGreaterThanOrEqual(list.length);
        expect(s.sum).toBe(list.reduce((a, b) => a + b, 0));
      }),
    );
    expect(spreadOf([])).toBeUndefined();
    expect(spreadOf([4, 1, 3, 2])).toMatchObject({ lower: 1.75, median: 2.5, upper: 3.25 });
  });
  it('are counted from where the sequence begins, else from the step most often entered', () => {
    const s = spans([
      [0, 10],
      [1, 5],
      [2, 90],
      [1, 6],
      [2, 90],
      [1, 4],
    ]);
    expect(homeOf(s)).toBe(1);
    expect(homeOf(s, 2)).toBe(2);
    expect(homeOf([...s, { value: 0, from: 205, to: 210, isBegun: true, isEnded: false }])).toBe(0);
    expect(homeOf([])).toBeUndefined();
  });
});

describe('the longest chain', () => {
  // Feed runs beside Press; Press waits in 1 for Feed to come into 2, and Feed in 2 for nobody.
  const press = {
    path: 'Press',
    spans: spans([
      [0, 2],
      [1, 28],
      [2, 10],
      [0, 1],
    ]),
  };
  const feed = {
    path: 'Feed',
    spans: spans([
      [0, 5],
      [1, 25],
      [2, 11],
    ]),
  };
  const causeOf = (path: string, scan: number) =>
    path === 'Press' && scan === 30 ? { path: 'Feed', scan: 30 } : undefined;
  it('crosses over to the one that was waited for', () => {
    expect(longestChain([press, feed], 'Press', 0, 40, causeOf)).toEqual([
      { path: 'Feed', value: 0, from: 0, to: 5 },
      { path: 'Feed', value: 1, from: 5, to: 30 },
      { path: 'Press', value: 2, from: 30, to: 40 },
    ]);
    expect(waitings([press, feed], 0, 40, causeOf)).toEqual([
      { path: 'Press', value: 1, forPath: 'Feed', scans: 28, at: 30 },
    ]);
  });
  it('covers the whole stretch without a gap, ends on a ring of causes, and lies within what was', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 })), {
          minLength: 2,
          maxLength: 20,
        }),
        fc.array(fc.nat(3), { minLength: 1, maxLength: 20 }),
        (times, picks) => {
          const a = { path: 'A', spans: spans(times.map(([n], i) => [i % 3, n])) },
            b = { path: 'B', spans: spans(times.map(([, n], i) => [i % 3, n])) };
          const end = Math.min(a.spans.at(-1)!.to, b.spans.at(-1)!.to);
          const chain = longestChain([a, b], 'A', 0, end, (path, scan) => {
            const pick = picks[scan % picks.length]!;
            return pick === 0 ? undefined : { path: path === 'A' ? 'B' : 'A', scan: scan - (pick - 1) };
          });
          for (const [i, l] of chain.entries()) {
            if (i) expect(l.from).toBe(chain[i - 1]!.to);
            const track = l.path === 'A' ? a : b;
            expect(track.spans.some((s) => s.value === l.value && s.from <= l.from && s.to >= l.to)).toBe(true);
          }
          if (chain.length) expect(chain.at(-1)!.to).toBe(end);
        },
      ),
    );
  });
});

describe('tags of steps', () => {
  it('are enumerations, whole numbers with names and the steps of the plan, also inside instances', () => {
    const p: Project = {
      ...emptyProject('T'),
      types: [{ id: 'y', text: 'Mode : (Off, Hand, Auto);' }],
      tags: [
        { id: 't1', name: 'Way', type: 'INT', valueNames: '0 Idle, 10 Fill up, x, 20: Mix' },
        { id: 't2', name: 'M', type: 'Mode' },
        { id: 't3', name: 'N', type: 'INT' },
        { id: 't4', name: 'Seq', type: 'INT' },
        { id: 't5', name: 'Lift', type: 'Lifter' },
      ],
      pous: [
        { id: 'm', name: 'Main', kind: 'program', language: 'LD', rungs: [] },
        {
          id: 'b',
          name: 'Lifter',
          kind: 'functionBlock',
          language: 'ST',
          text: 'FUNCTION_BLOCK Lifter\nVAR\n  Step : (Down, Up);\nEND_VAR\n;\nEND_FUNCTION_BLOCK',
        },
      ],
      plan: {
        sequences: [
          {
            id: 'q',
            name: 'Work',
            stepTag: 'Seq',
            steps: [
              { id: 'a', name: 'Wait', ways: [{ id: 'w1', when: 'M = Auto AND N > 3', for: '1 s', to: 'b' }] },
              { id: 'b', name: 'Go', ways: [], limit: '4 s', past: { to: 'a' } },
            ],
          },
        ],
      },
    };
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    expect(stepTags(p, c.build(true)).map((t) => [t.path, t.names, t.sequence])).toEqual([
      ['Seq', {}, 'q'],
      ['Way', { 0: 'Idle', 10: 'Fill up', 20: 'Mix' }, undefined],
      ['M', { 0: 'Off', 1: 'Hand', 2: 'Auto' }, undefined],
      ['Lift.Step', { 0: 'Down', 1: 'Up' }, undefined],
    ]);
    expect(endingsOf(p.plan!.sequences[0]!, 'Wait', 'Go')).toEqual([
      { kind: 'way', said: 'M = Auto AND N > 3 for 1 s', parts: ['M = Auto', 'N > 3'] },
    ]);
    expect(endingsOf(p.plan!.sequences[0]!, 'Go', 'Wait')).toEqual([
      { kind: 'limit', said: 'the limit of 4 s', parts: [] },
    ]);
    expect(endingsOf(p.plan!.sequences[0]!, 'Go', 'Elsewhere')).toEqual([]);
    const led = (way: { when?: string; for?: string }) => {
      const steps = [
        { id: 'a', name: 'A', ways: [{ id: 'w', to: 'b', ...way }] },
        { id: 'b', name: 'B', ways: [] },
      ];
      return endingsOf({ id: 'q', name: 'Q', steps }, 'A', 'B')[0]?.said;
    };
    // Time alone leads on after it, not at once.
    expect([led({ for: '20 s' }), led({}), led({ when: 'Hot', for: '2 s' })]).toEqual([
      'after 20 s',
      'at once',
      'Hot for 2 s',
    ]);
    expect(readValueNames('')).toEqual({});
  });
  it('are whole numbers without names too, where the logic uses them as steps', () => {
    const p: Project = {
      ...emptyProject('T'),
      tags: [
        { id: 't1', name: 'Way', type: 'INT' },
        { id: 't2', name: 'Count', type: 'INT' },
        { id: 't3', name: 'Step', type: 'INT' },
        { id: 't4', name: 'Q', type: 'BOOL' },
        { id: 't5', name: 'Named', type: 'INT', valueNames: '0 Off' },
        { id: 't6', name: 'Level', type: 'REAL' },
      ],
      pous: [
        {
          id: 'm',
          name: 'Main',
          kind: 'program',
          language: 'LD',
          rungs: [
            { id: 'r1', line: 'Way = 10 & Level = 1 -> Q' },
            { id: 'r2', line: '(Way = 20 | Level = 2) & Count = 3 -> { Way := 10; Count := Count + 1; }' },
          ],
        },
        {
          id: 'f',
          name: 'Filling',
          kind: 'program',
          language: 'ST',
          text: 'PROGRAM Filling\nVAR\n  Step : INT; A, B : Lifter;\nEND_VAR\nCASE Step OF 0: Step := 1; 1: Step := 0; END_CASE; A(); B();\nEND_PROGRAM',
        },
        {
          id: 'b',
          name: 'Lifter',
          kind: 'functionBlock',
          language: 'ST',
          text: 'FUNCTION_BLOCK Lifter\nVAR\n  Pos : INT; (* CASE Step OF *)\nEND_VAR\nIF Pos = 1 THEN Pos := 2; ELSIF Pos = 2 THEN Pos := 1; END_IF;\nEND_FUNCTION_BLOCK',
        },
      ],
    };
    const c = compile([{ kind: 'project', name: 'p', project: p }]);
    expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
    // The tag `Step` is another one than the program's own.
    expect(stepTags(p, c.build(true)).map((t) => t.path)).toEqual([
      'Named',
      'Way',
      'Filling.Step',
      'Filling.A.Pos',
      'Filling.B.Pos',
    ]);
    // Any other whole number can be asked for, and nothing else.
    expect(wholeNumbers(c.build(true))).toEqual([
      'Way',
      'Count',
      'Step',
      'Named',
      'Filling.Step',
      'Filling.A.Pos',
      'Filling.B.Pos',
    ]);
    expect(stepTags(p, c.build(true), ['count', 'Level', 'Nothing']).map((t) => t.path)).toEqual([
      'Named',
      'Way',
      'Filling.Step',
      'Filling.A.Pos',
      'Filling.B.Pos',
      'Count',
    ]);
    const many = {
      ...p,
      tags: [
        ...Array.from({ length: 300 }, (_, i) => ({ id: `n${i}`, name: `N${i}`, type: 'INT', valueNames: '0 Off' })),
        ...p.tags,
      ],
    };
    const listed = stepTags(many, compile([{ kind: 'project', name: 'p', project: many }]).build(true), ['Count']);
    expect(listed.at(-1)!.path).toBe('Count');
    expect(listed.length).toBe(201);
  });
  it('of a run of the crimp cell give its cycles, also where the tag was not recorded as it ran', () => {
    const project = JSON.parse(readFileSync('examples/wire-end-crimp-cell.ferrule.json', 'utf8')) as Project;
    const compiled = compile([{ kind: 'project', name: 'demo', project }]);
    const cyclesWith = (isRecorded: boolean) => {
      const h = new History(compiled.build(true), { stepNs: 10_000_000n, wires: compiled.wires });
      if (isRecorded) h.traces.follow('Step');
      h.apply({ kind: 'write', path: 'Machine.Batch.Entry', value: 50 });
      h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: true });
      h.run(20);
      h.apply({ kind: 'write', path: 'Machine.Start.Pressed', value: false });
      h.run(6000);
      h.traces.follow('Step');
      const { courses, complete } = h.traces.courses(['Step'], 0, h.end, h.end, Infinity);
      expect(complete).toBe(true);
      // The truth, scan by scan.
      const s = spansOf(courses[0]!.points, 0, h.end);
      for (const x of s.slice(0, 12)) {
        const at = (n: number) => {
          h.goTo(n);
          return Number(h.engine.view.getUint8(h.image.symbols.get('step')!.address));
        };
        expect([at(x.from), at(x.to - 1)]).toEqual([x.value, x.value]);
        if (x.isEnded) expect(at(x.to)).not.toBe(x.value);
      }
      h.goTo(h.end);
      return cyclesOf(s, homeOf(s, stepTags(project, h.image).find((t) => t.path === 'Step')!.first)!).closed;
    };
    const cycles = cyclesWith(true);
    expect(cycles.length).toBeGreaterThan(5);
    expect(cyclesWith(false)).toEqual(cycles);
  });
});

describe('rows of timing', () => {
  /** A sequence of three steps, Idle 100 ms, Fill so many scans by a list, Mix 50 ms. */
  const project = (rows: readonly Partial<CheckRow>[], fills: readonly number[], withPlan = true): Project => ({
    ...emptyProject('T'),
    types: [{ id: 'y', text: 'Steps : (Idle, Fill, Mix);' }],
    tags: [
      { id: 't1', name: 'Step', type: 'Steps' },
      { id: 't2', name: 'Go', type: 'BOOL' },
      { id: 't3', name: 'Fills', type: `ARRAY[0..${fills.length - 1}] OF INT`, initial: `[${fills.join(', ')}]` },
      { id: 't4', name: 'Turn', type: 'INT' },
      { id: 't5', name: 'Count', type: 'INT' },
    ],
    pous: [
      {
        id: 'm',
        name: 'Main',
        kind: 'program',
        language: 'ST',
        text: [
          'PROGRAM Main',
          'Count := Count + 1;',
          'CASE Step OF',
          '  Idle: IF Go AND Count >= 10 THEN Step := Fill; Count := 0; END_IF;',
          `  Fill: IF Count >= Fills[Turn MOD ${fills.length}] THEN Step := Mix; Count := 0; END_IF;`,
          '  Mix: IF Count >= 5 THEN Step := Idle; Count := 0; Turn := Turn + 1; END_IF;',
          'END_CASE;',
          'END_PROGRAM',
        ].join('\n'),
      },
    ],
    ...(withPlan
      ? {
          plan: {
            sequences: [
              {
                id: 'q',
                name: 'Work',
                stepTag: 'Step',
                steps: ['Idle', 'Fill', 'Mix'].map((name) => ({ id: name, name, ways: [] })),
              },
            ],
          },
        }
      : {}),
    checks: [{ id: 'c', name: 'C', rows: rows.map((r, i) => ({ id: `r${i}`, ...r })) }],
  });
  const play = (rows: readonly Partial<CheckRow>[], fills: readonly number[], withPlan = true) => {
    const plan = planProof(project(rows, fills, withPlan), 'p');
    expect(
      [...plan.compiled.diagnostics, ...plan.diagnostics].filter((d) => d.severity === 'error').map((d) => d.message),
    ).toEqual([]);
    return prove(plan, { stepNs: 10_000_000n }).checks[0]!;
  };
  const run = (expect: string, fills: readonly number[], withPlan = true) =>
    play(
      [
        { do: ['set Go to 1'], expect: [expect] },
        { when: 'after 3 s', expect: ['Go is on'] },
      ],
      fills,
      withPlan,
    );

  it('say of each cycle and step of a check how long it took', () => {
    const c = run('cycle of Step within 300 ms', [20]);
    expect(c.ok).toBe(true);
    expect(c.rows[0]!.seen).toBe('8 cycles, each 0.25 s');
    expect(run('cycle of Step within 300 ms', [20, 23]).rows[0]!.seen).toBe(
      '8 cycles, 0.25 s to 0.28 s, median 0.27 s',
    );
    expect(run('Step stays in Fill at most 230 ms', [20, 23]).ok).toBe(true);
    expect(run('Step stays in Fill at most 0.2 s', [20, 21]).failure).toMatchObject({
      row: 1,
      expected: 'Step stays in Fill at most 0.2 s',
      seen: 'time 2 took 0.21 s; Step = Mix',
    });
  });
  it('fail in the scan in which a cycle is too long, and where none closes', () => {
    const c = run('cycle of Step within 250 ms', [20, 20, 40]);
    expect(c.failure).toMatchObject({ row: 1, seen: 'cycle 3 goes on after 0.26 s; Step = Fill' });
    expect(run('cycle of Step within 10 s', [5000]).failure!.seen).toBe('no cycle closed before the check ended');
    // One that never closes is too long all the same.
    expect(run('cycle of Step within 1 s', [5000]).failure!.seen).toContain('cycle 1 goes on after 1.01 s');
  });
  it('count a share of the cycles', () => {
    const nine = [20, 20, 20, 20, 20, 20, 20, 40];
    expect(run('cycle of Step within 250 ms in 80 % of cycles', nine).rows[0]!.seen).toMatch(
      /, 87\.5 % within 0\.25 s$/,
    );
    const c = run('Step stays in Fill at most 200 ms in 95 % of cycles', nine);
    expect(c.ok).toBe(false);
    expect(c.failure!.seen).toContain('87.5 % within 0.20 s');
  });
  it('are counted from the plan’s first step, from the one that is named, or from the one there is', () => {
    const from = (e: string, withPlan: boolean) => run(e, [20], withPlan).rows[0]!.seen;
    expect(from('cycle of Step within 1 s', true)).toContain('0.25 s');
    expect(from('cycle of Step from Mix within 1 s', true)).toContain('0.30 s');
    expect(from('cycle of Step within 1 s', false)).toContain('0.25 s');
  });
  it('name the steps of a whole number by what its tag calls its values; without names the plan’s say nothing', () => {
    const numbered = (expect: string, valueNames?: string) => {
      const p = project(
        [
          { do: ['set Go to 1'], expect: [expect] },
          { when: 'after 3 s', expect: ['Go is on'] },
        ],
        [20],
      );
      const plan = planProof(
        {
          ...p,
          types: [],
          tags: p.tags.map((t) =>
            t.name === 'Step' ? { ...t, type: 'INT', ...(valueNames ? { valueNames } : {}) } : t,
          ),
          pous: p.pous.map((x) =>
            x.language === 'ST'
              ? {
                  ...x,
                  text: x.text
                    .replace(/\bIdle\b/g, '0')
                    .replace(/\bFill\b/g, '10')
                    .replace(/\bMix\b/g, '20'),
                }
              : x,
          ),
        },
        'p',
      );
      expectNone(plan.diagnostics);
      return prove(plan, { stepNs: 10_000_000n }).checks[0]!.rows[0]!.seen;
    };
    const expectNone = (list: readonly { message: string }[]) => expect(list.map((d) => d.message)).toEqual([]);
    const names = '0 Idle, 10 Fill, 20 Mix';
    expect(numbered('cycle of Step within 1 s', names)).toContain('each 0.25 s');
    expect(numbered('cycle of Step from Mix within 1 s', names)).toContain('each 0.30 s');
    expect(numbered('Step stays in Fill at most 1 s', names)).toContain('each 0.20 s');
    expect(numbered('Step stays in 10 at most 1 s')).toContain('each 0.20 s');
    expect(numbered('cycle of Step within 1 s')).toContain('each 0.25 s');
  });
  it('say what is wrong with the sentence', () => {
    const wrong = (e: string) => planProof(project([{ expect: [e] }], [1]), 'p').diagnostics.map((d) => d.message);
    expect(wrong('cycle of Step')[0]).toMatch(/does not say how long a cycle may take; write for example/);
    expect(wrong('cycle of Step within 1 s in 0 % of cycles')[0]).toMatch(/no share of the cycles/);
    expect(wrong('cycle of Stp within 1 s')[0]).toMatch(/Stp/);
    expect(wrong('Step stays in Fil at most 1 s')[0]).toMatch(/Fil/);
    expect(completeSentence(project([], [1]), 'expect', 'cyc').map((x) => x.text)).toEqual(['cycle of ']);
    expect(completeSentence(project([], [1]), 'expect', 'Step stays in ').map((x) => x.text)).toEqual([
      'Idle',
      'Fill',
      'Mix',
    ]);
    expect(completeSentence(project([], [1]), 'expect', 'Step stays in Fill ').map((x) => x.text)).toEqual([
      'at most ',
    ]);
  });
  it('law: the verdict is what the history of the same run says', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 30 }), { minLength: 1, maxLength: 6 }),
        fc.integer({ min: 1, max: 40 }),
        fc.constantFrom(100, 90, 50),
        (fills, limit, percent) => {
          const e = `cycle of Step within ${limit} scans${percent === 100 ? '' : ` in ${percent} % of cycles`}`;
          const rows = [
            { do: ['set Go to 1'], expect: [e] },
            { when: 'after 3 s', expect: ['Go is on'] },
          ];
          const c = play(rows, fills);
          const compiled = compile([{ kind: 'project', name: 'p', project: project(rows, fills) }]);
          const h = new History(compiled.build(true), { stepNs: 10_000_000n, wires: compiled.wires });
          h.traces.follow('Step');
          h.apply({ kind: 'write', path: 'Go', value: true });
          h.run(301);
          const { courses } = h.traces.courses(['Step'], 0, h.end, h.end, Infinity);
          const { closed, open } = cyclesOf(spansOf(courses[0]!.points, 0, h.end), 0);
          const took = closed.map((x) => x.to - x.from),
            late = open && h.end - open.from > limit ? [h.end - open.from] : [];
          const all = [...took, ...late];
          const within = all.filter((n) => n <= limit).length;
          expect(c.ok).toBe(all.length > 0 && within / all.length >= percent / 100);
        },
      ),
      { numRuns: 60 },
    );
  });
});
