import { records } from '@key-cellar/contract';
import * as z from 'zod';
import { withUnitOfWork } from '../db/index.js';
import { implement, type HttpApp, type HttpContext } from '../http/implement.js';
import type { SignedIn } from '../identity/index.js';
import { Problem } from '../problem.js';
import type { Services } from '../services.js';
import { readContent, withFixity } from './content.js';
import * as service from './service.js';
import * as store from './store.js';

/** Content up to this size is checked against its fingerprint before the first byte is served. */
const checkedWhole = 16 * 1024 * 1024;

/** Served into a sandbox: whatever it is, it runs nothing and reaches nothing. */
const sandboxPolicy = "sandbox; default-src 'none'; img-src data:; style-src 'unsafe-inline'; frame-ancestors 'self'";

function requirePerson(context: HttpContext): SignedIn {
  const person = context.get('person');
  if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
  return person;
}

function parseRange(header: string | undefined, size: number): { from: number; to: number } | null {
  const match = /^bytes=(\d+)-(\d*)$/.exec(header ?? '');
  if (!match) return null;
  const from = Number(match[1]);
  const to = match[2] ? Math.min(Number(match[2]) + 1, size) : size;
  return from < to ? { from, to } : null;
}

async function serveContent(services: Services, context: HttpContext, right: 'read' | 'copyOut'): Promise<Response> {
  const person = requirePerson(context);
  const id = z.uuid().safeParse(context.req.param('id'));
  if (!id.success) throw new Problem(404, 'not-found', 'That does not exist here, or you may not see it.');
  const no = z.coerce.number().int().positive().optional().parse(context.req.query('version'));
  const { record, version } = await service.contentFor(services, person, id.data, no, right);
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
  // Following pages of the same reading by range are not acts of their own.
  if (from === 0) {
    await withUnitOfWork(
      services.pool,
      person,
      (uow) =>
        uow.enter({
          act: right === 'read' ? 'read content' : 'took a copy',
          subject: service.subjectOf(record),
          after: { version: version.no, sha256: version.sha256.toString('hex') },
        }),
      'none',
    );
  }
  const headers: Record<string, string> = {
    'content-type': version.media_type.startsWith('text/') ? `${version.media_type}; charset=utf-8` : version.media_type,
    'content-length': String(to - from),
    'accept-ranges': 'bytes',
    'content-security-policy': sandboxPolicy,
    'x-content-type-options': 'nosniff',
    'content-disposition': right === 'read' ? 'inline' : `attachment; filename*=UTF-8''${encodeURIComponent(version.file_name)}`,
  };
  if (range) headers['content-range'] = `bytes ${from}-${to - 1}/${version.size}`;
  return new Response(ReadableStream.from(body) as unknown as ReadableStream<Uint8Array>, { status: range ? 206 : 200, headers });
}

export function recordsRoutes(app: HttpApp, services: Services): void {
  implement(app, services, records.types, async () => ({ types: await store.recordTypes(services.pool) }));
  implement(app, services, records.list, ({ person, query }) => service.list(services, person, query));
  implement(app, services, records.count, async ({ person, query }) => ({ count: await service.count(services, person, query) }));
  implement(app, services, records.ids, ({ person, query }) => service.ids(services, person, query));
  implement(app, services, records.dossier, ({ person, params }) => service.dossier(services, person, params.id));
  implement(app, services, records.editFacts, async ({ person, params, body }) => ({
    revision: await service.editFacts(services, person, params.id, body),
  }));
  implement(app, services, records.addVersion, async ({ person, params, body }) => ({
    no: await service.addVersion(services, person, params.id, body),
  }));
  implement(app, services, records.declare, async ({ person, body }) => ({
    results: await service.declare(services, person, body.ids),
  }));
  implement(app, services, records.undeclare, async ({ person, body }) => ({
    results: await service.undeclare(services, person, body.ids, body.reason),
  }));
  app.get('/records/:id/preview', (context) => serveContent(services, context, 'read'));
  app.get('/records/:id/content', (context) => serveContent(services, context, 'copyOut'));
}
