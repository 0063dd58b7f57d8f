import { createHash, randomBytes } from 'node:crypto';
import { docket, receiving, records, schedule } from '@key-cellar/contract';
import type pg from 'pg';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork } from '../src/index.js';
import { recordWords } from '../src/facts/index.js';
import { chapters } from './support/chapters.js';
import { asOwner } from './support/database.js';
import { eventually } from './support/eventually.js';
import { beginUpload, uploadsEnded } from './support/halfUpload.js';
import { verified } from './support/ledger.js';
import { kill, startProcess } from './support/process.js';
import { approvedBatch, Client, makeWorld, rackDifferences, ruleDefinition, type World } from './support/world.js';

/** Records with content that came due long ago. */
async function addDue(world: World, count: number): Promise<void> {
  const ids = Array.from({ length: count }, () => uuidv7());
  await withUnitOfWork(world.pool, { id: null, name: 'Test', from: 'test', today: '2026-09-14' }, async (uow) => {
    for (const id of ids) {
      await uow.query({
        text: `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
                 search, access_set_id, owner_id, deposited_by, outcome, due_on, action, version_no, size, rule_version_id)
               select $1, $2, 'Crash', 'electronic', 'note', p.id, p.id, p.ancestors, '2024-01-01', '2024-01-01', '2024-01-01', '2024-01-01',
                 array_to_tsvector($3::text[]), p.access_set_id, $4, $4, 'dated', '2025-01-01', 'destroy', 1, 10, (select id from rule_version limit 1)
               from place p where p.code = 'A-01'`,
        values: [id, `CRASH-${id}`, recordWords('Crash', `CRASH-${id}`, {}), world.ids.editor],
      });
      const content = uuidv7();
      await uow.query({ text: 'insert into content (id) values ($1)', values: [content] });
      await uow.query({ text: 'insert into content_chunk values ($1, 0, $2)', values: [content, randomBytes(10)] });
      await uow.query({ text: 'update content set size = 10, sha256 = sha256($2) where id = $1', values: [content, randomBytes(10)] });
      await uow.query({
        text: `insert into version (record_id, no, content_id, file_name, media_type, made_by, made_at) values ($1, 1, $2, 'x', 'text/plain', $3, now())`,
        values: [id, content, world.ids.editor],
      });
    }
  });
}

/** How many records are gone by now. */
async function disposed(world: World): Promise<number> {
  const { rows } = await world.pool.query<{ n: number }>(`select count(*)::int as n from record where state = 'disposed'`);
  return rows[0]!.n;
}

/** Every record of the batch was destroyed once, under one certificate, and the books agree. */
async function expectAllDestroyedOnce(world: World, client: Client, batchId: string, count: number): Promise<void> {
  const page = await client.call(docket.batch, { params: { id: batchId } });
  expect(page.state).toBe('done');
  expect(page.items.filter((i) => i.outcome === 'disposed').length).toBe(count);
  const { rows } = await world.pool.query(
    `select (select count(*)::int from ledger_entry where act = 'destroyed') as destroyed,
            (select count(distinct subject_id)::int from ledger_entry where act = 'destroyed') as once,
            (select count(*)::int from certificate) as certificates,
            (select count(*)::int from version) as versions`,
  );
  expect(rows[0]).toEqual({ destroyed: count, once: count, certificates: 1, versions: 0 });
  expect(await rackDifferences(world.database)).toBe(0);
  expect((await client.call(records.count)).count).toBe(0);
}

/** Kills one process of PostgreSQL, so that all of it falls and recovers from its log; waits until it answers again. */
async function restartDatabase(database: string): Promise<void> {
  const ended = (client: pg.Client): Promise<unknown> => {
    client.on('error', () => undefined);
    return new Promise((resolve) => client.once('end', resolve));
  };
  await asOwner(database, (bystander) =>
    asOwner(database, async (victim) => {
      // Recovery begins here, not with all that other specs wrote.
      await victim.query('checkpoint');
      const { rows } = await victim.query<{ pid: number }>('select pg_backend_pid() as pid');
      const both = [ended(victim), ended(bystander)];
      process.kill(rows[0]!.pid, 'SIGKILL');
      await Promise.all(both);
    }),
  );
  while (!(await asOwner(database, () => Promise.resolve(true)).catch(() => false)))
    await new Promise((resolve) => setTimeout(resolve, 20));
}

describe('a server killed half-way', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
  }, 180_000);
  afterAll(() => world.stop());

  chapter(
    'in the middle of an upload leaves nothing of it; the retry arrives once',
    async () => {
      const server = await startProcess(world.database);
      const bytes = randomBytes(8 * 1024 * 1024);
      await beginUpload(world, server.base, 'half.bin', bytes, 5 * 1024 * 1024);
      await kill(server);
      // The database notices the broken connection and rolls back by itself.
      await uploadsEnded(world);
      const { rows } = await world.pool.query<{ n: number }>(
        'select (select count(*) from content)::int + (select count(*) from arrival)::int as n',
      );
      expect(rows[0]!.n).toBe(0);
      const again = await startProcess(world.database);
      const client = new Client(again.base, world.as('editor').cookie);
      const ids = [
        await client.upload('half.bin', bytes, { key: 'half.bin' }),
        await client.upload('half.bin', bytes, { key: 'half.bin' }),
      ];
      expect(ids[0]).toBe(ids[1]);
      const { arrivals } = await client.call(receiving.list);
      expect(arrivals.map((a) => a.sha256)).toEqual([createHash('sha256').update(bytes).digest('hex')]);
      await kill(again);
    },
    180_000,
  );

  chapter(
    'in the middle of a batch resumes: every record once, one certificate, nothing lost',
    async () => {
      const count = 400;
      await addDue(world, count);
      const batchId = await approvedBatch(world);
      // The first server takes the batch up and dies in it, the next one too.
      await world.running.services.jobs.stop();
      let server = await startProcess(world.database);
      await new Client(server.base, world.as('keeper').cookie).call(docket.execute, { params: { id: batchId } });
      const killedAt: number[] = [];
      for (const target of [20, 120]) {
        await eventually(async () => (await disposed(world)) >= target, 60_000, 10);
        await kill(server);
        killedAt.push(await disposed(world));
        server = await startProcess(world.database);
      }
      expect(killedAt[0]).toBeGreaterThanOrEqual(20);
      expect(killedAt[0]).toBeLessThan(count);
      const state = async (): Promise<string> =>
        (await world.pool.query<{ state: string }>('select state from batch where id = $1', [batchId])).rows[0]!.state;
      await eventually(async () => (await state()) === 'done');
      const client = new Client(server.base, world.as('keeper').cookie);
      await expectAllDestroyedOnce(world, client, batchId, count);
      await kill(server);
    },
    300_000,
  );
});

describe('a database killed half-way', () => {
  const chapter = chapters();
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
    // What was committed must survive even this.
    await asOwner(world.database, (client) => client.query(`alter database ${world.database} set synchronous_commit = on`));
    await restartDatabase(world.database);
  });
  afterAll(() => world.stop());

  chapter(
    'in the middle of an upload: the sender is told, nothing is half, and the retry arrives once',
    async () => {
      const bytes = randomBytes(8 * 1024 * 1024);
      let answered: (status: number) => void = () => undefined;
      const status = new Promise<number>((resolve) => (answered = resolve));
      const upload = await beginUpload(world, world.base, 'half.bin', bytes, 5 * 1024 * 1024, (code) => answered(code));
      await restartDatabase(world.database);
      upload.end(bytes.subarray(5 * 1024 * 1024));
      expect([0, 503]).toContain(await status);
      const left = await world.pool.query('select from content union all select from arrival');
      expect(left.rowCount).toBe(0);
      const client = world.as('editor');
      const ids = [
        await client.upload('half.bin', bytes, { key: 'half.bin' }),
        await client.upload('half.bin', bytes, { key: 'half.bin' }),
      ];
      expect(ids[0]).toBe(ids[1]);
      expect((await client.call(receiving.list)).arrivals.length).toBe(1);
    },
    180_000,
  );

  chapter(
    'in the middle of a batch: the running server goes on by itself, every record once',
    async () => {
      const count = 300;
      await addDue(world, count);
      const batchId = await approvedBatch(world);
      const keeper = world.as('keeper');
      await keeper.call(docket.execute, { params: { id: batchId } });
      const killedAt: number[] = [];
      for (const target of [10, 100]) {
        await eventually(async () => (await disposed(world)) >= target);
        await restartDatabase(world.database);
        await eventually(async () => killedAt.push(await disposed(world)) > 0);
      }
      expect(killedAt[0]).toBeLessThan(count);
      await eventually(async () => (await keeper.call(docket.batch, { params: { id: batchId } })).state === 'done');
      await expectAllDestroyedOnce(world, keeper, batchId, count);
    },
    300_000,
  );

  chapter(
    'while rules are recomputed and entries sealed: both go on, and the ledger proves itself',
    async () => {
      await addDue(world, 600);
      const { ruleId } = (await world.pool.query<{ ruleId: string }>('select id as "ruleId" from rule limit 1')).rows[0]!;
      const keeper = world.as('keeper');
      const { revision } = await keeper.call(schedule.rule, { params: { id: ruleId } });
      const twoYears = ruleDefinition({ steps: [{ kind: 'destroy', after: 'P2Y', from: 'clockStart', approvals: 1, noticeDays: 0 }] });
      const saved = await keeper.call(schedule.saveDraft, { params: { id: ruleId }, body: { revision, definition: twoYears } });
      const { jobId } = await keeper.call(schedule.publish, {
        params: { id: ruleId },
        body: { revision: saved.revision, inForceFrom: '2000-01-01', takesOver: 'all' },
      });
      await restartDatabase(world.database);
      await eventually(async () => (await world.services.jobs.settled(jobId)).state === 'done');
      const wrong = await world.pool.query(`select from record where state <> 'disposed' and due_on is distinct from '2026-01-01'`);
      expect(wrong.rowCount).toBe(0);
      await eventually(async () => (await world.services.sealer.sealNow()) > 0);
      expect((await verified(world)).findings).toEqual([]);
    },
    300_000,
  );
});
