import { row, rows, run, type Db } from '../db/index.js';

export interface JobRow extends Record<string, unknown> {
  id: string;
  kind: 'recompute' | 'execute' | 'steps' | 'gaps' | 'notes';
  subject: string;
  data: unknown;
  state: 'running' | 'done' | 'cancelled' | 'failed';
  done: number;
  total: number;
  cursor_: string | null;
  sentence: string;
}

const columns = 'id, kind, subject, data, state, done, total, cursor_, sentence';

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

export async function finishJob(db: Db, id: string, state: 'done' | 'failed', sentence: string): Promise<void> {
  await run(
    db,
    'job.finish',
    `update job_progress set state = $2, sentence = $3, finished_at = now() where id = $1 and state = 'running'`,
    [id, state, sentence],
  );
}

export function cancelJob(db: Db, id: string) {
  return row<JobRow>(
    db,
    'job.cancel',
    `update job_progress set state = 'cancelled', sentence = 'Cancelled; what was done stays done.', finished_at = now()
     where id = $1 and state = 'running' returning ${columns}`,
    [id],
  );
}
