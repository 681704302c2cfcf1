/** `@ferrule/core/plan`: plans and what is made from them. */
export {
  type MadePart,
  type Sourceless,
  leftOnByFault,
  namesOfPlan,
  partsOf,
  modeTag,
  sourceless,
} from './plan/generate.js';
export { choiceTag } from './plan/choices.js';
export { type MadeChecks, type Unreached, madeChecks } from './plan/made-checks.js';
export { type PlannedChange, planChanges, takeChanges } from './plan/merge.js';
export { type PlanProblem, planProblems } from './plan/problems.js';
export { shortTimes } from './sentences/sentences.js';
export { timedCondition } from './sentences/timed.js';
