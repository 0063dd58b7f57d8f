import type { IncomingMessage } from 'node:http';
import { receiving } from '@key-cellar/contract';
import * as z from 'zod';
import { implement, type HttpApp, type HttpContext } from '../http/implement.js';
import { notFound, Problem } from '../problem.js';
import { extentOf, largestFile, pictureOf, textOf } from '../records/index.js';
import type { Services } from '../services.js';
import * as service from './service.js';
import * as store from './store.js';
import { receive } from './upload.js';

const uploadQuery = z.object({
  name: z.string().min(1).max(4000),
  place: z.uuid().optional(),
  source: z.string().trim().max(100).default('upload'),
});

/** A connection that sends nothing for this long is given up; it would hold its transaction open. */
const silenceMs = 60_000;

/** What a sender sends. A connection that breaks on the way is the sender's affair, not the database's. */
async function* sent(incoming: IncomingMessage): AsyncGenerator<Uint8Array> {
  try {
    for await (const piece of incoming) yield piece as Uint8Array;
  } catch {
    throw new Problem(
      400,
      'upload-broken',
      'The connection broke before the whole file was here. Nothing of it was stored; send it again.',
    );
  }
}

export function receivingRoutes(app: HttpApp, services: Services): void {
  app.post('/uploads', async (context) => {
    const person = context.get('person');
    if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    const query = uploadQuery.safeParse(context.req.query());
    if (!query.success) throw new Problem(422, 'wrong-input', 'An upload needs a file name, and a place only if it is one.');
    const announced = Number(context.req.header('content-length') ?? 0);
    if (announced > largestFile) throw new Problem(413, 'too-large', 'This file is larger than 2 GB, the most that is taken in one piece.');
    // The raw request streams; a parsed body would sit in memory.
    const { incoming } = context.env as { incoming: IncomingMessage };
    incoming.setTimeout(silenceMs, () => incoming.destroy(new Error('The upload went silent')));
    const id = await receive(services, person, {
      name: query.data.name,
      source: query.data.source,
      placeId: query.data.place ?? null,
      idempotencyKey: context.req.header('idempotency-key')?.slice(0, 100) ?? null,
      bytes: sent(incoming),
    });
    return context.json({ id });
  });

  implement(app, services, receiving.list, async ({ person }) => ({ arrivals: await service.listArrivals(services, person) }));
  implement(app, services, receiving.preview, async ({ person, body }) => ({
    previews: await service.preview(services, person, body.filings),
  }));
  implement(app, services, receiving.file, async ({ person, body }) => ({
    results: await service.fileMany(services, person, body.filings),
  }));
  implement(app, services, receiving.pages, async ({ person, params }) =>
    extentOf(services, await service.arrivalFor(services, person, params.id)),
  );
  const arrivalOf = async (context: HttpContext) => {
    const person = context.get('person');
    if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    const id = z.uuid().safeParse(context.req.param('id'));
    if (!id.success) throw notFound('This arrival');
    return service.arrivalFor(services, person, id.data);
  };
  app.get('/arrivals/:id/pages/:no', async (context) => pictureOf(services, await arrivalOf(context), context.req.param('no')));
  app.get('/arrivals/:id/preview', async (context) => textOf(services, await arrivalOf(context)));
  implement(app, services, receiving.discard, async ({ person, params }) => {
    await service.discard(services, person, params.id);
    return {};
  });
  implement(app, services, receiving.containers, async () => ({ containers: await store.containers(services.pool) }));
  implement(app, services, receiving.describePhysical, ({ person, body }) => service.describePhysical(services, person, body));
}
