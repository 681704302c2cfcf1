/** How long the command takes from the shell: a small text, a project, and Node alone beside them. */
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { line } from './measure.js';

const RUNS = 15;
const SMALL = `PROGRAM Main
VAR Start AT %IX0.0 : BOOL; Motor AT %QX0.0 : BOOL; END_VAR
Motor := Start;
END_PROGRAM
`;

/** Prints the seconds of whole commands, taken in turn so that a busy moment meets them all. */
export default function command(root: string): void {
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-command-'));
  try {
    const small = join(folder, 'small.st'),
      ferrule = join(root, 'packages/cli/bin/ferrule.mjs'),
      demo = join(root, 'examples/wire-end-crimp-cell.ferrule.json');
    writeFileSync(small, SMALL);
    const asked: readonly (readonly [string, readonly string[]])[] = [
      ['node alone', ['-e', '0']],
      ['ferrule check, a small text', [ferrule, 'check', small]],
      ['ferrule check, the crimp cell', [ferrule, 'check', demo]],
      ['ferrule run, a small text, 100 scans', [ferrule, 'run', small, '--for', '1s']],
    ];
    const took = asked.map((): number[] => []);
    for (let i = -1; i < RUNS; i++)
      asked.forEach(([name, args], k) => {
        const since = performance.now(),
          r = spawnSync(process.execPath, args, { stdio: 'ignore' });
        if (r.status !== 0) throw new Error(`${name} ended with ${r.status}`);
        // The first may build what is older than its sources.
        if (i >= 0) took[k]!.push((performance.now() - since) / 1000);
      });
    asked.forEach(([name], k) => line(name, took[k]!, 's'));
  } finally {
    rmSync(folder, { recursive: true });
  }
}
