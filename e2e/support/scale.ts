import pg from 'pg';

/** Adds two thousand series, each under one of a hundred activities, with a hundred records each. */
export async function addSeries(databaseUrl: string): Promise<void> {
  const client = new pg.Client({ connectionString: databaseUrl });
  await client.connect();
  const place = (kind: string, of: string): string =>
    `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on, position)
     select x.id, '${kind}', p.id, p.ancestors || x.id, x.code, x.title, p.access_set_id, '2000-01-01', 900 from (${of}) x
     join place p on p.code = x.parent and p.kind <> 'folder'`;
  await client.query(
    place(
      'function',
      `select gen_random_uuid() as id, (select code from place where parent_id is null) as parent, 'Y' || i as code, 'Yard ' || i as title from generate_series(1, 10) i`,
    ),
  );
  await client.query(
    place(
      'activity',
      `select gen_random_uuid() as id, 'Y' || 1 + i % 10 as parent, 'Y' || 1 + i % 10 || '.' || i as code, 'Work ' || i as title from generate_series(1, 100) i`,
    ),
  );
  await client.query(
    place(
      'series',
      `select gen_random_uuid() as id, 'Y' || 1 + n % 10 || '.' || n as parent, 'YS-' || lpad(i::text, 4, '0') as code, 'Papers of yard ' || i as title
       from (select i, 1 + i % 100 as n from generate_series(1, 2000) i) s`,
    ),
  );
  await client.query(
    `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on, search,
       access_set_id, owner_id, deposited_by, outcome, clock_start, due_on, action, vintage, size, state)
     select gen_random_uuid(), s.code || '/' || lpad(i::text, 4, '0'), 'Paper ' || i || ' of ' || s.code, 'electronic', (select code from record_type order by code limit 1), s.id, s.id, s.ancestors,
       '1998-01-01'::date + (i * 97 % 10000), '2026-01-01', '2026-01-01', '2026-01-01', array_to_tsvector(array['paper', i::text]),
       s.access_set_id, p.id, p.id, 'dated', '2010-01-01', '2027-01-01'::date + i, 'destroy', 1998 + i % 29, i * 10, 'working'
     from generate_series(1, 100) i cross join (select * from place where code like 'YS-%') s cross join (select id from principal where login = 'ines') p`,
  );
  await client.query('select fold_rack()');
  await client.query('analyze record');
  await client.end();
}
