import { type Db, row, rows } from './connect.js';

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

/** Asks the database whether it is there; throws when it is not. */
export async function ping(db: Db): Promise<void> {
  await row(db, 'ready.database', 'select 1 as one');
}
