/**
 * Generated programs as C against the bench: every value after every scan, and faults at the same place. Twenty
 * programs are one batch; the seed of a batch is its number.
 */
import { expect, it } from 'vitest';
import { compile } from '../../src/workspace.js';
import { findPath } from '../../src/bench.js';
import { batchText } from '../program-batch.js';
import { benchTrace, buildTrace, compileRuntime, firstDifference, folder, leaves, runTrace } from '../c-build.js';
import { buildC } from '../../src/boards.js';
import { join } from 'node:path';

const [FIRST, LAST] = (process.env['FERRULE_C'] ?? '1-12').split('-').map(Number) as [number, number];
const SCANS = 4;

async function difference(
  root: string,
  objects: readonly string[],
  seed: number,
  compiler = 'gcc',
  flags: readonly string[] = ['-O0'],
): Promise<string | undefined> {
  const files = [{ kind: 'text' as const, name: 't.st', text: batchText(seed) }];
  const image = compile(files).build(false);
  const record = image.programs.flatMap((p) => {
    const found = findPath(image, p);
    return 'location' in found ? leaves(found.location.type, p) : [];
  });
  const wanted = benchTrace(files, record, SCANS);
  let trace: string;
  try {
    trace = await buildTrace(join(root, `${compiler}${seed}`), files, objects, compiler, flags);
  } catch (e) {
    return `batch ${seed}: ${/error: .*\n.*/.exec((e as Error).message)?.[0] ?? (e as Error).message}`;
  }
  const got = await runTrace(trace, ['--for', `${SCANS * 10}ms`, '--record', record.join()]);
  const differs = firstDifference(wanted.out, got.out);
  if (differs) return `batch ${seed}: ${differs}`;
  return wanted.error === got.error ? undefined : `batch ${seed}: '${got.error}', not '${wanted.error}'`;
}

it('generated programs do the same in C as on the bench', async () => {
  const here = folder();
  try {
    const first = buildC(compile([{ kind: 'text', name: 't.st', text: batchText(1) }]), {
      target: 'linux',
      title: 'test',
    });
    if ('message' in first) throw new Error(first.message);
    const objects = compileRuntime(join(here.path, 'runtime'), first.files, 'gcc', ['-O0']);
    const found: string[] = [];
    for (let seed = FIRST; seed <= LAST; seed += 2) {
      const pair = [seed, seed + 1].filter((n) => n <= LAST);
      for (const d of await Promise.all(pair.map((n) => difference(here.path, objects, n)))) if (d) found.push(d);
    }
    // Some of them once more under the sanitizers (what they find ends the run with a report), and by another compiler.
    const careful = ['-O1', '-fsanitize=address,undefined', '-fno-sanitize-recover=all'];
    for (const [compiler, flags, seed] of [
      ['gcc', careful, FIRST],
      ['clang', ['-O2'], LAST],
    ] as const) {
      const others = compileRuntime(join(here.path, `runtime-${compiler}`), first.files, compiler, flags);
      const d = await difference(join(here.path, 'again'), others, seed, compiler, flags);
      if (d) found.push(`${compiler} ${flags.join(' ')}: ${d}`);
    }
    expect(found).toEqual([]);
  } finally {
    here.remove();
  }
}, 3_000_000);
