/** `@ferrule/core/verify`: checks, rules, search, changed logic, proofs, reports. */
export { LANES, Lane, type LaneOptions, goOn, lanesOf, lookedWords, mergeLanes } from './verify/search/lanes.js';
export type { Campaign, CampaignMessage, ChangesOfShare, WorkerThere, WorkersThere } from './verify/search/campaign.js';
export { type Counterexample, Search, type SearchOptions, type SearchState } from './verify/search/search.js';
export { type Reach, type RungReach, neverReached, reachOf, unreachedTargets } from './verify/search/reach.js';
export {
  type Mutant,
  type MutantPlace,
  type MutantResult,
  failingAlready,
  mutantLine,
  mutantsOf,
  mutated,
  tryMutant,
} from './verify/mutate/mutate.js';
export { type Stretch, checkFromRun, doneIn, checkOfWrong, proposeCheck, saidAt } from './verify/play/record.js';
export { type ProofAnswer, type RuleProof, proveRules } from './verify/prove/prove-rules.js';
export type { Solver } from './verify/prove/induction.js';
export { parseCondition, parseSpan } from './sentences/sentences.js';
export { type SentenceEnd, completeSentence } from './verify/play/complete.js';
export { type ProofPlan, planProof } from './verify/play/plan.js';
export {
  type CheckResult,
  type Failure,
  type ProofResult,
  type Recorded,
  type RowResult,
  type RuleResult,
  LONGEST_CHECK_NS,
  prove,
} from './verify/play/play.js';
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
} from './verify/play/verdict.js';
export { rulesOf } from './verify/play/plan.js';
export { type Verified, junitXml } from './verify/report/junit.js';
export {
  type ChangesTried,
  type ControllerRecord,
  type ReportFacts,
  checkMeaning,
  isMadeName,
  reportHtml,
} from './verify/report/report.js';
