import type { Cutoff } from './cutoff.js';
import type { Sample } from './sample.js';

/** Dates that every record has or may come to have. */
export const recordDates = ['created', 'received', 'filed', 'modified', 'declared', 'superseded', 'lastUsed'] as const;
export type RecordDate = (typeof recordDates)[number];

/** One thing that starts a clock (docs/semantics.md 2.1). */
export type SimpleTrigger =
  | { readonly kind: 'recordDate'; readonly date: RecordDate }
  /** Of several values the first or, where nothing is said, the last. */
  | { readonly kind: 'fact'; readonly fact: string; readonly occurrence?: 'first' | 'last' | undefined }
  | { readonly kind: 'folderClosed' }
  | { readonly kind: 'event'; readonly eventType: string; readonly occurrence: 'first' | 'last' }
  /** The day on which the last live record that pointed at it by a fact was gone, or pointed elsewhere. */
  | { readonly kind: 'unreferenced'; readonly fact: string };

/** One of several triggers, with the ISO 8601 period that is added to its date first. */
export interface TriggerPart {
  readonly trigger: SimpleTrigger;
  readonly after: string;
}

/** What starts the clock: one thing, the earliest or the latest of several, or nothing ever (docs/semantics.md 2.1, 2.7). */
export type Trigger =
  | SimpleTrigger
  /** Earliest starts with what is known and waits only while nothing is; latest waits for all. */
  | { readonly kind: 'earliest' | 'latest'; readonly of: readonly TriggerPart[] }
  | { readonly kind: 'never' };

/** What a trigger is made of: itself, its parts, or nothing. */
export function partsOf(trigger: Trigger): readonly TriggerPart[] {
  switch (trigger.kind) {
    case 'never':
      return [];
    case 'earliest':
    case 'latest':
      return trigger.of;
    default:
      return [{ trigger, after: 'P0D' }];
  }
}

/**
 * What a rule’s period means: the law says *at least* that long, it is custom, or the law says *at most* that long.
 * A required or customary period keeps; one at most never keeps, it caps (docs/semantics.md 3.7).
 */
export const bases = ['required', 'customary', 'atMost'] as const;
export type Basis = (typeof bases)[number];

/** A pair of event types: between a day of the one and a day of the other the clock stands (docs/semantics.md 2.8). */
export interface Suspension {
  readonly stops: string;
  readonly resumes: string;
}

export const stepKinds = [
  'askOwner',
  'review',
  'declare',
  'trimVersions',
  'move',
  'route',
  'transfer',
  'destroy',
  'keepPermanently',
] as const;
export type StepKind = (typeof stepKinds)[number];

/** One thing a rule does at one time. */
export interface Step {
  readonly kind: StepKind;
  /** ISO 8601 period, from the clock's start or from the completion of the previous step. */
  readonly after: string;
  /** Before the trigger: so long before its own date, not before that of the rolled clock. */
  readonly from: 'clockStart' | 'previousStep' | 'beforeTrigger';
  /** The days of `after`, which has no other parts then, are working days. */
  readonly workingDays?: boolean | undefined;
  /** ISO 8601 period between two questions to the owner. */
  readonly repeatEvery?: string | undefined;
  /** Where `move` puts a record: the code of a folder of its series. */
  readonly to?: string | undefined;
  /** 0 = automatic; otherwise how many people must agree. */
  readonly approvals: number;
  /** Names of the groups that they must be of; none: of any. */
  readonly approverGroups?: readonly string[] | undefined;
  /** Days to object between announcement and decision; working days where the jurisdiction has a calendar. */
  readonly noticeDays: number;
}

/** One version of a rule as it was published: never edited afterwards. */
export interface RuleVersion {
  readonly id: string;
  readonly code: string;
  readonly version: number;
  readonly title: string;
  readonly authority: string;
  /** Empty: applies everywhere. */
  readonly jurisdictions: readonly string[];
  readonly trigger: Trigger;
  readonly cutoff: Cutoff;
  /** Absent: nothing stops its clock. */
  readonly suspension?: Suspension | undefined;
  /** Absent: required. */
  readonly basis?: Basis | undefined;
  /** Absent: none. */
  readonly sample?: Sample | undefined;
  readonly steps: readonly Step[];
  /** First day on which this version counts, YYYY-MM-DD. */
  readonly inForceFrom: string;
  readonly takesOver: 'all' | 'laterClocks';
}

/** Whether a rule caps what others keep, and keeps nothing itself. */
export function caps(rule: Pick<RuleVersion, 'basis'>): boolean {
  return rule.basis === 'atMost';
}

/** What a version does at the end; null when it never lets go. */
export function actionOf(rule: Pick<RuleVersion, 'steps'> | null): 'destroy' | 'transfer' | null {
  const step = rule?.steps.find((s) => isDisposing(s.kind));
  return step && isDisposing(step.kind) ? step.kind : null;
}

/** The steps that end a record's stay. */
export function isDisposing(kind: StepKind): kind is 'destroy' | 'transfer' {
  return kind === 'destroy' || kind === 'transfer';
}
