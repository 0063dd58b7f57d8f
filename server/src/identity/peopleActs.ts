import { people, type AccessShift, type Invitation, type Told } from '@key-cellar/contract';
import { message } from '@key-cellar/words';
import { uuidv7 } from 'uuidv7';
import {
  actsFor,
  changedMeanwhile,
  noRight,
  notFound,
  notSignedIn,
  ofRepository,
  one,
  Problem,
  SessionChange,
  withUnitOfWork,
  wrongField,
  type Services,
  type SignedIn,
  type UnitOfWork,
} from '../kernel/index.js';
import { mailTo } from '../mail/index.js';
import { hashPassword, isRight, newToken, requireGoodPassword, tokenHash } from './passwords.js';
import { factorOf } from './secondFactorStore.js';
import { readSettings, sessionLimits, writeSetting } from './settingStore.js';
import { lookingAfterPeople, personKind, settingUp } from './person.js';
import { beginSession } from './signIn.js';
import * as store from './store.js';
import * as arranged from './peopleStore.js';
import { withinOwn } from './withinOwn.js';

const { act, freeAct } = actsFor<Services>();

const groupKind = ofRepository<arranged.GroupRow>({
  word: 'group',
  what: message('thing.group'),
  subject: (group) => ({ kind: 'group', id: group.id, name: group.name }),
  find: (db, id, lock) => (lock ? arranged.lockGroup(db, id) : arranged.groupById(db, id)),
});

/** Whoever sits before somebody’s open session tries their password so often in a quarter of an hour. */
const mostTries = 5;
const ownSession = 'an open session';

/** How long a link works. */
const invitedDays = 7;

/** A link that works once; only what it hashes to is kept. Sent by mail, only its receiver gets to know it. */
async function invite(uow: UnitOfWork, principalId: string, byMail: boolean): Promise<Invitation> {
  const token = newToken();
  const until = await arranged.writeInvitation(uow, {
    tokenHash: tokenHash(token),
    principalId,
    madeBy: uow.actor.id,
    hours: invitedDays * 24,
  });
  if (!byMail) return { token, until: until.toISOString() };
  const { repository } = await readSettings(uow);
  const mailed = await mailTo(uow, principalId, {
    kind: 'invitation',
    subject: message('mail.invited', { repository }),
    body: message('mail.invitedBody', { by: uow.actor.name, repository, days: invitedDays }),
    link: `/welcome#${token}`,
  });
  if (!mailed) throw wrongField('/byMail', message('identity.noMailTo'));
  return { token: null, until: until.toISOString() };
}

async function requireFreeLogin(uow: UnitOfWork, login: string, but: string | null): Promise<void> {
  if (await arranged.loginTaken(uow, login, but)) throw wrongField('/login', message('identity.loginTaken', { login }));
}

async function requireGroups(uow: UnitOfWork, ids: readonly string[]): Promise<void> {
  const known = await arranged.principalsOfKind(uow, ids, ['group']);
  if (ids.some((id) => !known.has(id))) throw wrongField('/groupIds', message('identity.noGroup'));
}

/** Refuses a group that would come to be in itself, and a change after which nobody could set up. */
async function requireSound(uow: UnitOfWork, services: Services): Promise<void> {
  const [circle] = await arranged.groupsInThemselves(uow);
  if (circle) throw wrongField('/memberIds', message('exchange.groupInItself', { name: circle.name }));
  if (!(await services.events.ask(uow, 'somebodySetsUp', {})))
    throw new Problem(409, 'last-administrator', message('identity.lastAdministrator'));
}

/** Does something, and tells whose access changes by it when it is only tried. */
async function shiftOf(
  uow: UnitOfWork,
  { services, person, trial }: { readonly services: Services; readonly person: SignedIn; readonly trial: boolean },
  work: () => Promise<void>,
): Promise<Told<AccessShift> | null> {
  if (trial) return services.events.ask(uow, 'accessShift', { person, work });
  await work();
  return null;
}

/** What a person is like, for the ledger. */
const shown = (p: Pick<arranged.PersonRow, 'name' | 'login' | 'email' | 'clearance_level' | 'clearance_caveats'>) => ({
  name: p.name,
  login: p.login,
  email: p.email,
  clearance: { level: p.clearance_level, caveats: p.clearance_caveats },
});

export const peopleActs = {
  make: act(people.make, {
    name: 'added a person',
    also: ['invited a person'],
    on: lookingAfterPeople,
    repeat: 'refused',
    async write(uow, { services, person, access, body }) {
      const { name, login, email, clearance } = body;
      const desk = { uow, services, person, access };
      await arranged.lockMemberships(uow);
      await requireFreeLogin(uow, login, null);
      await requireGroups(uow, body.groupIds);
      await withinOwn.ofGiven(desk, body.groupIds);
      await withinOwn.clearance(desk, null, clearance);
      const id = uuidv7();
      await store.addPrincipal(uow, {
        id,
        kind: 'person',
        name,
        login,
        ...(email === null ? {} : { email }),
        clearanceLevel: clearance.level,
        caveats: [...clearance.caveats].sort(),
      });
      await arranged.writeGroupsOf(uow, id, body.groupIds);
      const subject = { kind: 'person', id, name };
      const invitation = body.invite ? await invite(uow, id, body.byMail) : null;
      if (invitation) uow.enter({ act: 'invited a person', subject, after: { until: invitation.until } });
      return { answer: { id, invitation }, entry: { subject, after: { name, login, email, clearance, groups: body.groupIds } } };
    },
  }),

  change: act(people.change, {
    name: 'changed a person',
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    first: arranged.lockMemberships,
    async write(uow, { services, person, access: asker, trial, on: { person: before }, body }) {
      if (before.revision !== body.revision) throw changedMeanwhile();
      const { name, login, email, clearance } = body;
      const desk = { uow, services, person, access: asker };
      const were = (await arranged.members(uow)).filter((m) => m.id === before.id).map((m) => m.group_id);
      await withinOwn.ofPerson(desk, before);
      if (email !== before.email) await withinOwn.ofGiven(desk, [before.id]);
      await withinOwn.ofGiven(
        desk,
        body.groupIds.filter((id) => !were.includes(id)),
      );
      await withinOwn.clearance(desk, { level: before.clearance_level, caveats: before.clearance_caveats }, clearance);
      await requireFreeLogin(uow, login, before.id);
      await requireGroups(uow, body.groupIds);
      const access = await shiftOf(uow, { services, person, trial }, async () => {
        await arranged.writePerson(uow, { id: before.id, name, login, email, ...clearance });
        await arranged.writeGroupsOf(uow, before.id, body.groupIds);
        await requireSound(uow, services);
      });
      return {
        answer: { revision: before.revision + 1, access },
        entry: { before: shown(before), after: { name, login, email, clearance, groups: body.groupIds } },
      };
    },
  }),

  invite: act(people.invite, {
    name: 'invited a person',
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    repeat: 'another',
    async write(uow, { services, person: asker, access, on: { person }, body }) {
      const desk = { uow, services, person: asker, access };
      await withinOwn.ofPerson(desk, person);
      if (!body.byMail) await withinOwn.ofGiven(desk, [person.id]);
      if (!person.active) throw new Problem(409, 'let-go', message('identity.wasLetGo', { name: person.name }));
      const invitation = await invite(uow, person.id, body.byMail);
      return { answer: invitation, entry: { after: { until: invitation.until } } };
    },
  }),

  letGo: act(people.letGo, {
    name: 'let a person go',
    also: ['granted', 'took a grant back', 'became the owner'],
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    first: arranged.lockMemberships,
    async write(uow, { services, person: asker, access, on: { person }, body }) {
      const desk = { uow, services, person: asker, access };
      await withinOwn.ofPerson(desk, person);
      if (body.grantsToo) await withinOwn.ofGiven(desk, [person.id]);
      if (person.id === asker.id) throw new Problem(409, 'oneself', message('identity.notOneself'));
      if (!person.active) throw new Problem(409, 'let-go', message('identity.wasLetGo', { name: person.name }));
      const heir = body.heirId === null ? null : await arranged.personById(uow, body.heirId);
      if (body.heirId !== null && (!heir?.active || heir.id === person.id)) throw wrongField('/heirId', message('identity.noHeir'));
      const handed = await services.events.ask(uow, 'handOver', {
        from: { id: person.id, name: person.name },
        to: heir ? { id: heir.id, name: heir.name } : null,
        grantsToo: body.grantsToo,
      });
      const groups = (await arranged.members(uow)).filter((m) => m.id === person.id).map((m) => m.group_name);
      await arranged.writeGroupsOf(uow, person.id, []);
      await arranged.setActive(uow, person.id, false);
      await arranged.setPassword(uow, person.id, null);
      await arranged.dropInvitations(uow, person.id);
      const sessions = await arranged.endSessionsOf(uow, person.id);
      await requireSound(uow, services);
      return {
        answer: { sessions, ...handed },
        entry: { before: { active: true, groups }, after: { active: false, to: heir?.name ?? null, ...handed }, note: body.reason },
      };
    },
  }),

  bringBack: act(people.bringBack, {
    name: 'brought a person back',
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    repeat: 'same',
    async write(uow, { services, person: asker, access, on: { person } }) {
      await withinOwn.ofPerson({ uow, services, person: asker, access }, person);
      if (person.active) return { answer: {}, entry: null };
      await arranged.setActive(uow, person.id, true);
      return { answer: {}, entry: { before: { active: false }, after: { active: true } } };
    },
  }),

  endSessions: act(people.endSessions, {
    name: 'ended the sessions of a person',
    on: { ...lookingAfterPeople, person: one(personKind, ({ params }) => params.id, noRight) },
    gate: 'none',
    repeat: 'same',
    async write(uow, { services, person: asker, access, on: { person } }) {
      await withinOwn.ofPerson({ uow, services, person: asker, access }, person);
      const ended = await arranged.endSessionsOf(uow, person.id);
      return { answer: { ended }, entry: ended === 0 ? null : { before: { sessions: ended } } };
    },
  }),

  limitSessions: act(people.limitSessions, {
    name: 'said when sessions end',
    on: settingUp,
    repeat: 'same',
    async write(uow, { services: { config }, body }) {
      const before = await sessionLimits(uow, config.idleMinutes);
      if (before.idleMinutes === body.idleMinutes && before.hours === body.hours) return { answer: {}, entry: null };
      await writeSetting(uow, 'sessionLimits', body);
      return { answer: {}, entry: { before, after: body } };
    },
  }),

  makeGroup: act(people.makeGroup, {
    name: 'added a group',
    on: lookingAfterPeople,
    repeat: 'refused',
    first: arranged.lockMemberships,
    async write(uow, { services, body }) {
      const { name, memberIds, secondFactor = false } = body;
      const id = uuidv7();
      await requireGroup(uow, { id, name, memberIds });
      await store.addPrincipal(uow, { id, kind: 'group', name });
      if (secondFactor) await arranged.writeGroup(uow, { id, name, active: true, secondFactor });
      await arranged.writeMembers(uow, id, memberIds);
      await requireSound(uow, services);
      return { answer: { id }, entry: { subject: { kind: 'group', id, name }, after: { name, members: memberIds, secondFactor } } };
    },
  }),

  changeGroup: act(people.changeGroup, {
    name: 'changed a group',
    on: { ...lookingAfterPeople, group: one(groupKind, ({ params }) => params.id, noRight) },
    repeat: 'refused',
    tries: ({ body }) => body.dryRun,
    first: arranged.lockMemberships,
    async write(uow, { services, person, access: asker, trial, on: { group: before }, body }) {
      if (before.revision !== body.revision) throw changedMeanwhile();
      const { name, active, memberIds, secondFactor = before.second_factor } = body;
      const desk = { uow, services, person, access: asker };
      if (before.everyone || (before.second_factor && !secondFactor)) await withinOwn.setsUp(desk);
      if (before.everyone && (!active || memberIds.length > 0)) throw new Problem(409, 'everyone', message('identity.everyoneStays'));
      await requireGroup(uow, { id: before.id, name, memberIds });
      const was = (await arranged.members(uow)).filter((m) => m.group_id === before.id).map((m) => m.id);
      if (active !== before.active || [...was].sort().join() !== [...new Set(memberIds)].sort().join())
        await withinOwn.ofGiven(desk, [before.id]);
      const access = await shiftOf(uow, { services, person, trial }, async () => {
        await arranged.writeGroup(uow, { id: before.id, name, active, secondFactor });
        await arranged.writeMembers(uow, before.id, memberIds);
        await requireSound(uow, services);
      });
      return {
        answer: { revision: before.revision + 1, access },
        entry: {
          subject: { kind: 'group', id: before.id, name },
          before: { name: before.name, active: before.active, members: was, secondFactor: before.second_factor },
          after: { name, active, members: memberIds, secondFactor },
        },
      };
    },
  }),

  /** Whoever has the link chooses the password: it worked once then. 404 for a link that works no more. */
  accept: freeAct(people.accept, {
    name: 'chose a password',
    also: ['signed in'],
    because: 'the link says who somebody is',
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool }, body, address, agent }) {
      const hashed = tokenHash(body.token);
      const found = await arranged.invitation(pool, hashed);
      if (!found) throw notFound(message('thing.link'));
      const { today, repository } = await readSettings(pool);
      requireGoodPassword(body.password, { login: found.login, name: found.name, repository });
      const passwordHash = await hashPassword(body.password);
      const who = { id: found.principal_id, name: found.name };
      return withUnitOfWork(
        pool,
        { ...who, from: address, today },
        async (uow) => {
          if (!(await arranged.takeInvitation(uow, hashed))) throw notFound(message('thing.link'));
          await arranged.setPassword(uow, who.id, passwordHash);
          // Whoever was signed in with the password of before is not any more.
          await arranged.endSessionsOf(uow, who.id);
          uow.enter({ act: 'chose a password', subject: { kind: 'person', ...who } });
          // A link does not stand for a second factor: whoever has one signs in with it.
          if ((await factorOf(uow, who.id))?.confirmed) return new SessionChange(null);
          await store.noteSignedIn(uow, who.id, found.login, address);
          return beginSession(uow, who, { address, agent });
        },
        'none',
      );
    },
  }),

  changePassword: freeAct(people.changePassword, {
    name: 'changed their password',
    also: ['sign-in failed'],
    because: 'everybody may change their own',
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool }, person, body }) {
      if (!person) throw notSignedIn();
      const subject = { kind: 'person', id: person.id, name: person.name };
      await withUnitOfWork(
        pool,
        person,
        async (uow) => {
          await store.lockTries(uow, person.login, ownSession);
          const tries = await store.recentTries(uow, person.login, ownSession);
          if (tries.here >= mostTries) throw new Problem(429, 'too-many-tries', message('identity.tooManyTries'));
          await store.noteTry(uow, person.login, ownSession);
        },
        'none',
      );
      if (!(await isRight(await arranged.passwordOf(pool, person.id), body.old))) {
        await withUnitOfWork(pool, person, (uow) => uow.enter({ act: 'sign-in failed', subject }), 'none');
        throw wrongField('/old', message('identity.wrongOld'));
      }
      requireGoodPassword(body.password, { login: person.login, name: person.name, repository: person.repository });
      const passwordHash = await hashPassword(body.password);
      return withUnitOfWork(
        pool,
        person,
        async (uow) => {
          await arranged.setPassword(uow, person.id, passwordHash);
          await arranged.dropInvitations(uow, person.id);
          await store.forgetTries(uow, person.login, ownSession);
          const ended = await store.endOtherSessions(uow, person.id, person.sessionHash);
          uow.enter({ act: 'changed their password', subject, after: { sessionsEnded: ended } });
          return { ended };
        },
        'none',
      );
    },
  }),
};

async function requireGroup(
  uow: UnitOfWork,
  { id, name, memberIds }: { readonly id: string; readonly name: string; readonly memberIds: readonly string[] },
): Promise<void> {
  if (await arranged.groupNameTaken(uow, name, id)) throw wrongField('/name', message('identity.groupNameTaken', { name }));
  const known = await arranged.principalsOfKind(uow, memberIds, ['person', 'group']);
  if (memberIds.some((one) => !known.has(one))) throw wrongField('/memberIds', message('identity.noMember'));
}
