import { rights } from '@key-cellar/core/access';
import { languages } from '@key-cellar/words';
import * as z from 'zod';
import { password } from './people.js';
import { dateText, get, id, idParam, personRef, post } from './shared.js';
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
});
export type Me = z.infer<typeof me>;

const message = z.object({
  id,
  kind: z.string(),
  subject: z.string(),
  body: z.string(),
  link: z.string().nullable(),
  sentAt: z.string(),
  readAt: z.string().nullable(),
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
  signIn: post('/session', 'Sign in', { body: z.object({ login: text(200), password: text(500) }) }, { who: 'public' }),
  signOut: post('/session/end', 'Sign out', {}),
  sessions: get('/sessions', 'The signed-in person’s sessions, the one used last first', {
    response: z.object({
      sessions: z.array(z.object({ id, since: z.string(), lastSeen: z.string(), from: z.string(), agent: z.string(), here: z.boolean() })),
      idleMinutes: z.number().int(),
    }),
  }),
  endSession: post('/sessions/{id}/end', 'End one of the signed-in person’s sessions', { params: idParam }),
  endOtherSessions: post('/sessions/end-others', 'End all sessions of the signed-in person but this one', {
    response: z.object({ ended: z.number().int() }),
  }),
  me: get('/me', 'Who is signed in', { response: me }),
  setLanguage: post('/me/language', 'Choose the language of the interface and of what is sent; null: as the browser asks', {
    body: z.object({ language: z.enum(languages).nullable() }),
  }),
  people: get('/people', 'People and groups, for choosing', {
    response: z.object({ people: z.array(personRef.extend({ kind: z.enum(['person', 'group', 'service']) })) }),
  }),
  messages: get('/messages', 'The signed-in person’s messages (mail stand-in), newest first', {
    response: z.object({ messages: z.array(message) }),
  }),
  readMessage: post('/messages/{id}/read', 'Mark a message as read', { params: idParam }),
  moveClock: post('/clock', 'Move the demo clock forward; demo repositories only', {
    body: z.object({ to: dateText }),
    /** What has come due at once; a job goes through the days between where more is to be done on them. */
    response: z.object({ today: dateText, newlyDue: z.number().int(), jobId: id.nullable() }),
  }),
};
