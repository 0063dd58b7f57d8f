import { people, type OutcomeLine, type Told } from '@key-cellar/contract';
import { message, type Message } from '@key-cellar/words';
import { actsFor, many, one, type Entered, type Services } from '../kernel/index.js';
import type { Scope } from './change.js';
import { beyond, grantKind, requireDays, requireProfile, requireWithin, setsOfGrant, withShift } from './giving.js';
import { grantSubject, takeGrantBack } from './grants.js';
import { writeGrant, type GrantRow } from './store.js';

const { act } = actsFor<Services>();

const whyNotUntil = (grant: GrantRow, until: string | null): Message | null =>
  until !== null && grant.from_on !== null && until < grant.from_on ? message('exchange.grantEnds') : null;

function scopeOf(grant: GrantRow): Scope {
  if (grant.tag_id !== null) return 'everything';
  return grant.record_id === null ? { placeId: grant.place_id } : { recordIds: [grant.record_id] };
}

/** What becomes of grants that are there, on places and on records. */
export const grantActs = {
  changeGrant: act(people.changeGrant, {
    name: 'changed a grant',
    on: { grant: one(grantKind, ({ params }) => params.id, 'grant') },
    repeat: 'same',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { grant }, body }) {
      requireDays(body);
      const sets = await setsOfGrant(uow, grant);
      await requireWithin(uow, access, sets, grant.profile);
      if (body.profile !== grant.profile) await requireProfile(uow, body.profile);
      await requireWithin(uow, access, sets, body.profile);
      const { from, until, reason } = body;
      const was = { profile: grant.profile, from: grant.from_on, until: grant.until_on };
      const is = { profile: body.profile, from, until };
      const { access: shift } = await withShift(uow, { person, trial, scope: scopeOf(grant) }, () =>
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
      const { access: shift } = await withShift(uow, { person, trial, scope: 'everything' }, async () => {
        for (const grant of grants) {
          const line = { id: grant.id, name: `${grant.principal_name} · ${grantSubject(grant).name}` };
          const against = (await beyond(uow, access, await setsOfGrant(uow, grant), grant.profile)) ?? whyNotUntil(grant, until);
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

  endGrant: act(people.endGrant, {
    name: 'took a grant back',
    on: { grant: one(grantKind, ({ params }) => params.id, 'grant') },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    async write(uow, { person, access, trial, on: { grant }, body }) {
      await requireWithin(uow, access, await setsOfGrant(uow, grant), grant.profile);
      const { access: shift } = await withShift(uow, { person, trial, scope: scopeOf(grant) }, () =>
        takeGrantBack(uow, grant, body.reason),
      );
      return { answer: { access: shift }, entry: null };
    },
  }),
};
