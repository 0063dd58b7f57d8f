import { addPeriod, civilDate, period, type EpochDay } from '../calendar/index.js';
import { clockStart } from './cutoff.js';
import { actionOf, isDisposing, type RecordDate, type RuleVersion, type Step, type Trigger } from './rule.js';
import type { StepDate } from './stepDate.js';
import { completedOn, type StepHistory } from './stepHistory.js';

/** Something that happened outside, with the subject it was found on. */
export interface EventOccurrence {
  readonly type: string;
  readonly on: EpochDay;
  /** 0 = the record itself, then its folders outward, then parties and business objects. */
  readonly distance: number;
  /** Words for the subject, such as "folder 2019". */
  readonly subject: string;
}

/** All that the clock of one record depends on. Dates are epoch days; absent means not known yet. */
export interface ClockFacts {
  readonly dates: Readonly<Partial<Record<RecordDate, EpochDay>>>;
  /** All values of each date fact, at least one. */
  readonly factDates: Readonly<Record<string, readonly EpochDay[]>>;
  readonly folderClosed?: { readonly on: EpochDay; readonly subject: string } | undefined;
  readonly events: readonly EventOccurrence[];
  /** What steps have come to already, by the code of their rule. */
  readonly taken?: Readonly<Record<string, StepHistory>> | undefined;
}

export interface TriggerDate {
  readonly on: EpochDay;
  /** Where the date came from, for the explanation. */
  readonly subject: string;
}

/** The date of a trigger, or null while it is not known. Events: nearest subject first, then first or last. */
export function triggerDate(trigger: Trigger, facts: ClockFacts): TriggerDate | null {
  switch (trigger.kind) {
    case 'never':
      return null;
    case 'recordDate': {
      const on = facts.dates[trigger.date];
      return on === undefined ? null : { on, subject: 'the record' };
    }
    case 'fact': {
      const all = facts.factDates[trigger.fact];
      if (!all) return null;
      return { on: trigger.occurrence === 'first' ? Math.min(...all) : Math.max(...all), subject: 'the record' };
    }
    case 'folderClosed':
      return facts.folderClosed ?? null;
    case 'event': {
      let best: EventOccurrence | null = null;
      for (const event of facts.events) {
        if (event.type !== trigger.eventType) continue;
        const better =
          best === null ||
          event.distance < best.distance ||
          (event.distance === best.distance && (trigger.occurrence === 'first' ? event.on < best.on : event.on > best.on));
        if (better) best = event;
      }
      return best;
    }
  }
}

/** How far the clock of a rule has come for a record. */
export interface ClockState {
  /** Null while its date is not known, or when it never comes. */
  readonly trigger: TriggerDate | null;
  readonly clockStart: EpochDay | null;
  /** The day on which somebody started the clock anew, when it counts from there. */
  readonly restartedOn: EpochDay | null;
  readonly steps: readonly StepDate[];
}

/** What a rule says of a record: for good, waiting for a date or for a step before the last, or dated. */
export type Verdict =
  | (ClockState & { readonly kind: 'permanent' })
  | (ClockState & { readonly kind: 'waiting'; readonly waitsFor: 'trigger' | 'step' })
  | (ClockState & {
      readonly kind: 'dated';
      readonly trigger: TriggerDate;
      readonly clockStart: EpochDay;
      /** Date of the disposing step. */
      readonly dueOn: EpochDay;
      readonly action: 'destroy' | 'transfer';
    });

function stepDates(steps: readonly Step[], start: EpochDay, history: StepHistory | undefined): StepDate[] {
  const done = steps.map((step, index) => completedOn(history, step, index));
  return steps.map((step, index) => {
    const base = step.from === 'previousStep' && index > 0 ? done[index - 1]! : start;
    const dueOn = base === null ? null : addPeriod(base, period(step.after));
    const released = isDisposing(step.kind) ? history?.releasedOn : undefined;
    return { index, step, dueOn: released === undefined ? dueOn : Math.min(released, dueOn ?? released), doneOn: done[index]! };
  });
}

/** Whether a rule keeps for good: its trigger never comes, one of its steps says so, or none of them lets go. */
export function isPermanent(rule: Pick<RuleVersion, 'trigger' | 'steps'>): boolean {
  return rule.trigger.kind === 'never' || rule.steps.some((step) => step.kind === 'keepPermanently') || actionOf(rule) === null;
}

/**
 * Evaluates one rule version for one record (docs/semantics.md 2). A clock that somebody started anew counts from that very day,
 * unless its trigger has since given a later one. Throws RangeError on a malformed period.
 */
export function evaluateRule(rule: RuleVersion, facts: ClockFacts): Verdict {
  const trigger = triggerDate(rule.trigger, facts);
  if (trigger === null) {
    const steps = rule.steps.map((step, index) => ({ index, step, dueOn: null, doneOn: null }));
    const state = { trigger, clockStart: null, restartedOn: null, steps };
    return isPermanent(rule) ? { kind: 'permanent', ...state } : { kind: 'waiting', waitsFor: 'trigger', ...state };
  }
  const history = facts.taken?.[rule.code];
  const first = clockStart(trigger.on, rule.cutoff);
  const restartedOn = history?.restartedOn !== undefined && history.restartedOn > first ? history.restartedOn : null;
  const start = restartedOn ?? first;
  const state = { trigger, clockStart: start, restartedOn, steps: stepDates(rule.steps, start, history) };
  if (isPermanent(rule)) return { kind: 'permanent', ...state };
  const dueOn = state.steps.find((s) => isDisposing(s.step.kind))!.dueOn;
  return dueOn === null ? { kind: 'waiting', waitsFor: 'step', ...state } : { kind: 'dated', ...state, dueOn, action: actionOf(rule)! };
}

/** Whether a version applies on a day to a record whose clock would start on another (docs/semantics.md 4.2). */
export function versionApplies(version: RuleVersion, today: EpochDay, start: EpochDay | null): boolean {
  const from = civilDate(version.inForceFrom);
  if (from > today) return false;
  return version.takesOver === 'all' || start === null || start >= from;
}
