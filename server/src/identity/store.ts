import { type Db, row, rows, run } from '../kernel/index.js';

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

export function people(db: Db): Promise<PrincipalRow[]> {
  return rows<PrincipalRow>(db, 'principal.people', 'select id, kind, name, login, active from principal where active order by name');
}

export async function addSession(db: Db, tokenHash: Buffer, principalId: string, hours: number): Promise<void> {
  await run(
    db,
    'session.add',
    'insert into session (token_hash, principal_id, expires_at) values ($1, $2, now() + make_interval(hours => $3))',
    [tokenHash, principalId, hours],
  );
}

export async function endSession(db: Db, tokenHash: Buffer): Promise<void> {
  await run(db, 'session.end', 'delete from session where token_hash = $1', [tokenHash]);
}

export interface SessionRow extends Record<string, unknown> {
  id: string;
  name: string;
  login: string;
  clearance_level: number;
  clearance_caveats: string[];
  access_epoch: number;
  stale: boolean;
}

export function sessionByHash(db: Db, tokenHash: Buffer): Promise<SessionRow | undefined> {
  return row<SessionRow>(
    db,
    'session.byHash',
    `select p.id, p.name, p.login, p.clearance_level, p.clearance_caveats,
            (select value from epoch where name = 'access') as access_epoch,
            s.last_seen_at < now() - interval '5 minutes' as stale
     from session s join principal p on p.id = s.principal_id
     where s.token_hash = $1 and s.expires_at > now() and p.active`,
    [tokenHash],
  );
}

export async function touchSession(db: Db, tokenHash: Buffer): Promise<void> {
  await run(db, 'session.touch', 'update session set last_seen_at = now() where token_hash = $1', [tokenHash]);
}

export async function noteFailure(db: Db, login: string, address: string): Promise<void> {
  await run(db, 'signIn.fail', 'insert into sign_in_failure (login, address) values (lower($1), $2)', [login, address]);
}

export async function forgetFailures(db: Db, login: string): Promise<void> {
  await run(db, 'signIn.forget', 'delete from sign_in_failure where login = lower($1)', [login]);
}

export async function recentFailures(db: Db, login: string, address: string): Promise<{ login: number; address: number }> {
  const found = await row<{ by_login: number; by_address: number }>(
    db,
    'signIn.recent',
    `select count(*) filter (where login = lower($1)) as by_login, count(*) filter (where address = $2) as by_address
     from sign_in_failure where at > now() - interval '15 minutes' and (login = lower($1) or address = $2)`,
    [login, address],
  );
  return { login: found!.by_login, address: found!.by_address };
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
