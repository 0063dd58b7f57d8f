/**
 * Civil dates (no time, no zone) in the proleptic Gregorian calendar, as whole days since 1970-01-01.
 * Source: ISO 8601-1:2019 §4.2.1; the day-number conversion is Howard Hinnant's `days_from_civil`.
 * By hand, since whole numbers are some fifty times as fast as Temporal; the specs hold both to the same dates.
 */
export type EpochDay = number;

export interface YearMonthDay {
  readonly year: number;
  /** 1–12 */
  readonly month: number;
  /** 1–31 */
  readonly day: number;
}

/** Days since 1970-01-01 of a valid year, month (1–12) and day. */
export function epochDay(year: number, month: number, day: number): EpochDay {
  const y = month <= 2 ? year - 1 : year;
  const era = Math.floor(y / 400);
  const yearOfEra = y - era * 400;
  const dayOfYear = (((153 * (month + (month > 2 ? -3 : 9)) + 2) / 5) | 0) + day - 1;
  const dayOfEra = yearOfEra * 365 + ((yearOfEra / 4) | 0) - ((yearOfEra / 100) | 0) + dayOfYear;
  return era * 146097 + dayOfEra - 719468;
}

/** Inverse of {@link epochDay}. */
export function yearMonthDay(date: EpochDay): YearMonthDay {
  const z = date + 719468;
  const era = Math.floor(z / 146097);
  const dayOfEra = z - era * 146097;
  const yearOfEra = ((dayOfEra - ((dayOfEra / 1460) | 0) + ((dayOfEra / 36524) | 0) - ((dayOfEra / 146096) | 0)) / 365) | 0;
  const dayOfYear = dayOfEra - (365 * yearOfEra + ((yearOfEra / 4) | 0) - ((yearOfEra / 100) | 0));
  const shifted = ((5 * dayOfYear + 2) / 153) | 0;
  const month = shifted < 10 ? shifted + 3 : shifted - 9;
  return {
    year: yearOfEra + era * 400 + (month <= 2 ? 1 : 0),
    month,
    day: dayOfYear - (((153 * shifted + 2) / 5) | 0) + 1,
  };
}

export function isLeapYear(year: number): boolean {
  return year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);
}

const monthLengths = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31] as const;

/** Number of days of a month (1–12) in a year. */
export function daysInMonth(year: number, month: number): number {
  return month === 2 && isLeapYear(year) ? 29 : monthLengths[month - 1]!;
}

const isoPattern = /^(\d{4})-(\d{2})-(\d{2})$/;

/** Reads `YYYY-MM-DD`. Returns null for anything that is not a real date of the years 0001–9999. */
export function parseCivilDate(text: string): EpochDay | null {
  const match = isoPattern.exec(text);
  if (!match) return null;
  const year = Number(match[1]);
  const month = Number(match[2]);
  const day = Number(match[3]);
  if (year < 1 || month < 1 || month > 12 || day < 1 || day > daysInMonth(year, month)) return null;
  return epochDay(year, month, day);
}

/** Reads `YYYY-MM-DD`. Throws RangeError where {@link parseCivilDate} returns null. */
export function civilDate(text: string): EpochDay {
  const date = parseCivilDate(text);
  if (date === null) throw new RangeError(`Not a date: ${text}`);
  return date;
}

/** Writes `YYYY-MM-DD` (ISO 8601-1 §5.2.2.1, extended format). */
export function formatCivilDate(date: EpochDay): string {
  const { year, month, day } = yearMonthDay(date);
  return `${String(year).padStart(4, '0')}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`;
}

/** The civil date of an instant (milliseconds since the epoch, UTC) in an IANA time zone. */
export function dateInZone(instant: number, timeZone: string): EpochDay {
  const parts = new Intl.DateTimeFormat('en-CA', {
    timeZone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
  }).formatToParts(instant);
  const part = (type: string): number => Number(parts.find((p) => p.type === type)!.value);
  return epochDay(part('year'), part('month'), part('day'));
}

/** Names of the months, January first. */
export const monthNames = [
  'January',
  'February',
  'March',
  'April',
  'May',
  'June',
  'July',
  'August',
  'September',
  'October',
  'November',
  'December',
] as const;
