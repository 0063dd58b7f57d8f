import type { Criteria } from '@key-cellar/core/criteria';
import { message, type Message } from '@key-cellar/words';
import { boundCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, row, rows, run } from '../kernel/index.js';
import type { StoredCalendar } from './ruleStore.js';

/** Title of a rule: of its newest version, else of its draft. `rule r` must be in scope. */
const ruleTitle = `coalesce((select v.definition->>'title' from rule_version v where v.rule_id = r.id order by v.version desc limit 1), r.draft->>'title', r.code)`;

export interface PairRow extends Record<string, unknown> {
  record_type: string;
  type_title: string;
  series_id: string;
  code: string;
  title: string;
  rule_id: string;
  rule_code: string;
  rule_title: string;
}

export function pairs(db: Db) {
  return rows<PairRow>(
    db,
    'pair.all',
    `select s.record_type, t.title as type_title, s.series_id, p.code, p.title, s.rule_id, r.code as rule_code, ${ruleTitle} as rule_title
     from pair_rule s join record_type t on t.code = s.record_type join place p on p.id = s.series_id join rule r on r.id = s.rule_id
     order by p.code, t.title, r.code`,
  );
}

export function typeByCode(db: Db, code: string) {
  return row<{ code: string; title: string }>(db, 'pair.type', 'select code, title from record_type where code = $1', [code]);
}

export function addPair(db: Db, pair: { recordType: string; seriesId: string; ruleId: string }): Promise<number> {
  return run(db, 'pair.add', 'insert into pair_rule (record_type, series_id, rule_id) values ($1, $2, $3) on conflict do nothing', [
    pair.recordType,
    pair.seriesId,
    pair.ruleId,
  ]);
}

export function removePair(db: Db, pair: { recordType: string; seriesId: string; ruleId: string }): Promise<number> {
  return run(db, 'pair.remove', 'delete from pair_rule where record_type = $1 and series_id = $2 and rule_id = $3', [
    pair.recordType,
    pair.seriesId,
    pair.ruleId,
  ]);
}

export interface CriteriaRuleLineRow extends Record<string, unknown> {
  id: string;
  rule_id: string;
  rule_code: string;
  rule_title: string;
  criteria: Criteria;
  note: string;
  position: number;
}

export function criteriaRuleLines(db: Db) {
  return rows<CriteriaRuleLineRow>(
    db,
    'criteriaRule.lines',
    `select c.id, c.rule_id, r.code as rule_code, ${ruleTitle} as rule_title, c.criteria, c.note, c.position
     from criteria_rule c join rule r on r.id = c.rule_id order by c.position`,
  );
}

export interface LockedCriteriaRule extends Record<string, unknown> {
  id: string;
  rule_id: string;
  criteria: Criteria;
  note: string;
  position: number;
}

/** Locks the whole order: two people who move rules wait for each other. */
export function lockCriteriaRules(db: Db) {
  return rows<LockedCriteriaRule>(
    db,
    'criteriaRule.lock',
    'select id, rule_id, criteria, note, position from criteria_rule order by position for update',
  );
}

export async function addCriteriaRule(
  db: Db,
  c: { id: string; ruleId: string; criteria: Criteria; note: string; position: number },
): Promise<void> {
  await run(db, 'criteriaRule.add', 'insert into criteria_rule (id, rule_id, criteria, note, position) values ($1, $2, $3, $4, $5)', [
    c.id,
    c.ruleId,
    JSON.stringify(c.criteria),
    c.note,
    c.position,
  ]);
}

export async function writeCriteriaRule(db: Db, id: string, criteria: Criteria, note: string): Promise<void> {
  await run(db, 'criteriaRule.write', 'update criteria_rule set criteria = $2, note = $3 where id = $1', [
    id,
    JSON.stringify(criteria),
    note,
  ]);
}

export async function orderCriteriaRules(db: Db, ids: readonly string[]): Promise<void> {
  await run(
    db,
    'criteriaRule.order',
    `update criteria_rule c set position = o.position from unnest($1::uuid[]) with ordinality as o (id, position)
     where c.id = o.id and c.position <> o.position`,
    [ids],
  );
}

export async function removeCriteriaRule(db: Db, id: string): Promise<void> {
  await run(db, 'criteriaRule.remove', 'delete from criteria_rule where id = $1', [id]);
}

export async function countMatching(db: Db, criteria: Criteria, visible: (bind: (value: unknown) => string) => string): Promise<number> {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  const found = await dynamicRows<{ n: number }>(
    db,
    `select count(*)::int as n from record r where ${boundCriteria(criteria, bind)} and r.state <> 'disposed' and ${visible(bind)}`,
    values,
  );
  return found[0]!.n;
}

export function jurisdictionLines(db: Db) {
  return rows<{ name: string; part_of: string | null; calendar: StoredCalendar | null; rules: number; places: number }>(
    db,
    'jurisdiction.lines',
    `select j.name, j.part_of, j.calendar,
       (select count(*) from rule r where coalesce(
          (select v.definition from rule_version v where v.rule_id = r.id order by v.version desc limit 1), r.draft)->'jurisdictions' ? j.name)::int as rules,
       (select count(*) from place p where j.name = any (p.jurisdictions))::int as places
     from jurisdiction j order by j.position, j.name`,
  );
}

export function addJurisdiction(db: Db, name: string, partOf: string | null): Promise<number> {
  return run(db, 'jurisdiction.add', 'insert into jurisdiction (name, part_of) values ($1, $2) on conflict do nothing', [name, partOf]);
}

export async function moveJurisdiction(db: Db, name: string, partOf: string | null): Promise<void> {
  await run(db, 'jurisdiction.move', 'update jurisdiction set part_of = $2 where name = $1', [name, partOf]);
}

export function lockJurisdictions(db: Db) {
  return rows<{ name: string; part_of: string | null; calendar: StoredCalendar | null }>(
    db,
    'jurisdiction.lock',
    'select name, part_of, calendar from jurisdiction order by name for update',
  );
}

/** What stands in the way of removing a jurisdiction, in words; empty when nothing does. */
export async function usesOfJurisdiction(db: Db, name: string): Promise<Message[]> {
  const found = await row<{ rules: number; places: number; records: boolean; parts: number }>(
    db,
    'jurisdiction.uses',
    `select (select count(distinct rule_id) from rule_version where definition->'jurisdictions' ? $1)::int as rules,
       (select count(*) from place where $1 = any (jurisdictions))::int as places,
       exists (select from record where $1 = any (jurisdictions)) as records,
       (select count(*) from jurisdiction where part_of = $1)::int as parts`,
    [name],
  );
  const { rules, places, records, parts } = found!;
  return [
    ...(rules > 0 ? [message('schedule.use.rules', { n: rules })] : []),
    ...(places > 0 ? [message('schedule.use.places', { n: places })] : []),
    ...(records ? [message('schedule.use.records')] : []),
    ...(parts > 0 ? [message('schedule.use.parts', { n: parts })] : []),
  ];
}

export async function removeJurisdiction(db: Db, name: string): Promise<void> {
  await run(db, 'jurisdiction.remove', 'delete from jurisdiction where name = $1', [name]);
}

export async function writePlaceJurisdictions(db: Db, placeId: string, names: readonly string[]): Promise<void> {
  await run(db, 'place.jurisdictions', 'update place set jurisdictions = $2, revision = revision + 1 where id = $1', [placeId, names]);
}
