/**
 * A compiled project: what the bench, the checks and the stand-in run.
 *
 * A project compiles to an image: WebAssembly bytes that import nothing but pure functions of arithmetic (`sin`, `pow`
 * and the like; our own in `types/math.ts`, since those of two versions of a browser differ in the last bit) and two
 * that turn a value into characters and back in the module's own memory (`compile/imports.ts`), the initial state,
 * symbols, probes, locations. Same project, same bytes (tested); the same recording ends in the same bytes in Node and
 * in Chromium (`e2e/bytes.spec.ts`).
 */
import type { Span } from '../language/source.js';
import type { FlowStep } from '../language/tree.js';
import type { Type } from '../types/type.js';

export { MATH, MAX_NESTED } from '../checked/tree.js';

/**
 * Fixed places in the first bytes of memory. `faultA` is the number that a fault is told with, `faultB` 1 where it has
 * no sign.
 */
export const HEADER = { now: 0, step: 8, faultKind: 16, faultLocation: 20, faultA: 24, faultB: 32, size: 64 } as const;

export const FAULTS = ['', 'INDEX', 'DIVISION', 'WATCHDOG', 'NULL', 'RANGE', 'DEPTH'] as const;
export type FaultKind = Exclude<(typeof FAULTS)[number], ''>;

/** A tag or program instance by its name; members and elements are found through its type. */
export interface Symbol {
  readonly name: string;
  readonly type: Type;
  readonly address: number;
  readonly bit?: number;
  readonly section: string;
  readonly isRetained: boolean;
  /** A second name of a place that has another one. */ readonly isView?: boolean;
  /** What its project knows it by, whatever its name is: a tag, or a program. */ readonly id?: string;
}

/**
 * Where the watched build keeps what the elements of a rung let through: words of 32 bits, each 1 followed by one bit
 * for every contact and block passed, the last one lowest; 0 where the rung was not evaluated in this scan. `flow`
 * tells from that where there was power.
 */
export interface ProbeRange {
  readonly rungId: string;
  readonly address: number;
  readonly elements: number;
  readonly flow: readonly FlowStep[];
}
/**
 * Name of the place where a branch of a text notes that it was taken: by the offset of its first statement. Its word is
 * 1 then, and it has no elements.
 */
export const branchProbe = (pouId: string, offset: number): string => `@${pouId}:${offset}`;
export const PROBE_BITS = 31;
export const probeBytes = (elements: number): number => 4 * Math.max(1, Math.ceil(elements / PROBE_BITS));

export interface ImageTask {
  readonly name: string;
  readonly intervalNs: bigint;
  readonly priority: number;
  readonly single?: number;
  /** What it runs, in order: programs by their number, and behind these the function blocks of `Image.blocks`. */
  readonly programs: readonly number[];
}

export interface Image {
  readonly wasm: Uint8Array<ArrayBuffer>;
  /**
   * State is the first `stateSize` bytes of memory; probes, room for text on its way and frames follow up to `size`.
   */
  readonly stateSize: number;
  readonly size: number;
  /**
   * Address of the call path: the location of each call on the way, outermost first; `depth` of them. Watched builds
   * only.
   */
  readonly callPath: number;
  /** Where the frames of calls begin that may come back through an interface; they end at `size`. */
  readonly stack: number;
  /** The state before the first scan, initial values written. */
  readonly initial: Uint8Array;
  readonly symbols: ReadonlyMap<string, Symbol>;
  /** First byte and length of the input, output and internal areas. */
  readonly areas: Readonly<Record<'I' | 'Q' | 'M', { readonly start: number; readonly size: number }>>;
  readonly probes: ReadonlyMap<string, ProbeRange>;
  readonly locations: readonly Span[];
  readonly tasks: readonly ImageTask[];
  /** Programs without a task: run in every scan, after the tasks (cli.md). */
  readonly free: readonly number[];
  /** Index of the machine model's program, run by the engine after the logic. */
  readonly machine?: number;
  readonly programs: readonly string[];
  /** Function blocks of programs that a task runs; their numbers follow those of the programs. */
  readonly blocks: readonly string[];
  readonly expressionCount: number;
  readonly watched: boolean;
}

/** How often scans happen: the shortest interval of a task, 10 ms without one (cli.md). In ns. */
export function scanStep(image: Image): bigint {
  const intervals = image.tasks.map((t) => t.intervalNs).filter((n) => n > 0n);
  return intervals.length ? intervals.reduce((a, b) => (b < a ? b : a)) : 10_000_000n;
}

/** A place in memory, found from a path. `bit` counts from the lowest. */
export interface Location {
  readonly type: Type;
  readonly address: number;
  readonly bit?: number;
  readonly path: string;
  readonly section: string;
}
