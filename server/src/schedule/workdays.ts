import { addWorkingDays, civilDate, commonWorkdays, formatCivilDate, type WorkCalendar } from '@key-cellar/core/calendar';
import type { Db } from '../kernel/index.js';
import { jurisdictionsOf, outward } from './evaluation.js';
import { loadRuleBook } from './ruleBook.js';
import * as clockStore from './clockStore.js';

/** The days on which all places work that records belong to; null where nobody said for any of them. */
async function workdaysOf(db: Db, recordIds: readonly string[]): Promise<WorkCalendar | null> {
  const book = await loadRuleBook(db);
  if (Object.keys(book.data.calendars).length === 0) return null;
  const belongings = await clockStore.belongings(db, recordIds);
  const places = new Map((await clockStore.chainPlaces(db, [...new Set(belongings.flatMap((b) => b.places))])).map((p) => [p.id, p]));
  const calendars = belongings.flatMap((b) => book.workdays(jurisdictionsOf(b.jurisdictions, outward(b, places), book)) ?? []);
  return commonWorkdays([...new Set(calendars)]);
}

/**
 * The last day to object to something that is announced today: so many working days later where a jurisdiction of its records
 * has a calendar, so many days later where none has.
 */
export async function lastDayOfNotice(db: Db, recordIds: readonly string[], days: number, today: string): Promise<string> {
  const workdays = await workdaysOf(db, recordIds);
  return formatCivilDate(workdays === null ? civilDate(today) + days : addWorkingDays(civilDate(today), days, workdays));
}
