export { compileGoverning, dateSlots, unknownDay, type DateSlots, type FactSlot, type FastVerdict } from './compiled.js';
export {
  draftVersionId,
  effectOnCases,
  judgeCase,
  withDraft,
  type CaseCandidate,
  type RuleDraft,
  type RuleVersions,
  type ScheduleCase,
} from './scheduleCase.js';
export { checkSchedule } from './check.js';
export type { FindingKind, ScheduleFinding, ScheduleUnderCheck } from './finding.js';
export { clockStart, vintageOf, type Cutoff } from './cutoff.js';
export {
  effectTally,
  formatMonth,
  laneWidth,
  mergeEffects,
  monthOf,
  namedEffect,
  standingOf,
  type Effect,
  type EffectTally,
  type ForecastLane,
  type MostAffected,
  type NamedEffect,
  type Outcome,
  type Shift,
  type Standing,
} from './effect.js';
export { mayBePartOf, widened, type Jurisdiction } from './jurisdiction.js';
export { parseCutoff, parseSteps, parseTrigger, printCutoff, printSteps, printTrigger, type Read } from './ruleText.js';
export {
  actionOf,
  isDisposing,
  recordDates,
  stepKinds,
  type RecordDate,
  type RuleVersion,
  type Step,
  type StepKind,
  type Trigger,
} from './rule.js';
export {
  evaluateRule,
  isPermanent,
  triggerDate,
  versionApplies,
  type ClockFacts,
  type EventOccurrence,
  type TriggerDate,
  type Verdict,
} from './evaluate.js';
export { nextStep, overtakenOn, stepHistories, stepOutcomes, type StepAct, type StepHistory, type StepOutcome } from './stepHistory.js';
export {
  byForce,
  governingRule,
  keepsLonger,
  ruleLevels,
  shortens,
  versionInForce,
  vintageIn,
  type ByHand,
  type Governing,
  type Override,
  type RuleCandidate,
  type RuleLevel,
  type Weighed,
  type Yielded,
  type YieldReason,
} from './governing.js';
export {
  describeCutoff,
  describeStep,
  describeTrigger,
  explain,
  type ExplainedRule,
  type ExplainedStep,
  type Explanation,
  type HoldInTheWay,
} from './explain.js';
export type { StepDate } from './stepDate.js';
