import { runExecution, type Services, type SignedIn } from '@key-cellar/server';
import type pg from 'pg';
import { say } from './measure.js';

/**
 * Executes an approved batch of records with a file of 20 KB each, ledger and certificate included. The batch and the files are made past
 * every guard; what is measured is the job.
 */
export async function executionCosts(services: Services, owner: pg.Pool, keeper: SignedIn, n: number): Promise<void> {
  const client = await owner.connect();
  const { rows } = await client.query<{ id: string; approver: string }>(
    `select gen_random_uuid() as id, (select id from principal where login = 'p2') as approver`,
  );
  const { id: batchId, approver } = rows[0]!;
  await client.query('begin; set local session_replication_role = replica');
  await client.query(
    `create temp table going on commit drop as
     select r.id, gen_random_uuid() as content, decode(repeat(md5(r.id::text), 1250), 'hex') as bytes
     from record r where r.state <> 'disposed' and not exists (select from version v where v.record_id = r.id)
       and not exists (select from hold_cover c where c.record_id = r.id and c.released_at is null) order by r.number desc limit ${n}`,
  );
  for (const sql of [
    `insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on, announced_on, notice_until, approved_on)
     values ('${batchId}', 'B-${Date.now()}', 'destroy', 'Bench', 'executing', 1, 0, '${keeper.id}', '2026-09-01', '2026-09-01', '2026-09-01', '2026-09-02')`,
    `insert into approval (batch_id, principal_id, decision, decided_on, decided_at) values ('${batchId}', '${approver}', 'approve', '2026-09-02', now())`,
    `insert into content (id, sha256, size, tree) select content, sha256(bytes), length(bytes), sha256(sha256(bytes)) from going`,
    `insert into content_chunk (content_id, seq, bytes) select content, 0, bytes from going`,
    `insert into version (record_id, no, content_id, file_name, made_by, made_at, media_type)
     select id, 1, content, 'paper.bin', '${keeper.id}', now(), 'application/octet-stream' from going`,
    `update record r set docket = 'batch', due_on = '2026-09-01', action = 'destroy', version_no = 1 from going g where g.id = r.id`,
    `insert into batch_item (batch_id, record_id) select '${batchId}', id from going`,
  ])
    await client.query(sql);
  await client.query('commit');
  client.release();
  const begin = performance.now();
  await runExecution(
    services,
    {
      id: batchId,
      subject: 'bench',
      data: { batchId, by: { id: keeper.id, name: keeper.name } },
      cursor: null,
      advance: () => Promise.resolve(),
    },
    keeper,
  );
  const seconds = (performance.now() - begin) / 1000;
  const { rows: done } = await owner.query<{ n: number }>(
    `select count(*)::int as n from batch_item where batch_id = $1 and outcome = 'disposed'`,
    [batchId],
  );
  if (done[0]!.n !== n) throw new Error(`${done[0]!.n} of ${n} records went`);
  say(
    `execute a batch of ${n} records, 20 KB each, with certificate`,
    '200 records a second',
    200 / (n / seconds),
    1,
    `${(n / seconds).toFixed(0)} a second, ${seconds.toFixed(1)} s`,
  );
}
