import { speaking } from '@key-cellar/words/testing';
import * as fc from 'fast-check';
import {
  parseCutoff,
  parseBasis,
  parseSteps,
  parseSuspension,
  parseTrigger,
  printBasis,
  printCutoff,
  printSteps,
  printSuspension,
  printTrigger,
  recordDates,
  stepKinds,
  type Cutoff,
  type Read,
  type SimpleTrigger,
  type Step,
  type Trigger,
} from './index.js';
import { afterPrevious, step } from './testing/index.js';

/** Without approvals and notice. */
const bare = { approvals: 0, noticeDays: 0 };
const name = fc.stringMatching(/^[a-z][a-z ]{0,12}[a-z]$/).filter((n) => !/ {2}/.test(n));
const simpleOf = (names: fc.Arbitrary<string>): fc.Arbitrary<SimpleTrigger> =>
  fc.oneof(
    fc.constantFrom(...recordDates).map((date): SimpleTrigger => ({ kind: 'recordDate', date })),
    names.map((fact): SimpleTrigger => ({ kind: 'fact', fact })),
    names.map((fact): SimpleTrigger => ({ kind: 'fact', fact, occurrence: 'first' })),
    names.map((fact): SimpleTrigger => ({ kind: 'unreferenced', fact })),
    fc.constant<SimpleTrigger>({ kind: 'folderClosed' }),
    fc.record({ kind: fc.constant('event' as const), eventType: names, occurrence: fc.constantFrom('first' as const, 'last' as const) }),
  );
const oddName = fc.oneof(
  name,
  fc.constantFrom('a, b', 'x + y', 'this until that', 'wind or tide', '"quoted"', 'half "quoted', 'a; b', 'plus+minus'),
);
const trigger: fc.Arbitrary<Trigger> = fc.oneof(
  simpleOf(oddName),
  fc.record({
    kind: fc.constantFrom('earliest' as const, 'latest' as const),
    of: fc.array(fc.record({ trigger: simpleOf(oddName), after: fc.constantFrom('P0D', 'P7Y', 'P1Y6M') }), { minLength: 2, maxLength: 4 }),
  }),
  fc.constant<Trigger>({ kind: 'never' }),
);
const suspension = fc.option(fc.record({ stops: oddName, resumes: oddName }), { nil: undefined });
const cutoff: fc.Arbitrary<Cutoff> = fc.oneof(
  fc.constantFrom<Cutoff>({ kind: 'none' }, { kind: 'month' }, { kind: 'quarter' }, { kind: 'calendarYear' }),
  fc.record({
    kind: fc.constant('fiscalYear' as const),
    firstMonth: fc.integer({ min: 1, max: 12 }),
    firstDay: fc.integer({ min: 1, max: 31 }),
  }),
  name.map((n): Cutoff => ({ kind: 'namedYear', name: n })),
);
const anyStep: fc.Arbitrary<Step> = fc
  .record({
    kind: fc.constantFrom(...stepKinds),
    after: fc.constantFrom('P0D', 'P7Y', 'P18M', 'P1Y6M', 'P90D'),
    from: fc.constantFrom('clockStart' as const, 'previousStep' as const, 'beforeTrigger' as const),
    workingDays: fc.boolean(),
    repeatEvery: fc.option(fc.constantFrom('P30D', 'P1M'), { nil: undefined }),
    to: fc.constantFrom('CLOSED', '2024 to 2025', 'to Q-19', 'A, B; C'),
    approvals: fc.nat(3),
    approverGroups: fc.option(
      fc.subarray(['Board', 'Finance and dues', 'Counsel', 'Masters, pilots; crews', 'Wind or tide', 'The "old" guard'], { minLength: 1 }),
      { nil: undefined },
    ),
    noticeDays: fc.nat(30),
  })
  .map(({ repeatEvery, to, approverGroups, workingDays, ...s }) => ({
    ...s,
    ...(workingDays && s.after === 'P90D' ? { workingDays } : {}),
    ...(approverGroups === undefined || s.approvals === 0 ? {} : { approverGroups }),
    ...(repeatEvery === undefined ? {} : { repeatEvery }),
    ...(s.kind === 'move' ? { to } : {}),
  }));

describe('a rule in a table', () => {
  it('is read as it was written', () => {
    fc.assert(
      fc.property(trigger, cutoff, suspension, fc.array(anyStep, { minLength: 1, maxLength: 4 }), (t, c, stops, s) => {
        expect(parseTrigger(printTrigger(t)))
          .withContext(printTrigger(t))
          .toEqual({ ok: true, value: t });
        expect(parseSuspension(printSuspension(stops)))
          .withContext(printSuspension(stops))
          .toEqual({ ok: true, value: stops });
        expect(parseCutoff(printCutoff(c))).toEqual({ ok: true, value: c });
        expect(parseSteps(printSteps(s)))
          .withContext(printSteps(s))
          .toEqual({ ok: true, value: s });
      }),
    );
  });
  it('reads well', () => {
    const steps: Step[] = [
      { kind: 'askOwner', after: 'P5Y', from: 'clockStart', repeatEvery: 'P30D', approvals: 0, noticeDays: 0 },
      { kind: 'destroy', after: 'P2Y', from: 'previousStep', approvals: 2, noticeDays: 21 },
    ];
    expect(printSteps(steps)).toBe('ask owner P5Y every P30D; destroy P2Y after the step before, 2 approvals, 21 days notice');
    expect(printTrigger({ kind: 'event', eventType: 'lease ended', occurrence: 'last' })).toBe('event lease ended');
  });
  it('takes lengths of time in words', () => {
    const destroy: Step = { kind: 'destroy', after: 'P1Y6M', from: 'clockStart', approvals: 1, noticeDays: 14 };
    const ask: Step = { kind: 'askOwner', after: 'P12M', from: 'previousStep', repeatEvery: 'P30D', approvals: 0, noticeDays: 0 };
    expect(
      parseSteps('ask owner 12 months after the step before every 30 days; destroy 1 year and 6 months, 1 approval, 14 days notice'),
    ).toEqual({
      ok: true,
      value: [ask, destroy],
    });
  });
  const read: [(text: string) => Read<unknown>, string, unknown][] = [
    ...recordDates.map((date): [typeof parseTrigger, string, Trigger] => [
      parseTrigger,
      date === 'lastUsed' ? ' Last  Used ' : ` ${date.toUpperCase()} `,
      { kind: 'recordDate', date },
    ]),
    [parseTrigger, 'Folder  Closed', { kind: 'folderClosed' }],
    [parseTrigger, 'NEVER', { kind: 'never' }],
    [parseTrigger, 'Fact Expires On', { kind: 'fact', fact: 'Expires On' }],
    [parseTrigger, 'event lease ended', { kind: 'event', eventType: 'lease ended', occurrence: 'last' }],
    [parseTrigger, 'Last Event lease ended', { kind: 'event', eventType: 'lease ended', occurrence: 'last' }],
    [parseTrigger, 'FIRST EVENT lease ended', { kind: 'event', eventType: 'lease ended', occurrence: 'first' }],
    [parseTrigger, 'event first sailing', { kind: 'event', eventType: 'first sailing', occurrence: 'last' }],
    [parseTrigger, 'Unreferenced By Contract', { kind: 'unreferenced', fact: 'Contract' }],
    [
      parseTrigger,
      'EARLIEST of fact born + 25 years,  created + p1y, folder closed',
      {
        kind: 'earliest',
        of: [
          { trigger: { kind: 'fact', fact: 'born' }, after: 'P25Y' },
          { trigger: { kind: 'recordDate', date: 'created' }, after: 'P1Y' },
          { trigger: { kind: 'folderClosed' }, after: 'P0D' },
        ],
      },
    ],
    [
      parseTrigger,
      'latest of event "sale, final" + P1Y, first event "a + b"',
      {
        kind: 'latest',
        of: [
          { trigger: { kind: 'event', eventType: 'sale, final', occurrence: 'last' }, after: 'P1Y' },
          { trigger: { kind: 'event', eventType: 'a + b', occurrence: 'first' }, after: 'P0D' },
        ],
      },
    ],
    [parseSuspension, ' ', undefined],
    [parseSuspension, 'Claim filed Until  judgment', { stops: 'Claim filed', resumes: 'judgment' }],
    [parseSuspension, '"held until heard" until judgment', { stops: 'held until heard', resumes: 'judgment' }],
    [parseBasis, '', undefined],
    [parseBasis, 'Required', undefined],
    [parseBasis, 'CUSTOMARY', 'customary'],
    [parseBasis, 'At  Most', 'atMost'],
    [parseCutoff, 'Named Year Council term', { kind: 'namedYear', name: 'Council term' }],
    [parseSteps, 'review P90D Before Its Date', [step('review', 'P90D', { ...bare, from: 'beforeTrigger' })]],
    [parseSteps, 'destroy 30 Working Days', [step('destroy', 'P30D', { ...bare, workingDays: true })]],
    [parseSteps, 'destroy 1 working day after the step before', [step('destroy', 'P1D', { ...bare, ...afterPrevious, workingDays: true })]],
    [parseCutoff, ' ', { kind: 'none' }],
    [parseCutoff, 'None', { kind: 'none' }],
    [parseCutoff, 'Month', { kind: 'month' }],
    [parseCutoff, 'quarter', { kind: 'quarter' }],
    [parseCutoff, 'year', { kind: 'calendarYear' }],
    [parseCutoff, 'Calendar  Year', { kind: 'calendarYear' }],
    [parseCutoff, 'fiscal year from 1-1', { kind: 'fiscalYear', firstMonth: 1, firstDay: 1 }],
    [parseCutoff, 'Fiscal year from 12-28', { kind: 'fiscalYear', firstMonth: 12, firstDay: 28 }],
    [parseSteps, 'DESTROY  p7y , 1 Approval', [step('destroy', 'P7Y', { noticeDays: 0 })]],
    [parseSteps, 'Destroy P7Y, 14 Days Notice;', [step('destroy', 'P7Y', { approvals: 0 })]],
    [parseSteps, 'destroy P7Y After The Step Before', [step('destroy', 'P7Y', { ...bare, ...afterPrevious })]],
    [
      parseSteps,
      'destroy P7Y, 2 approvals Of Board OR "Wind or tide"',
      [step('destroy', 'P7Y', { approvals: 2, noticeDays: 0, approverGroups: ['Board', 'Wind or tide'] })],
    ],
    [parseSteps, 'keep for good', [step('keepPermanently', 'P0D', bare)]],
    [parseSteps, 'keep for good P5Y', [step('keepPermanently', 'P5Y', bare)]],
    [parseSteps, 'move P6Y to "A, ""B"""', [step('move', 'P6Y', { ...bare, to: 'A, "B"' })]],
    [parseSteps, 'move P6Y To 5" tapes', [step('move', 'P6Y', { ...bare, to: '5" tapes' })]],
    [
      parseSteps,
      '; ask owner P1Y Every P1M ; ; review P2Y',
      [step('askOwner', 'P1Y', { ...bare, repeatEvery: 'P1M' }), step('review', 'P2Y', bare)],
    ],
  ];
  for (const [parse, text, value] of read) it(`“${text}” is read`, () => expect(parse(text)).toEqual({ ok: true, value }));

  const printed: [string, string][] = [
    [printSteps([step('keepPermanently', 'P0D', bare)]), 'keep for good'],
    [printSteps([step('keepPermanently', 'P5Y', { noticeDays: 1 })]), 'keep for good P5Y, 1 approval, 1 day notice'],
    [printSteps([step('keepPermanently', 'P0D', { ...bare, ...afterPrevious })]), 'keep for good P0D after the step before'],
    [printSteps([step('keepPermanently', 'P0D', { ...bare, repeatEvery: 'P1Y' })]), 'keep for good P0D every P1Y'],
    [printSteps([step('declare', 'P0D', bare)]), 'declare P0D'],
    [printSteps([step('destroy', 'P7Y', { noticeDays: 0, approverGroups: [] })]), 'destroy P7Y, 1 approval'],
    [
      printSteps([step('destroy', 'P7Y', { noticeDays: 0, approverGroups: ['Board', 'North or south', 'The "old"'] })]),
      'destroy P7Y, 1 approval of Board or "North or south" or "The ""old"""',
    ],
    [printSteps([step('move', 'P6Y', { ...bare, to: 'A; B' })]), 'move P6Y to "A; B"'],
    [printTrigger({ kind: 'event', eventType: 'ended', occurrence: 'first' }), 'first event ended'],
    [printTrigger({ kind: 'fact', fact: 'hearing', occurrence: 'first' }), 'first fact hearing'],
    [printTrigger({ kind: 'fact', fact: 'hearing', occurrence: 'last' }), 'fact hearing'],
    [printTrigger({ kind: 'recordDate', date: 'lastUsed' }), 'last used'],
    [printCutoff({ kind: 'fiscalYear', firstMonth: 4, firstDay: 1 }), 'fiscal year from 4-1'],
    [printCutoff({ kind: 'namedYear', name: 'Council term', ends: ['2022-06-30'] }), 'named year Council term'],
    [printSteps([step('review', 'P10D', { ...bare, from: 'beforeTrigger', workingDays: true })]), 'review 10 working days before its date'],
    [printSteps([step('review', 'P1D', { ...bare, workingDays: true })]), 'review 1 working day'],
    [printSuspension(undefined), ''],
    [printSuspension({ stops: 'claim filed', resumes: 'judgment' }), 'claim filed until judgment'],
    [printBasis(undefined), 'required'],
    [printBasis('atMost'), 'at most'],
    [printTrigger({ kind: 'unreferenced', fact: 'contract' }), 'unreferenced by contract'],
    [
      printTrigger({
        kind: 'earliest',
        of: [
          { trigger: { kind: 'fact', fact: 'born' }, after: 'P25Y' },
          { trigger: { kind: 'event', eventType: 'sale, final', occurrence: 'first' }, after: 'P0D' },
        ],
      }),
      'earliest of fact born + P25Y, first event "sale, final"',
    ],
  ];
  for (const [was, wanted] of printed) it(`“${wanted}” is written`, () => expect(was).toBe(wanted));

  const noClock =
    'This does not say when the clock starts. Possible are created, received, filed, modified, declared, superseded, last used, fact …, first fact …, folder closed, event …, first event …, unreferenced by …, earliest of …, latest of … or never.';
  const noCutoff = 'This is no cutoff. Possible are none, month, quarter, half-year, calendar year, fiscal year from 4-1 or named year ….';
  const noStep = 'is not a step. Steps are ask owner, review, declare, trim versions, move, route, transfer, destroy or keep for good.';
  const noTime = 'does not say after how long, such as P7Y or 90 days.';
  const mistakes: [(text: string) => Read<unknown>, string, string][] = [
    ...['', 'when it ends', 'event', 'not event ended'].map((text): [typeof parseTrigger, string, string] => [parseTrigger, text, noClock]),
    ...[
      'year end',
      'fiscal year',
      'fiscal year from 0-1',
      'fiscal year from 13-1',
      'fiscal year from 4-0',
      'fiscal year from 2-32',
      'a fiscal year from 4-1',
      'fiscal year from 4-1-1',
    ].map((text): [typeof parseCutoff, string, string] => [parseCutoff, text, noCutoff]),
    [parseTrigger, 'earliest of created', '“earliest of” needs at least two, separated by commas.'],
    [parseTrigger, 'Latest of created + soon, filed', '“soon” is not a period, such as P25Y or 25 years.'],
    [parseTrigger, 'latest of created, never', noClock],
    [parseTrigger, 'latest of created, earliest of filed', noClock],
    ...['inquiry opened', 'a until b until c', 'until b'].map((text): [typeof parseSuspension, string, string] => [
      parseSuspension,
      text,
      'This does not say which event stops the clock and which restarts it, such as “inquiry opened until inquiry closed”.',
    ]),
    [parseBasis, 'at least', 'This must be one of required, customary or at most.'],
    [parseSteps, 'destroy many working days', `“destroy many working days” ${noTime}`],
    [parseSteps, '', 'There is no step.'],
    [parseSteps, ' ; ', 'There is no step.'],
    [parseSteps, 'shred P7Y', `“shred P7Y” ${noStep}`],
    [parseSteps, 'destroyed P7Y', `“destroyed P7Y” ${noStep}`],
    [parseSteps, ', 1 approval', `“1 approval” ${noStep}`],
    [parseSteps, 'review P1Y; shred P7Y', `“shred P7Y” ${noStep}`],
    [parseSteps, 'destroy', `“destroy” ${noTime}`],
    [parseSteps, 'destroy seven years', `“destroy seven years” ${noTime}`],
    [parseSteps, 'ask owner P5Y every month', '“month” is not a period, such as P30D or 30 days.'],
    [parseSteps, 'move P5Y', '“move P5Y” does not say to which folder, such as “to CLOSED”.'],
    [parseSteps, 'destroy P5Y to CLOSED', '“destroy P5Y to CLOSED”: only “move” takes a folder.'],
    ...['two approvals', '2 approvals more', 'about 2 approvals', '14 days', '2 of Board'].map(
      (part): [typeof parseSteps, string, string] => [
        parseSteps,
        `destroy P7Y, ${part}`,
        `“${part}” is neither a number of approvals nor days of notice.`,
      ],
    ),
  ];
  for (const [parse, text, sentence] of mistakes) {
    it(`“${text}” is told wrong`, () => expect(speaking(parse)(text)).toEqual({ ok: false, sentence }));
  }
});
