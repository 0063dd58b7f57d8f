import type { access, AccessFinding, AccessFindingKind, AccessSide, Told } from '@key-cellar/contract';
import {
  changeOf,
  describeRights,
  explainAccess,
  extentOf,
  grantWords,
  hasRight,
  profileIn,
  profileWords,
  rights,
  sourcesOf,
  type EffectiveAccess,
  type GrantStatus,
  type Profiles,
  type RightSet,
} from '@key-cellar/core/access';
import { civilDate, dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message, type Code, type Message } from '@key-cellar/words';
import {
  mayAtRepository,
  mayOn,
  notAllowed,
  notFound,
  Problem,
  type Db,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type SignedIn,
} from '../kernel/index.js';
import * as area from './areaStore.js';
import { loadSnapshot, type Snapshot } from './book.js';
import { requireAnywhere } from './looking.js';
import { grantSubject } from './grants.js';
import { matrixOf } from './matrix.js';
import { pictureOf, type Picture, type Spot } from './picture.js';
import { placeSpot, recordSpot } from './pictureStore.js';
import { loadProfiles } from './profileStore.js';
import * as store from './store.js';

const mostFindings = 500;
/** A grant that ends within so many days is about to. */
const soon = 30;
/** A grant that was not used for so many days since it was made is looked at. */
const idle = 90;

/** Throws 404 for what may not be known of, and 403 where somebody may neither give access nor audit, unless they ask about themselves. */
async function requireSpot(
  db: Db,
  known: PersonAccess,
  asker: SignedIn,
  { placeId, recordId }: { readonly placeId?: string | undefined; readonly recordId?: string | undefined },
  about: string | null,
): Promise<Spot> {
  if ((placeId === undefined) === (recordId === undefined)) throw new Problem(400, 'one-of-two', message('access.placeOrRecord'));
  const [found, what] =
    recordId !== undefined
      ? [await recordSpot(db, recordId), message('thing.record')]
      : [await placeSpot(db, placeId!), message('thing.place')];
  if (!found || !mayOn(known, asker, found, 'discover')) throw notFound(what);
  if (about !== asker.id && !mayOn(known, asker, found, 'grant') && !mayOn(known, asker, found, 'audit')) throw notAllowed('grant');
  return recordId !== undefined ? { recordId } : { placeId: placeId! };
}

const said = (set: RightSet): Message => message('access.rights', { rights: describeRights(set) });

const statusWords = (status: GrantStatus, to: string | null): Message =>
  to !== null && status === 'counts'
    ? message('access.countsThrough', { group: to })
    : message(`access.status.${statusCodes[status]}` as Code);
const statusCodes: Readonly<Record<GrantStatus, string>> = {
  counts: 'counts',
  'superseded by a nearer place': 'nearer',
  'stopped by a place that stands alone': 'alone',
  'not begun': 'notBegun',
  ended: 'ended',
};

/** Through what somebody has it: “Editor on PIL, through pilots”. */
function throughWords(
  nameOf: (principalId: string) => string | undefined,
  personId: string,
  weighed: EffectiveAccess['weighed'],
): Message[] {
  return weighed
    .filter((w) => w.status === 'counts')
    .map((w) => {
      if (w.grant.principalId === personId) return grantWords(w);
      const [profile, group] = [profileWords(w.grant.profile), nameOf(w.grant.principalId) ?? ''];
      return w.tag === null
        ? message('access.profileThrough', { profile, place: w.place, group })
        : message('access.profileByTagThrough', { profile, tag: w.tag, group });
    });
}

const namesIn =
  (picture: Picture) =>
  (id: string): string | undefined =>
    picture.people.get(id)?.name;

function sideOf(picture: Picture, personId: string, timeZone: string): Told<AccessSide> {
  const person = picture.people.get(personId);
  const effective = picture.of(personId);
  return {
    person: { id: personId, name: person?.name ?? '', active: person?.active ?? false },
    where: picture.where,
    on: picture.on,
    why: person?.active ? explainAccess(effective) : message('access.notThere'),
    grants: effective.weighed.map(({ grant, place, tag, status }) => {
      const { reason, place_id: placeId, tag_id: tagId, from_on: from, until_on: until, made_at: madeAt } = picture.grants.get(grant.id)!;
      const to = picture.people.get(grant.principalId)!;
      const counts = status === 'counts' && effective.ceilings.length === 0;
      const status_ = statusWords(status, to.id === personId ? null : to.name);
      const made = formatCivilDate(dateInZone(Date.parse(madeAt), timeZone));
      return {
        ...{ grantId: grant.id, to: { id: to.id, name: to.name }, profile: profileWords(grant.profile), place, placeId, counts },
        tag: tag === null ? null : { id: tagId!, name: tag },
        ...{ status: status_, from, until, reason, madeOn: made },
      };
    }),
    ceilings: [...effective.ceilings],
  };
}

const ofNoGrant = { grantId: null, recordId: null, tagId: null };

/** What is looked at where grants are. */
interface LookedAt {
  readonly snapshot: Snapshot;
  readonly profiles: Profiles;
  readonly today: string;
  readonly unused: ReadonlySet<string>;
  readonly members: ReadonlyMap<string, number>;
}

/** What is found about one grant. */
function grantFindings(g: store.GrantRow, { snapshot, profiles, today, unused, members }: LookedAt): AccessFindingKind[] {
  if (g.until_on !== null && g.until_on < today) return ['ended'];
  const found: AccessFindingKind[] = [];
  if (g.until_on !== null && g.until_on <= formatCivilDate(civilDate(today) + soon)) found.push('endsSoon');
  if (g.principal_kind === 'group' && !members.has(g.principal_id)) found.push('emptyGroup');
  if (g.principal_kind !== 'person') return found;
  const everywhere = g.place_kind === 'repository' && g.tag_id === null && g.record_id === null;
  if (g.until_on === null && !everywhere) found.push('never');
  if (unused.has(g.id)) found.push('unused');
  // What a tag gives depends on what carries it.
  if (g.tag_id !== null) return found;
  const groups = new Set(snapshot.principalsOf(g.principal_id));
  groups.delete(g.principal_id);
  const byGroups = snapshot.weigh(
    { id: g.principal_id, principals: groups, clearance: snapshot.markingOf(g.access_set_id) },
    g.access_set_id,
    today,
  );
  const given = profileIn(profiles, g.profile);
  if (given.ownOnly) return found;
  if ((given.rights & ~byGroups.all) === 0) found.push('asGroup');
  else if (byGroups.all !== 0 && (byGroups.all & ~given.rights) === 0) found.push('moreThanGroup');
  return found;
}

export const accessReads: Pick<ReadsOf<typeof access, Services>, 'matrix' | 'compare' | 'reach' | 'reachOf' | 'findings' | 'markings'> = {
  matrix: async ({ services: { pool }, person, access: known, query }) =>
    matrixOf(pool, { ...query, sets: requireAnywhere(await known()), today: person.today }),

  compare: async ({ services: { pool }, person, access: known, body }) => {
    const access = await known();
    const pictures: { picture: Picture; personId: string }[] = [];
    for (const spot of body.spots) {
      const where = await requireSpot(pool, access, person, spot, spot.personId);
      const picture = await pictureOf(pool, where, spot.on ?? person.today, person.today);
      if (!(await area.principal(pool, spot.personId))) throw notFound(message('thing.person'));
      pictures.push({ picture, personId: spot.personId });
    }
    const effective = pictures.map(({ picture, personId }) => picture.of(personId));
    return {
      sides: pictures.map(({ picture, personId }) => sideOf(picture, personId, person.timeZone)),
      rights: rights.map((right) => ({
        right,
        words: message(`access.right.${right}`),
        has: effective.map((one) => extentOf(one, right)),
        through: effective.map((one, i) => throughWords(namesIn(pictures[i]!.picture), pictures[i]!.personId, sourcesOf(one, right))),
      })),
    };
  },

  reach: async ({ services: { pool }, person, access: known, query }) => {
    const where = await requireSpot(pool, await known(), person, query, null);
    const now = await pictureOf(pool, where, person.today, person.today);
    const then = query.since === undefined ? null : await pictureOf(pool, where, query.since, person.today);
    const lines = [...now.people.values()]
      .filter((p) => p.kind === 'person')
      .map((p) => {
        const [is, was] = [now.of(p.id), then?.of(p.id)];
        const change = was ? changeOf(was.own, is.own) : ('same' as const);
        const own = now.ownCounts(p.id);
        const has = own ? is.own : is.all;
        const counting = is.ceilings.length > 0 ? [] : is.weighed.filter((w) => own || !w.grant.profile.ownOnly);
        return {
          shown: has !== 0 || change !== 'same',
          line: {
            person: { id: p.id, name: p.name },
            rights: said(has),
            through: throughWords(namesIn(now), p.id, counting),
            was: was && change !== 'same' ? said(was.own) : null,
            change,
          },
        };
      });
    const people = lines.filter((l) => l.shown).map((l) => l.line);
    people.sort((a, b) => Number(a.change === 'same') - Number(b.change === 'same') || (a.person.name < b.person.name ? -1 : 1));
    return { where: now.where, people, others: lines.length - people.length };
  },

  reachOf: async ({ services: { pool }, person, access: known, params }) => {
    const access = await known();
    const sets = params.id === person.id ? [...access.sets('discover')] : requireAnywhere(access);
    const about = await area.principal(pool, params.id);
    if (about?.kind !== 'person') throw notFound(message('thing.person'));
    const snapshot = await loadSnapshot(pool);
    const who = {
      id: about.id,
      principals: about.active ? snapshot.principalsOf(about.id) : new Set<string>(),
      clearance: { level: about.clearance_level, caveats: about.clearance_caveats },
    };
    const names = new Map((await area.groups(pool)).map((g) => [g.id, g.name]));
    const counted = await area.recordsInSets(pool, sets);
    const byPlace = new Map<string, { rights: RightSet; through: Map<string, Message>; records: number }>();
    for (const { id, n } of counted) {
      const weighed = snapshot.weigh(who, id, person.today);
      if (weighed.own === 0) continue;
      const place = snapshot.decidedBy(id);
      const line = byPlace.get(place) ?? { rights: 0, through: new Map(), records: 0 };
      line.rights |= weighed.own;
      for (const words of throughWords((id_) => names.get(id_), about.id, weighed.weighed)) line.through.set(JSON.stringify(words), words);
      if (hasRight(weighed.all, 'discover')) line.records += n;
      byPlace.set(place, line);
    }
    const places = (await area.placesById(pool, [...byPlace.keys()])).map((p) => {
      const line = byPlace.get(p.id)!;
      return { ...area.placeRef(p), rights: said(line.rights), through: [...line.through.values()], records: line.records };
    });
    const { id, name, active } = about;
    return { person: { id, name, active }, places, records: places.reduce((sum, p) => sum + p.records, 0) };
  },

  markings: async ({ person, access: known }) => {
    requireAnywhere(await known());
    return person.clearance;
  },

  findings: async ({ services: { pool }, person, access: known }) => {
    const access = await known();
    const sets = requireAnywhere(access);
    const [snapshot, profiles, grants] = [await loadSnapshot(pool), await loadProfiles(pool), await store.grantsIn(pool, sets)];
    const { today, timeZone } = person;
    const madeOn = (g: store.GrantRow): string => formatCivilDate(dateInZone(g.made_at.getTime(), timeZone));
    const since = formatCivilDate(civilDate(today) - idle);
    const old = grants.filter((g) => g.principal_kind === 'person' && madeOn(g) <= since && (g.until_on === null || g.until_on >= today));
    const unused = await area.unusedOf(
      pool,
      old.map((g) => g.id),
    );
    const looked = { snapshot, profiles, today, unused, members: await area.membersOf(pool) };
    const findings: Told<AccessFinding>[] = grants.flatMap((g) =>
      grantFindings(g, looked).map((kind) => ({
        kind,
        sentence: message(`access.found.${kind}` as Code, {
          name: g.principal_name,
          profile: profileWords(profileIn(profiles, g.profile)),
          place: g.tag_id === null ? grantSubject(g).name : message('access.tagWords', { tag: g.tag_name! }),
          until: { day: g.until_on ?? today },
          since: { day: madeOn(g) },
        }),
        grantId: g.id,
        place: { id: g.place_id, kind: g.place_kind, code: g.place_code, title: g.place_title },
        recordId: g.record_id,
        tagId: g.tag_id,
        personId: g.principal_kind === 'person' ? g.principal_id : null,
      })),
    );
    for (const p of await area.aloneIn(pool, sets)) {
      const sentence = message('access.found.standsAlone', { place: `${p.code} ${p.title}`.trim() });
      findings.push({ kind: 'standsAlone', sentence, ...ofNoGrant, place: area.placeRef(p), personId: null });
    }
    if (await mayAtRepository(pool, access, 'people')) {
      for (const p of await store.people(pool)) {
        const kind = !p.signs_in ? 'noPassword' : !p.second_factor ? 'noSecondFactor' : null;
        if (kind === null) continue;
        const sentence =
          kind === 'noPassword'
            ? message('access.found.noPassword', { name: p.name })
            : message('access.found.noSecondFactor', { name: p.name });
        findings.push({ kind, sentence, ...ofNoGrant, place: null, personId: p.id });
      }
    }
    return { findings: findings.slice(0, mostFindings) };
  },
};
