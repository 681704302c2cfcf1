/**
 * The logic as C by gcc -O2 against the bench's plain build: scans a second of the examples, logic and machine
 * together. Needs gcc.
 */
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Engine, scanStep } from '../packages/core/src/bench.js';
import type { Project } from '../packages/core/src/document.js';
import { buildC } from '../packages/core/src/boards.js';
import { compile } from '../packages/core/src/workspace.js';
import { median } from './measure.js';

const RUNS = 7;

export default function run(root: string): void {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-c-bench-'));
  console.log(`C by gcc -O2 against the bench's plain build, with the machine (medians of ${RUNS} with their spread)`);
  try {
    for (const name of ['wire-end-crimp-cell', 'dust-extractor', 'canal-lock', 'ceramic-kiln', 'tile-grading-line']) {
      const project = JSON.parse(readFileSync(join(root, `examples/${name}.ferrule.json`), 'utf8')) as Project;
      const compiled = compile([{ kind: 'project', name, project }]),
        image = compiled.build(false),
        stepNs = scanStep(image);
      const built = buildC(compiled, { target: 'linux', title: name });
      if ('message' in built) throw new Error(built.message);
      const path = join(folder, name);
      mkdirSync(path);
      for (const [file, text] of built.files) writeFileSync(join(path, file), text);
      execFileSync('make', ['-s', '-C', path, 'trace']);
      const SCANS = 400_000,
        length = `${(BigInt(SCANS) * stepNs) / 1_000_000n}ms`;
      const ratios: number[] = [],
        rates: number[] = [];
      // Turn about, so that what slows the machine slows both.
      for (let i = 0; i < RUNS; i++) {
        const engine = new Engine(image, { stepNs, wires: compiled.wires });
        for (let n = 0; n < 20_000; n++) engine.runScan();
        let began = performance.now();
        for (let n = 0; n < SCANS; n++) engine.runScan();
        const bench = performance.now() - began;
        began = performance.now();
        execFileSync(join(path, 'trace'), ['--for', length, '--record-last']);
        const c = performance.now() - began;
        ratios.push(bench / c);
        rates.push(SCANS / c / 1000);
      }
      const [low, high] = [Math.min(...ratios), Math.max(...ratios)];
      console.log(
        `  ${name}: C ${median([...rates]).toFixed(2)} million scans a second, ${median([...ratios]).toFixed(2)} times as fast (${low.toFixed(2)}–${high.toFixed(2)})`,
      );
    }
  } finally {
    rmSync(folder, { recursive: true });
  }
}
