import { spawn, type ChildProcess } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { request } from 'node:http';
import { fileURLToPath } from 'node:url';
import { docket, receiving, records } from '@key-cellar/contract';
import { uuidv7 } from 'uuidv7';
import { withUnitOfWork } from '../src/index.js';
import { recordWords } from '../src/records/index.js';
import { urlOf } from './support/database.js';
import { approvedBatch, Client, makeWorld, rackDifferences, type World } from './support/world.js';

const main = fileURLToPath(new URL('../src/main.ts', import.meta.url));

/** A server of its own, so that it can be killed. */
async function startProcess(database: string): Promise<{ child: ChildProcess; base: string }> {
  const child = spawn(process.execPath, ['--import', 'tsx', main], {
    env: { ...process.env, DATABASE_URL: urlOf(database), PORT: '0', LOG_LEVEL: 'silent' },
    stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
  });
  const port = await new Promise<number>((resolve, reject) => {
    child.once('message', (message) => resolve((message as { listening: number }).listening));
    child.once('exit', () => reject(new Error('the server did not start')));
  });
  return { child, base: `http://127.0.0.1:${port}` };
}

const kill = (child: ChildProcess): Promise<void> =>
  new Promise((resolve) => {
    child.once('exit', () => resolve());
    child.kill('SIGKILL');
  });

describe('a server killed half-way', () => {
  let world: World;
  beforeAll(async () => {
    world = await makeWorld();
    await world.rule('R-1', world.ids.A01);
  }, 60_000);
  afterAll(() => world.stop());

  it('in the middle of an upload leaves nothing of it; the retry arrives once', async () => {
    const { child, base } = await startProcess(world.database);
    const bytes = randomBytes(8 * 1024 * 1024);
    await new Promise<void>((resolve) => {
      const upload = request(
        `${base}/api/uploads?name=half.bin`,
        {
          method: 'POST',
          headers: { cookie: world.as('editor').cookie, 'x-key-cellar': '1', 'idempotency-key': 'half', 'content-length': bytes.length },
        },
        () => undefined,
      );
      upload.on('error', () => resolve());
      upload.write(bytes.subarray(0, 5 * 1024 * 1024), () => setTimeout(() => void kill(child), 150));
    });
    // The database notices the broken connection and rolls back by itself.
    let left = 1;
    for (let i = 0; i < 100 && left > 0; i++) {
      await new Promise((resolve) => setTimeout(resolve, 50));
      left = (
        await world.pool.query<{ n: number }>('select (select count(*) from content)::int + (select count(*) from arrival)::int as n')
      ).rows[0]!.n;
    }
    expect(left).toBe(0);
    const again = await startProcess(world.database);
    const client = new Client(again.base, world.as('editor').cookie);
    const ids = [await client.upload('half.bin', bytes, { key: 'half' }), await client.upload('half.bin', bytes, { key: 'half' })];
    expect(ids[0]).toBe(ids[1]);
    const { arrivals } = await client.call(receiving.list);
    expect(arrivals.map((a) => a.sha256)).toEqual([createHash('sha256').update(bytes).digest('hex')]);
    await kill(again.child);
  }, 60_000);

  it('in the middle of a batch resumes: every record once, one certificate, nothing lost', async () => {
    const count = 400;
    const ids = Array.from({ length: count }, () => uuidv7());
    await withUnitOfWork(world.pool, { id: null, name: 'Test', from: 'test', today: '2026-09-14' }, async (uow) => {
      for (const [i, id] of ids.entries()) {
        await uow.query({
          text: `insert into record (id, number, title, medium, record_type, place_id, series_id, places, created_on, received_on, filed_on, modified_on,
                   search, access_set_id, owner_id, deposited_by, outcome, due_on, action, version_no, size, rule_version_id)
                 select $1, $2, 'Crash', 'electronic', 'note', p.id, p.id, p.ancestors, '2024-01-01', '2024-01-01', '2024-01-01', '2024-01-01',
                   array_to_tsvector($3::text[]), p.access_set_id, $4, $4, 'dated', '2025-01-01', 'destroy', 1, 10, (select id from rule_version limit 1)
                 from place p where p.code = 'A-01'`,
          values: [id, `CRASH-${i}`, recordWords('Crash', `CRASH-${i}`, {}), world.ids.editor],
        });
        const content = uuidv7();
        await uow.query({ text: 'insert into content (id) values ($1)', values: [content] });
        await uow.query({ text: 'insert into content_chunk values ($1, 0, $2)', values: [content, randomBytes(10)] });
        await uow.query({ text: 'update content set size = 10, sha256 = sha256($2) where id = $1', values: [content, randomBytes(10)] });
        await uow.query({
          text: `insert into version (record_id, no, content_id, file_name, made_by, made_at) values ($1, 1, $2, 'x', $3, now())`,
          values: [id, content, world.ids.editor],
        });
      }
    });
    const batchId = await approvedBatch(world);
    // The first server takes the batch up and dies in it, the next one too.
    await world.running.services.jobs.stop();
    const disposed = async (): Promise<number> =>
      (await world.pool.query<{ n: number }>(`select count(*)::int as n from record where state = 'disposed'`)).rows[0]!.n;
    let server = await startProcess(world.database);
    await new Client(server.base, world.as('keeper').cookie).call(docket.execute, { params: { id: batchId } });
    const killedAt: number[] = [];
    for (const target of [20, 120]) {
      for (let i = 0; i < 400 && (await disposed()) < target; i++) await new Promise((resolve) => setTimeout(resolve, 10));
      await kill(server.child);
      killedAt.push(await disposed());
      server = await startProcess(world.database);
    }
    expect(killedAt[0]).toBeGreaterThanOrEqual(20);
    expect(killedAt[0]).toBeLessThan(count);
    const state = async (): Promise<string> =>
      (await world.pool.query<{ state: string }>('select state from batch where id = $1', [batchId])).rows[0]!.state;
    for (let i = 0; i < 600 && (await state()) !== 'done'; i++) await new Promise((resolve) => setTimeout(resolve, 50));
    const client = new Client(server.base, world.as('keeper').cookie);
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
    await kill(server.child);
  }, 120_000);
});
