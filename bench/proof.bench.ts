/**
 * Prove measured: how fast checks play, how fast search goes, how long proofs take, and what finds seeded faults in how
 * long.
 */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Project } from '@ferrule/core/document';
import { Search, mutantsOf, mutated, planProof, prove, proveRules, tryMutant } from '@ferrule/core/verify';
import { scanStep } from '@ferrule/core/bench';
import { loadSolver } from '@ferrule/core/solver';
import { line, median } from './measure.js';

const EXAMPLES = ['wire-end-crimp-cell', 'dust-extractor', 'canal-lock', 'ceramic-kiln'];
/** Faults of each example: spread over all that mutation can do. */
const FAULTS = 20;

export default async function run(root: string): Promise<void> {
  const solver = await loadSolver();
  let all = 0,
    found = 0,
    slowest = 0;
  for (const name of EXAMPLES) {
    const project = JSON.parse(readFileSync(join(root, `examples/${name}.ferrule.json`), 'utf8')) as Project,
      plan = planProof(project, name),
      stepNs = scanStep(plan.image!);
    const played: number[] = [],
      went: number[] = [];
    for (let n = 0; n < 5; n++) {
      const t = performance.now(),
        r = prove(plan, { stepNs });
      played.push(r.checks.reduce((s, c) => s + Number(c.timeNs) / 1e6, 0) / (performance.now() - t));
      const s = new Search(plan, project, { stepNs, seed: n + 1, upsets: true }),
        u = performance.now();
      s.run(300_000);
      went.push(s.state.scans / ((performance.now() - u) / 1000));
    }
    console.log(
      `${name}: checks play ${median(played).toFixed(0)} times as fast as the machine, search ${Math.round(median(went)).toLocaleString('en')} scans a second with the machine model`,
    );
    const t = performance.now(),
      proof = await proveRules(project, plan, { stepNs, solver });
    console.log(
      `  ${proof.rules.filter((r) => r.strength === 'proved').length} of ${proof.rules.length} rules proved, all together in ${((performance.now() - t) / 1000).toFixed(1)} s`,
    );
    const mutants = mutantsOf(project),
      step = Math.max(1, Math.floor(mutants.length / FAULTS)),
      took: number[] = [],
      by = { checks: 0, search: 0, proof: 0 };
    const missed: string[] = [];
    for (let i = 0; i < mutants.length; i += step) {
      const m = mutants[i]!,
        began = performance.now(),
        tried = tryMutant(project, m, stepNs);
      if (!tried) continue;
      all++;
      let how: keyof typeof by | undefined = tried.noticedBy ? 'checks' : undefined;
      if (!how) {
        const changed = mutated(project, m),
          its = planProof(changed, name);
        const s = new Search(its, changed, { stepNs, seed: 1, upsets: true });
        if (s.run(2_000_000).found.length) how = 'search';
        else if (
          (await proveRules(changed, its, { stepNs, solver, ways: ['random', 'states', 'induction'] })).rules.some(
            (r) => r.strength === 'broken' || r.strength === 'failed',
          )
        )
          how = 'proof';
      }
      if (how) {
        by[how]++;
        found++;
      } else
        missed.push(
          `${m.pou} ${m.place.kind === 'rung' ? `rung ${m.place.number}` : `line ${m.place.line}`}: ${m.what}`,
        );
      took.push((performance.now() - began) / 1000);
      slowest = Math.max(slowest, took[took.length - 1]!);
    }
    line(
      `  seconds a fault; found by checks ${by.checks}, by search ${by.search}, by proof ${by.proof}, by nothing ${missed.length}`,
      took,
      's',
    );
    for (const m of missed) console.log(`    not found: ${m}`);
  }
  console.log(`${found} of ${all} faults found, the slowest in ${slowest.toFixed(1)} s`);
  await solver.close();
}
