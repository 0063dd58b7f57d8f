import { speaking } from '@key-cellar/words/testing';
import { civilDate } from '../calendar/index.js';
import {
  explain as explainSaid,
  governingRule,
  vintageIn,
  type ClockFacts,
  type Override,
  type RuleCandidate,
  type RuleVersion,
} from './index.js';
import { rule, step } from './testing/index.js';

const explain = speaking(explainSaid);

const today = civilDate('2026-09-14');
const facts: ClockFacts = { dates: { created: civilDate('2020-03-10') }, factDates: {}, events: [] };
const destroyAfter = (after: string): Partial<RuleVersion> => ({ steps: [step('destroy', after)] });
const required = (code: string, after: string, more: Partial<RuleVersion> = {}): RuleVersion =>
  rule(code, { ...destroyAfter(after), ...more });
const customary = (code: string, after: string, more: Partial<RuleVersion> = {}): RuleVersion =>
  required(code, after, { basis: 'customary', ...more });
const atMost = (code: string, after: string, more: Partial<RuleVersion> = {}): RuleVersion =>
  required(code, after, { basis: 'atMost', ...more });
const series = (version: RuleVersion): RuleCandidate => ({ level: 'planNode', distance: 0, setOn: 'series PEO-02', versions: [version] });
const func = (version: RuleVersion): RuleCandidate => ({ level: 'planNode', distance: 1, setOn: 'function PEO', versions: [version] });
const folder = (version: RuleVersion): RuleCandidate => ({ level: 'folder', distance: 0, setOn: 'folder 2020', versions: [version] });
const hand = { reason: 'the court asked', by: 'Ines', on: '2026-02-02' };
const noClock: Partial<RuleVersion> = { trigger: { kind: 'never' }, steps: [step('keepPermanently', 'P0D')] };
const notYet: Partial<RuleVersion> = { trigger: { kind: 'folderClosed' } };

/** What governs, its date, what a cap does, and who yields for what. */
function said(candidates: readonly RuleCandidate[], override: Override | null = null, jurisdictions: readonly string[] = []): string {
  const governing = governingRule(candidates, override, facts, jurisdictions, today);
  const { governing: by, dueOn, outcome, cap, yielded } = explain({ governing, facts, holds: [], missing: [] });
  return [
    `${by?.code ?? 'nothing'} ${dueOn ?? outcome}`,
    cap ? `${cap.rule.code} ${cap.effect}` : 'no cap',
    ...yielded.map((y) => `${y.rule.code} ${y.reason}`),
  ].join(', ');
}

describe('how long at most', () => {
  const table: [string, RuleCandidate[], string][] = [
    [
      'a cap beyond what is required does nothing',
      [series(required('R-1', 'P3Y')), series(atMost('R-9', 'P5Y'))],
      'R-1 2023-03-10, R-9 nothing',
    ],
    ['on the same day it does nothing', [series(required('R-1', 'P3Y')), series(atMost('R-9', 'P3Y'))], 'R-1 2023-03-10, R-9 nothing'],
    ['a day earlier it is in conflict', [series(required('R-1', 'P3Y')), series(atMost('R-9', 'P35M27D'))], 'R-1 2023-03-10, R-9 conflict'],
    ['what is required wins', [series(required('R-1', 'P7Y')), series(atMost('R-9', 'P2Y'))], 'R-1 2027-03-10, R-9 conflict'],
    ['custom yields', [series(customary('R-1', 'P7Y')), series(atMost('R-9', 'P2Y'))], 'R-9 2022-03-10, R-9 governs, R-1 capped'],
    ['custom within it stays', [series(customary('R-1', 'P1Y')), series(atMost('R-9', 'P2Y'))], 'R-1 2021-03-10, R-9 nothing'],
    [
      'custom for good yields',
      [series(customary('R-1', 'P0D', noClock)), series(atMost('R-9', 'P2Y'))],
      'R-9 2022-03-10, R-9 governs, R-1 capped',
    ],
    [
      'custom that waits yields',
      [series(customary('R-1', 'P1Y', notYet)), series(atMost('R-9', 'P2Y'))],
      'R-9 2022-03-10, R-9 governs, R-1 capped',
    ],
    [
      'what is required for good is in conflict',
      [series(required('R-1', 'P0D', noClock)), series(atMost('R-9', 'P2Y'))],
      'R-1 permanent, R-9 conflict',
    ],
    ['what must wait is in conflict', [series(required('R-1', 'P1Y', notYet)), series(atMost('R-9', 'P2Y'))], 'R-1 waiting, R-9 conflict'],
    [
      'a cap without a date caps nothing',
      [series(required('R-1', 'P7Y')), series(atMost('R-9', 'P2Y', notYet))],
      'R-1 2027-03-10, R-9 nothing',
    ],
    ['alone it governs', [series(atMost('R-9', 'P2Y'))], 'R-9 2022-03-10, R-9 governs'],
    ['alone and without a date it waits', [series(atMost('R-9', 'P2Y', notYet))], 'R-9 waiting, R-9 governs'],
    ['from farther out it caps, too', [series(required('R-1', 'P7Y')), func(atMost('R-9', 'P2Y'))], 'R-1 2027-03-10, R-9 conflict'],
    [
      'nearer it makes no level that counts',
      [folder(atMost('R-9', 'P20Y')), series(required('R-1', 'P7Y'))],
      'R-1 2027-03-10, R-9 nothing',
    ],
    [
      'the nearest cap counts',
      [series(required('R-1', 'P7Y')), folder(atMost('R-8', 'P9Y')), func(atMost('R-9', 'P2Y'))],
      'R-1 2027-03-10, R-8 nothing, R-9 farther away',
    ],
    [
      'of one level the earliest',
      [series(required('R-1', 'P7Y')), series(atMost('R-8', 'P9Y')), series(atMost('R-9', 'P2Y'))],
      'R-1 2027-03-10, R-9 conflict, R-8 caps later',
    ],
    [
      'of one level, one without a date',
      [series(required('R-1', 'P7Y')), series(atMost('R-8', 'P9Y')), series(atMost('R-9', 'P2Y', notYet))],
      'R-1 2027-03-10, R-8 nothing, R-9 caps later',
    ],
    [
      'of equals the code that comes last',
      [series(atMost('R-8', 'P9Y')), series(atMost('R-9', 'P9Y'))],
      'R-9 2029-03-10, R-9 governs, R-8 caps later',
    ],
    [
      'the longest that keeps is held against it',
      [series(customary('R-1', 'P7Y')), series(required('R-2', 'P5Y')), series(atMost('R-9', 'P6Y'))],
      'R-9 2026-03-10, R-9 governs, R-1 capped, R-2 keeps shorter',
    ],
    [
      'elsewhere it does not count',
      [series(required('R-1', 'P7Y')), series(atMost('R-9', 'P2Y', { jurisdictions: ['Southshore'] }))],
      'R-1 2027-03-10, no cap, R-9 other jurisdiction',
    ],
  ];
  for (const [name, candidates, expected] of table) it(name, () => expect(said(candidates)).toBe(expected));

  const byDate: Override = { kind: 'date', dueOn: '2030-06-01', action: 'destroy', ...hand };
  const byHand: [string, RuleCandidate[], Override, string][] = [
    ['a date by hand beyond it', [series(atMost('R-9', 'P2Y'))], byDate, 'nothing 2030-06-01, R-9 conflict'],
    ['a date by hand within it', [series(atMost('R-9', 'P20Y'))], byDate, 'nothing 2030-06-01, R-9 nothing'],
    ['for good by hand', [series(atMost('R-9', 'P20Y'))], { kind: 'forGood', ...hand }, 'nothing permanent, R-9 conflict'],
    [
      'for good by hand without a cap',
      [series(required('R-1', 'P7Y'))],
      { kind: 'forGood', ...hand },
      'nothing permanent, no cap, R-1 farther away',
    ],
    [
      'custom that somebody set on the record is more than custom',
      [series(atMost('R-9', 'P2Y'))],
      { kind: 'rule', versions: [customary('R-5', 'P7Y')], ...hand },
      'R-5 2027-03-10, R-9 conflict',
    ],
    [
      'a cap by hand',
      [series(customary('R-1', 'P7Y'))],
      { kind: 'rule', versions: [atMost('R-5', 'P2Y')], ...hand },
      'R-5 2022-03-10, R-5 governs, R-1 capped',
    ],
  ];
  for (const [name, candidates, override, expected] of byHand) it(name, () => expect(said(candidates, override)).toBe(expected));

  it('is explained with both authorities', () => {
    const about = (candidates: RuleCandidate[]) =>
      explain({ governing: governingRule(candidates, null, facts, [], today), facts, holds: [], missing: [] });
    const conflict = about([series(required('R-1', 'P7Y')), func(atMost('R-9', 'P2Y', { authority: 'Sound Privacy Act, s. 5' }))]);
    expect([
      conflict.summary,
      conflict.governing!.authority,
      conflict.cap!.rule.authority,
      conflict.cap!.dueOn,
      conflict.cap!.words,
    ]).toEqual([
      'Kept until 9 Mar 2027, then destroyed. R-9 allows less: a conflict.',
      'Sound Compact, art. 22',
      'Sound Privacy Act, s. 5',
      '2022-03-10',
      'R-9 allows it to be kept until 9 Mar 2022 at most, and it must be kept longer: decide which of the two counts',
    ]);
    expect(conflict.cap!.rule.basis).toBe('atMost');
    const words = (candidates: RuleCandidate[]) => about(candidates).cap?.words;
    expect(words([series(customary('R-1', 'P7Y')), series(atMost('R-9', 'P2Y'))])).toBe(
      'R-9 says how long it may be kept at most, and nothing requires longer',
    );
    expect(words([series(required('R-1', 'P1Y')), series(atMost('R-9', 'P2Y'))])).toBe('R-9 allows it to be kept longer, until 9 Mar 2022');
    expect(words([series(required('R-1', 'P1Y')), series(atMost('R-9', 'P2Y', notYet))])).toBe(
      'R-9 will limit it once its clock has started',
    );
    expect(words([series(required('R-1', 'P1Y'))])).toBeUndefined();
    expect(about([series(customary('R-1', 'P7Y')), series(atMost('R-9', 'P2Y'))]).yielded.map((y) => y.words)).toEqual([
      'customary, and 10 Mar 2027 is later than the law allows',
    ]);
    expect(about([series(customary('R-1', 'P0D', noClock)), series(atMost('R-9', 'P2Y'))]).yielded.map((y) => y.words)).toEqual([
      'customary, and keeps longer than the law allows',
    ]);
    expect(about([series(atMost('R-8', 'P9Y')), series(atMost('R-9', 'P2Y'))]).yielded.map((y) => y.words)).toEqual([
      'allows longer, until 9 Mar 2029',
    ]);
    expect(about([series(atMost('R-8', 'P9Y', notYet)), series(atMost('R-9', 'P2Y'))]).yielded.map((y) => y.words)).toEqual([
      'has no date yet, so it limits nothing',
    ]);
    const waits = about([series(required('R-1', 'P1Y', notYet)), series(atMost('R-9', 'P2Y'))]);
    expect(waits.summary).toBe('Waits for closing of its folder. Until then it is kept. R-9 allows less: a conflict.');
    const forGood = about([series(required('R-1', 'P0D', noClock)), series(atMost('R-9', 'P2Y'))]);
    expect(forGood.summary).toBe('Kept for good under rule R-1. R-9 allows less: a conflict.');
  });

  it('by hand is explained, too', () => {
    const about = (override: Override) =>
      explain({ governing: governingRule([series(atMost('R-9', 'P2Y'))], override, facts, [], today), facts, holds: [], missing: ['x'] });
    expect(about(byDate).summary).toBe('Kept until 31 May 2030, then destroyed, by override. R-9 allows less: a conflict.');
    const forGood = about({ kind: 'forGood', ...hand });
    expect([forGood.summary, forGood.override, forGood.outcome, forGood.missing]).toEqual([
      'Kept for good by override. R-9 allows less: a conflict.',
      hand,
      'permanent',
      ['x'],
    ]);
    expect(vintageIn(governingRule([], { kind: 'forGood', ...hand }, facts, [], today), civilDate('2019-05-05'))).toBe(2019);
  });
});

describe('clocks, explained', () => {
  const about = (version: RuleVersion, more: Partial<ClockFacts> = {}) => {
    const of = { ...facts, ...more };
    return explain({ governing: governingRule([series(version)], null, of, [], today), facts: of, holds: [], missing: [] });
  };
  const part = (fact: string, after: string) => ({ trigger: { kind: 'fact' as const, fact }, after });
  const born = civilDate('2001-05-05');
  const died = civilDate('2010-01-10');

  it('shows what it is the earliest of, and which counts', () => {
    const version = required('R-1', 'P0D', { trigger: { kind: 'earliest', of: [part('born', 'P25Y'), part('died', 'P8Y')] } });
    const { clock } = about(version, { factDates: { born: [born], died: [died] } });
    expect(clock).toEqual({
      trigger: 'the earliest of fact “born” + 25 years and fact “died” + 8 years',
      date: '2018-01-10',
      source: 'the record',
      parts: [
        { words: 'fact “born” + 25 years', date: '2001-05-05', counted: '2026-05-05', counts: false },
        { words: 'fact “died” + 8 years', date: '2010-01-10', counted: '2018-01-10', counts: true },
      ],
    });
    const latest = required('R-1', 'P0D', { trigger: { kind: 'latest', of: [part('born', 'P0D'), part('died', 'P8Y')] } });
    const waits = about(latest, { factDates: { born: [born] } });
    expect(waits.clock!.parts).toEqual([
      { words: 'fact “born”', date: '2001-05-05', counted: '2001-05-05', counts: false },
      { words: 'fact “died” + 8 years', date: null, counted: null, counts: false },
    ]);
    expect(waits.summary).toBe('Waits for the latest of fact “born” and fact “died” + 8 years. Until then it is kept.');
  });

  it('says since when a clock stands, and for what it waits', () => {
    const version = required('R-1', 'P3Y', { suspension: { stops: 'claim filed', resumes: 'judgment' } });
    const filed = { type: 'claim filed', on: civilDate('2021-01-01'), distance: 0, subject: 'the record' };
    const stands = about(version, { events: [filed] });
    expect([stands.outcome, stands.summary, stands.waitingSince, stands.stops, stands.missing]).toEqual([
      'waiting',
      'Its clock has been stopped since 1 Jan 2021, until event “judgment”. Until then it is kept.',
      '2021-01-01',
      [{ from: '2021-01-01', until: null }],
      ['event “judgment”'],
    ]);
    const on = about(version, { events: [filed, { ...filed, type: 'judgment', on: civilDate('2021-02-01') }] });
    expect([on.dueOn, on.stops]).toEqual(['2023-04-10', [{ from: '2021-01-01', until: '2021-02-01' }]]);
    const before = about(version, {
      events: [
        { ...filed, on: civilDate('2019-01-01') },
        { ...filed, type: 'judgment', on: civilDate('2020-03-10') },
      ],
    });
    expect(before.stops).toEqual([]);
  });

  it('says of which year the end is not listed', () => {
    const version = required('R-1', 'P3Y', { cutoff: { kind: 'namedYear', name: 'Council term', ends: ['2019-06-30'] } });
    const waits = about(version);
    expect([waits.outcome, waits.summary, waits.waitingSince, waits.clock!.date, waits.cutoff, waits.missing]).toEqual([
      'waiting',
      'Waits until the end of Council term in which its date lies is listed. Until then it is kept.',
      '2020-03-10',
      '2020-03-10',
      null,
      ['the end of Council term'],
    ]);
    expect(about({ ...version, cutoff: { kind: 'namedYear', name: 'Council term', ends: ['2022-06-30'] } }).cutoff).toEqual({
      words: 'rolled to end of Council term',
      clockStart: '2022-07-01',
    });
  });

  it('says how long before its date, and in which days', () => {
    const steps = [
      step('review', 'P90D', { from: 'beforeTrigger' }),
      step('askOwner', 'P1D', { workingDays: true }),
      step('destroy', 'P30D', { workingDays: true, from: 'previousStep' }),
    ];
    expect(about(rule('R-1', { steps })).steps.map((s) => s.words)).toEqual([
      'a keeper reviews 90 days before its date',
      'the owner is asked 1 working day after the clock starts',
      'destroyed 30 working days after the step before it',
    ]);
  });

  it('says what is kept as a sample', () => {
    const said = about(rule('R-1', { sample: { kind: 'everyNth', n: 20 } })).steps.map((s) => s.words);
    expect(said).toEqual(['destroyed 7 years after the clock starts, except every 20th by number']);
  });

  it('leaves behind what lay before its date once it starts anew', () => {
    const steps = [step('review', 'P90D', { from: 'beforeTrigger' }), step('destroy', 'P3Y')];
    const taken = { 'R-1': { completed: [], restartedOn: civilDate('2024-05-05') } };
    expect(about(rule('R-1', { steps }), { taken }).steps.map((s) => [s.dueOn, s.doneOn])).toEqual([
      ['2019-12-11', '2024-05-05'],
      ['2027-05-05', null],
    ]);
  });

  it('lets nothing go that stands, whatever its owner said', () => {
    const suspension = { stops: 'claim filed', resumes: 'judgment' };
    const stopped = [{ type: 'claim filed', on: civilDate('2021-01-01'), distance: 0, subject: 'the record' }];
    const taken = { 'R-1': { completed: [], releasedOn: civilDate('2021-05-05') } };
    expect(about(rule('R-1', { suspension }), { taken, events: stopped }).outcome).toBe('waiting');
    expect(about(rule('R-1', { suspension }), { taken }).dueOn).toBe('2021-05-05');
  });
});
