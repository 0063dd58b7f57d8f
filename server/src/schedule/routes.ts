import { hasRight } from '@key-cellar/core/access';
import { schedule, type EffectLine } from '@key-cellar/contract';
import { stream, streamSSE } from 'hono/streaming';
import { requireRight } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { download, implement, type HttpApp } from '../http/implement.js';
import type { SignedIn } from '../identity/index.js';
import { cancelJob, jobById } from '../jobs/index.js';
import { notAllowed, notFound, Problem, problemOf } from '../problem.js';
import type { Services } from '../services.js';
import { caseOfRecord, casesOfRule } from './cases.js';
import { checkOfSchedule } from './check.js';
import { effectOfChange } from './effect.js';
import * as events from './events.js';
import * as levels from './levels.js';
import { override, ruleOnDay } from './override.js';
import { exportSchedule, importSchedule } from './scheduleTable.js';
import * as service from './service.js';
import * as store from './store.js';

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

  implement(app, services, schedule.pairs, async ({ person }) => ({ pairs: await levels.listPairs(services, person) }));
  for (const [endpoint, set] of [
    [schedule.setPair, true],
    [schedule.unsetPair, false],
  ] as const) {
    implement(app, services, endpoint, async ({ person, body }) => {
      await requireKeeper(person);
      return { recomputed: await levels.setPair(services, person, body, set) };
    });
  }
  implement(app, services, schedule.criteriaRules, async ({ person }) => ({ rules: await levels.listCriteriaRules(services, person) }));
  implement(app, services, schedule.addCriteriaRule, async ({ person, body }) => {
    await requireKeeper(person);
    return levels.addCriteriaRule(services, person, body);
  });
  implement(app, services, schedule.changeCriteriaRule, async ({ person, params, body }) => {
    await requireKeeper(person);
    return { recomputed: await levels.changeCriteriaRule(services, person, params.id, body) };
  });
  implement(app, services, schedule.moveCriteriaRule, async ({ person, params, body }) => {
    await requireKeeper(person);
    return { recomputed: await levels.moveCriteriaRule(services, person, params.id, body.order) };
  });
  implement(app, services, schedule.dropCriteriaRule, async ({ person, params }) => {
    await requireKeeper(person);
    return { recomputed: await levels.dropCriteriaRule(services, person, params.id) };
  });
  implement(app, services, schedule.countCriteria, async ({ person, body }) => ({
    count: await levels.countCriteria(services, person, body.criteria),
  }));
  implement(app, services, schedule.jurisdictions, async () => ({ jurisdictions: await levels.listJurisdictions(services) }));
  implement(app, services, schedule.makeJurisdiction, async ({ person, body }) => {
    await requireKeeper(person);
    await levels.makeJurisdiction(services, person, body);
    return {};
  });
  implement(app, services, schedule.moveJurisdiction, async ({ person, body }) => {
    await requireKeeper(person);
    return { recomputed: await levels.moveJurisdiction(services, person, body) };
  });
  implement(app, services, schedule.dropJurisdiction, async ({ person, body }) => {
    await requireKeeper(person);
    await levels.dropJurisdiction(services, person, body.name);
    return {};
  });
  implement(app, services, schedule.placeJurisdictions, async ({ person, params, body }) => {
    const place = requireRight(
      await services.access.of(person),
      person,
      await store.guardedPlace(pool, params.id),
      'dispose',
      'This place',
    );
    return { recomputed: await levels.setPlaceJurisdictions(services, person, place, body.jurisdictions) };
  });
  implement(app, services, schedule.override, ({ person, body }) => override(services, person, body));
  implement(app, services, schedule.ruleOnDay, async ({ person, params, query }) => ({
    explanation: await ruleOnDay(services, person, params.id, query.on),
  }));
  implement(app, services, schedule.exportSchedule, async ({ person, query }) =>
    download(await exportSchedule(services, person, query.format)),
  );
  implement(app, services, schedule.importSchedule, async ({ person, body }) => {
    await requireKeeper(person);
    return importSchedule(services, person, { bytes: Buffer.from(body.data, 'base64'), format: body.format, dryRun: body.dryRun });
  });
  implement(app, services, schedule.ruleCases, async ({ person, params }) => {
    await requireKeeper(person);
    return casesOfRule(services, person, params.id);
  });
  implement(app, services, schedule.recordCase, async ({ person, params }) => {
    await requireKeeper(person);
    return caseOfRecord(services, person, params.id);
  });
  implement(app, services, schedule.effect, async ({ person, body, context }) => {
    await requireKeeper(person);
    return stream(context, async (out) => {
      const gone = new AbortController();
      out.onAbort(() => gone.abort());
      const say = (line: EffectLine): Promise<unknown> => out.write(`${JSON.stringify(line)}\n`);
      try {
        const effect = await effectOfChange(services, person, body.change, (done, total) => void say({ done, total }), gone.signal);
        await say({ effect });
      } catch (error) {
        if (gone.signal.aborted) return;
        const problem = problemOf(error);
        if (problem.status >= 500) services.log.error({ err: error }, 'an effect could not be worked out');
        await say({ problem: problem.document() });
      }
    });
  });
  implement(app, services, schedule.check, async ({ person }) => {
    await requireKeeper(person);
    return { findings: await checkOfSchedule(services, person) };
  });
  implement(app, services, schedule.waiting, async ({ person }) => ({ waiting: await events.waiting(services, person) }));
  implement(app, services, schedule.placeEvents, async ({ person, params }) => {
    requireRight(await services.access.of(person), person, await store.guardedPlace(pool, params.id), 'discover', 'This place');
    return { events: await events.placeEvents(services, params.id) };
  });
  implement(app, services, schedule.recordEvents, async ({ person, params }) => ({
    events: await events.recordEvents(services, person, params.id),
  }));
  implement(app, services, schedule.addRecordEvent, async ({ person, params, body }) => ({
    id: await events.addRecordEvent(services, person, params.id, body),
  }));
  implement(app, services, schedule.withdrawEvent, async ({ person, params, body }) => ({
    recomputed: await events.withdrawEvent(services, person, params.id, body),
  }));
  implement(app, services, schedule.importEvents, ({ person, body }) => events.importEvents(services, person, body));

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
