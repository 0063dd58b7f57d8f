import { message } from '@key-cellar/words';
import type { RuleOnDay, Told } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import { explain } from '@key-cellar/core/schedule';
import { mayOn, notFound, type PersonAccess, type SignedIn, wrongField } from '../kernel/index.js';
import { judgeAmong, unknownPlace } from './evaluation.js';
import { loadBookOfPast } from './ruleBook.js';
import type { Services } from './services.js';
import * as clockStore from './clockStore.js';
import * as pastStore from './pastStore.js';

/** A day of the world, and one of the repository: what held on the first, as far as it had been entered by the end of the second. */
interface TwoDays {
  readonly on: string;
  readonly known: string;
}

/** The earlier of two days, and the later (ISO text). */
const earlier = (a: string, b: string): string => (a < b ? a : b);
const later = (a: string, b: string): string => (a < b ? b : a);

/** A record as it was at the end of a day: what tells its own days is taken off where they were still to come. */
async function recordAt(services: Services, now: clockStore.ClockRow, day: string): Promise<clockStore.ClockRow> {
  const [was, lastUsed] = await Promise.all([
    pastStore.recordWas(services.pool, now.id, day),
    now.last_used_on === null || now.last_used_on <= day ? now.last_used_on : pastStore.lastUsedBy(services.pool, now.id, day),
  ]);
  const row = { ...now, ...was };
  const come = (on: string | null): string | null => (on !== null && on <= day ? on : null);
  const declared = come(row.declared_on);
  return {
    ...row,
    state: declared === null ? 'working' : 'declared',
    declared_on: declared,
    superseded_on: come(row.superseded_on),
    last_used_on: lastUsed,
    steps_taken: row.steps_taken?.filter((act) => act.on <= day) ?? null,
  };
}

/** The places around a record as they were; one that the person may not know of has no name. */
async function placesAt(
  services: Services,
  access: PersonAccess,
  now: clockStore.ClockRow,
  placeId: string,
  day: string,
  { on, known }: TwoDays,
): Promise<{ chain: string[]; places: clockStore.ChainPlace[] }> {
  const { pool } = services;
  const [own] = await pastStore.placesWere(pool, [placeId], day, known);
  const chain = own?.ancestors ?? now.places;
  const [places, sets] = await Promise.all([pastStore.placesWere(pool, chain, day, known), pastStore.setsOfPlaces(pool, chain)]);
  const setOf = new Map(sets.map((s) => [s.id, s.access_set_id]));
  const mayKnow = (id: string): boolean => {
    const set = setOf.get(id);
    return now.places.includes(id) || (set !== undefined && hasRight(access.on(set).all, 'discover'));
  };
  return {
    chain,
    places: places.map(({ id, kind, code, title, jurisdictions, closed_on, known_closed_on }) => ({
      id,
      kind,
      ...(mayKnow(id) ? { code, title } : { code: unknownPlace, title: '' }),
      jurisdictions,
      // A closing that was entered later counts from its own day.
      closed_on: known_closed_on !== null && known_closed_on <= on ? known_closed_on : closed_on,
    })),
  };
}

/**
 * Which rule was in force for a record on a day: by its facts, places, jurisdictions and events as they were on that day, as far as the
 * repository knew of them on another. What was entered before it began to keep its past is taken as it was when it began.
 * Throws 404 for a record that the person may not discover or that was disposed of, and 422 for a day on which nothing was known of it.
 */
export async function ruleOnDay(
  services: Services,
  person: SignedIn,
  id: string,
  asked: { on: string; known?: string | undefined },
): Promise<Told<RuleOnDay>> {
  const { pool } = services;
  const days: TwoDays = { on: asked.on, known: asked.known ?? person.today };
  const access = await services.access.of(person);
  const now = await clockStore.clockOf(pool, id);
  if (!now || !mayOn(access, person, now, 'discover')) throw notFound(message('thing.record'));
  if (days.known > person.today) throw wrongField('/known', message('schedule.whatWillKnownNot'));
  if (days.known < now.filed_on) throw wrongField('/known', message('schedule.nothingKnownThenFiled', { on: { day: now.filed_on } }));
  const from = await pastStore.pastFrom(pool);
  const entered = earlier(days.on, days.known);
  const day = from === null ? entered : later(entered, from);
  const row = await recordAt(services, now, day);
  const { chain, places } = await placesAt(services, access, now, row.place_id, day, { on: days.on, known: later(days.known, day) });
  const book = await loadBookOfPast(pool, day, days.known);
  const [events, references] = await Promise.all([
    pastStore.eventsKnown(pool, chain, id, row.refers, days),
    book.asksForReferences ? pastStore.referencesWere(pool, id, day) : [],
  ]);
  const [judged] = judgeAmong([{ ...row, places: chain }], book, days.on, { places, events, references });
  return {
    explanation: explain({ governing: judged!.governing, facts: judged!.facts, holds: [], missing: [] }),
    since: from !== null && entered < from ? from : null,
  };
}
