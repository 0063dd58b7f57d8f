import { type Db, heldSql, rows } from '../kernel/index.js';

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
       count(*) filter (where ${heldSql()})::int as held, count(*) filter (where r.outcome = 'unscheduled')::int as unscheduled,
       count(*) filter (where r.outcome = 'permanent')::int as permanent, count(*) filter (where r.outcome = 'waiting')::int as waiting
     from place f left join record r on r.places @> array[f.id] and r.state <> 'disposed' and r.access_set_id = any ($2::int[])
     where f.parent_id = $1 group by f.id`,
    [parentId, sets],
  );
}

/** Adds the rack’s deltas to its cells. */
export async function foldRack(db: Db): Promise<void> {
  await rows(db, 'rack.fold', 'select fold_rack()');
}
