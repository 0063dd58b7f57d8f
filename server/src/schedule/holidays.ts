import { formatCivilDate, yearMonthDay, type EpochDay } from '@key-cellar/core/calendar';
import ICAL from 'ical.js';
import { message, type Message } from '@key-cellar/words';
import { Problem, task } from '../kernel/index.js';
import type { StoredCalendar } from './ruleStore.js';

type Holiday = StoredCalendar['holidays'][number];

/** A calendar (RFC 5545) to the days of its all-day events, repeats within some years written out. */
export const readingHolidays = task<{ readonly ics: string; readonly today: EpochDay }, Holiday[]>('holidays', { patienceMs: 10_000 });

/** Repeats are written out from so many years back to so many ahead: the dates of rules lie in between. */
const [yearsBack, yearsAhead] = [40, 40];
const mostDays = 3000;
const longestEvent = 60;

const wrongCalendar = (sentence: Message): Problem => new Problem(422, 'not-a-calendar', sentence);
const dayText = (time: ICAL.Time): string =>
  `${String(time.year).padStart(4, '0')}-${String(time.month).padStart(2, '0')}-${String(time.day).padStart(2, '0')}`;

/** Reads holidays from iCalendar text. Runs in a thread that can be ended; throws a problem that says what is wrong with the file. */
export function holidaysIn({ ics, today }: { readonly ics: string; readonly today: EpochDay }): Holiday[] {
  let calendar: ICAL.Component;
  try {
    calendar = new ICAL.Component(ICAL.parse(ics) as unknown as [string, unknown[], unknown[]]);
  } catch {
    throw wrongCalendar(message('schedule.noCalendar'));
  }
  if (calendar.name !== 'vcalendar') throw wrongCalendar(message('schedule.noCalendar'));
  const { year } = yearMonthDay(today);
  const [from, until] = [`${year - yearsBack}-01-01`, `${year + yearsAhead}-12-31`];
  const days = new Map<string, Holiday>();
  for (const part of calendar.getAllSubcomponents('vevent')) {
    const event = new ICAL.Event(part);
    const start = event.startDate as ICAL.Time | null;
    // A meeting at an hour is no holiday, and what was called off is none any more.
    if (!start?.isDate || part.getFirstPropertyValue('status') === 'CANCELLED') continue;
    const name = (event.summary || 'holiday').trim().slice(0, 120);
    const length = Math.max(1, Math.min(longestEvent, Math.round(event.duration.toSeconds() / 86_400)));
    const add = (first: ICAL.Time): void => {
      for (let i = 0; i < length; i++) {
        const day = first.clone();
        day.adjust(i, 0, 0, 0);
        const on = dayText(day);
        if (on < from || on > until) continue;
        days.set(on, { on, name });
        if (days.size > mostDays) throw wrongCalendar(message('schedule.calendarTooLong', { most: mostDays }));
      }
    };
    if (!event.isRecurring()) {
      add(start);
      continue;
    }
    const repeats = event.iterator();
    for (let next = repeats.next() as ICAL.Time | null; next && dayText(next) <= until; next = repeats.next() as ICAL.Time | null)
      add(next);
  }
  if (days.size === 0) throw wrongCalendar(message('schedule.calendarNamesNone'));
  return [...days.values()].sort((a, b) => (a.on < b.on ? -1 : 1));
}

/** Holidays as iCalendar (RFC 5545), one all-day event each. */
export function holidaysAsCalendar(jurisdiction: string, { holidays }: StoredCalendar, today: EpochDay): string {
  const calendar = new ICAL.Component('vcalendar');
  calendar.addPropertyWithValue('version', '2.0');
  calendar.addPropertyWithValue('prodid', '-//Key Cellar//Holidays//EN');
  const stamp = ICAL.Time.fromString(`${formatCivilDate(today)}T00:00:00Z`, undefined as never);
  for (const { on, name } of holidays) {
    const event = new ICAL.Component('vevent');
    event.addPropertyWithValue('uid', `${on}-${Buffer.from(jurisdiction).toString('hex')}@holidays`);
    event.addPropertyWithValue('dtstamp', stamp);
    event.addPropertyWithValue('dtstart', ICAL.Time.fromDateString(on));
    event.addPropertyWithValue('summary', name);
    calendar.addSubcomponent(event);
  }
  return `${calendar.toString()}\r\n`;
}
