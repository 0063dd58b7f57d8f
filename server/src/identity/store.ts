import { type Db, row, rows, run } from '../kernel/index.js';
import { missingSql } from './secondFactorStore.js';

export interface PrincipalRow extends Record<string, unknown> {
  id: string;
  kind: 'person' | 'group' | 'service';
  name: string;
  login: string | null;
  password_hash: string | null;
  active: boolean;
}

export function principalByLogin(db: Db, login: string): Promise<PrincipalRow | undefined> {
  return row<PrincipalRow>(
    db,
    'principal.byLogin',
    `select id, kind, name, login, password_hash, active from principal where login = lower($1) and kind = 'person'`,
    [login],
  );
}

export async function anybodyExists(db: Db): Promise<boolean> {
  return (await row(db, 'principal.any', `select from principal where kind = 'person' limit 1`)) !== undefined;
}

export async function addPrincipal(
  db: Db,
  p: {
    id: string;
    kind: 'person' | 'group' | 'service';
    name: string;
    login?: string;
    passwordHash?: string;
    email?: string;
    clearanceLevel?: number;
    caveats?: string[];
    active?: boolean;
  },
): Promise<void> {
  await run(
    db,
    'principal.add',
    `insert into principal (id, kind, name, login, password_hash, email, clearance_level, clearance_caveats, active)
     values ($1, $2, $3, lower($4), $5, $6, $7, $8, $9)`,
    [
      p.id,
      p.kind,
      p.name,
      p.login ?? null,
      p.passwordHash ?? null,
      p.email ?? null,
      p.clearanceLevel ?? 0,
      p.caveats ?? [],
      p.active ?? true,
    ],
  );
}

/** Keeps the language that a person chose; gives the one of before. */
export async function setLanguage(db: Db, id: string, language: string | null): Promise<string | null> {
  const before = await row<{ language: string | null }>(
    db,
    'principal.setLanguage',
    `update principal p set language = $2 from (select id, language from principal where id = $1 for no key update) before
     where p.id = before.id returning before.language`,
    [id, language],
  );
  return before?.language ?? null;
}

export function people(db: Db): Promise<PrincipalRow[]> {
  return rows<PrincipalRow>(db, 'principal.people', 'select id, kind, name, login, active from principal where active order by name');
}

export async function addSession(
  db: Db,
  session: { tokenHash: Buffer; principalId: string; hours: number; address: string; agent: string; factorProved: boolean },
): Promise<void> {
  await run(
    db,
    'session.add',
    `insert into session (token_hash, principal_id, expires_at, address, agent, factor_proved)
     values ($1, $2, now() + make_interval(hours => $3), $4, $5, $6)`,
    [session.tokenHash, session.principalId, session.hours, session.address, session.agent, session.factorProved],
  );
}

export async function endSession(db: Db, tokenHash: Buffer): Promise<void> {
  await run(db, 'session.end', 'delete from session where token_hash = $1', [tokenHash]);
}

export interface SessionRow extends Record<string, unknown> {
  id: string;
  language: string | null;
  name: string;
  login: string;
  clearance_level: number;
  clearance_caveats: string[];
  access_epoch: number;
  stale: boolean;
  /** Whether a second factor is asked of them that they have not set up. */
  factor_missing: boolean;
}

/** SQL that is true of a session `s` that goes on: by what the keeper set, else after so many minutes without use, and after its own end. */
const lasts = (usualMinutes: string): string => `s.expires_at > now()
  and s.last_seen_at > now() - make_interval(mins => coalesce((select (value->>'idleMinutes')::int from setting where name = 'sessionLimits'), ${usualMinutes}))
  and s.created_at > now() - make_interval(hours => coalesce((select (value->>'hours')::int from setting where name = 'sessionLimits'), 168))`;

/** Whose session it is, while it lasts: it ends at its time, when nobody used it for so many minutes, or when it is ended. */
export function sessionByHash(db: Db, tokenHash: Buffer, idleMinutes: number): Promise<SessionRow | undefined> {
  return row<SessionRow>(
    db,
    'session.byHash',
    `select p.id, p.name, p.login, p.language, p.clearance_level, p.clearance_caveats,
            (select value from epoch where name = 'access') as access_epoch,
            s.last_seen_at < now() - interval '1 minute' as stale, ${missingSql('p.id')} and not s.factor_proved as factor_missing
     from session s join principal p on p.id = s.principal_id
     where s.token_hash = $1 and ${lasts('$2')} and p.active`,
    [tokenHash, idleMinutes],
  );
}

/** For so long after signing in somebody need not prove once more who they are, where there is no password to do it with. */
export const freshMinutes = 10;

/** Whether a session began within so many minutes. */
export async function sessionIsFresh(db: Db, tokenHash: Buffer, minutes: number): Promise<boolean> {
  const found = await row(
    db,
    'session.fresh',
    'select from session where token_hash = $1 and created_at > now() - make_interval(mins => $2)',
    [tokenHash, minutes],
  );
  return found !== undefined;
}

export async function touchSession(db: Db, tokenHash: Buffer): Promise<void> {
  await run(db, 'session.touch', 'update session set last_seen_at = now() where token_hash = $1', [tokenHash]);
}

export interface OwnSession extends Record<string, unknown> {
  id: string;
  token_hash: Buffer;
  created_at: Date;
  last_seen_at: Date;
  address: string;
  agent: string;
}

/** A person's sessions that last, the one used last first. */
export function sessionsOf(db: Db, principalId: string, idleMinutes: number): Promise<OwnSession[]> {
  return rows<OwnSession>(
    db,
    'session.of',
    `select id, token_hash, created_at, last_seen_at, address, agent from session s
     where principal_id = $1 and ${lasts('$2')} order by last_seen_at desc`,
    [principalId, idleMinutes],
  );
}

/** A person's sessions of these ids, their rows locked; those of others are left out. */
export function lockSessions(db: Db, principalId: string, ids: readonly string[]): Promise<OwnSession[]> {
  return rows<OwnSession>(
    db,
    'session.lock',
    `select id, token_hash, created_at, last_seen_at, address, agent from session
     where id = any ($2::uuid[]) and principal_id = $1 order by id for update`,
    [principalId, ids],
  );
}

/** Ends all sessions of a person but one; gives how many. */
export function endOtherSessions(db: Db, principalId: string, tokenHash: Buffer): Promise<number> {
  return run(db, 'session.endOthers', 'delete from session where principal_id = $1 and token_hash <> $2', [principalId, tokenHash]);
}

/** Sessions that ended by themselves, and tries that no longer count. */
export async function forgetEnded(db: Db): Promise<void> {
  await run(db, 'session.forget', `delete from session where expires_at < now() - interval '1 day'`);
  await run(db, 'signIn.forgetOld', `delete from sign_in_try where at < now() - interval '1 day'`);
  await run(db, 'signIn.forgetAddresses', `delete from known_address where last_at < now() - interval '1 year'`);
}

/** Tries from one address, and tries of one login, are counted one after another. */
export async function lockTries(db: Db, login: string, address: string): Promise<void> {
  await run(db, 'signIn.lock', `select pg_advisory_xact_lock(4244, hashtext($1)), pg_advisory_xact_lock(4245, hashtext(lower($2)))`, [
    address,
    login,
  ]);
}

export async function noteTry(db: Db, login: string, address: string): Promise<void> {
  await run(db, 'signIn.try', 'insert into sign_in_try (login, address) values (lower($1), $2)', [login, address]);
}

export async function forgetTries(db: Db, login: string, address: string): Promise<void> {
  await run(db, 'signIn.forget', 'delete from sign_in_try where login = lower($1) and address = $2', [login, address]);
}

/** It was the right person: what was tried here is forgotten, and the address is known. */
export async function noteSignedIn(db: Db, principalId: string, login: string, address: string): Promise<void> {
  await forgetTries(db, login, address);
  await run(
    db,
    'signIn.know',
    `insert into known_address (principal_id, address) values ($1, $2)
     on conflict (principal_id, address) do update set last_at = now()`,
    [principalId, address],
  );
}

export interface Tries {
  /** Of this login from this address, of this login from anywhere, and of anybody from this address. */
  readonly here: number;
  readonly login: number;
  readonly address: number;
  /** Whether the person has signed in from this address before. */
  readonly known: boolean;
}

/** Wrong tries of the last quarter of an hour, and those that are still being looked at. */
export async function recentTries(db: Db, login: string, address: string): Promise<Tries> {
  const found = await row<Tries & Record<string, unknown>>(
    db,
    'signIn.recent',
    `select count(*) filter (where login = lower($1) and address = $2) as here,
            count(*) filter (where login = lower($1)) as login,
            count(*) filter (where address = $2) as address,
            exists (select from known_address k join principal p on p.id = k.principal_id where p.login = lower($1) and k.address = $2) as known
     from sign_in_try where at > now() - interval '15 minutes' and (login = lower($1) or address = $2)`,
    [login, address],
  );
  return found!;
}

export interface MessageRow extends Record<string, unknown> {
  id: string;
  kind: string;
  subject: string;
  body: string;
  link: string | null;
  sent_at: Date;
  read_at: Date | null;
}

export function messagesFor(db: Db, personId: string): Promise<MessageRow[]> {
  return rows<MessageRow>(
    db,
    'message.for',
    'select id, kind, subject, body, link, sent_at, read_at from message where to_id = $1 order by sent_at desc, id desc limit 200',
    [personId],
  );
}

export async function unreadCount(db: Db, personId: string): Promise<number> {
  const found = await row<{ n: number }>(db, 'message.unread', 'select count(*) as n from message where to_id = $1 and read_at is null', [
    personId,
  ]);
  return found!.n;
}

export interface LockedMessage extends Record<string, unknown> {
  id: string;
  read_at: Date | null;
}

/** Messages of a person's own, their rows locked; those of others are left out. */
export function lockMessages(db: Db, personId: string, ids: readonly string[]) {
  return rows<LockedMessage>(
    db,
    'message.lock',
    'select id, read_at from message where id = any ($2::uuid[]) and to_id = $1 order by id for update',
    [personId, ids],
  );
}

export async function markRead(db: Db, messageId: string): Promise<void> {
  await run(db, 'message.read', 'update message set read_at = now() where id = $1', [messageId]);
}
