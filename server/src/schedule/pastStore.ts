import { type Db, row, rows } from '../kernel/index.js';
import type { ChainPlace, ClockRow, StoredEvent, StoredReference } from './clockStore.js';
import { type CriteriaRuleRow, type StoredCalendar, versionColumns, type VersionRow, versionTables } from './ruleStore.js';

/** The day from which on it is known how things were; null in a repository that nobody has set up. */
export async function pastFrom(db: Db): Promise<string | null> {
  return (await row<{ on: string }>(db, 'past.from', `select value->>'on' as on from setting where name = 'pastFrom'`))?.on ?? null;
}

/** A record as it was at the end of a day; undefined when it has been the same ever since. */
export async function recordWas(db: Db, id: string, on: string): Promise<Partial<ClockRow> | undefined> {
  const found = await row<{ was: Partial<ClockRow> }>(
    db,
    'past.record',
    `select was from past where of = 'record' and key = $1 and repository_date(until) > $2 order by id limit 1`,
    [id, on],
  );
  return found?.was;
}

/** The last day up to one on which content of a record was read or copied, as the ledger has it. */
export async function lastUsedBy(db: Db, id: string, on: string): Promise<string | null> {
  const found = await row<{ on: string | null }>(
    db,
    'past.lastUsed',
    `select max(repository_date(at))::text as on from ledger_entry
     where subject_id = $1 and act in ('read content', 'took a copy') and repository_date(at) <= $2`,
    [id, on],
  );
  return found!.on;
}

/** Rows of a table as they were at the end of a day. */
async function asItWas<T>(
  db: Db,
  of: 'place_rule' | 'pair_rule' | 'criteria_rule' | 'jurisdiction' | 'named_year',
  on: string,
): Promise<T[]> {
  const found = await rows<{ was: T }>(db, 'past.table', 'select was from as_it_was($1, $2) was', [of, on]);
  return found.map((r) => r.was);
}

export const placeRulesWere = (db: Db, on: string) => asItWas<{ place_id: string; rule_id: string }>(db, 'place_rule', on);
export const pairRulesWere = (db: Db, on: string) =>
  asItWas<{ record_type: string; series_id: string; rule_id: string }>(db, 'pair_rule', on);
export const jurisdictionsWere = (db: Db, on: string) =>
  asItWas<{ name: string; part_of: string | null; calendar: StoredCalendar | null }>(db, 'jurisdiction', on);
export const namedYearsWere = (db: Db, on: string) => asItWas<{ name: string; ends: string[] }>(db, 'named_year', on);

/** In their order. */
export async function criteriaRulesWere(db: Db, on: string): Promise<CriteriaRuleRow[]> {
  return (await asItWas<CriteriaRuleRow>(db, 'criteria_rule', on)).sort((a, b) => a.position - b.position);
}

/** Versions that were published by the end of a day, and not withdrawn by then. */
export function versionsKnown(db: Db, on: string) {
  return rows<VersionRow>(
    db,
    'past.versions',
    `select ${versionColumns} from ${versionTables}
     where repository_date(v.published_at) <= $1
       and not exists (select from rule_withdrawal w where w.version_id = v.id and repository_date(w.withdrawn_at) <= $1)
     order by r.code, v.version`,
    [on],
  );
}

/** Places as they were at the end of a day, with the closing that was known at the end of another. */
export function placesWere(db: Db, ids: readonly string[], on: string, known: string) {
  return rows<ChainPlace & { known_closed_on: string | null; ancestors: string[] }>(
    db,
    'past.places',
    `select w.was->>'id' as id, w.was->>'kind' as kind, w.was->>'code' as code, w.was->>'title' as title, w.was->>'closed_on' as closed_on,
       array(select jsonb_array_elements_text(w.was->'jurisdictions')) as jurisdictions,
       array(select jsonb_array_elements_text(w.was->'ancestors')) as ancestors, k.was->>'closed_on' as known_closed_on
     from as_it_was('place', $2, $1::text[]) w (was) join as_it_was('place', $3, $1::text[]) k (was) on k.was->>'id' = w.was->>'id'`,
    [ids, on, known],
  );
}

/** The access sets of places, now. */
export function setsOfPlaces(db: Db, ids: readonly string[]) {
  return rows<{ id: string; access_set_id: number }>(db, 'past.sets', 'select id, access_set_id from place where id = any ($1::uuid[])', [
    ids,
  ]);
}

/** Events that count on a day as far as they were known at the end of another: those that had happened, and those announced by then. */
export function eventsKnown(
  db: Db,
  placeIds: readonly string[],
  recordId: string,
  entityIds: readonly string[],
  day: { readonly on: string; readonly known: string },
) {
  return rows<StoredEvent>(
    db,
    'past.events',
    `select e.type, e.happened_on, e.place_id, e.record_id, e.entity_id, t.name from event e left join entity t on t.id = e.entity_id
     where (e.place_id = any ($1::uuid[]) or e.record_id = $2 or e.entity_id = any ($3::uuid[]))
       and repository_date(e.recorded_at) <= $5 and (e.withdrawn_at is null or repository_date(e.withdrawn_at) > $5)
       and (e.happened_on <= $4 or repository_date(e.recorded_at) <= $4)`,
    [placeIds, recordId, entityIds, day.on, day.known],
  );
}

/** By fact: the day on which the last live record that pointed at a record was gone, as it was at the end of a day; null while one did. */
export function referencesWere(db: Db, recordId: string, on: string) {
  return rows<StoredReference>(
    db,
    'past.references',
    `select target_id, fact, case when bool_and(until is not null and until <= $2) then max(until) end as gone_on
     from record_reference where target_id = $1 and since <= $2 group by target_id, fact`,
    [recordId, on],
  );
}
