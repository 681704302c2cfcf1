/**
 * Every seeded fault of the examples is found: by the checks, by a search of a few million scans, or by the proof of a
 * rule.
 */
import { readFileSync } from 'node:fs';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import type { Project } from '../../src/document.js';
import { planProof, prove, proveRules } from '../../src/verify.js';
import { scanStep } from '../../src/bench.js';
import { type LoadedSolver, loadSolver } from '../../src/verify/prove/z3.js';
import { Search } from '../../src/verify/search/search.js';
import { EXAMPLE_FAULTS, type SeededFault } from '../example-faults.js';

const load = (name: string): Project =>
  JSON.parse(readFileSync(new URL(`../../../../examples/${name}.ferrule.json`, import.meta.url), 'utf8')) as Project;

/** The example with the fault in it; the piece must be there exactly once. */
function seeded(f: SeededFault): Project {
  const p = load(f.example);
  let times = 0;
  const put = (text: string): string =>
    text
      .split(f.from)
      .map((part, i) => {
        if (i) times++;
        return part;
      })
      .join(f.to);
  const next: Project = {
    ...p,
    pous: p.pous.map((x) =>
      x.language === 'LD'
        ? { ...x, rungs: x.rungs.map((r) => ({ ...r, line: put(r.line) })) }
        : { ...x, text: put(x.text) },
    ),
  };
  expect(times, `'${f.from}' in ${f.example}`).toBe(1);
  return next;
}

let solver: LoadedSolver;
beforeAll(async () => {
  solver = await loadSolver();
});
afterAll(async () => {
  await solver.close();
});

describe('the fault set', () => {
  it('has at least fifty faults over five examples', () => {
    expect(EXAMPLE_FAULTS.length).toBeGreaterThanOrEqual(50);
    expect(new Set(EXAMPLE_FAULTS.map((f) => f.example)).size).toBe(5);
  });
  it.each(EXAMPLE_FAULTS.map((f) => [`${f.example}: ${f.what}`, f] as const))(
    '%s',
    { timeout: 240_000 },
    async (_, f) => {
      const p = seeded(f),
        plan = planProof(p, 'p');
      expect(
        plan.image,
        plan.compiled.diagnostics
          .filter((d) => d.severity === 'error')
          .map((d) => d.message)
          .join(),
      ).toBeTruthy();
      const stepNs = scanStep(plan.image!),
        played = prove(plan, { stepNs, stopAtFirst: true });
      const failed = [...played.checks, ...played.rules].find((x) => !x.ok);
      if (failed) return;
      const search = new Search(plan, p, { stepNs, seed: 1, upsets: true });
      while (!search.isDone && !search.state.found.length && search.state.scans < 2_000_000) search.run(100_000);
      if (search.state.found.length) return;
      const proof = await proveRules(p, plan, { stepNs, solver });
      const broken = proof.rules.find((r) => r.strength === 'broken');
      expect(broken?.name, 'found by nothing').toBeTruthy();
    },
  );
});
