import type { RuleDefinition } from '@key-cellar/contract';
import type { Criteria } from '@key-cellar/core/criteria';
import { type Db, heldSql, row, rows, run, type UnitOfWork } from '../kernel/index.js';

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

export const versionColumns = `v.id, v.rule_id, r.code, v.version, v.definition, v.in_force_from, v.takes_over, p.name as published_by, v.published_at`;
export const versionTables = `rule_version v join rule r on r.id = v.rule_id join principal p on p.id = v.published_by`;

/** All published versions but those that were withdrawn before they came into force. */
export function allVersions(db: Db) {
  return rows<VersionRow>(
    db,
    'rule.versions',
    `select ${versionColumns} from ${versionTables}
     where not exists (select from rule_withdrawal w where w.version_id = v.id) order by r.code, v.version`,
  );
}

export interface PublishedRow extends VersionRow {
  withdrawn_by: string | null;
  withdrawn_at: Date | null;
  reason: string | null;
}

/** All versions of a rule that were ever published. */
export function publishedOf(db: Db, ruleId: string) {
  return rows<PublishedRow>(
    db,
    'rule.published',
    `select ${versionColumns}, b.name as withdrawn_by, w.withdrawn_at, w.reason
     from ${versionTables} left join rule_withdrawal w on w.version_id = v.id left join principal b on b.id = w.withdrawn_by
     where v.rule_id = $1 order by v.version`,
    [ruleId],
  );
}

/** All versions of all rules that were ever published, in their order. */
export function everyVersion(db: Db) {
  return rows<PublishedRow>(
    db,
    'rule.every',
    `select ${versionColumns}, b.name as withdrawn_by, w.withdrawn_at, w.reason
     from ${versionTables} left join rule_withdrawal w on w.version_id = v.id left join principal b on b.id = w.withdrawn_by
     order by r.code, v.version`,
  );
}

export async function withdrawVersion(uow: UnitOfWork, versionId: string, reason: string): Promise<void> {
  await run(uow, 'rule.withdraw', 'insert into rule_withdrawal (version_id, withdrawn_by, withdrawn_at, reason) values ($1, $2, $3, $4)', [
    versionId,
    uow.actor.id,
    uow.at,
    reason,
  ]);
}

export function placeRules(db: Db) {
  return rows<{ place_id: string; rule_id: string }>(db, 'rule.placeRules', 'select place_id, rule_id from place_rule');
}

export function pairRules(db: Db) {
  return rows<{ record_type: string; series_id: string; rule_id: string }>(
    db,
    'rule.pairRules',
    'select record_type, series_id, rule_id from pair_rule',
  );
}

export interface CriteriaRuleRow extends Record<string, unknown> {
  id: string;
  rule_id: string;
  criteria: Criteria;
  note: string;
  position: number;
}

export function criteriaRules(db: Db) {
  return rows<CriteriaRuleRow>(
    db,
    'rule.criteriaRules',
    'select id, rule_id, criteria, note, position from criteria_rule order by position',
  );
}

/** Which days are worked: weekdays that are not, 1 = Monday, and holidays in their order. */
export interface StoredCalendar {
  readonly weekend: readonly number[];
  readonly holidays: readonly { readonly on: string; readonly name: string }[];
}

export function namedYears(db: Db) {
  return rows<{ name: string; ends: string[] }>(db, 'rule.namedYears', 'select name, ends::text[] from named_year order by name');
}

export function jurisdictions(db: Db) {
  return rows<{ name: string; part_of: string | null; calendar: StoredCalendar | null }>(
    db,
    'jurisdiction.all',
    'select name, part_of, calendar from jurisdiction order by position, name',
  );
}

export interface RuleRow extends Record<string, unknown> {
  id: string;
  code: string;
  draft: RuleDefinition | null;
  /** Who saved the draft, and when. */
  draft_by: string | null;
  draft_at: Date | null;
  revision: number;
}

const ruleColumns = `id, code, draft, (select name from principal p where p.id = rule.draft_by) as draft_by, draft_at, revision`;

/** Names of all groups of people. */
export async function groupNames(db: Db): Promise<string[]> {
  const found = await rows<{ name: string }>(db, 'rule.groups', `select name from principal where kind = 'group' order by name`);
  return found.map((g) => g.name);
}

export function rules(db: Db) {
  return rows<RuleRow>(db, 'rule.all', `select ${ruleColumns} from rule order by code`);
}

export function ruleById(db: Db, id: string) {
  return row<RuleRow>(db, 'rule.byId', `select ${ruleColumns} from rule where id = $1`, [id]);
}

export function lockRule(db: Db, id: string) {
  return row<RuleRow>(db, 'rule.lock', `select ${ruleColumns} from rule where id = $1 for update`, [id]);
}

export async function addRule(uow: UnitOfWork, rule: { id: string; code: string; draft: RuleDefinition | null }): Promise<void> {
  const { id, code, draft } = rule;
  await run(uow, 'rule.add', 'insert into rule (id, code, draft, draft_by, draft_at) values ($1, $2, $3, $4, $5)', [
    id,
    code,
    ...draftColumns(uow, draft),
  ]);
}

export async function writeDraft(uow: UnitOfWork, id: string, draft: RuleDefinition | null): Promise<number> {
  const found = await row<{ revision: number }>(
    uow,
    'rule.writeDraft',
    'update rule set draft = $2, draft_by = $3, draft_at = $4, revision = revision + 1 where id = $1 returning revision',
    [id, ...draftColumns(uow, draft)],
  );
  return found!.revision;
}

/** A draft with who saves it now, and when. */
function draftColumns({ actor, at }: UnitOfWork, draft: RuleDefinition | null): (string | null)[] {
  return draft === null ? [null, null, null] : [JSON.stringify(draft), actor.id, at];
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

/** Where rules are set, among the places a person may discover. */
export function setOn(db: Db, sets: readonly number[]) {
  return rows<{ rule_id: string; place_id: string; code: string; title: string }>(
    db,
    'rule.setOn',
    `select s.rule_id, p.id as place_id, p.code, p.title from place_rule s join place p on p.id = s.place_id
     where p.access_set_id = any ($1::int[]) order by p.code`,
    [sets],
  );
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

/** What a rule governs among sets, by vintage and by the year in which it comes due. */
export function governedBy(db: Db, ruleId: string, sets: readonly number[], today: string) {
  return rows<{
    vintage: number | null;
    due_year: number | null;
    action: 'destroy' | 'transfer' | null;
    held: boolean;
    due: boolean;
    n: number;
  }>(
    db,
    'rule.governed',
    `select vintage, extract(year from due_on)::int as due_year, action, ${heldSql('record.id')} as held, coalesce(due_on <= $3, false) as due, count(*)::int as n
     from record where rule_version_id in (select id from rule_version where rule_id = $1) and access_set_id = any ($2::int[]) and state <> 'disposed'
     group by 1, 2, 3, 4, 5`,
    [ruleId, sets, today],
  );
}

/** Published rules on the places where a rule is set and on those around them, as far as these are in sets. */
export function metBy(db: Db, ruleId: string, sets: readonly number[]) {
  return rows<{ place: string; rule_id: string; code: string; title: string; beside: boolean }>(
    db,
    'rule.met',
    `select p.code as place, r.id as rule_id, r.code, v.definition->>'title' as title, bool_or(a.id = p.id) as beside
     from place_rule own join place p on p.id = own.place_id join place a on a.id = any (p.ancestors)
       join place_rule other on other.place_id = a.id and other.rule_id <> own.rule_id join rule r on r.id = other.rule_id
       join lateral (select definition from rule_version where rule_id = r.id order by version desc limit 1) v on true
     where own.rule_id = $1 and p.access_set_id = any ($2::int[]) and a.access_set_id = any ($2::int[])
     group by p.code, r.id, r.code, v.definition->>'title' order by p.code, beside desc, r.code`,
    [ruleId, sets],
  );
}

/** Counts up whenever anything about rules or where they are set changes. */
export async function scheduleEpoch(db: Db): Promise<number> {
  return (await row<{ value: number }>(db, 'epoch.schedule', `select value from epoch where name = 'schedule'`))!.value;
}

/** Adds up how many records follow which rule. */
export async function foldRuleUse(db: Db): Promise<void> {
  await rows(db, 'rule.fold', 'select fold_rule_use()');
}
