import type pg from 'pg';
import PgBoss from 'pg-boss';
import type { Logger } from 'pino';
import { uuidv7 } from 'uuidv7';
import { message, type Message } from '@key-cellar/words';
import { databaseAway, sqlState, type Db } from './connect.js';
import type { UnitOfWork } from './unitOfWork.js';
import { Away, Problem } from './problem.js';
import * as store from './jobStore.js';

const queue = 'work';
/** SQLSTATE of PostgreSQL: the disk is full. */
const diskFull = '53100';
/** How often to look for work that was begun and that nobody does now. */
const resumeEveryMs = 5_000;

/** What a job's work is given: its parameters, where it stood, and how to move on. */
export interface JobContext {
  readonly id: string;
  readonly subject: string;
  readonly data: unknown;
  readonly cursor: string | null;
  /** Moves progress on in the transaction of what was done. Throws when somebody cancelled, or when this server stops. */
  advance(db: Db, by: number, cursor: string | null): Promise<void>;
}

/** Other work comes first: the job is taken up again by itself, and says meanwhile what it waits for. */
export class JobWaits extends Error {
  constructor(readonly what: Message) {
    super('other work comes first');
  }
}
class JobCancelled extends Error {}
/** This server stops: the step under way is rolled back, and whoever takes the job up next goes on from there. */
class JobPaused extends Error {}

/** What a job waits for instead of failing, as the person is told who looks at it; null for what no waiting mends. */
function waitsFor(error: unknown): Message | null {
  if (sqlState(error) === diskFull) return message('problem.jobWaitsForRoom');
  if (databaseAway(error)) return message('problem.jobWaitsForDatabase');
  if (error instanceof JobWaits) return error.what;
  if (error instanceof Away) return message('problem.jobWaits', { what: error.what });
  return null;
}

/** Whether an error ends or interrupts a whole job, rather than the one thing that it was about: cancelled, paused, or something is away. */
export function endsJob(error: unknown): boolean {
  return error instanceof JobCancelled || error instanceof JobPaused || waitsFor(error) !== null;
}

type JobWork = (job: JobContext) => Promise<Message>;

/** Long work of all app servers on one database: queued by pg-boss, kept in job_progress, resumed after a crash. */
export interface Jobs {
  /** Asks for a job to be worked on; call after the transaction that added it was committed. */
  wake(jobId: string): void;
  /** Waits until a job has ended; for tests and the demo loader. */
  settled(jobId: string): Promise<store.JobRow>;
  /** Begins to work, first on what was running when a server died. */
  start(work: Record<store.JobRow['kind'], JobWork>): Promise<void>;
  stop(): Promise<void>;
}

export async function addJob(
  uow: UnitOfWork,
  jobs: Jobs,
  job: { kind: store.JobRow['kind']; subject: string; data: unknown; total: number },
): Promise<string> {
  const id = uuidv7();
  await store.insertJob(uow, { ...job, id, startedBy: uow.actor.id });
  uow.afterCommit(() => jobs.wake(id));
  return id;
}

export async function openJobs(appUrl: string, pool: pg.Pool, log: Logger): Promise<Jobs> {
  const boss = new PgBoss({ connectionString: appUrl, migrate: false, max: 4, schedule: false });
  boss.on('error', (error) => log.warn({ err: error }, 'job queue'));
  await boss.start();

  async function perform(jobId: string, work: Record<store.JobRow['kind'], JobWork>): Promise<void> {
    // A lock of the connection, not of a transaction: when this process dies, the job is free at once.
    const client = await pool.connect();
    let broken = false;
    try {
      if (!(await store.lockJob(client, jobId))) return;
      try {
        const job = await store.jobById(pool, jobId);
        if (!job || job.state !== 'running') return;
        const sentence = await work[job.kind]({
          id: job.id,
          subject: job.subject,
          data: job.data,
          cursor: job.cursor_,
          async advance(db, by, cursor) {
            if (stopping) throw new JobPaused();
            if (!(await store.advanceJob(db, job.id, by, cursor))) throw new JobCancelled();
          },
        });
        await store.finishJob(pool, jobId, 'done', sentence);
      } catch (error) {
        if (error instanceof JobCancelled || error instanceof JobPaused) return;
        const waiting = waitsFor(error);
        if (waiting !== null) {
          if (!(error instanceof JobWaits)) log.error({ err: error, jobId }, 'a job waits, and goes on by itself');
          await store.sayOfJob(pool, jobId, waiting).catch(() => undefined);
          return;
        }
        log.error({ err: error, jobId }, 'job failed');
        const sentence = error instanceof Problem ? error.said : message('problem.jobFailed');
        await store.finishJob(pool, jobId, 'failed', sentence);
      } finally {
        await store.unlockJobs(client).catch(() => (broken = true));
      }
    } finally {
      client.release(broken);
    }
  }

  let resuming: Promise<void> | null = null;
  let timer: NodeJS.Timeout | undefined;
  let stopping = false;

  /** Takes up, one after another, what is under way and not locked: its server died, or its database went away. */
  async function resume(work: Record<store.JobRow['kind'], JobWork>): Promise<void> {
    for (const { id } of await store.runningJobs(pool)) {
      if (!stopping) await perform(id, work);
    }
  }

  const wake = (jobId: string): void => {
    boss.send(queue, { jobId }).catch((error: unknown) => log.error({ err: error, jobId }, 'job could not be queued'));
  };

  return {
    wake,
    async settled(jobId) {
      for (;;) {
        const job = await store.jobById(pool, jobId);
        if (job && job.state !== 'running') return job;
        await new Promise((resolve) => setTimeout(resolve, 50));
      }
    },
    async start(work) {
      await boss.work<{ jobId: string }>(queue, { pollingIntervalSeconds: 0.5, batchSize: 1 }, async ([job]) => {
        if (job) await perform(job.data.jobId, work);
      });
      const look = (): void => {
        resuming ??= resume(work)
          .catch((error: unknown) => log.warn({ err: error }, 'looking for unfinished work failed; it is tried again'))
          .finally(() => (resuming = null));
      };
      look();
      timer = setInterval(look, resumeEveryMs);
    },
    async stop() {
      stopping = true;
      clearInterval(timer);
      await resuming;
      await boss.stop({ graceful: true, wait: true, timeout: 10_000 });
    },
  };
}
