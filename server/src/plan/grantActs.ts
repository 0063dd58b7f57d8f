import { people, type GrantLine, type OutcomeLine, type Told } from '@key-cellar/contract';
import { hasRight, profile, profileWords, type RightSet } from '@key-cellar/core/access';
import { dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message, type Message } from '@key-cellar/words';
import {
  accessShift,
  accessStanding,
  grantsAround,
  grantsById,
  grantsOf,
  lockGrants,
  placeGrant,
  settleAnchor,
  somebodySetsUp,
  takeGrantBack,
  writeGrant,
  type GrantRow,
} from '../access/index.js';
import {
  actsFor,
  many,
  mayAtRepository,
  notAllowed,
  one,
  Problem,
  requireRight,
  wrongField,
  type Db,
  type Entered,
  type Kind,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { requireRevision } from './changes.js';
import { lockPlan } from './codeStore.js';
import { placeKind } from './kinds.js';
import { placeById, principalInUse, writeStandAlone } from './placeStore.js';

const { act } = actsFor<Services>();

const grantKind: Kind<GrantRow> = {
  word: 'grant',
  what: message('thing.grant'),
  see: ['discover'],
  find: (db, ids, lock) => (lock ? lockGrants(db, ids) : grantsById(db, ids)),
  id: (grant) => grant.id,
  subject: (grant) => ({ kind: 'place', id: grant.place_id, name: `${grant.place_code} ${grant.place_title}` }),
  sets: (grant) => [grant.access_set_id],
};

/** Nobody gives, or takes, more than they have there themselves; who sets up the repository may. Null where nothing speaks against it. */
async function beyond(uow: UnitOfWork, access: PersonAccess, setId: number, named: string): Promise<Message | null> {
  const rights: RightSet = profile(named).rights;
  const within = (rights & ~access.on(setId).all) === 0 || (await mayAtRepository(uow, access, 'setUp'));
  return within ? null : message('access.moreThanYou', { profile: profileWords(named) });
}

async function requireWithin(uow: UnitOfWork, access: PersonAccess, setId: number, named: string): Promise<void> {
  const sentence = await beyond(uow, access, setId, named);
  if (sentence) throw new Problem(403, 'not-allowed', sentence);
}

function requireDays({ from, until }: { readonly from: string | null; readonly until: string | null }): void {
  if (from !== null && until !== null && until < from) throw wrongField('/until', message('exchange.grantEnds'));
}

const whyNotUntil = (grant: GrantRow, until: string | null): Message | null =>
  until !== null && grant.from_on !== null && until < grant.from_on ? message('exchange.grantEnds') : null;

/** Does something about access, and tells whose it changes, in a place or everywhere, when it is only tried. Refuses to leave nobody who could set up. */
async function withShift<T>(
  uow: UnitOfWork,
  { person, trial, placeId }: { readonly person: SignedIn; readonly trial: boolean; readonly placeId: string | null },
  work: () => Promise<T>,
): Promise<{ readonly done: T; readonly access: ReturnType<typeof accessShift> | null }> {
  const before = trial ? await accessStanding(uow, person.today, placeId) : null;
  const done = await work();
  if (!(await somebodySetsUp(uow, person.today))) throw new Problem(409, 'last-administrator', message('identity.lastAdministrator'));
  return { done, access: before && accessShift(before, await accessStanding(uow, person.today, placeId), person.id) };
}

const daysOf = ({ from, until }: { readonly from: string | null; readonly until: string | null }) => ({
  ...(from === null ? {} : { from }),
  ...(until === null ? {} : { until }),
});

export const grantActs = {
  giveGrant: act(people.giveGrant, {
    name: 'granted',
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { place }, body }) {
      requireDays(body);
      await requireWithin(uow, access, place.access_set_id, body.profile);
      if (!(await principalInUse(uow, body.principalId))) throw wrongField('/principalId', message('identity.noMember'));
      const { done: id, access: shift } = await withShift(uow, { person, trial, placeId: place.id }, () =>
        placeGrant(uow, {
          principalId: body.principalId,
          placeId: place.id,
          profile: body.profile,
          ...daysOf(body),
          reason: body.reason,
        }),
      );
      return { answer: { id, access: shift }, entry: null };
    },
  }),

  changeGrant: act(people.changeGrant, {
    name: 'changed a grant',
    on: { grant: one(grantKind, ({ params }) => params.id, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { grant }, body }) {
      requireDays(body);
      await requireWithin(uow, access, grant.access_set_id, grant.profile);
      await requireWithin(uow, access, grant.access_set_id, body.profile);
      const { from, until, reason } = body;
      const was = { profile: grant.profile, from: grant.from_on, until: grant.until_on };
      const is = { profile: body.profile, from, until };
      const { access: shift } = await withShift(uow, { person, trial, placeId: grant.place_id }, () =>
        writeGrant(uow, { id: grant.id, ...is, reason }),
      );
      const same = JSON.stringify(was) === JSON.stringify(is) && grant.reason === reason;
      const principal = grant.principal_id;
      return {
        answer: { access: shift },
        entry: same ? null : { before: { principal, ...was }, after: { principal, ...is }, note: reason },
      };
    },
  }),

  limitGrants: act(people.limitGrants, {
    name: ['took a grant back', 'changed a grant'],
    on: { grants: many(grantKind, ({ body }) => body.ids, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { grants }, left, body: { until, reason } }) {
      const results: Told<OutcomeLine>[] = [];
      const entries: Entered[] = [];
      const { access: shift } = await withShift(uow, { person, trial, placeId: null }, async () => {
        for (const grant of grants) {
          const line = { id: grant.id, name: `${grant.principal_name} · ${grant.place_code} ${grant.place_title}` };
          const against = (await beyond(uow, access, grant.access_set_id, grant.profile)) ?? whyNotUntil(grant, until);
          if (against) {
            results.push({ ...line, outcome: 'refused', why: against });
          } else if (until === null) {
            await takeGrantBack(uow, grant, reason);
            results.push({ ...line, outcome: 'done', why: message('access.grantEnded') });
          } else if (grant.until_on === until) {
            results.push({ ...line, outcome: 'skipped', why: message('access.grantEndsThen') });
          } else {
            const { id, profile: as, from_on: from } = grant;
            await writeGrant(uow, { id, profile: as, from, until, reason });
            results.push({ ...line, outcome: 'done', why: message('access.grantUntil', { until: { day: until } }) });
            const same = { principal: grant.principal_id, profile: as, from };
            entries.push({
              ...{ act: 'changed a grant', subject: grantKind.subject(grant), note: reason },
              ...{ before: { ...same, until: grant.until_on }, after: { ...same, until } },
            });
          }
        }
      });
      return { answer: { results: [...results, ...left], access: shift }, entry: entries.length === 0 ? null : entries };
    },
  }),

  setStandAlone: act(people.setStandAlone, {
    name: ['let a place stand alone', 'opened a place to what is around it'],
    on: { place: one(placeKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    // The plan before its places, as whoever moves one does.
    first: lockPlan,
    async write(uow, { person, trial, on: { place }, body }) {
      if (place.kind === 'repository') throw new Problem(409, 'the-repository', message('plan.repositoryStandsAlone'));
      requireRevision(place, body.revision);
      const { standAlone } = body;
      const { access: shift } = await withShift(uow, { person, trial, placeId: place.id }, async () => {
        await writeStandAlone(uow, place.id, standAlone);
        await settleAnchor(uow, place.id);
      });
      return {
        answer: { revision: place.revision + 1, access: shift },
        entry: {
          act: standAlone ? 'let a place stand alone' : 'opened a place to what is around it',
          before: { standAlone: place.stand_alone },
          after: { standAlone },
          note: body.reason,
        },
      };
    },
  }),

  endGrant: act(people.endGrant, {
    name: 'took a grant back',
    on: { grant: one(grantKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { grant }, body }) {
      await requireWithin(uow, access, grant.access_set_id, grant.profile);
      const { access: shift } = await withShift(uow, { person, trial, placeId: grant.place_id }, () =>
        takeGrantBack(uow, grant, body.reason),
      );
      return { answer: { access: shift }, entry: null };
    },
  }),
};

const grantLine = (g: GrantRow, timeZone: string): GrantLine => ({
  id: g.id,
  principal: { id: g.principal_id, name: g.principal_name, kind: g.principal_kind, active: g.principal_active },
  place: { id: g.place_id, kind: g.place_kind, code: g.place_code, title: g.place_title },
  profile: g.profile,
  from: g.from_on,
  until: g.until_on,
  reason: g.reason,
  madeBy: g.made_by,
  madeOn: formatCivilDate(dateInZone(g.made_at.getTime(), timeZone)),
  stencil: g.stencil,
});

/** What a person was given themselves, of what may be known: places that `access` does not discover are left out. */
export const grantsOfPerson = async (db: Db, access: PersonAccess, personId: string, timeZone: string): Promise<GrantLine[]> =>
  (await grantsOf(db, personId)).filter((g) => hasRight(access.on(g.access_set_id).all, 'discover')).map((g) => grantLine(g, timeZone));

export const grantReads: Pick<ReadsOf<typeof people, Services>, 'grantsOn'> = {
  grantsOn: async ({ services: { pool }, access, person, params }) => {
    const known = await access();
    const place = requireRight(known, person, await placeById(pool, params.id), 'discover', message('thing.place'));
    const may = (right: 'grant' | 'audit' | 'dispose'): boolean => hasRight(known.on(place.access_set_id).all, right);
    if (!may('grant') && !may('audit') && !may('dispose')) throw notAllowed('grant');
    return { grants: (await grantsAround(pool, place.id)).map((g) => grantLine(g, person.timeZone)), mayGrant: may('grant') };
  },
};
