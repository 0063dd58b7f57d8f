import { type Db, row, rows, run } from '../kernel/index.js';

export type RaiseState = 'open' | 'approved' | 'refused' | 'withdrawn';

export interface RaiseRow extends Record<string, unknown> {
  id: string;
  asker_id: string;
  asker: string;
  place_id: string;
  place_kind: 'repository' | 'function' | 'activity' | 'series' | 'folder';
  place_code: string;
  place_title: string;
  access_set_id: number;
  profile: string;
  until: string;
  reason: string;
  asked_at: Date;
  state: RaiseState;
  decided_by: string | null;
  decided_at: Date | null;
  note: string;
}

const lines = `select r.id, r.asker_id, a.name as asker, r.place_id, p.kind as place_kind, p.code as place_code, p.title as place_title, p.access_set_id,
  r.profile, r.until, r.reason, r.asked_at, r.state, (select d.name from principal d where d.id = r.decided_by) as decided_by, r.decided_at, r.note
  from raise r join principal a on a.id = r.asker_id join place p on p.id = r.place_id`;

export function raisesById(db: Db, ids: readonly string[]) {
  return rows<RaiseRow>(db, 'raise.byId', `${lines} where r.id = any ($1::uuid[]) order by r.id`, [ids]);
}

/** The same with the requests locked. */
export async function lockRaises(db: Db, ids: readonly string[]): Promise<RaiseRow[]> {
  await run(db, 'raise.lock', 'select from raise where id = any ($1::uuid[]) order by id for update', [ids]);
  return raisesById(db, ids);
}

/** Somebody's own, newest first. */
export function raisesOf(db: Db, askerId: string, limit: number) {
  return rows<RaiseRow>(db, 'raise.of', `${lines} where r.asker_id = $1 order by r.asked_at desc, r.id limit $2`, [askerId, limit]);
}

/** Those of others at places in these access sets: what is open first, then what was decided last. */
export function raisesIn(db: Db, sets: readonly number[], but: string, limit: number) {
  return rows<RaiseRow>(
    db,
    'raise.in',
    `${lines} where p.access_set_id = any ($1::int[]) and r.asker_id <> $2 and a.active
     order by r.state <> 'open', coalesce(r.decided_at, r.asked_at) desc, r.id limit $3`,
    [sets, but, limit],
  );
}

/** How many wait for an answer at places in these access sets, and since when. */
export async function raisesWaiting(
  db: Db,
  { sets, but, today }: { readonly sets: readonly number[]; readonly but: string; readonly today: string },
): Promise<{ readonly n: number; readonly since: string | null }> {
  return (await row<{ n: number; since: string | null }>(
    db,
    'raise.waiting',
    `select count(*)::int as n, min(repository_date(r.asked_at))::text as since
     from raise r join place p on p.id = r.place_id join principal a on a.id = r.asker_id and a.active
     where r.state = 'open' and r.until >= $3 and p.access_set_id = any ($1::int[]) and r.asker_id <> $2`,
    [sets, but, today],
  ))!;
}

/** Adds a request; false where the same waits for an answer already. */
export async function addRaise(
  db: Db,
  r: { id: string; askerId: string; placeId: string; profile: string; until: string; reason: string },
): Promise<boolean> {
  const added = await run(
    db,
    'raise.add',
    'insert into raise (id, asker_id, place_id, profile, until, reason) values ($1, $2, $3, $4, $5, $6) on conflict do nothing',
    [r.id, r.askerId, r.placeId, r.profile, r.until, r.reason],
  );
  return added > 0;
}

export async function decideRaise(
  db: Db,
  r: { id: string; state: RaiseState; until: string; by: string; at: string; note: string },
): Promise<void> {
  await run(db, 'raise.decide', 'update raise set state = $2, until = $3, decided_by = $4, decided_at = $5, note = $6 where id = $1', [
    r.id,
    r.state,
    r.until,
    r.by,
    r.at,
    r.note,
  ]);
}
