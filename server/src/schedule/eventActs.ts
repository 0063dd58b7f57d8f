import { message } from '@key-cellar/words';
import { plan, schedule, setup } from '@key-cellar/contract';
import { refuse } from '@key-cellar/core/records';
import { uuidv7 } from 'uuidv7';
import { entityKind } from '../facts/index.js';
import { actsFor, one, somewhere, type RightOn } from '../kernel/index.js';
import { placeKind } from '../plan/index.js';
import { requireForeseeable } from './events.js';
import { requireEventType } from './lists.js';
import * as events from './eventsStore.js';
import { readEvents } from './eventTable.js';
import { clockKind, eventKind } from './kinds.js';
import { recomputedAtOnce, recomputeTelling, recomputeWithin } from './recomputing.js';
import type { Services } from './services.js';

const { act, actInParts } = actsFor<Services>();
const job = { kind: 'recompute', beyond: recomputedAtOnce } as const;
const editors = message('schedule.editorsKeepersLookAfter');

/** What happened to a place or record is noted by whoever may annotate it; to a party or object by its editors. */
const toWithdraw: RightOn<events.LockedEvent> = {
  words: 'annotate on a place or record, edit on a party or business object',
  may: ['annotate', 'edit'],
  of: (_input, event) => (event.entity_id === null ? 'annotate' : 'edit'),
};

export const eventActs = {
  recordEvent: act(plan.recordEvent, {
    name: 'recorded an event',
    on: { place: one(placeKind, ({ params }) => params.id, 'annotate', { lock: false }) },
    repeat: 'another',
    job,
    async write(uow, { on: { place }, body, person, services }) {
      requireForeseeable(body.on, person.today, '/on');
      const type = await requireEventType(uow, body.type, '/type');
      const id = uuidv7();
      await events.addEvents(uow, [{ ...body, type, id, placeId: place.id, recordId: null, corrects: null }], person.id, uow.at);
      await recomputeWithin(services, uow, { placeIds: [place.id] }, place.code);
      return { answer: { id }, entry: { after: { ...body, type } } };
    },
  }),

  addRecordEvent: act(schedule.addRecordEvent, {
    name: 'recorded an event',
    on: { record: one(clockKind, ({ params }) => params.id, 'annotate') },
    repeat: 'another',
    decide: ({ on: { record } }) => (record.state === 'disposed' ? refuse('disposed', message('schedule.disposed')) : null),
    async write(uow, { on: { record }, body, person, services }) {
      requireForeseeable(body.on, person.today, '/on');
      const type = await requireEventType(uow, body.type, '/type');
      const id = uuidv7();
      await events.addEvents(uow, [{ ...body, type, id, placeId: null, recordId: record.id, corrects: null }], person.id, uow.at);
      await recomputeWithin(services, uow, { recordIds: [record.id] }, record.number);
      return { answer: { id }, entry: { after: { ...body, type } } };
    },
  }),

  /** The clocks of what refers to the party or object may start with it. */
  addEntityEvent: act(setup.addEntityEvent, {
    name: 'recorded an event',
    on: { entity: one(entityKind, ({ params }) => params.id, 'edit', { who: editors }) },
    repeat: 'another',
    job,
    async write(uow, { on: { entity }, body, person, services, access }) {
      requireForeseeable(body.on, person.today, '/on');
      const type = await requireEventType(uow, body.type, '/type');
      const id = uuidv7();
      await events.addEvents(
        uow,
        [{ ...body, type, id, placeId: null, recordId: null, entityId: entity.id, corrects: null }],
        person.id,
        uow.at,
      );
      const recomputed = await recomputeTelling(services, uow, { entityIds: [entity.id] }, type, access);
      return { answer: { id, recomputed }, entry: { after: { ...body, type } } };
    },
  }),

  /** Takes an event back, or corrects it: the wrong one stays to be read, and clocks count from the right one. */
  withdrawEvent: act(schedule.withdrawEvent, {
    name: ['took an event back', 'corrected an event'],
    on: { event: one(eventKind, ({ params }) => params.id, toWithdraw) },
    repeat: 'refused',
    job,
    decide: ({ on: { event } }) => (event.withdrawn_at === null ? null : refuse('withdrawn', message('schedule.withdrawn'))),
    async write(uow, { on: { event }, body: { reason, instead: given }, person, services, access }) {
      if (given) requireForeseeable(given.on, person.today, '/instead/on');
      const instead = given && { ...given, type: await requireEventType(uow, given.type, '/instead/type') };
      await events.withdrawEvent(uow, event.id, person.id, uow.at, reason);
      const on = { placeId: event.place_id, recordId: event.record_id, entityId: event.entity_id };
      if (instead) await events.addEvents(uow, [{ ...instead, ...on, id: uuidv7(), corrects: event.id }], person.id, uow.at);
      const reach = event.place_id
        ? { placeIds: [event.place_id] }
        : event.record_id
          ? { recordIds: [event.record_id] }
          : { entityIds: [event.entity_id!] };
      return {
        answer: { recomputed: await recomputeTelling(services, uow, reach, event.type, access) },
        entry: {
          act: instead ? 'corrected an event' : 'took an event back',
          before: { type: event.type, on: event.happened_on, note: event.note },
          after: instead ?? null,
          note: reason,
        },
      };
    },
  }),

  /** Records many events from CSV, all of them or, when any row is wrong, none. */
  importEvents: actInParts(schedule.importEvents, {
    name: 'recorded an event',
    on: { places: somewhere('annotate', 'annotate, on the place of each row') },
    repeat: 'another',
    tries: ({ body }) => body.dryRun,
    job,
    async perform({ services, person, access, body }, work) {
      const { rows, found, errors } = await readEvents(services, person, access, body.csv);
      const outcome = { rows, events: found.length, errors };
      if (errors.length > 0 || found.length === 0) return { ...outcome, recomputed: 0 };
      return work(async (uow) => {
        await events.addEvents(
          uow,
          found.map((e) => ({ ...e, id: uuidv7(), placeId: e.place.id, recordId: null, corrects: null })),
          person.id,
          uow.at,
        );
        uow.enterAll(
          found.map((e) => ({
            act: 'recorded an event',
            subject: { kind: 'place', id: e.place.id, name: `${e.place.code} ${e.place.title}` },
            after: { type: e.type, on: e.on, note: e.note },
            note: 'from a table',
          })),
        );
        const placeIds = [...new Set(found.map((e) => e.place.id))];
        return { ...outcome, recomputed: await recomputeTelling(services, uow, { placeIds }, 'events', access) };
      });
    },
  }),
};
