import { type Db, row, rows, run } from '../kernel/index.js';

/** A visitor’s session ends after so many minutes without use, and after so many hours. */
const idleMinutes = 30;
export const longestHours = 12;

export interface PassRow extends Record<string, unknown> {
  id: string;
  visitor: string;
  reason: string;
  made_by: string;
  maker_name: string;
  maker_active: boolean;
  clearance_level: number;
  clearance_caveats: string[];
  access_epoch: number;
  made_at: Date;
  until: string;
  passphrase_hash: string | null;
  openings: number | null;
  opened: number;
  last_opened_at: Date | null;
  copy_out: boolean;
  place_id: string | null;
  revoked_at: Date | null;
  /** Access sets of what it is for. */
  sets: number[];
}

const passColumns = `v.id, v.visitor, v.reason, v.made_by, m.name as maker_name, m.active as maker_active, m.clearance_level, m.clearance_caveats,
  (select value from epoch where name = 'access') as access_epoch, v.made_at, v.until, v.passphrase_hash, v.openings, v.opened, v.last_opened_at,
  v.copy_out, v.place_id, v.revoked_at,
  coalesce((select array_agg(distinct s) from (
    select p.access_set_id as s from place p where p.id = v.place_id
    union all
    select r.access_set_id from visitor_pass_record x join record r on r.id = x.record_id where x.pass_id = v.id) sets), '{}') as sets`;
const passes = `select ${passColumns} from visitor_pass v join principal m on m.id = v.made_by`;

export function passesById(db: Db, ids: readonly string[]) {
  return rows<PassRow>(db, 'pass.byId', `${passes} where v.id = any ($1::uuid[]) order by v.id`, [ids]);
}

export async function lockPasses(db: Db, ids: readonly string[]): Promise<PassRow[]> {
  await run(db, 'pass.lock', 'select from visitor_pass where id = any ($1::uuid[]) order by id for update', [ids]);
  return passesById(db, ids);
}

/** Passes that somebody made, and those to what stands in these access sets alone; the newest first, of very many the first. */
export function passesFor(
  db: Db,
  { madeBy, sets, most }: { readonly madeBy: string; readonly sets: readonly number[]; readonly most: number },
) {
  return rows<PassRow>(
    db,
    'pass.for',
    `select * from (${passes}) v where v.made_by = $1 or (cardinality(v.sets) > 0 and v.sets <@ $2::int[]) order by v.made_at desc, v.id limit $3`,
    [madeBy, sets, most],
  );
}

export function passByToken(db: Db, tokenHash: Buffer) {
  return row<PassRow>(db, 'pass.byToken', `${passes} where v.token_hash = $1`, [tokenHash]);
}

/** The pass of a visitor’s session that goes on. */
export function passOfSession(db: Db, tokenHash: Buffer) {
  return row<PassRow>(
    db,
    'pass.ofSession',
    `${passes} join visitor_session s on s.pass_id = v.id
     where s.token_hash = $1 and s.last_seen_at > now() - make_interval(mins => $2) and s.opened_at > now() - make_interval(hours => $3)`,
    [tokenHash, idleMinutes, longestHours],
  );
}

export async function touchVisit(db: Db, tokenHash: Buffer): Promise<void> {
  await run(
    db,
    'pass.touch',
    `update visitor_session set last_seen_at = now() where token_hash = $1 and last_seen_at < now() - interval '1 minute'`,
    [tokenHash],
  );
}

export async function addPass(
  db: Db,
  p: {
    id: string;
    tokenHash: Buffer;
    visitor: string;
    reason: string;
    madeBy: string;
    until: string;
    passphraseHash: string | null;
    openings: number | null;
    copyOut: boolean;
    placeId: string | null;
    recordIds: readonly string[];
  },
): Promise<void> {
  await run(
    db,
    'pass.add',
    `insert into visitor_pass (id, token_hash, visitor, reason, made_by, until, passphrase_hash, openings, copy_out, place_id)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
    [p.id, p.tokenHash, p.visitor, p.reason, p.madeBy, p.until, p.passphraseHash, p.openings, p.copyOut, p.placeId],
  );
  await run(db, 'pass.addRecords', 'insert into visitor_pass_record (pass_id, record_id) select $1, unnest($2::uuid[])', [
    p.id,
    p.recordIds,
  ]);
}

/** Counts an opening and begins a session. */
export async function countOpening(db: Db, id: string, tokenHash: Buffer, address: string): Promise<void> {
  await run(db, 'pass.open', 'update visitor_pass set opened = opened + 1, last_opened_at = repository_now() where id = $1', [id]);
  await run(db, 'pass.visit', 'insert into visitor_session (token_hash, pass_id, address) values ($1, $2, $3)', [tokenHash, id, address]);
}

export async function revokePass(db: Db, id: string, by: string, reason: string): Promise<void> {
  await run(db, 'pass.revoke', 'update visitor_pass set revoked_at = repository_now(), revoked_by = $2, revoke_reason = $3 where id = $1', [
    id,
    by,
    reason,
  ]);
  await run(db, 'pass.endVisits', 'delete from visitor_session where pass_id = $1', [id]);
}

export interface ShownRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  created_on: string | null;
  access_set_id: number;
  no: number | null;
  content_id: string | null;
  file_name: string | null;
  media_type: string | null;
  size: number | null;
  sha256: Buffer | null;
  total: number;
}

/** Records of a pass with their newest versions, those in these access sets; one of them, or so many from one on. */
export function recordsOf(
  db: Db,
  pass: Pick<PassRow, 'id' | 'place_id'>,
  sets: readonly number[],
  { recordId = null, from = 0, limit = 1 }: { recordId?: string | null; from?: number; limit?: number },
) {
  return rows<ShownRow>(
    db,
    pass.place_id === null ? 'pass.records' : 'pass.recordsInside',
    `select r.id, r.number, r.title, r.created_on, r.access_set_id, v.no, v.content_id, v.file_name, v.media_type, c.size, c.sha256,
            count(*) over ()::int as total
     from record r
     left join lateral (select * from version v where v.record_id = r.id order by v.no desc limit 1) v on true
     left join content c on c.id = v.content_id
     where ${
       pass.place_id === null
         ? 'r.id in (select record_id from visitor_pass_record where pass_id = $1)'
         : 'r.places @> array[(select place_id from visitor_pass where id = $1)]'
     }
       and r.state <> 'disposed' and r.access_set_id = any ($2::int[]) and ($3::uuid is null or r.id = $3)
     order by r.number, r.id offset $4 limit $5`,
    [pass.id, sets, recordId, from, limit],
  );
}

/** What passes are for, in words: the place, and records that were named. */
export function targetsOf(db: Db, ids: readonly string[]) {
  return rows<{
    pass_id: string;
    id: string;
    kind: 'repository' | 'function' | 'activity' | 'series' | 'folder' | 'record';
    code: string;
    title: string;
    access_set_id: number;
  }>(
    db,
    'pass.targets',
    `select v.id as pass_id, p.id, p.kind, p.code, p.title, p.access_set_id from visitor_pass v join place p on p.id = v.place_id where v.id = any ($1::uuid[])
     union all
     select x.pass_id, r.id, 'record', r.number, r.title, r.access_set_id from visitor_pass_record x join record r on r.id = x.record_id where x.pass_id = any ($1::uuid[])
     order by 4`,
    [ids],
  );
}
