import type { EventLine, WaitingLine } from '@key-cellar/contract';
import { parseCivilDate } from '@key-cellar/core/calendar';
import { hasRight } from '@key-cellar/core/access';
import { describeTrigger } from '@key-cellar/core/schedule';
import Papa from 'papaparse';
import { uuidv7 } from 'uuidv7';
import { mayOn, requireRight, type Guarded } from '../access/index.js';
import { withUnitOfWork, type Act, type Db, type UnitOfWork } from '../db/index.js';
import type { SignedIn } from '../identity/index.js';
import { notAllowed, notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import * as events from './eventsStore.js';
import { recomputeWithin } from './service.js';
import * as store from './store.js';

function toLine(e: events.EventRow): EventLine {
  return {
    id: e.id,
    type: e.type,
    on: e.happened_on,
    note: e.note,
    by: e.by_name,
    recordedAt: e.recorded_at.toISOString(),
    corrects: e.corrects,
    withdrawn: e.withdrawn_at ? { by: e.withdrawn_by_name!, reason: e.withdrawn_reason! } : null,
  };
}

/** Everything recorded on a place that the caller has opened for the person. */
export async function placeEvents(services: Services, placeId: string): Promise<EventLine[]> {
  return (await events.eventsOfPlace(services.pool, placeId)).map(toLine);
}

export async function recordEvents(services: Services, person: SignedIn, id: string): Promise<EventLine[]> {
  const access = await services.access.of(person);
  requireRight(access, person, await store.clockOf(services.pool, id), 'discover');
  return (await events.eventsOfRecord(services.pool, id)).map(toLine);
}

export async function entityEvents(db: Db, entityId: string): Promise<EventLine[]> {
  return (await events.eventsOfEntity(db, entityId)).map(toLine);
}

/** Records an event on a party or business object; the caller has checked who may. */
export async function addEntityEvents(
  services: Services,
  uow: UnitOfWork,
  on: { id: string; subject: Act['subject'] },
  input: { type: string; on: string; note: string },
): Promise<{ id: string; recomputed: number }> {
  requireThePast(input.on, uow.actor.today, '/on');
  const id = uuidv7();
  await events.addEvents(uow, [{ ...input, id, placeId: null, recordId: null, entityId: on.id, corrects: null }], uow.actor.id!, uow.at);
  uow.enter({ act: 'recorded an event', subject: on.subject, after: input });
  return { id, recomputed: await recomputeWithin(services, uow, { entityIds: [on.id] }, input.type) };
}

function requireThePast(on: string, today: string, pointer: string): void {
  if (on > today) throw wrongField(pointer, 'An event has happened; this day is still to come.');
}

export async function addRecordEvent(
  services: Services,
  person: SignedIn,
  recordId: string,
  input: { type: string; on: string; note: string },
): Promise<string> {
  const access = await services.access.of(person);
  requireThePast(input.on, person.today, '/on');
  return withUnitOfWork(services.pool, person, async (uow) => {
    const [locked] = await store.lockForOverride(uow, [recordId]);
    const found = requireRight(access, person, locked, 'annotate');
    if (found.state === 'disposed') throw new Problem(409, 'disposed', 'This record was disposed of; nothing can happen to it any more.');
    const id = uuidv7();
    await events.addEvents(uow, [{ ...input, id, placeId: null, recordId, corrects: null }], person.id, uow.at);
    uow.enter({
      act: 'recorded an event',
      subject: { kind: 'record', id: recordId, name: `${found.number} ${found.title}` },
      after: input,
    });
    await recomputeWithin(services, uow, { recordIds: [recordId] }, found.number);
    return id;
  });
}

/** What an event happened to: a place with all that is in it, or a record. */
async function subjectOf(
  uow: UnitOfWork,
  event: { place_id: string | null; record_id: string | null; entity_id: string | null },
): Promise<{ guarded: Guarded | null; subject: Act['subject']; reach: store.Reach }> {
  if (event.place_id) {
    const place = (await store.guardedPlace(uow, event.place_id))!;
    const subject = { kind: 'place', id: place.id, name: `${place.code} ${place.title}` };
    return { guarded: place, subject, reach: { placeIds: [place.id] } };
  }
  if (event.entity_id) {
    const entity = (await events.entityName(uow, event.entity_id))!;
    const subject = { kind: entity.kind, id: event.entity_id, name: entity.name };
    return { guarded: null, subject, reach: { entityIds: [event.entity_id] } };
  }
  const record = (await store.clockOf(uow, event.record_id!))!;
  const subject = { kind: 'record', id: record.id, name: `${record.number} ${record.title}` };
  return { guarded: record, subject, reach: { recordIds: [record.id] } };
}

/** Takes an event back, or corrects it: the wrong one stays to be read, and clocks count from the right one. */
export async function withdrawEvent(
  services: Services,
  person: SignedIn,
  id: string,
  input: { reason: string; instead?: { type: string; on: string; note: string } | undefined },
): Promise<number> {
  const access = await services.access.of(person);
  if (input.instead) requireThePast(input.instead.on, person.today, '/instead/on');
  return withUnitOfWork(services.pool, person, async (uow) => {
    const event = await events.lockEvent(uow, id);
    if (!event) throw notFound('This event');
    const on = await subjectOf(uow, event);
    if (on.guarded) requireRight(access, person, on.guarded, 'annotate', 'This event');
    else if (!hasRight(access.anywhere, 'edit')) throw notAllowed('edit', 'Editors and keepers look after parties and business objects.');
    if (event.withdrawn_at) throw new Problem(409, 'withdrawn', 'This event was taken back before.');
    await events.withdrawEvent(uow, id, person.id, uow.at, input.reason);
    if (input.instead) {
      const corrected = {
        ...input.instead,
        id: uuidv7(),
        placeId: event.place_id,
        recordId: event.record_id,
        entityId: event.entity_id,
        corrects: id,
      };
      await events.addEvents(uow, [corrected], person.id, uow.at);
    }
    uow.enter({
      act: input.instead ? 'corrected an event' : 'took an event back',
      subject: on.subject,
      before: { type: event.type, on: event.happened_on, note: event.note },
      after: input.instead ?? null,
      note: input.reason,
    });
    return recomputeWithin(services, uow, on.reach, event.type);
  });
}

const columns = ['place', 'type', 'on', 'note'] as const;
const mostRows = 20_000;
/** Places listed under one thing that is waited for. */
const mostPlaces = 200;

/** Records many events from CSV, all of them or, when any row is wrong, none. */
export async function importEvents(
  services: Services,
  person: SignedIn,
  input: { csv: string; dryRun: boolean },
): Promise<{ rows: number; events: number; errors: { row: number; column: string; sentence: string }[]; recomputed: number }> {
  const access = await services.access.of(person);
  const parsed = Papa.parse<Record<string, string>>(input.csv.replace(/^\uFEFF/, ''), {
    header: true,
    skipEmptyLines: 'greedy',
    transformHeader: (name) => name.trim().toLowerCase(),
  });
  const errors: { row: number; column: string; sentence: string }[] = [];
  const lacking = ['place', 'type', 'on'].filter((column) => !parsed.meta.fields?.includes(column));
  if (lacking.length > 0) {
    throw new Problem(
      422,
      'wrong-columns',
      `The first line must name the columns ${columns.join(', ')}; ${lacking.join(' and ')} is missing.`,
    );
  }
  if (parsed.data.length > mostRows)
    throw new Problem(422, 'too-many', `At most ${mostRows} events at once; these are ${parsed.data.length}.`);
  const places = new Map((await events.placesByPath(services.pool)).map((p) => [p.path.toUpperCase(), p]));
  const found = parsed.data.flatMap((line, i) => {
    // Row 1 names the columns.
    const row = i + 2;
    const wrong = (column: string, sentence: string): void => void errors.push({ row, column, sentence });
    const text = (column: (typeof columns)[number]): string => (line[column] ?? '').trim();
    const before = errors.length;
    const place = places.get(text('place').toUpperCase());
    if (!text('place')) wrong('place', 'names no place');
    else if (!place || !mayOn(access, person, place, 'discover')) wrong('place', `there is no place ${text('place')}`);
    else if (!mayOn(access, person, place, 'annotate')) wrong('place', `you may not record events on ${text('place')}`);
    if (!text('type')) wrong('type', 'says not what happened');
    else if (text('type').length > 80) wrong('type', 'is longer than 80 letters');
    if (parseCivilDate(text('on')) === null) wrong('on', 'must be a date such as 2026-09-14');
    else if (text('on') > person.today) wrong('on', 'is still to come');
    if (text('note').length > 2000) wrong('note', 'is longer than 2000 letters');
    return errors.length > before ? [] : [{ place: place!, type: text('type'), on: text('on'), note: text('note') }];
  });
  const outcome = { rows: parsed.data.length, events: found.length, errors };
  if (input.dryRun || errors.length > 0 || found.length === 0) return { ...outcome, recomputed: 0 };
  return withUnitOfWork(services.pool, person, async (uow) => {
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
    const recomputed = await recomputeWithin(services, uow, { placeIds: [...new Set(found.map((e) => e.place.id))] }, 'events');
    return { ...outcome, recomputed };
  });
}

/** Who waits for what: records without a date yet, by what would start their clock. */
export async function waiting(services: Services, person: SignedIn): Promise<WaitingLine[]> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'discover')) throw notAllowed('discover');
  const [found, book] = await Promise.all([
    events.waitingByPlace(services.pool, access.sets('discover')),
    services.rules.current(services.pool),
  ]);
  const versions = new Map(Object.values(book.data.versions).flatMap((all) => all.map((v) => [v.id, v])));
  const groups = new Map<string, { eventType: string | null; places: Map<string, WaitingLine['places'][number]> }>();
  for (const w of found) {
    const { trigger } = versions.get(w.rule_version_id)!;
    const words = describeTrigger(trigger);
    const group = groups.get(words) ?? { eventType: trigger.kind === 'event' ? trigger.eventType : null, places: new Map() };
    groups.set(words, group);
    const records = (group.places.get(w.place_id)?.records ?? 0) + w.records;
    group.places.set(w.place_id, { placeId: w.place_id, code: w.code, title: w.title, records });
  }
  return [...groups]
    .map(([trigger, { eventType, places }]): WaitingLine => {
      const all = [...places.values()].sort((a, b) => b.records - a.records || (a.code < b.code ? -1 : 1));
      return { trigger, eventType, records: all.reduce((n, p) => n + p.records, 0), places: all.slice(0, mostPlaces) };
    })
    .sort((a, b) => b.records - a.records);
}
