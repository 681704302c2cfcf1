/** The checked program to an image. Same program, same bytes: nothing here depends on anything but its input. */
import type { CheckedPou, CheckedProgram, Variable } from '../../checked/tree.js';
import type { Span } from '../../language/source.js';
import { roundUp, sizeOf } from '../../types/type.js';
import { type Context, dispatchName } from './context.js';
import {
  emitBlockRun,
  emitDispatch,
  emitExpression,
  emitJoined,
  emitPieces,
  emitPou,
  emitProgramRun,
  isWideValue,
} from './functions.js';
import { Lowered } from '../../ir/inline.js';
import { ProgramFacts } from '../../ir/lower.js';
import { type Image, type ImageTask, MAX_NESTED, type ProbeRange, probeBytes } from '../../compile/image.js';
import { frameOf } from '../../compile/frame.js';
import { GLOBALS } from '../../compile/globals.js';
import { type Layout, layOut } from '../../compile/layout.js';
import { IMPORTS, importIndex } from '../../compile/imports.js';
import { HELPERS, helperCode } from '../../compile/strings.js';
import { Code, I32, encodeModule } from '../../compile/wasm.js';

export interface BuildOptions {
  /** With probes and step counter (the bench, the stand-in) or without (search and proof). */
  readonly watched: boolean;
  /** Name of the program that holds the machine model. */
  readonly machine?: string;
  /** FALSE: as the statements stand, for tests that hold the one against the other. */
  readonly optimized?: boolean;
  /** Whole numbers of 64 bits are given exactly too: `Engine.evaluateExactly`. */
  readonly exact?: boolean;
}

/** Imports come first, then the string helpers, then the program's own functions. */
const FIRST_POU = IMPORTS.length + HELPERS.length;

/**
 * Code kept from one build to the next while a project is edited. What it made keeps its probes and locations, so an
 * image made with it may lie differently behind the state; the state itself lies as in a build from nothing.
 */
export class BuildCache {
  readonly code = new Map<CheckedPou, Code | Code[]>();
  /** Where the variables that code names by address were, and whether alone. */
  readonly addresses = new Map<Variable, number>();
  readonly locations: Span[] = [];
  readonly probes = new Map<string, ProbeRange>();
  private names: readonly string[] = [];
  private dispatches = '';
  private reentrant = '';
  callPath = 0;
  /** Levels that the call path has room for. */
  private room = 0;
  base = 0;
  end = 0;

  /** Makes ready for a program: forgets everything when something that code depends on has moved. */
  begin(program: CheckedProgram, layout: Layout, isAlone: (v: Variable) => boolean): void {
    const { stateSize } = layout;
    // Code names a variable by its address, and keeps it in a local where it is alone there.
    const placed = (v: Variable, at: number): number =>
      v.address ? at * 16 + (v.address.bit ?? 0) * 2 + (isAlone(v) ? 1 : 0) : at * 16 + 1;
    // Programs are named by nothing that is kept.
    const programs = new Set(program.instanceVariables);
    let hasMoved = false;
    for (const [v, at] of layout.addresses) {
      if (programs.has(v)) continue;
      const before = this.addresses.get(v),
        now = placed(v, at);
      if (before !== now) this.addresses.set(v, now);
      if (before !== undefined && before !== now) hasMoved = true;
    }
    const names = program.pous.map((p) => p.name),
      dispatches = program.dispatches.map((d) => `${d.method.name}${d.isReentrant ? '*' : ''}`).join(),
      reentrant = [...program.reentrant].map((p) => p.name).join();
    // More blocks behind those there were keep the numbers of the others, unless dispatchers follow them.
    const sameNumbers =
      names.length < this.room &&
      this.names.every((n, i) => n === names[i]) &&
      dispatches === this.dispatches &&
      reentrant === this.reentrant &&
      (names.length === this.names.length || !dispatches);
    if (!sameNumbers || stateSize > this.base || hasMoved || this.end - this.base > WASTE + 8 * stateSize) {
      this.code.clear();
      this.addresses.clear();
      for (const [v, at] of layout.addresses) if (!programs.has(v)) this.addresses.set(v, placed(v, at));
      this.probes.clear();
      this.locations.length = 0;
      this.base = this.callPath = roundUp(stateSize + SLACK, 4096);
      this.room = 2 * program.pous.length + 63;
      this.end = this.base + 4 * levels(this.room, program);
    }
    this.names = names;
    this.dispatches = dispatches;
    this.reentrant = reentrant;
    const live = new Set(program.pous);
    for (const p of this.code.keys()) if (!live.has(p)) this.code.delete(p);
  }
}

/**
 * Levels that a path of calls may have, for so many blocks and functions: each once, or once for each time that calls
 * come back.
 */
const levels = (pous: number, program: CheckedProgram): number =>
  (pous + 1) * (program.dispatches.some((d) => d.isReentrant) ? MAX_NESTED + 1 : 1);

/**
 * Bytes that the state may grow by, and that probes nobody uses any more may take, before code is made from nothing.
 */
const SLACK = 16 * 1024,
  WASTE = 256 * 1024;

/** Where everything lies, without code: enough to find paths. */
export function pathsOf(program: CheckedProgram): Pick<Image, 'symbols' | 'programs' | 'areas'> {
  const { symbols, areas } = layOut(program);
  return { symbols, areas, programs: program.instances.map((i) => i.name) };
}

/** Whether a variable shares its memory with no other: of those with an address, some lie over each other. */
function alone(layout: Layout): (v: Variable) => boolean {
  interface Bits {
    readonly v: Variable;
    readonly from: number;
    readonly to: number;
  }
  const bits: Bits[] = [];
  for (const [v, at] of layout.addresses) {
    if (!v.address) continue;
    const from = at * 8 + (v.address.bit ?? 0);
    bits.push({ v, from, to: from + (v.address.bit === undefined ? sizeOf(v.type) * 8 : 1) });
  }
  bits.sort((a, b) => a.from - b.from);
  const shared = new Set<Variable>();
  let widest: Bits | undefined;
  for (const b of bits) {
    if (widest && b.from < widest.to) {
      shared.add(b.v);
      shared.add(widest.v);
    }
    if (!widest || b.to > widest.to) widest = b;
  }
  return (v) => !shared.has(v);
}

/** Compiles a program without errors. Throws when it has some: the caller checks first. */
export function build(program: CheckedProgram, options: BuildOptions, cache?: BuildCache): Image {
  const layout = layOut(program);
  const isAlone = alone(layout);
  cache?.begin(program, layout, isAlone);
  const indices = new Map(program.pous.map((p, i) => [p.name.toLowerCase(), i]));
  program.dispatches.forEach((d, i) => indices.set(dispatchName(d.method.name), program.pous.length + i));
  const locations: Span[] = cache?.locations ?? [];
  const probes = cache?.probes ?? new Map<string, ProbeRange>();
  let probeEnd = cache?.end ?? layout.stateSize;
  const callPath = cache?.callPath ?? roundUp(probeEnd, 4);
  if (!cache && options.watched) probeEnd = callPath + 4 * levels(program.pous.length, program);
  const made = new Set<string>();
  const facts = new ProgramFacts(program);
  const context: Context = {
    watched: options.watched,
    optimized: options.optimized !== false,
    callPath,
    locate: (at) => locations.push(at) - 1,
    isAlone,
    where: layout.where,
    frameOf: (p) => (program.reentrant.has(p) ? frameOf(p) : undefined),
    isSelfContained: (name) => facts.isSelfContained(name),
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
      const known = made.has(rungId) ? probes.get(rungId) : undefined;
      if (known) return known.address;
      made.add(rungId);
      const address = roundUp(probeEnd, 4);
      probeEnd = address + probeBytes(elements);
      probes.set(rungId, { rungId, address, elements, flow });
      return address;
    },
  };
  const lowered = new Lowered(facts, context);
  const codeOf = (p: CheckedPou): Code | Code[] => {
    const known = cache?.code.get(p);
    if (known) return known;
    const code = emitPieces(context, lowered, p) ?? emitPou(context, lowered, p);
    cache?.code.set(p, code);
    return code;
  };
  const bodies = program.pous.map(codeOf);
  const functions: Code[] = [
    ...HELPERS.map(helperCode),
    ...bodies.map((b) => (Array.isArray(b) ? new Code([I32]) : b)),
    ...program.dispatches.map((d) => emitDispatch(context, d)),
  ];
  const add = (code: Code): number => IMPORTS.length + functions.push(code) - 1;
  bodies.forEach((b, i) => {
    if (Array.isArray(b)) functions[HELPERS.length + i] = emitJoined(context, program.pous[i]!, b.map(add));
  });
  const exports: { name: string; function: number }[] = [];
  program.instances.forEach((instance, n) => {
    exports.push({ name: `p${n}`, function: add(emitProgramRun(context, facts, instance, layout.instances[n]!)) });
  });
  program.blockRuns.forEach((run, n) => {
    exports.push({ name: `p${program.instances.length + n}`, function: add(emitBlockRun(context, run)) });
  });
  let expressions = 0;
  const addExpression = (e: NonNullable<CheckedProgram['expressions'][number]>) => {
    exports.push({ name: `e${expressions}`, function: add(emitExpression(context, facts, e)) });
    if (options.exact && isWideValue(e))
      exports.push({ name: `w${expressions}`, function: add(emitExpression(context, facts, e, true)) });
    return expressions++;
  };
  for (const e of program.expressions) {
    if (!e) throw new Error('an expression with an error is not compiled');
    addExpression(e);
  }
  const machine = options.machine === undefined ? -1 : program.instances.findIndex((i) => i.name === options.machine);
  const tasks: ImageTask[] = program.tasks.map((t) => ({
    name: t.name,
    intervalNs: t.intervalNs,
    priority: t.priority,
    programs: program.instances.flatMap((i, n) => [
      ...(n !== machine && i.task?.toLowerCase() === t.name.toLowerCase() ? [n] : []),
      // The blocks of a program come behind it where both have the same task.
      ...program.blockRuns.flatMap((r, k) =>
        r.instance === i && r.task.toLowerCase() === t.name.toLowerCase() ? [program.instances.length + k] : [],
      ),
    ]),
    ...(t.single ? { single: addExpression(t.single) } : {}),
  }));
  const free = program.instances.flatMap((i, n) => (n !== machine && !i.task ? [n] : []));
  if (cache) cache.end = probeEnd;
  const stack = roundUp(probeEnd, 8);
  const size = stack + (MAX_NESTED + 1) * functions.reduce((sum, f) => sum + f.frameBytes, 0);
  const wasm = encodeModule({ functions, exports, globals: GLOBALS, memoryBytes: Math.max(size, 1), imports: IMPORTS });
  return {
    wasm,
    stateSize: layout.stateSize,
    size,
    callPath,
    stack,
    initial: layout.initial,
    symbols: layout.symbols,
    areas: layout.areas,
    probes: cache ? new Map(probes) : probes,
    locations: cache ? [...locations] : locations,
    tasks,
    free,
    ...(machine >= 0 ? { machine } : {}),
    programs: program.instances.map((i) => i.name),
    blocks: program.blockRuns.map((r) => r.name),
    expressionCount: program.expressions.length,
    watched: options.watched,
  };
}
