/** Scans of the demo with its machine model, watched and plain, and how long the front end takes. */
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Engine } from '@ferrule/core/bench';
import type { Project } from '@ferrule/core/document';
import { compile } from '@ferrule/core/workspace';
import { planProof, prove } from '@ferrule/core/verify';
import { line, median } from './measure.js';

export default function run(root: string): void {
  const project = JSON.parse(readFileSync(join(root, 'examples/wire-end-crimp-cell.ferrule.json'), 'utf8')) as Project;
  const files = [{ kind: 'project' as const, name: 'demo', project }];
  const compiled = compile(files);
  const perScan = { plain: [] as number[], watched: [] as number[] };
  const engines = {
    plain: new Engine(compiled.build(false), { stepNs: 10_000_000n, wires: compiled.wires }),
    watched: new Engine(compiled.build(true), { stepNs: 10_000_000n, wires: compiled.wires }),
  };
  const SCANS = 50_000;
  for (let round = 0; round < 12; round++) {
    for (const kind of ['plain', 'watched'] as const) {
      const e = engines[kind];
      e.restart();
      e.write('Machine.Start.Pressed', true);
      const before = performance.now();
      for (let i = 0; i < SCANS; i++) e.runScan();
      // The first rounds warm the optimizing compiler.
      if (round >= 2) perScan[kind].push(((performance.now() - before) * 1000) / SCANS);
    }
  }
  line('scan of the demo with its machine, plain build', perScan.plain, 'µs');
  line('scan of the demo with its machine, watched build', perScan.watched, 'µs');
  console.log(
    `  watched / plain = ${(median(perScan.watched) / median(perScan.plain)).toFixed(2)}; ${Math.round(1e6 / median(perScan.watched)).toLocaleString('en')} watched scans a second; state ${engines.watched.image.stateSize} bytes`,
  );
  const check: number[] = [],
    build: number[] = [],
    proof: number[] = [];
  for (let i = 0; i < 30; i++) {
    let t = performance.now();
    const c = compile(files);
    check.push(performance.now() - t);
    t = performance.now();
    const image = c.build(true);
    new WebAssembly.Module(image.wasm);
    build.push(performance.now() - t);
  }
  line('checking the demo', check, 'ms');
  line('compiling the demo to WebAssembly, loaded', build, 'ms');
  let simulated = 0;
  for (let i = 0; i < 8; i++) {
    const plan = planProof(project, 'demo');
    const t = performance.now();
    const r = prove(plan, { stepNs: 10_000_000n });
    proof.push(performance.now() - t);
    simulated = r.checks.reduce((s, c) => s + Number(c.timeNs) / 1e6, 0);
  }
  line('playing all checks and rules of the demo', proof, 'ms');
  console.log(`  that is ${Math.round(simulated / median(proof)).toLocaleString('en')} times faster than the machine`);
}
