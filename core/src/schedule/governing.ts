import { message, type Message, type Value } from '@key-cellar/words';
import { civilDate, yearMonthDay, type EpochDay } from '../calendar/index.js';
import { vintageOf } from './cutoff.js';
import type { ClockFacts } from './clockFacts.js';
import { evaluateRule, versionApplies, type Verdict } from './evaluate.js';
import { caps, type RuleVersion } from './rule.js';

/** Levels of precedence, nearest first (docs/semantics.md 3.1). */
export const ruleLevels = ['override', 'typeAndSeries', 'criteria', 'folder', 'planNode'] as const;
export type RuleLevel = (typeof ruleLevels)[number];

/** A rule set somewhere that may govern a record, with all its published versions. */
export interface RuleCandidate {
  readonly level: RuleLevel;
  /** Within a level: 0 = nearest (folder, plan node) or first in priority (criteria). */
  readonly distance: number;
  /** Words for where it is set, such as "series PIL-03". */
  readonly setOn: Value;
  readonly versions: readonly RuleVersion[];
}

/** Why something was set by hand, by whom and when. */
export interface ByHand {
  /** In the words of whoever did it; a message where the program did. */
  readonly reason: string | Message;
  readonly by: string;
  /** YYYY-MM-DD */
  readonly on: string;
}
/** A due date or a rule set by hand for one record, or that it is kept for good, as a sample is. */
export type Override = ByHand &
  (
    | { readonly kind: 'forGood' }
    | { readonly kind: 'date'; readonly dueOn: string; readonly action: 'destroy' | 'transfer' }
    | { readonly kind: 'rule'; readonly versions: readonly RuleVersion[] }
  );

export const yieldReasons = [
  'farther away',
  'other jurisdiction',
  'not in force',
  'keeps shorter',
  'tie, destroys',
  'tie, later code',
  /** A customary period that goes beyond what the law allows. */
  'capped',
  /** A cap of the same level that ends later, or has no date yet. */
  'caps later',
] as const;
export type YieldReason = (typeof yieldReasons)[number];

/** One rule as it was weighed for one record. */
export interface Weighed {
  readonly level: RuleLevel;
  readonly distance: number;
  readonly setOn: Value;
  readonly rule: RuleVersion;
  readonly verdict: Verdict;
}
export interface Yielded extends Weighed {
  readonly reason: YieldReason;
}

/**
 * The *at most* rule that counts for a record and what it does: nothing, since what keeps ends no later; it governs, as nothing
 * keeps longer but custom; or it stands against something that must be kept longer.
 */
export interface Cap {
  readonly by: Weighed;
  readonly effect: 'nothing' | 'governs' | 'conflict';
}

export type Governing =
  | {
      readonly kind: 'rule';
      readonly by: Weighed;
      readonly hand: ByHand | null;
      readonly cap: Cap | null;
      readonly yielded: readonly Yielded[];
    }
  | {
      readonly kind: 'overrideDate';
      readonly dueOn: EpochDay;
      readonly action: 'destroy' | 'transfer';
      readonly hand: ByHand;
      readonly cap: Cap | null;
      readonly yielded: readonly Yielded[];
    }
  | {
      readonly kind: 'overrideForGood';
      readonly hand: ByHand;
      readonly cap: Cap | null;
      readonly yielded: readonly Yielded[];
    }
  | { readonly kind: 'unscheduled'; readonly yielded: readonly Yielded[] };

/** Versions in the order in which they are asked: those in force from a later day first; of two from one day, the one published later. */
export function byForce<V extends Pick<RuleVersion, 'inForceFrom' | 'version'>>(versions: readonly V[]): V[] {
  return [...versions].sort((a, b) => (a.inForceFrom === b.inForceFrom ? b.version - a.version : a.inForceFrom < b.inForceFrom ? 1 : -1));
}

/** The version of a rule that counts for a record today: of those in force that take its clock over, the one from the latest day. */
export function versionInForce(
  versions: readonly RuleVersion[],
  facts: ClockFacts,
  today: EpochDay,
): { rule: RuleVersion; verdict: Verdict } | null {
  for (const rule of byForce(versions)) {
    const verdict = evaluateRule(rule, facts);
    if (versionApplies(rule, today, verdict.clockStart)) return { rule, verdict };
  }
  return null;
}

/** Orders verdicts by how long they keep: permanent, then waiting, then the later date. */
export function rank(verdict: Verdict): number {
  switch (verdict.kind) {
    case 'permanent':
      return Infinity;
    case 'waiting':
      return Number.MAX_VALUE;
    case 'dated':
      return verdict.dueOn;
  }
}

const transfers = ({ verdict }: Weighed): boolean => verdict.kind === 'dated' && verdict.action === 'transfer';

/** Compares two weighed rules: positive when `a` keeps longer. On one day a transfer keeps longer than destruction; other ties go by the rule’s code. */
export function keepsLonger(a: Weighed, b: Weighed): number {
  const [rankA, rankB] = [rank(a.verdict), rank(b.verdict)];
  if (rankA !== rankB) return rankA > rankB ? 1 : -1;
  if (transfers(a) !== transfers(b)) return transfers(a) ? 1 : -1;
  return a.rule.code < b.rule.code ? 1 : a.rule.code > b.rule.code ? -1 : 0;
}

export function applies(rule: RuleVersion, jurisdictions: readonly string[]): boolean {
  return rule.jurisdictions.length === 0 || rule.jurisdictions.some((j) => jurisdictions.includes(j));
}

/** Which of the levels a candidate stands on, as one number: smaller is nearer. */
export function standing(candidate: Pick<Weighed, 'level' | 'distance'>): number {
  const level = ruleLevels.indexOf(candidate.level);
  // Rules by criteria count one by one in their priority order; folders and plan nodes by distance.
  return level * 1_000_000 + candidate.distance;
}

function handOf({ reason, by, on }: ByHand): ByHand {
  return { reason, by, on };
}

/**
 * Finds the governing rule of a record and all that yield to it (docs/semantics.md 3).
 * The nearest level with a rule that is in force and applies in the record's jurisdictions counts; at that level
 * the longest keeps. Of rules that say *at most* the nearest level counts likewise, and there the earliest. Candidates may come in
 * any order.
 */
export function governingRule(
  candidates: readonly RuleCandidate[],
  override: Override | null,
  facts: ClockFacts,
  jurisdictions: readonly string[],
  today: EpochDay,
): Governing {
  const all: RuleCandidate[] =
    override?.kind === 'rule'
      ? [{ level: 'override', distance: 0, setOn: message('schedule.theRecordByHand'), versions: override.versions }, ...candidates]
      : [...candidates];
  all.sort((a, b) => standing(a) - standing(b));

  const yielded: Yielded[] = [];
  const contenders: Weighed[] = [];
  const looked = new Set<string>();
  for (const { versions, ...where } of all) {
    // One that is set twice is one candidate, where it is nearest.
    if (versions.length === 0 || looked.has(versions[0]!.code)) continue;
    looked.add(versions[0]!.code);
    const current = versionInForce(versions, facts, today);
    if (!current) {
      const newest = versions.reduce((a, b) => (a.version > b.version ? a : b));
      yielded.push({ ...where, rule: newest, verdict: evaluateRule(newest, facts), reason: 'not in force' });
    } else if (!applies(current.rule, jurisdictions)) {
      yielded.push({ ...where, ...current, reason: 'other jurisdiction' });
    } else {
      contenders.push({ ...where, ...current });
    }
  }

  const keepers = contenders.filter((c) => !caps(c.rule));
  const { cap, others } = capOf(contenders.filter((c) => caps(c.rule)));
  /** What a cap does to something that is kept until a day, whatever it rests on. */
  const against = (until: number): Cap | null =>
    cap && { by: cap, effect: cap.verdict.kind === 'dated' && cap.verdict.dueOn < until ? 'conflict' : 'nothing' };
  const farther = (all: readonly Weighed[]): Yielded[] => all.map((c) => ({ ...c, reason: 'farther away' as const }));

  if (override?.kind === 'date' || override?.kind === 'forGood') {
    const shared = { hand: handOf(override), yielded: [...farther(keepers), ...others, ...yielded] };
    if (override.kind === 'forGood') return { kind: 'overrideForGood', cap: against(Infinity), ...shared };
    const dueOn = civilDate(override.dueOn);
    return { kind: 'overrideDate', dueOn, action: override.action, cap: against(dueOn), ...shared };
  }
  const nearest = keepers[0];
  if (!nearest) {
    if (!cap) return { kind: 'unscheduled', yielded: [...others, ...yielded] };
    return { kind: 'rule', by: cap, hand: handIn(cap, override), cap: { by: cap, effect: 'governs' }, yielded: [...others, ...yielded] };
  }
  const level = keepers.filter((c) => standing(c) === standing(nearest));
  const keeps = level.reduce((best, c) => (keepsLonger(c, best) > 0 ? c : best));
  const hand = handIn(keeps, override);
  const losers = keepers
    .filter((c) => c !== keeps)
    .map((c) => ({
      ...c,
      reason:
        standing(c) !== standing(nearest)
          ? ('farther away' as const)
          : rank(c.verdict) !== rank(keeps.verdict)
            ? ('keeps shorter' as const)
            : transfers(c) === transfers(keeps)
              ? ('tie, later code' as const)
              : ('tie, destroys' as const),
    }));
  const rest = [...losers, ...others, ...yielded];
  const weighed = against(rank(keeps.verdict));
  // Custom yields to what the law allows; what somebody set on the record itself is more than custom.
  if (weighed?.effect === 'conflict' && keeps.rule.basis === 'customary' && hand === null) {
    return {
      kind: 'rule',
      by: weighed.by,
      hand: handIn(weighed.by, override),
      cap: { ...weighed, effect: 'governs' },
      yielded: [{ ...keeps, reason: 'capped' }, ...rest],
    };
  }
  return { kind: 'rule', by: keeps, hand, cap: weighed, yielded: rest };
}

/** The reason why it was set by hand, where that is so. */
function handIn(by: Weighed, override: Override | null): ByHand | null {
  return by.level === 'override' && override ? handOf(override) : null;
}

/** Of rules that say *at most*, the one that counts: at the nearest level the earliest date. Those without a date yet cap nothing. */
function capOf(contenders: readonly Weighed[]): { cap: Weighed | null; others: Yielded[] } {
  const [nearest] = contenders;
  if (!nearest) return { cap: null, others: [] };
  const level = contenders.filter((c) => standing(c) === standing(nearest));
  const cap = level.reduce((best, c) => (keepsLonger(c, best) < 0 ? c : best));
  return {
    cap,
    others: contenders
      .filter((c) => c !== cap)
      .map((c) => ({ ...c, reason: standing(c) === standing(nearest) ? ('caps later' as const) : ('farther away' as const) })),
  };
}

/** The rule that caps what something else must keep longer; null where nothing stands against anything. */
export function conflictIn(governing: Governing): RuleVersion | null {
  return governing.kind !== 'unscheduled' && governing.cap?.effect === 'conflict' ? governing.cap.by.rule : null;
}

/**
 * The year under which a judgement files a record: that of its clock, or that of the document where the schedule gives it no clock.
 * Null while the clock has not started.
 */
export function vintageIn(governing: Governing, created: EpochDay): number | null {
  if (governing.kind !== 'rule') return yearMonthDay(created).year;
  const { rule, verdict } = governing.by;
  if (verdict.clockStart !== null) return vintageOf(verdict.clockStart, verdict.restartedOn === null ? rule.cutoff : { kind: 'none' });
  return verdict.kind === 'waiting' ? null : yearMonthDay(created).year;
}

/**
 * Whether what is set by hand lets go of a record sooner than the rules do. What no rule reaches can be given any date.
 */
export function shortens(byHand: Governing, rules: Governing): boolean {
  const keeps = (g: Governing): number => {
    switch (g.kind) {
      case 'unscheduled':
        return -Infinity;
      case 'overrideDate':
        return g.dueOn;
      case 'overrideForGood':
        return Infinity;
      case 'rule':
        return rank(g.by.verdict);
    }
  };
  return keeps(byHand) < keeps(rules);
}
