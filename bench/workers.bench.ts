/**
 * A campaign given out to 1, 2, 4 and 8 workers of one core each on this machine: how much faster, and how much of each
 * core is used. Needs redis-server. With more workers than cores the efficiency is of the cores there are.
 */
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { join } from 'node:path';
import { median } from './measure.js';

const PORT = 6401,
  RUNS = 3;

export default async function run(root: string): Promise<void> {
  const command = join(root, 'packages/cli/bin/ferrule.mjs'),
    project = join(root, 'examples/wire-end-crimp-cell.ferrule.json'),
    url = `redis://127.0.0.1:${PORT}`,
    folder = mkdtempSync(join(tmpdir(), 'ferrule-workers-')),
    cores = availableParallelism();
  const gone = (c: ChildProcess) => new Promise<void>((resolve) => c.once('exit', () => resolve()));
  const redis = spawn('redis-server', ['--port', String(PORT), '--save', '', '--appendonly', 'no'], { cwd: folder });
  const workers: ChildProcess[] = [];
  try {
    await new Promise<void>((resolve) =>
      redis.stdout.on('data', (d: Buffer) => /Ready to accept/.test(d.toString()) && resolve()),
    );
    const verify = async (more: readonly string[]): Promise<number> => {
      const began = performance.now();
      await gone(spawn(process.execPath, [command, 'verify', project, '--search', '8', ...more], { stdio: 'ignore' }));
      return (performance.now() - began) / 1000;
    };
    const several = async (more: readonly string[]): Promise<number[]> => {
      const times: number[] = [];
      for (let i = 0; i < RUNS; i++) times.push(await verify(more));
      return times;
    };
    const spread = (t: readonly number[]) =>
      `${median([...t]).toFixed(1)} s (${Math.min(...t).toFixed(1)}–${Math.max(...t).toFixed(1)})`;
    console.log(
      `Search of 8 million scans over workers (crimp cell; ${cores} cores, medians of ${RUNS} with their spread)`,
    );
    console.log(`  threads of this machine: ${spread(await several([]))}`);
    let one = 0;
    for (const count of [1, 2, 4, 8]) {
      while (workers.length < count) {
        const w = spawn(process.execPath, [command, 'worker', '--redis', url, '--cores', '1']);
        workers.push(w);
        await new Promise<void>((resolve) => w.stdout.once('data', () => resolve()));
      }
      const t = await several(['--workers', url]),
        m = median([...t]);
      if (count === 1) one = m;
      console.log(
        `  ${count} worker${count > 1 ? 's' : ''}: ${spread(t)}, ${(one / m).toFixed(2)} times as fast, ${Math.round((100 * one) / m / Math.min(count, cores))} % of each core used`,
      );
    }
  } finally {
    for (const w of workers) w.kill('SIGTERM');
    await Promise.all(workers.map(gone));
    redis.kill('SIGTERM');
    await gone(redis);
    rmSync(folder, { recursive: true, force: true });
  }
}
