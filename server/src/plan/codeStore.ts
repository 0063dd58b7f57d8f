import { type Db, row, rows, run } from '../kernel/index.js';
import type { PlaceRow } from './placeStore.js';

/** Whether a code is one of another place: of any for plan nodes, of a sibling for folders. */
export async function codeTaken(db: Db, code: string, kind: string, parentId: string, except: string | null = null): Promise<boolean> {
  const found = await row(
    db,
    'place.codeTaken',
    `select from place where code = $1 and id is distinct from $4
       and case when $2 = 'folder' then kind = 'folder' and parent_id = $3 else kind <> 'folder' end`,
    [code, kind, parentId, except],
  );
  return found !== undefined;
}

/** Codes that were ever given to places of a kind: of siblings for folders. */
export function codesGiven(db: Db, kind: string, parentId: string) {
  return rows<{ code: string }>(
    db,
    'place.codesGiven',
    `select code from place where case when $1 = 'folder' then kind = 'folder' and parent_id = $2 else kind <> 'folder' end
     union select f.code from former_code f join place p on p.id = f.place_id
     where case when $1 = 'folder' then p.kind = 'folder' and f.parent_id = $2 else p.kind <> 'folder' end`,
    [kind, parentId],
  );
}

const [foundingKey, codesKey, planKey] = [4244, 4246, 4247];

export async function lockFounding(db: Db): Promise<void> {
  await run(db, 'place.lockFounding', `select pg_advisory_xact_lock(${foundingKey})`, []);
}

export async function lockCodes(db: Db): Promise<void> {
  await run(db, 'place.lockCodes', `select pg_advisory_xact_lock(${codesKey})`, []);
}

export async function lockPlan(db: Db): Promise<void> {
  await run(db, 'place.lockPlan', `select pg_advisory_xact_lock(${planKey})`, []);
}

export async function keepFormerCode(db: Db, place: PlaceRow, until: string): Promise<void> {
  await run(
    db,
    'place.keepFormerCode',
    `insert into former_code (place_id, code, parent_id, until) values ($1, $2, $3, $4)
     on conflict (place_id, code) do update set parent_id = excluded.parent_id, until = excluded.until`,
    [place.id, place.code, place.parent_id, until],
  );
}

export async function dropFormerCode(db: Db, placeId: string, code: string): Promise<void> {
  await run(db, 'place.dropFormerCode', 'delete from former_code where place_id = $1 and code = $2', [placeId, code]);
}

export function formerCodes(db: Db, placeId: string) {
  return rows<{ code: string; until: string }>(
    db,
    'place.formerCodes',
    `select f.code, f.until from former_code f join place p on p.id = f.place_id where f.place_id = $1 and f.code <> p.code order by f.until desc`,
    [placeId],
  );
}

/** Places that had a code, of any plan nodes, or of folders beside; not the one that is asked for. Whoever had it last comes first. */
export function formerHolders(
  db: Db,
  { code, kind, parentId, placeId }: { readonly code: string; readonly kind: string; readonly parentId: string; readonly placeId?: string },
) {
  return rows<{ code: string; title: string; until: string; access_set_id: number }>(
    db,
    'place.formerHolders',
    `select p.code, p.title, f.until, p.access_set_id from former_code f join place p on p.id = f.place_id
     where f.code = $1 and p.id is distinct from $4
       and case when $2 = 'folder' then p.kind = 'folder' and f.parent_id = $3 else p.kind <> 'folder' end
     order by f.until desc, p.code limit 5`,
    [code, kind, parentId, placeId ?? null],
  );
}

/** Places that had one of these codes before, and have another now; whoever had it last comes first. */
export function formerHoldersOf(db: Db, codes: readonly string[]) {
  return rows<{
    held: string;
    around: string;
    id: string;
    kind: string;
    code: string;
    title: string;
    until: string;
    access_set_id: number;
  }>(
    db,
    'place.formerHoldersOf',
    `select f.code as held, f.parent_id as around, p.id, p.kind, p.code, p.title, f.until, p.access_set_id
     from former_code f join place p on p.id = f.place_id where f.code = any ($1) order by f.until desc, p.code`,
    [codes],
  );
}

/** Places with a code now or before, those that have it now and stand first. A folder is named with its way too, as it is or was. */
export function placesWithCode(db: Db, code: string, sets: readonly number[]) {
  return rows<{ id: string; code: string; title: string; former: boolean }>(
    db,
    'place.withCode',
    `with way as (select id, (select string_agg(a.code, '/' order by array_position(p.ancestors, a.id)) from place a
         where a.id = any (p.ancestors) and a.kind in ('series', 'folder')) as code
       from place p where $1 like '%/%' and kind in ('series', 'folder'))
     select p.id, p.code, p.title, false as former, p.retired_on is not null as gone from place p
     where p.access_set_id = any ($2::int[]) and (p.code = $1 or (p.kind = 'folder' and exists (select from way w where w.id = p.id and w.code = $1)))
     union all
     select p.id, p.code, p.title, true, p.retired_on is not null from former_code f join place p on p.id = f.place_id
     where p.access_set_id = any ($2::int[])
       and (f.code = $1 or exists (select from way w where w.id = f.parent_id and w.code || '/' || f.code = $1))
     order by gone, former, code limit 20`,
    [code, sets],
  );
}
