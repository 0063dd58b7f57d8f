import { type Message } from '@key-cellar/words';
import type { Jurisdiction } from './jurisdiction.js';
import type { RuleVersion } from './rule.js';

export type FindingKind =
  | 'seriesWithoutRule'
  | 'typeWithoutRule'
  | 'ruleNeverUsed'
  | 'ruleNeverDue'
  | 'disagreement'
  | 'factTypeLacks'
  | 'jurisdictionWithoutRule'
  | 'nearerKeepsShorter'
  | 'criteriaNeverReached'
  | 'capConflict'
  | 'workdaysUnknown'
  | 'namedYearEnds'
  | 'contentUnread';

/** Something that is not right with a schedule, and the thing whose change mends it. */
export interface ScheduleFinding {
  readonly kind: FindingKind;
  readonly sentence: Message;
  readonly mend: { readonly at: 'place' | 'rule' | 'criteria' | 'jurisdiction' | 'records' | 'detectors'; readonly id: string };
  /** Records that it concerns; null where that is not a matter of records. */
  readonly records: number | null;
}

/** A schedule as it stands today, with what it governs. */
export interface ScheduleUnderCheck {
  /** Rules with the version in force today; a rule that has none yet is left out. */
  readonly rules: readonly { readonly id: string; readonly version: RuleVersion; readonly governs: number }[];
  /** Places from the repository inwards; `path` ends with the place itself. */
  readonly places: readonly {
    readonly id: string;
    readonly kind: string;
    readonly code: string;
    readonly path: readonly string[];
  }[];
  readonly placeRules: readonly { readonly placeId: string; readonly ruleId: string }[];
  readonly pairRules: readonly { readonly recordType: string; readonly seriesId: string; readonly ruleId: string }[];
  readonly criteriaRules: readonly {
    readonly id: string;
    readonly ruleId: string;
    readonly words: string;
    readonly matches: number;
    /** Whether it asks what detectors found. */
    readonly detects: boolean;
  }[];
  /** Records whose content detectors could not read. */
  readonly unread: number;
  readonly types: readonly {
    readonly code: string;
    readonly title: string;
    readonly facts: readonly { readonly code: string; readonly kind: string }[];
  }[];
  readonly jurisdictions: readonly Jurisdiction[];
  /** Records that no rule reaches. */
  readonly unscheduled: readonly { readonly seriesId: string; readonly recordType: string; readonly records: number }[];
  /** Records that are kept longer than a rule allows, by what keeps them; null: set by hand. */
  readonly conflicts: readonly { readonly ruleId: string | null; readonly capId: string; readonly records: number }[];
  /** Jurisdictions that say which days are worked there. */
  readonly calendars: readonly string[];
  /** YYYY-MM-DD */
  readonly today: string;
  /** Records that wait under a rule, by type. */
  readonly waiting: readonly { readonly ruleId: string; readonly recordType: string; readonly records: number }[];
}

/** Looks for one kind of finding. */
export type ScheduleCheck = (s: ScheduleUnderCheck) => ScheduleFinding[];

export const sumOf = (items: readonly { readonly records: number }[]): number => items.reduce((n, i) => n + i.records, 0);

/** The versions in force of the rules set on each place. */
export function rulesByPlace(s: ScheduleUnderCheck): Map<string, RuleVersion[]> {
  const version = new Map(s.rules.map((r) => [r.id, r.version]));
  const at = new Map<string, RuleVersion[]>();
  for (const { placeId, ruleId } of s.placeRules) {
    const inForce = version.get(ruleId);
    if (inForce) at.set(placeId, [...(at.get(placeId) ?? []), inForce]);
  }
  return at;
}

/** The codes of all places, by id. */
export const codesOf = (s: ScheduleUnderCheck): Map<string, string> => new Map(s.places.map((p) => [p.id, p.code]));
