/** What other workspaces may use of the core. */
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
export { type Image, type Location, MATH, type Symbol, scanStep, branchProbe } from './compile/image.js';
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
export { printRung, printElement, printOutput, printPart } from './ladder/print.js';
export { type Cursor, type RungEdit, RUNG_EDITS, editRung, cursorStops, runRange, runText } from './ladder/edit.js';
export { formatText } from './language/format.js';
export { literally } from './language/pattern.js';
export { type RungLine, rungToLines, rungsOfText, rungsToText, splitComment } from './ladder/sheet.js';
export { type Converted, type ToTextOptions, rungToText, splitOutputs, textToRungs } from './ladder/convert.js';
export { simplifyPart } from './ladder/simplify.js';
export { type Box, type WireRun, type RungLayout, type LabelOptions, layoutRung } from './ladder/layout.js';
export {
  Engine,
  type EngineOptions,
  type Fault,
  type Force,
  type Halt,
  type Snapshot,
  type Wire,
  DEFAULT_WATCHDOG,
  type FaultRecord,
} from './runtime/engine.js';
export { type BenchEvent, type Beginning, type Course, performOn } from './runtime/stretch.js';
export { History, HISTORY_BUDGET, type Change, type Line, type Stops, type ValueSpan } from './runtime/history.js';
export {
  type Frame,
  type FrameRequest,
  type ShownValue,
  frameOf,
  parseFrameRequest,
  powerOf,
  shown,
} from './runtime/frame.js';
export { type FirstOn, type FirstScans, type ProfilePart, firstScans, profileScan } from './runtime/profile.js';
export { type SwapPreview, previewSwap } from './runtime/preview.js';
export {
  type Played,
  type RecordedEvent,
  type RunRecording,
  playRecording,
  readRecording,
  recordedStretch,
  recordRun,
} from './files/recording.js';
export { cyclesToCsv } from './timing/csv.js';
export { type Ending, endingsOf, expectedMs } from './timing/ended.js';
export { type ChainLink, type Track, type Waiting, longestChain, waitings } from './timing/longest.js';
export {
  type Cycle,
  type Cycles,
  type Spread,
  type StepSpan,
  type StepTiming,
  cyclesOf,
  homeOf,
  spansOf,
  spreadOf,
  stepTimings,
} from './timing/steps.js';
export { type StepTag, readValueNames, stepTags } from './timing/tracks.js';
export { type MadePart, type Sourceless, partsOf, modeTag, sourceless } from './plan/generate.js';
export { choiceTag } from './plan/choices.js';
export { stepName, stepTagOf } from './project/step-names.js';
export { type MadeChecks, type Unreached, madeChecks } from './plan/made-checks.js';
export { type PlannedChange, planChanges, takeChanges } from './plan/merge.js';
export { type PlanProblem, planProblems } from './plan/problems.js';
export { type StepTable, readSteps, stepsToTable } from './project/step-table.js';
export { LANES, Lane, type LaneOptions, goOn, lanesOf, lookedWords, mergeLanes } from './prove/lanes.js';
export type { Campaign, CampaignMessage, ChangesOfShare, WorkerThere, WorkersThere } from './prove/campaign.js';
export { type Counterexample, Search, type SearchOptions, type SearchState } from './prove/search.js';
export { type Reach, type RungReach, neverReached, reachOf, unreachedTargets } from './prove/reach.js';
export {
  type Mutant,
  type MutantPlace,
  type MutantResult,
  failingAlready,
  mutantLine,
  mutantsOf,
  mutated,
  tryMutant,
} from './prove/mutate.js';
export { type Stretch, checkFromRun, doneIn, checkOfWrong, proposeCheck, saidAt } from './prove/record.js';
export { type ProofAnswer, type RuleProof, proveRules } from './proof/prove-rules.js';
export type { Solver } from './proof/induction.js';
export {
  type RetainedPlace,
  retainedLayout,
  retainedPlaces,
  transferState,
  type Transferred,
} from './runtime/transfer.js';
export {
  type Value,
  findPath,
  formatValue,
  offValue,
  parseValue,
  readLocation,
  writeLocation,
  nanosecondsAsMs,
} from './runtime/paths.js';
export {
  type CheckRow,
  type Device,
  type OwnKind,
  type PictureShape,
  type InterlockRule,
  type IoModule,
  type Board,
  type BoardPin,
  type OutsideIo,
  type OutsideItem,
  type AttachedRun,
  type BenchDesk,
  type JobFact,
  type KeptTiming,
  FORMATS,
  type NumberFormat,
  type WatchList,
  POINT_STATES,
  type TriedPoint,
  type WatchRow,
  type Plan,
  type MergeConflict,
  type PlanChoice,
  type PlanMemory,
  type PlanMode,
  type PlanOption,
  type PlanStep,
  type Sequence,
  type Way,
  type Project,
  type ProjectPou,
  type ProjectTask,
  type RungText,
  type SequenceCheck,
  type Tag,
  FORMAT,
  VERSION,
  emptyProject,
  projectText,
  tagLimits,
} from './project/document.js';
export { type Edit, type Applied, type Changes, EDIT_FIELDS, applyEdit } from './project/edits/index.js';
export { type Delta, deltaOf, patched, sharing } from './project/delta.js';
export { ORDER, projectInOrder } from './project/order.js';
export { capColour } from './project/cap-colour.js';
export { missingTags } from './project/missing-tags.js';
export { isBoughtClosed, placeNames } from './project/kinds.js';
export { renameDevice, renameKind, renamePiece, renameRule } from './project/edits/rename.js';
export { type Compiled, type InputFile, Compiler, compile } from './project/compile.js';
export { type Use, changeOf, renamePou, renameTag, renameType, textChange, usesOf } from './project/uses.js';
export {
  type Around,
  addressFor,
  bitsOf,
  guessTag,
  readNewTag,
  nextFree,
  seriesNames,
  seriesTags,
} from './project/guess.js';
export { type FoundPlace, type Hit, findInProject } from './project/find.js';
export { type MemberLine, type TypeParts, type ValueLine, readType, typeToText } from './project/type-text.js';
export { type MemoryArea, type MemoryEntry, memoryMap } from './project/memory.js';
export {
  TAG_COLUMNS,
  type TagColumn,
  type TagReading,
  type TagRow,
  type TagRows,
  type TagTable,
  readTags,
  tagsToCsv,
} from './files/tags-csv.js';
export {
  type TextIn,
  type TextOut,
  type TextProject,
  powerPins,
  projectFromText,
  projectToText,
  readText,
} from './files/text.js';
export { type XmlOut, projectToXml } from './files/xml/write.js';
export { type XmlIn, projectFromXml } from './files/xml/read.js';
export { type Folder, folderToDocument, projectToFolder } from './files/folder.js';
export { proveToText, textToProve } from './files/prove-text.js';
export { type Declared, declareNames } from './project/declare.js';
export { type Fix, type Undeclared, fixesFor, fixesThatHelp, splitEdit, undeclaredNames } from './project/fixes.js';
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
} from './project/own-table.js';
export { type NewName, type OwnTypes, type Pins, newNames, pinsOf } from './project/new-names.js';
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
} from './project/services.js';
export { type Difference, compareProjects, differencesText, withChosen } from './project/compare.js';
export { type Merged, type Side, chooseSide, conflictAsDifference, mergeProjects } from './project/merge.js';
export { MACHINE, tagText } from './project/sources.js';
export { programOf, projectHash } from './project/hash.js';
export {
  type DeviceKind,
  type Handle,
  type Parameter,
  type Terminal,
  type TerminalType,
  type Upset,
  LINE,
  LINE_PARTS,
  LOAD,
  LOAD_LAYERS,
  LOAD_PARTS,
  PART,
  PART_TYPES,
  deviceBlock,
  deviceParts,
  limitsOf,
} from './machine/device.js';
export {
  type DrawnShape,
  type PictureProblem,
  type ReadPicture,
  MOST_TIMES,
  NTH,
  readPicture,
} from './project/picture.js';
export {
  type Floor,
  type FloorLink,
  type FloorPlace,
  type FloorSpot,
  floorLinks,
  layOutFloor,
  placeDevice,
  spotAt,
} from './project/floor.js';
export { type Loose, linkEnds, looseEnds, snapLinks, snapOnto, tagNameFor, wiresThatMatch } from './project/wiring.js';
export { DEVICE_GROUPS, DEVICE_KINDS } from './machine/library.js';
export { kindOf } from './project/kinds.js';
export { parseCondition, parseSpan } from './prove/sentences.js';
export { type SentenceEnd, completeSentence } from './prove/complete.js';
export { type ProofPlan, planProof } from './prove/plan.js';
export {
  type CheckResult,
  type Failure,
  type ProofResult,
  type Recorded,
  type RowResult,
  type RuleResult,
  LONGEST_CHECK_NS,
  prove,
} from './prove/play.js';
export {
  type ProofStrength,
  type Strengths,
  type Totals,
  type Verdict,
  type VerdictWord,
  checkLine,
  checkVerdict,
  proofLines,
  ruleLine,
  ruleVerdict,
  totalsLine,
  totalsOf,
  verdictsAsData,
} from './prove/verdict.js';
export { rulesOf } from './prove/plan.js';
export { type Verified, junitXml } from './prove/junit.js';
export {
  type ChangesTried,
  type ControllerRecord,
  type ReportFacts,
  checkMeaning,
  isMadeName,
  reportHtml,
} from './prove/report.js';
export { csvLine, readStimulus, type StimulusRow } from './exchange/csv.js';
export { VcdWriter } from './exchange/vcd.js';
export {
  type WhyAnswer,
  type WhyBlock,
  type WhyLink,
  type WhyMark,
  type WhyPlace,
  type WhyWriter,
  why,
} from './why/why.js';
export { SYSTEM, SYSTEM_TAGS } from './library/system.js';
export { OWN_BLOCKS, type LibraryBlock } from './library/own.js';
export { STANDARD_BLOCKS } from './library/blocks.js';
export { LINT_RULES, type Level, type Rule } from './check/rules/index.js';
export { chanceUpset, upsetsOf } from './project/chance.js';
export { checkRuns, renumbered } from './prove/runs.js';
export {
  type Bound,
  type FeedState,
  type Point,
  type PointNode,
  type Quality,
  type TagNode,
  MOST_POINTS,
  mayHold,
  pointTree,
  pointsBelow,
  pointsOf,
  qualityOf,
} from './points/points.js';
export { type FoundItem, type OutsidePoint, ioPoints, matchByName, outsidePoints } from './project/outside.js';
export { readItems } from './files/items-csv.js';
export { type Card, cardWords, cardsOf, pulledForces, pulledTags } from './runtime/cards.js';
export { OUTSIDE_LOST } from './runtime/given.js';
export { type OutsideInput, OutsideInputs } from './runtime/outside-inputs.js';
export type { LinkShown, ModbusClient, OpcuaCertificate, OpcuaClient, OpcuaState, OpenShown } from './points/shown.js';
export { PointValues } from './points/point-values.js';
export {
  type Mapped,
  type ModbusMap,
  type Table as ModbusTable,
  type WordOrder,
  WORDS as MODBUS_WORDS,
  fromRegisters,
  modbusMap,
  modbusRows,
  parseItem as parseModbusItem,
  parseNumber as parseModbusNumber,
  registersOf,
  toRegisters,
} from './points/modbus-map.js';
export {
  EXCEPTION,
  QUALITY as MODBUS_QUALITY,
  type Frame as ModbusFrame,
  ModbusServer,
  frameBytes,
  framesOf as modbusFrames,
} from './points/modbus-server.js';
export { type Match, type Replacement, type Wanted, matchesIn, replaceEdit, replacements } from './project/replace.js';
export { type ProjectAbout, aboutProject } from './project/about.js';
export { many } from './language/words.js';
export { editText } from './project/edits/edit-text.js';
export { type RungInstance, blocksFor, rungInstances, typeChoices } from './project/services.js';
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
