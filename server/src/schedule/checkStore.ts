import { type Db, rows } from '../kernel/index.js';

export function placesUnderCheck(db: Db, sets: readonly number[]) {
  return rows<{ id: string; kind: string; code: string; ancestors: string[] }>(
    db,
    'check.places',
    `select id, kind, code, ancestors from place
     where access_set_id = any ($1::int[]) and id in (select id from place where kind <> 'folder' union all select place_id from place_rule)
     order by cardinality(ancestors), position, code`,
    [sets],
  );
}

export function typesUnderCheck(db: Db) {
  return rows<{ code: string; title: string; facts: { code: string; kind: string }[] }>(
    db,
    'check.types',
    'select code, title, facts from record_type order by title',
  );
}

export function unscheduledByType(db: Db, sets: readonly number[]) {
  return rows<{ series_id: string; record_type: string; n: number }>(
    db,
    'check.unscheduled',
    `select series_id, record_type, count(*)::int as n from record
     where outcome = 'unscheduled' and state <> 'disposed' and access_set_id = any ($1::int[]) group by 1, 2`,
    [sets],
  );
}

export function waitingByType(db: Db, sets: readonly number[]) {
  return rows<{ rule_version_id: string; record_type: string; n: number }>(
    db,
    'check.waiting',
    `select rule_version_id, record_type, count(*)::int as n from record
     where outcome = 'waiting' and state <> 'disposed' and rule_version_id is not null and access_set_id = any ($1::int[]) group by 1, 2`,
    [sets],
  );
}

/** Records that are kept longer than a rule allows, by what keeps them and what would not. */
export function conflicts(db: Db, sets: readonly number[]) {
  return rows<{ rule_version_id: string | null; conflict_with: string; n: number }>(
    db,
    'check.conflicts',
    `select rule_version_id, conflict_with, count(*)::int as n from record
     where conflict_with is not null and state <> 'disposed' and access_set_id = any ($1::int[]) group by 1, 2`,
    [sets],
  );
}
