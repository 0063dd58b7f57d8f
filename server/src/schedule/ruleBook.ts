import { describeCriteria, type Criteria } from '@key-cellar/core/criteria';
import { civilDate, commonWorkdays, type WorkCalendar } from '@key-cellar/core/calendar';
import { partsOf, widened, withEnds, type Jurisdiction, type RuleVersion } from '@key-cellar/core/schedule';
import type pg from 'pg';
import type { Db } from '../kernel/index.js';
import * as pastStore from './pastStore.js';
import * as ruleStore from './ruleStore.js';

/** A rule set by criteria, with its place in the order. */
export interface CriteriaRule {
  readonly id: string;
  readonly ruleId: string;
  readonly criteria: Criteria;
  readonly position: number;
  readonly words: string;
}

/** All published rules and where they are set, as they stood at one epoch; plain data, so that threads can hand it on. */
export interface RuleBookData {
  readonly versions: Readonly<Record<string, readonly RuleVersion[]>>;
  readonly placeRules: readonly { readonly placeId: string; readonly ruleId: string }[];
  readonly pairRules: readonly { readonly recordType: string; readonly seriesId: string; readonly ruleId: string }[];
  readonly criteriaRules: readonly CriteriaRule[];
  readonly jurisdictions: readonly Jurisdiction[];
  /** The ends of named years, by their name, in order. */
  readonly years: Readonly<Record<string, readonly string[]>>;
  /** The days that are worked, by the jurisdictions where somebody said so. */
  readonly calendars: Readonly<Record<string, WorkCalendar>>;
}

export interface RuleBook {
  readonly data: RuleBookData;
  readonly versionsOf: (ruleId: string) => readonly RuleVersion[];
  /** Throws for a code that no published rule has. */
  readonly idOf: (code: string) => string;
  readonly rulesAt: (placeId: string) => readonly string[];
  readonly rulesForPair: (recordType: string, seriesId: string) => readonly string[];
  /** In priority order. */
  readonly criteriaRules: readonly CriteriaRule[];
  /** Jurisdictions with the wider ones that they are part of. */
  readonly widen: (names: readonly string[]) => readonly string[];
  /** The days on which all of these jurisdictions work; undefined where nobody said. */
  readonly workdays: (widened: readonly string[]) => WorkCalendar | undefined;
  /** Whether any rule counts from what points at a record. */
  readonly asksForReferences: boolean;
}

/** A published version in the core's shape. */
function toRuleVersion(v: ruleStore.VersionRow, years: RuleBookData['years']): RuleVersion {
  return {
    ...withEnds(v.definition, years),
    id: v.id,
    code: v.code,
    version: v.version,
    inForceFrom: v.in_force_from,
    takesOver: v.takes_over,
  };
}

function grouped<T>(items: readonly T[], key: (item: T) => string, value: (item: T) => string): Map<string, string[]> {
  const groups = new Map<string, string[]>();
  for (const item of items) {
    const group = groups.get(key(item));
    if (group) group.push(value(item));
    else groups.set(key(item), [value(item)]);
  }
  return groups;
}

/** The book over its data. */
export function ruleBookOf(data: RuleBookData): RuleBook {
  const byPlace = grouped(
    data.placeRules,
    (s) => s.placeId,
    (s) => s.ruleId,
  );
  const byPair = grouped(
    data.pairRules,
    (s) => `${s.recordType} ${s.seriesId}`,
    (s) => s.ruleId,
  );
  const common = new Map<string, WorkCalendar | undefined>();
  const versions = Object.values(data.versions).flat();
  return {
    data,
    asksForReferences: versions.some((v) => partsOf(v.trigger).some((p) => p.trigger.kind === 'unreferenced')),
    workdays: (names) => {
      const key = names.join('\u001f');
      if (!common.has(key)) common.set(key, commonWorkdays(names.flatMap((name) => data.calendars[name] ?? [])) ?? undefined);
      return common.get(key);
    },
    versionsOf: (id) => data.versions[id] ?? [],
    idOf: (code) => {
      const found = Object.entries(data.versions).find(([, versions]) => versions[0]?.code === code);
      if (!found) throw new RangeError(`No rule ${code}`);
      return found[0];
    },
    rulesAt: (id) => byPlace.get(id) ?? [],
    rulesForPair: (recordType, seriesId) => byPair.get(`${recordType} ${seriesId}`) ?? [],
    criteriaRules: data.criteriaRules,
    widen: (names) => widened(names, data.jurisdictions),
  };
}

/** What a book is made of, as it stands in the database. */
interface BookRows {
  readonly versions: readonly ruleStore.VersionRow[];
  readonly placeRules: readonly { readonly place_id: string; readonly rule_id: string }[];
  readonly pairRules: readonly { readonly record_type: string; readonly series_id: string; readonly rule_id: string }[];
  readonly criteriaRules: readonly ruleStore.CriteriaRuleRow[];
  readonly jurisdictions: readonly {
    readonly name: string;
    readonly part_of: string | null;
    readonly calendar: ruleStore.StoredCalendar | null;
  }[];
  readonly namedYears: readonly { readonly name: string; readonly ends: readonly string[] }[];
}

function bookOf({ versions, placeRules, pairRules, criteriaRules, jurisdictions, namedYears }: BookRows): RuleBook {
  const years = Object.fromEntries(namedYears.map((y) => [y.name, y.ends]));
  const byRule: Record<string, RuleVersion[]> = {};
  for (const v of versions) (byRule[v.rule_id] ??= []).push(toRuleVersion(v, years));
  return ruleBookOf({
    versions: byRule,
    placeRules: placeRules.map((s) => ({ placeId: s.place_id, ruleId: s.rule_id })),
    pairRules: pairRules.map((s) => ({ recordType: s.record_type, seriesId: s.series_id, ruleId: s.rule_id })),
    criteriaRules: criteriaRules.map((c) => ({
      id: c.id,
      ruleId: c.rule_id,
      criteria: c.criteria,
      position: c.position,
      words: describeCriteria(c.criteria),
    })),
    jurisdictions: jurisdictions.map((j) => ({ name: j.name, partOf: j.part_of })),
    years,
    calendars: Object.fromEntries(
      jurisdictions.flatMap(({ name, calendar }) =>
        calendar ? [[name, { weekend: calendar.weekend, holidays: calendar.holidays.map((h) => civilDate(h.on)) }]] : [],
      ),
    ),
  });
}

export async function loadRuleBook(db: Db): Promise<RuleBook> {
  const [versions, placeRules, pairRules, criteriaRules, jurisdictions, namedYears] = await Promise.all([
    ruleStore.allVersions(db),
    ruleStore.placeRules(db),
    ruleStore.pairRules(db),
    ruleStore.criteriaRules(db),
    ruleStore.jurisdictions(db),
    ruleStore.namedYears(db),
  ]);
  return bookOf({ versions, placeRules, pairRules, criteriaRules, jurisdictions, namedYears });
}

/** Where rules were set on a day, and the versions, holidays and years that were known on another. */
export async function loadBookOfPast(db: Db, on: string, known: string): Promise<RuleBook> {
  // Before it was known where rules were set, lists are what they were when that began.
  const listsOn = known < on ? on : known;
  const [versions, placeRules, pairRules, criteriaRules, then, now, namedYears] = await Promise.all([
    pastStore.versionsKnown(db, known),
    pastStore.placeRulesWere(db, on),
    pastStore.pairRulesWere(db, on),
    pastStore.criteriaRulesWere(db, on),
    pastStore.jurisdictionsWere(db, on),
    pastStore.jurisdictionsWere(db, listsOn),
    pastStore.namedYearsWere(db, listsOn),
  ]);
  const calendars = new Map(now.map((j) => [j.name, j.calendar]));
  const jurisdictions = then.map((j) => ({ ...j, calendar: calendars.get(j.name) ?? j.calendar }));
  return bookOf({ versions, placeRules, pairRules, criteriaRules, jurisdictions, namedYears });
}

export interface RuleBooks {
  /** The book as this connection sees it: inside a transaction its own changes count. */
  current(db: Db): Promise<RuleBook>;
}

/** Keeps the newest book; a transaction that changed rules itself must load its own with {@link loadRuleBook}. */
export function ruleBooks(pool: pg.Pool): RuleBooks {
  let kept: { epoch: number; book: Promise<RuleBook> } | null = null;
  return {
    async current(db) {
      const epoch = await ruleStore.scheduleEpoch(db);
      if (!kept || kept.epoch !== epoch) {
        const loading = { epoch, book: loadRuleBook(pool) };
        kept = loading;
        loading.book.catch(() => {
          if (kept === loading) kept = null;
        });
      }
      return kept.book;
    },
  };
}
