import type { Facts, Takes } from '@key-cellar/core/records';
import type { PlaceKind } from '@key-cellar/core/plan';
import { type Db, row, rows, run } from '../kernel/index.js';

export interface PlaceRow extends Record<string, unknown> {
  id: string;
  kind: PlaceKind;
  parent_id: string | null;
  ancestors: string[];
  code: string;
  title: string;
  note: string;
  stand_alone: boolean;
  reader_on_pages: boolean;
  access_tags: string[];
  marking_level: number;
  marking_caveats: string[];
  access_set_id: number;
  declare_on: 'filing' | 'folderClosed' | null;
  facts: Facts;
  takes: Takes | null;
  frozen_when_declared: string[];
  jurisdictions: string[];
  opened_on: string;
  closed_on: string | null;
  retired_on: string | null;
  not_here: string;
  message: string;
  position: number;
  numbering_id: string | null;
  revision: number;
}

const columns =
  'id, kind, parent_id, ancestors, code, title, note, stand_alone, reader_on_pages, access_tags, marking_level, marking_caveats, access_set_id, declare_on, frozen_when_declared, jurisdictions, opened_on, closed_on, retired_on, not_here, message, position, numbering_id, facts, takes, revision';

export function numberingOf(db: Db, id: string) {
  return row<{ id: string; title: string; pattern: string }>(
    db,
    'place.numberingOf',
    'select id, title, pattern from numbering where id = $1',
    [id],
  );
}

/** Whether any place inside this one, or a record in it, stands in one of the sets. */
export async function leadsTo(db: Db, id: string, sets: readonly number[]): Promise<boolean> {
  const found = await row(
    db,
    'place.leadsTo',
    `select where exists (select from place where ancestors @> array[$1::uuid] and access_set_id = any ($2::int[]))
       or exists (select from record where places @> array[$1::uuid] and access_set_id = any ($2::int[]))`,
    [id, sets],
  );
  return found !== undefined;
}

export function placeById(db: Db, id: string) {
  return row<PlaceRow>(db, 'place.byId', `select ${columns} from place where id = $1`, [id]);
}

export function placesByIds(db: Db, ids: readonly string[]) {
  return rows<PlaceRow>(db, 'place.byIds', `select ${columns} from place where id = any ($1::uuid[])`, [ids]);
}

/** Locks places in order of id, so that writers of many never wait for each other in a circle. */
export function lockPlaces(db: Db, ids: readonly string[]) {
  return rows<PlaceRow>(db, 'place.lock', `select ${columns} from place where id = any ($1::uuid[]) order by id for update`, [ids]);
}

export async function lockPlace(db: Db, id: string): Promise<PlaceRow | undefined> {
  return (await lockPlaces(db, [id]))[0];
}

export function planNodes(db: Db) {
  return rows<PlaceRow>(db, 'place.nodes', `select ${columns} from place where kind <> 'folder' order by position, code`);
}

export function allPlaces(db: Db) {
  return rows<PlaceRow>(db, 'place.all', `select ${columns} from place order by position, code`);
}

export function childrenOf(db: Db, id: string) {
  return rows<PlaceRow>(db, 'place.children', `select ${columns} from place where parent_id = $1 order by position, code`, [id]);
}

/** Places that have folders in them, at any depth, that stand in one of the sets; of all, or of those under one place. */
export function placesWithFolders(db: Db, sets: readonly number[], under: string | null) {
  return rows<{ id: string }>(
    db,
    'place.withFolders',
    // By the places right around them first: these are few.
    `select distinct a.id from (
       select distinct parent_id from place f
       where f.kind = 'folder' and f.access_set_id = any ($1::int[]) and ($2::uuid is null or f.ancestors @> array[$2::uuid])) f
     join place p on p.id = f.parent_id cross join unnest(p.ancestors) a (id)`,
    [sets, under],
  );
}

export function seriesUnder(db: Db, id: string) {
  return rows<{ id: string; ancestors: string[] }>(
    db,
    'place.seriesUnder',
    `select id, ancestors from place where ancestors @> array[$1::uuid] and kind = 'series'`,
    [id],
  );
}

export async function addPlace(
  db: Db,
  p: {
    id: string;
    kind: PlaceKind;
    parentId: string;
    ancestors: string[];
    code: string;
    title: string;
    note: string;
    position: number;
    accessSetId: number;
    openedOn: string;
  },
): Promise<void> {
  await run(
    db,
    'place.add',
    `insert into place (id, kind, parent_id, ancestors, code, title, note, position, access_set_id, opened_on, frozen_when_declared, declare_on, jurisdictions, marking_level, marking_caveats)
     select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, frozen_when_declared, declare_on, '{}', marking_level, marking_caveats from place where id = $3`,
    [p.id, p.kind, p.parentId, p.ancestors, p.code, p.title, p.note, p.position, p.accessSetId, p.openedOn],
  );
}

export async function closePlace(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'place.close', 'update place set closed_on = $2, revision = revision + 1 where id = $1', [id, on]);
}

export function rulesSetOn(db: Db, placeIds: readonly string[]) {
  return rows<{ place_id: string; id: string; code: string; title: string | null }>(
    db,
    'rule.setOnPlaces',
    `select s.place_id, r.id, r.code,
       coalesce((select v.definition->>'title' from rule_version v where v.rule_id = r.id order by v.version desc limit 1), r.draft->>'title') as title
     from place_rule s join rule r on r.id = s.rule_id where s.place_id = any ($1::uuid[]) order by r.code`,
    [placeIds],
  );
}

export function addRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'place.addRule', 'insert into place_rule (place_id, rule_id) values ($1, $2) on conflict do nothing', [placeId, ruleId]);
}

export function removeRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'place.removeRule', 'delete from place_rule where place_id = $1 and rule_id = $2', [placeId, ruleId]);
}

export function folderIn(db: Db, parentId: string, code: string) {
  return row<PlaceRow>(db, 'place.folderIn', `select ${columns} from place where parent_id = $1 and code = $2 and kind = 'folder'`, [
    parentId,
    code,
  ]);
}

export async function writePlaceFacts(db: Db, id: string, facts: Facts): Promise<void> {
  await run(db, 'place.writeFacts', 'update place set facts = $2, revision = revision + 1 where id = $1', [id, JSON.stringify(facts)]);
}

export async function writeTakes(db: Db, id: string, takes: Takes | null): Promise<void> {
  await run(db, 'place.writeTakes', 'update place set takes = $2, revision = revision + 1 where id = $1', [
    id,
    takes === null ? null : JSON.stringify(takes),
  ]);
}

/** The first place of all, and a record type to begin with. */
export async function addRepository(db: Db, p: { id: string; title: string; accessSetId: number; openedOn: string }): Promise<void> {
  await run(
    db,
    'place.addRepository',
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on)
     values ($1, 'repository', null, array[$1::uuid], 'ALL', $2, $3, $4)`,
    [p.id, p.title, p.accessSetId, p.openedOn],
  );
  await run(
    db,
    'place.firstType',
    `insert into record_type (code, title, facts) values ('document', 'Document', '[]') on conflict do nothing`,
  );
}

/** Code of the nearest place, itself or around it, that lets pages name their reader; null where none does. */
export async function nearestNaming(db: Db, id: string): Promise<string | null> {
  const found = await row<{ code: string }>(
    db,
    'place.nearestNaming',
    `select a.code from place p join place a on a.id = any (p.ancestors) and a.reader_on_pages where p.id = $1
     order by cardinality(a.ancestors) desc limit 1`,
    [id],
  );
  return found?.code ?? null;
}

export async function writeReaderOnPages(db: Db, id: string, named: boolean): Promise<void> {
  await run(db, 'place.readerOnPages', 'update place set reader_on_pages = $2, revision = revision + 1 where id = $1', [id, named]);
}

export async function writeStandAlone(db: Db, id: string, alone: boolean): Promise<void> {
  await run(db, 'place.standAlone', 'update place set stand_alone = $2, revision = revision + 1 where id = $1', [id, alone]);
}
