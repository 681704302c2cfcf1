/**
 * The module's globals by their index: what bodies share without a place in the state. All i32, changeable, zero at
 * first.
 */
export const GLOBALS = ['budget', 'left', 'stepAt', 'depth', 'nested', 'stack'] as const;
export const BUDGET = 0,
  LEFT = 1,
  STEP_AT = 2,
  DEPTH = 3,
  NESTED = 4,
  /** Where the next frame begins (`frame.ts`). */ STACK = 5;
