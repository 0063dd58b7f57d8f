import { message } from '@key-cellar/words';
import { randomBytes } from 'node:crypto';
import { Hono } from 'hono';
import { secureHeaders } from 'hono/secure-headers';
import { Problem, tellProblem } from '../kernel/index.js';
import type { Services } from '../docket/index.js';
import { describeApi } from './apiPage.js';
import { healthRoutes } from './health.js';
import { metricsRoutes } from './metrics.js';
import { bind } from './bind.js';
import type { HttpApp, HttpContext, HttpEnv } from './context.js';
import { fileRoutes } from './files.js';
import { speakerFor } from './language.js';
import { identify, refuseOtherHosts, refuseOtherSites } from './session.js';
import { bound } from './table.js';
import { scimRoutes } from './scim.js';
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
  metricsRoutes(root, services);
  root.use(refuseOtherHosts(services.config));

  const api: HttpApp = new Hono<HttpEnv>();
  api.use(async (context, next) => {
    await next();
    if (!context.res.headers.has('cache-control')) context.res.headers.set('cache-control', 'no-store');
  });
  api.use(refuseOtherSites);
  api.use(identify(services));
  for (const one of bound()) bind(api, services, one);
  fileRoutes(api, services);
  describeApi(api);
  const onError = (error: Error, context: HttpContext): Response => {
    const problem = tellProblem(services.log, error, 'a request ended with a problem');
    const { incoming } = context.env;
    return new Response(JSON.stringify(problem.document(speakerFor(context))), {
      status: problem.status,
      headers: {
        'content-type': 'application/problem+json',
        'cache-control': 'no-store',
        // The rest of a body that is refused half-way is not read, so nothing more can come over this connection (RFC 9112 §9.6).
        ...(!incoming.complete ? { connection: 'close' } : {}),
      },
    });
  };
  api.onError(onError);
  root.onError(onError);
  scimRoutes(root, services);
  root.route('/api', api);
  root.all('/api/*', () => {
    throw new Problem(404, 'not-found', message('http.notFound'));
  });
  serveWeb(root, services.config.webDir);
  return root;
}
