import type { BatchState, ItemOutcome } from '@key-cellar/core/docket';
import { type Message } from '@key-cellar/words';
import { type Db, heldSql, holdCountSql, row, rows, run } from '../kernel/index.js';
import type { Receipt } from './receipt.js';
import type { Evidence } from './certificateStore.js';

export async function nextBatchNumber(db: Db, kind: 'batch' | 'certificate', year: number): Promise<number> {
  const found = await row<{ last: number }>(
    db,
    'batch.next',
    `insert into batch_counter (kind, year, last) values ($1, $2, 1)
     on conflict (kind, year) do update set last = batch_counter.last + 1 returning last`,
    [kind, year],
  );
  return found!.last;
}

export async function addBatch(
  db: Db,
  b: {
    id: string;
    number: string;
    action: string;
    what: string;
    approvalsNeeded: number;
    approverGroups: readonly string[];
    noticeDays: number;
    by: string;
    today: string;
  },
): Promise<void> {
  await run(
    db,
    'batch.add',
    `insert into batch (id, number, action, what, state, approvals_needed, notice_days, proposed_by, proposed_on, approver_groups)
     values ($1, $2, $3, $4, 'proposed', $5, $6, $7, $8, $9)`,
    [b.id, b.number, b.action, b.what, b.approvalsNeeded, b.noticeDays, b.by, b.today, b.approverGroups],
  );
}

export async function addItems(db: Db, batchId: string, recordIds: readonly string[]): Promise<void> {
  await run(db, 'batch.addItems', 'insert into batch_item (batch_id, record_id) select $1, unnest($2::uuid[])', [batchId, recordIds]);
}

export interface BatchRow extends Record<string, unknown> {
  id: string;
  number: string;
  action: 'destroy' | 'transfer';
  what: string;
  state: BatchState;
  approvals_needed: number;
  approver_groups: string[];
  notice_days: number;
  proposed_by: string;
  proposed_by_name: string;
  proposed_on: string;
  announced_on: string | null;
  notice_until: string | null;
  approved_on: string | null;
  finished_on: string | null;
  withdrawn_reason: string | null;
  revision: number;
  count: number;
  disposed: number;
  refused: number;
  sampled: number;
  tasks: number;
  held: number;
  objections: number;
  approved_count: number;
  sets: number[];
  certificate_id: string | null;
  certificate_number: string | null;
  receipt: Receipt | null;
  /** A job is at work on it now. */
  running: boolean;
  /** Who decided, in order, and how. */
  decided_by: string[];
  decisions: ('approve' | 'reject')[];
}

const batchSelect = `select b.id, b.number, b.action, b.what, b.state, b.approvals_needed, b.approver_groups, b.notice_days, b.proposed_by, p.name as proposed_by_name,
    b.proposed_on, b.announced_on, b.notice_until, b.approved_on, b.finished_on, b.withdrawn_reason, b.revision,
    i.count, i.disposed, i.refused, i.sampled, i.tasks, i.held, i.sets,
    (select count(*) from objection o where o.batch_id = b.id and o.answered_at is null)::int as objections,
    (select count(*) from approval a where a.batch_id = b.id and a.decision = 'approve')::int as approved_count,
    array(select a.principal_id from approval a where a.batch_id = b.id order by a.decided_at, a.principal_id) as decided_by,
    array(select a.decision from approval a where a.batch_id = b.id order by a.decided_at, a.principal_id) as decisions,
    c.id as certificate_id, c.number as certificate_number, t.receipt,
    b.state = 'executing' and exists (
      select from job_progress j where j.kind = 'execute' and j.subject = b.number and j.state = 'running') as running
  from batch b join principal p on p.id = b.proposed_by left join certificate c on c.batch_id = b.id left join transfer t on t.batch_id = b.id
  cross join lateral (
    select count(*)::int as count, count(*) filter (where x.outcome = 'disposed')::int as disposed,
      count(*) filter (where x.outcome in ('blocked', 'dropped', 'objected', 'deferred', 'sampled'))::int as refused,
      count(*) filter (where x.outcome = 'sampled')::int as sampled,
      count(*) filter (where x.outcome = 'task')::int as tasks,
      count(*) filter (where x.outcome = 'open' and ${heldSql()})::int as held,
      array_agg(distinct r.access_set_id) as sets
    from batch_item x join record r on r.id = x.record_id where x.batch_id = b.id) i`;

export function batches(db: Db) {
  return rows<BatchRow>(
    db,
    'batch.all',
    `${batchSelect} order by case b.state when 'done' then 2 when 'withdrawn' then 3 else 1 end, b.notice_until nulls last, b.number desc limit 500`,
  );
}

/** Batches that still ask something of somebody, in the same order. */
export function openBatches(db: Db) {
  return rows<BatchRow>(
    db,
    'batch.open',
    `${batchSelect} where b.state not in ('done', 'withdrawn') order by b.notice_until nulls last, b.number desc`,
  );
}

/** Batches by id, with `lock` under row locks: what is read beside the lock is what stands now. */
export async function findBatches(db: Db, ids: readonly string[], lock: boolean): Promise<BatchRow[]> {
  if (lock) await rows(db, 'batch.lock', 'select id from batch where id = any ($1::uuid[]) order by id for update', [ids]);
  return rows<BatchRow>(db, 'batch.byIds', `${batchSelect} where b.id = any ($1::uuid[]) order by b.id`, [ids]);
}

export async function setBatchState(
  db: Db,
  id: string,
  state: BatchState,
  changes: { announcedOn?: string; noticeUntil?: string; approvedOn?: string; finishedOn?: string; withdrawnReason?: string } = {},
): Promise<void> {
  await run(
    db,
    'batch.setState',
    `update batch set state = $2, announced_on = coalesce($3, announced_on), notice_until = coalesce($4, notice_until),
       approved_on = coalesce($5, approved_on), finished_on = coalesce($6, finished_on),
       withdrawn_reason = coalesce($7, withdrawn_reason), revision = revision + 1 where id = $1`,
    [
      id,
      state,
      changes.announcedOn ?? null,
      changes.noticeUntil ?? null,
      changes.approvedOn ?? null,
      changes.finishedOn ?? null,
      changes.withdrawnReason ?? null,
    ],
  );
}

export interface ItemRow extends Record<string, unknown> {
  record_id: string;
  number: string;
  title: string;
  due_on: string | null;
  hold_count: number;
  medium: 'electronic' | 'physical';
  container: string | null;
  outcome: ItemOutcome | 'task';
  reason: Message | null;
  evidence: Evidence | null;
  access_set_id: number;
  owner_id: string | null;
  deposited_by: string;
  state: string;
  deferred_until: string | null;
  action: 'destroy' | 'transfer' | null;
}

const itemSelect = `select i.record_id, r.number, r.title, r.due_on, ${holdCountSql()} as hold_count, r.medium, c.code || ', ' || c.location as container,
       i.outcome, i.reason, i.evidence, r.access_set_id, r.owner_id, r.deposited_by, r.state, r.deferred_until, r.action
     from batch_item i join record r on r.id = i.record_id left join container c on c.id = r.container_id
     where i.batch_id = $1`;

export function items(db: Db, batchId: string) {
  return rows<ItemRow>(db, 'batch.items', `${itemSelect} order by r.number`, [batchId]);
}

export function itemOf(db: Db, batchId: string, recordId: string) {
  return row<ItemRow>(db, 'batch.item', `${itemSelect} and i.record_id = $2`, [batchId, recordId]);
}

export function openItems(db: Db, batchId: string, limit: number) {
  return rows<{ record_id: string }>(
    db,
    'batch.openItems',
    `select record_id from batch_item where batch_id = $1 and outcome = 'open' order by record_id limit $2`,
    [batchId, limit],
  );
}

export async function countItems(db: Db, batchId: string, outcome: 'open' | 'task'): Promise<number> {
  const found = await row<{ n: number }>(
    db,
    'batch.countItems',
    'select count(*)::int as n from batch_item where batch_id = $1 and outcome = $2',
    [batchId, outcome],
  );
  return found!.n;
}

export interface Outcome {
  readonly recordId: string;
  readonly outcome: ItemOutcome | 'task';
  readonly reason: Message | null;
  readonly evidence?: Evidence;
}

export async function setOutcomes(db: Db, batchId: string, outcomes: readonly Outcome[]): Promise<void> {
  if (outcomes.length === 0) return;
  await run(
    db,
    'batch.setOutcomes',
    `update batch_item i set outcome = o.outcome, reason = o.reason, evidence = o.evidence
     from unnest($2::uuid[], $3::text[], $4::jsonb[], $5::jsonb[]) as o (id, outcome, reason, evidence)
     where i.batch_id = $1 and i.record_id = o.id`,
    [
      batchId,
      outcomes.map((o) => o.recordId),
      outcomes.map((o) => o.outcome),
      outcomes.map((o) => (o.reason === null ? null : JSON.stringify(o.reason))),
      outcomes.map((o) => (o.evidence === undefined ? null : JSON.stringify(o.evidence))),
    ],
  );
}

/** The same outcome for several. */
export function setOutcome(
  db: Db,
  batchId: string,
  recordIds: readonly string[],
  outcome: Outcome['outcome'],
  reason: Message,
): Promise<void> {
  return setOutcomes(
    db,
    batchId,
    recordIds.map((recordId) => ({ recordId, outcome, reason })),
  );
}

/** Records that may go now, under their row locks, in order of id; holds that are being placed have looked at them. */
export async function lockForExecution(db: Db, batchId: string, recordIds: readonly string[]) {
  await run(db, 'execute.lock', 'select lock_to_dispose($1::uuid[])', [recordIds]);
  return rows<{
    id: string;
    number: string;
    title: string;
    state: string;
    medium: 'electronic' | 'physical';
    record_type: string;
    created_on: string;
    due_on: string | null;
    action: 'destroy' | 'transfer' | null;
    deferred_until: string | null;
    hold_count: number;
    rule: string | null;
    authority: string | null;
    container: string | null;
    objected: boolean;
  }>(
    db,
    'execute.read',
    `select r.id, r.number, r.title, r.state, r.medium, r.record_type, r.created_on, r.due_on, r.action, r.deferred_until, ${holdCountSql()} as hold_count,
       rule.code || ' version ' || v.version as rule, v.definition->>'authority' as authority,
       c.code || ', ' || c.location as container,
       exists (select from objection o where o.batch_id = $1 and o.record_id = r.id and o.answered_at is null) as objected
     from record r left join rule_version v on v.id = r.rule_version_id left join rule on rule.id = v.rule_id
       left join container c on c.id = r.container_id
     where r.id = any ($2::uuid[]) order by r.id`,
    [batchId, recordIds],
  );
}

/** Lets records of a batch go, all or none; gives the contents that each had. */
export async function disposeRecords(
  db: Db,
  recordIds: readonly string[],
  batchId: string,
  on: string,
): Promise<ReadonlyMap<string, readonly string[]>> {
  const found = await rows<{ record_id: string; contents: string[] }>(
    db,
    'execute.dispose',
    'select record_id, contents from dispose_records($1::uuid[], $2, $3)',
    [recordIds, batchId, on],
  );
  return new Map(found.map((f) => [f.record_id, f.contents]));
}
