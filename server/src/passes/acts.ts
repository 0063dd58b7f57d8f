import { passes } from '@key-cellar/contract';
import { addPeriod, civilDate, formatCivilDate } from '@key-cellar/core/calendar';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import { countTry, forgetTries, hashPassword, isRight, newToken, readSettings, tokenHash } from '../identity/index.js';
import {
  actsFor,
  many,
  mayOn,
  notAllowed,
  notFound,
  one,
  perhaps,
  Problem,
  SessionChange,
  withUnitOfWork,
  wrongField,
  type Kind,
} from '../kernel/index.js';
import { placeKind } from '../plan/index.js';
import { recordKind, type Services } from '../records/index.js';
import * as store from './store.js';
import { accessOfMaker, stateOf, visitorActor } from './visiting.js';

const { act, freeAct } = actsFor<Services>();

const usualDays = 30;
const keepers = message('passes.stewardKeeperCan');

const subjectOf = (pass: { readonly id: string; readonly visitor: string }) => ({ kind: 'pass', id: pass.id, name: pass.visitor });

type FoundPass = store.PassRow & { readonly mine: boolean };

const passKind: Kind<FoundPass> = {
  word: 'pass',
  what: message('thing.pass'),
  see: ['grant', 'audit'],
  find: async (db, ids, lock, asker) =>
    (await (lock ? store.lockPasses(db, ids) : store.passesById(db, ids))).map((pass) => ({ ...pass, mine: pass.made_by === asker.id })),
  id: (pass) => pass.id,
  subject: subjectOf,
  sets: (pass) => pass.sets,
  mine: (pass) => pass.mine,
};

/** The last day of a pass that is asked for on a day; throws 422 for one that has passed, or is more than a year away. */
function lastDay(wanted: string | null, today: string): string {
  const now = civilDate(today);
  if (wanted === null) return formatCivilDate(now + usualDays);
  if (wanted < today) throw wrongField('/until', message('passes.endsBefore'));
  if (civilDate(wanted) > addPeriod(now, { years: 1, months: 0, weeks: 0, days: 0 })) throw wrongField('/until', message('passes.aYear'));
  return wanted;
}

export const passActs = {
  make: act(passes.make, {
    name: 'made a visitor pass',
    on: {
      records: many(recordKind, ({ body }) => [...new Set(body.recordIds)], 'link', { who: keepers, lock: false }),
      place: perhaps(placeKind, ({ body }) => body.placeId, 'link', { who: keepers, lock: false }),
    },
    repeat: 'another',
    async write(uow, { person, access, on: { records, place }, left, body }) {
      if ((place === undefined) === (body.recordIds.length === 0)) throw wrongField('/recordIds', message('passes.recordsOrPlace'));
      if (place && place.kind !== 'folder' && place.kind !== 'series') throw wrongField('/placeId', message('passes.seriesOrFolder'));
      if (records.some((r) => r.state === 'disposed')) throw new Problem(409, 'disposed', message('records.recordDisposed'));
      const [refused] = left;
      if (refused) throw new Problem(403, 'not-allowed', message('passes.notOn', { name: refused.name, why: refused.why }));
      for (const right of ['read', ...(body.copyOut ? (['copyOut'] as const) : [])] as const)
        if ([...records, ...(place ? [place] : [])].some((thing) => !mayOn(access, person, { access_set_id: thing.access_set_id }, right)))
          throw notAllowed(right, keepers);
      const until = lastDay(body.until, person.today);
      const [id, token] = [uuidv7(), newToken()];
      const { visitor, reason, openings, copyOut } = body;
      const passphraseHash = body.passphrase === null ? null : await hashPassword(body.passphrase);
      await store.addPass(uow, {
        ...{ id, tokenHash: tokenHash(token), visitor, reason, madeBy: person.id, until, passphraseHash, openings, copyOut },
        placeId: place?.id ?? null,
        recordIds: records.map((r) => r.id),
      });
      const what = place ? { place: place.id } : { records: records.map((r) => r.id) };
      return {
        answer: { id, token, until },
        entry: {
          subject: subjectOf({ id, visitor }),
          after: { ...what, until, copyOut, openings, passphrase: passphraseHash !== null },
          note: reason,
        },
      };
    },
  }),

  revoke: act(passes.revoke, {
    name: 'revoked a visitor pass',
    on: {
      pass: one(passKind, ({ params }) => params.id, {
        words: 'none for whoever made it, grant for others',
        may: ['grant'],
        of: (_input, pass) => (pass.mine ? null : 'grant'),
      }),
    },
    repeat: 'refused',
    async write(uow, { person, on: { pass }, body }) {
      if (pass.revoked_at !== null) throw new Problem(409, 'revoked', message('passes.revokedAlready'));
      await store.revokePass(uow, pass.id, person.id, body.reason);
      return { answer: {}, entry: { before: { until: pass.until, opened: pass.opened }, note: body.reason } };
    },
  }),

  open: freeAct(passes.open, {
    name: 'opened a visitor pass',
    also: ['refused a visitor pass'],
    because: 'the link says who somebody is',
    gate: 'none',
    repeat: 'another',
    async free({ services, body, address }) {
      const { pool } = services;
      const { today } = await readSettings(pool);
      const known = await store.passByToken(pool, tokenHash(body.token));
      if (!known) throw notFound(message('thing.link'));
      const tried = `pass ${known.id}`;
      if (known.passphrase_hash !== null) {
        await countTry(pool, tried, { address, today });
        if (!(await isRight(known.passphrase_hash, body.passphrase ?? ''))) {
          await withUnitOfWork(
            pool,
            visitorActor(known, address, today),
            (uow) => uow.enter({ act: 'refused a visitor pass', subject: subjectOf(known), after: { why: 'passphrase' } }),
            'none',
          );
          throw new Problem(401, 'wrong-passphrase', message('passes.wrongPassphrase'));
        }
      }
      return withUnitOfWork(
        pool,
        visitorActor(known, address, today),
        async (uow) => {
          const [pass] = await store.lockPasses(uow, [known.id]);
          const state = stateOf(pass!, await accessOfMaker(services, pass!, today), today);
          if (state !== 'open') throw new Problem(409, 'pass-over', message('passes.worksNoMore'));
          const token = newToken();
          await store.countOpening(uow, known.id, tokenHash(token), address);
          if (known.passphrase_hash !== null) await forgetTries(uow, tried, address);
          uow.enter({ act: 'opened a visitor pass', subject: subjectOf(known), after: { opening: pass!.opened + 1 } });
          return new SessionChange({ token, maxAgeSeconds: store.longestHours * 3600 }, 'visitor');
        },
        'none',
      );
    },
  }),
};
