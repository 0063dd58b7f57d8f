import { type Db, row, rows, run } from '../kernel/index.js';

export interface PersonRow extends Record<string, unknown> {
  id: string;
  name: string;
  login: string;
  email: string | null;
  clearance_level: number;
  clearance_caveats: string[];
  active: boolean;
  revision: number;
  has_password: boolean;
  invited_until: Date | null;
  last_seen: Date | null;
  second_factor: boolean;
  providers: { id: string; name: string }[];
}

const personColumns = `p.id, p.name, p.login, p.email, p.clearance_level, p.clearance_caveats, p.active, p.revision,
  p.password_hash is not null as has_password,
  (select coalesce(json_agg(json_build_object('id', i.id, 'name', i.name) order by lower(i.name)), '[]') from federated f
   join identity_provider i on i.id = f.provider_id where f.principal_id = p.id) as providers,
  exists (select from second_factor f where f.principal_id = p.id and f.confirmed_at is not null) as second_factor, (select i.until from invitation i where i.principal_id = p.id and i.until > now()) as invited_until,
  (select max(s.last_seen_at) from session s where s.principal_id = p.id) as last_seen`;

/** All people that can sign in, or could; those who were let go stand behind. */
export function arrangedPeople(db: Db) {
  return rows<PersonRow>(
    db,
    'people.all',
    `select ${personColumns} from principal p where p.kind = 'person' order by p.active desc, p.name, p.id`,
    [],
  );
}

export function personById(db: Db, id: string) {
  return row<PersonRow>(db, 'people.one', `select ${personColumns} from principal p where p.id = $1 and p.kind = 'person'`, [id]);
}

/** The same with its row locked. */
export async function lockPerson(db: Db, id: string): Promise<PersonRow | undefined> {
  await run(db, 'people.lock', `select from principal where id = $1 and kind = 'person' for no key update`, [id]);
  return personById(db, id);
}

export interface GroupRow extends Record<string, unknown> {
  id: string;
  name: string;
  active: boolean;
  everyone: boolean;
  second_factor: boolean;
  revision: number;
}

export function arrangedGroups(db: Db) {
  return rows<GroupRow>(
    db,
    'groups.all',
    `select id, name, active, everyone, second_factor, revision from principal where kind = 'group' order by active desc, everyone desc, name, id`,
    [],
  );
}

export function groupById(db: Db, id: string) {
  return row<GroupRow>(
    db,
    'groups.one',
    `select id, name, active, everyone, second_factor, revision from principal where id = $1 and kind = 'group'`,
    [id],
  );
}

export function lockGroup(db: Db, id: string) {
  return row<GroupRow>(
    db,
    'groups.lock',
    `select id, name, active, everyone, second_factor, revision from principal where id = $1 and kind = 'group' for no key update`,
    [id],
  );
}

export interface MemberRow extends Record<string, unknown> {
  group_id: string;
  group_name: string;
  id: string;
  name: string;
  kind: 'person' | 'group' | 'service';
}

/** Who is in which group, by name; of those that are in use. */
export function members(db: Db) {
  return rows<MemberRow>(
    db,
    'groups.members',
    `select m.group_id, g.name as group_name, p.id, p.name, p.kind from membership m
     join principal p on p.id = m.member_id join principal g on g.id = m.group_id where p.active order by p.name, p.id`,
    [],
  );
}

/** One who changes memberships after the other: two could make a circle together that neither makes alone. */
export async function lockMemberships(db: Db): Promise<void> {
  await run(db, 'groups.lockAll', 'select pg_advisory_xact_lock(4250)', []);
}

export async function writePerson(
  db: Db,
  p: { id: string; name: string; login: string; email: string | null; level: number; caveats: readonly string[] },
): Promise<void> {
  await run(
    db,
    'people.write',
    `update principal set name = $2, login = lower($3), email = $4, clearance_level = $5, clearance_caveats = $6, revision = revision + 1 where id = $1`,
    [p.id, p.name, p.login, p.email, p.level, [...p.caveats].sort()],
  );
}

export async function setActive(db: Db, id: string, active: boolean): Promise<void> {
  await run(db, 'people.setActive', 'update principal set active = $2, revision = revision + 1 where id = $1', [id, active]);
}

export async function setPassword(db: Db, id: string, hash: string | null): Promise<void> {
  await run(db, 'people.setPassword', 'update principal set password_hash = $2 where id = $1', [id, hash]);
}

export async function passwordOf(db: Db, id: string): Promise<string | null> {
  const found = await row<{ password_hash: string | null }>(db, 'people.password', 'select password_hash from principal where id = $1', [
    id,
  ]);
  return found?.password_hash ?? null;
}

export async function loginTaken(db: Db, login: string, but: string | null): Promise<boolean> {
  const found = await row(db, 'people.loginTaken', 'select from principal where login = lower($1) and id is distinct from $2', [
    login,
    but,
  ]);
  return found !== undefined;
}

/** The login that is wished for, or the first like it that nobody has; call it under {@link lockMemberships}. */
export async function freeLogin(db: Db, wished: string): Promise<string> {
  for (let n = 1; ; n++) {
    const login = n === 1 ? wished : `${wished}${n}`;
    if (!(await loginTaken(db, login, null))) return login;
  }
}

export async function groupNameTaken(db: Db, name: string, but: string | null): Promise<boolean> {
  const found = await row(
    db,
    'groups.nameTaken',
    `select from principal where kind = 'group' and lower(name) = lower($1) and id is distinct from $2`,
    [name, but],
  );
  return found !== undefined;
}

export async function writeGroup(db: Db, g: { id: string; name: string; active: boolean; secondFactor: boolean }): Promise<void> {
  await run(db, 'groups.write', 'update principal set name = $2, active = $3, second_factor = $4, revision = revision + 1 where id = $1', [
    g.id,
    g.name,
    g.active,
    g.secondFactor,
  ]);
}

/** Puts somebody into exactly these groups. */
export async function writeGroupsOf(db: Db, memberId: string, groupIds: readonly string[]): Promise<void> {
  await run(db, 'people.leaveGroups', 'delete from membership where member_id = $1 and not group_id = any ($2::uuid[])', [
    memberId,
    groupIds,
  ]);
  await run(
    db,
    'people.joinGroups',
    'insert into membership (member_id, group_id) select $1, g from unnest($2::uuid[]) g on conflict do nothing',
    [memberId, groupIds],
  );
}

/** Puts exactly these into a group. */
export async function writeMembers(db: Db, groupId: string, memberIds: readonly string[]): Promise<void> {
  await run(db, 'groups.dropMembers', 'delete from membership where group_id = $1 and not member_id = any ($2::uuid[])', [
    groupId,
    memberIds,
  ]);
  await run(
    db,
    'groups.addMembers',
    'insert into membership (member_id, group_id) select m, $1 from unnest($2::uuid[]) m on conflict do nothing',
    [groupId, memberIds],
  );
}

/** Groups that are in themselves, through others. */
export function groupsInThemselves(db: Db) {
  return rows<{ name: string }>(
    db,
    'groups.circles',
    `with recursive inner_ as (select group_id, member_id from membership
       union select i.group_id, m.member_id from inner_ i join membership m on m.group_id = i.member_id)
     select distinct p.name from inner_ i join principal p on p.id = i.group_id where i.group_id = i.member_id order by p.name`,
    [],
  );
}

/** Of these ids those that are principals of a kind. */
export async function principalsOfKind(db: Db, ids: readonly string[], kinds: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ id: string }>(
    db,
    'principal.ofKind',
    'select id from principal where id = any ($1::uuid[]) and kind = any ($2) and not everyone',
    [ids, kinds],
  );
  return new Set(found.map((p) => p.id));
}

/** A link for a person; those of before work no more. */
export async function writeInvitation(
  db: Db,
  i: { tokenHash: Buffer; principalId: string; madeBy: string | null; hours: number },
): Promise<Date> {
  await dropInvitations(db, i.principalId);
  const made = await row<{ until: Date }>(
    db,
    'invitation.write',
    `insert into invitation (token_hash, principal_id, made_by, until) values ($1, $2, $3, now() + make_interval(hours => $4)) returning until`,
    [i.tokenHash, i.principalId, i.madeBy, i.hours],
  );
  return made!.until;
}

export async function dropInvitations(db: Db, principalId: string): Promise<void> {
  await run(db, 'invitation.drop', 'delete from invitation where principal_id = $1', [principalId]);
}

export interface InvitationRow extends Record<string, unknown> {
  principal_id: string;
  name: string;
  login: string;
}

const invited = `select i.principal_id, p.name, p.login from invitation i join principal p on p.id = i.principal_id
  where i.token_hash = $1 and i.until > now() and p.active`;

/** Whose a link is, while it works. */
export const invitation = (db: Db, tokenHash: Buffer) => row<InvitationRow>(db, 'invitation.find', invited, [tokenHash]);

/** Uses a link up: whoever comes second finds none. */
export async function takeInvitation(db: Db, tokenHash: Buffer): Promise<InvitationRow | undefined> {
  return row<InvitationRow>(
    db,
    'invitation.take',
    `with taken as (delete from invitation where token_hash = $1 and until > now() returning principal_id)
     select t.principal_id, p.name, p.login from taken t join principal p on p.id = t.principal_id where p.active`,
    [tokenHash],
  );
}

/** Ends all sessions of a person; gives how many. */
export const endSessionsOf = (db: Db, principalId: string): Promise<number> =>
  run(db, 'session.endOf', 'delete from session where principal_id = $1', [principalId]);
