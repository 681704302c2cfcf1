/** `@ferrule/core/workspace`: project and front end together: compiling, what an editor asks, fixes, renaming. */
export { missingTags } from './workspace/missing-tags.js';
export { type Compiled, type InputFile, Compiler, compile } from './workspace/compile.js';
export { renamePou, renameTag, renameType } from './editor/rename.js';
export { type Use, usesOf } from './editor/uses.js';
export {
  type Around,
  addressFor,
  bitsOf,
  guessTag,
  readNewTag,
  nextFree,
  seriesNames,
  seriesTags,
} from './workspace/guess.js';
export { type MemberLine, type TypeParts, type ValueLine, readType, typeToText } from './workspace/type-text.js';
export { type MemoryArea, type MemoryEntry, memoryMap } from './workspace/memory.js';
export { type Declared, declareNames } from './workspace/declare.js';
export { type Fix, type Undeclared, fixesFor, fixesThatHelp, splitEdit, undeclaredNames } from './editor/fixes.js';
export {
  OWN_SECTIONS,
  type OwnChange,
  type OwnRow,
  type OwnSection,
  addOwn,
  changeOwn,
  isSameRows,
  mayKeep,
  moveOwn,
  readOwn,
  removeOwn,
} from './workspace/own-table.js';
export { type NewName, type OwnTypes, type Pins, newNames, pinsOf } from './workspace/new-names.js';
export {
  type Completion,
  type HoverFact,
  type DefinitionPlace,
  type FoundUse,
  type Signature,
  type TextPlace,
  type TagFacts,
  type TextWatch,
  completionsAt,
  factsOf,
  hoverAt,
  placeOfDefinition,
  referencesAt,
  instancesOf,
  renameAt,
  signatureAt,
  statementsAround,
  watchText,
} from './editor/services.js';
export { type FoundItem, type OutsidePoint, ioPoints, matchByName, outsidePoints } from './workspace/outside.js';
export { type Match, type Replacement, type Wanted, matchesIn, replaceEdit, replacements } from './editor/replace.js';
export { type RungInstance, blocksFor, rungInstances, typeChoices } from './editor/services.js';
