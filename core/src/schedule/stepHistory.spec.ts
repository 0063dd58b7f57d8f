import * as fc from 'fast-check';
import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  evaluateRule,
  governingRule,
  nextStep,
  overtakenOn,
  stepHistories,
  stepOutcomes,
  type ClockFacts,
  type RuleVersion,
  type Step,
  type StepAct,
  type StepOutcome,
} from './index.js';
import { afterPrevious, rule as published, step } from './testing/index.js';

const d = civilDate;
const rule = (steps: Step[], more: Partial<RuleVersion> = {}): RuleVersion =>
  published('R', { cutoff: { kind: 'calendarYear' }, steps, ...more });
const asks = rule([step('askOwner', 'P5Y'), step('review', 'P6Y'), step('destroy', 'P10Y')]);
const act = (on: string, outcome: StepOutcome, index = 0, kind: Step['kind'] = 'askOwner', code = 'R'): StepAct => ({
  rule: code,
  index,
  kind,
  outcome,
  on: d(on),
});
const facts = (...acts: StepAct[]): ClockFacts => ({
  dates: { created: d('2015-03-10') },
  factDates: {},
  events: [],
  taken: stepHistories(acts),
});

/** Clock start, due date and next step in words. */
function words(version: RuleVersion, ...acts: StepAct[]): string {
  const verdict = evaluateRule(version, facts(...acts));
  const next = nextStep(verdict.steps);
  const day = (on: number | null): string => (on === null ? '–' : formatCivilDate(on));
  const dated = verdict.kind === 'dated' ? `${day(verdict.clockStart)} ${day(verdict.dueOn)}` : verdict.kind;
  return `${dated}, ${next ? `${next.step.kind} ${day(next.dueOn)}` : 'nothing'}`;
}

describe('what steps have come to', () => {
  const table: [string, RuleVersion, StepAct[], string][] = [
    ['nothing was done yet', asks, [], '2016-01-01 2026-01-01, askOwner 2021-01-01'],
    [
      'kept: the clock counts from that very day, and all is asked again',
      asks,
      [act('2021-02-03', 'keep')],
      '2021-02-03 2031-02-03, askOwner 2026-02-03',
    ],
    ['kept twice', asks, [act('2021-02-03', 'keep'), act('2026-03-04', 'keep')], '2026-03-04 2036-03-04, askOwner 2031-03-04'],
    [
      'not needed: the last step may be taken from that day',
      asks,
      [act('2021-02-03', 'notNeeded')],
      '2016-01-01 2021-02-03, review 2022-01-01',
    ],
    [
      'not needed, said after the date that the rule gives',
      asks,
      [act('2027-02-03', 'notNeeded')],
      '2016-01-01 2026-01-01, review 2022-01-01',
    ],
    [
      'kept after it was not needed',
      asks,
      [act('2021-02-03', 'notNeeded'), act('2021-03-04', 'keep', 1, 'review')],
      '2021-03-04 2031-03-04, askOwner 2026-03-04',
    ],
    ['unanswered', asks, [act('2022-01-01', 'unanswered')], '2016-01-01 2026-01-01, review 2022-01-01'],
    [
      'reviewed and let go on',
      asks,
      [act('2022-01-01', 'unanswered'), act('2022-02-01', 'goOn', 1, 'review')],
      '2016-01-01 2026-01-01, nothing',
    ],
    ['an act under another rule', asks, [act('2021-02-03', 'keep', 0, 'askOwner', 'S')], '2016-01-01 2026-01-01, askOwner 2021-01-01'],
    [
      'an act about a step that the new version has no more',
      rule([step('review', 'P5Y'), step('destroy', 'P10Y')]),
      [act('2021-02-03', 'unanswered')],
      '2016-01-01 2026-01-01, review 2021-01-01',
    ],
    [
      'an act before a trigger that came later',
      rule([step('askOwner', 'P1Y'), step('destroy', 'P2Y')]),
      [act('2015-06-01', 'keep')],
      '2016-01-01 2018-01-01, askOwner 2017-01-01',
    ],
    [
      'steps in a chain',
      rule([step('review', 'P5Y'), step('destroy', 'P1Y', afterPrevious)]),
      [act('2022-05-05', 'goOn', 0, 'review')],
      '2016-01-01 2023-05-05, nothing',
    ],
    [
      'not needed, in a chain that had not come so far',
      rule([step('askOwner', 'P5Y'), step('review', 'P1Y', afterPrevious), step('destroy', 'P1Y', afterPrevious)]),
      [act('2021-05-05', 'notNeeded')],
      '2016-01-01 2021-05-05, review 2022-05-05',
    ],
    [
      'kept for good in the end',
      rule([step('trimVersions', 'P1Y'), step('keepPermanently', 'P2Y')]),
      [],
      'permanent, trimVersions 2017-01-01',
    ],
    [
      'an earlier step that stands later in the rule',
      rule([step('review', 'P5Y'), step('declare', 'P1Y'), step('destroy', 'P10Y')]),
      [],
      '2016-01-01 2026-01-01, declare 2017-01-01',
    ],
  ];
  for (const [name, version, acts, expected] of table) {
    it(name, () => expect(words(version, ...acts)).toBe(expected));
  }

  it('says from when on a question is overtaken', () => {
    const { steps } = evaluateRule(asks, facts());
    expect(steps.map((s) => overtakenOn(steps, s.index))).toEqual([d('2022-01-01'), d('2026-01-01'), null]);
  });

  it('never lets what its owner does not need go before the longest keeps', () => {
    const at = (version: RuleVersion, distance: number) => ({ level: 'planNode' as const, distance, setOn: 'series', versions: [version] });
    const longer = rule([step('destroy', 'P30Y')], { id: 'S-1', code: 'S' });
    const { by } = governingRule([at(asks, 0), at(longer, 0)], null, facts(act('2021-02-03', 'notNeeded')), [], d('2026-09-14')) as {
      by: { rule: RuleVersion };
    };
    expect(by.rule.code).toBe('S');
  });

  it('dates nothing earlier than the rule does but by “not needed”', () => {
    const acts = fc.array(
      fc.record({
        rule: fc.constant('R'),
        index: fc.nat(2),
        kind: fc.constantFrom<Step['kind']>('askOwner', 'review'),
        outcome: fc.constantFrom(...stepOutcomes),
        on: fc.integer({ min: d('2016-01-01'), max: d('2040-01-01') }),
      }),
      { maxLength: 6 },
    );
    const plain = evaluateRule(asks, facts());
    fc.assert(
      fc.property(acts, (given) => {
        const ordered = [...given].sort((a, b) => a.on - b.on);
        const verdict = evaluateRule(asks, facts(...ordered));
        if (verdict.kind !== 'dated' || plain.kind !== 'dated') throw new Error(verdict.kind);
        const last = ordered.findLastIndex((a) => a.outcome === 'keep');
        const released = ordered.slice(last + 1).some((a) => a.outcome === 'notNeeded');
        if (!released) expect(verdict.dueOn).toBeGreaterThanOrEqual(plain.dueOn!);
        expect(verdict.clockStart).toBeGreaterThanOrEqual(plain.clockStart);
      }),
    );
  });
});
