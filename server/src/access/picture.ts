import { effectiveAccess, principalsOf, profileIn, type AccessPlace, type EffectiveAccess, type Marking } from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { notFound, Problem, type Db } from '../kernel/index.js';
import * as store from './pictureStore.js';
import { profilesOn } from './profileStore.js';

/** Where something lies: a place, or a record. */
export type Spot = { readonly placeId: string } | { readonly recordId: string };

/** Who could do what at one place or on one record at the end of one day, with all that decides about it. */
export interface Picture {
  readonly on: string;
  readonly where: string;
  readonly people: ReadonlyMap<string, store.PrincipalWas>;
  /** Grants on the way there. */
  readonly grants: ReadonlyMap<string, store.GrantWas>;
  readonly of: (personId: string) => EffectiveAccess;
  /** Whether what somebody has on own deposits counts there: everywhere but on a record that they did not deposit. */
  readonly ownCounts: (personId: string) => boolean;
}

/**
 * How access stood somewhere at the end of a day (YYYY-MM-DD). Of a record it is known as it lies today. Throws 404 where the place was
 * not there yet, and 409 for a day of which nothing is known.
 */
export async function pictureOf(db: Db, spot: Spot, on: string, today: string): Promise<Picture> {
  const from = await store.accessKnownFrom(db);
  if (on > today || from === null || on < from) {
    throw new Problem(409, 'not-known', message('access.dayNotKnown', { from: { day: from ?? today }, today: { day: today } }));
  }
  const record = 'recordId' in spot ? await store.recordSpot(db, spot.recordId) : undefined;
  if (record && on !== today) throw new Problem(409, 'not-known', message('access.recordsToday'));
  const placeId = record?.place_id ?? (spot as { placeId: string }).placeId;
  const [place] = await store.placesOn(db, on, [placeId]);
  if (!place) throw notFound(message('access.placeThen'));
  const ancestors = await store.placesOn(db, on, place.ancestors);
  const carried = [...ancestors, ...(record ? [record] : [])].flatMap((one) => one.access_tags ?? []);
  const [grants, tags, memberships, principals, profiles, everyone] = [
    await store.grantsOnDay(db, on, [...place.ancestors, ...(record ? [record.id] : []), ...carried]),
    new Map((await store.tagsOn(db, on)).map((t) => [t.id, t])),
    await store.membershipsOn(db, on),
    await store.principalsOn(db, on),
    await profilesOn(db, on),
    await store.everyoneId(db),
  ];
  const people = new Map(principals.map((p) => [p.id, p]));
  const given = (id: string): AccessPlace['grants'] =>
    grants
      .filter((g) => (g.place_id ?? g.record_id ?? g.tag_id) === id)
      .map((g) => ({
        id: g.id,
        principalId: g.principal_id,
        profile: profileIn(profiles, g.profile),
        from: g.from_on === null ? null : civilDate(g.from_on),
        until: g.until_on === null ? null : civilDate(g.until_on),
      }));
  // A tag that was not in use gave nothing.
  const tagsOf = (one: { readonly access_tags?: readonly string[] }): AccessPlace['tags'] =>
    (one.access_tags ?? [])
      .map((id) => tags.get(id))
      .filter((tag) => tag !== undefined)
      .map(({ id, name, active }) => ({ id, name, grants: active ? given(id) : [] }));
  const nameOf = (p: store.PlaceWas): string => `${p.code} ${p.title}`.trim();
  const byId = new Map(ancestors.map((p) => [p.id, p]));
  const chain: AccessPlace[] = place.ancestors
    .map((id) => byId.get(id))
    .filter((p) => p !== undefined)
    .map((p) => ({ id: p.id, name: nameOf(p), standAlone: p.stand_alone, grants: given(p.id), tags: tagsOf(p) }));
  if (record) chain.push({ id: record.id, name: record.name, standAlone: false, grants: given(record.id), tags: tagsOf(record) });
  const marked = record ?? place;
  const marking: Marking = { level: marked.marking_level, caveats: marked.marking_caveats };
  const groups = new Map<string, string[]>();
  // A group that is not in use gives its members nothing.
  for (const { member_id: member, group_id: group } of memberships)
    if (people.get(group)?.active) groups.set(member, [...(groups.get(member) ?? []), group]);
  for (const { id, kind, active } of principals) if (kind === 'person' && active) groups.set(id, [...(groups.get(id) ?? []), everyone]);
  return {
    on,
    where: record?.name ?? nameOf(place),
    people,
    grants: new Map(grants.map((g) => [g.id, g])),
    of: (personId) => {
      const person = people.get(personId);
      // A group has no clearance of its own: no marking stops it.
      const cleared = person?.kind === 'group';
      const clearance = cleared ? marking : { level: person?.clearance_level ?? 0, caveats: person?.clearance_caveats ?? [] };
      // Who was not there, or was let go, could do nothing.
      const who = { id: personId, principals: person?.active ? principalsOf(personId, groups) : new Set<string>(), clearance };
      return effectiveAccess(who, chain, marking, civilDate(on));
    },
    ownCounts: (personId) => !record || record.deposited_by === personId,
  };
}
