import { pino } from 'pino';
import { records, sortColumns, type SortColumn } from '@key-cellar/contract';
import { landmarkBefore } from '../src/records/landmarks.js';
import { page } from '../src/records/store.js';
import { asOwner } from './support/database.js';
import { eventually } from './support/eventually.js';
import { makeWorld, type World } from './support/world.js';

/** Enough that there is a middle which is far from both ends. */
const size = 6000;

describe('long lists', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
         facts, search, access_set_id, owner_id, deposited_by, outcome, due_on, action, size, vintage)
       select gen_random_uuid(), p.code || '-' || lpad(i::text, 4, '0'), 'Log ' || i % 90, 'electronic', 'note', p.id, p.id, p.ancestors,
         '2020-01-01'::date + (i * 37) % 900, '2020-01-01', '2023-01-01'::date + i % 3, '2023-01-01', '{}', ''::tsvector, p.access_set_id, $1, $1,
         'dated', case when i % 5 = 0 then null else '2030-01-01'::date + i % 11 end, 'destroy', i % 7, 2020 + i % 4
       from place p, generate_series(1, $2::int) i where p.id = $3`,
      [world.ids.editor, size, world.ids.A01],
    );
  });
  afterAll(() => world.stop());

  const at = async (sort: SortColumn, descending: boolean, skip: number, limit = 5): Promise<string[]> =>
    (await world.as('keeper').call(records.list, { query: { sort, descending, skip, limit } })).records.map((r) => r.id);
  const plainly = async (sort: SortColumn, descending: boolean): Promise<string[]> => {
    const order = {
      number: 'number',
      title: 'title',
      created: 'created_on',
      filed: 'filed_on',
      due: `coalesce(due_on, 'infinity')`,
      size: 'size',
    };
    const direction = descending ? 'desc' : 'asc';
    const { rows } = await world.pool.query<{ id: string }>(
      `select id from record where state <> 'disposed' order by ${order[sort]} ${direction}, id ${direction}`,
    );
    return rows.map((r) => r.id);
  };

  for (const sort of sortColumns)
    for (const descending of [false, true])
      it(`by ${sort}${descending ? ', descending,' : ''} show the same row at a place, however it is come to`, async () => {
        const all = await plainly(sort, descending);
        for (const skip of [1999, 2000, 2001, 3000, 3499, 3996, 3995, size - 2001, size - 5, size - 3, size, size + 9])
          for (const turn of ['first', 'again'])
            expect(await at(sort, descending, skip))
              .withContext(`${skip}, ${turn}`)
              .toEqual(all.slice(skip, skip + 5));
      });

  it('are gone to by landmarks, which are of this list and of no other', async () => {
    const services = { pool: world.pool, log: pino({ level: 'silent' }) };
    // With one that is not there, so that the list is nobody else’s.
    const sets = [0, ...(await world.pool.query<{ id: number }>('select id from access_set order by id')).rows.map((r) => r.id)];
    const asked = (seen: readonly number[], more: object = {}) => ({
      ...{ filter: {}, scope: { kind: 'all' as const }, sort: 'due' as const, descending: false, narrow: false },
      visible: (bind: (value: unknown) => string) => `r.access_set_id = any (${bind(seen)}::int[])`,
      ...more,
    });
    await eventually(() => Promise.resolve(landmarkBefore(services, asked(sets), 3500) !== null));
    const found = landmarkBefore(services, asked(sets), 3500)!;
    expect(found.skip).toBe(500);
    const all = await plainly('due', false);
    expect((await page(world.pool, { ...asked(sets), ...found, limit: 3 })).map((r) => r.id)).toEqual(all.slice(3500, 3503));
    expect(landmarkBefore(services, asked(sets.slice(0, -1)), 3500)).toBeNull();
    expect(landmarkBefore(services, asked(sets, { descending: true }), 3500)).toBeNull();
    expect(landmarkBefore(services, asked(sets, { filter: { vintage: 2021 } }), 3500)).toBeNull();
    expect(landmarkBefore(services, asked(sets, { scope: { kind: 'folder', id: world.ids.A01 } }), 3500)).toBeNull();
  });

  it('end where they end, whatever was disposed of since somebody jumped', async () => {
    await at('due', false, 3500);
    const gone = (await plainly('due', false)).slice(0, 40);
    const put = (state: string, sign: number): Promise<void> =>
      asOwner(world.database, async (client) => {
        await client.query('set session_replication_role = replica');
        await client.query('update record set state = $2 where id = any ($1)', [gone, state]);
        await client.query(
          'insert into rack_delta select series_id, vintage, access_set_id, $2::int * count(*), 0, 0, 0, 0, 0, 0 from record where id = any ($1) group by 1, 2, 3',
          [gone, sign],
        );
      });
    await put('disposed', -1);
    const all = await plainly('due', false);
    expect(all.length).toBe(size - 40);
    expect(await at('due', false, size - 45)).toEqual(all.slice(-5));
    expect(await at('due', false, size - 43)).toEqual(all.slice(-3));
    expect(await at('due', false, 0)).toEqual(all.slice(0, 5));
    await put('working', 1);
  });
});
