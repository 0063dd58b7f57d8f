import type { Cutoff } from './cutoff.js';

/** Dates that every record has or may come to have. */
export const recordDates = ['created', 'received', 'filed', 'modified', 'declared', 'superseded', 'lastUsed'] as const;
export type RecordDate = (typeof recordDates)[number];

/** What starts the clock (docs/semantics.md 2.1). */
export type Trigger =
  | { readonly kind: 'recordDate'; readonly date: RecordDate }
  /** Of several values the first or, where nothing is said, the last. */
  | { readonly kind: 'fact'; readonly fact: string; readonly occurrence?: 'first' | 'last' | undefined }
  | { readonly kind: 'folderClosed' }
  | { readonly kind: 'event'; readonly eventType: string; readonly occurrence: 'first' | 'last' }
  | { readonly kind: 'never' };

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
  readonly from: 'clockStart' | 'previousStep';
  /** ISO 8601 period between two questions to the owner. */
  readonly repeatEvery?: string | undefined;
  /** Where `move` puts a record: the code of a folder of its series. */
  readonly to?: string | undefined;
  /** 0 = automatic; otherwise how many people must agree. */
  readonly approvals: number;
  /** Names of the groups that they must be of; none: of any. */
  readonly approverGroups?: readonly string[] | undefined;
  /** Days to object between announcement and decision. */
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
  readonly steps: readonly Step[];
  /** First day on which this version counts, YYYY-MM-DD. */
  readonly inForceFrom: string;
  readonly takesOver: 'all' | 'laterClocks';
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
