import type { RuleDefinition } from '@key-cellar/contract';
import type { Criteria } from '@key-cellar/core/criteria';
import type { Facts, RecordState } from '@key-cellar/core/records';
import type { ByHand, StepAct, StepKind } from '@key-cellar/core/schedule';
import { boundCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, row, rows, run, type UnitOfWork } from '../kernel/index.js';

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

export function jurisdictions(db: Db) {
  return rows<{ name: string; part_of: string | null }>(
    db,
    'jurisdiction.all',
    'select name, part_of from jurisdiction order by position, name',
  );
}

/** The columns that decide which rule governs a record and when. */
const clockColumns = `r.id, r.number, r.title, r.medium, r.state, r.gaps, r.owner_id, r.deposited_by, r.record_type, r.place_id, r.series_id, r.places, r.created_on, r.received_on, r.filed_on, r.modified_on,
  r.declared_on, r.superseded_on, r.last_used_on, r.facts, r.override, r.jurisdictions, r.steps_taken, r.refers, r.detected,
  r.outcome, r.rule_version_id, r.clock_start, r.due_on, r.action, r.vintage, r.docket, r.next_step_on`;

export interface ClockRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  medium: string;
  state: RecordState;
  gaps: number;
  owner_id: string | null;
  deposited_by: string;
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
  steps_taken: StoredStepAct[] | null;
  /** Parties and business objects that its facts point at. */
  refers: string[];
  detected: string[];
}

/** What was done about a step, as it is kept with the record. `on` is a day, `by` a name; null: the program. */
export type StoredStepAct = Omit<StepAct, 'on'> & { readonly on: string; readonly by: string | null };

/** What the schedule said of a record last time. */
export interface StoredVerdict {
  outcome: 'permanent' | 'waiting' | 'dated' | 'unscheduled';
  rule_version_id: string | null;
  clock_start: string | null;
  due_on: string | null;
  action: 'destroy' | 'transfer' | null;
  vintage: number | null;
  /** When the sweep has to look at a step next. */
  next_step_on: string | null;
}

/** The question or review that is open about a record. */
export interface OpenTask {
  task_id: string | null;
  task_rule: string;
  task_index: number;
  task_kind: StepKind;
  task_again_on: string | null;
}

export type StoredOverride = ByHand & ({ kind: 'date'; dueOn: string; action: 'destroy' | 'transfer' } | { kind: 'rule'; ruleId: string });

/** A record with what the schedule said of it last time and what is open about it. */
export type LockedRow = ClockRow & StoredVerdict & OpenTask & { docket: 'none' | 'due' | 'batch'; access_set_id: number };

const lockedColumns = `select ${clockColumns}, r.access_set_id, t.id as task_id, u.code as task_rule, t.step_index as task_index, t.kind as task_kind, t.again_on as task_again_on
  from record r left join step_task t on t.record_id = r.id and t.state = 'open' left join rule u on u.id = t.rule_id
  where r.id = any ($1::uuid[]) and r.state <> 'disposed' order by r.id`;

export function lockForRecompute(db: Db, ids: readonly string[]) {
  return rows<LockedRow>(db, 'recompute.lock', `${lockedColumns} for no key update of r`, [ids]);
}

export function lookAt(db: Db, ids: readonly string[]) {
  return rows<LockedRow>(db, 'recompute.look', lockedColumns, [ids]);
}

export type OverridableRow = CaseRow & { access_set_id: number };

export function lockForOverride(db: Db, ids: readonly string[]) {
  return rows<OverridableRow>(
    db,
    'override.lock',
    `select ${clockColumns}, r.size, r.hold_count, r.access_set_id from record r where r.id = any ($1::uuid[]) order by r.id for update`,
    [ids],
  );
}

export function clockOf(db: Db, id: string) {
  return row<ClockRow & { access_set_id: number }>(
    db,
    'record.clock',
    `select ${clockColumns}, r.access_set_id from record r where r.id = $1`,
    [id],
  );
}

export async function writeOverride(db: Db, ids: readonly string[], override: StoredOverride | null): Promise<void> {
  await run(db, 'override.write', 'update record set override = $2, revision = revision + 1 where id = any ($1::uuid[])', [
    ids,
    override === null ? null : JSON.stringify(override),
  ]);
}

export async function writeJurisdictions(db: Db, ids: readonly string[], jurisdictions: readonly string[]): Promise<void> {
  await run(db, 'record.jurisdictions', 'update record set jurisdictions = $2, revision = revision + 1 where id = any ($1::uuid[])', [
    ids,
    jurisdictions,
  ]);
}

export function seriesSets(db: Db) {
  return rows<{ id: string; access_set_id: number }>(db, 'series.sets', `select id, access_set_id from place where kind = 'series'`);
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

/** Events on places, on records, and on the parties and business objects that records point at; these with their name. */
export function eventsOn(db: Db, placeIds: readonly string[], recordIds: readonly string[], entityIds: readonly string[]) {
  return rows<{
    type: string;
    happened_on: string;
    place_id: string | null;
    record_id: string | null;
    entity_id: string | null;
    name: string | null;
  }>(
    db,
    'recompute.events',
    `select e.type, e.happened_on, e.place_id, e.record_id, e.entity_id, t.name from event e left join entity t on t.id = e.entity_id
     where e.withdrawn_at is null and (e.place_id = any ($1::uuid[]) or e.record_id = any ($2::uuid[]) or e.entity_id = any ($3::uuid[]))`,
    [placeIds, recordIds, entityIds],
  );
}

export async function writeVerdicts(db: Db, verdicts: readonly (StoredVerdict & { id: string; docket: string })[]): Promise<number> {
  if (verdicts.length === 0) return 0;
  return run(
    db,
    'recompute.write',
    `update record r set outcome = v.outcome, rule_version_id = v.rule_version_id, clock_start = v.clock_start,
       due_on = v.due_on, action = v.action, vintage = v.vintage, docket = v.docket, next_step_on = v.next_step_on
     from unnest($1::uuid[], $2::text[], $3::uuid[], $4::date[], $5::date[], $6::text[], $7::smallint[], $8::text[], $9::date[])
       as v (id, outcome, rule_version_id, clock_start, due_on, action, vintage, docket, next_step_on)
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
      verdicts.map((v) => v.next_step_on),
    ],
  );
}

/** Closes questions and reviews about steps that are not the record's next ones any more. */
export async function dropTasks(db: Db, ids: readonly string[]): Promise<void> {
  await run(db, 'recompute.dropTasks', `update step_task set state = 'dropped' where id = any ($1::uuid[]) and state = 'open'`, [ids]);
}

/** Which records a change may touch: any of what is named. */
export interface Reach {
  readonly placeIds?: readonly string[];
  readonly pairs?: readonly { readonly recordType: string; readonly seriesId: string }[];
  readonly criteria?: readonly Criteria[];
  /** Records that one of these rules was set on by hand. */
  readonly setByHand?: readonly string[];
  readonly recordIds?: readonly string[];
  /** Records that point at one of these parties or business objects. */
  readonly entityIds?: readonly string[];
  /** Records of these jurisdictions, by themselves or through their place. */
  readonly jurisdictions?: readonly string[];
}

/** What a reach means in SQL over `record r`; always something, if only `false`. */
function reachSql(reach: Reach, bind: (value: unknown) => string): string {
  const any: string[] = ['false'];
  if (reach.placeIds?.length) any.push(`r.places && ${bind(reach.placeIds)}::uuid[]`);
  for (const { recordType, seriesId } of reach.pairs ?? []) {
    any.push(`(r.series_id = ${bind(seriesId)}::uuid and r.record_type = ${bind(recordType)})`);
  }
  for (const criteria of reach.criteria ?? []) any.push(boundCriteria(criteria, bind));
  if (reach.setByHand?.length) any.push(`(r.override is not null and r.override->>'ruleId' = any (${bind(reach.setByHand)}::text[]))`);
  if (reach.entityIds?.length) any.push(`(r.refers && ${bind(reach.entityIds)}::uuid[] and r.refers <> '{}')`);
  if (reach.recordIds?.length) any.push(`r.id = any (${bind(reach.recordIds)}::uuid[])`);
  if (reach.jurisdictions?.length) {
    const names = `${bind(reach.jurisdictions)}::text[]`;
    any.push(`r.jurisdictions && ${names}`);
    any.push(`r.places && (select coalesce(array_agg(id), '{}') from place where jurisdictions && ${names})`);
  }
  return `(${any.join(' or ')})`;
}

/** Ids of the records within reach, after a cursor. */
export async function idsWithin(db: Db, reach: Reach, after: string | null, limit: number): Promise<string[]> {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  const found = await dynamicRows<{ id: string }>(
    db,
    `select r.id from record r where ${reachSql(reach, bind)} and r.state <> 'disposed' ${after === null ? '' : `and r.id > ${bind(after)}::uuid`}
     order by r.id limit ${bind(limit)}`,
    values,
  );
  return found.map((f) => f.id);
}

/** A record as a case for trying rules on. */
export interface CaseRow extends ClockRow {
  size: number;
  hold_count: number;
  docket: string;
}

/** Records within reach that stand in one of the sets, those filed first at the head. */
export function casesWithin(db: Db, reach: Reach, sets: readonly number[], limit: number) {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  // What a rule reaches is found first: to walk all records in order of their ids until enough are found may be a long way.
  return dynamicRows<CaseRow>(
    db,
    `with found as materialized (select id from record r where ${reachSql(reach, bind)} and state <> 'disposed' and access_set_id = any (${bind(sets)}::int[]))
     select ${clockColumns}, r.size, r.hold_count from record r where r.id in (select id from found order by id limit ${bind(limit)}) order by r.id`,
    values,
  );
}

export function caseOf(db: Db, id: string) {
  return row<CaseRow & { access_set_id: number }>(
    db,
    'case.one',
    `select ${clockColumns}, r.size, r.hold_count, r.access_set_id from record r where r.id = $1 and r.state <> 'disposed'`,
    [id],
  );
}

export async function countWithin(db: Db, reach: Reach): Promise<number> {
  const values: unknown[] = [];
  const where = reachSql(reach, (value) => `$${values.push(value)}`);
  const found = await dynamicRows<{ n: number }>(
    db,
    `select count(*)::int as n from record r where ${where} and r.state <> 'disposed'`,
    values,
  );
  return found[0]!.n;
}

/** Where rules are set, as a reach. */
export async function reachOfRules(db: Db, ruleIds: readonly string[]): Promise<Reach> {
  const [places, pairs, byCriteria] = await Promise.all([
    rows<{ place_id: string }>(db, 'reach.places', 'select place_id from place_rule where rule_id = any ($1::uuid[])', [ruleIds]),
    rows<{ record_type: string; series_id: string }>(
      db,
      'reach.pairs',
      'select record_type, series_id from pair_rule where rule_id = any ($1::uuid[])',
      [ruleIds],
    ),
    rows<{ criteria: Criteria }>(db, 'reach.criteria', 'select criteria from criteria_rule where rule_id = any ($1::uuid[])', [ruleIds]),
  ]);
  return {
    placeIds: places.map((p) => p.place_id),
    pairs: pairs.map((p) => ({ recordType: p.record_type, seriesId: p.series_id })),
    criteria: byCriteria.map((c) => c.criteria),
    setByHand: ruleIds,
  };
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

export function placesUnderCheck(db: Db, sets: readonly number[]) {
  return rows<{ id: string; kind: string; code: string; ancestors: string[] }>(
    db,
    'check.places',
    `select id, kind, code, ancestors from place
     where access_set_id = any ($1::int[]) and (kind <> 'folder' or exists (select from place_rule s where s.place_id = place.id))
     order by cardinality(ancestors), position, code`,
    [sets],
  );
}

export function typesUnderCheck(db: Db) {
  return rows<{ code: string; title: string; facts: { code: string; kind: string }[] }>(
    db,
    'check.types',
    'select code, title, facts from record_type order by title',
  );
}

export function unscheduledByType(db: Db, sets: readonly number[]) {
  return rows<{ series_id: string; record_type: string; n: number }>(
    db,
    'check.unscheduled',
    `select series_id, record_type, count(*)::int as n from record
     where outcome = 'unscheduled' and state <> 'disposed' and access_set_id = any ($1::int[]) group by 1, 2`,
    [sets],
  );
}

export function waitingByType(db: Db, sets: readonly number[]) {
  return rows<{ rule_version_id: string; record_type: string; n: number }>(
    db,
    'check.waiting',
    `select rule_version_id, record_type, count(*)::int as n from record
     where outcome = 'waiting' and state <> 'disposed' and rule_version_id is not null and access_set_id = any ($1::int[]) group by 1, 2`,
    [sets],
  );
}

export function clocksOf(db: Db, ids: readonly string[]) {
  return rows<ClockRow>(db, 'effect.clocks', `select ${clockColumns} from record r where r.id = any ($1::uuid[])`, [ids]);
}

export function effectPlaces(db: Db) {
  return rows<ChainPlace & { parent_id: string | null }>(
    db,
    'effect.places',
    'select id, kind, code, title, parent_id, closed_on, jurisdictions from place',
  );
}

export function placeEvents(db: Db) {
  return rows<{ place_id: string; type: string; happened_on: string }>(
    db,
    'effect.events',
    'select place_id, type, happened_on from event where withdrawn_at is null and place_id is not null',
  );
}

export function recordsWithEvents(db: Db) {
  return rows<{ record_id: string }>(
    db,
    'effect.recordEvents',
    `select distinct record_id from event where withdrawn_at is null and record_id is not null
     union select r.id from event e join record r on r.refers @> array[e.entity_id] and r.refers <> '{}' where e.withdrawn_at is null and e.entity_id is not null`,
  );
}

/** How many pages the records fill, and about how many there are. */
export async function recordExtent(db: Db): Promise<{ pages: number; records: number }> {
  const found = await row<{ pages: number; records: number }>(
    db,
    'effect.extent',
    `select (pg_relation_size('record') / current_setting('block_size')::int)::int as pages,
       (select coalesce(sum(kept), 0) from rack_cell)::int as records`,
  );
  return found!;
}

export function recordNames(db: Db, ids: readonly string[]) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'effect.names',
    'select id, number, title from record where id = any ($1::uuid[])',
    [ids],
  );
}

export async function rootPlace(db: Db): Promise<string> {
  return (await row<{ id: string }>(db, 'place.root', 'select id from place where parent_id is null'))!.id;
}

/** Counts up whenever anything about rules or where they are set changes. */
export async function scheduleEpoch(db: Db): Promise<number> {
  return (await row<{ value: number }>(db, 'epoch.schedule', `select value from epoch where name = 'schedule'`))!.value;
}

/** Adds up how many records follow which rule. */
export async function foldRuleUse(db: Db): Promise<void> {
  await rows(db, 'rule.fold', 'select fold_rule_use()');
}
