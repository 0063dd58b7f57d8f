import { type Db, row, rows } from '../kernel/index.js';
import type { ChainPlace } from './clockStore.js';

export function effectPlaces(db: Db) {
  return rows<ChainPlace & { parent_id: string | null }>(
    db,
    'effect.places',
    'select id, kind, code, title, parent_id, closed_on, jurisdictions from place',
  );
}

export function placeEvents(db: Db) {
  return rows<{ place_id: string; type: string; happened_on: string }>(
    db,
    'effect.events',
    'select place_id, type, happened_on from event where withdrawn_at is null and place_id is not null',
  );
}

export function recordsWithEvents(db: Db) {
  return rows<{ record_id: string }>(
    db,
    'effect.recordEvents',
    `select distinct record_id from event where withdrawn_at is null and record_id is not null
     union select r.id from event e join record r on r.refers @> array[e.entity_id] and r.refers <> '{}' where e.withdrawn_at is null and e.entity_id is not null`,
  );
}

/** How many pages the records fill, and about how many there are. */
export async function recordExtent(db: Db): Promise<{ pages: number; records: number }> {
  const found = await row<{ pages: number; records: number }>(
    db,
    'effect.extent',
    `select (pg_relation_size('record') / current_setting('block_size')::int)::int as pages,
       (select coalesce(sum(kept), 0) from rack_cell)::int as records`,
  );
  return found!;
}

export function recordNames(db: Db, ids: readonly string[]) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'effect.names',
    'select id, number, title from record where id = any ($1::uuid[])',
    [ids],
  );
}

export async function rootPlace(db: Db): Promise<string> {
  return (await row<{ id: string }>(db, 'place.root', 'select id from place where parent_id is null'))!.id;
}
