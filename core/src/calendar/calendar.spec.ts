import { de } from '@key-cellar/words/de';
import { en } from '@key-cellar/words/en';
import { speaker } from '@key-cellar/words/speaker';
import * as fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import {
  addPeriod,
  addWorkingDays,
  civilDate,
  commonWorkdays,
  dateInZone,
  formatCivilDate,
  formatPeriod,
  mondayToFriday,
  parseCivilDate,
  parsePeriod,
  period,
  readPeriod,
  subtractPeriod,
  weekday,
  yearMonthDay,
} from './index.js';

const said = [speaker('en', en), speaker('de', de)];

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

  for (const text of ['2025-02-29', '2024-13-01', '2024-00-10', '2024-1-1', '24-01-01', '2024-04-31', '', '0000-01-01']) {
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
    expect(said[0]!.word({ period: 'P1Y' })).toBe('1 year');
    expect(said[0]!.word({ period: 'P1Y6M' })).toBe('1 year and 6 months');
    expect(said[0]!.word({ period: 'P1Y2M3D' })).toBe('1 year, 2 months and 3 days');
    expect(said[0]!.word({ period: 'P0D' })).toBe('no time');
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
        expect(said.map((one) => readPeriod(one.word({ period: formatPeriod(p) })))).toEqual([p, p]),
      ),
    );
  });
});

describe('the calendar at its edges', () => {
  it('has leap years as Gregory’s has', () => {
    const leap = (year: number) => parseCivilDate(`${year}-02-29`) !== null;
    expect([1600, 1700, 1800, 1900, 2000, 2004, 2023, 2024, 2100, 2400].filter(leap)).toEqual([1600, 2000, 2004, 2024, 2400]);
    expect([1, 3, 5, 7, 8, 10, 12].every((m) => parseCivilDate(`2026-${String(m).padStart(2, '0')}-31`) !== null)).toBeTrue();
    expect([2, 4, 6, 9, 11].some((m) => parseCivilDate(`2026-${String(m).padStart(2, '0')}-31`) !== null)).toBeFalse();
  });
  for (const text of [
    '2026-01-001',
    'x2026-01-01',
    '2026-01-01x',
    '2026-01-01 ',
    '12026-01-01',
    '2026-01-32',
    '2026-01-00',
    '2026-13-01',
    '2026-00-01',
  ]) {
    it(`“${text}” is no date`, () => {
      expect(parseCivilDate(text)).toBeNull();
      expect(() => civilDate(text)).toThrowError(RangeError, `Not a date: ${text}`);
    });
  }
  for (const text of ['xP1Y', 'P1Yx', 'P', '', 'P1', 'P12345Y', 'P1D1Y', 'p1y', 'P-1Y', 'PT1H']) {
    it(`“${text}” is no period`, () => {
      expect(parsePeriod(text)).toBeNull();
      expect(() => period(text)).toThrowError(RangeError, `Not a period: ${text}`);
    });
  }
  const written: [string, string][] = [
    ...['1 y', '1y', '1 yr', '1 yrs', '1 year', '1 years'].map((text) => [text, 'P1Y'] as [string, string]),
    ...['2 m', '2m', '2 mo', '2 mos', '2 month', '2 months'].map((text) => [text, 'P2M'] as [string, string]),
    ...['3 w', '3w', '3 wk', '3 wks', '3 week', '3 weeks'].map((text) => [text, 'P3W'] as [string, string]),
    ...['4 d', '4d', '4 day', '4 days'].map((text) => [text, 'P4D'] as [string, string]),
    ['no time', 'P0D'],
    ['1 year, 2 months and 3 days', 'P1Y2M3D'],
  ];
  for (const [text, iso] of written) it(`“${text}” is ${iso}`, () => expect(formatPeriod(readPeriod(text)!)).toBe(iso));
  for (const text of ['about 2 years', 'x 1 y', '1 yearly', '1 year 2 years', 'time', '1 moth', '1 century']) {
    it(`“${text}” is no length of time`, () => expect(readPeriod(text)).toBeNull());
  }
  it('adds months to the last days of months, and days alone without looking at months', () => {
    const after = (date: string, text: string) => formatCivilDate(addPeriod(civilDate(date), period(text)));
    expect(after('2023-01-28', 'P1M')).toBe('2023-02-28');
    expect(after('2023-01-29', 'P1M')).toBe('2023-02-28');
    expect(after('2024-01-29', 'P1M')).toBe('2024-02-29');
    expect(after('2024-01-31', 'P3M')).toBe('2024-04-30');
    expect(after('2024-01-31', 'P5D')).toBe('2024-02-05');
    expect(after('2023-12-31', 'P2M1W1D')).toBe('2024-03-08');
  });
  it('goes back by each part of a period', () => {
    const before = (date: string, text: string) => formatCivilDate(subtractPeriod(civilDate(date), period(text)));
    expect(before('2026-03-31', 'P1M')).toBe('2026-02-28');
    expect(before('2026-03-31', 'P2Y')).toBe('2024-03-31');
    expect(before('2026-03-31', 'P2W')).toBe('2026-03-17');
    expect(before('2026-03-31', 'P31D')).toBe('2026-02-28');
    expect(before('2026-01-15', 'P1Y1M1W1D')).toBe('2024-12-07');
  });
});

describe('working days', () => {
  const on = (date: string, days: number, calendar = mondayToFriday) => formatCivilDate(addWorkingDays(civilDate(date), days, calendar));
  it('know the days of the week', () => {
    expect(['1969-12-29', '1970-01-01', '2026-09-14', '2026-09-20'].map((d) => weekday(civilDate(d)))).toEqual([1, 4, 1, 7]);
    fc.assert(
      fc.property(fc.integer({ min: -800_000, max: 800_000 }), (n) =>
        expect(weekday(n)).toBe(Temporal.PlainDate.from('1970-01-01').add({ days: n }).dayOfWeek),
      ),
    );
  });
  const holidays = ['2026-12-25', '2026-12-28'].map(civilDate);
  const table: [string, number, string][] = [
    ['2026-12-24', 1, '2026-12-29'],
    ['2026-12-24', 2, '2026-12-30'],
    ['2026-12-29', -1, '2026-12-24'],
    ['2026-12-26', 0, '2026-12-26'],
    ['2026-12-26', -1, '2026-12-24'],
  ];
  for (const [date, days, expected] of table) {
    it(`${date} and ${days} over Christmas is ${expected}`, () => expect(on(date, days, { weekend: [6, 7], holidays })).toBe(expected));
  }
  it('go there and back', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 40_000 }), fc.nat(200), (from, n) => {
        const there = addWorkingDays(from, n, mondayToFriday);
        const back = addWorkingDays(there, -n, mondayToFriday);
        expect(n === 0 || weekday(there) < 6).toBe(true);
        expect(back).toBe(weekday(from) < 6 || n === 0 ? from : from - (weekday(from) - 5));
      }),
    );
  });
  it('of several calendars are those on which all work', () => {
    expect(commonWorkdays([])).toBeNull();
    expect(commonWorkdays([mondayToFriday])).toBe(mondayToFriday);
    expect(
      commonWorkdays([
        { weekend: [7, 5], holidays: [3, 1] },
        { weekend: [6, 7], holidays: [2, 3] },
      ]),
    ).toEqual({
      weekend: [5, 6, 7],
      holidays: [1, 2, 3],
    });
  });
  it('are refused where no day is worked', () => {
    expect(() => addWorkingDays(0, 1, { weekend: [1, 2, 3, 4, 5, 6, 7], holidays: [] })).toThrowError(
      RangeError,
      'No day of the week is worked.',
    );
  });
});
