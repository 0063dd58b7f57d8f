import * as fc from 'fast-check';
import { civilDate } from '../calendar/index.js';
import {
  draftVersionId,
  effectOnCases,
  governingRule,
  judgeCase,
  namedEffect,
  standingOf,
  withDraft,
  type RuleDraft,
  type RuleVersions,
  type ScheduleCase,
} from './index.js';

const today = civilDate('2026-09-14');
const draft = (years: number, changes: Partial<RuleDraft> = {}): RuleDraft => ({
  title: 'T',
  authority: 'A',
  jurisdictions: [],
  trigger: { kind: 'recordDate', date: 'created' },
  cutoff: { kind: 'none' },
  steps: [{ kind: 'destroy', after: `P${years}Y`, from: 'clockStart', approvals: 1, noticeDays: 0 }],
  inForceFrom: '2000-01-01',
  takesOver: 'all',
  ...changes,
});
const one = (id: string, created: string, changes: Partial<ScheduleCase> = {}): ScheduleCase => ({
  id,
  number: `N-${id}`,
  title: `Record ${id}`,
  series: { id: 's', code: 'PIL-01', title: 'Logs' },
  bytes: 5,
  held: false,
  inBatch: false,
  facts: { dates: { created: civilDate(created) }, factDates: {}, events: [] },
  candidates: [{ ruleId: 'a', level: 'planNode', distance: 0, setOn: 'series PIL-01' }],
  jurisdictions: [],
  override: null,
  ...changes,
});
const none: RuleVersions = {};
const rules = withDraft(withDraft(none, 'a', 'R-A', draft(5)), 'b', 'R-B', draft(9));

describe('a case', () => {
  it('is judged as the record is: the same candidates, override, facts and jurisdictions', () => {
    const period = fc.integer({ min: 1, max: 30 });
    const place = fc.record({
      ruleId: fc.constantFrom('a', 'b', 'unknown'),
      level: fc.constantFrom('folder' as const, 'planNode' as const, 'criteria' as const, 'typeAndSeries' as const),
      distance: fc.integer({ min: 0, max: 2 }),
    });
    const hand = { reason: 'r', by: 'Ines', on: '2026-01-01' };
    const override = fc.constantFrom(
      null,
      { kind: 'rule' as const, ruleId: 'b', ...hand },
      { kind: 'date' as const, dueOn: '2031-05-05', action: 'transfer' as const, ...hand },
    );
    fc.assert(
      fc.property(period, period, fc.array(place, { maxLength: 4 }), override, (x, y, places, byHand) => {
        const published = withDraft(withDraft(none, 'a', 'R-A', draft(x)), 'b', 'R-B', draft(y));
        const of = one('1', '2020-02-29', { candidates: places.map((p) => ({ ...p, setOn: 'there' })), override: byHand });
        const candidates = places.map(({ ruleId, level, distance }) => ({
          level,
          distance,
          setOn: 'there',
          versions: published[ruleId] ?? [],
        }));
        const direct = governingRule(
          candidates,
          byHand?.kind === 'rule' ? { ...byHand, versions: published['b']! } : byHand,
          of.facts,
          [],
          today,
        );
        expect(standingOf(judgeCase(of, published, today))).toEqual(standingOf(direct));
      }),
    );
  });

  it('is not dated by a rule that was never published, and is once its draft is', () => {
    const of = one('1', '2020-02-29', { candidates: [{ ruleId: 'new', level: 'folder', distance: 0, setOn: 'folder F' }] });
    expect(judgeCase(of, rules, today).kind).toBe('unscheduled');
    const governing = judgeCase(of, withDraft(rules, 'new', 'R-NEW', draft(1)), today);
    expect(governing.kind === 'rule' && [governing.by.rule.code, governing.by.rule.version, governing.by.rule.id]).toEqual([
      'R-NEW',
      1,
      draftVersionId,
    ]);
  });
});

describe('a draft', () => {
  it('is the next version of its rule and leaves the others alone', () => {
    const after = withDraft(rules, 'a', 'R-A', draft(7));
    expect(after['a']!.map((v) => v.version)).toEqual([1, 2]);
    expect(after['b']).toBe(rules['b']);
    expect(rules['a']!.length).toBe(1);
  });
});

describe('the effect on cases', () => {
  const cases = [one('1', '2020-01-01'), one('2', '2022-01-01', { held: true }), one('3', '2020-06-01', { candidates: [] })];
  const effect = (changed: RuleDraft, day = today) => effectOnCases(cases, rules, withDraft(rules, 'a', 'R-A', changed), today, day);

  it('counts what gets which date, what would be due at once and what is held', () => {
    const shorter = effect(draft(1, { inForceFrom: '2026-09-14' }));
    expect(shorter.looked).toBe(3);
    expect(shorter.shift).toEqual({ earlier: 2, later: 0, first: 0, none: 0, otherwise: 0 });
    // The first was due in 2025 already.
    expect(shorter.atOnce).toEqual({ records: 1, bytes: 5 });
    expect(shorter.held).toBe(1);
    expect(effect(draft(8, { inForceFrom: '2026-09-14' })).shift.later).toBe(2);
  });

  it('is nothing before the draft is in force, and is looked at on the first day that it is', () => {
    const later = draft(8, { inForceFrom: '2027-01-01' });
    expect(effect(later).changed).toBe(0);
    expect(effect(later, civilDate('2027-01-01')).shift.later).toBe(2);
  });

  it('that takes over later clocks only leaves the others', () => {
    const some = effect(draft(8, { inForceFrom: '2021-01-01', takesOver: 'laterClocks' }));
    expect([some.changed, some.most.map((m) => m.id)]).toEqual([1, ['2']]);
  });

  it('is shown with names, days and months in words', () => {
    const named = namedEffect(
      effect(draft(8, { inForceFrom: '2026-09-14' })),
      (id) => (id === 's' ? { code: 'PIL-01', title: 'Logs' } : undefined),
      (id) => cases.find((c) => c.id === id),
    );
    expect(named.bySeries.map((s) => [s.code, s.title, s.later])).toEqual([['PIL-01', 'Logs', 2]]);
    expect(named.most[0]).toEqual({ id: '2', number: 'N-2', title: 'Record 2', before: '2027-01-01', after: '2030-01-01' });
    expect(named.firstMonth).toBe('2026-09');
    // Months after September 2026, then records and bytes before and after.
    const lane = named.forecast.find((l) => l.rule === 'R-A')!;
    expect(lane.cells).toEqual([0, 1, 5, 0, 0, 4, 1, 5, 0, 0, 16, 0, 0, 1, 5, 40, 0, 0, 1, 5]);
    expect(
      namedEffect(
        effect(draft(8)),
        () => undefined,
        () => undefined,
      ).bySeries[0]!.code,
    ).toBe('?');
  });
});
