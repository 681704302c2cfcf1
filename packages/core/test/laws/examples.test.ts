/** Every example that ships: no errors, its checks and rules hold, it stands what chance does to it. */
import { readFileSync, readdirSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { Engine, scanStep } from '../../src/bench.js';
import type { Project } from '../../src/document.js';
import { compile } from '../../src/workspace.js';
import { looseEnds } from '../../src/machine.js';
import { planProblems } from '../../src/plan.js';
import { planProof, prove } from '../../src/verify.js';

const folder = new URL('../../../../examples/', import.meta.url);
const examples = readdirSync(folder)
  .filter((f) => f.endsWith('.ferrule.json'))
  .map((f) => [f, JSON.parse(readFileSync(new URL(f, folder), 'utf8')) as Project] as const);

describe.each(examples)('%s', (_, project) => {
  const compiled = compile([{ kind: 'project', name: 'p', project }]);
  const step = { stepNs: scanStep(compiled.build(false)) };
  it('has no errors and is complete: plan, tags, logic, machine, checks, rules', () => {
    expect(compiled.diagnostics.filter((d) => d.severity === 'error').map((d) => d.message)).toEqual([]);
    expect(project.plan && planProblems(project.plan)).toEqual([]);
    expect(looseEnds(project).filter((l) => l.what === 'twice')).toEqual([]);
    // A fourth way that leads nowhere is not missed.
    expect(looseEnds(project).map((l) => l.terminal)).not.toContain('Way4');
    for (const list of [
      project.tags,
      project.pous,
      project.machine.devices,
      project.checks,
      project.rules,
      project.scope,
    ])
      expect(list.length).toBeGreaterThan(2 - Number(list === project.pous) * 2);
  });
  it('passes its checks and keeps its rules', () => {
    const r = prove(planProof(project, 'p'), step);
    expect(r.problem).toBe(undefined);
    expect(
      r.checks.filter((c) => !c.ok).map((c) => [c.name, c.failure?.row, c.failure?.expected, c.failure?.seen]),
    ).toEqual([]);
    expect(r.rules.filter((c) => !c.ok).map((c) => [c.name, c.failure ?? c.problem])).toEqual([]);
  });
  it('runs without a fault of the program while its panel is worked at random, upsets among it', () => {
    const e = new Engine(compiled.build(false), { ...step, wires: compiled.wires });
    let seed = 7;
    const random = (n: number) => (seed = (seed * 48271) % 2147483647) % n;
    const handles = project.machine.devices.flatMap((d) =>
      [
        ['PushButton', 'Pressed'],
        ['Selector', 'Turned'],
        ['EmergencyStop', 'Struck'],
      ]
        .filter(([t]) => d.type === t)
        .map(([, h]) => `Machine.${d.name}.${h}`),
    );
    const upsets = project.machine.devices.flatMap((d) =>
      ['Jam', 'Overload', 'BrokenWire', 'NoFeedback', 'Clogged']
        .map((u) => `Machine.${d.name}.${u}`)
        .filter((p) => {
          try {
            e.read(p);
            return true;
          } catch {
            return false;
          }
        }),
    );
    for (let n = 0; n < 600; n++) {
      const path = n % 7 ? handles[random(handles.length)] : upsets[random(upsets.length)];
      if (path) e.write(path, random(2) === 1);
      for (let i = 0; i < 100; i++) if (!e.runScan()) throw new Error(e.faultLine());
    }
    expect(e.scan).toBe(60_000);
  });
});
