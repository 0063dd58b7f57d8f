export type { AskingOf, BodyOf, ChangingOf, Endpoint, ParamsOf, QueryOf, ResponseOf } from './endpoint.js';
export { messageOfIssue } from './issue.js';
export {
  conflictWays,
  problem,
  sentence,
  type AccessShift,
  type ConflictWay,
  type DateShift,
  type MarkingLine,
  type OutcomeLine,
  type PersonRef,
  type Problem,
  type ProblemField,
  type TableOutcome,
  type Told,
  type ToldOf,
} from './shared.js';
export {
  access,
  accessFindingKinds,
  type AccessFinding,
  type AccessFindingKind,
  type AccessMark,
  type AccessSide,
  type MatrixRow,
  type ProfileLine,
  type RaiseLine,
  type ReviewLine,
  type ReviewSummary,
  type ReachLine,
  type RightLine,
  type WeighedGrantLine,
  type WhoCan,
} from './access.js';
export {
  exchange,
  packageFormat,
  packageManifest,
  packageSections,
  packageVersion,
  placeItem,
  reference,
  sectionNames,
  type ItemOf,
  type PackageManifest,
  type PackageOutcome,
  type Reference,
  tableSection,
  type SectionName,
  kit,
  type Kit,
  type KitLine,
} from './exchange.js';
export { identity, mailKinds, type MailHow, type MailKind, type Me, type Message } from './identity.js';
export { federation, type LinkLine, type ProviderLine } from './federation.js';
export { programs, scopes, type ProgramLine, type Scope, type TokenLine } from './programs.js';
export { tags, type TagLine } from './tags.js';
export { passes, type PassLine, type ShownRecord } from './passes.js';
export { people, type GrantLine, type MailLine, type GroupLine, type Invitation, type PersonLine, type TagRef } from './people.js';
export { plan, type OutlineLine, type PlaceLine, type PlacePage, type PlanEffect, type RackCounts, type RackOfSeries } from './plan.js';
export {
  findingKinds,
  ruleDefinition,
  schedule,
  type CriteriaRuleLine,
  type DatesLine,
  type EffectLine,
  type EffectPage,
  type EventLine,
  type Finding,
  type JurisdictionLine,
  type NamedYearLine,
  type OverrideInput,
  type RuleDefinition,
  type RuleLine,
  type RulePage,
  type ScheduleCases,
  type ScheduleChange,
  type WaitingLine,
  type RuleOnDay,
  type RuleReach,
} from './schedule.js';
export { askedCriteria, criteria, criteriaEndpoints, criteriaOf } from './criteria.js';
export {
  records,
  sortColumns,
  type Dossier,
  type NumberingLine,
  type RecordFilter,
  type ListedRecord,
  type RecordLine,
  type SplitOutcome,
  type RecordType,
  type SortColumn,
  type VersionLine,
} from './records.js';
export { filing, receiving, type Arrival, type Filing, type FilingResult } from './receiving.js';
export { holds, type HoldLine, type HoldPage, type MatterLine } from './holds.js';
export { docket, type BatchItem, type BatchLine, type BatchPage, type DueGroup, type Gate } from './docket.js';
export { fixity, type FixitySchedule, type FixityState } from './fixity.js';
export {
  ledger,
  type LedgerEntry,
  type LedgerFilter,
  type LedgerFold,
  type LedgerFinding,
  type LedgerReport,
  type LedgerState,
  type TreeHead,
  type VerifyLine,
} from './ledger.js';
export {
  outsideNames,
  type FirstStep,
  type OutsideLine,
  reports,
  type HorizonBar,
  type RecordSeen,
  type Needs,
  type Suggestion,
  type TodayLine,
} from './reports.js';
export { stepAnswers, steps, type LetterTask, type StepAnswer, type StepTask, type SweepLine } from './steps.js';
export {
  entityKinds,
  setup,
  type EntityLine,
  type EntityPage,
  type FactOption,
  type TypeEffect,
  type DetectorLine,
  type DetectorTrial,
  type UnreadRecords,
  type TypeLine,
  type TypePage,
} from './setup.js';
export {
  stencils,
  type BroughtLine,
  type StencilBody,
  type StencilLine,
  type StencilPage,
  type StencilUse,
  type UseLine,
  type VersionsApart,
} from './stencils.js';
