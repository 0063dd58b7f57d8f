import { docket, holds } from '@key-cellar/contract';
import type { Criteria } from '@key-cellar/core/criteria';
import pg from 'pg';
import { executeItems } from '../src/docket/execution.js';
import { findBatches } from '../src/docket/batchStore.js';
import { goOnWithHold, type WritersOf } from '../src/holds/working.js';
import { withUnitOfWork } from '../src/index.js';
import { appUrlFor } from '../src/kernel/index.js';
import { asOwner, urlOf } from './support/database.js';
import { approvedBatch, makeWorld, rackDifferences, recordsInBulk, type World } from './support/world.js';

describe('what a hold by criteria reaches', () => {
  let world: World;
  let pool: pg.Pool;
  let matterId: string;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    pool = new pg.Pool({ connectionString: appUrlFor(urlOf(world.database)), max: 20 });
    ({ id: matterId } = await counsel().call(holds.makeMatter, { body: { code: 'C', title: 'Covering', kind: 'case', note: '' } }));
  });
  afterEach(async () => {
    expect(await rackDifferences(world.database)).toBe(0);
  });
  afterAll(async () => {
    await pool.end();
    await world.stop();
  });
  const counsel = () => world.as('counsel');
  const many = (count: number, title: string) => recordsInBulk(world, pool, count, title);
  const place = (criteria: Criteria, more: { freeze?: boolean; recordIds?: string[] } = {}) =>
    counsel().call(holds.placeHold, {
      body: { matterId, name: 'H', reason: 'a case', freeze: false, recordIds: [], custodianIds: [], criteria, ...more },
    });
  const words = (text: string): Criteria => ({ op: 'words', text });
  const one = async <T extends pg.QueryResultRow>(sql: string, values: unknown[] = []) => (await pool.query<T>(sql, values)).rows[0]!;
  const covered = async (holdId: string, because?: string): Promise<number> =>
    (
      await one<{ n: number }>(
        `select count(*)::int as n from hold_cover where hold_id = $1 and released_at is null and because = coalesce($2, because)`,
        [holdId, because ?? null],
      )
    ).n;
  const doing = async (id: string) => (await counsel().call(holds.hold, { params: { id } })).doing;
  const rename = (client: pg.Pool | pg.PoolClient, id: string, word: string) =>
    client.query(`update record set title = $2, search = array_to_tsvector(array[$2]) where id = $1`, [id, word]);
  const ends = (id: string) =>
    pool
      .query<{ body: string }>(`select body from ledger_entry where subject_id = $1 and act like 'finished %' order by body`, [id])
      .then(({ rows }) => rows.map((r) => JSON.parse(r.body) as { act: string; after: unknown; actor: { name: string } }));

  /** Until a hold has nothing left to do. */
  const ended = async (id: string): Promise<void> => {
    await goOnWithHold(world.services, id, () => true);
    while (await doing(id)) await new Promise((resolve) => setTimeout(resolve, 20));
  };

  /** Does something while somebody else is in the middle of writing records. */
  async function besideWriter<T>(write: (client: pg.PoolClient) => Promise<unknown>, work: () => Promise<T>): Promise<T> {
    const client = await pool.connect();
    try {
      await client.query('begin');
      await write(client);
      const result = await work();
      await client.query('commit');
      return result;
    } finally {
      client.release();
    }
  }

  it('is waited for, while nobody who writes waits for the hold', async () => {
    const [late, other] = await many(2, 'unrelated');
    await many(3, 'barge');
    const placed = await besideWriter(
      (client) => rename(client, late!, 'barge'),
      async () => {
        const answer = await place(words('barge'));
        // It stands, and looks for nothing yet: what is being written could be missed.
        expect(answer.doing).toEqual({ what: 'covering', done: 0, total: null });
        await asOwner(world.database, async (client) => {
          await client.query(`set lock_timeout = '100ms'`);
          await client.query(`update record set last_used_on = current_date where id = $1`, [other]);
        });
        // What comes now is covered by its own writer.
        await many(1, 'newcomer').then(([id]) => rename(pool, id!, 'barge'));
        expect(await covered(answer.id)).toBe(1);
        return answer;
      },
    );
    await ended(placed.id);
    expect([await covered(placed.id), await covered(placed.id, 'matches')]).toEqual([5, 4]);
    expect(await doing(placed.id)).toBeNull();
    expect((await ends(placed.id)).map((e) => [e.act, e.after, e.actor.name])).toEqual([
      ['finished covering', { records: 5 }, 'Person counsel'],
    ]);
  });

  it('is not waited for longer by writers who came later', async () => {
    await many(1, 'hoy');
    const [first, later] = [await pool.connect(), await pool.connect()];
    await first.query('begin; select pass_gate()');
    const placed = await place(words('hoy'));
    const writersOf: WritersOf = new Map();
    await goOnWithHold(world.services, placed.id, () => false, writersOf);
    await later.query('begin; select pass_gate()');
    await first.query('commit');
    await goOnWithHold(world.services, placed.id, () => true, writersOf);
    expect([await covered(placed.id), writersOf.size]).toEqual([1, 0]);
    await later.query('commit');
    for (const client of [first, later]) client.release();
  });

  it('neither goes nor changes before the hold has looked at it', async () => {
    const [renamed, gone, frozen] = await many(3, 'tender');
    const batchId = await approvedBatch(world);
    await pool.query(`update batch set state = 'executing' where id = $1`, [batchId]);
    const [batch] = await findBatches(pool, [batchId], false);
    const executor = { id: world.ids.keeper, name: 'Keeper', from: 'test', today: '2026-09-30' };
    const placed = await besideWriter(
      (client) => client.query('select pass_gate()'),
      async () => {
        const first = await place(words('tender'));
        await rename(pool, renamed!, 'launch');
        await withUnitOfWork(pool, executor, (uow) => executeItems(uow, batch!, [gone!]));
        const second = await place(words('tender'), { freeze: true });
        await expectAsync(rename(pool, frozen!, 'launch')).toBeRejectedWith(jasmine.objectContaining({ code: 'KC002' }));
        return [first.id, second.id] as const;
      },
    );
    // What it was when the hold was placed counts, not what it became.
    expect(await one('select state, title from record where id = $1', [renamed])).toEqual({ state: 'working', title: 'launch' });
    expect(await covered(placed[0])).toBeGreaterThanOrEqual(2);
    const page = await world.as('keeper').call(docket.batch, { params: { id: batchId } });
    expect(page.items.find((i) => i.recordId === gone)!.outcome).toBe('blocked');
    // Past every service it stays as well, with its versions.
    const [straight] = await many(1, 'skiff');
    const filed = await world.file('editor', { title: 'skiff', text: 'a skiff' });
    await asOwner(world.database, async (client) => {
      await client.query(
        `insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at)
         select record_id, 2, content_id, file_name, media_type, made_by, now() from version where record_id = $1`,
        [filed.id],
      );
      await client.query('update record set version_no = 2 where id = $1', [filed.id]);
    });
    await besideWriter(
      (client) => client.query('select pass_gate()'),
      async () => {
        await place(words('skiff'));
        await asOwner(world.database, async (client) => {
          for (const [sql, id] of [
            [`update record set state = 'disposed' where id = $1`, straight],
            ['delete from version where no = 1 and record_id = $1', filed.id],
          ] as const)
            await expectAsync(client.query(sql, [id]))
              .withContext(sql)
              .toBeRejectedWith(jasmine.objectContaining({ code: 'KC002' }));
        });
      },
    );
    await Promise.all(placed.map(ended));
    expect([await covered(placed[0]), await covered(placed[1])]).toEqual([3, 2]);
  });

  it('is gone through step by step, each once, whoever does it', async () => {
    await many(1200, 'lighter');
    const placed = await besideWriter(
      (client) => client.query('select pass_gate()'),
      async () => {
        const answer = await place(words('lighter'));
        // A step that was not kept is as if it had never been.
        await asOwner(world.database, async (client) => {
          await client.query('begin');
          await client.query('select look_for_work($1, 500)', [answer.id]);
          await client.query(`select hold_step($1, 'covering')`, [answer.id]);
          expect((await client.query('select done, total from hold_work where hold_id = $1', [answer.id])).rows).toEqual([
            { done: 500, total: 1200 },
          ]);
          await client.query('rollback');
        });
        return answer;
      },
    );
    await Promise.all([1, 2].map(() => goOnWithHold(world.services, placed.id, () => true)));
    expect([await covered(placed.id), await doing(placed.id)]).toEqual([1200, null]);
    const released = await counsel().call(holds.release, { params: { id: placed.id }, body: { reason: 'settled' } });
    expect([released.released, released.doing, await covered(placed.id)]).toEqual([1200, null, 0]);
    expect((await ends(placed.id)).map((e) => [e.act, e.after])).toEqual([
      ['finished covering', { records: 1200 }],
      ['finished releasing', { records: 1200 }],
    ]);
    expect(
      await one(
        `select (count(*) filter (where act = 'held'))::int as held, (count(*) filter (where act = 'released from a hold'))::int as out
         from ledger_entry where subject_id in (select id from record where title = 'lighter')`,
      ),
    ).toEqual({ held: 1200, out: 1200 });
  });

  it('is let go of by a release on the way, as far as it was covered', async () => {
    await many(1200, 'hulk');
    const placed = await besideWriter(
      (client) => client.query('select pass_gate()'),
      async () => {
        const answer = await place(words('hulk'));
        const client = await pool.connect();
        await client.query('begin');
        await client.query('select look_for_work($1, 500)', [answer.id]);
        await client.query(`select hold_step($1, 'covering')`, [answer.id]);
        await client.query(`update hold set state = 'released', released_by = $2, release_reason = 'x' where id = $1`, [
          answer.id,
          world.ids.counsel,
        ]);
        await client.query('commit');
        client.release();
        return answer;
      },
    );
    await ended(placed.id);
    expect(await covered(placed.id)).toBe(0);
    expect((await ends(placed.id)).map((e) => [e.act, e.after])).toEqual([['finished releasing', { records: 500 }]]);
    expect(await one(`select count(*)::int as n from hold_part where hold_id = $1`, [placed.id])).toEqual({ n: 0 });
  });

  it('stays out once it was let out, also when the hold comes to it later', async () => {
    const [first] = await many(2, 'punt');
    const placed = await besideWriter(
      (client) => client.query('select pass_gate()'),
      async () => {
        const answer = await place(words('punt'));
        // Found; then covered by whoever writes it, and let out, before the hold comes to it.
        await asOwner(world.database, async (client) => {
          await client.query('begin');
          await client.query('select look_for_work($1, 500)', [answer.id]);
          await client.query(`select set_config('cellar.acting', '', true)`);
          await client.query(`update record set last_used_on = current_date where id = $1`, [first]);
          await client.query(`select uncover($1, array[$2::uuid], $3, 'another boat')`, [answer.id, first, world.ids.counsel]);
          await client.query('commit');
        });
        return answer;
      },
    );
    await ended(placed.id);
    expect(await covered(placed.id)).toBe(1);
  });

  it('may follow from other holds, and from their end', async () => {
    const ids = await many(2, 'gig');
    const held = await place({ op: 'and', of: [words('gig'), { op: 'held' }] });
    const list = await counsel().call(holds.placeHold, {
      body: { matterId, name: 'List', reason: 'a case', freeze: false, recordIds: ids, custodianIds: [] },
    });
    expect(await covered(held.id, 'came to match its criteria')).toBe(2);
    await counsel().call(holds.release, { params: { id: held.id }, body: { reason: 'enough' } });
    const free = await place({ op: 'and', of: [words('gig'), { op: 'not', of: { op: 'held' } }] });
    expect(await covered(free.id)).toBe(0);
    await counsel().call(holds.release, { params: { id: list.id }, body: { reason: 'enough' } });
    expect(await covered(free.id, 'came to match its criteria')).toBe(2);
  });

  it('may have gone before: a disposal under way is waited for, and none begins beside the placing', async () => {
    const disposing = await pool.connect();
    await disposing.query('begin; select pg_advisory_xact_lock_shared(disposal_key())');
    let stands = false;
    const placing = place(words('dory')).then((answer) => {
      stands = true;
      return answer;
    });
    const waiting = async () =>
      (await one<{ n: number }>(`select count(*)::int as n from pg_locks where locktype = 'advisory' and not granted`)).n;
    while ((await waiting()) === 0) await new Promise((resolve) => setTimeout(resolve, 5));
    expect(stands).toBeFalse();
    // Who disposes next waits for the placing, also past every service.
    const [id] = await many(1, 'wherry');
    for (const disposal of ['select lock_to_dispose(array[$1::uuid])', `update record set state = 'disposed' where id = $1`]) {
      await asOwner(world.database, async (client) => {
        await client.query(`set lock_timeout = '100ms'`);
        await expectAsync(client.query(disposal, [id]))
          .withContext(disposal)
          .toBeRejectedWith(jasmine.objectContaining({ code: '55P03' }));
      });
    }
    await disposing.query('commit');
    disposing.release();
    expect((await placing).covered).toBe(0);
  });

  it('is written all the same when the hold is released that moment', async () => {
    const [id] = await many(1, 'ketch');
    const { id: holdId } = await place(words('sloop'));
    const releasing = await pool.connect();
    await releasing.query('begin');
    await releasing.query(`update hold set state = 'released', released_by = $2, release_reason = 'x' where id = $1`, [
      holdId,
      world.ids.counsel,
    ]);
    const writing = rename(pool, id!, 'sloop');
    const waiting = async () => (await one<{ n: number }>(`select count(*)::int as n from pg_locks where not granted`)).n;
    while ((await waiting()) === 0) await new Promise((resolve) => setTimeout(resolve, 5));
    await releasing.query('commit');
    releasing.release();
    await writing;
    await ended(holdId);
    expect([await covered(holdId), (await one('select title from record where id = $1', [id]))['title']]).toEqual([0, 'sloop']);
  });

  it('is covered also when somebody with a database account placed the hold', async () => {
    await many(2, 'yawl');
    const { id } = await one<{ id: string }>(
      `insert into hold (id, matter_id, name, reason, freezes, state, criteria, scope_sql, scope_params, placed_by, placed_at)
       values (gen_random_uuid(), $1, 'straight', 'x', false, 'open', '{"op":"words","text":"yawl"}', '(r.title = ($2->>0)::text)', '["yawl"]', $2, now()) returning id`,
      [matterId, world.ids.counsel],
    );
    await ended(id);
    expect(await covered(id)).toBe(2);
    await pool.query(`update hold set state = 'released', released_by = $2, release_reason = 'x' where id = $1`, [id, world.ids.counsel]);
    await ended(id);
    expect(await covered(id)).toBe(0);
  });
});
