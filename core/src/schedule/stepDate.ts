import type { EpochDay } from '../calendar/index.js';
import type { Step } from './rule.js';

export interface StepDate {
  readonly index: number;
  readonly step: Step;
  /** First day on which the step may be taken; null when it waits for the one before it. */
  readonly dueOn: EpochDay | null;
  /** The day on which it was taken; null while it was not. */
  readonly doneOn: EpochDay | null;
}
