/** `@ferrule/core/language`: what texts are made of: sources, tokens, trees, types, rules of checking, the standard library. */
export {
  type Diagnostic,
  type Severity,
  Problems,
  diagnosticLine,
  summaryLine,
  didYouMean,
} from './language/diagnostic.js';
export {
  type Source,
  type Span,
  type Origin,
  makeSource,
  placeText,
  positionOf,
  elementAt,
} from './language/source.js';
export {
  type ElementaryName,
  type Type,
  type Member,
  baseOf,
  rangeOf,
  isBool,
  isReal,
  isTime,
  isInteger,
  typeText,
  sizeOf,
  sameType,
} from './types/type.js';
export { formatText, standsLike } from './language/format.js';
export { literally } from './language/pattern.js';
export { SYSTEM, SYSTEM_TAGS } from './library/system.js';
export { OWN_BLOCKS, type LibraryBlock } from './library/own.js';
export { STANDARD_BLOCKS } from './library/blocks.js';
export { LINT_RULES, type Level, type Rule } from './check/rules/index.js';
export { many, sameName } from './language/words.js';
