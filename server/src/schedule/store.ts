import type { RuleDefinition } from '@key-cellar/contract';
import type { Facts } from '@key-cellar/core/records';
import { row, rows, run, type Db } from '../db/index.js';

export interface VersionRow extends Record<string, unknown> {
  id: string;
  rule_id: string;
  code: string;
  version: number;
  definition: RuleDefinition;
  in_force_from: string;
  takes_over: 'all' | 'laterClocks';
  published_by: string;
  published_at: Date;
}

export function allVersions(db: Db) {
  return rows<VersionRow>(
    db,
    'rule.versions',
    `select v.id, v.rule_id, r.code, v.version, v.definition, v.in_force_from, v.takes_over, p.name as published_by, v.published_at
     from rule_version v join rule r on r.id = v.rule_id join principal p on p.id = v.published_by order by r.code, v.version`,
  );
}

export function placeRules(db: Db) {
  return rows<{ place_id: string; rule_id: string }>(db, 'rule.placeRules', 'select place_id, rule_id from place_rule');
}

/** The columns that a record's clock depends on. */
export const clockColumns = `r.id, r.record_type, r.place_id, r.series_id, r.places, r.created_on, r.received_on, r.filed_on, r.modified_on,
  r.declared_on, r.superseded_on, r.last_used_on, r.facts, r.override, r.jurisdictions,
  r.outcome, r.rule_version_id, r.clock_start, r.due_on, r.action, r.vintage, r.docket`;

export interface ClockRow extends Record<string, unknown> {
  id: string;
  record_type: string;
  place_id: string;
  series_id: string;
  places: string[];
  created_on: string;
  received_on: string;
  filed_on: string;
  modified_on: string;
  declared_on: string | null;
  superseded_on: string | null;
  last_used_on: string | null;
  facts: Facts;
  override: StoredOverride | null;
  jurisdictions: string[];
}

/** What the schedule said of a record last time. */
export interface StoredVerdict {
  outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  rule_version_id: string | null;
  clock_start: string | null;
  due_on: string | null;
  action: 'destroy' | 'transfer' | null;
  vintage: number | null;
}

export type StoredOverride =
  { kind: 'date'; dueOn: string; action: 'destroy' | 'transfer'; reason: string } | { kind: 'rule'; ruleId: string; reason: string };

export function lockForRecompute(db: Db, ids: readonly string[]) {
  return rows<ClockRow & StoredVerdict & { docket: 'none' | 'due' | 'batch' }>(
    db,
    'recompute.lock',
    `select ${clockColumns} from record r where r.id = any ($1::uuid[]) and r.state <> 'disposed' order by r.id for no key update`,
    [ids],
  );
}

export interface ChainPlace extends Record<string, unknown> {
  id: string;
  kind: string;
  code: string;
  title: string;
  closed_on: string | null;
  jurisdictions: string[];
}

export function chainPlaces(db: Db, ids: readonly string[]) {
  return rows<ChainPlace>(
    db,
    'recompute.places',
    'select id, kind, code, title, closed_on, jurisdictions from place where id = any ($1::uuid[])',
    [ids],
  );
}

export function eventsOn(db: Db, placeIds: readonly string[], recordIds: readonly string[]) {
  return rows<{ type: string; happened_on: string; place_id: string | null; record_id: string | null }>(
    db,
    'recompute.events',
    `select type, happened_on, place_id, record_id from event
     where withdrawn_at is null and (place_id = any ($1::uuid[]) or record_id = any ($2::uuid[]))`,
    [placeIds, recordIds],
  );
}

export async function writeVerdicts(db: Db, verdicts: readonly (StoredVerdict & { id: string; docket: string })[]): Promise<number> {
  if (verdicts.length === 0) return 0;
  return run(
    db,
    'recompute.write',
    `update record r set outcome = v.outcome, rule_version_id = v.rule_version_id, clock_start = v.clock_start,
       due_on = v.due_on, action = v.action, vintage = v.vintage, docket = v.docket
     from unnest($1::uuid[], $2::text[], $3::uuid[], $4::date[], $5::date[], $6::text[], $7::smallint[], $8::text[])
       as v (id, outcome, rule_version_id, clock_start, due_on, action, vintage, docket)
     where r.id = v.id`,
    [
      verdicts.map((v) => v.id),
      verdicts.map((v) => v.outcome),
      verdicts.map((v) => v.rule_version_id),
      verdicts.map((v) => v.clock_start),
      verdicts.map((v) => v.due_on),
      verdicts.map((v) => v.action),
      verdicts.map((v) => v.vintage),
      verdicts.map((v) => v.docket),
    ],
  );
}

/** Records whose clock a rule, an event or a closing at one of these places may touch, after a cursor. */
export async function idsUnder(db: Db, placeIds: readonly string[], after: string | null, limit: number): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'recompute.idsUnder',
    `select r.id from record r where r.places && $1::uuid[] and r.state <> 'disposed' and ($2::uuid is null or r.id > $2)
     order by r.id limit $3`,
    [placeIds, after, limit],
  );
  return found.map((f) => f.id);
}

export async function countUnder(db: Db, placeIds: readonly string[]): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'recompute.countUnder',
    `select count(*) as n from record r where r.places && $1::uuid[] and r.state <> 'disposed'`,
    [placeIds],
  );
  return found!.n;
}

export interface RuleRow extends Record<string, unknown> {
  id: string;
  code: string;
  draft: RuleDefinition | null;
  revision: number;
}

export function rules(db: Db) {
  return rows<RuleRow>(db, 'rule.all', 'select id, code, draft, revision from rule order by code');
}

export function ruleById(db: Db, id: string) {
  return row<RuleRow>(db, 'rule.byId', 'select id, code, draft, revision from rule where id = $1', [id]);
}

export function lockRule(db: Db, id: string) {
  return row<RuleRow>(db, 'rule.lock', 'select id, code, draft, revision from rule where id = $1 for update', [id]);
}

export async function addRule(db: Db, rule: { id: string; code: string; draft: RuleDefinition }): Promise<void> {
  await run(db, 'rule.add', 'insert into rule (id, code, draft) values ($1, $2, $3)', [rule.id, rule.code, JSON.stringify(rule.draft)]);
}

export async function writeDraft(db: Db, id: string, draft: RuleDefinition | null): Promise<number> {
  const found = await row<{ revision: number }>(
    db,
    'rule.writeDraft',
    'update rule set draft = $2, revision = revision + 1 where id = $1 returning revision',
    [id, draft === null ? null : JSON.stringify(draft)],
  );
  return found!.revision;
}

export async function addVersion(
  db: Db,
  v: {
    id: string;
    ruleId: string;
    version: number;
    definition: RuleDefinition;
    inForceFrom: string;
    takesOver: 'all' | 'laterClocks';
    publishedBy: string;
    at: string;
  },
): Promise<void> {
  await run(
    db,
    'rule.addVersion',
    `insert into rule_version (id, rule_id, version, definition, in_force_from, takes_over, published_by, published_at)
     values ($1, $2, $3, $4, $5, $6, $7, $8)`,
    [v.id, v.ruleId, v.version, JSON.stringify(v.definition), v.inForceFrom, v.takesOver, v.publishedBy, v.at],
  );
}

export function setOn(db: Db) {
  return rows<{ rule_id: string; place_id: string; code: string; title: string }>(
    db,
    'rule.setOn',
    'select s.rule_id, p.id as place_id, p.code, p.title from place_rule s join place p on p.id = s.place_id order by p.code',
  );
}

export function placesOfRule(db: Db, ruleId: string) {
  return rows<{ place_id: string }>(db, 'rule.placesOf', 'select place_id from place_rule where rule_id = $1', [ruleId]);
}

/** Kept records per rule among the sets of a person; read from totals that are kept up to date, not counted. */
export function recordsByVersion(db: Db, sets: readonly number[]) {
  return rows<{ rule_id: string; n: number }>(
    db,
    'rule.recordCounts',
    `select v.rule_id, sum(u.n) as n from rule_use u join rule_version v on v.id = u.rule_version_id
     where u.access_set_id = any ($1::int[]) group by v.rule_id`,
    [sets],
  );
}

export async function addPlaceRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'rule.setOnPlace', 'insert into place_rule (place_id, rule_id) values ($1, $2) on conflict do nothing', [placeId, ruleId]);
}

export async function removePlaceRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'rule.unsetOnPlace', 'delete from place_rule where place_id = $1 and rule_id = $2', [placeId, ruleId]);
}
