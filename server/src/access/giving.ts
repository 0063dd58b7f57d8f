import type { GrantLine, Told } from '@key-cellar/contract';
import { hasRight, profileIn, profileWords, shippedProfiles, type Profiles } from '@key-cellar/core/access';
import { dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message, type Message } from '@key-cellar/words';
import {
  mayAtRepository,
  Problem,
  wrongField,
  type Db,
  type Kind,
  type PersonAccess,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { loadSnapshot, somebodySetsUp } from './book.js';
import { accessShift, accessStanding, type Scope } from './change.js';
import { grantSubject, placeGrant, type GivenOn } from './grants.js';
import { loadProfiles, ownProfiles } from './profileStore.js';
import * as store from './store.js';

export const grantKind: Kind<store.GrantRow> = {
  word: 'grant',
  what: message('thing.grant'),
  see: ['discover'],
  find: (db, ids, lock) => (lock ? store.lockGrants(db, ids) : store.grantsById(db, ids)),
  id: (grant) => grant.id,
  subject: grantSubject,
  sets: (grant) => [grant.access_set_id],
};

/** The sets on which a grant gives something: where it is; of one on a tag the repository’s, and all that carry the tag. */
export async function setsOfGrant(db: Db, grant: Pick<store.GrantRow, 'access_set_id' | 'tag_id'>): Promise<number[]> {
  return [grant.access_set_id, ...(grant.tag_id === null ? [] : await store.setsCarrying(db, grant.tag_id))];
}

/** Nobody gives, or takes, more than they have there themselves; who sets up the repository may. Null where nothing speaks against it. */
export async function beyond(uow: UnitOfWork, access: PersonAccess, setIds: readonly number[], named: string): Promise<Message | null> {
  const profile = profileIn(await loadProfiles(uow), named);
  const within = setIds.every((id) => (profile.rights & ~access.on(id).all) === 0) || (await mayAtRepository(uow, access, 'setUp'));
  return within ? null : message('access.moreThanYou', { profile: profileWords(profile) });
}

/** The first of what some principals were given, in force or not, that is more than `access` has there; as `events.ask('givenBeyond')` says it. */
export async function givenBeyond(uow: UnitOfWork, access: PersonAccess, principalIds: readonly string[]): Promise<Message | null> {
  if (principalIds.length === 0 || (await mayAtRepository(uow, access, 'setUp'))) return null;
  const snapshot = await loadSnapshot(uow);
  const profiles = await loadProfiles(uow);
  for (const id of new Set(principalIds.flatMap((one) => [...snapshot.principalsOf(one)]))) {
    for (const grant of await store.grantsOf(uow, id)) {
      const { rights } = profileIn(profiles, grant.profile);
      if ((await setsOfGrant(uow, grant)).some((set) => (rights & ~access.on(set).all) !== 0))
        return message('access.givenBeyondYou', { name: grant.principal_name });
    }
  }
  return null;
}

/** Throws 403 where somebody would give more than they have. */
export async function requireWithin(uow: UnitOfWork, access: PersonAccess, setIds: readonly number[], named: string): Promise<void> {
  const sentence = await beyond(uow, access, setIds, named);
  if (sentence) throw new Problem(403, 'not-allowed', sentence);
}

/** Who gives what, and whether it is only tried. */
interface GivenBy {
  readonly person: SignedIn;
  readonly access: PersonAccess;
  readonly trial: boolean;
  readonly body: Days & { readonly principalId: string; readonly profile: string; readonly reason: string };
}

interface Days {
  readonly from: string | null;
  readonly until: string | null;
}

/** Throws 422 for days of which the last is before the first. */
export function requireDays({ from, until }: Days): void {
  if (from !== null && until !== null && until < from) throw wrongField('/until', message('exchange.grantEnds'));
}

const daysOf = ({ from, until }: Days): { from?: string; until?: string } => ({
  ...(from === null ? {} : { from }),
  ...(until === null ? {} : { until }),
});

/** Throws 422 for a profile that there is not, or that is given to nobody any more. */
export async function requireProfile(uow: UnitOfWork, code: string): Promise<void> {
  if (shippedProfiles.some((p) => p.code === code)) return;
  const own = (await ownProfiles(uow)).find((p) => p.code === code);
  if (!own) throw wrongField('/profile', message('plan.sound.noProfile'));
  if (!own.active) throw wrongField('/profile', message('access.profileNotInUse', { title: own.title }));
}

/** Throws 422 for who is not there, or was let go. */
export async function requirePrincipal(uow: UnitOfWork, id: string): Promise<void> {
  if (!(await store.principalInUse(uow, id))) throw wrongField('/principalId', message('identity.noMember'));
}

/**
 * Does something about access, and tells whose it changes, in a scope, when it is only tried. Refuses to leave nobody who could set up.
 * `swapped` says of what was done which access set each became, where that is known.
 */
export async function withShift<T>(
  uow: UnitOfWork,
  { person, trial, scope }: { readonly person: SignedIn; readonly trial: boolean; readonly scope: Scope },
  work: () => Promise<T>,
  swapped?: (done: T) => ReadonlyMap<number, number>,
): Promise<{ readonly done: T; readonly access: ReturnType<typeof accessShift> | null }> {
  const before = trial ? await accessStanding(uow, person.today, scope) : null;
  const done = await work();
  if (!(await somebodySetsUp(uow, person.today))) throw new Problem(409, 'last-administrator', message('identity.lastAdministrator'));
  return { done, access: before && accessShift(before, await accessStanding(uow, person.today, scope), person.id, swapped?.(done)) };
}

/** Gives somebody a profile where access hangs on these sets, within what whoever gives it has there; tried, it tells whose access changes. */
export async function give(
  uow: UnitOfWork,
  { person, access, trial, body }: GivenBy,
  where: { readonly sets: readonly number[]; readonly scope: Scope; readonly on: GivenOn },
): Promise<{ readonly answer: { readonly id: string; readonly access: ReturnType<typeof accessShift> | null }; readonly entry: null }> {
  const { principalId, profile, reason } = body;
  requireDays(body);
  await requireProfile(uow, profile);
  await requireWithin(uow, access, where.sets, profile);
  await requirePrincipal(uow, principalId);
  const { done: id, access: shift } = await withShift(uow, { person, trial, scope: where.scope }, () =>
    placeGrant(uow, { principalId, profile, ...daysOf(body), reason, ...where.on }),
  );
  // Making the grant enters what was given.
  return { answer: { id, access: shift }, entry: null };
}

/** Grants as lists tell them; `timeZone`: the repository’s. */
export async function grantLines(db: Db, grants: readonly store.GrantRow[], timeZone: string): Promise<Told<GrantLine>[]> {
  const profiles = await loadProfiles(db);
  return grants.map((g) => grantLine(g, profiles, timeZone));
}

const grantLine = (g: store.GrantRow, profiles: Profiles, timeZone: string): Told<GrantLine> => ({
  id: g.id,
  principal: { id: g.principal_id, name: g.principal_name, kind: g.principal_kind, active: g.principal_active },
  place: { id: g.place_id, kind: g.place_kind, code: g.place_code, title: g.place_title },
  record: g.record_id === null ? null : { id: g.record_id, number: g.record_number!, title: g.record_title! },
  tag: g.tag_id === null ? null : { id: g.tag_id, name: g.tag_name!, active: g.tag_active! },
  profile: g.profile,
  as: profileWords(profileIn(profiles, g.profile)),
  from: g.from_on,
  until: g.until_on,
  reason: g.reason,
  madeBy: g.made_by,
  madeOn: formatCivilDate(dateInZone(g.made_at.getTime(), timeZone)),
  stencil: g.stencil,
});

/** What a person was given themselves, of what may be known: what `access` does not discover is left out. */
export const grantsOfPerson = async (db: Db, access: PersonAccess, personId: string, timeZone: string): Promise<Told<GrantLine>[]> => {
  const grants = await store.grantsOf(db, personId);
  return grantLines(
    db,
    grants.filter((g) => hasRight(access.on(g.access_set_id).all, 'discover')),
    timeZone,
  );
};
