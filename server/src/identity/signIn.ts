import type { Pool } from 'pg';
import { message } from '@key-cellar/words';
import { identity } from '@key-cellar/contract';
import {
  actsFor,
  noRight,
  one,
  Problem,
  programActor,
  SessionChange,
  withUnitOfWork,
  type Kind,
  type UnitOfWork,
  type Services,
  notSignedIn,
} from '../kernel/index.js';
import { isRight, newToken, tokenHash } from './passwords.js';
import { takeAnyCode } from './secondFactor.js';
import { factorOf } from './secondFactorStore.js';
import { readSettings, sessionLimits } from './settingStore.js';
import * as store from './store.js';

const { act, freeAct } = actsFor<Services>();
/**
 * Wrong tries in a quarter of an hour. A stranger who tries a login uses up what strangers may: where its person has signed
 * in before, only what is tried there counts.
 */
const mostTries = { here: 5, login: 25, address: 60 };
/** What a browser says of itself is kept so far. */
const longestAgent = 300;

/**
 * Counts a try of something secret before it is looked at, so that tries at once are not more than tries in a row. Throws 429 after too many,
 * from the address or of what is tried.
 */
export async function countTry(
  pool: Pool,
  of: string,
  { address, today }: { readonly address: string; readonly today: string },
): Promise<void> {
  await withUnitOfWork(
    pool,
    { ...programActor(address, today), name: 'somebody' },
    async (uow) => {
      await store.lockTries(uow, of, address);
      const tries = await store.recentTries(uow, of, address);
      if (tries.here >= mostTries.here || tries.address >= mostTries.address || (!tries.known && tries.login >= mostTries.login)) {
        throw new Problem(429, 'too-many-tries', message('identity.tooManyTries'));
      }
      await store.noteTry(uow, of, address);
    },
    'none',
  );
}

/** Begins a session of a person who proved to be who they say, and enters it. */
export async function beginSession(
  uow: UnitOfWork,
  person: { readonly id: string; readonly name: string },
  from: { readonly address: string; readonly agent: string },
  {
    by = null,
    factorProved = false,
    answer = {},
  }: { readonly by?: string | null; readonly factorProved?: boolean; readonly answer?: object } = {},
): Promise<SessionChange> {
  const token = newToken();
  const { hours } = await sessionLimits(uow, 0);
  const session = { tokenHash: tokenHash(token), principalId: person.id, hours, address: from.address, factorProved };
  await store.addSession(uow, { ...session, agent: from.agent.slice(0, longestAgent) });
  uow.enter({ act: 'signed in', subject: { kind: 'person', id: person.id, name: person.name }, ...(by === null ? {} : { after: { by } }) });
  return new SessionChange({ token, maxAgeSeconds: hours * 3600 }, 'person', answer);
}

const messageKind: Kind<store.LockedMessage> = {
  word: 'own message',
  what: message('thing.message'),
  see: [],
  find: (db, ids, _lock, asker) => store.lockMessages(db, asker.id, ids),
  id: (message) => message.id,
  subject: (message) => ({ kind: 'message', id: message.id, name: 'message' }),
  sets: () => [],
  mine: () => true,
};

const sessionKind: Kind<store.OwnSession> = {
  word: 'own session',
  what: message('thing.session'),
  see: [],
  find: (db, ids, _lock, asker) => store.lockSessions(db, asker.id, ids),
  id: (session) => session.id,
  subject: (session) => ({ kind: 'session', id: session.id, name: 'session' }),
  sets: () => [],
  mine: () => true,
};

export const identityActs = {
  /** Gives a fresh session token. 401 for wrong input, 429 after too many tries. */
  signIn: freeAct(identity.signIn, {
    name: 'signed in',
    also: ['sign-in failed', 'used a recovery code'],
    because: 'it finds out who somebody is',
    gate: 'none',
    repeat: 'another',
    async free({ services: { pool, config }, body, address, agent }) {
      const { today } = await readSettings(pool);
      await countTry(pool, body.login, { address, today });
      const principal = await store.principalByLogin(pool, body.login);
      const right = await isRight(principal?.password_hash, body.password);
      const failed = async (problem: Problem): Promise<never> => {
        const subject = { kind: 'person', id: principal?.id ?? null, name: principal?.login ?? 'unknown login' };
        const somebody = { ...programActor(address, today), name: 'somebody' };
        await withUnitOfWork(pool, somebody, (uow) => uow.enter({ act: 'sign-in failed', subject }), 'none');
        throw problem;
      };
      if (!principal || !principal.active || !right) return failed(new Problem(401, 'wrong-sign-in', message('identity.wrongSignIn')));
      const who = { id: principal.id, name: principal.name, from: address, today };
      if ((await factorOf(pool, principal.id))?.confirmed) {
        if (body.code === null) throw new Problem(401, 'code-needed', message('identity.codeNeeded'));
        const { code } = body;
        const by = await withUnitOfWork(
          pool,
          who,
          async (uow) => {
            const taken = await takeAnyCode(uow, config.keysDir, who.id, code);
            if (taken === 'recovery') uow.enter({ act: 'used a recovery code', subject: { kind: 'person', id: who.id, name: who.name } });
            return taken;
          },
          'none',
        );
        if (!by) return failed(new Problem(401, 'wrong-code', message('identity.wrongCode')));
      }
      return withUnitOfWork(
        pool,
        who,
        async (uow) => {
          await store.noteSignedIn(uow, who.id, body.login, address);
          return beginSession(uow, who, { address, agent });
        },
        'none',
      );
    },
  }),

  signOut: freeAct(identity.signOut, {
    name: 'signed out',
    because: 'everybody may leave',
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool }, person }) {
      if (!person) throw notSignedIn();
      await withUnitOfWork(
        pool,
        person,
        async (uow) => {
          await store.endSession(uow, person.sessionHash);
          uow.enter({ act: 'signed out', subject: { kind: 'person', id: person.id, name: person.name } });
        },
        'none',
      );
      return new SessionChange(null);
    },
  }),

  endSession: act(identity.endSession, {
    name: 'ended a session',
    on: { session: one(sessionKind, ({ params }) => params.id, noRight) },
    gate: 'none',
    repeat: 'refused',
    async write(uow, { on: { session } }) {
      await store.endSession(uow, session.token_hash);
      return { answer: {}, entry: { before: { from: session.address } } };
    },
  }),

  endOtherSessions: freeAct(identity.endOtherSessions, {
    name: 'ended all other sessions',
    because: 'everybody may end what is theirs',
    gate: 'none',
    repeat: 'same',
    async free({ services: { pool }, person }) {
      if (!person) throw notSignedIn();
      return withUnitOfWork(
        pool,
        person,
        async (uow) => {
          const ended = await store.endOtherSessions(uow, person.id, person.sessionHash);
          if (ended > 0) {
            uow.enter({
              act: 'ended all other sessions',
              subject: { kind: 'person', id: person.id, name: person.name },
              before: { sessions: ended },
            });
          }
          return { ended };
        },
        'none',
      );
    },
  }),

  setLanguage: freeAct(identity.setLanguage, {
    name: 'chose a language',
    because: 'everybody may choose their own',
    gate: 'none',
    repeat: 'same',
    async free({ services: { pool }, person, body: { language } }) {
      if (!person) throw notSignedIn();
      return withUnitOfWork(
        pool,
        person,
        async (uow) => {
          const before = await store.setLanguage(uow, person.id, language);
          if (before !== language) {
            const subject = { kind: 'person', id: person.id, name: person.name };
            uow.enter({ act: 'chose a language', subject, before: { language: before }, after: { language } });
          }
          return {};
        },
        'none',
      );
    },
  }),

  readMessage: act(identity.readMessage, {
    name: 'read a message',
    on: { message: one(messageKind, ({ params }) => params.id, noRight) },
    gate: 'none',
    repeat: 'same',
    async write(uow, { on: { message } }) {
      if (message.read_at !== null) return { answer: {}, entry: null };
      await store.markRead(uow, message.id);
      return { answer: {}, entry: {} };
    },
  }),
};
