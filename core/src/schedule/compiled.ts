import { addPeriod, civilDate, period, type EpochDay } from '../calendar/index.js';
import { clockStart } from './cutoff.js';
import { isPermanent, triggerDate, type ClockFacts } from './evaluate.js';
import { applies, byForce, standing, type RuleCandidate } from './governing.js';
import { actionOf, isDisposing, type RecordDate, type RuleVersion } from './rule.js';

/** A date that is not known, in a row of dates. */
export const unknownDay = -(2 ** 31);

/** Where each date that rules count from stands in a row of dates. */
export interface DateSlots {
  /** Dates of the record itself, from the first slot on. */
  readonly dates: readonly RecordDate[];
  /** Date facts, after them; of several values the first or the last. */
  readonly facts: readonly FactSlot[];
  readonly length: number;
}
export interface FactSlot {
  readonly fact: string;
  readonly occurrence: 'first' | 'last';
}

/** Slots for all dates that any of the rules counts from, and for no others. */
export function dateSlots(versions: Iterable<RuleVersion>): DateSlots {
  const [dates, facts] = [new Set<RecordDate>(), new Map<string, FactSlot>()];
  for (const { trigger } of versions) {
    if (trigger.kind === 'recordDate') dates.add(trigger.date);
    if (trigger.kind === 'fact') {
      const { fact, occurrence = 'last' } = trigger;
      facts.set(`${fact} ${occurrence}`, { fact, occurrence });
    }
  }
  const inOrder = [...facts].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, slot]) => slot);
  return { dates: [...dates].sort(), facts: inOrder, length: dates.size + facts.size };
}

/** What a schedule says of one record; reused from call to call. */
export interface FastVerdict {
  outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  rule: RuleVersion | null;
  /** {@link unknownDay} when there is none. */
  clockStart: EpochDay;
  /** {@link unknownDay} when there is none. */
  dueOn: EpochDay;
}

interface FastVersion {
  readonly rule: RuleVersion;
  readonly applies: boolean;
  readonly permanent: boolean;
  /** First day of clocks it takes over; `unknownDay` = all. */
  readonly clocksFrom: EpochDay;
  readonly slot: number;
  /** The trigger's date where it is the same for all records. */
  readonly fixed: EpochDay;
  /** Null where the last step waits for the one before it. */
  readonly due: ((start: EpochDay) => EpochDay) | null;
  readonly transfers: boolean;
}

const kindsByRank = ['unscheduled', 'dated', 'waiting', 'permanent'] as const;

/**
 * Reduces the candidates of many records that differ only in their dates to one function, for passes over millions.
 * It decides exactly as `governingRule` does of candidates without an override: specs hold the two together.
 * Events and the folder's closing are taken from `shared`; the record's own dates and date facts from a row of epoch days
 * laid out by `slots`.
 */
export function compileGoverning(
  candidates: readonly RuleCandidate[],
  shared: Pick<ClockFacts, 'folderClosed' | 'events'>,
  jurisdictions: readonly string[],
  today: EpochDay,
  slots: DateSlots,
): (dates: Int32Array, into: FastVerdict) => void {
  const everywhere: ClockFacts = { dates: {}, factDates: {}, ...shared };

  function fast(rule: RuleVersion): FastVersion {
    const { trigger } = rule;
    const slot =
      trigger.kind === 'recordDate'
        ? slots.dates.indexOf(trigger.date)
        : trigger.kind === 'fact'
          ? slots.dates.length + slots.facts.findIndex((f) => f.fact === trigger.fact && f.occurrence === (trigger.occurrence ?? 'last'))
          : -1;
    if (trigger.kind === 'recordDate' ? slot < 0 : trigger.kind === 'fact' && slot < slots.dates.length)
      throw new RangeError(`No slot for a date of ${rule.code}`);
    const disposing = rule.steps.findIndex((s) => isDisposing(s.kind));
    const step = rule.steps[disposing];
    const after = step && (step.from === 'clockStart' || disposing === 0) ? period(step.after) : null;
    return {
      rule,
      applies: applies(rule, jurisdictions),
      permanent: isPermanent(rule),
      clocksFrom: rule.takesOver === 'all' ? unknownDay : civilDate(rule.inForceFrom),
      slot,
      fixed: slot >= 0 ? unknownDay : (triggerDate(trigger, everywhere)?.on ?? unknownDay),
      due: after ? (start) => addPeriod(start, after) : null,
      transfers: actionOf(rule) === 'transfer',
    };
  }

  const levels = new Map<number, FastVersion[][]>();
  const looked = new Set<string>();
  for (const candidate of [...candidates].sort((a, b) => standing(a) - standing(b))) {
    const [code] = candidate.versions.map((v) => v.code);
    // One that is set twice is one candidate, where it is nearest.
    if (code === undefined || looked.has(code)) continue;
    looked.add(code);
    const inForce = byForce(candidate.versions)
      .filter((v) => civilDate(v.inForceFrom) <= today)
      .map(fast);
    // Versions behind one that takes over everything are never asked.
    const last = inForce.findIndex((v) => v.clocksFrom === unknownDay);
    const asked = last < 0 ? inForce : inForce.slice(0, last + 1);
    if (!asked.some((v) => v.applies)) continue;
    const level = standing(candidate);
    levels.set(level, [...(levels.get(level) ?? []), asked]);
  }
  const ordered = [...levels.values()];

  return (dates, into) => {
    for (const rules of ordered) {
      let best: FastVersion | null = null;
      let bestKind = 0;
      let bestDue = unknownDay;
      let bestStart = unknownDay;
      for (const versions of rules) {
        for (const v of versions) {
          const on = v.slot >= 0 ? dates[v.slot]! : v.fixed;
          const start = on === unknownDay ? unknownDay : clockStart(on, v.rule.cutoff);
          if (v.clocksFrom !== unknownDay && start !== unknownDay && start < v.clocksFrom) continue;
          if (v.applies) {
            const kind = v.permanent ? 3 : start === unknownDay || v.due === null ? 2 : 1;
            const due = kind === 1 ? v.due!(start) : unknownDay;
            if (best === null || longer(kind, due, v, bestKind, bestDue, best)) {
              best = v;
              bestKind = kind;
              bestDue = due;
              bestStart = start;
            }
          }
          break;
        }
      }
      if (best) {
        into.outcome = kindsByRank[bestKind]!;
        into.rule = best.rule;
        into.clockStart = bestStart;
        into.dueOn = bestDue;
        return;
      }
    }
    into.outcome = 'unscheduled';
    into.rule = null;
    into.clockStart = unknownDay;
    into.dueOn = unknownDay;
  };
}

/** As `keepsLonger`: the later date, then a transfer before destruction, then the code in order. */
function longer(kind: number, due: EpochDay, a: FastVersion, otherKind: number, otherDue: EpochDay, b: FastVersion): boolean {
  if (kind !== otherKind) return kind > otherKind;
  if (kind === 1 && due !== otherDue) return due > otherDue;
  if (kind === 1 && a.transfers !== b.transfers) return a.transfers;
  return a.rule.code < b.rule.code;
}
