import { message } from '@key-cellar/words';
import { notFound, Problem, withUnitOfWork, wrongField, type SignedIn } from '../kernel/index.js';
import { batchPage, certificateById, type Services } from '../docket/index.js';
import { requireVisitor, visitorLeaving } from '../passes/index.js';
import { arrivalLeaving } from '../receiving/index.js';
import { leave, type Leaving, pictureOf, readerMark, sandboxPolicy, textOf, versionLeaving } from '../records/index.js';
import { bearer, readSettings, sessionByHash } from '../identity/index.js';
import { headHeader } from '../ledger/index.js';
import { jobFor } from '../schedule/index.js';
import { streamSSE } from 'hono/streaming';
import parseRange from 'range-parser';
import * as z from 'zod';
import { speakerFor } from './language.js';
import { requirePerson } from './bind.js';
import type { HttpApp, HttpContext } from './context.js';

/** Content up to this size is checked against its fingerprint before the first byte is served. */
const checkedWhole = 16 * 1024 * 1024;

/** The part that a request asks for (RFC 9110 §14): null for the whole, which several parts at once come to as well. Ends excluded. */
function rangeOf(header: string | undefined, size: number): { from: number; to: number } | null {
  const asked = header === undefined ? -1 : parseRange(size, header);
  if (typeof asked === 'number' || asked.type !== 'bytes' || asked.length !== 1) return null;
  return { from: asked[0]!.start, to: asked[0]!.end + 1 };
}

/** The version that a request names, for a person who has the right. */
async function namedVersion(services: Services, context: HttpContext, right: 'read' | 'copyOut') {
  const person = requirePerson(context, 'records.read');
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound();
  const no = z.coerce.number().int().positive().optional().safeParse(context.req.query('version'));
  if (!no.success) throw wrongField('/version', message('http.versionMustNumberFrom'));
  return { person, leaving: await versionLeaving(services, person, id.data, no.data, right) };
}

/** Bytes of which the first are read, and so known to be good, before anybody is told that they come. */
async function begun(bytes: AsyncGenerator<Buffer>, whole: boolean): Promise<AsyncIterable<Buffer>> {
  const first: Buffer[] = [];
  for (let next; (whole || first.length === 0) && !(next = await bytes.next()).done;) first.push(next.value);
  return (async function* () {
    yield* first;
    yield* bytes;
  })();
}

/** A copy of a version: its bytes, whole or in part, to somebody who may take one away. */
async function serveCopy(
  services: Services,
  context: HttpContext,
  person: Parameters<typeof leave>[1],
  leaving: Leaving & { readonly content: Leaving['content'] & { readonly file_name: string } },
): Promise<Response> {
  const { content: version } = leaving;
  const range = rangeOf(context.req.header('range'), version.size);
  const { from, to } = range ?? { from: 0, to: version.size };
  const { contents, pool } = services;
  const give = () =>
    range
      ? begun(contents.read(pool, version.content_id, from, to), false)
      : begun(contents.readWhole(pool, { ...version, id: version.content_id }), version.size <= checkedWhole);
  // A copy that begins is an act each time; only what is fetched on from further in may belong to one that was entered.
  const body = await leave(services, person, leaving, 'took a copy', give, { goesOn: from > 0 });
  const headers: Record<string, string> = {
    ...(await headHeader(pool)),
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

async function namedArrival(services: Services, context: HttpContext) {
  const person = requirePerson(context, 'receiving.read');
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound(message('thing.arrival'));
  return { person, leaving: await arrivalLeaving(services, person, id.data) };
}

/** What a visitor’s pass shows of a record. */
async function namedVisit(services: Services, context: HttpContext) {
  const visitor = await requireVisitor(services, context.get('visitor'));
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound(message('thing.record'));
  return { visitor, leaving: await visitorLeaving(services, visitor, id.data) };
}

async function serveCertificate(services: Services, context: HttpContext): Promise<Response> {
  const person = requirePerson(context, 'docket.read');
  const id = z.uuid().safeParse(context.req.param('id'));
  const certificate = id.success ? await certificateById(services.pool, id.data) : undefined;
  if (!certificate) throw notFound(message('thing.certificate'));
  // Whoever may see the batch may see what it came to.
  const batch = await batchPage(services, person, certificate.batch_id);
  const subject = { kind: 'certificate', id: id.data!, name: certificate.number };
  await withUnitOfWork(services.pool, person, (uow) => uow.enter({ act: 'took a copy', subject, after: { batch: batch.number } }), 'none');
  return new Response(new Uint8Array(certificate.pdf), {
    headers: {
      ...(await headHeader(services.pool)),
      'content-type': 'application/pdf',
      'content-disposition': `inline; filename="${certificate.number}.pdf"`,
      'x-content-type-options': 'nosniff',
    },
  });
}

/** How often a stream that goes on asks whether the session does. */
const sessionEveryMs = 5000;

/** Whether whoever asked is still let in: a session that goes on, or a token that works. */
async function goesOn({ pool, config }: Services, { scopes, sessionHash, today }: SignedIn): Promise<boolean> {
  const found = scopes === null ? await sessionByHash(pool, sessionHash, config.idleMinutes) : await bearer(pool, sessionHash, today);
  return found !== undefined;
}

/** Progress of long work as Server-Sent Events, for as long as the session lasts. */
async function followJob(services: Services, context: HttpContext): Promise<Response> {
  const person = requirePerson(context, 'schedule.read');
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw notFound(message('thing.work'));
  const access = await services.access.of(person);
  await jobFor(services, person, access, id.data);
  return streamSSE(context, async (stream) => {
    let asked = Date.now();
    for (let last = ''; !stream.aborted && !services.stopping;) {
      if (Date.now() - asked > sessionEveryMs) {
        if (!(await goesOn(services, person))) return;
        asked = Date.now();
      }
      const { state, done, total, told } = await jobFor(services, person, access, id.data);
      const data = JSON.stringify({ state, done, total, sentence: told === null ? '' : speakerFor(context).say(told) });
      if (data !== last) await stream.writeSSE({ data });
      last = data;
      if (state !== 'running') return;
      await stream.sleep(250);
    }
  });
}

/** What is answered as bytes or as a stream, and so stands beside the endpoints of the contract. Nothing here changes anything but when a content was last used. */
export function fileRoutes(app: HttpApp, services: Services): void {
  const shown = (
    path: string,
    named: (context: HttpContext, right: 'read' | 'copyOut') => Promise<{ person: SignedIn; leaving: Leaving }>,
  ): void => {
    app.get(`${path}/pages/:no`, async (context) => {
      const { person, leaving } = await named(context, 'read');
      const mark = leaving.namesReader ? readerMark(person.name, await readSettings(services.pool)) : undefined;
      return leave(services, person, leaving, 'read content', () => pictureOf(services, leaving.content, context.req.param('no'), mark));
    });
    // Text that is text can be copied: who may only read sees pictures of it.
    app.get(`${path}/preview`, async (context) => {
      const { person, leaving } = await named(context, 'copyOut');
      return leave(services, person, leaving, 'read content', () => textOf(services, leaving.content));
    });
  };
  shown('/records/:id', (context, right) => namedVersion(services, context, right));
  shown('/arrivals/:id', (context) => namedArrival(services, context));
  app.get('/records/:id/content', async (context) => {
    const { person, leaving } = await namedVersion(services, context, 'copyOut');
    return serveCopy(services, context, person, leaving);
  });
  app.get('/pass/records/:id/pages/:no', async (context) => {
    const { visitor, leaving } = await namedVisit(services, context);
    const give = () => pictureOf(services, leaving.content, context.req.param('no'), visitor.mark);
    return leave(services, visitor.actor, leaving, 'read content', give);
  });
  app.get('/pass/records/:id/content', async (context) => {
    const { visitor, leaving } = await namedVisit(services, context);
    if (!visitor.pass.copy_out) throw new Problem(403, 'not-allowed', message('passes.readOnly'));
    return serveCopy(services, context, visitor.actor, leaving);
  });
  app.get('/certificates/:id', (context) => serveCertificate(services, context));
  app.get('/jobs/:id/events', (context) => followJob(services, context));
}
