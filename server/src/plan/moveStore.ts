import { liftInto, ownColumns, reanchor, sameOwn } from '../access/index.js';
import { type Db, frozenByHoldSql, row, rows, run } from '../kernel/index.js';
import { type PlaceRow, childrenOf } from './placeStore.js';

export async function writePlace(
  db: Db,
  id: string,
  p: { code: string; title: string; note: string; notHere: string; message: string; openedOn?: string | undefined },
): Promise<number> {
  const found = await row<{ revision: number }>(
    db,
    'place.write',
    `update place set code = $2, title = $3, note = $4, not_here = $5, message = $6, opened_on = coalesce($7::date, opened_on), revision = revision + 1
     where id = $1 returning revision`,
    [id, p.code, p.title, p.note, p.notHere, p.message, p.openedOn ?? null],
  );
  return found!.revision;
}

/** How many records and places in these sets are in a place. */
export async function extentOf(db: Db, id: string, sets: readonly number[]): Promise<{ records: number; places: number }> {
  const found = await row<{ records: number; places: number }>(
    db,
    'place.extent',
    `select (select count(*) from record where places @> array[$1::uuid] and state <> 'disposed' and access_set_id = any ($2::int[]))::int as records,
       (select count(*) from place where ancestors @> array[$1::uuid] and id <> $1 and access_set_id = any ($2::int[]))::int as places`,
    [id, sets],
  );
  return found!;
}

export interface StayingRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  state: string;
  place_id: string;
  series: string;
  access_set_id: number;
  frozen: boolean;
}

/** Declared and frozen records under a place that would leave their series, or with `own` that place. */
export function staying(db: Db, id: string, newSeriesId: string | null, own: boolean) {
  return rows<StayingRow>(
    db,
    'place.staying',
    `select r.id, r.number, r.title, r.state, r.place_id, s.code as series, r.access_set_id, ${frozenByHoldSql()} as frozen
     from record r join place s on s.id = r.series_id
     where r.places @> array[$1::uuid] and r.state <> 'disposed' and (r.state = 'declared' or ${frozenByHoldSql()})
       and (r.series_id is distinct from coalesce($2, r.series_id)
         or ($3 and r.place_id = $1 and (${frozenByHoldSql()} or 'moving' = any (r.frozen))))
     order by r.id`,
    [id, newSeriesId, own],
  );
}

/** Says why declared records go along in this transaction: without it the database keeps them where they are. */
export async function addReorganisation(db: Db, r: { id: string; by: string; reason: string }): Promise<void> {
  await run(db, 'place.reorganise', 'insert into reorganisation (id, made_by, reason) values ($1, $2, $3)', [r.id, r.by, r.reason]);
}

/** Where a place has its access from. */
export async function anchorOf(db: Db, placeId: string): Promise<string> {
  const found = await row<{ anchor_place: string }>(
    db,
    'place.anchor',
    'select s.anchor_place from place p join access_set s on s.id = p.access_set_id where p.id = $1',
    [placeId],
  );
  return found!.anchor_place;
}

/** The way to everything under a place, after its own way has become `path`; records get their new series with it. */
async function rewriteWay(db: Db, id: string, oldLength: number, path: readonly string[], seriesId: string | null): Promise<void> {
  await run(db, 'place.rewriteWay', 'update place set ancestors = $3::uuid[] || ancestors[$2 + 1:] where ancestors @> array[$1::uuid]', [
    id,
    oldLength,
    path,
  ]);
  await run(
    db,
    'record.rewriteWay',
    `update record set places = $3::uuid[] || places[$2 + 1:], series_id = coalesce($4, series_id)
     where places @> array[$1::uuid] and state <> 'disposed'`,
    [id, oldLength, path, seriesId],
  );
}

/** Puts a place, with all that is in it, under another one: its way, its access, and the series of its records. */
export async function moveUnder(db: Db, place: PlaceRow, parent: PlaceRow, seriesId: string | null): Promise<void> {
  const [oldAnchor, newAnchor] = [await anchorOf(db, place.id), await anchorOf(db, parent.id)];
  await run(
    db,
    'place.move',
    `update place set parent_id = $2, position = (select coalesce(max(position), -1) + 1 from place where parent_id = $2), revision = revision + 1 where id = $1`,
    [place.id, parent.id],
  );
  await rewriteWay(db, place.id, place.ancestors.length, [...parent.ancestors, place.id], seriesId);
  // A place with grants of its own, or that stands alone, is its own anchor and stays it.
  if (oldAnchor !== place.id && oldAnchor !== newAnchor) await reanchor(db, place.id, oldAnchor, newAnchor);
  await liftInto(db, parent.id, { placeId: place.id });
}

/** Codes that stand in both places, with the access sets of the two that have each. */
export function clashingCodes(db: Db, a: string, b: string) {
  return rows<{ code: string; sets: number[] }>(
    db,
    'place.clashing',
    `select x.code, array[x.access_set_id, y.access_set_id] as sets from place x join place y on y.parent_id = $2 and y.code = x.code and y.kind = x.kind where x.parent_id = $1 order by x.code`,
    [a, b],
  );
}

export async function eventCount(db: Db, placeId: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'place.eventCount',
    'select count(*)::int as n from event where place_id = $1 and withdrawn_at is null',
    [placeId],
  );
  return found!.n;
}

/** Moves all that is in a place into another, leaves its code behind there, and retires it. */
export async function mergeInto(db: Db, place: PlaceRow, into: PlaceRow, seriesId: string | null, on: string): Promise<void> {
  for (const child of await childrenOf(db, place.id)) await moveUnder(db, child, into, seriesId);
  const [oldAnchor, newAnchor] = [await anchorOf(db, place.id), await anchorOf(db, into.id)];
  if (oldAnchor !== newAnchor) {
    await run(
      db,
      'place.mergeSets',
      `insert into access_set (anchor_place, record_id, marking_level, marking_caveats, tags)
       select distinct $2::uuid, ${ownColumns('s')} from record r join access_set s on s.id = r.access_set_id
       where r.place_id = $1 and s.anchor_place = $3 on conflict do nothing`,
      [place.id, newAnchor, oldAnchor],
    );
  }
  await run(
    db,
    'record.merge',
    `update record r set place_id = $2, places = $3, series_id = coalesce($4, r.series_id),
       access_set_id = coalesce((select n.id from access_set o join access_set n on n.anchor_place = $6 and ${sameOwn('n', 'o')}
         where o.id = r.access_set_id and o.anchor_place = $5), r.access_set_id)
     where r.place_id = $1 and r.state <> 'disposed'`,
    [place.id, into.id, into.ancestors, seriesId, oldAnchor, newAnchor],
  );
  await liftInto(db, into.id, { placeId: into.id });
  await run(
    db,
    'place.mergeCode',
    `insert into former_code (place_id, code, parent_id, until) values ($1, $2, $3, $4)
     on conflict (place_id, code) do update set until = excluded.until`,
    [into.id, place.code, place.parent_id, on],
  );
  await retire(db, place.id, on);
}

export async function reopen(db: Db, id: string): Promise<void> {
  await run(db, 'place.reopen', 'update place set closed_on = null, retired_on = null, revision = revision + 1 where id = $1', [id]);
}

export async function retire(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'place.retire', 'update place set retired_on = $2, revision = revision + 1 where id = $1', [id, on]);
}

/** Puts records into a place: their way, their series, and their access where it came from around them. */
export async function putRecordsIn(db: Db, ids: readonly string[], into: Pick<PlaceRow, 'id' | 'ancestors'>): Promise<void> {
  const anchor = await anchorOf(db, into.id);
  await run(
    db,
    'record.sets',
    `insert into access_set (anchor_place, record_id, marking_level, marking_caveats, tags)
     select distinct $2::uuid, ${ownColumns('s')}
     from record r join access_set s on s.id = r.access_set_id where r.id = any ($1::uuid[]) on conflict do nothing`,
    [ids, anchor],
  );
  await run(
    db,
    'record.putIn',
    `update record r set place_id = $2, places = $3, access_set_id = n.id, revision = r.revision + 1,
       series_id = (select p.id from place p where p.id = any ($3::uuid[]) and p.kind = 'series')
     from record o join access_set s on s.id = o.access_set_id
       join access_set n on n.anchor_place = $4 and ${sameOwn('n', 's')}
     where o.id = r.id and r.id = any ($1::uuid[])`,
    [ids, into.id, into.ancestors, anchor],
  );
  await liftInto(db, into.id, { recordIds: ids });
}
