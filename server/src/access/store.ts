import type { Marking } from '@key-cellar/core/access';
import { type Db, row, rows, run } from '../kernel/index.js';

export function accessSets(db: Db) {
  return rows<{
    id: number;
    anchor_place: string;
    record_id: string | null;
    record_name: string | null;
    marking_level: number;
    marking_caveats: string[];
    tags: string[];
  }>(
    db,
    'access.sets',
    `select s.id, s.anchor_place, s.record_id, r.number || ' ' || r.title as record_name, s.marking_level, s.marking_caveats, s.tags
     from access_set s left join record r on r.id = s.record_id`,
  );
}

/** Whether access hangs on a place (`p`) itself: on all of the plan, and on folders with grants or tags of their own or that stand alone. */
const hangsOnItself = `p.kind <> 'folder' or p.stand_alone or p.access_tags <> '{}' or exists (select from grant_ g where g.place_id = p.id)`;

/** All places that access hangs on. */
export function anchorPlaces(db: Db) {
  return rows<{
    id: string;
    parent_id: string | null;
    ancestors: string[];
    code: string;
    title: string;
    stand_alone: boolean;
    access_tags: string[];
  }>(
    db,
    'access.anchors',
    `select p.id, p.parent_id, p.ancestors, p.code, p.title, p.stand_alone, p.access_tags from place p where ${hangsOnItself}`,
  );
}

export interface GivenRow extends Record<string, unknown> {
  id: string;
  principal_id: string;
  place_id: string | null;
  record_id: string | null;
  tag_id: string | null;
  profile: string;
  from_on: string | null;
  until_on: string | null;
}

const givenColumns = 'id, principal_id, place_id, record_id, tag_id, profile, from_on, until_on';

export function grants(db: Db) {
  return rows<GivenRow>(db, 'access.grants', `select ${givenColumns} from grant_`);
}

/** The repository as a place, and how it is marked; undefined before there is one. */
export async function rootPlace(db: Db): Promise<{ readonly id: string; readonly marking: Marking } | undefined> {
  const found = await row<{ id: string; level: number; caveats: string[] }>(
    db,
    'access.rootPlace',
    `select p.id, s.marking_level as level, s.marking_caveats as caveats from place p join access_set s on s.id = p.access_set_id
     where p.parent_id is null`,
  );
  return found && { id: found.id, marking: { level: found.level, caveats: found.caveats } };
}

/** The access set of the repository as a whole. */
export async function rootSet(db: Db): Promise<number> {
  return (await row<{ id: number }>(db, 'access.rootSet', 'select access_set_id as id from place where parent_id is null'))!.id;
}

/** Access sets of what carries a tag itself: places, and records that are still kept. */
export async function setsCarrying(db: Db, tagId: string): Promise<number[]> {
  const found = await rows<{ id: number }>(
    db,
    'access.setsCarrying',
    `select access_set_id as id from place where access_tags <> '{}' and access_tags @> array[$1::uuid]
     union
     select s.id from access_set s where s.tags <> '{}' and s.tags @> array[$1::uuid]
       and exists (select from record r where r.access_set_id = s.id and r.state <> 'disposed')`,
    [tagId],
  );
  return found.map((s) => s.id);
}

/** What was given on the repository as a whole. */
export function grantsOnRoot(db: Db) {
  return rows<GivenRow>(
    db,
    'access.grantsOnRoot',
    `select ${givenColumns} from grant_ where place_id = (select id from place where parent_id is null)`,
  );
}

export interface TagRow extends Record<string, unknown> {
  id: string;
  name: string;
  active: boolean;
}

export function accessTags(db: Db) {
  return rows<TagRow>(db, 'access.tags', 'select id, name, active from access_tag');
}

export function memberships(db: Db) {
  return rows<{ member_id: string; group_id: string }>(db, 'access.memberships', 'select member_id, group_id from in_group');
}

export function setById(db: Db, id: number) {
  return row<{ marking_level: number; marking_caveats: string[] }>(
    db,
    'access.setById',
    'select marking_level, marking_caveats from access_set where id = $1',
    [id],
  );
}

/** What tells an access set from another: the place that it hangs on, and what is a record’s own. */
export interface SetKey {
  readonly anchorPlace: string;
  /** A record with grants of its own. */
  readonly recordId: string | null;
  readonly level: number;
  readonly caveats: readonly string[];
  /** Tags that a record carries itself; those of places are no part of it. */
  readonly tags: readonly string[];
}

/** What a set has of its own, apart from where it hangs; and whether two of them have the same. */
export const ownColumns = (s: string): string => `${s}.record_id, ${s}.marking_level, ${s}.marking_caveats, ${s}.tags`;
export const sameOwn = (n: string, o: string): string =>
  `${n}.record_id is not distinct from ${o}.record_id and ${n}.marking_level = ${o}.marking_level
   and ${n}.marking_caveats = ${o}.marking_caveats and ${n}.tags = ${o}.tags`;

/** Id of the access set with this key; makes it when there is none. */
export async function getOrMakeSet(db: Db, key: SetKey): Promise<number> {
  const values = [key.anchorPlace, key.recordId, key.level, [...key.caveats].sort(), [...key.tags].sort()];
  const such = `anchor_place = $1 and record_id is not distinct from $2 and marking_level = $3 and marking_caveats = $4 and tags = $5`;
  const found = await row<{ id: number }>(db, 'access.findSet', `select id from access_set where ${such}`, values);
  if (found) return found.id;
  const made = await row<{ id: number }>(
    db,
    'access.makeSet',
    `with made as (
       insert into access_set (anchor_place, record_id, marking_level, marking_caveats, tags) values ($1, $2, $3, $4, $5)
       on conflict do nothing returning id)
     select id from made
     union all
     select id from access_set where ${such}
     limit 1`,
    values,
  );
  // Lost the race to another transaction whose row this statement's snapshot could not see: look again.
  return made?.id ?? getOrMakeSet(db, key);
}

export async function addGrant(
  db: Db,
  g: {
    id: string;
    principalId: string;
    placeId: string | null;
    recordId: string | null;
    tagId: string | null;
    profile: string;
    from?: string;
    until?: string;
    reason: string;
    madeBy: string | null;
  },
): Promise<void> {
  await run(
    db,
    'grant.add',
    `insert into grant_ (id, principal_id, place_id, record_id, tag_id, profile, from_on, until_on, reason, made_by)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)`,
    [g.id, g.principalId, g.placeId, g.recordId, g.tagId, g.profile, g.from ?? null, g.until ?? null, g.reason, g.madeBy],
  );
}

/** Places and records below a place whose access hangs on `oldAnchor` get it from `newAnchor` instead. */
export async function reanchor(db: Db, under: string, oldAnchor: string, newAnchor: string): Promise<void> {
  await run(
    db,
    'access.newSets',
    `insert into access_set (anchor_place, record_id, marking_level, marking_caveats, tags)
     select distinct $3::uuid, ${ownColumns('s')}
     from place p join access_set s on s.id = p.access_set_id
     where p.ancestors @> array[$1::uuid] and s.anchor_place = $2
     union
     select distinct $3::uuid, ${ownColumns('s')}
     from record r join access_set s on s.id = r.access_set_id
     where r.places @> array[$1::uuid] and s.anchor_place = $2
     on conflict do nothing`,
    [under, oldAnchor, newAnchor],
  );
  for (const [name, table, path] of [
    ['access.movePlaces', 'place', 'ancestors'],
    ['access.moveRecords', 'record', 'places'],
  ] as const) {
    await run(
      db,
      name,
      `update ${table} t set access_set_id = new_set.id
       from access_set old_set join access_set new_set
         on new_set.anchor_place = $3 and ${sameOwn('new_set', 'old_set')}
       where t.access_set_id = old_set.id and old_set.anchor_place = $2 and t.${path} @> array[$1::uuid]`,
      [under, oldAnchor, newAnchor],
    );
  }
}

/** Places and all around them. */
export function chainsOf(db: Db, ids: readonly string[]) {
  return rows<{
    id: string;
    ancestors: string[];
    code: string;
    stand_alone: boolean;
    marking_level: number;
    marking_caveats: string[];
    access_tags: string[];
  }>(
    db,
    'access.chains',
    `select id, ancestors, code, stand_alone, marking_level, marking_caveats, access_tags from place
     where id in (select unnest(ancestors) from place where id = any ($1::uuid[]))`,
    [ids],
  );
}

export function people(db: Db) {
  return rows<{
    id: string;
    name: string;
    clearance_level: number;
    clearance_caveats: string[];
    signs_in: boolean;
    second_factor: boolean;
  }>(
    db,
    'access.people',
    `select id, name, clearance_level, clearance_caveats, password_hash is not null as signs_in,
            exists (select from second_factor f where f.principal_id = principal.id and f.confirmed_at is not null) as second_factor
     from principal where kind = 'person' and active order by name`,
  );
}

/** The same of a place and what lies in it. */
export async function reachedIn(db: Db, placeId: string) {
  const places = await rows<{ id: string; access_set_id: number }>(
    db,
    'access.placeSetsIn',
    'select id, access_set_id from place where ancestors @> array[$1::uuid]',
    [placeId],
  );
  const records = await rows<{ at: string; access_set_id: number; n: number }>(
    db,
    'access.recordSetsIn',
    `select place_id as at, access_set_id, count(*)::int as n from record where places @> array[$1::uuid] and state <> 'disposed' group by place_id, access_set_id`,
    [placeId],
  );
  return { places, records };
}

/** The same of some records, each by itself. */
export async function reachedOf(db: Db, recordIds: readonly string[]) {
  const records = await rows<{ at: string; access_set_id: number; n: number }>(
    db,
    'access.recordSetsOf',
    'select id as at, access_set_id, 1 as n from record where id = any ($1::uuid[])',
    [recordIds],
  );
  return { places: [], records };
}

/** The access set of each place, and of the records right in it: how many have which. */
export async function reached(db: Db) {
  const places = await rows<{ id: string; access_set_id: number }>(db, 'access.placeSets', 'select id, access_set_id from place', []);
  const records = await rows<{ at: string; access_set_id: number; n: number }>(
    db,
    'access.recordSets',
    `select place_id as at, access_set_id, count(*)::int as n from record where state <> 'disposed' group by place_id, access_set_id`,
    [],
  );
  return { places, records };
}

export function anchorOfPlace(db: Db, placeId: string) {
  return row<{ id: string; anchor_place: string; code: string; title: string; access_set_id: number }>(
    db,
    'access.anchorOf',
    `select p.id, s.anchor_place, p.code, p.title, p.access_set_id from place p join access_set s on s.id = p.access_set_id where p.id = $1`,
    [placeId],
  );
}

export async function accessEpoch(db: Db): Promise<number> {
  return (await row<{ value: number }>(db, 'access.epoch', `select value from epoch where name = 'access'`))!.value;
}

/** Where the access of a place hangs, and where it would hang by what is set on it. */
export function hanging(db: Db, placeId: string) {
  return row<{ parent_id: string | null; own: boolean; anchor_place: string; parent_anchor: string | null }>(
    db,
    'access.hanging',
    `select p.parent_id, ${hangsOnItself} as own, s.anchor_place,
            (select t.anchor_place from place q join access_set t on t.id = q.access_set_id where q.id = p.parent_id) as parent_anchor
     from place p join access_set s on s.id = p.access_set_id where p.id = $1`,
    [placeId],
  );
}

export interface GrantRow extends Record<string, unknown> {
  id: string;
  principal_id: string;
  principal_name: string;
  principal_kind: 'person' | 'group' | 'service';
  principal_active: boolean;
  place_id: string;
  place_kind: 'repository' | 'function' | 'activity' | 'series' | 'folder';
  place_code: string;
  place_title: string;
  /** Of a grant on a record; the place is the one that it lies in. */
  record_id: string | null;
  record_number: string | null;
  record_title: string | null;
  /** Of a grant on a tag; the place is the repository, where who gives access says what tags give. */
  tag_id: string | null;
  tag_name: string | null;
  tag_active: boolean | null;
  /** Of the record or place that it is on. */
  access_set_id: number;
  profile: string;
  from_on: string | null;
  until_on: string | null;
  reason: string;
  made_by: string | null;
  made_at: Date;
  stencil: string | null;
}

const grantLines = `select g.id, g.principal_id, p.name as principal_name, p.kind as principal_kind, p.active as principal_active, l.id as place_id,
  l.kind as place_kind, l.code as place_code, l.title as place_title, g.record_id, r.number as record_number, r.title as record_title,
  g.tag_id, t.name as tag_name, t.active as tag_active,
  coalesce(r.access_set_id, l.access_set_id) as access_set_id, g.profile, g.from_on, g.until_on, g.reason,
  (select m.name from principal m where m.id = g.made_by) as made_by, g.made_at, (select t.title from stencil t where t.id = g.by_stencil) as stencil
  from grant_ g join principal p on p.id = g.principal_id left join record r on r.id = g.record_id left join access_tag t on t.id = g.tag_id
  join place l on l.id = coalesce(g.place_id, r.place_id, (select id from place where parent_id is null))`;

/** What comes to a place on its own or from those around it: what was given on them, and on the tags that they carry. */
const givenAround = (places: string): string =>
  `g.place_id = any (${places}) or g.tag_id in (select unnest(access_tags) from place where id = any (${places}))`;

/** Grants on a place and on those around it, from the repository inwards, and on the tags that any of them carries. */
export function grantsAround(db: Db, placeId: string) {
  return rows<GrantRow>(
    db,
    'grant.around',
    `${grantLines} where ${givenAround('(select ancestors from place where id = $1)::uuid[]')}
     order by g.tag_id is not null, cardinality(l.ancestors), t.name, p.name, g.id`,
    [placeId],
  );
}

/** Grants on a record, and on the places around it, from the repository inwards, and on the tags that any of them carries. */
export function grantsAroundRecord(db: Db, recordId: string) {
  return rows<GrantRow>(
    db,
    'grant.aroundRecord',
    `${grantLines} where g.record_id = $1 or ${givenAround('(select places from record where id = $1)::uuid[]')}
       or g.tag_id in (select unnest(s.tags) from record x join access_set s on s.id = x.access_set_id where x.id = $1)
     order by g.record_id is not null, g.tag_id is not null, cardinality(l.ancestors), t.name, p.name, g.id`,
    [recordId],
  );
}

/** Grants of a principal itself, not of groups that it is in. */
export function grantsOf(db: Db, principalId: string) {
  return rows<GrantRow>(db, 'grant.of', `${grantLines} where g.principal_id = $1 order by l.code, g.id`, [principalId]);
}

/** Grants of whoever is in use on what stands in some access sets, and of those on tags where the repository does. */
export function grantsIn(db: Db, sets: readonly number[]) {
  return rows<GrantRow>(
    db,
    'grant.in',
    `${grantLines} where p.active and coalesce(r.access_set_id, l.access_set_id) = any ($1::int[]) order by l.code, r.number nulls first, t.name, p.name, g.id`,
    [sets],
  );
}

export function grantsById(db: Db, ids: readonly string[]) {
  return rows<GrantRow>(db, 'grant.byId', `${grantLines} where g.id = any ($1::uuid[]) order by g.id`, [ids]);
}

/** The same with the grants locked, and the tags that they are on: whoever puts one of them on something waits. */
export async function lockGrants(db: Db, ids: readonly string[]): Promise<GrantRow[]> {
  await run(
    db,
    'grant.lockTags',
    'select from access_tag where id in (select tag_id from grant_ where id = any ($1::uuid[])) order by id for update',
    [ids],
  );
  await run(db, 'grant.lock', 'select from grant_ where id = any ($1::uuid[]) order by id for update', [ids]);
  return grantsById(db, ids);
}

export async function writeGrant(
  db: Db,
  g: { id: string; profile: string; from: string | null; until: string | null; reason: string },
): Promise<void> {
  await run(db, 'grant.write', 'update grant_ set profile = $2, from_on = $3, until_on = $4, reason = $5 where id = $1', [
    g.id,
    g.profile,
    g.from,
    g.until,
    g.reason,
  ]);
}

export async function dropGrant(db: Db, id: string): Promise<void> {
  await run(db, 'grant.drop', 'delete from grant_ where id = $1', [id]);
}

/** Whether there is such a person, group or program, and not let go. */
export async function principalInUse(db: Db, id: string): Promise<boolean> {
  return (await row(db, 'access.principalInUse', `select from principal where id = $1 and active`, [id])) !== undefined;
}

const setColumns = `s.id, s.anchor_place, ${ownColumns('s')}`;

/** What the access of a record hangs on, and whether it has grants of its own. */
export function recordHanging(db: Db, recordId: string) {
  return row<SetRow & { access_set_id: number; own: boolean }>(
    db,
    'access.recordHanging',
    `select r.access_set_id, exists (select from grant_ g where g.record_id = r.id) as own, ${setColumns}
     from record r join access_set s on s.id = r.access_set_id where r.id = $1`,
    [recordId],
  );
}

export async function setRecordSet(db: Db, recordId: string, setId: number): Promise<void> {
  await run(db, 'access.setRecord', 'update record set access_set_id = $2 where id = $1', [recordId, setId]);
}

/** Sets in use in a place, by the place itself and by all that lies in it. */
export function setsInside(db: Db, placeId: string) {
  return rows<SetRow>(
    db,
    'access.setsInside',
    `select ${setColumns} from access_set s where s.id in (
       select access_set_id from place where ancestors @> array[$1::uuid] union select access_set_id from record where places @> array[$1::uuid])`,
    [placeId],
  );
}

/** Sets in use on some records. */
export function setsOf(db: Db, recordIds: readonly string[]) {
  return rows<SetRow>(
    db,
    'access.setsOf',
    `select ${setColumns} from access_set s where s.id in (select access_set_id from record where id = any ($1::uuid[]))`,
    [recordIds],
  );
}

/** How a place is marked. */
export async function markingOfPlace(db: Db, id: string): Promise<Marking> {
  const found = await row<{ marking_level: number; marking_caveats: string[] }>(
    db,
    'access.markingOfPlace',
    'select marking_level, marking_caveats from place where id = $1',
    [id],
  );
  return { level: found!.marking_level, caveats: found!.marking_caveats };
}

export interface SetRow extends Record<string, unknown> {
  id: number;
  anchor_place: string;
  record_id: string | null;
  marking_level: number;
  marking_caveats: string[];
  tags: string[];
}

/** A set as its key says it. */
export const keyOf = (s: SetRow): SetKey => ({
  ...{ anchorPlace: s.anchor_place, recordId: s.record_id, level: s.marking_level, caveats: s.marking_caveats, tags: s.tags },
});

/** Gives what lies in a place, itself with it, other sets; places are marked as their new set is. */
export async function swapSetsInside(db: Db, placeId: string, swap: ReadonlyMap<number, number>): Promise<void> {
  const [was, is] = [[...swap.keys()], [...swap.values()]];
  await run(
    db,
    'access.swapPlaces',
    `update place p set access_set_id = n.id, marking_level = n.marking_level, marking_caveats = n.marking_caveats, revision = revision + 1
     from unnest($2::int[], $3::int[]) as m(was, is_) join access_set n on n.id = m.is_
     where p.ancestors @> array[$1::uuid] and p.access_set_id = m.was`,
    [placeId, was, is],
  );
  await run(
    db,
    'access.swapRecordsIn',
    `update record r set access_set_id = m.is_ from unnest($2::int[], $3::int[]) as m(was, is_)
     where r.places @> array[$1::uuid] and r.access_set_id = m.was`,
    [placeId, was, is],
  );
}

/** The same of records. */
export async function swapSetsOf(db: Db, recordIds: readonly string[], swap: ReadonlyMap<number, number>): Promise<void> {
  await run(
    db,
    'access.swapRecords',
    `update record r set access_set_id = m.is_ from unnest($2::int[], $3::int[]) as m(was, is_)
     where r.id = any ($1::uuid[]) and r.access_set_id = m.was`,
    [recordIds, [...swap.keys()], [...swap.values()]],
  );
}

/** How the places are marked in which these records lie. */
export async function markingsAround(db: Db, recordIds: readonly string[]): Promise<ReadonlyMap<string, Marking>> {
  const found = await rows<{ id: string; marking_level: number; marking_caveats: string[] }>(
    db,
    'access.markingsAround',
    'select r.id, p.marking_level, p.marking_caveats from record r join place p on p.id = r.place_id where r.id = any ($1::uuid[])',
    [recordIds],
  );
  return new Map(found.map((f) => [f.id, { level: f.marking_level, caveats: f.marking_caveats }]));
}

/** How records are marked. */
export async function markingsOfRecords(db: Db, recordIds: readonly string[]): Promise<ReadonlyMap<string, Marking>> {
  const found = await rows<{ id: string; marking_level: number; marking_caveats: string[] }>(
    db,
    'access.markingsOfRecords',
    'select r.id, s.marking_level, s.marking_caveats from record r join access_set s on s.id = r.access_set_id where r.id = any ($1::uuid[])',
    [recordIds],
  );
  return new Map(found.map((f) => [f.id, { level: f.marking_level, caveats: f.marking_caveats }]));
}
