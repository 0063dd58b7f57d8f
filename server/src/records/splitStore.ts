import type { Criteria } from '@key-cellar/core/criteria';
import { boundCriteria } from '../criteria/index.js';
import { dynamicRows, frozenByHoldSql, row, rows, run, type Db } from '../kernel/index.js';

export interface SplitRecordRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  place_id: string;
  state: string;
  frozen: boolean;
}

const columns = `r.id, r.number, r.title, r.place_id, r.state, ${frozenByHoldSql()} as frozen`;

/** Live records under a place that match, in the access sets given. */
export function matchingUnder(db: Db, placeId: string, criteria: Criteria, sets: readonly number[]) {
  const values: unknown[] = [placeId, sets];
  const matches = boundCriteria(criteria, (value) => `$${values.push(value)}`);
  return dynamicRows<SplitRecordRow>(
    db,
    `select ${columns} from record r where r.series_id = $1 and r.state <> 'disposed' and r.access_set_id = any ($2::int[]) and ${matches} order by r.id`,
    values,
  );
}

/** Live records of a series by their numbers, in the access sets given. */
export function numberedIn(db: Db, seriesId: string, numbers: readonly string[], sets: readonly number[]) {
  return rows<SplitRecordRow>(
    db,
    'split.numbered',
    `select ${columns} from record r where r.series_id = $1 and r.number = any ($3) and r.state <> 'disposed' and r.access_set_id = any ($2::int[]) order by r.id`,
    [seriesId, sets, numbers],
  );
}

/** Declared and frozen records in some folders, however deep. */
export function stayingInFolders(db: Db, folderIds: readonly string[]) {
  return rows<SplitRecordRow>(
    db,
    'split.staying',
    `select distinct ${columns} from record r join unnest($1::uuid[]) f (id) on r.places @> array[f.id]
     where r.state <> 'disposed' and (r.state = 'declared' or ${frozenByHoldSql()}) order by r.id`,
    [folderIds],
  );
}

/** Folders of a series, however deep, with how many live records are right in each; locked. */
export async function foldersOf(db: Db, seriesId: string) {
  return rows<{ id: string; parent_id: string; live: number }>(
    db,
    'split.folders',
    `select p.id, p.parent_id, (select count(*)::int from record r where r.place_id = p.id and r.state <> 'disposed') as live
     from place p where p.ancestors @> array[$1::uuid] and p.kind = 'folder' order by cardinality(p.ancestors), p.id for update of p`,
    [seriesId],
  );
}

export async function liveUnder(db: Db, placeId: string, sets: readonly number[]): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'split.live',
    `select count(*)::int as n from record where places @> array[$1::uuid] and state <> 'disposed' and access_set_id = any ($2::int[])`,
    [placeId, sets],
  );
  return found!.n;
}

/** A place arranged as another one is: all that stands in its row but its code, title, way and access. */
export async function addTwin(
  db: Db,
  p: {
    id: string;
    of: string;
    parentId: string;
    ancestors: readonly string[];
    code: string;
    title: string;
    accessSetId: number;
    position: number;
  },
): Promise<void> {
  await run(
    db,
    'split.addTwin',
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, position, note, not_here, message, stand_alone, reader_on_pages, access_tags, opened_on, closed_on,
       declare_on, frozen_when_declared, jurisdictions, marking_level, marking_caveats, numbering_id, takes, facts, ready_titles)
     select $1, kind, $3, $4, $5, $6, $7, $8, note, not_here, message, stand_alone, reader_on_pages, access_tags, opened_on, closed_on,
       declare_on, frozen_when_declared, jurisdictions, marking_level, marking_caveats, numbering_id, takes, facts, ready_titles from place where id = $2`,
    [p.id, p.of, p.parentId, p.ancestors, p.code, p.title, p.accessSetId, p.position],
  );
  await run(db, 'split.rules', 'insert into place_rule (place_id, rule_id) select $1, rule_id from place_rule where place_id = $2', [
    p.id,
    p.of,
  ]);
  await run(
    db,
    'split.pairs',
    'insert into pair_rule (record_type, series_id, rule_id) select record_type, $1, rule_id from pair_rule where series_id = $2',
    [p.id, p.of],
  );
}

export async function setAccess(db: Db, placeId: string, accessSetId: number): Promise<void> {
  await run(db, 'split.access', 'update place set access_set_id = $2 where id = $1', [placeId, accessSetId]);
}

export function grantsOn(db: Db, placeId: string) {
  return rows<{ principal_id: string; profile: string; from_on: string | null; until_on: string | null; reason: string }>(
    db,
    'split.grants',
    'select principal_id, profile, from_on, until_on, reason from grant_ where place_id = $1 order by made_at, id',
    [placeId],
  );
}

/** What happened to a place, as far as it still counts. */
export function eventsOn(db: Db, placeId: string) {
  return rows<{ type: string; on: string; note: string }>(
    db,
    'split.events',
    'select type, happened_on as on, note from event where place_id = $1 and withdrawn_at is null order by recorded_at, id',
    [placeId],
  );
}

/** Values of a fact among live records of a place, in the access sets given, most records first; null for none. */
export function factValues(db: Db, placeId: string, fact: string, sets: readonly number[], limit: number) {
  return rows<{ value: string | number | boolean | null; n: number }>(
    db,
    'split.values',
    `select v.value, count(*)::int as n from record r
       left join lateral jsonb_array_elements(case jsonb_typeof(r.facts->$2) when 'array' then r.facts->$2 else jsonb_build_array(r.facts->$2) end) v (value)
         on r.facts ? $2
     where r.places @> array[$1::uuid] and r.state <> 'disposed' and r.access_set_id = any ($3::int[])
     group by v.value order by n desc, v.value limit $4`,
    [placeId, fact, sets, limit],
  );
}
