import { message } from '@key-cellar/words';
import { filing, receiving, records } from '@key-cellar/contract';
import { refusalFor, takesRefusal } from '@key-cellar/core/records';
import * as z from 'zod';
import { actsFor, notFound, one, perhaps, Problem, somewhere, wrongField, type UnitOfWork } from '../kernel/index.js';
import { openScopes } from '../criteria/index.js';
import { placeKind, placesByIds, takesAround } from '../plan/index.js';
import {
  addVersion,
  containerById,
  dropUnusedContent,
  recordKind,
  setNewestVersion,
  standingOf,
  takenAs,
  type Services,
} from '../records/index.js';
import { loadRuleBook, recompute } from '../schedule/index.js';
import { addFiled, checkFiling, requireTaken, settle } from './filing.js';
import { willBeHeld } from './held.js';
import { arrivalKind } from './kinds.js';
import * as store from './store.js';
import { receive } from './upload.js';

const { act, actInParts, actOnEach } = actsFor<Services>();

/** Takes an arrival out of receiving: of two who do so at the same time the second finds it gone. */
async function take(uow: UnitOfWork, arrival: store.ArrivalRow): Promise<void> {
  if (!(await store.removeArrival(uow, arrival.id))) throw notFound(message('thing.arrival'));
}

/** One filing of the many that `receiving.file` takes. */
const oneFiling = { ...receiving.file, body: filing, response: z.object({ recordId: z.uuid(), number: z.string() }) };

export const fileOne = act(oneFiling, {
  name: 'filed',
  also: ['declared'],
  on: {
    place: one(placeKind, ({ body }) => body.placeId, 'deposit', { lock: false }),
    arrival: one(arrivalKind, ({ body }) => body.arrivalId, 'dispose'),
  },
  repeat: 'refused',
  async write(uow, { on: { place, arrival }, body, person, access, services }) {
    const checked = await checkFiling(uow, person, access, place, body);
    await take(uow, arrival);
    requireTaken(checked, arrival);
    const filed = await addFiled(services, uow, person, access, checked, body, {
      medium: 'electronic',
      containerId: null,
      versionNo: 1,
      size: arrival.size,
      mediaType: arrival.media_type,
      depositedBy: arrival.deposited_by,
    });
    await addVersion(uow, {
      recordId: filed.id,
      no: 1,
      contentId: arrival.content_id,
      fileName: arrival.file_name,
      mediaType: arrival.media_type,
      by: person.id,
      at: uow.at,
      note: '',
    });
    const said = {
      act: 'filed',
      subject: { kind: 'record', id: filed.id, name: `${filed.number} ${body.title}` },
      after: {
        place: place.code,
        recordType: checked.type.code,
        createdOn: body.createdOn,
        facts: checked.facts,
        fileName: arrival.file_name,
        size: arrival.size,
        sha256: arrival.sha256.toString('hex'),
      },
    };
    return {
      answer: { recordId: filed.id, number: filed.number },
      entry: [said, ...(await settle(services, uow, person, place, filed))],
    };
  },
});

export const receivingActs = {
  /** Takes in one file in one transaction: whatever breaks on the way leaves nothing behind. */
  upload: actInParts(receiving.upload, {
    name: 'received',
    on: { anywhere: somewhere('deposit'), place: perhaps(placeKind, ({ query }) => query.place, 'deposit', { lock: false }) },
    gate: 'none',
    repeat: 'another',
    async perform({ services, person, query, bytes, idempotencyKey }) {
      if (!bytes) throw new Problem(400, 'no-bytes', message('receiving.noBytes'));
      return {
        id: await receive(services, person, {
          name: query.name,
          source: query.source,
          placeId: query.place ?? null,
          idempotencyKey: idempotencyKey ?? null,
          bytes,
        }),
      };
    },
  }),

  file: actOnEach(receiving.file, {
    each: fileOne,
    items: ({ body }) => body.filings,
    line: ({ arrivalId, title: name }, came) =>
      came instanceof Problem
        ? { arrivalId, name, outcome: 'refused' as const, why: came.said, recordId: null, number: null }
        : { arrivalId, name, outcome: 'done' as const, why: message('receiving.filedAs', { number: came.number }), ...came },
    answer: (results) => ({ results }),
  }),

  describePhysical: act(receiving.describePhysical, {
    name: 'described a physical item',
    also: ['declared'],
    on: { place: one(placeKind, ({ body }) => body.placeId, 'deposit', { lock: false }) },
    repeat: 'another',
    async write(uow, { on: { place }, body, person, access, services }) {
      const checked = await checkFiling(uow, person, access, place, body);
      requireTaken(checked, null);
      const container = await containerById(uow, body.containerId);
      if (!container) throw wrongField('/containerId', message('receiving.thereNoSuchContainer'));
      const filed = await addFiled(services, uow, person, access, checked, body, {
        medium: 'physical',
        containerId: container.id,
        versionNo: 0,
        size: 0,
        mediaType: null,
        depositedBy: person.id,
      });
      const said = {
        act: 'described a physical item',
        subject: { kind: 'record', id: filed.id, name: `${filed.number} ${body.title}` },
        after: { place: place.code, recordType: checked.type.code, container: container.code, facts: checked.facts },
      };
      return {
        answer: { recordId: filed.id, number: filed.number },
        entry: [said, ...(await settle(services, uow, person, place, filed))],
      };
    },
  }),

  discard: act(receiving.discard, {
    name: 'discarded an arrival',
    on: { arrival: one(arrivalKind, ({ params }) => params.id, 'dispose') },
    repeat: 'refused',
    async write(uow, { on: { arrival } }) {
      // Its content is evidence already, though it is no record yet.
      if (willBeHeld(arrival, await openScopes(uow))) {
        throw new Problem(409, 'arrival-held', message('receiving.arrivalHeld'));
      }
      await take(uow, arrival);
      await dropUnusedContent(uow, [arrival.content_id]);
      return { answer: {}, entry: { before: { size: arrival.size, sha256: arrival.sha256.toString('hex') } } };
    },
  }),

  /** Makes something that arrived the newest version of a record. */
  addVersion: act(records.addVersion, {
    name: 'added a version',
    on: {
      record: one(recordKind, ({ params }) => params.id, 'edit'),
      arrival: one(arrivalKind, ({ body }) => body.arrivalId, 'dispose'),
    },
    repeat: 'refused',
    decide: ({ on: { record } }) => refusalFor({ kind: 'change', part: 'content' }, standingOf(record)),
    async write(uow, { on: { record, arrival }, body, person }) {
      if (record.medium === 'physical') throw new Problem(409, 'physical', message('receiving.physical'));
      const around = takesAround(await placesByIds(uow, record.places), record.places);
      const refusal = takesRefusal(around, { recordType: record.record_type, ...takenAs(arrival), size: arrival.size });
      if (refusal) throw new Problem(409, 'not-taken', refusal);
      await take(uow, arrival);
      const no = record.version_no + 1;
      await addVersion(uow, {
        recordId: record.id,
        no,
        contentId: arrival.content_id,
        fileName: arrival.file_name,
        mediaType: arrival.media_type,
        by: person.id,
        at: uow.at,
        note: body.note,
      });
      await setNewestVersion(uow, record.id, { no, size: arrival.size, mediaType: arrival.media_type, modifiedOn: person.today });
      await recompute(uow, [record.id], await loadRuleBook(uow), person.today);
      return {
        answer: { no },
        entry: {
          after: { no, fileName: arrival.file_name, size: arrival.size, sha256: arrival.sha256.toString('hex') },
          note: body.note || undefined,
        },
      };
    },
  }),
};
