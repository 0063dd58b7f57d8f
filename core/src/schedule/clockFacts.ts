import { type Value } from '@key-cellar/words';
import type { EpochDay, WorkCalendar } from '../calendar/index.js';
import type { RecordDate } from './rule.js';
import type { StepHistory } from './stepHistory.js';

/** Something that happened outside, with the subject it was found on. */
export interface EventOccurrence {
  readonly type: string;
  readonly on: EpochDay;
  /** 0 = the record itself, then its folders outward, then parties and business objects. */
  readonly distance: number;
  /** Words for the subject, such as "folder 2019". */
  readonly subject: Value;
}

/** All that the clock of one record depends on. Dates are epoch days; absent means not known yet. */
export interface ClockFacts {
  readonly dates: Readonly<Partial<Record<RecordDate, EpochDay>>>;
  /** All values of each date fact, at least one. */
  readonly factDates: Readonly<Record<string, readonly EpochDay[]>>;
  readonly folderClosed?: { readonly on: EpochDay; readonly subject: Value } | undefined;
  readonly events: readonly EventOccurrence[];
  /**
   * By the fact that pointed at it: the day on which the last live record that did was gone, null while there is one. Absent:
   * none ever did.
   */
  readonly unreferenced?: Readonly<Record<string, EpochDay | null>> | undefined;
  /** The days that are worked where it belongs; absent: Monday to Friday. */
  readonly workdays?: WorkCalendar | undefined;
  /** What steps have come to already, by the code of their rule. */
  readonly taken?: Readonly<Record<string, StepHistory>> | undefined;
}

/** Types of events are compared without case. */
export function sameEvent(a: string, b: string): boolean {
  return a === b || a.toLowerCase() === b.toLowerCase();
}
