/**
 * Laws of what is made from plans: checks pass on the logic made with them, tables come back as they went, making again
 * changes nothing that was not changed.
 */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine, findPath, readLocation } from '../../src/bench.js';
import {
  type Plan,
  type PlanStep,
  type Project,
  applyEdit,
  emptyProject,
  readSteps,
  stepsToTable,
} from '../../src/document.js';
import { compile } from '../../src/workspace.js';
import { madeChecks, planChanges, planProblems, takeChanges } from '../../src/plan.js';
import { planProof, prove } from '../../src/verify.js';

const STEP = { stepNs: 10_000_000n };
const withPlan = (p: Plan): Project => ({
  ...emptyProject('New'),
  pous: [],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: [] }],
  plan: p,
});
interface What {
  readonly logic?: 'LD' | 'ST';
  readonly checks?: boolean;
}
const changesOf = (project: Project, { logic, checks }: What) =>
  planChanges(project, { ...(logic ? { logic } : {}), ...(checks ? { checks: madeChecks(project).checks } : {}) });
function take(project: Project, what: What): Project {
  const r = applyEdit(project, takeChanges(project, changesOf(project, what)));
  if ('refused' in r) throw new Error(r.refused);
  return r.project;
}

/**
 * A machine as people write it down: each step ends by an input of its own, some after a time, some with a way aside
 * and a limit.
 */
const machinePlan: fc.Arbitrary<Plan> = fc
  .integer({ min: 2, max: 7 })
  .chain((n) =>
    fc.tuple(
      fc.array(
        fc.record({
          hold: fc.option(fc.constantFrom('50 ms', '200 ms'), { nil: undefined }),
          aside: fc.option(fc.nat(n - 1), { nil: undefined }),
          limit: fc.option(fc.constantFrom('1 s', '700 ms'), { nil: undefined }),
          past: fc.option(fc.nat(n - 1), { nil: undefined }),
          on: fc.subarray(['Pump', 'Valve', 'Heat']),
        }),
        { minLength: n, maxLength: n },
      ),
      fc.boolean(),
    ),
  )
  .map(([list, runs]): Plan => ({
    sequences: [
      {
        id: 'q',
        name: 'Work',
        ...(runs ? { run: 'Running' } : {}),
        steps: list.map((x, i): PlanStep => ({
          id: `s${i}`,
          name: `Step ${i + 1}`,
          ...(x.on.length ? { on: x.on } : {}),
          ways: [
            { id: `w${i}`, when: `Seen${i + 1}`, ...(x.hold ? { for: x.hold } : {}), to: `s${(i + 1) % list.length}` },
            ...(x.aside !== undefined && x.aside !== i && x.aside !== (i + 1) % list.length
              ? [{ id: `a${i}`, when: `Aside${i + 1} AND NOT Seen${i + 1}`, to: `s${x.aside}` }]
              : []),
          ],
          // A limit is longer than what the step has to hold.
          ...(x.limit && i > 0
            ? { limit: x.limit, past: x.past === undefined || x.past === i ? { fault: 10 + i } : { to: `s${x.past}` } }
            : {}),
        })),
      },
    ],
  }));

describe('checks made from a plan', () => {
  it.each(['LD', 'ST'] as const)('law: pass on the logic made from it, in %s', (logic) => {
    fc.assert(
      fc.property(machinePlan, (plan) => {
        expect(planProblems(plan)).toEqual([]);
        const p = take(withPlan(plan), { logic, checks: true });
        expect(
          compile([{ kind: 'project', name: 'p', project: p }]).diagnostics.filter((d) => d.severity === 'error'),
        ).toEqual([]);
        const steps = plan.sequences[0]!.steps,
          proof = planProof(p, 'p');
        expect(proof.diagnostics).toEqual([]);
        // One for the main path, for every limit, and for every way that is not on it.
        expect(p.checks.length).toBeGreaterThanOrEqual(1 + steps.filter((s) => s.limit).length);
        const played = prove(proof, STEP).checks;
        expect(
          played.filter((c) => !c.ok).map((c) => [c.name, c.failure?.row, c.failure?.expected, c.failure?.seen]),
        ).toEqual([]);
      }),
      { numRuns: 40 },
    );
  });
  it('law: notice when the step is not watched', () => {
    fc.assert(
      fc.property(machinePlan, (plan) => {
        const p = take(withPlan(plan), { logic: 'LD', checks: true });
        const limits = p.pous.flatMap((x) =>
          x.language === 'LD' ? x.rungs.filter((r) => r.id.endsWith('-limit')) : [],
        );
        for (const gone of limits) {
          const broken: Project = {
            ...p,
            pous: p.pous.map((x) => (x.language === 'LD' ? { ...x, rungs: x.rungs.filter((r) => r !== gone) } : x)),
          };
          expect(prove(planProof(broken, 'p'), { ...STEP, stopAtFirst: true }).checks.some((c) => !c.ok)).toBe(true);
        }
      }),
      { numRuns: 15 },
    );
  });
});

it('a paragraph before a table of steps is what the plan says in words', () => {
  let n = 0;
  const id = (p: string) => `${p}${n++}`,
    words = 'A tank is filled, mixed and emptied; nothing runs without its pump.\n\nStop ends it, at once, anywhere.',
    rows = 'Step\tOn while in it\tMoves on when\tLimit\nIdle\t\tStartPB\nFill\tPump\tLevelHigh\tsoon';
  const read = readSteps(`${words}\n\n${rows}`, id);
  expect([read.description, read.steps.map((s) => s.name), read.problems]).toEqual([words, ['Idle', 'Fill'], []]);
  // The same with commas and headings; lines of problems are counted from the top of what was pasted.
  const commas = readSteps(`What it does, in short.\nStep,On,When,To\nIdle,,StartPB,Nowhere`, id);
  expect([commas.description, commas.steps.map((s) => s.name), commas.problems]).toEqual([
    'What it does, in short.',
    ['Idle'],
    [{ line: 3, message: 'There is no step ‘Nowhere’ to go to.' }],
  ]);
  // Without a paragraph, and without headings, as before.
  expect(readSteps(rows, id).description).toBe(undefined);
  expect(readSteps('Idle,,StartPB\nFill,Pump,LevelHigh', id).steps.map((s) => s.name)).toEqual(['Idle', 'Fill']);
});

it('law: checks made from a plan notice when a way is taken out of the logic', () => {
  fc.assert(
    fc.property(machinePlan, (plan) => {
      const p = take(withPlan(plan), { logic: 'LD', checks: true }),
        { unreached } = madeChecks(p);
      const ways = p.pous.flatMap((x) =>
        x.language === 'LD' ? x.rungs.filter((r) => /-s\d+-[wa]\d+$/.test(r.id)) : [],
      );
      // A way that is said to be not reached is looked at by none: `Work: Step 1 to Step 2`.
      const { steps } = plan.sequences[0]!,
        isSaid = (rung: { readonly id: string }): boolean => {
          const [, s, w] = /-(s\d+)-([wa]\d+)$/.exec(rung.id)!,
            from = steps.find((x) => x.id === s)!,
            to = steps.find((x) => x.id === from.ways.find((y) => y.id === w)!.to)!;
          return unreached.some((u) => u.what === `Work: ${from.name} to ${to.name}`);
        };
      for (const gone of ways) {
        const broken: Project = {
          ...p,
          pous: p.pous.map((x) => (x.language === 'LD' ? { ...x, rungs: x.rungs.filter((r) => r !== gone) } : x)),
        };
        const isSeen = prove(planProof(broken, 'p'), { ...STEP, stopAtFirst: true }).checks.some((c) => !c.ok);
        if (!isSaid(gone)) expect(isSeen, gone.line).toBe(true);
      }
    }),
    { numRuns: 15 },
  );
});

describe('made again', () => {
  it('law: without a change nothing would change; a limit changed alone changes its rung and its check alone', () => {
    fc.assert(
      fc.property(machinePlan, fc.constantFrom('LD', 'ST') as fc.Arbitrary<'LD' | 'ST'>, (plan, logic) => {
        const p = take(withPlan(plan), { logic, checks: true });
        expect(changesOf(p, { logic, checks: true })).toEqual([]);
        const steps = plan.sequences[0]!.steps,
          at = steps.findIndex((s) => s.limit);
        if (at < 0) return;
        const changed: Project = {
          ...p,
          plan: {
            ...p.plan!,
            sequences: [
              { ...plan.sequences[0]!, steps: steps.map((s, i) => (i === at ? { ...s, limit: '2.5 s' } : s)) },
            ],
          },
        };
        const changes = changesOf(changed, { logic, checks: true }),
          parts = changes.filter((c) => !c.what.startsWith('Check '));
        expect(new Set(changes.map((c) => c.kind))).toEqual(new Set(['changed']));
        expect(parts.map((c) => c.id)).toEqual([logic === 'LD' ? `plan-q-s${at}-limit` : 'plan-pou-q']);
        expect(changes.length).toBeGreaterThan(parts.length);
        expect(take(changed, { logic, checks: true }).plan!.sequences).toEqual(changed.plan!.sequences);
      }),
      { numRuns: 40 },
    );
  });
});

describe('a table of steps', () => {
  it('law: goes out and comes back the same but for its ids', () => {
    fc.assert(
      fc.property(machinePlan, (plan) => {
        const made = plan.sequences[0]!,
          s = { ...made, steps: made.steps.map((x, i) => (i % 2 ? { ...x, expected: `${i}.5 s` } : x)) },
          read = readSteps(
            stepsToTable(s),
            (() => {
              let n = 0;
              return (k: string) => `${k}${n++}`;
            })(),
          );
        expect(read.problems).toEqual([]);
        const named = (steps: readonly PlanStep[]) => {
          const name = (id: string | undefined) => steps.find((x) => x.id === id)?.name;
          return steps.map((x) => ({
            name: x.name,
            on: x.on ?? [],
            ways: x.ways.map((w) => [w.when, w.for, name(w.to)]),
            expected: x.expected,
            limit: x.limit,
            past: x.past?.fault ?? name(x.past?.to),
          }));
        };
        expect(named(read.steps)).toEqual(named(s.steps));
      }),
    );
  });
  it('law: whatever is pasted, it is read or said which line is not, and never throws', () => {
    const cell = fc.oneof(
      fc.string({ maxLength: 8 }),
      fc.constantFrom('Fill', 'Fault 7', '300 ms', 'NOT A', '', '"', ';'),
    );
    fc.assert(
      fc.property(
        fc.array(fc.array(cell, { maxLength: 9 }), { maxLength: 6 }),
        fc.constantFrom('\t', ',', ';'),
        (rows, by) => {
          const text = rows.map((r) => r.join(by)).join('\n'),
            read = readSteps(text, (k) => `${k}${Math.random()}`);
          for (const p of read.problems) expect(p.line >= 1 && p.message.length > 5).toBe(true);
          for (const x of read.steps) for (const w of x.ways) expect(read.steps.some((y) => y.id === w.to)).toBe(true);
        },
      ),
      { numRuns: 300 },
    );
  });
});

describe('conditions', () => {
  /** Conditions as people write them in a plan, several levels deep. */
  const condition = fc.letrec<{ any: string; leaf: string }>((tie) => ({
    leaf: fc.constantFrom('A', 'B', 'C', 'N > 3', 'N = 2', 'R >= 1.5', 'R < 0.5', 'A is off', 'N is not 4'),
    any: fc.oneof(
      { depthSize: 'small', withCrossShrink: true },
      tie('leaf'),
      fc
        .tuple(tie('any'), fc.constantFrom('AND', 'OR'), tie('any'))
        .map(([a, op, b]) => `(${plainer(a)}) ${op} (${plainer(b)})`),
      tie('any').map((a) => `NOT (${plainer(a)})`),
    ),
  })).any;
  /** Inside parentheses only the standard's own way to say it. */
  const plainer = (t: string): string => t.replace('A is off', 'NOT A').replace('N is not 4', 'N <> 4');
  const steps = fc.array(
    fc.record({
      a: fc.boolean(),
      b: fc.boolean(),
      c: fc.boolean(),
      n: fc.integer({ min: 0, max: 5 }),
      r: fc.constantFrom(0, 1, 2, NaN),
    }),
    { minLength: 1, maxLength: 12 },
  );
  it('law: become contacts, comparisons and legs, never text compared with TRUE, and mean the same as in text', () => {
    fc.assert(
      fc.property(condition, condition, steps, (go, back, inputs) => {
        const plan: Plan = {
          sequences: [
            {
              id: 'q',
              name: 'Work',
              steps: [
                { id: 's0', name: 'Wait', ways: [{ id: 'w0', when: go, to: 's1' }] },
                { id: 's1', name: 'Go', on: ['Lamp'], ways: [{ id: 'w1', when: back, to: 's0' }] },
              ],
            },
          ],
        };
        const base: Project = {
          ...withPlan(plan),
          tags: [
            ...['A', 'B', 'C', 'Lamp'].map((name) => ({ id: name, name, type: 'BOOL' })),
            { id: 'N', name: 'N', type: 'INT' },
            { id: 'R', name: 'R', type: 'REAL' },
          ],
        };
        const [ld, st] = (['LD', 'ST'] as const).map((logic) => {
          const p = take(base, { logic, checks: false }),
            c = compile([{ kind: 'project', name: 'p', project: p }]);
          expect(c.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
          return { p, engine: new Engine(c.build(true), { stepNs: 10_000_000n, wires: c.wires }) };
        }) as [{ p: Project; engine: Engine }, { p: Project; engine: Engine }];
        for (const pou of ld.p.pous)
          if (pou.language === 'LD')
            for (const r of pou.rungs)
              expect(r.line.replace(/\{.*\}/, '')).not.toMatch(/= TRUE|\bAND\b|\bOR\b|\bNOT\b/);
        for (const i of inputs) {
          for (const { engine } of [ld, st]) {
            for (const [name, v] of [
              ['A', i.a],
              ['B', i.b],
              ['C', i.c],
              ['R', i.r],
            ] as const)
              engine.write(name, v);
            engine.write('N', BigInt(i.n));
            engine.runScan();
          }
          const values = (e: Engine) =>
            ['Step', 'Lamp'].map((name) => {
              const f = findPath(e.image, name);
              return 'location' in f ? String(readLocation(e.view, f.location)) : '';
            });
          expect(values(ld.engine)).toEqual(values(st.engine));
        }
      }),
      { numRuns: 150 },
    );
  });
});
