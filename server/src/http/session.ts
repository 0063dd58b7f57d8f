import { message } from '@key-cellar/words';
import { createHash } from 'node:crypto';
import { isIP } from 'node:net';
import { getConnInfo } from '@hono/node-server/conninfo';
import { getCookie } from 'hono/cookie';
import type { MiddlewareHandler } from 'hono';
import { isLanguage } from '@key-cellar/words';
import { bearer, readSettings, sessionByHash, touchSession, touchToken } from '../identity/index.js';
import { cookies, Problem, type Config, type SignedIn } from '../kernel/index.js';
import type { Services } from '../docket/index.js';
import type { HttpContext, HttpEnv } from './context.js';

/** Where a request is from: what a proxy that is trusted was asked by, else whoever connected. */
function addressOf(context: HttpContext, proxies: readonly string[]): string {
  const connected = getConnInfo(context).remote.address ?? 'unknown';
  const said = (context.req.header('x-forwarded-for') ?? '').split(',').map((address) => address.trim());
  // Each proxy adds whom it was asked by at the end; what stands before the last that is trusted, anybody could have written.
  let address = connected;
  while (proxies.includes(address) && said.length > 0) address = said.pop() || address;
  return isIP(address) ? address : connected;
}

const loopback = new Set(['localhost', '127.0.0.1', '[::1]']);

/**
 * Refuses requests under a name that is not the server's: a page elsewhere whose name was made to lead here would else be of
 * one origin with it.
 */
export function refuseOtherHosts({ hosts, host: own }: Config): MiddlewareHandler<HttpEnv> {
  const known = new Set([...loopback, own, ...hosts].map((name) => name.toLowerCase()));
  return async (context, next) => {
    const name = (context.req.header('host') ?? '').replace(/:\d*$/, '').toLowerCase();
    if (!known.has(name)) throw new Problem(421, 'other-host', message('http.otherHost'));
    await next();
  };
}

/** The token of a request, if it has one; what a browser or a proxy sends of its own (Basic) is none. */
const tokenOf = (context: Pick<HttpContext, 'req'>): string | null =>
  /^Bearer +(.*)$/i.exec(context.req.header('authorization') ?? '')?.[1] ?? null;

/** The program whose token came with a request (RFC 6750 §2.1); throws 401 for one that does not work. */
async function programOf({ pool }: Services, token: string, address: string): Promise<SignedIn> {
  const settings = await readSettings(pool);
  const hash = createHash('sha256').update(token).digest();
  const found = await bearer(pool, hash, settings.today);
  if (!found) throw new Problem(401, 'wrong-token', message('http.wrongToken'));
  if (found.stale) await touchToken(pool, found.token_id, address);
  return {
    ...{ id: found.id, name: found.name, login: '', from: address, today: settings.today, accessEpoch: found.access_epoch },
    clearance: { level: found.clearance_level, caveats: found.clearance_caveats },
    ...{ demo: settings.demo, repository: settings.repository, timeZone: settings.timeZone },
    ...{ sessionHash: hash, factorMissing: false, scopes: found.scopes, language: null },
  };
}

/** Finds out who asks. A stale or unknown cookie means nobody; beside a token a cookie counts for nothing. */
export function identify(services: Services): MiddlewareHandler<HttpEnv> {
  return async (context, next) => {
    const address = addressOf(context, services.config.proxies);
    context.set('address', address);
    context.set('person', null);
    const token = tokenOf(context);
    if (token !== null) {
      context.set('visitor', { address, sessionHash: null });
      context.set('person', await programOf(services, token, address));
      return next();
    }
    const pass = getCookie(context, cookies.visitor);
    context.set('visitor', { address, sessionHash: pass === undefined ? null : createHash('sha256').update(pass).digest() });
    const session = getCookie(context, cookies.person);
    if (session) {
      const sessionHash = createHash('sha256').update(session).digest();
      const found = await sessionByHash(services.pool, sessionHash, services.config.idleMinutes);
      if (found) {
        const settings = await readSettings(services.pool);
        if (found.stale) await touchSession(services.pool, sessionHash);
        context.set('person', {
          id: found.id,
          name: found.name,
          login: found.login,
          from: address,
          today: settings.today,
          clearance: { level: found.clearance_level, caveats: found.clearance_caveats },
          accessEpoch: found.access_epoch,
          demo: settings.demo,
          repository: settings.repository,
          timeZone: settings.timeZone,
          sessionHash,
          factorMissing: found.factor_missing,
          scopes: null,
          language: isLanguage(found.language) ? found.language : null,
        });
      }
    }
    await next();
  };
}

/**
 * Refuses changes that another site started. The cookie is SameSite=Strict already; this looks at what the browser
 * says of the request (Fetch Metadata, Origin), and asks programs that say neither for a header no form can send.
 */
export const refuseOtherSites: MiddlewareHandler<HttpEnv> = async (context, next) => {
  const method = context.req.method;
  // No page elsewhere can send a token without being asked for leave first (Fetch, CORS preflight).
  if (method !== 'GET' && method !== 'HEAD' && method !== 'OPTIONS' && tokenOf(context) === null) {
    const site = context.req.header('sec-fetch-site');
    const origin = context.req.header('origin');
    const host = context.req.header('host');
    const ownOrigin = origin !== undefined && host !== undefined && URL.canParse(origin) && new URL(origin).host === host;
    const allowed =
      (site === undefined || site === 'same-origin') &&
      (origin === undefined || ownOrigin) &&
      (site !== undefined || origin !== undefined || context.req.header('x-key-cellar') !== undefined);
    if (!allowed) {
      throw new Problem(403, 'other-site', message('http.otherSite'));
    }
  }
  await next();
};
