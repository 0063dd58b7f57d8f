import * as fc from 'fast-check';
import {
  parseCutoff,
  parseSteps,
  parseTrigger,
  printCutoff,
  printSteps,
  printTrigger,
  recordDates,
  stepKinds,
  type Cutoff,
  type Step,
  type Trigger,
} from './index.js';

const name = fc.stringMatching(/^[a-z][a-z ]{0,12}[a-z]$/).filter((n) => !/ {2}/.test(n));
const trigger: fc.Arbitrary<Trigger> = fc.oneof(
  fc.constantFrom(...recordDates).map((date): Trigger => ({ kind: 'recordDate', date })),
  name.map((fact): Trigger => ({ kind: 'fact', fact })),
  fc.constant<Trigger>({ kind: 'folderClosed' }),
  fc.record({ kind: fc.constant('event' as const), eventType: name, occurrence: fc.constantFrom('first' as const, 'last' as const) }),
  fc.constant<Trigger>({ kind: 'never' }),
);
const cutoff: fc.Arbitrary<Cutoff> = fc.oneof(
  fc.constantFrom<Cutoff>({ kind: 'none' }, { kind: 'month' }, { kind: 'quarter' }, { kind: 'calendarYear' }),
  fc.record({
    kind: fc.constant('fiscalYear' as const),
    firstMonth: fc.integer({ min: 1, max: 12 }),
    firstDay: fc.integer({ min: 1, max: 28 }),
  }),
);
const step: fc.Arbitrary<Step> = fc
  .record({
    kind: fc.constantFrom(...stepKinds),
    after: fc.constantFrom('P0D', 'P7Y', 'P18M', 'P1Y6M', 'P90D'),
    from: fc.constantFrom('clockStart' as const, 'previousStep' as const),
    repeatEvery: fc.option(fc.constantFrom('P30D', 'P1M'), { nil: undefined }),
    to: fc.constantFrom('CLOSED', '2024 to 2025', 'to Q-19', 'A, B; C'),
    approvals: fc.nat(3),
    approverGroups: fc.option(
      fc.subarray(['Board', 'Finance and dues', 'Counsel', 'Masters, pilots; crews', 'Wind or tide', 'The "old" guard'], { minLength: 1 }),
      { nil: undefined },
    ),
    noticeDays: fc.nat(30),
  })
  .map(({ repeatEvery, to, approverGroups, ...s }) => ({
    ...s,
    ...(approverGroups === undefined || s.approvals === 0 ? {} : { approverGroups }),
    ...(repeatEvery === undefined ? {} : { repeatEvery }),
    ...(s.kind === 'move' ? { to } : {}),
  }));

describe('a rule in a table', () => {
  it('is read as it was written', () => {
    fc.assert(
      fc.property(trigger, cutoff, fc.array(step, { minLength: 1, maxLength: 4 }), (t, c, s) => {
        expect(parseTrigger(printTrigger(t))).toEqual({ ok: true, value: t });
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
  const mistakes: [(text: string) => { ok: boolean; sentence?: string }, string, RegExp][] = [
    [parseTrigger, '', /when the clock starts/],
    [parseTrigger, 'when it ends', /when the clock starts/],
    [parseTrigger, 'event', /when the clock starts/],
    [parseCutoff, 'year end', /no cutoff/],
    [parseCutoff, 'fiscal year from 13-1', /no cutoff/],
    [parseCutoff, 'fiscal year from 2-29', /no cutoff/],
    [parseSteps, '', /names no step/],
    [parseSteps, 'shred P7Y', /“shred P7Y” is no step/],
    [parseSteps, 'destroy', /after how long/],
    [parseSteps, 'destroy seven years', /after how long/],
    [parseSteps, 'ask owner P5Y every month', /“month” is no period/],
    [parseSteps, 'destroy P7Y, two approvals', /“two approvals” is neither/],
  ];
  for (const [parse, text, sentence] of mistakes) it(`“${text}” is told wrong`, () => expect(parse(text).sentence).toMatch(sentence));
});
