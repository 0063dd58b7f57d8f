import type { BodyOf, Endpoint, ParamsOf, ProblemField, QueryOf, ResponseOf } from '@key-cellar/contract';
import type { Context, Hono } from 'hono';
import type * as z from 'zod';
import type { SignedIn } from '../identity/index.js';
import { Problem } from '../problem.js';
import type { Services } from '../services.js';

export interface HttpEnv {
  Variables: { person: SignedIn | null; address: string; nonce: string };
}
export type HttpContext = Context<HttpEnv>;
export type HttpApp = Hono<HttpEnv>;

export interface Call<E extends Endpoint> {
  readonly params: ParamsOf<E>;
  readonly query: QueryOf<E>;
  readonly body: BodyOf<E>;
  readonly services: Services;
  readonly address: string;
  /** Only public routes may be called without a person; ask {@link Call.person} for the others. */
  readonly person: SignedIn;
  readonly context: HttpContext;
}

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

/**
 * Binds an endpoint of the contract to what answers it: parses, checks the session, and answers JSON. What comes in parts
 * (lines of progress) is answered as a response of its own.
 */
export function implement<E extends Endpoint>(
  app: HttpApp,
  services: Services,
  endpoint: E,
  answer: (call: Call<E>) => Promise<ResponseOf<E> | Response> | ResponseOf<E> | Response,
): void {
  const honoPath = endpoint.path.replace(/\{(\w+)\}/g, ':$1');
  const method = endpoint.method;
  services.endpoints.push(endpoint);
  app.on(method.toUpperCase(), honoPath, async (context) => {
    const person = context.get('person');
    if (endpoint.who === 'signedIn' && !person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
    // An id that is not even an id names nothing: the same answer as for one that does not exist.
    const params = endpoint.params.safeParse(context.req.param());
    if (!params.success) throw new Problem(404, 'not-found', 'That does not exist here, or you may not see it.');
    const query = parse(endpoint.query, context.req.query(), 'query');
    const body = method === 'get' ? {} : parse(endpoint.body, await readJson(context), 'body');
    const response = await answer({
      params: params.data as ParamsOf<E>,
      query: query as QueryOf<E>,
      body: body as BodyOf<E>,
      services,
      address: context.get('address'),
      person: person!,
      context,
    });
    return response instanceof Response ? response : context.json(response ?? {});
  });
}

/** A file to be saved, under a name of ours. */
export function download(file: { readonly bytes: Buffer; readonly type: string; readonly name: string }): Response {
  return new Response(new Uint8Array(file.bytes), {
    headers: {
      'content-type': file.type,
      'content-disposition': `attachment; filename="${file.name}"`,
      'content-length': String(file.bytes.length),
    },
  });
}
