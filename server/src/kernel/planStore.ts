import { type Db, row } from './connect.js';

/**
 * Which changes of places have been committed: the epoch up to which their notes are folded, and the transactions that left one since.
 * What is read after this is asked is at least as new.
 */
export async function planVersion(db: Db): Promise<string> {
  const found = await row<{ version: string }>(
    db,
    'plan.version',
    `select value || ' ' || coalesce((select string_agg(distinct xmin::text, ' ') from plan_note), '') as version from epoch where name = 'plan'`,
  );
  return found!.version;
}
