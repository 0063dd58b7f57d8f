import { randomBytes } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import { Hono } from 'hono';
import { secureHeaders } from 'hono/secure-headers';
import { criteriaRoutes } from '../criteria/index.js';
import { docketRoutes } from '../docket/index.js';
import { holdsRoutes } from '../holds/index.js';
import { identityRoutes } from '../identity/index.js';
import { ledgerRoutes } from '../ledger/index.js';
import { planRoutes } from '../plan/index.js';
import { Problem, problemOf } from '../problem.js';
import { receivingRoutes } from '../receiving/index.js';
import { recordsRoutes, setupRoutes } from '../records/index.js';
import { reportsRoutes } from '../reports/index.js';
import { scheduleRoutes } from '../schedule/index.js';
import type { Services } from '../services.js';
import { describeApi } from './apiPage.js';
import { healthRoutes } from './health.js';
import type { HttpApp, HttpContext, HttpEnv } from './implement.js';
import { identify, refuseOtherSites } from './session.js';
import { serveWeb } from './web.js';

/** The whole HTTP application over its services. */
export function makeApp(services: Services): HttpApp {
  const root: HttpApp = new Hono<HttpEnv>();
  root.use(async (context, next) => {
    const nonce = randomBytes(16).toString('base64');
    context.set('nonce', nonce);
    await next();
    // Answers that bring their own policy (sandboxed content) keep it.
    if (!context.res.headers.has('content-security-policy')) {
      context.res.headers.set(
        'content-security-policy',
        `default-src 'none'; script-src 'self'; worker-src 'self' blob:; style-src 'self' 'nonce-${nonce}'; style-src-attr 'unsafe-inline'; img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; frame-src 'self' blob:; base-uri 'self'; form-action 'self'; frame-ancestors 'none'`,
      );
    }
  });
  root.use(
    secureHeaders({
      xFrameOptions: 'SAMEORIGIN',
      referrerPolicy: 'same-origin',
      crossOriginResourcePolicy: 'same-origin',
      strictTransportSecurity: false,
    }),
  );
  healthRoutes(root, services);

  const api: HttpApp = new Hono<HttpEnv>();
  api.use(async (context, next) => {
    await next();
    context.res.headers.set('cache-control', 'no-store');
  });
  api.use(refuseOtherSites);
  api.use(identify(services));
  identityRoutes(api, services);
  planRoutes(api, services);
  scheduleRoutes(api, services);
  criteriaRoutes(api, services);
  receivingRoutes(api, services);
  recordsRoutes(api, services);
  setupRoutes(api, services);
  holdsRoutes(api, services);
  docketRoutes(api, services);
  ledgerRoutes(api, services);
  reportsRoutes(api, services);
  describeApi(api, services.endpoints);
  const onError = (error: Error, context: HttpContext): Response => {
    const problem = problemOf(error);
    if (problem.status === 500) services.log.error({ err: error }, 'unexpected error');
    if (problem.status === 503) services.log.warn({ err: error }, 'something that the server needs did not answer');
    const { incoming } = context.env as Partial<{ incoming: IncomingMessage }>;
    return new Response(JSON.stringify(problem.document()), {
      status: problem.status,
      headers: {
        'content-type': 'application/problem+json',
        'cache-control': 'no-store',
        // The rest of a body that is refused half-way is not read, so nothing more can come over this connection (RFC 9112 §9.6).
        ...(incoming && !incoming.complete ? { connection: 'close' } : {}),
      },
    });
  };
  api.onError(onError);
  root.onError(onError);
  root.route('/api', api);
  root.all('/api/*', () => {
    throw new Problem(404, 'not-found', 'There is no such address.');
  });
  serveWeb(root, services.config.webDir);
  return root;
}
