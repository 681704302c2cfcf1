import type { Engine, Image, OutsideInput } from '@ferrule/core/bench';

/** A program where it runs: what the image's code is made into is in `module`. */
export interface Loaded {
  readonly id: number;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly engine: Engine;
  /** Inputs that another program gives. */ readonly outside: readonly OutsideInput[];
  /** Tags that the machine's terminals are wired to. */ readonly wired: readonly string[];
}
