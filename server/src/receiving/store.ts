import type { NameChange } from '@key-cellar/core/records';
import { type Db, row, rows, run } from '../kernel/index.js';

export interface ArrivalRow extends Record<string, unknown> {
  id: string;
  file_name: string;
  changed: NameChange[];
  content_id: string;
  source: string;
  place_id: string | null;
  deposited_by: string;
  arrived_at: Date;
  size: number;
  media_type: string;
  sha256: Buffer;
  /** The access set of the place that it is meant for. */
  place_set: number | null;
  /** That place and those it lies in; none when it is meant for none. */
  places: string[];
}

const columns = `a.id, a.file_name, a.changed, a.content_id, a.source, a.place_id, a.deposited_by, a.arrived_at, c.size, a.media_type, c.sha256, p.access_set_id as place_set, coalesce(p.ancestors, '{}') as places`;
const from = 'arrival a join content c on c.id = a.content_id left join place p on p.id = a.place_id';

export async function addArrival(
  db: Db,
  a: {
    id: string;
    fileName: string;
    changed: readonly NameChange[];
    contentId: string;
    mediaType: string;
    source: string;
    placeId: string | null;
    by: string;
    key: string | null;
    at: string;
  },
): Promise<void> {
  await run(
    db,
    'arrival.add',
    `insert into arrival (id, file_name, changed, content_id, media_type, source, place_id, deposited_by, idempotency_key, arrived_at)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
    [a.id, a.fileName, a.changed, a.contentId, a.mediaType, a.source, a.placeId, a.by, a.key, a.at],
  );
}

export function arrivalByKey(db: Db, by: string, key: string) {
  return row<{ id: string; sha256: Buffer }>(
    db,
    'arrival.byKey',
    'select a.id, c.sha256 from arrival a join content c on c.id = a.content_id where a.deposited_by = $1 and a.idempotency_key = $2',
    [by, key],
  );
}

/** Arrivals of a person, and those that wait for a place in one of the sets; with `all`, also those for no place. */
const visible = `(a.deposited_by = $1 or p.access_set_id = any ($2::int[]) or ($3 and a.place_id is null))`;

export function arrivals(db: Db, personId: string, sets: readonly number[], all: boolean) {
  return rows<ArrivalRow>(
    db,
    'arrival.list',
    `select ${columns} from ${from} where ${visible} order by a.arrived_at desc, a.id desc limit 5000`,
    [personId, sets, all],
  );
}

/** Arrivals by id; with `lock` their contents stay until the transaction ends, whatever else lets go of them. */
export function findArrivals(db: Db, ids: readonly string[], lock: boolean) {
  return rows<ArrivalRow>(
    db,
    `arrival.${lock ? 'lock' : 'byIds'}`,
    `select ${columns} from ${from} where a.id = any ($1::uuid[]) order by a.id ${lock ? 'for key share of c' : ''}`,
    [ids],
  );
}

export async function removeArrival(db: Db, id: string): Promise<boolean> {
  return (await run(db, 'arrival.remove', 'delete from arrival where id = $1', [id])) > 0;
}

export async function countArrivals(db: Db, personId: string, sets: readonly number[], all: boolean): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'arrival.count',
    `select count(*)::int as n from arrival a left join place p on p.id = a.place_id where ${visible}`,
    [personId, sets, all],
  );
  return found!.n;
}

/** Two uploads with one key wait for each other, so that the second finds the first. */
export async function lockKey(db: Db, by: string, key: string): Promise<void> {
  await run(db, 'arrival.lockKey', 'select pg_advisory_xact_lock(hashtextextended($1, 13))', [`${by} ${key}`]);
}

export function recordsWithContent(db: Db, contentIds: readonly string[], sets: readonly number[]) {
  return rows<{ content_id: string; id: string; name: string }>(
    db,
    'arrival.sameRecords',
    `select distinct v.content_id, r.id, r.number || ' ' || r.title as name
     from version v join record r on r.id = v.record_id
     where v.content_id = any ($1::uuid[]) and r.access_set_id = any ($2::int[])`,
    [contentIds, sets],
  );
}

/** Containers, with how many records in these sets sit in each. */
export function containers(db: Db, sets: readonly number[]) {
  return rows<{ id: string; code: string; title: string; location: string; items: number }>(
    db,
    'container.all',
    `select c.id, c.code, c.title, c.location,
       (select count(*) from record r where r.container_id = c.id and r.state <> 'disposed' and r.access_set_id = any ($1::int[]))::int as items
     from container c order by c.code`,
    [sets],
  );
}
