import type { Facts, RecordState } from '@key-cellar/core/records';
import type { ByHand, StepAct, StepKind } from '@key-cellar/core/schedule';
import { type Db, holdCountSql, lockRecordRows, row, rows, run } from '../kernel/index.js';

/** The columns that decide which rule governs a record and when. */
export const clockColumns = `r.id, r.number, r.title, r.medium, r.state, r.gaps, r.owner_id, r.deposited_by, r.record_type, r.place_id, r.series_id, r.places, r.created_on, r.received_on, r.filed_on, r.modified_on,
  r.declared_on, r.superseded_on, r.last_used_on, r.facts, r.override, r.jurisdictions, r.steps_taken, r.refers, r.detected,
  r.outcome, r.rule_version_id, r.clock_start, r.due_on, r.action, r.vintage, r.docket, r.next_step_on,
  r.trigger_on, r.conflict_with`;

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
  /** The trigger’s own date. */
  trigger_on: string | null;
  /** The version of a rule that allows less than what keeps it. */
  conflict_with: string | null;
}

/** The question or review that is open about a record. */
export interface OpenTask {
  task_id: string | null;
  task_rule: string;
  task_index: number;
  task_kind: StepKind;
  task_again_on: string | null;
}

export type StoredOverride = ByHand &
  ({ kind: 'date'; dueOn: string; action: 'destroy' | 'transfer' } | { kind: 'rule'; ruleId: string } | { kind: 'forGood' });

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

/** A record as a case for trying rules on. */
export interface CaseRow extends ClockRow {
  size: number;
  hold_count: number;
  docket: string;
}

export type OverridableRow = CaseRow & { access_set_id: number };

export async function lockForOverride(db: Db, ids: readonly string[]): Promise<OverridableRow[]> {
  await lockRecordRows(db, ids);
  return rows<OverridableRow>(
    db,
    'override.lock',
    `select ${clockColumns}, r.size, ${holdCountSql()} as hold_count, r.access_set_id from record r where r.id = any ($1::uuid[]) order by r.id`,
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

export interface StoredEvent extends Record<string, unknown> {
  type: string;
  happened_on: string;
  place_id: string | null;
  record_id: string | null;
  entity_id: string | null;
  name: string | null;
}

export interface StoredReference extends Record<string, unknown> {
  target_id: string;
  fact: string;
  gone_on: string | null;
}

/** Events on places, on records, and on the parties and business objects that records point at; these with their name. */
export function eventsOn(db: Db, placeIds: readonly string[], recordIds: readonly string[], entityIds: readonly string[]) {
  return rows<StoredEvent>(
    db,
    'recompute.events',
    `select e.type, e.happened_on, e.place_id, e.record_id, e.entity_id, t.name from event e left join entity t on t.id = e.entity_id
     where e.withdrawn_at is null and (e.place_id = any ($1::uuid[]) or e.record_id = any ($2::uuid[]) or e.entity_id = any ($3::uuid[]))`,
    [placeIds, recordIds, entityIds],
  );
}

/** By record and fact: the day on which the last live record that pointed at it was gone; null while one does. */
export function referencesTo(db: Db, recordIds: readonly string[]) {
  return rows<StoredReference>(
    db,
    'recompute.references',
    `select target_id, fact, case when bool_and(until is not null) then max(until) end as gone_on
     from record_reference where target_id = any ($1::uuid[]) group by target_id, fact`,
    [recordIds],
  );
}

/** The places and jurisdictions that occur among records, each once. */
export function belongings(db: Db, recordIds: readonly string[]) {
  return rows<{ places: string[]; jurisdictions: string[] }>(
    db,
    'recompute.belongings',
    'select distinct places, jurisdictions from record where id = any ($1::uuid[])',
    [recordIds],
  );
}

export async function writeVerdicts(db: Db, verdicts: readonly (StoredVerdict & { id: string; docket: string })[]): Promise<number> {
  if (verdicts.length === 0) return 0;
  return run(
    db,
    'recompute.write',
    `update record r set outcome = v.outcome, rule_version_id = v.rule_version_id, clock_start = v.clock_start,
       due_on = v.due_on, action = v.action, vintage = v.vintage, docket = v.docket, next_step_on = v.next_step_on,
       trigger_on = v.trigger_on, conflict_with = v.conflict_with
     from unnest($1::uuid[], $2::text[], $3::uuid[], $4::date[], $5::date[], $6::text[], $7::smallint[], $8::text[], $9::date[], $10::date[],
         $11::uuid[])
       as v (id, outcome, rule_version_id, clock_start, due_on, action, vintage, docket, next_step_on, trigger_on, conflict_with)
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
      verdicts.map((v) => v.trigger_on),
      verdicts.map((v) => v.conflict_with),
    ],
  );
}

/** Closes questions and reviews about steps that are not the record's next ones any more. */
export async function dropTasks(db: Db, ids: readonly string[]): Promise<void> {
  await run(db, 'recompute.dropTasks', `update step_task set state = 'dropped' where id = any ($1::uuid[]) and state = 'open'`, [ids]);
}

export function clocksOf(db: Db, ids: readonly string[]) {
  return rows<ClockRow>(db, 'effect.clocks', `select ${clockColumns} from record r where r.id = any ($1::uuid[])`, [ids]);
}
