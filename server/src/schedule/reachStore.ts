import type { Criteria } from '@key-cellar/core/criteria';
import { boundCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, holdCountSql, row, rows, run } from '../kernel/index.js';
import { type CaseRow, clockColumns } from './clockStore.js';

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

export function dueDates(db: Db, ids: readonly string[], sets: readonly number[]) {
  return rows<{ id: string; due_on: string | null }>(
    db,
    'reach.dueDates',
    'select id, due_on from record where id = any ($1::uuid[]) and access_set_id = any ($2::int[])',
    [ids, sets],
  );
}

/** Records within reach that stand in one of the sets, those filed first at the head. */
export function casesWithin(db: Db, reach: Reach, sets: readonly number[], limit: number) {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  // What a rule reaches is found first: to walk all records in order of their ids until enough are found may be a long way.
  return dynamicRows<CaseRow>(
    db,
    `with found as materialized (select id from record r where ${reachSql(reach, bind)} and state <> 'disposed' and access_set_id = any (${bind(sets)}::int[]))
     select ${clockColumns}, r.size, ${holdCountSql()} as hold_count from record r where r.id in (select id from found order by id limit ${bind(limit)}) order by r.id`,
    values,
  );
}

export function caseOf(db: Db, id: string) {
  return row<CaseRow & { access_set_id: number }>(
    db,
    'case.one',
    `select ${clockColumns}, r.size, ${holdCountSql()} as hold_count, r.access_set_id from record r where r.id = $1 and r.state <> 'disposed'`,
    [id],
  );
}

export function countWithin(db: Db, reach: Reach): Promise<number> {
  return count(db, reach, () => 'true');
}

/** Of those within reach, how many stand in one of the sets. */
export function countKnownWithin(db: Db, reach: Reach, sets: readonly number[]): Promise<number> {
  return count(db, reach, (bind) => `r.access_set_id = any (${bind(sets)}::int[])`);
}

async function count(db: Db, reach: Reach, which: (bind: (value: unknown) => string) => string): Promise<number> {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  const found = await dynamicRows<{ n: number }>(
    db,
    `select count(*)::int as n from record r where ${reachSql(reach, bind)} and r.state <> 'disposed' and ${which(bind)}`,
    values,
  );
  return found[0]!.n;
}

/** Whether everything is to be judged anew; asked once, it is not any more. */
export async function takeJudgeAnew(db: Db): Promise<boolean> {
  return (await run(db, 'recompute.judgeAnew', `update setting set value = 'false' where name = 'judgeAnew' and value = 'true'`)) > 0;
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
