import { type Engine, type Image, type OutsideInput, type TransferPlan, transferPlan } from '@ferrule/core/bench';

/** A program where it runs: what the image's code is made into is in `module`. */
export interface Loaded {
  readonly id: number;
  readonly image: Image;
  readonly module: WebAssembly.Module;
  readonly engine: Engine;
  /** How values come over from another program here, by its id; what is not among them is worked out when it is needed. */
  readonly plans: Map<number, Plans>;
  /** Inputs that another program gives. */ readonly outside: readonly OutsideInput[];
  /** Tags that the machine's terminals are wired to. */ readonly wired: readonly string[];
}

/** All values, and what is left of them where the logic begins anew. */
export interface Plans {
  readonly all: TransferPlan;
  readonly retained: TransferPlan;
}

export const planOf = (from: Loaded, to: Loaded, which: keyof Plans): TransferPlan =>
  to.plans.get(from.id)?.[which] ?? transferPlan(from.image, to.image, which);
