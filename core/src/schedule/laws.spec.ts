import { said as inWords } from '@key-cellar/words/testing';
import { civilDate, formatCivilDate, type WorkCalendar } from '../calendar/index.js';
import {
  evaluateRule,
  parseCutoff,
  parseSteps,
  parseSuspension,
  parseTrigger,
  type ClockFacts,
  type Cutoff,
  type Read,
  type RecordDate,
} from './index.js';
import { rule } from './testing/index.js';

const d = civilDate;
const read = <T>(found: Read<T>): T => {
  if (!found.ok) throw new Error(inWords(found.sentence));
  return found.value;
};

/** Holidays of an invented shore, Thursday and Friday off in the second calendar. */
const calendars: Record<string, WorkCalendar> = {
  shore: { weekend: [6, 7], holidays: ['2026-01-01', '2026-04-03', '2026-04-06', '2026-12-25', '2026-12-28'].map(d) },
  other: { weekend: [4, 5], holidays: [] },
};
const terms = ['2018-06-30', '2022-06-30', '2026-06-30'];
const trading = ['2024-01-28', '2025-02-02', '2026-02-01'];

/**
 * Facts in words: `created 2020-03-10`, `fact born 2001-05-05 2003-01-01`, `event lease ended 2019-12-02 @1`, `closed 2020-01-01`,
 * `gone contract 2024-01-01`, `pointed contract`, `days shore`, separated by semicolons.
 */
function factsOf(words: string): ClockFacts {
  const dates: Partial<Record<RecordDate, number>> = {};
  const factDates: Record<string, number[]> = {};
  const events: ClockFacts['events'][number][] = [];
  const unreferenced: Record<string, number | null> = {};
  let rest: Partial<ClockFacts> = {};
  for (const one of words
    .split(';')
    .map((w) => w.trim())
    .filter(Boolean)) {
    const fact = /^fact (\w+) (.+)$/.exec(one);
    const event = /^event (.+) (\d{4}-\d\d-\d\d)(?: @(\d))?$/.exec(one);
    const gone = /^gone (\w+) (\S+)$/.exec(one);
    const [what, when = ''] = one.split(' ');
    if (fact) factDates[fact[1]!] = fact[2]!.split(' ').map(d);
    else if (event) events.push({ type: event[1]!, on: d(event[2]!), distance: Number(event[3] ?? 0), subject: 'x' });
    else if (gone) unreferenced[gone[1]!] = d(gone[2]!);
    else if (what === 'pointed') unreferenced[when] = null;
    else if (what === 'closed') rest = { ...rest, folderClosed: { on: d(when), subject: 'folder' } };
    else if (what === 'days') rest = { ...rest, workdays: calendars[when] };
    else dates[what as RecordDate] = d(when);
  }
  return { dates, factDates, events, unreferenced, ...rest };
}

function cutoffOf(text: string): Cutoff {
  const cutoff = read(parseCutoff(text));
  if (cutoff.kind !== 'namedYear') return cutoff;
  return { ...cutoff, ends: cutoff.name === 'term' ? terms : cutoff.name === 'trading' ? trading : [] };
}

/** The dates of all steps, then what the rule says; `?` where a step has no date. */
function said(trigger: string, cutoff: string, suspension: string, steps: string, facts: string): string {
  const verdict = evaluateRule(
    rule('R-1', {
      trigger: read(parseTrigger(trigger)),
      cutoff: cutoffOf(cutoff),
      suspension: read(parseSuspension(suspension)),
      steps: read(parseSteps(steps)),
    }),
    factsOf(facts),
  );
  const dates = verdict.steps.map((s) => (s.dueOn === null ? '?' : formatCivilDate(s.dueOn)));
  return [...dates, verdict.kind === 'waiting' ? `waits for ${verdict.waitsFor}` : verdict.kind].join(' ');
}

/** Rows: what a law says, the clock, its cutoff, what stops it, the steps, the facts, and what follows. */
const laws: Record<string, string> = {
  'the earliest or the latest of several': `
  until 25, or 8 years after death if sooner     | earliest of fact born + P25Y, fact died + P8Y | none | | destroy P0D | fact born 2001-05-05                        | 2026-05-05 dated
  the same, died young                           | earliest of fact born + P25Y, fact died + P8Y | none | | destroy P0D | fact born 2001-05-05; fact died 2010-01-10  | 2018-01-10 dated
  the same, died old                             | earliest of fact born + P25Y, fact died + P8Y | none | | destroy P0D | fact born 2001-05-05; fact died 2024-01-10  | 2026-05-05 dated
  the same, only the death known                 | earliest of fact born + P25Y, fact died + P8Y | none | | destroy P0D | fact died 2010-01-10                        | 2018-01-10 dated
  the same, nothing known                        | earliest of fact born + P25Y, fact died + P8Y | none | | destroy P0D | created 2020-01-01                          | ? waits for trigger
  8 years after treatment, at least until 25     | latest of event treatment ended + P8Y, fact born + P25Y | none | | destroy P0D | event treatment ended 2010-06-01; fact born 2001-05-05 | 2026-05-05 dated
  the same, treated as an adult                  | latest of event treatment ended + P8Y, fact born + P25Y | none | | destroy P0D | event treatment ended 2020-06-01; fact born 1961-05-05 | 2028-06-01 dated
  the same, still in treatment                   | latest of event treatment ended + P8Y, fact born + P25Y | none | | destroy P0D | fact born 1961-05-05 | ? waits for trigger
  the same, birth not known                      | latest of event treatment ended + P8Y, fact born + P25Y | none | | destroy P0D | event treatment ended 2020-06-01 | ? waits for trigger
  6 years after the lease, 12 after signing      | latest of event lease ended + P6Y, created + P12Y | none | | destroy P0D | created 2010-02-01; event lease ended 2012-01-01 | 2022-02-01 dated
  the same, a long lease                         | latest of event lease ended + P6Y, created + P12Y | none | | destroy P0D | created 2010-02-01; event lease ended 2022-01-01 | 2028-01-01 dated
  on one day                                     | latest of event lease ended + P6Y, created + P12Y | none | | destroy P0D | created 2010-01-01; event lease ended 2016-01-01 | 2022-01-01 dated
  a year from whichever comes first, to year end | earliest of folder closed, event matter settled   | calendar year | | destroy P1Y | closed 2020-03-10; event matter settled 2021-02-02 | 2022-01-01 dated
  the same, settled first                        | earliest of folder closed, event matter settled   | calendar year | | destroy P1Y | closed 2022-03-10; event matter settled 2021-02-02 | 2023-01-01 dated
  three of which one is known                    | earliest of fact a, fact b, created + P30Y        | none | | destroy P0D | created 2000-02-29 | 2030-02-28 dated
  three of which all are needed                  | latest of fact a, fact b, created + P30Y          | none | | destroy P0D | created 2000-02-29; fact a 2040-01-01 | ? waits for trigger
  three, all known                               | latest of fact a, fact b, created + P30Y          | none | | destroy P0D | created 2000-02-29; fact a 2040-01-01; fact b 2039-01-01 | 2040-01-01 dated
  first hearing or last appeal                   | earliest of first fact hearing + P5Y, event appeal decided + P1Y | none | | destroy P0D | fact hearing 2015-02-02 2018-02-02; event appeal decided 2021-01-01 | 2020-02-02 dated
  last hearing                                   | earliest of fact hearing + P5Y, event appeal decided + P1Y | none | | destroy P0D | fact hearing 2015-02-02 2018-02-02; event appeal decided 2022-06-01 | 2023-02-02 dated
  the period added is clamped                    | earliest of created + P1M, fact x + P1M | none | | destroy P0D | created 2024-01-31; fact x 2024-02-29 | 2024-02-29 dated
  added first, rolled after                      | latest of created + P6M, filed | fiscal year from 4-1 | | destroy P6Y | created 2020-09-30; filed 2020-10-05 | 2027-04-01 dated
  added first, rolled after, a day later         | latest of created + P6M, filed | fiscal year from 4-1 | | destroy P6Y | created 2020-10-01; filed 2020-10-05 | 2028-04-01 dated
  the earliest of the same date                  | earliest of created, filed | none | | destroy P1Y | created 2020-02-02; filed 2020-02-02 | 2021-02-02 dated
  an heir and a guarantor                        | latest of event heir paid + P3Y, event guarantor released + P3Y | none | | destroy P0D | event heir paid 2020-01-01 @1; event guarantor released 2021-01-01 @2 | 2024-01-01 dated
  the nearest of each event                      | latest of event paid, created | none | | destroy P0D | created 2010-01-01; event paid 2015-01-01 @2; event paid 2012-01-01 @1 | 2012-01-01 dated`,
  'clocks that are stopped': `
  limitation stops while proceedings are pending | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01; event claim filed 2021-01-01; event judgment 2021-07-01 | 2023-07-01 dated
  the same, never filed                          | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01 | 2023-01-01 dated
  the same, still pending                        | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01; event claim filed 2021-01-01 | ? waits for resume
  filed when it had run out                      | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01; event claim filed 2023-01-01 | 2023-01-01 dated
  filed a day before                             | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01; event claim filed 2022-12-31 | ? waits for resume
  filed a day before, decided a day after        | event claim arose | none | claim filed until judgment | destroy P3Y | event claim arose 2020-01-01; event claim filed 2022-12-31; event judgment 2023-01-02 | 2023-01-03 dated
  stopped twice                                  | created | none | audit opened until audit closed | destroy P1Y | created 2020-01-01; event audit opened 2020-02-01; event audit closed 2020-02-11; event audit opened 2020-06-01; event audit closed 2020-06-21 | 2021-01-31 dated
  stopped again within the days that it gained   | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-10; event audit closed 2020-01-20; event audit opened 2020-02-05; event audit closed 2020-02-10 | 2020-02-15 dated
  stopped before it started                      | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2019-06-01; event audit closed 2020-01-11 | 2020-02-10 dated
  stopped and over before it started             | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2019-06-01; event audit closed 2019-12-31 | 2020-01-31 dated
  stopped and over on the day it started         | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2019-06-01; event audit closed 2020-01-01 | 2020-01-31 dated
  stopped before it started, and not over        | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2019-06-01 | ? waits for resume
  a cutoff rolls first                           | created | calendar year | audit opened until audit closed | destroy P1Y | created 2020-03-10; event audit opened 2020-06-01; event audit closed 2021-01-11 | 2022-01-11 dated
  opened and closed on one day                   | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05; event audit closed 2020-01-05 | 2020-01-31 dated
  closed and opened again on one day             | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05; event audit closed 2020-01-10; event audit opened 2020-01-10; event audit closed 2020-01-15 | 2020-02-10 dated
  closed without having been opened              | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit closed 2020-01-05 | 2020-01-31 dated
  opened twice, closed once                      | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05; event audit opened 2020-01-07; event audit closed 2020-01-10 | 2020-02-05 dated
  written in other letters                       | created | none | Audit Opened until AUDIT closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05; event audit closed 2020-01-10 | 2020-02-05 dated
  on the folder and not on the plan              | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05 @1; event audit closed 2020-01-10 @1; event audit opened 2020-01-20 @3 | 2020-02-05 dated
  closed farther out than it was opened          | created | none | audit opened until audit closed | destroy P30D | created 2020-01-01; event audit opened 2020-01-05 @1; event audit closed 2020-01-10 @2 | ? waits for resume
  every step is put off                          | created | none | audit opened until audit closed | review P10D; destroy P30D | created 2020-01-01; event audit opened 2020-01-05; event audit closed 2020-01-10 | 2020-01-16 2020-02-05 dated
  a step before the stop is not                  | created | none | audit opened until audit closed | review P10D; destroy P30D | created 2020-01-01; event audit opened 2020-01-15 | 2020-01-11 ? waits for resume
  what is kept for good shows its stops only     | created | none | audit opened until audit closed | review P10D; keep for good | created 2020-01-01; event audit opened 2020-01-05 | ? 2020-01-01 permanent`,
  'while something refers to it': `
  a master as long as copies live                | unreferenced by master   | none | | destroy P1Y | gone master 2024-02-29 | 2025-02-28 dated
  while one does                                 | unreferenced by master   | none | | destroy P1Y | pointed master | ? waits for trigger
  when none ever did                             | unreferenced by master   | none | | destroy P1Y | created 2020-01-01 | ? waits for trigger
  by another fact                                | unreferenced by master   | none | | destroy P1Y | gone contract 2024-02-29 | ? waits for trigger
  to the end of the year                         | unreferenced by contract | calendar year | | destroy P6Y | gone contract 2024-02-29 | 2031-01-01 dated
  at least ten years as well                     | latest of unreferenced by master, created + P10Y | none | | destroy P0D | created 2020-01-01; gone master 2024-02-29 | 2030-01-01 dated
  at least ten years, and pointed at             | latest of unreferenced by master, created + P10Y | none | | destroy P0D | created 2000-01-01; pointed master | ? waits for trigger
  or when it expired                             | earliest of unreferenced by master, fact expires | none | | destroy P0D | pointed master; fact expires 2021-01-01 | 2021-01-01 dated`,
  'before a date': `
  review 90 days before it expires               | fact expires | none | | review P90D before its date; destroy P1Y | fact expires 2026-03-31 | 2025-12-31 2027-03-31 dated
  review a month before, clamped                 | fact expires | none | | review P1M before its date; destroy P1Y | fact expires 2026-03-31 | 2026-02-28 2027-03-31 dated
  before the date and not before the year’s end  | fact expires | calendar year | | review P90D before its date; destroy P1Y | fact expires 2026-03-31 | 2025-12-31 2028-01-01 dated
  while the date is not known                    | fact expires | none | | review P90D before its date; destroy P1Y | created 2026-01-01 | ? ? waits for trigger
  before the earliest of two                     | earliest of fact a + P1Y, fact b | none | | review P30D before its date; destroy P0D | fact a 2025-01-31; fact b 2027-01-01 | 2026-01-01 2026-01-31 dated
  on the day itself                              | fact expires | none | | review P0D before its date; destroy P1Y | fact expires 2026-03-31 | 2026-03-31 2027-03-31 dated
  ten working days before                        | fact expires | none | | review 10 working days before its date; destroy P1Y | fact expires 2026-04-15; days shore | 2026-03-30 2027-04-15 dated
  before a date, then for good                   | fact expires | none | | review P1Y before its date; keep for good | fact expires 2026-03-31 | 2025-03-31 2026-03-31 permanent
  a year’s end that is not listed hides no review | fact expires | named year nowhere | | review P90D before its date; destroy P1Y | fact expires 2026-03-31 | 2025-12-31 ? waits for yearEnd`,
  'working days': `
  30 working days, Monday to Friday              | created | none | | destroy 30 working days | created 2026-06-01 | 2026-07-13 dated
  one working day after a Friday                 | created | none | | destroy 1 working day   | created 2026-06-05 | 2026-06-08 dated
  one working day after a Saturday               | created | none | | destroy 1 working day   | created 2026-06-06 | 2026-06-08 dated
  none after a Saturday                          | created | none | | destroy 0 working days  | created 2026-06-06 | 2026-06-06 dated
  over Easter                                    | created | none | | destroy 1 working day   | created 2026-04-02; days shore | 2026-04-07 dated
  over Easter without a calendar                 | created | none | | destroy 1 working day   | created 2026-04-02 | 2026-04-03 dated
  over Christmas                                 | created | none | | destroy 1 working day   | created 2026-12-24; days shore | 2026-12-29 dated
  a week of Saturday to Wednesday                | created | none | | destroy 5 working days  | created 2026-06-03; days other | 2026-06-10 dated
  counted from the clock’s start                 | created | month | | destroy 3 working days | created 2026-01-15; days shore | 2026-02-04 dated
  two steps, each in its own days                | created | none | | review 5 working days; destroy P7D | created 2026-06-01 | 2026-06-08 2026-06-08 dated
  stopped days are calendar days                 | created | none | audit opened until audit closed | destroy 5 working days | created 2026-06-01; event audit opened 2026-06-03; event audit closed 2026-06-05 | 2026-06-10 dated`,
  'half-years, fiscal years and named years': `
  half-year, first half                          | created | half-year | | destroy P2Y | created 2026-01-01 | 2028-07-01 dated
  half-year, last day of it                      | created | half-year | | destroy P2Y | created 2026-06-30 | 2028-07-01 dated
  half-year, second half                         | created | half-year | | destroy P2Y | created 2026-07-01 | 2029-01-01 dated
  a tax year from 6 April, its last day          | created | fiscal year from 4-6 | | destroy P6Y | created 2020-04-05 | 2026-04-06 dated
  a tax year from 6 April, its first day         | created | fiscal year from 4-6 | | destroy P6Y | created 2020-04-06 | 2027-04-06 dated
  a year from 31 January                         | created | fiscal year from 1-31 | | destroy P1Y | created 2020-01-30 | 2021-01-31 dated
  a year from the end of February                | created | fiscal year from 2-29 | | destroy P1Y | created 2021-02-27 | 2022-02-28 dated
  a year from the end of February, leap          | created | fiscal year from 2-29 | | destroy P4Y | created 2020-02-28 | 2024-02-29 dated
  a term of office                               | created | named year term | | transfer P5Y | created 2020-03-10 | 2027-07-01 dated
  its last day                                   | created | named year term | | transfer P5Y | created 2022-06-30 | 2027-07-01 dated
  the first day of the next                      | created | named year term | | transfer P5Y | created 2022-07-01 | 2031-07-01 dated
  before the first that is listed                | created | named year term | | transfer P5Y | created 1999-07-01 | 2023-07-01 dated
  a term whose end is not known yet              | created | named year term | | transfer P5Y | created 2026-07-01 | ? waits for yearEnd
  a trading year of 52 weeks                     | created | named year trading | | destroy P6Y | created 2024-01-29 | 2031-02-03 dated
  a trading year of 53 weeks                     | created | named year trading | | destroy P6Y | created 2024-01-28 | 2030-01-29 dated
  a year of which nothing is listed              | created | named year nowhere | | destroy P6Y | created 2024-01-28 | ? waits for yearEnd
  a permanent one that waits for its year        | created | named year nowhere | | review P1Y; keep for good | created 2024-01-28 | ? ? permanent`,
  'many values': `
  the last of three hearings                     | fact hearing       | none | | destroy P5Y | fact hearing 2019-01-01 2021-01-01 2020-01-01 | 2026-01-01 dated
  the first of three hearings                    | first fact hearing | none | | destroy P5Y | fact hearing 2019-01-01 2021-01-01 2020-01-01 | 2024-01-01 dated
  of one the first is the last                   | first fact hearing | none | | destroy P5Y | fact hearing 2019-01-01 | 2024-01-01 dated
  the last time it happened                      | event renewed       | none | | destroy P5Y | event renewed 2019-01-01; event renewed 2021-01-01 | 2026-01-01 dated
  the first time it happened                     | first event renewed | none | | destroy P5Y | event renewed 2019-01-01; event renewed 2021-01-01 | 2024-01-01 dated
  near before late                               | event renewed       | none | | destroy P5Y | event renewed 2019-01-01 @1; event renewed 2021-01-01 @2 | 2024-01-01 dated
  an event ahead counts from its day             | event lease ends    | none | | destroy P6Y | event lease ends 2031-12-31 | 2037-12-31 dated
  a folder that closes ahead                     | folder closed       | calendar year | | destroy P6Y | closed 2031-03-31 | 2038-01-01 dated
  in other letters                               | event LEASE Ended   | none | | destroy P6Y | event lease ended 2020-01-01 | 2026-01-01 dated`,
};

describe('what laws say', () => {
  for (const [group, text] of Object.entries(laws)) {
    describe(group, () => {
      for (const line of text.trim().split('\n')) {
        const [pattern, trigger, cutoff, suspension, steps, facts, expected] = line.split('|').map((cell) => cell.trim());
        it(`${pattern!}: ${trigger!}, ${steps!} → ${expected!}`, () =>
          expect(said(trigger!, cutoff!, suspension!, steps!, facts!)).toBe(expected!));
      }
    });
  }
});
