import * as fc from 'fast-check';
import { civilDate, formatCivilDate, monthNames, readDate, yearMonthDay } from './index.js';

/** A Monday. */
const today = civilDate('2026-09-14');
const read = (text: string): string | null => {
  const found = readDate(text, today);
  return found === null ? null : formatCivilDate(found);
};

describe('a date as people write it', () => {
  const table: [string, string][] = [
    ['2027-04-01', '2027-04-01'],
    ['1 apr 27', '2027-04-01'],
    [' 1  Apr  2027 ', '2027-04-01'],
    ['1. April 2027', '2027-04-01'],
    ['1st april 2027', '2027-04-01'],
    ['22nd Sept 26', '2026-09-22'],
    ['3rd may', '2026-05-03'],
    ['April 1, 2027', '2027-04-01'],
    ['apr 1', '2026-04-01'],
    ['apr. 1st 99', '1999-04-01'],
    ['29 feb 24', '2024-02-29'],
    ['1.4.2027', '2027-04-01'],
    ['1/4/27', '2027-04-01'],
    ['31-12-1998', '1998-12-31'],
    ['1 jan 45', '2045-01-01'],
    ['1 jan 46', '1946-01-01'],
    ['1 jan 47', '1947-01-01'],
    ['today', '2026-09-14'],
    ['Tomorrow', '2026-09-15'],
    ['yesterday', '2026-09-13'],
    ['+7d', '2026-09-21'],
    ['+ 7 days', '2026-09-21'],
    ['-2w', '2026-08-31'],
    ['in 3 months', '2026-12-14'],
    ['1 year ago', '2025-09-14'],
    ['+5y', '2031-09-14'],
    ['monday', '2026-09-21'],
    ['tue', '2026-09-15'],
    ['next sunday', '2026-09-20'],
    ['end of month', '2026-09-30'],
    ['end of the quarter', '2026-09-30'],
    ['end of year', '2026-12-31'],
    ['end of this year', '2026-12-31'],
  ];
  for (const [text, date] of table) it(`“${text}” is ${date}`, () => expect(read(text)).toBe(date));
  for (const text of [
    '',
    '7',
    '7 days',
    '31 feb 2026',
    '29 feb 2026',
    '0 jan',
    '32.1.2026',
    '1.13.2026',
    'ap 1',
    '1 apx',
    'end of week',
    '2026-02-30',
    '1 apr 227',
    'in x days',
    'soon',
  ]) {
    it(`“${text}” is none`, () => expect(read(text)).toBeNull());
  }
  it('is read as it is shown', () => {
    fc.assert(
      fc.property(fc.integer({ min: civilDate('1000-01-01'), max: civilDate('9999-12-31') }), (day) => {
        const { year, month, day: n } = yearMonthDay(day);
        expect(readDate(`${n} ${monthNames[month - 1]!.slice(0, 3)} ${year}`, today)).toBe(day);
        expect(readDate(formatCivilDate(day), 0)).toBe(day);
      }),
    );
  });
  it('of two digits lies near today', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: civilDate('1900-01-01'), max: civilDate('2100-12-31') }),
        fc.integer({ min: 0, max: 99 }),
        (now, yy) => {
          const found = yearMonthDay(readDate(`1 jan ${String(yy).padStart(2, '0')}`, now)!).year;
          const { year } = yearMonthDay(now);
          expect(found % 100).toBe(yy);
          expect(found - year).toBeLessThanOrEqual(19);
          expect(year - found).toBeLessThanOrEqual(80);
        },
      ),
    );
  });
  it('of a day of the week is the next one after today', () => {
    fc.assert(
      fc.property(fc.integer({ min: -20_000, max: 40_000 }), (now) => {
        expect(readDate('wednesday', now)! - now).toBeGreaterThan(0);
        expect(readDate('wednesday', now)! - now).toBeLessThanOrEqual(7);
      }),
    );
  });
});
