/** Programs as C, compiled and run as a person would: their traces against those of the bench. */
import { execFile, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { promisify } from 'node:util';
import { Engine, findPath, nanosecondsAsMs } from '../src/bench.js';
import { type InputFile, compile } from '../src/workspace.js';
import { buildC } from '../src/boards.js';
import { csvLine } from '../src/files.js';
import type { Type } from '../src/language.js';
import { elementCount } from '../src/types/type.js';

const run = promisify(execFile);
export const C_FLAGS = ['-std=c11', '-Wall', '-Wextra', '-Werror', '-pedantic', '-ffp-contract=off'];

/** A folder that goes with the test. */
export function folder(): { path: string; remove(): void } {
  const path = mkdtempSync(join(tmpdir(), 'ferrule-c-'));
  return { path, remove: () => rmSync(path, { recursive: true, force: true }) };
}

export function writeFiles(path: string, files: ReadonlyMap<string, string>): void {
  mkdirSync(path, { recursive: true });
  for (const [name, text] of files) writeFileSync(join(path, name), text);
}

/** Parts that are the same for every program, translated once: object files. */
export function compileRuntime(
  path: string,
  files: ReadonlyMap<string, string>,
  compiler: string,
  flags: readonly string[],
): string[] {
  writeFiles(path, files);
  return [...files.keys()]
    .filter((n) => n.startsWith('ferrule') && n.endsWith('.c'))
    .concat('trace_names.c')
    .map((n) => {
      const out = join(path, n.replace(/\.c$/, '.o'));
      const made = spawnSync(compiler, [...C_FLAGS, ...flags, '-c', '-o', out, join(path, n)], { encoding: 'utf8' });
      if (made.status !== 0) throw new Error(made.stderr);
      return out;
    });
}

/** Every value of a program that has a name: paths of its leaves. */
export function leaves(type: Type, path: string, most = 40): string[] {
  switch (type.kind) {
    case 'struct':
    case 'block':
      return (type.kind === 'struct' ? type.members : type.layout.members)
        .filter((m) => !('section' in m) || (m.section !== 'inout' && m.section !== 'hidden'))
        .flatMap((m) => leaves(m.type, `${path}.${m.name}`, most));
    case 'array': {
      if (type.bounds.length !== 1) {
        const low = type.bounds.map((b) => b.low).join(),
          high = type.bounds.map((b) => b.high).join();
        return [...new Set([low, high])].flatMap((i) => leaves(type.element, `${path}[${i}]`, most));
      }
      const n = Math.min(elementCount(type), most);
      return Array.from({ length: n }, (_, i) =>
        leaves(type.element, `${path}[${type.bounds[0]!.low + i}]`, most),
      ).flat();
    }
    case 'ref':
    case 'interface':
    case 'unknown':
    case 'anyInt':
    case 'anyReal':
      return [];
    default:
      return [path];
  }
}

/** What `ferrule run` writes: the trace, and what it says of a fault. */
export function benchTrace(
  files: readonly InputFile[],
  record: readonly string[],
  scans: number,
  writes: ReadonlyMap<number, readonly (readonly [string, bigint | boolean | number | string])[]> = new Map(),
): { out: string; error: string } {
  const compiled = compile(files);
  const image = compiled.build(false);
  const engine = new Engine(image, { stepNs: 10_000_000n, wires: compiled.wires });
  const lines = [csvLine(['t_ms', ...record])];
  const places = record.map((path) => {
    const f = findPath(image, path);
    if ('error' in f) throw new Error(f.error);
    return f.location;
  });
  for (let n = 0; n < scans; n++) {
    for (const [path, value] of writes.get(n) ?? []) engine.write(path, value);
    const time = engine.timeNs;
    if (!engine.runScan()) return { out: `${lines.join('\n')}\n`, error: engine.faultLine() };
    lines.push(csvLine([nanosecondsAsMs(time), ...places.map((p) => engine.text(p))]));
  }
  return { out: `${lines.join('\n')}\n`, error: '' };
}

/** The program in C, built; the path of what runs it. */
export async function buildTrace(
  path: string,
  files: readonly InputFile[],
  objects: readonly string[],
  compiler = 'gcc',
  flags: readonly string[] = ['-O0'],
): Promise<string> {
  const compiled = compile(files);
  const built = buildC(compiled, { target: 'linux', title: 'test' });
  if ('message' in built) throw new Error(built.message);
  writeFiles(path, built.files);
  const hasMachine = built.files.has('machine.c');
  const sources = ['logic.c', 'places.c', 'names.c', 'trace.c', ...(hasMachine ? ['machine.c'] : [])];
  const out = join(path, 'trace');
  await run(compiler, [
    ...C_FLAGS,
    ...flags,
    `-DLOGIC_STEP_NS=${built.program.stepNs}`,
    ...(hasMachine ? ['-DFERRULE_MACHINE'] : []),
    '-o',
    out,
    ...sources.map((s) => join(path, s)),
    ...objects,
    '-lm',
  ]);
  return out;
}

export async function runTrace(
  trace: string,
  args: readonly string[],
): Promise<{ out: string; error: string; code: number }> {
  try {
    const { stdout, stderr } = await run(trace, [...args], { maxBuffer: 1 << 28 });
    return { out: stdout, error: stderr.trim(), code: 0 };
  } catch (e) {
    const f = e as { stdout: string; stderr: string; code: number };
    return { out: f.stdout, error: f.stderr.trim(), code: f.code };
  }
}

/** The first line that differs, with the column; undefined where all is the same. */
export function firstDifference(wanted: string, got: string): string | undefined {
  if (wanted === got) return undefined;
  const [a, b] = [wanted.split('\n'), got.split('\n')];
  for (let i = 0; i < Math.max(a.length, b.length); i++) {
    if (a[i] === b[i]) continue;
    const [x, y, head] = [(a[i] ?? '').split(','), (b[i] ?? '').split(','), a[0]!.split(',')];
    const at = x.findIndex((c, k) => c !== y[k]);
    return `line ${i + 1}, ${head[at] ?? ''}: ${y[at] ?? '(nothing)'}, not ${x[at] ?? '(nothing)'}`;
  }
  return 'of another length';
}
