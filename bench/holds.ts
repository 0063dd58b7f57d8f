import { carryOut, goOnWithHold, holdActs, recordActs, type Services, type SignedIn } from '@key-cellar/server';
import type { Criteria } from '@key-cellar/core/criteria';
import pg from 'pg';
import { median, say } from './measure.js';

/** What a stretch of work wrote ahead, and how many of the updates of a table stayed on their page without touching an index. */
async function written<T>(
  owner: pg.Pool,
  table: string,
  work: () => Promise<T>,
): Promise<{ result: T; walMb: number; hot: number | null }> {
  const look = async () => {
    await owner.query('select pg_stat_force_next_flush()');
    await new Promise((resolve) => setTimeout(resolve, 1200));
    const { rows } = await owner.query<{ wal: number; all: number; hot: number }>(
      `select (pg_current_wal_lsn() - '0/0')::float8 as wal, n_tup_upd::float8 as all, n_tup_hot_upd::float8 as hot
       from pg_stat_user_tables where relname = $1`,
      [table],
    );
    return rows[0]!;
  };
  const before = await look();
  const result = await work();
  const after = await look();
  const updates = after.all - before.all;
  return { result, walMb: (after.wal - before.wal) / 1e6, hot: updates === 0 ? null : (after.hot - before.hot) / updates };
}

const hotWords = (hot: number | null): string => (hot === null ? 'no row of it updated' : `${Math.round(100 * hot)} % HOT`);

/** What holds by criteria cost: themselves, those who write meanwhile, and every filing after. */
export async function holdCosts(services: Services, owner: pg.Pool, counsel: SignedIn, url: string, wanted: number): Promise<void> {
  const { rows: functions } = await owner.query<{ id: string; name: string; n: number }>(
    `select p.id, p.code as name, (select count(*)::int from record r where r.places @> array[p.id] and r.state <> 'disposed') as n
     from place p where p.kind = 'function' order by p.code`,
  );
  const chosen: typeof functions = [];
  while (chosen.reduce((sum, f) => sum + f.n, 0) < wanted && functions.length > 0) chosen.push(functions.shift()!);
  const n = chosen.reduce((sum, f) => sum + f.n, 0);
  const criteria: Criteria = { op: 'or', of: chosen.map((f) => ({ op: 'under', placeId: f.id, name: f.name })) };
  const { id: matterId } = await carryOut(services, counsel, holdActs.makeMatter, {
    body: { code: `B-${Date.now()}`, title: 'Bench', kind: 'case', note: '' },
  });
  const place = (what: Criteria) =>
    carryOut(services, counsel, holdActs.placeHold, {
      body: { matterId, name: 'Bench', reason: 'bench', freeze: false, recordIds: [], custodianIds: [], criteria: what },
    });

  // The same links, into a table with the same keys and references, one statement.
  await owner.query(`drop table if exists bench_cover; create table bench_cover (like hold_cover including all);
    alter table bench_cover add foreign key (hold_id) references hold, add foreign key (record_id) references record`);
  const bare = async (): Promise<number> => {
    await owner.query('truncate bench_cover');
    const begin = performance.now();
    await owner.query(
      `insert into bench_cover (hold_id, record_id, because)
       select (select id from hold limit 1), r.id, 'matches' from record r where r.places && $1::uuid[] and r.state <> 'disposed'`,
      [chosen.map((f) => f.id)],
    );
    return performance.now() - begin;
  };

  // Somebody who goes on writing: what they wait for longest, with and without a hold being placed.
  const writer = new pg.Client({ connectionString: url });
  await writer.connect();
  const { rows: some } = await owner.query<{ id: string }>(
    `select id from record where state = 'working' and places && $1::uuid[] order by id limit 4000`,
    [chosen.map((f) => f.id)],
  );
  const waits = async (until: () => boolean): Promise<number[]> => {
    const times: number[] = [];
    for (let i = 0; !until(); i++) {
      const begin = performance.now();
      await writer.query({
        name: 'bench.write',
        text: 'update record set last_used_on = current_date where id = $1',
        values: [some[(i * 797) % some.length]!.id],
      });
      times.push(performance.now() - begin);
    }
    return times;
  };
  const seconds = (n: number): (() => boolean) => {
    const until = performance.now() + n * 1000;
    return () => performance.now() > until;
  };
  const hold = async (): Promise<{ id: string; ms: number }> => {
    const begin = performance.now();
    const { id } = await place(criteria);
    await goOnWithHold(services, id, () => true);
    return { id, ms: performance.now() - begin };
  };
  const release = async (id: string): Promise<number> => {
    const begin = performance.now();
    await carryOut(services, counsel, holdActs.release, { params: { id }, body: { reason: 'bench' } });
    await goOnWithHold(services, id, () => true);
    return performance.now() - begin;
  };
  const bareMs = median([await bare(), await bare(), await bare()]);
  const placed = await written(owner, 'record', hold);
  say(
    `hold by criteria on ${n} records`,
    'bare insert of the links',
    placed.result.ms / bareMs,
    5,
    `${placed.result.ms.toFixed(0)} ms against ${bareMs.toFixed(0)} ms, ${placed.walMb.toFixed(0)} MB of WAL, records: ${hotWords(placed.hot)}`,
  );
  const released = await written(owner, 'hold_cover', () => release(placed.result.id));
  say(
    `release of ${n} records`,
    'bare insert of the links',
    released.result / bareMs,
    5,
    `${released.result.toFixed(0)} ms, ${released.walMb.toFixed(0)} MB of WAL, covers: ${hotWords(released.hot)}`,
  );
  // A longest wait on a shared machine is what the machine does at times: as long without any hold tells so.
  let done = false;
  const waiting = waits(() => done);
  const { id: again, ms } = await hold();
  done = true;
  const beside = await waiting;
  const quiet = await waits(seconds(ms / 1000));
  say(
    'longest wait of a writer while a hold covers',
    '100 ms',
    Math.max(...beside) / 100,
    1,
    `${Math.max(...beside).toFixed(0)} ms of ${beside.length} writes, median ${median(beside).toFixed(1)}; without a hold ${Math.max(...quiet).toFixed(0)}, ${median(quiet).toFixed(1)}`,
  );
  await release(again);

  // What a hundred open holds by criteria cost whoever files one record.
  const filing = async (): Promise<number> => {
    const times: number[] = [];
    for (let i = 0; i < 200; i++) {
      const begin = performance.now();
      await writer.query({
        name: 'bench.file',
        text: `insert into record select (jsonb_populate_record(r, jsonb_build_object('id', gen_random_uuid(), 'number', gen_random_uuid()::text, 'state', 'working',
          'version_no', 0))).* from record r where r.id = $1`,
        values: [some[(i * 797) % some.length]!.id],
      });
      times.push(performance.now() - begin);
    }
    return median(times);
  };
  const alone = await filing();
  const ids: string[] = [];
  for (let i = 0; i < 100; i++) {
    const under: Criteria = { op: 'under', placeId: chosen[0]!.id, name: chosen[0]!.name };
    ids.push((await place({ op: 'and', of: [under, { op: 'words', text: `nothing${i}` }] })).id);
  }
  const among = await filing();
  say(
    'filing a record beside 100 open holds by criteria',
    'beside none',
    among / alone,
    1.4,
    `${among.toFixed(1)} ms against ${alone.toFixed(1)} ms`,
  );
  for (const id of ids) await carryOut(services, counsel, holdActs.release, { params: { id }, body: { reason: 'bench' } });
  await writer.end();

  // Declaring, against an update of the same rows and nothing else.
  const { rows: working } = await owner.query<{ id: string }>(`select id from record where state = 'working' order by id desc limit 10000`);
  const declared = working.map((w) => w.id);
  const client = await owner.connect();
  await client.query('begin; set local session_replication_role = replica');
  const begin = performance.now();
  await client.query(`update record set state = 'declared', declared_on = current_date where id = any ($1::uuid[])`, [declared]);
  const bareDeclaring = performance.now() - begin;
  await client.query('rollback');
  client.release();
  const declaring = await written(owner, 'record', async () => {
    const start = performance.now();
    await carryOut(services, counsel, recordActs.declare, { body: { ids: declared } });
    return performance.now() - start;
  });
  say(
    'declare 10,000 records',
    'bare update of the same rows',
    declaring.result / bareDeclaring,
    5,
    `${declaring.result.toFixed(0)} ms against ${bareDeclaring.toFixed(0)} ms, ${declaring.walMb.toFixed(0)} MB of WAL, ${hotWords(declaring.hot)}`,
  );
}
