import { openPool, programActor, type getOrMakeSet, type placeGrant, type withUnitOfWork, type writeSetting } from '@key-cellar/server';

export interface Size {
  readonly records: number;
  readonly entries: number;
}

interface Parts {
  withUnitOfWork: typeof withUnitOfWork;
  writeSetting: typeof writeSetting;
  getOrMakeSet: typeof getOrMakeSet;
  placeGrant: typeof placeGrant;
}

/** Whoever may everything there. */
export const keeperId = '00000000-0000-8000-8000-000000000001';

/** A repository of the given size, made by the database itself in minutes; gives the id of a keeper. */
export async function makeDatabase(url: string, size: Size, parts: Parts): Promise<string> {
  const pool = openPool(url, 2);
  const begin = performance.now();
  const keeper = keeperId;
  const root = '00000000-0000-8000-8000-000000000002';
  await parts.withUnitOfWork(pool, programActor('bench', '2026-09-14'), async (uow) => {
    await parts.writeSetting(uow, 'repository', { name: 'Bench', timeZone: 'UTC' });
    // Swept until after the last day measured, so that no daily sweep runs beside a measurement.
    await parts.writeSetting(uow, 'swept', { on: '2999-12-31' });
    await uow.query({
      text: `insert into principal (id, kind, name, login, clearance_level) values ($1, 'person', 'Bench', 'bench', 9)`,
      values: [keeper],
    });
    await parts.getOrMakeSet(uow, { anchorPlace: root, recordId: null, level: 0, caveats: [], tags: [] });
  });
  const folders = Math.min(20_000, size.records / 50);
  for (const sql of [
    `insert into principal (id, kind, name) select gen_random_uuid(), 'group', 'Group ' || i from generate_series(1, 80) i`,
    `insert into principal (id, kind, name, login) select gen_random_uuid(), 'person', 'Person ' || i, 'p' || i from generate_series(1, 400) i`,
    `insert into membership select p.id, g.id from (select id, row_number() over () n from principal where kind = 'person') p join (select id, row_number() over () n from principal where kind = 'group' and not everyone) g on g.n % 80 = p.n % 80`,
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on) values ('${root}', 'repository', null, array['${root}'::uuid], 'ALL', 'Bench', 1, '2000-01-01')`,
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on) select id, 'function', '${root}', array['${root}'::uuid, id], 'F' || i, 'Function ' || i, 1, '2000-01-01' from (select gen_random_uuid() id, i from generate_series(1, 20) i) x`,
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on)
     select x.id, 'series', f.id, f.ancestors || x.id, 'S' || x.i, 'Series ' || x.i, 1, '2000-01-01'
     from (select gen_random_uuid() as id, i from generate_series(1, 500) i) x
     join (select id, ancestors, row_number() over (order by code) as n from place where kind = 'function') f on f.n = 1 + x.i % 20`,
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on)
     select x.id, 'folder', s.id, s.ancestors || x.id, 'D' || x.i, 'Folder ' || x.i, 1, '2000-01-01'
     from (select gen_random_uuid() as id, i from generate_series(1, ${folders}) i) x
     join (select id, ancestors, row_number() over (order by code) as n from place where kind = 'series') s on s.n = 1 + x.i % 500`,
    // Places of the plan have access sets of their own, and so has a thousand folders with grants of theirs.
    `insert into access_set (anchor_place) select id from place where kind in ('function', 'series')`,
    `insert into access_set (anchor_place) select id from (select id from place where kind = 'folder' order by code limit 999) x`,
    `update place set access_set_id = s.id from access_set s where s.anchor_place = place.id`,
    `update place f set access_set_id = p.access_set_id from place p where f.kind = 'folder' and p.id = f.parent_id
       and not exists (select from access_set s where s.anchor_place = f.id)`,
    `insert into grant_ (id, principal_id, place_id, profile, reason) select gen_random_uuid(), g.id, s.anchor_place, 'editor', 'bench' from access_set s join place d on d.id = s.anchor_place and d.kind in ('repository', 'folder') join (select id, row_number() over () n from principal where kind = 'group' and not everyone) g on g.n = 1 + s.id % 80`,
    `insert into record_type (code, title, facts) values ('note', 'Note', '[]')`,
    `insert into record_type_version (code, version, title, facts) values ('note', 1, 'Note', '[]')`,
    // Five hundred rules, one a series.
    `insert into rule (id, code) select gen_random_uuid(), 'R-' || lpad(i::text, 3, '0') from generate_series(1, 500) i`,
    `insert into rule_version (id, rule_id, version, definition, in_force_from, takes_over, published_by, published_at)
     select gen_random_uuid(), id, 1, ('{"title":"' || code || '","authority":"Sound Compact, art. 1","jurisdictions":[],"trigger":{"kind":"recordDate","date":"created"},"cutoff":{"kind":"calendarYear"},"steps":[{"kind":"destroy","after":"P10Y","from":"clockStart","approvals":1,"noticeDays":14}]}')::jsonb,
       '2000-01-01', 'all', '${keeper}', now() from rule`,
    `insert into place_rule (place_id, rule_id)
     select s.id, r.id from (select id, row_number() over (order by code) n from place where kind = 'series') s
     join (select id, row_number() over (order by code) n from rule) r on r.n = s.n`,
  ]) {
    await pool.query(sql);
  }
  await parts.withUnitOfWork(pool, programActor('bench', '2026-09-14'), (uow) =>
    parts.placeGrant(uow, { principalId: keeper, placeId: root, profile: 'keeper', reason: 'bench' }),
  );
  // Indexes are built once over all rows instead of row by row; the rack is folded after each part.
  const { rows: indexes } = await pool.query<{ indexdef: string; indexname: string }>(
    `select indexdef, indexname from pg_indexes where tablename = 'record' and indexname <> 'record_pkey'`,
  );
  for (const { indexname } of indexes) await pool.query(`drop index ${indexname}`);
  const part = 100_000;
  for (let from = 0; from < size.records; from += part) {
    await pool.query(
      `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on, search,
         access_set_id, owner_id, deposited_by, outcome, clock_start, due_on, action, vintage, size, state)
       select gen_random_uuid(), 'N-' || lpad(i::text, 9, '0'), 'Paper ' || md5(i::text), 'electronic', 'note', f.id, f.parent_id, f.ancestors,
         '1998-01-01'::date + (i::bigint * 7919 % 10400)::int, '2020-01-01', '2000-01-01'::date + i % 9700, '2020-01-01', array_to_tsvector(array['paper', md5(i::text), (i % 5000)::text]),
         f.access_set_id, $1, $1, case when i % 10 = 0 then 'permanent' when i % 7 = 0 then 'waiting' else 'dated' end, '2010-01-01',
         case when i % 10 = 0 or i % 7 = 0 then null else '2026-10-01'::date + i % 9000 end, 'destroy', 1998 + i % 29, i % 100000, case when i % 3 = 0 then 'working' else 'declared' end
       from generate_series($2::int, $3::int) i join (select id, parent_id, ancestors, access_set_id, row_number() over (order by id) n from place where kind = 'folder') f on f.n = 1 + (i::bigint * 31) % ${folders}`,
      [keeper, from + 1, Math.min(from + part, size.records)],
    );
    await pool.query('select fold_rack(), fold_rule_use()');
  }
  for (const { indexdef } of indexes) await pool.query(indexdef);
  await pool.query(
    `insert into ledger_entry (at, actor_id, act, subject_kind, subject_id, body)
     select '2020-01-01'::timestamptz, null, 'filed', 'record', null,
       '{"act":"filed","actor":{"id":null,"name":"Bench"},"after":{"n":' || i || '},"at":"2020-01-01T00:00:00.000000Z","before":null,"from":"bench","note":null,"on":"2020-01-01","subject":{"id":null,"kind":"record","name":"N"},"v":1}'
     from generate_series(1, $1::int) i`,
    [size.entries],
  );
  await pool.query('create table bench_bare (id serial primary key, sha bytea, bytes bytea)');
  await pool.query('create table bench_json (id bigserial primary key, body text not null)');
  await pool.query('grant all on bench_bare, bench_json to cellar_app; grant all on all sequences in schema public to cellar_app');
  await pool.query('vacuum (analyze)');
  await pool.query('checkpoint');
  await pool.end();
  process.stdout.write(`a database of ${size.records} records was made in ${((performance.now() - begin) / 1000).toFixed(0)} s\n`);
  return keeper;
}
