import type { RackCounts } from '@key-cellar/contract';
import { type Db, row, rows } from '../kernel/index.js';

/** What the rack counts of the records of a series and vintage. */
export const counted = ['kept', 'due', 'held', 'unscheduled', 'permanent', 'waiting', 'declared'] as const;
export type Counted = Readonly<Record<(typeof counted)[number], number>>;
export type Cell = Counted & { readonly seriesId: string; readonly vintage: number };

const sums = counted.map((c) => `sum(${c})::int as ${c}`).join(', ');
const all = `series_id, vintage, ${counted.join(', ')}`;

/** What stands folded in the given sets ($1), by series and vintage. Whoever sees most of those known gets the totals less what is hidden. */
function folded(sets: readonly number[], known: number): string {
  const summed = `select series_id, vintage, ${sums}`;
  if (sets.length * 2 > known)
    return `${summed} from (
         select ${all} from rack_total
         union all select series_id, vintage, ${counted.map((c) => `-${c}`).join(', ')} from rack_cell
           where access_set_id in (select id from access_set except select unnest($1::int[]))) counted
       group by 1, 2`;
  // A join, because a prepared statement looks through a list one by one.
  return `${summed} from unnest($1::int[]) as seen (id) join rack_cell c on c.access_set_id = seen.id group by 1, 2`;
}

type Sums = readonly [string, number, number, number, number, number, number, number, number];
const inArrays = (select: string): string =>
  `(select coalesce(json_agg(json_build_array(series_id, vintage, ${counted.join(', ')})), '[]') from (${select}) c)`;

function toCell([seriesId, vintage, kept, due, held, unscheduled, permanent, waiting, declared]: Sums): Cell {
  return { seriesId, vintage, kept, due, held, unscheduled, permanent, waiting, declared };
}

/** What is folded in the given sets, and the epoch of that: both of one moment. */
export async function rackFolded(db: Db, sets: readonly number[], known: number): Promise<{ epoch: number; folded: Cell[] }> {
  const found = await row<{ epoch: number; folded: Sums[] }>(
    db,
    `rack.foldedOf${sets.length * 2 > known ? 'Totals' : 'Cells'}`,
    `select (select value from epoch where name = 'rack') as epoch, ${inArrays(folded(sets, known))} as folded`,
    [sets],
  );
  return { epoch: found!.epoch, folded: found!.folded.map(toCell) };
}

/** What writers noted in the given sets and is not folded yet, and the epoch that it adds to: both of one moment. */
export async function rackSince(db: Db, sets: readonly number[]): Promise<{ epoch: number; since: Cell[] }> {
  const found = await row<{ epoch: number; since: Sums[] }>(
    db,
    'rack.since',
    `select (select value from epoch where name = 'rack') as epoch,
       ${inArrays(`select series_id, vintage, ${sums} from rack_delta where access_set_id = any ($1::int[]) group by 1, 2`)} as since`,
    [sets],
  );
  return { epoch: found!.epoch, since: found!.since.map(toCell) };
}

/** Counts of a series or folder: of each folder right in it with all that is in that, and of what lies right in itself (under its own id). */
export function countsWithin(db: Db, placeId: string, sets: readonly number[]) {
  const columns = 'kept, due, held, unscheduled, permanent, waiting';
  return rows<RackCounts & { id: string }>(
    db,
    'rack.within',
    `select coalesce(p.ancestors[around.depth + 1], p.id) as id, sum(kept)::int as kept, sum(due)::int as due, sum(held)::int as held,
       sum(unscheduled)::int as unscheduled, sum(permanent)::int as permanent, sum(waiting)::int as waiting
     from (select cardinality(ancestors) as depth from place where id = $1) around
     cross join place p join (
       select place_id, ${columns} from place_sum where access_set_id = any ($2::int[])
       union all select place_id, ${columns} from place_delta where access_set_id = any ($2::int[])) s on s.place_id = p.id
     where p.ancestors @> array[$1::uuid] group by 1`,
    [placeId, sets],
  );
}

/** Adds the rack’s deltas to its cells, and takes up the notes of changed places. */
export async function foldRack(db: Db): Promise<void> {
  await rows(db, 'rack.fold', 'select fold_rack(), fold_plan()');
}

/** What comes due in a month and before, by month and action: of that, how much is held. */
export interface ComingRow extends Record<string, unknown> {
  month: string;
  action: 'destroy' | 'transfer';
  n: number;
  held: number;
}

/** What comes due before a day (the first of a month) in the given sets, by the month in which it does. */
export function coming(db: Db, sets: readonly number[], known: number, before: string) {
  const summed = 'select month, action, sum(n)::int as n, sum(held)::int as held';
  const noted = 'select month, action, n, held from due_delta where month < $2 and access_set_id = any ($1::int[])';
  const most = sets.length * 2 > known;
  return rows<ComingRow>(
    db,
    most ? 'due.comingOfAll' : 'due.coming',
    most
      ? `${summed} from (
           select month, action, n, held from due_sum where access_set_id = 0 and month < $2
           union all ${noted}
           union all select month, action, -n, -held from due_sum
             where month < $2 and access_set_id in (select id from access_set except select unnest($1::int[]))) counted
         group by 1, 2 having sum(n) > 0`
      : `${summed} from (
           select month, action, n, held from unnest($1::int[]) as seen (id) join due_sum on access_set_id = seen.id and month < $2
           union all ${noted}) counted
         group by 1, 2 having sum(n) > 0`,
    [sets, before],
  );
}
