import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  evaluateRule,
  governingRule,
  type ClockFacts,
  type Cutoff,
  type Override,
  type RuleCandidate,
  type RuleVersion,
  type Step,
  type Trigger,
} from './index.js';
import { afterPrevious, rule, step } from './testing/index.js';

const d = civilDate;
const today = d('2026-09-14');

const facts = (changes: Partial<ClockFacts> = {}): ClockFacts => ({
  dates: { created: d('2020-03-10') },
  factDates: {},
  events: [],
  ...changes,
});

function cutoffOf(words: string): Cutoff {
  if (words === 'none' || words === 'month' || words === 'quarter') return { kind: words };
  if (words === 'year') return { kind: 'calendarYear' };
  const [month, day] = words.slice('fiscal '.length).split('-').map(Number);
  return { kind: 'fiscalYear', firstMonth: month!, firstDay: day! };
}

/** Lines of a table drawn with bars. */
const table = (text: string): string[][] =>
  text
    .trim()
    .split('\n')
    .map((line) => line.split('|').map((cell) => cell.trim()));

describe('dates by example: trigger, cutoff, period, clock start, due', () => {
  const rows = table(`
  2024-02-29 | none         | P1Y    | 2024-02-29 | 2025-02-28
  2024-02-29 | none         | P4Y    | 2024-02-29 | 2028-02-29
  2024-02-29 | none         | P12M   | 2024-02-29 | 2025-02-28
  2024-02-29 | none         | P48M   | 2024-02-29 | 2028-02-29
  2096-02-29 | none         | P4Y    | 2096-02-29 | 2100-02-28
  2096-02-29 | none         | P8Y    | 2096-02-29 | 2104-02-29
  2000-02-29 | none         | P100Y  | 2000-02-29 | 2100-02-28
  2000-02-29 | none         | P400Y  | 2000-02-29 | 2400-02-29
  2024-02-28 | none         | P1D    | 2024-02-28 | 2024-02-29
  2024-02-28 | none         | P2D    | 2024-02-28 | 2024-03-01
  2023-02-28 | none         | P1D    | 2023-02-28 | 2023-03-01
  2023-02-28 | none         | P1Y    | 2023-02-28 | 2024-02-28
  2020-02-29 | none         | P7Y    | 2020-02-29 | 2027-02-28
  2020-02-29 | none         | P1Y1D  | 2020-02-29 | 2021-03-01
  1996-02-29 | none         | P30Y   | 1996-02-29 | 2026-02-28
  2024-02-29 | none         | P1M    | 2024-02-29 | 2024-03-29
  2024-02-29 | none         | P52W   | 2024-02-29 | 2025-02-27
  2024-01-31 | none         | P1M    | 2024-01-31 | 2024-02-29
  2023-01-31 | none         | P1M    | 2023-01-31 | 2023-02-28
  2023-01-30 | none         | P1M    | 2023-01-30 | 2023-02-28
  2023-03-31 | none         | P1M    | 2023-03-31 | 2023-04-30
  2023-05-31 | none         | P1M    | 2023-05-31 | 2023-06-30
  2023-08-31 | none         | P6M    | 2023-08-31 | 2024-02-29
  2024-08-31 | none         | P6M    | 2024-08-31 | 2025-02-28
  2023-10-31 | none         | P4M    | 2023-10-31 | 2024-02-29
  2023-12-31 | none         | P2M    | 2023-12-31 | 2024-02-29
  2023-12-31 | none         | P14M   | 2023-12-31 | 2025-02-28
  2023-11-30 | none         | P3M    | 2023-11-30 | 2024-02-29
  2023-07-31 | none         | P18M   | 2023-07-31 | 2025-01-31
  2023-01-31 | none         | P1M1D  | 2023-01-31 | 2023-03-01
  2023-01-31 | none         | P1M1W  | 2023-01-31 | 2023-03-07
  2024-04-30 | none         | P10Y   | 2024-04-30 | 2034-04-30
  2024-12-31 | none         | P1W    | 2024-12-31 | 2025-01-07
  2024-12-31 | none         | P90D   | 2024-12-31 | 2025-03-31
  2023-10-01 | none         | P90D   | 2023-10-01 | 2023-12-30
  2023-12-31 | none         | P0D    | 2023-12-31 | 2023-12-31
  2024-03-30 | none         | P11M   | 2024-03-30 | 2025-02-28
  2024-01-01 | month        | P1M    | 2024-02-01 | 2024-03-01
  2024-01-31 | month        | P0D    | 2024-02-01 | 2024-02-01
  2024-02-01 | month        | P0D    | 2024-03-01 | 2024-03-01
  2024-02-29 | month        | P1Y    | 2024-03-01 | 2025-03-01
  2023-02-28 | month        | P1Y    | 2023-03-01 | 2024-03-01
  2023-12-01 | month        | P0D    | 2024-01-01 | 2024-01-01
  2023-12-31 | month        | P6M    | 2024-01-01 | 2024-07-01
  2024-11-30 | month        | P90D   | 2024-12-01 | 2025-03-01
  2026-06-15 | month        | P6M    | 2026-07-01 | 2027-01-01
  2024-03-31 | month        | P2M15D | 2024-04-01 | 2024-06-16
  2024-01-01 | quarter      | P0D    | 2024-04-01 | 2024-04-01
  2024-03-31 | quarter      | P0D    | 2024-04-01 | 2024-04-01
  2024-04-01 | quarter      | P0D    | 2024-07-01 | 2024-07-01
  2024-06-30 | quarter      | P5Y    | 2024-07-01 | 2029-07-01
  2024-07-01 | quarter      | P5Y    | 2024-10-01 | 2029-10-01
  2024-09-30 | quarter      | P4Y    | 2024-10-01 | 2028-10-01
  2024-10-01 | quarter      | P4Y    | 2025-01-01 | 2029-01-01
  2024-12-31 | quarter      | P4Y    | 2025-01-01 | 2029-01-01
  2023-11-15 | quarter      | P1Y    | 2024-01-01 | 2025-01-01
  2024-02-29 | quarter      | P6Y    | 2024-04-01 | 2030-04-01
  2020-03-10 | year         | P10Y   | 2021-01-01 | 2031-01-01
  2020-01-01 | year         | P7Y    | 2021-01-01 | 2028-01-01
  2020-12-31 | year         | P7Y    | 2021-01-01 | 2028-01-01
  2019-12-31 | year         | P0D    | 2020-01-01 | 2020-01-01
  2024-02-29 | year         | P1Y    | 2025-01-01 | 2026-01-01
  1999-06-01 | year         | P100Y  | 2000-01-01 | 2100-01-01
  2016-07-04 | year         | P90D   | 2017-01-01 | 2017-04-01
  2011-11-11 | year         | P18M   | 2012-01-01 | 2013-07-01
  2023-05-05 | year         | P30Y   | 2024-01-01 | 2054-01-01
  1998-01-01 | year         | P25Y   | 1999-01-01 | 2024-01-01
  2020-03-10 | fiscal 10-01 | P6Y    | 2020-10-01 | 2026-10-01
  2020-09-30 | fiscal 10-01 | P6Y    | 2020-10-01 | 2026-10-01
  2020-10-01 | fiscal 10-01 | P6Y    | 2021-10-01 | 2027-10-01
  2020-10-02 | fiscal 10-01 | P6Y    | 2021-10-01 | 2027-10-01
  2024-03-31 | fiscal 04-01 | P7Y    | 2024-04-01 | 2031-04-01
  2024-04-01 | fiscal 04-01 | P7Y    | 2025-04-01 | 2032-04-01
  2024-04-05 | fiscal 04-06 | P6Y    | 2024-04-06 | 2030-04-06
  2024-04-06 | fiscal 04-06 | P6Y    | 2025-04-06 | 2031-04-06
  2023-12-31 | fiscal 01-01 | P1Y    | 2024-01-01 | 2025-01-01
  2024-01-01 | fiscal 01-01 | P1Y    | 2025-01-01 | 2026-01-01
  2024-06-30 | fiscal 07-01 | P0D    | 2024-07-01 | 2024-07-01
  2024-07-01 | fiscal 07-01 | P0D    | 2025-07-01 | 2025-07-01
  2024-02-29 | fiscal 03-01 | P4Y    | 2024-03-01 | 2028-03-01
  2023-02-28 | fiscal 03-01 | P1Y    | 2023-03-01 | 2024-03-01
  2024-02-28 | fiscal 02-28 | P1Y    | 2025-02-28 | 2026-02-28
  2024-02-27 | fiscal 02-28 | P1Y    | 2024-02-28 | 2025-02-28
  2025-12-24 | fiscal 12-25 | P18M   | 2025-12-25 | 2027-06-25
  2025-12-25 | fiscal 12-25 | P18M   | 2026-12-25 | 2028-06-25
  2020-08-15 | fiscal 09-15 | P90D   | 2020-09-15 | 2020-12-14
  2020-09-14 | fiscal 09-15 | P90D   | 2020-09-15 | 2020-12-14
  2020-09-15 | fiscal 09-15 | P90D   | 2021-09-15 | 2021-12-14
  1999-12-31 | fiscal 04-01 | P6Y    | 2000-04-01 | 2006-04-01`);
  for (const [trigger, cutoff, after, start, due] of rows) {
    it(`${trigger}, ${cutoff}, ${after}: starts ${start}, due ${due}`, () => {
      const verdict = evaluateRule(
        rule('R', { cutoff: cutoffOf(cutoff!), steps: [step('destroy', after!)] }),
        facts({ dates: { created: d(trigger!) } }),
      );
      if (verdict.kind !== 'dated') throw new Error(verdict.kind);
      expect([formatCivilDate(verdict.clockStart), formatCivilDate(verdict.dueOn!)]).toEqual([start!, due!]);
    });
  }
});

describe('triggers by example: what is known, what starts the clock', () => {
  const dates = {
    created: d('2020-01-02'),
    received: d('2020-02-03'),
    filed: d('2020-03-04'),
    modified: d('2020-04-05'),
    declared: d('2020-05-06'),
    superseded: d('2020-06-07'),
    lastUsed: d('2020-07-08'),
  };
  const event = (type: string, on: string, distance: number) => ({ type, on: d(on), distance, subject: `at ${distance}` });
  const ended = (occurrence: 'first' | 'last'): Trigger => ({ kind: 'event', eventType: 'ended', occurrence });
  const rows: [string, Trigger, Partial<ClockFacts>, string][] = [
    ...(Object.entries(dates) as [keyof typeof dates, number][]).map(([date, on]): [string, Trigger, Partial<ClockFacts>, string] => [
      `the day it was ${date}`,
      { kind: 'recordDate', date },
      { dates },
      formatCivilDate(on),
    ]),
    ['not declared yet', { kind: 'recordDate', date: 'declared' }, {}, 'waiting'],
    ['not superseded yet', { kind: 'recordDate', date: 'superseded' }, {}, 'waiting'],
    ['never used', { kind: 'recordDate', date: 'lastUsed' }, {}, 'waiting'],
    ['a date fact', { kind: 'fact', fact: 'expires' }, { factDates: { expires: [d('2031-12-31')] } }, '2031-12-31'],
    [
      'the last of many dates',
      { kind: 'fact', fact: 'hearing' },
      { factDates: { hearing: [d('2031-01-01'), d('2033-01-01'), d('2032-01-01')] } },
      '2033-01-01',
    ],
    [
      'the first of many dates',
      { kind: 'fact', fact: 'hearing', occurrence: 'first' },
      { factDates: { hearing: [d('2032-01-01'), d('2031-01-01'), d('2033-01-01')] } },
      '2031-01-01',
    ],
    ['another date fact', { kind: 'fact', fact: 'expires' }, { factDates: { begins: [d('2031-12-31')] } }, 'waiting'],
    ['the folder’s closing', { kind: 'folderClosed' }, { folderClosed: { on: d('2022-12-31'), subject: 'folder 2022' } }, '2022-12-31'],
    ['an open folder', { kind: 'folderClosed' }, {}, 'waiting'],
    ['an event on the record', ended('last'), { events: [event('ended', '2021-05-05', 0)] }, '2021-05-05'],
    ['an event on the folder', ended('last'), { events: [event('ended', '2021-05-05', 1)] }, '2021-05-05'],
    ['another event', ended('last'), { events: [event('began', '2021-05-05', 0)] }, 'waiting'],
    [
      'the nearer of two subjects, though earlier',
      ended('last'),
      { events: [event('ended', '2021-05-05', 1), event('ended', '2019-01-01', 0)] },
      '2019-01-01',
    ],
    [
      'the nearer of two subjects, though later',
      ended('first'),
      { events: [event('ended', '2019-01-01', 1), event('ended', '2021-05-05', 0)] },
      '2021-05-05',
    ],
    [
      'the last of three',
      ended('last'),
      { events: [event('ended', '2020-01-01', 1), event('ended', '2022-01-01', 1), event('ended', '2021-01-01', 1)] },
      '2022-01-01',
    ],
    [
      'the first of three',
      ended('first'),
      { events: [event('ended', '2020-01-01', 1), event('ended', '2019-06-01', 1), event('ended', '2021-01-01', 1)] },
      '2019-06-01',
    ],
    ['an event still to come', ended('last'), { events: [event('ended', '2030-01-01', 0)] }, '2030-01-01'],
    ['never', { kind: 'never' }, { dates }, 'permanent'],
  ];
  for (const [name, trigger, known, expected] of rows) {
    it(`${name}: ${expected}`, () => {
      const verdict = evaluateRule(rule('R', { trigger }), facts(known));
      expect(verdict.kind === 'dated' ? formatCivilDate(verdict.trigger.on) : verdict.kind).toBe(expected);
    });
  }
});

describe('steps by example: what is done when', () => {
  const rows: [string, Step[], Record<number, string>, (string | null)[], string][] = [
    ['one', [step('destroy', 'P7Y')], {}, ['2027-03-10'], '2027-03-10'],
    ['a question before', [step('askOwner', 'P5Y'), step('destroy', 'P7Y')], {}, ['2025-03-10', '2027-03-10'], '2027-03-10'],
    [
      'each from the clock’s start',
      [step('review', 'P1Y'), step('trimVersions', 'P2Y'), step('transfer', 'P3Y')],
      {},
      ['2021-03-10', '2022-03-10', '2023-03-10'],
      '2023-03-10',
    ],
    [
      'one after another, not begun',
      [step('review', 'P3Y'), step('destroy', 'P1Y', afterPrevious)],
      {},
      ['2023-03-10', null],
      'waiting for a step',
    ],
    [
      'one after another, taken late',
      [step('review', 'P3Y'), step('destroy', 'P1Y', afterPrevious)],
      { 0: '2024-11-30' },
      ['2023-03-10', '2025-11-30'],
      '2025-11-30',
    ],
    [
      'three in a chain, one taken',
      [step('review', 'P1Y'), step('move', 'P1Y', afterPrevious), step('destroy', 'P1Y', afterPrevious)],
      { 0: '2022-02-28' },
      ['2021-03-10', '2023-02-28', null],
      'waiting for a step',
    ],
    [
      'three in a chain, two taken',
      [step('review', 'P1Y'), step('move', 'P1Y', afterPrevious), step('destroy', 'P1Y', afterPrevious)],
      { 0: '2022-02-28', 1: '2024-02-29' },
      ['2021-03-10', '2023-02-28', '2025-02-28'],
      '2025-02-28',
    ],
    ['the first counts from the start whatever it says', [step('destroy', 'P7Y', afterPrevious)], {}, ['2027-03-10'], '2027-03-10'],
    ['none that disposes', [step('review', 'P5Y'), step('trimVersions', 'P6Y')], {}, ['2025-03-10', '2026-03-10'], 'permanent'],
    ['at once', [step('declare', 'P0D'), step('destroy', 'P0D')], {}, ['2020-03-10', '2020-03-10'], '2020-03-10'],
  ];
  for (const [name, steps, completed, expected, dueOn] of rows) {
    it(name, () => {
      const done = Object.entries(completed).map(([index, on]) => ({ index: Number(index), kind: steps[Number(index)]!.kind, on: d(on) }));
      const verdict = evaluateRule(rule('R', { steps }), facts({ taken: { R: { completed: done } } }));
      const words = (on: number | null) => (on === null ? null : formatCivilDate(on));
      expect(verdict.steps.map((s) => words(s.dueOn))).toEqual(expected);
      expect(
        verdict.kind === 'dated'
          ? words(verdict.dueOn)
          : `${verdict.kind}${verdict.kind === 'waiting' ? ` for a ${verdict.waitsFor}` : ''}`,
      ).toBe(dueOn);
    });
  }
  it('a step that keeps makes all of it permanent, wherever it stands', () => {
    for (const steps of [[step('keepPermanently', 'P0D')], [step('review', 'P5Y'), step('keepPermanently', 'P10Y')]]) {
      expect(evaluateRule(rule('R', { steps }), facts()).kind).toBe('permanent');
    }
  });
});

describe('the governing rule by example', () => {
  const years = (code: string, n: number, more: Partial<RuleVersion> = {}): RuleVersion =>
    rule(code, { steps: [step('destroy', `P${n}Y`)], ...more });
  const for_ = (code: string, more: Partial<RuleVersion> = {}): RuleVersion => rule(code, { trigger: { kind: 'never' }, ...more });
  const waiting = (code: string, more: Partial<RuleVersion> = {}): RuleVersion =>
    rule(code, { trigger: { kind: 'event', eventType: 'ended', occurrence: 'last' }, ...more });
  const at = (level: RuleCandidate['level'], distance: number, ...versions: RuleVersion[]): RuleCandidate => ({
    level,
    distance,
    setOn: level,
    versions,
  });
  const north = { jurisdictions: ['Northshore'] };
  const south = { jurisdictions: ['Southshore'] };
  const byRule = (...versions: RuleVersion[]): Override => ({ kind: 'rule', versions, reason: 'by hand', by: 'Ines', on: '2026-09-01' });
  const byDate: Override = { kind: 'date', dueOn: '2040-01-01', action: 'transfer', reason: 'by hand', by: 'Ines', on: '2026-09-01' };
  type Row = [string, RuleCandidate[], { in?: string[]; override?: Override; created?: string }, string, string];
  const rows: Row[] = [
    ['nothing set', [], {}, 'unscheduled', ''],
    ['one on the series', [at('planNode', 0, years('A', 7))], {}, 'A', ''],
    ['the series before its activity', [at('planNode', 1, years('B', 20)), at('planNode', 0, years('A', 7))], {}, 'A', 'B farther away'],
    ['the folder before the series', [at('planNode', 0, for_('B')), at('folder', 0, years('A', 1))], {}, 'A', 'B farther away'],
    ['the inner folder before the outer', [at('folder', 1, years('B', 20)), at('folder', 0, years('A', 1))], {}, 'A', 'B farther away'],
    ['criteria before the folder', [at('folder', 0, years('B', 20)), at('criteria', 4, years('A', 1))], {}, 'A', 'B farther away'],
    ['criteria in their order', [at('criteria', 1, years('B', 20)), at('criteria', 0, years('A', 1))], {}, 'A', 'B farther away'],
    ['type and series before criteria', [at('criteria', 0, for_('B')), at('typeAndSeries', 0, years('A', 1))], {}, 'A', 'B farther away'],
    [
      'all five levels',
      [
        at('planNode', 0, years('E', 9)),
        at('folder', 0, years('D', 8)),
        at('criteria', 0, years('C', 7)),
        at('typeAndSeries', 0, years('B', 6)),
      ],
      { override: byRule(years('A', 1)) },
      'A',
      'B farther away, C farther away, D farther away, E farther away',
    ],
    ['two at one place: the longer', [at('planNode', 0, years('A', 7)), at('planNode', 0, years('B', 9))], {}, 'B', 'A keeps shorter'],
    [
      'three at one place',
      [at('planNode', 0, years('A', 7)), at('planNode', 0, years('B', 9)), at('planNode', 0, years('C', 8))],
      {},
      'B',
      'A keeps shorter, C keeps shorter',
    ],
    ['permanent before waiting', [at('planNode', 0, waiting('A')), at('planNode', 0, for_('B'))], {}, 'B', 'A keeps shorter'],
    ['waiting before a date', [at('planNode', 0, years('A', 90)), at('planNode', 0, waiting('B'))], {}, 'B', 'A keeps shorter'],
    ['permanent before a date', [at('planNode', 0, years('A', 90)), at('planNode', 0, for_('B'))], {}, 'B', 'A keeps shorter'],
    [
      'a rule without an end before one with',
      [at('planNode', 0, years('A', 90)), at('planNode', 0, rule('B', { steps: [step('review', 'P1Y')] }))],
      {},
      'B',
      'A keeps shorter',
    ],
    ['a tie: the first code', [at('planNode', 0, years('B', 7)), at('planNode', 0, years('A', 7))], {}, 'A', 'B tie, later code'],
    ['a tie of two that wait', [at('planNode', 0, waiting('B')), at('planNode', 0, waiting('A'))], {}, 'A', 'B tie, later code'],
    ['a tie of two for ever', [at('planNode', 0, for_('B')), at('planNode', 0, for_('A'))], {}, 'A', 'B tie, later code'],
    [
      'a cutoff can decide',
      [at('planNode', 0, years('A', 7)), at('planNode', 0, years('B', 7, { cutoff: { kind: 'calendarYear' } }))],
      {},
      'B',
      'A keeps shorter',
    ],
    ['a rule for the north, in the north', [at('planNode', 0, years('A', 7, north))], { in: ['Northshore'] }, 'A', ''],
    [
      'a rule for the north, in the south',
      [at('planNode', 0, years('A', 7, north))],
      { in: ['Southshore'] },
      'unscheduled',
      'A other jurisdiction',
    ],
    ['a rule for the north, nowhere', [at('planNode', 0, years('A', 7, north))], {}, 'unscheduled', 'A other jurisdiction'],
    ['a rule for everywhere, in the south', [at('planNode', 0, years('A', 7))], { in: ['Southshore'] }, 'A', ''],
    [
      'north and everywhere, in the south',
      [at('planNode', 0, years('A', 9, north)), at('planNode', 0, years('B', 7))],
      { in: ['Southshore'] },
      'B',
      'A other jurisdiction',
    ],
    [
      'north and everywhere, in the north',
      [at('planNode', 0, years('A', 9, north)), at('planNode', 0, years('B', 7))],
      { in: ['Northshore'] },
      'A',
      'B keeps shorter',
    ],
    [
      'everywhere keeps longer than north',
      [at('planNode', 0, years('A', 7, north)), at('planNode', 0, years('B', 9))],
      { in: ['Northshore'] },
      'B',
      'A keeps shorter',
    ],
    [
      'north and south, in both',
      [at('planNode', 0, years('A', 10, north)), at('planNode', 0, years('B', 6, south))],
      { in: ['Northshore', 'Southshore'] },
      'A',
      'B keeps shorter',
    ],
    [
      'north and south, in the south',
      [at('planNode', 0, years('A', 10, north)), at('planNode', 0, years('B', 6, south))],
      { in: ['Southshore'] },
      'B',
      'A other jurisdiction',
    ],
    [
      'one rule for both shores',
      [at('planNode', 0, years('A', 10, { jurisdictions: ['Northshore', 'Southshore'] }))],
      { in: ['Southshore'] },
      'A',
      '',
    ],
    [
      'a nearer level only for elsewhere yields',
      [at('folder', 0, years('A', 1, south)), at('planNode', 0, years('B', 9))],
      { in: ['Northshore'] },
      'B',
      'A other jurisdiction',
    ],
    [
      'a permanent one for elsewhere does not count',
      [at('planNode', 0, for_('A', south)), at('planNode', 0, years('B', 9))],
      { in: ['Northshore'] },
      'B',
      'A other jurisdiction',
    ],
    [
      'a version to come does not count',
      [at('planNode', 0, years('A', 7, { inForceFrom: '2026-09-15' }))],
      {},
      'unscheduled',
      'A not in force',
    ],
    ['a version of today counts', [at('planNode', 0, years('A', 7, { inForceFrom: '2026-09-14' }))], {}, 'A', ''],
    ['the newest in force', [at('planNode', 0, years('A', 7), years('A', 9, { version: 2, inForceFrom: '2010-01-01' }))], {}, 'A 2', ''],
    ['not one to come', [at('planNode', 0, years('A', 7), years('A', 9, { version: 2, inForceFrom: '2030-01-01' }))], {}, 'A', ''],
    [
      'the newest of three',
      [
        at(
          'planNode',
          0,
          years('A', 5),
          years('A', 7, { version: 2, inForceFrom: '2010-01-01' }),
          years('A', 9, { version: 3, inForceFrom: '2015-01-01' }),
        ),
      ],
      {},
      'A 3',
      '',
    ],
    [
      'later clocks: one that started before',
      [at('planNode', 0, years('A', 7), years('A', 9, { version: 2, inForceFrom: '2021-01-01', takesOver: 'laterClocks' }))],
      {},
      'A',
      '',
    ],
    [
      'later clocks: one that started on the day',
      [at('planNode', 0, years('A', 7), years('A', 9, { version: 2, inForceFrom: '2020-03-10', takesOver: 'laterClocks' }))],
      {},
      'A 2',
      '',
    ],
    [
      'later clocks: one that started after',
      [at('planNode', 0, years('A', 7), years('A', 9, { version: 2, inForceFrom: '2015-01-01', takesOver: 'laterClocks' }))],
      {},
      'A 2',
      '',
    ],
    [
      'later clocks: one that waits',
      [at('planNode', 0, waiting('A'), waiting('A', { version: 2, inForceFrom: '2021-01-01', takesOver: 'laterClocks' }))],
      {},
      'A 2',
      '',
    ],
    [
      'later clocks count after the cutoff',
      [
        at(
          'planNode',
          0,
          years('A', 7),
          years('A', 9, { version: 2, cutoff: { kind: 'calendarYear' }, inForceFrom: '2021-01-01', takesOver: 'laterClocks' }),
        ),
      ],
      {},
      'A 2',
      '',
    ],
    [
      'only for later clocks, and none before',
      [at('planNode', 0, years('A', 9, { inForceFrom: '2021-01-01', takesOver: 'laterClocks' }))],
      {},
      'unscheduled',
      'A not in force',
    ],
    [
      'a new version moves to another shore',
      [at('planNode', 0, years('A', 7, north), years('A', 7, { ...south, version: 2, inForceFrom: '2010-01-01' }))],
      { in: ['Northshore'] },
      'unscheduled',
      'A other jurisdiction',
    ],
    ['a rule by hand', [at('planNode', 0, for_('B'))], { override: byRule(years('A', 1)) }, 'A', 'B farther away'],
    [
      'a rule by hand for elsewhere does not count',
      [at('planNode', 0, years('B', 9))],
      { override: byRule(years('A', 1, south)), in: ['Northshore'] },
      'B',
      'A other jurisdiction',
    ],
    ['a rule by hand without versions', [at('planNode', 0, years('B', 9))], { override: byRule() }, 'B', ''],
    ['a date by hand', [at('planNode', 0, for_('B'))], { override: byDate }, '2040-01-01 transfer', 'B farther away'],
    ['a date by hand on what is unscheduled', [], { override: byDate }, '2040-01-01 transfer', ''],
    ['a rule that was never published', [at('folder', 0), at('planNode', 0, years('B', 9))], {}, 'B', ''],
  ];
  for (const [name, candidates, given, expected, yielded] of rows) {
    it(`${name}: ${expected}`, () => {
      for (const order of [candidates, [...candidates].reverse()]) {
        const found = governingRule(order, given.override ?? null, facts(), given.in ?? [], today);
        const won =
          found.kind === 'rule'
            ? `${found.by.rule.code}${found.by.rule.version > 1 ? ` ${found.by.rule.version}` : ''}`
            : found.kind === 'overrideDate'
              ? `${formatCivilDate(found.dueOn)} ${found.action}`
              : found.kind;
        expect(won).toBe(expected);
        expect(
          found.yielded
            .map((y) => `${y.rule.code} ${y.reason}`)
            .sort()
            .join(', '),
        ).toBe(yielded);
      }
    });
  }
});
