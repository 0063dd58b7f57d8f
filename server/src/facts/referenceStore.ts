import { type Db, rows, run } from '../kernel/index.js';

/** One record that a fact points at. */
export interface Reference {
  readonly fact: string;
  readonly targetId: string;
  /** The fact says that the record that points takes its place. */
  readonly replaces: boolean;
}

export function openReferences(db: Db, referrerId: string) {
  return rows<{ target_id: string; fact: string; replaces: boolean }>(
    db,
    'reference.open',
    'select target_id, fact, replaces from record_reference where referrer_id = $1 and until is null',
    [referrerId],
  );
}

/** Notes what a record points at from a day on. One that was taken back and is said again on the same day goes on. */
export async function addReferences(db: Db, referrerId: string, references: readonly Reference[], on: string): Promise<void> {
  await run(
    db,
    'reference.add',
    `insert into record_reference (referrer_id, target_id, fact, replaces, since)
     select $1, r.target_id, r.fact, r.replaces, case when exists (select from record_reference o
         where o.target_id = r.target_id and o.fact = r.fact and o.referrer_id = $1 and o.since = $5::date) then $5::date + 1 else $5::date end
     from unnest($2::uuid[], $3::text[], $4::boolean[]) as r (target_id, fact, replaces)`,
    [referrerId, references.map((r) => r.targetId), references.map((r) => r.fact), references.map((r) => r.replaces), on],
  );
}

/** Ends references of a record that points elsewhere now. */
export async function endReferences(db: Db, referrerId: string, references: readonly Reference[], on: string): Promise<void> {
  await run(
    db,
    'reference.end',
    `update record_reference x set until = greatest($4::date, x.since), ended = 'changed'
     from unnest($2::uuid[], $3::text[]) as r (target_id, fact)
     where x.referrer_id = $1 and x.target_id = r.target_id and x.fact = r.fact and x.until is null`,
    [referrerId, references.map((r) => r.targetId), references.map((r) => r.fact), on],
  );
}

/** Ends all references of records that are gone; gives what they pointed at. */
export async function endReferencesOf(db: Db, referrerIds: readonly string[], on: string): Promise<string[]> {
  const ended = await rows<{ target_id: string }>(
    db,
    'reference.endOf',
    `update record_reference set until = greatest($2::date, since), ended = 'gone'
     where referrer_id = any ($1::uuid[]) and until is null returning target_id`,
    [referrerIds, on],
  );
  return [...new Set(ended.map((e) => e.target_id))];
}

/**
 * Says anew since when records are superseded: since their newest version, or since what takes their place was filed. What took
 * it by mistake, and points elsewhere now, does not count; what did and is gone does.
 */
export async function noteSuperseded(db: Db, targetIds: readonly string[]): Promise<void> {
  await run(
    db,
    'reference.superseded',
    `update record r set superseded_on = s.on_
     from (select t.id, greatest(case when t.version_no > 1 then t.modified_on end,
         (select max(x.since) from record_reference x where x.target_id = t.id and x.replaces and x.ended is distinct from 'changed')) as on_
       from record t where t.id = any ($1::uuid[])) s
     where r.id = s.id and r.state <> 'disposed' and r.superseded_on is distinct from s.on_`,
    [targetIds],
  );
}
