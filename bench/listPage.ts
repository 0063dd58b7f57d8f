import { type Services, type SignedIn } from '@key-cellar/server';
import { sortColumns } from '@key-cellar/contract';
import { listRecords } from '@key-cellar/server';

/** Times of list pages over places of every kind and every sort column, with the access filter and without. */
export async function listPage(services: Services, person: SignedIn): Promise<{ ours: number[]; bare: number[] }> {
  const { rows: all } = await services.pool.query<{ id: string; kind: string }>(
    `(select id, kind from place where kind = 'repository')
     union all (select id, kind from place where kind = 'function' order by code limit 3)
     union all (select id, kind from place where kind = 'series' order by code limit 5)`,
  );
  const page = { skip: 0, limit: 100, descending: false } as const;
  const places: typeof all = [];
  for (const place of all) {
    const known = listRecords(services, person, { ...page, under: place.id, sort: 'number' });
    if (await known.then(Boolean, () => false)) places.push(place);
  }
  const columns = {
    number: 'number',
    title: 'title',
    created: 'created_on',
    filed: 'filed_on',
    due: `coalesce(due_on, 'infinity'::date)`,
    size: 'size',
  };
  const ours: number[] = [];
  const bare: number[] = [];
  for (let round = 0; round < 6; round++) {
    for (const place of places) {
      const series = await services.pool.query<{ id: string }>(
        `select id from place where ancestors @> array[$1::uuid] and kind = 'series'`,
        [place.id],
      );
      for (const sort of sortColumns) {
        let begin = performance.now();
        await listRecords(services, person, { ...page, under: place.id, sort });
        const took = performance.now() - begin;
        const column = columns[sort];
        // What somebody would write by hand for this page, without asking who may see it.
        const text =
          place.kind === 'repository'
            ? `select r.*, p.code from record r join place p on p.id = r.place_id where r.state <> 'disposed' order by ${column}, r.id limit 100`
            : `select r.*, p.code from (select x.* from unnest($1::uuid[]) s (id) cross join lateral (select * from record where series_id = s.id and state <> 'disposed' order by ${column}, id limit 100) x order by ${column.replace(/(\w+)/, (c) => (c === 'coalesce' ? c : `x.${c}`)).replace('(due_on', '(x.due_on')}, x.id limit 100) r join place p on p.id = r.place_id`;
        begin = performance.now();
        await services.pool.query({
          name: `bare ${place.kind === 'repository' ? 'all' : 'some'} ${sort}`,
          text,
          values: place.kind === 'repository' ? [] : [series.rows.map((s) => s.id)],
        });
        if (round > 0) {
          bare.push(performance.now() - begin);
          ours.push(took);
        }
      }
    }
  }
  return { ours, bare };
}
