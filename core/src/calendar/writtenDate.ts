import { daysInMonth, epochDay, monthNames, parseCivilDate, yearMonthDay, type EpochDay } from './civilDate.js';
import { addPeriod, parsePeriod, subtractPeriod } from './period.js';
import { weekday } from './workdays.js';

const weekdayNames = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'];

/** The one name that a word of three letters or more begins; -1 when none does. */
function begun(word: string, names: readonly string[]): number {
  return word.length < 3 ? -1 : names.findIndex((name) => name.toLowerCase().startsWith(word));
}

/** A year of two digits is the one from 80 years back to 19 ahead. */
function fullYear(text: string, thisYear: number): number {
  if (text.length === 4) return Number(text);
  const near = thisYear - (thisYear % 100) + Number(text);
  return near > thisYear + 19 ? near - 100 : near < thisYear - 80 ? near + 100 : near;
}

function dayOf(year: number, month: number, day: number): EpochDay | null {
  return year < 1 || month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month) ? null : epochDay(year, month, day);
}

/**
 * Reads a date as people write it: `2027-04-01`, `1 apr 27`, `April 1, 2027`, `1.4.2027` and `1/4/2027` (the day first), `1 apr`
 * (of this year), `today`, `tomorrow`, `yesterday`, `+7d`, `-2 weeks`, `in 3 months`, `1 year ago`, `monday` (the next one), and
 * `end of month`, `quarter` or `year`. Null when it is none.
 */
export function readDate(text: string, today: EpochDay): EpochDay | null {
  const words = text.trim().toLowerCase().replace(/,/g, ' ').replace(/\s+/g, ' ');
  const iso = parseCivilDate(words);
  if (iso !== null) return iso;
  const { year, month } = yearMonthDay(today);
  switch (words) {
    case 'today':
      return today;
    case 'tomorrow':
      return today + 1;
    case 'yesterday':
      return today - 1;
  }
  const end = /^end of (?:the |this )?(month|quarter|year)$/.exec(words);
  if (end) {
    const last = end[1] === 'year' ? 12 : end[1] === 'quarter' ? Math.ceil(month / 3) * 3 : month;
    return epochDay(year, last, daysInMonth(year, last));
  }
  const away = /^(in |\+|-|)\s?(\d{1,4}) ?(d|days?|w|weeks?|m|months?|y|years?)( ago)?$/.exec(words);
  if (away && (away[1] !== '' || away[4] !== undefined)) {
    const period = parsePeriod(`P${away[2]!}${away[3]!.charAt(0).toUpperCase()}`)!;
    const back = away[1] === '-' || away[4] !== undefined;
    return (back ? subtractPeriod : addPeriod)(today, period);
  }
  const named = begun(words.replace(/^next /, ''), weekdayNames);
  if (named >= 0) return today + (((named + 1 - weekday(today) + 6) % 7) + 1);
  const numbers = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4}|\d{2})$/.exec(words);
  if (numbers) return dayOf(fullYear(numbers[3]!, year), Number(numbers[2]), Number(numbers[1]));
  const written = /^(?:(\d{1,2})(?:st|nd|rd|th|\.)? ([a-z]+)\.?|([a-z]+)\.? (\d{1,2})(?:st|nd|rd|th)?)(?: (\d{4}|\d{2}))?$/.exec(words);
  if (!written) return null;
  const at = begun((written[2] ?? written[3])!, monthNames);
  if (at < 0) return null;
  return dayOf(written[5] === undefined ? year : fullYear(written[5], year), at + 1, Number(written[1] ?? written[4]));
}
