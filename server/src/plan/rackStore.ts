import { type Db, heldOneByOneSql, row, rows } from '../kernel/index.js';

export interface CountRow extends Record<string, unknown> {
  kept: number;
  due: number;
  held: number;
  unscheduled: number;
  permanent: number;
  waiting: number;
}

export interface SeriesRow extends CountRow {
  series_id: string;
}

export interface CellRow extends SeriesRow {
  vintage: number;
}

const sums =
  'sum(kept)::int as kept, sum(due)::int as due, sum(held)::int as held, sum(unscheduled)::int as unscheduled, sum(permanent)::int as permanent, sum(waiting)::int as waiting';

/**
 * What stands in the given sets, added up. Whoever sees most of the `known` sets gets the totals less what is hidden from them; what is
 * hidden is asked in the same statement, so that a set made a moment ago is.
 */
function counted(by: string, where: string, sets: readonly number[], known: number): string {
  if (sets.length * 2 > known) {
    const less =
      'series_id, vintage, -kept as kept, -due as due, -held as held, -unscheduled as unscheduled, -permanent as permanent, -waiting as waiting';
    const all = 'series_id, vintage, kept, due, held, unscheduled, permanent, waiting';
    return `with hidden as materialized (select id from access_set where id <> all ($1::int[]))
       select ${by}, ${sums} from (
         select ${all} from rack_total where ${where} union all select ${all} from rack_delta where ${where}
         union all select ${less} from rack_cell c join hidden on hidden.id = c.access_set_id where ${where}
         union all select ${less} from rack_delta d join hidden on hidden.id = d.access_set_id where ${where}) counted
       group by ${by} having sum(kept) > 0`;
  }
  // Cells and what was not folded into them yet, added up once: the view would add them up by access set first. A join, because
  // a prepared statement looks through a list one by one.
  return `select ${by}, ${sums} from unnest($1::int[]) as seen (id)
     join (select * from rack_cell where ${where} union all select * from rack_delta where ${where}) c on c.access_set_id = seen.id
     group by ${by} having sum(kept) > 0`;
}

/** How much of the sets is known decides which of two statements it is. */
const asTotals = (sets: readonly number[], known: number): string => (sets.length * 2 > known ? 'totals' : 'cells');

/** Counts of series by vintage, of what stands in the given sets; in no order. */
export function rackCells(db: Db, sets: readonly number[], known: number) {
  return rows<CellRow>(db, `rack.${asTotals(sets, known)}`, counted('series_id, vintage', 'true', sets, known), [sets]);
}

/** Counts of some series, all vintages together, of what stands in the given sets; in no order. */
export function seriesCounts(db: Db, sets: readonly number[], known: number, seriesIds: readonly string[]) {
  return rows<SeriesRow>(db, `rack.${asTotals(sets, known)}OfSeries`, counted('series_id', 'series_id = any ($2::uuid[])', sets, known), [
    sets,
    seriesIds,
  ]);
}

/** Counts of the folders right in a place. */
export function folderCounts(db: Db, parentId: string, sets: readonly number[]) {
  return rows<CountRow & { folder_id: string }>(
    db,
    'rack.folders',
    `select f.id as folder_id, count(r.id)::int as kept, count(*) filter (where r.docket <> 'none')::int as due,
       count(*) filter (where ${heldOneByOneSql()})::int as held, count(*) filter (where r.outcome = 'unscheduled')::int as unscheduled,
       count(*) filter (where r.outcome = 'permanent')::int as permanent, count(*) filter (where r.outcome = 'waiting')::int as waiting
     from place f left join record r on r.places @> array[f.id] and r.state <> 'disposed' and r.access_set_id = any ($2::int[])
     where f.parent_id = $1 and f.kind = 'folder' group by f.id`,
    [parentId, sets],
  );
}

/** Adds the rack’s deltas to its cells. */
export async function foldRack(db: Db): Promise<void> {
  await rows(db, 'rack.fold', 'select fold_rack()');
}

/** How many records no rule reaches, and in how many series these are, of what stands in the given sets. */
export async function unscheduledIn(db: Db, sets: readonly number[], known: number): Promise<{ records: number; series: number }> {
  const found = await row<{ records: number; series: number }>(
    db,
    `rack.${asTotals(sets, known)}Unscheduled`,
    `select coalesce(sum(unscheduled), 0)::int as records, count(*)::int as series
     from (${counted('series_id', 'true', sets, known)}) s where unscheduled > 0`,
    [sets],
  );
  return found!;
}
