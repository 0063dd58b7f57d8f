import type { EpochDay } from './civilDate.js';

/** Which days are worked: the days of the week that are not, and single days besides. */
export interface WorkCalendar {
  /** ISO 8601-1 §4.2.2 weekdays, 1 = Monday … 7 = Sunday; never all seven. */
  readonly weekend: readonly number[];
  readonly holidays: readonly EpochDay[];
}

/** Monday to Friday, without holidays. */
export const mondayToFriday: WorkCalendar = { weekend: [6, 7], holidays: [] };

/** 1 = Monday … 7 = Sunday (ISO 8601-1 §4.2.2); 1970-01-01 was a Thursday. */
export function weekday(date: EpochDay): number {
  return ((((date + 3) % 7) + 7) % 7) + 1;
}

/** A calendar by which only days count that all of some calendars work on; null of none. */
export function commonWorkdays(calendars: readonly WorkCalendar[]): WorkCalendar | null {
  if (calendars.length <= 1) return calendars[0] ?? null;
  return {
    weekend: [...new Set(calendars.flatMap((c) => c.weekend))].sort(),
    holidays: [...new Set(calendars.flatMap((c) => c.holidays))].sort((a, b) => a - b),
  };
}

/** Holidays to look up, by their calendar: dates are counted against one again and again. */
const lookups = new WeakMap<WorkCalendar, ReadonlySet<EpochDay>>();

function holidaysOf(calendar: WorkCalendar): ReadonlySet<EpochDay> {
  let known = lookups.get(calendar);
  if (!known) lookups.set(calendar, (known = new Set(calendar.holidays)));
  return known;
}

/**
 * The day a number of working days after another, or before it where the number is negative. The day itself is not counted
 * (2026-12-24, a Thursday, + 1 with holidays on 25 and 28 December = 2026-12-29). Zero gives the day itself, worked or not.
 * Throws RangeError for a calendar that works on no day.
 */
export function addWorkingDays(date: EpochDay, days: number, calendar: WorkCalendar): EpochDay {
  const { weekend } = calendar;
  if (weekend.length >= 7) throw new RangeError('No day of the week is worked.');
  const off = holidaysOf(calendar);
  const step = days < 0 ? -1 : 1;
  let at = date;
  for (let left = Math.abs(days); left > 0;) {
    at += step;
    if (!off.has(at) && !weekend.includes(weekday(at))) left -= 1;
  }
  return at;
}
