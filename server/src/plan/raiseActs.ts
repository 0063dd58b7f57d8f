import { access as endpoints, type RaiseLine, type Told } from '@key-cellar/contract';
import { hasRight, profileIn, profileWords, type Profiles } from '@key-cellar/core/access';
import { addPeriod, civilDate, dateInZone, formatCivilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { grantsById, loadProfiles, placeGrant, requirePrincipal, requireProfile, requireWithin, type GrantRow } from '../access/index.js';
import { send } from '../identity/index.js';
import {
  actsFor,
  noRight,
  one,
  Problem,
  wrongField,
  type Kind,
  type PersonAccess,
  type ReadsOf,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { placeKind } from './kinds.js';
import * as store from './raiseStore.js';

const { act } = actsFor<Services>();
/** Whoever is given more for some days has it for so many at most. */
const mostDays = 90;
const mostListed = 100;

type FoundRaise = store.RaiseRow & { readonly mine: boolean };

const raiseKind: Kind<FoundRaise> = {
  word: 'request for access',
  what: message('thing.raise'),
  see: ['grant', 'audit'],
  find: async (db, ids, lock, asker) =>
    (await (lock ? store.lockRaises(db, ids) : store.raisesById(db, ids))).map((r) => ({ ...r, mine: r.asker_id === asker.id })),
  id: (raise) => raise.id,
  subject: (raise) => ({ kind: 'place', id: raise.place_id, name: placeName(raise) }),
  sets: (raise) => [raise.access_set_id],
  mine: (raise) => raise.mine,
};

/** Somebody’s own: of others’ nobody is told by it. */
const ownRaiseKind: Kind<FoundRaise> = {
  ...raiseKind,
  word: 'own request for access',
  find: async (db, ids, lock, asker) => (await raiseKind.find(db, ids, lock, asker)).filter((r) => r.mine),
};

const placeName = (r: Pick<store.RaiseRow, 'place_code' | 'place_title'>): string => `${r.place_code} ${r.place_title}`.trim();

/** Throws 422 for a last day that has passed, or is farther away than anybody is given more for. */
function requireUntil(until: string, today: string): void {
  if (until < today) throw wrongField('/until', message('access.raisePast'));
  const last = addPeriod(civilDate(today), { years: 0, months: 0, weeks: 0, days: mostDays });
  if (civilDate(until) > last) throw wrongField('/until', message('access.raiseTooLong', { days: mostDays }));
}

function requireOpen(raise: store.RaiseRow): void {
  if (raise.state !== 'open') throw new Problem(409, 'decided', message('access.raiseDecided'));
}

/** Whether somebody may decide on a request: who gives access there, and never who asked. */
const mayDecide = (raise: FoundRaise, access: PersonAccess): boolean =>
  !raise.mine && hasRight(access.on(raise.access_set_id).all, 'grant');

/**
 * Grants of who asked that count at the place from farther out. The nearest place counts for each principal, so that more right there would take
 * them away: for as long, they are given there as well.
 */
async function ownFartherOut(uow: UnitOfWork, services: Services, raise: store.RaiseRow, today: string): Promise<GrantRow[]> {
  const asker = (await services.access.everyone(today)).find((p) => p.id === raise.asker_id);
  const counting = asker?.access
    .explain(raise.access_set_id)
    .weighed.filter((w) => w.status === 'counts' && w.grant.principalId === raise.asker_id)
    .map((w) => w.grant.id);
  return (await grantsById(uow, counting ?? [])).filter((g) => g.place_id !== raise.place_id);
}

export const raiseActs = {
  askRaise: act(endpoints.askRaise, {
    name: 'asked for more access',
    on: { place: one(placeKind, ({ body }) => body.placeId, noRight, { lock: false }) },
    repeat: 'refused',
    async write(uow, { services, person, access, on: { place }, body: { profile: code, until, reason } }) {
      requireUntil(until, person.today);
      await requireProfile(uow, code);
      const profile = profileIn(await loadProfiles(uow), code);
      if ((profile.rights & ~access.on(place.access_set_id).all) === 0) throw new Problem(409, 'has-it', message('access.raiseNothing'));
      const id = uuidv7();
      const deciders = (await services.access.everyone(person.today)).filter(
        (one_) => one_.id !== person.id && hasRight(one_.access.on(place.access_set_id).all, 'grant'),
      );
      // A request that nobody could answer would wait for nothing.
      if (deciders.length === 0) throw new Problem(409, 'nobody-decides', message('access.raiseNobody'));
      const added = await store.addRaise(uow, { id, askerId: person.id, placeId: place.id, profile: code, until, reason });
      if (!added) throw new Problem(409, 'asked', message('access.raiseAsked'));
      const name = `${place.code} ${place.title}`.trim();
      const words = { who: person.name, profile: profileWords(profile), place: name, until: { day: until } };
      await send(
        uow,
        deciders.map((one_) => ({
          toId: one_.id,
          kind: 'access',
          subject: message('access.letter.asks', words),
          body: message('access.letter.asksBody', { ...words, reason }),
          link: '/access/asked',
        })),
      );
      return { answer: { id }, entry: { after: { profile: code, until }, note: reason } };
    },
  }),

  decideRaise: act(endpoints.decideRaise, {
    name: ['granted more access for some days', 'refused more access'],
    also: ['granted'],
    on: { raise: one(raiseKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    async write(uow, { services, person, access, on: { raise }, body: { approve, note, until = raise.until } }) {
      if (raise.mine) throw new Problem(403, 'not-allowed', message('access.raiseOwn'));
      requireOpen(raise);
      const before = { profile: raise.profile, until: raise.until };
      const decided = { id: raise.id, by: person.id, at: uow.at, note };
      if (approve) {
        requireUntil(until, person.today);
        if (until > raise.until) throw wrongField('/until', message('access.raiseLonger', { until: { day: raise.until } }));
        await requireProfile(uow, raise.profile);
        await requirePrincipal(uow, raise.asker_id);
        await requireWithin(uow, access, [raise.access_set_id], raise.profile);
        await store.decideRaise(uow, { ...decided, state: 'approved', until });
        const { asker_id: principalId, place_id: placeId, profile, reason } = raise;
        const given = { principalId, placeId, from: person.today, reason };
        for (const own of await ownFartherOut(uow, services, raise, person.today))
          await placeGrant(uow, {
            ...given,
            profile: own.profile,
            until: own.until_on !== null && own.until_on < until ? own.until_on : until,
          });
        await placeGrant(uow, { ...given, profile, until });
      } else await store.decideRaise(uow, { ...decided, state: 'refused', until: raise.until });
      const profile = profileWords(profileIn(await loadProfiles(uow), raise.profile));
      const words = { profile, place: placeName(raise), until: { day: until }, by: person.name };
      await send(uow, [
        {
          toId: raise.asker_id,
          kind: 'access',
          subject: approve ? message('access.letter.raised', words) : message('access.letter.notRaised', words),
          body: note === '' ? message('access.letter.decided', words) : message('access.letter.decidedBecause', { ...words, note }),
          link: `/plan/${raise.place_id}`,
        },
      ]);
      const entry = { act: approve ? 'granted more access for some days' : 'refused more access', before, note };
      return { answer: {}, entry: approve ? { ...entry, after: { profile: raise.profile, until } } : entry };
    },
  }),

  withdrawRaise: act(endpoints.withdrawRaise, {
    name: 'no longer asked for more access',
    on: { raise: one(ownRaiseKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    async write(uow, { person, on: { raise } }) {
      requireOpen(raise);
      await store.decideRaise(uow, { id: raise.id, state: 'withdrawn', until: raise.until, by: person.id, at: uow.at, note: '' });
      return { answer: {}, entry: { before: { profile: raise.profile, until: raise.until } } };
    },
  }),
};

const line = (r: FoundRaise, access: PersonAccess, profiles: Profiles, { today, timeZone }: SignedIn): Told<RaiseLine> => ({
  id: r.id,
  person: { id: r.asker_id, name: r.asker },
  place: { id: r.place_id, kind: r.place_kind, code: r.place_code, title: r.place_title },
  profile: r.profile,
  as: profileWords(profileIn(profiles, r.profile)),
  until: r.until,
  reason: r.reason,
  askedOn: formatCivilDate(dateInZone(r.asked_at.getTime(), timeZone)),
  // What was given ends by itself; what nobody answered in time asks no more.
  state: (r.state === 'open' || r.state === 'approved') && r.until < today ? 'over' : r.state,
  decidedBy: r.decided_by,
  note: r.note,
  mine: r.mine,
  mayDecide: r.state === 'open' && r.until >= today && mayDecide(r, access),
});

export const raiseReads: Pick<ReadsOf<typeof endpoints, Services>, 'raises'> = {
  raises: async ({ services: { pool }, person, access }) => {
    const known = await access();
    const [profiles, own, others] = [
      await loadProfiles(pool),
      await store.raisesOf(pool, person.id, mostListed),
      await store.raisesIn(pool, [...new Set([...known.sets('grant'), ...known.sets('audit')])], person.id, mostListed),
    ];
    const told = (raises: readonly store.RaiseRow[], mine: boolean) => raises.map((r) => line({ ...r, mine }, known, profiles, person));
    return { raises: [...told(others, false), ...told(own, true)] };
  },
};
