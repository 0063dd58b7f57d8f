import type { EpochDay } from '../calendar/index.js';
import { isDisposing, type Step, type StepKind } from './rule.js';
import type { StepDate } from './stepDate.js';

/**
 * What came of a step: carried out, or answered. To a question its owner says *keep* or *not needed*; of a review a keeper
 * says *go on* (the clock runs on), *keep* or *not needed*; *unanswered* closes a question whose next step came first.
 */
export const stepOutcomes = ['done', 'keep', 'notNeeded', 'goOn', 'unanswered'] as const;
export type StepOutcome = (typeof stepOutcomes)[number];

/** One thing that was done about one step of a rule, for one record. */
export interface StepAct {
  /** Code of the rule: its next versions take the acts over where the step is still of the same kind. */
  readonly rule: string;
  readonly index: number;
  readonly kind: StepKind;
  readonly outcome: StepOutcome;
  readonly on: EpochDay;
}

/** What the steps of one rule have come to, for one record. */
export interface StepHistory {
  readonly completed: readonly Pick<StepAct, 'index' | 'kind' | 'on'>[];
  /** The clock started anew on this day: somebody said that it is still needed. */
  readonly restartedOn?: EpochDay | undefined;
  /** Somebody said on this day that it is not needed any more: the last step may be taken from then on. */
  readonly releasedOn?: EpochDay | undefined;
}

const nothing: StepHistory = { completed: [] };

/** Folds acts in their order into a history for each rule. *Keep* starts the clock anew, and all before it counts no more. */
export function stepHistories(acts: readonly StepAct[]): Readonly<Record<string, StepHistory>> {
  const histories: Record<string, StepHistory> = {};
  for (const { rule, index, kind, outcome, on } of acts) {
    const before = histories[rule] ?? nothing;
    const completed = [...before.completed, { index, kind, on }];
    switch (outcome) {
      case 'keep':
        histories[rule] = { completed: [], restartedOn: on };
        break;
      case 'notNeeded':
        histories[rule] = { ...before, completed, releasedOn: on };
        break;
      default:
        histories[rule] = { ...before, completed };
    }
  }
  return histories;
}

/** The day on which a step of a rule was completed, null while it was not. */
export function completedOn(history: StepHistory | undefined, step: Step, index: number): EpochDay | null {
  return history?.completed.findLast((c) => c.index === index && c.kind === step.kind)?.on ?? null;
}

/** Steps that are taken one by one before the last: everything but what ends a record's stay or keeps it for good. */
function isTaken(kind: StepKind): boolean {
  return !isDisposing(kind) && kind !== 'keepPermanently';
}

/**
 * The step that is to be taken next: of those not taken yet and dated, the earliest; of those of one day the first in the
 * rule. Null when none is left, or when the next one waits for a date.
 */
export function nextStep(steps: readonly StepDate[]): (StepDate & { readonly dueOn: EpochDay }) | null {
  let next: (StepDate & { readonly dueOn: EpochDay }) | null = null;
  for (const { dueOn, ...step } of steps) {
    if (!isTaken(step.step.kind) || step.doneOn !== null || dueOn === null) continue;
    if (next === null || dueOn < next.dueOn) next = { ...step, dueOn };
  }
  return next;
}

/** The first day on which a step after this one is due: from then on its question is not asked any more. */
export function overtakenOn(steps: readonly StepDate[], index: number): EpochDay | null {
  const later = steps.flatMap((s) => (s.index > index && s.doneOn === null && s.dueOn !== null ? [s.dueOn] : []));
  return later.length === 0 ? null : Math.min(...later);
}
