import { type Db, row, rows, run } from '../kernel/index.js';

/** Names of all groups that a person is of, directly or through another group. */
export async function groupsOf(db: Db, personId: string): Promise<string[]> {
  const found = await rows<{ name: string }>(
    db,
    'approval.groups',
    `with recursive mine as (
       select group_id from in_group where member_id = $1
       union select m.group_id from in_group m join mine on m.member_id = mine.group_id)
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
