import { message } from '@key-cellar/words';
import { holds, type HoldLine } from '@key-cellar/contract';
import { describeCriteria } from '@key-cellar/core/criteria';
import { holdRefusal } from '@key-cellar/core/holds';
import { refuse } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { send } from '../identity/index.js';
import {
  actsFor,
  atRepository,
  many,
  noRight,
  one,
  Problem,
  wrongField,
  somewhere,
  type Entered,
  type GuardRow,
  type Services,
  type UnitOfWork,
} from '../kernel/index.js';
import { holdKind, matterKind, noticeKind, recordToHold } from './kinds.js';
import * as store from './store.js';
import { goOnWithHold } from './working.js';

const { act } = actsFor<Services>();
const counsel = message('holds.counselKeepersPlaceHolds');
/** What goes on longer goes on beside. */
const patienceMs = 1500;

interface Cover {
  readonly id: string;
  readonly name: string;
  readonly outcome: store.CoverOutcome | 'refused';
}

const subjectOf = (hold: { id: string; name: string }) => ({ kind: 'hold', id: hold.id, name: hold.name });

/** Covers records; that each is held, the database enters with it. */
async function cover(uow: UnitOfWork, hold: { id: string }, records: readonly GuardRow[], because: string): Promise<Cover[]> {
  const names = new Map(records.map((r) => [r.id, r.name]));
  const outcomes = await store.cover(uow, hold.id, [...names.keys()], because);
  return outcomes.map((o) => ({ id: o.record_id, name: names.get(o.record_id)!, outcome: o.outcome }));
}

/** Those that were not covered because of the person’s rights. */
const leftOut = (left: readonly { id: string; name: string }[]): Cover[] =>
  left.map(({ id, name }) => ({ id, name, outcome: name === 'unknown' ? 'not found' : 'refused' }));

/** As much of what a hold has to do as a person waits for; gives what is left to do. */
async function goOnForAWhile(services: Services, holdId: string): Promise<HoldLine['doing']> {
  const until = Date.now() + patienceMs;
  await goOnWithHold(services, holdId, () => Date.now() < until);
  const work = await store.workOf(services.pool, holdId);
  return work ? { what: work.doing, done: work.done, total: work.total } : null;
}

async function notify(
  uow: UnitOfWork,
  hold: { id: string; name: string },
  input: { matter: string; reason: string; custodianIds: readonly string[] },
): Promise<Entered[]> {
  const custodianIds = [...new Set(input.custodianIds)];
  if (custodianIds.length === 0) return [];
  const people = await store.peopleAmong(uow, custodianIds);
  if (custodianIds.some((id) => !people.has(id))) throw wrongField('/custodianIds', message('holds.custodianPersonOneThese'));
  await store.addCustodians(uow, hold.id, custodianIds, uow.at);
  await send(
    uow,
    custodianIds.map((toId) => ({
      toId,
      kind: 'hold notice',
      subject: message('holds.letter.notice', { hold: hold.name }),
      body: message('holds.letter.noticeBody', { matter: input.matter, reason: input.reason }),
      link: `/holds/${hold.id}`,
    })),
  );
  return [{ act: 'notified custodians', subject: subjectOf(hold), after: { custodians: custodianIds } }];
}

export const holdActs = {
  makeMatter: act(holds.makeMatter, {
    name: 'opened a matter',
    on: { repository: somewhere('hold') },
    gate: 'none',
    repeat: 'refused',
    write: async (uow, { body, person }) => {
      const id = uuidv7();
      await store.addMatter(uow, { ...body, id, opened_on: person.today });
      const subject = { kind: 'matter', id, name: `${body.code} ${body.title}` };
      return { answer: { id }, entry: { subject, after: body } };
    },
  }),

  /**
   * With criteria it stands first, while nobody lets records go; from then on whoever writes a record asks it, and what is there already
   * is covered in steps (working.ts, functions/holds.sql). It reaches whatever matches, also what its placer may not see: a freeze
   * with gaps would be worse, so only counsel of the whole repository place one.
   */
  placeHold: act(holds.placeHold, {
    name: 'placed a hold',
    also: ['held', 'notified custodians'],
    on: {
      repository: atRepository(
        { words: 'hold, for a hold by criteria', may: ['hold'], of: ({ body }) => (body.criteria ? 'hold' : null) },
        message('holds.counselWholeRepositoryPlaces'),
      ),
      matter: one(matterKind, ({ body }) => body.matterId, noRight),
      records: many(recordToHold, ({ body }) => body.recordIds, 'hold', { who: counsel }),
    },
    repeat: 'another',
    write: async (uow, { body, person, on, left }) => {
      if (on.records.length === 0 && !body.criteria) {
        throw new Problem(409, 'nothing-to-hold', message('holds.nothingToHold', { counsel }));
      }
      const hold = { id: uuidv7(), name: body.name };
      await store.addHold(uow, { ...body, ...hold, criteria: body.criteria ?? null, by: person.id, at: uow.at });
      const listed = await cover(uow, hold, on.records, 'listed');
      const notified = await notify(uow, hold, { matter: on.matter.title, reason: body.reason, custodianIds: body.custodianIds });
      const placed = {
        subject: subjectOf(hold),
        act: 'placed a hold',
        after: {
          matter: on.matter.code,
          freeze: body.freeze,
          records: body.recordIds.length,
          criteria: body.criteria ? describeCriteria(body.criteria) : null,
        },
        note: body.reason,
      };
      return {
        answer: {
          id: hold.id,
          covered: listed.filter((r) => r.outcome === 'covered').length,
          doing: body.criteria ? ({ what: 'covering', done: 0, total: null } as const) : null,
          results: [...listed, ...leftOut(left)],
        },
        entry: [placed, ...notified],
      };
    },
    follow: async (services, answer) => {
      const doing = await goOnForAWhile(services, answer.id);
      return { ...answer, doing, covered: await store.countCovered(services.pool, answer.id) };
    },
  }),

  addRecords: act(holds.addRecords, {
    name: 'added records to a hold',
    also: ['held'],
    on: {
      hold: one(holdKind, ({ params }) => params.id, 'hold', { who: counsel }),
      records: many(recordToHold, ({ body }) => body.recordIds, 'hold', { who: counsel }),
    },
    repeat: 'same',
    decide: ({ on }) => holdRefusal(on.hold.state, { kind: 'widen' }),
    write: async (uow, { on, left }) => {
      const results = await cover(uow, on.hold, on.records, 'listedLater');
      const covered = results.filter((r) => r.outcome === 'covered').length;
      return {
        answer: { covered, results: [...results, ...leftOut(left)] },
        entry: covered === 0 ? null : { act: 'added records to a hold', after: { records: covered } },
      };
    },
  }),

  letOut: act(holds.letOut, {
    name: 'let out of a hold',
    on: {
      hold: one(holdKind, ({ params }) => params.id, 'hold', { who: counsel }),
      records: many(recordToHold, ({ body }) => body.recordIds, 'hold', { who: counsel }),
    },
    repeat: 'same',
    decide: ({ on, body }) => holdRefusal(on.hold.state, { kind: 'letOut', reason: body.reason }),
    write: async (uow, { on, body, person, left }) => {
      const ids = on.records.map((r) => r.id);
      const covered = new Set(await store.letOut(uow, on.hold.id, ids, person.id, body.reason));
      const results = on.records.map(({ id, name }) =>
        covered.has(id)
          ? ({ id, name, outcome: 'done', why: message('holds.letOut') } as const)
          : ({ id, name, outcome: 'skipped', why: message('holds.holdDoesNotCover') } as const),
      );
      // Its entry on each record, the database makes.
      return { answer: { released: covered.size, results: [...results, ...left] }, entry: null };
    },
  }),

  release: act(holds.release, {
    name: 'released a hold',
    also: ['released from a hold'],
    on: { hold: one(holdKind, ({ params }) => params.id, 'hold', { who: counsel }) },
    repeat: 'refused',
    decide: ({ on, body }) => holdRefusal(on.hold.state, { kind: 'release', reason: body.reason }),
    write: async (uow, { on, body, person }) => {
      const covers = await store.countCovered(uow, on.hold.id);
      await store.release(uow, on.hold.id, person.id, uow.at, body.reason);
      return {
        answer: { id: on.hold.id, released: covers, doing: { what: 'releasing', done: 0, total: null } as const },
        entry: { before: { covers }, note: body.reason },
      };
    },
    follow: async (services, answer) => ({ ...answer, doing: await goOnForAWhile(services, answer.id) }),
  }),

  acknowledge: act(holds.acknowledge, {
    name: 'acknowledged a hold',
    on: { notice: one(noticeKind, ({ params }) => params.id, noRight) },
    gate: 'none',
    repeat: 'refused',
    decide: ({ on }) => (on.notice.acknowledged ? refuse('acknowledged', message('holds.acknowledged')) : null),
    write: async (uow, { on, person }) => {
      await store.acknowledge(uow, on.notice.id, person.id, uow.at);
      return { answer: {}, entry: {} };
    },
  }),

  remind: act(holds.remind, {
    name: 'reminded custodians',
    on: { hold: one(holdKind, ({ params }) => params.id, 'hold', { who: counsel }) },
    gate: 'none',
    repeat: 'same',
    decide: ({ on }) => holdRefusal(on.hold.state, { kind: 'remind' }),
    write: async (uow, { on: { hold } }) => {
      const late = await store.remind(uow, hold.id);
      await send(
        uow,
        late.map((c) => ({
          toId: c.principal_id,
          kind: 'hold reminder',
          subject: message('holds.letter.reminder', { hold: hold.name }),
          body: message('holds.letter.reminderBody', { reason: hold.reason }),
          link: `/holds/${hold.id}`,
        })),
      );
      return {
        answer: { reminded: late.length },
        entry: late.length === 0 ? null : { after: { custodians: late.map((c) => c.principal_id) } },
      };
    },
  }),
};
