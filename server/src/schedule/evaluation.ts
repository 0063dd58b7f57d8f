import { civilDate, formatCivilDate, parseCivilDate, yearMonthDay, type EpochDay } from '@key-cellar/core/calendar';
import { distinctWords, matches, type CriteriaRecord } from '@key-cellar/core/criteria';
import {
  explain,
  governingRule,
  isDisposing,
  vintageOf,
  type ClockFacts,
  type EventOccurrence,
  type Explanation,
  type Governing,
  type HoldInTheWay,
  type Override,
  type RuleCandidate,
} from '@key-cellar/core/schedule';
import type { Db } from '../db/index.js';
import type { CriteriaRule, RuleBook } from './ruleBook.js';
import * as store from './store.js';

/** One record with all that the core needs to judge it. */
export interface Judged {
  readonly row: store.ClockRow;
  readonly facts: ClockFacts;
  readonly governing: Governing;
  /** What would govern with another override, or with none. */
  readonly weigh: (override: Override | null) => Governing;
}

const dayOrUndefined = (text: string | null): EpochDay | undefined => (text === null ? undefined : civilDate(text));

function nameOf(place: store.ChainPlace): string {
  return `${place.kind} ${place.code}`;
}

/** Folders first, nearest first, then plan nodes outward: the order in which the schedule looks for things. */
function outward(row: store.ClockRow, places: ReadonlyMap<string, store.ChainPlace>): store.ChainPlace[] {
  return [...row.places].reverse().flatMap((id) => places.get(id) ?? []);
}

type EventRow = { readonly type: string; readonly happened_on: string };

/** Events on the places around a record, nearest first; the record itself is nearer still. */
export function eventsOnChain(
  chain: readonly store.ChainPlace[],
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
export function folderClosedOn(chain: readonly store.ChainPlace[]): ClockFacts['folderClosed'] {
  const closed = chain.find((place) => place.kind === 'folder' && place.closed_on !== null);
  return closed ? { on: civilDate(closed.closed_on!), subject: nameOf(closed) } : undefined;
}

function clockFacts(
  row: store.ClockRow,
  chain: readonly store.ChainPlace[],
  eventsBySubject: ReadonlyMap<string, readonly EventRow[]>,
): ClockFacts {
  const own = (eventsBySubject.get(row.id) ?? []).map((e) => ({
    type: e.type,
    on: civilDate(e.happened_on),
    distance: 0,
    subject: 'the record',
  }));
  const factDates: Record<string, EpochDay> = {};
  for (const [code, value] of Object.entries(row.facts)) {
    const date = typeof value === 'string' ? parseCivilDate(value) : null;
    if (date !== null) factDates[code] = date;
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
    events: [...own, ...eventsOnChain(chain, eventsBySubject)],
  };
}

/** What criteria of rules can see: what the schedule itself says of a record is not part of it. */
function criteriaRecord(row: store.ClockRow): CriteriaRecord {
  const known = (day: string | null): EpochDay | undefined => dayOrUndefined(day);
  let words: ReadonlySet<string> | undefined;
  const declared = known(row.declared_on);
  return {
    get words() {
      return (words ??= new Set(distinctWords(row.title, row.number, ...Object.values(row.facts).map(String))));
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
      ...(declared === undefined ? {} : { declared }),
    },
    facts: row.facts,
    held: false,
    holds: new Set(),
    gaps: row.gaps,
  };
}

/** The rules set on a chain of places, folders first, nearest first. */
export function candidatesOnPlaces(chain: readonly store.ChainPlace[], book: RuleBook): RuleCandidate[] {
  const found: RuleCandidate[] = [];
  let folders = 0;
  let nodes = 0;
  for (const place of chain) {
    const level = place.kind === 'folder' ? 'folder' : 'planNode';
    const distance = level === 'folder' ? folders++ : nodes++;
    for (const ruleId of book.rulesAt(place.id)) {
      found.push({ level, distance, setOn: nameOf(place), versions: book.versionsOf(ruleId) });
    }
  }
  return found;
}

/** The rules for a record type in a series. */
export function candidatesForPair(recordType: string, seriesId: string, series: string, book: RuleBook): RuleCandidate[] {
  return book
    .rulesForPair(recordType, seriesId)
    .map((ruleId) => ({ level: 'typeAndSeries', distance: 0, setOn: `${recordType} in ${series}`, versions: book.versionsOf(ruleId) }));
}

/** The rule set by criteria at a place of the order. */
export function candidateByCriteria(rule: CriteriaRule, order: number, book: RuleBook): RuleCandidate {
  return { level: 'criteria', distance: order, setOn: `criteria no. ${order + 1}`, versions: book.versionsOf(rule.ruleId) };
}

function candidates(row: store.ClockRow, chain: readonly store.ChainPlace[], book: RuleBook): RuleCandidate[] {
  const found = candidatesOnPlaces(chain, book);
  const series = chain.find((place) => place.kind === 'series');
  if (series) found.push(...candidatesForPair(row.record_type, series.id, nameOf(series), book));
  if (book.criteriaRules.length > 0) {
    const record = criteriaRecord(row);
    book.criteriaRules.forEach((rule, order) => {
      if (matches(rule.criteria, record)) found.push(candidateByCriteria(rule, order, book));
    });
  }
  return found;
}

function overrideOf(row: store.ClockRow, book: RuleBook): Override | null {
  const stored = row.override;
  if (!stored) return null;
  if (stored.kind === 'date') return stored;
  const { reason, by, on } = stored;
  return { kind: 'rule', versions: book.versionsOf(stored.ruleId), reason, by, on };
}

/** A record's jurisdictions come from itself, else from its folder, else from its plan node; wider ones count with them. */
export function jurisdictionsOf(own: readonly string[], chain: readonly store.ChainPlace[], book: RuleBook): readonly string[] {
  return book.widen(own.length > 0 ? own : (chain.find((place) => place.jurisdictions.length > 0)?.jurisdictions ?? []));
}

/** Judges records by the rules in force on a day. Reads their places and events in two queries, however many they are. */
export async function judge(db: Db, records: readonly store.ClockRow[], book: RuleBook, today: string): Promise<Judged[]> {
  const placeIds = [...new Set(records.flatMap((r) => r.places))];
  const [placeRows, eventRows] = await Promise.all([
    store.chainPlaces(db, placeIds),
    store.eventsOn(
      db,
      placeIds,
      records.map((r) => r.id),
    ),
  ]);
  const places = new Map(placeRows.map((p) => [p.id, p]));
  const events = new Map<string, { type: string; happened_on: string }[]>();
  for (const e of eventRows) {
    const subject = (e.place_id ?? e.record_id)!;
    events.set(subject, [...(events.get(subject) ?? []), e]);
  }
  const day = civilDate(today);
  return records.map((row) => {
    const chain = outward(row, places);
    const facts = clockFacts(row, chain, events);
    const weigh = (override: Override | null): Governing =>
      governingRule(candidates(row, chain, book), override, facts, jurisdictionsOf(row.jurisdictions, chain, book), day);
    return { row, facts, governing: weigh(overrideOf(row, book)), weigh };
  });
}

/** The part of a judgement that is stored with the record. */
export function verdictOf({ row, governing }: Judged): store.StoredVerdict {
  const year = yearMonthDay(civilDate(row.created_on)).year;
  switch (governing.kind) {
    case 'unscheduled':
      return { outcome: 'unscheduled', rule_version_id: null, clock_start: null, due_on: null, action: null, vintage: year };
    case 'overrideDate':
      return {
        outcome: 'dated',
        rule_version_id: null,
        clock_start: null,
        due_on: formatCivilDate(governing.dueOn),
        action: governing.action,
        vintage: year,
      };
    case 'rule': {
      const { rule, verdict } = governing.by;
      const disposing = rule.steps.find((s) => isDisposing(s.kind));
      const start = verdict.kind === 'waiting' ? null : verdict.clockStart;
      return {
        outcome: verdict.kind,
        rule_version_id: rule.id,
        clock_start: start === null ? null : formatCivilDate(start),
        due_on: verdict.kind === 'dated' && verdict.dueOn !== null ? formatCivilDate(verdict.dueOn) : null,
        action: disposing && isDisposing(disposing.kind) ? disposing.kind : null,
        vintage: verdict.kind === 'waiting' ? null : start === null ? year : vintageOf(start, rule.cutoff),
      };
    }
  }
}

/** The explanation of one judgement. */
export function explainJudged(judged: Judged, holds: readonly HoldInTheWay[], missing: readonly string[]): Explanation {
  return explain({ governing: judged.governing, facts: judged.facts, holds, missing });
}

function sameVerdict(a: store.StoredVerdict, b: store.StoredVerdict): boolean {
  return (
    a.outcome === b.outcome &&
    a.rule_version_id === b.rule_version_id &&
    a.clock_start === b.clock_start &&
    a.due_on === b.due_on &&
    a.action === b.action &&
    a.vintage === b.vintage
  );
}

/**
 * Judges records anew and stores what changed, under their row locks. A record that was due and no longer is leaves
 * the docket; one in a batch stays there, and is judged again at execution. Gives the number of changed records.
 */
export async function recompute(db: Db, ids: readonly string[], book: RuleBook, today: string): Promise<number> {
  if (ids.length === 0) return 0;
  const locked = await store.lockForRecompute(db, ids);
  const changed = (await judge(db, locked, book, today)).flatMap((judged, i) => {
    const before = locked[i]!;
    const verdict = verdictOf(judged);
    const stillDue = verdict.due_on !== null && verdict.due_on <= today;
    const docket = before.docket === 'due' && !stillDue ? 'none' : before.docket;
    return sameVerdict(before, verdict) && docket === before.docket ? [] : [{ ...verdict, id: before.id, docket }];
  });
  return store.writeVerdicts(db, changed);
}
