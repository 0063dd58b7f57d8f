import { daysInMonth, epochDay, monthNames, parseCivilDate, yearMonthDay, type EpochDay } from './civilDate.js';
import { addPeriod, parsePeriod, subtractPeriod } from './period.js';
import { weekday } from './workdays.js';

/** Names of the languages that dates are read in: English first, where a beginning fits both. */
const weekdayNames = [
  ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'],
  ['montag', 'dienstag', 'mittwoch', 'donnerstag', 'freitag', 'samstag', 'sonntag'],
];
const months = [
  monthNames.map((name) => name.toLowerCase()),
  ['januar', 'februar', 'märz', 'april', 'mai', 'juni', 'juli', 'august', 'september', 'oktober', 'november', 'dezember'],
];
const spans: Readonly<Record<string, 'month' | 'quarter' | 'year'>> = {
  month: 'month',
  quarter: 'quarter',
  year: 'year',
  monats: 'month',
  quartals: 'quarter',
  jahres: 'year',
};
const units: Readonly<Record<string, string>> = { d: 'D', t: 'D', w: 'W', m: 'M', y: 'Y', j: 'Y' };

/** The one name that a word of three letters or more begins, by its place in its language; -1 when none does. */
function begun(word: string, languages: readonly (readonly string[])[]): number {
  if (word.length < 3) return -1;
  return languages.map((names) => names.findIndex((name) => name.startsWith(word))).find((at) => at >= 0) ?? -1;
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
 * `end of month`, `quarter` or `year`; and the same in German: `1. Apr. 2027`, `heute`, `in 3 Monaten`, `vor 1 Jahr`, `Montag`,
 * `Ende des Jahres`. Null when it is none.
 */
export function readDate(text: string, today: EpochDay): EpochDay | null {
  const words = text.trim().toLowerCase().replace(/,/g, ' ').replace(/\s+/g, ' ');
  const iso = parseCivilDate(words);
  if (iso !== null) return iso;
  const { year, month } = yearMonthDay(today);
  switch (words) {
    case 'today':
    case 'heute':
      return today;
    case 'tomorrow':
    case 'morgen':
      return today + 1;
    case 'yesterday':
    case 'gestern':
      return today - 1;
  }
  const end = /^(?:end of (?:the |this )?(month|quarter|year)|(?:ende des )(monats|quartals|jahres))$/.exec(words);
  if (end) {
    const span = spans[(end[1] ?? end[2])!];
    const last = span === 'year' ? 12 : span === 'quarter' ? Math.ceil(month / 3) * 3 : month;
    return epochDay(year, last, daysInMonth(year, last));
  }
  const away =
    /^(in |vor |\+|-|)\s?(\d{1,4}) ?(d|days?|t|tag(?:en?)?|w|weeks?|wochen?|m|months?|monat(?:en?)?|y|years?|j|jahr(?:en?)?)( ago)?$/.exec(
      words,
    );
  if (away && (away[1] !== '' || away[4] !== undefined)) {
    const period = parsePeriod(`P${away[2]!}${units[away[3]!.charAt(0)]!}`)!;
    const back = away[1] === '-' || away[1] === 'vor ' || away[4] !== undefined;
    return (back ? subtractPeriod : addPeriod)(today, period);
  }
  const named = begun(words.replace(/^(?:next|nächste[rn]?) /, ''), weekdayNames);
  if (named >= 0) return today + (((named + 1 - weekday(today) + 6) % 7) + 1);
  const numbers = /^(\d{1,2})[./-](\d{1,2})[./-](\d{4}|\d{2})$/.exec(words);
  if (numbers) return dayOf(fullYear(numbers[3]!, year), Number(numbers[2]), Number(numbers[1]));
  const written = /^(?:(\d{1,2})(?:st|nd|rd|th|\.)? ([a-zä]+)\.?|([a-zä]+)\.? (\d{1,2})(?:st|nd|rd|th)?)(?: (\d{4}|\d{2}))?$/.exec(words);
  if (!written) return null;
  const at = begun((written[2] ?? written[3])!, months);
  if (at < 0) return null;
  return dayOf(written[5] === undefined ? year : fullYear(written[5], year), at + 1, Number(written[1] ?? written[4]));
}
