import { createHash, randomBytes } from 'node:crypto';
import { mkdir, readFile, writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import { exportJWK, SignJWT, type JWTPayload } from 'jose';
import { Hono, type Context } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { html } from 'hono/html';
import * as z from 'zod';
import { serveStandIn, type StandIn } from './listen.js';
import { ownKey } from './ownKey.js';

const codeSeconds = 60;
const tokenSeconds = 300;
const largestRequest = 16 * 1024;
const loopback = new Set(['localhost', '127.0.0.1', '[::1]']);

/** Somebody whom the provider knows. `sub` stays, whatever else changes. */
const person = z.object({
  sub: z.string(),
  name: z.string(),
  preferred_username: z.string(),
  email: z.string(),
  email_verified: z.boolean(),
  groups: z.array(z.string()),
});
export type ProviderPerson = z.infer<typeof person>;

const asked = z.object({
  client_id: z.string(),
  redirect_uri: z.string(),
  response_type: z.literal('code'),
  scope: z.string().regex(/\bopenid\b/),
  state: z.string(),
  nonce: z.string(),
  code_challenge: z.string().min(43),
  code_challenge_method: z.literal('S256'),
});
type Asked = z.infer<typeof asked>;

interface Given {
  readonly asked: Asked;
  readonly person: ProviderPerson;
  readonly factor: boolean;
  readonly until: number;
}

/** Whether people may be sent back there: to this machine, where the way ends as it does here (RFC 8252 §7.3). */
function isKnownWayBack(uri: string): boolean {
  if (!URL.canParse(uri)) return false;
  const { hostname, pathname, search, hash } = new URL(uri);
  return loopback.has(hostname) && /^\/sign-in\/from\/[0-9a-f-]{36}$/.test(pathname) && search === '' && hash === '';
}

/** Whether a client proves who it is (RFC 6749 §2.3.1). */
function isClient(
  authorization: string,
  { clientId, clientSecret }: { readonly clientId: string; readonly clientSecret: string },
): boolean {
  const [name = '', secret = ''] = Buffer.from(authorization.replace(/^Basic /i, ''), 'base64')
    .toString()
    .split(':');
  const typed = (part: string): string => new URLSearchParams(`part=${part}`).get('part') ?? '';
  return typed(name) === clientId && typed(secret) === clientSecret;
}

/** The parts of the provider’s answers that a test of whoever trusts it may want otherwise. */
export interface Manner {
  /** What it says in an identity, before it signs that. */
  claims(claims: JWTPayload): JWTPayload;
  /** What it sends people back with. */
  sends(answer: Record<string, string>): Record<string, string>;
}
const plain: Manner = { claims: (claims) => claims, sends: (answer) => answer };

export interface IdentityProvider extends StandIn {
  readonly clientId: string;
  readonly clientSecret: string;
  /** Whom it knows from now on. */
  knows(people: readonly ProviderPerson[]): Promise<void>;
}

/** A text that is kept in a file; made at first. */
async function keptText(path: string, make: () => string): Promise<string> {
  const found = await readFile(path, 'utf8').catch(() => null);
  if (found !== null) return found;
  const made = make();
  await writeFile(path, made, { mode: 0o600 });
  return made;
}

/**
 * A provider of identities, in place of an organisation’s own (OpenID Connect Core 1.0: authorization code flow with PKCE by S256; Discovery 1.0;
 * RFC 9207). It asks for no password: whoever is before it says which of its people they are, out of `people.json` in its folder. A code
 * works once, for a minute, for whoever has its verifier. It keeps its port, since that is part of its name.
 */
export async function startIdentityProvider(folder: string, manner: Manner = plain): Promise<IdentityProvider> {
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const key = await ownKey(folder, 'identity-provider');
  const clientId = 'key-cellar';
  const clientSecret = await keptText(join(folder, 'client-secret'), () => randomBytes(24).toString('base64url'));
  const peopleFile = join(folder, 'people.json');
  const people = async (): Promise<ProviderPerson[]> => {
    const text = await readFile(peopleFile, 'utf8').catch(() => '[]');
    return z.array(person).parse(JSON.parse(text));
  };
  const codes = new Map<string, Given>();
  const tokens = new Map<string, { readonly person: ProviderPerson; readonly until: number }>();
  let issuer = '';

  const page = (context: Context, title: string, body: unknown, status: 200 | 400 = 200): Response | Promise<Response> =>
    context.html(
      html`<!doctype html>
        <html lang="en">
          <head>
            <meta charset="utf-8" />
            <title>${title}</title>
            <style>
              body {
                font:
                  16px/1.5 system-ui,
                  sans-serif;
                max-width: 30rem;
                margin: 3rem auto;
                padding: 0 1rem;
                color: #222;
              }
              button {
                font: inherit;
                display: block;
                width: 100%;
                margin: 0.25rem 0;
                padding: 0.5rem 0.75rem;
                text-align: left;
              }
              label {
                display: block;
                margin: 1rem 0;
              }
            </style>
          </head>
          <body>
            <h1>${title}</h1>
            ${body}
          </body>
        </html>`,
      status,
    );
  const cannot = (context: Context, why: string) => page(context, 'That cannot be asked here', html`<p>${why}</p>`, 400);

  /** What is asked, if it may be; a way back that is not known is not gone to. */
  const askedOf = (fields: Record<string, unknown>): Asked | string => {
    const read = asked.safeParse(fields);
    if (!read.success) return `${read.error.issues[0]!.path.join('.')} is missing or wrong.`;
    if (read.data.client_id !== clientId) return 'Nobody is registered under this client_id.';
    return isKnownWayBack(read.data.redirect_uri) ? read.data : 'This redirect_uri is not registered.';
  };
  const sendBack = (context: Context, { redirect_uri: back, state }: Asked, answer: Record<string, string>): Response => {
    const url = new URL(back);
    for (const [name, value] of Object.entries(manner.sends({ ...answer, state, iss: issuer }))) url.searchParams.set(name, value);
    return context.redirect(url.href, 303);
  };

  const app = new Hono();
  app.use(bodyLimit({ maxSize: largestRequest }));
  app.get('/.well-known/openid-configuration', (context) =>
    context.json({
      issuer,
      authorization_endpoint: `${issuer}/authorize`,
      token_endpoint: `${issuer}/token`,
      userinfo_endpoint: `${issuer}/userinfo`,
      jwks_uri: `${issuer}/jwks`,
      response_types_supported: ['code'],
      response_modes_supported: ['query'],
      grant_types_supported: ['authorization_code'],
      subject_types_supported: ['public'],
      id_token_signing_alg_values_supported: ['EdDSA'],
      token_endpoint_auth_methods_supported: ['client_secret_basic'],
      code_challenge_methods_supported: ['S256'],
      scopes_supported: ['openid', 'profile', 'email'],
      claims_supported: ['sub', 'name', 'preferred_username', 'email', 'email_verified', 'groups', 'amr'],
      authorization_response_iss_parameter_supported: true,
    }),
  );
  app.get('/jwks', async (context) => {
    const { d: _private, ...jwk } = await exportJWK(key);
    return context.json({ keys: [{ ...jwk, kid: 'one', use: 'sig', alg: 'EdDSA' }] });
  });
  app.get('/authorize', async (context) => {
    const fields = context.req.query();
    const wanted = askedOf(fields);
    if (typeof wanted === 'string') return cannot(context, wanted);
    const known = await people();
    return page(
      context,
      'Who are you?',
      html`<p>A stand-in for the sign-in of an organisation. It asks for no password.</p>
        <form method="post" action="/authorize">
          ${Object.entries(fields).map(([name, value]) => html`<input type="hidden" name="${name}" value="${value}" />`)}
          ${known.map((one) => html`<button name="sub" value="${one.sub}">${one.name} · ${one.email}</button>`)}
          <label><input type="checkbox" name="factor" value="yes" /> with a second factor</label>
          <button name="sub" value="">Cancel</button>
        </form>`,
    );
  });
  app.post('/authorize', async (context) => {
    const fields = await context.req.parseBody();
    const wanted = askedOf(fields);
    if (typeof wanted === 'string') return cannot(context, wanted);
    const who = (await people()).find((one) => one.sub === fields['sub']);
    if (!who) return sendBack(context, wanted, { error: 'access_denied' });
    const code = randomBytes(24).toString('base64url');
    codes.set(code, { asked: wanted, person: who, factor: fields['factor'] === 'yes', until: Date.now() + codeSeconds * 1000 });
    return sendBack(context, wanted, { code });
  });
  app.post('/token', async (context) => {
    const fields = await context.req.parseBody();
    if (!isClient(context.req.header('authorization') ?? '', { clientId, clientSecret }))
      return context.json({ error: 'invalid_client' }, 401, { 'www-authenticate': 'Basic' });
    const code = String(fields['code']);
    const given = codes.get(code);
    codes.delete(code);
    const fits =
      given !== undefined &&
      given.until > Date.now() &&
      fields['grant_type'] === 'authorization_code' &&
      fields['redirect_uri'] === given.asked.redirect_uri &&
      createHash('sha256').update(String(fields['code_verifier'])).digest('base64url') === given.asked.code_challenge;
    if (!fits) return context.json({ error: 'invalid_grant' }, 400);
    const access = randomBytes(24).toString('base64url');
    tokens.set(access, { person: given.person, until: Date.now() + tokenSeconds * 1000 });
    const now = Math.floor(Date.now() / 1000);
    const claims = manner.claims({
      ...given.person,
      ...{ iss: issuer, aud: clientId, iat: now, exp: now + tokenSeconds, nonce: given.asked.nonce },
      amr: given.factor ? ['pwd', 'mfa'] : ['pwd'],
    });
    const idToken = await new SignJWT(claims).setProtectedHeader({ alg: 'EdDSA', kid: 'one' }).sign(key);
    return context.json(
      { access_token: access, token_type: 'Bearer', expires_in: tokenSeconds, id_token: idToken },
      { headers: { 'cache-control': 'no-store' } },
    );
  });
  app.get('/userinfo', (context) => {
    const found = tokens.get((context.req.header('authorization') ?? '').replace(/^Bearer /, ''));
    if (!found || found.until < Date.now()) return context.json({ error: 'invalid_token' }, 401, { 'www-authenticate': 'Bearer' });
    return context.json(found.person);
  });

  const port = Number(await readFile(join(folder, 'port'), 'utf8').catch(() => '0'));
  const host = '127.0.0.1';
  const standIn = await serveStandIn(app, { port, host }).catch(() => serveStandIn(app, { port: 0, host }));
  issuer = standIn.url;
  await writeFile(join(folder, 'port'), new URL(issuer).port);
  return { ...standIn, clientId, clientSecret, knows: (known) => writeFile(peopleFile, JSON.stringify(known, null, 2)) };
}
