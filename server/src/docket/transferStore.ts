import type { Facts } from '@key-cellar/core/records';
import { type Db, holdCountSql, row, rows, run } from '../kernel/index.js';
import type { Receipt } from './receipt.js';

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
  hold_count: number;
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
    `select r.id, r.number, r.title, r.state, r.medium, r.record_type, r.created_on, r.due_on, r.deferred_until, r.action, ${holdCountSql()} as hold_count, r.facts,
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
  payload_oxum: string | null;
  files: number | null;
}

export function transferOf(db: Db, batchId: string) {
  return row<TransferRow>(
    db,
    'transfer.of',
    'select records, bag_name, bag_sha256, bag_id, receipt, payload_oxum, files from transfer where batch_id = $1',
    [batchId],
  );
}

export async function addTransfer(
  db: Db,
  t: {
    batchId: string;
    records: readonly string[];
    bagName: string;
    sha256: Buffer;
    size: number;
    bagId: string;
    payloadOxum: string;
    files: number;
    today: string;
  },
): Promise<void> {
  await run(
    db,
    'transfer.add',
    `insert into transfer (batch_id, records, bag_name, bag_sha256, bag_size, bag_id, payload_oxum, files, made_on)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9)`,
    [t.batchId, t.records, t.bagName, t.sha256, t.size, t.bagId, t.payloadOxum, t.files, t.today],
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
/** What the archive has confirmed, and which of these records it holds by that; undefined before it has. */
export function receiptFor(db: Db, batchId: string, recordIds: readonly string[]) {
  return row<{ receipt: Receipt; held: string[] }>(
    db,
    'transfer.receiptFor',
    `select receipt, array(select x from unnest($2::uuid[]) x where x = any (records)) as held
     from transfer where batch_id = $1 and receipt is not null`,
    [batchId, recordIds],
  );
}
