/** A thing that gets another name keeps its value, wherever logic changes while it runs. */
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { Engine, History, previewSwap, scanStep, transferPlan, transferState } from '../bench.js';
import {
  type Edit,
  type Project,
  type ProjectPou,
  type Tag,
  applyEdit,
  emptyProject,
  renameDevice,
} from '../document.js';
import { compile, renamePou, renameTag } from '../workspace.js';

const tag = (id: string, name: string, type: string, more: Partial<Tag> = {}): Tag => ({ id, name, type, ...more });

function compiledOf(project: Project) {
  const c = compile([{ kind: 'project', name: project.name, project }]);
  expect(c.diagnostics.filter((d) => d.severity === 'error')).toEqual([]);
  return c;
}
function sideOf(project: Project) {
  const c = compiledOf(project),
    image = c.build(true);
  return { image, stepNs: scanStep(image), wires: c.wires };
}
const edited = (project: Project, edit: Edit | { readonly refused: string }): Project => {
  if ('refused' in edit) throw new Error(edit.refused);
  const done = applyEdit(project, edit);
  if ('refused' in done) throw new Error(done.refused);
  return done.project;
};
const rename = (p: Project, id: string, to: string): Project =>
  edited(
    p,
    renameTag(
      p,
      compiledOf(p),
      p.tags.find((t) => t.id === id)!,
      to,
    ),
  );

const press: Project = {
  ...emptyProject('Press'),
  tags: [
    tag('a', 'Start', 'BOOL', { address: '%IX0.0' }),
    tag('b', 'Count', 'DINT', { retain: true }),
    tag('c', 'Ram', 'BOOL', { address: '%QX0.0' }),
    tag('d', 'Held', 'TON'),
  ],
  pous: [
    {
      id: 'm',
      name: 'Main',
      language: 'ST',
      kind: 'program',
      text: 'PROGRAM Main\nVAR Strokes : DINT; Lamp AT %QX0.1 : BOOL; END_VAR\nCount := Count + 1;\nStrokes := Strokes + 2;\nRam := Start;\nLamp := TRUE;\nHeld(IN := Start, PT := T#10s);\nEND_PROGRAM\n',
    },
  ],
  machine: {
    devices: [{ id: 't', name: 'Basin', type: 'Tank', parameters: { Level0: '40.0' }, wires: {} }],
  },
};

describe('at the bench', () => {
  const history = (): History => {
    const h = new History(sideOf(press).image, sideOf(press));
    h.apply({ kind: 'force', path: 'Start', value: true });
    h.run(20);
    return h;
  };
  const change = (h: History, to: Project) => {
    const next = sideOf(to);
    return h.replaceImage(next.image, next);
  };

  it('a tag keeps its value, its inner values and its force', () => {
    const h = history();
    const to = rename(rename(rename(press, 'b', 'Strokes_done'), 'd', 'HeldFor'), 'a', 'StartButton'),
      moved = change(h, to);
    expect(moved.lost).toEqual([]);
    expect(moved.renamed).toEqual([
      { from: 'Start', to: 'StartButton' },
      { from: 'Count', to: 'Strokes_done' },
      { from: 'Held', to: 'HeldFor' },
    ]);
    expect(h.engine.read('Strokes_done')).toBe(20n);
    expect(h.engine.read('HeldFor.ET')).toBe(190_000_000n);
    expect(h.engine.listForces()).toEqual([{ path: 'StartButton', value: true }]);
    h.run(1);
    expect(h.engine.read('Strokes_done')).toBe(21n);
    expect(h.engine.read('Ram')).toBe(true);
  });

  it('a program keeps its variables, those with an address too', () => {
    const h = history(),
      moved = change(h, edited(press, renamePou(press, 'm', 'PressCycle')));
    expect(moved.lost).toEqual([]);
    expect(h.engine.read('PressCycle.Strokes')).toBe(40n);
    expect(h.engine.read('PressCycle.Lamp')).toBe(true);
  });

  it('a device keeps what it holds, and what is forced in it', () => {
    const level = (of: string) => `Machine.${of}.Level`;
    const h = history();
    h.apply({ kind: 'write', path: 'Machine.Basin.Content', value: 55 });
    h.run(1);
    const before = h.engine.read(level('Basin'));
    expect(before).toBe(55);
    h.apply({ kind: 'force', path: 'Machine.Basin.High', value: true });
    const moved = change(h, edited(press, renameDevice(press, 't', 'Sump')));
    expect(moved.lost).toEqual([]);
    expect(h.engine.read(level('Sump'))).toBe(before);
    expect(h.engine.snapshot().forces.map((f) => f.path)).toEqual(['Start', 'Machine.Sump.High']);
  });

  it('another type under another name is not kept, and said', () => {
    const h = history(),
      to = rename(press, 'b', 'Total');
    const moved = change(h, { ...to, tags: to.tags.map((t) => (t.id === 'b' ? { ...t, type: 'LINT' } : t)) });
    expect(moved.lost).toEqual(['Total: was DINT, is LINT']);
  });

  it('a name counts before an id: a tag put in the place of another takes its value, as before', () => {
    const h = history();
    // Count is taken away, and Ram's id stands for a new tag of that name.
    const to = { ...press, tags: press.tags.map((t) => (t.id === 'b' ? { ...t, id: 'z' } : t)) };
    const moved = change(h, to);
    expect(moved).toMatchObject({ lost: [], renamed: [] });
    expect(h.engine.read('Count')).toBe(20n);
  });

  it('two tags that change names keep their values by name', () => {
    const p = { ...press, tags: [...press.tags, tag('e', 'Other', 'DINT', { initial: '7' })] };
    const a = sideOf(p),
      b = sideOf({
        ...p,
        tags: p.tags.map((t) => (t.id === 'b' ? { ...t, id: 'e' } : t.id === 'e' ? { ...t, id: 'b' } : t)),
      });
    expect(transferPlan(a.image, b.image).renamed).toEqual([]);
  });
});

it('a program without variables is not told as lost when it goes', () => {
  const empty: ProjectPou = { id: 'e', name: 'Empty', language: 'LD', kind: 'program', rungs: [] },
    both = { ...press, pous: [...press.pous, empty], tasks: [] },
    lost = (to: Project) => transferPlan(sideOf(both).image, sideOf(to).image).lost;
  expect(lost({ ...both, pous: press.pous })).toEqual([]);
  expect(lost({ ...both, pous: [empty] })).toEqual(['Main: no longer there', 'Main.Lamp: no longer there']);
});

it('a global variable of a text is not taken for another one that stands in the same text', () => {
  const of = (name: string) => {
    const text = `VAR_GLOBAL ${name} : DINT; END_VAR\nPROGRAM Main ${name} := 1; END_PROGRAM`;
    return sideOf({ ...press, pous: [{ id: 'm', name: 'Main', language: 'ST', kind: 'program', text }] }).image;
  };
  const plan = transferPlan(of('Speed'), of('Pressure'));
  expect(plan.renamed).toEqual([]);
  expect(plan.lost).toEqual(['Speed: no longer there']);
});

it('projects that only happen to use the same ids are not taken for one another', () => {
  const named = (names: readonly string[], more: Partial<Project> = {}): Project => ({
    ...emptyProject('Other'),
    tags: names.map((n, i) => tag(`t${i}`, n, 'BOOL')),
    ...more,
  });
  const from = sideOf(named(['PumpOn', 'ValveOpen', 'Full'])),
    to = sideOf(named(['MotorOn', 'GateOpen', 'Empty'])),
    plan = transferPlan(from.image, to.image);
  expect(plan.renamed).toEqual([]);
  expect(plan.lost).toEqual(['PumpOn', 'ValveOpen', 'Full'].map((n) => `${n}: no longer there`));
});

it('the preview of a try compares an output with what it was called, and names what changed its name', () => {
  const kept = sideOf(press),
    to = rename(press, 'c', 'RamDown'),
    draft = sideOf(to);
  const e = new Engine(kept.image, kept);
  e.force('Start', true);
  for (let n = 0; n < 3; n++) e.runScan();
  expect(previewSwap(kept, draft, e.snapshot())).toMatchObject({
    lost: [],
    renamed: [{ from: 'Ram', to: 'RamDown' }],
    switched: [],
  });
});

it('retained values go over a warm restart under another name', () => {
  const from = sideOf(press),
    to = sideOf(rename(press, 'b', 'Total'));
  const e = new Engine(from.image, from);
  for (let n = 0; n < 5; n++) e.runScan();
  const moved = transferState(from.image, e.snapshot().bytes, to.image, 'retained'),
    next = new Engine(to.image, to);
  next.restart(moved.bytes);
  expect(next.read('Total')).toBe(5n);
  expect(moved.lost).toEqual([]);
});

it('law: whatever is renamed, each tag holds what it held', () => {
  const types = ['BOOL', 'INT', 'DINT', 'LREAL', 'STRING[10]', 'ARRAY [0..3] OF INT', 'TON'];
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.constantFrom(...types), fc.boolean()), { minLength: 1, maxLength: 12 }),
      fc.integer({ min: 0, max: 255 }),
      (made, seed) => {
        // As many stay as go, at least: else these could be two projects.
        let renamed = 0;
        const list = made.map(([type, isRenamed], i) => {
          const goes = isRenamed && renamed < i + 1 - renamed;
          if (goes) renamed++;
          return { type, before: `T${i}`, after: goes ? `Other${i}` : `T${i}` };
        });
        const of = (name: 'before' | 'after') =>
          sideOf({ ...emptyProject('P'), tags: list.map((t, i) => tag(`t${i}`, t[name], t.type)) }).image;
        const from = of('before'),
          to = of('after');
        const bytes = from.initial.slice();
        for (const t of list) {
          const s = from.symbols.get(t.before.toLowerCase())!;
          if (t.type === 'BOOL') bytes[s.address] = bytes[s.address]! | ((seed & 1) << (s.bit ?? 0));
          else bytes[s.address + (t.type === 'TON' ? 8 : 0)] = seed;
        }
        const moved = transferState(from, bytes, to);
        expect(moved.lost).toEqual([]);
        const inState = (image: typeof from, state: Uint8Array): Engine => {
          const e = new Engine(image, { stepNs: 10_000_000n });
          e.restore({ scan: 0, bytes: state, forces: [] });
          return e;
        };
        const was = inState(from, bytes),
          is = inState(to, moved.bytes);
        for (const t of list) {
          const inner = t.type === 'TON' ? '.ET' : t.type.startsWith('ARRAY') ? '[0]' : '';
          expect(is.read(t.after + inner)).toEqual(was.read(t.before + inner));
        }
      },
    ),
    { numRuns: 60 },
  );
});
