import { message } from '@key-cellar/words';
import type { Spoken } from '@key-cellar/words/spoken';
import { inEnglish, speaking } from '@key-cellar/words/testing';
import { civilDate } from '../calendar/index.js';
import {
  describeCutoff as describeCutoffSaid,
  describeStep as describeStepSaid,
  describeTrigger as describeTriggerSaid,
  explain as explainSaid,
  governingRule,
  stepKinds,
  type ClockFacts,
  type Cutoff,
  type Explanation,
  type HoldInTheWay,
  type Override,
  type RuleCandidate,
  type RuleVersion,
  type Trigger,
} from './index.js';
import { rule, step } from './testing/index.js';

const describeCutoff = speaking(describeCutoffSaid);
const describeStep = speaking(describeStepSaid);
const describeTrigger = speaking(describeTriggerSaid);
const explain = speaking(explainSaid);

const today = civilDate('2026-09-14');
const onSeries = (...versions: RuleVersion[]): RuleCandidate => ({ level: 'planNode', distance: 0, setOn: 'series PIL-03', versions });
const onFunction = (...versions: RuleVersion[]): RuleCandidate => ({ level: 'planNode', distance: 1, setOn: 'function PIL', versions });
const created: ClockFacts = { dates: { created: civilDate('2020-03-10') }, factDates: {}, events: [] };
const hold: HoldInTheWay = {
  since: '2026-01-01',
  hold: { id: 'h', name: 'Ottoline', matter: 'M-1', because: message('holds.because.listed') },
};
const said = (
  candidates: RuleCandidate[],
  {
    facts = created,
    override = null,
    holds = [],
    missing = [],
    places = [],
  }: Partial<{
    facts: ClockFacts;
    override: Override | null;
    holds: HoldInTheWay[];
    missing: string[];
    places: string[];
  }> = {},
): Spoken<Explanation> => explain({ governing: governingRule(candidates, override, facts, places, today), facts, holds, missing });

const explained = (code: string, setOn = 'series PIL-03') => ({
  code,
  version: 1,
  title: `Title of ${code}`,
  authority: 'Sound Compact, art. 22',
  setOn,
  inForceFrom: '2000-01-01',
  takesOver: 'all' as const,
  basis: 'required' as const,
});
const destroyed = {
  kind: 'destroy' as const,
  doneOn: null,
  repeat: null,
  approvals: 1,
  noticeDays: 14,
  words: 'destroyed 7 years after the clock starts',
};
const clock = { trigger: 'date of the document', date: '2020-03-10', source: 'the record', parts: [] };
const plain: Spoken<Explanation> = {
  outcome: 'dated',
  summary: 'Kept until 9 Mar 2027, then destroyed.',
  dueOn: '2027-03-10',
  action: 'destroy',
  governing: explained('R-1'),
  clock,
  cutoff: null,
  restartedOn: null,
  stops: [],
  cap: null,
  vintage: 2020,
  waitingSince: null,
  steps: [{ ...destroyed, dueOn: '2027-03-10' }],
  override: null,
  yielded: [],
  holds: [],
  missing: [],
};
const waiting: Trigger = { kind: 'event', eventType: 'lease ended', occurrence: 'last' };

describe('the explanation, whole', () => {
  it('of a date', () => expect(said([onSeries(rule('R-1'))])).toEqual(plain));

  it('of a date under a hold, with what is missing', () =>
    expect(said([onSeries(rule('R-1'))], { holds: [hold], missing: ['an owner'] })).toEqual({
      ...plain,
      summary: 'Kept until 9 Mar 2027, then destroyed. Nothing happens while it is held.',
      holds: inEnglish([hold]),
      missing: ['an owner'],
    }));

  it('of a date with a cutoff', () =>
    expect(said([onSeries(rule('R-1', { cutoff: { kind: 'calendarYear' } }))])).toEqual({
      ...plain,
      summary: 'Kept until 31 Dec 2027, then destroyed.',
      dueOn: '2028-01-01',
      cutoff: { words: 'rolled to end of year', clockStart: '2021-01-01' },
      steps: [{ ...destroyed, dueOn: '2028-01-01' }],
    }));

  it('of a clock that somebody started anew, which counts from that day whatever the cutoff', () => {
    const facts: ClockFacts = { ...created, taken: { 'R-1': { completed: [], restartedOn: civilDate('2024-05-05') } } };
    expect(said([onSeries(rule('R-1', { cutoff: { kind: 'calendarYear' } }))], { facts })).toEqual({
      ...plain,
      summary: 'Kept until 4 May 2031, then destroyed.',
      dueOn: '2031-05-05',
      restartedOn: '2024-05-05',
      vintage: 2024,
      steps: [{ ...destroyed, dueOn: '2031-05-05' }],
    });
  });

  it('of waiting, held and not', () => {
    const expected: Spoken<Explanation> = {
      ...plain,
      outcome: 'waiting',
      summary: 'Waits for event “lease ended”. Until then it is kept.',
      dueOn: null,
      clock: { trigger: 'event “lease ended”', date: null, source: 'not known yet', parts: [] },
      vintage: null,
      steps: [{ ...destroyed, dueOn: null }],
      missing: ['event “lease ended”', 'an owner'],
    };
    const candidates = [onSeries(rule('R-1', { trigger: waiting }))];
    expect(said(candidates, { missing: ['an owner'] })).toEqual(expected);
    expect(said(candidates, { missing: ['an owner'], holds: [hold] })).toEqual({
      ...expected,
      summary: 'Waits for event “lease ended”. Until then it is kept. Nothing happens while it is held.',
      holds: inEnglish([hold]),
    });
  });

  it('of what is kept for good', () =>
    expect(said([onSeries(rule('R-1', { steps: [step('keepPermanently', 'P0D')] }))])).toEqual({
      ...plain,
      outcome: 'permanent',
      summary: 'Kept for good under rule R-1.',
      dueOn: null,
      action: null,
      steps: [{ ...destroyed, kind: 'keepPermanently', dueOn: '2020-03-10', words: 'kept for good when the clock starts' }],
    }));

  it('of no rule', () =>
    expect(said([], { missing: ['an owner'], holds: [hold] })).toEqual({
      ...plain,
      outcome: 'unscheduled',
      summary: 'No rule reaches this record, so it has no date. Set a rule on its series or its folder.',
      dueOn: null,
      action: null,
      governing: null,
      clock: null,
      steps: [],
      holds: inEnglish([hold]),
      missing: ['a rule', 'an owner'],
    }));

  it('of a date by hand, beside the rule that would count', () => {
    const hand = { reason: 'the court asked', by: 'Ines', on: '2026-02-02' };
    const override: Override = { ...hand, kind: 'date', dueOn: '2030-06-01', action: 'transfer' };
    const expected: Spoken<Explanation> = {
      ...plain,
      summary: 'Kept until 31 May 2030, then transferred to the archive, by override.',
      dueOn: '2030-06-01',
      action: 'transfer',
      governing: null,
      clock: null,
      steps: [],
      override: hand,
      yielded: [
        { rule: explained('R-1'), reason: 'farther away', words: 'set on series PIL-03, which is farther away', dueOn: '2027-03-10' },
      ],
      missing: ['an owner'],
    };
    expect(said([onSeries(rule('R-1'))], { override, missing: ['an owner'] })).toEqual(expected);
    expect(said([onSeries(rule('R-1'))], { override, missing: ['an owner'], holds: [hold] }).summary).toBe(
      `${expected.summary} Nothing happens while it is held.`,
    );
  });

  it('of a rule by hand', () => {
    const hand = { reason: 'the court asked', by: 'Ines', on: '2026-02-02' };
    const { governing, override, yielded } = said([onSeries(rule('R-1'))], {
      override: { ...hand, kind: 'rule', versions: [rule('R-9')] },
    });
    expect([governing, override]).toEqual([explained('R-9', 'the record, by override'), hand]);
    expect(yielded.map((y) => y.words)).toEqual(['set on series PIL-03, which is farther away']);
    expect(said([onSeries(rule('R-1'))]).override).toBeNull();
  });

  it('of a rule without an end, and of an end that waits for the step before', () => {
    const open = said([onSeries(rule('R-1', { steps: [step('review', 'P2Y')] }))]);
    expect([open.outcome, open.summary, open.dueOn, open.action]).toEqual([
      'permanent',
      'Kept for good under rule R-1, and reviewed: it has no step that disposes.',
      null,
      null,
    ]);
    expect(said([onSeries(rule('R-1', { steps: [step('declare', 'P2Y')] }))]).summary).toBe(
      'Kept for good under rule R-1: it has no step that disposes.',
    );
    const after = said([onSeries(rule('R-1', { steps: [step('review', 'P2Y'), step('destroy', 'P1Y', { from: 'previousStep' })] }))], {
      holds: [hold],
    });
    expect([after.outcome, after.summary, after.dueOn, after.action, after.clock, after.waitingSince, after.vintage]).toEqual([
      'waiting',
      'Waits for the step before the last (a keeper reviews, from 10 Mar 2022), then destroyed. Until then it is kept. Nothing happens while it is held.',
      null,
      'destroy',
      clock,
      '2022-03-10',
      2020,
    ]);
    expect(after.steps.map((s) => [s.dueOn, s.words])).toEqual([
      ['2022-03-10', 'a keeper reviews 2 years after the clock starts'],
      [null, 'destroyed 1 year after the step before it'],
    ]);
  });

  it('of steps: where to, how often, by whom', () => {
    const steps = [
      step('askOwner', 'P0D', { repeatEvery: 'P1Y', approvals: 0, noticeDays: 0 }),
      step('move', 'P2Y', { to: 'CLOSED' }),
      step('destroy', 'P7Y', { approvals: 2, approverGroups: ['Board'], noticeDays: 30 }),
      step('review', 'P8Y', { approverGroups: [] }),
    ];
    expect(said([onSeries(rule('R-1', { steps }))]).steps).toEqual([
      {
        kind: 'askOwner',
        dueOn: '2020-03-10',
        doneOn: null,
        words: 'the owner is asked when the clock starts',
        repeat: 'again every 1 year',
        approvals: 0,
        noticeDays: 0,
      },
      {
        kind: 'move',
        dueOn: '2022-03-10',
        doneOn: null,
        words: 'moved to folder CLOSED 2 years after the clock starts',
        repeat: null,
        approvals: 1,
        noticeDays: 14,
      },
      { ...destroyed, dueOn: '2027-03-10', approvals: 2, approverGroups: ['Board'], noticeDays: 30 },
      {
        kind: 'review',
        dueOn: '2028-03-10',
        doneOn: null,
        words: 'a keeper reviews 8 years after the clock starts',
        repeat: null,
        approvals: 1,
        noticeDays: 14,
      },
    ]);
  });

  it('of steps that were taken', () => {
    const completed = [{ index: 0, kind: 'review' as const, on: civilDate('2022-04-01') }];
    const facts: ClockFacts = { ...created, taken: { 'R-1': { completed } } };
    const done = said([onSeries(rule('R-1', { steps: [step('review', 'P2Y'), step('destroy', 'P1Y', { from: 'previousStep' })] }))], {
      facts,
    });
    expect(done.steps.map((s) => [s.dueOn, s.doneOn])).toEqual([
      ['2022-03-10', '2022-04-01'],
      ['2023-04-01', null],
    ]);
    expect(done.summary).toBe('Kept until 31 Mar 2023, then destroyed.');
  });
});

describe('why a rule yields', () => {
  const words = (...args: Parameters<typeof said>) => said(...args).yielded.map((y) => [y.rule.code, y.reason, y.words, y.dueOn]);
  it('to a nearer one', () =>
    expect(words([onSeries(rule('R-1')), onFunction(rule('R-2', { steps: [step('destroy', 'P30Y')] }))])).toEqual([
      ['R-2', 'farther away', 'set on function PIL, which is farther away', '2050-03-10'],
    ]));
  it('to one that keeps longer, with the dates where both have one', () => {
    expect(words([onSeries(rule('R-1')), onSeries(rule('R-2', { steps: [step('destroy', 'P3Y')] }))])).toEqual([
      ['R-2', 'keeps shorter', '10 Mar 2023 is earlier; the longest period counts', '2023-03-10'],
    ]);
    expect(words([onSeries(rule('R-1')), onSeries(rule('R-2', { trigger: waiting }))])).toEqual([
      ['R-1', 'keeps shorter', 'keeps shorter; the longest period counts', '2027-03-10'],
    ]);
    const forGood = rule('R-3', { steps: [step('keepPermanently', 'P0D')] });
    expect(words([onSeries(rule('R-2', { trigger: waiting })), onSeries(forGood)])).toEqual([
      ['R-2', 'keeps shorter', 'keeps shorter; the longest period counts', null],
    ]);
  });
  it('to one that keeps as long and comes first', () =>
    expect(words([onSeries(rule('R-2')), onSeries(rule('R-1'))])).toEqual([
      ['R-2', 'tie, later code', 'keeps exactly as long; the rule code that comes first counts', '2027-03-10'],
    ]));
  it('because it holds elsewhere', () =>
    expect(words([onSeries(rule('R-1')), onSeries(rule('R-2', { jurisdictions: ['Brack', 'Tarrin'] }))], { places: ['Sound'] })).toEqual([
      ['R-2', 'other jurisdiction', 'applies in Brack and Tarrin only', '2027-03-10'],
    ]));
  it('because it is not in force yet, the newest of its versions named', () =>
    expect(
      words([
        onSeries(rule('R-1')),
        onSeries(
          rule('R-2', { version: 2, inForceFrom: '2031-01-01' }),
          rule('R-2', { version: 3, inForceFrom: '2032-01-01' }),
          rule('R-2', { inForceFrom: '2030-01-01' }),
        ),
      ]),
    ).toEqual([['R-2', 'not in force', 'not in force for this record (from 1 Jan 2032)', '2027-03-10']]));
});

describe('in words', () => {
  const triggers: [Trigger, string][] = [
    [{ kind: 'recordDate', date: 'created' }, 'date of the document'],
    [{ kind: 'recordDate', date: 'received' }, 'day it was received'],
    [{ kind: 'recordDate', date: 'filed' }, 'day it was filed'],
    [{ kind: 'recordDate', date: 'modified' }, 'day of its newest version'],
    [{ kind: 'recordDate', date: 'declared' }, 'day it was declared'],
    [{ kind: 'recordDate', date: 'superseded' }, 'day it was superseded'],
    [{ kind: 'recordDate', date: 'lastUsed' }, 'day it was last used'],
    [{ kind: 'fact', fact: 'ended' }, 'fact “ended”'],
    [{ kind: 'fact', fact: '' }, 'the fact'],
    [{ kind: 'folderClosed' }, 'closing of its folder'],
    [{ kind: 'event', eventType: 'lease ended', occurrence: 'last' }, 'event “lease ended”'],
    [{ kind: 'event', eventType: 'lease ended', occurrence: 'first' }, 'first event “lease ended”'],
    [{ kind: 'event', eventType: '', occurrence: 'first' }, 'the event'],
    [{ kind: 'never' }, 'no clock: kept for good'],
  ];
  for (const [trigger, words] of triggers) it(words, () => expect(describeTrigger(trigger)).toBe(words));
  const cutoffs: [Cutoff, string | null][] = [
    [{ kind: 'none' }, null],
    [{ kind: 'month' }, 'rolled to end of month'],
    [{ kind: 'quarter' }, 'rolled to end of quarter'],
    [{ kind: 'calendarYear' }, 'rolled to end of year'],
    ...'January February March April May June July August September October November December'
      .split(' ')
      .map((name, i): [Cutoff, string] => [
        { kind: 'fiscalYear', firstMonth: i + 1, firstDay: 6 },
        `rolled to end of the fiscal year that begins on 6 ${name}`,
      ]),
  ];
  for (const [cutoff, words] of cutoffs) it(words ?? 'no cutoff', () => expect(describeCutoff(cutoff)).toBe(words));
  it('every kind of step has its own', () => {
    const words = stepKinds.map(describeStep);
    expect(new Set(words).size).toBe(stepKinds.length);
    expect(describeStep('destroy')).toBe('destroyed');
  });
});
