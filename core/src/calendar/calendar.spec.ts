import * as fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import {
  addPeriod,
  civilDate,
  dateInZone,
  describePeriod,
  formatCivilDate,
  formatPeriod,
  parseCivilDate,
  parsePeriod,
  period,
  readPeriod,
  yearMonthDay,
} from './index.js';

const anyDay = fc.integer({ min: civilDate('0001-01-01'), max: civilDate('9990-12-31') });

describe('civil dates', () => {
  it('count days as Temporal does', () => {
    fc.assert(
      fc.property(anyDay, (day) => {
        const reference = Temporal.PlainDate.from('1970-01-01').add({ days: day });
        expect(formatCivilDate(day)).toBe(reference.toString());
        expect(yearMonthDay(day)).toEqual({
          year: reference.year,
          month: reference.month,
          day: reference.day,
        });
        expect(civilDate(formatCivilDate(day))).toBe(day);
      }),
      { numRuns: 300 },
    );
  });

  for (const text of ['2025-02-29', '2024-13-01', '2024-00-10', '2024-1-1', '24-01-01', '2024-04-31', '']) {
    it(`refuse “${text}”`, () => expect(parseCivilDate(text)).toBeNull());
  }

  it('take the date of an instant in the repository’s zone', () => {
    const justBeforeMidnightUtc = Date.UTC(2026, 5, 30, 23, 30);
    expect(formatCivilDate(dateInZone(justBeforeMidnightUtc, 'Europe/Dublin'))).toBe('2026-07-01');
    expect(formatCivilDate(dateInZone(justBeforeMidnightUtc, 'America/New_York'))).toBe('2026-06-30');
  });
});

describe('periods', () => {
  it('add as Temporal does: years and months with the day clamped, then weeks and days', () => {
    const small = fc.integer({ min: 0, max: 60 });
    fc.assert(
      fc.property(anyDay, small, small, small, small, (day, years, months, weeks, days) => {
        const reference = Temporal.PlainDate.from('1970-01-01').add({ days: day });
        const expected = reference.add({ years, months }).add({ weeks, days });
        if (expected.year > 9999) return;
        expect(formatCivilDate(addPeriod(day, { years, months, weeks, days }))).toBe(expected.toString());
      }),
      { numRuns: 300 },
    );
  });

  const additions: [string, string, string][] = [
    ['2024-02-29', 'P1Y', '2025-02-28'],
    ['2023-08-31', 'P6M', '2024-02-29'],
    ['2020-03-10', 'P7Y', '2027-03-10'],
    ['2024-01-31', 'P1M', '2024-02-29'],
    ['2023-01-31', 'P1M1D', '2023-03-01'],
    ['2023-12-31', 'P2M', '2024-02-29'],
    ['2024-12-31', 'P1W', '2025-01-07'],
    ['2024-02-28', 'P90D', '2024-05-28'],
    ['1999-12-31', 'P18M', '2001-06-30'],
    ['2000-02-29', 'P4Y', '2004-02-29'],
    ['1900-02-28', 'P1D', '1900-03-01'],
    ['2024-05-31', 'P0D', '2024-05-31'],
  ];
  for (const [from, after, expected] of additions) {
    it(`${from} + ${after} = ${expected}`, () => expect(formatCivilDate(addPeriod(civilDate(from), period(after)))).toBe(expected));
  }

  it('are written as they are read', () => {
    for (const text of ['P7Y', 'P18M', 'P90D', 'P1Y6M', 'P2W', 'P0D']) {
      expect(formatPeriod(period(text))).toBe(text);
    }
  });

  for (const text of ['P', 'P-1Y', '7Y', 'P1.5Y', 'PT5H', 'P1D1Y', '']) {
    it(`refuse “${text}”`, () => expect(parsePeriod(text)).toBeNull());
  }

  it('read well in words', () => {
    expect(describePeriod(period('P1Y'))).toBe('1 year');
    expect(describePeriod(period('P1Y6M'))).toBe('1 year and 6 months');
    expect(describePeriod(period('P1Y2M3D'))).toBe('1 year, 2 months and 3 days');
    expect(describePeriod(period('P0D'))).toBe('no time');
  });

  const written: [string, string | null][] = [
    ['7 years', 'P7Y'],
    ['1 Year', 'P1Y'],
    ['1 year and 6 months', 'P1Y6M'],
    ['1 year, 2 months and 3 days', 'P1Y2M3D'],
    ['18m', 'P18M'],
    ['7y6m', 'P7Y6M'],
    ['  90   days ', 'P90D'],
    ['2 wks', 'P2W'],
    ['0 days', 'P0D'],
    ['p7y', 'P7Y'],
    ['P18M', 'P18M'],
    ['ten years', null],
    ['7', null],
    ['years', null],
    ['7 years 2 years', null],
    ['7 yearsx', null],
    ['-1 year', null],
    ['1.5 years', null],
    ['123456 years', null],
    ['', null],
    ['P', null],
  ];
  for (const [text, iso] of written) {
    it(`“${text}” is ${iso ?? 'none'}`, () => {
      const read = readPeriod(text);
      expect(read && formatPeriod(read)).toBe(iso);
    });
  }

  it('are read back from their words', () => {
    const part = (most: number) => fc.integer({ min: 0, max: most });
    fc.assert(
      fc.property(fc.record({ years: part(9999), months: part(99_999), weeks: part(99_999), days: part(999_999) }), (p) =>
        expect(readPeriod(describePeriod(p))).toEqual(p),
      ),
    );
  });
});
