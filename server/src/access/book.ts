import {
  effectiveAccess,
  hasRight,
  describeRights,
  profileIn,
  type Profiles,
  principalsOf,
  type AccessPlace,
  type AccessTag,
  type EffectiveAccess,
  type Grant,
  type Marking,
  type Memberships,
  type Person as AccessPerson,
  type Right,
  type RightSet,
} from '@key-cellar/core/access';
import { civilDate } from '@key-cellar/core/calendar';
import type pg from 'pg';
import { message, type Message } from '@key-cellar/words';
import type { Accessor, Authority, Db, PersonAccess, SetRights } from '../kernel/index.js';
import { loadProfiles } from './profileStore.js';
import * as store from './store.js';

interface AccessSet {
  readonly id: number;
  readonly chain: readonly AccessPlace[];
  readonly marking: Marking;
  /** The nearest place that decides about access here. */
  readonly by: string;
  /** The same for sets on which everybody has the same rights. */
  readonly alike: string;
}

/** Everything that effective access depends on, as it stood at one epoch. */
export class Snapshot {
  private readonly people = new Map<string, PersonAccess>();

  constructor(
    private readonly accessSets: ReadonlyMap<number, AccessSet>,
    private readonly memberships: Memberships,
  ) {}

  of(person: Accessor): PersonAccess {
    const key = `${person.id} ${person.today}`;
    let access = this.people.get(key);
    if (!access) {
      access = this.compute(person);
      if (this.people.size > 2000) this.people.clear();
      this.people.set(key, access);
    }
    return access;
  }

  /** All groups that a person or group is in, and itself. */
  principalsOf(id: string): ReadonlySet<string> {
    return principalsOf(id, this.memberships);
  }

  /** The nearest place around a set that decides about access there: with grants or tags, standing alone, or the repository. */
  decidedBy(setId: number): string {
    return this.accessSets.get(setId)!.by;
  }

  markingOf(setId: number): Marking {
    return this.accessSets.get(setId)!.marking;
  }

  /** What grants come to on one set for somebody who is these principals. */
  weigh(who: AccessPerson, setId: number, today: string): EffectiveAccess {
    const set = this.accessSets.get(setId)!;
    return effectiveAccess(who, set.chain, set.marking, civilDate(today));
  }

  private compute(person: Accessor): PersonAccess {
    const today = civilDate(person.today);
    const who = {
      id: person.id,
      principals: principalsOf(person.id, this.memberships),
      clearance: person.clearance,
    };
    const bySet = new Map<number, SetRights>();
    const alike = new Map<string, SetRights>();
    let anywhere: RightSet = 0;
    for (const set of this.accessSets.values()) {
      let rights = alike.get(set.alike);
      if (!rights) {
        const { all, own } = effectiveAccess(who, set.chain, set.marking, today);
        rights = { all, own };
        alike.set(set.alike, rights);
        anywhere |= own;
      }
      bySet.set(set.id, rights);
    }
    const lists = new Map<string, readonly number[]>();
    const listOf = (right: Right, which: 'all' | 'own'): readonly number[] => {
      const key = `${which} ${right}`;
      let list = lists.get(key);
      if (!list) {
        list = [...bySet]
          .filter(([, set]) => (which === 'all' ? hasRight(set.all, right) : hasRight(set.own, right) && !hasRight(set.all, right)))
          .map(([id]) => id);
        lists.set(key, list);
      }
      return list;
    };
    const none: SetRights = { all: 0, own: 0 };
    return {
      anywhere,
      known: this.accessSets.size,
      sets: (right) => listOf(right, 'all'),
      ownSets: (right) => listOf(right, 'own'),
      on: (setId) => bySet.get(setId) ?? none,
      explain: (setId) => {
        const set = this.accessSets.get(setId);
        return effectiveAccess(who, set?.chain ?? [], set?.marking ?? { level: 0, caveats: [] }, today);
      },
    };
  }
}

function toGrant(g: store.GivenRow, profiles: Profiles): Grant {
  return {
    id: g.id,
    principalId: g.principal_id,
    profile: profileIn(profiles, g.profile),
    from: g.from_on === null ? null : civilDate(g.from_on),
    until: g.until_on === null ? null : civilDate(g.until_on),
  };
}

/** What was given, by the place or record that it is on, and the tags that there are; a tag that is not in use gives nothing. */
interface GivenAt {
  readonly on: (id: string) => readonly Grant[];
  readonly tags: (ids: readonly string[]) => readonly AccessTag[];
}

function givenAt(grants: readonly store.GivenRow[], tags: readonly store.TagRow[], profiles: Profiles): GivenAt {
  const at = new Map<string, Grant[]>();
  for (const g of grants) {
    const on = (g.place_id ?? g.record_id ?? g.tag_id)!;
    const there = at.get(on) ?? [];
    there.push(toGrant(g, profiles));
    at.set(on, there);
  }
  const on = (id: string): readonly Grant[] => at.get(id) ?? [];
  const known = new Map(tags.map(({ id, name, active }): [string, AccessTag] => [id, { id, name, grants: active ? on(id) : [] }]));
  return { on, tags: (ids) => ids.map((id) => known.get(id)).filter((tag) => tag !== undefined) };
}

function membershipsOf(members: Awaited<ReturnType<typeof store.memberships>>): Memberships {
  const memberships = new Map<string, string[]>();
  for (const m of members) memberships.set(m.member_id, [...(memberships.get(m.member_id) ?? []), m.group_id]);
  return memberships;
}

/** Whether anybody who can sign in may set up the repository, as this transaction has it: what was given on it as a whole says so. */
export async function somebodySetsUp(db: Db, today: string): Promise<boolean> {
  const [given, members, people, profiles] = await Promise.all([
    store.grantsOnRoot(db),
    store.memberships(db),
    store.people(db),
    loadProfiles(db),
  ]);
  const root = await store.rootPlace(db);
  if (!root) return true;
  const [memberships, day] = [membershipsOf(members), civilDate(today)];
  const chain = [{ id: root.id, name: '', standAlone: false, grants: given.map((g) => toGrant(g, profiles)), tags: [] }];
  return people.some(({ id, signs_in: signsIn, clearance_level: level, clearance_caveats: caveats }) => {
    const who = { id, principals: principalsOf(id, memberships), clearance: { level, caveats } };
    return signsIn && hasRight(effectiveAccess(who, chain, root.marking, day).all, 'setUp');
  });
}

/** Loads what effective access depends on, as whoever asks sees it now. */
export async function loadSnapshot(db: Db): Promise<Snapshot> {
  const [sets, anchors, grants, tags, members, profiles] = await Promise.all([
    store.accessSets(db),
    store.anchorPlaces(db),
    store.grants(db),
    store.accessTags(db),
    store.memberships(db),
    loadProfiles(db),
  ]);
  const given = givenAt(grants, tags, profiles);
  const places = new Map(anchors.map((a) => [a.id, a]));
  const decides = (place: (typeof anchors)[number]): boolean =>
    place.parent_id === null || place.stand_alone || place.access_tags.length > 0 || given.on(place.id).length > 0;
  const chains = new Map<string, AccessPlace[]>();
  for (const anchor of anchors) {
    chains.set(
      anchor.id,
      anchor.ancestors
        .map((id) => places.get(id))
        .filter((place) => place !== undefined)
        .filter(decides)
        .map((place) => ({
          id: place.id,
          name: `${place.code} ${place.title}`,
          standAlone: place.stand_alone,
          grants: given.on(place.id),
          tags: given.tags(place.access_tags),
        })),
    );
  }
  const accessSets = new Map<number, AccessSet>();
  for (const set of sets) {
    const chain = [...(chains.get(set.anchor_place) ?? [])];
    const by = chain.at(-1)?.id ?? set.anchor_place;
    const { record_id: record, record_name: name } = set;
    if (record !== null || set.tags.length > 0) {
      const grants = record === null ? [] : given.on(record);
      chain.push({ id: record ?? '', name: name ?? '', standAlone: false, grants, tags: given.tags(set.tags) });
    }
    const marking = { level: set.marking_level, caveats: set.marking_caveats };
    accessSets.set(set.id, { id: set.id, chain, marking, by, alike: JSON.stringify([by, record, marking, set.tags]) });
  }
  return new Snapshot(accessSets, membershipsOf(members));
}

/** Who may do what, from snapshots of access that are loaded anew when the epoch that a session saw is newer. */
export function accessBooks(pool: pg.Pool): Authority {
  let current: { epoch: number; snapshot: Promise<Snapshot> } | null = null;
  function at(epoch: number): Promise<Snapshot> {
    // A session query that ran before this book was loaded may carry an older epoch: the newer book serves it too.
    if (!current || current.epoch < epoch) {
      const snapshot = loadSnapshot(pool);
      const loading = { epoch, snapshot };
      current = loading;
      snapshot.catch(() => {
        if (current === loading) current = null;
      });
    }
    return current.snapshot;
  }
  return {
    async of(person) {
      return (await at(person.accessEpoch)).of(person);
    },
    async everyone(today) {
      const [epoch, people] = await Promise.all([store.accessEpoch(pool), store.people(pool)]);
      const snapshot = await at(epoch);
      return people.map((p) => ({
        id: p.id,
        name: p.name,
        access: snapshot.of({ id: p.id, today, clearance: { level: p.clearance_level, caveats: p.clearance_caveats } }),
      }));
    },
  };
}

/** People who gain or lose rights on what is in a place when it is moved under another: their names, with the rights. */
export async function whoseAccessChanges(
  db: Db,
  today: string,
  moved: { placeId: string; newParentId: string },
): Promise<{ gains: Message[]; loses: Message[] }> {
  const [places, grantRows, tags, members, people, profiles] = await Promise.all([
    store.chainsOf(db, [moved.placeId, moved.newParentId]),
    store.grants(db),
    store.accessTags(db),
    store.memberships(db),
    store.people(db),
    loadProfiles(db),
  ]);
  const byId = new Map(places.map((p) => [p.id, p]));
  const given = givenAt(grantRows, tags, profiles);
  const memberships = membershipsOf(members);
  const chain = (ids: readonly string[]): AccessPlace[] =>
    ids
      .map((id) => byId.get(id)!)
      .map((p) => ({ id: p.id, name: p.code, standAlone: p.stand_alone, grants: given.on(p.id), tags: given.tags(p.access_tags) }));
  const place = byId.get(moved.placeId)!;
  const [before, after] = [chain(place.ancestors), chain([...byId.get(moved.newParentId)!.ancestors, place.id])];
  const marking = { level: place.marking_level, caveats: place.marking_caveats };
  const day = civilDate(today);
  const [gains, loses]: [Message[], Message[]] = [[], []];
  for (const p of people) {
    const who = {
      id: p.id,
      principals: principalsOf(p.id, memberships),
      clearance: { level: p.clearance_level, caveats: p.clearance_caveats },
    };
    const rights = (places_: readonly AccessPlace[]): RightSet => effectiveAccess(who, places_, marking, day).all;
    const [had, has] = [rights(before), rights(after)];
    const told = (difference: RightSet): Message => message('access.whoWithRights', { name: p.name, rights: describeRights(difference) });
    if (has & ~had) gains.push(told(has & ~had));
    if (had & ~has) loses.push(told(had & ~has));
  }
  return { gains, loses };
}
