import { addPeriod, civilDate, period, type EpochDay } from '../calendar/index.js';
import type { ClockFacts } from './clockFacts.js';
import { clockStart } from './cutoff.js';
import { isPermanent, stepDay } from './evaluate.js';
import { applies, byForce, standing, type RuleCandidate } from './governing.js';
import { actionOf, caps, isDisposing, partsOf, type RecordDate, type RuleVersion, type SimpleTrigger } from './rule.js';
import { stopsOf, withStops } from './suspension.js';
import { triggerDate } from './triggerDate.js';

/** A date that is not known, in a row of dates. */
export const unknownDay = -(2 ** 31);

/** Where each date that rules count from stands in a row of dates. */
export interface DateSlots {
  /** Dates of the record itself, from the first slot on. */
  readonly dates: readonly RecordDate[];
  /** Facts by which others point at it, after them: the day on which nothing live did any more. */
  readonly references: readonly string[];
  /** Date facts, last; of several values the first or the last. */
  readonly facts: readonly FactSlot[];
  readonly length: number;
}
export interface FactSlot {
  readonly fact: string;
  readonly occurrence: 'first' | 'last';
}

/** Slots for all dates that any of the rules counts from, and for no others. */
export function dateSlots(versions: Iterable<RuleVersion>): DateSlots {
  const [dates, references, facts] = [new Set<RecordDate>(), new Set<string>(), new Map<string, FactSlot>()];
  for (const version of versions) {
    for (const { trigger } of partsOf(version.trigger)) {
      if (trigger.kind === 'recordDate') dates.add(trigger.date);
      if (trigger.kind === 'unreferenced') references.add(trigger.fact);
      if (trigger.kind === 'fact') {
        const { fact, occurrence = 'last' } = trigger;
        facts.set(`${fact} ${occurrence}`, { fact, occurrence });
      }
    }
  }
  const inOrder = [...facts].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, slot]) => slot);
  return {
    dates: [...dates].sort(),
    references: [...references].sort(),
    facts: inOrder,
    length: dates.size + references.size + facts.size,
  };
}

/** The slot of a trigger’s date; -1 where it is the same for all records. Throws RangeError where it has none. */
function slotOf(trigger: SimpleTrigger, slots: DateSlots, code: string): number {
  const at = (index: number, before: number): number => {
    if (index < 0) throw new RangeError(`No slot for a date of ${code}`);
    return before + index;
  };
  switch (trigger.kind) {
    case 'recordDate':
      return at(slots.dates.indexOf(trigger.date), 0);
    case 'unreferenced':
      return at(slots.references.indexOf(trigger.fact), slots.dates.length);
    case 'fact':
      return at(
        slots.facts.findIndex((f) => f.fact === trigger.fact && f.occurrence === (trigger.occurrence ?? 'last')),
        slots.dates.length + slots.references.length,
      );
    default:
      return -1;
  }
}

/** What a schedule says of one record; reused from call to call. */
export interface FastVerdict {
  outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  rule: RuleVersion | null;
  /** The trigger’s own date; {@link unknownDay} when there is none. */
  triggerOn: EpochDay;
  /** {@link unknownDay} when there is none. */
  clockStart: EpochDay;
  /** {@link unknownDay} when there is none. */
  dueOn: EpochDay;
  /** The rule that caps what this one must keep longer. */
  conflict: RuleVersion | null;
}

/** One part of a trigger: where its date stands, or what it is, and what is added to it. */
interface FastPart {
  readonly slot: number;
  readonly fixed: EpochDay;
  /** Null: nothing. */
  readonly add: ((date: EpochDay) => EpochDay) | null;
}

interface FastVersion {
  readonly rule: RuleVersion;
  readonly applies: boolean;
  readonly permanent: boolean;
  /** First day of clocks it takes over; `unknownDay` = all. */
  readonly clocksFrom: EpochDay;
  readonly earliest: boolean;
  readonly parts: readonly FastPart[];
  readonly caps: boolean;
  readonly customary: boolean;
  /** Null where the last step waits for the one before it; gives {@link unknownDay} while the clock stands. */
  readonly due: ((start: EpochDay) => EpochDay) | null;
  readonly transfers: boolean;
}

const kindsByRank = ['unscheduled', 'dated', 'waiting', 'permanent'] as const;

/** The date of a trigger in a row of dates, as `triggerDate`. */
function dateOf({ parts, earliest }: FastVersion, dates: Int32Array): EpochDay {
  let counts = unknownDay;
  for (const { slot, fixed, add } of parts) {
    const on = slot >= 0 ? dates[slot]! : fixed;
    if (on === unknownDay) {
      if (earliest) continue;
      return unknownDay;
    }
    const added = add === null ? on : add(on);
    if (counts === unknownDay || (earliest ? added < counts : added > counts)) counts = added;
  }
  return counts;
}

/** The best so far of one level, or of its caps. */
interface Best {
  of: FastVersion | null;
  kind: number;
  due: EpochDay;
  on: EpochDay;
  start: EpochDay;
}

/**
 * Reduces the candidates of many records that differ only in their dates to one function, for passes over millions.
 * It decides exactly as `governingRule` does of candidates without an override: specs hold the two together.
 * Events and the folder's closing are taken from `shared`; the record's own dates and date facts from a row of epoch days
 * laid out by `slots`.
 */
export function compileGoverning(
  candidates: readonly RuleCandidate[],
  shared: Pick<ClockFacts, 'folderClosed' | 'events' | 'workdays'>,
  jurisdictions: readonly string[],
  today: EpochDay,
  slots: DateSlots,
): (dates: Int32Array, into: FastVerdict) => void {
  const everywhere: ClockFacts = { dates: {}, factDates: {}, ...shared };

  function fast(rule: RuleVersion): FastVersion {
    const disposing = rule.steps.findIndex((s) => isDisposing(s.kind));
    const step = rule.steps[disposing];
    const stops = stopsOf(rule.suspension, shared.events);
    const after = period(step?.after ?? 'P0D');
    const plain = step?.workingDays ? (start: EpochDay) => stepDay(start, step, shared) : (start: EpochDay) => addPeriod(start, after);
    return {
      rule,
      applies: applies(rule, jurisdictions),
      permanent: isPermanent(rule),
      clocksFrom: rule.takesOver === 'all' ? unknownDay : civilDate(rule.inForceFrom),
      earliest: rule.trigger.kind === 'earliest',
      parts: partsOf(rule.trigger).map(({ trigger, after: more }) => {
        const slot = slotOf(trigger, slots, rule.code);
        const added = period(more);
        return {
          slot,
          fixed: slot >= 0 ? unknownDay : (triggerDate(trigger, everywhere)?.on ?? unknownDay),
          add: more === 'P0D' ? null : (date: EpochDay) => addPeriod(date, added),
        };
      }),
      caps: caps(rule),
      customary: rule.basis === 'customary',
      due:
        step && (step.from === 'clockStart' || disposing === 0)
          ? stops.length === 0
            ? plain
            : (start) => withStops(plain(start), start, stops) ?? unknownDay
          : null,
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
  const capped = ordered.some((level) => level.some((versions) => versions.some((v) => v.caps)));
  const nothing = (): Best => ({ of: null, kind: 0, due: unknownDay, on: unknownDay, start: unknownDay });
  // The same objects for all records: a million of them would keep the collector busy.
  const [keeps, cap] = [nothing(), nothing()];
  /** Levels, for each kind of rule, that were looked at before: the nearest with any counts. */
  let [keepsAt, capAt] = [-1, -1];

  function weigh(v: FastVersion, on: EpochDay, start: EpochDay, at: number): void {
    const best = v.caps ? cap : keeps;
    const level = v.caps ? capAt : keepsAt;
    if (level !== -1 && level !== at) return;
    const due = v.permanent || start === unknownDay || v.due === null ? unknownDay : v.due(start);
    const kind = v.permanent ? 3 : due === unknownDay ? 2 : 1;
    if (best.of !== null) {
      const longerThan = longer(kind, due, v, best.kind, best.due, best.of);
      if (v.caps ? longerThan : !longerThan) return;
    }
    if (v.caps) capAt = at;
    else keepsAt = at;
    best.of = v;
    best.kind = kind;
    best.due = due;
    best.on = on;
    best.start = start;
  }

  function clear(): void {
    keeps.of = null;
    cap.of = null;
    keepsAt = -1;
    capAt = -1;
  }

  return (dates, into) => {
    clear();
    for (let at = 0; at < ordered.length; at++) {
      for (const versions of ordered[at]!) {
        for (const v of versions) {
          const on = dateOf(v, dates);
          const start = on === unknownDay ? unknownDay : (clockStart(on, v.rule.cutoff) ?? unknownDay);
          if (v.clocksFrom !== unknownDay && start !== unknownDay && start < v.clocksFrom) continue;
          if (v.applies) weigh(v, on, start, at);
          break;
        }
      }
      if (keeps.of !== null && !capped) break;
    }
    const { of: limit } = cap;
    const beyond = limit !== null && keeps.of !== null && cap.kind === 1 && (keeps.kind > 1 || keeps.due > cap.due);
    const counts = keeps.of === null || (beyond && keeps.of.customary) ? cap : keeps;
    if (counts.of === null) {
      into.outcome = 'unscheduled';
      into.rule = null;
      into.triggerOn = unknownDay;
      into.clockStart = unknownDay;
      into.dueOn = unknownDay;
      into.conflict = null;
      return;
    }
    into.outcome = kindsByRank[counts.kind]!;
    into.rule = counts.of.rule;
    into.triggerOn = counts.on;
    into.clockStart = counts.start;
    into.dueOn = counts.due;
    into.conflict = beyond && counts === keeps ? limit!.rule : null;
  };
}

/** As `keepsLonger`: the later date, then a transfer before destruction, then the code in order. */
function longer(kind: number, due: EpochDay, a: FastVersion, otherKind: number, otherDue: EpochDay, b: FastVersion): boolean {
  if (kind !== otherKind) return kind > otherKind;
  if (kind === 1 && due !== otherDue) return due > otherDue;
  if (kind === 1 && a.transfers !== b.transfers) return a.transfers;
  return a.rule.code < b.rule.code;
}
