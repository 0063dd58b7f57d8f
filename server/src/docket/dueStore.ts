import type { Criteria } from '@key-cellar/core/criteria';
import type { Sample } from '@key-cellar/core/schedule';
import { boundCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, heldSql, lockRecordRows, rows, run } from '../kernel/index.js';

/** Marks what has come due by a day and is not in the docket yet; the index holds only what is left to find. */
export async function markDue(db: Db, today: string) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'docket.markDue',
    `with found as (
       select id from record where docket = 'none' and state <> 'disposed' and due_on is not null and due_on <= $1
         and (deferred_until is null or deferred_until <= $1)
       order by id for update)
     update record r set docket = 'due' from found where r.id = found.id returning r.id, r.number, r.title`,
    [today],
  );
}

export interface GroupRow extends Record<string, unknown> {
  series_id: string;
  series_code: string;
  series_title: string;
  rule_version_id: string | null;
  rule_code: string | null;
  steps: { kind: string; approvals: number; noticeDays: number; approverGroups?: string[] }[] | null;
  sample: Sample | null;
  action: 'destroy' | 'transfer';
  medium: 'electronic' | 'physical';
  vintages: number[];
  since: string;
  n: number;
  held: number;
  disposable: number;
}

/** What is due and in no batch, by series, rule, action and medium. */
export function dueGroups(db: Db, discover: readonly number[], dispose: readonly number[]) {
  return rows<GroupRow>(
    db,
    'docket.groups',
    `select g.*, p.code as series_code, p.title as series_title, rule.code as rule_code, v.definition->'steps' as steps, v.definition->'sample' as sample
     from (
       select series_id, rule_version_id, action, medium, array_agg(distinct coalesce(vintage, 0)) as vintages,
         min(due_on) as since, count(*) filter (where not ${heldSql('record.id')})::int as n, count(*) filter (where ${heldSql('record.id')})::int as held,
         count(*) filter (where access_set_id = any ($2::int[]))::int as disposable
       from record where docket = 'due' and state <> 'disposed' and access_set_id = any ($1::int[])
       group by 1, 2, 3, 4) g
     join place p on p.id = g.series_id
     left join rule_version v on v.id = g.rule_version_id left join rule on rule.id = v.rule_id
     order by g.since, p.code, g.medium`,
    [discover, dispose],
  );
}

export interface Group {
  readonly seriesId: string;
  readonly ruleVersionId: string | null;
  readonly action: 'destroy' | 'transfer';
  readonly medium: 'electronic' | 'physical';
}

/** What is due of a group and free, in the given sets. */
export async function idsInGroup(db: Db, group: Group, sets: readonly number[]): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'docket.idsInGroup',
    `select id from record
     where docket = 'due' and state <> 'disposed' and not ${heldSql('record.id')} and series_id = $1 and rule_version_id is not distinct from $2
       and action = $3 and medium = $4 and access_set_id = any ($5::int[])`,
    [group.seriesId, group.ruleVersionId, group.action, group.medium, sets],
  );
  return found.map((f) => f.id);
}

/** Which of these records criteria match. */
export async function matchingAmong(db: Db, ids: readonly string[], criteria: Criteria): Promise<ReadonlySet<string>> {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  const found = await dynamicRows<{ id: string }>(
    db,
    `select r.id from record r where r.id = any (${bind(ids)}::uuid[]) and ${boundCriteria(criteria, bind)}`,
    values,
  );
  return new Set(found.map((f) => f.id));
}

export interface DueRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  vintage: number | null;
  access_set_id: number;
}

/** Of these records those that are still due and free, under their row locks in order of id. */
export async function lockDue(db: Db, ids: readonly string[]): Promise<DueRow[]> {
  await lockRecordRows(db, ids);
  return rows<DueRow>(
    db,
    'docket.lockDue',
    `select id, number, title, vintage, access_set_id from record
     where id = any ($1::uuid[]) and docket = 'due' and state <> 'disposed' and not ${heldSql('record.id')} order by id`,
    [ids],
  );
}

export async function setDocket(db: Db, ids: readonly string[], docket: 'none' | 'due' | 'batch'): Promise<void> {
  await run(db, 'docket.set', 'update record set docket = $2 where id = any ($1::uuid[]) and docket <> $2', [ids, docket]);
}

/** Puts records off until a day: they leave the docket and come due again on it. */
export async function defer(db: Db, ids: readonly string[], until: string, reason: string): Promise<void> {
  await run(
    db,
    'docket.defer',
    `update record set docket = 'none', deferred_until = $2, deferred_reason = $3, revision = revision + 1 where id = any ($1::uuid[])`,
    [ids, until, reason],
  );
}
