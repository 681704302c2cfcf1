/** What the code of one unit needs to know about the whole module. */
import type { CheckedPou, Variable, Where } from '../../checked/tree.js';
import type { FlowStep } from '../../language/tree.js';
import type { Span } from '../../language/source.js';
import type { Helper } from '../../compile/strings.js';
import type { Frame } from '../../compile/frame.js';

export interface Context {
  /** With probes and a step counter. */
  readonly watched: boolean;
  /** Values that were read or written are kept in locals, short blocks taken in where they are called. */
  readonly optimized: boolean;
  /** The number that a place in the source goes by in a fault record. */
  locate(at: Span): number;
  functionIndex(name: string): number;
  /** Where the watched build notes from where the block or function at hand was called, one place a level. */
  readonly callPath: number;
  /** A block that touches nothing but its own memory: those of the library. */
  isSelfContained(name: string): boolean;
  helper(name: Helper): number;
  math(name: string): number;
  /** Fixed memory outside the state. */
  temporary(bytes: number): number;
  /** The frame of what may come back to itself; undefined for everything else, which has fixed memory. */
  frameOf(pou: CheckedPou): Frame | undefined;
  probeAddress(rungId: string, elements: number, flow: readonly FlowStep[]): number;
  /** The first byte of a variable that has fixed memory. */
  readonly where: Where;
  /** Whether a tag shares its memory with no other. */
  isAlone(v: Variable): boolean;
}

/** Name of the function that chooses a method, or a block's body, by the class of the instance. */
export const dispatchName = (method: string): string => `any ${method}`.toLowerCase();
