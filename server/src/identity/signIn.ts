import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import { identity } from '@key-cellar/contract';
import { actsFor, noRight, one, Problem, programActor, SessionChange, withUnitOfWork, type Kind, type Services } from '../kernel/index.js';
import { readSettings } from './settingStore.js';
import * as store from './store.js';

const { act, freeAct } = actsFor<Services>();
const sessionHours = 12;
const triesPerLogin = 5;
const triesPerAddress = 60;

// argon2id with the parameters of RFC 9106 §4, second recommended option, halved in memory for small machines.
const argon = { memoryCost: 32 * 1024, timeCost: 3, parallelism: 1 };
// Verified against when the login is unknown, so that both answers take the same time.
const nobody = hash('nobody has this password', argon);

export function hashPassword(password: string): Promise<string> {
  return hash(password, argon);
}

function tokenHash(token: string): Buffer {
  return createHash('sha256').update(token).digest();
}

const messageKind: Kind<store.LockedMessage> = {
  word: 'own message',
  what: 'This message',
  see: [],
  find: (db, ids, _lock, asker) => store.lockMessages(db, asker.id, ids),
  id: (message) => message.id,
  subject: (message) => ({ kind: 'message', id: message.id, name: 'message' }),
  sets: () => [],
  mine: () => true,
};

export const identityActs = {
  /** Gives a fresh session token. 401 for wrong input, 429 after too many tries. */
  signIn: freeAct(identity.signIn, {
    name: 'signed in',
    also: ['sign-in failed'],
    because: 'it finds out who somebody is',
    gate: 'none',
    repeat: 'another',
    async free({ services: { pool }, body, address }) {
      const { today } = await readSettings(pool);
      const failures = await store.recentFailures(pool, body.login, address);
      if (failures.login >= triesPerLogin || failures.address >= triesPerAddress) {
        throw new Problem(429, 'too-many-tries', 'Too many wrong tries. Wait a quarter of an hour, then try again.');
      }
      const principal = await store.principalByLogin(pool, body.login);
      const right = await verify(principal?.password_hash ?? (await nobody), body.password).catch(() => false);
      if (!principal || !principal.active || !right) {
        await withUnitOfWork(
          pool,
          { ...programActor(address, today), name: 'somebody' },
          async (uow) => {
            await store.noteFailure(uow, body.login.slice(0, 200), address);
            const subject = { kind: 'person', id: principal?.id ?? null, name: principal?.login ?? 'unknown login' };
            uow.enter({ act: 'sign-in failed', subject });
          },
          'none',
        );
        throw new Problem(401, 'wrong-sign-in', 'Login or password is wrong.');
      }
      const token = randomBytes(32).toString('base64url');
      await withUnitOfWork(
        pool,
        { id: principal.id, name: principal.name, from: address, today },
        async (uow) => {
          await store.forgetFailures(uow, body.login);
          await store.addSession(uow, tokenHash(token), principal.id, sessionHours);
          uow.enter({ act: 'signed in', subject: { kind: 'person', id: principal.id, name: principal.name } });
        },
        'none',
      );
      return new SessionChange({ token, maxAgeSeconds: sessionHours * 3600 });
    },
  }),

  signOut: freeAct(identity.signOut, {
    name: 'signed out',
    because: 'everybody may leave',
    gate: 'none',
    repeat: 'refused',
    async free({ services: { pool }, person }) {
      if (!person) throw new Problem(401, 'not-signed-in', 'Sign in first.');
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
