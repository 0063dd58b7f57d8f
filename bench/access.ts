import { carryOut, grantActs, placeAccessActs, placeGrant, row, withUnitOfWork, type Services, type SignedIn } from '@key-cellar/server';
import { listPage } from './listPage.js';
import { median, p95, ratio, say } from './measure.js';

/** How many rows of records were written so far, as the statistics of the database count them. */
async function written({ pool }: Services): Promise<number> {
  await pool.query('select pg_stat_force_next_flush()');
  await new Promise((resolve) => setTimeout(resolve, 1500));
  const found = await row<{ n: number }>(
    pool,
    'bench.written',
    `select n_tup_upd::int as n from pg_stat_user_tables where relname = 'record'`,
  );
  return found!.n;
}

/** Somebody who is in all eighty groups, each with access to some of a thousand places, and what changing access costs. */
export async function accessCosts(services: Services, keeper: SignedIn, someone: (id: string) => Promise<SignedIn>): Promise<void> {
  const { pool } = services;
  const member = (await row<{ id: string }>(pool, 'bench.member', `select id from principal where login = 'p1'`))!.id;
  await pool.query({
    text: `insert into membership select $1, id from principal where kind = 'group' and not everyone on conflict do nothing`,
    values: [member],
  });
  const inAll = await someone(member);
  const [many, all] = [await listPage(services, inAll), await listPage(services, await someone(keeper.id))];
  say(
    'list page of a person in 80 groups, 1,000 access sets',
    'the keeper’s, who sees all',
    median(many.ours) / median(all.ours),
    1.5,
    `p95 ${p95(many.ours).toFixed(1)} ms`,
  );

  // Somebody who sees a dozen folders of twenty thousand: pages are looked for among a million records of which they may know six hundred.
  const narrow = (await row<{ id: string }>(
    pool,
    'bench.narrow',
    `select p.id from principal p where p.kind = 'person' and p.login like 'p%' and not exists (
       select from membership m join grant_ g on g.principal_id = m.group_id join place l on l.id = g.place_id and l.kind = 'repository'
       where m.member_id = p.id) order by p.login limit 1`,
  ))!.id;
  const few = await listPage(services, await someone(narrow));
  say(
    'list page of a person who sees a dozen folders',
    'the keeper’s, who sees all',
    median(few.ours) / median(all.ours),
    1.5,
    `p95 ${p95(few.ours).toFixed(1)} ms`,
  );

  const places = await pool.query<{ id: string; kind: string; records: number }>(
    `(select id, kind, 0 as records from place where kind = 'repository')
     union all (select p.id, p.kind, (select count(*)::int from record r where r.places @> array[p.id])
       from place p where p.kind = 'function' order by p.code limit 1)`,
  );
  const [root, branch] = places.rows as unknown as [{ id: string; records: number }, { id: string; records: number }];
  // Somebody has to be able to set up after every change.
  await pool.query({ text: `update principal set password_hash = 'none' where id = $1`, values: [keeper.id] });
  await withUnitOfWork(
    pool,
    keeper,
    (uow) => placeGrant(uow, { principalId: keeper.id, placeId: root.id, profile: 'administrator', reason: 'bench' }),
    'none',
  );
  const group = (await row<{ id: string }>(pool, 'bench.group', `select id from principal where name = 'Group 1'`))!.id;
  const give = async (placeId: string): Promise<string> =>
    (
      await carryOut(services, await someone(keeper.id), placeAccessActs.giveGrant, {
        params: { id: placeId },
        body: { principalId: group, profile: 'reader', from: null, until: null, reason: 'bench', dryRun: false },
      })
    ).id;
  const end = async (id: string): Promise<unknown> =>
    carryOut(services, await someone(keeper.id), grantActs.endGrant, { params: { id }, body: { reason: 'bench', dryRun: false } });
  const bareCommit = async (): Promise<void> => {
    await pool.query("begin; insert into bench_json (body) values (repeat('x', 400)); commit");
    await pool.query("begin; insert into bench_json (body) values (repeat('x', 400)); commit");
  };
  // High in the tree no record is written, whether it is the first grant there or not.
  for (const [what, placeId] of [
    ['the whole repository', root.id],
    [`a branch of ${branch.records} records`, branch.id],
  ] as const) {
    const before = await written(services);
    await ratio(
      `give and end a grant on ${what}`,
      'two bare inserts, one commit each',
      async () => end(await give(placeId)),
      bareCommit,
      60,
    );
    say('records written by that', 'none', (await written(services)) - before, 0);
  }

  const times: number[] = [];
  for (let round = 0; round < 8; round++) {
    await pool.query({ text: 'update principal set name = name where id = $1', values: [member] });
    const fresh = await someone(member);
    const begin = performance.now();
    (await services.access.of(fresh)).sets('discover');
    if (round > 0) times.push(performance.now() - begin);
  }
  say(
    'rights of a person in 80 groups after a change, 1,000 sets',
    'a tenth of a second',
    median(times) / 100,
    1,
    `${median(times).toFixed(0)} ms`,
  );
}
