import { type Db, rows, run } from '../kernel/index.js';

export interface EventRow extends Record<string, unknown> {
  id: string;
  type: string;
  happened_on: string;
  note: string;
  by_name: string;
  recorded_at: Date;
  corrects: string | null;
  withdrawn_at: Date | null;
  withdrawn_by_name: string | null;
  withdrawn_reason: string | null;
}
const columns = `e.id, e.type, e.happened_on, e.note, p.name as by_name, e.recorded_at, e.corrects, e.withdrawn_at,
  w.name as withdrawn_by_name, e.withdrawn_reason`;
const joins = 'join principal p on p.id = e.recorded_by left join principal w on w.id = e.withdrawn_by';

export function eventsOfPlace(db: Db, placeId: string) {
  return rows<EventRow>(
    db,
    'event.allOfPlace',
    `select ${columns} from event e ${joins} where e.place_id = $1 order by e.happened_on desc, e.id`,
    [placeId],
  );
}

export function eventsOfRecord(db: Db, recordId: string) {
  return rows<EventRow>(
    db,
    'event.allOfRecord',
    `select ${columns} from event e ${joins} where e.record_id = $1 order by e.happened_on desc, e.id`,
    [recordId],
  );
}

export function eventsOfEntity(db: Db, entityId: string) {
  return rows<EventRow>(
    db,
    'event.allOfEntity',
    `select ${columns} from event e ${joins} where e.entity_id = $1 order by e.happened_on desc, e.id`,
    [entityId],
  );
}

export interface LockedEvent extends Record<string, unknown> {
  id: string;
  type: string;
  happened_on: string;
  note: string;
  place_id: string | null;
  record_id: string | null;
  entity_id: string | null;
  withdrawn_at: Date | null;
  subject_kind: string;
  subject_name: string;
  deposited_by: string | null;
  /** Access sets of what it happened to: of a party or object those of all records that refer to it. */
  sets: number[];
}

export async function findEvents(db: Db, ids: readonly string[], lock: boolean): Promise<LockedEvent[]> {
  if (lock) await rows(db, 'event.lock', 'select id from event where id = any ($1::uuid[]) order by id for update', [ids]);
  return rows<LockedEvent>(
    db,
    'event.find',
    `select e.id, e.type, e.happened_on, e.note, e.place_id, e.record_id, e.entity_id, e.withdrawn_at, r.deposited_by,
       case when p.id is not null then 'place' when r.id is not null then 'record' else t.kind end as subject_kind,
       coalesce(p.code || ' ' || p.title, r.number || ' ' || r.title, t.name) as subject_name,
       case when p.id is not null then array[p.access_set_id] when r.id is not null then array[r.access_set_id] else coalesce(
         (select array_agg(distinct x.access_set_id) from record x where x.refers @> array[t.id] and x.refers <> '{}' and x.state <> 'disposed'), '{}') end as sets
     from event e left join place p on p.id = e.place_id left join record r on r.id = e.record_id left join entity t on t.id = e.entity_id
     where e.id = any ($1::uuid[])`,
    [ids],
  );
}

export interface NewEvent {
  readonly id: string;
  readonly type: string;
  readonly on: string;
  readonly note: string;
  readonly placeId: string | null;
  readonly recordId: string | null;
  readonly entityId?: string | null;
  readonly corrects: string | null;
}

export async function addEvents(db: Db, events: readonly NewEvent[], by: string, at: string): Promise<void> {
  await run(
    db,
    'event.addMany',
    `insert into event (id, type, happened_on, note, place_id, record_id, corrects, recorded_by, recorded_at, entity_id)
     select e.id, e.type, e.happened_on, e.note, e.place_id, e.record_id, e.corrects, $8, $9, e.entity_id
     from unnest($1::uuid[], $2::text[], $3::date[], $4::text[], $5::uuid[], $6::uuid[], $7::uuid[], $10::uuid[])
       as e (id, type, happened_on, note, place_id, record_id, corrects, entity_id)`,
    [
      events.map((e) => e.id),
      events.map((e) => e.type),
      events.map((e) => e.on),
      events.map((e) => e.note),
      events.map((e) => e.placeId),
      events.map((e) => e.recordId),
      events.map((e) => e.corrects),
      by,
      at,
      events.map((e) => e.entityId ?? null),
    ],
  );
}

export async function withdrawEvent(db: Db, id: string, by: string, at: string, reason: string): Promise<void> {
  await run(db, 'event.withdraw', 'update event set withdrawn_at = $2, withdrawn_by = $3, withdrawn_reason = $4 where id = $1', [
    id,
    at,
    by,
    reason,
  ]);
}

/** Places by the codes on the way to them, such as `BER-02/Q-16`: a plan node by its code, a folder after its series. */
export function placesByPath(db: Db) {
  return rows<{ id: string; code: string; title: string; path: string; access_set_id: number }>(
    db,
    'event.placePaths',
    `select p.id, p.code, p.title, p.access_set_id, case when p.kind <> 'folder' then p.code else (
       select string_agg(a.code, '/' order by array_position(p.ancestors, a.id)) from place a
       where a.id = any (p.ancestors) and a.kind in ('series', 'folder')) end as path
     from place p`,
  );
}

/**
 * Waiting records under each rule version and place, whether their trigger is known or not, among the sets a person may discover. Those
 * whose rule has gone meanwhile wait for no event until they are judged again.
 */
export function waitingByPlace(db: Db, sets: readonly number[]) {
  return rows<{ rule_version_id: string; started: boolean; place_id: string; code: string; title: string; records: number }>(
    db,
    'event.waiting',
    `select w.rule_version_id, w.started, w.place_id, p.code, p.title, w.records from (
       select rule_version_id, trigger_on is not null as started, place_id, count(*)::int as records from record
       where outcome = 'waiting' and rule_version_id is not null and state <> 'disposed' and access_set_id = any ($1::int[]) group by 1, 2, 3) w
     join place p on p.id = w.place_id order by w.records desc, p.code`,
    [sets],
  );
}
