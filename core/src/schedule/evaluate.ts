import { addPeriod, addWorkingDays, civilDate, mondayToFriday, period, subtractPeriod, type EpochDay } from '../calendar/index.js';
import type { ClockFacts } from './clockFacts.js';
import { clockStart } from './cutoff.js';
import { actionOf, isDisposing, type RuleVersion, type Step } from './rule.js';
import type { StepDate } from './stepDate.js';
import { completedOn } from './stepHistory.js';
import { stopsOf, withStops, type Stop } from './suspension.js';
import { triggerDate, type TriggerDate } from './triggerDate.js';

/** How far the clock of a rule has come for a record. */
export interface ClockState {
  /** Null while its date is not known, or when it never comes. */
  readonly trigger: TriggerDate | null;
  /** Null while the trigger is, or the end of its named year. */
  readonly clockStart: EpochDay | null;
  /** The day on which somebody started the clock anew, when it counts from there. */
  readonly restartedOn: EpochDay | null;
  /** Days on which it stood, after it had started. */
  readonly stops: readonly Stop[];
  readonly steps: readonly StepDate[];
}

/**
 * What a waiting record waits for: the trigger’s date, the end of the named year that it lies in, that its clock goes on, or a
 * step before the last.
 */
export type WaitsFor = 'trigger' | 'yearEnd' | 'resume' | 'step';

/** What a rule says of a record: for good, waiting, or dated. */
export type Verdict =
  | (ClockState & { readonly kind: 'permanent' })
  | (ClockState & { readonly kind: 'waiting'; readonly waitsFor: WaitsFor })
  | (ClockState & {
      readonly kind: 'dated';
      readonly trigger: TriggerDate;
      readonly clockStart: EpochDay;
      /** Date of the disposing step. */
      readonly dueOn: EpochDay;
      readonly action: 'destroy' | 'transfer';
    });

/** The day a step lies from another, in the days that it counts. */
export function stepDay(base: EpochDay, step: Pick<Step, 'after' | 'workingDays' | 'from'>, facts: Pick<ClockFacts, 'workdays'>): EpochDay {
  const after = period(step.after);
  const before = step.from === 'beforeTrigger';
  if (step.workingDays) return addWorkingDays(base, before ? -after.days : after.days, facts.workdays ?? mondayToFriday);
  return before ? subtractPeriod(base, after) : addPeriod(base, after);
}

function stepDates(rule: RuleVersion, facts: ClockFacts, { trigger, clockStart: start, restartedOn, stops }: Running): StepDate[] {
  const { steps } = rule;
  const history = facts.taken?.[rule.code];
  const done = steps.map((step, index) => completedOn(history, step, index));
  return steps.map((step, index) => {
    const doneOn = done[index]!;
    if (step.from === 'beforeTrigger') {
      const dueOn = stepDay(trigger.on, step, facts);
      // A clock that started anew has left behind what lay before its date.
      return { index, step, dueOn, doneOn: doneOn ?? (restartedOn !== null && dueOn <= restartedOn ? restartedOn : null) };
    }
    const base = step.from === 'previousStep' && index > 0 ? done[index - 1]! : start;
    const dueOn = base === null ? null : withStops(stepDay(base, step, facts), base, stops);
    const stands = base !== null && dueOn === null;
    const released = isDisposing(step.kind) && !stands ? history?.releasedOn : undefined;
    return { index, step, dueOn: released === undefined ? dueOn : Math.min(released, dueOn ?? released), doneOn };
  });
}

/** A clock that has started. */
type Running = Omit<ClockState, 'steps'> & { readonly trigger: TriggerDate; readonly clockStart: EpochDay };

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
  const first = trigger === null ? null : clockStart(trigger.on, rule.cutoff);
  if (trigger === null || first === null) {
    const steps = rule.steps.map((step, index) => ({
      index,
      step,
      dueOn: trigger !== null && step.from === 'beforeTrigger' ? stepDay(trigger.on, step, facts) : null,
      doneOn: completedOn(facts.taken?.[rule.code], step, index),
    }));
    const state = { trigger, clockStart: null, restartedOn: null, stops: [], steps };
    return isPermanent(rule)
      ? { kind: 'permanent', ...state }
      : { kind: 'waiting', waitsFor: trigger === null ? 'trigger' : 'yearEnd', ...state };
  }
  const history = facts.taken?.[rule.code];
  const restartedOn = history?.restartedOn !== undefined && history.restartedOn > first ? history.restartedOn : null;
  const start = restartedOn ?? first;
  const stops = stopsOf(rule.suspension, facts.events).filter((s) => s.until === null || s.until > start);
  const running = { trigger, clockStart: start, restartedOn, stops };
  const state = { ...running, steps: stepDates(rule, facts, running) };
  if (isPermanent(rule)) return { kind: 'permanent', ...state };
  const last = state.steps.find((s) => isDisposing(s.step.kind))!;
  if (last.dueOn !== null) return { kind: 'dated', ...state, dueOn: last.dueOn, action: actionOf(rule)! };
  const before = last.step.from === 'previousStep' && last.index > 0 ? state.steps[last.index - 1]! : null;
  return { kind: 'waiting', waitsFor: before !== null && before.doneOn === null ? 'step' : 'resume', ...state };
}

/** Whether a version applies on a day to a record whose clock would start on another (docs/semantics.md 4.2). */
export function versionApplies(version: RuleVersion, today: EpochDay, start: EpochDay | null): boolean {
  const from = civilDate(version.inForceFrom);
  if (from > today) return false;
  return version.takesOver === 'all' || start === null || start >= from;
}
