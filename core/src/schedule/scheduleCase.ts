import type { EpochDay } from '../calendar/index.js';
import { effectTally, standingOf, type Effect } from './effect.js';
import type { ClockFacts } from './clockFacts.js';
import { governingRule, type ByHand, type Governing, type RuleCandidate } from './governing.js';
import type { RuleVersion } from './rule.js';

/** Published versions of rules, by the id of the rule. */
export type RuleVersions = Readonly<Record<string, readonly RuleVersion[]>>;

/** A place where a rule is set that may govern a record; its versions are looked up by its id. */
export type CaseCandidate = Omit<RuleCandidate, 'versions'> & { readonly ruleId: string };

/**
 * One record as the schedule sees it: plain data with all that its date depends on, and nothing of the rules themselves, so
 * that rules can be tried on it anywhere.
 */
export interface ScheduleCase {
  readonly id: string;
  readonly number: string;
  readonly title: string;
  readonly series: { readonly id: string; readonly code: string; readonly title: string };
  readonly bytes: number;
  readonly held: boolean;
  readonly inBatch: boolean;
  readonly facts: ClockFacts;
  readonly candidates: readonly CaseCandidate[];
  /** Names, with the wider ones that they are part of. */
  readonly jurisdictions: readonly string[];
  readonly override:
    | (ByHand & { readonly kind: 'date'; readonly dueOn: string; readonly action: 'destroy' | 'transfer' })
    | (ByHand & { readonly kind: 'forGood' })
    | (ByHand & { readonly kind: 'rule'; readonly ruleId: string })
    | null;
}

/** A version that was not published yet. */
export type RuleDraft = Omit<RuleVersion, 'id' | 'code' | 'version'>;

/** Versions that are not published yet have this id. */
export const draftVersionId = '00000000-0000-4000-8000-00000000d4af';

/** The rules as they would be with a draft published: one more version of one rule. */
export function withDraft(rules: RuleVersions, ruleId: string, code: string, draft: RuleDraft): RuleVersions {
  const earlier = rules[ruleId] ?? [];
  const version = (earlier.at(-1)?.version ?? 0) + 1;
  return { ...rules, [ruleId]: [...earlier, { ...draft, id: draftVersionId, code, version }] };
}

/** Which rule governs a case on a day (docs/semantics.md 3). */
export function judgeCase(of: ScheduleCase, rules: RuleVersions, today: EpochDay): Governing {
  const versionsOf = (ruleId: string): readonly RuleVersion[] => rules[ruleId] ?? [];
  const candidates = of.candidates.map(({ ruleId, level, distance, setOn }) => ({ level, distance, setOn, versions: versionsOf(ruleId) }));
  const { override } = of;
  return governingRule(
    candidates,
    override?.kind === 'rule' ? { ...override, versions: versionsOf(override.ruleId) } : override,
    of.facts,
    of.jurisdictions,
    today,
  );
}

/**
 * What a change of rules does to cases: as they are judged today by the rules before, against how they are judged by the rules
 * after, on the day from which these count.
 */
export function effectOnCases(
  cases: readonly ScheduleCase[],
  before: RuleVersions,
  after: RuleVersions,
  today: EpochDay,
  afterDay: EpochDay,
): Effect {
  const tally = effectTally(today);
  for (const of of cases) {
    const { bytes, held, inBatch } = of;
    const record = { series: of.series.id, bytes, held, inBatch, id: () => of.id };
    tally.add(record, standingOf(judgeCase(of, before, today)), standingOf(judgeCase(of, after, afterDay)));
  }
  return tally.result();
}
