export { buildC, C_TARGETS, type CBuild, type CBuildOptions, type CProblem, type CTarget } from './targets.js';
export { AVR_PINS, pinsText } from './pins.js';
export type { BoardUse } from './limits.js';
