import type { Facts, Takes } from '@key-cellar/core/records';
import type { PlaceKind } from '@key-cellar/core/plan';
import { reanchor } from '../access/index.js';
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
  'id, kind, parent_id, ancestors, code, title, note, stand_alone, access_set_id, declare_on, frozen_when_declared, jurisdictions, opened_on, closed_on, retired_on, not_here, message, position, numbering_id, facts, takes, revision';

export function numberingOf(db: Db, id: string) {
  return row<{ id: string; title: string; pattern: string }>(
    db,
    'place.numberingOf',
    'select id, title, pattern from numbering where id = $1',
    [id],
  );
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
    `select distinct a.id from place f cross join unnest(f.ancestors) a (id)
     where f.kind = 'folder' and a.id <> f.id and f.access_set_id = any ($1::int[]) and ($2::uuid is null or f.ancestors @> array[$2::uuid])`,
    [sets, under],
  );
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

/**
 * Counts of series by vintage, of what stands in the given sets. Whoever sees most of the `known` sets gets the totals less
 * what is hidden from them; what is hidden is asked in the same statement, so that a set made a moment ago is. In no order.
 */
export function rackCells(db: Db, sets: readonly number[], known: number) {
  if (sets.length * 2 > known) {
    const less =
      'series_id, vintage, -kept as kept, -due as due, -held as held, -unscheduled as unscheduled, -permanent as permanent, -waiting as waiting';
    const all = 'series_id, vintage, kept, due, held, unscheduled, permanent, waiting';
    return rows<CellRow>(
      db,
      'rack.totals',
      `with hidden as materialized (select id from access_set where id <> all ($1::int[]))
       select series_id, vintage, ${sums} from (
         select ${all} from rack_total union all select ${all} from rack_delta
         union all select ${less} from rack_cell c join hidden on hidden.id = c.access_set_id
         union all select ${less} from rack_delta d join hidden on hidden.id = d.access_set_id) counted
       group by series_id, vintage having sum(kept) > 0`,
      [sets],
    );
  }
  return rows<CellRow>(
    db,
    'rack.cells',
    // Cells and what was not folded into them yet, added up once: the view would add them up by access set first. A join, because
    // a prepared statement looks through a list one by one.
    `select series_id, vintage, ${sums} from unnest($1::int[]) as seen (id)
     join (select * from rack_cell union all select * from rack_delta) c on c.access_set_id = seen.id
     group by series_id, vintage having sum(kept) > 0`,
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

/** Whether a code is one of another place: of any for plan nodes, of a sibling for folders. */
export async function codeTaken(db: Db, code: string, kind: string, parentId: string, except: string | null = null): Promise<boolean> {
  const found = await row(
    db,
    'place.codeTaken',
    `select from place where code = $1 and id is distinct from $4
       and case when $2 = 'folder' then kind = 'folder' and parent_id = $3 else kind <> 'folder' end`,
    [code, kind, parentId, except],
  );
  return found !== undefined;
}

/** Codes that were ever given to places of a kind: of siblings for folders. */
export function codesGiven(db: Db, kind: string, parentId: string) {
  return rows<{ code: string }>(
    db,
    'place.codesGiven',
    `select code from place where case when $1 = 'folder' then kind = 'folder' and parent_id = $2 else kind <> 'folder' end
     union select f.code from former_code f join place p on p.id = f.place_id
     where case when $1 = 'folder' then p.kind = 'folder' and f.parent_id = $2 else p.kind <> 'folder' end`,
    [kind, parentId],
  );
}

const [foundingKey, codesKey, planKey] = [4244, 4246, 4247];
export async function lockFounding(db: Db): Promise<void> {
  await run(db, 'place.lockFounding', `select pg_advisory_xact_lock(${foundingKey})`, []);
}
export async function lockCodes(db: Db): Promise<void> {
  await run(db, 'place.lockCodes', `select pg_advisory_xact_lock(${codesKey})`, []);
}
export async function lockPlan(db: Db): Promise<void> {
  await run(db, 'place.lockPlan', `select pg_advisory_xact_lock(${planKey})`, []);
}

export async function keepFormerCode(db: Db, place: PlaceRow, until: string): Promise<void> {
  await run(
    db,
    'place.keepFormerCode',
    `insert into former_code (place_id, code, parent_id, until) values ($1, $2, $3, $4)
     on conflict (place_id, code) do update set parent_id = excluded.parent_id, until = excluded.until`,
    [place.id, place.code, place.parent_id, until],
  );
}

export async function dropFormerCode(db: Db, placeId: string, code: string): Promise<void> {
  await run(db, 'place.dropFormerCode', 'delete from former_code where place_id = $1 and code = $2', [placeId, code]);
}

export function formerCodes(db: Db, placeId: string) {
  return rows<{ code: string; until: string }>(
    db,
    'place.formerCodes',
    `select f.code, f.until from former_code f join place p on p.id = f.place_id where f.place_id = $1 and f.code <> p.code order by f.until desc`,
    [placeId],
  );
}

export async function writePlace(
  db: Db,
  id: string,
  p: { code: string; title: string; note: string; notHere: string; message: string },
): Promise<number> {
  const found = await row<{ revision: number }>(
    db,
    'place.write',
    `update place set code = $2, title = $3, note = $4, not_here = $5, message = $6, revision = revision + 1 where id = $1 returning revision`,
    [id, p.code, p.title, p.note, p.notHere, p.message],
  );
  return found!.revision;
}

export async function extentOf(db: Db, id: string): Promise<{ records: number; places: number }> {
  const found = await row<{ records: number; places: number }>(
    db,
    'place.extent',
    `select (select count(*) from record where places @> array[$1::uuid] and state <> 'disposed')::int as records,
       (select count(*) from place where ancestors @> array[$1::uuid] and id <> $1)::int as places`,
    [id],
  );
  return found!;
}

/** Declared records under a place that would leave their series, or with `own` that place, and may not. */
export async function declaredThatStay(db: Db, id: string, newSeriesId: string | null, own: boolean): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'place.declaredThatStay',
    `select count(*)::int as n from record where places @> array[$1::uuid] and state = 'declared' and 'moving' = any (frozen)
       and (series_id is distinct from coalesce($2, series_id) or ($3 and place_id = $1))`,
    [id, newSeriesId, own],
  );
  return found!.n;
}

async function anchorOf(db: Db, placeId: string): Promise<string> {
  const found = await row<{ anchor_place: string }>(
    db,
    'place.anchor',
    'select s.anchor_place from place p join access_set s on s.id = p.access_set_id where p.id = $1',
    [placeId],
  );
  return found!.anchor_place;
}

/** The way to everything under a place, after its own way has become `path`; records get their new series with it. */
async function rewriteWay(db: Db, id: string, oldLength: number, path: readonly string[], seriesId: string | null): Promise<void> {
  await run(db, 'place.rewriteWay', 'update place set ancestors = $3::uuid[] || ancestors[$2 + 1:] where ancestors @> array[$1::uuid]', [
    id,
    oldLength,
    path,
  ]);
  await run(
    db,
    'record.rewriteWay',
    `update record set places = $3::uuid[] || places[$2 + 1:], series_id = coalesce($4, series_id)
     where places @> array[$1::uuid] and state <> 'disposed'`,
    [id, oldLength, path, seriesId],
  );
}

/** Puts a place, with all that is in it, under another one: its way, its access, and the series of its records. */
export async function moveUnder(db: Db, place: PlaceRow, parent: PlaceRow, seriesId: string | null): Promise<void> {
  const [oldAnchor, newAnchor] = [await anchorOf(db, place.id), await anchorOf(db, parent.id)];
  await run(
    db,
    'place.move',
    `update place set parent_id = $2, position = (select coalesce(max(position), -1) + 1 from place where parent_id = $2), revision = revision + 1 where id = $1`,
    [place.id, parent.id],
  );
  await rewriteWay(db, place.id, place.ancestors.length, [...parent.ancestors, place.id], seriesId);
  // A place with grants of its own, or that stands alone, is its own anchor and stays it.
  if (oldAnchor !== place.id && oldAnchor !== newAnchor) await reanchor(db, place.id, oldAnchor, newAnchor);
}

/** Codes that places inside both have. */
export function clashingCodes(db: Db, a: string, b: string) {
  return rows<{ code: string }>(
    db,
    'place.clashing',
    `select x.code from place x join place y on y.parent_id = $2 and y.code = x.code and y.kind = x.kind where x.parent_id = $1 order by x.code`,
    [a, b],
  );
}

export async function eventCount(db: Db, placeId: string): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'place.eventCount',
    'select count(*)::int as n from event where place_id = $1 and withdrawn_at is null',
    [placeId],
  );
  return found!.n;
}

/** Moves all that is in a place into another, leaves its code behind there, and retires it. */
export async function mergeInto(db: Db, place: PlaceRow, into: PlaceRow, seriesId: string | null, on: string): Promise<void> {
  for (const child of await childrenOf(db, place.id)) await moveUnder(db, child, into, seriesId);
  const [oldAnchor, newAnchor] = [await anchorOf(db, place.id), await anchorOf(db, into.id)];
  if (oldAnchor !== newAnchor) {
    await run(
      db,
      'place.mergeSets',
      `insert into access_set (anchor_place, record_id, marking_level, marking_caveats)
       select distinct $2::uuid, s.record_id, s.marking_level, s.marking_caveats from record r join access_set s on s.id = r.access_set_id
       where r.place_id = $1 and s.anchor_place = $3 on conflict do nothing`,
      [place.id, newAnchor, oldAnchor],
    );
  }
  await run(
    db,
    'record.merge',
    `update record r set place_id = $2, places = $3, series_id = coalesce($4, r.series_id),
       access_set_id = coalesce((select n.id from access_set o join access_set n on n.anchor_place = $6 and n.record_id is not distinct from o.record_id
         and n.marking_level = o.marking_level and n.marking_caveats = o.marking_caveats
         where o.id = r.access_set_id and o.anchor_place = $5), r.access_set_id)
     where r.place_id = $1 and r.state <> 'disposed'`,
    [place.id, into.id, into.ancestors, seriesId, oldAnchor, newAnchor],
  );
  await run(
    db,
    'place.mergeCode',
    `insert into former_code (place_id, code, parent_id, until) values ($1, $2, $3, $4)
     on conflict (place_id, code) do update set until = excluded.until`,
    [into.id, place.code, place.parent_id, on],
  );
  await retire(db, place.id, on);
}

export async function reopen(db: Db, id: string): Promise<void> {
  await run(db, 'place.reopen', 'update place set closed_on = null, retired_on = null, revision = revision + 1 where id = $1', [id]);
}

export async function retire(db: Db, id: string, on: string): Promise<void> {
  await run(db, 'place.retire', 'update place set retired_on = $2, revision = revision + 1 where id = $1', [id, on]);
}

/** Places with a code now or before, those that have it now and stand first. */
export function placesWithCode(db: Db, code: string, sets: readonly number[]) {
  return rows<{ id: string; code: string; former: boolean }>(
    db,
    'place.withCode',
    `select p.id, p.code, false as former, p.retired_on is not null as gone from place p
     where p.access_set_id = any ($2::int[]) and (p.code = $1 or ($1 like '%/%' and p.kind = 'folder' and $1 = (
       select string_agg(a.code, '/' order by array_position(p.ancestors, a.id)) from place a where a.id = any (p.ancestors) and a.kind in ('series', 'folder'))))
     union all
     select p.id, p.code, true, p.retired_on is not null from former_code f join place p on p.id = f.place_id
     where f.code = $1 and p.access_set_id = any ($2::int[])
     order by gone, former limit 5`,
    [code, sets],
  );
}

export function publishedRules(db: Db) {
  return rows<{ id: string; code: string }>(
    db,
    'plan.publishedRules',
    'select id, code from rule where exists (select from rule_version v where v.rule_id = rule.id)',
  );
}

export function jurisdictionNames(db: Db) {
  return rows<{ name: string }>(db, 'plan.jurisdictionNames', 'select name from jurisdiction');
}

export async function describePlace(
  db: Db,
  p: { id: string; title: string; note: string; not_here: string; message: string; jurisdictions: readonly string[] },
): Promise<void> {
  await run(
    db,
    'place.describe',
    `update place set title = $2, note = $3, not_here = $4, message = $5, jurisdictions = $6, revision = revision + 1 where id = $1`,
    [p.id, p.title, p.note, p.not_here, p.message, p.jurisdictions],
  );
}

export function addRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'place.addRule', 'insert into place_rule (place_id, rule_id) values ($1, $2) on conflict do nothing', [placeId, ruleId]);
}

export function removeRule(db: Db, placeId: string, ruleId: string): Promise<number> {
  return run(db, 'place.removeRule', 'delete from place_rule where place_id = $1 and rule_id = $2', [placeId, ruleId]);
}

export function allFormerCodes(db: Db) {
  return rows<{ place_id: string; code: string }>(
    db,
    'plan.formerCodes',
    'select f.place_id, f.code from former_code f join place p on p.id = f.place_id where f.code <> p.code order by f.until',
  );
}

/** Puts records into a place of their series: their way, and their access where it came from around them. */
export async function putRecordsIn(db: Db, ids: readonly string[], into: Pick<PlaceRow, 'id' | 'ancestors'>): Promise<void> {
  const anchor = await anchorOf(db, into.id);
  await run(
    db,
    'record.sets',
    `insert into access_set (anchor_place, record_id, marking_level, marking_caveats)
     select distinct $2::uuid, s.record_id, s.marking_level, s.marking_caveats
     from record r join access_set s on s.id = r.access_set_id where r.id = any ($1::uuid[]) on conflict do nothing`,
    [ids, anchor],
  );
  await run(
    db,
    'record.putIn',
    `update record r set place_id = $2, places = $3, access_set_id = n.id, revision = r.revision + 1
     from record o join access_set s on s.id = o.access_set_id
       join access_set n on n.anchor_place = $4 and n.record_id is not distinct from s.record_id
        and n.marking_level = s.marking_level and n.marking_caveats = s.marking_caveats
     where o.id = r.id and r.id = any ($1::uuid[])`,
    [ids, into.id, into.ancestors, anchor],
  );
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

/** The marking of the place around a place. */
export async function parentMarking(db: Db, id: string): Promise<{ level: number; caveats: string[] }> {
  const found = await row<{ marking_level: number; marking_caveats: string[] }>(
    db,
    'place.parentMarking',
    'select o.marking_level, o.marking_caveats from place p join place o on o.id = p.parent_id where p.id = $1',
    [id],
  );
  return { level: found!.marking_level, caveats: found!.marking_caveats };
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

/** Adds the rack’s deltas to its cells. */
export async function foldRack(db: Db): Promise<void> {
  await rows(db, 'rack.fold', 'select fold_rack()');
}
