/** `@ferrule/core/boards`: C for boards. */
export {
  AVR_PINS,
  buildC,
  pinsText,
  C_TARGETS,
  type BoardUse,
  type CBuild,
  type CBuildOptions,
  type CProblem,
  type CTarget,
} from './back/c/index.js';
