import { message } from '@key-cellar/words';
import type { Arrival, Told } from '@key-cellar/contract';
import { titleFromFileName } from '@key-cellar/core/records';
import { mayAtRepository, mayKnowOf, notFound, type SignedIn } from '../kernel/index.js';
import type { Leaving, Services } from '../records/index.js';
import { openScopes } from '../criteria/index.js';
import { willBeHeld } from './held.js';
import { arrivalKind } from './kinds.js';
import * as store from './store.js';

/** Whose arrivals a person may see besides their own: those for places that they keep, and as keeper of all those for no place. */
async function reachOf(services: Services, person: SignedIn): Promise<{ sets: readonly number[]; all: boolean }> {
  const access = await services.access.of(person);
  return { sets: access.sets('dispose'), all: await mayAtRepository(services.pool, access, 'dispose') };
}

export async function listArrivals(services: Services, person: SignedIn): Promise<Told<Arrival>[]> {
  const access = await services.access.of(person);
  const { sets, all } = await reachOf(services, person);
  const found = await store.arrivals(services.pool, person.id, sets, all);
  const scopes = await openScopes(services.pool);
  const same = await store.recordsWithContent(services.pool, [...new Set(found.map((a) => a.content_id))], access.sets('discover'));
  return found.map((a) => ({
    id: a.id,
    fileName: a.file_name,
    changed: a.changed.map((what) => message(`receiving.name.${what}`)),
    size: a.size,
    mediaType: a.media_type,
    sha256: a.sha256.toString('hex'),
    source: a.source,
    arrivedAt: a.arrived_at.toISOString(),
    placeId: a.place_id,
    suggestedTitle: titleFromFileName(a.file_name),
    held: willBeHeld(a, scopes),
    sameAs: [
      ...same.filter((s) => s.content_id === a.content_id).map((s) => ({ kind: 'record' as const, id: s.id, name: s.name })),
      ...found
        .filter((b) => b.id !== a.id && b.content_id === a.content_id)
        .map((b) => ({ kind: 'arrival' as const, id: b.id, name: b.file_name })),
    ],
  }));
}

export async function countArrivals(services: Services, person: SignedIn): Promise<number> {
  const { sets, all } = await reachOf(services, person);
  return store.countArrivals(services.pool, person.id, sets, all);
}

/** Something that arrived, for whoever may file it. Throws 404 otherwise. */
export async function arrivalFor(services: Services, person: SignedIn, id: string): Promise<store.ArrivalRow> {
  const found = await store.findArrivals(services.pool, [id], false);
  const [arrival] = await mayKnowOf(services.pool, arrivalKind, found, person, await services.access.of(person));
  if (!arrival) throw notFound(message('thing.arrival'));
  return arrival;
}

/** An arrival as it may be looked at by whoever brought it and by those who look after all. */
export async function arrivalLeaving(services: Services, person: SignedIn, id: string): Promise<Leaving> {
  const arrival = await arrivalFor(services, person, id);
  return { subject: arrivalKind.subject(arrival), content: arrival, about: {} };
}
