import { daysInMonth, epochDay, yearMonthDay, type EpochDay } from './civilDate.js';

/** A calendar period. All parts are whole and not negative. */
export interface Period {
  readonly years: number;
  readonly months: number;
  readonly weeks: number;
  readonly days: number;
}

const pattern = /^P(?:(\d{1,4})Y)?(?:(\d{1,5})M)?(?:(\d{1,5})W)?(?:(\d{1,6})D)?$/;

/** Reads an ISO 8601-1 §5.5.2.2 duration of date parts only (`P7Y`, `P18M`, `P90D`); null when it is none. */
export function parsePeriod(text: string): Period | null {
  const match = pattern.exec(text);
  if (!match || text === 'P') return null;
  const [years, months, weeks, days] = match.slice(1, 5).map((part) => Number(part ?? 0));
  return { years: years!, months: months!, weeks: weeks!, days: days! };
}

const writtenPart =
  /^(\d{1,6})\s*(y|yrs?|years?|jahr(?:en?)?|j|m|mos?|months?|monat(?:en?)?|w|wks?|weeks?|wochen?|d|days?|tag(?:en?)?|t)(?![a-zäöü])[\s,]*(?:(?:and|und)\b\s*)?/;
const unitOf: Readonly<Record<string, keyof Period>> = { y: 'years', j: 'years', m: 'months', w: 'weeks', d: 'days', t: 'days' };

/**
 * Reads a period as people write it, in any of the languages ("7 years", "1 year and 6 months", "18m", "no time", "7 Jahre"), or
 * in ISO 8601 form; null when it is none. What is shown of a period in a language is read back as the same period.
 */
export function readPeriod(text: string): Period | null {
  const plain = text.trim().toLowerCase();
  if (plain === 'no time' || plain === 'keine zeit') return parsePeriod('P0D');
  if (plain.startsWith('p')) return parsePeriod(plain.toUpperCase());
  const parts: Partial<Record<keyof Period, number>> = {};
  let rest = plain;
  while (rest !== '') {
    const match = writtenPart.exec(rest);
    const unit = match && unitOf[match[2]!.charAt(0)]!;
    if (!unit || parts[unit] !== undefined) return null;
    parts[unit] = Number(match[1]);
    rest = rest.slice(match[0].length);
  }
  const { years = 0, months = 0, weeks = 0, days = 0 } = parts;
  // Nothing was said, or more than an ISO period can carry.
  return plain === '' ? null : parsePeriod(formatPeriod({ years, months, weeks, days }));
}

/** Reads a period; throws RangeError where {@link parsePeriod} returns null. */
export function period(text: string): Period {
  const parsed = parsePeriod(text);
  if (!parsed) throw new RangeError(`Not a period: ${text}`);
  return parsed;
}

/** Writes a period in ISO 8601 form; the empty period is `P0D`. */
export function formatPeriod(p: Period): string {
  const part = (n: number, unit: string): string => (n ? `${n}${unit}` : '');
  const body = part(p.years, 'Y') + part(p.months, 'M') + part(p.weeks, 'W') + part(p.days, 'D');
  return `P${body || '0D'}`;
}

/**
 * The date a period after another: first years and months with the day clamped to the month's last day,
 * then weeks and days (2024-02-29 + P1Y = 2025-02-28).
 */
export function addPeriod(date: EpochDay, p: Period): EpochDay {
  const addedMonths = p.years * 12 + p.months;
  const addedDays = p.weeks * 7 + p.days;
  if (addedMonths === 0) return date + addedDays;
  const { year, month, day } = yearMonthDay(date);
  const monthIndex = year * 12 + month - 1 + addedMonths;
  const newYear = Math.floor(monthIndex / 12);
  const newMonth = monthIndex - newYear * 12 + 1;
  const newDay = day > 28 ? Math.min(day, daysInMonth(newYear, newMonth)) : day;
  return epochDay(newYear, newMonth, newDay) + addedDays;
}

/** The date a period before another, by the same rules as {@link addPeriod} (2024-03-31 − P1M = 2024-02-29). */
export function subtractPeriod(date: EpochDay, p: Period): EpochDay {
  return addPeriod(date, { years: -p.years, months: -p.months, weeks: -p.weeks, days: -p.days });
}
