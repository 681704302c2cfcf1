/**
 * The table of operations: one entry each, with what the standard calls it and where it says what it does, and a column
 * for every reader (architecture.md, "One meaning"): `fold` gives the value, `wasm` the code, `c` the text. A law test
 * runs the columns against each other.
 */
import { C, type InC } from './ops/c.js';
import { FOLD, type Fold } from './ops/fold.js';
import { NAMES, type OpName } from './ops/names.js';
import { WASM, type InWasm } from './ops/wasm.js';

export { C_TYPES } from './ops/c.js';
export type { OpName } from './ops/names.js';

export interface Op {
  /** The standard's name, or ours for what conversions and parts of a value are made of. */
  readonly name: string;
  readonly clause: string;
  readonly fold: Fold | 'memory';
  readonly wasm: InWasm;
  readonly c: InC;
}

export const OPS = Object.fromEntries(
  (Object.keys(NAMES) as OpName[]).map((name): [OpName, Op] => [
    name,
    { ...NAMES[name], fold: FOLD[name], wasm: WASM[name], c: C[name] },
  ]),
) as Readonly<Record<OpName, Op>>;
