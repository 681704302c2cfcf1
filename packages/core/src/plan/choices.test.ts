/** A choice that is kept: one of several by buttons, in ladder and text alike, as a model of it in a few lines says. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type Plan, type Project, emptyProject } from '../document/document.js';
import { applyEdit } from '../document/edits/index.js';
import { planProof } from '../verify/play/plan.js';
import { prove } from '../verify/play/play.js';
import { Engine } from '../runtime/engine.js';
import { sourceless } from './generate.js';
import { madeChecks } from './made-checks.js';
import { planChanges, takeChanges } from './merge.js';
import { planProblems } from './problems.js';

const STEP = { stepNs: 10_000_000n };
const withPlan = (plan: Plan): Project => ({
  ...emptyProject('New'),
  pous: [],
  tasks: [{ id: 't', name: 'Main', interval: '10 ms', priority: 1, programs: [] }],
  plan,
});
function made(project: Project, logic: 'LD' | 'ST', checks = false): Project {
  const take = (p: Project, what: Parameters<typeof planChanges>[1]): Project => {
    const r = applyEdit(p, takeChanges(p, planChanges(p, what)));
    if ('refused' in r) throw new Error(r.refused);
    return r.project;
  };
  const p = take(project, { logic });
  return checks ? take(p, { checks: madeChecks(p).checks }) : p;
}
const plan = (names: readonly string[], isLocked: boolean): Plan => ({
  choices: [
    {
      id: 'c',
      name: 'Product',
      options: names.map((name, i) => ({ id: `o${i}`, name, when: `Pb${name}` })),
      reset: 'WrongPb',
      ...(isLocked ? { locked: 'Running AND NOT Paused' } : {}),
    },
  ],
  sequences: [
    {
      id: 'q',
      name: 'Work',
      run: 'Running',
      steps: [
        { id: 'a', name: 'Idle', ways: [{ id: 'w', when: names.map((n) => `Product${n}`).join(' OR '), to: 'b' }] },
        { id: 'b', name: 'Go', on: ['Motor'], ways: [{ id: 'w', when: 'Done', to: 'a' }] },
      ],
    },
  ],
});

describe('a choice group', () => {
  it('law: what is pressed first is kept, at most one is on, and it is given back until the work has begun', () => {
    const press = fc.record({
      buttons: fc.array(fc.boolean(), { minLength: 5, maxLength: 5 }),
      reset: fc.boolean(),
      running: fc.boolean(),
      paused: fc.boolean(),
    });
    fc.assert(
      fc.property(
        fc.integer({ min: 2, max: 5 }),
        fc.boolean(),
        fc.array(press, { maxLength: 20 }),
        (n, isLocked, scans) => {
          const names = ['Small', 'Large', 'Round', 'Flat', '2nd'].slice(0, n),
            project = withPlan(plan(names, isLocked));
          expect(planProblems(project.plan!)).toEqual([]);
          const engines = (['LD', 'ST'] as const).map((logic) => {
            const proof = planProof(made(project, logic), 'p');
            expect(proof.diagnostics).toEqual([]);
            return new Engine(proof.image!, STEP);
          });
          const tags = names.map((x) => `Product${x}`);
          let chosen = -1;
          for (const s of scans) {
            for (const e of engines) {
              names.forEach((x, i) => e.write(`Pb${x}`, s.buttons[i]!));
              e.write('WrongPb', s.reset);
              e.write('Running', s.running);
              if (isLocked) e.write('Paused', s.paused);
              e.runScan();
            }
            if (!(isLocked && s.running && !s.paused)) {
              if (chosen < 0) chosen = s.buttons.slice(0, n).indexOf(true);
              if (s.reset) chosen = -1;
            }
            for (const e of engines) expect(tags.map((t) => e.read(t))).toEqual(tags.map((_, i) => i === chosen));
          }
        },
      ),
      { numRuns: 40 },
    );
  });
  it('its check presses the buttons, passes on the logic made, and notices when it keeps nothing or lets two in', () => {
    for (const logic of ['LD', 'ST'] as const) {
      const p = made(withPlan(plan(['Small', 'Large'], false)), logic, true);
      expect(p.checks.map((c) => c.name)).toContain('Product: one is chosen, kept, and taken back');
      const main = p.checks.find((c) => c.name === 'Work: main path')!;
      // What a step waits for is chosen by its button rather than forced.
      expect(main.rows.flatMap((r) => r.do ?? [])).toContain('set PbSmall on');
      expect(prove(planProof(p, 'p'), STEP).checks.filter((c) => !c.ok)).toEqual([]);
    }
    const p = made(withPlan(plan(['Small', 'Large'], false)), 'LD', true);
    const broken = (from: string, to: string): boolean => {
      let isThere = false;
      const pous = p.pous.map((x) =>
        x.language === 'LD'
          ? {
              ...x,
              rungs: x.rungs.map((r) => {
                isThere ||= r.line.includes(from);
                return { ...r, line: r.line.replace(from, to) };
              }),
            }
          : x,
      );
      expect(isThere).toBe(true);
      return prove(planProof({ ...p, pous }, 'p'), STEP).checks.some((c) => !c.ok);
    };
    expect(broken(' & !ProductSmall -> set ProductLarge', ' -> set ProductLarge')).toBe(true);
    expect(broken('-> set ProductSmall', '-> ProductSmall')).toBe(true);
    expect(broken('reset ProductSmall, ', '')).toBe(true);
  });
  it('says where one option, two of a name, one button for two, and nothing to take it back are', () => {
    const group = (c: object): Plan => ({
      ...plan(['Small'], false),
      choices: [{ id: 'c', name: 'Product', options: [], ...c }],
    });
    const said = (c: object) => planProblems(group(c)).flatMap((p) => (p.choice === 'c' ? [p.message] : []));
    const small = { id: 'a', name: 'Small', when: 'A' };
    expect(said({ reset: 'R', options: [small] })).toEqual([
      '‘Product’ has one option: nothing can be chosen between. Give it another, or let a step set a tag.',
    ]);
    expect(said({ reset: 'R' })[0]).toMatch(/has no option/);
    expect(said({ reset: 'R', options: [small, { id: 'b', name: 'small', when: 'B' }] })).toEqual([
      '‘Product’ has two options named ‘small’.',
    ]);
    expect(said({ reset: 'R', options: [small, { id: 'b', name: 'Large', when: ' a ' }] })).toEqual([
      'a chooses both ‘Small’ and ‘Large’: only the first of them would ever be chosen.',
    ]);
    expect(said({ reset: 'R', options: [small, { id: 'b', name: 'Large' }] })).toEqual([
      'Nothing says what chooses ‘Large’: give the input of its button.',
    ]);
    expect(said({ options: [small, { id: 'b', name: 'Large', when: 'B' }] })).toEqual([
      'Nothing takes the choice ‘Product’ back: give the button that does, or let a step reset its tags.',
    ]);
    const own = plan(['Small', 'Large'], false),
      steps = own.sequences[0]!.steps.map((x) => (x.id === 'b' ? { ...x, on: ['set ProductLarge'] } : x));
    expect(planProblems({ ...own, sequences: [{ ...own.sequences[0]!, steps }] }).map((p) => p.message)).toEqual([
      '‘Go’ works ProductLarge, which the choice ‘Product’ keeps: a step may only reset it, so that exactly one is chosen.',
    ]);
  });
});

describe('what has no source', () => {
  it('is said once, with where it is asked for; memory of the plan, names of inputs and wires of the machine have one', () => {
    const p = withPlan({
      memory: [{ id: 'm', name: 'Wanted', type: 'INT' }],
      sequences: [
        {
          id: 'q',
          name: 'Work',
          run: 'Enabled',
          steps: [
            { id: 'a', name: 'Idle', ways: [{ id: 'w', when: 'StartPB AND Ready AND Wanted = 3', to: 'b' }] },
            {
              id: 'b',
              name: 'Go',
              on: ['Motor', 'count Parts'],
              ways: [{ id: 'w', when: 'Level > 5 AND Motor AND Parts > 2 OR Ready OR Up', to: 'a' }],
            },
          ],
        },
      ],
    });
    const machine = { devices: [{ id: 'd', name: 'D', type: 'Cylinder', wires: { AtEnd: 'Up' } }] };
    expect(sourceless({ ...p, machine })).toEqual([
      { name: 'Enabled', where: 'Work', madeAs: 'memory' },
      { name: 'Ready', where: 'Idle', madeAs: 'input' },
      // Memory that no step gives a value is said as well: it would stay as it begins.
      { name: 'Wanted', where: 'Idle', madeAs: 'number', isKept: true },
      { name: 'Level', where: 'Go', madeAs: 'number' },
    ]);
    const tags = made({ ...p, machine }, 'LD').tags,
      of = (name: string) => tags.find((t) => t.name === name);
    expect([of('Wanted')?.type, of('Wanted')?.address]).toEqual(['INT', undefined]);
    expect(of('Ready')?.address).toMatch(/^%IX/);
    // Once it is the plan's own memory it is no input; it has a source when a step sets it.
    const settled = { ...p, machine, plan: { ...p.plan!, memory: [...p.plan!.memory!, { id: 'r', name: 'Ready' }] } };
    expect(sourceless(settled).map((x) => x.name)).toEqual(['Enabled', 'Ready', 'Wanted', 'Level']);
    const sequence = settled.plan.sequences[0]!,
      [idle, go] = sequence.steps,
      sets = { ...go!, on: [...go!.on!, 'set Ready', 'Wanted := 3'] };
    const given = { ...settled, plan: { ...settled.plan, sequences: [{ ...sequence, steps: [idle!, sets] }] } };
    expect(sourceless(given).map((x) => x.name)).toEqual(['Enabled', 'Level']);
    expect(made(settled, 'ST').tags.find((t) => t.name === 'Ready')).toMatchObject({ type: 'BOOL' });
    expect(made(settled, 'ST').tags.find((t) => t.name === 'Ready')?.address).toBe(undefined);
  });
});

it('a sequence that asks for several things has one coil that says that it may go on, in ladder and text', () => {
  const own = plan(['Small', 'Large'], false);
  const p = withPlan({
    ...own,
    modes: [{ id: 'm', name: 'Auto', when: 'AutoSw' }],
    sequences: own.sequences.map((s) => ({ ...s, run: 'Running AND GuardShut', modes: ['Auto'] })),
  });
  const ladder = made(p, 'LD').pous[0]!,
    lines = ladder.language === 'LD' ? ladder.rungs.map((r) => r.line) : [];
  expect(lines.filter((l) => l.endsWith('-> WorkMayRun'))).toEqual(['Running & GuardShut & ModeAuto -> WorkMayRun']);
  expect(lines.filter((l) => /\bGuardShut\b/.test(l))).toHaveLength(1);
  expect(lines).toContain('WorkMayRun & Step = Go -> Motor');
  const text = made(p, 'ST').pous[0]!;
  expect(text.language === 'ST' && text.text).toContain('WorkMayRun := (Running AND GuardShut) AND ModeAuto;');
  // One contact needs no coil.
  const plain = made(withPlan(own), 'LD').pous[0]!;
  expect(plain.language === 'LD' && plain.rungs.some((r) => /MayRun/.test(r.line))).toBe(false);
});
