import type { BatchState, ItemOutcome } from '@key-cellar/core/docket';
import type { Facts } from '@key-cellar/core/records';
import { type Db, row, rows, run } from '../kernel/index.js';
import type { Receipt } from './receipt.js';

/** Marks what has come due by a day and is not in the docket yet; the index holds only what is left to find. */
export async function markDue(db: Db, today: string) {
  return rows<{ id: string; number: string; title: string }>(
    db,
    'docket.markDue',
    `with found as (
       select id from record where docket = 'none' and state <> 'disposed' and due_on is not null and due_on <= $1
         and (deferred_until is null or deferred_until <= $1)
       order by id for update)
     update record r set docket = 'due' from found where r.id = found.id returning r.id, r.number, r.title`,
    [today],
  );
}

export interface GroupRow extends Record<string, unknown> {
  series_id: string;
  series_code: string;
  series_title: string;
  rule_version_id: string | null;
  rule_code: string | null;
  steps: { kind: string; approvals: number; noticeDays: number; approverGroups?: string[] }[] | null;
  action: 'destroy' | 'transfer';
  medium: 'electronic' | 'physical';
  vintages: number[];
  since: string;
  n: number;
  held: number;
  disposable: number;
}

/** What is due and in no batch, by series, rule, action and medium. */
export function dueGroups(db: Db, discover: readonly number[], dispose: readonly number[]) {
  return rows<GroupRow>(
    db,
    'docket.groups',
    `select g.*, p.code as series_code, p.title as series_title, rule.code as rule_code, v.definition->'steps' as steps
     from (
       select series_id, rule_version_id, action, medium, array_agg(distinct coalesce(vintage, 0)) as vintages,
         min(due_on) as since, count(*) filter (where hold_count = 0)::int as n, count(*) filter (where hold_count > 0)::int as held,
         count(*) filter (where access_set_id = any ($2::int[]))::int as disposable
       from record where docket = 'due' and state <> 'disposed' and access_set_id = any ($1::int[])
       group by 1, 2, 3, 4) g
     join place p on p.id = g.series_id
     left join rule_version v on v.id = g.rule_version_id left join rule on rule.id = v.rule_id
     order by g.since, p.code, g.medium`,
    [discover, dispose],
  );
}

export interface Group {
  readonly seriesId: string;
  readonly ruleVersionId: string | null;
  readonly action: 'destroy' | 'transfer';
  readonly medium: 'electronic' | 'physical';
}

/** What is due of a group and free, in the given sets. */
export async function idsInGroup(db: Db, group: Group, sets: readonly number[]): Promise<string[]> {
  const found = await rows<{ id: string }>(
    db,
    'docket.idsInGroup',
    `select id from record
     where docket = 'due' and state <> 'disposed' and hold_count = 0 and series_id = $1 and rule_version_id is not distinct from $2
       and action = $3 and medium = $4 and access_set_id = any ($5::int[])`,
    [group.seriesId, group.ruleVersionId, group.action, group.medium, sets],
  );
  return found.map((f) => f.id);
}

export interface DueRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  vintage: number | null;
  access_set_id: number;
}

/** Of these records those that are still due and free, under their row locks in order of id. */
export function lockDue(db: Db, ids: readonly string[]) {
  return rows<DueRow>(
    db,
    'docket.lockDue',
    `select id, number, title, vintage, access_set_id from record
     where id = any ($1::uuid[]) and docket = 'due' and state <> 'disposed' and hold_count = 0 order by id for update`,
    [ids],
  );
}

export async function setDocket(db: Db, ids: readonly string[], docket: 'none' | 'due' | 'batch'): Promise<void> {
  await run(db, 'docket.set', 'update record set docket = $2 where id = any ($1::uuid[]) and docket <> $2', [ids, docket]);
}

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
    i.count, i.disposed, i.refused, i.tasks, i.held, i.sets,
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
      count(*) filter (where x.outcome in ('blocked', 'dropped', 'objected', 'deferred'))::int as refused,
      count(*) filter (where x.outcome = 'task')::int as tasks,
      count(*) filter (where x.outcome = 'open' and r.hold_count > 0)::int as held,
      array_agg(distinct r.access_set_id) as sets
    from batch_item x join record r on r.id = x.record_id where x.batch_id = b.id) i`;

export function batches(db: Db) {
  return rows<BatchRow>(
    db,
    'batch.all',
    `${batchSelect} order by case b.state when 'done' then 2 when 'withdrawn' then 3 else 1 end, b.notice_until nulls last, b.number desc limit 500`,
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
  reason: string | null;
  evidence: Evidence | null;
  access_set_id: number;
  owner_id: string | null;
  deposited_by: string;
}

const itemSelect = `select i.record_id, r.number, r.title, r.due_on, r.hold_count, r.medium, c.code || ', ' || c.location as container,
       i.outcome, i.reason, i.evidence, r.access_set_id, r.owner_id, r.deposited_by
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

/** What a certificate says of one record. */
export interface Evidence {
  readonly number: string;
  readonly title: string;
  readonly recordType: string;
  readonly createdOn: string;
  readonly dueOn: string | null;
  readonly rule: string | null;
  readonly authority: string | null;
  readonly disposedOn: string;
  readonly versions: readonly { readonly no: number; readonly fileName: string; readonly size: number; readonly sha256: string }[];
  /** Where it went, when it was transferred. */
  readonly accession?: { readonly archive: string; readonly number: string } | undefined;
  readonly physical?: { readonly container: string; readonly method: string; readonly witness: string; readonly on: string } | undefined;
}

export async function setOutcome(
  db: Db,
  batchId: string,
  recordId: string,
  outcome: ItemOutcome | 'task',
  reason: string | null,
  evidence: Evidence | null = null,
): Promise<void> {
  await run(
    db,
    'batch.setOutcome',
    'update batch_item set outcome = $3, reason = $4, evidence = $5 where batch_id = $1 and record_id = $2',
    [batchId, recordId, outcome, reason, evidence === null ? null : JSON.stringify(evidence)],
  );
}

export function lockForExecution(db: Db, recordId: string) {
  return row<{
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
    rule: string | null;
    authority: string | null;
    container: string | null;
  }>(
    db,
    'execute.lock',
    `select r.id, r.number, r.title, r.state, r.medium, r.record_type, r.created_on, r.due_on, r.action, r.deferred_until,
       rule.code || ' version ' || v.version as rule, v.definition->>'authority' as authority,
       c.code || ', ' || c.location as container
     from record r left join rule_version v on v.id = r.rule_version_id left join rule on rule.id = v.rule_id
       left join container c on c.id = r.container_id
     where r.id = $1 for update of r`,
    [recordId],
  );
}

export async function hasOpenObjection(db: Db, batchId: string, recordId: string): Promise<boolean> {
  return (
    (await row(db, 'execute.objection', 'select from objection where batch_id = $1 and record_id = $2 and answered_at is null limit 1', [
      batchId,
      recordId,
    ])) !== undefined
  );
}

export async function disposeRecord(db: Db, recordId: string, batchId: string, on: string): Promise<string[]> {
  const found = await row<{ contents: string[] }>(db, 'execute.dispose', 'select dispose_record($1, $2, $3) as contents', [
    recordId,
    batchId,
    on,
  ]);
  return found!.contents;
}

/** Names of all groups that a person is of, directly or through another group. */
export async function groupsOf(db: Db, personId: string): Promise<string[]> {
  const found = await rows<{ name: string }>(
    db,
    'approval.groups',
    `with recursive mine as (
       select group_id from membership where member_id = $1
       union select m.group_id from membership m join mine on m.member_id = mine.group_id)
     select p.name from mine join principal p on p.id = mine.group_id`,
    [personId],
  );
  return found.map((g) => g.name);
}

export function approvals(db: Db, batchId: string) {
  return rows<{ principal_id: string; name: string; decision: 'approve' | 'reject'; note: string; decided_on: string }>(
    db,
    'approval.of',
    `select a.principal_id, p.name, a.decision, a.note, a.decided_on from approval a join principal p on p.id = a.principal_id
     where a.batch_id = $1 order by a.decided_at`,
    [batchId],
  );
}

export async function addApproval(
  db: Db,
  a: { batchId: string; by: string; decision: 'approve' | 'reject'; note: string; today: string; at: string },
): Promise<void> {
  await run(
    db,
    'approval.add',
    'insert into approval (batch_id, principal_id, decision, note, decided_on, decided_at) values ($1, $2, $3, $4, $5, $6)',
    [a.batchId, a.by, a.decision, a.note, a.today, a.at],
  );
}

export function objections(db: Db, batchId: string) {
  return rows<{ id: string; record_id: string; record: string; by_name: string; reason: string; answer: string | null }>(
    db,
    'objection.of',
    `select o.id, o.record_id, r.number || ' ' || r.title as record, p.name as by_name, o.reason, o.answer
     from objection o join record r on r.id = o.record_id join principal p on p.id = o.by_id where o.batch_id = $1 order by o.made_at`,
    [batchId],
  );
}

export interface ObjectionRow extends Record<string, unknown> {
  id: string;
  batch_id: string;
  record_id: string;
  answered_at: Date | null;
  by_id: string;
}

export function objectionById(db: Db, id: string) {
  return row<ObjectionRow>(
    db,
    'objection.byId',
    'select id, batch_id, record_id, answered_at, by_id from objection where id = $1 for update',
    [id],
  );
}

export async function addObjection(
  db: Db,
  o: { id: string; batchId: string; recordId: string; by: string; reason: string; at: string },
): Promise<void> {
  await run(
    db,
    'objection.add',
    'insert into objection (id, batch_id, record_id, by_id, reason, made_at) values ($1, $2, $3, $4, $5, $6)',
    [o.id, o.batchId, o.recordId, o.by, o.reason, o.at],
  );
}

export async function answerObjection(db: Db, id: string, answer: string, at: string): Promise<void> {
  await run(db, 'objection.answer', 'update objection set answer = $2, answered_at = $3 where id = $1', [id, answer, at]);
}

export async function addCertificate(
  db: Db,
  c: { id: string; number: string; batchId: string; issuedOn: string; sha256: Buffer; pdf: Buffer },
): Promise<void> {
  await run(
    db,
    'certificate.add',
    'insert into certificate (id, number, batch_id, issued_on, sha256, pdf) values ($1, $2, $3, $4, $5, $6)',
    [c.id, c.number, c.batchId, c.issuedOn, c.sha256, c.pdf],
  );
}

export function certificateById(db: Db, id: string) {
  return row<{ number: string; batch_id: string; pdf: Buffer }>(
    db,
    'certificate.byId',
    'select number, batch_id, pdf from certificate where id = $1',
    [id],
  );
}

/** Puts records off until a day: they leave the docket and come due again on it. */
export async function defer(db: Db, ids: readonly string[], until: string, reason: string): Promise<void> {
  await run(
    db,
    'docket.defer',
    `update record set docket = 'none', deferred_until = $2, deferred_reason = $3, revision = revision + 1 where id = any ($1::uuid[])`,
    [ids, until, reason],
  );
}

export interface PackableRow extends Record<string, unknown> {
  id: string;
  number: string;
  title: string;
  state: string;
  record_type: string;
  created_on: string;
  due_on: string | null;
  deferred_until: string | null;
  action: 'destroy' | 'transfer' | null;
  facts: Facts;
  rule: string | null;
  authority: string | null;
  medium: 'electronic' | 'physical';
  objected: boolean;
}

/** Open electronic records of a batch with what a package says of them. */
export function packable(db: Db, batchId: string) {
  return rows<PackableRow>(
    db,
    'transfer.packable',
    `select r.id, r.number, r.title, r.state, r.medium, r.record_type, r.created_on, r.due_on, r.deferred_until, r.action, r.facts,
       rule.code || ' version ' || v.version as rule, v.definition->>'authority' as authority,
       exists (select from objection o where o.batch_id = i.batch_id and o.record_id = r.id and o.answered_at is null) as objected
     from batch_item i join record r on r.id = i.record_id
       left join rule_version v on v.id = r.rule_version_id left join rule on rule.id = v.rule_id
     where i.batch_id = $1 and i.outcome = 'open' and r.medium = 'electronic' order by r.number`,
    [batchId],
  );
}

export interface TransferRow extends Record<string, unknown> {
  records: string[];
  bag_name: string;
  bag_sha256: Buffer;
  bag_id: string | null;
  receipt: Receipt | null;
}

export function transferOf(db: Db, batchId: string) {
  return row<TransferRow>(db, 'transfer.of', 'select records, bag_name, bag_sha256, bag_id, receipt from transfer where batch_id = $1', [
    batchId,
  ]);
}

export async function addTransfer(
  db: Db,
  t: { batchId: string; records: readonly string[]; bagName: string; sha256: Buffer; size: number; bagId: string; today: string },
): Promise<void> {
  await run(
    db,
    'transfer.add',
    'insert into transfer (batch_id, records, bag_name, bag_sha256, bag_size, bag_id, made_on) values ($1, $2, $3, $4, $5, $6, $7)',
    [t.batchId, t.records, t.bagName, t.sha256, t.size, t.bagId, t.today],
  );
}

export async function setReceipt(db: Db, batchId: string, receipt: Receipt): Promise<void> {
  await run(db, 'transfer.receipt', 'update transfer set receipt = $2 where batch_id = $1', [batchId, JSON.stringify(receipt)]);
}

/** Takes the reference to a bag away and gives its content's id. */
export async function forgetBag(db: Db, batchId: string): Promise<string | null> {
  const bag = await row<{ bag_id: string | null }>(db, 'transfer.bag', 'select bag_id from transfer where batch_id = $1 for update', [
    batchId,
  ]);
  if (!bag?.bag_id) return null;
  await run(db, 'transfer.forgetBag', 'update transfer set bag_id = null where batch_id = $1', [batchId]);
  return bag.bag_id;
}

/** The receipt under which a batch may let a record go; undefined when the record was not in its bag. */
export function receiptFor(db: Db, batchId: string, recordId: string) {
  return row<{ receipt: Receipt }>(
    db,
    'transfer.receiptFor',
    'select receipt from transfer where batch_id = $1 and receipt is not null and $2::uuid = any (records)',
    [batchId, recordId],
  );
}

/** The certificate that a record went on. */
export function certificateOf(db: Db, recordId: string) {
  return row<{ id: string; number: string; accession: { archive: string; number: string } | null }>(
    db,
    'certificate.ofRecord',
    `select c.id, c.number, i.evidence->'accession' as accession from certificate c join batch_item i on i.batch_id = c.batch_id
     where i.record_id = $1 and i.outcome = 'disposed'`,
    [recordId],
  );
}
