import { existsSync, mkdirSync, readFileSync, readdirSync, statSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { type CBuild, C_TARGETS, type CTarget, buildC, pinsText } from '@ferrule/core/boards';
import { type InputFile, compile } from '@ferrule/core/workspace';
import { diagnosticLine, summaryLine } from '@ferrule/core/language';
import type { Console } from './console.js';
import { UsageError, parseOptions, readText } from './files.js';
import { readInputs } from './inputs.js';

/** A file that says that a folder was written by this command: its files may be written again. */
const MARK = '.ferrule-build';

/** `ferrule build FILE… --target c|linux|avr|arm --out FOLDER [--pins pins.csv]`: the logic as C11. */
export async function build(args: readonly string[], io: Console): Promise<number> {
  const { files, options } = parseOptions(args, ['target', 'out', 'pins'], []);
  const target = options.get('target') as CTarget | undefined,
    out = options.get('out'),
    pins = options.get('pins');
  if (!target || !C_TARGETS.includes(target)) throw new UsageError(`--target: write one of ${C_TARGETS.join(', ')}.`);
  if (out === undefined) throw new UsageError('--out: name the folder that the C goes into.');
  if (pins !== undefined && target === 'linux')
    throw new UsageError('--pins: on linux points have their addresses on Modbus or in shared memory; leave it out.');
  if (pins !== undefined) readText(pins);
  const before = ownFiles(out);
  const inputs = await readInputs(files, (line) => io.error(`${line}\n`));
  const compiled = compile(inputs);
  if (compiled.hasErrors) {
    for (const d of compiled.diagnostics) io.out(`${diagnosticLine(d)}\n`);
    io.out(`${summaryLine(compiled.diagnostics)}\n`);
    return 1;
  }
  if (!compiled.program.instances.length) throw new UsageError('there is no PROGRAM to build.');
  const table = pins === undefined ? pinsOf(inputs, target) : readText(pins);
  const built = buildC(compiled, {
    target,
    title: titleOf(inputs),
    comments: commentsOf(inputs),
    ...(table !== undefined ? { pins: table } : {}),
  });
  if ('message' in built)
    throw new UsageError(
      built.in === 'pins' ? `${pins ?? 'the pins of the project'}: ${built.message}` : built.message,
    );
  if (built.use) {
    const { ram, ramOf, flash, flashOf, costs } = built.use;
    io.out(`memory: ${ram} of ${ramOf} bytes for the state; what calls take comes on top\n`);
    io.out(`program: about ${flash} of ${flashOf} bytes\n`);
    for (const c of costs) io.out(`${c}\n`);
    if (ram > ramOf)
      throw new UsageError(`the state takes ${ram} bytes, and the board has ${ramOf}; nothing was written.`);
  }
  // On Linux points have no pins; what is left out there has no single value to give or take.
  const left = target === 'linux' ? 'neither read nor written, being no single value' : 'without a pin';
  if (built.without.length) io.out(`${left}: ${built.without.join(', ')}\n`);
  write(out, built, before);
  io.out(`${out}: ${built.files.size} files; make -C ${out} builds them\n`);
  return 0;
}

/** The pins that a project says for this target, where no file does. */
function pinsOf(inputs: readonly InputFile[], target: CTarget): string | undefined {
  const board = inputs.flatMap((i) => (i.kind === 'project' && i.project.board ? [i.project.board] : []))[0];
  return board?.target === target && board.pins.length && target !== 'linux' ? pinsText(board.pins) : undefined;
}
const titleOf = (inputs: readonly InputFile[]): string =>
  inputs.map((i) => (i.kind === 'project' ? i.project.name : basename(i.name))).join(', ');

function commentsOf(inputs: readonly InputFile[]): Map<string, string> {
  return new Map(
    inputs.flatMap((i) =>
      i.kind === 'project'
        ? i.project.tags.flatMap((t) => (t.description ? [[t.name.toLowerCase(), t.description] as const] : []))
        : [],
    ),
  );
}

/** The names this command wrote into the folder before. Throws where it holds something else, or cannot be written. */
function ownFiles(out: string): readonly string[] {
  if (!existsSync(out)) return [];
  if (!statSync(out).isDirectory()) throw new UsageError(`--out: ${out} is a file; name a folder.`);
  const mark = join(out, MARK);
  if (existsSync(mark)) return readFileSync(mark, 'utf8').split('\n').filter(Boolean);
  if (readdirSync(out).length)
    throw new UsageError(`--out: ${out} holds files that ferrule build did not write; name an empty or a new folder.`);
  return [];
}

function write(out: string, { files, own }: Pick<CBuild, 'files' | 'own'>, before: readonly string[]): void {
  try {
    mkdirSync(out, { recursive: true });
    for (const [name, text] of files) {
      const path = join(out, name);
      if (own.has(name) && existsSync(path)) continue;
      // What is as it was keeps its time, so that make does not build it again.
      if (before.includes(name) && existsSync(path) && readFileSync(path, 'utf8') === text) continue;
      if (!before.includes(name) && existsSync(path))
        throw new UsageError(`--out: ${path} is there already, and ferrule build did not write it; move it away.`);
      writeFileSync(path, text);
    }
    writeFileSync(join(out, MARK), `${[...files.keys()].join('\n')}\n`);
  } catch (e) {
    if (e instanceof UsageError) throw e;
    throw new UsageError(`--out: ${out} cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
  }
}
