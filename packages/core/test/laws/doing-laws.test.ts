/**
 * What was done at a machine, said as rows of a check, does the same again; devices moved about leave a machine that is
 * whole.
 */
import { readFileSync } from 'node:fs';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { type BenchEvent, Engine } from '../../src/bench.js';
import { type Device, type Project, applyEdit, emptyProject } from '../../src/document.js';
import { compile } from '../../src/workspace.js';
import { kindOf, placeDevice, snapLinks } from '../../src/machine.js';
import { planProof, prove } from '../../src/verify.js';
import { rowsThatExpect } from '../../src/verify/play/doing.js';

const example = (name: string) =>
  JSON.parse(readFileSync(new URL(`../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8')) as Project;
const STEP = { stepNs: 10_000_000n };

/** Everything a person can do at the panel of a project, and what can go wrong, each with values it may take. */
function things(
  project: Project,
): readonly { readonly path: string; readonly values: readonly (boolean | number | bigint)[] }[] {
  return project.machine.devices.flatMap((d) => {
    const kind = kindOf(project.machine, d.type)!;
    return [
      ...kind.handles.map((h) => ({
        path: `Machine.${d.name}.${h.name}`,
        values: h.type === 'number' ? [1, 25.5, 60] : h.type === 'way' ? [-1n, 0n, 1n] : [true, false],
      })),
      ...kind.upsets.slice(0, 1).map((u) => ({ path: `Machine.${d.name}.${u.name}`, values: [true, false] })),
    ];
  });
}

describe.each(['wire-end-crimp-cell', 'dust-extractor', 'canal-lock'])('%s', (name) => {
  const project = { ...example(name), checks: [], rules: [] },
    compiled = compile([{ kind: 'project', name: 'p', project }]),
    image = compiled.build(false),
    all = things(project);
  const watched = project.tags
    .filter((t) => !t.standsFor && ['BOOL', 'INT', 'UINT', 'REAL'].includes(t.type.toUpperCase()))
    .map((t) => t.name);
  const state = (e: Engine) => watched.map((t) => String(e.read(t))).join(' ');

  it('law: rows made of what was done do it again, scan by scan', () => {
    const script = fc.array(
      fc.record({ what: fc.nat(all.length - 1), value: fc.nat(2), wait: fc.integer({ min: 0, max: 90 }) }),
      { minLength: 1, maxLength: 25 },
    );
    fc.assert(
      fc.property(script, (made) => {
        let scan = 0;
        const events = made.map(({ what, value, wait }): { scan: number; event: BenchEvent } => {
          const t = all[what]!;
          scan += wait;
          return { scan, event: { kind: 'write', path: t.path, value: t.values[value % t.values.length]! } };
        });
        const end = scan + 150,
          direct = new Engine(image, { ...STEP, wires: compiled.wires }),
          before: string[] = [];
        direct.restart();
        for (let n = 0; n < end; n++) {
          for (const e of events)
            if (e.scan === n && e.event.kind === 'write') direct.write(e.event.path, e.event.value);
          direct.runScan();
          before.push(state(direct));
        }
        const rows = rowsThatExpect(project, image, events, ['TRUE'], end - 1, 10),
          after: string[] = [];
        const plan = planProof({ ...project, checks: [{ id: 'c', name: 'C', rows }] }, 'p');
        expect(plan.diagnostics.map((d) => d.message)).toEqual([]);
        const played = prove(plan, { ...STEP, onScan: (e) => after.push(state(e)) }).checks[0]!;
        expect(played.failure).toBeUndefined();
        const differ = before.findIndex((b, i) => after[i] !== undefined && after[i] !== b);
        if (differ >= 0)
          throw new Error(
            `differs after scan ${differ + 1}: ${watched.filter((_, i) => before[differ]!.split(' ')[i] !== after[differ]!.split(' ')[i]).join(', ')}\n${rows.map((r) => `${r.when ?? 'at once'}: ${(r.do ?? []).join('; ')}`).join('\n')}`,
          );
        expect(after.length).toBeGreaterThanOrEqual(end - 1);
      }),
      { numRuns: 15 },
    );
  });
});

describe('devices moved about', () => {
  const TYPES = [
    'PartFeed',
    'Conveyor',
    'Conveyor',
    'PartSensor',
    'Stopper',
    'Sorter',
    'Bin',
    'Pump',
    'Tank',
    'Valve',
    'Motor',
    'Encoder',
    'PickAndPlace',
    'WorkStation',
  ] as const;
  const machineOf = (types: readonly string[]): readonly Device[] => {
    const all: Device[] = [];
    for (const [i, type] of types.entries()) {
      const device: Device = { id: `d${i}`, name: `${type}${i}`, type },
        now = { devices: [...all, device] },
        wires = snapLinks({ machine: now }, device, all);
      all.splice(
        0,
        all.length,
        ...now.devices.map((d) => (wires.has(d.name) ? { ...d, wires: wires.get(d.name)! } : d)),
      );
    }
    return all;
  };
  it('law: all are still there, every link leads to a device that is, the machine compiles, and undoing brings it back', () => {
    const moves = fc.array(
      fc.tuple(
        fc.nat(11),
        fc.nat(11),
        fc.constantFrom('before', 'behind', 'onto') as fc.Arbitrary<'before' | 'behind' | 'onto'>,
      ),
      { minLength: 1, maxLength: 8 },
    );
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...TYPES), { minLength: 3, maxLength: 12 }), moves, (types, list) => {
        let p: Project = { ...emptyProject('M'), machine: { devices: machineOf(types) } };
        for (const [a, b, spot] of list) {
          const ids = p.machine.devices.map((d) => d.id),
            edit = placeDevice(p, ids[a % ids.length]!, ids[b % ids.length]!, spot);
          if (!edit) continue;
          const r = applyEdit(p, edit);
          if ('refused' in r) throw new Error(r.refused);
          const back = applyEdit(r.project, r.inverse);
          expect('project' in back && back.project).toEqual(p);
          p = r.project;
        }
        expect([...p.machine.devices.map((d) => d.id)].sort()).toEqual(types.map((_, i) => `d${i}`).sort());
        const names = new Set(p.machine.devices.map((d) => d.name));
        for (const d of p.machine.devices)
          for (const w of Object.values(d.wires ?? {}))
            expect(names.has(w.split('.')[0]!), `${d.name} is linked to ${w}`).toBe(true);
        expect(
          compile([{ kind: 'project', name: 'm', project: p }])
            .diagnostics.filter((d) => d.severity === 'error')
            .map((d) => d.message),
        ).toEqual([]);
      }),
      { numRuns: 60 },
    );
  });
});
