import { civilDate, formatCivilDate, parseCivilDate, type EpochDay } from '@key-cellar/core/calendar';
import { distinctWords, matches, type CriteriaRecord } from '@key-cellar/core/criteria';
import {
  actionOf,
  conflictIn,
  explain,
  governingRule,
  nextStep,
  overtakenOn,
  stepHistories,
  vintageIn,
  type ClockFacts,
  type EventOccurrence,
  type Explanation,
  type Governing,
  type HoldInTheWay,
  type Override,
  type RuleCandidate,
  type StepDate,
} from '@key-cellar/core/schedule';
import { message, type Message, type Value } from '@key-cellar/words';
import type { Db } from '../kernel/index.js';
import type { CriteriaRule, RuleBook } from './ruleBook.js';
import * as clockStore from './clockStore.js';

/** A rule that may govern a record, with its id. */
export type PlacedCandidate = RuleCandidate & { readonly ruleId: string };

/** One record with all that the core needs to judge it. */
export interface Judged {
  readonly row: clockStore.ClockRow;
  readonly facts: ClockFacts;
  readonly candidates: readonly PlacedCandidate[];
  /** Its jurisdictions with the wider ones that they are part of. */
  readonly jurisdictions: readonly string[];
  readonly governing: Governing;
  /** What would govern with another override, or with none. */
  readonly weigh: (override: Override | null) => Governing;
}

const dayOrUndefined = (text: string | null): EpochDay | undefined => (text === null ? undefined : civilDate(text));

/** Stands for the code of a place that whoever asks may not know of. */
export const unknownPlace = '\u0000';

function nameOf({ kind, code }: clockStore.ChainPlace): Message {
  return message('schedule.placeNamed', { kind, code: code === unknownPlace ? message('schedule.notShown') : code });
}

/** Folders first, nearest first, then plan nodes outward: the order in which the schedule looks for things. */
export function outward(
  row: Pick<clockStore.ClockRow, 'places'>,
  places: ReadonlyMap<string, clockStore.ChainPlace>,
): clockStore.ChainPlace[] {
  return [...row.places].reverse().flatMap((id) => places.get(id) ?? []);
}

type EventRow = { readonly type: string; readonly happened_on: string; readonly name?: string | null };

/** Events on the places around a record, nearest first; the record itself is nearer still. */
export function eventsOnChain(
  chain: readonly clockStore.ChainPlace[],
  eventsBySubject: ReadonlyMap<string, readonly EventRow[]>,
): EventOccurrence[] {
  return chain.flatMap((place, i) =>
    (eventsBySubject.get(place.id) ?? []).map((e) => ({
      type: e.type,
      on: civilDate(e.happened_on),
      distance: i + 1,
      subject: nameOf(place),
    })),
  );
}

/** The nearest folder that was closed. */
export function folderClosedOn(chain: readonly clockStore.ChainPlace[]): ClockFacts['folderClosed'] {
  const closed = chain.find((place) => place.kind === 'folder' && place.closed_on !== null);
  return closed ? { on: civilDate(closed.closed_on!), subject: nameOf(closed) } : undefined;
}

type Unreferenced = Readonly<Record<string, EpochDay | null>>;

function clockFacts(
  row: clockStore.ClockRow,
  chain: readonly clockStore.ChainPlace[],
  eventsBySubject: ReadonlyMap<string, readonly EventRow[]>,
  unreferenced: Unreferenced | undefined,
  workdays: ClockFacts['workdays'],
): ClockFacts {
  const own = (eventsBySubject.get(row.id) ?? []).map((e) => ({
    type: e.type,
    on: civilDate(e.happened_on),
    distance: 0,
    subject: message('schedule.theRecord'),
  }));
  const elsewhere = row.refers.flatMap((id) =>
    (eventsBySubject.get(id) ?? []).map((e) => ({
      type: e.type,
      on: civilDate(e.happened_on),
      distance: chain.length + 1,
      subject: e.name ?? '',
    })),
  );
  const factDates: Record<string, EpochDay[]> = {};
  for (const [code, value] of Object.entries(row.facts)) {
    const dates = [value].flat().flatMap((one) => (typeof one === 'string' ? (parseCivilDate(one) ?? []) : []));
    if (dates.length > 0) factDates[code] = dates;
  }
  return {
    dates: {
      created: civilDate(row.created_on),
      received: civilDate(row.received_on),
      filed: civilDate(row.filed_on),
      modified: civilDate(row.modified_on),
      declared: dayOrUndefined(row.declared_on),
      superseded: dayOrUndefined(row.superseded_on),
      lastUsed: dayOrUndefined(row.last_used_on),
    },
    factDates,
    folderClosed: folderClosedOn(chain),
    // The record, then its places outward, then what it points at.
    events: [...own, ...eventsOnChain(chain, eventsBySubject), ...elsewhere],
    unreferenced,
    workdays,
    taken: row.steps_taken === null ? undefined : stepHistories(row.steps_taken.map((act) => ({ ...act, on: civilDate(act.on) }))),
  };
}

/** What criteria of rules can see: what the schedule itself says of a record is not part of it. */
function criteriaRecord(row: clockStore.ClockRow): CriteriaRecord {
  const known = (day: string | null): EpochDay | undefined => dayOrUndefined(day);
  let words: ReadonlySet<string> | undefined;
  const declared = known(row.declared_on);
  return {
    get words() {
      return (words ??= new Set(distinctWords(row.title, row.number, ...Object.values(row.facts).flat().map(String))));
    },
    title: row.title,
    number: row.number,
    places: new Set(row.places),
    recordType: row.record_type,
    state: row.state,
    medium: row.medium,
    outcome: '',
    docket: '',
    owner: row.owner_id,
    depositor: row.deposited_by,
    dates: {
      created: civilDate(row.created_on),
      received: civilDate(row.received_on),
      filed: civilDate(row.filed_on),
      modified: civilDate(row.modified_on),
      ...(declared === undefined ? {} : { declared }),
    },
    facts: row.facts,
    held: false,
    holds: new Set(),
    detected: new Set(row.detected),
    gaps: row.gaps,
    conflict: false,
  };
}

/** The rules set on a chain of places, folders first, nearest first. */
export function candidatesOnPlaces(chain: readonly clockStore.ChainPlace[], book: RuleBook): PlacedCandidate[] {
  const found: PlacedCandidate[] = [];
  let folders = 0;
  let nodes = 0;
  for (const place of chain) {
    const level = place.kind === 'folder' ? 'folder' : 'planNode';
    const distance = level === 'folder' ? folders++ : nodes++;
    for (const ruleId of book.rulesAt(place.id)) {
      found.push({ ruleId, level, distance, setOn: nameOf(place), versions: book.versionsOf(ruleId) });
    }
  }
  return found;
}

/** The rules for a record type in a series. */
export function candidatesForPair(recordType: string, seriesId: string, series: Value, book: RuleBook): PlacedCandidate[] {
  const setOn = message('schedule.typeInSeries', { type: recordType, series });
  return book
    .rulesForPair(recordType, seriesId)
    .map((ruleId) => ({ ruleId, level: 'typeAndSeries', distance: 0, setOn, versions: book.versionsOf(ruleId) }));
}

/** The rule set by criteria at a place of the order. */
export function candidateByCriteria({ ruleId }: CriteriaRule, order: number, book: RuleBook): PlacedCandidate {
  return {
    ruleId,
    level: 'criteria',
    distance: order,
    setOn: message('schedule.criteriaNo', { no: String(order + 1) }),
    versions: book.versionsOf(ruleId),
  };
}

function candidatesFor(row: clockStore.ClockRow, chain: readonly clockStore.ChainPlace[], book: RuleBook): PlacedCandidate[] {
  const series = chain.find((place) => place.kind === 'series');
  const found = [
    ...candidatesOnPlaces(chain, book),
    ...(series ? candidatesForPair(row.record_type, series.id, nameOf(series), book) : []),
  ];
  if (book.criteriaRules.length > 0) {
    const record = criteriaRecord(row);
    book.criteriaRules.forEach((rule, order) => {
      if (matches(rule.criteria, record)) found.push(candidateByCriteria(rule, order, book));
    });
  }
  return found;
}

function overrideOf(row: clockStore.ClockRow, book: RuleBook): Override | null {
  const stored = row.override;
  if (!stored) return null;
  if (stored.kind !== 'rule') return stored;
  const { reason, by, on } = stored;
  return { kind: 'rule', versions: book.versionsOf(stored.ruleId), reason, by, on };
}

/** A record's jurisdictions come from itself, else from its folder, else from its plan node; wider ones count with them. */
export function jurisdictionsOf(own: readonly string[], chain: readonly clockStore.ChainPlace[], book: RuleBook): readonly string[] {
  return book.widen(own.length > 0 ? own : (chain.find((place) => place.jurisdictions.length > 0)?.jurisdictions ?? []));
}

/** What records are judged by besides themselves and the rules. */
export interface Surroundings {
  readonly places: readonly clockStore.ChainPlace[];
  readonly events: readonly clockStore.StoredEvent[];
  readonly references: readonly clockStore.StoredReference[];
}

/**
 * Judges records by the rules in force on a day. Reads their places and events in two queries, and in a third what points at them
 * where a rule asks for that, however many they are; one place may be given as it would be.
 */
export async function judge(
  db: Db,
  records: readonly clockStore.ClockRow[],
  book: RuleBook,
  today: string,
  instead: clockStore.ChainPlace | null = null,
): Promise<Judged[]> {
  const placeIds = [...new Set(records.flatMap((r) => r.places))];
  const ids = records.map((r) => r.id);
  const [places, events, references] = await Promise.all([
    clockStore.chainPlaces(db, placeIds),
    clockStore.eventsOn(db, placeIds, ids, [...new Set(records.flatMap((r) => r.refers))]),
    book.asksForReferences ? clockStore.referencesTo(db, ids) : [],
  ]);
  return judgeAmong(records, book, today, { places: places.map((p) => (instead?.id === p.id ? instead : p)), events, references });
}

/** Judges records among what is around them, which was read before. */
export function judgeAmong(records: readonly clockStore.ClockRow[], book: RuleBook, today: string, around: Surroundings): Judged[] {
  const places = new Map(around.places.map((p) => [p.id, p]));
  const events = new Map<string, EventRow[]>();
  for (const e of around.events) {
    const subject = (e.place_id ?? e.record_id ?? e.entity_id)!;
    events.set(subject, [...(events.get(subject) ?? []), e]);
  }
  const references = new Map<string, Record<string, EpochDay | null>>();
  for (const { target_id, fact, gone_on } of around.references) {
    const of = references.get(target_id) ?? {};
    of[fact] = gone_on === null ? null : civilDate(gone_on);
    references.set(target_id, of);
  }
  const day = civilDate(today);
  return records.map((row) => {
    const chain = outward(row, places);
    const jurisdictions = jurisdictionsOf(row.jurisdictions, chain, book);
    const facts = clockFacts(row, chain, events, references.get(row.id), book.workdays(jurisdictions));
    const candidates = candidatesFor(row, chain, book);
    const weigh = (override: Override | null): Governing => governingRule(candidates, override, facts, jurisdictions, day);
    return { row, facts, candidates, jurisdictions, governing: weigh(overrideOf(row, book)), weigh };
  });
}

/** The step of its governing rule that is next for a record; null when none is, or when it waits for something. */
function nextStepOf({ governing }: Judged): (StepDate & { readonly dueOn: EpochDay }) | null {
  return governing.kind === 'rule' ? nextStep(governing.by.verdict.steps) : null;
}

/** The part of a judgement that is stored with the record. */
function verdictOf(judged: Judged): clockStore.StoredVerdict {
  const { row, governing } = judged;
  const vintage = vintageIn(governing, civilDate(row.created_on));
  const step = nextStepOf(judged);
  const day = (on: EpochDay | null | undefined): string | null => (on === null || on === undefined ? null : formatCivilDate(on));
  const common = {
    vintage,
    next_step_on: day(step?.dueOn),
    trigger_on: null,
    conflict_with: conflictIn(governing)?.id ?? null,
    rule_version_id: null,
    clock_start: null,
    due_on: null,
    action: null,
  };
  switch (governing.kind) {
    case 'unscheduled':
      return { ...common, outcome: 'unscheduled' };
    case 'overrideForGood':
      return { ...common, outcome: 'permanent' };
    case 'overrideDate':
      return { ...common, outcome: 'dated', due_on: day(governing.dueOn), action: governing.action };
    case 'rule': {
      const { rule, verdict } = governing.by;
      return {
        ...common,
        outcome: verdict.kind,
        rule_version_id: rule.id,
        trigger_on: day(verdict.trigger?.on),
        clock_start: day(verdict.clockStart),
        due_on: verdict.kind === 'dated' ? day(verdict.dueOn) : null,
        action: actionOf(rule),
      };
    }
  }
}

/** The explanation of one judgement. */
export function explainJudged(judged: Judged, holds: readonly HoldInTheWay[], missing: readonly string[]): Explanation {
  return explain({ governing: judged.governing, facts: judged.facts, holds, missing });
}

function sameVerdict(a: clockStore.StoredVerdict, b: clockStore.StoredVerdict): boolean {
  return (
    a.outcome === b.outcome &&
    a.rule_version_id === b.rule_version_id &&
    a.clock_start === b.clock_start &&
    a.due_on === b.due_on &&
    a.action === b.action &&
    a.vintage === b.vintage &&
    a.trigger_on === b.trigger_on &&
    a.conflict_with === b.conflict_with &&
    a.next_step_on === b.next_step_on
  );
}

/**
 * When the sweep has to look at a record next: on the day of its next step; while somebody is asked about that step, on the
 * day to ask again or when the step after it is due.
 */
function lookAgain(judged: Judged, task: clockStore.OpenTask): { on: string | null; drop: string | null } {
  const step = nextStepOf(judged);
  const on = step === null ? null : formatCivilDate(step.dueOn);
  const { governing } = judged;
  if (task.task_id === null) return { on, drop: null };
  if (
    step?.index !== task.task_index ||
    step.step.kind !== task.task_kind ||
    governing.kind !== 'rule' ||
    governing.by.rule.code !== task.task_rule
  ) {
    return { on, drop: task.task_id };
  }
  if (task.task_kind === 'review') return { on: null, drop: null };
  const over = overtakenOn(governing.by.verdict.steps, step.index);
  const days = [task.task_again_on, over === null ? null : formatCivilDate(over)].filter((day) => day !== null).sort();
  return { on: days[0] ?? null, drop: null };
}

/** A record as it is judged now, with its next step and what is open about it. */
export interface JudgedLocked extends Judged {
  readonly row: clockStore.LockedRow;
  readonly next: ReturnType<typeof nextStepOf>;
  readonly task: clockStore.OpenTask | null;
}

/** Judges records under their row locks, or only looks at them. */
export async function judgeLocked(db: Db, ids: readonly string[], book: RuleBook, today: string, lock: boolean): Promise<JudgedLocked[]> {
  if (ids.length === 0) return [];
  const rows = lock ? await clockStore.lockForRecompute(db, ids) : await clockStore.lookAt(db, ids);
  return (await judge(db, rows, book, today)).map((judged, i) => {
    const row = rows[i]!;
    return { ...judged, row, next: nextStepOf(judged), task: row.task_id === null ? null : row };
  });
}

/**
 * Judges records anew and stores what changed, under their row locks. A record that was due and no longer is leaves
 * the docket; one in a batch stays there, and is judged again at execution. Gives the number of changed records, which with
 * `dryRun` stay as they are.
 */
export async function recompute(db: Db, ids: readonly string[], book: RuleBook, today: string, dryRun = false): Promise<number> {
  if (ids.length === 0) return 0;
  const locked = await clockStore.lockForRecompute(db, ids);
  const dropped: string[] = [];
  const changed = (await judge(db, locked, book, today)).flatMap((judged, i) => {
    const before = locked[i]!;
    const look = lookAgain(judged, before);
    if (look.drop !== null) dropped.push(look.drop);
    const verdict = { ...verdictOf(judged), next_step_on: look.on };
    const stillDue = verdict.due_on !== null && verdict.due_on <= today;
    const docket = before.docket === 'due' && !stillDue ? 'none' : before.docket;
    return sameVerdict(before, verdict) && docket === before.docket ? [] : [{ ...verdict, id: before.id, docket }];
  });
  if (dryRun) return changed.length;
  if (dropped.length > 0) await clockStore.dropTasks(db, dropped);
  return clockStore.writeVerdicts(db, changed);
}
