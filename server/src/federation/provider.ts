import { createHmac } from 'node:crypto';
import { message } from '@key-cellar/words';
import * as oidc from 'openid-client';
import { Problem } from '../kernel/index.js';

/** Of a provider what is needed to speak with it. */
export interface Spoken {
  readonly id: string;
  readonly name: string;
  readonly issuer: string;
  readonly clientId: string;
  readonly secret: string | null;
  readonly revision: number;
  readonly groupsClaim: string | null;
}

/** Who somebody is, by a provider’s word. */
export interface Claimed {
  /** Which of the provider’s people; never used again for another (OpenID Connect Core 1.0 §2). */
  readonly subject: string;
  readonly email: string | null;
  readonly emailVerified: boolean;
  readonly name: string | null;
  readonly login: string | null;
  /** Values of the groups claim; none where it said none. */
  readonly groups: readonly string[];
  /** Whether more than one factor was asked for (RFC 8176, `mfa`). */
  readonly factor: boolean;
}

const timeoutSeconds = 10;
/** By how many seconds two clocks may differ. */
const clockToleranceSeconds = 60;
const largestAnswer = 1_000_000;
const keptMs = 10 * 60_000;
const loopback = new Set(['localhost', '127.0.0.1', '[::1]']);

/** A provider’s answer that nobody should go by. `because` is for those who look after it. */
export class NotBelieved extends Error {
  constructor(
    readonly because: string,
    options?: ErrorOptions,
  ) {
    super(`A provider of identities is not believed: ${because}`, options);
  }
}

/** Whether what is sent to an address can be read on the way: only this machine may be spoken to in the clear. */
export const isGuarded = (url: string): boolean =>
  URL.canParse(url) && (new URL(url).protocol === 'https:' || (new URL(url).protocol === 'http:' && loopback.has(new URL(url).hostname)));

/** Asks without following anybody elsewhere, and reads no more than a provider has to say. */
const careful: oidc.CustomFetch = async (url, options) => {
  if (!isGuarded(url)) throw new NotBelieved(`it names ${url}, which others could read along`);
  const answer = await fetch(url, { ...options, redirect: 'manual' } as RequestInit);
  const parts: Uint8Array[] = [];
  let size = 0;
  for await (const part of answer.body ?? []) {
    size += (part as Uint8Array).length;
    if (size > largestAnswer) throw new NotBelieved('its answer has no end');
    parts.push(part as Uint8Array);
  }
  const { status, headers } = answer;
  return new Response(parts.length === 0 ? null : Buffer.concat(parts), { status, headers });
};

/** Speaks with a provider as it says that one should (OpenID Connect Discovery 1.0 §4). */
async function discovered(issuer: string, clientId: string, secret: string | null): Promise<oidc.Configuration> {
  const found = await oidc.discovery(new URL(issuer), clientId, {}, oidc.None(), {
    timeout: timeoutSeconds,
    [oidc.customFetch]: careful,
    execute: [oidc.allowInsecureRequests],
  });
  const server = found.serverMetadata();
  const ways = server.token_endpoint_auth_methods_supported ?? ['client_secret_basic'];
  const way =
    secret === null ? oidc.None() : ways.includes('client_secret_basic') ? oidc.ClientSecretBasic(secret) : oidc.ClientSecretPost(secret);
  const configuration = new oidc.Configuration(server, clientId, { [oidc.clockTolerance]: clockToleranceSeconds }, way);
  configuration.timeout = timeoutSeconds;
  configuration[oidc.customFetch] = careful;
  // Over plain HTTP nothing is asked but on this machine, which `careful` sees to.
  oidc.allowInsecureRequests(configuration);
  // What it signed is looked at even where nobody else could have sent it.
  oidc.enableNonRepudiationChecks(configuration);
  return configuration;
}

const kept = new Map<string, { readonly key: string; readonly until: number; readonly configuration: Promise<oidc.Configuration> }>();

/** The same for some minutes, unless the provider was changed meanwhile; what failed is not kept. */
function configurationOf({ id, issuer, clientId, secret, revision }: Spoken): Promise<oidc.Configuration> {
  const key = `${issuer} ${clientId} ${revision}`;
  const had = kept.get(id);
  if (had?.key === key && had.until > Date.now()) return had.configuration;
  const configuration = discovered(issuer, clientId, secret);
  kept.set(id, { key, until: Date.now() + keptMs, configuration });
  configuration.catch(() => kept.delete(id));
  return configuration;
}

/** What follows from the token of one browser, and from nothing that anybody else has. */
const follows = (token: string, what: 'state' | 'nonce' | 'verifier'): string =>
  createHmac('sha256', token).update(`sign in ${what}`).digest('base64url');

/** Turns what goes wrong into who has to mend it. */
async function trusting<T>({ name }: Pick<Spoken, 'name'>, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof oidc.AuthorizationResponseError) {
      if (error.error === 'access_denied') throw new Problem(401, 'provider-said-no', message('federation.cancelled', { provider: name }));
      throw new NotBelieved(`it answered ${error.error}`, { cause: error });
    }
    if (error instanceof oidc.ResponseBodyError) throw new NotBelieved(`it answered ${error.error}`, { cause: error });
    if (error instanceof NotBelieved) throw error;
    const { code, cause } = error as { code?: string; cause?: { code?: string } };
    // What the runtime says when nobody answers, and what the library says when somebody answers late.
    if (
      code === 'OAUTH_TIMEOUT' ||
      cause?.code === 'ECONNREFUSED' ||
      cause?.code === 'ENOTFOUND' ||
      (error as Error).message === 'fetch failed'
    )
      throw new Problem(503, 'provider-away', message('federation.away', { provider: name }));
    throw new NotBelieved(code ?? (error as Error).message, { cause: error });
  }
}

/** Where a browser has to go to sign in, and comes back from to `redirectUri` with what belongs to its `token` alone. */
export function wayOut(provider: Spoken, token: string, redirectUri: string): Promise<URL> {
  return trusting(provider, async () => {
    const configuration = await configurationOf(provider);
    return oidc.buildAuthorizationUrl(configuration, {
      redirect_uri: redirectUri,
      scope: 'openid profile email',
      state: follows(token, 'state'),
      nonce: follows(token, 'nonce'),
      code_challenge: await oidc.calculatePKCECodeChallenge(follows(token, 'verifier')),
      code_challenge_method: 'S256',
    });
  });
}

const textOf = (value: unknown): string | null => (typeof value === 'string' && value !== '' ? value : null);

/** Values of a claim that is a text or a list of them. */
const valuesOf = (claim: unknown): string[] => (Array.isArray(claim) ? claim : [claim]).filter((value) => typeof value === 'string');

/**
 * Who came back: what was sent along is exchanged for an identity, whose signature, issuer, audience, time and nonce are looked at
 * (OpenID Connect Core 1.0 §3.1.3.7), and whose state, verifier and issuer belong to this browser and this provider (RFC 7636, RFC 9207).
 * Throws {@link NotBelieved} where anything of it does not fit.
 */
export function wayBack(provider: Spoken, token: string, redirectUri: string, sent: string): Promise<Claimed> {
  return trusting(provider, async () => {
    const configuration = await configurationOf(provider);
    const came = new URL(redirectUri);
    came.search = sent;
    const tokens = await oidc.authorizationCodeGrant(configuration, came, {
      pkceCodeVerifier: follows(token, 'verifier'),
      expectedState: follows(token, 'state'),
      expectedNonce: follows(token, 'nonce'),
      idTokenExpected: true,
    });
    const claims = tokens.claims()!;
    const wanted = ['email', 'name', ...(provider.groupsClaim === null ? [] : [provider.groupsClaim])];
    const more =
      configuration.serverMetadata().userinfo_endpoint && wanted.some((claim) => claims[claim] === undefined)
        ? await oidc.fetchUserInfo(configuration, tokens.access_token, claims.sub)
        : {};
    const said: Record<string, unknown> = { ...more, ...claims };
    return {
      subject: claims.sub,
      email: textOf(said['email']),
      emailVerified: said['email_verified'] === true,
      name: textOf(said['name']),
      login: textOf(said['preferred_username']),
      groups: provider.groupsClaim === null ? [] : valuesOf(said[provider.groupsClaim]),
      factor: valuesOf(claims['amr']).includes('mfa'),
    };
  });
}

/** What a provider says of itself. */
export interface Described {
  readonly authorization: string | null;
  readonly token: string | null;
  readonly pkce: boolean;
  readonly namesItself: boolean;
}

export function describeProvider(issuer: string): Promise<Described> {
  return trusting({ name: issuer }, async () => {
    const server = (await discovered(issuer, 'nobody', null)).serverMetadata();
    return {
      authorization: server.authorization_endpoint ?? null,
      token: server.token_endpoint ?? null,
      pkce: server.supportsPKCE(),
      namesItself: server['authorization_response_iss_parameter_supported'] === true,
    };
  });
}
