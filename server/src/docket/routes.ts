import { hasRight } from '@key-cellar/core/access';
import { docket, steps } from '@key-cellar/contract';
import * as z from 'zod';
import { requireAtRepository } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { implement, type HttpApp } from '../http/implement.js';
import { notAllowed, notFound, Problem } from '../problem.js';
import { recomputeAll } from '../schedule/index.js';
import type { Services } from '../services.js';
import { confirm, execute } from './execution.js';
import * as service from './service.js';
import * as store from './store.js';
import { previewSweep, sweep } from './sweep.js';
import { answerLetter, answerTasks, letter, openTasks, stepsOfRecord } from './tasks.js';

export function docketRoutes(app: HttpApp, services: Services): void {
  implement(app, services, docket.due, async ({ person }) => ({ groups: await service.dueGroups(services, person) }));
  implement(app, services, docket.batches, async ({ person }) => ({ batches: await service.listBatches(services, person) }));
  implement(app, services, steps.sweep, async ({ person }) => {
    const { anywhere } = await services.access.of(person);
    if (!hasRight(anywhere, 'dispose')) throw notAllowed('dispose');
    return sweep(services, person);
  });
  implement(app, services, steps.preview, async ({ person }) => {
    const access = await services.access.of(person);
    if (!hasRight(access.anywhere, 'dispose')) throw notAllowed('dispose');
    return { lines: await previewSweep(services, person, access.sets('discover')) };
  });
  implement(app, services, steps.recompute, async ({ person, body }) => {
    await requireAtRepository(services.pool, await services.access.of(person), 'dispose');
    return { jobId: await recomputeAll(services, person, body.dryRun) };
  });
  implement(app, services, steps.tasks, ({ person, query }) => openTasks(services, person, query.whose));
  implement(app, services, steps.answer, async ({ person, body }) => ({ results: await answerTasks(services, person, body) }));
  implement(app, services, steps.letter, ({ params }) => letter(services, params.token));
  implement(app, services, steps.answerLetter, async ({ params, body, address }) => ({
    results: await answerLetter(services, params.token, address, body),
  }));
  implement(app, services, steps.ofRecord, ({ person, params }) => stepsOfRecord(services, person, params.id));
  implement(app, services, docket.propose, ({ person, body }) => service.propose(services, person, body));
  implement(app, services, docket.batch, ({ person, params }) => service.batchPage(services, person, params.id));
  implement(app, services, docket.announce, async ({ person, params }) => {
    await service.announce(services, person, params.id);
    return {};
  });
  implement(app, services, docket.object, async ({ person, params, body }) => {
    await service.object(services, person, params.id, body);
    return {};
  });
  implement(app, services, docket.answer, async ({ person, params, body }) => {
    await service.answer(services, person, params.id, body);
    return {};
  });
  implement(app, services, docket.defer, async ({ person, params, body }) => {
    await service.defer(services, person, params.id, body);
    return {};
  });
  implement(app, services, docket.approve, async ({ person, params, body }) => {
    await service.decide(services, person, params.id, { decision: 'approve', note: body.note });
    return {};
  });
  implement(app, services, docket.reject, async ({ person, params, body }) => {
    await service.decide(services, person, params.id, { decision: 'reject', note: body.reason });
    return {};
  });
  implement(app, services, docket.withdraw, async ({ person, params, body }) => {
    await service.withdraw(services, person, params.id, body.reason);
    return {};
  });
  implement(app, services, docket.execute, async ({ person, params }) => ({ jobId: await execute(services, person, params.id) }));
  implement(app, services, docket.confirm, async ({ person, params, body }) => {
    await confirm(services, person, params.id, body);
    return {};
  });

  app.get('/certificates/:id', async (context) => {
    const person = context.get('person');
    if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    const id = z.uuid().safeParse(context.req.param('id'));
    const certificate = id.success ? await store.certificateById(services.pool, id.data) : undefined;
    if (!certificate) throw notFound('This certificate');
    // Whoever may see the batch may see what it came to.
    const batch = await service.batchPage(services, person, certificate.batch_id);
    await withUnitOfWork(
      services.pool,
      person,
      (uow) =>
        uow.enter({
          act: 'took a copy',
          subject: { kind: 'certificate', id: id.data!, name: certificate.number },
          after: { batch: batch.number },
        }),
      'none',
    );
    return new Response(new Uint8Array(certificate.pdf), {
      headers: {
        'content-type': 'application/pdf',
        'content-disposition': `inline; filename="${certificate.number}.pdf"`,
        'x-content-type-options': 'nosniff',
      },
    });
  });
}
