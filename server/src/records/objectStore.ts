import { row, rows, run, type Db } from '../kernel/index.js';

/** False when another app server tends the object store. */
export async function lockTending(db: Db): Promise<boolean> {
  return (await row<{ mine: boolean }>(db, 'object.lockTending', 'select pg_try_advisory_xact_lock(4247) as mine'))!.mine;
}

/** Whether anything lies, or lay, in an object store. */
export async function knowsObjects(db: Db): Promise<boolean> {
  return (await row<{ any: boolean }>(db, 'object.any', 'select exists (select from content_object) as any'))!.any;
}

/** Says before it is written that there may be an object of this name. */
export async function beginObject(db: Db, id: string): Promise<void> {
  await run(db, 'object.begin', 'insert into content_object (content_id) values ($1) on conflict do nothing', [id]);
}

/** Says which version of an object was written. Throws when nobody said that there may be one, or when it was removed meanwhile. */
export async function setVersion(db: Db, id: string, version: string): Promise<void> {
  const touched = await run(
    db,
    'object.setVersion',
    'update content_object set version = $2, begun_at = now(), locked_until = null where content_id = $1',
    [id, version],
  );
  if (touched !== 1) throw new Error(`The object of content ${id} is not known of.`);
}

/** Contents that lie in the database alone, oldest first. */
export function withoutCopy(db: Db, limit: number) {
  return rows<{ id: string; size: number }>(
    db,
    'object.withoutCopy',
    `select id, size from content where sha256 is not null and store = 'database' and copied_at is null and damaged_at is null
       and key_slot is not null order by id limit $1`,
    [limit],
  );
}

export async function setCopied(db: Db, id: string): Promise<boolean> {
  return (await run(db, 'object.setCopied', 'update content set copied_at = repository_now() where id = $1', [id])) > 0;
}

/** Contents that are set apart and have a copy. */
export function damagedWithCopy(db: Db, limit: number) {
  return rows<{ id: string; sha256: Buffer }>(
    db,
    'object.damagedWithCopy',
    'select id, sha256 from content where damaged_at is not null and copied_at is not null order by damaged_at limit $1',
    [limit],
  );
}

/** Says that a content has no copy after all, and gives its fingerprint; nothing for one that had none, or does not lie in the database. */
export async function dropCopy(db: Db, id: string): Promise<Buffer | undefined> {
  const dropped = await row<{ sha256: Buffer }>(
    db,
    'object.dropCopy',
    `with dropped as (
       update content set copied_at = null where id = $1 and store = 'database' and copied_at is not null returning id, sha256),
     object as (update content_object set version = null from dropped where content_id = dropped.id)
     select sha256 from dropped`,
    [id],
  );
  return dropped?.sha256;
}

/** Objects of contents that are here whose lock is missing or ends before `until`. */
export function locksEnding(db: Db, until: Date, limit: number) {
  return rows<{ id: string; version: string }>(
    db,
    'object.locksEnding',
    `select o.content_id as id, o.version from content_object o
     where o.version is not null and o.gone_since is null and coalesce(o.locked_until, '-infinity') < $1
       and exists (select from content c where c.id = o.content_id and c.damaged_at is null)
     order by coalesce(o.locked_until, '-infinity') limit $2`,
    [until, limit],
  );
}

export async function setLocked(db: Db, id: string, version: string, until: Date): Promise<void> {
  await run(db, 'object.setLocked', 'update content_object set locked_until = $3 where content_id = $1 and version = $2', [
    id,
    version,
    until,
  ]);
}

/** Objects whose content is gone and whose lock has ended, and those that an upload of yesterday or before left behind. */
export function objectsToRemove(db: Db, limit: number) {
  return rows<{ id: string }>(
    db,
    'object.toRemove',
    `(select content_id as id from content_object where gone_since is not null and coalesce(locked_until, '-infinity') < now()
      order by coalesce(locked_until, '-infinity') limit $1)
     union all
     (select o.content_id from content_object o
      where o.version is null and o.gone_since is null and o.begun_at < now() - interval '1 day' and coalesce(o.locked_until, '-infinity') < now()
        and not exists (select from content c where c.id = o.content_id)
      order by o.begun_at limit $1)`,
    [limit],
  );
}

/** Lets an object that could not be removed rest for an hour: the others come first. */
export async function postponeRemoval(db: Db, id: string): Promise<void> {
  await run(db, 'object.postpone', `update content_object set locked_until = now() + interval '1 hour' where content_id = $1`, [id]);
}

export async function forgetObject(db: Db, id: string): Promise<void> {
  await run(db, 'object.forget', 'delete from content_object where content_id = $1', [id]);
}

/** Whether something waits for an hour or longer to be copied or locked: the object store is away, or cannot keep up. */
export async function isBehind(db: Db): Promise<boolean> {
  const found = await row<{ behind: boolean }>(
    db,
    'object.behind',
    `select exists (select from (select stored_at from content where sha256 is not null and store = 'database' and copied_at is null
           and damaged_at is null and key_slot is not null order by id limit 1) a where stored_at < repository_now() - interval '1 hour')
       or exists (select from content_object o where version is not null and gone_since is null and coalesce(locked_until, '-infinity') < now()
           and begun_at < now() - interval '1 hour') as behind`,
  );
  return found!.behind;
}

/** How many contents have no copy yet, how many objects no lock, and how many wait to be removed. */
export async function countObjects(db: Db, most: number) {
  return (await row<{ withoutCopy: number; withoutLock: number; toRemove: number }>(
    db,
    'object.count',
    `select (select count(*) from (select from content where sha256 is not null and store = 'database' and copied_at is null
         and damaged_at is null and key_slot is not null limit $1) a) as "withoutCopy",
       (select count(*) from (select from content_object where version is not null and gone_since is null
           and coalesce(locked_until, '-infinity') = '-infinity' limit $1) b)
         as "withoutLock",
       (select count(*) from (select from content_object where gone_since is not null limit $1) c) as "toRemove"`,
    [most],
  ))!;
}
