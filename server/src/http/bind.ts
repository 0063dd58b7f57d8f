import type { IncomingMessage } from 'node:http';
import type { Endpoint, ProblemField } from '@key-cellar/contract';
import { deleteCookie, setCookie } from 'hono/cookie';
import { stream } from 'hono/streaming';
import type { Context, Hono } from 'hono';
import type * as z from 'zod';
import type { Services } from '../docket/index.js';
import { carryOut, Download, Lines, Problem, SessionChange, type AnyAct, type Read, type SignedIn } from '../kernel/index.js';
import type { Bound } from './table.js';

export interface HttpEnv {
  Variables: { person: SignedIn | null; address: string; nonce: string };
}
export type HttpContext = Context<HttpEnv>;
export type HttpApp = Hono<HttpEnv>;

export const sessionCookie = 'cellar_session';
/** A connection that sends nothing for this long is given up; it would hold its transaction open. */
const silenceMs = 60_000;
const largestFile = 2 * 1024 * 1024 * 1024;

function fieldsOf(error: z.ZodError): ProblemField[] {
  return error.issues.map((issue) => ({
    pointer: `/${issue.path.map(String).join('/')}`,
    sentence: issue.message,
  }));
}

function parse<S extends z.ZodType>(schema: S, value: unknown, where: string): z.output<S> {
  const result = schema.safeParse(value);
  if (result.success) return result.data;
  const fields = fieldsOf(result.error);
  const first = fields[0]!;
  throw new Problem(422, 'wrong-input', `In the ${where}, ${first.pointer.slice(1) || 'the whole'} ${first.sentence}.`, fields);
}

async function readJson(context: HttpContext): Promise<unknown> {
  const text = await context.req.text();
  if (text === '') return {};
  try {
    return JSON.parse(text) as unknown;
  } catch {
    throw new Problem(400, 'not-json', 'The body is not JSON.');
  }
}

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

/** The bytes of a request as they come; a parsed body would sit in memory. */
function bytesOf(context: HttpContext): AsyncIterable<Uint8Array> {
  const announced = Number(context.req.header('content-length') ?? 0);
  if (announced > largestFile) throw new Problem(413, 'too-large', 'This file is larger than 2 GB, the most that is taken in one piece.');
  const { incoming } = context.env as unknown as { incoming: IncomingMessage };
  incoming.setTimeout(silenceMs, () => incoming.destroy(new Error('The upload went silent')));
  return sent(incoming);
}

/** Throws 401 unless somebody is signed in. */
export function requirePerson(context: HttpContext): SignedIn {
  const person = context.get('person');
  if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
  return person;
}

function secure(context: HttpContext): boolean {
  return new URL(context.req.url).protocol === 'https:' || context.req.header('x-forwarded-proto') === 'https';
}

/** A session begins or ends: its token travels as a cookie that no script can read. */
function changeSession(context: HttpContext, { begins }: SessionChange): Response {
  if (begins === null) deleteCookie(context, sessionCookie, { path: '/' });
  else {
    setCookie(context, sessionCookie, begins.token, {
      httpOnly: true,
      sameSite: 'Strict',
      path: '/',
      maxAge: begins.maxAgeSeconds,
      secure: secure(context),
    });
  }
  return context.json({});
}

function download({ file: { bytes, type, name } }: Download): Response {
  return new Response(new Uint8Array(bytes), {
    headers: { 'content-type': type, 'content-disposition': `attachment; filename="${name}"`, 'content-length': String(bytes.length) },
  });
}

function lines(context: HttpContext, { work }: Lines): Response {
  return stream(context, async (out) => {
    const gone = new AbortController();
    out.onAbort(() => gone.abort());
    let written: Promise<unknown> = Promise.resolve();
    await work((line) => void (written = out.write(`${JSON.stringify(line)}\n`)), gone.signal);
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
  return read({ ...(input as { params: never; query: never; body: never }), services, person, access: () => services.access.of(person) });
}

async function answerAct(services: Services, act: AnyAct<Services>, context: HttpContext, input: Asked): Promise<unknown> {
  if ('free' in act.definition) {
    const call = { ...input, services, person: context.get('person'), address: context.get('address') };
    return act.definition.free(call as never);
  }
  return carryOut(services, requirePerson(context), act, input as never);
}

/** Binds one row of the table: parses what was sent, finds out who asks, and answers. */
export function bind(app: HttpApp, services: Services, { endpoint, answer }: Bound): void {
  const honoPath = endpoint.path.replace(/\{(\w+)\}/g, ':$1');
  app.on(endpoint.method.toUpperCase(), honoPath, async (context) => {
    if (endpoint.who === 'signedIn') requirePerson(context);
    // An id that is not even an id names nothing: the same answer as for one that does not exist.
    const params = endpoint.params.safeParse(context.req.param());
    if (!params.success) throw new Problem(404, 'not-found', 'That does not exist here, or you may not see it.');
    const query = parse(endpoint.query, context.req.query(), 'query');
    const taken =
      endpoint.sends === 'bytes'
        ? { body: {}, bytes: bytesOf(context), idempotencyKey: context.req.header('idempotency-key')?.slice(0, 100) }
        : { body: endpoint.method === 'get' ? {} : parse(endpoint.body, await readJson(context), 'body') };
    const input = { params: params.data, query, ...taken };
    const came =
      typeof answer === 'function' ? await answerRead(services, answer, context, input) : await answerAct(services, answer, context, input);
    if (came instanceof Download) return download(came);
    if (came instanceof Lines) return lines(context, came);
    if (came instanceof SessionChange) return changeSession(context, came);
    return context.json((came ?? {}) as object);
  });
}
