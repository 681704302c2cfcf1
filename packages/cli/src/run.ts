import { writeFileSync } from 'node:fs';
import {
  DEFAULT_WATCHDOG,
  Engine,
  type Image,
  type Location,
  findPath,
  nanosecondsAsMs,
  parseValue,
  readLocation,
  writeLocation,
} from '@ferrule/core/bench';
import { VcdWriter, csvLine, readStimulus } from '@ferrule/core/files';
import { compile } from '@ferrule/core/workspace';
import { diagnosticLine, summaryLine } from '@ferrule/core/language';
import { UsageError, parseOptions, readText, willWrite } from './files.js';
import { readInputs } from './inputs.js';
import type { Console } from './console.js';

const TIME = { kind: 'elementary', name: 'TIME' } as const;

/** `ferrule run FILE…`: offline, in simulated time, never in wall time. */
export async function run(args: readonly string[], io: Console): Promise<number> {
  const { files, options } = parseOptions(
    args,
    ['scan', 'for', 'stimulus', 'record', 'out', 'seed', 'watchdog'],
    ['record-last'],
  );
  const target = options.get('out') ?? '-';
  if (target !== '-') {
    if (!/\.(csv|vcd)$/i.test(target))
      throw new UsageError(`--out: '${target}' ends in no form that is written; write .csv, .vcd or -.`);
    willWrite('out', target);
  }
  const stepAsked = duration(options, 'scan'),
    forNs = duration(options, 'for') ?? 0n,
    watchdog = whole(options, 'watchdog') ?? DEFAULT_WATCHDOG;
  whole(options, 'seed');
  const compiled = compile(await readInputs(files, (line) => io.error(`${line}\n`)));
  if (compiled.hasErrors) {
    for (const d of compiled.diagnostics) io.out(`${diagnosticLine(d)}\n`);
    io.out(`${summaryLine(compiled.diagnostics)}\n`);
    return 1;
  }
  const image = compiled.build(false);
  const stepNs = stepAsked ?? defaultStep(image);
  const engine = new Engine(image, { stepNs, wires: compiled.wires, watchdog });
  const record = splitNames(options.get('record') ?? '').map((name) => ({ name, location: find(image, name) }));
  const stimulus = options.get('stimulus');
  const rows = stimulus === undefined ? [] : stimulusRows(stimulus, image);
  const writer = makeWriter(record, target, io);
  const lastOnly = options.has('record-last');
  let next = 0;
  const scans = Number((forNs + stepNs - 1n) / stepNs);
  for (let n = 0; n < scans; n++) {
    while (next < rows.length && rows[next]!.timeNs <= engine.timeNs)
      for (const w of rows[next++]!.writes) writeLocation(engine.view, w.location, w.value);
    const timeNs = engine.timeNs;
    if (!engine.runScan()) {
      writer.end();
      io.error(`${engine.faultLine()}\n`);
      return 3;
    }
    if (!lastOnly || n === scans - 1) writer.row(timeNs, engine);
  }
  writer.end();
  return 0;
}

function defaultStep(image: Image): bigint {
  const intervals = image.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
  return intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n;
}

function duration(options: ReadonlyMap<string, string>, name: string): bigint | undefined {
  const text = options.get(name);
  if (text === undefined) return undefined;
  const v = /^[\d.]+$/.test(text)
    ? { error: `'${text}' has no unit; write for example ${text}ms` }
    : parseValue(TIME, text);
  if ('error' in v) throw new UsageError(`--${name}: ${v.error}`);
  if ((v.value as bigint) < 0n || (name === 'scan' && v.value === 0n))
    throw new UsageError(`--${name}: the duration must be above zero.`);
  return v.value as bigint;
}

function whole(options: ReadonlyMap<string, string>, name: string): number | undefined {
  const text = options.get(name);
  if (text === undefined) return undefined;
  if (!/^\d{1,9}$/.test(text)) throw new UsageError(`--${name}: '${text}' is not a whole number.`);
  return Number(text);
}

/** Splits at commas outside brackets. */
export function splitNames(list: string): string[] {
  const names: string[] = [];
  let depth = 0,
    from = 0;
  for (let i = 0; i <= list.length; i++) {
    const c = list[i];
    if (c === '[') depth++;
    else if (c === ']') depth--;
    else if (c === undefined || (c === ',' && depth === 0)) {
      const name = list.slice(from, i).trim();
      if (name) names.push(name);
      else if (list.trim()) throw new UsageError('--record: a name is missing between commas.');
      from = i + 1;
    }
  }
  return names;
}

function find(image: Image, name: string): Location {
  const found = findPath(image, name);
  if ('error' in found) throw new UsageError(`--record: ${found.error}`);
  if (['struct', 'array', 'block'].includes(found.location.type.kind))
    throw new UsageError(`--record: '${name}' has no single value; name its members.`);
  return found.location;
}

function stimulusRows(path: string, image: Image) {
  const read = readStimulus(readText(path), image);
  if ('error' in read) throw new UsageError(`${path}: ${read.error}`);
  return read.rows;
}

interface Writer {
  row(timeNs: bigint, engine: Engine): void;
  end(): void;
}

function makeWriter(record: readonly { name: string; location: Location }[], target: string, io: Console): Writer {
  let text: string[] = [];
  const flush = () => {
    io.out(text.join(''));
    text = [];
  };
  const end = () => {
    if (target === '-') {
      flush();
      return;
    }
    try {
      writeFileSync(target, text.join(''));
    } catch (e) {
      throw new UsageError(`--out: ${target} cannot be written (${(e as NodeJS.ErrnoException).code ?? 'error'}).`);
    }
  };
  if (target.toLowerCase().endsWith('.vcd')) {
    const vcd = new VcdWriter(record);
    text.push(vcd.header);
    return {
      row: (t, e) =>
        text.push(
          vcd.row(
            t,
            record.map((r) => readLocation(e.view, r.location)),
          ),
        ),
      end,
    };
  }
  text.push(`${csvLine(['t_ms', ...record.map((r) => r.name)])}\n`);
  return {
    row: (t, e) => {
      text.push(`${csvLine([nanosecondsAsMs(t), ...record.map((r) => e.text(r.location))])}\n`);
      if (target === '-' && text.length > 5000) flush();
    },
    end,
  };
}
