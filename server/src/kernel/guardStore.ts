import { type Db, row, rows, run } from './connect.js';

/** The access set of the repository itself; null before there is one. */
export async function rootSet(db: Db): Promise<number | null> {
  return (
    (await row<{ access_set_id: number }>(db, 'guard.root', 'select access_set_id from place where parent_id is null'))?.access_set_id ??
    null
  );
}

export interface GuardRow extends Record<string, unknown> {
  id: string;
  name: string;
  access_set_id: number;
  deposited_by: string | null;
}

/** Records with what a check needs to know of them. */
export function guardedRecords(db: Db, ids: readonly string[]) {
  return rows<GuardRow>(
    db,
    'guard.records',
    `select id, number || ' ' || title as name, access_set_id, deposited_by from record where id = any ($1::uuid[])`,
    [ids],
  );
}

/** Locks records in order of id, so that writers of many never wait for each other in a circle. What is read next is what stands now. */
export async function lockRecordRows(db: Db, ids: readonly string[]): Promise<void> {
  await run(db, 'guard.lockRecords', 'select from record where id = any ($1::uuid[]) order by id for update', [ids]);
}

/** Asks the database whether it is there; throws when it is not. */
export async function ping(db: Db): Promise<void> {
  await row(db, 'ready.database', 'select 1 as one');
}
