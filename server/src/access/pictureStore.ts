import { type Db, row, rows } from '../kernel/index.js';

/** The first day of which is known who could do what; null in a repository that nobody has set up. */
export async function accessKnownFrom(db: Db): Promise<string | null> {
  return (
    (await row<{ on: string }>(db, 'access.knownFrom', `select value->>'on' as on from setting where name = 'accessPastFrom'`))?.on ?? null
  );
}

export interface PlaceWas {
  readonly id: string;
  readonly code: string;
  readonly title: string;
  readonly ancestors: readonly string[];
  readonly stand_alone: boolean;
  readonly marking_level: number;
  readonly marking_caveats: readonly string[];
  /** Missing of what was so before there were tags. */
  readonly access_tags?: readonly string[];
}

/** An access tag as it was. */
export interface TagWas {
  readonly id: string;
  readonly name: string;
  readonly active: boolean;
}

export interface GrantWas {
  readonly id: string;
  readonly principal_id: string;
  readonly place_id: string | null;
  readonly record_id: string | null;
  readonly tag_id?: string | null;
  readonly profile: string;
  readonly from_on: string | null;
  readonly until_on: string | null;
  readonly reason: string;
  readonly made_at: string;
}

export interface PrincipalWas {
  readonly id: string;
  readonly kind: 'person' | 'group' | 'service';
  readonly name: string;
  readonly active: boolean;
  readonly clearance_level: number;
  readonly clearance_caveats: readonly string[];
}

/** Places as they were at the end of a day, those of them that were there. */
export async function placesOn(db: Db, on: string, ids: readonly string[]): Promise<PlaceWas[]> {
  const found = await rows<{ was: PlaceWas }>(db, 'access.placesOn', `select was from as_it_was('place', $1, $2) was`, [on, ids]);
  return found.map((r) => r.was);
}

/** Access tags as they were at the end of a day. */
export async function tagsOn(db: Db, on: string): Promise<TagWas[]> {
  const found = await rows<{ was: TagWas }>(db, 'access.tagsOn', `select was from as_it_was('access_tag', $1) was`, [on]);
  return found.map((r) => r.was);
}

/** Grants of a day on any of these places, records or tags. */
export async function grantsOnDay(db: Db, on: string, ids: readonly string[]): Promise<GrantWas[]> {
  const found = await rows<{ was: GrantWas }>(
    db,
    'access.grantsOnDay',
    `select was from as_it_was('grant_', $1) was where coalesce(was->>'place_id', was->>'record_id', was->>'tag_id') = any ($2::text[])`,
    [on, ids],
  );
  return found.map((r) => r.was);
}

export async function membershipsOn(db: Db, on: string): Promise<{ member_id: string; group_id: string }[]> {
  const found = await rows<{ was: { member_id: string; group_id: string } }>(
    db,
    'access.membershipsOn',
    `select was from as_it_was('membership', $1) was`,
    [on],
  );
  return found.map((r) => r.was);
}

export async function principalsOn(db: Db, on: string): Promise<PrincipalWas[]> {
  const found = await rows<{ was: PrincipalWas }>(
    db,
    'access.principalsOn',
    `select was - '{login,password_hash,email}'::text[] as was from as_it_was('principal', $1) was`,
    [on],
  );
  return found.map((r) => r.was);
}

/** The group of everybody who can sign in. */
export async function everyoneId(db: Db): Promise<string> {
  return (await row<{ id: string }>(db, 'access.everyone', 'select id from principal where everyone'))!.id;
}

/** What is asked of a record, as it is now. */
export function recordSpot(db: Db, id: string) {
  return row<{
    id: string;
    name: string;
    place_id: string;
    access_set_id: number;
    deposited_by: string | null;
    marking_level: number;
    marking_caveats: string[];
    access_tags: string[];
  }>(
    db,
    'access.recordSpot',
    `select r.id, r.number || ' ' || r.title as name, r.place_id, r.access_set_id, r.deposited_by, s.marking_level, s.marking_caveats,
       s.tags as access_tags
     from record r join access_set s on s.id = r.access_set_id where r.id = $1`,
    [id],
  );
}

export function placeSpot(db: Db, id: string) {
  return row<{ id: string; access_set_id: number }>(db, 'access.placeSpot', 'select id, access_set_id from place where id = $1', [id]);
}
