/** `@ferrule/core/ladder`: rungs: parts, lines, edits, geometry. */
export {
  type Rung,
  type Part,
  type Element,
  type Output,
  type Node,
  type CallArgument,
  type ContactMode,
  type CoilMode,
  isElement,
  isOutput,
  nodesOf,
  series,
  parallel,
} from './ladder/rung.js';
export { parseRungLine, type ParsedRung } from './ladder/parse.js';
export { callText, printRung, printElement, printOutput, printPart } from './ladder/print.js';
export { type Cursor, type RungEdit, RUNG_EDITS, editRung, cursorStops, runRange, runText } from './ladder/edit.js';
export { type RungLine, rungToLines, rungsOfText, rungsToText, splitComment } from './ladder/sheet.js';
export { type Converted, type ToTextOptions, rungToText, splitOutputs, textToRungs } from './ladder/convert.js';
export { simplifyPart } from './ladder/simplify.js';
export { type Box, type WireRun, type RungLayout, type LabelOptions, layoutRung } from './ladder/layout.js';
