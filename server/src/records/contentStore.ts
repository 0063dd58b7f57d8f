import { row, rows, run, type Db } from '../kernel/index.js';

/** A content that lies in the object store, whole from the first; null when the same bytes are there already. */
export async function addInObjects(
  db: Db,
  c: { id: string; slot: number; sha256: Buffer; size: number; fingerprints: Buffer },
): Promise<string | null> {
  const added = await row<{ id: string }>(
    db,
    'content.addInObjects',
    `insert into content (id, key_slot, sha256, size, store, fingerprints) values ($1, $2, $3, $4, 'objects', $5)
     on conflict (sha256) do nothing returning id`,
    [c.id, c.slot, c.sha256, c.size, c.fingerprints],
  );
  return added?.id ?? null;
}

export function contentById(db: Db, id: string) {
  return row<{ id: string; sha256: Buffer; size: number }>(
    db,
    'content.byId',
    'select id, sha256, size from content where id = $1 and sha256 is not null',
    [id],
  );
}

/** Content with these bytes, kept from being removed until the transaction ends. */
export function contentBySha(db: Db, sha256: Buffer) {
  return row<{ id: string; size: number; key_slot: number | null }>(
    db,
    'content.same',
    'select id, size, key_slot from content where sha256 = $1 for key share',
    [sha256],
  );
}

/** Stores what fits one chunk; null when the same bytes are there already. */
export async function addSmall(
  db: Db,
  c: { id: string; slot: number; sha256: Buffer; tree: Buffer; size: number; stored: Buffer },
): Promise<string | null> {
  const stored = await row<{ content_id: string }>(
    db,
    'content.small',
    `with fresh as (
       insert into content (id, key_slot, sha256, tree, size) values ($1, $2, $3, $4, $5) on conflict (sha256) do nothing returning id)
     insert into content_chunk (content_id, seq, bytes) select id, 0, $6 from fresh returning content_id`,
    [c.id, c.slot, c.sha256, c.tree, c.size, c.stored],
  );
  return stored?.content_id ?? null;
}

export async function begin(db: Db, id: string, slot: number): Promise<void> {
  await run(db, 'content.begin', 'insert into content (id, key_slot) values ($1, $2)', [id, slot]);
}

export async function addChunk(db: Db, id: string, seq: number, bytes: Buffer): Promise<void> {
  await run(db, 'content.chunk', 'insert into content_chunk (content_id, seq, bytes) values ($1, $2, $3)', [id, seq, bytes]);
}

export async function lockHash(db: Db, sha256: Buffer): Promise<void> {
  await run(db, 'content.lockHash', 'select pg_advisory_xact_lock(hashtextextended($1, 11))', [sha256.toString('hex')]);
}

export async function dropUnfinished(db: Db, id: string): Promise<void> {
  await run(db, 'content.dropOwn', 'delete from content where id = $1', [id]);
}

export async function finish(db: Db, c: { id: string; sha256: Buffer; size: number }): Promise<void> {
  await run(db, 'content.finish', 'update content set sha256 = $2, size = $3 where id = $1', [c.id, c.sha256, c.size]);
}

/** What is known of a content whose chunks are to be read. */
export type Known = {
  readonly tree: Buffer;
  /** What the stored chunks must have as fingerprints, in order, and `tree` over these. */
  readonly chunks: Buffer[];
  readonly slot: number | null;
  readonly damaged: boolean;
  readonly store: 'database' | 'objects';
  /** The version of its object, be it the content itself or a copy. */
  readonly version: string | null;
};

/** Undefined for no content. */
export function fingerprints(db: Db, id: string): Promise<Known | undefined> {
  return row<Known>(
    db,
    'content.fingerprints',
    `select c.tree, c.key_slot as slot, c.damaged_at is not null as damaged, c.store,
       (select o.version from content_object o where o.content_id = c.id) as version,
       case c.store when 'database' then array(select k.sha256 from content_chunk k where k.content_id = c.id order by k.seq)
         else array(select substr(c.fingerprints, 32 * i + 1, 32) from generate_series(0, length(c.fingerprints) / 32 - 1) i order by i) end as chunks
     from content c where c.id = $1 and c.tree is not null`,
    [id],
  );
}

/** One chunk of a content; undefined when it is missing. */
export async function chunk(db: Db, id: string, seq: number): Promise<Buffer | undefined> {
  const found = await row<{ bytes: Buffer }>(db, 'content.read', 'select bytes from content_chunk where content_id = $1 and seq = $2', [
    id,
    seq,
  ]);
  return found?.bytes;
}

/** Removes contents that nothing refers to any more; gives those that went. */
export async function dropUnusedContent(db: Db, ids: readonly string[]): Promise<string[]> {
  const dropped = await rows<{ id: string }>(
    db,
    'content.drop',
    'select c.id from unnest($1::uuid[]) as c (id) where drop_unused_content(c.id)',
    [ids],
  );
  return dropped.map((d) => d.id);
}

/** The store of keys that belongs to this database. */
export async function keyStore(db: Db): Promise<string | null> {
  return (
    (await row<{ id: string }>(db, 'content.keyStore', `select value->>'id' as id from setting where name = 'contentKeys'`))?.id ?? null
  );
}

/** Makes a store of keys this database's own, unless it has one; gives the one that it has. */
export async function chooseKeyStore(db: Db, id: string): Promise<string> {
  await run(db, 'content.chooseKeyStore', `insert into setting (name, value) values ('contentKeys', $1) on conflict do nothing`, [
    JSON.stringify({ id }),
  ]);
  return (await keyStore(db))!;
}

export async function nextKeyBlock(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'content.keyBlock', `select nextval('content_key_block') as n`))!.n;
}

/** Keys that are to be destroyed, oldest first. */
export async function keysToErase(db: Db, limit: number): Promise<{ slot: number; content_id: string }[]> {
  return rows(db, 'content.keysToErase', 'select slot, content_id from key_erasure where erased_at is null order by slot limit $1', [
    limit,
  ]);
}

export async function setErased(db: Db, slots: readonly number[]): Promise<number> {
  return run(
    db,
    'content.setErased',
    'update key_erasure set erased_at = repository_now() where slot = any ($1::bigint[]) and erased_at is null',
    [slots],
  );
}

/** How many of these contents had keys that are destroyed, or are to be. */
export async function keysGone(db: Db, contents: readonly string[]): Promise<ReadonlySet<string>> {
  const found = await rows<{ content_id: string }>(
    db,
    'content.keysGone',
    'select content_id from key_erasure where content_id = any ($1::uuid[])',
    [contents],
  );
  return new Set(found.map((f) => f.content_id));
}

/** Sets a content apart; false when it was already. */
export async function setDamaged(db: Db, id: string): Promise<boolean> {
  return (
    (await run(db, 'content.setDamaged', 'update content set damaged_at = repository_now() where id = $1 and damaged_at is null', [id])) > 0
  );
}

export async function mendChunk(db: Db, id: string, seq: number, bytes: Buffer): Promise<void> {
  await run(db, 'content.mendChunk', 'select mend_chunk($1, $2, $3)', [id, seq, bytes]);
}

/** Says that damage is over when every stored byte is what it was; false when it is not. */
export async function endDamage(db: Db, id: string): Promise<boolean> {
  const touched = await run(
    db,
    'content.endDamage',
    // What lies in the object store was compared as it was written.
    `update content set damaged_at = null, checked_at = repository_now()
     where id = $1 and damaged_at is not null and (store = 'objects' or content_tree(id) = tree)`,
    [id],
  );
  return touched > 0;
}

/** Says under which key the chunks of a content lie from now on that lay under none. Only the owner of the database may. */
export async function setKey(db: Db, id: string, slot: number): Promise<void> {
  await run(db, 'content.setKey', 'update content set key_slot = $2 where id = $1', [id, slot]);
}

/** What was recognised in a content, as it is sealed, with where the content’s key is. */
export function recognised(db: Db, id: string) {
  return row<{ words: Buffer; key_slot: number | null }>(
    db,
    'content.recognised',
    'select w.words, c.key_slot from recognised w join content c on c.id = w.content_id where c.id = $1',
    [id],
  );
}

export async function keySlot(db: Db, id: string): Promise<number | null> {
  return (await row<{ key_slot: number | null }>(db, 'content.slot', 'select key_slot from content where id = $1', [id]))?.key_slot ?? null;
}

/** Nothing where the content has gone meanwhile. */
export async function keepRecognised(db: Db, id: string, words: Buffer): Promise<void> {
  await run(
    db,
    'content.keepRecognised',
    `insert into recognised (content_id, words) select id, $2 from content where id = $1
     on conflict (content_id) do update set words = excluded.words`,
    [id, words],
  );
}

/** Contents that came in before contents were encrypted, by id, above one. */
export function plainContents(db: Db, after: string | null, limit: number) {
  return rows<{ id: string; sha256: Buffer; size: number }>(
    db,
    'content.plain',
    `select id, sha256, size from content where key_slot is null and sha256 is not null and damaged_at is null and ($1::uuid is null or id > $1)
     order by id limit $2`,
    [after, limit],
  );
}

/** What has a content, as the ledger names it. */
export async function holdersOf(db: Db, id: string): Promise<{ kind: string; id: string; name: string }[]> {
  return rows(
    db,
    'content.holders',
    `select 'record' as kind, r.id, r.number || ' ' || r.title as name from version v join record r on r.id = v.record_id where v.content_id = $1
     union select 'arrival', a.id, a.file_name from arrival a where a.content_id = $1
     union select 'batch', b.id, b.number from transfer t join batch b on b.id = t.batch_id where t.bag_id = $1 order by 1, 3`,
    [id],
  );
}

/** Locks a content against mending and setting apart. */
export function lockContent(db: Db, id: string) {
  return row<{ id: string; sha256: Buffer; size: number; damaged_at: Date | null }>(
    db,
    'content.lock',
    'select id, sha256, size, damaged_at from content where id = $1 and sha256 is not null for no key update',
    [id],
  );
}

/** False when another app server checks. */
export async function lockChecking(db: Db): Promise<boolean> {
  return (await row<{ mine: boolean }>(db, 'fixity.lock', 'select pg_try_advisory_xact_lock(4246) as mine'))!.mine;
}

const isDue = `sha256 is not null and damaged_at is null and coalesce(checked_at, stored_at) < repository_now() - make_interval(days => $1)`;

/** Contents that were last checked, or stored, more than `days` ago, oldest first. */
export function dueForCheck(db: Db, days: number, limit: number) {
  return rows<{ id: string; sha256: Buffer; size: number; store: 'database' | 'objects'; copied: boolean }>(
    db,
    'fixity.due',
    `select id, sha256, size, store, copied_at is not null as copied from content where ${isDue} order by coalesce(checked_at, stored_at), id limit $2`,
    [days, limit],
  );
}

/** Contents by id, above one. */
export function contentsAfter(db: Db, after: string | null, limit: number) {
  return rows<{ id: string; sha256: Buffer; size: number }>(
    db,
    'content.after',
    'select id, sha256, size from content where sha256 is not null and ($1::uuid is null or id > $1) order by id limit $2',
    [after, limit],
  );
}

/** How many contents are due, up to `most`. */
export async function countDue(db: Db, days: number, most: number): Promise<number> {
  return (await row<{ n: number }>(db, 'fixity.countDue', `select count(*) as n from (select from content where ${isDue} limit $2) d`, [
    days,
    most,
  ]))!.n;
}

export async function setChecked(db: Db, ids: readonly string[]): Promise<void> {
  if (ids.length === 0) return;
  await run(db, 'fixity.setChecked', 'update content set checked_at = repository_now() where id = any ($1::uuid[])', [ids]);
}

export async function oldestCheck(db: Db): Promise<string | null> {
  const found = await row<{ at: string }>(
    db,
    'fixity.oldest',
    `select to_char(coalesce(checked_at, stored_at) at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as at
     from content where sha256 is not null and damaged_at is null order by coalesce(checked_at, stored_at), id limit 1`,
  );
  return found?.at ?? null;
}

export function damagedContents(db: Db, limit: number) {
  return rows<{ id: string; sha256: Buffer; size: number; since: string }>(
    db,
    'fixity.damaged',
    `select id, sha256, size, to_char(damaged_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as since
     from content where damaged_at is not null order by damaged_at, id limit $1`,
    [limit],
  );
}

export async function countDamaged(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'fixity.countDamaged', 'select count(*) as n from content where damaged_at is not null'))!.n;
}

export async function countKeysToErase(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'fixity.keysToErase', 'select count(*) as n from key_erasure where erased_at is null'))!.n;
}

interface Schedule {
  readonly days: number;
  readonly megabytesPerSecond: number;
}

export async function fixitySchedule(db: Db, usual: Schedule): Promise<Schedule> {
  return (await row<{ value: Schedule }>(db, 'fixity.schedule', `select value from setting where name = 'fixity'`))?.value ?? usual;
}

export async function setFixitySchedule(db: Db, { days, megabytesPerSecond }: Schedule): Promise<void> {
  await run(
    db,
    'fixity.setSchedule',
    `insert into setting (name, value) values ('fixity', $1) on conflict (name) do update set value = excluded.value`,
    [JSON.stringify({ days, megabytesPerSecond })],
  );
}

/** Which of these records have a version whose content is damaged. */
export async function damagedAmong(db: Db, records: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(
    db,
    'fixity.damagedAmong',
    `select distinct v.record_id as id from content c join version v on v.content_id = c.id
     where c.damaged_at is not null and v.record_id = any ($1::uuid[])`,
    [records],
  );
  return new Set(found.map((f) => f.id));
}

interface Reconciled {
  readonly on: string;
  readonly contentsOfNothing: number;
  readonly recordsWithout: number;
}

export async function reconciled(db: Db): Promise<Reconciled | null> {
  return (await row<{ value: Reconciled }>(db, 'fixity.reconciled', `select value from setting where name = 'reconciled'`))?.value ?? null;
}

export async function setReconciled(db: Db, found: Reconciled): Promise<void> {
  await run(
    db,
    'fixity.setReconciled',
    `insert into setting (name, value) values ('reconciled', $1) on conflict (name) do update set value = excluded.value`,
    [JSON.stringify(found)],
  );
}

/** Whole contents that no version, arrival or bag has. */
export async function countContentsOfNothing(db: Db): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'fixity.ofNothing',
    `select count(*) as n from content c where c.sha256 is not null and not exists (select from version v where v.content_id = c.id)
       and not exists (select from arrival a where a.content_id = c.id) and not exists (select from transfer t where t.bag_id = c.id)`,
  );
  return found!.n;
}

/** Records that are still there, have had a version, and have none. */
export async function countRecordsWithout(db: Db): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'fixity.without',
    `select count(*) as n from record r
     where r.state <> 'disposed' and r.medium = 'electronic' and r.version_no > 0 and not exists (select from version v where v.record_id = r.id)`,
  );
  return found!.n;
}
