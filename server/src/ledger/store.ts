import { type Db, dynamicRows, row, rows, run } from '../kernel/index.js';
import type { TimeStamp } from './timeStamp.js';

/** Hashes that a seal adds, grouped by the tile they go to. */
export interface TileAddition {
  readonly level: number;
  readonly idx: number;
  readonly hashes: Buffer[];
  readonly entries: number[];
}

export async function tileHashes(db: Db, level: number, idx: number): Promise<Buffer> {
  const found = await row<{ hashes: Buffer }>(db, 'tile.hashes', 'select hashes from ledger_tile where level = $1 and idx = $2', [
    level,
    idx,
  ]);
  return found?.hashes ?? Buffer.alloc(0);
}

export interface SealState {
  size: number;
  floor: number;
  next_floor: number;
  /** Whether everything that was in flight when next_floor was taken down has ended. */
  settled: boolean;
}

/** Locks and reads the sealer's state; waits while another thread or app server seals. */
export async function lockSealState(db: Db): Promise<SealState> {
  const found = await row<SealState & Record<string, unknown>>(
    db,
    'seal.lock',
    `select size, floor, next_floor, pg_snapshot_xmin(pg_current_snapshot()) >= next_floor_at as settled
     from seal_state for update`,
  );
  return found!;
}

export async function writeSealState(db: Db, state: { size: number; floor: number; nextFloor: number }): Promise<void> {
  await run(
    db,
    'seal.write',
    `update seal_state set size = $1, floor = $2, next_floor = $3, next_floor_at = pg_snapshot_xmax(pg_current_snapshot())`,
    [state.size, state.floor, state.nextFloor],
  );
}

/** Entries above the floor that no tile names yet, in order. */
export async function unsealed(db: Db, floor: number, limit: number): Promise<{ seq: number; body: string }[]> {
  const named = await rows<{ seq: number }>(
    db,
    'seal.named',
    'select u.seq from ledger_tile t, unnest(t.entries) as u (seq) where t.level = 0 and t.last_seq > $1 and u.seq > $1',
    [floor],
  );
  const sealed = new Set(named.map((n) => n.seq));
  const above = await rows<{ seq: number }>(db, 'seal.above', 'select seq from ledger_entry where seq > $1 order by seq limit $2', [
    floor,
    limit + sealed.size,
  ]);
  const open = above.filter(({ seq }) => !sealed.has(seq)).slice(0, limit);
  if (open.length === 0) return [];
  // Only now the bodies: while a long transaction keeps the floor down, what is sealed above it is not read again.
  const bodies = await rows<{ seq: number; body: string }>(
    db,
    'seal.bodies',
    'select seq, body from ledger_entry where seq between $1 and $2 order by seq',
    [open[0]!.seq, open.at(-1)!.seq],
  );
  return bodies.filter(({ seq }) => !sealed.has(seq));
}

export async function addToTiles(db: Db, additions: readonly TileAddition[]): Promise<void> {
  const least = (tile: TileAddition) => (tile.level === 0 ? tile.entries.reduce((a, b) => Math.min(a, b)) : null);
  const greatest = (tile: TileAddition) => (tile.level === 0 ? tile.entries.reduce((a, b) => Math.max(a, b)) : null);
  await run(
    db,
    'tile.addAll',
    // Arrays of arrays must be rectangular in SQL, and the tiles are not: so their entries come as text.
    `insert into ledger_tile as t (level, idx, hashes, entries, first_seq, last_seq)
     select level, idx, hashes, entries::bigint[], first_seq, last_seq
     from unnest($1::int[], $2::bigint[], $3::bytea[], $4::text[], $5::bigint[], $6::bigint[]) as a (level, idx, hashes, entries, first_seq, last_seq)
     on conflict (level, idx) do update set hashes = t.hashes || excluded.hashes, entries = t.entries || excluded.entries,
       first_seq = least(t.first_seq, excluded.first_seq), last_seq = greatest(t.last_seq, excluded.last_seq)`,
    [
      additions.map((t) => t.level),
      additions.map((t) => t.idx),
      additions.map((t) => Buffer.concat(t.hashes)),
      additions.map((t) => (t.level === 0 ? `{${t.entries.join(',')}}` : null)),
      additions.map(least),
      additions.map(greatest),
    ],
  );
}

export interface HeadRow extends Record<string, unknown> {
  size: number;
  root: Buffer;
  signed_at: Date;
  signed_text: string;
  key_id: string;
  signature: Buffer;
  stamp: Buffer | null;
  stamp_text: string | null;
  stamp_authority: string | null;
  /** The checkpoint with the signatures of log and witness (C2SP signed-note); null until it was cosigned. */
  note: string | null;
  witness: string | null;
  witness_text: string | null;
}

const heads_ = `select h.size, h.root, h.signed_at, to_char(h.signed_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as signed_text,
    h.key_id, h.signature, s.token as stamp, to_char(s.stamped_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as stamp_text,
    s.authority as stamp_authority, w.note, w.witness, to_char(w.witnessed_at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as witness_text
  from tree_head h left join head_stamp s on s.size = h.size left join head_witness w on w.size = h.size`;

export async function addStamp(db: Db, size: number, stamp: TimeStamp): Promise<void> {
  await run(db, 'stamp.add', 'insert into head_stamp (size, token, stamped_at, authority) values ($1, $2, $3, $4) on conflict do nothing', [
    size,
    stamp.token,
    stamp.at.toISOString(),
    stamp.authority,
  ]);
}

/** The repository's instant, to the millisecond, as it is signed. */
export async function nowText(db: Db): Promise<string> {
  const found = await row<{ at: string }>(
    db,
    'head.now',
    `select to_char(repository_now() at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at`,
  );
  return found!.at;
}

export async function addHead(
  db: Db,
  head: { size: number; root: Uint8Array; signedAt: string; keyId: string; signature: Uint8Array },
): Promise<void> {
  await run(
    db,
    'head.add',
    'insert into tree_head (size, root, signed_at, key_id, signature) values ($1, $2, $3, $4, $5) on conflict do nothing',
    [head.size, Buffer.from(head.root), head.signedAt, head.keyId, Buffer.from(head.signature)],
  );
}

export async function addWitness(db: Db, given: { size: number; note: string; witness: string; at: Date }): Promise<void> {
  await run(
    db,
    'witness.add',
    'insert into head_witness (size, note, witness, witnessed_at) values ($1, $2, $3, $4) on conflict do nothing',
    [given.size, given.note, given.witness, given.at.toISOString()],
  );
}

/** Held until the transaction ends, by whoever asks the witness. */
export async function lockWitness(db: Db): Promise<void> {
  await rows(db, 'witness.lock', 'select pg_advisory_xact_lock(4243)');
}

export function newestHead(db: Db) {
  return row<HeadRow>(db, 'head.newest', `${heads_} order by h.size desc limit 1`);
}

export function headOf(db: Db, size: number) {
  return row<HeadRow>(db, 'head.of', `${heads_} where h.size = $1`, [size]);
}

/** The newest head that the witness cosigned. */
export function newestFinal(db: Db) {
  return row<HeadRow>(db, 'head.final', `${heads_} where h.size = (select max(size) from head_witness)`);
}

export async function newestWitnessed(db: Db): Promise<number | null> {
  return (await row<{ size: number | null }>(db, 'witness.newest', 'select max(size) as size from head_witness'))!.size;
}

export async function noteOf(db: Db, size: number): Promise<string | null> {
  return (await row<{ note: string }>(db, 'witness.note', 'select note from head_witness where size = $1', [size]))?.note ?? null;
}

/** Newest first. */
export function heads(db: Db, limit: number) {
  return rows<HeadRow>(db, 'head.list', `${heads_} order by h.size desc limit $1`, [limit]);
}

/** Heads larger than `after`, smallest first. */
export function headsAfter(db: Db, after: number, limit: number) {
  return rows<HeadRow>(db, 'head.after', `${heads_} where h.size > $1 order by h.size limit $2`, [after, limit]);
}

export interface KeyRow extends Record<string, unknown> {
  id: string;
  public_key: string;
  succeeds: string | null;
  handover: Buffer | null;
}

/** The keys in the order in which they took over. */
export function keyLine(db: Db) {
  return rows<KeyRow>(
    db,
    'key.line',
    `with recursive line as (
       select k.*, 0 as n from signing_key k where succeeds is null
       union all select k.*, line.n + 1 from line join signing_key k on k.succeeds = line.id)
     select id, public_key, succeeds, handover from line order by n`,
  );
}

/** The key that nobody has taken over from. */
export function newestKey(db: Db) {
  return row<{ id: string; public_key: string }>(
    db,
    'key.newest',
    'select id, public_key from signing_key k where not exists (select from signing_key n where n.succeeds = k.id)',
  );
}

export async function countKeys(db: Db): Promise<number> {
  return (await row<{ n: number }>(db, 'key.count', 'select count(*) as n from signing_key'))!.n;
}

export async function addKey(
  db: Db,
  key: { id: string; publicKey: string; succeeds: string | null; handover: Buffer | null },
): Promise<void> {
  await run(db, 'key.add', 'insert into signing_key (id, public_key, succeeds, handover) values ($1, $2, $3, $4)', [
    key.id,
    key.publicKey,
    key.succeeds,
    key.handover,
  ]);
}

/** Entries above the sealer's floor that no tile names. */
const open = `select e.seq, e.at from ledger_entry e, seal_state s where e.seq > s.floor and e.seq not in
  (select u.seq from seal_state s2 join ledger_tile t on t.level = 0 and t.last_seq > s2.floor, unnest(t.entries) as u (seq))`;

/** How many entries are not sealed, and since when the oldest of them waits. */
export async function unsealedNow(db: Db): Promise<{ n: number; since: string | null; seconds: number }> {
  const found = await row<{ n: number; since: string | null; seconds: number }>(
    db,
    'seal.countOpen',
    `select count(*) as n, to_char(min(at) at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS"Z"') as since,
       coalesce(extract(epoch from repository_now() - min(at)), 0)::float8 as seconds from (${open}) o`,
  );
  return found!;
}

/** How many entries wait for longer than a minute to be sealed, and the first of them. */
export function oldUnsealed(db: Db) {
  return row<{ seq: number; n: number }>(
    db,
    'seal.oldOpen',
    `select min(seq) as seq, count(*) as n from (${open}) o where at < repository_now() - interval '1 minute' having count(*) > 0`,
  );
}

/** Everything up to this number is settled: sealed, or never was. */
export async function sealFloor(db: Db): Promise<number> {
  return (await row<{ floor: number }>(db, 'seal.floor', 'select floor from seal_state'))!.floor;
}

export async function newestStamped(db: Db): Promise<number | null> {
  return (await row<{ size: number | null }>(db, 'stamp.newest', 'select max(size) as size from head_stamp'))!.size;
}

/** The newest entry about a verification. */
export function lastVerified(db: Db) {
  return row<{ body: string }>(
    db,
    'ledger.lastVerified',
    `select body from ledger_entry where act = 'verified the ledger' order by seq desc limit 1`,
  );
}

export interface EntryRow extends Record<string, unknown> {
  seq: number;
  body: string;
  at: Date;
  at_text: string;
  act: string;
  actor_id: string | null;
  subject_kind: string;
  subject_id: string | null;
}
const atText = `to_char(at at time zone 'utc', 'YYYY-MM-DD"T"HH24:MI:SS.US"Z"') as at_text`;

export interface EntryFilter {
  readonly from?: string | undefined;
  readonly until?: string | undefined;
  readonly actor?: string | undefined;
  readonly act?: string | undefined;
  readonly subject?: string | undefined;
  readonly subjectKind?: string | undefined;
}

/** The conditions of a filter on entries `e`. Days are days of the repository's zone. */
function conditions(filter: EntryFilter, timeZone: string, bind: (value: unknown) => string): string[] {
  const where: string[] = [];
  if (filter.from) where.push(`e.at >= (${bind(filter.from)}::date)::timestamp at time zone ${bind(timeZone)}`);
  if (filter.until) where.push(`e.at < (${bind(filter.until)}::date + 1)::timestamp at time zone ${bind(timeZone)}`);
  if (filter.actor) where.push(`e.actor_id = ${bind(filter.actor)}`);
  if (filter.act) where.push(`e.act = ${bind(filter.act)}`);
  if (filter.subject) where.push(`e.subject_id = ${bind(filter.subject)}`);
  if (filter.subjectKind) where.push(`e.subject_kind = ${bind(filter.subjectKind)}`);
  return where;
}

function binding(): { values: unknown[]; bind: (value: unknown) => string } {
  const values: unknown[] = [];
  return { values, bind: (value) => `$${values.push(value)}` };
}

/** A part of the trail by the numbers of entries, ends excluded. */
export interface EntryPart {
  readonly before?: number | undefined;
  readonly after?: number | undefined;
  /** Without what the program did by itself. */
  readonly byPeople?: boolean;
}

const within = ({ before, after }: EntryPart, bind: (value: unknown) => string): string[] => [
  ...(before === undefined ? [] : [`e.seq < ${bind(before)}`]),
  ...(after === undefined ? [] : [`e.seq > ${bind(after)}`]),
];

/**
 * What the program did by itself in a part, by the gap between the entries `between` (ascending) in which it lies: 0 is below the first.
 * At most `most` entries, the newest ones, are counted.
 */
export function foldedEntries(
  db: Db,
  filter: EntryFilter,
  timeZone: string,
  part: EntryPart,
  between: readonly number[],
  { most, few }: { readonly most: number; readonly few: number },
) {
  const { values, bind } = binding();
  const where = ['e.actor_id is null', ...conditions(filter, timeZone, bind), ...within(part, bind)];
  return dynamicRows<{ gap: number; act: string; n: number; newest: number; oldest: number; first: number[] }>(
    db,
    `select width_bucket(seq, ${bind(between)}::bigint[]) as gap, act, count(*)::int as n, max(seq) as newest, min(seq) as oldest,
       (array_agg(seq))[1:${bind(few)}] as first
     from (select e.seq, e.act from ledger_entry e where ${where.join(' and ')} order by e.seq desc limit ${bind(most)}) e
     group by 1, 2 order by 1 desc, 3 desc`,
    values,
  );
}

/** Entries by filter, newest first, within a part. */
export function entries(db: Db, filter: EntryFilter, timeZone: string, part: EntryPart, limit: number) {
  const { values, bind } = binding();
  const where = ['true', ...conditions(filter, timeZone, bind), ...within(part, bind)];
  if (part.byPeople) where.push('e.actor_id is not null');
  return dynamicRows<EntryRow>(
    db,
    `select seq, body, at, ${atText}, act, actor_id, subject_kind, subject_id from ledger_entry e where ${where.join(' and ')} order by seq desc limit ${bind(limit)}`,
    values,
  );
}

/** The newest entries of several acts, at most `ofEach` of each. */
export const newestOfActs = (db: Db, acts: readonly string[], ofEach: number, most: number): Promise<EntryRow[]> =>
  rows<EntryRow>(
    db,
    'ledger.newestOfActs',
    `select e.* from unnest($1::text[]) as a (name) cross join lateral (
       select seq, body, at, ${atText}, act, actor_id, subject_kind, subject_id from ledger_entry where act = a.name order by seq desc limit $2) e
     order by e.seq desc limit $3`,
    [acts, ofEach, most],
  );

/** These entries, newest first. */
export const entriesAt = (db: Db, seqs: readonly number[]): Promise<EntryRow[]> =>
  rows<EntryRow>(
    db,
    'ledger.entriesAt',
    `select seq, body, at, ${atText}, act, actor_id, subject_kind, subject_id from ledger_entry e where seq = any($1) order by seq desc`,
    [seqs],
  );

/** Tiles in which an entry of the filter is, in order. */
export async function tilesWith(db: Db, filter: EntryFilter, timeZone: string): Promise<number[]> {
  const { values, bind } = binding();
  const where = ['true', ...conditions(filter, timeZone, bind)].join(' and ');
  const found = await dynamicRows<{ idx: number }>(
    db,
    `select distinct t.idx from (select e.seq from ledger_entry e where ${where}) e
     join ledger_tile t on t.level = 0 and int8range(t.first_seq, t.last_seq, '[]') @> e.seq and e.seq = any (t.entries) order by 1`,
    values,
  );
  return found.map((f) => f.idx);
}

/** Entries of the filter in these tiles, in the order of the tree. */
export function entriesInTiles(db: Db, tiles: readonly number[], filter: EntryFilter, timeZone: string) {
  const { values, bind } = binding();
  const where = [`t.level = 0 and t.idx = any (${bind(tiles)}::bigint[])`, ...conditions(filter, timeZone, bind)].join(' and ');
  return dynamicRows<{ leaf: number; body: string }>(
    db,
    `select t.idx * 256 + u.no - 1 as leaf, e.body
     from ledger_tile t cross join unnest(t.entries) with ordinality as u (seq, no) join ledger_entry e on e.seq = u.seq
     where ${where} order by 1`,
    values,
  );
}

/** Leaf positions of entries; those not sealed yet are left out. */
export async function leavesOf(db: Db, seqs: readonly number[]): Promise<Map<number, number>> {
  if (seqs.length === 0) return new Map();
  const found = await rows<{ seq: number; leaf: number }>(
    db,
    'tile.leaves',
    `select s.seq, t.idx * 256 + array_position(t.entries, s.seq) - 1 as leaf
     from unnest($1::bigint[]) as s (seq)
     join ledger_tile t on t.level = 0 and int8range(t.first_seq, t.last_seq, '[]') @> s.seq and s.seq = any (t.entries)`,
    [seqs],
  );
  return new Map(found.map((f) => [f.seq, f.leaf]));
}

/** Tiles of level 0 from `idx` on, with the entries that they name. */
export async function leafTiles(db: Db, idx: number, count: number) {
  return rows<{ idx: number; hashes: Buffer; entries: number[] }>(
    db,
    'tile.leafTiles',
    'select idx, hashes, entries from ledger_tile where level = 0 and idx >= $1 order by idx limit $2',
    [idx, count],
  );
}

export async function entriesBySeq(db: Db, seqs: readonly number[]): Promise<Map<number, EntryRow>> {
  const found = await rows<EntryRow>(
    db,
    'ledger.bySeq',
    `select seq, body, at, ${atText}, act, actor_id, subject_kind, subject_id from ledger_entry where seq = any ($1::bigint[])`,
    [seqs],
  );
  return new Map(found.map((e) => [e.seq, e]));
}

/** Tiles above the leaves. */
export function upperTiles(db: Db) {
  return rows<{ level: number; idx: number; hashes: Buffer }>(
    db,
    'tile.upper',
    'select level, idx, hashes from ledger_tile where level > 0 order by level, idx',
  );
}

export async function entriesUpTo(db: Db, seq: number): Promise<number> {
  return (await row<{ n: number }>(db, 'ledger.upTo', 'select count(*) as n from ledger_entry where seq <= $1', [seq]))!.n;
}

/** Numbers of entries from `after` on, in order. */
export function seqsAfter(db: Db, after: number, limit: number) {
  return rows<{ seq: number }>(db, 'ledger.seqsAfter', 'select seq from ledger_entry where seq > $1 order by seq limit $2', [after, limit]);
}

export async function sealedSize(db: Db): Promise<number> {
  return (await row<{ size: number }>(db, 'seal.sealed', 'select size from seal_state'))!.size;
}

/** The access sets that things stand in which entries are on: a record or place its own, what reaches over several those of all of them. */
export async function setsOfSubjects(db: Db, ids: readonly string[]): Promise<ReadonlyMap<string, readonly number[]>> {
  const found = await rows<{ id: string; sets: number[] }>(
    db,
    'ledger.setsOfSubjects',
    `select s.id, array_agg(distinct s.access_set_id) as sets from (
       select id, access_set_id from record where id = any ($1::uuid[])
       union all select id, access_set_id from place where id = any ($1)
       union all select c.hold_id, r.access_set_id from hold_cover c join record r on r.id = c.record_id where c.hold_id = any ($1)
       union all select i.batch_id, r.access_set_id from batch_item i join record r on r.id = i.record_id where i.batch_id = any ($1)
       union all select a.id, p.access_set_id from arrival a join place p on p.id = a.place_id where a.id = any ($1)
       union all select v.pass_id, r.access_set_id from visitor_pass_record v join record r on r.id = v.record_id where v.pass_id = any ($1)
       union all select v.id, p.access_set_id from visitor_pass v join place p on p.id = v.place_id where v.id = any ($1)
     ) s group by s.id`,
    [[...new Set(ids)]],
  );
  return new Map(found.map((f) => [f.id, f.sets]));
}
