import type { PlaceKind } from '@key-cellar/core/plan';
import { row, rows, run, type Db } from '../db/index.js';

export interface PlaceRow extends Record<string, unknown> {
  id: string;
  kind: PlaceKind;
  parent_id: string | null;
  ancestors: string[];
  code: string;
  title: string;
  note: string;
  stand_alone: boolean;
  access_set_id: number;
  declare_on: 'filing' | 'folderClosed' | null;
  frozen_when_declared: string[];
  jurisdictions: string[];
  opened_on: string;
  closed_on: string | null;
  revision: number;
}

const columns =
  'id, kind, parent_id, ancestors, code, title, note, stand_alone, access_set_id, declare_on, frozen_when_declared, jurisdictions, opened_on, closed_on, revision';

export function placeById(db: Db, id: string) {
  return row<PlaceRow>(db, 'place.byId', `select ${columns} from place where id = $1`, [id]);
}

export function placesByIds(db: Db, ids: readonly string[]) {
  return rows<PlaceRow>(db, 'place.byIds', `select ${columns} from place where id = any ($1::uuid[])`, [ids]);
}

export function lockPlace(db: Db, id: string) {
  return row<PlaceRow>(db, 'place.lock', `select ${columns} from place where id = $1 for update`, [id]);
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

export function seriesUnder(db: Db, id: string) {
  return rows<{ id: string }>(db, 'place.seriesUnder', `select id from place where ancestors @> array[$1::uuid] and kind = 'series'`, [id]);
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

export async function addEvent(
  db: Db,
  e: { id: string; type: string; on: string; placeId: string; note: string; by: string; at: string },
): Promise<void> {
  await run(
    db,
    'event.add',
    'insert into event (id, type, happened_on, place_id, note, recorded_by, recorded_at) values ($1, $2, $3, $4, $5, $6, $7)',
    [e.id, e.type, e.on, e.placeId, e.note, e.by, e.at],
  );
}

export interface CellRow extends Record<string, unknown> {
  series_id: string;
  vintage: number;
  kept: number;
  due: number;
  held: number;
  unscheduled: number;
  permanent: number;
  waiting: number;
}
const sums =
  'sum(kept)::int as kept, sum(due)::int as due, sum(held)::int as held, sum(unscheduled)::int as unscheduled, sum(permanent)::int as permanent, sum(waiting)::int as waiting';

export function rackCells(db: Db, sets: readonly number[]) {
  return rows<CellRow>(
    db,
    'rack.cells',
    `select series_id, vintage, ${sums} from rack_now where access_set_id = any ($1::int[])
     group by series_id, vintage having sum(kept) > 0 order by series_id, vintage`,
    [sets],
  );
}

export function folderCounts(db: Db, parentId: string, sets: readonly number[]) {
  return rows<CellRow & { folder_id: string }>(
    db,
    'rack.folders',
    `select f.id as folder_id, count(r.id)::int as kept, count(*) filter (where r.docket <> 'none')::int as due,
       count(*) filter (where r.hold_count > 0)::int as held, count(*) filter (where r.outcome = 'unscheduled')::int as unscheduled,
       count(*) filter (where r.outcome = 'permanent')::int as permanent, count(*) filter (where r.outcome = 'waiting')::int as waiting
     from place f left join record r on r.places @> array[f.id] and r.state <> 'disposed' and r.access_set_id = any ($2::int[])
     where f.parent_id = $1 group by f.id`,
    [parentId, sets],
  );
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
