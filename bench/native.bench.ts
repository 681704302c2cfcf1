/**
 * Generated logic as WebAssembly against the same logic in C by `gcc -O2`: nanoseconds a scan, their ratio, and equal
 * results.
 *
 * What brought it there, from 3.5, 2.7 and 2.1: values of BOOL tags stay in up to twenty locals from rung to rung
 * until something else may have written them (V8 does not remove repeated loads from WebAssembly memory); set and
 * reset coils without branches; no AND with the left rail; NOT as an exclusive or; step and loop counters in locals,
 * brought to their globals only around calls, so a step costs one comparison; one word of probes a rung instead of a
 * byte an element. What is left is calls of blocks: V8 does not inline WebAssembly functions, and every call checks
 * the stack. Index checks stay; proving some away is still to be done. The first scan after a change runs in V8's
 * baseline code and takes two to three times as long; the optimizing compiler takes over within some hundred scans.
 * Bodies of more than 150 statements are cut into functions of 100.
 */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Image, MATH, findPath, readLocation } from '@ferrule/core/bench';
import { compile } from '@ferrule/core/workspace';
import { median } from './measure.js';
import { type Kind, type Workload, workload } from './workload.js';

const ROUNDS = 9,
  WARM = 6;

interface Runner {
  readonly first: number;
  round(): number;
  values(): string[];
}

/** Runs the programs of an image themselves, without the engine's work at the edges of a scan. */
function wasm(image: Image, scans: number, names: readonly string[]): Runner {
  const math = Object.fromEntries(MATH.map((n) => [n, Math[n]]));
  const instance = new WebAssembly.Instance(new WebAssembly.Module(image.wasm), {
    math,
    text: { write: () => undefined, read: () => 0n },
  });
  const x = instance.exports as Record<string, unknown>;
  const memory = new Uint8Array((x['memory'] as WebAssembly.Memory).buffer);
  const view = new DataView(memory.buffer);
  memory.set(image.initial);
  (x['budget'] as WebAssembly.Global).value = 2_000_000_000;
  if (image.watched) (x['left'] as WebAssembly.Global).value = -1;
  const parts = image.programs.map((_, i) => x[`p${i}`] as () => void);
  let now = 0;
  const scan = () => {
    // Simulated time in two halves: a BigInt each scan would cost more than a hundred rungs.
    const ns = now++ * 10_000_000;
    view.setUint32(0, ns % 4294967296, true);
    view.setUint32(4, Math.floor(ns / 4294967296), true);
    for (let p = 0; p < parts.length; p++) parts[p]!();
  };
  const before = performance.now();
  scan();
  const first = performance.now() - before;
  let done = 1;
  return {
    first,
    round: () => {
      const start = performance.now();
      const n = scans - done;
      for (let i = 0; i < n; i++) scan();
      done = 0;
      return ((performance.now() - start) * 1e6) / n;
    },
    values: () =>
      names.map((n) => {
        const f = findPath(image, n);
        if ('error' in f) throw new Error(f.error);
        return String(Number(readLocation(view, f.location)));
      }),
  };
}

/**
 * Rounds of the same program in C; it starts anew each time and so does `scans` a round, the last one all of them for
 * its values.
 */
function native(folder: string, w: Workload, scans: number): { round(): number; values(rounds: number): string[] } {
  const source = join(folder, 'w.c'),
    program = join(folder, 'w');
  writeFileSync(source, w.c);
  execFileSync('gcc', ['-O2', '-w', '-ffp-contract=off', '-o', program, source, '-lm']);
  const start = (rounds: number) =>
    execFileSync(program, [String(rounds), String(scans)], { encoding: 'utf8', maxBuffer: 1 << 28 }).split('\n');
  return {
    round: () => Number(start(2)[1]),
    values: (rounds) =>
      start(rounds)
        [rounds]!.trim()
        .split(/\s+/)
        .map((v) => String(Number(v))),
  };
}

export default function run(): void {
  try {
    execFileSync('gcc', ['--version'], { stdio: 'ignore' });
  } catch {
    console.log('native: there is no gcc here to compare with');
    return;
  }
  const folder = mkdtempSync(join(tmpdir(), 'ferrule-bench-'));
  console.log(
    'rungs      kind      C ns/scan   plain   ratio   watched  /plain   first scan µs   check ms  build ms  module kB  equal',
  );
  for (const rungs of [100, 1000, 10_000])
    for (const kind of ['boolean', 'mixed', 'numeric'] as Kind[]) {
      const w = workload(kind, rungs);
      const scans = Math.max(400, Math.round(2_000_000 / rungs));
      let t = performance.now();
      const compiled = compile([{ kind: 'project', name: 'w', project: w.project }]);
      const checkMs = performance.now() - t;
      if (compiled.hasErrors) throw new Error(compiled.diagnostics[0]!.message);
      t = performance.now();
      const plain = compiled.build(false);
      const buildMs = performance.now() - t;
      const c = native(folder, w, scans);
      const p = wasm(plain, scans, w.names),
        q = wasm(compiled.build(true), scans, w.names);
      const times = { c: [] as number[], plain: [] as number[], watched: [] as number[] };
      // Side by side, so that a noisy moment meets all three; the first rounds warm the optimizing compiler.
      for (let r = 0; r < ROUNDS + WARM; r++) {
        const now = { c: c.round(), plain: p.round(), watched: q.round() };
        if (r >= WARM) for (const k of ['c', 'plain', 'watched'] as const) times[k].push(now[k]);
      }
      const expected = c.values(ROUNDS + WARM);
      const equal = p.values().every((v, i) => v === expected[i]) && q.values().every((v, i) => v === expected[i]);
      const ratio = (a: readonly number[], b: readonly number[]) => median(a.map((x, i) => x / b[i]!));
      const f = (n: number, width: number, digits = 2) => n.toFixed(digits).padStart(width);
      console.log(
        `${String(rungs).padEnd(10)} ${kind.padEnd(8)} ${f(median(times.c), 10, 0)} ${f(median(times.plain), 8, 0)} ${f(ratio(times.plain, times.c), 7)} ${f(median(times.watched), 8, 0)} ${f(ratio(times.watched, times.plain), 8)} ${f(p.first * 1000, 14, 0)} ${f(checkMs, 10, 0)} ${f(buildMs, 9, 0)} ${f(plain.wasm.length / 1024, 10, 0)}  ${equal ? 'yes' : 'NO'}`,
      );
    }
  rmSync(folder, { recursive: true });
}
