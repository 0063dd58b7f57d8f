import { type Db, row, rows, run } from '../kernel/index.js';

export interface ProviderRow extends Record<string, unknown> {
  id: string;
  name: string;
  issuer: string;
  client_id: string;
  client_secret: Buffer | null;
  groups_claim: string | null;
  newcomers: boolean;
  by_email: boolean;
  brings_factor: boolean;
  active: boolean;
  revision: number;
}

const columns = 'id, name, issuer, client_id, client_secret, groups_claim, newcomers, by_email, brings_factor, active, revision';

export const providers = (db: Db) =>
  rows<ProviderRow & { people: number }>(
    db,
    'provider.all',
    `select ${columns}, (select count(*)::int from federated f where f.provider_id = p.id) as people from identity_provider p
     order by active desc, lower(name)`,
    [],
  );

/** Those by which people can sign in. */
export const providersInUse = (db: Db) =>
  rows<{ id: string; name: string }>(db, 'provider.inUse', 'select id, name from identity_provider where active order by lower(name)', []);

export const providerById = (db: Db, id: string) =>
  row<ProviderRow>(db, 'provider.one', `select ${columns} from identity_provider where id = $1`, [id]);

export const lockProvider = (db: Db, id: string) =>
  row<ProviderRow>(db, 'provider.lock', `select ${columns} from identity_provider where id = $1 for no key update`, [id]);

/** Whether another provider has this name, or this issuer. */
export async function takenBy(db: Db, p: { id: string; name: string; issuer: string }): Promise<'name' | 'issuer' | null> {
  const found = await row<{ name: string }>(
    db,
    'provider.taken',
    'select name from identity_provider where id <> $1 and (lower(name) = lower($2) or issuer = $3) limit 1',
    [p.id, p.name, p.issuer],
  );
  if (!found) return null;
  return found.name.toLowerCase() === p.name.toLowerCase() ? 'name' : 'issuer';
}

export type NewProvider = Omit<ProviderRow, 'revision'>;

/** Adds a provider, or changes the one with this id. */
export async function writeProvider(db: Db, p: NewProvider): Promise<void> {
  await run(
    db,
    'provider.write',
    `insert into identity_provider (id, name, issuer, client_id, client_secret, groups_claim, newcomers, by_email, brings_factor, active)
     values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
     on conflict (id) do update set name = excluded.name, issuer = excluded.issuer, client_id = excluded.client_id,
       client_secret = excluded.client_secret, groups_claim = excluded.groups_claim, newcomers = excluded.newcomers,
       by_email = excluded.by_email, brings_factor = excluded.brings_factor, active = excluded.active,
       revision = identity_provider.revision + 1`,
    [p.id, p.name, p.issuer, p.client_id, p.client_secret, p.groups_claim, p.newcomers, p.by_email, p.brings_factor, p.active],
  );
}

export interface ProviderGroupRow extends Record<string, unknown> {
  provider_id: string;
  value: string;
  group_id: string;
  name: string;
}

/** Which values put people into which groups; of those that are in use. */
export const providerGroups = (db: Db, providerId: string | null) =>
  rows<ProviderGroupRow>(
    db,
    'provider.groups',
    `select m.provider_id, m.value, m.group_id, g.name from provider_group m join principal g on g.id = m.group_id and g.active
     where $1::uuid is null or m.provider_id = $1 order by m.value, g.name`,
    [providerId],
  );

export async function writeProviderGroups(
  db: Db,
  providerId: string,
  groups: readonly { readonly value: string; readonly groupId: string }[],
): Promise<void> {
  await run(db, 'provider.dropGroups', 'delete from provider_group where provider_id = $1', [providerId]);
  await run(
    db,
    'provider.addGroups',
    'insert into provider_group (provider_id, value, group_id) select $1, * from unnest($2::text[], $3::uuid[]) on conflict do nothing',
    [providerId, groups.map((g) => g.value), groups.map((g) => g.groupId)],
  );
}

export interface LinkRow extends Record<string, unknown> {
  principal_id: string;
  provider_id: string;
  provider: string;
  linked_at: Date;
  last_at: Date | null;
}

export const linksOf = (db: Db, principalId: string) =>
  rows<LinkRow>(
    db,
    'federated.of',
    `select f.principal_id, f.provider_id, p.name as provider, f.linked_at, f.last_at from federated f
     join identity_provider p on p.id = f.provider_id where f.principal_id = $1 order by lower(p.name)`,
    [principalId],
  );

/** Who somebody of a provider is here. */
export const linked = (db: Db, providerId: string, subject: string) =>
  row<{ principal_id: string }>(
    db,
    'federated.find',
    'select principal_id from federated where provider_id = $1 and subject = $2 for no key update',
    [providerId, subject],
  );

/** Links a person with who they are at a provider; false where either is linked with another already. */
export async function addLink(db: Db, providerId: string, subject: string, principalId: string): Promise<boolean> {
  return (
    (await run(
      db,
      'federated.add',
      'insert into federated (provider_id, subject, principal_id) values ($1, $2, $3) on conflict do nothing',
      [providerId, subject, principalId],
    )) > 0
  );
}

export async function noteLinkUsed(db: Db, providerId: string, subject: string): Promise<void> {
  await run(db, 'federated.used', 'update federated set last_at = now() where provider_id = $1 and subject = $2', [providerId, subject]);
}

export async function dropLink(db: Db, providerId: string, principalId: string): Promise<boolean> {
  return (
    (await run(db, 'federated.drop', 'delete from federated where provider_id = $1 and principal_id = $2', [providerId, principalId])) > 0
  );
}

/** People with this address who are here and not linked with the provider yet; two are enough to know that it is not one. */
export const withAddress = (db: Db, providerId: string, email: string) =>
  rows<{ id: string }>(
    db,
    'federated.byEmail',
    `select p.id from principal p where p.kind = 'person' and p.active and lower(p.email) = lower($2)
     and not exists (select from federated f where f.provider_id = $1 and f.principal_id = p.id) limit 2`,
    [providerId, email],
  );

/** The groups of those given in which somebody is, directly. */
export async function groupsOf(db: Db, principalId: string, groupIds: readonly string[]): Promise<Set<string>> {
  const found = await rows<{ group_id: string }>(
    db,
    'federated.groupsOf',
    'select group_id from membership where member_id = $1 and group_id = any ($2::uuid[])',
    [principalId, groupIds],
  );
  return new Set(found.map((m) => m.group_id));
}

export async function join(db: Db, principalId: string, groupIds: readonly string[]): Promise<void> {
  await run(db, 'federated.join', 'insert into membership (member_id, group_id) select $1, unnest($2::uuid[]) on conflict do nothing', [
    principalId,
    groupIds,
  ]);
}

export async function leave(db: Db, principalId: string, groupIds: readonly string[]): Promise<void> {
  await run(db, 'federated.leave', 'delete from membership where member_id = $1 and group_id = any ($2::uuid[])', [principalId, groupIds]);
}

export interface BegunRow extends Record<string, unknown> {
  provider_id: string;
  linking_id: string | null;
  proved_id: string | null;
}

/** Sign-ins from an address that were begun and did not come back yet. */
export async function underWay(db: Db, address: string): Promise<number> {
  await run(db, 'begun.forget', 'delete from sign_in_begun where until < now()', []);
  await run(db, 'begun.lock', 'select pg_advisory_xact_lock(4246, hashtext($1))', [address]);
  return (await row<{ n: number }>(db, 'begun.count', 'select count(*)::int as n from sign_in_begun where address = $1', [address]))!.n;
}

export async function addBegun(
  db: Db,
  b: { tokenHash: Buffer; providerId: string; address: string; linkingId: string | null; provedId: string | null; minutes: number },
): Promise<void> {
  await run(
    db,
    'begun.add',
    `insert into sign_in_begun (token_hash, provider_id, address, linking_id, proved_id, until)
     values ($1, $2, $3, $4, $5, now() + make_interval(mins => $6))`,
    [b.tokenHash, b.providerId, b.address, b.linkingId, b.provedId, b.minutes],
  );
}

/** Uses up what was begun: whoever comes second with the same finds nothing. */
export const takeBegun = (db: Db, tokenHash: Buffer, proved: boolean) =>
  row<BegunRow>(
    db,
    'begun.take',
    `delete from sign_in_begun where token_hash = $1 and until > now() and (proved_id is not null) = $2
     returning provider_id, linking_id, proved_id`,
    [tokenHash, proved],
  );

/** What was proved and lacks a code, without using it up. */
export const proved = (db: Db, tokenHash: Buffer) =>
  row<BegunRow>(
    db,
    'begun.proved',
    `select provider_id, linking_id, proved_id from sign_in_begun where token_hash = $1 and until > now() and proved_id is not null`,
    [tokenHash],
  );
