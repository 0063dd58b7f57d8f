import pg from 'pg';

/** Every screen of the demo by what it shows, with its address. */
export async function paths(databaseUrl: string): Promise<Record<string, string>> {
  const client = new pg.Client({ connectionString: databaseUrl });
  await client.connect();
  const one = async (sql: string): Promise<string> => (await client.query<{ id: string }>(sql)).rows[0]!.id;
  const found = {
    'sign-in': '/sign-in',
    today: '/today',
    receiving: '/receiving',
    rack: '/plan',
    outline: '/plan?view=outline',
    numbering: '/setup/numbering',
    stencils: '/plan/stencils',
    stencil: `/plan/stencils/${await one(`select id from stencil where title = 'Staff file'`)}`,
    'new stencil': '/plan/stencils/new',
    'record types': '/setup',
    'record type': '/setup/types/notice',
    detectors: '/setup/detectors',
    'who can do what': '/setup/acts',
    packages: '/setup/packages',
    outside: '/setup/outside',
    people: '/setup/people',
    'sign-in and programs': '/setup/providers',
    reviews: '/access/reviews',
    access: '/access',
    'who can reach it': '/access/reach',
    'access to look at': '/access/look',
    'access tags': '/access/tags',
    'access tag': `/access/tags/${await one(`select id from access_tag limit 1`)}`,
    parties: '/setup/parties',
    party: `/setup/about/${await one(`select id from entity where kind = 'party' order by name limit 1`)}`,
    series: `/plan/${await one(`select id from place where code = 'BER-01'`)}`,
    find: '/find',
    nothing: '/find?words=zzzz',
    dossier: `/records/${await one(`select id from record where state = 'declared' and exists (select from hold_cover c where c.record_id = record.id and c.released_at is null) and version_no > 0 limit 1`)}`,
    stub: `/records/${await one(`select id from record where state = 'disposed' limit 1`)}`,
    physical: `/records/${await one(`select id from record where medium = 'physical' limit 1`)}`,
    schedule: '/schedule',
    rule: `/schedule/${await one(`select id from rule where code = 'R-SAF-4'`)}`,
    'new rule': '/schedule/new',
    'rules by type': '/schedule/types',
    'rules by criteria': '/schedule/criteria',
    jurisdictions: '/schedule/jurisdictions',
    'events and years': '/schedule/lists',
    waiting: '/schedule/waiting',
    'thirty years': '/schedule/forecast',
    check: '/schedule/check',
    condition: '/find?where=under%20PIL%20and%20not%20held',
    holds: '/holds',
    hold: `/holds/${await one(`select id from hold where name = 'Ottoline inquiry'`)}`,
    docket: '/docket',
    batch: `/docket/${await one(`select id from batch where number = 'D-2026-003'`)}`,
    transfer: `/docket/${await one(`select id from batch where number = 'D-2026-002'`)}`,
    proof: '/proof',
    messages: '/messages',
    questions: '/questions?whose=all',
    letter: await one(`select link as id from message where kind = 'question' order by sent_at desc limit 1`),
    'not found': '/nowhere',
  };
  await client.end();
  return found;
}
