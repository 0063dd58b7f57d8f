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
export { clockStart, vintageOf, withEnds, type Cutoff } from './cutoff.js';
export {
  effectTally,
  formatMonth,
  laneWidth,
  mergeEffects,
  monthOf,
  namedEffect,
  standingOf,
  type CountedRecord,
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
export {
  parseBasis,
  parseSample,
  parseCutoff,
  parseSteps,
  parseSuspension,
  parseTrigger,
  printBasis,
  printSample,
  printCutoff,
  printSteps,
  printSuspension,
  printTrigger,
  type Read,
} from './ruleText.js';
export {
  actionOf,
  bases,
  caps,
  isDisposing,
  partsOf,
  recordDates,
  stepKinds,
  type Basis,
  type RecordDate,
  type RuleVersion,
  type SimpleTrigger,
  type Step,
  type StepKind,
  type Suspension,
  type Trigger,
  type TriggerPart,
} from './rule.js';
export { sameEvent, type ClockFacts, type EventOccurrence } from './clockFacts.js';
export { triggerDate, type TriggerDate } from './triggerDate.js';
export { describeSample, isSampled, type Sample } from './sample.js';
export { stopsOf, withStops, type Stop } from './suspension.js';
export { evaluateRule, isPermanent, versionApplies, type Verdict, type WaitsFor } from './evaluate.js';
export { nextStep, overtakenOn, stepHistories, stepOutcomes, type StepAct, type StepHistory, type StepOutcome } from './stepHistory.js';
export {
  byForce,
  conflictIn,
  governingRule,
  keepsLonger,
  ruleLevels,
  shortens,
  versionInForce,
  vintageIn,
  type ByHand,
  type Cap,
  type Governing,
  type Override,
  type RuleCandidate,
  type RuleLevel,
  type Weighed,
  type Yielded,
  type YieldReason,
  yieldReasons,
} from './governing.js';
export {
  describeBasis,
  describeCutoff,
  describeStep,
  describeStepTime,
  describeSuspension,
  describeTrigger,
  explain,
  type ExplainedCap,
  type ExplainedPart,
  type ExplainedRule,
  type ExplainedStep,
  type Explanation,
  type HoldInTheWay,
} from './explain.js';
export type { StepDate } from './stepDate.js';
