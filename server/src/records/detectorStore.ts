import type { Sign } from '@key-cellar/core/criteria';
import type { Facts } from '@key-cellar/core/records';
import { type Db, row, rows, run } from '../kernel/index.js';
import type { Unread } from './documentText.js';

export interface DetectorRow extends Record<string, unknown> {
  id: string;
  title: string;
  note: string;
  signs: readonly Sign[];
  revision: number;
  retired_on: string | null;
}

const columns = 'id, title, note, signs, revision, retired_on';

export function detectors(db: Db) {
  return rows<DetectorRow>(db, 'detector.all', `select ${columns} from detector order by lower(title)`);
}

export function lockDetector(db: Db, id: string) {
  return row<DetectorRow>(db, 'detector.lock', `select ${columns} from detector where id = $1 for update`, [id]);
}

export async function detectorTitleTaken(db: Db, title: string, exceptId: string): Promise<boolean> {
  return (
    (await row(db, 'detector.titleTaken', 'select from detector where lower(title) = lower($1) and id <> $2', [title, exceptId])) !==
    undefined
  );
}

export async function addDetector(db: Db, d: { id: string; title: string; note: string; signs: readonly Sign[] }): Promise<void> {
  await run(db, 'detector.add', 'insert into detector (id, title, note, signs) values ($1, $2, $3, $4)', [
    d.id,
    d.title,
    d.note,
    JSON.stringify(d.signs),
  ]);
}

export async function writeDetector(
  db: Db,
  d: { id: string; title: string; note: string; signs: readonly Sign[]; retiredOn: string | null },
): Promise<void> {
  await run(
    db,
    'detector.write',
    'update detector set title = $2, note = $3, signs = $4, retired_on = $5, revision = revision + 1 where id = $1',
    [d.id, d.title, d.note, JSON.stringify(d.signs), d.retiredOn],
  );
}

/** How many records each detector found, among the sets of a person. */
export function foundBy(db: Db, sets: readonly number[]) {
  return rows<{ id: string; n: number }>(
    db,
    'detector.found',
    `select d as id, count(*)::int as n from record r cross join unnest(r.detected) d
     where r.detected <> '{}' and r.state <> 'disposed' and r.access_set_id = any ($1::int[]) group by d`,
    [sets],
  );
}

export function detectorTitles(db: Db, ids: readonly string[]) {
  return rows<{ id: string; title: string }>(
    db,
    'detector.titles',
    'select id, title from detector where id = any ($1::uuid[]) order by title',
    [ids],
  );
}

const noteAgain = `on conflict (record_id) do update set stamp = nextval('detection_stamp'), claimed_until = null`;

/** Notes every record that is kept as one to be looked at; what was found in it with other signs meanwhile does not count. */
export async function noteAll(db: Db): Promise<void> {
  await run(
    db,
    'detection.noteAll',
    `insert into detection_due (record_id) select id from record where state <> 'disposed' order by id ${noteAgain}`,
  );
}

/** Notes some of them, after a cursor and in order of their ids; gives the last one, and how many there were. */
export async function noteSome(db: Db, after: string | null, limit: number): Promise<{ last: string | null; n: number }> {
  const noted = await rows<{ id: string }>(
    db,
    'detection.noteSome',
    `insert into detection_due (record_id)
     select id from record where state <> 'disposed' and ($1::uuid is null or id > $1) order by id limit $2 ${noteAgain} returning record_id as id`,
    [after, limit],
  );
  return {
    last:
      noted
        .map((r) => r.id)
        .sort()
        .at(-1) ?? null,
    n: noted.length,
  };
}

/** About how many records are kept. */
export async function keptCount(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'detection.kept', 'select coalesce(sum(kept), 0)::int as n from rack_total'))!.n;
}

export async function notedCount(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'detection.noted', 'select count(*)::int as n from detection_due'))!.n;
}

/** A record as detectors look at it, with its newest version. */
export interface LookedRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  state: string;
  facts: Facts;
  content_id: string | null;
  sha256: Buffer | null;
  size: number | null;
  media_type: string | null;
}

export interface NotedRow extends LookedRow {
  stamp: number;
}

/** Claims some notes that nobody else looks at now, and gives the records with their newest version. */
export function claimNotes(db: Db, limit: number, minutes: number) {
  return rows<NotedRow>(
    db,
    'detection.claim',
    `with claimed as (
       update detection_due set claimed_until = clock_timestamp() + make_interval(mins => $2) where record_id in (
         select record_id from detection_due where claimed_until is null or claimed_until < clock_timestamp()
         order by record_id limit $1 for update skip locked)
       returning record_id, stamp)
     select r.id, n.stamp, r.number, r.title, r.state, r.facts, v.content_id, c.sha256, c.size, v.media_type
     from claimed n join record r on r.id = n.record_id
     left join version v on v.record_id = r.id and v.no = r.version_no left join content c on c.id = v.content_id
     order by r.id`,
    [limit, minutes],
  );
}

/** Leaves notes that were claimed to whoever asks next. */
export async function giveBack(db: Db, notes: readonly { id: string; stamp: number }[]): Promise<void> {
  await run(
    db,
    'detection.giveBack',
    `update detection_due d set claimed_until = null from unnest($1::uuid[], $2::bigint[]) as n (id, stamp) where d.record_id = n.id and d.stamp = n.stamp`,
    [notes.map((n) => n.id), notes.map((n) => n.stamp)],
  );
}

/** Takes notes off the list; those that were made anew since stay, and are not among what is given back. */
export async function takeOff(db: Db, notes: readonly { id: string; stamp: number }[]): Promise<Set<string>> {
  const taken = await rows<{ id: string }>(
    db,
    'detection.takeOff',
    // Locked in order of their ids, as whoever notes them all does.
    `with mine as materialized (
       select d.record_id from detection_due d join unnest($1::uuid[], $2::bigint[]) as n (id, stamp) on d.record_id = n.id and d.stamp = n.stamp
       order by d.record_id for update of d)
     delete from detection_due d using mine where d.record_id = mine.record_id returning d.record_id as id`,
    [notes.map((n) => n.id), notes.map((n) => n.stamp)],
  );
  return new Set(taken.map((t) => t.id));
}

/** What detectors found in records so far. Locks the records, which must come before their notes: so do those who write them. */
export function detectedIn(db: Db, ids: readonly string[]) {
  return rows<{ id: string; detected: string[] }>(
    db,
    'detection.so-far',
    `select id, detected from record where id = any ($1::uuid[]) and state <> 'disposed' order by id for no key update`,
    [ids],
  );
}

/** Writes what was found. */
export async function writeDetected(db: Db, found: readonly { id: string; detected: readonly string[] }[]): Promise<void> {
  await run(
    db,
    'detection.write',
    `update record r set detected = (select coalesce(array_agg(d::uuid order by d), '{}') from jsonb_array_elements_text(f.detected::jsonb) d)
     from unnest($1::uuid[], $2::text[]) as f (id, detected) where r.id = f.id`,
    [found.map((f) => f.id), found.map((f) => JSON.stringify(f.detected))],
  );
}

/** Writes down of which records not all was read, and takes those off of which all was. */
export async function writeUnread(db: Db, looked: readonly { id: string; unread: readonly Unread[] }[]): Promise<void> {
  const some = looked.filter((l) => l.unread.length > 0);
  await run(db, 'unread.drop', 'delete from unread where record_id = any ($1::uuid[])', [
    looked.filter((l) => l.unread.length === 0).map((l) => l.id),
  ]);
  await run(
    db,
    'unread.write',
    `insert into unread (record_id, parts) select * from unnest($1::uuid[], $2::jsonb[])
     on conflict (record_id) do update set parts = excluded.parts where unread.parts <> excluded.parts`,
    [some.map((l) => l.id), some.map((l) => JSON.stringify(l.unread))],
  );
}

export function unread(db: Db, sets: readonly number[], limit: number) {
  return rows<{ id: string; number: string; title: string; parts: readonly Unread[] }>(
    db,
    'unread.list',
    `select r.id, r.number, r.title, u.parts from unread u join record r on r.id = u.record_id
     where r.state <> 'disposed' and r.access_set_id = any ($1::int[]) order by u.since desc, r.id limit $2`,
    [sets, limit],
  );
}

const toTry = `select r.id, r.number, r.title, r.state, r.facts, v.content_id, c.sha256, c.size, v.media_type from record r
  left join version v on v.record_id = r.id and v.no = r.version_no left join content c on c.id = v.content_id`;

/** Records to try signs on: those of some numbers, among the sets of a person. */
export function chosenToTry(db: Db, numbers: readonly string[], sets: readonly number[]) {
  return rows<LookedRow>(
    db,
    'try.chosen',
    `${toTry} where r.number = any ($1) and r.state <> 'disposed' and r.access_set_id = any ($2::int[]) order by r.number`,
    [numbers, sets],
  );
}

/** So many records by lot. */
export function someToTry(db: Db, sets: readonly number[], limit: number) {
  return rows<LookedRow>(
    db,
    'try.some',
    `${toTry} where r.id = any (select id from record where state <> 'disposed' and access_set_id = any ($1::int[]) order by random() limit $2)`,
    [sets, limit],
  );
}
