import { formatCivilDate, yearMonthDay, type EpochDay, type WorkCalendar } from '../calendar/index.js';
import { unknownDay } from './compiled.js';
import { stepDay } from './evaluate.js';
import { conflictIn, type Governing } from './governing.js';
import { actionOf, isDisposing, stepKinds, type RuleVersion, type StepKind } from './rule.js';

export type Outcome = 'permanent' | 'waiting' | 'dated' | 'unscheduled';

/** What a schedule says of one record, before or after a change. */
export interface Standing {
  readonly outcome: Outcome;
  /** Null where the date was set by hand, or where no rule reaches. */
  readonly rule: RuleVersion | null;
  /** The trigger’s own date; {@link unknownDay} while it is not known. */
  readonly triggerOn: EpochDay;
  /** {@link unknownDay} when the clock has not started. */
  readonly clockStart: EpochDay;
  /** {@link unknownDay} when there is none. */
  readonly dueOn: EpochDay;
  readonly action: 'destroy' | 'transfer' | null;
  /** Whether it must be kept longer than another rule allows. */
  readonly conflict: boolean;
}

/** A judgement reduced to what an effect counts. */
export function standingOf(governing: Governing): Standing {
  const none = { rule: null, triggerOn: unknownDay, clockStart: unknownDay, dueOn: unknownDay, action: null };
  const conflict = conflictIn(governing) !== null;
  switch (governing.kind) {
    case 'unscheduled':
      return { ...none, outcome: 'unscheduled', conflict };
    case 'overrideDate':
      return { ...none, outcome: 'dated', dueOn: governing.dueOn, action: governing.action, conflict };
    case 'overrideForGood':
      return { ...none, outcome: 'permanent', conflict };
    case 'rule': {
      const { rule, verdict } = governing.by;
      return {
        outcome: verdict.kind,
        rule,
        triggerOn: verdict.trigger?.on ?? unknownDay,
        clockStart: verdict.clockStart ?? unknownDay,
        dueOn: verdict.kind === 'dated' ? verdict.dueOn : unknownDay,
        action: actionOf(rule),
        conflict,
      };
    }
  }
}

/** How many records a change dates otherwise, by what it does to their due date. */
export interface Shift {
  earlier: number;
  later: number;
  /** Had no date and gets one. */
  first: number;
  /** Had a date and has none any more. */
  none: number;
  /** No date before or after, but for another reason, such as kept for good instead of waiting. */
  otherwise: number;
}

export interface MostAffected {
  readonly id: string;
  readonly before: EpochDay | null;
  readonly after: EpochDay | null;
}

/**
 * What comes due in a series under a rule by one kind of step, month by month: four numbers each (records and bytes as it
 * stands, records and bytes with the change), from the month of the first day on. What is overdue counts in the first month,
 * what comes after thirty years in none.
 */
export interface ForecastLane {
  readonly series: string;
  /** Rule code; empty for dates set by hand. */
  readonly rule: string;
  readonly step: StepKind;
  readonly cells: Float64Array;
}

/** What a change to the schedule does to the records it touches, and what comes due with and without it. */
export interface Effect {
  readonly looked: number;
  /** Records with another date, rule or outcome. */
  readonly changed: number;
  readonly shift: Shift;
  /** Not due before, due on the first day with the change. */
  readonly atOnce: { readonly records: number; readonly bytes: number };
  /** Among those that change: held, and in a batch. */
  readonly held: number;
  readonly inBatches: number;
  /** Records that must be kept longer than another rule allows, as it stands and with the change. */
  readonly conflicts: { readonly before: number; readonly after: number };
  readonly bySeries: readonly (Shift & { readonly series: string })[];
  /** By the year of the new date, or of the old one where there is no new. */
  readonly byYear: readonly (Shift & { readonly year: number })[];
  /** The ten whose date moves farthest; those that lose it first. */
  readonly most: readonly MostAffected[];
  /** Months since year 0 of the first cells. */
  readonly firstMonth: number;
  readonly forecast: readonly ForecastLane[];
}

const forecastMonths = 30 * 12;
/** Numbers in a cell of a lane. */
export const laneWidth = 4;
const mostListed = 10;
const destroying = stepKinds.indexOf('destroy');
const transferring = stepKinds.indexOf('transfer');
const noShift = (): Shift => ({ earlier: 0, later: 0, first: 0, none: 0, otherwise: 0 });
const shifts = ['earlier', 'later', 'first', 'none', 'otherwise'] as const;

/** Months since year 0. */
export function monthOf(day: EpochDay): number {
  const { year, month } = yearMonthDay(day);
  return year * 12 + month - 1;
}

/** A month such as `2031-01`. */
export function formatMonth(month: number): string {
  return `${String(Math.floor(month / 12)).padStart(4, '0')}-${String((month % 12) + 1).padStart(2, '0')}`;
}

/** A step with a date of its own, besides the one that disposes. */
interface OtherStep {
  readonly kind: number;
  /** {@link unknownDay} where its date is not known. */
  due(of: Standing, workdays: WorkCalendar | undefined): EpochDay;
}

function otherSteps(rule: RuleVersion): OtherStep[] {
  return rule.steps.flatMap((step): OtherStep[] => {
    if (isDisposing(step.kind) || step.kind === 'keepPermanently' || step.from === 'previousStep') return [];
    const base = step.from === 'beforeTrigger' ? 'triggerOn' : 'clockStart';
    const due = (of: Standing, workdays: WorkCalendar | undefined): EpochDay =>
      of[base] === unknownDay ? unknownDay : stepDay(of[base], step, { workdays });
    return [{ kind: stepKinds.indexOf(step.kind), due }];
  });
}

/** A record as an effect counts it. */
export interface CountedRecord {
  readonly series: string;
  readonly bytes: number;
  readonly held: boolean;
  readonly inBatch: boolean;
  /** The days that are worked where it belongs. */
  readonly workdays?: WorkCalendar | undefined;
  id(): string;
}

export interface EffectTally {
  /** Counts one record; `after` is the same object as `before` where nothing can change. */
  add(record: CountedRecord, before: Standing, after: Standing): void;
  result(): Effect;
}

/** Days a date moves; losing it counts as moving farther than any date can. */
function distance(before: EpochDay, after: EpochDay): number {
  return before === unknownDay || after === unknownDay ? Number.MAX_SAFE_INTEGER : Math.abs(after - before);
}

/** Counts the effect of a change record by record, in one pass. `today` is the first day on which the change counts. */
export function effectTally(today: EpochDay): EffectTally {
  const first = monthOf(today);
  const seriesOf = new Map<string, number>();
  const seriesNames: string[] = [];
  const codeOf = new Map<string, number>([['', 0]]);
  const codes = [''];
  const known = new Map<RuleVersion, { code: number; steps: OtherStep[] }>();
  const lanes = new Map<number, ForecastLane>();
  const shift = noShift();
  const bySeries = new Map<number, Shift>();
  const byYear = new Map<number, Shift>();
  let most: (MostAffected & { far: number })[] = [];
  let [looked, changed, held, inBatches, atOnceRecords, atOnceBytes, conflictsBefore, conflictsAfter] = [0, 0, 0, 0, 0, 0, 0, 0];

  function indexOf(name: string, known: Map<string, number>, names: string[]): number {
    let index = known.get(name);
    if (index === undefined) {
      index = names.push(name) - 1;
      known.set(name, index);
    }
    return index;
  }

  const mostCodes = 65_536;
  function count(day: EpochDay, series: number, code: number, step: number, bytes: number, side: 0 | 2 | 'both'): void {
    const month = Math.max(0, monthOf(day) - first);
    if (month >= forecastMonths) return;
    const key = (series * mostCodes + code) * stepKinds.length + step;
    let lane = lanes.get(key);
    if (!lane) {
      const cells = new Float64Array(forecastMonths * laneWidth);
      lane = { series: seriesNames[series]!, rule: codes[code]!, step: stepKinds[step]!, cells };
      lanes.set(key, lane);
    }
    const at = month * laneWidth;
    if (side !== 2) {
      lane.cells[at]! += 1;
      lane.cells[at + 1]! += bytes;
    }
    if (side !== 0) {
      lane.cells[at + 2]! += 1;
      lane.cells[at + 3]! += bytes;
    }
  }

  function forecast(s: Standing, series: number, { bytes, workdays }: CountedRecord, side: 0 | 2 | 'both'): void {
    let rule: { code: number; steps: OtherStep[] } | undefined;
    if (s.rule) {
      rule = known.get(s.rule);
      if (!rule) known.set(s.rule, (rule = { code: indexOf(s.rule.code, codeOf, codes), steps: otherSteps(s.rule) }));
    }
    const code = rule?.code ?? 0;
    if (s.dueOn !== unknownDay && s.action) count(s.dueOn, series, code, s.action === 'destroy' ? destroying : transferring, bytes, side);
    if (!rule) return;
    for (const step of rule.steps) {
      const due = step.due(s, workdays);
      // A step of the past was taken or passed over; only those ahead are forecast.
      if (due >= today) count(due, series, code, step.kind, bytes, side);
    }
  }

  const raise = <K>(into: Map<K, Shift>, key: K, which: keyof Shift): void => {
    let at = into.get(key);
    if (!at) into.set(key, (at = noShift()));
    at[which] += 1;
  };

  return {
    add(record, before, after) {
      looked += 1;
      const series = indexOf(record.series, seriesOf, seriesNames);
      if (before.conflict) conflictsBefore += 1;
      if (after.conflict) conflictsAfter += 1;
      if (before === after) {
        forecast(before, series, record, 'both');
        return;
      }
      forecast(before, series, record, 0);
      forecast(after, series, record, 2);
      const sameDate = before.dueOn === after.dueOn && before.outcome === after.outcome;
      if (sameDate && before.rule?.id === after.rule?.id && before.action === after.action) return;
      changed += 1;
      if (record.held) held += 1;
      if (record.inBatch) inBatches += 1;
      if (after.dueOn !== unknownDay && after.dueOn <= today && (before.dueOn === unknownDay || before.dueOn > today)) {
        atOnceRecords += 1;
        atOnceBytes += record.bytes;
      }
      if (sameDate) return;
      const which: keyof Shift =
        before.dueOn === unknownDay
          ? after.dueOn === unknownDay
            ? 'otherwise'
            : 'first'
          : after.dueOn === unknownDay
            ? 'none'
            : after.dueOn < before.dueOn
              ? 'earlier'
              : after.dueOn > before.dueOn
                ? 'later'
                : 'otherwise';
      shift[which] += 1;
      raise(bySeries, series, which);
      if (which === 'otherwise') return;
      raise(byYear, yearMonthDay(after.dueOn === unknownDay ? before.dueOn : after.dueOn).year, which);
      const far = distance(before.dueOn, after.dueOn);
      if (most.length < mostListed || far > most.at(-1)!.far) {
        const day = (d: EpochDay): EpochDay | null => (d === unknownDay ? null : d);
        most.push({ id: record.id(), before: day(before.dueOn), after: day(after.dueOn), far });
        most = most.sort((a, b) => b.far - a.far || (a.id < b.id ? -1 : 1)).slice(0, mostListed);
      }
    },
    result() {
      return {
        looked,
        changed,
        shift: { ...shift },
        atOnce: { records: atOnceRecords, bytes: atOnceBytes },
        held,
        inBatches,
        conflicts: { before: conflictsBefore, after: conflictsAfter },
        bySeries: [...bySeries].map(([series, counts]) => ({ series: seriesNames[series]!, ...counts })),
        byYear: [...byYear].map(([year, counts]) => ({ year, ...counts })).sort((a, b) => a.year - b.year),
        most: most.map(({ id, before, after }) => ({ id, before, after })),
        firstMonth: first,
        forecast: [...lanes.values()],
      };
    },
  };
}

function addShift(a: Shift, b: Shift): Shift {
  const sum = noShift();
  for (const which of shifts) sum[which] = a[which] + b[which];
  return sum;
}

function merged<T extends Shift>(lists: readonly (readonly T[])[], key: (item: T) => string | number): T[] {
  const all = new Map<string | number, T>();
  for (const item of lists.flat()) {
    const known = all.get(key(item));
    all.set(key(item), known ? { ...known, ...addShift(known, item) } : item);
  }
  return [...all.values()];
}

/** Effects on different records, counted apart, as one. */
export function mergeEffects(parts: readonly Effect[]): Effect {
  const sum = (of: (e: Effect) => number): number => parts.reduce((n, e) => n + of(e), 0);
  const lanes = new Map<string, ForecastLane>();
  for (const lane of parts.flatMap((e) => e.forecast)) {
    const key = `${lane.series} ${lane.rule} ${lane.step}`;
    const known = lanes.get(key);
    lanes.set(key, known ? { ...known, cells: known.cells.map((n, i) => n + lane.cells[i]!) } : lane);
  }
  const far = (m: MostAffected): number => distance(m.before ?? unknownDay, m.after ?? unknownDay);
  return {
    looked: sum((e) => e.looked),
    changed: sum((e) => e.changed),
    shift: parts.reduce((s, e) => addShift(s, e.shift), noShift()),
    atOnce: { records: sum((e) => e.atOnce.records), bytes: sum((e) => e.atOnce.bytes) },
    held: sum((e) => e.held),
    inBatches: sum((e) => e.inBatches),
    conflicts: { before: sum((e) => e.conflicts.before), after: sum((e) => e.conflicts.after) },
    bySeries: merged(
      parts.map((e) => e.bySeries),
      (s) => s.series,
    ),
    byYear: merged(
      parts.map((e) => e.byYear),
      (y) => y.year,
    ).sort((a, b) => a.year - b.year),
    most: parts
      .flatMap((e) => e.most)
      .sort((a, b) => far(b) - far(a) || (a.id < b.id ? -1 : 1))
      .slice(0, mostListed),
    firstMonth: parts[0]?.firstMonth ?? 0,
    forecast: [...lanes.values()],
  };
}

/** The cells of a lane in which there is something, each after its month. */
function filledCells(cells: Float64Array): number[] {
  const filled: number[] = [];
  for (let at = 0; at < cells.length; at += laneWidth) {
    if (cells[at]! === 0 && cells[at + 2]! === 0) continue;
    filled.push(at / laneWidth);
    for (const cell of cells.subarray(at, at + laneWidth)) filled.push(cell);
  }
  return filled;
}

/** An effect as it is shown. */
export interface NamedEffect extends Omit<Effect, 'bySeries' | 'byYear' | 'most' | 'firstMonth' | 'forecast'> {
  readonly bySeries: (Shift & { seriesId: string; code: string; title: string })[];
  readonly byYear: (Shift & { year: number })[];
  /** Dates as YYYY-MM-DD. */
  readonly most: { id: string; number: string; title: string; before: string | null; after: string | null }[];
  /** YYYY-MM */
  readonly firstMonth: string;
  /** Cells: five numbers for each month in which something is due: months after the first, then those of the lane. */
  readonly forecast: { series: string; rule: string; step: StepKind; cells: number[] }[];
}

/** Puts names to the series and records of an effect, days and months into words, and both in order of their codes. */
export function namedEffect(
  effect: Effect,
  series: (id: string) => { readonly code: string; readonly title: string } | undefined,
  record: (id: string) => { readonly number: string; readonly title: string } | undefined,
): NamedEffect {
  const day = (d: EpochDay | null): string | null => (d === null ? null : formatCivilDate(d));
  const codeOf = (id: string): string => series(id)?.code ?? '?';
  return {
    ...effect,
    bySeries: effect.bySeries
      .map(({ series: id, ...counts }) => ({ seriesId: id, code: codeOf(id), title: series(id)?.title ?? '', ...counts }))
      .sort((a, b) => (a.code < b.code ? -1 : 1)),
    byYear: [...effect.byYear],
    most: effect.most.map((m) => ({
      id: m.id,
      number: record(m.id)?.number ?? '?',
      title: record(m.id)?.title ?? '',
      before: day(m.before),
      after: day(m.after),
    })),
    firstMonth: formatMonth(effect.firstMonth),
    forecast: effect.forecast
      .map((lane) => ({ series: codeOf(lane.series), rule: lane.rule, step: lane.step, cells: filledCells(lane.cells) }))
      .sort((a, b) => (a.series < b.series ? -1 : a.series > b.series ? 1 : a.rule < b.rule ? -1 : 1)),
  };
}
