/** The checked program to an image. Same program, same bytes: nothing here depends on anything but its input. */
import type { CheckedProgram } from '../check/checked.js';
import type { Span } from '../language/source.js';
import { roundUp } from '../types/type.js';
import { type BodyContext, GLOBALS, dispatchName, emitDispatch, emitExpression, emitPou, emitProgramRun } from './emit-body.js';
import { type Image, type ImageTask, type ProbeRange, probeBytes } from './image.js';
import { layOut } from './layout.js';
import { IMPORTS, importIndex } from './imports.js';
import { HELPERS, helperCode } from './strings.js';
import { Code, encodeModule } from './wasm.js';

export interface BuildOptions {
  /** With probes and step counter (the bench, the stand-in) or without (search and proof). */
  readonly watched: boolean;
  /** Name of the program that holds the machine model. */
  readonly machine?: string;
}

/** Imports come first, then the string helpers, then the program's own functions. */
const FIRST_POU = IMPORTS.length + HELPERS.length;

/** Compiles a program without errors. Throws when it has some: the caller checks first. */
export function build(program: CheckedProgram, options: BuildOptions): Image {
  const layout = layOut(program);
  const indices = new Map(program.pous.map((p, i) => [p.name.toLowerCase(), i]));
  program.dispatches.forEach((d, i) => indices.set(dispatchName(d.method.name), program.pous.length + i));
  const selfContained = new Set(program.pous.filter((p) => p.at.source.origin.kind === 'library' && !p.layout.members.some((m) => m.section === 'inout')).map((p) => p.name.toLowerCase()));
  const locations: Span[] = [];
  const probes = new Map<string, ProbeRange>();
  let probeEnd = layout.stateSize;
  const context: BodyContext = {
    watched: options.watched,
    locate: (at) => locations.push(at) - 1,
    isSelfContained: (name) => selfContained.has(name.toLowerCase()),
    helper: (name) => IMPORTS.length + HELPERS.indexOf(name),
    math: importIndex,
    temporary: (bytes) => {
      const address = roundUp(probeEnd, 4);
      probeEnd = address + bytes;
      return address;
    },
    functionIndex: (name) => {
      const i = indices.get(name.toLowerCase());
      if (i === undefined) throw new Error(`'${name}' was never laid out`);
      return FIRST_POU + i;
    },
    probeAddress: (rungId, elements, flow) => {
      const known = probes.get(rungId);
      if (known) return known.address;
      const address = roundUp(probeEnd, 4);
      probeEnd = address + probeBytes(elements);
      probes.set(rungId, { rungId, address, elements, flow });
      return address;
    },
  };
  const functions: Code[] = [...HELPERS.map(helperCode), ...program.pous.map((p) => emitPou(context, p)), ...program.dispatches.map((d) => emitDispatch(context, d))];
  const add = (code: Code): number => IMPORTS.length + functions.push(code) - 1;
  const exports: { name: string; function: number }[] = [];
  program.instances.forEach((instance, n) => {
    exports.push({ name: `p${n}`, function: add(emitProgramRun(context, instance, layout.instances[n]!)) });
  });
  let expressions = 0;
  const addExpression = (e: NonNullable<CheckedProgram['expressions'][number]>) => { exports.push({ name: `e${expressions}`, function: add(emitExpression(context, e)) }); return expressions++; };
  for (const e of program.expressions) {
    if (!e) throw new Error('an expression with an error is not compiled');
    addExpression(e);
  }
  const machine = options.machine === undefined ? -1 : program.instances.findIndex((i) => i.name === options.machine);
  const tasks: ImageTask[] = program.tasks.map((t) => ({
    name: t.name, intervalNs: t.intervalNs, priority: t.priority,
    programs: program.instances.flatMap((i, n) => (n !== machine && i.task?.toLowerCase() === t.name.toLowerCase() ? [n] : [])),
    ...(t.single ? { single: addExpression(t.single) } : {}),
  }));
  const free = program.instances.flatMap((i, n) => (n !== machine && !i.task ? [n] : []));
  const size = roundUp(probeEnd, 8);
  const wasm = encodeModule({ functions, exports, globals: GLOBALS, memoryBytes: Math.max(size, 1), imports: IMPORTS });
  return {
    wasm, stateSize: layout.stateSize, size, initial: layout.initial, symbols: layout.symbols, areas: layout.areas, probes, locations, tasks, free,
    ...(machine >= 0 ? { machine } : {}), programs: program.instances.map((i) => i.name), expressionCount: program.expressions.length, watched: options.watched,
  };
}
