import * as fc from 'fast-check';
import { addPeriod, civilDate, formatCivilDate, period, subtractPeriod, type EpochDay } from '../calendar/index.js';
import {
  actionOf,
  effectTally,
  laneWidth,
  mergeEffects,
  namedEffect,
  standingOf,
  unknownDay,
  type Cap,
  type Effect,
  type Governing,
  type NamedEffect,
  type RuleVersion,
  type Standing,
  type Step,
  type Verdict,
} from './index.js';
import { afterPrevious, rule as published, step } from './testing/index.js';

const today = civilDate('2026-09-14');
const rule = (code: string, ...steps: Step[]): RuleVersion => published(code, { steps });
const rules = [
  rule('R-A', step('review', 'P6Y'), step('destroy', 'P7Y')),
  rule('R-B', step('transfer', 'P9Y'), step('review', 'P1Y', afterPrevious)),
  rule('R-C', step('askOwner', 'P2Y'), step('trimVersions', 'P40Y')),
  rule('R-D', step('review', 'P1Y'), step('keepPermanently', 'P2Y')),
  rule('R-E'),
  rule('R-F', step('review', 'P90D', { from: 'beforeTrigger' }), step('destroy', 'P3Y')),
];

interface Counted {
  readonly id: string;
  readonly series: string;
  readonly bytes: number;
  readonly held: boolean;
  readonly inBatch: boolean;
  readonly before: Standing;
  readonly after: Standing;
}
const month = (day: EpochDay): string => formatCivilDate(day).slice(0, 7);
const monthsBetween = (from: string, to: string): number =>
  (Number(to.slice(0, 4)) - Number(from.slice(0, 4))) * 12 + Number(to.slice(5)) - Number(from.slice(5));

/** The same counted by its definition: one pass for every question, and nothing kept in between. */
function byDefinition(items: readonly Counted[]): NamedEffect {
  const dateOf = (s: Standing) => (s.dueOn === unknownDay ? null : s.dueOn);
  const dates = items.map((item) => ({ item, before: dateOf(item.before), after: dateOf(item.after) }));
  const otherDate = dates.filter(({ item, before, after }) => before !== after || item.before.outcome !== item.after.outcome);
  const which = ({ before, after }: (typeof dates)[number]): 'earlier' | 'later' | 'first' | 'none' | 'otherwise' => {
    if (before === after) return 'otherwise';
    if (before === null) return 'first';
    if (after === null) return 'none';
    return after < before ? 'earlier' : 'later';
  };
  const shiftOf = (of: typeof dates) => {
    const n = (kind: string) => of.filter((one) => which(one) === kind).length;
    return { earlier: n('earlier'), later: n('later'), first: n('first'), none: n('none'), otherwise: n('otherwise') };
  };
  const changed = dates.filter(
    (one) =>
      otherDate.includes(one) || one.item.before.rule?.id !== one.item.after.rule?.id || one.item.before.action !== one.item.after.action,
  );
  const atOnce = changed.filter(({ before, after }) => after !== null && after <= today && (before === null || before > today));
  const moved = otherDate.filter((one) => which(one) !== 'otherwise');
  const year = ({ before, after }: (typeof dates)[number]) => Number(formatCivilDate((after ?? before)!).slice(0, 4));
  const far = ({ before, after }: (typeof dates)[number]) => (before === null || after === null ? Infinity : Math.abs(after - before));
  const day = (d: EpochDay | null) => (d === null ? null : formatCivilDate(d));

  const forecast: NamedEffect['forecast'] = [];
  const dues = (s: Standing): { rule: string; step: Step['kind']; on: EpochDay }[] => [
    ...(s.dueOn !== unknownDay && s.action ? [{ rule: s.rule?.code ?? '', step: s.action, on: s.dueOn }] : []),
    ...(s.rule?.steps ?? [])
      .filter(({ kind, from }) => !['destroy', 'transfer', 'keepPermanently'].includes(kind) && from !== 'previousStep')
      .filter(({ from }) => (from === 'beforeTrigger' ? s.triggerOn : s.clockStart) !== unknownDay)
      .map(({ kind, after, from }) => ({
        rule: s.rule!.code,
        step: kind,
        on: from === 'beforeTrigger' ? subtractPeriod(s.triggerOn, period(after)) : addPeriod(s.clockStart, period(after)),
      }))
      .filter(({ on }) => on >= today),
  ];
  const months = new Map<string, number[]>();
  for (const item of items) {
    for (const [side, standing] of [
      [0, item.before],
      [2, item.after],
    ] as const) {
      for (const due of dues(standing)) {
        const n = Math.max(0, monthsBetween(month(today), month(due.on)));
        if (n >= 360) continue;
        const key = JSON.stringify([item.series, due.rule, due.step, n]);
        const cell = months.get(key) ?? [0, 0, 0, 0];
        cell[side]! += 1;
        cell[side + 1]! += item.bytes;
        months.set(key, cell);
      }
    }
  }
  for (const [key, cell] of months) {
    const [series, code, kind, n] = JSON.parse(key) as [string, string, Step['kind'], number];
    forecast.push({ series, rule: code, step: kind, cells: [n, ...cell] });
  }
  return {
    looked: items.length,
    changed: changed.length,
    shift: shiftOf(otherDate),
    atOnce: { records: atOnce.length, bytes: atOnce.reduce((sum, { item }) => sum + item.bytes, 0) },
    held: changed.filter(({ item }) => item.held).length,
    inBatches: changed.filter(({ item }) => item.inBatch).length,
    conflicts: { before: items.filter((i) => i.before.conflict).length, after: items.filter((i) => i.after.conflict).length },
    bySeries: [...new Set(otherDate.map(({ item }) => item.series))]
      .sort()
      .map((code) => ({ seriesId: code, code, title: `Series ${code}`, ...shiftOf(otherDate.filter(({ item }) => item.series === code)) })),
    byYear: [...new Set(moved.map(year))]
      .sort((a, b) => a - b)
      .map((y) => ({ year: y, ...shiftOf(moved.filter((one) => year(one) === y)) })),
    most: [...moved]
      .sort((a, b) => (far(a) === far(b) ? (a.item.id < b.item.id ? -1 : 1) : far(a) < far(b) ? 1 : -1))
      .slice(0, 10)
      .map(({ item, before, after }) => ({
        id: item.id,
        number: `N-${item.id}`,
        title: `Title ${item.id}`,
        before: day(before),
        after: day(after),
      })),
    firstMonth: month(today),
    forecast,
  };
}

/** With one line for every month, in order: the tally gives a lane for all of them. */
function lines(effect: NamedEffect): NamedEffect {
  const forecast = effect.forecast
    .flatMap((lane) =>
      Array.from({ length: lane.cells.length / (laneWidth + 1) }, (_, i) => ({
        ...lane,
        cells: lane.cells.slice(i * (laneWidth + 1), (i + 1) * (laneWidth + 1)),
      })),
    )
    .sort((a, b) => (JSON.stringify([a.series, a.rule, a.step, a.cells]) < JSON.stringify([b.series, b.rule, b.step, b.cells]) ? -1 : 1));
  return { ...effect, forecast };
}
const named = (effect: Effect): NamedEffect =>
  namedEffect(
    effect,
    (id) => ({ code: id, title: `Series ${id}` }),
    (id) => ({ number: `N-${id}`, title: `Title ${id}` }),
  );
function tallied(items: readonly Counted[]): Effect {
  const tally = effectTally(today);
  for (const { id, before, after, ...record } of items) tally.add({ ...record, id: () => id }, before, after);
  return tally.result();
}

const day = fc.oneof(
  fc.integer({ min: civilDate('2015-01-01'), max: civilDate('2065-12-31') }),
  fc.constantFrom(
    today,
    today - 1,
    today + 1,
    civilDate('2056-08-31'),
    civilDate('2056-09-01'),
    civilDate('2026-09-30'),
    civilDate('2026-10-01'),
  ),
);
const anyStanding: fc.Arbitrary<Standing> = fc
  .record({
    rule: fc.option(fc.constantFrom(...rules)),
    triggerOn: fc.oneof(day, fc.constant(unknownDay)),
    clockStart: fc.oneof(day, fc.constant(unknownDay)),
    conflict: fc.boolean(),
    dueOn: fc.oneof(day, fc.constant(unknownDay)),
    outcome: fc.constantFrom('dated' as const, 'waiting' as const, 'permanent' as const),
    byHand: fc.constantFrom('destroy' as const, 'transfer' as const),
  })
  .map(({ byHand, ...standing }) => ({ ...standing, action: standing.rule ? actionOf(standing.rule) : byHand }));
const anyItem = fc
  .record({
    series: fc.constantFrom('PIL-01', 'BER-02', 'ARC-03'),
    bytes: fc.nat(1000),
    held: fc.boolean(),
    inBatch: fc.boolean(),
    before: anyStanding,
    other: fc.option(anyStanding, { freq: 4 }),
  })
  .map(({ other, ...item }) => ({ ...item, after: other ?? item.before }));
const items = fc
  .array(anyItem, { maxLength: 40 })
  .map((all) => all.map((item, i): Counted => ({ ...item, id: `r${String(i).padStart(2, '0')}` })));

describe('the tally of an effect', () => {
  it('is what its definition says', () => {
    fc.assert(
      fc.property(items, (all) => expect(lines(named(tallied(all)))).toEqual(lines(byDefinition(all)))),
      { numRuns: 200 },
    );
  });

  it('counted in parts and put together is the same', () => {
    fc.assert(
      fc.property(items, fc.nat(40), fc.nat(40), (all, one, other) => {
        const [from, to] = [Math.min(one, other), Math.max(one, other)];
        const parts = [all.slice(0, from), all.slice(from, to), all.slice(to)].map(tallied);
        expect(lines(named(mergeEffects(parts)))).toEqual(lines(byDefinition(all)));
      }),
      { numRuns: 200 },
    );
  });

  it('of nothing is nothing', () => {
    expect(mergeEffects([])).toEqual({ ...tallied([]), firstMonth: 0 });
    expect(lines(named(tallied([])))).toEqual(byDefinition([]));
  });

  it('stands in order of the codes of series and rules', () => {
    const dated: Standing = {
      outcome: 'dated',
      rule: rules[0]!,
      triggerOn: unknownDay,
      clockStart: unknownDay,
      conflict: false,
      dueOn: today + 100,
      action: 'destroy',
    };
    const later = { ...dated, dueOn: today + 200 };
    const item = (series: string, of: Standing, i: number): Counted => ({
      id: `${i}`,
      series,
      bytes: 1,
      held: false,
      inBatch: false,
      before: of,
      after: { ...later, rule: of.rule },
    });
    const effect = named(
      tallied([
        item('PIL-01', { ...dated, rule: rules[1]! }, 1),
        item('BER-02', dated, 2),
        item('PIL-01', dated, 3),
        item('ARC-03', { ...dated, rule: rules[1]! }, 4),
        item('PIL-01', { ...dated, rule: null }, 5),
      ]),
    );
    expect(effect.forecast.map((lane) => `${lane.series} ${lane.rule}`)).toEqual([
      'ARC-03 R-B',
      'BER-02 R-A',
      'PIL-01 ',
      'PIL-01 R-A',
      'PIL-01 R-B',
    ]);
    expect(effect.bySeries.map((s) => s.code)).toEqual(['ARC-03', 'BER-02', 'PIL-01']);
  });

  it('names what is not there any more with a question mark', () => {
    const gone: Standing = {
      outcome: 'dated',
      rule: null,
      triggerOn: unknownDay,
      clockStart: unknownDay,
      conflict: false,
      dueOn: today + 1,
      action: 'destroy',
    };
    const effect = namedEffect(
      tallied([{ id: 'x', series: 's', bytes: 1, held: false, inBatch: false, before: gone, after: { ...gone, dueOn: unknownDay } }]),
      () => undefined,
      () => undefined,
    );
    expect(effect.bySeries[0]).toEqual(jasmine.objectContaining({ seriesId: 's', code: '?', title: '' }));
    expect(effect.most).toEqual([{ id: 'x', number: '?', title: '', before: formatCivilDate(today + 1), after: null }]);
  });
});

describe('what an effect counts of a judgement', () => {
  const where = { level: 'planNode', distance: 0, setOn: 'series' } as const;
  const by = (verdict: Verdict, of = rules[0]!): Governing => ({
    kind: 'rule',
    by: { ...where, rule: of, verdict },
    hand: null,
    cap: null,
    yielded: [],
  });
  const none = unknownDay;
  const started = { trigger: { on: 1, subject: 'the record' }, clockStart: 5, restartedOn: null, stops: [], steps: [] };
  const unknown = { trigger: null, clockStart: null, restartedOn: null, stops: [], steps: [] };
  const hand = { reason: 'r', by: 'b', on: '2026-01-01' };
  const table: [string, Governing, Standing][] = [
    [
      'no rule',
      { kind: 'unscheduled', yielded: [] },
      { conflict: false, outcome: 'unscheduled', rule: null, triggerOn: none, clockStart: none, dueOn: none, action: null },
    ],
    [
      'a date by hand',
      { kind: 'overrideDate', dueOn: 7, action: 'transfer', hand, cap: null, yielded: [] },
      { conflict: false, outcome: 'dated', rule: null, triggerOn: none, clockStart: none, dueOn: 7, action: 'transfer' },
    ],
    [
      'waiting',
      by({ kind: 'waiting', waitsFor: 'trigger', ...unknown }),
      { conflict: false, outcome: 'waiting', rule: rules[0]!, triggerOn: none, clockStart: none, dueOn: none, action: 'destroy' },
    ],
    [
      'for good',
      by({ kind: 'permanent', ...started }, rules[3]),
      { conflict: false, outcome: 'permanent', rule: rules[3]!, triggerOn: 1, clockStart: 5, dueOn: none, action: null },
    ],
    [
      'for good without a clock',
      by({ kind: 'permanent', ...unknown }, rules[3]),
      { conflict: false, outcome: 'permanent', rule: rules[3]!, triggerOn: none, clockStart: none, dueOn: none, action: null },
    ],
    [
      'dated',
      by({ kind: 'dated', ...started, dueOn: 9, action: 'transfer' }, rules[1]),
      { conflict: false, outcome: 'dated', rule: rules[1]!, triggerOn: 1, clockStart: 5, dueOn: 9, action: 'transfer' },
    ],
    [
      'waiting for the step before the last',
      by({ kind: 'waiting', waitsFor: 'step', ...started }, rules[1]),
      { conflict: false, outcome: 'waiting', rule: rules[1]!, triggerOn: 1, clockStart: 5, dueOn: none, action: 'transfer' },
    ],
  ];
  const cap: Cap = {
    by: { ...where, rule: rules[1]!, verdict: { kind: 'dated', ...started, dueOn: 3, action: 'destroy' } },
    effect: 'conflict',
  };
  table.push(
    [
      'for good by hand',
      { kind: 'overrideForGood', hand, cap: null, yielded: [] },
      { conflict: false, outcome: 'permanent', rule: null, triggerOn: none, clockStart: none, dueOn: none, action: null },
    ],
    [
      'kept longer than another rule allows',
      { kind: 'overrideDate', dueOn: 7, action: 'transfer', hand, cap, yielded: [] },
      { conflict: true, outcome: 'dated', rule: null, triggerOn: none, clockStart: none, dueOn: 7, action: 'transfer' },
    ],
    [
      'kept no longer than another rule allows',
      { kind: 'overrideDate', dueOn: 7, action: 'transfer', hand, cap: { ...cap, effect: 'nothing' }, yielded: [] },
      { conflict: false, outcome: 'dated', rule: null, triggerOn: none, clockStart: none, dueOn: 7, action: 'transfer' },
    ],
  );
  for (const [name, governing, expected] of table) it(name, () => expect(standingOf(governing)).toEqual(expected));
  it('no rule does nothing at the end', () => expect(actionOf(null)).toBeNull());
});
