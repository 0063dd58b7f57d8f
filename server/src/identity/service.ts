import { createHash, randomBytes } from 'node:crypto';
import { hash, verify } from '@node-rs/argon2';
import type pg from 'pg';
import { uuidv7 } from 'uuidv7';
import { getOrMakeSet, placeGrant } from '../access/index.js';
import { run, withUnitOfWork } from '../db/index.js';
import { Problem } from '../problem.js';
import { programActor, type SignedIn } from './actor.js';
import { readSettings, writeSetting } from './settings.js';
import * as store from './store.js';

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

export function tokenHash(token: string): Buffer {
  return createHash('sha256').update(token).digest();
}

/** Signs a person in and gives a fresh session token. Throws 401 for wrong input, 429 after too many tries. */
export async function signIn(
  pool: pg.Pool,
  input: { login: string; password: string },
  address: string,
): Promise<{ token: string; maxAgeSeconds: number }> {
  const { today } = await readSettings(pool);
  const failures = await store.recentFailures(pool, input.login, address);
  if (failures.login >= triesPerLogin || failures.address >= triesPerAddress) {
    throw new Problem(429, 'too-many-tries', 'Too many wrong tries. Wait a quarter of an hour, then try again.');
  }
  const principal = await store.principalByLogin(pool, input.login);
  const right = await verify(principal?.password_hash ?? (await nobody), input.password).catch(() => false);
  if (!principal || !principal.active || !right) {
    const actor = { ...programActor(address, today), name: 'somebody' };
    await withUnitOfWork(
      pool,
      actor,
      async (uow) => {
        await store.noteFailure(uow, input.login.slice(0, 200), address);
        uow.enter({
          act: 'sign-in failed',
          subject: { kind: 'person', id: principal?.id ?? null, name: principal?.login ?? 'unknown login' },
        });
      },
      'none',
    );
    throw new Problem(401, 'wrong-sign-in', 'Login or password is wrong.');
  }
  const token = randomBytes(32).toString('base64url');
  const actor = { id: principal.id, name: principal.name, from: address, today };
  await withUnitOfWork(
    pool,
    actor,
    async (uow) => {
      await store.forgetFailures(uow, input.login);
      await store.addSession(uow, tokenHash(token), principal.id, sessionHours);
      uow.enter({ act: 'signed in', subject: { kind: 'person', id: principal.id, name: principal.name } });
    },
    'none',
  );
  return { token, maxAgeSeconds: sessionHours * 3600 };
}

export async function signOut(pool: pg.Pool, person: SignedIn): Promise<void> {
  await withUnitOfWork(
    pool,
    person,
    async (uow) => {
      await store.endSession(uow, person.sessionHash);
      uow.enter({ act: 'signed out', subject: { kind: 'person', id: person.id, name: person.name } });
    },
    'none',
  );
}

/** Makes the repository and its first keeper. Throws 409 once anybody exists. */
export async function makeFirstKeeper(
  pool: pg.Pool,
  input: { repository: string; name: string; login: string; password: string },
  address: string,
): Promise<void> {
  const passwordHash = await hashPassword(input.password);
  const settings = await readSettings(pool);
  await withUnitOfWork(pool, programActor(address, settings.today), async (uow) => {
    await run(uow, 'firstKeeper.lock', 'select pg_advisory_xact_lock(4244)');
    if (await store.anybodyExists(uow)) {
      throw new Problem(409, 'has-keepers', 'This repository has people already. Sign in instead.');
    }
    await writeSetting(uow, 'repository', {
      name: input.repository,
      timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC',
    });
    const keeperId = uuidv7();
    const placeId = uuidv7();
    await store.addPrincipal(uow, { id: keeperId, kind: 'person', name: input.name, login: input.login, passwordHash, clearanceLevel: 9 });
    const setId = await getOrMakeSet(uow, { anchorPlace: placeId, recordId: null, level: 0, caveats: [] });
    await run(
      uow,
      'firstKeeper.repository',
      `insert into place (id, kind, parent_id, ancestors, code, title, access_set_id, opened_on)
       values ($1, 'repository', null, array[$1::uuid], 'ALL', $2, $3, $4)`,
      [placeId, input.repository, setId, settings.today],
    );
    await run(
      uow,
      'firstKeeper.type',
      `insert into record_type (code, title, facts) values ('document', 'Document', '[]') on conflict do nothing`,
    );
    for (const profile of ['keeper', 'administrator']) {
      await placeGrant(uow, { principalId: keeperId, placeId, profile, reason: 'first keeper' });
    }
    uow.enter({
      act: 'made the repository',
      subject: { kind: 'place', id: placeId, name: input.repository },
      after: { keeper: input.name },
    });
  });
}
