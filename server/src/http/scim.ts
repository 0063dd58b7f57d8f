import { message } from '@key-cellar/words';
import { Hono } from 'hono';
import type { ContentfulStatusCode } from 'hono/utils/http-status';
import { notSignedIn, Problem, tellProblem, inEnglish } from '../kernel/index.js';
import type { Services } from '../docket/index.js';
import {
  described,
  groups,
  nameOf,
  notThere,
  resourceTypes,
  schemas,
  ScimError,
  serviceProvider,
  users,
  type Asking,
  type Resource,
} from '../scim/index.js';
import { jsonOf } from './body.js';
import type { HttpApp, HttpContext, HttpEnv } from './context.js';
import { identify } from './session.js';

/** What a token has to be for. */
const scope = 'scim.act';
const most = 1024 * 1024;
const root = '/scim/v2';

/** Who asks: a program whose token is for it. */
function asking(services: Services, context: HttpContext): Asking {
  const program = context.get('person');
  if (!program?.scopes) throw notSignedIn();
  if (!program.scopes.includes(scope)) throw new Problem(403, 'scope-missing', message('http.scopeMissing', { scope }));
  return { services, program, base: `${services.config.publicUrl}${root}` };
}

/** The attributes that are asked for, or not wanted; id, schemas and meta are always told (RFC 7644 §3.9). */
function wanted(context: HttpContext, resource: Resource): Resource {
  const names = (of: string): string[] =>
    (context.req.query(of) ?? '')
      .split(',')
      .map((name) => nameOf(name.trim().split(':').at(-1)!.split('.')[0]!))
      .filter(Boolean);
  const [only, without] = [names('attributes'), names('excludedAttributes')];
  const always = ['id', 'schemas', 'meta'];
  return Object.fromEntries(
    Object.entries(resource).filter(([name]) => always.includes(name) || (only.length > 0 ? only.includes(name) : !without.includes(name))),
  );
}

const answer = (context: HttpContext, body: Resource, status: ContentfulStatusCode = 200, headers: Record<string, string> = {}): Response =>
  context.body(JSON.stringify(body), status, { 'content-type': 'application/scim+json; charset=utf-8', ...headers });

const one = (context: HttpContext, resource: Resource, status: ContentfulStatusCode = 200): Response => {
  const { location, version } = resource['meta'] as { location: string; version: string };
  return answer(context, wanted(context, resource), status, { etag: version, location });
};

/** Refuses what was asked of a version that is no longer the newest (RFC 7644 §3.14). */
function requireVersion(context: HttpContext, resource: Resource): void {
  const asked = context.req.header('if-match');
  if (asked === undefined || asked === '*') return;
  if (!asked.split(/\s*,\s*/).includes((resource['meta'] as { version: string }).version))
    throw new ScimError(412, null, 'It was changed meanwhile.');
}

/** What went wrong, as the protocol says it (RFC 7644 §3.12). */
function refusal(services: Services, error: Error, context: HttpContext): Response {
  const [status, scimType, detail] = ((): readonly [number, string | null, string] => {
    if (error instanceof ScimError) return [error.status, error.scimType, error.message];
    const problem = tellProblem(services.log, error, 'a request of a directory ended with a problem');
    const said = inEnglish(problem.said);
    return problem.status === 422 || problem.code === 'not-json'
      ? [400, problem.code === 'not-json' ? 'invalidSyntax' : 'invalidValue', said]
      : [problem.status, null, said];
  })();
  const { incoming } = context.env;
  return answer(
    context,
    { schemas: [schemas.error], status: String(status), ...(scimType === null ? {} : { scimType }), detail },
    status as ContentfulStatusCode,
    {
      ...(status === 401 ? { 'www-authenticate': 'Bearer' } : {}),
      ...(!incoming.complete ? { connection: 'close' } : {}),
    },
  );
}

/** People and groups as a directory of another system arranges them: SCIM 2.0 (RFC 7643, RFC 7644), with the token of a program. */
export function scimRoutes(app: HttpApp, services: Services): void {
  const scim: HttpApp = new Hono<HttpEnv>();
  scim.use(identify(services));
  scim.use(async (context, next) => {
    asking(services, context);
    await next();
    context.res.headers.set('cache-control', 'no-store');
  });
  scim.onError((error, context) => refusal(services, error, context));
  const list = (context: HttpContext, resources: readonly Resource[]): Response =>
    answer(context, {
      schemas: [schemas.list],
      totalResults: resources.length,
      startIndex: 1,
      itemsPerPage: resources.length,
      Resources: resources,
    });
  const found = (resources: readonly Resource[], id: string): Resource => {
    const resource = resources.find((r) => r['id'] === id);
    if (!resource) throw notThere();
    return resource;
  };
  scim.get('/ServiceProviderConfig', (context) => answer(context, serviceProvider(asking(services, context).base)));
  for (const [path, of] of [
    ['/ResourceTypes', resourceTypes],
    ['/Schemas', described],
  ] as const) {
    scim.get(path, (context) => list(context, of(asking(services, context).base)));
    scim.get(`${path}/:id`, (context) => answer(context, found(of(asking(services, context).base), context.req.param('id'))));
  }
  for (const [path, type] of [
    ['/Users', users],
    ['/Groups', groups],
  ] as const) {
    const sent = (context: HttpContext): Promise<unknown> => jsonOf(context.env.incoming, most);
    const by = `${path}/:id` as const;
    scim.get(path, async (context) => {
      const { filter, startIndex, count } = context.req.query() as Record<string, string | undefined>;
      const page = await type.list(asking(services, context), { filter, startIndex, count });
      return answer(context, { ...page, Resources: (page['Resources'] as Resource[]).map((resource) => wanted(context, resource)) });
    });
    scim.post(path, async (context) => one(context, await type.create(asking(services, context), await sent(context)), 201));
    scim.get(by, async (context) => one(context, await type.one(asking(services, context), context.req.param('id'))));
    for (const method of ['put', 'patch'] as const)
      scim[method](by, async (context) => {
        const [who, id, body] = [asking(services, context), context.req.param('id'), await sent(context)];
        requireVersion(context, await type.one(who, id));
        return one(context, await (method === 'put' ? type.replace(who, id, body) : type.patch(who, id, body)));
      });
    scim.delete(by, async (context) => {
      const [who, id] = [asking(services, context), context.req.param('id')];
      requireVersion(context, await type.one(who, id));
      await type.remove(who, id);
      return context.body(null, 204);
    });
  }
  scim.all('*', () => {
    throw notThere();
  });
  app.route(root, scim);
}
