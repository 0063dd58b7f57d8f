import { civilDate, daysInMonth, epochDay, yearMonthDay, type EpochDay } from '../calendar/index.js';

/** Rolling of the trigger date to the end of a period. */
export type Cutoff =
  | { readonly kind: 'none' }
  | { readonly kind: 'month' }
  | { readonly kind: 'quarter' }
  | { readonly kind: 'halfYear' }
  | { readonly kind: 'calendarYear' }
  /** Its first day is the month’s last where the month is shorter. */
  | { readonly kind: 'fiscalYear'; readonly firstMonth: number; readonly firstDay: number }
  /**
   * Years whose ends are listed, such as those of 52 or 53 weeks and terms of office. The ends are the repository’s, YYYY-MM-DD
   * in order, and not part of the rule: absent, none is known.
   */
  | { readonly kind: 'namedYear'; readonly name: string; readonly ends?: readonly string[] | undefined };

/** The same rule, or definition of one, with the ends of the named year that it rolls to: these are the repository’s and not its own. */
export function withEnds<T extends { readonly cutoff: Cutoff }>(
  rule: T,
  years: Readonly<Record<string, readonly string[]>>,
): T & { readonly cutoff: Cutoff } {
  const { cutoff } = rule;
  return { ...rule, cutoff: cutoff.kind === 'namedYear' ? { ...cutoff, ends: years[cutoff.name] ?? [] } : cutoff };
}

function fiscalStart(year: number, { firstMonth, firstDay }: Extract<Cutoff, { kind: 'fiscalYear' }>): EpochDay {
  return epochDay(year, firstMonth, Math.min(firstDay, daysInMonth(year, firstMonth)));
}

/**
 * The day the clock starts: the first day after the cutoff period that contains the trigger date,
 * or the trigger date itself without a cutoff. Null where the end of a named year is not listed yet.
 */
export function clockStart(triggerDate: EpochDay, cutoff: Cutoff): EpochDay | null {
  if (cutoff.kind === 'none') return triggerDate;
  const { year, month } = yearMonthDay(triggerDate);
  switch (cutoff.kind) {
    case 'month':
      return month === 12 ? epochDay(year + 1, 1, 1) : epochDay(year, month + 1, 1);
    case 'quarter': {
      const next = month - ((month - 1) % 3) + 3;
      return next > 12 ? epochDay(year + 1, 1, 1) : epochDay(year, next, 1);
    }
    case 'halfYear':
      return month > 6 ? epochDay(year + 1, 1, 1) : epochDay(year, 7, 1);
    case 'calendarYear':
      return epochDay(year + 1, 1, 1);
    case 'fiscalYear': {
      const start = fiscalStart(year, cutoff);
      return triggerDate < start ? start : fiscalStart(year + 1, cutoff);
    }
    case 'namedYear': {
      const end = cutoff.ends?.find((e) => civilDate(e) >= triggerDate);
      return end === undefined ? null : civilDate(end) + 1;
    }
  }
}

/** The vintage of a clock start: the year in which its cutoff period ended, or the year of the trigger itself. */
export function vintageOf(start: EpochDay, cutoff: Cutoff): number {
  return yearMonthDay(cutoff.kind === 'none' ? start : start - 1).year;
}
