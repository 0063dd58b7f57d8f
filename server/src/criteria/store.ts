import type { Criteria } from '@key-cellar/core/criteria';
import type { FactDefinition } from '@key-cellar/core/records';
import { type Db, row, rows } from '../kernel/index.js';

export function types(db: Db) {
  return rows<{ code: string; title: string; facts: FactDefinition[] }>(
    db,
    'vocabulary.types',
    'select code, title, facts from record_type order by title',
  );
}

/** All places, outer ones first. */
export function places(db: Db) {
  return rows<{ id: string; parent_id: string | null; kind: string; code: string; title: string; access_set_id: number }>(
    db,
    'vocabulary.places',
    `select id, parent_id, kind, code, title, access_set_id from place order by cardinality(ancestors), position, code`,
  );
}

export function people(db: Db) {
  return rows<{ id: string; name: string }>(db, 'vocabulary.people', `select id, name from principal where kind = 'person' order by name`);
}

/** Open holds that cover nothing outside of these sets; one by criteria reaches into everything, and is for those who hold there. */
export function openHolds(db: Db, sets: readonly number[], everywhere: boolean) {
  return rows<{ id: string; name: string }>(
    db,
    'vocabulary.holds',
    `select h.id, h.name from hold h where h.state = 'open' and (h.criteria is null or $2) and not exists (
       select from hold_cover c join record r on r.id = c.record_id where c.hold_id = h.id and not r.access_set_id = any ($1::int[]))
     order by h.name`,
    [sets, everywhere],
  );
}

/** Criteria of all open holds that have some. */
export async function openScopes(db: Db): Promise<Criteria[]> {
  const found = await rows<{ criteria: Criteria }>(
    db,
    'hold.scopes',
    `select criteria from hold where state = 'open' and criteria is not null`,
  );
  return found.map((h) => h.criteria);
}

export function entities(db: Db, limit: number) {
  return rows<{ id: string; kind: 'party' | 'object'; name: string }>(
    db,
    'criteria.entities',
    'select id, kind, name from entity order by lower(name) limit $1',
    [limit],
  );
}

export function detectors(db: Db) {
  return rows<{ id: string; title: string }>(
    db,
    'vocabulary.detectors',
    'select id, title from detector where retired_on is null order by lower(title)',
  );
}

/** Records whose content detectors could not read. */
export async function recordsUnread(db: Db, sets: readonly number[]): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'criteria.unread',
    `select count(*)::int as n from unread u join record r on r.id = u.record_id where r.state <> 'disposed' and r.access_set_id = any ($1::int[])`,
    [sets],
  );
  return found!.n;
}
