import { type Db, row, rows, run } from '../kernel/index.js';
import type { NamedPlace } from './areaStore.js';

export interface AccessTagRow extends Record<string, unknown> {
  id: string;
  name: string;
  note: string;
  active: boolean;
  revision: number;
}

const columns = 'id, name, note, active, revision';

export const tagsById = (db: Db, ids: readonly string[]) =>
  rows<AccessTagRow>(db, 'tag.byId', `select ${columns} from access_tag where id = any ($1::uuid[]) order by id`, [ids]);

/** Keeps tags as they are, and what is given by them, until the transaction ends; whoever gives by one, or changes it, waits. */
export async function shareTags(db: Db, ids: readonly string[]): Promise<AccessTagRow[]> {
  await run(db, 'tag.share', 'select from access_tag where id = any ($1::uuid[]) order by id for share', [ids]);
  return tagsById(db, ids);
}

/** Tags with their rows locked. */
export async function lockTags(db: Db, ids: readonly string[]): Promise<AccessTagRow[]> {
  await run(db, 'tag.lock', 'select from access_tag where id = any ($1::uuid[]) order by id for update', [ids]);
  return tagsById(db, ids);
}

export interface CountedTagRow extends AccessTagRow {
  grants: number;
  places: number;
  records: number;
}

/** Tags with how much is given by each, and how much carries it in these access sets; all of them, or one. */
export const countedTags = (db: Db, sets: readonly number[], id: string | null = null) =>
  rows<CountedTagRow>(
    db,
    'tag.counted',
    `select t.id, t.name, t.note, t.active, t.revision,
       (select count(*)::int from grant_ g where g.tag_id = t.id) as grants,
       (select count(*)::int from place p where p.access_tags <> '{}' and p.access_tags @> array[t.id] and p.access_set_id = any ($1::int[])) as places,
       (select coalesce(sum(c.kept), 0)::int from access_set s
          join (select access_set_id, kept from rack_cell union all select access_set_id, kept from rack_delta) c on c.access_set_id = s.id
        where s.tags <> '{}' and s.tags @> array[t.id] and s.id = any ($1::int[])) as records
     from access_tag t where $2::uuid is null or t.id = $2 order by not t.active, lower(t.name)`,
    [sets, id],
  );

/** Places that carry a tag themselves, of some access sets; the first of them. */
export const placesCarrying = (db: Db, tagId: string, sets: readonly number[], limit: number) =>
  rows<NamedPlace>(
    db,
    'tag.places',
    `select id, kind, code, title from place
     where access_tags <> '{}' and access_tags @> array[$1::uuid] and access_set_id = any ($2::int[]) order by code, id limit $3`,
    [tagId, sets, limit],
  );

/** The same of records. */
export const recordsCarrying = (db: Db, tagId: string, sets: readonly number[], limit: number) =>
  rows<{ id: string; number: string; title: string; access_set_id: number }>(
    db,
    'tag.records',
    `select id, number, title, access_set_id from record
     where state <> 'disposed' and access_set_id in (select s.id from access_set s where s.tags <> '{}' and s.tags @> array[$1::uuid] and s.id = any ($2::int[]))
     order by number limit $3`,
    [tagId, sets, limit],
  );

/** With which profiles access was given by tags; with `today`, what has ended before is left out. */
export const profilesBy = (db: Db, tagIds: readonly string[], today: string | null = null) =>
  rows<{ tag_id: string; profile: string }>(
    db,
    'tag.profilesBy',
    'select distinct tag_id, profile from grant_ where tag_id = any ($1::uuid[]) and ($2::date is null or until_on is null or until_on >= $2)',
    [tagIds, today],
  );

/** Grants on a tag, by their ids. */
export async function grantIdsOn(db: Db, tagId: string): Promise<string[]> {
  const found = await rows<{ id: string }>(db, 'tag.grants', 'select id from grant_ where tag_id = $1', [tagId]);
  return found.map((g) => g.id);
}

export async function writeTag(
  db: Db,
  t: { readonly id: string; readonly name: string; readonly note: string; readonly active: boolean; readonly madeBy: string | null },
): Promise<void> {
  await run(
    db,
    'tag.write',
    `insert into access_tag (id, name, note, active, made_by) values ($1, $2, $3, $4, $5)
     on conflict (id) do update set name = excluded.name, note = excluded.note, active = excluded.active, revision = access_tag.revision + 1`,
    [t.id, t.name, t.note, t.active, t.madeBy],
  );
}

/** Whether another tag is called so. */
export const nameTaken = async (db: Db, name: string, id: string): Promise<boolean> =>
  (await row(db, 'tag.named', 'select from access_tag where lower(name) = lower($1) and id <> $2', [name, id])) !== undefined;

/** Which tags a place carries itself. */
export async function tagsOfPlace(db: Db, placeId: string): Promise<AccessTagRow[]> {
  return rows<AccessTagRow>(
    db,
    'tag.ofPlace',
    `select ${columns} from access_tag where id = any ((select access_tags from place where id = $1)::uuid[]) order by lower(name)`,
    [placeId],
  );
}

export async function writeTagsOfPlace(db: Db, placeId: string, tagIds: readonly string[]): Promise<void> {
  await run(db, 'tag.writeOfPlace', 'update place set access_tags = $2, revision = revision + 1 where id = $1', [placeId, tagIds]);
}

/** Which tags records carry themselves. */
export async function tagsOfRecords(db: Db, recordIds: readonly string[]): Promise<ReadonlyMap<string, readonly string[]>> {
  const found = await rows<{ id: string; tags: string[] }>(
    db,
    'tag.ofRecords',
    'select r.id, s.tags from record r join access_set s on s.id = r.access_set_id where r.id = any ($1::uuid[])',
    [recordIds],
  );
  return new Map(found.map((f) => [f.id, f.tags]));
}
