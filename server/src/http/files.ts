import { jobById, notFound, withUnitOfWork, wrongField } from '../kernel/index.js';
import { batchPage, certificateById, type Services } from '../docket/index.js';
import { arrivalFor } from '../receiving/index.js';
import { contentFor, enterReading, pictureOf, readContent, sandboxPolicy, textOf, withFixity } from '../records/index.js';
import { schedule } from '@key-cellar/contract';
import { streamSSE } from 'hono/streaming';
import * as z from 'zod';
import { requirePerson, type HttpApp, type HttpContext } from './bind.js';

/** Content up to this size is checked against its fingerprint before the first byte is served. */
const checkedWhole = 16 * 1024 * 1024;

function parseRange(header: string | undefined, size: number): { from: number; to: number } | null {
  const match = /^bytes=(\d+)-(\d*)$/.exec(header ?? '');
  if (!match) return null;
  const from = Number(match[1]);
  const to = match[2] ? Math.min(Number(match[2]) + 1, size) : size;
  return from < to ? { from, to } : null;
}

/** The version that a request names, for a person who has the right. */
async function versionFor(services: Services, context: HttpContext, right: 'read' | 'copyOut') {
  const person = requirePerson(context);
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound();
  const no = z.coerce.number().int().positive().optional().safeParse(context.req.query('version'));
  if (!no.success) throw wrongField('/version', 'The version must be a number, from 1.');
  return { person, ...(await contentFor(services, person, id.data, no.data, right)) };
}

/** A copy of a version: its bytes, whole or in part, for those who may take one away. */
async function serveCopy(services: Services, context: HttpContext): Promise<Response> {
  const { person, record, version } = await versionFor(services, context, 'copyOut');
  const range = parseRange(context.req.header('range'), version.size);
  const { from, to } = range ?? { from: 0, to: version.size };
  const bytes = readContent(services.pool, version.content_id, from, to);
  let body: AsyncIterable<Buffer> = range ? bytes : withFixity(bytes, version.sha256);
  if (!range && version.size <= checkedWhole) {
    const whole: Buffer[] = [];
    for await (const piece of body) whole.push(piece);
    body = (async function* () {
      yield* whole;
    })();
  }
  // Following parts of the same copy by range are not acts of their own.
  if (from === 0) await enterReading(services, person, record, version, 'took a copy');
  const headers: Record<string, string> = {
    'content-type': version.media_type,
    'content-length': String(to - from),
    'accept-ranges': 'bytes',
    'content-security-policy': sandboxPolicy,
    'x-content-type-options': 'nosniff',
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(version.file_name)}`,
  };
  if (range) headers['content-range'] = `bytes ${from}-${to - 1}/${version.size}`;
  return new Response(ReadableStream.from(body) as unknown as ReadableStream<Uint8Array>, { status: range ? 206 : 200, headers });
}

async function arrivalOf(services: Services, context: HttpContext) {
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound('This arrival');
  return arrivalFor(services, requirePerson(context), id.data);
}

async function serveCertificate(services: Services, context: HttpContext): Promise<Response> {
  const person = requirePerson(context);
  const id = z.uuid().safeParse(context.req.param('id'));
  const certificate = id.success ? await certificateById(services.pool, id.data) : undefined;
  if (!certificate) throw notFound('This certificate');
  // Whoever may see the batch may see what it came to.
  const batch = await batchPage(services, person, certificate.batch_id);
  const subject = { kind: 'certificate', id: id.data!, name: certificate.number };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'took a copy', subject, after: { batch: batch.number } }), 'none');
  return new Response(new Uint8Array(certificate.pdf), {
    headers: {
      'content-type': 'application/pdf',
      'content-disposition': `inline; filename="${certificate.number}.pdf"`,
      'x-content-type-options': 'nosniff',
    },
  });
}

/** Progress of long work as Server-Sent Events. */
function followJob(services: Services, context: HttpContext): Response {
  requirePerson(context);
  const { id } = schedule.job.params.parse(context.req.param());
  return streamSSE(context, async (stream) => {
    for (let last = ''; !stream.aborted && !services.stopping;) {
      const job = await jobById(services.pool, id);
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
}

/** What is answered as bytes or as a stream, and so stands beside the endpoints of the contract. Nothing here changes anything. */
export function fileRoutes(app: HttpApp, services: Services): void {
  app.get('/records/:id/pages/:no', async (context) => {
    const { version } = await versionFor(services, context, 'read');
    return pictureOf(services, version, context.req.param('no'));
  });
  // Reading is one act in the ledger: entered when its text is given, or when its pages are counted.
  app.get('/records/:id/preview', async (context) => {
    const { person, record, version } = await versionFor(services, context, 'read');
    const text = await textOf(services, version);
    await enterReading(services, person, record, version, 'read content');
    return text;
  });
  app.get('/records/:id/content', (context) => serveCopy(services, context));
  app.get('/arrivals/:id/pages/:no', async (context) => pictureOf(services, await arrivalOf(services, context), context.req.param('no')));
  app.get('/arrivals/:id/preview', async (context) => textOf(services, await arrivalOf(services, context)));
  app.get('/certificates/:id', (context) => serveCertificate(services, context));
  app.get('/jobs/:id/events', (context) => followJob(services, context));
}
