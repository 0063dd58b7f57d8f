import * as z from 'zod';
import { ask, get, id, idParam, personRef, post, put, revision, sentence } from './shared.js';
import { line, text } from './text.js';

const publicly = { who: 'public' } as const;

/** The value of a groups claim, and the group here that it puts people into. */
const providerGroup = z.object({ value: line(200), groupId: id });

const details = {
  /** As the sign-in page names it. */
  name: line(80),
  issuer: line(400).regex(/^https?:\/\/[^\s/]+/, 'input.address'),
  clientId: line(200),
  /** Null: the one that is kept stays; empty: none. */
  clientSecret: text(500).nullable(),
  /** The claim that names groups; null: none are taken. */
  groupsClaim: line(100).nullable(),
  groups: z.array(providerGroup).max(500),
  /** Whether people who are not known yet are added when they sign in. */
  newcomers: z.boolean(),
  /** Whether somebody who is not linked yet is recognised by a verified address. */
  byEmail: z.boolean(),
  /** Whether a second factor that was asked for there counts here. */
  bringsFactor: z.boolean(),
  active: z.boolean(),
};

const provider = z.object({
  ...{ id, name: z.string(), issuer: z.string(), clientId: z.string(), hasSecret: z.boolean(), groupsClaim: z.string().nullable() },
  groups: z.array(z.object({ value: z.string(), group: personRef })),
  ...{ newcomers: z.boolean(), byEmail: z.boolean(), bringsFactor: z.boolean(), active: z.boolean() },
  /** How many people are linked with it. */
  people: z.number().int(),
  /** Where it is to send people back: what has to be registered there. */
  redirectUri: z.string(),
  revision,
});
export type ProviderLine = z.infer<typeof provider>;

const link = z.object({ provider: personRef, since: z.string(), last: z.string().nullable() });
export type LinkLine = z.infer<typeof link>;

/** Signing in by somebody else’s word: OpenID Connect Core 1.0, authorization code flow with PKCE (RFC 7636). */
export const federation = {
  ways: get('/sign-in/with', 'Providers that one can sign in by', { response: z.object({ providers: z.array(personRef) }) }, publicly),
  begin: post(
    '/sign-in/with/{id}',
    'Begin to sign in by a provider, or to link oneself with it: where to go, once',
    { params: idParam, body: z.object({ link: z.boolean().default(false) }), response: z.object({ url: z.string() }) },
    publicly,
  ),
  finish: post(
    '/sign-in/from/{id}',
    'Come back from a provider, with what it sent along: signed in, linked, or still to give a code',
    { params: idParam, body: z.object({ sent: text(6000) }), response: z.object({ came: z.enum(['in', 'code', 'linked']) }) },
    publicly,
  ),
  giveCode: post(
    '/sign-in/code',
    'Give the code of a second factor, after a provider said who one is',
    {
      body: z.object({ code: text(40) }),
    },
    publicly,
  ),
  links: get(
    '/me/providers',
    'Providers that one can sign in by, and with which one is linked',
    {
      response: z.object({ providers: z.array(personRef), links: z.array(link), hasPassword: z.boolean() }),
    },
    { early: true },
  ),
  unlink: post('/me/providers/{id}/unlink', 'Sign in by a provider no more', { params: idParam }),
  unlinkPerson: post('/setup/people/{id}/providers/{providerId}/unlink', 'Let somebody sign in by a provider no more; their sessions end', {
    params: z.object({ id, providerId: id }),
  }),
  providers: get('/setup/providers', 'Providers of identities', { response: z.object({ providers: z.array(provider) }) }),
  addProvider: post('/setup/providers', 'Add a provider of identities', {
    body: z.object(details),
    response: z.object({ id, redirectUri: z.string() }),
  }),
  changeProvider: put('/setup/providers/{id}', 'Change a provider of identities', {
    params: idParam,
    body: z.object({ ...details, revision }),
    response: z.object({ revision }),
  }),
  tryProvider: ask('/setup/providers/try', 'What a provider says of itself (OpenID Connect Discovery 1.0), and what is wrong with it', {
    body: z.object({ issuer: line(400) }),
    response: z.object({
      reached: z.boolean(),
      facts: z.array(z.object({ what: sentence, said: z.string() })),
      problems: z.array(sentence),
    }),
  }),
};
