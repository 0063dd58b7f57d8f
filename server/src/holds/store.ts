import type { Criteria } from '@key-cellar/core/criteria';
import { boundCriteria, storedCriteria } from '../criteria/index.js';
import { type Db, dynamicRows, holdCountSql, row, rows, run } from '../kernel/index.js';

export interface MatterRow extends Record<string, unknown> {
  id: string;
  code: string;
  title: string;
  kind: 'case' | 'audit' | 'inquiry';
  note: string;
  opened_on: string;
}

export function matters(db: Db) {
  return rows<MatterRow>(db, 'matter.all', 'select id, code, title, kind, note, opened_on from matter order by opened_on desc, code');
}

export function mattersByIds(db: Db, ids: readonly string[]) {
  return rows<MatterRow>(db, 'matter.byIds', 'select id, code, title, kind, note, opened_on from matter where id = any ($1::uuid[])', [
    ids,
  ]);
}

export async function addMatter(db: Db, m: MatterRow): Promise<void> {
  await run(db, 'matter.add', 'insert into matter (id, code, title, kind, note, opened_on) values ($1, $2, $3, $4, $5, $6)', [
    m.id,
    m.code,
    m.title,
    m.kind,
    m.note,
    m.opened_on,
  ]);
}

export interface HoldRow extends Record<string, unknown> {
  id: string;
  matter_id: string;
  name: string;
  reason: string;
  freeze: boolean;
  state: 'open' | 'released';
  criteria: Criteria | null;
  placed_by: string;
  placed_on: string;
  released_on: string | null;
  release_reason: string | null;
  covers: number;
  unacknowledged: number;
  doing: { what: 'covering' | 'releasing'; done: number; total: number | null } | null;
  /** Access sets of all records that it covers or covered; none of one by criteria, which reaches into everything. */
  sets: number[];
  by_criteria: boolean;
}

const setsOf = `coalesce(case when h.criteria is null then (
    select array_agg(distinct r.access_set_id) from hold_cover c join record r on r.id = c.record_id where c.hold_id = h.id) end, '{}') as sets,
  h.criteria is not null as by_criteria`;
const holdColumns = `h.id, h.matter_id, h.name, h.reason, h.freezes as freeze, h.state, h.criteria, p.name as placed_by,
  repository_date(h.placed_at) as placed_on, repository_date(h.released_at) as released_on, h.release_reason,
  (select count(*) from hold_cover c where c.hold_id = h.id and c.released_at is null)::int as covers,
  (select count(*) from custodian k where k.hold_id = h.id and k.acknowledged_at is null)::int as unacknowledged,
  (select jsonb_build_object('what', w.doing, 'done', w.done, 'total', w.total) from hold_work w where w.hold_id = h.id) as doing, ${setsOf}`;

export function holds(db: Db) {
  return rows<HoldRow>(
    db,
    'hold.all',
    `select ${holdColumns} from hold h join principal p on p.id = h.placed_by order by h.placed_at desc`,
  );
}

export function holdById(db: Db, id: string) {
  return row<HoldRow>(db, 'hold.byId', `select ${holdColumns} from hold h join principal p on p.id = h.placed_by where h.id = $1`, [id]);
}

export type LockedHold = Pick<HoldRow, 'id' | 'name' | 'reason' | 'state' | 'sets' | 'by_criteria'> & Record<string, unknown>;

/** Holds with what acts on them need to know. The lock comes first, so that what is read beside it is what stands now. */
export async function findHolds(db: Db, ids: readonly string[], lock: boolean): Promise<LockedHold[]> {
  if (lock) await rows(db, 'hold.lock', 'select id from hold where id = any ($1::uuid[]) order by id for update', [ids]);
  return rows<LockedHold>(db, 'hold.find', `select h.id, h.name, h.reason, h.state, ${setsOf} from hold h where h.id = any ($1::uuid[])`, [
    ids,
  ]);
}

export async function countCovered(db: Db, id: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'hold.countCovered',
    'select count(*)::int as n from hold_cover where hold_id = $1 and released_at is null',
    [id],
  );
  return found!.n;
}

export async function addHold(
  db: Db,
  h: { id: string; matterId: string; name: string; reason: string; freeze: boolean; criteria: Criteria | null; by: string; at: string },
): Promise<void> {
  const stored = h.criteria ? storedCriteria(h.criteria) : null;
  await run(
    db,
    'hold.add',
    `insert into hold (id, matter_id, name, reason, freezes, state, criteria, scope_sql, scope_params, placed_by, placed_at)
     values ($1, $2, $3, $4, $5, 'open', $6, $7, $8, $9, $10)`,
    [
      h.id,
      h.matterId,
      h.name,
      h.reason,
      h.freeze,
      h.criteria ? JSON.stringify(h.criteria) : null,
      stored?.sql ?? null,
      stored ? JSON.stringify(stored.params) : null,
      h.by,
      h.at,
    ],
  );
}

export async function countMatching(db: Db, criteria: Criteria, visible: (bind: (value: unknown) => string) => string): Promise<number> {
  const values: unknown[] = [];
  const bind = (value: unknown): string => `$${values.push(value)}`;
  const where = boundCriteria(criteria, bind);
  const found = await dynamicRows<{ n: number }>(
    db,
    `select count(*) as n from record r where r.state <> 'disposed' and ${where} and ${visible(bind)}`,
    values,
  );
  return found[0]!.n;
}

export type CoverOutcome = 'covered' | 'already covered' | 'gone before the hold' | 'not found';

/** Covers records, with an entry on each that was not covered yet. */
export function cover(db: Db, holdId: string, recordIds: readonly string[], because: string) {
  return rows<{ record_id: string; outcome: CoverOutcome }>(
    db,
    'hold.cover',
    'select record_id, outcome from place_cover($1, $2::uuid[], $3)',
    [holdId, recordIds, because],
  );
}

/** Lets records out, with an entry on each; gives those that it covered. */
export async function letOut(db: Db, holdId: string, recordIds: readonly string[], by: string, reason: string): Promise<string[]> {
  const found = await row<{ out: string[] }>(db, 'hold.letOut', 'select uncover($1, $2::uuid[], $3, $4) as out', [
    holdId,
    recordIds,
    by,
    reason,
  ]);
  return found!.out;
}

export async function release(db: Db, holdId: string, by: string, at: string, reason: string): Promise<void> {
  await run(
    db,
    'hold.release',
    `update hold set state = 'released', released_by = $2, released_at = $3, release_reason = $4 where id = $1`,
    [holdId, by, at, reason],
  );
}

/** What a hold is doing, for whom; null when it has nothing to do. */
export function workOf(db: Db, holdId: string) {
  return row<{ name: string; doing: 'covering' | 'releasing'; done: number; total: number | null; by_id: string; by_name: string }>(
    db,
    'hold.work',
    `select h.name, w.doing, w.done, w.total, p.id as by_id, p.name as by_name
     from hold_work w join hold h on h.id = w.hold_id
       join principal p on p.id = case w.doing when 'covering' then h.placed_by else h.released_by end
     where w.hold_id = $1`,
    [holdId],
  );
}

export async function holdsAtWork(db: Db): Promise<string[]> {
  return (await rows<{ hold_id: string }>(db, 'hold.atWork', 'select hold_id from hold_work order by hold_id')).map((w) => w.hold_id);
}

/** Transactions that are writing records, but for the one that asks. */
export async function writers(db: Db): Promise<string[]> {
  return (await row<{ writers: string[] }>(db, 'hold.writers', 'select writers() as writers'))!.writers;
}

/** Finds what a hold is to cover, or lets go of, unless that was done. */
export async function lookForWork(db: Db, holdId: string, aStep: number): Promise<void> {
  await run(db, 'hold.look', 'select look_for_work($1, $2)', [holdId, aStep]);
}

/** One step of what a hold is doing; nothing stepped when there was nothing left, undefined when it does nothing, or something else. */
export function step(db: Db, holdId: string, doing: 'covering' | 'releasing') {
  return row<{ stepped: number; records: number }>(db, 'hold.step', 'select stepped, records from hold_step($1, $2)', [holdId, doing]);
}

export function covered(db: Db, holdId: string, sets: readonly number[], limit: number) {
  return rows<{ id: string; number: string; title: string; because: string; since: string; released: boolean; holds: number }>(
    db,
    'hold.covered',
    `select r.id, r.number, r.title, c.because, repository_date(c.since) as since, c.released_at is not null as released, ${holdCountSql()} as holds
     from hold_cover c join record r on r.id = c.record_id
     where c.hold_id = $1 and r.access_set_id = any ($2::int[]) order by c.released_at is not null, r.number limit $3`,
    [holdId, sets, limit],
  );
}

/** Records covered at the end of each month from the placing on. */
export function coverage(db: Db, holdId: string) {
  return rows<{ month: string; covered: number }>(
    db,
    'hold.coverage',
    `with span as (
       select date_trunc('month', min(since)) as first, date_trunc('month', greatest(repository_now(), max(since))) as last
       from hold_cover where hold_id = $1)
     select to_char(m, 'YYYY-MM') as month,
       (select count(*) from hold_cover c where c.hold_id = $1 and c.since < m + interval '1 month'
          and (c.released_at is null or c.released_at >= m + interval '1 month'))::int as covered
     from span, generate_series(span.first, span.last, interval '1 month') m order by m`,
    [holdId],
  );
}

export function custodians(db: Db, holdId: string) {
  return rows<{ id: string; name: string; notified_on: string; reminders: number; acknowledged_on: string | null }>(
    db,
    'custodian.of',
    `select p.id, p.name, repository_date(k.notified_at) as notified_on, k.reminders, repository_date(k.acknowledged_at) as acknowledged_on
     from custodian k join principal p on p.id = k.principal_id where k.hold_id = $1 order by p.name`,
    [holdId],
  );
}

export async function addCustodians(db: Db, holdId: string, ids: readonly string[], at: string): Promise<void> {
  await run(
    db,
    'custodian.add',
    `insert into custodian (hold_id, principal_id, notified_at) select $1, x, $3 from unnest($2::uuid[]) x on conflict do nothing`,
    [holdId, ids, at],
  );
}

export interface NoticeRow extends Record<string, unknown> {
  id: string;
  name: string;
  acknowledged: boolean;
}

/** Notices of these holds that went to a person, under their row locks. */
export function noticesOf(db: Db, holdIds: readonly string[], personId: string) {
  return rows<NoticeRow>(
    db,
    'custodian.noticesOf',
    `select h.id, h.name, k.acknowledged_at is not null as acknowledged from custodian k join hold h on h.id = k.hold_id
     where k.hold_id = any ($1::uuid[]) and k.principal_id = $2 order by h.id for update of k`,
    [holdIds, personId],
  );
}

export async function acknowledge(db: Db, holdId: string, personId: string, at: string): Promise<void> {
  await run(db, 'custodian.acknowledge', 'update custodian set acknowledged_at = $3 where hold_id = $1 and principal_id = $2', [
    holdId,
    personId,
    at,
  ]);
}

export function remind(db: Db, holdId: string) {
  return rows<{ principal_id: string }>(
    db,
    'custodian.remind',
    'update custodian set reminders = reminders + 1 where hold_id = $1 and acknowledged_at is null returning principal_id',
    [holdId],
  );
}

/** Which of these ids are people. */
export async function peopleAmong(db: Db, ids: readonly string[]): Promise<ReadonlySet<string>> {
  const found = await rows<{ id: string }>(
    db,
    'custodian.people',
    `select id from principal where id = any ($1::uuid[]) and kind = 'person'`,
    [ids],
  );
  return new Set(found.map((p) => p.id));
}

export function openNotices(db: Db, personId: string) {
  return rows<{ id: string; name: string; matter: string; notified_on: string }>(
    db,
    'custodian.openNotices',
    `select h.id, h.name, m.title as matter, repository_date(k.notified_at) as notified_on
     from custodian k join hold h on h.id = k.hold_id join matter m on m.id = h.matter_id
     where k.principal_id = $1 and k.acknowledged_at is null and h.state = 'open'`,
    [personId],
  );
}

export function unacknowledged(db: Db) {
  return rows<{ id: string; matter: string; waiting: number; reminders: number }>(
    db,
    'custodian.unacknowledged',
    `select h.id, m.title as matter, count(*)::int as waiting, max(k.reminders) as reminders
     from custodian k join hold h on h.id = k.hold_id join matter m on m.id = h.matter_id
     where k.acknowledged_at is null and h.state = 'open' group by h.id, m.title`,
  );
}

/** Holds that cover a record or covered it, oldest first, and whether a person is a custodian of each. */
export function holdsOn(db: Db, recordId: string, personId: string) {
  return rows<{ id: string; name: string; matter: string; since: string; until: string | null; because: string; custodian: boolean }>(
    db,
    'hold.onRecord',
    `select h.id, h.name, m.title as matter,
       repository_date(c.since) as since, repository_date(c.released_at) as until, c.because,
       exists (select from custodian k where k.hold_id = h.id and k.principal_id = $2) as custodian
     from hold_cover c join hold h on h.id = c.hold_id join matter m on m.id = h.matter_id
     where c.record_id = $1 order by c.since`,
    [recordId, personId],
  );
}

/** Open holds of which somebody is a custodian. */
export async function custodianOf(db: Db, personId: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'custodian.count',
    'select count(*)::int as n from custodian c join hold h on h.id = c.hold_id where c.principal_id = $1 and h.released_at is null',
    [personId],
  );
  return found!.n;
}
