import type { EventLine, WaitingLine, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { addPeriod, civilDate, period } from '@key-cellar/core/calendar';
import { describeTrigger } from '@key-cellar/core/schedule';
import { message, type Message } from '@key-cellar/words';
import { notAllowed, requireRight, wrongField, type Db, type SignedIn } from '../kernel/index.js';
import { eventTypesIn } from './lists.js';
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

/** So many years ahead something can be foreseen. */
const yearsAhead = 100;

/** Whether a day is not farther ahead than anybody foresees: an event that is to come counts from its day. */
export function isForeseeable(on: string, today: string): boolean {
  return civilDate(on) <= addPeriod(civilDate(today), period(`P${yearsAhead}Y`));
}

/** Throws 422 for a day that nobody can foresee. */
export function requireForeseeable(on: string, today: string, pointer: string): void {
  if (!isForeseeable(on, today)) throw wrongField(pointer, message('schedule.moreYearsAhead', { yearsAhead }));
}

/** Who waits for what: records without a date yet, by what would start their clock. */
export async function waiting(services: Services, person: SignedIn): Promise<Told<WaitingLine>[]> {
  const access = await services.access.of(person);
  if (!hasRight(access.anywhere, 'discover')) throw notAllowed('discover');
  const [found, book] = await Promise.all([
    events.waitingByPlace(services.pool, access.sets('discover')),
    services.rules.current(services.pool),
  ]);
  const versions = new Map(Object.values(book.data.versions).flatMap((all) => all.map((v) => [v.id, v])));
  const groups = new Map<string, { trigger: Message; eventTypes: string[]; places: Map<string, Told<WaitingLine>['places'][number]> }>();
  for (const w of found) {
    const rule = versions.get(w.rule_version_id)!;
    const { trigger, cutoff, suspension } = rule;
    // With a trigger that is known it waits for what its clock waits for.
    const words = w.started
      ? suspension
        ? message('schedule.event', { event: suspension.resumes, which: 'last' })
        : cutoff.kind === 'namedYear'
          ? message('schedule.theEndOf', { year: cutoff.name })
          : message('schedule.theStepBeforeLast')
      : describeTrigger(trigger);
    const eventTypes = w.started ? (suspension ? [suspension.resumes] : []) : eventTypesIn({ trigger });
    const key = JSON.stringify(words);
    const group = groups.get(key) ?? { trigger: words, eventTypes, places: new Map() };
    groups.set(key, group);
    const records = (group.places.get(w.place_id)?.records ?? 0) + w.records;
    group.places.set(w.place_id, { placeId: w.place_id, code: w.code, title: w.title, records });
  }
  return [...groups.values()]
    .map(({ trigger, eventTypes, places }): Told<WaitingLine> => {
      const all = [...places.values()].sort((a, b) => b.records - a.records || (a.code < b.code ? -1 : 1));
      return { trigger, eventTypes, records: all.reduce((n, p) => n + p.records, 0), places: all.slice(0, mostPlaces) };
    })
    .sort((a, b) => b.records - a.records);
}
