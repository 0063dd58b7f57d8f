import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  compileGoverning,
  conflictIn,
  dateSlots,
  governingRule,
  isDisposing,
  mayBePartOf,
  recordDates,
  shortens,
  unknownDay,
  widened,
  type ClockFacts,
  type FastVerdict,
  type Governing,
  type Override,
  type RuleCandidate,
  type RuleVersion,
  type SimpleTrigger,
} from './index.js';
import { rule, step as stepOf } from './testing/index.js';

const today = civilDate('2026-09-14');
const days = ['2019-05-07', '2020-02-29', '2020-12-31', '2024-03-31', '2026-09-14'];
const day = fc.constantFrom(...days).map(civilDate);
const several = fc.array(day, { minLength: 1, maxLength: 3 });

const simple: fc.Arbitrary<SimpleTrigger> = fc.oneof(
  fc.constantFrom(...recordDates).map((date) => ({ kind: 'recordDate' as const, date })),
  fc.record(
    {
      kind: fc.constant('fact' as const),
      fact: fc.constantFrom('expires', 'signed'),
      occurrence: fc.constantFrom('first' as const, 'last' as const),
    },
    { requiredKeys: ['kind', 'fact'] },
  ),
  fc.constant({ kind: 'folderClosed' as const }),
  fc.record({
    kind: fc.constant('event' as const),
    eventType: fc.constantFrom('ended', 'left'),
    occurrence: fc.constantFrom('first' as const, 'last' as const),
  }),
  fc.constantFrom('contract', 'master').map((fact) => ({ kind: 'unreferenced' as const, fact })),
);
const trigger: fc.Arbitrary<RuleVersion['trigger']> = fc.oneof(
  { weight: 6, arbitrary: simple },
  {
    weight: 3,
    arbitrary: fc.record({
      kind: fc.constantFrom('earliest' as const, 'latest' as const),
      of: fc.array(fc.record({ trigger: simple, after: fc.constantFrom('P0D', 'P1Y', 'P6M') }), { minLength: 2, maxLength: 3 }),
    }),
  },
  { weight: 1, arbitrary: fc.constant({ kind: 'never' as const }) },
);
const cutoff: fc.Arbitrary<RuleVersion['cutoff']> = fc.constantFrom(
  { kind: 'none' },
  { kind: 'month' },
  { kind: 'quarter' },
  { kind: 'calendarYear' },
  { kind: 'fiscalYear', firstMonth: 10, firstDay: 1 },
  { kind: 'namedYear', name: 'term', ends: ['2020-06-30', '2024-05-31'] },
);
const step = fc
  .record({
    kind: fc.constantFrom('destroy' as const, 'transfer' as const, 'review' as const, 'keepPermanently' as const),
    after: fc.constantFrom('P0D', 'P1Y', 'P6M', 'P7Y', 'P90D'),
    from: fc.constantFrom('clockStart' as const, 'previousStep' as const),
    workingDays: fc.boolean(),
    approvals: fc.constant(1),
    noticeDays: fc.constant(0),
  })
  .map((s) => ({ ...s, workingDays: s.workingDays && s.after === 'P90D' }));
const version = (code: string, no: number): fc.Arbitrary<RuleVersion> =>
  fc.record({
    id: fc.constant(`${code}-${no}`),
    code: fc.constant(code),
    version: fc.constant(no),
    title: fc.constant(code),
    authority: fc.constant('Sound Compact'),
    jurisdictions: fc.subarray(['Sound', 'Northshore', 'Southshore'], { maxLength: 2 }),
    trigger,
    cutoff,
    suspension: fc.option(fc.constant({ stops: 'Stopped', resumes: 'resumed' }), { nil: undefined }),
    basis: fc.constantFrom(undefined, 'required' as const, 'customary' as const, 'atMost' as const),
    steps: fc.array(step, { minLength: 1, maxLength: 3 }),
    inForceFrom: fc.constantFrom('2000-01-01', '2020-06-01', '2021-01-01', '2030-01-01'),
    takesOver: fc.constantFrom('all' as const, 'laterClocks' as const),
  });
const candidate: fc.Arbitrary<RuleCandidate> = fc
  .record({
    level: fc.constantFrom('typeAndSeries' as const, 'criteria' as const, 'folder' as const, 'planNode' as const),
    distance: fc.nat(2),
    code: fc.constantFrom('R-A', 'R-B', 'R-C', 'R-D'),
    count: fc.nat(3),
  })
  .chain(({ level, distance, code, count }) =>
    fc
      .tuple(...Array.from({ length: count }, (_, i) => version(code, i + 1)))
      .map((versions) => ({ level, distance, setOn: level, versions: versions as RuleVersion[] })),
  );
const facts: fc.Arbitrary<ClockFacts> = fc.record(
  {
    dates: fc.record(Object.fromEntries(recordDates.map((d) => [d, day])) as never, { requiredKeys: [] }),
    factDates: fc.record({ expires: several, signed: several }, { requiredKeys: [] }) as fc.Arbitrary<Record<string, number[]>>,
    folderClosed: fc.record({ on: day, subject: fc.constant('folder') }),
    events: fc.array(
      fc.record({
        type: fc.constantFrom('ended', 'Left', 'stopped', 'resumed'),
        on: day,
        distance: fc.nat(2),
        subject: fc.constant('folder'),
      }),
      {
        maxLength: 6,
      },
    ),
    unreferenced: fc.record({ contract: fc.option(day), master: fc.option(day) }, { requiredKeys: [] }) as fc.Arbitrary<
      Record<string, number | null>
    >,
    workdays: fc.constantFrom({ weekend: [5, 6], holidays: days.map(civilDate) }, { weekend: [7], holidays: [] }),
  },
  { requiredKeys: ['dates', 'factDates', 'events'] },
);

/** What the slow way says, in the shape of the fast one. */
function slow(governing: Governing): FastVerdict {
  const conflict = conflictIn(governing);
  if (governing.kind !== 'rule')
    return { outcome: 'unscheduled', rule: null, triggerOn: unknownDay, clockStart: unknownDay, dueOn: unknownDay, conflict };
  const { rule, verdict } = governing.by;
  return {
    outcome: verdict.kind,
    rule,
    triggerOn: verdict.trigger?.on ?? unknownDay,
    clockStart: verdict.clockStart ?? unknownDay,
    dueOn: verdict.kind === 'dated' ? verdict.dueOn : unknownDay,
    conflict,
  };
}

describe('the fast way to a governing rule', () => {
  it('decides exactly as the one that explains itself', () => {
    fc.assert(
      fc.property(
        // One code stands once on a level: a rule is set in a place once.
        fc.uniqueArray(candidate, { maxLength: 6, selector: (c) => `${c.level} ${c.distance} ${c.versions[0]?.code ?? ''}` }),
        facts,
        fc.subarray(['Sound', 'Northshore', 'Southshore']),
        (candidates, clock, jurisdictions) => {
          const slots = dateSlots(candidates.flatMap((c) => c.versions));
          const dates = new Int32Array(slots.length).fill(unknownDay);
          slots.dates.forEach((d, i) => (dates[i] = clock.dates[d] ?? unknownDay));
          slots.references.forEach((fact, i) => (dates[slots.dates.length + i] = clock.unreferenced?.[fact] ?? unknownDay));
          slots.facts.forEach(({ fact, occurrence }, i) => {
            const all = clock.factDates[fact];
            dates[slots.dates.length + slots.references.length + i] = all
              ? occurrence === 'first'
                ? Math.min(...all)
                : Math.max(...all)
              : unknownDay;
          });
          const fast: FastVerdict = { outcome: 'unscheduled', rule: null, triggerOn: 0, clockStart: 0, dueOn: 0, conflict: null };
          compileGoverning(candidates, clock, jurisdictions, today, slots)(dates, fast);
          const wanted = slow(governingRule(candidates, null, clock, jurisdictions, today));
          const named = (v: FastVerdict) => ({ ...v, rule: v.rule?.id, conflict: v.conflict?.id });
          expect(named(fast)).toEqual(named(wanted));
        },
      ),
      { numRuns: 3000 },
    );
  });
});

describe('setting by hand', () => {
  const clock: ClockFacts = { dates: { created: civilDate('2020-03-10') }, factDates: {}, events: [] };
  const hand = { reason: 'board decision', by: 'Ines', on: '2026-09-01' };
  const set = (changes: Partial<RuleVersion> | null, override: Override | null): Governing =>
    governingRule(
      changes === null ? [] : [{ level: 'planNode', distance: 0, setOn: 'series', versions: [rule('R-X', changes)] }],
      override,
      clock,
      [],
      today,
    );
  const date = (dueOn: string): Override => ({ kind: 'date', dueOn, action: 'destroy', ...hand });
  const table: [string, Partial<RuleVersion> | null, Override, boolean][] = [
    ['a day earlier', {}, date('2027-03-09'), true],
    ['the same day', {}, date('2027-03-10'), false],
    ['a day later', {}, date('2027-03-11'), false],
    ['any date on what no rule reaches', null, date('2020-01-01'), false],
    ['a date on what is kept for good', { trigger: { kind: 'never' } }, date('2999-01-01'), true],
    ['a date on what waits', { trigger: { kind: 'folderClosed' } }, date('2999-01-01'), true],
    ['a rule that keeps for good', {}, { kind: 'rule', versions: [rule('R-P', { trigger: { kind: 'never' } })], ...hand }, false],
    ['a rule that waits', {}, { kind: 'rule', versions: [rule('R-W', { trigger: { kind: 'folderClosed' } })], ...hand }, false],
    [
      'a shorter rule',
      {},
      {
        kind: 'rule',
        versions: [rule('R-S', { steps: [stepOf('destroy', 'P1Y')] })],
        ...hand,
      },
      true,
    ],
  ];
  for (const [name, rules, override, expected] of table) {
    it(`${name} ${expected ? 'shortens' : 'does not shorten'}`, () => {
      expect(shortens(set(rules, override), set(rules, null))).toBe(expected);
    });
  }
  it('is told with its reason, its author and its day', () => {
    const found = set({}, date('2030-01-01'));
    expect(found.kind === 'overrideDate' && found.hand).toEqual(hand);
    const byRule = set({}, { kind: 'rule', versions: [rule('R-W')], ...hand });
    expect(byRule.kind === 'rule' && byRule.hand).toEqual(hand);
    const without = set({}, null);
    expect(without.kind === 'rule' && without.hand).toBeNull();
  });
});

describe('jurisdictions', () => {
  const all = [
    { name: 'Sound', partOf: null },
    { name: 'Northshore', partOf: 'Sound' },
    { name: 'North quay', partOf: 'Northshore' },
    { name: 'Southshore', partOf: 'Sound' },
  ];
  it('reach from the narrow to the wide, not back', () => {
    expect(widened(['North quay'], all)).toEqual(['North quay', 'Northshore', 'Sound']);
    expect(widened(['Sound'], all)).toEqual(['Sound']);
    expect(widened(['Northshore', 'Southshore'], all)).toEqual(['Northshore', 'Sound', 'Southshore']);
    expect(widened([], all)).toEqual([]);
    expect(widened(['Elsewhere'], all)).toEqual(['Elsewhere']);
  });
  it('never close a circle', () => {
    expect(mayBePartOf('Sound', 'North quay', all)).toBe(false);
    expect(mayBePartOf('Sound', 'Sound', all)).toBe(false);
    expect(mayBePartOf('Southshore', 'Northshore', all)).toBe(true);
    expect(
      widened(
        ['a'],
        [
          { name: 'a', partOf: 'b' },
          { name: 'b', partOf: 'a' },
        ],
      ),
    ).toEqual(['a', 'b']);
  });
});

describe('kinds of steps', () => {
  it('that end a stay', () =>
    expect(['destroy', 'transfer', 'review'].map((k) => isDisposing(k as 'review'))).toEqual([true, true, false]));
});
