import { placeKinds } from '@key-cellar/core/plan';
import * as z from 'zod';
import { accessShift, ask, dateText, get, id, idParam, marking, outcomes, personRef, post, put, revision, sentence } from './shared.js';
import { line, reason, text } from './text.js';

export const clearance = z.object({ level: z.number().int().min(0).max(9), caveats: z.array(line(40)).max(20) });
const email = line(200)
  .regex(/^[^\s@]+@[^\s@]+$/, 'input.email')
  .nullable();
const login = line(60).regex(/^\S+$/, 'input.noSpaces');
/** Twelve letters at least; what else is asked of a password is the server’s to say. */
export const password = text(200).min(12, 'input.password');

/** A link that works once, until a day; whoever has it chooses the person’s password. Where it went by mail only its receiver knows it. */
const invitation = z.object({ token: z.string().nullable(), until: z.string() });
export type Invitation = z.infer<typeof invitation>;

const person = z.object({
  id,
  name: z.string(),
  login: z.string(),
  email: z.string().nullable(),
  clearance,
  active: z.boolean(),
  groups: z.array(personRef),
  /** Providers of identities with which they are linked. */
  providers: z.array(personRef),
  /** Whether they have a second factor. */
  secondFactor: z.boolean(),
  /** Whether they have a password; without one, and linked with no provider, nobody can sign in as them. */
  hasPassword: z.boolean(),
  /** Until when a link that they were given works; null for none. */
  invitedUntil: z.string().nullable(),
  lastSeen: z.string().nullable(),
  revision,
});
export type PersonLine = z.infer<typeof person>;

const group = z.object({
  id,
  name: z.string(),
  active: z.boolean(),
  /** Whether it is the group of everybody who can sign in: its members stand nowhere. */
  everyone: z.boolean(),
  members: z.array(personRef.extend({ kind: z.enum(['person', 'group', 'service']) })),
  /** Whether it asks its members for a second factor. */
  secondFactor: z.boolean(),
  revision,
});
export type GroupLine = z.infer<typeof group>;

/** A profile that ships, or one of the repository’s own. */
export const profileCode = line(40);
export const grantDays = { from: dateText.nullable().default(null), until: dateText.nullable().default(null) };
/** An access tag as what carries it names it. */
export const tagRef = z.object({ id, name: z.string(), active: z.boolean() });
export type TagRef = z.infer<typeof tagRef>;
export const grant = z.object({
  id,
  principal: personRef.extend({ kind: z.enum(['person', 'group', 'service']), active: z.boolean() }),
  /** The place that it is on, or in which the record lies that it is on; of one on a tag the repository. */
  place: z.object({ id, kind: z.enum(placeKinds), code: z.string(), title: z.string() }),
  record: z.object({ id, number: z.string(), title: z.string() }).nullable(),
  tag: tagRef.nullable(),
  profile: z.string(),
  /** What the profile is called. */
  as: sentence,
  from: dateText.nullable(),
  until: dateText.nullable(),
  reason: z.string(),
  madeBy: z.string().nullable(),
  madeOn: dateText,
  /** The stencil that placed it; null: a person did. */
  stencil: z.string().nullable(),
});
export type GrantLine = z.infer<typeof grant>;

const sessionLimits = z.object({ idleMinutes: z.number().int().min(5).max(1440), hours: z.number().int().min(1).max(168) });

const mailLine = z.object({
  id,
  to: personRef,
  address: z.string(),
  kind: z.string(),
  subject: z.string(),
  state: z.enum(['waiting', 'sending', 'sent', 'refused', 'uncertain', 'returned']),
  tries: z.number().int(),
  at: z.string(),
  /** What the other side said. */
  problem: z.string().nullable(),
  /** Whether it can be sent again. */
  again: z.boolean(),
});
export type MailLine = z.infer<typeof mailLine>;

const details = { name: line(200), login, email, clearance, groupIds: z.array(id).max(200) };

export const people = {
  list: get('/setup/people', 'People and groups, as they are arranged', {
    response: z.object({ people: z.array(person), groups: z.array(group) }),
  }),
  person: get('/setup/people/{id}', 'One person: what they were given, where they are signed in, and what stays when they leave', {
    params: idParam,
    response: person.extend({
      grants: z.array(grant),
      sessions: z.array(z.object({ id, since: z.string(), lastSeen: z.string(), from: z.string(), agent: z.string() })),
      /** Records that they own, and holds of which they are a custodian. */
      owns: z.number().int(),
      custodianOf: z.number().int(),
    }),
  }),
  make: post('/setup/people', 'Add a person; with a link to begin with, if asked for', {
    body: z.object({ ...details, invite: z.boolean().default(true), byMail: z.boolean().default(false) }),
    response: z.object({ id, invitation: invitation.nullable() }),
  }),
  change: put('/setup/people/{id}', 'Change a person; with dryRun only say whose access would change', {
    params: idParam,
    body: z.object({ ...details, revision, dryRun: z.boolean().default(false) }),
    response: z.object({ revision, access: accessShift.nullable() }),
  }),
  invite: post('/setup/people/{id}/invite', 'Give a person a link to choose a password; links of before end', {
    params: idParam,
    body: z.object({ byMail: z.boolean().default(false) }),
    response: invitation,
  }),
  letGo: post('/setup/people/{id}/let-go', 'Let a person go: they sign in no more, and what was theirs goes to somebody else', {
    params: idParam,
    body: z.object({ reason, heirId: id.nullable(), grantsToo: z.boolean().default(false) }),
    response: z.object({ sessions: z.number().int(), records: z.number().int(), grants: z.number().int() }),
  }),
  bringBack: post('/setup/people/{id}/bring-back', 'Bring back a person who was let go; their grants have ended', { params: idParam }),
  endSessions: post('/setup/people/{id}/end-sessions', 'End all sessions of a person', {
    params: idParam,
    response: z.object({ ended: z.number().int() }),
  }),
  makeGroup: post('/setup/groups', 'Make a group', {
    body: z.object({ name: line(80), memberIds: z.array(id).max(5000), secondFactor: z.boolean().optional() }),
    response: z.object({ id }),
  }),
  changeGroup: put(
    '/setup/groups/{id}',
    'Change a group and who is in it; groups may be in groups. With dryRun only say whose access would change',
    {
      params: idParam,
      body: z.object({
        name: line(80),
        active: z.boolean(),
        memberIds: z.array(id).max(5000),
        secondFactor: z.boolean().optional(),
        revision,
        dryRun: z.boolean().default(false),
      }),
      response: z.object({ revision, access: accessShift.nullable() }),
    },
  ),
  invitation: ask(
    '/invitation',
    'For whom a link to choose a password is, while it works',
    {
      body: z.object({ token: line(200) }),
      response: z.object({ repository: z.string(), name: z.string(), login: z.string() }),
    },
    { who: 'public' },
  ),
  accept: post(
    '/invitation/accept',
    'Choose a password by a link, and sign in',
    { body: z.object({ token: line(200), password }) },
    { who: 'public' },
  ),
  changePassword: post('/me/password', 'Change one’s own password; all other sessions end', {
    body: z.object({ old: text(500), password }),
    response: z.object({ ended: z.number().int() }),
  }),
  sessionLimits: get('/setup/session-limits', 'After how long sessions end: without use, and at the latest', { response: sessionLimits }),
  limitSessions: put('/setup/session-limits', 'Say after how long sessions end, open ones as well', { body: sessionLimits }),
  resetSecond: post('/setup/people/{id}/second-factor/reset', 'Reset the second factor of somebody who lost it; their sessions end', {
    params: idParam,
    body: z.object({ reason }),
  }),
  mail: get('/setup/mail', 'Mail: whether it leaves, and what became of it; what did not arrive first', {
    response: z.object({ on: z.boolean(), from: z.string().nullable(), server: z.string().nullable(), mails: z.array(mailLine) }),
  }),
  mailAgain: post('/setup/mail/{id}/again', 'Send a mail again that was refused, or of which nobody knows whether it arrived', {
    params: idParam,
  }),
  mailTest: post('/setup/mail/test', 'Send oneself a mail, to see that mail leaves', {}),
  grantsOn: get('/places/{id}/grants', 'Who was given what on a place, and on the places around it', {
    params: idParam,
    response: z.object({
      grants: z.array(grant),
      /** Access tags that the place carries itself. */
      tags: z.array(tagRef),
      marking,
      /** Whether pages name their reader by what is set here, and the code of the nearest place that says so. */
      readerOnPages: z.object({ here: z.boolean(), by: z.string().nullable() }),
      mayGrant: z.boolean(),
    }),
  }),
  giveGrant: post('/places/{id}/grants', 'Give somebody a profile on a place; tried first with dryRun', {
    params: idParam,
    body: z.object({ principalId: id, profile: profileCode, ...grantDays, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ id, access: accessShift.nullable() }),
  }),
  changeGrant: put('/grants/{id}', 'Change what somebody was given; tried first with dryRun', {
    params: idParam,
    body: z.object({ profile: profileCode, ...grantDays, reason, dryRun: z.boolean().default(true) }),
    response: z.object({ access: accessShift.nullable() }),
  }),
  limitGrants: post('/grants/limit', 'Take back many grants at once, or give all of them a last day; tried first with dryRun', {
    body: z.object({ ids: z.array(id).min(1).max(1000), until: dateText.nullable(), reason, dryRun: z.boolean().default(true) }),
    response: outcomes.extend({ access: accessShift.nullable() }),
  }),
  setStandAlone: put(
    '/places/{id}/stand-alone',
    'Let a place stand alone, so that what is given farther out does not reach in, or open it again; tried first with dryRun',
    {
      params: idParam,
      body: z.object({ revision, standAlone: z.boolean(), reason, dryRun: z.boolean().default(true) }),
      response: z.object({ revision, access: accessShift.nullable() }),
    },
  ),
  nameReader: put(
    '/places/{id}/reader-on-pages',
    'Let pages that are shown from a place, and from all that is in it, bear the name of whoever reads them, and the time; or no longer',
    {
      params: idParam,
      body: z.object({ revision, readerOnPages: z.boolean(), reason }),
      response: z.object({ revision }),
    },
  ),
  endGrant: post('/grants/{id}/end', 'Take back what somebody was given; tried first with dryRun', {
    params: idParam,
    body: z.object({ reason, dryRun: z.boolean().default(true) }),
    response: z.object({ access: accessShift.nullable() }),
  }),
};
