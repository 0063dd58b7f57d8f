import { messageOfIssue, scopes, type Endpoint, type Scope } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import { deleteCookie, getCookie, setCookie } from 'hono/cookie';
import { stream } from 'hono/streaming';
import type * as z from 'zod';
import type { Services } from '../docket/index.js';
import { headHeader } from '../ledger/index.js';
import {
  carryOut,
  cookies,
  Download,
  Lines,
  notSignedIn,
  Problem,
  SessionChange,
  type AnyAct,
  type Read,
  type SignedIn,
} from '../kernel/index.js';
import { jsonAnswer } from './answer.js';
import { bytesOf, jsonOf } from './body.js';
import type { HttpApp, HttpContext } from './context.js';
import { speakerFor } from './language.js';
import type { Bound } from './table.js';
import { tellingOf, type Telling } from './telling.js';

function parse<S extends z.ZodType>(schema: S, value: unknown, where: 'query' | 'body'): z.output<S> {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  const fields = result.error.issues.map((issue) => ({
    pointer: `/${issue.path.map(String).join('/')}`,
    sentence: messageOfIssue(issue),
  }));
  const { pointer, sentence } = fields[0]!;
  const field = pointer.slice(1);
  throw new Problem(
    422,
    'wrong-input',
    message('http.wrongInput', { where, field: field || message('http.theWhole'), problem: sentence }),
    fields,
  );
}

/**
 * Throws 401 unless somebody is signed in, and 403 while they still have to set up a second factor; that itself is done `early`. A program is
 * let at what its token is for, and at nothing else.
 */
export function requirePerson(context: HttpContext, scope: string | null, early = false): SignedIn {
  const person = context.get('person');
  if (!person) throw notSignedIn();
  if (person.scopes !== null && (scope === null || !person.scopes.includes(scope)))
    throw new Problem(403, 'scope-missing', scope === null ? message('http.forPeople') : message('http.scopeMissing', { scope }));
  if (person.factorMissing && !early) throw new Problem(403, 'second-factor-needed', message('identity.secondNeeded'));
  return person;
}

function secure(context: HttpContext): boolean {
  return new URL(context.req.url).protocol === 'https:' || context.req.header('x-forwarded-proto') === 'https';
}

/** A session begins or ends: its token travels as a cookie that no script can read. */
function changeSession(context: HttpContext, { begins, of, answer }: SessionChange): Response {
  if (begins === null) {
    deleteCookie(context, cookies[of], { path: '/' });
    // Nor does the browser keep what it was told meanwhile (https://www.w3.org/TR/clear-site-data).
    context.header('clear-site-data', '"cache"');
  } else {
    setCookie(context, cookies[of], begins.token, {
      httpOnly: true,
      sameSite: 'Strict',
      path: '/',
      maxAge: begins.maxAgeSeconds,
      secure: secure(context),
    });
  }
  return context.json(answer);
}

function download({ file }: Download, head: Record<string, string>): Response {
  const headers = {
    ...head,
    'content-type': file.type,
    'content-disposition': `attachment; filename="${file.name}"`,
  };
  if ('parts' in file) return new Response(ReadableStream.from(file.parts) as ReadableStream<Uint8Array>, { headers });
  return new Response(new Uint8Array(file.bytes), { headers: { ...headers, 'content-length': String(file.bytes.length) } });
}

function lines(context: HttpContext, { work }: Lines, telling: Telling): Response {
  return stream(context, async (out) => {
    const gone = new AbortController();
    out.onAbort(() => gone.abort());
    let written: Promise<unknown> = Promise.resolve();
    const speaker = speakerFor(context);
    await work((line) => void (written = out.write(`${JSON.stringify(telling(line, speaker.say))}\n`)), gone.signal);
    await written;
  });
}

interface Asked {
  readonly params: unknown;
  readonly query: unknown;
  readonly body: unknown;
  readonly bytes?: AsyncIterable<Uint8Array>;
  readonly idempotencyKey?: string | undefined;
}

async function answerRead(services: Services, read: Read<Endpoint, Services>, context: HttpContext, input: Asked): Promise<unknown> {
  // Public endpoints are those whose reading asks for no person.
  const person = context.get('person')!;
  const asked = input as { params: never; query: never; body: never };
  const visitor = context.get('visitor');
  return read({ ...asked, services, person, visitor, speaker: speakerFor(context), access: () => services.access.of(person) });
}

async function answerAct(services: Services, act: AnyAct<Services>, context: HttpContext, input: Asked): Promise<unknown> {
  if ('free' in act.definition) {
    const [person, address, agent] = [context.get('person'), context.get('address'), context.req.header('user-agent') ?? ''];
    const call = { ...input, services, person, address, agent, leaving: getCookie(context, cookies.leaving) ?? null };
    return act.definition.free(call as never);
  }
  const person = context.get('person');
  if (!person) throw notSignedIn();
  return carryOut(services, person, act, input as never);
}

/** Which scope lets a program at an endpoint: its area, and whether it asks or changes; null for what is for people alone. */
export function scopeOf(name: string, { changes, who }: Endpoint): Scope | null {
  if (who === 'public') return null;
  const wanted = `${name.split('.')[0]!}.${changes ? 'act' : 'read'}`;
  return scopes.find((scope) => scope === wanted) ?? null;
}

/** Binds one row of the table: parses what was sent, finds out who asks, and answers. */
export function bind(app: HttpApp, services: Services, { name, endpoint, answer }: Bound): void {
  const scope = scopeOf(name, endpoint);
  const telling = tellingOf(endpoint.response) ?? ((value) => value);
  const honoPath = endpoint.path.replace(/\{(\w+)\}/g, ':$1');
  app.on(endpoint.method.toUpperCase(), honoPath, async (context) => {
    if (endpoint.who === 'signedIn') requirePerson(context, scope, endpoint.early);
    else if (context.get('person')?.scopes) throw new Problem(403, 'scope-missing', message('http.forPeople'));
    // An id that is not even an id names nothing: the same answer as for one that does not exist.
    const params = endpoint.params.safeParse(context.req.param());
    if (!params.success) throw new Problem(404, 'not-found', message('problem.notFound', { what: message('problem.that') }));
    const query = parse(endpoint.query, context.req.query(), 'query');
    const { incoming } = context.env;
    const taken =
      endpoint.sends === 'bytes'
        ? { body: {}, bytes: bytesOf(incoming, endpoint.most), idempotencyKey: context.req.header('idempotency-key')?.slice(0, 100) }
        : { body: endpoint.method === 'get' ? {} : parse(endpoint.body, await jsonOf(incoming, endpoint.most), 'body') };
    const input = { params: params.data, query, ...taken };
    const came =
      typeof answer === 'function' ? await answerRead(services, answer, context, input) : await answerAct(services, answer, context, input);
    if (came instanceof Download) return download(came, await headHeader(services.pool));
    if (came instanceof Lines) return lines(context, came, telling);
    if (came instanceof SessionChange) return changeSession(context, came);
    return jsonAnswer(context, telling(came ?? {}, speakerFor(context).say), endpoint.kept);
  });
}
