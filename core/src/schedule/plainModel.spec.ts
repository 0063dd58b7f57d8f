import * as fc from 'fast-check';
import { Temporal } from 'temporal-polyfill';
import { civilDate, formatCivilDate } from '../calendar/index.js';
import {
  conflictIn,
  governingRule,
  recordDates,
  type ClockFacts,
  type Cutoff,
  type Governing,
  type RuleCandidate,
  type RuleVersion,
  type SimpleTrigger,
  type Step,
} from './index.js';
import { rule } from './testing/index.js';

/*
 * The schedule a second time, written to be read and not to be fast: dates are those of Temporal, a clock is walked day by day,
 * and everything is looked at as often as it is asked for. Nothing of it is taken from the code that it is held against.
 */

type Day = Temporal.PlainDate;
const day = (text: string): Day => Temporal.PlainDate.from(text);
const before = (a: Day, b: Day): boolean => Temporal.PlainDate.compare(a, b) < 0;
const sameDay = (a: Day, b: Day): boolean => Temporal.PlainDate.compare(a, b) === 0;
const ascending = (days: readonly Day[]): Day[] => [...days].sort((a, b) => Temporal.PlainDate.compare(a, b));
const fromEpoch = (n: number): Day => day(formatCivilDate(n));

interface World {
  readonly dates: Readonly<Record<string, Day>>;
  readonly facts: Readonly<Record<string, readonly Day[]>>;
  readonly closed: Day | null;
  readonly events: readonly { type: string; on: Day; distance: number }[];
  readonly gone: Readonly<Record<string, Day | null>>;
  readonly weekend: readonly number[];
  readonly holidays: readonly Day[];
}

const worldOf = (f: ClockFacts): World => ({
  dates: Object.fromEntries(Object.entries(f.dates).map(([k, v]) => [k, fromEpoch(v)])),
  facts: Object.fromEntries(Object.entries(f.factDates).map(([k, v]) => [k, v.map(fromEpoch)])),
  closed: f.folderClosed ? fromEpoch(f.folderClosed.on) : null,
  events: f.events.map((e) => ({ type: e.type.toLowerCase(), on: fromEpoch(e.on), distance: e.distance })),
  gone: Object.fromEntries(Object.entries(f.unreferenced ?? {}).map(([k, v]) => [k, v === null ? null : fromEpoch(v)])),
  weekend: f.workdays?.weekend ?? [6, 7],
  holidays: (f.workdays?.holidays ?? []).map(fromEpoch),
});

function dateOfOne(t: SimpleTrigger, w: World): Day | null {
  if (t.kind === 'recordDate') return w.dates[t.date] ?? null;
  if (t.kind === 'folderClosed') return w.closed;
  if (t.kind === 'unreferenced') return w.gone[t.fact] ?? null;
  if (t.kind === 'fact') {
    const all = ascending(w.facts[t.fact] ?? []);
    return (t.occurrence === 'first' ? all[0] : all.at(-1)) ?? null;
  }
  const such = w.events.filter((e) => e.type === t.eventType.toLowerCase());
  const near = such.filter((e) => such.every((o) => o.distance >= e.distance));
  const days = ascending(near.map((e) => e.on));
  return (t.occurrence === 'first' ? days[0] : days.at(-1)) ?? null;
}

function dateOf(t: RuleVersion['trigger'], w: World): Day | null {
  if (t.kind === 'never') return null;
  if (!('of' in t)) return dateOfOne(t, w);
  const found = t.of.map((p) => dateOfOne(p.trigger, w)?.add(p.after) ?? null);
  const known = ascending(found.filter((f) => f !== null));
  if (t.kind === 'earliest') return known[0] ?? null;
  return known.length === found.length ? known.at(-1)! : null;
}

/** The first days of the periods of some years around a day. */
function firstDays(year: number, c: Cutoff): Day[] {
  const on = (month: number, dayOfMonth: number): Day =>
    Temporal.PlainDate.from({ year, month, day: dayOfMonth }, { overflow: 'constrain' });
  switch (c.kind) {
    case 'month':
      return [1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12].map((m) => on(m, 1));
    case 'quarter':
      return [1, 4, 7, 10].map((m) => on(m, 1));
    case 'halfYear':
      return [1, 7].map((m) => on(m, 1));
    case 'calendarYear':
      return [on(1, 1)];
    case 'fiscalYear':
      return [on(c.firstMonth, c.firstDay)];
    default:
      return [];
  }
}

/** The first day after the period that a day lies in; null where nobody listed it. */
function rolled(on: Day, c: Cutoff): Day | null {
  if (c.kind === 'none') return on;
  const starts =
    c.kind === 'namedYear'
      ? (c.ends ?? []).map((end) => day(end).add({ days: 1 }))
      : [on.year, on.year + 1].flatMap((year) => firstDays(year, c));
  return starts.find((start) => before(on, start)) ?? null;
}

/** Whole days since 1970, for walking. */
const nth = (d: Day): number => Date.UTC(d.year, d.month - 1, d.day) / 86_400_000;
const never = nth(day('2200-01-01'));

/** Tells of any day whether the clock stands on it: the last thing that happened to it up to that day stopped it. */
function standing(r: RuleVersion, w: World): (on: number) => boolean {
  if (!r.suspension) return () => false;
  const [stops, resumes] = [r.suspension.stops.toLowerCase(), r.suspension.resumes.toLowerCase()];
  const near = Math.min(...w.events.filter((e) => e.type === stops).map((e) => e.distance));
  const happened = w.events.filter((e) => e.distance === near && (e.type === stops || e.type === resumes));
  const turns = ascending(happened.map((e) => e.on))
    .map((on) => ({ on: nth(on), what: new Set(happened.filter((e) => sameDay(e.on, on)).map((e) => e.type)) }))
    // Both on one day: it goes on as it was.
    .filter(({ what }) => what.size === 1);
  return (on) =>
    turns
      .filter((t) => t.on <= on)
      .at(-1)
      ?.what.has(stops) ?? false;
}

/** A day so long after another that the clock went for all of the time between. */
function onward(base: Day, step: Step, r: RuleVersion, w: World): Day | null {
  let due = base;
  if (step.workingDays) {
    for (let left = Temporal.Duration.from(step.after).days; left > 0;) {
      due = due.add({ days: 1 });
      if (!w.weekend.includes(due.dayOfWeek) && !w.holidays.some((h) => sameDay(h, due))) left -= 1;
    }
  } else due = due.add(step.after);
  const stands = standing(r, w);
  if (!r.suspension) return due;
  // As many days as the clock should have gone; those on which it stood are not counted, and nothing is due while it stands since before.
  let at = nth(base);
  for (let left = nth(due) - at; left > 0; at++) {
    if (!stands(at)) left -= 1;
    if (at > never) return null;
  }
  for (; stands(at) && stands(at - 1); at++) if (at > never) return null;
  return day('1970-01-01').add({ days: at });
}

interface Said {
  readonly kind: 'permanent' | 'waiting' | 'dated';
  readonly start: Day | null;
  readonly due: Day | null;
  readonly action: 'destroy' | 'transfer' | null;
}

const letsGo = (s: Step): boolean => s.kind === 'destroy' || s.kind === 'transfer';

function saysOf(r: RuleVersion, w: World): Said {
  const on = dateOf(r.trigger, w);
  const start = on && rolled(on, r.cutoff);
  const last = r.steps.find(letsGo);
  const action = last ? (last.kind as 'destroy' | 'transfer') : null;
  if (r.trigger.kind === 'never' || !last || r.steps.some((s) => s.kind === 'keepPermanently'))
    return { kind: 'permanent', start, due: null, action };
  const waiting: Said = { kind: 'waiting', start, due: null, action };
  if (start === null || (last.from === 'previousStep' && r.steps.indexOf(last) > 0)) return waiting;
  const due = onward(start, last, r, w);
  return due === null ? waiting : { kind: 'dated', start, due, action };
}

type Weighed = { readonly rule: RuleVersion; readonly says: Said; readonly level: number };
const levels = ['override', 'typeAndSeries', 'criteria', 'folder', 'planNode'];

/** What counts of two: whether the first keeps longer. */
function keepsLonger(a: Weighed, b: Weighed): boolean {
  const order = ['dated', 'waiting', 'permanent'];
  if (a.says.kind !== b.says.kind) return order.indexOf(a.says.kind) > order.indexOf(b.says.kind);
  if (a.says.due && b.says.due) {
    if (!sameDay(a.says.due, b.says.due)) return before(b.says.due, a.says.due);
    if (a.says.action !== b.says.action) return a.says.action === 'transfer';
  }
  return a.rule.code < b.rule.code;
}

/** The rule that governs, what it says, and the rule that stands against it, in one line. */
function plainly(candidates: readonly RuleCandidate[], facts: ClockFacts, jurisdictions: readonly string[], today: string): string {
  const w = worldOf(facts);
  const near = (c: RuleCandidate): number => levels.indexOf(c.level) * 1000 + c.distance;
  const seen = new Set<string>();
  const weighed: Weighed[] = [];
  for (const c of [...candidates].sort((a, b) => near(a) - near(b))) {
    const code = c.versions[0]?.code;
    if (code === undefined || seen.has(code)) continue;
    seen.add(code);
    const inForce = c.versions.filter((v) => v.inForceFrom <= today);
    const takes = inForce.filter((v) => {
      const { start } = saysOf(v, w);
      return v.takesOver === 'all' || start === null || !before(start, day(v.inForceFrom));
    });
    const counts = takes.find((v) =>
      takes.every((o) => o.inForceFrom < v.inForceFrom || (o.inForceFrom === v.inForceFrom && o.version <= v.version)),
    );
    if (!counts) continue;
    if (counts.jurisdictions.length > 0 && !counts.jurisdictions.some((j) => jurisdictions.includes(j))) continue;
    weighed.push({ rule: counts, says: saysOf(counts, w), level: near(c) });
  }
  const nearest = (all: readonly Weighed[]): Weighed[] => all.filter((a) => all.every((b) => b.level >= a.level));
  const keepers = nearest(weighed.filter((x) => x.rule.basis !== 'atMost'));
  const limits = nearest(weighed.filter((x) => x.rule.basis === 'atMost'));
  const keeper = keepers.find((a) => keepers.every((b) => a === b || keepsLonger(a, b)));
  const limit = limits.find((a) => limits.every((b) => a === b || keepsLonger(b, a)));
  const beyond =
    keeper && limit?.says.kind === 'dated' && (keeper.says.kind !== 'dated' || before(limit.says.due!, keeper.says.due!))
      ? limit
      : undefined;
  const counts = !keeper || (beyond && keeper.rule.basis === 'customary') ? limit : keeper;
  if (!counts) return 'unscheduled';
  const { kind, start, due } = counts.says;
  return [
    counts.rule.id,
    kind,
    start?.toString() ?? '?',
    due?.toString() ?? '?',
    beyond && counts === keeper ? beyond.rule.id : 'no conflict',
  ].join(' ');
}

function asSaid(governing: Governing): string {
  if (governing.kind !== 'rule') return governing.kind;
  const { rule: of, verdict } = governing.by;
  return [
    of.id,
    verdict.kind,
    verdict.clockStart === null ? '?' : formatCivilDate(verdict.clockStart),
    verdict.kind === 'dated' ? formatCivilDate(verdict.dueOn) : '?',
    conflictIn(governing)?.id ?? 'no conflict',
  ].join(' ');
}

const anyDay = fc.integer({ min: civilDate('2015-01-01'), max: civilDate('2027-12-31') });
const simple: fc.Arbitrary<SimpleTrigger> = fc.oneof(
  fc.constantFrom(...recordDates).map((date) => ({ kind: 'recordDate' as const, date })),
  fc.record({
    kind: fc.constant('fact' as const),
    fact: fc.constantFrom('born', 'died'),
    occurrence: fc.constantFrom('first' as const, 'last' as const, undefined),
  }),
  fc.constant({ kind: 'folderClosed' as const }),
  fc.record({
    kind: fc.constant('event' as const),
    eventType: fc.constantFrom('Ended', 'left'),
    occurrence: fc.constantFrom('first' as const, 'last' as const),
  }),
  fc.constantFrom('contract', 'master').map((fact) => ({ kind: 'unreferenced' as const, fact })),
);
const periods = fc.constantFrom('P0D', 'P1Y', 'P18M', 'P90D', 'P2W', 'P1M');
const trigger: fc.Arbitrary<RuleVersion['trigger']> = fc.oneof(
  { weight: 5, arbitrary: simple },
  {
    weight: 4,
    arbitrary: fc.record({
      kind: fc.constantFrom('earliest' as const, 'latest' as const),
      of: fc.array(fc.record({ trigger: simple, after: periods }), { minLength: 2, maxLength: 3 }),
    }),
  },
  { weight: 1, arbitrary: fc.constant({ kind: 'never' as const }) },
);
const cutoff: fc.Arbitrary<Cutoff> = fc.oneof(
  fc.constantFrom(
    { kind: 'none' as const },
    { kind: 'month' as const },
    { kind: 'quarter' as const },
    { kind: 'halfYear' as const },
    { kind: 'calendarYear' as const },
    { kind: 'namedYear' as const, name: 'term', ends: ['2018-06-30', '2022-06-30', '2026-06-30'] },
  ),
  fc.record({
    kind: fc.constant('fiscalYear' as const),
    firstMonth: fc.integer({ min: 1, max: 12 }),
    firstDay: fc.integer({ min: 1, max: 31 }),
  }),
);
const disposing: fc.Arbitrary<Step> = fc.oneof(
  fc.record({
    kind: fc.constantFrom('destroy' as const, 'transfer' as const),
    after: periods,
    from: fc.constantFrom('clockStart' as const, 'clockStart' as const, 'previousStep' as const),
    approvals: fc.constant(1),
    noticeDays: fc.constant(0),
  }),
  fc.integer({ min: 0, max: 60 }).map((n) => ({
    kind: 'destroy' as const,
    after: `P${n}D`,
    from: 'clockStart' as const,
    workingDays: true,
    approvals: 1,
    noticeDays: 0,
  })),
);
const steps: fc.Arbitrary<Step[]> = fc
  .tuple(
    fc.constantFrom(0, 1),
    fc.oneof({ weight: 6, arbitrary: disposing.map((s): Step | null => s) }, { weight: 1, arbitrary: fc.constant(null) }),
  )
  .map(([first, last]) => {
    const review: Step = { kind: 'review', after: 'P1Y', from: 'clockStart', approvals: 0, noticeDays: 0 };
    const forGood: Step = { ...review, kind: 'keepPermanently' };
    return [...(first === 1 ? [review] : []), last ?? forGood];
  });
const version = (code: string, no: number): fc.Arbitrary<RuleVersion> =>
  fc
    .record({
      jurisdictions: fc.constantFrom([], [], ['North'], ['South']),
      trigger,
      cutoff,
      suspension: fc.constantFrom(undefined, undefined, { stops: 'stopped', resumes: 'Resumed' }),
      basis: fc.constantFrom(undefined, 'required' as const, 'customary' as const, 'atMost' as const),
      steps,
      inForceFrom: fc.constantFrom('2000-01-01', '2016-06-01', '2019-01-01', '2030-01-01'),
      takesOver: fc.constantFrom('all' as const, 'laterClocks' as const),
    })
    .map((more) => rule(code, { ...more, id: `${code}.${no}`, version: no }));
const candidates: fc.Arbitrary<RuleCandidate[]> = fc
  .array(
    fc.record({
      level: fc.constantFrom('typeAndSeries' as const, 'criteria' as const, 'folder' as const, 'planNode' as const),
      distance: fc.nat(1),
      count: fc.integer({ min: 1, max: 2 }),
    }),
    {
      minLength: 1,
      maxLength: 5,
    },
  )
  .chain((places) =>
    fc.tuple(
      ...places.map(({ count, ...place }, i) =>
        fc
          .tuple(...Array.from({ length: count }, (_, n) => version(`R-${'ABCDE'[i]!}`, n + 1)))
          .map((versions): RuleCandidate => ({ ...place, setOn: place.level, versions: versions as RuleVersion[] })),
      ),
    ),
  );
const severalDays = fc.array(anyDay, { minLength: 1, maxLength: 3 });
const facts: fc.Arbitrary<ClockFacts> = fc.record(
  {
    dates: fc.record(Object.fromEntries(recordDates.map((n) => [n, anyDay])) as never, { requiredKeys: [] }),
    factDates: fc.record({ born: severalDays, died: severalDays }, { requiredKeys: [] }) as fc.Arbitrary<Record<string, number[]>>,
    folderClosed: anyDay.map((on) => ({ on, subject: 'folder' })),
    events: fc.array(
      fc.record({
        type: fc.constantFrom('ended', 'Left', 'stopped', 'resumed', 'STOPPED'),
        on: anyDay,
        distance: fc.nat(1),
        subject: fc.constant('x'),
      }),
      { maxLength: 7 },
    ),
    unreferenced: fc.record({ contract: fc.option(anyDay), master: fc.option(anyDay) }, { requiredKeys: [] }) as fc.Arbitrary<
      Record<string, number | null>
    >,
    workdays: fc.constantFrom(
      { weekend: [5, 6], holidays: ['2020-03-10', '2021-01-01'].map(civilDate) },
      { weekend: [7], holidays: [] },
      { weekend: [], holidays: [] },
    ),
  },
  { requiredKeys: ['dates', 'factDates', 'events'] },
);

describe('the schedule, written a second time', () => {
  it('says the same of three thousand records', () => {
    const outcomes = new Map<string, number>();
    fc.assert(
      fc.property(candidates, facts, fc.constantFrom([], ['North'], ['North', 'South']), (rules, of, jurisdictions) => {
        const governing = governingRule(rules, null, of, jurisdictions, civilDate('2026-09-14'));
        const said = asSaid(governing);
        expect(said).toBe(plainly(rules, of, jurisdictions, '2026-09-14'));
        const kind = governing.kind === 'rule' ? governing.by.verdict.kind : governing.kind;
        const outcome = conflictIn(governing)
          ? 'conflict'
          : governing.kind === 'rule' && governing.cap?.effect === 'governs'
            ? 'capped'
            : kind;
        outcomes.set(outcome, (outcomes.get(outcome) ?? 0) + 1);
      }),
      { numRuns: 3000 },
    );
    // All kinds came up: a case that never occurs compares nothing.
    for (const kind of ['dated', 'waiting', 'permanent', 'unscheduled', 'conflict', 'capped'])
      expect([kind, (outcomes.get(kind) ?? 0) > 50]).toEqual([kind, true]);
  });
});
