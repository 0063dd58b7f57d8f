import { hasRight } from '@key-cellar/core/access';
import { schedule } from '@key-cellar/contract';
import { streamSSE } from 'hono/streaming';
import { withUnitOfWork } from '../db/index.js';
import { implement, type HttpApp } from '../http/implement.js';
import type { SignedIn } from '../identity/index.js';
import { cancelJob, jobById } from '../jobs/index.js';
import { notAllowed, notFound, Problem } from '../problem.js';
import type { Services } from '../services.js';
import * as service from './service.js';

export function scheduleRoutes(app: HttpApp, services: Services): void {
  const { pool } = services;

  /** The schedule belongs to the whole repository: keepers change it. */
  async function requireKeeper(person: SignedIn): Promise<void> {
    const access = await services.access.of(person);
    if (!hasRight(access.anywhere, 'dispose')) throw notAllowed('dispose', 'Keepers change the schedule.');
  }

  implement(app, services, schedule.rules, async ({ person }) => ({ rules: await service.listRules(services, person) }));
  implement(app, services, schedule.rule, ({ person, params }) => service.rulePage(services, person, params.id));

  implement(app, services, schedule.makeRule, async ({ person, body }) => {
    await requireKeeper(person);
    return { id: await service.makeRule(pool, person, body) };
  });
  implement(app, services, schedule.saveDraft, async ({ person, params, body }) => {
    await requireKeeper(person);
    return { revision: await service.saveDraft(pool, person, params.id, body) };
  });
  implement(app, services, schedule.dropDraft, async ({ person, params, body }) => {
    await requireKeeper(person);
    await service.dropDraft(pool, person, params.id, body.revision);
    return {};
  });
  implement(app, services, schedule.publish, async ({ person, params, body }) => {
    await requireKeeper(person);
    return service.publish(services, person, params.id, body);
  });

  implement(app, services, schedule.job, async ({ params }) => {
    const job = await jobById(pool, params.id);
    if (!job) throw notFound('This work');
    return { state: job.state, done: job.done, total: job.total, sentence: job.sentence };
  });
  implement(app, services, schedule.cancelJob, async ({ person, params }) => {
    await requireKeeper(person);
    await withUnitOfWork(
      pool,
      person,
      async (uow) => {
        const job = await cancelJob(uow, params.id);
        if (!job) throw notFound('This work');
        uow.enter({ act: 'cancelled work', subject: { kind: 'job', id: params.id, name: `${job.kind} ${job.subject}` } });
      },
      'none',
    );
    return {};
  });

  app.get('/jobs/:id/events', (context) => {
    if (!context.get('person')) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    const id = schedule.job.params.parse(context.req.param()).id;
    return streamSSE(context, async (stream) => {
      for (let last = ''; !stream.aborted && !services.stopping;) {
        const job = await jobById(pool, id);
        const data = JSON.stringify(
          job
            ? { state: job.state, done: job.done, total: job.total, sentence: job.sentence }
            : { state: 'failed', done: 0, total: 0, sentence: 'This work does not exist.' },
        );
        if (data !== last) await stream.writeSSE({ data });
        last = data;
        if (!job || job.state !== 'running') return;
        await stream.sleep(250);
      }
    });
  });
}
