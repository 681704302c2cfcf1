/** Plans: what is made from them, that both kinds of logic do the same, what is wrong with them, making again. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine, scanStep } from '../bench.js';
import {
  type Plan,
  type PlanStep,
  type Project,
  type Sequence,
  applyEdit,
  emptyProject,
  readSteps,
  stepsToTable,
} from '../document.js';
import { compile } from '../workspace.js';
import { madeChecks, leftOnByFault, namesOfPlan, planChanges, planProblems, sourceless, takeChanges } from '../plan.js';
import { planProof, prove } from '../verify.js';

const plan: Plan = {
  sequences: [
    {
      id: 'q',
      name: 'Crimp one end',
      run: 'Running',
      steps: [
        { id: 'a', name: 'Idle', ways: [{ id: 'w1', when: 'PieceSeen is on', to: 'b' }] },
        {
          id: 'b',
          name: 'Clamp',
          on: ['ClampClose'],
          ways: [{ id: 'w2', when: 'ClampShut', to: 'c' }],
          limit: '600 ms',
          past: { fault: 12 },
        },
        {
          id: 'c',
          name: 'Press down',
          on: ['ClampClose', 'DieClose'],
          ways: [
            { id: 'w3', when: 'DieDown', for: '300 ms', to: 'd' },
            { id: 'w4', when: 'Cancel AND NOT DieDown', to: 'a' },
          ],
          limit: '2 s',
          past: { to: 'd' },
        },
        {
          id: 'd',
          name: 'Eject',
          on: ['ChuteOpen'],
          starts: ['p'],
          ways: [{ id: 'w5', when: 'BlowStep is Done', to: 'a' }],
        },
      ],
    },
    {
      id: 'p',
      name: 'Blow',
      stepTag: 'BlowStep',
      steps: [
        { id: 'x', name: 'Wait', ways: [{ id: 'v1', when: '', for: '50 ms', to: 'y' }] },
        { id: 'y', name: 'Air', on: ['AirValve'], ways: [{ id: 'v2', when: 'Level > 3.5', to: 'z' }] },
        { id: 'z', name: 'Done', ways: [] },
      ],
    },
  ],
};
const withPlan = (p: Plan): Project => ({
  ...emptyProject('New'),
  pous: [],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: [] }],
  plan: p,
});
const changesOf = (project: Project, { logic, checks }: { logic?: 'LD' | 'ST'; checks?: boolean }) =>
  planChanges(project, { ...(logic ? { logic } : {}), ...(checks ? { checks: madeChecks(project).checks } : {}) });
function take(
  project: Project,
  what: { logic?: 'LD' | 'ST'; checks?: boolean },
  only: (k: string) => boolean = () => true,
): Project {
  const r = applyEdit(
    project,
    takeChanges(
      project,
      changesOf(project, what).filter((c) => only(c.kind)),
    ),
  );
  if ('refused' in r) throw new Error(r.refused);
  return r.project;
}
function engineFor(project: Project): Engine {
  const c = compile([{ kind: 'project', name: 'p', project }]);
  if (c.hasErrors)
    throw new Error(
      c.diagnostics
        .filter((d) => d.severity === 'error')
        .map((d) => `${d.message} in ${d.at.source.text.slice(0, 200)}`)
        .join('\n'),
    );
  return new Engine(c.build(false), { stepNs: 10_000_000n, wires: c.wires });
}

it('makes tags, types, logic and checks that are without errors, in both languages', () => {
  for (const logic of ['LD', 'ST'] as const) {
    const p = take(withPlan(plan), { logic, checks: true });
    expect(p.tags.find((t) => t.name === 'ClampClose')).toMatchObject({ type: 'BOOL', address: '%QX0.0' });
    expect(p.types.map((t) => t.text)).toEqual([
      'CrimpOneEndSteps : (Idle, Clamp, PressDown, Eject);',
      'BlowSteps : (Wait, Air, Done);',
    ]);
    expect(p.pous.map((x) => [x.name, x.language])).toEqual([
      ['CrimpOneEnd', logic],
      ['Blow', logic],
    ]);
    expect(p.checks.map((c) => c.name)).toEqual([
      'Crimp one end: main path',
      'Crimp one end: Clamp takes too long',
      'Crimp one end: Press down takes too long',
      'Crimp one end: Press down to Idle',
      'Crimp one end: Eject to Idle',
      'Blow: main path',
    ]);
    const e = engineFor(p);
    e.write('Running', true);
    e.write('PieceSeen', true);
    e.runScan();
    e.runScan();
    expect([e.read('Step'), e.read('ClampClose'), e.read('DieClose')]).toEqual([1n, true, false]);
    for (let i = 0; i < 70; i++) e.runScan();
    expect([e.read('Fault'), e.read('FaultCode')]).toEqual([true, 12n]);
    expect(changesOf(p, { logic, checks: true })).toEqual([]);
  }
});

it('a time however it is written is one in the logic that is made, or is told', () => {
  const timed = (t: string): Plan => ({
    sequences: [
      {
        id: 's',
        name: 'Dry',
        steps: [
          {
            id: 'a',
            name: 'Heat',
            on: ['Fan', `start Horn for ${t}`],
            limit: t,
            past: { fault: 11 },
            ways: [{ id: 'w', when: 'Warm', for: t, to: 'b' }],
          },
          { id: 'b', name: 'Cool', ways: [{ id: 'v', when: 'NOT Warm', to: 'a' }] },
        ],
      },
    ],
  });
  for (const t of ['T#2m', '1 h 30 min', '20 seconds', '20 min', '1.5 s', '500us'])
    for (const logic of ['LD', 'ST'] as const) {
      expect(planProblems(timed(t)), t).toEqual([]);
      const made = compile([
        { kind: 'project', name: 'p', project: take({ ...emptyProject('P'), plan: timed(t) }, { logic }) },
      ]);
      expect(
        made.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message),
        `${t} ${logic}`,
      ).toEqual([]);
    }
  // Scans are no time of a timer: their number hangs on how often the task runs.
  for (const t of ['3 scans', '-5 s'])
    expect(
      planProblems(timed(t)).map((x) => x.field),
      t,
    ).toEqual(['ways', 'limit', 'on']);
});

it('what is made is run by the first task, all of it; the empty program of a new project makes way, one with rungs stays', () => {
  const fresh: Project = { ...emptyProject('New'), plan },
    full: Project = {
      ...fresh,
      pous: [{ id: 'pou1', name: 'Main', language: 'LD', kind: 'program', rungs: [{ id: 'r', line: '-> return' }] }],
    };
  const ends = (p: Project) => [p.pous.map((x) => x.name), p.tasks.map((t) => t.programs)];
  expect(ends(take(fresh, { logic: 'LD' }))).toEqual([['CrimpOneEnd', 'Blow'], [['CrimpOneEnd', 'Blow']]]);
  expect(ends(take(full, { logic: 'ST' }))).toEqual([
    ['Main', 'CrimpOneEnd', 'Blow'],
    [['Main', 'CrimpOneEnd', 'Blow']],
  ]);
  const edit = takeChanges(fresh, planChanges(fresh, { logic: 'LD' })),
    done = applyEdit(fresh, edit);
  if (!('project' in done)) throw new Error(done.refused);
  const back = applyEdit(done.project, done.inverse);
  expect('project' in back && back.project).toEqual(fresh);
});

it('in the other language it can be looked at any time, and put in place of what is there', () => {
  const ladder = take({ ...emptyProject('New'), plan }, { logic: 'LD' });
  expect(planChanges(ladder, { logic: 'LD' })).toEqual([]);
  const shown = planChanges(ladder, { logic: 'ST' });
  expect(shown.map((c) => [c.kind, c.what])).toEqual([
    ['instead', 'CrimpOneEnd as structured text in place of its ladder'],
    ['instead', 'Blow as structured text in place of its ladder'],
  ]);
  expect(shown[0]!.after).toContain('PROGRAM CrimpOneEnd');
  const text = take(ladder, { logic: 'ST' });
  expect(text.pous.map((x) => [x.name, x.language])).toEqual([
    ['CrimpOneEnd', 'ST'],
    ['Blow', 'ST'],
  ]);
  expect(text.tasks).toEqual(ladder.tasks);
  engineFor(text);
  expect(planChanges(text, { logic: 'ST' })).toEqual([]);
  // And back: rung by rung what it was.
  const back = take(text, { logic: 'LD' });
  expect(back.pous).toEqual(ladder.pous);
  expect(planChanges(back, { logic: 'LD' })).toEqual([]);
});

it('the checks of limits and ways out pass on what was made, and fail where the logic forgot one', () => {
  for (const logic of ['LD', 'ST'] as const) {
    const p = take(withPlan(plan), { logic, checks: true }),
      played = (x: Project) =>
        prove(planProof(x, 'p'), { stepNs: 10_000_000n }).checks.map((c) => [c.name, c.ok, c.failure?.seen]);
    expect(played(p)).toEqual([
      ['Crimp one end: main path', true, undefined],
      ['Crimp one end: Clamp takes too long', true, undefined],
      ['Crimp one end: Press down takes too long', true, undefined],
      ['Crimp one end: Press down to Idle', true, undefined],
      ['Crimp one end: Eject to Idle', true, undefined],
      ['Blow: main path', true, undefined],
    ]);
    if (logic === 'ST') continue;
    const forgot = {
      ...p,
      pous: p.pous.map((x) =>
        x.language === 'LD' ? { ...x, rungs: x.rungs.filter((r) => !r.line.includes('Cancel')) } : x,
      ),
    };
    expect(
      played(forgot)
        .filter((c) => !c[1])
        .map((c) => c[0]),
    ).toEqual(['Crimp one end: Press down to Idle']);
  }
});

describe.each([
  ['wire-end-crimp-cell', []],
  ['canal-lock', []],
  ['tile-grading-line', []],
  ['ceramic-kiln', ['Carts: Fire takes too long']],
  ['dust-extractor', []],
] as const)('the checks made from the plan of %s', (file, unreached) => {
  const project = {
    ...(JSON.parse(
      readFileSync(join(import.meta.dirname, '../../../../examples', `${file}.ferrule.json`), 'utf8'),
    ) as Project),
    checks: [],
    rules: [],
  };
  /** Nothing but what the plan makes. */
  const bare = take(
    {
      ...project,
      pous: project.pous.filter((x) => x.kind !== 'program'),
      tasks: [{ id: 't', name: 'Main', interval: '20 ms', priority: 1, programs: [] }],
      plan: { ...project.plan!, made: {} },
    },
    { logic: 'LD' },
  );
  // The plan of the dust extractor tells what it does; its logic was written without steps.
  it.each([
    ...(file === 'dust-extractor' ? [] : [['its own logic', project] as const]),
    ['the made logic', bare] as const,
  ])('go every way and pass on %s', (_, p) => {
    const made = madeChecks(p),
      steps = p.plan!.sequences.flatMap((s) => s.steps);
    expect([made.unreached.map((u) => u.what), made.isAhead]).toEqual([unreached, false]);
    // One for the main path, each limit, each way that is not on it.
    expect(made.checks.length).toBe(
      1 +
        steps.filter((x) => x.limit && x.past).length -
        unreached.length +
        steps.flatMap((x) => x.ways).length -
        made.checks[0]!.rows.filter((r) => r.when?.startsWith('once ')).length,
    );
    const proof = planProof({ ...p, checks: made.checks }, 'p');
    expect(proof.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
    expect(
      prove(proof, { stepNs: scanStep(proof.image!) })
        .checks.filter((c) => !c.ok)
        .map((c) => [c.name, c.failure?.expected, c.failure?.seen]),
    ).toEqual([]);
  });
  it('fail when a way of the plan is taken out of the made logic', () => {
    const { checks } = madeChecks(bare),
      ways = bare.pous.flatMap((x) =>
        x.language === 'LD'
          ? x.rungs.filter(
              (r) =>
                /^plan-/.test(r.id) &&
                /:= \w+; \}$/.test(r.line) &&
                !/Was :=/.test(r.line) &&
                !r.id.endsWith('-limit') &&
                !r.id.endsWith('-reset'),
            )
          : [],
      );
    expect(ways.length).toBeGreaterThan(3);
    const unseen = ways.filter((gone) => {
      const broken: Project = {
        ...bare,
        checks,
        pous: bare.pous.map((x) => (x.language === 'LD' ? { ...x, rungs: x.rungs.filter((r) => r !== gone) } : x)),
      };
      const proof = planProof(broken, 'p');
      return prove(proof, { stepNs: scanStep(proof.image!), stopAtFirst: true }).checks.every((c) => c.ok);
    });
    expect(unseen.map((r) => r.line)).toEqual([]);
  });
});

it('ladder and text made from one plan do the same, scan by scan', () => {
  const conditions = ['A', 'B is on', 'NOT C', 'A AND NOT B', 'C is off', '', 'N > 2', 'A OR C'];
  const planArb = fc.integer({ min: 2, max: 6 }).chain((n) =>
    fc
      .array(
        fc.record({
          on: fc.subarray([
            'Q1',
            'Q2',
            'Q3',
            'set L1',
            'reset L1',
            'count Parts',
            'Wanted := 7',
            'start Horn for 40 ms',
          ]),
          ways: fc.array(
            fc.record({
              when: fc.constantFrom(...conditions),
              for: fc.option(fc.constantFrom('20 ms', '50 ms'), { nil: undefined }),
              to: fc.nat(n - 1),
            }),
            { minLength: 1, maxLength: 3 },
          ),
          limit: fc.option(fc.constantFrom('60 ms', '200 ms'), { nil: undefined }),
          past: fc.oneof(fc.record({ fault: fc.integer({ min: 1, max: 99 }) }), fc.record({ toStep: fc.nat(n - 1) })),
          modes: fc.subarray(['Auto', 'Setup']),
        }),
        { minLength: n, maxLength: n },
      )
      .chain((list) => fc.subarray(['Auto', 'Setup']).map((modes) => ({ list, modes })))
      .map(({ list, modes }): Plan => ({
        modes: [
          { id: 'm1', name: 'Auto', when: 'A OR NOT B' },
          { id: 'm2', name: 'Setup', when: 'C is on' },
        ],
        sequences: [
          {
            id: 'q',
            name: 'Seq',
            run: 'Run',
            ...(modes.length ? { modes } : {}),
            steps: list.map((s, i): PlanStep => ({
              id: `s${i}`,
              name: `S${i}`,
              on: s.on,
              ...(s.modes.length ? { modes: s.modes } : {}),
              ways: s.ways.map((w, k) => ({
                id: `w${k}`,
                when: w.when,
                to: `s${w.to}`,
                ...(w.for ? { for: w.for } : {}),
              })),
              ...(s.limit ? { limit: s.limit, past: 'toStep' in s.past ? { to: `s${s.past.toStep}` } : s.past } : {}),
            })),
          },
        ],
      })),
  );
  fc.assert(
    fc.property(
      planArb,
      fc.array(
        fc.record({
          name: fc.constantFrom('A', 'B', 'C', 'N', 'Run'),
          on: fc.boolean(),
          scans: fc.integer({ min: 1, max: 12 }),
        }),
        { minLength: 3, maxLength: 20 },
      ),
      (p, script) => {
        const base = {
          ...withPlan(p),
          tags: ['A', 'B', 'C', 'Run']
            .map((name) => ({ id: name, name, type: 'BOOL' }))
            .concat([{ id: 'N', name: 'N', type: 'REAL' }]),
        };
        const [a, b] = (['LD', 'ST'] as const).map((logic) => engineFor(take(base, { logic }))) as [Engine, Engine];
        const see = (e: Engine) =>
          [
            'Step',
            'ModeAuto',
            'ModeSetup',
            ...['Q1', 'Q2', 'Q3', 'Fault', 'FaultCode', 'L1', 'Parts', 'Wanted', 'Horn'].filter((n) =>
              e.image.symbols.has(n.toLowerCase()),
            ),
          ].map((n) => e.read(n));
        for (const e of [a, b]) e.write('Run', true);
        for (const s of script) {
          for (const e of [a, b]) e.write(s.name, s.name === 'N' ? (s.on ? 5 : 0) : s.on);
          for (let i = 0; i < s.scans; i++) {
            a.runScan();
            b.runScan();
            expect(see(a)).toEqual(see(b));
          }
        }
      },
    ),
    { numRuns: 60 },
  );
});

describe('what a step does that stays', () => {
  const steps = (a: readonly string[], b: readonly string[], c: readonly string[] = []): Plan => ({
    sequences: [
      {
        id: 'q',
        name: 'Fill',
        steps: [
          { id: 'a', name: 'Rest', on: a, ways: [{ id: 'w1', when: 'GoPB', to: 'b' }] },
          { id: 'b', name: 'Fill', on: b, ways: [{ id: 'w2', when: 'LevelHigh', to: 'c' }] },
          { id: 'c', name: 'Empty', on: c, ways: [{ id: 'w3', when: 'NOT LevelHigh', to: 'a' }] },
        ],
      },
    ],
  });
  const filling = steps(
    ['reset Busy'],
    ['Pump', 'set Busy', 'count Batches', 'Wanted := 5'],
    ['Drain', 'start Horn for 100 ms'],
  );
  it.each(['LD', 'ST'] as const)('is kept, counted, stored and goes on after it, in %s', (logic) => {
    expect(planProblems(filling)).toEqual([]);
    const p = take(withPlan(filling), { logic });
    // What the plan itself keeps is memory; only what it waits for is an input.
    expect(
      p.tags.flatMap((t) =>
        /^(Busy|Batches|Wanted|Horn|HornFor|GoPB|Pump)$/.test(t.name) ? [[t.name, t.type, t.address?.slice(0, 3)]] : [],
      ),
    ).toEqual([
      ['Busy', 'BOOL', undefined],
      ['Batches', 'UINT', undefined],
      ['Wanted', 'INT', undefined],
      ['Horn', 'BOOL', '%QX'],
      ['HornFor', 'TP', undefined],
      ['Pump', 'BOOL', '%QX'],
      ['GoPB', 'BOOL', '%IX'],
    ]);
    const e = engineFor(p),
      after = (values: Record<string, boolean>, scans: number) => {
        for (const [k, v] of Object.entries(values)) e.write(k, v);
        for (let i = 0; i < scans; i++) e.runScan();
        return ['Step', 'Pump', 'Busy', 'Batches', 'Wanted', 'Horn'].map((n) => Number(e.read(n)));
      };
    expect(after({}, 3)).toEqual([0, 0, 0, 0, 0, 0]);
    expect(after({ GoPB: true }, 20)).toEqual([1, 1, 1, 1, 5, 0]);
    expect(after({ GoPB: false, LevelHigh: true }, 3)).toEqual([2, 0, 1, 1, 5, 1]);
    // The horn outlives the step that started it.
    expect(after({ LevelHigh: false }, 4)).toEqual([0, 0, 0, 1, 5, 1]);
    expect(after({}, 10)).toEqual([0, 0, 0, 1, 5, 0]);
    expect(after({ GoPB: true }, 3)[3]).toBe(2);
  });
  it('is asked of by the checks that are made', () => {
    const p = take(withPlan(filling), { logic: 'LD', checks: true });
    expect(p.checks[0]!.rows.flatMap((r) => r.expect ?? [])).toEqual([
      'Pump is on within 2 scans',
      'Busy is on within 2 scans',
      'Drain is on within 2 scans',
      'Horn is on within 2 scans',
    ]);
    const proof = planProof(p, 'p');
    expect(prove(proof, { stepNs: scanStep(proof.image!) }).checks.filter((c) => !c.ok)).toEqual([]);
  });
  it('what cannot be, and what would undo each other, is said at its step', () => {
    const said = (p: Plan) => planProblems(p).map((x) => [x.step, x.field, x.message]);
    expect(said(steps([], ['Pump now', 'start Horn for soon']))).toEqual([
      [
        'b',
        'on',
        '‘Pump now’ is neither the name of a tag nor something done: write for example Pump, set Lamp, reset Lamp, count Parts, Wanted := 5 or start Horn for 3 s.',
      ],
      ['b', 'on', '‘soon’ is not a length of time; write for example 3 s.'],
    ]);
    expect(said(steps(['Pump'], ['set Pump']))).toEqual([
      ['b', 'on', '‘Pump’ is on while in ‘Rest’ and set in ‘Fill’: one would undo the other.'],
    ]);
    expect(said(steps(['start Horn for 1 s'], ['start Horn for 2 s']))).toEqual([
      ['b', 'on', '‘Horn’ is started for 1 s in ‘Rest’ and for 2 s in ‘Fill’: it has one time.'],
    ]);
    expect(said(steps(['count N'], ['N := 0']))).toEqual([]);
  });
});

it('a plan of forty steps and many ways: all are tried, and how many trials there were is told on the way', () => {
  const n = 40,
    at = (i: number) => `s${(i + n) % n}`;
  const big: Plan = {
    sequences: [
      {
        id: 'q',
        name: 'Big',
        run: 'Running',
        steps: Array.from({ length: n }, (_, i) => ({
          id: at(i),
          name: `S${i}`,
          on: [`Out${i % 10}`],
          limit: '5 s',
          past: { fault: i + 1 },
          ways: [
            { id: `a${i}`, when: `Seen${i}`, to: at(i + 1) },
            { id: `b${i}`, when: `Skip${i} AND NOT Seen${i}`, to: at(i + 7) },
            { id: `c${i}`, when: `Back${i} OR Abort`, to: at(i - 3) },
          ],
        })),
      },
    ],
  };
  const told: number[] = [],
    made = madeChecks({ ...emptyProject('P'), plan: big }, (trials) => told.push(trials));
  expect([made.checks.length, made.unreached]).toEqual([1 + n + 2 * n + 1, []]);
  expect(told).toEqual(told.map((_, i) => i + 1));
});

describe('sequences beside each other', () => {
  const step = (id: string, on: string, when: string, to: string, starts?: readonly string[]): PlanStep => ({
    id,
    name: id,
    on: on ? [on] : [],
    ways: when ? [{ id: `w${id}`, when, to }] : [],
    ...(starts ? { starts } : {}),
  });
  const p: Plan = {
    sequences: [
      {
        id: 'a',
        name: 'Left',
        steps: [step('A0', '', 'GoLeft', 'A1'), step('A1', 'LeftMotor', 'NOT GoLeft', 'A0', ['c', 'd'])],
      },
      {
        id: 'b',
        name: 'Right',
        steps: [step('B0', '', 'GoRight', 'B1'), step('B1', 'RightMotor', 'NOT GoRight', 'B0', ['c'])],
      },
      { id: 'c', name: 'Oil', steps: [step('C0', '', 'Dry', 'C1'), step('C1', 'OilPump', '', '')] },
      { id: 'd', name: 'Fan', steps: [step('D0', 'FanMotor', 'Cool', 'D1'), step('D1', '', '', '')] },
    ],
  };
  it('one step starts several, and several start one: each runs while one of its starters lasts, and begins anew', () => {
    for (const logic of ['LD', 'ST'] as const) {
      const e = engineFor(take(withPlan(p), { logic })),
        after = (values: Record<string, boolean>) => {
          for (const [k, v] of Object.entries(values)) e.write(k, v);
          for (let i = 0; i < 5; i++) e.runScan();
          return ['LeftMotor', 'RightMotor', 'OilPump', 'FanMotor'].map((n) => e.read(n));
        };
      expect(after({ Dry: true })).toEqual([false, false, false, false]);
      expect(after({ GoLeft: true })).toEqual([true, false, true, true]);
      expect(after({ GoLeft: false })).toEqual([false, false, false, false]);
      expect(after({ GoRight: true })).toEqual([false, true, true, false]);
      expect(after({ GoLeft: true, GoRight: false, Dry: false, Cool: true })).toEqual([true, false, true, false]);
      expect(after({ GoLeft: false })).toEqual([false, false, false, false]);
      expect(after({ GoRight: true })).toEqual([false, true, false, false]);
    }
  });
});

describe('operating modes', () => {
  const modes = {
    ...plan,
    modes: [
      { id: 'm1', name: 'Automatic', when: 'AutoSw' },
      { id: 'm2', name: 'Single step', when: 'NOT AutoSw AND KeySw' },
    ],
    sequences: plan.sequences.map((s, i) =>
      i
        ? s
        : {
            ...s,
            modes: ['Automatic', 'Single step'],
            steps: s.steps.map((x) => (x.id === 'b' ? { ...x, modes: ['Automatic'] } : x)),
          },
    ),
  };
  it('a sequence moves on, and its outputs are on, only in its modes; a step only in its own', () => {
    for (const logic of ['LD', 'ST'] as const) {
      const p = take(withPlan(modes), { logic, checks: true });
      expect(p.tags.filter((t) => /^Mode|Sw$/.test(t.name)).map((t) => [t.name, t.address?.slice(0, 3)])).toEqual([
        ['ModeAutomatic', undefined],
        ['ModeSingleStep', undefined],
        ['AutoSw', '%IX'],
        ['KeySw', '%IX'],
      ]);
      const e = engineFor(p),
        after = (values: Record<string, boolean>, scans = 3) => {
          for (const [k, v] of Object.entries(values)) e.write(k, v);
          for (let i = 0; i < scans; i++) e.runScan();
          return ['ModeAutomatic', 'ModeSingleStep', 'Step', 'ClampClose'].map((n) => e.read(n));
        };
      expect(after({ Running: true, PieceSeen: true })).toEqual([false, false, 0n, false]);
      expect(after({ KeySw: true })).toEqual([false, true, 1n, false]);
      // Clamping belongs to the automatic mode: in single step the clamp stays open and the step does not end.
      expect(after({ ClampShut: true })).toEqual([false, true, 1n, false]);
      expect(after({ ClampShut: false, AutoSw: true })).toEqual([true, false, 1n, true]);
      expect(after({ ClampShut: true })).toEqual([true, false, 2n, true]);
      expect(after({ AutoSw: false, KeySw: false })).toEqual([false, false, 2n, false]);
      expect(p.checks[0]!.rows[0]!.do).toEqual(['set PieceSeen on', 'set AutoSw on', 'set Running to 1']);
    }
  });
  it('the first check turns the switch that the mode hangs on', () => {
    const p = take(
      {
        ...withPlan(modes),
        tags: [{ id: 'a', name: 'AutoSw', type: 'BOOL', address: '%IX0.0' }],
        machine: { devices: [{ id: 'd', name: 'ModeSwitch', type: 'Selector', wires: { Right: 'AutoSw' } }] },
      },
      { logic: 'LD', checks: true },
    );
    expect(p.checks[0]!.rows[0]!.do).toEqual(['set PieceSeen on', 'turn ModeSwitch right', 'set Running to 1']);
  });
  it('says what is wrong with them, and the rest is made', () => {
    const bad: Plan = {
      ...plan,
      modes: [
        { id: 'a', name: 'Auto' },
        { id: 'b', name: 'auto', when: 'X' },
        { id: 'c', name: '', when: 'Y' },
        { id: 'd', name: 'Hand', when: 'H' },
      ],
      sequences: plan.sequences.map((s, i) =>
        i
          ? s
          : {
              ...s,
              modes: ['Auto', 'Night'],
              steps: s.steps.map((x) => (x.id === 'c' ? { ...x, modes: ['Hand', 'Day'] } : x)),
            },
      ),
    };
    expect(planProblems(bad).map((p) => [p.mode ?? p.step ?? p.sequence, p.message])).toEqual([
      ['a', expect.stringContaining('Nothing says when the machine is in the mode ‘Auto’')],
      ['b', 'There are two modes named ‘auto’.'],
      ['c', 'A mode needs a name with a letter in it.'],
      ['q', 'There is no mode ‘Night’ in this plan.'],
      ['c', 'There is no mode ‘Day’ in this plan.'],
      ['c', '‘Press down’ belongs to the mode ‘Hand’, its sequence does not: it would never go on.'],
    ]);
    expect(() => engineFor(take(withPlan(bad), { logic: 'LD' }))).not.toThrow();
    expect(planProblems(modes)).toEqual([]);
  });
  it('stand in the table of steps, where there are any', () => {
    const id = (p: string) => `${p}${Math.random()}`,
      table = stepsToTable(modes.sequences[0]!);
    expect(table.split('\n')[0]!.split('\t').at(-1)).toBe('Modes');
    expect(readSteps(table, id).steps.map((s) => s.modes)).toEqual([undefined, ['Automatic'], undefined, undefined]);
    expect(stepsToTable(plan.sequences[0]!).split('\n')[0]).not.toContain('Modes');
  });
});

describe('made again after a change of the plan', () => {
  const first = take(withPlan(plan), { logic: 'LD' });
  const changedPlan: Plan = {
    ...first.plan!,
    sequences: first.plan!.sequences.map((s) =>
      s.id !== 'q'
        ? s
        : {
            ...s,
            steps: s.steps.map((x) => (x.id === 'b' ? { ...x, limit: '900 ms', on: ['ClampClose', 'ClampLamp'] } : x)),
          },
    ),
  };
  it('changes what nobody touched, and shows what somebody edited', () => {
    const edited: Project = {
      ...first,
      plan: changedPlan,
      pous: first.pous.map((p) =>
        p.language !== 'LD'
          ? p
          : {
              ...p,
              rungs: p.rungs.map((r) =>
                r.id === 'plan-q-b-limit' ? { ...r, line: `${r.line}, reset ClampClose` } : r,
              ),
            },
      ),
    };
    const changes = planChanges(edited, { logic: 'LD' });
    expect(changes.map((c) => [c.kind, c.id])).toEqual([
      ['new', 'plan-tag-ClampLamp'],
      ['edited', 'plan-q-b-limit'],
      ['new', 'plan-q-out-ClampLamp'],
    ]);
    expect(changes[1]!.before).toContain('reset ClampClose');
    expect(changes[1]!.after).toContain('900 ms');
    const safe = take(edited, { logic: 'LD' }, (k) => k !== 'edited');
    const rung = (p: Project, id: string) =>
      p.pous.flatMap((x) => (x.language === 'LD' ? x.rungs : [])).find((r) => r.id === id)?.line;
    expect(rung(safe, 'plan-q-b-limit')).toContain('reset ClampClose');
    expect(rung(safe, 'plan-q-out-ClampLamp')).toBe('Running & Step = Clamp -> ClampLamp');
    engineFor(safe);
  });
  it('takes away what came from a step that is gone', () => {
    const without: Plan = {
      ...first.plan!,
      sequences: first.plan!.sequences.map((s) =>
        s.id !== 'q'
          ? s
          : {
              ...s,
              steps: s.steps
                .filter((x) => x.id !== 'c')
                .map((x) => (x.id === 'b' ? { ...x, ways: [{ id: 'w2', when: 'ClampShut', to: 'd' }] } : x)),
            },
      ),
    };
    const changes = planChanges({ ...first, plan: without }, { logic: 'LD' });
    expect(changes.filter((c) => c.kind === 'gone').map((c) => c.id)).toEqual([
      'plan-q-c-w3',
      'plan-q-c-w4',
      'plan-q-c-limit',
      'plan-q-out-DieClose',
    ]);
    const next = take({ ...first, plan: without }, { logic: 'LD' });
    engineFor(next);
    expect(next.types[0]!.text).toBe('CrimpOneEndSteps : (Idle, Clamp, Eject);');
  });
});

it('says what is wrong, at its step', () => {
  const bad: Plan = {
    sequences: [
      {
        id: 's',
        name: 'One',
        steps: [
          { id: 'a', name: 'Go', ways: [{ id: 'w', to: 'b', for: 'soon' }] },
          { id: 'b', name: 'go', ways: [], limit: '4 apples' },
          { id: 'c', name: 'Lost', ways: [{ id: 'w', to: 'nowhere' }], on: ['not a tag'], past: { fault: 3 } },
        ],
      },
      { id: 't', name: 'one', steps: [] },
    ],
  };
  expect(planProblems(bad).map((p) => [p.step, p.field, p.message])).toEqual([
    [undefined, 'sequence', expect.stringContaining('two sequences')],
    ['a', 'name', expect.stringContaining('Two steps are named')],
    ['a', 'ways', expect.stringContaining('‘soon’ is not a length')],
    ['b', 'name', expect.stringContaining('Two steps')],
    ['b', 'ways', expect.stringContaining('Nothing leads out')],
    ['b', 'limit', expect.stringContaining('4 apples')],
    ['b', 'past', expect.stringContaining('nothing happens past it')],
    ['c', 'name', expect.stringContaining('No step leads to')],
    ['c', 'ways', expect.stringContaining('not there')],
    ['c', 'limit', expect.stringContaining('has none')],
    ['c', 'on', expect.stringContaining('neither the name of a tag')],
    [undefined, 'sequence', expect.stringContaining('two sequences')],
  ]);
  expect(planProblems(plan)).toEqual([]);
});

it('a condition that cannot be read is said where it stands: in a step, a mode, a choice, what it runs by', () => {
  const of = (when: string): Plan => ({
    modes: [{ id: 'm', name: 'Auto', when }],
    choices: [
      {
        id: 'c',
        name: 'Product',
        options: [
          { id: 'o', name: 'A', when },
          { id: 'p', name: 'B', when: 'PbB' },
        ],
        reset: when,
      },
    ],
    sequences: [
      {
        id: 's',
        name: 'One',
        run: when,
        steps: [
          { id: 'a', name: 'Go', ways: [{ id: 'w', to: 'b', when }] },
          { id: 'b', name: 'Back', ways: [{ id: 'x', to: 'a', when: 'Shut' }] },
        ],
      },
    ],
  });
  expect(planProblems(of('Shut AND')).map((p) => [p.mode ?? p.choice ?? p.step ?? p.sequence, p.message])).toEqual(
    ['m', 'c', 'c', 's', 'a'].map((at) => [
      at,
      '‘Shut AND’ is no condition: Expected a value, found the end of the text. Write for example DoorShut AND NOT Fault.',
    ]),
  );
  for (const when of ['Shut', 'NOT Shut', '!Shut & (Here | Ready)', 'Door is off', 'Level >= 2.5'])
    expect(planProblems(of(when))).toEqual([]);
});

it('conditions written with the signs of a rung become the same logic as in words', () => {
  const of = (when: string, run: string): Project => ({
    ...emptyProject('Signs'),
    plan: {
      sequences: [
        {
          id: 's',
          name: 'One',
          run,
          steps: [
            { id: 'a', name: 'Go', on: ['Out'], ways: [{ id: 'w', to: 'b', when }] },
            { id: 'b', name: 'Back', ways: [{ id: 'x', to: 'a', for: '1 s' }] },
          ],
        },
      ],
    },
  });
  for (const logic of ['LD', 'ST'] as const) {
    const signs = take(of('!ClampShut & (Here | !Ready)', '!Halt'), { logic }),
      words = take(of('NOT ClampShut AND (Here OR NOT Ready)', 'NOT Halt'), { logic });
    expect(signs.pous).toEqual(words.pous);
    expect(
      compile([{ kind: 'project', name: 'p', project: signs }]).diagnostics.filter((d) => d.severity === 'error'),
    ).toEqual([]);
  }
});

describe('a step table', () => {
  let n = 0;
  const id = (p: string) => `${p}${n++}`;
  it('takes a time that stands with its condition, as people write it; a column of its own counts first', () => {
    const ways = (text: string) => readSteps(text, id).steps.flatMap((s) => s.ways.map((w) => [w.when, w.for]));
    expect(ways('Step\tWhen\nHeat\tTempOK for 5 s\nTurn\tafter 20 s\nCool\tNOT TempOK\n')).toEqual([
      ['TempOK', '5 s'],
      [undefined, '20 s'],
      ['NOT TempOK', undefined],
    ]);
    expect(ways('Step\tWhen\tFor\nHeat\tA for B\t3 s\n')).toEqual([['A for B', '3 s']]);
    const written = readSteps('Step\tWhen\tFor\tLimit\nHeat\tA\t20 seconds\t2 minutes\n', id).steps[0]!;
    expect([written.ways[0]!.for, written.limit]).toEqual(['20 s', '2 min']);
  });
  it('outputs that a fault past a limit leaves on are told where inputs alone let the sequence run', () => {
    const steps = (past: NonNullable<PlanStep['past']>): PlanStep[] => [
      {
        id: 'a',
        name: 'Fill',
        on: ['Valve', 'count Fills'],
        ways: [{ id: 'w', when: 'Full', to: 'a' }],
        limit: '5 s',
        past,
      },
    ];
    const left = (
      s: Partial<Sequence>,
      past: NonNullable<PlanStep['past']> = { fault: 1 },
      step: Partial<PlanStep> = {},
    ) => {
      const sequence = { id: 's', name: 'S', steps: steps(past).map((x) => ({ ...x, ...step })), ...s };
      return leftOnByFault(
        { modes: [{ id: 'm', name: 'Auto', when: 'EStopOK AND NOT Fault' }], sequences: [sequence] },
        [
          { id: 't1', name: 'EStopOK', type: 'BOOL', address: '%IX0.0' },
          { id: 't2', name: 'Running', type: 'BOOL' },
        ],
        sequence,
      );
    };
    expect(left({})).toEqual(['Valve']);
    expect(left({ run: 'EStopOK' })).toEqual(['Valve']);
    expect(left({ run: 'EStopOK AND NOT Fault' })).toEqual([]);
    expect(left({ run: 'Running' })).toEqual([]);
    expect(left({ modes: ['Auto'] })).toEqual([]);
    expect(left({}, { fault: 1, to: 'a' })).toEqual([]);
    expect(left({}, { to: 'a' })).toEqual([]);
    // The fault itself leads out of the step, or ends the mode that it belongs to.
    expect(left({}, { fault: 1 }, { ways: [{ id: 'w', when: 'Full OR Fault', to: 'a' }] })).toEqual([]);
    expect(left({}, { fault: 1 }, { modes: ['Auto'] })).toEqual([]);
  });
  it('words of a condition that cannot be read are no tags', () => {
    const steps = readSteps('Step\tWhen\nHeat\tsome time later\nTurn\tDrumLevel > 3\n', id).steps,
      plan = { sequences: [{ id: 's', name: 'S', steps }] };
    expect(sourceless({ ...emptyProject('P'), plan }).map((x) => x.name)).toEqual(['DrumLevel']);
    expect(namesOfPlan(plan)).toEqual(['DrumLevel']);
  });
  it('is read from a spreadsheet or CSV, headings in any order, more ways out on rows of their own', () => {
    const t = readSteps(
      'To\tStep\tWhen\tOn\tLimit\tPast\nFeed\tIdle\tRunning\t\t\t\nClamp\tFeed\tWireOut >= 82\tFeedMotor\t4 s\tFault 11\nIdle\t\tCancel is on\t\t\t\nIdle\tClamp\tClampShut\tClampClose, Lamp\t600 ms\tIdle\n',
      id,
    );
    expect(t.problems).toEqual([]);
    expect(
      t.steps.map((s) => [
        s.name,
        s.on,
        s.limit,
        s.past && (s.past.fault ?? 'step'),
        s.ways.map((w) => [w.when, t.steps.find((x) => x.id === w.to)?.name]),
      ]),
    ).toEqual([
      ['Idle', undefined, undefined, undefined, [['Running', 'Feed']]],
      [
        'Feed',
        ['FeedMotor'],
        '4 s',
        11,
        [
          ['WireOut >= 82', 'Clamp'],
          ['Cancel is on', 'Idle'],
        ],
      ],
      ['Clamp', ['ClampClose', 'Lamp'], '600 ms', 'step', [['ClampShut', 'Idle']]],
    ]);
    const again = readSteps(stepsToTable({ id: 's', name: 'S', steps: t.steps }), id);
    const plain = (x: typeof t.steps) =>
      x.map((s) => ({
        ...s,
        id: '',
        past: s.past?.fault,
        ways: s.ways.map((w) => [w.when, x.find((y) => y.id === w.to)?.name]),
      }));
    expect(plain(again.steps)).toEqual(plain(t.steps));
  });
  it('says which line was not understood, and keeps the rest', () => {
    const t = readSteps('Idle,,Running,,Fed\n,,x\nFeed,M,Done,,Idle,4 s,whatever', id);
    expect(t.problems).toEqual([
      { line: 1, message: expect.stringContaining('‘Fed’') as string },
      { line: 3, message: expect.stringContaining('whatever') as string },
    ]);
    expect(t.steps.map((s) => s.name)).toEqual(['Idle', 'Feed']);
  });
});

it('values of enumerations and functions in conditions are not taken for tags', () => {
  const p: Project = {
    ...withPlan({
      sequences: [
        {
          id: 'q',
          name: 'Fire',
          run: 'Running AND NOT (Halt)',
          steps: [
            { id: 'a', name: 'Rest', ways: [{ id: 'w', when: 'Heat = Hot AND MAX(Left, Right) > 3.0', to: 'b' }] },
            { id: 'b', name: 'Work', ways: [{ id: 'v', when: 'Done', to: 'a' }] },
          ],
        },
      ],
    }),
    types: [{ id: 'y', text: 'HeatSteps : (Cold, Hot);' }],
    tags: [{ id: 't', name: 'Heat', type: 'HeatSteps' }],
  };
  const made = take(p, { logic: 'LD' });
  expect(made.tags.map((t) => [t.name, t.type]).sort()).toEqual([
    ['Done', 'BOOL'],
    ['FireMayRun', 'BOOL'],
    ['Halt', 'BOOL'],
    ['Heat', 'HeatSteps'],
    ['Left', 'REAL'],
    ['Right', 'REAL'],
    ['Running', 'BOOL'],
    ['Step', 'FireSteps'],
    ['StepWas', 'FireSteps'],
  ]);
  expect(
    compile([{ kind: 'project', name: 'p', project: made }])
      .diagnostics.filter((d) => d.severity === 'error')
      .map((d) => d.message),
  ).toEqual([]);
});
