import { records } from '@key-cellar/contract';
import { hasRight } from '@key-cellar/core/access';
import * as z from 'zod';
import { requireRight } from '../access/index.js';
import { withUnitOfWork } from '../db/index.js';
import { implement, type HttpApp, type HttpContext } from '../http/implement.js';
import type { SignedIn } from '../identity/index.js';
import { placeById } from '../plan/index.js';
import { notAllowed, notFound, Problem, wrongField } from '../problem.js';
import type { Services } from '../services.js';
import { readContent, withFixity } from './content.js';
import { recordTypes } from './factStore.js';
import * as numbering from './numbering.js';
import * as service from './service.js';
import type * as store from './store.js';
import { extentOf, pictureOf, sandboxPolicy, textOf } from './view.js';

/** Content up to this size is checked against its fingerprint before the first byte is served. */
const checkedWhole = 16 * 1024 * 1024;

function requirePerson(context: HttpContext): SignedIn {
  const person = context.get('person');
  if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
  return person;
}

function enterReading(
  services: Services,
  person: SignedIn,
  record: store.RecordRow,
  version: store.VersionRow,
  act: 'read content' | 'took a copy',
): Promise<void> {
  const after = { version: version.no, sha256: version.sha256.toString('hex') };
  return withUnitOfWork(services.pool, person, (uow) => uow.enter({ act, subject: service.subjectOf(record), after }), 'none');
}

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
  return { person, ...(await service.contentFor(services, person, id.data, no.data, right)) };
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

export function recordsRoutes(app: HttpApp, services: Services): void {
  implement(app, services, records.types, async () => ({
    types: (await recordTypes(services.pool)).map(({ retired_on, ...type }) => ({ ...type, retired: retired_on !== null })),
  }));
  async function requireKeeper(person: SignedIn): Promise<void> {
    if (!hasRight((await services.access.of(person)).anywhere, 'dispose'))
      throw notAllowed('dispose', 'Keepers decide how records are numbered.');
  }
  implement(app, services, records.numberings, async ({ person }) => ({ numberings: await numbering.listNumberings(services, person) }));
  implement(app, services, records.makeNumbering, async ({ person, body }) => {
    await requireKeeper(person);
    return { id: await numbering.makeNumbering(services, person, body) };
  });
  implement(app, services, records.changeNumbering, async ({ person, params, body }) => {
    await requireKeeper(person);
    return { revision: await numbering.changeNumbering(services, person, params.id, body) };
  });
  implement(app, services, records.dropNumbering, async ({ person, params, body }) => {
    await requireKeeper(person);
    await numbering.dropNumbering(services, person, params.id, body.revision);
    return {};
  });
  implement(app, services, records.placeNumbering, async ({ person, params, body }) => {
    const place = requireRight(
      await services.access.of(person),
      person,
      await placeById(services.pool, params.id),
      'dispose',
      'This place',
    );
    await numbering.setPlaceNumbering(services, person, place, body.numberingId);
    return {};
  });
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
  // Reading is one act in the ledger: entered when its text is given, or when its pages are counted.
  implement(app, services, records.pages, async ({ person, params, query }) => {
    const { record, version } = await service.contentFor(services, person, params.id, query.version, 'read');
    const extent = await extentOf(services, version);
    await enterReading(services, person, record, version, 'read content');
    return extent;
  });
  app.get('/records/:id/pages/:no', async (context) => {
    const { version } = await versionFor(services, context, 'read');
    return pictureOf(services, version, context.req.param('no'));
  });
  app.get('/records/:id/preview', async (context) => {
    const { person, record, version } = await versionFor(services, context, 'read');
    const text = await textOf(services, version);
    await enterReading(services, person, record, version, 'read content');
    return text;
  });
  app.get('/records/:id/content', (context) => serveCopy(services, context));
}
