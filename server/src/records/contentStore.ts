import { row, rows, run, type Db } from '../kernel/index.js';

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
  return row<{ id: string; size: number }>(db, 'content.same', 'select id, size from content where sha256 = $1 for key share', [sha256]);
}

/** Stores what fits one chunk; null when the same bytes are there already. */
export async function addSmall(db: Db, c: { id: string; sha256: Buffer; bytes: Buffer }): Promise<string | null> {
  const stored = await row<{ content_id: string }>(
    db,
    'content.small',
    `with fresh as (
       insert into content (id, sha256, size) values ($1, $2, $3) on conflict (sha256) do nothing returning id)
     insert into content_chunk (content_id, seq, bytes) select id, 0, $4 from fresh returning content_id`,
    [c.id, c.sha256, c.bytes.length, c.bytes],
  );
  return stored?.content_id ?? null;
}

export async function begin(db: Db, id: string): Promise<void> {
  await run(db, 'content.begin', 'insert into content (id) values ($1)', [id]);
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

/** What the chunks of a content must have as fingerprints, in order, and the fingerprint over these; undefined for no content. */
export function fingerprints(db: Db, id: string) {
  return row<{ tree: Buffer; chunks: Buffer[] }>(
    db,
    'content.fingerprints',
    `select c.tree, array(select k.sha256 from content_chunk k where k.content_id = c.id order by k.seq) as chunks
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
