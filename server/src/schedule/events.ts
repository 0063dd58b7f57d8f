import type { EventLine, WaitingLine } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { describeTrigger } from '@key-cellar/core/schedule';
import { notAllowed, requireRight, wrongField, type Db, type SignedIn } from '../kernel/index.js';
import * as events from './eventsStore.js';
import type { Services } from './services.js';
import * as clockStore from './clockStore.js';

/** Places listed under one thing that is waited for. */
const mostPlaces = 200;

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
  requireRight(access, person, await clockStore.clockOf(services.pool, id), 'discover');
  return (await events.eventsOfRecord(services.pool, id)).map(toLine);
}

export async function entityEvents(db: Db, entityId: string): Promise<EventLine[]> {
  return (await events.eventsOfEntity(db, entityId)).map(toLine);
}

/** Throws 422 for a day that is still to come. */
export function requireThePast(on: string, today: string, pointer: string): void {
  if (on > today) throw wrongField(pointer, 'An event has happened; this day is still to come.');
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
