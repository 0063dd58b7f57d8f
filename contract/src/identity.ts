import { rights } from '@key-cellar/core/access';
import { languages } from '@key-cellar/words';
import * as z from 'zod';
import { password } from './people.js';
import { dateText, get, id, idParam, personRef, post, put } from './shared.js';
import { text, line } from './text.js';

const me = z.object({
  id,
  name: z.string(),
  login: z.string(),
  /** Rights that the person has somewhere: what the interface offers at all. */
  rights: z.array(z.enum(rights)),
  repository: z.string(),
  timeZone: z.string(),
  today: dateText,
  demo: z.boolean(),
  unread: z.number().int(),
  ledgerSize: z.number().int(),
  /** The language that the person chose; null: as the browser asks. */
  language: z.enum(languages).nullable(),
  /** Whether a group asks for a second factor that the person has to set up before anything else. */
  secondFactorNeeded: z.boolean(),
});
export type Me = z.infer<typeof me>;

/** Also for whoever still has to set up a second factor. */
const early = { early: true } as const;

/** A code of an app, or a recovery code. */
const code = text(40);

/** Kinds of messages that people can choose about. */
export const mailKinds = ['question', 'review', 'notice', 'objection', 'objection answered', 'hold notice', 'ledger', 'access'] as const;
export type MailKind = (typeof mailKinds)[number];
const mailKind = z.enum(mailKinds);
const mailHow = z.enum(['now', 'daily', 'never']);
export type MailHow = z.infer<typeof mailHow>;

const message = z.object({
  id,
  kind: z.string(),
  subject: z.string(),
  body: z.string(),
  link: z.string().nullable(),
  sentAt: z.string(),
  readAt: z.string().nullable(),
  /** What became of it by mail; null: nothing of it went, or is to go. */
  mail: z
    .object({
      address: z.string(),
      state: z.enum(['waiting', 'sending', 'sent', 'refused', 'uncertain', 'returned']),
      at: z.string().nullable(),
    })
    .nullable(),
  /** The questions of the letter that are still open, to be answered from the message itself. */
  ask: z.object({ kind: z.enum(['askOwner', 'review']), ids: z.array(id) }).nullable(),
});
export type Message = z.infer<typeof message>;

export const identity = {
  entrance: get(
    '/entrance',
    'What the sign-in page has to know',
    {
      response: z.object({
        repository: z.string(),
        needsFirstKeeper: z.boolean(),
        /** Whether mail leaves, so that another password can be asked for. */
        mail: z.boolean(),
        demoAccounts: z.array(z.object({ name: z.string(), login: z.string(), what: z.string() })),
      }),
    },
    { who: 'public' },
  ),
  makeFirstKeeper: post(
    '/first-keeper',
    'Make the repository and its first keeper; works once, while nobody exists',
    { body: z.object({ repository: line(), name: line(), login: line(60), password }) },
    { who: 'public' },
  ),
  signIn: post(
    '/session',
    'Sign in; with a code where the person has a second factor',
    { body: z.object({ login: text(200), password: text(500), code: code.nullable().default(null) }) },
    { who: 'public' },
  ),
  signOut: post('/session/end', 'Sign out', {}, early),
  sessions: get('/sessions', 'The signed-in person’s sessions, the one used last first', {
    response: z.object({
      sessions: z.array(z.object({ id, since: z.string(), lastSeen: z.string(), from: z.string(), agent: z.string(), here: z.boolean() })),
      idleMinutes: z.number().int(),
      hours: z.number().int(),
    }),
  }),
  endSession: post('/sessions/{id}/end', 'End one of the signed-in person’s sessions', { params: idParam }),
  endOtherSessions: post('/sessions/end-others', 'End all sessions of the signed-in person but this one', {
    response: z.object({ ended: z.number().int() }),
  }),
  me: get('/me', 'Who is signed in', { response: me }, early),
  setLanguage: post(
    '/me/language',
    'Choose the language of the interface and of what is sent; null: as the browser asks',
    {
      body: z.object({ language: z.enum(languages).nullable() }),
    },
    early,
  ),
  people: get('/people', 'People and groups, for choosing', {
    response: z.object({ people: z.array(personRef.extend({ kind: z.enum(['person', 'group', 'service']) })) }),
  }),
  messages: get('/messages', 'The signed-in person’s messages (mail stand-in), newest first', {
    response: z.object({ messages: z.array(message) }),
  }),
  readMessage: post('/messages/{id}/read', 'Mark a message as read', { params: idParam }),
  secondFactor: get(
    '/me/second-factor',
    'Whether one has a second factor, and whether a group asks for it',
    {
      response: z.object({ on: z.boolean(), asked: z.boolean(), codesLeft: z.number().int() }),
    },
    early,
  ),
  beginSecond: post(
    '/me/second-factor/begin',
    'Begin a second factor (RFC 6238); it counts once a code of it was given',
    {
      body: z.object({ password: text(500) }),
      response: z.object({ secret: z.string(), uri: z.string() }),
    },
    early,
  ),
  confirmSecond: post(
    '/me/second-factor/confirm',
    'Give a first code: from now on it is asked for. Gives recovery codes, once; other sessions end',
    {
      body: z.object({ code }),
      response: z.object({ codes: z.array(z.string()) }),
    },
    early,
  ),
  newCodes: post('/me/second-factor/codes', 'Make new recovery codes; those of before end', {
    body: z.object({ password: text(500), code }),
    response: z.object({ codes: z.array(z.string()) }),
  }),
  endSecond: post('/me/second-factor/end', 'End one’s second factor, unless a group asks for it', {
    body: z.object({ password: text(500), code }),
  }),
  mailChoices: get('/me/mail', 'What comes to the signed-in person by mail, and how', {
    response: z.object({ on: z.boolean(), address: z.string().nullable(), kinds: z.array(z.object({ kind: mailKind, how: mailHow })) }),
  }),
  chooseMail: put('/me/mail', 'Choose whether messages of a kind come by mail at once, with the others of the day, or not', {
    body: z.object({ kind: mailKind, how: mailHow }),
  }),
  forgot: post(
    '/forgot',
    'Ask for a link to choose another password; it comes by mail, and the answer is the same for everybody',
    { body: z.object({ login: text(60) }) },
    { who: 'public' },
  ),
  moveClock: post('/clock', 'Move the demo clock forward; demo repositories only', {
    body: z.object({ to: dateText }),
    /** What has come due at once; a job goes through the days between where more is to be done on them. */
    response: z.object({ today: dateText, newlyDue: z.number().int(), jobId: id.nullable() }),
  }),
};
