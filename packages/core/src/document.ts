/** `@ferrule/core/document`: the project, its edits, comparing and merging. */
export { stepName, stepTagOf } from './document/step-names.js';
export { type StepTable, readSteps, stepsToTable } from './document/step-table.js';
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
} from './document/document.js';
export { type Edit, type Applied, type Changes, EDIT_FIELDS, applyEdit } from './document/edits/index.js';
export { type Delta, deltaOf, patched, sharing } from './document/delta.js';
export { ORDER, projectInOrder } from './document/order.js';
export { capColour } from './document/cap-colour.js';
export { renameDevice, renameKind, renamePiece, renameRule } from './document/edits/rename.js';
export { changeOf, textChange } from './document/edits/texts.js';
export { type FoundPlace, type Hit, findInProject } from './document/find.js';
export { type Difference, compareProjects, differencesText, withChosen } from './document/compare.js';
export { type Merged, type Side, chooseSide, conflictAsDifference, mergeProjects } from './document/merge.js';
export { MACHINE, tagText } from './document/document.js';
export { programOf, projectHash } from './document/hash.js';
export { checkRuns, renumbered } from './document/check-rows.js';
export { type ProjectAbout, aboutProject } from './document/about.js';
export { editText } from './document/edits/edit-text.js';
