import { type Message } from '@key-cellar/words';
import { type Db, row, rows, run } from './connect.js';

export interface JobRow extends Record<string, unknown> {
  id: string;
  kind: 'recompute' | 'execute' | 'steps' | 'gaps' | 'notes';
  subject: string;
  data: unknown;
  state: 'running' | 'done' | 'cancelled' | 'failed';
  done: number;
  total: number;
  cursor_: string | null;
  told: Message | null;
  started_by: string | null;
}

const columns = 'id, kind, subject, data, state, done, total, cursor_, told, started_by';

export async function insertJob(
  db: Db,
  job: { id: string; kind: string; subject: string; data: unknown; total: number; startedBy: string | null },
): Promise<void> {
  await run(
    db,
    'job.insert',
    `insert into job_progress (id, kind, subject, data, state, total, started_by) values ($1, $2, $3, $4, 'running', $5, $6)`,
    [job.id, job.kind, job.subject, JSON.stringify(job.data), job.total, job.startedBy],
  );
}

export function jobById(db: Db, id: string) {
  return row<JobRow>(db, 'job.byId', `select ${columns} from job_progress where id = $1`, [id]);
}

export function runningJobs(db: Db) {
  return rows<{ id: string }>(db, 'job.running', `select id from job_progress where state = 'running' order by started_at`);
}

/** Moves a job on. Touches no row when it was cancelled meanwhile. */
export async function advanceJob(db: Db, id: string, by: number, cursor: string | null): Promise<boolean> {
  const touched = await run(
    db,
    'job.advance',
    `update job_progress set done = done + $2, cursor_ = coalesce($3, cursor_) where id = $1 and state = 'running'`,
    [id, by, cursor],
  );
  return touched > 0;
}

export async function finishJob(db: Db, id: string, state: 'done' | 'failed', said: Message): Promise<void> {
  await run(db, 'job.finish', `update job_progress set state = $2, told = $3, finished_at = now() where id = $1 and state = 'running'`, [
    id,
    state,
    JSON.stringify(said),
  ]);
}

/** How many jobs of the last day are in each state. */
export function jobsByState(db: Db) {
  return rows<{ state: string; n: number }>(
    db,
    'job.byState',
    `select state, count(*) as n from job_progress where state = 'running' or finished_at > now() - interval '1 day' group by state`,
  );
}

/** What keeps a job that goes on from going on now. */
export async function sayOfJob(db: Db, id: string, said: Message): Promise<void> {
  await run(db, 'job.say', `update job_progress set told = $2 where id = $1 and state = 'running'`, [id, JSON.stringify(said)]);
}

export async function cancelJob(db: Db, id: string): Promise<void> {
  await run(
    db,
    'job.cancel',
    `update job_progress set state = 'cancelled', told = '{"say":"problem.jobCancelled"}', finished_at = now()
     where id = $1 and state = 'running'`,
    [id],
  );
}

export interface CancellableJob extends Record<string, unknown> {
  id: string;
  kind: JobRow['kind'];
  subject: string;
  started_by: string | null;
}

/** Of these jobs those that are under way. */
export function jobsToCancel(db: Db, ids: readonly string[]) {
  return rows<CancellableJob>(
    db,
    'job.toCancel',
    `select id, kind, subject, started_by from job_progress where id = any ($1::uuid[]) and state = 'running' order by id for update`,
    [ids],
  );
}

/** Locks a job for a connection, not for a transaction: when its process dies, the job is free at once. */
export async function lockJob(db: Db, id: string): Promise<boolean> {
  return (await row<{ mine: boolean }>(db, 'job.lock', 'select pg_try_advisory_lock(hashtextextended($1, 7)) as mine', [id]))!.mine;
}

export async function unlockJobs(db: Db): Promise<void> {
  await rows(db, 'job.unlock', 'select pg_advisory_unlock_all()');
}
